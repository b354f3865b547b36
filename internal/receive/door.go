package receive

import (
	"context"
	"strings"

	"aftergust/core/access"
	"aftergust/core/event"
	"aftergust/core/letter"
	"aftergust/core/throttle"
	"aftergust/internal/account"
	"aftergust/internal/ground"
	"aftergust/internal/letters"
	"aftergust/internal/tries"
)

// SendCode mails a six-digit code for this device.
func (s *Service) SendCode(ctx context.Context, e Entrant, host string) error {
	if reason := e.Standing(s.now()); reason != access.NeedCode {
		if reason == access.Allowed {
			return ground.Clash("no_code_needed", "No code is needed here. Reload the page.")
		}
		return Refusal(reason)
	}
	limits := []tries.Limit{{Key: "code:" + e.Line.ID, Most: throttle.CodesPerLink}, {Key: "code-host:" + host, Most: throttle.PerHost}}
	id := ground.NewID()
	return s.store.Tx(ctx, func(ctx context.Context) error {
		if _, err := s.tries.Spend(ctx, limits...); err != nil {
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
	have, err := s.tries.Spend(ctx, limits...)
	if err != nil {
		return err
	}
	right, err := s.answerMatches(ctx, e, reason, strings.TrimSpace(answer))
	if err != nil {
		return err
	}
	if right {
		return s.store.Tx(ctx, func(ctx context.Context) error {
			if err := s.tries.Forgive(ctx, limits...); err != nil {
				return err
			}
			return s.store.PassVisit(ctx, e.visit(""), e.device, s.now())
		})
	}
	if have == throttle.PerLink { // the last one that is let through
		err := s.store.Tx(ctx, func(ctx context.Context) error { return s.events.Record(ctx, e.happening(event.Blocked)) })
		if err != nil {
			return err
		}
	}
	if reason == access.NeedCode {
		return &ground.Error{Kind: ground.Refused, Code: "wrong_code",
			Say: "This is not the code, or it is too old. Look at the newest letter, or ask for another code.", At: "answer"}
	}
	return &ground.Error{Kind: ground.Refused, Code: "wrong_passphrase",
		Say: "This is not the passphrase. Check capitals and spaces; the sender has it.", At: "answer"}
}

func (s *Service) answerMatches(ctx context.Context, e Entrant, reason access.Reason, answer string) (bool, error) {
	if reason == access.NeedPassphrase {
		return account.PasswordMatches(answer, e.Parcel.PassphraseHash)
	}
	code, ok, err := s.store.LastDoorCode(ctx, e.Line.ID, e.device)
	if err != nil || !ok {
		return false, err
	}
	// Counted before it is compared, so that tries at once have no more than one after the other.
	if ok, err = s.store.SpendDoorCode(ctx, code, throttle.CodeTries, s.now()); err != nil || !ok {
		return false, err
	}
	if !ground.Same(strings.ReplaceAll(answer, " ", ""), s.keys.DoorCode(code)) {
		return false, nil
	}
	return s.store.UseDoorCode(ctx, code, s.now())
}
