package hooks_test

import (
	"context"
	"encoding/json"
	"fmt"
	"net"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"strings"
	"sync"
	"testing"
	"time"
	"unicode/utf8"

	"aftergust/core/record/event"
	"aftergust/core/words/webhook"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/dev/standin"
	"aftergust/internal/ground"
	"aftergust/internal/parts/happen"
	"aftergust/internal/parts/hooks"
	"aftergust/internal/parts/pack"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A house with a hook that leads to a program of ours.
type listening struct {
	*apptest.House
	service *hooks.Service
	program *standin.Program
	hook    hooks.Hook
	parcel  pack.Parcel
	lines   []pack.Line
}

var loopback = []netip.Prefix{netip.MustParsePrefix("127.0.0.0/8"), netip.MustParsePrefix("::1/128")}

func listen(t *testing.T, kinds ...string) *listening {
	t.Helper()
	h := apptest.Build(t, pg)
	l := &listening{House: h, program: &standin.Program{}}
	l.service = hooks.New(h.Store, keysOf(h), hooks.NewPoster(loopback), h.Now)
	server := httptest.NewServer(l.program)
	t.Cleanup(server.Close)
	var secret string
	var err error
	l.hook, secret, err = l.service.Add(t.Context(), h.Mara, server.URL, kinds)
	require.NoError(t, err)
	l.program.Expect(secret)
	l.parcel, l.lines = h.Sent(h.Mara, []string{h.File(h.Mara, "", "a.mov", "0123456789").ID}, "hanne@kelpwick.example")
	return l
}

func (l *listening) log(t *testing.T) []hooks.Delivery {
	t.Helper()
	all, err := l.service.Log(t.Context(), l.Mara, l.hook.ID, hooks.Cursor{})
	require.NoError(t, err)
	return all
}

func (l *listening) send(t *testing.T, byHand bool) (hooks.Delivery, time.Duration) {
	t.Helper()
	wait, err := l.service.Send(t.Context(), l.log(t)[0].ID, byHand)
	require.NoError(t, err)
	return l.log(t)[0], wait
}

func (l *listening) now(t *testing.T) hooks.Hook {
	t.Helper()
	h, ok, err := hooks.Rows{DB: l.Store}.HookByID(t.Context(), l.hook.ID, false)
	require.NoError(t, err)
	require.True(t, ok)
	return h
}

func TestAMessageSaysWhatHappenedSignedForWhoeverWantsItsKind(t *testing.T) {
	l := listen(t, "opened", "has_all")
	require.NoError(t, l.Receive.Visited(t.Context(), l.Enter(l.lines[0], "one"), ""))
	require.NoError(t, l.Receive.Visited(t.Context(), l.Enter(l.lines[0], "one"), ""))
	require.NoError(t, l.Receive.Looked(t.Context(), l.Enter(l.lines[0], "one"), ""))
	require.Len(t, l.log(t), 1, "opened is told the first time; that somebody looked was not wanted")
	d, wait := l.send(t, false)
	assert.Zero(t, wait)
	assert.Equal(t, hooks.Taken, d.State)
	assert.Equal(t, 204, d.Status)
	assert.NotNil(t, l.now(t).TookAt)
	told := l.program.Told()
	require.Len(t, told, 1)
	assert.True(t, told[0].Good, "the signature is checked by the library of Standard Webhooks")
	assert.Equal(t, d.ID, told[0].ID)
	var m struct {
		Type      string
		Timestamp time.Time
		Data      struct {
			Says               string
			Package, Recipient struct{ ID, Name, Email, Address string }
		}
	}
	require.NoError(t, json.Unmarshal([]byte(told[0].Body), &m))
	assert.Equal(t, "opened", m.Type)
	assert.WithinDuration(t, l.Now(), m.Timestamp, time.Minute)
	assert.Equal(t, l.parcel.ID, m.Data.Package.ID)
	assert.Equal(t, l.Host.BaseURL+"/packages/"+l.parcel.ID, m.Data.Package.Address)
	assert.Equal(t, "hanne@kelpwick.example", m.Data.Recipient.Email)
	assert.Contains(t, m.Data.Says, "Hanne")

	// Once more by hand: the same message under the same id, so that it is known again.
	require.NoError(t, l.service.Again(t.Context(), l.Mara, d.ID))
	l.send(t, true)
	told = l.program.Told()
	require.Len(t, told, 2)
	assert.True(t, told[0].Before)
	assert.Equal(t, told[0].Body, told[1].Body)
}

func TestWhatIsErasedIsNotTold(t *testing.T) {
	l := listen(t, "opened")
	require.NoError(t, l.Receive.Visited(t.Context(), l.Enter(l.lines[0], "one"), ""))
	require.NoError(t, l.Privacy.Erase(t.Context(), l.Mara, l.lines[0].PersonID))
	l.send(t, false)
	told := l.program.Told()
	require.Len(t, told, 1)
	assert.NotContains(t, strings.ToLower(told[0].Body), "hanne")
}

func TestAMessageThatIsNotTakenComesAgainLaterAndIsGivenUp(t *testing.T) {
	l := listen(t, "opened")
	require.NoError(t, l.Receive.Visited(t.Context(), l.Enter(l.lines[0], "one"), ""))
	l.program.Answer(http.StatusServiceUnavailable)
	for try := 1; try < webhook.Tries; try++ {
		d, wait := l.send(t, false)
		assert.Equal(t, hooks.Waiting, d.State)
		assert.Equal(t, try, d.Tries)
		assert.GreaterOrEqual(t, wait, webhook.Wait(try, 0))
		assert.Equal(t, 503, d.Status)
		assert.Nil(t, l.now(t).OffAt)
		l.Wait(wait)
	}
	d, wait := l.send(t, false)
	assert.Equal(t, hooks.GivenUp, d.State)
	assert.Zero(t, wait)
	assert.Contains(t, l.now(t).WhyOff, "for three days it took nothing; the last answer: 503")
	d, wait = l.send(t, false)
	assert.Equal(t, webhook.Tries, d.Tries, "it is over")
	assert.Zero(t, wait)
	_, err := l.service.Change(t.Context(), l.Mara, l.hook.ID, l.hook.Address, []string{"opened"}, false)
	require.NoError(t, err)
	require.NoError(t, l.Receive.Looked(t.Context(), l.Enter(l.lines[0], "one"), ""))
	require.NoError(t, l.Events(t, event.HasAll))
	assert.Len(t, l.log(t), 1, "a hook that is off is told nothing")

	_, err = l.service.Change(t.Context(), l.Mara, l.hook.ID, l.hook.Address, []string{"has_all"}, true)
	require.NoError(t, err)
	l.program.Answer(0)
	require.NoError(t, l.Events(t, event.HasAll))
	d, _ = l.send(t, false)
	assert.Equal(t, http.StatusUnauthorized, d.Status, "by a clock that is three days ahead it could be a message that somebody replays")
	l.program.Answer(http.StatusOK)
	l.Wait(time.Minute)
	d, _ = l.send(t, false)
	assert.Equal(t, hooks.Taken, d.State)
}

// Events records that something happened to the first line.
func (l *listening) Events(t *testing.T, kind event.Kind) error {
	t.Helper()
	log := happen.New(happen.Rows{DB: l.Store}, l.Letters, l.Notices, l.service)
	return l.Store.Tx(t.Context(), func(ctx context.Context) error {
		return log.Record(ctx, happen.Happening{Kind: kind, StudioID: l.Mara.StudioID, ParcelID: l.parcel.ID, LineID: l.lines[0].ID})
	})
}

func TestAHookThatFailsIsLeftInPeaceForAMinuteByWhatWasNotTriedYet(t *testing.T) {
	l := listen(t, "has_all")
	l.program.Answer(500)
	require.NoError(t, l.Events(t, event.HasAll))
	first := l.log(t)[0].ID
	_, wait := l.send(t, false)
	assert.Less(t, wait, 6*time.Second)
	require.NoError(t, l.Events(t, event.HasAll))
	d, wait := l.send(t, false)
	require.NotEqual(t, first, d.ID)
	assert.Zero(t, d.Tries)
	assert.Equal(t, time.Minute, wait)
	l.Wait(time.Minute)
	d, _ = l.send(t, false)
	assert.Equal(t, 1, d.Tries)
}

func TestWhoeverAnswersThatTheyAreGoneIsToldNoMore(t *testing.T) {
	l := listen(t, "has_all")
	l.program.Answer(http.StatusGone)
	require.NoError(t, l.Events(t, event.HasAll))
	d, wait := l.send(t, false)
	assert.Zero(t, wait)
	assert.Equal(t, hooks.GivenUp, d.State)
	assert.Contains(t, l.now(t).WhyOff, "410")
}

func TestForADayBothSecretsAreGood(t *testing.T) {
	l := listen(t, "has_all")
	secret, err := l.service.Renew(t.Context(), l.Mara, l.hook.ID)
	require.NoError(t, err)
	require.NoError(t, l.Events(t, event.HasAll))
	l.send(t, false)
	assert.True(t, l.program.Told()[0].Good, "by the secret before")
	l.program.Expect(secret)
	l.send(t, true)
	assert.True(t, l.program.Told()[0].Good, "by the new one")
	l.Wait(24 * time.Hour)
	assert.Equal(t, 2, l.program.Told()[0].Signatures)
	d, _ := l.send(t, true)
	assert.Equal(t, 1, l.program.Told()[0].Signatures)
	assert.Equal(t, http.StatusUnauthorized, d.Status, "its clock is a day ahead")
	assert.Equal(t, hooks.Taken, d.State, "it was taken once")
}

func TestATrialIsSentOnceAndSaysThatItIsOne(t *testing.T) {
	l := listen(t, "opened")
	_, err := l.service.Try(t.Context(), l.Mara, l.hook.ID)
	require.NoError(t, err)
	l.program.Answer(418)
	d, wait := l.send(t, true)
	assert.Equal(t, hooks.GivenUp, d.State)
	assert.Zero(t, wait)
	l.program.Answer(0)
	d, _ = l.send(t, true)
	assert.Equal(t, hooks.Taken, d.State)
	assert.Contains(t, l.program.Told()[0].Body, "This is a trial")
}

func TestOneStudioHasNothingToDoWithTheHooksOfAnother(t *testing.T) {
	l := listen(t, "has_all")
	require.NoError(t, l.Events(t, event.HasAll))
	id := l.log(t)[0].ID
	all, err := l.service.Hooks(t.Context(), l.Odd)
	require.NoError(t, err)
	assert.Empty(t, all)
	_, err = l.service.Log(t.Context(), l.Odd, l.hook.ID, hooks.Cursor{})
	assert.Equal(t, "not_found", apptest.Code(t, err))
	assert.Equal(t, "not_found", apptest.Code(t, l.service.Again(t.Context(), l.Odd, id)))
	assert.Equal(t, "not_found", apptest.Code(t, l.service.Remove(t.Context(), l.Odd, l.hook.ID)))
	_, err = l.service.Renew(t.Context(), l.Odd, l.hook.ID)
	assert.Equal(t, "not_found", apptest.Code(t, err))
	_, err = l.service.Try(t.Context(), l.Odd, l.hook.ID)
	assert.Equal(t, "not_found", apptest.Code(t, err))
	_, err = l.service.Change(t.Context(), l.Odd, l.hook.ID, l.hook.Address, []string{"opened"}, true)
	assert.Equal(t, "not_found", apptest.Code(t, err))
	_, secret, err := l.service.Add(t.Context(), l.Odd, l.hook.Address, []string{"has_all"})
	require.NoError(t, err)
	require.NotEmpty(t, secret)
	require.NoError(t, l.Events(t, event.HasAll))
	for _, h := range [][]hooks.Hook{must(l.service.Hooks(t.Context(), l.Odd))} {
		theirs, err := l.service.Log(t.Context(), l.Odd, h[0].ID, hooks.Cursor{})
		require.NoError(t, err)
		assert.Empty(t, theirs, "what happens to another studio's package is none of theirs")
	}
	require.NoError(t, l.service.Remove(t.Context(), l.Mara, l.hook.ID))
	wait, err := l.service.Send(t.Context(), id, false)
	assert.NoError(t, err, "it was deleted meanwhile")
	assert.Zero(t, wait)
}

func must[T any](v T, _ error) T { return v }

func TestAHookNeedsAnAddressAndAKind(t *testing.T) {
	l := listen(t, "opened")
	for _, address := range []string{"", "ftp://a.example", "https://me:x@a.example"} {
		_, _, err := l.service.Add(t.Context(), l.Mara, address, []string{"opened"})
		assert.Equal(t, "invalid", apptest.Code(t, err), address)
	}
	for _, kinds := range [][]string{nil, {"no such"}} {
		_, _, err := l.service.Add(t.Context(), l.Mara, "https://a.example", kinds)
		assert.Equal(t, "invalid", apptest.Code(t, err))
	}
	plain := hooks.New(l.Store, keysOf(l.House), hooks.NewPoster(nil), l.Now)
	_, _, err := plain.Add(t.Context(), l.Mara, "http://a.example", []string{"opened"})
	assert.ErrorContains(t, err, "Use https")
	for range 19 {
		_, _, err := l.service.Add(t.Context(), l.Mara, "https://a.example", []string{"opened", "opened"})
		require.NoError(t, err)
	}
	_, _, err = l.service.Add(t.Context(), l.Mara, "https://a.example", []string{"opened"})
	assert.Equal(t, "hooks", apptest.Code(t, err))
}

// Nothing gets into a private network: not by its address in any form, not by a name
// that leads there or begins to, not by a redirect.
func TestNothingIsSentIntoAPrivateNetwork(t *testing.T) {
	var mu sync.Mutex
	reached := 0
	inside := httptest.NewServer(http.HandlerFunc(func(http.ResponseWriter, *http.Request) {
		mu.Lock()
		defer mu.Unlock()
		reached++
	}))
	t.Cleanup(inside.Close)
	_, port, err := net.SplitHostPort(inside.Listener.Addr().String())
	require.NoError(t, err)

	l := listen(t, "has_all")
	require.NoError(t, l.Events(t, event.HasAll))
	shut := hooks.New(l.Store, keysOf(l.House), hooks.NewPoster([]netip.Prefix{netip.MustParsePrefix("192.0.2.0/24")}), l.Now)
	for _, host := range []string{"127.0.0.1", "localhost", "[::1]", "[::ffff:127.0.0.1]", "0.0.0.0", "[::]", "127.1", "2130706433", "0x7f.1", "169.254.169.254"} {
		_, err := shut.Change(t.Context(), l.Mara, l.hook.ID, "http://"+host+":"+port+"/", []string{"has_all"}, true)
		require.NoError(t, err, "what a name leads to is known when it is gone to")
		_, err = shut.Send(t.Context(), l.log(t)[0].ID, true)
		require.NoError(t, err)
		d := l.log(t)[0]
		assert.Zero(t, d.Status, host)
		assert.NotContains(t, d.Says, "connection refused", host)
	}
	// A redirect into it is not followed.
	sly := httptest.NewServer(http.RedirectHandler(inside.URL, http.StatusTemporaryRedirect))
	t.Cleanup(sly.Close)
	_, err = l.service.Change(t.Context(), l.Mara, l.hook.ID, sly.URL, []string{"has_all"}, true)
	require.NoError(t, err)
	d, _ := l.send(t, true)
	assert.Equal(t, 307, d.Status)
	assert.Contains(t, d.Says, "is not followed")
	mu.Lock()
	defer mu.Unlock()
	assert.Zero(t, reached)
}

// What an answer says is kept for people: a little of it, and only text.
func TestAnAnswerThatIsMeantToHarmHarmsNobody(t *testing.T) {
	l := listen(t, "has_all")
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.WriteHeader(500)
		for range 200 {
			fmt.Fprint(w, strings.Repeat("\x00\xffx", 10_000))
		}
	}))
	t.Cleanup(server.Close)
	_, err := l.service.Change(t.Context(), l.Mara, l.hook.ID, server.URL, []string{"has_all"}, true)
	require.NoError(t, err)
	require.NoError(t, l.Events(t, event.HasAll))
	d, _ := l.send(t, false)
	assert.Equal(t, 500, d.Status)
	assert.LessOrEqual(t, len(d.Says), 900)
	assert.NotContains(t, d.Says, "\x00")
}

// What could not be written down was posted again and again.
func TestAnAnswerWithABrokenLocationIsRecordedLikeAnyOther(t *testing.T) {
	l := listen(t, "has_all")
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		conn, _, err := w.(http.Hijacker).Hijack()
		if assert.NoError(t, err) {
			_, _ = conn.Write([]byte("HTTP/1.1 302 Found\r\nLocation: http://\xff\xfe%zz\r\nContent-Length: 0\r\n\r\n"))
			_ = conn.Close()
		}
	}))
	t.Cleanup(server.Close)
	_, err := l.service.Change(t.Context(), l.Mara, l.hook.ID, server.URL, []string{"has_all"}, true)
	require.NoError(t, err)
	require.NoError(t, l.Events(t, event.HasAll))
	d, _ := l.send(t, false)
	assert.NotEmpty(t, d.Says)
	assert.True(t, utf8.ValidString(d.Says))
}

// A stop of the server is nobody's refusal: three stops in a row would use up a message's tries.
func TestAMessageThatAStopCutShortWasNotTried(t *testing.T) {
	l := listen(t, "has_all")
	asked, over := make(chan struct{}), make(chan struct{})
	server := httptest.NewServer(http.HandlerFunc(func(http.ResponseWriter, *http.Request) {
		close(asked)
		<-over
	}))
	t.Cleanup(server.Close)
	t.Cleanup(func() { close(over) })
	_, err := l.service.Change(t.Context(), l.Mara, l.hook.ID, server.URL, []string{"has_all"}, true)
	require.NoError(t, err)
	require.NoError(t, l.Events(t, event.HasAll))
	ctx, stop := context.WithCancel(t.Context())
	go func() {
		<-asked
		stop()
	}()
	_, err = l.service.Send(ctx, l.log(t)[0].ID, false)
	require.ErrorIs(t, err, context.Canceled)
	d := l.log(t)[0]
	assert.Zero(t, d.Tries)
	assert.Equal(t, hooks.Waiting, d.State)
	assert.Empty(t, d.Says)
}

func keysOf(h *apptest.House) *ground.Keys { return ground.NewKeys(h.Host.Secrets, h.Host.BaseURL) }

func TestWhatWaitsForAHookThatIsTurnedOffIsGivenUpAndSaysSo(t *testing.T) {
	l := listen(t, "has_all")
	l.program.Answer(500)
	require.NoError(t, l.Events(t, event.HasAll))
	d, _ := l.send(t, false)
	next := *d.NextAt
	d, wait := l.send(t, true)
	assert.Zero(t, wait, "by hand it goes once")
	assert.Equal(t, next, *d.NextAt, "and its own next try stays")
	_, err := l.service.Change(t.Context(), l.Mara, l.hook.ID, l.hook.Address, []string{"has_all"}, false)
	require.NoError(t, err)
	d, wait = l.send(t, false)
	assert.Zero(t, wait)
	assert.Equal(t, hooks.GivenUp, d.State)
	assert.Contains(t, d.Says, "was off")
	assert.Len(t, l.program.Told(), 2)

	// A message that was taken and is sent again in vain stays taken; the hook has failed.
	_, err = l.service.Change(t.Context(), l.Mara, l.hook.ID, l.hook.Address, []string{"has_all"}, true)
	require.NoError(t, err)
	l.program.Answer(204)
	d, _ = l.send(t, true)
	require.Equal(t, hooks.Taken, d.State)
	l.program.Answer(500)
	d, _ = l.send(t, true)
	assert.Equal(t, hooks.Taken, d.State)
	assert.NotNil(t, l.now(t).FailedAt)
}
