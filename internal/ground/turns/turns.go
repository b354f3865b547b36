// Package turns lets people take turns at something that only a few may do at a time: sources
// of requests one after the other, so that whoever asks two hundred times waits behind
// themselves and holds up nobody else.
package turns

import (
	"container/list"
	"context"
	"errors"
	"sync"
)

type sourceKey struct{}

// As is a context in which turns are taken for a source of requests: an address, a person.
func As(ctx context.Context, source string) context.Context {
	return context.WithValue(ctx, sourceKey{}, source)
}

// Source is for whom turns are taken in a context; empty where nobody said.
func Source(ctx context.Context) string {
	source, _ := ctx.Value(sourceKey{}).(string)
	return source
}

// ErrLong is returned where more of one source wait than may.
var ErrLong = errors.New("the queue is too long")

// A Queue gives so many turns at a time. Make it with New.
type Queue struct {
	mu      sync.Mutex
	free    int
	most    int                 // of one source may wait
	sources *list.List          // *waiting, in the order in which they get their next turn
	by      map[string]*waiting // those of sources
	holding map[string]int      // turns that sources have now
	each    int                 // turns that one source may have at a time
}

// waiting are those of one source, in the order in which they came.
type waiting struct {
	source string
	line   []chan struct{}
	at     *list.Element
}

// New makes a queue with so many turns at a time, of which one source may have each, and have
// most waiting.
func New(atOnce, each, most int) *Queue {
	return &Queue{free: atOnce, each: each, most: most, sources: list.New(), by: map[string]*waiting{}, holding: map[string]int{}}
}

// Take waits for a turn for the source of ctx. end gives it back. The error is ErrLong where
// too many of that source wait already, and that of ctx where it ends before the turn comes.
func (q *Queue) Take(ctx context.Context) (end func(), err error) {
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	source := Source(ctx)
	q.mu.Lock()
	mine := q.by[source]
	if mine == nil && q.free > 0 && q.holding[source] < q.each {
		q.give(source)
		q.mu.Unlock()
		return q.ends(source), nil
	}
	if mine == nil {
		mine = &waiting{source: source}
		mine.at = q.sources.PushBack(mine)
		q.by[source] = mine
	}
	if len(mine.line) >= q.most {
		q.drop(mine)
		q.mu.Unlock()
		return nil, ErrLong
	}
	turn := make(chan struct{}, 1)
	mine.line = append(mine.line, turn)
	q.mu.Unlock()
	select {
	case <-turn:
		return q.ends(source), nil
	case <-ctx.Done():
	}
	q.mu.Lock()
	defer q.mu.Unlock()
	for i, other := range mine.line {
		if other == turn {
			mine.line = append(mine.line[:i], mine.line[i+1:]...)
			q.drop(mine)
			return nil, ctx.Err()
		}
	}
	q.back(source) // it came in this moment
	return nil, ctx.Err()
}

// Waiting is how many wait for their turn.
func (q *Queue) Waiting() (n int) {
	q.mu.Lock()
	defer q.mu.Unlock()
	for _, w := range q.by {
		n += len(w.line)
	}
	return n
}

func (q *Queue) ends(source string) func() {
	return sync.OnceFunc(func() {
		q.mu.Lock()
		defer q.mu.Unlock()
		q.back(source)
	})
}

func (q *Queue) give(source string) {
	q.free--
	q.holding[source]++
}

// back takes a turn back and gives it to the next source that may have one.
func (q *Queue) back(source string) {
	q.free++
	if q.holding[source]--; q.holding[source] == 0 {
		delete(q.holding, source)
	}
	for at := q.sources.Front(); at != nil && q.free > 0; {
		next, w := at.Next(), at.Value.(*waiting)
		if len(w.line) > 0 && q.holding[w.source] < q.each {
			w.line[0] <- struct{}{}
			w.line = w.line[1:]
			q.give(w.source)
			q.sources.MoveToBack(at)
			q.drop(w)
		}
		at = next
	}
}

// drop forgets a source of which nobody waits.
func (q *Queue) drop(w *waiting) {
	if len(w.line) == 0 && q.by[w.source] == w {
		q.sources.Remove(w.at)
		delete(q.by, w.source)
	}
}
