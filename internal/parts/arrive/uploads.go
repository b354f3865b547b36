package arrive

import (
	"context"
	"errors"
	"log/slog"
	"os"
	"path"
	"path/filepath"
	"strings"
	"time"

	"aftergust/core/file/naming"
	"aftergust/core/file/thing"
	"aftergust/core/link/state"
	"aftergust/core/time/expiry"
	"aftergust/internal/files/blob"
	"aftergust/internal/files/keep"
	"aftergust/internal/ground"
	"aftergust/internal/ground/db"
	"aftergust/internal/parts/gather"
	"aftergust/internal/parts/pack"
	"aftergust/internal/who/account"
)

// Bytes is what the service needs of the blob store.
type Bytes interface {
	// Adopt makes files blobs, safely on disk, and leaves the files where they are.
	Adopt(ctx context.Context, files ...blob.File) error
	Delete(ctx context.Context, id string) error
}

// A Service makes items of uploads. Make it with NewService.
type Service struct {
	contentRows pack.ContentRows
	keepRows    keep.Rows
	thingRows   gather.ThingRows
	uploadRows  gather.UploadRows
	places      *gather.Places
	things      *gather.Things
	pack        *pack.Service
	keep        *keep.Service
	bytes       Bytes
	now         func() time.Time
	log         *slog.Logger
}

// NewService makes a service.
func NewService(store *db.DB, places *gather.Places, things *gather.Things, packing *pack.Service, keeping *keep.Service, bytes Bytes,
	now func() time.Time, log *slog.Logger) *Service {
	return &Service{
		pack.ContentRows{DB: store}, keep.Rows{DB: store}, gather.ThingRows{DB: store},
		gather.UploadRows{DB: store},
		places, things, packing, keeping, bytes, now, log,
	}
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
	Part     bool   // of another upload, which joins it with others and says where they go
	Tags     []string
}

// BeginUpload checks an arrival and returns it as it will be recorded. Nothing
// is written yet: tus names the upload first.
func (s *Service) BeginUpload(ctx context.Context, m account.Member, a Arrival) (gather.Upload, error) {
	if a.Size < 0 || a.Size > MaxFile {
		return gather.Upload{}, &ground.Error{Kind: ground.TooLarge, Code: "too_large",
			Say: "One file may have up to 1.1 TB. Split it, then upload the parts."}
	}
	if !a.Part || a.ParcelID+a.PlaceID+a.ItemID != "" {
		if err := s.mayArrive(ctx, m, a); err != nil {
			return gather.Upload{}, err
		}
	}
	if err := s.keep.Room(ctx, m, naming.Display(a.Name), a.Size); err != nil {
		return gather.Upload{}, err
	}
	folder := ""
	if strings.Trim(a.Folder, "/ ") != "" {
		folder = naming.PortablePath(a.Folder)
	}
	name := naming.Display(path.Base(strings.ReplaceAll(a.Name, `\`, "/")))
	return gather.Upload{StudioID: m.StudioID, MemberID: m.ID, ParcelID: a.ParcelID, PlaceID: a.PlaceID, Name: naming.Clip(name, 200),
		Folder: folder, Size: a.Size,
		ItemID: a.ItemID, Picture: a.Picture, Tags: gather.TidyTags(a.Tags)}, nil
}

// mayArrive checks that the arrival's package, place and item are there and the
// member's.
func (s *Service) mayArrive(ctx context.Context, m account.Member, a Arrival) error {
	switch {
	case a.ParcelID != "":
		return s.mayArriveIn(ctx, m, a)
	case a.ItemID != "":
		item, err := s.things.Item(ctx, m, a.ItemID)
		if err == nil && !a.Picture && item.Kind != thing.File {
			err = ground.Clash("not_a_file", "Only a file takes a new version by upload. Edit a link, swatch or sheet in its place.")
		}
		return err
	case a.PlaceID != "":
		return s.places.MayHold(ctx, m, a.PlaceID, a.Folder != "")
	default:
		return ground.Wrong("place", "Say where the file goes: a project, a folder or a package.")
	}
}

// mayArriveIn is mayArrive for a package.
func (s *Service) mayArriveIn(ctx context.Context, m account.Member, a Arrival) error {
	parcel, err := s.pack.ParcelOf(ctx, m, a.ParcelID)
	if err != nil {
		return err
	}
	if parcel.State(s.now()) == state.Cleared {
		return ground.Clash("cleared", "This package is cleared. Make a new one for these files.")
	}
	if a.ItemID == "" {
		return nil
	}
	gives, err := s.contentRows.Gives(ctx, parcel.ID, a.ItemID)
	if err == nil && !gives {
		err = ground.Missing("item in this package")
	}
	return err
}

// UploadBegun records an upload that tus has accepted.
func (s *Service) UploadBegun(ctx context.Context, u gather.Upload) error {
	return s.contentRows.Tx(ctx, func(ctx context.Context) error {
		if err := s.uploadRows.InsertUpload(ctx, u); err != nil {
			return err
		}
		if u.ParcelID != "" {
			if err := s.pack.TitleFromContents(ctx, u.ParcelID, u.Folder, u.Name); err != nil {
				return err
			}
		}
		return s.uploadChanged(ctx, u)
	})
}

func (s *Service) uploadChanged(ctx context.Context, u gather.Upload) error {
	what := ground.ContentsChanged
	if u.ParcelID == "" {
		what = ground.GatherChanged
	}
	return s.contentRows.Announce(ctx, ground.Change{Studio: u.StudioID, Parcel: u.ParcelID, What: what})
}

// MayUpload reports whether the member may go on with an upload, and its record.
func (s *Service) MayUpload(ctx context.Context, m account.Member, id string) (gather.Upload, error) {
	u, ok, err := s.uploadRows.UploadByID(ctx, id)
	if err != nil {
		return u, err
	}
	if !ok || u.StudioID != m.StudioID {
		return u, ground.Missing("upload")
	}
	return u, nil
}

// Uploads lists the uploads of a studio that are not whole yet, by whatever
// browser they were begun.
func (s *Service) Uploads(ctx context.Context, m account.Member) ([]gather.Upload, error) {
	return s.uploadRows.UploadsOfStudio(ctx, m.StudioID)
}

// FailUpload records that an upload will not become a file, and why.
func (s *Service) FailUpload(ctx context.Context, id string, to gather.UploadState, problem string) error {
	return s.contentRows.Tx(ctx, func(ctx context.Context) error {
		u, ok, err := s.uploadRows.LockUpload(ctx, id)
		if err != nil || !ok || u.State == gather.Arrived {
			return err
		}
		if err := s.uploadRows.SetUpload(ctx, id, to, problem, ""); err != nil {
			return err
		}
		return s.uploadChanged(ctx, u)
	})
}

// UploadsArriving lists uploads that are not whole yet, for a look after a
// restart, a page at a time: those after an id.
func (s *Service) UploadsArriving(ctx context.Context, after string, limit int) ([]gather.Upload, error) {
	return s.uploadRows.UploadsArriving(ctx, after, limit)
}

// SweepIncoming removes files of uploads that are over, or that nobody knows of, from
// the folder in which uploads grow, where they are older than any upload lives.
func (s *Service) SweepIncoming(ctx context.Context, dir string) (removed int, err error) {
	files, err := os.ReadDir(dir)
	if err != nil {
		return 0, err
	}
	before := s.now().Add(-expiry.LeftBehind)
	for _, file := range files {
		at := filepath.Join(dir, file.Name())
		if !blob.Untouched(at, before) {
			continue
		}
		u, ok, err := s.uploadRows.UploadByID(ctx, strings.TrimSuffix(file.Name(), ".info"))
		if err != nil {
			return removed, err
		}
		if ok && u.State == gather.Arriving { // Settle looks after it
			continue
		}
		if err := os.Remove(at); err != nil && !errors.Is(err, os.ErrNotExist) {
			return removed, err
		}
		removed++
	}
	return removed, nil
}
