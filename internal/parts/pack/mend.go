package pack

import (
	"context"
	"slices"

	"aftergust/core/link/right"
	"aftergust/core/time/expiry"
	"aftergust/core/words/sentence"
	"aftergust/internal/ground"
	"aftergust/internal/who/account"
)

// Mend does what a warning offers to do about it, to a draft. A warning that does
// not stand any more changes nothing.
func (d *Drafts) Mend(ctx context.Context, m account.Member, id, code, line string) error {
	return d.rows.Tx(ctx, func(ctx context.Context) error {
		parcel, err := d.pack.Lock(ctx, m, id)
		if err != nil {
			return err
		}
		if parcel.SentAt != nil {
			return ground.Clash("already_sent", "This package was sent already.")
		}
		p, err := d.pack.waybill(ctx, parcel)
		if err != nil {
			return err
		}
		if !slices.ContainsFunc(p.Warnings, func(w sentence.Warning) bool { return w.Code == code && w.Recipient == line && w.Mend != "" }) {
			return nil
		}
		return d.mend(ctx, m, p, code, line)
	})
}

func (d *Drafts) mend(ctx context.Context, m account.Member, p Packed, code, line string) error {
	switch code {
	case sentence.NoRights:
		return d.grant(ctx, m, p, line, func(r right.Rights) right.Rights { return append(r, right.See) })
	case sentence.TakeGone, sentence.NoTakers:
		return d.grant(ctx, m, p, line, func(r right.Rights) right.Rights { return append(r, right.See, right.Take) })
	case sentence.OpenTake, sentence.TakeNew:
		return d.grant(ctx, m, p, line, func(r right.Rights) right.Rights {
			return append(slices.DeleteFunc(r, func(v right.Right) bool { return v == right.Take }), right.See)
		})
	case sentence.AnyoneNamed, sentence.Bounced, sentence.OtherClient:
		return d.pack.RemoveLine(ctx, m, line)
	case sentence.Guessable:
		return d.unguessable(ctx, p, line)
	case sentence.SentBefore:
		return d.leaveOut(ctx, p)
	}
	plan, err := d.pack.plan(ctx, p)
	if err != nil {
		return err
	}
	rule := p.Parcel.EndRule
	switch code {
	case sentence.TooSlow:
		days := sentence.DaysNeeded(plan)
		if rule.Waits() {
			rule.Latest = days
		} else {
			rule = expiry.Rule{Kind: expiry.AfterDays, Days: days, Zone: rule.Zone}
		}
	case sentence.AtNight:
		if zone := sentence.NightZone(plan); zone != nil {
			rule = expiry.Rule{Kind: expiry.AtTime, Zone: zone.String(), Local: expiry.Local(sentence.DayEnd(plan.Ends, zone), zone)}
		}
	case sentence.TooFew:
		rule.People = sentence.Takers(plan)
	}
	parcel := p.Parcel
	parcel.EndRule = rule
	if err := d.rows.UpdateParcel(ctx, parcel); err != nil {
		return err
	}
	return d.pack.waybillChanged(ctx, parcel)
}

// unguessable adds random letters to the name of a line's link.
func (d *Drafts) unguessable(ctx context.Context, p Packed, line string) error {
	names, err := d.memoryRows.LinkNames(ctx, p.Parcel.ID)
	if err != nil {
		return err
	}
	if _, err := d.memoryRows.SetName(ctx, line, ground.WithTail(names[line])); err != nil {
		return err
	}
	return d.pack.waybillChanged(ctx, p.Parcel)
}

// grant changes the rights of one line, or of all where line is empty.
func (d *Drafts) grant(ctx context.Context, m account.Member, p Packed, line string, change func(right.Rights) right.Rights) error {
	for _, l := range p.Lines {
		if l.RemovedAt != nil || line != "" && l.ID != line {
			continue
		}
		rights := change(slices.Clone(l.Rights)).Clean()
		if _, err := d.pack.ChangeLine(ctx, m, l.ID, LineEdit{Rights: &rights}); err != nil {
			return err
		}
	}
	return nil
}

// leaveOut takes out of a draft what all who may download have already.
func (d *Drafts) leaveOut(ctx context.Context, p Packed) error {
	var takers []string
	for _, l := range p.Lines {
		if l.RemovedAt == nil && l.Rights.Has(right.Take) {
			takers = append(takers, l.ID)
		}
	}
	known, err := d.memoryRows.KnownItems(ctx, p.Parcel.ID, takers)
	if err != nil {
		return err
	}
	for _, id := range known {
		if err := d.contentRows.RemoveItem(ctx, p.Parcel.ID, id); err != nil {
			return err
		}
	}
	return d.rows.Announce(ctx, ground.Change{Studio: p.Parcel.StudioID, Parcel: p.Parcel.ID, What: ground.ContentsChanged})
}
