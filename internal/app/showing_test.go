package app_test

import (
	"encoding/json"
	"io"
	"net/http"
	"net/url"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"aftergust/internal/app"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/files/blob"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

type showing struct {
	ID, Link, Embed string
	Items           []struct{ ID, Version, Title string }
}

// shown is a page with one still on it that is open.
func shown(t *testing.T, s *apptest.Studio, looks map[string]any) showing {
	t.Helper()
	picture := filepath.Join(t.TempDir(), "harbour.jpg")
	tool(t, "vips", "black", picture, "640", "360", "--bands", "3")
	p := s.Pack(t, []string{picture}, map[string][]string{"hanne@kelpwick.example": {"see"}})
	apptest.Eventually(t, "a picture of it is made", func() bool {
		var state string
		err := s.App.Store.Pool().QueryRow(t.Context(), "select media_state from version where id = $1", p.Items[0].Version).Scan(&state)
		return err == nil && state == "ready"
	})
	var item string
	require.NoError(t, s.App.Store.Pool().QueryRow(t.Context(), "select item_id from parcel_item where id = $1", p.Items[0].ID).Scan(&item))
	var made showing
	s.Do(t, "POST", "/showings", map[string]any{"title": "Harbour <at> night", "items": []string{item}}, &made)
	s.Do(t, "PATCH", "/showings/"+made.ID, looks, &made)
	return made
}

// ancestors is who may have a page within theirs, by its headers (CSP Level 3, 6.4.2).
func ancestors(t *testing.T, s *apptest.Studio, path string) string {
	t.Helper()
	answer := s.Get(t, path)
	assert.Empty(t, answer.Header.Get("X-Frame-Options"), "which would say something else")
	_, after, ok := strings.Cut(answer.Header.Get("Content-Security-Policy"), "frame-ancestors ")
	require.True(t, ok, path)
	return after
}

func TestAShowingMayStandWithinTheSitesThatAreNamedAndNothingElseMay(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	one := shown(t, s, map[string]any{"open": true, "sites": "kelpwick.example *.northmoor.example"})
	two := shown(t, s, map[string]any{"open": true})
	shut := shown(t, s, map[string]any{"open": false, "sites": "kelpwick.example"})
	path := func(sh showing) string { return strings.TrimPrefix(sh.Link, s.Config.BaseURL) }
	assert.Equal(t, "'self' https://kelpwick.example https://*.northmoor.example", ancestors(t, s, path(one)))
	assert.Equal(t, "'self'", ancestors(t, s, path(two)))
	assert.Equal(t, "'self'", ancestors(t, s, path(shut)), "what is not shown is shown nowhere")
	for _, other := range []string{"/", "/showings/" + one.ID, "/sign-in"} {
		assert.Equal(t, "'none'", ancestors(t, s, other), other)
	}
	page := s.Get(t, path(one))
	assert.Contains(t, string(page.Body), `<title>Harbour &lt;at&gt; night</title>`)
	assert.Contains(t, string(page.Body), `type="application/json+oembed"`)
	assert.Equal(t, 1, strings.Count(string(page.Body), "<title>"))
	assert.Contains(t, string(page.Body), `<img alt="" width="100%" src="/s/`, "also for a browser without scripts")
	assert.Equal(t, "noindex, nofollow, noarchive", page.Header.Get("X-Robots-Tag"))
	assert.Contains(t, one.Embed, `title="Harbour &lt;at&gt; night"`)
	assert.Empty(t, two.Embed)
}

// Source: oEmbed 1.0, sections 2.2 to 2.3.4 (from memory, not looked up).
func TestALinkOfAShowingSaysWhatItShows(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	one := shown(t, s, map[string]any{"open": true, "sites": "kelpwick.example", "name": "harbour-at-night"})
	two := shown(t, s, map[string]any{"open": true})
	shut := shown(t, s, map[string]any{})
	ask := func(link, more string) (e map[string]any, status int) {
		answer := s.Get(t, "/api/v1/oembed?url="+url.QueryEscape(link)+more)
		require.NoError(t, json.Unmarshal(answer.Body, &e))
		return e, answer.StatusCode
	}
	e, status := ask(one.Link, "&maxwidth=500&format=json")
	require.Equal(t, http.StatusOK, status)
	assert.Equal(t, []any{"1.0", "rich", "Harbour <at> night", "Low Tide Pictures", 500.0, 640.0},
		[]any{e["version"], e["type"], e["title"], e["author_name"], e["width"], e["height"]})
	assert.Contains(t, e["html"], `<iframe src="`+one.Link+`"`)
	assert.Contains(t, e["html"], `width="500"`)
	assert.NotContains(t, e, "thumbnail_url", "the picture is wider than was asked for (2.3.4.1)")
	e, _ = ask(one.Link, "")
	poster := s.Get(t, strings.TrimPrefix(e["thumbnail_url"].(string), s.Config.BaseURL))
	assert.Equal(t, "image/jpeg", poster.Header.Get("Content-Type"))
	e, _ = ask(two.Link, "")
	assert.Equal(t, "link", e["type"], "no site may have it, so there is nothing to paste")
	assert.NotContains(t, e, "html")
	for link, want := range map[string]int{shut.Link: http.StatusGone, s.Config.BaseURL + "/s/nowhere": http.StatusNotFound, "https://elsewhere.example/s/x": http.StatusNotFound,
		s.Config.BaseURL + "/r/" + strings.Repeat("x", 22): http.StatusNotFound, one.Link + "/look": http.StatusNotFound, "": http.StatusNotFound} {
		_, status := ask(link, "")
		assert.Equal(t, want, status, link)
	}
	_, status = ask(one.Link, "&format=xml")
	assert.Equal(t, http.StatusNotImplemented, status, "2.3.3")
	e, _ = ask(one.Link, "&maxwidth=100&maxheight=50")
	assert.Equal(t, "link", e["type"], "a frame for it would be larger than was asked for (2.3.4.4)")
	assert.NotContains(t, e, "thumbnail_url")
}

func TestNoOriginalLeavesByAShowing(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	one, other := shown(t, s, map[string]any{"open": true}), shown(t, s, map[string]any{})
	base := strings.TrimPrefix(one.Link, s.Config.BaseURL)
	piece := one.Items[0].ID
	assert.Equal(t, http.StatusOK, s.Get(t, base+"/look/"+piece+"/poster").StatusCode)
	for _, path := range []string{"/look/" + piece + "/original", "/look/" + piece + "/original.jpg", "/look/" + other.Items[0].ID + "/poster",
		"/look/" + one.Items[0].Version + "/poster"} {
		assert.Equal(t, http.StatusNotFound, s.Get(t, base+path).StatusCode, path)
	}
	for _, path := range []string{"/take/" + piece + "/x.jpg", "/zip/all.zip", "/sums.txt"} {
		answer := s.Get(t, base+path)
		assert.NotContains(t, answer.Header.Get("Content-Type"), "image", path)
		assert.NotContains(t, answer.Header.Get("Content-Type"), "zip", path)
	}
	assert.Equal(t, http.StatusGone, s.Get(t, strings.TrimPrefix(other.Link, s.Config.BaseURL)+"/look/"+other.Items[0].ID+"/poster").StatusCode)
	var page map[string]any
	require.NoError(t, json.Unmarshal(s.Get(t, "/api/v1"+base).Body, &page))
	text, err := json.Marshal(page)
	require.NoError(t, err)
	assert.NotContains(t, string(text), "/api/v1/versions/", "no address of a member's")
}

func TestWhatPlaysOnAShowingIsCutOnEveryProcessWhenItIsShownNoLonger(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	second := s.Config
	second.Addr = "127.0.0.1:0"
	there, err := app.Start(t.Context(), second)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, there.Stop(t.Context())) })
	one := shown(t, s, map[string]any{"open": true})
	// A proxy that does not fit between them and us.
	const size = 256 << 20
	disk, err := blob.OpenDisk(s.Config.Blobs)
	require.NoError(t, err)
	_, _, _, err = disk.Put(t.Context(), "longproxy", io.LimitReader(zeros{}, size))
	require.NoError(t, err)
	_, err = s.App.Store.Pool().Exec(t.Context(), `
		with b as (insert into blob (id, studio_id, size) select 'longproxy', studio_id, $2 from showing where id = $3 returning id)
		insert into derived (id, version_id, purpose, page, recipe, blob_id, mime, width, height) select 'longproxy', $1, 'proxy', 0, 1, id, 'video/mp4', 0, 0 from b`,
		one.Items[0].Version, size, one.ID)
	require.NoError(t, err)
	address := "http://" + there.Addr + strings.TrimPrefix(one.Link, s.Config.BaseURL) + "/look/" + one.Items[0].ID + "/proxy"
	answer, err := http.Get(address) //nolint:noctx // it ends with the test
	require.NoError(t, err)
	defer answer.Body.Close()
	require.Equal(t, http.StatusOK, answer.StatusCode)
	_, err = io.ReadFull(answer.Body, make([]byte, 1<<20))
	require.NoError(t, err)
	s.Do(t, "PATCH", "/showings/"+one.ID, map[string]any{"open": false}, nil)
	for closed := time.Now(); err == nil && time.Since(closed) < soon; time.Sleep(20 * time.Millisecond) {
		_, err = io.CopyN(io.Discard, answer.Body, 64<<10) // at this pace the whole of it takes more than a minute
	}
	require.Error(t, err, "it was cut")
}

type zeros struct{}

func (zeros) Read(p []byte) (int, error) {
	clear(p)
	return len(p), nil
}
