// Package arrive takes uploads by the tus protocol 1.0.0 and makes them items.
//
// tusd speaks the protocol and writes the file. On the way through, the bytes
// are summed (CRC-32 and XXH3-128), so that a finished upload is usable at once
// without being read again; SHA-256 is for a job that comes later.
package arrive

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"hash"
	"hash/crc32"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"sync"
	"syscall"

	"aftergust/internal/files/blob"

	"github.com/tus/tusd/v2/pkg/filestore"
	"github.com/tus/tusd/v2/pkg/handler"
	"github.com/zeebo/xxh3"
)

// sums are the running sums over the first at bytes of an upload.
type sums struct {
	at  int64
	crc hash.Hash32
	xxh *xxh3.Hasher
}

func newSums() *sums { return &sums{crc: crc32.NewIEEE(), xxh: xxh3.New()} }

func (s *sums) Write(p []byte) (int, error) {
	_, _ = s.crc.Write(p) // a hash never fails to write
	_, _ = s.xxh.Write(p)
	s.at += int64(len(p))
	return len(p), nil
}

// store is tusd's file store with sums beside it.
type store struct {
	filestore.FileStore
	mu      sync.Mutex
	running map[string]*sums
}

func newStore(dir string) *store {
	files := filestore.New(dir)
	files.DirModePerm, files.FileModePerm = 0o700, 0o600
	return &store{FileStore: files, running: map[string]*sums{}}
}

func (s *store) useIn(c *handler.StoreComposer) {
	c.UseCore(s)
	c.UseTerminater(s)
	c.UseConcater(s)
}

// upload is tusd's upload with its sums.
type upload struct {
	handler.Upload
	store *store
	id    string
}

func (s *store) NewUpload(ctx context.Context, info handler.FileInfo) (handler.Upload, error) {
	u, err := s.FileStore.NewUpload(ctx, info)
	if isFull(err) {
		return nil, errDiskFull
	}
	if err != nil {
		return nil, err
	}
	return &upload{u, s, info.ID}, nil
}

// GetUpload does not find an upload whose note a loss of power has taken before a byte of it
// was acknowledged: whoever sends it begins anew.
func (s *store) GetUpload(ctx context.Context, id string) (handler.Upload, error) {
	u, err := s.FileStore.GetUpload(ctx, id)
	var torn *json.SyntaxError
	if errors.As(err, &torn) {
		return nil, handler.ErrNotFound
	}
	if err != nil {
		return nil, err
	}
	return &upload{u, s, id}, nil
}

func (s *store) AsTerminatableUpload(u handler.Upload) handler.TerminatableUpload {
	return terminatable{u.(*upload)}
}

type terminatable struct{ *upload }

func (t terminatable) Terminate(ctx context.Context) error {
	t.store.forget(t.id)
	return t.store.FileStore.AsTerminatableUpload(t.Upload).Terminate(ctx)
}

func (s *store) AsConcatableUpload(u handler.Upload) handler.ConcatableUpload {
	return concatable{u.(*upload)}
}

type concatable struct{ *upload }

func (c concatable) ConcatUploads(ctx context.Context, parts []handler.Upload) error {
	inner := make([]handler.Upload, len(parts))
	for i, p := range parts {
		inner[i] = p.(*upload).Upload
	}
	return c.store.FileStore.AsConcatableUpload(c.Upload).ConcatUploads(ctx, inner)
}

// errDiskFull leaves what has arrived where it is, so that the upload goes on later.
var errDiskFull = handler.NewError("ERR_DISK_FULL",
	"The disk of the studio is full. What has arrived is safe; the upload goes on when there is room again.", http.StatusInsufficientStorage)

// chunkSize is how much is read from the connection at a time, in bytes. Larger
// reads than tusd's 32 KiB pay for the sums.
const chunkSize = 256 << 10

var chunks = sync.Pool{New: func() any { b := make([]byte, chunkSize); return &b }}

func (u *upload) WriteChunk(ctx context.Context, offset int64, src io.Reader) (int64, error) {
	running := u.store.take(u.id, offset)
	summed := running
	if summed == nil {
		summed = newSums() // sums are lost (a restart); they are made anew at the end
	}
	n, err := u.Upload.WriteChunk(ctx, offset, &tee{src, summed})
	if running != nil {
		u.store.give(u.id, running, offset+n)
	}
	if isFull(err) {
		return n, errDiskFull
	}
	return n, errors.Join(err, u.keep(ctx, offset, n))
}

func isFull(err error) bool { return errors.Is(err, syscall.ENOSPC) || errors.Is(err, syscall.EDQUOT) }

// keep makes what has arrived durable, with tusd's note of the upload, before anybody is
// told of it. A whole upload is kept when it becomes a blob.
func (u *upload) keep(ctx context.Context, offset, n int64) error {
	info, err := u.GetInfo(ctx)
	if err != nil || n == 0 || offset+n == info.Size && !info.IsPartial {
		return err
	}
	at := filepath.Join(u.store.Path, u.id)
	if err := blob.Durable(at, at+".info"); err != nil {
		return fmt.Errorf("flush upload %s: %w", u.id, err)
	}
	return nil
}

// tee sums what is read and lets the file read in large pieces.
type tee struct {
	src io.Reader
	sum io.Writer
}

func (t *tee) Read(p []byte) (int, error) {
	n, err := t.src.Read(p)
	_, _ = t.sum.Write(p[:n])
	return n, err
}

// WriteTo is what io.Copy calls.
func (t *tee) WriteTo(w io.Writer) (int64, error) {
	buffer := chunks.Get().(*[]byte)
	defer chunks.Put(buffer)
	var total int64
	for {
		n, err := t.src.Read(*buffer)
		if n > 0 {
			written, errW := w.Write((*buffer)[:n])
			_, _ = t.sum.Write((*buffer)[:written])
			total += int64(written)
			if errW != nil {
				return total, errW
			}
		}
		if err == io.EOF {
			return total, nil
		}
		if err != nil {
			return total, err
		}
	}
}

// take hands out the sums of an upload if they have come exactly as far as offset.
func (s *store) take(id string, offset int64) *sums {
	s.mu.Lock()
	defer s.mu.Unlock()
	have := s.running[id]
	delete(s.running, id)
	if have == nil && offset == 0 {
		return newSums()
	}
	if have == nil || have.at != offset {
		return nil
	}
	return have
}

func (s *store) give(id string, have *sums, offset int64) {
	if have.at != offset {
		return
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	s.running[id] = have
}

func (s *store) forget(id string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	delete(s.running, id)
}

// whole is the sums over a whole file: those that ran along, or made now by
// reading the file once.
func (s *store) whole(id, path string, size int64) (*sums, error) {
	if have := s.take(id, size); have != nil && have.at == size {
		return have, nil
	}
	f, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	fresh := newSums()
	_, err = io.CopyBuffer(fresh, struct{ io.Reader }{f}, make([]byte, 1<<20))
	return fresh, err
}
