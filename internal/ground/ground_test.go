package ground_test

import (
	"encoding/hex"
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"aftergust/internal/ground"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestIdentifiersAreDistinctAndSortByTheMomentTheyWereMade(t *testing.T) {
	seen := map[string]bool{}
	var ids []string
	for range 5 {
		for range 200 {
			id := ground.NewID()
			require.Len(t, id, 24)
			require.False(t, seen[id])
			seen[id] = true
		}
		ids = append(ids, ground.NewID())
		time.Sleep(2 * time.Millisecond) // identifiers of one millisecond have no order
	}
	assert.True(t, slices.IsSorted(ids))
}

func TestALinkIsMadeOfItsNonceAndTheSecretAndNothingElse(t *testing.T) {
	keys, others := ground.NewKeys(secrets(t, strings.Repeat("a", 32)), "http://studio.example"),
		ground.NewKeys(secrets(t, strings.Repeat("b", 32)), "http://studio.example")
	nonce := keys.NewNonce()
	assert.Len(t, nonce, 16)
	token := keys.LinkToken(nonce)
	assert.Len(t, token, ground.LinkLength)
	assert.Equal(t, token, keys.LinkToken(nonce))
	assert.NotEqual(t, token, others.LinkToken(nonce))
	assert.NotEqual(t, token, keys.LinkToken(keys.NewNonce()))
	assert.Equal(t, "http://studio.example/r/"+token, keys.LinkURL(nonce))
	assert.Equal(t, "http://studio.example/packages/p1", keys.PackageURL("p1"))
	code := keys.DoorCode("c1")
	assert.Regexp(t, `^\d{6}$`, code)
	assert.Equal(t, code, keys.DoorCode("c1"))
	assert.NotEqual(t, code, keys.DoorCode("c2"))
	assert.NotEqual(t, code, others.DoorCode("c1"))
}

// Source: FIPS 180-4: the SHA-256 of "abc".
func TestASecretIsKeptAsItsSHA256(t *testing.T) {
	assert.Equal(t, "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad", hex.EncodeToString(ground.Hash("abc")))
	assert.True(t, ground.Same("abc", "abc"))
	assert.False(t, ground.Same("abc", "abd"))
	assert.False(t, ground.Same("abc", "ab"))
	assert.GreaterOrEqual(t, len(ground.NewSecret()), 26, "of 32 letters each")
	assert.NotEqual(t, ground.NewSecret(), ground.NewSecret())
}

func TestAMistakeIsFoundThroughWhatWrapsIt(t *testing.T) {
	err := fmt.Errorf("saving: %w", ground.Wrong("title", "At most %d characters.", 120))
	var mistake *ground.Error
	require.True(t, errors.As(err, &mistake))
	assert.Equal(t, ground.Error{Kind: ground.Invalid, Code: "invalid", Say: "At most 120 characters.", At: "title"}, *mistake)
	assert.Equal(t, "not_found: There is no such item.", ground.Missing("item").Error())
	require.True(t, errors.As(ground.Clash("taken", "No."), &mistake))
	assert.Equal(t, ground.Conflict, mistake.Kind)
}

func TestNeverAndNothingAreZeroAndEmpty(t *testing.T) {
	now := time.Now()
	assert.True(t, ground.When(nil).IsZero())
	assert.Equal(t, now, ground.When(&now))
	assert.NotNil(t, ground.OrEmpty[[]int](nil))
	assert.Equal(t, []int{1}, ground.OrEmpty([]int{1}))
}

func secrets(t *testing.T, text string) ground.Secrets {
	t.Helper()
	s, err := ground.ReadSecrets(text)
	require.NoError(t, err)
	return s
}

// A secret that others know is replaced: what is made now is made with the new one,
// links of before are shown as they were and go on.
func TestASecretIsReplacedWithoutEndingALink(t *testing.T) {
	first := strings.Repeat("a", 40)
	before := ground.NewKeys(secrets(t, first), "http://studio.example")
	nonce := before.NewNonce()
	assert.Len(t, nonce, 16)
	text, err := ground.Rotated(first)
	require.NoError(t, err)
	assert.Regexp(t, "^2:[A-Z2-7]{52},1:a{40}$", text)
	after := ground.NewKeys(secrets(t, text), "http://studio.example")
	assert.Equal(t, before.LinkURL(nonce), after.LinkURL(nonce))
	assert.NotEqual(t, before.DoorCode("c1"), after.DoorCode("c1"))
	fresh := after.NewNonce()
	assert.Len(t, after.LinkToken(fresh), ground.LinkLength)
	assert.Empty(t, before.LinkURL(fresh), "who has the old one alone cannot say it")
	again, err := ground.Rotated(text)
	require.NoError(t, err)
	third := ground.NewKeys(secrets(t, again), "http://studio.example")
	assert.Equal(t, after.LinkURL(fresh), third.LinkURL(fresh))
	assert.Equal(t, before.LinkURL(nonce), third.LinkURL(nonce))
	without := ground.NewKeys(secrets(t, again[:strings.LastIndex(again, ",")]), "http://studio.example")
	assert.Empty(t, without.LinkURL(nonce), "a secret that was dropped")
	assert.Equal(t, after.LinkURL(fresh), without.LinkURL(fresh))

	sealed := before.Seal("code", "words of nobody else")
	for _, keys := range []*ground.Keys{before, after, third} {
		text, ok := keys.Unseal("code", sealed)
		assert.True(t, ok)
		assert.Equal(t, "words of nobody else", text)
	}
	for what, open := range map[string]func() (string, bool){
		"for something else": func() (string, bool) { return before.Unseal("other", sealed) },
		"without the secret": func() (string, bool) { return without.Unseal("code", sealed) },
		"changed":            func() (string, bool) { return before.Unseal("code", append(sealed[:len(sealed)-1:len(sealed)-1], 'x')) },
		"cut off":            func() (string, bool) { return before.Unseal("code", sealed[:5]) },
		"nothing":            func() (string, bool) { return before.Unseal("code", nil) },
	} {
		_, ok := open()
		assert.False(t, ok, what)
	}
}

func TestSecretsAreReadAsTheyAreWritten(t *testing.T) {
	long := strings.Repeat("s", 32)
	for text, want := range map[string]string{"short": "shorter than 32", "": "shorter than 32", "0:" + long: "from 1 to 255", "256:" + long: "from 1 to 255",
		"x:" + long: "from 1 to 255", "1:" + long + ",1:" + long: "two secrets", long + "," + long: "two secrets", "2:" + long + ",": "shorter than 32"} {
		_, err := ground.ReadSecrets(text)
		assert.ErrorContains(t, err, want, text)
	}
	one := ground.NewKeys(secrets(t, long), "")
	assert.Equal(t, one.DoorCode("c"), ground.NewKeys(secrets(t, " 1: "+long+" "), "").DoorCode("c"), "a number may be said")
	_, err := ground.Rotated("255:" + long)
	assert.ErrorContains(t, err, "255")
	_, err = ground.Rotated("short")
	assert.Error(t, err)
}
