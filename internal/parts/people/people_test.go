package people_test

import (
	"context"
	"strings"
	"testing"
	"time"

	"aftergust/internal/ground"
	"aftergust/internal/out/letters"
	"aftergust/internal/parts/people"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A shelf is a contact book in memory; before is what somebody else enters
// between a look and an entry.
type shelf struct {
	people.Store
	all    map[string]people.Person
	before *people.Person
	named  int // how often somebody was named
}

func key(studio, email string) string { return studio + " " + strings.ToLower(email) }

func (s *shelf) PersonByEmail(_ context.Context, studio, email string) (people.Person, bool, error) {
	p, ok := s.all[key(studio, email)]
	return p, ok, nil
}

func (s *shelf) InsertPerson(_ context.Context, p people.Person) error {
	if s.before != nil {
		s.all[key(p.StudioID, p.Email)] = *s.before
	}
	if _, there := s.all[key(p.StudioID, p.Email)]; !there {
		s.all[key(p.StudioID, p.Email)] = p
	}
	return nil
}

func (s *shelf) NamePerson(_ context.Context, id, name, zone string) error {
	s.named++
	for k, p := range s.all {
		if p.ID == id {
			if name != "" {
				p.Name = name
			}
			if zone != "" {
				p.Zone = zone
			}
			s.all[k] = p
		}
	}
	return nil
}

func TestWhoWasMetBeforeIsRecognised(t *testing.T) {
	kept := &shelf{all: map[string]people.Person{}}
	book := people.NewBook(kept, time.Now)
	meet := func(studio, address, name, zone string) people.Person {
		t.Helper()
		p, err := book.Meet(t.Context(), studio, address, name, zone)
		require.NoError(t, err)
		return p
	}
	hanne := meet("s1", "Hanne Orrick <hanne@kelpwick.example>", "", "")
	assert.Equal(t, "Hanne Orrick", hanne.Name)
	assert.Equal(t, hanne.ID, meet("s1", "HANNE@kelpwick.example", "", "").ID)
	assert.Equal(t, "Hanne Orrick", meet("s1", "hanne@kelpwick.example", " ", "").Name, "an address alone changes no name")
	assert.Equal(t, "Hanne O.", meet("s1", "hanne@kelpwick.example", "Hanne O.", "Europe/Oslo").Name)
	assert.Equal(t, "Europe/Oslo", meet("s1", "hanne@kelpwick.example", "", "").Zone)
	assert.NotEqual(t, hanne.ID, meet("s2", "hanne@kelpwick.example", "", "").ID, "each studio has a book of its own")
	assert.Equal(t, "Tove Arnholt", meet("s1", "tove.arnholt@kelpwick.example", "", "").Name)

	require.NoError(t, book.Clock(t.Context(), "s1", "hanne@kelpwick.example", "Mars/Olympus"))
	require.NoError(t, book.Clock(t.Context(), "s1", "nobody@kelpwick.example", "Europe/Rome"))
	assert.Equal(t, "Europe/Oslo", meet("s1", "hanne@kelpwick.example", "", "").Zone)
	require.NoError(t, book.Clock(t.Context(), "s1", "hanne@kelpwick.example", "Europe/Rome"))
	assert.Equal(t, "Europe/Rome", meet("s1", "hanne@kelpwick.example", "", "").Zone)
	assert.Equal(t, "Hanne O.", meet("s1", "hanne@kelpwick.example", "", "").Name, "a clock changes no name")

	kept.named = 0
	require.NoError(t, book.Clock(t.Context(), "s1", "hanne@kelpwick.example", "Europe/Rome"))
	require.NoError(t, book.Clock(t.Context(), "s1", "nobody@kelpwick.example", "Europe/Oslo"))
	meet("s1", "hanne@kelpwick.example", "", "")
	assert.Zero(t, kept.named, "what is known already is not written")

	kept.before = &people.Person{ID: "first", StudioID: "s1", Name: "Mirek", Email: "mirek@kelpwick.example"}
	assert.Equal(t, "first", meet("s1", "mirek@kelpwick.example", "", "").ID, "somebody else was first")
}

func TestAnAddressIsOneThatMailCanReach(t *testing.T) {
	for text, want := range map[string][2]string{
		"hanne@kelpwick.example":                  {"", "hanne@kelpwick.example"},
		" Hanne Orrick <hanne@kelpwick.example> ": {"Hanne Orrick", "hanne@kelpwick.example"},
		`"Orrick, Hanne" <h@kelpwick.example>`:    {"Orrick, Hanne", "h@kelpwick.example"},
	} {
		name, email, err := letters.Address(text)
		require.NoError(t, err, text)
		assert.Equal(t, want, [2]string{name, email}, text)
	}
	long := strings.Repeat("a", 254-len("@kelpwick.example"))
	_, _, err := letters.Address(long + "@kelpwick.example")
	require.NoError(t, err, "254 characters, the longest of RFC 5321 with its brackets")
	for _, text := range []string{"", "hanne", "hanne@kelpwick", "a@b.example, c@d.example", "hanne@kelpwick.example\r\nBcc: x@y.example",
		`"a b"@kelpwick.example`, long + "a@kelpwick.example"} {
		_, _, err := letters.Address(text)
		var mistake *ground.Error
		require.ErrorAs(t, err, &mistake, text)
		assert.Equal(t, "email", mistake.At, text)
	}
	for email, want := range map[string]string{"hanne.orrick@x.example": "Hanne Orrick", "h@x.example": "H", "@x.example": "@x.example",
		"a_b-c+d@x.example": "A B C D"} {
		assert.Equal(t, want, people.NameFrom(email))
	}
}

// Source: RFC 5891 for domains in other letters; RFC 5321 and 5322 for the rest.
func TestAnAddressIsOneThatALetterCanGoTo(t *testing.T) {
	for text, want := range map[string]string{"Hanne Orrick <hanne@kelpwick.example>": "hanne@kelpwick.example", " h+x@k.example ": "h+x@k.example",
		"hanne@bücher.example": "hanne@xn--bcher-kva.example"} {
		_, email, err := letters.Address(text)
		require.NoError(t, err, text)
		assert.Equal(t, want, email)
	}
	for text, want := range map[string]string{"": "not a mail address", "hanne": "not a mail address", "hanne@kelpwick": "not a mail address",
		`"han ne"@kelpwick.example`: "not a mail address", `"han\"ne"@kelpwick.example`: "not a mail address", `han\@kelpwick.example`: "not a mail address",
		"hänne@kelpwick.example": "cannot go from here", "hanne@-kelpwick-.example": "not a mail address", "a@b.example, c@d.example": "not a mail address",
		strings.Repeat("a", 250) + "@k.example": "not a mail address"} {
		_, _, err := letters.Address(text)
		assert.ErrorContains(t, err, want, text)
	}
	assert.Equal(t, "Émile Ołowski", people.NameFrom("émile.ołowski@kelpwick.example"))
}
