package studio

import (
	"context"
	"strings"
	"time"
	"unicode/utf8"

	"aftergust/core/access"
	"aftergust/core/review"
	"aftergust/core/timecode"
)

// A Note is feedback at a place of a version, or an answer to one.
type Note struct {
	ID          string
	ParcelID    string
	ContentID   string // the item of the package that it lies on
	VersionID   string
	ParentID    string // set for an answer
	RecipientID string
	MemberID    string
	Author      string
	Anchor      review.Anchor
	Place       review.Place
	Body        string
	CreatedAt   time.Time
	DoneAt      *time.Time
}

type reviewRecords interface {
	InsertNote(ctx context.Context, n Note) error
	NoteByID(ctx context.Context, id string) (Note, bool, error)
	Notes(ctx context.Context, parcel string) ([]Note, error)
	SetNoteDone(ctx context.Context, id string, at *time.Time) error
}

const maxNote = 4000

// Piece is what core/review needs to place a note on the content.
func (c Content) Piece() review.Piece {
	return review.Piece{Length: timecode.Micros(c.Facts.LengthUS), Frames: timecode.Frame(c.Facts.Frames), Timeline: c.Facts.Timeline()}
}

// WriteNote leaves a note on an item as a recipient.
func (s *Service) WriteNote(ctx context.Context, e Entrant, contentID string, anchor review.Anchor, body string) (Note, error) {
	content, err := s.Reach(ctx, e, contentID, access.Note)
	if err != nil {
		return Note{}, err
	}
	return s.writeNote(ctx, content, e.Parcel, Note{RecipientID: e.Recipient.ID, Author: e.Recipient.Name, Anchor: anchor, Body: body})
}

// WriteStudioNote leaves a note on an item as a member of the studio.
func (s *Service) WriteStudioNote(ctx context.Context, m Member, contentID string, anchor review.Anchor, body string) (Note, error) {
	content, parcel, err := s.contentOf(ctx, m, contentID)
	if err != nil {
		return Note{}, err
	}
	return s.writeNote(ctx, content, parcel, Note{MemberID: m.ID, Author: m.Name, Anchor: anchor, Body: body})
}

func (s *Service) writeNote(ctx context.Context, content Content, parcel Parcel, n Note) (Note, error) {
	var err error
	if n.Place, err = content.Piece().Place(n.Anchor); err != nil {
		return Note{}, invalid("anchor", "The note was not saved: %s.", err)
	}
	n.ContentID, n.VersionID = content.ID, content.VersionID
	return s.saveNote(ctx, parcel, n)
}

func (s *Service) saveNote(ctx context.Context, parcel Parcel, n Note) (Note, error) {
	n.Body = strings.TrimSpace(strings.ToValidUTF8(n.Body, ""))
	if n.Body == "" || utf8.RuneCountInString(n.Body) > maxNote {
		return Note{}, invalid("body", "A note has 1 to %d characters.", maxNote)
	}
	n.ID, n.ParcelID, n.CreatedAt = NewID(), parcel.ID, s.now()
	return n, s.records.Tx(ctx, func(r Records) error {
		if err := r.InsertNote(ctx, n); err != nil {
			return err
		}
		if err := r.InsertEvent(ctx, Event{StudioID: parcel.StudioID, ParcelID: parcel.ID, RecipientID: n.RecipientID, MemberID: n.MemberID, VersionID: n.VersionID, Kind: EventNoted}); err != nil {
			return err
		}
		return r.Announce(ctx, Change{Studio: parcel.StudioID, Parcel: parcel.ID, What: NotesChanged})
	})
}

// Answer answers a note as a recipient.
func (s *Service) Answer(ctx context.Context, e Entrant, noteID, body string) (Note, error) {
	if err := Refusal(e.Decide(access.Note, false, s.now())); err != nil {
		return Note{}, err
	}
	parent, err := s.noteIn(ctx, e.Parcel.ID, noteID)
	if err != nil {
		return Note{}, err
	}
	return s.answer(ctx, e.Parcel, parent, Note{RecipientID: e.Recipient.ID, Author: e.Recipient.Name, Body: body})
}

// StudioAnswer answers a note as a member of the studio.
func (s *Service) StudioAnswer(ctx context.Context, m Member, noteID, body string) (Note, error) {
	parent, parcel, err := s.noteOf(ctx, m, noteID)
	if err != nil {
		return Note{}, err
	}
	return s.answer(ctx, parcel, parent, Note{MemberID: m.ID, Author: m.Name, Body: body})
}

func (s *Service) answer(ctx context.Context, parcel Parcel, parent, n Note) (Note, error) {
	if parent.ParentID != "" {
		return Note{}, conflict("answer_of_answer", "Answer the note itself; its answers lie in one thread.")
	}
	n.ParentID, n.ContentID, n.VersionID, n.Anchor, n.Place = parent.ID, parent.ContentID, parent.VersionID, parent.Anchor, parent.Place
	return s.saveNote(ctx, parcel, n)
}

func (s *Service) noteIn(ctx context.Context, parcel, id string) (Note, error) {
	note, ok, err := s.records.NoteByID(ctx, id)
	if err == nil && (!ok || note.ParcelID != parcel) {
		err = notFound("note")
	}
	return note, err
}

func (s *Service) noteOf(ctx context.Context, m Member, id string) (Note, Parcel, error) {
	note, ok, err := s.records.NoteByID(ctx, id)
	if err != nil {
		return note, Parcel{}, err
	}
	if !ok {
		return note, Parcel{}, notFound("note")
	}
	parcel, err := s.parcelOf(ctx, m, note.ParcelID)
	return note, parcel, err
}

// SetDone ticks a note as done, or takes the tick back.
func (s *Service) SetDone(ctx context.Context, m Member, noteID string, done bool) error {
	note, parcel, err := s.noteOf(ctx, m, noteID)
	if err != nil {
		return err
	}
	if note.ParentID != "" {
		return conflict("answer_done", "An answer cannot be done; its note can.")
	}
	var at *time.Time
	if done {
		now := s.now()
		at = &now
	}
	return s.records.Tx(ctx, func(r Records) error {
		if err := r.SetNoteDone(ctx, noteID, at); err != nil {
			return err
		}
		if done {
			if err := r.InsertEvent(ctx, Event{StudioID: parcel.StudioID, ParcelID: parcel.ID, MemberID: m.ID, VersionID: note.VersionID, Kind: EventDone}); err != nil {
				return err
			}
		}
		return r.Announce(ctx, Change{Studio: parcel.StudioID, Parcel: parcel.ID, What: NotesChanged})
	})
}

// Notes lists the notes and answers of a package, oldest first.
func (s *Service) Notes(ctx context.Context, m Member, id string) ([]Note, error) {
	if _, err := s.parcelOf(ctx, m, id); err != nil {
		return nil, err
	}
	return s.records.Notes(ctx, id)
}

// GuestNotes lists the notes of a package for an entrant who may see it.
func (s *Service) GuestNotes(ctx context.Context, e Entrant) ([]Note, error) {
	if err := Refusal(e.Decide(access.See, false, s.now())); err != nil {
		return nil, err
	}
	return s.records.Notes(ctx, e.Parcel.ID)
}
