package app_test

import (
	"archive/tar"
	"compress/gzip"
	"context"
	"encoding/json"
	"io"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"aftergust/internal/app"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/dev/demo"
	"aftergust/internal/ground/db"
	"aftergust/internal/parts/follow"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The files in testdata were made by the version before lines and ways in: a
// pg_dump --inserts of its database (migration 4), the folder with its blobs, and
// what its API answered, by the line at which it was asked. The studio has a
// project; one package that is out, with receipts, notes of each kind, a newer
// version and somebody taken off the waybill; one behind a passphrase, stopped;
// one draft behind a named door, with an item that lies only in it.
func unpackStudio4(t *testing.T, url, blobs string) (was map[string]json.RawMessage) {
	t.Helper()
	packed, err := os.Open("testdata/studio-4.sql.gz")
	require.NoError(t, err)
	defer packed.Close()
	dump, err := gzip.NewReader(packed)
	require.NoError(t, err)
	sql, err := io.ReadAll(dump)
	require.NoError(t, err)
	conn, err := pgx.Connect(t.Context(), url)
	require.NoError(t, err)
	defer conn.Close(context.Background())
	plain := regexp.MustCompile(`(?m)^\\.*$`).ReplaceAllString(asIfToday(sql), "") // lines for psql alone
	_, err = conn.PgConn().Exec(t.Context(), plain).ReadAll()
	require.NoError(t, err)

	files, err := os.Open("testdata/studio-4.blobs.tar.gz")
	require.NoError(t, err)
	defer files.Close()
	unzipped, err := gzip.NewReader(files)
	require.NoError(t, err)
	for entries := tar.NewReader(unzipped); ; {
		header, err := entries.Next()
		if err == io.EOF {
			break
		}
		require.NoError(t, err)
		if header.Typeflag != tar.TypeReg {
			continue
		}
		target := filepath.Join(blobs, filepath.Clean("/"+header.Name))
		require.NoError(t, os.MkdirAll(filepath.Dir(target), 0o700))
		content, err := io.ReadAll(entries)
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(target, content, 0o600))
	}
	answers, err := os.ReadFile("testdata/studio-4.json")
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal([]byte(asIfToday(answers)), &was))
	return was
}

var (
	studio4Made = time.Date(2026, 11, 26, 8, 50, 27, 0, time.UTC)
	second      = regexp.MustCompile(`\b(\d{4}-\d\d-\d\d)([ T])(\d\d:\d\d:\d\d)`)
	sinceMade   = time.Since(studio4Made).Truncate(time.Second) // one shift for the dump and the answers
)

// asIfToday shifts every moment in a fixture, so that the studio in it was made just now:
// a package that was out when the fixture was made is out on any day the test runs. Whole
// seconds, so that the fractions stay as they were written.
func asIfToday(fixture []byte) string {
	return second.ReplaceAllStringFunc(string(fixture), func(written string) string {
		m := second.FindStringSubmatch(written)
		at, err := time.Parse(time.DateTime, m[1]+" "+m[3])
		if err != nil {
			return written
		}
		at = at.Add(sinceMade)
		return at.Format(time.DateOnly) + m[2] + at.Format(time.TimeOnly)
	})
}

// fields are the values at some paths of an answer, such as rows.saying, of all
// elements of the lists on the way.
func fields(t *testing.T, raw json.RawMessage, paths ...string) map[string][]any {
	t.Helper()
	var all any
	require.NoError(t, json.Unmarshal(raw, &all))
	out := map[string][]any{}
	var walk func(at any, rest []string, path string)
	walk = func(at any, rest []string, path string) {
		if list, ok := at.([]any); ok {
			for _, one := range list {
				walk(one, rest, path)
			}
			return
		}
		if len(rest) == 0 {
			out[path] = append(out[path], at)
			return
		}
		object, _ := at.(map[string]any)
		walk(object[rest[0]], rest[1:], path)
	}
	for _, path := range paths {
		walk(all, strings.Split(path, "."), path)
	}
	return out
}

// A binary that was put back would start, say that it is ready, and answer 500.
func TestADatabaseOfANewerVersionIsRefusedAtTheStart(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	s.Halt(t)
	defer s.Resume(t)
	conn, err := pgx.Connect(t.Context(), s.Config.DatabaseURL)
	require.NoError(t, err)
	defer conn.Close(context.Background())
	_, err = conn.Exec(t.Context(), "insert into goose_db_version (version_id, is_applied) values (90000, true)")
	require.NoError(t, err)
	_, err = app.Start(t.Context(), s.Config)
	require.ErrorIs(t, err, db.ErrNewer)
	require.ErrorIs(t, app.Work(t.Context(), s.Config), db.ErrNewer)
	require.ErrorIs(t, app.With(t.Context(), s.Config, func(app.Parts) error { return nil }), db.ErrNewer)
	_, err = conn.Exec(t.Context(), "delete from goose_db_version where version_id = 90000")
	require.NoError(t, err)
}

func TestAStudioOfTheVersionBeforeMigratesWithAllThatHangsOnIt(t *testing.T) {
	t.Parallel()
	var was map[string]json.RawMessage
	s := apptest.Resume(t, pg, func(c *app.Config) {
		c.DatabaseURL = pg.Fresh(t) // without what today's version would make of it
		was = unpackStudio4(t, c.DatabaseURL, c.Blobs)
	})
	var ids map[string]string
	require.NoError(t, json.Unmarshal(was["ids"], &ids))
	now := func(path string) (raw json.RawMessage) {
		s.Do(t, "GET", path, nil, &raw)
		return raw
	}
	for _, name := range []string{"one", "two", "three"} {
		id := ids[name]
		paths := []string{
			"id",
			"title",
			"cover_letter",
			"door",
			"has_passphrase",
			"state",
			"stopped",
			"sent_at",
			"ends_at",
			"size",
			"sentence.text",
			"items.id",
			"items.name",
			"items.folder",
			"items.size",
			"items.version",
			"items.number",
			"items.about",
			"items.pages",
			"items.title",
			"items.lead",
			"items.data",
			"recipients.id",
			"recipients.name",
			"recipients.email",
			"recipients.rights",
			"recipients.zone",
			"recipients.link",
			"recipients.ends",
		}
		if name == "three" {
			paths = append(paths[:7], paths[9:]...) // a draft ends so many days after now
			paths = paths[:len(paths)-1]
		}
		before, after := fields(t, was[id], paths...), fields(t, now("/packages/"+id), paths...)
		for _, path := range paths {
			if path == "recipients.zone" || path == "recipients.ends" || path == "sentence.text" {
				continue // somebody whose clock was seen once is known by it in every package from now on
			}
			if path == "recipients.name" && name == "two" {
				assert.Equal(t, []any{"H. Orrick"}, after[path], "as this waybill calls her")
			}
			assert.NotEmpty(t, before[path], "%s is a path", path)
			assert.Equal(t, before[path], after[path], "%s of %s", path, name)
		}
		ledger := []string{
			"items.id",
			"rows.id",
			"rows.name",
			"rows.status",
			"rows.saying",
			"rows.outstanding",
			"rows.delivered",
			"rows.owed",
			"rows.completed_at",
			"rows.opened_at",
			"rows.last_seen_at",
			"rows.removed",
			"rows.cells.bytes",
			"rows.cells.played",
			"rows.cells.complete",
			"rows.cells.completed_at",
			"rows.cells.looked_at",
			"rows.cells.behind",
			"rows.cells.saying",
		}
		assert.Equal(t, fields(t, was[id+"/ledger"], ledger...), fields(t, now("/packages/"+id+"/ledger"), ledger...), "ledger of %s", name)
		notes := []string{
			"id",
			"item",
			"version",
			"author",
			"studio",
			"body",
			"at",
			"done",
			"place.label",
			"place.frame",
			"anchor.at_us",
			"anchor.until_us",
			"anchor.x",
			"answers.body",
		}
		assert.Equal(t, fields(t, was[id+"/notes"], notes...), fields(t, now("/packages/"+id+"/notes"), notes...), "notes of %s", name)
		story := []string{"id", "kind", "recipient", "member", "version", "at"}
		assert.Equal(t, fields(t, was[id+"/story"], story...), fields(t, now("/packages/"+id+"/story"), story...), "story of %s", name)
	}
	anchors := fields(t, now("/packages/"+ids["one"]+"/notes"), "anchor.when", "anchor.where")
	assert.ElementsMatch(t, []any{"moment", nil, "span", nil}, anchors["anchor.when"])
	assert.ElementsMatch(t, []any{nil, "spot", nil, nil}, anchors["anchor.where"])

	desk := []string{
		"out.id",
		"out.items",
		"out.weight",
		"out.open_notes",
		"out.share",
		"out.strands.id",
		"out.strands.saying",
		"needs.kind",
		"needs.saying",
		"used",
		"freed.bytes",
	}
	assert.Equal(t, fields(t, was["desk"], desk...), fields(t, now("/desk"), desk...))

	// Links still open, on what they opened; a link of somebody removed does not.
	page := s.Get(t, "/api/v1/r/"+ids["hanne"])
	guest := []string{
		"standing",
		"title",
		"sender",
		"recipient",
		"rights",
		"weight",
		"archive_size",
		"items.id",
		"items.take",
		"items.have",
		"items.delivered",
	}
	after := fields(t, page.Body, guest...)
	for i, take := range after["items.take"] { // addresses name the version since; those of before still lead to it
		after["items.take"][i], _, _ = strings.Cut(take.(string), "?")
	}
	assert.Equal(t, "older", after["items.have"][2], "and what is newer than what they have says so")
	after["items.have"][2] = ""
	assert.Equal(t, fields(t, was["page"], guest...), after)
	assert.Equal(t, []any{"removed"}, fields(t, s.Get(t, "/api/v1/r/"+ids["piet"]).Body, "standing")["standing"])
	for _, take := range fields(t, page.Body, "items.take")["items.take"] {
		answer := s.Get(t, take.(string))
		assert.Equal(t, 200, answer.StatusCode)
	}
	assert.Equal(t, 200, s.Get(t, fields(t, page.Body, "archive")["archive"][0].(string)).StatusCode)

	_, err := s.App.Verifier.Verify(t.Context(), false, func(d follow.Difference) { t.Errorf("%s", d) })
	require.NoError(t, err)
	var people []string
	rows, err := s.App.Store.Pool().Query(t.Context(), "select name || ' ' || email || ' ' || zone from person order by email")
	require.NoError(t, err)
	people, err = pgx.CollectRows(rows, pgx.RowTo[string])
	require.NoError(t, err)
	require.Len(t, people, 3, "the same address is the same person, however it was written")
	assert.Contains(t, people[0], "America/New_York", "her clock is known from the package that she opened")

	// And it goes on: what comes now adds to what was.
	tomos := demo.NewClient(s.Base, "")
	for _, take := range fields(t, s.Get(t, "/api/v1/r/"+ids["tomos"]).Body, "items.take")["items.take"] {
		_, err := tomos.Fetch(t.Context(), take.(string), "")
		require.NoError(t, err)
	}
	rowsNow := s.Ledger(t, ids["one"])
	assert.Equal(t, "everything", rowsNow[1].Status)
	assert.False(t, rowsNow[1].Outstanding)
	_, err = s.App.Verifier.Verify(t.Context(), false, func(d follow.Difference) { t.Errorf("%s", d) })
	require.NoError(t, err)
}
