// Package viewing computes what people saw of a piece: the stretches that played on
// their screens, how often, where they left off and where they went back. It counts
// what was in front; whether anybody sat before it no screen can tell.
package viewing

import (
	"fmt"
	"time"

	"aftergust/core/file/coverage"
	"aftergust/core/media/piece"
	"aftergust/core/words/count"
)

// A Viewing is one person before one piece, from opening it until they leave it.
type Viewing struct {
	Began time.Time
	// Runs are the stretches that played, in the order in which they did, in
	// milliseconds of the piece. The next begins where somebody jumped to.
	Runs []coverage.Range
	// Pages is for how many milliseconds each page was in front; a still has one.
	Pages []int64
}

// Bounds of one viewing. Whoever goes on after them begins another.
const (
	MostRuns  = 500
	MostPages = 2000
)

// Bounds of what can have played since a viewing began: nothing plays faster than
// Fastest times as fast as it should, and clocks and lines may be late by Slack.
const (
	Fastest = 4
	Slack   = 10 * time.Second
)

// Grow is what a screen had told, with what it tells now: stretches from the place
// first in their order on. A stretch that was told before may have grown since; one
// that is told again, or late, changes nothing.
func Grow(have []coverage.Range, first int, told []coverage.Range) []coverage.Range {
	out := append([]coverage.Range(nil), have...)
	for i, r := range told {
		at := first + i
		switch {
		case at < 0 || len(out) == MostRuns && at >= MostRuns:
		case at >= len(out):
			out = append(out, r)
		case out[at].Start == r.Start:
			out[at].End = max(out[at].End, r.End)
		}
	}
	return out
}

// Stay is for how long pages were in front, with what a screen tells now: the sums
// since it began, which only grow, and together not faster than time does.
func Stay(have, told []int64, elapsed time.Duration) []int64 {
	out := append([]int64(nil), have...)
	left := (elapsed + Slack).Milliseconds()
	for _, n := range out {
		left -= n
	}
	for i, n := range told[:min(len(told), MostPages)] {
		if i == len(out) {
			out = append(out, 0)
		}
		more := min(max(0, n-out[i]), max(0, left))
		out[i] += more
		left -= more
	}
	return out
}

// Plausible is what of some stretches lies within a piece of so many milliseconds and
// can have played in the time that went by. What is too much is cut at the end.
func Plausible(runs []coverage.Range, length int64, elapsed time.Duration) []coverage.Range {
	left := Fastest*max(0, elapsed).Milliseconds() + Slack.Milliseconds()
	out := make([]coverage.Range, 0, len(runs))
	for _, r := range runs {
		r.Start = min(max(0, r.Start), length)
		r.End = min(max(r.Start, r.End), r.Start+left, length)
		left -= r.Len()
		out = append(out, r)
	}
	return out
}

// A Cell is an equal part of a piece.
type Cell struct {
	Times  float64 `json:"times" doc:"how often it played, by all of them together"`
	People int     `json:"people" doc:"how many of them saw at least half of it"`
}

// Cells is into how many parts a piece of so many milliseconds is cut for a curve:
// seconds, where it has not more than most of them.
func Cells(length int64, most int) int { return int(min(max(1, length/1000), int64(max(1, most)))) }

// Curve is how often each of so many equal parts of a piece played, for the viewings
// of each person. Its cost is that of the stretches and the parts, not of their product.
func Curve(length int64, cells int, people [][]Viewing) []Cell {
	if length <= 0 || cells <= 0 {
		return nil
	}
	out := make([]Cell, cells)
	all := make([]float64, cells+1) // of parts that played whole: the change from one to the next
	for _, viewings := range people {
		var runs []coverage.Range
		for _, v := range viewings {
			runs = append(runs, v.Runs...)
		}
		for _, r := range runs {
			over(length, cells, r, func(cell int, share float64) { out[cell].Times += share }, func(from, to int) { all[from]++; all[to]-- })
		}
		seen := make([]float64, cells)
		whole := make([]int, cells+1)
		for _, r := range coverage.Of(runs...).Ranges() {
			over(length, cells, r, func(cell int, share float64) { seen[cell] += share }, func(from, to int) { whole[from]++; whole[to]-- })
		}
		n := 0
		for i := range out {
			if n += whole[i]; n > 0 || seen[i] >= 0.5 {
				out[i].People++
			}
		}
	}
	n := 0.0
	for i := range out {
		n += all[i]
		out[i].Times += n
	}
	return out
}

// over says which parts a stretch touches: those at its ends with the share of them
// that it covers, and those between, which it covers whole.
func over(length int64, cells int, r coverage.Range, part func(cell int, share float64), whole func(from, to int)) {
	r.Start, r.End = min(max(0, r.Start), length), min(max(0, r.End), length)
	if r.Len() == 0 {
		return
	}
	from, to := float64(r.Start)*float64(cells)/float64(length), float64(r.End)*float64(cells)/float64(length)
	first, last := int(from), min(int(to), cells-1)
	if first == last {
		part(first, to-from)
		return
	}
	part(first, float64(first+1)-from)
	part(last, min(to-float64(last), 1))
	if first+1 < last {
		whole(first+1, last)
	}
}

// A Back is where somebody went back from one moment to another, in milliseconds.
type Back struct {
	From int64 `json:"from"`
	To   int64 `json:"to"`
}

// least is how far somebody must go for it to be a going back, in milliseconds; a
// player that settles on a frame moves by less.
const least = 500

// Backs are the goings back of a viewing, in order.
func (v Viewing) Backs() (out []Back) {
	for i := 1; i < len(v.Runs); i++ {
		if from, to := v.Runs[i-1].End, v.Runs[i].Start; to < from-least && v.Runs[i].Len() > 0 {
			out = append(out, Back{from, to})
		}
	}
	return out
}

// Left is where somebody stopped, in milliseconds; ok is false where nothing played,
// or it played to its end, give or take a second.
func (v Viewing) Left(length int64) (at int64, ok bool) {
	for i := len(v.Runs) - 1; i >= 0; i-- {
		if v.Runs[i].Len() > 0 {
			return v.Runs[i].End, v.Runs[i].End < length-1000
		}
	}
	return 0, false
}

// A Sum is what one person saw of a piece.
type Sum struct {
	Viewings int    `json:"viewings" doc:"how often they came to it"`
	Seen     int64  `json:"seen_ms" doc:"milliseconds of the piece that played at least once"`
	Played   int64  `json:"played_ms" doc:"milliseconds that played, again and again"`
	Backs    []Back `json:"backs" doc:"where they went back, at most a hundred"`
	LeftAt   *int64 `json:"left_at_ms" doc:"where they stopped the last time; null where they came to the end"`
	Pages    int    `json:"pages" doc:"pages that were in front for at least a second"`
	Stayed   int64  `json:"stayed_ms" doc:"how long a still or pages were in front"`
}

// Bounds of what a sum lists, and of what counts as looking at a page.
const (
	mostBacks = 100
	aLook     = 1000
)

// SumOf sums the viewings of one person up, the oldest first, of a piece of so many
// milliseconds; 0 where it does not play.
func SumOf(length int64, viewings []Viewing) Sum {
	s := Sum{Viewings: len(viewings)}
	var all coverage.Set
	pages := map[int]int64{}
	for _, v := range viewings {
		set := coverage.Of(v.Runs...)
		all = all.Union(set)
		for _, r := range v.Runs {
			s.Played += r.Len()
		}
		s.Backs = append(s.Backs, v.Backs()...)
		if at, ok := v.Left(length); ok {
			s.LeftAt = &at
		} else if !set.Empty() {
			s.LeftAt = nil
		}
		for i, n := range v.Pages {
			pages[i] += n
			s.Stayed += n
		}
	}
	s.Seen = all.Len()
	for _, n := range pages {
		if n >= aLook {
			s.Pages++
		}
	}
	s.Backs = s.Backs[:min(len(s.Backs), mostBacks)]
	return s
}

// Says is a sum in words, to follow a name; pages is how many the piece has.
func (s Sum) Says(length int64, pages int) string {
	switch {
	case s.Seen == 0 && s.Stayed < aLook:
		return "has not looked at it yet"
	case s.Seen == 0 && pages > 1:
		return fmt.Sprintf("had %d of %d pages in front for %s", s.Pages, pages, clock(s.Stayed))
	case s.Seen == 0:
		return "had it in front for " + clock(s.Stayed)
	}
	say := fmt.Sprintf("saw %s of %s", clock(s.Seen), clock(length))
	if s.Seen >= length-1000 {
		say = "saw all of it"
	}
	if s.Viewings > 1 {
		say += fmt.Sprintf(", came %d times", s.Viewings)
	}
	if n := len(s.Backs); n > 0 {
		say += ", went back " + count.Of(n, "time", "times")
	}
	if s.LeftAt != nil {
		say += ", left at " + clock(*s.LeftAt)
	}
	return say
}

func clock(ms int64) string { return piece.Clock(ms * 1000) }
