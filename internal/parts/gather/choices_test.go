package gather_test

import (
	"fmt"
	"strings"
	"testing"

	"aftergust/core/file/find"
	"aftergust/core/file/thing"
	"aftergust/core/media/piece"
	"aftergust/core/media/preview"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/ground"
	"aftergust/internal/parts/gather"
	"aftergust/internal/parts/previews"
	"aftergust/internal/who/account"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// byHand are the names of a place in the order by hand.
func byHand(t *testing.T, h *apptest.House, place string) (names []string) {
	t.Helper()
	items, err := h.Things.Items(t.Context(), h.Mara, gather.ItemQuery{Place: place, Order: "hand", Limit: 100})
	require.NoError(t, err)
	for _, i := range items {
		names = append(names, i.Name)
	}
	return names
}

func TestThingsOfOnePlaceArePutInOrder(t *testing.T) {
	h := apptest.Build(t, pg)
	project, other := h.Project(h.Mara, "Kelpwick", "Lifeboat"), h.Project(h.Mara, "Brindlefen", "Stills")
	a, b, c := h.File(h.Mara, project.ID, "a.mov", "a"), h.File(h.Mara, project.ID, "b.mov", "b"), h.File(h.Mara, project.ID, "c.mov", "c")
	far, loose := h.File(h.Mara, other.ID, "far.mov", "far"), h.File(h.Mara, "", "loose.mov", "loose")
	order := func(before string, ids ...string) string {
		return apptest.Code(t, h.Chosen.Reorder(t.Context(), h.Mara, ids, before))
	}
	assert.Empty(t, order(a.ID, c.ID))
	assert.Equal(t, []string{"c.mov", "a.mov", "b.mov"}, byHand(t, h, project.ID))
	assert.Empty(t, order("", c.ID, a.ID))
	assert.Equal(t, []string{"b.mov", "c.mov", "a.mov"}, byHand(t, h, project.ID))
	assert.Empty(t, order(""), "nothing is put nowhere")
	assert.Equal(t, "other_place", order("", a.ID, far.ID))
	assert.Equal(t, "other_place", order("", loose.ID), "what lies in no place has no order")
	assert.Equal(t, []string{"b.mov", "c.mov", "a.mov"}, byHand(t, h, project.ID))
	assert.NotEmpty(t, b.ID)
}

func TestWhatIsChosenComesOnceWithItsFormatsAndFolders(t *testing.T) {
	h := apptest.Build(t, pg)
	project := h.Project(h.Mara, "Kelpwick", "Lifeboat")
	deep, err := h.Places.Folders(t.Context(), h.Mara.StudioID, project.ID, "Day 1//Cards/")
	require.NoError(t, err)
	require.NoError(t, h.Places.MakeFolders(t.Context(), h.Mara, project.ID, []string{"Day 1/Empty", "Nothing here"}))
	shot, raw, cut := h.File(h.Mara, deep, "shot.jpg", "jpg"), h.File(h.Mara, deep, "shot.dng", "dng"), h.File(h.Mara, project.ID, "cut.mov", "cut")
	require.NoError(t, h.Chosen.Join(t.Context(), h.Mara, shot.ID, []string{raw.ID}))
	all := gather.Selection{Items: []string{shot.ID}, Places: []string{project.ID}}
	chosen, err := h.Chosen.Chosen(t.Context(), h.Mara, all)
	require.NoError(t, err)
	paths := []string{}
	for _, c := range chosen {
		paths = append(paths, c.Path())
	}
	assert.Equal(t, []string{"shot.jpg", "shot.dng", "Lifeboat/cut.mov"}, paths, "what was named stands first and comes once")
	empty, err := h.Chosen.EmptyFolders(t.Context(), h.Mara, gather.Selection{Places: []string{project.ID}}, chosen[2:])
	require.NoError(t, err)
	assert.Contains(t, empty, "Lifeboat/Nothing here")
	none, err := h.Chosen.EmptyFolders(t.Context(), h.Mara, of(cut.ID), nil)
	require.NoError(t, err)
	assert.Empty(t, none)

	one, err := h.Chosen.Chosen(t.Context(), h.Mara, of(cut.ID))
	require.NoError(t, err)
	assert.Len(t, one, 1)
	assert.Equal(t, "selection_changed", choosing(t, h, h.Mara, of(cut.ID, "of nobody")))
	assert.Equal(t, "selection_changed", choosing(t, h, h.Odd, of(cut.ID)))
	assert.Equal(t, "selection_changed", choosing(t, h, h.Odd, gather.Selection{Places: []string{project.ID}}))
	assert.Empty(t, choosing(t, h, h.Mara, of(cut.ID, cut.ID)), "the same twice is once")
	_, err = h.Chosen.Delete(t.Context(), h.Mara, of(cut.ID))
	require.NoError(t, err)
	assert.Equal(t, "selection_changed", choosing(t, h, h.Mara, of(cut.ID)), "what was let go of is chosen no more")
}

func choosing(t *testing.T, h *apptest.House, m account.Member, sel gather.Selection) string {
	t.Helper()
	_, err := h.Chosen.Chosen(t.Context(), m, sel)
	return apptest.Code(t, err)
}

func TestASelectionAsAZIPIsCalledByItsFirstAndIsItsStudiosOwn(t *testing.T) {
	h := apptest.Build(t, pg)
	project := h.Project(h.Mara, "Kelpwick", "Lifeboat")
	folder, err := h.Places.Folders(t.Context(), h.Mara.StudioID, project.ID, "Day 1")
	require.NoError(t, err)
	cut, shot := h.File(h.Mara, project.ID, "cut.final.mov", "cut"), h.File(h.Mara, folder, "shot.jpg", "jpg")
	id, name, err := h.Chosen.Select(t.Context(), h.Mara, of(cut.ID))
	require.NoError(t, err)
	assert.Equal(t, "cut.final.zip", name)
	_, name, err = h.Chosen.Select(t.Context(), h.Mara, gather.Selection{Places: []string{folder}})
	require.NoError(t, err)
	assert.Equal(t, "Day 1.zip", name)
	_, _, err = h.Chosen.Select(t.Context(), h.Mara, gather.Selection{})
	assert.Equal(t, "nothing_chosen", apptest.Code(t, err))
	plan, err := h.Chosen.SelectedArchive(t.Context(), h.Mara, id)
	require.NoError(t, err)
	assert.Len(t, plan.IDs, 1)
	_, err = h.Chosen.SelectedArchive(t.Context(), h.Odd, id)
	assert.Equal(t, "not_found", apptest.Code(t, err))
	_, err = h.Chosen.SelectedArchive(t.Context(), h.Mara, "of nobody")
	assert.Equal(t, "not_found", apptest.Code(t, err))
	assert.NotEmpty(t, shot.ID)
}

func TestWhatIsLetGoOfIsCalledByItsFirstWithHowManyMore(t *testing.T) {
	h := apptest.Build(t, pg)
	project := h.Project(h.Mara, "Kelpwick", "Lifeboat")
	folder, err := h.Places.Folders(t.Context(), h.Mara.StudioID, project.ID, "Day 1")
	require.NoError(t, err)
	file := func(name string) string { return h.File(h.Mara, project.ID, name, name).ID }
	for want, sel := range map[string]gather.Selection{"one.mov": of(file("one.mov")), "two.mov and 1 more": of(file("two.mov"), file("three.mov")),
		"Day 1 and 2 more": {Items: []string{file("four.mov"), file("five.mov")}, Places: []string{folder}}} {
		d, err := h.Chosen.Delete(t.Context(), h.Mara, sel)
		require.NoError(t, err)
		got := []string{d.Name}
		if strings.HasPrefix(want, "two") { // either of the two may stand first
			got = []string{strings.Replace(d.Name, "three", "two", 1)}
		}
		assert.Equal(t, []string{want}, got)
	}
	_, err = h.Chosen.Delete(t.Context(), h.Mara, gather.Selection{})
	assert.Equal(t, "invalid", apptest.Code(t, err))
}

func TestFilesLieInProjectsAndPlacesAreNot(t *testing.T) {
	h := apptest.Build(t, pg)
	project := h.Project(h.Mara, "Kelpwick", "Lifeboat")
	client := project.ParentID
	film := h.File(h.Mara, project.ID, "cut.mov", "cut")
	assert.Equal(t, "needs_project", apptest.Code(t, h.Chosen.Move(t.Context(), h.Mara, of(film.ID), client)))
	assert.Equal(t, "needs_project", apptest.Code(t, h.Chosen.Copy(t.Context(), h.Mara, of(film.ID), client)))
	assert.Equal(t, "needs_project", apptest.Code(t, h.Places.MayHold(t.Context(), h.Mara, client, false)))
	require.NoError(t, h.Places.MayHold(t.Context(), h.Mara, client, true), "a folder becomes a project there")
	require.NoError(t, h.Places.MayHold(t.Context(), h.Mara, project.ID, false))
	assert.Equal(t, "not_found", apptest.Code(t, h.Places.MayHold(t.Context(), h.Odd, project.ID, false)))
	other := h.Project(h.Mara, "Brindlefen", "Glaze")
	require.NoError(t, h.Chosen.Move(t.Context(), h.Mara, gather.Selection{Places: []string{project.ID}}, other.ParentID), "a project may move to another client")

	// Names of places: the same again is the same place, in whatever letters; a twin is refused.
	about := strings.Repeat("ö", 200)
	_, err := h.Places.EditPlace(t.Context(), h.Mara, other.ID, nil, &about)
	require.NoError(t, err)
	about += "ö"
	_, err = h.Places.EditPlace(t.Context(), h.Mara, other.ID, nil, &about)
	assert.Equal(t, "invalid", apptest.Code(t, err))
	_, err = h.Places.EditPlace(t.Context(), h.Mara, other.ID, new("GLAZE"), nil)
	require.NoError(t, err, "its own name in other letters")
	_, err = h.Places.EditPlace(t.Context(), h.Mara, other.ID, new("Lifeboat"), nil)
	require.Error(t, err, "another project of this client is called so by now")
	long, err := h.Places.Folders(t.Context(), h.Mara.StudioID, other.ID, strings.Repeat("x", 300))
	require.NoError(t, err)
	at, err := h.Places.PlaceOf(t.Context(), h.Mara, long)
	require.NoError(t, err)
	assert.Len(t, []rune(at.Name), 120)
	assert.Equal(t, "not_found", apptest.Code(t, h.Places.MakeFolders(t.Context(), h.Odd, other.ID, []string{"Mine"})))
	none, err := h.Places.Folders(t.Context(), h.Mara.StudioID, "", "")
	require.NoError(t, err)
	assert.Empty(t, none)
}

func TestFormatsAreOfFilesAndOfOneThing(t *testing.T) {
	h := apptest.Build(t, pg)
	project := h.Project(h.Mara, "Kelpwick", "Lifeboat")
	a, b, c := h.File(h.Mara, project.ID, "a.mov", "a"), h.File(h.Mara, project.ID, "b.mov", "b"), h.File(h.Mara, project.ID, "c.mov", "c")
	sheet, err := h.Things.NewThing(t.Context(), h.Mara, project.ID, thing.Sheet, "Hand-off", piece.Data{Text: "x"})
	require.NoError(t, err)
	join := func(lead string, others ...string) string {
		return apptest.Code(t, h.Chosen.Join(t.Context(), h.Mara, lead, others))
	}
	assert.Equal(t, "not_a_file", join(a.ID, sheet.ID))
	assert.Equal(t, "not_a_file", join(sheet.ID, a.ID))
	assert.Empty(t, join(a.ID, b.ID))
	assert.Equal(t, "is_rendition", join(b.ID, c.ID))
	assert.Empty(t, join(c.ID, a.ID), "and its formats come along")
	all, err := h.Things.Renditions(t.Context(), c.ID)
	require.NoError(t, err)
	assert.Len(t, all, 2)
}

func TestAThingIsCalledTheSameInAllItsVersionsAndTheirLabelsAreTrimmed(t *testing.T) {
	h := apptest.Build(t, pg)
	project := h.Project(h.Mara, "Kelpwick", "Lifeboat")
	film := h.File(h.Mara, project.ID, "cut1.mov", "1")
	h.Again(h.Mara, film.ID, "cut2.mp4", "2")
	versions, err := h.Things.Versions(t.Context(), h.Mara, film.ID)
	require.NoError(t, err)
	first := versions[1].VersionID
	called := func() string {
		i, err := h.Things.Item(t.Context(), h.Mara, film.ID)
		require.NoError(t, err)
		return i.Name
	}
	assert.Equal(t, "cut1.mp4", called(), "but for the ending, which says what it opens in")
	require.NoError(t, h.Things.SetCurrent(t.Context(), h.Mara, first))
	assert.Equal(t, "cut1.mov", called())
	_, err = h.Things.Rename(t.Context(), h.Mara, film.ID, "The film.mov")
	require.NoError(t, err)
	require.NoError(t, h.Things.SetCurrent(t.Context(), h.Mara, versions[0].VersionID))
	assert.Equal(t, "The film.mp4", called(), "whoever named it keeps that name")
	require.NoError(t, h.Things.LabelVersion(t.Context(), h.Mara, first, "  for the museum "))
	v, err := h.Things.VersionOf(t.Context(), h.Mara, first)
	require.NoError(t, err)
	assert.Equal(t, "for the museum", v.Label)
	require.NoError(t, h.Things.LabelVersion(t.Context(), h.Mara, first, " "))
	v, err = h.Things.VersionOf(t.Context(), h.Mara, first)
	require.NoError(t, err)
	assert.Empty(t, v.Label)
	_, err = h.Things.Version(t.Context(), "of nobody")
	assert.Equal(t, "not_found", apptest.Code(t, err))
	// A name that only says what a sheet is called does not follow its file.
	sheet, err := h.Things.NewThing(t.Context(), h.Mara, project.ID, thing.Sheet, "Hand-off", piece.Data{Text: "x"})
	require.NoError(t, err)
	_, err = h.Things.EditThing(t.Context(), h.Mara, sheet.ID, piece.Data{Text: "y"})
	require.NoError(t, err)
	versions, err = h.Things.Versions(t.Context(), h.Mara, sheet.ID)
	require.NoError(t, err)
	require.NoError(t, h.Things.SetCurrent(t.Context(), h.Mara, versions[1].VersionID))
	sheet, err = h.Things.Item(t.Context(), h.Mara, sheet.ID)
	require.NoError(t, err)
	assert.Equal(t, "Hand-off", sheet.Name)
}

func TestTagsArePutOnWhatIsOwnedAndNoMoreThanThereIsRoomFor(t *testing.T) {
	h := apptest.Build(t, pg)
	a := h.File(h.Mara, h.Project(h.Mara, "Kelpwick", "Lifeboat").ID, "a.mov", "a")
	assert.Equal(t, "selection_changed", apptest.Code(t, h.Chosen.Tag(t.Context(), h.Odd, []string{a.ID}, []string{"mine"}, nil)))
	assert.Equal(t, "selection_changed", apptest.Code(t, h.Chosen.KeepAtHand(t.Context(), h.Odd, of(a.ID), true)))
	require.NoError(t, h.Chosen.KeepAtHand(t.Context(), h.Mara, of(a.ID, a.ID), true))
	at := func() bool {
		i, err := h.Things.Item(t.Context(), h.Mara, a.ID)
		require.NoError(t, err)
		return i.AtHandSince != nil
	}
	assert.True(t, at())
	require.NoError(t, h.Chosen.KeepAtHand(t.Context(), h.Mara, of(a.ID), false))
	assert.False(t, at())
	var many []string
	for i := range 200 {
		many = append(many, fmt.Sprintf("tag %d", i))
	}
	tidy := gather.TidyTags(append(many, many...))
	assert.Equal(t, tidy, gather.TidyTags(many), "each once")
	assert.Less(t, len(tidy), 200)
	assert.Equal(t, many[:len(tidy)], tidy)
}

// A film with these facts is found by them.
func TestAThingIsFoundByItsFacts(t *testing.T) {
	h := apptest.Build(t, pg)
	project := h.Project(h.Mara, "Kelpwick", "Lifeboat")
	film, bare := h.File(h.Mara, project.ID, "a.mov", "a"), h.File(h.Mara, project.ID, "b.mov", "b")
	facts := piece.Facts{SampleRate: 44100, BitDepth: 24, Width: 1920, Height: 1080, Channels: 6, LengthUS: 1}
	version, err := h.Things.Version(t.Context(), film.VersionID)
	require.NoError(t, err)
	blob := ground.NewID()
	_, _, _, err = h.Bytes.Put(t.Context(), blob, strings.NewReader("poster"))
	require.NoError(t, err)
	version.StudioID = h.Mara.StudioID
	require.NoError(t, h.Previews.Done(t.Context(), version, previews.Outcome{State: preview.Ready, Facts: &facts, Recipe: 1,
		Made: []previews.Derived{{ID: ground.NewID(), VersionID: film.VersionID, Purpose: preview.Poster, Recipe: 1, BlobID: blob, Mime: "image/jpeg", Size: 6}}}))
	finds := func(text string) (names []string) {
		items, err := h.Things.Items(t.Context(), h.Mara, gather.ItemQuery{Studio: h.Mara.StudioID, Under: "", Find: find.Parse(text), Order: "name", Limit: 10})
		require.NoError(t, err)
		for _, i := range items {
			names = append(names, i.Name)
		}
		return names
	}
	for _, text := range []string{"44.1k", "44.1khz", "44100", "24bit", "1920x1080", "1080p", "surround"} {
		assert.Equal(t, []string{"a.mov"}, finds(text), text)
	}
	for _, text := range []string{"0bit", "0x0", "0k", "mono", "stereo"} {
		assert.Empty(t, finds(text), text)
	}
	assert.NotEmpty(t, bare.ID)

	// It is recognised by sight, so the overview shows it; what has no picture it does not.
	pictures := func(parent string) (names []string) {
		looks, err := h.Places.Overview(t.Context(), h.Mara, parent)
		require.NoError(t, err)
		for _, l := range looks {
			for _, i := range l.Pictures {
				names = append(names, i.Name)
			}
		}
		return names
	}
	assert.Equal(t, []string{"a.mov"}, pictures(""))
}

// https:// was put before whatever was typed, also before what leads somewhere else.
func TestALinkLeadsWhereItSaysOrIsRefused(t *testing.T) {
	h := apptest.Build(t, pg)
	project := h.Project(h.Mara, "Kelpwick", "Lifeboat")
	for typed, want := range map[string]string{
		"kelpwick.example/replay": "https://kelpwick.example/replay", "http://kelpwick.example": "http://kelpwick.example",
		"HTTPS://kelpwick.example": "https://kelpwick.example", "kelpwick.example:8443/a": "https://kelpwick.example:8443/a",
		"localhost:8080": "https://localhost:8080", "tel:5550100": "", "mailto:hanne@kelpwick.example": "", "ftp://kelpwick.example": "",
		"javascript:alert(1)": "", "http:/kelpwick.example": "", "file:secret": "", "": "",
	} {
		made, err := h.Things.NewThing(t.Context(), h.Mara, project.ID, thing.Link, "A link", piece.Data{URL: typed})
		if want == "" {
			assert.Equal(t, "invalid", apptest.Code(t, err), typed)
			continue
		}
		require.NoError(t, err, typed)
		assert.Equal(t, want, made.Data.URL, typed)
	}
}
