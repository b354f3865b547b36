// Package studio is what people do with Aftergust, one file for each part of
// the work: gather, pack, send, receive, follow, review. It holds no rules of
// its own (those are in core) and does no I/O of its own: it states the small
// interfaces that it needs, and others meet them.
package studio

import (
	"context"
	"crypto/rand"
	"encoding/base32"
	"encoding/binary"
	"fmt"
	"log/slog"
	"time"
)

// A Service carries out what people ask for. Make it with New.
type Service struct {
	records  Store
	bytes    Bytes
	secret   []byte
	baseURL  string
	now      func() time.Time
	log      *slog.Logger
	Recorder *Recorder
}

// Bytes is what the service needs of the blob store.
type Bytes interface {
	Adopt(ctx context.Context, id, path string) error
	// Put keeps a few bytes as the blob id and sums them.
	Put(ctx context.Context, id string, bytes []byte) (size int64, crc32 uint32, xxh3 []byte, err error)
	Delete(ctx context.Context, id string) error
	Free() (int64, error)
}

// Config is what a Service is made of. All fields are required.
type Config struct {
	Records Store
	Bytes   Bytes
	Secret  []byte // at least 32 bytes; links and codes are derived from it
	BaseURL string // without a slash at the end
	Now     func() time.Time
	Log     *slog.Logger
}

// New makes a service. Its Recorder must be run by the caller.
func New(c Config) *Service {
	s := &Service{records: c.Records, bytes: c.Bytes, secret: c.Secret, baseURL: c.BaseURL, now: c.Now, log: c.Log}
	s.Recorder = newRecorder(c.Records, c.Now, c.Log)
	return s
}

// Records is everything that is kept, read and written. Each file of this
// package states its part.
type Records interface {
	memberRecords
	gatherRecords
	uploadRecords
	placeRecords
	itemRecords
	versionRecords
	binRecords
	packRecords
	receiveRecords
	followRecords
	reviewRecords
	letterRecords

	// Enqueue adds jobs that run once the surrounding transaction is committed.
	Enqueue(ctx context.Context, jobs ...Job) error
	// Announce tells every process, on commit, that something changed.
	Announce(ctx context.Context, c Change) error
}

// Store is Records with transactions.
type Store interface {
	Records
	// Tx runs do in one transaction: all of it happens, or none.
	Tx(ctx context.Context, do func(Records) error) error
}

// A Change says what changed, for screens that are open and downloads that run.
type Change struct {
	Studio string `json:"studio"`
	Parcel string `json:"parcel,omitempty"`
	// Recipient is set where the change is one that this recipient would like to see at once.
	Recipient string `json:"recipient,omitempty"`
	What      string `json:"what"` // one of the kinds below
}

// The kinds of change.
const (
	WaybillChanged  = "waybill"
	ContentsChanged = "contents"
	LedgerChanged   = "ledger"
	NotesChanged    = "notes"
	LettersChanged  = "letters"
	GatherChanged   = "gather"
	MediaChanged    = "media"
)

// NewID makes an identifier: 24 characters of base32hex, sortable by the
// millisecond in which it was made. It is unique but not a secret.
func NewID() string {
	var b [15]byte
	binary.BigEndian.PutUint64(b[:8], uint64(time.Now().UnixMilli())<<16)
	_, _ = rand.Read(b[6:]) // documented never to fail
	return idEncoding.EncodeToString(b[:])
}

var idEncoding = base32.NewEncoding("0123456789abcdefghijklmnopqrstuv").WithPadding(base32.NoPadding)

// A Kind of error decides how it is answered.
type Kind int

// The kinds of error.
const (
	Invalid  Kind = iota // the request is wrong; it says how to mend it
	NotFound             // there is no such thing, or not for this person
	Refused              // known, but not allowed
	Gone                 // it was there and is not any more
	Conflict             // the thing is in a state in which this cannot be done
	TooMany              // throttled
	TooLarge             // beyond a limit
	Full                 // no space
)

// An Error is a mistake of whoever asks, in words for them. Anything else that
// goes wrong is a fault of ours and is answered without details.
type Error struct {
	Kind Kind
	Code string // stable, for programs
	Say  string // what is wrong, what is safe, what to do
	At   string // field that it is about, or empty
}

func (e *Error) Error() string { return e.Code + ": " + e.Say }

func invalid(at, say string, args ...any) error {
	return &Error{Kind: Invalid, Code: "invalid", Say: fmt.Sprintf(say, args...), At: at}
}

func notFound(what string) error {
	return &Error{Kind: NotFound, Code: "not_found", Say: "There is no such " + what + "."}
}

func conflict(code, say string) error { return &Error{Kind: Conflict, Code: code, Say: say} }

// Now is the moment by the service's clock.
func (s *Service) Now() time.Time { return s.now() }
