package app_test

import (
	"archive/zip"
	"bufio"
	"bytes"
	"context"
	"crypto/sha256"
	"fmt"
	"io"
	"mime"
	"mime/multipart"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"aftergust/core/file/coverage"
	"aftergust/internal/dev/apptest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// accepted runs unzip -t and 7z t over an archive and returns the names in it.
func accepted(t *testing.T, file string) []string {
	t.Helper()
	for _, command := range [][]string{{"unzip", "-tqq", file}, {"7z", "t", "-bd", file}} {
		out, err := exec.Command(command[0], command[1:]...).CombinedOutput()
		require.NoError(t, err, "%v: %s", command, out)
	}
	reader, err := zip.OpenReader(file)
	require.NoError(t, err)
	defer reader.Close()
	var names []string
	for _, f := range reader.File {
		names = append(names, f.Name)
	}
	return names
}

func curl(t *testing.T, args ...string) {
	t.Helper()
	out, err := exec.Command("curl", append([]string{"-sS", "--fail"}, args...)...).CombinedOutput()
	require.NoError(t, err, "curl %v: %s", args, out)
}

func sent(t *testing.T, s *apptest.Studio, files ...string) (apptest.Package, apptest.Person) {
	t.Helper()
	p := s.Send(t, s.Pack(t, files, map[string][]string{"hanne@kelpwick.example": lookNoteTake}))
	return p, p.Recipients[0]
}

// Reference program: curl, resuming with --continue-at.
func TestCurlTakesAZIPInThreePiecesAndTheLedgerSaysCompleteOnceAndNotEarlier(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	files := []string{apptest.File(t, "a.bin", 700_000), apptest.File(t, "b.bin", 0), apptest.File(t, "c.bin", 1_300_000)}
	p, hanne := sent(t, s, files...)
	url := s.Base + "/r/" + hanne.Token() + "/zip/package.zip"
	whole := s.Request(t, http.DefaultClient, http.MethodHead, "/r/"+hanne.Token()+"/zip/package.zip", nil)
	length := whole.ContentLength
	require.Greater(t, length, int64(2_000_000))
	assert.Equal(t, "bytes", whole.Header.Get("Accept-Ranges"))

	file := filepath.Join(t.TempDir(), "package.zip")
	one, two := length/3, length-1000
	curl(t, "-r", fmt.Sprintf("0-%d", one-1), "-o", file, url)
	assert.Equal(t, "partly", row(t, s, p, hanne).Status)
	second := filepath.Join(t.TempDir(), "second")
	curl(t, "-r", fmt.Sprintf("%d-%d", one, two-1), "-o", second, url)
	appendTo(t, file, second)
	got := row(t, s, p, hanne)
	assert.Equal(t, "partly", got.Status, "the last bytes of c.bin are missing")
	assert.True(t, got.Cells[0].Complete)
	assert.False(t, got.Cells[2].Complete)
	curl(t, "--continue-at", "-", "-o", file, url)
	assert.Equal(t, "everything", row(t, s, p, hanne).Status)
	assert.Equal(t, []string{"a.bin", "b.bin", "c.bin"}, accepted(t, file))
	assert.Equal(t, 3, s.Events(t, p.ID, "took"), "each item once")

	curl(t, "-o", os.DevNull, url)
	row(t, s, p, hanne)
	assert.Equal(t, 3, s.Events(t, p.ID, "took"), "taking it again adds nothing")
}

func appendTo(t *testing.T, file, more string) {
	t.Helper()
	f, err := os.OpenFile(file, os.O_APPEND|os.O_WRONLY, 0)
	require.NoError(t, err)
	defer f.Close()
	content, err := os.ReadFile(more)
	require.NoError(t, err)
	_, err = f.Write(content)
	require.NoError(t, err)
}

func TestFourParallelRangesAreOneWhole(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	file := apptest.File(t, "film.bin", 4_000_003)
	p, hanne := sent(t, s, file)
	url := s.Base + hanne.Path(p.Items[0])
	dir := t.TempDir()
	var wait sync.WaitGroup
	size := int64(4_000_003)
	part := func(i int64) string { return fmt.Sprintf("%d-%d", i*size/4, (i+1)*size/4-1) }
	for i := range int64(4) {
		wait.Go(func() {
			if i != 2 {
				curl(t, "-r", part(i), "-o", filepath.Join(dir, fmt.Sprint(i)), url)
			}
		})
	}
	wait.Wait()
	got := row(t, s, p, hanne)
	assert.False(t, got.Cells[0].Complete)
	assert.Equal(t, []coverage.Range{{Start: 0, End: 2 * size / 4}, {Start: 3 * size / 4, End: size}}, got.Cells[0].Bytes)
	curl(t, "-r", part(2), "-o", filepath.Join(dir, "2"), url)
	got = row(t, s, p, hanne)
	assert.True(t, got.Cells[0].Complete)
	assert.EqualValues(t, size, got.Cells[0].Delivered)
	assert.Equal(t, 1, s.Events(t, p.ID, "took"))

	joined := sha256.New()
	for i := range 4 {
		content, err := os.ReadFile(filepath.Join(dir, fmt.Sprint(i)))
		require.NoError(t, err)
		joined.Write(content)
	}
	out, err := exec.Command("sha256sum", file).Output() // reference program: GNU coreutils
	require.NoError(t, err)
	assert.Equal(t, strings.Fields(string(out))[0], fmt.Sprintf("%x", joined.Sum(nil)))
}

// Source: RFC 9110, sections 14.1.2 (the examples are for 10 000 bytes), 14.4, 15.5.17.
func TestRangesFollowRFC9110(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	file := apptest.File(t, "x.bin", 10_000)
	content, err := os.ReadFile(file)
	require.NoError(t, err)
	p, hanne := sent(t, s, file)
	path := hanne.Path(p.Items[0])
	for header, want := range map[string][2]int{
		"bytes=0-499": {0, 500}, "bytes=500-999": {500, 1000}, "bytes=-500": {9500, 10000}, "bytes=9500-": {9500, 10000},
		"bytes=9000-20000": {9000, 10000}, "bytes=-20000": {0, 10000},
		"Bytes=0-0": {0, 1},
	} {
		answer := s.Get(t, path, "Range: "+header)
		require.Equal(t, http.StatusPartialContent, answer.StatusCode, header)
		assert.Equal(t, fmt.Sprintf("bytes %d-%d/10000", want[0], want[1]-1), answer.Header.Get("Content-Range"))
		assert.True(t, bytes.Equal(content[want[0]:want[1]], answer.Body), header)
	}
	for _, header := range []string{"bytes=10000-", "bytes=-0"} {
		answer := s.Get(t, path, "Range: "+header)
		assert.Equal(t, http.StatusRequestedRangeNotSatisfiable, answer.StatusCode, header)
		assert.Equal(t, "bytes */10000", answer.Header.Get("Content-Range"))
	}
	for _, header := range []string{"bytes=5-2", "bytes=a-b", "lines=1-2", "bytes=", "bytes=--1"} {
		answer := s.Get(t, path, "Range: "+header)
		assert.Equal(t, http.StatusOK, answer.StatusCode, header)
		assert.Len(t, answer.Body, 10_000)
	}

	several := s.Get(t, path, "Range: bytes=0-0,-1")
	require.Equal(t, http.StatusPartialContent, several.StatusCode)
	kind, params, err := mime.ParseMediaType(several.Header.Get("Content-Type"))
	require.NoError(t, err)
	assert.Equal(t, "multipart/byteranges", kind)
	parts := multipart.NewReader(bytes.NewReader(several.Body), params["boundary"])
	for _, want := range []struct {
		at string
		b  byte
	}{{"bytes 0-0/10000", content[0]}, {"bytes 9999-9999/10000", content[9999]}} {
		part, err := parts.NextPart()
		require.NoError(t, err)
		assert.Equal(t, want.at, part.Header.Get("Content-Range"))
		got, err := io.ReadAll(part)
		require.NoError(t, err)
		assert.Equal(t, []byte{want.b}, got)
	}

	etag := s.Get(t, path, "Range: bytes=0-0").Header.Get("Etag")
	assert.Equal(t, http.StatusPartialContent, s.Get(t, path, "Range: bytes=0-9", "If-Range: "+etag).StatusCode)
	assert.Equal(t, http.StatusOK, s.Get(t, path, "Range: bytes=0-9", `If-Range: "another"`).StatusCode)
	assert.Equal(t, http.StatusNotModified, s.Get(t, path, "If-None-Match: "+etag).StatusCode)
	head := s.Request(t, http.DefaultClient, http.MethodHead, path, nil)
	assert.EqualValues(t, 10_000, head.ContentLength)
	assert.Empty(t, head.Body)
}

// A client with a tiny receive window that reads a part and then only holds the line.
func TestBytesThatTheOtherSideHasNotAcknowledgedAreNotClaimed(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	const size = 20_000_000
	p, hanne := sent(t, s, apptest.File(t, "big.bin", size))
	raw, err := net.Dial("tcp", s.App.Addr)
	require.NoError(t, err)
	conn := raw.(*net.TCPConn)
	require.NoError(t, conn.SetReadBuffer(16<<10))
	_, err = fmt.Fprintf(conn, "GET %s HTTP/1.1\r\nHost: studio.example\r\n\r\n", hanne.Path(p.Items[0]))
	require.NoError(t, err)
	const read = 1_000_000
	_, err = io.CopyN(io.Discard, conn, read)
	require.NoError(t, err)
	time.Sleep(300 * time.Millisecond)
	require.NoError(t, conn.SetLinger(0)) // gone without a word, as when a laptop is closed
	require.NoError(t, conn.Close())
	apptest.Eventually(t, "something is recorded", func() bool { return row(t, s, p, hanne).Cells[0].Delivered > 0 })
	time.Sleep(500 * time.Millisecond)
	got := row(t, s, p, hanne).Cells[0]
	assert.False(t, got.Complete)
	assert.LessOrEqual(t, got.Delivered, int64(read+512<<10), "no more than was read, and what lay in the reader's own buffer")
	assert.Greater(t, got.Delivered, int64(read/2))
	require.Len(t, got.Bytes, 1)
	assert.Zero(t, got.Bytes[0].Start)

	// And it goes on from there.
	curl(t, "-r", fmt.Sprintf("%d-", got.Delivered), "-o", os.DevNull, s.Base+hanne.Path(p.Items[0]))
	assert.True(t, row(t, s, p, hanne).Cells[0].Complete)
}

// slowly reads a download at about 1 MB/s until it ends, and tells how long that took.
func slowly(t *testing.T, s *apptest.Studio, path string, headers ...string) <-chan time.Duration {
	t.Helper()
	done := make(chan time.Duration, 1)
	raw, err := net.Dial("tcp", s.App.Addr)
	require.NoError(t, err)
	require.NoError(t, raw.(*net.TCPConn).SetReadBuffer(16<<10))
	_, err = fmt.Fprintf(raw, "GET %s HTTP/1.1\r\nHost: studio.example\r\n%s\r\n", path, lines(headers))
	require.NoError(t, err)
	_, err = io.ReadFull(raw, make([]byte, 4096))
	require.NoError(t, err)
	go func() {
		defer raw.Close()
		began := time.Now()
		buffer := make([]byte, 10_000)
		for {
			if _, err := io.ReadFull(raw, buffer); err != nil {
				done <- time.Since(began)
				return
			}
			time.Sleep(10 * time.Millisecond)
		}
	}()
	return done
}

// lines are headers as they go over the wire.
func lines(headers []string) string {
	var b strings.Builder
	for _, h := range headers {
		b.WriteString(h + "\r\n")
	}
	return b.String()
}

// soon is far below the minute that a download takes at the pace of slowly. How soon a
// running one is cut in fact, the bench measures.
const soon = 20 * time.Second

func TestARunningDownloadIsCut(t *testing.T) {
	t.Parallel()
	const size = 60_000_000 // a minute at the pace of slowly
	cases := map[string]func(t *testing.T, s *apptest.Studio, p apptest.Package){
		"stopped": func(t *testing.T, s *apptest.Studio, p apptest.Package) {
			s.Do(t, "POST", "/packages/"+p.ID+"/stop", nil, nil)
		},
		"removed": func(t *testing.T, s *apptest.Studio, p apptest.Package) {
			s.Do(t, "DELETE", "/recipients/"+p.Recipients[0].ID, nil, nil)
		},
		"withdrawn": func(t *testing.T, s *apptest.Studio, p apptest.Package) {
			s.Do(t, "DELETE", "/items/"+p.Items[0].ID, nil, nil)
		},
		"rights": func(t *testing.T, s *apptest.Studio, p apptest.Package) {
			s.Do(t, "PATCH", "/recipients/"+p.Recipients[0].ID, map[string]any{"rights": lookOnly}, nil)
		},
		"ended": func(t *testing.T, s *apptest.Studio, p apptest.Package) {
			// The end comes by the clock alone: nobody announces it. Extend set it; here it is moved near.
			_, err := s.App.Store.Pool().Exec(t.Context(), "update parcel set ends_at = now() + interval '100 milliseconds' where id = $1", p.ID)
			require.NoError(t, err)
			s.App.API.Lost() // the running download learns of the moved end as it would after a lost connection
		},
	}
	for name, act := range cases {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			s := apptest.Start(t, pg)
			p, hanne := sent(t, s, apptest.File(t, "big.bin", size))
			for _, path := range []string{hanne.Path(p.Items[0]), "/r/" + hanne.Token() + "/zip/x.zip"} {
				if name != "stopped" && strings.Contains(path, "/zip/") {
					continue // one way of cutting is enough for the ZIP
				}
				ended := slowly(t, s, path)
				time.Sleep(200 * time.Millisecond)
				act(t, s, p)
				acted := time.Now()
				<-ended
				assert.Less(t, time.Since(acted), soon)
				assert.Less(t, row(t, s, p, hanne).Cells0(), int64(size))
				if name == "stopped" {
					s.Do(t, "POST", "/packages/"+p.ID+"/extend", map[string]any{"kind": "after_days", "days": 3, "zone": "Europe/London"}, nil)
				}
			}
		})
	}
}

// What a stop leaves in the kernel would arrive without anybody hearing of it.
func TestAStopClaimsWhatArrivedAndNothingElse(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	paces := map[string]time.Duration{"fast": time.Millisecond, "slow": 20 * time.Millisecond, "stalled": 0}
	people := map[string][]string{}
	for name := range paces {
		people[name+"@kelpwick.example"] = lookNoteTake
	}
	p := s.Send(t, s.Pack(t, []string{apptest.File(t, "big.bin", 60_000_000)}, people))
	stopped := make(chan struct{})
	read := map[string]chan int64{}
	for name, pause := range paces {
		read[name] = make(chan int64, 1)
		who := p.Recipients[slices.IndexFunc(p.Recipients, func(r apptest.Person) bool { return strings.EqualFold(r.Name, name) })]
		raw, err := net.Dial("tcp", s.App.Addr)
		require.NoError(t, err)
		t.Cleanup(func() { _ = raw.Close() })
		_, err = fmt.Fprintf(raw, "GET %s HTTP/1.1\r\nHost: studio.example\r\n\r\n", who.Path(p.Items[0]))
		require.NoError(t, err)
		answer, err := http.ReadResponse(bufio.NewReader(raw), nil)
		require.NoError(t, err)
		go func() {
			var sum int64
			buffer := make([]byte, 32<<10)
			for {
				n, err := answer.Body.Read(buffer)
				sum += int64(n)
				if err != nil {
					read[name] <- sum
					return
				}
				if pause == 0 && sum > 1<<20 { // holds the line, and reads what came when all is over
					<-stopped
				}
				time.Sleep(pause)
			}
		}()
	}
	time.Sleep(700 * time.Millisecond) // they are under way, and the kernel holds what it may
	now, cancel := context.WithCancel(t.Context())
	cancel() // no patience with what runs
	require.NoError(t, s.App.Stop(now))
	close(stopped)
	got := map[string]int64{}
	for name := range paces {
		got[name] = <-read[name]
	}
	s.Resume(t)
	for _, r := range s.Ledger(t, p.ID) {
		name := strings.ToLower(r.Name)
		assert.Equal(t, got[name], r.Cells0(), name)
		assert.Positive(t, got[name], name)
		assert.Less(t, got[name], int64(60_000_000), name)
	}
}
