package pack

import (
	"context"
	"errors"
	"strings"
	"unicode/utf8"

	"aftergust/core/file/naming"
	"aftergust/core/link/door"
	"aftergust/core/link/linkname"
	"aftergust/core/link/password"
	"aftergust/core/link/right"
	"aftergust/core/record/event"
	"aftergust/core/time/expiry"
	"aftergust/core/time/moment"
	"aftergust/core/time/reminder"
	"aftergust/internal/ground"
	"aftergust/internal/who/account"
	"aftergust/internal/who/hashing"
)

// An Edit changes what is written on a package. Nil fields stay as they are.
type Edit struct {
	Title       *string
	CoverLetter *string
	Door        *door.Door
	Passphrase  *string
	EndRule     *expiry.Rule
	Rights      *right.Rights // of whoever is put on the waybill next
	Pins        *bool         // it gives the versions that it is sent with
	Reminders   *reminder.Ladder
	Letterhead  *string // id; empty for that of the client, or the studio's
	// KeepIn lets those who are in stay in when the door or its passphrase changes.
	KeepIn bool
}

// maxLetter is how long a cover letter may be, in characters.
const maxLetter = 8000

// EditPackage changes what is written on a package. The end of one that is out
// is changed by Extend instead.
func (s *Service) EditPackage(ctx context.Context, m account.Member, id string, e Edit) (Parcel, error) {
	p, err := s.ParcelOf(ctx, m, id)
	if err != nil {
		return Parcel{}, err
	}
	hash := ""
	if e.Passphrase != nil { // before the transaction, since it takes its time
		if hash, err = hashPassphrase(ctx, *e.Passphrase, p.read()...); err != nil {
			return Parcel{}, err
		}
	}
	err = s.rows.Tx(ctx, func(ctx context.Context) error {
		parcel, err := s.Lock(ctx, m, id)
		if err != nil {
			return err
		}
		before := parcel.Door
		if hash != "" {
			parcel.PassphraseHash = hash
		}
		if err := e.write(&parcel); err != nil {
			return err
		}
		if e.Reminders != nil && parcel.SentAt != nil {
			now := s.now()
			parcel.LookAt = &now
		}
		if e.Letterhead != nil {
			if parcel.LetterheadID = *e.Letterhead; parcel.LetterheadID != "" {
				if is, err := s.memoryRows.LetterheadIsOf(ctx, m.StudioID, parcel.LetterheadID); err != nil {
					return err
				} else if !is {
					return ground.Missing("letterhead")
				}
			}
		}
		if parcel.SentAt != nil && (parcel.Door != before || hash != "") {
			if err := s.guessable(ctx, parcel); err != nil {
				return err
			}
			return s.changeDoor(ctx, m, parcel, e.KeepIn)
		}
		if err := s.rows.UpdateParcel(ctx, parcel); err != nil {
			return err
		}
		return s.waybillChanged(ctx, parcel)
	})
	if err != nil {
		return Parcel{}, err
	}
	return s.ParcelOf(ctx, m, id)
}

// guessable refuses to open the door of a package that is out while the name of one
// of its links can be guessed.
func (s *Service) guessable(ctx context.Context, p Parcel) error {
	if p.Door.Needs() != door.Nothing {
		return nil
	}
	names, err := s.memoryRows.LinkNames(ctx, p.ID)
	if err != nil {
		return err
	}
	for _, name := range names {
		if linkname.Guessable(name) {
			return ground.Clash("guessable", "The link “"+name+"” is easily guessed, so whoever guesses it would be in. "+
				"Take that name away, or give it anew, then open the door. Nothing was changed.")
		}
	}
	return nil
}

// changeDoor writes a package that is out and has another door than before, or
// another passphrase. Whoever came in by the old one is outside again, with what
// they are downloading, unless they are kept in.
func (s *Service) changeDoor(ctx context.Context, m account.Member, p Parcel, keepIn bool) error {
	now := s.now()
	var cut *ground.Cut
	if !keepIn {
		p.DoorSince = &now
		if p.Door.Needs() != door.Nothing {
			cut = &ground.Cut{}
		}
	}
	if err := s.rows.UpdateParcel(ctx, p); err != nil {
		return err
	}
	return s.events.RecordCut(ctx, cut, about(p, m, event.DoorChanged))
}

// read is what whoever has a link reads of a package before its door.
func (p Parcel) read() []string { return []string{p.StudioName, p.SenderName, p.Title} }

func hashPassphrase(ctx context.Context, passphrase string, about ...string) (string, error) {
	if err := password.Passphrase(passphrase, about...); err != nil {
		return "", ground.Wrong("passphrase", "%s", ground.InFull(err.Error()))
	}
	return hashing.Hash(ctx, passphrase)
}

// write changes what an edit changes, or says what is wrong with it.
func (e Edit) write(p *Parcel) error {
	if e.Title != nil {
		title := naming.Title(*e.Title)
		if strings.TrimSpace(*e.Title) == "" {
			title = Untitled
		}
		p.Title = title
	}
	if e.CoverLetter != nil {
		if utf8.RuneCountInString(*e.CoverLetter) > maxLetter {
			return ground.Wrong("cover_letter", "The cover letter may have up to %d characters.", maxLetter)
		}
		p.CoverLetter = strings.ToValidUTF8(*e.CoverLetter, "")
	}
	if e.Door != nil {
		if !door.All.Get(*e.Door).Offered {
			return ground.Wrong("door", "The door is %s.", strings.ToLower(offeredDoors()))
		}
		p.Door = *e.Door
	}
	if e.Rights != nil {
		p.DefaultRights = e.Rights.Clean()
	}
	if e.Pins != nil {
		if p.SentAt != nil {
			return ground.Clash("already_sent", "This package is out, and gives what it said it would.")
		}
		p.Pins = *e.Pins
	}
	if p.SentAt != nil && p.Door.Needs() == door.APassphrase && p.PassphraseHash == "" {
		return ground.Wrong("passphrase", "Set a passphrase together with this door; the package is out.")
	}
	if e.Reminders != nil {
		ladder, err := e.Reminders.Clean()
		if err != nil {
			return ground.Wrong("reminders", "%s", ground.InFull(err.Error()))
		}
		p.Reminders = ladder
	}
	if e.EndRule == nil {
		return nil
	}
	if p.SentAt != nil {
		return ground.Clash("already_sent", "This package is out. Extend it to change its end.")
	}
	if _, err := expiry.LoadZone(e.EndRule.Zone); err != nil {
		return endProblem(err)
	}
	p.EndRule = *e.EndRule // an end that does not resolve yet is shown as such beside the Sentence
	return nil
}

// offeredDoors lists the doors that can be chosen: "Open, Passphrase or Named".
func offeredDoors() string {
	var words []string
	for _, d := range door.All.Names() {
		if one := door.All.Get(d); one.Offered {
			words = append(words, one.Word)
		}
	}
	return strings.Join(words[:len(words)-1], ", ") + " or " + words[len(words)-1]
}

// Ends reads a day and an hour as they were typed, or so many days from now where
// nothing was, and says when that is in the zone and in others.
func (s *Service) Ends(text string, days int, usual, zone string, also []string) (moment.Reading, error) {
	r, err := moment.Understand(text, days, usual, zone, also, s.now())
	return r, endProblem(err)
}

// endProblem is an error about an end in words for whoever set it.
func endProblem(err error) error {
	for _, known := range []error{expiry.ErrPast, expiry.ErrRule, expiry.ErrSkipped, expiry.ErrZone, moment.ErrUnclear} {
		if errors.Is(err, known) {
			return ground.Wrong("ends", "%s", ground.InFull(err.Error()))
		}
	}
	return err
}
