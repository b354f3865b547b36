// Package moment reads a day and an hour as people type them: "fri 18", "in 9
// days", "3 dec 18:00", "2026-12-03T18:00". It never guesses between two
// readings: 3/12 is refused, with both of them named.
package moment

import (
	"errors"
	"fmt"
	"strconv"
	"strings"
	"time"
)

// ErrUnclear is returned, wrapped with what to write instead, for what names no
// one day and hour.
var ErrUnclear = errors.New("that is not a day and an hour")

// Layout is a time on a wall clock, as ISO 8601 writes it: 2026-12-03T18:00.
const Layout = "2006-01-02T15:04"

// Examples are ways of writing that are understood.
const Examples = "fri 18, in 9 days, 3 dec 18:00"

const farthest = 3650 // days; nothing that ends is meant to be farther away

// Read is the time on the wall clock of now's zone that text means. Where it
// names no hour, the one of usual is taken ("18:00"); where it names no day, the
// next day on which that hour is still to come. What is named without a year or a
// week is the next one after now.
func Read(text string, now time.Time, usual string) (string, error) {
	r := reader{now: now, day: midnight(now), words: words(text)}
	if len(r.words) == 0 {
		return "", unclear("write when, as %s", Examples)
	}
	if err := r.read(); err != nil {
		return "", err
	}
	if r.moment != nil {
		return r.moment.Format(Layout), nil
	}
	if !r.hasHour {
		at, err := time.Parse("15:04", usual)
		if err != nil {
			return "", unclear("write the hour too, as %s", Examples)
		}
		r.hour, r.minute = at.Hour(), at.Minute()
	}
	at := r.at()
	if r.again > 0 && !at.After(wall(now)) {
		r.day = r.day.AddDate(0, 0, r.again)
		at = r.at()
	}
	if !r.hasDay && !at.After(wall(now)) {
		at = at.AddDate(0, 0, 1)
	}
	return at.Format(Layout), nil
}

type reader struct {
	now          time.Time
	words        []string
	day          time.Time // midnight of the day, as a wall clock
	hasDay       bool
	again        int // days after which it comes again, for weekdays
	hour, minute int
	hasHour      bool
	moment       *time.Time // so many hours from now: nothing else is asked
}

func (r *reader) at() time.Time {
	return time.Date(r.day.Year(), r.day.Month(), r.day.Day(), r.hour, r.minute, 0, 0, time.UTC)
}

// wall is what the clock shows, as a time that can be compared with others.
func wall(t time.Time) time.Time {
	return time.Date(t.Year(), t.Month(), t.Day(), t.Hour(), t.Minute(), t.Second(), 0, time.UTC)
}

func midnight(t time.Time) time.Time {
	return time.Date(t.Year(), t.Month(), t.Day(), 0, 0, 0, 0, time.UTC)
}

func unclear(say string, args ...any) error {
	return fmt.Errorf("%w: "+say, append([]any{ErrUnclear}, args...)...)
}

// words are the words of text in small letters; "at", "on" and commas say nothing.
func words(text string) []string {
	var out []string
	for _, w := range strings.FieldsFunc(strings.ToLower(text), func(r rune) bool { return r == ' ' || r == ',' || r == '\u00a0' }) {
		if w != "at" && w != "on" && w != "the" && w != "of" {
			out = append(out, w)
		}
	}
	return out
}

func (r *reader) read() error {
	for len(r.words) > 0 {
		taken, err := r.step()
		if err != nil {
			return err
		}
		if taken == 0 {
			return unclear("%q is not understood; write it as %s", r.words[0], Examples)
		}
		r.words = r.words[taken:]
	}
	return nil
}

// step takes the next words that mean something, and says how many.
func (r *reader) step() (int, error) {
	for _, read := range []func() (int, error){r.from, r.named, r.iso, r.date, r.clock} {
		if taken, err := read(); taken > 0 || err != nil {
			return taken, err
		}
	}
	return 0, nil
}

var units = map[string]int{"d": 1, "day": 1, "days": 1, "w": 7, "week": 7, "weeks": 7}

// from reads "in 9 days", "in a week", "in 36 hours", "in 3 months".
func (r *reader) from() (int, error) {
	if r.words[0] != "in" {
		return 0, nil
	}
	if len(r.words) < 2 {
		return 0, unclear("in how long? Write it as in 9 days")
	}
	count, unit, taken := r.words[1], "", 3
	if digits := strings.TrimRight(count, "abcdefghijklmnopqrstuvwxyz"); digits != "" && digits != count {
		count, unit, taken = digits, count[len(digits):], 2
	} else if len(r.words) > 2 {
		unit = r.words[2]
	}
	n, err := strconv.Atoi(count)
	if count == "a" || count == "an" || count == "one" {
		n, err = 1, nil
	}
	if err != nil || n < 0 || n > farthest*24 {
		return 0, unclear("%q is not a number; write it as in 9 days", r.words[1])
	}
	switch {
	case units[unit] > 0 && n <= farthest/units[unit]:
		return taken, r.setDay(r.day.AddDate(0, 0, n*units[unit]))
	case strings.HasPrefix("months", unit) && len(unit) > 2 && n <= farthest/31:
		return taken, r.setDay(r.day.AddDate(0, n, 0))
	case unit == "h" || unit == "hour" || unit == "hours":
		at := r.now.Add(time.Duration(n) * time.Hour).Truncate(time.Minute)
		r.moment = &at
		return taken, nil
	case unit == "min" || unit == "minutes" || unit == "minute":
		at := r.now.Add(time.Duration(n) * time.Minute).Truncate(time.Minute)
		r.moment = &at
		return taken, nil
	}
	return 0, unclear("in %s of what? Write days, weeks, months or hours, up to ten years", count)
}

func (r *reader) setDay(day time.Time) error {
	if r.hasDay {
		return unclear("two days are named; write one of them")
	}
	r.day, r.hasDay = day, true
	return nil
}

func (r *reader) setHour(hour, minute int) error {
	if r.hasHour {
		return unclear("two hours are named; write one of them")
	}
	r.hour, r.minute, r.hasHour = hour, minute, true
	return nil
}

// named reads words that are a day or an hour: today, tomorrow, fri, next friday, noon, midnight, tonight.
func (r *reader) named() (int, error) {
	word, taken := r.words[0], 1
	next := word == "next" || word == "this"
	if next && len(r.words) > 1 {
		word, taken = r.words[1], 2
	}
	switch word {
	case "today":
		return taken, r.setDay(r.day)
	case "tonight":
		if err := r.setHour(20, 0); err != nil {
			return 0, err
		}
		return taken, r.setDay(r.day)
	case "tomorrow", "tmrw":
		return taken, r.setDay(r.day.AddDate(0, 0, 1))
	case "week":
		return taken, r.setDay(r.day.AddDate(0, 0, 7))
	case "noon":
		return taken, r.setHour(12, 0)
	case "midnight":
		// The end of the day that is named, not its beginning.
		r.day = r.day.AddDate(0, 0, 1)
		return taken, r.setHour(0, 0)
	}
	for day := time.Sunday; day <= time.Saturday; day++ {
		if len(word) < 2 || !strings.HasPrefix(strings.ToLower(day.String()), word) {
			continue
		}
		away := (int(day) - int(r.day.Weekday()) + 7) % 7
		if away == 0 {
			r.again = 7
		}
		return taken, r.setDay(r.day.AddDate(0, 0, away))
	}
	return 0, nil
}

// iso reads 2026-12-03 and 2026-12-03T18:00.
func (r *reader) iso() (int, error) {
	day, hour, both := strings.Cut(r.words[0], "t")
	at, err := time.Parse(time.DateOnly, day)
	if err != nil {
		return 0, nil
	}
	if both {
		clock, err := time.Parse("15:04", hour)
		if err != nil {
			return 0, unclear("%q is not an hour; write it as 18:00", hour)
		}
		if err := r.setHour(clock.Hour(), clock.Minute()); err != nil {
			return 0, err
		}
	}
	return 1, r.setDay(at)
}

// month is the month that a word begins, with three letters at least.
func month(word string) (time.Month, bool) {
	for m := time.January; m <= time.December; m++ {
		if len(word) >= 3 && strings.HasPrefix(strings.ToLower(m.String()), strings.TrimSuffix(word, ".")) || word == "sept" && m == time.September {
			return m, true
		}
	}
	return 0, false
}

// ordinal is the day of a month: 3, 3rd.
func ordinal(word string) (int, bool) {
	for _, end := range []string{"st", "nd", "rd", "th"} {
		word = strings.TrimSuffix(word, end)
	}
	n, err := strconv.Atoi(word)
	return n, err == nil && n >= 1 && n <= 31
}

// date reads "3 dec", "dec 3", "3 dec 2026". Numbers alone are not a date.
func (r *reader) date() (int, error) {
	if strings.Count(r.words[0], "/") >= 1 || strings.Count(r.words[0], ".") == 2 {
		return 0, unclear("%q can be read in two ways; write the month as a word, as 3 dec", r.words[0])
	}
	if len(r.words) < 2 {
		return 0, nil
	}
	day, isDay := ordinal(r.words[0])
	m, isMonth := month(r.words[1])
	if !isDay || !isMonth {
		if m, isMonth = month(r.words[0]); !isMonth {
			return 0, nil
		}
		if day, isDay = ordinal(r.words[1]); !isDay {
			return 0, unclear("which day of %s? Write it as 3 dec", m)
		}
	}
	year, taken := r.day.Year(), 2
	given := false
	if len(r.words) > 2 && len(r.words[2]) == 4 {
		if y, err := strconv.Atoi(r.words[2]); err == nil && y >= 1970 {
			year, taken, given = y, 3, true
		}
	}
	at := time.Date(year, m, day, 0, 0, 0, 0, time.UTC)
	if !given && at.Before(r.day) {
		at = time.Date(year+1, m, day, 0, 0, 0, 0, time.UTC)
	}
	if at.Day() != day {
		return 0, unclear("%s has no day %d", m, day)
	}
	return taken, r.setDay(at)
}

// clock reads 18, 18:00, 18.30, 6pm, 6:30 pm.
func (r *reader) clock() (int, error) {
	word, taken := r.words[0], 1
	half := ""
	for _, end := range []string{"am", "pm"} {
		if strings.HasSuffix(word, end) {
			word, half = strings.TrimSuffix(word, end), end
		} else if len(r.words) > 1 && r.words[1] == end {
			half, taken = end, 2
		}
	}
	word = strings.TrimSuffix(word, "h")
	hours, minutes, split := strings.Cut(strings.ReplaceAll(word, ".", ":"), ":")
	hour, err := strconv.Atoi(hours)
	if err != nil || len(hours) > 2 {
		return 0, nil
	}
	minute := 0
	if split {
		if minute, err = strconv.Atoi(minutes); err != nil || len(minutes) != 2 {
			return 0, unclear("%q is not an hour; write it as 18:00", r.words[0])
		}
	}
	if half != "" {
		if hour < 1 || hour > 12 {
			return 0, unclear("%q is not an hour; write it as 6 pm or 18:00", r.words[0])
		}
		hour = hour%12 + map[string]int{"am": 0, "pm": 12}[half]
	}
	if hour < 0 || hour > 23 || minute < 0 || minute > 59 {
		return 0, unclear("a day has the hours 0:00 to 23:59; %q is none of them", r.words[0])
	}
	return taken, r.setHour(hour, minute)
}
