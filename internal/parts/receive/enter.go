package receive

import (
	"context"
	"maps"
	"slices"
	"time"

	"aftergust/core/link/access"
	"aftergust/core/link/linkname"
	"aftergust/core/link/right"
	"aftergust/core/link/state"
	"aftergust/internal/ground"
	"aftergust/internal/ground/wire"
	"aftergust/internal/parts/pack"
	"aftergust/internal/who/account"
)

// A Visit is one device on one line, and the way by which it came.
type Visit struct {
	ID       string
	LineID   string
	WayID    string
	GuestID  string // the line of whoever left their address in the guest book on this device; empty for most
	PassedAt *time.Time
	Zone     string
}

// An Entrant is whoever came by a way in: their line of the waybill, the package,
// and whether they are through the door on this device.
type Entrant struct {
	Line   pack.Line
	Parcel pack.Parcel
	Studio bool // a member of the sending studio who looks at it as this recipient
	// ByProxy is set where what is taken goes to a proxy in front of us, which hands it on.
	ByProxy bool
	came    pack.Line // the line that the link belongs to; Line is a guest's own where they left their address
	device  []byte
	visit   Visit      // of this device; its ID is empty where it was never in
	keyed   *time.Time // when the key was made by which a program comes; nil for browsers
}

// passed reports whether this device is through the door as it is now.
func (e Entrant) passed() bool {
	at, since := e.visit.PassedAt, e.Parcel.DoorSince
	if e.keyed != nil {
		at = e.keyed
	}
	return at != nil && (since == nil || !at.Before(*since))
}

func (e Entrant) person(now time.Time) access.Person {
	return e.Line.Person(now, e.passed() || e.Studio)
}

// gate is the package as this entrant meets it. A member of the studio sees
// exactly what the recipient would see, past the door and also in a draft.
func (e Entrant) gate(now time.Time) access.Parcel {
	gate := e.Parcel.Gate(now)
	if e.Studio && gate.State == state.Draft {
		gate.State = state.Out
	}
	return gate
}

// Decide is access.Decide for this entrant.
func (e Entrant) Decide(verb right.Right, withdrawn bool, now time.Time) access.Reason {
	return access.Decide(e.gate(now), e.person(now), verb, withdrawn)
}

// DecideNote is access.DecideNote for this entrant.
func (e Entrant) DecideNote(act access.NoteAct, note access.Note, now time.Time) access.Reason {
	return access.DecideNote(e.gate(now), e.person(now), act, note)
}

// May reports whether this entrant may do verb with the package now.
func (e Entrant) May(verb right.Right, now time.Time) bool {
	return e.Decide(verb, false, now) == access.Allowed
}

// Standing is access.Standing for this entrant.
func (e Entrant) Standing(now time.Time) access.Reason {
	return access.Standing(e.gate(now), e.person(now))
}

// Shows is access.Shows for this entrant.
func (e Entrant) Shows(now time.Time) access.Shown { return access.Shows(e.gate(now), e.person(now)) }

// Refusal is an access reason as an error.
func Refusal(r access.Reason) error {
	kind := ground.Refused
	switch r {
	case access.Allowed:
		return nil
	case access.UnknownLink, access.NotSent, access.UnknownNote:
		kind = ground.NotFound
	case access.Stopped, access.Ended, access.Cleared, access.Withdrawn, access.RemovedPerson:
		kind = ground.Gone
	}
	return &ground.Error{Kind: kind, Code: string(r), Say: r.Say()}
}

// Enter finds who a link belongs to. device is the secret of the browser's
// cookie, or empty; member is set where a member of a studio is signed in there.
func (s *Service) Enter(ctx context.Context, link, device string, member *account.Member) (Entrant, error) {
	line, ok, err := s.lineBy(ctx, link)
	if err != nil {
		return Entrant{}, err
	}
	if !ok {
		return Entrant{}, Refusal(access.UnknownLink)
	}
	parcel, ok, err := s.packRows.ParcelByID(ctx, line.ParcelID)
	if err != nil {
		return Entrant{}, err
	}
	if !ok {
		return Entrant{}, Refusal(access.UnknownLink)
	}
	e := Entrant{Line: line, came: line, Parcel: parcel, Studio: member != nil && member.StudioID == parcel.StudioID}
	if device != "" {
		e.device = ground.Hash(device)
		if e.visit, _, err = s.rows.VisitOf(ctx, line.ID, e.device); err != nil {
			return e, err
		}
	}
	if e.visit.GuestID != "" && line.RemovedAt == nil && line.Way.Open(s.now()) {
		if own, ok, err := s.lineRows.LineByID(ctx, e.visit.GuestID); err != nil {
			return e, err
		} else if ok {
			e.Line = own
		}
	}
	return e, nil
}

// lineBy is the line of a link: by its secret, or by a name that the studio gave it.
func (s *Service) lineBy(ctx context.Context, link string) (pack.Line, bool, error) {
	if len(link) == ground.LinkLength {
		if line, ok, err := s.rows.LineByLink(ctx, ground.Hash(link)); err != nil || ok {
			return line, ok, err
		}
	}
	if name, err := linkname.Read(link); err != nil || name != link {
		return pack.Line{}, false, nil // as it is written; what only looks like it is none
	}
	return s.rows.LineByName(ctx, link)
}

// visiting is the visit of this entrant's device, to be written.
func (e Entrant) visiting(zone string) Visit {
	return Visit{ID: ground.NewID(), LineID: e.came.ID, WayID: e.came.WayID, Zone: zone, GuestID: e.visit.GuestID}
}

// Gates are packages and lines as they are now.
type Gates struct {
	Parcels   map[string]pack.Parcel
	Lines     map[string]pack.Line
	Withdrawn map[string]bool // items that were withdrawn
}

// Running is a download of an entrant that runs.
func (e Entrant) Running(verb right.Right, items []string) wire.Running {
	return wire.Running{Parcel: e.Parcel.ID, Line: e.Line.ID, GuestOf: e.Line.GuestOf, Verb: verb, Items: items, Ends: e.Parcel.EndsAt, Of: e}
}

// StillOpen looks at downloads that run, with a few queries for any number of
// them: for each the reason why it must be cut, or access.Allowed, and when its
// package ends.
func (s *Service) StillOpen(ctx context.Context, all []wire.Running) ([]access.Reason, []time.Time, error) {
	parcels, lines := map[string]bool{}, map[string]bool{}
	for _, r := range all {
		parcels[r.Parcel], lines[r.Line] = true, true
	}
	gates, err := s.rows.Gates(ctx, slices.Collect(maps.Keys(parcels)), slices.Collect(maps.Keys(lines)))
	if err != nil {
		return nil, nil, err
	}
	now := s.now()
	reasons, ends := make([]access.Reason, len(all)), make([]time.Time, len(all))
	for i, r := range all {
		parcel, ok := gates.Parcels[r.Parcel]
		line, found := gates.Lines[r.Line]
		if !ok || !found {
			reasons[i] = access.UnknownLink
			continue
		}
		withdrawn := false
		if len(gates.Withdrawn) > 0 {
			for _, item := range r.Items {
				withdrawn = withdrawn || gates.Withdrawn[item]
			}
		}
		e, _ := r.Of.(Entrant)
		e.Parcel, e.Line = parcel, line
		reasons[i], ends[i] = e.Decide(r.Verb, withdrawn, now), ground.When(parcel.EndsAt)
	}
	return reasons, ends, nil
}
