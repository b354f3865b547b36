package app_test

import (
	"bytes"
	"crypto/sha256"
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"aftergust/internal/dev/apptest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// guestPage is what of a recipient page these tests look at.
type guestPage struct {
	Archive string
	Items   []struct {
		Version, Take, Have string
		Saying              string `json:"have_saying"`
	}
}

func pageOf(t *testing.T, s *apptest.Studio, who apptest.Person) (page guestPage) {
	t.Helper()
	require.NoError(t, s.Guest().Do(t.Context(), "GET", who.API(), nil, &page))
	return page
}

// thingOf is the thing in Gather behind the first item of a package.
func thingOf(t *testing.T, s *apptest.Studio, p apptest.Package) (id string) {
	t.Helper()
	require.NoError(t, s.App.Store.Pool().QueryRow(t.Context(), "select item_id from parcel_item where id = $1", p.Items[0].ID).Scan(&id))
	return id
}

// replace makes a file the next version of the first item of a package.
func replace(t *testing.T, s *apptest.Studio, p apptest.Package, file string) {
	t.Helper()
	before := s.Package(t, p.ID).Items[0].Version
	_, err := s.Owner.UploadAs(t.Context(), file, map[string]string{"package": p.ID, "filename": filepath.Base(file), "item": thingOf(t, s, p)})
	require.NoError(t, err)
	apptest.Eventually(t, "the new version is there", func() bool { return s.Package(t, p.ID).Items[0].Version != before })
}

// Clients that send no validator go on at a byte with whatever lies at the address:
// what was begun is finished as it was begun, in this process and in the next.
func TestAZIPThatWasBegunIsFinishedAsItWasBegun(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	first := apptest.File(t, "film.bin", 900_000)
	p, hanne := sent(t, s, first, apptest.File(t, "stills.bin", 500_000))
	begun := pageOf(t, s, hanne)
	zip := s.Base + begun.Archive
	original, file := filepath.Join(t.TempDir(), "whole.zip"), filepath.Join(t.TempDir(), "package.zip")
	curl(t, "-o", original, zip)
	curl(t, "-r", "0-699999", "-o", file, zip)
	half := filepath.Join(t.TempDir(), "film.bin")
	curl(t, "-r", "0-399999", "-o", half, s.Base+begun.Items[0].Take)

	replace(t, s, p, apptest.File(t, "film_v2.bin", 900_000))
	s.Halt(t)
	s.Resume(t) // what is kept in memory is gone
	curl(t, "--continue-at", "-", "-o", file, zip)
	want, err := os.ReadFile(original)
	require.NoError(t, err)
	got, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.True(t, bytes.Equal(want, got), "no byte of the new one in it")
	assert.Equal(t, []string{"film.bin", "stills.bin"}, accepted(t, file))
	curl(t, "--continue-at", "-", "-o", half, s.Base+begun.Items[0].Take)
	whole, err := os.ReadFile(half)
	require.NoError(t, err)
	content, err := os.ReadFile(first)
	require.NoError(t, err)
	assert.Equal(t, sha256.Sum256(content), sha256.Sum256(whole), "also a single file")

	now := pageOf(t, s, hanne)
	assert.NotEqual(t, begun.Archive, now.Archive, "the address names the state")
	assert.Equal(t, "older", now.Items[0].Have)
	assert.Equal(t, "newer than what you have", now.Items[0].Saying)
	curl(t, "-o", file, s.Base+now.Archive)
	assert.Contains(t, strings.Join(accepted(t, file), " "), "film_v2.bin")

	// A withdrawal cuts at once, also what was begun.
	s.Do(t, "DELETE", "/items/"+s.Package(t, p.ID).Items[1].ID, nil, nil)
	for _, address := range []string{begun.Archive, now.Archive} {
		answer := s.Get(t, address, "Range: bytes=1000-")
		assert.Equal(t, http.StatusGone, answer.StatusCode, address)
		assert.Equal(t, "zip_gone", answer.Problem())
	}
}

func TestAnAddressOfAZIPThatNobodyBeganLeadsToTheOneOfNow(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	p, hanne := sent(t, s, apptest.File(t, "film.bin", 9000))
	old := pageOf(t, s, hanne)
	replace(t, s, p, apptest.File(t, "film_v2.bin", 9000))
	s.Halt(t)
	s.Resume(t)
	stay := &http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	answer := s.Request(t, stay, http.MethodGet, old.Archive+"&only="+p.Items[0].ID, nil)
	require.Equal(t, http.StatusTemporaryRedirect, answer.StatusCode)
	led := answer.Header.Get("Location")
	assert.Contains(t, led, "only="+p.Items[0].ID, "what was chosen stays")
	assert.Equal(t, http.StatusOK, s.Get(t, led).StatusCode)
	for _, rev := range []string{"1", "999999", "-4", "x"} {
		answer := s.Get(t, "/r/"+hanne.Token()+"/zip/x.zip?as="+rev, "Range: bytes=100-")
		assert.Equal(t, http.StatusGone, answer.StatusCode, rev)
		assert.Equal(t, "zip_changed", answer.Problem(), "never bytes of another state")
	}
	// Of a single file only what this package gave before can be asked for.
	other, _ := sent(t, s, apptest.File(t, "other.bin", 8000))
	for what, version := range map[string]string{"another package's": other.Items[0].Version, "nobody's": "x"} {
		answer := s.Get(t, fmt.Sprintf("/r/%s/take/%s/film.bin?as=%s", hanne.Token(), p.Items[0].ID, version))
		assert.Equal(t, "version_gone", answer.Problem(), what)
	}
	assert.Equal(t, http.StatusOK, s.Get(t, old.Items[0].Take).StatusCode, "the one that was given before")
	draft := s.Pack(t, []string{apptest.File(t, "unsent.bin", 6000)}, map[string][]string{"hanne@kelpwick.example": lookNoteTake})
	before := draft.Items[0].Version
	replace(t, s, draft, apptest.File(t, "unsent_v2.bin", 6000))
	draft = s.Send(t, s.Package(t, draft.ID))
	answer = s.Get(t, fmt.Sprintf("/r/%s/take/%s/x?as=%s", draft.Recipients[0].Token(), draft.Items[0].ID, before))
	assert.Equal(t, "version_gone", answer.Problem(), "a version from before the package went out was never given")
}

// What a member looked at in a draft and then took out was never given to anybody.
func TestADraftThatWasLookedAtIsNoStateToFinish(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	p := s.Pack(t, []string{apptest.File(t, "sent.bin", 4000), apptest.File(t, "never sent.bin", 5000)}, map[string][]string{
		"hanne@kelpwick.example": lookNoteTake})
	hanne := p.Recipients[0]
	var rev int64
	require.NoError(t, s.App.Store.Pool().QueryRow(t.Context(), "select contents_rev from parcel where id = $1", p.ID).Scan(&rev))
	address := fmt.Sprintf("/r/%s/zip/x.zip?as=%d", hanne.Token(), rev)
	looked := s.Get(t, address, "Authorization: Bearer "+s.Owner.Token)
	require.Equal(t, http.StatusOK, looked.StatusCode)
	require.Len(t, zipNames(t, looked), 2)
	s.Do(t, "DELETE", "/items/"+p.Items[1].ID, nil, nil)
	s.Send(t, s.Package(t, p.ID))
	for range 2 {
		assert.Equal(t, []string{"sent.bin"}, zipNames(t, s.Get(t, address)), "it leads to what was sent")
		assert.Equal(t, "zip_changed", s.Get(t, address, "Range: bytes=10-").Problem())
		s.Halt(t)
		s.Resume(t)
	}
}

// What a member chose is frozen by the first who takes it.
func TestAChosenZIPOfAMemberStaysAsItWasBegun(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	p, _ := sent(t, s, apptest.File(t, "film.bin", 9000))
	var address struct{ Address string }
	s.Do(t, "POST", "/things/select", map[string]any{"items": []string{thingOf(t, s, p)}, "places": []string{}}, &address)
	token := "Authorization: Bearer " + s.Owner.Token
	first := s.Get(t, address.Address, token)
	require.Equal(t, http.StatusOK, first.StatusCode)
	replace(t, s, p, apptest.File(t, "film_v2.bin", 9000))
	s.Halt(t)
	s.Resume(t)
	again := s.Get(t, address.Address, token, "Range: bytes=100-")
	require.Equal(t, http.StatusPartialContent, again.StatusCode)
	assert.True(t, bytes.Equal(first.Body[100:], again.Body))
}

func TestFoldersWithNothingInThemGoAlong(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	place := func(parent, name string) string {
		var made struct{ ID string }
		s.Do(t, "POST", "/places", map[string]any{"name": name, "parent": parent}, &made)
		return made.ID
	}
	project := place(place("", "Kelpwick Harbour Museum"), "Lifeboat")
	place(place(project, "Stems"), "Dry")
	place(project, "Stills")
	_, err := s.Owner.UploadAs(t.Context(), apptest.File(t, "a.bin", 4000), map[string]string{"place": project, "folder": "Masters", "filename": "a.bin"})
	require.NoError(t, err)
	_, err = s.Owner.UploadAs(t.Context(), apptest.File(t, "b.bin", 0), map[string]string{"place": project, "folder": "Masters", "filename": "b.bin"})
	require.NoError(t, err)
	want := []string{"Lifeboat/Masters/a.bin", "Lifeboat/Masters/b.bin", "Lifeboat/Stems/Dry/", "Lifeboat/Stills/"}
	selection := map[string]any{"items": []string{}, "places": []string{project}}
	var address struct{ Address string }
	s.Do(t, "POST", "/things/select", selection, &address)
	for range 2 { // as it is made, and as it was written down
		assert.ElementsMatch(t, want, zipNames(t, s.Get(t, address.Address, "Authorization: Bearer "+s.Owner.Token)))
		s.Halt(t)
		s.Resume(t)
	}
	var p apptest.Package
	s.Do(t, "POST", "/things/pack", selection, &p)
	s.Do(t, "POST", "/packages/"+p.ID+"/recipients", map[string]any{"address": "hanne@kelpwick.example", "rights": lookNoteTake}, nil)
	p = s.Send(t, s.Package(t, p.ID))
	page := pageOf(t, s, p.Recipients[0])
	assert.ElementsMatch(t, want, zipNames(t, s.Get(t, page.Archive)))
	assert.Equal(t, "everything", row(t, s, p, p.Recipients[0]).Status, "a folder is nothing to have")
}
