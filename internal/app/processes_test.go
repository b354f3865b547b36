package app_test

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"testing"

	"aftergust/internal/app"
	"aftergust/internal/dev/apptest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Source: tus 1.0.0: what a server has acknowledged as the offset is there; a client goes on from it.
func TestAnUploadGoesOnAtAnotherProcessWhileTheFirstStillServesIt(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	second := s.Config
	second.Addr = "127.0.0.1:0"
	other, err := app.Start(t.Context(), second)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, other.Stop(context.Background())) })
	content, err := os.ReadFile(apptest.File(t, "long.bin", 24<<20))
	require.NoError(t, err)
	var p apptest.Package
	s.Do(t, "POST", "/packages", nil, &p)
	location, err := s.Owner.BeginUpload(t.Context(), map[string]string{"package": p.ID, "filename": "long.bin"}, int64(len(content)))
	require.NoError(t, err)
	at, err := url.Parse(location)
	require.NoError(t, err)
	ask := func(base, method string, offset int64, body io.Reader) (*http.Response, error) {
		request, err := http.NewRequestWithContext(t.Context(), method, base+at.Path, body)
		require.NoError(t, err)
		for name, value := range map[string]string{"Authorization": "Bearer " + s.Owner.Token, "Tus-Resumable": "1.0.0"} {
			request.Header.Set(name, value)
		}
		if body != nil {
			request.Header.Set("Upload-Offset", fmt.Sprint(offset))
			request.Header.Set("Content-Type", "application/offset+octet-stream")
		}
		return http.DefaultClient.Do(request)
	}
	reader, writer := io.Pipe()
	ended := make(chan int)
	go func() {
		answer, err := ask(s.Base, http.MethodPatch, 0, reader)
		if err != nil {
			ended <- 0
			return
		}
		_ = answer.Body.Close() // only how it ended matters
		ended <- answer.StatusCode
	}()
	_, err = writer.Write(content[:8<<20])
	require.NoError(t, err)

	// A browser that lost its line comes again, and reaches the other process.
	there := "http://" + other.Addr
	head, err := ask(there, http.MethodHead, 0, nil)
	require.NoError(t, err)
	require.NoError(t, head.Body.Close())
	require.Equal(t, http.StatusOK, head.StatusCode)
	var offset int64
	_, err = fmt.Sscan(head.Header.Get("Upload-Offset"), &offset)
	require.NoError(t, err)
	assert.Positive(t, offset)
	rest, err := ask(there, http.MethodPatch, offset, bytes.NewReader(content[offset:]))
	require.NoError(t, err)
	require.NoError(t, rest.Body.Close())
	require.Equal(t, http.StatusNoContent, rest.StatusCode)
	_ = writer.CloseWithError(io.ErrClosedPipe)
	assert.NotEqual(t, http.StatusNoContent, <-ended, "the first was told to let go")

	p = s.Package(t, p.ID)
	require.Len(t, p.Items, 1)
	answer, err := original(t, s, there+"/api/v1/versions/"+p.Items[0].Version+"/original")
	require.NoError(t, err)
	assert.True(t, bytes.Equal(content, answer), "byte for byte what was sent")
}

func original(t *testing.T, s *apptest.Studio, address string) ([]byte, error) {
	request, err := http.NewRequestWithContext(t.Context(), http.MethodGet, address, nil)
	require.NoError(t, err)
	request.Header.Set("Authorization", "Bearer "+s.Owner.Token)
	answer, err := http.DefaultClient.Do(request)
	if err != nil {
		return nil, err
	}
	defer answer.Body.Close()
	return io.ReadAll(answer.Body)
}
