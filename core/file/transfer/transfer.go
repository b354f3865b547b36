// Package transfer words and computes sizes, rates and durations of transfers.
//
// Sizes are SI: 1 GB is 1000 MB. Line rates are bits a second.
package transfer

import (
	"fmt"
	"strings"
	"time"
)

// Mbit is a line rate of one megabit a second, in bits a second.
const Mbit int64 = 1_000_000

// Duration is the time that size bytes take at a steady rate in bits a second,
// rounded up to the second. It is 0 for a rate that is not positive.
func Duration(size, rate int64) time.Duration {
	if rate <= 0 || size <= 0 {
		return 0
	}
	seconds := float64(size) * 8 / float64(rate)
	whole := time.Duration(seconds) * time.Second
	if float64(whole/time.Second) < seconds {
		whole += time.Second
	}
	return whole
}

// mailLimit is what mail programs commonly accept for a whole message (common practice).
const mailLimit int64 = 25_000_000

// FitsMail reports whether a file of size bytes can be mailed: base64 makes
// 4 bytes of 3 and breaks the line each 76 characters with CR LF (RFC 2045,
// section 6.8), which is 1.368 times the size.
func FitsMail(size int64) bool { return Encoded(size) <= mailLimit }

// Encoded is the length of size bytes in base64 with lines of 76 characters,
// each, also the last, ended by CR LF.
func Encoded(size int64) int64 {
	characters := (size + 2) / 3 * 4
	return characters + (characters+75)/76*2
}

// Size words a number of bytes with a unit and two or three figures: "0 bytes",
// "980 bytes", "4.2 GB", "412 MB".
func Size(n int64) string {
	if n == 1 {
		return "1 byte"
	}
	if n < 1000 {
		return fmt.Sprintf("%d bytes", max(n, 0))
	}
	value, units := float64(n), []string{"kB", "MB", "GB", "TB", "PB", "EB"}
	for i, unit := range units {
		value /= 1000
		switch {
		case value < 9.95:
			return fmt.Sprintf("%.1f %s", value, unit)
		case value < 999.5 || i == len(units)-1:
			return fmt.Sprintf("%.0f %s", value, unit)
		}
	}
	return "" // not reached: the last unit always returns
}

// Span words a duration for people: "4 s", "12 min", "2 h 5 min".
func Span(d time.Duration) string {
	seconds := int(d.Round(time.Second) / time.Second)
	switch {
	case seconds < 60:
		return fmt.Sprintf("%d s", seconds)
	case seconds < 3600:
		return fmt.Sprintf("%d min", (seconds+30)/60)
	case seconds%3600 < 60:
		return fmt.Sprintf("%d h", seconds/3600)
	default:
		return fmt.Sprintf("%d h %d min", seconds/3600, seconds%3600/60)
	}
}

// Rate words a line rate in bits a second: "20 Mbit/s", "850 kbit/s", "1.2 Gbit/s".
func Rate(bits int64) string {
	value, units := float64(bits)/1000, []string{"kbit/s", "Mbit/s", "Gbit/s"}
	for i, unit := range units {
		switch {
		case value < 9.95:
			return strings.TrimSuffix(fmt.Sprintf("%.1f", value), ".0") + " " + unit
		case value < 999.5 || i == len(units)-1:
			return fmt.Sprintf("%.0f %s", value, unit)
		}
		value /= 1000
	}
	return "" // not reached: the last unit always returns
}
