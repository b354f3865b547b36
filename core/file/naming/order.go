package naming

import (
	"strings"
	"sync"
	"unicode"

	"golang.org/x/text/collate"
	"golang.org/x/text/language"
)

// maxWeights is how many bytes of weights a key has at most. Some characters stand
// for many letters, and an index has room for keys of some two thousand bytes.
const maxWeights = 800

// sorter is a collator with room for its keys; neither may be shared.
type sorter struct {
	collator *collate.Collator
	room     collate.Buffer
}

var sorters = sync.Pool{New: func() any {
	return &sorter{collator: collate.New(language.English, collate.Numeric, collate.Loose)}
}}

// OrderKey are bytes that sort as people expect names to: letters by the Unicode
// collation algorithm (UTS #10) whatever their case and accents, numbers by their
// value (2 before 10). Names that are alike so are told apart by their own bytes.
func OrderKey(name string) []byte {
	s := sorters.Get().(*sorter)
	defer sorters.Put(s)
	s.room.Reset()
	key := s.collator.KeyFromString(&s.room, zeroless(name))
	key = key[:min(len(key), maxWeights)]
	out := make([]byte, 0, len(key)+2+len(name))
	out = append(append(out, key...), 0, 0) // less than any weight, so that "Stills" comes before "Stills 2"
	return append(out, name...)
}

// zeroless writes a 1 behind every number. The collator has no weight for a zero, so
// that "0.wav" came after "9.wav"; tenfold and one more, no number is zero, and all
// keep their order.
func zeroless(name string) string {
	var out strings.Builder
	inside := false
	for _, r := range name {
		digit := unicode.IsDigit(r)
		if inside && !digit {
			out.WriteByte('1')
		}
		inside = digit
		out.WriteRune(r)
	}
	if inside {
		out.WriteByte('1')
	}
	return out.String()
}
