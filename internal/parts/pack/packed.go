package pack

import (
	"context"
	"time"

	"aftergust/core/link/right"
	"aftergust/core/link/state"
	"aftergust/core/media/preflight"
	"aftergust/core/time/expiry"
	"aftergust/core/words/sentence"
	"aftergust/internal/ground"
	"aftergust/internal/out/letters"
	"aftergust/internal/parts/gather"
	"aftergust/internal/who/account"
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
	Pasts    map[string]sentence.Past // by line, of a draft
	WouldEnd time.Time                // where the rule leads if it is sent now; zero where it does not resolve
}

// Last is the last package to somebody before this one, in words; empty where there
// was none.
func (p Packed) Last(line string) string {
	past := p.Pasts[line]
	if past.Title == "" {
		return ""
	}
	may := "only to look at"
	if past.Rights.Has(right.Take) {
		may = "with download"
	}
	return "“" + past.Title + "”, " + may
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
	if p.Contents, err = s.contentRows.Contents(ctx, parcel.ID, Place{}, ContentsPage); err != nil {
		return p, err
	}
	p.Letters, err = s.lettersRows.Letters(ctx, parcel.ID)
	return p, err
}

// waybill is a package without its items, with the Sentence.
func (s *Service) waybill(ctx context.Context, parcel Parcel) (Packed, error) {
	p := Packed{Parcel: parcel, State: parcel.State(s.now())}
	var err error
	if p.Lines, err = s.lineRows.Lines(ctx, parcel.ID); err != nil {
		return p, err
	}
	if p.Uploads, err = s.uploadRows.UploadsOf(ctx, parcel.ID); err != nil {
		return p, err
	}
	if parcel.SentAt == nil {
		if p.Pasts, err = s.memoryRows.Pasts(ctx, parcel.ID); err != nil {
			return p, err
		}
	}
	plan, err := s.plan(ctx, p)
	if err != nil {
		return p, err
	}
	p.Sentence, p.Warnings, p.WouldEnd = sentence.Write(plan), sentence.Warnings(plan), plan.Ends
	return p, nil
}

// stemsLooked is how many sounds of a package are compared for the Sentence.
const stemsLooked = 500

func (s *Service) plan(ctx context.Context, p Packed) (sentence.Plan, error) {
	now := s.now()
	plan := sentence.Plan{Door: p.Parcel.Door, HasPassphrase: p.Parcel.PassphraseHash != "", Now: now, Zone: time.UTC, Rule: p.Parcel.EndRule,
		Ends:  ground.When(p.Parcel.EndsAt),
		Items: p.Parcel.Items, Size: p.Parcel.Weight}
	if zone, err := expiry.LoadZone(p.Parcel.EndRule.Zone); err == nil {
		plan.Zone = zone
	}
	if plan.Ends.IsZero() {
		ends, err := p.Parcel.EndRule.Resolve(ground.Later(now, p.Parcel.GoingAt))
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
	if p.Parcel.SentAt != nil {
		return plan, nil // what speaks against sending is of no use any more
	}
	if p.Parcel.SenderUnconfirmed {
		plan.Unconfirmed = p.Parcel.SenderEmail
	}
	return plan, s.recall(ctx, p, &plan)
}

// recall adds what is known from before to the plan of a draft.
func (s *Service) recall(ctx context.Context, p Packed, plan *sentence.Plan) error {
	var takers []string
	for i, r := range plan.Recipients {
		plan.Recipients[i].Past = p.Pasts[r.ID]
		if r.Rights.Has(right.Take) {
			takers = append(takers, r.ID)
		}
	}
	names, err := s.memoryRows.LinkNames(ctx, p.Parcel.ID)
	if err != nil {
		return err
	}
	for i, r := range plan.Recipients {
		plan.Recipients[i].Link = names[r.ID]
	}
	if plan.Client, err = s.memoryRows.ClientOf(ctx, p.Parcel.ID); err != nil {
		return err
	}
	known, err := s.memoryRows.KnownItems(ctx, p.Parcel.ID, takers)
	if err != nil {
		return err
	}
	plan.Known = len(known)
	sounds, err := s.memoryRows.Sounds(ctx, p.Parcel.ID, stemsLooked)
	if err != nil {
		return err
	}
	files := make([]preflight.File, len(sounds))
	for i, c := range sounds {
		files[i] = c.Preflight(c.ID, c.Path())
	}
	if found := preflight.Stems(files); len(found) > 0 {
		plan.Stems = found[0].Why
	}
	return nil
}
