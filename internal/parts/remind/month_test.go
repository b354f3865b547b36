package remind_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"aftergust/core/file/coverage"
	"aftergust/core/time/expiry"
	"aftergust/core/time/reminder"
	"aftergust/core/words/notice"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/parts/pack"
	"aftergust/internal/parts/receive"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// How often the jobs look in the simulated month.
const step = 30 * time.Minute

// A fate is what happens to one package in the month. Its end lies by day on the clock
// of all who are in it, and so do all its rungs, so that the oracle needs no rule of
// who is asleep; core/time/reminder has its own tests for that.
type fate struct {
	parcel           pack.Parcel
	lines            []pack.Line
	zone             string
	ladder           reminder.Ladder
	sent, ends       time.Time
	extended, longer time.Time // when it gets another end, and which; zero: never
	stopped          time.Time
	has, quiet       []time.Time // of each line; zero: never
	item, version    string
	size             int64
}

// due is when a line is to be reminded: so many hours before the end that holds then,
// as long as it lacks something, wants to be told, and was not written to shortly before.
func (f fate) due(line int) (all []time.Time) {
	heard := f.sent
	for now := f.sent; ; now = now.Add(step) {
		ends, since := f.ends, f.sent
		if !f.extended.IsZero() && !now.Before(f.extended) {
			ends, since = f.longer, f.extended
		}
		if !now.Before(ends) || !f.stopped.IsZero() && !now.Before(f.stopped) {
			return all
		}
		if passed(f.has[line], now) || passed(f.quiet[line], now) {
			continue
		}
		for _, hours := range f.ladder {
			at := ends.Add(-time.Duration(hours) * time.Hour)
			pause := min(12*time.Hour, time.Duration(hours)*time.Hour)
			if at.After(now.Add(-step)) && !at.After(now) && at.After(since) && at.Sub(heard) >= pause {
				all, heard = append(all, now), now
			}
		}
	}
}

// closing is when the studio is told that it ends soon, and somebody has not everything.
func (f fate) closing() (all []time.Time) {
	told := time.Time{}
	for now := f.sent; ; now = now.Add(step) {
		ends, since := f.ends, f.sent
		if !f.extended.IsZero() && !now.Before(f.extended) {
			ends, since = f.longer, f.extended
		}
		if !now.Before(ends) || !f.stopped.IsZero() && !now.Before(f.stopped) {
			return all
		}
		near := ends.Add(-48 * time.Hour)
		if told.Equal(ends) || now.Before(near) || !near.After(since) {
			continue
		}
		told = ends
		if slices.ContainsFunc(f.has, func(at time.Time) bool { return !passed(at, now) }) {
			all = append(all, now)
		}
	}
}

// passed reports whether a moment has come; the zero one never does.
func passed(at, now time.Time) bool { return !at.IsZero() && !at.After(now) }

// The clock is passed in: a month goes by in steps of half an hour, and the jobs look
// at each. Every reminder and notice that is due goes, once, and none that is not; two
// processes look at a time.
func TestAMonthOfFiveHundredPackages(t *testing.T) {
	many := 500
	if testing.Short() {
		many = 40
	}
	h := apptest.Build(t, pg)
	h.Wait(time.Until(time.Now().Truncate(step).Add(step))) // onto the grid
	begin := h.Now().Truncate(step)
	h.Wait(begin.Sub(h.Now()))
	rng := rand.New(rand.NewPCG(12, uint64(many)))
	for _, k := range notice.All.Names() {
		require.NoError(t, h.Notices.Choose(t.Context(), h.Mara, choice(k, notice.Gathered)))
	}
	fates := cast(t, h, rng, begin, many)
	for now := begin; now.Before(begin.Add(32 * 24 * time.Hour)); now = h.Now() {
		for i := range fates {
			act(t, h, &fates[i], now)
		}
		errs := make(chan error, 2)
		for range 2 {
			go func() { errs <- h.Remind.Due(t.Context()) }()
		}
		require.NoError(t, <-errs)
		require.NoError(t, <-errs)
		require.NoError(t, h.Notices.Due(t.Context()))
		h.Wait(step)
	}
	var reminders, closings int
	for i, f := range fates {
		for n, l := range f.lines {
			want := f.due(n)
			reminders += len(want)
			assert.Equal(t, stamps(want), sent(t, h, l.ID), "package %d, %s, ends %s, extended %s to %s, has %s, quiet %s, stopped %s, ladder %v", i, l.Name,
				f.ends, f.extended, f.longer, f.has[n], f.quiet[n], f.stopped, f.ladder)
		}
		closings += len(f.closing())
		assert.Equal(t, len(f.closing()), count(t, h, "select count(*) from notice where kind = 'closing' and parcel_id = $1", f.parcel.ID), "package %d", i)
		for n, l := range f.lines {
			all := 0
			if !f.has[n].IsZero() {
				all = 1
			}
			assert.Equal(t, all, count(t, h, "select count(*) from notice n join event e on e.parcel_id = n.parcel_id and e.at = n.at and e.id = n.event_id "+
				"where n.kind = 'has_all' and e.line_id = $1", l.ID), "whoever has everything is told of once")
		}
	}
	assert.Greater(t, reminders, many, "the month is busy")
	assert.Greater(t, closings, many/10)
	t.Logf("%d packages, %d reminders, %d closing notices", many, reminders, closings)
	assert.Zero(t, count(t, h, "select count(*) from notice where due_at is not null and batch is null and $1 <> ''", "x"), "no notice is forgotten")
	letters := count(t, h, "select count(*) from letter where kind = 'notices' and studio_id = $1", h.Mara.StudioID)
	batches := count(t, h, "select count(distinct batch) from notice where studio_id = $1", h.Mara.StudioID)
	assert.Equal(t, batches, letters, "each letter tells of its own")
}

// cast makes the packages, each with what will happen to it.
func cast(t *testing.T, h *apptest.House, rng *rand.Rand, begin time.Time, many int) []fate {
	t.Helper()
	zones := []string{"Europe/London", "America/New_York", "Asia/Kolkata", "Australia/Sydney"}
	ladders := []reminder.Ladder{{72, 24, 3}, {72, 24, 3}, {168, 48}, {24}, {}}
	fates := make([]fate, many)
	for i := range fates {
		f := fate{zone: zones[rng.IntN(len(zones))], ladder: ladders[rng.IntN(len(ladders))]}
		zone, err := expiry.LoadZone(f.zone)
		require.NoError(t, err)
		f.sent = begin.Add(time.Duration(rng.IntN(14*24*2)) * step)
		day := f.sent.In(zone)
		noon := func(days int) time.Time {
			return time.Date(day.Year(), day.Month(), day.Day()+days, 12+rng.IntN(5), 30*rng.IntN(2), 0, 0, zone)
		}
		f.ends = noon(1 + rng.IntN(12))
		content := fmt.Sprintf("film %d", i)
		item := h.File(h.Mara, "", fmt.Sprintf("film %d.mov", i), content)
		f.item, f.version, f.size = item.ID, item.VersionID, int64(len(content))
		f.parcel, f.lines = h.Draft(h.Mara, []string{item.ID}, fmt.Sprintf("hanne%d@kelpwick.example", i), fmt.Sprintf("tomos%d@gethin.example", i))
		_, err = h.Pack.EditPackage(t.Context(), h.Mara, f.parcel.ID, pack.Edit{Reminders: &f.ladder,
			EndRule: &expiry.Rule{Kind: expiry.AtTime, Local: expiry.Local(f.ends, zone), Zone: f.zone}})
		require.NoError(t, err)
		last := f.ends
		if rng.IntN(4) == 0 {
			f.extended = within(rng, f.sent, f.ends)
			f.longer = noon(14 + rng.IntN(3))
			last = f.longer
		}
		if rng.IntN(6) == 0 {
			f.stopped = within(rng, f.sent, last)
			if f.extended.After(f.stopped) {
				f.extended = time.Time{}
			}
		}
		until := last
		if !f.stopped.IsZero() {
			until = f.stopped
		}
		if f.extended.IsZero() && f.ends.Before(until) {
			until = f.ends
		}
		f.has, f.quiet = make([]time.Time, len(f.lines)), make([]time.Time, len(f.lines))
		for n := range f.lines {
			if rng.IntN(2) == 0 {
				f.has[n] = within(rng, f.sent, until)
			}
			if rng.IntN(8) == 0 {
				f.quiet[n] = within(rng, f.sent, until)
			}
		}
		fates[i] = f
	}
	return fates
}

// within is a step strictly between two moments, or the first where there is none.
func within(rng *rand.Rand, from, to time.Time) time.Time {
	return from.Add(time.Duration(1+rng.Int64N(max(int64(to.Sub(from)/step)-1, 1))) * step)
}

// act does what is due to happen to a package now.
func act(t *testing.T, h *apptest.House, f *fate, now time.Time) {
	t.Helper()
	ctx := t.Context()
	if f.sent.Equal(now) {
		require.NoError(t, h.Pack.Send(ctx, h.Mara, f.parcel.ID))
	}
	if !f.extended.IsZero() && f.extended.Equal(now) {
		zone, _ := expiry.LoadZone(f.zone)
		rule := expiry.Rule{Kind: expiry.AtTime, Local: expiry.Local(f.longer, zone), Zone: f.zone}
		require.NoError(t, h.Pack.Extend(ctx, h.Mara, f.parcel.ID, rule))
	}
	for n, l := range f.lines {
		if f.has[n].Equal(now) {
			d := receive.Delivery{Studio: h.Mara.StudioID, Parcel: f.parcel.ID, Line: l.ID, Way: l.WayID, Version: f.version, Size: f.size}
			h.Receive.Recorder.Delivered(d, coverage.Range{End: f.size})
			require.NoError(t, h.Receive.Recorder.Flush(ctx))
		}
		if f.quiet[n].Equal(now) {
			require.NoError(t, h.Receive.Quiet(ctx, h.Enter(l, "")))
		}
	}
	if f.stopped.Equal(now) {
		require.NoError(t, h.Pack.Stop(ctx, h.Mara, f.parcel.ID))
	}
}

func stamps(all []time.Time) []string {
	out := []string{}
	for _, at := range all {
		out = append(out, at.UTC().Format(time.DateTime))
	}
	return out
}

// sent is when reminders to a line were posted.
func sent(t *testing.T, h *apptest.House, line string) []string {
	t.Helper()
	rows, err := h.Store.Pool().Query(context.Background(), "select created_at from letter where line_id = $1 and kind = 'reminder' order by created_at", line)
	require.NoError(t, err)
	defer rows.Close()
	var all []time.Time
	for rows.Next() {
		var at time.Time
		require.NoError(t, rows.Scan(&at))
		all = append(all, at)
	}
	return stamps(all)
}

func count(t *testing.T, h *apptest.House, sql, id string) (n int) {
	t.Helper()
	require.NoError(t, h.Store.Pool().QueryRow(context.Background(), sql, id).Scan(&n))
	return n
}
