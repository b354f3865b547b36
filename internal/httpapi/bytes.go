package httpapi

import (
	"context"
	"fmt"
	"iter"
	"net/http"
	"strconv"
	"strings"
	"sync"

	"aftergust/core/access"
	"aftergust/core/coverage"
	"aftergust/core/naming"
	"aftergust/core/ziplayout"
	"aftergust/internal/blob"
	"aftergust/internal/studio"

	"github.com/go-chi/chi/v5"
)

// enter finds the entrant of a request for bytes.
func (a *API) enter(r *http.Request) (studio.Entrant, error) {
	found := from(r.Context())
	device := found.device
	if found.newbie {
		device = ""
	}
	return a.Service.Enter(r.Context(), chi.URLParam(r, "link"), device, found.member)
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
func (a *API) reach(r *http.Request, verb access.Verb) (e studio.Entrant, c studio.Content, err error) {
	if e, err = a.enter(r); err != nil {
		return e, c, err
	}
	c, err = a.Service.Reach(r.Context(), e, chi.URLParam(r, "item"), verb)
	return e, c, err
}

// take sends one original: GET /r/{link}/take/{item}/{name}.
func (a *API) take(w http.ResponseWriter, r *http.Request) {
	e, c, err := a.reach(r, access.Take)
	if err != nil {
		a.refuseBytes(w, r, err)
		return
	}
	t, end := a.running.begin(w, r, e, access.Take, []string{c.ID})
	defer end()
	guarded(w)
	w.Header().Set("Content-Disposition", naming.Attachment(c.FileName))
	w.Header().Set("Cache-Control", "private, no-cache")
	delivery := e.Delivery(c)
	a.deliver(w, r, content{
		size: c.Size, etag: `"` + c.VersionID + `"`, modified: c.AddedAt, mime: "application/octet-stream", pieces: oneFile, ticket: t,
		open:     func(ctx context.Context, _ int) (blob.Reader, error) { return a.Bytes.Open(ctx, c.BlobID) },
		received: a.receipts(e, func(int) studio.Delivery { return delivery }),
		passed:   a.emptied(e, func(coverage.Range) []studio.Delivery { return []studio.Delivery{delivery} }),
	})
	a.Service.Recorder.Hurry()
}

// receipts is where delivered bytes of an entrant are reported; nil for a member
// of the studio who only looks at how it is.
func (a *API) receipts(e studio.Entrant, of func(entry int) studio.Delivery) func(int, coverage.Range) {
	if e.Studio {
		return nil
	}
	return func(entry int, bytes coverage.Range) { a.Service.Recorder.Delivered(of(entry), bytes) }
}

// emptied reports empty files, which have no byte that could be delivered, once
// the part in which they lie went through.
func (a *API) emptied(e studio.Entrant, within func(coverage.Range) []studio.Delivery) func(coverage.Range) {
	if e.Studio {
		return nil
	}
	return func(part coverage.Range) {
		for _, d := range within(part) {
			if d.Size == 0 {
				a.Service.Recorder.Delivered(d, coverage.Range{})
			}
		}
	}
}

// archive sends what an entrant may take as one ZIP: GET /r/{link}/zip/{name}.
// Its length is known before a file is read, and any range of it can be asked for.
func (a *API) archive(w http.ResponseWriter, r *http.Request) {
	e, err := a.enter(r)
	if err != nil {
		a.refuseBytes(w, r, err)
		return
	}
	var only []string
	if chosen := r.URL.Query().Get("only"); chosen != "" {
		only = strings.Split(chosen, ",")
	}
	zip, err := a.archives.get(r.Context(), a.Service, e, only)
	if err != nil {
		a.refuseBytes(w, r, err)
		return
	}
	t, end := a.running.begin(w, r, e, access.Take, zip.items)
	defer end()
	guarded(w)
	w.Header().Set("Content-Disposition", naming.Attachment(zip.Name))
	w.Header().Set("Cache-Control", "private, no-cache")
	c := a.zipContent(zip)
	c.ticket = t
	c.received = a.receipts(e, func(i int) studio.Delivery { return e.Delivery(zip.Contents[i]) })
	c.passed = a.emptied(e, func(part coverage.Range) []studio.Delivery {
		var out []studio.Delivery
		for _, i := range zip.empty {
			if at := zip.Layout.Offset(i); part.Start <= at && at < part.End {
				out = append(out, e.Delivery(zip.Contents[i]))
			}
		}
		return out
	})
	a.deliver(w, r, c)
	a.Service.Recorder.Hurry()
}

// zipContent is a planned ZIP as it is delivered.
func (a *API) zipContent(zip *plannedZip) content {
	return content{
		size: zip.Layout.Length(), etag: zip.etag, mime: "application/zip",
		pieces: func(start, end int64) iter.Seq[ziplayout.Piece] { return zip.Layout.Pieces(start, end) },
		open: func(ctx context.Context, i int) (blob.Reader, error) {
			return a.Bytes.Open(ctx, zip.Contents[i].BlobID)
		},
	}
}

func zipTag(archive studio.Archive) string {
	return fmt.Sprintf(`"z-%d-%08x"`, archive.Layout.Length(), archive.Layout.Checksum())
}

// look sends a poster, proxy or page, never an original: GET /r/{link}/look/{item}/{what}.
func (a *API) look(w http.ResponseWriter, r *http.Request) {
	e, c, err := a.reach(r, access.See)
	if err != nil {
		a.refuseBytes(w, r, err)
		return
	}
	t, end := a.running.begin(w, r, e, access.See, []string{c.ID})
	defer end()
	a.sendDerived(w, r, c.VersionID, chi.URLParam(r, "what"), t)
}

// derived is look for members of the studio: GET /api/v1/versions/{version}/{what}.
// They may also fetch the original.
func (a *API) derived(w http.ResponseWriter, r *http.Request) {
	v, err := a.memberVersion(r)
	if err != nil {
		a.refuse(w, err)
		return
	}
	what := chi.URLParam(r, "what")
	if what != "original" {
		a.sendDerived(w, r, v.ID, what, nil)
		return
	}
	guarded(w)
	w.Header().Set("Content-Disposition", naming.Attachment(v.FileName))
	a.deliver(w, r, content{size: v.Size, etag: `"` + v.ID + `"`, mime: "application/octet-stream", pieces: oneFile,
		open: func(ctx context.Context, _ int) (blob.Reader, error) { return a.Bytes.Open(ctx, v.BlobID) }})
}

func (a *API) sendDerived(w http.ResponseWriter, r *http.Request, version, what string, t *ticket) {
	purpose, page := what, 0
	if number, ok := strings.CutPrefix(what, "page-"); ok {
		purpose = "page"
		page, _ = strconv.Atoi(number) // 0 finds nothing
	}
	derived, ok, err := a.Service.Derived(r.Context(), version, purpose, page)
	if err == nil && !ok {
		err = &studio.Error{Kind: studio.NotFound, Code: "no_preview", Say: "There is no such preview of this item."}
	}
	if err != nil {
		a.refuse(w, err)
		return
	}
	guarded(w)
	w.Header().Set("Cache-Control", "private, no-cache")
	a.deliver(w, r, content{
		size: derived.Size, etag: `"` + derived.BlobID + `"`, mime: derived.Mime, pieces: oneFile, ticket: t,
		open: func(ctx context.Context, _ int) (blob.Reader, error) { return a.Bytes.Open(ctx, derived.BlobID) },
	})
}

// A plannedZip is an archive with what every request for it needs.
type plannedZip struct {
	studio.Archive
	etag  string
	items []string
	empty []int
}

// archiveCache keeps the plans of a few archives, since a download of many
// ranges asks for the same one again and again. A plan is tied to the revision
// of the package's contents, so it is never stale.
type archiveCache struct {
	mu    sync.Mutex
	plans map[string]*plannedZip
	order []string
}

const cachedPlans = 16

func newArchiveCache() *archiveCache { return &archiveCache{plans: map[string]*plannedZip{}} }

func (c *archiveCache) get(ctx context.Context, service *studio.Service, e studio.Entrant, only []string) (*plannedZip, error) {
	if reason := e.Decide(access.Take, false, service.Now()); reason != access.Allowed {
		return nil, studio.Refusal(reason)
	}
	key := fmt.Sprintf("%s/%d/%s/%s", e.Parcel.ID, e.Parcel.ContentsRev, strings.Join(only, ","), e.Parcel.Title)
	c.mu.Lock()
	plan := c.plans[key]
	c.mu.Unlock()
	if plan != nil {
		return plan, nil
	}
	archive, err := service.Archive(ctx, e, only)
	if err != nil {
		return nil, err
	}
	plan = &plannedZip{Archive: archive, etag: zipTag(archive)}
	for i, item := range archive.Contents {
		plan.items = append(plan.items, item.ID)
		if item.Size == 0 {
			plan.empty = append(plan.empty, i)
		}
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.plans[key] == nil {
		c.order = append(c.order, key)
	}
	c.plans[key] = plan
	if len(c.order) > cachedPlans {
		delete(c.plans, c.order[0])
		c.order = c.order[1:]
	}
	return plan, nil
}
