package sentence_test

import (
	"testing"
	"time"

	"aftergust/core/door"
	"aftergust/core/right"
	. "aftergust/core/sentence"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func zone(t *testing.T, name string) *time.Location {
	z, err := time.LoadLocation(name)
	require.NoError(t, err)
	return z
}

func plan(t *testing.T) Plan {
	london := zone(t, "Europe/London")
	all := right.Rights{right.See, right.Note, right.Take}
	return Plan{
		Items: 2, Size: 412_000_000,
		Recipients: []Recipient{
			{ID: "1", Name: "Hanne Orrick", Rights: all, Zone: london},
			{ID: "2", Name: "P. Anstey", Rights: all},
			{ID: "3", Name: "Tomos Gethin", Rights: right.Rights{right.See}, Zone: zone(t, "America/New_York")},
		},
		Door: door.Passphrase, HasPassphrase: true, Zone: london,
		Now:  time.Date(2026, 11, 25, 10, 6, 0, 0, london),
		Ends: time.Date(2026, 12, 4, 18, 0, 0, 0, london),
	}
}

func codes(warnings []Warning) []string {
	out := []string{}
	for _, w := range warnings {
		out = append(out, w.Code)
	}
	return out
}

func TestTheSentenceSaysWhatWillHappen(t *testing.T) {
	p := plan(t)
	assert.Equal(t, "Send 2 items (412 MB) to 3 people: Hanne Orrick and P. Anstey may look, note and download; Tomos Gethin may only look. "+
		"It opens with a passphrase. Ends Fri 4 Dec, 18:00 in London, 13:00 for Tomos Gethin.", Text(Write(p)))
	assert.Empty(t, Warnings(p))
	p.Ends = time.Date(2026, 12, 5, 1, 0, 0, 0, p.Zone)
	assert.Contains(t, Text(Write(p)), "Ends Sat 5 Dec, 01:00 in London, Fri 4 Dec, 20:00 for Tomos Gethin.")
	p.Recipients = []Recipient{{Name: "Link", Anyone: true, Rights: right.Rights{right.See}}}
	p.Door = door.Open
	assert.Contains(t, Text(Write(p)), "Send 2 items (412 MB) by a link: anyone with the link may only look. Whoever has a link gets in.")
}

func TestWhatLooksLikeAMistakeIsSaid(t *testing.T) {
	p := plan(t)
	p.HasPassphrase = false
	p.Items, p.Arriving = 4, 1
	p.Recipients[2].Rights = nil
	assert.Equal(t, []string{"no_passphrase", "uploading", "no_rights"}, codes(Warnings(p)))
	assert.True(t, Warnings(p)[0].Blocks)
	assert.Equal(t, "1 item is still uploading.", Warnings(p)[1].Text)

	p = plan(t)
	for i := range p.Recipients {
		p.Recipients[i].Rights = right.Rights{right.See}
	}
	assert.Equal(t, []string{"no_takers"}, codes(Warnings(p)))
	p.Recipients = p.Recipients[:1]
	assert.Equal(t, []string{"no_takers"}, codes(Warnings(p)), "also where there is one person only")

	p = plan(t)
	p.Ends = p.Now.Add(2 * time.Minute)
	assert.Equal(t, []string{"too_slow"}, codes(Warnings(p)))
	assert.Equal(t, "At 20 Mbit/s the whole package takes 3 min; it ends in 2 min.", Warnings(p)[0].Text)

	p.Recipients = []Recipient{{Name: "Link", Anyone: true, Rights: right.Rights{right.See, right.Take}}}
	p.Door, p.Ends = door.Open, p.Now.AddDate(0, 0, 3)
	assert.Equal(t, []string{"open_take"}, codes(Warnings(p)))
	p.Door = door.Named
	assert.Equal(t, []string{"anyone_named"}, codes(Warnings(p)))

	empty := Plan{Door: door.Open, EndProblem: "the end lies in the past"}
	assert.Equal(t, []string{"no_items", "no_recipients", "no_end"}, codes(Warnings(empty)))
	assert.Contains(t, Text(Write(empty)), "Send 0 items (0 bytes) to nobody yet.")
}
