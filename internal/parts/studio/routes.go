// Package studio is how members sign in, keep their second factors, and work together, over
// HTTP; the rules are in package account.
package studio

import (
	"context"
	"net/http"
	"time"

	"aftergust/core/link/access"
	"aftergust/core/link/role"
	"aftergust/internal/parts/pack"
	"aftergust/internal/web"
	"aftergust/internal/who/account"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"
)

// Routes are sign-in, second factors and the team over HTTP.
type Routes struct {
	Web    *web.Web
	Pack   *pack.Service
	Second *account.Second
	Team   *account.Team
}

// Mount registers all routes of this part.
func (a Routes) Mount(_ chi.Router) {
	a.accountOperations()
	a.lockOperations()
	a.teamOperations()
}

func (a Routes) accountOperations() {
	web.Add(a.Web, huma.Operation{Method: http.MethodPost, Path: "/api/v1/session", OperationID: "sign-in", Summary: "Sign in with a browser",
		Tags: []string{"Studio"}}, a.signIn)
	web.Add(a.Web, web.StudioOp(http.MethodDelete, "/session", "sign-out", "Sign out"), a.signOut)
	web.Add(a.Web, web.StudioOp(http.MethodGet, "/me", "me", "Who is signed in"), web.AsMember(
		func(_ context.Context, m account.Member, _ *web.None) (*web.Body[memberView], error) {
			return &web.Body[memberView]{Body: viewMember(m)}, nil
		}))
}

type signedIn struct {
	SetCookie []http.Cookie `header:"Set-Cookie"`
	Body      memberView
}

func (a Routes) signIn(ctx context.Context, in *struct {
	Body struct {
		Email    string `json:"email" maxLength:"254"`
		Password string `json:"password" maxLength:"500"`
		Code     string `json:"code,omitempty" maxLength:"40" doc:"of the app, or a recovery code, where second_needed asks for it"`
	}
}) (*signedIn, error) {
	m, err := a.Web.Account.SignIn(ctx, in.Body.Email, in.Body.Password, web.From(ctx).Host, web.From(ctx).Device)
	if err == nil {
		err = a.Second.Check(ctx, m, in.Body.Code, web.From(ctx).Host)
	}
	if err != nil {
		return nil, err
	}
	return a.begin(ctx, m)
}

// begin signs a member in with the browser that asks.
func (a Routes) begin(ctx context.Context, m account.Member) (*signedIn, error) {
	ctx, err := a.Web.Sessions.Load(ctx, "")
	if err != nil {
		return nil, err
	}
	signIn, err := a.Web.Account.Begin(ctx, m, web.From(ctx).Agent, web.From(ctx).Host, web.From(ctx).Device)
	if err != nil {
		return nil, err
	}
	a.Web.Sessions.Put(ctx, web.SignInKey, signIn)
	token, expires, err := a.Web.Sessions.Commit(ctx)
	if err != nil {
		return nil, err
	}
	cookies := []http.Cookie{a.Web.Cookie(web.SessionCookie, token, expires), a.Web.WithDevice(ctx).SetCookie}
	return &signedIn{SetCookie: cookies, Body: viewMember(m)}, nil
}

type signedOut struct {
	SetCookie http.Cookie `header:"Set-Cookie"`
}

func (a Routes) signOut(ctx context.Context, _ *web.None) (*signedOut, error) {
	if session := web.From(ctx).Session; session != "" {
		loaded, err := a.Web.Sessions.Load(ctx, session)
		if err != nil {
			return nil, err
		}
		if err := a.Web.Sessions.Destroy(loaded); err != nil {
			return nil, err
		}
		if found := web.From(ctx); found.Member != nil && found.SignIn != "" {
			if err := a.Web.Account.SignOut(ctx, *found.Member, found.SignIn, found.SignIn, found.Host); err != nil {
				return nil, err
			}
		}
	}
	return &signedOut{a.Web.Cookie(web.SessionCookie, "", time.Unix(1, 0))}, nil
}

// Views are the shapes in which things go out. They carry what a screen shows,
// worded where a rule words it, so that no rule is written twice.

type memberView struct {
	ID      string    `json:"id"`
	Name    string    `json:"name"`
	Email   string    `json:"email"`
	Studio  string    `json:"studio" doc:"name of the studio"`
	Zone    string    `json:"zone" doc:"IANA time zone of the studio"`
	Role    role.Role `json:"role"`
	Confirm bool      `json:"confirm" doc:"their mail address is to be confirmed by a code before they send anything"`
	Runs    bool      `json:"runs" doc:"may change who works in the studio, and what it is called"`
}

func viewMember(m account.Member) memberView {
	return memberView{ID: m.ID, Name: m.Name, Email: m.Email, Studio: m.StudioName, Zone: m.Zone, Role: m.Role, Confirm: m.Unconfirmed,
		Runs: access.MayAct(m.Role, access.Run)}
}
