// Package naming makes names that come from outside fit to be used: safe to
// show, safe as a file on any system, free of collisions in one archive, and
// correct in an HTTP header.
//
// Reserved names and characters are those that Windows documents for its file
// names; twins are found after Unicode NFC normalisation (UAX #15) and case folding.
package naming

import (
	"fmt"
	"path"
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/cases"
	"golang.org/x/text/unicode/norm"
)

// MaxBytes is the longest name of one file or folder, in bytes of UTF-8. Most
// file systems stop at 255; the rest is room for a number against collisions.
const MaxBytes = 240

// Display is a name as it may be shown: in NFC, without control characters and
// without the marks that change the direction of text around it. It is never empty.
func Display(name string) string {
	clean := strings.Map(func(r rune) rune {
		if r == utf8.RuneError || unicode.IsControl(r) || directionMark(r) || r == '\u2028' || r == '\u2029' {
			return -1
		}
		return r
	}, strings.ToValidUTF8(name, ""))
	// Last, since what was taken out may have kept a letter and its accent apart.
	clean = norm.NFC.String(clean)
	clean = strings.TrimSpace(clean)
	if clean == "" {
		return "unnamed"
	}
	return clean
}

// Bidi controls of UAX #9: they can make "gpj.exe" look like a picture.
func directionMark(r rune) bool {
	return r == '\u061c' || r == '\u200e' || r == '\u200f' || (r >= '\u202a' && r <= '\u202e') || (r >= '\u2066' && r <= '\u2069')
}

var reserved = map[string]bool{"con": true, "prn": true, "aux": true, "nul": true, "conin$": true, "conout$": true}

func init() {
	for _, device := range []string{"com", "lpt"} {
		for _, digit := range []string{"0", "1", "2", "3", "4", "5", "6", "7", "8", "9", "¹", "²", "³"} {
			reserved[device+digit] = true
		}
	}
}

// Portable is one path element that can be a file on Windows, macOS and Linux.
// Forbidden characters become underscores, trailing dots and spaces go, a
// reserved word gets an underscore in front, and a long name is cut before its
// extension.
func Portable(name string) string {
	clean := strings.Map(func(r rune) rune {
		if strings.ContainsRune(`<>:"/\|?*`, r) {
			return '_'
		}
		return r
	}, Display(name))
	clean = trimEnd(clean)
	if clean == "" {
		return "_"
	}
	stem, _, _ := strings.Cut(clean, ".")
	if reserved[strings.ToLower(strings.TrimSpace(stem))] {
		clean = "_" + clean
	}
	return shorten(clean, MaxBytes)
}

// PortablePath makes every element of a slash-separated path portable. Empty
// elements, "." and ".." are dropped, so the result never leaves its folder.
func PortablePath(name string) string {
	var kept []string
	for element := range strings.SplitSeq(strings.ReplaceAll(name, `\`, "/"), "/") {
		if trimmed := strings.TrimSpace(element); trimmed == "" || trimmed == "." || trimmed == ".." {
			continue
		}
		kept = append(kept, Portable(element))
	}
	if len(kept) == 0 {
		return "unnamed"
	}
	return strings.Join(kept, "/")
}

func shorten(name string, limit int) string {
	if len(name) <= limit {
		return name
	}
	extension := path.Ext(name)
	if len(extension) > 16 {
		extension = ""
	}
	stem := name[:limit-len(extension)]
	for !utf8.ValidString(stem) {
		stem = stem[:len(stem)-1]
	}
	return trimEnd(stem) + extension
}

// trimEnd takes dots and white space off the end, which Windows does not keep.
func trimEnd(name string) string {
	return strings.TrimRightFunc(name, func(r rune) bool { return r == '.' || unicode.IsSpace(r) })
}

// A Namer gives out paths for one archive, no two of which are the same file on
// a system that ignores case or Unicode form. The zero Namer is ready for use.
type Namer struct {
	taken map[string]bool // files, and folders as well
	files map[string]bool
}

// Give is the path to use for a thing called name: its portable form, with
// " (2)", " (3)" and so on before the extension where a twin was given before,
// or where a folder of that name exists.
func (n *Namer) Give(name string) string {
	if n.taken == nil {
		n.taken, n.files = map[string]bool{}, map[string]bool{}
	}
	wanted := n.clearOfFiles(PortablePath(name))
	extension := path.Ext(wanted)
	stem := strings.TrimSuffix(wanted, extension)
	candidate := wanted
	for i := 2; n.taken[TwinKey(candidate)]; i++ {
		candidate = fmt.Sprintf("%s (%d)%s", stem, i, extension)
	}
	key := TwinKey(candidate)
	n.taken[key], n.files[key] = true, true
	for dir := path.Dir(candidate); dir != "."; dir = path.Dir(dir) {
		n.taken[TwinKey(dir)] = true
	}
	return candidate
}

// Folder is the portable path of a folder with nothing in it, ending with a slash;
// ok is false where it is there already, or stands in the way of a file. Give it
// folders after all files.
func (n *Namer) Folder(name string) (folder string, ok bool) {
	if n.taken == nil {
		n.taken, n.files = map[string]bool{}, map[string]bool{}
	}
	folder = PortablePath(name)
	if key := TwinKey(folder); strings.Trim(name, "/") == "" || n.taken[key] {
		return "", false
	}
	for dir := folder; dir != "."; dir = path.Dir(dir) {
		if n.files[TwinKey(dir)] {
			return "", false
		}
		n.taken[TwinKey(dir)] = true
	}
	return folder + "/", true
}

// clearOfFiles renames folders on the way that exist already as files.
func (n *Namer) clearOfFiles(name string) string {
	elements := strings.Split(name, "/")
	for i := range len(elements) - 1 {
		base := elements[i]
		for k := 2; n.files[TwinKey(strings.Join(elements[:i+1], "/"))]; k++ {
			elements[i] = fmt.Sprintf("%s (%d)", base, k)
		}
	}
	return strings.Join(elements, "/")
}

// TwinKey is the same for two names exactly if they would be one file on a
// system that ignores case or Unicode form.
func TwinKey(name string) string { return norm.NFC.String(cases.Fold().String(norm.NFC.String(name))) }

// Attachment is a Content-Disposition header that offers name for saving: a
// plain filename for old programs and filename* by RFC 6266 and RFC 8187.
func Attachment(name string) string {
	name = Portable(name)
	var plain, extended strings.Builder
	for _, r := range name {
		switch {
		case r == '"' || r == '\\' || r == '%':
			plain.WriteByte('_')
		case r < 0x20 || r > 0x7e:
			plain.WriteByte('_')
		default:
			plain.WriteRune(r)
		}
	}
	for i := range len(name) {
		if c := name[i]; attrChar(c) {
			extended.WriteByte(c)
		} else {
			fmt.Fprintf(&extended, "%%%02x", c)
		}
	}
	if plain.String() == name {
		return fmt.Sprintf(`attachment; filename="%s"`, name)
	}
	return fmt.Sprintf(`attachment; filename="%s"; filename*=utf-8''%s`, plain.String(), extended.String())
}

// attr-char of RFC 8187, section 3.2.1.
func attrChar(c byte) bool {
	return c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9' || strings.IndexByte("!#$&+-.^_`|~", c) >= 0
}

// Title makes a title of a file or folder name: underscores become spaces, and
// what remains is at most 120 characters.
func Title(name string) string {
	title := strings.Join(strings.Fields(strings.ReplaceAll(Display(name), "_", " ")), " ")
	if runes := []rune(title); len(runes) > 120 {
		title = strings.TrimSpace(string(runes[:119])) + "…"
	}
	return title
}
