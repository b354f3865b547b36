package proofs_test

import (
	"bytes"
	"crypto/ed25519"
	"encoding/base64"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"aftergust/core/record/event"
	"aftergust/core/record/proof"
	"aftergust/internal/parts/proofs"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A forge makes proofs at random.
type forge struct {
	*rand.Rand
	key ed25519.PrivateKey
}

func (f forge) word() string {
	words := []string{"Lifeboat", "slipway", "Ærø", "Þór & Söhne", "<b>tide</b>", "north \"moor\"", "鍵", "a\u2028b", ""}
	return words[f.IntN(len(words))] + fmt.Sprint(f.IntN(1000))
}

func (f forge) bytes(n int) []byte {
	b := make([]byte, n)
	for i := range b {
		b[i] = byte(f.IntN(256))
	}
	return b
}

func (f forge) person() proof.Person {
	salt, name, email := f.bytes(16), f.word(), f.word()+"@kelpwick.example"
	return proof.Person{Sum: proof.Who(salt, name, email).String(), Salt: hex.EncodeToString(salt), Name: name, Email: email}
}

// document is a package of some items, of which some people took some.
func (f forge) document() proof.Document {
	at := time.Date(2026, 11, 25, 10, 6, 0, 123456000, time.UTC)
	ends := at.Add(time.Duration(f.IntN(1e9)) * time.Microsecond)
	title, door := f.word(), "open"
	d := proof.Document{Studio: f.word(), MadeBy: f.word(), MadeAt: proof.Moment(at), Items: []proof.Item{}, People: []proof.Recipient{},
		Events: []proof.Event{}, Package: proof.Package{ID: "p" + f.word(), Sender: f.word(), State: "out", Size: 9}}
	prev, by := proof.Sum{}, f.person()
	happens := func(kind event.Kind, line, version string, who proof.Person, more event.Facts) {
		at = at.Add(time.Duration(1+f.IntN(1e8)) * time.Microsecond)
		more.Title, more.Door, more.Ends = title, door, &ends
		e := proof.Event{Seq: int64(len(d.Events) + 1), At: proof.Moment(at), Kind: string(kind), LineID: line, Version: version, Line: who,
			Facts: string(more.Text())}
		if line == "" {
			e.By = by
		}
		sum := func(p proof.Person) (s proof.Sum) { _, _ = hex.Decode(s[:], []byte(p.Sum)); return s }
		prev = proof.Link{Parcel: d.Package.ID, Seq: e.Seq, Prev: prev, At: at, Kind: e.Kind, LineID: line, Version: version, Line: sum(who),
			By: sum(e.By), Facts: []byte(e.Facts)}.Sum()
		e.Sum = prev.String()
		e.Says = event.Say(kind, event.Who{Line: who.Name, Member: e.By.Name}, more)
		d.Events = append(d.Events, e)
	}
	happens(event.Sent, "", "", proof.Person{}, event.Facts{})
	for i := range 1 + f.IntN(4) {
		d.Items = append(d.Items, proof.Item{ID: fmt.Sprint("i", i), Name: f.word(), Held: fmt.Sprint("v", i), Number: 1 + f.IntN(3),
			Size: int64(f.IntN(5000)), SHA256: hex.EncodeToString(f.bytes(32)), XXH128: hex.EncodeToString(f.bytes(16))})
	}
	for i := range 1 + f.IntN(4) {
		who, r := f.person(), proof.Recipient{ID: fmt.Sprint("l", i), Rights: []string{"see", "take"}, Cells: []proof.Cell{}, Complete: true}
		if f.IntN(4) > 0 {
			happens([]event.Kind{event.Opened, event.Signed}[f.IntN(2)], r.ID, "", who, event.Facts{})
		}
		for _, item := range d.Items {
			if f.IntN(3) == 0 {
				r.Complete = false
				r.Cells = append(r.Cells, proof.Cell{Item: item.ID, Bytes: int64(f.IntN(int(item.Size) + 1)), Played: int64(f.IntN(2000))})
				continue
			}
			happens(event.Took, r.ID, item.Held, who, event.Facts{Name: item.Name, Number: item.Number, Size: item.Size, SHA256: item.SHA256})
			r.Cells = append(r.Cells, proof.Cell{Item: item.ID, Bytes: item.Size, Complete: true, ByProxy: f.IntN(2) == 0})
		}
		d.People = append(d.People, r)
	}
	d.Head = prev.String()
	return d.Settled()
}

// seal signs a document that may be changed, as text.
func (f forge) seal(document string) proof.Sealed {
	public, _ := f.key.Public().(ed25519.PublicKey)
	return proof.Sealed{Format: "aftergust-proof", Document: document, Key: base64.StdEncoding.EncodeToString(public),
		Signature: base64.StdEncoding.EncodeToString(ed25519.Sign(f.key, []byte(document)))}
}

// change changes one value somewhere in a document, or takes an element of a list away.
func (f forge) change(t *testing.T, document string) string {
	t.Helper()
	var d map[string]any
	in := json.NewDecoder(strings.NewReader(document))
	in.UseNumber()
	require.NoError(t, in.Decode(&d))
	var places []func()
	var walk func(at any, set func(any))
	walk = func(at any, set func(any)) {
		switch at := at.(type) {
		case map[string]any:
			for name, value := range at {
				walk(value, func(v any) { at[name] = v })
			}
		case []any:
			for i, value := range at {
				walk(value, func(v any) { at[i] = v })
			}
			if len(at) > 0 {
				places = append(places, func() { i := f.IntN(len(at)); set(append(append([]any{}, at[:i]...), at[i+1:]...)) })
			}
		case string:
			places = append(places, func() { set(f.flip(at)) })
		case json.Number:
			places = append(places, func() { set(another(at)) })
		case bool:
			places = append(places, func() { set(!at) })
		}
	}
	walk(d, func(any) {})
	places[f.IntN(len(places))]()
	out, err := json.Marshal(d)
	require.NoError(t, err)
	return string(out)
}

// another returns another number, which JSON can hold: no number but 0 begins with a 0.
func another(n json.Number) json.Number {
	if n == "0" {
		return "1"
	}
	return n + "1"
}

func (f forge) flip(text string) string {
	if text == "" {
		return "x"
	}
	letters := []rune(text)
	i := f.IntN(len(letters))
	letters[i]++
	return string(letters)
}

// Source: internal/parts/proofs/testdata/verify.py, which was written from docs/proof.md alone, with
// openssl for the signature. Both say of each proof whether it is whole.
func TestASecondVerifierAgreesOnTwoHundredProofsAndTwoHundredChanges(t *testing.T) {
	t.Parallel()
	const each = 200
	seed := uint64(time.Now().UnixNano())
	t.Log("seed", seed)
	dir, ours := t.TempDir(), map[string]bool{}
	refused := 0
	write := func(name string, s proof.Sealed) {
		text, err := json.Marshal(s)
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), text, 0o600))
		ours[name] = proofs.CheckFile(text).Problem == ""
		if !ours[name] {
			refused++
		}
	}
	for i := range each {
		f := forge{rand.New(rand.NewPCG(seed, uint64(i))), nil}
		f.key = ed25519.NewKeyFromSeed(f.bytes(32))
		d := f.document()
		s, err := proof.Seal(d, f.key)
		require.NoError(t, err)
		write(fmt.Sprintf("%03d-whole.json", i), s)
		// Changed by somebody who can sign, with a key of their own.
		write(fmt.Sprintf("%03d-changed.json", i), f.seal(f.change(t, s.Document)))
	}
	assert.LessOrEqual(t, refused, each)
	out, err := exec.Command("python3", "testdata/verify.py", dir).CombinedOutput()
	require.NoError(t, err, string(out))
	seen := 0
	for line := range bytes.Lines(out) {
		name, says, _ := strings.Cut(strings.TrimSpace(string(line)), " ")
		seen++
		if strings.HasSuffix(name, "-whole.json") {
			assert.True(t, ours[name], name)
		}
		if strings.Contains(says, "whole") != ours[name] && !onlyWords(t, filepath.Join(dir, name)) {
			assert.Fail(t, "they disagree", "%s: ours says %q, the other %s", name, problem(t, filepath.Join(dir, name)), says)
		}
	}
	assert.Equal(t, 2*each, seen)
	assert.Greater(t, refused, each/2, "of the changes most are refused; some change only what is the signer's word")
}

// onlyWords reports whether what we refuse in a proof are the words of an event, which another
// verifier does not know (docs/proof.md).
func onlyWords(t *testing.T, file string) bool {
	t.Helper()
	return strings.Contains(problem(t, file), "its words are not those")
}

func problem(t *testing.T, file string) string {
	t.Helper()
	text, err := os.ReadFile(file)
	require.NoError(t, err)
	return proofs.CheckFile(text).Problem
}
