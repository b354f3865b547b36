package gather_test

import (
	"strings"
	"testing"
	"time"

	"aftergust/core/file/find"
	"aftergust/core/link/state"
	"aftergust/core/time/expiry"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/parts/gather"
	"aftergust/internal/who/account"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// summed is a look in the form in which tests compare it.
func summed(looks []gather.Look) map[string][]any {
	out := map[string][]any{}
	for _, l := range looks {
		titles := []string{}
		for _, p := range l.Out {
			titles = append(titles, p.Title)
		}
		out[l.Name] = []any{l.Things, l.Bytes, l.Last, titles}
	}
	return out
}

func TestTheOverviewSaysWhatLiesWhere(t *testing.T) {
	h := apptest.Build(t, pg)
	museum, err := h.Places.NewPlace(t.Context(), h.Mara, "", "Museum")
	require.NoError(t, err)
	films, err := h.Places.NewPlace(t.Context(), h.Mara, museum.ID, "Films")
	require.NoError(t, err)
	stills, err := h.Places.NewPlace(t.Context(), h.Mara, films.ID, "Stills")
	require.NoError(t, err)
	_, err = h.Places.NewPlace(t.Context(), h.Mara, "", "Ceramics")
	require.NoError(t, err)
	other, err := h.Places.NewPlace(t.Context(), h.Odd, "", "Of another studio")
	require.NoError(t, err)
	project, err := h.Places.NewPlace(t.Context(), h.Odd, other.ID, "Theirs")
	require.NoError(t, err)
	h.File(h.Odd, project.ID, "theirs.mov", "their bytes")

	h.File(h.Mara, films.ID, "one.mov", "1234")
	two := h.File(h.Mara, stills.ID, "two.jpg", "123456")
	gone := h.File(h.Mara, films.ID, "gone.mov", "let go")
	format := h.File(h.Mara, films.ID, "one.mp4", "another format")
	_, err = h.Chosen.Delete(t.Context(), h.Mara, of(gone.ID))
	require.NoError(t, err)
	require.NoError(t, h.Chosen.Join(t.Context(), h.Mara, two.ID, []string{format.ID}))

	top, err := h.Places.Overview(t.Context(), h.Mara, "")
	require.NoError(t, err)
	assert.Equal(t, map[string][]any{"Museum": {2, int64(10), "two.jpg", []string{}}, "Ceramics": {0, int64(0), "", []string{}}}, summed(top))
	require.Len(t, top[1].Inside, 1, "the projects of a client")
	assert.Equal(t, "Films", top[1].Inside[0].Name)
	assert.Equal(t, 2, top[1].Inside[0].Things, "what lies deeper counts")
	inside, err := h.Places.Overview(t.Context(), h.Mara, museum.ID)
	require.NoError(t, err)
	assert.Equal(t, map[string][]any{"Films": {2, int64(10), "two.jpg", []string{}}}, summed(inside))
	assert.Equal(t, 1, inside[0].Inside[0].Things, "the folders of a project")

	sent, _ := h.Sent(h.Mara, []string{two.ID}, "hanne@kelpwick.example")
	top, err = h.Places.Overview(t.Context(), h.Mara, "")
	require.NoError(t, err)
	assert.Equal(t, []string{sent.Title}, summed(top)["Museum"][3], "what is out from there")
	assert.Equal(t, sent.ID, top[1].Inside[0].Out[0].ID)
	assert.Equal(t, state.Out, top[1].Out[0].State)
	h.Wait(top[1].Out[0].Ends.Sub(h.Now()) - expiry.ClosingWindow + time.Second)
	top, err = h.Places.Overview(t.Context(), h.Mara, "")
	require.NoError(t, err)
	assert.Equal(t, state.Closing, top[1].Out[0].State)
	assert.Equal(t, []string{}, summed(top)["Ceramics"][3])
	require.NoError(t, h.Pack.Stop(t.Context(), h.Mara, sent.ID))
	top, err = h.Places.Overview(t.Context(), h.Mara, "")
	require.NoError(t, err)
	assert.Equal(t, []string{}, summed(top)["Museum"][3], "a stopped package is not out")

	_, err = h.Places.Overview(t.Context(), h.Odd, museum.ID)
	assert.Equal(t, "not_found", apptest.Code(t, err), "nobody looks into another studio")
}

func TestADescriptionIsOneLineAndFound(t *testing.T) {
	h := apptest.Build(t, pg)
	item := h.File(h.Mara, "", "cut.mov", "bytes")
	client, err := h.Places.NewPlace(t.Context(), h.Mara, "", "Museum")
	require.NoError(t, err)
	described, err := h.Things.Describe(t.Context(), h.Mara, item.ID, "  For the\n trustees ")
	require.NoError(t, err)
	assert.Equal(t, "For the trustees", described.About)
	assert.Equal(t, "cut.mov", described.Name)
	place, err := h.Places.EditPlace(t.Context(), h.Mara, client.ID, nil, new("A lifeboat restored"))
	require.NoError(t, err)
	assert.Equal(t, [2]string{"Museum", "A lifeboat restored"}, [2]string{place.Name, place.About})
	found, err := h.Things.Items(t.Context(), h.Mara, gather.ItemQuery{Find: find.Parse("trustees"), Order: "name", Limit: 10})
	require.NoError(t, err)
	require.Len(t, found, 1)
	places, err := h.Places.PlacesFound(t.Context(), h.Mara, "", find.Parse("restored"))
	require.NoError(t, err)
	require.Len(t, places, 1)

	for about, ok := range map[string]bool{strings.Repeat("é", 200): true, strings.Repeat("é", 201): false, "": true} {
		_, err := h.Things.Describe(t.Context(), h.Mara, item.ID, about)
		assert.Equal(t, ok, err == nil, len(about))
		_, err = h.Places.EditPlace(t.Context(), h.Mara, client.ID, nil, &about)
		assert.Equal(t, ok, err == nil, len(about))
	}
	for name, do := range map[string]func(account.Member) error{
		"a thing": func(m account.Member) error { _, err := h.Things.Describe(t.Context(), m, item.ID, "mine"); return err },
		"a place": func(m account.Member) error {
			_, err := h.Places.EditPlace(t.Context(), m, client.ID, nil, new("mine"))
			return err
		},
	} {
		assert.Equal(t, "not_found", apptest.Code(t, do(h.Odd)), name)
	}
}
