package account

import (
	"context"
	"crypto/rand"
	"encoding/base32"
	"encoding/json"
	"errors"
	"net"
	"net/url"
	"strings"
	"time"

	"aftergust/core/link/guard"
	"aftergust/core/link/throttle"
	"aftergust/core/link/totp"
	"aftergust/internal/ground"
	"aftergust/internal/ground/db"
	"aftergust/internal/who/tries"

	"github.com/go-webauthn/webauthn/protocol"
	"github.com/go-webauthn/webauthn/webauthn"
	"github.com/pquerna/otp"
)

// A Passkey lets a member in without a password (Web Authentication, W3C). Whoever
// uses it shows to the device who they are, so that it is two factors in one.
type Passkey struct {
	ID         string
	MemberID   string
	Label      string
	Credential webauthn.Credential
	CreatedAt  time.Time
	LastUsedAt *time.Time
}

// Factors are what a member has beside the password.
type Factors struct {
	App      bool // codes of an app
	Passkeys []Passkey
	Recovery int // codes that are left
}

// On reports whether the password alone does not let them in.
func (f Factors) On() bool { return f.App || len(f.Passkeys) > 0 }

// A Second is the second factor of members.
type Second struct {
	rows    SecondRows
	account *Service
	party   *webauthn.WebAuthn // nil where passkeys cannot be: browsers want a name, not a number
}

// NewSecond makes one, for people who reach us under an address.
func NewSecond(store *db.DB, account *Service, baseURL string) *Second {
	s := &Second{rows: SecondRows{store}, account: account}
	at, err := url.Parse(baseURL)
	if err != nil || at.Hostname() == "" || net.ParseIP(at.Hostname()) != nil {
		return s
	}
	// With these settings it always can be made.
	s.party, _ = webauthn.New(&webauthn.Config{RPID: at.Hostname(), RPDisplayName: "Aftergust", RPOrigins: []string{baseURL},
		AuthenticatorSelection: protocol.AuthenticatorSelection{ResidentKey: protocol.ResidentKeyRequirementRequired,
			UserVerification: protocol.VerificationRequired}})
	return s
}

// Passkeys reports whether there can be passkeys here.
func (s *Second) Passkeys() bool { return s.party != nil }

// Factors are what a member has beside the password.
func (s *Second) Factors(ctx context.Context, m Member) (Factors, error) {
	return s.rows.FactorsOf(ctx, m.ID)
}

// Lives of what is asked and not answered yet.
const challengeLife = 5 * time.Minute

// An AppKey is what an app needs to show codes.
type AppKey struct {
	ID     string // by which it is confirmed
	Secret string // to type in
	Image  *otp.Key
}

// BeginApp makes a secret for an app, to be confirmed with a code of it.
func (s *Second) BeginApp(ctx context.Context, m Member) (AppKey, error) {
	random := make([]byte, totp.SecretBytes)
	_, _ = rand.Read(random) // documented never to fail
	k := AppKey{ID: ground.NewID(), Secret: totp.Secret(random)}
	issuer := url.PathEscape(m.StudioName)
	var err error
	// Source: the form that authenticator apps read, common practice.
	if k.Image, err = otp.NewKeyFromURL("otpauth://totp/" + issuer + ":" + url.PathEscape(m.Email) + "?secret=" + k.Secret + "&issuer=" + issuer); err != nil {
		return AppKey{}, err
	}
	return k, s.rows.KeepChallenge(ctx, k.ID, m.ID, s.account.keys.Seal("app", k.Secret), s.account.now().Add(challengeLife*4))
}

var (
	errOver = &ground.Error{Kind: ground.Gone, Code: "challenge_gone", Say: "This took too long, or was answered before. Begin again; nothing was changed."}
	errCode = &ground.Error{Kind: ground.Refused, Code: "wrong_second", At: "code",
		Say: "This is not the code that the app shows now. Check the clock of the device; each code is good once."}
)

// ConfirmApp turns codes of an app on, once it shows the right one. What may be used
// where the device is lost is returned where this is the first factor.
func (s *Second) ConfirmApp(ctx context.Context, m Member, id, code, source string) (recovery []string, err error) {
	limits := s.limits(m)
	if _, err := s.account.tries.Spend(ctx, limits...); err != nil {
		return nil, err
	}
	sealed, ok, err := s.rows.TakeChallenge(ctx, id, m.ID, s.account.now())
	if err != nil {
		return nil, err
	}
	secret, unsealed := s.account.keys.Unseal("app", sealed)
	if !ok || !unsealed {
		return nil, errOver
	}
	step, matches := totp.Matches(secret, code, s.account.now())
	if !matches {
		// The app has the secret already; it is good for another try.
		return nil, errors.Join(errCode, s.rows.KeepChallenge(ctx, id, m.ID, sealed, s.account.now().Add(challengeLife)))
	}
	err = s.rows.Tx(ctx, func(ctx context.Context) error {
		if err := s.rows.SetAppSecret(ctx, m.ID, sealed); err != nil {
			return err
		}
		if _, err := s.rows.UseStep(ctx, m.ID, step); err != nil {
			return err
		}
		recovery, err = s.added(ctx, m, guard.AppAdded, "", source)
		return err
	})
	return recovery, errors.Join(err, s.account.tries.Forgive(ctx, limits...))
}

// added records a factor, and makes recovery codes where there are none.
func (s *Second) added(ctx context.Context, m Member, kind guard.Kind, about, source string) ([]string, error) {
	have, err := s.rows.FactorsOf(ctx, m.ID)
	if err != nil {
		return nil, err
	}
	if err := s.account.record(ctx, m, kind, about, source); err != nil || have.Recovery > 0 {
		return nil, err
	}
	return s.recovery(ctx, m)
}

// recoveryCodes is how many there are.
const recoveryCodes = 10

func (s *Second) recovery(ctx context.Context, m Member) ([]string, error) {
	codes, hashes := make([]string, recoveryCodes), make([][]byte, recoveryCodes)
	for i := range codes {
		random := make([]byte, 10) // 80 bits: nobody guesses one, however fast
		_, _ = rand.Read(random)   // documented never to fail
		text := strings.ToLower(base32.StdEncoding.EncodeToString(random))
		codes[i] = text[:4] + "-" + text[4:8] + "-" + text[8:12] + "-" + text[12:]
		hashes[i] = recoveryHash(m, codes[i])
	}
	return codes, s.rows.PutRecoveryCodes(ctx, m.ID, hashes)
}

func recoveryHash(m Member, code string) []byte {
	plain := strings.ToLower(strings.Map(func(r rune) rune {
		if r == '-' || r == ' ' {
			return -1
		}
		return r
	}, code))
	return ground.Hash(m.ID + " " + plain)
}

// RenewRecovery makes recovery codes in place of those that there are.
func (s *Second) RenewRecovery(ctx context.Context, m Member, source string) (codes []string, err error) {
	err = s.rows.Tx(ctx, func(ctx context.Context) error {
		have, err := s.rows.FactorsOf(ctx, m.ID)
		if err == nil && !have.On() {
			err = ground.Clash("no_second", "There is no second factor, so nothing to recover.")
		}
		if err != nil {
			return err
		}
		if codes, err = s.recovery(ctx, m); err != nil {
			return err
		}
		return s.account.record(ctx, m, guard.RecoveryRenewed, "", source)
	})
	return codes, err
}

// RemoveApp turns codes of an app off.
func (s *Second) RemoveApp(ctx context.Context, m Member, source string) error {
	return s.rows.Tx(ctx, func(ctx context.Context) error {
		if err := s.rows.SetAppSecret(ctx, m.ID, nil); err != nil {
			return err
		}
		return s.removed(ctx, m, guard.AppRemoved, "", source)
	})
}

// removed records that a factor is gone; with the last one the recovery codes go.
func (s *Second) removed(ctx context.Context, m Member, kind guard.Kind, about, source string) error {
	have, err := s.rows.FactorsOf(ctx, m.ID)
	if err == nil && !have.On() {
		err = s.rows.PutRecoveryCodes(ctx, m.ID, nil)
	}
	if err != nil {
		return err
	}
	return s.account.record(ctx, m, kind, about, source)
}

// Clear takes all factors but the password off a member who is known by their address
// and has lost them: for whoever runs the server.
func (s *Second) Clear(ctx context.Context, email string) error {
	m, ok, err := s.account.rows.MemberByEmail(ctx, email)
	if err == nil && !ok {
		err = ground.Missing("member")
	}
	if err != nil {
		return err
	}
	have, err := s.rows.FactorsOf(ctx, m.ID)
	if err != nil {
		return err
	}
	const source = "the command line"
	for _, p := range have.Passkeys {
		if err := s.RemovePasskey(ctx, m, p.ID, source); err != nil {
			return err
		}
	}
	return s.RemoveApp(ctx, m, source)
}

// limits are how often codes of a member may be tried, wherever from: who tries
// them knows the password already, so nobody is locked out by strangers.
func (s *Second) limits(m Member) []tries.Limit {
	return []tries.Limit{{Key: "second:" + m.ID, Most: throttle.PerLink}}
}

// ErrSecond asks for the second factor of whoever knows the password.
var ErrSecond = &ground.Error{Kind: ground.Refused, Code: "second_needed", At: "code",
	Say: "Now the code that your app shows, or one of your recovery codes."}

// Check is the second step of a sign-in by password: a code of the app, or a recovery
// code. It passes without one where the member has no second factor.
func (s *Second) Check(ctx context.Context, m Member, code, source string) error {
	have, err := s.rows.FactorsOf(ctx, m.ID)
	if err != nil || !have.On() {
		return err
	}
	if strings.TrimSpace(code) == "" {
		return ErrSecond
	}
	ok, _, err := s.account.tries.Compare(ctx, s.limits(m), func() (bool, error) { return s.matches(ctx, m, code, source) })
	if err == nil && !ok {
		err = errors.Join(errCode, s.account.record(ctx, m, guard.WrongSecond, "", source))
	}
	return err
}

func (s *Second) matches(ctx context.Context, m Member, code, source string) (bool, error) {
	sealed, err := s.rows.AppSecret(ctx, m.ID)
	if err != nil {
		return false, err
	}
	if secret, ok := s.account.keys.Unseal("app", sealed); ok {
		if step, matches := totp.Matches(secret, code, s.account.now()); matches {
			return s.rows.UseStep(ctx, m.ID, step)
		}
	}
	used, err := s.rows.UseRecoveryCode(ctx, m.ID, recoveryHash(m, code))
	if err != nil || !used {
		return false, err
	}
	return true, s.account.record(ctx, m, guard.RecoveryUsed, "", source)
}

// keeper is a member as the library sees one.
type keeper struct {
	member Member
	keys   []Passkey
}

func (k keeper) WebAuthnID() []byte          { return []byte(k.member.ID) }
func (k keeper) WebAuthnName() string        { return k.member.Email }
func (k keeper) WebAuthnDisplayName() string { return k.member.Name }
func (k keeper) WebAuthnCredentials() []webauthn.Credential {
	out := make([]webauthn.Credential, len(k.keys))
	for i, p := range k.keys {
		out[i] = p.Credential
	}
	return out
}

var errNoPasskeys = ground.Clash("no_passkeys", "Passkeys need an address with a name, such as https://files.studio.example; this one has none.")

// ask keeps what a browser is asked, for its answer.
func (s *Second) ask(ctx context.Context, member string, session *webauthn.SessionData) (id string, err error) {
	data, err := json.Marshal(session)
	if err != nil {
		return "", err
	}
	id = ground.NewID()
	return id, s.rows.KeepChallenge(ctx, id, member, data, s.account.now().Add(challengeLife))
}

func (s *Second) asked(ctx context.Context, id, member string) (session webauthn.SessionData, err error) {
	data, ok, err := s.rows.TakeChallenge(ctx, id, member, s.account.now())
	if err == nil && !ok {
		err = errOver
	}
	if err != nil {
		return session, err
	}
	return session, json.Unmarshal(data, &session)
}

// BeginPasskey asks a browser to make a passkey; options are for it.
func (s *Second) BeginPasskey(ctx context.Context, m Member) (id string, options any, err error) {
	if s.party == nil {
		return "", nil, errNoPasskeys
	}
	have, err := s.rows.FactorsOf(ctx, m.ID)
	if err != nil {
		return "", nil, err
	}
	who := keeper{m, have.Passkeys}
	mine := webauthn.Credentials(who.WebAuthnCredentials()).CredentialDescriptors()
	creation, session, err := s.party.BeginRegistration(who, webauthn.WithExclusions(mine)) // one for each device
	if err != nil {
		return "", nil, err
	}
	id, err = s.ask(ctx, m.ID, session)
	return id, creation.Response, err
}

var errPasskey = &ground.Error{Kind: ground.Refused, Code: "wrong_passkey",
	Say: "This passkey does not open anything here. Use another one, or sign in with your password."}

// FinishPasskey keeps the passkey that a browser made.
func (s *Second) FinishPasskey(ctx context.Context, m Member, id, label string, answer []byte, source string) (recovery []string,
	err error) {
	label, err = called(label, "label", "Say which device it is on, so that you know it again.")
	if err != nil {
		return nil, err
	}
	session, err := s.asked(ctx, id, m.ID)
	if err != nil {
		return nil, err
	}
	parsed, err := protocol.ParseCredentialCreationResponseBytes(answer)
	if err != nil {
		return nil, errPasskey
	}
	made, err := s.party.CreateCredential(keeper{member: m}, session, parsed)
	if err != nil {
		return nil, errPasskey
	}
	err = s.rows.Tx(ctx, func(ctx context.Context) error {
		if err := s.rows.InsertPasskey(ctx, Passkey{ID: ground.NewID(), MemberID: m.ID, Label: label, Credential: *made,
			CreatedAt: s.account.now()}); err != nil {
			return err
		}
		recovery, err = s.added(ctx, m, guard.PasskeyAdded, label, source)
		return err
	})
	return recovery, err
}

// RemovePasskey makes a passkey worthless.
func (s *Second) RemovePasskey(ctx context.Context, m Member, id, source string) error {
	return s.rows.Tx(ctx, func(ctx context.Context) error {
		label, ok, err := s.rows.DeletePasskey(ctx, m.ID, id)
		if err == nil && !ok {
			err = ground.Missing("passkey")
		}
		if err != nil {
			return err
		}
		return s.removed(ctx, m, guard.PasskeyRemoved, label, source)
	})
}

// BeginSignIn asks a browser for any passkey of ours.
func (s *Second) BeginSignIn(ctx context.Context) (id string, options any, err error) {
	if s.party == nil {
		return "", nil, errNoPasskeys
	}
	assertion, session, err := s.party.BeginDiscoverableLogin(webauthn.WithUserVerification(protocol.VerificationRequired))
	if err != nil {
		return "", nil, err
	}
	id, err = s.ask(ctx, "", session)
	return id, assertion.Response, err
}

// FinishSignIn is who a browser's passkey belongs to. It is both factors at once.
func (s *Second) FinishSignIn(ctx context.Context, id string, answer []byte, source string) (Member, error) {
	if s.party == nil {
		return Member{}, errNoPasskeys
	}
	limit := tries.Limit{Key: "passkey-host:" + source, Most: throttle.PerHost}
	if _, err := s.account.tries.Spend(ctx, limit); err != nil {
		return Member{}, err
	}
	m, err := s.ownerOf(ctx, id, answer, source)
	if err != nil {
		return Member{}, err
	}
	return m, s.account.tries.Forgive(ctx, limit)
}

// ownerOf is whose passkey answered what was asked.
func (s *Second) ownerOf(ctx context.Context, id string, answer []byte, source string) (Member, error) {
	session, err := s.asked(ctx, id, "")
	if err != nil {
		return Member{}, err
	}
	parsed, err := protocol.ParseCredentialRequestResponseBytes(answer)
	if err != nil {
		return Member{}, errPasskey
	}
	key, ok, err := s.rows.PasskeyByCredential(ctx, parsed.RawID)
	if err != nil {
		return Member{}, err
	}
	m, there, err := s.account.rows.MemberByID(ctx, key.MemberID)
	if err != nil {
		return Member{}, err
	}
	if !ok || !there {
		return Member{}, errPasskey
	}
	used, err := s.party.ValidateDiscoverableLogin(func(_, handle []byte) (webauthn.User, error) {
		if string(handle) != m.ID {
			return nil, errPasskey
		}
		return keeper{m, []Passkey{key}}, nil
	}, session, parsed)
	if err != nil || used.Authenticator.CloneWarning {
		return Member{}, errors.Join(errPasskey, s.account.record(ctx, m, guard.WrongSecond, key.Label, source))
	}
	key.Credential = *used
	return m, s.rows.UsePasskey(ctx, key, s.account.now())
}
