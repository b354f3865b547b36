// Package seen is what people look at: which stretches of a piece played on their
// screens, which pages were in front, and who is here at this moment.
package seen

import (
	"context"
	"fmt"
	"regexp"
	"slices"
	"time"

	"aftergust/core/file/coverage"
	"aftergust/core/file/transfer"
	"aftergust/core/link/access"
	"aftergust/core/link/right"
	"aftergust/core/media/piece"
	"aftergust/core/media/viewing"
	"aftergust/internal/ground"
	"aftergust/internal/ground/db"
	"aftergust/internal/parts/follow"
	"aftergust/internal/parts/pack"
	"aftergust/internal/parts/receive"
	"aftergust/internal/who/account"
)

// A Doing is what somebody does at this moment.
type Doing string

// What people do.
const (
	Here  Doing = "here"  // the page of the package is in front
	Looks Doing = "looks" // an item is in front, and stands still
	Plays Doing = "plays"
	Takes Doing = "takes" // bytes of it arrive with them
)

// Names are all of it.
func (Doing) Names() []Doing { return []Doing{Here, Looks, Plays, Takes} }

// How long somebody is here after their last sign. Screens give one while something
// plays every Beat, and every StillBeat else; receipts of bytes come each second.
const (
	Beat      = 4 * time.Second
	StillBeat = 20 * time.Second
	grace     = 10 * time.Second // for a line that is slow
)

// A Viewing is one of somebody's, under the key that their screen gave it.
type Viewing struct {
	LineID, VersionID, ParcelID string
	Key                         string
	LastAt                      time.Time
	viewing.Viewing
}

// A Presence is somebody who is here.
type Presence struct {
	LineID, ParcelID, StudioID string
	VersionID                  string // empty where they look at the package as a whole
	Doing                      Doing
	Place                      int64 // milliseconds of the piece, the page, or bytes that they have of it
	Rate                       int64 // bytes a second; of Takes
	Until                      time.Time
}

// A Sign is what a screen tells of what is in front.
type Sign struct {
	Key   string           // of the viewing, made by the screen
	First int              // the place of the first of Runs in the order of all that played
	Runs  []coverage.Range // milliseconds
	Pages []int64          // milliseconds that each page was in front, since the viewing began
	Place int64            // milliseconds of the piece, or the page
	Plays bool
}

// mostViewings is how many viewings of one version are kept for one line. A link for
// anyone may be many people; what comes after is counted in the ledger alone.
const mostViewings = 1000

// A Service knows who looks. Make it with New.
type Service struct {
	rows        Rows
	contentRows pack.ContentRows
	followRows  follow.Rows
	receive     *receive.Service
	pack        *pack.Service
	now         func() time.Time
}

// New makes a service.
func New(store *db.DB, receiving *receive.Service, packing *pack.Service, now func() time.Time) *Service {
	return &Service{Rows{store}, pack.ContentRows{DB: store}, follow.Rows{DB: store}, receiving, packing, now}
}

var key = regexp.MustCompile(`^[0-9a-zA-Z_-]{8,40}$`)

// Saw records what an entrant's screen tells of an item.
func (s *Service) Saw(ctx context.Context, e receive.Entrant, id string, sign Sign) error {
	content, err := s.receive.Reach(ctx, e, id, right.See)
	if err != nil {
		return err
	}
	if e.Studio {
		return nil
	}
	now, length := s.now(), content.Facts.LengthUS/1000
	if !key.MatchString(sign.Key) {
		return ground.Wrong("viewing", "The key of a viewing has 8 to 40 letters and digits.")
	}
	if length <= 0 && len(sign.Runs) > 0 {
		return ground.Wrong("item", "This item does not play.")
	}
	v := Viewing{LineID: e.Line.ID, VersionID: content.VersionID, ParcelID: e.Parcel.ID, Key: sign.Key, LastAt: now,
		Viewing: viewing.Viewing{Began: now}}
	var played coverage.Set
	err = s.rows.Tx(ctx, func(ctx context.Context) error {
		v, ok, err := s.rows.LockViewing(ctx, v, mostViewings)
		if err != nil {
			return err
		}
		took := now.Sub(v.Began)
		v.Runs = viewing.Plausible(viewing.Grow(v.Runs, sign.First, sign.Runs), length, took)
		v.Pages, v.LastAt = viewing.Stay(v.Pages, sign.Pages, took), now
		played = coverage.Of(v.Runs...)
		if ok {
			if err := s.rows.GrowViewing(ctx, v); err != nil {
				return err
			}
		}
		here := Presence{LineID: v.LineID, ParcelID: v.ParcelID, StudioID: e.Parcel.StudioID, VersionID: v.VersionID, Doing: Looks,
			Place: max(0, sign.Place), Until: now.Add(StillBeat + grace)}
		if sign.Plays {
			here.Doing, here.Until = Plays, now.Add(Beat+grace)
		}
		return s.be(ctx, here)
	})
	if err == nil && len(sign.Runs) > 0 && !played.Empty() { // who stands still has played nothing new
		s.receive.Recorder.Played(e.Delivery(content.VersionID, content.Size), played)
	}
	return err
}

// IsHere records that the page of a package is in front of an entrant.
func (s *Service) IsHere(ctx context.Context, e receive.Entrant) error {
	now := s.now()
	if reason := e.Standing(now); e.Studio || reason != access.Allowed {
		return receive.Refusal(reason)
	}
	return s.rows.Tx(ctx, func(ctx context.Context) error {
		return s.be(ctx, Presence{LineID: e.Line.ID, ParcelID: e.Parcel.ID, StudioID: e.Parcel.StudioID, Doing: Here,
			Until: now.Add(StillBeat + grace)})
	})
}

func (s *Service) be(ctx context.Context, p Presence) error {
	if err := s.rows.Be(ctx, p); err != nil {
		return err
	}
	return s.rows.Announce(ctx, ground.Change{Studio: p.StudioID, Parcel: p.ParcelID, What: ground.PresenceChanged})
}

// A Present is somebody who is here, with what they look at.
type Present struct {
	Presence
	Name  string // of the person, or of the link for anyone
	Title string // of the package
	Item  string // id of the item in the package; empty where they look at the package
	What  string // name of the item
	Size  int64  // bytes of it
}

// Says is what they do, to follow their name.
func (p Present) Says() string {
	switch p.Doing {
	case Takes:
		say := fmt.Sprintf("takes %s: %s of %s", p.What, transfer.Size(min(p.Place, p.Size)), transfer.Size(p.Size))
		if p.Place >= p.Size {
			return "has taken " + p.What
		}
		if p.Rate > 0 {
			say += fmt.Sprintf(", %s/s, done in %s", transfer.Size(p.Rate), transfer.Span(transfer.Duration(p.Size-p.Place, 8*p.Rate)))
		}
		return say
	case Plays:
		return "plays " + p.What + " at " + piece.Clock(p.Place*1000)
	case Looks:
		return "looks at " + p.What
	default:
		return "has the page open"
	}
}

// mostPresent is how many people are listed who are here at once.
const mostPresent = 100

// Now is who is here in a studio, or in one package of it, takers first. Who does
// something with an item is not listed for looking at the package besides.
func (s *Service) Now(ctx context.Context, m account.Member, parcel string) ([]Present, error) {
	if parcel != "" {
		if _, err := s.pack.ParcelOf(ctx, m, parcel); err != nil {
			return nil, err
		}
	}
	all, err := s.rows.PresentIn(ctx, m.StudioID, parcel, s.now(), mostPresent)
	if err != nil {
		return nil, err
	}
	busy := map[string]bool{}
	for _, p := range all {
		busy[p.LineID] = busy[p.LineID] || p.Doing != Here
	}
	return slices.DeleteFunc(all, func(p Present) bool { return p.Doing == Here && busy[p.LineID] }), nil
}

// A Seer is one line of the waybill with what was seen on it.
type Seer struct {
	Line pack.Line
	viewing.Sum
	Curve []viewing.Cell
	Pages []int64 // milliseconds that each page was in front
}

// Seen is what people saw of an item of a package, in the version that it gives now.
type Seen struct {
	Content pack.Content
	Length  int64 // milliseconds; 0 where it does not play
	All     []viewing.Cell
	Pages   []int64
	Lefts   []int64 // where somebody stopped the last time
	People  []Seer
}

// mostCells is into how many parts a curve is cut at most.
const mostCells = 600

// Of is what people saw of an item.
func (s *Service) Of(ctx context.Context, m account.Member, id string) (Seen, error) {
	content, ok, err := s.contentRows.ContentByID(ctx, id)
	if err != nil {
		return Seen{}, err
	}
	if !ok {
		return Seen{}, ground.Missing("item")
	}
	if _, err := s.pack.ParcelOf(ctx, m, content.ParcelID); err != nil {
		return Seen{}, ground.MissingIn(err, "item")
	}
	strands, err := s.followRows.Strands(ctx, []string{content.ParcelID}, true)
	if err != nil {
		return Seen{}, err
	}
	viewings, err := s.rows.Viewings(ctx, content.ParcelID, content.VersionID)
	if err != nil {
		return Seen{}, err
	}
	of := map[string][]viewing.Viewing{}
	for _, v := range viewings {
		of[v.LineID] = append(of[v.LineID], v.Viewing)
	}
	out := Seen{Content: content, Length: content.Facts.LengthUS / 1000}
	cells := viewing.Cells(out.Length, mostCells)
	everybody := make([][]viewing.Viewing, 0, len(of))
	for _, strand := range strands[content.ParcelID] {
		theirs := of[strand.Line.ID]
		if len(theirs) == 0 && strand.Line.RemovedAt != nil {
			continue
		}
		seer := Seer{Line: strand.Line, Sum: viewing.SumOf(out.Length, theirs), Pages: pagesOf(theirs),
			Curve: viewing.Curve(out.Length, cells, [][]viewing.Viewing{theirs})}
		if seer.LeftAt != nil {
			out.Lefts = append(out.Lefts, *seer.LeftAt)
		}
		out.People, everybody = append(out.People, seer), append(everybody, theirs)
		out.Pages = add(out.Pages, seer.Pages)
	}
	out.All = viewing.Curve(out.Length, cells, everybody)
	return out, nil
}

func pagesOf(viewings []viewing.Viewing) (sum []int64) {
	for _, v := range viewings {
		sum = add(sum, v.Pages)
	}
	return sum
}

// add adds numbers place by place; the sum is as long as the longer.
func add(a, b []int64) []int64 {
	out := append(make([]int64, 0, max(len(a), len(b))), a...)
	for i, n := range b {
		if i == len(out) {
			out = append(out, 0)
		}
		out[i] += n
	}
	return out
}
