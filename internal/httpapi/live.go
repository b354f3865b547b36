package httpapi

import (
	"encoding/json"
	"fmt"
	"net/http"
	"sync"
	"time"

	"aftergust/core/access"
	"aftergust/internal/ground"
	"aftergust/internal/receive"

	"github.com/prometheus/client_golang/prometheus"
)

// A hub hands changes to the screens that are open. It finds those that a change
// is for by studio and by package.
type hub struct {
	mu    sync.Mutex
	rooms map[room]map[*screen]struct{}
}

// A room is what a screen is about: a studio, or one package of it.
type room struct{ studio, parcel string }

// A screen is one open stream.
type screen struct {
	changes chan ground.Change
	wants   func(ground.Change) bool // nil: everything in its room
}

// behindBy is how many changes a screen may be behind before it gets one word to
// look at everything anew.
const behindBy = 32

func newHub() *hub { return &hub{rooms: map[room]map[*screen]struct{}{}} }

func (h *hub) publish(c ground.Change) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if c.What == ground.Resync {
		for _, screens := range h.rooms {
			for s := range screens {
				s.tell(c)
			}
		}
		return
	}
	for s := range h.rooms[room{studio: c.Studio}] {
		s.tell(c)
	}
	if c.Parcel != "" {
		for s := range h.rooms[room{parcel: c.Parcel}] {
			s.tell(c)
		}
	}
}

func (s *screen) tell(c ground.Change) {
	if c.What != ground.Resync && s.wants != nil && !s.wants(c) {
		return
	}
	select {
	case s.changes <- c:
		return
	default:
	}
	for len(s.changes) > 0 {
		<-s.changes
	}
	s.changes <- ground.Change{What: ground.Resync}
}

func (h *hub) open(in room, wants func(ground.Change) bool) (changes <-chan ground.Change, end func()) {
	s := &screen{changes: make(chan ground.Change, behindBy), wants: wants}
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.rooms[in] == nil {
		h.rooms[in] = map[*screen]struct{}{}
	}
	h.rooms[in][s] = struct{}{}
	return s.changes, func() {
		h.mu.Lock()
		defer h.mu.Unlock()
		delete(h.rooms[in], s)
		if len(h.rooms[in]) == 0 {
			delete(h.rooms, in)
		}
	}
}

const heartbeat = 20 * time.Second

// stream sends changes as server-sent events until the reader leaves.
func (a *API) stream(w http.ResponseWriter, r *http.Request, in room, wants func(ground.Change) bool) {
	control := http.NewResponseController(w)
	changes, end := a.hub.open(in, wants)
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
		case c := <-changes:
			body, err := json.Marshal(map[string]string{"package": c.Parcel, "what": string(c.What)})
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
	a.stream(w, r, room{studio: m.StudioID}, nil)
}

// guestLive is the stream of one package for whoever may see it, or stands
// before its closed door and would like to know when it opens again.
func (a *API) guestLive(w http.ResponseWriter, r *http.Request) {
	e, err := a.enter(r)
	if err != nil {
		a.refuse(w, err)
		return
	}
	if reason := e.Standing(a.Pack.Now()); reason == access.UnknownLink || reason == access.NotSent {
		a.refuse(w, receive.Refusal(reason))
		return
	}
	a.stream(w, r, room{parcel: e.Parcel.ID}, func(c ground.Change) bool {
		return c.What == ground.WaybillChanged || c.What == ground.ContentsChanged || c.What == ground.NotesChanged || c.Line == e.Line.ID
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
		delivered: prometheus.NewCounter(prometheus.CounterOpts{Name: "aftergust_delivered_bytes_total",
			Help: "Bytes of responses that the other side has acknowledged."}),
		requests: prometheus.NewCounterVec(prometheus.CounterOpts{Name: "aftergust_requests_total", Help: "Requests by route and status."},
			[]string{"route", "status"}),
		seconds: prometheus.NewHistogram(prometheus.HistogramOpts{Name: "aftergust_request_seconds",
			Help:    "Time until a request was answered, without streams of bytes.",
			Buckets: prometheus.ExponentialBuckets(0.001, 3, 9)}),
	}
	registry.MustRegister(m.delivered, m.requests, m.seconds)
	return m
}
