package wire

import (
	"context"
	"crypto/tls"
	"net"
	"net/netip"
	"time"

	"github.com/pires/go-proxyproto"
)

// headerLimit is how long a proxy has to say whom it brings.
const headerLimit = 10 * time.Second

// Behind reads from connections of proxies in some networks whom they bring (PROXY
// protocol, version 1 and 2), and refuses those that do not say. Whoever comes from
// elsewhere is taken as who they are, whatever they say.
func Behind(l net.Listener, proxies []netip.Prefix) net.Listener {
	if len(proxies) == 0 {
		return l
	}
	return &proxyproto.Listener{Listener: l, ReadHeaderTimeout: headerLimit,
		ConnPolicy: func(from proxyproto.ConnPolicyOptions) (proxyproto.Policy, error) {
			at, err := netip.ParseAddrPort(from.Upstream.String())
			if err != nil {
				return proxyproto.REJECT, err
			}
			for _, p := range proxies {
				if p.Contains(at.Addr().Unmap()) {
					return proxyproto.REQUIRE, nil
				}
			}
			return proxyproto.SKIP, nil
		}}
}

// ByProxy reports whether a request came over a connection that a proxy made for
// somebody else, so that what is acknowledged was acknowledged by the proxy.
func ByProxy(ctx context.Context) bool {
	var from net.Conn
	switch c := ctx.Value(key{}).(type) {
	case *proxyproto.Conn:
		from = c
	case *tls.Conn:
		if under, ok := c.NetConn().(*conn); ok {
			from = under.from
		}
	case *frames:
		from = c.under.from
	}
	proxied, ok := from.(*proxyproto.Conn)
	if !ok {
		return false
	}
	header := proxied.ProxyHeader()
	return header != nil && header.Command.IsProxy()
}

// socketOf is the connection of the kernel that lies under another.
func socketOf(c net.Conn) (*net.TCPConn, bool) {
	switch c := c.(type) {
	case *net.TCPConn:
		return c, true
	case *proxyproto.Conn:
		return c.TCPConn()
	}
	return nil, false
}
