package peaks_test

import (
	"testing"

	"aftergust/core/media/peaks"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestEveryLevelHoldsTheExtremesOfTheOneBelow(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var b peaks.Builder
		n := rapid.IntRange(1, 9000).Draw(t, "bins")
		loudest := rapid.IntRange(0, n-1).Draw(t, "loudest")
		for i := range n {
			if i == loudest {
				b.Add(-0.25, 1)
			} else {
				b.Add(-0.25, 0.25)
			}
		}
		levels := b.Levels()
		for i, l := range levels {
			if l.Frames != peaks.Fine*pow(8, i) {
				t.Fatalf("level %d has %d frames in a bin", i, l.Frames)
			}
			at := loudest * peaks.Fine / l.Frames
			if l.Bins[at].High != 127 || l.Bins[at].Low != -32 {
				t.Fatalf("level %d lost the loudest sample: %v", i, l.Bins[at])
			}
		}
		if last := levels[len(levels)-1]; len(last.Bins) > 512 {
			t.Fatalf("the coarsest level has %d bins", len(last.Bins))
		}
		rate, back, err := peaks.Decode(b.Encode(48000))
		if err != nil || rate != 48000 || len(back) != len(levels) {
			t.Fatal(rate, err)
		}
		for i := range back {
			assert.Equal(t, levels[i], back[i])
		}
	})
}

func pow(base, n int) int {
	out := 1
	for range n {
		out *= base
	}
	return out
}

func TestAnOverviewHasAsManyPartsAsAskedFor(t *testing.T) {
	var b peaks.Builder
	assert.Nil(t, b.Overview(240))
	b.Add(-1, 0.5)
	b.Add(0, 0)
	overview := b.Overview(4)
	assert.Equal(t, []int{255, 255, 0, 0}, overview)
}

func TestWhatIsNoFileOfPeaksIsRefused(t *testing.T) {
	var b peaks.Builder
	b.Add(-1, 1)
	whole := b.Encode(44100)
	for _, file := range [][]byte{nil, []byte("AGP1"), []byte("RIFFRIFFRIFF"), whole[:len(whole)-1], whole[:20]} {
		_, _, err := peaks.Decode(file)
		require.ErrorIs(t, err, peaks.ErrFormat)
	}
}

func TestABinOfTheNextLevelSpansEightAndTheLastWhatIsLeft(t *testing.T) {
	var b peaks.Builder
	const n = 513*8 + 3 // two coarser levels, the last bin of each from fewer than eight
	for i := range n {
		b.Add(-float32(i%9)/127, float32(i%7)/127)
	}
	levels := b.Levels()
	require.Len(t, levels, 3)
	for k, l := range levels[1:] {
		below := levels[k].Bins
		require.Len(t, l.Bins, (len(below)+7)/8)
		for i, bin := range l.Bins {
			want := below[8*i]
			for _, one := range below[8*i : min(8*i+8, len(below))] {
				want.Low, want.High = min(want.Low, one.Low), max(want.High, one.High)
			}
			assert.Equal(t, want, bin, "bin %d of level %d", i, k+1)
		}
	}
	var edge peaks.Builder
	for range 512 {
		edge.Add(0, 0)
	}
	assert.Len(t, edge.Levels(), 1, "512 bins are coarse enough")
	edge.Add(0, 0)
	assert.Len(t, edge.Levels(), 2)
}

func TestAnOverviewTakesTheLouderOfBothSides(t *testing.T) {
	var b peaks.Builder
	for _, bin := range [][2]float32{{-0.5, 0.25}, {0, 0}, {-0.25, 1}, {0, 0}, {0, 0.5}, {-2, 0}} {
		b.Add(bin[0], bin[1])
	}
	assert.Equal(t, []int{128, 255, 255}, b.Overview(3), "64 of 127 is 128 of 255; beyond full scale is full scale")
	assert.Equal(t, []int{255}, b.Overview(1))
}

func TestEachFieldOfAFileIsWhereTheFormatSays(t *testing.T) {
	var b peaks.Builder
	b.Add(-1, 1)
	b.Add(-0.5, 0.25)
	whole := b.Encode(44100)
	require.Len(t, whole, 12+12+4)
	assert.Equal(t, "AGP1\x44\xac\x00\x00\x01\x00\x00\x00\x00\x02\x00\x00\x02\x00\x00\x00\x18\x00\x00\x00\x81\x7f\xc0\x20", string(whole))
	_, levels, err := peaks.Decode(whole)
	require.NoError(t, err)
	assert.Equal(t, []peaks.Level{{Frames: 512, Bins: []peaks.Bin{{Low: -127, High: 127}, {Low: -64, High: 32}}}}, levels)
	for _, broken := range [][]byte{whole[:11], whole[:23], append([]byte("AGP1\x44\xac\x00\x00\x21\x00\x00\x00"), make([]byte, 12*33)...)} {
		_, _, err := peaks.Decode(broken)
		require.ErrorIs(t, err, peaks.ErrFormat)
	}
	_, none, err := peaks.Decode(whole[:8:8])
	require.Error(t, err)
	assert.Nil(t, none)
	rate, empty, err := peaks.Decode([]byte("AGP1\x44\xac\x00\x00\x00\x00\x00\x00"))
	require.NoError(t, err, "no level is a file of peaks too")
	assert.Equal(t, 44100, rate)
	assert.Empty(t, empty)
}
