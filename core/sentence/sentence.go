// Package sentence writes the one sentence that says, before a package goes
// out, exactly what will happen, to whom, and until when on their clock; and
// the warnings for what looks like a mistake.
package sentence

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"aftergust/core/access"
	"aftergust/core/count"
	"aftergust/core/door"
	"aftergust/core/expiry"
	"aftergust/core/right"
	"aftergust/core/transfer"
)

// A Recipient is one person on the waybill.
type Recipient struct {
	ID     string
	Name   string // as the sentence calls them
	Rights right.Rights
	Zone   *time.Location // nil where it is not known
	Anyone bool           // the link that anyone may use, not a person
}

// A Plan is the package as it would be sent now.
type Plan struct {
	Items         int   // in the package, with those that are still arriving
	Size          int64 // bytes of all of them
	Arriving      int   // of the items, those that are still being uploaded
	Recipients    []Recipient
	Door          door.Door
	HasPassphrase bool
	Ends          time.Time // zero where the rule does not resolve
	EndProblem    string    // why not, in words
	Zone          *time.Location
	Now           time.Time
}

// A Part is a run of the sentence; Strong parts are set heavier.
type Part struct {
	Text   string `json:"text"`
	Strong bool   `json:"strong"`
}

// A Warning is something that looks like a mistake. Where Blocks is set the
// package cannot be sent until it is mended.
type Warning struct {
	Code      string `json:"code"`
	Text      string `json:"text"`
	Blocks    bool   `json:"blocks"`
	Recipient string `json:"recipient,omitempty" doc:"id of the recipient that it is about"`
}

// Write is the sentence, in parts.
func Write(p Plan) []Part {
	parts := []Part{{"Send ", false}, {fmt.Sprintf("%s (%s)", count.Of(p.Items, "item", "items"), transfer.Size(p.Size)), true}}
	people := 0
	for _, r := range p.Recipients {
		if !r.Anyone {
			people++
		}
	}
	switch {
	case len(p.Recipients) == 0:
		parts = append(parts, Part{" to nobody yet.", false})
	case people == 0:
		parts = append(parts, Part{" by a link", true}, Part{": " + grants(p.Recipients) + ".", false})
	default:
		parts = append(parts, Part{" to ", false}, Part{count.Of(people, "person", "people"), true}, Part{": " + grants(p.Recipients) + ".", false})
	}
	parts = append(parts, Part{" " + door.All.Get(p.Door).Says, false})
	if p.Ends.IsZero() {
		return append(parts, Part{" The end is not set.", false})
	}
	parts = append(parts, Part{" Ends ", false}, Part{expiry.Short(p.Ends, p.Zone), true}, Part{" in " + expiry.City(p.Zone) + elsewhere(p) +
		".", false})
	return parts
}

// Text is the sentence as plain text.
func Text(parts []Part) string {
	var b strings.Builder
	for _, part := range parts {
		b.WriteString(part.Text)
	}
	return b.String()
}

// grants groups people with the same rights: "Hanne and P. Anstey may look,
// note and download; Tomos may only look".
func grants(recipients []Recipient) string {
	var order []string
	groups := map[string][]Recipient{}
	for _, r := range recipients {
		key := r.Rights.Clean().String()
		if groups[key] == nil {
			order = append(order, key)
		}
		groups[key] = append(groups[key], r)
	}
	var clauses []string
	for _, key := range order {
		group := groups[key]
		names := make([]string, len(group))
		for i, r := range group {
			names[i] = r.Name
			if r.Anyone {
				names[i] = "anyone with the link"
			}
		}
		rights := group[0].Rights.Clean()
		words := make([]string, len(rights))
		for i, v := range rights {
			words[i] = right.All.Get(v).Does
		}
		may := " may " + and(words)
		switch {
		case len(words) == 0:
			may = " may do nothing"
		case len(words) == 1:
			may = " may only " + words[0]
		}
		clauses = append(clauses, and(names)+may)
	}
	return strings.Join(clauses, "; ")
}

// elsewhere adds the end on the clock of each recipient in another zone.
func elsewhere(p Plan) string {
	var b strings.Builder
	seen := map[string][]string{}
	var order []string
	_, here := p.Ends.In(p.Zone).Zone()
	for _, r := range p.Recipients {
		if r.Zone == nil {
			continue
		}
		if _, there := p.Ends.In(r.Zone).Zone(); there == here {
			continue
		}
		clock := p.Ends.In(r.Zone).Format("15:04")
		if p.Ends.In(r.Zone).YearDay() != p.Ends.In(p.Zone).YearDay() {
			clock = expiry.Short(p.Ends, r.Zone)
		}
		if seen[clock] == nil {
			order = append(order, clock)
		}
		seen[clock] = append(seen[clock], r.Name)
	}
	for _, clock := range order {
		fmt.Fprintf(&b, ", %s for %s", clock, and(seen[clock]))
	}
	return b.String()
}

// slowLine is a modest connection at home, in bits a second (common practice).
const slowLine = 20 * transfer.Mbit

// Warnings lists what looks like a mistake, the blocking ones first.
func Warnings(p Plan) []Warning {
	var out []Warning
	block := func(code, text string) { out = append(out, Warning{Code: code, Text: text, Blocks: true}) }
	warn := func(code, text, recipient string) {
		out = append(out, Warning{Code: code, Text: text, Recipient: recipient})
	}
	if p.Items == 0 {
		block("no_items", "There is nothing in the package. Drop files anywhere on this page.")
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
	if p.Arriving > 0 {
		block("uploading", fmt.Sprintf("%s still uploading.", count.Of(p.Arriving, "item is", "items are")))
	}
	takers := false
	for _, r := range p.Recipients {
		takers = takers || r.Rights.Has(right.Take)
		if r.Anyone && !door.All.Get(p.Door).Anyone {
			block("anyone_named", "A link for anyone cannot stand behind a door for named people. Remove it or choose another door.")
		}
		if !access.LetsIn(r.Rights) {
			warn("no_rights", r.Name+" may neither look nor download.", r.ID)
		}
		if r.Anyone && p.Door.Needs() == door.Nothing && r.Rights.Has(right.Take) {
			warn("open_take", "Whoever gets hold of the open link can download everything.", r.ID)
		}
	}
	if len(p.Recipients) > 0 && !takers {
		warn("no_takers", "Nobody may download. They can look, but not take the files.", "")
	}
	if left := p.Ends.Sub(p.Now); takers && !p.Ends.IsZero() {
		if need := transfer.Duration(p.Size, slowLine); need > left {
			warn("too_slow", fmt.Sprintf("At 20 Mbit/s the whole package takes %s; it ends in %s.", transfer.Span(need),
				expiry.Left(p.Now, p.Ends)), "")
		}
	}
	slices.SortStableFunc(out, func(a, b Warning) int {
		switch {
		case a.Blocks == b.Blocks:
			return 0
		case a.Blocks:
			return -1
		default:
			return 1
		}
	})
	return out
}

func and(words []string) string {
	if len(words) < 2 {
		return strings.Join(words, "")
	}
	return strings.Join(words[:len(words)-1], ", ") + " and " + words[len(words)-1]
}

func capital(s string) string {
	if s == "" {
		return s
	}
	return strings.ToUpper(s[:1]) + s[1:]
}
