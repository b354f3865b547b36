package studio

import (
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"crypto/subtle"
	"encoding/base64"
	"encoding/binary"
	"fmt"

	"github.com/alexedwards/argon2id"
)

// Secrets in links are 132 bits of HMAC-SHA-256 over a random nonce, keyed with
// AFTERGUST_SECRET. The database keeps the nonce and a hash of the link, so a
// copy of it opens nothing, while the studio can still copy a link again.
const linkLength = 22 // characters of base64url

func (s *Service) derive(purpose string, nonce []byte) []byte {
	mac := hmac.New(sha256.New, s.secret)
	mac.Write([]byte(purpose))
	mac.Write([]byte{0})
	mac.Write(nonce)
	return mac.Sum(nil)
}

func (s *Service) linkToken(nonce []byte) string {
	return base64.RawURLEncoding.EncodeToString(s.derive("link", nonce))[:linkLength]
}

// LinkURL is the personal link of a recipient.
func (s *Service) LinkURL(r Recipient) string { return s.baseURL + "/r/" + s.linkToken(r.LinkNonce) }

// PackageURL is the page of a package in the studio.
func (s *Service) PackageURL(parcel string) string { return s.baseURL + "/packages/" + parcel }

// doorCode is the six-digit code of a door_code row.
func (s *Service) doorCode(id string) string {
	return fmt.Sprintf("%06d", binary.BigEndian.Uint64(s.derive("code", []byte(id)))%1_000_000)
}

// Hash is how a secret is kept and looked up.
func Hash(secret string) []byte {
	sum := sha256.Sum256([]byte(secret))
	return sum[:]
}

// NewSecret is a fresh secret of at least 128 random bits, for cookies and tokens.
func NewSecret() string { return rand.Text() + rand.Text()[:10] }

func newNonce() []byte {
	nonce := make([]byte, 16)
	_, _ = rand.Read(nonce) // documented never to fail
	return nonce
}

func same(a, b string) bool { return subtle.ConstantTimeCompare([]byte(a), []byte(b)) == 1 }

// Parameters of argon2id: RFC 9106, section 4, the second recommended set (64 MiB,
// three passes) with as many lanes as this machine class has cores.
var argonParams = &argon2id.Params{Memory: 64 * 1024, Iterations: 3, Parallelism: 2, SaltLength: 16, KeyLength: 32}

// HashPassword is how a password or passphrase is kept. It takes about a tenth
// of a second and 64 MiB on purpose.
func HashPassword(password string) (string, error) {
	return argon2id.CreateHash(password, argonParams)
}

func passwordMatches(password, hash string) (bool, error) {
	return argon2id.ComparePasswordAndHash(password, hash)
}
