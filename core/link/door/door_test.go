package door_test

import (
	"testing"

	. "aftergust/core/link/door"

	"github.com/stretchr/testify/assert"
)

// Source: the four doors as our words define them, and what each wants.
func TestEachDoorWantsItsOwn(t *testing.T) {
	for d, want := range map[Door]Need{Open: Nothing, Passphrase: APassphrase, GuestBook: AnAddress, Named: ACode} {
		assert.True(t, d.Valid(), d)
		assert.Equal(t, want, d.Needs(), d)
	}
	assert.Equal(t, []Door{Open, Passphrase, GuestBook, Named}, All.Names(), "the widest first")
}

func TestADoorThatNobodyKnowsLetsNobodyIn(t *testing.T) {
	for _, d := range []Door{"", "ajar", "Open", "open "} {
		assert.False(t, d.Valid(), d)
		assert.Equal(t, ACode, d.Needs(), d)
	}
}

func TestEveryDoorHasWordsAndOnlyNamedShutsOutALinkForAnyone(t *testing.T) {
	for _, d := range All.Names() {
		at := All.Get(d)
		assert.NotEmpty(t, at.Word, d)
		assert.NotEmpty(t, at.Means, d)
		assert.NotEmpty(t, at.Says, d)
		assert.Equal(t, d != Named, at.Anyone, d)
	}
}
