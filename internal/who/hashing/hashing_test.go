package hashing_test

import (
	"context"
	"runtime"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"aftergust/internal/who/hashing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Source: RFC 9106, section 4: argon2id with 64 MiB, three passes; each hash has a salt of its own.
func TestAPasswordIsKeptAsArgon2id(t *testing.T) {
	one, err := hashing.Hash(t.Context(), "low-tide")
	require.NoError(t, err)
	two, err := hashing.Hash(t.Context(), "low-tide")
	require.NoError(t, err)
	assert.NotEqual(t, one, two)
	assert.True(t, strings.HasPrefix(one, "$argon2id$v=19$m=65536,t=3,p="), one)
	for password, want := range map[string]bool{"low-tide": true, "low-tid": false, "": false} {
		ok, err := hashing.Matches(t.Context(), password, one)
		require.NoError(t, err)
		assert.Equal(t, want, ok, password)
	}
}

// Three hundred at once, each of which wants 64 MiB (18.75 GiB together), stay below 512 MiB; whoever gets no turn
// waits, and nothing is compared for whoever leaves meanwhile.
func TestThreeHundredAtOnceFillNoMemory(t *testing.T) {
	done := make(chan struct{})
	var most uint64
	var watching sync.WaitGroup
	watching.Go(func() {
		var m runtime.MemStats
		for {
			select {
			case <-done:
				return
			default:
			}
			runtime.ReadMemStats(&m)
			most = max(most, m.Sys-m.HeapReleased)
			time.Sleep(5 * time.Millisecond)
		}
	})
	var served, left atomic.Int32
	var all sync.WaitGroup
	waiting, leave := context.WithTimeout(t.Context(), 4*time.Second) // long enough for some, on any machine
	defer leave()
	for range 300 {
		all.Go(func() {
			_, err := hashing.Matches(waiting, "guess", hashing.Absent)
			if err == nil {
				served.Add(1)
			} else if assert.ErrorIs(t, err, context.DeadlineExceeded) {
				left.Add(1)
			}
		})
	}
	all.Wait()
	close(done)
	watching.Wait()
	assert.EqualValues(t, 300, served.Load()+left.Load())
	assert.Positive(t, served.Load())
	assert.Less(t, most, uint64(512<<20), "%d MiB", most>>20)
	t.Logf("%d served, %d left, %d MiB at most", served.Load(), left.Load(), most>>20)
}

func TestWhoeverLeavesWaitsNoLonger(t *testing.T) {
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	_, err := hashing.Hash(ctx, "low-tide")
	require.ErrorIs(t, err, context.Canceled)
}
