package studio

import (
	"context"
	"encoding/hex"
	"errors"
	"fmt"
	"path"
	"slices"
	"strings"
	"time"

	"aftergust/core/naming"
	"aftergust/core/transfer"
)

// An Upload is a file on its way in.
type Upload struct {
	ID        string    `json:"id"`
	StudioID  string    `json:"-"`
	MemberID  string    `json:"-"`
	ParcelID  string    `json:"package_id"`
	PlaceID   string    `json:"place_id"`
	Name      string    `json:"name"`
	Folder    string    `json:"folder"`
	Tags      []string  `json:"tags"`
	Size      int64     `json:"size" doc:"bytes"`
	Position  int       `json:"-"`
	State     string    `json:"state" enum:"arriving,arrived,failed,cancelled"`
	Problem   string    `json:"problem"`
	ItemID    string    `json:"item_id"`
	Picture   bool      `json:"-"`
	CreatedAt time.Time `json:"created_at"`
}

type uploadRecords interface {
	InsertUpload(ctx context.Context, u Upload) error
	UploadByID(ctx context.Context, id string) (Upload, bool, error)
	LockUpload(ctx context.Context, id string) (Upload, error)
	SetUpload(ctx context.Context, id, state, problem, item string) error
	UploadsOf(ctx context.Context, parcel string) ([]Upload, error)
	UploadsOfStudio(ctx context.Context, studio string) ([]Upload, error)
	UploadsArriving(ctx context.Context) ([]Upload, error)
}

// MaxFile is the largest single file, in bytes: 1 TiB, above the 300 GB that the work brings.
const MaxFile int64 = 1 << 40

// An Arrival is a file that somebody wants to upload: into a package, into a
// place, as a new version of an item, or as the picture of one.
type Arrival struct {
	ParcelID string
	PlaceID  string
	Name     string // as the file system has it
	Folder   string // slash-separated, empty at the top
	Size     int64
	ItemID   string // set where it is a new version, or a picture, of an item
	Picture  bool   // it becomes the picture of the item
	Tags     []string
}

// BeginUpload checks an arrival and returns it as it will be recorded. Nothing
// is written yet: tus names the upload first.
func (s *Service) BeginUpload(ctx context.Context, m Member, a Arrival) (Upload, error) {
	if a.Size < 0 || a.Size > MaxFile {
		return Upload{}, &Error{Kind: TooLarge, Code: "too_large", Say: "One file may have up to 1.1 TB. Split it, then upload the parts."}
	}
	if err := s.mayArrive(ctx, m, a); err != nil {
		return Upload{}, err
	}
	if err := s.room(ctx, m, naming.Display(a.Name), a.Size); err != nil {
		return Upload{}, err
	}
	folder := ""
	if strings.Trim(a.Folder, "/ ") != "" {
		folder = naming.PortablePath(a.Folder)
	}
	name := naming.Display(path.Base(strings.ReplaceAll(a.Name, `\`, "/")))
	return Upload{StudioID: m.StudioID, MemberID: m.ID, ParcelID: a.ParcelID, PlaceID: a.PlaceID, Name: clip(name, 200), Folder: folder, Size: a.Size,
		ItemID: a.ItemID, Picture: a.Picture, Tags: tidyTags(a.Tags)}, nil
}

// mayArrive checks that the arrival's package, place and item are there and the
// member's.
func (s *Service) mayArrive(ctx context.Context, m Member, a Arrival) error {
	switch {
	case a.ParcelID != "":
		parcel, err := s.parcelOf(ctx, m, a.ParcelID)
		if err != nil {
			return err
		}
		if parcel.State(s.now()) == stateCleared {
			return conflict("cleared", "This package is cleared. Make a new one for these files.")
		}
		if a.ItemID == "" {
			return nil
		}
		contents, err := s.records.Contents(ctx, parcel.ID)
		if err != nil {
			return err
		}
		if !slices.ContainsFunc(contents, func(c Content) bool { return c.ItemID == a.ItemID }) {
			return notFound("item in this package")
		}
		return nil
	case a.ItemID != "":
		item, err := s.itemOf(ctx, m, a.ItemID)
		if err == nil && !a.Picture && item.Kind != "file" {
			err = conflict("not_a_file", "Only a file takes a new version by upload. Edit a link, swatch or sheet in its place.")
		}
		return err
	case a.PlaceID != "":
		place, err := s.placeOf(ctx, m, a.PlaceID)
		if err == nil && place.Kind == "client" && a.Folder == "" {
			err = conflict("needs_project", "Files lie in projects. Open or make a project of this client first.")
		}
		return err
	default:
		return invalid("place", "Say where the file goes: a project, a folder or a package.")
	}
}

// room refuses what would not fit, before it starts.
func (s *Service) room(ctx context.Context, m Member, name string, size int64) error {
	used, quota, err := s.records.Usage(ctx, m.StudioID)
	if err != nil {
		return err
	}
	free, err := s.bytes.Free()
	if err != nil {
		return err
	}
	if used+size <= quota && size <= free {
		return nil
	}
	return &Error{Kind: Full, Code: "no_space", Say: fmt.Sprintf(
		"There is no room for %s: it needs %s, and %s are free. Nothing was uploaded. Empty the bin or clear a package that has ended, then try again.",
		name, transfer.Size(size), transfer.Size(max(0, min(quota-used, free))))}
}

// UploadBegun records an upload that tus has accepted.
func (s *Service) UploadBegun(ctx context.Context, u Upload) error {
	return s.records.Tx(ctx, func(r Records) error {
		if err := r.InsertUpload(ctx, u); err != nil {
			return err
		}
		if u.ParcelID != "" {
			if err := s.titleFromContents(ctx, r, u.ParcelID, u.Folder, u.Name); err != nil {
				return err
			}
		}
		return s.uploadChanged(ctx, r, u)
	})
}

func (s *Service) uploadChanged(ctx context.Context, r Records, u Upload) error {
	what := ContentsChanged
	if u.ParcelID == "" {
		what = GatherChanged
	}
	return r.Announce(ctx, Change{Studio: u.StudioID, Parcel: u.ParcelID, What: what})
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

// Uploads lists the uploads of a studio that are not whole yet, by whatever
// browser they were begun.
func (s *Service) Uploads(ctx context.Context, m Member) ([]Upload, error) {
	return s.records.UploadsOfStudio(ctx, m.StudioID)
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

// FinishUpload makes an item of a whole upload, usable at once, and starts the
// media work. It may be called again for the same upload.
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
		if u.ItemID, err = s.arrived(ctx, r, u, f, blobID); err != nil {
			return err
		}
		if err := r.SetUpload(ctx, u.ID, "arrived", "", u.ItemID); err != nil {
			return err
		}
		u.State = "arrived"
		done = u
		return s.itemChanged(ctx, r, u.StudioID, u.ItemID, true)
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

// arrived puts a whole file where it belongs and returns its item.
func (s *Service) arrived(ctx context.Context, r Records, u Upload, f Finished, blobID string) (string, error) {
	if u.Picture {
		item, ok, err := r.ItemByID(ctx, u.ItemID)
		if err != nil || !ok {
			return u.ItemID, errors.Join(err, notFound("item"))
		}
		return u.ItemID, r.Enqueue(ctx, PictureJob{VersionID: item.VersionID, BlobID: blobID, Mime: f.Mime})
	}
	version := Version{ID: NewID(), ItemID: u.ItemID, Number: 1, FileName: u.Name, BlobID: blobID, Kind: f.Kind, Mime: f.Mime, MediaState: "waiting", AddedBy: u.MemberID}
	if !hasMedia(f.Kind) || f.Size == 0 {
		version.MediaState = "none"
	}
	if u.ItemID == "" {
		item := Item{ID: NewID(), StudioID: u.StudioID, Kind: "file", Name: u.Name, Tags: u.Tags, CreatedBy: u.MemberID}
		if u.PlaceID != "" {
			place, err := s.folders(ctx, r, u.StudioID, u.PlaceID, u.Folder)
			if err != nil {
				return "", err
			}
			item.PlaceID = place
		}
		version.ItemID = item.ID
		if err := r.InsertItem(ctx, item); err != nil {
			return "", err
		}
		if u.ParcelID != "" {
			if err := r.InsertParcelItem(ctx, ParcelItem{ID: NewID(), ParcelID: u.ParcelID, ItemID: item.ID, Folder: u.Folder, Position: u.Position}); err != nil {
				return "", err
			}
		}
	} else if err := s.nextVersion(ctx, r, &version); err != nil {
		return "", err
	}
	return version.ItemID, s.putVersion(ctx, r, version)
}

// nextVersion numbers a new version of an item. An item that was never renamed
// by hand takes the new file's name.
func (s *Service) nextVersion(ctx context.Context, r Records, v *Version) error {
	item, ok, err := r.ItemByID(ctx, v.ItemID)
	if err != nil || !ok {
		return errors.Join(err, notFound("item"))
	}
	if v.Number, err = r.NextVersionNumber(ctx, v.ItemID); err != nil {
		return err
	}
	if item.Kind == "file" && item.Name == item.FileName {
		return r.RenameItem(ctx, item.ID, v.FileName)
	}
	return nil
}

// putVersion records a version, makes it the current one and starts its jobs.
func (s *Service) putVersion(ctx context.Context, r Records, v Version) error {
	if err := r.InsertVersion(ctx, v); err != nil {
		return err
	}
	jobs := []Job{DigestJob{BlobID: v.BlobID}}
	if v.MediaState == "waiting" {
		jobs = append(jobs, MediaJob{VersionID: v.ID})
	}
	return r.Enqueue(ctx, jobs...)
}

// titleFromContents names a package after what was put in it, until somebody
// has named it by hand.
func (s *Service) titleFromContents(ctx context.Context, r Records, id, folder, name string) error {
	parcel, ok, err := r.ParcelByID(ctx, id)
	if err != nil || !ok || parcel.Title != Untitled {
		return err
	}
	title, _, _ := strings.Cut(folder, "/")
	if title == "" {
		title = strings.TrimSuffix(name, path.Ext(name))
	}
	parcel.Title = naming.Title(title)
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
		return s.uploadChanged(ctx, r, u)
	})
}

// UploadsArriving lists all uploads that are not whole yet, for a look after a restart.
func (s *Service) UploadsArriving(ctx context.Context) ([]Upload, error) {
	return s.records.UploadsArriving(ctx)
}
