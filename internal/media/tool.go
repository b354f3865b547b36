// Package media reads facts from films, sounds, pictures and documents and makes
// posters, previews and proxies of them, by ffmpeg, ffprobe and libvips as child
// processes. Each child is bounded in time, memory and output, gets no network
// protocol and, where the system allows it, no network. What they say of a broken
// file becomes an error in words.
package media

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"time"

	"golang.org/x/sys/unix"
)

// ErrUnreadable is returned where a file is not what it claims to be, or is
// damaged. The original can still be delivered.
var ErrUnreadable = errors.New("cannot be read")

// Bounds of one child process.
const (
	maxMemory = 4 << 30 // bytes of address space
	maxOutput = 8 << 20 // bytes on its standard output, where it is kept
	niceness  = 10      // downloads come first
)

// A task is how a tool is run. Only limit is required.
type task struct {
	limit time.Duration
	dir   string    // folder in which it works; its temporary files lie there
	out   io.Writer // takes its standard output, which is returned otherwise
	pipe  bool      // out is read from a large pipe, for decoded sound
}

// run starts a tool and waits for it.
func run(ctx context.Context, t task, name string, args ...string) ([]byte, error) {
	ctx, cancel := context.WithTimeout(ctx, t.limit)
	defer cancel()
	cmd := exec.CommandContext(ctx, name, args...)
	if cmd.Dir = t.dir; t.dir == "" {
		cmd.Dir = os.TempDir()
	}
	cmd.Env = append(os.Environ(), "TMPDIR="+cmd.Dir, "VIPS_CONCURRENCY=2")
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	if Isolated() {
		isolate(cmd.SysProcAttr)
	}
	cmd.Cancel = func() error { return syscall.Kill(-cmd.Process.Pid, syscall.SIGKILL) }
	cmd.WaitDelay = 5 * time.Second
	said, complaint := &bounded{limit: maxOutput}, &bounded{limit: 16 << 10}
	cmd.Stdout, cmd.Stderr = io.Writer(said), complaint
	if t.out != nil {
		cmd.Stdout = t.out
	}
	drained := func() error { return nil }
	if t.pipe {
		var err error
		if drained, err = drain(cmd, t.out); err != nil {
			return nil, err
		}
	}
	if err := cmd.Start(); err != nil {
		return nil, fmt.Errorf("start %s: %w", name, err)
	}
	if t.pipe {
		_ = cmd.Stdout.(*os.File).Close() // the child has its own
	}
	bound := unix.Rlimit{Cur: maxMemory, Max: maxMemory}
	_ = unix.Prlimit(cmd.Process.Pid, unix.RLIMIT_AS, &bound, nil)           // a child that has ended already needs no bound
	_ = syscall.Setpriority(syscall.PRIO_PROCESS, cmd.Process.Pid, niceness) // likewise
	err := errors.Join(drained(), cmd.Wait())
	var exit *exec.ExitError
	switch {
	case ctx.Err() == context.DeadlineExceeded:
		return nil, fmt.Errorf("%s took longer than %s: %w", name, t.limit, ErrUnreadable)
	case ctx.Err() != nil:
		return nil, ctx.Err()
	case errors.As(err, &exit):
		return nil, fmt.Errorf("%s: %s: %w", name, lastLine(complaint.kept.String()), ErrUnreadable)
	case err != nil:
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	return said.kept.Bytes(), nil
}

// Isolated reports whether children get a network of their own with nothing in it,
// as an own user namespace gives it to a process without privileges. Some systems
// forbid that; then the lists of protocols are what keeps children from the network.
var Isolated = sync.OnceValue(func() bool {
	cmd := exec.Command("true")
	cmd.SysProcAttr = &syscall.SysProcAttr{}
	isolate(cmd.SysProcAttr)
	return cmd.Run() == nil
})

// isolate puts a child into namespaces of its own, as the user it would be anyway.
func isolate(a *syscall.SysProcAttr) {
	a.Cloneflags = unix.CLONE_NEWUSER | unix.CLONE_NEWNET
	a.UidMappings = []syscall.SysProcIDMap{{ContainerID: os.Getuid(), HostID: os.Getuid(), Size: 1}}
	a.GidMappings = []syscall.SysProcIDMap{{ContainerID: os.Getgid(), HostID: os.Getgid(), Size: 1}}
}

// drain gives the command a pipe of a mebibyte, large enough that decoding and
// reading go on side by side, and reads it into out. The returned function waits
// until everything is read.
func drain(cmd *exec.Cmd, out io.Writer) (func() error, error) {
	r, w, err := os.Pipe()
	if err != nil {
		return nil, err
	}
	_, _ = unix.FcntlInt(w.Fd(), unix.F_SETPIPE_SZ, 1<<20) // a smaller one is only slower
	cmd.Stdout = w
	done := make(chan error, 1)
	go func() {
		_, err := io.CopyBuffer(struct{ io.Writer }{out}, struct{ io.Reader }{r}, make([]byte, 1<<20))
		_ = r.Close() // a child that still writes gets a broken pipe
		done <- err
	}()
	return func() error { return <-done }, nil
}

// bounded keeps the first limit bytes and swallows the rest. The buffer is a field
// of its own, since its ReadFrom would be taken instead of Write and knows no limit.
type bounded struct {
	kept  bytes.Buffer
	limit int
}

func (b *bounded) Write(p []byte) (int, error) {
	if room := b.limit - b.kept.Len(); room > 0 {
		b.kept.Write(p[:min(room, len(p))])
	}
	return len(p), nil
}

// lastLine is the last thing that a tool said, without paths of this machine.
func lastLine(text string) string {
	lines := strings.FieldsFunc(text, func(r rune) bool { return r == '\n' || r == '\r' })
	for i := len(lines) - 1; i >= 0; i-- {
		if line := strings.TrimSpace(lines[i]); line != "" {
			words := strings.Fields(line)
			for j, w := range words {
				if strings.HasPrefix(w, "/") {
					words[j] = filepath.Base(w)
				}
			}
			return strings.Join(words, " ")
		}
	}
	return "ended without a word"
}
