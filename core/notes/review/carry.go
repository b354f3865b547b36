package review

import (
	"fmt"
	"strings"

	"aftergust/core/media/align"
	"aftergust/core/time/timecode"
)

// How is by what it is known where a note lies on another version than its own.
type How string

// The ways. The zero How is a note on its own version.
const (
	AtHome   How = ""
	Followed How = "followed" // with its picture or sound, which is as it was
	Altered  How = "altered"  // with it, and it looks or sounds different now
	Moved    How = "moved"    // with it, to another place in the order
	Lost     How = "lost"     // it is gone; this is where it was
	Assumed  How = "assumed"  // nothing was compared: the same timecode
	ByHand   How = "by_hand"
	InPlace  How = "in_place" // it is at no time: on the same spot, or on the whole
)

// Hows are all ways.
func Hows() []How {
	return []How{AtHome, Followed, Altered, Moved, Lost, Assumed, ByHand, InPlace}
}

// Sure reports whether nobody needs to look whether a note lies right.
func (h How) Sure() bool { return h == AtHome || h == Followed || h == ByHand || h == InPlace }

// A Carried note lies on another version than the one it was written on.
type Carried struct {
	Anchor Anchor
	Place  Place
	How    How
	Shift  timecode.Micros // how much later it lies than on its own version; negative for earlier
	Says   string          // "carried, 3 s 15 f later"
}

// hop is how long one print of a sound is, in microseconds (align.Sound).
const hop = 20_000

// Carry lays a note that was written on one version on another one. m is what became of
// the one in the other; nil where that is not known, and then it lies at the same timecode.
// What lies behind the end comes to the end.
func Carry(a Anchor, from, to Piece, m *align.Map) Carried {
	c := Carried{Anchor: a, How: InPlace, Says: "carried, in the same place"}
	if a.When == AnyTime {
		return c
	}
	if to.Length <= 0 {
		c.Anchor.When, c.Anchor.At, c.Anchor.Until = AnyTime, 0, 0
		c.How, c.Says = Lost, "this version does not play: the note is about all of it"
		return c
	}
	c.How = Assumed
	if m == nil {
		c.Anchor.At, c.Anchor.Until = from.same(a.At, to), from.same(a.Until, to)
	} else {
		var until How
		c.Anchor.At, c.How = from.follow(a.At, to, *m)
		if a.When == Span {
			if c.Anchor.Until, until = from.follow(a.Until, to, *m); c.How == Followed && until != Followed {
				c.How = Altered
			}
			if c.Anchor.Until < c.Anchor.At { // its ends went different ways
				c.Anchor.Until = min(c.Anchor.At+a.Until-a.At, to.Length)
			}
		}
	}
	c.settle(a, to)
	return c
}

// Settled is a note that somebody laid by hand.
func Settled(a, by Anchor, to Piece) Carried {
	c := Carried{Anchor: by, How: ByHand}
	c.settle(a, to)
	return c
}

// settle works out frames and words of where the note lies now.
func (c *Carried) settle(a Anchor, to Piece) {
	if c.Anchor.When != Span {
		c.Anchor.Until = 0
	}
	c.Place, _ = to.Place(c.Anchor) // it lies within: that is how it was carried
	c.Shift = c.Anchor.At - a.At
	c.Says = c.How.says(to.apart(c.Shift), c.Shift < 0)
}

// same is the same timecode on another version, or the same moment of a sound.
func (p Piece) same(at timecode.Micros, to Piece) timecode.Micros {
	from, there := p.Timeline, to.Timeline
	if from.Rate.Num == 0 || there.Rate.Num == 0 || from.Rate != there.Rate {
		return min(at, to.Length)
	}
	was, err := from.Rate.Frame(from.Start)
	is, errThere := there.Rate.Frame(there.Start)
	if err != nil || errThere != nil {
		return min(at, to.Length)
	}
	f := from.Rate.NearestFrame(at) + was - is
	return to.within(f)
}

// within is the beginning of a frame, or of the nearest one that there is.
func (p Piece) within(f timecode.Frame) timecode.Micros {
	f = max(0, f)
	if p.Frames > 0 {
		f = min(f, p.Frames-1)
	}
	return p.Timeline.Rate.Begin(f)
}

var becomes = map[align.Kind]How{align.Same: Followed, align.Altered: Altered, align.Moved: Moved, align.Gone: Lost}

// follow is where a moment went.
func (p Piece) follow(at timecode.Micros, to Piece, m align.Map) (timecode.Micros, How) {
	if p.Timeline.Rate.Num == 0 || to.Timeline.Rate.Num == 0 {
		n, s := m.Find(timecode.Frame(at / hop))
		return min(timecode.Micros(n)*hop+at%hop, to.Length), becomes[s.Kind]
	}
	n, s := m.Find(p.Timeline.Rate.NearestFrame(at))
	return to.within(n), becomes[s.Kind]
}

// apart words a stretch of time: "3 s 15 f", or "1.2 s" of a sound.
func (p Piece) apart(by timecode.Micros) string {
	by = max(by, -by)
	if p.Timeline.Rate.Num == 0 {
		return fmt.Sprintf("%.1f s", float64(by)/1e6)
	}
	nominal := p.Timeline.Rate.Nominal()
	frames := int64(p.Timeline.Rate.NearestFrame(by))
	var parts []string
	if m := frames / nominal / 60; m > 0 {
		parts = append(parts, fmt.Sprintf("%d min", m))
	}
	if s := frames / nominal % 60; s > 0 {
		parts = append(parts, fmt.Sprintf("%d s", s))
	}
	if f := frames % nominal; f > 0 || len(parts) == 0 {
		parts = append(parts, fmt.Sprintf("%d f", f))
	}
	return strings.Join(parts, " ")
}

func (h How) says(by string, earlier bool) string {
	where := by + " later"
	switch {
	case by == "0 f" || by == "0.0 s":
		where = "exactly there"
	case earlier:
		where = by + " earlier"
	}
	switch h {
	case Followed:
		return "carried, " + where
	case Altered:
		return "carried, " + where + "; it is altered here: look"
	case Moved:
		return "carried with what was moved, " + where
	case Lost:
		return "what it was about is gone; this is where it was"
	case Assumed:
		return "carried to the same timecode: look"
	case ByHand:
		return "laid here by hand, " + where
	}
	return "carried, in the same place"
}
