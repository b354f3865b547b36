package receive

import (
	"context"
	"strings"
	"time"

	"aftergust/core/access"
	"aftergust/core/event"
	"aftergust/core/letter"
	"aftergust/core/throttle"
	"aftergust/internal/account"
	"aftergust/internal/ground"
	"aftergust/internal/letters"
	"aftergust/internal/tries"
)

// A DoorCode is a code that was sent to a recipient's mail for one device. The
// six digits are derived from its ID and are nowhere written down.
type DoorCode struct {
	ID        string
	ExpiresAt time.Time
	Tries     int
}

// good reports whether an answer is compared with the code at all.
func (c DoorCode) good(now time.Time) bool {
	return c.Tries < throttle.CodeTries && now.Before(c.ExpiresAt)
}

// SendCode mails a six-digit code for this device.
func (s *Service) SendCode(ctx context.Context, e Entrant, host string) error {
	if reason := e.Standing(s.now()); reason != access.NeedCode {
		if reason == access.Allowed {
			return ground.Clash("no_code_needed", "No code is needed here. Reload the page.")
		}
		return Refusal(reason)
	}
	limits := []tries.Limit{{Key: "code:" + e.Line.ID, Most: throttle.CodesPerLink}, {Key: "code-host:" + host, Most: throttle.PerHost}}
	if err := s.tries.Check(ctx, limits...); err != nil {
		return err
	}
	id := ground.NewID()
	return s.store.Tx(ctx, func(ctx context.Context) error {
		if err := s.tries.Add(ctx, limits...); err != nil {
			return err
		}
		if err := s.store.InsertDoorCode(ctx, id, e.Line.ID, e.device, s.now().Add(throttle.CodeLife)); err != nil {
			return err
		}
		return s.letters.Post(ctx, letters.Letter{StudioID: e.Parcel.StudioID, ParcelID: e.Parcel.ID, LineID: e.Line.ID, Kind: letter.Code,
			ToName: e.Line.Name, ToEmail: e.Line.Email, Data: map[string]string{"code_id": id}})
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
	limits := []tries.Limit{{Key: "door:" + e.Line.ID, Most: throttle.PerLink}, {Key: "door-host:" + host, Most: throttle.PerHost}}
	if err := s.tries.Check(ctx, limits...); err != nil {
		return err
	}
	right, err := s.answerMatches(ctx, e, reason, strings.TrimSpace(answer))
	if err != nil {
		return err
	}
	if right {
		return s.store.PassVisit(ctx, e.visit(""), e.device, s.now())
	}
	if err := s.wrong(ctx, e, limits); err != nil {
		return err
	}
	if reason == access.NeedCode {
		return &ground.Error{Kind: ground.Refused, Code: "wrong_code",
			Say: "This is not the code, or it is too old. Look at the newest letter, or ask for another code.", At: "answer"}
	}
	return &ground.Error{Kind: ground.Refused, Code: "wrong_passphrase",
		Say: "This is not the passphrase. Check capitals and spaces; the sender has it.", At: "answer"}
}

// wrong counts a wrong try. With the last one that is let through the producer
// is told.
func (s *Service) wrong(ctx context.Context, e Entrant, limits []tries.Limit) error {
	return s.store.Tx(ctx, func(ctx context.Context) error {
		if err := s.tries.Add(ctx, limits...); err != nil {
			return err
		}
		n, err := s.tries.Count(ctx, limits[0].Key)
		if err != nil || n != limits[0].Most {
			return err
		}
		return s.events.Record(ctx, e.happening(event.Blocked))
	})
}

func (s *Service) answerMatches(ctx context.Context, e Entrant, reason access.Reason, answer string) (bool, error) {
	if reason == access.NeedPassphrase {
		return account.PasswordMatches(answer, e.Parcel.PassphraseHash)
	}
	code, ok, err := s.store.LastDoorCode(ctx, e.Line.ID, e.device)
	if err != nil || !ok || !code.good(s.now()) {
		return false, err
	}
	right := ground.Same(strings.ReplaceAll(answer, " ", ""), s.keys.DoorCode(code.ID))
	return right, s.store.TriedDoorCode(ctx, code.ID, right)
}
