// Package httpapi is Aftergust over HTTP: the documented API, the bytes of
// uploads and downloads, live events, and the embedded interface.
//
// routes.go reads as a table of contents. Operations with JSON bodies are
// described by their Go types (OpenAPI 3.1); streams of bytes are plain handlers.
package httpapi

import (
	"aftergust/internal/files/unpack"
	"aftergust/internal/ground/shelf"
	reviewing "aftergust/internal/parts/review"
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
	"aftergust/internal/ground"
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
	"aftergust/internal/parts/seen"
	"aftergust/internal/parts/show"
	"aftergust/internal/parts/ways"
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

// Services are the parts of the work that answer requests.
type Services struct {
	Account  *account.Service
	Team     *account.Team
	Second   *account.Second
	Book     *people.Book
	Places   *gather.Places
	Things   *gather.Things
	Chosen   *gather.Selections
	Uploads  *arrive.Service
	Previews *previews.Service
	Keep     *keep.Service
	Pack     *pack.Service
	Drafts   *pack.Drafts
	Receive  *receive.Service
	Follow   *follow.Service
	Seen     *seen.Service
	Rounds   *reviewing.Rounds
	Sittings *reviewing.Sittings
	Review   *reviewing.Service
	Ways     *ways.Service
	Heads    *letterheads.Service
	Shows    *show.Service
	Copies   *copies.Service
	Proofs   *proofs.Service
	Remind   *remind.Service
	Notices  *notices.Service
	Privacy  *privacy.Service
	Hooks    *hooks.Service
}

// Config is what the API is made of. All fields are required but Proxies.
type Config struct {
	Services
	Bytes     Bytes
	Incoming  string // folder in which uploads grow
	Locks     arrive.Locks
	Sessions  scs.Store
	BaseURL   string
	Interface fs.FS // the built user interface
	Ready     func(context.Context) error
	Explain   func(error) *ground.Error // what the database says, in words for whoever asked; nil for a fault of ours
	Log       *slog.Logger
	Metrics   *prometheus.Registry
	Waiting   func() int // how many wait to have a password or code compared; nil where nobody counts
	Proxies   int        // of ours that a request comes through, each of which appends to X-Forwarded-For
}

// An API answers HTTP. Make it with New.
type API struct {
	Config
	sessions       *scs.SessionManager
	arriving       *arrive.Handler
	hub            *hub
	running, shown *running                    // what is fetched of packages, and of showings
	ofMembers      *running                    // what members fetch
	adding         *running                    // what members send
	plans          *shelf.Shelf[*archive.Plan] // of what members chose
	listings       *shelf.Shelf[*unpack.Listing]
	archives       *semaphore.Weighted // archives whose directories are being read
	meters         *meters
	openapi        huma.API
	handler        http.Handler
	secure         bool // whether we are reached by HTTPS
	closing        chan struct{}
}

// keptEntries is how many entries of planned ZIPs of members are kept in memory.
const keptEntries = 100_000

// New makes the API.
func New(c Config) (*API, error) {
	a := &API{Config: c, hub: newHub(), plans: archive.NewPlans(keptEntries), closing: make(chan struct{}),
		secure: strings.HasPrefix(c.BaseURL, "https://")}
	a.listings = shelf.New(keptListed, (*unpack.Listing).Len)
	a.archives = semaphore.NewWeighted(listedAtOnce)
	a.running, a.shown = newRunning(c.Receive, c.Log), newRunning(shownOpener{c.Shows}, c.Log)
	a.ofMembers, a.adding = newRunning(memberOpener{c.Account}, c.Log), newRunning(memberOpener{c.Account}, c.Log)
	a.meters = newMeters(c.Metrics)
	a.meterDamage(c.Metrics)
	if c.Waiting != nil {
		a.meterQueue(c.Metrics)
	}
	a.sessions = scs.New()
	a.sessions.Store = c.Sessions
	a.sessions.Lifetime = account.SessionLife
	a.sessions.HashTokenInStore = true
	var err error
	a.arriving, err = arrive.New(c.Uploads, c.Locks, c.Incoming, memberFrom, a.problemBody, c.Log)
	if err != nil {
		return nil, err
	}
	a.handler, err = a.routes()
	return a, err
}

// ServeHTTP answers a request.
func (a *API) ServeHTTP(w http.ResponseWriter, r *http.Request) { a.handler.ServeHTTP(w, r) }

// Routes are all routes that answer, as METHOD and pattern, for whoever checks that none is without a lock.
func (a *API) Routes() (all []string, err error) {
	err = chi.Walk(a.handler.(chi.Routes), func(method, route string, _ http.Handler, _ ...func(http.Handler) http.Handler) error {
		all = append(all, method+" "+route)
		return nil
	})
	return all, err
}

// OpenAPI is the document of the API, as YAML or JSON clients read it.
func (a *API) OpenAPI() ([]byte, error) { return json.MarshalIndent(a.openapi.OpenAPI(), "", "  ") }

// Arriving looks after what a restart left behind.
func (a *API) Arriving() *arrive.Handler { return a.arriving }

// Changed passes a change on to open screens and running downloads.
func (a *API) Changed(c ground.Change) {
	if c.Cut != nil {
		for _, r := range a.all() {
			r.cut(c.Parcel, *c.Cut)
		}
	}
	a.hub.publish(c)
}

// Lost tells that changes may have been missed: everything is looked at anew.
func (a *API) Lost() {
	a.hub.publish(ground.Change{What: ground.Resync})
	for _, r := range a.all() {
		r.recheck()
	}
}

// all is everything that can be cut.
func (a *API) all() []*running { return []*running{a.running, a.shown, a.ofMembers, a.adding} }

// Downloads is how many downloads run.
func (a *API) Downloads() int { return len(a.running.of("")) }

// Halt ends all downloads so that what is claimed of them is what arrived. They go
// on where they were when somebody serves again.
func (a *API) Halt() {
	var all sync.WaitGroup
	all.Go(a.shown.halt)
	all.Go(a.running.halt)
	all.Go(a.ofMembers.halt)
	all.Wait()
}

// Run watches running downloads until ctx ends.
func (a *API) Run(ctx context.Context) {
	var all sync.WaitGroup
	for _, r := range a.all() {
		all.Go(func() { r.watch(ctx) })
	}
	all.Wait()
}

// problem is an error as it goes out (RFC 9457).
type problem struct {
	Type   string `json:"type" doc:"stable name of the kind of problem, as a URI reference"`
	Title  string `json:"title"`
	Status int    `json:"status"`
	Detail string `json:"detail" doc:"what is wrong, what is safe, what to do"`
	Code   string `json:"code" doc:"stable name for programs"`
	At     string `json:"at,omitempty" doc:"field that it is about"`
	Errors []any  `json:"errors,omitempty" doc:"each field that does not fit, where the request is malformed"`
}

func (p *problem) Error() string  { return p.Code + ": " + p.Detail }
func (p *problem) GetStatus() int { return p.Status }

// GetHeaders are the headers that go with it.
func (p *problem) GetHeaders() http.Header {
	if wait := retryAfter[p.Status]; wait != "" {
		return http.Header{"Retry-After": {wait}}
	}
	return nil
}
func (p *problem) ContentType(string) string { return "application/problem+json" }
func newProblem(status int, code, say string) *problem {
	return &problem{Type: "/docs/api#problem-" + code, Title: http.StatusText(status), Status: status, Detail: say, Code: code}
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
func (a *API) problemOf(err error) *problem {
	var known *ground.Error
	var ready *problem
	switch {
	case errors.As(err, &ready):
		return ready
	case errors.As(err, &known):
		p := newProblem(statuses[known.Kind], known.Code, known.Say)
		p.At = known.At
		return p
	case errors.Is(err, context.Canceled):
		return newProblem(499, "gone_away", "The request was given up.")
	case errors.Is(err, blob.ErrNotFound):
		return newProblem(http.StatusGone, "bytes_gone", "The bytes of this file are not held any more. Ask the sender to send it again.")
	case a.explained(err) != nil:
		known = a.explained(err)
		a.Log.Warn("a request found no database, or what it cannot keep", "error", err)
		return newProblem(statuses[known.Kind], known.Code, known.Say)
	default:
		number := strings.ToUpper(rand.Text()[:8])
		a.Log.Error("a request failed", "number", number, "error", err)
		return newProblem(http.StatusInternalServerError, "fault",
			"Something failed on our side. What was saved before is safe. Try again in a minute; if it stays, the log has more under "+number+".")
	}
}

// readyLimit is how long a database may take to say that it is there.
const readyLimit = 2 * time.Second

// explained is an error of the database in words, and nil for a fault of ours. An
// error that says nothing is one of the database where that is not there.
func (a *API) explained(err error) *ground.Error {
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

func (a *API) problemBody(err error) (int, []byte) {
	p := a.problemOf(err)
	body, _ := json.Marshal(p) // plain fields always marshal
	return p.Status, body
}

// refuse answers a plain handler's request with an error.
func (a *API) refuse(w http.ResponseWriter, err error) {
	status, body := a.problemBody(err)
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
		p := newProblem(status, "malformed", message)
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
