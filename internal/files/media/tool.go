// Package media reads facts from films, sounds, pictures and documents and makes
// posters, previews and proxies of them, by ffmpeg, ffprobe and libvips as child
// processes. Each child is bounded in time, memory and output, and sees one file
// and one folder (cage.go). What they say of a broken file becomes an error in words.
package media

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"regexp"
	"strings"
	"syscall"
	"time"

	"golang.org/x/sys/unix"
)

// ErrUnreadable is returned where a file is not what it claims to be, or is
// damaged. The original can still be delivered.
var ErrUnreadable = errors.New("cannot be read")

// ErrFull is returned where there was no room for what a tool makes. The file is not
// to blame: it is worth trying again when there is.
var ErrFull = errors.New("the disk is full")

// ErrInterrupted is returned where a tool did not end by itself: it was killed, for want of
// memory or by a stop of the system, it crashed, or it took too long. That says nothing of the
// file: it is worth trying again, later and with less beside it.
var ErrInterrupted = errors.New("was interrupted")

// leastRoom is how much room there must be where a tool failed for its failure to be
// the file's, in bytes; not every tool says that it was for want of room.
const leastRoom = 32 << 20

// noRoom reports whether a tool that worked in dir failed for want of room.
func noRoom(dir, complaint string) bool {
	if strings.Contains(complaint, "No space left on device") || strings.Contains(complaint, "Disk quota exceeded") {
		return true
	}
	var stat syscall.Statfs_t
	return dir != "" && syscall.Statfs(dir, &stat) == nil && stat.Bavail*uint64(stat.Bsize) < leastRoom
}

// How the time limit of a task grows with what it reads: one minute for each 300 MB, up to
// less than a folder for work is kept (expiry.LeftWork).
const (
	slowest   = 5_000_000 // bytes a second
	mostLimit = 20 * time.Hour
)

// within is how long a task may take.
func (t task) within() time.Duration {
	info, err := os.Stat(t.input())
	if t.in == "" || err != nil {
		return t.limit
	}
	return max(t.limit, min(t.limit+time.Duration(info.Size()/slowest)*time.Second, mostLimit))
}

// killed reports whether a tool ended by a signal: its own, or, where it ran under another
// program, 128 and its number as the exit status (POSIX, Shell & Utilities, 2.8.2). ffmpeg
// catches the signals that ask it to end and exits with 255.
func killed(exit *exec.ExitError, name, complaint string) bool {
	return exit.ExitCode() < 0 || exit.ExitCode() > 128 && exit.ExitCode() < 128+65 ||
		name == "ffmpeg" && exit.ExitCode() == 255 && strings.Contains(complaint, "received signal")
}

// Bounds of one child process.
const (
	maxMemory = 4 << 30 // bytes of address space
	maxOutput = 8 << 20 // bytes on its standard output, where it is kept
	niceness  = 10      // downloads come first
)

// A task is how a tool is run. Only limit is required.
type task struct {
	limit time.Duration
	in    string    // the file from outside that it reads, with the page wanted as libvips writes it; it sees no other
	dir   string    // folder in which it works; its temporary files lie there
	out   io.Writer // takes its standard output, which is returned otherwise
	pipe  bool      // out is read from a large pipe, for decoded sound
}

// input is the path of what a task reads.
func (t task) input() string {
	path, _, _ := strings.Cut(t.in, "[page=")
	return path
}

// run starts a tool and waits for it.
func run(ctx context.Context, t task, name string, args ...string) ([]byte, error) {
	limit := t.within()
	ctx, cancel := context.WithTimeout(ctx, limit)
	defer cancel()
	cmd := command(ctx, t, name, args)
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
	err := errors.Join(drained(), cmd.Wait())
	var exit *exec.ExitError
	switch {
	case ctx.Err() == context.DeadlineExceeded:
		return nil, fmt.Errorf("%s took longer than %s: %w", name, limit, ErrInterrupted)
	case ctx.Err() != nil:
		return nil, ctx.Err()
	case errors.As(err, &exit) && noRoom(t.dir, complaint.kept.String()):
		return nil, fmt.Errorf("%s: %w", name, ErrFull)
	case errors.As(err, &exit) && killed(exit, name, complaint.kept.String()):
		return nil, fmt.Errorf("%s: %s: %w", name, exit, ErrInterrupted)
	case errors.As(err, &exit):
		return nil, fmt.Errorf("%s: %s: %w", name, lastLine(complaint.kept.String()), ErrUnreadable)
	case err != nil:
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	return said.kept.Bytes(), nil
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

// aPath is a path from the root, which a tool may have put into quotes or behind a colon, and
// its last part.
var aPath = regexp.MustCompile("(^|[^\\w/.])/(?:[^\\s'\"`:,;()<>]*/)*([^\\s'\"`:,;()<>/]+)")

// lastLine is the last thing that a tool said, without paths of this machine.
func lastLine(text string) string {
	lines := strings.FieldsFunc(text, func(r rune) bool { return r == '\n' || r == '\r' })
	for i := len(lines) - 1; i >= 0; i-- {
		if line := strings.TrimSpace(lines[i]); line != "" {
			return strings.Join(strings.Fields(aPath.ReplaceAllString(line, "$1$2")), " ")
		}
	}
	return "ended without a word"
}
