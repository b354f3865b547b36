package sentence

import (
	"fmt"
	"slices"
	"time"

	"aftergust/core/file/transfer"
	"aftergust/core/link/access"
	"aftergust/core/link/door"
	"aftergust/core/link/linkname"
	"aftergust/core/link/right"
	"aftergust/core/time/expiry"
	"aftergust/core/words/count"
)

// The warnings that one click can mend, by their stable names.
const (
	NoTakers    = "no_takers"
	NoRights    = "no_rights"
	NoItems     = "no_items"
	AnyoneNamed = "anyone_named"
	Bounced     = "bounced"
	OpenTake    = "open_take"
	TakeNew     = "take_new"
	Guessable   = "guessable"
	TakeGone    = "take_gone"
	OtherClient = "other_client"
	TooSlow     = "too_slow"
	AtNight     = "at_night"
	TooFew      = "too_few"
	SentBefore  = "sent_before"
	Uploading   = "uploading"
	Unconfirmed = "unconfirmed"
)

// slowLine is a modest connection at home, in bits a second (common practice). It
// is reckoned with until somebody was seen to download.
const slowLine = 20 * transfer.Mbit

// The night, on somebody's clock: hours in which nobody should have to download.
const (
	nightFrom = 22
	nightTo   = 7
	dayEnd    = 18 // the hour to which an end at night is moved
)

// Warnings lists what looks like a mistake in order of harm, those that block
// sending first.
func Warnings(p Plan) []Warning {
	out := blocking(p)
	takers := slices.ContainsFunc(p.Recipients, func(r Recipient) bool { return r.Rights.Has(right.Take) })
	if len(p.Recipients) > 0 && !takers {
		out = append(out, Warning{Code: NoTakers, Text: "Nobody may download. They can look, but not take the files.", Mend: "Let all download"})
	}
	for _, about := range []func(Plan, Recipient) (Warning, bool){shutOut, bounced, guessable, openTake, takeNew, takeGone, otherClient} {
		for _, r := range p.Recipients {
			if w, is := about(p, r); is {
				w.Recipient = r.ID
				out = append(out, w)
			}
		}
	}
	if takers && !p.Ends.IsZero() {
		out = append(out, tooSlow(p)...)
	}
	for _, about := range []func(Plan) (Warning, bool){atNight, tooFew, stems, sentBefore, uploading} {
		if w, is := about(p); is {
			out = append(out, w)
		}
	}
	return out
}

func blocking(p Plan) (out []Warning) {
	block := func(code, text string) { out = append(out, Warning{Code: code, Text: text, Blocks: true}) }
	if p.Unconfirmed != "" {
		block(Unconfirmed, "Your mail address is not confirmed yet. Type in the code that went to "+p.Unconfirmed+", at the top of the page.")
	}
	if p.Items == 0 {
		block(NoItems, "There is nothing in the package. Drop files anywhere on this page.")
	}
	if len(p.Recipients) == 0 {
		block("no_recipients", "Nobody is on the waybill. Add a mail address, or a link for anyone.")
	}
	if p.EndProblem != "" {
		block("no_end", capital(p.EndProblem)+".")
	}
	if p.Door.Needs() == door.APassphrase && !p.HasPassphrase {
		block("no_passphrase", "The door asks for a passphrase, and none is set.")
	}
	for _, r := range p.Recipients {
		if r.Anyone && !door.All.Get(p.Door).Anyone {
			out = append(out, Warning{Code: AnyoneNamed, Blocks: true, Recipient: r.ID, Mend: "Take the link off",
				Text: "A link for anyone cannot stand behind a door for named people. Take it off, or choose another door."})
		}
	}
	return out
}

func shutOut(_ Plan, r Recipient) (Warning, bool) {
	return Warning{Code: NoRights, Text: r.called() + " may neither look nor download, and meets a shut page.", Mend: "Let them look"}, !access.LetsIn(r.Rights)
}

func bounced(_ Plan, r Recipient) (Warning, bool) {
	return Warning{Code: Bounced, Text: fmt.Sprintf("The last letter to %s did not arrive: %s.", r.Name, r.Past.Bounced), Mend: "Take them off"},
		r.Past.Bounced != ""
}

func openTake(p Plan, r Recipient) (Warning, bool) {
	return Warning{Code: OpenTake, Text: "Whoever gets hold of the open link can download everything.", Mend: "Only look"},
		r.Anyone && p.Door.Needs() == door.Nothing && r.Rights.Has(right.Take)
}

func guessable(p Plan, r Recipient) (Warning, bool) {
	return Warning{Code: Guessable, Text: fmt.Sprintf("The link “%s” is easily guessed, and the door is open.", r.Link), Mend: "Add letters that nobody guesses"},
		r.Link != "" && p.Door.Needs() == door.Nothing && linkname.Guessable(r.Link)
}

func takeNew(_ Plan, r Recipient) (Warning, bool) {
	return Warning{Code: TakeNew, Text: fmt.Sprintf("%s could only look at the last package, “%s”, and may download this one.", r.Name, r.Past.Title),
		Mend: "Only look"}, r.Past.Title != "" && r.Rights.Has(right.Take) && !r.Past.Rights.Has(right.Take)
}

func takeGone(_ Plan, r Recipient) (Warning, bool) {
	return Warning{Code: TakeGone, Text: fmt.Sprintf("%s could download the last package, “%s”, and may only look at this one.", r.Name, r.Past.Title),
		Mend: "Let them download"}, r.Past.Title != "" && access.LetsIn(r.Rights) && !r.Rights.Has(right.Take) && r.Past.Rights.Has(right.Take)
}

func otherClient(p Plan, r Recipient) (Warning, bool) {
	return Warning{Code: OtherClient, Text: fmt.Sprintf("%s belongs to %s; these are things of %s.", r.Name, r.Past.Client, p.Client), Mend: "Take them off"},
		p.Client != "" && r.Past.Client != "" && r.Past.Client != p.Client
}

// tooSlow is about those who could not finish before the end: each at the rate that
// they were seen to reach, and all others together at that of a modest line.
func tooSlow(p Plan) (out []Warning) {
	left, others := p.Ends.Sub(p.Now), false
	for _, r := range p.Recipients {
		if !r.Rights.Has(right.Take) {
			continue
		}
		if r.Past.Rate == 0 {
			others = true
			continue
		}
		if need := transfer.Duration(p.Size, r.Past.Rate); need > left {
			out = append(out, Warning{Code: TooSlow, Recipient: r.ID, Mend: longer(need),
				Text: fmt.Sprintf("%s was seen to download at %s: the whole package takes %s, and it ends in %s.", r.Name, transfer.Rate(r.Past.Rate),
					transfer.Span(need), expiry.Left(p.Now, p.Ends))})
		}
	}
	if need := transfer.Duration(p.Size, slowLine); others && need > left {
		out = append(out, Warning{Code: TooSlow, Mend: longer(need), Text: fmt.Sprintf("At 20 Mbit/s the whole package takes %s; it ends in %s.",
			transfer.Span(need), expiry.Left(p.Now, p.Ends))})
	}
	return out
}

func longer(need time.Duration) string {
	return "Give them " + count.Of(DaysFor(need), "day", "days")
}

// DaysFor is how many days a package should be open for a download that takes so
// long: twice that, and two days at the least.
func DaysFor(need time.Duration) int {
	const day = 24 * time.Hour
	return min(max(int((2*need+day-1)/day), 2), expiry.MaxDays)
}

// DaysNeeded is DaysFor the slowest of those who may download.
func DaysNeeded(p Plan) int {
	need := time.Duration(0)
	for _, r := range p.Recipients {
		rate := r.Past.Rate
		if rate == 0 {
			rate = slowLine
		}
		if r.Rights.Has(right.Take) {
			need = max(need, transfer.Duration(p.Size, rate))
		}
	}
	return DaysFor(need)
}

// atNight is about an end at a set hour that falls in the night of somebody who may
// download, on their clock.
func atNight(p Plan) (Warning, bool) {
	if p.Ends.IsZero() || p.Rule.Waits() {
		return Warning{}, false
	}
	var names []string
	var zone *time.Location
	for _, r := range p.Recipients {
		if r.Zone == nil || !r.Rights.Has(right.Take) || !night(p.Ends.In(r.Zone)) {
			continue
		}
		if zone == nil {
			zone = r.Zone
		}
		names = append(names, r.Name)
	}
	if zone == nil {
		return Warning{}, false
	}
	return Warning{Code: AtNight, Text: fmt.Sprintf("It ends at %s for %s, in their night.", p.Ends.In(zone).Format("15:04"), count.List(names)),
		Mend: "End it at " + DayEnd(p.Ends, zone).Format("15:04") + " in " + expiry.City(zone)}, true
}

func night(at time.Time) bool { return at.Hour() >= nightFrom || at.Hour() < nightTo }

// DayEnd is the first end of a working day at or after a moment, on the clock of a
// zone: where an end at night is moved to, so that nobody has less time than before.
func DayEnd(at time.Time, zone *time.Location) time.Time {
	local := at.In(zone)
	end := time.Date(local.Year(), local.Month(), local.Day(), dayEnd, 0, 0, 0, zone)
	if end.Before(at) {
		end = time.Date(local.Year(), local.Month(), local.Day()+1, dayEnd, 0, 0, 0, zone)
	}
	return end
}

// NightZone is the zone of the first who would have to download at night; nil where
// nobody would.
func NightZone(p Plan) *time.Location {
	for _, r := range p.Recipients {
		if r.Zone != nil && r.Rights.Has(right.Take) && night(p.Ends.In(r.Zone)) {
			return r.Zone
		}
	}
	return nil
}

func tooFew(p Plan) (Warning, bool) {
	takers := Takers(p)
	return Warning{Code: TooFew, Text: fmt.Sprintf("It would end once %s; %s may download.",
			count.Of(p.Rule.People, "person has everything", "people have everything"), count.Of(takers, "person", "people")),
			Mend: "Wait for " + count.Of(takers, "person", "people")},
		p.Rule.Kind == expiry.SomeHave && takers > 0 && p.Rule.People > takers
}

// Takers is how many on the waybill may download.
func Takers(p Plan) (n int) {
	for _, r := range p.Recipients {
		if r.Rights.Has(right.Take) {
			n++
		}
	}
	return n
}

func stems(p Plan) (Warning, bool) {
	return Warning{Code: "stems", Text: p.Stems}, p.Stems != ""
}

// sentBefore is about things that all who may download have already.
func sentBefore(p Plan) (Warning, bool) {
	var names []string
	for _, r := range p.Recipients {
		if r.Rights.Has(right.Take) {
			names = append(names, r.called())
		}
	}
	if len(names) == 0 || p.Known == 0 {
		return Warning{}, false
	}
	w := Warning{Code: SentBefore, Mend: "Leave those out"}
	if p.Known >= p.Items {
		w.Mend = ""
	}
	have := " have "
	if len(names) == 1 {
		have = " has "
	}
	w.Text = fmt.Sprintf("%s%s%d of these %s already, in this very version.", count.List(names), have, p.Known, count.Of(p.Items, "item", "items"))
	return w, true
}

func uploading(p Plan) (Warning, bool) {
	return Warning{Code: Uploading, Text: fmt.Sprintf("%s still uploading. It goes by itself once everything is there.",
		count.Of(p.Arriving, "item is", "items are"))}, p.Arriving > 0
}

// called is how a sentence calls somebody.
func (r Recipient) called() string {
	if r.Anyone {
		return "Whoever has the link"
	}
	return r.Name
}
