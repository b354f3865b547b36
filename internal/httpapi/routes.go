package httpapi

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

	"aftergust/core/count"
	"aftergust/internal/parts/arrive"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"
	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"
	"github.com/go-chi/httprate"
	"github.com/prometheus/client_golang/prometheus/promhttp"
)

// maxJSON bounds the body of a request, in bytes: room for the ids of a large selection.
const maxJSON = 4 << 20

// How often one address may call the JSON API, and have a proof checked.
const (
	requestsPerMinute = 1200
	checksPerMinute   = 20
)

// routes is the table of contents of everything that answers HTTP.
func (a *API) routes() (http.Handler, error) {
	pages, err := interfaceHandler(a.Interface)
	if err != nil {
		return nil, err
	}
	r := chi.NewRouter()
	r.Use(a.observe, middleware.Recoverer, a.safe, readable)

	r.Get("/healthz", func(w http.ResponseWriter, _ *http.Request) { _, _ = w.Write([]byte("ok\n")) })
	r.Get("/readyz", a.ready)
	r.With(onlyHere).Handle("/metrics", promhttp.HandlerFor(a.Metrics, promhttp.HandlerOpts{}))

	r.Group(func(r chi.Router) {
		r.Use(http.NewCrossOriginProtection().Handler, a.identify)

		a.memberRoutes(r)
		r.With(a.limited(checksPerMinute)).Post("/api/v1/proofs/check", a.checkProof) // for everybody

		// For holders of a link: bytes and streams.
		for _, method := range []string{http.MethodGet, http.MethodHead} {
			r.MethodFunc(method, "/r/{link}/take/{item}/{name}", a.sends(a.take))
			r.MethodFunc(method, "/r/{link}/zip/{name}", a.sends(a.archive))
			r.MethodFunc(method, "/r/{link}/look/{item}/{what}", a.sends(a.look))
			r.MethodFunc(method, "/r/{link}/look/{item}/{version}/{what}", a.sends(a.look))
			r.MethodFunc(method, "/api/v1/r/{link}/attached/{id}", a.sends(a.attached))
			r.MethodFunc(method, "/api/v1/attached/{id}", a.sends(a.attached))
			r.MethodFunc(method, "/api/v1/r/{link}/notes/{id}/frame.jpg", a.sends(a.frame))
			r.MethodFunc(method, "/api/v1/notes/{id}/frame.jpg", a.sends(a.frame))
			r.MethodFunc(method, "/api/v1/r/{link}/items/{id}/out/{format}", a.notesOut)
			r.MethodFunc(method, "/api/v1/items/{id}/out/{format}", a.notesOut)
			r.MethodFunc(method, "/r/{link}/ends.ics", a.ends)
			r.MethodFunc(method, "/r/{link}/sums.txt", a.sums)
			r.MethodFunc(method, "/r/{link}/package.meta4", a.metalink)
			r.MethodFunc(method, "/r/{link}/entry/{item}/{index}/{name}", a.guestEntry)
		}
		for _, method := range []string{http.MethodGet, http.MethodHead} {
			r.MethodFunc(method, "/s/{link}/look/{item}/{what}", a.sends(a.shownLook))
			r.MethodFunc(method, "/s/{link}", a.shownHTML())
			r.MethodFunc(method, "/calendar/{key}", a.calendar)
		}
		r.Post("/api/v1/r/{link}/items/{id}/attached/{kind}", a.attach)
		r.Post("/api/v1/items/{id}/attached/{kind}", a.attach)
		r.Post("/api/v1/r/{link}/items/{id}/in/{format}", a.notesIn)
		r.Post("/api/v1/items/{id}/in/{format}", a.notesIn)
		r.Get("/r/{link}", a.recipientHTML())
		r.Head("/r/{link}", pages.ServeHTTP)
		r.Post("/r/{link}/plain", a.answerPlain)
		r.Post("/r/{link}/quiet", a.quiet)        // by a mail program
		r.Get("/r/{link}/quiet", pages.ServeHTTP) // a person who follows the same address
		r.Get("/r/{link}/room", pages.ServeHTTP)
		r.Get("/r/{link}/room/print", pages.ServeHTTP)
		r.Get("/api/v1/r/{link}/live", a.guestLive)
		r.Get("/api/v1/r/{link}/outside", a.guestWaits)

		// JSON, described by types.
		r.Group(func(r chi.Router) {
			r.Use(a.limited(requestsPerMinute), middleware.RequestSize(maxJSON), noStore)
			a.openapi = humachi.New(r, describe())
			a.studioOperations()
			a.gatherOperations()
			a.momentOperations()
			a.guestOperations()
			a.reviewOperations()
			a.waysOperations()
			a.alongOperations()
			a.letterheadOperations()
			a.showingOperations()
		})
	})

	r.Get("/docs/api", a.readableDocs)
	r.With(a.limited(requestsPerMinute)).Get("/.well-known/aftergust-keys.json", a.studioKeys)
	r.NotFound(pages.ServeHTTP)
	return r, nil
}

// limited refuses one address that asks more often than so many times a minute.
func (a *API) limited(perMinute int) func(http.Handler) http.Handler {
	return httprate.LimitBy(perMinute, time.Minute, func(r *http.Request) (string, error) { return a.clientHost(r), nil },
		httprate.WithLimitHandler(func(w http.ResponseWriter, _ *http.Request) {
			a.refuse(w, newProblem(http.StatusTooManyRequests, "too_many_requests",
				"Too many requests from this address. Wait a minute, then go on; nothing is lost."))
		}))
}

// memberRoutes are for members: bytes and streams.
func (a *API) memberRoutes(r chi.Router) {
	r.With(a.needMember).HandleFunc(arrive.Base+"*", a.upload)
	r.Get("/api/v1/live", a.live)
	r.Get("/api/v1/versions/{version}/{what}", a.sends(a.derived))
	r.Head("/api/v1/versions/{version}/{what}", a.sends(a.derived))
	r.With(a.needMember).Put("/api/v1/letterheads/{id}/{which}", a.setPicture)
	r.With(a.needMember).Delete("/api/v1/letterheads/{id}/{which}", a.setPicture)
	r.Get("/letterheads/{id}/{which}", a.picture)
	r.Get("/api/v1/recipients/{id}/qr.svg", a.qrCode)
	r.Get("/api/v1/recipients/{id}/letter.eml", a.unsent)
	for _, method := range []string{http.MethodGet, http.MethodHead} {
		for _, file := range []string{"proof.pdf", "proof.json"} {
			r.MethodFunc(method, "/api/v1/packages/{id}/"+file, a.proofFile)
		}
		for _, suffix := range []string{".csv", ".jsonl"} {
			r.MethodFunc(method, "/api/v1/packages/{id}/events"+suffix, a.exportEvents)
			r.MethodFunc(method, "/api/v1/packages/{id}/ledger"+suffix, a.exportLedger)
		}
		r.MethodFunc(method, "/api/v1/entry/{version}/{index}/{name}", a.entry)
		r.MethodFunc(method, "/api/v1/zip/{selection}/{name}", a.sends(a.selection))
	}
}

// apiVersion is the version of the API, which changes when it does, not with each build.
const apiVersion = "1"

func describe() huma.Config {
	config := huma.DefaultConfig("Aftergust", apiVersion)
	config.Info.Description = "Everything that the interface does goes over this API. Members sign in or send a bearer token made by `aftergust token`; " +
		"recipients are known by the secret in their link. Files are uploaded by tus 1.0.0 at " + arrive.Base +
		" with the metadata filename and either place (with folder and tags), package (with folder) or item. " +
		"Originals lie at /r/{link}/take/{item}/{name}, all of them as one ZIP at /r/{link}/zip/{name}; both take ranges. " +
		"/api/v1/live and /api/v1/r/{link}/live send server-sent events {package, what}."
	config.DocsPath = "" // the page of the library fetches scripts from outside; ours is readableDocs
	config.OpenAPIPath = "/openapi"
	config.CreateHooks = nil // no $schema links in bodies
	describeKinds(config.Components.Schemas)
	config.Components.SecuritySchemes = map[string]*huma.SecurityScheme{
		"token":   {Type: "http", Scheme: "bearer"},
		"session": {Type: "apiKey", In: "cookie", Name: sessionCookie},
	}
	return config
}

// observe counts and logs requests by their route, so that no secret of a link
// comes into a log.
func (a *API) observe(next http.Handler) http.Handler {
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

// contentSecurity lets pages use what we ship and nothing else. Styles may be
// inline, since positions in charts are computed; scripts may not.
const contentSecurity = "default-src 'self'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; media-src 'self' blob:; " +
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

func (a *API) safe(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		if a.secure {
			h.Set("Strict-Transport-Security", "max-age=31536000") // RFC 6797
		}
		if strings.HasPrefix(r.URL.Path, "/r/") || strings.HasPrefix(r.URL.Path, "/s/") || strings.HasPrefix(r.URL.Path, "/api/") {
			h.Set("X-Robots-Tag", "noindex, nofollow, noarchive") // what people are sent is in no index
			h.Set("Cache-Control", "private, no-cache")           // unless an answer says otherwise
		}
		h.Set("Content-Security-Policy", contentSecurity+"; frame-ancestors "+framedBy(r.URL.Path))
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "no-referrer")
		h.Set("Cross-Origin-Opener-Policy", "same-origin")
		h.Set("Permissions-Policy", "camera=(), geolocation=(), payment=()")
		next.ServeHTTP(w, r)
	})
}

// readable refuses addresses that hold what no text of ours can: broken UTF-8, or NUL.
func readable(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		query, err := url.QueryUnescape(r.URL.RawQuery)
		if err != nil || !utf8.ValidString(r.URL.Path+query) || strings.ContainsRune(r.URL.Path+query, 0) {
			http.Error(w, "This address is damaged. Copy all of it from where you found it.", http.StatusBadRequest)
			return
		}
		next.ServeHTTP(w, r)
	})
}

// onlyHere answers only callers on this machine who came directly, not through a proxy.
func onlyHere(next http.Handler) http.Handler {
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

func noStore(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Cache-Control", "no-store")
		next.ServeHTTP(w, r)
	})
}

func (a *API) ready(w http.ResponseWriter, r *http.Request) {
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
