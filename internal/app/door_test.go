package app_test

import (
	"net/http"
	"regexp"
	"strings"
	"testing"
	"time"

	"aftergust/internal/dev/apptest"
	"aftergust/internal/dev/demo"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

type standing struct {
	Standing, Title, Say string
	Items                []apptest.Item
}

func stand(t *testing.T, guest *demo.Client, who apptest.Person) (page standing) {
	t.Helper()
	require.NoError(t, guest.Do(t.Context(), "GET", who.API(), nil, &page))
	return page
}

func TestAPassphraseIsAskedOncePerDeviceAndWrongOnesAreThrottled(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	p := s.Pack(t, []string{apptest.File(t, "a.bin", 1000)}, map[string][]string{"hanne@kelpwick.example": lookNoteTake})
	s.Do(t, "PATCH", "/packages/"+p.ID, map[string]any{"door": "passphrase", "passphrase": "slow glaze harbour lamp"}, nil)
	p = s.Send(t, p)
	hanne := p.Recipients[0]
	guest := s.Guest()
	page := stand(t, guest, hanne)
	assert.Equal(t, "need_passphrase", page.Standing)
	assert.Empty(t, page.Title, "a shut door does not tell what is behind it")
	assert.Empty(t, page.Items)
	assert.Equal(t, http.StatusForbidden, s.Get(t, hanne.Path(p.Items[0])).StatusCode)
	assert.Equal(t, http.StatusForbidden, s.Get(t, "/r/"+hanne.Token()+"/zip/x.zip").StatusCode)
	assert.NotContains(t, s.Letter(t, "hanne@kelpwick.example", "a").Text, "slow glaze", "the passphrase goes another way")

	require.NoError(t, guest.Do(t.Context(), "POST", hanne.API()+"/enter", map[string]any{"answer": "slow glaze harbour lamp"}, nil))
	assert.Empty(t, stand(t, guest, hanne).Standing)
	other := s.Guest()
	assert.Equal(t, "need_passphrase", stand(t, other, hanne).Standing, "each device answers for itself")

	for range 10 {
		assert.ErrorContains(t, other.Do(t.Context(), "POST", hanne.API()+"/enter", map[string]any{"answer": "guess"}, nil), "wrong_passphrase")
	}
	err := other.Do(t.Context(), "POST", hanne.API()+"/enter", map[string]any{"answer": "slow glaze harbour lamp"}, nil)
	assert.ErrorContains(t, err, "429", "also the right one waits now")
	assert.Contains(t, s.Letter(t, apptest.Email, "Many wrong tries").Text, "Hanne")
	assert.Equal(t, 1, s.Events(t, p.ID, "door_blocked"))
	assert.Empty(t, stand(t, guest, hanne).Standing, "whoever is in stays in")
}

func TestANamedDoorSendsACodeToTheMailOfANewDevice(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	p := s.Pack(t, []string{apptest.File(t, "a.bin", 1000)}, map[string][]string{"oda@northmoor.example": lookNoteTake})
	s.Do(t, "PATCH", "/packages/"+p.ID, map[string]any{"door": "named"}, nil)
	p = s.Send(t, p)
	oda := p.Recipients[0]
	guest := s.Guest()
	assert.Equal(t, "need_code", stand(t, guest, oda).Standing)
	require.NoError(t, guest.Do(t.Context(), "POST", oda.API()+"/code", nil, nil))
	// Source: NIST SP 800-63B: six digits, ten minutes.
	code := regexp.MustCompile(`\b\d{6}\b`).FindString(s.Letter(t, "oda@northmoor.example", "Your code").Text)
	require.Len(t, code, 6)
	thief := s.Guest()
	assert.ErrorContains(t, thief.Do(t.Context(), "POST", oda.API()+"/enter", map[string]any{"answer": code}, nil), "wrong_code",
		"the code is for the browser that asked")
	assert.ErrorContains(t, guest.Do(t.Context(), "POST", oda.API()+"/enter", map[string]any{"answer": "000000"}, nil), "wrong_code")
	require.NoError(t, guest.Do(t.Context(), "POST", oda.API()+"/enter", map[string]any{"answer": code[:3] + " " + code[3:]}, nil))
	assert.Empty(t, stand(t, guest, oda).Standing)

	late := s.Guest()
	require.NoError(t, late.Do(t.Context(), "POST", oda.API()+"/code", nil, nil))
	_, err := s.App.Store.Pool().Exec(t.Context(), "update door_code set expires_at = now() - interval '1 second' where used_at is null")
	require.NoError(t, err)
	apptest.Eventually(t, "a second code", func() bool { return len(s.Tray.Letters("oda@northmoor.example")) == 3 })
	again := regexp.MustCompile(`\b\d{6}\b`).FindString(s.Tray.Letters("oda@northmoor.example")[0].Text)
	assert.ErrorContains(t, late.Do(t.Context(), "POST", oda.API()+"/enter", map[string]any{"answer": again}, nil), "wrong_code")
}

func TestWithoutTakeNoOriginalByteLeaves(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	p := s.Send(t, s.Pack(t, []string{apptest.File(t, "a.bin", 1000)}, map[string][]string{"tomos@gethin.example": {"see", "note"}}))
	tomos := p.Recipients[0]
	for _, path := range []string{tomos.Path(p.Items[0]), "/r/" + tomos.Token() + "/zip/x.zip"} {
		answer := s.Get(t, path)
		assert.Equal(t, http.StatusForbidden, answer.StatusCode, path)
		assert.Equal(t, "no_right", answer.Problem())
	}
	assert.Equal(t, http.StatusNotFound, s.Get(t, "/r/"+tomos.Token()+"/look/"+p.Items[0].ID+"/original").StatusCode)
	assert.Equal(t, http.StatusUnauthorized, s.Get(t, "/api/v1/versions/"+p.Items[0].Version+"/original").StatusCode)
	other := s.Send(t, s.Pack(t, []string{apptest.File(t, "secret.bin", 1000)}, map[string][]string{"hanne@kelpwick.example": lookNoteTake}))
	assert.Equal(t, http.StatusNotFound, s.Get(t, other.Recipients[0].Path(p.Items[0])).StatusCode, "an item of another package")
	assert.Equal(t, http.StatusNotFound, s.Get(t, "/r/"+strings.Repeat("x", 22)+"/zip/x.zip").StatusCode, "a token that was never made")
	assert.Equal(t, http.StatusNotFound, s.Get(t, "/r/short/zip/x.zip").StatusCode)
}

func TestAfterTheEndNothingCanBeFetchedAndItCanBeAskedFor(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	p, hanne := sent(t, s, apptest.File(t, "a.bin", 1000))
	s.Do(t, "POST", "/packages/"+p.ID+"/stop", nil, nil)
	guest := s.Guest()
	page := stand(t, guest, hanne)
	assert.Equal(t, "stopped", page.Standing)
	assert.Contains(t, page.Say, "Nothing can be fetched")
	for _, path := range []string{hanne.Path(p.Items[0]), "/r/" + hanne.Token() + "/zip/x.zip", "/r/" + hanne.Token() + "/look/" +
		p.Items[0].ID + "/poster"} {
		assert.Equal(t, http.StatusGone, s.Get(t, path).StatusCode, path)
	}
	assert.ErrorContains(t, guest.Do(t.Context(), "GET", hanne.API()+"/notes", nil, nil), "410")
	client := &http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	moved := s.Request(t, client, http.MethodGet, hanne.Path(p.Items[0]), nil, "Accept: text/html")
	assert.Equal(t, "/r/"+hanne.Token(), moved.Header.Get("Location"), "a person is shown the page that says why")

	require.NoError(t, guest.Do(t.Context(), "POST", hanne.API()+"/ask", map[string]any{"message": "I still need the stills."}, nil))
	assert.Contains(t, s.Letter(t, apptest.Email, "asks for").Text, "I still need the stills.")
	var desk struct{ Needs []struct{ Kind string } }
	s.Do(t, "GET", "/desk", nil, &desk)
	require.Len(t, desk.Needs, 1)
	assert.Equal(t, "asked", desk.Needs[0].Kind)

	s.Do(t, "POST", "/packages/"+p.ID+"/extend", map[string]any{"kind": "after_days", "days": 3, "zone": "Europe/London"}, nil)
	assert.Equal(t, http.StatusOK, s.Get(t, hanne.Path(p.Items[0])).StatusCode, "the same link works again")
}

func TestAMemberSeesItAsTheRecipientAndNothingIsRecorded(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	p := s.Pack(t, []string{apptest.File(t, "a.bin", 1000)}, map[string][]string{"hanne@kelpwick.example": lookNoteTake})
	hanne := p.Recipients[0]
	assert.ErrorContains(t, s.Guest().Do(t.Context(), "GET", hanne.API()+"/notes", nil, nil), "404", "a draft is not there for anyone outside")
	var page struct {
		Standing string
		Preview  bool
	}
	s.Do(t, "GET", "/r/"+hanne.Token(), nil, &page)
	assert.True(t, page.Preview)
	assert.Empty(t, page.Standing)
	p = s.Send(t, p)
	s.Do(t, "POST", "/r/"+hanne.Token()+"/visit", map[string]any{"zone": "Europe/London"}, nil)
	_, err := s.Owner.Fetch(t.Context(), hanne.Path(p.Items[0]), "")
	require.NoError(t, err)
	assert.Equal(t, "not_opened", row(t, s, p, hanne).Status)
}

func TestSecurityOfEveryAnswer(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	page := s.Get(t, "/sign-in")
	policy := page.Header.Get("Content-Security-Policy")
	assert.Contains(t, policy, "script-src 'self'")
	assert.NotContains(t, strings.Split(policy, "style-src")[0], "unsafe-inline")
	assert.NotRegexp(t, `<script>`, string(page.Body), "no script inside the page")
	assert.Equal(t, "no-referrer", page.Header.Get("Referrer-Policy"), "a link is a secret and does not travel on")

	body := `{"email":"` + apptest.Email + `","password":"` + apptest.Password + `"}`
	foreign := s.Request(t, http.DefaultClient, http.MethodPost, "/api/v1/session", strings.NewReader(body), "Content-Type: application/json",
		"Origin: https://elsewhere.example", "Sec-Fetch-Site: cross-site")
	assert.Equal(t, http.StatusForbidden, foreign.StatusCode)
	in := s.Request(t, http.DefaultClient, http.MethodPost, "/api/v1/session", strings.NewReader(body), "Content-Type: application/json")
	require.Equal(t, http.StatusOK, in.StatusCode, string(in.Body))
	cookie := in.Header.Get("Set-Cookie")
	assert.Contains(t, cookie, "HttpOnly")
	assert.Contains(t, cookie, "SameSite=Lax")
	wrong := s.Request(t, http.DefaultClient, http.MethodPost, "/api/v1/session", strings.NewReader(strings.Replace(body, "noon", "moon", 1)),
		"Content-Type: application/json")
	assert.Equal(t, http.StatusForbidden, wrong.StatusCode)
	assert.Equal(t, "application/problem+json", wrong.Header.Get("Content-Type")) // RFC 9457
	assert.Equal(t, "wrong_sign_in", wrong.Problem())
	assert.Equal(t, http.StatusRequestEntityTooLarge, s.Request(t, http.DefaultClient, http.MethodPost, "/api/v1/session",
		strings.NewReader(`{"email":"`+strings.Repeat("a", 2<<20)), "Content-Type: application/json").StatusCode)
}

func TestTheDatabaseHoldsNoSecretThatOpensAnything(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	p := s.Send(t, s.Pack(t, []string{apptest.File(t, "a.bin", 1000)}, map[string][]string{"hanne@kelpwick.example": lookNoteTake}))
	s.Letter(t, "hanne@kelpwick.example", "a")
	var found int
	for _, secret := range []string{p.Recipients[0].Token(), s.Owner.Token, apptest.Password} {
		for _, table := range []string{"line", "way_in", "person", "card", "token", "member", "letter", "event", "river_job", "visit",
			"sessions"} {
			require.NoError(t, s.App.Store.Pool().QueryRow(t.Context(), "select count(*) from "+table+" x where x::text like '%' || $1 || '%'",
				secret).Scan(&found))
			assert.Zero(t, found, "a secret lies in %s", table)
		}
	}
}

func TestLettersWaitForTheMailServerAndGoByThemselves(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	address := strings.TrimPrefix(s.Tray.URL(), "smtp://")
	require.NoError(t, s.Tray.Close())
	p := s.Send(t, s.Pack(t, []string{apptest.File(t, "a.bin", 1000)}, map[string][]string{"hanne@kelpwick.example": lookNoteTake}))
	apptest.Eventually(t, "the package says that the letter waits", func() bool {
		letters := s.Package(t, p.ID).Letters
		return len(letters) == 1 && strings.Contains(letters[0].Problem, "tried again by itself")
	})
	assert.Equal(t, http.StatusOK, s.Get(t, p.Recipients[0].Path(p.Items[0])).StatusCode, "the link works meanwhile")
	restarted := restartTray(t, address)
	apptest.Eventually(t, "the letter arrives", func() bool { return len(restarted.Letters("hanne@kelpwick.example")) == 1 })
	apptest.Eventually(t, "the package says so", func() bool { return len(s.Package(t, p.ID).Letters) == 0 })
	assert.Equal(t, "sent", s.Package(t, p.ID).Recipients[0].Letter)
}

func TestAReminderGoesOnceAndOnlyToWhoIsOutstanding(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	p, hanne := sent(t, s, apptest.File(t, "a.bin", 1000))
	s.Do(t, "POST", "/recipients/"+hanne.ID+"/remind", nil, nil)
	assert.Contains(t, s.Letter(t, "hanne@kelpwick.example", "Still here").Text, "goes on where it stopped")
	assert.ErrorContains(t, s.Owner.Do(t.Context(), "POST", "/api/v1/recipients/"+hanne.ID+"/remind", nil, nil), "less than 12 hours ago")
	s.Do(t, "POST", "/packages/"+p.ID+"/stop", nil, nil)
	assert.ErrorContains(t, s.Owner.Do(t.Context(), "POST", "/api/v1/recipients/"+hanne.ID+"/remind", nil, nil), "409")
}

func TestTheDatabaseMayRestart(t *testing.T) {
	s := apptest.Start(t, pg)
	p, hanne := sent(t, s, apptest.File(t, "a.bin", 50_000))
	require.NoError(t, pg.Restart(t.Context()))
	apptest.Eventually(t, "it is ready again", func() bool { return s.Get(t, "/readyz").StatusCode == http.StatusOK })
	assert.Equal(t, http.StatusOK, s.Get(t, hanne.Path(p.Items[0])).StatusCode)
	assert.Equal(t, "everything", row(t, s, p, hanne).Status)
	// Announcements are heard again as well: a stop reaches a running download.
	big, other := sent(t, s, apptest.File(t, "big.bin", 30_000_000))
	ended := slowly(t, s, other.Path(big.Items[0]))
	time.Sleep(500 * time.Millisecond)
	s.Do(t, "POST", "/packages/"+big.ID+"/stop", nil, nil)
	assert.Less(t, <-ended, soon)
}

// Source: RFC 8058, section 3.2: a mail program posts to the address that the letter
// names, by itself and with nothing but the link; section 3.1: a person may follow it too.
func TestAReminderNamesItsLastOne(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	p, hanne := sent(t, s, apptest.File(t, "film.bin", 9000))
	s.Do(t, "POST", "/recipients/"+hanne.ID+"/remind", nil, nil)
	letter := s.Letter(t, "hanne@kelpwick.example", "Still here for you")
	quiet := "/r/" + hanne.Token() + "/quiet"
	assert.Contains(t, strings.Join(letter.Links, " "), quiet)
	page := s.Get(t, quiet, "Accept: text/html")
	assert.Equal(t, http.StatusOK, page.StatusCode)
	assert.Contains(t, page.Header.Get("Content-Type"), "text/html", "which asks before it does anything")
	assert.Zero(t, s.Events(t, p.ID, "quiet"))
	for range 2 {
		answer := s.Request(t, http.DefaultClient, http.MethodPost, quiet, strings.NewReader("List-Unsubscribe=One-Click"),
			"Content-Type: application/x-www-form-urlencoded")
		assert.Equal(t, http.StatusNoContent, answer.StatusCode)
	}
	assert.Equal(t, 1, s.Events(t, p.ID, "quiet"))
	_, err := s.App.Store.Pool().Exec(t.Context(), "update letter set created_at = now() - interval '1 day'")
	require.NoError(t, err)
	again := s.Request(t, http.DefaultClient, http.MethodPost, "/api/v1/recipients/"+hanne.ID+"/remind", nil, "Authorization: Bearer "+s.Owner.Token)
	assert.Equal(t, "quiet", again.Problem())
}
