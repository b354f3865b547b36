package app_test

import (
	"fmt"
	"net/http"
	"net/http/cookiejar"
	"strings"
	"testing"

	"aftergust/internal/dev/apptest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// browser is an HTTP client that keeps its cookies.
func browser(t *testing.T) *http.Client {
	t.Helper()
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	return &http.Client{Jar: jar}
}

func signIn(t *testing.T, s *apptest.Studio, client *http.Client, password string, headers ...string) apptest.Answer {
	t.Helper()
	body := fmt.Sprintf(`{"email": %q, "password": %q}`, "  MARIT@lowtide.example", password)
	return s.Request(t, client, http.MethodPost, "/api/v1/session", strings.NewReader(body),
		append(headers, "Content-Type: application/json")...)
}

func TestASessionBeginsWithThePasswordAndEndsOnTheServer(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	client := browser(t)
	me := func(c *http.Client, headers ...string) int {
		return s.Request(t, c, http.MethodGet, "/api/v1/me", nil, headers...).StatusCode
	}
	assert.Equal(t, http.StatusUnauthorized, me(client))
	assert.Equal(t, "wrong_sign_in", signIn(t, s, client, "low tide at noon").Problem())
	answer := signIn(t, s, client, apptest.Password)
	require.Equal(t, http.StatusOK, answer.StatusCode)
	var cookie string
	for _, c := range answer.Cookies() {
		if c.Name == "aftergust_session" {
			cookie = c.Value
			// Source: RFC 6265, section 4.1.2, and RFC 6265bis for SameSite.
			assert.True(t, c.HttpOnly)
			assert.Equal(t, http.SameSiteLaxMode, c.SameSite)
		}
	}
	require.NotEmpty(t, cookie)
	assert.Equal(t, http.StatusOK, me(client))

	other := s.Request(t, client, http.MethodPost, "/api/v1/packages", strings.NewReader("{}"), "Content-Type: application/json",
		"Sec-Fetch-Site: cross-site", "Origin: https://elsewhere.example")
	assert.Equal(t, http.StatusForbidden, other.StatusCode, "another site cannot act with the session (Fetch Metadata)")

	assert.Less(t, s.Request(t, client, http.MethodDelete, "/api/v1/session", nil).StatusCode, 300)
	assert.Equal(t, http.StatusUnauthorized, me(client))
	assert.Equal(t, http.StatusUnauthorized, me(http.DefaultClient, "Cookie: aftergust_session="+cookie), "who kept the cookie is out as well")
}

func TestGuessingPasswordsIsThrottled(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	codes := map[string]int{}
	for range 40 {
		codes[signIn(t, s, http.DefaultClient, "a guess").Problem()]++
	}
	assert.Positive(t, codes["wrong_sign_in"])
	assert.Positive(t, codes["too_many_tries"], "%v", codes)
	assert.Equal(t, "too_many_tries", signIn(t, s, http.DefaultClient, apptest.Password).Problem(), "the right one has to wait as well")
	nobody := s.Request(t, http.DefaultClient, http.MethodPost, "/api/v1/session",
		strings.NewReader(`{"email": "nobody@lowtide.example", "password": "x"}`), "Content-Type: application/json")
	assert.Contains(t, []string{"wrong_sign_in", "too_many_tries"}, nobody.Problem(), "no answer tells who is a member")
}
