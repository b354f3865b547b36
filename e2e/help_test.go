package e2e_test

import (
	"context"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"aftergust/internal/dev/apptest"

	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"
)

type ctxT = context.Context

func freeAddress(t *testing.T) string {
	t.Helper()
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer listener.Close()
	return listener.Addr().String()
}

func sizeOf(t *testing.T, file string) int64 {
	t.Helper()
	info, err := os.Stat(file)
	require.NoError(t, err)
	return info.Size()
}

func sizeIs(file string, size int64) bool {
	info, err := os.Stat(file)
	return err == nil && info.Size() == size
}

// sumOf is the SHA-256 of a file, as GNU coreutils computes it.
func sumOf(t *testing.T, file string) string {
	t.Helper()
	out, err := exec.Command("sha256sum", file).Output()
	require.NoError(t, err)
	return strings.Fields(string(out))[0]
}

// original takes a version from the studio, with curl, and returns the file it came to.
func original(t *testing.T, s *apptest.Studio, version string) string {
	t.Helper()
	taken := filepath.Join(t.TempDir(), "taken")
	require.NoError(t, exec.Command("curl", "-sS", "--fail", "-H", "Authorization: Bearer "+s.Owner.Token, "-o", taken,
		s.Base+"/api/v1/versions/"+version+"/original").Run())
	return taken
}

func globOf(t *testing.T, dir, pattern string) []string {
	t.Helper()
	found, err := filepath.Glob(filepath.Join(dir, pattern))
	require.NoError(t, err)
	return found
}

// incoming is how many bytes of unfinished uploads the server has.
func incoming(t *testing.T, s *apptest.Studio) (n int64) {
	t.Helper()
	for _, file := range globOf(t, filepath.Join(s.Blobs, "incoming"), "*") {
		if info, err := os.Stat(file); err == nil && !strings.HasSuffix(file, ".info") {
			n += info.Size()
		}
	}
	return n
}

func onlyPackage(t *testing.T, s *apptest.Studio) string {
	t.Helper()
	var list struct{ Packages []struct{ ID string } }
	s.Do(t, "GET", "/packages", nil, &list)
	require.Len(t, list.Packages, 1)
	return list.Packages[0].ID
}

func delivered(r apptest.Row, p apptest.Package, name string) int64 {
	for i, item := range p.Items {
		if item.Name == name {
			return r.Cells[i].Delivered
		}
	}
	return -1
}

func line(t *testing.T, p *person, down bool, upload float64) {
	t.Helper()
	p.does(func(ctx ctxT, target *chromedp.Target) (chromedp.Void, error) {
		_, err := chromedp.Call(ctx, network.EmulateNetworkConditionsByRule, network.EmulateNetworkConditionsByRuleParams{
			MatchedNetworkConditions: []*network.Conditions{{Offline: down, DownloadThroughput: -1, UploadThroughput: upload}}})
		return chromedp.Void{}, err
	})
}

// slow lets the browser send so many bytes a second.
func slow(t *testing.T, p *person, rate float64) { line(t, p, false, rate) }
func fast(t *testing.T, p *person)               { line(t, p, false, -1) }
func offline(t *testing.T, p *person)            { line(t, p, true, -1) }

// leavesAnyway says yes whenever a page warns that something would be lost.
func (p *person) leavesAnyway() {
	p.t.Helper()
	require.NoError(p.t, chromedp.Listen(p.ctx, func(event any) {
		if _, ok := event.(*page.EventJavascriptDialogOpening); ok {
			go func() {
				_, _ = chromedp.Call(p.ctx, page.HandleJavaScriptDialog, page.HandleJavaScriptDialogParams{Accept: true}) // answered once is enough
			}()
		}
	}))
}
