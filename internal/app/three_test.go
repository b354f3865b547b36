package app_test

import (
	"fmt"
	"io"
	"net"
	"net/http"
	"strings"
	"testing"

	"aftergust/core/file/coverage"
	"aftergust/internal/dev/apptest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A taker takes ranges over a connection of its own, and counts at its socket what of
// the body came.
type taker struct {
	had coverage.Set
}

func (k *taker) take(t *testing.T, s *apptest.Studio, path string, from, to int64) {
	t.Helper()
	conn, err := net.Dial("tcp", s.App.Addr)
	require.NoError(t, err)
	defer conn.Close()
	_, err = fmt.Fprintf(conn, "GET %s HTTP/1.1\r\nHost: studio.example\r\nConnection: close\r\nRange: bytes=%d-%d\r\n\r\n", path, from, to-1)
	require.NoError(t, err)
	raw, err := io.ReadAll(conn)
	require.NoError(t, err)
	head, body, found := strings.Cut(string(raw), "\r\n\r\n")
	require.True(t, found)
	require.Contains(t, head, "206")
	k.had = k.had.Add(coverage.Range{Start: from, End: from + int64(len(body))})
}

// Three people on three clocks: opened, partly, complete; outstanding; and behind once
// a version went up. What the strips show is what was counted at the sockets.
func TestThreePeopleOnThreeClocks(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	const size = 3_000_000
	p := s.Pack(t, []string{apptest.File(t, "lifeboat_cut_3.bin", size), apptest.File(t, "stills.bin", 500_000)}, map[string][]string{
		"Hanne Orrick <hanne@kelpwick.example>": lookNoteTake, "Tomos Gethin <tomos@gethin.example>": lookNoteTake,
		"Ines Corvo <ines@kelpwick.example>": lookNoteTake})
	p = s.Send(t, p)
	people := map[string]*taker{"Hanne Orrick": {}, "Tomos Gethin": {}, "Ines Corvo": {}}
	for name, zone := range map[string]string{"Hanne Orrick": "Europe/London", "Tomos Gethin": "America/New_York", "Ines Corvo": "Asia/Kolkata"} {
		who := person(p, name)
		require.NoError(t, s.Guest().Do(t.Context(), http.MethodPost, who.API()+"/visit", map[string]any{"zone": zone}, nil))
		var page struct{ Ends string }
		require.NoError(t, s.Guest().Do(t.Context(), http.MethodGet, who.API(), nil, &page))
		var seen struct {
			Recipients []struct{ Name, Zone, Ends string }
		}
		s.Do(t, http.MethodGet, "/packages/"+p.ID, nil, &seen)
		for _, r := range seen.Recipients {
			if r.Name == name {
				assert.Equal(t, zone, r.Zone)
				assert.Contains(t, r.Ends, strings.ReplaceAll(zone[strings.LastIndex(zone, "/")+1:], "_", " "), "the end on their own clock")
			}
		}
	}
	hanne, tomos, ines := person(p, "Hanne Orrick"), person(p, "Tomos Gethin"), person(p, "Ines Corvo")
	for _, part := range [][2]int64{{2_000_000, size}, {0, 1_000_000}, {900_000, 2_000_001}} {
		people[hanne.Name].take(t, s, hanne.Path(p.Items[0]), part[0], part[1])
	}
	(&taker{}).take(t, s, hanne.Path(p.Items[1]), 0, 500_000)
	for _, part := range [][2]int64{{100, 700_000}, {2_500_000, 2_600_000}, {1_000_000, 1_000_001}} {
		people[tomos.Name].take(t, s, tomos.Path(p.Items[0]), part[0], part[1])
	}
	check := func(when string, status map[string]string, outstanding map[string]bool) {
		t.Helper()
		for name, want := range status {
			got := row(t, s, p, person(p, name))
			assert.Equal(t, want, got.Status, "%s, %s", when, name)
			assert.Equal(t, outstanding[name], got.Outstanding, "%s, %s", when, name)
		}
	}
	check("at first", map[string]string{hanne.Name: "everything", tomos.Name: "partly", ines.Name: "opened"},
		map[string]bool{tomos.Name: true, ines.Name: true})
	for name, k := range people {
		assert.Equal(t, k.had.String(), coverage.Of(row(t, s, p, person(p, name)).Cells[0].Bytes...).String(), "the strip of %s", name)
	}
	assert.Equal(t, 1, s.Events(t, p.ID, "has_all"))

	replace(t, s, p, apptest.File(t, "lifeboat_cut_4.bin", size))
	check("after a version went up", map[string]string{hanne.Name: "partly", tomos.Name: "opened", ines.Name: "opened"},
		map[string]bool{hanne.Name: true, tomos.Name: true, ines.Name: true})
	assert.Contains(t, row(t, s, p, hanne).Cells[0].Saying, "older version", "she is behind")
	var left struct {
		Reminded []string
	}
	s.Do(t, http.MethodPost, "/packages/"+p.ID+"/remind", map[string]any{"message": "The new cut is there."}, &left)
	assert.ElementsMatch(t, []string{hanne.Name, tomos.Name, ines.Name}, left.Reminded)
	letter := s.Letter(t, "hanne@kelpwick.example", "Still here")
	assert.Contains(t, letter.Text, "The new cut is there.")
	assert.Contains(t, letter.Text, "Still missing: lifeboat_cut_4.bin; 3.0 MB", "only what she lacks")
}
