// Package web is Aftergust over HTTP: the documented API, the bytes of
// uploads and downloads, live events, and the embedded interface.
//
// routes.go reads as a table of contents. Operations with JSON bodies are
// described by their Go types (OpenAPI 3.1); streams of bytes are plain handlers.
package web

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"io"
	"io/fs"
	"log/slog"
	"net/http"
	"strings"
	"sync"
	"time"

	"aftergust/internal/files/archive"
	"aftergust/internal/files/blob"
	"aftergust/internal/files/keep"
	"aftergust/internal/files/unpack"
	"aftergust/internal/ground"
	"aftergust/internal/ground/shelf"
	"aftergust/internal/who/account"

	"github.com/alexedwards/scs/v2"
	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"
	"github.com/prometheus/client_golang/prometheus"
	"golang.org/x/sync/semaphore"
)

// Bytes opens blobs for reading.
type Bytes interface {
	Open(ctx context.Context, id string, offset int64) (io.ReadCloser, error)
	At(ctx context.Context, id string) (blob.ReaderAt, error)
}

// Config is what the API is made of. All fields are required but Proxies.
type Config struct {
	Account   *account.Service
	Keep      *keep.Service
	Packages  Opener // looks whether what recipients fetch may go on
	Showings  Opener // looks the same of what plays on showings
	Bytes     Bytes
	Kept      scs.Store // of sessions
	BaseURL   string
	Interface fs.FS // the built user interface
	Ready     func(context.Context) error
	Explain   func(error) *ground.Error // what the database says, in words for whoever asked; nil for a fault of ours
	Log       *slog.Logger
	Metrics   *prometheus.Registry
	Waiting   func() int // how many wait to have a password or code compared; nil where nobody counts
	Proxies   int        // of ours that a request comes through, each of which appends to X-Forwarded-For
}

// A Web is what all parts share that answer over HTTP. Make it with New.
type Web struct {
	Config
	Sessions       *scs.SessionManager
	hub            *hub
	Running, Shown *running                    // what is fetched of packages, and of showings
	OfMembers      *running                    // what members fetch
	Adding         *running                    // what members send
	Plans          *shelf.Shelf[*archive.Plan] // of what members chose
	Archives       *Archives
	meters         *meters
	openapi        huma.API
	Pages          http.Handler // the interface
	handler        http.Handler // all routes
	secure         bool         // whether we are reached by HTTPS
	closing        chan struct{}
}

// keptEntries is how many entries of planned ZIPs of members are kept in memory.
const keptEntries = 100_000

// New makes what the parts share.
func New(c Config) (*Web, error) {
	a := &Web{Config: c, hub: newHub(), Plans: archive.NewPlans(keptEntries), closing: make(chan struct{}),
		secure: strings.HasPrefix(c.BaseURL, "https://")}
	a.Archives = &Archives{a, shelf.New(keptListed, (*unpack.Listing).Len), semaphore.NewWeighted(listedAtOnce)}
	a.Running, a.Shown = newRunning(c.Packages, c.Log), newRunning(c.Showings, c.Log)
	a.OfMembers, a.Adding = newRunning(memberOpener{c.Account}, c.Log), newRunning(memberOpener{c.Account}, c.Log)
	a.meters = newMeters(c.Metrics)
	meterDamage(c.Keep, c.Metrics)
	if c.Waiting != nil {
		meterQueue(c.Waiting, c.Metrics)
	}
	a.Sessions = scs.New()
	a.Sessions.Store = c.Kept
	a.Sessions.Lifetime = account.SessionLife
	a.Sessions.HashTokenInStore = true
	var err error
	a.Pages, err = interfaceHandler(a.Interface)
	return a, err
}

// ServeHTTP answers a request.
func (a *Web) ServeHTTP(w http.ResponseWriter, r *http.Request) { a.handler.ServeHTTP(w, r) }

// Routes are all routes that answer, as METHOD and pattern, for whoever checks that none is without a lock.
func (a *Web) Routes() (all []string, err error) {
	err = chi.Walk(a.handler.(chi.Routes), func(method, route string, _ http.Handler, _ ...func(http.Handler) http.Handler) error {
		all = append(all, method+" "+route)
		return nil
	})
	return all, err
}

// Serve says what answers: the routes of all parts.
func (a *Web) Serve(all chi.Router) { a.handler = all }

// Describe says where operations are registered, before any is.
func (a *Web) Describe(api huma.API) { a.openapi = api }

// OpenAPI is the document of the API, as YAML or JSON clients read it.
func (a *Web) OpenAPI() ([]byte, error) { return json.MarshalIndent(a.openapi.OpenAPI(), "", "  ") }

// Changed passes a change on to open screens and running downloads.
func (a *Web) Changed(c ground.Change) {
	if c.Cut != nil {
		for _, r := range a.all() {
			r.cut(c.Parcel, *c.Cut)
		}
	}
	a.hub.publish(c)
}

// Lost tells that changes may have been missed: everything is looked at anew.
func (a *Web) Lost() {
	a.hub.publish(ground.Change{What: ground.Resync})
	for _, r := range a.all() {
		r.recheck()
	}
}

// all is everything that can be cut.
func (a *Web) all() []*running { return []*running{a.Running, a.Shown, a.OfMembers, a.Adding} }

// Downloads is how many downloads run.
func (a *Web) Downloads() int { return len(a.Running.of("")) }

// Halt ends all downloads so that what is claimed of them is what arrived. They go
// on where they were when somebody serves again.
func (a *Web) Halt() {
	var all sync.WaitGroup
	all.Go(a.Shown.halt)
	all.Go(a.Running.halt)
	all.Go(a.OfMembers.halt)
	all.Wait()
}

// Run watches running downloads until ctx ends.
func (a *Web) Run(ctx context.Context) {
	var all sync.WaitGroup
	for _, r := range a.all() {
		all.Go(func() { r.watch(ctx) })
	}
	all.Wait()
}

// Problem is an error as it goes out (RFC 9457).
type Problem struct {
	Type   string `json:"type" doc:"stable name of the kind of problem, as a URI reference"`
	Title  string `json:"title"`
	Status int    `json:"status"`
	Detail string `json:"detail" doc:"what is wrong, what is safe, what to do"`
	Code   string `json:"code" doc:"stable name for programs"`
	At     string `json:"at,omitempty" doc:"field that it is about"`
	Errors []any  `json:"errors,omitempty" doc:"each field that does not fit, where the request is malformed"`
}

func (p *Problem) Error() string  { return p.Code + ": " + p.Detail }
func (p *Problem) GetStatus() int { return p.Status }

// GetHeaders are the headers that go with it.
func (p *Problem) GetHeaders() http.Header {
	if wait := retryAfter[p.Status]; wait != "" {
		return http.Header{"Retry-After": {wait}}
	}
	return nil
}
func (p *Problem) ContentType(string) string { return "application/problem+json" }

// NewProblem is an error with its status, a stable code, and what it says to people.
func NewProblem(status int, code, say string) *Problem {
	return &Problem{Type: "/docs/api#problem-" + code, Title: http.StatusText(status), Status: status, Detail: say, Code: code}
}

var statuses = map[ground.Kind]int{
	ground.Invalid: http.StatusUnprocessableEntity, ground.NotFound: http.StatusNotFound, ground.Refused: http.StatusForbidden,
	ground.Gone: http.StatusGone, ground.Conflict: http.StatusConflict, ground.TooMany: http.StatusTooManyRequests,
	ground.TooLarge: http.StatusRequestEntityTooLarge, ground.Full: http.StatusInsufficientStorage,
	ground.Away: http.StatusServiceUnavailable,
}

// retryAfter is when it is worth trying again, in seconds.
var retryAfter = map[int]string{http.StatusTooManyRequests: "900", http.StatusServiceUnavailable: "15"}

// problemOf is the one place where errors become answers.
func (a *Web) problemOf(err error) *Problem {
	var known *ground.Error
	var ready *Problem
	switch {
	case errors.As(err, &ready):
		return ready
	case errors.As(err, &known):
		p := NewProblem(statuses[known.Kind], known.Code, known.Say)
		p.At = known.At
		return p
	case errors.Is(err, context.Canceled):
		return NewProblem(499, "gone_away", "The request was given up.")
	case errors.Is(err, blob.ErrNotFound):
		return NewProblem(http.StatusGone, "bytes_gone", "The bytes of this file are not held any more. Ask the sender to send it again.")
	case a.explained(err) != nil:
		known = a.explained(err)
		a.Log.Warn("a request found no database, or what it cannot keep", "error", err)
		return NewProblem(statuses[known.Kind], known.Code, known.Say)
	default:
		number := strings.ToUpper(rand.Text()[:8])
		a.Log.Error("a request failed", "number", number, "error", err)
		return NewProblem(http.StatusInternalServerError, "fault",
			"Something failed on our side. What was saved before is safe. Try again in a minute; if it stays, the log has more under "+number+".")
	}
}

// readyLimit is how long a database may take to say that it is there.
const readyLimit = 2 * time.Second

// explained is an error of the database in words, and nil for a fault of ours. An
// error that says nothing is one of the database where that is not there.
func (a *Web) explained(err error) *ground.Error {
	if a.Explain == nil {
		return nil
	}
	if known := a.Explain(err); known != nil {
		return known
	}
	ctx, cancel := context.WithTimeout(context.Background(), readyLimit)
	defer cancel()
	if a.Ready(ctx) != nil {
		return ground.ErrAway
	}
	return nil
}

// ProblemBody is an error as it goes out, with its status.
func (a *Web) ProblemBody(err error) (int, []byte) {
	p := a.problemOf(err)
	body, _ := json.Marshal(p) // plain fields always marshal
	return p.Status, body
}

// Refuse answers a plain handler's request with an error.
func (a *Web) Refuse(w http.ResponseWriter, err error) {
	status, body := a.ProblemBody(err)
	h := w.Header()
	h.Set("Content-Type", "application/problem+json")
	h.Set("Cache-Control", "no-store")
	h.Del("Content-Length")
	h.Del("Content-Disposition")
	h.Del("Etag")
	if wait := retryAfter[status]; wait != "" {
		h.Set("Retry-After", wait)
	}
	w.WriteHeader(status)
	_, _ = w.Write(body) // the reader may have gone
}

func init() {
	huma.DefaultArrayNullable = false // every list goes out as a list, if an empty one
	// Huma's own complaints (malformed requests) take the same form.
	huma.NewError = func(status int, message string, errs ...error) huma.StatusError {
		p := NewProblem(status, "malformed", message)
		for _, err := range errs {
			var detail *huma.ErrorDetail
			if errors.As(err, &detail) {
				p.Errors = append(p.Errors, map[string]string{"at": detail.Location, "detail": detail.Message})
				p.Detail = message + ": " + detail.Location + " " + detail.Message
			}
		}
		return p
	}
}
