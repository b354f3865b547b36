package wire

import (
	"crypto/tls"
	"encoding/binary"
	"net"
	"strings"
	"sync"

	"golang.org/x/net/http2"
	"golang.org/x/net/http2/hpack"
)

// frames is an HTTP/2 connection over TLS, which to the server looks like one without.
// It reads along in the frames that go out (RFC 9113, section 4.1) and so knows which
// bytes of which response each record of the wire carries.
type frames struct {
	net.Conn // over TLS
	under    *conn
	heads    *hpack.Decoder
	turn     sync.Mutex // of whoever writes

	mu      sync.Mutex
	named   int64
	waiting map[string]*stream // registered, their header has not passed yet
	streams map[uint32]*stream // by the number of the stream

	// of the frame that is passing; only Write has these
	head  []byte // what has come of the nine bytes that begin it
	left  int    // bytes of its payload that are to come
	kind  http2.FrameType
	flags http2.Flags
	on    uint32
	calls string // what the header block that passes calls its response
}

const frameHead = 9

// The largest table of names that a peer may ask us to keep for it, in bytes.
const maxTable = 64 << 10

func newFrames(c *tls.Conn, under *conn) *frames {
	f := &frames{Conn: c, under: under, waiting: map[string]*stream{}, streams: map[uint32]*stream{}, head: make([]byte, 0, frameHead)}
	f.heads = hpack.NewDecoder(4096, func(field hpack.HeaderField) {
		if field.Name == strings.ToLower(header) {
			f.calls = field.Value
		}
	})
	f.heads.SetAllowedMaxDynamicTableSize(maxTable)
	return f
}

// chunk is how many bytes go onto the wire between two marks.
const chunk = 64 << 10

// Write passes frames on. There is one writer at a time: that of the connection.
func (c *frames) Write(p []byte) (n int, err error) {
	c.turn.Lock()
	defer c.turn.Unlock()
	for len(p) > 0 {
		part := p[:min(len(p), chunk)]
		passed := c.read(part)
		m, err := c.Conn.Write(part)
		n += m
		wire := c.under.written.Load()
		for _, s := range passed {
			s.written(wire, err)
		}
		if err != nil {
			return n, err
		}
		p = p[len(part):]
	}
	return n, nil
}

// Close ends the connection. The farewell of TLS waits until what was written last is
// marked, or would be taken for a part of it; a write that waits is broken off.
func (c *frames) Close() error {
	if !c.turn.TryLock() {
		return c.under.Close()
	}
	defer c.turn.Unlock()
	return c.Conn.Close()
}

// read takes note of what passes and returns the responses that it has bytes of.
func (c *frames) read(p []byte) (passed []*stream) {
	for len(p) > 0 {
		if c.left == 0 {
			n := min(frameHead-len(c.head), len(p))
			c.head, p = append(c.head, p[:n]...), p[n:]
			if len(c.head) < frameHead {
				return passed
			}
			c.begin()
			if c.left > 0 {
				continue
			}
		}
		n := min(c.left, len(p))
		if s := c.payload(p[:n]); s != nil && (len(passed) == 0 || passed[len(passed)-1] != s) {
			passed = append(passed, s)
		}
		p, c.left = p[n:], c.left-n
		if c.left == 0 {
			c.end()
		}
	}
	return passed
}

func (c *frames) begin() {
	c.left = int(c.head[0])<<16 | int(c.head[1])<<8 | int(c.head[2])
	c.kind, c.flags = http2.FrameType(c.head[3]), http2.Flags(c.head[4])
	c.on = binary.BigEndian.Uint32(c.head[5:]) & (1<<31 - 1)
	c.head = c.head[:0]
	if c.left == 0 {
		c.end()
	}
}

// payload takes note of a part of a frame; it returns whose bytes they are.
func (c *frames) payload(part []byte) *stream {
	switch c.kind {
	case http2.FrameData: // without padding: a server of ours sends none
		c.mu.Lock()
		s := c.streams[c.on]
		c.mu.Unlock()
		if s != nil {
			s.mu.Lock()
			s.body += int64(len(part))
			s.mu.Unlock()
		}
		return s
	case http2.FrameHeaders, http2.FrameContinuation:
		_, _ = c.heads.Write(part) // what it cannot read names no response, and then nothing is claimed
	}
	return nil
}

func (c *frames) end() {
	c.mu.Lock()
	defer c.mu.Unlock()
	switch {
	case (c.kind == http2.FrameHeaders || c.kind == http2.FrameContinuation) && c.flags.Has(http2.FlagHeadersEndHeaders):
		_ = c.heads.Close() // likewise
		if s := c.waiting[c.calls]; s != nil {
			delete(c.waiting, c.calls)
			c.streams[c.on], s.number = s, c.on
		}
		c.calls = ""
		if c.kind == http2.FrameHeaders && c.flags.Has(http2.FlagHeadersEndStream) {
			delete(c.streams, c.on)
		}
	case c.kind == http2.FrameData && c.flags.Has(http2.FlagDataEndStream), c.kind == http2.FrameRSTStream:
		delete(c.streams, c.on)
	}
}
