package account_test

import (
	"strings"
	"testing"
	"time"

	"aftergust/core/link/totp"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/who/account"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// withApp turns codes of an app on for somebody and returns its secret and the recovery codes.
func withApp(t *testing.T, h *apptest.House, m account.Member) (secret string, recovery []string) {
	t.Helper()
	key, err := h.Second.BeginApp(t.Context(), m)
	require.NoError(t, err)
	recovery, err = h.Second.ConfirmApp(t.Context(), m, key.ID, totp.Code(key.Secret, h.Now()), here)
	require.NoError(t, err)
	h.Wait(time.Minute) // the code that confirmed it is used up
	return key.Secret, recovery
}

func TestACodeOfTheAppIsAskedForAfterThePasswordAndGoodOnce(t *testing.T) {
	h := apptest.Build(t, pg)
	check := func(code string) string { return apptest.Code(t, h.Second.Check(t.Context(), h.Mara, code, here)) }
	assert.Empty(t, check(""), "nobody has one at first")
	secret, recovery := withApp(t, h, h.Mara)
	assert.Len(t, recovery, 10)
	assert.Equal(t, "second_needed", check(" "))
	code := totp.Code(secret, h.Now())
	assert.Empty(t, check(code[:3]+" "+code[3:]))
	assert.Equal(t, "wrong_second", check(code), "each is good once")
	assert.Equal(t, "wrong_second", check(totp.Code(secret, h.Now().Add(-30*time.Second))), "nor one before it")
	h.Wait(30 * time.Second)
	assert.Empty(t, check(totp.Code(secret, h.Now())))
	assert.Empty(t, apptest.Code(t, h.Second.Check(t.Context(), h.Odd, "", here)), "of nobody else")

	assert.Empty(t, check(" "+strings.ToUpper(recovery[3])+" "), "a recovery code, as it was written down")
	assert.Equal(t, "wrong_second", check(recovery[3]), "once")
	have, err := h.Second.Factors(t.Context(), h.Mara)
	require.NoError(t, err)
	assert.Equal(t, 9, have.Recovery)
	fresh, err := h.Second.RenewRecovery(t.Context(), h.Mara, here)
	require.NoError(t, err)
	assert.Equal(t, "wrong_second", check(recovery[4]), "the old ones are worthless")
	assert.Empty(t, check(fresh[0]))
	record, err := h.Account.Record(t.Context(), h.Mara, 0)
	require.NoError(t, err)
	assert.Equal(t, "Mara Quill used a recovery code.", record[0].Say())
	require.NoError(t, h.Second.RemoveApp(t.Context(), h.Mara, here))
	assert.Empty(t, check(""), "turned off")
	have, err = h.Second.Factors(t.Context(), h.Mara)
	require.NoError(t, err)
	assert.Zero(t, have.Recovery, "what was for its loss goes with it")
	_, err = h.Second.RenewRecovery(t.Context(), h.Mara, here)
	assert.Equal(t, "no_second", apptest.Code(t, err))
}

func TestWhoLostAllOfItIsLetInByWhoeverRunsTheServer(t *testing.T) {
	h := apptest.Build(t, pg)
	withApp(t, h, h.Mara)
	assert.Equal(t, "not_found", apptest.Code(t, h.Second.Clear(t.Context(), "nobody@low.example")))
	require.NoError(t, h.Second.Clear(t.Context(), strings.ToUpper(h.Mara.Email)))
	assert.Empty(t, apptest.Code(t, h.Second.Check(t.Context(), h.Mara, "", here)))
	rows, err := h.Store.Pool().Query(t.Context(), "select data ->> 'says' from letter where kind = 'lock' and to_email = $1 order by created_at", h.Mara.Email)
	require.NoError(t, err)
	says, err := pgx.CollectRows(rows, pgx.RowTo[string])
	require.NoError(t, err)
	assert.Equal(t, []string{"Mara Quill turned codes of an app on.", "Mara Quill turned codes of an app off."}, says, "and is told of each change by mail")
}

func TestTenWrongCodesShutTheSecondStepWhereverTheyComeFrom(t *testing.T) {
	h := apptest.Build(t, pg)
	secret, recovery := withApp(t, h, h.Mara)
	for i := range 10 {
		assert.Equal(t, "wrong_second", apptest.Code(t, h.Second.Check(t.Context(), h.Mara, "000000", "10.0.1."+string(rune('0'+i)))))
	}
	for _, code := range []string{totp.Code(secret, h.Now()), recovery[0]} {
		assert.Equal(t, "too_many_tries", apptest.Code(t, h.Second.Check(t.Context(), h.Mara, code, "10.0.2.1")))
	}
	h.Wait(15 * time.Minute)
	assert.Empty(t, apptest.Code(t, h.Second.Check(t.Context(), h.Mara, totp.Code(secret, h.Now()), here)))
}

func TestAnAppIsTurnedOnByACodeOfItsOwnSecretAndItsOwnMember(t *testing.T) {
	h := apptest.Build(t, pg)
	key, err := h.Second.BeginApp(t.Context(), h.Mara)
	require.NoError(t, err)
	confirm := func(m account.Member, code string) string {
		_, err := h.Second.ConfirmApp(t.Context(), m, key.ID, code, here)
		return apptest.Code(t, err)
	}
	assert.Equal(t, "challenge_gone", confirm(h.Odd, totp.Code(key.Secret, h.Now())), "somebody else's")
	assert.Equal(t, "wrong_second", confirm(h.Mara, "000000"))
	assert.Empty(t, confirm(h.Mara, totp.Code(key.Secret, h.Now())), "a mistyped one costs nothing")
	assert.Equal(t, "challenge_gone", confirm(h.Mara, totp.Code(key.Secret, h.Now())))
	late, err := h.Second.BeginApp(t.Context(), h.Mara)
	require.NoError(t, err)
	h.Wait(20 * time.Minute)
	_, err = h.Second.ConfirmApp(t.Context(), h.Mara, late.ID, totp.Code(late.Secret, h.Now()), here)
	assert.Equal(t, "challenge_gone", apptest.Code(t, err))
	var sealed []byte
	require.NoError(t, h.Store.Pool().QueryRow(t.Context(), "select totp_sealed from member where id = $1", h.Mara.ID).Scan(&sealed))
	assert.NotContains(t, string(sealed), key.Secret, "a copy of the database shows no code")
}

func TestPasskeysThatAreNoneOpenNothing(t *testing.T) {
	h := apptest.Build(t, pg)
	assert.True(t, h.Second.Passkeys())
	id, options, err := h.Second.BeginSignIn(t.Context())
	require.NoError(t, err)
	assert.NotNil(t, options)
	for _, answer := range []string{"", "{}", `{"id":"x","rawId":"eA","type":"public-key","response":{}}`} {
		_, err = h.Second.FinishSignIn(t.Context(), id, []byte(answer), here)
		assert.Contains(t, []string{"wrong_passkey", "challenge_gone"}, apptest.Code(t, err), answer)
	}
	made, _, err := h.Second.BeginPasskey(t.Context(), h.Mara)
	require.NoError(t, err)
	_, err = h.Second.FinishPasskey(t.Context(), h.Mara, made, " ", []byte("{}"), here)
	assert.Equal(t, "invalid", apptest.Code(t, err))
	_, err = h.Second.FinishPasskey(t.Context(), h.Odd, made, "phone", []byte("{}"), here)
	assert.Equal(t, "challenge_gone", apptest.Code(t, err), "somebody else's")
	_, err = h.Second.FinishPasskey(t.Context(), h.Mara, made, "phone", []byte("{}"), here)
	assert.Equal(t, "wrong_passkey", apptest.Code(t, err))
	assert.Equal(t, "not_found", apptest.Code(t, h.Second.RemovePasskey(t.Context(), h.Mara, "none", here)))
	numbered := account.NewSecond(h.Store, h.Account, "http://127.0.0.1:8484")
	assert.False(t, numbered.Passkeys(), "browsers want a name")
	_, _, err = numbered.BeginSignIn(t.Context())
	assert.Equal(t, "no_passkeys", apptest.Code(t, err))
}

func TestWhoOneIsIsAskedAgainAfterTenMinutes(t *testing.T) {
	h := apptest.Build(t, pg)
	signIn, err := h.Account.Begin(t.Context(), h.Mara, "", here, "hers")
	require.NoError(t, err)
	proven := func() string { return apptest.Code(t, h.Account.Proven(t.Context(), signIn)) }
	assert.Empty(t, proven(), "who has just signed in has shown it")
	h.Wait(10*time.Minute - time.Millisecond)
	assert.Empty(t, proven())
	h.Wait(time.Millisecond)
	assert.Equal(t, "prove", proven())
	assert.Equal(t, "wrong_password", apptest.Code(t, h.Account.Prove(t.Context(), h.Mara, signIn, "guess", here)))
	assert.Equal(t, "prove", proven())
	require.NoError(t, h.Account.Prove(t.Context(), h.Mara, signIn, apptest.Password, here))
	assert.Empty(t, proven())
	assert.Equal(t, "prove", apptest.Code(t, h.Account.Proven(t.Context(), "none")))
	require.NoError(t, h.Account.SignOut(t.Context(), h.Mara, signIn, "", here))
	assert.Equal(t, "prove", proven(), "a session that is over proves nothing")
}
