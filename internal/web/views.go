package web

import (
	"net/http"
	"time"
)

var ErrNoPlace = NewProblem(http.StatusUnprocessableEntity, "invalid", "This is not a place in the list. Begin again without it.")

func Pointer(t time.Time) *time.Time {
	if t.IsZero() {
		return nil
	}
	return &t
}
