package ui

import (
	_ "embed"
	"regexp"
)

//go:embed src/lib/ui/tokens.css
var tokens string

var token = regexp.MustCompile(`(?m)^  --([a-z0-9-]+): ([^;]+);`)

// Tokens are the numbers of the look by their names, such as "ink" for #1d2b2f, as the
// light screens have them: letters use them too, so that a designer changes one file.
func Tokens() map[string]string {
	out := map[string]string{}
	for _, m := range token.FindAllStringSubmatch(tokens, -1) {
		if _, there := out[m[1]]; !there { // the first are those of the light screens
			out[m[1]] = m[2]
		}
	}
	return out
}
