package app_test

import (
	"net/http"
	"net/http/httptest"
	"net/netip"
	"strings"
	"testing"

	"aftergust/internal/app"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/dev/standin"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What happens to a package is told to a program within seconds; while it does not
// take it, it comes again by itself.
func TestAProgramIsToldWhatHappens(t *testing.T) {
	t.Parallel()
	program := &standin.Program{}
	listens := httptest.NewServer(program)
	t.Cleanup(listens.Close)
	s := apptest.Start(t, pg, func(c *app.Config) { c.HookNetworks = []netip.Prefix{netip.MustParsePrefix("127.0.0.1/32")} })
	var made struct{ ID, Secret string }
	s.Do(t, "POST", "/hooks", map[string]any{"address": listens.URL, "kinds": []string{"opened", "has_all"}}, &made)
	program.Expect(made.Secret)
	var trial struct{ ID string }
	s.Do(t, "POST", "/hooks/"+made.ID+"/trial", nil, &trial)
	apptest.Eventually(t, "the trial", func() bool { return len(program.Told()) == 1 })

	program.Answer(http.StatusServiceUnavailable)
	p := s.Send(t, s.Pack(t, []string{apptest.File(t, "a.bin", 5000)}, map[string][]string{"hanne@kelpwick.example": lookNoteTake}))
	hanne := p.Recipients[0]
	require.Equal(t, http.StatusOK, s.Get(t, hanne.Path(p.Items[0])).StatusCode)
	apptest.Eventually(t, "a try", func() bool { return len(program.Told()) == 2 })
	program.Answer(0)
	apptest.Eventually(t, "the next one, seconds later", func() bool { return len(program.Told()) == 3 })
	told := program.Told()
	assert.True(t, told[0].Good)
	assert.Equal(t, told[1].ID, told[0].ID)
	assert.Contains(t, told[0].Body, `"type":"has_all"`)

	var log struct {
		Messages []struct {
			ID, Kind, State string
			Tries           int
		}
	}
	apptest.Eventually(t, "the log", func() bool {
		s.Do(t, "GET", "/hooks/"+made.ID+"/messages", nil, &log)
		return log.Messages[0].State == "taken"
	})
	assert.Equal(t, 2, log.Messages[0].Tries)
	s.Do(t, "POST", "/hooks/messages/"+log.Messages[0].ID+"/again", nil, nil)
	apptest.Eventually(t, "once more", func() bool { return len(program.Told()) == 4 && program.Told()[0].Before })
	answer := s.Get(t, "/api/v1/hooks/"+made.ID+"/messages", "Authorization: Bearer "+strings.Repeat("x", 20))
	assert.Equal(t, http.StatusUnauthorized, answer.StatusCode)
}
