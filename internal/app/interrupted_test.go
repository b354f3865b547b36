package app_test

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"testing"

	"aftergust/internal/dev/apptest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// below are the processes called name that descend from one; all of them without a name.
func below(pid int, name string) (found []int) {
	children, _ := filepath.Glob(fmt.Sprintf("/proc/%d/task/*/children", pid))
	for _, list := range children {
		raw, _ := os.ReadFile(list)
		for _, child := range strings.Fields(string(raw)) {
			n, _ := strconv.Atoi(child)
			comm, _ := os.ReadFile(fmt.Sprintf("/proc/%d/comm", n))
			if name == "" || strings.TrimSpace(string(comm)) == name {
				found = append(found, n)
			}
			found = append(found, below(n, name)...)
		}
	}
	return found
}

// Good films were marked as unreadable for good where the system killed ffmpeg for want of memory.
func TestAFilmWhosePreviewWasKilledIsMadeAllTheSame(t *testing.T) {
	t.Parallel()
	film := filepath.Join(t.TempDir(), "cut.mov")
	out, err := exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i", "testsrc2=size=1280x720:rate=25", "-t", "20", "-c:v", "mpeg4",
		film).CombinedOutput()
	require.NoError(t, err, string(out))
	b := startBinary(t)
	var p apptest.Package
	require.NoError(t, b.owner.Do(t.Context(), "POST", "/api/v1/packages", map[string]any{}, &p))
	_, err = b.owner.Upload(t.Context(), p.ID, film, "")
	require.NoError(t, err)
	apptest.Eventually(t, "ffmpeg runs and is killed", func() bool {
		for _, pid := range below(b.cmd.Process.Pid, "ffmpeg") {
			if syscall.Kill(pid, syscall.SIGKILL) == nil {
				return true
			}
		}
		return false
	})
	said := map[string]bool{}
	apptest.Eventually(t, "its preview is made", func() bool {
		var now struct {
			Items []struct {
				State string `json:"media_state"`
				Error string `json:"media_error"`
			}
		}
		require.NoError(t, b.owner.Do(t.Context(), "GET", "/api/v1/packages/"+p.ID, nil, &now))
		said[now.Items[0].Error] = true
		require.NotEqual(t, "failed", now.Items[0].State, now.Items[0].Error)
		return now.Items[0].State == "ready"
	})
	assert.True(t, said["the program that makes it was interrupted; it will be tried again"], "the screens say why it takes so long: %v", said)
}
