package gather

import (
	"context"
	"encoding/hex"

	"aftergust/core/media/preflight"
	"aftergust/core/media/preview"
	"aftergust/internal/ground"
	"aftergust/internal/who/account"
)

// Preflight says what looks wrong with what was chosen.
func (s *Selections) Preflight(ctx context.Context, m account.Member, sel Selection) ([]preflight.Finding, error) {
	chosen, err := s.Chosen(ctx, m, sel)
	if err != nil {
		return nil, err
	}
	files := make([]preflight.File, 0, len(chosen))
	for _, c := range chosen {
		files = append(files, c.Piece.Preflight(c.ID, c.Path()))
	}
	return ground.OrEmpty(preflight.Look(files)), nil
}

// Preflight is the piece as core/media/preflight looks at it, with the id and the path
// under which its findings speak of it.
func (p Piece) Preflight(id, path string) preflight.File {
	f := p.Facts
	file := preflight.File{ID: id, Path: path, Size: p.Size, Digest: hex.EncodeToString(p.XXH3), Kind: p.What, LengthUS: f.LengthUS,
		Rate: f.Timeline().Rate, Variable: f.Variable, HasSound: f.SoundCodec != "", SampleRate: f.SampleRate, BitDepth: f.BitDepth,
		Channels: f.Channels, Measured: f.Measured, LUFS: f.LUFS, PeakDBTP: f.PeakDBTP}
	if p.MediaState == preview.Failed {
		file.Broken = p.MediaError
	}
	return file
}
