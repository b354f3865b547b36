package studio

import (
	"context"
	"errors"
	"time"

	"aftergust/core/timecode"
)

// Facts are what is known of a version's content, from reading it.
type Facts struct {
	LengthUS   int64             `json:"length_us,omitempty" doc:"microseconds"`
	Frames     int64             `json:"frames,omitempty" doc:"number of pictures in a film"`
	RateNum    int64             `json:"rate_num,omitempty" doc:"frames a second, numerator"`
	RateDen    int64             `json:"rate_den,omitempty" doc:"frames a second, denominator"`
	Drop       bool              `json:"drop,omitempty" doc:"whether timecode counts drop-frame"`
	Start      timecode.Timecode `json:"start,omitzero" doc:"timecode of the first frame"`
	StartLabel string            `json:"start_label,omitempty"`
	Variable   bool              `json:"variable,omitempty" doc:"whether the frame rate varies; timecode then follows the average"`
	Width      int               `json:"width,omitempty" doc:"pixels"`
	Height     int               `json:"height,omitempty" doc:"pixels"`
	Codec      string            `json:"codec,omitempty"`
	SoundCodec string            `json:"sound_codec,omitempty"`
	SampleRate int               `json:"sample_rate,omitempty" doc:"hertz"`
	Channels   int               `json:"channels,omitempty"`
	BitDepth   int               `json:"bit_depth,omitempty" doc:"bits of a sample of sound, or of one channel of a picture"`
	BitRate    int64             `json:"bit_rate,omitempty" doc:"bits a second, of everything in the file"`
	Colour     string            `json:"colour,omitempty" doc:"colour space, as the file says"`
	Measured   bool              `json:"measured,omitempty" doc:"whether loudness and true peak are known"`
	LUFS       float64           `json:"lufs,omitempty" doc:"integrated loudness, EBU R 128; -70 for silence"`
	PeakDBTP   float64           `json:"peak_dbtp,omitempty" doc:"true peak, ITU-R BS.1770; -144 for silence"`
	Layers     bool              `json:"layers,omitempty" doc:"whether the preview is a flattened picture of layers"`
	Family     string            `json:"family,omitempty" doc:"of a font, with its style"`
	Entries    int               `json:"entries,omitempty" doc:"files in an archive"`
	Unpacked   int64             `json:"unpacked,omitempty" doc:"bytes of an archive's files when unpacked"`
	Locked     bool              `json:"locked,omitempty" doc:"whether an archive holds entries that need a password"`
	Pages      int               `json:"pages,omitempty"`
	Peaks      []int             `json:"peaks,omitempty" doc:"loudest sample of each of up to 240 equal parts, 0 to 255"`
}

// Timeline is how a film's frames are labelled; its Rate is zero for anything else.
func (f Facts) Timeline() timecode.Timeline {
	rate := timecode.Rate{Num: f.RateNum, Den: f.RateDen, Drop: f.Drop}
	if rate.Validate() != nil {
		return timecode.Timeline{}
	}
	return timecode.Timeline{Rate: rate, Start: f.Start}
}

// A Version is one state of an item.
type Version struct {
	ID         string
	ItemID     string
	StudioID   string
	Number     int
	FileName   string
	BlobID     string
	Size       int64
	Kind       string
	Mime       string
	MediaState string
	MediaError string
	MediaShare float64 // how much of the media work is done, 0 to 1
	Facts      Facts
	Data       Data
	Body       string // text by which it is found
	Label      string
	AddedBy    string // id of the member
	Adder      string // name of the member
	CreatedAt  time.Time
	DeletedAt  *time.Time
	CRC32      uint32
	SHA256     []byte
	Made       []string // purposes of what was made from it
	Pages      int      // previews of pages that are made
}

// An Outcome is what media work came to. Facts and Body stay as they are where nil.
type Outcome struct {
	State   string // working, ready, failed, cancelled, waiting
	Problem string
	Facts   *Facts
	Body    *string
	Recipe  int
	Made    []Derived
	Next    []Job
}

// hasMedia reports whether previews are made of a kind of file.
func hasMedia(kind string) bool { return kind != "link" && kind != "swatch" }

// A Blob is a file's bytes.
type Blob struct {
	ID       string
	StudioID string
	Size     int64
	CRC32    uint32
	XXH3     []byte
}

// A Derived is a picture or proxy made from a version.
type Derived struct {
	ID        string
	VersionID string
	Purpose   string // poster, proxy, proxy-small, page, strip, strip-index, peaks, text
	Page      int
	Recipe    int
	BlobID    string
	Mime      string
	Width     int
	Height    int
	Size      int64
}

type gatherRecords interface {
	InsertBlob(ctx context.Context, b Blob) error
	InsertVersion(ctx context.Context, v Version) error
	VersionByID(ctx context.Context, id string) (Version, bool, error)
	NextVersionNumber(ctx context.Context, item string) (int, error)
	SetMedia(ctx context.Context, version string, o Outcome) error
	SetMediaShare(ctx context.Context, version string, share float64) (wanted bool, err error)
	VersionsOfOlderRecipe(ctx context.Context, recipe, limit int) ([]string, error)
	ShareBlob(ctx context.Context, blob string) error
	PutDerived(ctx context.Context, r Derived) error
	DerivedOf(ctx context.Context, version, purpose string, page int) (Derived, bool, error)
	SetSHA256(ctx context.Context, blob string, sum []byte) error
	ParcelsWithItem(ctx context.Context, item string) ([]string, error)
	Usage(ctx context.Context, studio string) (used, quota int64, err error)
	MarkUnreferenced(ctx context.Context, before time.Time) error
	MarkedBlobs(ctx context.Context, before time.Time, limit int) ([]string, error)
	BlobDeleted(ctx context.Context, id string) error
}

// Version finds a version.
func (s *Service) Version(ctx context.Context, id string) (Version, error) {
	v, ok, err := s.records.VersionByID(ctx, id)
	if err == nil && !ok {
		err = notFound("version")
	}
	return v, err
}

// MediaDone records the outcome of media work, facts and what was made or why
// not, and starts what comes next.
func (s *Service) MediaDone(ctx context.Context, v Version, o Outcome) error {
	return s.records.Tx(ctx, func(r Records) error {
		for _, m := range o.Made {
			if err := r.InsertBlob(ctx, Blob{ID: m.BlobID, StudioID: v.StudioID, Size: m.Size}); err != nil {
				return err
			}
			if err := r.PutDerived(ctx, m); err != nil {
				return err
			}
		}
		if err := r.SetMedia(ctx, v.ID, o); err != nil {
			return err
		}
		if err := r.Enqueue(ctx, o.Next...); err != nil {
			return err
		}
		return s.itemChanged(ctx, r, v.StudioID, v.ItemID, false)
	})
}

// MediaShare records how much of a version's media work is done, 0 to 1, and
// reports whether it is still wanted.
func (s *Service) MediaShare(ctx context.Context, v Version, share float64) (wanted bool, err error) {
	wanted, err = s.records.SetMediaShare(ctx, v.ID, share)
	if err != nil || !wanted {
		return wanted, err
	}
	return true, s.records.Announce(ctx, Change{Studio: v.StudioID, What: MediaChanged})
}

// RemakeMedia makes the previews of a version anew, or stops what runs.
func (s *Service) RemakeMedia(ctx context.Context, m Member, version string, stop bool) error {
	v, err := s.versionOf(ctx, m, version)
	if err != nil {
		return err
	}
	if !hasMedia(v.Kind) {
		return conflict("no_preview", "There is no preview of this kind of file.")
	}
	return s.records.Tx(ctx, func(r Records) error {
		if stop {
			if v.MediaState != "waiting" && v.MediaState != "working" {
				return nil
			}
			return errors.Join(r.SetMedia(ctx, v.ID, Outcome{State: "cancelled", Problem: "stopped by hand"}), s.itemChanged(ctx, r, v.StudioID, v.ItemID, false))
		}
		if err := r.SetMedia(ctx, v.ID, Outcome{State: "waiting"}); err != nil {
			return err
		}
		if err := r.Enqueue(ctx, MediaJob{VersionID: v.ID}); err != nil {
			return err
		}
		return s.itemChanged(ctx, r, v.StudioID, v.ItemID, false)
	})
}

// remakeAtOnce bounds how many versions are made anew at a time after the recipe changed.
const remakeAtOnce = 200

// RemakeOld starts media work for versions whose previews an older recipe made.
func (s *Service) RemakeOld(ctx context.Context, recipe int) error {
	return s.records.Tx(ctx, func(r Records) error {
		old, err := r.VersionsOfOlderRecipe(ctx, recipe, remakeAtOnce)
		if err != nil {
			return err
		}
		for _, id := range old {
			if err := r.Enqueue(ctx, MediaJob{VersionID: id, Again: true}); err != nil {
				return err
			}
		}
		return nil
	})
}

// SetSHA256 keeps the digest of a blob. Where the studio already has the same
// bytes they are kept once: versions turn to the older blob, and the newer one is
// cleared when nothing needs it.
func (s *Service) SetSHA256(ctx context.Context, blob string, sum []byte) error {
	return s.records.Tx(ctx, func(r Records) error {
		if err := r.SetSHA256(ctx, blob, sum); err != nil {
			return err
		}
		return r.ShareBlob(ctx, blob)
	})
}

// clearingGrace is how long bytes that nothing refers to are kept before they are deleted.
const clearingGrace = time.Hour

// Clear marks bytes that nothing refers to any more, and deletes those that
// were marked long enough ago. Marking and deleting are apart, so that a crash
// in between loses nothing.
func (s *Service) Clear(ctx context.Context) error {
	now := s.now()
	if err := s.records.MarkUnreferenced(ctx, now.Add(-clearingGrace)); err != nil {
		return err
	}
	for {
		ids, err := s.records.MarkedBlobs(ctx, now.Add(-clearingGrace), 100)
		if err != nil || len(ids) == 0 {
			return err
		}
		for _, id := range ids {
			if err := s.bytes.Delete(ctx, id); err != nil {
				return err
			}
			if err := s.records.BlobDeleted(ctx, id); err != nil {
				return err
			}
		}
	}
}

// Derived finds what was made from a version; ok is false where nothing was.
func (s *Service) Derived(ctx context.Context, version, purpose string, page int) (Derived, bool, error) {
	return s.records.DerivedOf(ctx, version, purpose, page)
}
