package keep_test

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"aftergust/core/time/expiry"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/files/keep"
	"aftergust/internal/ground"
	"aftergust/internal/parts/gather"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// files is how many blobs lie in the house's folder.
func files(t *testing.T, h *apptest.House) (n int) {
	t.Helper()
	require.NoError(t, filepath.WalkDir(filepath.Join(h.Host.Blobs), func(_ string, d os.DirEntry, err error) error {
		if err == nil && d.Type().IsRegular() {
			n++
		}
		return err
	}))
	return n
}

func TestBytesGoAnHourAfterNothingRefersToThem(t *testing.T) {
	h := apptest.Build(t, pg)
	item := h.File(h.Mara, "", "a.mov", "lifeboat")
	packed, _ := h.Draft(h.Mara, []string{item.ID})
	letGo, err := h.Chosen.Delete(t.Context(), h.Mara, gather.Selection{Items: []string{item.ID}})
	require.NoError(t, err)
	require.NoError(t, h.Chosen.Forget(t.Context(), h.Mara, letGo.ID))
	clear := func() int {
		require.NoError(t, h.Keep.Clear(t.Context()))
		return files(t, h)
	}
	h.Wait(2 * expiry.ClearingGrace)
	assert.Equal(t, 1, clear(), "the package holds it")
	require.NoError(t, h.Drafts.Discard(t.Context(), h.Mara, packed.ID))
	assert.Equal(t, 1, clear(), "marked")
	h.Wait(expiry.ClearingGrace - time.Minute)
	assert.Equal(t, 1, clear(), "not yet an hour")
	h.Wait(2 * time.Minute)
	assert.Equal(t, 0, clear())
}

// A stubborn store of bytes fails to delete.
type stubborn struct {
	keep.Bytes
	broken error
	gone   int
	free   int64
}

func (s *stubborn) Delete(ctx context.Context, id string) error {
	if s.broken != nil {
		return s.broken
	}
	s.gone++
	return s.Bytes.Delete(ctx, id)
}

func (s *stubborn) Free(context.Context) (int64, error) { return s.free, s.broken }

func TestBytesThatCannotBeDeletedAreTriedAgain(t *testing.T) {
	h := apptest.Build(t, pg)
	for _, content := range []string{"one", "two", "three"} {
		letGo, err := h.Chosen.Delete(t.Context(), h.Mara, gather.Selection{Items: []string{h.File(h.Mara, "", content, content).ID}})
		require.NoError(t, err)
		require.NoError(t, h.Chosen.Forget(t.Context(), h.Mara, letGo.ID))
	}
	bytes := &stubborn{Bytes: h.Bytes, broken: errors.New("the disk does not answer")}
	service := keep.New(h.Store, bytes, h.Now)
	h.Wait(2 * time.Hour)
	require.NoError(t, service.Clear(t.Context()))
	h.Wait(2 * time.Hour)
	require.ErrorContains(t, service.Clear(t.Context()), "does not answer")
	assert.Equal(t, 3, files(t, h))
	bytes.broken = nil
	require.NoError(t, service.Clear(t.Context()))
	assert.Equal(t, 3, bytes.gone)
	require.NoError(t, service.Clear(t.Context()))
	assert.Equal(t, 3, bytes.gone, "each once")
}

func TestRoomIsWhatTheStudioMayHoldAndTheDiskHas(t *testing.T) {
	h := apptest.Build(t, pg)
	h.File(h.Mara, "", "a.mov", "0123456789")
	h.File(h.Odd, "", "b.mov", "another studio's")
	_, err := h.Store.Pool().Exec(t.Context(), "update studio set quota_bytes = 100")
	require.NoError(t, err)
	bytes := &stubborn{Bytes: h.Bytes, free: 1000}
	service := keep.New(h.Store, bytes, h.Now)
	room := func(size int64) string { return apptest.Code(t, service.Room(t.Context(), h.Mara, "b.mov", size)) }
	assert.Empty(t, room(90), "to the last byte")
	assert.Equal(t, "no_space", room(91))
	bytes.free = 50
	assert.Empty(t, room(50))
	assert.Equal(t, "no_space", room(51), "the disk is the narrower")
	bytes.broken = errors.New("the disk does not answer")
	require.ErrorContains(t, service.Room(t.Context(), h.Mara, "b.mov", 1), "does not answer")
	space, err := service.Space(t.Context(), h.Mara)
	require.NoError(t, err)
	assert.Equal(t, [2]int64{10, 100}, [2]int64{space.Used, space.Quota})
}

func TestTheSameBytesOfOneStudioAreKeptOnce(t *testing.T) {
	h := apptest.Build(t, pg)
	one, two, other := h.File(h.Mara, "", "a.mov", "lifeboat"), h.File(h.Mara, "", "b.mov", "lifeboat"), h.File(h.Odd, "", "c.mov", "lifeboat")
	for _, i := range []gather.Item{one, two, other} {
		require.NoError(t, h.Keep.Digest(t.Context(), i.BlobID))
	}
	assert.Equal(t, one.BlobID, blobOf(t, h, one))
	assert.Equal(t, one.BlobID, blobOf(t, h, two), "it turned to the older one")
	assert.Equal(t, other.BlobID, blobOf(t, h, other), "studios share nothing")
}

// What a kill leaves behind is a file that nobody knows of.
func TestBytesThatNobodyKnowsOfAreSweptWhenTheyAreOld(t *testing.T) {
	h := apptest.Build(t, pg)
	h.File(h.Mara, "", "a.mov", "lifeboat")
	leave := func(n int) {
		for range n {
			_, _, _, err := h.Bytes.Put(t.Context(), ground.NewID(), strings.NewReader("x"))
			require.NoError(t, err)
		}
	}
	sweep := func() int {
		n, err := h.Keep.SweepBytes(t.Context())
		require.NoError(t, err)
		return n
	}
	leave(3)
	h.Wait(expiry.LeftBehind - time.Minute)
	assert.Zero(t, sweep(), "it may be an upload's that is about to be recorded")
	h.Wait(2 * time.Minute)
	assert.Equal(t, 3, sweep())
	assert.Equal(t, 1, files(t, h), "what is known stays")
	leave(100)
	assert.Equal(t, 100, sweep())
	leave(101)
	_, err := h.Keep.SweepBytes(t.Context())
	require.ErrorIs(t, err, keep.ErrStrangers, "so many are no remainder: the database is another one")
	assert.Equal(t, 102, files(t, h))
}
