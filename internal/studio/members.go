package studio

import (
	"context"
	"net/mail"
	"strings"
	"time"
)

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

type memberRecords interface {
	CreateStudio(ctx context.Context, id, name, zone string) error
	CreateMember(ctx context.Context, m Member) error
	MemberByEmail(ctx context.Context, email string) (Member, bool, error)
	MemberByID(ctx context.Context, id string) (Member, bool, error)
	MemberByToken(ctx context.Context, hash []byte) (Member, bool, error)
	InsertToken(ctx context.Context, id, member, label string, hash []byte) error
	AddAttempt(ctx context.Context, key string) error
	CountAttempts(ctx context.Context, key string, since time.Time) (int, error)
}

// Throttles: so many wrong tries in the window, then wait.
const (
	attemptWindow   = 15 * time.Minute
	attemptsPerLink = 10
	attemptsPerHost = 30
)

// throttled refuses where key has had too many wrong tries lately.
func (s *Service) throttled(ctx context.Context, key string, limit int) error {
	n, err := s.records.CountAttempts(ctx, key, s.now().Add(-attemptWindow))
	if err != nil {
		return err
	}
	if n >= limit {
		return &Error{Kind: TooMany, Code: "too_many_tries", Say: "Too many wrong tries. Wait 15 minutes, then try again. Nothing is lost."}
	}
	return nil
}

// SignIn checks a member's password. host is the address that asks, for throttling.
func (s *Service) SignIn(ctx context.Context, email, password, host string) (Member, error) {
	email = strings.TrimSpace(email)
	keys := []struct {
		key   string
		limit int
	}{{"sign-in:" + strings.ToLower(email), attemptsPerLink}, {"sign-in-host:" + host, attemptsPerHost}}
	for _, k := range keys {
		if err := s.throttled(ctx, k.key, k.limit); err != nil {
			return Member{}, err
		}
	}
	member, ok, err := s.records.MemberByEmail(ctx, email)
	if err != nil {
		return Member{}, err
	}
	hash := member.PasswordHash
	if !ok {
		hash = absentHash // so that an unknown address takes as long as a wrong password
	}
	matches, err := passwordMatches(password, hash)
	if err != nil {
		return Member{}, err
	}
	if !ok || !matches {
		for _, k := range keys {
			if err := s.records.AddAttempt(ctx, k.key); err != nil {
				return Member{}, err
			}
		}
		return Member{}, &Error{Kind: Refused, Code: "wrong_sign_in", Say: "This mail address and password do not belong together."}
	}
	return member, nil
}

// A hash that no password of ours matches, with the parameters in use.
var absentHash = func() string {
	hash, err := HashPassword(NewSecret())
	if err != nil {
		panic(err) // only where the machine has no randomness
	}
	return hash
}()

// MemberByID finds a member; ok is false where there is none any more.
func (s *Service) MemberByID(ctx context.Context, id string) (Member, bool, error) {
	return s.records.MemberByID(ctx, id)
}

// MemberByToken finds the member that a bearer token belongs to.
func (s *Service) MemberByToken(ctx context.Context, token string) (Member, bool, error) {
	return s.records.MemberByToken(ctx, Hash(token))
}

// NewToken makes a bearer token for a member. It is shown once and kept as a hash.
func (s *Service) NewToken(ctx context.Context, email, label string) (string, error) {
	member, ok, err := s.records.MemberByEmail(ctx, email)
	if err != nil {
		return "", err
	}
	if !ok {
		return "", notFound("member")
	}
	token := "agt_" + NewSecret()
	return token, s.records.InsertToken(ctx, NewID(), member.ID, label, Hash(token))
}

// Found makes a studio with its owner.
func (s *Service) Found(ctx context.Context, studioName, zone string, owner Member, password string) (Member, error) {
	hash, err := HashPassword(password)
	if err != nil {
		return Member{}, err
	}
	owner.ID, owner.StudioID, owner.Role, owner.PasswordHash = NewID(), NewID(), "owner", hash
	owner.StudioName, owner.Zone = studioName, zone
	return owner, s.records.Tx(ctx, func(r Records) error {
		if err := r.CreateStudio(ctx, owner.StudioID, studioName, zone); err != nil {
			return err
		}
		return r.CreateMember(ctx, owner)
	})
}

// address reads a mail address such as "Hanne Orrick <hanne@kelpwick.example>".
func address(text string) (name, email string, err error) {
	parsed, err := mail.ParseAddress(strings.TrimSpace(text))
	if err != nil || len(parsed.Address) > 254 || !strings.Contains(parsed.Address[strings.LastIndex(parsed.Address, "@")+1:], ".") ||
		strings.ContainsAny(parsed.Address, "\r\n\"") {
		return "", "", invalid("email", "%q is not a mail address. It looks like name@place.example.", clip(text, 80))
	}
	return parsed.Name, parsed.Address, nil
}

// nameFromAddress makes "Hanne Orrick" of hanne.orrick@kelpwick.example.
func nameFromAddress(email string) string {
	local, _, _ := strings.Cut(email, "@")
	words := strings.FieldsFunc(local, func(r rune) bool { return r == '.' || r == '_' || r == '-' || r == '+' })
	for i, w := range words {
		words[i] = strings.ToUpper(w[:1]) + w[1:]
	}
	if len(words) == 0 {
		return email
	}
	return strings.Join(words, " ")
}

func clip(s string, n int) string {
	runes := []rune(s)
	if len(runes) <= n {
		return s
	}
	return string(runes[:n]) + "…"
}
