// Package archive plans ZIPs of what is delivered, and keeps the plans, so that a
// download of many ranges, or many people at once, have one made for them all.
package archive

import (
	"fmt"
	"hash/crc32"
	"sync/atomic"
	"time"

	"aftergust/core/file/manifest"
	"aftergust/core/file/naming"
	"aftergust/core/file/ziplayout"
	"aftergust/internal/ground/shelf"
)

// An Entry is one file of a ZIP, or a folder with nothing in it, which has a path alone.
type Entry struct {
	ID       string // of the thing in its package or place
	Version  string
	Blob     string
	Path     string // as it is wanted, with folders; twins get numbers; of a folder it ends with a slash
	Size     int64
	CRC32    uint32
	Modified time.Time
	XXH3     []byte // of 128 bits, canonical; empty where it is not known
	SHA256   []byte // empty while it is not reckoned
	Text     string // what is written into the ZIP itself and lies nowhere else; empty for what was given
}

// Docs writes what goes along in a ZIP besides the files that it holds, under the
// names that they have there. The same files have the same docs.
type Docs func(files []manifest.File) []Entry

// A Plan is the exact bytes of a ZIP, before a file of it is read.
type Plan struct {
	Layout  *ziplayout.Layout
	Entries []Entry     // by entry of the layout
	Name    string      // of the ZIP
	Empty   []int       // files without bytes
	IDs     []string    // of the files
	Key     string      // names the state that it is of; empty where nothing keeps it
	Tag     string      // differs for each content, as an ETag
	Kept    atomic.Bool // what it holds is written down, so that it can be finished as it was begun
}

// NewPlans keeps plans with at most so many entries together.
func NewPlans(most int) *shelf.Shelf[*Plan] {
	return shelf.New(most, func(p *Plan) int { return len(p.Entries) })
}

// Folder is a folder with nothing in it.
func Folder(path string) Entry { return Entry{Path: path + "/"} }

func (e Entry) isFolder() bool { return e.Version == "" && e.Text == "" }

// New lays out a ZIP, with what docs writes about it; docs may be nil. Folders come
// after all files; those in which files lie are left out.
func New(entries []Entry, name string, docs Docs) (*Plan, error) {
	p := &Plan{Entries: make([]Entry, 0, len(entries)), Name: name, IDs: make([]string, 0, len(entries))}
	files := make([]ziplayout.Entry, 0, len(entries))
	var names naming.Namer
	for _, e := range entries {
		if e.isFolder() {
			if folder, ok := names.Folder(e.Path); ok {
				p.Entries, files = append(p.Entries, e), append(files, ziplayout.Entry{Name: folder})
			}
			continue
		}
		if e.Text != "" {
			e.Size, e.CRC32 = int64(len(e.Text)), crc32.ChecksumIEEE([]byte(e.Text))
		} else {
			p.IDs = append(p.IDs, e.ID)
		}
		if e.Size == 0 {
			p.Empty = append(p.Empty, len(p.Entries))
		}
		p.Entries = append(p.Entries, e)
		files = append(files, ziplayout.Entry{Name: names.Give(e.Path), Size: e.Size, CRC32: e.CRC32, Modified: e.Modified})
	}
	if docs != nil {
		for _, d := range docs(p.described(files)) {
			d.Size, d.CRC32 = int64(len(d.Text)), crc32.ChecksumIEEE([]byte(d.Text))
			p.Entries = append(p.Entries, d)
			files = append(files, ziplayout.Entry{Name: names.Give(d.Path), Size: d.Size, CRC32: d.CRC32, Modified: d.Modified})
		}
	}
	var err error
	if p.Layout, err = ziplayout.New(files); err != nil {
		return nil, fmt.Errorf("plan the ZIP of %d entries: %w", len(entries), err)
	}
	p.Tag = fmt.Sprintf(`"z-%d-%08x"`, p.Layout.Length(), p.Layout.Checksum())
	return p, nil
}

// described are the files of a plan under their names in the ZIP.
func (p *Plan) described(laid []ziplayout.Entry) []manifest.File {
	out := make([]manifest.File, 0, len(laid))
	for i, e := range p.Entries {
		if !e.isFolder() {
			out = append(out, manifest.File{Path: laid[i].Name, Size: e.Size, SHA256: e.SHA256, XXH3: e.XXH3, Modified: e.Modified})
		}
	}
	return out
}
