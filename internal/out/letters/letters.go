// Package letters is what goes out by mail. A letter is recorded with the change
// that causes it and composed when it goes, from the record, so that no link and
// no code is kept in the database.
package letters

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"aftergust/core/words/bounce"
	"aftergust/core/words/letter"
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

// Sources are where letters find out what they tell of: parts of the work, which know letters.
type Sources struct {
	// Talk is what a letter of notes tells, the oldest first.
	Talk func(ctx context.Context, l Letter, since time.Time, limit int) ([]Said, error)
	// Told is what a letter of notices tells, in the order in which it happened.
	Told func(ctx context.Context, batch string) ([]Told, error)
	// Missing is what somebody has not of a package, some of it by name, and how fast
	// they were seen to download.
	Missing func(ctx context.Context, line string, named int) (Missing, error)
}

// Store is what the service needs of the database.
type Store interface {
	ground.Records
	InsertLetter(ctx context.Context, l Letter) error
	LetterByID(ctx context.Context, id string) (Letter, bool, error)
	// Subject is what a letter is about, as it is now; ok is false where there is no such package.
	Subject(ctx context.Context, l Letter) (s Subject, ok bool, err error)
	// HandLetter notes that a letter is being handed over, and reports whether
	// that was noted before and nobody learnt what came of it.
	HandLetter(ctx context.Context, id string, at time.Time) (before bool, err error)
	// LetterBounced writes that a letter came back, beside it and beside the person that it was to reach.
	LetterBounced(ctx context.Context, l Letter, why string) error
	LetterTried(ctx context.Context, id string, state letter.State, problem string) error
	// LetterUncertain records a try after which nobody knows whether the mail server has the
	// letter; HandLetter says so before the next.
	LetterUncertain(ctx context.Context, id, problem string) error
}

// A Told is one sentence of a letter of notices.
type Told struct {
	ParcelID string
	Title    string
	At       time.Time
	Says     string
	Said     *Said // the note that it is about; nil for none
}

// A Said is a note as a letter tells of it.
type Said struct {
	Author, Text string
	Place        string  // as its timeline labels it; empty for none
	Seconds      float64 // from the first frame
	Content      string  // id of the item
	Note         string  // id; of an answer that of its note
	Answer       bool
	Link         string // opens at that frame
	Picture      []byte // JPEG; empty for none
	Name         string // under which the letter shows the picture
}

// A Missing is what somebody has not.
type Missing struct {
	Names []string // of some of the items, in the order of the package
	Items int      // how many items
	Bytes int64    // of them, those that did not reach the other side
	Rate  int64    // bits a second at which they were seen to download; 0 while that is not known
}

// A Refusal is a mail server's word that it will never take a letter.
type Refusal struct{ Words string }

func (r *Refusal) Error() string { return "refused for good: " + r.Words }

// ErrUncertain is returned where a letter was handed over to its end and no answer came: the
// mail server may have it.
var ErrUncertain = errors.New("the mail server may have it")

// A Service posts and composes letters. Make it with New.
type Service struct {
	store Store
	from  Sources
	keys  *ground.Keys
	now   func() time.Time
	lost  func(context.Context, Letter) error
}

// New makes a service.
func New(store Store, from Sources, keys *ground.Keys, now func() time.Time) *Service {
	return &Service{store: store, from: from, keys: keys, now: now, lost: func(context.Context, Letter) error { return nil }}
}

// OnLost says what is done, in the same transaction, when a letter does not arrive.
func (s *Service) OnLost(do func(context.Context, Letter) error) { s.lost = do }

// Post records a letter and starts the job that hands it over, in the
// transaction of ctx.
func (s *Service) Post(ctx context.Context, l Letter) error {
	l.ID, l.CreatedAt = ground.NewID(), s.now()
	if err := s.store.InsertLetter(ctx, l); err != nil {
		return err
	}
	return s.store.Enqueue(ctx, ground.LetterJob{LetterID: l.ID})
}

// Hand notes that a letter goes to the mail server now. perhaps is set where it
// may have gone before, by a process that died before it heard the answer: it
// goes again, since a link that never comes is worse than one that comes twice,
// and the producer is told.
func (s *Service) Hand(ctx context.Context, l Letter) (perhaps bool, err error) {
	return s.store.HandLetter(ctx, l.ID, s.now())
}

// What is said of letters beside the waybill.
const (
	waits    = "The mail server did not take it. It is tried again by itself."
	linkless = "The secret that this link was made with is not in the settings any more. Take the person off and add them anew for a new link."
	twice    = "It may have gone twice: the connection broke while the mail server was taking it."
	broke    = "The connection broke while the mail server was taking it. It is sent again, and may then arrive twice."
	refused  = "The mail server will not take it: “%s”. Check the address, or copy the link and send it another way."
)

// Went records that the mail server has a letter; perhaps, that it may have it twice.
func (s *Service) Went(ctx context.Context, l Letter, perhaps bool) error {
	problem := ""
	if perhaps {
		problem = twice
	}
	return s.tried(ctx, l, letter.Sent, problem)
}

// returning is the beginning of the address that a letter comes back to.
const returning = "return+"

// LetterOf is which letter comes back to an address of ours.
func (s *Service) LetterOf(address string) (letter string, ok bool) {
	local, _, _ := strings.Cut(strings.Trim(address, "<>"), "@")
	tag, ok := strings.CutPrefix(local, returning)
	if !ok {
		return "", false
	}
	return s.keys.ReadReturnTag(tag)
}

// errNotYet says that a letter came back before we had written down that it went; the
// mail server brings it once more.
var errNotYet = errors.New("it has not been written down yet that this letter went")

// CameBack records that a letter did not arrive, and why, for it and for the one it
// was to reach. What is not a letter that went changes nothing.
func (s *Service) CameBack(ctx context.Context, id string, why bounce.Report) error {
	return s.store.Tx(ctx, func(ctx context.Context) error {
		l, ok, err := s.store.LetterByID(ctx, id)
		if err != nil || !ok {
			return err
		}
		if l.State == letter.Waiting {
			return errNotYet
		}
		if l.State != letter.Sent {
			return nil
		}
		if err := s.store.LetterBounced(ctx, l, why.Say()); err != nil {
			return err
		}
		if err := s.lost(ctx, l); err != nil {
			return err
		}
		return s.store.Announce(ctx, ground.Change{Studio: l.StudioID, Parcel: l.ParcelID, What: ground.LettersChanged})
	})
}

// Waits records that a letter was not taken and will be tried again.
func (s *Service) Waits(ctx context.Context, l Letter) error {
	return s.tried(ctx, l, letter.Waiting, waits)
}

// MayHaveGone records that a mail server may have a letter, which is tried again: a letter that
// comes twice is better than one that does not come.
func (s *Service) MayHaveGone(ctx context.Context, l Letter) error {
	return s.store.Tx(ctx, func(ctx context.Context) error {
		if err := s.store.LetterUncertain(ctx, l.ID, broke); err != nil {
			return err
		}
		return s.store.Announce(ctx, ground.Change{Studio: l.StudioID, Parcel: l.ParcelID, What: ground.LettersChanged})
	})
}

// WillNotGo records that a letter was refused for good.
func (s *Service) WillNotGo(ctx context.Context, l Letter, r *Refusal) error {
	return s.tried(ctx, l, letter.Refused, fmt.Sprintf(refused, r.Words))
}

func (s *Service) tried(ctx context.Context, l Letter, state letter.State, problem string) error {
	return s.store.Tx(ctx, func(ctx context.Context) error {
		if err := s.store.LetterTried(ctx, l.ID, state, problem); err != nil {
			return err
		}
		if state == letter.Refused {
			if err := s.lost(ctx, l); err != nil {
				return err
			}
		}
		return s.store.Announce(ctx, ground.Change{Studio: l.StudioID, Parcel: l.ParcelID, What: ground.LettersChanged})
	})
}
