package review

import (
	"context"
	"time"

	"aftergust/core/right"
	"aftergust/internal/ground"
	"aftergust/internal/pack"
)

// Rooms is what the service needs of the database for the review screen.
type Rooms interface {
	// ContentAt is an item of a package in another version than it gives now: for the
	// studio any that is kept, for others one that the package gave before.
	ContentAt(ctx context.Context, content, version string, studio bool) (pack.Content, bool, error)
	// GivenVersions are the versions of an item of a package, the oldest first; all that
	// are kept for the studio, those that the package gave for others.
	GivenVersions(ctx context.Context, content string, studio bool) ([]Given, error)
	// TakePart are those on the waybill who can come, and the members of the studio.
	TakePart(ctx context.Context, parcel string) ([]Person, error)
	// Rate keeps how many stars somebody gives a version; 0 takes that back.
	Rate(ctx context.Context, parcel, version string, p Party, stars int, at time.Time) error
	Ratings(ctx context.Context, parcel, version string) ([]Rating, error)
}

// A Given is a version of an item as the package gave it.
type Given struct {
	ID     string
	Number int
	Label  string
	At     time.Time
	Now    bool // the package gives it now
}

// A Person is somebody who takes part.
type Person struct {
	ID     string // of the line or member
	Name   string
	Studio bool
}

// A Rating is how many stars somebody gave.
type Rating struct {
	Who   string // id of the line or member
	Name  string
	Stars int
}

// A Room is what the review screen shows of an item.
type Room struct {
	Content  pack.Content // in the version that is looked at
	Versions []Given
	Notes    []Note // with answers, oldest first, of all versions
	People   []Person
	Ratings  []Rating
}

// Room is the review of an item, looked at in a version; empty for the one that the
// package gives.
func (s *Service) Room(ctx context.Context, p Party, contentID, version string) (r Room, err error) {
	content, parcel, err := s.content(ctx, p, contentID, right.See)
	if err == nil {
		r.Content, err = s.at(ctx, p, content, version)
	}
	if err != nil {
		return r, err
	}
	if r.Versions, err = s.store.GivenVersions(ctx, content.ID, p.InStudio()); err != nil {
		return r, err
	}
	notes, err := s.store.Notes(ctx, parcel.ID, content.ID)
	if err != nil {
		return r, err
	}
	r.Notes = s.readable(p, parcel, notes)
	if r.People, err = s.store.TakePart(ctx, parcel.ID); err != nil {
		return r, err
	}
	r.Ratings, err = s.store.Ratings(ctx, parcel.ID, r.Content.VersionID)
	return r, err
}

// at is an item in another version.
func (s *Service) at(ctx context.Context, p Party, c pack.Content, version string) (pack.Content, error) {
	if version == "" || version == c.VersionID {
		return c, nil
	}
	older, ok, err := s.store.ContentAt(ctx, c.ID, version, p.InStudio())
	if err == nil && !ok {
		err = &ground.Error{Kind: ground.Gone, Code: "version_gone",
			Say: "This version is not kept any more, or was never given to you. The notes on it are safe; look at the newest one."}
	}
	return older, err
}

// Version is an item in a version that somebody may look at, for its previews.
func (s *Service) Version(ctx context.Context, p Party, contentID, version string) (pack.Content, error) {
	content, _, err := s.content(ctx, p, contentID, right.See)
	if err != nil {
		return content, err
	}
	return s.at(ctx, p, content, version)
}

// Rate gives the version of an item that the package gives now stars; 0 takes them back.
func (s *Service) Rate(ctx context.Context, p Party, contentID string, stars int) error {
	content, parcel, err := s.content(ctx, p, contentID, right.Note)
	if err == nil {
		err = p.writes()
	}
	if err != nil {
		return err
	}
	return s.store.Tx(ctx, func(ctx context.Context) error {
		if err := s.store.Rate(ctx, parcel.ID, content.VersionID, p, stars, s.now()); err != nil {
			return err
		}
		return s.changed(ctx, parcel)
	})
}
