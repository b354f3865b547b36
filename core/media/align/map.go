package align

import (
	"cmp"
	"slices"

	"aftergust/core/time/timecode"
)

// kept reports whether a stretch comes from the older version.
func (s Stretch) kept() bool { return s.Kind != New && s.Kind != Gone }

// now and was lead from a frame of the one version to that of the other, within a stretch
// and at its ends. Its lengths differ where the rates of the versions do.
func (s Stretch) now(old timecode.Frame) timecode.Frame {
	return s.From + share(old-s.Old, s.To-s.From, s.OldEnd-s.Old)
}

func (s Stretch) was(now timecode.Frame) timecode.Frame {
	return s.Old + share(now-s.From, s.OldEnd-s.Old, s.To-s.From)
}

// share is n × of / in, to the nearest.
func share(n, of, in timecode.Frame) timecode.Frame {
	if of == in || in == 0 {
		return n
	}
	return (n*of + in/2) / in
}

// finish says what moved, where new stretches were put in, and what is gone.
func (m *Map) finish() {
	m.order()
	at := timecode.Frame(0)
	for i := range m.Stretches {
		s := &m.Stretches[i]
		if s.Kind == New {
			s.Old, s.OldEnd = at, at
		} else if s.Kind != Moved {
			at = s.OldEnd
		}
	}
	m.gone()
}

// mostOrdered bounds the stretches among which order is looked for.
const mostOrdered = 4000

// order finds what stayed in its order: the chain of stretches with most frames whose old
// frames go forward. What is not in it was moved.
func (m *Map) order() {
	var kept []int
	for i, s := range m.Stretches {
		if s.kept() {
			kept = append(kept, i)
		}
	}
	if len(kept) > mostOrdered {
		return
	}
	length, before := make([]timecode.Frame, len(kept)), make([]int, len(kept))
	last := -1
	for i, k := range kept {
		before[i] = -1
		for j := range i {
			if m.Stretches[kept[j]].OldEnd <= m.Stretches[k].Old && length[j] > length[i] {
				length[i], before[i] = length[j], j
			}
		}
		length[i] += m.Stretches[k].Len()
		if last < 0 || length[i] > length[last] {
			last = i
		}
	}
	stays := map[int]bool{}
	for ; last >= 0; last = before[last] {
		stays[kept[last]] = true
	}
	for _, k := range kept {
		if !stays[k] {
			m.Stretches[k].Kind = Moved
		}
	}
}

// gone adds what of the older version is nowhere in the newer one.
func (m *Map) gone() {
	var kept []Stretch
	for _, s := range m.Stretches {
		if s.kept() {
			kept = append(kept, s)
		}
	}
	slices.SortFunc(kept, func(a, b Stretch) int { return cmp.Compare(a.Old, b.Old) })
	at := timecode.Frame(0)
	missing := func(to timecode.Frame) {
		if to-at >= leastGone {
			where := m.after(at)
			m.Stretches = append(m.Stretches, Stretch{Kind: Gone, From: where, To: where, Old: at, OldEnd: to})
		}
	}
	for _, s := range kept {
		missing(s.Old)
		at = max(at, s.OldEnd)
	}
	missing(m.OldFrames)
	slices.SortStableFunc(m.Stretches, func(a, b Stretch) int {
		return cmp.Or(cmp.Compare(a.From, b.From), cmp.Compare(a.To, b.To), cmp.Compare(a.Old, b.Old))
	})
}

// stayed is how many of the older frames from one to another stayed in their order.
func (m *Map) stayed(from, to timecode.Frame) (n timecode.Frame) {
	for _, s := range m.Stretches {
		if s.kept() && s.Kind != Moved {
			n += max(0, min(to, s.OldEnd)-max(from, s.Old))
		}
	}
	return n
}

// after is the newer frame at which the older one would come that stood before the frame old.
func (m *Map) after(old timecode.Frame) timecode.Frame {
	at := timecode.Frame(0)
	for _, s := range m.Stretches {
		if s.kept() && s.Kind != Moved && s.OldEnd <= old {
			at = max(at, s.To)
		}
	}
	return at
}

// Find is where an older frame is in the newer version, and in which stretch; for one that
// is gone it is where it was, in the stretch that is gone.
func (m Map) Find(old timecode.Frame) (timecode.Frame, Stretch) {
	var found *Stretch
	for i := range m.Stretches {
		s := &m.Stretches[i]
		if s.Kind != New && s.Old <= old && old < s.OldEnd && (found == nil || found.Kind == Moved || found.Kind == Gone) {
			found = s
		}
	}
	last := max(0, m.Frames-1)
	if found == nil { // a frame or two that are no edit, or behind the end
		return min(m.after(old), last), Stretch{Kind: Gone, Old: old, OldEnd: old + 1}
	}
	if found.Kind == Gone {
		return min(found.From, last), *found
	}
	return min(found.now(old), last), *found
}

// Before is where a newer frame was in the older version; ok is false for what is new.
func (m Map) Before(now timecode.Frame) (old timecode.Frame, ok bool) {
	for _, s := range m.Stretches {
		if s.From <= now && now < s.To {
			if s.kept() {
				return s.was(now), true
			}
			return s.Old, false
		}
	}
	return 0, false
}

// Then is what became of the older version of m in the newer version of next, whose older
// one is the newer one of m.
func (m Map) Then(next Map) Map {
	out := Map{Frames: next.Frames, OldFrames: m.OldFrames}
	for _, b := range next.Stretches {
		switch b.Kind {
		case Gone:
			continue
		case New:
			out.Stretches = append(out.Stretches, Stretch{Kind: New, From: b.From, To: b.To})
			continue
		}
		for _, a := range m.Stretches {
			from, to := max(a.From, b.Old), min(a.To, b.OldEnd)
			if from >= to {
				continue
			}
			s := Stretch{Kind: New, From: b.now(from), To: b.now(to)}
			if a.kept() {
				s.Kind, s.Old, s.OldEnd = Same, a.was(from), a.was(to)
				if a.Kind == Altered || b.Kind == Altered {
					s.Kind = Altered
					s.Sound = (a.Kind != Altered || a.Sound) && (b.Kind != Altered || b.Sound)
				}
			}
			out.Stretches = append(out.Stretches, s)
		}
	}
	out.Stretches = joined(out.Stretches)
	out.finish()
	return out
}

// joined puts stretches together that go on in each other.
func joined(in []Stretch) (out []Stretch) {
	for _, s := range in {
		if n := len(out) - 1; n >= 0 && out[n].Kind == s.Kind && out[n].Sound == s.Sound && out[n].To == s.From &&
			(s.Kind == New || out[n].OldEnd == s.Old) {
			out[n].To, out[n].OldEnd = s.To, s.OldEnd
			continue
		}
		out = append(out, s)
	}
	return out
}

// Sums are how many frames became what.
func (m Map) Sums() map[Kind]timecode.Frame {
	out := map[Kind]timecode.Frame{}
	for _, s := range m.Stretches {
		out[s.Kind] += s.Len()
	}
	return out
}
