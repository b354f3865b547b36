package people

import (
	"context"
	"strings"

	"aftergust/core/file/naming"
	"aftergust/core/time/expiry"
	"aftergust/core/words/addresses"
	"aftergust/internal/ground"
	"aftergust/internal/out/letters"

	"golang.org/x/text/language"
)

// A Query asks for a page of the contact book.
type Query struct {
	Studio string
	Text   string // a part of a name or address; empty for all
	Client string // only those of this client; empty for all
	Group  string // only those of this group; empty for all
	After  Cursor
	Limit  int
}

// A Cursor is where a page goes on: after this person. The zero Cursor is the start.
type Cursor struct{ Name, ID string }

// A Listed person is one as the contact book lists them.
type Listed struct {
	Person
	Client   string   // name of the client they belong to; empty for none
	Groups   []string // ids
	Packages int      // that went to them
}

// A Group is some people of a studio under one name.
type Group struct {
	ID       string
	StudioID string
	Name     string
	People   int
}

// PageSize is how many people are listed at once.
const PageSize = 60

// List is a page of the contact book.
func (b *Book) List(ctx context.Context, studio string, q Query) ([]Listed, error) {
	q.Studio, q.Limit, q.Text = studio, PageSize, strings.TrimSpace(q.Text)
	return b.store.People(ctx, q)
}

// Of is somebody in the book of the member's studio, or not found.
func (b *Book) Of(ctx context.Context, studio string, id string) (Person, error) {
	p, ok, err := b.store.PersonByID(ctx, id)
	if err == nil && (!ok || p.StudioID != studio) {
		err = ground.Missing("person")
	}
	return p, err
}

// An Edit changes somebody in the book. Nil fields stay as they are.
type Edit struct {
	Name     *string
	Zone     *string // IANA name; empty for not known
	Language *string // BCP 47; empty for not known
	Client   *string // id; empty for none
	Groups   *[]string
}

// Change changes somebody in the book. What has been sent to them keeps the name it had.
func (b *Book) Change(ctx context.Context, studio string, id string, e Edit) (Person, error) {
	p, err := b.Of(ctx, studio, id)
	if err != nil {
		return p, err
	}
	if e.Name != nil {
		if strings.TrimSpace(*e.Name) == "" {
			return p, ground.Wrong("name", "Give them a name.")
		}
		p.Name = TidyName(*e.Name)
	}
	if e.Zone != nil {
		if p.Zone = *e.Zone; p.Zone != "" {
			if _, err := expiry.LoadZone(p.Zone); err != nil {
				return p, ground.Wrong("zone", "There is no such time zone. Use a name such as Europe/London.")
			}
		}
	}
	if e.Language != nil {
		if p.Language = strings.TrimSpace(*e.Language); p.Language != "" {
			tag, err := language.Parse(p.Language)
			if err != nil {
				return p, ground.Wrong("language", "There is no such language. Use a short name such as en-GB or cy.")
			}
			p.Language = tag.String()
		}
	}
	if e.Client != nil {
		if p.ClientID = *e.Client; p.ClientID != "" {
			if is, err := b.store.IsClient(ctx, studio, p.ClientID); err != nil || !is {
				return p, cmpErr(err, ground.Missing("client"))
			}
		}
	}
	if err := b.store.UpdatePerson(ctx, p); err != nil || e.Groups == nil {
		return p, err
	}
	return p, b.store.SetGroups(ctx, p.ID, *e.Groups)
}

func cmpErr(err, otherwise error) error {
	if err != nil {
		return err
	}
	return otherwise
}

// Add enters somebody by their address.
func (b *Book) Add(ctx context.Context, studio string, address, name string) (Person, error) {
	p, err := b.Meet(ctx, studio, address, name, "")
	if err != nil {
		return p, err
	}
	p.GoneAt = nil
	return p, b.store.UpdatePerson(ctx, p)
}

// Forget takes somebody out of the book. What was sent to them, and its record, stay.
func (b *Book) Forget(ctx context.Context, studio string, id string, gone bool) error {
	p, err := b.Of(ctx, studio, id)
	if err != nil {
		return err
	}
	if p.GoneAt = nil; gone {
		now := b.now()
		p.GoneAt = &now
	}
	return b.store.UpdatePerson(ctx, p)
}

// Groups are the groups of the member's studio, by name.
func (b *Book) Groups(ctx context.Context, studio string) ([]Group, error) {
	return b.store.Groups(ctx, studio)
}

// maxGroups is how many groups a studio has.
const maxGroups = 200

// NewGroup makes a group.
func (b *Book) NewGroup(ctx context.Context, studio string, name string) (Group, error) {
	g := Group{ID: ground.NewID(), StudioID: studio, Name: TidyName(name)}
	if strings.TrimSpace(name) == "" {
		return g, ground.Wrong("name", "Give the group a name.")
	}
	all, err := b.store.Groups(ctx, studio)
	if err != nil {
		return g, err
	}
	for _, other := range all {
		if strings.EqualFold(other.Name, g.Name) {
			return other, nil
		}
	}
	if len(all) >= maxGroups {
		return g, ground.Wrong("name", "A studio has at most %d groups. Delete one first.", maxGroups)
	}
	return g, b.store.InsertGroup(ctx, g)
}

// DropGroup deletes a group; its people stay in the book.
func (b *Book) DropGroup(ctx context.Context, studio string, id string) error {
	there, err := b.store.DeleteGroup(ctx, studio, id)
	if err == nil && !there {
		err = ground.Missing("group")
	}
	return err
}

// A Reading is one person of a pasted list, as far as they were understood.
type Reading struct {
	Text    string // as it was written
	Name    string
	Email   string // empty where nobody was found
	Person  string // id of the one in the book; empty for somebody new
	Problem string // why they cannot be taken; empty where they can
	Twice   bool   // they stand further up already
	Meant   string // the address that was probably meant; empty where nothing looks mistyped
}

// Most of what is read at once.
const (
	maxRead  = 2000 // people
	domains  = 500  // that mistypings are looked for among
	inAGroup = 500  // people that stand for a group
)

// Read reads a pasted list: addresses with or without names, names of people in the
// book, names of groups. It enters nobody.
func (b *Book) Read(ctx context.Context, studio string, text string) ([]Reading, error) {
	entries := addresses.Split(text)
	if len(entries) > maxRead {
		return nil, ground.Wrong("text", "That is a list of %d. Paste at most %d at once.", len(entries), maxRead)
	}
	known, err := b.recognise(ctx, studio, entries)
	if err != nil {
		return nil, err
	}
	var out []Reading
	seen := map[string]bool{}
	add := func(r Reading) {
		key := strings.ToLower(r.Email)
		r.Twice = key != "" && seen[key]
		seen[key] = true
		out = append(out, r)
	}
	for _, e := range entries {
		if e.Email == "" {
			rs, err := b.byName(ctx, studio, e, known)
			if err != nil {
				return nil, err
			}
			for _, r := range rs {
				add(r)
			}
			continue
		}
		add(known.read(e))
	}
	return out, nil
}

type recognised struct {
	byEmail map[string]Person
	byName  map[string][]Person
	domains []string
	groups  []Group
}

func (b *Book) recognise(ctx context.Context, studio string, entries []addresses.Entry) (r recognised, err error) {
	var emails, names []string
	for _, e := range entries {
		if e.Email == "" {
			names = append(names, strings.ToLower(e.Text))
			continue
		}
		if _, email, err := letters.Address(e.Email); err == nil {
			emails = append(emails, strings.ToLower(email))
		}
	}
	found, err := b.store.Recognise(ctx, studio, emails, names)
	if err != nil {
		return r, err
	}
	r.byEmail, r.byName = map[string]Person{}, map[string][]Person{}
	for _, p := range found {
		r.byEmail[strings.ToLower(p.Email)] = p
		key := strings.ToLower(p.Name)
		r.byName[key] = append(r.byName[key], p)
	}
	if r.domains, err = b.store.Domains(ctx, studio, domains); err != nil || len(names) == 0 {
		return r, err
	}
	r.groups, err = b.store.Groups(ctx, studio)
	return r, err
}

// read is an entry with an address.
func (known recognised) read(e addresses.Entry) Reading {
	r := Reading{Text: e.Text, Name: e.Name, Email: e.Email}
	_, email, err := letters.Address(e.Email)
	if err != nil {
		r.Problem = ground.Saying(err)
		return r
	}
	r.Email = email
	if p, ok := known.byEmail[strings.ToLower(email)]; ok {
		r.Person = p.ID
		if r.Name == "" {
			r.Name = p.Name
		}
		return r
	}
	r.Meant = addresses.Meant(email, known.domains)
	if r.Name == "" {
		r.Name = NameFrom(email)
	}
	return r
}

// byName is an entry without an address: somebody in the book, or a group.
func (b *Book) byName(ctx context.Context, studio string, e addresses.Entry, known recognised) ([]Reading, error) {
	for _, g := range known.groups {
		if !strings.EqualFold(g.Name, e.Text) {
			continue
		}
		people, err := b.store.GroupPeople(ctx, studio, g.ID, inAGroup)
		out := make([]Reading, len(people))
		for i, p := range people {
			out[i] = Reading{Text: e.Text, Name: p.Name, Email: p.Email, Person: p.ID}
		}
		return out, err
	}
	switch found := known.byName[strings.ToLower(e.Text)]; len(found) {
	case 1:
		return []Reading{{Text: e.Text, Name: found[0].Name, Email: found[0].Email, Person: found[0].ID}}, nil
	case 0:
		return []Reading{{Text: e.Text, Problem: "“" + naming.Clip(e.Text, 60) + "” has no mail address in it, and nobody in the contact book is called so."}}, nil
	default:
		return []Reading{{Text: e.Text, Problem: "Several people in the contact book are called " + found[0].Name + ". Write the address."}}, nil
	}
}
