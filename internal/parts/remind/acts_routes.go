package remind

import (
	"context"
	"errors"
	"fmt"
	"net/http"

	"aftergust/core/link/door"
	"aftergust/core/time/expiry"
	"aftergust/core/words/count"
	"aftergust/internal/ground"
	"aftergust/internal/parts/pack"
	"aftergust/internal/web"
	"aftergust/internal/who/account"
)

type doneView struct {
	ID    string   `json:"id" doc:"of the package"`
	Title string   `json:"title"`
	Done  bool     `json:"done"`
	Says  string   `json:"says" doc:"what was done, or why not"`
	Links []string `json:"links,omitempty" doc:"for links: those by which somebody comes in"`
}

type actIn struct {
	Body struct {
		Packages   []string     `json:"packages" maxItems:"200"`
		Act        string       `json:"act" enum:"stop,extend,remind,door,links"`
		Ends       *expiry.Rule `json:"ends,omitempty" doc:"for extend"`
		Message    string       `json:"message,omitempty" maxLength:"500" doc:"for remind: a line of one's own"`
		Door       *door.Door   `json:"door,omitempty" doc:"for door"`
		Passphrase *string      `json:"passphrase,omitempty" doc:"for door"`
		KeepIn     bool         `json:"keep_in,omitempty" doc:"for door: whoever is in stays in"`
	}
}

// actOnPackages does one thing to each of some packages. What one refuses does not
// keep the others from it.
func (a Routes) actOnPackages(ctx context.Context, m account.Member, in *actIn) (*web.Body[[]doneView], error) {
	out := make([]doneView, 0, len(in.Body.Packages))
	for _, id := range in.Body.Packages {
		v := doneView{ID: id, Title: "A package"}
		err := a.act(ctx, m, id, in, &v)
		var refused *ground.Error
		switch {
		case err == nil:
			v.Done = true
		case errors.As(err, &refused):
			v.Says = refused.Say
		default:
			return nil, err
		}
		out = append(out, v)
	}
	return &web.Body[[]doneView]{Body: out}, nil
}

func (a Routes) act(ctx context.Context, m account.Member, id string, in *actIn, v *doneView) error {
	p, err := a.Pack.ParcelOf(ctx, m, id)
	if err != nil {
		return err
	}
	v.Title = p.Title
	switch in.Body.Act {
	case "stop":
		v.Says = "Stopped."
		return a.Pack.Stop(ctx, m, id)
	case "extend":
		if in.Body.Ends == nil {
			return ground.Wrong("ends", "Choose until when.")
		}
		v.Says = "It has a new end."
		return a.Pack.Extend(ctx, m, id, *in.Body.Ends)
	case "remind":
		reminded, left, err := a.Remind.All(ctx, m, id, in.Body.Message)
		v.Says = count.Of(len(reminded), "person is", "people are") + " reminded."
		for _, l := range left {
			v.Says += " " + l.Why
		}
		return err
	case "door":
		if in.Body.Door == nil {
			return ground.Wrong("door", "Choose a door.")
		}
		v.Says = fmt.Sprintf("Its door is %s.", door.All.Get(*in.Body.Door).Word)
		_, err := a.Pack.EditPackage(ctx, m, id, pack.Edit{Door: in.Body.Door, Passphrase: in.Body.Passphrase, KeepIn: in.Body.KeepIn})
		return err
	}
	return a.links(ctx, m, id, v)
}

// links are the links by which somebody comes into a package, each with whose it is.
func (a Routes) links(ctx context.Context, m account.Member, id string, v *doneView) error {
	p, err := a.Pack.Package(ctx, m, id)
	if err != nil {
		return err
	}
	if p.Parcel.SentAt == nil {
		return ground.Clash("not_sent", "It is a draft; its links open nothing yet.")
	}
	for _, l := range p.Lines {
		if l.RemovedAt == nil && l.GuestOf == "" {
			v.Links = append(v.Links, l.Name+": "+a.Pack.LinkURL(l))
		}
	}
	v.Says = count.Of(len(v.Links), "link", "links")
	return nil
}

// actOperations do something to several packages at once.
func (a Routes) actOperations() {
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/packages/acts", "act-on-packages", "Do one thing to several packages; each is done or refused by itself"),
		web.AsMember(a.actOnPackages))
}
