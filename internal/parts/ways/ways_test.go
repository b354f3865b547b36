package ways_test

import (
	"context"
	"errors"
	"net/http/httptest"
	"sync/atomic"
	"testing"
	"time"

	"aftergust/core/link/access"
	"aftergust/core/link/door"
	"aftergust/core/link/linkname"
	"aftergust/core/link/pickup"
	"aftergust/core/link/right"
	"aftergust/core/link/throttle"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/dev/standin"
	"aftergust/internal/out/gateway"
	"aftergust/internal/parts/pack"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sync/errgroup"
)

// behind is a package that is out behind a door, with Hanne on its waybill.
func behind(t *testing.T, h *apptest.House, d door.Door) (pack.Parcel, pack.Line) {
	t.Helper()
	p, lines := h.Draft(h.Mara, []string{h.File(h.Mara, "", "a.mov", "lifeboat").ID}, "hanne@kelpwick.example")
	phrase := "slow glaze harbour lamp"
	_, err := h.Pack.EditPackage(t.Context(), h.Mara, p.ID, pack.Edit{Door: &d, Passphrase: &phrase})
	require.NoError(t, err)
	require.NoError(t, h.Pack.Send(t.Context(), h.Mara, p.ID))
	return p, lines[0]
}

// by is how somebody stands who comes by a link from a device.
func by(t *testing.T, h *apptest.House, link, device string) access.Reason {
	t.Helper()
	e, err := h.Receive.Enter(t.Context(), link, device, nil)
	if err != nil {
		return access.Reason(apptest.Code(t, err))
	}
	return e.Standing(h.Now())
}

func TestAPickupCodeLetsOneDeviceInOnceAndForADay(t *testing.T) {
	for _, d := range []door.Door{door.Open, door.Passphrase, door.GuestBook, door.Named} {
		h := apptest.Build(t, pg)
		_, line := behind(t, h, d)
		code, until, err := h.Ways.Pickup(t.Context(), h.Mara, line.ID)
		require.NoError(t, err)
		assert.Equal(t, h.Now().Add(10*time.Minute), until)
		link, err := h.Ways.PickUp(t.Context(), " "+pickup.Show(code), "10.0.0.1", "phone")
		require.NoError(t, err)
		assert.Equal(t, access.Allowed, by(t, h, link, "phone"), d)
		if d == door.Named || d == door.Passphrase {
			assert.NotEqual(t, access.Allowed, by(t, h, link, "another"), "%s: the link alone is no key to the door", d)
		}
		_, err = h.Ways.PickUp(t.Context(), code, "10.0.0.1", "another")
		assert.Equal(t, "wrong_code", apptest.Code(t, err), "it works once")
		own, _, err := h.Pack.LineOf(t.Context(), h.Mara, line.ID)
		require.NoError(t, err)
		assert.Equal(t, line.WayID, own.WayID, "the waybill still shows the personal link")
		h.Wait(throttle.PickupStay)
		assert.NotEqual(t, access.Allowed, by(t, h, link, "phone"))
	}
}

func TestAPickupCodeDiesAfterTenMinutesOrWithItsSuccessorOrItsLine(t *testing.T) {
	h := apptest.Build(t, pg)
	_, line := behind(t, h, door.Open)
	make := func() string {
		code, _, err := h.Ways.Pickup(t.Context(), h.Mara, line.ID)
		require.NoError(t, err)
		return code
	}
	try := func(code string) string {
		_, err := h.Ways.PickUp(t.Context(), code, "10.0.0.1", "phone")
		return apptest.Code(t, err)
	}
	first := make()
	second := make()
	assert.Equal(t, "wrong_code", try(first), "it was renewed")
	h.Wait(10 * time.Minute)
	assert.Equal(t, "wrong_code", try(second))
	third := make()
	require.NoError(t, h.Pack.RemoveLine(t.Context(), h.Mara, line.ID))
	assert.Equal(t, "wrong_code", try(third))
	_, _, err := h.Ways.Pickup(t.Context(), h.Mara, line.ID)
	require.Error(t, err)
}

func TestWhoMayNotMakesNoWays(t *testing.T) {
	h := apptest.Build(t, pg)
	p, line := behind(t, h, door.Open)
	_, _, err := h.Ways.Pickup(t.Context(), h.Odd, line.ID)
	assert.Equal(t, "not_found", apptest.Code(t, err))
	_, err = h.Ways.Of(t.Context(), h.Odd, line.ID)
	assert.Equal(t, "not_found", apptest.Code(t, err))
	assert.Equal(t, "not_found", apptest.Code(t, h.Ways.Name(t.Context(), h.Odd, line.ID, "lifeboat")))
	assert.Equal(t, "not_found", apptest.Code(t, h.Ways.SendText(t.Context(), h.Odd, line.ID, "+447700900123")))
	_, err = h.Pack.ChangeLine(t.Context(), h.Mara, line.ID, pack.LineEdit{Rights: &right.Rights{right.Note}})
	require.NoError(t, err)
	_, _, err = h.Ways.Pickup(t.Context(), h.Mara, line.ID)
	assert.Equal(t, "no_rights", apptest.Code(t, err))
	require.NoError(t, h.Pack.Stop(t.Context(), h.Mara, p.ID))
	_, _, err = h.Ways.Pickup(t.Context(), h.Mara, line.ID)
	assert.Equal(t, "not_out", apptest.Code(t, err))
}

func TestTwoHundredGuessesAtOnceCompareNoMoreThanAllowed(t *testing.T) {
	h := apptest.Build(t, pg)
	_, line := behind(t, h, door.Open)
	code, _, err := h.Ways.Pickup(t.Context(), h.Mara, line.ID)
	require.NoError(t, err)
	var compared, refused atomic.Int32
	var group errgroup.Group
	for i := range 200 {
		group.Go(func() error {
			_, err := h.Ways.PickUp(context.Background(), pickup.Make(uint64(i)), "10.0.0."+string(rune('0'+i%20)), "phone")
			switch apptest.Code(t, err) {
			case "wrong_code":
				compared.Add(1)
			case "too_many_tries":
				refused.Add(1)
			}
			return nil
		})
	}
	require.NoError(t, group.Wait())
	assert.EqualValues(t, throttle.PickupGuesses, compared.Load(), "from twenty sources together")
	assert.EqualValues(t, 100, refused.Load())
	_, err = h.Ways.PickUp(t.Context(), code, "10.9.9.9", "phone")
	assert.Equal(t, "too_many_tries", apptest.Code(t, err), "also the right one waits now")
	h.Wait(throttle.Window)
	_, err = h.Ways.PickUp(t.Context(), "no code", "10.9.9.9", "phone")
	assert.Equal(t, "invalid", apptest.Code(t, err))
}

func TestOnlySoManyCodesLiveAtATime(t *testing.T) {
	h := apptest.Build(t, pg)
	_, line := behind(t, h, door.Open)
	pool := h.Store.Pool()
	_, lines := h.Sent(h.Mara, []string{h.File(h.Mara, "", "b.mov", "b").ID}, "tomos@gethin.example")
	_, err := pool.Exec(t.Context(), `insert into pickup_code (id, line_id, mark, made_by, expires_at)
		select 'x' || n, $1, decode(md5(n::text), 'hex'), $2, $3 from generate_series(1, $4::int) n`, lines[0].ID, h.Mara.ID,
		h.Now().Add(time.Minute), throttle.PickupsLive)
	require.NoError(t, err)
	_, _, err = h.Ways.Pickup(t.Context(), h.Mara, line.ID)
	assert.Equal(t, "too_many_codes", apptest.Code(t, err))
	h.Wait(time.Minute)
	_, _, err = h.Ways.Pickup(t.Context(), h.Mara, line.ID)
	require.NoError(t, err, "those that are over make room")
}

func TestANameLeadsWhereTheLinkLeadsAndCannotBeGuessedAtAnOpenDoor(t *testing.T) {
	h := apptest.Build(t, pg)
	_, open := behind(t, h, door.Open)
	shut, named := behind(t, h, door.Named)
	for _, bad := range []string{"a", "//", "abcdefghijklmnopqrstuv"} {
		assert.Equal(t, "invalid", apptest.Code(t, h.Ways.Name(t.Context(), h.Mara, open.ID, bad)), bad)
	}
	require.NoError(t, h.Ways.Name(t.Context(), h.Mara, open.ID, "Lifeboat, cut 4"))
	w, err := h.Ways.Of(t.Context(), h.Mara, open.ID)
	require.NoError(t, err)
	assert.Regexp(t, `^lifeboat-cut-4-[a-z2-9]{12}$`, w.Name)
	assert.False(t, linkname.Guessable(w.Name))
	assert.Equal(t, "http://studio.example/r/"+w.Name, w.NamedLink)
	assert.Equal(t, access.Allowed, by(t, h, w.Name, "phone"))
	assert.Equal(t, access.UnknownLink, by(t, h, "Lifeboat-cut-4"+w.Name[14:], "phone"), "only as it is written")

	require.NoError(t, h.Ways.Name(t.Context(), h.Mara, named.ID, "lifeboat"))
	assert.Equal(t, access.NeedCode, by(t, h, "lifeboat", "phone"), "a short name opens no door")
	d := door.Open
	_, err = h.Pack.EditPackage(t.Context(), h.Mara, shut.ID, pack.Edit{Door: &d})
	assert.Equal(t, "guessable", apptest.Code(t, err), "the door does not open to whoever guesses")
	require.NoError(t, h.Ways.Name(t.Context(), h.Mara, named.ID, ""))
	assert.Equal(t, access.UnknownLink, by(t, h, "lifeboat", "phone"))
	_, err = h.Pack.EditPackage(t.Context(), h.Mara, shut.ID, pack.Edit{Door: &d})
	require.NoError(t, err)
}

func TestTwoLinksDoNotShareAName(t *testing.T) {
	h := apptest.Build(t, pg)
	_, one := behind(t, h, door.Named)
	_, other := behind(t, h, door.Named)
	require.NoError(t, h.Ways.Name(t.Context(), h.Mara, one.ID, "lifeboat"))
	require.NoError(t, h.Ways.Name(t.Context(), h.Mara, other.ID, "harbour"))
	assert.Equal(t, "invalid", apptest.Code(t, h.Ways.Name(t.Context(), h.Mara, other.ID, "Lifeboat")))
	assert.Equal(t, access.NeedCode, by(t, h, "harbour", "phone"), "the old name stays where the new one was refused")
}

// A mute gateway answers with one error.
type mute struct{ err error }

func (m mute) Text(context.Context, string, string, string) error { return m.err }

func TestATextMessageGoesOnceAndItsFailureIsSaid(t *testing.T) {
	h := apptest.Build(t, pg)
	p, line := behind(t, h, door.Open)
	phones, err := standin.OpenPhones(t.TempDir())
	require.NoError(t, err)
	server := httptest.NewServer(phones)
	t.Cleanup(server.Close)
	real, err := gateway.Open(server.URL)
	require.NoError(t, err)
	last := func() (id, state, problem string) {
		w, err := h.Ways.Of(t.Context(), h.Mara, line.ID)
		require.NoError(t, err)
		return w.Texts[0].ID, w.Texts[0].State, w.Texts[0].Problem
	}
	send := func(number string) string {
		h.Wait(time.Second)
		require.NoError(t, h.Ways.SendText(t.Context(), h.Mara, line.ID, number))
		id, state, _ := last()
		assert.Equal(t, "waiting", state)
		return id
	}
	require.NoError(t, h.Ways.Name(t.Context(), h.Mara, line.ID, "lifeboat-4"))
	assert.Equal(t, "invalid", apptest.Code(t, h.Ways.SendText(t.Context(), h.Mara, line.ID, "07700 900123")))
	id := send("+44 7700 900123")
	require.Error(t, h.Ways.Hand(t.Context(), mute{errors.New("no answer")}, id, false))
	_, state, problem := last()
	assert.Equal(t, "waiting", state)
	assert.Contains(t, problem, "tried again")
	for range 2 { // and once more by a process that was killed before it wrote it down
		require.NoError(t, h.Ways.Hand(t.Context(), real, id, false))
		_, err := h.Store.Pool().Exec(t.Context(), "update text_message set state = 'waiting' where id = $1", id)
		require.NoError(t, err)
	}
	require.NoError(t, h.Ways.Hand(t.Context(), real, id, false))
	require.Len(t, phones.Texts("+447700900123"), 1, "the gateway knows it by its id")
	got := phones.Texts("")[0].Text
	w, err := h.Ways.Of(t.Context(), h.Mara, line.ID)
	require.NoError(t, err)
	assert.Equal(t, w.Text, got, "what was shown is what goes")
	assert.Contains(t, got, "lifeboat-4", "by the name of the link, where it has one")
	assert.NotContains(t, got, "“", "it travels in one part")
	_, state, _ = last()
	assert.Equal(t, "sent", state)

	id = send("+447700900000")
	require.NoError(t, h.Ways.Hand(t.Context(), real, id, false))
	_, state, problem = last()
	assert.Equal(t, "refused", state)
	assert.Contains(t, problem, "nobody has this number")
	id = send("+447700900124")
	require.NoError(t, h.Pack.Stop(t.Context(), h.Mara, p.ID))
	require.NoError(t, h.Ways.Hand(t.Context(), real, id, false))
	assert.Empty(t, phones.Texts("+447700900124"), "what has ended brings no link")
	require.Error(t, h.Ways.SendText(t.Context(), h.Mara, line.ID, "+447700900125"))
}

func TestNobodyIsTextedMoreThanThreeTimes(t *testing.T) {
	h := apptest.Build(t, pg)
	_, line := behind(t, h, door.Open)
	for range throttle.TextsPerLine {
		require.NoError(t, h.Ways.SendText(t.Context(), h.Mara, line.ID, "+447700900123"))
	}
	assert.Equal(t, "too_many_tries", apptest.Code(t, h.Ways.SendText(t.Context(), h.Mara, line.ID, "+447700900123")))
}

func TestAGatewayIsAnAddressOfTheWeb(t *testing.T) {
	for _, address := range []string{"", "texts.example", "smtp://texts.example", "https://"} {
		_, err := gateway.Open(address)
		require.Error(t, err, address)
	}
}
