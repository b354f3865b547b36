package review

import (
	"context"
	"encoding/hex"
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"aftergust/core/link/right"
	"aftergust/core/notes/review"
	"aftergust/core/record/event"
	"aftergust/core/time/expiry"
	"aftergust/internal/ground"
	"aftergust/internal/ground/db"
	"aftergust/internal/parts/happen"
	"aftergust/internal/parts/pack"
	"aftergust/internal/parts/receive"
	"aftergust/internal/who/account"
)

// A SignOff is what somebody decided of a version.
type SignOff struct {
	ID        string
	ParcelID  string
	ContentID string
	VersionID string
	Number    int // of the version
	LineID    string
	WayIn     string
	Name      string // of the person
	Verdict   review.Verdict
	Body      string
	SHA256    []byte // of the version; nil while it was not reckoned
	At        time.Time
}

// A Round is one pass of review: versions, a due date, who is asked.
type Round struct {
	ID        string
	ParcelID  string
	ProjectID string
	Number    int
	Agreed    int // how many were agreed for the project; 0: no number
	DueAt     *time.Time
	Message   string
	MemberID  string
	CreatedAt time.Time
	ClosedAt  *time.Time
	Versions  []string // of what it bundles, in the order of the package
	Lines     []string // who is asked
}

// A Bundled is a version that a round bundles.
type Bundled struct {
	RoundID   string
	ContentID string
	VersionID string
	Name      string // of the item
	Number    int    // of the version
	SHA256    []byte // of the version; nil while it was not reckoned
	Given     bool   // the package gives it still
	Now       bool   // and in this version
}

// Rounds keeps rounds and sign-offs. Make it with NewRounds.
type Rounds struct {
	roomRows    RoomRows
	roundRows   RoundRows
	contentRows pack.ContentRows
	lineRows    pack.LineRows
	review      *Service
	events      *happen.Log
	now         func() time.Time
}

// NewRounds makes a service.
func NewRounds(store *db.DB, reviewing *Service, events *happen.Log, now func() time.Time) *Rounds {
	return &Rounds{RoomRows{store}, RoundRows{store}, pack.ContentRows{DB: store}, pack.LineRows{DB: store}, reviewing, events, now}
}

// maxLine is how long the line is that goes with a verdict, in characters.
const maxLine = 1000

// SignOff writes down what an entrant decides of an item in the version that they looked
// at: only the newest one can be signed off.
func (s *Rounds) SignOff(ctx context.Context, e receive.Entrant, contentID, version string, verdict review.Verdict,
	line string) (SignOff, error) {
	c, err := s.review.receive.Reach(ctx, e, contentID, right.SignOff)
	if err != nil {
		return SignOff{}, err
	}
	if line, err = judged(e, verdict, line); err != nil {
		return SignOff{}, err
	}
	if version != c.VersionID {
		return SignOff{}, ground.Clash("newer_version", "There is a newer version of this. Look at it first; nothing was decided.")
	}
	d := s.decision(e, verdict, line)
	d.ContentID, d.VersionID, d.Number, d.SHA256 = c.ID, c.VersionID, c.Number, c.SHA256
	return d, s.roomRows.Tx(ctx, func(ctx context.Context) error { return s.decide(ctx, e, d) })
}

// SignOffRound writes down what an entrant decides of all that a round bundles. It must be the
// one that is open, and everything in it must be as it was when the round began: who decides of
// all at once has seen nothing newer. What is not given any more is left out.
func (s *Rounds) SignOffRound(
	ctx context.Context, e receive.Entrant, round string, verdict review.Verdict, line string,
) (out []SignOff, err error) {
	if err := receive.Refusal(e.Decide(right.SignOff, false, s.now())); err != nil {
		return nil, err
	}
	if line, err = judged(e, verdict, line); err != nil {
		return nil, err
	}
	err = s.roomRows.Tx(ctx, func(ctx context.Context) error {
		if err := s.roomRows.LockPackage(ctx, e.Parcel.ID); err != nil { // a round that is closed meanwhile
			return err
		}
		all, err := s.roundRows.Bundled(ctx, e.Parcel.ID, true)
		if err != nil {
			return err
		}
		for _, b := range all {
			switch {
			case b.RoundID != round || !b.Given:
				continue
			case !b.Now:
				return ground.Clash("newer_version", "There is a newer version of "+b.Name+" than the one in this round. "+
					"Look at it and decide of it by itself; nothing was decided.")
			}
			d := s.decision(e, verdict, line)
			d.ContentID, d.VersionID, d.Number, d.SHA256 = b.ContentID, b.VersionID, b.Number, b.SHA256
			out = append(out, d)
		}
		if len(out) == 0 {
			return ground.Clash("round_closed", "This round is not open any more. Nothing was decided; look at what is new.")
		}
		return s.decide(ctx, e, out...)
	})
	if err != nil {
		return nil, err
	}
	return out, nil
}

// judged checks a verdict, and gives the line that goes with it as it is kept.
func judged(e receive.Entrant, verdict review.Verdict, line string) (string, error) {
	line = strings.TrimSpace(strings.ToValidUTF8(line, ""))
	switch {
	case !review.Verdicts.Has(verdict):
		return "", ground.Wrong("verdict", "There is no verdict %q.", verdict)
	case utf8.RuneCountInString(line) > maxLine:
		return "", ground.Wrong("line", "The line has at most %d characters.", maxLine)
	}
	return line, Guest(e).writes()
}

// decision is a verdict of an entrant that still lacks what it is of.
func (s *Rounds) decision(e receive.Entrant, verdict review.Verdict, line string) SignOff {
	return SignOff{ID: ground.NewID(), ParcelID: e.Parcel.ID, LineID: e.Line.ID, WayIn: e.Line.WayID, Name: e.Line.Name,
		Verdict: verdict, Body: line, At: s.now()}
}

// decide keeps verdicts of an entrant, each with an event of its own: each goes on the proof.
//
// Who decides the same once more, by a second press or a request that was repeated, has decided
// once: the proof shows it once.
func (s *Rounds) decide(ctx context.Context, e receive.Entrant, all ...SignOff) error {
	if err := s.roomRows.LockPackage(ctx, e.Parcel.ID); err != nil { // one after the other
		return err
	}
	var happened []happen.Happening
	for _, d := range all {
		if same, err := s.roundRows.Decided(ctx, d); err != nil {
			return err
		} else if same {
			continue
		}
		if err := s.roundRows.InsertSignOff(ctx, d); err != nil {
			return err
		}
		kind := event.SignedOff
		if d.Verdict == review.ChangesWanted {
			kind = event.ChangesWanted
		}
		happened = append(happened, happen.Happening{Kind: kind, StudioID: e.Parcel.StudioID, ParcelID: e.Parcel.ID,
			LineID: d.LineID, WayIn: d.WayIn,
			Version: d.VersionID, Place: d.Body})
	}
	return s.events.Record(ctx, happened...)
}

// Sum is the checksum of the version in hexadecimal; empty while it was not reckoned.
func (d SignOff) Sum() string { return hex.EncodeToString(d.SHA256) }

// SignOffs are what was decided of an item, or of a whole package, the last first.
func (s *Rounds) SignOffs(ctx context.Context, p Party, parcelID, contentID string) ([]SignOff, error) {
	if contentID != "" {
		content, parcel, err := s.review.content(ctx, p, contentID, right.See)
		if err != nil {
			return nil, err
		}
		return s.roundRows.SignOffs(ctx, parcel.ID, content.ID)
	}
	if err := s.may(ctx, p, parcelID); err != nil {
		return nil, err
	}
	return s.roundRows.SignOffs(ctx, parcelID, "")
}

func (s *Rounds) may(ctx context.Context, p Party, parcelID string) error {
	if p.InStudio() {
		_, err := s.review.pack.ParcelOf(ctx, p.member, parcelID)
		return err
	}
	if parcelID != p.guest.Parcel.ID {
		return ground.Missing("package")
	}
	return receive.Refusal(p.guest.Decide(right.See, false, s.now()))
}

// A Plan is a round that is about to begin.
type Plan struct {
	Due     *time.Time
	Lines   []string // who is asked; they need the right to sign off
	Items   []string // what it bundles; empty for all that plays or is looked at
	Message string
}

// mostBundled is how many items a round bundles.
const mostBundled = 500

// Begin begins a round of a package: the versions as they are now. A round that is open is
// closed by it. Those who are asked get a letter.
func (s *Rounds) Begin(ctx context.Context, m account.Member, parcelID string, p Plan) (Round, error) {
	parcel, err := s.review.pack.ParcelOf(ctx, m, parcelID)
	if err != nil {
		return Round{}, err
	}
	if now := parcel.State(s.now()); !now.Open() {
		return Round{}, ground.Clash("not_open", "A round begins with a package that is out. This one is "+string(now)+".")
	}
	r := Round{ID: ground.NewID(), ParcelID: parcel.ID, DueAt: p.Due, Message: strings.TrimSpace(clipped(p.Message, maxLine)), MemberID: m.ID,
		CreatedAt: s.now()}
	if p.Due != nil && p.Due.Before(r.CreatedAt) {
		return r, ground.Wrong("due", "A round is due some time from now on.")
	}
	var contents []string
	if r.Versions, contents, err = s.bundle(ctx, parcelID, p.Items); err != nil {
		return r, err
	}
	if r.Lines, err = s.asked(ctx, parcelID, p.Lines); err != nil {
		return r, err
	}
	err = s.roomRows.Tx(ctx, func(ctx context.Context) error {
		if err := s.roomRows.LockPackage(ctx, parcelID); err != nil { // two who begin at once
			return err
		}
		if err := s.closeOpen(ctx, parcelID); err != nil {
			return err
		}
		var used int
		if r.ProjectID, r.Agreed, used, err = s.roundRows.ProjectOf(ctx, parcelID); err != nil {
			return err
		}
		r.Number = used + 1
		if err := s.roundRows.InsertRound(ctx, r, contents); err != nil {
			return err
		}
		name := review.RoundName(r.Number, r.Agreed)
		happened := []happen.Happening{{Kind: event.RoundBegan, StudioID: parcel.StudioID, ParcelID: parcel.ID, MemberID: m.ID, Place: name}}
		for _, line := range r.Lines {
			happened = append(happened, happen.Happening{Kind: event.SignOffAsked, StudioID: parcel.StudioID, ParcelID: parcel.ID, MemberID: m.ID,
				LineID: line, Place: name, About: strings.TrimSuffix(name+", "+review.Due(r.DueAt, s.now(), expiry.ZoneOr(m.Zone)), ", ") + ".", Message: r.Message})
		}
		return s.events.Record(ctx, happened...)
	})
	return r, err
}

// bundle is what a round is over, wherever in the package it stands.
func (s *Rounds) bundle(ctx context.Context, parcelID string, items []string) (versions, contents []string, err error) {
	for after, more := (pack.Place{}), true; more; {
		page, err := s.contentRows.Contents(ctx, parcelID, after, mostBundled)
		if err != nil {
			return nil, nil, err
		}
		for _, c := range page {
			if len(items) == 0 || slices.Contains(items, c.ID) {
				versions, contents = append(versions, c.VersionID), append(contents, c.ID)
			}
			after = c.Place()
		}
		if len(versions) > mostBundled {
			return nil, nil, ground.Clash("too_many", fmt.Sprintf(
				"A round is over at most %d items, and this package has more. Choose which; nothing was begun.", mostBundled))
		}
		more = len(page) == mostBundled
	}
	if len(versions) == 0 {
		return nil, nil, ground.Wrong("items", "There is nothing in this round. Choose what is to be looked at.")
	}
	return versions, contents, nil
}

func (s *Rounds) asked(ctx context.Context, parcelID string, wanted []string) ([]string, error) {
	lines, err := s.lineRows.Lines(ctx, parcelID)
	if err != nil {
		return nil, err
	}
	out := []string{}
	for _, id := range wanted {
		i := slices.IndexFunc(lines, func(l pack.Line) bool { return l.ID == id && l.RemovedAt == nil })
		if i < 0 {
			return nil, ground.Missing("recipient of this package")
		}
		if !lines[i].Rights.Has(right.SignOff) {
			return nil, ground.Wrong("lines", "%s may not sign off. Give them the right on the waybill first.", lines[i].Name)
		}
		out = append(out, id)
	}
	return out, nil
}

func (s *Rounds) closeOpen(ctx context.Context, parcelID string) error {
	rounds, err := s.roundRows.RoundsOf(ctx, parcelID)
	if err != nil {
		return err
	}
	for _, r := range rounds {
		if r.ClosedAt == nil {
			if err := s.roundRows.CloseRound(ctx, r.ID, new(s.now())); err != nil {
				return err
			}
		}
	}
	return nil
}

// Close closes the round of a package that is open.
func (s *Rounds) Close(ctx context.Context, m account.Member, parcelID string) error {
	parcel, err := s.review.pack.ParcelOf(ctx, m, parcelID)
	if err != nil {
		return err
	}
	return s.roomRows.Tx(ctx, func(ctx context.Context) error {
		if err := s.roomRows.LockPackage(ctx, parcelID); err != nil {
			return err
		}
		if err := s.closeOpen(ctx, parcelID); err != nil {
			return err
		}
		return s.review.changed(ctx, parcel)
	})
}

// Agree keeps how many rounds were agreed for a project; 0 for no number.
func (s *Rounds) Agree(ctx context.Context, m account.Member, place string, n int) error {
	ok, err := s.roundRows.SetRoundsAgreed(ctx, m.StudioID, place, n)
	if err == nil && !ok {
		err = ground.Missing("project")
	}
	return err
}

// A RoundNow is a round with what it bundles and where it stands.
type RoundNow struct {
	Round
	Bundle []Bundled
	Name   string
	Due    string
	review.Standing
}

// Counted are the rounds of the project in which a package lies; of the package itself where it lies in none.
type Counted struct {
	ProjectID    string
	Agreed, Used int
}

// Count is how many rounds were agreed and used where a package belongs.
func (s *Rounds) Count(ctx context.Context, p Party, parcelID string) (c Counted, err error) {
	if err := s.may(ctx, p, parcelID); err != nil {
		return c, err
	}
	c.ProjectID, c.Agreed, c.Used, err = s.roundRows.ProjectOf(ctx, parcelID)
	return c, err
}

// Of are the rounds of a package, the last first.
func (s *Rounds) Of(ctx context.Context, p Party, parcelID string) ([]RoundNow, error) {
	if err := s.may(ctx, p, parcelID); err != nil {
		return nil, err
	}
	rounds, err := s.roundRows.RoundsOf(ctx, parcelID)
	if err != nil {
		return nil, err
	}
	return s.standing(ctx, p, parcelID, rounds, false)
}

// Open is the round of a package that is open; ok is false where there is none.
func (s *Rounds) Open(ctx context.Context, p Party, parcelID string) (r RoundNow, ok bool, err error) {
	if err := s.may(ctx, p, parcelID); err != nil {
		return r, false, err
	}
	rounds, err := s.roundRows.RoundsOf(ctx, parcelID)
	if err != nil || len(rounds) == 0 || rounds[0].ClosedAt != nil {
		return r, false, err
	}
	now, err := s.standing(ctx, p, parcelID, rounds[:1], true)
	if err != nil {
		return r, false, err
	}
	return now[0], true, nil
}

// standing works out where rounds stand; open says that only the one that is open is asked for.
func (s *Rounds) standing(ctx context.Context, p Party, parcelID string, rounds []Round, open bool) ([]RoundNow, error) {
	if len(rounds) == 0 {
		return nil, nil
	}
	decided, err := s.roundRows.SignOffs(ctx, parcelID, "")
	if err != nil {
		return nil, err
	}
	lines, err := s.lineRows.Lines(ctx, parcelID)
	if err != nil {
		return nil, err
	}
	bundled, err := s.roundRows.Bundled(ctx, parcelID, open)
	if err != nil {
		return nil, err
	}
	in := map[string][]Bundled{}
	for _, b := range bundled {
		in[b.RoundID] = append(in[b.RoundID], b)
	}
	verdicts := last(decided)
	out := make([]RoundNow, len(rounds))
	for i, r := range rounds {
		out[i] = RoundNow{Round: r, Bundle: in[r.ID], Name: review.RoundName(r.Number, r.Agreed),
			Due:      review.Due(r.DueAt, s.now(), expiry.ZoneOr(p.zone())),
			Standing: review.Stand(r.Versions, people(r, lines, verdicts), r.ClosedAt != nil)}
	}
	return out, nil
}

// last is what each line decided last of each version. decided has the last first.
func last(decided []SignOff) map[string]map[string]review.Verdict {
	out := map[string]map[string]review.Verdict{}
	for _, d := range slices.Backward(decided) { // later ones go over earlier ones
		if out[d.LineID] == nil {
			out[d.LineID] = map[string]review.Verdict{}
		}
		out[d.LineID][d.VersionID] = d.Verdict
	}
	return out
}

// people are those whom a round asks, with what they decided last of each version.
func people(r Round, lines []pack.Line, verdicts map[string]map[string]review.Verdict) (out []review.Asked) {
	for _, l := range lines {
		if l.RemovedAt == nil && slices.Contains(r.Lines, l.ID) {
			out = append(out, review.Asked{Name: l.Name, Verdicts: verdicts[l.ID]})
		}
	}
	return out
}
