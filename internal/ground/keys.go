package ground

import (
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"crypto/subtle"
	"encoding/base32"
	"encoding/base64"
	"encoding/binary"
	"encoding/hex"
	"fmt"
)

// LinkLength is the length of the secret in a link, in characters of base64url.
//
// Secrets in links are 132 bits of HMAC-SHA-256 over a random nonce, keyed with
// AFTERGUST_SECRET. The database keeps the nonce and a hash of the link, so a
// copy of it opens nothing, while the studio can still copy a link again.
const LinkLength = 22

// Keys makes links and codes of the installation's secret.
type Keys struct {
	secret  []byte
	baseURL string
}

// NewKeys makes keys of a secret of at least 32 bytes and the address under which
// people reach us, without a slash at the end.
func NewKeys(secret []byte, baseURL string) *Keys { return &Keys{secret, baseURL} }

func (k *Keys) derive(purpose string, nonce []byte) []byte {
	mac := hmac.New(sha256.New, k.secret)
	mac.Write([]byte(purpose))
	mac.Write([]byte{0})
	mac.Write(nonce)
	return mac.Sum(nil)
}

// LinkToken is the secret part of the link made of a nonce.
func (k *Keys) LinkToken(nonce []byte) string {
	return base64.RawURLEncoding.EncodeToString(k.derive("link", nonce))[:LinkLength]
}

// LinkURL is the address of the link made of a nonce.
func (k *Keys) LinkURL(nonce []byte) string { return k.baseURL + "/r/" + k.LinkToken(nonce) }

// PackageURL is the page of a package in the studio.
func (k *Keys) PackageURL(parcel string) string { return k.baseURL + "/packages/" + parcel }

// DoorCode is the six-digit code of a door_code row.
func (k *Keys) DoorCode(id string) string {
	return fmt.Sprintf("%06d", binary.BigEndian.Uint64(k.derive("code", []byte(id)))%1_000_000)
}

// ResetToken is the secret of a password_reset row.
func (k *Keys) ResetToken(id string) string {
	return base64.RawURLEncoding.EncodeToString(k.derive("reset", []byte(id)))[:LinkLength]
}

// ResetURL is the page on which a member who lost their password sets another.
func (k *Keys) ResetURL(id string) string { return k.baseURL + "/reset/" + k.ResetToken(id) }

// JoinToken is the secret of an invitation.
func (k *Keys) JoinToken(id string) string {
	return base64.RawURLEncoding.EncodeToString(k.derive("join", []byte(id)))[:LinkLength]
}

// JoinURL is the page on which somebody answers an invitation.
func (k *Keys) JoinURL(id string) string { return k.baseURL + "/join/" + k.JoinToken(id) }

// FoundingCode is what whoever founds the first studio types in, 80 bits as
// XXXX-XXXX-XXXX-XXXX. It is the same for all processes of an installation.
func (k *Keys) FoundingCode() string {
	text := base32.StdEncoding.EncodeToString(k.derive("found", nil)[:10])
	return text[:4] + "-" + text[4:8] + "-" + text[8:12] + "-" + text[12:]
}

// Hash is how a secret is kept and looked up.
func Hash(secret string) []byte {
	sum := sha256.Sum256([]byte(secret))
	return sum[:]
}

// Brief names a secret where it must not stand itself, such as in a count of tries.
func Brief(secret string) string { return hex.EncodeToString(Hash(secret)[:12]) }

// NewSecret is a fresh secret of at least 128 random bits, for cookies and tokens.
func NewSecret() string { return rand.Text() + rand.Text()[:10] }

// NewNonce is 128 random bits of which a link is made.
func NewNonce() []byte {
	nonce := make([]byte, 16)
	_, _ = rand.Read(nonce) // documented never to fail
	return nonce
}

// Same compares two secrets in constant time.
func Same(a, b string) bool { return subtle.ConstantTimeCompare([]byte(a), []byte(b)) == 1 }
