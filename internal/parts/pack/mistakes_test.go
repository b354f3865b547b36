package pack_test

import (
	"testing"
	"time"

	"aftergust/core/link/access"
	"aftergust/core/link/door"
	"aftergust/core/link/right"
	"aftergust/core/link/state"
	"aftergust/core/words/letter"
	"aftergust/core/words/sentence"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/parts/gather"
	"aftergust/internal/parts/pack"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The mistakes that are seen again and again when things are sent, each by its name:
// it is impossible here, or said before anything goes, with what mends it.

// mends reports whether a draft is warned of a code, mends it by the one click that is
// offered, and reports whether it is gone then.
func mends(t *testing.T, h *apptest.House, parcel, code string) (warned, mended bool) {
	t.Helper()
	for _, w := range look(t, h, parcel).Warnings {
		if w.Code != code {
			continue
		}
		warned = true
		require.NotEmpty(t, w.Mend, code)
		require.NoError(t, h.Drafts.Mend(t.Context(), h.Mara, parcel, code, w.Recipient))
	}
	return warned, !contains(codes(look(t, h, parcel)), code)
}

func contains(all []string, one string) bool {
	for _, a := range all {
		if a == one {
			return true
		}
	}
	return false
}

func TestMistakeTheLinkWasLeftRestrictedAndTheClientMeetsALockedDoor(t *testing.T) {
	h := apptest.Build(t, pg)
	draft, lines := h.Draft(h.Mara, []string{h.File(h.Mara, "", "a.mov", "a").ID}, "hanne@kelpwick.example")
	_, err := h.Pack.ChangeLine(t.Context(), h.Mara, lines[0].ID, pack.LineEdit{Rights: &right.Rights{right.Note}})
	require.NoError(t, err)
	warned, mended := mends(t, h, draft.ID, sentence.NoRights)
	assert.True(t, warned && mended, "somebody is invited whom the door shuts out")
	shut := door.Passphrase
	_, err = h.Pack.EditPackage(t.Context(), h.Mara, draft.ID, pack.Edit{Door: &shut})
	require.NoError(t, err)
	assert.Equal(t, "no_passphrase", apptest.Code(t, h.Pack.Send(t.Context(), h.Mara, draft.ID)), "a door that nobody can open holds it back")
	named := door.Named
	_, err = h.Pack.AddLine(t.Context(), h.Mara, draft.ID, pack.Guest{})
	require.NoError(t, err)
	_, err = h.Pack.EditPackage(t.Context(), h.Mara, draft.ID, pack.Edit{Door: &named})
	require.NoError(t, err)
	assert.Equal(t, sentence.AnyoneNamed, apptest.Code(t, h.Pack.Send(t.Context(), h.Mara, draft.ID)), "nor a link for anyone that opens to no one")
	_, mended = mends(t, h, draft.ID, sentence.AnyoneNamed)
	assert.True(t, mended)
	require.NoError(t, h.Pack.Send(t.Context(), h.Mara, draft.ID))
}

func TestMistakeTheRightWasViewWhereItShouldHaveBeenMore(t *testing.T) {
	h := apptest.Build(t, pg)
	before, _ := h.Sent(h.Mara, []string{h.File(h.Mara, "", "a.mov", "a").ID}, "hanne@kelpwick.example")
	require.NotEmpty(t, before.ID)
	draft, lines := h.Draft(h.Mara, []string{h.File(h.Mara, "", "b.mov", "b").ID}, "hanne@kelpwick.example")
	_, err := h.Pack.ChangeLine(t.Context(), h.Mara, lines[0].ID, pack.LineEdit{Rights: &right.Rights{right.See}})
	require.NoError(t, err)
	assert.Contains(t, sentence.Text(look(t, h, draft.ID).Sentence), "may only look")
	for _, code := range []string{sentence.NoTakers, sentence.TakeGone} {
		assert.Contains(t, codes(look(t, h, draft.ID)), code)
	}
	_, mended := mends(t, h, draft.ID, sentence.TakeGone)
	assert.True(t, mended)
	assert.Contains(t, sentence.Text(look(t, h, draft.ID).Sentence), "download")
}

func TestMistakeAnyoneWithTheLinkGotMoreRightsThanMeant(t *testing.T) {
	h := apptest.Build(t, pg)
	draft, _ := h.Draft(h.Mara, []string{h.File(h.Mara, "", "a.mov", "a").ID}, "")
	warned, mended := mends(t, h, draft.ID, sentence.OpenTake)
	assert.True(t, warned && mended)
	assert.Contains(t, sentence.Text(look(t, h, draft.ID).Sentence), "anyone with the link may look")
	ends, err := draft.EndRule.Resolve(h.Now())
	require.NoError(t, err)
	assert.False(t, ends.IsZero(), "no link is without an end, whatever it lets people do")
}

func TestMistakeAFileOutsideOfTheSharedFolderLooksSharedButIsNot(t *testing.T) {
	h := apptest.Build(t, pg)
	place := h.Project(h.Mara, "Kelpwick Harbour Museum", "Lifeboat films")
	in, out := h.File(h.Mara, place.ID, "in.mov", "in"), h.File(h.Mara, place.ID, "out.mov", "out")
	draft, err := h.Pack.Pack(t.Context(), h.Mara, "", gather.Selection{Items: []string{in.ID}})
	require.NoError(t, err)
	line, err := h.Pack.AddLine(t.Context(), h.Mara, draft.ID, pack.Guest{Address: "hanne@kelpwick.example"})
	require.NoError(t, err)
	assert.Contains(t, sentence.Text(look(t, h, draft.ID).Sentence), "1 item", "the Sentence counts what goes, and nothing that lies beside it")
	member := h.Mara
	seen, err := h.Receive.Enter(t.Context(), last(h.Pack.LinkURL(line)), "", &member)
	require.NoError(t, err)
	inside, err := h.Receive.Inside(t.Context(), seen, pack.Place{})
	require.NoError(t, err)
	require.Len(t, inside.Contents, 1, "and before it goes one sees it as they do")
	assert.Equal(t, in.ID, inside.Contents[0].ItemID)
	_, err = h.Receive.Reach(t.Context(), seen, out.ID, right.See)
	assert.Equal(t, "not_found", apptest.Code(t, err))
}

func last(link string) string { return link[len("http://studio.example/r/"):] }

func TestMistakeTheAccountThatGetsAskedIsNotTheOneThatWasInvited(t *testing.T) {
	h := apptest.Build(t, pg)
	draft, lines := h.Draft(h.Mara, []string{h.File(h.Mara, "", "a.mov", "a").ID}, "hanne@kelpwick.example")
	named := door.Named
	_, err := h.Pack.EditPackage(t.Context(), h.Mara, draft.ID, pack.Edit{Door: &named})
	require.NoError(t, err)
	require.NoError(t, h.Pack.Send(t.Context(), h.Mara, draft.ID))
	odd := h.Odd // who opens the link is signed in elsewhere, under another address
	e, err := h.Receive.Enter(t.Context(), last(h.Pack.LinkURL(lines[0])), "laptop", &odd)
	require.NoError(t, err)
	assert.Equal(t, access.NeedCode, e.Standing(h.Now()), "no account is asked for, and none gets anybody in")
	require.NoError(t, h.Receive.SendCode(t.Context(), e, "10.0.0.1"))
	for _, l := range look(t, h, draft.ID).Letters {
		if l.Kind == letter.Code {
			assert.Equal(t, "hanne@kelpwick.example", l.ToEmail, "the code goes to whoever was invited")
		}
	}
}

func TestMistakeTheMailGotLostAmongFiveOthers(t *testing.T) {
	h := apptest.Build(t, pg)
	var items []string
	for _, name := range []string{"a.mov", "b.mov", "c.mov", "d.mov", "e.mov"} {
		items = append(items, h.File(h.Mara, "", name, name).ID)
	}
	p, lines := h.Sent(h.Mara, items, "hanne@kelpwick.example")
	letters := look(t, h, p.ID).Letters
	require.Len(t, letters, 1, "five files are one letter")
	assert.Contains(t, look(t, h, p.ID).Parcel.Title, "a")
	desk, err := h.Follow.Desk(t.Context(), h.Mara)
	require.NoError(t, err)
	require.Len(t, desk.Out[0].Strands, 1)
	assert.Zero(t, desk.Out[0].Strands[0].Standing.FirstOpened, "who has not opened it stands on the Desk")
	require.NoError(t, h.Remind.One(t.Context(), h.Mara, lines[0].ID, ""))
	assert.Equal(t, "reminded", apptest.Code(t, h.Remind.One(t.Context(), h.Mara, lines[0].ID, "")), "one reminder, not five more letters")
}

func TestMistakeAHalfFinishedFolderWasSharedAndEverybodyGotOneNotificationForEachFile(t *testing.T) {
	h := apptest.Build(t, pg)
	draft, _ := h.Draft(h.Mara, []string{h.File(h.Mara, "", "a.mov", "a").ID}, "hanne@kelpwick.example", "tomos@gethin.example")
	require.NoError(t, gather.UploadRows{DB: h.Store}.InsertUpload(t.Context(), gather.Upload{ID: "u1", StudioID: h.Mara.StudioID, ParcelID: draft.ID, Name: "b.mov", Size: 9,
		State: gather.Arriving, CreatedAt: h.Now(), Tags: []string{}, MemberID: h.Mara.ID}))
	assert.Contains(t, codes(look(t, h, draft.ID)), sentence.Uploading)
	assert.Equal(t, sentence.Uploading, apptest.Code(t, h.Pack.Send(t.Context(), h.Mara, draft.ID)))
	require.NoError(t, h.Drafts.SendAt(t.Context(), h.Mara, draft.ID, h.Now(), false))
	require.NoError(t, h.Drafts.GoDue(t.Context()))
	assert.Equal(t, state.Draft, look(t, h, draft.ID).State, "it waits for the last of them")
	assert.Empty(t, look(t, h, draft.ID).Letters)
	desk, err := h.Follow.Desk(t.Context(), h.Mara)
	require.NoError(t, err)
	require.NotEmpty(t, desk.Needs)
	assert.Equal(t, "goes", string(desk.Needs[0].Kind), "and says so on the Desk")
	_, err = h.Store.Pool().Exec(t.Context(), "update upload set state = 'done' where id = 'u1'")
	require.NoError(t, err)
	require.NoError(t, h.Drafts.GoDue(t.Context()))
	assert.Len(t, look(t, h, draft.ID).Letters, 2, "one letter to each")
}

func TestMistakeNobodyNoticedThatTheLinkHadRunOut(t *testing.T) {
	h := apptest.Build(t, pg)
	p, lines := h.Sent(h.Mara, []string{h.File(h.Mara, "", "a.mov", "a").ID}, "hanne@kelpwick.example")
	h.Wait(ends(t, h, p.ID).Sub(h.Now()) - 40*time.Hour)
	assert.Equal(t, state.Closing, look(t, h, p.ID).State, "it says so two days before, to the studio and to whoever opens it")
	desk, err := h.Follow.Desk(t.Context(), h.Mara)
	require.NoError(t, err)
	assert.Equal(t, state.Closing, desk.Out[0].State)
	h.Wait(41 * time.Hour)
	e := h.Enter(lines[0], "laptop")
	assert.Equal(t, access.Ended, e.Standing(h.Now()))
	require.NoError(t, h.Receive.Ask(t.Context(), e, "", "I still need it."))
	desk, err = h.Follow.Desk(t.Context(), h.Mara)
	require.NoError(t, err)
	require.NoError(t, h.Receive.Answer(t.Context(), h.Mara, desk.Needs[0].Knock, true))
	assert.Equal(t, access.Allowed, h.Enter(lines[0], "laptop").Standing(h.Now()), "the same link goes on")
}

func ends(t *testing.T, h *apptest.House, id string) time.Time {
	t.Helper()
	return *look(t, h, id).Parcel.EndsAt
}
