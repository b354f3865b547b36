package pack

import (
	"context"
	"net/http"
	"time"

	"aftergust/internal/web"
	"aftergust/internal/who/account"
)

type presetView struct {
	ID     string `json:"id"`
	Name   string `json:"name"`
	Saying string `json:"saying" doc:"what it sets, in words"`
}

// sendingOperations are about how a draft goes, and what it is made of beforehand.
func (a Routes) sendingOperations() {
	web.Add(a.Web, web.StudioOp(http.MethodPut, "/packages/{id}/going", "let-go-by-itself", "Let a draft go by itself, once everything is in it"), web.AsMember(
		func(ctx context.Context, m account.Member, in *struct {
			web.ByID
			Body struct {
				At        *time.Time `json:"at,omitempty" doc:"the moment from which it goes"`
				In        int        `json:"in,omitempty" minimum:"0" maximum:"86400" doc:"or so many seconds from now"`
				Announced bool       `json:"announced,omitempty" doc:"instead: all files that were to come have been announced; one that was taken back meanwhile stays"`
				More      bool       `json:"more,omitempty" doc:"there are files to come that no upload was begun for: it waits until this is said anew"`
			}
		}) (*web.Body[packageView], error) {
			if in.Body.Announced {
				if err := a.Drafts.Announced(ctx, m, in.ID); err != nil {
					return nil, err
				}
				return a.packageOf(ctx, m, in.ID)
			}
			at := a.Pack.Now().Add(time.Duration(in.Body.In) * time.Second)
			if in.Body.At != nil {
				at = *in.Body.At
			}
			if err := a.Drafts.SendAt(ctx, m, in.ID, at, in.Body.More); err != nil {
				return nil, err
			}
			return a.packageOf(ctx, m, in.ID)
		}))
	web.Add(a.Web, web.StudioOp(http.MethodDelete, "/packages/{id}/going", "wait", "Take back that a draft goes by itself"), web.AsMember(
		a.changing(a.Drafts.Wait)))
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/packages/{id}/hand", "hand-draft", "Hand a draft to another member, who sends it in their name"), web.AsMember(
		func(ctx context.Context, m account.Member, in *struct {
			web.ByID
			Body struct {
				Member string `json:"member" doc:"id"`
			}
		}) (*web.Body[packageView], error) {
			if err := a.Drafts.Hand(ctx, m, in.ID, in.Body.Member); err != nil {
				return nil, err
			}
			return a.packageOf(ctx, m, in.ID)
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/packages/{id}/tell", "tell-news", "Tell people now of what was added since it was sent, in one letter"), web.AsMember(
		a.changing(a.Drafts.TellNow)))
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/packages/{id}/again", "again", "Begin a package of an earlier one, with what is new"), web.AsMember(
		func(ctx context.Context, m account.Member, in *web.ByID) (*web.Body[packageView], error) {
			p, err := a.Drafts.Again(ctx, m, in.ID)
			if err != nil {
				return nil, err
			}
			return a.packageOf(ctx, m, p.ID)
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/packages/{id}/mend", "mend", "Do what a warning offers to do about it"), web.AsMember(
		func(ctx context.Context, m account.Member, in *struct {
			web.ByID
			Body struct {
				Code      string `json:"code" maxLength:"40"`
				Recipient string `json:"recipient,omitempty"`
			}
		}) (*web.Body[packageView], error) {
			if err := a.Drafts.Mend(ctx, m, in.ID, in.Body.Code, in.Body.Recipient); err != nil {
				return nil, err
			}
			return a.packageOf(ctx, m, in.ID)
		}))
	a.orderOperations()
	a.presetOperations()
}

// orderOperations are about the order of what is in a package.
func (a Routes) orderOperations() {
	web.Add(a.Web, web.StudioOp(http.MethodPut, "/packages/{id}/order", "arrange", "Put items behind another, or to the beginning"), web.AsMember(
		func(ctx context.Context, m account.Member, in *struct {
			web.ByID
			Body struct {
				Moved []string `json:"moved" maxItems:"1000" doc:"ids of items, in the order that they get"`
				After string   `json:"after,omitempty" doc:"id of the item behind which they come; empty for the beginning"`
			}
		}) (*web.None, error) {
			return nil, a.Drafts.Arrange(ctx, m, in.ID, in.Body.Moved, in.Body.After)
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPut, "/items/{id}/heading", "head", "Write a heading over an item and those that follow it"), web.AsMember(
		func(ctx context.Context, m account.Member, in *struct {
			web.ByID
			Body struct {
				Heading string `json:"heading" maxLength:"400" doc:"empty for none"`
			}
		}) (*web.None, error) {
			return nil, a.Drafts.Head(ctx, m, in.ID, in.Body.Heading)
		}))
}

func (a Routes) presetOperations() {
	presets := func(ctx context.Context, m account.Member) (*web.Body[[]presetView], error) {
		all, err := a.Drafts.Presets(ctx, m)
		out := make([]presetView, len(all))
		for i, p := range all {
			out[i] = presetView{p.ID, p.Name, p.Says()}
		}
		return &web.Body[[]presetView]{Body: out}, err
	}
	web.Add(a.Web, web.StudioOp(http.MethodGet, "/presets", "presets", "How packages are sent, kept under names"), web.AsMember(
		func(ctx context.Context, m account.Member, _ *web.None) (*web.Body[[]presetView], error) {
			return presets(ctx, m)
		}))
	web.Add(a.Web, web.StudioOp(http.MethodDelete, "/presets/{id}", "forget-preset", "Delete a preset"), web.AsMember(
		func(ctx context.Context, m account.Member, in *web.ByID) (*web.None, error) {
			return nil, a.Drafts.ForgetPreset(ctx, m, in.ID)
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/packages/{id}/presets", "keep-preset", "Keep how a package is sent under a name"), web.AsMember(
		func(ctx context.Context, m account.Member, in *struct {
			web.ByID
			Body struct {
				Name string `json:"name" maxLength:"200"`
			}
		}) (*web.Body[[]presetView], error) {
			if err := a.Drafts.KeepPreset(ctx, m, in.ID, in.Body.Name); err != nil {
				return nil, err
			}
			return presets(ctx, m)
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPut, "/packages/{id}/preset", "apply-preset", "Set a draft as a preset says"), web.AsMember(
		func(ctx context.Context, m account.Member, in *struct {
			web.ByID
			Body struct {
				Preset string `json:"preset" doc:"id"`
			}
		}) (*web.Body[packageView], error) {
			if err := a.Drafts.ApplyPreset(ctx, m, in.ID, in.Body.Preset); err != nil {
				return nil, err
			}
			return a.packageOf(ctx, m, in.ID)
		}))
}
