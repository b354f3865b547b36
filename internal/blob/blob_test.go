package blob_test

import (
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"

	. "aftergust/internal/blob"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const id = "06h14kp8o5f77un7k4edb0qd"

func TestABlobIsAdoptedOpenedAndDeleted(t *testing.T) {
	disk, err := OpenDisk(t.TempDir())
	require.NoError(t, err)
	upload := filepath.Join(disk.Incoming(), "upload")
	require.NoError(t, os.WriteFile(upload, []byte("lifeboat"), 0o600))
	require.NoError(t, disk.Adopt(t.Context(), id, upload))
	require.NoError(t, disk.Adopt(t.Context(), id, upload), "adopting again is fine")
	require.NoError(t, os.Remove(upload))
	f, err := disk.Open(t.Context(), id)
	require.NoError(t, err)
	content, err := io.ReadAll(f)
	require.NoError(t, err)
	require.NoError(t, f.Close())
	assert.Equal(t, "lifeboat", string(content))
	assert.IsType(t, &os.File{}, f, "so that it is sent without passing through memory")
	require.NoError(t, disk.Delete(t.Context(), id))
	require.NoError(t, disk.Delete(t.Context(), id), "deleting again is fine")
	_, err = disk.Open(t.Context(), id)
	assert.ErrorIs(t, err, ErrNotFound)
	assert.ErrorIs(t, disk.Adopt(t.Context(), id, upload), ErrNotFound)
	free, err := disk.Free()
	require.NoError(t, err)
	assert.Positive(t, free)
}

func TestNoIdentifierLeavesTheFolder(t *testing.T) {
	root := t.TempDir()
	disk, err := OpenDisk(root)
	require.NoError(t, err)
	for _, bad := range []string{"", "..", "../../../../etc/passwd", "a/b/c/d/e/f/g", "short", strings.Repeat("../", 10) + "etc/passwd"} {
		path := disk.Path(bad)
		assert.True(t, strings.HasPrefix(path, root), path)
		_, err := disk.Open(t.Context(), bad)
		assert.ErrorIs(t, err, ErrNotFound, bad)
	}
}
