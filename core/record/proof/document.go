package proof

import (
	"bytes"
	"crypto/ed25519"
	"encoding/base64"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"aftergust/core/record/event"
)

// Format names the form of a document.
const Format = "aftergust-proof-2"

// older is the previous format, in which title, names and times did not depend on the events.
const older = "aftergust-proof-1"

// A Document is what a proof says.
type Document struct {
	Format  string      `json:"format"`
	MadeAt  string      `json:"made_at"` // as Moment has it, like all times here
	Studio  string      `json:"studio"`
	MadeBy  string      `json:"made_by"`
	Package Package     `json:"package"`
	Items   []Item      `json:"items"`
	People  []Recipient `json:"recipients"`
	Events  []Event     `json:"events"`
	Head    string      `json:"head"` // sum of the last event
}

// A Package is the head of the waybill.
type Package struct {
	ID     string `json:"id"`
	Title  string `json:"title"`
	Sender string `json:"sender"`
	SentAt string `json:"sent_at"`
	EndsAt string `json:"ends_at,omitempty"`
	State  string `json:"state"`
	Door   string `json:"door"`
	Size   int64  `json:"size"` // bytes
}

// An Item is one thing of the package, in the version that it has now.
type Item struct {
	ID     string `json:"id"`
	Name   string `json:"name"` // with its folder
	Held   string `json:"version_id"`
	Number int    `json:"version"`
	Size   int64  `json:"size"`             // bytes
	SHA256 string `json:"sha256,omitempty"` // in hexadecimal; left out while it is reckoned
	XXH128 string `json:"xxh128"`           // XXH3, 128 bits
}

// A Recipient is one line of the waybill, with what they have of each item.
type Recipient struct {
	ID       string   `json:"id"`
	Name     string   `json:"name"`
	Email    string   `json:"email,omitempty"`
	Rights   []string `json:"rights"`
	OpenedAt string   `json:"opened_at,omitempty"`
	Complete bool     `json:"complete"`          // every byte of every item
	Removed  bool     `json:"removed,omitempty"` // taken off the waybill meanwhile
	Cells    []Cell   `json:"items"`             // of items that they have nothing of there is none
}

// A Cell is what one recipient has of one item.
type Cell struct {
	Item        string `json:"item"`
	Bytes       int64  `json:"bytes"` // delivered to them
	Complete    bool   `json:"complete"`
	CompletedAt string `json:"completed_at,omitempty"`
	Played      int64  `json:"played_ms,omitempty"` // milliseconds that played
	Older       bool   `json:"older,omitempty"`     // they have an older version whole
	ByProxy     bool   `json:"by_proxy,omitempty"`  // bytes were acknowledged by a proxy in front of the server, not by their machine
	KeptAt      string `json:"kept_at,omitempty"`   // their page found it whole on their disk, by its SHA-256
}

// An Event is one link of the chain, with what stands behind its sums.
type Event struct {
	Seq     int64  `json:"seq"`
	At      string `json:"at"`
	Kind    string `json:"kind"`
	Says    string `json:"says"`
	LineID  string `json:"line_id,omitempty"`
	Version string `json:"version_id,omitempty"`
	Line    Person `json:"line"`
	By      Person `json:"by"`
	Facts   string `json:"facts"` // JSON, byte for byte as it was hashed
	Sum     string `json:"sum"`
}

// A Person stands behind a sum, unless they were erased.
type Person struct {
	Sum   string `json:"sum,omitempty"`
	Salt  string `json:"salt,omitempty"` // in hexadecimal
	Name  string `json:"name,omitempty"`
	Email string `json:"email,omitempty"`
}

// A Sealed document is what travels: the document byte for byte, and its signature.
type Sealed struct {
	Format    string `json:"format"` // "aftergust-proof"
	Document  string `json:"document"`
	Signature string `json:"signature"` // Ed25519 over the document, in base64
	Key       string `json:"key"`       // public key of the studio, in base64
}

// sealed is the format of what travels.
const sealed = "aftergust-proof"

// Seal writes a document down and signs it.
func Seal(d Document, key ed25519.PrivateKey) (Sealed, error) {
	d.Format = Format
	text, err := json.Marshal(d)
	if err != nil {
		return Sealed{}, err
	}
	public, _ := key.Public().(ed25519.PublicKey)
	return Sealed{Format: sealed, Document: string(text), Signature: base64.StdEncoding.EncodeToString(ed25519.Sign(key, text)),
		Key: base64.StdEncoding.EncodeToString(public)}, nil
}

// What speaks against a proof, in words for whoever was shown it.
var (
	ErrForm      = errors.New("this is no proof of delivery of ours, or a part of it is missing")
	ErrSignature = errors.New("the signature does not belong to what it says: it was changed after it was signed")
	ErrChain     = errors.New("an event was left out, put in, changed or moved")
	ErrPerson    = errors.New("somebody is called otherwise than when it happened")
	ErrLedger    = errors.New("what it says does not follow from what happened")
	ErrKey       = errors.New("its key is none that signatures can be checked with")
	ErrOlder     = errors.New("it has an older form, which did not tie its title, names and times to what happened; ask the studio for a new one")
)

// Open checks a sealed document and everything in it, and returns what it says and the
// key that signed it. Whose key that is, is not said by the proof.
func Open(s Sealed) (d Document, key ed25519.PublicKey, err error) {
	public, keyErr := base64.StdEncoding.DecodeString(s.Key)
	signature, signErr := base64.StdEncoding.DecodeString(s.Signature)
	if s.Format != sealed || keyErr != nil || signErr != nil || len(public) != ed25519.PublicKeySize {
		return d, nil, ErrForm
	}
	if !sound(public) {
		return d, nil, ErrKey
	}
	if !ed25519.Verify(public, []byte(s.Document), signature) {
		return d, nil, ErrSignature
	}
	reader := json.NewDecoder(bytes.NewReader([]byte(s.Document)))
	reader.DisallowUnknownFields()
	err = reader.Decode(&d)
	switch {
	case err != nil:
		return d, nil, ErrForm
	case d.Format == older:
		return d, public, ErrOlder
	case d.Format != Format:
		return d, nil, ErrForm
	}
	return d, public, d.Check()
}

// Check goes through the chain of a document and compares what people have with it.
func (d Document) Check() error {
	prev := Sum{}
	for i, e := range d.Events {
		at, err := time.Parse(momentLayout, e.At)
		if err != nil {
			return fmt.Errorf("event %d: %w", i+1, ErrForm)
		}
		line, by, err := e.people()
		if err != nil {
			return fmt.Errorf("event %d: %w", i+1, err)
		}
		sum := Link{Parcel: d.Package.ID, Seq: int64(i + 1), Prev: prev, At: at, Kind: e.Kind, LineID: e.LineID, Version: e.Version,
			Line: line, By: by, Facts: []byte(e.Facts)}.Sum()
		if e.Seq != int64(i+1) || e.Sum != sum.String() {
			return fmt.Errorf("event %d: %w", i+1, ErrChain)
		}
		var facts event.Facts
		if err := json.Unmarshal([]byte(e.Facts), &facts); err != nil {
			return fmt.Errorf("event %d: %w", i+1, ErrForm)
		}
		if says := event.Say(event.Kind(e.Kind), event.Who{Line: e.Line.Name, Member: e.By.Name}, facts); e.Says != says {
			return fmt.Errorf("event %d: its words are not those of what happened: %w", i+1, ErrChain)
		}
		prev = sum
	}
	if d.Head != prev.String() {
		return fmt.Errorf("the last event: %w", ErrChain)
	}
	if err := d.follows(); err != nil {
		return err
	}
	return d.ledger()
}

func (e Event) people() (line, by Sum, err error) {
	if line, err = e.Line.sum(); err != nil {
		return line, by, err
	}
	by, err = e.By.sum()
	return line, by, err
}

// sum is what stands for a person, which must be theirs where they are named.
func (p Person) sum() (Sum, error) {
	if p.Sum == "" {
		if p.Name != "" || p.Email != "" {
			return Sum{}, ErrPerson
		}
		return Sum{}, nil
	}
	raw, err := hex.DecodeString(p.Sum)
	salt, saltErr := hex.DecodeString(p.Salt)
	if err != nil || saltErr != nil || len(raw) != len(Sum{}) {
		return Sum{}, ErrForm
	}
	if p.Salt != "" && Who(salt, p.Name, p.Email) != Sum(raw) || p.Salt == "" && (p.Name != "" || p.Email != "") {
		return Sum{}, ErrPerson
	}
	return Sum(raw), nil
}

// ledger compares who has what to the last byte with the events that say so: for each
// item that somebody has there is one.
func (d Document) ledger() error {
	took := map[string]bool{}
	for _, e := range d.Events {
		if event.Kind(e.Kind) == event.Took {
			took[e.LineID+"/"+e.Version] = true
		}
	}
	items := map[string]Item{}
	for _, i := range d.Items {
		items[i.ID] = i
	}
	for _, r := range d.People {
		whole := map[string]bool{}
		for _, c := range r.Cells {
			item, known := items[c.Item]
			if c.Complete {
				whole[c.Item] = true
			}
			switch {
			case !known, c.Bytes > item.Size, c.Complete && c.Bytes != item.Size:
				return fmt.Errorf("%s: %w", r.Name, ErrLedger)
			case c.Complete && !took[r.ID+"/"+item.Held]:
				return fmt.Errorf("%s, %s: %w", r.Name, item.Name, ErrLedger)
			}
		}
		if r.Complete && (len(whole) < len(d.Items) || len(whole) == 0) {
			return fmt.Errorf("%s: %w", r.Name, ErrLedger)
		}
	}
	return nil
}
