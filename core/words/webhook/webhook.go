// Package webhook is what is settled about telling other programs what happens:
// where one may send, when it is tried again, and what an answer means. How a
// message is signed is a library's (Standard Webhooks 1.0).
package webhook

import (
	"errors"
	"net/netip"
	"net/url"
	"strings"
	"time"
)

// waits are how long after each try that failed the next one comes, as Standard
// Webhooks suggests it (from memory): about three days in all.
var waits = []time.Duration{5 * time.Second, 5 * time.Minute, 30 * time.Minute, 2 * time.Hour, 5 * time.Hour, 10 * time.Hour,
	14 * time.Hour, 20 * time.Hour, 24 * time.Hour}

// Tries is how often one message is sent at most, unless somebody sends it again.
var Tries = len(waits) + 1

// Wait is how long to wait after a try, the first being 1. spread, from 0 to 1,
// lengthens it by up to a tenth, so that not all come back at once.
func Wait(try int, spread float64) time.Duration {
	wait := waits[min(max(try, 1), len(waits))-1]
	return wait + time.Duration(float64(wait)*min(max(spread, 0), 1)/10)
}

// An Outcome is what became of one try.
type Outcome string

// The outcomes.
const (
	Took   Outcome = "took"   // 2xx
	Later  Outcome = "later"  // it is tried again
	Closed Outcome = "closed" // 410: nobody wants anything there any more
)

// OutcomeOf is what the status of an answer means; 0 is no answer. A redirect is
// followed by nobody: it could lead where one may not send.
func OutcomeOf(status int) Outcome {
	switch {
	case status >= 200 && status < 300:
		return Took
	case status == 410:
		return Closed
	}
	return Later
}

// Where problems of an address.
var (
	ErrAddress = errors.New("is not an address such as https://hooks.studio.example/aftergust")
	ErrPlain   = errors.New("begins with http: what is sent could be read on the way. Use https")
)

// maxAddress is how long an address may be, in bytes.
const maxAddress = 500

// Address checks where messages are to go. Plain http is for networks of one's own,
// where plain is set. User and password, and a fragment, have no business in it.
func Address(s string, plain bool) (string, error) {
	u, err := url.Parse(strings.TrimSpace(s))
	if err != nil || len(s) > maxAddress || (u.Scheme != "https" && u.Scheme != "http") || u.Hostname() == "" || u.User != nil || u.Fragment != "" {
		return "", ErrAddress
	}
	if u.Scheme == "http" && !plain {
		return "", ErrPlain
	}
	return u.String(), nil
}

// special are the networks that lead into somebody's own house or nowhere, and
// those that wrap an address of such a network. Source: the special-purpose address
// registries of IANA (RFC 6890 and later), from memory.
var special = func() (out []netip.Prefix) {
	for _, s := range []string{
		"0.0.0.0/8", "10.0.0.0/8", "100.64.0.0/10", "127.0.0.0/8", "169.254.0.0/16", "172.16.0.0/12", "192.0.0.0/24", "192.0.2.0/24", "192.88.99.0/24",
		"192.168.0.0/16", "198.18.0.0/15", "198.51.100.0/24", "203.0.113.0/24", "224.0.0.0/4", "240.0.0.0/4",
		"::/96", "::1/128", "::ffff:0:0/96", "64:ff9b::/96", "64:ff9b:1::/48", "100::/64", "2001::/23", "2001:db8::/32", "2002::/16", "3fff::/20",
		"5f00::/16", "fc00::/7", "fe80::/10", "fec0::/10", "ff00::/8",
	} {
		out = append(out, netip.MustParsePrefix(s))
	}
	return out
}()

// Public reports whether an address is one that anybody may reach, or lies in a
// network that was allowed.
func Public(addr netip.Addr, allowed []netip.Prefix) bool {
	plain := addr.Unmap().WithZone("")
	for _, p := range allowed {
		if p.Contains(plain) {
			return true
		}
	}
	if !plain.IsValid() {
		return false
	}
	for _, p := range special {
		if p.Contains(plain) {
			return false
		}
	}
	return true
}
