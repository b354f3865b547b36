package archive_test

import (
	"context"
	"errors"
	"sync"
	"sync/atomic"
	"testing"

	"aftergust/internal/archive"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func of(entries int) *archive.Plan { return &archive.Plan{Entries: make([]archive.Entry, entries)} }

func TestAPlanIsMadeOnceForAllWhoAskAtTheSameTime(t *testing.T) {
	plans := archive.NewPlans(1000)
	var made atomic.Int32
	begun, go_on := make(chan struct{}), make(chan struct{})
	plan := func(context.Context) (*archive.Plan, error) {
		made.Add(1)
		close(begun)
		<-go_on
		return of(5), nil
	}
	var all sync.WaitGroup
	got := make([]*archive.Plan, 200)
	ask := func(i int) {
		var err error
		got[i], err = plans.Get(t.Context(), "p", plan)
		assert.NoError(t, err)
	}
	all.Go(func() { ask(0) })
	<-begun
	assert.Nil(t, plans.Peek("p"), "it is not made yet")
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
	assert.Same(t, got[0], plans.Peek("p"))
}

func TestAPlanGoesOnWhenWhoeverBeganItLeaves(t *testing.T) {
	plans := archive.NewPlans(1000)
	ctx, leave := context.WithCancel(t.Context())
	_, err := plans.Get(ctx, "p", func(ctx context.Context) (*archive.Plan, error) {
		leave()
		return of(1), ctx.Err()
	})
	require.NoError(t, err)
}

func TestAPlanThatCouldNotBeMadeIsTriedAgain(t *testing.T) {
	plans := archive.NewPlans(1000)
	down := errors.New("no database")
	_, err := plans.Get(t.Context(), "p", func(context.Context) (*archive.Plan, error) { return nil, down })
	require.ErrorIs(t, err, down)
	assert.Nil(t, plans.Peek("p"))
	got, err := plans.Get(t.Context(), "p", func(context.Context) (*archive.Plan, error) { return of(3), nil })
	require.NoError(t, err)
	assert.Len(t, got.Entries, 3)
}

func TestTheOldestPlansGoWhereThereAreTooManyEntries(t *testing.T) {
	plans := archive.NewPlans(10)
	get := func(key string, entries int) {
		_, err := plans.Get(t.Context(), key, func(context.Context) (*archive.Plan, error) { return of(entries), nil })
		require.NoError(t, err)
	}
	kept := func() (out string) {
		for _, key := range []string{"a", "b", "c", "d"} {
			if plans.Peek(key) != nil {
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
