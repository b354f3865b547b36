package kind_test

import (
	"testing"

	"aftergust/core/form/kind"

	"github.com/stretchr/testify/assert"
)

type wind string

type described struct {
	Wind wind
	kind.Words
}

func of(all ...described) kind.List[wind, described] {
	return kind.Of(func(d described) wind { return d.Wind }, all...)
}

func TestAListKeepsItsOrderAndKnowsItsMembers(t *testing.T) {
	l := of(described{"squall", kind.Words{Word: "Squall"}}, described{"breeze", kind.Words{Word: "Breeze"}})
	assert.Equal(t, []wind{"squall", "breeze"}, l.Names())
	assert.True(t, l.Has("breeze"))
	assert.False(t, l.Has("Breeze"), "a name is exact")
	assert.False(t, l.Has(""))
	assert.Equal(t, "Breeze", l.Get("breeze").Word)
	assert.Zero(t, l.Get("calm"))
	_ = append(l.Names(), "calm")
	assert.Equal(t, []wind{"squall", "breeze"}, l.Names(), "nobody can add to it from outside")
}

func TestAKindWithoutANameOrWithTwoDescriptorsIsNoList(t *testing.T) {
	assert.Panics(t, func() { of(described{}) })
	assert.Panics(t, func() { of(described{Wind: "squall"}, described{Wind: "breeze"}, described{Wind: "squall"}) })
	assert.NotPanics(t, func() { of() })
}
