package receive

import (
	"context"

	"aftergust/core/link/access"
	"aftergust/core/link/throttle"
	"aftergust/core/record/event"
	"aftergust/internal/ground"
	"aftergust/internal/out/letters"
	"aftergust/internal/parts/pack"
	"aftergust/internal/who/tries"
)

// SignBook lets somebody in who leaves name and address. They get a line of their
// own, known by their device alone: an address that nobody has checked shows nobody
// what somebody else has done under it, and no letter goes there. The device is known
// by a new secret from then on, which is returned.
func (s *Service) SignBook(ctx context.Context, e Entrant, name, address, host string) (device string, err error) {
	reason := e.Standing(s.now())
	if reason == access.Allowed {
		return "", nil
	}
	if reason != access.NeedAddress {
		return "", Refusal(reason)
	}
	said, email, err := letters.Address(address)
	if err != nil {
		return "", err
	}
	if name = tidy(name); name == "" {
		name = tidy(said)
	}
	if name == "" {
		return "", ground.Wrong("name", "Say who you are: a name, as the sender knows you.")
	}
	device = ground.NewSecret()
	err = s.rows.Tx(ctx, func(ctx context.Context) error {
		if _, err := s.tries.Spend(ctx, tries.Limit{Key: "guest:" + e.Line.ID + "|" + host, Most: throttle.GuestsPerHost},
			tries.Limit{Key: "guest:" + e.Line.ID, Most: throttle.GuestsInAll}); err != nil {
			return err
		}
		if n, err := s.lineRows.CountGuests(ctx, e.Line.ID); err != nil {
			return err
		} else if n >= throttle.MaxGuests {
			return ground.Clash("book_full", "The guest book of this link is full. Ask the sender for a link of your own.")
		}
		own := pack.NewGuest(s.keys, e.Line, name, email, s.now())
		if err := s.lineRows.InsertLine(ctx, own); err != nil {
			return err
		}
		if err := s.rows.RenameDevice(ctx, e.device, ground.Hash(device)); err != nil {
			return err
		}
		visit := e.visiting("")
		visit.GuestID = own.ID
		if err := s.rows.PassVisit(ctx, visit, ground.Hash(device), s.now()); err != nil {
			return err
		}
		e.Line = own
		return s.events.Record(ctx, e.happening(event.Signed))
	})
	return device, err
}
