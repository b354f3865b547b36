package review_test

import (
	"bytes"
	"context"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"aftergust/core/link/right"
	"aftergust/core/notes/review"
	"aftergust/core/record/event"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/files/keep"
	"aftergust/internal/parts/follow"
	"aftergust/internal/parts/pack"
	"aftergust/internal/parts/receive"
	reviewing "aftergust/internal/parts/review"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A table is one piece with a producer, a client who notes, and one who only looks.
type table struct {
	*apptest.House
	parcel        pack.Parcel
	item, content string
	marit         reviewing.Party
	hanne, tove   reviewing.Party
	lines         []pack.Line
}

func sit(t *testing.T) *table {
	t.Helper()
	h := apptest.Build(t, pg)
	item := h.File(h.Mara, "", "cut.mov", "one")
	p, lines := h.Sent(h.Mara, []string{item.ID}, "hanne@kelpwick.example", "tove@kelpwick.example")
	may := right.Rights{right.See}
	_, err := h.Pack.ChangeLine(t.Context(), h.Mara, lines[1].ID, pack.LineEdit{Rights: &may})
	require.NoError(t, err)
	inside, err := h.Receive.Inside(t.Context(), h.Enter(lines[0], "1"), pack.Place{})
	require.NoError(t, err)
	return &table{h, p, item.ID, inside.Contents[0].ID, reviewing.Studio(h.Mara),
		reviewing.Guest(h.Enter(lines[0], "1")), reviewing.Guest(h.Enter(lines[1], "1")), lines}
}

func (s *table) write(t *testing.T, p reviewing.Party, d reviewing.Draft) reviewing.Note {
	t.Helper()
	n, err := s.Review.Write(t.Context(), p, s.content, d)
	require.NoError(t, err)
	return n
}

func (s *table) room(t *testing.T, p reviewing.Party) reviewing.Room {
	t.Helper()
	r, err := s.Review.Room(t.Context(), p, s.content, "")
	require.NoError(t, err)
	return r
}

func TestAnEditKeepsWhatWasThereAndLosesNobodysWords(t *testing.T) {
	s := sit(t)
	n := s.write(t, s.hanne, reviewing.Draft{Body: "Louder."})
	edit := func(p reviewing.Party, edition int, body string) string {
		_, err := s.Review.Edit(t.Context(), p, n.ID, edition, body)
		return apptest.Code(t, err)
	}
	assert.Empty(t, edit(s.hanne, 1, " Much louder. "))
	assert.Equal(t, "edited", edit(s.hanne, 1, "From another window."))
	assert.Empty(t, edit(s.hanne, 2, "Much louder."), "the same words are no edit")
	assert.Equal(t, "no_right", edit(s.marit, 2, "Put into her mouth."))
	assert.Equal(t, "no_right", edit(s.tove, 2, "By somebody who only looks."))
	assert.Equal(t, "not_found", edit(reviewing.Studio(s.Odd), 2, "From another studio."))
	assert.Equal(t, "invalid", edit(s.hanne, 2, " "))
	former, err := s.Review.Former(t.Context(), s.tove, n.ID)
	require.NoError(t, err)
	require.Len(t, former, 1)
	assert.Equal(t, "Louder.", former[0].Text)
	now := s.room(t, s.marit).Notes[0]
	assert.Equal(t, []any{"Much louder.", 2}, []any{now.Body, now.Edition})

	var wins sync.Map
	var all sync.WaitGroup
	for _, words := range []string{"a", "b", "c", "d", "e", "f"} {
		all.Go(func() {
			_, err := s.Review.Edit(context.WithoutCancel(t.Context()), s.hanne, n.ID, 2, words)
			wins.Store(words, err == nil)
		})
	}
	all.Wait()
	won := 0
	wins.Range(func(_, ok any) bool {
		if ok.(bool) {
			won++
		}
		return true
	})
	assert.Equal(t, 1, won, "of six windows that edit at once one does")
	former, err = s.Review.Former(t.Context(), s.hanne, n.ID)
	require.NoError(t, err)
	assert.Len(t, former, 2)
}

func TestANoteIsTakenBackOnlyByWhoWroteItAndBeforeSomebodyAnswers(t *testing.T) {
	s := sit(t)
	n := s.write(t, s.hanne, reviewing.Draft{Body: "Louder."})
	_, err := s.Review.Answer(t.Context(), s.hanne, n.ID, reviewing.Draft{Body: "Or rather not."})
	require.NoError(t, err)
	remove := func(p reviewing.Party, id string) string { return apptest.Code(t, s.Review.Remove(t.Context(), p, id)) }
	assert.Equal(t, "no_right", remove(s.marit, n.ID))
	answer, err := s.Review.Answer(t.Context(), s.marit, n.ID, reviewing.Draft{Body: "Which?"})
	require.NoError(t, err)
	assert.Equal(t, "answered", remove(s.hanne, n.ID))
	assert.Empty(t, remove(s.marit, answer.ID))
	assert.Empty(t, remove(s.hanne, n.ID), "her own answer goes with it")
	assert.Equal(t, "not_found", remove(s.hanne, n.ID))
	assert.Empty(t, s.room(t, s.marit).Notes)
}

func TestWhatTheStudioKeepsToItselfIsNothingToOthers(t *testing.T) {
	s := sit(t)
	own := s.write(t, s.marit, reviewing.Draft{Body: "Budget is gone.", Private: true})
	_, err := s.Review.Answer(t.Context(), s.marit, own.ID, reviewing.Draft{Body: "Not quite."})
	require.NoError(t, err)
	theirs := s.write(t, s.hanne, reviewing.Draft{Body: "Louder.", Private: true})
	assert.False(t, theirs.Private, "only the studio keeps notes to itself")
	assert.Len(t, s.room(t, s.marit).Notes, 3)
	assert.Len(t, s.room(t, s.hanne).Notes, 1)
	_, err = s.Review.Answer(t.Context(), s.hanne, own.ID, reviewing.Draft{Body: "What?"})
	assert.Equal(t, "not_found", apptest.Code(t, err))
	assert.Equal(t, "not_found", apptest.Code(t, s.Review.SetDone(t.Context(), s.hanne, own.ID, true)))
	_, err = s.Review.Former(t.Context(), s.hanne, own.ID)
	assert.Equal(t, "not_found", apptest.Code(t, err))
	assert.Equal(t, "not_yours", apptest.Code(t, s.Review.SetPrivate(t.Context(), s.marit, theirs.ID, true)))
	story, err := s.Follow.Story(t.Context(), s.Mara, s.parcel.ID, follow.Moment{}, 100)
	require.NoError(t, err)
	noted := 0
	for _, e := range story {
		if e.Kind == event.Noted {
			noted++
		}
	}
	assert.Equal(t, 1, noted, "the story, of which a proof is made, does not tell of it")
	require.NoError(t, s.Review.SetPrivate(t.Context(), s.marit, own.ID, false))
	assert.Len(t, s.room(t, s.hanne).Notes, 2, "the note; its answer was written in private and stays there")
	require.NoError(t, s.Review.SetPrivate(t.Context(), s.marit, own.ID, true))
	assert.Len(t, s.room(t, s.hanne).Notes, 1)
}

func TestWhoMayNoteTicksSignsAndGivesStars(t *testing.T) {
	s := sit(t)
	n := s.write(t, s.marit, reviewing.Draft{Body: "Is the flag right?"})
	code := func(err error) string { return apptest.Code(t, err) }
	require.NoError(t, s.Review.SetDone(t.Context(), s.hanne, n.ID, true))
	assert.Equal(t, "no_right", code(s.Review.SetDone(t.Context(), s.tove, n.ID, false)))
	require.NoError(t, s.Review.Sign(t.Context(), s.hanne, n.ID, review.Agree, true))
	require.NoError(t, s.Review.Sign(t.Context(), s.hanne, n.ID, review.Agree, true))
	require.NoError(t, s.Review.Sign(t.Context(), s.marit, n.ID, review.Agree, true))
	assert.Equal(t, "invalid", code(s.Review.Sign(t.Context(), s.hanne, n.ID, "wink", true)))
	assert.Equal(t, "no_right", code(s.Review.Sign(t.Context(), s.tove, n.ID, review.Seen, true)))
	require.NoError(t, s.Review.Rate(t.Context(), s.hanne, s.content, 3))
	require.NoError(t, s.Review.Rate(t.Context(), s.hanne, s.content, 4))
	assert.Equal(t, "no_right", code(s.Review.Rate(t.Context(), s.tove, s.content, 5)))
	r := s.room(t, s.hanne)
	assert.NotNil(t, r.Notes[0].DoneAt)
	assert.Len(t, r.Notes[0].Signs, 2)
	assert.Equal(t, []reviewing.Rating{{Who: s.lines[0].ID, Name: s.lines[0].Name, Stars: 4}}, r.Ratings)
	require.NoError(t, s.Review.Sign(t.Context(), s.hanne, n.ID, review.Agree, false))
	require.NoError(t, s.Review.Rate(t.Context(), s.hanne, s.content, 0))
	r = s.room(t, s.hanne)
	assert.Len(t, r.Notes[0].Signs, 1)
	assert.Empty(t, r.Ratings)
}

func TestANoteIsAssignedWithinTheStudio(t *testing.T) {
	s := sit(t)
	n := s.write(t, s.hanne, reviewing.Draft{Body: "Louder."})
	ilse := s.Member(s.Mara, "Ilse Brandt")
	assign := func(p reviewing.Party, to string) string {
		return apptest.Code(t, s.Review.Assign(t.Context(), p, n.ID, to))
	}
	assert.Empty(t, assign(s.marit, ilse.ID))
	assert.Equal(t, "Ilse Brandt", s.room(t, s.marit).Notes[0].Assigned)
	assert.Equal(t, "not_found", assign(s.marit, s.Odd.ID), "of another studio")
	assert.Equal(t, "not_found", assign(s.marit, s.lines[0].ID), "a client does not work here")
	assert.Equal(t, "no_right", assign(s.hanne, ilse.ID))
	assert.Empty(t, assign(s.marit, ""))
	assert.Empty(t, s.room(t, s.marit).Notes[0].Assigned)
}

func TestANoteStaysOnTheVersionThatItWasWrittenOn(t *testing.T) {
	s := sit(t)
	first := s.write(t, s.hanne, reviewing.Draft{Body: "On the first."})
	s.Wait(time.Hour)
	s.Again(s.Mara, s.item, "cut2.mov", "two")
	second := s.write(t, s.hanne, reviewing.Draft{Body: "On the second."})
	assert.NotEqual(t, first.VersionID, second.VersionID)
	late := s.write(t, s.hanne, reviewing.Draft{Body: "Once more on the first.", Version: first.VersionID})
	assert.Equal(t, []any{first.VersionID, 1}, []any{late.VersionID, late.Number})
	r := s.room(t, s.hanne)
	require.Len(t, r.Versions, 2)
	assert.Equal(t, []bool{false, true}, []bool{r.Versions[0].Now, r.Versions[1].Now})
	assert.Equal(t, second.VersionID, r.Content.VersionID)
	old, err := s.Review.Room(t.Context(), s.hanne, s.content, first.VersionID)
	require.NoError(t, err)
	assert.Equal(t, first.VersionID, old.Content.VersionID)
	assert.Len(t, old.Notes, 3)
	other := s.File(s.Mara, "", "other.mov", "x")
	for _, version := range []string{other.VersionID, "none"} {
		_, err = s.Review.Room(t.Context(), s.marit, s.content, version)
		assert.Equal(t, "version_gone", apptest.Code(t, err))
	}
	fresh, lines := s.Sent(s.Mara, []string{s.item}, "mirek@kelpwick.example")
	mirek := s.Enter(lines[0], "1")
	inside, err := s.Receive.Inside(t.Context(), mirek, pack.Place{})
	require.NoError(t, err)
	_, err = s.Review.Room(t.Context(), reviewing.Guest(mirek), inside.Contents[0].ID, first.VersionID)
	assert.Equal(t, "version_gone", apptest.Code(t, err), "%s never gave the first version", fresh.Title)
}

func TestAVoiceAndAPictureLieAtANote(t *testing.T) {
	s := sit(t)
	voice := filepath.Join(t.TempDir(), "voice.webm")
	out, err := exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i", "sine=f=300:d=2.5", "-c:a", "libopus", voice).CombinedOutput()
	require.NoError(t, err, "%s", out)
	said, err := os.ReadFile(voice)
	require.NoError(t, err)
	attach := func(p reviewing.Party, kind review.Attached, content []byte) (reviewing.Attachment, string) {
		a, err := s.Review.Attach(t.Context(), p, s.content, kind, bytes.NewReader(content))
		return a, apptest.Code(t, err)
	}
	spoken, code := attach(s.hanne, review.Voice, said)
	require.Empty(t, code)
	assert.InDelta(t, 2_500_000, spoken.LengthUS, 60_000)
	assert.Len(t, spoken.Peaks, 60)
	for _, c := range []struct {
		p    reviewing.Party
		kind review.Attached
		with []byte
		want string
	}{{s.hanne, review.Voice, []byte("not a sound"), "invalid"}, {s.hanne, review.Picture, []byte("#EXTM3U\nfile:///etc/passwd"), "invalid"},
		{s.hanne, "poster", said, "invalid"}, {s.tove, review.Voice, said, "no_right"}, {reviewing.Studio(s.Odd), review.Voice, said, "not_found"}} {
		_, code := attach(c.p, c.kind, c.with)
		assert.Equal(t, c.want, code, "%s %.12s", c.kind, c.with)
	}
	seen := func(p reviewing.Party) string {
		_, err := s.Review.Attached(t.Context(), p, spoken.ID)
		return apptest.Code(t, err)
	}
	assert.Empty(t, seen(s.hanne))
	assert.Equal(t, "not_found", seen(s.tove), "before it is sent it is hers alone")
	_, err = s.Review.Write(t.Context(), s.marit, s.content, reviewing.Draft{Attached: []string{spoken.ID}})
	assert.Equal(t, "invalid", apptest.Code(t, err), "somebody else's voice")
	n := s.write(t, s.hanne, reviewing.Draft{Attached: []string{spoken.ID}})
	assert.Equal(t, "Said as a voice note.", n.Says())
	assert.Empty(t, seen(s.tove))
	assert.Equal(t, "not_found", seen(reviewing.Studio(s.Odd)))
	_, err = s.Review.Write(t.Context(), s.hanne, s.content, reviewing.Draft{Attached: []string{spoken.ID}})
	assert.Equal(t, "invalid", apptest.Code(t, err), "it lies at one note")
	strokes := []review.Stroke{{Tool: review.Pen, Points: [][2]int{{1, 1}}}}
	_, err = s.Store.Pool().Exec(t.Context(), `
		insert into attachment (id, parcel_id, line_id, kind, blob_id, mime, created_at)
		select 'loose' || n, parcel_id, line_id, kind, blob_id, mime, now() from attachment, generate_series(1, 22) n where id = $1`, spoken.ID)
	require.NoError(t, err)
	var all sync.WaitGroup
	var taken atomic.Int32
	for range 8 { // two fit
		all.Go(func() {
			if _, err := s.Review.Attach(t.Context(), s.hanne, s.content, review.Voice, bytes.NewReader(said)); err == nil {
				taken.Add(1)
			}
		})
	}
	all.Wait()
	assert.EqualValues(t, 2, taken.Load(), "many at once are no more than one after another")
	_, code = attach(s.hanne, review.Voice, said)
	assert.Equal(t, "too_many_attached", code)
	_, code = attach(s.marit, review.Voice, said)
	assert.Empty(t, code, "somebody else has room of their own")
	_, err = s.Store.Pool().Exec(t.Context(), "delete from attachment where id like 'loose%'")
	require.NoError(t, err)
	drawn := s.write(t, s.hanne, reviewing.Draft{Anchor: review.Anchor{Strokes: strokes}})
	assert.Equal(t, "Drawn on the picture.", drawn.Says())

	// What is kept is kept for as long as the note is.
	require.NoError(t, keep.Rows{DB: s.Store}.MarkUnreferenced(t.Context(), time.Now().Add(48*time.Hour), time.Now()))
	marked := func() bool {
		var is bool
		require.NoError(t, s.Store.Pool().QueryRow(t.Context(), "select marked_at is not null from blob where id = $1", spoken.BlobID).Scan(&is))
		return is
	}
	assert.False(t, marked())
	require.NoError(t, s.Review.Remove(t.Context(), s.hanne, n.ID))
	require.NoError(t, keep.Rows{DB: s.Store}.MarkUnreferenced(t.Context(), time.Now().Add(48*time.Hour), time.Now()))
	assert.True(t, marked())
}

func TestWhoLooksAsSomebodyElseDoesNotWriteInTheirName(t *testing.T) {
	s := sit(t)
	link := s.Pack.LinkURL(s.lines[0])
	as, err := s.Receive.Enter(t.Context(), link[strings.LastIndex(link, "/")+1:], "x", &s.Mara)
	require.NoError(t, err)
	require.True(t, as.Studio)
	_, err = s.Review.Write(t.Context(), reviewing.Guest(as), s.content, reviewing.Draft{Body: "In her name."})
	assert.Equal(t, "only_looking", apptest.Code(t, err))
	assert.Equal(t, "only_looking", apptest.Code(t, s.Review.Rate(t.Context(), reviewing.Guest(as), s.content, 5)))
	assert.True(t, strings.HasPrefix(s.room(t, reviewing.Guest(as)).Content.FileName, "cut"))
	var none receive.Entrant
	_, err = s.Review.Room(t.Context(), reviewing.Guest(none), s.content, "")
	assert.NotEmpty(t, apptest.Code(t, err))
}
