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
	keys, others := ground.NewKeys([]byte(strings.Repeat("a", 32)), "http://studio.example"),
		ground.NewKeys([]byte(strings.Repeat("b", 32)), "http://studio.example")
	nonce := ground.NewNonce()
	assert.Len(t, nonce, 16)
	token := keys.LinkToken(nonce)
	assert.Len(t, token, ground.LinkLength)
	assert.Equal(t, token, keys.LinkToken(nonce))
	assert.NotEqual(t, token, others.LinkToken(nonce))
	assert.NotEqual(t, token, keys.LinkToken(ground.NewNonce()))
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
