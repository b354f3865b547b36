// Package timecode converts between frames, SMPTE timecode and time, exactly.
//
// Counting follows SMPTE ST 12-1: non-drop timecode labels every frame in
// turn; drop-frame timecode skips the first labels of each minute that is not
// a multiple of ten, so that at 29.97 and 59.94 frames a second the label
// stays close to the clock. No frame is ever dropped, only its label.
//
// All arithmetic is on integers. A rate is a rational, a time is a whole
// number of microseconds, and products that could overflow go through 128 bits.
package timecode

import (
	"errors"
	"fmt"
	"math/bits"
	"strconv"
	"strings"
)

// Frame counts frames from the first frame of a piece, which is 0.
type Frame int64

// Micros is a time in microseconds from the first frame of a piece.
type Micros int64

const microsPerSecond = 1_000_000

// A Rate is a number of frames a second, Num/Den, and how its timecode counts.
// The zero Rate is not valid.
type Rate struct {
	Num, Den int64
	Drop     bool // drop-frame counting; only for 30000/1001 and 60000/1001
}

// The rates of the trade.
var (
	Rate23976   = Rate{Num: 24000, Den: 1001}
	Rate24      = Rate{Num: 24, Den: 1}
	Rate25      = Rate{Num: 25, Den: 1}
	Rate2997    = Rate{Num: 30000, Den: 1001}
	Rate2997DF  = Rate{Num: 30000, Den: 1001, Drop: true}
	Rate30      = Rate{Num: 30, Den: 1}
	Rate48      = Rate{Num: 48, Den: 1}
	Rate50      = Rate{Num: 50, Den: 1}
	Rate5994    = Rate{Num: 60000, Den: 1001}
	Rate5994DF  = Rate{Num: 60000, Den: 1001, Drop: true}
	Rate60      = Rate{Num: 60, Den: 1}
	decimalForm = map[string]Rate{
		"23.976": Rate23976, "23.98": Rate23976, "29.97": Rate2997, "47.952": {Num: 48000, Den: 1001},
		"59.94": Rate5994, "119.88": {Num: 120000, Den: 1001},
	}
)

// ErrRate is returned for a rate that cannot be counted.
var ErrRate = errors.New("not a usable frame rate")

// maxRate bounds the nominal rate, so that a day of frames always fits an int64.
const maxRate = 1000

// ParseRate reads a rate as "25", "30000/1001" or one of the customary decimal
// forms such as "29.97", each optionally followed by "DF" or "NDF".
func ParseRate(s string) (Rate, error) {
	text := strings.TrimSpace(s)
	drop := false
	if head, ok := strings.CutSuffix(text, "NDF"); ok {
		text = strings.TrimSpace(head)
	} else if head, ok := strings.CutSuffix(text, "DF"); ok {
		text, drop = strings.TrimSpace(head), true
	}
	rate, ok := decimalForm[text]
	if !ok {
		num, den, isRatio := strings.Cut(text, "/")
		if !isRatio {
			den = "1"
		}
		n, errN := strconv.ParseInt(num, 10, 64)
		d, errD := strconv.ParseInt(den, 10, 64)
		if errN != nil || errD != nil {
			return Rate{}, fmt.Errorf("%w: %q", ErrRate, s)
		}
		rate = Rate{Num: n, Den: d}.reduced()
	}
	rate.Drop = drop
	return rate, rate.Validate()
}

// Validate reports whether the rate is positive, at most 1000 frames a second,
// and, where it drops labels, one that drop-frame is defined for.
func (r Rate) Validate() error {
	if r.Num <= 0 || r.Den <= 0 || r.Num > 1<<31 || r.Den > 1<<31 || r.Nominal() > maxRate {
		return fmt.Errorf("%w: %d/%d", ErrRate, r.Num, r.Den)
	}
	if r.Drop && (r.Den != 1001 || (r.Num != 30000 && r.Num != 60000)) {
		return fmt.Errorf("%w: drop-frame is defined for 29.97 and 59.94, not for %d/%d", ErrRate, r.Num, r.Den)
	}
	return nil
}

// Nominal is the number of frame labels in a second of timecode: the rate
// rounded up, so 30 for 29.97.
func (r Rate) Nominal() int64 { return (r.Num + r.Den - 1) / r.Den }

// String is the customary form: "25", "29.97 DF", "24000/1001" where none is customary.
func (r Rate) String() string {
	text := fmt.Sprintf("%d/%d", r.Num, r.Den)
	switch {
	case r.Den == 1:
		text = strconv.FormatInt(r.Num, 10)
	case r.Den == 1001 && r.Num == 24000:
		text = "23.976"
	case r.Den == 1001 && r.Num == 30000:
		text = "29.97"
	case r.Den == 1001 && r.Num == 60000:
		text = "59.94"
	}
	if r.Drop {
		text += " DF"
	}
	return text
}

// FrameAt is the frame on screen at time t: the last one that began at or
// before t. Times before the first frame give frame 0.
func (r Rate) FrameAt(t Micros) Frame {
	if t <= 0 {
		return 0
	}
	q, _ := mulDiv(uint64(t), uint64(r.Num), uint64(r.Den)*microsPerSecond)
	return Frame(q)
}

// NearestFrame is the frame whose beginning lies nearest to t; a tie goes to
// the later one. Use it for a presentation time that was itself rounded.
func (r Rate) NearestFrame(t Micros) Frame {
	if t <= 0 {
		return 0
	}
	den := uint64(r.Den) * microsPerSecond
	q, rem := mulDiv(uint64(t), uint64(r.Num), den)
	if rem >= den-rem {
		q++
	}
	return Frame(q)
}

// Begin is the moment at which frame f begins, rounded up to the next whole
// microsecond, so that FrameAt(Begin(f)) is f.
func (r Rate) Begin(f Frame) Micros {
	if f <= 0 {
		return 0
	}
	q, rem := mulDiv(uint64(f), uint64(r.Den)*microsPerSecond, uint64(r.Num))
	if rem > 0 {
		q++
	}
	return Micros(q)
}

// Seconds is the exact moment at which frame f begins, as the rational num/den.
func (r Rate) Seconds(f Frame) (num, den int64) {
	g := gcd(int64(f)*r.Den, r.Num)
	if g == 0 {
		return 0, 1
	}
	return int64(f) * r.Den / g, r.Num / g
}

func (r Rate) reduced() Rate {
	if g := gcd(r.Num, r.Den); g > 1 {
		r.Num, r.Den = r.Num/g, r.Den/g
	}
	return r
}

// mulDiv is a*b/c and its remainder, the product held in 128 bits.
func mulDiv(a, b, c uint64) (quotient, remainder uint64) {
	hi, lo := bits.Mul64(a, b)
	return bits.Div64(hi%c, lo, c)
}

func gcd(a, b int64) int64 {
	for b != 0 {
		a, b = b, a%b
	}
	if a < 0 {
		return -a
	}
	return a
}
