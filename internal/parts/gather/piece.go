package gather

import (
	"time"

	"aftergust/core/file/damage"
	"aftergust/core/file/thing"
	"aftergust/core/media/piece"
	"aftergust/core/media/preview"
)

// A Piece is the content of one version and what is known of it: what Gather, a
// package and the list of versions all show. They embed it.
type Piece struct {
	VersionID  string
	Number     int    // of the version, from 1
	FileName   string // under which it is delivered
	BlobID     string
	Size       int64 // bytes
	CRC32      uint32
	XXH3       []byte
	SHA256     []byte        // nil while it is being computed
	Damage     damage.Damage // what is wrong with its bytes, as far as is known
	What       thing.What
	Mime       string
	MediaState preview.State
	MediaError string
	MediaShare float64 // how much of the media work is done, 0 to 1
	Facts      piece.Facts
	Data       piece.Data
	Made       []preview.Purpose // what was made from it
	Pages      int               // previews of pages that are made
	VersionAt  time.Time         // when the version was added
}
