package ui_test

import (
	"testing"

	"aftergust/ui"

	"github.com/stretchr/testify/assert"
)

func TestTokensAreThoseOfTheLightScreens(t *testing.T) {
	tokens := ui.Tokens()
	assert.Equal(t, []string{"#f5f2ea", "#fffdf8", "#1d2b2f", "#14594a"},
		[]string{tokens["ground"], tokens["surface"], tokens["ink"], tokens["main"]})
	assert.Equal(t, "3px", tokens["radius"])
	assert.NotContains(t, tokens, "narrow", "a breakpoint is none")
}
