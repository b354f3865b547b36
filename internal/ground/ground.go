// Package ground is what all parts of the work stand on: identifiers, errors in
// words, secrets, changes that screens hear of, jobs, and transactions.
package ground

import (
	"time"
)

// A Counted is a name and how often it is there.
type Counted struct {
	Name  string `json:"name"`
	Count int64  `json:"count"`
}

// When is *t, or the zero time for nil: not yet, or never.
func When(t *time.Time) time.Time {
	if t == nil {
		return time.Time{}
	}
	return *t
}

// Later is the later of now and *t, and now where t is nil.
func Later(now time.Time, t *time.Time) time.Time {
	if t == nil || t.Before(now) {
		return now
	}
	return *t
}

// OrEmpty is all, or an empty slice where it is nil, so that it goes out as a list.
func OrEmpty[S ~[]E, E any](all S) S {
	if all == nil {
		return S{}
	}
	return all
}
