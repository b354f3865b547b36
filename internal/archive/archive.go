// Package archive plans ZIPs of what is delivered, and keeps the plans, so that a
// download of many ranges, or many people at once, have one made for them all.
package archive

import (
	"context"
	"fmt"
	"sync/atomic"
	"time"

	"aftergust/core/naming"
	"aftergust/core/ziplayout"
	"aftergust/internal/shelf"
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
}

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

// A Keeper writes down what ZIPs hold, so that they can be finished as they were begun.
type Keeper interface {
	// KeepZIP writes down what a ZIP holds, once for each key; parcel may be empty.
	KeepZIP(ctx context.Context, key, parcel string, entries []Entry) error
	// KeptZIP is what was written down, without the versions that are gone since:
	// had is how many there were, 0 where it was never begun.
	KeptZIP(ctx context.Context, key string) (entries []Entry, had int, err error)
}

// Folder is a folder with nothing in it.
func Folder(path string) Entry { return Entry{Path: path + "/"} }

func (e Entry) isFolder() bool { return e.Version == "" }

// New lays out a ZIP. Folders come after all files; those in which files lie are left out.
func New(entries []Entry, name string) (*Plan, error) {
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
		if e.Size == 0 {
			p.Empty = append(p.Empty, len(p.Entries))
		}
		p.Entries, p.IDs = append(p.Entries, e), append(p.IDs, e.ID)
		files = append(files, ziplayout.Entry{Name: names.Give(e.Path), Size: e.Size, CRC32: e.CRC32, Modified: e.Modified})
	}
	var err error
	if p.Layout, err = ziplayout.New(files); err != nil {
		return nil, fmt.Errorf("plan the ZIP of %d entries: %w", len(entries), err)
	}
	p.Tag = fmt.Sprintf(`"z-%d-%08x"`, p.Layout.Length(), p.Layout.Checksum())
	return p, nil
}
