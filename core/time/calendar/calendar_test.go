package calendar_test

import (
	"strings"
	"testing"
	"time"
	"unicode/utf8"

	. "aftergust/core/time/calendar"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

// Source: RFC 5545, 3.1 and 3.3.11, and its example of a date in UTC (3.3.5): 19980119T070000Z.
func TestAnEntryIsWrittenAsCalendarsReadIt(t *testing.T) {
	at := time.Date(1998, 1, 19, 8, 0, 0, 0, time.FixedZone("", 3600))
	file := File(Entry{UID: "p1@studio.example", At: at, Made: at, Title: "Lifeboat, cut 4; ends", About: `Here: C:\x` + "\nthen gone", URL: "http://studio.example/r/x",
		Before: 24 * time.Hour})
	lines := strings.Split(file, "\r\n")
	for _, want := range []string{"BEGIN:VCALENDAR", "VERSION:2.0", "DTSTART:19980119T070000Z", `SUMMARY:Lifeboat\, cut 4\; ends`,
		`DESCRIPTION:Here: C:\\x\nthen gone`, "TRIGGER:-PT1440M", "END:VCALENDAR"} {
		assert.Contains(t, lines, want)
	}
	assert.NotContains(t, file, "DTEND", "it would have to be later than the beginning (3.8.2.2), and this has no length")
	assert.NotContains(t, strings.ReplaceAll(file, "\r\n", ""), "\n")
}

func TestLinesAreFoldedAndNobodyWritesIntoAnotherField(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		title := rapid.String().Draw(t, "title")
		file := File(Entry{UID: "u", At: time.Unix(1e9, 0), Made: time.Unix(1e9, 0), Title: title, About: title})
		for _, line := range strings.Split(file, "\r\n") {
			assert.LessOrEqual(t, len(line), 75)
			assert.True(t, utf8.ValidString(line), "a letter is not parted")
		}
		whole := strings.ReplaceAll(file, "\r\n ", "")
		assert.Equal(t, 1, strings.Count(whole, "\r\nUID:"))
		assert.Equal(t, 13, strings.Count(whole, "\r\n"), "one line for each field, whatever they say")
	})
}

// Source: RFC 5545, 3.4 (one calendar, any number of components), and RFC 7986, 5.1 and 5.7.
func TestAFeedHoldsManyUnderAName(t *testing.T) {
	at := time.Date(2026, 11, 27, 9, 0, 0, 0, time.UTC)
	feed := Feed("What ends, Low Tide; all", 15*time.Minute, Entry{UID: "a", At: at, Made: at, Title: "A ends"}, Entry{UID: "b", At: at, Made: at, Title: "B ends"})
	lines := strings.Split(feed, "\r\n")
	for _, want := range []string{`NAME:What ends\, Low Tide\; all`, "REFRESH-INTERVAL;VALUE=DURATION:PT15M", "UID:a", "UID:b", "SUMMARY:B ends"} {
		assert.Contains(t, lines, want)
	}
	assert.Equal(t, 1, strings.Count(feed, "BEGIN:VCALENDAR"))
	assert.Equal(t, 2, strings.Count(feed, "END:VEVENT"))
	assert.True(t, strings.HasSuffix(Feed("none", time.Hour), "PT60M\r\nEND:VCALENDAR\r\n"))
}
