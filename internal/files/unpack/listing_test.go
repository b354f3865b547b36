package unpack_test

import (
	"archive/zip"
	"bytes"
	"fmt"
	"io"
	"strings"
	"testing"

	"aftergust/internal/files/unpack"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func paths(p unpack.Page) (out []string) {
	for _, e := range p.Entries {
		out = append(out, e.Path)
	}
	return out
}

func TestAListingIsReadFolderByFolderAndPageByPage(t *testing.T) {
	l := open(t, archive(t, "b10.txt", "b2.txt", "Stills/Day 10/x.txt", "Stills/Day 2/y.txt", "Stills/z.txt", "Empty/", "../out/../w.txt")).List()
	assert.Equal(t, 6, l.Files)
	top, ok := l.Page("", 0, 2)
	require.True(t, ok)
	assert.Equal(t, []unpack.Folder{{Path: "Empty"}, {Path: "out", Files: 1}, {Path: "Stills", Files: 3}}, top.Folders)
	assert.Equal(t, []string{"b2.txt", "b10.txt"}, paths(top), "as people expect numbers")
	assert.Zero(t, top.Next)
	stills, ok := l.Page("Stills", 0, 100)
	require.True(t, ok)
	assert.Equal(t, []unpack.Folder{{Path: "Stills/Day 2", Files: 1}, {Path: "Stills/Day 10", Files: 1}}, stills.Folders)
	assert.Equal(t, []string{"Stills/z.txt"}, paths(stills))
	for _, missing := range []string{"stills", "Stills/", "..", "b2.txt"} {
		_, ok = l.Page(missing, 0, 10)
		assert.False(t, ok, missing)
	}
	var names []string
	for i := range 25 {
		names = append(names, fmt.Sprintf("in/%d.txt", i))
	}
	l = open(t, archive(t, names...)).List()
	var got []string
	for after := 0; ; {
		p, ok := l.Page("in", after, 10)
		require.True(t, ok)
		assert.Equal(t, 25, p.Here)
		got = append(got, paths(p)...)
		if after = p.Next; after == 0 {
			break
		}
	}
	assert.Equal(t, names, got, "each once, none left out")
	beyond, ok := l.Page("in", 1<<40, 10)
	require.True(t, ok)
	assert.Empty(t, beyond.Entries)
	whole := l.Whole()
	assert.Equal(t, names, paths(whole))
	assert.Equal(t, []unpack.Folder{{Path: "in", Files: 25}}, whole.Folders)
}

// Archives that were made to cost much: endless folders in one name, and a directory
// of names that fills the memory before anything is counted.
func TestNamesThatWereMadeToDoHarmCostLittle(t *testing.T) {
	deep := strings.Repeat("a/", 30_000)
	raw := func(names ...string) []byte {
		var out bytes.Buffer
		z := zip.NewWriter(&out)
		for _, name := range names {
			_, err := z.CreateRaw(&zip.FileHeader{Name: name})
			require.NoError(t, err)
		}
		require.NoError(t, z.Close())
		return out.Bytes()
	}
	names := make([]string, 50)
	for i := range names {
		names[i] = deep + fmt.Sprint(i)
	}
	l := open(t, raw(names...)).List()
	assert.Equal(t, 50, l.Files)
	assert.Less(t, l.Len(), 200, "what lies deeper than is shown is shown there")

	long := strings.Repeat("n", 65_000)
	names = make([]string, 1100) // 71 MB of names
	for i := range names {
		names[i] = fmt.Sprint(i, long)[:65_000]
	}
	out := raw(names...)
	read := &counting{ReaderAt: bytes.NewReader(out)}
	_, err := unpack.Open(read, int64(len(out)))
	require.ErrorIs(t, err, unpack.ErrTooMany)
	assert.Less(t, read.bytes, int64(66<<20))
}

type counting struct {
	io.ReaderAt
	bytes int64
}

func (c *counting) ReadAt(p []byte, at int64) (int, error) {
	c.bytes += int64(len(p))
	return c.ReaderAt.ReadAt(p, at)
}
