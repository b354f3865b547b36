package web

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net/http/httptest"
	"testing"
	"time"

	"aftergust/core/link/access"
	"aftergust/core/link/right"
	"aftergust/internal/ground"
	"aftergust/internal/ground/wire"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A gate says for each line whether it is still open.
type gate struct {
	reasons map[string]access.Reason // by line
	ends    time.Time
	down    error
	asked   int
}

func (g *gate) StillOpen(_ context.Context, all []wire.Running) ([]access.Reason, []time.Time, error) {
	g.asked++
	reasons, ends := make([]access.Reason, len(all)), make([]time.Time, len(all))
	for i, r := range all {
		reasons[i], ends[i] = g.reasons[r.Line], g.ends
	}
	return reasons, ends, g.down
}

// downloads begins one for each "package line verb item…".
func downloads(t *testing.T, g *gate) (*running, map[string]*Ticket) {
	t.Helper()
	r := newRunning(g, slog.New(slog.DiscardHandler))
	all := map[string]*Ticket{}
	for name, d := range map[string]struct {
		parcel, line string
		verb         right.Right
		items        []string
	}{
		"p hanne takes a":       {"p", "hanne", right.Take, []string{"a"}},
		"p hanne takes a and b": {"p", "hanne", right.Take, []string{"a", "b"}},
		"p tove looks at a":     {"p", "tove", right.See, []string{"a"}},
		"q hanne takes a":       {"q", "hanne", right.Take, []string{"a"}},
	} {
		one := r.Begin(httptest.NewRecorder(), httptest.NewRequest("GET", "/", nil),
			wire.Running{Parcel: d.parcel, Line: d.line, Verb: d.verb, Items: d.items})
		t.Cleanup(one.End)
		all[name] = one
	}
	return r, all
}

func cutOf(all map[string]*Ticket) (out []string) {
	for name, one := range all {
		if one.isCut() {
			out = append(out, name)
		}
	}
	return out
}

func TestAChangeCutsExactlyWhatItNames(t *testing.T) {
	for name, c := range map[string]struct {
		parcel string
		cut    ground.Cut
		want   []string
	}{
		"a stop":          {"p", ground.Cut{}, []string{"p hanne takes a", "p hanne takes a and b", "p tove looks at a"}},
		"a person":        {"p", ground.Cut{Line: "tove"}, []string{"p tove looks at a"}},
		"an item":         {"p", ground.Cut{Items: []string{"b"}}, []string{"p hanne takes a and b"}},
		"fewer rights":    {"p", ground.Cut{Line: "hanne", Narrow: true, Rights: right.Rights{right.See}}, []string{"p hanne takes a", "p hanne takes a and b"}},
		"the same rights": {"p", ground.Cut{Line: "hanne", Narrow: true, Rights: right.Rights{right.See, right.Take}}, nil},
		"no rights":       {"p", ground.Cut{Line: "tove", Narrow: true}, []string{"p tove looks at a"}},
		"another end":     {"p", ground.Cut{Ends: time.Now().Add(time.Hour).UnixNano()}, nil},
		"another package": {"x", ground.Cut{}, nil},
	} {
		r, all := downloads(t, &gate{})
		r.cut(c.parcel, c.cut)
		assert.ElementsMatch(t, c.want, cutOf(all), name)
		assert.Len(t, r.of(""), len(all)-len(c.want), name)
	}
}

func TestALookCutsOnlyWhatIsNotOpenAnyMore(t *testing.T) {
	ends := time.Now().Add(time.Hour)
	g := &gate{reasons: map[string]access.Reason{"tove": access.Stopped}, ends: ends}
	r, all := downloads(t, g)
	r.inspect(t.Context(), time.Now(), r.of(""))
	assert.Equal(t, []string{"p tove looks at a"}, cutOf(all))
	assert.Equal(t, 1, g.asked, "one look for all of them")
	assert.Equal(t, ends.UnixNano(), all["q hanne takes a"].ends.Load())
	g.reasons["hanne"], g.down = access.Ended, errors.New("no database")
	r.inspect(t.Context(), time.Now(), r.of(""))
	assert.Len(t, cutOf(all), 1, "who cannot be asked about goes on until somebody can be asked")
	g.down = nil
	r.inspect(t.Context(), time.Now(), r.of("q"))
	assert.ElementsMatch(t, []string{"p tove looks at a", "q hanne takes a"}, cutOf(all))
	r.inspect(t.Context(), time.Now(), nil)
	assert.Equal(t, 3, g.asked, "nobody is not asked about")
}

// The end is known beforehand; the rest goes on for a minute, and not for ever.
func TestWhereNobodyCanBeAskedTheEndStillHolds(t *testing.T) {
	g := &gate{down: errors.New("no database")}
	r, all := downloads(t, g)
	now := time.Now()
	all["q hanne takes a"].ends.Store(now.Add(time.Second).UnixNano())
	r.inspect(t.Context(), now, r.of(""))
	assert.Empty(t, cutOf(all))
	r.inspect(t.Context(), now.Add(time.Second), r.of(""))
	assert.Equal(t, []string{"q hanne takes a"}, cutOf(all), "to the second")
	r.inspect(t.Context(), now.Add(time.Minute-time.Millisecond), r.of(""))
	assert.Len(t, cutOf(all), 1)
	g.down = nil
	r.inspect(t.Context(), now.Add(time.Minute), r.of(""))
	assert.Len(t, cutOf(all), 1, "an answer begins the minute anew")
	g.down = errors.New("no database")
	r.inspect(t.Context(), now.Add(time.Minute), r.of("p"))
	r.inspect(t.Context(), now.Add(2*time.Minute-time.Millisecond), r.of("p"))
	assert.Len(t, cutOf(all), 1)
	r.inspect(t.Context(), now.Add(2*time.Minute), r.of("p"))
	assert.Len(t, cutOf(all), len(all), "all of them")
}

// A door is weighed first and the download is registered after; a stop may come in between.
func TestWhatIsCutWhileItBeginsIsCut(t *testing.T) {
	r := newRunning(&gate{}, slog.New(slog.DiscardHandler))
	begin := func(asked time.Time, parcel, line, item string) *Ticket {
		request := httptest.NewRequest("GET", "/", nil)
		request = request.WithContext(context.WithValue(request.Context(), whoKey{}, &who{at: asked}))
		one := r.Begin(httptest.NewRecorder(), request, wire.Running{Parcel: parcel, Line: line, Verb: right.Take, Items: []string{item}})
		t.Cleanup(one.End)
		return one
	}
	asked := time.Now()
	r.cut("p", ground.Cut{Items: []string{"a"}})
	r.cut("q", ground.Cut{Ends: 1})
	r.cut("q", ground.Cut{Ends: 2})
	assert.True(t, begin(asked, "p", "hanne", "a").isCut())
	assert.False(t, begin(asked, "p", "hanne", "b").isCut(), "another item")
	assert.False(t, begin(asked, "o", "hanne", "a").isCut(), "another package")
	assert.False(t, begin(time.Now(), "p", "hanne", "a").isCut(), "it was weighed after that")
	assert.EqualValues(t, 2, begin(asked, "q", "hanne", "a").ends.Load(), "the last that was said")

	r.cuts[0].at = time.Now().Add(-lately - time.Second)
	r.cut("p", ground.Cut{Line: "tove"})
	assert.Len(t, r.cuts, 3, "what is more than a minute old is forgotten")
	assert.True(t, begin(asked, "p", "tove", "a").isCut())
}

func TestAScreenHearsOfItsRoomAndNothingElse(t *testing.T) {
	h := newHub()
	studio, end, _ := h.watch(Room{studio: "s"}, nil, "here", "mara")
	other, endOther, _ := h.watch(Room{studio: "t"}, nil, "here", "odd")
	guest, endGuest, _ := h.watch(Room{Parcel: "p"}, func(c ground.Change) bool { return c.Line == "hanne" }, "there", "hanne")
	hears := func(from <-chan ground.Change) (out []ground.What) {
		for len(from) > 0 {
			out = append(out, (<-from).What)
		}
		return out
	}
	h.publish(ground.Change{Studio: "s", Parcel: "p", What: ground.NotesChanged})
	h.publish(ground.Change{Studio: "s", Parcel: "p", Line: "hanne", What: ground.LedgerChanged})
	h.publish(ground.Change{Studio: "s", Parcel: "q", Line: "hanne", What: ground.WaybillChanged})
	assert.Equal(t, []ground.What{ground.NotesChanged, ground.LedgerChanged, ground.WaybillChanged}, hears(studio))
	assert.Equal(t, []ground.What{ground.LedgerChanged}, hears(guest))
	assert.Empty(t, hears(other))
	h.publish(ground.Change{What: ground.Resync})
	for _, from := range []<-chan ground.Change{studio, guest, other} {
		assert.Equal(t, []ground.What{ground.Resync}, hears(from))
	}
	for range behindBy + 5 {
		h.publish(ground.Change{Studio: "s", What: ground.GatherChanged})
	}
	heard := hears(studio)
	require.Less(t, len(heard), behindBy)
	assert.Equal(t, ground.Resync, heard[0], "who is far behind looks at everything anew")
	end()
	endOther()
	endGuest()
	assert.Empty(t, h.rooms)
	assert.Empty(t, h.open)
}

// What a screen shows is read before its stream is open; what changes between the two would
// show at the next change only.
func TestAScreenIsToldWhatChangedWhileItOpened(t *testing.T) {
	h, at := newHub(), time.Now()
	h.now = func() time.Time { return at }
	told := func(in Room, wants func(ground.Change) bool) (out []ground.What) {
		from, end, ok := h.watch(in, wants, "here", "mara")
		require.True(t, ok)
		defer end()
		for len(from) > 0 {
			out = append(out, (<-from).What)
		}
		return out
	}
	assert.Empty(t, told(Room{studio: "s"}, nil))
	h.publish(ground.Change{Studio: "s", Parcel: "p", What: ground.ContentsChanged})
	h.publish(ground.Change{Studio: "s", Parcel: "p", What: ground.PresenceChanged})
	h.publish(ground.Change{Studio: "s", What: ground.GatherChanged})
	at = at.Add(time.Minute)
	h.publish(ground.Change{Studio: "s", Parcel: "p", Line: "hanne", What: ground.LedgerChanged})
	studio, parcel := Room{studio: "s"}, Room{Parcel: "p"}
	assert.Equal(t, []ground.What{ground.ContentsChanged, ground.GatherChanged, ground.LedgerChanged}, told(studio, nil), "in their order")
	assert.Equal(t, []ground.What{ground.ContentsChanged, ground.LedgerChanged}, told(parcel, nil))
	assert.Equal(t, []ground.What{ground.LedgerChanged}, told(parcel, func(c ground.Change) bool { return c.Line == "hanne" }))
	assert.Empty(t, told(Room{Parcel: "q"}, nil))
	assert.Empty(t, told(Room{studio: "t"}, nil))
	at = at.Add(time.Nanosecond)
	assert.Equal(t, []ground.What{ground.LedgerChanged}, told(studio, nil), "the others are more than a minute old")
	h.publish(ground.Change{What: ground.Resync})
	assert.Equal(t, []ground.What{ground.Resync}, told(Room{studio: "t"}, nil), "changes may have been missed, by everybody")

	at = at.Add(time.Hour)
	for range remembered - 1 {
		h.publish(ground.Change{Studio: "s", What: ground.NotesChanged})
	}
	assert.Empty(t, told(Room{studio: "t"}, nil))
	h.publish(ground.Change{Studio: "s", What: ground.NotesChanged})
	assert.Equal(t, []ground.What{ground.Resync}, told(Room{studio: "t"}, nil), "more in a minute than is remembered: it may have been theirs")
}

func TestNobodyHasScreensWithoutEnd(t *testing.T) {
	h := newHub()
	var ends []func()
	watch := func(source, whose string) bool {
		_, end, ok := h.watch(Room{studio: "s"}, nil, source, whose)
		if ok {
			ends = append(ends, end)
		}
		return ok
	}
	for i := range 30 {
		assert.True(t, watch(fmt.Sprint("host ", i), "one link"), i)
	}
	assert.False(t, watch("elsewhere", "one link"), "the thirty-first of one link")
	for i := range 60 {
		assert.True(t, watch("one host", fmt.Sprint("link ", i)), i)
	}
	assert.False(t, watch("one host", "link 61"), "the sixty-first of one source")
	assert.True(t, watch("elsewhere", "link 61"))
	for _, end := range ends {
		end()
	}
	assert.Empty(t, h.open)
	assert.True(t, watch("one host", "one link"))
}
