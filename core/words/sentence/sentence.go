// Package sentence writes the one sentence that says, before a package goes
// out, exactly what will happen, to whom, and until when on their clock; and
// the warnings for what looks like a mistake.
package sentence

import (
	"fmt"
	"strings"
	"time"

	"aftergust/core/file/transfer"
	"aftergust/core/link/door"
	"aftergust/core/link/right"
	"aftergust/core/time/expiry"
	"aftergust/core/words/count"
)

// A Recipient is one person on the waybill.
type Recipient struct {
	ID     string
	Name   string // as the sentence calls them
	Rights right.Rights
	Zone   *time.Location // nil where it is not known
	Anyone bool           // the link that anyone may use, not a person
	Link   string         // name of one's own for their link; empty for none
	Past   Past
}

// A Past is what is known of a person from before.
type Past struct {
	Title   string       // of the last package that went to them; empty: there was none
	Rights  right.Rights // that they had in it
	Client  string       // the client to whom they belong; empty for none
	Bounced string       // why the last letter to them did not arrive; empty if it did
	Rate    int64        // bits a second at which they were seen to download; 0 while that is not known
}

// A Plan is the package as it would be sent now.
type Plan struct {
	Items         int   // in the package, with those that are still arriving
	Size          int64 // bytes of all of them
	Arriving      int   // of the items, those that are still being uploaded
	Known         int   // of the items, those that all who may download have already, in this very version
	Recipients    []Recipient
	Door          door.Door
	HasPassphrase bool
	Rule          expiry.Rule
	Ends          time.Time // the latest end; zero where the rule does not resolve
	EndProblem    string    // why not, in words
	Client        string    // whose things they are; empty where they are of several, or of none
	Stems         string    // what preflight says of stems that are not equally long; empty where they are
	Unconfirmed   string    // mail address of the sender, where nobody has shown that it is theirs; empty for most
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
	Mend      string `json:"mend,omitempty" doc:"what one click does about it; empty where it takes more than that"`
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
	parts = append(parts, Part{" Ends ", false})
	if p.Rule.Waits() {
		parts = append(parts, Part{p.Rule.When(), true}, Part{", and at the latest ", false})
	}
	return append(parts, Part{expiry.Short(p.Ends, p.Zone), true}, Part{" in " + expiry.City(p.Zone) + elsewhere(p) + ".", false})
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
		may := " may " + count.List(words)
		switch {
		case len(words) == 0:
			may = " may do nothing"
		case len(words) == 1:
			may = " may only " + words[0]
		}
		clauses = append(clauses, count.List(names)+may)
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
		fmt.Fprintf(&b, ", %s for %s", clock, count.List(seen[clock]))
	}
	return b.String()
}

func capital(s string) string {
	if s == "" {
		return s
	}
	return strings.ToUpper(s[:1]) + s[1:]
}
