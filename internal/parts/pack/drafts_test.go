package pack_test

import (
	"context"
	"testing"
	"time"

	"aftergust/core/file/coverage"
	"aftergust/core/link/door"
	"aftergust/core/link/right"
	"aftergust/core/link/state"
	"aftergust/core/time/expiry"
	"aftergust/core/words/letter"
	"aftergust/core/words/sentence"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/parts/follow"
	"aftergust/internal/parts/gather"
	"aftergust/internal/parts/pack"
	"aftergust/internal/parts/receive"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func look(t *testing.T, h *apptest.House, id string) pack.Packed {
	t.Helper()
	p, err := h.Pack.Package(t.Context(), h.Mara, id)
	require.NoError(t, err)
	return p
}

func codes(p pack.Packed) []string {
	out := []string{}
	for _, w := range p.Warnings {
		out = append(out, w.Code)
	}
	return out
}

func names(p pack.Packed) []string {
	out := []string{}
	for _, c := range p.Contents {
		out = append(out, c.Title)
	}
	return out
}

// takes lets somebody have an item of a package whole.
func takes(t *testing.T, h *apptest.House, l pack.Line, item string) {
	t.Helper()
	e := h.Enter(l, "a device of "+l.Name)
	i, ok, err := gather.ThingRows{DB: h.Store}.ItemByID(t.Context(), item)
	require.NoError(t, err)
	require.True(t, ok)
	done, err := receive.CoverRows{
		DB: h.Store,
	}.AddCoverage(
		t.Context(),
		[]receive.Receipts{whole(e.Delivery(i.VersionID, i.Size), i.Size)},
		h.Now(),
	)
	require.NoError(t, err)
	require.Len(t, done, 1)
}

func TestADraftGoesByItselfAtItsHourAndCanBeTakenBack(t *testing.T) {
	h := apptest.Build(t, pg)
	draft, _ := h.Draft(h.Mara, []string{h.File(h.Mara, "", "a.mov", "a").ID}, "hanne@kelpwick.example")
	at := h.Now().Add(10 * time.Second)
	require.NoError(t, h.Drafts.SendAt(t.Context(), h.Mara, draft.ID, at, false))
	require.NoError(t, h.Drafts.GoDue(t.Context()))
	assert.Equal(t, state.Draft, look(t, h, draft.ID).State, "not before")
	require.NoError(t, h.Drafts.Wait(t.Context(), h.Mara, draft.ID))
	h.Wait(11 * time.Second)
	require.NoError(t, h.Drafts.GoDue(t.Context()))
	assert.Equal(t, state.Draft, look(t, h, draft.ID).State, "it was taken back")
	assert.Empty(t, look(t, h, draft.ID).Letters)

	require.NoError(t, h.Drafts.SendAt(t.Context(), h.Mara, draft.ID, h.Now(), false))
	require.NoError(t, h.Drafts.GoDue(t.Context()))
	require.NoError(t, h.Drafts.GoDue(t.Context()))
	went := look(t, h, draft.ID)
	assert.Equal(t, state.Out, went.State)
	assert.Nil(t, went.Parcel.GoingAt)
	assert.Len(t, went.Letters, 1, "once")
	require.Error(t, h.Drafts.SendAt(t.Context(), h.Mara, draft.ID, h.Now(), false), "it went")
	require.Error(t, h.Drafts.Wait(t.Context(), h.Mara, draft.ID))
}

func TestADraftThatWaitsForFilesOfABrowserDoesNotGoWithoutThem(t *testing.T) {
	h := apptest.Build(t, pg)
	draft, err := h.Pack.NewPackage(t.Context(), h.Mara)
	require.NoError(t, err)
	_, err = h.Pack.AddLine(t.Context(), h.Mara, draft.ID, pack.Guest{Address: "hanne@kelpwick.example"})
	require.NoError(t, err)
	require.Error(t, h.Drafts.SendAt(t.Context(), h.Mara, draft.ID, h.Now(), false), "it is empty")
	require.NoError(t, h.Drafts.SendAt(t.Context(), h.Mara, draft.ID, h.Now(), true), "but more is to come")
	parcel, err := h.Pack.ParcelOf(t.Context(), h.Mara, draft.ID)
	require.NoError(t, err)
	require.NoError(t, h.Store.Tx(t.Context(), func(ctx context.Context) error {
		return h.Pack.Put(ctx, parcel, []pack.Put{{ItemID: h.File(h.Mara, "", "a.mov", "a").ID}})
	}))
	require.NoError(t, h.Drafts.GoDue(t.Context()))
	assert.Equal(t, state.Draft, look(t, h, draft.ID).State, "the browser has more, or is gone")
	require.NoError(t, h.Drafts.Wait(t.Context(), h.Mara, draft.ID))
	require.NoError(t, h.Drafts.Announced(t.Context(), h.Mara, draft.ID))
	require.NoError(t, h.Drafts.GoDue(t.Context()))
	assert.Equal(t, state.Draft, look(t, h, draft.ID).State, "what was taken back meanwhile stays, whatever a browser announces")
	require.NoError(t, h.Drafts.SendAt(t.Context(), h.Mara, draft.ID, h.Now(), true))
	require.Error(t, h.Drafts.Announced(t.Context(), h.Odd, draft.ID))
	require.NoError(t, h.Drafts.Announced(t.Context(), h.Mara, draft.ID))
	require.NoError(t, h.Drafts.GoDue(t.Context()))
	assert.Equal(t, state.Out, look(t, h, draft.ID).State)
}

func TestADraftThatCannotGoStaysAndSaysWhy(t *testing.T) {
	h := apptest.Build(t, pg)
	draft, _ := h.Draft(h.Mara, []string{h.File(h.Mara, "", "a.mov", "a").ID}, "hanne@kelpwick.example")
	rule := expiry.Rule{Kind: expiry.AtTime, Local: expiry.Local(h.Now().Add(2*time.Hour), time.UTC), Zone: "UTC"}
	_, err := h.Pack.EditPackage(t.Context(), h.Mara, draft.ID, pack.Edit{EndRule: &rule})
	require.NoError(t, err)
	require.Error(t, h.Drafts.SendAt(t.Context(), h.Mara, draft.ID, h.Now().Add(3*time.Hour), false), "it would end before it went")
	require.Error(t, h.Drafts.SendAt(t.Context(), h.Mara, draft.ID, h.Now().Add(-time.Second), false))
	require.NoError(t, h.Drafts.SendAt(t.Context(), h.Mara, draft.ID, h.Now().Add(time.Hour), false))
	h.Wait(3 * time.Hour) // the server was down meanwhile
	require.NoError(t, h.Drafts.GoDue(t.Context()))
	p := look(t, h, draft.ID)
	assert.Equal(t, state.Draft, p.State)
	assert.Contains(t, p.Parcel.GoingProblem, "has passed")
	desk, err := h.Follow.Desk(t.Context(), h.Mara)
	require.NoError(t, err)
	require.Len(t, desk.Needs, 1)
	assert.Equal(t, "stays", string(desk.Needs[0].Kind))
}

func TestAHandedDraftGoesInTheNameOfWhoeverHasIt(t *testing.T) {
	h := apptest.Build(t, pg)
	other := h.Member(h.Mara, "Ines Varga")
	draft, _ := h.Draft(h.Mara, []string{h.File(h.Mara, "", "a.mov", "a").ID}, "hanne@kelpwick.example")
	require.Error(t, h.Drafts.Hand(t.Context(), h.Mara, draft.ID, h.Odd.ID), "not to another studio")
	require.NoError(t, h.Drafts.Hand(t.Context(), h.Mara, draft.ID, other.ID))
	desk, err := h.Follow.Desk(t.Context(), other)
	require.NoError(t, err)
	require.Len(t, desk.Needs, 1)
	assert.Equal(t, h.Mara.Name, desk.Needs[0].Line)
	desk, err = h.Follow.Desk(t.Context(), h.Mara)
	require.NoError(t, err)
	assert.Empty(t, desk.Needs, "it waits for the other")
	assert.Equal(t, "Ines Varga", look(t, h, draft.ID).Parcel.SenderName)
}

func TestWhatIsAddedLaterIsToldOnceInOneLetter(t *testing.T) {
	h := apptest.Build(t, pg)
	p, _ := h.Sent(h.Mara, []string{h.File(h.Mara, "", "a.mov", "a").ID}, "hanne@kelpwick.example", "tomos@gethin.example", "")
	put := func(names ...string) {
		t.Helper()
		for _, name := range names {
			parcel, err := h.Pack.ParcelOf(t.Context(), h.Mara, p.ID)
			require.NoError(t, err)
			require.NoError(t, h.Store.Tx(t.Context(), func(ctx ctx) error {
				return h.Pack.Put(ctx, parcel, []pack.Put{{ItemID: h.File(h.Mara, "", name, name).ID}})
			}))
		}
	}
	told := func() (n int) {
		t.Helper()
		require.NoError(t, h.Drafts.GoDue(t.Context()))
		for _, l := range look(t, h, p.ID).Letters {
			if l.Kind == letter.News {
				n++
			}
		}
		return n
	}
	put("b.mov", "c.mov")
	h.Wait(9 * time.Minute)
	put("d.mov")
	assert.Zero(t, told(), "more may come")
	h.Wait(2 * time.Minute)
	assert.Equal(t, 2, told(), "one letter to each who has an address, for all three")
	assert.Equal(t, 2, told(), "and never again")
	put("e.mov")
	require.Error(t, h.Drafts.TellNow(t.Context(), h.Odd, p.ID))
	require.NoError(t, h.Drafts.TellNow(t.Context(), h.Mara, p.ID))
	assert.Equal(t, 4, told())

	put("f.mov")
	contents := look(t, h, p.ID).Contents
	require.NoError(t, h.Pack.RemoveItem(t.Context(), h.Mara, contents[len(contents)-1].ID))
	h.Wait(time.Hour)
	assert.Equal(t, 4, told(), "what was taken out again is not told of")
}

func TestAPackageAgainHasWhatIsNewForTheSamePeople(t *testing.T) {
	h := apptest.Build(t, pg)
	a, b := h.File(h.Mara, "", "a.mov", "a"), h.File(h.Mara, "", "b.mov", "b")
	p, lines := h.Sent(h.Mara, []string{a.ID, b.ID}, "hanne@kelpwick.example", "")
	takes(t, h, lines[0], a.ID)
	takes(t, h, lines[0], b.ID)
	h.Again(h.Mara, b.ID, "b.mov", "b2")
	_, err := h.Drafts.Again(t.Context(), h.Odd, p.ID)
	require.Error(t, err)
	again, err := h.Drafts.Again(t.Context(), h.Mara, p.ID)
	require.NoError(t, err)
	draft := look(t, h, again.ID)
	assert.Equal(t, []string{"a.mov", "b.mov"}, names(draft))
	require.Len(t, draft.Lines, 2)
	assert.Equal(t, lines[0].Rights, draft.Lines[0].Rights)
	assert.NotEqual(t, lines[0].LinkHash, draft.Lines[0].LinkHash, "another link")
	require.NoError(t, h.Pack.RemoveLine(t.Context(), h.Mara, draft.Lines[1].ID))
	assert.Contains(t, codes(look(t, h, again.ID)), sentence.SentBefore)
	require.NoError(t, h.Drafts.Mend(t.Context(), h.Mara, again.ID, sentence.SentBefore, ""))
	assert.Equal(t, []string{"b.mov"}, names(look(t, h, again.ID)), "what they have in this very version is left out")
}

func TestEachWarningIsMendedByOneClick(t *testing.T) {
	h := apptest.Build(t, pg)
	before, _ := h.Sent(h.Mara, []string{h.File(h.Mara, "", "z.mov", "z").ID}, "hanne@kelpwick.example")
	require.NoError(t, h.Pack.Stop(t.Context(), h.Mara, before.ID))
	draft, lines := h.Draft(h.Mara, []string{h.File(h.Mara, "", "a.mov", "a").ID}, "hanne@kelpwick.example", "", "tomos@gethin.example")
	rights := func(line int, r ...right.Right) {
		t.Helper()
		all := right.Rights(r)
		_, err := h.Pack.ChangeLine(t.Context(), h.Mara, lines[line].ID, pack.LineEdit{Rights: &all})
		require.NoError(t, err)
	}
	mended := func(code string, line string) {
		t.Helper()
		require.Contains(t, codes(look(t, h, draft.ID)), code)
		require.Error(t, h.Drafts.Mend(t.Context(), h.Odd, draft.ID, code, line))
		require.NoError(t, h.Drafts.Mend(t.Context(), h.Mara, draft.ID, code, line))
		assert.NotContains(t, codes(look(t, h, draft.ID)), code)
		require.NoError(t, h.Drafts.Mend(t.Context(), h.Mara, draft.ID, code, line), "twice does no harm")
	}
	end := func(rule expiry.Rule) {
		t.Helper()
		_, err := h.Pack.EditPackage(t.Context(), h.Mara, draft.ID, pack.Edit{EndRule: &rule})
		require.NoError(t, err)
	}
	mended(sentence.OpenTake, lines[1].ID)
	rights(0, right.See)
	mended(sentence.TakeGone, lines[0].ID)
	rights(2)
	mended(sentence.NoRights, lines[2].ID)
	rights(0, right.See)
	mended(sentence.NoTakers, "")
	mended(sentence.OpenTake, lines[1].ID)
	end(expiry.Rule{Kind: expiry.SomeHave, People: 9, Hold: 1, Latest: 30, Zone: "Europe/London"})
	mended(sentence.TooFew, "")
	assert.Equal(t, 2, look(t, h, draft.ID).Parcel.EndRule.People)
	night := "Asia/Tokyo"
	_, err := h.Pack.ChangeLine(t.Context(), h.Mara, lines[0].ID, pack.LineEdit{Zone: &night})
	require.NoError(t, err)
	end(expiry.Rule{Kind: expiry.AtTime, Local: expiry.Local(h.Now().AddDate(0, 0, 5), time.UTC)[:11] + "18:00", Zone: "UTC"})
	before5 := look(t, h, draft.ID).WouldEnd
	mended(sentence.AtNight, "")
	assert.False(t, look(t, h, draft.ID).WouldEnd.Before(before5), "nobody has less time than before")
	named := door.Named
	_, err = h.Pack.EditPackage(t.Context(), h.Mara, draft.ID, pack.Edit{Door: &named})
	require.NoError(t, err)
	mended(sentence.AnyoneNamed, lines[1].ID)
	assert.Len(t, look(t, h, draft.ID).Lines, 2)
	require.NoError(t, h.Pack.Send(t.Context(), h.Mara, draft.ID))
	require.Error(t, h.Drafts.Mend(t.Context(), h.Mara, draft.ID, sentence.TooFew, ""))
}

func TestAPresetKeepsHowItIsSent(t *testing.T) {
	h := apptest.Build(t, pg)
	a := h.File(h.Mara, "", "a.mov", "a").ID
	draft, _ := h.Draft(h.Mara, []string{a}, "hanne@kelpwick.example")
	named, words, rights := door.Named, "For your eyes first.", right.Rights{right.See, right.Note}
	rule := expiry.Rule{Kind: expiry.AllHave, Hold: 24, Latest: 30, Zone: "Europe/London"}
	_, err := h.Pack.EditPackage(
		t.Context(),
		h.Mara,
		draft.ID,
		pack.Edit{Door: &named, CoverLetter: &words, EndRule: &rule, Rights: &rights},
	)
	require.NoError(t, err)
	require.Error(t, h.Drafts.KeepPreset(t.Context(), h.Mara, draft.ID, "  "))
	require.NoError(t, h.Drafts.KeepPreset(t.Context(), h.Mara, draft.ID, "Review"))
	require.NoError(t, h.Drafts.KeepPreset(t.Context(), h.Mara, draft.ID, "review"), "the same name again is the same preset")
	all, err := h.Drafts.Presets(t.Context(), h.Mara)
	require.NoError(t, err)
	require.Len(t, all, 1)
	assert.Equal(t, "Named; see, note; ends when everybody has everything, and 24 h more", all[0].Says())
	theirs, err := h.Drafts.Presets(t.Context(), h.Odd)
	require.NoError(t, err)
	assert.Empty(t, theirs)

	next, lines := h.Draft(h.Mara, []string{a}, "tomos@gethin.example", "")
	require.Error(t, h.Drafts.ApplyPreset(t.Context(), h.Odd, next.ID, all[0].ID))
	require.NoError(t, h.Drafts.ApplyPreset(t.Context(), h.Mara, next.ID, all[0].ID))
	p := look(t, h, next.ID)
	assert.Equal(t, []any{named, words, rule, rights}, []any{p.Parcel.Door, p.Parcel.CoverLetter, p.Parcel.EndRule, p.Parcel.DefaultRights})
	assert.Equal(t, rights, p.Lines[0].Rights)
	assert.Equal(t, lines[1].Rights, p.Lines[1].Rights, "what whoever has a link may do is asked one by one")
	require.Error(t, h.Drafts.ForgetPreset(t.Context(), h.Odd, all[0].ID))
	require.NoError(t, h.Drafts.ForgetPreset(t.Context(), h.Mara, all[0].ID))

	rule = expiry.Rule{Kind: expiry.AtTime, Local: "2030-01-01T18:00", Zone: "UTC"}
	_, err = h.Pack.EditPackage(t.Context(), h.Mara, draft.ID, pack.Edit{EndRule: &rule})
	require.NoError(t, err)
	require.Error(t, h.Drafts.KeepPreset(t.Context(), h.Mara, draft.ID, "Once"), "a day and an hour come once")
}

func TestThingsLieInTheirOrderUnderHeadings(t *testing.T) {
	h := apptest.Build(t, pg)
	var ids []string
	for _, name := range []string{"a", "b", "c", "d", "e"} {
		ids = append(ids, h.File(h.Mara, "", name, name).ID)
	}
	draft, _ := h.Draft(h.Mara, ids)
	in := look(t, h, draft.ID).Contents
	order := func() (out string) {
		for _, c := range look(t, h, draft.ID).Contents {
			if c.Heading != "" {
				out += "[" + c.Heading + "]"
			}
			out += c.Title
		}
		return out
	}
	require.Error(t, h.Drafts.Arrange(t.Context(), h.Odd, draft.ID, []string{in[0].ID}, ""))
	require.NoError(t, h.Drafts.Arrange(t.Context(), h.Mara, draft.ID, []string{in[4].ID, in[2].ID}, in[0].ID))
	assert.Equal(t, "aecbd", order())
	require.NoError(t, h.Drafts.Arrange(t.Context(), h.Mara, draft.ID, []string{in[3].ID}, ""))
	assert.Equal(t, "daecb", order())
	require.Error(t, h.Drafts.Head(t.Context(), h.Odd, in[4].ID, "Stills"))
	require.NoError(t, h.Drafts.Head(t.Context(), h.Mara, in[4].ID, " Stills\n"))
	assert.Equal(t, "da[Stills]ecb", order())
	require.NoError(t, h.Pack.RemoveItem(t.Context(), h.Mara, in[4].ID))
	assert.Equal(t, "da[Stills]cb", order(), "a heading stays when its first thing goes")
	require.NoError(t, h.Drafts.Arrange(t.Context(), h.Mara, draft.ID, []string{in[2].ID}, ""))
	assert.Equal(t, "cda[Stills]b", order(), "nor does it go along")
	require.NoError(t, h.Drafts.Arrange(t.Context(), h.Mara, draft.ID, []string{in[1].ID}, ""))
	assert.Equal(t, "[Stills]bcda", order(), "but with the last of its things")
	require.NoError(t, h.Drafts.Head(t.Context(), h.Mara, in[1].ID, ""))
	assert.Equal(t, "bcda", order())
}

func TestAnEndThatWaitsComesNearerOnceItIsReached(t *testing.T) {
	h := apptest.Build(t, pg)
	item := h.File(h.Mara, "", "a.mov", "abc")
	rule := expiry.Rule{Kind: expiry.AllHave, Hold: 24, Latest: 30, Zone: "Europe/London"}
	draft, lines := h.Draft(h.Mara, []string{item.ID}, "hanne@kelpwick.example", "tomos@gethin.example")
	_, err := h.Pack.EditPackage(t.Context(), h.Mara, draft.ID, pack.Edit{EndRule: &rule})
	require.NoError(t, err)
	require.NoError(t, h.Pack.Send(t.Context(), h.Mara, draft.ID))
	latest := *look(t, h, draft.ID).Parcel.EndsAt
	assert.Equal(t, rule.When(), look(t, h, draft.ID).Parcel.EndsWhen())
	takes(t, h, lines[0], item.ID)
	require.NoError(t, h.Drafts.Settle(t.Context(), draft.ID))
	assert.Equal(t, latest, *look(t, h, draft.ID).Parcel.EndsAt, "one has it not")
	h.Wait(time.Hour)
	takes(t, h, lines[1], item.ID)
	for range 2 {
		require.NoError(t, h.Drafts.Settle(t.Context(), draft.ID))
	}
	p := look(t, h, draft.ID)
	assert.WithinDuration(t, h.Now().Add(24*time.Hour), *p.Parcel.EndsAt, time.Second)
	assert.Empty(t, p.Parcel.EndsWhen(), "it has happened")
	story, err := h.Follow.Story(t.Context(), h.Mara, draft.ID, never, 50)
	require.NoError(t, err)
	said := 0
	for _, e := range story {
		if e.Kind == "end_reached" {
			said++
		}
	}
	assert.Equal(t, 1, said, "once")
	require.Error(t, h.Pack.Extend(t.Context(), h.Mara, draft.ID, rule), "it has waited already")
}

func TestAsSentStaysAsItWasSent(t *testing.T) {
	h := apptest.Build(t, pg)
	item := h.File(h.Mara, "", "a.mov", "one")
	pins := true
	draft, _ := h.Draft(h.Mara, []string{item.ID}, "hanne@kelpwick.example")
	_, err := h.Pack.EditPackage(t.Context(), h.Mara, draft.ID, pack.Edit{Pins: &pins})
	require.NoError(t, err)
	h.Again(h.Mara, item.ID, "a.mov", "second")
	require.NoError(t, h.Pack.Send(t.Context(), h.Mara, draft.ID))
	h.Again(h.Mara, item.ID, "a.mov", "the third")
	assert.Equal(t, int64(len("second")), look(t, h, draft.ID).Parcel.Weight, "the version of the moment in which it went")
	_, err = h.Pack.EditPackage(t.Context(), h.Mara, draft.ID, pack.Edit{Pins: &pins})
	require.Error(t, err)
}

type ctx = context.Context

var never follow.Moment

func whole(d receive.Delivery, size int64) receive.Receipts {
	return receive.Receipts{Delivery: d, Bytes: coverage.Of(coverage.Range{End: size})}
}
