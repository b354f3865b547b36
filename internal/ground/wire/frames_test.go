package wire

import (
	"bytes"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/net/http2"
	"golang.org/x/net/http2/hpack"
	"pgregory.net/rapid"
)

// However the server cuts what it hands over: every frame goes on, of header blocks without the
// name of the response, which nobody outside is told; and of each piece of a body is known
// where it lies. Source: golang.org/x/net/http2 writes the frames and reads them.
func TestHeaderBlocksGoOnWithoutTheNameOfTheResponse(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var handed bytes.Buffer
		server := http2.NewFramer(&handed, nil)
		var block bytes.Buffer
		fields := hpack.NewEncoder(&block)
		c := &frames{waiting: map[string]*stream{}, streams: map[uint32]*stream{}, heads: newHeads()}
		var want []string
		bodies := map[uint32]*stream{}
		for i := range rapid.IntRange(1, 5).Draw(t, "streams") {
			on := uint32(2*i + 1)
			if rapid.Bool().Draw(t, "resized") {
				fields.SetMaxDynamicTableSize(rapid.Uint32Range(0, 4096).Draw(t, "table"))
			}
			bodies[on] = &stream{of: c}
			c.waiting[fmt.Sprint("n", i)] = bodies[on]
			headers := []hpack.HeaderField{{Name: ":status", Value: "200"}, {Name: header, Value: fmt.Sprint("n", i)}, {Name: "etag", Value: fmt.Sprint(on % 3)},
				{Name: "csp", Value: strings.Repeat("x", rapid.IntRange(0, 40_000).Draw(t, "long"))}}
			said := fmt.Sprint("head ", on)
			for _, f := range headers {
				require.NoError(t, fields.WriteField(f))
				if f.Name != header {
					said += fmt.Sprint(" ", f.Name, "=", f.Value)
				}
			}
			first := block.Next(http2MostFrame)
			require.NoError(t, server.WriteHeaders(http2.HeadersFrameParam{StreamID: on, BlockFragment: first, EndHeaders: block.Len() == 0}))
			for block.Len() > 0 {
				next := block.Next(http2MostFrame)
				require.NoError(t, server.WriteContinuation(on, block.Len() == 0, next))
			}
			want = append(want, said)
			for range rapid.IntRange(0, 3).Draw(t, "frames") {
				data := rapid.SliceOfN(rapid.Byte(), 0, 300).Draw(t, "data")
				require.NoError(t, server.WriteData(on, false, data))
				want = append(want, fmt.Sprintf("data %d %x", on, data))
			}
			if rapid.Bool().Draw(t, "settles") {
				require.NoError(t, server.WriteSettingsAck())
				want = append(want, "settings")
			}
		}
		var came bytes.Buffer
		for all := handed.Bytes(); len(all) > 0; {
			n := rapid.IntRange(1, min(len(all), 70)).Draw(t, "part")
			if rapid.Bool().Draw(t, "much") {
				n = min(len(all), chunk)
			}
			before := came.Len()
			goes, err := c.read(all[:n])
			require.NoError(t, err)
			for _, part := range goes.parts {
				came.Write(part)
			}
			require.Equal(t, goes.length, came.Len()-before)
			for _, p := range goes.pieces {
				assert.LessOrEqual(t, p.at, goes.length)
				assert.LessOrEqual(t, p.body, p.of.body)
			}
			all = all[n:]
		}
		client := http2.NewFramer(nil, &came)
		client.ReadMetaHeaders = hpack.NewDecoder(4096, nil)
		client.MaxHeaderListSize = 1 << 20
		var got []string
		total := map[uint32]int64{}
		for frame, err := client.ReadFrame(); err == nil; frame, err = client.ReadFrame() {
			switch f := frame.(type) {
			case *http2.MetaHeadersFrame:
				said := fmt.Sprint("head ", f.StreamID)
				for _, field := range f.Fields {
					said += fmt.Sprint(" ", field.Name, "=", field.Value)
				}
				got = append(got, said)
			case *http2.DataFrame:
				got = append(got, fmt.Sprintf("data %d %x", f.StreamID, f.Data()))
				total[f.StreamID] += int64(len(f.Data()))
			case *http2.SettingsFrame:
				got = append(got, "settings")
			}
		}
		assert.Equal(t, want, got)
		for on, n := range total {
			assert.Equal(t, n, bodies[on].body)
		}
	})
}

// http2MostFrame is how much of a block the server of the standard library puts into a frame.
const http2MostFrame = 16 << 10
