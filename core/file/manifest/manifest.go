// Package manifest writes down what a delivery holds, in forms that other programs
// check: lists of sums, a media hash list, a description for download programs.
package manifest

import (
	"crypto/sha512"
	"encoding/hex"
	"encoding/xml"
	"fmt"
	"math/big"
	"strings"
	"time"
)

// A File is one file of a delivery.
type File struct {
	Path     string // with its folders, portable, parted by /
	Size     int64  // bytes
	SHA256   []byte // empty while it is not known
	XXH3     []byte // XXH3 of 128 bits, big end first (canonical); empty where it is not known
	Modified time.Time
	URL      string // where it is taken; for Metalink alone
}

// Sums is a list for sha256sum -c. It names files without a sum in a comment.
// Source: GNU coreutils, sha256sum: a line is sum, space, space, path.
func Sums(files []File) string {
	return list(files, func(f File) []byte { return f.SHA256 })
}

// XXHSums is a list for xxhsum -c (xxHash of 128 bits, canonical form).
func XXHSums(files []File) string {
	return list(files, func(f File) []byte { return f.XXH3 })
}

func list(files []File, sum func(File) []byte) string {
	var b strings.Builder
	for _, f := range files {
		if s := sum(f); len(s) > 0 {
			fmt.Fprintf(&b, "%s  %s\n", hex.EncodeToString(s), f.Path)
		} else {
			fmt.Fprintf(&b, "# not reckoned yet: %s\n", f.Path)
		}
	}
	return b.String()
}

// Known reports whether every file has both sums.
func Known(files []File) bool {
	for _, f := range files {
		if len(f.SHA256) == 0 || len(f.XXH3) == 0 {
			return false
		}
	}
	return true
}

// Folder is where a media hash list lies.
const Folder = "ascmhl"

const xmlHead = `<?xml version="1.0" encoding="UTF-8"?>` + "\n"

type hashList struct {
	XMLName xml.Name `xml:"urn:ASC:MHL:v2.0 hashlist"`
	Version string   `xml:"version,attr"`
	Creator struct {
		Date string `xml:"creationdate"`
		Host string `xml:"hostname"`
		Tool tool   `xml:"tool"`
	} `xml:"creatorinfo"`
	Process struct {
		Process string   `xml:"process"`
		Ignore  []string `xml:"ignore>pattern"`
	} `xml:"processinfo"`
	Hashes []hash `xml:"hashes>hash"`
}

type tool struct {
	Name    string `xml:",chardata"`
	Version string `xml:"version,attr"`
}

type hash struct {
	Path struct {
		Path     string `xml:",chardata"`
		Size     int64  `xml:"size,attr"`
		Modified string `xml:"lastmodificationdate,attr"`
	} `xml:"path"`
	Sum struct {
		Sum    string `xml:",chardata"`
		Action string `xml:"action,attr"`
		Date   string `xml:"hashdate,attr"`
	} `xml:"xxh128"`
}

const moment = "2006-01-02T15:04:05-07:00"

// HashList is the first generation of an ASC media hash list, with its name in
// Folder, and the chain file that lies beside it. at is when it was made, host
// whose server made it. Source: ASC Media Hash List 2.0, from memory.
func HashList(files []File, title, host string, at time.Time) (name, list, chain string) {
	l := hashList{Version: "2.0"}
	l.Creator.Date, l.Creator.Host, l.Creator.Tool = at.UTC().Format(moment), host, tool{"Aftergust", "1"}
	l.Process.Process, l.Process.Ignore = "transfer", []string{".DS_Store", Folder, Folder + "/"}
	for _, f := range files {
		var h hash
		h.Path.Path, h.Path.Size, h.Path.Modified = f.Path, f.Size, f.Modified.UTC().Format(moment)
		h.Sum.Sum, h.Sum.Action, h.Sum.Date = hex.EncodeToString(f.XXH3), "original", at.UTC().Format(moment)
		l.Hashes = append(l.Hashes, h)
	}
	name = fmt.Sprintf("0001_%s_%s.mhl", title, at.UTC().Format("2006-01-02_150405Z"))
	list = written(l)
	type entry struct {
		Number int    `xml:"sequencenr,attr"`
		Path   string `xml:"path"`
		C4     string `xml:"c4"`
	}
	chain = written(struct {
		XMLName xml.Name `xml:"urn:ASC:MHL:DIRECTORY:v2.0 ascmhldirectory"`
		Lists   []entry  `xml:"hashlist"`
	}{Lists: []entry{{1, name, C4([]byte(list))}}})
	return name, list, chain
}

func written(v any) string {
	out, err := xml.MarshalIndent(v, "", "  ")
	if err != nil {
		panic(err) // of strings and numbers there is always one
	}
	return xmlHead + string(out) + "\n"
}

// C4 is the identifier of some bytes by SMPTE ST 2114: c4 and SHA-512 in base 58, 90
// letters in all.
func C4(bytes []byte) string {
	const letters = "123456789ABCDEFGHJKLMNPQRSTUVWXYZabcdefghijkmnopqrstuvwxyz"
	sum := sha512.Sum512(bytes)
	n, base, digit := new(big.Int).SetBytes(sum[:]), big.NewInt(int64(len(letters))), new(big.Int)
	out := []byte("c4" + strings.Repeat(letters[:1], 88))
	for i := len(out) - 1; n.Sign() > 0; i-- {
		n.DivMod(n, base, digit)
		out[i] = letters[digit.Int64()]
	}
	return string(out)
}

// Metalink describes the files of a delivery for download programs. Source: RFC 5854.
func Metalink(files []File) string {
	type sum struct {
		Sum  string `xml:",chardata"`
		Type string `xml:"type,attr"`
	}
	type file struct {
		Name string `xml:"name,attr"`
		Size int64  `xml:"size"`
		Hash []sum  `xml:"hash"`
		URL  string `xml:"url"`
	}
	doc := struct {
		XMLName   xml.Name `xml:"urn:ietf:params:xml:ns:metalink metalink"`
		Generator string   `xml:"generator"`
		Files     []file   `xml:"file"`
	}{Generator: "Aftergust/1"}
	for _, f := range files {
		one := file{Name: f.Path, Size: f.Size, URL: f.URL}
		if len(f.SHA256) > 0 {
			one.Hash = []sum{{hex.EncodeToString(f.SHA256), "sha-256"}}
		}
		doc.Files = append(doc.Files, one)
	}
	return written(doc)
}

// Quoted is a word of a command line that a shell takes as it is. Source: POSIX
// shell, 2.2.2: within single quotes every letter stands for itself.
func Quoted(word string) string { return "'" + strings.ReplaceAll(word, "'", `'\''`) + "'" }
