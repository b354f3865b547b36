package media

import (
	"context"
	"io"
	"os"
	"strings"
	"sync"
	"testing"

	"aftergust/internal/ground/turns"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func lies(t *testing.T, dir string) int {
	t.Helper()
	all, err := os.ReadDir(dir)
	require.NoError(t, err)
	return len(all)
}

func TestABenchHasSoManyPlaces(t *testing.T) {
	t.Parallel()
	work := t.TempDir()
	b := NewBench(work, 1)
	dir, done, err := b.Room(t.Context())
	require.NoError(t, err)
	assert.DirExists(t, dir)
	gone, cancel := context.WithCancel(t.Context())
	cancel()
	_, _, err = b.Room(gone)
	require.ErrorIs(t, err, context.Canceled, "there is no second place")
	done()
	assert.Zero(t, lies(t, work))
	_, done, err = b.Room(t.Context())
	require.NoError(t, err, "the place came back")
	done()
	nowhere := NewBench(work+"/gone", 1)
	for range 2 { // a folder that cannot be made costs no place
		_, _, err = nowhere.Room(t.Context())
		require.ErrorIs(t, err, os.ErrNotExist)
	}
}

func TestABenchTakesNoMoreThanAgreed(t *testing.T) {
	t.Parallel()
	work := t.TempDir()
	b := NewBench(work, 1)
	file, done, err := b.take(t.Context(), strings.NewReader("12345678"), 8)
	require.NoError(t, err)
	all, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.Equal(t, "12345678", string(all))
	done()
	_, _, err = b.take(t.Context(), strings.NewReader("123456789"), 8)
	require.ErrorIs(t, err, ErrTooLarge)
	assert.Zero(t, lies(t, work), "what is refused does not stay")
}

// Whoever sends and stalls keeps nobody from working.
func TestWhoStallsTakesNoPlace(t *testing.T) {
	t.Parallel()
	b := NewBench(t.TempDir(), 1)
	from, to := io.Pipe()
	stalled := make(chan error)
	go func() {
		_, _, err := b.take(t.Context(), from, 8)
		stalled <- err
	}()
	_, err := to.Write([]byte("a")) // it is being read
	require.NoError(t, err)
	_, done, err := b.Room(t.Context())
	require.NoError(t, err)
	done()
	require.NoError(t, to.CloseWithError(io.ErrUnexpectedEOF))
	require.ErrorIs(t, <-stalled, io.ErrUnexpectedEOF)
}

func TestWhatIsGivenWaitsForAPlaceAndLeavesNothingBehind(t *testing.T) {
	t.Parallel()
	work := t.TempDir()
	b := NewBench(work, 1)
	file, dir, done, err := b.Given(t.Context(), strings.NewReader("a proof"), 10)
	require.NoError(t, err)
	assert.FileExists(t, file)
	assert.DirExists(t, dir)
	gone, cancel := context.WithCancel(t.Context())
	cancel()
	_, _, _, err = b.Given(gone, strings.NewReader("another"), 10)
	require.ErrorIs(t, err, context.Canceled, "the one place is taken")
	done()
	assert.Zero(t, lies(t, work))
	_, _, done, err = b.Given(t.Context(), strings.NewReader("another"), 10)
	require.NoError(t, err, "the place is free again")
	done()
}

// Eighteen requests of one guest that brought nothing kept a member waiting for 40 seconds.
func TestASlowSourceKeepsNoOtherFromSending(t *testing.T) {
	t.Parallel()
	b := NewBench(t.TempDir(), 1)
	gone, leave := context.WithCancel(t.Context())
	var all sync.WaitGroup
	for range 40 {
		all.Go(func() {
			never, _ := io.Pipe()
			context.AfterFunc(gone, func() { _ = never.Close() })
			_, _, _, err := b.Given(turns.As(gone, "203.0.113.9"), never, 100)
			assert.Error(t, err)
		})
	}
	for range 20 {
		_, _, done, err := b.Given(turns.As(t.Context(), "a member"), strings.NewReader("a voice"), 100)
		require.NoError(t, err)
		done()
	}
	leave()
	all.Wait()
}
