package account_test

import (
	"context"
	"fmt"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"aftergust/core/link/scope"
	"aftergust/core/link/throttle"
	"aftergust/core/words/letter"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/ground/turns"
	"aftergust/internal/who/account"
	"aftergust/internal/who/tries"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sync/errgroup"
)

func TestAPasswordOpensOneAccountAndTenWrongOnesShutIt(t *testing.T) {
	h := apptest.Build(t, pg)
	in := func(email, password, host string) (account.Member, string) {
		m, err := h.Account.SignIn(t.Context(), email, password, host, "")
		return m, apptest.Code(t, err)
	}
	m, code := in(" "+strings.ToUpper(h.Mara.Email)+" ", apptest.Password, "10.0.0.1")
	assert.Empty(t, code)
	assert.Equal(t, h.Mara.ID, m.ID)
	assert.Equal(t, "Low Tide Pictures", m.StudioName)
	_, code = in("nobody@low.example", apptest.Password, "10.0.0.1")
	assert.Equal(t, "wrong_sign_in", code)
	for i := range 10 {
		_, code = in(h.Mara.Email, "guess", "10.0.0.2")
		assert.Equal(t, "wrong_sign_in", code, "try %d", i+1)
	}
	_, code = in(h.Mara.Email, apptest.Password, "10.0.0.2")
	assert.Equal(t, "too_many_tries", code, "the eleventh")
	_, code = in(h.Mara.Email, apptest.Password, "10.0.0.3")
	assert.Empty(t, code, "from elsewhere they are nobody's tries but the stranger's")
	_, code = in(h.Odd.Email, apptest.Password, "10.0.0.2")
	assert.Empty(t, code, "another account is not shut")
	h.Wait(15 * time.Minute)
	for range 12 {
		_, code = in(h.Mara.Email, apptest.Password, "10.0.0.2")
		assert.Empty(t, code, "right ones are not counted")
	}
}

func TestThirtyWrongSignInsFromOneAddress(t *testing.T) {
	h := apptest.Build(t, pg)
	for i := range 30 {
		_, err := h.Account.SignIn(t.Context(), string(rune('a'+i))+"@low.example", "guess", "10.0.0.1", "")
		assert.Equal(t, "wrong_sign_in", apptest.Code(t, err), "try %d", i+1)
	}
	_, err := h.Account.SignIn(t.Context(), h.Mara.Email, apptest.Password, "10.0.0.1", "")
	assert.Equal(t, "too_many_tries", apptest.Code(t, err))
	_, err = h.Account.SignIn(t.Context(), h.Mara.Email, apptest.Password, "10.0.0.2", "")
	assert.Empty(t, apptest.Code(t, err))
}

// A hundred wrong ones from many sources shut an account, but not for a browser that its owner was signed in with.
func TestAKnownBrowserHasTriesOfItsOwn(t *testing.T) {
	h := apptest.Build(t, pg)
	in := func(password, host, device string) string {
		_, err := h.Account.SignIn(t.Context(), h.Mara.Email, password, host, device)
		return apptest.Code(t, err)
	}
	assert.Empty(t, in(apptest.Password, "10.0.0.1", "hers"))
	_, err := h.Account.Begin(t.Context(), h.Mara, "", "10.0.0.1", "hers") // as the last step of a sign-in does
	require.NoError(t, err)
	guard := tries.New(tries.Rows{DB: h.Store}, h.Now)
	for i := range 100 {
		_, err := guard.Spend(t.Context(), tries.Guess("sign-in", h.Mara.Email, tries.From{Host: fmt.Sprint("10.0.1.", i)})...)
		require.NoError(t, err)
	}
	assert.Equal(t, "too_many_tries", in(apptest.Password, "10.0.0.1", "new"))
	assert.Empty(t, in(apptest.Password, "10.0.0.1", "hers"))
	for range 10 {
		assert.Equal(t, "wrong_sign_in", in("guess", "10.0.0.1", "hers"))
	}
	assert.Equal(t, "too_many_tries", in(apptest.Password, "10.0.0.1", "hers"), "a browser that was taken guesses no further either")
}

func TestSixtyPasswordsAtOnceGetNoFurtherThanTenFromEachSource(t *testing.T) {
	h := apptest.Build(t, pg)
	var weighed atomic.Int32
	var all errgroup.Group
	for i := range 60 {
		all.Go(func() error {
			_, err := h.Account.SignIn(context.Background(), h.Mara.Email, "guess", "10.0.0."+string(rune('0'+i%2)), "")
			if apptest.Code(t, err) == "wrong_sign_in" {
				weighed.Add(1)
			}
			return nil
		})
	}
	require.NoError(t, all.Wait())
	assert.LessOrEqual(t, weighed.Load(), int32(20), "the others were refused, or found no turn to be compared")
	assert.Positive(t, weighed.Load())
}

func TestATokenSpeaksForItsMemberUntilItIsRevoked(t *testing.T) {
	h := apptest.Build(t, pg)
	token, err := h.Account.NewToken(t.Context(), h.Mara.Email, "backup")
	require.NoError(t, err)
	assert.True(t, strings.HasPrefix(token, "agt_"))
	m, reach, ok, err := h.Account.MemberByToken(t.Context(), token)
	require.NoError(t, err)
	assert.True(t, ok)
	assert.Equal(t, h.Mara.ID, m.ID)
	assert.Equal(t, scope.All, reach)
	_, _, ok, err = h.Account.MemberByToken(t.Context(), token[:len(token)-1])
	require.NoError(t, err)
	assert.False(t, ok)
	_, err = h.Account.NewToken(t.Context(), "nobody@low.example", "backup")
	assert.Equal(t, "not_found", apptest.Code(t, err))
	tokens, err := h.Account.Tokens(t.Context(), h.Mara)
	require.NoError(t, err)
	require.Len(t, tokens, 1)
	assert.Equal(t, "not_found", apptest.Code(t, h.Account.RevokeToken(t.Context(), h.Odd, tokens[0].ID, "10.0.0.1")), "only one's own")
	require.NoError(t, h.Account.RevokeToken(t.Context(), h.Mara, tokens[0].ID, "10.0.0.1"))
	_, _, ok, err = h.Account.MemberByToken(t.Context(), token)
	require.NoError(t, err)
	assert.False(t, ok)
}

func TestATokenIsGoodForItsDaysAndSaysWhenItWasUsed(t *testing.T) {
	h := apptest.Build(t, pg)
	_, _, err := h.Account.MakeToken(t.Context(), h.Mara, " ", scope.Read, 1, "")
	assert.Equal(t, "invalid", apptest.Code(t, err), "without a name nobody knows it again")
	for days, ok := range map[int]bool{-1: false, 0: true, 1: true, 366: true, 367: false} {
		_, _, err := h.Account.MakeToken(t.Context(), h.Mara, "days", scope.Read, days, "")
		assert.Equal(t, ok, err == nil, days)
	}
	_, _, err = h.Account.MakeToken(t.Context(), h.Mara, "x", "root", 1, "")
	assert.Equal(t, "invalid", apptest.Code(t, err))
	secret, made, err := h.Account.MakeToken(t.Context(), h.Mara, "renders", scope.Send, 1, "")
	require.NoError(t, err)
	good := func() bool {
		_, reach, ok, err := h.Account.MemberByToken(t.Context(), secret)
		require.NoError(t, err)
		assert.Equal(t, ok, reach == scope.Send)
		return ok
	}
	assert.True(t, good())
	h.Wait(24*time.Hour - time.Second)
	assert.True(t, good())
	all, err := h.Account.Tokens(t.Context(), h.Mara)
	require.NoError(t, err)
	for _, one := range all {
		if one.ID == made.ID {
			assert.WithinDuration(t, h.Now(), *one.LastUsedAt, time.Second)
		}
	}
	h.Wait(time.Second)
	assert.False(t, good(), "its day is over")
}

func TestASessionEndsByAgeByDisuseAndByHand(t *testing.T) {
	h := apptest.Build(t, pg)
	begin := func(m account.Member) string {
		id, err := h.Account.Begin(t.Context(), m, "Mozilla/5.0 (Mobi)", "10.0.0.1", "")
		require.NoError(t, err)
		return id
	}
	in := func(id string) bool {
		m, ok, err := h.Account.StillIn(t.Context(), id, "10.0.0.1")
		require.NoError(t, err)
		return ok && m.ID != ""
	}
	idle := begin(h.Mara)
	h.Wait(14*24*time.Hour - time.Second)
	assert.True(t, in(idle))
	h.Wait(14 * 24 * time.Hour)
	assert.False(t, in(idle), "not used for a fortnight")
	used := begin(h.Mara)
	for range 29 {
		h.Wait(24 * time.Hour)
		assert.True(t, in(used))
	}
	h.Wait(24 * time.Hour)
	assert.False(t, in(used), "thirty days, however much it is used")

	one, two, three, theirs := begin(h.Mara), begin(h.Mara), begin(h.Mara), begin(h.Odd)
	assert.Equal(t, "not_found", apptest.Code(t, h.Account.SignOut(t.Context(), h.Mara, theirs, one, "")))
	require.NoError(t, h.Account.SignOut(t.Context(), h.Mara, two, one, ""))
	assert.Equal(t, []bool{true, false, true, true}, []bool{in(one), in(two), in(three), in(theirs)})
	require.NoError(t, h.Account.SignOut(t.Context(), h.Mara, "", one, ""))
	assert.Equal(t, []bool{true, false, false, true}, []bool{in(one), in(two), in(three), in(theirs)})
	list, err := h.Account.SignedIn(t.Context(), h.Mara)
	require.NoError(t, err)
	require.Len(t, list, 1)
	assert.Equal(t, "a phone", list[0].Browser)
}

func TestAPasswordIsChangedByWhoKnowsItAndSignsOutTheOthers(t *testing.T) {
	h := apptest.Build(t, pg)
	here, err := h.Account.Begin(t.Context(), h.Mara, "", "10.0.0.1", "")
	require.NoError(t, err)
	there, err := h.Account.Begin(t.Context(), h.Mara, "", "10.0.0.2", "")
	require.NoError(t, err)
	mara, _, err := h.Account.StillIn(t.Context(), here, "10.0.0.1")
	require.NoError(t, err)
	change := func(old, fresh string) string {
		return apptest.Code(t, h.Account.ChangePassword(t.Context(), mara, old, fresh, here, "10.0.0.1"))
	}
	const fresh = "slow glaze harbour lamp"
	assert.Equal(t, "wrong_password", change("guess", fresh))
	assert.Equal(t, "invalid", change(apptest.Password, "short"))
	assert.Equal(t, "invalid", change(apptest.Password, "passwordpassword"))
	assert.Empty(t, change(apptest.Password, fresh))
	_, ok, err := h.Account.StillIn(t.Context(), there, "10.0.0.2")
	require.NoError(t, err)
	assert.False(t, ok, "the other browser is out")
	_, ok, err = h.Account.StillIn(t.Context(), here, "10.0.0.1")
	require.NoError(t, err)
	assert.True(t, ok)
	_, err = h.Account.SignIn(t.Context(), h.Mara.Email, apptest.Password, "10.0.0.3", "")
	assert.Equal(t, "wrong_sign_in", apptest.Code(t, err))
	_, err = h.Account.SignIn(t.Context(), h.Mara.Email, fresh, "10.0.0.3", "")
	assert.Empty(t, apptest.Code(t, err))

	// Whoever runs the server can set one too; then nobody is signed in with the old.
	assert.Equal(t, "not_found", apptest.Code(t, h.Account.SetPassword(t.Context(), "nobody@low.example", fresh)))
	assert.Equal(t, "invalid", apptest.Code(t, h.Account.SetPassword(t.Context(), h.Mara.Email, "short")))
	_, err = h.Account.SignIn(t.Context(), h.Mara.Email, "short", "10.0.0.4", "")
	assert.Equal(t, "wrong_sign_in", apptest.Code(t, err))

	record, err := h.Account.Record(t.Context(), mara, 0)
	require.NoError(t, err)
	var said []string
	for _, e := range record {
		said = append(said, e.Say())
	}
	assert.Equal(t, []string{"A wrong password was tried for " + mara.Name + ".", "A wrong password was tried for " + mara.Name + ".",
		"The password of " + mara.Name + " was changed; whoever else was signed in with it is out.",
		mara.Name + " signed in with a program.", mara.Name + " signed in with a program."}, said)
	require.NoError(t, h.Account.SetPassword(t.Context(), h.Mara.Email, "another four words here"))
	_, ok, err = h.Account.StillIn(t.Context(), here, "10.0.0.1")
	require.NoError(t, err)
	assert.False(t, ok)
	others, err := h.Account.Record(t.Context(), h.Odd, 0)
	require.NoError(t, err)
	assert.Empty(t, others, "of another studio's record")
}

func TestALostPasswordIsSetAnewByMailOnce(t *testing.T) {
	h := apptest.Build(t, pg)
	here, err := h.Account.Begin(t.Context(), h.Mara, "", "10.0.0.1", "")
	require.NoError(t, err)
	// mailed is the secret in the newest letter to a member.
	mailed := func() string {
		var id string
		require.NoError(t, h.Store.Pool().QueryRow(t.Context(), "select id from letter where kind = $1 order by created_at desc, id desc limit 1",
			letter.Reset).Scan(&id))
		l, composed, ok, err := h.Letters.Compose(t.Context(), id)
		require.NoError(t, err)
		require.True(t, ok)
		assert.Equal(t, h.Mara.Email, l.ToEmail)
		return composed.Link[strings.LastIndex(composed.Link, "/")+1:]
	}
	const fresh = "slow glaze harbour lamp"
	reset := func(token string) string {
		return apptest.Code(t, h.Account.Reset(t.Context(), token, fresh, "10.0.0.2"))
	}
	assert.Empty(t, apptest.Code(t, h.Account.AskReset(t.Context(), "nobody@low.example", "10.0.0.2")), "nobody learns who is a member")
	var letters int
	require.NoError(t, h.Store.Pool().QueryRow(t.Context(), "select count(*) from letter").Scan(&letters))
	assert.Zero(t, letters)

	require.NoError(t, h.Account.AskReset(t.Context(), strings.ToUpper(h.Mara.Email), "10.0.0.2"))
	first := mailed()
	require.NoError(t, h.Account.AskReset(t.Context(), h.Mara.Email, "10.0.0.2"))
	second := mailed()
	assert.Equal(t, "reset_gone", reset("made up"))
	assert.Equal(t, "invalid", apptest.Code(t, h.Account.Reset(t.Context(), second, "short", "10.0.0.2")))
	h.Wait(30*time.Minute - time.Second)
	assert.Empty(t, reset(second), "a refused password has not used it up")
	assert.Equal(t, "reset_gone", reset(second), "once")
	assert.Equal(t, "reset_gone", reset(first), "and none of those before it either")
	_, ok, err := h.Account.StillIn(t.Context(), here, "10.0.0.1")
	require.NoError(t, err)
	assert.False(t, ok, "whoever was signed in is out")
	_, err = h.Account.SignIn(t.Context(), h.Mara.Email, fresh, "10.0.0.1", "")
	assert.Empty(t, apptest.Code(t, err))

	h.Wait(time.Hour)
	for range 3 {
		assert.Empty(t, apptest.Code(t, h.Account.AskReset(t.Context(), h.Mara.Email, "10.0.0.3")))
	}
	assert.Equal(t, "too_many_tries", apptest.Code(t, h.Account.AskReset(t.Context(), h.Mara.Email, "10.0.0.3")))
	late := mailed()
	h.Wait(30 * time.Minute)
	assert.Equal(t, "reset_gone", reset(late))
}

// A stranger could make a member's way back in worthless by asking for another, and use up
// their attempts.
func TestAStrangerWhoAsksForResetsTakesNothingFromTheMember(t *testing.T) {
	h := apptest.Build(t, pg)
	require.NoError(t, h.Account.AskReset(t.Context(), h.Mara.Email, "10.0.0.2"))
	var id string
	require.NoError(t, h.Store.Pool().QueryRow(t.Context(), "select id from letter where kind = $1", letter.Reset).Scan(&id))
	_, composed, _, err := h.Letters.Compose(t.Context(), id)
	require.NoError(t, err)
	for host := range 20 {
		for range 4 {
			code := apptest.Code(t, h.Account.AskReset(t.Context(), h.Mara.Email, fmt.Sprintf("203.0.113.%d", host)))
			assert.Contains(t, []string{"", "too_many_tries"}, code)
		}
	}
	var letters int
	require.NoError(t, h.Store.Pool().QueryRow(t.Context(), "select count(*) from letter").Scan(&letters))
	assert.Equal(t, 10, letters, "no mailbox is filled")
	assert.Empty(t, apptest.Code(t, h.Account.AskReset(t.Context(), h.Mara.Email, "10.0.0.2")), "she is not refused")
	token := composed.Link[strings.LastIndex(composed.Link, "/")+1:]
	assert.Empty(t, apptest.Code(t, h.Account.Reset(t.Context(), token, "slow glaze harbour lamp", "10.0.0.2")), "and hers still works")
}

// Of 300 who signed in with the right password 13 got in, and 179 were told that there had been
// too many wrong tries.
func TestNobodyWithTheRightPasswordIsToldThatItIsWrong(t *testing.T) {
	h := apptest.Build(t, pg)
	var all sync.WaitGroup
	var in atomic.Int64
	for range 300 {
		all.Go(func() {
			_, err := h.Account.SignIn(turns.As(t.Context(), "10.0.0.1"), h.Mara.Email, apptest.Password, "10.0.0.1", "")
			if assert.NoError(t, err) {
				in.Add(1)
			}
		})
	}
	all.Wait()
	assert.EqualValues(t, 300, in.Load())
	for range throttle.PerLink {
		_, err := h.Account.SignIn(t.Context(), h.Mara.Email, "wrong", "10.0.0.1", "")
		assert.Equal(t, "wrong_sign_in", apptest.Code(t, err), "not one of them was counted")
	}
	_, err := h.Account.SignIn(t.Context(), h.Mara.Email, "wrong", "10.0.0.1", "")
	assert.Equal(t, "too_many_tries", apptest.Code(t, err))
}
