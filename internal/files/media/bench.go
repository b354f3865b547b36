package media

import (
	"context"
	"errors"
	"io"
	"os"
	"path/filepath"

	"aftergust/internal/ground"
	"aftergust/internal/ground/turns"
)

// How many files arrive at a bench at a time, of these from one source of requests (turns.As),
// and how many of one source may wait. Slow senders take up their own places alone.
const (
	arriveAtOnce = 256
	arriveEach   = 4
	arriveMost   = 64
)

// A Bench has places for small works that somebody waits for: so many at a time, each in
// an empty folder of its own. What is worked on arrives before that, so that whoever sends
// slowly keeps nobody from working.
type Bench struct {
	work    string
	arrives *turns.Queue
	busy    chan struct{}
}

// NewBench makes a bench with so many places, whose folders lie in work.
func NewBench(work string, places int) *Bench {
	return &Bench{work, turns.New(arriveAtOnce, arriveEach, arriveMost), make(chan struct{}, places)}
}

// Room waits for a place and makes its folder; both are given back by done. The error is
// that of ctx where no place came free in time.
func (b *Bench) Room(ctx context.Context) (dir string, done func(), err error) {
	if err := wait(ctx, b.busy); err != nil {
		return "", nil, err
	}
	dir, swept, err := Room(b.work)
	if err != nil {
		<-b.busy
		return "", nil, err
	}
	return dir, func() { swept(); <-b.busy }, nil
}

// Given writes what somebody gives to a file, at most so many bytes, and then waits for a place
// with its folder dir; done gives all of it back. The error is ErrTooLarge for more bytes, and
// that of ctx where no place came free in time.
func (b *Bench) Given(ctx context.Context, from io.Reader, most int64) (file, dir string, done func(), err error) {
	file, taken, err := b.take(ctx, from, most)
	if err != nil {
		return "", "", nil, err
	}
	dir, left, err := b.Room(ctx)
	if err != nil {
		taken()
		return "", "", nil, err
	}
	return file, dir, func() { left(); taken() }, nil
}

// ErrTooLarge is returned by Given for what is longer than was agreed.
var ErrTooLarge = errors.New("larger than is taken")

// errManyAtOnce is for a source of which very many files arrive already.
var errManyAtOnce = &ground.Error{Kind: ground.TooMany, Code: "many_at_once",
	Say: "Very many files are arriving from your address already. Nothing was kept of this one; send it again when they are through."}

// take writes what somebody gives to a file; done takes it away.
func (b *Bench) take(ctx context.Context, from io.Reader, most int64) (file string, done func(), err error) {
	end, err := b.arrives.Take(ctx)
	if errors.Is(err, turns.ErrLong) {
		err = errManyAtOnce
	}
	if err != nil {
		return "", nil, err
	}
	defer end()
	dir, done, err := Room(b.work)
	if err != nil {
		return "", nil, err
	}
	file = filepath.Join(dir, "given")
	if err := fill(file, from, most); err != nil {
		done()
		return "", nil, err
	}
	return file, done, nil
}

func fill(file string, from io.Reader, most int64) error {
	f, err := os.Create(file)
	if err != nil {
		return err
	}
	n, err := io.Copy(f, io.LimitReader(from, most+1))
	if err = errors.Join(err, f.Close()); err == nil && n > most {
		err = ErrTooLarge
	}
	return err
}

func wait(ctx context.Context, places chan struct{}) error {
	select {
	case places <- struct{}{}:
		return nil
	case <-ctx.Done():
		return ctx.Err()
	}
}
