package receive

import (
	"context"
	"strings"

	"aftergust/core/link/access"
	"aftergust/core/link/throttle"
	"aftergust/core/record/event"
	"aftergust/core/words/letter"
	"aftergust/internal/ground"
	"aftergust/internal/out/letters"
	"aftergust/internal/who/hashing"
	"aftergust/internal/who/tries"
)

// SendCode mails a six-digit code for this device.
func (s *Service) SendCode(ctx context.Context, e Entrant, host string) error {
	if reason := e.Standing(s.now()); reason != access.NeedCode {
		if reason == access.Allowed {
			return ground.Clash("no_code_needed", "No code is needed here. Reload the page.")
		}
		return Refusal(reason)
	}
	limits := e.codes(host)
	id := ground.NewID()
	return s.rows.Tx(ctx, func(ctx context.Context) error {
		if _, err := s.tries.Spend(ctx, limits...); err != nil {
			return err
		}
		if err := s.rows.InsertDoorCode(ctx, id, e.Line.ID, e.device, s.now().Add(throttle.CodeLife)); err != nil {
			return err
		}
		return s.letters.Post(ctx, letters.Letter{StudioID: e.Parcel.StudioID, ParcelID: e.Parcel.ID, LineID: e.Line.ID, Kind: letter.Code,
			ToName: e.Line.Name, ToEmail: e.Line.Email, Data: map[string]string{"code_id": id}})
	})
}

// from is where this entrant tries from. Only a device that came through the door as it is now
// counts for itself: at an open door anybody can have as many devices as they like.
func (e Entrant) from(host string) tries.From {
	if e.visit.ID == "" || !e.passed() {
		return tries.From{Host: host}
	}
	return tries.From{Host: host, Device: e.visit.ID}
}

// codes are the limits of letters with codes: whoever asks, so many go to one
// person, and of these a stranger gets no more than a part.
func (e Entrant) codes(host string) []tries.Limit {
	from := e.from(host)
	if from.Device != "" {
		return []tries.Limit{{Key: "code:" + e.Line.ID + "|" + from.Device, Most: throttle.CodesPerLink}}
	}
	return []tries.Limit{{Key: "code:" + e.Line.ID + "|" + host, Most: throttle.CodesPerLink},
		{Key: "code:" + e.Line.ID, Most: throttle.CodesInAll}, {Key: "code-host:" + host, Most: throttle.PerHost}}
}

// PassDoor tries a passphrase or a code. Wrong tries are throttled by link and
// source, and the producer is told once. A device that gets in is known by a new
// secret from then on, which is returned: whoever had put one there beforehand is
// not in with it.
func (s *Service) PassDoor(ctx context.Context, e Entrant, answer, host string) (device string, err error) {
	reason := e.Standing(s.now())
	if reason == access.Allowed {
		return "", nil
	}
	if reason != access.NeedPassphrase && reason != access.NeedCode {
		return "", Refusal(reason)
	}
	right, have, err := s.tries.Compare(ctx, tries.Guess("door", e.Line.ID, e.from(host)), func() (bool, error) {
		return s.answerMatches(ctx, e, reason, strings.TrimSpace(answer))
	})
	if err != nil {
		return "", err
	}
	if right {
		return s.letIn(ctx, e)
	}
	if have == throttle.PerLink { // the last one that is let through
		err := s.rows.Tx(ctx, func(ctx context.Context) error { return s.events.Record(ctx, e.happening(event.Blocked)) })
		if err != nil {
			return "", err
		}
	}
	if reason == access.NeedCode {
		return "", &ground.Error{Kind: ground.Refused, Code: "wrong_code",
			Say: "This is not the code, or it is too old. Look at the newest letter, or ask for another code.", At: "answer"}
	}
	return "", &ground.Error{Kind: ground.Refused, Code: "wrong_passphrase",
		Say: "This is not the passphrase. Check capitals and spaces; the sender has it.", At: "answer"}
}

// letIn writes down that a device is through the door, under a new secret.
func (s *Service) letIn(ctx context.Context, e Entrant) (device string, err error) {
	device = ground.NewSecret()
	err = s.rows.Tx(ctx, func(ctx context.Context) error {
		if err := s.secondPlace(ctx, e); err != nil {
			return err
		}
		if err := s.rows.RenameDevice(ctx, e.device, ground.Hash(device)); err != nil {
			return err
		}
		return s.rows.PassVisit(ctx, e.visiting(""), ground.Hash(device), s.now())
	})
	return device, err
}

func (s *Service) answerMatches(ctx context.Context, e Entrant, reason access.Reason, answer string) (bool, error) {
	if reason == access.NeedPassphrase {
		return hashing.Matches(ctx, answer, e.Parcel.PassphraseHash)
	}
	code, ok, err := s.rows.LastDoorCode(ctx, e.Line.ID, e.device)
	if err != nil || !ok {
		return false, err
	}
	// Counted before it is compared, so that tries at once have no more than one after the other.
	if ok, err = s.rows.SpendDoorCode(ctx, code, throttle.CodeTries, s.now()); err != nil || !ok {
		return false, err
	}
	if !ground.Same(strings.ReplaceAll(answer, " ", ""), s.keys.DoorCode(code)) {
		return false, nil
	}
	return s.rows.UseDoorCode(ctx, code, s.now())
}
