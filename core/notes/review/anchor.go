// Package review holds what a note is tied to: a time and a place of one version,
// with strokes on it, or the version as a whole.
package review

import (
	"errors"
	"fmt"

	"aftergust/core/time/timecode"
)

// When is at which time of a version a note lies.
type When string

// The times. A note without one is about no time: a still, or the whole piece.
const (
	AnyTime When = ""
	Moment  When = "moment" // one frame, or one moment of a sound
	Span    When = "span"   // from in to out, both included
)

// Where is at which place of the picture a note lies.
type Where string

// The places. A note without one is about the whole picture.
const (
	AllOver Where = ""
	OnPage  Where = "page" // a page of a document as such
	Spot    Where = "spot" // a point of a picture or page
	Area    Where = "area" // a rectangle
)

// An Anchor is what a note is tied to: a time, a place, and strokes, in any
// combination; none of them is the version as a whole. Times are in microseconds
// from the first frame or sample; X, Y, W and H in ten-thousandths of the
// picture's width and height.
type Anchor struct {
	When    When            `json:"when,omitempty" enum:"moment,span" doc:"left out: at no particular time"`
	At      timecode.Micros `json:"at_us,omitempty" minimum:"0" doc:"microseconds from the first frame, for moment and span"`
	Until   timecode.Micros `json:"until_us,omitempty" minimum:"0" doc:"microseconds, for span"`
	Where   Where           `json:"where,omitempty" enum:"page,spot,area" doc:"left out: on no particular place"`
	Page    int             `json:"page,omitempty" minimum:"0" doc:"page of a document, from 1"`
	X       int             `json:"x,omitempty" minimum:"0" maximum:"10000" doc:"ten-thousandths of the width"`
	Y       int             `json:"y,omitempty" minimum:"0" maximum:"10000" doc:"ten-thousandths of the height"`
	W       int             `json:"w,omitempty" minimum:"0" maximum:"10000" doc:"for area: ten-thousandths of the width"`
	H       int             `json:"h,omitempty" minimum:"0" maximum:"10000" doc:"for area: ten-thousandths of the height"`
	Strokes []Stroke        `json:"strokes,omitempty" maxItems:"200" doc:"a sketch, in picture coordinates"`
}

// A Stroke is one line or shape of a sketch.
type Stroke struct {
	Tool   Tool     `json:"tool" enum:"pen,arrow,box,ellipse"`
	Colour int      `json:"colour" minimum:"0" maximum:"2" doc:"which of the three colours"`
	Points [][2]int `json:"points" maxItems:"2000" doc:"x and y in ten-thousandths; two of them for all tools but pen"`
}

// A Tool is what a stroke was drawn with.
type Tool string

// The tools.
const (
	Pen     Tool = "pen"
	Arrow   Tool = "arrow"
	Box     Tool = "box"
	Ellipse Tool = "ellipse"
)

// Bounds of an anchor.
const (
	side       = 10_000 // the whole width or height of a picture
	maxStrokes = 200
	maxPoints  = 2000 // of one stroke
	colours    = 3
)

// A Piece is what Place needs to know of a version.
type Piece struct {
	Length   timecode.Micros   // 0 where it does not play
	Frames   timecode.Frame    // 0 for a sound
	Timeline timecode.Timeline // with a zero Rate for a sound
}

// A Place is an anchor worked out on a version.
type Place struct {
	Frame      timecode.Frame `json:"frame" doc:"frame of the moment, counted from 0; the in point of a span"`
	UntilFrame timecode.Frame `json:"until_frame" doc:"last frame of a span"`
	Label      string         `json:"label" doc:"timecode of a film as its timeline shows it, clock time of a sound, empty otherwise"`
	UntilLabel string         `json:"until_label"`
}

// ErrAnchor is returned for an anchor that does not lie on the version.
var ErrAnchor = errors.New("the note does not lie on this piece")

// Place works out an anchor on a version: the nearest frame, and its label.
// It returns ErrAnchor where the anchor lies outside.
func (p Piece) Place(a Anchor) (Place, error) {
	if err := a.where(); err != nil {
		return Place{}, err
	}
	for i, s := range a.Strokes {
		if err := s.valid(); err != nil {
			return Place{}, fmt.Errorf("%w: stroke %d %w", ErrAnchor, i+1, err)
		}
	}
	if len(a.Strokes) > maxStrokes {
		return Place{}, fmt.Errorf("%w: a sketch has at most %d strokes", ErrAnchor, maxStrokes)
	}
	return p.when(a)
}

func inside(values ...int) bool {
	for _, v := range values {
		if v < 0 || v > side {
			return false
		}
	}
	return true
}

func (a Anchor) where() error {
	switch a.Where {
	case AllOver, OnPage, Spot, Area:
	default:
		return fmt.Errorf("%w: place %q", ErrAnchor, a.Where)
	}
	switch {
	case a.Page < 0 || a.Where == OnPage && a.Page == 0:
		return fmt.Errorf("%w: page %d", ErrAnchor, a.Page)
	case !inside(a.X, a.Y, a.W, a.H):
		return fmt.Errorf("%w: spot %d, %d", ErrAnchor, a.X, a.Y)
	case a.Where == Area && (a.W == 0 || a.H == 0 || a.X+a.W > side || a.Y+a.H > side):
		return fmt.Errorf("%w: an area has a width and a height and lies within the picture", ErrAnchor)
	case a.Where != Area && (a.W != 0 || a.H != 0), a.Where != Area && a.Where != Spot && (a.X != 0 || a.Y != 0):
		return fmt.Errorf("%w: it names a place and says there is none", ErrAnchor)
	}
	return nil
}

func (s Stroke) valid() error {
	few, many := 2, 2
	switch s.Tool {
	case Pen:
		few, many = 1, maxPoints
	case Arrow, Box, Ellipse:
	default:
		return fmt.Errorf("is drawn with %q", s.Tool)
	}
	if len(s.Points) < few || len(s.Points) > many {
		return fmt.Errorf("has %d points", len(s.Points))
	}
	if s.Colour < 0 || s.Colour >= colours {
		return fmt.Errorf("has colour %d", s.Colour)
	}
	for _, p := range s.Points {
		if !inside(p[0], p[1]) {
			return fmt.Errorf("leaves the picture at %d, %d", p[0], p[1])
		}
	}
	return nil
}

func (p Piece) when(a Anchor) (Place, error) {
	switch a.When {
	case AnyTime:
		if a.At != 0 || a.Until != 0 {
			return Place{}, fmt.Errorf("%w: it names a time and says there is none", ErrAnchor)
		}
		return Place{}, nil
	case Moment, Span:
	default:
		return Place{}, fmt.Errorf("%w: time %q", ErrAnchor, a.When)
	}
	if p.Length <= 0 {
		return Place{}, fmt.Errorf("%w: it does not play", ErrAnchor)
	}
	if a.At < 0 || a.At > p.Length {
		return Place{}, fmt.Errorf("%w: it ends at %s", ErrAnchor, Clock(p.Length))
	}
	if a.When == Span && (a.Until < a.At || a.Until > p.Length) {
		return Place{}, fmt.Errorf("%w: a span runs forward and within %s", ErrAnchor, Clock(p.Length))
	}
	frame, label := p.at(a.At)
	place := Place{Frame: frame, Label: label}
	if a.When == Span {
		place.UntilFrame, place.UntilLabel = p.at(a.Until)
	}
	return place, nil
}

// at is the frame that shows at a moment, and its label; the frame is 0 for a sound.
func (p Piece) at(at timecode.Micros) (timecode.Frame, string) {
	if p.Timeline.Rate.Num == 0 {
		return 0, Clock(at)
	}
	f := p.Timeline.Rate.NearestFrame(at)
	if p.Frames > 0 {
		f = min(f, p.Frames-1)
	}
	return f, p.Timeline.Label(f)
}

// Clock words a moment of a sound as HH:MM:SS.mmm.
func Clock(at timecode.Micros) string {
	ms := int64(at) / 1000
	return fmt.Sprintf("%02d:%02d:%02d.%03d", ms/3_600_000, ms/60_000%60, ms/1000%60, ms%1000)
}
