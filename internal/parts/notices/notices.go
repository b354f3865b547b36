// Package notices tells the people of a studio what has happened to what they sent:
// in a list, and by letters that go at once, gathered, or in the morning, as the
// studio chose for each kind and project (core/words/notice).
package notices

import (
	"context"
	"time"

	"aftergust/core/record/event"
	"aftergust/core/time/expiry"
	"aftergust/core/words/letter"
	"aftergust/core/words/notice"
	"aftergust/internal/ground"
	"aftergust/internal/out/letters"
	"aftergust/internal/who/account"
)

// A Happened is an event that was written down.
type Happened struct {
	EventID  int64
	At       time.Time
	Kind     event.Kind
	StudioID string
	ParcelID string
	LineID   string // the recipient who did it, or whom it is about; empty for none
	First    bool   // the recipient had never opened the package before
	Note     string `db:"-"` // id of the note that it is about; empty for none
}

// A Personal is a notice to one member that no event brings, but a note: it names them, or
// is theirs to do.
type Personal struct {
	Kind     notice.Kind
	StudioID string
	ParcelID string
	MemberID string // who is told
	Note     string // id
	LineID   string // whose doing it is: a recipient,
	ByID     string // or a member of the studio
	Once     bool   // told a second time, it is no other
}

// Concerns reports whether a studio is told of it.
func (h Happened) Concerns() bool {
	k := notice.Kind(h.Kind)
	d := notice.All.Get(k)
	return notice.All.Has(k) && (h.LineID != "" || !d.Theirs) && (h.First || !d.Once)
}

// A Desk is who is told of a package, and what they want to be told of.
type Desk struct {
	MemberID     string
	Producer     string    // member who made the package
	Zone         string    // of the studio
	Waiting      time.Time // when the letter goes that gathers already; zero for none
	Project, All notice.Choices
}

// A New is a notice that is to be kept.
type New struct {
	Happened
	MemberID string
	ByID     string     // for a Personal: the member who did it; empty where LineID did
	Once     string     // empty: it is one however often it happens
	DueAt    *time.Time // nil: no letter tells of it
	Gathers  bool
}

// A Notice is what somebody was told of.
type Notice struct {
	ID       int64
	ParcelID string
	Title    string // of the package, as it is now
	MemberID string
	Kind     notice.Kind
	At       time.Time
	Seen     bool
	Who      event.Who
	Facts    event.Facts
	Note     string // id of what was said; empty for none, or where it was taken back
	Thread   string // id of the note that it is or answers
	Content  string // id of the item that it lies on
}

// Say is the notice in one sentence.
func (n Notice) Say() string { return notice.Say(n.Kind, n.Who, n.Facts) }

// A Cursor is where a page of notices begins: after this one. The zero Cursor is the start.
type Cursor struct {
	At time.Time
	ID int64
}

// A Choice is how often somebody is written to about one kind.
type Choice struct {
	PlaceID string // the project that it is for; empty for all
	Place   string // its path in words; empty for all
	Kind    notice.Kind
	Cadence notice.Cadence
}

// A Reader is a member of a studio to whom a letter is due.
type Reader struct {
	MemberID, Name string
	Email          string // empty where they are not of the studio any more
	StudioID       string
	StudioName     string
}

// Store is what the service needs of the database.
type Store interface {
	ground.Records
	// DeskOf is what somebody wants to be told of a package: a member of its studio, or, where
	// member is empty, who made it.
	DeskOf(ctx context.Context, parcel, member string, now time.Time) (Desk, error)
	// InsertNotices keeps notices and returns how many were new. One without an event keeps the
	// facts as they are now.
	InsertNotices(ctx context.Context, all []New) (int, error)
	// DueMembers are those for whom a letter is due, at most so many.
	DueMembers(ctx context.Context, now time.Time, limit int) ([]Reader, error)
	// Batch takes what a member is to be told of into a letter: what is due, and what
	// gathers; the oldest first, at most so many.
	Batch(ctx context.Context, member, batch string, now time.Time, limit int) (taken int, err error)
	NoticePage(ctx context.Context, studio, member string, after Cursor, limit int) ([]Notice, error)
	CountUnseen(ctx context.Context, member string, limit int) (int, error)
	SeeNotices(ctx context.Context, member string, until int64, at time.Time) error
	Choices(ctx context.Context, studio string) ([]Choice, error)
	SetChoice(ctx context.Context, studio string, c Choice) error
	// ProjectExists reports whether a place is a project of a studio.
	ProjectExists(ctx context.Context, studio, place string) (bool, error)
}

// A Service tells. Make it with New.
type Service struct {
	store Store
	post  *letters.Service
	now   func() time.Time
}

// NewService makes a service.
func NewService(store Store, post *letters.Service, now func() time.Time) *Service {
	return &Service{store, post, now}
}

// Tell keeps what follows from events, in the transaction that wrote them. own says of
// each whether the letter goes that it has of its own: where the studio wants one for
// each, and then no other tells of it.
func (s *Service) Tell(ctx context.Context, all []Happened) (own []bool, err error) {
	now := s.now()
	desks := map[string]Desk{}
	own = make([]bool, len(all))
	var kept []New
	var due time.Time
	for i, h := range all {
		k := notice.Kind(h.Kind)
		d := notice.All.Get(k)
		if !h.Concerns() {
			continue
		}
		desk, ok := desks[h.ParcelID]
		if !ok {
			if desk, err = s.store.DeskOf(ctx, h.ParcelID, "", now); err != nil {
				return nil, err
			}
			desks[h.ParcelID] = desk
		}
		cadence := notice.Of(k, desk.Project, desk.All)
		own[i] = cadence == notice.AtOnce && event.All.Get(h.Kind).Letter != ""
		n := New{Happened: h, MemberID: desk.MemberID, Gathers: cadence == notice.Gathered}
		if d.Once {
			n.Once = h.LineID
		}
		if at := cadence.Due(now, desk.Waiting, expiry.ZoneOr(desk.Zone)); !at.IsZero() && !own[i] {
			n.DueAt = &at
			if due.IsZero() || at.Before(due) {
				due = at
			}
		}
		kept = append(kept, n)
	}
	return own, s.keep(ctx, kept, due)
}

// TellOne keeps a notice that no event brings, in the transaction of what brings it. Whoever
// did it themselves is not told, nor who hears of the note anyway: the producer of a package,
// where a recipient wrote it.
func (s *Service) TellOne(ctx context.Context, p Personal) error {
	now := s.now()
	if p.MemberID == p.ByID {
		return nil
	}
	desk, err := s.store.DeskOf(ctx, p.ParcelID, p.MemberID, now)
	if err != nil || p.LineID != "" && p.MemberID == desk.Producer {
		return err
	}
	cadence := notice.Of(p.Kind, desk.Project, desk.All)
	n := New{MemberID: p.MemberID, ByID: p.ByID, Gathers: cadence == notice.Gathered, Happened: Happened{At: now, Kind: event.Kind(p.Kind),
		StudioID: p.StudioID, ParcelID: p.ParcelID, LineID: p.LineID, Note: p.Note}}
	if p.Once {
		n.Once = p.Note + " " + p.MemberID
	}
	due := cadence.Due(now, desk.Waiting, expiry.ZoneOr(desk.Zone))
	if !due.IsZero() {
		n.DueAt = &due
	}
	return s.keep(ctx, []New{n}, due)
}

// keep keeps notices, of which the first letter is due at a moment; zero for none.
func (s *Service) keep(ctx context.Context, kept []New, due time.Time) error {
	if len(kept) == 0 {
		return nil
	}
	fresh, err := s.store.InsertNotices(ctx, kept)
	if err != nil || fresh == 0 {
		return err
	}
	told := map[string]bool{}
	for _, n := range kept {
		if told[n.StudioID] {
			continue
		}
		told[n.StudioID] = true
		if err := s.store.Announce(ctx, ground.Change{Studio: n.StudioID, What: ground.NoticesChanged}); err != nil {
			return err
		}
	}
	if due.IsZero() {
		return nil
	}
	return s.store.Enqueue(ctx, ground.TellJob{At: due})
}

// Bounds of letters: how many people are written to in one round, and how many
// notices one letter has.
const (
	toldAtOnce = 50
	inOne      = 100
)

// Due writes the letters whose moment has come. Two processes may do it at once.
func (s *Service) Due(ctx context.Context) error {
	for {
		readers, err := s.store.DueMembers(ctx, s.now(), toldAtOnce)
		if err != nil || len(readers) == 0 {
			return err
		}
		taken := 0
		for _, r := range readers {
			n, err := s.letter(ctx, r)
			if err != nil {
				return err
			}
			taken += n
		}
		if taken == 0 {
			return nil // another process is at all of them
		}
	}
}

// letter writes to somebody, and returns of how much it tells.
func (s *Service) letter(ctx context.Context, r Reader) (taken int, err error) {
	err = s.store.Tx(ctx, func(ctx context.Context) error {
		batch := ground.NewID()
		taken, err = s.store.Batch(ctx, r.MemberID, batch, s.now(), inOne)
		if err != nil || taken == 0 || r.Email == "" {
			return err
		}
		return s.post.Post(ctx, letters.Letter{StudioID: r.StudioID, Kind: letter.Notices, ToName: r.Name, ToEmail: r.Email,
			Data: map[string]string{"batch": batch, "studio": r.StudioName}})
	})
	return taken, err
}

// Page is how many notices one page shows.
const Page = 50

// List is a page of what a member was told of, newest first; where everybody is set, of what
// happened to packages of the whole studio.
func (s *Service) List(ctx context.Context, m account.Member, everybody bool, after Cursor) ([]Notice, error) {
	member := m.ID
	if everybody {
		member = ""
	}
	return s.store.NoticePage(ctx, m.StudioID, member, after, Page)
}

// ManyUnseen is where counting what was not seen ends.
const ManyUnseen = 100

// Unseen is how much of it a member has not seen, ManyUnseen at most.
func (s *Service) Unseen(ctx context.Context, m account.Member) (int, error) {
	return s.store.CountUnseen(ctx, m.ID, ManyUnseen)
}

// See keeps that a member has seen all up to one.
func (s *Service) See(ctx context.Context, m account.Member, until int64) error {
	return s.store.Tx(ctx, func(ctx context.Context) error {
		if err := s.store.SeeNotices(ctx, m.ID, until, s.now()); err != nil {
			return err
		}
		return s.store.Announce(ctx, ground.Change{Studio: m.StudioID, What: ground.NoticesChanged})
	})
}

// Choices are what the studio chose, for all projects and for single ones.
func (s *Service) Choices(ctx context.Context, m account.Member) ([]Choice, error) {
	return s.store.Choices(ctx, m.StudioID)
}

// Choose sets how often the studio is written to about some kinds, for a project or
// for all; an empty cadence takes a choice back. What waits for a letter already goes
// as it was.
func (s *Service) Choose(ctx context.Context, m account.Member, choices ...Choice) error {
	return s.store.Tx(ctx, func(ctx context.Context) error {
		for _, c := range choices {
			if err := s.choose(ctx, m, c); err != nil {
				return err
			}
		}
		return s.store.Announce(ctx, ground.Change{Studio: m.StudioID, What: ground.NoticesChanged})
	})
}

func (s *Service) choose(ctx context.Context, m account.Member, c Choice) error {
	if !notice.All.Has(c.Kind) {
		return ground.Wrong("kind", "There is no such kind of notice.")
	}
	if c.Cadence != "" && !notice.Cadences.Has(c.Cadence) {
		return ground.Wrong("cadence", "Choose at_once, gathered, daily or never.")
	}
	if c.PlaceID != "" {
		is, err := s.store.ProjectExists(ctx, m.StudioID, c.PlaceID)
		if err != nil {
			return err
		}
		if !is {
			return ground.Missing("project")
		}
	}
	return s.store.SetChoice(ctx, m.StudioID, c)
}
