package scope_test

import (
	"testing"

	. "aftergust/core/link/scope"

	"github.com/stretchr/testify/assert"
)

func TestHowFarATokenReaches(t *testing.T) {
	assert.Equal(t, []Scope{Read, Send, All}, Scopes.Names())
	for scope, want := range map[Scope][3]bool{Read: {true, false, false}, Send: {true, true, false}, All: {true, true, true}, "": {}, "root": {}} {
		assert.Equal(t, want, [3]bool{scope.Covers(Read), scope.Covers(Send), scope.Covers(All)}, scope)
		assert.False(t, scope.Covers("root"), "nothing covers an unknown scope")
	}
}
