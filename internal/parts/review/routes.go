package review

import (
	"context"
	"net/http"
	"time"

	"aftergust/core/link/right"
	"aftergust/core/media/align"
	"aftergust/core/notes/review"
	"aftergust/core/time/timecode"
	"aftergust/internal/ground"
	"aftergust/internal/parts/pack"
	"aftergust/internal/parts/previews"
	"aftergust/internal/parts/receive"
	"aftergust/internal/web"
	"aftergust/internal/who/account"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"
)

// Routes are notes, rounds and sittings over HTTP.
type Routes struct {
	Web            *web.Web
	Pack           *pack.Service
	Receive        *receive.Service
	Review         *Service
	Rounds         *Rounds
	Sittings       *Sittings
	PreviewsRoutes previews.Routes
	ReceiveRoutes  receive.Routes
}

// Mount registers all routes of this part.
func (a Routes) Mount(r chi.Router) {
	for _, method := range []string{http.MethodGet, http.MethodHead} {
		r.MethodFunc(method, "/r/{link}/look/{item}/{what}", a.Web.Sends(a.look))
		r.MethodFunc(method, "/r/{link}/look/{item}/{version}/{what}", a.Web.Sends(a.look))
		for _, side := range []string{"/api/v1", "/api/v1/r/{link}"} {
			r.MethodFunc(method, side+"/attached/{id}", a.Web.Sends(a.attached))
			r.MethodFunc(method, side+"/notes/{id}/frame.jpg", a.Web.Sends(a.frame))
			r.MethodFunc(method, side+"/items/{id}/out/{format}", a.notesOut)
		}
	}
	for _, side := range []string{"/api/v1", "/api/v1/r/{link}"} {
		r.Post(side+"/items/{id}/attached/{kind}", a.attach)
		r.Post(side+"/items/{id}/in/{format}", a.notesIn)
	}
	a.reviewOperations()
	a.sheetOperations()
}

// bothSides registers an operation of a review twice: for members at /api/v1, and for
// holders of a link at /api/v1/r/{link}. Both do the same; who may what is decided by
// core/link/access.
func bothSides[I, O any](a Routes, method, path, id, summary string, do func(context.Context, Party, *I) (*O, error)) {
	web.Add(a.Web, web.StudioOp(method, path, id, summary), web.AsMember(func(ctx context.Context, m account.Member, in *I) (*O, error) {
		return do(ctx, Studio(m), in)
	}))
	op := web.GuestOp(method, path, "recipient-"+id, summary)
	op.Parameters = []*huma.Param{{Name: "link", In: "path", Required: true, Schema: &huma.Schema{Type: huma.TypeString}}}
	web.Add(a.Web, op, func(ctx context.Context, in *I) (*O, error) {
		found := web.From(ctx)
		e, err := a.Receive.Enter(ctx, chi.URLParamFromCtx(ctx, "link"), found.Device, found.Member)
		if err != nil {
			return nil, err
		}
		return do(ctx, Guest(e), in)
	})
}

// noteAnswer answers with what a note has become.
func (a Routes) noteAnswer(n Note, p Party, err error) (*web.Body[noteView], error) {
	return &web.Body[noteView]{Body: viewNote(n, p)}, err
}

// aboutIn names one thing, with a body about it.
type aboutIn[B any] struct {
	web.ByID
	Body B
}

func (a Routes) reviewOperations() {
	web.Add(a.Web, web.StudioOp(http.MethodGet, "/packages/{id}/notes", "notes", "All notes of a package"), web.AsMember(
		func(ctx context.Context, m account.Member, in *web.ByID) (*web.Body[[]noteView], error) {
			notes, err := a.Review.Notes(ctx, m, in.ID)
			return &web.Body[[]noteView]{Body: viewNotes(notes, Studio(m))}, err
		}))
	web.Add(a.Web, web.GuestOp(http.MethodGet, "/notes", "recipient-notes", "The notes of the package"), receive.AsEntrant(a.Receive,
		func(in *receive.ByLink) string { return in.Link },
		func(ctx context.Context, e receive.Entrant, _ *receive.ByLink) (*web.Body[[]noteView], error) {
			notes, err := a.Review.GuestNotes(ctx, e)
			return &web.Body[[]noteView]{Body: viewNotes(notes, Guest(e))}, err
		}))
	web.Add(a.Web, web.StudioOp(http.MethodGet, "/packages/{id}/ticks", "package-ticks", "What everybody has ticked in the sheets of a package"), web.AsMember(
		func(ctx context.Context, m account.Member, in *web.ByID) (*web.Body[[]tickView], error) {
			ticks, err := a.Review.Ticks(ctx, m, in.ID)
			out := make([]tickView, len(ticks))
			for i, t := range ticks {
				out[i] = tickView{t.ContentID, t.Task, t.Who, t.At}
			}
			return &web.Body[[]tickView]{Body: out}, err
		}))
	bothSides(a, http.MethodGet, "/items/{id}/room", "room", "The review of an item: the version that is looked at, notes, who takes part", a.room)
	a.noteOperations()
	a.threadOperations()
	a.roundOperations()
	a.sittingOperations()
}

func (a Routes) noteOperations() {
	bothSides(a, http.MethodPost, "/items/{id}/notes", "write-note", "Leave a note at a place of an item",
		func(ctx context.Context, p Party, in *aboutIn[noteInput]) (*web.Body[noteView], error) {
			n, err := a.Review.Write(ctx, p, in.ID, Draft(in.Body))
			return a.noteAnswer(n, p, err)
		})
	bothSides(a, http.MethodPost, "/notes/{id}/answers", "answer-note", "Answer a note",
		func(ctx context.Context, p Party, in *aboutIn[answerInput]) (*web.Body[noteView], error) {
			n, err := a.Review.Answer(ctx, p, in.ID, Draft{Body: in.Body.Text, Private: in.Body.Private, Attached: in.Body.Attached})
			return a.noteAnswer(n, p, err)
		})
	bothSides(a, http.MethodPatch, "/notes/{id}", "edit-note", "Change the words of one's own note; those before are kept",
		func(ctx context.Context, p Party, in *aboutIn[editInput]) (*web.Body[noteView], error) {
			n, err := a.Review.Edit(ctx, p, in.ID, in.Body.Edition, in.Body.Text)
			return a.noteAnswer(n, p, err)
		})
	bothSides(a, http.MethodDelete, "/notes/{id}", "remove-note", "Take back one's own note that nobody else has answered",
		func(ctx context.Context, p Party, in *web.ByID) (*web.None, error) {
			return nil, a.Review.Remove(ctx, p, in.ID)
		})
	bothSides(a, http.MethodGet, "/notes/{id}/former", "former-words", "The words that a note had before, the last first",
		func(ctx context.Context, p Party, in *web.ByID) (*web.Body[[]wordsView], error) {
			former, err := a.Review.Former(ctx, p, in.ID)
			out := make([]wordsView, len(former))
			for i, w := range former {
				out[i] = wordsView(w)
			}
			return &web.Body[[]wordsView]{Body: out}, err
		})
}

func (a Routes) threadOperations() {
	bothSides(a, http.MethodPut, "/notes/{id}/done", "set-note-done", "Tick a note as done, or open it again",
		func(ctx context.Context, p Party, in *aboutIn[doneInput]) (*web.None, error) {
			return nil, a.Review.SetDone(ctx, p, in.ID, in.Body.Done)
		})
	bothSides(a, http.MethodPut, "/notes/{id}/sign", "sign-note", "Give a note a sign, or take it back",
		func(ctx context.Context, p Party, in *aboutIn[signInput]) (*web.None, error) {
			return nil, a.Review.Sign(ctx, p, in.ID, in.Body.Sign, in.Body.On)
		})
	bothSides(a, http.MethodPut, "/items/{id}/stars", "rate-item", "Give the version of an item that there is now stars",
		func(ctx context.Context, p Party, in *aboutIn[starsInput]) (*web.None, error) {
			return nil, a.Review.Rate(ctx, p, in.ID, in.Body.Stars)
		})
	bothSides(a, http.MethodPut, "/notes/{id}/place", "lay-note", "Say by hand where a note lies on a later version than its own",
		func(ctx context.Context, p Party, in *aboutIn[layInput]) (*web.None, error) {
			return nil, a.Review.Lay(ctx, p, in.ID, in.Body.Version, in.Body.At, in.Body.Onwards)
		})
	web.Add(a.Web, web.StudioOp(http.MethodPut, "/notes/{id}/private", "set-note-private", "Keep a note to the studio, or show it to all"), web.AsMember(
		func(ctx context.Context, m account.Member, in *aboutIn[privateInput]) (*web.None, error) {
			return nil, a.Review.SetPrivate(ctx, Studio(m), in.ID, in.Body.Private)
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPut, "/notes/{id}/assigned", "assign-note", "Say who of the studio does what a note asks for"), web.AsMember(
		func(ctx context.Context, m account.Member, in *aboutIn[assignInput]) (*web.None, error) {
			return nil, a.Review.Assign(ctx, Studio(m), in.ID, in.Body.Member)
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
	ID       string        `json:"id"`
	Item     string        `json:"item" doc:"id of the item in the package"`
	Version  string        `json:"version"`
	Number   int           `json:"number" doc:"of the version"`
	Who      string        `json:"who" doc:"id of the line or member; two of one name are two"`
	Author   string        `json:"author"`
	Studio   bool          `json:"studio" doc:"written by a member of the studio"`
	Brought  string        `json:"brought_by" doc:"who took it in from a file that names this author; empty for one written here"`
	Mine     bool          `json:"mine"`
	Anchor   review.Anchor `json:"anchor"`
	Place    review.Place  `json:"place"`
	Body     string        `json:"body"`
	Says     string        `json:"says" doc:"the body, or what is there in its place, in words"`
	Edition  int           `json:"edition" doc:"from 1; one more with each edit"`
	Private  bool          `json:"private"`
	Assigned string        `json:"assigned" doc:"id of the member who does it; empty for nobody"`
	Assignee string        `json:"assignee" doc:"their name"`
	At       time.Time     `json:"at"`
	Done     bool          `json:"done"`
	Attached []Attachment  `json:"attached"`
	Signs    []Reaction    `json:"signs"`
	Answers  []noteView    `json:"answers"`
	Carried  *carriedView  `json:"carried,omitempty" doc:"where it lies on a later version that is looked at; left out on its own"`
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
func viewNotes(notes []Note, p Party) []noteView {
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
			v.Answers = ground.OrEmpty(answers[n.ID])
			out = append(out, v)
		}
	}
	return out
}

func viewNote(n Note, p Party) noteView {
	who := n.MemberID + n.LineID
	var carried *carriedView
	if c := n.Carried; c.How != review.AtHome {
		carried = &carriedView{c.Anchor, c.Place, c.How, c.How.Sure(), int64(c.Shift), c.Says}
	}
	return noteView{Carried: carried, ID: n.ID, Item: n.ContentID, Version: n.VersionID, Number: n.Number, Who: who, Author: n.Author,
		Studio: n.MemberID != "", Brought: n.BroughtBy, Mine: who == p.ID() && n.SaidBy == "", Anchor: n.Anchor, Place: n.Place, Body: n.Body, Says: n.Says(), Edition: n.Edition,
		Private: n.Private, Assigned: n.AssignedID, Assignee: n.Assigned, At: n.CreatedAt, Done: n.DoneAt != nil,
		Attached: ground.OrEmpty(n.Attached), Signs: ground.OrEmpty(n.Signs), Answers: []noteView{}}
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
	Item     pack.ItemView `json:"item" doc:"in the version that is looked at"`
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

func (a Routes) room(ctx context.Context, p Party, in *struct {
	web.ByID
	Version string `query:"version" doc:"id; left out for the one that the package gives now"`
}) (*web.Body[roomView], error) {
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
	v := roomView{Item: pack.ViewItem(r.Content, look(r.Content.VersionID)), Package: r.Content.ParcelID, Versions: []roomVersion{},
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
	return &web.Body[roomView]{Body: v}, nil
}
