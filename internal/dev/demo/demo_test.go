package demo

import (
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"aftergust/core/link/right"
	"aftergust/core/time/expiry"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Reference program: pdfinfo and pdftotext of poppler-utils.
func TestTheCreditsAreAPDFOfThreePages(t *testing.T) {
	file := filepath.Join(t.TempDir(), "credits.pdf")
	require.NoError(t, os.WriteFile(file, []byte(creditsPDF()), 0o600))
	info, err := exec.Command("pdfinfo", file).CombinedOutput()
	require.NoError(t, err, "%s", info)
	assert.Regexp(t, `Pages:\s+3\n`, string(info))
	assert.NotContains(t, string(info), "Error", "the table of offsets is right")
	text, err := exec.Command("pdftotext", file, "-").Output()
	require.NoError(t, err)
	assert.Contains(t, string(text), "Direction Marit Oyelaran")
}

func TestTheSampleStudioIsInvented(t *testing.T) {
	for _, s := range samples() {
		require.NotEmpty(t, s.files, s.title)
		for _, g := range s.guests {
			assert.True(t, strings.HasSuffix(g.email, ".example"), g.email)
			_, err := expiry.LoadZone(g.zone)
			assert.NoError(t, err, g.name)
			for _, r := range g.rights {
				assert.Contains(t, right.All.Names(), right.Right(r), g.name)
			}
			assert.LessOrEqual(t, g.tookAt, g.opened, "%s took %s before opening it", g.name, s.title)
		}
		for _, n := range s.notes {
			assert.Less(t, n.item, len(s.files))
			assert.Contains(t, s.guests[n.guest].rights, "note", "%s may not note", s.guests[n.guest].name)
		}
	}
}

func TestEverySceneDrawsAsAPicture(t *testing.T) {
	dir := t.TempDir()
	m := &maker{ctx: t.Context(), dir: dir}
	for name := range scenes {
		m.photo(name+".jpg", name, 0, 320)
	}
	require.NoError(t, m.err)
	for name := range scenes {
		out, err := exec.Command("vipsheader", "-f", "width", filepath.Join(dir, name+".jpg")).Output()
		require.NoError(t, err)
		assert.Equal(t, "320", strings.TrimSpace(string(out)))
	}
	left, err := filepath.Glob(filepath.Join(dir, "unfinished-*"))
	require.NoError(t, err)
	assert.Empty(t, left)
}
