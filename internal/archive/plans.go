package archive

import (
	"container/list"
	"context"
	"sync"
)

// Plans keeps the plans that were asked for last. Whoever asks for one that is
// being made waits for it instead of making another. A plan belongs to a key that
// names its state (a package with the revision of its contents, what was chosen),
// so it is never stale.
type Plans struct {
	mu     sync.Mutex
	most   int // entries of all plans that are kept
	have   int
	plans  map[string]*list.Element
	recent *list.List // of *slot, the one asked for last at the front
}

type slot struct {
	key  string
	done chan struct{}
	plan *Plan
	err  error
}

// NewPlans keeps plans with at most so many entries together, and always the last one.
func NewPlans(most int) *Plans {
	return &Plans{most: most, plans: map[string]*list.Element{}, recent: list.New()}
}

// Get is the plan of key, made by plan where there is none yet. A plan that could
// not be made is forgotten, so that the next one who asks tries again.
func (p *Plans) Get(ctx context.Context, key string, plan func(context.Context) (*Plan, error)) (*Plan, error) {
	p.mu.Lock()
	if at, ok := p.plans[key]; ok {
		p.recent.MoveToFront(at)
		p.mu.Unlock()
		s := at.Value.(*slot)
		select {
		case <-s.done:
			return s.plan, s.err
		case <-ctx.Done():
			return nil, ctx.Err()
		}
	}
	s := &slot{key: key, done: make(chan struct{})}
	at := p.recent.PushFront(s)
	p.plans[key] = at
	p.mu.Unlock()
	// Others wait for this one, so that it does not end with the request that began it.
	made, err := plan(context.WithoutCancel(ctx))
	p.mu.Lock()
	s.plan, s.err = made, err
	if err != nil {
		p.drop(at)
	} else {
		p.have += len(made.Entries)
		for p.have > p.most && p.forgetOldest(at) {
		}
	}
	p.mu.Unlock()
	close(s.done)
	return made, err
}

// forgetOldest forgets the plan that nobody has asked for for longest. One that is
// still being made stays, and so does the one that came just now. It reports
// whether there was one to forget.
func (p *Plans) forgetOldest(just *list.Element) bool {
	for at := p.recent.Back(); at != nil; at = at.Prev() {
		s := at.Value.(*slot)
		if at == just || s.plan == nil {
			continue
		}
		p.have -= len(s.plan.Entries)
		p.drop(at)
		return true
	}
	return false
}

func (p *Plans) drop(at *list.Element) {
	delete(p.plans, at.Value.(*slot).key)
	p.recent.Remove(at)
}

// Peek is the plan of key if it is made already, and nil otherwise.
func (p *Plans) Peek(key string) *Plan {
	p.mu.Lock()
	defer p.mu.Unlock()
	at, ok := p.plans[key]
	if !ok {
		return nil
	}
	s := at.Value.(*slot)
	select {
	case <-s.done:
		return s.plan
	default:
		return nil
	}
}
