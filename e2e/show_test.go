package e2e_test

import (
	"bytes"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"aftergust/e2e"
	"aftergust/internal/dev/apptest"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Finished work is chosen, put in order, coloured, shown, and stands within a site that
// was named and in no other: by hand, in a real browser, with axe-core on each screen.
func TestFinishedWorkIsShownAndStandsWithinASiteThatIsNamed(t *testing.T) {
	s := studio(t)
	var client, project struct{ ID string }
	s.Do(t, "POST", "/places", map[string]any{"name": "Kelpwick Harbour Museum"}, &client)
	s.Do(t, "POST", "/places", map[string]any{"name": "Films", "parent": client.ID}, &project)
	for _, name := range []string{"About the films", "Credits"} {
		var made struct{ ID string }
		s.Do(t, "POST", "/places/"+project.ID+"/things", map[string]any{"kind": "sheet", "name": name, "data": map[string]any{"text": "# " + name}}, &made)
	}
	marit := somebody(t, 1280, 900, false)
	marit.does(e2e.SignIn(s.Base, apptest.Email, apptest.Password), chromedp.Navigate(s.Base+"/gather?in="+project.ID))
	marit.sees("Credits")
	asks[bool](marit, `[...document.querySelectorAll('.row')].find(r => r.innerText.includes('About the films')).click(), true`)
	marit.does(marit.keys("w"))
	marit.sees("On a new page, called")
	marit.fill("On a new page, called", "Films of the year")
	marit.press("Make the page")
	marit.sees("Only your studio sees it.")
	marit.sees("How pieces stand")
	marit.isAccessible("a showing as its studio works on it")
	marit.press("Choose in Gather")
	marit.sees("For Films of the year")
	asks[bool](marit, `[...document.querySelectorAll('.row')].find(r => r.innerText.includes('Credits')).click(), true`)
	marit.press("Put in")
	marit.sees("Credits")
	marit.press("More about Credits")
	marit.press("To the beginning")
	apptest.Eventually(t, "Credits stand first", func() bool {
		return strings.Contains(asks[string](marit, `document.querySelector("[data-piece] .name").innerText`), "Credits")
	})
	marit.press("One large")
	marit.sees("the next plays by itself")
	marit.press("Show it to whoever has the link")
	marit.sees("Show it no longer")

	// Two other sites have it within a page; one of them was named.
	link := asks[string](marit, `document.querySelector('.state .address').innerText`)
	here := s.Base + strings.TrimPrefix(link, s.Config.BaseURL)
	other := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/html")
		_, _ = w.Write([]byte(`<title>Their site</title><p>Our films</p><iframe src="` + here + `" width="900" height="600"></iframe>`))
	}))
	t.Cleanup(other.Close)
	site := strings.Replace(other.URL, "127.0.0.1", "localhost", 1)
	guest := somebody(t, 1280, 800, false)
	guest.does(chromedp.Navigate(here))
	guest.sees("Films of the year")
	guest.sees("01")
	guest.isAccessible("a showing")
	guest.press("02")
	guest.sees("About the films")
	opened := func() (n int) {
		require.NoError(t, s.App.Store.Pool().QueryRow(t.Context(), "select opened from showing where open_since is not null").Scan(&n))
		return n
	}
	apptest.Eventually(t, "it was opened once", func() bool { return opened() == 1 })
	// A page that may not stand there runs nothing, so it says nothing; the next that is opened would come after it.
	guest.does(chromedp.Navigate(site))
	guest.sees("Our films")
	guest.does(chromedp.Navigate(here))
	guest.sees("Films of the year")
	apptest.Eventually(t, "it was opened twice", func() bool { return opened() >= 2 })
	assert.Equal(t, 2, opened(), "no site was named, so it did not stand within one")
	_, err := s.App.Store.Pool().Exec(t.Context(), "update showing set sites = array[$1]", site) // without https, which nobody can type
	require.NoError(t, err)
	guest.does(chromedp.Navigate(site))
	apptest.Eventually(t, "it stands within the site that was named", func() bool { return opened() == 3 })

	phone := somebody(t, 390, 844, true)
	phone.does(chromedp.Navigate(here))
	phone.sees("2 pieces")
	phone.isAccessible("a showing on a phone")
	marit.press("Show it no longer")
	marit.sees("Only your studio sees it.")
	phone.does(chromedp.Navigate(here))
	phone.sees("not shown at the moment")
	marit.does(chromedp.Navigate(s.Base + "/showings"))
	marit.sees("your studio only")
	marit.isAccessible("all showings")
}

// What a sheet asks for is ticked by a client and seen by the producer; then the proof of
// it is read, printed, and checked by somebody who has no account.
func TestTicksAreSeenAndTheProofIsCheckedByAStranger(t *testing.T) {
	s := studio(t)
	var client, project, sheet struct{ ID string }
	s.Do(t, "POST", "/places", map[string]any{"name": "Kelpwick Harbour Museum"}, &client)
	s.Do(t, "POST", "/places", map[string]any{"name": "Lifeboat", "parent": client.ID}, &project)
	s.Do(t, "POST", "/places/"+project.ID+"/things", map[string]any{"kind": "sheet", "name": "Hand-off",
		"data": map[string]any{"text": "- [ ] Send the logo\n- [ ] Name the narrator"}}, &sheet)
	var made struct{ ID string }
	s.Do(t, "POST", "/things/pack", map[string]any{"items": []string{sheet.ID}, "places": []string{}}, &made)
	s.Do(t, "POST", "/packages/"+made.ID+"/recipients", map[string]any{"address": "Hanne Orrick <hanne@kelpwick.example>", "rights": []string{"see", "take"}}, nil)
	p := s.Send(t, s.Package(t, made.ID))
	hanne := somebody(t, 390, 844, true)
	hanne.does(chromedp.Navigate(s.Base + "/r/" + p.Recipients[0].Token()))
	hanne.sees("2 of 2 still to do")
	asks[bool](hanne, `document.querySelector('input[aria-label="Send the logo"]').click(), true`)
	hanne.sees("1 of 2 still to do")
	hanne.isAccessible("a list to tick, on a phone")

	marit := somebody(t, 1280, 900, false)
	marit.does(e2e.SignIn(s.Base, apptest.Email, apptest.Password), chromedp.Navigate(s.Base+"/packages/"+p.ID+"?show=items"))
	marit.sees("Hanne Orrick ticked 1 of 2")
	marit.press("Proof")
	marit.sees("Hanne Orrick ticked “Send the logo” on Hand-off.md.")
	marit.sees("Save as PDF")
	marit.isAccessible("a proof of delivery")

	pdf := filepath.Join(t.TempDir(), "proof.pdf")
	answer := s.Get(t, "/api/v1/packages/"+p.ID+"/proof.pdf", "Authorization: Bearer "+s.Owner.Token)
	require.Equal(t, http.StatusOK, answer.StatusCode)
	require.NoError(t, os.WriteFile(pdf, answer.Body, 0o600))
	stranger := somebody(t, 1280, 900, false)
	stranger.does(chromedp.Navigate(s.Base + "/verify"))
	stranger.sees("Check a proof of delivery")
	stranger.isAccessible("where proofs are checked")
	stranger.does(chromedp.SetUploadFiles(css("input[type=file]"), []string{pdf}))
	stranger.sees("Whole and unchanged.")
	stranger.sees("Hanne Orrick ticked")
	stranger.isAccessible("a proof that is whole")
	forged := filepath.Join(t.TempDir(), "forged.json")
	sealed := s.Get(t, "/api/v1/packages/"+p.ID+"/proof.json", "Authorization: Bearer "+s.Owner.Token)
	require.NoError(t, os.WriteFile(forged, bytes.Replace(sealed.Body, []byte("Send the logo"), []byte("Pay the studio"), 1), 0o600))
	stranger.does(chromedp.SetUploadFiles(css("input[type=file]"), []string{forged}))
	stranger.sees("Do not trust forged.json")
}
