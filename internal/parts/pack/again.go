package pack

import (
	"context"
	"fmt"
	"strings"

	"aftergust/core/file/naming"
	"aftergust/core/link/door"
	"aftergust/core/link/right"
	"aftergust/core/time/expiry"
	"aftergust/core/time/reminder"
	"aftergust/internal/ground"
	"aftergust/internal/who/account"
)

// Again makes a draft of an earlier package: its items as they are now, its people
// with their rights, its door and its end; not its passphrase, of which we have a
// hash alone. What all have already is said by the Sentence, and left out by a click.
func (d *Drafts) Again(ctx context.Context, m account.Member, id string) (Parcel, error) {
	made := ground.NewID()
	err := d.rows.Tx(ctx, func(ctx context.Context) error {
		from, err := d.pack.Lock(ctx, m, id)
		if err != nil {
			return err
		}
		rule := from.EndRule
		if rule.Kind == expiry.AtTime {
			rule = expiry.Rule{Kind: expiry.AfterDays, Days: draftDays, Zone: rule.Zone}
		}
		draft := Parcel{ID: made, StudioID: m.StudioID, Title: from.Title, Door: from.Door, EndRule: rule, DefaultRights: from.DefaultRights,
			Pins: from.Pins, Reminders: from.Reminders, CreatedBy: m.ID, CreatedAt: d.pack.now()}
		if err := d.rows.InsertParcel(ctx, draft); err != nil {
			return err
		}
		if err := d.draftRows.CopyItems(ctx, id, made); err != nil {
			return err
		}
		lines, err := d.lineRows.Lines(ctx, id)
		if err != nil {
			return err
		}
		for _, l := range lines {
			if l.RemovedAt != nil || l.GuestOf != "" {
				continue
			}
			line, err := d.pack.newLine(ctx, draft, Guest{Address: l.Email, Name: l.Name, Rights: l.Rights, PassOn: &l.MayPassOn})
			if err != nil {
				return err
			}
			if err := d.lineRows.InsertLine(ctx, line); err != nil {
				return err
			}
		}
		return d.pack.waybillChanged(ctx, draft)
	})
	if err != nil {
		return Parcel{}, err
	}
	return d.pack.ParcelOf(ctx, m, made)
}

// A Preset is door, rights, end and letter kept for the next package.
type Preset struct {
	ID          string
	StudioID    string
	Name        string
	Door        door.Door
	Rights      right.Rights
	EndRule     expiry.Rule
	CoverLetter string
	Pins        bool
	Reminders   reminder.Ladder // nil: those of the package stay
}

// Says is what a preset sets, in words.
func (p Preset) Says() string {
	words := make([]string, len(p.Rights))
	for i, r := range p.Rights {
		words[i] = right.All.Get(r).Word
	}
	ends := p.EndRule.When()
	if p.EndRule.Kind == expiry.AfterDays {
		ends = fmt.Sprintf("after %d days", p.EndRule.Days)
	}
	return fmt.Sprintf("%s; %s; ends %s", door.All.Get(p.Door).Word, strings.Join(words, ", "), ends)
}

// Bounds of presets: how many a studio has, and how long their names are, in characters.
const (
	maxPresets    = 50
	maxPresetName = 80
)

// Presets are the presets of a studio, by name.
func (d *Drafts) Presets(ctx context.Context, m account.Member) ([]Preset, error) {
	return d.draftRows.Presets(ctx, m.StudioID)
}

// KeepPreset keeps how a package is sent under a name, in place of the preset that
// had it.
func (d *Drafts) KeepPreset(ctx context.Context, m account.Member, parcel, name string) error {
	if strings.TrimSpace(name) == "" {
		return ground.Wrong("name", "Give the preset a name.")
	}
	name = naming.Clip(naming.Display(name), maxPresetName)
	return d.rows.Tx(ctx, func(ctx context.Context) error {
		p, err := d.pack.Lock(ctx, m, parcel)
		if err != nil {
			return err
		}
		if p.EndRule.Kind == expiry.AtTime {
			return ground.Wrong("ends", "A day and an hour come once. Choose a number of days, or what the end waits for, and keep the preset then.")
		}
		all, err := d.draftRows.Presets(ctx, m.StudioID)
		if err != nil {
			return err
		}
		for _, other := range all {
			if strings.EqualFold(other.Name, name) {
				if err := d.draftRows.DeletePreset(ctx, other.ID); err != nil {
					return err
				}
			}
		}
		if len(all) >= maxPresets {
			return ground.Wrong("name", "A studio keeps at most %d presets. Delete one first.", maxPresets)
		}
		return d.draftRows.InsertPreset(ctx, Preset{ID: ground.NewID(), StudioID: m.StudioID, Name: name, Door: p.Door, Rights: p.DefaultRights,
			EndRule: p.EndRule, CoverLetter: p.CoverLetter, Pins: p.Pins, Reminders: p.Reminders})
	})
}

// presetOf is a preset of the member's studio, or not found.
func (d *Drafts) presetOf(ctx context.Context, m account.Member, id string) (Preset, error) {
	p, ok, err := d.draftRows.PresetByID(ctx, id)
	if err == nil && (!ok || p.StudioID != m.StudioID) {
		err = ground.Missing("preset")
	}
	return p, err
}

// ForgetPreset deletes a preset.
func (d *Drafts) ForgetPreset(ctx context.Context, m account.Member, id string) error {
	if _, err := d.presetOf(ctx, m, id); err != nil {
		return err
	}
	return d.draftRows.DeletePreset(ctx, id)
}

// ApplyPreset sets a draft as a preset says: door, end and letter of the package,
// and the rights of all who are on the waybill. A letter that is written already stays.
func (d *Drafts) ApplyPreset(ctx context.Context, m account.Member, parcel, preset string) error {
	from, err := d.presetOf(ctx, m, preset)
	if err != nil {
		return err
	}
	return d.edit(ctx, m, parcel, func(p *Parcel) error {
		p.Door, p.EndRule, p.DefaultRights, p.Pins = from.Door, from.EndRule, from.Rights, from.Pins
		if from.Reminders != nil {
			p.Reminders = from.Reminders
		}
		if p.CoverLetter == "" {
			p.CoverLetter = from.CoverLetter
		}
		lines, err := d.lineRows.Lines(ctx, parcel)
		if err != nil {
			return err
		}
		for _, l := range lines {
			if l.Anyone() {
				continue // whoever has a link is asked about one by one
			}
			l.Rights = from.Rights
			if err := d.lineRows.UpdateLine(ctx, l); err != nil {
				return err
			}
		}
		return nil
	})
}

// maxHeading is how long a heading may be, in characters.
const maxHeading = 120

// Arrange puts items of a package behind another, or to the beginning where after is empty.
func (d *Drafts) Arrange(ctx context.Context, m account.Member, parcel string, ids []string, after string) error {
	return d.arrange(ctx, m, parcel, func(ctx context.Context) error { return d.draftRows.Reorder(ctx, parcel, ids, after) })
}

// Head writes a heading over an item and those that follow it; an empty one takes it away.
func (d *Drafts) Head(ctx context.Context, m account.Member, id, heading string) error {
	content, _, err := d.pack.ContentOf(ctx, m, id)
	if err != nil {
		return err
	}
	if strings.TrimSpace(heading) != "" {
		heading = naming.Clip(naming.Display(heading), maxHeading)
	} else {
		heading = ""
	}
	return d.arrange(ctx, m, content.ParcelID, func(ctx context.Context) error {
		return d.draftRows.SetHeading(ctx, content.ParcelID, id, heading)
	})
}

func (d *Drafts) arrange(ctx context.Context, m account.Member, parcel string, do func(context.Context) error) error {
	return d.rows.Tx(ctx, func(ctx context.Context) error {
		p, err := d.pack.Lock(ctx, m, parcel)
		if err != nil {
			return err
		}
		if err := do(ctx); err != nil {
			return err
		}
		return d.rows.Announce(ctx, ground.Change{Studio: p.StudioID, Parcel: p.ID, What: ground.ContentsChanged})
	})
}
