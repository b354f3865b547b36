package app_test

import (
	"bytes"
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"os"
	"slices"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"aftergust/core/file/coverage"
	"aftergust/internal/dev/apptest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

type sum256 = [sha256.Size]byte

// A soak is people at work with a server that is killed and stopped at random. What
// they were told is done they write down, and it has to be so at the end.
type soak struct {
	*binary
	t      *testing.T
	ctx    context.Context
	chance func() *rand.Rand // one for each who works

	mu      sync.Mutex
	uploads map[string]sum256       // of what is whole and acknowledged, by the item that the server named
	notes   []string                // acknowledged
	sent    map[string]string       // packages that went out, with the address that they went to
	got     map[string]coverage.Set // what each recipient has read
	broke   int                     // downloads that broke off
	films   []string                // acknowledged, by item
	worse   *worse                  // what else goes wrong in a long one; nil in a short one
}

// How long it goes on, and from which seed: AFTERGUST_SOAK=30m AFTERGUST_SOAK_SEED=7 make soak.
func soakFor(t *testing.T) (long bool, d time.Duration, seed uint64) {
	t.Helper()
	d, seed = 14*time.Second, uint64(1)
	if text := os.Getenv("AFTERGUST_SOAK"); text != "" {
		var err error
		d, err = time.ParseDuration(text)
		require.NoError(t, err)
		long = true
	}
	if text := os.Getenv("AFTERGUST_SOAK_SEED"); text != "" {
		var err error
		seed, err = strconv.ParseUint(text, 10, 64)
		require.NoError(t, err)
	}
	return long, d, seed
}

func TestWhatWasSaidToBeDoneOutlivesKillsAtRandom(t *testing.T) {
	t.Parallel() // it waits more than it works
	long, d, seed := soakFor(t)
	t.Logf("seed %d, for %s", seed, d)
	next := seed
	var seeds sync.Mutex
	s := &soak{t: t, uploads: map[string]sum256{}, sent: map[string]string{}, got: map[string]coverage.Set{},
		chance: func() *rand.Rand {
			seeds.Lock()
			defer seeds.Unlock()
			next++
			return rand.New(rand.NewPCG(seed, next))
		}}
	var settings []string
	if long {
		s.worse = newWorse(t)
		settings = s.worse.settings()
	}
	s.binary = startBinary(t, settings...)
	p, content := s.furnish()
	ctx, over := context.WithTimeout(t.Context(), d)
	defer over()
	s.ctx = ctx
	var all sync.WaitGroup
	for range 2 {
		all.Go(func() { s.upload(p.ID, s.chance()) })
	}
	for _, who := range p.Recipients {
		all.Go(func() { s.download(who, p.Items[0], content, s.chance()) })
	}
	all.Go(func() { s.note(p.Items[0].ID) })
	all.Go(func() { s.send(s.chance()) })
	if long {
		s.worse.begin(s)
		all.Go(func() { s.film(p.ID, s.chance()) })
		all.Go(func() { s.killTools(s.chance()) })
	}
	kills := s.killer(s.chance())
	all.Wait()
	if long {
		s.worse.mail.hush(false)
		t.Logf("the power was cut %d times, and %d tools were killed", s.worse.cuts, s.worse.tools)
	}
	t.Logf("%d kills and stops, %d downloads broke off, %d uploads, %d notes, %d packages", kills, s.broke, len(s.uploads), len(s.notes), len(s.sent))
	s.check(p, long)
}

// furnish makes a package with a file of eight million bytes that two people take.
func (s *soak) furnish() (p apptest.Package, content []byte) {
	s.t.Helper()
	file := apptest.File(s.t, "film.bin", 8_000_000)
	content, err := os.ReadFile(file)
	require.NoError(s.t, err)
	do := func(method, path string, in, out any) {
		require.NoError(s.t, s.owner.Do(s.t.Context(), method, "/api/v1"+path, in, out))
	}
	do("POST", "/packages", nil, &p)
	_, err = s.owner.Upload(s.t.Context(), p.ID, file, "")
	require.NoError(s.t, err)
	for _, name := range []string{"hanne", "tomos"} {
		do("POST", "/packages/"+p.ID+"/recipients", map[string]any{"address": name + "@kelpwick.example", "rights": lookNoteTake}, nil)
	}
	do("POST", "/packages/"+p.ID+"/send", nil, &p)
	return p, content
}

// killer ends the server again and again, in one of two ways, until the time is over.
func (s *soak) killer(chance *rand.Rand) (times int) {
	for {
		select {
		case <-s.ctx.Done():
			return times
		case <-time.After(time.Duration(800+chance.IntN(2500)) * time.Millisecond):
		}
		if s.worse != nil && chance.IntN(2) == 0 {
			s.worse.happens(s, chance.IntN(4))
			times++
			continue
		}
		if chance.IntN(3) == 0 {
			require.NoError(s.t, s.cmd.Process.Signal(syscall.SIGTERM))
			_ = s.cmd.Wait() // it ends as it likes
			s.cmd = nil
		} else {
			s.kill(s.t)
		}
		times++
		s.start(s.t)
	}
}

func (s *soak) ask(method, address string, body []byte, headers ...string) (*http.Response, error) {
	if s.worse != nil && len(body)%2 == 1 { // now one process, now the other
		address = strings.Replace(address, s.base, s.worse.base, 1)
	}
	request, err := http.NewRequestWithContext(s.ctx, method, address, bytes.NewReader(body))
	if err != nil {
		return nil, err
	}
	if strings.HasPrefix(request.URL.Path, "/api/") { // whoever comes by a link is nobody that works here
		request.Header.Set("Authorization", "Bearer "+s.owner.Token)
	}
	for _, h := range headers {
		name, value, _ := strings.Cut(h, ": ")
		request.Header.Set(name, value)
	}
	return http.DefaultClient.Do(request)
}

// upload sends files as a tus client does: after each break it asks how far it is and goes on.
func (s *soak) upload(parcel string, chance *rand.Rand) {
	for n := 0; s.ctx.Err() == nil; n++ {
		content := make([]byte, 200_000+chance.IntN(3_000_000))
		for i := range content {
			content[i] = byte(chance.Uint32())
		}
		location, err := s.owner.BeginUpload(s.ctx, map[string]string{"package": parcel, "filename": fmt.Sprintf("%d.bin", chance.Uint32())}, int64(len(content)))
		if err != nil {
			time.Sleep(100 * time.Millisecond)
			continue
		}
		item, acknowledged := "", int64(0)
		for item == "" && s.ctx.Err() == nil {
			if item, err = s.resume(location, content, &acknowledged); err != nil {
				time.Sleep(100 * time.Millisecond)
			}
			if errors.Is(err, errForgotten) {
				break
			}
		}
		if item != "" {
			s.mu.Lock()
			s.uploads[item] = sha256.Sum256(content)
			s.mu.Unlock()
		}
	}
}

var errForgotten = errors.New("it was forgotten")

func (s *soak) resume(location string, content []byte, acknowledged *int64) (item string, err error) {
	head, err := s.ask(http.MethodHead, location, nil, "Tus-Resumable: 1.0.0")
	if err != nil {
		return "", err
	}
	_ = head.Body.Close() // it has none
	if head.StatusCode == http.StatusNotFound && *acknowledged == 0 {
		return "", errForgotten // the power went before anything of it was said to be safe
	}
	if head.StatusCode != http.StatusOK {
		return "", errors.New(head.Status)
	}
	at, err := strconv.ParseInt(head.Header.Get("Upload-Offset"), 10, 64)
	if err != nil {
		return "", err
	}
	if at < *acknowledged {
		s.t.Errorf("%d bytes were acknowledged, and are %d now", *acknowledged, at)
	}
	*acknowledged = at
	if at == int64(len(content)) {
		return head.Header.Get("Aftergust-Item"), nil
	}
	patch, err := s.ask(http.MethodPatch, location, content[at:], "Tus-Resumable: 1.0.0", fmt.Sprintf("Upload-Offset: %d", at),
		"Content-Type: application/offset+octet-stream")
	if err != nil {
		return "", err
	}
	_ = patch.Body.Close() // nor has this
	if patch.StatusCode != http.StatusNoContent {
		return "", errors.New(patch.Status)
	}
	return patch.Header.Get("Aftergust-Item"), nil
}

// download takes a file again and again, slowly, from random places on, and keeps what it read.
func (s *soak) download(who apptest.Person, item apptest.Item, content []byte, chance *rand.Rand) {
	buffer := make([]byte, 64<<10)
	for s.ctx.Err() == nil {
		from := chance.Int64N(int64(len(content)))
		answer, err := s.ask(http.MethodGet, s.base+who.Path(item), nil, fmt.Sprintf("Range: bytes=%d-", from))
		if err != nil {
			time.Sleep(50 * time.Millisecond)
			continue
		}
		at := from
		for answer.StatusCode == http.StatusPartialContent {
			n, err := answer.Body.Read(buffer)
			if !bytes.Equal(content[at:at+int64(n)], buffer[:n]) {
				s.t.Errorf("wrong bytes at %d", at)
			}
			at += int64(n)
			if err != nil {
				if !errors.Is(err, io.EOF) {
					s.mu.Lock()
					s.broke++
					s.mu.Unlock()
				}
				break
			}
			time.Sleep(time.Duration(chance.IntN(8)) * time.Millisecond)
		}
		_ = answer.Body.Close() // all of it was read
		s.mu.Lock()
		s.got[who.ID] = s.got[who.ID].Add(coverage.Range{Start: from, End: at})
		s.mu.Unlock()
	}
}

func (s *soak) note(item string) {
	for n := 0; s.ctx.Err() == nil; n++ {
		text := fmt.Sprintf("note %d", n)
		err := s.owner.Do(s.ctx, "POST", "/api/v1/items/"+item+"/notes", map[string]any{"anchor": map[string]any{}, "text": text}, nil)
		if err == nil {
			s.mu.Lock()
			s.notes = append(s.notes, text)
			s.mu.Unlock()
		}
		time.Sleep(60 * time.Millisecond)
	}
}

// send makes packages of a sheet and sends them to somebody each.
func (s *soak) send(chance *rand.Rand) {
	for n := 0; s.ctx.Err() == nil; n++ {
		var p apptest.Package
		address := fmt.Sprintf("guest%d@brindlefen.example", n)
		do := func(method, path string, in any) error { return s.owner.Do(s.ctx, method, "/api/v1"+path, in, &p) }
		file := apptest.File(s.t, "sheet.bin", 900+chance.IntN(900))
		err := do("POST", "/packages", nil)
		if err == nil {
			_, err = s.owner.Upload(s.ctx, p.ID, file, "")
		}
		if err == nil {
			id := p.ID
			err = do("POST", "/packages/"+id+"/recipients", map[string]any{"address": address, "rights": lookNoteTake})
			p.ID = id
		}
		if err == nil {
			err = do("POST", "/packages/"+p.ID+"/send", nil)
		}
		if err == nil {
			s.mu.Lock()
			s.sent[p.ID] = address
			s.mu.Unlock()
		}
		time.Sleep(150 * time.Millisecond)
	}
}

// mostLookedAt is how many uploads are read back at the end: half an hour makes ten thousand.
const mostLookedAt = 1500

// check looks whether all that was said to be done is so.
func (s *soak) check(p apptest.Package, long bool) {
	s.ctx = s.t.Context()
	get := func(path string, out any) {
		err := s.owner.Do(s.ctx, "GET", "/api/v1"+path, nil, out)
		for ; err != nil && strings.Contains(err.Error(), "too_many_requests"); err = s.owner.Do(s.ctx, "GET", "/api/v1"+path, nil, out) {
			time.Sleep(5 * time.Second) // there are thousands to ask for after half an hour
		}
		require.NoError(s.t, err)
	}
	left := mostLookedAt
	for item, sum := range s.uploads { // in no order
		if left--; left < 0 {
			break
		}
		var thing struct{ Version string }
		get("/things/"+item, &thing)
		answer, err := s.ask(http.MethodGet, s.base+"/api/v1/versions/"+thing.Version+"/original", nil)
		require.NoError(s.t, err)
		whole := sha256.New()
		_, err = io.Copy(whole, answer.Body)
		require.NoError(s.t, errors.Join(err, answer.Body.Close()))
		assert.Equal(s.t, sum[:], whole.Sum(nil), "an upload that was acknowledged")
	}
	var notes []struct{ Body string }
	get("/packages/"+p.ID+"/notes", &notes)
	there := map[string]int{}
	for _, n := range notes {
		there[n.Body]++
	}
	for _, text := range s.notes {
		assert.Positive(s.t, there[text], text)
	}
	var ledger struct{ Rows []apptest.Row }
	get("/packages/"+p.ID+"/ledger", &ledger)
	for _, row := range ledger.Rows {
		cell := row.Cells[slices.IndexFunc(row.Cells, func(c apptest.Cell) bool { return c.Item == p.Items[0].ID })]
		claimed := coverage.Of(cell.Bytes...)
		if cell.Complete {
			claimed = coverage.Of(coverage.Range{End: p.Items[0].Size})
		}
		assert.Positive(s.t, claimed.Len(), "something is claimed")
		assert.Equal(s.t, s.got[row.ID], s.got[row.ID].Union(claimed), "%s: nothing is claimed that was not read", row.Name)
	}
	for id, address := range s.sent {
		var out apptest.Package
		get("/packages/"+id, &out)
		assert.Equal(s.t, "out", out.State)
		if long { // the jobs of a killed process are taken over when it has been silent for long enough
			apptest.Eventually(s.t, "the letter to "+address, func() bool { return s.worse.hurried() && len(s.tray.Letters(address)) > 0 })
		}
	}
	for _, item := range s.films {
		apptest.Eventually(s.t, "a film has its preview", func() bool {
			var thing struct {
				State string `json:"media_state"`
			}
			get("/things/"+item, &thing)
			return s.worse.hurried() && thing.State == "ready"
		})
	}
	assert.NotEmpty(s.t, s.uploads)
	assert.NotEmpty(s.t, s.notes)
	assert.NotEmpty(s.t, s.sent)
	apptest.Eventually(s.t, "what is kept as a count is right", func() bool { return strings.Contains(s.run(s.t, "verify"), " 0 differences.") })
}
