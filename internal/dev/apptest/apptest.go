// Package apptest starts a whole Aftergust for a test: a database of its own, a
// mail tray, a folder for bytes, and a studio with an owner.
package apptest

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"maps"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"aftergust/core/file/coverage"
	"aftergust/core/media/piece"
	"aftergust/internal/app"
	"aftergust/internal/dev/demo"
	"aftergust/internal/dev/pgserver"
	"aftergust/internal/dev/standin"
	"aftergust/internal/ground"
	"aftergust/internal/who/account"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"
)

// The owner of every test's studio.
const (
	Email    = "marit@lowtide.example"
	Password = "low-tide-at-noon"
)

// A Studio is a running Aftergust with somebody who works in it.
type Studio struct {
	App    *app.App
	Tray   *standin.Tray
	Base   string
	Owner  *demo.Client // speaks the API as the owner, by bearer token
	Config app.Config
	Blobs  string
}

// Start starts one on a fresh database of pg, until the test ends. change may
// alter its settings before.
func Start(t testing.TB, pg *pgserver.Server, change ...func(*app.Config)) *Studio {
	t.Helper()
	s := open(t, pg, change...)
	_, err := s.App.Account.Found(t.Context(), "Low Tide Pictures", "Europe/London", account.Member{Name: "Marit Oyelaran", Email: Email},
		Password)
	require.NoError(t, err)
	s.own(t)
	return s
}

// Resume starts one on a database in which a studio with the owner is already, as
// change brings it there.
func Resume(t testing.TB, pg *pgserver.Server, change ...func(*app.Config)) *Studio {
	t.Helper()
	s := open(t, pg, change...)
	s.own(t)
	return s
}

// Unfounded starts one on a fresh database, in which there is no studio yet.
func Unfounded(t testing.TB, pg *pgserver.Server, change ...func(*app.Config)) *Studio {
	t.Helper()
	return open(t, pg, change...)
}

// own makes the owner's client.
func (s *Studio) own(t testing.TB) {
	t.Helper()
	token, err := s.App.Account.NewToken(t.Context(), Email, "test")
	require.NoError(t, err)
	s.Owner = demo.NewClient(s.Base, token)
}

func open(t testing.TB, pg *pgserver.Server, change ...func(*app.Config)) *Studio {
	t.Helper()
	tray, err := standin.Open("127.0.0.1:0", t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { _ = tray.Close() })
	s := &Studio{Tray: tray, Blobs: filepath.Join(t.TempDir(), "blobs")}
	s.Config = app.Config{Addr: "127.0.0.1:0", DatabaseURL: Migrated(t, pg), Blobs: s.Blobs, BaseURL: "http://studio.example", SMTPURL: tray.URL(),
		MailFrom: "hello@lowtide.example", Secrets: Secrets("test-secret-"), Work: true, LogLevel: slog.LevelError}
	for _, c := range change {
		c(&s.Config)
	}
	s.App, err = app.Start(t.Context(), s.Config)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.App.Stop(context.Background())) })
	s.Config.Addr = s.App.Addr // where it resumes
	s.Base = "http://" + s.App.Addr
	return s
}

// Secrets are an installation's, made of a text that is not secret at all.
func Secrets(text string) ground.Secrets {
	const length = 48
	s, err := ground.ReadSecrets(strings.Repeat(text, length/len(text)))
	if err != nil {
		panic(err)
	}
	return s
}

// Halt stops the server, as an update of it would.
func (s *Studio) Halt(t testing.TB) {
	t.Helper()
	require.NoError(t, s.App.Stop(context.Background()))
}

// Resume starts it again on the same address, with the same data.
func (s *Studio) Resume(t testing.TB) {
	t.Helper()
	var err error
	s.App, err = app.Start(t.Context(), s.Config)
	require.NoError(t, err)
}

// LoseDatabase takes the database away, as a restart of it would, and returns how it
// comes back.
func (s *Studio) LoseDatabase(t testing.TB, pg *pgserver.Server) (back func()) {
	t.Helper()
	at, err := url.Parse(s.Config.DatabaseURL)
	require.NoError(t, err)
	name := strings.TrimPrefix(at.Path, "/")
	allow := func(connections bool) {
		conn, err := pgx.Connect(context.Background(), pg.URL("postgres"))
		require.NoError(t, err)
		defer conn.Close(context.Background())
		_, err = conn.Exec(context.Background(), fmt.Sprintf("alter database %s allow_connections %t", pgx.Identifier{name}.Sanitize(), connections))
		require.NoError(t, err)
		if !connections {
			_, err = conn.Exec(context.Background(), "select pg_terminate_backend(pid) from pg_stat_activity where datname = $1", name)
			require.NoError(t, err)
		}
	}
	allow(false)
	return sync.OnceFunc(func() { allow(true) })
}

// File writes a file of size bytes that do not repeat soon and returns its path.
func File(t testing.TB, name string, size int) string {
	t.Helper()
	content := make([]byte, size)
	state := uint64(len(name))*0x9e3779b97f4a7c15 + uint64(size)
	for i := range content {
		state ^= state << 13
		state ^= state >> 7
		state ^= state << 17
		content[i] = byte(state)
	}
	path := filepath.Join(t.TempDir(), name)
	require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
	require.NoError(t, os.WriteFile(path, content, 0o644))
	return path
}

// An Item is an item as the API gives it; fields that tests look at.
type Item struct {
	ID         string
	Name       string
	Size       int64
	What       string
	MediaState string `json:"media_state"`
	Have       string
	Take       string
	Look       string
	Version    string
	Facts      piece.Facts
}

// A Package is a package as the API gives it.
type Package struct {
	ID         string
	Title      string
	State      string
	Items      []Item
	Recipients []Person
	Letters    []struct{ To, State, Problem string }
	Warnings   []struct {
		Code   string
		Blocks bool
	}
	Sentence []struct{ Text string }
}

// A Person is a recipient with their link.
type Person struct {
	ID     string
	Name   string
	Email  string
	Link   string
	Letter string
}

// Token is the secret part of a person's link.
func (p Person) Token() string { return p.Link[strings.LastIndex(p.Link, "/")+1:] }

// API is the path of the API for this person's link.
func (p Person) API() string { return "/api/v1/r/" + p.Token() }

// Do calls the API as the owner and fails the test on any error.
func (s *Studio) Do(t testing.TB, method, path string, in, out any) {
	t.Helper()
	require.NoError(t, s.Owner.Do(t.Context(), method, "/api/v1"+path, in, out))
}

// Pack makes a draft with the files, and people with the rights.
func (s *Studio) Pack(t testing.TB, files []string, people map[string][]string) Package {
	t.Helper()
	var p Package
	s.Do(t, "POST", "/packages", nil, &p)
	for _, file := range files {
		_, err := s.Owner.Upload(t.Context(), p.ID, file, "")
		require.NoError(t, err)
	}
	for _, address := range slices.Sorted(maps.Keys(people)) { // in one order, so that the first is always the same
		rights := people[address]
		if address == "anyone" {
			address = ""
		}
		s.Do(t, "POST", "/packages/"+p.ID+"/recipients", map[string]any{"address": address, "rights": rights}, nil)
	}
	return s.Package(t, p.ID)
}

// Send sends a draft.
func (s *Studio) Send(t testing.TB, p Package) Package {
	t.Helper()
	s.Do(t, "POST", "/packages/"+p.ID+"/send", nil, &p)
	return p
}

// Package looks at a package anew.
func (s *Studio) Package(t testing.TB, id string) (p Package) {
	t.Helper()
	s.Do(t, "GET", "/packages/"+id, nil, &p)
	return p
}

// Path is where an item of a package can be taken.
func (p Person) Path(item Item) string { return "/r/" + p.Token() + "/take/" + item.ID + "/file" }

// A Cell is a cell of the ledger.
type Cell struct {
	Item      string
	Delivered int64
	Complete  bool
	Bytes     []coverage.Range
	Played    []coverage.Range
	Saying    string
}

// A Row is a row of the ledger.
type Row struct {
	ID, Name, Status, Saying string
	Outstanding              bool
	Cells                    []Cell
}

// Cells0 is how much was delivered of the first item, 0 where it was withdrawn.
func (r Row) Cells0() int64 {
	if len(r.Cells) == 0 {
		return 0
	}
	return r.Cells[0].Delivered
}

// Ledger is the ledger of a package, once receipts that are due are written.
func (s *Studio) Ledger(t testing.TB, id string) []Row {
	t.Helper()
	// A download is over for its reader a moment before the server has seen the last
	// acknowledgement. One that a test holds open is not waited for.
	for until := time.Now().Add(time.Second); s.App.API.Downloads() > 0 && time.Now().Before(until); {
		time.Sleep(5 * time.Millisecond)
	}
	require.NoError(t, s.App.Receive.Recorder.Flush(t.Context()))
	var l struct{ Rows []Row }
	s.Do(t, "GET", "/packages/"+id+"/ledger", nil, &l)
	return l.Rows
}

// Events counts the events of a kind.
func (s *Studio) Events(t testing.TB, id, kind string) (n int) {
	t.Helper()
	var events []struct{ Kind string }
	s.Do(t, "GET", "/packages/"+id+"/story", nil, &events)
	for _, e := range events {
		if e.Kind == kind {
			n++
		}
	}
	return n
}

// Patience is how long a test waits for what may never come. It is far beyond what a
// slow machine takes: a wait ends with what it waits for.
const Patience = 3 * time.Minute

// Eventually waits until ok, for things that happen behind a request.
func Eventually(t testing.TB, what string, ok func() bool) {
	t.Helper()
	deadline := time.Now().Add(Patience)
	for !ok() {
		if time.Now().After(deadline) {
			t.Fatalf("it did not happen: %s", what)
		}
		time.Sleep(50 * time.Millisecond)
	}
}

// Letter waits for a letter to an address whose subject holds about.
func (s *Studio) Letter(t testing.TB, to, about string) standin.Letter {
	t.Helper()
	var found standin.Letter
	Eventually(t, "a letter to "+to+" about "+about, func() bool {
		for _, l := range s.Tray.Letters(to) {
			if strings.Contains(l.Subject, about) {
				found = l
				return true
			}
		}
		return false
	})
	return found
}

// An Answer is a plain HTTP answer, read whole.
type Answer struct {
	*http.Response
	Body []byte
}

// Problem is the stable name of the problem in an answer, empty where it is none.
func (a Answer) Problem() string {
	var p struct{ Code, Detail string }
	if json.Unmarshal(a.Body, &p) != nil {
		return ""
	}
	return p.Code
}

// Get fetches a path as nobody in particular, with headers as "Name: value".
func (s *Studio) Get(t testing.TB, path string, headers ...string) Answer {
	t.Helper()
	return s.Request(t, http.DefaultClient, http.MethodGet, path, nil, headers...)
}

// Request sends any request.
func (s *Studio) Request(t testing.TB, client *http.Client, method, path string, body io.Reader, headers ...string) Answer {
	t.Helper()
	request, err := http.NewRequestWithContext(t.Context(), method, s.Base+path, body)
	require.NoError(t, err)
	for _, h := range headers {
		name, value, _ := strings.Cut(h, ": ")
		request.Header.Set(name, value)
	}
	response, err := client.Do(request)
	require.NoError(t, err)
	defer response.Body.Close()
	read, err := io.ReadAll(response.Body)
	require.NoError(t, err)
	return Answer{response, read}
}

// Guest is a browser of its own for a person.
func (s *Studio) Guest() *demo.Client { return demo.NewClient(s.Base, "") }
