package letters_test

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"testing"
	"time"

	"aftergust/internal/dev/apptest"
	"aftergust/internal/dev/pgserver"
	"aftergust/internal/ground/jobs"
	"aftergust/internal/out/letters"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var pg *pgserver.Server

func TestMain(m *testing.M) { pgserver.Main(m, func(s *pgserver.Server) { pg = s }) }

// A server counts what reaches a mail server, and answers as it is told.
type server struct {
	came   int
	before error // it is not reached
	answer error // what it says once it has the letter
	then   func()
}

func (p *server) Send(_ context.Context, _ letters.Composed, begin func() error) error {
	if p.before != nil {
		return p.before
	}
	if err := begin(); err != nil {
		return err
	}
	p.came++
	if p.then != nil {
		p.then()
	}
	return p.answer
}

// waiting is a letter that has been written and has not gone.
func waiting(t *testing.T, h *apptest.House) (parcel, letter string) {
	t.Helper()
	p, _ := h.Sent(h.Mara, []string{h.File(h.Mara, "", "a.mov", "lifeboat").ID}, "hanne@kelpwick.example")
	require.NoError(t, h.Store.Pool().QueryRow(t.Context(), "select id from letter where parcel_id = $1", p.ID).Scan(&letter))
	return p.ID, letter
}

// said is what the waybill says of the letters of a package.
func said(t *testing.T, h *apptest.House, parcel string) (state, problem string) {
	t.Helper()
	p, err := h.Pack.Package(t.Context(), h.Mara, parcel)
	require.NoError(t, err)
	require.Len(t, p.Letters, 1)
	return string(p.Letters[0].State), p.Letters[0].LastError
}

func TestALetterGoesOnceAndWhatIsRefusedForGoodGoesNoMore(t *testing.T) {
	h := apptest.Build(t, pg)
	server := &server{before: errors.New("connection refused")}
	worker := letters.NewWorker(h.Letters, letters.Outgoing{Post: server, Log: slog.New(slog.DiscardHandler)})
	parcel, letter := waiting(t, h)
	require.Error(t, worker.Work(t.Context(), letter), "and River tries again")
	state, problem := said(t, h, parcel)
	assert.Equal(t, []string{"waiting", "The mail server did not take it. It is tried again by itself."}, []string{state, problem})
	server.before = nil
	require.NoError(t, worker.Work(t.Context(), letter))
	state, problem = said(t, h, parcel)
	assert.Equal(t, []string{"sent", ""}, []string{state, problem})
	require.NoError(t, worker.Work(t.Context(), letter))
	assert.Equal(t, 1, server.came, "a job that runs twice sends once")

	parcel, letter = waiting(t, h)
	server.answer = &letters.Refusal{Words: "550 5.1.1 no such person"}
	require.NoError(t, worker.Work(t.Context(), letter), "there is nothing to try again")
	state, problem = said(t, h, parcel)
	assert.Equal(t, "refused", state)
	assert.Contains(t, problem, "550 5.1.1 no such person")
	require.NoError(t, worker.Work(t.Context(), letter))
	assert.Equal(t, 2, server.came)
}

func TestALetterThatMayHaveGoneGoesAgainAndThatIsSaid(t *testing.T) {
	h := apptest.Build(t, pg)
	server := &server{answer: fmt.Errorf("%w: connection reset", letters.ErrUncertain)}
	worker := letters.NewWorker(h.Letters, letters.Outgoing{Post: server, Log: slog.New(slog.DiscardHandler)})
	parcel, letter := waiting(t, h)
	require.Error(t, worker.Work(t.Context(), letter), "and River tries again")
	state, problem := said(t, h, parcel)
	assert.Equal(t, "waiting", state)
	assert.Contains(t, problem, "may then arrive twice")
	server.answer = nil
	require.NoError(t, worker.Work(t.Context(), letter))
	state, problem = said(t, h, parcel)
	assert.Equal(t, []string{"sent", "It may have gone twice: the connection broke while the mail server was taking it."}, []string{state, problem})
}

// The mail server has the letter when the database goes: it is written down once the database is back, and does not
// go again meanwhile.
func TestALetterDoesNotGoTwiceBecauseTheDatabaseWasAway(t *testing.T) {
	h := apptest.Build(t, pg)
	parcel, letter := waiting(t, h)
	away := func(sql string) {
		_, err := h.Store.Pool().Exec(context.Background(), sql)
		require.NoError(t, err)
	}
	server := &server{then: func() { away("alter table letter rename to letter_away") }}
	worker := letters.NewWorker(h.Letters, letters.Outgoing{Post: server, Log: slog.New(slog.DiscardHandler)})
	short, cancel := context.WithTimeout(t.Context(), 1500*time.Millisecond)
	defer cancel()
	require.Error(t, worker.Work(short, letter))
	away("alter table letter_away rename to letter")
	require.NoError(t, worker.Work(t.Context(), letter))
	assert.Equal(t, 1, server.came)
	state, problem := said(t, h, parcel)
	assert.Equal(t, []string{"sent", ""}, []string{state, problem})
}

// Killed while the mail server was taking it: another process cannot know whether it went.
func TestALetterOfAProcessThatDiedGoesAgainAndThatIsSaid(t *testing.T) {
	h := apptest.Build(t, pg)
	parcel, letter := waiting(t, h)
	dead := &server{answer: errors.New("we are gone"), then: func() {}}
	gone, cancel := context.WithCancel(t.Context())
	dead.then = func() { panic("killed") }
	func() {
		defer func() { _ = recover() }() // as a kill leaves it: begun, and nothing written
		_ = letters.NewWorker(h.Letters, letters.Outgoing{Post: dead, Log: slog.New(slog.DiscardHandler)}).Work(gone, letter)
	}()
	cancel()
	server := &server{}
	again := letters.NewWorker(h.Letters, letters.Outgoing{Post: server, Log: slog.New(slog.DiscardHandler)})
	require.NoError(t, again.Work(t.Context(), letter))
	state, problem := said(t, h, parcel)
	assert.Equal(t, "sent", state)
	assert.Equal(t, "It may have gone twice: the connection broke while the mail server was taking it.", problem)
}

// Source: River's states of a job; a job belongs to the process that began it last.
func TestJobsOfAProcessThatIsGoneAreTakenOverAndThoseOfOthersAreNot(t *testing.T) {
	h := apptest.Build(t, pg)
	for range 4 {
		waiting(t, h)
	}
	ids := []int64{}
	rows, err := h.Store.Pool().Query(t.Context(), "select id from river_job where kind = 'letter' order by id")
	require.NoError(t, err)
	for rows.Next() {
		var id int64
		require.NoError(t, rows.Scan(&id))
		ids = append(ids, id)
	}
	require.Len(t, ids, 4)
	run := func(id int64, process string, attempt int) {
		_, err := h.Store.Pool().Exec(t.Context(), `update river_job set state = 'running', attempt = $3, max_attempts = 5, attempted_at = now(),
			attempted_by = array['someone', $2] where id = $1`, id, process, attempt)
		require.NoError(t, err)
	}
	run(ids[0], "dead", 1)
	run(ids[1], "silent", 1)
	run(ids[2], "alive", 1)
	run(ids[3], "dead", 5)
	require.NoError(t, jobs.Rows{DB: h.Store}.Beat(t.Context(), "alive"))
	require.NoError(t, jobs.Rows{DB: h.Store}.Beat(t.Context(), "silent"))
	_, err = h.Store.Pool().Exec(t.Context(), "update process set seen_at = now() - interval '36 seconds' where id = 'silent'")
	require.NoError(t, err)
	n, err := jobs.Rows{DB: h.Store}.TakeOver(t.Context(), 35*time.Second)
	require.NoError(t, err)
	assert.EqualValues(t, 3, n)
	for i, want := range []string{"available", "available", "running", "discarded"} {
		var state string
		require.NoError(t, h.Store.Pool().QueryRow(t.Context(), "select state from river_job where id = $1", ids[i]).Scan(&state))
		assert.Equal(t, want, state, i)
	}
	require.NoError(t, jobs.Rows{DB: h.Store}.Leave(t.Context(), "alive"))
	n, err = jobs.Rows{DB: h.Store}.TakeOver(t.Context(), 35*time.Second)
	require.NoError(t, err)
	assert.EqualValues(t, 1, n, "who leaves is not waited for")
}
