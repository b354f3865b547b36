// Package letters is what goes out by mail. A letter is recorded with the change
// that causes it and composed when it goes, from the record, so that no link and
// no code is kept in the database.
package letters

import (
	"context"
	"time"

	"aftergust/core/letter"
	"aftergust/internal/ground"
)

// A Letter is a mail that goes out.
type Letter struct {
	ID        string
	StudioID  string
	ParcelID  string
	LineID    string
	Kind      letter.Kind
	ToName    string
	ToEmail   string
	Data      map[string]string
	State     letter.State
	Tries     int
	LastError string
	CreatedAt time.Time
	SentAt    *time.Time
}

// A Reader is somebody whom a letter can go to.
type Reader struct{ LineID, Name, Email string }

// Store is what the service needs of the database.
type Store interface {
	ground.Records
	InsertLetter(ctx context.Context, l Letter) error
	LetterByID(ctx context.Context, id string) (Letter, bool, error)
	// Subject is what a letter is about, as it is now; ok is false where there is no such package.
	Subject(ctx context.Context, l Letter) (s Subject, ok bool, err error)
	LetterTried(ctx context.Context, id string, state letter.State, problem string) error
}

// A Service posts and composes letters. Make it with New.
type Service struct {
	store Store
	keys  *ground.Keys
	now   func() time.Time
}

// New makes a service.
func New(store Store, keys *ground.Keys, now func() time.Time) *Service {
	return &Service{store, keys, now}
}

// Post records a letter and starts the job that hands it over, in the
// transaction of ctx.
func (s *Service) Post(ctx context.Context, l Letter) error {
	l.ID = ground.NewID()
	if err := s.store.InsertLetter(ctx, l); err != nil {
		return err
	}
	return s.store.Enqueue(ctx, ground.LetterJob{LetterID: l.ID})
}

// Tried records the outcome of handing a letter over. With a problem the letter
// stays waiting.
func (s *Service) Tried(ctx context.Context, l Letter, problem string) error {
	state := letter.Sent
	if problem != "" {
		state = letter.Waiting
	}
	return s.store.Tx(ctx, func(ctx context.Context) error {
		if err := s.store.LetterTried(ctx, l.ID, state, problem); err != nil {
			return err
		}
		return s.store.Announce(ctx, ground.Change{Studio: l.StudioID, Parcel: l.ParcelID, What: ground.LettersChanged})
	})
}
