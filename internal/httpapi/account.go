package httpapi

import (
	"context"
	"net/http"
	"time"

	"aftergust/core/scope"
	"aftergust/internal/who/account"

	"github.com/danielgtaylor/huma/v2"
)

type signedInView struct {
	ID      string    `json:"id"`
	Browser string    `json:"browser" doc:"what it is, in a word"`
	Source  string    `json:"source" doc:"address that it came from at last"`
	Since   time.Time `json:"since"`
	SeenAt  time.Time `json:"seen_at"`
	Here    bool      `json:"here" doc:"the one that asks"`
}

type tokenView struct {
	ID         string      `json:"id"`
	Label      string      `json:"label"`
	Scope      scope.Scope `json:"scope"`
	CreatedAt  time.Time   `json:"created_at"`
	ExpiresAt  *time.Time  `json:"expires_at"`
	LastUsedAt *time.Time  `json:"last_used_at"`
}

func viewToken(t account.Token) tokenView {
	return tokenView{t.ID, t.Label, t.Scope, t.CreatedAt, t.ExpiresAt, t.LastUsedAt}
}

type newTokenView struct {
	tokenView
	Secret string `json:"secret" doc:"shown this once"`
}

type entryLine struct {
	ID     int64     `json:"id"`
	At     time.Time `json:"at"`
	Saying string    `json:"saying"`
	Source string    `json:"source" doc:"address that it came from"`
}

// lockOperations are what members do with what keeps others out: password,
// browsers that are signed in, tokens, and the record of all of it.
func (a *API) lockOperations() {
	a.resetOperations()
	a.secondOperations()
	add(a, studioOp(http.MethodPut, "/account/password", "change-password", "Change your password; all other browsers are signed out"), asMember(
		func(ctx context.Context, m account.Member, in *struct {
			Body struct {
				Old string `json:"old" maxLength:"500"`
				New string `json:"new" maxLength:"500"`
			}
		}) (*none, error) {
			found := from(ctx)
			return nil, a.Account.ChangePassword(ctx, m, in.Body.Old, in.Body.New, found.signIn, found.host)
		}))
	add(a, studioOp(http.MethodGet, "/account/sessions", "sessions", "Where you are signed in"), asMember(
		func(ctx context.Context, m account.Member, _ *none) (*body[[]signedInView], error) {
			all, err := a.Account.SignedIn(ctx, m)
			out := make([]signedInView, len(all))
			for i, s := range all {
				out[i] = signedInView{s.ID, s.Browser, s.Source, s.Since, s.SeenAt, s.ID == from(ctx).signIn}
			}
			return &body[[]signedInView]{out}, err
		}))
	add(a, studioOp(http.MethodDelete, "/account/sessions", "end-sessions", "Sign out all browsers but this one"), asMember(
		func(ctx context.Context, m account.Member, _ *none) (*none, error) {
			return nil, a.Account.SignOut(ctx, m, "", from(ctx).signIn, from(ctx).host)
		}))
	add(a, studioOp(http.MethodDelete, "/account/sessions/{id}", "end-session", "Sign out one browser"), asMember(
		func(ctx context.Context, m account.Member, in *ByID) (*none, error) {
			return nil, a.Account.SignOut(ctx, m, in.ID, from(ctx).signIn, from(ctx).host)
		}))
	add(a, studioOp(http.MethodGet, "/account/tokens", "tokens", "Your tokens for programs"), asMember(
		func(ctx context.Context, m account.Member, _ *none) (*body[[]tokenView], error) {
			all, err := a.Account.Tokens(ctx, m)
			out := make([]tokenView, len(all))
			for i, t := range all {
				out[i] = viewToken(t)
			}
			return &body[[]tokenView]{out}, err
		}))
	add(a, studioOp(http.MethodPost, "/account/tokens", "make-token", "Make a token; its secret is shown once"), asMember(proven(a,
		func(ctx context.Context, m account.Member, in *struct {
			Body struct {
				Label string      `json:"label" maxLength:"200"`
				Scope scope.Scope `json:"scope"`
				Days  int         `json:"days" minimum:"0" maximum:"366" doc:"0: for ever"`
			}
		}) (*body[newTokenView], error) {
			secret, t, err := a.Account.MakeToken(ctx, m, in.Body.Label, in.Body.Scope, in.Body.Days, from(ctx).host)
			return &body[newTokenView]{newTokenView{viewToken(t), secret}}, err
		})))
	add(a, studioOp(http.MethodDelete, "/account/tokens/{id}", "revoke-token", "Revoke a token, at once"), asMember(
		func(ctx context.Context, m account.Member, in *ByID) (*none, error) {
			return nil, a.Account.RevokeToken(ctx, m, in.ID, from(ctx).host)
		}))
	add(a, studioOp(http.MethodGet, "/account/record", "security-record", "Who came in, who tried to, and what changed of the locks"), asMember(
		func(ctx context.Context, m account.Member, in *struct {
			Before int64 `query:"before" doc:"id of the last line that is there; 0 for the newest"`
		}) (*body[[]entryLine], error) {
			all, err := a.Account.Record(ctx, m, in.Before)
			out := make([]entryLine, len(all))
			for i, e := range all {
				out[i] = entryLine{e.ID, e.At, e.Say(), e.Source}
			}
			return &body[[]entryLine]{out}, err
		}))
}

// resetOperations are for members who lost their password.
func (a *API) resetOperations() {
	op := func(method, id, summary string) huma.Operation {
		return huma.Operation{Method: method, Path: "/api/v1/reset", OperationID: id, Summary: summary, Tags: []string{"Studio"}}
	}
	add(a, op(http.MethodPost, "ask-reset", "Ask for a way back in by mail; whether there is such a member is not told"),
		func(ctx context.Context, in *struct {
			Body struct {
				Email string `json:"email" maxLength:"254"`
			}
		}) (*none, error) {
			return nil, a.Account.AskReset(ctx, in.Body.Email, from(ctx).host)
		})
	add(a, op(http.MethodPut, "reset", "Set another password, by a mailed way back in"),
		func(ctx context.Context, in *struct {
			Body struct {
				Token    string `json:"token" maxLength:"100"`
				Password string `json:"password" maxLength:"500"`
			}
		}) (*none, error) {
			return nil, a.Account.Reset(ctx, in.Body.Token, in.Body.Password, from(ctx).host)
		})
}
