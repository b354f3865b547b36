package media

import (
	"context"
	"os"
	"os/exec"
	"strconv"
	"strings"
	"sync"
	"syscall"
)

// How a child is kept from what is not its business (docs/decisions/children-in-a-cage.md):
// it gets the programs and fonts of the system, the one file that it reads, the
// folder that it writes in, and nothing else. No network, no other file, no other
// process, and of our environment, in which passwords stand, nothing.

// caged are the options of bubblewrap that every child has.
var caged = []string{
	"--unshare-all", "--die-with-parent", "--new-session", "--clearenv",
	"--ro-bind", "/usr", "/usr", "--symlink", "usr/bin", "/bin", "--symlink", "usr/sbin", "/sbin", "--symlink", "usr/lib", "/lib",
	"--symlink", "usr/lib64", "/lib64",
	// Of the settings of the system what the tools need: libraries, fonts, and what ImageMagick must not read (PostScript above all).
	"--ro-bind-try", "/etc/ld.so.cache", "/etc/ld.so.cache", "--ro-bind-try", "/etc/alternatives", "/etc/alternatives",
	"--ro-bind-try", "/etc/fonts", "/etc/fonts", "--ro-bind-try", "/var/cache/fontconfig", "/var/cache/fontconfig",
	"--ro-bind-try", "/etc/ImageMagick-6", "/etc/ImageMagick-6",
	"--proc", "/proc", "--dev", "/dev", "--tmpfs", "/tmp",
}

const cage = "/usr/bin/bwrap"

// Caged reports whether children run in a cage. Some systems forbid it; then they
// still get no environment of ours, and the lists of formats and protocols are
// what keeps them from other files and from the network.
var Caged = sync.OnceValue(func() bool {
	cmd := exec.Command(cage, append(caged[:len(caged):len(caged)], "--", "/usr/bin/true")...)
	return cmd.Run() == nil
})

// environment is all that a child hears from us.
func environment(dir string) []string {
	return []string{"PATH=/usr/bin:/bin", "LANG=C.UTF-8", "HOME=" + dir, "TMPDIR=" + dir, "VIPS_CONCURRENCY=2", childOf + "=" + own()}
}

// command is a tool with its bounds, ready to start.
func command(ctx context.Context, t task, name string, args []string) *exec.Cmd {
	dir := t.dir
	if dir == "" {
		dir = os.TempDir()
	}
	// The bounds are set by programs of the system, so that they hold from the first instruction on.
	bounded := append([]string{"/usr/bin/nice", "-n", strconv.Itoa(niceness), "/usr/bin/prlimit", "--as=" + strconv.Itoa(maxMemory), "--core=0",
		"--", name}, args...)
	if Caged() {
		in := append([]string{cage}, caged...)
		if t.dir != "" {
			in = append(in, "--bind", dir, dir)
		}
		if file := t.input(); file != "" {
			in = append(in, "--ro-bind", file, file)
		}
		for _, one := range environment(dir) {
			key, value, _ := strings.Cut(one, "=")
			in = append(in, "--setenv", key, value)
		}
		bounded = append(append(in, "--chdir", dir, "--"), bounded...)
	}
	cmd := exec.CommandContext(ctx, bounded[0], bounded[1:]...)
	cmd.Dir, cmd.Env = dir, environment(dir)
	// Its children are in its group and end with it; it ends with us, also when we are killed.
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Pdeathsig: syscall.SIGKILL}
	return cmd
}
