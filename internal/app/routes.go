package app

import (
	"log/slog"
	"net/http"
	"os"
	"reflect"
	"time"

	"aftergust/internal/files/blob"
	"aftergust/internal/ground/db"
	"aftergust/internal/parts/arrive"
	"aftergust/internal/parts/copies"
	"aftergust/internal/parts/follow"
	"aftergust/internal/parts/gather"
	"aftergust/internal/parts/hooks"
	"aftergust/internal/parts/letterheads"
	"aftergust/internal/parts/notices"
	"aftergust/internal/parts/pack"
	"aftergust/internal/parts/people"
	"aftergust/internal/parts/previews"
	"aftergust/internal/parts/privacy"
	"aftergust/internal/parts/proofs"
	"aftergust/internal/parts/receive"
	"aftergust/internal/parts/remind"
	"aftergust/internal/parts/review"
	"aftergust/internal/parts/seen"
	"aftergust/internal/parts/show"
	"aftergust/internal/parts/studio"
	"aftergust/internal/parts/ways"
	"aftergust/internal/web"
	"aftergust/ui"

	"github.com/danielgtaylor/huma/v2/adapters/humachi"
	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/promhttp"
)

// answer makes what answers HTTP.
func (a *App) answer(bytes blob.Store, incoming string, registry *prometheus.Registry) (err error) {
	c := a.config
	a.API, err = web.New(web.Config{
		Account: a.Account, Keep: a.Keep, Packages: a.Receive, Showings: a.Shows,
		Bytes: bytes, Kept: a.sessions, BaseURL: c.BaseURL, Interface: ui.Files(), Waiting: a.Guard.Waiting,
		Ready: a.Store.Ping, Explain: db.Explain, Log: a.log, Metrics: registry, Proxies: c.Proxies,
	})
	if err != nil {
		return err
	}
	a.Arriving, err = arrive.New(a.Uploads, a.locks, incoming, web.MemberFrom, a.API.ProblemBody, a.log)
	if err != nil {
		return err
	}
	routes(a.API, a.Parts, a.Arriving, nobody)
	return nil
}

// OpenAPI is the description of the API, without opening anything.
func OpenAPI() ([]byte, error) {
	w, err := described(nobody)
	if err != nil {
		return nil, err
	}
	return w.OpenAPI()
}

// described is all that answers, without opening anything.
func described(told func(part string, all chi.Routes)) (*web.Web, error) {
	log := slog.New(slog.DiscardHandler)
	parts := Assemble(Config{}, nil, nil, time.Now, log)
	w, err := web.New(web.Config{Packages: parts.Receive, Showings: parts.Shows, Interface: ui.Files(), Log: log,
		Metrics: prometheus.NewRegistry()})
	if err != nil {
		return nil, err
	}
	arriving, err := arrive.New(parts.Uploads, nil, os.TempDir(), web.MemberFrom, w.ProblemBody, log)
	if err != nil {
		return nil, err
	}
	routes(w, parts, arriving, told)
	return w, nil
}

func nobody(string, chi.Routes) {}

// A part registers what it answers.
type part interface{ Mount(r chi.Router) }

// mounted are all parts that answer. Each lists its own routes in its routes.go.
func mounted(w *web.Web, p Parts, arriving *arrive.Handler) []part {
	things := gather.Routes{Web: w, Chosen: p.Chosen, Places: p.Places, Things: p.Things}
	pictures := previews.Routes{Web: w, Previews: p.Previews, Things: p.Things, GatherRoutes: things}
	guests := receive.Routes{Web: w, Heads: p.Heads, Pack: p.Pack, Receive: p.Receive}
	return []part{
		things, pictures, guests,
		arrive.Routes{Web: w, Arriving: arriving, Uploads: p.Uploads},
		copies.Routes{Web: w, Copies: p.Copies, Receive: p.Receive},
		follow.Routes{Web: w, Book: p.Book, Follow: p.Follow, Pack: p.Pack},
		hooks.Routes{Web: w, Hooks: p.Hooks},
		letterheads.Routes{Web: w, Heads: p.Heads},
		notices.Routes{Web: w, Notices: p.Notices},
		pack.Routes{Web: w, Drafts: p.Drafts, Pack: p.Pack},
		people.Routes{Web: w, Book: p.Book},
		privacy.Routes{Web: w, Privacy: p.Privacy},
		proofs.Routes{Web: w, Follow: p.Follow, Pack: p.Pack, Proofs: p.Proofs},
		remind.Routes{Web: w, Pack: p.Pack, Remind: p.Remind},
		review.Routes{Web: w, Pack: p.Pack, Receive: p.Receive, Review: p.Review, Rounds: p.Rounds, Sittings: p.Sittings,
			PreviewsRoutes: pictures, ReceiveRoutes: guests},
		seen.Routes{Web: w, Receive: p.Receive, Seen: p.Seen},
		show.Routes{Web: w, Previews: p.Previews, Shows: p.Shows, PreviewsRoutes: pictures},
		studio.Routes{Web: w, Pack: p.Pack, Second: p.Second, Team: p.Team},
		ways.Routes{Web: w, Pack: p.Pack, Ways: p.Ways},
	}
}

// routes mounts all parts behind what is asked of every request. told hears of each part once it is mounted.
func routes(w *web.Web, p Parts, arriving *arrive.Handler, told func(part string, all chi.Routes)) {
	r := chi.NewRouter()
	root := r
	r.Use(w.Observe, middleware.Recoverer, w.Safe, web.Readable)

	r.Get("/healthz", func(answer http.ResponseWriter, _ *http.Request) { _, _ = answer.Write([]byte("ok\n")) })
	r.Get("/readyz", w.AnswerReady)
	r.With(web.OnlyHere).Handle("/metrics", promhttp.HandlerFor(w.Metrics, promhttp.HandlerOpts{}))

	r.Group(func(r chi.Router) {
		r.Use(http.NewCrossOriginProtection().Handler, w.Identify)
		described := r.With(w.Limited(web.RequestsPerMinute), middleware.RequestSize(web.MaxJSON), web.NoStore)
		w.Describe(humachi.New(described, describe())) // operations with JSON bodies
		r.Get("/api/v1/live", w.Live)
		told("aftergust/internal/app", root)
		for _, one := range mounted(w, p, arriving) {
			one.Mount(r)
			told(reflect.TypeOf(one).PkgPath(), root)
		}
	})

	r.Get("/docs/api", w.Docs)
	keys := proofs.Routes{Web: w, Proofs: p.Proofs}
	r.With(w.Limited(web.RequestsPerMinute)).Get("/.well-known/aftergust-keys.json", keys.StudioKeys)
	r.NotFound(w.Pages.ServeHTTP)
	w.Serve(r)
}
