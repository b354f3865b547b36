package pack

import (
	"context"

	"aftergust/core/media/preflight"
	"aftergust/internal/ground"
	"aftergust/internal/who/account"
)

// PreflightPackage says what looks wrong with what is in a package.
func (s *Service) PreflightPackage(ctx context.Context, m account.Member, id string) ([]preflight.Finding, error) {
	parcel, err := s.ParcelOf(ctx, m, id)
	if err != nil {
		return nil, err
	}
	contents, err := s.contentRows.Contents(ctx, parcel.ID, Place{}, MaxItems)
	if err != nil {
		return nil, err
	}
	var files []preflight.File
	for _, c := range contents {
		files = append(files, c.Preflight(c.ID, c.Path()))
	}
	return ground.OrEmpty(preflight.Look(files)), nil
}
