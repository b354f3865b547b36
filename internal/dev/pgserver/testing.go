package pgserver

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync/atomic"
	"syscall"
	"testing"
	"time"
)

// Main runs the tests of a package with one server for all of them, and exits.
// Call it from TestMain; each test then makes a database of its own with Fresh.
func Main(m *testing.M, use func(*Server)) {
	os.Exit(func() int {
		for _, setting := range shifted() { // for the other programs that tests start
			name, value, _ := strings.Cut(setting, "=")
			_ = os.Setenv(name, value)
		}
		base := roomy("/dev/shm")
		sweep(base)
		dir, err := os.MkdirTemp(base, prefix)
		if err == nil {
			defer os.RemoveAll(dir)
			err = os.Chmod(dir, 0o755)
		}
		var server *Server
		if err == nil {
			server, err = Start(context.Background(), dir+"/pg", false)
		}
		if err != nil {
			fmt.Fprintln(os.Stderr, "tests need PostgreSQL:", err)
			return 1
		}
		defer server.Stop()
		use(server)
		return m.Run()
	}())
}

// shifted is the environment that gives a child the clock of this process, where a build
// overlay has shifted it (scripts/later.sh), and empty otherwise. Only the clock on the wall
// is shifted: what measures a wait goes on as it was.
func shifted() []string {
	ours := time.Now().Unix()
	var kernel syscall.Timeval
	if err := syscall.Gettimeofday(&kernel); err != nil || ours <= kernel.Sec {
		return nil
	}
	library, _ := filepath.Glob("/usr/lib/*/faketime/libfaketimeMT.so.1")
	return []string{"LD_PRELOAD=" + strings.Join(library, ":"), "FAKETIME_DONT_FAKE_MONOTONIC=1", "FAKETIME_DISABLE_SHM=1",
		fmt.Sprintf("FAKETIME=+%ds", ours-kernel.Sec)}
}

// roomy is memory if it is a folder with room for the databases of all tests that may
// run at once, and otherwise the disk: making a database there takes three times as long.
func roomy(memory string) string {
	const enough = 8 << 30
	var fs syscall.Statfs_t
	if err := syscall.Statfs(memory, &fs); err == nil && fs.Bavail*uint64(fs.Bsize) >= enough {
		return memory
	}
	return "/var/tmp"
}

const prefix = "aftergust-test-"

// sweep removes what tests that were killed hours ago left behind in base.
func sweep(base string) {
	left, _ := filepath.Glob(filepath.Join(base, prefix+"*"))
	for _, dir := range left {
		if at, err := os.Stat(dir); err == nil && time.Since(at.ModTime()) > 6*time.Hour {
			_ = os.RemoveAll(dir)
		}
	}
}

var databases atomic.Int64

// Fresh is the address of a new, empty database.
func (s *Server) Fresh(t testing.TB) string {
	t.Helper()
	name := fmt.Sprintf("test%d", databases.Add(1))
	if err := s.Create(t.Context(), name); err != nil {
		t.Fatal(err)
	}
	return s.URL(name)
}

// Like is the address of a new database like the one that make prepares, which is
// prepared once for all tests of a package.
func (s *Server) Like(t testing.TB, prepared string, make func(ctx context.Context, url string) error) string {
	t.Helper()
	s.preparing.Lock()
	defer s.preparing.Unlock()
	if s.prepared == nil {
		s.prepared = map[string]bool{}
	}
	if !s.prepared[prepared] {
		if err := s.Create(t.Context(), prepared); err != nil {
			t.Fatal(err)
		}
		if err := make(t.Context(), s.URL(prepared)); err != nil {
			t.Fatal(err)
		}
		s.prepared[prepared] = true
	}
	name := fmt.Sprintf("test%d", databases.Add(1))
	if err := s.create(t.Context(), name, prepared); err != nil {
		t.Fatal(err)
	}
	return s.URL(name)
}
