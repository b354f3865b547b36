package preview

import (
	"strings"
	"unicode/utf8"
)

// What somebody who may look and not take gets to read of a text: its beginning.
const (
	ExcerptShare = 2    // at most one part in so many of it
	ExcerptMost  = 2000 // characters at most
)

// Excerpt is the beginning of a text for somebody who may only look: at most half
// of it and at most 2000 characters, up to the end of a line or a word. It is
// empty for a text of one word.
func Excerpt(text string) string {
	n := min(utf8.RuneCountInString(text)/ExcerptShare, ExcerptMost)
	end := 0
	for range n {
		_, size := utf8.DecodeRuneInString(text[end:])
		end += size
	}
	begin := text[:end]
	if at := strings.LastIndexByte(begin, '\n'); at > end/2 {
		return begin[:at]
	}
	return strings.TrimRight(begin[:strings.LastIndexAny(begin, " \t\n")+1], " \t\n")
}
