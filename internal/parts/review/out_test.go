package review_test

import (
	"bytes"
	"context"
	"fmt"
	"strings"
	"sync"
	"testing"

	"aftergust/core/notes/markers"
	"aftergust/core/notes/review"
	"aftergust/core/record/event"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/parts/follow"
	reviewing "aftergust/internal/parts/review"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func (s *table) out(t *testing.T, p reviewing.Party, f markers.Format, w reviewing.Wish) string {
	t.Helper()
	sheet, all, err := s.Review.Exchange().Out(t.Context(), p, s.content, "http://studio.example/items/x", w)
	require.NoError(t, err)
	var text bytes.Buffer
	require.NoError(t, markers.Write(&text, f, sheet, all))
	return text.String()
}

func (s *table) in(t *testing.T, p reviewing.Party, f markers.Format, text string, do bool) reviewing.Report {
	t.Helper()
	r, err := s.Review.Exchange().In(t.Context(), p, s.content, f, strings.NewReader(text), do)
	require.NoError(t, err)
	return r
}

func TestNotesGoOutAndComeInWithNothingChanged(t *testing.T) {
	s := sit(t)
	s.films(t, 500)
	n := s.write(t, s.hanne, reviewing.Draft{Anchor: at(200), Body: "The flag, \"starboard\"."})
	_, err := s.Review.Answer(t.Context(), s.marit, n.ID, reviewing.Draft{Body: "Mirrored."})
	require.NoError(t, err)
	s.write(t, s.hanne, reviewing.Draft{Anchor: review.Anchor{When: review.Span, At: 4_000_000, Until: 6_000_000, Where: review.Spot, X: 5000, Y: 100}, Body: "=Too long"})
	done := s.write(t, s.marit, reviewing.Draft{Anchor: at(10), Body: "Temporary."})
	require.NoError(t, s.Review.SetDone(t.Context(), s.marit, done.ID, true))
	s.write(t, s.marit, reviewing.Draft{Body: "Between us.", Private: true})
	for _, f := range []markers.Format{markers.Annotation, markers.CSV, markers.OTIO} {
		text := s.out(t, s.hanne, f, reviewing.Wish{})
		assert.NotContains(t, text, "Between us", f)
		before := s.room(t, s.marit).Notes
		r := s.in(t, s.marit, f, text, true)
		assert.Equal(t, reviewing.Report{Same: 3}, reviewing.Report{New: r.New, Same: r.Same, Differs: r.Differs, Done: r.Done}, "%s: %v", f, r.Problems)
		assert.Equal(t, before, s.room(t, s.marit).Notes, f)
	}
	assert.Contains(t, s.out(t, s.marit, markers.CSV, reviewing.Wish{}), "Between us")
	assert.NotContains(t, s.out(t, s.marit, markers.CSV, reviewing.Wish{Open: true}), "Temporary")
	assert.NotContains(t, s.out(t, s.marit, markers.CSV, reviewing.Wish{Who: s.lines[0].ID}), "Temporary")
	assert.Contains(t, s.out(t, s.hanne, markers.EDL, reviewing.Wish{Start: "09:59:58:00"}), "10:00:06:00")
	_, _, err = s.Review.Exchange().Out(t.Context(), s.hanne, s.content, "", reviewing.Wish{Start: "nonsense"})
	assert.Equal(t, "invalid", apptest.Code(t, err))
	_, _, err = s.Review.Exchange().Out(t.Context(), reviewing.Studio(s.Odd), s.content, "", reviewing.Wish{})
	assert.Equal(t, "not_found", apptest.Code(t, err))
}

func TestWhatComesInIsShownBeforeItIsThere(t *testing.T) {
	s := sit(t)
	s.films(t, 500)
	mine := s.write(t, s.hanne, reviewing.Draft{Anchor: at(7), Body: "Here."})
	file := "id,note,author,frame in,done\r\n" + mine.ID + ",Here.,Hanne,7,done\r\nx1,From the edit,Ilse Brandt,100,\r\nx2,At a wrong place,Ilse,9999,\r\nx1,Twice,Ilse,5,\r\n"
	before := s.in(t, s.marit, markers.CSV, file, false)
	assert.Equal(t, []any{1, 1, 1, 2, []string{"From the edit"}}, []any{before.New, before.Same, before.Done, len(before.Problems), before.First})
	assert.Len(t, s.room(t, s.marit).Notes, 1, "nothing is there yet")
	s.in(t, s.marit, markers.CSV, file, true)
	notes := s.room(t, s.hanne).Notes
	require.Len(t, notes, 2)
	assert.NotNil(t, notes[0].DoneAt)
	assert.Equal(t, []any{"Ilse Brandt", s.Mara.Name, "x1"}, []any{notes[1].Author, notes[1].BroughtBy, notes[1].Source})
	again := s.in(t, s.marit, markers.CSV, file, true)
	assert.Equal(t, []int{0, 2, 0}, []int{again.New, again.Same, again.Done}, "twice is once")
	story, err := s.Follow.Story(t.Context(), s.Mara, s.parcel.ID, follow.Moment{}, 100)
	require.NoError(t, err)
	assert.Equal(t, event.NotesBrought, story[0].Kind)
	assert.Equal(t, s.Mara.Name+" brought in 1 note on cut.mov.", story[0].Say())

	for _, bad := range []struct {
		p    reviewing.Party
		f    markers.Format
		text string
		want string
	}{{s.marit, markers.WebVTT, "WEBVTT", "invalid"}, {s.marit, markers.CSV, "no,columns\r\n", "invalid"}, {s.tove, markers.CSV, file, "no_right"},
		{reviewing.Studio(s.Odd), markers.CSV, file, "not_found"}} {
		_, err := s.Review.Exchange().In(t.Context(), bad.p, s.content, bad.f, strings.NewReader(bad.text), true)
		assert.Equal(t, bad.want, apptest.Code(t, err))
	}
}

func TestTwoWhoTakeInTheSameFileAtOnceTakeItInOnce(t *testing.T) {
	s := sit(t)
	s.films(t, 500)
	var file strings.Builder
	file.WriteString("id,note,frame in\r\n")
	for i := range 5000 {
		fmt.Fprintf(&file, "n%d,Note %d,%d\r\n", i, i, i%500)
	}
	var all sync.WaitGroup
	for _, p := range []reviewing.Party{s.marit, s.marit, s.marit} {
		all.Go(func() {
			_, err := s.Review.Exchange().In(context.WithoutCancel(t.Context()), p, s.content, markers.CSV, strings.NewReader(file.String()), true)
			assert.NoError(t, err)
		})
	}
	all.Wait()
	assert.Len(t, s.room(t, s.marit).Notes, 5000)
	_, err := s.Review.Exchange().In(t.Context(), s.hanne, s.content, markers.CSV, strings.NewReader(strings.ReplaceAll(file.String(), "Note ", "Other ")), true)
	assert.NoError(t, err, "what is here with other words is not new")
	_, err = s.Review.Exchange().In(t.Context(), s.hanne, s.content, markers.CSV, strings.NewReader(strings.NewReplacer("\nn", "\nm", "Note ", "Other ").Replace(file.String())), true)
	assert.Equal(t, "invalid", apptest.Code(t, err), "by a link not five thousand at once")
	assert.Len(t, s.room(t, s.marit).Notes, 5000)
}

// One imported note with 20 000 answers made the Room take half a minute.
func TestAnImportedNoteHasNoMoreAnswersThanOneCanRead(t *testing.T) {
	s := sit(t)
	s.films(t, 500)
	s.write(t, s.marit, reviewing.Draft{Anchor: at(7), Body: "Here."})
	sheet, all, err := s.Review.Exchange().Out(t.Context(), s.marit, s.content, "http://studio.example/items/x", reviewing.Wish{})
	require.NoError(t, err)
	require.Len(t, all, 1)
	file := func(notes, answers int) string {
		var some []markers.Marker
		for i := range notes {
			m := all[0]
			m.ID, m.Text = fmt.Sprintf("strange-%d-%d", answers, i), fmt.Sprintf("Note %d of %d", i, answers)
			for n := range answers {
				m.Answers = append(m.Answers, markers.Marker{ID: fmt.Sprintf("%s-%d", m.ID, n), Text: "so be it", Author: "Ilse"})
			}
			some = append(some, m)
		}
		var text bytes.Buffer
		require.NoError(t, markers.Write(&text, markers.Annotation, sheet, some))
		return text.String()
	}
	in := func(p reviewing.Party, text string) string {
		_, err := s.Review.Exchange().In(t.Context(), p, s.content, markers.Annotation, strings.NewReader(text), true)
		return apptest.Code(t, err)
	}
	assert.Equal(t, "invalid", in(s.marit, file(1, 501)))
	assert.Len(t, s.room(t, s.marit).Notes, 1, "nothing of it is there")
	assert.Equal(t, "invalid", in(s.hanne, file(5, 400)), "by a link answers count like notes")
	assert.Equal(t, "", in(s.hanne, file(4, 450)))
	assert.Equal(t, "", in(s.marit, file(1, 500)))
}
