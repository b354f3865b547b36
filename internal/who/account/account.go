// Package account is who works in a studio, and how they are known: by password
// and session, or by bearer token.
package account

import (
	"context"
	"strings"
	"time"

	"aftergust/core/link/guard"
	"aftergust/core/link/role"
	"aftergust/core/link/scope"
	"aftergust/internal/ground"
	"aftergust/internal/ground/db"
	"aftergust/internal/out/letters"
	"aftergust/internal/who/hashing"
	"aftergust/internal/who/tries"
)

// A Service knows the members of studios.
type Service struct {
	rows    Rows
	tries   *tries.Guard
	letters *letters.Service
	keys    *ground.Keys
	now     func() time.Time
}

// New makes a service.
func New(store *db.DB, guard *tries.Guard, post *letters.Service, keys *ground.Keys, now func() time.Time) *Service {
	return &Service{Rows{store}, guard, post, keys, now}
}

// A Member works in a studio.
type Member struct {
	ID           string
	StudioID     string
	StudioName   string
	Zone         string // of the studio, as Europe/London
	Name         string
	Email        string
	Role         role.Role
	PasswordHash string
	Unconfirmed  bool // nobody has shown yet that the mail address is theirs, which comes before they send anything
}

// SignIn checks a member's password, which is the first step of a sign-in; Begin is
// the last. host is the source that asks, device the
// secret of the browser's cookie, or empty: a device that the member was signed in
// with before has tries of its own, which no stranger uses up.
func (s *Service) SignIn(ctx context.Context, email, password, host, device string) (Member, error) {
	email = strings.ToLower(strings.TrimSpace(email))
	member, ok, err := s.rows.MemberByEmail(ctx, email)
	if err != nil {
		return Member{}, err
	}
	from, known := tries.From{Host: host}, false
	if ok && device != "" {
		if known, err = s.rows.KnowsDevice(ctx, member.ID, ground.Hash(device)); err != nil {
			return Member{}, err
		}
	}
	if known {
		from.Device = ground.Brief(device)
	}
	hash := member.PasswordHash
	if !ok {
		hash = hashing.Absent // so that an unknown address takes as long as a wrong password
	}
	matches, _, err := s.tries.Compare(ctx, tries.Guess("sign-in", email, from), func() (bool, error) {
		matches, err := hashing.Matches(ctx, password, hash)
		return ok && matches, err
	})
	if err != nil {
		return Member{}, err
	}
	if ok && !matches {
		if err := s.record(ctx, member, guard.WrongPassword, "", host); err != nil {
			return Member{}, err
		}
	}
	if !matches {
		return Member{}, &ground.Error{Kind: ground.Refused, Code: "wrong_sign_in", Say: "This mail address and password do not belong together."}
	}
	return member, nil
}

// MemberByID finds a member; ok is false where there is none any more.
func (s *Service) MemberByID(ctx context.Context, id string) (Member, bool, error) {
	return s.rows.MemberByID(ctx, id)
}

// MemberByToken finds the member that a bearer token belongs to, and how far it reaches.
func (s *Service) MemberByToken(ctx context.Context, token string) (m Member, reach scope.Scope, ok bool, err error) {
	now := s.now()
	t, ok, err := s.rows.TokenByHash(ctx, ground.Hash(token), now)
	if err != nil || !ok {
		return m, "", false, err
	}
	if t.LastUsedAt == nil || now.Sub(*t.LastUsedAt) >= seenEvery {
		if err := s.rows.UseToken(ctx, t.ID, now); err != nil {
			return m, "", false, err
		}
	}
	m, ok, err = s.rows.MemberByID(ctx, t.MemberID)
	return m, t.Scope, ok, err
}

// NewToken makes a bearer token that may do everything, for a member who is known
// by their address: for whoever runs the server.
func (s *Service) NewToken(ctx context.Context, email, label string) (string, error) {
	member, ok, err := s.rows.MemberByEmail(ctx, email)
	if err != nil {
		return "", err
	}
	if !ok {
		return "", ground.Missing("member")
	}
	secret, _, err := s.MakeToken(ctx, member, label, scope.All, 0, "the command line")
	return secret, err
}

// Found makes a studio with its owner.
func (s *Service) Found(ctx context.Context, studioName, zone string, owner Member, password string) (Member, error) {
	owner.StudioName = studioName
	hash, err := s.acceptable(ctx, owner, password)
	if err != nil {
		return Member{}, err
	}
	owner.ID, owner.StudioID, owner.Role, owner.PasswordHash = ground.NewID(), ground.NewID(), role.Owner, hash
	owner.Zone = zone
	err = s.rows.Tx(ctx, func(ctx context.Context) error {
		if err := s.rows.CreateStudio(ctx, owner.StudioID, studioName, zone); err != nil {
			return err
		}
		return s.rows.CreateMember(ctx, owner)
	})
	return owner, err
}
