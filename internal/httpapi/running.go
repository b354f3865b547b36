package httpapi

import (
	"context"
	"log/slog"
	"net"
	"net/http"
	"sync"
	"time"

	"aftergust/core/access"
	"aftergust/internal/studio"
)

// running holds all downloads that run, and cuts those that are not open any
// more: at once when a change of their package is announced, within a second
// when its end comes, and in any case at the next look at all of them.
type running struct {
	service *studio.Service
	log     *slog.Logger
	mu      sync.Mutex
	tickets map[*ticket]struct{}
	look    chan string // package to look at; empty: all
}

const lookAtAll = 15 * time.Second

func newRunning(service *studio.Service, log *slog.Logger) *running {
	return &running{service: service, log: log, tickets: map[*ticket]struct{}{}, look: make(chan string, 256)}
}

// begin registers a download of an entrant. The caller must call end.
func (r *running) begin(w http.ResponseWriter, request *http.Request, e studio.Entrant, verb access.Verb, items []string) (t *ticket, end func()) {
	control := http.NewResponseController(w)
	t = &ticket{parcel: e.Parcel.ID}
	if e.Parcel.EndsAt != nil {
		t.ends.Store(e.Parcel.EndsAt.UnixNano())
	}
	t.check = func(ctx context.Context) (access.Reason, time.Time, error) {
		return r.service.StillOpen(ctx, e, verb, items)
	}
	conn, _ := request.Context().Value(connKey{}).(*net.TCPConn)
	t.stop = func() {
		t.cut.Store(true)
		if conn != nil {
			// What the kernel still holds is thrown away with the connection, not sent after the cut.
			_ = conn.SetLinger(0)
		}
		_ = control.SetWriteDeadline(time.Unix(1, 0)) // a writer that cannot be cut sees the flag at its next step
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	r.tickets[t] = struct{}{}
	return t, func() {
		r.mu.Lock()
		defer r.mu.Unlock()
		delete(r.tickets, t)
	}
}

// recheck asks for a look at the downloads of a package, or at all.
func (r *running) recheck(parcel string) {
	select {
	case r.look <- parcel:
	default: // so many changes at once: the next look at all sees to them
	}
}

func (r *running) watch(ctx context.Context) {
	second, all := time.NewTicker(time.Second), time.NewTicker(lookAtAll)
	defer second.Stop()
	defer all.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case parcel := <-r.look:
			r.inspect(ctx, func(t *ticket) bool { return parcel == "" || t.parcel == parcel })
		case now := <-second.C:
			r.inspect(ctx, func(t *ticket) bool { ends := t.ends.Load(); return ends != 0 && now.UnixNano() >= ends })
		case <-all.C:
			r.inspect(ctx, func(*ticket) bool { return true })
		}
	}
}

func (r *running) inspect(ctx context.Context, which func(*ticket) bool) {
	r.mu.Lock()
	var due []*ticket
	for t := range r.tickets {
		if which(t) && !t.cut.Load() {
			due = append(due, t)
		}
	}
	r.mu.Unlock()
	for _, t := range due {
		reason, ends, err := t.check(ctx)
		switch {
		case err != nil:
			r.log.Warn("cannot tell whether a download is still open", "package", t.parcel, "error", err)
		case reason != access.Allowed:
			r.log.Info("download cut", "package", t.parcel, "reason", string(reason))
			t.stop()
		case !ends.IsZero():
			t.ends.Store(ends.UnixNano())
		}
	}
}
