package review_test

import (
	"testing"

	"aftergust/core/notes/markers"
	. "aftergust/core/notes/review"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

func TestWhatComesInIsRecognised(t *testing.T) {
	known := []Known{{ID: "a", Author: "Hanne", Text: "Louder.", At: 5}, {ID: "b", Source: "urn:x:1", Author: "Hanne", Text: "Softer.", At: 9},
		{ID: "c", Author: "Marit", Text: "Here?", At: 7, Done: true}}
	plan := Merge(known, []markers.Marker{
		{ID: "a", Text: "Louder.", Done: true},                // 0: by its id; done there
		{ID: "a2", Author: "Hanne", Text: "Louder.", At: 5},   // 1: by who says what where
		{ID: "urn:x:1", Text: "Softer!"},                      // 2: by its source, with other words
		{ID: "c", Text: "Here?"},                              // 3: open there, done here: stays done
		{ID: "d", Author: "Hanne", Text: "Louder.", At: 6},    // 4: elsewhere
		{Author: "Tove", Text: "Mine."},                       // 5: new
		{Author: "Tove", Text: "Mine."},                       // 6: the same once more
		{ID: "", Author: "Hanne", Text: "Louder.", At: 5},     // 7
		{ID: "e", Author: "Hanne", Text: "Done.", Done: true}, // 8: new, done
	})
	assert.Equal(t, Plan{New: []int{4, 5, 8}, Same: []int{0, 1, 3, 6, 7}, Differs: []int{2}, Done: map[int]string{0: "a"}}, plan)
}

// What went out comes in with nothing changed; and whatever comes in twice comes in once.
func TestComingInTwiceIsComingInOnce(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		coming := rapid.SliceOfN(rapid.Custom(func(t *rapid.T) markers.Marker {
			return markers.Marker{ID: rapid.SampledFrom([]string{"", "a", "b", "c"}).Draw(t, "id"), Author: rapid.SampledFrom([]string{"H", "M"}).Draw(t, "author"),
				Text: rapid.SampledFrom([]string{"x", "y"}).Draw(t, "text"), Done: rapid.Bool().Draw(t, "done")}
		}), 0, 8).Draw(t, "coming")
		first := Merge(nil, coming)
		assert.Empty(t, first.Done)
		var known []Known
		for _, i := range first.New {
			m := coming[i]
			known = append(known, Known{ID: "here" + m.ID, Source: m.ID, Author: m.Author, Text: m.Text, At: m.At, Done: m.Done})
		}
		assert.Empty(t, Merge(known, coming).New)
	})
}
