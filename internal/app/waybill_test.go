package app_test

import (
	"net/http"
	"os"
	"path/filepath"
	"testing"
	"time"

	"aftergust/core/file/coverage"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/dev/demo"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestWhatPlayedAndWhatWasLookedAtStandsInTheLedger(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	p := s.Send(t, s.Pack(t, []string{film(t), apptest.File(t, "a.bin", 100)}, map[string][]string{"hanne@kelpwick.example": {"see"}}))
	p = withMedia(t, s, p)
	hanne, guest := p.Recipients[0], s.Guest()
	played := func(c *demo.Client, item int, key string, ranges ...coverage.Range) error {
		return c.Do(t.Context(), "POST", hanne.API()+"/items/"+p.Items[item].ID+"/viewing", map[string]any{"viewing": key, "runs": ranges}, nil)
	}
	require.NoError(t, played(guest, 0, "first-one", coverage.Range{Start: 1000, End: 2000}, coverage.Range{Start: 1500, End: 3000}))
	require.NoError(t, played(guest, 0, "second-one", coverage.Range{Start: 7000, End: 99_000}))
	assert.ErrorContains(t, played(guest, 1, "third-one", coverage.Range{End: 10}), "does not play")
	require.NoError(t, guest.Do(t.Context(), "POST", hanne.API()+"/items/"+p.Items[0].ID+"/look", nil, nil))
	cell := row(t, s, p, hanne).Cells[0]
	require.Len(t, cell.Played, 2, "what overlaps is one")
	assert.Equal(t, coverage.Range{Start: 1000, End: 3000}, cell.Played[0])
	assert.EqualValues(t, 7000, cell.Played[1].Start)
	assert.LessOrEqual(t, cell.Played[1].End, int64(8100), "no more than there is: eight seconds")
	assert.Zero(t, cell.Delivered)
	assert.Equal(t, 1, s.Events(t, p.ID, "looked"))

	require.NoError(t, s.Owner.Do(t.Context(), "POST", hanne.API()+"/items/"+p.Items[0].ID+"/look", nil, nil))
	require.NoError(t, played(s.Owner, 0, "of-the-studio", coverage.Range{Start: 4000, End: 5000}))
	assert.Equal(t, 1, s.Events(t, p.ID, "looked"), "the studio that looks over a shoulder leaves no trace")
	assert.Len(t, row(t, s, p, hanne).Cells[0].Played, 2)
}

func TestWhoIsTakenOffStaysInTheRecordAndIsOut(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	p := s.Pack(t, []string{apptest.File(t, "a.bin", 5000)}, map[string][]string{"hanne@kelpwick.example": lookNoteTake,
		"tomos@gethin.example": lookOnly})
	tomos := person(p, "Tomos")
	s.Do(t, "DELETE", "/recipients/"+tomos.ID, nil, nil)
	p = s.Send(t, s.Package(t, p.ID))
	require.Len(t, p.Recipients, 1, "before the package went there is nothing to remember")
	hanne := p.Recipients[0]
	require.Equal(t, http.StatusOK, s.Get(t, hanne.Path(p.Items[0])).StatusCode)
	require.Equal(t, "everything", row(t, s, p, hanne).Status)

	s.Do(t, "DELETE", "/recipients/"+hanne.ID, nil, nil)
	assert.Equal(t, "removed", stand(t, s.Guest(), hanne).Standing)
	assert.Equal(t, http.StatusGone, s.Get(t, hanne.Path(p.Items[0])).StatusCode)
	assert.EqualValues(t, 5000, row(t, s, p, hanne).Cells[0].Delivered, "what they have, they have")
	assert.Equal(t, 1, s.Events(t, p.ID, "recipient_removed"))
	refused(t, s, "DELETE", "/recipients/"+hanne.ID, nil, "not_found")

	s.Do(t, "POST", "/packages/"+p.ID+"/recipients", map[string]any{"address": "hanne@kelpwick.example", "rights": lookOnly}, nil)
	again := person(s.Package(t, p.ID), "Hanne")
	assert.NotEqual(t, hanne.Token(), again.Token(), "the old link stays shut")
	assert.Empty(t, stand(t, s.Guest(), again).Standing)
	s.Letter(t, "hanne@kelpwick.example", p.Title)
}

func TestRightsNamesAndZonesChangeOneByOne(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	p := s.Send(t, s.Pack(t, []string{apptest.File(t, "a.bin", 10)}, map[string][]string{"hanne@kelpwick.example": lookNoteTake}))
	hanne := p.Recipients[0]
	change := func(body map[string]any) { s.Do(t, "PATCH", "/recipients/"+hanne.ID, body, nil) }
	change(map[string]any{"name": "  Hanne\u202e Orrick "})
	assert.Equal(t, "Hanne Orrick", s.Package(t, p.ID).Recipients[0].Name, "what would turn the line round is left out (Unicode UAX #9)")
	change(map[string]any{"rights": []string{"see"}})
	assert.Equal(t, http.StatusForbidden, s.Get(t, hanne.Path(p.Items[0])).StatusCode)
	change(map[string]any{"rights": []string{"see", "take"}})
	assert.Equal(t, http.StatusOK, s.Get(t, hanne.Path(p.Items[0])).StatusCode, "the same link")
	refused(t, s, "PATCH", "/recipients/"+hanne.ID, map[string]any{"zone": "Mars/Olympus"}, "invalid")
	change(map[string]any{"zone": "Asia/Tokyo"})
	refused(t, s, "PATCH", "/recipients/nobody", map[string]any{"name": "x"}, "not_found")
}

func TestNotesOfTheStudioAndTheirAnswers(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	p := s.Send(t, s.Pack(t, []string{apptest.File(t, "a.bin", 10)}, map[string][]string{"hanne@kelpwick.example": {"see", "note"},
		"tomos@gethin.example": lookOnly}))
	hanne, tomos, guest := person(p, "Hanne"), person(p, "Tomos"), s.Guest()
	whole := func(text string) map[string]any {
		return map[string]any{"anchor": map[string]any{}, "text": text}
	}
	var mine, answer note
	s.Do(t, "POST", "/items/"+p.Items[0].ID+"/notes", whole("Is the label right?"), &mine)
	assert.Equal(t, "Marit Oyelaran", mine.Author)
	require.NoError(t, guest.Do(t.Context(), "POST", hanne.API()+"/notes/"+mine.ID+"/answers", map[string]any{"text": "It is."}, &answer))
	assert.ErrorContains(t, s.Guest().Do(t.Context(), "POST", tomos.API()+"/notes/"+mine.ID+"/answers", map[string]any{"text": "No."}, nil),
		"no_right")
	assert.ErrorContains(t, guest.Do(t.Context(), "POST", hanne.API()+"/notes/"+answer.ID+"/answers", map[string]any{"text": "Really."}, nil),
		"answer_of_answer")
	refused(t, s, "PUT", "/notes/"+answer.ID+"/done", map[string]any{"done": true}, "of_answer")
	s.Do(t, "PUT", "/notes/"+mine.ID+"/done", map[string]any{"done": true}, nil)

	var all []note
	require.NoError(t, guest.Do(t.Context(), "GET", hanne.API()+"/notes", nil, &all))
	require.Len(t, all, 1)
	assert.True(t, all[0].Done)
	require.Len(t, all[0].Answers, 1)
	assert.Equal(t, "It is.", all[0].Answers[0].Body)

	second := s.Send(t, s.Pack(t, []string{apptest.File(t, "b.bin", 10)}, map[string][]string{"hanne@kelpwick.example": {"see", "note"}}))
	assert.ErrorContains(t, guest.Do(t.Context(), "POST", second.Recipients[0].API()+"/notes/"+mine.ID+"/answers",
		map[string]any{"text": "From elsewhere."}, nil), "not_found",
		"a note is answered in its own package only")
}

func TestAnUploadThatAStopLeftBehindIsSettled(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	p := s.Pack(t, nil, nil)
	begin := func(name string) (id string) {
		location, err := s.Owner.BeginUpload(t.Context(), map[string]string{"package": p.ID, "filename": name}, 10)
		require.NoError(t, err)
		return filepath.Base(location)
	}
	whole, half, left := begin("whole.txt"), begin("half.txt"), begin("left.txt")
	var arriving []struct {
		Name    string
		Package string `json:"package_id"`
		Size    int64
	}
	s.Do(t, "GET", "/arriving", nil, &arriving)
	require.Len(t, arriving, 3)
	assert.Equal(t, p.ID, arriving[0].Package)
	s.Halt(t)
	incoming := ""
	require.NoError(t, filepath.WalkDir(s.Config.Blobs, func(path string, _ os.DirEntry, err error) error {
		if filepath.Base(path) == whole {
			incoming = filepath.Dir(path)
		}
		return err
	}))
	require.NotEmpty(t, incoming)
	// The last byte arrived, and the power went before it was an item.
	require.NoError(t, os.WriteFile(filepath.Join(incoming, whole), []byte("0123456789"), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(incoming, half), []byte("01234"), 0o600))
	old := time.Now().Add(-8 * 24 * time.Hour)
	require.NoError(t, os.Chtimes(filepath.Join(incoming, left), old, old))
	s.Resume(t)

	apptest.Eventually(t, "the whole one is an item", func() bool { return len(s.Package(t, p.ID).Items) == 1 })
	assert.Equal(t, "whole.txt", s.Package(t, p.ID).Items[0].Name)
	apptest.Eventually(t, "the one that nobody went on with is let go", func() bool {
		s.Do(t, "GET", "/arriving", nil, &arriving)
		return len(arriving) == 1
	})
	assert.Equal(t, "half.txt", arriving[0].Name)
	assert.Equal(t, "5", offset(t, s, s.Base+"/api/v1/uploads/"+half))
	assert.NoFileExists(t, filepath.Join(incoming, left))
}
