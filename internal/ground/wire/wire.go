// Package wire knows of each byte of a response whether the other side has
// acknowledged it, over plain HTTP/1.1, over TLS, and over HTTP/2. What a response
// hands over is mapped to what lies on the wire, and claimed once the kernel does not
// hold that any more.
package wire

import (
	"cmp"
	"context"
	"crypto/tls"
	"net"
	"net/http"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/pires/go-proxyproto"
	"golang.org/x/sys/unix"
)

// A Line is what lies under one response. It is for one goroutine.
type Line interface {
	// Flushed notes that the first total bytes of the body have left our own buffers.
	Flushed(total int64)
	// Arrived is how many bytes of the body the other side has acknowledged; over TLS, those in
	// records that it has whole. It never says more than that, and nothing new of a connection
	// that is gone.
	Arrived() int64
	// Passed is how many bytes of the body have gone onto the wire, where somebody else
	// than whoever hands them over writes them: a write that failed may have come through
	// all the same, when the other side had all that it wanted and left. It waits, a short
	// while, for a write that is being made. 0 elsewhere.
	Passed() int64
	// Asks reports whether the kernel can be asked; without, Arrived is what it has taken.
	Asks() bool
	// Room waits until so many bytes can go on: whoever waits for a slow reader there holds no
	// buffer meanwhile. It ends with the write deadline and with the connection.
	Room(bytes int) error
	// Hold bounds what the kernel may hold that it has not sent, in bytes.
	Hold(bytes int)
	// Forsake lets what the kernel still holds go with the connection, once that is closed; over
	// TLS it is closed at once.
	Forsake()
	// Grains are how many bytes may be handed over at most at once, and before the next flush,
	// where they go through memory. 0 for any number.
	Grains() (once, flush int64)
	// Done forgets the response.
	Done()
}

type key struct{}

// Context keeps the connection of a request where Of finds it. Set it as
// http.Server's ConnContext.
func Context(ctx context.Context, c net.Conn) context.Context {
	return context.WithValue(ctx, key{}, c)
}

// Of is the line of a response, before its header was written.
func Of(ctx context.Context, w http.ResponseWriter) Line {
	switch c := ctx.Value(key{}).(type) {
	case *net.TCPConn:
		return &plain{socket: socket{c}}
	case *proxyproto.Conn:
		if tcp, ok := c.TCPConn(); ok {
			return &plain{socket: socket{tcp}}
		}
	case *tls.Conn:
		if under, ok := c.NetConn().(*conn); ok {
			return &sealed{socket: socket{under.TCPConn}, under: under}
		}
	case *frames:
		return c.line(ctx, w.Header())
	}
	return &blind{}
}

// Cutter ends a response at once, with what the kernel still holds of it; it may be
// called from anywhere, as long as the response runs. Of several on one connection
// nobody can tell whose bytes the kernel holds, so that all of them end: the other
// side opens a new connection for what it still wants.
func Cutter(ctx context.Context, w http.ResponseWriter) func() {
	control := http.NewResponseController(w)
	// Whoever waits to write or to read is woken; who cannot be sees at the next step that it is over.
	wake := func() {
		_ = control.SetWriteDeadline(time.Unix(1, 0))
		_ = control.SetReadDeadline(time.Unix(1, 0))
	}
	switch c := ctx.Value(key{}).(type) {
	case *net.TCPConn:
		return func() { socket{c}.Forsake(); wake() }
	case *proxyproto.Conn:
		if tcp, ok := c.TCPConn(); ok {
			return func() { socket{tcp}.Forsake(); wake() }
		}
	case *tls.Conn:
		if under, ok := c.NetConn().(*conn); ok {
			return under.cut
		}
	case *frames:
		return c.under.cut
	}
	return wake
}

// A socket is a connection of the kernel.
type socket struct{ tcp *net.TCPConn }

func (socket) Asks() bool { return true }

func (socket) Done() {}

func (socket) Grains() (once, flush int64) { return 0, 0 }

func (socket) Passed() int64 { return 0 }

// Room waits as poll(2) says it, which also has the kernel tell when there is room again.
func (s socket) Room(int) error {
	raw, err := s.tcp.SyscallConn()
	if err != nil {
		return err
	}
	return raw.Write(func(fd uintptr) (done bool) {
		is := []unix.PollFd{{Fd: int32(fd), Events: unix.POLLOUT}}
		n, err := unix.Poll(is, 0)
		return n > 0 || err != nil && err != unix.EINTR // a broken connection says so to the next write
	})
}

// unacknowledged is how many bytes the kernel still holds of a connection: not sent,
// or sent and not acknowledged (SIOCOUTQ of tcp(7)). ok is false once it is gone.
func (s socket) unacknowledged() (bytes int64, ok bool) {
	raw, err := s.tcp.SyscallConn()
	if err != nil {
		return 0, false
	}
	held := 0
	errControl := raw.Control(func(fd uintptr) { held, err = unix.IoctlGetInt(int(fd), unix.SIOCOUTQ) })
	return int64(held), errControl == nil && err == nil
}

func (s socket) Hold(bytes int) { // TCP_NOTSENT_LOWAT of tcp(7)
	if raw, err := s.tcp.SyscallConn(); err == nil {
		_ = raw.Control(func(fd uintptr) { // where it cannot be set, more is held
			_ = unix.SetsockoptInt(int(fd), unix.IPPROTO_TCP, unix.TCP_NOTSENT_LOWAT, bytes)
		})
	}
}

func (s socket) Forsake() { _ = s.tcp.SetLinger(0) }

// plain is a line without TLS: what the kernel holds is the end of what was handed over.
type plain struct {
	socket
	flushed, arrived int64
}

func (l *plain) Flushed(total int64) { l.flushed = total }

func (l *plain) Arrived() int64 {
	if held, ok := l.unacknowledged(); ok {
		l.arrived = max(l.arrived, l.flushed-held)
	}
	return l.arrived
}

// blind is a line that nobody can ask: a connection of another kind.
type blind struct {
	flushed int64
}

func (l *blind) Flushed(total int64)       { l.flushed = total }
func (l *blind) Arrived() int64            { return l.flushed }
func (*blind) Asks() bool                  { return false }
func (*blind) Hold(int)                    {}
func (*blind) Forsake()                    {}
func (*blind) Done()                       {}
func (*blind) Grains() (once, flush int64) { return 0, 0 }
func (*blind) Passed() int64               { return 0 }
func (*blind) Room(int) error              { return nil }

// A conn is a connection under TLS, which knows what lies in each record of it.
type conn struct {
	*net.TCPConn
	from net.Conn     // the same, or what knows whom a proxy brings on it
	gone atomic.Bool  // it is closed
	last atomic.Int64 // what the other side had of the wire by then

	mu      sync.Mutex
	gathers bool   // what is written is kept until it is sent
	kept    []byte // of it

	book    sync.Mutex // over what follows; never held while something is sent
	seal    int64      // bytes by which a record is longer than what lies in it; 0 until it is known
	wire    int64      // bytes of all records that were made
	within  int64      // bytes that lie in them
	records []record   // that the other side has not, as far as is known
	had     int64      // bytes within that it has
}

// A record is where one of TLS ends: after so many bytes of the wire, and with so many within
// this and all before it.
type record struct{ wire, within int64 }

// manyRecords is how many are remembered before it is looked which the other side has, and
// mostRecords before the oldest are forgotten: what lies in those is claimed with later ones.
const (
	manyRecords = 128
	mostRecords = 64 << 10
)

// sealLength is by how many bytes a record is longer than what lies in it: RFC 8446, section
// 5.2 (header, kind, tag); RFC 5288, section 3 (header, nonce, tag); RFC 7905, section 2
// (header, tag). 0 where that is not known.
func sealLength(agreed tls.ConnectionState) int64 {
	const head, kind, nonce, tag = 5, 1, 8, 16
	switch {
	case agreed.Version == tls.VersionTLS13:
		return head + kind + tag
	case strings.Contains(tls.CipherSuiteName(agreed.CipherSuite), "_GCM_"):
		return head + nonce + tag
	case strings.Contains(tls.CipherSuiteName(agreed.CipherSuite), "_CHACHA20_"):
		return head + tag
	default:
		return 0
	}
}

// shaken notes what was agreed; what comes now is ours.
func (c *conn) shaken(agreed tls.ConnectionState) {
	c.book.Lock()
	defer c.book.Unlock()
	c.seal = sealLength(agreed)
}

// Close keeps what the other side had by then: responses that end with the connection
// ask afterwards.
func (c *conn) Close() error {
	if had, ok := c.acknowledged(); ok && !c.gone.Load() {
		c.last.Store(had)
		c.gone.Store(true)
	}
	return c.TCPConn.Close()
}

// cut closes the connection with what the kernel holds of it, and without the farewell
// of TLS, for which a slow reader would have to make room first.
func (c *conn) cut() {
	socket{c.TCPConn}.Forsake()
	_ = c.Close() // whoever waits to write is woken by it
}

// Read reads behind what a proxy said first.
func (c *conn) Read(p []byte) (int, error) { return c.from.Read(p) }

// RemoteAddr is whom a proxy brings, where one does.
func (c *conn) RemoteAddr() net.Addr { return c.from.RemoteAddr() }

// Write takes one record: crypto/tls writes them one by one.
func (c *conn) Write(p []byte) (int, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.made(int64(len(p)))
	if c.gathers {
		c.kept = append(c.kept, p...)
		return len(p), nil
	}
	return c.TCPConn.Write(p)
}

// made enters a record.
func (c *conn) made(length int64) {
	c.book.Lock()
	defer c.book.Unlock()
	c.wire, c.within = c.wire+length, c.within+max(length-c.seal, 0)
	if n := len(c.records); n >= manyRecords && n == cap(c.records) {
		c.drop()
	}
	if len(c.records) >= mostRecords {
		c.records = append(c.records[:0], c.records[mostRecords/2:]...)
	}
	c.records = append(c.records, record{c.wire, c.within})
}

// drop forgets the records that the other side has, whole; c.book is held.
func (c *conn) drop() {
	wire, ok := c.acknowledged()
	if !ok {
		return
	}
	n := 0
	for n < len(c.records) && c.records[n].wire <= wire {
		c.had = c.records[n].within
		n++
	}
	c.records = append(c.records[:0], c.records[n:]...)
}

// has is how many bytes within records the other side has: of those that it has whole, since
// it can open no others.
func (c *conn) has() int64 {
	c.book.Lock()
	defer c.book.Unlock()
	c.drop()
	return c.had
}

// sofar is how many bytes lie in all records that were made.
func (c *conn) sofar() int64 {
	c.book.Lock()
	defer c.book.Unlock()
	return c.within
}

// together hands all that write writes to the kernel at once: a frame of HTTP/2 takes two
// records, the second of which has the few bytes by which it is longer than one. made is
// called once the records are, before any is sent.
func (c *conn) together(write func() error, made func()) error {
	c.mu.Lock()
	c.gathers, c.kept = true, (*gathering.Get().(*[]byte))[:0]
	c.mu.Unlock()
	err := write()
	if err == nil {
		made()
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	kept := c.kept
	c.gathers, c.kept = false, nil
	defer gathering.Put(&kept)
	_, sent := c.TCPConn.Write(kept)
	return cmp.Or(sent, err)
}

var gathering = sync.Pool{New: func() any { return new([]byte) }}

// acknowledged is how many bytes of the wire the other side has, as the kernel counts
// them (tcpi_bytes_acked of tcp(7), RFC 4898). It needs no count of ours: a write of
// which we have not heard yet cannot make it wrong.
func (c *conn) acknowledged() (bytes int64, ok bool) {
	if c.gone.Load() {
		return c.last.Load(), true
	}
	raw, err := c.SyscallConn()
	if err != nil {
		return 0, false
	}
	var info *unix.TCPInfo
	errControl := raw.Control(func(fd uintptr) { info, err = unix.GetsockoptTCPInfo(int(fd), unix.IPPROTO_TCP, unix.TCP_INFO) })
	if errControl != nil || err != nil {
		return 0, false
	}
	return int64(info.Bytes_acked), true
}

// A mark says that the first body bytes of a response are the last of so many within the
// records of its connection.
type mark struct{ body, within int64 }

// marks are those of one response, in order. Between two of them the bytes of its body may be
// mixed with others, but what comes last is of it.
type marks struct {
	passed mark // the last that the other side has all of
	ahead  []mark
}

func (m *marks) add(next mark) { m.ahead = append(m.ahead, next) }

// reached is how much of the body the other side has, of which it has so many bytes in all.
func (m *marks) reached(had int64) (body int64) {
	n := 0
	for n < len(m.ahead) && m.ahead[n].within <= had {
		m.passed = m.ahead[n]
		n++
	}
	m.ahead = append(m.ahead[:0], m.ahead[n:]...)
	if len(m.ahead) == 0 {
		return m.passed.body
	}
	next := m.ahead[0]
	return max(m.passed.body, next.body-(next.within-had))
}

// sealed is HTTP/1.1 over TLS: after its first mark all that goes onto the wire is of its
// body, flushed by us or not.
type sealed struct {
	socket
	under   *conn
	marks   marks
	flushed int64
}

func (l *sealed) Flushed(total int64) {
	if total > l.flushed {
		l.marks.add(mark{total, l.under.sofar()})
		l.flushed = total
	}
}

func (l *sealed) Arrived() int64 {
	had := l.under.has()
	body := l.marks.reached(had)
	if last := l.marks.passed; len(l.marks.ahead) == 0 && last.body > 0 && l.under.seal > 0 {
		return last.body + had - last.within
	}
	return body
}

// Grains: at once a record (RFC 8446, section 5.1), for which there is room once the kernel says so.
func (*sealed) Grains() (once, flush int64) { return 16 << 10, 256 << 10 }

// Forsake ends the connection: what is claimed afterwards is what the other side had by then.
func (l *sealed) Forsake() { l.under.cut() }

// header names the response on a connection that carries several, from the handler to the
// frames; it goes no further.
const header = "aftergust-delivery"

// stream is one response of several on an HTTP/2 connection.
type stream struct {
	socket
	ctx    context.Context // of the request
	of     *frames
	id     string
	number uint32 // of the stream; 0 until its header has passed
	mu     sync.Mutex
	marks  marks
	body   int64 // bytes that have passed
	marked int64 // of these, bytes that lie in records
}

// How long the last write of a connection is waited for.
const (
	lastWrite = time.Second
	lookAgain = time.Millisecond
)

// mark notes that the first body bytes are the last of so many within the records.
func (l *stream) mark(at mark) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.marks.add(at)
	l.marked = at.body
}

func (l *stream) Passed() int64 {
	until := time.Now().Add(lastWrite)
	for {
		l.mu.Lock()
		body, marked := l.body, l.marked
		l.mu.Unlock()
		if marked == body && !l.of.waits() || time.Now().After(until) {
			return marked
		}
		time.Sleep(lookAgain)
	}
}

// Grains: the fewer, the more often two wait for each other, whoever hands over and the one that makes frames of it.
func (*stream) Grains() (once, flush int64) { return 128 << 10, 256 << 10 }

// Room waits until the one that writes has taken what was handed over before.
func (l *stream) Room(bytes int) error { return l.of.room(l.ctx, bytes) }

func (*stream) Flushed(int64) {} // the frames say it themselves

// Forsake ends the connection, and with it all other responses on it.
func (l *stream) Forsake() { l.of.under.cut() }

func (l *stream) Arrived() int64 {
	had := l.of.under.has()
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.marks.reached(had)
}

// line registers a response and names it, so that its frames are found.
func (c *frames) line(ctx context.Context, h http.Header) Line {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.named++
	l := &stream{socket: socket{c.under.TCPConn}, ctx: ctx, of: c, id: strconv.FormatInt(c.named, 36)}
	c.waiting[l.id] = l
	h.Set(header, l.id)
	return l
}

func (l *stream) Done() {
	l.of.mu.Lock()
	defer l.of.mu.Unlock()
	delete(l.of.waiting, l.id)
	if l.of.streams[l.number] == l {
		delete(l.of.streams, l.number)
	}
}
