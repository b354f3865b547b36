package ground

import (
	"crypto/aes"
	"crypto/cipher"
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"crypto/subtle"
	"encoding/base32"
	"encoding/base64"
	"encoding/binary"
	"encoding/hex"
	"errors"
	"fmt"
	"math"
	"math/big"
	"strconv"
	"strings"
	"time"

	"aftergust/core/link/linkname"
)

// LinkLength is the length of the secret in a link, in characters of base64url.
//
// Secrets in links are 132 bits of HMAC-SHA-256 over a random nonce, keyed with
// AFTERGUST_SECRET. The database keeps the nonce and a hash of the link, so a
// copy of it opens nothing, while the studio can still copy a link again.
const LinkLength = 22

// Secrets are the secrets of an installation by their numbers. The one with the
// highest number makes what is made now; the others are kept for what was made
// with them.
type Secrets struct {
	by  map[byte][]byte
	now byte
}

// leastSecret is how long a secret is at least, in bytes.
const leastSecret = 32

// ReadSecrets reads secrets as they stand in AFTERGUST_SECRET: one alone, which has
// number 1, or several with their numbers, as 2:abc…,1:def….
func ReadSecrets(text string) (Secrets, error) {
	s := Secrets{by: map[byte][]byte{}}
	for one := range strings.SplitSeq(text, ",") {
		number := byte(1)
		if before, after, found := strings.Cut(strings.TrimSpace(one), ":"); found {
			n, err := strconv.ParseUint(before, 10, 8)
			if err != nil || n == 0 {
				return s, fmt.Errorf("has %q for the number of a secret; numbers are from 1 to 255", before)
			}
			number, one = byte(n), after
		}
		if one = strings.TrimSpace(one); len(one) < leastSecret {
			return s, errors.New("has a secret shorter than 32 characters; make one with: aftergust secret")
		}
		if _, twice := s.by[number]; twice {
			return s, fmt.Errorf("has two secrets with the number %d", number)
		}
		s.by[number], s.now = []byte(one), max(s.now, number)
	}
	return s, nil
}

// Rotated is text as ReadSecrets reads it, with a new secret before those that are there.
func Rotated(text string) (string, error) {
	s, err := ReadSecrets(text)
	if err != nil {
		return "", err
	}
	if s.now == math.MaxUint8 {
		return "", errors.New("there are 255 secrets; no further one has a number")
	}
	out := []string{fmt.Sprintf("%d:%s%s", s.now+1, rand.Text(), rand.Text())}
	for n := s.now; n > 0; n-- {
		if secret, ok := s.by[n]; ok {
			out = append(out, fmt.Sprintf("%d:%s", n, secret))
		}
	}
	return strings.Join(out, ","), nil
}

// Keys makes links and codes of the installation's secrets.
type Keys struct {
	secrets Secrets
	baseURL string
}

// NewKeys makes keys of secrets and the address under which people reach us,
// without a slash at the end.
func NewKeys(s Secrets, baseURL string) *Keys { return &Keys{s, baseURL} }

func (k *Keys) derive(purpose string, nonce []byte) []byte {
	return k.by(k.secrets.now, purpose, nonce)
}

// by derives with the secret of a number; with none that there is not.
func (k *Keys) by(number byte, purpose string, nonce []byte) []byte {
	mac := hmac.New(sha256.New, k.secrets.by[number])
	mac.Write([]byte(purpose))
	mac.Write([]byte{0})
	mac.Write(nonce)
	return mac.Sum(nil)
}

// nonceSize is how many random bytes a nonce has. One of a secret that is not the
// first begins with the number of that.
const nonceSize = 16

// NewNonce is 128 random bits of which a link is made, with the secret of now.
func (k *Keys) NewNonce() []byte {
	nonce := make([]byte, nonceSize)
	_, _ = rand.Read(nonce) // documented never to fail
	if k.secrets.now == 1 {
		return nonce
	}
	return append([]byte{k.secrets.now}, nonce...)
}

// numbered is the secret that a nonce was made for, and whether we have it still.
func (k *Keys) numbered(nonce []byte) (number byte, ok bool) {
	number = 1
	if len(nonce) > nonceSize {
		number = nonce[0]
	}
	_, ok = k.secrets.by[number]
	return number, ok
}

// LinkToken is the secret part of the link made of a nonce. It is empty where the
// secret of the nonce is not there any more: the link still opens, but nobody can
// say what it is.
func (k *Keys) LinkToken(nonce []byte) string {
	number, ok := k.numbered(nonce)
	if !ok {
		return ""
	}
	return base64.RawURLEncoding.EncodeToString(k.by(number, "link", nonce))[:LinkLength]
}

// ShowingURL is the address of the showing whose link is made of a nonce, or of its
// name where it has one; empty where the link cannot be made any more.
func (k *Keys) ShowingURL(nonce []byte, name string) string {
	if name == "" {
		name = k.LinkToken(nonce)
	}
	if name == "" {
		return ""
	}
	return k.baseURL + "/s/" + name
}

// CalendarURL is the address of the calendar made of a nonce; empty where LinkToken is.
func (k *Keys) CalendarURL(nonce []byte) string {
	token := k.LinkToken(nonce)
	if token == "" {
		return ""
	}
	return k.baseURL + "/calendar/" + token + ".ics"
}

// LinkURL is the address of the link made of a nonce; empty where LinkToken is.
func (k *Keys) LinkURL(nonce []byte) string {
	token := k.LinkToken(nonce)
	if token == "" {
		return ""
	}
	return k.baseURL + "/r/" + token
}

// Seal keeps a text so that a copy of the database does not tell it (AES-256-GCM).
func (k *Keys) Seal(purpose, text string) []byte {
	sealer := k.sealer(k.secrets.now, purpose)
	nonce := make([]byte, sealer.NonceSize())
	_, _ = rand.Read(nonce) // documented never to fail
	return sealer.Seal(append([]byte{k.secrets.now}, nonce...), nonce, []byte(text), nil)
}

// Unseal is what Seal kept; ok is false where it was not us, or the secret is gone.
func (k *Keys) Unseal(purpose string, sealed []byte) (text string, ok bool) {
	if len(sealed) == 0 || k.secrets.by[sealed[0]] == nil {
		return "", false
	}
	sealer := k.sealer(sealed[0], purpose)
	if sealed = sealed[1:]; len(sealed) < sealer.NonceSize() {
		return "", false
	}
	plain, err := sealer.Open(nil, sealed[:sealer.NonceSize()], sealed[sealer.NonceSize():], nil)
	return string(plain), err == nil
}

func (k *Keys) sealer(number byte, purpose string) cipher.AEAD {
	block, err := aes.NewCipher(k.by(number, "seal "+purpose, nil))
	if err != nil {
		panic(err) // a key of 32 bytes is one of AES-256
	}
	sealer, err := cipher.NewGCM(block)
	if err != nil {
		panic(err) // AES has blocks of the size that GCM wants
	}
	return sealer
}

// ProgramKey lets a program through the door in the place of somebody who is in: it
// names their line, and from when until when it is good.
func (k *Keys) ProgramKey(line string, from, until time.Time) string {
	text := fmt.Sprintf("%s.%x.%x", line, from.Unix(), until.Unix())
	return text + "." + hex.EncodeToString(k.derive("program", []byte(text))[:16])
}

// ReadProgramKey reads what ProgramKey made.
func (k *Keys) ReadProgramKey(key string) (line string, from, until time.Time, ok bool) {
	at := strings.LastIndexByte(key, '.')
	if at < 0 || !Same(key[at+1:], hex.EncodeToString(k.derive("program", []byte(key[:at]))[:16])) {
		return "", from, until, false
	}
	parts := strings.Split(key[:at], ".")
	if len(parts) != 3 {
		return "", from, until, false
	}
	began, err := strconv.ParseInt(parts[1], 16, 64)
	ends, failed := strconv.ParseInt(parts[2], 16, 64)
	return parts[0], time.Unix(began, 0), time.Unix(ends, 0), err == nil && failed == nil
}

// ReturnTag names a letter in the address that it comes back to, so that nobody else
// can say that it did.
func (k *Keys) ReturnTag(letter string) string {
	return letter + "." + hex.EncodeToString(k.derive("return", []byte(letter))[:10])
}

// ReadReturnTag reads what ReturnTag made.
func (k *Keys) ReadReturnTag(tag string) (letter string, ok bool) {
	letter, _, ok = strings.Cut(tag, ".")
	return letter, ok && Same(tag, k.ReturnTag(letter))
}

// PickupMark is by what a code to read out is known again; the code is kept nowhere.
func (k *Keys) PickupMark(code string) []byte { return k.derive("pickup", []byte(code)) }

// NamedURL is the address of a link under a name of one's own.
func (k *Keys) NamedURL(name string) string { return k.baseURL + "/r/" + name }

// PickupURL is the page where a code is typed in.
func (k *Keys) PickupURL() string { return k.baseURL + "/pickup" }

// BaseURL is the address under which people reach us, without a slash at the end.
func (k *Keys) BaseURL() string { return k.baseURL }

// KnockURL is the page in the studio where somebody who asks is answered.
func (k *Keys) KnockURL(id string) string { return k.baseURL + "/knocks/" + id }

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

// NoticesURL is where a member reads what has happened, and chooses how often they are written to.
func (k *Keys) NoticesURL() string { return k.baseURL + "/notices" }

// AccountURL is where a member looks after what lets them in.
func (k *Keys) AccountURL() string { return k.baseURL + "/account" }

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

// Same compares two secrets in constant time.
func Same(a, b string) bool { return subtle.ConstantTimeCompare([]byte(a), []byte(b)) == 1 }

// WithTail adds random letters to the name of a link, so that nobody guesses it.
func WithTail(name string) string {
	return linkname.WithTail(name, func(n int) int {
		i, _ := rand.Int(rand.Reader, big.NewInt(int64(n))) // documented never to fail
		return int(i.Int64())
	})
}
