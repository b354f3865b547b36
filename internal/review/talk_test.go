package review_test

import (
	"testing"
	"time"

	"aftergust/core/letter"
	reviewing "aftergust/internal/review"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// told are the letters of notes that wait, by who gets them.
func (s *table) told(t *testing.T) map[string]int {
	t.Helper()
	rows, err := s.Store.Pool().Query(t.Context(), "select line_id, count(*)::int from letter where kind = $1 group by line_id", letter.Talk)
	require.NoError(t, err)
	defer rows.Close()
	out := map[string]int{}
	for rows.Next() {
		var line string
		var n int
		require.NoError(t, rows.Scan(&line, &n))
		out[line] = n
	}
	return out
}

func TestABurstOfNotesIsOneLetterToThoseWhoTakePart(t *testing.T) {
	s := sit(t)
	hanne, tove := s.lines[0].ID, s.lines[1].ID
	tell := func() { require.NoError(t, s.Review.Tell(t.Context(), s.Letters)) }
	n := s.write(t, s.hanne, reviewing.Draft{Body: "Louder."})
	s.Wait(11 * time.Minute)
	tell()
	assert.Empty(t, s.told(t), "nobody is told of their own notes")
	for _, words := range []string{"How much?", "And where?", "@" + s.lines[1].Name + ", do you hear it?"} {
		_, err := s.Review.Answer(t.Context(), s.marit, n.ID, reviewing.Draft{Body: words})
		require.NoError(t, err)
	}
	s.write(t, s.marit, reviewing.Draft{Body: "Between us.", Private: true})
	tell()
	assert.Empty(t, s.told(t), "it gathers for ten minutes")
	s.Wait(11 * time.Minute)
	tell()
	tell()
	assert.Equal(t, map[string]int{hanne: 1, tove: 1}, s.told(t), "one for who takes part, one for who is named")
	var id string
	require.NoError(t, s.Store.Pool().QueryRow(t.Context(), "select id from letter where kind = $1 and line_id = $2", letter.Talk, hanne).Scan(&id))
	_, c, ok, err := s.Letters.Compose(t.Context(), id)
	require.NoError(t, err)
	require.True(t, ok)
	require.Len(t, c.Said, 3)
	assert.Equal(t, []any{"How much?", true}, []any{c.Said[0].Text, c.Said[0].Answer})
	assert.Contains(t, c.Said[0].Link, "/room?item="+s.content+"&note="+n.ID+"#t=0")
	picture, err := s.Review.Picture(t.Context(), s.Mara.StudioID, n.ID)
	require.NoError(t, err)
	assert.Empty(t, picture, "what is no film has no frame")

	// What was taken back meanwhile is not told.
	answer, err := s.Review.Answer(t.Context(), s.marit, n.ID, reviewing.Draft{Body: "Never mind."})
	require.NoError(t, err)
	s.Wait(11 * time.Minute)
	require.NoError(t, s.Review.Remove(t.Context(), s.marit, answer.ID))
	tell()
	require.NoError(t, s.Store.Pool().QueryRow(t.Context(), "select id from letter where kind = $1 and line_id = $2 order by created_at desc limit 1", letter.Talk,
		hanne).Scan(&id))
	_, _, ok, err = s.Letters.Compose(t.Context(), id)
	require.NoError(t, err)
	assert.False(t, ok)
}
