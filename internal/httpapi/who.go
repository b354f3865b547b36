package httpapi

import (
	"aftergust/internal/account"
	"aftergust/internal/ground"
	"context"
	"net"
	"net/http"
	"strings"
	"time"
)

const (
	sessionCookie = "aftergust_session"
	deviceCookie  = "aftergust_device"
	deviceLife    = 400 * 24 * time.Hour // as long as browsers keep a cookie
)

type whoKey struct{}

// who is what identify found of a request.
type who struct {
	member  *account.Member
	byToken bool
	device  string
	newbie  bool // the device has no cookie yet
	host    string
}

func from(ctx context.Context) *who {
	if found, ok := ctx.Value(whoKey{}).(*who); ok {
		return found
	}
	return &who{}
}

func memberFrom(ctx context.Context) (account.Member, bool) {
	if m := from(ctx).member; m != nil {
		return *m, true
	}
	return account.Member{}, false
}

// identify finds out who asks: a member by bearer token or session cookie, a
// recipient's device by its cookie. It refuses nobody.
func (a *API) identify(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		found := &who{host: a.clientHost(r)}
		ctx := r.Context()
		if token, ok := strings.CutPrefix(r.Header.Get("Authorization"), "Bearer "); ok {
			if m, ok, err := a.Account.MemberByToken(ctx, token); err == nil && ok {
				found.member, found.byToken = &m, true
			} else if err != nil {
				a.refuse(w, err)
				return
			}
		} else if cookie, err := r.Cookie(sessionCookie); err == nil {
			m, err := a.memberBySession(ctx, cookie.Value)
			if err != nil {
				a.refuse(w, err)
				return
			}
			found.member = m
		}
		if cookie, err := r.Cookie(deviceCookie); err == nil && len(cookie.Value) >= 22 && len(cookie.Value) <= 100 {
			found.device = cookie.Value
		} else {
			found.device, found.newbie = ground.NewSecret(), true
		}
		next.ServeHTTP(w, r.WithContext(context.WithValue(ctx, whoKey{}, found)))
	})
}

func (a *API) memberBySession(ctx context.Context, token string) (*account.Member, error) {
	ctx, err := a.sessions.Load(ctx, token)
	if err != nil {
		return nil, err
	}
	id := a.sessions.GetString(ctx, "member")
	if id == "" {
		return nil, nil
	}
	m, ok, err := a.Account.MemberByID(ctx, id)
	if err != nil || !ok {
		return nil, err
	}
	return &m, nil
}

func (a *API) cookie(name, value string, expires time.Time) http.Cookie {
	return http.Cookie{Name: name, Value: value, Path: "/", Expires: expires, HttpOnly: true, Secure: a.secure, SameSite: http.SameSiteLaxMode}
}

// clientHost is the address that throttles count by.
func (a *API) clientHost(r *http.Request) string {
	if a.TrustProxy {
		forwarded := strings.Split(r.Header.Get("X-Forwarded-For"), ",")
		if last := strings.TrimSpace(forwarded[len(forwarded)-1]); net.ParseIP(last) != nil {
			return last
		}
	}
	host, _, err := net.SplitHostPort(r.RemoteAddr)
	if err != nil {
		return r.RemoteAddr
	}
	return host
}

// needMember answers 401 unless a member of a studio asks.
func (a *API) needMember(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if _, ok := memberFrom(r.Context()); !ok {
			a.refuse(w, errSignIn)
			return
		}
		next.ServeHTTP(w, r)
	})
}

var errSignIn = newProblem(http.StatusUnauthorized, "sign_in", "Sign in first.")

func member(ctx context.Context) (account.Member, error) {
	m, ok := memberFrom(ctx)
	if !ok {
		return m, errSignIn
	}
	return m, nil
}
