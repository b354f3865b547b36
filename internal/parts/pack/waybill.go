package pack

import (
	"context"
	"errors"
	"strings"
	"time"

	"aftergust/core/link/door"
	"aftergust/core/link/right"
	"aftergust/core/record/event"
	"aftergust/core/time/expiry"
	"aftergust/internal/ground"
	"aftergust/internal/parts/happen"
	"aftergust/internal/parts/people"
	"aftergust/internal/who/account"
)

// A Guest is a recipient as the producer writes them on the waybill.
type Guest struct {
	Address string       // "Hanne Orrick <hanne@kelpwick.example>"; empty for a link for anyone
	Name    string       // overrides the name in Address where set
	Rights  right.Rights // nil: the default of the package
	Zone    string
	PassOn  *bool // nil: they may
}

// maxLines is how many people one package goes to.
const maxLines = 500

// anyoneName is what the line of a link for anyone is called.
const anyoneName = "Anyone with the link"

// AddLine puts a person, or a link for anyone, on the waybill. In a package that
// is out their letter goes at once.
func (s *Service) AddLine(ctx context.Context, m account.Member, id string, g Guest) (Line, error) {
	if g.Zone != "" {
		if _, err := expiry.LoadZone(g.Zone); err != nil {
			return Line{}, endProblem(err)
		}
	}
	var line Line
	err := s.rows.Tx(ctx, func(ctx context.Context) error {
		parcel, err := s.Lock(ctx, m, id)
		if err != nil {
			return err
		}
		if line, err = s.newLine(ctx, parcel, g); err != nil {
			return err
		}
		others, err := s.lineRows.Lines(ctx, id)
		if err != nil {
			return err
		}
		if len(others) >= maxLines {
			return ground.Wrong("email", "One package goes to at most %d people. Make a second one for the others.", maxLines)
		}
		for _, other := range others {
			if other.RemovedAt == nil && other.GuestOf == "" && other.PersonID == line.PersonID {
				return ground.Clash("already_there", line.Name+" is on the waybill already.")
			}
		}
		if err := s.lineRows.InsertLine(ctx, line); err != nil {
			return err
		}
		if !parcel.State(s.now()).Open() {
			return s.waybillChanged(ctx, parcel)
		}
		if err := errors.Join(s.peopleRows.EnterPeople(ctx, id), s.look(ctx, parcel)); err != nil {
			return err
		}
		return s.events.Record(ctx, s.happens(parcel, m, line.ID, event.Added))
	})
	return line, err
}

// look has a package looked at for reminders soon, since others may be due in it now.
func (s *Service) look(ctx context.Context, p Parcel) error {
	now := s.now()
	p.LookAt = &now
	return s.rows.UpdateParcel(ctx, p)
}

// happens is a happening that is about one line.
func (s *Service) happens(p Parcel, m account.Member, line string, kind event.Kind) happen.Happening {
	h := about(p, m, kind)
	h.LineID = line
	return h
}

// newLine is a line for a guest, with a way in of its own.
func (s *Service) newLine(ctx context.Context, p Parcel, g Guest) (Line, error) {
	l := Line{ID: ground.NewID(), ParcelID: p.ID, Name: anyoneName, Rights: g.Rights.Clean(), MayPassOn: g.PassOn == nil || *g.PassOn,
		Way: Way{WayID: ground.NewID(), WayKind: ForAll, LinkNonce: s.keys.NewNonce(), Since: s.now()}}
	l.LinkHash = ground.Hash(s.keys.LinkToken(l.LinkNonce))
	if g.Rights == nil {
		l.Rights = p.DefaultRights.Clean()
	}
	if g.Address == "" {
		if !door.All.Get(p.Door).Anyone {
			return Line{}, ground.Wrong("email", "Behind a door for named people each needs a mail address.")
		}
		if strings.TrimSpace(g.Name) != "" {
			l.Name = people.TidyName(g.Name)
		}
		return l, nil
	}
	person, err := s.book.Meet(ctx, p.StudioID, g.Address, g.Name, g.Zone)
	if err != nil {
		return Line{}, err
	}
	l.PersonID, l.Name, l.Email, l.Zone, l.WayKind = person.ID, person.Name, person.Email, person.Zone, Personal
	return l, nil
}

// NewGuest is a line for somebody who leaves name and address in the guest book of
// a link for anyone. They may what the link lets anyone do.
func NewGuest(keys *ground.Keys, of Line, name, email string, now time.Time) Line {
	l := Line{ID: ground.NewID(), ParcelID: of.ParcelID, GuestOf: of.ID, Name: name, Email: email, Rights: of.Rights, MayPassOn: true,
		Way: Way{WayID: ground.NewID(), WayKind: Guestly, LinkNonce: keys.NewNonce(), Since: now}}
	l.LinkHash = ground.Hash(keys.LinkToken(l.LinkNonce))
	return l
}

// A LineEdit changes a line. Nil fields stay as they are.
type LineEdit struct {
	Rights *right.Rights
	Name   *string
	Zone   *string // of the person, in the contact book
	PassOn *bool   // whether they may pass it on
}

// ChangeLine gives a line other rights, a name or a zone.
func (s *Service) ChangeLine(ctx context.Context, m account.Member, id string, e LineEdit) (Line, error) {
	if e.Zone != nil {
		if _, err := expiry.LoadZone(*e.Zone); err != nil {
			return Line{}, endProblem(err)
		}
	}
	var line Line
	err := s.changeLine(ctx, m, id, func(ctx context.Context, p Parcel, l *Line) (*ground.Cut, error) {
		if e.Name != nil && strings.TrimSpace(*e.Name) != "" {
			l.Name = people.TidyName(*e.Name)
		}
		if e.Zone != nil {
			l.Zone = *e.Zone
			if err := s.book.Clock(ctx, p.StudioID, l.Email, l.Zone); err != nil {
				return nil, err
			}
		}
		if e.PassOn != nil {
			l.MayPassOn = *e.PassOn
		}
		var cut *ground.Cut
		if e.Rights != nil {
			l.Rights = e.Rights.Clean()
			cut = &ground.Cut{Line: l.ID, Narrow: true, Rights: l.Rights}
		}
		line = *l
		return cut, nil
	}, event.Rights)
	return line, err
}

// RemoveLine takes somebody off the waybill, at once: a download of theirs that
// runs is cut. What they took stays in the record.
//
// Whoever came by a link for anyone goes with it.
func (s *Service) RemoveLine(ctx context.Context, m account.Member, id string) error {
	return s.changeLine(ctx, m, id, func(_ context.Context, _ Parcel, l *Line) (*ground.Cut, error) {
		now := s.now()
		l.RemovedAt = &now
		return &ground.Cut{Line: l.ID}, nil
	}, event.Removed)
}

// Restore puts a line back on the waybill that was taken off it.
func (s *Service) Restore(ctx context.Context, m account.Member, id string) error {
	line, ok, err := s.lineRows.LineByID(ctx, id)
	if err != nil {
		return err
	}
	if !ok {
		return ground.Missing("recipient")
	}
	parcel, err := s.Lock(ctx, m, line.ParcelID)
	if err != nil {
		return ground.MissingIn(err, "recipient")
	}
	if line.RemovedAt == nil {
		return nil
	}
	line.RemovedAt = nil
	if err := s.lineRows.UpdateLine(ctx, line); err != nil {
		return err
	}
	if err := s.look(ctx, parcel); err != nil {
		return err
	}
	return s.events.Record(ctx, s.happens(parcel, m, id, event.Added))
}

// changeLine changes a line under its package's lock. In a package that was sent
// that is an event; in a draft a line that is removed is gone.
func (s *Service) changeLine(ctx context.Context, m account.Member, id string,
	change func(context.Context, Parcel, *Line) (*ground.Cut, error), kind event.Kind) error {
	return s.rows.Tx(ctx, func(ctx context.Context) error {
		line, parcel, err := s.LockLine(ctx, m, id)
		if err != nil {
			return err
		}
		cut, err := change(ctx, parcel, &line)
		if err != nil {
			return err
		}
		if parcel.SentAt == nil && line.RemovedAt != nil {
			if err := s.lineRows.DeleteLine(ctx, id); err != nil {
				return err
			}
			return s.waybillChanged(ctx, parcel)
		}
		if err := s.lineRows.UpdateLine(ctx, line); err != nil {
			return err
		}
		if line.Anyone() {
			if err := s.lineRows.UpdateGuests(ctx, line); err != nil {
				return err
			}
		}
		if parcel.SentAt == nil {
			return s.waybillChanged(ctx, parcel)
		}
		return s.events.RecordCut(ctx, cut, s.happens(parcel, m, id, kind))
	})
}

// LineOf is a line of a package of the member's studio, with the package, to be
// looked at.
func (s *Service) LineOf(ctx context.Context, m account.Member, id string) (Line, Parcel, error) {
	line, ok, err := s.lineRows.LineByID(ctx, id)
	if err != nil {
		return line, Parcel{}, err
	}
	parcel := Parcel{}
	if ok {
		parcel, err = s.ParcelOf(ctx, m, line.ParcelID)
		err = ground.MissingIn(err, "recipient")
	}
	if err == nil && (!ok || line.RemovedAt != nil) {
		err = ground.Missing("recipient")
	}
	return line, parcel, err
}

// LockLine is a line of a package of the member's studio, which is locked for this
// transaction.
func (s *Service) LockLine(ctx context.Context, m account.Member, id string) (Line, Parcel, error) {
	line, ok, err := s.lineRows.LineByID(ctx, id)
	if err != nil {
		return line, Parcel{}, err
	}
	if !ok {
		return line, Parcel{}, ground.Missing("recipient")
	}
	parcel, err := s.Lock(ctx, m, line.ParcelID)
	if err != nil {
		return line, parcel, ground.MissingIn(err, "recipient")
	}
	line, ok, err = s.lineRows.LineByID(ctx, id) // as it is now that nobody else changes it
	if err == nil && (!ok || line.RemovedAt != nil) {
		err = ground.Missing("recipient")
	}
	return line, parcel, err
}

// LinkURL is the address of a line's way in.
func (s *Service) LinkURL(l Line) string { return s.keys.LinkURL(l.LinkNonce) }
