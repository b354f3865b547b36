package app_test

import (
	"context"
	"crypto/tls"
	"crypto/x509"
	network "encoding/binary"
	"encoding/pem"
	"io"
	"log"
	"net"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strconv"
	"testing"

	"aftergust/internal/app"
	"aftergust/internal/dev/apptest"

	"github.com/letsencrypt/pebble/v2/ca"
	"github.com/letsencrypt/pebble/v2/db"
	"github.com/letsencrypt/pebble/v2/va"
	"github.com/letsencrypt/pebble/v2/wfe"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/net/dns/dnsmessage"
)

// An authority is a test server for RFC 8555 that really asks the host for which a
// certificate is wanted, on ports of ours.
type authority struct {
	*httptest.Server
	ca    *ca.CAImpl
	roots string // PEM file by which it is known
}

func newAuthority(t *testing.T, httpPort, tlsPort int) *authority {
	t.Helper()
	t.Setenv("PEBBLE_VA_NOSLEEP", "1") // it would make us wait, as a real one does
	quiet, store := log.New(io.Discard, "", 0), db.NewMemoryStore()
	a := &authority{ca: ca.New(quiet, store, "", "ecdsa", 0, 1, map[string]ca.Profile{"default": {Description: "for a day", ValidityPeriod: 86400}})}
	front := wfe.New(quiet, store, va.New(quiet, httpPort, tlsPort, true, names(t), store), a.ca, nil, true, false, 0, 0)
	a.Server = httptest.NewTLSServer(front.Handler())
	t.Cleanup(a.Close)
	a.roots = filepath.Join(t.TempDir(), "roots.pem")
	require.NoError(t, os.WriteFile(a.roots, pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: a.Certificate().Raw}), 0o600))
	return a
}

// names is a name server, over TCP, for which every name is this machine (RFC 1035, section 4.2.2).
func names(t *testing.T) string {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { _ = l.Close() })
	go func() {
		for {
			conn, err := l.Accept()
			if err != nil {
				return
			}
			go name(conn)
		}
	}()
	return l.Addr().String()
}

func name(conn net.Conn) {
	defer conn.Close()
	for {
		var length uint16
		if network.Read(conn, network.BigEndian, &length) != nil {
			return
		}
		asked := make([]byte, length)
		var m dnsmessage.Message
		if _, err := io.ReadFull(conn, asked); err != nil || m.Unpack(asked) != nil || len(m.Questions) == 0 {
			return
		}
		m.Response, m.Additionals = true, nil
		if q := m.Questions[0]; q.Type == dnsmessage.TypeA {
			m.Answers = []dnsmessage.Resource{{Header: dnsmessage.ResourceHeader{Name: q.Name, Class: q.Class, TTL: 1},
				Body: &dnsmessage.AResource{A: [4]byte{127, 0, 0, 1}}}}
		}
		answer, err := m.AppendPack(make([]byte, 2))
		if err != nil {
			return
		}
		network.BigEndian.PutUint16(answer, uint16(len(answer)-2))
		if _, err := conn.Write(answer); err != nil {
			return
		}
	}
}

// free is a port on which nobody listens.
func free(t *testing.T) int {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port
}

// Source: RFC 8555 and RFC 8737, by a test server for them.
func TestACertificateComesFromAnAuthorityAndIsKeptForAllProcesses(t *testing.T) {
	s := apptest.Start(t, pg)
	tlsPort, httpPort := free(t), free(t)
	a := newAuthority(t, httpPort, tlsPort)
	config := s.Config
	config.Addr, config.BaseURL, config.Work = "127.0.0.1:"+strconv.Itoa(tlsPort), "https://studio.example", false
	config.Secure = app.Secure{ACME: a.URL + wfe.DirectoryPath, Roots: a.roots, Redirect: "127.0.0.1:" + strconv.Itoa(httpPort)}
	first, err := app.Start(t.Context(), config)
	require.NoError(t, err)

	root, err := x509.ParseCertificate(a.ca.GetRootCert(0).DER)
	require.NoError(t, err)
	pool := x509.NewCertPool()
	pool.AddCert(root)
	reach := func(address, host string) (*x509.Certificate, error) {
		conn, err := tls.Dial("tcp", address, &tls.Config{RootCAs: pool, ServerName: host, NextProtos: []string{"h2", "http/1.1"}})
		if err != nil {
			return nil, err
		}
		defer conn.Close()
		assert.Equal(t, "h2", conn.ConnectionState().NegotiatedProtocol)
		return conn.ConnectionState().PeerCertificates[0], nil
	}
	given, err := reach(first.Addr, "studio.example")
	require.NoError(t, err)
	assert.Equal(t, []string{"studio.example"}, given.DNSNames)
	_, err = reach(first.Addr, "other.example")
	require.Error(t, err, "for no other host")

	require.NoError(t, first.Stop(context.Background()))
	a.Close() // another process needs it no more: the certificate is kept
	config.Addr, config.Secure.Redirect = "127.0.0.1:0", ""
	second, err := app.Start(t.Context(), config)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, second.Stop(context.Background())) })
	kept, err := reach(second.Addr, "studio.example")
	require.NoError(t, err)
	assert.Equal(t, given.SerialNumber, kept.SerialNumber)

	var all, plain int
	require.NoError(t, s.App.Store.Pool().QueryRow(t.Context(),
		"select count(*), count(*) filter (where position('PRIVATE'::bytea in sealed) > 0) from certificate").Scan(&all, &plain))
	assert.Positive(t, all)
	assert.Zero(t, plain, "a copy of the database does not tell the key")
}
