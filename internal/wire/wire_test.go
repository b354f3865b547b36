package wire_test

import (
	"crypto/tls"
	"crypto/x509"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"strconv"
	"strings"
	"testing"
	"time"

	"aftergust/internal/wire"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// over answers by TLS with a handler.
func over(t *testing.T, handler http.HandlerFunc) (base string, pool *x509.CertPool) {
	t.Helper()
	with := httptest.NewUnstartedServer(nil) // for its certificate
	with.StartTLS()
	t.Cleanup(with.Close)
	server := &http.Server{ConnContext: wire.Context, ReadHeaderTimeout: time.Second, Handler: handler}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	go func() { _ = wire.Serve(server, l, &tls.Config{Certificates: with.TLS.Certificates}) }()
	t.Cleanup(func() { _ = server.Close() })
	pool = x509.NewCertPool()
	pool.AddCert(with.Certificate())
	return "https://" + l.Addr().String(), pool
}

// serve answers with size bytes and tells of each response what had arrived when
// everything was handed over, and at the end.
func serve(t *testing.T, size int64) (base string, pool *x509.CertPool, arrived chan int64) {
	t.Helper()
	arrived = make(chan int64, 100)
	base, pool = over(t, func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Length", strconv.FormatInt(size, 10)) // whoever has so many bytes may go
		line := wire.Of(r.Context(), w)
		defer line.Done()
		control := http.NewResponseController(w)
		var handed int64
		for handed < size {
			n, err := io.CopyN(w, zeros{}, min(size-handed, 256<<10))
			handed += n
			if err != nil || control.Flush() != nil {
				break
			}
			line.Flushed(handed)
		}
		for until := time.Now().Add(2 * time.Second); line.Arrived() < handed && time.Now().Before(until); {
			time.Sleep(time.Millisecond)
		}
		line.Passed()
		arrived <- line.Arrived()
	})
	return base, pool, arrived
}

type zeros struct{}

func (zeros) Read(p []byte) (int, error) {
	clear(p)
	return len(p), nil
}

// Reference program: curl.
func TestAllOfAResponseArrives(t *testing.T) {
	for _, size := range []int64{0, 1, 1, 1, 4095, 4096, 100_000, 5_000_000} {
		base, _, arrived := serve(t, size)
		for _, how := range []string{"--http1.1", "--http2"} {
			out, err := exec.Command("curl", how, "-sSk", "-o", "/dev/null", "-w", "%{size_download} %{http_version}", base).CombinedOutput()
			require.NoError(t, err, "%s", out)
			got, _, _ := strings.Cut(string(out), " ")
			assert.Equal(t, size, <-arrived, "%s of %d: %s", how, size, out)
			_ = got
		}
	}
}

// Whoever takes nothing is waited for before anything is put into memory for them: until the
// deadline, until the line is cut, or until they go on.
func TestASlowReaderIsWaitedForInTheKernel(t *testing.T) {
	const limit, step = 300 * time.Millisecond, 64 << 10
	ended := make(chan error, 1)
	base, pool := over(t, func(w http.ResponseWriter, r *http.Request) {
		line, control := wire.Of(r.Context(), w), http.NewResponseController(w)
		defer line.Done()
		if r.URL.Path == "/cut" {
			time.AfterFunc(limit, wire.Cutter(r.Context(), w))
		}
		for {
			if r.URL.Path == "/deadline" {
				_ = control.SetWriteDeadline(time.Now().Add(limit))
			}
			began := time.Now()
			if err := line.Room(); err != nil || time.Since(began) > limit/2 {
				ended <- err
				return
			}
			if _, err := io.CopyN(w, zeros{}, step); err != nil {
				ended <- fmt.Errorf("it waited in a write: %w", err)
				return
			}
		}
	})
	for path, want := range map[string]error{"/deadline": os.ErrDeadlineExceeded, "/cut": net.ErrClosed, "/goes-on": nil} {
		conn, err := tls.Dial("tcp", strings.TrimPrefix(base, "https://"), &tls.Config{RootCAs: pool, ServerName: "example.com"})
		require.NoError(t, err)
		_, err = io.WriteString(conn, "GET "+path+" HTTP/1.1\r\nHost: example.com\r\n\r\n")
		require.NoError(t, err)
		if path == "/goes-on" {
			time.Sleep(limit)
			go func() { _, _ = io.Copy(io.Discard, conn) }()
		}
		got := <-ended
		require.ErrorIs(t, got, want, path)
		if got != nil {
			assert.NotContains(t, got.Error(), "in a write", path)
		}
		require.NoError(t, conn.NetConn().Close())
	}
}
