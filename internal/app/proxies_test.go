package app_test

import (
	"bufio"
	"bytes"
	"context"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/netip"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"aftergust/internal/app"
	"aftergust/internal/dev/apptest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// proxy starts a program with the settings that we ship, with our addresses in them.
func proxy(t *testing.T, front string, command func(dir string) *exec.Cmd) {
	t.Helper()
	dir := t.TempDir()
	cmd := command(dir)
	var said bytes.Buffer
	cmd.Stdout, cmd.Stderr, cmd.WaitDelay = &said, &said, 5*time.Second
	require.NoError(t, cmd.Start())
	over := make(chan struct{})
	go func() {
		_ = cmd.Wait()
		close(over)
	}()
	t.Cleanup(func() {
		_ = cmd.Process.Signal(syscall.SIGTERM) // it may be over; its children end with it
		<-over
	})
	apptest.Eventually(t, "the proxy", func() bool {
		select {
		case <-over:
			t.Fatal(said.String())
		default:
		}
		c, err := net.DialTimeout("tcp", front, time.Second)
		return err == nil && c.Close() == nil
	})
}

func port(t *testing.T) string {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer l.Close()
	return l.Addr().String()
}

func shipped(t *testing.T, name string, replace ...string) string {
	t.Helper()
	text, err := os.ReadFile(filepath.Join("..", "..", "docs", "proxies", name))
	require.NoError(t, err)
	for i := 0; i < len(replace); i += 2 {
		require.Contains(t, string(text), replace[i])
	}
	return strings.NewReplacer(replace...).Replace(string(text))
}

// Both programs are Debian's packages. What comes through them is counted, bounded by
// what they hold, and said to be the proxy's; screens hear at once; uploads of any size pass.
func TestBehindNginx(t *testing.T) {
	t.Parallel()
	back, front := port(t), port(t)
	s := apptest.Start(t, pg, func(c *app.Config) { c.Addr, c.BaseURL, c.Proxies = back, "http://"+front, 1 })
	proxy(t, front, func(dir string) *exec.Cmd {
		site := shipped(t, "nginx.conf", "listen 443 ssl http2 sndbuf=128k;", "listen "+front+" sndbuf=128k;", "    ssl_certificate     /etc/ssl/files.studio.example.pem;\n", "",
			"    ssl_certificate_key /etc/ssl/files.studio.example.key;\n", "", "http://127.0.0.1:8484", "http://"+back)
		conf := filepath.Join(dir, "nginx.conf")
		require.NoError(t, os.WriteFile(conf, []byte(fmt.Sprintf("daemon off; pid %s/pid; error_log stderr;\nevents {}\nhttp { access_log off;\n"+
			"client_body_temp_path %[1]s/body; proxy_temp_path %[1]s/proxy; fastcgi_temp_path %[1]s/f; uwsgi_temp_path %[1]s/u; scgi_temp_path %[1]s/s;\n%s}", dir,
			site)), 0o600))
		return exec.Command("/usr/sbin/nginx", "-e", "stderr", "-p", dir, "-c", conf)
	})
	behind(t, s, front)
}

func TestBehindHAProxy(t *testing.T) {
	t.Parallel()
	back, front := port(t), port(t)
	s := apptest.Start(t, pg, func(c *app.Config) {
		c.Addr, c.BaseURL, c.ProxyNetworks = back, "http://"+front, []netip.Prefix{netip.MustParsePrefix("127.0.0.1/32")}
	})
	proxy(t, front, func(dir string) *exec.Cmd {
		conf := filepath.Join(dir, "haproxy.cfg")
		require.NoError(t, os.WriteFile(conf, []byte(shipped(t, "haproxy.cfg", "bind :443", "bind "+front, "127.0.0.1:8484", back)), 0o600))
		return exec.Command("/usr/sbin/haproxy", "-db", "-f", conf)
	})
	// Whoever comes from where proxies stand and does not say whom they bring gets nothing.
	_, err := http.Get("http://" + back + "/healthz")
	assert.Error(t, err)
	behind(t, s, front)
}

// stalls asks for something, reads a little of it and nothing more, with hardly any room for
// more in its own kernel: what is claimed of it lies in the proxy. It returns how much it read.
func stalls(t *testing.T, front, path string, most int64) (read int64, leave func()) {
	t.Helper()
	dialer := net.Dialer{Control: func(_, _ string, raw syscall.RawConn) error {
		return raw.Control(func(fd uintptr) { _ = syscall.SetsockoptInt(int(fd), syscall.SOL_SOCKET, syscall.SO_RCVBUF, 16<<10) })
	}}
	conn, err := dialer.DialContext(t.Context(), "tcp", front)
	require.NoError(t, err)
	_, err = fmt.Fprintf(conn, "GET %s HTTP/1.1\r\nHost: %s\r\n\r\n", path, front)
	require.NoError(t, err)
	read, err = io.CopyN(io.Discard, conn, most)
	require.NoError(t, err)
	return read, func() { _ = conn.Close() }
}

// proxyHolds is how far what is claimed may run ahead of a reader behind a proxy with the settings
// that we ship, in bytes: docs/proxies.md states it.
const proxyHolds = 1_000_000

// A file that has hardly arrived was complete behind a proxy, since kernels held all of it.
func hardly(t *testing.T, s *apptest.Studio, front string) {
	t.Helper()
	p := s.Send(t, s.Pack(t, []string{apptest.File(t, "small.bin", 2_000_000)}, map[string][]string{"hanne@kelpwick.example": lookNoteTake}))
	hanne := p.Recipients[0]
	read, leave := stalls(t, front, hanne.Path(p.Items[0]), 100_000)
	defer leave()
	time.Sleep(time.Second) // for buffers to fill: that they may is what is bounded here
	apptest.Eventually(t, "what was taken", func() bool { return row(t, s, p, hanne).Cells[0].Delivered > 0 })
	time.Sleep(1500 * time.Millisecond) // for receipts to be written
	cell := row(t, s, p, hanne).Cells[0]
	t.Logf("%d bytes read, %d claimed", read, cell.Delivered)
	assert.False(t, cell.Complete)
	assert.Less(t, cell.Delivered, read+proxyHolds)
}

func behind(t *testing.T, s *apptest.Studio, front string) {
	t.Helper()
	defer hardly(t, s, front)
	s.Base, s.Owner.Base = "http://"+front, "http://"+front
	const size = 40_000_000
	p := s.Send(t, s.Pack(t, []string{apptest.File(t, "a.bin", size), apptest.File(t, "b.bin", 5000)},
		map[string][]string{"hanne@kelpwick.example": lookNoteTake}))
	hanne := p.Recipients[0]

	// Screens hear of what happens while it does.
	ctx, cancel := context.WithTimeout(t.Context(), 30*time.Second)
	defer cancel()
	request, err := http.NewRequestWithContext(ctx, http.MethodGet, "http://"+front+"/api/v1/live", nil)
	require.NoError(t, err)
	request.Header.Set("Authorization", "Bearer "+s.Owner.Token)
	stream, err := http.DefaultClient.Do(request)
	require.NoError(t, err)
	defer stream.Body.Close()
	heard := make(chan string, 100)
	go func() {
		for lines := bufio.NewScanner(stream.Body); lines.Scan(); {
			heard <- lines.Text()
		}
	}()

	// One that reads a megabyte and goes: nothing is claimed beyond what lies in buffers on the way.
	take := "http://" + front + hanne.Path(p.Items[0])
	answer, err := http.Get(take)
	require.NoError(t, err)
	read, err := io.CopyN(io.Discard, answer.Body, 1_000_000)
	require.NoError(t, err)
	time.Sleep(300 * time.Millisecond) // for buffers to fill: that they may is what is bounded here
	answer.Body.Close()
	apptest.Eventually(t, "what was taken", func() bool { return row(t, s, p, hanne).Cells[0].Delivered > 0 })
	got := row(t, s, p, hanne).Cells[0].Delivered
	assert.GreaterOrEqual(t, got, read-64<<10)
	assert.Less(t, got, read+12_000_000, "the kernels' buffers of two lines, and the proxy's")
	apptest.Eventually(t, "a screen hears of it", func() bool {
		select {
		case line := <-heard:
			return strings.Contains(line, p.ID)
		default:
			return false
		}
	})

	whole, err := http.Get(take)
	require.NoError(t, err)
	n, err := io.Copy(io.Discard, whole.Body)
	require.NoError(t, err)
	assert.EqualValues(t, size, n)
	apptest.Eventually(t, "all of it", func() bool { return row(t, s, p, hanne).Cells[0].Complete })
	assert.Contains(t, row(t, s, p, hanne).Cells[0].Saying, "as the proxy in front of the server took it")
}
