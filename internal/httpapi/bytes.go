package httpapi

import (
	"cmp"
	"context"
	"errors"
	"io"
	"iter"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"aftergust/core/coverage"
	"aftergust/core/naming"
	"aftergust/core/preview"
	"aftergust/core/right"
	"aftergust/core/ziplayout"
	"aftergust/internal/files/archive"
	"aftergust/internal/ground"
	"aftergust/internal/ground/wire"
	"aftergust/internal/parts/pack"
	"aftergust/internal/parts/previews"
	"aftergust/internal/parts/receive"
	"aftergust/internal/parts/review"

	"github.com/go-chi/chi/v5"
)

// enter finds the entrant of a request for bytes.
func (a *API) enter(r *http.Request) (receive.Entrant, error) {
	found := from(r.Context())
	device := found.device
	if found.newbie {
		device = ""
	}
	e, err := a.Receive.Enter(r.Context(), chi.URLParam(r, "link"), device, found.member)
	e.ByProxy = wire.ByProxy(r.Context()) || a.Proxies > 0 && r.Header.Get("X-Forwarded-For") != ""
	return e, err
}

// enterToTake is enter for what a program downloads, which may come by a key in the place of
// somebody. The key opens nothing else: no notes, no live changes, no pages.
func (a *API) enterToTake(r *http.Request) (receive.Entrant, error) {
	e, err := a.enter(r)
	if key := r.URL.Query().Get("key"); key != "" && err == nil {
		return a.Receive.WithKey(r.Context(), e, key)
	}
	return e, err
}

// guarded sets what keeps content from outside from ever running as part of our pages.
func guarded(w http.ResponseWriter) {
	h := w.Header()
	h.Set("Content-Security-Policy", "default-src 'none'; sandbox")
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("Cross-Origin-Resource-Policy", "same-origin")
}

// refuseBytes answers a request for bytes that is not allowed. A person who
// followed an old link in a browser is shown the page that says why.
func (a *API) refuseBytes(w http.ResponseWriter, r *http.Request, err error) {
	if r.Header.Get("Sec-Fetch-Dest") == "document" || strings.HasPrefix(r.Header.Get("Accept"), "text/html") {
		http.Redirect(w, r, "/r/"+chi.URLParam(r, "link"), http.StatusSeeOther)
		return
	}
	a.refuse(w, err)
}

// reach finds the entrant of a request for an item and the item, if they may do
// verb with it.
func (a *API) reach(r *http.Request, verb right.Right) (e receive.Entrant, c pack.Content, err error) {
	enter := a.enter
	if verb == right.Take {
		enter = a.enterToTake
	}
	if e, err = enter(r); err != nil {
		return e, c, err
	}
	c, err = a.Receive.Reach(r.Context(), e, chi.URLParam(r, "item"), verb)
	return e, c, err
}

// sends answers with the bytes that a handler makes ready; where it gives none, it has
// answered itself. What was needed to find them lies on no stack any more while they go
// out, since thousands may wait for slow readers.
func (a *API) sends(ready func(http.ResponseWriter, *http.Request) *content) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		c := ready(w, r)
		if c == nil {
			return
		}
		if t := a.ofMember(a.ofMembers, w, r); c.ticket == nil {
			c.ticket = t
		} else if t != nil {
			defer t.end() // cut through either: both end the connection
		}
		if c.ticket != nil {
			defer c.ticket.end()
		}
		if c.given != nil {
			if err := a.undamaged(r.Context(), c.given); err != nil {
				w.Header().Del("Content-Disposition")
				a.refuse(w, err)
				return
			}
		}
		guarded(w)
		began := time.Now()
		got := a.deliver(w, r, c)
		if c.taken != nil {
			c.taken(got, time.Since(began))
		}
	}
}

// take sends one original: GET /r/{link}/take/{item}/{name}. With as, the address
// names the version: what was begun is finished as it was begun.
func (a *API) take(w http.ResponseWriter, r *http.Request) *content {
	e, c, err := a.reach(r, right.Take)
	if as := r.URL.Query().Get(asRevision); err == nil && as != "" {
		c, err = a.Receive.AsBegun(r.Context(), c, as)
	}
	if err != nil {
		a.refuseBytes(w, r, err)
		return nil
	}
	t := a.running.begin(w, r, e, right.Take, []string{c.ID})
	w.Header().Set("Content-Disposition", naming.Attachment(c.FileName))
	w.Header().Set("Cache-Control", "private, no-cache")
	delivery := e.Delivery(c.VersionID, c.Size)
	return &content{
		size: c.Size, etag: `"` + c.VersionID + `"`, modified: c.VersionAt, mime: "application/octet-stream", pieces: oneFile, ticket: t,
		open:     a.blob(c.BlobID),
		given:    []archive.Entry{{Blob: c.BlobID, Size: c.Size, Path: c.FileName}},
		received: a.receipts(e, func(int) receive.Delivery { return delivery }),
		passed:   a.emptied(e, func(coverage.Range) []receive.Delivery { return []receive.Delivery{delivery} }),
		taken:    a.taken(t),
	}
}

// taken is what is done with a download that ended.
func (a *API) taken(t *ticket) func(got int64, took time.Duration) {
	return func(got int64, took time.Duration) {
		a.Receive.Paced(t.running.Entrant, got, took)
		a.Receive.Recorder.Hurry()
	}
}

// blob opens one blob, as the only entry of a content.
func (a *API) blob(id string) func(context.Context, int, int64) (io.ReadCloser, error) {
	return func(ctx context.Context, _ int, offset int64) (io.ReadCloser, error) {
		return a.Bytes.Open(ctx, id, offset)
	}
}

// receipts is where delivered bytes of an entrant are reported; nil for a member
// of the studio who only looks at how it is.
func (a *API) receipts(e receive.Entrant, of func(entry int) receive.Delivery) func(int, coverage.Range) {
	if e.Studio {
		return nil
	}
	return func(entry int, bytes coverage.Range) { a.Receive.Recorder.Delivered(of(entry), bytes) }
}

// emptied reports empty files, which have no byte that could be delivered, once
// the part in which they lie went through.
func (a *API) emptied(e receive.Entrant, within func(coverage.Range) []receive.Delivery) func(coverage.Range) {
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
func (a *API) archive(w http.ResponseWriter, r *http.Request) *content {
	e, zip, err := a.planned(r)
	if errors.Is(err, receive.ErrZIPChanged) && begins(r.Header.Get("Range")) {
		query := r.URL.Query()
		query.Set(asRevision, strconv.FormatInt(e.Parcel.ContentsRev, 10))
		http.Redirect(w, r, r.URL.EscapedPath()+"?"+query.Encode(), http.StatusTemporaryRedirect) // nobody began it as it was
		return nil
	}
	if err == nil && r.Method == http.MethodGet {
		err = a.Receive.Begin(r.Context(), e, zip)
	}
	if err != nil {
		a.refuseBytes(w, r, err)
		return nil
	}
	t := a.running.begin(w, r, e, right.Take, zip.IDs)
	w.Header().Set("Content-Disposition", naming.Attachment(zip.Name))
	w.Header().Set("Cache-Control", "private, no-cache")
	c := a.zipContent(zip)
	c.ticket = t
	delivered := a.receipts(e, func(i int) receive.Delivery { return e.Delivery(zip.Entries[i].Version, zip.Entries[i].Size) })
	if delivered != nil {
		c.received = func(i int, bytes coverage.Range) {
			if zip.Entries[i].Version != "" { // of what we write ourselves nobody keeps receipts
				delivered(i, bytes)
			}
		}
	}
	c.passed = a.emptied(e, func(part coverage.Range) []receive.Delivery {
		var out []receive.Delivery
		for _, i := range zip.Empty {
			if at := zip.Layout.Offset(i); part.Start <= at && at < part.End {
				out = append(out, e.Delivery(zip.Entries[i].Version, 0))
			}
		}
		return out
	})
	c.taken = a.taken(t)
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
func zipAddress(link string, e receive.Entrant) string {
	return "/r/" + link + "/zip/" + url.PathEscape(naming.Portable(e.Parcel.Title)+".zip") + "?" + asRevision + "=" +
		strconv.FormatInt(e.Parcel.ContentsRev, 10)
}

// planned is the ZIP that a request asks for.
func (a *API) planned(r *http.Request) (e receive.Entrant, zip *archive.Plan, err error) {
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
		wanted := receive.Wanted{Chosen: chosen, Rev: rev, With: receive.ReadWith(r.URL.Query().Get("with"))}
		if zip, err = a.Receive.Archive(r.Context(), e, wanted); err == nil || rev != 0 || !errors.Is(err, receive.ErrZIPChanged) {
			return e, zip, err
		}
	}
	return e, nil, receive.ErrZIPChanged
}

// chosen is under which id the items lie that a request for a ZIP wants: as it was
// given by choosing them, or for a few named in the address itself.
func (a *API) chosen(r *http.Request, e receive.Entrant) (string, error) {
	query := r.URL.Query()
	if only := query.Get("only"); only != "" {
		return a.Receive.Choose(r.Context(), e, strings.Split(only, ","))
	}
	return query.Get("chosen"), nil
}

// zipContent is a planned ZIP as it is delivered.
func (a *API) zipContent(zip *archive.Plan) *content {
	return &content{
		size: zip.Layout.Length(), etag: zip.Tag, mime: "application/zip", given: zip.Entries,
		pieces: func(start, end int64) iter.Seq[ziplayout.Piece] { return zip.Layout.Pieces(start, end) },
		open: func(ctx context.Context, i int, offset int64) (io.ReadCloser, error) {
			if text := zip.Entries[i].Text; text != "" {
				return io.NopCloser(strings.NewReader(text[min(offset, int64(len(text))):])), nil
			}
			return a.Bytes.Open(ctx, zip.Entries[i].Blob, offset)
		},
	}
}

// quiet is the one click of a mail program on its button for no more such letters:
// POST /r/{link}/quiet (RFC 8058, section 3.2).
func (a *API) quiet(w http.ResponseWriter, r *http.Request) {
	e, err := a.enter(r)
	if err == nil {
		err = a.Receive.Quiet(r.Context(), e)
	}
	if err != nil {
		a.refuse(w, err)
		return
	}
	w.WriteHeader(http.StatusNoContent)
}

// look sends a poster, proxy or page, never an original: GET /r/{link}/look/{item}/{what},
// or of a version that the package gave before: GET /r/{link}/look/{item}/{version}/{what}.
func (a *API) look(w http.ResponseWriter, r *http.Request) *content {
	e, c, err := a.reach(r, right.See)
	if version := chi.URLParam(r, "version"); err == nil && version != "" {
		c, err = a.Review.Version(r.Context(), review.Guest(e), c.ID, version)
	}
	if err != nil {
		a.refuseBytes(w, r, err)
		return nil
	}
	made := a.preview(w, r, c.VersionID, chi.URLParam(r, "what"), !e.May(right.Take, a.Pack.Now()))
	if made != nil {
		made.ticket = a.running.begin(w, r, e, right.See, []string{c.ID})
	}
	return made
}

// derived is look for members of the studio: GET /api/v1/versions/{version}/{what}.
// They may also fetch the original.
func (a *API) derived(w http.ResponseWriter, r *http.Request) *content {
	v, err := a.memberVersion(r)
	if err != nil {
		a.refuse(w, err)
		return nil
	}
	what := chi.URLParam(r, "what")
	if what != "original" {
		return a.preview(w, r, v.VersionID, what, false)
	}
	w.Header().Set("Content-Disposition", naming.Attachment(v.FileName))
	return &content{size: v.Size, etag: `"` + v.VersionID + `"`, mime: "application/octet-stream", pieces: oneFile,
		given: []archive.Entry{{Blob: v.BlobID, Size: v.Size, Path: v.FileName}}, open: a.blob(v.BlobID)}
}

// preview makes a preview ready; only the beginning of a text for somebody who may only look.
func (a *API) preview(w http.ResponseWriter, r *http.Request, version, what string, onlyLook bool) *content {
	purpose, page, ok := preview.Address(what)
	var derived previews.Derived
	var err error
	if ok {
		derived, ok, err = a.Previews.Find(r.Context(), version, purpose, page)
	}
	if err == nil && !ok {
		err = &ground.Error{Kind: ground.NotFound, Code: "no_preview", Say: "There is no such preview of this item."}
	}
	if err != nil {
		a.refuse(w, err)
		return nil
	}
	w.Header().Set("Cache-Control", "private, no-cache")
	tag := ground.Brief(version + "/" + derived.BlobID) // no name of bytes leaves the house
	if purpose == preview.Text && onlyLook {
		return a.excerpt(w, r, derived, tag)
	}
	return &content{size: derived.Size, etag: `"` + tag + `"`, mime: derived.Mime, pieces: oneFile,
		open: a.blob(derived.BlobID)}
}

// excerptReads is how much of a text is read for its excerpt, in bytes: enough for
// twice its characters.
const excerptReads = 4 * preview.ExcerptShare * preview.ExcerptMost

func (a *API) excerpt(w http.ResponseWriter, r *http.Request, whole previews.Derived, tag string) *content {
	from, err := a.Bytes.Open(r.Context(), whole.BlobID, 0)
	if err != nil {
		a.refuse(w, err)
		return nil
	}
	text, err := io.ReadAll(io.LimitReader(from, excerptReads))
	if err = errors.Join(err, from.Close()); err != nil {
		a.refuse(w, err)
		return nil
	}
	begin := preview.Excerpt(strings.ToValidUTF8(string(text), ""))
	return &content{
		size: int64(len(begin)), etag: `"` + tag + `-begin"`, mime: whole.Mime, pieces: oneFile,
		open: func(_ context.Context, _ int, offset int64) (io.ReadCloser, error) {
			return io.NopCloser(strings.NewReader(begin[offset:])), nil
		},
	}
}
