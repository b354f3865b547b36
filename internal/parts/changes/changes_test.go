package changes_test

import (
	"context"
	"os/exec"
	"path/filepath"
	"testing"

	"aftergust/core/media/align"
	"aftergust/core/media/piece"
	"aftergust/core/media/preview"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/dev/pgserver"
	bytes "aftergust/internal/files/blob"
	"aftergust/internal/files/keep"
	"aftergust/internal/ground"
	"aftergust/internal/parts/changes"
	"aftergust/internal/parts/previews"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var pg *pgserver.Server

func TestMain(m *testing.M) {
	pgserver.Main(m, func(s *pgserver.Server) { pg = s })
}

func film(t *testing.T, filter string) string {
	t.Helper()
	file := filepath.Join(t.TempDir(), "proxy.mp4")
	out, err := exec.Command("ffmpeg", "-v", "error", "-nostdin", "-f", "lavfi", "-i", "testsrc2=size=320x180:rate=25,"+filter, "-frames:v", "200", "-c:v", "libx264",
		"-preset", "ultrafast", file).CombinedOutput()
	require.NoError(t, err, "%s", out)
	return file
}

func TestVersionsAreComparedOnceEachHasItsProxy(t *testing.T) {
	h := apptest.Build(t, pg)
	item := h.File(h.Mara, "", "cut.mov", "one")
	h.Again(h.Mara, item.ID, "cut.mov", "two")
	h.Again(h.Mara, item.ID, "cut.mov", "three")
	versions, err := h.Things.Versions(t.Context(), h.Mara, item.ID)
	require.NoError(t, err)
	one, two, three := versions[2].VersionID, versions[1].VersionID, versions[0].VersionID
	give := func(version, file string) {
		blob := ground.NewID()
		require.NoError(t, h.Bytes.Adopt(t.Context(), bytes.File{ID: blob, Path: file}))
		require.NoError(t, h.Store.Tx(t.Context(), func(ctx context.Context) error {
			require.NoError(t, keep.Rows{DB: h.Store}.InsertBlob(ctx, keep.Blob{ID: blob, StudioID: h.Mara.StudioID, Size: 1}))
			return previews.Rows{DB: h.Store}.PutDerived(ctx, previews.Derived{ID: ground.NewID(), VersionID: version, Purpose: preview.Proxy, BlobID: blob, Mime: "video/mp4", Size: 1})
		}))
		_, err := h.Store.Pool().Exec(t.Context(), "update version set kind = 'film', facts = $2 where id = $1", version,
			piece.Facts{LengthUS: 8_000_000, Frames: 200, RateNum: 25, RateDen: 1})
		require.NoError(t, err)
	}
	maps := func() changes.Maps {
		m, err := h.Changes.Maps(t.Context(), item.ID)
		require.NoError(t, err)
		return m
	}
	give(one, film(t, "null"))
	require.NoError(t, h.Changes.Align(t.Context(), one))
	assert.Empty(t, maps(), "there is nothing to compare it with")
	give(three, film(t, "trim=start_frame=30,setpts=PTS-STARTPTS"))
	require.NoError(t, h.Changes.Align(t.Context(), three))
	m, ok := maps().Between(one, three)
	require.True(t, ok, "the second has no proxy yet")
	now, s := m.Find(100)
	assert.Equal(t, []any{70, align.Same}, []any{int(now), s.Kind})
	give(two, film(t, "trim=start_frame=10,setpts=PTS-STARTPTS"))
	require.NoError(t, h.Changes.Align(t.Context(), two))
	m, ok = maps().Between(one, two)
	require.True(t, ok)
	now, _ = m.Find(100)
	assert.EqualValues(t, 90, now)
	m, ok = maps().Between(one, three)
	require.True(t, ok)
	now, _ = m.Find(100)
	assert.EqualValues(t, 70, now)
	_, ok = maps().Between(three, one)
	assert.False(t, ok)

	// What was made for it is kept, and is nothing that anybody can ask for.
	_, ok, err = previews.Rows{DB: h.Store}.DerivedOf(t.Context(), two, preview.Prints, 0)
	require.NoError(t, err)
	assert.True(t, ok)
	_, _, ok = preview.Address("prints")
	assert.False(t, ok)
	pairs, err := changes.Rows{DB: h.Store}.Unaligned(t.Context(), two)
	require.NoError(t, err)
	assert.Empty(t, pairs)
	require.NoError(t, h.Changes.Align(t.Context(), "none"))
}
