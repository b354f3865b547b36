package review

import (
	"cmp"
	"context"
	"errors"
	"io"
	"os"
	"slices"
	"time"

	"aftergust/core/file/transfer"
	"aftergust/core/link/access"
	"aftergust/core/link/right"
	"aftergust/core/media/preview"
	"aftergust/core/notes/markers"
	"aftergust/core/notes/review"
	"aftergust/core/record/event"
	"aftergust/internal/files/media"
	"aftergust/internal/ground"
	"aftergust/internal/parts/happen"
	"aftergust/internal/parts/pack"
)

// A Wish says which notes go out, and how their timecode counts.
type Wish struct {
	Version string // on which they lie; empty for the one that the package gives
	Open    bool   // those that are not done alone
	Who     string // those of one person, by the id of the line or member; empty for all
	Start   string // timecode of the first frame; empty for that of the media
}

// An Exchange is how notes leave as files that other programs read, and come in from theirs.
type Exchange struct{ notes *Service }

// Exchange is how notes leave and come in.
func (s *Service) Exchange() Exchange { return Exchange{s} }

// Out are the notes of an item as they go out in a format, where they lie on a version.
// address is that of the item.
func (e Exchange) Out(ctx context.Context, p Party, contentID, address string, w Wish) (markers.Sheet, []markers.Marker, error) {
	content, parcel, err := e.notes.content(ctx, p, contentID, right.See)
	if err == nil {
		content, err = e.notes.at(ctx, p, content, w.Version)
	}
	if err != nil {
		return markers.Sheet{}, nil, err
	}
	sheet := sheetOf(content, parcel, address)
	if w.Start != "" {
		if sheet.Timeline.Rate.Num == 0 {
			return sheet, nil, ground.Wrong("start", "This piece counts no frames, so it has no start timecode.")
		}
		if sheet.Timeline.Start, err = sheet.Timeline.Rate.Parse(w.Start); err != nil {
			return sheet, nil, ground.Wrong("start", "%s.", err)
		}
	}
	notes, err := e.notes.laid(ctx, p, parcel, content)
	if err != nil {
		return sheet, nil, err
	}
	return sheet, marked(notes, content, w), nil
}

func sheetOf(c pack.Content, parcel pack.Parcel, address string) markers.Sheet {
	r := c.Reviewed()
	return markers.Sheet{Title: parcel.Title, Name: c.FileName, Address: address, Timeline: r.Timeline, Frames: r.Frames, Length: r.Length}
}

func marked(notes []Note, content pack.Content, w Wish) []markers.Marker {
	answers := map[string][]markers.Marker{}
	for _, n := range notes {
		if n.ParentID != "" {
			answers[n.ParentID] = append(answers[n.ParentID], markers.Marker{Author: n.Author, Text: n.Says(), Created: n.CreatedAt})
		}
	}
	out := []markers.Marker{}
	for _, n := range notes {
		older := n.Number < content.Number
		switch {
		case n.ParentID != "", n.Number > content.Number, older && n.DoneAt != nil, w.Open && n.DoneAt != nil,
			w.Who != "" && w.Who != n.LineID+n.MemberID:
			continue
		}
		a := n.here()
		m := markers.Marker{ID: n.ID, Author: n.Author, Text: n.Says(), Created: n.CreatedAt, Done: n.DoneAt != nil,
			Timed: a.When != review.AnyTime, At: a.At, Until: max(a.At, a.Until), Page: a.Page,
			Placed: a.Where == review.Spot || a.Where == review.Area, X: a.X, Y: a.Y, W: a.W,
			H: a.H, Answers: answers[n.ID]}
		out = append(out, m)
	}
	slices.SortStableFunc(out, func(a, b markers.Marker) int { return cmp.Compare(a.At, b.At) })
	return out
}

// A Report says what notes that come in do, or have done.
type Report struct {
	New      int               // are added
	Same     int               // are here already
	Differs  int               // are here with other words, which stay
	Done     int               // are ticked, since they are done there
	Problems []markers.Problem // entries that are left out
	First    []string          // words of the first of those that are added
}

// firstWords is how many of the notes that will be added a preview shows.
const firstWords = 5

// In takes notes in from a file, on the version that the package gives now; unless do, it
// only says what would happen. Whoever takes them in answers for them: the file names
// their authors, and each note says who brought it.
func (e Exchange) In(ctx context.Context, p Party, contentID string, f markers.Format, from io.Reader, do bool) (r Report, err error) {
	content, parcel, err := e.notes.content(ctx, p, contentID, right.Note)
	if err == nil {
		err = p.writes()
	}
	if err != nil {
		return r, err
	}
	if !markers.Formats.Get(f).Reads {
		return r, ground.Wrong("format", "Notes do not come in as %q; they do as OpenTimelineIO, CSV and Web Annotation.", f)
	}
	var coming []markers.Marker
	if coming, r.Problems, err = e.read(ctx, from, f, sheetOf(content, parcel, "")); err != nil {
		return r, err
	}
	err = e.notes.rows.Tx(ctx, func(ctx context.Context) error {
		if err := e.notes.roomRows.LockPackage(ctx, parcel.ID); err != nil { // two who take in the same file at once
			return err
		}
		return e.merge(ctx, p, parcel, content, coming, do, &r)
	})
	return r, err
}

// LargestNotes bounds a file of notes that comes in, in bytes.
const LargestNotes = 64 << 20

// read reads the markers of a file, when it is there and it has its turn: it is held in memory.
func (e Exchange) read(
	ctx context.Context, from io.Reader, f markers.Format, sheet markers.Sheet,
) ([]markers.Marker, []markers.Problem, error) {
	file, _, done, err := e.notes.bench.Given(ctx, from, LargestNotes)
	if errors.Is(err, media.ErrTooLarge) {
		err = &ground.Error{Kind: ground.TooLarge, Code: "too_large", At: "file",
			Say: "A file of notes has at most " + transfer.Size(LargestNotes) + ". Nothing was changed."}
	}
	if err != nil {
		return nil, nil, err
	}
	defer done()
	given, err := os.Open(file)
	if err != nil {
		return nil, nil, err
	}
	coming, problems, err := markers.Read(given, f, sheet)
	if errors.Is(err, markers.ErrFormat) {
		err = ground.Wrong("file", "%s Nothing was changed.", ground.InFull(err.Error()))
	}
	return coming, problems, errors.Join(err, given.Close())
}

func (e Exchange) merge(ctx context.Context, p Party, parcel pack.Parcel, content pack.Content, coming []markers.Marker, do bool,
	r *Report) error {
	notes, err := e.notes.laid(ctx, p, parcel, content)
	if err != nil {
		return err
	}
	var known []review.Known
	for _, n := range notes {
		if n.ParentID != "" {
			continue
		}
		known = append(known, review.Known{ID: n.ID, Source: n.Source, Author: n.Author, Text: n.Says(), At: n.here().At, Done: n.DoneAt != nil})
	}
	plan := review.Merge(known, coming)
	brings := len(plan.New) // with their answers, which are notes like any other
	for _, i := range plan.New {
		if n := len(coming[i].Answers); n > mostAnswers {
			return ground.Wrong("file", "Note %d in this file has %d answers; a note can have at most %d. Nothing was changed.", i+1, n, mostAnswers)
		}
		brings += len(coming[i].Answers)
	}
	if !p.InStudio() && brings > mostByGuest {
		return ground.Wrong("file", "This file contains %d new notes and answers; through a link you can import at most %d at once. "+
			"Ask the studio to import it. Nothing was changed.", brings, mostByGuest)
	}
	r.New, r.Same, r.Differs, r.Done = len(plan.New), len(plan.Same), len(plan.Differs), len(plan.Done)
	for _, i := range plan.New[:min(len(plan.New), firstWords)] {
		r.First = append(r.First, coming[i].Text)
	}
	if !do || len(plan.New)+len(plan.Done) == 0 {
		return nil
	}
	added, err := e.brought(p, parcel, content, plan, coming, r)
	if err != nil {
		return err
	}
	if err := e.notes.rows.InsertNotes(ctx, added); err != nil {
		return err
	}
	for _, id := range plan.Done {
		if err := e.notes.rows.SetNoteDone(ctx, id, new(e.notes.now())); err != nil {
			return err
		}
	}
	line, way, member := p.by()
	return e.notes.events.Record(ctx, happen.Happening{Kind: event.NotesBrought, StudioID: parcel.StudioID, ParcelID: parcel.ID, LineID: line,
		WayIn: way, MemberID: member, Version: content.VersionID, Count: len(plan.New)})
}

// How many new notes and answers somebody who came by a link imports at once, and how many
// answers one imported note has.
const (
	mostByGuest = 2000
	mostAnswers = 500
)

// brought are the notes that are added, with their answers.
func (e Exchange) brought(p Party, parcel pack.Parcel, content pack.Content, plan review.Plan, coming []markers.Marker,
	r *Report) ([]Note, error) {
	var added []Note
	put := func(m markers.Marker, n Note) (Note, error) {
		n.ID, n.ParcelID, n.ContentID, n.VersionID = ground.NewID(), parcel.ID, content.ID, content.VersionID
		n.LineID, n.WayIn, n.MemberID = p.by()
		n.CreatedAt = e.notes.now()
		if !m.Created.IsZero() && m.Created.Before(n.CreatedAt) && m.Created.After(time.Unix(0, 0)) {
			n.CreatedAt = m.Created
		}
		if m.Author != p.Name() {
			n.SaidBy = clipped(m.Author, mostName)
		}
		var err error
		n.Body, err = worded(clipped(m.Text, maxNote), false)
		if m.Done {
			n.DoneAt = new(e.notes.now())
		}
		added = append(added, n)
		return n, err
	}
	for _, i := range plan.New {
		m := coming[i]
		a := anchorOf(m)
		place, err := content.Reviewed().Place(a)
		if err != nil {
			r.New--
			r.Problems = append(r.Problems, markers.Problem{Entry: i + 1, Say: err.Error()})
			continue
		}
		head, err := put(m, Note{Anchor: a, Place: place, Source: clipped(m.ID, mostSource)})
		if err != nil {
			return nil, err
		}
		for _, answer := range m.Answers {
			if answer.Text == "" {
				continue
			}
			if _, err := put(answer, Note{ParentID: head.ID, Anchor: a, Place: place}); err != nil {
				return nil, err
			}
		}
	}
	return added, nil
}

// Bounds of what a file says, in characters.
const (
	mostName   = 120
	mostSource = 400
)

func clipped(text string, most int) string {
	if r := []rune(text); len(r) > most {
		return string(r[:most])
	}
	return text
}

func anchorOf(m markers.Marker) review.Anchor {
	var a review.Anchor
	if m.Timed {
		a.When, a.At = review.Moment, m.At
		if m.Span() {
			a.When, a.Until = review.Span, m.Until
		}
	}
	a.Page = m.Page
	switch {
	case m.Placed && m.W > 0 && m.H > 0:
		a.Where, a.X, a.Y, a.W, a.H = review.Area, m.X, m.Y, m.W, m.H
	case m.Placed:
		a.Where, a.X, a.Y = review.Spot, m.X, m.Y
	case m.Page > 0:
		a.Where = review.OnPage
	}
	return a
}

// Frame is the picture of the frame that a note lies on, from the proxy of its version. It
// is made once, and kept for as long as the note is.
func (s *Service) Frame(ctx context.Context, p Party, noteID string) (Attachment, error) {
	n, parcel, err := s.note(ctx, p, noteID, access.ReadNote)
	if err != nil {
		return Attachment{}, err
	}
	return s.frame(ctx, n, parcel.StudioID)
}

// frame is Frame for a note that is known.
func (s *Service) frame(ctx context.Context, n Note, studio string) (Attachment, error) {
	if a, ok, err := s.attachmentRows.FrameOf(ctx, n.ID); ok || err != nil {
		return a, err
	}
	proxy, ok, err := s.previewsRows.DerivedOf(ctx, n.VersionID, preview.Proxy, 0)
	if err != nil {
		return Attachment{}, err
	}
	content, there, err := s.roomRows.ContentAt(ctx, n.ContentID, n.VersionID, true)
	if err != nil {
		return Attachment{}, err
	}
	if !ok || !there || n.Anchor.When == review.AnyTime || content.Facts.Frames == 0 {
		return Attachment{}, ground.Missing("picture of this note")
	}
	dir, swept, err := s.bench.Room(ctx)
	if err != nil {
		return Attachment{}, err
	}
	defer swept()
	file, done, err := s.bytes.Local(ctx, proxy.BlobID)
	if err != nil {
		return Attachment{}, err
	}
	defer done()
	made, err := media.Frame(ctx, file, dir, content.Facts.Timeline(), n.Place.Frame)
	if err != nil {
		return Attachment{}, err
	}
	a := Attachment{ID: ground.NewID(), ParcelID: n.ParcelID, NoteID: n.ID, By: n.LineID + n.MemberID, Kind: frameKind, Width: made.Width,
		Height: made.Height, CreatedAt: s.now()}
	if err := s.keep(ctx, &a, made, studio, n.writer()); err != nil {
		return a, err
	}
	a, _, err = s.attachmentRows.FrameOf(ctx, n.ID)
	return a, err
}

// frameKind is kept like what people attach, and is nothing that anybody attaches.
const frameKind = review.Attached("frame")

// writer is who wrote a note, as a party that only has an id.
func (n Note) writer() Party {
	var p Party
	p.member.ID, p.guest.Line.ID = n.MemberID, n.LineID
	return p
}
