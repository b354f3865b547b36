package account

import (
	"context"
	"errors"
	"strings"

	"aftergust/core/link/throttle"
	"aftergust/core/words/letter"
	"aftergust/internal/ground"
	"aftergust/internal/out/letters"
	"aftergust/internal/who/tries"
)

// AskReset mails a member a way back in. Whether there is such a member nobody is
// told: the answer is the same.
func (s *Service) AskReset(ctx context.Context, email, host string) error {
	email = strings.ToLower(strings.TrimSpace(email))
	limits := []tries.Limit{{Key: "reset:" + email + "|" + host, Most: throttle.ResetsPerAddress}, {Key: "reset-host:" + host, Most: throttle.PerHost}}
	return s.rows.Tx(ctx, func(ctx context.Context) error {
		if _, err := s.tries.Spend(ctx, limits...); err != nil {
			return err
		}
		m, ok, err := s.rows.MemberByEmail(ctx, email)
		if err != nil || !ok {
			return err
		}
		// Whoever is not known is sent so many in all. The letters that went are as good as
		// another, so that nobody is refused because others have asked.
		if _, err := s.tries.Spend(ctx, tries.Limit{Key: "reset:" + email, Most: throttle.ResetsInAll}); isTooMany(err) {
			return nil
		} else if err != nil {
			return err
		}
		id := ground.NewID()
		if err := s.rows.InsertReset(ctx, id, m.ID, ground.Hash(s.keys.ResetToken(id)), s.now().Add(throttle.ResetLife)); err != nil {
			return err
		}
		return s.letters.Post(ctx, letters.Letter{StudioID: m.StudioID, Kind: letter.Reset, ToName: m.Name, ToEmail: m.Email,
			Data: map[string]string{"reset_id": id, "studio": m.StudioName}})
	})
}

func isTooMany(err error) bool {
	var known *ground.Error
	return errors.As(err, &known) && known.Kind == ground.TooMany
}

// errNoReset is for a way back in that leads nowhere.
var errNoReset = &ground.Error{Kind: ground.Gone, Code: "reset_gone",
	Say: "This link has been used, or is older than thirty minutes. Ask for another; your password is as it was."}

// Reset gives whoever came by a mailed way back in another password. It works
// once, and all their sessions end.
func (s *Service) Reset(ctx context.Context, token, fresh, host string) error {
	if _, err := s.tries.Spend(ctx, tries.Limit{Key: "reset-host:" + host, Most: throttle.PerHost}); err != nil {
		return err
	}
	hash := ground.Hash(token)
	id, ok, err := s.rows.ResetOf(ctx, hash, s.now())
	if err == nil && !ok {
		err = errNoReset
	}
	if err != nil {
		return err
	}
	m, ok, err := s.rows.MemberByID(ctx, id)
	if err == nil && !ok {
		err = errNoReset
	}
	if err != nil {
		return err
	}
	kept, err := s.acceptable(ctx, m, fresh) // before the way is used up
	if err != nil {
		return err
	}
	return s.rows.Tx(ctx, func(ctx context.Context) error {
		if ok, err := s.rows.UseReset(ctx, hash, s.now()); err != nil {
			return err
		} else if !ok {
			return errNoReset
		}
		return s.replacePassword(ctx, m, kept, "", host)
	})
}
