package app_test

import (
	"io"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"regexp"
	"strings"
	"testing"

	"aftergust/internal/dev/apptest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A reader is a browser without scripts.
type reader struct {
	t    *testing.T
	http *http.Client
	base string
}

func (r reader) page(answer *http.Response, err error) (int, string) {
	r.t.Helper()
	require.NoError(r.t, err)
	defer answer.Body.Close()
	text, err := io.ReadAll(answer.Body)
	require.NoError(r.t, err)
	return answer.StatusCode, string(text)
}

func (r reader) get(path string) (int, string) {
	r.t.Helper()
	return r.page(r.http.Get(r.base + path)) //nolint:noctx // a browser does no more
}

func (r reader) post(path string, fields ...string) (int, string) {
	r.t.Helper()
	form := url.Values{}
	for i := 0; i < len(fields); i += 2 {
		form.Set(fields[i], fields[i+1])
	}
	return r.page(r.http.PostForm(r.base+path, form)) //nolint:noctx // likewise
}

func withoutScripts(t *testing.T, s *apptest.Studio) reader {
	t.Helper()
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	return reader{t, &http.Client{Jar: jar}, s.Base}
}

func TestABrowserWithoutScriptsIsLedToAPageThatNeedsNone(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	p := s.Pack(t, []string{apptest.File(t, "a.bin", 5000), apptest.File(t, "b<i>.bin", 6000)}, map[string][]string{
		"hanne@kelpwick.example": {"see", "take"}, "tomos@gethin.example": {"see"}})
	s.Do(t, "PATCH", "/packages/"+p.ID, map[string]any{"title": "Lifeboat <b>cut</b> 4", "door": "passphrase", "passphrase": "slow glaze harbour lamp"}, nil)
	p = s.Send(t, p)
	hanne := withoutScripts(t, s)
	path := "/r/" + p.Recipients[0].Token()
	_, page := hanne.get(path)
	assert.Contains(t, page, `<noscript><meta http-equiv="refresh" content="0; url=?plain"></noscript>`)
	_, page = hanne.get(path + "?plain")
	assert.Contains(t, page, "Passphrase")
	assert.NotContains(t, page, "cut", "nothing of it shows before the door")
	status, page := hanne.post(path+"/plain", "do", "enter", "answer", "wrong")
	assert.Equal(t, http.StatusForbidden, status)
	assert.Contains(t, page, "This is not the passphrase.")
	status, page = hanne.post(path+"/plain", "do", "enter", "answer", "slow glaze harbour lamp")
	assert.Equal(t, http.StatusOK, status)
	assert.Contains(t, page, "Lifeboat &lt;b&gt;cut&lt;/b&gt; 4")
	assert.NotContains(t, page, "<script")
	links := regexp.MustCompile(`href="(/r/[^"]+/(?:take|zip)/[^"]+)"`).FindAllStringSubmatch(page, -1)
	require.Len(t, links, 3)
	for _, l := range links {
		status, _ := hanne.get(strings.ReplaceAll(l[1], "&amp;", "&"))
		assert.Equal(t, http.StatusOK, status, l[1])
	}
	_, page = withoutScripts(t, s).get(path + "?plain")
	assert.Contains(t, page, "Passphrase", "another browser is not in")

	tomos := withoutScripts(t, s)
	_, page = tomos.post("/r/"+p.Recipients[1].Token()+"/plain", "do", "enter", "answer", "slow glaze harbour lamp")
	assert.Contains(t, page, "a.bin")
	assert.NotContains(t, page, "/take/", "who may only look takes nothing")
	assert.NotContains(t, page, "/zip/")
}

func TestGuestBookAndAskingWorkWithoutScripts(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	p := s.Pack(t, []string{apptest.File(t, "a.bin", 5000)}, map[string][]string{"anyone": {"see", "take"}})
	s.Do(t, "PATCH", "/packages/"+p.ID, map[string]any{"door": "guest_book"}, nil)
	p = s.Send(t, p)
	tove := withoutScripts(t, s)
	path := "/r/" + p.Recipients[0].Token()
	status, page := tove.post(path+"/plain", "do", "sign", "name", "Tove Lind", "address", "no address")
	assert.Equal(t, http.StatusForbidden, status)
	assert.Contains(t, page, "is not a mail address")
	_, page = tove.post(path+"/plain", "do", "sign", "name", "Tove Lind", "address", "tove@northmoor.example")
	assert.Contains(t, page, "for you, Tove Lind")
	s.Do(t, "POST", "/packages/"+p.ID+"/stop", nil, nil)
	_, page = tove.post(path+"/plain", "do", "ask", "message", "One more day?")
	assert.Contains(t, page, "has been told")
	_, page = tove.get("/r/abcdefghijklmnopqrstuv?plain")
	assert.Contains(t, page, "This link leads nowhere")
}
