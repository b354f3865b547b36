package web

import (
	"context"
	"errors"
	"io"
	"net/http"
	"net/url"
	"path"
	"strconv"
	"strings"
	"time"

	"aftergust/core/file/naming"
	"aftergust/internal/files/unpack"
	"aftergust/internal/ground/shelf"
	"aftergust/internal/ground/wire"

	"github.com/go-chi/chi/v5"
	"golang.org/x/sync/semaphore"
)

type entryView struct {
	unpack.Entry
	Take string `json:"take" doc:"path under which it can be taken by itself; empty where it cannot"`
	Show string `json:"show" enum:",picture,text" doc:"whether it can be shown"`
}

// An EntriesView is what is in an archive, or a page of it.
type EntriesView struct {
	Files   int             `json:"files" doc:"in the archive"`
	Whole   bool            `json:"whole" doc:"what follows is all that is in it, from the top down; otherwise it is of one folder"`
	Folders []unpack.Folder `json:"folders"`
	Entries []entryView     `json:"entries"`
	Here    int             `json:"here" doc:"files of the folder itself, on all pages"`
	Next    int             `json:"next" doc:"pass as after for the next page of the folder; 0 at the end"`
	Problem string          `json:"problem" doc:"why the contents cannot be listed; empty where they can"`
}

// InArchive names a part of an archive.
type InArchive struct {
	Folder string `query:"folder" maxLength:"65535" doc:"path of a folder in it; empty for the top, and for all of a small archive"`
	After  int    `query:"after" minimum:"0" doc:"next of the page before; 0 for the first"`
}

// Sizes of listings, in entries.
const (
	listedWhole  = 200     // a smaller archive is listed at once
	listedPage   = 500     // of one folder at a time
	keptListed   = 400_000 // in memory, about 200 bytes each
	listedAtOnce = 2       // archives that are read at the same time: 65 000 entries take 30 MB meanwhile
)

// Archives show what is inside archives, and send single files out of them.
type Archives struct {
	web      *Web
	listings *shelf.Shelf[*unpack.Listing]
	reading  *semaphore.Weighted // of those whose directories are being read
}

// listing is what is in an archive: read once for all who ask, and a few archives at a time.
func (a *Archives) listing(ctx context.Context, blob string, size int64) (*unpack.Listing, error) {
	return a.listings.Get(ctx, blob, func(ctx context.Context) (*unpack.Listing, error) {
		f, err := a.web.Bytes.At(ctx, blob)
		if err != nil {
			return nil, err
		}
		defer f.Close()
		if err := a.reading.Acquire(ctx, 1); err != nil {
			return nil, err
		}
		defer a.reading.Release(1)
		archive, err := unpack.Open(f, size)
		if err != nil {
			return nil, err
		}
		return archive.List(), nil
	})
}

// Entries lists what is in an archive, or a part of it. Where single entries may be
// taken they lie under base.
func (a *Archives) Entries(ctx context.Context, blob string, size int64, in InArchive, base string, take bool) (*Body[EntriesView], error) {
	v := EntriesView{Folders: []unpack.Folder{}, Entries: []entryView{}}
	listing, err := a.listing(ctx, blob, size)
	for _, known := range []error{unpack.ErrNotZip, unpack.ErrTooMany} { // without what the library adds to it
		if errors.Is(err, known) {
			v.Problem = known.Error()
			return &Body[EntriesView]{v}, nil
		}
	}
	if err != nil {
		return nil, err
	}
	v.Files, v.Whole = listing.Files, in.Folder == "" && listing.Len() <= listedWhole
	page, ok := unpack.Page{}, true
	if v.Whole {
		page = listing.Whole()
	} else {
		page, ok = listing.Page(in.Folder, in.After, listedPage)
	}
	if !ok {
		return nil, NewProblem(http.StatusNotFound, "no_entry", "There is no such folder in this archive.")
	}
	v.Here, v.Next, v.Folders = page.Here, page.Next, append(v.Folders, page.Folders...)
	for _, e := range page.Entries {
		one := entryView{Entry: e}
		if take && !e.Locked {
			one.Take = base + strconv.Itoa(e.Index) + "/" + url.PathEscape(naming.Portable(path.Base(e.Path)))
			one.Show = shows(e)
		}
		v.Entries = append(v.Entries, one)
	}
	return &Body[EntriesView]{v}, nil
}

// What a browser may show of an entry, by the end of its name. Pictures are of
// kinds that hold no scripts.
var (
	shownPictures = map[string]string{".jpg": "image/jpeg", ".jpeg": "image/jpeg", ".png": "image/png", ".gif": "image/gif",
		".webp": "image/webp", ".avif": "image/avif"}
	shownTexts = map[string]bool{".txt": true, ".md": true, ".csv": true, ".json": true, ".xml": true, ".srt": true, ".vtt": true,
		".edl": true, ".html": true, ".css": true, ".js": true, ".log": true}
)

const maxShown = 64 << 20 // bytes of an entry that are shown in the page

func shows(e unpack.Entry) string {
	extension := strings.ToLower(path.Ext(e.Path))
	switch {
	case e.Size > maxShown:
		return ""
	case shownPictures[extension] != "":
		return "picture"
	case shownTexts[extension]:
		return "text"
	default:
		return ""
	}
}

// SendEntry sends one file out of an archive; delivered hears of it once all of it arrived, nil for nobody.
func (a *Archives) SendEntry(w http.ResponseWriter, r *http.Request, blob string, size int64, t *Ticket, delivered func(*unpack.Opened)) {
	f, err := a.web.Bytes.At(r.Context(), blob)
	if err != nil {
		a.web.Refuse(w, err)
		return
	}
	defer f.Close()
	index, err := strconv.Atoi(chi.URLParam(r, "index"))
	if err != nil {
		index = -1
	}
	entry, err := a.openEntry(r.Context(), f, size, index)
	if err != nil {
		a.web.Refuse(w, entryProblem(err))
		return
	}
	defer entry.Close()
	Guarded(w)
	h := w.Header()
	h.Set("Cache-Control", "private, no-cache")
	h.Set("Content-Length", strconv.FormatInt(entry.Size, 10))
	switch kind := shows(entry.Entry); {
	case kind == "picture" && r.URL.Query().Has("show"):
		h.Set("Content-Type", shownPictures[strings.ToLower(path.Ext(entry.Path))])
	case kind == "text" && r.URL.Query().Has("show"):
		h.Set("Content-Type", "text/plain; charset=utf-8")
	default:
		h.Set("Content-Type", "application/octet-stream")
		h.Set("Content-Disposition", naming.Attachment(path.Base(entry.Path)))
	}
	if r.Method == http.MethodHead {
		return
	}
	s := &sender{Content: &Content{Ticket: t}, w: w, control: http.NewResponseController(w), line: wire.Of(r.Context(), w)}
	defer s.line.Done()
	if err := s.copy(r.Context(), entry); err != nil {
		if errors.Is(err, unpack.ErrBroken) {
			a.web.Log.Warn("an entry of an archive is damaged", "blob", blob, "entry", index)
		}
		panic(http.ErrAbortHandler) // the length was promised: the other side must see that it ended early
	}
	if delivered != nil {
		delivered(entry)
	}
}

// openEntry finds an entry when it is its turn to read a directory; what it then
// reads by itself is little.
func (a *Archives) openEntry(ctx context.Context, f io.ReaderAt, size int64, index int) (*unpack.Opened, error) {
	if err := a.reading.Acquire(ctx, 1); err != nil {
		return nil, err
	}
	defer a.reading.Release(1)
	archive, err := unpack.Open(f, size)
	if err != nil {
		return nil, err
	}
	return archive.Entry(index)
}

// copy sends what r gives and waits until the other side has acknowledged it.
func (s *sender) copy(ctx context.Context, r io.Reader) error {
	buffer := make([]byte, 256<<10)
	for {
		n, err := r.Read(buffer)
		if deadline := s.control.SetWriteDeadline(time.Now().Add(stalled)); deadline != nil && !errors.Is(deadline, http.ErrNotSupported) {
			return deadline
		}
		if err := s.Ticket.Over(); err != nil {
			return err
		}
		if n > 0 {
			if err := s.sendBytes(buffer[:n]); err != nil {
				return err
			}
		}
		if errors.Is(err, io.EOF) {
			return s.settle(ctx)
		}
		if err != nil {
			return err
		}
		if err := s.acknowledge(); err != nil {
			return err
		}
	}
}

func entryProblem(err error) error {
	for known, code := range map[error]string{unpack.ErrLocked: "entry_locked", unpack.ErrBomb: "entry_bomb",
		unpack.ErrMethod: "entry_method", unpack.ErrBroken: "entry_broken",
		unpack.ErrNotZip: "not_listed", unpack.ErrTooMany: "not_listed"} {
		if errors.Is(err, known) {
			say := known.Error()
			return NewProblem(http.StatusUnprocessableEntity, code, strings.ToUpper(say[:1])+say[1:]+".")
		}
	}
	if errors.Is(err, unpack.ErrMissing) {
		return NewProblem(http.StatusNotFound, "no_entry", "There is no such entry in this archive.")
	}
	return err
}
