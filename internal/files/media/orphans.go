package media

import (
	"bytes"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"syscall"
)

// A child ends with us, since the kernel kills it then (PR_SET_PDEATHSIG of prctl(2)), and what
// runs in its cage ends with it in the same way. Whoever is killed in the instant between a
// fork and that request leaves one behind, which waits for ever. So each child has in its
// environment whose it is.

// childOf is the name under which a child has whose it is: the number of our process, and when
// that began, since numbers come again.
const childOf = "CHILD_OF"

var own = sync.OnceValue(func() string {
	pid := strconv.Itoa(os.Getpid())
	return pid + "-" + began(pid)
})

// began is when a process began, in ticks after the machine did, and empty where there is none
// (proc_pid_stat(5), field 22; the name in field 2 may hold anything but ends with the last bracket).
func began(pid string) string {
	stat, err := os.ReadFile(filepath.Join("/proc", pid, "stat"))
	if err != nil {
		return ""
	}
	const state, start = 3, 22
	fields := strings.Fields(string(stat[bytes.LastIndexByte(stat, ')')+1:]))
	if len(fields) <= start-state || fields[0] == "Z" {
		return ""
	}
	return fields[start-state]
}

// EndOrphans kills children whose process is gone, of any process of this user, and returns how many.
func EndOrphans() (ended int) {
	all, err := filepath.Glob("/proc/[0-9]*/environ")
	if err != nil {
		return 0
	}
	for _, file := range all {
		environ, err := os.ReadFile(file) // of others it cannot be read
		if err != nil {
			continue
		}
		for one := range bytes.SplitSeq(environ, []byte{0}) {
			whose, ok := strings.CutPrefix(string(one), childOf+"=")
			pid, since, ok2 := strings.Cut(whose, "-")
			if !ok || !ok2 || since == "" || began(pid) == since {
				continue
			}
			child, err := strconv.Atoi(filepath.Base(filepath.Dir(file)))
			if err == nil && syscall.Kill(child, syscall.SIGKILL) == nil {
				ended++
			}
		}
	}
	return ended
}
