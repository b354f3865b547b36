package app_test

import (
	"bytes"
	"encoding/xml"
	"fmt"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"aftergust/internal/app"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/dev/demo"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// reachable starts a server that programs reach under its own address.
func reachable(t *testing.T) *apptest.Studio {
	t.Helper()
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	addr := listener.Addr().String()
	require.NoError(t, listener.Close())
	return apptest.Start(t, pg, func(c *app.Config) { c.Addr, c.BaseURL = addr, "http://"+addr })
}

// shell runs a line as somebody types it.
func shell(t *testing.T, dir, line string) error {
	t.Helper()
	command := exec.CommandContext(t.Context(), "sh", "-c", line)
	command.Dir = dir
	out, err := command.CombinedOutput()
	if err != nil {
		t.Logf("%s\n%.2000s", line, out)
	}
	return err
}

// summed waits until the sums of a package are reckoned.
func summed(t *testing.T, s *apptest.Studio, link string) {
	t.Helper()
	guest := demo.NewClient(s.Base, "")
	apptest.Eventually(t, "the sums are reckoned", func() bool {
		answer, err := guest.Bytes(t.Context(), link+"/sums.txt", "")
		return err == nil && len(answer) > 0 && !bytes.Contains(answer, []byte("# not"))
	})
}

// Source: unzip, sha256sum and xxhsum on what was unpacked.
func TestWhatGoesAlongInAZIPIsRightAndStaysAsItWasBegun(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	p := s.Pack(t, []string{apptest.File(t, "a.bin", 400_000), apptest.File(t, "empty.txt", 0), apptest.File(t, "größe.bin", 10)},
		map[string][]string{"hanne@kelpwick.example": {"see", "take"}})
	s.Do(t, "PATCH", "/packages/"+p.ID, map[string]any{"title": "Lifeboat <cut> 4", "cover_letter": "<script>alert(1)</script> Third cut."}, nil)
	p = s.Send(t, p)
	summed(t, s, s.Base+"/r/"+p.Recipients[0].Token())
	guest := demo.NewClient(s.Base, "")
	var page struct{ Archive string }
	require.NoError(t, guest.Do(t.Context(), "GET", p.Recipients[0].API(), nil, &page))
	whole, err := guest.Bytes(t.Context(), page.Archive+"&with=cover,sums,mhl,shell", "")
	require.NoError(t, err)
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "all.zip"), whole, 0o600))
	require.NoError(t, shell(t, dir, "unzip -q all.zip && rm all.zip && sha256sum --strict -c sha256sums.txt"))
	about, err := os.ReadFile(filepath.Join(dir, "About this package.html"))
	require.NoError(t, err)
	assert.Contains(t, string(about), "Third cut.")
	assert.NotContains(t, string(about), "<script>alert", "what a producer writes is text")
	lists, err := filepath.Glob(filepath.Join(dir, "ascmhl", "*.mhl"))
	require.NoError(t, err)
	require.Len(t, lists, 1)
	raw, err := os.ReadFile(lists[0])
	require.NoError(t, err)
	var list struct {
		Hashes []struct {
			Path string `xml:"path"`
			Sum  string `xml:"xxh128"`
		} `xml:"hashes>hash"`
	}
	require.NoError(t, xml.Unmarshal(raw, &list))
	var unpacked []string
	require.NoError(t, filepath.WalkDir(dir, func(path string, entry os.DirEntry, err error) error {
		if err == nil && entry.IsDir() && entry.Name() == "ascmhl" {
			return filepath.SkipDir // the list's own folder, which it ignores
		}
		if err == nil && !entry.IsDir() {
			path, err = filepath.Rel(dir, path)
			unpacked = append(unpacked, path)
		}
		return err
	}))
	listed := make([]string, len(list.Hashes))
	for i, h := range list.Hashes {
		listed[i] = h.Path
	}
	assert.Len(t, listed, 5)
	assert.ElementsMatch(t, unpacked, listed, "a file that is not listed would look added, and one that is not there lost")
	for _, h := range list.Hashes {
		out, err := exec.CommandContext(t.Context(), "xxhsum", "-H128", filepath.Join(dir, h.Path)).Output()
		require.NoError(t, err)
		assert.Contains(t, string(out), h.Sum, h.Path)
	}

	// What somebody has begun goes on as it was, also when the letter is another by then and nobody remembers the plan.
	s.Do(t, "PATCH", "/packages/"+p.ID, map[string]any{"cover_letter": "Another letter, and a longer one."}, nil)
	s.Do(t, "DELETE", "/items/"+p.Items[2].ID, nil, nil)
	s.Do(t, "GET", "/packages/"+p.ID, nil, nil)
	again, err := guest.Bytes(t.Context(), page.Archive+"&with=cover,sums,mhl", "")
	require.Error(t, err, "it holds what was withdrawn: %d bytes", len(again))
}

func TestAZIPWithALetterGoesOnAfterARestartAndAnotherLetter(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	p := s.Send(t, s.Pack(t, []string{apptest.File(t, "a.bin", 400_000)}, map[string][]string{"hanne@kelpwick.example": {"see", "take"}}))
	summed(t, s, s.Base+"/r/"+p.Recipients[0].Token())
	guest := demo.NewClient(s.Base, "")
	var page struct{ Archive string }
	require.NoError(t, guest.Do(t.Context(), "GET", p.Recipients[0].API(), nil, &page))
	path := page.Archive + "&with=cover,sums"
	whole, err := guest.Bytes(t.Context(), path, "")
	require.NoError(t, err)
	s.Do(t, "PATCH", "/packages/"+p.ID, map[string]any{"cover_letter": "Another letter."}, nil)
	_, err = s.Owner.Upload(t.Context(), p.ID, apptest.File(t, "b.bin", 10), "") // another revision
	require.NoError(t, err)
	s.Halt(t)
	s.Resume(t)
	rest, err := guest.Bytes(t.Context(), path, "bytes=200000-")
	require.NoError(t, err)
	assert.True(t, bytes.Equal(whole[200_000:], rest), "byte for byte")
}

// Where only the words changed that the cover tells of, what was resumed had a bad checksum.
func TestAZIPWithACoverIsFinishedAsItWasBegunWhateverIsRenamed(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	p := s.Send(t, s.Pack(t, []string{apptest.File(t, "a.bin", 400_000)}, map[string][]string{"hanne@kelpwick.example": {"see", "take"}}))
	summed(t, s, s.Base+"/r/"+p.Recipients[0].Token())
	guest := demo.NewClient(s.Base, "")
	for _, rename := range []func(){
		func() {
			s.Do(t, "PATCH", "/packages/"+p.ID, map[string]any{"title": "Lifeboat, the last cut of all"}, nil)
		},
		func() { s.Do(t, "PATCH", "/packages/"+p.ID, map[string]any{"cover_letter": "Another letter."}, nil) },
		func() {
			s.Do(t, "PATCH", "/studio", map[string]any{"name": "High Water Pictures", "zone": "Europe/London"}, nil)
		},
	} {
		var page struct{ Archive string }
		require.NoError(t, guest.Do(t.Context(), "GET", p.Recipients[0].API(), nil, &page))
		path := page.Archive + "&with=cover,sums,mhl"
		begun, err := guest.Bytes(t.Context(), path, "")
		require.NoError(t, err)
		rename()
		rest, err := guest.Bytes(t.Context(), path, "bytes=200000-")
		require.NoError(t, err)
		assert.True(t, bytes.Equal(begun[200_000:], rest), "byte for byte")
		var fresh struct{ Archive string }
		require.NoError(t, guest.Do(t.Context(), "GET", p.Recipients[0].API(), nil, &fresh))
		assert.NotEqual(t, page.Archive, fresh.Archive, "whoever begins now gets the new words")
		// Nobody began it without a cover: whoever asks from the first byte on is led to what there is now.
		first, err := guest.Bytes(t.Context(), page.Archive, "bytes=0-99")
		require.NoError(t, err)
		now, err := guest.Bytes(t.Context(), fresh.Archive, "bytes=0-99")
		require.NoError(t, err)
		assert.Equal(t, now, first)
	}
}

// Source: curl, wget and aria2c take what the lines say, and go on where they were cut.
func TestLinesForATerminalTakeEverythingThroughTheDoorAndGoOn(t *testing.T) {
	t.Parallel()
	s := reachable(t)
	p := s.Pack(t, []string{apptest.File(t, "a b's.bin", 3_000_000), apptest.File(t, "c.bin", 70_000)},
		map[string][]string{"hanne@kelpwick.example": {"see", "take"}})
	const phrase = "slow glaze harbour lamp"
	s.Do(t, "PATCH", "/packages/"+p.ID, map[string]any{"title": "Lifeboat's $(touch pwned) cut", "door": "passphrase", "passphrase": phrase}, nil)
	p = s.Send(t, p)
	guest := demo.NewClient(s.Base, "")
	api := p.Recipients[0].API()
	require.Error(t, guest.Do(t.Context(), "GET", api+"/terminal", nil, nil), "before the door there are none")
	require.NoError(t, guest.Do(t.Context(), "POST", api+"/enter", map[string]any{"answer": phrase}, nil))
	var terminal struct {
		Lines []struct{ Tool, Line string }
		Until string
	}
	require.NoError(t, guest.Do(t.Context(), "GET", api+"/terminal", nil, &terminal))
	assert.NotEmpty(t, terminal.Until)
	apptest.Eventually(t, "the sums are reckoned", func() bool {
		answer, err := guest.Bytes(t.Context(), s.Base+"/r/"+p.Recipients[0].Token()+"/sums.txt", "")
		return err == nil && !bytes.Contains(answer, []byte("# not"))
	})
	for _, l := range terminal.Lines {
		t.Run(l.Tool, func(t *testing.T) {
			dir := t.TempDir()
			// What is there when the line was cut: the beginning, or what aria2c itself has left.
			switch l.Tool {
			case "curl":
				require.NoError(t, shell(t, dir, strings.Replace(l.Line, "-C -", "-r 0-999999", 1)))
			case "wget":
				require.NoError(t, shell(t, dir, strings.Replace(l.Line, "wget -c -O", "curl -fsL -r 0-999999 -o", 1)))
			default:
				require.Error(t, shell(t, dir, strings.Replace(l.Line, "aria2c -c", "timeout 1 aria2c -c --max-overall-download-limit=1M", 1)), "it was cut")
			}
			require.NoError(t, shell(t, dir, l.Line))
			require.NoError(t, shell(t, dir, l.Line), "once more, with nothing left to take")
			if l.Tool == "aria2c" {
				found, err := os.ReadDir(dir)
				require.NoError(t, err)
				require.Len(t, found, 1)
				dir = filepath.Join(dir, found[0].Name())
			} else {
				require.NoError(t, shell(t, dir, "unzip -q *.zip"))
			}
			for name, size := range map[string]int64{"a b's.bin": 3_000_000, "c.bin": 70_000} {
				at, err := os.Stat(filepath.Join(dir, name))
				require.NoError(t, err)
				assert.Equal(t, size, at.Size())
			}
			assert.NoFileExists(t, filepath.Join(dir, "pwned"))
		})
	}
	// The key opens nothing for anybody else, and dies with the door.
	line := terminal.Lines[0].Line
	address := line[strings.LastIndex(line, " ")+1:]
	address = strings.Trim(address, "'")
	status := func(url string) int {
		answer, err := http.Get(url) //nolint:noctx // a program does no more
		require.NoError(t, err)
		require.NoError(t, answer.Body.Close())
		return answer.StatusCode
	}
	assert.Equal(t, http.StatusOK, status(address))
	assert.Equal(t, http.StatusForbidden, status(address[:len(address)-1]), "a key that was changed")
	other := s.Pack(t, []string{apptest.File(t, "d.bin", 10)}, map[string][]string{"tomos@gethin.example": {"see", "take"}})
	s.Do(t, "PATCH", "/packages/"+other.ID, map[string]any{"door": "passphrase", "passphrase": "four other quiet words"}, nil)
	other = s.Send(t, other)
	_, key, _ := strings.Cut(address, "&key=")
	assert.Equal(t, http.StatusForbidden, status(fmt.Sprintf("%s%s/zip/x.zip?key=%s", s.Base, "/r/"+other.Recipients[0].Token(), key)))
	// Nor anything but downloads: a program that has it cannot write notes, attach to them, or listen.
	for method, path := range map[string]string{"GET": api + "/live?key=" + key, "POST": api + "/items/" + p.Items[0].ID + "/in/csv?do=yes&key=" + key} {
		answer := s.Request(t, http.DefaultClient, method, path, strings.NewReader("note\nhello\n"))
		assert.Equal(t, http.StatusForbidden, answer.StatusCode, path)
	}
	made := s.Get(t, "/r/"+p.Recipients[0].Token()+"/zip/x.zip?only=made-up&key="+key)
	assert.Equal(t, http.StatusConflict, made.StatusCode, "what is chosen is there")
	var choices int
	require.NoError(t, s.App.Store.Pool().QueryRow(t.Context(), "select count(*) from selection").Scan(&choices))
	assert.Zero(t, choices)
	time.Sleep(time.Second)
	s.Do(t, "PATCH", "/packages/"+p.ID, map[string]any{"passphrase": "another quiet harbour lamp"}, nil)
	assert.Equal(t, http.StatusForbidden, status(address))
}

func TestOnlyTheRestIsTakenAsOneZIP(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	p := s.Send(t, s.Pack(t, []string{apptest.File(t, "a.bin", 50_000), apptest.File(t, "b.bin", 60_000), apptest.File(t, "c.bin", 70_000)},
		map[string][]string{"hanne@kelpwick.example": {"see", "take"}}))
	guest := demo.NewClient(s.Base, "")
	var page struct{ Items []struct{ Take string } }
	require.NoError(t, guest.Do(t.Context(), "GET", p.Recipients[0].API(), nil, &page))
	take := func(i int) {
		_, err := guest.Bytes(t.Context(), page.Items[i].Take, "")
		require.NoError(t, err)
	}
	rest := func() (size int64, err error) { // looked at, not taken
		var chosen struct{ Address string }
		if err := guest.Do(t.Context(), "POST", p.Recipients[0].API()+"/choose", map[string]any{"rest": true}, &chosen); err != nil {
			return 0, err
		}
		answer, err := http.Head(s.Base + chosen.Address) //nolint:noctx // a program does no more
		require.NoError(t, err)
		return answer.ContentLength, answer.Body.Close()
	}
	take(1)
	_, err := guest.Bytes(t.Context(), page.Items[0].Take, "bytes=0-49998")
	require.NoError(t, err)
	apptest.Eventually(t, "the receipt is written down", func() bool { size, err := rest(); return err == nil && size < 130_000 })
	got, err := rest()
	require.NoError(t, err)
	assert.Greater(t, got, int64(120_000), "all but one byte of the first is not the whole of it")
	take(0)
	take(2)
	apptest.Eventually(t, "they have all", func() bool { _, err := rest(); return err != nil })
	_, err = rest()
	assert.Contains(t, err.Error(), "You have all of it already.")
}
