package httpapi

import (
	"context"
	"net/http"
	"time"

	"aftergust/core/access"
	"aftergust/internal/who/account"
)

// A knockView is somebody who stands before a package and asks to be let in.
type knockView struct {
	ID       string        `json:"id"`
	Package  string        `json:"package"`
	Title    string        `json:"title"`
	Name     string        `json:"name"`
	Email    string        `json:"email" doc:"empty where it is not known"`
	Message  string        `json:"message"`
	Reason   access.Reason `json:"reason" doc:"what keeps them out"`
	AskedAt  time.Time     `json:"asked_at"`
	Answered bool          `json:"answered"`
	LetIn    bool          `json:"let_in"`
}

func (a *API) knockOperations() {
	show := func(ctx context.Context, m account.Member, id string) (*body[knockView], error) {
		k, err := a.Receive.KnockOf(ctx, m, id)
		return &body[knockView]{knockView{ID: k.ID, Package: k.ParcelID, Title: k.Title, Name: k.Who(), Email: k.Email, Message: k.Message,
			Reason: k.Reason, AskedAt: k.AskedAt, Answered: k.AnsweredAt != nil, LetIn: k.LetIn}}, err
	}
	add(a, studioOp(http.MethodGet, "/knocks/{id}", "knock", "Who asks to be let in, and what keeps them out"), asMember(
		func(ctx context.Context, m account.Member, in *ByID) (*body[knockView], error) {
			return show(ctx, m, in.ID)
		}))
	add(a, studioOp(http.MethodPost, "/knocks/{id}/answer", "answer-knock", "Let somebody in who asked, or do not"), asMember(
		func(ctx context.Context, m account.Member, in *struct {
			ByID
			Body struct {
				LetIn bool `json:"let_in"`
			}
		}) (*body[knockView], error) {
			if err := a.Receive.Answer(ctx, m, in.ID, in.Body.LetIn); err != nil {
				return nil, err
			}
			return show(ctx, m, in.ID)
		}))
}

type presetView struct {
	ID     string `json:"id"`
	Name   string `json:"name"`
	Saying string `json:"saying" doc:"what it sets, in words"`
}

// sendingOperations are about how a draft goes, and what it is made of beforehand.
func (a *API) sendingOperations() {
	add(a, studioOp(http.MethodPut, "/packages/{id}/going", "let-go-by-itself", "Let a draft go by itself, once everything is in it"), asMember(
		func(ctx context.Context, m account.Member, in *struct {
			ByID
			Body struct {
				At        *time.Time `json:"at,omitempty" doc:"the moment from which it goes"`
				In        int        `json:"in,omitempty" minimum:"0" maximum:"86400" doc:"or so many seconds from now"`
				Announced bool       `json:"announced,omitempty" doc:"instead: all files that were to come have been announced; one that was taken back meanwhile stays"`
				More      bool       `json:"more,omitempty" doc:"there are files to come that no upload was begun for: it waits until this is said anew"`
			}
		}) (*body[packageView], error) {
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
	add(a, studioOp(http.MethodDelete, "/packages/{id}/going", "wait", "Take back that a draft goes by itself"), asMember(
		a.changing(a.Drafts.Wait)))
	add(a, studioOp(http.MethodPost, "/packages/{id}/hand", "hand-draft", "Hand a draft to another member, who sends it in their name"), asMember(
		func(ctx context.Context, m account.Member, in *struct {
			ByID
			Body struct {
				Member string `json:"member" doc:"id"`
			}
		}) (*body[packageView], error) {
			if err := a.Drafts.Hand(ctx, m, in.ID, in.Body.Member); err != nil {
				return nil, err
			}
			return a.packageOf(ctx, m, in.ID)
		}))
	add(a, studioOp(http.MethodPost, "/packages/{id}/tell", "tell-news", "Tell people now of what was added since it was sent, in one letter"), asMember(
		a.changing(a.Drafts.TellNow)))
	add(a, studioOp(http.MethodPost, "/packages/{id}/again", "again", "Begin a package of an earlier one, with what is new"), asMember(
		func(ctx context.Context, m account.Member, in *ByID) (*body[packageView], error) {
			p, err := a.Drafts.Again(ctx, m, in.ID)
			if err != nil {
				return nil, err
			}
			return a.packageOf(ctx, m, p.ID)
		}))
	add(a, studioOp(http.MethodPost, "/packages/{id}/mend", "mend", "Do what a warning offers to do about it"), asMember(
		func(ctx context.Context, m account.Member, in *struct {
			ByID
			Body struct {
				Code      string `json:"code" maxLength:"40"`
				Recipient string `json:"recipient,omitempty"`
			}
		}) (*body[packageView], error) {
			if err := a.Drafts.Mend(ctx, m, in.ID, in.Body.Code, in.Body.Recipient); err != nil {
				return nil, err
			}
			return a.packageOf(ctx, m, in.ID)
		}))
	a.orderOperations()
	a.presetOperations()
	a.knockOperations()
}

// orderOperations are about the order of what is in a package.
func (a *API) orderOperations() {
	add(a, studioOp(http.MethodPut, "/packages/{id}/order", "arrange", "Put items behind another, or to the beginning"), asMember(
		func(ctx context.Context, m account.Member, in *struct {
			ByID
			Body struct {
				Moved []string `json:"moved" maxItems:"1000" doc:"ids of items, in the order that they get"`
				After string   `json:"after,omitempty" doc:"id of the item behind which they come; empty for the beginning"`
			}
		}) (*none, error) {
			return nil, a.Drafts.Arrange(ctx, m, in.ID, in.Body.Moved, in.Body.After)
		}))
	add(a, studioOp(http.MethodPut, "/items/{id}/heading", "head", "Write a heading over an item and those that follow it"), asMember(
		func(ctx context.Context, m account.Member, in *struct {
			ByID
			Body struct {
				Heading string `json:"heading" maxLength:"400" doc:"empty for none"`
			}
		}) (*none, error) {
			return nil, a.Drafts.Head(ctx, m, in.ID, in.Body.Heading)
		}))
}

func (a *API) presetOperations() {
	presets := func(ctx context.Context, m account.Member) (*body[[]presetView], error) {
		all, err := a.Drafts.Presets(ctx, m)
		out := make([]presetView, len(all))
		for i, p := range all {
			out[i] = presetView{p.ID, p.Name, p.Says()}
		}
		return &body[[]presetView]{out}, err
	}
	add(a, studioOp(http.MethodGet, "/presets", "presets", "How packages are sent, kept under names"), asMember(
		func(ctx context.Context, m account.Member, _ *none) (*body[[]presetView], error) {
			return presets(ctx, m)
		}))
	add(a, studioOp(http.MethodDelete, "/presets/{id}", "forget-preset", "Delete a preset"), asMember(
		func(ctx context.Context, m account.Member, in *ByID) (*none, error) {
			return nil, a.Drafts.ForgetPreset(ctx, m, in.ID)
		}))
	add(a, studioOp(http.MethodPost, "/packages/{id}/presets", "keep-preset", "Keep how a package is sent under a name"), asMember(
		func(ctx context.Context, m account.Member, in *struct {
			ByID
			Body struct {
				Name string `json:"name" maxLength:"200"`
			}
		}) (*body[[]presetView], error) {
			if err := a.Drafts.KeepPreset(ctx, m, in.ID, in.Body.Name); err != nil {
				return nil, err
			}
			return presets(ctx, m)
		}))
	add(a, studioOp(http.MethodPut, "/packages/{id}/preset", "apply-preset", "Set a draft as a preset says"), asMember(
		func(ctx context.Context, m account.Member, in *struct {
			ByID
			Body struct {
				Preset string `json:"preset" doc:"id"`
			}
		}) (*body[packageView], error) {
			if err := a.Drafts.ApplyPreset(ctx, m, in.ID, in.Body.Preset); err != nil {
				return nil, err
			}
			return a.packageOf(ctx, m, in.ID)
		}))
}
