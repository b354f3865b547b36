package media

import (
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
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
	t.Parallel()
	if !Caged() {
		t.Skip("this system allows no cage")
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

// Good films were marked as unreadable for good where the system was short of memory.
func TestAToolThatIsKilledOrCrashesSaysNothingOfTheFile(t *testing.T) {
	t.Parallel()
	for _, end := range []string{"kill -KILL $$", "kill -SEGV $$", "kill -TERM $$", "bash -c 'kill -KILL $$'"} {
		_, err := shell(t, time.Minute, end)
		assert.ErrorIs(t, err, ErrInterrupted, end)
		assert.NotErrorIs(t, err, ErrUnreadable, end)
	}
	_, err := shell(t, time.Minute, "echo moov atom not found >&2; exit 1")
	assert.ErrorIs(t, err, ErrUnreadable, "the tool's own verdict")
	assert.NotErrorIs(t, err, ErrInterrupted)
}

func TestALargeFileMayTakeLonger(t *testing.T) {
	t.Parallel()
	file := filepath.Join(t.TempDir(), "large")
	require.NoError(t, os.WriteFile(file, nil, 0o600))
	limit := func(size int64) time.Duration {
		require.NoError(t, os.Truncate(file, size))
		return task{limit: time.Hour, in: file}.within()
	}
	assert.Equal(t, time.Hour, limit(0))
	assert.Equal(t, 2*time.Hour, limit(18e9))
	assert.Equal(t, mostLimit, limit(9e12))
}

func TestAChildIsTheSameUserInItsOwnFolder(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	said, err := run(t.Context(), task{limit: 5 * time.Second, dir: dir}, "bash", "-c", `touch made; id -u; id -g; pwd; echo "$TMPDIR"`)
	require.NoError(t, err)
	assert.Equal(t, fmt.Sprintf("%d\n%d\n%s\n%s\n", os.Getuid(), os.Getgid(), dir, dir), string(said))
	assert.FileExists(t, dir+"/made")
}

func TestAChildEndsWithItsTimeAndItsOwnChildrenWithIt(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	_, err := run(t.Context(), task{limit: 300 * time.Millisecond, dir: dir}, "bash", "-c", "(sleep 1; touch late) & wait")
	assert.ErrorIs(t, err, ErrInterrupted, "nothing is wrong with the file")
	assert.ErrorContains(t, err, "took longer than 300ms")
	time.Sleep(1200 * time.Millisecond)
	assert.NoFileExists(t, dir+"/late")
}

func TestAChildGetsNoMoreMemoryThanItsBound(t *testing.T) {
	t.Parallel()
	said, err := shell(t, 5*time.Second, "ulimit -v")
	require.NoError(t, err)
	assert.Equal(t, fmt.Sprintf("%d\n", maxMemory>>10), string(said), "in kibibytes")
}

func TestAChildThatSaysTooMuchIsHeardToTheBoundAndNotHeldUp(t *testing.T) {
	t.Parallel()
	said, err := shell(t, 20*time.Second, fmt.Sprintf("head -c %d /dev/zero", 2*maxOutput))
	require.NoError(t, err)
	assert.Equal(t, maxOutput, len(said))
}

// A child that wants to know more than its file: our secrets, other blobs, other processes.
func TestAChildSeesItsFileAndItsFolderAndNothingElse(t *testing.T) {
	if !Caged() {
		t.Skip("this system allows no cage")
	}
	blobs := t.TempDir()
	mine, theirs := filepath.Join(blobs, "mine"), filepath.Join(blobs, "theirs")
	require.NoError(t, os.WriteFile(mine, []byte("my bytes"), 0o600))
	require.NoError(t, os.WriteFile(theirs, []byte("their bytes"), 0o600))
	t.Setenv("AFTERGUST_SECRET", "a secret that stands in our environment")
	dir := t.TempDir()
	see := func(script string) string {
		said, err := run(t.Context(), task{limit: 10 * time.Second, in: mine, dir: dir}, "bash", "-c", script)
		require.NoError(t, err)
		return string(said)
	}
	assert.Equal(t, "my bytes", see("cat "+mine))
	assert.Empty(t, see("cat "+theirs+" 2>/dev/null; ls "+blobs+" | grep theirs; true"))
	assert.Equal(t, "CHILD_OF HOME LANG PATH PWD SHLVL TMPDIR VIPS_CONCURRENCY", strings.Join(strings.Fields(see("compgen -e")), " "))
	assert.NotContains(t, see("cat /proc/[0-9]*/environ | tr '\\0' '\\n'"), "AFTERGUST", "of no process")
	assert.Equal(t, mine+"\n", see("ls -d /root /home /etc/passwd /var/lib 2>/dev/null; find /tmp -type f; true"))
	assert.Equal(t, "refused\n", see("echo x > "+mine+" 2>/dev/null || echo refused"), "what it reads it cannot write")
	_, err := os.Stat(mine)
	require.NoError(t, err)
}

// A drawing may name other files; none of them is there.
func TestADrawingShowsNothingOfOtherFiles(t *testing.T) {
	t.Parallel()
	if !Caged() {
		t.Skip("this system allows no cage")
	}
	blobs, dir := t.TempDir(), t.TempDir()
	red := filepath.Join(blobs, "red.svg")
	square := `<svg xmlns="http://www.w3.org/2000/svg" width="64" height="64"><rect width="64" height="64" fill="%s"/></svg>`
	require.NoError(t, os.WriteFile(red, fmt.Appendf(nil, square, "#ff0000"), 0o600))
	thief := filepath.Join(blobs, "thief.svg")
	require.NoError(t, os.WriteFile(thief, []byte(`<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" width="64" height="64">
		<rect width="64" height="64" fill="#0000ff"/><image width="64" height="64" xlink:href="red.svg"/>
		<image width="64" height="64" xlink:href="file://`+red+`"/></svg>`), 0o600))
	mean := func(file string) string {
		m, err := Picture(t.Context(), file, dir)
		require.NoError(t, err)
		out, err := exec.Command("vips", "getpoint", m.File, "32", "32").Output()
		require.NoError(t, err)
		return strings.TrimSpace(string(out))
	}
	assert.Regexp(t, `^2[45]\d 0 0$`, mean(red))
	assert.Regexp(t, `^0 0 2[45]\d$`, mean(thief), "blue, not the red of the other file")
}

// PostScript is a language in which files can be read.
func TestPostScriptIsNotRun(t *testing.T) {
	t.Parallel()
	file := filepath.Join(t.TempDir(), "poster.jpg")
	require.NoError(t, os.WriteFile(file, []byte("%!PS-Adobe-3.0\n%%BoundingBox: 0 0 64 64\n0 0 64 64 rectfill showpage\n"), 0o600))
	_, _, err := Still(t.Context(), file, t.TempDir(), "image/jpeg")
	assert.ErrorIs(t, err, ErrUnreadable)
}

func TestAComplaintIsTheLastLineWithoutPaths(t *testing.T) {
	t.Parallel()
	_, err := shell(t, 5*time.Second, "echo first >&2; echo '/srv/studio/secret/cut.mov: no such stream' >&2; exit 3")
	assert.ErrorIs(t, err, ErrUnreadable)
	assert.ErrorContains(t, err, "cut.mov: no such stream")
	assert.False(t, strings.Contains(err.Error(), "/srv"), err)
	assert.Equal(t, "ended without a word", lastLine("\n\r\n"))
	for said, want := range map[string]string{
		`VipsForeignLoad: "/srv/studio/blobs/0f/cut.png" is not a known file format`: `VipsForeignLoad: "cut.png" is not a known file format`,
		"identify: no decode delegate for `/tmp/work/x y.psd' @ error/constitute.c":  "identify: no decode delegate for `x y.psd' @ error/constitute.c",
		"file:/srv/blobs/a: Invalid data found":                                      "file:a: Invalid data found",
		"cannot open (/var/lib/a.b/c), 24/1 frames":                                  "cannot open (c), 24/1 frames",
		"and/or 1/2 of it": "and/or 1/2 of it",
	} {
		assert.Equal(t, want, lastLine(said))
	}
}

// A child of a process that was killed at an unlucky moment would wait for ever.
func TestChildrenWhoseProcessIsGoneAreEnded(t *testing.T) {
	begin := func(whose string) (ended <-chan error) {
		t.Helper()
		child := exec.Command("sleep", "60")
		child.Env = []string{"PATH=/usr/bin:/bin"}
		if whose != "" {
			child.Env = append(child.Env, childOf+"="+whose)
		}
		require.NoError(t, child.Start())
		over := make(chan error, 1)
		go func() { over <- child.Wait() }()
		t.Cleanup(func() { _ = child.Process.Kill() })
		return over
	}
	gone := exec.Command("true")
	require.NoError(t, gone.Run())
	pid, since, _ := strings.Cut(own(), "-")
	orphans := map[string]<-chan error{}
	for name, whose := range map[string]string{"of one that is gone": fmt.Sprint(gone.Process.Pid, "-1"), "of an earlier one with our number": pid + "-1" + since} {
		orphans[name] = begin(whose)
	}
	others := map[string]<-chan error{"ours": begin(own()), "nobody's": begin(""), "with a name that says nothing": begin("nobody"), "and less": begin("1-")}
	until := time.After(30 * time.Second)
	for name, over := range orphans { // each has its environment a moment after it began; other processes end orphans too
		for ended := false; !ended; {
			EndOrphans()
			select {
			case <-over:
				ended = true
			case <-until:
				require.Fail(t, "it goes on", name)
			case <-time.After(20 * time.Millisecond):
			}
		}
	}
	for name, over := range others {
		select {
		case <-over:
			assert.Fail(t, "it was ended", name)
		default:
		}
	}
}
