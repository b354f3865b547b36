package receive

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strings"
	"time"

	"aftergust/core/file/manifest"
	"aftergust/core/file/naming"
	"aftergust/core/link/right"
	"aftergust/core/time/calendar"
	"aftergust/internal/ground"
	"aftergust/internal/web"

	"github.com/go-chi/chi/v5"
)

// files are what an entrant may take, for a request that asks for a list of it.
func (a Routes) files(w http.ResponseWriter, r *http.Request) (e Entrant, files []manifest.File, ok bool) {
	e, err := a.enterToTake(r)
	if err == nil {
		link, key := chi.URLParam(r, "link"), r.URL.Query().Get("key")
		files, err = a.Receive.Files(r.Context(), e, func(item, version, name string) string {
			address := a.Web.BaseURL + takeAddress(link, item, version, name)
			if key != "" {
				address += "&key=" + url.QueryEscape(key)
			}
			return address
		})
	}
	if err != nil {
		a.Web.RefuseBytes(w, r, err)
		return e, nil, false
	}
	w.Header().Set("Cache-Control", "no-store")
	return e, files, true
}

// sums lists the sums of all files, for sha256sum -c: GET /r/{link}/sums.txt.
func (a Routes) sums(w http.ResponseWriter, r *http.Request) {
	if _, files, ok := a.files(w, r); ok {
		web.Guarded(w)
		w.Header().Set("Content-Type", "text/plain; charset=utf-8")
		w.Header().Set("Content-Disposition", naming.Attachment("sha256sums.txt"))
		_, _ = w.Write([]byte(manifest.Sums(files))) // the reader has gone
	}
}

// metalink describes all files for download programs: GET /r/{link}/package.meta4 (RFC 5854).
func (a Routes) metalink(w http.ResponseWriter, r *http.Request) {
	if e, files, ok := a.files(w, r); ok {
		web.Guarded(w)
		w.Header().Set("Content-Type", "application/metalink4+xml")
		w.Header().Set("Content-Disposition", naming.Attachment(naming.Portable(e.Parcel.Title)+".meta4"))
		_, _ = w.Write([]byte(manifest.Metalink(files))) // likewise
	}
}

// ends is when the package ends, for a calendar: GET /r/{link}/ends.ics.
func (a Routes) ends(w http.ResponseWriter, r *http.Request) {
	e, err := a.Enter(r)
	if err == nil {
		err = Refusal(e.Standing(a.Pack.Now()))
	}
	if err == nil && e.Parcel.EndsAt == nil {
		err = ground.Missing("end")
	}
	if err != nil {
		a.Web.RefuseBytes(w, r, err)
		return
	}
	web.Guarded(w)
	w.Header().Set("Content-Type", "text/calendar; charset=utf-8")
	w.Header().Set("Content-Disposition", naming.Attachment(naming.Portable(e.Parcel.Title)+".ics"))
	w.Header().Set("Cache-Control", "no-store")
	_, _ = io.WriteString(w, calendar.File(calendar.Entry{UID: e.Parcel.ID + "@" + r.Host, At: *e.Parcel.EndsAt, Made: a.Pack.Now(),
		Title: e.Parcel.Title + " ends", About: "From " + e.Parcel.SenderName + ", " + e.Parcel.StudioName + ". After this nothing can be fetched any more.",
		URL: a.Web.BaseURL + "/r/" + chi.URLParam(r, "link"), Before: 24 * time.Hour})) // the reader has gone
}

type lineView struct {
	Tool string `json:"tool"`
	Line string `json:"line" doc:"for a POSIX shell"`
	Does string `json:"does"`
}

type sumView struct {
	Item    string `json:"item"`
	Version string `json:"version"`
	Take    string `json:"take" doc:"path of the original, in this version"`
	Path    string `json:"path"`
	Size    int64  `json:"size" doc:"bytes"`
	SHA256  string `json:"sha256" doc:"empty while it is not reckoned"`
}

type terminalView struct {
	Lines []lineView `json:"lines"`
	Until string     `json:"until" doc:"how long they are good, in words; empty: as long as the link is"`
	Sums  string     `json:"sums" doc:"path of the list of sums"`
	Check []lineView `json:"check" doc:"how the sums are checked, on each system"`
}

// alongOperations are about taking by other means than a button.
func (a Routes) alongOperations() {
	web.Add(a.Web, web.GuestOp(http.MethodGet, "/terminal", "terminal", "Lines for a terminal that take everything and go on where they broke off"), AsEntrant(a.Receive,
		func(in *ByLink) string { return in.Link }, a.terminal))
	web.Add(a.Web, web.GuestOp(http.MethodGet, "/sums", "sums", "The sums of all files, to check what was downloaded"), AsEntrant(a.Receive,
		func(in *ByLink) string { return in.Link },
		func(ctx context.Context, e Entrant, in *ByLink) (*web.Body[[]sumView], error) {
			found, err := a.checkable(ctx, e, in.Link)
			return &web.Body[[]sumView]{Body: found}, err
		}))
}

func (a Routes) terminal(ctx context.Context, e Entrant, in *ByLink) (*web.Body[terminalView], error) {
	if err := Refusal(e.Decide(right.Take, false, a.Pack.Now())); err != nil {
		return nil, err
	}
	key, v := "", terminalView{Sums: "/r/" + in.Link + "/sums.txt"}
	if k := a.Receive.ProgramKey(e); k != "" {
		key, v.Until = "&key="+url.QueryEscape(k), "for a week, through the door in your place: keep them to yourself"
	}
	plan, err := a.Receive.Archive(ctx, e, Wanted{Rev: e.Parcel.ContentsRev})
	if err != nil {
		return nil, err
	}
	name := naming.Portable(e.Parcel.Title)
	zip := manifest.Quoted(a.Web.BaseURL + zipAddress(in.Link, e) + key)
	list := manifest.Quoted(a.Web.BaseURL + "/r/" + in.Link + "/package.meta4?" + strings.TrimPrefix(key, "&"))
	file := manifest.Quoted(name + ".zip")
	v.Lines = []lineView{
		// curl takes it for an error when there is nothing left, which is no end for a script.
		{"curl", fmt.Sprintf(`[ "$(wc -c 2>/dev/null < %s)" -eq %d ] 2>/dev/null || curl -fL -C - -o %[1]s %[3]s`, file, plan.Layout.Length(), zip), "the ZIP; the same line goes on where it broke off"},
		{"wget", fmt.Sprintf("wget -c -O %s %s", file, zip), "the ZIP; the same line goes on where it broke off"},
		{"aria2c", fmt.Sprintf("curl -fsL %s | aria2c -c -d %s -M -", list, manifest.Quoted(name)),
			"each file by itself, several at a time, checked by its sum; the same line goes on"},
	}
	v.Check = []lineView{
		{"Linux", "sha256sum -c sha256sums.txt", "in the folder with the files"},
		{"macOS", "shasum -a 256 -c sha256sums.txt", "in the folder with the files"},
		{"Windows", `Get-Content sha256sums.txt | % { $s, $f = $_ -split '  ', 2; "$f " + ((Get-FileHash $f).Hash -eq $s) }`,
			"in PowerShell, in the folder with the files"},
	}
	return &web.Body[terminalView]{Body: v}, nil
}

// takeAddress is where an original is taken in one version.
func takeAddress(link, item, version, name string) string {
	return "/r/" + link + "/take/" + item + "/" + url.PathEscape(name) + "?" + asRevision + "=" + version
}

// checkable are the sums of all files, for a check in the page.
func (a Routes) checkable(ctx context.Context, e Entrant, link string) ([]sumView, error) {
	type of struct{ item, version string }
	var ids []of // Files asks for one address after the other
	files, err := a.Receive.Files(ctx, e, func(item, version, name string) string {
		ids = append(ids, of{item, version})
		return takeAddress(link, item, version, name)
	})
	out := make([]sumView, len(files))
	for i, f := range files {
		out[i] = sumView{Item: ids[i].item, Version: ids[i].version, Take: f.URL, Path: f.Path, Size: f.Size, SHA256: fmt.Sprintf("%x", f.SHA256)}
	}
	return out, err
}
