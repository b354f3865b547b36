package app_test

import (
	"bufio"
	"context"
	"net/http"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"aftergust/internal/dev/apptest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

type note struct {
	ID, Author, Body string
	Done, Studio     bool
	Place            struct {
		Frame int64
		Label string
	}
	Answers []note
}

// film is a short film at 29.97 drop-frame that begins five seconds before a minute.
func film(t *testing.T) string {
	t.Helper()
	file := filepath.Join(t.TempDir(), "cut.mov")
	out, err := exec.Command("ffmpeg", "-v", "error", "-nostdin", "-f", "lavfi", "-i", "testsrc2=rate=30000/1001:size=320x180", "-f", "lavfi",
		"-i", "sine=sample_rate=48000",
		"-t", "8", "-timecode", "00:00:55;00", "-c:v", "libx264", "-preset", "ultrafast", "-c:a", "aac", file).CombinedOutput()
	require.NoError(t, err, "%s", out)
	return file
}

func withMedia(t *testing.T, s *apptest.Studio, p apptest.Package) apptest.Package {
	t.Helper()
	apptest.Eventually(t, "previews are made", func() bool {
		p = s.Package(t, p.ID)
		for _, item := range p.Items {
			if item.MediaState == "waiting" || item.MediaState == "working" {
				return false
			}
		}
		return true
	})
	return p
}

func TestANoteCarriesItsFrameAndTimecode(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	p := s.Send(t, s.Pack(t, []string{film(t)}, map[string][]string{"hanne@kelpwick.example": {"see", "note"},
		"tomos@gethin.example": lookOnly}))
	p = withMedia(t, s, p)
	require.Equal(t, "ready", p.Items[0].MediaState)
	assert.Equal(t, "00:00:55;00", p.Items[0].Facts.StartLabel)
	hanne, tomos := person(p, "Hanne"), person(p, "Tomos")
	guest := s.Guest()
	write := func(at int64, text string) (n note, err error) {
		err = guest.Do(t.Context(), "POST", hanne.API()+"/items/"+p.Items[0].ID+"/notes",
			map[string]any{"anchor": map[string]any{"when": "moment", "at_us": at}, "text": text}, &n)
		return n, err
	}
	made, err := write(5_005_000, "The flag is on the wrong side.") // frame 150 begins at 150 × 1001/30000 s = 5.005 s
	require.NoError(t, err)
	assert.EqualValues(t, 150, made.Place.Frame)
	assert.Equal(t, "00:01:00;02", made.Place.Label, "SMPTE ST 12-1, from memory: the label after 00:00:59;29")
	for _, c := range []struct {
		at   int64
		text string
		want string
	}{{9_000_000, "late", "does not lie on this piece"}, {0, "   ", "Write what should change"}, {0, strings.Repeat("n", 4001),
		"A note has at most 4000 characters; this has 4001"}} {
		_, err := write(c.at, c.text)
		assert.ErrorContains(t, err, c.want)
	}
	err = s.Guest().Do(t.Context(), "POST", tomos.API()+"/items/"+p.Items[0].ID+"/notes", map[string]any{"anchor": map[string]any{},
		"text": "may I?"}, nil)
	assert.ErrorContains(t, err, "no_right")

	var answer note
	s.Do(t, "POST", "/notes/"+made.ID+"/answers", map[string]any{"text": "Mirrored."}, &answer)
	assert.ErrorContains(t, s.Owner.Do(t.Context(), "POST", "/api/v1/notes/"+answer.ID+"/answers", map[string]any{"text": "x"}, nil),
		"Answer the note itself")
	s.Do(t, "PUT", "/notes/"+made.ID+"/done", map[string]any{"done": true}, nil)
	var seen []note
	require.NoError(t, guest.Do(t.Context(), "GET", hanne.API()+"/notes", nil, &seen))
	require.Len(t, seen, 1)
	assert.True(t, seen[0].Done)
	require.Len(t, seen[0].Answers, 1)
	assert.Equal(t, "Marit Oyelaran", seen[0].Answers[0].Author)
	s.Do(t, "PUT", "/notes/"+made.ID+"/done", map[string]any{"done": false}, nil)
	var desk struct {
		Needs []struct{ Kind, Saying string }
	}
	s.Do(t, "GET", "/desk", nil, &desk)
	require.Len(t, desk.Needs, 1)
	assert.Equal(t, "1 open note", desk.Needs[0].Saying)
}

func TestWhatCannotBeReadIsStillDelivered(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	broken := apptest.File(t, "broken.jpg", 4000)
	whole, err := exec.Command("head", "-c", "20000", film(t)).Output()
	require.NoError(t, err)
	cut := filepath.Join(t.TempDir(), "truncated.mov")
	require.NoError(t, writeFile(cut, whole))
	p := s.Send(t, s.Pack(t, []string{broken, cut}, map[string][]string{"hanne@kelpwick.example": lookNoteTake}))
	p = withMedia(t, s, p)
	assert.Equal(t, "other", p.Items[0].What, "noise is no picture, whatever its name says")
	assert.Equal(t, "failed", p.Items[1].MediaState)
	for _, item := range p.Items {
		answer := s.Get(t, p.Recipients[0].Path(item))
		assert.Equal(t, http.StatusOK, answer.StatusCode)
		assert.EqualValues(t, item.Size, len(answer.Body))
	}
}

func TestANewVersionShowsWhoIsBehind(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	p, hanne := sent(t, s, apptest.File(t, "cut.bin", 10_000))
	zip := "/r/" + hanne.Token() + "/zip/x.zip"
	first := s.Get(t, zip)
	require.Equal(t, "everything", row(t, s, p, hanne).Status)
	var item string
	require.NoError(t, s.App.Store.Pool().QueryRow(t.Context(), "select item_id from parcel_item where id = $1", p.Items[0].ID).Scan(&item))
	_, err := s.Owner.BeginUpload(t.Context(), map[string]string{"package": p.ID, "filename": "cut_v2.bin", "item": "of another studio"}, 5)
	require.ErrorContains(t, err, "404")
	location, err := s.Owner.BeginUpload(t.Context(), map[string]string{"package": p.ID, "filename": "cut_v2.bin", "item": item}, 5)
	require.NoError(t, err)
	require.Equal(t, http.StatusNoContent, patch(t, s, location, 0, "v two").StatusCode)
	got := row(t, s, p, hanne)
	assert.Equal(t, "opened", got.Status)
	assert.Contains(t, got.Saying, "1 item is of an older version")
	resumed := s.Get(t, zip, "Range: bytes=100-", "If-Range: "+first.Header.Get("Etag"))
	assert.Equal(t, http.StatusOK, resumed.StatusCode, "a ZIP of the old version is not continued with bytes of the new")
	assert.Equal(t, "everything", row(t, s, p, hanne).Status)
}

func TestScreensHearOfChangesAtOnce(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	p, hanne := sent(t, s, apptest.File(t, "a.bin", 1000))
	listen := func(path, token string) <-chan string {
		ctx, cancel := context.WithCancel(t.Context())
		t.Cleanup(cancel)
		request, err := http.NewRequestWithContext(ctx, http.MethodGet, s.Base+path, nil)
		require.NoError(t, err)
		if token != "" {
			request.Header.Set("Authorization", "Bearer "+token)
		}
		response, err := http.DefaultClient.Do(request)
		require.NoError(t, err)
		require.Equal(t, "text/event-stream", response.Header.Get("Content-Type"))
		lines := make(chan string, 100)
		go func() {
			defer response.Body.Close()
			for scanner := bufio.NewScanner(response.Body); scanner.Scan(); {
				if data, ok := strings.CutPrefix(scanner.Text(), "data: "); ok {
					lines <- data
				}
			}
		}()
		return lines
	}
	const gather = `{"package":"","what":"gather"}`
	owner, guest := listen("/api/v1/live", s.Owner.Token), listen(hanne.API()+"/live", "")
	s.Do(t, "POST", "/packages/"+p.ID+"/stop", nil, nil)
	for name, lines := range map[string]<-chan string{"owner": owner, "guest": guest} {
		for heard := ""; !strings.Contains(heard, "waybill"); {
			select {
			case heard = <-lines: // also of letters and receipts, in their own time
				if name == "owner" && heard == gather {
					continue // the media work of what was packed ends when it ends
				}
				assert.Contains(t, heard, p.ID, name)
				assert.NotContains(t, heard, "studio", "no more than is needed")
			case <-time.After(time.Minute):
				t.Fatalf("%s hears nothing", name)
			}
		}
	}
	assert.Equal(t, http.StatusUnauthorized, s.Get(t, "/api/v1/live").StatusCode)
}

func TestTheListOfPackagesHasPages(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	for range 53 {
		s.Do(t, "POST", "/packages", nil, nil)
	}
	var page struct {
		Packages []struct{ ID string }
		Next     string
	}
	s.Do(t, "GET", "/packages", nil, &page)
	require.Len(t, page.Packages, 50)
	first := page.Packages[0].ID
	s.Do(t, "GET", "/packages?after="+page.Next, nil, &page)
	assert.Len(t, page.Packages, 3)
	assert.NotEqual(t, first, page.Packages[0].ID)
	assert.ErrorContains(t, s.Owner.Do(t.Context(), "GET", "/api/v1/packages?after=nonsense", nil, nil), "422")
	s.Do(t, "DELETE", "/packages/"+first, nil, nil)
	assert.ErrorContains(t, s.Owner.Do(t.Context(), "GET", "/api/v1/packages/"+first, nil, nil), "404")
}

func TestTheServiceIsWatched(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	assert.Equal(t, http.StatusOK, s.Get(t, "/healthz").StatusCode)
	assert.Equal(t, http.StatusOK, s.Get(t, "/readyz").StatusCode)
	metrics := s.Get(t, "/metrics")
	assert.Contains(t, string(metrics.Body), "aftergust_delivered_bytes_total")
	assert.Equal(t, http.StatusNotFound, s.Get(t, "/metrics", "X-Forwarded-For: 203.0.113.9").StatusCode)
	docs := s.Get(t, "/docs/api")
	assert.Contains(t, string(docs.Body), "/api/v1/packages/{id}/send")
	assert.NotContains(t, string(docs.Body), "<script", "the page of the API needs no script from anywhere")
	assert.Contains(t, string(s.Get(t, "/openapi.json").Body), `"openapi":"3.1.0"`)
}
