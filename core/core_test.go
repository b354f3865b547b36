// Package core_test holds the line around core: nothing in it does I/O, reads a
// clock or draws a random number.
package core_test

import (
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestCoreImportsNothingThatDoesIO(t *testing.T) {
	out, err := exec.Command("go", "list", "-f", "{{.ImportPath}}: {{join .Imports \" \"}}", "./...").Output()
	require.NoError(t, err)
	forbidden := []string{"os", "net", "net/http", "io/fs", "os/exec", "database/sql", "math/rand", "math/rand/v2", "crypto/rand", "log",
		"log/slog", "syscall"}
	for line := range strings.Lines(string(out)) {
		name, imports, _ := strings.Cut(strings.TrimSpace(line), ": ")
		for _, imported := range strings.Fields(imports) {
			assert.NotContains(t, forbidden, imported, name)
			assert.False(t, strings.HasPrefix(imported, "aftergust/") && !strings.HasPrefix(imported, "aftergust/core/"), "%s imports %s", name,
				imported)
		}
	}
	clock, err := exec.Command("grep", "-rnE", `time\.(Now|Since|Until|Sleep|After)\(`, "--include=*.go", "--exclude=*_test.go", ".").Output()
	assert.Empty(t, string(clock), "now comes in as an argument")
	assert.Error(t, err, "grep finds nothing")
}
