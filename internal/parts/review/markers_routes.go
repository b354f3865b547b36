package review

import (
	"encoding/json"
	"net/http"

	"aftergust/core/file/naming"
	"aftergust/core/notes/markers"
	"aftergust/internal/ground"
	"aftergust/internal/web"

	"github.com/go-chi/chi/v5"
)

// reportView is what notes that come in do; it is answered by a route for bytes.
type reportView struct {
	New      int               `json:"new" doc:"are added"`
	Same     int               `json:"same" doc:"are here already"`
	Differs  int               `json:"differs" doc:"are here with other words, which stay"`
	Done     int               `json:"done" doc:"are ticked, since they are done there"`
	Problems []markers.Problem `json:"problems" doc:"entries that are left out"`
	First    []string          `json:"first" doc:"the first of those that are added"`
}

// notesOut sends the notes of an item as a file: GET /api/v1/items/{id}/out/{format}, with
// ?version=, open=yes, who= and start=, and the same under /api/v1/r/{link}.
func (a Routes) notesOut(w http.ResponseWriter, r *http.Request) {
	format := markers.Format(chi.URLParam(r, "format"))
	p, err := a.party(r)
	if err == nil && !markers.Formats.Has(format) {
		err = ground.Missing("format of notes")
	}
	var sheet markers.Sheet
	var out []markers.Marker
	if err == nil {
		q := r.URL.Query()
		wish := Wish{Version: q.Get("version"), Open: q.Get("open") != "", Who: q.Get("who"), Start: q.Get("start")}
		sheet, out, err = a.Review.Exchange().Out(r.Context(), p, chi.URLParam(r, "id"), a.address(r), wish)
	}
	d := markers.Formats.Get(format)
	if err == nil && d.Timed && sheet.Length == 0 {
		err = ground.Clash("no_time", "This piece does not play, and "+d.Word+" knows notes at a time alone. Take CSV or Web Annotation.")
	}
	if err == nil && format == markers.EDL && sheet.Timeline.Rate.Num == 0 {
		err = ground.Clash("no_frames", "An EDL counts frames, and a sound has none. Take OpenTimelineIO or CSV.")
	}
	if err != nil {
		a.Web.Refuse(w, err)
		return
	}
	web.Guarded(w)
	w.Header().Set("Content-Type", d.Mime)
	w.Header().Set("Content-Disposition", naming.Attachment(naming.Portable(sheet.Name+", notes")+d.Suffix))
	w.Header().Set("Cache-Control", "no-store")
	if err := markers.Write(w, format, sheet, out); err != nil {
		a.Web.Log.Warn("notes were not sent to their end", "error", err) // the reader has gone
	}
}

// address is how other programs name the item of a request. No link is in it: that is a
// secret, and stays out of files.
func (a Routes) address(r *http.Request) string {
	return a.Web.BaseURL + "/items/" + chi.URLParam(r, "id")
}

// notesIn takes notes in from the body of a POST: /api/v1/items/{id}/in/{format}, and says
// what would happen; with ?do=yes it happens.
func (a Routes) notesIn(w http.ResponseWriter, r *http.Request) {
	p, err := a.party(r)
	var report Report
	if err == nil {
		report, err = a.Review.Exchange().In(r.Context(), p, chi.URLParam(r, "id"), markers.Format(chi.URLParam(r, "format")),
			web.Given(w, r, LargestNotes), r.URL.Query().Get("do") != "")
	}
	if err != nil {
		a.Web.Refuse(w, err)
		return
	}
	view := reportView(report)
	view.Problems, view.First = ground.OrEmpty(view.Problems), ground.OrEmpty(view.First)
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Cache-Control", "no-store")
	_ = json.NewEncoder(w).Encode(view) // the reader has gone
}

// frame sends the picture of the frame that a note lies on: GET /api/v1/notes/{id}/frame.jpg.
func (a Routes) frame(w http.ResponseWriter, r *http.Request) *web.Content {
	p, err := a.party(r)
	var found Attachment
	if err == nil {
		found, err = a.Review.Frame(r.Context(), p, chi.URLParam(r, "id"))
	}
	return a.attachment(w, found, err)
}
