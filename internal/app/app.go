package app

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"os"
	"sync"
	"time"

	"aftergust/internal/files/blob"
	"aftergust/internal/files/media"
	"aftergust/internal/ground"
	"aftergust/internal/ground/db"
	"aftergust/internal/ground/jobs"
	"aftergust/internal/ground/wire"
	"aftergust/internal/out/mail"
	"aftergust/internal/out/returns"
	"aftergust/internal/parts/arrive"
	"aftergust/internal/parts/gather"
	"aftergust/internal/parts/previews"
	"aftergust/internal/web"

	"github.com/alexedwards/scs/pgxstore"
	"github.com/jackc/pgx/v5"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/riverqueue/river"
)

// An App is one running process. Make it with Start, end it with Stop.
type App struct {
	Parts
	Store *db.DB
	API   *web.Web
	Addr  string // where it listens, with the port that it got
	// RedirectAddr is where it sends on whoever comes without TLS; empty for nowhere.
	RedirectAddr string

	config   Config
	log      *slog.Logger
	server   *http.Server
	plain    *http.Server // sends on what comes without TLS; nil for none
	queue    *river.Client[pgx.Tx]
	shift    *jobs.Shift
	locks    *db.Locks
	sessions *pgxstore.PostgresStore
	Arriving *arrive.Handler // uploads
	returns  *returns.Server // nil where nothing comes back
	cancel   context.CancelFunc
	running  sync.WaitGroup
}

// drain is how long a graceful stop waits for downloads and uploads; what is cut
// then goes on where it stopped, since both can be resumed.
const drain = 10 * time.Second

// Start brings the database up to date, opens everything and begins to listen.
func Start(ctx context.Context, c Config) (*App, error) {
	log := slog.New(slog.NewJSONHandler(os.Stderr, &slog.HandlerOptions{Level: c.LogLevel}))
	if err := patiently(ctx, c, log, func() error { return Migrate(ctx, c.DatabaseURL) }); err != nil {
		return nil, err
	}
	store, err := db.Open(ctx, c.DatabaseURL)
	if err != nil {
		return nil, err
	}
	a := &App{Store: store, config: c, log: log}
	if err := a.open(ctx); err != nil {
		store.Close()
		return nil, err
	}
	return a, nil
}

// Migrate brings the database up to date, and what is derived from names in it.
func Migrate(ctx context.Context, url string) error {
	if err := db.Migrate(ctx, url); err != nil {
		return err
	}
	d, err := db.Open(ctx, url)
	if err != nil {
		return err
	}
	defer d.Close()
	return gather.ThingRows{DB: d}.OrderNames(ctx)
}

// askAgain is how often a database that is not there yet is asked for.
const askAgain = time.Second

// patiently does what needs the database, which may start later than we do: for as
// long as the settings say, while it is not there. Any other error ends it at once.
func patiently(ctx context.Context, c Config, log *slog.Logger, do func() error) error {
	for until := time.Now().Add(c.Wait); ; {
		err := do()
		if err == nil || !db.MayCome(err) || time.Now().After(until) {
			return err
		}
		log.Warn("the database is not there yet", "waiting until", until.Format(time.TimeOnly), "error", err)
		select {
		case <-ctx.Done():
			return errors.Join(ctx.Err(), err)
		case <-time.After(askAgain):
		}
	}
}

func (a *App) open(ctx context.Context) error {
	c := a.config
	disk, err := blob.OpenDisk(c.Blobs)
	if err != nil {
		return err
	}
	post, err := postOf(c)
	if err != nil {
		return err
	}
	var bytes blob.Store = disk
	if c.Bytes != nil {
		bytes = c.Bytes
	}
	a.Parts = Assemble(c, a.Store, bytes, time.Now, a.log)
	a.locks = a.Store.Locks()
	registry := prometheus.NewRegistry()
	registry.MustRegister(collectors.NewGoCollector(), collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}))
	a.sessions = pgxstore.New(a.Store.Pool())
	if err := a.answer(bytes, disk.Incoming(), registry); err != nil {
		return err
	}
	process := ground.NewID()
	a.shift = jobs.NewShift(a.Store, process, a.log)
	if a.queue, err = jobs.New(a.Store.Pool(), process, a.book(bytes, disk, post, texts(c), a.log), previews.IsFull, a.log); err != nil {
		return err
	}
	secure, answer, err := a.secure()
	if err != nil {
		return err
	}
	listener, congestion, err := wire.Listen(ctx, c.Addr, c.Congestion)
	if err != nil {
		return fmt.Errorf("listen: %w; set %sADDR to another address", err, prefix)
	}
	a.Addr = listener.Addr().String()
	a.tellCongestion(registry, congestion)

	if err := a.begin(ctx, answer); err != nil {
		a.cancel()
		return errors.Join(err, listener.Close())
	}
	a.goes(func() { a.serve(wire.Behind(listener, c.ProxyNetworks), secure) })
	return nil
}

// tellCongestion says by which congestion control bytes go out, in the log and to whoever watches.
func (a *App) tellCongestion(registry *prometheus.Registry, used string) {
	gauge := prometheus.NewGaugeVec(prometheus.GaugeOpts{Name: "aftergust_tcp_congestion_control",
		Help: "1 for the congestion control of connections that are accepted."}, []string{"name"})
	registry.MustRegister(gauge)
	gauge.WithLabelValues(used).Set(1)
	if wanted := a.config.Congestion; wanted != "" && wanted != used {
		a.log.Warn("distant clients will be slow: the kernel does not have the congestion control that is set", "set", wanted, "used", used,
			"try", "modprobe tcp_"+wanted)
		return
	}
	a.log.Info("connections", "congestion control", used)
}

// begin starts all that goes on beside the answers to requests.
func (a *App) begin(ctx context.Context, plain http.Handler) error {
	c := a.config
	background, cancel := context.WithCancel(context.WithoutCancel(ctx))
	a.cancel = cancel
	a.goes(func() { a.Receive.Recorder.Run(background) })
	a.goes(func() { a.API.Run(background) })
	a.goes(func() {
		a.Store.Listen(background, db.Listener{Changed: a.API.Changed, Lost: a.API.Lost, Asked: func(name string) { a.locks.Asked(name) }})
	})
	a.goes(func() { a.settle(background) })
	if c.Work {
		if !media.Caged() {
			a.log.Info("child processes have no cage here; install bubblewrap, or lists of formats and protocols are all that keeps them")
		}
		media.EndOrphans()
		if err := a.shift.Begin(ctx); err != nil {
			return err
		}
		a.goes(func() { a.shift.Run(background) })
		if err := a.queue.Start(background); err != nil {
			return fmt.Errorf("start jobs: %w", err)
		}
	}
	if unfounded, err := a.Team.Unfounded(ctx); err == nil && unfounded {
		a.log.Warn("there is no studio yet: found one in the browser, with this code", "at", c.BaseURL+"/found", "code", a.Team.FoundingCode())
	}
	if c.LMTP != "" {
		var err error
		if a.returns, err = returns.Open(c.LMTP, a.Letters, a.log); err != nil {
			return fmt.Errorf("take mail back: %w; set %sLMTP to another address", err, prefix)
		}
	}
	a.server = &http.Server{
		Handler: a.API, ConnContext: wire.Context, ReadHeaderTimeout: 20 * time.Second, IdleTimeout: 2 * time.Minute,
		MaxHeaderBytes: 64 << 10, ErrorLog: slog.NewLogLogger(a.log.Handler(), slog.LevelDebug),
	}
	return a.redirect(plain)
}

func (a *App) goes(do func()) {
	a.running.Add(1)
	go func() {
		defer a.running.Done()
		do()
	}()
}

// How often uploads are looked after: from time to time, soon where one is owed or
// the database was away, and less and less often where something else fails.
const (
	settleEvery = 10 * time.Minute
	settleSoon  = time.Second
)

// settle looks after uploads that a stop left behind, or that could not be made
// items of when they were whole.
func (a *App) settle(ctx context.Context) {
	wait := time.Duration(0)
	for {
		select {
		case <-ctx.Done():
			return
		case <-time.After(wait):
		case <-a.Arriving.Owed():
			wait = 0
		}
		err := a.Arriving.Settle(ctx)
		switch {
		case err == nil:
			wait = settleEvery
		case a.Store.Ping(ctx) != nil:
			wait = settleSoon
		default:
			wait = min(max(2*wait, settleSoon), settleEvery)
			a.log.Warn("uploads are not settled", "again in", wait, "error", err)
		}
	}
}

// Stop ends the process in order: no new requests, running ones get some time,
// jobs end or are given back, the last receipts are written.
func (a *App) Stop(ctx context.Context) error {
	a.API.Close()
	if a.plain != nil {
		_ = a.plain.Close() // it holds nothing that could be lost
	}
	ctx, cancel := context.WithTimeout(ctx, drain)
	defer cancel()
	err := a.server.Shutdown(ctx)
	if errors.Is(err, ctx.Err()) && err != nil { // some still run
		a.API.Halt()
		err = a.server.Close()
	}
	if a.config.Work {
		err = errors.Join(err, leave(ctx, a.queue, a.shift))
	}
	if a.returns != nil {
		err = errors.Join(err, a.returns.Close())
	}
	a.cancel()
	a.running.Wait()
	a.locks.Close()
	a.sessions.StopCleanup()
	a.Store.Close()
	return err
}

// handedOver is how long a stop waits for letters that are just being handed over.
const handedOver = 30 * time.Second

// leave stops working jobs: what runs is cancelled, and given back where it does not end.
func leave(ctx context.Context, queue *river.Client[pgx.Tx], shift *jobs.Shift) error {
	ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), handedOver)
	defer cancel()
	err := queue.StopAndCancel(ctx)
	if errors.Is(err, context.DeadlineExceeded) {
		err = nil
	}
	shift.End(ctx)
	return err
}

// Work runs jobs only, until ctx ends.
func Work(ctx context.Context, c Config) error {
	log := slog.New(slog.NewJSONHandler(os.Stderr, &slog.HandlerOptions{Level: c.LogLevel}))
	store, err := db.Open(ctx, c.DatabaseURL)
	if err != nil {
		return err
	}
	defer store.Close()
	if err := patiently(ctx, c, log, func() error { return store.Ping(ctx) }); err != nil {
		return err
	}
	if err := store.Known(ctx); err != nil {
		return err
	}
	disk, err := blob.OpenDisk(c.Blobs)
	if err != nil {
		return err
	}
	post, err := postOf(c)
	if err != nil {
		return err
	}
	process := ground.NewID()
	shift := jobs.NewShift(store, process, log)
	book := Assemble(c, store, disk, time.Now, log).book(disk, disk, post, texts(c), log)
	queue, err := jobs.New(store.Pool(), process, book, previews.IsFull, log)
	if err != nil {
		return err
	}
	media.EndOrphans()
	if err := shift.Begin(ctx); err != nil {
		return err
	}
	if err := queue.Start(context.WithoutCancel(ctx)); err != nil {
		return err
	}
	shift.Run(ctx) // until ctx ends
	return leave(ctx, queue, shift)
}

// postOf is where letters go, as the settings say.
func postOf(c Config) (*mail.Post, error) {
	post, err := mail.Open(c.SMTPURL, c.MailFrom)
	if err == nil && c.LMTP != "" {
		post.Returning()
	}
	return post, err
}
