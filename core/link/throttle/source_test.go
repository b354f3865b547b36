package throttle_test

import (
	"net/netip"
	"testing"

	. "aftergust/core/link/throttle"

	"github.com/stretchr/testify/assert"
)

// Source: common practice for X-Forwarded-For: each proxy appends the address that
// connected to it, and only what our own proxies appended is believed.
func TestTheClientIsTheLastAddressThatIsNotOurs(t *testing.T) {
	const proxy = "10.0.0.9:41000"
	for _, c := range []struct {
		proxies   int
		forwarded []string
		want      string
	}{
		{0, nil, "10.0.0.9"},
		{0, []string{"203.0.113.7"}, "10.0.0.9"}, // nobody asked us to believe it
		{1, []string{"203.0.113.7"}, "203.0.113.7"},
		{1, []string{"1.1.1.1, 203.0.113.7"}, "203.0.113.7"}, // what stands before it was made up
		{1, []string{"1.1.1.1", "203.0.113.7"}, "203.0.113.7"},
		{2, []string{"1.1.1.1, 203.0.113.7, 10.0.0.8"}, "203.0.113.7"},
		{2, []string{"203.0.113.7"}, "10.0.0.9"}, // it did not come through both
		{1, nil, "10.0.0.9"},
		{1, []string{"203.0.113.7:5123"}, "203.0.113.7"},
		{1, []string{"[2001:db8::1]:5123"}, "2001:db8::1"},
		{1, []string{`"[2001:db8::1]"`}, "2001:db8::1"},
		{1, []string{"2001:db8::1"}, "2001:db8::1"},
		{1, []string{"::ffff:203.0.113.7"}, "203.0.113.7"},
		{1, []string{"unknown"}, "10.0.0.9"},
		{1, []string{"_hidden, , "}, "10.0.0.9"},
	} {
		assert.Equal(t, c.want, Client(proxy, c.forwarded, c.proxies).String(), "%d proxies, %q", c.proxies, c.forwarded)
	}
	assert.Equal(t, "2001:db8::2", Client("[2001:db8::2]:80", nil, 0).String())
	assert.False(t, Client("@", nil, 0).IsValid())
}

// Source: RFC 6177, section 2: a site has a /64 at the least.
func TestWithIPv6AWholeSiteIsOneSource(t *testing.T) {
	for addr, want := range map[string]string{"203.0.113.7": "203.0.113.7", "2001:db8:1:2:3:4:5:6": "2001:db8:1:2::/64",
		"2001:db8:1:2::9": "2001:db8:1:2::/64", "2001:db8:1:3::9": "2001:db8:1:3::/64", "fe80::1%eth0": "fe80::/64"} {
		assert.Equal(t, want, Source(netip.MustParseAddr(addr)))
	}
	assert.Equal(t, "invalid IP", Source(netip.Addr{}))
}
