package web

import (
	"net/http"
	"time"
)

// ErrNoPlace refuses a cursor that is none.
var ErrNoPlace = NewProblem(http.StatusUnprocessableEntity, "invalid", "This is not a place in the list. Begin again without it.")

// Pointer is a moment that is left out where it is zero.
func Pointer(t time.Time) *time.Time {
	if t.IsZero() {
		return nil
	}
	return &t
}
