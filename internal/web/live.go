package web

import (
	"encoding/json"
	"fmt"
	"net/http"
	"sync"
	"time"

	"aftergust/internal/ground"

	"github.com/prometheus/client_golang/prometheus"
)

// A hub hands changes to the screens that are open. It finds those that a change
// is for by studio and by package.
type hub struct {
	mu    sync.Mutex
	rooms map[Room]map[*screen]struct{}
	open  map[string]int // screens by whoever has them, as a source and as a link or member
	// last holds what was published last, as a ring: next is where the next one goes.
	last [remembered]published
	next int
	now  func() time.Time
}

type published struct {
	ground.Change
	at time.Time
}

// A Room is what a screen is about: a studio, or one package of it.
type Room struct{ studio, Parcel string }

// A screen is one open stream.
type screen struct {
	changes chan ground.Change
	wants   func(ground.Change) bool // nil: everything in its room
}

// What a screen shows was read before its stream was open, on a slow line long before. It is
// told what changed in the lately before it came, as far as that is remembered.
const (
	lately     = time.Minute
	remembered = 1024
)

// behindBy is how many changes a screen may be behind before it gets one word to
// look at everything anew.
const behindBy = 32

// Bounds of screens that are open at once.
const (
	screensPerHost = 60
	screensPerLink = 30 // or per member
)

func newHub() *hub {
	return &hub{rooms: map[Room]map[*screen]struct{}{}, open: map[string]int{}, now: time.Now}
}

func (h *hub) publish(c ground.Change) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if c.What != ground.PresenceChanged { // it is said again every few seconds
		h.last[h.next] = published{c, h.now()}
		h.next = (h.next + 1) % remembered
	}
	if c.What == ground.Resync && c.Studio == "" {
		for _, screens := range h.rooms {
			for s := range screens {
				s.tell(c)
			}
		}
		return
	}
	for s := range h.rooms[Room{studio: c.Studio}] {
		s.tell(c)
	}
	if c.Parcel != "" {
		for s := range h.rooms[Room{Parcel: c.Parcel}] {
			s.tell(c)
		}
	}
}

// before tells a screen what was published lately.
func (h *hub) before(s *screen, in Room) {
	from := h.now().Add(-lately)
	for i := range h.last {
		c := h.last[(h.next+i)%remembered]
		switch {
		case c.at.Before(from): // or none
		case i == 0, c.What == ground.Resync: // and there was more, which is forgotten
			s.tell(ground.Change{What: ground.Resync})
		case in.studio != "" && c.Studio == in.studio, in.Parcel != "" && c.Parcel == in.Parcel:
			s.tell(c.Change)
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

// watch opens a screen of somebody at a source; ok is false where they have too many.
func (h *hub) watch(in Room, wants func(ground.Change) bool, source, whose string) (changes <-chan ground.Change, end func(), ok bool) {
	s := &screen{changes: make(chan ground.Change, behindBy), wants: wants}
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.open["source "+source] >= screensPerHost || h.open[whose] >= screensPerLink {
		return nil, nil, false
	}
	h.open["source "+source]++
	h.open[whose]++
	if h.rooms[in] == nil {
		h.rooms[in] = map[*screen]struct{}{}
	}
	h.rooms[in][s] = struct{}{}
	h.before(s, in)
	return s.changes, func() {
		h.mu.Lock()
		defer h.mu.Unlock()
		for _, key := range []string{"source " + source, whose} {
			if h.open[key]--; h.open[key] == 0 {
				delete(h.open, key)
			}
		}
		delete(h.rooms[in], s)
		if len(h.rooms[in]) == 0 {
			delete(h.rooms, in)
		}
	}, true
}

const heartbeat = 20 * time.Second

// A Viewer is somebody with a screen.
type Viewer struct {
	In    Room
	Whose string                   // a link or a member, for the bound of screens
	Wants func(ground.Change) bool // nil: everything in the room
	// still looks whether the screen may stay. It is asked when the waybill changes
	// and, from time to time, where due says so.
	Still func() bool
	Due   func() bool
	Quiet bool // nothing is told before the end: they stand outside
}

// Stream sends changes as server-sent events until the reader leaves, or may see
// them no longer; they are told what changed first, so that they look anew.
func (a *Web) Stream(w http.ResponseWriter, r *http.Request, v Viewer) {
	control := http.NewResponseController(w)
	changes, end, ok := a.hub.watch(v.In, v.Wants, From(r.Context()).Host, v.Whose)
	if !ok {
		a.Refuse(w, NewProblem(http.StatusTooManyRequests, "too_many_pages", "Too many of these pages are open. Close some; this one works, and does not refresh by itself."))
		return
	}
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
	over := ground.Change{Parcel: v.In.Parcel, What: ground.WaybillChanged}
	tell := func(c ground.Change) bool {
		body, err := json.Marshal(map[string]string{"package": c.Parcel, "what": string(c.What)})
		return err == nil && say("data: %s\n\n", body)
	}
	if !say("retry: 1000\n\n") {
		return
	}
	if v.Quiet && !v.Still() { // since it was asked for
		_ = tell(over)
		return
	}
	for {
		select {
		case <-r.Context().Done():
			return
		case <-a.closing:
			return
		case <-tick.C:
			if v.Due() && !v.Still() {
				_ = tell(over) // it ends with this in any case
				return
			}
			if !say(": still here\n\n") {
				return
			}
		case c := <-changes:
			if c.What == ground.SignedOut || v.Quiet {
				if !v.Still() {
					_ = tell(over)
					return
				}
				continue
			}
			if !tell(c) || (c.What == ground.WaybillChanged || c.What == ground.Resync) && !v.Still() {
				return
			}
		}
	}
}

// Live is the stream of a studio: GET /api/v1/live.
func (a *Web) Live(w http.ResponseWriter, r *http.Request) {
	m, err := Member(r.Context())
	if err != nil {
		a.Refuse(w, err)
		return
	}
	still := func() bool { // still signed in, still a member
		found, err := a.who(r)
		return err != nil || found.Member != nil && found.Member.ID == m.ID // a fault of ours signs nobody out
	}
	a.Stream(w, r, Viewer{In: Room{studio: m.StudioID}, Whose: "member " + m.ID, Still: still, Due: func() bool { return true }})
}

// Close ends all live streams, so that a graceful stop need not wait for them.
func (a *Web) Close() { close(a.closing) }

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
