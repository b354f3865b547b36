package web

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"iter"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"aftergust/core/file/coverage"
	"aftergust/core/file/ziplayout"
	"aftergust/internal/ground/wire"

	"github.com/prometheus/client_golang/prometheus"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

const tag = `"abc"`

var modified = time.Date(2026, 11, 25, 10, 6, 0, 0, time.UTC)

// serve answers requests for content with deliver, and with http.ServeContent
// beside it; received collects the receipts.
func serve(t testing.TB, body []byte, received *coverage.Set) (ours, theirs *httptest.Server) {
	t.Helper()
	a := &Web{Config: Config{Log: slog.New(slog.DiscardHandler)}, meters: newMeters(prometheus.NewRegistry())}
	ours = httptest.NewUnstartedServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		a.deliver(w, r, &Content{Size: int64(len(body)), Etag: tag, Modified: modified, Mime: "application/octet-stream",
			Pieces: func(start, end int64) iter.Seq[ziplayout.Piece] { return OneFile(start, end) },
			Open: func(_ context.Context, _ int, offset int64) (io.ReadCloser, error) {
				return io.NopCloser(bytes.NewReader(body[offset:])), nil
			},
			Received: func(_ int, r coverage.Range) { *received = received.Add(r) },
		})
	}))
	ours.Config.ConnContext = wire.Context
	ours.Start()
	t.Cleanup(ours.Close)
	theirs = httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Etag", tag)
		w.Header().Set("Content-Type", "application/octet-stream")
		http.ServeContent(w, r, "", modified, bytes.NewReader(body))
	}))
	t.Cleanup(theirs.Close)
	return ours, theirs
}

func get(t require.TestingT, server *httptest.Server, method string, headers map[string]string) (*http.Response, []byte) {
	request, err := http.NewRequest(method, server.URL, nil)
	require.NoError(t, err)
	for name, value := range headers {
		request.Header.Set(name, value)
	}
	response, err := server.Client().Do(request)
	require.NoError(t, err)
	defer response.Body.Close()
	body, err := io.ReadAll(response.Body)
	require.NoError(t, err)
	return response, body
}

// Reference: http.ServeContent of Go's standard library (RFC 9110, sections 13 and 14). It also takes a range of a
// HEAD and believes a date in If-Range, which the RFC does not ask for and we do not do.
func TestRangesAreAnsweredAsTheStandardLibraryDoes(t *testing.T) {
	body := bytes.Repeat([]byte("0123456789"), 100)
	var received coverage.Set
	ours, theirs := serve(t, body, &received)
	rapid.Check(t, func(rt *rapid.T) {
		n := func(name string) int { return rapid.IntRange(0, 1100).Draw(rt, name) }
		header := map[string]string{}
		switch rapid.IntRange(0, 3).Draw(rt, "form") {
		case 0:
			first := n("first")
			header["Range"] = fmt.Sprintf("bytes=%d-%d", first, first+n("more"))
		case 1:
			header["Range"] = fmt.Sprintf("bytes=%d-", n("first"))
		case 2:
			header["Range"] = fmt.Sprintf("bytes=-%d", 1+n("suffix"))
		}
		header["If-Range"] = rapid.SampledFrom([]string{"", tag, `"other"`}).Draw(rt, "if-range")
		for _, name := range []string{"If-Match", "If-None-Match"} {
			header[name] = rapid.SampledFrom([]string{"", "", tag, "W/" + tag, "*", `"other"`, `"other", ` + tag}).Draw(rt, name)
		}
		for _, name := range []string{"If-Modified-Since", "If-Unmodified-Since"} {
			header[name] = rapid.SampledFrom([]string{"", "", modified.Format(http.TimeFormat), modified.Add(time.Second).Format(http.TimeFormat),
				modified.Add(-time.Second).Format(http.TimeFormat), "yesterday"}).Draw(rt, name)
		}
		method := http.MethodGet
		if header["Range"] == "" {
			method = rapid.SampledFrom([]string{http.MethodGet, http.MethodHead}).Draw(rt, "method")
		}
		a, bodyA := get(rt, ours, method, header)
		b, bodyB := get(rt, theirs, method, header)
		require.Equal(rt, b.StatusCode, a.StatusCode, "%v", header)
		require.Equal(rt, b.Header.Get("Content-Range"), a.Header.Get("Content-Range"), "%v", header)
		if a.StatusCode < 400 { // below that the words are ours
			require.Equal(rt, b.ContentLength, a.ContentLength, "%v", header)
			require.True(rt, bytes.Equal(bodyA, bodyB), "%v", header)
		}
	})
}

// Source: RFC 9110, sections 8.8.2.2, 13.1.5, 14.2.
func TestADateIsNoTagAndAHeadHasNoParts(t *testing.T) {
	var received coverage.Set
	ours, _ := serve(t, []byte("0123456789"), &received)
	whole, body := get(t, ours, http.MethodGet, map[string]string{"Range": "bytes=4-", "If-Range": modified.Format(http.TimeFormat)})
	assert.Equal(t, http.StatusOK, whole.StatusCode, "two versions may be of one second")
	assert.Equal(t, "0123456789", string(body))
	head, _ := get(t, ours, http.MethodHead, map[string]string{"Range": "bytes=4-"})
	assert.Equal(t, []any{http.StatusOK, int64(10)}, []any{head.StatusCode, head.ContentLength})
	changed, _ := get(t, ours, http.MethodGet, map[string]string{"If-Match": `"of before"`, "Range": "bytes=4-"})
	assert.Equal(t, http.StatusPreconditionFailed, changed.StatusCode)
	nothing, _ := serve(t, nil, &received)
	empty, _ := get(t, nothing, http.MethodGet, map[string]string{"Range": "bytes=0-"})
	assert.Equal(t, []any{http.StatusOK, int64(0)}, []any{empty.StatusCode, empty.ContentLength}, "of nothing, all of it")
}

func TestReceiptsAreExactlyTheBytesOfTheRanges(t *testing.T) {
	body := bytes.Repeat([]byte("x"), 3_000_000)
	for header, want := range map[string]string{
		"":                               "{[0,3000000)}",
		"bytes=10-19":                    "{[10,20)}",
		"bytes=0-0,-1":                   "{[0,1),[2999999,3000000)}",
		"bytes=100-199,50-120":           "{[50,200)}",
		"bytes=2000000-2999999,0-999999": "{[0,1000000),[2000000,3000000)}",
		"bytes=3000000-":                 "{}",
	} {
		var received coverage.Set
		ours, _ := serve(t, body, &received)
		_, _ = get(t, ours, http.MethodGet, map[string]string{"Range": header})
		ours.Close() // waits for the handler, and with it for the last acknowledgement
		assert.Equal(t, want, received.String(), header)
	}
	var received coverage.Set
	ours, _ := serve(t, body, &received)
	get(t, ours, http.MethodHead, nil)
	get(t, ours, http.MethodGet, map[string]string{"If-None-Match": tag})
	ours.Close()
	assert.True(t, received.Empty(), "asking for headers takes nothing")
}

func TestTooManyRangesGetTheWhole(t *testing.T) {
	body := bytes.Repeat([]byte("x"), 10_000)
	var received coverage.Set
	ours, _ := serve(t, body, &received)
	many := "bytes=" + strings.TrimSuffix(strings.Repeat("0-0,", maxRanges+1), ",")
	answer, got := get(t, ours, http.MethodGet, map[string]string{"Range": many})
	assert.Equal(t, http.StatusOK, answer.StatusCode)
	assert.Len(t, got, 10_000)
	overlapping, got := get(t, ours, http.MethodGet, map[string]string{"Range": "bytes=0-,0-,0-"})
	assert.Equal(t, http.StatusOK, overlapping.StatusCode, "nobody is sent more than the whole")
	assert.Len(t, got, 10_000)
}

func TestACutTicketEndsTheTransfer(t *testing.T) {
	body := bytes.Repeat([]byte("x"), 1_000_000)
	a := &Web{Config: Config{Log: slog.New(slog.DiscardHandler)}, meters: newMeters(prometheus.NewRegistry())}
	cut := &Ticket{}
	cut.cut.Store(true)
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		a.deliver(w, r, &Content{Size: int64(len(body)), Etag: tag, Mime: "application/octet-stream", Pieces: OneFile, Ticket: cut,
			Open: func(context.Context, int, int64) (io.ReadCloser, error) {
				return io.NopCloser(bytes.NewReader(body)), nil
			}})
	}))
	defer server.Close()
	response, err := http.Get(server.URL)
	if err == nil {
		defer response.Body.Close()
		_, err = io.ReadAll(response.Body)
	}
	assert.Error(t, err, "the reader learns that it did not get the whole")
}

// Source: RFC 9110, 5.3 (a list may come in several lines) and 13.1.2.
func TestTagsInSeveralLinesAreOneList(t *testing.T) {
	r := httptest.NewRequest(http.MethodGet, "/", nil)
	r.Header["If-None-Match"] = []string{`"other"`, `W/"x", "ours"`}
	assert.Equal(t, http.StatusNotModified, conditions(r, `"ours"`, time.Time{}))
	r.Header = http.Header{"If-Match": {`"other"`, `"ours"`}}
	assert.Zero(t, conditions(r, `"ours"`, time.Time{}))
	r.Header = http.Header{"If-Match": {`"other"`, `"another"`}}
	assert.Equal(t, http.StatusPreconditionFailed, conditions(r, `"ours"`, time.Time{}))
}
