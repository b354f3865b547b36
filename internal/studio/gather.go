package studio

import (
	"context"
	"encoding/hex"
	"fmt"
	"path"
	"slices"
	"strings"
	"time"

	"aftergust/core/naming"
	"aftergust/core/timecode"
	"aftergust/core/transfer"
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
	Facts      Facts
}

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
	Purpose   string // poster, proxy, page
	Page      int
	Recipe    int
	BlobID    string
	Mime      string
	Width     int
	Height    int
	Size      int64
}

// An Upload is a file on its way in.
type Upload struct {
	ID        string    `json:"id"`
	StudioID  string    `json:"-"`
	MemberID  string    `json:"-"`
	ParcelID  string    `json:"package_id"`
	Name      string    `json:"name"`
	Folder    string    `json:"folder"`
	Size      int64     `json:"size" doc:"bytes"`
	Position  int       `json:"-"`
	State     string    `json:"state" enum:"arriving,arrived,failed,cancelled"`
	Problem   string    `json:"problem"`
	ItemID    string    `json:"item_id"`
	CreatedAt time.Time `json:"created_at"`
}

type gatherRecords interface {
	InsertUpload(ctx context.Context, u Upload) error
	UploadByID(ctx context.Context, id string) (Upload, bool, error)
	LockUpload(ctx context.Context, id string) (Upload, error)
	SetUpload(ctx context.Context, id, state, problem, item string) error
	UploadsOf(ctx context.Context, parcel string) ([]Upload, error)
	UploadsArriving(ctx context.Context) ([]Upload, error)
	InsertBlob(ctx context.Context, b Blob) error
	InsertItem(ctx context.Context, id, studio, name, member string) error
	InsertVersion(ctx context.Context, v Version) error
	VersionByID(ctx context.Context, id string) (Version, bool, error)
	NextVersionNumber(ctx context.Context, item string) (int, error)
	SetMedia(ctx context.Context, version, state, problem string, facts *Facts) error
	PutDerived(ctx context.Context, r Derived) error
	DerivedOf(ctx context.Context, version, purpose string, page int) (Derived, bool, error)
	SetSHA256(ctx context.Context, blob string, sum []byte) error
	ParcelsWithVersion(ctx context.Context, version string) ([]string, error)
	Usage(ctx context.Context, studio string) (used, quota int64, err error)
	MarkUnreferenced(ctx context.Context, before time.Time) error
	MarkedBlobs(ctx context.Context, before time.Time, limit int) ([]string, error)
	BlobDeleted(ctx context.Context, id string) error
}

// MaxFile is the largest single file, in bytes: 1 TiB, above the 300 GB that the work brings.
const MaxFile int64 = 1 << 40

// An Arrival is a file that somebody wants to upload.
type Arrival struct {
	ParcelID string
	Name     string // as the file system has it
	Folder   string // slash-separated, empty at the top
	Size     int64
	ItemID   string // set where it is a new version of an item
}

// BeginUpload checks an arrival and returns it as it will be recorded. Nothing
// is written yet: tus names the upload first.
func (s *Service) BeginUpload(ctx context.Context, m Member, a Arrival) (Upload, error) {
	if a.Size < 0 || a.Size > MaxFile {
		return Upload{}, &Error{Kind: TooLarge, Code: "too_large", Say: "One file may have up to 1.1 TB. Split it, then upload the parts."}
	}
	parcel, err := s.parcelOf(ctx, m, a.ParcelID)
	if err != nil {
		return Upload{}, err
	}
	if parcel.State(s.now()) == stateCleared {
		return Upload{}, conflict("cleared", "This package is cleared. Make a new one for these files.")
	}
	if a.ItemID != "" {
		contents, err := s.records.Contents(ctx, parcel.ID)
		if err != nil {
			return Upload{}, err
		}
		if !slices.ContainsFunc(contents, func(c Content) bool { return c.ItemID == a.ItemID }) {
			return Upload{}, notFound("item in this package")
		}
	}
	used, quota, err := s.records.Usage(ctx, m.StudioID)
	if err != nil {
		return Upload{}, err
	}
	free, err := s.bytes.Free()
	if err != nil {
		return Upload{}, err
	}
	if used+a.Size > quota || a.Size > free {
		return Upload{}, &Error{Kind: Full, Code: "no_space", Say: fmt.Sprintf(
			"There is no room for %s: it needs %s, and %s are free. Nothing was uploaded. Clear a package that has ended, then try again.",
			naming.Display(a.Name), transfer.Size(a.Size), transfer.Size(max(0, min(quota-used, free))))}
	}
	folder := ""
	if strings.Trim(a.Folder, "/ ") != "" {
		folder = naming.PortablePath(a.Folder)
	}
	name := naming.Display(path.Base(strings.ReplaceAll(a.Name, `\`, "/")))
	return Upload{StudioID: m.StudioID, MemberID: m.ID, ParcelID: a.ParcelID, Name: clip(name, 200), Folder: folder, Size: a.Size, ItemID: a.ItemID}, nil
}

// UploadBegun records an upload that tus has accepted.
func (s *Service) UploadBegun(ctx context.Context, u Upload) error {
	return s.records.Tx(ctx, func(r Records) error {
		if err := r.InsertUpload(ctx, u); err != nil {
			return err
		}
		if err := s.titleFromContents(ctx, r, u); err != nil {
			return err
		}
		return r.Announce(ctx, Change{Studio: u.StudioID, Parcel: u.ParcelID, What: ContentsChanged})
	})
}

// MayUpload reports whether the member may go on with an upload, and its record.
func (s *Service) MayUpload(ctx context.Context, m Member, id string) (Upload, error) {
	u, ok, err := s.records.UploadByID(ctx, id)
	if err != nil {
		return u, err
	}
	if !ok || u.StudioID != m.StudioID {
		return u, notFound("upload")
	}
	return u, nil
}

// A Finished upload is a whole file with what one pass over it found.
type Finished struct {
	UploadID string
	Path     string // where the file lies
	Size     int64
	CRC32    uint32
	XXH3     [16]byte
	Kind     string
	Mime     string
}

// FinishUpload makes an item of a whole upload, usable in its package at once,
// and starts the media work. It may be called again for the same upload.
func (s *Service) FinishUpload(ctx context.Context, f Finished) (Upload, error) {
	blobID := NewID()
	if err := s.bytes.Adopt(ctx, blobID, f.Path); err != nil {
		return Upload{}, err
	}
	var done Upload
	already := false
	err := s.records.Tx(ctx, func(r Records) error {
		u, err := r.LockUpload(ctx, f.UploadID)
		if err != nil {
			return err
		}
		if u.State == "arrived" {
			done, already = u, true
			return nil
		}
		if err := r.InsertBlob(ctx, Blob{ID: blobID, StudioID: u.StudioID, Size: f.Size, CRC32: f.CRC32, XXH3: f.XXH3[:]}); err != nil {
			return err
		}
		version := Version{ID: NewID(), ItemID: u.ItemID, Number: 1, FileName: u.Name, BlobID: blobID, Kind: f.Kind, Mime: f.Mime, MediaState: "waiting"}
		switch f.Kind {
		case "film", "sound", "still", "artwork", "document":
		default:
			version.MediaState = "none"
		}
		if f.Size == 0 {
			version.MediaState = "none"
		}
		if u.ItemID == "" {
			version.ItemID = NewID()
			if err := r.InsertItem(ctx, version.ItemID, u.StudioID, u.Name, u.MemberID); err != nil {
				return err
			}
			if err := r.InsertParcelItem(ctx, ParcelItem{ID: NewID(), ParcelID: u.ParcelID, ItemID: version.ItemID, Folder: u.Folder, Position: u.Position}); err != nil {
				return err
			}
		} else if version.Number, err = r.NextVersionNumber(ctx, u.ItemID); err != nil {
			return err
		}
		if err := r.InsertVersion(ctx, version); err != nil {
			return err
		}
		jobs := []Job{DigestJob{BlobID: blobID}}
		if version.MediaState == "waiting" {
			jobs = append(jobs, MediaJob{VersionID: version.ID})
		}
		if err := r.Enqueue(ctx, jobs...); err != nil {
			return err
		}
		if err := r.SetUpload(ctx, u.ID, "arrived", "", version.ItemID); err != nil {
			return err
		}
		u.State, u.ItemID = "arrived", version.ItemID
		done = u
		parcels, err := r.ParcelsWithVersion(ctx, version.ID)
		if err != nil {
			return err
		}
		for _, parcel := range parcels {
			if err := s.contentsChanged(ctx, r, u.StudioID, parcel); err != nil {
				return err
			}
		}
		return nil
	})
	if already {
		// Another call was first; only the second name of the file goes.
		return done, s.bytes.Delete(ctx, blobID)
	}
	if err != nil {
		_ = s.bytes.Delete(ctx, blobID) // the upload itself still lies where it was
		return done, err
	}
	s.log.Info("file arrived", "upload", f.UploadID, "blob", blobID, "bytes", f.Size, "kind", f.Kind, "xxh3", hex.EncodeToString(f.XXH3[:]))
	return done, nil
}

// titleFromContents names a package after what was put in it, until somebody
// has named it by hand.
func (s *Service) titleFromContents(ctx context.Context, r Records, u Upload) error {
	parcel, ok, err := r.ParcelByID(ctx, u.ParcelID)
	if err != nil || !ok || parcel.Title != Untitled {
		return err
	}
	name, _, _ := strings.Cut(u.Folder, "/")
	if name == "" {
		name = strings.TrimSuffix(u.Name, path.Ext(u.Name))
	}
	parcel.Title = naming.Title(name)
	return r.UpdateParcel(ctx, parcel)
}

// FailUpload records that an upload will not become a file, and why.
func (s *Service) FailUpload(ctx context.Context, id, state, problem string) error {
	u, ok, err := s.records.UploadByID(ctx, id)
	if err != nil || !ok || u.State == "arrived" {
		return err
	}
	return s.records.Tx(ctx, func(r Records) error {
		if err := r.SetUpload(ctx, id, state, problem, ""); err != nil {
			return err
		}
		return r.Announce(ctx, Change{Studio: u.StudioID, Parcel: u.ParcelID, What: ContentsChanged})
	})
}

// UploadsArriving lists all uploads that are not whole yet, for a look after a restart.
func (s *Service) UploadsArriving(ctx context.Context) ([]Upload, error) {
	return s.records.UploadsArriving(ctx)
}

// Version finds a version.
func (s *Service) Version(ctx context.Context, id string) (Version, error) {
	v, ok, err := s.records.VersionByID(ctx, id)
	if err == nil && !ok {
		err = notFound("version")
	}
	return v, err
}

// MediaDone records the outcome of media work, facts and derived or why not,
// and starts what comes next.
func (s *Service) MediaDone(ctx context.Context, v Version, state, problem string, facts *Facts, made []Derived, next ...Job) error {
	return s.records.Tx(ctx, func(r Records) error {
		for _, m := range made {
			if err := r.InsertBlob(ctx, Blob{ID: m.BlobID, StudioID: v.StudioID, Size: m.Size}); err != nil {
				return err
			}
			if err := r.PutDerived(ctx, m); err != nil {
				return err
			}
		}
		if err := r.SetMedia(ctx, v.ID, state, problem, facts); err != nil {
			return err
		}
		if err := r.Enqueue(ctx, next...); err != nil {
			return err
		}
		parcels, err := r.ParcelsWithVersion(ctx, v.ID)
		if err != nil {
			return err
		}
		for _, p := range parcels {
			if err := r.Announce(ctx, Change{Studio: v.StudioID, Parcel: p, What: ContentsChanged}); err != nil {
				return err
			}
		}
		return nil
	})
}

// SetSHA256 keeps the digest of a blob.
func (s *Service) SetSHA256(ctx context.Context, blob string, sum []byte) error {
	return s.records.SetSHA256(ctx, blob, sum)
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
