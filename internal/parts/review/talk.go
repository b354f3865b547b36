package review

import (
	"context"
	"errors"
	"io"
	"strings"
	"time"

	"aftergust/core/notes/review"
	"aftergust/core/words/letter"
	"aftergust/core/words/notice"
	"aftergust/internal/ground"
	"aftergust/internal/out/letters"
	"aftergust/internal/parts/notices"
	"aftergust/internal/parts/pack"
)

// A Talk is somebody who is to be told of notes in one letter.
type Talk struct {
	LineID, ParcelID, StudioID string
	Since                      time.Time // when the first of them was written
}

// Bounds of a letter that tells of notes.
const (
	gathers     = 10 * time.Minute
	talksAtOnce = 50
)

// concern lets those be told of a note whom it concerns. Of a private one that is whoever of
// the studio it names.
func (s *Service) concern(ctx context.Context, p Party, parcel pack.Parcel, n Note) error {
	besides, err := s.named(ctx, p, parcel, n)
	if err != nil || n.Private {
		return err
	}
	return s.talkRows.Concern(ctx, n, besides, s.now().Add(gathers))
}

// named tells the members of the studio whom a note names, each once, and returns the lines
// that it names.
func (s *Service) named(ctx context.Context, p Party, parcel pack.Parcel, n Note) (lines []string, err error) {
	if !strings.Contains(n.Body, "@") {
		return nil, nil
	}
	people, err := s.roomRows.TakePart(ctx, n.ParcelID)
	if err != nil {
		return nil, err
	}
	names := make([]string, len(people))
	for i, one := range people {
		names[i] = one.Name
	}
	for _, i := range review.Mentioned(n.Body, names) {
		if !people[i].Studio {
			lines = append(lines, people[i].ID)
			continue
		}
		if err := s.personal(ctx, p, parcel, notice.Named, n, people[i].ID); err != nil {
			return nil, err
		}
	}
	return lines, nil
}

// personal tells a member of the studio of a note that is about them.
func (s *Service) personal(ctx context.Context, p Party, parcel pack.Parcel, k notice.Kind, n Note, member string) error {
	line, _, by := p.by()
	return s.events.TellOne(ctx, notices.Personal{Kind: k, StudioID: parcel.StudioID, ParcelID: parcel.ID, MemberID: member, Note: n.ID,
		LineID: line, ByID: by, Once: k == notice.Named})
}

// Tell posts the letters that are due.
func (s *Service) Tell(ctx context.Context, post *letters.Service) error {
	return s.rows.Tx(ctx, func(ctx context.Context) error {
		due, err := s.talkRows.TakeTalks(ctx, s.now(), talksAtOnce)
		if err != nil {
			return err
		}
		for _, t := range due {
			readers, err := s.happenRows.Readers(ctx, t.ParcelID, t.LineID)
			if err != nil {
				return err
			}
			for _, r := range readers {
				if err := post.Post(ctx, letters.Letter{StudioID: t.StudioID, ParcelID: t.ParcelID, LineID: t.LineID, Kind: letter.Talk, ToName: r.Name,
					ToEmail: r.Email, Data: map[string]string{"since": t.Since.UTC().Format(time.RFC3339Nano)}}); err != nil {
					return err
				}
			}
		}
		return nil
	})
}

// Picture is the picture of the frame that a note lies on, as a letter shows it, in JPEG;
// empty where there is none.
func (s *Service) Picture(ctx context.Context, studio, noteID string) ([]byte, error) {
	n, ok, err := s.rows.NoteByID(ctx, noteID)
	if err != nil || !ok {
		return nil, err
	}
	a, err := s.frame(ctx, n, studio)
	var none *ground.Error
	if errors.As(err, &none) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	from, err := s.bytes.Open(ctx, a.BlobID, 0)
	if err != nil {
		return nil, err
	}
	picture, err := io.ReadAll(from)
	return picture, errors.Join(err, from.Close())
}
