package show_test

import (
	"strings"
	"testing"
	"time"

	"aftergust/core/link/showing"
	"aftergust/core/media/palette"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/ground"
	"aftergust/internal/parts/gather"
	"aftergust/internal/parts/letterheads"
	"aftergust/internal/parts/show"
	"aftergust/internal/who/account"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func items(ids ...string) gather.Selection { return gather.Selection{Items: ids} }

// made is a showing of three films, and these.
func made(t *testing.T, h *apptest.House) (show.Showing, []gather.Item) {
	t.Helper()
	films := []gather.Item{h.File(h.Mara, "", "lifeboat.mov", "a"), h.File(h.Mara, "", "guide.wav", "b"), h.File(h.Mara, "", "harbour.jpg", "c")}
	s, err := h.Shows.New(t.Context(), h.Mara, " Films of the year ", items(films[0].ID, films[1].ID, films[2].ID))
	require.NoError(t, err)
	return s, films
}

func titles(t *testing.T, h *apptest.House, id string) (out []string) {
	t.Helper()
	_, pieces, err := h.Shows.Of(t.Context(), h.Mara, id)
	require.NoError(t, err)
	for _, p := range pieces {
		out = append(out, p.Called())
	}
	return out
}

func change(t *testing.T, h *apptest.House, m account.Member, id string, e show.Edit) string {
	t.Helper()
	_, err := h.Shows.Change(t.Context(), m, id, e)
	return apptest.Code(t, err)
}

func of[T any](v T) *T { return &v }

// token is the secret part of the link of a showing.
func token(h *apptest.House, s show.Showing) string {
	return ground.NewKeys(h.Host.Secrets, h.Host.BaseURL).LinkToken(s.LinkNonce)
}

func TestAShowingIsSeenByItsStudioUntilItIsOpen(t *testing.T) {
	h := apptest.Build(t, pg)
	s, _ := made(t, h)
	assert.Equal(t, "Films of the year", s.Title)
	enter := func(m *account.Member) string {
		_, err := h.Shows.Enter(t.Context(), token(h, s), m)
		return apptest.Code(t, err)
	}
	assert.Equal(t, "not_shown", enter(nil))
	assert.Equal(t, "not_shown", enter(&h.Odd))
	assert.Empty(t, enter(&h.Mara))
	assert.Empty(t, change(t, h, h.Mara, s.ID, show.Edit{Open: of(true)}))
	assert.Empty(t, enter(nil))
	assert.Empty(t, change(t, h, h.Mara, s.ID, show.Edit{Open: of(false)}))
	assert.Equal(t, "not_shown", enter(nil))
	require.NoError(t, h.Shows.Delete(t.Context(), h.Mara, s.ID))
	assert.Equal(t, "unknown_link", enter(&h.Mara))
	for _, link := range []string{"", "x", strings.Repeat("x", ground.LinkLength), "../../r", "lifeboat-films"} {
		_, err := h.Shows.Enter(t.Context(), link, nil)
		assert.Equal(t, "unknown_link", apptest.Code(t, err), link)
	}
	empty, err := h.Shows.New(t.Context(), h.Mara, "", gather.Selection{})
	require.NoError(t, err)
	assert.Equal(t, "nothing_shown", change(t, h, h.Mara, empty.ID, show.Edit{Open: of(true)}))
}

func TestAnotherStudioCanDoNothingWithAShowing(t *testing.T) {
	h := apptest.Build(t, pg)
	s, films := made(t, h)
	_, pieces, err := h.Shows.Of(t.Context(), h.Mara, s.ID)
	require.NoError(t, err)
	_, _, err = h.Shows.Of(t.Context(), h.Odd, s.ID)
	assert.Equal(t, "not_found", apptest.Code(t, err))
	assert.Equal(t, "not_found", change(t, h, h.Odd, s.ID, show.Edit{Open: of(true)}))
	theirs := h.File(h.Odd, "", "theirs.mov", "x")
	for name, err := range map[string]error{
		"add": h.Shows.Add(t.Context(), h.Odd, s.ID, items(theirs.ID)), "arrange": h.Shows.Arrange(t.Context(), h.Odd, s.ID, []string{pieces[2].ID}),
		"remove": h.Shows.Remove(t.Context(), h.Odd, s.ID, pieces[0].ID), "delete": h.Shows.Delete(t.Context(), h.Odd, s.ID),
	} {
		assert.Equal(t, "not_found", apptest.Code(t, err), name)
	}
	assert.Equal(t, "selection_changed", apptest.Code(t, h.Shows.Add(t.Context(), h.Mara, s.ID, items(theirs.ID))), "what belongs to others is not shown")
	_, err = h.Shows.New(t.Context(), h.Odd, "Stolen", items(films[0].ID))
	assert.Equal(t, "selection_changed", apptest.Code(t, err))
	list, err := h.Shows.List(t.Context(), h.Odd)
	require.NoError(t, err)
	assert.Empty(t, list)
	head, err := h.Heads.New(t.Context(), h.Odd, "Theirs")
	require.NoError(t, err)
	assert.Equal(t, "not_found", change(t, h, h.Mara, s.ID, show.Edit{Letterhead: of(head.ID)}))

	other, err := h.Shows.New(t.Context(), h.Odd, "Ours", items(theirs.ID))
	require.NoError(t, err)
	_, foreign, err := h.Shows.Of(t.Context(), h.Odd, other.ID)
	require.NoError(t, err)
	require.Empty(t, change(t, h, h.Mara, s.ID, show.Edit{Open: of(true)}))
	v, err := h.Shows.Enter(t.Context(), token(h, s), nil)
	require.NoError(t, err)
	_, err = h.Shows.Piece(t.Context(), v, foreign[0].ID)
	assert.Equal(t, "not_found", apptest.Code(t, err), "by the link of one showing nothing of another is seen")
	_, err = h.Shows.Piece(t.Context(), v, pieces[0].ID)
	require.NoError(t, err)
}

func TestPiecesStandInTheOrderThatTheyAreGiven(t *testing.T) {
	h := apptest.Build(t, pg)
	s, films := made(t, h)
	assert.Equal(t, []string{"lifeboat", "guide", "harbour"}, titles(t, h, s.ID))
	_, pieces, err := h.Shows.Of(t.Context(), h.Mara, s.ID)
	require.NoError(t, err)
	require.NoError(t, h.Shows.Arrange(t.Context(), h.Mara, s.ID, []string{pieces[2].ID, pieces[0].ID, "of no showing"}))
	assert.Equal(t, []string{"harbour", "lifeboat", "guide"}, titles(t, h, s.ID), "what is not named comes behind")
	require.NoError(t, h.Shows.Title(t.Context(), h.Mara, s.ID, pieces[1].ID, "  The guide\n"))
	assert.Equal(t, []string{"harbour", "lifeboat", "The guide"}, titles(t, h, s.ID))
	assert.Equal(t, "not_found", apptest.Code(t, h.Shows.Title(t.Context(), h.Mara, s.ID, "of no showing", "x")))
	assert.Equal(t, "not_found", apptest.Code(t, h.Shows.Title(t.Context(), h.Odd, s.ID, pieces[1].ID, "x")))
	require.NoError(t, h.Shows.Title(t.Context(), h.Mara, s.ID, pieces[1].ID, ""))
	more := h.File(h.Mara, "", "teaser.mov", "d")
	require.NoError(t, h.Shows.Add(t.Context(), h.Mara, s.ID, items(films[0].ID, more.ID)))
	assert.Equal(t, []string{"harbour", "lifeboat", "guide", "teaser"}, titles(t, h, s.ID), "what is there stays where it is")
	require.NoError(t, h.Shows.Remove(t.Context(), h.Mara, s.ID, pieces[0].ID))
	_, err = h.Chosen.Delete(t.Context(), h.Mara, items(more.ID))
	require.NoError(t, err)
	assert.Equal(t, []string{"harbour", "guide"}, titles(t, h, s.ID), "what was let go of is not shown")
	h.Again(h.Mara, films[1].ID, "guide-2.wav", "second")
	_, pieces, err = h.Shows.Of(t.Context(), h.Mara, s.ID)
	require.NoError(t, err)
	assert.Equal(t, 2, pieces[1].Number, "it shows the current version")
	var many []string
	for range showing.MostPieces {
		many = append(many, h.File(h.Mara, "", "x.mov", "x").ID)
	}
	assert.Equal(t, "too_many", apptest.Code(t, h.Shows.Add(t.Context(), h.Mara, s.ID, items(many...))))
	assert.Len(t, titles(t, h, s.ID), 2, "none of them was added")
}

func TestAShowingHasColoursASiteAndANameOfItsOwn(t *testing.T) {
	h := apptest.Build(t, pg)
	s, films := made(t, h)
	head, err := h.Heads.New(t.Context(), h.Mara, "By night")
	require.NoError(t, err)
	_, err = h.Heads.Change(t.Context(), h.Mara, head.ID, letterheads.Edit{Band: of("#112233")})
	require.NoError(t, err)
	assert.Empty(t, change(t, h, h.Mara, s.ID, show.Edit{Ground: of("#101010"), Accent: of("#301010"), Layout: of("stage"), Words: of(" Six films. "),
		Sites: of("kelpwick.example\n*.northmoor.example"), Name: of("Low Tide Films"), Title: of("Ebb")}))
	got, _, err := h.Shows.Of(t.Context(), h.Mara, s.ID)
	require.NoError(t, err)
	assert.Equal(t, []string{"Ebb", "Six films.", "#101010", "#301010", "stage", "low-tide-films", "https://kelpwick.example https://*.northmoor.example"},
		[]string{got.Title, got.Words, got.Ground, got.Accent, string(got.Layout), got.Name, strings.Join(got.Sites, " ")})
	look, _, own, err := h.Shows.Look(t.Context(), got)
	require.NoError(t, err)
	assert.True(t, own)
	assert.Equal(t, "#112233", look.Band.Hex())
	assert.GreaterOrEqual(t, palette.Contrast(look.Main, look.Ground), 4.5, "WCAG 2.2, 1.4.3: an accent too dark to see is lightened")
	assert.NotEmpty(t, look.Fixes)
	assert.Equal(t, "http://studio.example/s/low-tide-films", h.Shows.URL(got))
	for field, e := range map[string]show.Edit{"title": {Title: of(" ")}, "layout": {Layout: of("grid")}, "ground": {Ground: of("chalk")},
		"sites": {Sites: of("http://kelpwick.example")}, "name": {Name: of("x")}} {
		_, err := h.Shows.Change(t.Context(), h.Mara, s.ID, e)
		known := &ground.Error{}
		require.ErrorAs(t, err, &known, field)
		assert.Equal(t, field, known.At)
	}
	second, err := h.Shows.New(t.Context(), h.Mara, "Second", items(films[0].ID))
	require.NoError(t, err)
	assert.Equal(t, "invalid", change(t, h, h.Mara, second.ID, show.Edit{Name: of("low tide films")}), "it is taken")
	assert.Equal(t, "invalid", change(t, h, h.Mara, second.ID, show.Edit{Name: of(strings.Repeat("x", ground.LinkLength))}), "it looks like a secret")
	require.Empty(t, change(t, h, h.Mara, s.ID, show.Edit{Open: of(true)}))
	_, err = h.Shows.Enter(t.Context(), "Low-Tide-Films", nil)
	require.NoError(t, err)
	_, err = h.Shows.Enter(t.Context(), token(h, s), nil)
	require.NoError(t, err, "the secret link goes on beside the name")
	assert.Empty(t, change(t, h, h.Mara, s.ID, show.Edit{Ground: of(""), Accent: of(""), Name: of(""), Sites: of("")}))
	got, _, err = h.Shows.Of(t.Context(), h.Mara, s.ID)
	require.NoError(t, err)
	assert.Empty(t, got.Ground+got.Accent+got.Name+strings.Join(got.Sites, ""))
}

func TestOpeningsAreCountedAndNobodyMakesThemUp(t *testing.T) {
	h := apptest.Build(t, pg)
	s, _ := made(t, h)
	require.Empty(t, change(t, h, h.Mara, s.ID, show.Edit{Open: of(true)}))
	open := func(m *account.Member, host string, times int) {
		for range times {
			v, err := h.Shows.Enter(t.Context(), token(h, s), m)
			require.NoError(t, err)
			require.NoError(t, h.Shows.Opened(t.Context(), v, host))
		}
	}
	opened := func() int64 {
		got, _, err := h.Shows.Of(t.Context(), h.Mara, s.ID)
		require.NoError(t, err)
		return got.Opened
	}
	open(&h.Mara, "10.0.0.1", 3)
	assert.Equal(t, int64(0), opened(), "the studio itself does not count")
	open(nil, "10.0.0.1", 14)
	assert.Equal(t, int64(10), opened())
	open(nil, "10.0.0.2", 1)
	assert.Equal(t, int64(11), opened())
	h.Wait(16 * time.Minute)
	open(nil, "10.0.0.1", 1)
	assert.Equal(t, int64(12), opened())
}
