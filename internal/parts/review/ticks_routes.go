package review

import (
	"context"
	"net/http"

	"aftergust/internal/parts/receive"
	"aftergust/internal/web"
)

// sheetOperations are about the lists of sheets.
func (a Routes) sheetOperations() {
	web.Add(a.Web, web.GuestOp(http.MethodGet, "/items/{item}/ticks", "ticks", "What the holder of this link has ticked in a sheet, by the keys of its tasks"),
		receive.AsEntrant(a.Receive, func(in *receive.GuestItem) string { return in.Link },
			func(ctx context.Context, e receive.Entrant, in *receive.GuestItem) (*web.Body[[]string], error) {
				keys, err := a.Review.GuestTicks(ctx, e, in.Item)
				return &web.Body[[]string]{Body: keys}, err
			}))
	web.Add(a.Web, web.GuestOp(http.MethodPut, "/items/{item}/ticks", "tick", "Tick a task of a sheet, or take the tick back"), receive.AsEntrant(a.Receive,
		func(in *tickInput) string { return in.Link },
		func(ctx context.Context, e receive.Entrant, in *tickInput) (*web.Body[[]string], error) {
			if err := a.Review.TickTask(ctx, e, in.Item, in.Body.Task, in.Body.Done); err != nil {
				return nil, err
			}
			keys, err := a.Review.GuestTicks(ctx, e, in.Item)
			return &web.Body[[]string]{Body: keys}, err
		}))
}

type tickInput struct {
	receive.GuestItem
	Body struct {
		Task string `json:"task" maxLength:"64" doc:"its key"`
		Done bool   `json:"done"`
	}
}
