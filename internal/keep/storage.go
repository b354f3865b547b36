package keep

import (
	"aftergust/core/transfer"
	"aftergust/internal/account"
	"aftergust/internal/ground"
	"context"
	"fmt"
)

// Storage is what takes the studio's space, in bytes.
type Storage struct {
	Used     int64            `json:"used" doc:"bytes held or arriving"`
	Quota    int64            `json:"quota"`
	Current  int64            `json:"current" doc:"files of clients, their current versions"`
	Older    int64            `json:"older" doc:"their earlier versions"`
	Packages int64            `json:"packages" doc:"files that lie only in packages"`
	Bin      int64            `json:"bin" doc:"what is in the bin"`
	Made     int64            `json:"made" doc:"posters, proxies and other previews"`
	Arriving int64            `json:"arriving" doc:"uploads that are not whole"`
	Places   []ground.Counted `json:"places" doc:"clients by what they take, the largest first"`
}

// Storage tells what takes the space, and what is freed when packages end.
func (s *Service) Storage(ctx context.Context, m account.Member) (Storage, error) {
	storage, err := s.store.StorageOf(ctx, m.StudioID)
	if err != nil {
		return storage, err
	}
	storage.Used, storage.Quota, err = s.store.Usage(ctx, m.StudioID)
	return storage, err
}

// Room refuses what would not fit, before it starts.
func (s *Service) Room(ctx context.Context, m account.Member, name string, size int64) error {
	used, quota, err := s.store.Usage(ctx, m.StudioID)
	if err != nil {
		return err
	}
	free, err := s.bytes.Free(ctx)
	if err != nil {
		return err
	}
	if used+size <= quota && size <= free {
		return nil
	}
	return &ground.Error{Kind: ground.Full, Code: "no_space", Say: fmt.Sprintf(
		"There is no room for %s: it needs %s, and %s are free. Nothing was uploaded. Empty the bin or clear a package that has ended, then try again.",
		name, transfer.Size(size), transfer.Size(max(0, min(quota-used, free))))}
}
