package web

import (
	"context"
	"net/http"
	"strings"
	"time"

	"aftergust/core/link/scope"
	"aftergust/core/link/throttle"
	"aftergust/internal/ground"
	"aftergust/internal/ground/turns"
	"aftergust/internal/who/account"
)

const (
	// SessionCookie is the name of the cookie of a sign-in, without the prefix that https adds.
	SessionCookie = "aftergust_session"
	deviceCookie  = "aftergust_device"
	deviceLife    = 400 * 24 * time.Hour // as long as browsers keep a cookie
)

const SignInKey = "sign-in" // in a session

type whoKey struct{}

// who is what identify found of a request.
type who struct {
	at      time.Time // when it was asked; what it may is weighed after
	Member  *account.Member
	SignIn  string // id of what is kept of the session
	Session string // what the cookie says; empty without one
	Device  string
	Newbie  bool // the device has no cookie yet
	Host    string
	Agent   string      // what the program that asks says of itself
	reach   scope.Scope // of the token; empty without one
}

// Link is a link as whoever asks may know it: a token that may only read would otherwise
// learn what opens doors, takes and decides in another's name, and outlives the token.
func (w *who) Link(link string) string {
	if w.reach != "" && !w.reach.Covers(scope.Send) {
		return ""
	}
	return link
}

// source is for whom turns are taken: a member, whoever else comes from their address, or an
// address.
func (w *who) source() string {
	if w.Member != nil {
		return "member " + w.Member.ID
	}
	return w.Host
}

// From is who asks, as Identify found out; nobody where it was not asked.
func From(ctx context.Context) *who {
	if found, ok := ctx.Value(whoKey{}).(*who); ok {
		return found
	}
	return &who{}
}

// MemberFrom is the member who asks; ok is false for nobody.
func MemberFrom(ctx context.Context) (account.Member, bool) {
	if m := From(ctx).Member; m != nil {
		return *m, true
	}
	return account.Member{}, false
}

// Identify finds out who asks: a member by bearer token or session cookie, a
// recipient's device by its cookie. It refuses nobody.
func (a *Web) Identify(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		found, err := a.who(r)
		if err != nil {
			a.Refuse(w, err)
			return
		}
		next.ServeHTTP(w, r.WithContext(turns.As(context.WithValue(r.Context(), whoKey{}, found), found.source())))
	})
}

func (a *Web) who(r *http.Request) (*who, error) {
	found := &who{at: time.Now(), Host: clientHost(r, a.Proxies), Agent: r.UserAgent()}
	if token, ok := strings.CutPrefix(r.Header.Get("Authorization"), "Bearer "); ok {
		m, reach, ok, err := a.Account.MemberByToken(r.Context(), token)
		if err != nil {
			return nil, err
		}
		if ok {
			if ok, err = a.inReach(r, reach); err != nil {
				return nil, err
			}
		}
		if ok {
			found.Member, found.reach = &m, reach
		}
	} else if cookie, err := r.Cookie(a.cookieName(SessionCookie)); err == nil {
		found.Session = cookie.Value
		if found.Member, found.SignIn, err = a.memberBySession(r.Context(), cookie.Value, found.Host); err != nil {
			return nil, err
		}
	}
	if cookie, err := r.Cookie(a.cookieName(deviceCookie)); err == nil && len(cookie.Value) >= 22 && len(cookie.Value) <= 100 {
		found.Device = cookie.Value
	} else {
		found.Device, found.Newbie = ground.NewSecret(), true
	}
	return found, nil
}

// memberBySession finds who is signed in by a session, and where that is kept.
func (a *Web) memberBySession(ctx context.Context, token, host string) (m *account.Member, signIn string, err error) {
	ctx, err = a.Sessions.Load(ctx, token)
	if err != nil {
		return nil, "", err
	}
	signIn = a.Sessions.GetString(ctx, SignInKey)
	if signIn == "" {
		return nil, "", nil
	}
	found, ok, err := a.Account.StillIn(ctx, signIn, host)
	if err != nil || !ok {
		return nil, "", err
	}
	return &found, signIn, nil
}

// cookieName is a cookie's name. Over https it is one that browsers take from
// this very host alone (RFC 6265bis, section 4.1.3.2).
func (a *Web) cookieName(name string) string {
	if a.secure {
		return "__Host-" + name
	}
	return name
}

// Cookie is a cookie of ours, out of reach of scripts and other sites.
func (a *Web) Cookie(name, value string, expires time.Time) http.Cookie {
	return http.Cookie{Name: a.cookieName(name), Value: value, Path: "/", Expires: expires, HttpOnly: true, Secure: a.secure, SameSite: http.SameSiteLaxMode}
}

// clientHost is what throttles count by.
func clientHost(r *http.Request, proxies int) string {
	return throttle.Source(throttle.Client(r.RemoteAddr, r.Header.Values("X-Forwarded-For"), proxies))
}

// NeedMember answers 401 unless a member of a studio asks.
func (a *Web) NeedMember(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if _, ok := MemberFrom(r.Context()); !ok {
			a.Refuse(w, errSignIn)
			return
		}
		next.ServeHTTP(w, r)
	})
}

var errSignIn = NewProblem(http.StatusUnauthorized, "sign_in", "Sign in first.")

// Member is the member who asks, or an error that asks them to sign in.
func Member(ctx context.Context) (account.Member, error) {
	m, ok := MemberFrom(ctx)
	if !ok {
		return m, errSignIn
	}
	return m, nil
}
