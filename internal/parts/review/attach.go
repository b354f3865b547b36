package review

import (
	"context"
	"errors"
	"io"
	"os"
	"time"

	"aftergust/core/file/transfer"
	"aftergust/core/link/access"
	"aftergust/core/link/right"
	"aftergust/core/notes/review"
	"aftergust/core/words/count"
	"aftergust/internal/files/blob"
	"aftergust/internal/files/keep"
	"aftergust/internal/files/media"
	"aftergust/internal/ground"
	"aftergust/internal/parts/receive"
)

// An Attachment is what lies at a note: a voice that was recorded, a picture. It is made
// anew from what was given, so that no byte from outside goes out again.
type Attachment struct {
	ID        string          `json:"id"`
	ParcelID  string          `json:"-"`
	NoteID    string          `json:"-"` // empty before the note is written
	By        string          `json:"-"` // id of the line or member
	Kind      review.Attached `json:"kind" enum:"voice,picture"`
	BlobID    string          `json:"-"`
	Mime      string          `json:"-"`
	Size      int64           `json:"-"` // bytes
	LengthUS  int64           `json:"length_us" doc:"microseconds of a voice"`
	Peaks     []int           `json:"peaks" doc:"of a voice: loudest sample of each of up to 60 equal parts, 0 to 255"`
	Width     int             `json:"width" doc:"pixels of a picture"`
	Height    int             `json:"height"`
	CreatedAt time.Time       `json:"-"`
}

// mostLoose is how much one person attaches before it lies at a note.
const mostLoose = 24

// voicePeaks is of how many peaks the waveform of a voice is drawn.
const voicePeaks = 60

// Attach takes a voice or picture that will lie at a note on an item. It is forgotten
// when no note is written within a day.
func (s *Service) Attach(ctx context.Context, p Party, contentID string, kind review.Attached, from io.Reader) (Attachment, error) {
	a := Attachment{ID: ground.NewID(), Kind: kind, By: p.ID(), CreatedAt: s.now()}
	if !review.Attachments.Has(kind) {
		return a, ground.Wrong("kind", "Nothing of kind %q lies at notes.", kind)
	}
	_, parcel, err := s.content(ctx, p, contentID, right.Note)
	if err == nil {
		err = p.writes()
	}
	if err != nil {
		return a, err
	}
	if err = s.loose(ctx, p); err != nil {
		return a, err
	}
	a.ParcelID = parcel.ID
	most := review.Attachments.Get(kind).Most
	file, dir, done, err := s.bench.Given(ctx, from, most)
	if errors.Is(err, media.ErrTooLarge) {
		err = &ground.Error{Kind: ground.TooLarge, Code: "too_large", At: "attached",
			Say: "What lies at a note has at most " + transfer.Size(most) + ". Nothing was changed."}
	}
	if err != nil {
		return a, err
	}
	defer done()
	made, err := a.make(ctx, file, dir)
	if errors.Is(err, media.ErrUnreadable) {
		err = ground.Wrong("attached", "This cannot be read as a %s. Nothing was changed.", kind)
	}
	if err != nil {
		return a, err
	}
	return a, s.keep(ctx, &a, made, parcel.StudioID, p)
}

// loose refuses who has attached much that lies at no note yet.
func (s *Service) loose(ctx context.Context, p Party) error {
	n, err := s.attachmentRows.CountLoose(ctx, p)
	if err == nil && n >= mostLoose {
		err = ground.Clash("too_many_attached", "Much is attached already and lies at no note yet. Send a note with some of it, or wait a day.")
	}
	return err
}

func (a *Attachment) make(ctx context.Context, file, dir string) (media.Made, error) {
	if a.Kind == review.Picture {
		made, err := media.Picture(ctx, file, dir)
		a.Width, a.Height = made.Width, made.Height
		return made, err
	}
	made, facts, err := media.Voice(ctx, file, dir, voicePeaks)
	a.LengthUS, a.Peaks = facts.LengthUS, facts.Peaks
	return made, err
}

func (s *Service) keep(ctx context.Context, a *Attachment, made media.Made, studio string, p Party) error {
	a.BlobID, a.Mime = ground.NewID(), made.Mime
	f, err := os.Open(made.File)
	if err != nil {
		return err
	}
	size, sum, hash, err := s.bytes.Put(ctx, a.BlobID, f)
	if err = errors.Join(err, f.Close()); errors.Is(err, blob.ErrFull) {
		return ground.ErrFull
	}
	if err != nil {
		return err
	}
	return s.rows.Tx(ctx, func(ctx context.Context) error {
		if a.NoteID == "" { // counted once more, in turn: many may have come at once
			if err := s.roomRows.LockPackage(ctx, a.ParcelID); err != nil {
				return err
			}
			if err := s.loose(ctx, p); err != nil {
				return err
			}
		}
		if err := s.keepRows.InsertBlob(ctx, keep.Blob{ID: a.BlobID, StudioID: studio, Size: size, CRC32: sum, XXH3: hash[:]}); err != nil {
			return err
		}
		return s.attachmentRows.InsertAttachment(ctx, *a, p)
	})
}

// Attached is what lies at a note that somebody may read, or what they attached
// themselves and did not send yet.
func (s *Service) Attached(ctx context.Context, p Party, id string) (Attachment, error) {
	if !p.InStudio() {
		if err := receive.Refusal(p.guest.Decide(right.See, false, s.now())); err != nil {
			return Attachment{}, err
		}
	}
	a, ok, err := s.attachmentRows.AttachmentByID(ctx, id)
	if err != nil {
		return a, err
	}
	switch {
	case !ok, a.NoteID == "" && a.By != p.ID():
		return a, ground.Missing("attachment")
	case a.NoteID == "":
		return a, nil
	}
	_, _, err = s.note(ctx, p, a.NoteID, access.ReadNote)
	return a, ground.MissingIn(err, "attachment")
}

// Says puts what lies at a note into words.
func (n Note) Says() string {
	if n.Body != "" {
		return n.Body
	}
	kinds := map[review.Attached]int{}
	for _, a := range n.Attached {
		kinds[a.Kind]++
	}
	switch {
	case kinds[review.Voice] > 0:
		return "Said as a voice note."
	case kinds[review.Picture] > 0:
		return "Shown by " + count.Of(kinds[review.Picture], "picture", "pictures") + "."
	default:
		return "Drawn on the picture."
	}
}
