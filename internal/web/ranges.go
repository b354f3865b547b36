package web

import (
	"errors"
	"fmt"
	"net/http"
	"net/textproto"
	"strconv"
	"strings"
	"time"

	"aftergust/core/file/coverage"
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
	if asked == 0 || size == 0 { // of nothing there is no part; all of it is sent
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

// ifRange reports whether the Range header of a request counts (RFC 9110, section
// 13.1.5): without If-Range, or where that is our strong tag. A date never counts:
// two versions may be of one second, and then it does not tell which is meant
// (section 8.8.2.2); the whole is sent instead.
func ifRange(r *http.Request, etag string) bool {
	condition := strings.TrimSpace(r.Header.Get("If-Range"))
	return condition == "" || condition == etag
}

// conditions is 412, 304 or 0 for a GET or HEAD, in the order of RFC 9110, section
// 13.2.2. A tag goes before a date, and a date that cannot be read is none.
func conditions(r *http.Request, etag string, modified time.Time) int {
	h := r.Header
	modified = modified.Truncate(time.Second)
	dated := func(name string) (time.Time, bool) {
		at, err := http.ParseTime(h.Get(name))
		return at, err == nil && !modified.IsZero()
	}
	if list := tags(h, "If-Match"); list != "" {
		if !holds(list, etag, true) {
			return http.StatusPreconditionFailed
		}
	} else if at, ok := dated("If-Unmodified-Since"); ok && modified.After(at) {
		return http.StatusPreconditionFailed
	}
	if list := tags(h, "If-None-Match"); list != "" {
		if holds(list, etag, false) {
			return http.StatusNotModified
		}
	} else if at, ok := dated("If-Modified-Since"); ok && !modified.After(at) {
		return http.StatusNotModified
	}
	return 0
}

// tags are those of a header, which may come in several lines (RFC 9110, section 5.3).
func tags(h http.Header, name string) string { return strings.Join(h.Values(name), ",") }

// holds reports whether a list of tags holds ours. Compared strongly, a weak tag is no tag.
func holds(list, etag string, strong bool) bool {
	for tag := range strings.SplitSeq(list, ",") {
		if tag = strings.TrimSpace(tag); tag == "*" || tag == etag || !strong && strings.TrimPrefix(tag, "W/") == etag {
			return true
		}
	}
	return false
}
