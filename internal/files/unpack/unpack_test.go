package unpack_test

import (
	"archive/zip"
	"bytes"
	"encoding/binary"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"aftergust/internal/files/unpack"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func open(t *testing.T, raw []byte) *unpack.Archive {
	t.Helper()
	a, err := unpack.Open(bytes.NewReader(raw), int64(len(raw)))
	require.NoError(t, err)
	return a
}

func archive(t *testing.T, names ...string) []byte {
	t.Helper()
	var out bytes.Buffer
	z := zip.NewWriter(&out)
	for _, name := range names {
		w, err := z.Create(name)
		require.NoError(t, err)
		if !strings.HasSuffix(name, "/") {
			_, err = w.Write([]byte(strings.Repeat(name+"\n", 500)))
			require.NoError(t, err)
		}
	}
	require.NoError(t, z.Close())
	return out.Bytes()
}

// Reference program: Info-ZIP's zipinfo lists the same names and sizes; Python's zipfile made the archive.
func TestAListingIsThatOfInfoZIP(t *testing.T) {
	file := filepath.Join(t.TempDir(), "a.zip")
	out, err := exec.Command("python3", "-c", `
import sys, zipfile
z = zipfile.ZipFile(sys.argv[1], 'w', zipfile.ZIP_DEFLATED)
z.writestr('Stills/', '')
for n in range(40): z.writestr('Stills/Caf\u00e9 %d.txt' % n, 'x' * n * 1000)
z.writestr(zipfile.ZipInfo('stored.bin'), b'\x00' * 999)
z.close()`, file).CombinedOutput()
	require.NoError(t, err, "%s", out)
	raw, err := os.ReadFile(file)
	require.NoError(t, err)
	listed, err := exec.Command("unzip", "-Z1", file).Output()
	require.NoError(t, err)
	a := open(t, raw)
	var names strings.Builder
	for _, e := range a.Entries() {
		names.WriteString(e.Path)
		if e.Folder {
			names.WriteString("/")
		}
		names.WriteString("\n")
	}
	assert.Equal(t, string(listed), names.String())
	files, unpacked, locked := a.Totals()
	assert.Equal(t, 41, files)
	assert.EqualValues(t, 1000*39*40/2+999, unpacked)
	assert.False(t, locked)
	for _, e := range a.Entries() {
		if e.Folder {
			continue
		}
		entry, err := a.Entry(e.Index)
		require.NoError(t, err)
		content, err := io.ReadAll(entry)
		require.NoError(t, err)
		assert.EqualValues(t, e.Size, len(content))
		assert.EqualValues(t, e.Packed, entry.Bytes.Len())
		require.NoError(t, entry.Close())
	}
}

func TestNamesThatLeadOutAreShownSafe(t *testing.T) {
	a := open(t, archive(t, "../../etc/passwd", "/abs.txt", `C:\win.txt`, `..\..\back.txt`, "a/./b.txt", "ok/../../up.txt",
		"in\x07visible.txt"))
	var paths []string
	var strays []bool
	for _, e := range a.Entries() {
		paths, strays = append(paths, e.Path), append(strays, e.Strays)
	}
	assert.Equal(t, []string{"etc/passwd", "abs.txt", "C:/win.txt", "back.txt", "a/b.txt", "ok/up.txt", "invisible.txt"}, paths)
	assert.Equal(t, []bool{true, true, true, true, false, true, false}, strays)
}

// patch writes into every header that has a signature (PKWARE APPNOTE 4.3.7 and 4.3.12).
func patch(raw []byte, signature uint32, at int, value []byte) []byte {
	out := bytes.Clone(raw)
	for i := 0; i+46 < len(out); i++ {
		if binary.LittleEndian.Uint32(out[i:]) == signature {
			copy(out[i+at:], value)
		}
	}
	return out
}

const central = 0x02014b50

func TestWhatAsksForAPasswordOrClaimsTooMuchIsNotUnpacked(t *testing.T) {
	raw := archive(t, "a.txt")
	locked := open(t, patch(raw, central, 8, []byte{1, 0})) // general purpose bit 0: encrypted
	assert.True(t, locked.Entries()[0].Locked)
	_, err := locked.Entry(0)
	assert.ErrorIs(t, err, unpack.ErrLocked)
	bomb := open(t, patch(raw, central, 24, []byte{0, 0, 0, 0x7f})) // claims two gigabytes
	_, err = bomb.Entry(0)
	assert.ErrorIs(t, err, unpack.ErrBomb)
	method := open(t, patch(raw, central, 10, []byte{14, 0})) // LZMA
	_, err = method.Entry(0)
	assert.ErrorIs(t, err, unpack.ErrMethod)
	_, err = locked.Entry(7)
	assert.ErrorIs(t, err, unpack.ErrMissing)
}

func TestADamagedEntryEndsWithAnErrorNotWithWrongBytes(t *testing.T) {
	raw := archive(t, "a.txt")
	for name, broken := range map[string][]byte{
		"a wrong sum":          patch(raw, central, 16, []byte{1, 2, 3, 4}),
		"shorter than claimed": patch(raw, central, 24, []byte{0xff, 0xff, 0, 0}),
	} {
		entry, err := open(t, broken).Entry(0)
		require.NoError(t, err, name)
		_, err = io.ReadAll(entry)
		assert.ErrorIs(t, err, unpack.ErrBroken, name)
	}
	for _, none := range [][]byte{nil, []byte("PK\x03\x04"), raw[:len(raw)-10], []byte(strings.Repeat("x", 5000))} {
		_, err := unpack.Open(bytes.NewReader(none), int64(len(none)))
		assert.ErrorIs(t, err, unpack.ErrNotZip)
	}
}
