// Package coverage keeps sets of half-open ranges: which bytes of a file were
// delivered, which milliseconds of a film were played.
//
// A set is the same whatever order its ranges came in and however often, so
// pauses, resumes and parallel connections need no care from the caller. Its
// text form is that of PostgreSQL's int8multirange.
package coverage

import (
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
)

// A Range is the half-open interval from Start up to, not including, End.
// A range whose End is not after its Start is empty.
type Range struct {
	Start int64 `json:"start"`
	End   int64 `json:"end"`
}

// Len is the number of units in the range; 0 where it is empty.
func (r Range) Len() int64 { return max(0, r.End-r.Start) }

// A Set is a union of ranges. The zero Set is empty and ready for use. Sets are
// values: no method changes its receiver.
type Set struct {
	ranges []Range // sorted, not empty, neither overlapping nor touching
}

// Of is the union of the given ranges; empty ones add nothing.
func Of(ranges ...Range) Set {
	kept := make([]Range, 0, len(ranges))
	for _, r := range ranges {
		if r.Len() > 0 {
			kept = append(kept, r)
		}
	}
	slices.SortFunc(kept, func(a, b Range) int {
		if a.Start < b.Start {
			return -1
		}
		if a.Start > b.Start {
			return 1
		}
		return 0
	})
	merged := kept[:0]
	for _, r := range kept {
		if last := len(merged) - 1; last >= 0 && r.Start <= merged[last].End {
			merged[last].End = max(merged[last].End, r.End)
			continue
		}
		merged = append(merged, r)
	}
	return Set{merged}
}

// Add is the set with r in it. Appending at the end, which is what a running
// download does, takes constant time beside the copy.
func (s Set) Add(r Range) Set {
	if r.Len() == 0 {
		return s
	}
	if goesOn(s.ranges, r) {
		out := slices.Clone(s.ranges)
		last := &out[len(out)-1]
		last.End = max(last.End, r.End)
		return Set{out}
	}
	return Of(append(slices.Clone(s.ranges), r)...)
}

// goesOn reports whether r begins within the last of ranges, or where that ends.
func goesOn(ranges []Range, r Range) bool {
	last := len(ranges) - 1
	return last >= 0 && r.Start >= ranges[last].Start && r.Start <= ranges[last].End
}

// A Gathering is ranges as they come, in any order, of which the union is asked for seldom.
// Its zero value is empty. Many parts of one thing that grow at once, as the downloads of one
// file, cost it little each, where Set.Add copies all of them.
type Gathering struct {
	ranges []Range
	tidied int // how many there were when they were merged last
}

// untidied is how many ranges are gathered before they are merged.
const untidied = 1024

// Add gathers a range; an empty one adds nothing.
func (g *Gathering) Add(r Range) {
	if r.Len() == 0 {
		return
	}
	if goesOn(g.ranges, r) {
		last := &g.ranges[len(g.ranges)-1]
		last.End = max(last.End, r.End)
		return
	}
	if g.ranges = append(g.ranges, r); len(g.ranges) > 2*g.tidied+untidied {
		g.ranges = Of(g.ranges...).ranges
		g.tidied = len(g.ranges)
	}
}

// Set is the union of what was gathered.
func (g *Gathering) Set() Set { return Of(g.ranges...) }

// Union is the set of all units in s or in t.
func (s Set) Union(t Set) Set { return Of(append(slices.Clone(s.ranges), t.ranges...)...) }

// Clip is the part of the set that lies within r.
func (s Set) Clip(r Range) Set {
	var out []Range
	for _, have := range s.ranges {
		part := Range{max(have.Start, r.Start), min(have.End, r.End)}
		if part.Len() > 0 {
			out = append(out, part)
		}
	}
	return Set{out}
}

// Gaps is what is missing from the set within r, in order.
func (s Set) Gaps(r Range) []Range {
	var gaps []Range
	at := r.Start
	for _, have := range s.Clip(r).ranges {
		if have.Start > at {
			gaps = append(gaps, Range{at, have.Start})
		}
		at = have.End
	}
	if at < r.End {
		gaps = append(gaps, Range{at, r.End})
	}
	return gaps
}

// Covers reports whether every unit of r is in the set. An empty range is always covered.
func (s Set) Covers(r Range) bool { return len(s.Gaps(r)) == 0 }

// Complete reports whether the set covers a whole of the given size from 0.
// A whole of size 0 is complete only by being asked for, which a set of ranges
// cannot show, so it is never complete here.
func (s Set) Complete(size int64) bool { return size > 0 && s.Covers(Range{0, size}) }

// Len is the number of units in the set.
func (s Set) Len() int64 {
	var n int64
	for _, r := range s.ranges {
		n += r.Len()
	}
	return n
}

// Ranges lists the set in order, without overlaps. The caller may keep it.
func (s Set) Ranges() []Range { return slices.Clone(s.ranges) }

// Empty reports whether nothing is in the set.
func (s Set) Empty() bool { return len(s.ranges) == 0 }

// String is PostgreSQL's text form of an int8multirange, such as {[0,5),[7,9)}.
func (s Set) String() string {
	var b strings.Builder
	b.WriteByte('{')
	for i, r := range s.ranges {
		if i > 0 {
			b.WriteByte(',')
		}
		fmt.Fprintf(&b, "[%d,%d)", r.Start, r.End)
	}
	b.WriteByte('}')
	return b.String()
}

// ErrSyntax is returned for text that is not a bounded int8multirange.
var ErrSyntax = errors.New("not a multirange")

// Parse reads the canonical text form that String writes and PostgreSQL prints.
func Parse(text string) (Set, error) {
	body, ok := strings.CutPrefix(strings.TrimSpace(text), "{")
	body, closed := strings.CutSuffix(body, "}")
	if !ok || !closed {
		return Set{}, fmt.Errorf("%w: %q", ErrSyntax, text)
	}
	if body == "" {
		return Set{}, nil
	}
	var ranges []Range
	for part := range strings.SplitSeq(body, "),") {
		part = strings.TrimSuffix(part, ")")
		from, to, comma := strings.Cut(strings.TrimPrefix(part, "["), ",")
		start, errStart := strconv.ParseInt(from, 10, 64)
		end, errEnd := strconv.ParseInt(to, 10, 64)
		if !comma || !strings.HasPrefix(part, "[") || errStart != nil || errEnd != nil {
			return Set{}, fmt.Errorf("%w: %q", ErrSyntax, text)
		}
		ranges = append(ranges, Range{start, end})
	}
	return Of(ranges...), nil
}
