package gather_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"aftergust/core/file/thing"
	"aftergust/core/time/expiry"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/parts/gather"
	"aftergust/internal/who/account"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func of(items ...string) gather.Selection { return gather.Selection{Items: items} }

func TestNobodyOfAnotherStudioReachesAThing(t *testing.T) {
	h := apptest.Build(t, pg)
	project, theirs := h.Project(h.Mara, "Kelpwick", "Lifeboat"), h.Project(h.Odd, "Kelpwick", "Lifeboat")
	item, other := h.File(h.Mara, project.ID, "a.mov", "a"), h.File(h.Mara, project.ID, "b.mov", "b")
	h.Again(h.Mara, item.ID, "a.mov", "a2")
	gone := h.File(h.Mara, project.ID, "gone.mov", "gone")
	letGo, err := h.Chosen.Delete(t.Context(), h.Mara, of(gone.ID))
	require.NoError(t, err)
	zip, _, err := h.Chosen.Select(t.Context(), h.Mara, of(item.ID))
	require.NoError(t, err)
	versions, err := h.Things.Versions(t.Context(), h.Mara, item.ID)
	require.NoError(t, err)
	old := versions[1].VersionID
	lead, err := h.Things.Item(t.Context(), h.Mara, item.ID)
	require.NoError(t, err)
	refused := map[string]bool{"not_found": true, "selection_changed": true}
	for what, try := range map[string]func(m account.Member) error{
		"item": func(m account.Member) error { _, err := h.Things.Item(t.Context(), m, item.ID); return err },
		"rename": func(m account.Member) error {
			_, err := h.Things.Rename(t.Context(), m, item.ID, "mine.mov")
			return err
		},
		"versions":       func(m account.Member) error { _, err := h.Things.Versions(t.Context(), m, item.ID); return err },
		"version":        func(m account.Member) error { _, err := h.Things.VersionOf(t.Context(), m, old); return err },
		"make current":   func(m account.Member) error { return h.Things.SetCurrent(t.Context(), m, old) },
		"label":          func(m account.Member) error { return h.Things.LabelVersion(t.Context(), m, old, "mine") },
		"delete version": func(m account.Member) error { return h.Things.DeleteVersion(t.Context(), m, old, false) },
		"part":           func(m account.Member) error { return h.Things.Part(t.Context(), m, item.ID) },
		"place":          func(m account.Member) error { _, err := h.Places.PlaceOf(t.Context(), m, project.ID); return err },
		"inside":         func(m account.Member) error { _, err := h.Places.PlacesIn(t.Context(), m, project.ID); return err },
		"path":           func(m account.Member) error { _, err := h.Places.PathOf(t.Context(), m, project.ID); return err },
		"rename place": func(m account.Member) error {
			_, err := h.Places.EditPlace(t.Context(), m, project.ID, new("Mine"), nil)
			return err
		},
		"new place": func(m account.Member) error {
			_, err := h.Places.NewPlace(t.Context(), m, project.ID, "Mine")
			return err
		},
		"folders": func(m account.Member) error {
			return h.Places.MakeFolders(t.Context(), m, project.ID, []string{"mine"})
		},
		"hold":   func(m account.Member) error { return h.Places.MayHold(t.Context(), m, project.ID, true) },
		"offers": func(m account.Member) error { _, err := h.Places.Offers(t.Context(), m, project.ID, nil); return err },
		"move":   func(m account.Member) error { return h.Chosen.Move(t.Context(), m, of(item.ID), theirs.ID) },
		"move there": func(m account.Member) error {
			return h.Chosen.Move(t.Context(), m, of(h.File(m, "", "x", "x").ID), project.ID)
		},
		"copy":   func(m account.Member) error { return h.Chosen.Copy(t.Context(), m, of(item.ID), theirs.ID) },
		"delete": func(m account.Member) error { _, err := h.Chosen.Delete(t.Context(), m, of(item.ID)); return err },
		"delete place": func(m account.Member) error {
			_, err := h.Chosen.Delete(t.Context(), m, gather.Selection{Places: []string{project.ID}})
			return err
		},
		"restore":      func(m account.Member) error { return h.Chosen.Restore(t.Context(), m, letGo.ID) },
		"forget":       func(m account.Member) error { return h.Chosen.Forget(t.Context(), m, letGo.ID) },
		"join":         func(m account.Member) error { return h.Chosen.Join(t.Context(), m, item.ID, []string{other.ID}) },
		"order":        func(m account.Member) error { return h.Chosen.Reorder(t.Context(), m, []string{item.ID}, other.ID) },
		"keep at hand": func(m account.Member) error { return h.Chosen.KeepAtHand(t.Context(), m, of(item.ID), true) },
		"tag": func(m account.Member) error {
			return h.Chosen.Tag(t.Context(), m, []string{item.ID}, []string{"mine"}, nil)
		},
		"check":  func(m account.Member) error { _, err := h.Chosen.Preflight(t.Context(), m, of(item.ID)); return err },
		"zip":    func(m account.Member) error { _, _, err := h.Chosen.Select(t.Context(), m, of(item.ID)); return err },
		"zip of": func(m account.Member) error { _, err := h.Chosen.SelectedArchive(t.Context(), m, zip); return err },
	} {
		assert.True(t, refused[apptest.Code(t, try(h.Odd))], "%s: %v", what, try(h.Odd))
	}
	_, err = h.Things.Items(t.Context(), h.Odd, gather.ItemQuery{Place: project.ID, Order: "name", Limit: 10})
	assert.Equal(t, "not_found", apptest.Code(t, err))
	below, err := h.Things.Items(t.Context(), h.Odd, gather.ItemQuery{Under: project.Path, Order: "name", Limit: 10})
	require.NoError(t, err)
	assert.Empty(t, below)
	after, err := h.Things.Item(t.Context(), h.Mara, item.ID)
	require.NoError(t, err)
	assert.Equal(t, lead, after, "nothing of it was touched")
	// And no list of another studio holds any of it.
	near := gather.Selection{Items: []string{item.ID}, Places: []string{project.ID}}
	require.NoError(t, h.Chosen.KeepAtHand(t.Context(), h.Mara, near, true))
	tags, err := h.Things.Tags(t.Context(), h.Odd)
	require.NoError(t, err)
	assert.Empty(t, tags)
	places, err := h.Places.PlacesAtHand(t.Context(), h.Odd)
	require.NoError(t, err)
	assert.Empty(t, places)
	deleted, err := h.Chosen.LetGo(t.Context(), h.Odd)
	require.NoError(t, err)
	assert.Empty(t, deleted)
	all, err := h.Things.Items(t.Context(), h.Odd, gather.ItemQuery{Order: "name", Limit: 100})
	require.NoError(t, err)
	for _, i := range all {
		assert.Equal(t, "x", i.Name)
	}
}

func TestAThingKeepsItsNameWhateverItsNextVersionIsCalled(t *testing.T) {
	h := apptest.Build(t, pg)
	item := h.File(h.Mara, "", "cut.mov", "one")
	second := h.Again(h.Mara, item.ID, "cut final.mov", "two")
	assert.Equal(t, []any{"cut.mov", 2, int64(3)}, []any{second.Name, second.Number, second.Size})
	counted := h.File(h.Mara, "", "film.mov", "one")
	assert.Equal(t, "film_v2.mov", h.Again(h.Mara, counted.ID, "film_v2.mov", "two").Name, "but for the number in it")
	_, err := h.Things.Rename(t.Context(), h.Mara, item.ID, "Lifeboat")
	require.NoError(t, err)
	third := h.Again(h.Mara, item.ID, "cut final final.mov", "three")
	assert.Equal(t, "Lifeboat", strings.TrimSuffix(third.Name, ".mov"))
	all, err := h.Things.Versions(t.Context(), h.Mara, item.ID)
	require.NoError(t, err)
	require.Len(t, all, 3)
	assert.Equal(t, []int{3, 2, 1}, []int{all[0].Number, all[1].Number, all[2].Number}, "the newest first")

	require.NoError(t, h.Things.DeleteVersion(t.Context(), h.Mara, third.VersionID, false))
	now, err := h.Things.Item(t.Context(), h.Mara, item.ID)
	require.NoError(t, err)
	assert.Equal(t, second.VersionID, now.VersionID, "the newest that is left")
	assert.Equal(t, "deleted", apptest.Code(t, h.Things.SetCurrent(t.Context(), h.Mara, third.VersionID)))
	require.NoError(t, h.Things.DeleteVersion(t.Context(), h.Mara, third.VersionID, true))
	require.NoError(t, h.Things.SetCurrent(t.Context(), h.Mara, third.VersionID))
	fourth := h.Again(h.Mara, item.ID, "d.mov", "four")
	assert.Equal(t, 4, fourth.Number, "no number comes twice")
	for _, v := range []string{fourth.VersionID, third.VersionID, second.VersionID} {
		require.NoError(t, h.Things.DeleteVersion(t.Context(), h.Mara, v, false))
	}
	assert.Equal(t, "only_version", apptest.Code(t, h.Things.DeleteVersion(t.Context(), h.Mara, item.VersionID, false)))
	now, err = h.Things.Item(t.Context(), h.Mara, item.ID)
	require.NoError(t, err)
	assert.Equal(t, item.VersionID, now.VersionID)
}

func TestWhatWasLetGoIsKeptForThirtyDays(t *testing.T) {
	h := apptest.Build(t, pg)
	project := h.Project(h.Mara, "Kelpwick", "Lifeboat")
	item := h.File(h.Mara, project.ID, "a.mov", "0123456789")
	_, err := h.Chosen.Delete(t.Context(), h.Mara, gather.Selection{})
	assert.Equal(t, "invalid", apptest.Code(t, err))
	gone, err := h.Chosen.Delete(t.Context(), h.Mara, of(item.ID, h.File(h.Mara, project.ID, "b.mov", "b").ID))
	require.NoError(t, err)
	assert.Contains(t, gone.Name, " and 1 more")
	assert.Equal(t, h.Now().Add(expiry.LetGoHold), gone.Until)
	assert.Equal(t, "selection_changed", apptest.Code(t, h.Chosen.KeepAtHand(t.Context(), h.Mara, of(item.ID), true)))
	letGo := func() int {
		all, err := h.Chosen.LetGo(t.Context(), h.Mara)
		require.NoError(t, err)
		return len(all)
	}
	h.Wait(expiry.LetGoHold - time.Second)
	assert.Equal(t, 1, letGo())
	h.Wait(2 * time.Second)
	assert.Equal(t, 0, letGo())

	whole, err := h.Chosen.Delete(t.Context(), h.Mara, gather.Selection{Places: []string{project.ID}})
	require.NoError(t, err)
	above, err := h.Chosen.Delete(t.Context(), h.Mara, gather.Selection{Places: []string{project.ParentID}})
	require.NoError(t, err)
	assert.Equal(t, "parent_let_go", apptest.Code(t, h.Chosen.Restore(t.Context(), h.Mara, whole.ID)))
	require.NoError(t, h.Chosen.Restore(t.Context(), h.Mara, above.ID))
	require.NoError(t, h.Chosen.Restore(t.Context(), h.Mara, whole.ID))
	_, err = h.Places.PlaceOf(t.Context(), h.Mara, project.ID)
	require.NoError(t, err)
}

func TestNamesOfPlaces(t *testing.T) {
	h := apptest.Build(t, pg)
	client := h.Project(h.Mara, "Kelpwick", "Lifeboat").ParentID
	make := func(name string) string {
		_, err := h.Places.NewPlace(t.Context(), h.Mara, client, name)
		return apptest.Code(t, err)
	}
	for name, want := range map[string]string{"": "invalid", " ": "invalid", "a/b": "invalid", `a\b`: "invalid", "LIFEBOAT": "name_taken",
		strings.Repeat("ö", 120): "", strings.Repeat("ä", 121): "invalid"} {
		assert.Equal(t, want, make(name), name)
	}
	assert.Equal(t, "needs_project", apptest.Code(t, h.Places.MayHold(t.Context(), h.Mara, client, false)))
	assert.Empty(t, apptest.Code(t, h.Places.MayHold(t.Context(), h.Mara, client, true)), "a folder becomes a project")
	deep, err := h.Places.Folders(t.Context(), h.Mara.StudioID, client, strings.Repeat("d/", 39))
	require.NoError(t, err)
	_, err = h.Places.NewPlace(t.Context(), h.Mara, deep, "one too many")
	assert.Equal(t, "too_deep", apptest.Code(t, err))
	again, err := h.Places.Folders(t.Context(), h.Mara.StudioID, client, strings.Repeat("d/", 39))
	require.NoError(t, err)
	assert.Equal(t, deep, again, "folders that are there stay")
}

func TestTagsAreTidiedAndGivenToManyAtOnce(t *testing.T) {
	h := apptest.Build(t, pg)
	var ids []string
	for i := range 5 {
		ids = append(ids, h.File(h.Mara, "", fmt.Sprint(i, ".mov"), fmt.Sprint(i)).ID)
	}
	require.NoError(t, h.Chosen.Tag(t.Context(), h.Mara, ids, []string{" Night ", "night", "sea"}, nil))
	require.NoError(t, h.Chosen.Tag(t.Context(), h.Mara, ids[:2], nil, []string{"sea"}))
	tags, err := h.Things.Tags(t.Context(), h.Mara)
	require.NoError(t, err)
	counts := map[string]int64{}
	for _, c := range tags {
		counts[strings.ToLower(c.Name)] = c.Count
	}
	assert.Equal(t, map[string]int64{"night": 5, "sea": 3}, counts)
	found, err := h.Things.Items(t.Context(), h.Mara, gather.ItemQuery{Tag: "sea", Order: "name", Limit: 100})
	require.NoError(t, err)
	assert.Len(t, found, 3)
	assert.Equal(t, thing.File, found[0].Kind)
}
