package manifest_test

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"encoding/xml"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	. "aftergust/core/file/manifest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/zeebo/xxh3"
	"pgregory.net/rapid"
)

var at = time.Date(2026, 11, 26, 21, 0, 0, 0, time.UTC)

// written puts files on a disk, and describes them.
func written(t *testing.T) (dir string, files []File) {
	t.Helper()
	dir = t.TempDir()
	for path, text := range map[string]string{"a.mov": "lifeboat", "Stills/harbour über Nacht.jpg": strings.Repeat("x", 70_000), "empty.txt": "",
		"it's (1).wav": "abc"} {
		require.NoError(t, os.MkdirAll(filepath.Join(dir, filepath.Dir(path)), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(dir, path), []byte(text), 0o600))
		sha, xxh := sha256.Sum256([]byte(text)), xxh3.HashString128(text).Bytes()
		files = append(files, File{Path: path, Size: int64(len(text)), SHA256: sha[:], XXH3: xxh[:], Modified: at})
	}
	return dir, files
}

// Source: sha256sum and xxhsum read what we write, and find what was changed.
func TestListsAreCheckedByOtherPrograms(t *testing.T) {
	dir, files := written(t)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "sums.txt"), []byte(Sums(files)), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "xxh.txt"), []byte(XXHSums(files)), 0o600))
	check := func(name string, args ...string) error {
		command := exec.CommandContext(t.Context(), name, args...)
		command.Dir = dir
		out, err := command.CombinedOutput()
		t.Logf("%s", out)
		return err
	}
	require.NoError(t, check("sha256sum", "--strict", "-c", "sums.txt"))
	require.NoError(t, check("xxhsum", "--strict", "-c", "xxh.txt"))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "a.mov"), []byte("lifebuoy"), 0o600))
	require.Error(t, check("sha256sum", "-c", "sums.txt"))
	require.Error(t, check("xxhsum", "-c", "xxh.txt"))
}

func TestASumThatIsNotThereIsSaid(t *testing.T) {
	files := []File{{Path: "a.mov"}}
	assert.Equal(t, "# not reckoned yet: a.mov\n", Sums(files))
	assert.False(t, Known(files))
	_, all := written(t)
	assert.True(t, Known(all))
}

// Source: ASC MHL 2.0, from memory; read by another's parser (Python's), each sum against xxhsum.
func TestAHashListIsReadAndHoldsWhatXxhsumReckons(t *testing.T) {
	dir, files := written(t)
	name, list, chain := HashList(files, "Lifeboat", "files.lowtide.example", at)
	assert.Equal(t, "0001_Lifeboat_2026-11-26_210000Z.mhl", name)
	file := filepath.Join(t.TempDir(), name)
	require.NoError(t, os.WriteFile(file, []byte(list), 0o600))
	const parse = `
import json, sys, xml.etree.ElementTree as e
n = "{urn:ASC:MHL:v2.0}"
r = e.parse(sys.argv[1]).getroot()
assert r.tag == n + "hashlist" and r.get("version") == "2.0", r.tag
assert [c.tag for c in r] == [n + "creatorinfo", n + "processinfo", n + "hashes"]
print(json.dumps({h.find(n + "path").text: [h.find(n + "path").get("size"), h.find(n + "xxh128").text, h.find(n + "xxh128").get("action")] for h in r.iter(n + "hash")}))`
	out, err := exec.CommandContext(t.Context(), "python3", "-c", parse, file).Output()
	require.NoError(t, err)
	var read map[string][3]string
	require.NoError(t, json.Unmarshal(out, &read))
	require.Len(t, read, len(files))
	for path, got := range read {
		reckoned, err := exec.CommandContext(t.Context(), "xxhsum", "-H128", filepath.Join(dir, path)).Output()
		require.NoError(t, err)
		sum, _, _ := strings.Cut(strings.TrimPrefix(string(reckoned), `\`), " ")
		assert.Equal(t, sum, got[1], path)
		assert.Equal(t, "original", got[2])
	}
	assert.Contains(t, chain, C4([]byte(list)))
	assert.Contains(t, chain, "<path>"+name+"</path>")
}

// Values: the identifier of nothing, from memory; its form from SMPTE ST 2114.
func TestC4(t *testing.T) {
	assert.Equal(t, "c459dsjfscH38cYeXXYogktxf4Cd9ibshE3BHUo6a58hBXmRQdZrAkZzsWcbWtDg5oQstpDuni4Hirj75GEmTc1sFT", C4(nil))
	rapid.Check(t, func(t *rapid.T) {
		assert.Regexp(t, `^c4[1-9A-HJ-NP-Za-km-z]{88}$`, C4(rapid.SliceOf(rapid.Byte()).Draw(t, "bytes")))
	})
}

func TestAMetalinkIsXMLWhateverFilesAreCalled(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		path := rapid.StringMatching(`[a-zA-Zäöü&<>'" ]{1,20}/[^\x00-\x1f\x7f/\\]{1,20}`).Draw(t, "path")
		sum := sha256.Sum256([]byte(path))
		var read struct {
			Files []struct {
				Name string `xml:"name,attr"`
				Size int64  `xml:"size"`
				Hash struct {
					Type string `xml:"type,attr"`
					Sum  string `xml:",chardata"`
				} `xml:"hash"`
			} `xml:"file"`
		}
		require.NoError(t, xml.Unmarshal([]byte(Metalink([]File{{Path: path, Size: 7, SHA256: sum[:], URL: "http://studio.example/?a=1&b=2"}})), &read))
		assert.Equal(t, "sha-256", read.Files[0].Hash.Type)
		assert.Equal(t, hex.EncodeToString(sum[:]), read.Files[0].Hash.Sum)
		assert.EqualValues(t, 7, read.Files[0].Size)
	})
}

// Source: a POSIX shell gives back what it was given.
func TestAQuotedWordIsOneWord(t *testing.T) {
	for _, word := range []string{"", "a b", "it's", "$(rm -rf ~)", "`id`", `a\b"c`, "-rf", "a\nb", "*"} {
		out, err := exec.CommandContext(t.Context(), "sh", "-c", "printf %s "+Quoted(word)).Output()
		require.NoError(t, err)
		assert.Equal(t, word, string(out))
	}
}
