package httpapi

import (
	"context"
	"net/http"
	"time"

	"aftergust/core/align"
	"aftergust/core/review"
	"aftergust/core/right"
	"aftergust/core/timecode"
	"aftergust/internal/parts/receive"
	reviewing "aftergust/internal/parts/review"
	"aftergust/internal/who/account"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"
)

// bothSides registers an operation of a review twice: for members at /api/v1, and for
// holders of a link at /api/v1/r/{link}. Both do the same; who may what is decided by
// core/access.
func bothSides[I, O any](a *API, method, path, id, summary string, do func(context.Context, reviewing.Party, *I) (*O, error)) {
	add(a, studioOp(method, path, id, summary), asMember(func(ctx context.Context, m account.Member, in *I) (*O, error) {
		return do(ctx, reviewing.Studio(m), in)
	}))
	op := guestOp(method, path, "recipient-"+id, summary)
	op.Parameters = []*huma.Param{{Name: "link", In: "path", Required: true, Schema: &huma.Schema{Type: huma.TypeString}}}
	add(a, op, func(ctx context.Context, in *I) (*O, error) {
		found := from(ctx)
		e, err := a.Receive.Enter(ctx, chi.URLParamFromCtx(ctx, "link"), found.device, found.member)
		if err != nil {
			return nil, err
		}
		return do(ctx, reviewing.Guest(e), in)
	})
}

// noteAnswer answers with what a note has become.
func (a *API) noteAnswer(n reviewing.Note, p reviewing.Party, err error) (*body[noteView], error) {
	return &body[noteView]{viewNote(n, p)}, err
}

// aboutIn names one thing, with a body about it.
type aboutIn[B any] struct {
	ByID
	Body B
}

func (a *API) reviewOperations() {
	add(a, studioOp(http.MethodGet, "/packages/{id}/notes", "notes", "All notes of a package"), asMember(
		func(ctx context.Context, m account.Member, in *ByID) (*body[[]noteView], error) {
			notes, err := a.Review.Notes(ctx, m, in.ID)
			return &body[[]noteView]{viewNotes(notes, reviewing.Studio(m))}, err
		}))
	add(a, guestOp(http.MethodGet, "/notes", "recipient-notes", "The notes of the package"), asEntrant(a,
		func(in *ByLink) string { return in.Link },
		func(ctx context.Context, e receive.Entrant, _ *ByLink) (*body[[]noteView], error) {
			notes, err := a.Review.GuestNotes(ctx, e)
			return &body[[]noteView]{viewNotes(notes, reviewing.Guest(e))}, err
		}))
	add(a, studioOp(http.MethodGet, "/packages/{id}/ticks", "package-ticks", "What everybody has ticked in the sheets of a package"), asMember(
		func(ctx context.Context, m account.Member, in *ByID) (*body[[]tickView], error) {
			ticks, err := a.Review.Ticks(ctx, m, in.ID)
			out := make([]tickView, len(ticks))
			for i, t := range ticks {
				out[i] = tickView{t.ContentID, t.Task, t.Who, t.At}
			}
			return &body[[]tickView]{out}, err
		}))
	bothSides(a, http.MethodGet, "/items/{id}/room", "room", "The review of an item: the version that is looked at, notes, who takes part", a.room)
	a.noteOperations()
	a.threadOperations()
	a.roundOperations()
	a.sittingOperations()
}

func (a *API) noteOperations() {
	bothSides(a, http.MethodPost, "/items/{id}/notes", "write-note", "Leave a note at a place of an item",
		func(ctx context.Context, p reviewing.Party, in *aboutIn[noteInput]) (*body[noteView], error) {
			n, err := a.Review.Write(ctx, p, in.ID, reviewing.Draft(in.Body))
			return a.noteAnswer(n, p, err)
		})
	bothSides(a, http.MethodPost, "/notes/{id}/answers", "answer-note", "Answer a note",
		func(ctx context.Context, p reviewing.Party, in *aboutIn[answerInput]) (*body[noteView], error) {
			n, err := a.Review.Answer(ctx, p, in.ID, reviewing.Draft{Body: in.Body.Text, Private: in.Body.Private, Attached: in.Body.Attached})
			return a.noteAnswer(n, p, err)
		})
	bothSides(a, http.MethodPatch, "/notes/{id}", "edit-note", "Change the words of one's own note; those before are kept",
		func(ctx context.Context, p reviewing.Party, in *aboutIn[editInput]) (*body[noteView], error) {
			n, err := a.Review.Edit(ctx, p, in.ID, in.Body.Edition, in.Body.Text)
			return a.noteAnswer(n, p, err)
		})
	bothSides(a, http.MethodDelete, "/notes/{id}", "remove-note", "Take back one's own note that nobody else has answered",
		func(ctx context.Context, p reviewing.Party, in *ByID) (*none, error) {
			return nil, a.Review.Remove(ctx, p, in.ID)
		})
	bothSides(a, http.MethodGet, "/notes/{id}/former", "former-words", "The words that a note had before, the last first",
		func(ctx context.Context, p reviewing.Party, in *ByID) (*body[[]wordsView], error) {
			former, err := a.Review.Former(ctx, p, in.ID)
			out := make([]wordsView, len(former))
			for i, w := range former {
				out[i] = wordsView(w)
			}
			return &body[[]wordsView]{out}, err
		})
}

func (a *API) threadOperations() {
	bothSides(a, http.MethodPut, "/notes/{id}/done", "set-note-done", "Tick a note as done, or open it again",
		func(ctx context.Context, p reviewing.Party, in *aboutIn[doneInput]) (*none, error) {
			return nil, a.Review.SetDone(ctx, p, in.ID, in.Body.Done)
		})
	bothSides(a, http.MethodPut, "/notes/{id}/sign", "sign-note", "Give a note a sign, or take it back",
		func(ctx context.Context, p reviewing.Party, in *aboutIn[signInput]) (*none, error) {
			return nil, a.Review.Sign(ctx, p, in.ID, in.Body.Sign, in.Body.On)
		})
	bothSides(a, http.MethodPut, "/items/{id}/stars", "rate-item", "Give the version of an item that there is now stars",
		func(ctx context.Context, p reviewing.Party, in *aboutIn[starsInput]) (*none, error) {
			return nil, a.Review.Rate(ctx, p, in.ID, in.Body.Stars)
		})
	bothSides(a, http.MethodPut, "/notes/{id}/place", "lay-note", "Say by hand where a note lies on a later version than its own",
		func(ctx context.Context, p reviewing.Party, in *aboutIn[layInput]) (*none, error) {
			return nil, a.Review.Lay(ctx, p, in.ID, in.Body.Version, in.Body.At, in.Body.Onwards)
		})
	add(a, studioOp(http.MethodPut, "/notes/{id}/private", "set-note-private", "Keep a note to the studio, or show it to all"), asMember(
		func(ctx context.Context, m account.Member, in *aboutIn[privateInput]) (*none, error) {
			return nil, a.Review.SetPrivate(ctx, reviewing.Studio(m), in.ID, in.Body.Private)
		}))
	add(a, studioOp(http.MethodPut, "/notes/{id}/assigned", "assign-note", "Say who of the studio does what a note asks for"), asMember(
		func(ctx context.Context, m account.Member, in *aboutIn[assignInput]) (*none, error) {
			return nil, a.Review.Assign(ctx, reviewing.Studio(m), in.ID, in.Body.Member)
		}))
}

type editInput struct {
	Text    string `json:"text" maxLength:"8000"`
	Edition int    `json:"edition" minimum:"1" doc:"the one that was read"`
}

type doneInput struct {
	Done bool `json:"done"`
}

type signInput struct {
	Sign review.Sign `json:"sign"`
	On   bool        `json:"on"`
}

type starsInput struct {
	Stars int `json:"stars" minimum:"0" maximum:"5" doc:"0 takes them back"`
}

type layInput struct {
	Version string          `json:"version"`
	At      timecode.Micros `json:"at_us" minimum:"0" doc:"microseconds from the first frame"`
	Onwards bool            `json:"onwards,omitempty" doc:"all carried notes behind it move by as much"`
}

type privateInput struct {
	Private bool `json:"private"`
}

type assignInput struct {
	Member string `json:"member" doc:"id; empty for nobody"`
}

type noteInput struct {
	Version  string        `json:"version,omitempty" doc:"on which it lies; left out for the one that the package gives now"`
	Anchor   review.Anchor `json:"anchor"`
	Body     string        `json:"text" maxLength:"8000" doc:"may be empty where the note is drawn, said or shown"`
	Private  bool          `json:"private,omitempty" doc:"for the studio alone"`
	Attached []string      `json:"attached,omitempty" maxItems:"8" doc:"ids of what was attached before"`
}

type answerInput struct {
	Text     string   `json:"text" maxLength:"8000"`
	Private  bool     `json:"private,omitempty"`
	Attached []string `json:"attached,omitempty" maxItems:"8"`
}

type tickView struct {
	Item string    `json:"item" doc:"id of the sheet in the package"`
	Task string    `json:"task" doc:"its key"`
	Who  string    `json:"who"`
	At   time.Time `json:"at"`
}

type wordsView struct {
	Text  string    `json:"text"`
	Until time.Time `json:"until" doc:"when they were replaced"`
}

type noteView struct {
	ID       string                 `json:"id"`
	Item     string                 `json:"item" doc:"id of the item in the package"`
	Version  string                 `json:"version"`
	Number   int                    `json:"number" doc:"of the version"`
	Who      string                 `json:"who" doc:"id of the line or member; two of one name are two"`
	Author   string                 `json:"author"`
	Studio   bool                   `json:"studio" doc:"written by a member of the studio"`
	Brought  string                 `json:"brought_by" doc:"who took it in from a file that names this author; empty for one written here"`
	Mine     bool                   `json:"mine"`
	Anchor   review.Anchor          `json:"anchor"`
	Place    review.Place           `json:"place"`
	Body     string                 `json:"body"`
	Says     string                 `json:"says" doc:"the body, or what is there in its place, in words"`
	Edition  int                    `json:"edition" doc:"from 1; one more with each edit"`
	Private  bool                   `json:"private"`
	Assigned string                 `json:"assigned" doc:"id of the member who does it; empty for nobody"`
	Assignee string                 `json:"assignee" doc:"their name"`
	At       time.Time              `json:"at"`
	Done     bool                   `json:"done"`
	Attached []reviewing.Attachment `json:"attached"`
	Signs    []reviewing.Reaction   `json:"signs"`
	Answers  []noteView             `json:"answers"`
	Carried  *carriedView           `json:"carried,omitempty" doc:"where it lies on a later version that is looked at; left out on its own"`
}

type carriedView struct {
	Anchor  review.Anchor `json:"anchor"`
	Place   review.Place  `json:"place"`
	How     review.How    `json:"how"`
	Sure    bool          `json:"sure" doc:"nobody needs to look whether it lies right"`
	ShiftUS int64         `json:"shift_us" doc:"how much later it lies, in microseconds"`
	Says    string        `json:"says"`
}

// viewNotes puts answers under their notes, as somebody reads them.
func viewNotes(notes []reviewing.Note, p reviewing.Party) []noteView {
	answers := map[string][]noteView{}
	out := []noteView{}
	for _, n := range notes {
		if n.ParentID != "" {
			answers[n.ParentID] = append(answers[n.ParentID], viewNote(n, p))
		}
	}
	for _, n := range notes {
		if n.ParentID == "" {
			v := viewNote(n, p)
			v.Answers = orEmpty(answers[n.ID])
			out = append(out, v)
		}
	}
	return out
}

func viewNote(n reviewing.Note, p reviewing.Party) noteView {
	who := n.MemberID + n.LineID
	var carried *carriedView
	if c := n.Carried; c.How != review.AtHome {
		carried = &carriedView{c.Anchor, c.Place, c.How, c.How.Sure(), int64(c.Shift), c.Says}
	}
	return noteView{Carried: carried, ID: n.ID, Item: n.ContentID, Version: n.VersionID, Number: n.Number, Who: who, Author: n.Author,
		Studio: n.MemberID != "", Brought: n.BroughtBy, Mine: who == p.ID() && n.SaidBy == "", Anchor: n.Anchor, Place: n.Place, Body: n.Body, Says: n.Says(), Edition: n.Edition,
		Private: n.Private, Assigned: n.AssignedID, Assignee: n.Assigned, At: n.CreatedAt, Done: n.DoneAt != nil,
		Attached: orEmpty(n.Attached), Signs: orEmpty(n.Signs), Answers: []noteView{}}
}

type roomPerson struct {
	ID     string `json:"id"`
	Name   string `json:"name"`
	Studio bool   `json:"studio"`
	Me     bool   `json:"me"`
}

type roomVersion struct {
	ID     string    `json:"id"`
	Number int       `json:"number"`
	Label  string    `json:"label"`
	At     time.Time `json:"at"`
	Now    bool      `json:"now" doc:"the package gives it now"`
	Look   string    `json:"look" doc:"path before the purpose of a preview"`
}

type roomStars struct {
	Name  string `json:"name"`
	Stars int    `json:"stars"`
	Mine  bool   `json:"mine"`
}

type roomView struct {
	Item     ItemView      `json:"item" doc:"in the version that is looked at"`
	Package  string        `json:"package"`
	Versions []roomVersion `json:"versions" doc:"the oldest first"`
	Notes    []noteView    `json:"notes" doc:"of all versions, oldest first"`
	People   []roomPerson  `json:"people"`
	Stars    []roomStars   `json:"stars"`
	Rights   right.Rights  `json:"rights" doc:"of whoever asks; all for the studio"`
	Studio   bool          `json:"studio" doc:"whoever asks is of the studio"`
	Changed  *align.Map    `json:"changed,omitempty" doc:"what became of the version before in this one; left out where that is not known"`
	Before   string        `json:"before" doc:"id of the version before; empty for none"`
	Decided  []decidedView `json:"decided" doc:"sign-offs of it, the last first"`
	Round    *roundNowView `json:"round,omitempty" doc:"the round of the package that is open; left out where there is none"`
	Used     *roundsUsed   `json:"used,omitempty" doc:"rounds of the project; for the studio"`
}

func (a *API) room(ctx context.Context, p reviewing.Party, in *struct {
	ByID
	Version string `query:"version" doc:"id; left out for the one that the package gives now"`
}) (*body[roomView], error) {
	r, err := a.Review.Room(ctx, p, in.ID, in.Version)
	if err != nil {
		return nil, err
	}
	link := chi.URLParamFromCtx(ctx, "link")
	look := func(version string) string {
		if p.InStudio() {
			return "/api/v1/versions/" + version + "/"
		}
		return "/r/" + link + "/look/" + r.Content.ID + "/" + version + "/"
	}
	v := roomView{Item: viewItem(r.Content, look(r.Content.VersionID)), Package: r.Content.ParcelID, Versions: []roomVersion{},
		Notes: viewNotes(r.Notes, p), People: []roomPerson{}, Stars: []roomStars{}, Rights: p.Rights(), Studio: p.InStudio(),
		Changed: r.Changed, Before: r.Before}
	decided, err := a.Rounds.SignOffs(ctx, p, r.Content.ParcelID, r.Content.ID)
	if err != nil {
		return nil, err
	}
	v.Decided = viewDecided(decided, p)
	if round, ok, err := a.Rounds.Open(ctx, p, r.Content.ParcelID); err != nil {
		return nil, err
	} else if ok {
		v.Round = new(viewRound(round, p))
	}
	if p.InStudio() {
		used, err := a.roundsUsed(ctx, p, r.Content.ParcelID)
		if err != nil {
			return nil, err
		}
		v.Used = &used
	}
	for _, g := range r.Versions {
		v.Versions = append(v.Versions, roomVersion{g.ID, g.Number, g.Label, g.At, g.Now, look(g.ID)})
	}
	for _, one := range r.People {
		v.People = append(v.People, roomPerson{one.ID, one.Name, one.Studio, one.ID == p.ID()})
	}
	for _, one := range r.Ratings {
		v.Stars = append(v.Stars, roomStars{one.Name, one.Stars, one.Who == p.ID()})
	}
	return &body[roomView]{v}, nil
}
