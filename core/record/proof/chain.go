// Package proof makes and checks the proof of delivery of a package: what was sent, who
// has it to the last byte and since when, and all that happened to it, in order. Events
// are chained by hash, so that none can be left out, changed or moved; the whole is
// signed with the Ed25519 key of the studio (RFC 8032). The format is that of docs/proof.md.
package proof

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"strconv"
	"time"
)

// A Sum is a SHA-256 (FIPS 180-4).
type Sum [sha256.Size]byte

// String is the sum in hexadecimal; empty for none.
func (s Sum) String() string {
	if s == (Sum{}) {
		return ""
	}
	return hex.EncodeToString(s[:])
}

// A Link is an event in the chain of its package.
type Link struct {
	Parcel  string
	Seq     int64 // from 1
	Prev    Sum   // of the event before it; none for the first
	At      time.Time
	Kind    string
	LineID  string // of the waybill; empty for nobody
	Version string // id of the version; empty where it is about the whole package
	Line    Sum    // stands for the person that it is about (Who); none for nobody
	By      Sum    // stands for the member who did it
	Facts   []byte // as JSON
}

// Moment is a time as the chain has it: in UTC, to the microsecond.
func Moment(at time.Time) string { return at.UTC().Format(momentLayout) }

const momentLayout = "2006-01-02T15:04:05.000000Z"

// first is what every link begins with.
const first = "aftergust event 1"

// Sum is the hash of a link: over its parts, each ended by a line feed. Only the facts may
// hold one, and they come last.
func (l Link) Sum() Sum {
	var b bytes.Buffer
	for _, part := range []string{first, l.Parcel, strconv.FormatInt(l.Seq, 10), l.Prev.String(), Moment(l.At), l.Kind, l.LineID, l.Version,
		l.Line.String(), l.By.String()} {
		b.WriteString(part)
		b.WriteByte('\n')
	}
	b.Write(l.Facts)
	return sha256.Sum256(b.Bytes())
}

// Who stands for a person in the chain: salt is random, so that nobody can find out by
// trying names who it was once name, address and salt are erased. The chain goes on then.
func Who(salt []byte, name, email string) Sum {
	h := sha256.New()
	h.Write(salt)
	h.Write([]byte(name))
	h.Write([]byte{0})
	h.Write([]byte(email))
	return Sum(h.Sum(nil))
}
