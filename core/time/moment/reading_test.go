package moment_test

import (
	"testing"
	"time"

	"aftergust/core/time/expiry"
	"aftergust/core/time/moment"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Source of the zones: GNU date with TZ set, `TZ=America/New_York date -d '2026-12-03 18:00 UTC'`.
func TestAReadingSaysTheMomentOnEveryClock(t *testing.T) {
	got, err := moment.Understand("3 dec", 0, "18:00", "Europe/London", []string{"America/New_York", "Asia/Kolkata"}, now)
	require.NoError(t, err)
	assert.Equal(t, moment.Reading{Local: "2026-12-03T18:00", Zone: "Europe/London", At: got.At, Says: "Thu 3 Dec 2026, 18:00, London",
		Wall: "Thu 3 Dec 2026, 18:00", Left: "7 days",
		Clocks: []moment.Clock{{Zone: "America/New_York", Says: "Thu 3 Dec 2026, 13:00, New York"}, {Zone: "Asia/Kolkata", Says: "Thu 3 Dec 2026, 23:30, Kolkata"}}}, got)
	assert.Equal(t, time.Date(2026, 12, 3, 18, 0, 0, 0, time.UTC), got.At.UTC())

	got, err = moment.Understand("", 7, "", "Europe/London", nil, now)
	require.NoError(t, err)
	assert.Equal(t, "Thu 3 Dec 2026, 14:30, London", got.Says, "so many days keep the hour")
	assert.Empty(t, got.Clocks)
}

// Source: the IANA time zone database: London goes from 02:00 back to 01:00 on 25 October 2026, and from
// 01:00 on to 02:00 on 28 March 2027.
func TestAnHourThatIsTwiceOrNeverIsExplained(t *testing.T) {
	before := time.Date(2026, 10, 24, 12, 0, 0, 0, time.UTC)
	got, err := moment.Understand("25 oct 1:30", 0, "18:00", "Europe/London", nil, before)
	require.NoError(t, err)
	assert.Equal(t, "On that day the clocks in London show 01:30 twice; the later one is meant.", got.Twice)
	assert.Equal(t, time.Date(2026, 10, 25, 1, 30, 0, 0, time.UTC), got.At.UTC())
	for _, once := range []string{"25 oct 0:59", "25 oct 2:00"} {
		got, err = moment.Understand(once, 0, "18:00", "Europe/London", nil, before)
		require.NoError(t, err)
		assert.Empty(t, got.Twice, once)
	}
	_, err = moment.Understand("28 mar 2027 1:30", 0, "18:00", "Europe/London", nil, before)
	require.ErrorIs(t, err, expiry.ErrSkipped)
	assert.Contains(t, err.Error(), "the clocks in Europe/London jump over 01:30")
}

func TestWhatCannotBeMeantIsRefused(t *testing.T) {
	for text, want := range map[string]error{"25 nov 2026": expiry.ErrPast, "14:30": nil, "today 14:30": expiry.ErrPast, "in 366 days 18": expiry.ErrRule,
		"in 365 days 14:30": nil, "soon": moment.ErrUnclear, "": moment.ErrUnclear} {
		_, err := moment.Understand(text, 0, "18:00", "Europe/London", nil, now)
		assert.ErrorIs(t, err, want, text)
	}
	_, err := moment.Understand("fri", 0, "18:00", "Kelpwick", nil, now)
	require.ErrorIs(t, err, expiry.ErrZone)
	_, err = moment.Understand("fri", 0, "18:00", "Europe/London", []string{"Local"}, now)
	require.ErrorIs(t, err, expiry.ErrZone)
	_, err = moment.Understand("", 366, "", "Europe/London", nil, now)
	require.ErrorIs(t, err, expiry.ErrRule)
}
