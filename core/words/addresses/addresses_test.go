package addresses_test

import (
	"net/mail"
	"strings"
	"testing"

	. "aftergust/core/words/addresses"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestALineAndAColumnArePeople(t *testing.T) {
	hanne, tomos := "hanne@kelpwick.example", "tomos@gethin.example"
	for text, want := range map[string][]Entry{
		"":                            nil,
		" \n,;\n":                     nil,
		hanne:                         {{hanne, "", hanne}},
		hanne + ", " + tomos:          {{hanne, "", hanne}, {tomos, "", tomos}},
		hanne + "\n" + tomos + "\r\n": {{hanne, "", hanne}, {tomos, "", tomos}},
		"Hanne Orrick <hanne@kelpwick.example>; Tomos Gethin <tomos@gethin.example>": {
			{"Hanne Orrick <hanne@kelpwick.example>", "Hanne Orrick", hanne}, {"Tomos Gethin <tomos@gethin.example>", "Tomos Gethin", tomos}},
		"Hanne Orrick\thanne@kelpwick.example\tMuseum": {{"Hanne Orrick\thanne@kelpwick.example\tMuseum", "Hanne Orrick", hanne}},
		`"Orrick, Hanne" <hanne@kelpwick.example>`:     {{`"Orrick, Hanne" <hanne@kelpwick.example>`, "Hanne Orrick", hanne}},
		"mailto:hanne@kelpwick.example":                {{"mailto:hanne@kelpwick.example", "", hanne}},
		"(hanne@kelpwick.example).":                    {{"(hanne@kelpwick.example).", "", hanne}},
		"Write to hanne@kelpwick.example.":             {{"Write to hanne@kelpwick.example.", "Write to", hanne}},
		"Hanne Orrick":                                 {{"Hanne Orrick", "", ""}},
		"Hanne Orrick, Tomos Gethin":                   {{"Hanne Orrick", "", ""}, {"Tomos Gethin", "", ""}},
		"1. hanne@kelpwick.example":                    {{"1. hanne@kelpwick.example", "", hanne}},
		"hanne@kelpwick.example <hanne@kelpwick.example>, " + tomos: {
			{"hanne@kelpwick.example <hanne@kelpwick.example>", "", hanne}, {tomos, "", tomos}},
	} {
		assert.Equal(t, want, Split(text), "%q", text)
	}
}

// Source: RFC 5322 as Go's net/mail reads and writes it: a list that a mail program
// would make comes back whole, name by name.
func TestAListAsMailProgramsWriteItComesBack(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var list []string
		var want []mail.Address
		for range rapid.IntRange(1, 6).Draw(t, "how many") {
			a := mail.Address{Name: rapid.StringMatching(`([A-Z][a-z]{1,8}( [A-Z][a-z]{1,8})?)?`).Draw(t, "name"),
				Address: rapid.StringMatching(`[a-z]{1,8}@[a-z]{1,8}\.example`).Draw(t, "address")}
			list, want = append(list, a.String()), append(want, a)
		}
		got := Split(strings.Join(list, rapid.SampledFrom([]string{", ", "; ", "\n", ",\n"}).Draw(t, "between")))
		require.Len(t, got, len(want))
		for i, e := range got {
			require.Equal(t, want[i], mail.Address{Name: e.Name, Address: e.Email})
		}
	})
}

func TestWhatLooksMistypedIsPointedOut(t *testing.T) {
	known := []string{"kelpwick.example", "gethin.example"}
	for email, want := range map[string]string{
		"hanne@kelpwick.example":   "",
		"hanne@KELPWICK.example":   "",
		"hanne@kelpwcik.example":   "hanne@kelpwick.example",
		"hanne@kelpwick.exampel":   "hanne@kelpwick.example",
		"hanne@kelpwik.example":    "hanne@kelpwick.example",
		"hanne@kelpwwick.example":  "hanne@kelpwick.example",
		"hanne@kelbwick.example":   "hanne@kelpwick.example",
		"hanne@brindlefen.example": "",
		"hanne@kepwikc.example":    "", // two mistakes: a guess would be one too many
		"hanne":                    "",
		"hanne@gmial.com":          "hanne@gmail.com",
		"hanne@gmail.co":           "hanne@gmail.com",
		"hanne@hotmal.co.uk":       "hanne@hotmail.co.uk",
		"hanne@outlok.com":         "hanne@outlook.com",
		"hanne@mail.com":           "", // near to a larger one, and one itself
		"hanne@mw.com":             "",
	} {
		assert.Equal(t, want, Meant(email, known), email)
	}
	assert.Empty(t, Meant("a@b.example", nil))
}

func FuzzNothingPastedBreaksIt(f *testing.F) {
	for _, seed := range []string{"a@b.example, c", "\"", "<<@>>,;\t\n", "Ω@Ω"} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, text string) {
		for _, e := range Split(text) {
			assert.NotEmpty(t, e.Text)
			Meant(e.Email, []string{"kelpwick.example"})
		}
	})
}
