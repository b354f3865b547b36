// Package happen is the one way by which something happens to a package: it is
// written down as an event, with the facts as they are; screens hear of it; and
// the letter that follows from it is posted. All of it commits with the change
// that it is about, or not at all. Nothing else writes events.
package happen

import (
	"context"
	"time"

	"aftergust/core/record/event"
	"aftergust/core/record/proof"
	"aftergust/core/words/letter"
	"aftergust/internal/ground"
	"aftergust/internal/out/letters"
	"aftergust/internal/parts/notices"
)

// A Happening is something that happens now. The facts that its event keeps
// (names, version, sum, rights, end) are read from the records as it is written.
type Happening struct {
	Kind     event.Kind
	StudioID string
	ParcelID string
	LineID   string // the person it is about, or who did it; empty for none
	MemberID string // who of the studio did it; empty for none
	Version  string // empty where it is about the whole package
	WayIn    string // by which the person came; empty for none
	Place    string // of a note, as its timeline labels it; or words of the event: a task, how many items were kept, how much was confirmed
	About    string // what the letter that follows is about more closely, as the id of a knock; not kept in the event
	Count    int    // of people whom it is about, who are not named
	Note     string // id of the note that it is about, for the notice that follows; not kept in the event
	Message  string // what somebody said, for the letter that follows; not kept in the event
}

// An Event is what has happened to a package, with the facts as they were.
type Event struct {
	ID        int64
	StudioID  string
	ParcelID  string
	LineID    string
	MemberID  string
	VersionID string
	Kind      event.Kind
	At        time.Time
	Who       event.Who
	Facts     event.Facts
}

// Say is the event in one sentence.
func (e Event) Say() string { return event.Say(e.Kind, e.Who, e.Facts) }

// A Card is how somebody was called when something happened; empty once they were erased.
type Card struct {
	Salt        []byte
	Name, Email string
}

// A Chained is an event in the chain of its package.
type Chained struct {
	Link     proof.Link // without the sum of the one before
	Sum      proof.Sum  // as it is kept
	Line, By Card
	Facts    event.Facts
}

// Store is what a Log needs of the database.
type Store interface {
	// InsertEvents appends events, all in one statement, and returns them in their order.
	InsertEvents(ctx context.Context, all []Happening) ([]notices.Happened, error)
	Announce(ctx context.Context, c ground.Change) error
	// Readers are the lines of a package that a letter can go to, or one of them.
	Readers(ctx context.Context, parcel, line string) ([]letters.Reader, error)
	// Producer is who made a package.
	Producer(ctx context.Context, parcel string) (letters.Reader, error)
}

// A Log records happenings. Make it with New.
type Log struct {
	store   Store
	letters *letters.Service
	notices *notices.Service
	hooks   Teller
}

// A Teller tells other programs, in the transaction of ctx.
type Teller interface {
	Tell(ctx context.Context, all []notices.Happened) error
}

// New makes a log. It also writes down what becomes of letters that do not arrive.
func New(store Store, post *letters.Service, telling *notices.Service, programs Teller) *Log {
	l := &Log{store, post, telling, programs}
	post.OnLost(l.lost)
	return l
}

// lost records that a letter about a package did not reach somebody.
func (l *Log) lost(ctx context.Context, was letters.Letter) error {
	if was.ParcelID == "" || letter.All.Get(was.Kind).To != letter.Line {
		return nil
	}
	return l.Record(ctx, Happening{Kind: event.Lost, StudioID: was.StudioID, ParcelID: was.ParcelID, LineID: was.LineID})
}

// Record records what happens, in the transaction of ctx. cut names what of it
// running downloads must end for; nil where they may go on.
func (l *Log) Record(ctx context.Context, all ...Happening) error {
	return l.RecordCut(ctx, nil, all...)
}

// RecordCut is Record with what running downloads must hear.
func (l *Log) RecordCut(ctx context.Context, cut *ground.Cut, all ...Happening) error {
	if len(all) == 0 {
		return nil
	}
	written, err := l.store.InsertEvents(ctx, all)
	if err != nil {
		return err
	}
	for i := range written {
		written[i].Note = all[i].Note
	}
	own, err := l.notices.Tell(ctx, written)
	if err != nil {
		return err
	}
	if err := l.hooks.Tell(ctx, written); err != nil {
		return err
	}
	type told struct{ parcel, line, what string }
	heard := map[told]bool{}
	for i, h := range all {
		d := event.All.Get(h.Kind)
		change := ground.Change{Studio: h.StudioID, Parcel: h.ParcelID, What: ground.What(d.Changes), Cut: cut}
		if d.Theirs {
			change.Line = h.LineID
		}
		if key := (told{change.Parcel, change.Line, string(d.Changes)}); !heard[key] {
			heard[key] = true
			if err := l.store.Announce(ctx, change); err != nil {
				return err
			}
		}
		if d.Letter != "" && (own[i] || letter.All.Get(d.Letter).To != letter.Producer) {
			if err := l.follow(ctx, h, d.Letter); err != nil {
				return err
			}
		}
	}
	return nil
}

// TellOne tells one member of the studio what is no event of the package.
func (l *Log) TellOne(ctx context.Context, p notices.Personal) error {
	return l.notices.TellOne(ctx, p)
}

// follow posts the letter that follows from a happening.
func (l *Log) follow(ctx context.Context, h Happening, kind letter.Kind) error {
	post := letters.Letter{StudioID: h.StudioID, ParcelID: h.ParcelID, LineID: h.LineID, Kind: kind}
	if h.Message != "" || h.About != "" {
		post.Data = map[string]string{"message": h.Message, "about": h.About}
	}
	if letter.All.Get(kind).To == letter.Producer {
		reader, err := l.store.Producer(ctx, h.ParcelID)
		if err != nil {
			return err
		}
		post.ToName, post.ToEmail = reader.Name, reader.Email
		return l.letters.Post(ctx, post)
	}
	readers, err := l.store.Readers(ctx, h.ParcelID, h.LineID)
	if err != nil {
		return err
	}
	for _, r := range readers {
		post.LineID, post.ToName, post.ToEmail = r.LineID, r.Name, r.Email
		if err := l.letters.Post(ctx, post); err != nil {
			return err
		}
	}
	return nil
}
