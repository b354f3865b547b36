package turns_test

import (
	"context"
	"fmt"
	"sync"
	"sync/atomic"
	"testing"
	"testing/synctest"
	"time"

	. "aftergust/internal/ground/turns"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestWhoeverAsksOnceIsNotBehindTwoHundredOfSomebodyElse(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		q := New(2, 2, 300)
		var greedy sync.WaitGroup
		for range 200 {
			greedy.Go(func() {
				end, err := q.Take(As(t.Context(), "203.0.113.9"))
				assert.NoError(t, err)
				time.Sleep(time.Second)
				end()
			})
		}
		synctest.Wait()
		assert.Equal(t, 198, q.Waiting())
		began := time.Now()
		end, err := q.Take(As(t.Context(), "198.51.100.7"))
		require.NoError(t, err)
		assert.LessOrEqual(t, time.Since(began), time.Second, "the next turn is theirs")
		end()
		end() // once more does nothing
		greedy.Wait()
		assert.Equal(t, 100*time.Second, time.Since(began).Round(time.Second))
		assert.Zero(t, q.Waiting())
	})
}

func TestOneSourceHasSoManyTurnsAndSoManyWaiting(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		q := New(10, 1, 1)
		one := As(t.Context(), "one")
		end, err := q.Take(one)
		require.NoError(t, err)
		got := make(chan struct{})
		go func() {
			second, err := q.Take(one)
			assert.NoError(t, err)
			close(got)
			second()
		}()
		synctest.Wait()
		_, err = q.Take(one)
		require.ErrorIs(t, err, ErrLong)
		other, err := q.Take(As(t.Context(), "other"))
		require.NoError(t, err, "there are turns left")
		other()
		end()
		<-got
	})
}

func TestATurnThatNobodyWaitsForAnyMoreIsNotLost(t *testing.T) {
	q := New(1, 1, 1000)
	var running, most atomic.Int64
	var all sync.WaitGroup
	for i := range 400 {
		all.Go(func() {
			ctx, cancel := context.WithTimeout(As(t.Context(), fmt.Sprint(i%7)), time.Duration(i%50)*time.Millisecond)
			defer cancel()
			end, err := q.Take(ctx)
			if err != nil {
				return
			}
			defer end()
			if n := running.Add(1); n > most.Load() {
				most.Store(n)
			}
			time.Sleep(100 * time.Microsecond)
			running.Add(-1)
		})
	}
	all.Wait()
	assert.EqualValues(t, 1, most.Load())
	end, err := q.Take(t.Context())
	require.NoError(t, err, "all turns came back")
	end()
	assert.Zero(t, q.Waiting())
}
