package wire_test

import (
	"net"
	"os"
	"strings"
	"testing"

	. "aftergust/internal/ground/wire"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"
)

// accepted is a connection that l accepts, and the other end of it.
func accepted(t *testing.T, l net.Listener, dialer net.Dialer) (in, out *net.TCPConn) {
	t.Helper()
	dialled, err := dialer.DialContext(t.Context(), "tcp", l.Addr().String())
	require.NoError(t, err)
	t.Cleanup(func() { _ = dialled.Close() })
	got, err := l.Accept()
	require.NoError(t, err)
	t.Cleanup(func() { _ = got.Close() })
	return got.(*net.TCPConn), dialled.(*net.TCPConn)
}

func TestConnectionsHaveTheCongestionControlThatIsSetWhereTheKernelHasIt(t *testing.T) {
	offered, err := os.ReadFile("/proc/sys/net/ipv4/tcp_available_congestion_control")
	require.NoError(t, err)
	for _, name := range append(strings.Fields(string(offered)), "none-such", "") {
		l, used, err := Listen(t.Context(), "127.0.0.1:0", name)
		require.NoError(t, err, name)
		if strings.Contains(string(offered), name) && name != "" {
			assert.Equal(t, name, used)
		} else {
			assert.Contains(t, string(offered), used, "the kernel's default for %q", name)
		}
		in, _ := accepted(t, l, net.Dialer{})
		raw, err := in.SyscallConn()
		require.NoError(t, err)
		require.NoError(t, raw.Control(func(fd uintptr) {
			has, err := unix.GetsockoptString(int(fd), unix.IPPROTO_TCP, unix.TCP_CONGESTION)
			assert.NoError(t, err)
			assert.Equal(t, used, strings.TrimRight(has, "\x00"))
		}))
		require.NoError(t, l.Close())
	}
}

// Over MPTCP half of what was read was counted, and HTTP/2 hung.
func TestWhoeverOffersMPTCPGetsPlainTCP(t *testing.T) {
	l, _, err := Listen(t.Context(), "127.0.0.1:0", "")
	require.NoError(t, err)
	defer l.Close()
	var dialer net.Dialer
	dialer.SetMultipathTCP(true)
	in, out := accepted(t, l, dialer)
	for _, c := range []*net.TCPConn{in, out} {
		multipath, err := c.MultipathTCP()
		require.NoError(t, err)
		assert.False(t, multipath)
	}
}
