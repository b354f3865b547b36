package app_test

import (
	"bufio"
	"encoding/base64"
	"encoding/csv"
	"encoding/json"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"aftergust/internal/dev/apptest"
	"aftergust/internal/dev/demo"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestAFileThatDoesNotArriveWholeIsSaidToBeSo(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	conn, err := net.Dial("tcp", strings.TrimPrefix(s.Base, "http://"))
	require.NoError(t, err)
	defer conn.Close()
	_, err = conn.Write([]byte("POST /api/v1/proofs/check HTTP/1.1\r\nHost: x\r\nContent-Length: 1000\r\n\r\n{"))
	require.NoError(t, err)
	require.NoError(t, conn.(*net.TCPConn).CloseWrite())
	response, err := http.ReadResponse(bufio.NewReader(conn), nil)
	require.NoError(t, err)
	var problem struct{ Code string }
	require.NoError(t, json.NewDecoder(response.Body).Decode(&problem))
	assert.Equal(t, "not_whole", problem.Code)
}

// Source: RFC 4180 by Go's encoding/csv; JSON Lines as one JSON text for each line.
func TestTheLedgerAndTheStoryLeaveWholeOrNotAtAll(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	p := s.Send(t, s.Pack(t, []string{apptest.File(t, "a.bin", 1000), apptest.File(t, "=1+1.bin", 10)},
		map[string][]string{"hanne@kelpwick.example": {"see", "take"}, "tove@kelpwick.example": {"see"}}))
	token := "Authorization: Bearer " + s.Owner.Token
	base := "/api/v1/packages/" + p.ID
	for file, lines := range map[string]int{"/ledger.csv": 5, "/events.csv": 2} {
		answer := s.Get(t, base+file, token)
		require.Equal(t, http.StatusOK, answer.StatusCode)
		rows, err := csv.NewReader(strings.NewReader(string(answer.Body))).ReadAll()
		require.NoError(t, err)
		assert.Len(t, rows, lines, "%s: its head, and a row for each", file)
		if file == "/ledger.csv" {
			assert.Equal(t, "'=1+1.bin", rows[2][2], "no table program reckons with it")
		}
	}
	for file, lines := range map[string]int{"/ledger.jsonl": 4, "/events.jsonl": 1} {
		text := strings.TrimSpace(string(s.Get(t, base+file, token).Body))
		assert.Len(t, strings.Split(text, "\n"), lines, file)
		for line := range strings.Lines(text) {
			assert.True(t, json.Valid([]byte(line)), line)
		}
	}
	assert.Equal(t, http.StatusUnauthorized, s.Get(t, base+"/ledger.csv").StatusCode)

	// Where the records cannot be read to the end, the line is cut: nobody takes a part of it for all.
	_, err := s.App.Store.Pool().Exec(t.Context(), "alter table coverage rename to away")
	require.NoError(t, err)
	request, err := http.NewRequestWithContext(t.Context(), http.MethodGet, s.Base+base+"/ledger.csv", nil)
	require.NoError(t, err)
	request.Header.Set("Authorization", "Bearer "+s.Owner.Token)
	_, err = http.DefaultClient.Do(request)
	require.Error(t, err)
}

// Whose key signed a proof, a stranger finds at the server, and the command line compares it.
func TestAStrangerFindsTheKeyAndTheCommandExpectsIt(t *testing.T) {
	t.Parallel()
	b := startBinary(t)
	var p apptest.Package
	require.NoError(t, b.owner.Do(t.Context(), "POST", "/api/v1/packages", map[string]any{}, &p))
	_, err := b.owner.Upload(t.Context(), p.ID, apptest.File(t, "cut.bin", 1000), "")
	require.NoError(t, err)
	require.NoError(t, b.owner.Do(t.Context(), "POST", "/api/v1/packages/"+p.ID+"/recipients", map[string]any{"address": "hanne@kelpwick.example",
		"rights": []string{"see", "take"}}, nil))
	require.NoError(t, b.owner.Do(t.Context(), "POST", "/api/v1/packages/"+p.ID+"/send", nil, nil))
	sealed, err := b.owner.Bytes(t.Context(), "/api/v1/packages/"+p.ID+"/proof.json", "")
	require.NoError(t, err)
	file := filepath.Join(t.TempDir(), "proof.json")
	require.NoError(t, os.WriteFile(file, sealed, 0o600))

	raw, err := demo.NewClient(b.base, "").Bytes(t.Context(), "/.well-known/aftergust-keys.json", "")
	require.NoError(t, err)
	var found struct {
		Keys []struct{ Studio, Key string }
	}
	require.NoError(t, json.Unmarshal(raw, &found))
	require.Len(t, found.Keys, 1)
	assert.Equal(t, "Low Tide Pictures", found.Keys[0].Studio)
	assert.Contains(t, b.run(t, "verify-proof", "-key", found.Keys[0].Key, file), "Whole")
	assert.Contains(t, b.run(t, "verify-proof", file), "with a key of their own")
	assert.Contains(t, b.fails(t, "verify-proof", "-key", base64.StdEncoding.EncodeToString(make([]byte, 32)), file), "another key")
}
