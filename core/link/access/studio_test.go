package access_test

import (
	"testing"

	"aftergust/core/link/access"
	"aftergust/core/link/role"

	"github.com/stretchr/testify/assert"
)

func TestWhoMayDoWhatWithAStudio(t *testing.T) {
	for r, want := range map[role.Role][2]bool{role.Owner: {true, true}, role.Member: {true, false}, "": {}, "Owner": {}, "root": {}} {
		assert.Equal(t, want, [2]bool{access.MayAct(r, access.Work), access.MayAct(r, access.Run)}, r)
		assert.False(t, access.MayAct(r, access.Run+1), r)
	}
	assert.Equal(t, []role.Role{role.Owner, role.Member}, role.All.Names())
	for _, r := range role.All.Names() {
		assert.NotEmpty(t, role.All.Get(r).Word)
		assert.NotEmpty(t, role.All.Get(r).Means)
	}
}
