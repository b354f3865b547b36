package studio

import (
	"context"
	"strings"
	"time"

	"aftergust/core/access"
	"aftergust/core/coverage"
	"aftergust/core/expiry"
	"aftergust/core/naming"
	"aftergust/core/ziplayout"
)

// A Visit is one device of one recipient.
type Visit struct {
	ID          string
	RecipientID string
	PassedAt    *time.Time
	Zone        string
}

// A DoorCode is a code that was sent to a recipient's mail for one device. The
// six digits are derived from its ID and are nowhere written down.
type DoorCode struct {
	ID        string
	ExpiresAt time.Time
	Tries     int
}

type receiveRecords interface {
	RecipientByLink(ctx context.Context, hash []byte) (Recipient, bool, error)
	VisitOf(ctx context.Context, recipient string, device []byte) (Visit, bool, error)
	TouchVisit(ctx context.Context, id, recipient string, device []byte, zone string, at time.Time) error
	PassVisit(ctx context.Context, id, recipient string, device []byte, at time.Time) error
	InsertDoorCode(ctx context.Context, id, recipient string, device []byte, expires time.Time) error
	LastDoorCode(ctx context.Context, recipient string, device []byte) (DoorCode, bool, error)
	TriedDoorCode(ctx context.Context, id string, used bool) error
	CoversOf(ctx context.Context, recipient string) (map[string]Cover, error)
	Withdrawn(ctx context.Context, parcel string, among []string) (bool, error)
}

// An Entrant is whoever came by a link: their line of the waybill, the package,
// and whether they are through the door on this device.
type Entrant struct {
	Recipient Recipient
	Parcel    Parcel
	Passed    bool
	Studio    bool // a member of the sending studio who looks at it as this recipient
	device    []byte
}

func (e Entrant) person() access.Person {
	return access.Person{Known: true, Removed: e.Recipient.RemovedAt != nil, Passed: e.Passed || e.Studio, Rights: e.Recipient.Rights}
}

// Decide is access.Decide for this entrant. A member of the studio sees exactly
// what the recipient would see, past the door and also in a draft.
func (e Entrant) Decide(verb access.Verb, withdrawn bool, now time.Time) access.Reason {
	gate := e.Parcel.gate(now)
	if e.Studio && gate.State == expiry.Draft {
		gate.State = expiry.Out
	}
	return access.Decide(gate, e.person(), verb, withdrawn)
}

// Standing is access.Standing for this entrant.
func (e Entrant) Standing(now time.Time) access.Reason {
	gate := e.Parcel.gate(now)
	if e.Studio && gate.State == expiry.Draft {
		gate.State = expiry.Out
	}
	return access.Standing(gate, e.person())
}

// Refusal is an access reason as an error.
func Refusal(r access.Reason) error {
	kind := Refused
	switch r {
	case access.Allowed:
		return nil
	case access.UnknownLink, access.NotSent:
		kind = NotFound
	case access.Stopped, access.Ended, access.Cleared, access.Withdrawn, access.RemovedPerson:
		kind = Gone
	}
	return &Error{Kind: kind, Code: string(r), Say: r.Say()}
}

// Enter finds who a link belongs to. device is the secret of the browser's
// cookie, or empty; member is set where a member of a studio is signed in there.
func (s *Service) Enter(ctx context.Context, link, device string, member *Member) (Entrant, error) {
	if len(link) != linkLength {
		return Entrant{}, Refusal(access.UnknownLink)
	}
	recipient, ok, err := s.records.RecipientByLink(ctx, Hash(link))
	if err != nil {
		return Entrant{}, err
	}
	if !ok {
		return Entrant{}, Refusal(access.UnknownLink)
	}
	parcel, ok, err := s.records.ParcelByID(ctx, recipient.ParcelID)
	if err != nil {
		return Entrant{}, err
	}
	if !ok {
		return Entrant{}, Refusal(access.UnknownLink)
	}
	e := Entrant{Recipient: recipient, Parcel: parcel, Studio: member != nil && member.StudioID == parcel.StudioID}
	if device != "" {
		e.device = Hash(device)
		visit, _, err := s.records.VisitOf(ctx, recipient.ID, e.device)
		if err != nil {
			return e, err
		}
		e.Passed = visit.PassedAt != nil
	}
	return e, nil
}

// StillOpen is asked while a download runs: the reason why it must be cut, or
// access.Allowed. items are the parcel items that it carries.
func (s *Service) StillOpen(ctx context.Context, e Entrant, verb access.Verb, items []string) (access.Reason, time.Time, error) {
	recipient, ok, err := s.records.RecipientByID(ctx, e.Recipient.ID)
	if err != nil {
		return access.Allowed, time.Time{}, err
	}
	parcel, found, err := s.records.ParcelByID(ctx, e.Parcel.ID)
	if err != nil {
		return access.Allowed, time.Time{}, err
	}
	if !ok || !found {
		return access.UnknownLink, time.Time{}, nil
	}
	withdrawn, err := s.records.Withdrawn(ctx, parcel.ID, items)
	if err != nil {
		return access.Allowed, time.Time{}, err
	}
	e.Recipient, e.Parcel = recipient, parcel
	return e.Decide(verb, withdrawn, s.now()), when(parcel.EndsAt), nil
}

// Visited records that the page was opened, on a clock in zone.
func (s *Service) Visited(ctx context.Context, e Entrant, zone string) error {
	if e.Studio || e.device == nil {
		return nil
	}
	if _, err := expiry.LoadZone(zone); err != nil {
		zone = ""
	}
	now := s.now()
	return s.records.Tx(ctx, func(r Records) error {
		visit, seen, err := r.VisitOf(ctx, e.Recipient.ID, e.device)
		if err != nil {
			return err
		}
		if !seen {
			visit.ID = NewID()
		}
		if err := r.TouchVisit(ctx, visit.ID, e.Recipient.ID, e.device, zone, now); err != nil {
			return err
		}
		if zone != "" && zone != e.Recipient.Zone && !e.Recipient.Anyone() {
			changed := e.Recipient
			changed.Zone = zone
			if err := r.UpdateRecipient(ctx, changed); err != nil {
				return err
			}
		}
		return s.guestEvent(ctx, r, e, "", EventOpened)
	})
}

// Looked records that the preview of a version was shown.
func (s *Service) Looked(ctx context.Context, e Entrant, version string) error {
	if e.Studio {
		return nil
	}
	return s.records.Tx(ctx, func(r Records) error { return s.guestEvent(ctx, r, e, version, EventLooked) })
}

func (s *Service) guestEvent(ctx context.Context, r Records, e Entrant, version, kind string) error {
	if err := r.InsertEvent(ctx, Event{StudioID: e.Parcel.StudioID, ParcelID: e.Parcel.ID, RecipientID: e.Recipient.ID, VersionID: version, Kind: kind}); err != nil {
		return err
	}
	return r.Announce(ctx, Change{Studio: e.Parcel.StudioID, Parcel: e.Parcel.ID, What: LedgerChanged})
}

const (
	codeLife     = 10 * time.Minute // NIST SP 800-63B, 5.1.3.2: out-of-band secrets live at most ten minutes
	codeTries    = 5
	codesPerLink = 5 // in attemptWindow
)

// SendCode mails a six-digit code for this device.
func (s *Service) SendCode(ctx context.Context, e Entrant, host string) error {
	if reason := e.Standing(s.now()); reason != access.NeedCode {
		if reason == access.Allowed {
			return conflict("no_code_needed", "No code is needed here. Reload the page.")
		}
		return Refusal(reason)
	}
	key := "code:" + e.Recipient.ID
	if err := s.throttled(ctx, key, codesPerLink); err != nil {
		return err
	}
	if err := s.throttled(ctx, "code-host:"+host, attemptsPerHost); err != nil {
		return err
	}
	id := NewID()
	return s.records.Tx(ctx, func(r Records) error {
		for _, k := range []string{key, "code-host:" + host} {
			if err := r.AddAttempt(ctx, k); err != nil {
				return err
			}
		}
		if err := r.InsertDoorCode(ctx, id, e.Recipient.ID, e.device, s.now().Add(codeLife)); err != nil {
			return err
		}
		return s.post(ctx, r, Letter{StudioID: e.Parcel.StudioID, ParcelID: e.Parcel.ID, RecipientID: e.Recipient.ID, Kind: LetterCode,
			ToName: e.Recipient.Name, ToEmail: e.Recipient.Email, Data: map[string]string{"code_id": id}})
	})
}

// PassDoor tries a passphrase or a code. Wrong tries are throttled by link and
// by address, and the producer is told once.
func (s *Service) PassDoor(ctx context.Context, e Entrant, answer, host string) error {
	reason := e.Standing(s.now())
	if reason == access.Allowed {
		return nil
	}
	if reason != access.NeedPassphrase && reason != access.NeedCode {
		return Refusal(reason)
	}
	link, from := "door:"+e.Recipient.ID, "door-host:"+host
	if err := s.throttled(ctx, link, attemptsPerLink); err != nil {
		return err
	}
	if err := s.throttled(ctx, from, attemptsPerHost); err != nil {
		return err
	}
	right, err := s.answerMatches(ctx, e, reason, strings.TrimSpace(answer))
	if err != nil {
		return err
	}
	if right {
		return s.records.PassVisit(ctx, NewID(), e.Recipient.ID, e.device, s.now())
	}
	err = s.records.Tx(ctx, func(r Records) error {
		if err := r.AddAttempt(ctx, link); err != nil {
			return err
		}
		if err := r.AddAttempt(ctx, from); err != nil {
			return err
		}
		n, err := r.CountAttempts(ctx, link, s.now().Add(-attemptWindow))
		if err != nil || n != attemptsPerLink {
			return err
		}
		if err := s.guestEvent(ctx, r, e, "", EventBlocked); err != nil {
			return err
		}
		return s.tellProducer(ctx, r, e, LetterBlocked, "")
	})
	if err != nil {
		return err
	}
	if reason == access.NeedCode {
		return &Error{Kind: Refused, Code: "wrong_code", Say: "This is not the code, or it is too old. Look at the newest letter, or ask for another code.", At: "answer"}
	}
	return &Error{Kind: Refused, Code: "wrong_passphrase", Say: "This is not the passphrase. Check capitals and spaces; the sender has it.", At: "answer"}
}

func (s *Service) answerMatches(ctx context.Context, e Entrant, reason access.Reason, answer string) (bool, error) {
	if reason == access.NeedPassphrase {
		return passwordMatches(answer, e.Parcel.PassphraseHash)
	}
	code, ok, err := s.records.LastDoorCode(ctx, e.Recipient.ID, e.device)
	if err != nil || !ok || code.Tries >= codeTries || !s.now().Before(code.ExpiresAt) {
		return false, err
	}
	right := same(strings.ReplaceAll(answer, " ", ""), s.doorCode(code.ID))
	return right, s.records.TriedDoorCode(ctx, code.ID, right)
}

func (s *Service) tellProducer(ctx context.Context, r Records, e Entrant, kind, message string) error {
	return s.post(ctx, r, Letter{StudioID: e.Parcel.StudioID, ParcelID: e.Parcel.ID, RecipientID: e.Recipient.ID, Kind: kind,
		ToName: e.Parcel.SenderName, ToEmail: e.Parcel.SenderEmail, Data: map[string]string{"message": message}})
}

// Ask tells the producer that somebody stands before a closed package and wants in.
func (s *Service) Ask(ctx context.Context, e Entrant, message string) error {
	reason := e.Standing(s.now())
	if reason != access.Ended && reason != access.Stopped && reason != access.RemovedPerson {
		return conflict("nothing_to_ask", "There is nothing to ask for here.")
	}
	key := "ask:" + e.Recipient.ID
	if err := s.throttled(ctx, key, 3); err != nil {
		return err
	}
	return s.records.Tx(ctx, func(r Records) error {
		if err := r.AddAttempt(ctx, key); err != nil {
			return err
		}
		if err := s.guestEvent(ctx, r, e, "", EventAsked); err != nil {
			return err
		}
		return s.tellProducer(ctx, r, e, LetterAsked, clip(message, 500))
	})
}

// Inside is what a recipient sees once they are through the door.
type Inside struct {
	Contents []Content
	Covers   map[string]Cover // by version: what they have
}

// Inside lists what an entrant may see or take.
func (s *Service) Inside(ctx context.Context, e Entrant) (Inside, error) {
	see, take := e.Decide(access.See, false, s.now()), e.Decide(access.Take, false, s.now())
	if see != access.Allowed && take != access.Allowed {
		return Inside{}, Refusal(see)
	}
	contents, err := s.records.Contents(ctx, e.Parcel.ID)
	if err != nil {
		return Inside{}, err
	}
	covers, err := s.records.CoversOf(ctx, e.Recipient.ID)
	return Inside{Contents: present(contents), Covers: covers}, err
}

func present(contents []Content) []Content {
	kept := contents[:0:0]
	for _, c := range contents {
		if c.WithdrawnAt == nil {
			kept = append(kept, c)
		}
	}
	return kept
}

// Reach is an item of the entrant's package that they may use by verb.
func (s *Service) Reach(ctx context.Context, e Entrant, id string, verb access.Verb) (Content, error) {
	content, ok, err := s.records.ContentByID(ctx, id)
	if err != nil {
		return Content{}, err
	}
	if !ok || content.ParcelID != e.Parcel.ID {
		// Through the door or not is said first, so that ids cannot be probed.
		if err := Refusal(e.Standing(s.now())); err != nil {
			return Content{}, err
		}
		return Content{}, notFound("item")
	}
	return content, Refusal(e.Decide(verb, content.WithdrawnAt != nil, s.now()))
}

// An Archive is the plan of a package as one ZIP.
type Archive struct {
	Layout   *ziplayout.Layout
	Contents []Content // by entry of the layout
	Name     string
}

// Archive plans the ZIP of what an entrant may take. only limits it to some
// items by id, in the order of the package; empty means all.
func (s *Service) Archive(ctx context.Context, e Entrant, only []string) (Archive, error) {
	if err := Refusal(e.Decide(access.Take, false, s.now())); err != nil {
		return Archive{}, err
	}
	contents, err := s.records.Contents(ctx, e.Parcel.ID)
	if err != nil {
		return Archive{}, err
	}
	contents = present(contents)
	if len(only) > 0 {
		wanted := map[string]bool{}
		for _, id := range only {
			wanted[id] = true
		}
		chosen := contents[:0:0]
		for _, c := range contents {
			if wanted[c.ID] {
				chosen = append(chosen, c)
			}
		}
		if len(chosen) != len(wanted) {
			return Archive{}, notFound("item in this package")
		}
		contents = chosen
	}
	if len(contents) == 0 {
		return Archive{}, conflict("nothing_to_take", "There is nothing to download in this package.")
	}
	return planArchive(contents, naming.Portable(e.Parcel.Title)+".zip")
}

// Delivery is the address of receipts for a content that goes to an entrant.
func (e Entrant) Delivery(c Content) Delivery {
	return Delivery{Studio: e.Parcel.StudioID, Parcel: e.Parcel.ID, Recipient: e.Recipient.ID, Version: c.VersionID, Size: c.Size}
}

// Played records which milliseconds of an item played on an entrant's screen.
func (s *Service) Played(ctx context.Context, e Entrant, id string, ranges []coverage.Range) error {
	content, err := s.Reach(ctx, e, id, access.See)
	if err != nil {
		return err
	}
	length := content.Facts.LengthUS / 1000
	if length <= 0 {
		return invalid("item", "This item does not play.")
	}
	if len(ranges) > 500 {
		return invalid("ranges", "At most 500 ranges at once.")
	}
	if played := coverage.Of(ranges...).Clip(coverage.Range{End: length}); !e.Studio && !played.Empty() {
		s.Recorder.Played(e.Delivery(content), played)
	}
	return nil
}
