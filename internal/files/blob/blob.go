// Package blob keeps bytes under an identifier. A blob is written once, never
// changes, and is deleted whole. Names from outside never reach it.
package blob

import (
	"context"
	"errors"
	"io"
	"time"
)

// A Store keeps blobs: in a folder, or in an object store elsewhere. Whoever uses
// one asks for no more than it needs of it.
type Store interface {
	// Open reads a blob from offset on, to its end or as far as one likes. Where the
	// bytes lie in a local file it is an *os.File, which the server sends without
	// copying through memory. It returns ErrNotFound where there is no such blob.
	Open(ctx context.Context, id string, offset int64) (io.ReadCloser, error)
	// At reads a blob at any place.
	At(ctx context.Context, id string) (ReaderAt, error)
	// Put keeps what content gives as the blob id and sums it on the way. A blob
	// that is not whole is never seen.
	Put(ctx context.Context, id string, content io.Reader) (size int64, crc32 uint32, xxh3 [16]byte, err error)
	// Adopt makes local files blobs and returns once they would survive a loss of power:
	// before that nobody may be told that they are kept. The files stay where they are
	// until the caller removes them, so that a crash in between loses nothing; adopting
	// again is fine.
	Adopt(ctx context.Context, files ...File) error
	// Heal replaces the bytes of the blob id, which are damaged, with those of the blob
	// from. It is the one exception to a blob never changing.
	Heal(ctx context.Context, id, from string) error
	// Size is the length in bytes of what lies there, whatever it should be; ErrNotFound
	// where nothing does.
	Size(ctx context.Context, id string) (int64, error)
	// Local lends a blob as a local file, for a child process, until done is called.
	// The file must not be written.
	Local(ctx context.Context, id string) (path string, done func(), err error)
	// Delete removes a blob. Deleting what is not there is fine.
	Delete(ctx context.Context, id string) error
	// Each gives the ids of all blobs that have lain untouched since before a moment,
	// some at a time.
	Each(ctx context.Context, before time.Time, do func(ids []string) error) error
	// Free is how many bytes there is room for.
	Free(ctx context.Context) (int64, error)
}

// A File is a local file and the id of the blob that it becomes.
type File struct{ ID, Path string }

// A ReaderAt reads at any place until it is closed.
type ReaderAt interface {
	io.ReaderAt
	io.Closer
}

// Errors of every store.
var (
	ErrNotFound = errors.New("the bytes are not there")
	ErrFull     = errors.New("the disk is full")
)
