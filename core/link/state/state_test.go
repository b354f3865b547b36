package state_test

import (
	"testing"

	. "aftergust/core/link/state"

	"github.com/stretchr/testify/assert"
)

// Source: the states of a package as our words define them.
func TestWhatCanBeFetchedAndWhatIsHeld(t *testing.T) {
	assert.Equal(t, []State{Draft, Out, Closing, Closed, Cleared}, All.Names(), "in the order of a package's life")
	for s, want := range map[State][2]bool{Draft: {false, true}, Out: {true, true}, Closing: {true, true}, Closed: {false, true}, Cleared: {},
		"": {}, "lost": {}} {
		assert.Equal(t, want, [2]bool{s.Open(), All.Get(s).Held}, s)
	}
}
