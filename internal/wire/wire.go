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
	// Arrived is how many bytes of the body the other side has acknowledged. It never
	// says more than that, and nothing new of a connection that is gone.
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
	// Forsake lets what the kernel still holds go with the connection, once that is closed.
	Forsake()
	// Grains are how many bytes may be handed over at most at once, and before the next flush,
	// where they go through memory: what lies between two flushes is claimed as a whole.
	// 0 for any number.
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

// A conn is a connection under TLS that counts what the kernel has taken.
type conn struct {
	*net.TCPConn
	from    net.Conn // the same, or what knows whom a proxy brings on it
	written atomic.Int64
	gone    atomic.Bool  // it is closed
	last    atomic.Int64 // what the other side had by then

	mu      sync.Mutex
	gathers bool   // what is written is kept until it is sent
	kept    []byte // of it
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

func (c *conn) Write(p []byte) (int, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.gathers {
		c.kept = append(c.kept, p...)
		return len(p), nil
	}
	return c.send(p)
}

func (c *conn) send(p []byte) (int, error) {
	n, err := c.TCPConn.Write(p)
	c.written.Add(int64(n))
	return n, err
}

// together hands all that write writes to the kernel at once. A frame of HTTP/2 takes two
// records, the second of which has the few bytes by which it is longer than one.
func (c *conn) together(write func() error) error {
	c.mu.Lock()
	c.gathers, c.kept = true, (*gathering.Get().(*[]byte))[:0]
	c.mu.Unlock()
	err := write()
	c.mu.Lock()
	defer c.mu.Unlock()
	kept := c.kept
	c.gathers, c.kept = false, nil
	defer gathering.Put(&kept)
	_, sent := c.send(kept)
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

// A mark says that the first body bytes of a response lie within the first wire bytes
// of its connection.
type mark struct{ body, wire int64 }

// reached drops the marks up to a place on the wire and returns the last of them; was
// where none was passed.
func reached(marks []mark, wire, was int64) (left []mark, body int64) {
	n := 0
	for n < len(marks) && marks[n].wire <= wire {
		was = marks[n].body
		n++
	}
	return marks[n:], was
}

// sealed is HTTP/1.1 over TLS: a flush brings all that was handed over onto the wire.
type sealed struct {
	socket
	under   *conn
	marks   []mark
	arrived int64
}

func (l *sealed) Flushed(total int64) {
	if n := len(l.marks); n > 0 && l.marks[n-1].body == total || n == 0 && l.arrived == total {
		return
	}
	l.marks = append(l.marks, mark{total, l.under.written.Load()})
}

func (l *sealed) Arrived() int64 {
	if wire, ok := l.under.acknowledged(); ok {
		l.marks, l.arrived = reached(l.marks, wire, l.arrived)
	}
	return l.arrived
}

// Grains: at once a record (RFC 8446, section 5.1), for which there is room once the kernel says so.
func (*sealed) Grains() (once, flush int64) { return 16 << 10, 256 << 10 }

// header names the response on a connection that carries several.
const header = "Aftergust-Delivery"

// stream is one response of several on an HTTP/2 connection.
type stream struct {
	socket
	ctx     context.Context // of the request
	of      *frames
	id      string
	number  uint32 // of the stream; 0 until its header has passed
	mu      sync.Mutex
	marks   []mark
	body    int64 // bytes that have passed
	marked  int64 // of these, bytes that the kernel has taken
	arrived int64
}

// How long the last write of a connection is waited for.
const (
	lastWrite = time.Second
	lookAgain = time.Millisecond
)

// written notes what became of the write that brought the last of the body: where the
// wire is now, or that it failed. What of a failed one came through is not claimed.
func (l *stream) written(wire int64, failed error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if failed != nil {
		l.body = l.marked
		return
	}
	l.marks, l.marked = append(l.marks, mark{l.body, wire}), l.body
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

func (l *stream) Arrived() int64 {
	wire, ok := l.of.under.acknowledged()
	l.mu.Lock()
	defer l.mu.Unlock()
	if ok {
		l.marks, l.arrived = reached(l.marks, wire, l.arrived)
	}
	return l.arrived
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
