package blob_test

import (
	"bytes"
	"context"
	"errors"
	"hash/crc32"
	"io"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	. "aftergust/internal/files/blob"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/zeebo/xxh3"
)

const id = "06h14kp8o5f77un7k4edb0qd"

// A shelf keeps blobs in memory, behind readers that are no files: as an object
// store elsewhere would. What a folder and a shelf both do is the contract.
type shelf struct {
	mu    sync.Mutex
	blobs map[string][]byte
	lent  string
}

func (s *shelf) get(id string) ([]byte, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	content, ok := s.blobs[id]
	if !ok {
		return nil, ErrNotFound
	}
	return content, nil
}

func (s *shelf) Open(_ context.Context, id string, offset int64) (io.ReadCloser, error) {
	content, err := s.get(id)
	if err != nil {
		return nil, err
	}
	return io.NopCloser(io.MultiReader(bytes.NewReader(content[offset:]))), nil
}

type noClose struct{ io.ReaderAt }

func (noClose) Close() error { return nil }

func (s *shelf) At(_ context.Context, id string) (ReaderAt, error) {
	content, err := s.get(id)
	return noClose{bytes.NewReader(content)}, err
}

func (s *shelf) Put(_ context.Context, id string, content io.Reader) (int64, uint32, [16]byte, error) {
	all, err := io.ReadAll(content)
	if err != nil {
		return 0, 0, [16]byte{}, err
	}
	s.set(id, all)
	return int64(len(all)), crc32.ChecksumIEEE(all), xxh3.Hash128(all).Bytes(), nil
}

func (s *shelf) Adopt(_ context.Context, files ...File) error {
	for _, f := range files {
		content, err := os.ReadFile(f.Path)
		if errors.Is(err, os.ErrNotExist) {
			return ErrNotFound
		}
		if err != nil {
			return err
		}
		s.set(f.ID, content)
	}
	return nil
}

func (s *shelf) set(id string, content []byte) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.blobs[id] = content
}

func (s *shelf) Heal(_ context.Context, id, from string) error {
	content, err := s.get(from)
	if err != nil {
		return err
	}
	s.set(id, content)
	return nil
}

func (s *shelf) Size(_ context.Context, id string) (int64, error) {
	content, err := s.get(id)
	return int64(len(content)), err
}

func (s *shelf) Local(_ context.Context, id string) (string, func(), error) {
	content, err := s.get(id)
	if err != nil {
		return "", nil, err
	}
	f, err := os.CreateTemp(s.lent, "lent-")
	if err != nil {
		return "", nil, err
	}
	_, err = f.Write(content)
	return f.Name(), func() { _ = os.Remove(f.Name()) }, errors.Join(err, f.Close())
}

func (s *shelf) Delete(_ context.Context, id string) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	delete(s.blobs, id)
	return nil
}

func (s *shelf) Each(_ context.Context, before time.Time, do func([]string) error) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	if before.Before(time.Now()) || len(s.blobs) == 0 { // here all have just come
		return nil
	}
	return do(slices.Collect(maps.Keys(s.blobs)))
}

func (s *shelf) Free(context.Context) (int64, error) { return 1 << 40, nil }

func stores(t *testing.T) map[string]Store {
	disk, err := OpenDisk(t.TempDir())
	require.NoError(t, err)
	return map[string]Store{"folder": disk, "shelf": &shelf{blobs: map[string][]byte{}, lent: t.TempDir()}}
}

func read(t *testing.T, s Store, offset int64) string {
	r, err := s.Open(t.Context(), id, offset)
	require.NoError(t, err)
	content, err := io.ReadAll(r)
	require.NoError(t, err)
	require.NoError(t, r.Close())
	return string(content)
}

func TestEveryStoreKeepsTheContract(t *testing.T) {
	for name, s := range stores(t) {
		t.Run(name, func(t *testing.T) {
			upload := filepath.Join(t.TempDir(), "upload")
			require.NoError(t, os.WriteFile(upload, []byte("lifeboat"), 0o600))
			require.NoError(t, os.Chtimes(upload, time.Unix(1, 0), time.Unix(1, 0)))
			require.NoError(t, s.Adopt(t.Context(), File{ID: id, Path: upload}))
			require.NoError(t, s.Adopt(t.Context(), File{ID: id, Path: upload}), "adopting again is fine")
			require.NoError(t, os.Remove(upload))
			assert.Equal(t, "lifeboat", read(t, s, 0))
			assert.Equal(t, "boat", read(t, s, 4))
			assert.Empty(t, read(t, s, 8))

			each := func(before time.Time) (all []string) {
				require.NoError(t, s.Each(t.Context(), before, func(ids []string) error {
					all = append(all, ids...)
					return nil
				}))
				return all
			}
			assert.Empty(t, each(time.Now().Add(-time.Hour)), "a blob is as old as its name, however old its bytes")
			assert.Equal(t, []string{id}, each(time.Now().Add(time.Hour)))

			at, err := s.At(t.Context(), id)
			require.NoError(t, err)
			two := make([]byte, 2)
			_, err = at.ReadAt(two, 6)
			require.NoError(t, err)
			assert.Equal(t, "at", string(two))
			require.NoError(t, at.Close())

			local, done, err := s.Local(t.Context(), id)
			require.NoError(t, err)
			content, err := os.ReadFile(local)
			require.NoError(t, err)
			assert.Equal(t, "lifeboat", string(content))
			done()
			assert.Equal(t, "lifeboat", read(t, s, 0), "what was lent is still there")

			const fresh = "06h14kp8o5f77un7k4edb0qe"
			_, _, _, err = s.Put(t.Context(), fresh, strings.NewReader("new"))
			require.NoError(t, err)
			require.NoError(t, s.Heal(t.Context(), id, fresh))
			assert.Equal(t, "new", read(t, s, 0))
			require.NoError(t, s.Heal(t.Context(), id, fresh), "healing again is fine")
			require.NoError(t, s.Delete(t.Context(), fresh))
			assert.Equal(t, "new", read(t, s, 0), "it has the bytes for itself")
			assert.ErrorIs(t, s.Heal(t.Context(), id, fresh), ErrNotFound)
			size, err := s.Size(t.Context(), id)
			require.NoError(t, err)
			assert.EqualValues(t, 3, size)

			require.NoError(t, s.Delete(t.Context(), id))
			require.NoError(t, s.Delete(t.Context(), id), "deleting again is fine")
			_, err = s.Size(t.Context(), id)
			assert.ErrorIs(t, err, ErrNotFound)
			_, err = s.Open(t.Context(), id, 0)
			assert.ErrorIs(t, err, ErrNotFound)
			_, err = s.At(t.Context(), id)
			assert.ErrorIs(t, err, ErrNotFound)
			_, _, err = s.Local(t.Context(), id)
			assert.ErrorIs(t, err, ErrNotFound)
			assert.ErrorIs(t, s.Adopt(t.Context(), File{ID: id, Path: upload}), ErrNotFound)
			free, err := s.Free(t.Context())
			require.NoError(t, err)
			assert.Positive(t, free)
		})
	}
}

// Values: CRC-32 of "123456789" is cbf43926 (published check value); XXH3 by the library it is made with.
func TestWhatIsPutIsSummedAndWhole(t *testing.T) {
	for name, s := range stores(t) {
		t.Run(name, func(t *testing.T) {
			size, sum, digest, err := s.Put(t.Context(), id, strings.NewReader("123456789"))
			require.NoError(t, err)
			assert.EqualValues(t, 9, size)
			assert.Equal(t, uint32(0xcbf43926), sum)
			assert.Equal(t, xxh3.HashString128("123456789").Bytes(), digest)
			assert.Equal(t, "123456789", read(t, s, 0))
			_, _, _, err = s.Put(t.Context(), "06h14kp8o5f77un7k4edb0qe", io.MultiReader(strings.NewReader("half"), broken{}))
			require.ErrorIs(t, err, errLine)
			_, err = s.Open(t.Context(), "06h14kp8o5f77un7k4edb0qe", 0)
			assert.ErrorIs(t, err, ErrNotFound, "what did not come whole is not there")
		})
	}
}

var errLine = errors.New("the line is down")

type broken struct{}

func (broken) Read([]byte) (int, error) { return 0, errLine }

func TestAFolderGivesFiles(t *testing.T) {
	disk, err := OpenDisk(t.TempDir())
	require.NoError(t, err)
	_, _, _, err = disk.Put(t.Context(), id, strings.NewReader("lifeboat"))
	require.NoError(t, err)
	f, err := disk.Open(t.Context(), id, 0)
	require.NoError(t, err)
	assert.IsType(t, &os.File{}, f, "so that it is sent without passing through memory")
	require.NoError(t, f.Close())
	left, err := os.ReadDir(disk.Work())
	require.NoError(t, err)
	assert.Empty(t, left)
}

func TestNoIdentifierLeavesTheFolder(t *testing.T) {
	root := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(root, "secret"), []byte("secret"), 0o600))
	disk, err := OpenDisk(filepath.Join(root, "blobs"))
	require.NoError(t, err)
	for _, bad := range []string{"", "..", "../secret", "../../../../etc/passwd", "a/b/c/d/e/f/g", "short", strings.Repeat("../", 10) +
		"etc/passwd"} {
		_, err := disk.Open(t.Context(), bad, 0)
		assert.ErrorIs(t, err, ErrNotFound, bad)
		_, _, err = disk.Local(t.Context(), bad)
		assert.ErrorIs(t, err, ErrNotFound, bad)
	}
}

func TestWorkThatWasLeftBehindIsTidied(t *testing.T) {
	disk, err := OpenDisk(t.TempDir())
	require.NoError(t, err)
	left := filepath.Join(disk.Work(), "media-1")
	require.NoError(t, os.MkdirAll(filepath.Join(left, "deep"), 0o700))
	removed, err := disk.Tidy(time.Now().Add(-time.Hour))
	require.NoError(t, err)
	assert.Zero(t, removed, "somebody is at it")
	removed, err = disk.Tidy(time.Now().Add(time.Hour))
	require.NoError(t, err)
	assert.Equal(t, 1, removed)
	assert.NoDirExists(t, left)
}
