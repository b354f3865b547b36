package media

import (
	"io"
	"path"
	"strings"

	"github.com/gabriel-vasile/mimetype"
)

// Kind says what a file is, by its content: still, artwork, film, sound,
// document, archive or other, with its media type. name only decides where
// content cannot: a plain text with a subtitle's ending stays a document.
func Kind(r io.Reader, name string) (kind, mime string) {
	found, err := mimetype.DetectReader(r)
	if err != nil {
		return "other", "application/octet-stream"
	}
	mime, _, _ = strings.Cut(found.String(), ";")
	switch {
	case mime == "application/octet-stream" && rawSound[strings.ToLower(path.Ext(name))]:
		return "sound", mime
	case mime == "image/vnd.adobe.photoshop", mime == "image/svg+xml", mime == "application/postscript":
		return "artwork", mime
	case strings.HasPrefix(mime, "image/"):
		return "still", mime
	case strings.HasPrefix(mime, "video/"):
		return "film", mime
	case strings.HasPrefix(mime, "audio/"), mime == "application/ogg":
		return "sound", mime
	case mime == "application/pdf":
		return "document", mime
	case archives[mime]:
		return "archive", mime
	case strings.HasPrefix(mime, "text/"), strings.Contains(mime, "officedocument"), mime == "application/json":
		return "document", mime
	default:
		return "other", mime
	}
}

// Kinds of sound that have no signature in their first bytes.
var rawSound = map[string]bool{".mp3": true, ".aac": true}

var archives = map[string]bool{
	"application/zip": true, "application/x-7z-compressed": true, "application/x-tar": true, "application/gzip": true,
	"application/x-rar-compressed": true, "application/zstd": true, "application/x-xz": true, "application/x-bzip2": true,
}
