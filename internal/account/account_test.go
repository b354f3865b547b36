package account_test

import (
	"context"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"aftergust/internal/account"
	"aftergust/internal/apptest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sync/errgroup"
)

func TestAPasswordOpensOneAccountAndTenWrongOnesShutIt(t *testing.T) {
	h := apptest.Build(t, pg)
	in := func(email, password, host string) (account.Member, string) {
		m, err := h.Account.SignIn(t.Context(), email, password, host)
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
	_, code = in(h.Mara.Email, apptest.Password, "10.0.0.3")
	assert.Equal(t, "too_many_tries", code, "the eleventh, from anywhere")
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
		_, err := h.Account.SignIn(t.Context(), string(rune('a'+i))+"@low.example", "guess", "10.0.0.1")
		assert.Equal(t, "wrong_sign_in", apptest.Code(t, err), "try %d", i+1)
	}
	_, err := h.Account.SignIn(t.Context(), h.Mara.Email, apptest.Password, "10.0.0.1")
	assert.Equal(t, "too_many_tries", apptest.Code(t, err))
	_, err = h.Account.SignIn(t.Context(), h.Mara.Email, apptest.Password, "10.0.0.2")
	assert.Empty(t, apptest.Code(t, err))
}

func TestSixtyPasswordsAtOnceGetNoFurtherThanTen(t *testing.T) {
	h := apptest.Build(t, pg)
	var weighed atomic.Int32
	var all errgroup.Group
	for i := range 60 {
		all.Go(func() error {
			_, err := h.Account.SignIn(context.Background(), h.Mara.Email, "guess", "10.0.0."+string(rune('0'+i%10)))
			if apptest.Code(t, err) == "wrong_sign_in" {
				weighed.Add(1)
			}
			return nil
		})
	}
	require.NoError(t, all.Wait())
	assert.EqualValues(t, 10, weighed.Load())
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

// Source: RFC 9106, section 4: argon2id with 64 MiB, three passes; each hash has a salt of its own.
func TestAPasswordIsKeptAsArgon2id(t *testing.T) {
	one, err := account.HashPassword("low-tide")
	require.NoError(t, err)
	two, err := account.HashPassword("low-tide")
	require.NoError(t, err)
	assert.NotEqual(t, one, two)
	assert.True(t, strings.HasPrefix(one, "$argon2id$v=19$m=65536,t=3,p="), one)
	for password, want := range map[string]bool{"low-tide": true, "low-tid": false, "": false} {
		ok, err := account.PasswordMatches(password, one)
		require.NoError(t, err)
		assert.Equal(t, want, ok, password)
	}
}
