package app_test

import (
	"io"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"aftergust/core/media/preview"
	"aftergust/internal/app"
	"aftergust/internal/dev/apptest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// watch opens the live stream of a link. ended gives what was said once it has ended.
func watch(t *testing.T, s *apptest.Studio, client *http.Client, who apptest.Person) (status int, ended <-chan string) {
	t.Helper()
	return listens(t, s, client, who.API()+"/live")
}

func listens(t *testing.T, s *apptest.Studio, client *http.Client, path string) (status int, ended <-chan string) {
	t.Helper()
	request, err := http.NewRequestWithContext(t.Context(), http.MethodGet, s.Base+path, nil)
	require.NoError(t, err)
	response, err := client.Do(request)
	require.NoError(t, err)
	said := make(chan string, 1)
	go func() {
		defer response.Body.Close()
		all, _ := io.ReadAll(response.Body) // ends with the stream
		said <- string(all)
	}()
	return response.StatusCode, said
}

// Somebody was let in and the door stayed shut on their phone, which looked at it from time to time.
func TestWhoeverStandsOutsideHearsOfItWhenTheyDoNoLonger(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	p := s.Pack(t, []string{apptest.File(t, "a.bin", 1000)}, map[string][]string{"hanne@kelpwick.example": lookNoteTake, "ivo@northmoor.example": lookNoteTake})
	s.Do(t, "PATCH", "/packages/"+p.ID, map[string]any{"door": "passphrase", "passphrase": "slow glaze harbour lamp"}, nil)
	p = s.Send(t, p)
	over := func(what string, ended <-chan string) {
		t.Helper()
		select {
		case all := <-ended:
			assert.Contains(t, all, "waybill", what)
		case <-time.After(soon):
			require.Fail(t, "the door stays shut", what)
		}
	}
	hanne, ivo := browser(t), browser(t)
	for i, client := range []*http.Client{hanne, ivo} { // each has a device
		s.Request(t, client, http.MethodPost, p.Recipients[i].API()+"/visit", strings.NewReader(`{"zone": ""}`), "Content-Type: application/json")
	}
	answer := s.Request(t, hanne, http.MethodPost, p.Recipients[0].API()+"/ask", strings.NewReader(`{"message": "please"}`), "Content-Type: application/json")
	require.Less(t, answer.StatusCode, 300, string(answer.Body))
	status, letIn := listens(t, s, hanne, p.Recipients[0].API()+"/outside")
	require.Equal(t, http.StatusOK, status)
	_, waits := listens(t, s, ivo, p.Recipients[1].API()+"/outside")
	var desk struct{ Needs []struct{ Knock string } }
	s.Do(t, "GET", "/desk", nil, &desk)
	require.NotEmpty(t, desk.Needs)
	s.Do(t, "POST", "/knocks/"+desk.Needs[0].Knock+"/answer", map[string]any{"let_in": true}, nil)
	over("let in", letIn)
	_, late := listens(t, s, hanne, p.Recipients[0].API()+"/outside")
	over("asked for after it", late)
	select {
	case all := <-waits:
		assert.Fail(t, "who waits on hears of what is about others", all)
	case <-time.After(500 * time.Millisecond):
	}
	s.Do(t, "PATCH", "/packages/"+p.ID, map[string]any{"door": "open"}, nil)
	over("another door", waits)
	assert.Equal(t, http.StatusNotFound, s.Get(t, "/api/v1/r/"+strings.Repeat("x", 22)+"/outside").StatusCode)
}

func TestALiveStreamEndsWithTheRightToSee(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	p := s.Send(t, s.Pack(t, []string{apptest.File(t, "a.bin", 1000)}, map[string][]string{"hanne@kelpwick.example": lookNoteTake,
		"ivo@northmoor.example": lookNoteTake}))
	ends := func(name string, said <-chan string) {
		t.Helper()
		select {
		case all := <-said:
			assert.Contains(t, all, "waybill", name)
		case <-time.After(30 * time.Second):
			require.Fail(t, "it goes on", name)
		}
	}
	hanne, ivo := p.Recipients[0], p.Recipients[1]
	client := browser(t)
	status, removed := watch(t, s, client, hanne)
	require.Equal(t, http.StatusOK, status)
	_, shut := watch(t, s, client, ivo)
	s.Do(t, "DELETE", "/recipients/"+hanne.ID, nil, nil)
	ends("removed", removed)
	status, _ = watch(t, s, client, hanne)
	assert.Equal(t, http.StatusGone, status)
	s.Do(t, "PATCH", "/packages/"+p.ID, map[string]any{"door": "passphrase", "passphrase": "slow glaze harbour lamp"}, nil)
	ends("door changed", shut)
	status, _ = watch(t, s, client, ivo)
	assert.Equal(t, http.StatusForbidden, status, "before a door")
	enter := func() string {
		answer := s.Request(t, client, http.MethodPost, ivo.API()+"/enter", strings.NewReader(`{"answer":"slow glaze harbour lamp"}`),
			"Content-Type: application/json")
		require.Equal(t, http.StatusNoContent, answer.StatusCode)
		return answer.Header.Get("Set-Cookie")
	}
	planted := s.Get(t, ivo.API()).Header.Get("Set-Cookie")
	fresh := enter()
	assert.Contains(t, fresh, "aftergust_device=")
	assert.NotEqual(t, planted, fresh)
	status, stopped := watch(t, s, client, ivo)
	require.Equal(t, http.StatusOK, status)
	s.Do(t, "POST", "/packages/"+p.ID+"/stop", nil, nil)
	ends("stopped", stopped)
	status, _ = watch(t, s, client, ivo)
	assert.Equal(t, http.StatusGone, status)
	assert.Equal(t, 1, s.Events(t, p.ID, "door_changed"))
}

func TestWhoeverMayOnlyLookReadsTheBeginningOfAText(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	text := strings.Repeat("The boat lies at the quay and the tide is out.\n", 100)
	file := filepath.Join(t.TempDir(), "story.txt")
	require.NoError(t, os.WriteFile(file, []byte(text), 0o600))
	p := s.Send(t, s.Pack(t, []string{file}, map[string][]string{"hanne@kelpwick.example": {"see"}, "ivo@northmoor.example": {"see", "take"}}))
	read := func(who apptest.Person) string {
		path := "/r/" + who.Token() + "/look/" + p.Items[0].ID + "/text"
		apptest.Eventually(t, "its preview", func() bool { return s.Get(t, path).StatusCode == http.StatusOK })
		return string(s.Get(t, path).Body)
	}
	looks, takes := p.Recipients[0], p.Recipients[1]
	if looks.Name != "hanne@kelpwick.example" && looks.Name != "hanne" && !strings.Contains(strings.ToLower(looks.Name), "hanne") {
		looks, takes = takes, looks
	}
	assert.Equal(t, text, read(takes))
	assert.Equal(t, preview.Excerpt(text), read(looks))
	part := s.Get(t, "/r/"+looks.Token()+"/look/"+p.Items[0].ID+"/text", "Range: bytes=10-19")
	assert.Equal(t, text[10:20], string(part.Body), "a range of it is one of what is shown")
	beyond := s.Get(t, "/r/"+looks.Token()+"/look/"+p.Items[0].ID+"/text", "Range: bytes=3000-")
	assert.Equal(t, http.StatusRequestedRangeNotSatisfiable, beyond.StatusCode)
}

func TestNotesGoWithTheItemThatIsWithdrawn(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	p := s.Send(t, s.Pack(t, []string{apptest.File(t, "a.bin", 1000), apptest.File(t, "b.bin", 1000)},
		map[string][]string{"hanne@kelpwick.example": lookNoteTake}))
	hanne, guest := p.Recipients[0], s.Guest()
	var note struct{ ID string }
	for _, item := range p.Items {
		require.NoError(t, guest.Do(t.Context(), "POST", hanne.API()+"/items/"+item.ID+"/notes",
			map[string]any{"anchor": map[string]any{}, "text": "About " + item.Name}, &note))
	}
	s.Do(t, "DELETE", "/items/"+p.Items[1].ID, nil, nil)
	var notes []struct{ Body string }
	require.NoError(t, guest.Do(t.Context(), "GET", hanne.API()+"/notes", nil, &notes))
	require.Len(t, notes, 1)
	assert.Equal(t, "About "+p.Items[0].Name, notes[0].Body)
	assert.ErrorContains(t, guest.Do(t.Context(), "POST", hanne.API()+"/notes/"+note.ID+"/answers", map[string]any{"text": "?"}, nil), "410")
	s.Do(t, "GET", "/packages/"+p.ID+"/notes", nil, &notes)
	assert.Len(t, notes, 2, "the studio's record keeps it")
}

func TestDamagedAddressesAndTextsAreRefusedInWords(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	p, hanne := sent(t, s, apptest.File(t, "a.bin", 1000))
	raw := func(method, path, body string) apptest.Answer {
		return s.Request(t, http.DefaultClient, method, path, strings.NewReader(body), "Authorization: Bearer "+s.Owner.Token,
			"Content-Type: application/json")
	}
	for _, path := range []string{"/r/%00", "/api/v1/packages/%00", "/api/v1/packages/%ff%fe", "/api/v1/packages?after=%00", hanne.API() + "%80",
		"/api/v1/gather?find=%c3%28", "/%ff", "/api/v1/things?x=%zz"} {
		assert.Equal(t, http.StatusBadRequest, raw(http.MethodGet, path, "").StatusCode, path)
	}
	for path, body := range map[string]string{
		"/api/v1/packages/" + p.ID: `{"title": "a\u0000b"}`,
		"/api/v1/places":           `{"name": "a\u0000b"}`,
	} {
		method := http.MethodPatch
		if path == "/api/v1/places" {
			method = http.MethodPost
		}
		answer := raw(method, path, body)
		assert.Less(t, answer.StatusCode, 500, "%s: %s", path, answer.Body)
	}
	for _, cursor := range []string{"nonsense", "MA", strings.Repeat("x", 300), "eyJwIjoxfQ"} {
		for _, path := range []string{"/api/v1/packages?after=", "/api/v1/packages/" + p.ID + "/items?after=", hanne.API() + "/items?after=",
			"/api/v1/packages/" + p.ID + "/story?before=", "/api/v1/gather?after="} {
			assert.Less(t, raw(http.MethodGet, path+cursor, "").StatusCode, 500, path+cursor)
		}
	}
	assert.Less(t, s.Get(t, "/r/"+hanne.Token()+"/look/"+p.Items[0].ID+"/page-99999999999").StatusCode, 500)
	assert.Less(t, s.Get(t, "/r/"+hanne.Token()+"/entry/"+p.Items[0].ID+"/99999999999/x").StatusCode, 500)
}

// Source: RFC 6797 (HSTS), RFC 6265bis (__Host-), the robots tag by common practice.
func TestAnswersSayWhoMayKeepAndFindThem(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg, func(c *app.Config) { c.BaseURL = "https://files.lowtide.example" })
	p, hanne := sent(t, s, apptest.File(t, "a.bin", 1000))
	for path, cache := range map[string]string{hanne.API(): "no-store", hanne.Path(p.Items[0]): "private, no-cache",
		"/r/" + hanne.Token() + "/zip/a.zip": "private, no-cache", "/api/v1/versions/" + p.Items[0].Version + "/original": "private, no-cache"} {
		answer := s.Request(t, http.DefaultClient, http.MethodGet, path, nil, "Authorization: Bearer "+s.Owner.Token)
		require.Equal(t, http.StatusOK, answer.StatusCode, path)
		assert.Equal(t, cache, answer.Header.Get("Cache-Control"), path)
		assert.Contains(t, answer.Header.Get("X-Robots-Tag"), "noindex", path)
		assert.Contains(t, answer.Header.Get("Strict-Transport-Security"), "max-age=31536000", path)
	}
	assert.Contains(t, s.Get(t, "/r/"+hanne.Token()).Header.Get("X-Robots-Tag"), "noindex", "the page itself")
	robots := s.Get(t, "/robots.txt") // RFC 9309
	assert.Equal(t, http.StatusOK, robots.StatusCode)
	assert.True(t, strings.HasPrefix(robots.Header.Get("Content-Type"), "text/plain"))
	assert.Contains(t, string(robots.Body), "User-agent: *\nDisallow: /\n")
	answer := signIn(t, s, browser(t), apptest.Password)
	for _, cookie := range answer.Cookies() {
		assert.True(t, strings.HasPrefix(cookie.Name, "__Host-aftergust_"), cookie.Name)
		assert.True(t, cookie.Secure && cookie.HttpOnly && cookie.Path == "/" && cookie.Domain == "", cookie.Name)
	}
	assert.Len(t, answer.Cookies(), 2)
	for _, header := range []string{"X-Forwarded-For: 1.2.3.4", "Via: 1.1 proxy", "X-Real-IP: 1.2.3.4", "Forwarded: for=1.2.3.4", "X-Forwarded-Proto: https"} {
		assert.Equal(t, http.StatusNotFound, s.Get(t, "/metrics", header).StatusCode, header)
	}
}

func TestAMissingDatabaseIsSaidInTrueWords(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	_, hanne := sent(t, s, apptest.File(t, "a.bin", 1000))
	s.App.Store.Close() // as if it were gone
	answer := s.Get(t, hanne.API())
	assert.Equal(t, http.StatusServiceUnavailable, answer.StatusCode)
	assert.Equal(t, "records_away", answer.Problem())
	assert.Equal(t, "15", answer.Header.Get("Retry-After"))
}
