package naming_test

import (
	"mime"
	"path"
	"strings"
	"testing"
	"unicode/utf8"

	. "aftergust/core/file/naming"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/text/unicode/norm"
	"pgregory.net/rapid"
)

// Reserved names and characters: as Windows documents them for its file names (from memory, not looked up).
func TestNamesBecomePortable(t *testing.T) {
	for name, want := range map[string]string{
		"Lifeboat, cut 3.mov":     "Lifeboat, cut 3.mov",
		"con":                     "_con",
		"NUL.txt":                 "_NUL.txt",
		"lpt1.wav":                "_lpt1.wav",
		"com10.wav":               "com10.wav",
		`a<b>c:d"e/f\g|h?i*j.txt`: "a_b_c_d_e_f_g_h_i_j.txt",
		"ends in dots...":         "ends in dots",
		"tab\tand\x00null\x7f":    "tabandnull",
		"invoice\u202efdp.exe":    "invoicefdp.exe",
		"":                        "unnamed",
		"...":                     "_",
		"🌊 tide.mov":              "🌊 tide.mov",
		"\xff\xfe.jpg":            ".jpg",
		"A\u2028\u0300.wav":       "\u00c0.wav",
	} {
		assert.Equal(t, want, Portable(name), "%q", name)
	}
	long := Portable(strings.Repeat("ü", 300) + ".mov")
	assert.LessOrEqual(t, len(long), MaxBytes)
	assert.True(t, utf8.ValidString(long))
	assert.Equal(t, ".mov", path.Ext(long))
}

func TestPathsNeverLeaveTheirFolder(t *testing.T) {
	assert.Equal(t, "etc/passwd", PortablePath("../../etc/passwd"))
	assert.Equal(t, "a/b", PortablePath(`/a\.\..\b/`))
	assert.Equal(t, "C_/x", PortablePath(`C:\x`))
	assert.Equal(t, "unnamed", PortablePath("../.."))
	rapid.Check(t, func(t *rapid.T) {
		name := rapid.String().Draw(t, "name")
		got := PortablePath(name)
		require.Equal(t, got, path.Clean(got))
		require.False(t, path.IsAbs(got) || got == ".." || strings.HasPrefix(got, "../"))
		require.True(t, utf8.ValidString(got))
		require.Equal(t, got, PortablePath(got), "making a name portable twice changes nothing more")
	})
}

// Source: Unicode UAX #15: "é" as one code point and as e with a combining acute accent are equivalent.
func TestTwinsGetANumber(t *testing.T) {
	var n Namer
	composed, decomposed := "caf\u00e9.wav", "cafe\u0301.wav"
	require.NotEqual(t, composed, decomposed)
	assert.Equal(t, TwinKey(composed), TwinKey(decomposed))
	assert.Equal(t, composed, n.Give(composed))
	assert.Equal(t, "caf\u00e9 (2).wav", n.Give(decomposed))
	assert.Equal(t, "CAF\u00c9 (3).wav", n.Give("CAF\u00c9.wav"))
	assert.Equal(t, "Stills/a.jpg", n.Give("Stills/a.jpg"))
	assert.Equal(t, "stills (2)", n.Give("stills"), "a file does not take the name of a folder")
	assert.Equal(t, "caf\u00e9.wav (2)/x", n.Give("caf\u00e9.wav/x"), "a folder does not take the name of a file")
}

func TestAllGivenNamesDiffer(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		names := rapid.SliceOf(rapid.SampledFrom([]string{"a", "A", "a/b", "A/B", "a (2)", "b", "../a", "\u00e9", "e\u0301", "con",
			"a/b/c"})).Draw(t, "names")
		var n Namer
		given := map[string]bool{}
		folders := map[string]bool{}
		for _, name := range names {
			got := strings.ToLower(norm.NFC.String(n.Give(name)))
			require.False(t, given[got], got)
			given[got] = true
			for dir := path.Dir(got); dir != "."; dir = path.Dir(dir) {
				folders[dir] = true
			}
		}
		for folder := range folders {
			require.False(t, given[folder], "%s is both a file and a folder", folder)
		}
	})
}

// Source: RFC 6266 section 5, RFC 8187 section 3.2.2 ("€ rates").
func TestTheHeaderOffersTheName(t *testing.T) {
	assert.Equal(t, `attachment; filename="cut 3.mov"`, Attachment("cut 3.mov"))
	assert.Equal(t, `attachment; filename="_ rates"; filename*=utf-8''%e2%82%ac%20rates`, Attachment("€ rates"))
	rapid.Check(t, func(t *rapid.T) {
		name := Portable(rapid.String().Draw(t, "name"))
		header := Attachment(name)
		require.NotContains(t, header, "\n")
		kind, params, err := mime.ParseMediaType(header) // Go's own reader of such headers
		require.NoError(t, err, header)
		require.Equal(t, "attachment", kind)
		require.Equal(t, name, params["filename"])
	})
}

// Source: Unicode UAX #9: the explicit directional characters, and their neighbours, which are none.
func TestExactlyTheMarksOfDirectionAreTakenOut(t *testing.T) {
	for _, mark := range []rune{0x061c, 0x200e, 0x200f, 0x202a, 0x202b, 0x202c, 0x202d, 0x202e, 0x2066, 0x2067, 0x2068, 0x2069} {
		assert.Equal(t, "ab", Display("a"+string(mark)+"b"), "%U", mark)
	}
	for _, other := range []rune{0x061b, 0x061d, 0x2010, 0x2030, 0x206a + 6} {
		assert.Contains(t, Display("a"+string(other)+"b"), string(other), "%U", other)
	}
}

// Source: RFC 8187, section 3.2.1: attr-char.
func TestAFileNameInAHeaderEscapesAllButAttrChar(t *testing.T) {
	for name, want := range map[string]string{
		"azAZ09!#$&+-.^_`~é": "azAZ09!#$&+-.^_`~%c3%a9",
		"c@d[e{f é":          "c%40d%5be%7bf%20%c3%a9",
	} {
		_, extended, ok := strings.Cut(Attachment(name), "filename*=utf-8''")
		assert.True(t, ok)
		assert.Equal(t, want, extended)
	}
}

func TestFoldersWithNothingInThemComeAfterFiles(t *testing.T) {
	var n Namer
	n.Give("Stills/a.jpg")
	n.Give("notes")
	for _, c := range []struct {
		name, want string
		ok         bool
	}{{"Stills", "", false}, {"stills", "", false}, {"notes/later", "", false}, {"", "", false}, {"Empty/Within", "Empty/Within/", true},
		{"Empty", "", false}, {"Empty/within", "", false}, {"a:b", PortablePath("a:b") + "/", true}} {
		got, ok := n.Folder(c.name)
		assert.Equal(t, c.ok, ok, c.name)
		assert.Equal(t, c.want, got, c.name)
	}
}
