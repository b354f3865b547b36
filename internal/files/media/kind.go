package media

import (
	"io"
	"path"
	"strings"

	"aftergust/core/file/thing"

	"github.com/gabriel-vasile/mimetype"
)

// Kind says what a file is, by its content: still, artwork, film, sound,
// document, archive or other, with its media type. name only decides where
// content cannot: a plain text with a subtitle's ending stays a document.
func Kind(r io.Reader, name string) (what thing.What, mime string) {
	head := make([]byte, 8<<10)
	n, err := readFull(r, head)
	if err != nil {
		return thing.Other, "application/octet-stream"
	}
	mime, _, _ = strings.Cut(mimetype.Detect(head[:n]).String(), ";")
	switch {
	case fonts[string(head[:min(n, 4)])] != "" && !strings.HasPrefix(mime, "image/"):
		return thing.Other, fonts[string(head[:4])]
	case mime == "application/octet-stream" && rawSound[strings.ToLower(path.Ext(name))]:
		return thing.Sound, mime
	case mime == "image/vnd.adobe.photoshop", mime == "image/svg+xml", mime == "application/postscript":
		return thing.Artwork, mime
	case strings.HasPrefix(mime, "image/"):
		return thing.Still, mime
	case strings.HasPrefix(mime, "video/"):
		return thing.Film, mime
	case strings.HasPrefix(mime, "audio/"), mime == "application/ogg":
		return thing.Sound, mime
	case mime == "application/pdf":
		return thing.Document, mime
	case archives[mime]:
		return thing.Archive, mime
	case strings.HasPrefix(mime, "text/"), strings.Contains(mime, "officedocument"), mime == "application/json":
		return thing.Document, mime
	default:
		return thing.Other, mime
	}
}

// Kinds of sound that have no signature in their first bytes.
var rawSound = map[string]bool{".mp3": true, ".aac": true}

var archives = map[string]bool{
	"application/zip": true, "application/x-7z-compressed": true, "application/x-tar": true, "application/gzip": true,
	"application/x-rar-compressed": true, "application/zstd": true, "application/x-xz": true, "application/x-bzip2": true,
}

// First bytes of fonts (OpenType 1.9, WOFF, WOFF2).
var fonts = map[string]string{"\x00\x01\x00\x00": "font/ttf", "true": "font/ttf", "OTTO": "font/otf", "ttcf": "font/collection",
	"wOFF": "font/woff", "wOF2": "font/woff2"}
