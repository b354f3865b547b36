package keep_test

import (
	"context"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"aftergust/core/file/damage"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/files/keep"
	"aftergust/internal/ground"
	"aftergust/internal/parts/gather"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func blobOf(t *testing.T, h *apptest.House, i gather.Item) (id string) {
	t.Helper()
	require.NoError(t, h.Store.Pool().QueryRow(t.Context(), "select blob_id from version where id = $1", i.VersionID).Scan(&id))
	return id
}

// at is where the file of a blob lies.
func at(h *apptest.House, blob string) string {
	return filepath.Join(h.Host.Blobs, blob[len(blob)-2:], blob)
}

// harms are what can happen to a file, by the damage that it is.
var harms = map[damage.Damage]func(path string) error{
	damage.Missing: os.Remove,
	damage.Length:  func(path string) error { return os.Truncate(path, 3) },
	damage.Altered: func(path string) error { return os.WriteFile(path, []byte("LIFEboat"), 0o600) },
}

func content(t *testing.T, h *apptest.House, blob string) string {
	t.Helper()
	f, err := h.Bytes.Open(t.Context(), blob, 0)
	require.NoError(t, err)
	defer f.Close()
	all, err := io.ReadAll(f)
	require.NoError(t, err)
	return string(all)
}

// Whoever uploads the same file again because the first is broken must not lose the good bytes
// to the broken ones an hour later.
func TestUploadingTheSameFileAgainHealsTheDamagedOne(t *testing.T) {
	for harm, do := range harms {
		t.Run(string(harm), func(t *testing.T) {
			h := apptest.Build(t, pg)
			old := h.File(h.Mara, "", "a.mov", "lifeboat")
			require.NoError(t, h.Keep.Digest(t.Context(), old.BlobID))
			require.NoError(t, do(at(h, old.BlobID)))
			again := h.File(h.Mara, "", "b.mov", "lifeboat")
			require.NoError(t, h.Keep.Digest(t.Context(), again.BlobID))
			h.Draft(h.Mara, []string{old.ID, again.ID}) // which holds them
			for range 3 {
				h.Wait(2 * time.Hour)
				require.NoError(t, h.Keep.Clear(t.Context()))
			}
			for _, i := range []gather.Item{old, again} {
				assert.Equal(t, "lifeboat", content(t, h, blobOf(t, h, i)), i.Name)
			}
			n, err := h.Keep.Damaged(t.Context())
			require.NoError(t, err)
			assert.Zero(t, n)
		})
	}
}

func TestBytesThatChangedBeforeTheirDigestAreDamagedAndSharedWithNobody(t *testing.T) {
	h := apptest.Build(t, pg)
	good, bad := h.File(h.Mara, "", "a.mov", "lifeboat"), h.File(h.Mara, "", "b.mov", "lifeboat")
	require.NoError(t, h.Keep.Digest(t.Context(), good.BlobID))
	require.NoError(t, harms[damage.Altered](at(h, bad.BlobID)))
	require.NoError(t, h.Keep.Digest(t.Context(), bad.BlobID))
	assert.Equal(t, bad.BlobID, blobOf(t, h, bad))
	known, err := h.Keep.DamagedOf(t.Context(), []string{good.BlobID, bad.BlobID})
	require.NoError(t, err)
	assert.Equal(t, map[string]damage.Damage{bad.BlobID: damage.Altered}, known)
}

func TestEveryDamageIsFoundByALookOrByReading(t *testing.T) {
	h := apptest.Build(t, pg)
	by := map[string]damage.Damage{}
	for harm, do := range harms {
		i := h.File(h.Mara, "", string(harm)+".mov", "lifeboat")
		by[i.BlobID] = harm
		require.NoError(t, do(at(h, i.BlobID)))
	}
	h.File(h.Mara, "", "whole.mov", "lifeboat")
	_, _, _, err := h.Bytes.Put(t.Context(), ground.NewID(), strings.NewReader("of nobody"))
	require.NoError(t, err)
	found := map[string]damage.Damage{}
	tell := func(f keep.Finding) { found[f.Blob] = f.Damage }

	h.Wait(2 * time.Hour)
	seen, err := h.Keep.LookAll(t.Context(), tell)
	require.NoError(t, err)
	assert.Equal(t, 4, seen)
	assert.Len(t, found, 3, "two are missing or short, and one file belongs to nobody: %v", found)

	clear(found)
	seen, read, err := h.Keep.ReadAll(t.Context(), h.Now(), 0, 0, tell)
	require.NoError(t, err)
	assert.Equal(t, [2]int64{4, 4 * 8}, [2]int64{int64(seen), read})
	assert.Equal(t, by, found)
	known, err := h.Keep.Damaged(t.Context())
	require.NoError(t, err)
	assert.Equal(t, 3, known)

	clear(found)
	_, err = h.Keep.LookAll(t.Context(), tell)
	require.NoError(t, err)
	known, err = h.Keep.Damaged(t.Context())
	require.NoError(t, err)
	assert.Equal(t, 3, known, "a look without reading does not take back what reading found")
}

// Three terabytes are not read in one sitting.
func TestReadingGoesOnWhereItStopped(t *testing.T) {
	h := apptest.Build(t, pg)
	for range 5 {
		h.File(h.Mara, "", "a.mov", "lifeboat")
	}
	began := h.Now()
	h.Wait(time.Minute)
	read := func(ctx context.Context, most int64) int {
		seen, _, err := h.Keep.ReadAll(ctx, began, 0, most, func(keep.Finding) {})
		if ctx.Err() == nil {
			require.NoError(t, err)
		}
		return seen
	}
	assert.Equal(t, 2, read(t.Context(), 16), "as many as make sixteen bytes")
	stopped, stop := context.WithCancel(t.Context())
	stop()
	assert.Zero(t, read(stopped, 0))
	assert.Equal(t, 3, read(t.Context(), 0), "the rest")
	assert.Zero(t, read(t.Context(), 0))
}
