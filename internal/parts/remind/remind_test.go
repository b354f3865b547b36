package remind_test

import (
	"testing"
	"time"

	"aftergust/core/record/event"
	"aftergust/core/time/reminder"
	"aftergust/core/words/letter"
	"aftergust/core/words/notice"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/out/letters"
	"aftergust/internal/parts/notices"
	"aftergust/internal/parts/pack"
	"aftergust/internal/parts/receive"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func choice(k notice.Kind, c notice.Cadence) notices.Choice {
	return notices.Choice{Kind: k, Cadence: c}
}

// composed are the letters of a kind that wait, as they would go now.
func composed(t *testing.T, h *apptest.House, kind letter.Kind) (all []letters.Composed) {
	t.Helper()
	rows, err := h.Store.Pool().Query(t.Context(), "select id from letter where kind = $1 and state = 'waiting' order by created_at, id", kind)
	require.NoError(t, err)
	var ids []string
	for rows.Next() {
		var id string
		require.NoError(t, rows.Scan(&id))
		ids = append(ids, id)
	}
	for _, id := range ids {
		_, c, ok, err := h.Letters.Compose(t.Context(), id)
		require.NoError(t, err)
		if ok {
			all = append(all, c)
		}
	}
	return all
}

func TestAReminderSaysWhatIsMissingAndHowLongItTakes(t *testing.T) {
	h := apptest.Build(t, pg)
	var items []string
	for _, name := range []string{"1.mov", "2.mov", "3.mov", "4.mov", "5.mov", "6.mov"} {
		items = append(items, h.File(h.Mara, "", name, name).ID)
	}
	_, lines := h.Sent(h.Mara, items, "hanne@kelpwick.example")
	require.NoError(t, receive.CoverRows{DB: h.Store}.SetRates(t.Context(), map[string]int64{lines[0].PersonID: 24_000_000}))
	require.NoError(t, h.Remind.One(t.Context(), h.Mara, lines[0].ID, "  We\u202e lock the picture on Friday. "))
	one := composed(t, h, letter.Reminder)
	require.Len(t, one, 1)
	assert.Equal(t, "1.mov, 2.mov, 3.mov, 4.mov and 2 more; 30 bytes, about 1 s at the 24 Mbit/s that your line reached", one[0].Missing)
	assert.Equal(t, "We lock the picture on Friday.", one[0].Message, "what turns text around is left out")
}

// It is composed when it goes, and that may be later.
func TestWhoeverHasEverythingMeanwhileGetsNoReminder(t *testing.T) {
	h := apptest.Build(t, pg)
	item := h.File(h.Mara, "", "a.mov", "a")
	f := fate{version: item.VersionID, size: 1}
	f.parcel, f.lines = h.Sent(h.Mara, []string{item.ID}, "hanne@kelpwick.example")
	require.NoError(t, h.Remind.One(t.Context(), h.Mara, f.lines[0].ID, ""))
	f.has, f.quiet = []time.Time{h.Now()}, []time.Time{{}}
	act(t, h, &f, h.Now())
	assert.Empty(t, composed(t, h, letter.Reminder))
}

func TestAllWhoLackSomethingAreRemindedAndTheOthersNamed(t *testing.T) {
	h := apptest.Build(t, pg)
	p, lines := h.Sent(h.Mara, []string{h.File(h.Mara, "", "a.mov", "a").ID}, "hanne@kelpwick.example", "tomos@gethin.example", "ines@kelpwick.example", "")
	require.NoError(t, h.Receive.Quiet(t.Context(), h.Enter(lines[1], "")))
	require.NoError(t, h.Remind.One(t.Context(), h.Mara, lines[2].ID, ""))
	reminded, left, err := h.Remind.All(t.Context(), h.Mara, p.ID, "Please.")
	require.NoError(t, err)
	assert.Equal(t, []string{lines[0].Name}, reminded)
	require.Len(t, left, 3, "who asked for quiet, who was reminded just now, and the link for anyone")
	for _, l := range left {
		assert.NotEmpty(t, l.Why)
	}
	_, _, err = h.Remind.All(t.Context(), h.Odd, p.ID, "")
	assert.Equal(t, "not_found", apptest.Code(t, err), "another studio")
	require.NoError(t, h.Pack.Stop(t.Context(), h.Mara, p.ID))
	_, _, err = h.Remind.All(t.Context(), h.Mara, p.ID, "")
	assert.Equal(t, "not_out", apptest.Code(t, err))
}

// New people, a new ladder and a next version count from when they come.
func TestTheLadderFollowsWhatChanges(t *testing.T) {
	h := apptest.Build(t, pg)
	item := h.File(h.Mara, "", "a.mov", "a")
	p, lines := h.Sent(h.Mara, []string{item.ID}, "hanne@kelpwick.example") // seven days
	require.NoError(t, h.Remind.Due(t.Context()))
	f := fate{parcel: p, lines: lines, version: item.VersionID, size: 1, has: []time.Time{h.Now()}, quiet: []time.Time{{}}}
	act(t, h, &f, h.Now()) // she has everything
	h.Again(h.Mara, item.ID, "a.mov", "longer")
	days := func(n int) {
		for range n * 24 {
			h.Wait(time.Hour)
			require.NoError(t, h.Remind.Due(t.Context()))
		}
	}
	days(5)
	assert.Len(t, composed(t, h, letter.Reminder), 1, "the version that went up is outstanding")
	late, err := h.Pack.AddLine(t.Context(), h.Mara, p.ID, pack.Guest{Address: "late@kelpwick.example"})
	require.NoError(t, err)
	ladder := reminder.Ladder{30, 1}
	_, err = h.Pack.EditPackage(t.Context(), h.Mara, p.ID, pack.Edit{Reminders: &ladder})
	require.NoError(t, err)
	days(2)
	assert.NotEmpty(t, sent(t, h, late.ID))
	for _, at := range sent(t, h, late.ID) {
		when, err := time.Parse(time.DateTime, at)
		require.NoError(t, err)
		assert.Less(t, p.EndsAt.Sub(when), 31*time.Hour, "the old ladder's rungs are gone")
	}
	wrong := reminder.Ladder{0}
	_, err = h.Pack.EditPackage(t.Context(), h.Mara, p.ID, pack.Edit{Reminders: &wrong})
	assert.Equal(t, "invalid", apptest.Code(t, err))
}

func TestAStudioChoosesItsLadder(t *testing.T) {
	h := apptest.Build(t, pg)
	set, err := h.Remind.SetLadder(t.Context(), h.Mara, reminder.Ladder{2, 48, 48})
	require.NoError(t, err)
	assert.Equal(t, reminder.Ladder{48, 2}, set)
	fresh, err := h.Pack.NewPackage(t.Context(), h.Mara)
	require.NoError(t, err)
	assert.Equal(t, set, fresh.Reminders)
	other, err := h.Pack.NewPackage(t.Context(), h.Odd)
	require.NoError(t, err)
	assert.Equal(t, reminder.Standard(), other.Reminders, "of another studio")
	_, err = h.Remind.SetLadder(t.Context(), h.Mara, reminder.Ladder{9999})
	assert.Equal(t, "invalid", apptest.Code(t, err))
}

// A burst is one letter; a second one gathers anew.
func TestABurstIsOneLetter(t *testing.T) {
	h := apptest.Build(t, pg)
	item := h.File(h.Mara, "", "a.mov", "a")
	p, lines := h.Sent(h.Mara, []string{item.ID}, "hanne@kelpwick.example", "tomos@gethin.example")
	require.NoError(t, h.Notices.Choose(t.Context(), h.Mara, choice(notice.Opened, notice.Gathered)))
	for _, l := range lines {
		for range 3 { // only the first time counts
			e := h.Enter(l, "device of "+l.ID)
			require.NoError(t, h.Receive.Visited(t.Context(), e, "Europe/London"))
		}
	}
	require.NoError(t, h.Notices.Due(t.Context()))
	assert.Empty(t, composed(t, h, letter.Notices), "it is gathered for ten minutes")
	h.Wait(11 * time.Minute)
	require.NoError(t, h.Notices.Due(t.Context()))
	require.NoError(t, h.Notices.Due(t.Context()))
	all := composed(t, h, letter.Notices)
	require.Len(t, all, 1)
	require.Len(t, all[0].Told, 1)
	assert.Equal(t, []letters.Sentence{{Text: "Hanne opened it."}, {Text: "Tomos opened it."}}, all[0].Told[0].Says)
	assert.Equal(t, h.Mara.Email, all[0].ToEmail)
	assert.Contains(t, all[0].Told[0].Link, p.ID)

	list, err := h.Notices.List(t.Context(), h.Mara, false, notices.Cursor{})
	require.NoError(t, err)
	require.Len(t, list, 2, "the list is the same thing")
	unseen, err := h.Notices.Unseen(t.Context(), h.Mara)
	require.NoError(t, err)
	assert.Equal(t, 2, unseen)
	require.NoError(t, h.Notices.See(t.Context(), h.Mara, list[0].ID))
	unseen, err = h.Notices.Unseen(t.Context(), h.Mara)
	require.NoError(t, err)
	assert.Zero(t, unseen)
	strange, err := h.Notices.List(t.Context(), h.Odd, true, notices.Cursor{})
	require.NoError(t, err)
	assert.Empty(t, strange, "another studio is told nothing")
}

func TestAProjectMayBeLouderOrQuieterThanTheRest(t *testing.T) {
	h := apptest.Build(t, pg)
	loud := h.Project(h.Mara, "Kelpwick Harbour Museum", "Lifeboat films")
	inProject := h.File(h.Mara, loud.ID, "a.mov", "a")
	loose := h.File(h.Mara, "", "b.mov", "b")
	require.NoError(t, h.Notices.Choose(t.Context(), h.Mara, choice(notice.Opened, notice.Never)))
	require.NoError(t, h.Notices.Choose(t.Context(), h.Mara, notices.Choice{PlaceID: loud.ID, Kind: notice.Opened, Cadence: notice.AtOnce}))
	for _, item := range []string{inProject.ID, loose.ID} {
		_, lines := h.Sent(h.Mara, []string{item}, "hanne@kelpwick.example")
		require.NoError(t, h.Receive.Visited(t.Context(), h.Enter(lines[0], "d"), ""))
	}
	require.NoError(t, h.Notices.Due(t.Context()))
	assert.Len(t, composed(t, h, letter.Notices), 1)
	list, err := h.Notices.List(t.Context(), h.Mara, false, notices.Cursor{})
	require.NoError(t, err)
	assert.Len(t, list, 2)

	all, err := h.Notices.Choices(t.Context(), h.Mara)
	require.NoError(t, err)
	require.Len(t, all, 2)
	assert.Equal(t, "Kelpwick Harbour Museum / Lifeboat films", all[1].Place)
	require.NoError(t, h.Notices.Choose(t.Context(), h.Mara, notices.Choice{PlaceID: loud.ID, Kind: notice.Opened}))
	all, err = h.Notices.Choices(t.Context(), h.Mara)
	require.NoError(t, err)
	assert.Len(t, all, 1, "an empty choice is taken back")
	assert.Equal(t, "not_found", apptest.Code(t, h.Notices.Choose(t.Context(), h.Odd, notices.Choice{PlaceID: loud.ID, Kind: notice.Opened, Cadence: notice.Never})),
		"a project of another studio")
	assert.Equal(t, "invalid", apptest.Code(t, h.Notices.Choose(t.Context(), h.Mara, choice("hatched", notice.Never))))
	assert.Equal(t, "invalid", apptest.Code(t, h.Notices.Choose(t.Context(), h.Mara, choice(notice.Opened, "hourly"))))
}

func TestALetterThatDoesNotArriveIsTold(t *testing.T) {
	h := apptest.Build(t, pg)
	p, _ := h.Sent(h.Mara, []string{h.File(h.Mara, "", "a.mov", "a").ID}, "hanne@kelpwick.example")
	var id string
	require.NoError(t, h.Store.Pool().QueryRow(t.Context(), "select id from letter where parcel_id = $1", p.ID).Scan(&id))
	l, ok, err := letters.Rows{DB: h.Store}.LetterByID(t.Context(), id)
	require.NoError(t, err)
	require.True(t, ok)
	require.NoError(t, h.Letters.WillNotGo(t.Context(), l, &letters.Refusal{Words: "550 no such user"}))
	list, err := h.Notices.List(t.Context(), h.Mara, false, notices.Cursor{})
	require.NoError(t, err)
	require.Len(t, list, 1)
	assert.Equal(t, "A letter to Hanne did not arrive.", list[0].Say())
	assert.Equal(t, notice.Kind(event.Lost), list[0].Kind)
}
