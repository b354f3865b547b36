package media

import (
	"errors"
	"io"
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/encoding/charmap"
	utf "golang.org/x/text/encoding/unicode"
	"golang.org/x/text/encoding/unicode/utf32"
)

// plain is text from outside as UTF-8, at most limit bytes, without control
// characters but tabs and line ends. UTF-16 and UTF-32 are known by their byte
// order mark; what is neither that nor UTF-8 is read as Windows-1252, which
// holds Latin-1 (common practice for old files).
func plain(raw []byte, limit int) string {
	decoded := raw
	switch {
	case len(raw) > 3 && (string(raw[:4]) == "\xff\xfe\x00\x00" || string(raw[:4]) == "\x00\x00\xfe\xff"):
		decoded, _ = utf32.UTF32(utf32.BigEndian, utf32.UseBOM).NewDecoder().Bytes(raw) // what does not decode is left out
	case len(raw) > 1 && (string(raw[:2]) == "\xff\xfe" || string(raw[:2]) == "\xfe\xff"):
		decoded, _ = utf.UTF16(utf.BigEndian, utf.UseBOM).NewDecoder().Bytes(raw) // likewise
	case !utf8.Valid(trimPartial(raw)):
		decoded, _ = charmap.Windows1252.NewDecoder().Bytes(raw) // every byte is something
	}
	text := strings.TrimPrefix(strings.ToValidUTF8(string(decoded), ""), "\ufeff")
	text = strings.Map(func(r rune) rune {
		if r == '\n' || r == '\t' || r == '\f' {
			return r
		}
		if unicode.IsControl(r) {
			return -1
		}
		return r
	}, text)
	for len(text) > limit {
		text = text[:limit]
		for !utf8.ValidString(text) {
			text = text[:len(text)-1]
		}
	}
	return text
}

// trimPartial takes off a character that the end of a buffer has cut.
func trimPartial(raw []byte) []byte {
	for i := 1; i <= 3 && i <= len(raw); i++ {
		if b := raw[len(raw)-i]; utf8.RuneStart(b) {
			if !utf8.FullRune(raw[len(raw)-i:]) {
				return raw[:len(raw)-i]
			}
			break
		}
	}
	return raw
}

func readFull(r io.Reader, into []byte) (int, error) {
	n, err := io.ReadFull(r, into)
	if errors.Is(err, io.ErrUnexpectedEOF) || errors.Is(err, io.EOF) {
		err = nil
	}
	return n, err
}
