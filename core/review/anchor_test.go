package review_test

import (
	"testing"

	. "aftergust/core/review"
	"aftergust/core/timecode"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

var film = Piece{Length: 120_120_000, Frames: 3600, Timeline: timecode.Timeline{Rate: timecode.Rate2997DF, Start: timecode.Timecode{Hours: 10}}}

// Value: frame 1800 of a drop-frame piece is labelled ;02 of the next minute (SMPTE ST 12-1, from memory).
func TestAMomentGetsItsFrameAndTimecode(t *testing.T) {
	place, err := film.Place(Anchor{Kind: Moment, At: film.Timeline.Rate.Begin(1800)})
	require.NoError(t, err)
	assert.Equal(t, Place{Frame: 1800, Label: "10:01:00;02"}, place)
	span, err := film.Place(Anchor{Kind: Span, At: 0, Until: film.Length})
	require.NoError(t, err)
	assert.EqualValues(t, 3599, span.UntilFrame, "the last frame, not one past it")
	assert.Equal(t, "10:02:00;03", span.UntilLabel)
}

func TestASoundIsCountedByTheClock(t *testing.T) {
	place, err := Piece{Length: 90_000_000}.Place(Anchor{Kind: Moment, At: 61_234_567})
	require.NoError(t, err)
	assert.Equal(t, Place{Label: "00:01:01.234"}, place)
}

func TestAnAnchorOutsideThePieceIsRefused(t *testing.T) {
	for _, a := range []Anchor{
		{Kind: Moment, At: film.Length + 1}, {Kind: Moment, At: -1}, {Kind: Span, At: 5, Until: 4}, {Kind: Span, At: 5, Until: film.Length + 1},
		{Kind: Spot, X: 10001}, {Kind: Spot, Y: -1}, {Kind: "sideways"},
	} {
		_, err := film.Place(a)
		assert.ErrorIs(t, err, ErrAnchor, "%+v", a)
	}
	_, err := Piece{}.Place(Anchor{Kind: Moment})
	assert.ErrorIs(t, err, ErrAnchor, "a picture has no moments")
	_, err = Piece{}.Place(Anchor{Kind: Spot, X: 5000, Y: 5000, Page: 2})
	assert.NoError(t, err)
}

func TestAFrameSurvivesTheWayThroughMicroseconds(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		frame := timecode.Frame(rapid.Int64Range(0, 3599).Draw(t, "frame"))
		place, err := film.Place(Anchor{Kind: Moment, At: film.Timeline.Rate.Begin(frame)})
		require.NoError(t, err)
		require.Equal(t, frame, place.Frame)
	})
}
