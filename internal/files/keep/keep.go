// Package keep is what becomes of bytes: how many a studio holds and may hold,
// that the same are kept once, and that they are deleted when nothing refers to
// them any more, first marked and then deleted.
package keep

import (
	"context"
	"errors"
	"fmt"
	"io"
	"time"

	"aftergust/core/time/expiry"
	"aftergust/internal/ground/db"
)

// Bytes is what the service needs of the blob store.
type Bytes interface {
	Open(ctx context.Context, id string, offset int64) (io.ReadCloser, error)
	Size(ctx context.Context, id string) (int64, error)
	Heal(ctx context.Context, id, from string) error
	Delete(ctx context.Context, id string) error
	Each(ctx context.Context, before time.Time, do func(ids []string) error) error
	Free(ctx context.Context) (int64, error)
}

// A Service keeps bytes. Make it with New.
type Service struct {
	rows  Rows
	bytes Bytes
	now   func() time.Time
}

// New makes a service.
func New(store *db.DB, bytes Bytes, now func() time.Time) *Service {
	return &Service{Rows{store}, bytes, now}
}

// A Blob is a file's bytes.
type Blob struct {
	ID       string
	StudioID string
	Size     int64
	CRC32    uint32
	XXH3     []byte
}

// Clear marks bytes that nothing refers to any more, and deletes those that
// were marked long enough ago. Marking and deleting are apart, so that a crash
// in between loses nothing.
func (s *Service) Clear(ctx context.Context) error {
	now := s.now()
	if err := s.rows.Sweep(ctx, now); err != nil {
		return err
	}
	if err := s.rows.MarkUnreferenced(ctx, now.Add(-expiry.ClearingGrace), now); err != nil {
		return err
	}
	for {
		ids, err := s.rows.MarkedBlobs(ctx, now.Add(-expiry.ClearingGrace), 100)
		if err != nil || len(ids) == 0 {
			return err
		}
		for _, id := range ids {
			if err := s.bytes.Delete(ctx, id); err != nil {
				return err
			}
			if err := s.rows.BlobDeleted(ctx, id); err != nil {
				return err
			}
		}
	}
}

// How many bytes that nobody knows of there may be before that is no remainder of
// kills any more, but the wrong database: so many, or one in so many of all.
const (
	strangersMost  = 100
	strangersShare = 20
)

// ErrStrangers says that more bytes are unknown than kills can have left.
var ErrStrangers = errors.New("far more bytes are unknown to this database than can be left behind; is it the right one? Nothing was deleted")

// SweepBytes deletes bytes that a process left behind when it was killed: those that
// nobody knows of and that are older than any upload lives. It returns how many there were.
func (s *Service) SweepBytes(ctx context.Context) (int, error) {
	all := 0
	var strangers []string
	err := s.bytes.Each(ctx, s.now().Add(-expiry.LeftBehind), func(ids []string) error {
		all += len(ids)
		some, err := s.rows.Strangers(ctx, ids)
		strangers = append(strangers, some...)
		return err
	})
	if err != nil {
		return 0, err
	}
	if len(strangers) > max(strangersMost, all/strangersShare) {
		return 0, fmt.Errorf("%d of %d: %w", len(strangers), all, ErrStrangers)
	}
	for _, id := range strangers {
		if err := s.bytes.Delete(ctx, id); err != nil {
			return 0, err
		}
	}
	return len(strangers), nil
}
