// Package certs is where the server's certificate comes from: files that somebody
// else renews, read again when they change, or an authority that speaks ACME
// (RFC 8555).
package certs

import (
	"context"
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"os"
	"sync"
	"time"

	"aftergust/internal/ground/db"

	"golang.org/x/crypto/acme"
	"golang.org/x/crypto/acme/autocert"
)

// Files is a certificate with its chain, and its key, in PEM files.
type Files struct {
	cert, key string
	log       *slog.Logger
	now       func() time.Time

	mu      sync.Mutex
	current *tls.Certificate
	stamp   [2]time.Time // when the files were written that it is from
	looked  time.Time
}

// lookEvery is how often the files are looked at, at most.
const lookEvery = 5 * time.Second

// OpenFiles reads the files. Its error says what is wrong with them.
func OpenFiles(cert, key string, now func() time.Time, log *slog.Logger) (*Files, error) {
	f := &Files{cert: cert, key: key, log: log, now: now}
	if err := f.read(); err != nil {
		return nil, err
	}
	return f, nil
}

func (f *Files) read() error {
	var stamp [2]time.Time
	for i, name := range []string{f.cert, f.key} {
		info, err := os.Stat(name)
		if err != nil {
			return fmt.Errorf("read the certificate: %w", err)
		}
		stamp[i] = info.ModTime()
	}
	if f.current != nil && stamp == f.stamp {
		return nil
	}
	pair, err := tls.LoadX509KeyPair(f.cert, f.key)
	if err != nil {
		return fmt.Errorf("the certificate %s and the key %s: %w", f.cert, f.key, err)
	}
	f.current, f.stamp = &pair, stamp
	return nil
}

// Get is the certificate as it is in the files now. While they do not fit each
// other, as in the middle of a renewal, the one before is used.
func (f *Files) Get(*tls.ClientHelloInfo) (*tls.Certificate, error) {
	f.mu.Lock()
	defer f.mu.Unlock()
	if now := f.now(); now.Sub(f.looked) >= lookEvery {
		f.looked = now
		before := f.current
		if err := f.read(); err != nil {
			f.log.Warn("the certificate is not read again; the one before is used", "error", err)
		} else if f.current != before {
			f.log.Info("the certificate was read again")
		}
	}
	return f.current, nil
}

// A Sealer seals keys, so that a copy of the database does not tell them.
type Sealer interface {
	Seal(purpose, text string) []byte
	Unseal(purpose string, sealed []byte) (text string, ok bool)
}

// purpose of what is sealed.
const purpose = "certificate"

// shelf is a Shelf as autocert asks for it.
type shelf struct {
	rows Rows
	Sealer
}

// ErrSecret says that what is kept was sealed with a secret that is not in the settings.
var ErrSecret = errors.New("the certificate was kept with another secret; put that one back into the settings, beside the new one")

// Get implements autocert.Cache.
func (s shelf) Get(ctx context.Context, name string) ([]byte, error) {
	sealed, ok, err := s.rows.Certificate(ctx, name)
	if err != nil {
		return nil, err
	}
	if !ok {
		return nil, autocert.ErrCacheMiss
	}
	text, ok := s.Unseal(purpose, sealed)
	if !ok {
		return nil, ErrSecret
	}
	return []byte(text), nil
}

// Put implements autocert.Cache.
func (s shelf) Put(ctx context.Context, name string, data []byte) error {
	return s.rows.KeepCertificate(ctx, name, s.Seal(purpose, string(data)))
}

// Delete implements autocert.Cache.
func (s shelf) Delete(ctx context.Context, name string) error {
	return s.rows.ForgetCertificate(ctx, name)
}

// An Authority gives certificates for one host.
type Authority struct {
	Host      string         // for which it is asked
	Directory string         // address of the authority
	Mail      string         // to which it writes when something is about to end; may be empty
	Roots     *x509.CertPool // by which the authority itself is known; nil for those of the system
}

// Ask makes a manager that gets a certificate when the first connection asks for it,
// and renews it thirty days before its end. Any process answers what the authority
// asks, whichever began.
func Ask(a Authority, kept *db.DB, keys Sealer) *autocert.Manager {
	client := &http.Client{Timeout: 30 * time.Second, Transport: &http.Transport{
		Proxy: http.ProxyFromEnvironment, TLSClientConfig: &tls.Config{RootCAs: a.Roots, MinVersion: tls.VersionTLS12}}}
	return &autocert.Manager{
		Prompt: autocert.AcceptTOS, Cache: shelf{Rows{kept}, keys}, HostPolicy: autocert.HostWhitelist(a.Host), Email: a.Mail,
		Client: &acme.Client{DirectoryURL: a.Directory, HTTPClient: client, UserAgent: "aftergust"},
	}
}
