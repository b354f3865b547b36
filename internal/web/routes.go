package web

import (
	"fmt"
	"net"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"aftergust/core/words/count"

	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"
	"github.com/go-chi/httprate"
)

// MaxJSON bounds the body of a request, in bytes: room for the ids of a large selection.
const MaxJSON = 4 << 20

// How often one address may call the JSON API, and have a proof checked.
const (
	RequestsPerMinute = 1200
	ChecksPerMinute   = 20
)

// Limited refuses one address that asks more often than so many times a minute.
func (a *Web) Limited(perMinute int) func(http.Handler) http.Handler {
	return httprate.LimitBy(perMinute, time.Minute, func(r *http.Request) (string, error) { return clientHost(r, a.Proxies), nil },
		httprate.WithLimitHandler(func(w http.ResponseWriter, _ *http.Request) {
			a.Refuse(w, NewProblem(http.StatusTooManyRequests, "too_many_requests",
				"Too many requests from this address. Wait a minute, then go on; nothing is lost."))
		}))
}

// Observe counts and logs requests by their route, so that no secret of a link
// comes into a log.
func (a *Web) Observe(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		began := time.Now()
		wrapped := middleware.NewWrapResponseWriter(w, r.ProtoMajor)
		next.ServeHTTP(wrapped, r)
		route := chi.RouteContext(r.Context()).RoutePattern()
		if route == "" {
			route = "page"
		}
		status := wrapped.Status()
		if status == 0 {
			status = http.StatusOK
		}
		took := time.Since(began)
		a.meters.requests.WithLabelValues(route, strconv.Itoa(status)).Inc()
		a.meters.seconds.Observe(took.Seconds())
		a.Log.Debug("request", "method", r.Method, "route", route, "status", status, "bytes", wrapped.BytesWritten(), "ms", took.Milliseconds())
	})
}

// ContentSecurity lets pages use what we ship and nothing else. Styles may be
// inline, since positions in charts are computed; scripts may not.
const ContentSecurity = "default-src 'self'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; media-src 'self' blob:; " +
	"font-src 'self'; connect-src 'self'; object-src 'none'; base-uri 'none'; form-action 'self'"

// framedBy is who may show a page within their own: we ourselves the pages of
// recipients, for "See it as", and showings, and nobody any other; a showing that is
// open says itself which sites may (shownHTML).
func framedBy(path string) string {
	if strings.HasPrefix(path, "/r/") || strings.HasPrefix(path, "/s/") {
		return "'self'"
	}
	return "'none'"
}

// Safe sets the headers that every answer has.
func (a *Web) Safe(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		if a.secure {
			h.Set("Strict-Transport-Security", "max-age=31536000") // RFC 6797
		}
		if strings.HasPrefix(r.URL.Path, "/r/") || strings.HasPrefix(r.URL.Path, "/s/") || strings.HasPrefix(r.URL.Path, "/api/") {
			h.Set("X-Robots-Tag", "noindex, nofollow, noarchive") // what people are sent is in no index
			h.Set("Cache-Control", "private, no-cache")           // unless an answer says otherwise
		}
		h.Set("Content-Security-Policy", ContentSecurity+"; frame-ancestors "+framedBy(r.URL.Path))
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "no-referrer")
		h.Set("Cross-Origin-Opener-Policy", "same-origin")
		h.Set("Permissions-Policy", "camera=(), geolocation=(), payment=()")
		next.ServeHTTP(w, r)
	})
}

// Readable refuses addresses that hold what no text of ours can: broken UTF-8, or NUL.
func Readable(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		query, err := url.QueryUnescape(r.URL.RawQuery)
		if err != nil || !utf8.ValidString(r.URL.Path+query) || strings.ContainsRune(r.URL.Path+query, 0) {
			http.Error(w, "This address is damaged. Copy all of it from where you found it.", http.StatusBadRequest)
			return
		}
		next.ServeHTTP(w, r)
	})
}

// OnlyHere answers only callers on this machine who came directly, not through a proxy.
func OnlyHere(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		host, _, err := net.SplitHostPort(r.RemoteAddr)
		if ip := net.ParseIP(host); err != nil || ip == nil || !ip.IsLoopback() || slices.ContainsFunc(
			[]string{"X-Forwarded-For", "X-Forwarded-Host", "X-Forwarded-Proto", "X-Real-Ip", "Forwarded", "Via"},
			func(name string) bool { return r.Header.Get(name) != "" }) {
			http.NotFound(w, r)
			return
		}
		next.ServeHTTP(w, r)
	})
}

// NoStore lets nobody keep an answer.
func NoStore(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Cache-Control", "no-store")
		next.ServeHTTP(w, r)
	})
}

// AnswerReady says whether the database answers, and how many stored files are damaged: GET /readyz.
func (a *Web) AnswerReady(w http.ResponseWriter, r *http.Request) {
	if err := a.Ready(r.Context()); err != nil {
		w.WriteHeader(http.StatusServiceUnavailable)
		_, _ = fmt.Fprintln(w, "the database does not answer")
		return
	}
	_, _ = fmt.Fprintln(w, "ready")
	if n, err := a.Keep.Damaged(r.Context()); err == nil && n > 0 {
		_, _ = fmt.Fprintln(w, count.Of(n, "stored file is", "stored files are")+" damaged; aftergust verify names them")
	}
}
