package studio

import (
	"context"
	"strings"

	"aftergust/core/access"
	"aftergust/core/expiry"
	"aftergust/core/naming"
)

// A Guest is a recipient as the producer writes them on the waybill.
type Guest struct {
	Address string // "Hanne Orrick <hanne@kelpwick.example>"; empty for a link for anyone
	Name    string // overrides the name in Address where set
	Rights  access.Rights
	Zone    string
}

// AddRecipient puts a person, or a link for anyone, on the waybill. In a
// package that is out their letter goes at once.
func (s *Service) AddRecipient(ctx context.Context, m Member, id string, g Guest) (Recipient, error) {
	parcel, err := s.parcelOf(ctx, m, id)
	if err != nil {
		return Recipient{}, err
	}
	recipient := Recipient{ID: NewID(), ParcelID: id, Name: "Anyone with the link", Rights: g.Rights.Clean(), MayPassOn: true, LinkNonce: newNonce()}
	if g.Address != "" {
		name, email, err := address(g.Address)
		if err != nil {
			return Recipient{}, err
		}
		if name == "" {
			name = nameFromAddress(email)
		}
		recipient.Name, recipient.Email = naming.Display(name), email
	} else if parcel.Door == access.DoorNamed {
		return Recipient{}, invalid("email", "Behind a door for named people each needs a mail address.")
	}
	if strings.TrimSpace(g.Name) != "" {
		recipient.Name = naming.Display(g.Name)
	}
	recipient.Name = clip(recipient.Name, maxNameOfGuest)
	recipient.LinkHash = Hash(s.linkToken(recipient.LinkNonce))
	if recipient.Zone, err = s.zoneOf(ctx, m, recipient.Email, g.Zone); err != nil {
		return Recipient{}, err
	}
	return recipient, s.records.Tx(ctx, func(r Records) error {
		parcel, err := r.LockParcel(ctx, id)
		if err != nil {
			return err
		}
		others, err := r.Recipients(ctx, id)
		if err != nil {
			return err
		}
		if len(others) >= maxRecipients {
			return invalid("email", "One package goes to at most %d people. Make a second one for the others.", maxRecipients)
		}
		for _, other := range others {
			if other.RemovedAt == nil && strings.EqualFold(other.Email, recipient.Email) {
				return conflict("already_there", recipient.Name+" is on the waybill already.")
			}
		}
		if err := r.InsertRecipient(ctx, recipient); err != nil {
			return err
		}
		if parcel.State(s.now()).Open() {
			if err := s.sendLetter(ctx, r, parcel, recipient, LetterDelivery); err != nil {
				return err
			}
			if err := r.InsertEvent(ctx, Event{StudioID: m.StudioID, ParcelID: id, RecipientID: recipient.ID, MemberID: m.ID, Kind: EventAdded}); err != nil {
				return err
			}
		}
		return r.Announce(ctx, Change{Studio: m.StudioID, Parcel: id, What: WaybillChanged})
	})
}

func (s *Service) zoneOf(ctx context.Context, m Member, email, wanted string) (string, error) {
	if wanted != "" {
		_, err := expiry.LoadZone(wanted)
		return wanted, endProblem(err)
	}
	if email == "" {
		return "", nil
	}
	return s.records.LastZoneOf(ctx, m.StudioID, email)
}

// ChangeRecipient gives a recipient other rights, a name or a zone. Nil fields stay.
func (s *Service) ChangeRecipient(ctx context.Context, m Member, id string, rights *access.Rights, name, zone *string) (Recipient, error) {
	recipient, parcel, err := s.recipientOf(ctx, m, id)
	if err != nil {
		return recipient, err
	}
	if rights != nil {
		recipient.Rights = rights.Clean()
	}
	if name != nil {
		recipient.Name = clip(naming.Display(*name), maxNameOfGuest)
	}
	if zone != nil {
		if _, err := expiry.LoadZone(*zone); err != nil {
			return recipient, endProblem(err)
		}
		recipient.Zone = *zone
	}
	return recipient, s.recipientChanged(ctx, m, parcel, recipient, EventRights)
}

// RemoveRecipient takes a recipient off the waybill, at once: a download of
// theirs that runs is cut. What they took stays in the record.
func (s *Service) RemoveRecipient(ctx context.Context, m Member, id string) error {
	recipient, parcel, err := s.recipientOf(ctx, m, id)
	if err != nil {
		return err
	}
	if parcel.SentAt == nil {
		return s.records.Tx(ctx, func(r Records) error {
			if err := r.DeleteRecipient(ctx, id); err != nil {
				return err
			}
			return r.Announce(ctx, Change{Studio: m.StudioID, Parcel: parcel.ID, What: WaybillChanged})
		})
	}
	now := s.now()
	recipient.RemovedAt = &now
	return s.recipientChanged(ctx, m, parcel, recipient, EventRemoved)
}

func (s *Service) recipientOf(ctx context.Context, m Member, id string) (Recipient, Parcel, error) {
	recipient, ok, err := s.records.RecipientByID(ctx, id)
	if err != nil {
		return recipient, Parcel{}, err
	}
	if !ok || recipient.RemovedAt != nil {
		return recipient, Parcel{}, notFound("recipient")
	}
	parcel, err := s.parcelOf(ctx, m, recipient.ParcelID)
	return recipient, parcel, err
}

func (s *Service) recipientChanged(ctx context.Context, m Member, parcel Parcel, recipient Recipient, event string) error {
	return s.records.Tx(ctx, func(r Records) error {
		if err := r.UpdateRecipient(ctx, recipient); err != nil {
			return err
		}
		if parcel.SentAt != nil {
			if err := r.InsertEvent(ctx, Event{StudioID: m.StudioID, ParcelID: parcel.ID, RecipientID: recipient.ID, MemberID: m.ID, Kind: event}); err != nil {
				return err
			}
		}
		return r.Announce(ctx, Change{Studio: m.StudioID, Parcel: parcel.ID, What: WaybillChanged})
	})
}
