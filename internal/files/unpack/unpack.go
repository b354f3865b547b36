// Package unpack looks into ZIP archives without unpacking them: what is inside,
// and single entries. Nothing from inside names a path on this machine; sizes
// that an archive claims are bounds, so that a small archive cannot become a
// large stream.
//
// It reads by archive/zip (PKWARE APPNOTE 6.3, stored and deflated entries).
package unpack

import (
	"archive/zip"
	"errors"
	"fmt"
	"hash/crc32"
	"io"
	"strings"
	"time"

	"aftergust/core/file/coverage"
	"aftergust/core/file/naming"
)

// Limits against archives that were made to do harm.
const (
	MaxEntries = 100_000
	// maxDirectory is how much of an archive is read to learn what is in it, in bytes.
	maxDirectory = 64 << 20
	// maxDepth is how many folders deep an entry is shown; what lies deeper is shown there.
	maxDepth = 64
	// maxRatio is how many times larger an entry may become than it is packed.
	// Deflate itself reaches about 1030 (RFC 1951: 258 bytes in two bits).
	maxRatio = 1100
)

// Errors of this package. Their texts are for people.
var (
	ErrNotZip  = errors.New("its contents cannot be listed; the file itself can be delivered")
	ErrTooMany = errors.New("it holds too much to list, more than 100 000 entries or a list of more than 64 MiB; the file itself can be delivered")
	ErrLocked  = errors.New("this entry needs a password; take the whole archive")
	ErrBomb    = errors.New("this entry claims to be far larger than its packed bytes can hold; take the whole archive, with care")
	ErrMissing = errors.New("there is no such entry")
	ErrMethod  = errors.New("this entry is packed in a way that is not read here; take the whole archive")
	ErrBroken  = errors.New("this entry is damaged in the archive")
)

// An Entry is one file or folder of an archive.
type Entry struct {
	Index    int       `json:"index" doc:"place in the archive, by which it is asked for"`
	Path     string    `json:"path" doc:"slash-separated, as it may be shown"`
	Folder   bool      `json:"folder"`
	Size     int64     `json:"size" doc:"bytes, unpacked"`
	Packed   int64     `json:"packed" doc:"bytes in the archive"`
	Modified time.Time `json:"modified"`
	Locked   bool      `json:"locked" doc:"needs a password"`
	Strays   bool      `json:"strays" doc:"its name would lead out of the folder it is unpacked into; shown and taken under a safe name"`
}

// An Archive is an open ZIP.
type Archive struct {
	zip     *zip.Reader
	entries []Entry
}

// Open reads the directory of a ZIP of size bytes.
func Open(r io.ReaderAt, size int64) (*Archive, error) {
	directory := &bounded{r: r, left: maxDirectory}
	z, err := zip.NewReader(directory, size)
	if errors.Is(err, ErrTooMany) {
		return nil, ErrTooMany
	}
	directory.read = true
	if err != nil && !errors.Is(err, zip.ErrInsecurePath) {
		return nil, fmt.Errorf("%w (%w)", ErrNotZip, err)
	}
	if len(z.File) > MaxEntries {
		return nil, ErrTooMany
	}
	a := &Archive{zip: z, entries: make([]Entry, 0, len(z.File))}
	for i, f := range z.File {
		name := strings.ToValidUTF8(f.Name, "\ufffd")
		a.entries = append(a.entries, Entry{
			Index: i, Path: shown(name), Folder: strings.HasSuffix(name, "/"), Size: int64(f.UncompressedSize64), Packed: int64(f.CompressedSize64),
			Modified: f.Modified, Locked: f.Flags&1 != 0, Strays: strays(name),
		})
	}
	return a, nil
}

// bounded reads so much of an archive and no more, until its directory is read.
type bounded struct {
	r    io.ReaderAt
	left int64
	read bool
}

func (b *bounded) ReadAt(p []byte, at int64) (int, error) {
	if b.read {
		return b.r.ReadAt(p, at)
	}
	if b.left -= int64(len(p)); b.left < 0 {
		return 0, ErrTooMany
	}
	return b.r.ReadAt(p, at)
}

// shown is a path as it may be shown: every element clean, none leading upwards.
func shown(name string) string {
	var kept []string
	for element := range strings.SplitSeq(strings.ReplaceAll(name, `\`, "/"), "/") {
		if element != "" && element != "." && element != ".." {
			kept = append(kept, element)
		}
	}
	if len(kept) == 0 {
		return "unnamed"
	}
	kept = kept[max(0, len(kept)-maxDepth):]
	for i := range kept {
		kept[i] = naming.Display(kept[i])
	}
	return strings.Join(kept, "/")
}

func strays(name string) bool {
	name = strings.ReplaceAll(name, `\`, "/")
	if strings.HasPrefix(name, "/") || (len(name) > 1 && name[1] == ':') {
		return true
	}
	for element := range strings.SplitSeq(name, "/") {
		if element == ".." {
			return true
		}
	}
	return false
}

// Entries are all entries in the order of the archive.
func (a *Archive) Entries() []Entry { return a.entries }

// Totals are how many files there are, how large they are unpacked, in bytes,
// and whether any needs a password.
func (a *Archive) Totals() (files int, unpacked int64, locked bool) {
	for _, e := range a.entries {
		if !e.Folder {
			files++
		}
		unpacked += max(0, e.Size)
		locked = locked || e.Locked
	}
	return files, unpacked, locked
}

// An Opened entry streams its unpacked bytes.
type Opened struct {
	Entry
	// Bytes is where its packed bytes lie in the archive.
	Bytes coverage.Range
	io.Reader
	close func() error
}

// Close ends it.
func (o *Opened) Close() error { return o.close() }

// Entry opens one entry. Reading gives exactly its size, or an error that wraps
// ErrBroken.
func (a *Archive) Entry(index int) (*Opened, error) {
	if index < 0 || index >= len(a.entries) || a.entries[index].Folder {
		return nil, ErrMissing
	}
	e, f := a.entries[index], a.zip.File[index]
	switch {
	case e.Locked:
		return nil, ErrLocked
	case e.Size < 0 || e.Packed < 0 || (e.Size > 1<<20 && e.Size/maxRatio > e.Packed):
		return nil, ErrBomb
	}
	at, err := f.DataOffset()
	if err != nil {
		return nil, fmt.Errorf("%w (%w)", ErrBroken, err)
	}
	r, err := f.Open()
	if errors.Is(err, zip.ErrAlgorithm) {
		return nil, ErrMethod
	}
	if err != nil {
		return nil, fmt.Errorf("%w (%w)", ErrBroken, err)
	}
	return &Opened{Entry: e, Bytes: coverage.Range{Start: at, End: at + e.Packed}, Reader: &exact{r: r, left: e.Size, want: f.CRC32},
		close: r.Close}, nil
}

// exact reads so many bytes with the right sum, or fails.
type exact struct {
	r    io.Reader
	left int64
	sum  uint32
	want uint32
}

func (x *exact) Read(p []byte) (int, error) {
	if x.left == 0 {
		if x.sum != x.want {
			return 0, ErrBroken
		}
		return 0, io.EOF
	}
	n, err := x.r.Read(p[:min(int64(len(p)), x.left)])
	x.left -= int64(n)
	x.sum = crc32.Update(x.sum, crc32.IEEETable, p[:n])
	if err == io.EOF && x.left > 0 {
		return n, ErrBroken
	}
	if err != nil && err != io.EOF {
		return n, fmt.Errorf("%w (%w)", ErrBroken, err)
	}
	return n, nil
}
