package media

import (
	"fmt"
	"net"
	"os"
	"os/exec"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The children here are a shell's, which can do all that a broken or ill-meant file
// might make a tool do.
func shell(t *testing.T, limit time.Duration, script string) ([]byte, error) {
	return run(t.Context(), task{limit: limit, dir: t.TempDir()}, "bash", "-c", script)
}

func TestAChildReachesNoNetwork(t *testing.T) {
	if !Isolated() {
		t.Skip("this system gives a process without privileges no network of its own")
	}
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer listener.Close()
	_, port, err := net.SplitHostPort(listener.Addr().String())
	require.NoError(t, err)
	call := fmt.Sprintf("exec 3<>/dev/tcp/127.0.0.1/%s && echo reached", port)
	said, err := exec.Command("bash", "-c", call).Output()
	require.NoError(t, err, "without bounds it would be reached")
	assert.Equal(t, "reached\n", string(said))
	said, err = shell(t, 5*time.Second, call)
	assert.ErrorIs(t, err, ErrUnreadable)
	assert.Empty(t, said)
}

func TestAChildIsTheSameUserInItsOwnFolder(t *testing.T) {
	dir := t.TempDir()
	said, err := run(t.Context(), task{limit: 5 * time.Second, dir: dir}, "bash", "-c", `touch made; id -u; id -g; pwd; echo "$TMPDIR"`)
	require.NoError(t, err)
	assert.Equal(t, fmt.Sprintf("%d\n%d\n%s\n%s\n", os.Getuid(), os.Getgid(), dir, dir), string(said))
	assert.FileExists(t, dir+"/made")
}

func TestAChildEndsWithItsTimeAndItsOwnChildrenWithIt(t *testing.T) {
	dir := t.TempDir()
	_, err := run(t.Context(), task{limit: 300 * time.Millisecond, dir: dir}, "bash", "-c", "(sleep 1; touch late) & wait")
	assert.ErrorIs(t, err, ErrUnreadable)
	assert.ErrorContains(t, err, "took longer than 300ms")
	time.Sleep(1200 * time.Millisecond)
	assert.NoFileExists(t, dir+"/late")
}

func TestAChildGetsNoMoreMemoryThanItsBound(t *testing.T) {
	said, err := shell(t, 5*time.Second, "sleep 0.2; ulimit -v") // the bound is set once it runs
	require.NoError(t, err)
	assert.Equal(t, fmt.Sprintf("%d\n", maxMemory>>10), string(said), "in kibibytes")
}

func TestAChildThatSaysTooMuchIsHeardToTheBoundAndNotHeldUp(t *testing.T) {
	said, err := shell(t, 20*time.Second, fmt.Sprintf("head -c %d /dev/zero", 2*maxOutput))
	require.NoError(t, err)
	assert.Equal(t, maxOutput, len(said))
}

func TestAComplaintIsTheLastLineWithoutPaths(t *testing.T) {
	_, err := shell(t, 5*time.Second, "echo first >&2; echo '/srv/studio/secret/cut.mov: no such stream' >&2; exit 3")
	assert.ErrorIs(t, err, ErrUnreadable)
	assert.ErrorContains(t, err, "cut.mov: no such stream")
	assert.False(t, strings.Contains(err.Error(), "/srv"), err)
	assert.Equal(t, "ended without a word", lastLine("\n\r\n"))
}
