package studio

import (
	"context"
	"net/http"
	"time"

	"aftergust/core/link/scope"
	"aftergust/internal/web"
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
func (a Routes) lockOperations() {
	a.resetOperations()
	a.secondOperations()
	web.Add(a.Web, web.StudioOp(http.MethodPut, "/account/password", "change-password", "Change your password; all other browsers are signed out"), web.AsMember(
		func(ctx context.Context, m account.Member, in *struct {
			Body struct {
				Old string `json:"old" maxLength:"500"`
				New string `json:"new" maxLength:"500"`
			}
		}) (*web.None, error) {
			found := web.From(ctx)
			return nil, a.Web.Account.ChangePassword(ctx, m, in.Body.Old, in.Body.New, found.SignIn, found.Host)
		}))
	web.Add(a.Web, web.StudioOp(http.MethodGet, "/account/sessions", "sessions", "Where you are signed in"), web.AsMember(
		func(ctx context.Context, m account.Member, _ *web.None) (*web.Body[[]signedInView], error) {
			all, err := a.Web.Account.SignedIn(ctx, m)
			out := make([]signedInView, len(all))
			for i, s := range all {
				out[i] = signedInView{s.ID, s.Browser, s.Source, s.Since, s.SeenAt, s.ID == web.From(ctx).SignIn}
			}
			return &web.Body[[]signedInView]{Body: out}, err
		}))
	web.Add(a.Web, web.StudioOp(http.MethodDelete, "/account/sessions", "end-sessions", "Sign out all browsers but this one"), web.AsMember(
		func(ctx context.Context, m account.Member, _ *web.None) (*web.None, error) {
			return nil, a.Web.Account.SignOut(ctx, m, "", web.From(ctx).SignIn, web.From(ctx).Host)
		}))
	web.Add(a.Web, web.StudioOp(http.MethodDelete, "/account/sessions/{id}", "end-session", "Sign out one browser"), web.AsMember(
		func(ctx context.Context, m account.Member, in *web.ByID) (*web.None, error) {
			return nil, a.Web.Account.SignOut(ctx, m, in.ID, web.From(ctx).SignIn, web.From(ctx).Host)
		}))
	web.Add(a.Web, web.StudioOp(http.MethodGet, "/account/tokens", "tokens", "Your tokens for programs"), web.AsMember(
		func(ctx context.Context, m account.Member, _ *web.None) (*web.Body[[]tokenView], error) {
			all, err := a.Web.Account.Tokens(ctx, m)
			out := make([]tokenView, len(all))
			for i, t := range all {
				out[i] = viewToken(t)
			}
			return &web.Body[[]tokenView]{Body: out}, err
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/account/tokens", "make-token", "Make a token; its secret is shown once"), web.AsMember(web.Proven(a.Web,
		func(ctx context.Context, m account.Member, in *struct {
			Body struct {
				Label string      `json:"label" maxLength:"200"`
				Scope scope.Scope `json:"scope"`
				Days  int         `json:"days" minimum:"0" maximum:"366" doc:"0: for ever"`
			}
		}) (*web.Body[newTokenView], error) {
			secret, t, err := a.Web.Account.MakeToken(ctx, m, in.Body.Label, in.Body.Scope, in.Body.Days, web.From(ctx).Host)
			return &web.Body[newTokenView]{Body: newTokenView{viewToken(t), secret}}, err
		})))
	web.Add(a.Web, web.StudioOp(http.MethodDelete, "/account/tokens/{id}", "revoke-token", "Revoke a token, at once"), web.AsMember(
		func(ctx context.Context, m account.Member, in *web.ByID) (*web.None, error) {
			return nil, a.Web.Account.RevokeToken(ctx, m, in.ID, web.From(ctx).Host)
		}))
	web.Add(a.Web, web.StudioOp(http.MethodGet, "/account/record", "security-record", "Who came in, who tried to, and what changed of the locks"), web.AsMember(
		func(ctx context.Context, m account.Member, in *struct {
			Before int64 `query:"before" doc:"id of the last line that is there; 0 for the newest"`
		}) (*web.Body[[]entryLine], error) {
			all, err := a.Web.Account.Record(ctx, m, in.Before)
			out := make([]entryLine, len(all))
			for i, e := range all {
				out[i] = entryLine{e.ID, e.At, e.Say(), e.Source}
			}
			return &web.Body[[]entryLine]{Body: out}, err
		}))
}

// resetOperations are for members who lost their password.
func (a Routes) resetOperations() {
	op := func(method, id, summary string) huma.Operation {
		return huma.Operation{Method: method, Path: "/api/v1/reset", OperationID: id, Summary: summary, Tags: []string{"Studio"}}
	}
	web.Add(a.Web, op(http.MethodPost, "ask-reset", "Ask for a way back in by mail; whether there is such a member is not told"),
		func(ctx context.Context, in *struct {
			Body struct {
				Email string `json:"email" maxLength:"254"`
			}
		}) (*web.None, error) {
			return nil, a.Web.Account.AskReset(ctx, in.Body.Email, web.From(ctx).Host)
		})
	web.Add(a.Web, op(http.MethodPut, "reset", "Set another password, by a mailed way back in"),
		func(ctx context.Context, in *struct {
			Body struct {
				Token    string `json:"token" maxLength:"100"`
				Password string `json:"password" maxLength:"500"`
			}
		}) (*web.None, error) {
			return nil, a.Web.Account.Reset(ctx, in.Body.Token, in.Body.Password, web.From(ctx).Host)
		})
}
