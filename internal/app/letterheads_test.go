package app_test

import (
	"bytes"
	"image"
	_ "image/jpeg"
	_ "image/png"
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

type head struct {
	ID       string
	Standard bool
	Fixes    []string
	Head     struct {
		Colours      map[string]string
		Logo, Banner string
	}
}

// give sets a picture of a letterhead.
func give(t *testing.T, s *apptest.Studio, id, which string, picture []byte) int {
	t.Helper()
	request, err := http.NewRequestWithContext(t.Context(), http.MethodPut, s.Base+"/api/v1/letterheads/"+id+"/"+which, bytes.NewReader(picture))
	require.NoError(t, err)
	request.Header.Set("Authorization", "Bearer "+s.Owner.Token)
	answer, err := http.DefaultClient.Do(request)
	require.NoError(t, err)
	require.NoError(t, answer.Body.Close())
	return answer.StatusCode
}

func TestAPackageGoesInTheLetterheadOfItsClientAndKeepsIt(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	var day, museum head
	s.Do(t, "POST", "/letterheads", map[string]any{"name": "By day"}, &day)
	assert.True(t, day.Standard, "the first is that of the studio")
	s.Do(t, "POST", "/letterheads", map[string]any{"name": "Museum"}, &museum)
	s.Do(t, "PATCH", "/letterheads/"+museum.ID, map[string]any{"main": "#F7E08A", "ground": "#ffffff", "sign_off": " Kelpwick \n Harbour "}, &museum)
	require.Len(t, museum.Fixes, 1)
	assert.Contains(t, museum.Fixes[0], "would be hard to read")
	require.Error(t, s.Owner.Do(t.Context(), "POST", "/api/v1/letterheads", map[string]any{"name": "museum"}, nil), "a twin")

	p := s.Pack(t, []string{apptest.File(t, "a.bin", 1000)}, map[string][]string{"hanne@kelpwick.example": {"see", "take"}})
	s.Do(t, "PATCH", "/packages/"+p.ID, map[string]any{"letterhead": museum.ID}, nil)
	p = s.Send(t, p)
	var page struct {
		Letterhead *struct{ Colours map[string]string }
	}
	look := func() map[string]string {
		page.Letterhead = nil
		require.NoError(t, demo.NewClient(s.Base, "").Do(t.Context(), "GET", p.Recipients[0].API(), nil, &page))
		return page.Letterhead.Colours
	}
	assert.Equal(t, museum.Head.Colours, look())
	letter := s.Letter(t, "hanne@kelpwick.example", p.Title)
	assert.Contains(t, letter.HTML, museum.Head.Colours["main"])
	assert.Contains(t, letter.HTML, "Kelpwick Harbour")
	require.NoError(t, s.Owner.Do(t.Context(), "DELETE", "/api/v1/letterheads/"+museum.ID, nil, nil))
	assert.Equal(t, day.Head.Colours, look(), "once it is deleted, the standard one")
	require.NoError(t, s.Owner.Do(t.Context(), "DELETE", "/api/v1/letterheads/"+day.ID, nil, nil))
	require.NoError(t, demo.NewClient(s.Base, "").Do(t.Context(), "GET", p.Recipients[0].API(), nil, &page))
	assert.Nil(t, page.Letterhead, "then that of Aftergust")
}

// Source: pixels by another's program (vips); bounds as they are said.
func TestAHugeLogoAndADrawingWithScriptsBecomeSmallPictures(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	var l head
	s.Do(t, "POST", "/letterheads", map[string]any{"name": "By day"}, &l)
	huge := filepath.Join(t.TempDir(), "huge.png")
	out, err := exec.CommandContext(t.Context(), "vips", "black", huge, "10000", "8000").CombinedOutput()
	require.NoError(t, err, string(out))
	raw, err := os.ReadFile(huge)
	require.NoError(t, err)
	secret := filepath.Join(t.TempDir(), "secret.png")
	require.NoError(t, os.WriteFile(secret, raw[:100], 0o600))
	drawing := []byte(`<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" width="400" height="100" onload="alert(1)">
		<script>alert(1)</script><image xlink:href="file://` + secret + `" width="9" height="9"/><rect width="200" height="100" fill="#14594A"/></svg>`)
	for name, picture := range map[string][]byte{"80 megapixels": raw, "a drawing": drawing} {
		require.Equal(t, http.StatusNoContent, give(t, s, l.ID, "logo", picture), name)
		var all []head
		s.Do(t, "GET", "/letterheads", nil, &all)
		answer, err := http.Get(s.Base + all[0].Head.Logo) //nolint:noctx // a mail program does no more
		require.NoError(t, err)
		got, err := io.ReadAll(answer.Body)
		require.NoError(t, err)
		require.NoError(t, answer.Body.Close())
		assert.Equal(t, "image/png", answer.Header.Get("Content-Type"), name)
		assert.Contains(t, answer.Header.Get("Content-Security-Policy"), "sandbox")
		assert.NotContains(t, string(got), "<s")
		config, format, err := image.DecodeConfig(bytes.NewReader(got))
		require.NoError(t, err)
		assert.Equal(t, "png", format)
		assert.LessOrEqual(t, config.Width, 640)
		assert.LessOrEqual(t, config.Height, 240)
		assert.Less(t, len(got), 200_000)
	}
	require.Equal(t, http.StatusNoContent, give(t, s, l.ID, "banner", raw))
	for name, rubbish := range map[string][]byte{"nothing": nil, "text": []byte("no picture"), "a page": []byte("<html>" + strings.Repeat("x", 5000))} {
		assert.Equal(t, http.StatusUnprocessableEntity, give(t, s, l.ID, "logo", rubbish), name)
	}
	assert.Equal(t, http.StatusRequestEntityTooLarge, give(t, s, l.ID, "logo", make([]byte, 41<<20)))
	assert.Equal(t, http.StatusNotFound, give(t, s, l.ID, "else", raw))
	assert.Equal(t, http.StatusNotFound, give(t, s, "06h1jm7eb6ksi5uks6ul7sdh", "logo", drawing))
}
