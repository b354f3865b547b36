package sentence_test

import (
	"slices"
	"testing"
	"time"

	"aftergust/core/link/door"
	"aftergust/core/link/right"
	"aftergust/core/time/expiry"
	. "aftergust/core/words/sentence"

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
	assert.Equal(t, []string{"no_passphrase", "no_rights", "uploading"}, codes(Warnings(p)))
	assert.True(t, Warnings(p)[0].Blocks)
	assert.Equal(t, "Tomos Gethin may neither look nor download, and meets a shut page.", Warnings(p)[1].Text)
	assert.Equal(t, "1 item is still uploading. It goes by itself once everything is there.", Warnings(p)[2].Text)
	assert.False(t, Warnings(p)[2].Blocks, "it can be sent now, and goes then")

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
	assert.Equal(t, "Give them 2 days", Warnings(p)[0].Mend)
	assert.Equal(t, "At 20 Mbit/s the whole package takes 3 min; it ends in 2 min.", Warnings(p)[0].Text)

	p.Recipients = []Recipient{{Name: "Link", Anyone: true, Rights: right.Rights{right.See, right.Take}}}
	p.Door, p.Ends = door.Open, p.Now.AddDate(0, 0, 3)
	assert.Equal(t, []string{"open_take"}, codes(Warnings(p)))
	p.Door = door.Named
	assert.Equal(t, []string{"anyone_named"}, codes(Warnings(p)))

	p = plan(t)
	p.Unconfirmed = "marit@lowtide.example"
	assert.Equal(t, []string{"unconfirmed"}, codes(Warnings(p)))
	assert.True(t, Warnings(p)[0].Blocks)

	empty := Plan{Door: door.Open, EndProblem: "the end lies in the past"}
	assert.Equal(t, []string{"no_items", "no_recipients", "no_end"}, codes(Warnings(empty)))
	assert.Contains(t, Text(Write(empty)), "Send 0 items (0 bytes) to nobody yet.")
}

// What people told us goes wrong again and again, each warned of where it cannot be
// made impossible (common practice of the trade).
func TestWhatIsKnownFromBeforeIsRemembered(t *testing.T) {
	all, look := right.Rights{right.See, right.Note, right.Take}, right.Rights{right.See, right.Note}
	for name, c := range map[string]struct {
		change func(p *Plan)
		want   Warning
	}{
		"may only look, and could download last time": {func(p *Plan) { p.Recipients[2].Past = Past{Title: "Lifeboat, cut 3", Rights: all} },
			Warning{Code: TakeGone, Recipient: "3", Mend: "Let them download",
				Text: "Tomos Gethin could download the last package, “Lifeboat, cut 3”, and may only look at this one."}},
		"may download, and could only look last time": {func(p *Plan) { p.Recipients[1].Past = Past{Title: "Lifeboat, cut 3", Rights: look} },
			Warning{Code: TakeNew, Recipient: "2", Mend: "Only look",
				Text: "P. Anstey could only look at the last package, “Lifeboat, cut 3”, and may download this one."}},
		"belongs to another client": {func(p *Plan) {
			p.Client, p.Recipients[0].Past.Client = "Brindlefen Ceramics", "Kelpwick Harbour Museum"
		},
			Warning{Code: OtherClient, Recipient: "1", Mend: "Take them off",
				Text: "Hanne Orrick belongs to Kelpwick Harbour Museum; these are things of Brindlefen Ceramics."}},
		"has an address that letters do not reach": {func(p *Plan) { p.Recipients[0].Past.Bounced = "the mailbox is full" },
			Warning{Code: Bounced, Recipient: "1", Mend: "Take them off", Text: "The last letter to Hanne Orrick did not arrive: the mailbox is full."}},
		"is slower than the modest line": {func(p *Plan) { p.Recipients[0].Past.Rate = 4_000 },
			Warning{Code: TooSlow, Recipient: "1", Mend: "Give them 20 days",
				Text: "Hanne Orrick was seen to download at 4 kbit/s: the whole package takes 228 h 53 min, and it ends in 9 days."}},
		"has all of it already": {func(p *Plan) { p.Known = 2 },
			Warning{Code: SentBefore, Text: "Hanne Orrick and P. Anstey have 2 of these 2 items already, in this very version."}},
		"has some of it already": {func(p *Plan) { p.Known = 1 },
			Warning{Code: SentBefore, Mend: "Leave those out", Text: "Hanne Orrick and P. Anstey have 1 of these 2 items already, in this very version."}},
		"has stems that do not line up": {func(p *Plan) { p.Stems = "Of 3 stems that belong together, not all are equally long: 1:00 and 0:58." },
			Warning{Code: "stems", Text: "Of 3 stems that belong together, not all are equally long: 1:00 and 0:58."}},
		"meets the end in their night": {func(p *Plan) { p.Recipients[1].Zone = zone(t, "Asia/Tokyo") },
			Warning{Code: AtNight, Mend: "End it at 18:00 in Tokyo", Text: "It ends at 03:00 for P. Anstey, in their night."}},
		"is one of too few": {func(p *Plan) { p.Rule = expiry.Rule{Kind: expiry.SomeHave, People: 3} },
			Warning{Code: TooFew, Mend: "Wait for 2 people", Text: "It would end once 3 people have everything; 2 people may download."}},
	} {
		p := plan(t)
		c.change(&p)
		assert.Equal(t, []Warning{c.want}, Warnings(p), name)
	}
	p := plan(t)
	p.Recipients[1].Zone, p.Rule = zone(t, "Asia/Tokyo"), expiry.Rule{Kind: expiry.AllHave, Hold: 24}
	assert.Empty(t, Warnings(p), "an end that waits for people does not fall at an hour that was chosen")
	assert.Contains(t, Text(Write(p)), "Ends when everybody has everything, and 24 h more, and at the latest Fri 4 Dec, 18:00 in London")
}

func TestWarningsComeInTheOrderOfTheirHarm(t *testing.T) {
	all := right.Rights{right.See, right.Take}
	p := plan(t)
	p.Door, p.Client, p.Items, p.Known, p.Arriving, p.Stems = door.Named, "Brindlefen Ceramics", 4, 1, 1, "Stems differ."
	p.Ends = time.Date(2026, 11, 25, 23, 30, 0, 0, p.Zone)
	p.Size = 1 << 50
	p.Recipients = []Recipient{{ID: "a", Name: "A", Rights: nil}, {ID: "b", Name: "B", Rights: all, Zone: p.Zone, Past: Past{Title: "x",
		Client: "Kelpwick", Bounced: "no such mailbox"}}, {ID: "c", Anyone: true, Rights: all}}
	assert.Equal(t, []string{AnyoneNamed, NoRights, Bounced, TakeNew, OtherClient, TooSlow, AtNight, SentBefore, Uploading},
		slices.DeleteFunc(codes(Warnings(p)), func(c string) bool { return c == "stems" }))
	for _, w := range Warnings(p) {
		assert.Equal(t, w.Code == AnyoneNamed, w.Blocks, w.Code)
	}
}

func TestAnEndAtNightMovesToTheEndOfADayAndNeverNearer(t *testing.T) {
	tokyo := zone(t, "Asia/Tokyo")
	for at, want := range map[string]string{"2026-12-04T23:00": "2026-12-05T18:00", "2026-12-05T03:00": "2026-12-05T18:00",
		"2026-12-05T18:00": "2026-12-05T18:00"} {
		from, err := expiry.InZone(at, tokyo)
		require.NoError(t, err)
		assert.Equal(t, want, expiry.Local(DayEnd(from, tokyo), tokyo), at)
	}
	assert.Equal(t, []int{2, 2, 3, 365}, []int{DaysFor(0), DaysFor(24 * time.Hour), DaysFor(25 * time.Hour), DaysFor(9000 * time.Hour)})
}
