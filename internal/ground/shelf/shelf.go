// Package shelf keeps what is costly to make and asked for again and again: made
// once for all who ask at the same time, and forgotten when there is too much of it.
package shelf

import (
	"container/list"
	"context"
	"errors"
	"sync"
)

// A Shelf keeps what was asked for last. Whoever asks for something that is being
// made waits for it instead of making another. A key names the state of what lies
// under it, so that it is never stale.
type Shelf[V any] struct {
	mu     sync.Mutex
	most   int // weight of all that is kept
	have   int
	weigh  func(V) int
	kept   map[string]*list.Element
	recent *list.List // of *slot, the one asked for last at the front
}

type slot[V any] struct {
	key  string
	done chan struct{}
	made bool
	what V
	err  error
}

// New keeps things that weigh at most so much together, and always the last one.
func New[V any](most int, weigh func(V) int) *Shelf[V] {
	return &Shelf[V]{most: most, weigh: weigh, kept: map[string]*list.Element{}, recent: list.New()}
}

// Get is what lies under key, made by produce where there is nothing yet. What could
// not be made is forgotten, so that the next one who asks tries again.
func (p *Shelf[V]) Get(ctx context.Context, key string, produce func(context.Context) (V, error)) (V, error) {
	p.mu.Lock()
	if at, ok := p.kept[key]; ok {
		p.recent.MoveToFront(at)
		p.mu.Unlock()
		s := at.Value.(*slot[V])
		select {
		case <-s.done:
			return s.what, s.err
		case <-ctx.Done():
			var none V
			return none, ctx.Err()
		}
	}
	s := &slot[V]{key: key, done: make(chan struct{})}
	at := p.recent.PushFront(s)
	p.kept[key] = at
	p.mu.Unlock()
	defer close(s.done)
	s.err = errBroke
	defer func() {
		p.mu.Lock()
		defer p.mu.Unlock()
		if s.err != nil {
			p.drop(at)
			return
		}
		s.made = true
		p.have += p.weigh(s.what)
		for p.have > p.most && p.forgetOldest(at) {
		}
	}()
	// Others wait for this one, so that it does not end with the request that began it.
	s.what, s.err = produce(context.WithoutCancel(ctx))
	return s.what, s.err
}

// errBroke is for those who waited for what panicked.
var errBroke = errors.New("what others were waiting for could not be made")

// forgetOldest forgets what nobody has asked for for longest. One that is
// still being made stays, and so does the one that came just now. It reports
// whether there was something to forget.
func (p *Shelf[V]) forgetOldest(just *list.Element) bool {
	for at := p.recent.Back(); at != nil; at = at.Prev() {
		s := at.Value.(*slot[V])
		if at == just || !s.made {
			continue
		}
		p.have -= p.weigh(s.what)
		p.drop(at)
		return true
	}
	return false
}

func (p *Shelf[V]) drop(at *list.Element) {
	delete(p.kept, at.Value.(*slot[V]).key)
	p.recent.Remove(at)
}

// Peek is what lies under key if it is made already; ok is false otherwise.
func (p *Shelf[V]) Peek(key string) (what V, ok bool) {
	p.mu.Lock()
	defer p.mu.Unlock()
	at, there := p.kept[key]
	if !there {
		return what, false
	}
	if s := at.Value.(*slot[V]); s.made {
		return s.what, true
	}
	return what, false
}
