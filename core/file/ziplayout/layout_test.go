package ziplayout_test

import (
	"archive/zip"
	"bytes"
	"fmt"
	"hash/crc32"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"aftergust/core/file/ziplayout"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

var modified = time.Date(2026, 11, 25, 10, 6, 31, 0, time.UTC)

// assemble writes the bytes of a range, with the files' bytes from contents.
func assemble(t require.TestingT, l *ziplayout.Layout, contents [][]byte, start, end int64) []byte {
	var b bytes.Buffer
	for piece := range l.Pieces(start, end) {
		if piece.Bytes != nil {
			require.EqualValues(t, len(piece.Bytes), piece.Length)
			b.Write(piece.Bytes)
			continue
		}
		b.Write(contents[piece.Entry][piece.Offset : piece.Offset+piece.Length])
	}
	return b.Bytes()
}

func plan(t require.TestingT, contents [][]byte) *ziplayout.Layout {
	entries := make([]ziplayout.Entry, len(contents))
	for i, c := range contents {
		entries[i] = ziplayout.Entry{
			Name:     fmt.Sprintf("Stills/ü %d.jpg", i),
			Size:     int64(len(c)),
			CRC32:    crc32.ChecksumIEEE(c),
			Modified: modified,
		}
	}
	l, err := ziplayout.New(entries)
	require.NoError(t, err)
	return l
}

// Source: PKWARE APPNOTE 6.3, 4.3.16: an archive without entries is its end record of 22 bytes.
func TestAnEmptyArchiveHas22Bytes(t *testing.T) {
	l, err := ziplayout.New(nil)
	require.NoError(t, err)
	assert.EqualValues(t, 22, l.Length())
	assert.Equal(t, append([]byte("PK\x05\x06"), make([]byte, 18)...), assemble(t, l, nil, 0, l.Length()))
}

func TestAnySplitOfTheArchiveGivesTheSameBytes(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		contents := rapid.SliceOfN(rapid.SliceOfN(rapid.Byte(), 0, 40), 0, 8).Draw(t, "contents")
		l := plan(t, contents)
		whole := assemble(t, l, contents, 0, l.Length())
		require.EqualValues(t, l.Length(), len(whole))
		start := rapid.Int64Range(0, l.Length()).Draw(t, "start")
		end := rapid.Int64Range(start, l.Length()+5).Draw(t, "end")
		require.True(t, bytes.Equal(whole[start:min(end, l.Length())], assemble(t, l, contents, start, end)))

		reader, err := zip.NewReader(bytes.NewReader(whole), l.Length())
		require.NoError(t, err)
		require.Len(t, reader.File, len(contents))
		for i, file := range reader.File {
			require.Equal(t, l.Entry(i).Name, file.Name)
			require.True(t, file.Modified.Equal(modified), "the second survives in the extended timestamp")
			opened, err := file.Open()
			require.NoError(t, err)
			got, err := io.ReadAll(opened) // verifies the CRC as well
			require.NoError(t, err)
			require.True(t, bytes.Equal(contents[i], got))
		}
	})
}

// write lays the archive on disk; content that is all zeros becomes a hole.
func write(t *testing.T, l *ziplayout.Layout, file string, content func(entry int, offset, length int64) []byte) {
	f, err := os.Create(file)
	require.NoError(t, err)
	defer f.Close()
	var at int64
	for piece := range l.Pieces(0, l.Length()) {
		block := piece.Bytes
		if block == nil {
			block = content(piece.Entry, piece.Offset, piece.Length)
		}
		if block != nil {
			_, err = f.WriteAt(block, at)
			require.NoError(t, err)
		}
		at += piece.Length
	}
	require.NoError(t, f.Truncate(l.Length()))
}

// accepted has two programs read an archive, of which unzip, the slower, reads only what is named, or all.
func accepted(t *testing.T, file string, names ...string) {
	t.Helper()
	out, err := exec.Command("unzip", append([]string{"-tqq", file}, names...)...).CombinedOutput()
	require.NoError(t, err, "unzip -t: %s", out)
	out, err = exec.Command("7z", "t", "-bd", file).CombinedOutput()
	require.NoError(t, err, "7z t: %s", out)
	assert.NotContains(t, string(out), "WARNING")
}

// Reference programs: Info-ZIP unzip and zipinfo, 7-Zip.
func TestOtherProgramsAcceptTheArchive(t *testing.T) {
	contents := [][]byte{[]byte("lifeboat"), {}, bytes.Repeat([]byte{7}, 100_000)}
	l := plan(t, contents)
	file := filepath.Join(t.TempDir(), "package.zip")
	write(t, l, file, func(i int, offset, length int64) []byte { return contents[i][offset : offset+length] })
	accepted(t, file)
	out, err := exec.Command("zipinfo", "-v", file).Output()
	require.NoError(t, err)
	assert.Equal(t, 3, strings.Count(string(out), "compression method:                             none (stored)"))
	assert.NotContains(t, string(out), "ZIP64", "nothing here needs ZIP64")
}

func TestAnArchiveBeyondFourGiBIsZIP64WhereNeeded(t *testing.T) {
	if testing.Short() {
		t.Skip("writes and reads more than 4 GiB")
	}
	const big = 4<<30 + 1<<20
	sum := zerosCRC(big)
	small := []byte("after the big one")
	l, err := ziplayout.New([]ziplayout.Entry{
		{Name: "rushes.mov", Size: big, CRC32: sum, Modified: modified},
		{Name: "notes.txt", Size: int64(len(small)), CRC32: crc32.ChecksumIEEE(small), Modified: modified},
	})
	require.NoError(t, err)
	file := filepath.Join(t.TempDir(), "big.zip")
	write(t, l, file, func(i int, _, _ int64) []byte {
		if i == 0 {
			return nil // a hole: the file is all zeros
		}
		return small
	})
	accepted(t, file, "notes.txt")
	reader, err := zip.OpenReader(file)
	require.NoError(t, err)
	defer reader.Close()
	assert.EqualValues(t, big, reader.File[0].UncompressedSize64)
	opened, err := reader.File[1].Open()
	require.NoError(t, err)
	got, err := io.ReadAll(opened)
	require.NoError(t, err)
	assert.Equal(t, small, got)
}

func TestSeventyThousandEntriesAreAccepted(t *testing.T) {
	const count = 70_000
	entries := make([]ziplayout.Entry, count)
	for i := range entries {
		entries[i] = ziplayout.Entry{Name: fmt.Sprintf("frames/%06d.txt", i), Size: 1, CRC32: crc32.ChecksumIEEE([]byte("x")), Modified: modified}
	}
	l, err := ziplayout.New(entries)
	require.NoError(t, err)
	file := filepath.Join(t.TempDir(), "many.zip")
	f, err := os.Create(file)
	require.NoError(t, err)
	var b bytes.Buffer
	for piece := range l.Pieces(0, l.Length()) {
		if piece.Bytes == nil {
			b.WriteByte('x')
		}
		b.Write(piece.Bytes)
	}
	_, err = f.Write(b.Bytes())
	require.NoError(t, err)
	require.NoError(t, f.Close())
	accepted(t, file)
	reader, err := zip.OpenReader(file)
	require.NoError(t, err)
	defer reader.Close()
	assert.Len(t, reader.File, count)
}

func TestTheThresholdsOfZIP64(t *testing.T) {
	length := func(size int64) int64 {
		l, err := ziplayout.New([]ziplayout.Entry{{Name: "a", Size: size, Modified: modified}})
		require.NoError(t, err)
		return l.Length() - size
	}
	plain := length(0)
	assert.Equal(t, plain, length(1<<31))
	assert.Equal(t, plain+20+20+76, length(0xffffffff), "size in both headers, and the directory lies beyond 4 GiB")
	// APPNOTE 4.4.1.4: a field of 0xFFFF or 0xFFFFFFFF itself says "see ZIP64".
	assert.Equal(t, plain+76, length(0xffffffff-40), "only the directory lies beyond")
	assert.Equal(t, plain, length(0xffffffff-41), "the directory begins one byte before the limit")
}

func TestEntriesThatDoNotFitAreRefused(t *testing.T) {
	for _, e := range []ziplayout.Entry{{Name: ""}, {Name: strings.Repeat("a", 65536)}, {Name: "a", Size: -1}} {
		_, err := ziplayout.New([]ziplayout.Entry{e})
		assert.ErrorIs(t, err, ziplayout.ErrEntry)
	}
}

func TestAPetabyteIsPlannedWithoutReadingIt(t *testing.T) {
	entries := make([]ziplayout.Entry, 10_000)
	for i := range entries {
		entries[i] = ziplayout.Entry{Name: fmt.Sprintf("%d.mov", i), Size: 1 << 40}
	}
	l, err := ziplayout.New(entries)
	require.NoError(t, err)
	middle := l.Length() / 2
	for piece := range l.Pieces(middle, middle+10) {
		assert.Equal(t, ziplayout.Piece{Entry: 5000, Offset: piece.Offset, Length: 10}, piece)
	}
}

func zerosCRC(size int64) uint32 {
	block := make([]byte, 1<<20)
	var sum uint32
	for ; size > 0; size -= int64(len(block)) {
		sum = crc32.Update(sum, crc32.IEEETable, block[:min(size, int64(len(block)))])
	}
	return sum
}

// Source: PKWARE APPNOTE 6.3, 4.4.6 and the MS-DOS form of dates, from memory: 7 bits of years since
// 1980, 4 of months, 5 of days; 5 bits of hours, 6 of minutes, 5 of two seconds each.
func TestTheOldFormOfADateHoldsFrom1980To2107(t *testing.T) {
	for at, want := range map[time.Time][2]uint16{
		time.Date(1979, 12, 31, 23, 59, 59, 0, time.UTC): {0, 0<<9 | 1<<5 | 1},
		time.Date(1980, 1, 1, 0, 0, 2, 0, time.UTC):      {1, 0<<9 | 1<<5 | 1},
		time.Date(1981, 2, 3, 4, 5, 7, 0, time.UTC):      {4<<11 | 5<<5 | 3, 1<<9 | 2<<5 | 3},
		time.Date(2026, 11, 25, 10, 6, 31, 0, time.UTC):  {10<<11 | 6<<5 | 15, 46<<9 | 11<<5 | 25},
		time.Date(2107, 12, 31, 23, 59, 58, 0, time.UTC): {23<<11 | 59<<5 | 29, 127<<9 | 12<<5 | 31},
		time.Date(2108, 1, 1, 0, 0, 0, 0, time.UTC):      {23<<11 | 59<<5 | 29, 127<<9 | 12<<5 | 31},
	} {
		l, err := ziplayout.New([]ziplayout.Entry{{Name: "a", Modified: at}})
		require.NoError(t, err)
		whole := assemble(t, l, [][]byte{nil}, 0, l.Length())
		reader, err := zip.NewReader(bytes.NewReader(whole), l.Length())
		require.NoError(t, err)
		assert.Equal(t, want, [2]uint16{reader.File[0].ModifiedTime, reader.File[0].ModifiedDate}, at)
		// In both headers: the local one has its time at byte 10.
		assert.Equal(t, []byte{byte(want[0]), byte(want[0] >> 8), byte(want[1]), byte(want[1] >> 8)}, whole[10:14], at)
	}
}

func TestTwoPlansAreOneOnlyWhenAllIsTheSame(t *testing.T) {
	one := ziplayout.Entry{Name: "a.wav", Size: 4, CRC32: 7, Modified: modified}
	sum := func(change func(e *ziplayout.Entry)) uint32 {
		e := one
		change(&e)
		l, err := ziplayout.New([]ziplayout.Entry{e})
		require.NoError(t, err)
		return l.Checksum()
	}
	same := sum(func(*ziplayout.Entry) {})
	assert.Equal(t, same, sum(func(*ziplayout.Entry) {}))
	for name, change := range map[string]func(e *ziplayout.Entry){
		"name": func(e *ziplayout.Entry) { e.Name = "b.wav" },
		"size": func(e *ziplayout.Entry) { e.Size++ },
		"sum":  func(e *ziplayout.Entry) { e.CRC32++ },
		"time": func(e *ziplayout.Entry) { e.Modified = modified.Add(time.Second) },
	} {
		assert.NotEqual(t, same, sum(change), name)
	}
}

// Source: APPNOTE 4.4.15 with the practice of Info-ZIP: a folder is an entry of no
// bytes whose name ends with a slash; zipinfo shows it as one.
func TestAFolderWithNothingInItIsAFolder(t *testing.T) {
	l, err := ziplayout.New([]ziplayout.Entry{{Name: "a.txt", Modified: modified}, {Name: "Empty/Within/", Modified: modified}})
	require.NoError(t, err)
	file := filepath.Join(t.TempDir(), "folders.zip")
	write(t, l, file, nil)
	accepted(t, file)
	out, err := exec.Command("unzip", "-Z", "-s", file).CombinedOutput()
	require.NoError(t, err)
	assert.Regexp(t, `(?m)^drwxr-xr-x .* 0 .* Empty/Within/$`, string(out))
	assert.Regexp(t, `(?m)^-rw-r--r-- .* a.txt$`, string(out))
	into := t.TempDir()
	out, err = exec.Command("unzip", "-q", file, "-d", into).CombinedOutput()
	require.NoError(t, err, string(out))
	made, err := os.Stat(filepath.Join(into, "Empty", "Within"))
	require.NoError(t, err)
	assert.True(t, made.IsDir())
	_, err = ziplayout.New([]ziplayout.Entry{{Name: "Empty/", Size: 1}})
	require.ErrorIs(t, err, ziplayout.ErrEntry)
}
