package app_test

import (
	"cmp"
	"context"
	"fmt"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"aftergust/internal/dev/apptest"
	"aftergust/internal/dev/demo"
	"aftergust/internal/dev/standin"

	"github.com/stretchr/testify/require"
)

// A binary is the built program in a process of its own, for tests that kill it.
type binary struct {
	base  string
	owner *demo.Client
	env   []string
	cmd   *exec.Cmd
	tray  *standin.Tray
	blobs string
}

// program is the built program, or the one whose clock is shifted like ours (scripts/later.sh).
var program = cmp.Or(os.Getenv("AFTERGUST_PROGRAM"), "../../bin/aftergust")

// startBinary starts it with a studio, and with more settings where they are given.
func startBinary(t *testing.T, env ...string) *binary {
	t.Helper()
	_, err := os.Stat(program)
	require.NoError(t, err, "run make build first")
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	address := listener.Addr().String()
	require.NoError(t, listener.Close())
	tray, err := standin.Open("127.0.0.1:0", t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { _ = tray.Close() })
	b := &binary{base: "http://" + address, tray: tray, blobs: filepath.Join(t.TempDir(), "blobs")}
	b.env = append(os.Environ(), "AFTERGUST_ADDR="+address, "AFTERGUST_DATABASE_URL="+pg.Fresh(t),
		"AFTERGUST_BLOBS="+b.blobs,
		"AFTERGUST_SMTP_URL="+tray.URL(), "AFTERGUST_MAIL_FROM=hello@lowtide.example", "AFTERGUST_SECRET="+strings.Repeat("s", 40),
		"AFTERGUST_LOG=error",
		"AFTERGUST_PASSWORD="+apptest.Password)
	b.env = append(b.env, env...)
	b.start(t)
	t.Cleanup(func() { b.kill(t) })
	b.run(t, "found", "-studio", "Low Tide Pictures", "-owner", "Marit Oyelaran", "-email", apptest.Email)
	b.owner = demo.NewClient(b.base, strings.TrimSpace(b.run(t, "token", "-email", apptest.Email)))
	return b
}

func (b *binary) run(t *testing.T, args ...string) string {
	t.Helper()
	cmd := exec.Command(program, args...)
	cmd.Env = b.env
	out, err := cmd.Output()
	require.NoError(t, err, "%v", args)
	return string(out)
}

// fails runs a command that must fail and returns all that it says.
func (b *binary) fails(t *testing.T, args ...string) string {
	t.Helper()
	cmd := exec.Command(program, args...)
	cmd.Env = b.env
	out, err := cmd.CombinedOutput()
	require.Error(t, err, "%v: %s", args, out)
	return string(out)
}

func (b *binary) start(t *testing.T) {
	t.Helper()
	b.cmd = exec.Command(program, "serve")
	b.cmd.Env, b.cmd.Stderr = b.env, os.Stderr
	require.NoError(t, b.cmd.Start())
	apptest.Eventually(t, "the server answers", func() bool {
		answer, err := http.Get(b.base + "/healthz")
		if err == nil {
			_ = answer.Body.Close()
		}
		return err == nil && answer.StatusCode == http.StatusOK
	})
}

func (b *binary) kill(t *testing.T) {
	t.Helper()
	if b.cmd == nil {
		return
	}
	_ = b.cmd.Process.Kill()
	_ = b.cmd.Wait() // killed is how it should end
	b.cmd = nil
}

func (b *binary) offset(t *testing.T, location string) int64 {
	t.Helper()
	request, err := http.NewRequestWithContext(context.Background(), http.MethodHead, location, nil)
	require.NoError(t, err)
	request.Header.Set("Authorization", "Bearer "+b.owner.Token)
	request.Header.Set("Tus-Resumable", "1.0.0")
	answer, err := http.DefaultClient.Do(request)
	require.NoError(t, err)
	require.NoError(t, answer.Body.Close())
	require.Equal(t, http.StatusOK, answer.StatusCode, fmt.Sprint(answer.Header))
	n, err := strconv.ParseInt(answer.Header.Get("Upload-Offset"), 10, 64)
	require.NoError(t, err)
	return n
}

// restartTray opens a mail tray on the address of one that was closed.
func restartTray(t *testing.T, address string) *standin.Tray {
	t.Helper()
	tray, err := standin.Open(address, t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { _ = tray.Close() })
	return tray
}

func writeFile(file string, content []byte) error { return os.WriteFile(file, content, 0o600) }
