package pack

import (
	"context"
	"time"

	"aftergust/core/link/state"
	"aftergust/core/record/event"
	"aftergust/core/time/expiry"
	"aftergust/core/words/sentence"
	"aftergust/internal/ground"
	"aftergust/internal/parts/happen"
	"aftergust/internal/who/account"
)

// Send sends a draft: from this moment its links open, and a letter goes to
// each person. It refuses while a blocking warning stands, or something is still
// on its way into it.
func (s *Service) Send(ctx context.Context, m account.Member, id string) error {
	return s.rows.Tx(ctx, func(ctx context.Context) error {
		parcel, err := s.Lock(ctx, m, id)
		if err != nil {
			return err
		}
		return s.send(ctx, m, parcel)
	})
}

// send sends a draft that is locked.
func (s *Service) send(ctx context.Context, m account.Member, parcel Parcel) error {
	p, err := s.ready(ctx, parcel, false)
	if err != nil {
		return err
	}
	for _, w := range p.Warnings {
		if w.Code == sentence.Uploading {
			return ground.Clash(w.Code, w.Text)
		}
	}
	if parcel.Pins {
		if err := s.memoryRows.PinItems(ctx, parcel.ID); err != nil {
			return err
		}
	}
	_, last, err := s.memoryRows.AddedSince(ctx, parcel.ID, time.Time{})
	if err != nil {
		return err
	}
	if parcel.LetterheadID == "" { // it keeps the one that it goes with
		if parcel.LetterheadID, err = s.memoryRows.LetterheadOf(ctx, parcel.ID); err != nil {
			return err
		}
	}
	now := s.now()
	parcel.SentAt, parcel.GoingAt, parcel.GoingProblem, parcel.ToldAt = &now, nil, "", &last
	parcel.endAt(p.WouldEnd, now)
	if err := s.rows.UpdateParcel(ctx, parcel); err != nil {
		return err
	}
	if err := s.peopleRows.EnterPeople(ctx, parcel.ID); err != nil {
		return err
	}
	return s.events.Record(ctx, about(parcel, m, event.Sent))
}

// ready is a draft that nothing speaks against but what is still on its way; with
// more to come it may be empty as yet.
func (s *Service) ready(ctx context.Context, parcel Parcel, more bool) (Packed, error) {
	if parcel.SentAt != nil {
		return Packed{}, ground.Clash("already_sent", "This package was sent already.")
	}
	p, err := s.waybill(ctx, parcel)
	if err != nil {
		return p, err
	}
	for _, w := range p.Warnings {
		if w.Blocks && (w.Code != sentence.NoItems || !more) {
			return p, ground.Clash(w.Code, w.Text)
		}
	}
	return p, nil
}

// about is a happening that is about a whole package.
func about(p Parcel, m account.Member, kind event.Kind) happen.Happening {
	return happen.Happening{Kind: kind, StudioID: p.StudioID, ParcelID: p.ID, MemberID: m.ID}
}

// Stop closes a package that is out, at once: downloads that run are cut.
func (s *Service) Stop(ctx context.Context, m account.Member, id string) error {
	return s.changeState(ctx, m, id, event.Stopped, func(p *Parcel, at state.State, now time.Time) (*ground.Cut, error) {
		if !at.Open() {
			return nil, ground.Clash("not_out", "Only a package that is out can be stopped.")
		}
		p.StoppedAt = &now
		return &ground.Cut{}, nil
	})
}

// Extend sets a new end. It also opens a package again that ended or was
// stopped, as long as its files are held.
func (s *Service) Extend(ctx context.Context, m account.Member, id string, rule expiry.Rule) error {
	return s.changeState(ctx, m, id, event.Extended, func(p *Parcel, at state.State, now time.Time) (*ground.Cut, error) {
		switch at {
		case state.Draft:
			return nil, ground.Clash("not_sent", "This package is a draft. Set its end there.")
		case state.Cleared:
			return nil, ground.Clash("cleared", "The files of this package are deleted. Send them in a new one.")
		}
		if rule.Waits() {
			return nil, ground.Wrong("ends", "Choose a number of days, or a day and an hour: it has waited already.")
		}
		ends, err := rule.Resolve(now)
		if err != nil {
			return nil, endProblem(err)
		}
		p.StoppedAt, p.EndRule = nil, rule
		p.endAt(ends, now)
		return &ground.Cut{Ends: ends.UnixNano()}, nil
	})
}

// changeState changes a package that was sent, with what running downloads must
// hear of it.
func (s *Service) changeState(ctx context.Context, m account.Member, id string, kind event.Kind,
	change func(p *Parcel, at state.State, now time.Time) (*ground.Cut, error)) error {
	return s.rows.Tx(ctx, func(ctx context.Context) error {
		parcel, err := s.Lock(ctx, m, id)
		if err != nil {
			return err
		}
		now := s.now()
		cut, err := change(&parcel, parcel.State(now), now)
		if err != nil {
			return err
		}
		if err := s.rows.UpdateParcel(ctx, parcel); err != nil {
			return err
		}
		return s.events.RecordCut(ctx, cut, about(parcel, m, kind))
	})
}

// clearedAtOnce bounds one transaction of ClearEnded.
const clearedAtOnce = 200

// ClearEnded clears packages whose hold is over: the record stays, the bytes
// that nothing else needs are marked for deletion.
func (s *Service) ClearEnded(ctx context.Context) error {
	for {
		n := 0
		err := s.rows.Tx(ctx, func(ctx context.Context) error {
			now := s.now()
			cleared, err := s.rows.ClearParcels(ctx, now, now.Add(-expiry.HoldAfterEnd), clearedAtOnce)
			if err != nil {
				return err
			}
			n = len(cleared)
			all := make([]happen.Happening, n)
			for i, p := range cleared {
				all[i] = about(p, account.Member{}, event.Cleared)
			}
			return s.events.RecordCut(ctx, &ground.Cut{}, all...)
		})
		if err != nil || n < clearedAtOnce {
			return err
		}
	}
}
