package review_test

import (
	"testing"
	"time"

	"aftergust/internal/dev/apptest"
	reviewing "aftergust/internal/parts/review"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestWhoSitsInARoomAndWhoLeads(t *testing.T) {
	s := sit(t)
	say := func(p reviewing.Party, leads bool, at int64) []reviewing.Seat {
		all, err := s.Sittings.Sit(t.Context(), p, s.content, reviewing.Seat{Leads: leads, AtUS: at, Plays: true, Speed: 1, ClockMS: 5})
		require.NoError(t, err)
		return all
	}
	leads := func(all []reviewing.Seat) (who []string) {
		for _, one := range all {
			if one.Leads {
				who = append(who, one.Name)
			}
		}
		return who
	}
	assert.Len(t, say(s.marit, false, 0), 1)
	all := say(s.hanne, true, 40_000)
	require.Len(t, all, 2)
	assert.Equal(t, []string{s.lines[0].Name}, leads(all))
	assert.Equal(t, []string{s.Mara.Name}, leads(say(s.marit, true, 80_000)), "of two who lead the last one does")
	assert.Len(t, say(s.tove, false, 0), 3, "who only looks sits there too")
	for _, p := range []reviewing.Party{s.hanne, s.marit} {
		seats, err := s.Sittings.Look(t.Context(), p, s.content)
		require.NoError(t, err)
		assert.Len(t, seats, 3)
	}
	require.NoError(t, s.Sittings.Leave(t.Context(), s.marit, s.content))
	seats, err := s.Sittings.Look(t.Context(), s.hanne, s.content)
	require.NoError(t, err)
	assert.Empty(t, leads(seats))
	s.Wait(26 * time.Second)
	assert.Len(t, say(s.hanne, false, 0), 1, "who says nothing any more has gone")

	_, err = s.Sittings.Sit(t.Context(), reviewing.Studio(s.Odd), s.content, reviewing.Seat{})
	assert.Equal(t, "not_found", apptest.Code(t, err))
	require.NoError(t, s.Pack.Stop(t.Context(), s.Mara, s.parcel.ID))
	_, err = s.Sittings.Sit(t.Context(), reviewing.Guest(s.Enter(s.lines[0], "1")), s.content, reviewing.Seat{})
	assert.Equal(t, "stopped", apptest.Code(t, err))
}
