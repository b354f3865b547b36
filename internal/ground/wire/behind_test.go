package wire_test

import (
	"bufio"
	"context"
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"testing"
	"time"

	"aftergust/internal/ground/wire"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Whom a proxy brings is known over plain HTTP, TLS and HTTP/2; who only says so, from
// elsewhere, is taken as who they are. Source: the PROXY protocol, version 1, by hand.
func TestAProxySaysWhomItBrings(t *testing.T) {
	with := httptest.NewUnstartedServer(nil) // for its certificate
	with.StartTLS()
	t.Cleanup(with.Close)
	pool := x509.NewCertPool()
	pool.AddCert(with.Certificate())
	answer := http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		line := wire.Of(r.Context(), w)
		defer line.Done()
		fmt.Fprintf(w, "%s %v %v %s", r.RemoteAddr, wire.ByProxy(r.Context()), line.Asks(), r.Proto)
	})
	start := func(secure bool, from string) string {
		server := &http.Server{ConnContext: wire.Context, ReadHeaderTimeout: time.Second, Handler: answer}
		l, err := net.Listen("tcp", "127.0.0.1:0")
		require.NoError(t, err)
		t.Cleanup(func() { _ = server.Close() })
		behind := wire.Behind(l, []netip.Prefix{netip.MustParsePrefix(from)})
		if secure {
			go func() {
				_ = wire.Serve(server, behind, &tls.Config{Certificates: with.TLS.Certificates,
					NextProtos: []string{"h2", "http/1.1"}})
			}()
		} else {
			go func() { _ = server.Serve(behind) }()
		}
		return l.Addr().String()
	}
	ask := func(address, scheme, says string, http2 bool) (string, error) {
		protocols := new(http.Protocols)
		protocols.SetHTTP1(!http2)
		protocols.SetHTTP2(http2)
		client := &http.Client{Transport: &http.Transport{Protocols: protocols, TLSClientConfig: &tls.Config{RootCAs: pool},
			DialContext: func(ctx context.Context, network, _ string) (net.Conn, error) {
				c, err := new(net.Dialer).DialContext(ctx, network, address)
				if err == nil {
					_, err = io.WriteString(c, says)
				}
				return c, err
			}}}
		defer client.CloseIdleConnections()
		got, err := client.Get(scheme + "://example.com/")
		if err != nil {
			return "", err
		}
		defer got.Body.Close()
		if got.StatusCode != http.StatusOK {
			return "", errors.New(got.Status)
		}
		text, err := bufio.NewReader(got.Body).ReadString('\n')
		if err == io.EOF {
			err = nil
		}
		return text, err
	}
	const brought = "PROXY TCP4 203.0.113.7 198.51.100.1 4711 443\r\n"
	plain, secure := start(false, "127.0.0.0/8"), start(true, "127.0.0.0/8")
	for _, c := range []struct {
		address, scheme string
		http2           bool
		want            string
	}{{plain, "http", false, "203.0.113.7:4711 true true HTTP/1.1"}, {secure, "https", false, "203.0.113.7:4711 true true HTTP/1.1"},
		{secure, "https", true, "203.0.113.7:4711 true true HTTP/2.0"}} {
		got, err := ask(c.address, c.scheme, brought, c.http2)
		require.NoError(t, err)
		assert.Equal(t, c.want, got)
	}
	_, err := ask(plain, "http", "", false)
	assert.Error(t, err, "from where proxies stand, one that does not say is refused")
	_, err = ask(secure, "https", "", false)
	assert.Error(t, err)

	elsewhere := start(false, "10.0.0.0/8")
	got, err := ask(elsewhere, "http", "", false)
	require.NoError(t, err)
	assert.Contains(t, got, "127.0.0.1:")
	assert.Contains(t, got, "false true")
	_, err = ask(elsewhere, "http", brought, false)
	assert.Error(t, err, "what a stranger says of themselves is no request")
}
