package showing_test

import (
	"strings"
	"testing"

	. "aftergust/core/link/showing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestSitesAreReadAsPeopleTypeThem(t *testing.T) {
	got, err := Sites("kelpwick.example, https://Films.Kelpwick.example/portfolio?x=1\n*.brindlefen.example kelpwick.example northmoor.example:8443")
	require.NoError(t, err)
	assert.Equal(t, []string{"https://kelpwick.example", "https://films.kelpwick.example", "https://*.brindlefen.example", "https://northmoor.example:8443"}, got)
	none, err := Sites(" \n ")
	require.NoError(t, err)
	assert.Empty(t, none)
}

// Source: CSP Level 3, 2.3.1: what is no host source, or is one that lets too many in,
// never comes into the header.
func TestWhatIsNoSiteIsRefusedByName(t *testing.T) {
	for typed, why := range map[string]string{
		"http://kelpwick.example":            "https",
		"javascript://kelpwick.example":      "https",
		"*":                                  "not the address",
		"*.example":                          "every site under one ending",
		"kelpwick":                           "not the address",
		"'none'":                             "not the address",
		"kelpwick.example'self'":             "not the address",
		"https://":                           "not the address",
		"https:kelpwick.example":             "not the address",
		"a@kelpwick.example":                 "not the address",
		"kelp_wick.example":                  "not the address",
		"-kelpwick.example":                  "not the address",
		"kelpwick.example:port":              "not the address",
		"kélpwick.example":                   "not the address",
		"a.*.example":                        "not the address",
		strings.Repeat("a", 64) + ".example": "not the address",
		"ok.example \x00https://kelpwick.example/": "https",
	} {
		_, err := Sites(typed)
		require.Error(t, err, typed)
		assert.Contains(t, err.Error(), why, typed)
	}
	many := func(n int) (all []string) {
		for i := range n {
			all = append(all, strings.Repeat("a", i+1)+".example")
		}
		return all
	}
	_, err := Sites(strings.Join(many(MostSites), " "))
	require.NoError(t, err)
	_, err = Sites(strings.Join(many(MostSites+1), " "))
	require.Error(t, err)
}

func TestOnlyTheSitesThatAreNamedMayHaveItWithinThem(t *testing.T) {
	assert.Equal(t, "'self'", Ancestors(nil))
	assert.Equal(t, "'self' https://kelpwick.example https://*.brindlefen.example", Ancestors([]string{"https://kelpwick.example", "https://*.brindlefen.example"}))
	assert.Equal(t, []Layout{Scroll, Stage}, Layouts.Names())
}
