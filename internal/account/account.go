// Package account is who works in a studio, and how they are known: by password
// and session, or by bearer token.
package account

import (
	"aftergust/core/throttle"
	"aftergust/internal/ground"
	"aftergust/internal/tries"
	"context"
	"strings"
)

// Store is what the service needs of the database.
type Store interface {
	Tx(ctx context.Context, do func(ctx context.Context) error) error
	CreateStudio(ctx context.Context, id, name, zone string) error
	CreateMember(ctx context.Context, m Member) error
	MemberByEmail(ctx context.Context, email string) (Member, bool, error)
	MemberByID(ctx context.Context, id string) (Member, bool, error)
	MemberByToken(ctx context.Context, hash []byte) (Member, bool, error)
	InsertToken(ctx context.Context, id, member, label string, hash []byte) error
}

// A Service knows the members of studios.
type Service struct {
	store Store
	tries *tries.Guard
}

// New makes a service.
func New(store Store, guard *tries.Guard) *Service { return &Service{store, guard} }

// A Member works in a studio.
type Member struct {
	ID           string
	StudioID     string
	StudioName   string
	Zone         string // of the studio, as Europe/London
	Name         string
	Email        string
	Role         string
	PasswordHash string
}

// SignIn checks a member's password. host is the address that asks, for throttling.
func (s *Service) SignIn(ctx context.Context, email, password, host string) (Member, error) {
	email = strings.TrimSpace(email)
	limits := []tries.Limit{{Key: "sign-in:" + strings.ToLower(email), Most: throttle.PerLink}, {Key: "sign-in-host:" + host,
		Most: throttle.PerHost}}
	if _, err := s.tries.Spend(ctx, limits...); err != nil {
		return Member{}, err
	}
	member, ok, err := s.store.MemberByEmail(ctx, email)
	if err != nil {
		return Member{}, err
	}
	hash := member.PasswordHash
	if !ok {
		hash = absentHash // so that an unknown address takes as long as a wrong password
	}
	matches, err := PasswordMatches(password, hash)
	if err != nil {
		return Member{}, err
	}
	if !ok || !matches {
		return Member{}, &ground.Error{Kind: ground.Refused, Code: "wrong_sign_in", Say: "This mail address and password do not belong together."}
	}
	return member, s.tries.Forgive(ctx, limits...)
}

// A hash that no password of ours matches, with the parameters in use.
var absentHash = func() string {
	hash, err := HashPassword(ground.NewSecret())
	if err != nil {
		panic(err) // only where the machine has no randomness
	}
	return hash
}()

// MemberByID finds a member; ok is false where there is none any more.
func (s *Service) MemberByID(ctx context.Context, id string) (Member, bool, error) {
	return s.store.MemberByID(ctx, id)
}

// MemberByToken finds the member that a bearer token belongs to.
func (s *Service) MemberByToken(ctx context.Context, token string) (Member, bool, error) {
	return s.store.MemberByToken(ctx, ground.Hash(token))
}

// NewToken makes a bearer token for a member. It is shown once and kept as a hash.
func (s *Service) NewToken(ctx context.Context, email, label string) (string, error) {
	member, ok, err := s.store.MemberByEmail(ctx, email)
	if err != nil {
		return "", err
	}
	if !ok {
		return "", ground.Missing("member")
	}
	token := "agt_" + ground.NewSecret()
	return token, s.store.InsertToken(ctx, ground.NewID(), member.ID, label, ground.Hash(token))
}

// Found makes a studio with its owner.
func (s *Service) Found(ctx context.Context, studioName, zone string, owner Member, password string) (Member, error) {
	hash, err := HashPassword(password)
	if err != nil {
		return Member{}, err
	}
	owner.ID, owner.StudioID, owner.Role, owner.PasswordHash = ground.NewID(), ground.NewID(), "owner", hash
	owner.StudioName, owner.Zone = studioName, zone
	return owner, s.store.Tx(ctx, func(ctx context.Context) error {
		if err := s.store.CreateStudio(ctx, owner.StudioID, studioName, zone); err != nil {
			return err
		}
		return s.store.CreateMember(ctx, owner)
	})
}
