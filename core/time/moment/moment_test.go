package moment_test

import (
	"strings"
	"testing"
	"time"

	"aftergust/core/time/moment"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// A Thursday afternoon. Source: GNU date, `date -d 2026-11-26 +%a`.
var now = time.Date(2026, 11, 26, 14, 30, 0, 0, time.UTC)

func TestWhatIsTypedIsOneDayAndHour(t *testing.T) {
	// Source of the weekdays: GNU date, `date -d 'next friday' +%F` and the like from that day.
	for text, want := range map[string]string{
		"fri 18": "2026-11-27T18:00", "Friday, 9": "2026-11-27T09:00", "next friday at 18:00": "2026-11-27T18:00",
		"thu 18": "2026-11-26T18:00", "thu 12": "2026-12-03T12:00", "tues": "2026-12-01T18:00", "su 0:05": "2026-11-29T00:05",
		"in 9 days": "2026-12-05T18:00", "in 9d": "2026-12-05T18:00", "in a week": "2026-12-03T18:00", "in 2 weeks 9": "2026-12-10T09:00",
		"in 3 months": "2027-02-26T18:00", "in 36 hours": "2026-11-28T02:30", "in 36h": "2026-11-28T02:30", "in 45 min": "2026-11-26T15:15",
		"in 0 days 23": "2026-11-26T23:00",
		"3 dec 18:00":  "2026-12-03T18:00", "dec 3": "2026-12-03T18:00", "3rd of December, 6pm": "2026-12-03T18:00", "26 nov 20": "2026-11-26T20:00",
		"25 nov": "2027-11-25T18:00", "29 feb 2028": "2028-02-29T18:00", "sept 1 9.30": "2027-09-01T09:30", "3 dec 2026 12:01": "2026-12-03T12:01",
		"2026-12-03": "2026-12-03T18:00", "2026-12-03T07:05": "2026-12-03T07:05", "2026-12-03 7:05": "2026-12-03T07:05",
		"today 18": "2026-11-26T18:00", "tonight": "2026-11-26T20:00", "tomorrow": "2026-11-27T18:00", "tomorrow noon": "2026-11-27T12:00",
		"18": "2026-11-26T18:00", "9": "2026-11-27T09:00", "14:30": "2026-11-27T14:30", "14:31": "2026-11-26T14:31",
		"12am": "2026-11-27T00:00", "12 pm": "2026-11-27T12:00", "fri midnight": "2026-11-28T00:00", "next week": "2026-12-03T18:00",
		"23:59": "2026-11-26T23:59", "31 dec 23h": "2026-12-31T23:00",
	} {
		got, err := moment.Read(text, now, "18:00")
		require.NoError(t, err, text)
		assert.Equal(t, want, got, text)
	}
}

func TestWhatIsUnclearSaysWhatToWrite(t *testing.T) {
	for text, say := range map[string]string{
		"": "write when", "3/12": "two ways", "03.12.2026": "two ways", "3/12/2026 18": "two ways", "soon": `"soon" is not understood`,
		"fri sat": "two days", "18 19": "two hours", "in": "in how long", "in many days": "not a number", "in 3 moons": "of what",
		"in 3651 days": "up to ten years", "in 119 months": "up to ten years", "30 feb": "has no day 30", "dec": "not understood", "dec x": "which day",
		"24": "0:00 to 23:59", "fri 18:60": "0:00 to 23:59", "fri 18:6": "not an hour", "13 pm": "6 pm or 18:00", "2026-12-03T25:00": "not an hour",
		"midnight 18": "two hours", "f": "not understood", "fri 18 please": `"please"`,
	} {
		_, err := moment.Read(text, now, "18:00")
		require.ErrorIs(t, err, moment.ErrUnclear, text)
		assert.Contains(t, err.Error(), say, text)
	}
	_, err := moment.Read("fri", now, "evening")
	assert.ErrorIs(t, err, moment.ErrUnclear, "no hour is made up")
}

func TestNoHourIsReadAsPastUnlessItsDayIsNamed(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		at := now.Add(time.Duration(rapid.IntRange(0, 400*24*60).Draw(t, "minutes")) * time.Minute)
		text := rapid.SampledFrom([]string{"mon", "tue 7", "sun 23:59", "0:00", "9", "18", "in 1 day", "1 jan", "29 nov 6am", "noon", "midnight"}).Draw(t, "text")
		got, err := moment.Read(text, at, "18:00")
		if err != nil {
			t.Fatal(err)
		}
		read, err := time.Parse(moment.Layout, got)
		if err != nil {
			t.Fatal(err)
		}
		named := strings.Contains(text, "jan") || strings.Contains(text, "nov") // today's date at an hour that has passed is what it says
		if !read.After(at.Add(-time.Minute)) && !(named && read.Format(time.DateOnly) == at.Format(time.DateOnly)) {
			t.Fatalf("%q at %s is %s", text, at.Format("Mon 2 Jan 15:04"), got)
		}
	})
}

func TestItIsReadOnTheClockOfTheZone(t *testing.T) {
	zone, err := time.LoadLocation("Pacific/Auckland")
	require.NoError(t, err)
	got, err := moment.Read("today 23", now.In(zone), "18:00") // 03:30 of the next day there
	require.NoError(t, err)
	assert.Equal(t, "2026-11-27T23:00", got)
}

func FuzzNothingTypedBreaksIt(f *testing.F) {
	for _, text := range []string{"fri 18", "in 9 days", "3 dec", "in 99999999999999999999 days", "\x00", "tt", "2026-12-03t"} {
		f.Add(text)
	}
	f.Fuzz(func(t *testing.T, text string) {
		if got, err := moment.Read(text, now, "18:00"); err == nil {
			_, err = time.Parse(moment.Layout, got)
			require.NoError(t, err, text)
		}
	})
}
