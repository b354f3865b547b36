package app_test

import (
	"net/http"
	"strings"
	"testing"

	"aftergust/internal/dev/apptest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A calendar asks at an address of its own for what ends when, without signing in; the
// address is the member's, and dies when they take another or none.
func TestACalendarAsksForWhatEnds(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	p := s.Send(t, s.Pack(t, []string{apptest.File(t, "a.bin", 5000)}, map[string][]string{"hanne@kelpwick.example": lookNoteTake}))
	var at struct{ Address string }
	s.Do(t, "GET", "/calendar", nil, &at)
	require.Empty(t, at.Address)
	s.Do(t, "POST", "/calendar", nil, &at)
	require.True(t, strings.HasPrefix(at.Address, s.Config.BaseURL+"/calendar/"), at.Address)
	get := func(address string) apptest.Answer { return s.Get(t, strings.TrimPrefix(address, s.Config.BaseURL)) }
	feed := get(at.Address)
	require.Equal(t, http.StatusOK, feed.StatusCode)
	assert.Equal(t, "text/calendar; charset=utf-8", feed.Header.Get("Content-Type"))
	text := strings.ReplaceAll(string(feed.Body), "\r\n ", "")
	assert.Contains(t, text, "SUMMARY:"+p.Title+" ends\r\n")
	assert.Contains(t, text, "DESCRIPTION:0 of 1 have it\r\n")
	assert.Contains(t, text, "URL:"+s.Config.BaseURL+"/packages/"+p.ID+"\r\n")
	assert.Contains(t, text, "REFRESH-INTERVAL;VALUE=DURATION:PT15M\r\n")
	assert.Equal(t, 1, strings.Count(text, "BEGIN:VEVENT"))

	before := at.Address
	s.Do(t, "POST", "/calendar", nil, &at)
	assert.NotEqual(t, before, at.Address)
	assert.Equal(t, http.StatusNotFound, get(before).StatusCode, "the one before leads nowhere")
	s.Do(t, "POST", "/packages/"+p.ID+"/stop", nil, nil)
	assert.NotContains(t, string(get(at.Address).Body), "VEVENT", "what is stopped does not end any more")
	s.Do(t, "DELETE", "/calendar", nil, nil)
	assert.Equal(t, http.StatusNotFound, get(at.Address).StatusCode)
	assert.Equal(t, http.StatusNotFound, get(s.Config.BaseURL+"/calendar/.ics").StatusCode)
	assert.Equal(t, http.StatusNotFound, get(s.Config.BaseURL+"/calendar/"+strings.Repeat("x", 22)+".ics").StatusCode)
}
