package proof_test

import (
	"crypto/ed25519"
	"encoding/base64"
	"encoding/hex"
	"encoding/json"
	"strings"
	"testing"
	"time"

	"aftergust/core/record/event"
	. "aftergust/core/record/proof"

	"filippo.io/edwards25519"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

var (
	began = time.Date(2026, 11, 25, 10, 6, 0, 123456000, time.UTC)
	salt  = []byte("sixteen bytes of")
	key   = ed25519.NewKeyFromSeed([]byte("thirty-two bytes for a studio's!"))
)

func hanne() Person {
	return Person{Sum: Who(salt, "Hanne Orrick", "hanne@kelpwick.example").String(), Salt: hex.EncodeToString(salt), Name: "Hanne Orrick",
		Email: "hanne@kelpwick.example"}
}

func marit() Person {
	return Person{Sum: Who(salt, "Marit Oyelaran", "").String(), Salt: hex.EncodeToString(salt), Name: "Marit Oyelaran"}
}

// chained makes a chain of events again, as somebody would who has no key but all the rest.
func chained(d Document) Document {
	prev := Sum{}
	read := func(p Person) (s Sum) {
		_, _ = hex.Decode(s[:], []byte(p.Sum)) // empty for nobody
		return s
	}
	for i := range d.Events {
		e := &d.Events[i]
		at, _ := time.Parse("2006-01-02T15:04:05.000000Z", e.At)
		e.Seq = int64(i + 1)
		prev = Link{Parcel: d.Package.ID, Seq: e.Seq, Prev: prev, At: at, Kind: e.Kind, LineID: e.LineID, Version: e.Version, Line: read(e.Line),
			By: read(e.By), Facts: []byte(e.Facts)}.Sum()
		e.Sum = prev.String()
	}
	d.Head = prev.String()
	return d
}

// document is a package that Hanne has taken whole.
func document() Document {
	d := Document{Studio: "Low Tide Pictures", MadeBy: "Marit Oyelaran", MadeAt: Moment(began.Add(time.Hour)),
		Package: Package{ID: "p1", Title: "Lifeboat", Sender: "Marit Oyelaran", SentAt: Moment(began), State: "out", Door: "open", Size: 1000},
		Items:   []Item{{ID: "i1", Name: "a.mov", Held: "v1", Number: 1, Size: 1000, SHA256: strings.Repeat("ab", 32), XXH128: strings.Repeat("cd", 16)}},
		People: []Recipient{{ID: "l1", Name: "Hanne Orrick", Email: "hanne@kelpwick.example", Rights: []string{"see", "take"}, Complete: true,
			OpenedAt: Moment(began.Add(time.Minute)), Cells: []Cell{{Item: "i1", Bytes: 1000, Complete: true, CompletedAt: Moment(began.Add(2 * time.Minute))}}}},
		Events: []Event{
			{At: Moment(began), Kind: "sent", By: marit(), Facts: `{"title":"Lifeboat"}`},
			{At: Moment(began.Add(time.Minute)), Kind: "opened", LineID: "l1", Line: hanne(), Facts: `{"title":"Lifeboat"}`},
			{At: Moment(began.Add(2 * time.Minute)), Kind: "took", LineID: "l1", Version: "v1", Line: hanne(), Facts: `{"title":"Lifeboat","door":"open","name":"a.mov","number":1,"size":1000,"sha256":"` + strings.Repeat("ab", 32) + `"}`},
		}}
	for i, e := range d.Events {
		var facts event.Facts
		_ = json.Unmarshal([]byte(e.Facts), &facts) // written above
		d.Events[i].Says = event.Say(event.Kind(e.Kind), event.Who{Line: e.Line.Name, Member: e.By.Name}, facts)
	}
	return chained(d)
}

func TestAProofSaysWhatWasSignedAndWhoSignedIt(t *testing.T) {
	s, err := Seal(document(), key)
	require.NoError(t, err)
	d, by, err := Open(s)
	require.NoError(t, err)
	assert.Equal(t, key.Public(), by)
	assert.Equal(t, "Lifeboat", d.Package.Title)
	assert.Equal(t, Format, d.Format)

	for name, change := range map[string]func(*Sealed){
		"a letter": func(s *Sealed) { s.Document = strings.Replace(s.Document, "Lifeboat", "Lifeboot", 1) },
		"a figure": func(s *Sealed) { s.Document = strings.Replace(s.Document, `"bytes":1000`, `"bytes":9999`, 1) },
		"a space":  func(s *Sealed) { s.Document += " " },
		"another's key": func(s *Sealed) {
			s.Key = base64.StdEncoding.EncodeToString(ed25519.NewKeyFromSeed(make([]byte, 32)).Public().(ed25519.PublicKey))
		},
		"the signature": func(s *Sealed) { s.Signature = base64.StdEncoding.EncodeToString(make([]byte, 64)) },
		"a short one":   func(s *Sealed) { s.Signature = "" },
	} {
		changed := s
		change(&changed)
		_, _, err := Open(changed)
		require.ErrorIs(t, err, ErrSignature, name)
	}
	for name, change := range map[string]func(*Sealed){"the form": func(s *Sealed) { s.Format = "" }, "no key": func(s *Sealed) { s.Key = "" },
		"no base64": func(s *Sealed) { s.Signature = "§" }} {
		changed := s
		change(&changed)
		_, _, err := Open(changed)
		require.ErrorIs(t, err, ErrForm, name)
	}
}

// Keys of small order, for which anybody makes signatures: the points whose order divides eight,
// in all their encodings. Source: filippo.io/edwards25519, which multiplies each by the cofactor.
func TestAKeyThatAnybodyCanSignWithIsRefused(t *testing.T) {
	s, err := Seal(document(), key)
	require.NoError(t, err)
	order8 := func(raw []byte) bool {
		point, err := new(edwards25519.Point).SetBytes(raw)
		return err == nil && new(edwards25519.Point).MultByCofactor(point).Equal(edwards25519.NewIdentityPoint()) == 1
	}
	for _, weak := range []string{
		"0000000000000000000000000000000000000000000000000000000000000000", "0100000000000000000000000000000000000000000000000000000000000000",
		"26e8958fc2b227b045c3f489f2ef98f0d5dfac05d3c63339b13802886d53fc05", "c7176a703d4dd84fba3c0b760d10670f2a2053fa2c39ccc64ec7fd7792ac037a",
		"ecffffffffffffffffffffffffffffffffffffffffffffffffffffffffffff7f", "edffffffffffffffffffffffffffffffffffffffffffffffffffffffffffff7f",
		"eeffffffffffffffffffffffffffffffffffffffffffffffffffffffffffff7f", "0000000000000000000000000000000000000000000000000000000000000080",
	} {
		raw, err := hex.DecodeString(weak)
		require.NoError(t, err)
		assert.True(t, order8(raw), "says another library: %s", weak)
		s.Key = base64.StdEncoding.EncodeToString(raw)
		_, _, err = Open(s)
		assert.ErrorIs(t, err, ErrKey, weak)
	}
}

// Even someone with a key cannot change what the page says without changing an event.
func TestWhatAProofSaysFollowsFromItsEvents(t *testing.T) {
	require.NoError(t, document().Check())
	for name, change := range map[string]func(*Document){
		"the title":        func(d *Document) { d.Package.Title = "Lifeboat, the last cut" },
		"the door":         func(d *Document) { d.Package.Door = "named" },
		"when it was sent": func(d *Document) { d.Package.SentAt = Moment(began.Add(-time.Hour)) },
		"when it ends":     func(d *Document) { d.Package.EndsAt = Moment(began.Add(time.Hour)) },
		"a name":           func(d *Document) { d.People[0].Name = "Tove Lind" },
		"an address":       func(d *Document) { d.People[0].Email = "tove@kelpwick.example" },
		"when opened":      func(d *Document) { d.People[0].OpenedAt = Moment(began) },
		"never opened":     func(d *Document) { d.People[0].OpenedAt = "" },
		"when complete":    func(d *Document) { d.People[0].Cells[0].CompletedAt = Moment(began) },
		"a checksum":       func(d *Document) { d.Items[0].SHA256 = strings.Repeat("ef", 32) },
		"a version":        func(d *Document) { d.Items[0].Number = 2 },
		"a size":           func(d *Document) { d.Items[0].Size, d.People[0].Cells[0].Bytes = 2000, 2000 },
	} {
		d := document()
		change(&d)
		s, err := Seal(d, key)
		require.NoError(t, err)
		_, _, err = Open(s)
		assert.ErrorIs(t, err, ErrLedger, name)
	}
}

// Whoever can sign, too, cannot leave out, put in, change or move an event.
func TestAProofWithoutAnEventIsRefusedEvenIfItIsSignedAnew(t *testing.T) {
	for name, c := range map[string]struct {
		change func(*Document)
		want   error
	}{
		"the first left out":  {func(d *Document) { d.Events = d.Events[1:] }, ErrChain},
		"one left out":        {func(d *Document) { d.Events = append(d.Events[:1], d.Events[2:]...) }, ErrChain},
		"the last left out":   {func(d *Document) { d.Events = d.Events[:2] }, ErrChain},
		"moved":               {func(d *Document) { d.Events[0], d.Events[1] = d.Events[1], d.Events[0] }, ErrChain},
		"put in":              {func(d *Document) { d.Events = append(d.Events, d.Events[2]) }, ErrChain},
		"another time":        {func(d *Document) { d.Events[1].At = Moment(began.Add(time.Second)) }, ErrChain},
		"another kind":        {func(d *Document) { d.Events[1].Kind = "looked" }, ErrChain},
		"other facts":         {func(d *Document) { d.Events[2].Facts = `{"name":"b.mov","number":1,"size":1000}` }, ErrChain},
		"other words":         {func(d *Document) { d.Events[2].Says = "Nothing happened." }, ErrChain},
		"another line":        {func(d *Document) { d.Events[2].LineID = "l2" }, ErrChain},
		"another version":     {func(d *Document) { d.Events[2].Version = "v2" }, ErrChain},
		"another package":     {func(d *Document) { d.Package.ID = "p2" }, ErrChain},
		"another head":        {func(d *Document) { d.Head = strings.Repeat("00", 32) }, ErrChain},
		"another name":        {func(d *Document) { d.Events[1].Line.Name = "Tove Lind" }, ErrPerson},
		"another address":     {func(d *Document) { d.Events[1].Line.Email = "tove@kelpwick.example" }, ErrPerson},
		"a name without salt": {func(d *Document) { d.Events[1].Line.Salt = "" }, ErrPerson},
		"a name without sum":  {func(d *Document) { d.Events[0].Line.Name = "Tove Lind" }, ErrPerson},
		"more than there is":  {func(d *Document) { d.People[0].Cells[0].Bytes = 1001 }, ErrLedger},
		"a byte short":        {func(d *Document) { d.People[0].Cells[0].Bytes = 999 }, ErrLedger},
		"of somebody else":    {func(d *Document) { d.People[0].ID = "l2" }, ErrLedger},
		"of another version":  {func(d *Document) { d.Items[0].Held = "v2" }, ErrLedger},
		"an unknown item":     {func(d *Document) { d.People[0].Cells[0].Item = "i2" }, ErrLedger},
		"not everything": {func(d *Document) {
			d.People[0].Cells[0].Complete, d.People[0].Cells[0].Bytes = false, 10
		}, ErrLedger},
		"nothing at all": {func(d *Document) { d.People[0].Cells = nil }, ErrLedger},
		"a torn time":    {func(d *Document) { d.Events[1].At = "yesterday" }, ErrForm},
	} {
		d := document()
		c.change(&d)
		s, err := Seal(d, key)
		require.NoError(t, err)
		_, _, err = Open(s)
		require.ErrorIs(t, err, c.want, name)
	}
}

func TestAPersonWhoWasErasedLeavesTheChainWhole(t *testing.T) {
	d := document()
	for i := range d.Events {
		if d.Events[i].LineID != "" {
			d.Events[i].Line = Person{Sum: d.Events[i].Line.Sum}
			var facts event.Facts
			require.NoError(t, json.Unmarshal([]byte(d.Events[i].Facts), &facts))
			d.Events[i].Says = event.Say(event.Kind(d.Events[i].Kind), event.Who{}, facts)
		}
	}
	d.People[0].Name, d.People[0].Email = "", ""
	require.NoError(t, d.Check())
}

// The laws of a chain: each sum depends on all before it, and on every part.
func TestASumDependsOnEveryPart(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		text := rapid.StringMatching(`[a-z]{1,6}`)
		l := Link{Parcel: text.Draw(t, "parcel"), Seq: rapid.Int64Range(1, 1e6).Draw(t, "seq"), At: began, Kind: text.Draw(t, "kind"),
			LineID: text.Draw(t, "line"), Version: text.Draw(t, "version"), Facts: []byte(text.Draw(t, "facts"))}
		other := l
		switch rapid.IntRange(0, 8).Draw(t, "part") {
		case 0:
			other.Parcel += "x"
		case 1:
			other.Seq++
		case 2:
			other.Prev[7] = 1
		case 3:
			other.At = other.At.Add(time.Microsecond)
		case 4:
			other.Kind += "x"
		case 5:
			other.LineID += "x"
		case 6:
			other.Version += "x"
		case 7:
			other.Line[0] = 1
		case 8:
			other.Facts = append(other.Facts, '\n')
		}
		if l.Sum() == other.Sum() {
			t.Fatal("the same sum")
		}
	})
	assert.NotEqual(t, Who(salt, "ab", "c"), Who(salt, "a", "bc"), "where the name ends matters")
	assert.NotEqual(t, Who([]byte("another salt"), "ab", "c"), Who(salt, "ab", "c"))
}

// Source: FIPS 180-4 by sha256sum, of the same parts with a line feed after each:
// printf 'aftergust event 1\np1\n1\n\n2026-11-25T10:06:00.123456Z\nsent\n\n\n\n\n{}' | sha256sum
func TestASumIsTheSHA256OfTheParts(t *testing.T) {
	got := Link{Parcel: "p1", Seq: 1, At: began, Kind: "sent", Facts: []byte("{}")}.Sum()
	assert.Equal(t, "2a1b94205ab3241c65a1afc6a1c3e1a084fba06251f144310c4ae82f2ae48704", got.String())
	assert.Equal(t, "2026-11-25T10:06:00.123456Z", Moment(began.In(time.FixedZone("", 3600))))
	assert.Empty(t, Sum{}.String())
}

// Source: RFC 8032, 7.1, test 2 (from memory, not looked up): what is signed is the
// document, byte for byte, and nothing around it.
func TestTheSignatureIsEd25519(t *testing.T) {
	seed, err := hex.DecodeString("4ccd089b28ff96da9db6c346ec114e0f5b8a319f35aba624da8cf6ed4fb8a6fb")
	require.NoError(t, err)
	assert.Equal(t, "92a009a9f0d4cab8720e820b5f642540a2b27b5416503f8fb3762223ebdb69da085ac1e43e15996e458f3613d0f11d8c387b2eaeb4302aeeb00d291612bb0c00",
		hex.EncodeToString(ed25519.Sign(ed25519.NewKeyFromSeed(seed), []byte{0x72})))
	s, err := Seal(document(), key)
	require.NoError(t, err)
	signature, err := base64.StdEncoding.DecodeString(s.Signature)
	require.NoError(t, err)
	assert.True(t, ed25519.Verify(key.Public().(ed25519.PublicKey), []byte(s.Document), signature))
}
