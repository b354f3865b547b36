package wire

import (
	"context"
	"net"
	"strings"
	"syscall"

	"golang.org/x/sys/unix"
)

// BBR is the congestion control that measures the rate and the delay of a path instead of
// taking each lost packet for a full queue, so that distant and lossy lines are filled.
const BBR = "bbr"

// Listen listens on a TCP address. Connections that it accepts use the congestion control
// called by that name, where the kernel has it (TCP_CONGESTION of tcp(7)); used is the one
// they have. They are plain TCP also where the kernel would offer MPTCP: what several
// subflows have acknowledged no ioctl tells (tcp(7), SIOCOUTQ), so that receipts would be wrong.
func Listen(ctx context.Context, address, congestion string) (l net.Listener, used string, err error) {
	config := net.ListenConfig{Control: func(_, _ string, raw syscall.RawConn) error {
		return raw.Control(func(fd uintptr) {
			if congestion != "" {
				_ = unix.SetsockoptString(int(fd), unix.IPPROTO_TCP, unix.TCP_CONGESTION, congestion) // used says whether it is
			}
			if name, err := unix.GetsockoptString(int(fd), unix.IPPROTO_TCP, unix.TCP_CONGESTION); err == nil {
				used = strings.TrimRight(name, "\x00")
			}
		})
	}}
	config.SetMultipathTCP(false)
	l, err = config.Listen(ctx, "tcp", address)
	return l, used, err
}
