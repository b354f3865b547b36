package arrive

import (
	"bytes"
	"context"
	"encoding/hex"
	"errors"
	"hash/crc32"
	"io"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/tus/tusd/v2/pkg/handler"
	"github.com/zeebo/xxh3"
	"pgregory.net/rapid"
)

func begin(t require.TestingT, s *store, size int64) handler.Upload {
	u, err := s.NewUpload(context.Background(), handler.FileInfo{ID: "upload-one", Size: size})
	require.NoError(t, err)
	return u
}

// Values: CRC-32 of "123456789" is cbf43926, XXH3-128 of nothing is 99aa06d3014798d86001c324468d497f (published check values).
func TestSumsHaveTheirPublishedValues(t *testing.T) {
	s := newSums()
	sum := s.xxh.Sum128().Bytes()
	assert.Equal(t, "99aa06d3014798d86001c324468d497f", hex.EncodeToString(sum[:]))
	_, err := io.WriteString(s, "123456789")
	require.NoError(t, err)
	assert.Equal(t, uint32(0xcbf43926), s.crc.Sum32())
	assert.EqualValues(t, 9, s.at)
}

func TestAnySplitOfAnUploadGivesTheSameSums(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		dir, err := os.MkdirTemp("", "arrive-")
		require.NoError(rt, err)
		defer os.RemoveAll(dir)
		content := rapid.SliceOfN(rapid.Byte(), 0, 3000).Draw(rt, "content")
		s := newStore(dir)
		u := begin(rt, s, int64(len(content)))
		for at := 0; at < len(content); {
			n := min(rapid.IntRange(1, 900).Draw(rt, "piece"), len(content)-at)
			written, err := u.WriteChunk(t.Context(), int64(at), bytes.NewReader(content[at:at+n]))
			require.NoError(rt, err)
			require.EqualValues(rt, n, written)
			at += n
			switch rapid.IntRange(0, 4).Draw(rt, "trouble") {
			case 0: // the server was started anew: what was summed so far is lost
				s = newStore(dir)
				u, err = s.GetUpload(t.Context(), "upload-one")
				require.NoError(rt, err)
			case 1: // a try that breaks off after some bytes
				rest := content[at:min(at+100, len(content))]
				written, err = u.WriteChunk(t.Context(), int64(at), io.MultiReader(bytes.NewReader(rest), failing{}))
				require.ErrorIs(rt, err, errBroken)
				at += int(written)
			}
		}
		sum, err := s.whole("upload-one", filepath.Join(dir, "upload-one"), int64(len(content)))
		require.NoError(rt, err)
		require.Equal(rt, crc32.ChecksumIEEE(content), sum.crc.Sum32())
		require.Equal(rt, xxh3.Hash128(content), sum.xxh.Sum128())
		require.EqualValues(rt, len(content), sum.at)
		stored, err := os.ReadFile(filepath.Join(dir, "upload-one"))
		require.NoError(rt, err)
		require.True(rt, bytes.Equal(content, stored))
	})
}

var errBroken = errors.New("the line is down")

type failing struct{}

func (failing) Read([]byte) (int, error) { return 0, errBroken }

func TestAnUploadThatIsLetGoLeavesNothing(t *testing.T) {
	s := newStore(t.TempDir())
	u := begin(t, s, 10)
	_, err := u.WriteChunk(t.Context(), 0, bytes.NewReader([]byte("hello")))
	require.NoError(t, err)
	require.NoError(t, s.AsTerminatableUpload(u).Terminate(t.Context()))
	left, err := os.ReadDir(s.Path)
	require.NoError(t, err)
	assert.Empty(t, left)
	assert.Empty(t, s.running)
}
