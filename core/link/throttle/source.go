package throttle

import (
	"net/netip"
	"strings"
)

// Client is the address that a request came from: that of the connection or,
// behind so many proxies of ours, the one that the outermost of them appended to
// X-Forwarded-For. What stands left of it was written by whoever asked, and is
// not believed. A port beside an address is dropped. remote is host and port of
// the connection.
// Source: RFC 7239, section 7.4 and 8.1, for Forwarded; common practice for X-Forwarded-For.
func Client(remote string, forwarded []string, proxies int) netip.Addr {
	if proxies > 0 {
		var chain []string
		for _, line := range forwarded {
			chain = append(chain, strings.Split(line, ",")...)
		}
		if at := len(chain) - proxies; at >= 0 {
			if addr, ok := address(chain[at]); ok {
				return addr
			}
		}
	}
	addr, _ := address(remote) // the zero address where even that is none; all such count together
	return addr
}

// address reads an address with or without a port, and with or without brackets.
func address(text string) (netip.Addr, bool) {
	text = strings.Trim(strings.TrimSpace(text), `"`)
	if with, err := netip.ParseAddrPort(text); err == nil {
		return with.Addr().Unmap(), true
	}
	addr, err := netip.ParseAddr(strings.Trim(text, "[]"))
	return addr.Unmap(), err == nil
}

// Source is what tries from an address are counted by: the address itself or,
// with IPv6, its /64, which is what one subscriber has at the least (RFC 6177,
// section 2).
func Source(addr netip.Addr) string {
	if addr = addr.WithZone(""); addr.Is6() {
		return netip.PrefixFrom(addr, 64).Masked().String()
	}
	return addr.String()
}
