package reminder_test

import (
	"testing"
	"time"

	"aftergust/core/link/throttle"
	. "aftergust/core/time/reminder"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func zone(t require.TestingT, name string) *time.Location {
	z, err := time.LoadLocation(name)
	require.NoError(t, err)
	return z
}

func at(t *testing.T, zoned *time.Location, local string) time.Time {
	t.Helper()
	moment, err := time.ParseInLocation("2006-01-02 15:04", local, zoned)
	require.NoError(t, err)
	return moment
}

func TestALadderIsPutInOrderAndSaid(t *testing.T) {
	for _, c := range []struct {
		given, want Ladder
		says        string
	}{
		{Ladder{3, 72, 24, 72}, Ladder{72, 24, 3}, "3 days, 1 day and 3 hours before the end"},
		{Ladder{1}, Ladder{1}, "1 hour before the end"},
		{Ladder{720, 36}, Ladder{720, 36}, "30 days and 36 hours before the end"},
		{nil, Ladder{}, "by nobody but you"},
	} {
		got, err := c.given.Clean()
		require.NoError(t, err)
		assert.Equal(t, c.want, got)
		assert.Equal(t, c.says, got.Say())
	}
	for _, wrong := range []Ladder{{0}, {721}, {-3}, {1, 2, 3, 4, 5, 6, 7}} {
		_, err := wrong.Clean()
		assert.ErrorIs(t, err, ErrLadder, wrong)
	}
	six, err := Ladder{1, 2, 3, 4, 5, 6, 6}.Clean()
	require.NoError(t, err)
	assert.Len(t, six, 6)
}

// The zones are those of the IANA database; the offsets beside the cases are from it.
func TestARungGoesWhenPeopleAreAwakeOnTheirOwnClock(t *testing.T) {
	london, kolkata, auckland := zone(t, "Europe/London"), zone(t, "Asia/Kolkata"), zone(t, "Pacific/Auckland")
	for what, c := range map[string]struct {
		ends  time.Time
		zone  *time.Location
		hours int
		want  string // on the clock of the zone
	}{
		"by day it goes at its hour":                       {at(t, london, "2026-12-04 18:00"), london, 24, "2026-12-03 18:00"},
		"at eight people are up":                           {at(t, london, "2026-12-04 08:00"), london, 24, "2026-12-03 08:00"},
		"at night it waits for the morning":                {at(t, london, "2026-12-04 23:30"), london, 24, "2026-12-04 08:00"},
		"a morning too near the end is the evening before": {at(t, london, "2026-12-04 09:00"), london, 3, "2026-12-03 20:00"},
		"a late end is told of in the evening":             {at(t, london, "2026-12-05 00:10"), london, 3, "2026-12-04 20:00"},
		"18:00 in London is 23:30 in Kolkata (+5:30)":      {at(t, london, "2026-12-04 18:00"), kolkata, 24, "2026-12-04 08:00"},
		"and 07:00 in Auckland (+13)":                      {at(t, london, "2026-12-04 18:00"), auckland, 24, "2026-12-04 08:00"},
		"three hours before is 04:00 in Auckland":          {at(t, london, "2026-12-04 18:00"), auckland, 3, "2026-12-04 20:00"},
		"the day the clocks go back has 25 hours":          {at(t, london, "2026-10-25 12:00"), london, 24, "2026-10-24 13:00"},
	} {
		next, ok := Ladder{c.hours}.Next(Case{Ends: c.ends, Zone: c.zone}, c.ends.Add(-60*24*time.Hour))
		require.True(t, ok, what)
		assert.Equal(t, c.want, next.In(c.zone).Format("2006-01-02 15:04"), what)
	}
}

func TestARungThatHasPassedIsSentOnceAndLateOnlyWhereItHelps(t *testing.T) {
	london := zone(t, "Europe/London")
	ends := at(t, london, "2026-12-04 18:00")
	before := func(hours float64) time.Time { return ends.Add(-time.Duration(hours * float64(time.Hour))) }
	ladder, never := Standard(), time.Time{}
	for what, c := range map[string]struct {
		since, heard, now time.Time
		want              time.Time // zero: none
	}{
		"sent a week before, three days before it":      {before(170), before(170), before(170), before(72)},
		"its moment has come":                           {before(170), before(170), before(72), before(72)},
		"we were away for a while":                      {before(170), before(170), before(57), before(72)},
		"it has gone":                                   {before(170), before(72), before(71), before(24)},
		"reminded by hand an hour before it":            {before(170), before(73), before(72), before(24)},
		"reminded by hand half a day before it":         {before(170), before(84), before(72), before(72)},
		"sent a day and six hours before":               {before(30), before(30), before(30), before(3)},
		"asleep for two, one letter":                    {before(170), before(170), before(8), before(24)},
		"the last one has gone":                         {before(170), before(3), before(2), never},
		"extended: what passed before is not made up":   {before(20), before(200), before(20), before(3)},
		"after the end there is nothing":                {before(170), before(170), ends.Add(time.Minute), never},
		"the last one is late, and it still helps":      {before(170), before(24), before(1), before(3)},
		"at night the one that is owed waits till dawn": {before(170), before(170), before(36), at(t, london, "2026-12-03 08:00")},
	} {
		next, ok := ladder.Next(Case{Ends: ends, Since: c.since, Heard: c.heard, Zone: london}, c.now)
		assert.Equal(t, !c.want.IsZero(), ok, what)
		assert.True(t, next.Equal(c.want), "%s: %s, not %s", what, next, c.want)
	}
	_, ok := Ladder{}.Next(Case{Ends: ends, Zone: london}, before(100))
	assert.False(t, ok, "nobody is reminded without a ladder")
}

// Whatever the ladder, the clock and the end: walked through minute by minute, nobody is
// written to asleep, after the end, twice for a rung, or sooner than the pause.
func TestNobodyIsEverWrittenToAsleepOrTooOften(t *testing.T) {
	zones := []string{"Europe/London", "America/St_Johns", "Asia/Kathmandu", "Pacific/Auckland", "America/Los_Angeles"}
	rapid.Check(t, func(t *rapid.T) {
		where := zone(t, rapid.SampledFrom(zones).Draw(t, "zone"))
		ladder, err := Ladder(rapid.SliceOfN(rapid.IntRange(1, 200), 1, 6).Draw(t, "ladder")).Clean()
		require.NoError(t, err)
		ends := time.Date(2026, 10, 20, 0, rapid.IntRange(0, 20*24*60).Draw(t, "minute"), 0, 0, time.UTC)
		sent := ends.Add(-time.Duration(rapid.IntRange(1, 250).Draw(t, "out")) * time.Hour)
		c := Case{Ends: ends, Since: sent, Heard: sent, Zone: where}
		var gone []time.Time
		for now := sent; now.Before(ends); {
			next, ok := ladder.Next(c, now)
			if !ok {
				break
			}
			if next.After(now) {
				look := Look(next, now)
				require.True(t, look.After(now) && !look.After(next))
				now = look
				continue
			}
			require.Equal(t, now, Awake(now, where, false), "they sleep")
			require.GreaterOrEqual(t, now.Sub(c.Heard), min(throttle.RemindPause, time.Duration(ladder[len(ladder)-1])*time.Hour))
			c.Heard, gone = now, append(gone, now)
		}
		require.LessOrEqual(t, len(gone), len(ladder))
	})
}
