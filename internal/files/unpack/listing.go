package unpack

import (
	"bytes"
	"path"
	"slices"
	"strings"

	"aftergust/core/file/naming"
)

// A Listing is what is in an archive, by folder, without the archive itself.
type Listing struct {
	Files    int // in all folders
	Unpacked int64
	Locked   bool // some of it needs a password
	entries  []Entry
	folders  map[string]*folder // by path; the top is ""
}

type folder struct {
	below []string // paths of the folders in it
	files []int32  // indexes of the entries in it
	key   []byte   // by which it is sorted
	all   int      // files in it and in all folders below it
}

// A Folder is a folder of an archive.
type Folder struct {
	Path  string `json:"path"`
	Files int    `json:"files" doc:"in it and in all folders below it"`
}

// A Page is a part of one folder of an archive, or of all of them.
type Page struct {
	Folders []Folder
	Entries []Entry
	Here    int // files of the folder itself
	Next    int // after which of its files the folder goes on; 0 at the end
}

// List reads what is in an archive.
func (a *Archive) List() *Listing {
	l := &Listing{entries: a.entries, folders: map[string]*folder{"": {}}}
	l.Files, l.Unpacked, l.Locked = a.Totals()
	keys := make([][]byte, len(a.entries))
	for i, e := range a.entries {
		keys[i] = naming.OrderKey(path.Base(e.Path))
		in := e.Path
		if !e.Folder {
			in = parent(e.Path)
		}
		f := l.folder(in)
		if e.Folder {
			continue
		}
		f.files = append(f.files, int32(i))
		for at := in; ; at = parent(at) {
			l.folders[at].all++
			if at == "" {
				break
			}
		}
	}
	for at, f := range l.folders {
		f.key = naming.OrderKey(path.Base(at))
	}
	for _, f := range l.folders {
		slices.SortFunc(f.files, func(a, b int32) int { return bytes.Compare(keys[a], keys[b]) })
		slices.SortFunc(f.below, func(a, b string) int { return bytes.Compare(l.folders[a].key, l.folders[b].key) })
	}
	return l
}

// parent is the folder of a path; the top is "".
func parent(p string) string {
	if at := strings.LastIndexByte(p, '/'); at >= 0 {
		return p[:at]
	}
	return ""
}

// folder finds or makes a folder and all above it.
func (l *Listing) folder(at string) *folder {
	f := l.folders[at]
	if f == nil {
		f = &folder{}
		l.folders[at] = f
		up := l.folder(parent(at))
		up.below = append(up.below, at)
	}
	return f
}

// Len is how many entries and folders there are.
func (l *Listing) Len() int { return len(l.entries) + len(l.folders) }

// Page is the folder at a path: the folders in it, with its first page, and at most
// so many of its files after a place among them. ok is false where there is no such folder.
func (l *Listing) Page(at string, after, most int) (p Page, ok bool) {
	f := l.folders[at]
	if f == nil {
		return Page{}, false
	}
	p.Here, after = len(f.files), min(max(after, 0), len(f.files))
	if after == 0 {
		for _, below := range f.below {
			p.Folders = append(p.Folders, Folder{below, l.folders[below].all})
		}
	}
	end := min(after+most, len(f.files))
	for _, i := range f.files[after:end] {
		p.Entries = append(p.Entries, l.entries[i])
	}
	if end < len(f.files) {
		p.Next = end
	}
	return p, true
}

// Whole is all folders and files, from the top down.
func (l *Listing) Whole() (p Page) {
	var walk func(at string)
	walk = func(at string) {
		one, _ := l.Page(at, 0, len(l.entries))
		p.Entries = append(p.Entries, one.Entries...)
		for _, f := range one.Folders {
			p.Folders = append(p.Folders, f)
			walk(f.Path)
		}
	}
	walk("")
	return p
}
