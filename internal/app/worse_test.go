package app_test

import (
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"
)

// A worse is what goes wrong in a long soak besides kills and stops: the power, the tools that
// make previews, a mail server that says nothing, and a second process beside the first.
type worse struct {
	t     *testing.T
	base  string // of the second process
	cmd   *exec.Cmd
	env   []string
	disk  string // where an ext4 of our own is mounted; empty where none can be
	image string
	mail  *hushed
	cuts  int
	tools int
}

func newWorse(t *testing.T) *worse {
	t.Helper()
	w := &worse{t: t, mail: newHushed(t)}
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	w.base = "http://" + listener.Addr().String()
	require.NoError(t, listener.Close())
	if os.Getuid() != 0 {
		t.Log("no power is cut: mounting takes root")
		return w
	}
	dir := t.TempDir()
	w.image, w.disk = filepath.Join(dir, "image"), filepath.Join(dir, "disk")
	require.NoError(t, os.WriteFile(w.image, nil, 0o600))
	require.NoError(t, os.Truncate(w.image, 64<<30))
	run(t, "mkfs.ext4", "-q", w.image)
	require.NoError(t, os.Mkdir(w.disk, 0o700))
	w.mount()
	t.Cleanup(func() { _ = exec.Command("umount", "-l", w.disk).Run() })
	return w
}

func (w *worse) mount() {
	run(w.t, "mount", "-o", "loop,commit=600", w.image, w.disk) // nothing is flushed by the passing of time
}

func (w *worse) settings() (env []string) {
	if w.disk != "" {
		env = append(env, "AFTERGUST_BLOBS="+filepath.Join(w.disk, "blobs"))
	}
	return append(env, "AFTERGUST_SMTP_URL=smtp://"+w.mail.Addr().String())
}

// begin starts the second process.
func (w *worse) begin(s *soak) {
	w.mail.to = strings.TrimPrefix(s.tray.URL(), "smtp://")
	w.env = append(append([]string(nil), s.env...), "AFTERGUST_ADDR="+strings.TrimPrefix(w.base, "http://"))
	w.start()
	w.t.Cleanup(w.kill)
}

func (w *worse) start() {
	w.cmd = exec.Command(program, "serve")
	w.cmd.Env, w.cmd.Stderr = w.env, os.Stderr
	require.NoError(w.t, w.cmd.Start())
}

func (w *worse) kill() {
	_ = w.cmd.Process.Kill()
	_ = w.cmd.Wait() // killed is how it should end
}

// happens lets one of four things go wrong.
func (w *worse) happens(s *soak, what int) {
	switch what {
	case 0:
		w.cutPower(s)
	case 1:
		w.kill()
		w.start()
	case 2:
		w.mail.hush(true)
	case 3:
		w.mail.hush(false)
	}
}

// cutPower takes the disk away with all that nobody has flushed (EXT4_IOC_SHUTDOWN of
// linux/fs/ext4/ext4.h, without a flush of the journal), and everything else with it.
func (w *worse) cutPower(s *soak) {
	if w.disk == "" {
		return
	}
	const shutdown, withoutFlush = 0x8004587d, 2
	at, err := os.Open(w.disk)
	require.NoError(w.t, err)
	require.NoError(w.t, unix.IoctlSetPointerInt(int(at.Fd()), shutdown, withoutFlush))
	require.NoError(w.t, at.Close())
	children := append(below(s.cmd.Process.Pid, ""), below(w.cmd.Process.Pid, "")...)
	s.kill(w.t)
	w.kill()
	for _, pid := range children {
		_ = syscall.Kill(pid, syscall.SIGKILL) // most are gone
	}
	var out []byte
	for range 200 {
		if out, err = exec.Command("umount", w.disk).CombinedOutput(); err == nil {
			break
		}
		time.Sleep(50 * time.Millisecond)
	}
	require.NoError(w.t, err, "%s", out)
	w.mount()
	w.cuts++
	s.start(w.t)
	w.start()
}

// hurried lets jobs that wait for their next try go now.
func (w *worse) hurried() bool {
	at := ""
	for _, one := range w.env {
		if value, ok := strings.CutPrefix(one, "AFTERGUST_DATABASE_URL="); ok {
			at = value
		}
	}
	conn, err := pgx.Connect(w.t.Context(), at)
	if err != nil {
		return false
	}
	defer conn.Close(w.t.Context()) //nolint:errcheck // it was only asked
	_, err = conn.Exec(w.t.Context(), "update river_job set scheduled_at = now() where state in ('retryable', 'scheduled') and kind in ('letter', 'media', 'proxy')")
	return err == nil
}

// film uploads films, each another one, that previews are made of.
func (s *soak) film(parcel string, chance *rand.Rand) {
	file := filepath.Join(s.t.TempDir(), "cut.mp4")
	run(s.t, "ffmpeg", "-v", "error", "-f", "lavfi", "-i", "testsrc2=size=320x180:rate=25", "-t", "4", file)
	content, err := os.ReadFile(file)
	require.NoError(s.t, err)
	for s.ctx.Err() == nil {
		// A box that players skip (ISO/IEC 14496-12, free) makes it a file of its own.
		number := chance.Uint32()
		whole := append(append([]byte(nil), content...), "\x00\x00\x00\x0cfree"...)
		whole = append(whole, byte(number>>24), byte(number>>16), byte(number>>8), byte(number))
		location, err := s.owner.BeginUpload(s.ctx, map[string]string{"package": parcel, "filename": fmt.Sprintf("cut%d.mp4", number)}, int64(len(whole)))
		item, acknowledged := "", int64(0)
		for err == nil && item == "" && s.ctx.Err() == nil {
			var again error
			if item, again = s.resume(location, whole, &acknowledged); errors.Is(again, errForgotten) {
				break
			} else if again != nil {
				time.Sleep(100 * time.Millisecond)
			}
		}
		if item != "" {
			s.mu.Lock()
			s.films = append(s.films, item)
			s.mu.Unlock()
		}
		select {
		case <-s.ctx.Done():
		case <-time.After(8 * time.Second):
		}
	}
}

// killTools kills what makes previews, as the system does for want of memory.
func (s *soak) killTools(chance *rand.Rand) {
	for s.ctx.Err() == nil {
		time.Sleep(time.Duration(100+chance.IntN(3000)) * time.Millisecond)
		processes, _ := filepath.Glob("/proc/[0-9]*/environ")
		for _, file := range processes {
			environ, _ := os.ReadFile(file)
			if !strings.Contains(string(environ), "CHILD_OF=") || !strings.Contains(string(environ), s.worse.disk) || s.worse.disk == "" {
				continue
			}
			var pid int
			if _, err := fmt.Sscanf(file, "/proc/%d/", &pid); err == nil && syscall.Kill(pid, syscall.SIGKILL) == nil {
				s.worse.tools++
				break
			}
		}
	}
}

// A hushed is a way to a mail server that can fall silent: it takes connections then and says nothing.
type hushed struct {
	net.Listener
	to     string
	silent atomic.Bool
	mu     sync.Mutex
	held   []net.Conn
}

func newHushed(t *testing.T) *hushed {
	t.Helper()
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	h := &hushed{Listener: listener}
	t.Cleanup(func() { _ = listener.Close() })
	go func() {
		for {
			conn, err := listener.Accept()
			if err != nil {
				return
			}
			go h.pass(conn)
		}
	}()
	return h
}

func (h *hushed) hush(silent bool) {
	h.silent.Store(silent)
	h.mu.Lock()
	defer h.mu.Unlock()
	for _, conn := range h.held {
		_ = conn.Close()
	}
	h.held = nil
}

func (h *hushed) pass(conn net.Conn) {
	if h.silent.Load() {
		h.mu.Lock()
		h.held = append(h.held, conn)
		h.mu.Unlock()
		return
	}
	defer conn.Close()
	server, err := net.Dial("tcp", h.to)
	if err != nil {
		return
	}
	defer server.Close()
	go func() { _, _ = io.Copy(server, conn) }()
	_, _ = io.Copy(conn, server)
}
