package app_test

import (
	"testing"

	"aftergust/internal/dev/apptest"

	"github.com/stretchr/testify/assert"
)

func TestOneThingIsDoneToSeveralPackagesAndEachAnswersForItself(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	out, _ := sent(t, s, apptest.File(t, "a.bin", 10))
	second, _ := sent(t, s, apptest.File(t, "b.bin", 10))
	draft := s.Pack(t, []string{apptest.File(t, "c.bin", 10)}, map[string][]string{"hanne@kelpwick.example": lookNoteTake})
	all := []string{out.ID, second.ID, draft.ID, "p0000000000000000000000"}
	type done struct {
		ID, Title, Says string
		Done            bool
		Links           []string
	}
	act := func(body map[string]any) (answers []done) {
		body["packages"] = all
		s.Do(t, "POST", "/packages/acts", body, &answers)
		return answers
	}
	dones := func(all []done) (did []bool) {
		for _, d := range all {
			assert.NotEmpty(t, d.Says)
			did = append(did, d.Done)
		}
		return did
	}
	both := []bool{true, true, false, false}
	links := act(map[string]any{"act": "links"})
	assert.Equal(t, both, dones(links))
	assert.Contains(t, links[0].Links[0], "/r/")
	assert.Equal(t, both, dones(act(map[string]any{"act": "remind", "message": "Please."})))
	assert.Equal(t, both, dones(act(map[string]any{"act": "extend", "ends": map[string]any{"kind": "after_days", "days": 20, "zone": "Europe/London"}})))
	assert.Equal(t, []bool{false, false, false, false}, dones(act(map[string]any{"act": "extend"})), "until when?")
	assert.Equal(t, []bool{true, true, true, false}, dones(act(map[string]any{"act": "door", "door": "named"})), "also of a draft")
	assert.Equal(t, both, dones(act(map[string]any{"act": "stop"})))
	assert.Equal(t, []bool{false, false, false, false}, dones(act(map[string]any{"act": "stop"})), "they are closed already")
}
