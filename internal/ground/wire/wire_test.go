package wire_test

import (
	"bytes"
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
	"sync/atomic"
	"testing"
	"time"

	"aftergust/internal/ground/wire"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/net/http2"
	"golang.org/x/net/http2/hpack"
	"golang.org/x/sync/errgroup"
)

// over answers by TLS with a handler.
func over(t *testing.T, handler http.HandlerFunc) (base string, pool *x509.CertPool, server *http.Server) {
	t.Helper()
	with := httptest.NewUnstartedServer(nil) // for its certificate
	with.StartTLS()
	t.Cleanup(with.Close)
	server = &http.Server{ConnContext: wire.Context, ReadHeaderTimeout: time.Second, Handler: handler}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	go func() {
		_ = wire.Serve(server, l, &tls.Config{Certificates: with.TLS.Certificates, NextProtos: []string{"h2", "http/1.1"}})
	}()
	t.Cleanup(func() { _ = server.Close() })
	pool = x509.NewCertPool()
	pool.AddCert(with.Certificate())
	return "https://" + l.Addr().String(), pool, server
}

// serve answers with size bytes and tells of each response what had arrived when
// everything was handed over, and at the end.
func serve(t *testing.T, size int64) (base string, pool *x509.CertPool, arrived chan int64) {
	t.Helper()
	arrived = make(chan int64, 100)
	base, pool, _ = over(t, func(w http.ResponseWriter, r *http.Request) {
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
		for how, version := range map[string]string{"--http1.1": "1.1", "--http2": "2"} {
			out, err := exec.Command("curl", how, "-sSk", "-o", "/dev/null", "-w", "%{size_download} %{http_version}", base).CombinedOutput()
			require.NoError(t, err, "%s", out)
			assert.Equal(t, fmt.Sprint(size, " ", version), string(out))
			assert.Equal(t, size, <-arrived, "%s of %d", how, size)
			out, err = exec.Command("curl", how, "-sSk", "-o", "/dev/null", "-D", "-", base).CombinedOutput()
			require.NoError(t, err, "%s", out)
			assert.NotContains(t, strings.ToLower(string(out)), "aftergust", "what names the response between ourselves")
			<-arrived
		}
	}
}

// Whoever takes nothing is waited for before anything is put into memory for them: until the
// deadline, until the line is cut, or until they go on. Steps are so small that there is room
// for one once the kernel says so.
func TestASlowReaderIsWaitedForInTheKernel(t *testing.T) {
	const limit, step = 300 * time.Millisecond, 16 << 10
	ended := make(chan error, 1)
	base, pool, _ := over(t, func(w http.ResponseWriter, r *http.Request) {
		line, control := wire.Of(r.Context(), w), http.NewResponseController(w)
		defer line.Done()
		line.Hold(4 * step)
		if r.URL.Path == "/cut" {
			time.AfterFunc(limit, wire.Cutter(r.Context(), w))
		}
		for {
			if r.URL.Path == "/deadline" {
				_ = control.SetWriteDeadline(time.Now().Add(limit))
			}
			began := time.Now()
			if err := line.Room(step); err != nil || r.URL.Path == "/goes-on" && time.Since(began) > limit/2 {
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

// What was handed over for several at once comes whole to each, and is known to have come,
// also where the server stops meanwhile.
func TestManyOnOneConnectionEachHaveAllOfTheirs(t *testing.T) {
	const many, size = 40, 3_000_000
	arrived := make(chan int64, many)
	begun := make(chan struct{}, many)
	base, pool, server := over(t, func(w http.ResponseWriter, r *http.Request) {
		line := wire.Of(r.Context(), w)
		defer line.Done()
		begun <- struct{}{}
		n, err := io.CopyN(w, zeros{}, size)
		if err == nil {
			err = http.NewResponseController(w).Flush()
		}
		for err == nil && line.Arrived() < n {
			time.Sleep(time.Millisecond)
		}
		arrived <- line.Arrived()
	})
	client := &http.Client{Transport: &http.Transport{ForceAttemptHTTP2: true, TLSClientConfig: &tls.Config{RootCAs: pool, ServerName: "example.com"}}}
	var all errgroup.Group
	for range many {
		all.Go(func() error {
			response, err := client.Get(base)
			if err != nil {
				return err
			}
			defer response.Body.Close()
			if response.ProtoMajor != 2 {
				return fmt.Errorf("came by %s", response.Proto)
			}
			if n, err := io.Copy(io.Discard, response.Body); err != nil || n != size {
				return fmt.Errorf("%d bytes came: %w", n, err)
			}
			return nil
		})
	}
	for range many {
		<-begun
	}
	require.NoError(t, server.Shutdown(t.Context()))
	require.NoError(t, all.Wait())
	for range many {
		assert.EqualValues(t, size, <-arrived)
	}
}

// Source: RFC 7525, section 4.1: of TLS 1.2 suites that seal and check in one step are offered.
func TestNoSuiteWithCBCIsAgreedUpon(t *testing.T) {
	base, pool, _ := over(t, func(http.ResponseWriter, *http.Request) {})
	dial := func(suites ...uint16) error {
		config := &tls.Config{RootCAs: pool, ServerName: "example.com", MaxVersion: tls.VersionTLS12, CipherSuites: suites}
		conn, err := tls.Dial("tcp", strings.TrimPrefix(base, "https://"), config)
		if err == nil {
			err = conn.Close()
		}
		return err
	}
	require.NoError(t, dial(tls.TLS_ECDHE_RSA_WITH_AES_128_GCM_SHA256))
	require.NoError(t, dial(tls.TLS_ECDHE_RSA_WITH_CHACHA20_POLY1305_SHA256))
	for _, suite := range []uint16{tls.TLS_ECDHE_RSA_WITH_AES_128_CBC_SHA, tls.TLS_ECDHE_RSA_WITH_AES_256_CBC_SHA,
		tls.TLS_RSA_WITH_AES_128_CBC_SHA,
		tls.TLS_ECDHE_RSA_WITH_AES_128_CBC_SHA256, tls.TLS_RSA_WITH_AES_128_GCM_SHA256} {
		assert.Error(t, dial(suite), tls.CipherSuiteName(suite))
	}
}

// A server that is closed does not wait for those who take nothing.
func TestAConnectionIsClosedWhoeverTakesNothing(t *testing.T) {
	ended := make(chan error, 1)
	var handed atomic.Int64
	base, pool, server := over(t, func(w http.ResponseWriter, _ *http.Request) {
		var err error
		for err == nil {
			_, err = io.CopyN(w, zeros{}, 16<<10)
			handed.Add(1)
		}
		ended <- err
	})
	conn, err := tls.Dial("tcp", strings.TrimPrefix(base, "https://"), &tls.Config{RootCAs: pool, ServerName: "example.com", NextProtos: []string{"h2"}})
	require.NoError(t, err)
	defer conn.Close()
	_, err = io.WriteString(conn, http2.ClientPreface)
	require.NoError(t, err)
	framer := http2.NewFramer(conn, conn)
	const most = 1<<31 - 1 // bytes that may come unasked (RFC 9113, section 6.9.1)
	require.NoError(t, framer.WriteSettings(http2.Setting{ID: http2.SettingInitialWindowSize, Val: most}))
	require.NoError(t, framer.WriteWindowUpdate(0, most-65535))
	var head bytes.Buffer
	fields := hpack.NewEncoder(&head)
	for _, f := range [][2]string{{":method", "GET"}, {":scheme", "https"}, {":authority", "example.com"}, {":path", "/"}} {
		require.NoError(t, fields.WriteField(hpack.HeaderField{Name: f[0], Value: f[1]}))
	}
	require.NoError(t, framer.WriteHeaders(http2.HeadersFrameParam{StreamID: 1, BlockFragment: head.Bytes(), EndStream: true,
		EndHeaders: true}))
	for {
		frame, err := framer.ReadFrame()
		require.NoError(t, err)
		if frame.Header().Type == http2.FrameData {
			break
		}
	}
	for was := int64(-1); handed.Load() != was; time.Sleep(200 * time.Millisecond) { // until nothing more goes out
		was = handed.Load()
	}
	require.NoError(t, server.Close())
	require.Error(t, <-ended)
	_, _ = io.Copy(io.Discard, conn.NetConn()) // it ends, reset or closed
}
