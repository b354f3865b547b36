package app_test

import (
	"fmt"
	"net"
	"net/http"
	"net/url"
	"strings"
	"testing"
	"time"

	"aftergust/core/link/role"
	"aftergust/internal/dev/apptest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// colleague is another member of the studio, signed in with a browser: their id, and the
// header with which that browser says who it is.
func colleague(t *testing.T, s *apptest.Studio, name string) (id string, client *http.Client, cookie string) {
	t.Helper()
	address := name + "@lowtide.example"
	s.Do(t, "POST", "/studio/invitations", map[string]any{"email": address, "role": role.Member}, nil)
	letter := s.Letter(t, address, "invites you").Text
	_, secret, _ := strings.Cut(letter, "/join/")
	client = browser(t)
	answer := s.Request(t, client, http.MethodPost, "/api/v1/join", strings.NewReader(fmt.Sprintf(
		`{"token": %q, "name": %q, "password": "slow glaze harbour lamp"}`, strings.Fields(secret)[0], name)), "Content-Type: application/json")
	require.Less(t, answer.StatusCode, 300, string(answer.Body))
	base, err := url.Parse(s.Base)
	require.NoError(t, err)
	for _, c := range client.Jar.Cookies(base) {
		cookie += c.Name + "=" + c.Value + "; "
	}
	var studio struct {
		Members []struct{ ID, Email string }
	}
	s.Do(t, "GET", "/studio", nil, &studio)
	for _, m := range studio.Members {
		if m.Email == address {
			id = m.ID
		}
	}
	require.NotEmpty(t, id)
	return id, client, "Cookie: " + cookie
}

// sendingSlowly uploads at a slow pace until it is cut.
func sendingSlowly(t *testing.T, s *apptest.Studio, place, cookie string, size int) <-chan time.Duration {
	t.Helper()
	location, err := s.Owner.BeginUpload(t.Context(), map[string]string{"place": place, "filename": "late.bin"}, int64(size))
	require.NoError(t, err)
	raw, err := net.Dial("tcp", s.App.Addr)
	require.NoError(t, err)
	_, err = fmt.Fprintf(raw, "PATCH %s HTTP/1.1\r\nHost: studio.example\r\n%s\r\n", strings.TrimPrefix(location, s.Base), lines([]string{cookie,
		"Tus-Resumable: 1.0.0", "Upload-Offset: 0", "Content-Type: application/offset+octet-stream", fmt.Sprintf("Content-Length: %d", size)}))
	require.NoError(t, err)
	ended := make(chan time.Duration, 1)
	go func() {
		defer raw.Close()
		began := time.Now()
		for chunk := make([]byte, 10_000); ; time.Sleep(10 * time.Millisecond) {
			if _, err := raw.Write(chunk); err != nil {
				ended <- time.Since(began)
				return
			}
		}
	}()
	return ended
}

// A removed member would go on with all that they had begun; so would whoever sits at a
// browser that was signed out from another.
func TestWhatAMemberFetchesAndSendsIsCutWhenTheyAreOut(t *testing.T) {
	t.Parallel()
	const size = 60_000_000 // a minute at the pace of slowly
	for name, act := range map[string]func(t *testing.T, s *apptest.Studio, tove *http.Client, id string){
		"removed": func(t *testing.T, s *apptest.Studio, _ *http.Client, id string) {
			s.Do(t, "DELETE", "/studio/members/"+id, nil, nil)
		},
		"signed out": func(t *testing.T, s *apptest.Studio, tove *http.Client, _ string) {
			require.Less(t, s.Request(t, tove, http.MethodDelete, "/api/v1/session", nil).StatusCode, 300)
		},
		"removed, and nobody heard of it": func(t *testing.T, s *apptest.Studio, _ *http.Client, id string) {
			_, err := s.App.Store.Pool().Exec(t.Context(), "update member set removed_at = now() where id = $1", id)
			require.NoError(t, err)
			s.App.API.Lost()
		},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			s := apptest.Start(t, pg)
			id, tove, cookie := colleague(t, s, "tove")
			_, films := project(t, s)
			item := put(t, s, films, "big.bin", strings.Repeat("tide", size/4))
			var chosen struct{ Address string }
			s.Do(t, "POST", "/things/select", selection(item), &chosen)
			running := map[string]<-chan time.Duration{
				"an upload":   sendingSlowly(t, s, films, cookie, size),
				"an original": slowly(t, s, "/api/v1/versions/"+look(t, s, item).Version+"/original", cookie),
			}
			mine := slowly(t, s, "/api/v1/versions/"+look(t, s, item).Version+"/original", "Authorization: Bearer "+s.Owner.Token)
			time.Sleep(200 * time.Millisecond)
			act(t, s, tove, id)
			for what, ended := range running {
				select {
				case <-ended:
				case <-time.After(soon):
					assert.Fail(t, "it goes on", what)
				}
			}
			select {
			case <-mine:
				assert.Fail(t, "another member's was cut")
			default:
			}
		})
	}
}
