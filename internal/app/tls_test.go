package app_test

import (
	"context"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"fmt"
	"io"
	"math/big"
	mathrand "math/rand/v2"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"aftergust/core/file/coverage"
	"aftergust/internal/app"
	"aftergust/internal/dev/apptest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A secured is a second process of a studio, which ends TLS itself.
type secured struct {
	*apptest.Studio
	app  *app.App
	base string
	cert string // PEM file
	pool *x509.CertPool
	stop func() // waits for nobody
}

// certify writes a certificate for this machine, and its key.
func certify(t *testing.T, dir string, serial int64) (cert, key string, pool *x509.CertPool) {
	t.Helper()
	private, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	made := x509.Certificate{SerialNumber: big.NewInt(serial), Subject: pkix.Name{CommonName: "studio.example"}, NotBefore: time.Now().Add(-time.Hour),
		NotAfter: time.Now().Add(24 * time.Hour), DNSNames: []string{"studio.example", "localhost"}, IPAddresses: []net.IP{net.IPv4(127, 0, 0, 1)},
		IsCA: true, BasicConstraintsValid: true, KeyUsage: x509.KeyUsageDigitalSignature | x509.KeyUsageCertSign}
	der, err := x509.CreateCertificate(rand.Reader, &made, &made, private.Public(), private)
	require.NoError(t, err)
	pkcs, err := x509.MarshalPKCS8PrivateKey(private)
	require.NoError(t, err)
	cert, key = filepath.Join(dir, "cert.pem"), filepath.Join(dir, "key.pem")
	pool = x509.NewCertPool()
	for file, block := range map[string]*pem.Block{cert: {Type: "CERTIFICATE", Bytes: der}, key: {Type: "PRIVATE KEY", Bytes: pkcs}} {
		require.NoError(t, os.WriteFile(file, pem.EncodeToMemory(block), 0o600))
	}
	parsed, err := x509.ParseCertificate(der)
	require.NoError(t, err)
	pool.AddCert(parsed)
	return cert, key, pool
}

func secure(t *testing.T) *secured {
	t.Helper()
	s := &secured{Studio: apptest.Start(t, pg)}
	config := s.Config
	config.Addr, config.BaseURL, config.Work = "127.0.0.1:0", "https://studio.example", false
	config.Secure.Cert, config.Secure.Key, s.pool = certify(t, t.TempDir(), 1)
	config.Secure.Redirect, s.cert = "127.0.0.1:0", config.Secure.Cert
	var err error
	s.app, err = app.Start(t.Context(), config)
	require.NoError(t, err)
	s.stop = sync.OnceFunc(func() {
		now, cancel := context.WithCancel(context.Background())
		cancel()
		assert.NoError(t, s.app.Stop(now))
	})
	t.Cleanup(s.stop)
	s.base = "https://" + s.app.Addr
	return s
}

// row is the ledger's row with all that either process knows by now.
func (s *secured) row(t *testing.T, p apptest.Package, who apptest.Person) apptest.Row {
	t.Helper()
	require.NoError(t, s.app.Receive.Recorder.Flush(t.Context()))
	return row(t, s.Studio, p, who)
}

// A counter counts what comes over the wire, holds the line after so many bytes, and
// keeps little unread.
type counter struct {
	*net.TCPConn
	mu    sync.Mutex
	read  int64
	holds int64 // 0: never
}

func (c *counter) Read(p []byte) (int, error) {
	c.mu.Lock()
	over := c.holds > 0 && c.read >= c.holds
	c.mu.Unlock()
	if over {
		time.Sleep(time.Hour)
	}
	n, err := c.TCPConn.Read(p)
	c.mu.Lock()
	defer c.mu.Unlock()
	c.read += int64(n)
	return n, err
}

// gone breaks the connection without a word, as when a laptop is closed.
func (c *counter) gone() {
	_ = c.SetLinger(0)
	_ = c.Close()
}

// The ways in which bytes go out; of each is known what arrived.
var protocols = []string{"HTTP/1.1", "HTTP/1.1 with TLS", "HTTP/2 with TLS"}

// client is a client that speaks one of them, over one connection that holds after so
// many bytes and has a small buffer; and where it asks.
func (s *secured) client(t *testing.T, protocol string, holds int64, buffer int) (c *http.Client, base string, line func() *counter) {
	t.Helper()
	var held *counter
	dial := func(ctx context.Context, _, address string) (net.Conn, error) {
		raw, err := (&net.Dialer{}).DialContext(ctx, "tcp", address)
		if err != nil {
			return nil, err
		}
		held = &counter{TCPConn: raw.(*net.TCPConn), holds: holds}
		return held, held.SetReadBuffer(buffer)
	}
	transport := &http.Transport{DialContext: dial, DisableCompression: true, TLSClientConfig: &tls.Config{RootCAs: s.pool}}
	t.Cleanup(transport.CloseIdleConnections)
	base = s.base
	switch protocol {
	case "HTTP/1.1":
		base = s.Base
	case "HTTP/2 with TLS":
		transport.ForceAttemptHTTP2 = true
	}
	return &http.Client{Transport: transport}, base, func() *counter { return held }
}

func ask(t *testing.T, client *http.Client, url, ranged string) *http.Response {
	t.Helper()
	request, err := http.NewRequestWithContext(t.Context(), http.MethodGet, url, nil)
	require.NoError(t, err)
	if ranged != "" {
		request.Header.Set("Range", ranged)
	}
	answer, err := client.Do(request)
	require.NoError(t, err)
	return answer
}

// What lies unread in a kernel or a client was acknowledged all the same; nothing
// beyond that is claimed.
const unread = 512 << 10

func TestOverEveryProtocolNothingIsClaimedThatWasNotAcknowledged(t *testing.T) {
	t.Parallel()
	s := secure(t)
	const size, holds = 20_000_000, 1_200_000
	for _, protocol := range protocols {
		p, hanne := sent(t, s.Studio, apptest.File(t, "big.bin", size))
		client, base, line := s.client(t, protocol, holds, 16<<10)
		answer := ask(t, client, base+hanne.Path(p.Items[0]), "")
		assert.Equal(t, protocol == "HTTP/2 with TLS", answer.ProtoMajor == 2, protocol)
		go func() { _, _ = io.Copy(io.Discard, answer.Body) }()
		apptest.Eventually(t, "it holds", func() bool {
			c := line()
			c.mu.Lock()
			defer c.mu.Unlock()
			return c.read >= holds
		})
		time.Sleep(500 * time.Millisecond)
		line().gone()
		apptest.Eventually(t, "something is recorded", func() bool { return s.row(t, p, hanne).Cells[0].Delivered > 0 })
		time.Sleep(500 * time.Millisecond)
		got := s.row(t, p, hanne).Cells[0]
		assert.False(t, got.Complete, protocol)
		assert.LessOrEqual(t, got.Delivered, int64(holds+unread), protocol)
		assert.Greater(t, got.Delivered, int64(holds-unread), protocol)
		require.Len(t, got.Bytes, 1, protocol)
		assert.Zero(t, got.Bytes[0].Start, protocol)
	}
}

// Reference program: curl, in parallel and resuming.
func TestCurlGivesExactReceiptsOverEveryProtocol(t *testing.T) {
	t.Parallel()
	s := secure(t)
	const size = 4_000_003
	for protocol, args := range map[string][]string{"HTTP/1.1": {"--http1.1"}, "HTTP/1.1 with TLS": {"--http1.1", "--cacert", s.cert},
		"HTTP/2 with TLS": {"--http2", "--cacert", s.cert}} {
		p, hanne := sent(t, s.Studio, apptest.File(t, "film.bin", size))
		base := s.base
		if protocol == "HTTP/1.1" {
			base = s.Base
		}
		url, dir := base+hanne.Path(p.Items[0]), t.TempDir()
		take := func(ranged, file string) { curl(t, append(args, "-r", ranged, "-o", filepath.Join(dir, file), url)...) }
		part := func(i int64) string { return fmt.Sprintf("%d-%d", i*size/4, (i+1)*size/4-1) }
		var wait sync.WaitGroup
		for i := range int64(4) {
			if i != 2 {
				wait.Go(func() { take(part(i), fmt.Sprint(i)) })
			}
		}
		wait.Wait()
		want := []coverage.Range{{Start: 0, End: 2 * size / 4}, {Start: 3 * size / 4, End: size}}
		apptest.Eventually(t, "three quarters by "+protocol, func() bool { return slices.Equal(want, s.row(t, p, hanne).Cells[0].Bytes) })
		take(part(2), "2")
		apptest.Eventually(t, "everything by "+protocol, func() bool { return s.row(t, p, hanne).Status == "everything" })

		file := filepath.Join(dir, "whole.zip")
		url = base + "/r/" + hanne.Token() + "/zip/package.zip"
		out, err := exec.Command("curl", append(args, "-sS", "--max-filesize", "999999999", "-r", "0-1499999", "-o", file, url)...).CombinedOutput()
		require.NoError(t, err, "%s", out)
		curl(t, append(args, "--continue-at", "-", "-o", file, url)...)
		assert.Equal(t, []string{"film.bin"}, accepted(t, file), protocol)
	}
}

// A client that drops the connection at random a hundred times, over all protocols in
// turn, and asks each time for what the ledger says is missing.
func TestAHundredDropsAtRandomEndCompleteWithExactlyItsGapsBetween(t *testing.T) {
	t.Parallel()
	s := secure(t)
	const size = 40_000_000
	p, hanne := sent(t, s.Studio, apptest.File(t, "big.bin", size))
	rng := mathrand.New(mathrand.NewPCG(12, 100))
	var mine coverage.Set // what came through here, byte for byte, and what may lie unread
	for drop := range 100 {
		before := s.row(t, p, hanne).Cells[0]
		gaps := coverage.Of(before.Bytes...).Gaps(coverage.Range{End: size})
		require.NotEmpty(t, gaps, "it cannot be complete after %d drops", drop)
		gap := gaps[rng.IntN(len(gaps))]
		from := gap.Start + rng.Int64N(max(gap.Len()/2, 1))
		client, base, line := s.client(t, protocols[drop%len(protocols)], 0, 128<<10)
		answer := ask(t, client, base+hanne.Path(p.Items[0]), fmt.Sprintf("bytes=%d-%d", from, gap.End-1))
		_, _ = io.CopyN(io.Discard, answer.Body, min(1+rng.Int64N(300_000), gap.End-from))
		line().gone()
		_ = answer.Body.Close()
		mine = mine.Add(coverage.Range{Start: from, End: min(from+line().read+unread, gap.End)}) // what came over the wire, and what lay unread
		time.Sleep(10 * time.Millisecond)
		for _, r := range s.row(t, p, hanne).Cells[0].Bytes {
			assert.Empty(t, mine.Gaps(r), "drop %d over %s: claimed what was not sent", drop, protocols[drop%len(protocols)])
		}
	}
	time.Sleep(1500 * time.Millisecond)
	for _, gap := range coverage.Of(s.row(t, p, hanne).Cells[0].Bytes...).Gaps(coverage.Range{End: size}) {
		curl(t, "--http2", "--cacert", s.cert, "-r", fmt.Sprintf("%d-%d", gap.Start, gap.End-1), "-o", os.DevNull, s.base+hanne.Path(p.Items[0]))
	}
	apptest.Eventually(t, "with its gaps filled it is complete", func() bool { return s.row(t, p, hanne).Status == "everything" })
	assert.Equal(t, 1, s.Events(t, p.ID, "took"))
}

// What a stop leaves in our kernel, or on its way through a connection that many share, would
// arrive without anybody hearing of it, and the file would never be complete.
func TestAStopClaimsWhatArrivedOverEveryProtocol(t *testing.T) {
	t.Parallel()
	for _, protocol := range protocols {
		t.Run(protocol, func(t *testing.T) {
			t.Parallel()
			s := secure(t)
			const size = 60_000_000
			paces := map[string]time.Duration{"fast": time.Millisecond, "slow": 20 * time.Millisecond, "slower": 50 * time.Millisecond, "stalled": 0}
			people := map[string][]string{}
			for name := range paces {
				people[name+"@kelpwick.example"] = lookNoteTake
			}
			p := s.Send(t, s.Pack(t, []string{apptest.File(t, "big.bin", size)}, people))
			shared, base, _ := s.client(t, protocol, 0, 64<<10)
			stopped, read := make(chan struct{}), map[string]chan int64{}
			for name, pause := range paces {
				read[name] = make(chan int64, 1)
				who := p.Recipients[slices.IndexFunc(p.Recipients, func(r apptest.Person) bool { return strings.EqualFold(r.Name, name) })]
				answer := ask(t, shared, base+who.Path(p.Items[0]), "")
				go func() { read[name] <- slowBody(answer.Body, pause, stopped) }()
			}
			time.Sleep(900 * time.Millisecond) // they are under way, and the kernel holds what it may
			if protocol == "HTTP/1.1" {
				now, cancel := context.WithCancel(t.Context())
				cancel() // no patience with what runs
				require.NoError(t, s.App.Stop(now))
			} else {
				s.stop()
			}
			close(stopped)
			got := map[string]int64{}
			for name := range paces {
				got[name] = <-read[name]
			}
			if protocol == "HTTP/1.1" {
				s.Resume(t)
			}
			for _, r := range s.Ledger(t, p.ID) {
				name := strings.ToLower(r.Name)
				assert.LessOrEqual(t, r.Cells0(), got[name], name)
				assert.Greater(t, r.Cells0(), got[name]-onItsWay, name)
				assert.Positive(t, got[name], name)
				assert.Less(t, got[name], int64(size), name)
			}
		})
	}
}

// onItsWay is what may arrive in the instant of the cut without having been acknowledged: a
// delayed acknowledgement stands for two segments of the loopback (RFC 9293, section 3.8.6.3).
const onItsWay = 128 << 10

// slowBody reads a body a little at a time until it ends; without a pause it holds the line
// after a megabyte until all is over, and reads then what has come.
func slowBody(body io.Reader, pause time.Duration, over <-chan struct{}) (sum int64) {
	for buffer := make([]byte, 32<<10); ; time.Sleep(pause) {
		n, err := body.Read(buffer)
		sum += int64(n)
		if err != nil {
			return sum
		}
		if pause == 0 && sum > 1<<20 {
			<-over
		}
	}
}

// The stop is given to one process, the download runs in the other.
func TestAStopCutsOverTLSInTheOtherProcess(t *testing.T) {
	t.Parallel()
	s := secure(t)
	for _, protocol := range protocols[1:] {
		p, hanne := sent(t, s.Studio, apptest.File(t, "big.bin", 60_000_000))
		client, base, _ := s.client(t, protocol, 0, 16<<10)
		answer := ask(t, client, base+hanne.Path(p.Items[0]), "")
		ended := make(chan int64, 1)
		go func() {
			var sum int64
			for buffer := make([]byte, 10_000); ; time.Sleep(10 * time.Millisecond) {
				n, err := answer.Body.Read(buffer)
				if sum += int64(n); err != nil {
					ended <- sum
					return
				}
			}
		}()
		time.Sleep(300 * time.Millisecond)
		s.Do(t, "POST", "/packages/"+p.ID+"/stop", nil, nil)
		select {
		case read := <-ended:
			assert.Less(t, read, int64(60_000_000), protocol)
		case <-time.After(soon):
			assert.Fail(t, "it goes on", protocol)
		}
	}
}

func TestACertificateIsRenewedWithoutAStop(t *testing.T) {
	t.Parallel()
	s := secure(t)
	client, base, _ := s.client(t, "HTTP/2 with TLS", 0, 16<<10)
	answer := ask(t, client, base+"/healthz", "")
	require.Equal(t, http.StatusOK, answer.StatusCode)
	assert.Contains(t, answer.Header.Get("Strict-Transport-Security"), "max-age=")
	require.NoError(t, answer.Body.Close())

	serial := func() int64 {
		conn, err := tls.Dial("tcp", s.app.Addr, &tls.Config{InsecureSkipVerify: true}) //nolint:gosec // whose it is, is what is asked
		require.NoError(t, err)
		defer conn.Close()
		return conn.ConnectionState().PeerCertificates[0].SerialNumber.Int64()
	}
	require.EqualValues(t, 1, serial())
	require.NoError(t, os.WriteFile(s.cert, []byte("half of it"), 0o600))
	time.Sleep(5100 * time.Millisecond)
	require.EqualValues(t, 1, serial(), "a broken one is not used")
	_, _, s.pool = certify(t, filepath.Dir(s.cert), 2)
	apptest.Eventually(t, "the new one is used", func() bool { return serial() == 2 })

	stay := &http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	moved := ask(t, stay, "http://"+s.app.RedirectAddr+"/r/abc?x=1", "")
	defer moved.Body.Close()
	assert.Equal(t, http.StatusPermanentRedirect, moved.StatusCode)
	assert.Equal(t, "https://studio.example/r/abc?x=1", moved.Header.Get("Location"))
}

func TestSettingsOfTLSThatDoNotFitAreNamed(t *testing.T) {
	t.Parallel()
	for want, set := range map[string]map[string]string{
		"are set together": {"TLS_CERT": "a.pem"},
		"two ways":         {"TLS_CERT": "a.pem", "TLS_KEY": "b.pem", "ACME": "https://acme.example/d"},
		"https://":         {"TLS_CERT": "a.pem", "TLS_KEY": "b.pem", "BASE_URL": "http://studio.example"},
		"ends TLS":         {"REDIRECT": ":80"},
		"not an address":   {"ACME": "http://acme.example"},
	} {
		_, err := app.Read(func(name string) string { return set[name[len("AFTERGUST_"):]] })
		require.Error(t, err)
		assert.Contains(t, err.Error(), want)
	}
}
