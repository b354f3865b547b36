package people

import (
	"context"
	"strings"
	"time"

	"aftergust/core/file/naming"
	"aftergust/core/time/expiry"
	"aftergust/internal/ground"
	"aftergust/internal/out/letters"
)

// A Person is somebody in the contact book. They are known by their mail address.
type Person struct {
	ID        string
	StudioID  string
	Name      string
	Email     string
	Zone      string // IANA name; empty while it is not known
	Language  string // BCP 47, as de-CH; empty while it is not known
	ClientID  string // the client they belong to; empty for none
	Rate      int64  // bits a second at which they were seen to download; 0 while not known
	Bounced   string // why the last letter to them did not arrive; empty if it did
	CreatedAt time.Time
	GoneAt    *time.Time // since when they are out of the book, or not yet in it
}

// Store is what a Book needs of the database.
type Store interface {
	PersonByEmail(ctx context.Context, studio, email string) (Person, bool, error)
	// InsertPerson does nothing where the studio has somebody with this address.
	InsertPerson(ctx context.Context, p Person) error
	// NamePerson changes name and zone, each where it is not empty.
	NamePerson(ctx context.Context, id, name, zone string) error

	PersonByID(ctx context.Context, id string) (Person, bool, error)
	// People are a page of those in the book, by name.
	People(ctx context.Context, q Query) ([]Listed, error)
	// Recognise finds people by their addresses, or by their whole names.
	Recognise(ctx context.Context, studio string, emails, names []string) ([]Person, error)
	// Domains are what stands after the @ in the book, the most frequent first.
	Domains(ctx context.Context, studio string, limit int) ([]string, error)
	UpdatePerson(ctx context.Context, p Person) error
	// IsClient reports whether a place is a client of a studio.
	IsClient(ctx context.Context, studio, place string) (bool, error)

	Groups(ctx context.Context, studio string) ([]Group, error)
	InsertGroup(ctx context.Context, g Group) error
	DeleteGroup(ctx context.Context, studio, id string) (there bool, err error)
	// SetGroups makes somebody a member of these groups of their studio and of no others.
	SetGroups(ctx context.Context, person string, groups []string) error
	GroupPeople(ctx context.Context, studio, group string, limit int) ([]Person, error)
}

// A Book is the contact book. Make it with NewBook.
type Book struct {
	store Store
	now   func() time.Time
}

// NewBook makes a book.
func NewBook(store Store, now func() time.Time) *Book { return &Book{store, now} }

// maxName is how long somebody's name may be, in characters.
const maxName = 120

// Meet finds somebody by a mail address such as "Hanne Orrick
// <hanne@kelpwick.example>", or notes them. name and zone are used where the
// address does not tell, or the book does not yet. They are in the book once something
// is sent to them, so that an address that was mistyped in a draft never is.
func (b *Book) Meet(ctx context.Context, studio, address, name, zone string) (Person, error) {
	written, email, err := letters.Address(address)
	if err != nil {
		return Person{}, err
	}
	if strings.TrimSpace(name) == "" {
		name = written
	}
	known, ok, err := b.store.PersonByEmail(ctx, studio, email)
	if err != nil {
		return Person{}, err
	}
	if !ok {
		if strings.TrimSpace(name) == "" {
			name = NameFrom(email)
		}
		now := b.now()
		known = Person{ID: ground.NewID(), StudioID: studio, Name: TidyName(name), Email: email, Zone: zone, GoneAt: &now}
		if err := b.store.InsertPerson(ctx, known); err != nil {
			return Person{}, err
		}
		known, _, err = b.store.PersonByEmail(ctx, studio, email) // somebody else may have been first
		return known, err
	}
	changed := known
	if name = strings.TrimSpace(name); name != "" {
		name = TidyName(name)
		changed.Name = name
	}
	if zone != "" {
		changed.Zone = zone
	}
	if changed.Name != known.Name || changed.Zone != known.Zone {
		err = b.store.NamePerson(ctx, known.ID, name, zone)
	}
	return changed, err
}

// Clock keeps the zone in which somebody's clock was seen, or was said to be.
// What is no zone, or known already, changes nothing.
func (b *Book) Clock(ctx context.Context, studio, email, zone string) error {
	if _, err := expiry.LoadZone(zone); err != nil {
		return nil
	}
	known, ok, err := b.store.PersonByEmail(ctx, studio, email)
	if err != nil || !ok || known.Zone == zone {
		return err
	}
	return b.store.NamePerson(ctx, known.ID, "", zone)
}

// TidyName is a name as it is kept.
func TidyName(name string) string { return naming.Clip(naming.Display(name), maxName) }
