package media

import (
	"context"

	"aftergust/core/media/piece"
)

// PlainSamples says for tests where the samples of a file lie, and how wide they are.
func PlainSamples(ctx context.Context, file string, facts piece.Facts) (offset, bytes int64, width int, err error) {
	s, err := plainSamples(ctx, file, facts)
	return s.offset, s.bytes, s.format.Width(), err
}
