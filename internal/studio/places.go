package studio

import (
	"context"
	"errors"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"aftergust/core/naming"
)

// A Place is a client, a project of a client, or a folder in a project: where
// things lie before they are sent.
type Place struct {
	ID        string     `json:"id"`
	StudioID  string     `json:"-"`
	ParentID  string     `json:"parent" doc:"empty for a client"`
	Kind      string     `json:"kind" enum:"client,project,folder"`
	Name      string     `json:"name"`
	Path      string     `json:"-"`
	StarredAt *time.Time `json:"starred_at,omitempty"`
	ChangedAt time.Time  `json:"changed_at"`
}

type placeRecords interface {
	PlaceByID(ctx context.Context, id string) (Place, bool, error)
	PlacesByID(ctx context.Context, ids []string) ([]Place, error)
	PlacesIn(ctx context.Context, studio, parent string) ([]Place, error)
	PlaceNamed(ctx context.Context, studio, parent, name string) (Place, bool, error)
	PlacesFound(ctx context.Context, studio, under string, words []string, limit int) ([]Place, error)
	PlacesStarred(ctx context.Context, studio string) ([]Place, error)
	// Subplaces are places and all that lie in them, those in the bin left out.
	Subplaces(ctx context.Context, paths []string) ([]Place, error)
	// InsertPlace does nothing and reports false where its name is taken.
	InsertPlace(ctx context.Context, p Place) (bool, error)
	UpdatePlace(ctx context.Context, p Place) error
	MovePlace(ctx context.Context, from Place, to Place) error
	// LockStudio makes changes of a studio's tree wait for each other.
	LockStudio(ctx context.Context, studio string) error
}

const (
	maxPlaceName = 120
	maxDepth     = 40
)

// placeOf is a place of the member's studio that is not in the bin.
func (s *Service) placeOf(ctx context.Context, m Member, id string) (Place, error) {
	return s.placeIn(ctx, s.records, m.StudioID, id)
}

func (s *Service) placeIn(ctx context.Context, r Records, studio, id string) (Place, error) {
	place, ok, err := r.PlaceByID(ctx, id)
	if err != nil {
		return place, err
	}
	if !ok || place.StudioID != studio {
		return Place{}, notFound("client, project or folder")
	}
	return place, nil
}

// PathOf is the way from the client down to a place, itself included.
func (s *Service) PathOf(ctx context.Context, m Member, id string) ([]Place, error) {
	place, err := s.placeOf(ctx, m, id)
	if err != nil {
		return nil, err
	}
	return s.records.PlacesByID(ctx, strings.FieldsFunc(place.Path, func(r rune) bool { return r == '/' }))
}

// PlacesIn lists what lies directly in a place; the clients for an empty parent.
func (s *Service) PlacesIn(ctx context.Context, m Member, parent string) ([]Place, error) {
	if parent != "" {
		if _, err := s.placeOf(ctx, m, parent); err != nil {
			return nil, err
		}
	}
	return s.records.PlacesIn(ctx, m.StudioID, parent)
}

func placeName(name string) (string, error) {
	if strings.TrimSpace(name) == "" {
		return "", invalid("name", "Give it a name.")
	}
	name = naming.Display(name)
	if utf8.RuneCountInString(name) > maxPlaceName {
		return "", invalid("name", "A name has up to %d characters.", maxPlaceName)
	}
	if strings.ContainsAny(name, `/\`) {
		return "", invalid("name", "A name holds no slash; make a folder inside instead.")
	}
	return name, nil
}

// kindIn is what lies in a place of a kind: projects in clients, folders below.
func kindIn(parent string) string {
	switch parent {
	case "":
		return "client"
	case "client":
		return "project"
	default:
		return "folder"
	}
}

func nameTaken(name string) error {
	return conflict("name_taken", "There is a "+name+" here already. Choose another name; nothing was changed.")
}

// NewPlace makes a client (no parent), a project in a client, or a folder.
func (s *Service) NewPlace(ctx context.Context, m Member, parent, name string) (Place, error) {
	name, err := placeName(name)
	if err != nil {
		return Place{}, err
	}
	var made Place
	err = s.records.Tx(ctx, func(r Records) error {
		place, created, err := s.makePlace(ctx, r, m.StudioID, parent, name)
		if err == nil && !created {
			err = nameTaken(name)
		}
		made = place
		return errors.Join(err, s.gatherChanged(ctx, r, m.StudioID))
	})
	return made, err
}

// makePlace finds or makes a place; created is false where it was there.
func (s *Service) makePlace(ctx context.Context, r Records, studio, parent, name string) (p Place, created bool, err error) {
	p = Place{ID: NewID(), StudioID: studio, ParentID: parent, Kind: "client", Name: name, ChangedAt: s.now()}
	p.Path = "/" + p.ID + "/"
	if parent != "" {
		above, err := s.placeIn(ctx, r, studio, parent)
		if err != nil {
			return p, false, err
		}
		if strings.Count(above.Path, "/") > maxDepth {
			return p, false, conflict("too_deep", "Folders may lie forty deep. Move some of them up first.")
		}
		p.Kind, p.Path = kindIn(above.Kind), above.Path+p.ID+"/"
	}
	if created, err = r.InsertPlace(ctx, p); err != nil || created {
		return p, created, err
	}
	p, _, err = r.PlaceNamed(ctx, studio, parent, name)
	return p, false, err
}

// folders finds or makes a slash-separated path of folders and returns the last.
func (s *Service) folders(ctx context.Context, r Records, studio, place, folder string) (string, error) {
	for name := range strings.SplitSeq(folder, "/") {
		if name == "" {
			continue
		}
		next, _, err := s.makePlace(ctx, r, studio, place, clip(name, maxPlaceName-1))
		if err != nil {
			return "", err
		}
		place = next.ID
	}
	if place == "" {
		return "", nil
	}
	_, err := s.placeIn(ctx, r, studio, place) // it may have gone to the bin meanwhile
	return place, err
}

// MakeFolders makes the folders of a tree that is about to be uploaded, also the
// empty ones. Folders that are there already stay.
func (s *Service) MakeFolders(ctx context.Context, m Member, place string, paths []string) error {
	if _, err := s.placeOf(ctx, m, place); err != nil {
		return err
	}
	return s.records.Tx(ctx, func(r Records) error {
		for _, p := range paths {
			if _, err := s.folders(ctx, r, m.StudioID, place, naming.PortablePath(p)); err != nil {
				return err
			}
		}
		return s.gatherChanged(ctx, r, m.StudioID)
	})
}

// RenamePlace gives a place another name.
func (s *Service) RenamePlace(ctx context.Context, m Member, id, name string) (Place, error) {
	place, err := s.placeOf(ctx, m, id)
	if err != nil {
		return Place{}, err
	}
	if place.Name, err = placeName(name); err != nil {
		return Place{}, err
	}
	return place, s.records.Tx(ctx, func(r Records) error {
		twin, there, err := r.PlaceNamed(ctx, m.StudioID, place.ParentID, place.Name)
		if err != nil {
			return err
		}
		if there && twin.ID != place.ID {
			return nameTaken(place.Name)
		}
		return errors.Join(r.UpdatePlace(ctx, place), s.gatherChanged(ctx, r, m.StudioID))
	})
}

func (s *Service) gatherChanged(ctx context.Context, r Records, studio string) error {
	return r.Announce(ctx, Change{Studio: studio, What: GatherChanged})
}

// fits refuses to put a kind of place where it does not belong: clients stay at
// the top, projects in clients, and nothing goes into itself.
func fits(p, to Place) error {
	if p.Kind == "client" {
		return conflict("client_stays", "A client stays at the top. Move its projects instead.")
	}
	if strings.HasPrefix(to.Path, p.Path) {
		return conflict("into_itself", "A folder cannot go into itself. Nothing was moved.")
	}
	return nil
}

// freeName is a name that no place in parent has: "Stills", "Stills 2".
func (s *Service) freeName(ctx context.Context, r Records, studio, parent, name string) (string, error) {
	return naming.Free(name, func(try string) (bool, error) {
		_, there, err := r.PlaceNamed(ctx, studio, parent, try)
		return there, err
	})
}

// movePlace puts a place with all in it under another, or at the top of a client
// as a project. Its name gets a number where it is taken.
func (s *Service) movePlace(ctx context.Context, r Records, p, to Place) error {
	if err := fits(p, to); err != nil {
		return err
	}
	if p.ParentID == to.ID {
		return nil
	}
	moved := p
	var err error
	if moved.Name, err = s.freeName(ctx, r, p.StudioID, to.ID, p.Name); err != nil {
		return err
	}
	moved.ParentID, moved.Path, moved.Kind = to.ID, to.Path+p.ID+"/", kindIn(to.Kind)
	return r.MovePlace(ctx, p, moved)
}

// relative is the folder of a place as seen from the roots: the names from the
// root that holds it down to it. A place outside of all roots has none.
func relative(all map[string]Place, roots map[string]bool, id string) string {
	var names []string
	for p, ok := all[id]; ok; p, ok = all[p.ParentID] {
		names = append(names, p.Name)
		if roots[p.ID] {
			slices.Reverse(names)
			return strings.Join(names, "/")
		}
	}
	return ""
}
