package httpapi

import (
	"encoding/json"
	"fmt"
	"net/http"
	"sync"
	"time"

	"aftergust/core/access"
	"aftergust/internal/studio"

	"github.com/prometheus/client_golang/prometheus"
)

// A hub hands changes to the screens that are open.
type hub struct {
	mu      sync.Mutex
	screens map[chan studio.Change]func(studio.Change) bool
}

func newHub() *hub { return &hub{screens: map[chan studio.Change]func(studio.Change) bool{}} }

func (h *hub) publish(c studio.Change) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for screen, wants := range h.screens {
		if c.What != "resync" && !wants(c) {
			continue
		}
		select {
		case screen <- c:
		default: // a screen that is far behind gets one word to look at everything anew
			drain(screen)
			screen <- studio.Change{What: "resync"}
		}
	}
}

func drain(c chan studio.Change) {
	for {
		select {
		case <-c:
		default:
			return
		}
	}
}

func (h *hub) open(wants func(studio.Change) bool) (screen chan studio.Change, end func()) {
	screen = make(chan studio.Change, 32)
	h.mu.Lock()
	defer h.mu.Unlock()
	h.screens[screen] = wants
	return screen, func() {
		h.mu.Lock()
		defer h.mu.Unlock()
		delete(h.screens, screen)
	}
}

const heartbeat = 20 * time.Second

// stream sends changes as server-sent events until the reader leaves.
func (a *API) stream(w http.ResponseWriter, r *http.Request, wants func(studio.Change) bool) {
	control := http.NewResponseController(w)
	screen, end := a.hub.open(wants)
	defer end()
	w.Header().Set("Content-Type", "text/event-stream")
	w.Header().Set("Cache-Control", "no-store")
	w.Header().Set("X-Accel-Buffering", "no")
	tick := time.NewTicker(heartbeat)
	defer tick.Stop()
	say := func(format string, args ...any) bool {
		_ = control.SetWriteDeadline(time.Now().Add(heartbeat)) // where it cannot be set, the write itself fails in time
		_, err := fmt.Fprintf(w, format, args...)
		return err == nil && control.Flush() == nil
	}
	if !say("retry: 2000\n\n") {
		return
	}
	for {
		select {
		case <-r.Context().Done():
			return
		case <-a.closing:
			return
		case <-tick.C:
			if !say(": still here\n\n") {
				return
			}
		case c := <-screen:
			body, err := json.Marshal(map[string]string{"package": c.Parcel, "what": c.What})
			if err != nil || !say("data: %s\n\n", body) {
				return
			}
		}
	}
}

// live is the stream of a studio: GET /api/v1/live.
func (a *API) live(w http.ResponseWriter, r *http.Request) {
	m, err := member(r.Context())
	if err != nil {
		a.refuse(w, err)
		return
	}
	a.stream(w, r, func(c studio.Change) bool { return c.Studio == m.StudioID })
}

// guestLive is the stream of one package for whoever may see it, or stands
// before its closed door and would like to know when it opens again.
func (a *API) guestLive(w http.ResponseWriter, r *http.Request) {
	e, err := a.enter(r)
	if err != nil {
		a.refuse(w, err)
		return
	}
	if reason := e.Standing(a.Service.Now()); reason == access.UnknownLink || reason == access.NotSent {
		a.refuse(w, studio.Refusal(reason))
		return
	}
	a.stream(w, r, func(c studio.Change) bool {
		return c.Parcel == e.Parcel.ID && (c.What == studio.WaybillChanged || c.What == studio.ContentsChanged || c.What == studio.NotesChanged || c.Recipient == e.Recipient.ID)
	})
}

// Close ends all live streams, so that a graceful stop need not wait for them.
func (a *API) Close() { close(a.closing) }

type meters struct {
	delivered prometheus.Counter
	requests  *prometheus.CounterVec
	seconds   prometheus.Histogram
}

func newMeters(registry *prometheus.Registry) *meters {
	m := &meters{
		delivered: prometheus.NewCounter(prometheus.CounterOpts{Name: "aftergust_delivered_bytes_total", Help: "Bytes of responses that the other side has acknowledged."}),
		requests:  prometheus.NewCounterVec(prometheus.CounterOpts{Name: "aftergust_requests_total", Help: "Requests by route and status."}, []string{"route", "status"}),
		seconds: prometheus.NewHistogram(prometheus.HistogramOpts{Name: "aftergust_request_seconds", Help: "Time until a request was answered, without streams of bytes.",
			Buckets: prometheus.ExponentialBuckets(0.001, 3, 9)}),
	}
	registry.MustRegister(m.delivered, m.requests, m.seconds)
	return m
}
