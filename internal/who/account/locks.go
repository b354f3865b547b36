package account

import (
	"context"
	"strings"
	"time"

	"aftergust/core/file/naming"
	"aftergust/core/link/guard"
	"aftergust/core/link/password"
	"aftergust/core/link/scope"
	"aftergust/core/words/letter"
	"aftergust/internal/ground"
	"aftergust/internal/out/letters"
	"aftergust/internal/who/hashing"
	"aftergust/internal/who/tries"
)

// Limits of a session: however much it is used, and without being used.
const (
	SessionLife = 30 * 24 * time.Hour
	SessionIdle = 14 * 24 * time.Hour
	// DeviceLife is how long a browser is known after its last sign-in.
	DeviceLife = 400 * 24 * time.Hour
	// seenEvery is how exactly it is kept when somebody was here last.
	seenEvery = time.Minute
)

// A SignedIn is a browser with which a member is signed in.
type SignedIn struct {
	ID       string
	MemberID string
	Since    time.Time
	SeenAt   time.Time
	ProvedAt time.Time // when they last showed who they are there
	Browser  string    // what it is, in a word
	Source   string    // where it came from at last
}

// A Token lets a program act for its member. Its secret is shown once.
type Token struct {
	ID         string
	MemberID   string
	Label      string
	Scope      scope.Scope
	CreatedAt  time.Time
	ExpiresAt  *time.Time // nil: never
	LastUsedAt *time.Time
}

// An Entry is a line of the security record.
type Entry struct {
	ID       int64
	StudioID string
	MemberID string // empty where nobody is known
	At       time.Time
	Kind     guard.Kind
	Who      string // as they were called
	About    string
	Source   string // where it came from
}

// Say is the entry in one sentence.
func (e Entry) Say() string { return guard.Say(e.Kind, e.Who, e.About) }

// record writes a line of the security record. Whose lock has changed hears of it by mail.
func (s *Service) record(ctx context.Context, m Member, kind guard.Kind, about, source string) error {
	e := Entry{StudioID: m.StudioID, MemberID: m.ID, At: s.now(), Kind: kind, Who: m.Name, About: about, Source: source}
	if !guard.All.Get(kind).Tells {
		return s.rows.InsertEntry(ctx, e)
	}
	return s.rows.Tx(ctx, func(ctx context.Context) error {
		if err := s.rows.InsertEntry(ctx, e); err != nil {
			return err
		}
		return s.letters.Post(ctx, letters.Letter{StudioID: m.StudioID, Kind: letter.Lock, ToName: m.Name, ToEmail: m.Email,
			Data: map[string]string{"studio": m.StudioName, "says": e.Say()}})
	})
}

// Begin keeps that a member is signed in with a browser, whose secret is device, and
// returns the id of that.
func (s *Service) Begin(ctx context.Context, m Member, agent, source, device string) (string, error) {
	now := s.now()
	in := SignedIn{ID: ground.NewID(), MemberID: m.ID, Since: now, SeenAt: now, ProvedAt: now, Browser: guard.Browser(agent), Source: source}
	err := s.rows.Tx(ctx, func(ctx context.Context) error {
		if err := s.rows.InsertSignIn(ctx, in); err != nil {
			return err
		}
		if device != "" {
			if err := s.rows.MeetDevice(ctx, m.ID, ground.Hash(device), now); err != nil {
				return err
			}
		}
		return s.record(ctx, m, guard.SignedIn, in.Browser, source)
	})
	return in.ID, err
}

// StillIn finds the member of a session; ok is false where it was ended, is too
// old, or was not used for too long.
func (s *Service) StillIn(ctx context.Context, id, source string) (m Member, ok bool, err error) {
	in, ok, err := s.rows.SignInByID(ctx, id)
	now := s.now()
	if err != nil || !ok || now.Sub(in.Since) >= SessionLife || now.Sub(in.SeenAt) >= SessionIdle {
		return m, false, err
	}
	if now.Sub(in.SeenAt) >= seenEvery {
		if err := s.rows.SeeSignIn(ctx, id, source, now); err != nil {
			return m, false, err
		}
	}
	return s.rows.MemberByID(ctx, in.MemberID)
}

// ProofLife is for how long it need not be shown again who one is.
const ProofLife = 10 * time.Minute

var errProve = &ground.Error{Kind: ground.Refused, Code: "prove", Say: "Show that it is you: say your password again."}

// Proven passes where whoever is signed in with a browser showed who they are not
// long ago. It comes before what somebody else at their desk could do much harm with.
func (s *Service) Proven(ctx context.Context, signIn string) error {
	in, ok, err := s.rows.SignInByID(ctx, signIn)
	if err == nil && (!ok || s.now().Sub(in.ProvedAt) >= ProofLife) {
		err = errProve
	}
	return err
}

// Prove takes the password as a proof of who is signed in with a browser.
func (s *Service) Prove(ctx context.Context, m Member, signIn, password, source string) error {
	if err := s.knows(ctx, m, password, source, "password"); err != nil {
		return err
	}
	return s.rows.ProveSignIn(ctx, signIn, s.now())
}

// knows passes where a password is the one of a member who is signed in; at is the
// field in which it was typed.
func (s *Service) knows(ctx context.Context, m Member, typed, source, at string) error {
	limits := tries.Guess("password", m.ID, tries.From{Host: source})
	matches, _, err := s.tries.Compare(ctx, limits, func() (bool, error) { return hashing.Matches(ctx, typed, m.PasswordHash) })
	if err == nil && !matches {
		err = &ground.Error{Kind: ground.Refused, Code: "wrong_password", Say: "This is not your password as it is now. Nothing was changed.", At: at}
	}
	return err
}

// SignedIn are the browsers with which a member is signed in, the last used first.
func (s *Service) SignedIn(ctx context.Context, m Member) ([]SignedIn, error) {
	now := s.now()
	return s.rows.SignIns(ctx, m.ID, now.Add(-SessionIdle), now.Add(-SessionLife))
}

// SignOut ends a member's session in one browser; with none, in all but the one
// that asks.
func (s *Service) SignOut(ctx context.Context, m Member, id, own, source string) error {
	return s.rows.Tx(ctx, func(ctx context.Context) error {
		ended, err := s.endSignIns(ctx, m, id, own)
		if err != nil {
			return err
		}
		switch {
		case id == "":
			return s.record(ctx, m, guard.OthersEnded, "", source)
		case len(ended) == 0:
			return ground.Missing("session")
		case id == own:
			return nil // a sign-out like every other
		}
		return s.record(ctx, m, guard.SessionEnded, ended[0].Browser, source)
	})
}

// ChangePassword changes a member's password, which they have to know. All their
// other sessions end.
func (s *Service) ChangePassword(ctx context.Context, m Member, old, fresh, own, source string) error {
	if err := s.knows(ctx, m, old, source, "old"); err != nil {
		return err
	}
	hash, err := s.acceptable(ctx, m, fresh)
	if err != nil {
		return err
	}
	return s.rows.Tx(ctx, func(ctx context.Context) error { return s.replacePassword(ctx, m, hash, own, source) })
}

// SetPassword gives a member who is known by their address another password, and
// signs them out everywhere: for whoever runs the server.
func (s *Service) SetPassword(ctx context.Context, email, fresh string) error {
	m, ok, err := s.rows.MemberByEmail(ctx, email)
	if err == nil && !ok {
		err = ground.Missing("member")
	}
	if err != nil {
		return err
	}
	hash, err := s.acceptable(ctx, m, fresh)
	if err != nil {
		return err
	}
	return s.rows.Tx(ctx, func(ctx context.Context) error { return s.replacePassword(ctx, m, hash, "", "the command line") })
}

// replacePassword keeps another password, and ends all sessions but one's own.
func (s *Service) replacePassword(ctx context.Context, m Member, hash, own, source string) error {
	if err := s.rows.SetPassword(ctx, m.ID, hash); err != nil {
		return err
	}
	if _, err := s.endSignIns(ctx, m, "", own); err != nil {
		return err
	}
	return s.record(ctx, m, guard.PasswordChanged, "", source)
}

// endSignIns signs a member out of one browser, or of all but one, and cuts what is being sent there.
func (s *Service) endSignIns(ctx context.Context, m Member, only, but string) ([]SignedIn, error) {
	ended, err := s.rows.EndSignIns(ctx, m.ID, only, but, s.now())
	if err != nil || len(ended) == 0 {
		return ended, err
	}
	cut := &ground.Cut{}
	for _, e := range ended {
		cut.Items = append(cut.Items, e.ID)
	}
	return ended, s.rows.Announce(ctx, ground.Change{Studio: m.StudioID, Parcel: m.ID, What: ground.SignedOut, Cut: cut})
}

// Lasting returns the ids of those members and sign-ins that are still valid. Transfers in
// progress are checked against it.
func (s *Service) Lasting(ctx context.Context, members, signIns []string) ([]string, error) {
	return s.rows.LastingSignIns(ctx, members, signIns)
}

// acceptable is the hash of a password that may be kept.
func (s *Service) acceptable(ctx context.Context, m Member, fresh string) (string, error) {
	if err := password.Check(fresh, m.Name, m.Email, m.StudioName); err != nil {
		return "", ground.Wrong("password", "%s.", strings.ToUpper(err.Error()[:1])+err.Error()[1:])
	}
	return hashing.Hash(ctx, fresh)
}

// Bounds of tokens.
const (
	maxTokens    = 50
	maxTokenDays = 366
	maxLabel     = 60 // characters
)

// MakeToken makes a token that reaches so far for so many days; 0 is for ever. Its
// secret is shown once and kept as a hash.
func (s *Service) MakeToken(ctx context.Context, m Member, label string, reach scope.Scope, days int, source string) (secret string,
	t Token, err error) {
	switch {
	case strings.TrimSpace(label) == "":
		return "", t, ground.Wrong("label", "Say what the token is for, so that you know it again.")
	case !scope.Scopes.Has(reach):
		return "", t, ground.Wrong("scope", "A token may read, send, or all.")
	case days < 0 || days > maxTokenDays:
		return "", t, ground.Wrong("days", "A token is good for 1 to %d days, or for ever.", maxTokenDays)
	}
	now := s.now()
	label = naming.Clip(naming.Display(label), maxLabel)
	t = Token{ID: ground.NewID(), MemberID: m.ID, Label: label, Scope: reach, CreatedAt: now}
	if days > 0 {
		until := now.AddDate(0, 0, days)
		t.ExpiresAt = &until
	}
	secret = "agt_" + ground.NewSecret()
	err = s.rows.Tx(ctx, func(ctx context.Context) error {
		have, err := s.rows.Tokens(ctx, m.ID, now)
		if err != nil {
			return err
		}
		if len(have) >= maxTokens {
			return ground.Clash("too_many_tokens", "You have fifty tokens. Revoke one that is not needed, then make this one.")
		}
		if err := s.rows.InsertToken(ctx, t, ground.Hash(secret)); err != nil {
			return err
		}
		return s.record(ctx, m, guard.TokenMade, label, source)
	})
	return secret, t, err
}

// Tokens are those of a member that are good, the newest first.
func (s *Service) Tokens(ctx context.Context, m Member) ([]Token, error) {
	return s.rows.Tokens(ctx, m.ID, s.now())
}

// RevokeToken ends a token at once.
func (s *Service) RevokeToken(ctx context.Context, m Member, id, source string) error {
	return s.rows.Tx(ctx, func(ctx context.Context) error {
		label, ok, err := s.rows.RevokeToken(ctx, m.ID, id, s.now())
		if err == nil && !ok {
			err = ground.Missing("token")
		}
		if err != nil {
			return err
		}
		return s.record(ctx, m, guard.TokenRevoked, label, source)
	})
}

// recordPage is how many lines of the record come at once.
const recordPage = 50

// Record is the security record of a member's studio, the newest first; before is
// the id of the last line that is there already, or 0.
func (s *Service) Record(ctx context.Context, m Member, before int64) ([]Entry, error) {
	return s.rows.SecurityRecord(ctx, m.StudioID, before, recordPage)
}
