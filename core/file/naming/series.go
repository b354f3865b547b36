package naming

import (
	"path"
	"regexp"
	"strconv"
	"strings"
)

// Numbers that mark a version in a file's name (common practice): film_v03,
// "Lifeboat, cut 4", logo-ver2, mix3.
var numbered = regexp.MustCompile(`(?i)^(.*?[^a-z0-9]|)(v|ver|version|cut|draft|rev|mix)[ ._-]?(\d{1,4})$`)

// Series splits a name that counts versions: "film_v03.mov" is number 3 of
// "film v mov". Two names are of one series where their stems are equal; ok is
// false for a name that counts nothing.
func Series(name string) (stem string, number int, ok bool) {
	extension := path.Ext(name)
	begin, word, number := count(strings.TrimSuffix(name, extension))
	if begin == "" {
		return "", 0, false // "v3.mov" alone says nothing of what it is
	}
	return TwinKey(begin) + " " + word + strings.ToLower(extension), number, true
}

// Uncounted is a name that counts versions without its count: "film.mov" for
// "film_v03.mov". Any other name is returned as it is.
func Uncounted(name string) string {
	extension := path.Ext(name)
	if begin, _, _ := count(strings.TrimSuffix(name, extension)); begin != "" {
		return begin + extension
	}
	return name
}

// count splits a name that counts; begin is empty for one that does not.
func count(name string) (begin, word string, number int) {
	m := numbered.FindStringSubmatch(strings.TrimSpace(name))
	if m == nil {
		return "", "", 0
	}
	number, _ = strconv.Atoi(m[3]) // up to four digits
	return strings.TrimRight(m[1], " ._-,"), strings.ToLower(m[2]), number
}

// Stem is what two formats of one thing have in common: the name without its
// extension, compared without case and Unicode form.
func Stem(name string) string { return TwinKey(strings.TrimSuffix(name, path.Ext(name))) }

// Free is name, or name with the first number from 2 that is not taken, before
// its extension: "cut.mov", "cut 2.mov".
func Free(name string, taken func(string) (bool, error)) (string, error) {
	extension := path.Ext(name)
	if strings.ContainsAny(extension, " ") || len(extension) > 8 {
		extension = "" // a dot in a sentence
	}
	try := name
	for n := 2; ; n++ {
		is, err := taken(try)
		if err != nil || !is {
			return try, err
		}
		try = strings.TrimSuffix(name, extension) + " " + strconv.Itoa(n) + extension
	}
}

// SameSeries reports whether two names are of versions of one thing: they differ by the number
// that they count, and by how they end. The first may have none.
func SameSeries(a, b string) bool {
	base := func(name string) string { return Stem(Uncounted(name)) }
	_, _, counts := Series(a)
	_, _, count := Series(b)
	return (counts || count) && base(a) == base(b)
}
