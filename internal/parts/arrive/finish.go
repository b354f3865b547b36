package arrive

import (
	"context"
	"encoding/hex"

	"aftergust/core/file/thing"
	"aftergust/core/media/preview"
	"aftergust/internal/files/blob"
	"aftergust/internal/files/keep"
	"aftergust/internal/ground"
	"aftergust/internal/parts/gather"
	"aftergust/internal/parts/pack"
	"aftergust/internal/who/account"
)

// A Finished upload is a whole file with what one pass over it found.
type Finished struct {
	UploadID string
	Path     string // where the file lies
	Size     int64
	CRC32    uint32
	XXH3     [16]byte
	What     thing.What
	Mime     string
}

// FinishUpload makes an item of a whole upload, usable at once, and starts the
// media work. It may be called again for the same upload.
func (s *Service) FinishUpload(ctx context.Context, f Finished) (gather.Upload, error) {
	blobID := ground.NewID()
	if err := s.bytes.Adopt(ctx, blob.File{ID: blobID, Path: f.Path}); err != nil {
		return gather.Upload{}, err
	}
	done, already := gather.Upload{}, false
	err := s.contentRows.Tx(ctx, func(ctx context.Context) error {
		u, ok, err := s.uploadRows.LockUpload(ctx, f.UploadID)
		if err != nil {
			return err
		}
		if !ok {
			return ground.Missing("upload")
		}
		if u.State == gather.Arrived {
			done, already = u, true
			return nil
		}
		done, err = s.finish(ctx, u, f, blobID)
		return err
	})
	if already {
		// Another call was first; only the second name of the file goes.
		return done, s.bytes.Delete(ctx, blobID)
	}
	if err != nil {
		_ = s.bytes.Delete(ctx, blobID) // the upload itself still lies where it was
		return done, err
	}
	s.log.Info("file arrived", "upload", f.UploadID, "blob", blobID, "bytes", f.Size, "kind", string(f.What), "xxh3",
		hex.EncodeToString(f.XXH3[:]))
	return done, nil
}

// finish records a whole upload in the transaction of ctx.
func (s *Service) finish(ctx context.Context, u gather.Upload, f Finished, blobID string) (gather.Upload, error) {
	bytes := keep.Blob{ID: blobID, StudioID: u.StudioID, Size: f.Size, CRC32: f.CRC32, XXH3: f.XXH3[:]}
	if err := s.keepRows.InsertBlob(ctx, bytes); err != nil {
		return u, err
	}
	fresh := u.ItemID == ""
	var err error
	if u.ItemID, err = s.arrived(ctx, u, f, blobID); err != nil {
		return u, err
	}
	if err := s.uploadRows.SetUpload(ctx, u.ID, gather.Arrived, "", u.ItemID); err != nil {
		return u, err
	}
	u.State = gather.Arrived
	if fresh && u.ParcelID != "" {
		if err := s.putIn(ctx, u); err != nil {
			return u, err
		}
	}
	return u, s.things.Changed(ctx, u.StudioID, true, u.ItemID)
}

// putIn puts a new item into the package that its upload was for.
func (s *Service) putIn(ctx context.Context, u gather.Upload) error {
	parcel, err := s.pack.ParcelOf(ctx, account.Member{StudioID: u.StudioID}, u.ParcelID)
	if err != nil {
		return err
	}
	return s.pack.Put(ctx, parcel, []pack.Put{{ItemID: u.ItemID, Folder: u.Folder, Position: u.Position}})
}

// arrived puts a whole file where it belongs and returns its item.
func (s *Service) arrived(ctx context.Context, u gather.Upload, f Finished, blobID string) (string, error) {
	if u.Picture {
		item, ok, err := s.thingRows.ItemByID(ctx, u.ItemID)
		if err != nil {
			return "", err
		}
		if !ok {
			return "", ground.Missing("item")
		}
		return u.ItemID, s.contentRows.Enqueue(ctx, ground.PictureJob{VersionID: item.VersionID, BlobID: blobID, Mime: f.Mime})
	}
	version := gather.Version{ItemID: u.ItemID, AddedBy: u.MemberID, Piece: gather.Piece{VersionID: ground.NewID(), Number: 1,
		FileName: u.Name, BlobID: blobID,
		What: f.What, Mime: f.Mime, MediaState: preview.Waiting}}
	if !thing.Whats.Get(f.What).Previews || f.Size == 0 {
		version.MediaState = preview.None
	}
	if u.ItemID != "" {
		if err := s.things.Next(ctx, &version); err != nil {
			return "", err
		}
		return u.ItemID, s.things.Put(ctx, version)
	}
	item := gather.Item{ID: ground.NewID(), StudioID: u.StudioID, Kind: thing.File, Name: u.Name, Tags: u.Tags, CreatedBy: u.MemberID}
	if u.PlaceID != "" {
		place, err := s.places.Folders(ctx, u.StudioID, u.PlaceID, u.Folder)
		if err != nil {
			return "", err
		}
		item.PlaceID = place
	}
	version.ItemID = item.ID
	if err := s.thingRows.InsertItem(ctx, item); err != nil {
		return "", err
	}
	return item.ID, s.things.Put(ctx, version)
}
