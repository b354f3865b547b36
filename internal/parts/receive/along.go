package receive

import (
	"context"
	"embed"
	"encoding/hex"
	"html/template"
	"net/url"
	"slices"
	"strings"
	"time"

	"aftergust/core/file/manifest"
	"aftergust/core/file/naming"
	"aftergust/core/file/transfer"
	"aftergust/core/link/access"
	"aftergust/core/link/right"
	"aftergust/core/time/expiry"
	"aftergust/internal/files/archive"
	"aftergust/internal/ground"
	"aftergust/internal/parts/pack"

	"github.com/zeebo/xxh3"
)

// With is what goes along in a ZIP besides what the package holds.
type With uint8

// What may go along.
const (
	WithCover With = 1 << iota // a page that says what it is, and works offline
	WithMHL                    // an ASC media hash list
	WithSums                   // sha256sums.txt
)

var withNames = []string{"cover", "mhl", "sums"}

// ReadWith reads names parted by commas; what it does not know it leaves out.
func ReadWith(names string) (w With) {
	for _, name := range strings.Split(names, ",") {
		for i, known := range withNames {
			if name == known {
				w |= 1 << i
			}
		}
	}
	return w
}

func (w With) String() string {
	var names []string
	for i, name := range withNames {
		if w&(1<<i) != 0 {
			names = append(names, name)
		}
	}
	return strings.Join(names, ",")
}

var errSumsToCome = &ground.Error{Kind: ground.Conflict, Code: "sums_to_come",
	Say: "The sums of some files are being reckoned still. Try again in a few minutes, or take the ZIP without them; it holds the same files."}

// docs is what writes that which goes along; nil where nothing does.
func (s *Service) docs(e Entrant, entries []archive.Entry, with With) (archive.Docs, error) {
	if with == 0 {
		return nil, nil
	}
	var files []manifest.File
	for _, entry := range entries {
		if entry.Version != "" {
			files = append(files, manifest.File{SHA256: entry.SHA256, XXH3: entry.XXH3})
		}
	}
	if !manifest.Known(files) {
		return nil, errSumsToCome
	}
	// What is written has the date of the package, so that it is the same whoever asks, whenever.
	at := ground.When(e.Parcel.SentAt)
	host := ""
	if u, err := url.Parse(s.keys.BaseURL()); err == nil {
		host = u.Hostname()
	}
	return func(files []manifest.File) (out []archive.Entry) {
		listed := slices.Clip(files)
		add := func(path, text string) {
			if text == "" {
				return
			}
			out = append(out, archive.Entry{Path: path, Text: text, Modified: at})
			sum := xxh3.HashString128(text).Bytes()
			listed = append(listed, manifest.File{Path: path, Size: int64(len(text)), XXH3: sum[:], Modified: at})
		}
		if with&WithCover != 0 {
			add("About this package.html", cover(e, files))
		}
		if with&WithSums != 0 {
			add("sha256sums.txt", manifest.Sums(files))
		}
		if with&WithMHL != 0 {
			name, list, chain := manifest.HashList(listed, naming.Portable(e.Parcel.Title), host, at)
			add(manifest.Folder+"/"+name, list)
			add(manifest.Folder+"/ascmhl_chain.xml", chain)
		}
		return out
	}, nil
}

//go:embed cover.html
var coverFile embed.FS

var coverPage = template.Must(template.New("cover.html").Funcs(template.FuncMap{
	"size": transfer.Size,
	"hex":  hex.EncodeToString,
}).ParseFS(coverFile, "cover.html"))

// cover is a page about a package that is read without a network.
func cover(e Entrant, files []manifest.File) string {
	zone := expiry.ZoneOr(e.Parcel.EndRule.Zone)
	var b strings.Builder
	err := coverPage.Execute(&b, struct {
		Parcel pack.Parcel
		Sent   string
		Files  []manifest.File
	}{e.Parcel, expiry.Long(ground.When(e.Parcel.SentAt), zone), files})
	if err != nil {
		panic(err) // it is written to memory, of what it knows
	}
	return b.String()
}

// keyLife is how long a key for programs is good.
const keyLife = 7 * 24 * time.Hour

// ProgramKey is a key by which a program takes what an entrant may take, in their
// place; empty where their link alone is enough.
func (s *Service) ProgramKey(e Entrant) string {
	if e.Line.GuestOf == "" && access.Standing(e.gate(s.now()), e.Line.Person(s.now(), false)) == access.Allowed {
		return ""
	}
	return s.keys.ProgramKey(e.Line.ID, s.now(), s.now().Add(keyLife))
}

// WithKey is an entrant who comes by a key that ProgramKey made. One that is not
// theirs, or not good any more, changes nothing.
func (s *Service) WithKey(ctx context.Context, e Entrant, key string) (Entrant, error) {
	line, from, until, ok := s.keys.ReadProgramKey(key)
	now := s.now()
	if !ok || now.After(until) || from.After(now.Add(time.Second)) {
		return e, nil
	}
	if line != e.Line.ID {
		guest, found, err := s.lineRows.LineByID(ctx, line)
		if err != nil || !found || guest.GuestOf != e.came.ID {
			return e, err
		}
		e.Line = guest
	}
	e.keyed = &from
	return e, nil
}

// Files are all files that an entrant may take, under the names that they have in the
// ZIP, with their sums as far as they are reckoned. url makes the address of one.
func (s *Service) Files(ctx context.Context, e Entrant, url func(item, version, name string) string) ([]manifest.File, error) {
	if err := Refusal(e.Decide(right.Take, false, s.now())); err != nil {
		return nil, err
	}
	entries, _, err := s.givenRows.Entries(ctx, e.Parcel.ID, nil)
	if err != nil {
		return nil, err
	}
	var out []manifest.File
	var names naming.Namer
	for _, entry := range entries {
		if entry.Version == "" {
			continue
		}
		f := manifest.File{Path: names.Give(entry.Path), Size: entry.Size, SHA256: entry.SHA256, XXH3: entry.XXH3, Modified: entry.Modified}
		if url != nil {
			f.URL = url(entry.ID, entry.Version, f.Path[strings.LastIndexByte(f.Path, '/')+1:])
		}
		out = append(out, f)
	}
	return out, nil
}

// Rest are the items of which an entrant has not every byte yet, in the version that is here now.
func (s *Service) Rest(ctx context.Context, e Entrant) ([]string, error) {
	if err := Refusal(e.Decide(right.Take, false, s.now())); err != nil {
		return nil, err
	}
	return s.givenRows.RestOf(ctx, e.Parcel.ID, e.Line.ID)
}
