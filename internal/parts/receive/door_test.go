package receive_test

import (
	"context"
	"fmt"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"aftergust/core/link/access"
	"aftergust/core/link/door"
	"aftergust/core/link/right"
	"aftergust/core/link/throttle"
	"aftergust/core/record/event"
	"aftergust/core/words/letter"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/ground/wire"
	"aftergust/internal/parts/follow"
	"aftergust/internal/parts/pack"
	"aftergust/internal/parts/receive"
	"aftergust/internal/who/tries"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sync/errgroup"
)

const passphrase = "slow glaze harbour lamp"

// behind is a package that is out behind a door, with one person.
func behind(t *testing.T, h *apptest.House, d door.Door) (pack.Parcel, pack.Line) {
	t.Helper()
	p, lines := h.Draft(h.Mara, []string{h.File(h.Mara, "", "a.mov", "lifeboat").ID}, "hanne@kelpwick.example")
	phrase := passphrase
	_, err := h.Pack.EditPackage(t.Context(), h.Mara, p.ID, pack.Edit{Door: &d, Passphrase: &phrase})
	require.NoError(t, err)
	require.NoError(t, h.Pack.Send(t.Context(), h.Mara, p.ID))
	return p, lines[0]
}

// knock answers the door and leaves the new secret of the device aside.
func knock(ctx context.Context, h *apptest.House, e receive.Entrant, answer, host string) error {
	_, err := h.Receive.PassDoor(ctx, e, answer, host)
	return err
}

func happened(t *testing.T, h *apptest.House, parcel string, kind event.Kind) (n int) {
	t.Helper()
	story, err := h.Follow.Story(t.Context(), h.Mara, parcel, follow.Moment{}, 1000)
	require.NoError(t, err)
	for _, e := range story {
		if e.Kind == kind {
			n++
		}
	}
	return n
}

func TestTenWrongPassphrasesAndTheEleventhWaitsAQuarterOfAnHour(t *testing.T) {
	h := apptest.Build(t, pg)
	p, line := behind(t, h, door.Passphrase)
	try := func(answer string) string {
		return apptest.Code(t, knock(t.Context(), h, h.Enter(line, "one"), answer, "10.0.0.1"))
	}
	for i := range 10 {
		assert.Equal(t, "wrong_passphrase", try("guess"), "try %d", i+1)
		assert.Equal(t, i == 9, happened(t, h, p.ID, event.Blocked) == 1, "the producer hears of it with the tenth")
	}
	assert.Equal(t, "too_many_tries", try(passphrase), "also the right one waits now")
	h.Wait(15*time.Minute - time.Millisecond)
	assert.Equal(t, "too_many_tries", try(passphrase))
	h.Wait(time.Millisecond)
	assert.Empty(t, try(" "+passphrase+" "))
	assert.Equal(t, 1, happened(t, h, p.ID, event.Blocked))
	for range 20 { // who is in is not counted
		e := h.Enter(line, "two")
		require.NoError(t, knock(t.Context(), h, e, passphrase, "10.0.0.1"))
	}
}

func TestThirtyWrongTriesFromOneAddressWithAnyNumberOfLinks(t *testing.T) {
	h := apptest.Build(t, pg)
	for i := range 4 {
		_, line := behind(t, h, door.Passphrase)
		for j := range 8 {
			want := "wrong_passphrase"
			if 8*i+j >= 30 {
				want = "too_many_tries"
			}
			assert.Equal(t, want, apptest.Code(t, knock(t.Context(), h, h.Enter(line, "one"), "guess", "10.0.0.1")), "try %d", 8*i+j+1)
		}
	}
	_, line := behind(t, h, door.Passphrase)
	assert.Equal(t, "wrong_passphrase", apptest.Code(t, knock(t.Context(), h, h.Enter(line, "one"), "guess", "10.0.0.2")))
}

// Of two hundred tries at once no more are weighed than of two hundred one after the other.
func TestTwoHundredTriesAtOnceGetNoFurtherThanTen(t *testing.T) {
	h := apptest.Build(t, pg)
	p, line := behind(t, h, door.Named)
	require.NoError(t, h.Receive.SendCode(t.Context(), h.Enter(line, "one"), "10.0.0.1"))
	e := h.Enter(line, "one")
	var weighed, refused atomic.Int32
	var all errgroup.Group
	for i := range 200 {
		all.Go(func() error {
			switch apptest.Code(t, knock(context.Background(), h, e, "12345"+string(rune('0'+i%10)), "10.0.0.1")) {
			case "wrong_code":
				weighed.Add(1)
			case "too_many_tries":
				refused.Add(1)
			}
			return nil
		})
	}
	require.NoError(t, all.Wait())
	assert.EqualValues(t, 10, weighed.Load())
	assert.EqualValues(t, 190, refused.Load())
	assert.Equal(t, 1, happened(t, h, p.ID, event.Blocked), "and the producer is told once")
	var spent int
	require.NoError(t, h.Store.Pool().QueryRow(t.Context(), "select tries from door_code").Scan(&spent))
	assert.Equal(t, 5, spent, "of the code itself five")
}

// Strangers use up nobody's tries but their own, until they are very many; and even
// then whoever was in before has theirs.
func TestStrangersDoNotLockOutWhoeverWasIn(t *testing.T) {
	h := apptest.Build(t, pg)
	_, line := behind(t, h, door.Passphrase)
	device, err := h.Receive.PassDoor(t.Context(), h.Enter(line, "hers"), passphrase, "10.9.9.9")
	require.NoError(t, err)
	for i := range 10 {
		assert.Equal(t, "wrong_passphrase", apptest.Code(t, knock(t.Context(), h, h.Enter(line, "stranger"), "guess", "10.0.0.1")), i)
	}
	assert.Equal(t, "too_many_tries", apptest.Code(t, knock(t.Context(), h, h.Enter(line, "stranger"), "guess", "10.0.0.1")))
	assert.Empty(t, apptest.Code(t, knock(t.Context(), h, h.Enter(line, "colleague"), passphrase, "10.0.0.2")), "a stranger elsewhere")

	guard := tries.New(tries.Rows{DB: h.Store}, h.Now)
	for i := range 90 { // with the ten before a hundred from all sources
		_, err := guard.Spend(t.Context(), tries.Guess("door", line.ID, tries.From{Host: fmt.Sprint("10.0.1.", i)})...)
		require.NoError(t, err, i)
	}
	assert.Equal(t, "too_many_tries", apptest.Code(t, knock(t.Context(), h, h.Enter(line, "new"), passphrase, "10.9.9.8")))
	phrase := "another four words here"
	p, err := h.Pack.EditPackage(t.Context(), h.Mara, line.ParcelID, pack.Edit{Passphrase: &phrase})
	require.NoError(t, err)
	assert.NotNil(t, p.DoorSince)
	assert.Empty(t, apptest.Code(t, knock(t.Context(), h, h.Enter(line, device), phrase, "10.9.9.9")), "her own device has tries of its own")
}

// A door that changes shuts out who came in by the old one, also what they are downloading.
func TestAChangedDoorShutsOutWhoCameInByTheOldOne(t *testing.T) {
	h := apptest.Build(t, pg)
	p, line := behind(t, h, door.Passphrase)
	standing := func(device string) access.Reason { return h.Enter(line, device).Standing(h.Now()) }
	pass := func(device, answer string) string {
		fresh, err := h.Receive.PassDoor(t.Context(), h.Enter(line, device), answer, "10.0.0.1")
		require.NoError(t, err)
		return fresh
	}
	edit := func(e pack.Edit) {
		h.Wait(time.Second)
		_, err := h.Pack.EditPackage(t.Context(), h.Mara, p.ID, e)
		require.NoError(t, err)
		h.Wait(time.Second)
	}
	hers := pass("one", passphrase)
	assert.Equal(t, access.Allowed, standing(hers))
	assert.Equal(t, access.NeedPassphrase, standing("one"), "what the browser was known by before opens nothing")
	running := []wire.Running{h.Enter(line, hers).Running(right.See, nil)}

	title := "Another title"
	edit(pack.Edit{Title: &title})
	assert.Equal(t, access.Allowed, standing(hers), "a title is no door")
	other := "another four words here"
	edit(pack.Edit{Passphrase: &other})
	assert.Equal(t, access.NeedPassphrase, standing(hers))
	reasons, _, err := h.Receive.StillOpen(t.Context(), running)
	require.NoError(t, err)
	assert.Equal(t, []access.Reason{access.NeedPassphrase}, reasons, "what runs is cut")
	assert.Equal(t, 1, happened(t, h, p.ID, event.DoorChanged))

	hers = pass(hers, other)
	third := "a third one, also of four"
	edit(pack.Edit{Passphrase: &third, KeepIn: true})
	assert.Equal(t, access.Allowed, standing(hers), "kept in")
	open, shut := door.Open, door.Passphrase
	edit(pack.Edit{Door: &open})
	assert.Equal(t, access.Allowed, standing("passing by"))
	require.NoError(t, h.Receive.Visited(t.Context(), h.Enter(line, "passing by"), ""))
	edit(pack.Edit{Door: &shut, KeepIn: true})
	assert.Equal(t, access.Allowed, standing("passing by"), "in by an open door, and kept in")
	assert.Equal(t, access.NeedPassphrase, standing("never here"))
	edit(pack.Edit{Door: &open})
	edit(pack.Edit{Door: &shut})
	assert.Equal(t, access.NeedPassphrase, standing("passing by"))
	assert.Equal(t, access.NeedPassphrase, standing(hers))
}

// code is what the newest letter to a line says.
func code(t *testing.T, h *apptest.House) string {
	t.Helper()
	var id string
	require.NoError(t, h.Store.Pool().QueryRow(t.Context(),
		"select id from letter where kind = $1 order by created_at desc, id desc limit 1", letter.Code).Scan(&id))
	_, composed, _, err := h.Letters.Compose(t.Context(), id)
	require.NoError(t, err)
	require.Len(t, composed.Code, 6)
	return composed.Code
}

// Source: NIST SP 800-63B, 5.1.3.2: an out-of-band secret is good for ten minutes and once.
func TestACodeIsGoodForTenMinutesForFiveTriesAndOnce(t *testing.T) {
	h := apptest.Build(t, pg)
	ask := func(line pack.Line, device string) string {
		t.Helper()
		require.NoError(t, h.Receive.SendCode(t.Context(), h.Enter(line, device), "10.0.0.1"))
		return code(t, h)
	}
	try := func(line pack.Line, device, answer string) string {
		return apptest.Code(t, knock(t.Context(), h, h.Enter(line, device), answer, "10.0.0.1"))
	}
	_, line := behind(t, h, door.Named)
	good := ask(line, "late")
	h.Wait(10*time.Minute - time.Millisecond)
	assert.Empty(t, try(line, "late", good), "in the last millisecond")

	_, line = behind(t, h, door.Named)
	good = ask(line, "too late")
	h.Wait(10 * time.Minute)
	assert.Equal(t, "wrong_code", try(line, "too late", good), "ten minutes are over")

	_, line = behind(t, h, door.Named)
	good = ask(line, "fifth")
	for range 4 {
		assert.Equal(t, "wrong_code", try(line, "fifth", "no"))
	}
	assert.Empty(t, try(line, "fifth", good[:3]+" "+good[3:]), "the fifth is right")

	_, line = behind(t, h, door.Named)
	good = ask(line, "sixth")
	for range 5 {
		assert.Equal(t, "wrong_code", try(line, "sixth", "no"))
	}
	assert.Equal(t, "wrong_code", try(line, "sixth", good), "the sixth comes too late")
	again := ask(line, "sixth")
	assert.NotEqual(t, good, again)
	assert.Empty(t, try(line, "sixth", again))

	thief := h.Enter(line, "thief")
	assert.Equal(t, "wrong_code", apptest.Code(t, knock(t.Context(), h, thief, again, "10.0.0.9")), "it was for another device")
}

func TestFiveCodesForOneLinkInAQuarterOfAnHour(t *testing.T) {
	h := apptest.Build(t, pg)
	_, line := behind(t, h, door.Named)
	send := func() string {
		return apptest.Code(t, h.Receive.SendCode(t.Context(), h.Enter(line, "one"), "10.0.0.1"))
	}
	for i := range 5 {
		assert.Empty(t, send(), "code %d", i+1)
	}
	assert.Equal(t, "too_many_tries", send())
	h.Wait(15 * time.Minute)
	assert.Empty(t, send())
	open, lines := h.Sent(h.Mara, []string{h.File(h.Mara, "", "b.mov", "b").ID}, "tove@kelpwick.example")
	_ = open
	assert.Equal(t, "no_code_needed", apptest.Code(t, h.Receive.SendCode(t.Context(), h.Enter(lines[0], "one"), "10.0.0.1")))
}

func TestWhoStandsBeforeAShutPackageMayAskThreeTimes(t *testing.T) {
	h := apptest.Build(t, pg)
	p, lines := h.Sent(h.Mara, []string{h.File(h.Mara, "", "a.mov", "a").ID}, "hanne@kelpwick.example")
	ask := func() string {
		return apptest.Code(t, h.Receive.Ask(t.Context(), h.Enter(lines[0], "one"), "", strings.Repeat("x", 600)))
	}
	assert.Equal(t, "nothing_to_ask", ask(), "it is open")
	require.NoError(t, h.Pack.Stop(t.Context(), h.Mara, p.ID))
	for range 3 {
		assert.Empty(t, ask())
	}
	assert.Equal(t, "too_many_tries", ask())
	assert.Equal(t, 3, happened(t, h, p.ID, event.Asked))
	h.Wait(15 * time.Minute)
	assert.Empty(t, ask())
	var said string
	require.NoError(t, h.Store.Pool().QueryRow(t.Context(), "select data ->> 'message' from letter where kind = 'asked' limit 1").Scan(&said))
	assert.Equal(t, strings.Repeat("x", 500)+"…", said)
}

func TestALinkOpensItsOwnPackageAndNoOther(t *testing.T) {
	h := apptest.Build(t, pg)
	item := h.File(h.Mara, "", "a.mov", "lifeboat")
	_, lines := h.Sent(h.Mara, []string{item.ID}, "hanne@kelpwick.example")
	_, theirs := h.Sent(h.Odd, []string{h.File(h.Odd, "", "b.mov", "secret").ID}, "hanne@kelpwick.example")
	for _, link := range []string{"", "short", strings.Repeat("x", 22), strings.Repeat("x", 23)} {
		_, err := h.Receive.Enter(t.Context(), link, "one", nil)
		assert.Equal(t, "unknown_link", apptest.Code(t, err), link)
	}
	hanne, other := h.Enter(lines[0], "one"), h.Enter(theirs[0], "one")
	inside, err := h.Receive.Inside(t.Context(), hanne, pack.Place{})
	require.NoError(t, err)
	require.Len(t, inside.Contents, 1)
	_, err = h.Receive.Reach(t.Context(), other, inside.Contents[0].ID, "see")
	assert.Equal(t, "not_found", apptest.Code(t, err), "of another studio's package")
	_, err = h.Receive.Choose(t.Context(), other, []string{inside.Contents[0].ID})
	assert.Equal(t, "not_here", apptest.Code(t, err), "a choice is of what is there")
	mine, err := h.Receive.Choose(t.Context(), hanne, []string{inside.Contents[0].ID, inside.Contents[0].ID})
	require.NoError(t, err)
	_, err = h.Receive.Archive(t.Context(), other, receive.Wanted{Chosen: mine})
	assert.Equal(t, "choice_gone", apptest.Code(t, err), "and cannot be taken through another")
	plan, err := h.Receive.Archive(t.Context(), hanne, receive.Wanted{Chosen: mine})
	require.NoError(t, err)
	assert.Len(t, plan.Entries, 1)

	require.NoError(t, h.Pack.RemoveLine(t.Context(), h.Mara, lines[0].ID))
	_, err = h.Receive.Inside(t.Context(), h.Enter(lines[0], "one"), pack.Place{})
	assert.Equal(t, "removed", apptest.Code(t, err))
	// A member of the studio sees what the recipient would; one of another studio is only somebody with a link.
	link := h.Pack.LinkURL(theirs[0])
	e, err := h.Receive.Enter(t.Context(), link[strings.LastIndex(link, "/")+1:], "", &h.Mara)
	require.NoError(t, err)
	assert.False(t, e.Studio)
	e, err = h.Receive.Enter(t.Context(), link[strings.LastIndex(link, "/")+1:], "", &h.Odd)
	require.NoError(t, err)
	assert.True(t, e.Studio)
}

func TestARecheckCutsWhatIsOverAndNothingElse(t *testing.T) {
	h := apptest.Build(t, pg)
	a, b := h.File(h.Mara, "", "a.mov", "a"), h.File(h.Mara, "", "b.mov", "b")
	p, lines := h.Sent(h.Mara, []string{a.ID, b.ID}, "hanne@kelpwick.example", "tove@kelpwick.example")
	stopped, their := h.Sent(h.Mara, []string{a.ID}, "hanne@kelpwick.example")
	hanne, tove, third := h.Enter(lines[0], "one"), h.Enter(lines[1], "one"), h.Enter(their[0], "one")
	inside, err := h.Receive.Inside(t.Context(), hanne, pack.Place{})
	require.NoError(t, err)
	first, second := inside.Contents[0].ID, inside.Contents[1].ID
	running := []wire.Running{
		hanne.Running(right.Take, []string{first}),
		hanne.Running(right.Take, []string{first, second}),
		tove.Running(right.Take, []string{first}),
		third.Running(right.Take, []string{first}),
	}
	look := func() (out []string) {
		reasons, ends, err := h.Receive.StillOpen(t.Context(), running)
		require.NoError(t, err)
		assert.Len(t, ends, len(running))
		for _, r := range reasons {
			out = append(out, string(r))
		}
		return out
	}
	assert.Equal(t, []string{"", "", "", ""}, look(), "all of them may go on")
	require.NoError(t, h.Pack.RemoveItem(t.Context(), h.Mara, second))
	assert.Equal(t, []string{"", "withdrawn", "", ""}, look())
	require.NoError(t, h.Pack.RemoveLine(t.Context(), h.Mara, lines[1].ID))
	assert.Equal(t, []string{"", "withdrawn", "removed", ""}, look())
	require.NoError(t, h.Pack.Stop(t.Context(), h.Mara, stopped.ID))
	assert.Equal(t, []string{"", "withdrawn", "removed", "stopped"}, look())
	h.Wait(400 * 24 * time.Hour)
	assert.Equal(t, "ended", look()[0])
	_ = p
}

// Whoever does not want to be reminded says so by the link alone, once; the producer sees it.
func TestNobodyIsRemindedWhoAskedNotToBe(t *testing.T) {
	h := apptest.Build(t, pg)
	p, line := behind(t, h, door.Named) // before the door
	_, lines := h.Sent(h.Mara, []string{h.File(h.Mara, "", "b.mov", "b").ID}, line.Email)
	for range 2 {
		require.NoError(t, h.Receive.Quiet(t.Context(), h.Enter(line, "")))
	}
	assert.Equal(t, 1, happened(t, h, p.ID, event.Quiet))
	assert.Equal(t, "quiet", apptest.Code(t, h.Remind.One(t.Context(), h.Mara, line.ID, "")))
	require.NoError(t, h.Remind.One(t.Context(), h.Mara, lines[0].ID, ""), "of another package they are")
}

// Sixty guesses were possible where fifteen are promised: at an open door one source had made
// itself known as many devices, each of which had tries of its own at the door that came after.
func TestDevicesFromAnOpenDoorHaveNoTriesOfTheirOwn(t *testing.T) {
	h := apptest.Build(t, pg)
	p, line := behind(t, h, door.Open)
	for i := range 6 {
		require.NoError(t, h.Receive.Visited(t.Context(), h.Enter(line, fmt.Sprint("device ", i)), "Europe/London"))
	}
	h.Wait(time.Minute)
	shut, phrase := door.Passphrase, passphrase
	_, err := h.Pack.EditPackage(t.Context(), h.Mara, p.ID, pack.Edit{Door: &shut, Passphrase: &phrase})
	require.NoError(t, err)
	guesses := 0
	for i := range 6 {
		for range throttle.PerLink {
			err := knock(t.Context(), h, h.Enter(line, fmt.Sprint("device ", i)), "wrong", "203.0.113.9")
			if apptest.Code(t, err) == "wrong_passphrase" {
				guesses++
			}
		}
	}
	assert.Equal(t, throttle.PerLink, guesses)
}
