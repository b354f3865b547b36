package notice_test

import (
	"testing"
	"time"

	"aftergust/core/record/event"
	. "aftergust/core/words/notice"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestEveryNoticeComesFromAnEventAndCanBeChosen(t *testing.T) {
	for _, k := range All.Names() {
		d := All.Get(k)
		of := k != Named && k != Given
		assert.Equal(t, of, event.All.Has(event.Kind(k)), k)
		assert.Equal(t, of, d.Comes(), k)
		assert.Equal(t, of, d.Offered, "%s: programs are told of events only", k)
		assert.True(t, Cadences.Has(d.Usual), k)
		assert.NotEmpty(t, d.Word, k)
		assert.NotEmpty(t, d.Means, k)
		assert.Equal(t, k == Opened, d.Once, k)
		assert.Equal(t, of && k != Closing && k != Lost, d.Theirs, k)
	}
	assert.Equal(t, []Kind{HasAll, Noted, Named, Given, Signed, Wants, Closing, Asked, Lost, Blocked, Ticked, Kept, Opened}, All.Names())
	assert.Equal(t, []Cadence{AtOnce, Gathered, Daily, Never}, Cadences.Names())
}

func TestANoticeIsOneSentence(t *testing.T) {
	hanne, odd := event.Who{Line: "Hanne Orrick"}, event.Who{Member: "Oddvar Lien"}
	film := event.Facts{Name: "cut_3.mov", At: "00:01:00;02"}
	for want, got := range map[string]string{
		"Hanne Orrick named you in a note on cut_3.mov at 00:01:00;02.":   Say(Named, hanne, film),
		"Hanne Orrick named you in a note on stills.pdf.":                 Say(Named, hanne, event.Facts{Name: "stills.pdf"}),
		"Oddvar Lien gave you a note to do, on cut_3.mov at 00:01:00;02.": Say(Given, odd, film),
		"Somebody named you in a note on stills.pdf.":                     Say(Named, event.Who{}, event.Facts{Name: "stills.pdf"}),
		event.Say(event.Noted, hanne, film):                               Say(Noted, hanne, film),
	} {
		assert.Equal(t, want, got)
	}
}

// The zones are those of the IANA database: on 25 October 2026 the clocks in London go back.
func TestWhenALetterGoes(t *testing.T) {
	london, err := time.LoadLocation("Europe/London")
	require.NoError(t, err)
	at := func(text string) time.Time {
		m, err := time.ParseInLocation("2006-01-02 15:04", text, london)
		require.NoError(t, err)
		return m
	}
	now := at("2026-10-24 15:00")
	for what, c := range map[string]struct {
		cadence      Cadence
		now, waiting time.Time
		want         time.Time
	}{
		"at once":                            {AtOnce, now, time.Time{}, now},
		"gathered from the first":            {Gathered, now, time.Time{}, at("2026-10-24 15:10")},
		"with what gathers already":          {Gathered, now, at("2026-10-24 15:04"), at("2026-10-24 15:04")},
		"what gathered has gone":             {Gathered, now, now, at("2026-10-24 15:10")},
		"the next morning, an hour later":    {Daily, now, time.Time{}, at("2026-10-25 08:00")},
		"this morning":                       {Daily, at("2026-10-24 07:59"), time.Time{}, at("2026-10-24 08:00")},
		"at eight it is the next":            {Daily, at("2026-10-24 08:00"), time.Time{}, at("2026-10-25 08:00")},
		"no letter":                          {Never, now, time.Time{}, time.Time{}},
		"a cadence of a later version of us": {"hourly", now, time.Time{}, time.Time{}},
	} {
		assert.True(t, c.cadence.Due(c.now, c.waiting, london).Equal(c.want), what)
	}
	assert.Equal(t, 17*time.Hour+time.Hour, Daily.Due(now, time.Time{}, london).Sub(now), "the night has an hour more")
}

func TestWhatAProjectChoosesComesBeforeWhatHoldsForAll(t *testing.T) {
	project, all := Choices{Noted: Never}, Choices{Noted: Daily, HasAll: AtOnce}
	assert.Equal(t, Never, Of(Noted, project, all))
	assert.Equal(t, AtOnce, Of(HasAll, project, all))
	assert.Equal(t, All.Get(Opened).Usual, Of(Opened, project, all))
	assert.Equal(t, All.Get(Noted).Usual, Of(Noted, nil, nil))
}
