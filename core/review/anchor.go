// Package review holds what a note is tied to: a moment, a span or a spot of
// one version, or the version as a whole.
package review

import (
	"errors"
	"fmt"

	"aftergust/core/timecode"
)

// An AnchorKind is how a note is tied to a version.
type AnchorKind string

// The kinds of anchor.
const (
	Whole  AnchorKind = "whole"  // the version as such
	Moment AnchorKind = "moment" // one frame, or one moment of a sound
	Span   AnchorKind = "span"   // from in to out, both included
	Spot   AnchorKind = "spot"   // a place on a picture or a page
)

// An Anchor is the place of a note. Times are in microseconds from the first
// frame or sample; X and Y in ten-thousandths of the picture's width and height.
type Anchor struct {
	Kind  AnchorKind      `json:"kind" enum:"whole,moment,span,spot"`
	At    timecode.Micros `json:"at_us,omitempty" minimum:"0" doc:"microseconds from the first frame, for moment and span"`
	Until timecode.Micros `json:"until_us,omitempty" minimum:"0" doc:"microseconds, for span"`
	Page  int             `json:"page,omitempty" minimum:"0" doc:"page of a document, from 1"`
	X     int             `json:"x,omitempty" minimum:"0" maximum:"10000"`
	Y     int             `json:"y,omitempty" minimum:"0" maximum:"10000"`
}

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
	switch a.Kind {
	case Whole:
		return Place{}, nil
	case Spot:
		if a.X < 0 || a.X > 10000 || a.Y < 0 || a.Y > 10000 || a.Page < 0 {
			return Place{}, fmt.Errorf("%w: spot %d, %d", ErrAnchor, a.X, a.Y)
		}
		return Place{}, nil
	case Moment, Span:
	default:
		return Place{}, fmt.Errorf("%w: kind %q", ErrAnchor, a.Kind)
	}
	if p.Length <= 0 {
		return Place{}, fmt.Errorf("%w: it does not play", ErrAnchor)
	}
	if a.At < 0 || a.At > p.Length {
		return Place{}, fmt.Errorf("%w: it ends at %s", ErrAnchor, Clock(p.Length))
	}
	if a.Kind == Span && (a.Until < a.At || a.Until > p.Length) {
		return Place{}, fmt.Errorf("%w: a span runs forward and within %s", ErrAnchor, Clock(p.Length))
	}
	place := Place{Label: Clock(a.At)}
	if a.Kind == Span {
		place.UntilLabel = Clock(a.Until)
	}
	if p.Timeline.Rate.Num == 0 {
		return place, nil
	}
	frame := func(at timecode.Micros) timecode.Frame {
		f := p.Timeline.Rate.NearestFrame(at)
		if p.Frames > 0 {
			f = min(f, p.Frames-1)
		}
		return f
	}
	place.Frame = frame(a.At)
	place.Label = p.Timeline.Label(place.Frame)
	if a.Kind == Span {
		place.UntilFrame = frame(a.Until)
		place.UntilLabel = p.Timeline.Label(place.UntilFrame)
	}
	return place, nil
}

// Clock words a moment of a sound as HH:MM:SS.mmm.
func Clock(at timecode.Micros) string {
	ms := int64(at) / 1000
	return fmt.Sprintf("%02d:%02d:%02d.%03d", ms/3_600_000, ms/60_000%60, ms/1000%60, ms%1000)
}
