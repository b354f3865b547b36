package ways

import (
	"context"
	"fmt"
	"net/http"
	"strings"
	"time"

	"aftergust/core/file/naming"
	"aftergust/core/link/pickup"
	"aftergust/internal/ground"
	"aftergust/internal/out/mail"
	"aftergust/internal/parts/pack"
	"aftergust/internal/web"
	"aftergust/internal/who/account"

	"github.com/boombuler/barcode/qr"
	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"
)

// Routes are other ways in, by code, name and text message, over HTTP.
type Routes struct {
	Web  *web.Web
	Pack *pack.Service
	Ways *Service
}

// Mount registers all routes of this part.
func (a Routes) Mount(r chi.Router) {
	r.Get("/api/v1/recipients/{id}/qr.svg", a.qrCode)
	r.Get("/api/v1/recipients/{id}/letter.eml", a.unsent)
	a.waysOperations()
}

type textView struct {
	Number  string     `json:"number"`
	State   string     `json:"state" enum:"waiting,sent,refused"`
	Problem string     `json:"problem"`
	At      time.Time  `json:"at"`
	SentAt  *time.Time `json:"sent_at"`
}

type waysView struct {
	Name      string     `json:"name" doc:"of whom they lead to"`
	Package   string     `json:"package"`
	Title     string     `json:"title"`
	Open      bool       `json:"open" doc:"the package is out"`
	Link      string     `json:"link" doc:"a secret"`
	LinkName  string     `json:"link_name" doc:"name of one's own for the link; empty for none"`
	NamedLink string     `json:"named_link" doc:"the link under that name; empty for none"`
	Message   string     `json:"message" doc:"to paste into any chat"`
	Text      string     `json:"text" doc:"what a text message would say"`
	Parts     int        `json:"parts" doc:"in which the text message travels"`
	MayText   bool       `json:"may_text" doc:"there is a gateway for text messages"`
	Texts     []textView `json:"texts" doc:"the last ones to them"`
}

func (a Routes) viewWays(w Ways) waysView {
	v := waysView{Name: w.Line.Name, Package: w.Parcel.ID, Title: w.Parcel.Title, Open: w.Parcel.State(a.Pack.Now()).Open(), Link: w.Link,
		LinkName: w.Name, NamedLink: w.NamedLink, Message: w.Message, Text: w.Text, Parts: w.Parts, MayText: w.MayText, Texts: []textView{}}
	for _, t := range w.Texts {
		v.Texts = append(v.Texts, textView{t.Number, t.State, t.Problem, t.CreatedAt, t.SentAt})
	}
	return v
}

func (a Routes) waysOperations() {
	show := func(ctx context.Context, m account.Member, id string) (*web.Body[waysView], error) {
		w, err := a.Ways.Of(ctx, m, id)
		return &web.Body[waysView]{Body: a.viewWays(w)}, err
	}
	web.Add(a.Web, web.StudioOp(http.MethodGet, "/recipients/{id}/ways", "ways", "All ways by which somebody can get their link"), web.AsMember(
		func(ctx context.Context, m account.Member, in *web.ByID) (*web.Body[waysView], error) {
			return show(ctx, m, in.ID)
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/recipients/{id}/pickup", "new-pickup-code", "Make a code to read out, which works once within ten minutes"), web.AsMember(
		func(ctx context.Context, m account.Member, in *web.ByID) (*web.Body[pickupView], error) {
			code, until, err := a.Ways.Pickup(ctx, m, in.ID)
			return &web.Body[pickupView]{Body: pickupView{pickup.Show(code), until}}, err
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/recipients/{id}/text", "send-text", "Send somebody their link as a text message"), web.AsMember(
		func(ctx context.Context, m account.Member, in *struct {
			web.ByID
			Body struct {
				Number string `json:"number" maxLength:"40" doc:"with its country, as +44 7700 900123"`
			}
		}) (*web.Body[waysView], error) {
			if err := a.Ways.SendText(ctx, m, in.ID, in.Body.Number); err != nil {
				return nil, err
			}
			return show(ctx, m, in.ID)
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPut, "/recipients/{id}/link-name", "name-link", "Give somebody's link a name of one's own"), web.AsMember(
		func(ctx context.Context, m account.Member, in *struct {
			web.ByID
			Body struct {
				Name string `json:"name" maxLength:"200" doc:"empty for none"`
			}
		}) (*web.Body[waysView], error) {
			if err := a.Ways.Name(ctx, m, in.ID, in.Body.Name); err != nil {
				return nil, err
			}
			return show(ctx, m, in.ID)
		}))
	web.Add(a.Web, huma.Operation{Method: http.MethodPost, Path: "/api/v1/pickup", OperationID: "pick-up", Summary: "Come in by a code that was read out",
		Tags: []string{"Recipient"}}, a.pickUp)
}

type pickupView struct {
	Code  string    `json:"code" doc:"in groups, to be read out"`
	Until time.Time `json:"until"`
}

// A pickedUp gives the browser its cookie, and says where to go on.
type pickedUp struct {
	SetCookie http.Cookie `header:"Set-Cookie"`
	Body      struct {
		Link string `json:"link" doc:"secret part of a link of its own, good for a day"`
	}
}

func (a Routes) pickUp(ctx context.Context, in *struct {
	Body struct {
		Code string `json:"code" maxLength:"200"`
	}
}) (*pickedUp, error) {
	out := &pickedUp{SetCookie: a.Web.WithDevice(ctx).SetCookie}
	var err error
	out.Body.Link, err = a.Ways.PickUp(ctx, in.Body.Code, web.From(ctx).Host, web.From(ctx).Device)
	return out, err
}

// waysOf are the ways to somebody, for a request that asks for a file.
func (a Routes) waysOf(w http.ResponseWriter, r *http.Request) (Ways, bool) {
	m, err := web.Member(r.Context())
	if err != nil {
		a.Web.Refuse(w, err)
		return Ways{}, false
	}
	found, err := a.Ways.Of(r.Context(), m, chi.URLParam(r, "id"))
	if err == nil && found.Delivery.Link == "" {
		err = ground.Clash("no_link", "There is no link to them any more. Take them off the waybill and put them on anew.")
	}
	if err != nil {
		a.Web.Refuse(w, err)
	}
	w.Header().Set("Cache-Control", "no-store")
	return found, err == nil
}

// quietZone is the margin around a code, in modules (ISO/IEC 18004, section 5.3.8, from memory).
const quietZone = 4

// qrCode draws the link of somebody as a code, in SVG, which prints at any size.
func (a Routes) qrCode(w http.ResponseWriter, r *http.Request) {
	found, ok := a.waysOf(w, r)
	if !ok {
		return
	}
	// The middle level of correction: a print that is scratched is read still.
	code, err := qr.Encode(found.Delivery.Link, qr.M, qr.Auto)
	if err != nil {
		a.Web.Refuse(w, err)
		return
	}
	w.Header().Set("Content-Type", "image/svg+xml")
	size := code.Bounds().Dx()
	var path strings.Builder
	for y := range size {
		for x := range size {
			if dark, _, _, _ := code.At(x, y).RGBA(); dark == 0 {
				fmt.Fprintf(&path, "M%d %dh1v1h-1z", x+quietZone, y+quietZone)
			}
		}
	}
	whole := size + 2*quietZone
	fmt.Fprintf(w, `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 %d %d" width="%d" height="%d" shape-rendering="crispEdges">`+
		`<path d="M0 0h%dv%dH0z" fill="#fff"/><path d="%s"/></svg>`, whole, whole, 8*whole, 8*whole, whole, whole, path.String())
}

// unsent is the letter to somebody as a file for one's own mail program.
func (a Routes) unsent(w http.ResponseWriter, r *http.Request) {
	found, ok := a.waysOf(w, r)
	if !ok {
		return
	}
	if found.Line.Email == "" {
		a.Web.Refuse(w, ground.Wrong("recipient", "There is no mail address behind this link. Paste the message into a letter of yours."))
		return
	}
	letter, err := mail.Unsent(found.Delivery)
	if err != nil {
		a.Web.Refuse(w, err)
		return
	}
	web.Guarded(w)
	w.Header().Set("Content-Type", "message/rfc822")
	w.Header().Set("Content-Disposition", naming.Attachment(naming.Portable(found.Parcel.Title+", for "+found.Line.Name)+".eml"))
	_, _ = letter.WriteTo(w) // the reader has gone
}
