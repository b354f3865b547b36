package happen_test

import (
	"context"
	"errors"
	"testing"
	"time"

	"aftergust/core/record/event"
	"aftergust/core/words/letter"
	"aftergust/core/words/notice"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/ground"
	"aftergust/internal/out/letters"
	"aftergust/internal/parts/happen"
	"aftergust/internal/parts/notices"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A record is what a database would keep of happenings.
type record struct {
	letters.Store
	happened  []happen.Happening
	announced []ground.Change
	posted    []letters.Letter
	down      error
}

func (r *record) InsertEvents(_ context.Context, all []happen.Happening) (written []notices.Happened, err error) {
	r.happened = append(r.happened, all...)
	for _, h := range all {
		written = append(written, notices.Happened{Kind: h.Kind, StudioID: h.StudioID, ParcelID: h.ParcelID, LineID: h.LineID})
	}
	return written, r.down
}

// A reader is whom notices go to: somebody who wants a letter for each, or for none.
type reader struct {
	notices.Store
	choices notice.Choices
	told    []notices.New
}

func (r *reader) DeskOf(context.Context, string, string, time.Time) (notices.Desk, error) {
	return notices.Desk{MemberID: "m", Zone: "Europe/London", All: r.choices}, nil
}

func (r *reader) InsertNotices(_ context.Context, all []notices.New) (int, error) {
	r.told = append(r.told, all...)
	return 0, nil
}

func (r *record) Announce(_ context.Context, c ground.Change) error {
	r.announced = append(r.announced, c)
	return nil
}

func (r *record) Enqueue(context.Context, ...ground.Job) error { return nil }

func (r *record) InsertLetter(_ context.Context, l letters.Letter) error {
	r.posted = append(r.posted, l)
	return nil
}

func (r *record) Readers(_ context.Context, _, line string) ([]letters.Reader, error) {
	all := []letters.Reader{{LineID: "l1", Name: "Hanne", Email: "h@kelpwick.example"}, {LineID: "l2", Name: "Tove", Email: "t@kelpwick.example"}}
	if line == "" {
		return all, nil
	}
	return all[:1], nil
}

func (r *record) Producer(context.Context, string) (letters.Reader, error) {
	return letters.Reader{Name: "Mara", Email: "mara@low.example"}, nil
}

func log() (*record, *happen.Log) {
	kept, events := logFor(&reader{})
	return kept, events
}

func logFor(r *reader) (*record, *happen.Log) {
	kept := &record{}
	post := letters.New(kept, letters.Sources{}, ground.NewKeys(apptest.Secrets("letters-"), ""), time.Now)
	return kept, happen.New(kept, post, notices.NewService(r, post, time.Now), silent{})
}

func TestWhoeverWantsNoLetterForEachGetsANoticeInstead(t *testing.T) {
	for cadence, letters := range map[notice.Cadence]int{notice.AtOnce: 1, notice.Gathered: 0, notice.Daily: 0, notice.Never: 0} {
		r := &reader{choices: notice.Choices{notice.Asked: cadence}}
		kept, events := logFor(r)
		require.NoError(t, events.Record(t.Context(), of(event.Asked, "l1")))
		assert.Len(t, kept.posted, letters, cadence)
		require.Len(t, r.told, 1, cadence)
		assert.Equal(t, cadence == notice.Gathered || cadence == notice.Daily, r.told[0].DueAt != nil, "%s: one letter tells of it, not two", cadence)
	}
}

func of(kind event.Kind, line string) happen.Happening {
	return happen.Happening{Kind: kind, StudioID: "s", ParcelID: "p", LineID: line}
}

func TestWhatFollowsFromAHappeningIsWhatItsDescriptorSays(t *testing.T) {
	for _, kind := range event.All.Names() {
		kept, events := log()
		h := of(kind, "l1")
		h.Message = "Please."
		require.NoError(t, events.Record(t.Context(), h))
		d := event.All.Get(kind)
		require.Len(t, kept.happened, 1, kind)
		require.Len(t, kept.announced, 1, kind)
		told := kept.announced[0]
		assert.Equal(t, string(d.Changes), string(told.What), kind)
		assert.Equal(t, [2]string{"s", "p"}, [2]string{told.Studio, told.Parcel}, kind)
		assert.Equal(t, d.Theirs, told.Line == "l1", kind)
		assert.Nil(t, told.Cut, kind)
		if d.Letter == "" {
			assert.Empty(t, kept.posted, kind)
			continue
		}
		require.Len(t, kept.posted, 1, kind)
		assert.Equal(t, d.Letter, kept.posted[0].Kind, kind)
		assert.Equal(t, "Please.", kept.posted[0].Data["message"], kind)
		want := "h@kelpwick.example"
		if letter.All.Get(d.Letter).To == letter.Producer {
			want = "mara@low.example"
		}
		assert.Equal(t, want, kept.posted[0].ToEmail, kind)
	}
}

func TestALetterGoesToEverybodyWhenAPackageIsSentAndToOneWhoIsAdded(t *testing.T) {
	kept, events := log()
	require.NoError(t, events.Record(t.Context(), of(event.Sent, "")))
	assert.Len(t, kept.posted, 2)
	require.NoError(t, events.Record(t.Context(), of(event.Added, "l1")))
	require.Len(t, kept.posted, 3)
	assert.Equal(t, "l1", kept.posted[2].LineID)
	assert.Nil(t, kept.posted[2].Data)
}

func TestManyHappeningsAreAnnouncedOnceForEachWhoLooks(t *testing.T) {
	kept, events := log()
	cut := &ground.Cut{Line: "l1"}
	var all []happen.Happening
	for range 200 {
		all = append(all, of(event.Took, "l1"), of(event.Took, "l2"))
	}
	require.NoError(t, events.RecordCut(t.Context(), cut, all...))
	assert.Len(t, kept.happened, 400, "in one call")
	require.Len(t, kept.announced, 2, "one for each line that would like to see it")
	assert.Same(t, cut, kept.announced[0].Cut)
	require.NoError(t, events.Record(t.Context()))
	assert.Len(t, kept.happened, 400, "nothing happened")
}

func TestNothingFollowsFromWhatCouldNotBeWrittenDown(t *testing.T) {
	kept, events := log()
	kept.down = errors.New("no database")
	require.ErrorIs(t, events.Record(t.Context(), of(event.Sent, "")), kept.down)
	assert.Empty(t, kept.announced)
	assert.Empty(t, kept.posted)
}

// silent tells no other program.
type silent struct{}

func (silent) Tell(context.Context, []notices.Happened) error { return nil }
