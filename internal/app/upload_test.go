package app_test

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"fmt"
	"image"
	"image/png"
	"io"
	"log/slog"
	"net/http"
	"os"
	"os/exec"
	"path"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"aftergust/core/time/expiry"
	"aftergust/internal/app"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/dev/demo"
	"aftergust/internal/parts/arrive"
	arriving "aftergust/internal/parts/gather"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func patch(t *testing.T, s *apptest.Studio, location string, offset int64, body string, headers ...string) apptest.Answer {
	t.Helper()
	all := append([]string{"Authorization: Bearer " + s.Owner.Token, "Tus-Resumable: 1.0.0", fmt.Sprintf("Upload-Offset: %d", offset),
		"Content-Type: application/offset+octet-stream"}, headers...)
	return s.Request(t, http.DefaultClient, http.MethodPatch, strings.TrimPrefix(location, s.Base), strings.NewReader(body), all...)
}

func offset(t *testing.T, s *apptest.Studio, location string) string {
	t.Helper()
	answer := s.Request(t, http.DefaultClient, http.MethodHead, strings.TrimPrefix(location, s.Base), nil,
		"Authorization: Bearer "+s.Owner.Token, "Tus-Resumable: 1.0.0")
	require.Equal(t, http.StatusOK, answer.StatusCode)
	return answer.Header.Get("Upload-Offset")
}

// Source: tus 1.0.0: 409 on a wrong offset, 412 on another version, HEAD after a cut.
func TestUploadsFollowTus(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	p := s.Pack(t, nil, nil)
	location, err := s.Owner.BeginUpload(t.Context(), map[string]string{"package": p.ID, "filename": "x.txt"}, 10)
	require.NoError(t, err)
	assert.Equal(t, "0", offset(t, s, location))
	assert.Equal(t, http.StatusNoContent, patch(t, s, location, 0, "01234").StatusCode)
	assert.Equal(t, http.StatusConflict, patch(t, s, location, 0, "01234").StatusCode)
	assert.Equal(t, http.StatusConflict, patch(t, s, location, 7, "789").StatusCode)
	assert.Equal(t, http.StatusPreconditionFailed, patch(t, s, location, 5, "56789", "Tus-Resumable: 0.2.2").StatusCode)
	assert.Equal(t, "5", offset(t, s, location))

	var before apptest.Package
	s.Do(t, "GET", "/packages/"+p.ID, nil, &before)
	assert.Contains(t, codes(before), "uploading", "half a file does not go out")
	done := patch(t, s, location, 5, "56789")
	assert.Equal(t, http.StatusNoContent, done.StatusCode)
	assert.NotEmpty(t, done.Header.Get("Aftergust-Item"))
	after := s.Package(t, p.ID)
	require.Len(t, after.Items, 1)
	assert.Equal(t, "document", after.Items[0].What)
	assert.Equal(t, http.StatusNotFound, patch(t, s, location, 10, "").StatusCode, "the upload is an item now")

	gone, err := s.Owner.BeginUpload(t.Context(), map[string]string{"package": p.ID, "filename": "y.txt"}, 10)
	require.NoError(t, err)
	answer := s.Request(t, http.DefaultClient, http.MethodDelete, strings.TrimPrefix(gone, s.Base), nil,
		"Authorization: Bearer "+s.Owner.Token, "Tus-Resumable: 1.0.0")
	assert.Equal(t, http.StatusNoContent, answer.StatusCode)
	assert.NotContains(t, codes(s.Package(t, p.ID)), "uploading", "a cancelled upload is forgotten")
}

func codes(p apptest.Package) []string {
	out := []string{}
	for _, w := range p.Warnings {
		out = append(out, w.Code)
	}
	return out
}

// Source: tus 1.0.0, extension concatenation.
func TestAnUploadInPartsIsOneFile(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	p := s.Pack(t, nil, nil)
	meta := "Upload-Metadata: package " + base64.StdEncoding.EncodeToString([]byte(p.ID)) + ",filename " +
		base64.StdEncoding.EncodeToString([]byte("joined.txt"))
	create := func(headers ...string) string {
		all := append([]string{"Authorization: Bearer " + s.Owner.Token, "Tus-Resumable: 1.0.0"}, headers...)
		answer := s.Request(t, http.DefaultClient, http.MethodPost, "/api/v1/uploads/", nil, all...)
		require.Equal(t, http.StatusCreated, answer.StatusCode, string(answer.Body))
		return answer.Header.Get("Location")
	}
	// Source: tus 1.0.0, Concatenation: of the parts nothing need be said; here one says it all the same.
	one, two := create("Upload-Concat: partial", "Upload-Length: 5", meta), create("Upload-Concat: partial", "Upload-Length: 6")
	require.Equal(t, http.StatusNoContent, patch(t, s, one, 0, "hello").StatusCode)
	require.Equal(t, http.StatusNoContent, patch(t, s, two, 0, " there").StatusCode)
	create("Upload-Concat: final;"+strings.TrimPrefix(one, s.Base)+" "+strings.TrimPrefix(two, s.Base), meta)
	after := s.Package(t, p.ID)
	require.Len(t, after.Items, 1)
	assert.EqualValues(t, 11, after.Items[0].Size)
	answer := s.Get(t, "/api/v1/versions/"+after.Items[0].Version+"/original", "Authorization: Bearer "+s.Owner.Token)
	assert.Equal(t, "hello there", string(answer.Body))
}

// The last byte comes while the database is away: the client is told to come again,
// and what is whole becomes an item as soon as it can.
func TestAnUploadThatIsWholeWhileTheDatabaseIsAwayBecomesAnItemWhenItIsBack(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	p := s.Pack(t, nil, nil)
	location, err := s.Owner.BeginUpload(t.Context(), map[string]string{"package": p.ID, "filename": "film.bin"}, 9000)
	require.NoError(t, err)
	reader, writer := io.Pipe()
	answered := make(chan int, 1)
	go func() {
		request, err := http.NewRequestWithContext(t.Context(), http.MethodPatch, location, reader)
		assert.NoError(t, err)
		for name, value := range map[string]string{"Authorization": "Bearer " + s.Owner.Token, "Tus-Resumable": "1.0.0", "Upload-Offset": "0",
			"Content-Type": "application/offset+octet-stream"} {
			request.Header.Set(name, value)
		}
		answer, err := http.DefaultClient.Do(request)
		if err != nil {
			answered <- 0
			return
		}
		_ = answer.Body.Close()
		answered <- answer.StatusCode
	}()
	_, err = writer.Write(make([]byte, 5000))
	require.NoError(t, err)
	apptest.Eventually(t, "some of it is there", func() bool {
		info, err := os.Stat(filepath.Join(s.Blobs, "incoming", path.Base(location)))
		return err == nil && info.Size() > 0
	})
	back := s.LoseDatabase(t, pg)
	t.Cleanup(back)
	_, err = writer.Write(make([]byte, 4000))
	require.NoError(t, err)
	require.NoError(t, writer.Close())
	assert.NotEqual(t, http.StatusNoContent, <-answered, "not said to be done")
	back()
	gone := time.Now()
	apptest.Eventually(t, "it is an item", func() bool {
		var now apptest.Package
		return s.Owner.Do(t.Context(), "GET", "/api/v1/packages/"+p.ID, nil, &now) == nil && len(now.Items) == 1
	})
	assert.Less(t, time.Since(gone), time.Minute, "long before the next look that comes by itself")
	// A client that comes again, as tus clients do after an error, hears that it has arrived.
	head := s.Request(t, http.DefaultClient, http.MethodHead, strings.TrimPrefix(location, s.Base), nil, "Authorization: Bearer "+s.Owner.Token,
		"Tus-Resumable: 1.0.0")
	assert.Equal(t, http.StatusOK, head.StatusCode)
	assert.Equal(t, "9000", head.Header.Get("Upload-Offset"))
	assert.NotEmpty(t, head.Header.Get("Aftergust-Item"))
}

// What was on its way to a place that is gone is said to have failed, and does not
// keep others waiting.
func TestOneUploadThatCannotBeSettledKeepsNoOtherWaiting(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	p := s.Pack(t, nil, nil)
	begin := func(name string) string {
		location, err := s.Owner.BeginUpload(t.Context(), map[string]string{"package": p.ID, "filename": name}, 4)
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(filepath.Join(s.Blobs, "incoming", path.Base(location)), []byte("four"), 0o600)) // as after a crash
		return path.Base(location)
	}
	first := begin("a.txt")
	begin("b.txt")
	require.NoError(t, os.Remove(filepath.Join(s.Blobs, "incoming", first+".info")))
	require.Error(t, s.App.Arriving.Settle(t.Context()))
	p = s.Package(t, p.ID)
	require.Len(t, p.Items, 1)
	assert.Equal(t, "b.txt", p.Items[0].Name)
}

func TestFilesOfUploadsThatAreOverAreSweptWhenTheyAreOld(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	p := s.Pack(t, nil, nil)
	begin := func(name string) string {
		location, err := s.Owner.BeginUpload(t.Context(), map[string]string{"package": p.ID, "filename": name}, 4)
		require.NoError(t, err)
		return path.Base(location)
	}
	running, over := begin("a.txt"), begin("b.txt")
	require.NoError(t, s.App.Uploads.FailUpload(t.Context(), over, arriving.Cancelled, ""))
	incoming := filepath.Join(s.Blobs, "incoming")
	require.NoError(t, os.WriteFile(filepath.Join(incoming, "stranger"), nil, 0o600))
	left := func(in time.Duration) (names []string) {
		later := func() time.Time { return time.Now().Add(in) }
		sweeper := arrive.NewService(s.App.Store, nil, nil, nil, nil, nil, later, slog.New(slog.DiscardHandler))
		_, err := sweeper.SweepIncoming(t.Context(), incoming)
		require.NoError(t, err)
		files, err := os.ReadDir(incoming)
		require.NoError(t, err)
		for _, f := range files {
			names = append(names, f.Name())
		}
		return names
	}
	assert.Len(t, left(expiry.LeftBehind-time.Minute), 5)
	assert.ElementsMatch(t, []string{running, running + ".info"}, left(expiry.LeftBehind+time.Minute))
}

func TestUploadsAreForMembersOfTheStudio(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	p := s.Pack(t, nil, nil)
	location, err := s.Owner.BeginUpload(t.Context(), map[string]string{"package": p.ID, "filename": "x.txt"}, 5)
	require.NoError(t, err)
	stranger := demo.NewClient(s.Base, "agt_wrong")
	_, err = stranger.BeginUpload(t.Context(), map[string]string{"package": p.ID, "filename": "x.txt"}, 5)
	assert.ErrorContains(t, err, "401")
	answer := s.Request(t, http.DefaultClient, http.MethodPatch, strings.TrimPrefix(location, s.Base), strings.NewReader("hello"),
		"Tus-Resumable: 1.0.0", "Upload-Offset: 0", "Content-Type: application/offset+octet-stream")
	assert.Equal(t, http.StatusUnauthorized, answer.StatusCode)
	for _, id := range []string{"..%2f..%2fetc%2fpasswd", "unknown"} {
		answer := s.Request(t, http.DefaultClient, http.MethodHead, "/api/v1/uploads/"+id, nil, "Authorization: Bearer "+s.Owner.Token,
			"Tus-Resumable: 1.0.0")
		assert.Equal(t, http.StatusNotFound, answer.StatusCode, id)
	}
	_, err = s.Owner.BeginUpload(t.Context(), map[string]string{"package": "of another studio", "filename": "x.txt"}, 5)
	assert.ErrorContains(t, err, "There is no such package")
}

func TestWhatDoesNotFitIsRefusedBeforeItStarts(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	p := s.Pack(t, nil, nil)
	_, err := s.Owner.BeginUpload(t.Context(), map[string]string{"package": p.ID, "filename": "huge.mov"}, 600_000_000_000)
	assert.ErrorContains(t, err, "507")
	assert.ErrorContains(t, err, "There is no room for huge.mov: it needs 600 GB")
	_, err = s.Owner.BeginUpload(t.Context(), map[string]string{"package": p.ID, "filename": "huge.mov"}, 2<<40)
	assert.ErrorContains(t, err, "413")
}

// Reference programs: sha256sum (coreutils), xxhsum (Debian xxhash); CRC-32 by gzip's trailer would need a file below
// 4 GiB, so 7z h is asked.
func TestSumsOfAnUploadAreRight(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	file := apptest.File(t, "sums.bin", 3_333_333)
	p := s.Pack(t, []string{file}, nil)
	content, err := os.ReadFile(file)
	require.NoError(t, err)
	var crc int64
	var xxh, sha []byte
	apptest.Eventually(t, "the SHA-256 is there", func() bool {
		err := s.App.Store.Pool().QueryRow(t.Context(),
			"select b.crc32, b.xxh3, b.sha256 from blob b join version v on v.blob_id = b.id where v.id = $1", p.Items[0].Version).Scan(&crc, &xxh,
			&sha)
		return err == nil && sha != nil
	})
	sum := sha256.Sum256(content)
	assert.Equal(t, hex.EncodeToString(sum[:]), hex.EncodeToString(sha))
	out, err := exec.Command("sha256sum", file).Output()
	require.NoError(t, err)
	assert.Equal(t, strings.Fields(string(out))[0], hex.EncodeToString(sha))
	out, err = exec.Command("xxhsum", "-H2", file).Output()
	require.NoError(t, err)
	assert.Equal(t, strings.Fields(string(out))[0], hex.EncodeToString(xxh), "XXH3-128")
	out, err = exec.Command("7z", "h", "-scrcCRC32", file).Output()
	require.NoError(t, err)
	assert.Contains(t, string(out), fmt.Sprintf("%08X", crc))
}

// The whole process is killed, not stopped: nothing can be tidied up.
func TestKilledDuringAnUploadItGoesOnAndTheChecksumIsRight(t *testing.T) {
	t.Parallel()
	const size = 24_000_000
	file := apptest.File(t, "film.bin", size)
	content, err := os.ReadFile(file)
	require.NoError(t, err)
	server := startBinary(t)
	var p apptest.Package
	require.NoError(t, server.owner.Do(t.Context(), "POST", "/api/v1/packages", nil, &p))
	location, err := server.owner.BeginUpload(t.Context(), map[string]string{"package": p.ID, "filename": "film.bin"}, size)
	require.NoError(t, err)

	reader, writer := io.Pipe()
	request, err := http.NewRequestWithContext(t.Context(), http.MethodPatch, location, reader)
	require.NoError(t, err)
	request.ContentLength = size
	for name, value := range map[string]string{"Authorization": "Bearer " + server.owner.Token, "Tus-Resumable": "1.0.0",
		"Upload-Offset": "0", "Content-Type": "application/offset+octet-stream"} {
		request.Header.Set(name, value)
	}
	ended := make(chan struct{})
	go func() {
		defer close(ended)
		if answer, err := http.DefaultClient.Do(request); err == nil {
			_ = answer.Body.Close()
		}
	}()
	_, err = writer.Write(content[:size/3])
	require.NoError(t, err)
	time.Sleep(300 * time.Millisecond)
	server.kill(t)
	_ = writer.CloseWithError(io.ErrClosedPipe)
	<-ended

	server.start(t)
	at := server.offset(t, location)
	assert.Positive(t, at)
	assert.Less(t, at, int64(size))
	resume, err := http.NewRequestWithContext(t.Context(), http.MethodPatch, location, strings.NewReader(string(content[at:])))
	require.NoError(t, err)
	for name, value := range map[string]string{"Authorization": "Bearer " + server.owner.Token, "Tus-Resumable": "1.0.0",
		"Upload-Offset": fmt.Sprint(at), "Content-Type": "application/offset+octet-stream"} {
		resume.Header.Set(name, value)
	}
	answer, err := http.DefaultClient.Do(resume)
	require.NoError(t, err)
	require.NoError(t, answer.Body.Close())
	require.Equal(t, http.StatusNoContent, answer.StatusCode)
	require.NoError(t, server.owner.Do(t.Context(), "GET", "/api/v1/packages/"+p.ID, nil, &p))
	require.Len(t, p.Items, 1)

	// What is stored is what was sent, and a client that was cut off goes on as well.
	require.NoError(t, server.owner.Do(t.Context(), "POST", "/api/v1/packages/"+p.ID+"/recipients",
		map[string]any{"address": "hanne@kelpwick.example", "rights": lookNoteTake}, nil))
	require.NoError(t, server.owner.Do(t.Context(), "POST", "/api/v1/packages/"+p.ID+"/send", nil, &p))
	taken := t.TempDir() + "/taken"
	url := server.base + p.Recipients[0].Path(p.Items[0])
	half := exec.Command("curl", "-sS", "--limit-rate", "4M", "-o", taken, url)
	require.NoError(t, half.Start())
	recorded := func() int64 {
		var l struct{ Rows []apptest.Row }
		require.NoError(t, server.owner.Do(t.Context(), "GET", "/api/v1/packages/"+p.ID+"/ledger", nil, &l))
		return l.Rows[0].Cells[0].Delivered
	}
	apptest.Eventually(t, "a part is recorded", func() bool { return recorded() > 0 })
	kept := recorded()
	server.kill(t)
	assert.Error(t, half.Wait(), "the download broke off")
	before, err := os.Stat(taken)
	require.NoError(t, err)
	server.start(t)
	curl(t, "--continue-at", "-", "-o", taken, url)
	out, err := exec.Command("sha256sum", file, taken).Output()
	require.NoError(t, err)
	lines := strings.Split(strings.TrimSpace(string(out)), "\n")
	assert.Equal(t, strings.Fields(lines[0])[0], strings.Fields(lines[1])[0])
	// What went out in the second before the kill may be missing from the record; what was
	// recorded before is in it, and all that came after.
	assert.Positive(t, kept)
	assert.Less(t, kept, before.Size()+1<<20)
	apptest.Eventually(t, "all but that second is recorded", func() bool { return recorded() >= int64(size)-before.Size()+kept })
	assert.LessOrEqual(t, recorded(), int64(size))
}

// smallDisk is a real disk of a few MiB in memory. Mounting one takes root.
func smallDisk(t *testing.T, mib int) (dir string) {
	t.Helper()
	if os.Getuid() != 0 {
		t.Skip("mounting a small file system takes root")
	}
	dir = t.TempDir()
	if err := syscall.Mount("tmpfs", dir, "tmpfs", 0, fmt.Sprintf("size=%dm", mib)); err != nil {
		t.Skipf("no file system can be mounted here: %v", err)
	}
	t.Cleanup(func() { require.NoError(t, syscall.Unmount(dir, syscall.MNT_DETACH)) })
	return dir
}

// A good picture is not to blame for a full disk: its preview waits, says why on the
// screens, and is made when there is room.
func TestWhatFailedForWantOfRoomIsMadeWhenThereIsRoom(t *testing.T) {
	t.Parallel()
	dir := smallDisk(t, 24)
	s := apptest.Start(t, pg, func(c *app.Config) { c.Blobs = dir })
	noise := image.NewRGBA(image.Rect(0, 0, 1400, 1400))
	raw, err := os.ReadFile(apptest.File(t, "noise", len(noise.Pix)))
	require.NoError(t, err)
	copy(noise.Pix, raw)
	var picture bytes.Buffer
	require.NoError(t, png.Encode(&picture, noise))
	_, films := project(t, s)
	var stat syscall.Statfs_t
	require.NoError(t, syscall.Statfs(dir, &stat))
	filler := filepath.Join(dir, "filler")
	require.NoError(t, os.WriteFile(filler, make([]byte, int64(stat.Bavail)*stat.Bsize-int64(picture.Len())-120<<10), 0o600))
	item := put(t, s, films, "still.png", picture.String())
	apptest.Eventually(t, "it waits", func() bool { return look(t, s, item).MediaError != "" })
	assert.Equal(t, "waiting", look(t, s, item).MediaState)
	assert.Contains(t, look(t, s, item).MediaError, "full")
	var desk struct {
		Needs []struct{ Kind, Saying string }
	}
	s.Do(t, "GET", "/desk", nil, &desk)
	require.Len(t, desk.Needs, 1)
	assert.Equal(t, "1 preview waits for room on the disk", desk.Needs[0].Saying)

	require.NoError(t, os.Remove(filler))
	apptest.Eventually(t, "it is made", func() bool {
		_, err := s.App.Store.Pool().Exec(t.Context(), "update river_job set scheduled_at = now() where state = 'scheduled'") // the minute is over
		return err == nil && look(t, s, item).MediaState == "ready"
	})
	assert.Empty(t, look(t, s, item).MediaError)
	desk.Needs = nil
	s.Do(t, "GET", "/desk", nil, &desk)
	assert.Empty(t, desk.Needs)
}

// What tusd says of a file that it cannot open has the path of it.
func TestAFaultOfAnUploadTellsNothingOfThisMachine(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	p := s.Pack(t, nil, nil)
	location, err := s.Owner.BeginUpload(t.Context(), map[string]string{"package": p.ID, "filename": "x.txt"}, 5)
	require.NoError(t, err)
	note := filepath.Join(filepath.Join(s.Blobs, "incoming"), filepath.Base(location)+".info")
	require.NoError(t, os.Remove(note))
	require.NoError(t, os.Mkdir(note, 0o700)) // there, and no file
	answer := patch(t, s, location, 0, "hello")
	assert.Equal(t, http.StatusInternalServerError, answer.StatusCode)
	assert.Equal(t, "fault", answer.Problem())
	assert.NotContains(t, string(answer.Body), filepath.Join(s.Blobs, "incoming"))
	assert.NotContains(t, string(answer.Body), ".info")
}

// What a loss of power leaves of an upload that had just begun is an empty note: whoever sends
// it would be told of a fault for a week.
func TestAnUploadWhoseNoteWasTornBeginsAnew(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	p := s.Pack(t, nil, nil)
	location, err := s.Owner.BeginUpload(t.Context(), map[string]string{"package": p.ID, "filename": "x.txt"}, 5)
	require.NoError(t, err)
	for _, left := range []string{"", `{"ID": "06h`} {
		require.NoError(t, os.WriteFile(filepath.Join(s.Blobs, "incoming", filepath.Base(location)+".info"), []byte(left), 0o600))
		assert.Equal(t, http.StatusNotFound, patch(t, s, location, 0, "hello").StatusCode, left)
	}
	require.NoError(t, os.WriteFile(filepath.Join(s.Blobs, "incoming", filepath.Base(location)), []byte("hello"), 0o600)) // all of it, and nobody heard
	answer := s.Request(t, http.DefaultClient, http.MethodHead, strings.TrimPrefix(location, s.Base), nil, "Authorization: Bearer "+s.Owner.Token,
		"Tus-Resumable: 1.0.0")
	assert.Contains(t, []int{http.StatusNotFound, http.StatusGone}, answer.StatusCode)
	assert.Empty(t, s.Package(t, p.ID).Items)
}

// The database keeps nothing more, and says so; what there was is there when there is room again.
func TestAFullDiskOfTheDatabaseIsCalledThat(t *testing.T) {
	t.Parallel()
	dir := smallDisk(t, 3)
	s := apptest.Start(t, pg)
	var data string
	require.NoError(t, s.App.Store.Pool().QueryRow(t.Context(), "show data_directory").Scan(&data))
	of, err := os.Stat(data)
	require.NoError(t, err)
	owner := int(of.Sys().(*syscall.Stat_t).Uid)
	for at := dir; at != os.TempDir() && at != "/"; at = filepath.Dir(at) {
		require.NoError(t, os.Chmod(at, 0o755))
	}
	require.NoError(t, os.Chown(dir, owner, owner))
	ask := func(sql string) error {
		_, err := s.App.Store.Pool().Exec(context.Background(), sql)
		return err
	}
	if err := ask(fmt.Sprintf("create tablespace small location '%s'", dir)); err != nil {
		t.Skipf("the database reaches no folder of ours here: %v", err)
	}
	t.Cleanup(func() {
		assert.NoError(t, ask("alter table place set tablespace pg_default"))
		assert.NoError(t, ask("drop table filler"))
		assert.NoError(t, ask("drop tablespace small"))
	})
	require.NoError(t, ask("alter table place set tablespace small"))
	require.NoError(t, ask("create table filler (bytes text) tablespace small"))
	for _, rows := range []int{100, 1} { // until not even one more fits
		for err = nil; err == nil; {
			err = ask(fmt.Sprintf("insert into filler select repeat(md5(n::text), 200) from generate_series(1, %d) n", rows))
		}
		require.ErrorContains(t, err, "No space left")
	}
	refused := error(nil)
	for n := 0; refused == nil && n < 5000; n++ {
		refused = s.Owner.Do(t.Context(), "POST", "/api/v1/places", map[string]any{"name": fmt.Sprint(n, strings.Repeat(" long", 20))}, nil)
	}
	assert.ErrorContains(t, refused, `"code":"disk_full"`)
	assert.ErrorContains(t, refused, "507")
}

func TestAFullDiskStopsAnUploadAndLosesNothing(t *testing.T) {
	t.Parallel()
	dir := smallDisk(t, 4)
	s := apptest.Start(t, pg, func(c *app.Config) { c.Blobs = dir })
	p := s.Pack(t, nil, nil)
	_, err := s.Owner.BeginUpload(t.Context(), map[string]string{"package": p.ID, "filename": "big.bin"}, 8_000_000)
	assert.ErrorContains(t, err, "There is no room for big.bin", "what cannot fit does not start")
	const size = 2_500_000
	var locations []string
	for range 2 { // each fits, both do not
		location, err := s.Owner.BeginUpload(t.Context(), map[string]string{"package": p.ID, "filename": "half.bin"}, size)
		require.NoError(t, err)
		locations = append(locations, location)
	}
	require.Equal(t, http.StatusNoContent, patch(t, s, locations[0], 0, strings.Repeat("a", size)).StatusCode)
	full := patch(t, s, locations[1], 0, strings.Repeat("b", size))
	assert.Equal(t, http.StatusInsufficientStorage, full.StatusCode)
	assert.Contains(t, string(full.Body), "What has arrived is safe")
	kept, err := strconv.Atoi(offset(t, s, locations[1]))
	require.NoError(t, err)
	assert.Positive(t, kept)

	require.NoError(t, syscall.Mount("tmpfs", dir, "tmpfs", syscall.MS_REMOUNT, "size=16m"))
	assert.Equal(t, http.StatusNoContent, patch(t, s, locations[1], int64(kept), strings.Repeat("b", size-kept)).StatusCode)
	assert.Len(t, s.Package(t, p.ID).Items, 2)
}
