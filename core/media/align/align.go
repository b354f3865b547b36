// Package align finds what became of each stretch of a film or sound in its next
// version: what stayed, was altered, moved, is new, is gone. It compares small
// signatures, one for each frame, and needs neither picture nor sound.
package align

import (
	"cmp"
	"maps"
	"math/bits"
	"slices"

	"aftergust/core/time/timecode"
)

// A Print is the signature of one frame of a film, or of one hop of a sound: what is
// left of a picture at 9 × 8 pixels, and how loud it is.
type Print struct {
	Across  uint64 // whether each of 8 × 8 pixels is lighter than the one to its right
	Down    uint64 // whether each of 9 × 7 pixels is lighter than the one below it
	Y, U, V uint8  // mean colour
	Level   uint8  // loudness, in half decibels above −100 dBFS; 0 for silence
}

// distance is in how many of 127 comparisons two prints differ.
func (p Print) distance(q Print) int {
	return bits.OnesCount64(p.Across^q.Across) + bits.OnesCount64(p.Down^q.Down)
}

// cost is what it costs to take two prints for the same moment. Colour counts for little:
// a grade changes it, and another picture changes more.
func (p Print) cost(q Print) int { return max(0, p.distance(q)-noise) + min(p.shade(q)/4, mostShade) }

// shade is how far two prints are apart in colour, 0 to 765.
func (p Print) shade(q Print) int {
	return apart(p.Y, q.Y) + apart(p.U, q.U) + apart(p.V, q.V)
}

func apart(a, b uint8) int {
	if a > b {
		return int(a - b)
	}
	return int(b - a)
}

// A Kind is what became of a stretch.
type Kind string

// The kinds.
const (
	Same    Kind = "same"
	Altered Kind = "altered" // the same moment, seen or heard differently
	Moved   Kind = "moved"   // the same, at another place in the order
	New     Kind = "new"
	Gone    Kind = "gone"
)

// A Stretch is a run of frames of which the same became. For a new one Old and OldEnd are
// where it was put in; for one that is gone From and To are where it was.
type Stretch struct {
	Kind   Kind           `json:"kind" enum:"same,altered,moved,new,gone"`
	From   timecode.Frame `json:"from" doc:"first frame in the newer version"`
	To     timecode.Frame `json:"to" doc:"frame after the last one"`
	Old    timecode.Frame `json:"old" doc:"first frame in the older version"`
	OldEnd timecode.Frame `json:"old_end" doc:"frame after the last one"`
	Sound  bool           `json:"sound,omitempty" doc:"what was altered is heard and not seen"`
}

// Len is its number of frames, in whichever version it is.
func (s Stretch) Len() timecode.Frame { return max(s.To-s.From, s.OldEnd-s.Old) }

// A Map is what became of an older version in a newer one: the stretches of the newer one
// in order, without a gap, and those that are gone.
type Map struct {
	Stretches []Stretch      `json:"stretches"`
	Frames    timecode.Frame `json:"frames" doc:"of the newer version"`
	OldFrames timecode.Frame `json:"old_frames"`
}

// Costs of the path through a film, in differing comparisons of one frame: chosen on
// films with known edits (TestKnownEditsAreFound).
const (
	costNew   = 22  // for a frame that comes from nowhere: what differs more is nothing of the old
	costTurn  = 240 // for going on elsewhere: a stretch must be worth it
	noise     = 4   // differing comparisons that another encoder leaves: no reason to go elsewhere
	mostShade = 12  // at most so much for another colour
	leastGone = 3   // frames; what is less is no edit
	mostMoved = 9.0 // what was put elsewhere shows as before; what resembles something else is new
	mostAgain = 1.5 // what is shown once more shows exactly as before

	bandBits     = 16 // frames are found by a quarter of what compares them across
	bands        = 4
	mostInBand   = 48 // frames with the same quarter that are looked at
	nearBy       = 4  // and on each side of where one would be by a shift that was good before
	block        = 24 // frames whose votes are counted together
	bestOfBlock  = 4
	mostShifts   = 256
	mostOfMemory = 48 << 20 // steps of the path that are held
)

// A Film is a version as it is compared: its prints, so many a second.
type Film struct {
	Rate   timecode.Rate
	Prints []Print
}

// Compare finds what became of an older version in a newer one. Where their rates differ
// frames are compared that show at the same time.
func Compare(old, now Film) Map {
	same := old.Rate.Num*now.Rate.Den == now.Rate.Num*old.Rate.Den
	prints := old.Prints
	if !same {
		prints = resampled(old, now.Rate)
	}
	m := align(prints, now.Prints)
	if !same {
		back := func(f timecode.Frame) timecode.Frame {
			return min(old.Rate.NearestFrame(now.Rate.Begin(f)), timecode.Frame(len(old.Prints)))
		}
		for i := range m.Stretches {
			s := &m.Stretches[i]
			s.Old, s.OldEnd = back(s.Old), back(s.OldEnd)
		}
		m.OldFrames = timecode.Frame(len(old.Prints))
	}
	return m
}

func resampled(f Film, rate timecode.Rate) []Print {
	n := int(rate.NearestFrame(f.Rate.Begin(timecode.Frame(len(f.Prints)))))
	out := make([]Print, n)
	for i := range out {
		out[i] = f.Prints[min(int(f.Rate.NearestFrame(rate.Begin(timecode.Frame(i)))), len(f.Prints)-1)]
	}
	return out
}

func align(old, now []Print) Map {
	m := Map{Frames: timecode.Frame(len(now)), OldFrames: timecode.Frame(len(old))}
	shifts := candidates(old, now)
	m.Stretches = alterations(old, now, runs(walk(old, now, shifts), shifts))
	m.order()
	for i := range m.Stretches {
		s := &m.Stretches[i]
		if s.Kind != Moved {
			continue
		}
		most := mostMoved
		if 2*m.stayed(s.Old, s.OldEnd) > s.Len() {
			most = mostAgain
		}
		if misfit(old, now, *s) > most {
			*s = Stretch{Kind: New, From: s.From, To: s.To}
		}
	}
	m.Stretches = joined(m.Stretches)
	m.finish()
	return m
}

// misfit is what a stretch costs, on the average of its frames.
func misfit(old, now []Print, s Stretch) float64 {
	sum := 0
	for f := s.From; f < s.To; f++ {
		sum += now[f].cost(old[min(max(0, s.was(f)), timecode.Frame(len(old)-1))])
	}
	return float64(sum) / float64(max(1, s.To-s.From))
}

// candidates are the shifts (old frame less new frame) for which most speaks, in each
// neighbourhood and in all.
func candidates(old, now []Print) []int {
	index := map[uint32][]int32{}
	key := func(p Print, band int) uint32 {
		return uint32(band)<<bandBits | uint32(p.Across>>(band*bandBits))&(1<<bandBits-1)
	}
	for i, p := range old {
		for band := range bands {
			k := key(p, band)
			index[k] = append(index[k], int32(i))
		}
	}
	total := map[int]int{}
	last := []int{0}
	for from := 0; from < len(now); from += block {
		votes := map[int]int{}
		vote := func(i, j int) {
			if d := now[i].cost(old[j]); d < costNew {
				votes[j-i] += costNew - d
			}
		}
		for i := from; i < min(from+block, len(now)); i++ {
			for _, shift := range last {
				for j := max(0, i+shift-nearBy); j <= min(i+shift+nearBy, len(old)-1); j++ {
					vote(i, j)
				}
			}
			for band := range bands {
				at := index[key(now[i], band)]
				step := max(1, len(at)/mostInBand)
				for j := 0; j < len(at); j += step {
					vote(i, int(at[j]))
				}
			}
		}
		if top := best(votes, bestOfBlock); len(top) > 0 {
			last = top
			for _, shift := range top {
				total[shift] += votes[shift]
			}
		}
	}
	shifts := best(total, max(4, min(mostShifts, mostOfMemory/max(1, len(now)))))
	if !slices.Contains(shifts, 0) {
		shifts = append(shifts, 0)
	}
	return shifts
}

// best are the n shifts with most votes; of equal ones the smaller move.
func best(votes map[int]int, n int) []int {
	all := slices.Collect(maps.Keys(votes))
	slices.SortFunc(all, func(a, b int) int {
		return cmp.Or(cmp.Compare(votes[b], votes[a]), cmp.Compare(max(a, -a), max(b, -b)), cmp.Compare(a, b))
	})
	return all[:min(n, len(all))]
}

// walk finds for each new frame by which of the shifts it comes from an old one, or that
// it is new (len(shifts)): the cheapest way through all of them (Viterbi).
func walk(old, now []Print, shifts []int) []int {
	n := len(shifts) + 1
	cost, came := make([]int, n), make([]uint16, len(now)*n)
	for i, p := range now {
		cheapest := 0
		for s := range cost {
			if cost[s] < cost[cheapest] {
				cheapest = s
			}
		}
		turned := cost[cheapest] + costTurn
		for s := range cost {
			from := s
			if i > 0 && turned < cost[s] {
				cost[s], from = turned, cheapest
			}
			came[i*n+s] = uint16(from)
			switch {
			case s == len(shifts):
				cost[s] += costNew
			case i+shifts[s] < 0 || i+shifts[s] >= len(old):
				cost[s] += 2 * costNew // the old one has no such frame
			default:
				cost[s] += p.cost(old[i+shifts[s]])
			}
		}
	}
	path := make([]int, len(now))
	at := 0
	for s := range cost {
		if cost[s] < cost[at] {
			at = s
		}
	}
	for i := len(now) - 1; i >= 0; i-- {
		path[i] = at
		at = int(came[i*n+at])
	}
	return path
}

// runs are the stretches of a path: the same, or new.
func runs(path, shifts []int) (out []Stretch) {
	for i := 0; i < len(path); {
		j := i
		for j < len(path) && path[j] == path[i] {
			j++
		}
		s := Stretch{Kind: New, From: timecode.Frame(i), To: timecode.Frame(j)}
		if path[i] < len(shifts) {
			s.Kind, s.Old, s.OldEnd = Same, timecode.Frame(i+shifts[path[i]]), timecode.Frame(j+shifts[path[i]])
		}
		out = append(out, s)
		i = j
	}
	return out
}

// What two frames that show the same moment may differ by when nothing was done but to
// encode them again.
const (
	leastPicture = 16 // comparisons of 127
	leastShade   = 14 // of 765
	leastSound   = 8  // half decibels
	leastQuiet   = 60 // −70 dBFS; what is softer in both is silence
	leastAltered = 12 // frames: what is shorter is no grade and no mix
)

// alterations parts the stretches that are the same where they are seen or heard
// differently.
func alterations(old, now []Print, in []Stretch) (out []Stretch) {
	const asWas, seen, heard = 0, 1, 2
	for _, s := range in {
		if s.Kind != Same {
			out = append(out, s)
			continue
		}
		marks := make([]int, s.To-s.From)
		for i := range marks {
			p, j := now[int(s.From)+i], int(s.Old)+i
			if j < 0 || j >= len(old) {
				continue
			}
			q := old[j]
			switch {
			case p.distance(q) > leastPicture || p.shade(q) > leastShade:
				marks[i] = seen
			case apart(p.Level, q.Level) > leastSound && max(p.Level, q.Level) > leastQuiet:
				marks[i] = heard
			}
		}
		smooth(marks)
		for i := 0; i < len(marks); {
			j := i
			for j < len(marks) && marks[j] == marks[i] {
				j++
			}
			part := Stretch{Kind: Same, From: s.From + timecode.Frame(i), To: s.From + timecode.Frame(j), Old: s.Old + timecode.Frame(i),
				OldEnd: s.Old + timecode.Frame(j), Sound: marks[i] == heard}
			if marks[i] != asWas {
				part.Kind = Altered
			}
			out = append(out, part)
			i = j
		}
	}
	return out
}

// smooth lets a mark hold where it is that of most around it, and joins what is too short
// to be anything to what is before it.
func smooth(marks []int) {
	raw := slices.Clone(marks)
	for i := range marks {
		var n [3]int
		for j := max(0, i-leastAltered/2); j <= min(len(raw)-1, i+leastAltered/2); j++ {
			n[raw[j]]++
		}
		most := 0
		for k := range n {
			if n[k] > n[most] {
				most = k
			}
		}
		marks[i] = most
	}
	for i := 0; i < len(marks); {
		j := i
		for j < len(marks) && marks[j] == marks[i] {
			j++
		}
		if j-i < leastAltered && len(marks) > leastAltered {
			to := 0
			if i > 0 {
				to = marks[i-1]
			} else if j < len(marks) {
				to = marks[j]
			}
			for k := i; k < j; k++ {
				marks[k] = to
			}
		}
		i = j
	}
}
