package wire_test

import (
	"crypto/tls"
	"crypto/x509"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"os/exec"
	"strconv"
	"strings"
	"testing"
	"time"

	"aftergust/internal/wire"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// serve answers with size bytes and tells of each response what had arrived when
// everything was handed over, and at the end.
func serve(t *testing.T, size int64) (base string, pool *x509.CertPool, arrived chan int64) {
	t.Helper()
	arrived = make(chan int64, 100)
	with := httptest.NewUnstartedServer(nil) // for its certificate
	with.StartTLS()
	t.Cleanup(with.Close)
	server := &http.Server{ConnContext: wire.Context, ReadHeaderTimeout: time.Second}
	server.Handler = http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
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
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	go func() { _ = wire.Serve(server, l, &tls.Config{Certificates: with.TLS.Certificates}) }()
	t.Cleanup(func() { _ = server.Close() })
	pool = x509.NewCertPool()
	pool.AddCert(with.Certificate())
	return "https://" + l.Addr().String(), pool, arrived
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
