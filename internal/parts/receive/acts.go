package receive

import (
	"bytes"
	"context"
	"time"

	"aftergust/core/link/access"
	"aftergust/core/link/right"
	"aftergust/core/record/event"
	"aftergust/core/time/expiry"
	"aftergust/internal/ground"
	"aftergust/internal/parts/happen"
)

// happening is something that this entrant does, by the way they came.
func (e Entrant) happening(kind event.Kind) happen.Happening {
	return happen.Happening{Kind: kind, StudioID: e.Parcel.StudioID, ParcelID: e.Parcel.ID, LineID: e.Line.ID, WayIn: e.Line.WayID}
}

// Visited records that the page was opened, on a clock in zone.
func (s *Service) Visited(ctx context.Context, e Entrant, zone string) error {
	if e.Studio || e.device == nil || e.Standing(s.now()) != access.Allowed {
		return nil
	}
	if _, err := expiry.LoadZone(zone); err != nil {
		zone = ""
	}
	return s.rows.Tx(ctx, func(ctx context.Context) error {
		if err := s.secondPlace(ctx, e); err != nil {
			return err
		}
		if err := s.rows.TouchVisit(ctx, e.visiting(zone), e.device, s.now()); err != nil {
			return err
		}
		if zone != "" && zone != e.Line.Zone && !e.Line.Anyone() {
			if err := s.book.Clock(ctx, e.Parcel.StudioID, e.Line.Email, zone); err != nil {
				return err
			}
		}
		if err := s.events.Record(ctx, e.happening(event.Opened)); err != nil || !e.Parcel.EndRule.Waits() {
			return err
		}
		return nearer(ctx, s.rows.DB, []string{e.Parcel.ID})
	})
}

// secondPlace records that a link which is not to be passed on is opened from a device
// that it was never opened from, after it was from another.
func (s *Service) secondPlace(ctx context.Context, e Entrant) error {
	if e.Studio || e.Line.MayPassOn || e.Line.PersonID == "" || e.visit.PassedAt != nil {
		return nil
	}
	before, err := s.rows.Elsewhere(ctx, e.Line.ID, e.device)
	if err != nil || !before {
		return err
	}
	return s.events.Record(ctx, e.happening(event.SecondPlace))
}

// Looked records that the preview of a version was shown.
func (s *Service) Looked(ctx context.Context, e Entrant, version string) error {
	if e.Studio {
		return nil
	}
	h := e.happening(event.Looked)
	h.Version = version
	return s.rows.Tx(ctx, func(ctx context.Context) error { return s.events.Record(ctx, h) })
}

// Bounds of what counts as a measure of somebody's line.
const (
	paceBytes = 5_000_000
	paceTime  = 2 * time.Second
)

// Paced takes a download as a measure of how fast somebody's line is: so many bytes in
// so long a time. What is too short to say something is left out.
func (s *Service) Paced(e Entrant, bytes int64, took time.Duration) {
	if e.Studio || e.Line.PersonID == "" || bytes < paceBytes || took < paceTime {
		return
	}
	s.Recorder.paced(e.Line.PersonID, int64(float64(8*bytes)/took.Seconds()))
}

// Quiet keeps that somebody does not want to be reminded of a package any more. The
// link alone is enough: a mail program does it by itself, before any door (RFC 8058).
func (s *Service) Quiet(ctx context.Context, e Entrant) error {
	if e.Studio || e.Line.Anyone() {
		return nil // nobody reminds them
	}
	return s.rows.Tx(ctx, func(ctx context.Context) error {
		first, err := s.rows.QuietLine(ctx, e.Line.ID, s.now())
		if err != nil || !first {
			return err
		}
		return s.events.Record(ctx, e.happening(event.Quiet))
	})
}

// FoundWhole records that an entrant's page, which wrote an item to their disk, read it
// back and found it whole by its SHA-256: proof beyond what the line acknowledged.
func (s *Service) FoundWhole(ctx context.Context, e Entrant, id, version string, sum []byte) error {
	content, err := s.Reach(ctx, e, id, right.Take)
	if err != nil || e.Studio {
		return err
	}
	if content.VersionID != version || len(content.SHA256) == 0 || !bytes.Equal(content.SHA256, sum) {
		return ground.Clash("not_whole", "This is not what was sent. Take it once more; what is on the disk is not touched.")
	}
	if err := s.Recorder.Flush(ctx); err != nil { // else its last receipts would look lost
		return err
	}
	return s.rows.Tx(ctx, func(ctx context.Context) error {
		if err := s.coverRows.KeepWhole(ctx, e.Parcel.ID, e.Line.ID, version, s.now()); err != nil {
			return err
		}
		_, _, lost, err := s.coverRows.KeptInPart(ctx, e.Line.ID, version)
		if err != nil {
			return err
		}
		if lost {
			if err := s.rows.Enqueue(ctx, ground.ConfirmJob{LineID: e.Line.ID, VersionID: version, At: s.now().Add(receiptsLate)}); err != nil {
				return err
			}
		}
		return s.rows.Announce(ctx, ground.Change{Studio: e.Parcel.StudioID, Parcel: e.Parcel.ID, What: ground.LedgerChanged})
	})
}

// receiptsLate is how long the last receipts for a file may take that somebody already has: in
// another process too, and over a line that acknowledges late.
const receiptsLate = 10 * time.Second
