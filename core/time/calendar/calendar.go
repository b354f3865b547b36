// Package calendar writes moments for the calendars of other programs (RFC 5545).
package calendar

import (
	"strings"
	"time"
	"unicode/utf8"
)

// An Entry is one moment.
type Entry struct {
	UID    string // the same for the same entry, so that a new one takes its place
	At     time.Time
	Made   time.Time
	Title  string
	About  string
	URL    string
	Before time.Duration // how long before somebody is reminded; 0: not at all
}

// File is a calendar with one entry. Moments are in UTC, which every calendar shows on
// its own clock.
func File(e Entry) string { return calendar("", e) }

// Feed is a calendar that is asked for again and again, under a name; refresh is how
// often that makes sense (RFC 7986, 5.7).
func Feed(name string, refresh time.Duration, entries ...Entry) string {
	var b strings.Builder
	fold(&b, "NAME:"+text(name))
	fold(&b, "X-WR-CALNAME:"+text(name)) // what most calendars read instead (common practice)
	fold(&b, "REFRESH-INTERVAL;VALUE=DURATION:PT"+minutes(refresh)+"M")
	return calendar(b.String(), entries...)
}

// calendar is a calendar with lines about itself, and entries.
func calendar(itself string, entries ...Entry) string {
	var b strings.Builder
	line := func(name, value string) { fold(&b, name+":"+value) }
	line("BEGIN", "VCALENDAR")
	line("VERSION", "2.0")
	line("PRODID", "-//Aftergust//Packages//EN")
	line("METHOD", "PUBLISH")
	b.WriteString(itself)
	for _, e := range entries {
		e.write(line)
	}
	line("END", "VCALENDAR")
	return b.String()
}

func (e Entry) write(line func(name, value string)) {
	line("BEGIN", "VEVENT")
	line("UID", e.UID)
	line("DTSTAMP", stamp(e.Made))
	line("DTSTART", stamp(e.At)) // without DTEND, which would have to be later (RFC 5545, section 3.6.1)
	line("SUMMARY", text(e.Title))
	line("DESCRIPTION", text(e.About))
	if e.URL != "" {
		line("URL", e.URL)
	}
	line("TRANSP", "TRANSPARENT") // it takes nobody's time
	if e.Before > 0 {
		line("BEGIN", "VALARM")
		line("ACTION", "DISPLAY")
		line("DESCRIPTION", text(e.Title))
		line("TRIGGER", "-PT"+minutes(e.Before)+"M")
		line("END", "VALARM")
	}
	line("END", "VEVENT")
}

func stamp(at time.Time) string { return at.UTC().Format("20060102T150405Z") }

func minutes(d time.Duration) string {
	n := int64(d / time.Minute)
	var digits []byte
	for ; n > 0; n /= 10 {
		digits = append([]byte{byte('0' + n%10)}, digits...)
	}
	return string(digits)
}

// text escapes a text (RFC 5545, 3.3.11); what is no text is left out.
func text(s string) string {
	s = strings.NewReplacer(`\`, `\\`, ";", `\;`, ",", `\,`, "\r\n", `\n`, "\n", `\n`, "\r", `\n`).Replace(s)
	return strings.Map(func(r rune) rune {
		if r < ' ' || r == 0x7f || r == utf8.RuneError {
			return -1
		}
		return r
	}, s)
}

// width is how many bytes a line has at most, without its end (RFC 5545, 3.1).
const width = 75

// fold writes a line in as many as it takes, without parting a letter.
func fold(b *strings.Builder, line string) {
	for room := width; len(line) > room; room = width - 1 {
		at := room
		for !utf8.RuneStart(line[at]) {
			at--
		}
		b.WriteString(line[:at] + "\r\n ")
		line = line[at:]
	}
	b.WriteString(line + "\r\n")
}
