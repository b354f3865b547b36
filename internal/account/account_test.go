package account_test

import (
	"context"
	"fmt"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"aftergust/internal/account"
	"aftergust/internal/apptest"
	"aftergust/internal/tries"

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
	guard := tries.New(h.Store, h.Now)
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
	m, ok, err := h.Account.MemberByToken(t.Context(), token)
	require.NoError(t, err)
	assert.True(t, ok)
	assert.Equal(t, h.Mara.ID, m.ID)
	_, ok, err = h.Account.MemberByToken(t.Context(), token[:len(token)-1])
	require.NoError(t, err)
	assert.False(t, ok)
	_, err = h.Account.NewToken(t.Context(), "nobody@low.example", "backup")
	assert.Equal(t, "not_found", apptest.Code(t, err))
	_, err = h.Store.Pool().Exec(t.Context(), "update token set revoked_at = now()")
	require.NoError(t, err)
	_, ok, err = h.Account.MemberByToken(t.Context(), token)
	require.NoError(t, err)
	assert.False(t, ok)
}
