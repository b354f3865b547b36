package preview_test

import (
	"testing"

	. "aftergust/core/media/preview"

	"github.com/stretchr/testify/assert"
)

func TestAnAddressNamesAPreviewOrNothing(t *testing.T) {
	for text, want := range map[string]struct {
		purpose Purpose
		page    int
	}{"poster": {Poster, 0}, "proxy": {Proxy, 0}, "proxy-small": {ProxySmall, 0}, "strip-index": {StripIndex, 0},
		"page-1": {Page, 1}, "page-300": {Page, 300}} {
		p, page, ok := Address(text)
		assert.True(t, ok, text)
		assert.Equal(t, want.purpose, p, text)
		assert.Equal(t, want.page, page, text)
	}
	for _, text := range []string{"", "prints", "page", "page-", "page-0", "page--1", "page-x", "poster-1", "original", "../poster", "page-1/../poster",
		"page-99999999999999999999"} {
		_, _, ok := Address(text)
		assert.False(t, ok, text)
	}
}

func TestOnlyWhatIsStillBeingMadeIsBusy(t *testing.T) {
	for state, busy := range map[State]bool{Waiting: true, Working: true, Ready: false, Failed: false, None: false, Cancelled: false, "": false} {
		assert.Equal(t, busy, state.Busy(), state)
	}
	assert.Len(t, States.Names(), 6)
	for _, s := range States.Names() {
		assert.NotEmpty(t, States.Get(s).Word)
		assert.NotEmpty(t, States.Get(s).Means)
	}
	for _, p := range All.Names() {
		assert.NotEmpty(t, All.Get(p).Word)
		assert.NotEmpty(t, All.Get(p).Means)
	}
}
