package calendar_test

import (
	"strings"
	"testing"
	"time"
	"unicode/utf8"

	. "aftergust/core/calendar"

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
		assert.Equal(t, 14, strings.Count(whole, "\r\n"), "one line for each field, whatever they say")
	})
}
