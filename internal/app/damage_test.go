package app_test

import (
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"aftergust/internal/dev/apptest"
	"aftergust/internal/parts/follow"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// fileOf is where the bytes of an item lie.
func fileOf(t *testing.T, s *apptest.Studio, name string) string {
	t.Helper()
	var id string
	require.NoError(t, s.App.Store.Pool().QueryRow(t.Context(), `
		select v.blob_id from version v join item i on i.current_version_id = v.id where i.name = $1`, name).Scan(&id))
	return filepath.Join(s.Blobs, id[len(id)-2:], id)
}

// A download of a damaged file is refused with the reason, and not cut off after a 200, which
// looks like a bad connection and is tried again and again.
func TestADamagedFileIsRefusedWithTheReasonAndTheRestGoesOut(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	p := s.Send(t, s.Pack(t, []string{apptest.File(t, "cut.mov", 3_000_000), apptest.File(t, "stems.wav", 2_000_000)},
		map[string][]string{"hanne@kelpwick.example": {"see", "take"}}))
	hanne := p.Recipients[0]
	item := func(name string) apptest.Item {
		for _, i := range p.Items {
			if i.Name == name {
				return i
			}
		}
		return apptest.Item{}
	}
	zip := "/r/" + hanne.Token() + "/zip/all.zip"
	require.Equal(t, http.StatusOK, s.Get(t, zip).StatusCode)
	require.NoError(t, os.Truncate(fileOf(t, s, "cut.mov"), 1_000_000))

	for _, path := range []string{hanne.Path(item("cut.mov")), zip} {
		answer := s.Get(t, path)
		assert.Equal(t, http.StatusConflict, answer.StatusCode, path)
		assert.Contains(t, answer.Problem(), "damaged", path)
		assert.Contains(t, string(answer.Body), "cut.mov", "it says which file")
	}
	assert.Equal(t, http.StatusOK, s.Get(t, hanne.Path(item("stems.wav"))).StatusCode, "the rest goes out")

	// Everybody who has to know is told.
	var desk struct {
		Needs []struct{ Kind, Saying, Title string }
	}
	s.Do(t, "GET", "/desk", nil, &desk)
	require.Len(t, desk.Needs, 1)
	assert.Equal(t, "1 stored file is damaged: upload it again", desk.Needs[0].Saying)
	assert.Contains(t, desk.Needs[0].Title, "cut.mov")
	assert.Equal(t, "ready\n1 stored file is damaged; aftergust verify names them\n", string(s.Get(t, "/readyz").Body))
	assert.Contains(t, string(s.Get(t, "/metrics").Body), "aftergust_damaged_files 1\n")

	// Uploading the file again mends what was sent.
	again := apptest.File(t, "cut.mov", 3_000_000)
	_, err := s.Owner.Upload(t.Context(), s.Pack(t, nil, nil).ID, again, "")
	require.NoError(t, err)
	apptest.Eventually(t, "it is whole again", func() bool { return s.Get(t, hanne.Path(item("cut.mov"))).StatusCode == http.StatusOK })
	assert.Equal(t, "ready\n", string(s.Get(t, "/readyz").Body))
}

// In a ZIP of very many files not each is looked at before the first byte.
func TestAZIPThatBrokeOffAtADamagedFileSaysNextTimeWhichItIs(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	const files = 210
	dir := t.TempDir()
	var paths []string
	for i := range files {
		path := filepath.Join(dir, fmt.Sprintf("frame_%04d.txt", i))
		require.NoError(t, os.WriteFile(path, []byte(strings.Repeat(fmt.Sprint(i), 100)), 0o600))
		paths = append(paths, path)
	}
	p := s.Send(t, s.Pack(t, paths, map[string][]string{"hanne@kelpwick.example": {"see", "take"}}))
	require.NoError(t, os.Remove(fileOf(t, s, "frame_0177.txt")))
	zip := s.Base + "/r/" + p.Recipients[0].Token() + "/zip/all.zip"
	first, err := http.Get(zip)
	require.NoError(t, err)
	require.Equal(t, http.StatusOK, first.StatusCode)
	_, err = io.Copy(io.Discard, first.Body)
	assert.ErrorIs(t, err, io.ErrUnexpectedEOF)
	require.NoError(t, first.Body.Close())
	apptest.Eventually(t, "it is known which file it is", func() bool {
		n, err := s.App.Keep.Damaged(t.Context())
		return err == nil && n == 1
	})
	answer := s.Get(t, "/r/"+p.Recipients[0].Token()+"/zip/all.zip")
	assert.Equal(t, http.StatusConflict, answer.StatusCode)
	assert.Contains(t, string(answer.Body), "frame_0177.txt")
}

// What verify said of a damaged folder was: 0 differences.
func TestVerifyNamesDamagedFiles(t *testing.T) {
	t.Parallel()
	b := startBinary(t)
	var p apptest.Package
	require.NoError(t, b.owner.Do(t.Context(), "POST", "/api/v1/packages", map[string]any{}, &p))
	_, err := b.owner.Upload(t.Context(), p.ID, apptest.File(t, "cut.bin", 500_000), "")
	require.NoError(t, err)
	assert.Contains(t, b.run(t, "verify", "-bytes", "-since", "0s"), " 1 read (500 kB), 0 damaged.")

	var files []string
	require.NoError(t, filepath.WalkDir(b.blobs, func(path string, d os.DirEntry, err error) error {
		if err == nil && d.Type().IsRegular() {
			files = append(files, path)
		}
		return err
	}))
	require.Len(t, files, 1)
	content, err := os.ReadFile(files[0])
	require.NoError(t, err)
	content[250_000] ^= 1
	require.NoError(t, os.WriteFile(files[0], content, 0o600))
	assert.NotContains(t, b.run(t, "verify"), filepath.Base(files[0]), "without reading nobody can see it")
	out := b.fails(t, "verify", "-bytes", "-since", "0s")
	assert.Contains(t, out, "file "+filepath.Base(files[0])+": altered")
	assert.Contains(t, out, "1 damaged")
	assert.Contains(t, out, "backup")
}

// A receipt that somebody wrote into the database by hand proves nothing: what happened is in
// the chain of events, and verify -mend goes by that.
func TestAForgedReceiptIsTakenBackAndALostOneRestored(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	p := s.Send(t, s.Pack(t, []string{apptest.File(t, "cut.mov", 30_000)}, map[string][]string{
		"hanne@kelpwick.example": {"see", "take"}, "piet@kelpwick.example": {"see", "take"}}))
	hanne, piet := p.Recipients[0], p.Recipients[1]
	_, err := s.Guest().Fetch(t.Context(), hanne.Path(p.Items[0]), "")
	require.NoError(t, err)
	_, err = s.Guest().Fetch(t.Context(), piet.Path(p.Items[0]), "bytes=0-99")
	require.NoError(t, err)
	share := func() [2]float64 {
		rows := s.Ledger(t, p.ID)
		return [2]float64{float64(rows[0].Cells0()), float64(rows[1].Cells0())}
	}
	apptest.Eventually(t, "both are recorded", func() bool { return share() == [2]float64{30_000, 100} })
	statuses := func() (all []string) {
		for _, row := range s.Ledger(t, p.ID) {
			all = append(all, row.Status)
		}
		return all
	}
	verify := func(mend bool) (found []string) {
		_, err := s.App.Verifier.Verify(t.Context(), mend, func(d follow.Difference) { found = append(found, d.String()) })
		require.NoError(t, err)
		return found
	}
	was := statuses()
	require.Empty(t, verify(false))

	_, err = s.App.Store.Pool().Exec(t.Context(), `update coverage set bytes = '{[0,30000)}', completed_at = now(), delivered = 30000
		where line_id = $1`, piet.ID)
	require.NoError(t, err)
	_, err = s.App.Store.Pool().Exec(t.Context(), "delete from coverage where line_id = $1", hanne.ID)
	require.NoError(t, err)
	assert.Contains(t, strings.Join(verify(false), "\n"), "1 complete without an event, 1 incomplete against one")
	verify(true)
	assert.Empty(t, verify(false))
	assert.Equal(t, was[0], statuses()[0], "she has it, as the chain tells")
	assert.NotEqual(t, was[0], statuses()[1], "he does not")
	assert.Equal(t, [2]float64{30_000, 0}, share())
}
