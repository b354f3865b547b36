package wire

import (
	"context"
	"crypto/tls"
	"net"
	"net/http"

	"golang.org/x/net/http2"
)

// listener counts what goes over each connection that it accepts.
type listener struct{ net.Listener }

func (l listener) Accept() (net.Conn, error) {
	c, err := l.Listener.Accept()
	if err != nil {
		return nil, err
	}
	if tcp, ok := c.(*net.TCPConn); ok {
		return &conn{TCPConn: tcp}, nil
	}
	return c, nil
}

// Serve answers on l with TLS, HTTP/1.1 and HTTP/2, until the server is shut down. Its
// ConnContext must be Context.
func Serve(server *http.Server, l net.Listener, config *tls.Config) error {
	two := &http2.Server{IdleTimeout: server.IdleTimeout, MaxConcurrentStreams: maxStreams}
	server.TLSConfig = config.Clone()
	server.TLSConfig.MinVersion = tls.VersionTLS12
	server.TLSConfig.DynamicRecordSizingDisabled = true
	if err := http2.ConfigureServer(server, two); err != nil { // a shutdown tells its connections to end
		return err
	}
	server.TLSNextProto[http2.NextProtoTLS] = func(s *http.Server, c *tls.Conn, h http.Handler) {
		under, ok := c.NetConn().(*conn)
		if !ok {
			two.ServeConn(c, &http2.ServeConnOpts{Handler: h, BaseConfig: s})
			return
		}
		f := newFrames(c, under)
		ctx := context.Background()
		if base, ok := h.(interface{ BaseContext() context.Context }); ok {
			ctx = base.BaseContext()
		}
		two.ServeConn(f, &http2.ServeConnOpts{Context: Context(ctx, f), Handler: h, BaseConfig: s})
	}
	return server.ServeTLS(listener{l}, "", "")
}

// maxStreams is how many requests one connection may carry at once.
const maxStreams = 250
