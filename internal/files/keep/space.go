package keep

import (
	"context"
	"fmt"

	"aftergust/core/file/transfer"
	"aftergust/internal/ground"
	"aftergust/internal/who/account"
)

// Space is what takes the studio's space, in bytes.
type Space struct {
	Used     int64            `json:"used" doc:"bytes held or arriving"`
	Quota    int64            `json:"quota"`
	Current  int64            `json:"current" doc:"files of clients, their current versions"`
	Older    int64            `json:"older" doc:"their earlier versions"`
	Packages int64            `json:"packages" doc:"files that lie only in packages"`
	LetGo    int64            `json:"let_go" doc:"what was let go in the last thirty days"`
	Made     int64            `json:"made" doc:"posters, proxies and other previews"`
	Arriving int64            `json:"arriving" doc:"uploads that are not whole"`
	Places   []ground.Counted `json:"places" doc:"clients by what they take, the largest first"`
}

// Space tells what takes the space, and what is freed when packages end.
func (s *Service) Space(ctx context.Context, m account.Member) (Space, error) {
	space, err := s.rows.SpaceOf(ctx, m.StudioID)
	if err != nil {
		return space, err
	}
	space.Used, space.Quota, err = s.rows.Usage(ctx, m.StudioID)
	return space, err
}

// Room refuses what would not fit, before it starts.
func (s *Service) Room(ctx context.Context, m account.Member, name string, size int64) error {
	used, quota, err := s.rows.Usage(ctx, m.StudioID)
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
		"There is no room for %s: it needs %s, and %s are free. Nothing was changed. Forget what was let go or clear a package that has ended, then try again.",
		name, transfer.Size(size), transfer.Size(max(0, min(quota-used, free))))}
}
