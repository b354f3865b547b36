// Package archive plans ZIPs of what is delivered, and keeps the plans, so that a
// download of many ranges, or many people at once, have one made for them all.
package archive

import (
	"fmt"
	"time"

	"aftergust/core/naming"
	"aftergust/core/ziplayout"
)

// An Entry is one file of a ZIP.
type Entry struct {
	ID       string // of the thing in its package or place
	Version  string
	Blob     string
	Path     string // as it is wanted, with folders; twins get numbers
	Size     int64
	CRC32    uint32
	Modified time.Time
}

// A Plan is the exact bytes of a ZIP, before a file of it is read.
type Plan struct {
	Layout  *ziplayout.Layout
	Entries []Entry // by entry of the layout
	Name    string  // of the ZIP
	Empty   []int   // entries without bytes
	IDs     []string
	Tag     string // differs for each content, as an ETag
}

// New lays out a ZIP.
func New(entries []Entry, name string) (*Plan, error) {
	p := &Plan{Entries: entries, Name: name, IDs: make([]string, len(entries))}
	files := make([]ziplayout.Entry, len(entries))
	var names naming.Namer
	for i, e := range entries {
		files[i] = ziplayout.Entry{Name: names.Give(e.Path), Size: e.Size, CRC32: e.CRC32, Modified: e.Modified}
		p.IDs[i] = e.ID
		if e.Size == 0 {
			p.Empty = append(p.Empty, i)
		}
	}
	var err error
	if p.Layout, err = ziplayout.New(files); err != nil {
		return nil, fmt.Errorf("plan the ZIP of %d entries: %w", len(entries), err)
	}
	p.Tag = fmt.Sprintf(`"z-%d-%08x"`, p.Layout.Length(), p.Layout.Checksum())
	return p, nil
}
