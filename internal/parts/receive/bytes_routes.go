package receive

import (
	"cmp"
	"context"
	"errors"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"aftergust/core/file/coverage"
	"aftergust/core/file/naming"
	"aftergust/core/link/right"
	"aftergust/internal/files/archive"
	"aftergust/internal/files/unpack"
	"aftergust/internal/ground/wire"
	"aftergust/internal/parts/pack"
	"aftergust/internal/web"

	"github.com/go-chi/chi/v5"
)

// Enter finds the entrant of a request for bytes.
func (a Routes) Enter(r *http.Request) (Entrant, error) {
	found := web.From(r.Context())
	device := found.Device
	if found.Newbie {
		device = ""
	}
	e, err := a.Receive.Enter(r.Context(), chi.URLParam(r, "link"), device, found.Member)
	e.ByProxy = wire.ByProxy(r.Context()) || a.Web.Proxies > 0 && r.Header.Get("X-Forwarded-For") != ""
	return e, err
}

// enterToTake is enter for what a program downloads, which may come by a key in the place of
// somebody. The key opens nothing else: no notes, no live changes, no pages.
func (a Routes) enterToTake(r *http.Request) (Entrant, error) {
	e, err := a.Enter(r)
	if key := r.URL.Query().Get("key"); key != "" && err == nil {
		return a.Receive.WithKey(r.Context(), e, key)
	}
	return e, err
}

// Reach finds the entrant of a request for an item and the item, if they may do
// verb with it.
func (a Routes) Reach(r *http.Request, verb right.Right) (e Entrant, c pack.Content, err error) {
	enter := a.Enter
	if verb == right.Take {
		enter = a.enterToTake
	}
	if e, err = enter(r); err != nil {
		return e, c, err
	}
	c, err = a.Receive.Reach(r.Context(), e, chi.URLParam(r, "item"), verb)
	return e, c, err
}

// take sends one original: GET /r/{link}/take/{item}/{name}. With as, the address
// names the version: what was begun is finished as it was begun.
func (a Routes) take(w http.ResponseWriter, r *http.Request) *web.Content {
	e, c, err := a.Reach(r, right.Take)
	if as := r.URL.Query().Get(asRevision); err == nil && as != "" {
		c, err = a.Receive.AsBegun(r.Context(), c, as)
	}
	if err != nil {
		a.Web.RefuseBytes(w, r, err)
		return nil
	}
	t := a.Web.Running.Begin(w, r, e.Running(right.Take, []string{c.ID}))
	w.Header().Set("Content-Disposition", naming.Attachment(c.FileName))
	w.Header().Set("Cache-Control", "private, no-cache")
	delivery := e.Delivery(c.VersionID, c.Size)
	return &web.Content{
		Size: c.Size, Etag: `"` + c.VersionID + `"`, Modified: c.VersionAt, Mime: "application/octet-stream", Pieces: web.OneFile, Ticket: t,
		Open:     a.Web.Blob(c.BlobID),
		Given:    []archive.Entry{{Blob: c.BlobID, Size: c.Size, Path: c.FileName}},
		Received: a.receipts(e, func(int) Delivery { return delivery }),
		Passed:   a.emptied(e, func(coverage.Range) []Delivery { return []Delivery{delivery} }),
		Taken:    a.taken(e),
	}
}

// taken is what is done with a download that ended.
func (a Routes) taken(e Entrant) func(got int64, took time.Duration) {
	return func(got int64, took time.Duration) {
		a.Receive.Paced(e, got, took)
		a.Receive.Recorder.Hurry()
	}
}

// receipts is where delivered bytes of an entrant are reported; nil for a member
// of the studio who only looks at how it is.
func (a Routes) receipts(e Entrant, of func(entry int) Delivery) func(int, coverage.Range) {
	if e.Studio {
		return nil
	}
	return func(entry int, bytes coverage.Range) { a.Receive.Recorder.Delivered(of(entry), bytes) }
}

// emptied reports empty files, which have no byte that could be delivered, once
// the part in which they lie went through.
func (a Routes) emptied(e Entrant, within func(coverage.Range) []Delivery) func(coverage.Range) {
	if e.Studio {
		return nil
	}
	return func(part coverage.Range) {
		for _, d := range within(part) {
			if d.Size == 0 {
				a.Receive.Recorder.Delivered(d, coverage.Range{})
			}
		}
	}
}

// archive sends what an entrant may take as one ZIP: GET /r/{link}/zip/{name}.
// Its length is known before a file is read, and any range of it can be asked for.
// With as, the address names the revision of the contents: what was begun at it is
// finished as it was begun, whatever has changed since.
func (a Routes) archive(w http.ResponseWriter, r *http.Request) *web.Content {
	e, zip, err := a.planned(r)
	if errors.Is(err, ErrZIPChanged) && begins(r.Header.Get("Range")) {
		query := r.URL.Query()
		query.Set(asRevision, strconv.FormatInt(e.Parcel.ContentsRev, 10))
		http.Redirect(w, r, r.URL.EscapedPath()+"?"+query.Encode(), http.StatusTemporaryRedirect) // nobody began it as it was
		return nil
	}
	if err == nil && r.Method == http.MethodGet {
		err = a.Receive.Begin(r.Context(), e, zip)
	}
	if err != nil {
		a.Web.RefuseBytes(w, r, err)
		return nil
	}
	t := a.Web.Running.Begin(w, r, e.Running(right.Take, zip.IDs))
	w.Header().Set("Content-Disposition", naming.Attachment(zip.Name))
	w.Header().Set("Cache-Control", "private, no-cache")
	c := a.Web.ZipContent(zip)
	c.Ticket = t
	delivered := a.receipts(e, func(i int) Delivery { return e.Delivery(zip.Entries[i].Version, zip.Entries[i].Size) })
	if delivered != nil {
		c.Received = func(i int, bytes coverage.Range) {
			if zip.Entries[i].Version != "" { // of what we write ourselves nobody keeps receipts
				delivered(i, bytes)
			}
		}
	}
	c.Passed = a.emptied(e, func(part coverage.Range) []Delivery {
		var out []Delivery
		for _, i := range zip.Empty {
			if at := zip.Layout.Offset(i); part.Start <= at && at < part.End {
				out = append(out, e.Delivery(zip.Entries[i].Version, 0))
			}
		}
		return out
	})
	c.Taken = a.taken(e)
	return c
}

// begins reports whether a request asks from the first byte on: it has nothing yet that would
// have to fit.
func begins(ranges string) bool {
	return ranges == "" || strings.HasPrefix(ranges, "bytes=0-") && !strings.Contains(ranges, ",")
}

// asRevision is what of a ZIP's address names the revision of the contents.
const asRevision = "as"

// zipAddress is where an entrant takes a ZIP as the package is now.
func zipAddress(link string, e Entrant) string {
	return "/r/" + link + "/zip/" + url.PathEscape(naming.Portable(e.Parcel.Title)+".zip") + "?" + asRevision + "=" +
		strconv.FormatInt(e.Parcel.ContentsRev, 10)
}

// planned is the ZIP that a request asks for.
func (a Routes) planned(r *http.Request) (e Entrant, zip *archive.Plan, err error) {
	rev, err := strconv.ParseInt(cmp.Or(r.URL.Query().Get(asRevision), "0"), 10, 64)
	if err != nil || rev < 0 {
		rev = -1 // of this there is none
	}
	const again = 3 // the contents changed between two looks at them
	for range again {
		if e, err = a.enterToTake(r); err != nil {
			return e, nil, err
		}
		chosen, err := a.chosen(r, e)
		if err != nil {
			return e, nil, err
		}
		wanted := Wanted{Chosen: chosen, Rev: rev, With: ReadWith(r.URL.Query().Get("with"))}
		if zip, err = a.Receive.Archive(r.Context(), e, wanted); err == nil || rev != 0 || !errors.Is(err, ErrZIPChanged) {
			return e, zip, err
		}
	}
	return e, nil, ErrZIPChanged
}

// chosen is under which id the items lie that a request for a ZIP wants: as it was
// given by choosing them, or for a few named in the address itself.
func (a Routes) chosen(r *http.Request, e Entrant) (string, error) {
	query := r.URL.Query()
	if only := query.Get("only"); only != "" {
		return a.Receive.Choose(r.Context(), e, strings.Split(only, ","))
	}
	return query.Get("chosen"), nil
}

// quiet is the one click of a mail program on its button for no more such letters:
// POST /r/{link}/quiet (RFC 8058, section 3.2).
func (a Routes) quiet(w http.ResponseWriter, r *http.Request) {
	e, err := a.Enter(r)
	if err == nil {
		err = a.Receive.Quiet(r.Context(), e)
	}
	if err != nil {
		a.Web.Refuse(w, err)
		return
	}
	w.WriteHeader(http.StatusNoContent)
}

type guestArchive struct {
	GuestItem
	web.InArchive
}

// guestEntries is entries for holders of a link: who may see lists, who may take
// also gets single entries.
func (a Routes) guestEntries(ctx context.Context, e Entrant, in *guestArchive) (*web.Body[web.EntriesView], error) {
	c, err := a.Receive.Reach(ctx, e, in.Item, right.See)
	if err != nil {
		return nil, err
	}
	return a.Web.Archives.Entries(ctx, c.BlobID, c.Size, in.InArchive, "/r/"+in.Link+"/entry/"+c.ID+"/", e.May(right.Take, a.Pack.Now()))
}

// guestEntry sends one entry to a holder of a link who may take:
// GET /r/{link}/entry/{item}/{index}/{name}. Its packed bytes count as delivered
// once all of it went through.
func (a Routes) guestEntry(w http.ResponseWriter, r *http.Request) {
	e, c, err := a.Reach(r, right.Take)
	if err != nil {
		a.Web.RefuseBytes(w, r, err)
		return
	}
	t := a.Web.Running.Begin(w, r, e.Running(right.Take, []string{c.ID}))
	defer t.End()
	a.Web.Archives.SendEntry(w, r, c.BlobID, c.Size, t, func(o *unpack.Opened) {
		if !e.Studio {
			a.Receive.Recorder.Delivered(e.Delivery(c.VersionID, c.Size), o.Bytes)
			a.Receive.Recorder.Hurry()
		}
	})
}
