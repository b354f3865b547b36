package review_test

import (
	"testing"
	"time"

	"aftergust/core/record/event"
	"aftergust/core/words/letter"
	"aftergust/core/words/notice"
	"aftergust/internal/parts/follow"
	"aftergust/internal/parts/notices"
	reviewing "aftergust/internal/parts/review"
	"aftergust/internal/who/account"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// told are the letters of notes that wait, by who gets them.
func (s *table) told(t *testing.T) map[string]int {
	t.Helper()
	rows, err := s.Store.Pool().Query(t.Context(), "select line_id, count(*)::int from letter where kind = $1 group by line_id", letter.Talk)
	require.NoError(t, err)
	defer rows.Close()
	out := map[string]int{}
	for rows.Next() {
		var line string
		var n int
		require.NoError(t, rows.Scan(&line, &n))
		out[line] = n
	}
	return out
}

func TestABurstOfNotesIsOneLetterToThoseWhoTakePart(t *testing.T) {
	s := sit(t)
	hanne, tove := s.lines[0].ID, s.lines[1].ID
	tell := func() { require.NoError(t, s.Review.Tell(t.Context(), s.Letters)) }
	n := s.write(t, s.hanne, reviewing.Draft{Body: "Louder."})
	s.Wait(11 * time.Minute)
	tell()
	assert.Empty(t, s.told(t), "nobody is told of their own notes")
	for _, words := range []string{"How much?", "And where?", "@" + s.lines[1].Name + ", do you hear it?"} {
		_, err := s.Review.Answer(t.Context(), s.marit, n.ID, reviewing.Draft{Body: words})
		require.NoError(t, err)
	}
	s.write(t, s.marit, reviewing.Draft{Body: "Between us.", Private: true})
	tell()
	assert.Empty(t, s.told(t), "it gathers for ten minutes")
	s.Wait(11 * time.Minute)
	tell()
	tell()
	assert.Equal(t, map[string]int{hanne: 1, tove: 1}, s.told(t), "one for who takes part, one for who is named")
	var id string
	require.NoError(t, s.Store.Pool().QueryRow(t.Context(), "select id from letter where kind = $1 and line_id = $2", letter.Talk, hanne).Scan(&id))
	_, c, ok, err := s.Letters.Compose(t.Context(), id)
	require.NoError(t, err)
	require.True(t, ok)
	require.Len(t, c.Said, 3)
	assert.Equal(t, []any{"How much?", true}, []any{c.Said[0].Text, c.Said[0].Answer})
	assert.Contains(t, c.Said[0].Link, "/room?item="+s.content+"&note="+n.ID+"#t=0")
	picture, err := s.Review.Picture(t.Context(), s.Mara.StudioID, n.ID)
	require.NoError(t, err)
	assert.Empty(t, picture, "what is no film has no frame")

	// What was taken back meanwhile is not told.
	answer, err := s.Review.Answer(t.Context(), s.marit, n.ID, reviewing.Draft{Body: "Never mind."})
	require.NoError(t, err)
	s.Wait(11 * time.Minute)
	require.NoError(t, s.Review.Remove(t.Context(), s.marit, answer.ID))
	tell()
	require.NoError(t, s.Store.Pool().QueryRow(t.Context(), "select id from letter where kind = $1 and line_id = $2 order by created_at desc limit 1", letter.Talk,
		hanne).Scan(&id))
	_, _, ok, err = s.Letters.Compose(t.Context(), id)
	require.NoError(t, err)
	assert.False(t, ok)
}

// heard is what a member of a studio was told of, the newest first.
func (s *table) heard(t *testing.T, m account.Member) (all []string) {
	t.Helper()
	list, err := s.Notices.List(t.Context(), m, false, notices.Cursor{})
	require.NoError(t, err)
	for _, n := range list {
		all = append(all, n.Say())
		assert.Equal(t, []any{s.parcel.ID, true, s.content}, []any{n.ParcelID, n.Note != "", n.Content})
	}
	return all
}

func TestWhoeverOfTheStudioIsNamedOrGivenANoteIsToldOfIt(t *testing.T) {
	s := sit(t)
	oda, per := s.Member(s.Mara, "Oda Lien"), s.Member(s.Mara, "Per Lien")
	asOda := reviewing.Studio(oda)
	s.write(t, s.marit, reviewing.Draft{Body: "@Oda, can you mend that? @Oda?", Private: true})
	assert.Equal(t, []string{s.Mara.Name + " named you in a note on cut.mov."}, s.heard(t, oda), "once, also where only the studio reads it")
	assert.Empty(t, s.heard(t, per))
	events, err := s.Follow.Story(t.Context(), s.Mara, s.parcel.ID, follow.Moment{}, 100)
	require.NoError(t, err)
	for _, e := range events {
		assert.NotEqual(t, event.Noted, e.Kind, "what the studio says among itself is no event of the package")
	}

	n := s.write(t, s.hanne, reviewing.Draft{Body: "Louder, @Per Lien and @" + s.Mara.Name})
	assert.Equal(t, []string{"Hanne named you in a note on cut.mov."}, s.heard(t, per))
	assert.Equal(t, []string{"Hanne left a note on cut.mov."}, s.heard(t, s.Mara), "the producer hears of it once, not twice")

	// An edit tells who comes to be named, and nobody again.
	_, err = s.Review.Edit(t.Context(), s.hanne, n.ID, 1, "Louder, @Per Lien and @Oda")
	require.NoError(t, err)
	assert.Len(t, s.heard(t, per), 1)
	assert.Len(t, s.heard(t, oda), 2)

	require.NoError(t, s.Review.Assign(t.Context(), s.marit, n.ID, oda.ID))
	require.NoError(t, s.Review.Assign(t.Context(), s.marit, n.ID, oda.ID))
	assert.Equal(t, s.Mara.Name+" gave you a note to do, on cut.mov.", s.heard(t, oda)[0])
	assert.Len(t, s.heard(t, oda), 3, "what was theirs already is no news")
	require.NoError(t, s.Review.Assign(t.Context(), asOda, n.ID, ""))
	require.NoError(t, s.Review.Assign(t.Context(), asOda, n.ID, oda.ID))
	assert.Len(t, s.heard(t, oda), 3, "what one takes on oneself is no news either")
	require.NoError(t, s.Review.Assign(t.Context(), asOda, n.ID, per.ID))
	assert.Len(t, s.heard(t, per), 2)
	assert.Empty(t, s.heard(t, s.Odd), "another studio hears nothing of it")
	all, err := s.Notices.List(t.Context(), s.Mara, true, notices.Cursor{})
	require.NoError(t, err)
	require.Len(t, all, 1, "what is said to one stands in no list of all")
	assert.Equal(t, notice.Noted, all[0].Kind)

	// One letter tells of all of it, with the words and where they lie.
	s.Wait(11 * time.Minute)
	require.NoError(t, s.Notices.Due(t.Context()))
	require.NoError(t, s.Notices.Due(t.Context()))
	var id string
	require.NoError(t, s.Store.Pool().QueryRow(t.Context(), "select id from letter where kind = $1 and to_email = $2", letter.Notices, oda.Email).Scan(&id))
	_, c, ok, err := s.Letters.Compose(t.Context(), id)
	require.NoError(t, err)
	require.True(t, ok)
	require.Len(t, c.Notes(), 3)
	last := c.Notes()[2]
	assert.Equal(t, "Louder, @Per Lien and @Oda", last.Text)
	assert.Contains(t, last.Link, "/packages/"+s.parcel.ID+"/room?item="+s.content+"&note="+n.ID+"#t=0")

	// What was taken back meanwhile is not quoted.
	gone := s.write(t, s.marit, reviewing.Draft{Body: "@Per, forget it.", Private: true})
	require.NoError(t, s.Review.Remove(t.Context(), s.marit, gone.ID))
	list, err := s.Notices.List(t.Context(), per, false, notices.Cursor{})
	require.NoError(t, err)
	assert.Equal(t, []string{"", ""}, []string{list[0].Note, list[0].Content})
}
