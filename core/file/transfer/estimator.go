package transfer

import (
	"math"
	"time"
)

// An Estimator tells the rate of a transfer and the time it has left, from how
// much was through at which moment. Its rate is the average over a window; the
// end that it foresees moves only slowly, so that the time left counts down and
// does not jump. On a steady line it is within a fifth after ten seconds.
//
// The interface computes the same in the browser (estimator.ts), where uploads
// run; both are held together by testdata/estimator.json. The zero Estimator is
// ready for use. It is not safe for concurrent use.
type Estimator struct {
	samples []sample
	ends    float64 // seconds at which it is over; NaN or 0 while not known
	at      float64 // seconds of the last sample
}

type sample struct {
	at    float64 // seconds
	bytes int64
}

// What the estimator is made of, in seconds.
const (
	window  = 12.0 // over which the rate is an average
	settle  = 2.0  // before which it says nothing
	inertia = 3.0  // in which the foreseen end comes near a new one
	snap    = 0.5  // share by which a foreseen end may be wrong before it is dropped for the new one
)

// Add records that bytes of total are through at a moment. Moments must not go
// back; a count that falls (a transfer that begins again) starts anew.
func (e *Estimator) Add(at time.Duration, bytes, total int64) {
	now := at.Seconds()
	if n := len(e.samples); n > 0 && bytes < e.samples[n-1].bytes {
		*e = Estimator{}
	}
	e.samples = append(e.samples, sample{now, bytes})
	// One sample older than the window stays, so that the window is full.
	for len(e.samples) > 2 && e.samples[1].at <= now-window {
		e.samples = e.samples[1:]
	}
	rate := e.Rate()
	if rate <= 0 {
		e.ends = 0
		e.at = now
		return
	}
	left := float64(total-bytes) / rate
	fresh := now + left
	switch {
	case e.ends == 0 || math.Abs(fresh-e.ends) > snap*max(left, 1):
		e.ends = fresh
	default:
		e.ends += (fresh - e.ends) * (1 - math.Exp(-(now-e.at)/inertia))
	}
	e.at = now
}

// Rate is the rate in bytes a second; 0 while it is not known.
func (e *Estimator) Rate() float64 {
	if len(e.samples) < 2 {
		return 0
	}
	first, last := e.samples[0], e.samples[len(e.samples)-1]
	if last.at-first.at < settle {
		return 0
	}
	return float64(last.bytes-first.bytes) / (last.at - first.at)
}

// Left is the time left at a moment; ok is false while it is not known.
func (e *Estimator) Left(at time.Duration) (left time.Duration, ok bool) {
	if e.ends == 0 {
		return 0, false
	}
	return time.Duration(max(0, e.ends-at.Seconds()) * float64(time.Second)), true
}
