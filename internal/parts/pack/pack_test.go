package pack_test

import (
	"strings"
	"testing"
	"time"

	"aftergust/core/link/door"
	"aftergust/core/link/right"
	"aftergust/core/link/state"
	"aftergust/core/time/expiry"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/parts/gather"
	"aftergust/internal/parts/pack"
	"aftergust/internal/parts/people"
	"aftergust/internal/who/account"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var looks = right.Rights{right.See}

func inDays(days int) expiry.Rule {
	return expiry.Rule{Kind: expiry.AfterDays, Days: days, Zone: "Europe/London"}
}

func TestNobodyOfAnotherStudioReachesAPackage(t *testing.T) {
	h := apptest.Build(t, pg)
	p, lines := h.Sent(h.Mara, []string{h.File(h.Mara, "", "a.mov", "a").ID}, "hanne@kelpwick.example")
	draft, _ := h.Draft(h.Mara, []string{h.File(h.Mara, "", "b.mov", "b").ID})
	contents, err := h.Pack.Contents(t.Context(), h.Mara, p.ID, pack.Place{})
	require.NoError(t, err)
	theirs := h.File(h.Odd, "", "c.mov", "c")
	title := "Mine now"
	for what, try := range map[string]func(m account.Member) error{
		"read": func(m account.Member) error { _, err := h.Pack.Package(t.Context(), m, p.ID); return err },
		"list": func(m account.Member) error {
			_, err := h.Pack.Contents(t.Context(), m, p.ID, pack.Place{})
			return err
		},
		"edit": func(m account.Member) error {
			_, err := h.Pack.EditPackage(t.Context(), m, p.ID, pack.Edit{Title: &title})
			return err
		},
		"address": func(m account.Member) error {
			_, err := h.Pack.AddLine(t.Context(), m, p.ID, pack.Guest{Address: "x@y.example", Rights: looks})
			return err
		},
		"change": func(m account.Member) error {
			_, err := h.Pack.ChangeLine(t.Context(), m, lines[0].ID, pack.LineEdit{Name: &title})
			return err
		},
		"remind":  func(m account.Member) error { return h.Remind.One(t.Context(), m, lines[0].ID, "") },
		"remove":  func(m account.Member) error { return h.Pack.RemoveLine(t.Context(), m, lines[0].ID) },
		"pull":    func(m account.Member) error { return h.Pack.RemoveItem(t.Context(), m, contents[0].ID) },
		"check":   func(m account.Member) error { _, err := h.Pack.PreflightPackage(t.Context(), m, p.ID); return err },
		"extend":  func(m account.Member) error { return h.Pack.Extend(t.Context(), m, p.ID, inDays(3)) },
		"stop":    func(m account.Member) error { return h.Pack.Stop(t.Context(), m, p.ID) },
		"send":    func(m account.Member) error { return h.Pack.Send(t.Context(), m, draft.ID) },
		"discard": func(m account.Member) error { return h.Drafts.Discard(t.Context(), m, draft.ID) },
		"pack": func(m account.Member) error {
			_, err := h.Pack.Pack(t.Context(), m, draft.ID, gather.Selection{Items: []string{theirs.ID}})
			return err
		},
	} {
		assert.Equal(t, "not_found", apptest.Code(t, try(h.Odd)), what)
	}
	_, err = h.Pack.Pack(t.Context(), h.Mara, draft.ID, gather.Selection{Items: []string{theirs.ID}})
	assert.Equal(t, "selection_changed", apptest.Code(t, err), "nor does anybody pack another studio's things")
	after, err := h.Pack.Package(t.Context(), h.Mara, p.ID)
	require.NoError(t, err)
	assert.Equal(t, state.Out, after.State)
	assert.Equal(t, "a", after.Parcel.Title)
	require.Len(t, after.Lines, 1)
	assert.Nil(t, after.Lines[0].RemovedAt)
}

func TestAPackageGoesFromDraftToClearedAndEachStepOnce(t *testing.T) {
	h := apptest.Build(t, pg)
	p, lines := h.Draft(h.Mara, []string{h.File(h.Mara, "", "a.mov", "a").ID}, "hanne@kelpwick.example")
	at := func() state.State {
		got, err := h.Pack.ParcelOf(t.Context(), h.Mara, p.ID)
		require.NoError(t, err)
		return got.State(h.Now())
	}
	code := func(err error) string { return apptest.Code(t, err) }
	assert.Equal(t, state.Draft, at())
	assert.Equal(t, "not_out", code(h.Pack.Stop(t.Context(), h.Mara, p.ID)))
	assert.Equal(t, "not_sent", code(h.Pack.Extend(t.Context(), h.Mara, p.ID, inDays(3))))
	assert.Equal(t, "not_out", code(h.Remind.One(t.Context(), h.Mara, lines[0].ID, "")))
	require.NoError(t, h.Pack.Send(t.Context(), h.Mara, p.ID))
	assert.Equal(t, "already_sent", code(h.Pack.Send(t.Context(), h.Mara, p.ID)))
	assert.Equal(t, "already_sent", code(h.Drafts.Discard(t.Context(), h.Mara, p.ID)))
	assert.Equal(t, state.Out, at())
	assert.Equal(t, "invalid", code(h.Pack.Extend(t.Context(), h.Mara, p.ID, inDays(366))))
	assert.Equal(t, state.Out, at())
	h.Wait(6 * 24 * time.Hour)
	assert.Equal(t, state.Closing, at())
	h.Wait(2 * 24 * time.Hour)
	assert.Equal(t, state.Closed, at())
	require.NoError(t, h.Pack.Extend(t.Context(), h.Mara, p.ID, inDays(3)), "its bytes are held")
	assert.Equal(t, state.Out, at())
	require.NoError(t, h.Pack.Stop(t.Context(), h.Mara, p.ID))
	assert.Equal(t, "not_out", code(h.Pack.Stop(t.Context(), h.Mara, p.ID)))
	h.Wait(expiry.HoldAfterEnd - time.Second)
	require.NoError(t, h.Pack.ClearEnded(t.Context()))
	assert.Equal(t, state.Closed, at(), "one second before the hold is over")
	h.Wait(2 * time.Second)
	require.NoError(t, h.Pack.ClearEnded(t.Context()))
	assert.Equal(t, state.Cleared, at())
	assert.Equal(t, "cleared", code(h.Pack.Extend(t.Context(), h.Mara, p.ID, inDays(3))))
	_, err := h.Pack.Pack(t.Context(), h.Mara, p.ID, gather.Selection{Items: []string{h.File(h.Mara, "", "b.mov", "b").ID}})
	assert.Equal(t, "cleared", code(err))
}

func TestWhatIsWrittenOnAPackageHasBounds(t *testing.T) {
	h := apptest.Build(t, pg)
	p, _ := h.Draft(h.Mara, []string{h.File(h.Mara, "", "a.mov", "a").ID})
	edit := func(e pack.Edit) (pack.Parcel, string) {
		got, err := h.Pack.EditPackage(t.Context(), h.Mara, p.ID, e)
		return got, apptest.Code(t, err)
	}
	text := func(n int) *string { s := strings.Repeat("ö", n); return &s }
	for n, want := range map[int]string{7: "invalid", 8: "", 200: "", 201: "invalid"} {
		signs := make([]rune, n)
		for i, state := 0, uint32(1); i < n; i++ { // of two bytes each, without a pattern
			state = state*1664525 + 1013904223
			signs[i] = rune('à' + state>>16%29)
		}
		phrase := string(signs)
		_, code := edit(pack.Edit{Passphrase: &phrase})
		assert.Equal(t, want, code, "a passphrase of %d characters", n)
	}
	for _, plain := range []string{"password", "12345678", "mara quill"} {
		_, code := edit(pack.Edit{Passphrase: &plain})
		assert.Equal(t, "invalid", code, plain)
	}
	for n, want := range map[int]string{8000: "", 8001: "invalid"} {
		_, code := edit(pack.Edit{CoverLetter: text(n)})
		assert.Equal(t, want, code, "a cover letter of %d", n)
	}
	got, _ := edit(pack.Edit{Title: text(120)})
	assert.Equal(t, *text(120), got.Title)
	got, _ = edit(pack.Edit{Title: text(121)})
	assert.Equal(t, *text(119)+"…", got.Title)
	blank := "  "
	got, _ = edit(pack.Edit{Title: &blank})
	assert.Equal(t, pack.Untitled, got.Title)
	for d, want := range map[door.Door]string{door.Open: "", door.Passphrase: "", door.Named: "", door.GuestBook: "", "ajar": "invalid"} {
		_, code := edit(pack.Edit{Door: &d})
		assert.Equal(t, want, code, d)
	}
	nowhere := expiry.Rule{Kind: expiry.AfterDays, Days: 3, Zone: "Mars/Olympus"}
	_, code := edit(pack.Edit{EndRule: &nowhere})
	assert.Equal(t, "invalid", code)
}

// An address that was mistyped in a draft would be offered for ever, and its domain taken for a
// known one.
func TestPeopleAreInTheBookOnceSomethingIsSentToThem(t *testing.T) {
	h := apptest.Build(t, pg)
	listed := func() (names []string) {
		all, err := h.Book.List(t.Context(), h.Mara.StudioID, people.Query{})
		require.NoError(t, err)
		for _, p := range all {
			names = append(names, p.Email)
		}
		return names
	}
	meant := func(text string) string {
		all, err := h.Book.Read(t.Context(), h.Mara.StudioID, text)
		require.NoError(t, err)
		require.Len(t, all, 1)
		return all[0].Meant
	}
	p, lines := h.Draft(h.Mara, []string{h.File(h.Mara, "", "a.mov", "0123456789").ID}, "hanne@kelpwick.example", "hanne@kelpwcik.example")
	assert.Empty(t, listed())
	assert.Empty(t, meant("tomos@kelpwick.exmaple"))
	require.NoError(t, h.Pack.RemoveLine(t.Context(), h.Mara, lines[1].ID))
	require.NoError(t, h.Pack.Send(t.Context(), h.Mara, p.ID))
	assert.Equal(t, []string{"hanne@kelpwick.example"}, listed())
	assert.Equal(t, "tomos@kelpwick.example", meant("tomos@kelpwick.exmaple"))
	_, err := h.Pack.AddLine(t.Context(), h.Mara, p.ID, pack.Guest{Address: "Tomos <tomos@gethin.example>"})
	require.NoError(t, err, "who is put on the waybill of an open package is written to at once")
	assert.Len(t, listed(), 2)
	ines, err := h.Book.Add(t.Context(), h.Mara.StudioID, "ines@kelpwick.example", "")
	require.NoError(t, err, "by hand")
	assert.Len(t, listed(), 3)

	require.NoError(t, h.Book.Forget(t.Context(), h.Mara.StudioID, ines.ID, true))
	again, _ := h.Draft(h.Mara, []string{h.File(h.Mara, "", "b.mov", "0123456789").ID}, "Ines Other <ines@kelpwick.example>")
	assert.Len(t, listed(), 2, "who was taken out is not put back by a draft")
	require.NoError(t, h.Pack.Send(t.Context(), h.Mara, again.ID))
	assert.Len(t, listed(), 3)
}

func TestAWaybillKeepsEachPersonOnce(t *testing.T) {
	h := apptest.Build(t, pg)
	p, lines := h.Draft(h.Mara, []string{h.File(h.Mara, "", "a.mov", "a").ID}, "Hanne Orrick <hanne@kelpwick.example>", "")
	add := func(g pack.Guest) (pack.Line, string) {
		l, err := h.Pack.AddLine(t.Context(), h.Mara, p.ID, g)
		return l, apptest.Code(t, err)
	}
	_, code := add(pack.Guest{Address: "HANNE@kelpwick.example", Rights: looks})
	assert.Equal(t, "already_there", code)
	_, code = add(pack.Guest{Rights: looks})
	assert.Equal(t, "already_there", code, "one link for anyone")
	_, code = add(pack.Guest{Address: "not an address", Rights: looks})
	assert.Equal(t, "invalid", code)
	_, code = add(pack.Guest{Address: "tove@kelpwick.example", Rights: looks, Zone: "Mars/Olympus"})
	assert.Equal(t, "invalid", code)
	assert.Equal(t, "Anyone with the link", lines[1].Name)
	assert.Equal(t, pack.ForAll, lines[1].WayKind)
	require.NoError(t, h.Pack.RemoveLine(t.Context(), h.Mara, lines[0].ID))
	again, code := add(pack.Guest{Address: "hanne@kelpwick.example", Rights: right.Rights{"fly", right.Take, right.See}})
	assert.Empty(t, code, "whoever was taken off a draft can come back")
	assert.Equal(t, "Hanne Orrick", again.Name, "and is known by then")
	assert.Equal(t, right.Rights{right.See, right.Take}, again.Rights)
	assert.Equal(t, lines[0].PersonID, again.PersonID)

	named := door.Named
	_, err := h.Pack.EditPackage(t.Context(), h.Mara, p.ID, pack.Edit{Door: &named})
	require.NoError(t, err)
	second, _ := h.Draft(h.Mara, []string{h.File(h.Mara, "", "b.mov", "b").ID})
	_, err = h.Pack.EditPackage(t.Context(), h.Mara, second.ID, pack.Edit{Door: &named})
	require.NoError(t, err)
	_, err = h.Pack.AddLine(t.Context(), h.Mara, second.ID, pack.Guest{Rights: looks})
	assert.Equal(t, "invalid", apptest.Code(t, err), "behind a door for named people there is no link for anyone")
}

func TestAReminderGoesAgainAfterTwelveHours(t *testing.T) {
	h := apptest.Build(t, pg)
	_, lines := h.Sent(h.Mara, []string{h.File(h.Mara, "", "a.mov", "a").ID}, "hanne@kelpwick.example", "")
	remind := func(l pack.Line) string { return apptest.Code(t, h.Remind.One(t.Context(), h.Mara, l.ID, "")) }
	assert.Equal(t, "invalid", remind(lines[1]), "there is no mail address behind a link for anyone")
	assert.Empty(t, remind(lines[0]))
	assert.Equal(t, "reminded", remind(lines[0]))
	h.Wait(13 * time.Hour)
	assert.Empty(t, remind(lines[0]))
	nothing := right.Rights{}
	_, err := h.Pack.ChangeLine(t.Context(), h.Mara, lines[0].ID, pack.LineEdit{Rights: &nothing})
	require.NoError(t, err)
	assert.Equal(t, "no_rights", remind(lines[0]))
}
