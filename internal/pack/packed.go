package pack

import (
	"context"
	"time"

	"aftergust/core/expiry"
	"aftergust/core/sentence"
	"aftergust/core/state"
	"aftergust/internal/account"
	"aftergust/internal/gather"
	"aftergust/internal/ground"
	"aftergust/internal/letters"
)

// A Packed package is what the package screen shows of it at first: everything
// but the items beyond the first page.
type Packed struct {
	Parcel   Parcel
	State    state.State
	Contents []Content // the first page
	Lines    []Line
	Uploads  []gather.Upload
	Letters  []letters.Letter
	Sentence []sentence.Part
	Warnings []sentence.Warning
	WouldEnd time.Time // where the rule leads if it is sent now; zero where it does not resolve
}

// Package is what the package screen shows at first.
func (s *Service) Package(ctx context.Context, m account.Member, id string) (Packed, error) {
	parcel, err := s.ParcelOf(ctx, m, id)
	if err != nil {
		return Packed{}, err
	}
	p, err := s.waybill(ctx, parcel)
	if err != nil {
		return p, err
	}
	if p.Contents, err = s.store.Contents(ctx, parcel.ID, Place{}, ContentsPage); err != nil {
		return p, err
	}
	p.Letters, err = s.store.Letters(ctx, parcel.ID)
	return p, err
}

// waybill is a package without its items, with the Sentence.
func (s *Service) waybill(ctx context.Context, parcel Parcel) (Packed, error) {
	p := Packed{Parcel: parcel, State: parcel.State(s.now())}
	var err error
	if p.Lines, err = s.store.Lines(ctx, parcel.ID); err != nil {
		return p, err
	}
	if p.Uploads, err = s.store.UploadsOf(ctx, parcel.ID); err != nil {
		return p, err
	}
	plan := s.plan(p)
	p.Sentence, p.Warnings, p.WouldEnd = sentence.Write(plan), sentence.Warnings(plan), plan.Ends
	return p, nil
}

func (s *Service) plan(p Packed) sentence.Plan {
	now := s.now()
	plan := sentence.Plan{Door: p.Parcel.Door, HasPassphrase: p.Parcel.PassphraseHash != "", Now: now, Zone: time.UTC,
		Ends:  ground.When(p.Parcel.EndsAt),
		Items: p.Parcel.Items, Size: p.Parcel.Weight}
	if zone, err := expiry.LoadZone(p.Parcel.EndRule.Zone); err == nil {
		plan.Zone = zone
	}
	if plan.Ends.IsZero() {
		ends, err := p.Parcel.EndRule.Resolve(now)
		if err != nil {
			plan.EndProblem = err.Error()
		}
		plan.Ends = ends
	}
	for _, u := range p.Uploads {
		if u.State == gather.Arriving && u.ItemID == "" {
			plan.Items, plan.Arriving, plan.Size = plan.Items+1, plan.Arriving+1, plan.Size+u.Size
		}
	}
	for _, l := range p.Lines {
		if l.RemovedAt != nil {
			continue
		}
		r := sentence.Recipient{ID: l.ID, Name: l.Name, Rights: l.Rights, Anyone: l.Anyone()}
		if zone, err := expiry.LoadZone(l.Zone); err == nil {
			r.Zone = zone
		}
		plan.Recipients = append(plan.Recipients, r)
	}
	return plan
}
