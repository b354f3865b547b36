package damage_test

import (
	"testing"

	. "aftergust/core/file/damage"

	"github.com/stretchr/testify/assert"
)

func TestEveryDamageHasWords(t *testing.T) {
	assert.Equal(t, []Damage{Missing, Length, Altered}, All.Names(), "worst first")
	for _, d := range All.Names() {
		assert.NotEmpty(t, All.Get(d).Word)
		assert.NotEmpty(t, All.Get(d).Means)
	}
	assert.False(t, All.Has(None))
}
