// Package remind writes to those who have not everything of a package before it ends:
// by the package's ladder (core/time/reminder), and by hand. It also tells the studio when
// a package is near its end and somebody has not everything.
package remind

import (
	"context"
	"errors"
	"strings"
	"time"

	"aftergust/core/file/naming"
	"aftergust/core/link/access"
	"aftergust/core/link/throttle"
	"aftergust/core/record/event"
	"aftergust/core/time/expiry"
	"aftergust/core/time/reminder"
	"aftergust/core/words/letter"
	"aftergust/internal/ground"
	"aftergust/internal/ground/db"
	"aftergust/internal/out/letters"
	"aftergust/internal/parts/follow"
	"aftergust/internal/parts/happen"
	"aftergust/internal/parts/pack"
	"aftergust/internal/who/account"
)

// A Service reminds. Make it with New.
type Service struct {
	rows        Rows
	followRows  follow.Rows
	lettersRows letters.Rows
	packRows    pack.Rows
	pack        *pack.Service
	events      *happen.Log
	now         func() time.Time
}

// New makes a service.
func New(store *db.DB, packing *pack.Service, events *happen.Log, now func() time.Time) *Service {
	return &Service{Rows{store}, follow.Rows{DB: store}, letters.Rows{DB: store}, pack.Rows{DB: store}, packing, events, now}
}

// looksAtOnce bounds one round of Due.
const looksAtOnce = 100

// Due looks at the packages for which the moment has come. Two processes may do it at
// once: each package is locked and looked at anew. One that cannot be looked at does
// not keep the others from it.
func (s *Service) Due(ctx context.Context) error {
	var problems []error
	for {
		ids, err := s.rows.Looks(ctx, s.now(), looksAtOnce)
		if err != nil || len(ids) == 0 {
			return errors.Join(append(problems, err)...)
		}
		failed := len(problems)
		for _, id := range ids {
			if err := s.rows.Tx(ctx, func(ctx context.Context) error { return s.look(ctx, id) }); err != nil {
				problems = append(problems, err)
			}
		}
		if len(problems) > failed || len(ids) < looksAtOnce {
			return errors.Join(problems...) // what failed is looked at again in the next round
		}
	}
}

// look reminds whoever is to be reminded of a package now, and says when it is looked
// at next.
func (s *Service) look(ctx context.Context, id string) error {
	now := s.now()
	p, ok, err := s.packRows.LockParcel(ctx, id)
	if err != nil || !ok || p.LookAt == nil || p.LookAt.After(now) {
		return err
	}
	p.LookAt = nil
	if !p.State(now).Open() {
		return s.packRows.UpdateParcel(ctx, p)
	}
	strands, err := s.followRows.Strands(ctx, []string{id}, false)
	if err != nil {
		return err
	}
	heard, err := s.lettersRows.Heard(ctx, id, letter.Delivery, letter.Reminder, letter.News)
	if err != nil {
		return err
	}
	due, outstanding, next := plan(p, strands[id], heard, now)
	near := p.EndsAt.Add(-expiry.ClosingWindow)
	known := p.ClosingFor != nil && p.ClosingFor.Equal(*p.EndsAt)
	switch {
	case known || !near.After(ground.When(p.EndsSince)): // it was never farther than that from its end
	case near.After(now):
		next = sooner(next, near)
	default:
		p.ClosingFor = p.EndsAt
		if outstanding > 0 {
			due = append(due, happen.Happening{Kind: event.Closing, Count: outstanding})
		}
	}
	if !next.IsZero() {
		p.LookAt = &next
	}
	if err := s.packRows.UpdateParcel(ctx, p); err != nil {
		return err
	}
	for i := range due {
		due[i].StudioID, due[i].ParcelID = p.StudioID, p.ID
	}
	return s.events.Record(ctx, due...)
}

// plan is who is reminded now, how many have not everything, and when to look again;
// zero for never. Those who have everything count for when, since what they have may
// be out of date by then.
func plan(p pack.Parcel, strands []follow.Strand, heard map[string]time.Time, now time.Time) (
	due []happen.Happening, outstanding int, next time.Time) {
	for _, strand := range strands {
		l := strand.Line
		lacks := strand.Sum().Outstanding
		if lacks && !l.Anyone() {
			outstanding++
		}
		if !l.Reads() || l.QuietAt != nil {
			continue
		}
		c := reminder.Case{Ends: *p.EndsAt, Since: ground.When(p.EndsSince), Heard: heard[l.ID], Zone: clock(l, p)}
		at, ok := p.Reminders.Next(c, now)
		if ok && !at.After(now) {
			if lacks {
				due = append(due, happen.Happening{Kind: event.Reminded, LineID: l.ID})
			}
			c.Heard = now
			at, ok = p.Reminders.Next(c, now)
		}
		if ok {
			next = sooner(next, reminder.Look(at, now))
		}
	}
	return due, outstanding, next
}

func sooner(a, b time.Time) time.Time {
	if a.IsZero() || b.Before(a) {
		return b
	}
	return a
}

// clock is the clock of a line, and the package's while it is not known.
func clock(l pack.Line, p pack.Parcel) *time.Location {
	for _, name := range []string{l.Zone, p.EndRule.Zone} {
		if zone, err := expiry.LoadZone(name); err == nil {
			return zone
		}
	}
	return time.UTC
}

// maxMessage is how long a line of one's own may be, in characters.
const maxMessage = 500

// One reminds one person of a package, with a line of the member's own where there is one.
func (s *Service) One(ctx context.Context, m account.Member, line, message string) error {
	return s.rows.Tx(ctx, func(ctx context.Context) error {
		l, p, err := s.pack.LockLine(ctx, m, line)
		if err != nil {
			return err
		}
		heard, err := s.lettersRows.Heard(ctx, p.ID, letter.Reminder)
		if err != nil {
			return err
		}
		if err := s.refuse(p, l, heard[line]); err != nil {
			return err
		}
		return s.events.Record(ctx, by(m, p, line, message))
	})
}

func by(m account.Member, p pack.Parcel, line, message string) happen.Happening {
	if strings.TrimSpace(message) != "" {
		message = naming.Clip(naming.Display(message), maxMessage)
	}
	return happen.Happening{Kind: event.Reminded, StudioID: p.StudioID, ParcelID: p.ID, MemberID: m.ID, LineID: line, Message: message}
}

// out refuses a package that is not out.
func (s *Service) out(p pack.Parcel) error {
	if p.State(s.now()).Open() {
		return nil
	}
	return ground.Clash("not_out", "This package is not out, so there is nothing to collect. Extend it first.")
}

// refuse says why somebody is not reminded by hand who was last reminded at a moment;
// nil where they are.
func (s *Service) refuse(p pack.Parcel, l pack.Line, reminded time.Time) error {
	if err := s.out(p); err != nil {
		return err
	}
	switch {
	case l.Anyone():
		return ground.Wrong("recipient", "There is no mail address behind this link.")
	case l.GuestOf != "":
		return ground.Wrong("recipient", "%s left this address themselves; nobody has shown that it is theirs. Write to them yourself.", l.Name)
	case !access.LetsIn(l.Rights):
		return ground.Clash("no_rights", l.Name+" may neither look nor download, so there is nothing to remind of.")
	case l.QuietAt != nil:
		return ground.Clash("quiet", l.Name+" asked not to be reminded of this package. Write to them yourself if it matters.")
	case !throttle.MayRemind(reminded, s.now()):
		return ground.Clash("reminded", l.Name+" was reminded less than 12 hours ago.")
	}
	return nil
}

// A Left is somebody who was not reminded, and why.
type Left struct{ Name, Why string }

// All reminds everybody who has not everything of a package, and says who was left
// out, and why.
func (s *Service) All(ctx context.Context, m account.Member, parcel, message string) (reminded []string, left []Left, err error) {
	err = s.rows.Tx(ctx, func(ctx context.Context) error {
		p, err := s.pack.Lock(ctx, m, parcel)
		if err != nil {
			return err
		}
		lines, out, err := s.would(ctx, p)
		if err != nil {
			return err
		}
		reminded, left = nil, out
		all := make([]happen.Happening, len(lines))
		for i, l := range lines {
			reminded, all[i] = append(reminded, l.Name), by(m, p, l.ID, message)
		}
		return s.events.Record(ctx, all...)
	})
	return reminded, left, err
}

// Would says whom All would remind, and whom not, and why.
func (s *Service) Would(ctx context.Context, m account.Member, parcel string) (reminded []string, left []Left, err error) {
	p, err := s.pack.ParcelOf(ctx, m, parcel)
	if err != nil {
		return nil, nil, err
	}
	lines, left, err := s.would(ctx, p)
	for _, l := range lines {
		reminded = append(reminded, l.Name)
	}
	return reminded, left, err
}

func (s *Service) would(ctx context.Context, p pack.Parcel) (lines []pack.Line, left []Left, err error) {
	if err := s.out(p); err != nil {
		return nil, nil, err
	}
	strands, err := s.followRows.Strands(ctx, []string{p.ID}, false)
	if err != nil {
		return nil, nil, err
	}
	heard, err := s.lettersRows.Heard(ctx, p.ID, letter.Reminder)
	if err != nil {
		return nil, nil, err
	}
	for _, strand := range strands[p.ID] {
		if !strand.Sum().Outstanding {
			continue
		}
		var why *ground.Error
		if errors.As(s.refuse(p, strand.Line, heard[strand.Line.ID]), &why) {
			left = append(left, Left{strand.Line.Name, why.Say})
			continue
		}
		lines = append(lines, strand.Line)
	}
	return lines, left, nil
}

// Ladder is the ladder that packages of the studio begin with.
func (s *Service) Ladder(ctx context.Context, m account.Member) (reminder.Ladder, error) {
	return s.rows.StudioReminders(ctx, m.StudioID)
}

// SetLadder sets it. Packages that are there keep theirs.
func (s *Service) SetLadder(ctx context.Context, m account.Member, l reminder.Ladder) (reminder.Ladder, error) {
	clean, err := l.Clean()
	if err != nil {
		return nil, ground.Wrong("reminders", "%s", ground.InFull(err.Error()))
	}
	return clean, s.rows.SetStudioReminders(ctx, m.StudioID, clean)
}
