// Package review is the conversation about what was sent: notes with what lies at
// them, answers, and what is done.
package review

import (
	"context"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"aftergust/core/link/access"
	"aftergust/core/link/right"
	"aftergust/core/notes/review"
	"aftergust/core/record/event"
	"aftergust/core/words/notice"
	"aftergust/internal/files/blob"
	"aftergust/internal/files/keep"
	"aftergust/internal/files/media"
	"aftergust/internal/ground"
	"aftergust/internal/ground/db"
	"aftergust/internal/parts/changes"
	"aftergust/internal/parts/happen"
	"aftergust/internal/parts/pack"
	"aftergust/internal/parts/previews"
	"aftergust/internal/parts/receive"
	"aftergust/internal/who/account"
)

// A Note is feedback at a place of a version, or an answer to one.
type Note struct {
	ID         string
	ParcelID   string
	ContentID  string // the item of the package that it lies on
	VersionID  string
	Number     int    // of the version
	ParentID   string // set for an answer
	LineID     string
	WayIn      string // by which the person came
	MemberID   string
	Author     string
	Anchor     review.Anchor
	Place      review.Place
	Body       string
	Edition    int // from 1; one more with each edit
	Private    bool
	AssignedID string // member who does it; empty for nobody
	Assigned   string // their name
	CreatedAt  time.Time
	DoneAt     *time.Time
	Withdrawn  bool // with the item that it is on
	Attached   []Attachment
	Signs      []Reaction
	Source     string // id in the program that it was read in from; empty for a note of ours
	SaidBy     string // how that program named its author
	BroughtBy  string // who read it in; empty for a note that was written here

	Carried review.Carried // where it lies on the version that is looked at, if that is a later one; only in a Room
}

// here is where a note lies on the version that is looked at.
func (n Note) here() review.Anchor {
	if n.Carried.How != review.AtHome {
		return n.Carried.Anchor
	}
	return n.Anchor
}

// A Draft is a note as somebody writes it.
type Draft struct {
	Version  string // on which it lies; empty for the one that the package gives
	Anchor   review.Anchor
	Body     string
	Private  bool
	Attached []string // ids of what was attached before
}

// A Reaction is a sign that somebody gave a note.
type Reaction struct {
	Sign review.Sign `json:"sign"`
	Who  string      `json:"who"` // id of the line or member
	Name string      `json:"name"`
}

// Words are former words of a note.
type Words struct {
	Text  string
	Until time.Time // when they were replaced
}

// A Service keeps notes. Make it with New.
type Service struct {
	rows           Rows
	attachmentRows AttachmentRows
	roomRows       RoomRows
	talkRows       TalkRows
	happenRows     happen.Rows
	keepRows       keep.Rows
	previewsRows   previews.Rows
	bytes          blob.Store
	bench          *media.Bench // for what lies at notes
	pack           *pack.Service
	receive        *receive.Service
	changes        *changes.Service
	events         *happen.Log
	now            func() time.Time
}

// attachAtOnce is how many attachments are made ready at a time.
const attachAtOnce = 2

// New makes a service. work is a folder for what is being made.
func New(store *db.DB, bytes blob.Store, work string, packing *pack.Service, receiving *receive.Service, changing *changes.Service,
	events *happen.Log, now func() time.Time) *Service {
	return &Service{
		Rows{store}, AttachmentRows{store}, RoomRows{store}, TalkRows{store}, happen.Rows{DB: store},
		keep.Rows{DB: store}, previews.Rows{DB: store},
		bytes, media.NewBench(work, attachAtOnce), packing, receiving, changing, events, now,
	}
}

// Bounds of a note.
const (
	maxNote     = 4000 // characters
	maxAttached = 8
)

// Write leaves a note on an item.
func (s *Service) Write(ctx context.Context, p Party, contentID string, d Draft) (Note, error) {
	content, parcel, err := s.content(ctx, p, contentID, right.Note)
	if err == nil {
		content, err = s.at(ctx, p, content, d.Version)
	}
	if err != nil {
		return Note{}, err
	}
	n := Note{Anchor: d.Anchor, ContentID: content.ID, VersionID: content.VersionID, Number: content.Number}
	if n.Place, err = content.Reviewed().Place(n.Anchor); err != nil {
		return Note{}, ground.Wrong("anchor", "The note was not saved: %s.", err)
	}
	return s.save(ctx, p, parcel, n, d)
}

// Answer answers a note. An answer to a private note is private too.
func (s *Service) Answer(ctx context.Context, p Party, noteID string, d Draft) (Note, error) {
	parent, parcel, err := s.note(ctx, p, noteID, access.AnswerNote)
	if err != nil {
		return Note{}, err
	}
	if parent.ParentID != "" {
		return Note{}, ground.Clash("answer_of_answer", "Answer the note itself; its answers lie in one thread.")
	}
	d.Private = d.Private || parent.Private
	return s.save(ctx, p, parcel, Note{ParentID: parent.ID, ContentID: parent.ContentID, VersionID: parent.VersionID, Number: parent.Number,
		Anchor: parent.Anchor, Place: parent.Place}, d)
}

func (s *Service) save(ctx context.Context, p Party, parcel pack.Parcel, n Note, d Draft) (Note, error) {
	var err error
	if err = p.writes(); err != nil {
		return Note{}, err
	}
	if n.Body, err = worded(d.Body, len(d.Attached) > 0 || len(n.Anchor.Strokes) > 0 && n.ParentID == ""); err != nil {
		return Note{}, err
	}
	if len(d.Attached) > maxAttached {
		return Note{}, ground.Wrong("attached", "At most %d things lie at a note.", maxAttached)
	}
	n.ID, n.ParcelID, n.CreatedAt, n.Edition = ground.NewID(), parcel.ID, s.now(), 1
	n.Author, n.Private = p.Name(), d.Private && p.InStudio()
	n.LineID, n.WayIn, n.MemberID = p.by()
	err = s.rows.Tx(ctx, func(ctx context.Context) error {
		if err := s.rows.InsertNote(ctx, n); err != nil {
			return err
		}
		if len(d.Attached) > 0 {
			if found, err := s.attachmentRows.AttachTo(ctx, n, d.Attached); err != nil {
				return err
			} else if found != len(d.Attached) {
				return ground.Wrong("attached", "What you attached is not there any more. Attach it again; the words are still in the field.")
			}
		}
		if err := s.concern(ctx, p, parcel, n); err != nil {
			return err
		}
		if n.Private {
			return s.changed(ctx, parcel)
		}
		return s.events.Record(ctx, happen.Happening{Kind: event.Noted, StudioID: parcel.StudioID, ParcelID: parcel.ID, LineID: n.LineID,
			WayIn: n.WayIn, MemberID: n.MemberID, Version: n.VersionID, Place: n.Place.Label, Note: n.ID})
	})
	if err != nil || len(d.Attached) == 0 {
		return n, err
	}
	n, _, err = s.rows.NoteByID(ctx, n.ID)
	return n, err
}

// worded is the text of a note as it is kept. Where something else says it, it may be empty.
func worded(text string, saysElse bool) (string, error) {
	text = strings.TrimSpace(strings.ToValidUTF8(text, ""))
	switch n := utf8.RuneCountInString(text); {
	case n > maxNote:
		return "", ground.Wrong("text", "A note has at most %d characters; this has %d.", maxNote, n)
	case n == 0 && !saysElse:
		return "", ground.Wrong("text", "Write what should change, draw it or say it.")
	}
	return text, nil
}

// changed tells screens that the notes of a package are others now.
func (s *Service) changed(ctx context.Context, parcel pack.Parcel) error {
	return s.rows.Announce(ctx, ground.Change{Studio: parcel.StudioID, Parcel: parcel.ID, What: ground.NotesChanged})
}

// Edit changes the words of a note, and keeps those that it had. edition is the one that
// whoever edits it has seen: an edit of another window in between is not lost under it.
func (s *Service) Edit(ctx context.Context, p Party, noteID string, edition int, body string) (Note, error) {
	n, parcel, err := s.note(ctx, p, noteID, access.EditNote)
	if err != nil {
		return n, err
	}
	if body, err = worded(body, len(n.Attached) > 0 || len(n.Anchor.Strokes) > 0); err != nil || body == n.Body {
		return n, err
	}
	err = s.rows.Tx(ctx, func(ctx context.Context) error {
		ok, err := s.rows.EditNote(ctx, n.ID, edition, body, s.now())
		if err == nil && !ok {
			err = ground.Clash("edited", "This note was edited in another window meanwhile. Your words are still in the field; read the others first.")
		}
		if err != nil {
			return err
		}
		n.Body, n.Edition = body, edition+1
		if _, err := s.named(ctx, p, parcel, n); err != nil {
			return err
		}
		return s.changed(ctx, parcel)
	})
	return n, err
}

// Former are the words that a note had before, the last first.
func (s *Service) Former(ctx context.Context, p Party, noteID string) ([]Words, error) {
	if _, _, err := s.note(ctx, p, noteID, access.ReadNote); err != nil {
		return nil, err
	}
	return s.rows.FormerWords(ctx, noteID)
}

// Remove takes a note back that nobody else has answered.
func (s *Service) Remove(ctx context.Context, p Party, noteID string) error {
	n, parcel, err := s.note(ctx, p, noteID, access.RemoveNote)
	if err != nil {
		return err
	}
	return s.rows.Tx(ctx, func(ctx context.Context) error {
		ok, err := s.rows.RemoveNote(ctx, n.ID, s.now())
		if err == nil && !ok {
			err = ground.Clash("answered", "Somebody has answered this note, so it stays. Edit it, or tick it as done.")
		}
		if err != nil {
			return err
		}
		return s.changed(ctx, parcel)
	})
}

// SetDone ticks a note as done, or opens it again.
func (s *Service) SetDone(ctx context.Context, p Party, noteID string, done bool) error {
	n, parcel, err := s.head(ctx, p, noteID, access.TickNote)
	if err != nil || done == (n.DoneAt != nil) {
		return err
	}
	var at *time.Time
	if done {
		at = new(s.now())
	}
	return s.rows.Tx(ctx, func(ctx context.Context) error {
		if err := s.rows.SetNoteDone(ctx, noteID, at); err != nil {
			return err
		}
		if !done || n.Private {
			return s.changed(ctx, parcel)
		}
		line, way, member := p.by()
		return s.events.Record(ctx, happen.Happening{Kind: event.Done, StudioID: parcel.StudioID, ParcelID: parcel.ID, LineID: line, WayIn: way,
			MemberID: member, Version: n.VersionID, Place: n.Place.Label})
	})
}

// head is a note that is no answer.
func (s *Service) head(ctx context.Context, p Party, noteID string, act access.NoteAct) (Note, pack.Parcel, error) {
	n, parcel, err := s.note(ctx, p, noteID, act)
	if err == nil && n.ParentID != "" {
		err = ground.Clash("of_answer", "This can be done with a note, not with an answer.")
	}
	return n, parcel, err
}

// SetPrivate keeps a note to the studio, or shows it to everybody who may see it. What
// others have answered stays in sight.
func (s *Service) SetPrivate(ctx context.Context, p Party, noteID string, private bool) error {
	n, parcel, err := s.head(ctx, p, noteID, access.HideNote)
	if err == nil && private && n.LineID != "" {
		err = ground.Clash("not_yours", n.Author+" wrote this note; it cannot be kept from them.")
	}
	if err != nil {
		return err
	}
	return s.rows.Tx(ctx, func(ctx context.Context) error {
		if err := s.rows.SetNotePrivate(ctx, n.ID, private); err != nil {
			return err
		}
		return s.changed(ctx, parcel)
	})
}

// Assign says who of the studio does what a note asks for; an empty member takes that back.
func (s *Service) Assign(ctx context.Context, p Party, noteID, member string) error {
	n, parcel, err := s.head(ctx, p, noteID, access.AssignNote)
	if err != nil || n.AssignedID == member {
		return err
	}
	if member != "" {
		people, err := s.roomRows.TakePart(ctx, parcel.ID)
		if err != nil {
			return err
		}
		if !slices.ContainsFunc(people, func(one Person) bool { return one.Studio && one.ID == member }) {
			return ground.Missing("member of the studio")
		}
	}
	return s.rows.Tx(ctx, func(ctx context.Context) error {
		if err := s.rows.AssignNote(ctx, n.ID, member); err != nil {
			return err
		}
		if member != "" {
			if err := s.personal(ctx, p, parcel, notice.Given, n, member); err != nil {
				return err
			}
		}
		return s.changed(ctx, parcel)
	})
}

// Sign gives a note a sign, or takes it back.
func (s *Service) Sign(ctx context.Context, p Party, noteID string, sign review.Sign, on bool) error {
	if !review.Signs.Has(sign) {
		return ground.Wrong("sign", "There is no sign %q.", sign)
	}
	n, parcel, err := s.note(ctx, p, noteID, access.SignNote)
	if err != nil {
		return err
	}
	return s.rows.Tx(ctx, func(ctx context.Context) error {
		if err := s.rows.SetSign(ctx, n, p, sign, on, s.now()); err != nil {
			return err
		}
		return s.changed(ctx, parcel)
	})
}

// Notes lists the notes and answers of a package, oldest first.
func (s *Service) Notes(ctx context.Context, m account.Member, id string) ([]Note, error) {
	if _, err := s.pack.ParcelOf(ctx, m, id); err != nil {
		return nil, err
	}
	return s.rows.Notes(ctx, id, "")
}

// GuestNotes lists the notes of a package for an entrant who may see it, without those
// that they may not read.
func (s *Service) GuestNotes(ctx context.Context, e receive.Entrant) ([]Note, error) {
	if err := receive.Refusal(e.Decide(right.See, false, s.now())); err != nil {
		return nil, err
	}
	notes, err := s.rows.Notes(ctx, e.Parcel.ID, "")
	return s.readable(Guest(e), e.Parcel, notes), err
}

// readable are those of the notes that somebody may read.
func (s *Service) readable(p Party, parcel pack.Parcel, notes []Note) []Note {
	gate, now := parcel.Gate(s.now()), s.now()
	return slices.DeleteFunc(notes, func(n Note) bool { return p.decide(access.ReadNote, n, gate, now) != access.Allowed })
}
