// Package privacy shows somebody who was sent something what is kept of them, and
// erases it when they ask for that. What happened stays counted: events are only ever
// appended, and the names in them lie apart, so that a chain of events holds although
// nobody can tell any more whose they were (core/record/proof).
package privacy

import (
	"context"
	"time"

	"aftergust/core/record/event"
	"aftergust/core/record/proof"
	"aftergust/internal/ground"
	"aftergust/internal/ground/db"
	"aftergust/internal/parts/people"
	"aftergust/internal/who/account"
)

// A Package is one that went to somebody.
type Package struct {
	Title     string     `json:"title"`
	SentAt    *time.Time `json:"sent_at"`
	Rights    []string   `json:"rights"`
	Delivered int64      `json:"bytes_delivered"`
	Opened    *time.Time `json:"opened_at"`
	Seen      *time.Time `json:"last_seen_at"`
}

// A Deed is something that happened with one of them.
type Deed struct {
	At      time.Time `json:"at"`
	Package string    `json:"package"`
	Says    string    `json:"says"`
}

// A Letter is one that was written to them.
type Letter struct {
	At    time.Time `json:"at"`
	Kind  string    `json:"kind"`
	To    string    `json:"to"`
	State string    `json:"state"`
}

// A Text is a text message to them.
type Text struct {
	At     time.Time `json:"at"`
	Number string    `json:"number"`
	State  string    `json:"state"`
}

// An Entry is theirs in the guest book of a package.
type Entry struct {
	At      time.Time `json:"at"`
	Package string    `json:"package"`
	Name    string    `json:"name"`
	Email   string    `json:"email"`
}

// A LinkName is the name that a link of theirs was given.
type LinkName struct {
	Name    string `json:"name"`
	Package string `json:"package"`
}

// A Note is what they wrote.
type Note struct {
	At   time.Time `json:"at"`
	Body string    `json:"body"`
}

// A Viewing is one time that they looked at something.
type Viewing struct {
	Began   time.Time `json:"began_at"`
	Ended   time.Time `json:"ended_at"`
	Package string    `json:"package"`
	Item    string    `json:"item"`
	Played  int64     `json:"played_ms"`
	Stayed  int64     `json:"pages_in_front_ms"`
}

// A File is all that is kept of one person, as it goes to them.
type File struct {
	Name     string    `json:"name"`
	Email    string    `json:"email"`
	Zone     string    `json:"zone"`
	Language string    `json:"language"`
	Client   string    `json:"client"`
	Rate     int64     `json:"download_rate_bits"`
	Since    time.Time `json:"known_since"`
	Packages []Package `json:"packages"`
	Letters  []Letter  `json:"letters"`
	Notes    []Note    `json:"notes"`
	Viewings []Viewing `json:"viewings"`
	// Texts are text messages to them, with the number; Asked what they wrote when they asked to be let in; Signed their
	// entries in guest books; LinkNames the names that links of theirs were given.
	Texts     []Text     `json:"text_messages"`
	Asked     []Note     `json:"asked_for_access"`
	Signed    []Entry    `json:"guest_books"`
	LinkNames []LinkName `json:"link_names"`
	Devices   int        `json:"devices"`
	Deeds     []Deed     `json:"events"`
}

// An Act is an event with who it names.
type Act struct {
	At    time.Time
	Title string
	Kind  event.Kind
	Who   event.Who
	Facts event.Facts
}

// A Card is how somebody was called, with the salt of its sum.
type Card struct {
	ID          int64
	Name, Email string
	Salt        []byte
}

// A Service shows and erases. Make it with New.
type Service struct {
	rows       Rows
	peopleRows people.Rows
	now        func() time.Time
}

// New makes a service.
func New(store *db.DB, now func() time.Time) *Service {
	return &Service{Rows{store}, people.Rows{DB: store}, now}
}

func (s *Service) person(ctx context.Context, m account.Member, id string) (people.Person, error) {
	p, ok, err := s.peopleRows.PersonByID(ctx, id)
	if err == nil && (!ok || p.StudioID != m.StudioID) {
		err = ground.Missing("person")
	}
	return p, err
}

// maxActs is how many events a file holds.
const maxActs = 100_000

// File is all that is kept of somebody.
func (s *Service) File(ctx context.Context, m account.Member, id string) (File, error) {
	if _, err := s.person(ctx, m, id); err != nil {
		return File{}, err
	}
	f, err := s.rows.FileOf(ctx, id)
	if err != nil {
		return f, err
	}
	acts, err := s.rows.ActsOf(ctx, id, maxActs)
	f.Deeds = []Deed{}
	for _, a := range acts {
		f.Deeds = append(f.Deeds, Deed{At: a.At, Package: a.Title, Says: event.Say(a.Kind, a.Who, a.Facts)})
	}
	return f, err
}

// Erase takes away who somebody was: name, address, clock, devices, letters, for good.
// Their links are dead at once, also for downloads that run. What was taken stays
// counted, as somebody's.
func (s *Service) Erase(ctx context.Context, m account.Member, id string) error {
	p, err := s.person(ctx, m, id)
	if err != nil {
		return err
	}
	return s.rows.Tx(ctx, func(ctx context.Context) error {
		parcels, lines, err := s.rows.LockLines(ctx, p.ID)
		if err != nil {
			return err
		}
		cards, err := s.rows.CardsOf(ctx, p.ID)
		if err != nil {
			return err
		}
		for _, c := range cards {
			sum := proof.Who(c.Salt, c.Name, c.Email)
			if err := s.rows.EraseCard(ctx, c.ID, sum[:]); err != nil {
				return err
			}
		}
		if err := s.rows.ErasePerson(ctx, p.ID, lines, s.now()); err != nil {
			return err
		}
		for i, parcel := range parcels {
			change := ground.Change{Studio: m.StudioID, Parcel: parcel, What: ground.WaybillChanged, Cut: &ground.Cut{Line: lines[i]}}
			if err := s.rows.Announce(ctx, change); err != nil {
				return err
			}
		}
		return nil
	})
}
