package receive

import (
	"bytes"
	"context"
	"embed"
	"errors"
	"html/template"
	"net/http"
	"net/url"

	"aftergust/core/file/transfer"
	"aftergust/core/link/access"
	"aftergust/core/time/expiry"
	"aftergust/internal/ground"
	"aftergust/internal/web"

	"github.com/go-chi/chi/v5"
)

//go:embed plain.html
var plainFile embed.FS

var plainPage = template.Must(template.ParseFS(plainFile, "plain.html"))

// plainAddress is what leads from the page that needs scripts to the one that does not.
var plainAddress = []byte(`<noscript><meta http-equiv="refresh" content="0; url=?plain"></noscript></head>`)

// recipientHTML is the page of a recipient: GET /r/{link}. With ?plain it is one
// without scripts, to which a browser without them is led.
func (a Routes) recipientHTML() http.HandlerFunc {
	page := bytes.Replace(web.Index(a.Web.Interface), []byte("</head>"), plainAddress, 1)
	return func(w http.ResponseWriter, r *http.Request) {
		if _, plain := r.URL.Query()["plain"]; plain {
			a.plain(w, r, nil)
			return
		}
		web.ServeIndex(w, r, page)
	}
}

type plainView struct {
	Link    string
	Studio  string
	Sender  string
	For     string // empty for whoever has the link
	Title   string
	Letter  string
	Ends    string
	Say     string // why they are outside
	Need    access.Reason
	MayAsk  bool
	Asked   string
	Problem string
	Archive string
	Weight  string
	Items   []guestItemView
	Next    string
}

// plain lists what somebody may take, or asks for what the door wants, without a
// script. problem is what was wrong with what they answered.
func (a Routes) plain(w http.ResponseWriter, r *http.Request, problem error) {
	v := plainView{Link: chi.URLParam(r, "link")}
	status := http.StatusOK
	e, err := a.Enter(r)
	if err == nil {
		err = a.fillPlain(r.Context(), e, r.URL.Query().Get("after"), &v)
	}
	var said *ground.Error
	switch {
	case errors.As(err, &said):
		v.Say, status = said.Say, http.StatusNotFound
	case err != nil:
		a.Web.Refuse(w, err)
		return
	}
	if problem != nil {
		status = http.StatusForbidden
		v.Problem = "This did not work. Try again in a moment; nothing is lost."
		if errors.As(problem, &said) {
			v.Problem = said.Say
		}
	}
	var page bytes.Buffer
	if err := plainPage.Execute(&page, v); err != nil {
		a.Web.Refuse(w, err)
		return
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Header().Set("Cache-Control", "no-store")
	device := a.Web.WithDevice(r.Context()).SetCookie
	http.SetCookie(w, &device)
	w.WriteHeader(status)
	_, _ = w.Write(page.Bytes()) // the reader has gone
}

func (a Routes) fillPlain(ctx context.Context, e Entrant, after string, v *plainView) error {
	now := a.Pack.Now()
	standing, shows := e.Standing(now), e.Shows(now)
	v.Need, v.Say, v.MayAsk = standing, standing.Say(), standing.MayAsk()
	if shows.Sender {
		v.Studio, v.Sender = e.Parcel.StudioName, e.Parcel.SenderName
		if !e.Line.Anyone() {
			v.For = e.Line.Name
		}
	}
	if shows.Title {
		v.Title = e.Parcel.Title
	}
	if shows.Ends && e.Parcel.EndsAt != nil {
		zone, err := expiry.LoadZone(e.Line.Zone)
		if err != nil || e.Line.Zone == "" {
			zone, _ = expiry.LoadZone(e.Parcel.EndRule.Zone) // it was read when it was set
		}
		v.Ends = expiry.Long(*e.Parcel.EndsAt, zone)
	}
	if !shows.Inside {
		k, ok, err := a.Receive.Asked(ctx, e)
		if ok && k.AnsweredAt == nil {
			v.Asked = "waiting"
		}
		return err
	}
	v.Letter, v.Weight = e.Parcel.CoverLetter, transfer.Size(e.Parcel.Weight)
	items, next, err := a.guestItems(ctx, e, v.Link, after)
	if err != nil {
		return err
	}
	v.Items, v.Next = items, next
	if len(items) > 0 && items[0].Take != "" {
		v.Archive = zipAddress(v.Link, e)
	}
	return nil
}

// answerPlain takes what is answered on a plain page: POST /r/{link}/plain.
func (a Routes) answerPlain(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, maxForm)
	ctx, host := r.Context(), web.From(r.Context()).Host
	e, err := a.Enter(r)
	device := ""
	if err == nil {
		switch r.PostFormValue("do") {
		case "enter":
			device, err = a.Receive.PassDoor(ctx, e, r.PostFormValue("answer"), host)
		case "code":
			err = a.Receive.SendCode(ctx, e, host)
		case "sign":
			device, err = a.Receive.SignBook(ctx, e, r.PostFormValue("name"), r.PostFormValue("address"), host)
		case "ask":
			err = a.Receive.Ask(ctx, e, r.PostFormValue("name"), r.PostFormValue("message"))
		}
	}
	if err != nil {
		a.plain(w, r, err)
		return
	}
	known := a.Web.Known(ctx, device).SetCookie
	http.SetCookie(w, &known)
	http.Redirect(w, r, "/r/"+url.PathEscape(chi.URLParam(r, "link"))+"?plain", http.StatusSeeOther)
}

// maxForm bounds what is answered on a plain page, in bytes.
const maxForm = 16 << 10
