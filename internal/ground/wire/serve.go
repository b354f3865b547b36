package wire

import (
	"context"
	"crypto/tls"
	"errors"
	"net"
	"net/http"
	"sync"
	"time"
)

// Serve answers on l with TLS, HTTP/1.1 and HTTP/2, until the server is shut down. Its
// ConnContext must be Context.
func Serve(server *http.Server, l net.Listener, config *tls.Config) error {
	config = config.Clone()
	config.MinVersion, config.DynamicRecordSizingDisabled = tls.VersionTLS12, true
	config.CipherSuites = sealing // of TLS 1.2; those of 1.3 are all of this kind
	// TLS ends in our listener, so that we read along in what HTTP/2 writes: to the server
	// it looks as if there was none.
	server.Protocols = new(http.Protocols)
	server.Protocols.SetHTTP1(true)
	server.Protocols.SetUnencryptedHTTP2(true)
	server.HTTP2 = &http.HTTP2Config{MaxConcurrentStreams: maxStreams}
	s := &listener{Listener: l, config: config, ready: make(chan net.Conn), over: make(chan struct{})}
	go s.accept()
	return server.Serve(s)
}

const (
	// maxStreams is how many requests one connection may carry at once.
	maxStreams = 250
	// shakeLimit is how long the other side has to agree on a key.
	shakeLimit = 10 * time.Second
	// again is how long after a failure the next connection is accepted.
	again = 50 * time.Millisecond
)

// A listener gives connections on which TLS is agreed already; whoever is slow at that
// keeps nobody else waiting.
type listener struct {
	net.Listener
	config *tls.Config
	ready  chan net.Conn
	over   chan struct{} // closed when nothing more is accepted
	why    error         // set before that
	once   sync.Once
}

func (l *listener) accept() {
	for {
		c, err := l.Listener.Accept()
		if errors.Is(err, net.ErrClosed) {
			l.end(err)
			return
		}
		if err != nil { // as when there are too many files open
			time.Sleep(again)
			continue
		}
		go l.shake(c)
	}
}

func (l *listener) end(why error) {
	l.once.Do(func() {
		l.why = why
		close(l.over)
	})
}

// shake agrees on a key and passes the connection on.
func (l *listener) shake(c net.Conn) {
	tcp, ok := socketOf(c)
	if !ok {
		_ = c.Close()
		return
	}
	under := &conn{TCPConn: tcp, from: c}
	secure := tls.Server(under, l.config)
	ctx, cancel := context.WithTimeout(context.Background(), shakeLimit)
	defer cancel()
	if err := secure.HandshakeContext(ctx); err != nil {
		_ = c.Close()
		return
	}
	under.shaken(secure.ConnectionState())
	agreed := net.Conn(secure)
	switch secure.ConnectionState().NegotiatedProtocol {
	case "h2":
		agreed = newFrames(secure, under)
	case "", "http/1.1":
	default: // an authority has seen what it wanted to see (RFC 8737)
		_ = secure.Close()
		return
	}
	select {
	case l.ready <- agreed:
	case <-l.over:
		_ = agreed.Close()
	}
}

func (l *listener) Accept() (net.Conn, error) {
	select {
	case c := <-l.ready:
		return c, nil
	case <-l.over:
		return nil, l.why
	}
}

func (l *listener) Close() error {
	l.end(net.ErrClosed)
	return l.Listener.Close()
}

// sealing are the suites of TLS 1.2 that seal and check a record in one step, with a key for
// each connection; those with CBC are left out.
var sealing = []uint16{
	tls.TLS_ECDHE_ECDSA_WITH_AES_128_GCM_SHA256, tls.TLS_ECDHE_RSA_WITH_AES_128_GCM_SHA256,
	tls.TLS_ECDHE_ECDSA_WITH_AES_256_GCM_SHA384, tls.TLS_ECDHE_RSA_WITH_AES_256_GCM_SHA384,
	tls.TLS_ECDHE_ECDSA_WITH_CHACHA20_POLY1305_SHA256, tls.TLS_ECDHE_RSA_WITH_CHACHA20_POLY1305_SHA256,
}
