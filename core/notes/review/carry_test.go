package review_test

import (
	"testing"

	"aftergust/core/media/align"
	. "aftergust/core/notes/review"
	"aftergust/core/time/timecode"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

func piece(rate timecode.Rate, start timecode.Timecode, frames timecode.Frame) Piece {
	return Piece{Length: rate.Begin(frames), Frames: frames, Timeline: timecode.Timeline{Rate: rate, Start: start}}
}

var ten = timecode.Timecode{Hours: 10}

func moment(frame timecode.Frame) Anchor {
	return Anchor{When: Moment, At: timecode.Rate25.Begin(frame)}
}

func TestANoteFollowsWhatItIsAbout(t *testing.T) {
	old, now := piece(timecode.Rate25, ten, 1000), piece(timecode.Rate25, ten, 1000)
	m := align.Map{Frames: 1000, OldFrames: 1000, Stretches: []align.Stretch{
		{Kind: align.Same, From: 0, To: 100, Old: 0, OldEnd: 100}, {Kind: align.New, From: 100, To: 190, Old: 100, OldEnd: 100},
		{Kind: align.Altered, From: 190, To: 490, Old: 100, OldEnd: 400}, {Kind: align.Gone, From: 490, To: 490, Old: 400, OldEnd: 490},
		{Kind: align.Moved, From: 490, To: 590, Old: 900, OldEnd: 1000}, {Kind: align.Same, From: 590, To: 1000, Old: 490, OldEnd: 900}}}
	for frame, want := range map[timecode.Frame]struct {
		to   timecode.Frame
		how  How
		says string
	}{
		50:  {50, Followed, "carried, exactly there"},
		100: {190, Altered, "carried, 3 s 15 f later; it is altered here: look"},
		450: {490, Lost, "what it was about is gone; this is where it was"},
		500: {600, Followed, "carried, 4 s later"},
		950: {540, Moved, "carried with what was moved, 16 s 10 f earlier"},
	} {
		c := Carry(moment(frame), old, now, &m)
		assert.Equal(t, want.to, c.Place.Frame, "frame %d", frame)
		assert.Equal(t, want.how, c.How, "frame %d", frame)
		assert.Equal(t, want.says, c.Says, "frame %d", frame)
		assert.Equal(t, want.how == Followed, c.How.Sure())
	}
	assert.Equal(t, "10:00:24:00", Carry(moment(500), old, now, &m).Place.Label)
	span := Carry(Anchor{When: Span, At: timecode.Rate25.Begin(80), Until: timecode.Rate25.Begin(120), Where: Spot, X: 5, Y: 6}, old, now, &m)
	assert.Equal(t, []timecode.Frame{80, 210}, []timecode.Frame{span.Place.Frame, span.Place.UntilFrame})
	assert.Equal(t, []any{Altered, 5}, []any{span.How, span.Anchor.X})
	apart := Carry(Anchor{When: Span, At: timecode.Rate25.Begin(890), Until: timecode.Rate25.Begin(910)}, old, now, &m)
	assert.Equal(t, timecode.Rate25.Begin(10), apart.Anchor.Until-apart.Anchor.At, "a span whose ends parted keeps its length, as far as the piece goes")
}

func TestWithoutAComparisonANoteLiesAtTheSameTimecode(t *testing.T) {
	old := piece(timecode.Rate25, ten, 1000)
	later := piece(timecode.Rate25, timecode.Timecode{Hours: 9, Minutes: 59, Seconds: 58}, 400)
	c := Carry(moment(100), old, later, nil)
	assert.Equal(t, []any{timecode.Frame(150), "10:00:04:00", Assumed}, []any{c.Place.Frame, c.Place.Label, c.How})
	assert.EqualValues(t, 399, Carry(moment(900), old, later, nil).Place.Frame, "behind the end it comes to the end")
	slow := piece(timecode.Rate24, ten, 1000)
	assert.EqualValues(t, 96, Carry(moment(100), old, slow, nil).Place.Frame, "at another rate, the same moment")
	still := Carry(Anchor{Where: Area, X: 1, Y: 2, W: 3, H: 4}, Piece{}, Piece{}, nil)
	assert.Equal(t, InPlace, still.How)
	assert.Equal(t, AnyTime, Carry(moment(100), old, Piece{}, nil).Anchor.When)
}

func TestASoundIsFollowedToTheThousandth(t *testing.T) {
	old, now := Piece{Length: 60_000_000}, Piece{Length: 55_000_000}
	m := align.Map{Frames: 2750, OldFrames: 3000, Stretches: []align.Stretch{{Kind: align.Gone, OldEnd: 250},
		{Kind: align.Same, To: 2750, Old: 250, OldEnd: 3000}}}
	c := Carry(Anchor{When: Moment, At: 22_013_000}, old, now, &m)
	assert.Equal(t, []any{timecode.Micros(17_013_000), "carried, 5.0 s earlier"}, []any{c.Anchor.At, c.Says})
	byHand := Settled(Anchor{When: Moment, At: 22_013_000}, Anchor{When: Moment, At: 22_013_000}, now)
	assert.Equal(t, []any{ByHand, "laid here by hand, exactly there"}, []any{byHand.How, byHand.Says})
}

// Whatever the versions are, a carried note lies on the one that it is carried to.
func TestACarriedNoteLiesOnThePiece(t *testing.T) {
	rates := []timecode.Rate{timecode.Rate23976, timecode.Rate25, timecode.Rate2997DF, timecode.Rate50, timecode.Rate5994DF}
	rapid.Check(t, func(t *rapid.T) {
		draw := func(name string) Piece {
			return piece(rapid.SampledFrom(rates).Draw(t, name), timecode.Timecode{Hours: rapid.Int64Range(0, 23).Draw(t, name+" hour"), Minutes: 59},
				timecode.Frame(rapid.Int64Range(1, 5000).Draw(t, name+" frames")))
		}
		old, now := draw("old"), draw("new")
		at := timecode.Frame(rapid.Int64Range(0, int64(old.Frames)-1).Draw(t, "at"))
		until := timecode.Frame(rapid.Int64Range(int64(at), int64(old.Frames)-1).Draw(t, "until"))
		a := Anchor{When: Span, At: old.Timeline.Rate.Begin(at), Until: old.Timeline.Rate.Begin(until)}
		var m *align.Map
		if rapid.Bool().Draw(t, "compared") {
			cut := timecode.Frame(rapid.Int64Range(0, int64(min(old.Frames, now.Frames))).Draw(t, "cut"))
			m = &align.Map{Frames: now.Frames, OldFrames: old.Frames, Stretches: []align.Stretch{{Kind: align.Same, To: cut, OldEnd: cut},
				{Kind: align.Gone, From: cut, To: cut, Old: cut, OldEnd: old.Frames}}}
		}
		c := Carry(a, old, now, m)
		_, err := now.Place(c.Anchor)
		assert.NoError(t, err)
		assert.Contains(t, Hows(), c.How)
		assert.NotEmpty(t, c.Says)
	})
}
