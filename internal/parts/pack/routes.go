package pack

import (
	"context"
	"net/http"

	"aftergust/core/link/door"
	"aftergust/core/link/password"
	"aftergust/core/link/right"
	"aftergust/core/media/preflight"
	"aftergust/core/time/expiry"
	"aftergust/core/time/moment"
	"aftergust/core/time/reminder"
	"aftergust/internal/parts/gather"
	"aftergust/internal/web"
	"aftergust/internal/who/account"

	"github.com/go-chi/chi/v5"
)

// Routes are packages that are made and sent, over HTTP.
type Routes struct {
	Web    *web.Web
	Drafts *Drafts
	Pack   *Service
}

// Mount registers all routes of this part.
func (a Routes) Mount(_ chi.Router) {
	a.packOperations()
	a.packThingsOperations()
	a.sendingOperations()
	a.waybillOperations()
	a.momentOperations()
}

// packThingsOperations put things of the studio into packages.
func (a Routes) packThingsOperations() {
	web.Add(a.Web, web.StudioOp(http.MethodGet, "/packages/{id}/preflight", "preflight-package", "What looks wrong with what is in a package"), web.AsMember(
		func(ctx context.Context, m account.Member, in *web.ByID) (*web.Body[[]preflight.Finding], error) {
			found, err := a.Pack.PreflightPackage(ctx, m, in.ID)
			return &web.Body[[]preflight.Finding]{Body: found}, err
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/things/pack", "pack-things", "Put things into a package, or into a new one"), web.AsMember(
		func(ctx context.Context, m account.Member, in *struct {
			Body struct {
				gather.Selection
				Package string `json:"package,omitempty" doc:"empty for a new one"`
			}
		}) (*web.Body[packageView], error) {
			p, err := a.Pack.Pack(ctx, m, in.Body.Package, in.Body.Selection)
			if err != nil {
				return nil, err
			}
			return a.packageOf(ctx, m, p.ID)
		}))
}

// momentOperations are about days and hours before they are set.
func (a Routes) momentOperations() {
	web.Add(a.Web, web.StudioOp(http.MethodGet, "/moments", "moment", "When a day and an hour are, as somebody typed them, on every clock that matters"), web.AsMember(
		func(_ context.Context, _ account.Member, in *struct {
			Text  string   `query:"text" maxLength:"100" doc:"fri 18, in 9 days, 3 dec 18:00; empty: days counts"`
			Days  int      `query:"days" minimum:"0" maximum:"365" doc:"so many days from now, at the same hour"`
			Usual string   `query:"usual" default:"18:00" doc:"the hour where text names none"`
			Zone  string   `query:"zone" required:"true" doc:"IANA time zone, as Europe/London"`
			Also  []string `query:"also,explode" maxItems:"50" doc:"other zones in which the moment is worded"`
		}) (*web.Body[moment.Reading], error) {
			r, err := a.Pack.Ends(in.Text, in.Days, in.Usual, in.Zone, in.Also)
			return &web.Body[moment.Reading]{Body: r}, err
		}))
}

func (a Routes) packOperations() {
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/packages", "new-package", "Begin a package"), web.AsMember(
		func(ctx context.Context, m account.Member, _ *web.None) (*web.Body[packageView], error) {
			parcel, err := a.Pack.NewPackage(ctx, m)
			if err != nil {
				return nil, err
			}
			return a.packageOf(ctx, m, parcel.ID)
		}))
	web.Add(a.Web, web.StudioOp(http.MethodGet, "/packages/{id}", "package", "A package with its items, recipients and Sentence"), web.AsMember(
		func(ctx context.Context, m account.Member, in *web.ByID) (*web.Body[packageView], error) {
			return a.packageOf(ctx, m, in.ID)
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPatch, "/packages/{id}", "edit-package", "Change what is written on a package"), web.AsMember(a.editPackage))
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/packages/{id}/passphrase", "weigh-passphrase", "Say how long a passphrase would stand at its door; it is not kept"),
		web.AsMember(a.weighPassphrase))
	web.Add(a.Web, web.StudioOp(http.MethodDelete, "/packages/{id}", "discard-package", "Throw away a draft"), web.AsMember(
		func(ctx context.Context, m account.Member, in *web.ByID) (*web.None, error) {
			return nil, a.Drafts.Discard(ctx, m, in.ID)
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/packages/{id}/send", "send-package", "Send it: its links open, letters go"), web.AsMember(
		a.changing(func(ctx context.Context, m account.Member, id string) error { return a.Pack.Send(ctx, m, id) })))
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/packages/{id}/stop", "stop-package", "Stop it at once; downloads that run are cut"), web.AsMember(
		a.changing(func(ctx context.Context, m account.Member, id string) error { return a.Pack.Stop(ctx, m, id) })))
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/packages/{id}/extend", "extend-package", "Set a new end; also opens it again"), web.AsMember(
		func(ctx context.Context, m account.Member, in *struct {
			web.ByID
			Body expiry.Rule
		}) (*web.Body[packageView], error) {
			if err := a.Pack.Extend(ctx, m, in.ID, in.Body); err != nil {
				return nil, err
			}
			return a.packageOf(ctx, m, in.ID)
		}))
	web.Add(a.Web, web.StudioOp(http.MethodDelete, "/items/{id}", "remove-item", "Take an item out of its package, at once"), web.AsMember(
		func(ctx context.Context, m account.Member, in *web.ByID) (*web.None, error) {
			return nil, a.Pack.RemoveItem(ctx, m, in.ID)
		}))
}

func (a Routes) waybillOperations() {
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/packages/{id}/recipients", "add-recipient", "Put somebody, or a link for anyone, on the waybill"),
		web.AsMember(a.addRecipient))
	web.Add(a.Web, web.StudioOp(http.MethodPatch, "/recipients/{id}", "change-recipient", "Change rights, name or zone"), web.AsMember(a.changeRecipient))
	web.Add(a.Web, web.StudioOp(http.MethodDelete, "/recipients/{id}", "remove-recipient", "Take somebody off the waybill, at once"), web.AsMember(
		func(ctx context.Context, m account.Member, in *web.ByID) (*web.None, error) {
			return nil, a.Pack.RemoveLine(ctx, m, in.ID)
		}))
}

func (a Routes) packageOf(ctx context.Context, m account.Member, id string) (*web.Body[packageView], error) {
	p, err := a.Pack.Package(ctx, m, id)
	if err != nil {
		return nil, err
	}
	return &web.Body[packageView]{Body: a.viewPackage(ctx, p)}, nil
}

// changing is an operation that does something with a package and answers with it.
func (a Routes) changing(do func(context.Context, account.Member, string) error) func(context.Context, account.Member,
	*web.ByID) (*web.Body[packageView], error) {
	return func(ctx context.Context, m account.Member, in *web.ByID) (*web.Body[packageView], error) {
		if err := do(ctx, m, in.ID); err != nil {
			return nil, err
		}
		return a.packageOf(ctx, m, in.ID)
	}
}

func (a Routes) editPackage(ctx context.Context, m account.Member, in *struct {
	web.ByID
	Body struct {
		Title       *string       `json:"title,omitempty"`
		CoverLetter *string       `json:"cover_letter,omitempty"`
		Door        *door.Door    `json:"door,omitempty" `
		Passphrase  *string       `json:"passphrase,omitempty"`
		Letterhead  *string       `json:"letterhead,omitempty" doc:"id; empty for that of the client, or the studio's"`
		KeepIn      bool          `json:"keep_in,omitempty" doc:"whoever is in stays in when the door or its passphrase of a package that is out changes"`
		EndRule     *expiry.Rule  `json:"end_rule,omitempty"`
		Rights      *right.Rights `json:"rights,omitempty" doc:"of whoever is put on the waybill next"`
		Pins        *bool         `json:"pins,omitempty" doc:"it gives the versions that it is sent with, not the current ones"`
		Reminders   *[]int        `json:"reminders,omitempty" maxItems:"6" doc:"hours before the end at which those are reminded who have not everything"`
	}
}) (*web.Body[packageView], error) {
	_, err := a.Pack.EditPackage(ctx, m, in.ID, Edit{Title: in.Body.Title, CoverLetter: in.Body.CoverLetter, Door: in.Body.Door,
		Passphrase: in.Body.Passphrase, EndRule: in.Body.EndRule, KeepIn: in.Body.KeepIn, Rights: in.Body.Rights, Letterhead: in.Body.Letterhead,
		Pins: in.Body.Pins, Reminders: (*reminder.Ladder)(in.Body.Reminders)})
	if err != nil {
		return nil, err
	}
	return a.packageOf(ctx, m, in.ID)
}

type strengthView struct {
	Grade password.Grade `json:"grade" enum:"refused,thin,sound,strong"`
	Says  string         `json:"says" doc:"in words, with how long somebody would try"`
}

func (a Routes) weighPassphrase(ctx context.Context, m account.Member, in *struct {
	web.ByID
	Body struct {
		Passphrase string `json:"passphrase" maxLength:"4000"`
	}
}) (*web.Body[strengthView], error) {
	grade, says, err := a.Drafts.WeighPassphrase(ctx, m, in.ID, in.Body.Passphrase)
	return &web.Body[strengthView]{Body: strengthView{grade, says}}, err
}

func (a Routes) addRecipient(ctx context.Context, m account.Member, in *struct {
	web.ByID
	Body struct {
		Address string       `json:"address,omitempty" doc:"hanne@kelpwick.example or Hanne Orrick <hanne@kelpwick.example>; empty for a link for anyone" maxLength:"400"`
		Name    string       `json:"name,omitempty" maxLength:"200"`
		Rights  right.Rights `json:"rights,omitempty" doc:"left out: the default of the package"`
		Zone    string       `json:"zone,omitempty"`
	}
}) (*web.Body[recipientView], error) {
	r, err := a.Pack.AddLine(ctx, m, in.ID, Guest{Address: in.Body.Address, Name: in.Body.Name, Rights: in.Body.Rights,
		Zone: in.Body.Zone})
	if err != nil {
		return nil, err
	}
	return &web.Body[recipientView]{Body: a.viewRecipient(ctx, r)}, nil
}

func (a Routes) changeRecipient(ctx context.Context, m account.Member, in *struct {
	web.ByID
	Body struct {
		Rights *right.Rights `json:"rights,omitempty"`
		Name   *string       `json:"name,omitempty"`
		Zone   *string       `json:"zone,omitempty"`
		PassOn *bool         `json:"may_pass_on,omitempty"`
	}
}) (*web.Body[recipientView], error) {
	r, err := a.Pack.ChangeLine(ctx, m, in.ID,
		LineEdit{Rights: in.Body.Rights, Name: in.Body.Name, Zone: in.Body.Zone, PassOn: in.Body.PassOn})
	if err != nil {
		return nil, err
	}
	return &web.Body[recipientView]{Body: a.viewRecipient(ctx, r)}, nil
}
