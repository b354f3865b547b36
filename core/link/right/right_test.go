package right_test

import (
	"testing"

	. "aftergust/core/link/right"

	"github.com/stretchr/testify/assert"
)

func TestRightsAreCleanedIntoTheirOrder(t *testing.T) {
	assert.Equal(t, Rights{See, Take}, Rights{Take, "fly", See, Take}.Clean())
	assert.Equal(t, "see, take", Rights{See, Take}.String())
	assert.Equal(t, Rights{See, Note, Take, Add, SignOff}, Rights(All.Names()))
	assert.True(t, Rights{See}.Has(See))
	assert.False(t, Rights{See}.Has(Take))
}
