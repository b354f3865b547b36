package review

import (
	"context"
	"net/http"
	"slices"
	"time"

	"aftergust/core/notes/review"
	"aftergust/internal/ground"
	"aftergust/internal/parts/receive"
	"aftergust/internal/web"
	"aftergust/internal/who/account"
)

type decidedView struct {
	Item    string         `json:"item"`
	Version string         `json:"version"`
	Number  int            `json:"number" doc:"of the version"`
	Who     string         `json:"who" doc:"id of the line"`
	Name    string         `json:"name"`
	Mine    bool           `json:"mine"`
	Verdict review.Verdict `json:"verdict"`
	Line    string         `json:"line" doc:"what they said with it"`
	SHA256  string         `json:"sha256" doc:"of the version; empty while it was not reckoned"`
	At      time.Time      `json:"at"`
}

func viewDecided(all []SignOff, p Party) []decidedView {
	out := make([]decidedView, len(all))
	for i, d := range all {
		out[i] = decidedView{d.ContentID, d.VersionID, d.Number, d.LineID, d.Name, d.LineID == p.ID(), d.Verdict, d.Body, d.Sum(), d.At}
	}
	return out
}

type roundNowView struct {
	ID       string            `json:"id"`
	Number   int               `json:"number"`
	Agreed   int               `json:"agreed" doc:"rounds that were agreed for the project; 0: no number"`
	Name     string            `json:"name"`
	Due      string            `json:"due" doc:"in words; empty where it has no date"`
	DueAt    *time.Time        `json:"due_at"`
	Message  string            `json:"message"`
	State    review.RoundState `json:"state"`
	Says     string            `json:"says" doc:"where it stands, in words"`
	Waits    []string          `json:"waits" doc:"names of those who have not decided on everything"`
	Items    []roundItem       `json:"items" doc:"what it bundles, in the order of the package"`
	Lines    []string          `json:"lines" doc:"ids of those who are asked"`
	Asked    bool              `json:"asked" doc:"whoever looks is asked"`
	BeganAt  time.Time         `json:"began_at"`
	ClosedAt *time.Time        `json:"closed_at"`
}

// A roundItem is an item that a round bundles, in the version that it bundles.
type roundItem struct {
	ID      string `json:"id" doc:"of the item of the package"`
	Name    string `json:"name"`
	Version string `json:"version"`
	Number  int    `json:"number" doc:"of the version"`
	Given   bool   `json:"given" doc:"the package gives it still"`
	Now     bool   `json:"now" doc:"and in this version; otherwise there is a newer one"`
}

// roundsUsed is how many rounds there were where a package belongs.
type roundsUsed struct {
	Project string `json:"project" doc:"id; empty where the package lies in none"`
	Agreed  int    `json:"agreed" doc:"0: no number"`
	Used    int    `json:"used"`
}

func (a Routes) roundsUsed(ctx context.Context, p Party, parcel string) (roundsUsed, error) {
	c, err := a.Rounds.Count(ctx, p, parcel)
	return roundsUsed{c.ProjectID, c.Agreed, c.Used}, err
}

func viewRound(r RoundNow, p Party) roundNowView {
	items := make([]roundItem, len(r.Bundle))
	for i, b := range r.Bundle {
		items[i] = roundItem{b.ContentID, b.Name, b.VersionID, b.Number, b.Given, b.Now}
	}
	return roundNowView{ID: r.ID, Items: items, Number: r.Number, Agreed: r.Agreed, Name: r.Name, Due: r.Due, DueAt: r.DueAt,
		Message: r.Message,
		State:   r.State, Says: r.Says, Waits: ground.OrEmpty(r.Waits),
		Lines: ground.OrEmpty(r.Lines), Asked: slices.Contains(r.Lines, p.ID()),
		BeganAt: r.CreatedAt, ClosedAt: r.ClosedAt}
}

type roundsView struct {
	Rounds  []roundNowView `json:"rounds" doc:"the last first"`
	Decided []decidedView  `json:"decided" doc:"sign-offs, the last first"`
	Used    roundsUsed     `json:"used"`
}

type roundInput struct {
	Due     *time.Time `json:"due,omitempty"`
	Lines   []string   `json:"lines,omitempty" maxItems:"500" doc:"who is asked to sign off"`
	Items   []string   `json:"items,omitempty" maxItems:"500" doc:"what it bundles; left out for everything"`
	Message string     `json:"message,omitempty" maxLength:"2000"`
}

type agreedInput struct {
	Agreed int `json:"agreed" minimum:"0" maximum:"99" doc:"0: no number"`
}

type verdictInput struct {
	receive.GuestItem
	Body struct {
		Version string         `json:"version" doc:"the one that was looked at; only the newest can be decided on"`
		Verdict review.Verdict `json:"verdict"`
		Line    string         `json:"line,omitempty" maxLength:"2000"`
	}
}

type roundVerdict struct {
	receive.ByLink
	Body struct {
		Round   string         `json:"round" doc:"id of the round that is open"`
		Verdict review.Verdict `json:"verdict"`
		Line    string         `json:"line,omitempty" maxLength:"2000"`
	}
}

func (a Routes) roundOperations() {
	web.Add(a.Web, web.GuestOp(http.MethodPost, "/verdict", "recipient-decide-round", "Sign off all that the open round bundles, or say that changes are wanted"), receive.AsEntrant(a.Receive,
		func(in *roundVerdict) string { return in.Link },
		func(ctx context.Context, e receive.Entrant, in *roundVerdict) (*web.Body[[]decidedView], error) {
			all, err := a.Rounds.SignOffRound(ctx, e, in.Body.Round, in.Body.Verdict, in.Body.Line)
			return &web.Body[[]decidedView]{Body: viewDecided(all, Guest(e))}, err
		}))
	web.Add(a.Web, web.GuestOp(http.MethodPost, "/items/{item}/verdict", "recipient-decide", "Sign an item off, or say that changes are wanted"), receive.AsEntrant(a.Receive,
		func(in *verdictInput) string { return in.Link },
		func(ctx context.Context, e receive.Entrant, in *verdictInput) (*web.Body[decidedView], error) {
			d, err := a.Rounds.SignOff(ctx, e, in.Item, in.Body.Version, in.Body.Verdict, in.Body.Line)
			return &web.Body[decidedView]{Body: viewDecided([]SignOff{d}, Guest(e))[0]}, err
		}))
	web.Add(a.Web, web.StudioOp(http.MethodGet, "/packages/{id}/rounds", "rounds", "Rounds of a package, and what was decided in it"), web.AsMember(
		func(ctx context.Context, m account.Member, in *web.ByID) (*web.Body[roundsView], error) {
			return a.roundsOf(ctx, Studio(m), in.ID)
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/packages/{id}/rounds", "begin-round", "Begin a round with the versions as they are now; one that is open is closed"),
		web.AsMember(func(ctx context.Context, m account.Member, in *aboutIn[roundInput]) (*web.Body[roundsView], error) {
			if _, err := a.Rounds.Begin(ctx, m, in.ID, Plan(in.Body)); err != nil {
				return nil, err
			}
			return a.roundsOf(ctx, Studio(m), in.ID)
		}))
	web.Add(a.Web, web.StudioOp(http.MethodDelete, "/packages/{id}/rounds", "close-round", "Close the round of a package that is open"), web.AsMember(
		func(ctx context.Context, m account.Member, in *web.ByID) (*web.None, error) {
			return nil, a.Rounds.Close(ctx, m, in.ID)
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPut, "/places/{id}/rounds", "agree-rounds", "Keep how many rounds were agreed for a project"), web.AsMember(
		func(ctx context.Context, m account.Member, in *aboutIn[agreedInput]) (*web.None, error) {
			return nil, a.Rounds.Agree(ctx, m, in.ID, in.Body.Agreed)
		}))
}

func (a Routes) roundsOf(ctx context.Context, p Party, parcel string) (*web.Body[roundsView], error) {
	rounds, err := a.Rounds.Of(ctx, p, parcel)
	if err != nil {
		return nil, err
	}
	used, err := a.roundsUsed(ctx, p, parcel)
	if err != nil {
		return nil, err
	}
	decided, err := a.Rounds.SignOffs(ctx, p, parcel, "")
	out := roundsView{Rounds: []roundNowView{}, Decided: viewDecided(decided, p), Used: used}
	for _, r := range rounds {
		out.Rounds = append(out.Rounds, viewRound(r, p))
	}
	return &web.Body[roundsView]{Body: out}, err
}
