package web

import (
	"net/http"
	"time"

	"aftergust/internal/ground"
)

var ErrNoPlace = NewProblem(http.StatusUnprocessableEntity, "invalid", "This is not a place in the list. Begin again without it.")

func OrEmpty[S ~[]E, E any](s S) S { return ground.OrEmpty(s) }

func Pointer(t time.Time) *time.Time {
	if t.IsZero() {
		return nil
	}
	return &t
}
