package httpapi

import (
	"errors"
	"fmt"
	"net/http"
	"net/textproto"
	"strconv"
	"strings"
	"time"

	"aftergust/core/coverage"
)

// maxRanges bounds how many ranges one request may ask for.
const maxRanges = 64

var errUnsatisfiable = errors.New("range not satisfiable")

// parseRanges reads a Range header for content of size bytes (RFC 9110, section
// 14.1.2). No ranges and no error mean: send the whole, which also answers a
// header that is malformed or in another unit, as the RFC allows.
// errUnsatisfiable means 416.
func parseRanges(header string, size int64) ([]coverage.Range, error) {
	set, ok := strings.CutPrefix(strings.ToLower(strings.TrimSpace(header)), "bytes=")
	if !ok {
		return nil, nil
	}
	var ranges []coverage.Range
	asked := 0
	for spec := range strings.SplitSeq(set, ",") {
		spec = textproto.TrimString(spec)
		if spec == "" {
			continue
		}
		if asked++; asked > maxRanges {
			return nil, nil
		}
		first, last, dash := strings.Cut(spec, "-")
		if !dash || first == "" && last == "" || !digits(first) || !digits(last) {
			return nil, nil
		}
		from, to := saturated(first), saturated(last)
		r := coverage.Range{Start: from, End: size}
		switch {
		case first == "":
			r.Start = max(0, size-to)
		case last != "" && to < from:
			return nil, nil
		case last != "" && to < size-1:
			r.End = to + 1
		}
		if r.Len() > 0 && (first != "" || to > 0) {
			ranges = append(ranges, r)
		}
	}
	if asked == 0 {
		return nil, nil
	}
	if len(ranges) == 0 {
		return nil, errUnsatisfiable
	}
	var total int64
	for _, r := range ranges {
		total += r.Len()
	}
	if len(ranges) > 1 && total > size {
		return nil, nil // overlapping ranges that would send more than the whole
	}
	return ranges, nil
}

func digits(s string) bool {
	for _, c := range s {
		if c < '0' || c > '9' {
			return false
		}
	}
	return true
}

// saturated is the number s, or the largest there is where it has more digits.
func saturated(s string) int64 {
	n, err := strconv.ParseInt(s, 10, 64)
	if errors.Is(err, strconv.ErrRange) {
		return 1<<63 - 1
	}
	return n
}

func contentRange(r coverage.Range, size int64) string {
	return fmt.Sprintf("bytes %d-%d/%d", r.Start, r.End-1, size)
}

// ifRange reports whether the Range header of a request counts (RFC 9110,
// section 13.1.5): always without If-Range, else only where the strong tag or
// the date is exactly ours.
func ifRange(r *http.Request, etag string, modified time.Time) bool {
	condition := strings.TrimSpace(r.Header.Get("If-Range"))
	if condition == "" || condition == etag {
		return true
	}
	at, err := http.ParseTime(condition)
	return err == nil && !modified.IsZero() && at.Unix() == modified.Unix()
}

// unchanged reports whether If-None-Match names our tag.
func unchanged(r *http.Request, etag string) bool {
	for tag := range strings.SplitSeq(r.Header.Get("If-None-Match"), ",") {
		if tag = strings.TrimSpace(tag); tag == "*" || strings.TrimPrefix(tag, "W/") == etag {
			return true
		}
	}
	return false
}
