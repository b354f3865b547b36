package review_test

import (
	"testing"

	. "aftergust/core/notes/review"
	"aftergust/core/time/timecode"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

var film = Piece{Length: 120_120_000, Frames: 3600, Timeline: timecode.Timeline{Rate: timecode.Rate2997DF,
	Start: timecode.Timecode{Hours: 10}}}

// Value: frame 1800 of a drop-frame piece is labelled ;02 of the next minute (SMPTE ST 12-1, from memory).
func TestAMomentGetsItsFrameAndTimecode(t *testing.T) {
	place, err := film.Place(Anchor{When: Moment, At: film.Timeline.Rate.Begin(1800)})
	require.NoError(t, err)
	assert.Equal(t, Place{Frame: 1800, Label: "10:01:00;02"}, place)
	span, err := film.Place(Anchor{When: Span, At: 0, Until: film.Length})
	require.NoError(t, err)
	assert.EqualValues(t, 3599, span.UntilFrame, "the last frame, not one past it")
	assert.Equal(t, "10:02:00;03", span.UntilLabel)
}

func TestASoundIsCountedByTheClock(t *testing.T) {
	place, err := Piece{Length: 90_000_000}.Place(Anchor{When: Moment, At: 61_234_567})
	require.NoError(t, err)
	assert.Equal(t, Place{Label: "00:01:01.234"}, place)
}

func TestAnAnchorOutsideThePieceIsRefused(t *testing.T) {
	for _, a := range []Anchor{
		{When: Moment, At: film.Length + 1}, {When: Moment, At: -1}, {When: Span, At: 5, Until: 4}, {When: Span, At: 5, Until: film.Length + 1},
		{Where: Spot, X: 10001}, {Where: Spot, Y: -1}, {When: "sideways"}, {Where: "beside"}, {At: 5}, {X: 5}, {Where: Spot, W: 5},
		{Where: OnPage}, {Where: Spot, Page: -1},
		{Where: Area, X: 1, Y: 1}, {Where: Area, X: 5000, Y: 0, W: 5001, H: 1}, {Where: Area, X: 0, Y: 5000, W: 1, H: 5001}, {Where: Area, W: 1},
		{Where: Area, H: 1},
	} {
		_, err := film.Place(a)
		assert.ErrorIs(t, err, ErrAnchor, "%+v", a)
	}
	_, err := Piece{}.Place(Anchor{When: Moment})
	assert.ErrorIs(t, err, ErrAnchor, "a picture has no moments")
	_, err = Piece{}.Place(Anchor{Where: Spot, X: 5000, Y: 5000, Page: 2})
	assert.NoError(t, err)
}

func TestAFrameSurvivesTheWayThroughMicroseconds(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		frame := timecode.Frame(rapid.Int64Range(0, 3599).Draw(t, "frame"))
		place, err := film.Place(Anchor{When: Moment, At: film.Timeline.Rate.Begin(frame)})
		require.NoError(t, err)
		require.Equal(t, frame, place.Frame)
	})
}

func TestTimePlaceAndStrokesCombine(t *testing.T) {
	pen := Stroke{Tool: Pen, Colour: 2, Points: [][2]int{{0, 10000}, {10000, 0}, {3, 4}}}
	box := Stroke{Tool: Box, Points: [][2]int{{0, 0}, {10000, 10000}}}
	for _, when := range []Anchor{{}, {When: Moment, At: 40_000}, {When: Span, At: 0, Until: film.Length}} {
		for _, where := range []Anchor{{}, {Where: OnPage, Page: 3}, {Where: Spot, X: 10000, Y: 10000}, {Where: Area, X: 5000, Y: 5000, W: 5000,
			H: 5000}} {
			for _, strokes := range [][]Stroke{nil, {pen}, {pen, box}} {
				a := where
				a.When, a.At, a.Until, a.Strokes = when.When, when.At, when.Until, strokes
				place, err := film.Place(a)
				require.NoError(t, err, "%+v", a)
				assert.Equal(t, when.When != AnyTime, place.Label != "", "%+v", a)
				assert.Equal(t, when.When == Span, place.UntilLabel != "", "%+v", a)
			}
		}
	}
}

func TestAStrokeThatIsNoneIsRefused(t *testing.T) {
	two := [][2]int{{1, 1}, {2, 2}}
	many := make([][2]int, 2001)
	for _, s := range []Stroke{
		{Tool: "brush", Points: two}, {Tool: Pen}, {Tool: Pen, Points: many}, {Tool: Box, Points: two[:1]},
		{Tool: Arrow, Points: append(two, two...)},
		{Tool: Ellipse, Points: [][2]int{{1, 1}, {10001, 1}}}, {Tool: Pen, Points: [][2]int{{0, -1}}}, {Tool: Pen, Points: two, Colour: 3},
		{Tool: Pen, Points: two, Colour: -1},
	} {
		_, err := film.Place(Anchor{Strokes: []Stroke{s}})
		assert.ErrorIs(t, err, ErrAnchor, "%+v", s)
	}
	_, err := film.Place(Anchor{Strokes: []Stroke{{Tool: Pen, Points: many[:2000]}, {Tool: Pen, Points: two[:1]}}})
	assert.NoError(t, err)
	full := make([]Stroke, 201)
	for i := range full {
		full[i] = Stroke{Tool: Pen, Points: two}
	}
	_, err = film.Place(Anchor{Strokes: full})
	assert.ErrorIs(t, err, ErrAnchor)
	_, err = film.Place(Anchor{Strokes: full[:200]})
	assert.NoError(t, err)
}

func TestTheEndOfAPieceIsStillOnIt(t *testing.T) {
	for _, a := range []Anchor{{When: Moment, At: film.Length}, {When: Span, At: film.Length, Until: film.Length}} {
		place, err := film.Place(a)
		require.NoError(t, err)
		assert.EqualValues(t, 3599, place.Frame)
	}
}
