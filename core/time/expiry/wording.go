package expiry

import (
	"fmt"
	"strings"
	"time"
)

// Left words the time from now until the end: "12 days", "1 d 7 h", "3 h 20 min",
// "4 min", "less than a minute", "ended". It rounds down, so that nobody is
// promised more than there is.
func Left(now, ends time.Time) string {
	left := ends.Sub(now)
	days, hours, minutes := int(left/(24*time.Hour)), int(left/time.Hour), int(left/time.Minute)
	switch {
	case left <= 0:
		return "ended"
	case days >= 7:
		return fmt.Sprintf("%d days", days)
	case days >= 1:
		return strings.TrimSuffix(fmt.Sprintf("%d d %d h", days, hours%24), " 0 h")
	case hours >= 1:
		return strings.TrimSuffix(fmt.Sprintf("%d h %d min", hours, minutes%60), " 0 min")
	case minutes >= 1:
		return fmt.Sprintf("%d min", minutes)
	default:
		return "less than a minute"
	}
}

// Short is a moment with its weekday, such as "Fri 4 Dec, 18:00".
func Short(at time.Time, zone *time.Location) string { return at.In(zone).Format("Mon 2 Jan, 15:04") }

// Long is a moment in full, such as "Friday 4 December 2026, 18:00 (Europe/London)".
func Long(at time.Time, zone *time.Location) string {
	return at.In(zone).Format("Monday 2 January 2006, 15:04") + " (" + zone.String() + ")"
}

// Exact is a moment without doubt, such as "Thu 3 Dec 2026, 18:00, London".
func Exact(at time.Time, zone *time.Location) string {
	return Wall(at, zone) + ", " + City(zone)
}

// Wall is what a calendar and a clock in the zone show, such as "Thu 3 Dec 2026, 18:00".
func Wall(at time.Time, zone *time.Location) string {
	return at.In(zone).Format("Mon 2 Jan 2006, 15:04")
}

// City is how a zone is named in a sentence: "London" for Europe/London,
// "New York" for America/New_York.
func City(zone *time.Location) string {
	name := zone.String()
	return strings.ReplaceAll(name[strings.LastIndex(name, "/")+1:], "_", " ")
}

// Local is what the clocks in a zone show at a moment, as InZone reads it.
func Local(at time.Time, zone *time.Location) string { return at.In(zone).Format(localLayout) }
