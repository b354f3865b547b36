package receive_test

import (
	"context"
	"fmt"
	"sync/atomic"
	"testing"
	"time"

	"aftergust/core/link/access"
	"aftergust/core/link/door"
	"aftergust/core/link/right"
	"aftergust/core/record/event"
	"aftergust/core/words/letter"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/ground/wire"
	"aftergust/internal/parts/follow"
	"aftergust/internal/parts/pack"
	"aftergust/internal/parts/receive"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sync/errgroup"
)

// withBook is a package that is out behind a guest book: a link for anyone, and Hanne.
func withBook(t *testing.T, h *apptest.House) (p pack.Parcel, anyone, hanne pack.Line) {
	t.Helper()
	p, lines := h.Draft(h.Mara, []string{h.File(h.Mara, "", "a.mov", "lifeboat").ID}, "", "hanne@kelpwick.example")
	d := door.GuestBook
	_, err := h.Pack.EditPackage(t.Context(), h.Mara, p.ID, pack.Edit{Door: &d})
	require.NoError(t, err)
	require.NoError(t, h.Pack.Send(t.Context(), h.Mara, p.ID))
	return p, lines[0], lines[1]
}

// sign leaves an address by a link from a device, and returns the device as it is known then.
func sign(t *testing.T, h *apptest.House, l pack.Line, device, name, address string) string {
	t.Helper()
	known, err := h.Receive.SignBook(t.Context(), h.Enter(l, device), name, address, "10.0.0.1")
	require.NoError(t, err)
	return known
}

func TestWhoeverLeavesTheirAddressIsInUnderTheirOwnName(t *testing.T) {
	h := apptest.Build(t, pg)
	p, anyone, hanne := withBook(t, h)
	assert.Equal(t, access.NeedAddress, h.Enter(anyone, "one").Standing(h.Now()))
	assert.Equal(t, access.Allowed, h.Enter(hanne, "two").Standing(h.Now()), "a link of one's own needs no book")

	device := sign(t, h, anyone, "one", " Tove Lind\n", "tove@northmoor.example")
	e := h.Enter(anyone, device)
	assert.Equal(t, access.Allowed, e.Standing(h.Now()))
	assert.Equal(t, "Tove Lind", e.Line.Name)
	assert.Equal(t, access.NeedAddress, h.Enter(anyone, "one").Standing(h.Now()), "whoever put a secret there beforehand is not in with it")
	assert.Equal(t, access.NeedAddress, h.Enter(anyone, "three").Standing(h.Now()))
	assert.Equal(t, 1, happened(t, h, p.ID, event.Signed))

	// Nobody has shown that the address is theirs: no letter goes there, and they are not in the contact book.
	require.Error(t, h.Remind.One(t.Context(), h.Mara, e.Line.ID, ""))
	view, err := h.Pack.Package(t.Context(), h.Mara, p.ID)
	require.NoError(t, err)
	for _, l := range view.Letters {
		assert.Equal(t, hanne.ID, l.LineID)
	}
	ledger, err := h.Follow.Story(t.Context(), h.Mara, p.ID, follow.Moment{}, 50)
	require.NoError(t, err)
	assert.Equal(t, "Tove Lind left their address in the guest book.", ledger[0].Say())
}

func TestAnAddressThatNobodyCheckedShowsNobodyWhatWasDoneUnderIt(t *testing.T) {
	h := apptest.Build(t, pg)
	_, anyone, hanne := withBook(t, h)
	first := h.Enter(anyone, sign(t, h, anyone, "one", "Hanne Orrick", "hanne@kelpwick.example"))
	second := h.Enter(anyone, sign(t, h, anyone, "two", "Hanne Orrick", "hanne@kelpwick.example"))
	assert.NotEqual(t, hanne.ID, first.Line.ID, "whoever claims to be Hanne does not get her line")
	assert.NotEqual(t, first.Line.ID, second.Line.ID)
}

func TestGuestsGoWithTheirLinkAndMayWhatItMay(t *testing.T) {
	h := apptest.Build(t, pg)
	_, anyone, _ := withBook(t, h)
	device := sign(t, h, anyone, "one", "Tove Lind", "tove@northmoor.example")
	may := func(verb right.Right) access.Reason { return h.Enter(anyone, device).Decide(verb, false, h.Now()) }
	assert.Equal(t, access.Allowed, may(right.Take))
	_, err := h.Pack.ChangeLine(t.Context(), h.Mara, anyone.ID, pack.LineEdit{Rights: &right.Rights{right.See}})
	require.NoError(t, err)
	assert.Equal(t, access.NoRight, may(right.Take))
	assert.Equal(t, access.Allowed, may(right.See))
	running := h.Enter(anyone, device).Running(right.See, nil)
	require.NoError(t, h.Pack.RemoveLine(t.Context(), h.Mara, anyone.ID))
	assert.Equal(t, access.RemovedPerson, may(right.See))
	reasons, _, err := h.Receive.StillOpen(t.Context(), []wire.Running{running})
	require.NoError(t, err)
	assert.Equal(t, []access.Reason{access.RemovedPerson}, reasons, "what runs is cut")
}

func TestBadEntriesInAGuestBookAreRefusedAndEnterNothing(t *testing.T) {
	h := apptest.Build(t, pg)
	p, anyone, _ := withBook(t, h)
	for _, c := range [][2]string{{"", "tove@northmoor.example"}, {"Tove", "tove"}, {"Tove", ""}, {"Tove", "tove@northmoor.example\r\nBcc: all@x.example"},
		{"  ", "<tove@northmoor.example>"}} {
		_, err := h.Receive.SignBook(t.Context(), h.Enter(anyone, "one"), c[0], c[1], "10.0.0.1")
		assert.Equal(t, "invalid", apptest.Code(t, err), "%q", c)
	}
	assert.Zero(t, happened(t, h, p.ID, event.Signed))
	open, line := behind(t, h, door.Passphrase)
	_, err := h.Receive.SignBook(t.Context(), h.Enter(line, "one"), "Tove", "tove@northmoor.example", "10.0.0.1")
	assert.Equal(t, "need_passphrase", apptest.Code(t, err), "a book opens no other door")
	assert.Zero(t, happened(t, h, open.ID, event.Signed))
}

func TestTwoHundredEntriesAtOnceFillNoBook(t *testing.T) {
	h := apptest.Build(t, pg)
	p, anyone, _ := withBook(t, h)
	var in atomic.Int32
	var group errgroup.Group
	for i := range 200 {
		group.Go(func() error {
			_, err := h.Receive.SignBook(context.Background(), h.Enter(anyone, fmt.Sprint(i)), "Tove", fmt.Sprintf("t%d@northmoor.example", i),
				fmt.Sprintf("10.0.%d.1", i%4))
			if err == nil {
				in.Add(1)
			}
			return nil
		})
	}
	require.NoError(t, group.Wait())
	assert.EqualValues(t, 40, in.Load(), "ten from each of four sources")
	assert.Equal(t, 40, happened(t, h, p.ID, event.Signed))
}

func TestWhoAsksAtAShutDoorIsLetInByOneAnswer(t *testing.T) {
	for name, c := range map[string]struct {
		door  door.Door
		close func(h *apptest.House, p pack.Parcel, l pack.Line)
		why   access.Reason
	}{
		"without the passphrase": {door.Passphrase, nil, access.NeedPassphrase},
		"without their mail":     {door.Named, nil, access.NeedCode},
		"after it was stopped": {door.Open, func(h *apptest.House, p pack.Parcel, _ pack.Line) {
			require.NoError(t, h.Pack.Stop(t.Context(), h.Mara, p.ID))
		}, access.Stopped},
		"after its end": {door.Open, func(h *apptest.House, _ pack.Parcel, _ pack.Line) { h.Wait(15 * 24 * time.Hour) }, access.Ended},
		"after the end, too, behind a door": {door.Passphrase, func(h *apptest.House, _ pack.Parcel, _ pack.Line) { h.Wait(15 * 24 * time.Hour) },
			access.Ended},
		"taken off": {door.Open, func(h *apptest.House, _ pack.Parcel, l pack.Line) {
			require.NoError(t, h.Pack.RemoveLine(t.Context(), h.Mara, l.ID))
		}, access.RemovedPerson},
	} {
		t.Run(name, func(t *testing.T) {
			h := apptest.Build(t, pg)
			p, line := behind(t, h, c.door)
			if c.close != nil {
				c.close(h, p, line)
			}
			enter := func() receive.Entrant { return h.Enter(line, "laptop") }
			require.Equal(t, c.why, enter().Standing(h.Now()))
			require.NoError(t, h.Receive.Ask(t.Context(), enter(), "", "It is for Friday."))
			require.NoError(t, h.Receive.Ask(t.Context(), enter(), "", "It is for Friday, please."))

			desk, err := h.Follow.Desk(t.Context(), h.Mara)
			require.NoError(t, err)
			require.Len(t, desk.Needs, 1, "who asks twice stands there once")
			assert.Equal(t, follow.NeedAsked, desk.Needs[0].Kind)
			id := desk.Needs[0].Knock
			_, err = h.Receive.KnockOf(t.Context(), h.Odd, id)
			assert.Equal(t, "not_found", apptest.Code(t, err), "another studio")
			require.Error(t, h.Receive.Answer(t.Context(), h.Odd, id, true))
			require.Equal(t, c.why, enter().Standing(h.Now()))

			require.NoError(t, h.Receive.Answer(t.Context(), h.Mara, id, true))
			assert.Equal(t, access.Allowed, enter().Standing(h.Now()))
			if c.door != door.Open {
				assert.NotEqual(t, access.Allowed, h.Enter(line, "another").Standing(h.Now()), "the door opens for the device that asked")
			}
			assert.Equal(t, "answered", apptest.Code(t, h.Receive.Answer(t.Context(), h.Mara, id, false)))
			assert.Equal(t, 1, happened(t, h, p.ID, event.LetIn))
			desk, err = h.Follow.Desk(t.Context(), h.Mara)
			require.NoError(t, err)
			assert.Empty(t, desk.Needs)
		})
	}
}

func TestWhoIsNotLetInIsTold(t *testing.T) {
	h := apptest.Build(t, pg)
	p, line := behind(t, h, door.Passphrase)
	require.NoError(t, h.Receive.Ask(t.Context(), h.Enter(line, "laptop"), "", ""))
	k, ok, err := h.Receive.Asked(t.Context(), h.Enter(line, "laptop"))
	require.NoError(t, err)
	require.True(t, ok)
	_, ok, err = h.Receive.Asked(t.Context(), h.Enter(line, "another"))
	require.NoError(t, err)
	assert.False(t, ok, "what one device asked is nothing to another")
	require.NoError(t, h.Receive.Answer(t.Context(), h.Mara, k.ID, false))
	k, _, err = h.Receive.Asked(t.Context(), h.Enter(line, "laptop"))
	require.NoError(t, err)
	assert.NotNil(t, k.AnsweredAt)
	assert.False(t, k.LetIn)
	assert.Equal(t, access.NeedPassphrase, h.Enter(line, "laptop").Standing(h.Now()))
	assert.Equal(t, 1, happened(t, h, p.ID, event.TurnedAway))
	view, err := h.Pack.Package(t.Context(), h.Mara, p.ID)
	require.NoError(t, err)
	for _, l := range view.Letters {
		assert.NotEqual(t, letter.Code, l.Kind)
	}
}

func TestADoorThatChangesAfterAnAnswerShutsThemOutAgain(t *testing.T) {
	h := apptest.Build(t, pg)
	p, line := behind(t, h, door.Passphrase)
	require.NoError(t, h.Receive.Ask(t.Context(), h.Enter(line, "laptop"), "", ""))
	k, _, err := h.Receive.Asked(t.Context(), h.Enter(line, "laptop"))
	require.NoError(t, err)
	require.NoError(t, h.Receive.Answer(t.Context(), h.Mara, k.ID, true))
	h.Wait(time.Minute)
	other := "four other words here"
	_, err = h.Pack.EditPackage(t.Context(), h.Mara, p.ID, pack.Edit{Passphrase: &other})
	require.NoError(t, err)
	assert.Equal(t, access.NeedPassphrase, h.Enter(line, "laptop").Standing(h.Now()))
}
