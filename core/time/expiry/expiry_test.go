package expiry_test

import (
	"os/exec"
	"strconv"
	"strings"
	"testing"
	"time"

	"aftergust/core/link/state"
	. "aftergust/core/time/expiry"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var sent = time.Date(2026, 11, 25, 10, 6, 0, 0, time.UTC)

func TestAStateFollowsFromTheMoments(t *testing.T) {
	ends := sent.Add(7 * 24 * time.Hour)
	out := Moments{Sent: sent, Ends: ends}
	for _, c := range []struct {
		m    Moments
		now  time.Time
		want state.State
	}{
		{Moments{}, sent, state.Draft},
		{Moments{Stopped: sent}, sent, state.Draft},
		{out, sent, state.Out},
		{out, ends.Add(-48 * time.Hour), state.Out},
		{out, ends.Add(-48*time.Hour + 1), state.Closing},
		{out, ends.Add(-1), state.Closing},
		{out, ends, state.Closed},
		{Moments{Sent: sent, Ends: ends, Stopped: sent.Add(time.Hour)}, sent.Add(time.Hour), state.Closed},
		{Moments{Sent: sent, Ends: ends, Cleared: ends.Add(time.Hour)}, ends.Add(2 * time.Hour), state.Cleared},
		{Moments{Sent: sent}, ends.AddDate(5, 0, 0), state.Out},
	} {
		assert.Equal(t, c.want, c.m.At(c.now))
	}
	assert.True(t, state.Closing.Open())
	assert.False(t, state.Closed.Open())
}

func TestDaysAreCountedOnTheWallClock(t *testing.T) {
	before := time.Date(2026, 3, 27, 17, 30, 0, 0, time.UTC) // two days before London's clocks go forward
	end, err := Rule{Kind: AfterDays, Days: 3, Zone: "Europe/London"}.Resolve(before)
	require.NoError(t, err)
	assert.Equal(t, "2026-03-30T16:30:00Z", end.UTC().Format(time.RFC3339))
}

// Source: IANA time zone database. 2026-03-29 01:30 does not exist in London,
// 2026-11-01 01:30 comes twice in New York.
func TestHoursThatAreSkippedOrRepeated(t *testing.T) {
	_, err := Rule{Kind: AtTime, Local: "2026-03-29T01:30", Zone: "Europe/London"}.Resolve(sent.AddDate(-1, 0, 0))
	require.ErrorIs(t, err, ErrSkipped)
	assert.ErrorContains(t, err, "the clocks in Europe/London jump over 01:30")
	twice, err := Rule{Kind: AtTime, Local: "2026-11-01T01:30", Zone: "America/New_York"}.Resolve(sent.AddDate(0, -2, 0))
	require.NoError(t, err)
	assert.Equal(t, "2026-11-01T06:30:00Z", twice.UTC().Format(time.RFC3339), "the later of the two")
}

func TestAZoneThatIsNotKnownIsUTC(t *testing.T) {
	assert.Equal(t, "Asia/Kathmandu", ZoneOr("Asia/Kathmandu").String())
	for _, name := range []string{"", "Local", "Low/Tide", "../../etc/passwd"} {
		assert.Equal(t, time.UTC, ZoneOr(name), name)
	}
}

// Source: the date program of GNU coreutils with TZ set.
func TestLocalTimesAgreeWithDate(t *testing.T) {
	for _, zone := range []string{"Europe/London", "America/New_York", "Asia/Kathmandu", "Australia/Lord_Howe", "Pacific/Apia",
		"America/St_Johns"} {
		for _, local := range []string{"2026-12-04T18:00", "2026-07-01T00:00", "2027-02-28T23:59", "2026-10-04T12:00"} {
			location, err := LoadZone(zone)
			require.NoError(t, err)
			got, err := InZone(local, location)
			require.NoError(t, err)
			cmd := exec.Command("date", "-d", local, "+%s")
			cmd.Env = append(cmd.Environ(), "TZ="+zone)
			out, err := cmd.Output()
			require.NoError(t, err)
			want, err := strconv.ParseInt(strings.TrimSpace(string(out)), 10, 64)
			require.NoError(t, err)
			assert.Equal(t, want, got.Unix(), "%s %s", zone, local)
		}
	}
}

func TestBadRulesSayWhatToDo(t *testing.T) {
	for _, c := range []struct {
		rule Rule
		want error
	}{
		{Rule{Kind: AtTime, Local: "2026-11-25T10:00", Zone: "Europe/London"}, ErrPast},
		{Rule{Kind: AtTime, Local: "next week", Zone: "Europe/London"}, ErrRule},
		{Rule{Kind: AtTime, Local: "2029-01-01T00:00", Zone: "Europe/London"}, ErrRule},
		{Rule{Kind: AfterDays, Days: 0, Zone: "Europe/London"}, ErrRule},
		{Rule{Kind: AfterDays, Days: 366, Zone: "Europe/London"}, ErrRule},
		{Rule{Kind: AfterDays, Days: 3, Zone: "Europe/Kelpwick"}, ErrZone},
		{Rule{Kind: AfterDays, Days: 3}, ErrZone},
		{Rule{Zone: "Europe/London"}, ErrRule},
	} {
		_, err := c.rule.Resolve(sent)
		assert.ErrorIs(t, err, c.want, "%+v", c.rule)
	}
}

func TestTheTimeLeftIsWordedAndRoundedDown(t *testing.T) {
	for left, want := range map[time.Duration]string{
		0: "ended", -time.Hour: "ended", 30 * time.Second: "less than a minute", 4*time.Minute + 59*time.Second: "4 min",
		time.Hour: "1 h", 3*time.Hour + 20*time.Minute: "3 h 20 min", 24 * time.Hour: "1 d", 31 * time.Hour: "1 d 7 h",
		12*24*time.Hour + 23*time.Hour: "12 days",
	} {
		assert.Equal(t, want, Left(sent, sent.Add(left)))
	}
	london, err := LoadZone("Europe/London")
	require.NoError(t, err)
	at := time.Date(2026, 12, 4, 18, 0, 0, 0, london)
	assert.Equal(t, "Fri 4 Dec, 18:00", Short(at, london))
	assert.Equal(t, "Friday 4 December 2026, 18:00 (Europe/London)", Long(at, london))
	york, err := LoadZone("America/New_York")
	require.NoError(t, err)
	assert.Equal(t, "New York", City(york))
}

func TestAnEndLiesFromOneToThreeHundredAndSixtyFiveDaysAhead(t *testing.T) {
	for days, good := range map[int]bool{-1: false, 0: false, 1: true, 365: true, 366: false} {
		ends, err := Rule{Kind: AfterDays, Days: days, Zone: "UTC"}.Resolve(sent)
		if !good {
			assert.ErrorIs(t, err, ErrRule, days)
			continue
		}
		require.NoError(t, err, days)
		assert.Equal(t, sent.AddDate(0, 0, days), ends.UTC())
	}
	for local, want := range map[string]error{
		"2026-11-25T10:06": ErrPast, // the very moment of sending
		"2026-11-25T10:07": nil,
		"2027-11-25T10:06": nil, // 365 days to the minute
		"2027-11-25T10:07": ErrRule,
	} {
		_, err := Rule{Kind: AtTime, Local: local, Zone: "UTC"}.Resolve(sent)
		assert.ErrorIs(t, err, want, local)
	}
}

func TestAZoneIsOneOfTheDatabase(t *testing.T) {
	for _, name := range []string{"", "Local", "Europe/Kelpwick", "../etc/passwd", "/etc/localtime"} {
		_, err := LoadZone(name)
		assert.ErrorIs(t, err, ErrZone, name)
	}
	for _, name := range []string{"UTC", "Europe/London", "America/New_York"} {
		zone, err := LoadZone(name)
		require.NoError(t, err)
		assert.Equal(t, name, zone.String())
	}
}

func TestHoldsAreAsLongAsThePeopleAreTold(t *testing.T) {
	const day = 24 * time.Hour
	assert.Equal(t, []time.Duration{14 * day, 30 * day, 7 * day, 30 * day, time.Hour, 8 * day, day, 7 * day, 730 * day},
		[]time.Duration{HoldAfterEnd, LetGoHold, AbandonedUpload, UploadRecord, ClearingGrace, LeftBehind, LeftWork, ChosenHold, ViewingRecord})
}

func TestAnEndThatWaitsNamesTheLatestAndIsReachedByWhatPeopleDo(t *testing.T) {
	sent := time.Date(2026, 11, 25, 9, 30, 0, 0, time.UTC)
	rule := func(kind Kind, days, people, hold int) Rule {
		return Rule{Kind: kind, Days: days, People: people, Hold: hold, Latest: 30, Zone: "Europe/London"}
	}
	at := func(hours int) time.Time { return sent.Add(time.Duration(hours) * time.Hour) }
	for _, r := range []Rule{rule(OnceOpened, 3, 0, 0), rule(AllHave, 0, 0, 24), rule(SomeHave, 0, 2, 1)} {
		ends, err := r.Resolve(sent)
		require.NoError(t, err)
		assert.Equal(t, at(30*24), ends.UTC(), r.Kind)
		_, reached := r.Reached(Progress{Have: []time.Time{{}, {}}})
		assert.False(t, reached, r.Kind)
	}
	for _, c := range []struct {
		rule Rule
		p    Progress
		want time.Time
	}{
		{rule(OnceOpened, 3, 0, 0), Progress{Opened: at(5)}, at(5 + 72)},
		{rule(AllHave, 0, 0, 24), Progress{Have: []time.Time{at(9), at(7)}}, at(9 + 24)},
		{rule(AllHave, 0, 0, 24), Progress{Have: []time.Time{at(9), {}}}, time.Time{}},
		{rule(AllHave, 0, 0, 24), Progress{}, time.Time{}}, // nobody may download: there is nothing to wait for
		{rule(SomeHave, 0, 2, 0), Progress{Have: []time.Time{at(9), {}, at(7), at(30)}}, at(9)},
		{rule(SomeHave, 0, 1, 1), Progress{Have: []time.Time{at(9), at(7)}}, at(8)},
		{rule(AfterDays, 3, 0, 0), Progress{Opened: at(1), Have: []time.Time{at(2)}}, time.Time{}},
	} {
		ends, reached := c.rule.Reached(c.p)
		assert.Equal(t, !c.want.IsZero(), reached, "%+v %+v", c.rule, c.p)
		assert.True(t, c.want.Equal(ends), "%+v: %s", c.rule, ends)
	}
	// Source: IANA tz: clocks in London go back on 25 October 2026; a day has 25 hours there.
	opened := time.Date(2026, 10, 24, 11, 0, 0, 0, time.UTC)
	ends, _ := rule(OnceOpened, 1, 0, 0).Reached(Progress{Opened: opened})
	assert.Equal(t, 25*time.Hour, ends.Sub(opened))

	for what, r := range map[string]Rule{"from 1 to 365 days after": rule(OnceOpened, 0, 0, 0), "how many people": rule(SomeHave, 0, 0, 0),
		"0 to 720 hours": rule(AllHave, 0, 0, 721), "at the latest": {Kind: AllHave, Zone: "Europe/London"}} {
		_, err := r.Resolve(sent)
		require.ErrorIs(t, err, ErrRule, what)
		assert.ErrorContains(t, err, what)
	}
	for want, r := range map[string]Rule{"": rule(AfterDays, 1, 0, 0), "1 day after it is first opened": rule(OnceOpened, 1, 0, 0),
		"when everybody has everything": rule(AllHave, 0, 0, 0), "when 2 people have everything, and 1 h more": rule(SomeHave, 0, 2, 1),
		"when 1 person has everything": rule(SomeHave, 0, 1, 0)} {
		assert.Equal(t, want, r.When())
		assert.Equal(t, want != "", r.Waits())
	}
	_, reached := Rule{Kind: OnceOpened, Days: 1, Zone: "Mars/Olympus"}.Reached(Progress{Opened: sent})
	assert.False(t, reached)
}
