package moment

import (
	"fmt"
	"time"

	"aftergust/core/time/expiry"
)

// A Reading is a day and an hour as it was understood, in the words of whoever it
// concerns.
type Reading struct {
	Local  string    `json:"local" doc:"on the clock of the zone, as 2026-12-03T18:00"`
	Zone   string    `json:"zone"`
	At     time.Time `json:"at"`
	Says   string    `json:"says" doc:"without doubt, as Thu 3 Dec 2026, 18:00, London"`
	Wall   string    `json:"wall" doc:"the same without the zone, as Thu 3 Dec 2026, 18:00"`
	Left   string    `json:"left" doc:"how long until then, as 6 d 3 h; ended where it has passed"`
	Twice  string    `json:"twice" doc:"what is meant where the clocks show that hour two times on that day; else empty"`
	Clocks []Clock   `json:"clocks" doc:"the same moment in other zones, in the order asked for"`
}

// A Clock is a moment as it is read in a zone.
type Clock struct {
	Zone string `json:"zone"`
	Says string `json:"says" doc:"as Thu 3 Dec 2026, 13:00, New York"`
}

// Understand reads text, or resolves a rule of so many days where text is empty,
// at the moment now. Errors are ErrUnclear and those of expiry.Rule.Resolve,
// wrapped with what to write or to choose.
func Understand(text string, days int, usual, zone string, also []string, now time.Time) (Reading, error) {
	there, err := expiry.LoadZone(zone)
	if err != nil {
		return Reading{}, err
	}
	rule := expiry.Rule{Kind: expiry.AfterDays, Days: days, Zone: zone}
	if text != "" || days == 0 {
		rule = expiry.Rule{Kind: expiry.AtTime, Zone: zone}
		if rule.Local, err = Read(text, now.In(there), usual); err != nil {
			return Reading{}, err
		}
	}
	at, err := rule.Resolve(now)
	if err != nil {
		return Reading{}, err
	}
	r := Reading{Local: at.In(there).Format(Layout), Zone: zone, At: at, Says: expiry.Exact(at, there), Wall: expiry.Wall(at, there),
		Left: expiry.Left(now, at), Clocks: []Clock{}}
	if rule.Kind == expiry.AtTime && expiry.Twice(rule.Local, there) {
		r.Twice = fmt.Sprintf("On that day the clocks in %s show %s twice; the later one is meant.", expiry.City(there), at.In(there).Format("15:04"))
	}
	for _, name := range also {
		other, err := expiry.LoadZone(name)
		if err != nil {
			return Reading{}, err
		}
		r.Clocks = append(r.Clocks, Clock{name, expiry.Exact(at, other)})
	}
	return r, nil
}
