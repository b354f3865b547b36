package review_test

import (
	"strings"
	"testing"

	"aftergust/core/file/thing"
	"aftergust/core/link/right"
	"aftergust/core/media/piece"
	"aftergust/core/record/event"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/files/sheets"
	"aftergust/internal/parts/follow"
	"aftergust/internal/parts/pack"
	"aftergust/internal/parts/receive"
	reviewing "aftergust/internal/parts/review"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestNotesAreForThoseWhoMayAndStayInTheirPackage(t *testing.T) {
	h := apptest.Build(t, pg)
	item, their := h.File(h.Mara, "", "a.mov", "a"), h.File(h.Odd, "", "b.mov", "b")
	p, lines := h.Sent(h.Mara, []string{item.ID}, "hanne@kelpwick.example", "tove@kelpwick.example")
	second, others := h.Sent(h.Mara, []string{item.ID}, "mirek@kelpwick.example")
	_, strangers := h.Sent(h.Odd, []string{their.ID}, "oda@northmoor.example")
	may := right.Rights{right.See}
	_, err := h.Pack.ChangeLine(t.Context(), h.Mara, lines[1].ID, pack.LineEdit{Rights: &may})
	require.NoError(t, err)
	hanne, tove, mirek, oda := h.Enter(lines[0], "1"), h.Enter(lines[1], "1"), h.Enter(others[0], "1"), h.Enter(strangers[0], "1")
	inside, err := h.Receive.Inside(t.Context(), hanne, pack.Place{})
	require.NoError(t, err)
	content := inside.Contents[0].ID

	note, err := h.Review.Write(t.Context(), reviewing.Guest(hanne), content, reviewing.Draft{Body: " Louder here. "})
	require.NoError(t, err)
	assert.Equal(t, "Louder here.", note.Body)
	_, err = h.Review.Write(t.Context(), reviewing.Guest(tove), content, reviewing.Draft{Body: "Me too."})
	assert.Equal(t, "no_right", apptest.Code(t, err))
	_, err = h.Review.Write(t.Context(), reviewing.Guest(mirek), content, reviewing.Draft{Body: "From next door."})
	assert.Equal(t, "not_found", apptest.Code(t, err))
	_, err = h.Review.Answer(t.Context(), reviewing.Guest(tove), note.ID, reviewing.Draft{Body: "Me too."})
	assert.Equal(t, "no_right", apptest.Code(t, err))
	_, err = h.Review.Answer(t.Context(), reviewing.Guest(mirek), note.ID, reviewing.Draft{Body: "From next door."})
	assert.Equal(t, "not_found", apptest.Code(t, err))
	_, err = h.Review.Answer(t.Context(), reviewing.Studio(h.Odd), note.ID, reviewing.Draft{Body: "From another studio."})
	assert.Equal(t, "not_found", apptest.Code(t, err))
	assert.Equal(t, "not_found", apptest.Code(t, h.Review.SetDone(t.Context(), reviewing.Studio(h.Odd), note.ID, true)))
	_, err = h.Review.Write(t.Context(), reviewing.Studio(h.Odd), content, reviewing.Draft{Body: "From another studio."})
	assert.Equal(t, "not_found", apptest.Code(t, err))
	_, err = h.Review.Notes(t.Context(), h.Odd, p.ID)
	assert.Equal(t, "not_found", apptest.Code(t, err))

	for name, e := range map[string]int{"tove": 1, "mirek": 0, "oda": 0} {
		who := map[string]func() int{"tove": func() int { n, err := h.Review.GuestNotes(t.Context(), tove); require.NoError(t, err); return len(n) },
			"mirek": func() int { n, err := h.Review.GuestNotes(t.Context(), mirek); require.NoError(t, err); return len(n) },
			"oda":   func() int { n, err := h.Review.GuestNotes(t.Context(), oda); require.NoError(t, err); return len(n) }}
		assert.Equal(t, e, who[name](), name)
	}
	mine, err := h.Review.Notes(t.Context(), h.Mara, second.ID)
	require.NoError(t, err)
	assert.Empty(t, mine, "the same item in another package has notes of its own")
	require.NoError(t, h.Pack.Stop(t.Context(), h.Mara, p.ID))
	_, err = h.Review.GuestNotes(t.Context(), h.Enter(lines[0], "1"))
	assert.Equal(t, "stopped", apptest.Code(t, err))
}

func TestAThreadIsANoteWithItsAnswers(t *testing.T) {
	h := apptest.Build(t, pg)
	p, lines := h.Sent(h.Mara, []string{h.File(h.Mara, "", "a.mov", "a").ID}, "hanne@kelpwick.example")
	hanne := h.Enter(lines[0], "1")
	inside, err := h.Receive.Inside(t.Context(), hanne, pack.Place{})
	require.NoError(t, err)
	write := func(body string) string {
		_, err := h.Review.Write(t.Context(), reviewing.Studio(h.Mara), inside.Contents[0].ID, reviewing.Draft{Body: body})
		return apptest.Code(t, err)
	}
	assert.Equal(t, "invalid", write("  \n"))
	assert.Equal(t, "invalid", write(strings.Repeat("ö", 4001)))
	assert.Empty(t, write(strings.Repeat("ö", 4000)))
	all, err := h.Review.Notes(t.Context(), h.Mara, p.ID)
	require.NoError(t, err)
	require.Len(t, all, 1)
	answer, err := h.Review.Answer(t.Context(), reviewing.Guest(hanne), all[0].ID, reviewing.Draft{Body: "As you wish."})
	require.NoError(t, err)
	assert.Equal(t, all[0].ID, answer.ParentID)
	_, err = h.Review.Answer(t.Context(), reviewing.Studio(h.Mara), answer.ID, reviewing.Draft{Body: "And again."})
	assert.Equal(t, "answer_of_answer", apptest.Code(t, err))
	assert.Equal(t, "of_answer", apptest.Code(t, h.Review.SetDone(t.Context(), reviewing.Studio(h.Mara), answer.ID, true)))
	for _, done := range []bool{true, false} {
		require.NoError(t, h.Review.SetDone(t.Context(), reviewing.Studio(h.Mara), all[0].ID, done))
		now, err := h.Review.Notes(t.Context(), h.Mara, p.ID)
		require.NoError(t, err)
		assert.Equal(t, done, now[0].DoneAt != nil)
		assert.Nil(t, now[1].DoneAt)
	}
}

func TestWhatSomebodyTicksInASheetIsTheirsAndTheProducerSeesIt(t *testing.T) {
	h := apptest.Build(t, pg)
	place := h.Project(h.Mara, "Kelpwick Harbour Museum", "Lifeboat")
	sheet, err := h.Things.NewThing(t.Context(), h.Mara, place.ID, thing.Sheet, "Hand-off", piece.Data{Text: "- [ ] Send the logo\n- [ ] Name the narrator"})
	require.NoError(t, err)
	film := h.File(h.Mara, "", "a.mov", "a")
	p, lines := h.Sent(h.Mara, []string{sheet.ID, film.ID}, "hanne@kelpwick.example", "tove@kelpwick.example")
	second, others := h.Sent(h.Mara, []string{sheet.ID}, "mirek@kelpwick.example")
	hanne, tove, mirek := h.Enter(lines[0], "1"), h.Enter(lines[1], "1"), h.Enter(others[0], "1")
	inside, err := h.Receive.Inside(t.Context(), hanne, pack.Place{})
	require.NoError(t, err)
	list, other := inside.Contents[0].ID, inside.Contents[1].ID
	tasks := sheets.Tasks(inside.Contents[0].Data.Text)

	tick := func(e receive.Entrant, item, task string, done bool) string {
		return apptest.Code(t, h.Review.TickTask(t.Context(), e, item, task, done))
	}
	assert.Empty(t, tick(hanne, list, tasks[0].Key, true))
	assert.Empty(t, tick(hanne, list, tasks[0].Key, true), "once more changes nothing")
	assert.Empty(t, tick(tove, list, tasks[1].Key, true))
	assert.Equal(t, "task_gone", tick(hanne, list, "0123456789abcdef", true))
	assert.Equal(t, "task_gone", tick(hanne, other, tasks[0].Key, true), "a film has no list")
	assert.Equal(t, "not_found", tick(mirek, list, tasks[0].Key, true), "a list in another package")
	studio := hanne
	studio.Studio = true
	assert.Empty(t, tick(studio, list, tasks[1].Key, true), "who looks at it as Hanne leaves no trace")

	theirs := func(e receive.Entrant) []string {
		keys, err := h.Review.GuestTicks(t.Context(), e, list)
		require.NoError(t, err)
		return keys
	}
	assert.Equal(t, []string{tasks[0].Key}, theirs(hanne))
	assert.Equal(t, []string{tasks[1].Key}, theirs(tove))
	_, err = h.Review.GuestTicks(t.Context(), mirek, list)
	assert.Equal(t, "not_found", apptest.Code(t, err))

	all, err := h.Review.Ticks(t.Context(), h.Mara, p.ID)
	require.NoError(t, err)
	require.Len(t, all, 2)
	assert.Equal(t, []string{list, tasks[0].Key, lines[0].Name}, []string{all[0].ContentID, all[0].Task, all[0].Who})
	none, err := h.Review.Ticks(t.Context(), h.Mara, second.ID)
	require.NoError(t, err)
	assert.Empty(t, none, "the same sheet in another package has a list of its own")
	_, err = h.Review.Ticks(t.Context(), h.Odd, p.ID)
	assert.Equal(t, "not_found", apptest.Code(t, err))

	said := func() (out []string) {
		story, err := h.Follow.Story(t.Context(), h.Mara, p.ID, follow.Moment{}, 1000)
		require.NoError(t, err)
		for _, e := range story {
			if e.Kind == event.Ticked || e.Kind == event.Unticked {
				out = append(out, e.Say())
			}
		}
		return out
	}
	assert.Empty(t, tick(hanne, list, tasks[0].Key, false))
	assert.Empty(t, theirs(hanne))
	assert.Len(t, said(), 3)
	assert.Contains(t, said(), lines[0].Name+" took the tick at “Send the logo” back, on Hand-off.md.")

	see := right.Rights{right.Take}
	_, err = h.Pack.ChangeLine(t.Context(), h.Mara, lines[0].ID, pack.LineEdit{Rights: &see})
	require.NoError(t, err)
	assert.Equal(t, "no_right", tick(h.Enter(lines[0], "1"), list, tasks[0].Key, true))
	require.NoError(t, h.Pack.Stop(t.Context(), h.Mara, p.ID))
	assert.Equal(t, "stopped", tick(h.Enter(lines[1], "1"), list, tasks[0].Key, true))
}
