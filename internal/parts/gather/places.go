package gather

import (
	"context"
	"strings"
	"time"
	"unicode/utf8"

	"aftergust/core/file/find"
	"aftergust/core/file/naming"
	"aftergust/core/file/place"
	"aftergust/internal/ground"
	"aftergust/internal/who/account"
)

// PlacesFound are the places whose names hold all words of a query.
func (s *Places) PlacesFound(ctx context.Context, m account.Member, under string, q find.Query) ([]Place, error) {
	if len(q.Words) == 0 {
		return nil, nil
	}
	return s.placeRows.PlacesFound(ctx, m.StudioID, under, q.Words, 30)
}

// PlacesAtHand are the places that are kept at hand.
func (s *Places) PlacesAtHand(ctx context.Context, m account.Member) ([]Place, error) {
	return s.placeRows.PlacesAtHand(ctx, m.StudioID)
}

// A Place is a client, a project of a client, or a folder in a project: where
// things lie before they are sent.
type Place struct {
	ID          string     `json:"id"`
	StudioID    string     `json:"-"`
	ParentID    string     `json:"parent" doc:"empty for a client"`
	Kind        place.Kind `json:"kind"`
	Name        string     `json:"name"`
	About       string     `json:"about" doc:"what it is, in a line"`
	Path        string     `json:"-"`
	AtHandSince *time.Time `json:"at_hand_since,omitempty"`
	ChangedAt   time.Time  `json:"changed_at"`
}

const (
	maxPlaceName = 120
	maxAbout     = 200
	maxDepth     = 40
)

// PlaceOf is a place of the member's studio that is not let go.
func (s *Places) PlaceOf(ctx context.Context, m account.Member, id string) (Place, error) {
	return s.placeIn(ctx, m.StudioID, id)
}

func (s *Places) placeIn(ctx context.Context, studio, id string) (Place, error) {
	place, ok, err := s.placeRows.PlaceByID(ctx, id)
	if err != nil {
		return place, err
	}
	if !ok || place.StudioID != studio {
		return Place{}, ground.Missing("client, project or folder")
	}
	return place, nil
}

// PathOf is the way from the client down to a place, itself included.
func (s *Places) PathOf(ctx context.Context, m account.Member, id string) ([]Place, error) {
	place, err := s.PlaceOf(ctx, m, id)
	if err != nil {
		return nil, err
	}
	return s.placeRows.PlacesByID(ctx, strings.FieldsFunc(place.Path, func(r rune) bool { return r == '/' }))
}

// PlacesIn lists what lies directly in a place; the clients for an empty parent.
func (s *Places) PlacesIn(ctx context.Context, m account.Member, parent string) ([]Place, error) {
	if parent != "" {
		if _, err := s.PlaceOf(ctx, m, parent); err != nil {
			return nil, err
		}
	}
	return s.placeRows.PlacesIn(ctx, m.StudioID, parent)
}

func placeName(name string) (string, error) {
	if strings.TrimSpace(name) == "" {
		return "", ground.Wrong("name", "Give it a name.")
	}
	name = naming.Display(name)
	if utf8.RuneCountInString(name) > maxPlaceName {
		return "", ground.Wrong("name", "A name has up to %d characters.", maxPlaceName)
	}
	if strings.ContainsAny(name, `/\`) {
		return "", ground.Wrong("name", "A name holds no slash; make a folder inside instead.")
	}
	return name, nil
}

func nameTaken(name string) error {
	return ground.Clash("name_taken", "There is a "+name+" here already. Choose another name; nothing was changed.")
}

// NewPlace makes a client (no parent), a project in a client, or a folder.
func (s *Places) NewPlace(ctx context.Context, m account.Member, parent, name string) (Place, error) {
	name, err := placeName(name)
	if err != nil {
		return Place{}, err
	}
	var made Place
	err = s.listRows.Tx(ctx, func(ctx context.Context) error {
		place, created, err := s.makePlace(ctx, m.StudioID, parent, name)
		if err != nil {
			return err
		}
		if !created {
			return nameTaken(name)
		}
		made = place
		return s.gatherChanged(ctx, m.StudioID)
	})
	return made, err
}

// makePlace finds or makes a place; created is false where it was there.
func (s *Places) makePlace(ctx context.Context, studio, parent, name string) (p Place, created bool, err error) {
	p = Place{ID: ground.NewID(), StudioID: studio, ParentID: parent, Kind: place.Client, Name: name, ChangedAt: s.now()}
	p.Path = "/" + p.ID + "/"
	if parent != "" {
		above, err := s.placeIn(ctx, studio, parent)
		if err != nil {
			return p, false, err
		}
		if strings.Count(above.Path, "/") > maxDepth {
			return p, false, ground.Clash("too_deep", "Folders may lie forty deep. Move some of them up first.")
		}
		p.Kind, p.Path = place.In(above.Kind), above.Path+p.ID+"/"
	}
	if created, err = s.placeRows.InsertPlace(ctx, p); err != nil || created {
		return p, created, err
	}
	p, _, err = s.placeRows.PlaceNamed(ctx, studio, parent, name)
	return p, false, err
}

// Folders finds or makes a slash-separated path of folders and returns the last.
func (s *Places) Folders(ctx context.Context, studio, place, folder string) (string, error) {
	for name := range strings.SplitSeq(folder, "/") {
		if name == "" {
			continue
		}
		next, _, err := s.makePlace(ctx, studio, place, naming.Clip(name, maxPlaceName-1))
		if err != nil {
			return "", err
		}
		place = next.ID
	}
	if place == "" {
		return "", nil
	}
	_, err := s.placeIn(ctx, studio, place) // it may have been let go meanwhile
	return place, err
}

// MakeFolders makes the folders of a tree that is about to be uploaded, also the
// empty ones. Folders that are there already stay.
func (s *Places) MakeFolders(ctx context.Context, m account.Member, place string, paths []string) error {
	if _, err := s.PlaceOf(ctx, m, place); err != nil {
		return err
	}
	return s.listRows.Tx(ctx, func(ctx context.Context) error {
		for _, p := range paths {
			if _, err := s.Folders(ctx, m.StudioID, place, naming.PortablePath(p)); err != nil {
				return err
			}
		}
		return s.gatherChanged(ctx, m.StudioID)
	})
}

// EditPlace gives a place another name or says anew what it is; nil leaves as it is.
func (s *Places) EditPlace(ctx context.Context, m account.Member, id string, name, about *string) (Place, error) {
	place, err := s.PlaceOf(ctx, m, id)
	if err != nil {
		return Place{}, err
	}
	if name != nil {
		if place.Name, err = placeName(*name); err != nil {
			return Place{}, err
		}
	}
	if about != nil {
		if place.About, err = aboutLine(*about); err != nil {
			return Place{}, err
		}
	}
	err = s.listRows.Tx(ctx, func(ctx context.Context) error {
		twin, there, err := s.placeRows.PlaceNamed(ctx, m.StudioID, place.ParentID, place.Name)
		if err != nil {
			return err
		}
		if there && twin.ID != place.ID {
			return nameTaken(place.Name)
		}
		if err := s.placeRows.UpdatePlace(ctx, place); err != nil {
			return err
		}
		return s.gatherChanged(ctx, m.StudioID)
	})
	return place, err
}

// aboutLine is a description as it is kept: one line.
func aboutLine(about string) (string, error) {
	about = naming.Display(strings.Join(strings.Fields(about), " "))
	if utf8.RuneCountInString(about) > maxAbout {
		return "", ground.Wrong("about", "A description has up to %d characters. Nothing was changed.", maxAbout)
	}
	return about, nil
}

func (s *Places) gatherChanged(ctx context.Context, studio string) error {
	return s.listRows.Announce(ctx, ground.Change{Studio: studio, What: ground.GatherChanged})
}

// MayHold refuses a place that is not the member's, or one in which no files lie:
// a client, unless the files bring a folder of their own, which becomes a project.
func (s *Places) MayHold(ctx context.Context, m account.Member, id string, inFolder bool) error {
	at, err := s.PlaceOf(ctx, m, id)
	if err == nil && !place.All.Get(at.Kind).Holds && !inFolder {
		err = ground.Clash("needs_project", "Files lie in projects. Open or make a project of this client first.")
	}
	return err
}
