package shelf_test

import (
	"context"
	"errors"
	"sync"
	"sync/atomic"
	"testing"

	"aftergust/internal/ground/shelf"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func peek(plans *shelf.Shelf[*heavy], key string) *heavy {
	p, _ := plans.Peek(key)
	return p
}

type heavy struct{ entries int }

func of(entries int) *heavy { return &heavy{entries} }

func plansOf(most int) *shelf.Shelf[*heavy] {
	return shelf.New(most, func(p *heavy) int { return p.entries })
}

func TestAPlanIsMadeOnceForAllWhoAskAtTheSameTime(t *testing.T) {
	plans := plansOf(1000)
	var made atomic.Int32
	begun, go_on := make(chan struct{}), make(chan struct{})
	plan := func(context.Context) (*heavy, error) {
		made.Add(1)
		close(begun)
		<-go_on
		return of(5), nil
	}
	var all sync.WaitGroup
	got := make([]*heavy, 200)
	ask := func(i int) {
		var err error
		got[i], err = plans.Get(t.Context(), "p", plan)
		assert.NoError(t, err)
	}
	all.Go(func() { ask(0) })
	<-begun
	assert.Nil(t, peek(plans, "p"), "it is not made yet")
	for i := 1; i < len(got); i++ {
		all.Go(func() { ask(i) })
	}
	impatient, leave := context.WithCancel(t.Context())
	leave()
	_, err := plans.Get(impatient, "p", plan)
	require.ErrorIs(t, err, context.Canceled, "whoever leaves does not wait")
	close(go_on)
	all.Wait()
	assert.EqualValues(t, 1, made.Load())
	for _, p := range got {
		assert.Same(t, got[0], p)
	}
	assert.Same(t, got[0], peek(plans, "p"))
}

func TestAPlanGoesOnWhenWhoeverBeganItLeaves(t *testing.T) {
	plans := plansOf(1000)
	ctx, leave := context.WithCancel(t.Context())
	_, err := plans.Get(ctx, "p", func(ctx context.Context) (*heavy, error) {
		leave()
		return of(1), ctx.Err()
	})
	require.NoError(t, err)
}

func TestAPlanThatCouldNotBeMadeIsTriedAgain(t *testing.T) {
	plans := plansOf(1000)
	down := errors.New("no database")
	_, err := plans.Get(t.Context(), "p", func(context.Context) (*heavy, error) { return nil, down })
	require.ErrorIs(t, err, down)
	assert.Nil(t, peek(plans, "p"))
	got, err := plans.Get(t.Context(), "p", func(context.Context) (*heavy, error) { return of(3), nil })
	require.NoError(t, err)
	assert.Len(t, make([]int, got.entries), 3)
}

func TestTheOldestPlansGoWhereThereAreTooManyEntries(t *testing.T) {
	plans := plansOf(10)
	get := func(key string, entries int) {
		_, err := plans.Get(t.Context(), key, func(context.Context) (*heavy, error) { return of(entries), nil })
		require.NoError(t, err)
	}
	kept := func() (out string) {
		for _, key := range []string{"a", "b", "c", "d"} {
			if peek(plans, key) != nil {
				out += key
			}
		}
		return out
	}
	get("a", 5)
	get("b", 5)
	assert.Equal(t, "ab", kept(), "ten fit")
	get("a", 5) // asked for again
	get("c", 1)
	assert.Equal(t, "ac", kept(), "b was asked for longest ago")
	get("d", 4)
	assert.Equal(t, "acd", kept())
	get("b", 100)
	assert.Equal(t, "b", kept(), "one that is larger than all is kept alone")
}

func TestWhoeverWaitsForWhatBreaksIsToldSo(t *testing.T) {
	plans := plansOf(10)
	assert.Panics(t, func() {
		_, _ = plans.Get(t.Context(), "p", func(context.Context) (*heavy, error) { panic("a file made to do harm") })
	})
	got, err := plans.Get(t.Context(), "p", func(context.Context) (*heavy, error) { return of(1), nil })
	require.NoError(t, err, "and the next one who asks tries again")
	assert.NotNil(t, got)
}
