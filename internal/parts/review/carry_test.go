package review_test

import (
	"testing"
	"time"

	"aftergust/core/media/align"
	"aftergust/core/media/piece"
	"aftergust/core/notes/review"
	"aftergust/core/time/timecode"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/parts/changes"
	reviewing "aftergust/internal/parts/review"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// films makes a film of each version of the item, of so many frames at 25.
func (s *table) films(t *testing.T, frames ...int64) (versions []string) {
	t.Helper()
	for i := range frames {
		if i > 0 {
			s.Wait(time.Hour)
			s.Again(s.Mara, s.item, "cut.mov", "again")
		}
	}
	r := s.room(t, s.marit)
	require.Len(t, r.Versions, len(frames))
	for i, v := range r.Versions {
		facts := piece.Facts{LengthUS: frames[i] * 40_000, Frames: frames[i], RateNum: 25, RateDen: 1}
		_, err := s.Store.Pool().Exec(t.Context(), "update version set facts = $2, kind = 'film' where id = $1", v.ID, facts)
		require.NoError(t, err)
		versions = append(versions, v.ID)
	}
	return versions
}

func at(frame int64) review.Anchor {
	return review.Anchor{When: review.Moment, At: timecode.Micros(frame * 40_000)}
}

func TestOpenNotesAreCarriedToWhereTheirPictureWent(t *testing.T) {
	s := sit(t)
	v := s.films(t, 500, 550, 540)
	n := s.write(t, s.hanne, reviewing.Draft{Version: v[0], Anchor: at(200), Body: "The flag."})
	later := s.write(t, s.hanne, reviewing.Draft{Version: v[0], Anchor: at(300), Body: "Longer."})
	own := s.write(t, s.marit, reviewing.Draft{Anchor: at(10), Body: "On the newest."})
	carried := func(version string) map[string]review.Carried {
		r, err := s.Review.Room(t.Context(), s.hanne, s.content, version)
		require.NoError(t, err)
		out := map[string]review.Carried{}
		for _, one := range r.Notes {
			out[one.ID] = one.Carried
		}
		return out
	}
	assert.Equal(t, review.Assumed, carried("")[n.ID].How, "nothing was compared")
	assert.EqualValues(t, 200, carried("")[n.ID].Place.Frame)
	assert.Equal(t, review.AtHome, carried("")[own.ID].How)

	same := func(from, to, old, oldEnd timecode.Frame) align.Stretch {
		return align.Stretch{Kind: align.Same, From: from, To: to, Old: old, OldEnd: oldEnd}
	}
	put := func(older, newer string, frames, oldFrames timecode.Frame, all ...align.Stretch) {
		require.NoError(t, changes.Rows{DB: s.Store}.PutAlignment(t.Context(), changes.Alignment{Older: older, Newer: newer,
			Map: align.Map{Frames: frames, OldFrames: oldFrames, Stretches: all}}, s.Now()))
	}
	put(v[0], v[1], 550, 500, same(0, 100, 0, 100), align.Stretch{Kind: align.New, From: 100, To: 150, Old: 100,
		OldEnd: 100}, same(150, 550, 100, 500))
	put(v[1], v[2], 540, 550, align.Stretch{Kind: align.Gone, OldEnd: 10}, same(0, 540, 10, 550))
	assert.EqualValues(t, 250, carried(v[1])[n.ID].Place.Frame)
	assert.EqualValues(t, 240, carried("")[n.ID].Place.Frame, "by way of the second")
	assert.Equal(t, "carried, 1 s 15 f later", carried("")[n.ID].Says)
	assert.Equal(t, review.AtHome, carried(v[0])[n.ID].How, "on its own version nothing is carried")
	r := s.room(t, s.hanne)
	require.NotNil(t, r.Changed)
	assert.Equal(t, v[1], r.Before)

	lay := func(p reviewing.Party, id, version string, frame int64, onwards bool) string {
		return apptest.Code(t, s.Review.Lay(t.Context(), p, id, version, timecode.Micros(frame*40_000), onwards))
	}
	assert.Empty(t, lay(s.hanne, n.ID, v[2], 245, false))
	assert.Equal(t, []any{review.ByHand, timecode.Frame(245)}, []any{carried("")[n.ID].How, carried("")[n.ID].Place.Frame})
	assert.EqualValues(t, 340, carried("")[later.ID].Place.Frame)
	assert.EqualValues(t, 250, carried(v[1])[n.ID].Place.Frame, "on the other version it lies as before")
	assert.Empty(t, lay(s.marit, n.ID, v[2], 230, true))
	assert.EqualValues(t, 230, carried("")[n.ID].Place.Frame)
	assert.EqualValues(t, 325, carried("")[later.ID].Place.Frame, "what lies behind it moved by as much")
	assert.EqualValues(t, 200, s.room(t, s.marit).Notes[0].Place.Frame, "the note still says where it comes from")

	assert.Equal(t, "invalid", lay(s.hanne, n.ID, v[2], 9999, false))
	assert.Equal(t, "not_carried", lay(s.hanne, n.ID, v[0], 5, false))
	assert.Equal(t, "not_carried", lay(s.hanne, own.ID, v[2], 5, false))
	assert.Equal(t, "no_right", lay(s.tove, n.ID, v[2], 5, false))
	assert.Equal(t, "not_found", lay(reviewing.Studio(s.Odd), n.ID, v[2], 5, false))
	assert.Equal(t, "version_gone", lay(s.hanne, n.ID, "none", 5, false))
}
