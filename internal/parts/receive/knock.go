package receive

import (
	"context"
	"strings"
	"time"

	"aftergust/core/file/naming"
	"aftergust/core/link/access"
	"aftergust/core/link/state"
	"aftergust/core/link/throttle"
	"aftergust/core/record/event"
	"aftergust/core/time/expiry"
	"aftergust/internal/ground"
	"aftergust/internal/parts/happen"
	"aftergust/internal/parts/people"
	"aftergust/internal/who/account"
	"aftergust/internal/who/tries"
)

// A Knock is somebody who stands before a package and asks to be let in.
type Knock struct {
	ID         string
	StudioID   string
	ParcelID   string
	LineID     string
	Device     []byte        // that is let through the door
	Reason     access.Reason // why they are outside
	Name       string        // as they call themselves; empty where their line says it
	Message    string
	AskedAt    time.Time
	AnsweredAt *time.Time
	LetIn      bool
	Title      string // of the package
	Line       string // name of the line by whose link they came
	Email      string // of that line
}

// Who is how the one who asks is called: by their line, or by what they say themselves.
func (k Knock) Who() string {
	if k.Name != "" && k.Email == "" {
		return k.Name
	}
	return k.Line
}

// maxMessage is how long what somebody says who asks to be let in may be, in characters.
const maxMessage = 500

// Ask tells the producer that somebody stands before a package that is shut to
// them, and wants in.
func (s *Service) Ask(ctx context.Context, e Entrant, name, message string) error {
	reason := e.Standing(s.now())
	if !reason.MayAsk() {
		return ground.Clash("nothing_to_ask", "There is nothing to ask for here.")
	}
	limit := tries.Limit{Key: "ask:" + e.Line.ID, Most: throttle.AsksPerLink} // whoever asks, it is one letter more
	k := Knock{ID: ground.NewID(), StudioID: e.Parcel.StudioID, ParcelID: e.Parcel.ID, LineID: e.Line.ID, Device: e.device, Reason: reason,
		Name: tidy(name), Message: naming.Clip(message, maxMessage), AskedAt: s.now()}
	h := e.happening(event.Asked)
	h.Message, h.About = k.Message, k.ID
	return s.rows.Tx(ctx, func(ctx context.Context) error {
		if _, err := s.tries.Spend(ctx, limit); err != nil {
			return err
		}
		if err := s.rows.InsertKnock(ctx, k); err != nil {
			return err
		}
		return s.events.Record(ctx, h)
	})
}

// tidy is a name as somebody gives it themselves, on one line.
func tidy(name string) string {
	if strings.TrimSpace(name) == "" {
		return ""
	}
	return people.TidyName(name)
}

// Asked is the newest knock of this entrant's device.
func (s *Service) Asked(ctx context.Context, e Entrant) (Knock, bool, error) {
	if e.device == nil {
		return Knock{}, false, nil
	}
	return s.rows.LastKnock(ctx, e.Line.ID, e.device)
}

// KnockOf is a knock at a package of the member's studio.
func (s *Service) KnockOf(ctx context.Context, m account.Member, id string) (Knock, error) {
	k, ok, err := s.rows.KnockByID(ctx, id)
	if err == nil && (!ok || k.StudioID != m.StudioID) {
		err = ground.Missing("request")
	}
	return k, err
}

// letInFor is how many days a package that has ended is opened for somebody who asks.
const letInFor = 7

// Answer lets somebody in who asked, or does not. Whatever keeps them out is set
// right: a package that has ended is opened for a week, somebody who was taken off
// is put back, and the device that asked is let through the door.
func (s *Service) Answer(ctx context.Context, m account.Member, id string, letIn bool) error {
	return s.rows.Tx(ctx, func(ctx context.Context) error {
		k, err := s.KnockOf(ctx, m, id)
		if err != nil {
			return err
		}
		first, err := s.rows.AnswerKnock(ctx, id, m.ID, letIn, s.now())
		if err != nil {
			return err
		}
		if !first {
			return ground.Clash("answered", "Somebody of the studio has answered already.")
		}
		kind := event.TurnedAway
		if letIn {
			kind = event.LetIn
			if err := s.open(ctx, m, k); err != nil {
				return err
			}
		}
		return s.events.Record(ctx, happen.Happening{Kind: kind, StudioID: k.StudioID, ParcelID: k.ParcelID, LineID: k.LineID, MemberID: m.ID})
	})
}

// open takes away all that keeps the device of a knock out, as things are now.
func (s *Service) open(ctx context.Context, m account.Member, k Knock) error {
	parcel, err := s.pack.ParcelOf(ctx, m, k.ParcelID)
	if err != nil {
		return err
	}
	switch parcel.State(s.now()) {
	case state.Cleared:
		return ground.Clash("cleared", "The files of this package are deleted, so nobody can be let in. Send them again in a new one.")
	case state.Closed:
		rule := expiry.Rule{Kind: expiry.AfterDays, Days: letInFor, Zone: parcel.EndRule.Zone}
		if err := s.pack.Extend(ctx, m, k.ParcelID, rule); err != nil {
			return err
		}
	}
	if err := s.pack.Restore(ctx, m, k.LineID); err != nil {
		return err
	}
	line, ok, err := s.lineRows.LineByID(ctx, k.LineID)
	if err != nil || !ok || len(k.Device) == 0 {
		return err
	}
	if line.GuestOf != "" {
		return nil // they are through the door already
	}
	return s.rows.PassVisit(ctx, Visit{ID: ground.NewID(), LineID: line.ID, WayID: line.WayID}, k.Device, s.now())
}
