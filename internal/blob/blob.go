// Package blob keeps bytes under an identifier. A blob is written once, never
// changes, and is deleted whole. Names from outside never reach it.
package blob

import (
	"context"
	"errors"
	"fmt"
	"hash/crc32"
	"io"
	"os"
	"path/filepath"
	"syscall"

	"github.com/zeebo/xxh3"
)

// A Reader reads one blob at any place. Where the bytes lie in a local file it
// is an *os.File, which the server sends without copying through memory.
type Reader interface {
	io.Reader
	io.ReaderAt
	io.Seeker
	io.Closer
}

// Errors of every store.
var (
	ErrNotFound = errors.New("the bytes are not there")
	ErrFull     = errors.New("the disk is full")
)

// A Disk keeps blobs as files under one folder.
type Disk struct{ root string }

// OpenDisk opens or makes the store at root.
func OpenDisk(root string) (*Disk, error) {
	absolute, err := filepath.Abs(root)
	if err != nil {
		return nil, err
	}
	for _, dir := range []string{"incoming", "work"} {
		if err := os.MkdirAll(filepath.Join(absolute, dir), 0o700); err != nil {
			return nil, fmt.Errorf("blob folder: %w", err)
		}
	}
	return &Disk{absolute}, nil
}

// Incoming is the folder in which uploads grow. It lies on the same file system,
// so that a finished upload becomes a blob without being copied.
func (d *Disk) Incoming() string { return filepath.Join(d.root, "incoming") }

// Work is the folder for the temporary files of media work, on the same file system.
func (d *Disk) Work() string { return filepath.Join(d.root, "work") }

// Path is the file of a blob. It need not exist.
func (d *Disk) Path(id string) string {
	if len(id) < 8 || filepath.Base(id) != id {
		return filepath.Join(d.root, "none", "none")
	}
	// The last characters are random, so folders fill evenly.
	return filepath.Join(d.root, id[len(id)-2:], id)
}

// Adopt makes the file at path the blob id. The file stays where it is until
// the caller removes it, so that a crash in between loses nothing; adopting
// again is fine.
func (d *Disk) Adopt(_ context.Context, id, path string) error {
	target := d.Path(id)
	if err := os.MkdirAll(filepath.Dir(target), 0o700); err != nil {
		return wrap(err, "make folder for blob", id)
	}
	if err := os.Link(path, target); err != nil && !errors.Is(err, os.ErrExist) {
		return wrap(err, "adopt blob", id)
	}
	return nil
}

// Put keeps a few bytes as the blob id and sums them.
func (d *Disk) Put(ctx context.Context, id string, content []byte) (size int64, sum uint32, xxh []byte, err error) {
	f, err := os.CreateTemp(d.Work(), "put-")
	if err != nil {
		return 0, 0, nil, wrap(err, "put blob", id)
	}
	defer os.Remove(f.Name())
	_, err = f.Write(content)
	if err = errors.Join(err, f.Sync(), f.Close()); err != nil {
		return 0, 0, nil, wrap(err, "put blob", id)
	}
	digest := xxh3.Hash128(content).Bytes()
	return int64(len(content)), crc32.ChecksumIEEE(content), digest[:], d.Adopt(ctx, id, f.Name())
}

// Open opens a blob for reading. It returns ErrNotFound where there is none.
func (d *Disk) Open(_ context.Context, id string) (Reader, error) {
	f, err := os.Open(d.Path(id))
	if err != nil {
		return nil, wrap(err, "open blob", id)
	}
	return f, nil
}

// Delete removes a blob. Deleting what is not there is fine.
func (d *Disk) Delete(_ context.Context, id string) error {
	if err := os.Remove(d.Path(id)); err != nil && !errors.Is(err, os.ErrNotExist) {
		return wrap(err, "delete blob", id)
	}
	return nil
}

// Free is how many bytes the file system has left for us.
func (d *Disk) Free() (int64, error) {
	var stat syscall.Statfs_t
	if err := syscall.Statfs(d.root, &stat); err != nil {
		return 0, fmt.Errorf("free space of the blob folder: %w", err)
	}
	return int64(stat.Bavail) * stat.Bsize, nil
}

func wrap(err error, doing, id string) error {
	switch {
	case errors.Is(err, os.ErrNotExist):
		return fmt.Errorf("%s %s: %w", doing, id, ErrNotFound)
	case errors.Is(err, syscall.ENOSPC), errors.Is(err, syscall.EDQUOT):
		return fmt.Errorf("%s %s: %w", doing, id, ErrFull)
	default:
		return fmt.Errorf("%s %s: %w", doing, id, err)
	}
}
