package app

import (
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"net"
	"net/http"
	"net/url"
	"os"
	"time"

	"aftergust/internal/ground"
	"aftergust/internal/ground/certs"
	"aftergust/internal/ground/wire"
)

// A Secure is how this process ends TLS itself. Without Cert and ACME it does not.
type Secure struct {
	Cert, Key string // PEM files
	ACME      string // directory of an authority that gives certificates (RFC 8555)
	Mail      string // to which the authority writes; may be empty
	Roots     string // PEM file by which the authority is known; empty: as the system knows it
	Redirect  string // address that sends to BaseURL whoever comes without TLS, and answers the authority; empty: none
}

// On reports whether this process ends TLS.
func (s Secure) On() bool { return s.Cert != "" || s.ACME != "" }

// check says what does not fit each other.
func (s Secure) check(base string) error {
	u, err := url.Parse(base)
	switch {
	case (s.Cert == "") != (s.Key == ""):
		return fmt.Errorf("%[1]sTLS_CERT and %[1]sTLS_KEY are set together", prefix)
	case s.Cert != "" && s.ACME != "":
		return fmt.Errorf("%[1]sTLS_CERT and %[1]sACME are two ways to a certificate; set one", prefix)
	case s.On() && (err != nil || u.Scheme != "https"):
		return fmt.Errorf("%sBASE_URL has to begin with https:// where this server ends TLS", prefix)
	case !s.On() && s.Redirect != "":
		return fmt.Errorf("%[1]sREDIRECT is for a server that ends TLS; set %[1]sTLS_CERT or %[1]sACME", prefix)
	}
	return nil
}

// secure is how TLS is ended, and what answers where there is none; both nil where
// this process does not end it.
func (a *App) secure() (*tls.Config, http.Handler, error) {
	s := a.config.Secure
	if !s.On() {
		return nil, nil, nil
	}
	redirect := http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		http.Redirect(w, r, a.config.BaseURL+r.URL.RequestURI(), http.StatusPermanentRedirect)
	})
	if s.Cert != "" {
		files, err := certs.OpenFiles(s.Cert, s.Key, time.Now, a.log)
		if err != nil {
			return nil, nil, err
		}
		return &tls.Config{GetCertificate: files.Get, NextProtos: []string{"h2", "http/1.1"}, MinVersion: tls.VersionTLS12}, redirect, nil
	}
	base, err := url.Parse(a.config.BaseURL)
	if err != nil {
		return nil, nil, err
	}
	authority := certs.Authority{Host: base.Hostname(), Directory: s.ACME, Mail: s.Mail}
	if s.Roots != "" {
		pem, err := os.ReadFile(s.Roots)
		if err != nil {
			return nil, nil, fmt.Errorf("read %sACME_ROOTS: %w", prefix, err)
		}
		authority.Roots = x509.NewCertPool()
		if !authority.Roots.AppendCertsFromPEM(pem) {
			return nil, nil, fmt.Errorf("%sACME_ROOTS: there is no certificate in %s", prefix, s.Roots)
		}
	}
	manager := certs.Ask(authority, a.Store, ground.NewKeys(a.config.Secrets, a.config.BaseURL))
	config := manager.TLSConfig()
	get := config.GetCertificate
	config.GetCertificate = func(hello *tls.ClientHelloInfo) (*tls.Certificate, error) {
		given, err := get(hello)
		if err != nil && hello.ServerName == authority.Host { // others ask for what is not ours
			a.log.Warn("there is no certificate", "authority", s.ACME, "error", err)
		}
		return given, err
	}
	return config, manager.HTTPHandler(redirect), nil
}

// serve answers on a listener until the server is stopped.
func (a *App) serve(l net.Listener, secure *tls.Config) {
	var err error
	if secure != nil {
		err = wire.Serve(a.server, l, secure)
	} else {
		err = a.server.Serve(l)
	}
	if err != nil && !errors.Is(err, http.ErrServerClosed) {
		a.log.Error("the server ended", "error", err)
	}
}

// redirect answers where there is no TLS.
func (a *App) redirect(answer http.Handler) error {
	if a.config.Secure.Redirect == "" || answer == nil {
		return nil
	}
	l, err := net.Listen("tcp", a.config.Secure.Redirect)
	if err != nil {
		return fmt.Errorf("listen for what comes without TLS: %w; set %sREDIRECT to another address", err, prefix)
	}
	a.RedirectAddr = l.Addr().String()
	a.plain = &http.Server{Handler: answer, ReadHeaderTimeout: 10 * time.Second, ReadTimeout: 20 * time.Second,
		WriteTimeout: 20 * time.Second, IdleTimeout: time.Minute, MaxHeaderBytes: 16 << 10, ErrorLog: a.server.ErrorLog}
	a.goes(func() {
		if err := a.plain.Serve(l); err != nil && !errors.Is(err, http.ErrServerClosed) {
			a.log.Error("the server for what comes without TLS ended", "error", err)
		}
	})
	return nil
}
