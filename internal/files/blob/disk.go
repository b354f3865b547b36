package blob

import (
	"context"
	"errors"
	"fmt"
	"hash/crc32"
	"io"
	"os"
	"path/filepath"
	"sync"
	"syscall"
	"time"

	"github.com/zeebo/xxh3"
)

// A Disk keeps blobs as files under one folder.
type Disk struct {
	root    string
	folders sync.Map // folders whose name in root is known to be on disk
}

var _ Store = (*Disk)(nil)

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
	return &Disk{root: absolute}, nil
}

// Incoming is the folder in which uploads grow. It lies on the same file system,
// so that a finished upload becomes a blob without being copied.
func (d *Disk) Incoming() string { return filepath.Join(d.root, "incoming") }

// Work is the folder for the temporary files of media work, on the same file system.
func (d *Disk) Work() string { return filepath.Join(d.root, "work") }

// path is the file of a blob. It need not exist.
func (d *Disk) path(id string) string {
	if len(id) < 8 || filepath.Base(id) != id {
		return filepath.Join(d.root, "none", "none")
	}
	// The last characters are random, so folders fill evenly.
	return filepath.Join(d.root, id[len(id)-2:], id)
}

// Adopt gives local files a second name each: that of their blob.
func (d *Disk) Adopt(_ context.Context, files ...File) error {
	targets := make([]string, len(files))
	for i, f := range files {
		targets[i] = d.path(f.ID)
		if err := d.folder(targets[i]); err != nil {
			return wrap(err, "make folder for blob", f.ID)
		}
		if err := os.Link(f.Path, targets[i]); err != nil && !errors.Is(err, os.ErrExist) {
			return wrap(err, "adopt blob", f.ID)
		}
	}
	if err := Durable(targets...); err != nil {
		return wrap(err, "flush blobs from", files[0].ID)
	}
	return nil
}

// Heal puts the bytes of the blob from in the place of those of the blob id, in one step:
// a reader has the old bytes or the new ones.
func (d *Disk) Heal(_ context.Context, id, from string) error {
	target := d.path(id)
	if err := d.folder(target); err != nil {
		return wrap(err, "make folder for blob", id)
	}
	aside := filepath.Join(d.Work(), "heal-"+id+"-"+from)
	if err := os.Link(d.path(from), aside); err != nil && !errors.Is(err, os.ErrExist) {
		return wrap(err, "heal blob", id)
	}
	defer os.Remove(aside) // rename(2) leaves it where both are one file
	if err := os.Rename(aside, target); err != nil {
		return wrap(err, "heal blob", id)
	}
	return wrap(Durable(target), "heal blob", id)
}

// Size is the length of the file of a blob.
func (d *Disk) Size(_ context.Context, id string) (int64, error) {
	info, err := os.Stat(d.path(id))
	if err != nil {
		return 0, wrap(err, "find blob", id)
	}
	return info.Size(), nil
}

// Put writes content to a file of its own first and gives it the blob's name
// once it is whole and on disk.
func (d *Disk) Put(ctx context.Context, id string, content io.Reader) (size int64, sum uint32, digest [16]byte, err error) {
	f, err := os.CreateTemp(d.Work(), "put-")
	if err != nil {
		return 0, 0, digest, wrap(err, "put blob", id)
	}
	defer os.Remove(f.Name())
	crc, xxh := crc32.NewIEEE(), xxh3.New()
	size, err = io.Copy(io.MultiWriter(f, crc, xxh), content)
	if err = errors.Join(err, f.Close()); err != nil {
		return 0, 0, digest, wrap(err, "put blob", id)
	}
	return size, crc.Sum32(), xxh.Sum128().Bytes(), d.Adopt(ctx, File{id, f.Name()})
}

// Open opens the file of a blob at offset.
func (d *Disk) Open(_ context.Context, id string, offset int64) (io.ReadCloser, error) {
	f, err := os.Open(d.path(id))
	if err != nil {
		return nil, wrap(err, "open blob", id)
	}
	if offset != 0 {
		if _, err := f.Seek(offset, io.SeekStart); err != nil {
			return nil, wrap(errors.Join(err, f.Close()), "open blob", id)
		}
	}
	return f, nil
}

// At opens the file of a blob.
func (d *Disk) At(_ context.Context, id string) (ReaderAt, error) {
	f, err := os.Open(d.path(id))
	if err != nil {
		return nil, wrap(err, "open blob", id)
	}
	return f, nil
}

// Local is the file of a blob itself.
func (d *Disk) Local(_ context.Context, id string) (path string, done func(), err error) {
	path = d.path(id)
	if _, err := os.Stat(path); err != nil {
		return "", nil, wrap(err, "find blob", id)
	}
	return path, func() {}, nil
}

// Delete removes the file of a blob.
func (d *Disk) Delete(_ context.Context, id string) error {
	if err := os.Remove(d.path(id)); err != nil && !errors.Is(err, os.ErrNotExist) {
		return wrap(err, "delete blob", id)
	}
	return nil
}

// eachAtOnce is how many ids are given at a time.
const eachAtOnce = 1000

// Each walks the folders of blobs. A file was touched when its name was made.
func (d *Disk) Each(ctx context.Context, before time.Time, do func(ids []string) error) error {
	folders, err := os.ReadDir(d.root)
	if err != nil {
		return fmt.Errorf("walk the blob folder: %w", err)
	}
	var ids []string
	for _, folder := range folders {
		if len(folder.Name()) != 2 || !folder.IsDir() {
			continue
		}
		files, err := os.ReadDir(filepath.Join(d.root, folder.Name()))
		if err != nil {
			return fmt.Errorf("walk the blob folder: %w", err)
		}
		for _, file := range files {
			if Untouched(filepath.Join(d.root, folder.Name(), file.Name()), before) {
				ids = append(ids, file.Name())
			}
			if len(ids) == eachAtOnce {
				if err := errors.Join(ctx.Err(), do(ids)); err != nil {
					return err
				}
				ids = nil
			}
		}
	}
	if len(ids) == 0 {
		return ctx.Err()
	}
	return do(ids)
}

// Untouched reports whether a file or folder was last changed, or given a name, before a moment.
func Untouched(path string, before time.Time) bool {
	var stat syscall.Stat_t
	return syscall.Lstat(path, &stat) == nil && time.Unix(stat.Ctim.Unix()).Before(before)
}

// Tidy removes what was begun in the folder for work before a moment and is left there.
func (d *Disk) Tidy(before time.Time) (removed int, err error) {
	left, err := os.ReadDir(d.Work())
	if err != nil {
		return 0, fmt.Errorf("tidy the work folder: %w", err)
	}
	for _, one := range left {
		path := filepath.Join(d.Work(), one.Name())
		if !Untouched(path, before) {
			continue
		}
		if err = errors.Join(err, os.RemoveAll(path)); err == nil {
			removed++
		}
	}
	return removed, err
}

// Free is how many bytes the file system has left for us.
func (d *Disk) Free(context.Context) (int64, error) {
	var stat syscall.Statfs_t
	if err := syscall.Statfs(d.root, &stat); err != nil {
		return 0, fmt.Errorf("free space of the blob folder: %w", err)
	}
	return int64(stat.Bavail) * stat.Bsize, nil
}

func wrap(err error, doing, id string) error {
	switch {
	case err == nil:
		return nil
	case errors.Is(err, os.ErrNotExist):
		return fmt.Errorf("%s %s: %w", doing, id, ErrNotFound)
	case errors.Is(err, syscall.ENOSPC), errors.Is(err, syscall.EDQUOT):
		return fmt.Errorf("%s %s: %w", doing, id, ErrFull)
	default:
		return fmt.Errorf("%s %s: %w", doing, id, err)
	}
}
