package letters_test

import (
	"context"
	"testing"
	"time"

	"aftergust/core/link/door"
	"aftergust/core/link/right"
	"aftergust/core/time/expiry"
	"aftergust/core/words/bounce"
	"aftergust/core/words/letter"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/ground"
	"aftergust/internal/out/letters"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A tray is the letters of a database in memory.
type tray struct {
	letters   map[string]letters.Letter
	about     letters.Subject
	handing   map[string]bool
	handed    int
	gone      bool // the package is not there any more
	jobs      []ground.Job
	announced []ground.Change
	missing   letters.Missing
	told      []letters.Told
}

func (b *tray) Tx(ctx context.Context, do func(context.Context) error) error { return do(ctx) }

func (b *tray) Announce(_ context.Context, c ground.Change) error {
	b.announced = append(b.announced, c)
	return nil
}

func (b *tray) Enqueue(_ context.Context, jobs ...ground.Job) error {
	b.jobs = append(b.jobs, jobs...)
	return nil
}

func (b *tray) InsertLetter(_ context.Context, l letters.Letter) error {
	l.State = letter.Waiting
	b.letters[l.ID] = l
	return nil
}

func (b *tray) LetterByID(_ context.Context, id string) (letters.Letter, bool, error) {
	l, ok := b.letters[id]
	return l, ok, nil
}

func (b *tray) Subject(context.Context, letters.Letter) (letters.Subject, bool, error) {
	return b.about, !b.gone, nil
}

func (b *tray) HandLetter(_ context.Context, id string, _ time.Time) (bool, error) {
	before := b.handing[id]
	b.handing[id] = true
	return before, nil
}

func (b *tray) LetterBounced(_ context.Context, l letters.Letter, why string) error {
	return b.LetterTried(context.Background(), l.ID, letter.Bounced, why)
}

func (b *tray) Missing(_ context.Context, _ string, named int) (letters.Missing, error) {
	return b.missing, nil
}

func (b *tray) TalkOf(context.Context, letters.Letter, time.Time, int) ([]letters.Said, error) {
	return []letters.Said{{Author: "Marit", Text: "How much?", Content: "c1", Note: "n1", Seconds: 5.005}}, nil
}

func (b *tray) Told(context.Context, string) ([]letters.Told, error) { return b.told, nil }

func (b *tray) LetterUncertain(_ context.Context, id, problem string) error {
	return b.LetterTried(context.Background(), id, letter.Waiting, problem)
}

func (b *tray) LetterTried(_ context.Context, id string, state letter.State, problem string) error {
	l := b.letters[id]
	l.State, l.LastError = state, problem
	delete(b.handing, id)
	b.letters[id] = l
	return nil
}

var now = time.Date(2026, 11, 27, 12, 0, 0, 0, time.UTC)

func desk() (*tray, *letters.Service) {
	kept := &tray{told: []letters.Told{{ParcelID: "p1", Title: "Lifeboat", Says: "Hanne Orrick has everything."}}, missing: letters.Missing{Names: []string{"a.mov"}, Items: 1, Bytes: 8}, handing: map[string]bool{}, letters: map[string]letters.Letter{}, about: letters.Subject{StudioName: "Low Tide Pictures", SenderName: "Mara Quill",
		SenderEmail: "mara@low.example", Title: "Lifeboat", Door: door.Passphrase, Rule: expiry.Rule{Kind: expiry.AfterDays, Zone: "Europe/London"}, Items: 3, Weight: 2_500_000,
		LineName: "Hanne Orrick", LineZone: "America/New_York", Rights: right.Rights{right.See, right.Take}, LinkNonce: []byte("nonce"),
		Moments: expiry.Moments{Sent: now.Add(-time.Hour), Ends: time.Date(2026, 12, 4, 18, 0, 0, 0, time.UTC)}}}
	return kept, letters.New(kept, letters.Sources{Talk: kept.TalkOf, Told: kept.Told, Missing: kept.Missing}, ground.NewKeys(apptest.Secrets("letters-"), "http://studio.example"), func() time.Time { return now })
}

func post(t *testing.T, kept *tray, s *letters.Service, kind letter.Kind) string {
	t.Helper()
	require.NoError(t, s.Post(t.Context(), letters.Letter{StudioID: "s", ParcelID: "p1", LineID: "l", Kind: kind, ToName: "Hanne Orrick",
		ToEmail: "hanne@kelpwick.example", Data: map[string]string{"code_id": "c1", "message": "Please."}}))
	return kept.jobs[len(kept.jobs)-1].(ground.LetterJob).LetterID
}

func TestALetterIsComposedFromWhatIsTrueWhenItGoes(t *testing.T) {
	kept, s := desk()
	keys := ground.NewKeys(apptest.Secrets("letters-"), "http://studio.example")
	for _, kind := range letter.All.Names() {
		_, c, ok, err := s.Compose(t.Context(), post(t, kept, s, kind))
		require.NoError(t, err)
		require.True(t, ok, kind)
		assert.Equal(t, kind, c.Kind)
		if letter.All.Get(kind).To == letter.Member {
			assert.Equal(t, map[letter.Kind]string{letter.Reset: keys.ResetURL(""), letter.Invitation: keys.JoinURL(""),
				letter.Lock: keys.AccountURL(), letter.Confirm: keys.AccountURL(), letter.Notices: keys.NoticesURL()}[kind], c.Link)
			if kind != letter.Notices {
				assert.Empty(t, c.Title+c.CoverLetter, "of no package")
			}
			assert.Equal(t, kind == letter.Confirm, c.Code == keys.DoorCode("c1"))
			continue
		}
		assert.Equal(t, "Lifeboat", c.Title)
		assert.Equal(t, "2.5 MB", c.Weight)
		assert.True(t, c.MayTake)
		assert.True(t, c.Passphrase)
		if letter.All.Get(kind).To == letter.Producer {
			assert.Equal(t, "http://studio.example/packages/p1", c.Link, kind)
			assert.Empty(t, c.Ends, kind)
			assert.Empty(t, c.Code, "no code goes to anybody else")
			continue
		}
		assert.Equal(t, keys.LinkURL([]byte("nonce")), c.Link, kind)
		assert.Equal(t, "Friday 4 December 2026, 13:00 (America/New_York)", c.Ends, "on the reader's clock")
		assert.Equal(t, "7 days", c.Left)
		assert.Equal(t, keys.DoorCode("c1"), c.Code)
	}
	kept.about.LineZone = ""
	_, c, _, err := s.Compose(t.Context(), post(t, kept, s, letter.Delivery))
	require.NoError(t, err)
	assert.Equal(t, "Friday 4 December 2026, 18:00 (Europe/London)", c.Ends, "on the package's where that is not known")
	kept.about.Moments.Ends = time.Time{}
	_, c, _, err = s.Compose(t.Context(), post(t, kept, s, letter.Delivery))
	require.NoError(t, err)
	assert.Empty(t, c.Ends+c.Left, "nothing is said of an end that there is not")
	kept.about.Moments.Ends, kept.about.Rule.Zone = now.Add(time.Hour), "Mars/Olympus"
	_, c, _, err = s.Compose(t.Context(), post(t, kept, s, letter.Delivery))
	require.NoError(t, err)
	assert.Empty(t, c.Ends+c.Left, "nor on a clock that there is not")
}

func TestWhatIsOverIsNotSentAfterAll(t *testing.T) {
	for what, over := range map[string]func(*tray){
		"ended":   func(b *tray) { b.about.Moments.Ends = now },
		"stopped": func(b *tray) { b.about.Moments.Stopped = now },
		"removed": func(b *tray) { b.about.Removed = true },
	} {
		for _, kind := range letter.All.Names() {
			kept, s := desk()
			id := post(t, kept, s, kind)
			over(kept)
			_, _, ok, err := s.Compose(t.Context(), id)
			require.NoError(t, err)
			assert.Equal(t, letter.All.Get(kind).To != letter.Line, ok, "%s, %s", what, kind) // who works here hears of it all the same
			want := letter.Refused
			if ok {
				want = letter.Waiting
			}
			assert.Equal(t, want, kept.letters[id].State, "%s, %s", what, kind)
		}
	}
	kept, s := desk()
	id := post(t, kept, s, letter.Delivery)
	kept.gone = true
	_, _, ok, err := s.Compose(t.Context(), id)
	require.NoError(t, err)
	assert.False(t, ok)
	_, _, ok, err = s.Compose(t.Context(), "no such letter")
	require.NoError(t, err)
	assert.False(t, ok)
}

func TestALetterThatWentDoesNotGoAgain(t *testing.T) {
	kept, s := desk()
	id := post(t, kept, s, letter.Delivery)
	require.NoError(t, s.Waits(t.Context(), kept.letters[id]))
	assert.Equal(t, letter.Waiting, kept.letters[id].State)
	assert.Contains(t, kept.letters[id].LastError, "tried again by itself")
	_, _, ok, err := s.Compose(t.Context(), id)
	require.NoError(t, err)
	assert.True(t, ok, "it waits")
	for range 2 {
		perhaps, err := s.Hand(t.Context(), kept.letters[id])
		require.NoError(t, err)
		assert.Equal(t, kept.handed == 1, perhaps, "the second time nobody learnt what came of the first")
		kept.handed++
	}
	require.NoError(t, s.Went(t.Context(), kept.letters[id], false))
	assert.Equal(t, letter.Sent, kept.letters[id].State)
	assert.Len(t, kept.announced, 2)
	_, _, ok, err = s.Compose(t.Context(), id)
	require.NoError(t, err)
	assert.False(t, ok)
}

func TestALetterComesBackOnceItWentAndOnlyByItsOwnAddress(t *testing.T) {
	kept, s := desk()
	id := post(t, kept, s, letter.Delivery)
	l, c, ok, err := s.Compose(t.Context(), id)
	require.NoError(t, err)
	require.True(t, ok)
	found, ours := s.LetterOf("<" + c.Return + "@lowtide.example>")
	assert.True(t, ours)
	assert.Equal(t, id, found)
	for _, forged := range []string{"return+" + id + "@lowtide.example", c.Return[:len(c.Return)-1] + "x@lowtide.example", "hello@lowtide.example", ""} {
		_, ours := s.LetterOf(forged)
		assert.False(t, ours, forged)
	}
	why := bounce.Report{Failed: true, Status: "5.1.1"}
	require.Error(t, s.CameBack(t.Context(), id, why), "before it is written down that it went, it is to be brought again")
	assert.Equal(t, letter.Waiting, kept.letters[id].State)
	require.NoError(t, s.Went(t.Context(), l, false))
	require.NoError(t, s.CameBack(t.Context(), id, why))
	assert.Equal(t, letter.Bounced, kept.letters[id].State)
	assert.Equal(t, "there is no such address", kept.letters[id].LastError)
	require.NoError(t, s.CameBack(t.Context(), id, bounce.Report{Failed: true, Status: "5.2.2"}), "what is told twice counts once")
	assert.Equal(t, "there is no such address", kept.letters[id].LastError)
	require.NoError(t, s.CameBack(t.Context(), "none", why))
}

func TestALetterOfNoticesIsByPackage(t *testing.T) {
	kept, s := desk()
	_, c, ok, err := s.Compose(t.Context(), post(t, kept, s, letter.Notices))
	require.NoError(t, err)
	require.True(t, ok)
	assert.Equal(t, "Lifeboat: Hanne Orrick has everything.", c.Title, "one says it in the subject")

	kept.told = append(kept.told, letters.Told{ParcelID: "p2", Title: "Teaser", Says: "Tove opened it."},
		letters.Told{ParcelID: "p1", Title: "Lifeboat", Says: "Tove left a note.", Said: &letters.Said{Content: "c", Note: "n", Seconds: 60.06}})
	_, c, _, err = s.Compose(t.Context(), post(t, kept, s, letter.Notices))
	require.NoError(t, err)
	assert.Equal(t, "3 notices of Lifeboat and 1 other package", c.Title)
	assert.Equal(t, []letters.About{
		{Title: "Lifeboat", Link: "http://studio.example/packages/p1", Says: []letters.Sentence{
			{Text: "Hanne Orrick has everything."}, {Text: "Tove left a note.", Said: &letters.Said{Content: "c", Note: "n", Seconds: 60.06,
				Link: "http://studio.example/packages/p1/room?item=c&note=n#t=60.06", Name: "frame-1.jpg"}}}},
		{Title: "Teaser", Link: "http://studio.example/packages/p2", Says: []letters.Sentence{{Text: "Tove opened it."}}}}, c.Told)
	require.Len(t, c.Notes(), 1)
	assert.Same(t, c.Told[0].Says[1].Said, c.Notes()[0], "where its picture is put")

	kept.told = nil
	id := post(t, kept, s, letter.Notices)
	_, _, ok, err = s.Compose(t.Context(), id)
	require.NoError(t, err)
	assert.False(t, ok)
	assert.Equal(t, letter.Refused, kept.letters[id].State)
}

func TestWhatIsMissingIsNamedAndMeasured(t *testing.T) {
	for want, m := range map[string]letters.Missing{
		"":                         {},
		"a.mov; 8 bytes":           {Names: []string{"a.mov"}, Items: 1, Bytes: 8},
		"a.mov and b.mov; 9 bytes": {Names: []string{"a.mov", "b.mov"}, Items: 2, Bytes: 9},
		// 3.2 GB at 100 Mbit/s is 256 s (checks.md)
		"a.mov and 2 more; 3.2 GB, about 4 min at the 100 Mbit/s that your line reached": {Names: []string{"a.mov"}, Items: 3, Bytes: 3_200_000_000, Rate: 100_000_000},
	} {
		assert.Equal(t, want, m.Say())
	}
}
