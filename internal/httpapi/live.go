package httpapi

import (
	"encoding/json"
	"fmt"
	"net/http"
	"sync"
	"time"

	"aftergust/core/access"
	"aftergust/internal/ground"
	"aftergust/internal/parts/receive"

	"github.com/prometheus/client_golang/prometheus"
)

// A hub hands changes to the screens that are open. It finds those that a change
// is for by studio and by package.
type hub struct {
	mu    sync.Mutex
	rooms map[room]map[*screen]struct{}
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

// A room is what a screen is about: a studio, or one package of it.
type room struct{ studio, parcel string }

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
	return &hub{rooms: map[room]map[*screen]struct{}{}, open: map[string]int{}, now: time.Now}
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
	for s := range h.rooms[room{studio: c.Studio}] {
		s.tell(c)
	}
	if c.Parcel != "" {
		for s := range h.rooms[room{parcel: c.Parcel}] {
			s.tell(c)
		}
	}
}

// before tells a screen what was published lately.
func (h *hub) before(s *screen, in room) {
	from := h.now().Add(-lately)
	for i := range h.last {
		c := h.last[(h.next+i)%remembered]
		switch {
		case c.at.Before(from): // or none
		case i == 0, c.What == ground.Resync: // and there was more, which is forgotten
			s.tell(ground.Change{What: ground.Resync})
		case in.studio != "" && c.Studio == in.studio, in.parcel != "" && c.Parcel == in.parcel:
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
func (h *hub) watch(in room, wants func(ground.Change) bool, source, whose string) (changes <-chan ground.Change, end func(), ok bool) {
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

// A viewer is somebody with a screen.
type viewer struct {
	in    room
	whose string                   // a link or a member, for the bound of screens
	wants func(ground.Change) bool // nil: everything in the room
	// still looks whether the screen may stay. It is asked when the waybill changes
	// and, from time to time, where due says so.
	still func() bool
	due   func() bool
	quiet bool // nothing is told before the end: they stand outside
}

// stream sends changes as server-sent events until the reader leaves, or may see
// them no longer; they are told what changed first, so that they look anew.
func (a *API) stream(w http.ResponseWriter, r *http.Request, v viewer) {
	control := http.NewResponseController(w)
	changes, end, ok := a.hub.watch(v.in, v.wants, from(r.Context()).host, v.whose)
	if !ok {
		a.refuse(w, newProblem(http.StatusTooManyRequests, "too_many_pages", "Too many of these pages are open. Close some; this one works, and does not refresh by itself."))
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
	over := ground.Change{Parcel: v.in.parcel, What: ground.WaybillChanged}
	tell := func(c ground.Change) bool {
		body, err := json.Marshal(map[string]string{"package": c.Parcel, "what": string(c.What)})
		return err == nil && say("data: %s\n\n", body)
	}
	if !say("retry: 1000\n\n") {
		return
	}
	if v.quiet && !v.still() { // since it was asked for
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
			if v.due() && !v.still() {
				_ = tell(over) // it ends with this in any case
				return
			}
			if !say(": still here\n\n") {
				return
			}
		case c := <-changes:
			if c.What == ground.SignedOut || v.quiet {
				if !v.still() {
					_ = tell(over)
					return
				}
				continue
			}
			if !tell(c) || (c.What == ground.WaybillChanged || c.What == ground.Resync) && !v.still() {
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
	still := func() bool { // still signed in, still a member
		found, err := a.who(r)
		return err != nil || found.member != nil && found.member.ID == m.ID // a fault of ours signs nobody out
	}
	a.stream(w, r, viewer{in: room{studio: m.StudioID}, whose: "member " + m.ID, still: still, due: func() bool { return true }})
}

// guestLive is the stream of one package for whoever may see it now; it ends when
// they may not any more.
func (a *API) guestLive(w http.ResponseWriter, r *http.Request) {
	e, err := a.enter(r)
	if err != nil {
		a.refuse(w, err)
		return
	}
	if reason := e.Standing(a.Pack.Now()); reason != access.Allowed {
		a.refuse(w, receive.Refusal(reason))
		return
	}
	ends := e.Parcel.EndsAt
	a.stream(w, r, viewer{in: room{parcel: e.Parcel.ID}, whose: "line " + e.Line.ID,
		wants: func(c ground.Change) bool {
			return c.What == ground.WaybillChanged || c.What == ground.ContentsChanged || c.What == ground.NotesChanged ||
				c.What == ground.Sitting || c.Line == e.Line.ID
		},
		still: func() bool {
			now, err := a.enter(r)
			if err != nil {
				return false
			}
			ends = now.Parcel.EndsAt
			return now.Standing(a.Pack.Now()) == access.Allowed
		},
		due: func() bool { return ends != nil && !a.Pack.Now().Before(*ends) },
	})
}

// guestWaits is the stream for whoever stands outside of a package, at its door or after its
// end. It says nothing but that this is over: they were let in, the door changed, or they
// stand outside for another reason.
func (a *API) guestWaits(w http.ResponseWriter, r *http.Request) {
	e, err := a.enter(r)
	if err != nil {
		a.refuse(w, err)
		return
	}
	reason := e.Standing(a.Pack.Now())
	a.stream(w, r, viewer{in: room{parcel: e.Parcel.ID}, whose: "line " + e.Line.ID, quiet: true,
		wants: func(c ground.Change) bool { return c.What == ground.WaybillChanged },
		still: func() bool {
			now, err := a.enter(r)
			return err == nil && now.Standing(a.Pack.Now()) == reason && reason != access.Allowed
		},
		due: func() bool { return true },
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
