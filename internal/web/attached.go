package web

import (
	"io"
	"net/http"
	"time"

	"aftergust/internal/ground"
)

// giveTime is how long what comes in one piece may take to arrive: others wait for its place.
const giveTime = 3 * time.Minute

// Given is the body of a request that is taken in one piece: up to one byte more than most,
// so that whoever reads it sees when it is larger. What is done with it then may take longer.
func Given(w http.ResponseWriter, r *http.Request, most int64) io.Reader {
	return GivenWithin(w, r, most, giveTime)
}

// GivenWithin is given with a time of its own.
func GivenWithin(w http.ResponseWriter, r *http.Request, most int64, within time.Duration) io.Reader {
	return &arriving{Reader: http.MaxBytesReader(w, r.Body, most+1), wire: http.NewResponseController(w), within: within}
}

// idleTime is how long the body of a request may bring nothing at all.
const idleTime = 15 * time.Second

type arriving struct {
	io.Reader
	wire   *http.ResponseController
	within time.Duration
	until  time.Time // set by the first read: it may have waited for its turn before that
}

func (b *arriving) Read(p []byte) (int, error) {
	now := time.Now()
	if b.until.IsZero() {
		b.until = now.Add(b.within)
	}
	soon := now.Add(idleTime)
	if b.until.Before(soon) {
		soon = b.until
	}
	_ = b.wire.SetReadDeadline(soon) // a writer that has none is in tests
	n, err := b.Reader.Read(p)
	if err == io.EOF {
		_ = b.wire.SetReadDeadline(time.Time{}) // else who only waits would be cut off
		return n, err
	}
	if err != nil {
		err = &ground.Error{Kind: ground.Invalid, Code: "not_whole", Say: "It did not arrive whole. Nothing was kept; send it again."}
	}
	return n, err
}
