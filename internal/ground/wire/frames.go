package wire

import (
	"bytes"
	"context"
	"crypto/tls"
	"encoding/binary"
	"net"
	"sync"
	"time"

	"golang.org/x/net/http2"
)

// frames is an HTTP/2 connection over TLS, which to the server looks like one without.
// It reads along in the frames that go out (RFC 9113, section 4.1) and so knows which
// bytes of which response each record of the wire carries.
type frames struct {
	net.Conn // over TLS
	under    *conn
	heads    *heads

	// What the server hands over waits here for the one that writes, so that a frame is made
	// while the one before it is sealed and sent.
	queue   sync.Mutex
	moves   *sync.Cond // with queue: something came, went, failed or ended
	due     []byte     // to be written
	writes  bool       // something is being written
	failed  error
	closing bool
	late    *time.Timer // ends what still waits then; set with closing

	mu      sync.Mutex
	named   int64
	waiting map[string]*stream // registered, their header has not passed yet
	streams map[uint32]*stream // by the number of the stream

	// of the frame that is passing; only the one that writes has these
	head  []byte // what has come of the nine bytes that begin it
	left  int    // bytes of its payload that are to come
	kind  http2.FrameType
	flags http2.Flags
	on    uint32
}

const frameHead = 9

func newFrames(c *tls.Conn, under *conn) *frames {
	f := &frames{Conn: c, under: under, waiting: map[string]*stream{}, streams: map[uint32]*stream{},
		head: make([]byte, 0, frameHead), heads: newHeads()}
	f.moves = sync.NewCond(&f.queue)
	go f.write()
	return f
}

const (
	// chunk is how many bytes go onto the wire between two marks, and how many may wait to.
	chunk = 64 << 10
	// farewell is how long what waits may take once the connection is closed.
	farewell = time.Second
)

// Write takes a frame; an error is that of a frame before it.
func (c *frames) Write(p []byte) (int, error) {
	c.queue.Lock()
	defer c.queue.Unlock()
	for len(c.due) > 0 && len(c.due)+len(p) > chunk && c.failed == nil && !c.closing {
		c.moves.Wait()
	}
	switch {
	case c.failed != nil:
		return 0, c.failed
	case c.closing:
		return 0, net.ErrClosed
	}
	if c.due == nil {
		c.due = (*gathering.Get().(*[]byte))[:0]
	}
	c.due = append(c.due, p...)
	c.moves.Broadcast()
	return len(p), nil
}

// room waits until no more than so many bytes wait; they come on top of them.
func (c *frames) room(ctx context.Context, bytes int) error {
	c.queue.Lock()
	defer c.queue.Unlock()
	if len(c.due) > bytes {
		defer context.AfterFunc(ctx, func() {
			c.queue.Lock()
			defer c.queue.Unlock()
			c.moves.Broadcast()
		})()
	}
	for len(c.due) > bytes && c.failed == nil && !c.closing {
		if err := ctx.Err(); err != nil {
			return err
		}
		c.moves.Wait()
	}
	return c.failed
}

// write is the one that writes, until the connection is closed.
func (c *frames) write() {
	for due := c.next(); due != nil; due = c.next() {
		err := c.pass(due)
		gathering.Put(&due)
		c.queue.Lock()
		c.writes, c.failed = false, err
		c.moves.Broadcast()
		c.queue.Unlock()
	}
	_ = c.Conn.Close() // whoever closed it hears nothing of the other side any more
	c.late.Stop()
}

// next waits for what is to be written, and for room for it; nil once the connection is
// closed and nothing is, or nothing can be.
func (c *frames) next() []byte {
	c.queue.Lock()
	defer c.queue.Unlock()
	for !c.closing && (len(c.due) == 0 || c.failed != nil) {
		c.moves.Wait()
	}
	if len(c.due) > 0 && c.failed == nil {
		waits := len(c.due)
		c.queue.Unlock()
		_ = socket{c.under.TCPConn}.Room(waits) // the write says what is wrong
		c.queue.Lock()
	}
	if c.failed != nil {
		return nil
	}
	due := c.due
	c.due, c.writes = nil, due != nil
	c.moves.Broadcast()
	return due
}

// pass writes frames and marks what they carried: before they are sent, since the kernel says
// by itself what of them arrives.
func (c *frames) pass(p []byte) error {
	for len(p) > 0 {
		part := p[:min(len(p), chunk)]
		goes, err := c.read(part)
		if err != nil {
			return err
		}
		err = c.under.together(func() error {
			for _, one := range goes.parts {
				if _, err := c.Conn.Write(one); err != nil {
					return err
				}
			}
			return nil
		}, func() {
			end := c.under.sofar()
			for _, piece := range goes.pieces {
				piece.of.mark(mark{piece.body, end - int64(goes.length-piece.at)})
			}
		})
		if err != nil {
			return err
		}
		p = p[len(part):]
	}
	return nil
}

// waits reports whether something that was handed over is still to be marked.
func (c *frames) waits() bool {
	c.queue.Lock()
	defer c.queue.Unlock()
	return c.failed == nil && (c.writes || len(c.due) > 0)
}

// Close ends the connection once what waits is written; a slow reader has a moment for it.
func (c *frames) Close() error {
	c.queue.Lock()
	defer c.queue.Unlock()
	if !c.closing {
		c.closing, c.late = true, time.AfterFunc(farewell, func() { _ = c.under.Close() })
		c.moves.Broadcast()
	}
	return nil
}

// A passage is what goes on of what was handed over: all but header blocks as it is.
type passage struct {
	parts  [][]byte
	length int
	pieces []piece
}

// A piece of a body ends at a place in a passage; so many bytes of the body have passed with it.
type piece struct {
	of   *stream
	body int64
	at   int
}

func (g *passage) add(part []byte) {
	if len(part) > 0 {
		g.parts, g.length = append(g.parts, part), g.length+len(part)
	}
}

// read takes note of what passes, which may begin and end within a frame.
func (c *frames) read(p []byte) (goes passage, err error) {
	rest := 0 // from here on p goes on as it is
	for at := 0; at < len(p); {
		if c.left == 0 {
			begun, n := len(c.head) > 0, min(frameHead-len(c.head), len(p)-at)
			if !begun && n < frameHead {
				goes.add(p[rest:at]) // whether its head goes on is known once that is whole
			}
			c.head, at = append(c.head, p[at:at+n]...), at+n
			if len(c.head) < frameHead {
				return goes, nil
			}
			switch c.begin(); {
			case c.inBlock() && !begun:
				goes.add(p[rest : at-frameHead])
			case !c.inBlock() && begun:
				goes.add(bytes.Clone(c.head))
				rest = at
			}
			c.head = c.head[:0]
		}
		n := min(c.left, len(p)-at)
		part := p[at : at+n]
		at, c.left = at+n, c.left-n
		switch {
		case c.inBlock():
			c.heads.block = append(c.heads.block, part...)
		case c.kind == http2.FrameData && n > 0: // without padding: a server of ours sends none
			if s, body := c.carries(n); s != nil {
				goes.pieces = append(goes.pieces, piece{s, body, goes.length + at - rest})
			}
		}
		if c.left > 0 {
			break
		}
		fresh, err := c.end()
		if err != nil {
			return goes, err
		}
		if c.inBlock() {
			goes.add(fresh)
			rest = at
		}
	}
	if !c.inBlock() || c.left == 0 {
		goes.add(p[rest:])
	}
	return goes, nil
}

// inBlock reports whether the frame that passes is a part of a header block.
func (c *frames) inBlock() bool {
	return c.kind == http2.FrameHeaders || c.kind == http2.FrameContinuation
}

func (c *frames) begin() {
	c.left = int(c.head[0])<<16 | int(c.head[1])<<8 | int(c.head[2])
	c.kind, c.flags = http2.FrameType(c.head[3]), http2.Flags(c.head[4])
	c.on = binary.BigEndian.Uint32(c.head[5:]) & (1<<31 - 1)
	if c.kind == http2.FrameHeaders {
		c.heads.ends = c.flags.Has(http2.FlagHeadersEndStream)
	}
}

// carries counts bytes of a body; it returns whose they are, and how many have passed with them.
func (c *frames) carries(n int) (s *stream, body int64) {
	c.mu.Lock()
	s = c.streams[c.on]
	c.mu.Unlock()
	if s == nil {
		return nil, 0
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	s.body += int64(n)
	return s, s.body
}

// end takes note of a frame that is whole; where a header block is with it, fresh is how that goes on.
func (c *frames) end() (fresh []byte, err error) {
	named := ""
	blockEnds := c.inBlock() && c.flags.Has(http2.FlagHeadersEndHeaders)
	if blockEnds {
		if fresh, named, err = c.heads.again(c.on); err != nil {
			return nil, err
		}
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	if s := c.waiting[named]; s != nil {
		delete(c.waiting, named)
		c.streams[c.on], s.number = s, c.on
	}
	if blockEnds && c.heads.ends || c.kind == http2.FrameData && c.flags.Has(http2.FlagDataEndStream) || c.kind == http2.FrameRSTStream {
		delete(c.streams, c.on)
	}
	return fresh, nil
}
