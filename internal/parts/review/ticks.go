package review

import (
	"context"
	"slices"
	"time"

	"aftergust/core/file/thing"
	"aftergust/core/link/right"
	"aftergust/core/record/event"
	"aftergust/internal/files/sheets"
	"aftergust/internal/ground"
	"aftergust/internal/parts/happen"
	"aftergust/internal/parts/receive"
	"aftergust/internal/who/account"
)

// A Tick is somebody's mark at a task of a sheet: it is done.
type Tick struct {
	ContentID string // the sheet, as an item of the package
	Task      string // its key (sheets.Task)
	LineID    string
	Who       string // as the waybill calls them
	At        time.Time
}

// TickTask marks a task of a sheet as done by an entrant, or takes the mark back. The
// list is theirs alone: nobody else ticks in it.
func (s *Service) TickTask(ctx context.Context, e receive.Entrant, contentID, task string, done bool) error {
	content, err := s.receive.Reach(ctx, e, contentID, right.See)
	if err != nil {
		return err
	}
	tasks := sheets.Tasks(content.Data.Text)
	i := slices.IndexFunc(tasks, func(t sheets.Task) bool { return t.Key == task })
	if content.What != thing.ASheet || i < 0 {
		return &ground.Error{Kind: ground.Gone, Code: "task_gone",
			Say: "This is not on the list any more; it was written anew meanwhile. Your other ticks are kept."}
	}
	if e.Studio {
		return nil // who looks at it as somebody else leaves no trace
	}
	return s.rows.Tx(ctx, func(ctx context.Context) error {
		changed, err := s.roomRows.SetTick(ctx, Tick{ContentID: content.ID, Task: task, LineID: e.Line.ID, At: s.now()}, done)
		if err != nil || !changed {
			return err
		}
		kind := event.Ticked
		if !done {
			kind = event.Unticked
		}
		return s.events.Record(ctx, happen.Happening{Kind: kind, StudioID: e.Parcel.StudioID, ParcelID: e.Parcel.ID, LineID: e.Line.ID,
			WayIn: e.Line.WayID, Version: content.VersionID, Place: tasks[i].Text})
	})
}

// GuestTicks are the keys of what an entrant has ticked in a sheet.
func (s *Service) GuestTicks(ctx context.Context, e receive.Entrant, contentID string) ([]string, error) {
	if _, err := s.receive.Reach(ctx, e, contentID, right.See); err != nil {
		return nil, err
	}
	ticks, err := s.roomRows.TicksOf(ctx, e.Parcel.ID, e.Line.ID)
	keys := []string{}
	for _, t := range ticks {
		if t.ContentID == contentID {
			keys = append(keys, t.Task)
		}
	}
	return keys, err
}

// Ticks are what everybody has ticked in the sheets of a package.
func (s *Service) Ticks(ctx context.Context, m account.Member, id string) ([]Tick, error) {
	if _, err := s.pack.ParcelOf(ctx, m, id); err != nil {
		return nil, err
	}
	return s.roomRows.TicksOf(ctx, id, "")
}
