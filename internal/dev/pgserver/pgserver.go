// Package pgserver runs Debian's PostgreSQL on loopback for the demo and the
// tests. A studio that runs Aftergust for real brings its own database and does
// not use it.
//
// PostgreSQL refuses to run as root. A root process runs it as the user
// postgres, in a folder that this user can reach.
package pgserver

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"errors"
	"fmt"
	"net"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"runtime"
	"sort"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"

	"github.com/jackc/pgx/v5"
)

// ErrNotInstalled is returned where Debian's package postgresql is missing.
var ErrNotInstalled = errors.New("PostgreSQL is not installed; run make setup")

// A Server is one running PostgreSQL.
type Server struct {
	dir      string
	password string
	port     int
	durable  bool
	cmd      *exec.Cmd
	exited   chan struct{}
	identity *syscall.Credential // nil: the current user

	preparing sync.Mutex
	prepared  map[string]bool // databases that tests copy
}

// Start makes a database in dir if there is none, and runs it on a free port of
// 127.0.0.1. With durable false it does not wait for the disk, which only tests
// may want.
func Start(ctx context.Context, dir string, durable bool) (*Server, error) {
	bin, err := findBinaries()
	if err != nil {
		return nil, err
	}
	s := &Server{dir: dir, durable: durable}
	if os.Getuid() == 0 {
		if s.identity, err = postgresUser(); err != nil {
			return nil, err
		}
		s.dir = reachable(dir)
	}
	if err := s.prepare(ctx, bin); err != nil {
		return nil, err
	}
	if err := s.run(bin); err != nil {
		return nil, err
	}
	if err := s.waitReady(ctx); err != nil {
		s.Stop()
		return nil, err
	}
	return s, nil
}

// URL is the address of the database called name, with its password.
func (s *Server) URL(name string) string {
	return fmt.Sprintf("postgres://aftergust:%s@127.0.0.1:%d/%s?sslmode=disable", s.password, s.port, name)
}

// Create makes an empty database called name unless there is one.
func (s *Server) Create(ctx context.Context, name string) error {
	return s.create(ctx, name, "template1")
}

func (s *Server) create(ctx context.Context, name, template string) error {
	conn, err := pgx.Connect(ctx, s.URL("postgres"))
	if err != nil {
		return fmt.Errorf("connect to make database %s: %w", name, err)
	}
	defer conn.Close(ctx)
	var there bool
	if err := conn.QueryRow(ctx, "select exists (select from pg_database where datname = $1)", name).Scan(&there); err != nil || there {
		return err
	}
	_, err = conn.Exec(ctx, "create database "+pgx.Identifier{name}.Sanitize()+" template "+pgx.Identifier{template}.Sanitize())
	return err
}

// Restart stops the server and starts it again on the same port. Tests use it
// to see what a restarted database does to the rest.
func (s *Server) Restart(ctx context.Context) error {
	bin, err := findBinaries()
	if err != nil {
		return err
	}
	s.Stop()
	if err := s.run(bin); err != nil {
		return err
	}
	return s.waitReady(ctx)
}

// Stop ends the server and waits until its data is on disk.
func (s *Server) Stop() {
	_ = s.cmd.Process.Signal(syscall.SIGINT) // PostgreSQL's "fast" shutdown
	select {
	case <-s.exited:
	case <-time.After(20 * time.Second):
		_ = s.cmd.Process.Signal(syscall.SIGQUIT)
		<-s.exited
	}
}

// Remove deletes the data of a stopped server.
func (s *Server) Remove() error { return os.RemoveAll(s.dir) }

// Dir is where the data of a server started with dir lies.
func Dir(dir string) string {
	if os.Getuid() == 0 {
		return reachable(dir)
	}
	return dir
}

func findBinaries() (string, error) {
	found, _ := filepath.Glob("/usr/lib/postgresql/*/bin/initdb")
	if len(found) == 0 {
		return "", ErrNotInstalled
	}
	sort.Strings(found)
	return filepath.Dir(found[len(found)-1]), nil
}

func postgresUser() (*syscall.Credential, error) {
	u, err := user.Lookup("postgres")
	if err != nil {
		return nil, fmt.Errorf("%w (no user postgres)", ErrNotInstalled)
	}
	uid, errUID := strconv.ParseUint(u.Uid, 10, 32)
	gid, errGID := strconv.ParseUint(u.Gid, 10, 32)
	return &syscall.Credential{Uid: uint32(uid), Gid: uint32(gid)}, errors.Join(errUID, errGID)
}

// reachable is dir, or, where the user postgres may not walk down to it (a
// checkout in root's home, a folder made by mktemp), a folder of ours that stands for it.
func reachable(dir string) string {
	absolute, err := filepath.Abs(dir)
	if err != nil {
		absolute = dir
	}
	for parent := filepath.Dir(absolute); ; parent = filepath.Dir(parent) {
		if info, err := os.Stat(parent); err == nil && info.Mode().Perm()&0o001 == 0 {
			sum := sha256.Sum256([]byte(absolute))
			return fmt.Sprintf("/var/tmp/aftergust-pg-%x", sum[:6])
		}
		if parent == "/" {
			return absolute
		}
	}
}

func (s *Server) command(bin, name string, args ...string) *exec.Cmd {
	cmd := exec.Command(filepath.Join(bin, name), args...)
	cmd.Dir = "/"
	// Its own process group: Ctrl-C ends Aftergust, which then ends the database in order.
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Credential: s.identity, Pdeathsig: syscall.SIGINT}
	cmd.Env = append([]string{"PATH=/usr/bin:/bin", "LC_ALL=C.UTF-8", "TZ=UTC"}, shifted()...)
	return cmd
}

func (s *Server) prepare(ctx context.Context, bin string) error {
	passwordFile := filepath.Join(s.dir, "aftergust.password")
	if password, err := os.ReadFile(passwordFile); err == nil {
		s.password = strings.TrimSpace(string(password))
		return nil
	}
	if entries, _ := os.ReadDir(s.dir); len(entries) > 0 {
		if _, err := os.Stat(filepath.Join(s.dir, "PG_VERSION")); err != nil {
			return fmt.Errorf("%s is not empty and not a database; move it away", s.dir)
		}
		// An earlier start was cut off before the database was whole; nothing is in it.
		if err := os.RemoveAll(s.dir); err != nil {
			return fmt.Errorf("remove half-made database: %w", err)
		}
	}
	if err := os.MkdirAll(s.dir, 0o700); err != nil {
		return fmt.Errorf("make database folder: %w", err)
	}
	s.password = rand.Text()
	pwfile, err := os.CreateTemp("", "aftergust-initdb-")
	if err != nil {
		return err
	}
	defer os.Remove(pwfile.Name())
	if _, err := pwfile.WriteString(s.password + "\n"); err != nil {
		return err
	}
	if s.identity != nil {
		if err := errors.Join(os.Chown(s.dir, int(s.identity.Uid), int(s.identity.Gid)),
			pwfile.Chown(int(s.identity.Uid), int(s.identity.Gid))); err != nil {
			return fmt.Errorf("give database folder to user postgres: %w", err)
		}
	}
	if err := pwfile.Close(); err != nil {
		return err
	}
	auth := "scram-sha-256"
	if !s.durable {
		auth = "md5" // tests connect some thousand times, and scram is made to take long
	}
	cmd := s.command(bin, "initdb", "--pgdata", s.dir, "--username", "aftergust", "--pwfile", pwfile.Name(),
		"--auth", auth, "--encoding", "UTF8", "--locale", "C.UTF-8", "--no-sync")
	if out, err := cmd.CombinedOutput(); err != nil {
		return fmt.Errorf("initdb: %w\n%s", err, out)
	}
	return os.WriteFile(passwordFile, []byte(s.password+"\n"), 0o600)
}

func (s *Server) run(bin string) error {
	if s.port == 0 {
		listener, err := net.Listen("tcp", "127.0.0.1:0")
		if err != nil {
			return err
		}
		s.port = listener.Addr().(*net.TCPAddr).Port
		listener.Close()
	}
	args := []string{"-D", s.dir, "-p", strconv.Itoa(s.port), "-c", "listen_addresses=127.0.0.1", "-c", "unix_socket_directories=",
		"-c", "max_connections=200", "-c", "log_destination=stderr", "-c", "shared_buffers=256MB"}
	if !s.durable {
		args = append(args, "-c", "fsync=off", "-c", "full_page_writes=off", "-c", "synchronous_commit=off")
	}
	log, err := os.OpenFile(s.dir+".log", os.O_CREATE|os.O_WRONLY|os.O_TRUNC, 0o600)
	if err != nil {
		return err
	}
	s.cmd = s.command(bin, "postgres", args...)
	s.cmd.Stdout, s.cmd.Stderr = log, log
	s.exited = make(chan struct{})
	started := make(chan error, 1)
	go func() {
		// The signal that ends the child with us is tied to this thread (prctl(2)), so it must live as long.
		runtime.LockOSThread()
		defer log.Close()
		err := s.cmd.Start()
		started <- err
		if err == nil {
			_ = s.cmd.Wait() // how it ended is in its log
		}
		close(s.exited)
	}()
	if err := <-started; err != nil {
		return fmt.Errorf("start postgres: %w", err)
	}
	return nil
}

func (s *Server) waitReady(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, 60*time.Second)
	defer cancel()
	for {
		conn, err := pgx.Connect(ctx, s.URL("postgres"))
		if err == nil {
			return conn.Close(ctx)
		}
		select {
		case <-s.exited:
			log, _ := os.ReadFile(s.dir + ".log")
			return fmt.Errorf("postgres ended at once:\n%s", log)
		case <-ctx.Done():
			return fmt.Errorf("postgres does not answer: %w", err)
		case <-time.After(50 * time.Millisecond):
		}
	}
}
