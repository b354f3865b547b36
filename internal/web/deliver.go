package web

import (
	"cmp"
	"context"
	"errors"
	"io"
	"iter"
	"math/bits"
	"mime/multipart"
	"net"
	"net/http"
	"net/textproto"
	"os"
	"strconv"
	"sync"
	"time"

	"aftergust/core/file/coverage"
	"aftergust/core/file/ziplayout"
	"aftergust/internal/files/archive"
	"aftergust/internal/ground/wire"
)

// A Content is something with a fixed length that ranges can be taken from: one
// file, or a ZIP of many.
type Content struct {
	Size     int64
	Etag     string
	Modified time.Time
	Mime     string
	Pieces   func(start, end int64) iter.Seq[ziplayout.Piece]
	Given    []archive.Entry // the files in it, by entry of pieces; nil where nobody looks whether they are whole
	Open     func(ctx context.Context, entry int, offset int64) (io.ReadCloser, error)
	Received func(entry int, bytes coverage.Range) // nil: nobody keeps receipts
	Passed   func(part coverage.Range)             // a part of the content went through whole; may be nil
	Ticket   *Ticket                               // nil: nothing can cut it
	Taken    func(got int64, took time.Duration)   // told at the end of how many bytes arrived; may be nil
}

// OneFile is the pieces of a content that is a single file.
func OneFile(start, end int64) iter.Seq[ziplayout.Piece] {
	return func(yield func(ziplayout.Piece) bool) {
		yield(ziplayout.Piece{Offset: start, Length: end - start})
	}
}

// deliver answers a GET or HEAD for c with ranges (RFC 9110, section 14). Bytes
// go from the file to the socket without passing through memory, in steps; after
// each step what the other side has acknowledged is reported to c.received. got is how
// many bytes that was in all.
func (a *Web) deliver(w http.ResponseWriter, r *http.Request, c *Content) (got int64) {
	h := w.Header()
	h.Set("Accept-Ranges", "bytes")
	h.Set("Etag", c.Etag)
	h.Set("Content-Type", c.Mime)
	if !c.Modified.IsZero() {
		h.Set("Last-Modified", c.Modified.UTC().Format(http.TimeFormat))
	}
	switch conditions(r, c.Etag, c.Modified) {
	case http.StatusNotModified:
		w.WriteHeader(http.StatusNotModified)
		return 0
	case http.StatusPreconditionFailed:
		a.Refuse(w, NewProblem(http.StatusPreconditionFailed, "changed",
			"This is not what it was when you asked first. Ask for it anew; what you have is safe."))
		return 0
	}
	ranges, err := []coverage.Range(nil), error(nil)
	if r.Method == http.MethodGet && ifRange(r, c.Etag) { // of a HEAD a range is not looked at (RFC 9110, section 14.2)
		ranges, err = parseRanges(r.Header.Get("Range"), c.Size)
	}
	if err != nil {
		h.Set("Content-Range", "bytes */"+strconv.FormatInt(c.Size, 10))
		a.Refuse(w, NewProblem(http.StatusRequestedRangeNotSatisfiable, "range",
			"This part lies beyond the end. Start again from the beginning, or ask for an earlier part."))
		return 0
	}
	s := &sender{w: w, control: http.NewResponseController(w), Content: c, line: wire.Of(r.Context(), w)}
	defer s.line.Done()
	s.line.Hold(heldSlow)
	s.step, s.most, s.since = leastStep, largeStep, time.Now()
	if once, flush := s.line.Grains(); once > 0 {
		s.once, s.most = once, flush
	}
	head := r.Method == http.MethodHead
	switch len(ranges) {
	case 0:
		h.Set("Content-Length", strconv.FormatInt(c.Size, 10))
		w.WriteHeader(http.StatusOK)
		if !head {
			err = s.send(r.Context(), coverage.Range{End: c.Size})
		}
	case 1:
		h.Set("Content-Length", strconv.FormatInt(ranges[0].Len(), 10))
		h.Set("Content-Range", contentRange(ranges[0], c.Size))
		w.WriteHeader(http.StatusPartialContent)
		if !head {
			err = s.send(r.Context(), ranges[0])
		}
	default:
		err = s.sendParts(r.Context(), ranges, head)
	}
	if head {
		return 0
	}
	if err == nil || errors.Is(err, errHalted) {
		err = errors.Join(err, s.settle(r.Context()))
	}
	if s.Ticket.isHalted() && len(s.waiting) > 0 {
		s.line.Forsake() // what did not come through goes with the connection
	}
	s.line.Passed()     // what is being written for it has been
	_ = s.acknowledge() // also what a broken connection took
	got = s.acknowledged
	a.meters.delivered.Add(float64(got))
	if err != nil && !errors.Is(err, context.Canceled) && !isDisconnect(err) {
		a.Log.Warn("a download ended early", "error", err)
		a.inspect(r.Context(), c, err)
	}
	return got
}

// Steps in which bytes are sent. Slow lines keep small ones, for which there is room once
// the kernel says so: whoever waits for them has no buffer in hand, neither ours nor one of
// net/http, and receipts and cuts come in time. Fast lines grow to large ones.
const (
	leastStep = 16 << 10 // a record of TLS (RFC 8446, section 5.1)
	fastStep  = 64 << 10
	largeStep = 4 << 20
	quick     = 100 * time.Millisecond
	// soonest is how long a step stays before the next larger one until the reader has taken
	// heldSlow: whoever takes nothing has let the kernel be filled with small ones by then.
	soonest = 5 * time.Millisecond
	// stalled is how long one step may make no progress before the line is given up.
	stalled = 5 * time.Minute
)

// A segment is a run of bytes that was handed to the socket, in order.
type segment struct {
	entry int // -1: headers of a ZIP or of multipart
	from  int64
	size  int64
}

// A sender sends one response and knows which of its bytes arrived.
type sender struct {
	*Content
	w            http.ResponseWriter
	control      *http.ResponseController
	line         wire.Line
	step         int64
	since        time.Time // step is so large since then
	most         int64     // the largest step on this line
	once         int64     // bytes that go through memory at a time; 0: none do
	waiting      []segment // handed over, not acknowledged yet
	handed       int64     // bytes handed over
	acknowledged int64     // bytes that left waiting
}

var (
	errCut    = errors.New("cut: not open any more")
	errHalted = errors.New("halted: the server stops")
)

// How much the kernel may hold of a connection that it has not sent yet, in bytes: what it
// holds goes on to the other side when this process ends, and nobody is left to hear that it
// arrived. A fifth of a second at 40 Mbit/s where steps are fast, and a few of the least
// where they are not.
const (
	heldUnsent = 1 << 20
	heldSlow   = 4 * leastStep
)

func (s *sender) send(ctx context.Context, r coverage.Range) error {
	for piece := range s.Pieces(r.Start, r.End) {
		if err := s.Ticket.Over(); err != nil {
			return err
		}
		var err error
		if piece.Bytes != nil {
			err = s.sendBytes(piece.Bytes)
		} else {
			err = s.sendFile(ctx, piece)
		}
		if over := s.Ticket.Over(); err != nil && over != nil {
			return over // a writer that waited was woken
		}
		if err != nil {
			return err
		}
	}
	if s.Passed != nil {
		s.Passed(r)
	}
	return nil
}

func (s *sender) sendBytes(b []byte) error {
	n, err := s.w.Write(b)
	s.handOver(segment{entry: -1, size: s.came(int64(n), int64(len(b)), err)})
	return err
}

func (s *sender) sendFile(ctx context.Context, piece ziplayout.Piece) error {
	file, err := s.Open(ctx, piece.Entry, piece.Offset)
	if err != nil {
		return &entryError{piece.Entry, err}
	}
	defer file.Close()
	// net/http sends from an *os.File with sendfile(2) if it sees one.
	var source io.Reader = file
	if f, ok := file.(*os.File); ok {
		source = f
	}
	for at, left := piece.Offset, piece.Length; left > 0; {
		if err := s.control.SetWriteDeadline(time.Now().Add(stalled)); err != nil && !errors.Is(err, http.ErrNotSupported) {
			return err
		}
		if err := s.Ticket.Over(); err != nil { // asked after the deadline was set, since a cut sets one in the past
			return err
		}
		began := time.Now()
		step := min(s.step, left)
		n, err := s.hand(source, step)
		n = s.came(n, step, err)
		s.handOver(segment{entry: piece.Entry, from: at, size: n})
		if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) { // the file is shorter than it should be
			return &entryError{piece.Entry, err}
		}
		if err != nil {
			return err
		}
		at, left = at+n, left-n
		now := time.Now()
		s.pace(now.Sub(began), now)
		if err := s.acknowledge(); err != nil {
			return err
		}
	}
	return nil
}

// came is how many of asked bytes went on their way by a write that says it took n: where
// it failed, the line may know better.
func (s *sender) came(n, asked int64, err error) int64 {
	if err == nil {
		return n
	}
	return max(n, min(asked, s.line.Passed()-s.handed))
}

// pace chooses the next step by how long one took until now.
func (s *sender) pace(took time.Duration, now time.Time) {
	was := s.step
	switch {
	case took >= quick:
		s.step = max(was/2, leastStep)
	case s.acknowledged >= heldSlow || now.Sub(s.since) >= soonest:
		s.step = min(2*was, s.most)
	}
	if s.step == was {
		return
	}
	s.since = now
	switch {
	case s.step >= fastStep && was < fastStep:
		s.line.Hold(heldUnsent)
	case s.step < fastStep && was >= fastStep:
		s.line.Hold(heldSlow)
	}
}

// hand hands over so many bytes of a file once there is room on the line, those that go
// through memory a few at a time.
func (s *sender) hand(source io.Reader, step int64) (n int64, err error) {
	once := step
	if s.once > 0 {
		once = s.once
	}
	for n < step {
		length := min(step-n, once)
		if err := s.line.Room(int(length)); err != nil {
			return n, err
		}
		m, err := s.pass(source, length)
		if n += m; err != nil {
			return n, err
		}
	}
	return n, nil
}

func (s *sender) pass(source io.Reader, length int64) (int64, error) {
	if s.once == 0 {
		return io.CopyN(s.w, source, length)
	}
	size := bits.Len64(uint64(max(length, leastStep) - 1))
	buffer, _ := cups[size].Get().(*[]byte)
	if buffer == nil {
		made := make([]byte, 1<<size)
		buffer = &made
	}
	defer cups[size].Put(buffer)
	read, errRead := io.ReadFull(source, (*buffer)[:length])
	n, err := s.w.Write((*buffer)[:read])
	return int64(n), cmp.Or(err, errRead)
}

// cups are buffers by the power of two of their length.
var cups [64]sync.Pool

func (s *sender) handOver(seg segment) {
	if seg.size > 0 {
		s.waiting = append(s.waiting, seg)
		s.handed += seg.size
	}
}

// acknowledge empties our own buffers into the socket and reports all bytes that the
// other side has acknowledged. On a connection that broke it reports what went through
// before that.
func (s *sender) acknowledge() error {
	err := s.control.Flush()
	if err == nil {
		s.line.Flushed(s.handed)
	}
	s.arrived(s.line.Arrived())
	return err
}

// arrived reports segments up to the total number of bytes acknowledged.
func (s *sender) arrived(total int64) {
	for len(s.waiting) > 0 && s.acknowledged < total {
		first := &s.waiting[0]
		n := min(first.size, total-s.acknowledged)
		if first.entry >= 0 && s.Received != nil {
			s.Received(first.entry, coverage.Range{Start: first.from, End: first.from + n})
		}
		s.acknowledged += n
		first.from, first.size = first.from+n, first.size-n
		if first.size == 0 {
			s.waiting = s.waiting[1:]
		}
	}
}

// quietAtHalt is how long a connection may make no progress while the server stops.
const quietAtHalt = time.Second

// settle waits until the other side has acknowledged everything, so that the
// last bytes are not claimed too early. When the server stops, what does not come
// through is thrown away with the connection: what arrived is what is claimed.
func (s *sender) settle(ctx context.Context) error {
	// A stop wakes who waits to write, after which nothing can be flushed, and of several on a
	// connection one ends. What was handed over before arrives all the same.
	stops, over := s.Ticket.isHalted(), ctx.Done()
	if stops {
		_ = s.control.SetWriteDeadline(time.Now().Add(quietAtHalt)) // it was set in the past to wake us
		over = nil
	}
	if err := s.acknowledge(); err != nil && !stops {
		return err
	}
	pause, quiet := time.Millisecond, time.Now()
	for len(s.waiting) > 0 && s.line.Asks() {
		if s.Ticket.isCut() {
			return errCut
		}
		if s.Ticket.isHalted() && time.Since(quiet) > quietAtHalt || s.Ticket.isGivenUp() {
			return errHalted
		}
		select {
		case <-over:
			return ctx.Err()
		case <-time.After(pause):
		}
		before := s.acknowledged
		if err := s.acknowledge(); err != nil && !stops {
			return err
		}
		if s.acknowledged > before {
			quiet = time.Now()
		} else if time.Since(quiet) > stalled {
			return nil
		}
		pause = min(2*pause, 100*time.Millisecond)
	}
	return nil
}

// sendParts answers several ranges as multipart/byteranges.
func (s *sender) sendParts(ctx context.Context, ranges []coverage.Range, head bool) error {
	boundary := multipart.NewWriter(io.Discard).Boundary()
	header := func(r coverage.Range) textproto.MIMEHeader {
		return textproto.MIMEHeader{"Content-Range": {contentRange(r, s.Size)}, "Content-Type": {s.Mime}}
	}
	var length counter
	dry := multipart.NewWriter(&length)
	_ = dry.SetBoundary(boundary) // it made this boundary itself
	for _, r := range ranges {
		if _, err := dry.CreatePart(header(r)); err != nil {
			return err
		}
		length += counter(r.Len())
	}
	if err := dry.Close(); err != nil {
		return err
	}
	s.w.Header().Set("Content-Type", "multipart/byteranges; boundary="+boundary)
	s.w.Header().Set("Content-Length", strconv.FormatInt(int64(length), 10))
	s.w.WriteHeader(http.StatusPartialContent)
	if head {
		return nil
	}
	parts := multipart.NewWriter(writerFunc(func(p []byte) (int, error) { return len(p), s.sendBytes(p) }))
	_ = parts.SetBoundary(boundary) // likewise
	for _, r := range ranges {
		if _, err := parts.CreatePart(header(r)); err != nil {
			return err
		}
		if err := s.send(ctx, r); err != nil {
			return err
		}
	}
	return parts.Close()
}

type counter int64

func (c *counter) Write(p []byte) (int, error) {
	*c += counter(len(p))
	return len(p), nil
}

type writerFunc func([]byte) (int, error)

func (f writerFunc) Write(p []byte) (int, error) { return f(p) }

func isDisconnect(err error) bool {
	var op *net.OpError
	return errors.As(err, &op) || errors.Is(err, errCut) || errors.Is(err, errHalted) ||
		errors.Is(err, io.ErrShortWrite) || errors.Is(err, net.ErrClosed)
}
