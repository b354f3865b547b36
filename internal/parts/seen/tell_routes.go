package seen

import (
	"context"
	"encoding/hex"
	"net/http"

	"aftergust/core/file/coverage"
	"aftergust/internal/parts/receive"
	"aftergust/internal/web"
)

// tellOperations are what a recipient's page tells: what is in front, and what is whole.
func (a Routes) tellOperations() {
	web.Add(a.Web, web.GuestOp(http.MethodPost, "/items/{item}/whole", "found-whole", "Say that what was written to the disk is whole, by its sum"), receive.AsEntrant(a.Receive,
		func(in *wholeInput) string { return in.Link },
		func(ctx context.Context, e receive.Entrant, in *wholeInput) (*web.None, error) {
			sum, err := hex.DecodeString(in.Body.SHA256)
			if err != nil {
				sum = nil // it is no sum of anything
			}
			return nil, a.Receive.FoundWhole(ctx, e, in.Item, in.Body.Version, sum)
		}))
	web.Add(a.Web, web.GuestOp(http.MethodPost, "/here", "here", "Say that the page is in front"), receive.AsEntrant(a.Receive,
		func(in *receive.ByLink) string { return in.Link },
		func(ctx context.Context, e receive.Entrant, _ *receive.ByLink) (*web.None, error) {
			return nil, a.Seen.IsHere(ctx, e)
		}))
	web.Add(a.Web, web.GuestOp(http.MethodPost, "/items/{item}/viewing", "viewing", "Say what of an item has been in front"), receive.AsEntrant(a.Receive,
		func(in *viewingInput) string { return in.Link },
		func(ctx context.Context, e receive.Entrant, in *viewingInput) (*web.None, error) {
			return nil, a.Seen.Saw(ctx, e, in.Item, Sign{Key: in.Body.Viewing, First: in.Body.First, Runs: in.Body.Runs, Pages: in.Body.Pages,
				Place: in.Body.At, Plays: in.Body.Plays})
		}))
}

type viewingInput struct {
	receive.GuestItem
	Body struct {
		Viewing string           `json:"viewing" maxLength:"40" doc:"a key of 8 letters and digits or more that the screen makes up for each time somebody comes to the item"`
		First   int              `json:"first,omitempty" minimum:"0" maximum:"500" doc:"the place of the first of the runs among all of this viewing; what was told before may be told again"`
		Runs    []coverage.Range `json:"runs,omitempty" maxItems:"500" doc:"stretches that played, in the order in which they did, in milliseconds"`
		Pages   []int64          `json:"pages,omitempty" maxItems:"2000" doc:"for how many milliseconds each page was in front, since the viewing began"`
		At      int64            `json:"at,omitempty" minimum:"0" doc:"where they are: milliseconds of the piece, or the page"`
		Plays   bool             `json:"plays,omitempty" doc:"whether it plays"`
	}
}

type wholeInput struct {
	receive.GuestItem
	Body struct {
		Version string `json:"version" maxLength:"60"`
		SHA256  string `json:"sha256" maxLength:"64" doc:"of what was read back from the disk, in hexadecimal"`
	}
}
