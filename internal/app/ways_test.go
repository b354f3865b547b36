package app_test

import (
	"encoding/json"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"aftergust/internal/dev/apptest"
	"aftergust/internal/dev/demo"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// file fetches a file of the API as the owner.
func file(t *testing.T, s *apptest.Studio, path string) (*http.Response, string) {
	t.Helper()
	request, err := http.NewRequestWithContext(t.Context(), http.MethodGet, s.Base+"/api/v1"+path, nil)
	require.NoError(t, err)
	request.Header.Set("Authorization", "Bearer "+s.Owner.Token)
	answer, err := http.DefaultClient.Do(request)
	require.NoError(t, err)
	defer answer.Body.Close()
	raw, err := io.ReadAll(answer.Body)
	require.NoError(t, err)
	name := filepath.Join(t.TempDir(), filepath.Base(path))
	require.NoError(t, os.WriteFile(name, raw, 0o600))
	return answer, name
}

// Source: ISO/IEC 18004, by another's reader (zbarimg), from a drawing that another's program (vips, librsvg) made pixels of.
func TestACameraReadsTheLinkOffItsPicture(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	p := s.Send(t, s.Pack(t, []string{apptest.File(t, "a.bin", 1000)}, map[string][]string{"hanne@kelpwick.example": {"see", "take"}}))
	read := func() string {
		answer, svg := file(t, s, "/recipients/"+p.Recipients[0].ID+"/qr.svg")
		require.Equal(t, "image/svg+xml", answer.Header.Get("Content-Type"))
		png := svg + ".png"
		out, err := exec.CommandContext(t.Context(), "vips", "copy", svg, png).CombinedOutput()
		require.NoError(t, err, string(out))
		text, err := exec.CommandContext(t.Context(), "zbarimg", "--quiet", "--raw", png).Output()
		require.NoError(t, err)
		return strings.TrimSpace(string(text))
	}
	assert.Equal(t, p.Recipients[0].Link, read())
	var named struct {
		Link string `json:"named_link"`
	}
	s.Do(t, "PUT", "/recipients/"+p.Recipients[0].ID+"/link-name", map[string]any{"name": "Lifeboat, cut 4"}, &named)
	assert.Equal(t, named.Link, read(), "once it has a name, the name")
}

// Source: RFC 5322 and RFC 2047, by another's parser (Python's email).
func TestALetterForOnesOwnProgramIsReadByOtherParsers(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	p := s.Pack(t, []string{apptest.File(t, "a.bin", 1000)}, map[string][]string{`"Øyvind, \"Bo\" Ås" <hanne@kelpwick.example>`: {"see", "take"}})
	s.Do(t, "PATCH", "/packages/"+p.ID, map[string]any{"title": "Überfahrt\r\nBcc: all@kelpwick.example", "cover_letter": "Grüße\n.\nfrom the quay"}, nil)
	p = s.Send(t, p)
	answer, eml := file(t, s, "/recipients/"+p.Recipients[0].ID+"/letter.eml")
	require.Equal(t, "message/rfc822", answer.Header.Get("Content-Type"))
	const parse = `
import email, email.policy, json, sys
m = email.message_from_binary_file(open(sys.argv[1], "rb"), policy=email.policy.default)
print(json.dumps({"defects": [str(d) for d in m.defects], "headers": {k: str(v) for k, v in m.items()},
  "to": [[a.display_name, a.addr_spec] for a in m["To"].addresses], "text": m.get_body(("plain",)).get_content(), "html": m.get_body(("html",)).get_content()}))`
	out, err := exec.CommandContext(t.Context(), "python3", "-c", parse, eml).Output()
	require.NoError(t, err)
	var read struct {
		Defects    []string
		Headers    map[string]string
		To         [][2]string
		Text, HTML string
	}
	require.NoError(t, json.Unmarshal(out, &read))
	assert.Empty(t, read.Defects)
	assert.Equal(t, [][2]string{{`Øyvind, "Bo" Ås`, "hanne@kelpwick.example"}}, read.To)
	assert.Contains(t, read.Headers["From"], apptest.Email, "it goes from one's own address")
	assert.Equal(t, "1", read.Headers["X-Unsent"])
	assert.NotContains(t, read.Headers, "Bcc")
	assert.Contains(t, read.Headers["Subject"], "ÜberfahrtBcc: all@kelpwick.example")
	for _, part := range []string{read.Text, read.HTML} {
		assert.Contains(t, part, p.Recipients[0].Link)
		assert.Contains(t, part, "Grüße")
	}
	_, err = os.Stat(eml)
	require.NoError(t, err)
}

func TestACodeReadOutOpensThePackageInAnotherBrowser(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	p := s.Pack(t, []string{apptest.File(t, "a.bin", 1000)}, map[string][]string{"hanne@kelpwick.example": {"see", "take"}})
	s.Do(t, "PATCH", "/packages/"+p.ID, map[string]any{"door": "named"}, nil)
	p = s.Send(t, p)
	var made struct{ Code string }
	s.Do(t, "POST", "/recipients/"+p.Recipients[0].ID+"/pickup", nil, &made)
	phone := demo.NewClient(s.Base, "")
	var in struct{ Link string }
	require.NoError(t, phone.Do(t.Context(), "POST", "/api/v1/pickup", map[string]any{"code": strings.ToLower(made.Code)}, &in))
	var page struct {
		Standing, Recipient string
		Items               []struct{ Take string }
	}
	require.NoError(t, phone.Do(t.Context(), "GET", "/api/v1/r/"+in.Link, nil, &page))
	assert.Empty(t, page.Standing)
	assert.NotEmpty(t, page.Items[0].Take)
	assert.NotContains(t, p.Recipients[0].Link, in.Link, "their own secret is not given away")
	require.Error(t, demo.NewClient(s.Base, "").Do(t.Context(), "POST", "/api/v1/pickup", map[string]any{"code": made.Code}, nil))
}
