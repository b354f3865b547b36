package studio

import (
	"context"
	"time"

	"aftergust/core/access"
	"aftergust/core/expiry"
)

// Send sends a draft: from this moment its links open, and a letter goes to
// each person. It refuses while a blocking warning stands.
func (s *Service) Send(ctx context.Context, m Member, id string) error {
	if _, err := s.parcelOf(ctx, m, id); err != nil {
		return err
	}
	return s.records.Tx(ctx, func(r Records) error {
		parcel, err := r.LockParcel(ctx, id)
		if err != nil {
			return err
		}
		if parcel.SentAt != nil {
			return conflict("already_sent", "This package was sent already.")
		}
		p, err := s.packed(ctx, r, parcel)
		if err != nil {
			return err
		}
		for _, w := range p.Warnings {
			if w.Blocks {
				return &Error{Kind: Conflict, Code: w.Code, Say: w.Text}
			}
		}
		now := s.now()
		parcel.SentAt, parcel.EndsAt = &now, &p.WouldEnd
		if err := r.UpdateParcel(ctx, parcel); err != nil {
			return err
		}
		for _, recipient := range p.Recipients {
			if err := s.sendLetter(ctx, r, parcel, recipient, LetterDelivery); err != nil {
				return err
			}
		}
		return s.told(ctx, r, m, parcel, EventSent)
	})
}

// told is the last step of every change of a package's state.
func (s *Service) told(ctx context.Context, r Records, m Member, parcel Parcel, event string) error {
	if err := r.InsertEvent(ctx, Event{StudioID: parcel.StudioID, ParcelID: parcel.ID, MemberID: m.ID, Kind: event}); err != nil {
		return err
	}
	return r.Announce(ctx, Change{Studio: parcel.StudioID, Parcel: parcel.ID, What: WaybillChanged})
}

// Stop closes a package that is out, at once: downloads that run are cut.
func (s *Service) Stop(ctx context.Context, m Member, id string) error {
	return s.changeState(ctx, m, id, EventStopped, func(p *Parcel, state expiry.State, now time.Time) error {
		if !state.Open() {
			return conflict("not_out", "Only a package that is out can be stopped.")
		}
		p.StoppedAt = &now
		return nil
	})
}

// Extend sets a new end. It also opens a package again that ended or was
// stopped, as long as its files are held.
func (s *Service) Extend(ctx context.Context, m Member, id string, rule expiry.Rule) error {
	return s.changeState(ctx, m, id, EventExtended, func(p *Parcel, state expiry.State, now time.Time) error {
		switch state {
		case expiry.Draft:
			return conflict("not_sent", "This package is a draft. Set its end there.")
		case expiry.Cleared:
			return conflict("cleared", "The files of this package are deleted. Send them in a new one.")
		}
		ends, err := rule.Resolve(now)
		if err != nil {
			return endProblem(err)
		}
		p.EndsAt, p.StoppedAt, p.EndRule = &ends, nil, rule
		return nil
	})
}

func (s *Service) changeState(ctx context.Context, m Member, id, event string, change func(p *Parcel, state expiry.State, now time.Time) error) error {
	if _, err := s.parcelOf(ctx, m, id); err != nil {
		return err
	}
	return s.records.Tx(ctx, func(r Records) error {
		parcel, err := r.LockParcel(ctx, id)
		if err != nil {
			return err
		}
		now := s.now()
		if err := change(&parcel, parcel.State(now), now); err != nil {
			return err
		}
		if err := r.UpdateParcel(ctx, parcel); err != nil {
			return err
		}
		return s.told(ctx, r, m, parcel, event)
	})
}

// remindPause is how long one recipient is left alone after a reminder.
const remindPause = 12 * time.Hour

// Remind sends a reminder to one recipient who has not everything.
func (s *Service) Remind(ctx context.Context, m Member, recipientID string) error {
	recipient, parcel, err := s.recipientOf(ctx, m, recipientID)
	if err != nil {
		return err
	}
	if !parcel.State(s.now()).Open() {
		return conflict("not_out", "This package is not out, so there is nothing to collect. Extend it first.")
	}
	if recipient.Anyone() {
		return invalid("recipient", "There is no mail address behind this link.")
	}
	return s.records.Tx(ctx, func(r Records) error {
		if _, err := r.LockParcel(ctx, parcel.ID); err != nil {
			return err
		}
		last, err := r.LastLetter(ctx, recipientID, LetterReminder)
		if err != nil {
			return err
		}
		if s.now().Sub(last) < remindPause {
			return conflict("reminded", recipient.Name+" was reminded less than 12 hours ago.")
		}
		if err := s.sendLetter(ctx, r, parcel, recipient, LetterReminder); err != nil {
			return err
		}
		if err := r.InsertEvent(ctx, Event{StudioID: parcel.StudioID, ParcelID: parcel.ID, RecipientID: recipientID, MemberID: m.ID, Kind: EventReminded}); err != nil {
			return err
		}
		return r.Announce(ctx, Change{Studio: parcel.StudioID, Parcel: parcel.ID, What: WaybillChanged})
	})
}

// holdAfterEnd is how long the bytes of a package that ended are held, so that
// it can be extended.
const holdAfterEnd = 14 * 24 * time.Hour

// ClearEnded clears packages whose hold is over: the record stays, the bytes
// that nothing else needs are marked for deletion.
func (s *Service) ClearEnded(ctx context.Context) error {
	return s.records.Tx(ctx, func(r Records) error {
		cleared, err := r.ClearParcels(ctx, s.now(), s.now().Add(-holdAfterEnd))
		if err != nil {
			return err
		}
		for _, parcel := range cleared {
			if err := s.told(ctx, r, Member{}, parcel, EventCleared); err != nil {
				return err
			}
		}
		return nil
	})
}

// mayLetIn reports whether a letter makes sense for this recipient at all.
func mayLetIn(r Recipient) bool {
	return r.Email != "" && r.RemovedAt == nil && (r.Rights.Has(access.See) || r.Rights.Has(access.Take))
}
