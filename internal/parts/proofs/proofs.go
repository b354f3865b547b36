// Package proofs makes proofs of delivery of what was sent, signed with the key of the
// studio, and checks those that somebody was shown.
package proofs

import (
	"bytes"
	"context"
	"crypto/ed25519"
	"encoding/base64"
	"encoding/hex"
	"encoding/json"
	"errors"
	"io"
	"os"
	"time"

	"aftergust/core/record/event"
	"aftergust/core/record/proof"
	"aftergust/internal/files/media"
	"aftergust/internal/ground"
	"aftergust/internal/ground/db"
	"aftergust/internal/parts/follow"
	"aftergust/internal/parts/happen"
	"aftergust/internal/parts/pack"
	"aftergust/internal/who/account"
)

// A Service makes and checks proofs. Make it with New.
type Service struct {
	rows   Rows
	pack   *pack.Service
	follow *follow.Service
	keys   *ground.Keys
	bench  *media.Bench
	now    func() time.Time
}

// checkAtOnce is how many files are checked at a time.
const checkAtOnce = 2

// New makes a service. What is checked arrives in the folder work.
func New(
	store *db.DB, packing *pack.Service, following *follow.Service, keys *ground.Keys, work string, now func() time.Time,
) *Service {
	return &Service{Rows{store}, packing, following, keys, media.NewBench(work, checkAtOnce), now}
}

// A Proof is a document with its signature.
type Proof struct {
	proof.Document
	Sealed proof.Sealed
}

// Bounds of one proof: cells of its ledger, and bytes of its document, which are at most
// twice as many where it lies as a text in the file that is checked (MostFile).
const (
	mostCells    = 200_000
	mostDocument = MostFile / 2
)

var errTooLarge = ground.Clash("too_large", "This package is too large for one proof. Take the ledger and the story as files instead.")

// Make makes the proof of a package as things are now.
func (s *Service) Make(ctx context.Context, m account.Member, id string) (p Proof, err error) {
	parcel, err := s.pack.ParcelOf(ctx, m, id)
	if err != nil {
		return p, err
	}
	if parcel.SentAt == nil {
		return p, ground.Clash("not_sent", "Nothing was sent yet, so there is nothing to prove.")
	}
	key, err := s.key(ctx, m.StudioID)
	if err != nil {
		return p, err
	}
	d := proof.Document{Studio: parcel.StudioName, MadeBy: m.Name, MadeAt: proof.Moment(s.now()), Package: proof.Package{ID: parcel.ID,
		Title: parcel.Title, Sender: parcel.SenderName, SentAt: proof.Moment(*parcel.SentAt), EndsAt: moment(ground.When(parcel.EndsAt)),
		State: string(parcel.State(s.now())), Door: string(parcel.Door), Size: parcel.Weight}}
	err = s.rows.Steady(ctx, func(ctx context.Context) error {
		_, head, err := s.rows.Link(ctx, id)
		if err != nil {
			return err
		}
		d.Head, d.Items, d.People, d.Events = hex.EncodeToString(head), []proof.Item{}, []proof.Recipient{}, []proof.Event{}
		if err := s.ledger(ctx, m, &d); err != nil {
			return err
		}
		return s.each(ctx, id, func(c Chained) error {
			d.Events = append(d.Events, eventOf(c))
			return nil
		})
	})
	if err != nil {
		return p, err
	}
	d = d.Settled() // what the chain tells is said as it tells it
	p.Document = d
	if p.Sealed, err = proof.Seal(d, key); err == nil && len(p.Sealed.Document) > mostDocument {
		err = errTooLarge
	}
	return p, err
}

func moment(at time.Time) string {
	if at.IsZero() {
		return ""
	}
	return proof.Moment(at)
}

// ledger writes down what there is and who has what of it.
func (s *Service) ledger(ctx context.Context, m account.Member, d *proof.Document) error {
	after, cells := pack.Place{}, 0
	for {
		l, err := s.follow.Ledger(ctx, m, d.Package.ID, after)
		if err != nil {
			return err
		}
		for _, c := range l.Contents {
			d.Items = append(d.Items, proof.Item{ID: c.ID, Name: c.Path(), Held: c.VersionID, Number: c.Number, Size: c.Size,
				SHA256: hex.EncodeToString(c.SHA256), XXH128: hex.EncodeToString(c.XXH3)})
		}
		if len(d.People) == 0 {
			for _, strand := range l.Strands {
				sum := strand.Sum()
				d.People = append(d.People, proof.Recipient{ID: strand.Line.ID, Name: strand.Line.Name, Email: strand.Line.Email,
					Rights: words(strand.Line.Rights), OpenedAt: moment(sum.FirstOpened), Complete: !sum.Completed.IsZero(),
					Removed: strand.Line.RemovedAt != nil, Cells: []proof.Cell{}})
			}
		}
		for i, row := range l.Rows {
			for _, c := range row.Cells {
				if c.Bytes.Empty() && c.Played.Empty() && !c.Complete && !c.Behind {
					continue
				}
				if cells++; cells > mostCells {
					return errTooLarge
				}
				d.People[i].Cells = append(d.People[i].Cells, proof.Cell{Item: c.Item, Bytes: c.Bytes.Len(), Complete: c.Complete,
					CompletedAt: moment(c.Completed), Played: c.Played.Len(), Older: c.Behind, ByProxy: c.Proxied, KeptAt: moment(c.Kept)})
			}
		}
		if len(l.Contents) < pack.ContentsPage {
			return nil
		}
		after = l.Contents[len(l.Contents)-1].Place()
	}
}

func words[K ~string](all []K) []string {
	out := make([]string, len(all))
	for i, k := range all {
		out[i] = string(k)
	}
	return out
}

// chainPage is how many events are read at a time.
const chainPage = 5000

// A Chained is an event in the chain of its package.
type Chained = happen.Chained

// Each gives all that happened to a package, in order. The package is the caller's to look after.
func (s *Service) Each(ctx context.Context, parcel string, do func(Chained) error) error {
	if err := s.link(ctx, parcel); err != nil {
		return err
	}
	return s.each(ctx, parcel, do)
}

func (s *Service) each(ctx context.Context, parcel string, do func(Chained) error) error {
	for after := int64(0); ; {
		page, err := s.rows.Chained(ctx, parcel, after, chainPage)
		if err != nil {
			return err
		}
		for _, c := range page {
			if err := do(c); err != nil {
				return err
			}
		}
		if len(page) < chainPage {
			return nil
		}
		after = page[len(page)-1].Link.Seq
	}
}

func (s *Service) link(ctx context.Context, parcel string) error {
	return s.rows.Tx(ctx, func(ctx context.Context) error {
		_, _, err := s.rows.Link(ctx, parcel)
		return err
	})
}

// linkedAtOnce is how many packages are looked after at a time.
const linkedAtOnce = 500

// LinkAll chains what happened anywhere and has no link yet.
func (s *Service) LinkAll(ctx context.Context) error {
	for after := ""; ; {
		parcels, err := s.rows.Unlinked(ctx, after, linkedAtOnce)
		if err != nil {
			return err
		}
		for _, parcel := range parcels {
			if err := s.link(ctx, parcel); err != nil {
				return err
			}
			after = parcel
		}
		if len(parcels) < linkedAtOnce {
			return nil
		}
	}
}

// A Chain is that of a package, with the number and the sum of its last event.
type Chain struct {
	Parcel string
	Seq    int64
	Sum    []byte
}

// VerifyChains goes through the chains of all packages and tells found which do not hold,
// and at which number: an event was changed, moved or taken out of the records. It
// returns how many events it saw.
func (s *Service) VerifyChains(ctx context.Context, found func(parcel string, seq int64)) (events int64, err error) {
	for after := ""; ; {
		chains, err := s.rows.Chains(ctx, after, linkedAtOnce)
		if err != nil {
			return events, err
		}
		for _, c := range chains {
			seq, whole, err := s.holds(ctx, c)
			if err != nil {
				return events, err
			}
			if events += seq; !whole {
				found(c.Parcel, seq)
			}
			after = c.Parcel
		}
		if len(chains) < linkedAtOnce {
			return events, nil
		}
	}
}

var errBroken = errors.New("the chain does not hold")

// holds reports whether a chain holds, and the number up to which it was followed.
func (s *Service) holds(ctx context.Context, c Chain) (seq int64, whole bool, err error) {
	prev := proof.Sum{}
	err = s.each(ctx, c.Parcel, func(e Chained) error {
		seq++
		link := e.Link
		link.Prev = prev
		if prev = link.Sum(); link.Seq != seq || prev != e.Sum {
			return errBroken
		}
		return nil
	})
	if err != nil && !errors.Is(err, errBroken) {
		return seq, false, err
	}
	// What was linked since the chain was read makes it longer, never shorter.
	return seq, err == nil && seq >= c.Seq && (seq > c.Seq || bytes.Equal(prev[:], c.Sum) || seq == 0), nil
}

func eventOf(c Chained) proof.Event {
	return proof.Event{Seq: c.Link.Seq, At: proof.Moment(c.Link.At), Kind: c.Link.Kind, LineID: c.Link.LineID, Version: c.Link.Version,
		Says: event.Say(event.Kind(c.Link.Kind), event.Who{Line: c.Line.Name, Member: c.By.Name}, c.Facts),
		Line: person(c.Link.Line, c.Line), By: person(c.Link.By, c.By), Facts: string(c.Link.Facts), Sum: c.Sum.String()}
}

func person(sum proof.Sum, card happen.Card) proof.Person {
	return proof.Person{Sum: sum.String(), Salt: hex.EncodeToString(card.Salt), Name: card.Name, Email: card.Email}
}

// sealing is for what the private parts of keys are sealed.
const sealing = "studio key"

// key is the key of a studio, made when it is asked for first.
func (s *Service) key(ctx context.Context, studio string) (ed25519.PrivateKey, error) {
	for range 2 {
		_, sealed, ok, err := s.rows.StudioKey(ctx, studio)
		if err != nil {
			return nil, err
		}
		if ok {
			seed, known := s.keys.Unseal(sealing, sealed)
			if !known || len(seed) != ed25519.SeedSize {
				return nil, ground.Clash("key_gone", "The key of this studio was sealed with a secret that is not in the settings any more. Put that secret back beside the new one.")
			}
			return ed25519.NewKeyFromSeed([]byte(seed)), nil
		}
		public, private, err := ed25519.GenerateKey(nil)
		if err != nil {
			return nil, err
		}
		// Of two who make one at the same time, one is kept.
		if err := s.rows.InsertStudioKey(ctx, studio, public, s.keys.Seal(sealing, string(private.Seed()))); err != nil {
			return nil, err
		}
	}
	return nil, ground.Missing("key")
}

// A Verdict is what can be said of a proof that somebody was shown.
type Verdict struct {
	Document proof.Document
	Key      string // that signed it, in base64
	Studio   string // of this server that has this key; empty where none has
	Problem  string // what speaks against it; empty for nothing
}

// A StudioKey is the public key of a studio.
type StudioKey struct {
	Studio string `json:"studio"`
	Public []byte `json:"key"` // Ed25519, raw; in JSON base64
}

// StudioKeys are the public keys of all studios here, for whoever was shown a proof and wants
// to know whose key signed it.
func (s *Service) StudioKeys(ctx context.Context) ([]StudioKey, error) {
	return s.rows.StudioKeys(ctx)
}

// MostFile is how large the file of a proof may be, in bytes.
const MostFile = 64 << 20

// Check checks the file of a proof: a PDF, or what lies in it. It arrives before it takes its
// turn, so that whoever sends slowly keeps nobody from having theirs checked: it is held in memory.
func (s *Service) Check(ctx context.Context, from io.Reader) (v Verdict, err error) {
	file, _, done, err := s.bench.Given(ctx, from, MostFile)
	if errors.Is(err, media.ErrTooLarge) {
		err = &ground.Error{Kind: ground.TooLarge, Code: "too_large", Say: "A proof has at most 64 MB. This is none."}
	}
	if err != nil {
		return v, err
	}
	defer done()
	content, err := os.ReadFile(file)
	if err != nil {
		return v, err
	}
	v = CheckFile(content)
	public, err := base64.StdEncoding.DecodeString(v.Key)
	if err != nil || v.Problem != "" || v.Key == "" {
		return v, nil
	}
	name, ok, err := s.rows.StudioOfKey(ctx, public)
	if ok {
		v.Studio = name
	}
	return v, err
}

// CheckFile is Check without asking whose key it is.
func CheckFile(file []byte) (v Verdict) {
	sealed, ok := readSealed(file)
	if !ok {
		v.Problem = ground.InFull(proof.ErrForm.Error())
		return v
	}
	d, key, err := proof.Open(sealed)
	v.Document, v.Key = d, base64.StdEncoding.EncodeToString(key)
	if err != nil {
		v.Problem = ground.InFull(err.Error())
	}
	return v
}

// readSealed finds the sealed document in a file.
func readSealed(file []byte) (s proof.Sealed, ok bool) {
	text := file
	if attached, is := attachment(file); is {
		text = attached
	}
	return s, json.Unmarshal(text, &s) == nil && s.Document != ""
}
