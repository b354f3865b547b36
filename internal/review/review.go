// Package review is the conversation about what was sent: notes, answers, and
// what is done.
package review

import (
	"aftergust/core/access"
	"aftergust/core/event"
	"aftergust/core/review"
	"aftergust/core/right"
	"aftergust/internal/account"
	"aftergust/internal/ground"
	"aftergust/internal/happen"
	"aftergust/internal/pack"
	"aftergust/internal/receive"
	"context"
	"slices"
	"strings"
	"time"
	"unicode/utf8"
)

// A Note is feedback at a place of a version, or an answer to one.
type Note struct {
	ID        string
	ParcelID  string
	ContentID string // the item of the package that it lies on
	VersionID string
	ParentID  string // set for an answer
	LineID    string
	WayIn     string // by which the person came
	MemberID  string
	Author    string
	Anchor    review.Anchor
	Place     review.Place
	Body      string
	CreatedAt time.Time
	DoneAt    *time.Time
	Withdrawn bool // with the item that it is on
}

// Store is what the service needs of the database.
type Store interface {
	ground.Records
	Ticks
	InsertNote(ctx context.Context, n Note) error
	NoteByID(ctx context.Context, id string) (Note, bool, error)
	Notes(ctx context.Context, parcel string) ([]Note, error)
	SetNoteDone(ctx context.Context, id string, at *time.Time) error
}

// A Service keeps notes. Make it with New.
type Service struct {
	store   Store
	pack    *pack.Service
	receive *receive.Service
	events  *happen.Log
	now     func() time.Time
}

// New makes a service.
func New(store Store, packing *pack.Service, receiving *receive.Service, events *happen.Log, now func() time.Time) *Service {
	return &Service{store, packing, receiving, events, now}
}

// maxNote is how long a note may be, in characters.
const maxNote = 4000

// WriteNote leaves a note on an item as a recipient.
func (s *Service) WriteNote(ctx context.Context, e receive.Entrant, contentID string, anchor review.Anchor, body string) (Note, error) {
	content, err := s.receive.Reach(ctx, e, contentID, right.Note)
	if err != nil {
		return Note{}, err
	}
	return s.writeNote(ctx, content, e.Parcel, Note{LineID: e.Line.ID, WayIn: e.Line.WayID, Author: e.Line.Name, Anchor: anchor, Body: body})
}

// WriteStudioNote leaves a note on an item as a member of the studio.
func (s *Service) WriteStudioNote(ctx context.Context, m account.Member, contentID string, anchor review.Anchor, body string) (Note,
	error) {
	content, parcel, err := s.pack.ContentOf(ctx, m, contentID)
	if err != nil {
		return Note{}, err
	}
	return s.writeNote(ctx, content, parcel, Note{MemberID: m.ID, Author: m.Name, Anchor: anchor, Body: body})
}

func (s *Service) writeNote(ctx context.Context, content pack.Content, parcel pack.Parcel, n Note) (Note, error) {
	var err error
	if n.Place, err = content.Reviewed().Place(n.Anchor); err != nil {
		return Note{}, ground.Wrong("anchor", "The note was not saved: %s.", err)
	}
	n.ContentID, n.VersionID = content.ID, content.VersionID
	return s.saveNote(ctx, parcel, n)
}

func (s *Service) saveNote(ctx context.Context, parcel pack.Parcel, n Note) (Note, error) {
	n.Body = strings.TrimSpace(strings.ToValidUTF8(n.Body, ""))
	if n.Body == "" || utf8.RuneCountInString(n.Body) > maxNote {
		return Note{}, ground.Wrong("body", "A note has 1 to %d characters.", maxNote)
	}
	n.ID, n.ParcelID, n.CreatedAt = ground.NewID(), parcel.ID, s.now()
	return n, s.store.Tx(ctx, func(ctx context.Context) error {
		if err := s.store.InsertNote(ctx, n); err != nil {
			return err
		}
		return s.events.Record(ctx, happen.Happening{Kind: event.Noted, StudioID: parcel.StudioID, ParcelID: parcel.ID, LineID: n.LineID,
			WayIn:    n.WayIn,
			MemberID: n.MemberID, Version: n.VersionID, Place: n.Place.Label})
	})
}

// Answer answers a note as a recipient.
func (s *Service) Answer(ctx context.Context, e receive.Entrant, noteID, body string) (Note, error) {
	if err := receive.Refusal(e.Decide(right.Note, false, s.now())); err != nil {
		return Note{}, err
	}
	parent, err := s.noteIn(ctx, e.Parcel.ID, noteID)
	if err == nil && parent.Withdrawn {
		err = receive.Refusal(access.Withdrawn)
	}
	if err != nil {
		return Note{}, err
	}
	return s.answer(ctx, e.Parcel, parent, Note{LineID: e.Line.ID, WayIn: e.Line.WayID, Author: e.Line.Name, Body: body})
}

// StudioAnswer answers a note as a member of the studio.
func (s *Service) StudioAnswer(ctx context.Context, m account.Member, noteID, body string) (Note, error) {
	parent, parcel, err := s.noteOf(ctx, m, noteID)
	if err != nil {
		return Note{}, err
	}
	return s.answer(ctx, parcel, parent, Note{MemberID: m.ID, Author: m.Name, Body: body})
}

func (s *Service) answer(ctx context.Context, parcel pack.Parcel, parent, n Note) (Note, error) {
	if parent.ParentID != "" {
		return Note{}, ground.Clash("answer_of_answer", "Answer the note itself; its answers lie in one thread.")
	}
	n.ParentID, n.ContentID, n.VersionID, n.Anchor, n.Place = parent.ID, parent.ContentID, parent.VersionID, parent.Anchor, parent.Place
	return s.saveNote(ctx, parcel, n)
}

func (s *Service) noteIn(ctx context.Context, parcel, id string) (Note, error) {
	note, ok, err := s.store.NoteByID(ctx, id)
	if err == nil && (!ok || note.ParcelID != parcel) {
		err = ground.Missing("note")
	}
	return note, err
}

func (s *Service) noteOf(ctx context.Context, m account.Member, id string) (Note, pack.Parcel, error) {
	note, ok, err := s.store.NoteByID(ctx, id)
	if err != nil {
		return note, pack.Parcel{}, err
	}
	if !ok {
		return note, pack.Parcel{}, ground.Missing("note")
	}
	parcel, err := s.pack.ParcelOf(ctx, m, note.ParcelID)
	return note, parcel, err
}

// SetDone ticks a note as done, or takes the tick back.
func (s *Service) SetDone(ctx context.Context, m account.Member, noteID string, done bool) error {
	note, parcel, err := s.noteOf(ctx, m, noteID)
	if err != nil {
		return err
	}
	if note.ParentID != "" {
		return ground.Clash("answer_done", "An answer cannot be done; its note can.")
	}
	var at *time.Time
	if done {
		now := s.now()
		at = &now
	}
	return s.store.Tx(ctx, func(ctx context.Context) error {
		if err := s.store.SetNoteDone(ctx, noteID, at); err != nil {
			return err
		}
		if !done {
			return s.store.Announce(ctx, ground.Change{Studio: parcel.StudioID, Parcel: parcel.ID, What: ground.NotesChanged})
		}
		return s.events.Record(ctx, happen.Happening{Kind: event.Done, StudioID: parcel.StudioID, ParcelID: parcel.ID, MemberID: m.ID,
			Version: note.VersionID,
			Place:   note.Place.Label})
	})
}

// Notes lists the notes and answers of a package, oldest first.
func (s *Service) Notes(ctx context.Context, m account.Member, id string) ([]Note, error) {
	if _, err := s.pack.ParcelOf(ctx, m, id); err != nil {
		return nil, err
	}
	return s.store.Notes(ctx, id)
}

// GuestNotes lists the notes of a package for an entrant who may see it. Those on
// items that were withdrawn are withdrawn with them.
func (s *Service) GuestNotes(ctx context.Context, e receive.Entrant) ([]Note, error) {
	if err := receive.Refusal(e.Decide(right.See, false, s.now())); err != nil {
		return nil, err
	}
	notes, err := s.store.Notes(ctx, e.Parcel.ID)
	return slices.DeleteFunc(notes, func(n Note) bool { return n.Withdrawn }), err
}
