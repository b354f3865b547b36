package access_test

import (
	"testing"

	. "aftergust/core/link/access"
	"aftergust/core/link/right"

	"github.com/stretchr/testify/assert"
)

func TestAShowingIsLookedAtAndNothingElse(t *testing.T) {
	for _, verb := range right.All.Names() {
		for _, c := range []struct {
			open, member bool
			want         Reason
		}{{true, false, Allowed}, {true, true, Allowed}, {false, true, Allowed}, {false, false, NotShown}} {
			want := c.want
			if verb != right.See {
				want = NoRight
			}
			assert.Equal(t, want, DecideShowing(c.open, c.member, verb), "%s, open %t, member %t", verb, c.open, c.member)
		}
	}
	assert.NotEmpty(t, NotShown.Say())
}
