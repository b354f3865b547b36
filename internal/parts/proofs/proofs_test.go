package proofs_test

import (
	"bytes"
	"compress/zlib"
	"crypto/ed25519"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"aftergust/core/file/coverage"
	"aftergust/core/record/proof"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/ground/turns"
	"aftergust/internal/parts/pack"
	"aftergust/internal/parts/proofs"
	"aftergust/internal/parts/receive"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sync/errgroup"
)

// delivered is a package of two files: Hanne has all of it, Tove one byte too little.
func delivered(t *testing.T, h *apptest.House) (pack.Parcel, []pack.Line) {
	t.Helper()
	film, sound := h.File(h.Mara, "", "lifeboat ümlaut.mov", "the film"), h.File(h.Mara, "", "guide.wav", "sound")
	p, lines := h.Sent(h.Mara, []string{film.ID, sound.ID}, "hanne@kelpwick.example", "tove@kelpwick.example", "nell@kelpwick.example")
	for i, upto := range []int64{8, 7} {
		e := h.Enter(lines[i], "1")
		require.NoError(t, h.Receive.Visited(t.Context(), e, "Europe/London"))
		h.Receive.Recorder.Delivered(e.Delivery(film.VersionID, 8), coverage.Range{End: upto})
		h.Receive.Recorder.Delivered(e.Delivery(sound.VersionID, 5), coverage.Range{End: 5})
	}
	require.NoError(t, h.Receive.Recorder.Flush(t.Context()))
	return p, lines
}

func made(t *testing.T, h *apptest.House, id string) proofs.Proof {
	t.Helper()
	p, err := h.Proofs.Make(t.Context(), h.Mara, id)
	require.NoError(t, err)
	return p
}

func file(t *testing.T, p proofs.Proof) []byte {
	t.Helper()
	text, err := json.Marshal(p.Sealed)
	require.NoError(t, err)
	return text
}

func TestAProofSaysWhoHasWhatAndHoldsAgainstWhatHappened(t *testing.T) {
	h := apptest.Build(t, pg)
	p, lines := delivered(t, h)
	got := made(t, h, p.ID)
	require.NoError(t, got.Check())
	assert.Equal(t, []bool{true, false, false}, []bool{got.People[0].Complete, got.People[1].Complete, got.People[2].Complete})
	assert.Equal(t, []int64{8, 7}, []int64{got.People[0].Cells[0].Bytes, got.People[1].Cells[0].Bytes})
	assert.Empty(t, got.People[2].Cells)
	assert.Equal(t, "lifeboat ümlaut.mov", got.Items[0].Name)
	kinds := []string{}
	for _, e := range got.Events {
		kinds = append(kinds, e.Kind)
	}
	assert.Equal(t, 1, strings.Count(strings.Join(kinds, " "), "sent"))
	assert.Equal(t, 3, strings.Count(strings.Join(kinds, " "), "took"), "two files and one")
	v, err := h.Proofs.Check(t.Context(), bytes.NewReader(file(t, got)))
	require.NoError(t, err)
	assert.Equal(t, []string{"", "Low Tide Pictures"}, []string{v.Problem, v.Studio})
	assert.Equal(t, got.Sealed.Key, made(t, h, p.ID).Sealed.Key, "a studio keeps its key")

	// What happens later goes on with the same chain; what somebody is called later changes nothing of it.
	require.NoError(t, h.Pack.Stop(t.Context(), h.Mara, p.ID))
	name := "Another Name"
	_, err = h.Pack.ChangeLine(t.Context(), h.Mara, lines[0].ID, pack.LineEdit{Name: &name})
	require.NoError(t, err)
	later := made(t, h, p.ID)
	assert.Equal(t, got.Events, later.Events[:len(got.Events)])
	assert.Greater(t, len(later.Events), len(got.Events))
	require.NoError(t, later.Check())
}

func TestAProofIsForItsStudioAndForWhatWasSent(t *testing.T) {
	h := apptest.Build(t, pg)
	p, _ := delivered(t, h)
	draft, _ := h.Draft(h.Mara, []string{h.File(h.Mara, "", "x.mov", "x").ID})
	_, err := h.Proofs.Make(t.Context(), h.Mara, draft.ID)
	assert.Equal(t, "not_sent", apptest.Code(t, err))
	_, err = h.Proofs.Make(t.Context(), h.Odd, p.ID)
	assert.Equal(t, "not_found", apptest.Code(t, err))
	// Another studio's key is another key: whoever signs with it is said.
	theirs, _ := h.Sent(h.Odd, []string{h.File(h.Odd, "", "y.mov", "y").ID}, "oda@northmoor.example")
	other, err := h.Proofs.Make(t.Context(), h.Odd, theirs.ID)
	require.NoError(t, err)
	assert.NotEqual(t, made(t, h, p.ID).Sealed.Key, other.Sealed.Key)
	stranger := ed25519.NewKeyFromSeed(make([]byte, 32))
	forged := made(t, h, p.ID)
	forged.Sealed, err = proof.Seal(forged.Document, stranger)
	require.NoError(t, err)
	v, err := h.Proofs.Check(t.Context(), bytes.NewReader(file(t, forged)))
	require.NoError(t, err)
	assert.Equal(t, []string{"", ""}, []string{v.Problem, v.Studio}, "whole in itself, but of nobody here")
	// A PDF that was made to keep us busy: of what does not begin as ours nothing is unpacked.
	var bomb bytes.Buffer
	z := zlib.NewWriter(&bomb)
	_, err = z.Write(make([]byte, 32<<20))
	require.NoError(t, err)
	require.NoError(t, z.Close())
	v, err = h.Proofs.Check(t.Context(), strings.NewReader("%PDF-1.7\n"+strings.Repeat("/EmbeddedFile\nstream\n"+bomb.String()+"\n", 200)))
	require.NoError(t, err)
	assert.NotEmpty(t, v.Problem)
	for _, rubbish := range []string{"", "{}", "%PDF-1.7 /EmbeddedFile stream\nxx", strings.Repeat("x", 1000), `{"format":"aftergust-proof","document":"{}"}`} {
		v, err := h.Proofs.Check(t.Context(), strings.NewReader(rubbish))
		require.NoError(t, err)
		assert.NotEmpty(t, v.Problem, rubbish)
	}
}

// Somebody sends a file very slowly, many times at once: others have theirs checked meanwhile.
func TestWhoeverSendsAProofSlowlyKeepsNobodyWaiting(t *testing.T) {
	h := apptest.Build(t, pg)
	var stalled sync.WaitGroup
	var ends []*io.PipeWriter
	for i := range 8 {
		source := turns.As(t.Context(), fmt.Sprintf("203.0.113.%d", i%2))
		from, to := io.Pipe()
		ends = append(ends, to)
		stalled.Go(func() {
			_, err := h.Proofs.Check(source, from)
			assert.ErrorIs(t, err, io.ErrUnexpectedEOF)
		})
		_, err := to.Write([]byte("{"))
		require.NoError(t, err)
	}
	v, err := h.Proofs.Check(t.Context(), strings.NewReader("{}"))
	require.NoError(t, err)
	assert.NotEmpty(t, v.Problem)
	for _, to := range ends {
		_ = to.CloseWithError(io.ErrUnexpectedEOF)
	}
	stalled.Wait()
	_, err = h.Proofs.Check(t.Context(), io.LimitReader(nothing{}, proofs.MostFile+1))
	assert.Equal(t, "too_large", apptest.Code(t, err))
}

type nothing struct{}

func (nothing) Read(p []byte) (int, error) { return len(p), nil }

// One event taken out of the records, changed or moved there: the proof that is made then is refused.
func TestRecordsThatWereTamperedWithMakeNoProof(t *testing.T) {
	for name, tamper := range map[string]string{
		"left out": `delete from event where parcel_id = $1 and kind = 'opened'`,
		"changed":  `update event set facts = facts || '{"name":"another.mov"}' where parcel_id = $1 and kind = 'took'`,
		"moved":    `update event set at = at - interval '1 second' where parcel_id = $1 and kind = 'took'`,
		"renamed":  `update card set name = 'Somebody Else' where id in (select line_card from event where parcel_id = $1)`,
		"unlinked": `delete from link where parcel_id = $1 and seq = 2`,
		"cut off":  `delete from link where parcel_id = $1 and seq = (select max(seq) from link where parcel_id = $1)`,
	} {
		h := apptest.Build(t, pg)
		p, _ := delivered(t, h)
		require.NoError(t, h.Proofs.LinkAll(t.Context()))
		_, err := h.Store.Pool().Exec(t.Context(), "alter table event disable trigger all; alter table link disable trigger all")
		require.NoError(t, err)
		_, err = h.Store.Pool().Exec(t.Context(), tamper, p.ID)
		require.NoError(t, err, name)
		broken := []string{}
		_, err = h.Proofs.VerifyChains(t.Context(), func(parcel string, _ int64) { broken = append(broken, parcel) })
		require.NoError(t, err)
		assert.Equal(t, []string{p.ID}, broken, name)
		v, err := h.Proofs.Check(t.Context(), bytes.NewReader(file(t, made(t, h, p.ID))))
		require.NoError(t, err)
		assert.NotEmpty(t, v.Problem, name)
	}
}

// Eight at once write events of one package: one chain, without a gap or a fork.
func TestManyAtOnceMakeOneChain(t *testing.T) {
	h := apptest.Build(t, pg)
	film := h.File(h.Mara, "", "a.mov", "film")
	p, lines := h.Sent(h.Mara, []string{film.ID}, "hanne@kelpwick.example", "tove@kelpwick.example")
	second, others := h.Sent(h.Mara, []string{film.ID}, "nell@kelpwick.example")
	entrants := []receive.Entrant{h.Enter(lines[0], "1"), h.Enter(lines[1], "1"), h.Enter(others[0], "1")}
	var all errgroup.Group
	for i := range 24 {
		all.Go(func() error { return h.Receive.Looked(t.Context(), entrants[i%3], film.VersionID) })
		all.Go(func() error {
			h.Receive.Recorder.Delivered(entrants[i%3].Delivery(film.VersionID, 4), coverage.Range{Start: int64(i % 4), End: int64(i%4) + 1})
			return h.Receive.Recorder.Flush(t.Context())
		})
		if i%4 == 0 {
			all.Go(func() error {
				got, err := h.Proofs.Make(t.Context(), h.Mara, p.ID)
				if err == nil {
					err = got.Check() // at every moment what it says follows from what happened
				}
				return err
			})
			all.Go(func() error { return h.Proofs.LinkAll(t.Context()) })
		}
	}
	require.NoError(t, all.Wait())
	for id, want := range map[string]int{p.ID: 16, second.ID: 8} {
		got := made(t, h, id)
		require.NoError(t, got.Check())
		looked := 0
		for _, e := range got.Events {
			if e.Kind == "looked" {
				looked++
			}
		}
		assert.Equal(t, want, looked)
	}
}

// A studio of the version before has events without a chain: it gets one, in order, once.
func TestEventsFromBeforeThereWereChainsAreChainedOnce(t *testing.T) {
	h := apptest.Build(t, pg)
	p, _ := delivered(t, h)
	before := made(t, h, p.ID)
	_, err := h.Store.Pool().Exec(t.Context(), "truncate link, chain, unlinked; insert into unlinked (event_id, parcel_id, at) select id, parcel_id, at from event")
	require.NoError(t, err)
	var both sync.WaitGroup
	for range 3 {
		both.Go(func() {
			_, err := h.Proofs.Make(t.Context(), h.Mara, p.ID)
			assert.NoError(t, err)
		})
		both.Go(func() { assert.NoError(t, h.Proofs.LinkAll(t.Context())) })
	}
	both.Wait()
	events, err := h.Proofs.VerifyChains(t.Context(), func(string, int64) { assert.Fail(t, "nothing is broken") })
	require.NoError(t, err)
	assert.Positive(t, events)
	waiting, err := proofs.Rows{DB: h.Store}.Unlinked(t.Context(), "", 10)
	require.NoError(t, err)
	assert.Empty(t, waiting)
	again := made(t, h, p.ID)
	assert.Equal(t, before.Head, again.Head)
	require.NoError(t, h.Pack.Stop(t.Context(), h.Mara, p.ID))
	require.NoError(t, made(t, h, p.ID).Check())
}

func run(t *testing.T, dir, program string, args ...string) string {
	t.Helper()
	command := exec.CommandContext(t.Context(), program, args...)
	command.Dir = dir
	out, err := command.CombinedOutput()
	require.NoError(t, err, "%s: %s", program, out)
	return string(out)
}

// Source: ISO 32000 by qpdf --check; the text by pdftotext; the attachments by pdfdetach;
// the signature by openssl pkeyutl (RFC 8032), of what another's program took out of the file.
func TestThePDFIsReadAndVerifiedByOthers(t *testing.T) {
	h := apptest.Build(t, pg)
	p, _ := delivered(t, h)
	got := made(t, h, p.ID)
	zone, err := time.LoadLocation("Europe/London")
	require.NoError(t, err)
	pdf, err := got.PDF(zone)
	require.NoError(t, err)
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "proof.pdf"), pdf, 0o600))
	assert.Contains(t, run(t, dir, "qpdf", "--check", "proof.pdf"), "No syntax or stream encoding errors")
	info := run(t, dir, "pdfinfo", "proof.pdf")
	assert.Contains(t, info, "A4")
	assert.Contains(t, info, "Proof of delivery: "+got.Package.Title)
	text := run(t, dir, "pdftotext", "-layout", "proof.pdf", "-")
	for _, want := range []string{"Proof of delivery", "Hanne", "everything", "1 of 2 items whole, 12 bytes", "nothing yet", "lifeboat ümlaut.mov",
		"has guide.wav to the last byte", "Low Tide Pictures"} {
		assert.Contains(t, text, want)
	}
	run(t, dir, "pdfdetach", "-saveall", "-o", dir, "proof.pdf")
	document, err := os.ReadFile(filepath.Join(dir, "document.json"))
	require.NoError(t, err)
	assert.Equal(t, got.Sealed.Document, string(document))
	assert.Contains(t, run(t, dir, "openssl", "pkeyutl", "-verify", "-pubin", "-inkey", "studio.pem", "-rawin", "-in", "document.json", "-sigfile", "document.sig"),
		"Signature Verified Successfully")
	require.NoError(t, os.WriteFile(filepath.Join(dir, "document.json"), append(document, ' '), 0o600))
	changed := exec.CommandContext(t.Context(), "openssl", "pkeyutl", "-verify", "-pubin", "-inkey", "studio.pem", "-rawin", "-in", "document.json", "-sigfile",
		"document.sig")
	changed.Dir = dir
	require.Error(t, changed.Run())

	v, err := h.Proofs.Check(t.Context(), bytes.NewReader(pdf))
	require.NoError(t, err)
	assert.Equal(t, []string{"", "Low Tide Pictures", got.Head}, []string{v.Problem, v.Studio, v.Document.Head})
	sealed, err := os.ReadFile(filepath.Join(dir, "proof.json"))
	require.NoError(t, err)
	assert.JSONEq(t, string(file(t, got)), string(sealed))
}

func TestAKeyWhoseSecretIsGoneIsSaidAndNotReplaced(t *testing.T) {
	h := apptest.Build(t, pg)
	p, _ := delivered(t, h)
	before := made(t, h, p.ID).Sealed.Key
	_, err := h.Store.Pool().Exec(t.Context(), "update studio_key set private = '\\x09' || private where studio_id = $1", h.Mara.StudioID)
	require.NoError(t, err)
	_, err = h.Proofs.Make(t.Context(), h.Mara, p.ID)
	assert.Equal(t, "key_gone", apptest.Code(t, err))
	var public []byte
	require.NoError(t, h.Store.Pool().QueryRow(t.Context(), "select public from studio_key where studio_id = $1", h.Mara.StudioID).Scan(&public))
	assert.Equal(t, before, base64.StdEncoding.EncodeToString(public))
}
