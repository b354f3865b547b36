package wire

import (
	"bytes"
	"errors"
	"fmt"

	"golang.org/x/net/http2"
	"golang.org/x/net/http2/hpack"
)

// heads reads the header blocks that the server writes and writes them anew without the field
// that names the response, which is for nobody outside. What either side remembers of fields
// (RFC 7541, section 2.3) therefore differs, and each block is read by one table and written
// by another of the same size.
type heads struct {
	in     *hpack.Decoder
	fields []hpack.HeaderField
	fresh  bytes.Buffer // the block as it goes out
	out    *hpack.Encoder

	block []byte // what has come of it
	ends  bool   // its response has no body
}

// The largest table of names that a peer may ask us to keep for it, in bytes.
const maxTable = 64 << 10

func newHeads() *heads {
	h := &heads{}
	h.in = hpack.NewDecoder(4096, func(f hpack.HeaderField) { h.fields = append(h.fields, f) })
	h.in.SetAllowedMaxDynamicTableSize(maxTable)
	h.out = hpack.NewEncoder(&h.fresh)
	h.out.SetMaxDynamicTableSizeLimit(maxTable)
	return h
}

// again is the block that has come, as frames of a stream; named is what it called its response.
func (h *heads) again(on uint32) (frames []byte, named string, err error) {
	h.resize()
	h.fields = h.fields[:0]
	_, err = h.in.Write(h.block)
	if err = errors.Join(err, h.in.Close()); err != nil {
		return nil, "", fmt.Errorf("read a header block of stream %d: %w", on, err)
	}
	h.block = h.block[:0]
	h.fresh.Reset()
	for _, f := range h.fields {
		if f.Name == header {
			named = f.Value
			continue
		}
		if err := h.out.WriteField(f); err != nil {
			return nil, "", err
		}
	}
	var made bytes.Buffer
	to := http2.NewFramer(&made, nil)
	part := func() []byte { return h.fresh.Next(leastFrame) }
	first := part()
	err = to.WriteHeaders(http2.HeadersFrameParam{StreamID: on, BlockFragment: first, EndStream: h.ends, EndHeaders: h.fresh.Len() == 0})
	for err == nil && h.fresh.Len() > 0 {
		next := part()
		err = to.WriteContinuation(on, h.fresh.Len() == 0, next)
	}
	return made.Bytes(), named, err
}

// leastFrame is how long a frame may be that every peer takes (RFC 9113, section 4.2), in bytes.
const leastFrame = 16 << 10

// resize follows the server where it says at the beginning of a block that the table has
// another size now, as the peer has asked for (RFC 7541, section 6.3).
func (h *heads) resize() {
	const update, mask, prefix = 0x20, 0xe0, 0x1f
	for b := h.block; len(b) > 0 && b[0]&mask == update; {
		size, shift := uint64(b[0]&prefix), 0
		more := size == prefix
		for b = b[1:]; more && len(b) > 0 && shift < 32; b = b[1:] {
			size += uint64(b[0]&0x7f) << shift
			more, shift = b[0]&0x80 != 0, shift+7
		}
		h.out.SetMaxDynamicTableSize(uint32(min(size, maxTable)))
	}
}
