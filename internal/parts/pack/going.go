package pack

import (
	"context"
	"errors"
	"time"

	"aftergust/core/record/event"
	"aftergust/core/time/expiry"
	"aftergust/internal/ground"
	"aftergust/internal/who/account"
)

// The draft that goes by itself: at once but for the seconds in which it can be
// taken back, at an hour, and never before everything is in it.

// farthest is how far away the hour may be at which a draft goes.
const farthest = expiry.MaxDays * 24 * time.Hour

// SendAt lets a draft go by itself at a moment, or as soon after as everything is
// there that is still on its way into it. Where more is to come that the server has
// not heard of yet, it waits until this is called again. It refuses what Send refuses.
func (d *Drafts) SendAt(ctx context.Context, m account.Member, id string, at time.Time, more bool) error {
	return d.rows.Tx(ctx, func(ctx context.Context) error {
		parcel, err := d.pack.Lock(ctx, m, id)
		if err != nil {
			return err
		}
		if now := d.pack.now(); at.Before(now) || at.Sub(now) > farthest {
			return ground.Wrong("at", "Choose an hour from now on, within a year.")
		}
		parcel.GoingAt, parcel.GoingWaits, parcel.GoingProblem = &at, more, ""
		if _, err := d.pack.ready(ctx, parcel, more); err != nil {
			return err
		}
		if err := d.rows.UpdateParcel(ctx, parcel); err != nil {
			return err
		}
		if err := d.rows.Enqueue(ctx, ground.GoJob{At: at}); err != nil {
			return err
		}
		return d.pack.waybillChanged(ctx, parcel)
	})
}

// Announced says that a browser has announced all that it had for a draft. One that
// somebody has taken back meanwhile stays.
func (d *Drafts) Announced(ctx context.Context, m account.Member, id string) error {
	return d.rows.Tx(ctx, func(ctx context.Context) error {
		parcel, err := d.pack.Lock(ctx, m, id)
		if err != nil || parcel.SentAt != nil || parcel.GoingAt == nil || !parcel.GoingWaits {
			return err
		}
		parcel.GoingWaits = false
		if err := d.rows.UpdateParcel(ctx, parcel); err != nil {
			return err
		}
		if err := d.rows.Enqueue(ctx, ground.GoJob{At: *parcel.GoingAt}); err != nil {
			return err
		}
		return d.pack.waybillChanged(ctx, parcel)
	})
}

// Wait takes back that a draft goes by itself.
func (d *Drafts) Wait(ctx context.Context, m account.Member, id string) error {
	return d.edit(ctx, m, id, func(p *Parcel) error {
		p.GoingAt, p.GoingProblem = nil, ""
		return nil
	})
}

// Hand gives a draft to another member, who sends it in their name.
func (d *Drafts) Hand(ctx context.Context, m account.Member, id, member string) error {
	to, ok, err := d.accountRows.MemberByID(ctx, member)
	if err != nil {
		return err
	}
	if !ok || to.StudioID != m.StudioID {
		return ground.Missing("member")
	}
	return d.edit(ctx, m, id, func(p *Parcel) error {
		p.CreatedBy, p.HandedBy, p.GoingAt = to.ID, m.ID, nil
		if to.ID == m.ID {
			p.HandedBy = ""
		}
		return nil
	})
}

// editDraft changes a draft under its lock.
func (d *Drafts) edit(ctx context.Context, m account.Member, id string, change func(*Parcel) error) error {
	return d.rows.Tx(ctx, func(ctx context.Context) error {
		parcel, err := d.pack.Lock(ctx, m, id)
		if err != nil {
			return err
		}
		if parcel.SentAt != nil {
			return ground.Clash("already_sent", "This package was sent already.")
		}
		if err := change(&parcel); err != nil {
			return err
		}
		if err := d.rows.UpdateParcel(ctx, parcel); err != nil {
			return err
		}
		return d.pack.waybillChanged(ctx, parcel)
	})
}

// dueAtOnce bounds one round of GoDue.
const dueAtOnce = 50

// GoDue sends the drafts whose moment has come, and tells people of what was added
// to packages that are out. Two processes may do it at once: each package is locked
// and looked at anew.
func (d *Drafts) GoDue(ctx context.Context) error {
	drafts, err := d.draftRows.Going(ctx, d.pack.now(), dueAtOnce)
	if err != nil {
		return err
	}
	var problems []error
	for _, p := range drafts {
		problems = append(problems, d.goes(ctx, p.ID))
	}
	news, err := d.draftRows.News(ctx, d.pack.now(), dueAtOnce)
	problems = append(problems, err)
	for _, p := range news {
		problems = append(problems, d.tell(ctx, p.ID))
	}
	return errors.Join(problems...)
}

// goes sends one draft, or keeps why it does not go.
func (d *Drafts) goes(ctx context.Context, id string) error {
	return d.rows.Tx(ctx, func(ctx context.Context) error {
		parcel, ok, err := d.rows.LockParcel(ctx, id)
		if err != nil || !ok || parcel.SentAt != nil || parcel.GoingAt == nil || parcel.GoingAt.After(d.pack.now()) || parcel.GoingWaits {
			return err
		}
		err = d.pack.send(ctx, account.Member{ID: parcel.CreatedBy, StudioID: parcel.StudioID}, parcel)
		var problem *ground.Error
		if !errors.As(err, &problem) || problem.Kind != ground.Conflict {
			return err
		}
		if problem.Code == "uploading" {
			return nil // it goes with the last of them
		}
		parcel.GoingAt, parcel.GoingProblem = nil, problem.Say
		if err := d.rows.UpdateParcel(ctx, parcel); err != nil {
			return err
		}
		return d.pack.waybillChanged(ctx, parcel)
	})
}

// TellNow tells people of what was added, without waiting for more.
func (d *Drafts) TellNow(ctx context.Context, m account.Member, id string) error {
	if _, err := d.pack.ParcelOf(ctx, m, id); err != nil {
		return err
	}
	return d.tell(ctx, id)
}

// tell tells people once of all that was added since they were last told.
func (d *Drafts) tell(ctx context.Context, id string) error {
	return d.rows.Tx(ctx, func(ctx context.Context) error {
		parcel, ok, err := d.rows.LockParcel(ctx, id)
		if err != nil || !ok || parcel.NewsAt == nil {
			return err
		}
		now := d.pack.now()
		added, last, err := d.memoryRows.AddedSince(ctx, id, ground.When(parcel.ToldAt))
		if err != nil {
			return err
		}
		parcel.NewsAt = nil
		if added > 0 {
			parcel.ToldAt = &last
		}
		if err := d.rows.UpdateParcel(ctx, parcel); err != nil {
			return err
		}
		if added == 0 || !parcel.State(now).Open() {
			return d.pack.waybillChanged(ctx, parcel) // withdrawn again, or closed meanwhile
		}
		return d.pack.events.Record(ctx, about(parcel, account.Member{}, event.ItemsAdded))
	})
}

// Settle brings the end of a package nearer, where its rule waited for what people
// have done by now.
func (d *Drafts) Settle(ctx context.Context, id string) error {
	return d.rows.Tx(ctx, func(ctx context.Context) error {
		parcel, ok, err := d.rows.LockParcel(ctx, id)
		if err != nil || !ok || !parcel.State(d.pack.now()).Open() {
			return err
		}
		progress, err := d.draftRows.Progress(ctx, id)
		if err != nil {
			return err
		}
		ends, reached := parcel.EndRule.Reached(progress)
		if !reached || !ends.Before(*parcel.EndsAt) {
			return nil
		}
		parcel.endAt(ends, d.pack.now())
		if err := d.rows.UpdateParcel(ctx, parcel); err != nil {
			return err
		}
		return d.pack.events.RecordCut(ctx, &ground.Cut{Ends: ends.UnixNano()}, about(parcel, account.Member{}, event.EndReached))
	})
}
