package httpapi

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"aftergust/core/find"
	"aftergust/core/preflight"
	"aftergust/internal/studio"
)

// gatherOperations are what members do with what they have, before it is sent.
func (a *API) gatherOperations() {
	add(a, studioOp(http.MethodGet, "/gather", "gather", "What lies in a place, or is found, a page at a time"), asMember(a.gather))
	add(a, studioOp(http.MethodGet, "/places", "places", "Clients, or what places lie in a place"), asMember(
		func(ctx context.Context, m studio.Member, in *struct {
			Parent string `query:"parent"`
		}) (*body[[]placeView], error) {
			places, err := a.Service.PlacesIn(ctx, m, in.Parent)
			return &body[[]placeView]{viewPlaces(places)}, err
		}))
	add(a, studioOp(http.MethodPost, "/places", "new-place", "Make a client, a project in a client, or a folder"), asMember(
		func(ctx context.Context, m studio.Member, in *struct {
			Body struct {
				Parent string `json:"parent,omitempty" doc:"empty for a client"`
				Name   string `json:"name" maxLength:"200"`
			}
		}) (*body[placeView], error) {
			p, err := a.Service.NewPlace(ctx, m, in.Body.Parent, in.Body.Name)
			return &body[placeView]{placeView(p)}, err
		}))
	add(a, studioOp(http.MethodPatch, "/places/{id}", "rename-place", "Rename a place"), asMember(
		func(ctx context.Context, m studio.Member, in *struct {
			ByID
			Body struct {
				Name string `json:"name" maxLength:"200"`
			}
		}) (*body[placeView], error) {
			p, err := a.Service.RenamePlace(ctx, m, in.ID, in.Body.Name)
			return &body[placeView]{placeView(p)}, err
		}))
	add(a, studioOp(http.MethodPost, "/places/{id}/folders", "make-folders", "Make the folders of a tree, also empty ones"), asMember(
		func(ctx context.Context, m studio.Member, in *struct {
			ByID
			Body struct {
				Paths []string `json:"paths" maxItems:"20000"`
			}
		}) (*none, error) {
			return nil, a.Service.MakeFolders(ctx, m, in.ID, in.Body.Paths)
		}))
	add(a, studioOp(http.MethodPost, "/places/{id}/offers", "offers", "What files that are about to be added seem to be: there already, next versions, other formats"), asMember(
		func(ctx context.Context, m studio.Member, in *struct {
			ByID
			Body struct {
				Files []studio.Candidate `json:"files" maxItems:"20000"`
			}
		}) (*body[[]studio.Offer], error) {
			offers, err := a.Service.Offers(ctx, m, in.ID, in.Body.Files)
			return &body[[]studio.Offer]{offers}, err
		}))
	add(a, studioOp(http.MethodPost, "/places/{id}/things", "new-thing", "Make a link, a swatch or a sheet"), asMember(
		func(ctx context.Context, m studio.Member, in *struct {
			ByID
			Body struct {
				Kind string      `json:"kind" enum:"link,swatch,sheet"`
				Name string      `json:"name" maxLength:"400"`
				Data studio.Data `json:"data"`
			}
		}) (*body[thingView], error) {
			i, err := a.Service.NewThing(ctx, m, in.ID, in.Body.Kind, in.Body.Name, in.Body.Data)
			if err != nil {
				return nil, err
			}
			return &body[thingView]{viewThing(i)}, nil
		}))
	a.thingOperations()
	a.versionOperations()
	a.selectionOperations()
	add(a, studioOp(http.MethodGet, "/tags", "tags", "All tags, the most used first"), asMember(
		func(ctx context.Context, m studio.Member, _ *none) (*body[[]studio.Counted], error) {
			tags, err := a.Service.Tags(ctx, m)
			return &body[[]studio.Counted]{tags}, err
		}))
	add(a, studioOp(http.MethodGet, "/bin", "bin", "What was deleted in the last thirty days"), asMember(
		func(ctx context.Context, m studio.Member, _ *none) (*body[[]studio.Deletion], error) {
			bin, err := a.Service.Bin(ctx, m)
			return &body[[]studio.Deletion]{bin}, err
		}))
	add(a, studioOp(http.MethodPost, "/bin/{id}/restore", "restore", "Take a deletion back"), asMember(
		func(ctx context.Context, m studio.Member, in *ByID) (*none, error) {
			return nil, a.Service.Restore(ctx, m, in.ID)
		}))
	add(a, studioOp(http.MethodDelete, "/bin/{id}", "forget", "Delete for good"), asMember(
		func(ctx context.Context, m studio.Member, in *ByID) (*none, error) {
			return nil, a.Service.Forget(ctx, m, in.ID)
		}))
	add(a, studioOp(http.MethodGet, "/storage", "storage", "What takes the space"), asMember(
		func(ctx context.Context, m studio.Member, _ *none) (*body[studio.Storage], error) {
			s, err := a.Service.Storage(ctx, m)
			return &body[studio.Storage]{s}, err
		}))
	add(a, studioOp(http.MethodGet, "/arriving", "arriving", "Uploads that are not whole yet, of all browsers"), asMember(
		func(ctx context.Context, m studio.Member, _ *none) (*body[[]studio.Upload], error) {
			u, err := a.Service.Uploads(ctx, m)
			return &body[[]studio.Upload]{u}, err
		}))
}

type gatherInput struct {
	Place string    `query:"place" doc:"id of a client, project or folder"`
	View  string    `query:"view" enum:"inside,below,recent,starred,loose" default:"inside" doc:"what lies directly in the place; anywhere below it; lately changed; starred; only in packages"`
	Find  string    `query:"find" maxLength:"300" doc:"words, facts such as wav 48k, bounds such as longer than 2 min; looks anywhere below the place"`
	What  []string  `query:"what" doc:"kinds: still, artwork, film, sound, document, archive, other, link, swatch, sheet"`
	Tag   string    `query:"tag"`
	Since time.Time `query:"since" doc:"added since"`
	Order string    `query:"order" enum:"name,hand,size,length,added,changed" default:"name"`
	Down  bool      `query:"down" doc:"the largest, longest, newest or last first"`
	After string    `query:"after" doc:"next of the page before"`
	Limit int       `query:"limit" minimum:"1" maximum:"500" default:"120"`
}

type gatherView struct {
	Path   []placeView `json:"path" doc:"from the client down to the place"`
	Places []placeView `json:"places" doc:"only on the first page"`
	Things []thingView `json:"things"`
	Next   string      `json:"next" doc:"pass as after for the next page; empty at the end"`
}

func (a *API) gather(ctx context.Context, m studio.Member, in *gatherInput) (*body[gatherView], error) {
	v := gatherView{Path: []placeView{}, Places: []placeView{}, Things: []thingView{}}
	q := studio.ItemQuery{Find: find.Parse(in.Find), What: in.What, Tag: in.Tag, Since: in.Since, Order: in.Order, Down: in.Down, Limit: in.Limit}
	under := ""
	if in.Place != "" {
		path, err := a.Service.PathOf(ctx, m, in.Place)
		if err != nil {
			return nil, err
		}
		v.Path, under = viewPlaces(path), path[len(path)-1].Path
	}
	// Whoever looks for something looks below, not only in the place itself.
	filtered := !q.Find.Empty() || len(q.What) > 0 || q.Tag != "" || !q.Since.IsZero()
	deep := in.View != "inside" || filtered
	switch {
	case in.View == "recent":
		q.Order, q.Down = studio.ByChanged, true
	case in.View == "starred":
		q.Starred = true
	case in.View == "loose":
		q.Loose = true
	}
	if deep {
		q.Under = under
	} else {
		q.Place = in.Place
	}
	var err error
	if in.After != "" {
		if q.After, err = readCursor(in.After); err != nil {
			return nil, err
		}
	} else if v.Places, err = a.placesOf(ctx, m, in, q, under, filtered); err != nil {
		return nil, err
	}
	if q.Place == "" && !deep {
		return &body[gatherView]{v}, nil // the top holds clients only
	}
	items, err := a.Service.Items(ctx, m, q)
	if err != nil {
		return nil, err
	}
	for _, i := range items {
		v.Things = append(v.Things, viewThing(i))
	}
	if len(items) == q.Limit {
		v.Next = writeCursor(items[len(items)-1], q.Order)
	}
	return &body[gatherView]{v}, nil
}

func (a *API) placesOf(ctx context.Context, m studio.Member, in *gatherInput, q studio.ItemQuery, under string, filtered bool) ([]placeView, error) {
	var places []studio.Place
	var err error
	switch {
	case filtered && len(q.What) == 0 && q.Tag == "":
		places, err = a.Service.PlacesFound(ctx, m, under, q.Find)
	case filtered:
	case in.View == "inside":
		places, err = a.Service.PlacesIn(ctx, m, in.Place)
	case in.View == "starred":
		places, err = a.Service.PlacesStarred(ctx, m)
		places = slices.DeleteFunc(places, func(p studio.Place) bool { return !strings.HasPrefix(p.Path, under) })
	}
	return viewPlaces(places), err
}

// A cursor is the value by which a list is ordered and the item, as JSON in
// base64url.
func writeCursor(i studio.Item, order string) string {
	value := i.Name
	switch order {
	case studio.ByHand:
		value = strconv.FormatFloat(i.Position, 'g', -1, 64)
	case studio.BySize:
		value = strconv.FormatInt(i.Size, 10)
	case studio.ByLength:
		value = strconv.FormatInt(i.Facts.LengthUS, 10)
	case studio.ByAdded:
		value = i.CreatedAt.UTC().Format(time.RFC3339Nano)
	case studio.ByChanged:
		value = i.ChangedAt.UTC().Format(time.RFC3339Nano)
	}
	encoded, _ := json.Marshal([2]string{value, i.ID}) // strings always marshal
	return base64.RawURLEncoding.EncodeToString(encoded)
}

func readCursor(text string) (*studio.ItemCursor, error) {
	var parts [2]string
	raw, err := base64.RawURLEncoding.DecodeString(text)
	if err == nil {
		err = json.Unmarshal(raw, &parts)
	}
	if err != nil {
		return nil, newProblem(http.StatusUnprocessableEntity, "invalid", "This is not a place in the list. Begin again without it.")
	}
	return &studio.ItemCursor{Value: parts[0], ID: parts[1]}, nil
}

func (a *API) thingOperations() {
	add(a, studioOp(http.MethodGet, "/things/{id}", "thing", "An item with its versions, renditions and facts"), asMember(
		func(ctx context.Context, m studio.Member, in *ByID) (*body[wholeView], error) {
			return a.thing(ctx, m, in.ID)
		}))
	add(a, studioOp(http.MethodPatch, "/things/{id}", "edit-thing", "Rename an item, or change what a link, swatch or sheet says"), asMember(
		func(ctx context.Context, m studio.Member, in *struct {
			ByID
			Body struct {
				Name *string      `json:"name,omitempty" maxLength:"400"`
				Data *studio.Data `json:"data,omitempty"`
			}
		}) (*body[wholeView], error) {
			if in.Body.Name != nil {
				if _, err := a.Service.Rename(ctx, m, in.ID, *in.Body.Name); err != nil {
					return nil, err
				}
			}
			if in.Body.Data != nil {
				if _, err := a.Service.EditThing(ctx, m, in.ID, *in.Body.Data); err != nil {
					return nil, err
				}
			}
			return a.thing(ctx, m, in.ID)
		}))
	add(a, studioOp(http.MethodPost, "/things/tag", "tag-things", "Put tags on items and take others off"), asMember(
		func(ctx context.Context, m studio.Member, in *struct {
			Body struct {
				Items  []string `json:"items" maxItems:"20000"`
				Add    []string `json:"add,omitempty"`
				Remove []string `json:"remove,omitempty"`
			}
		}) (*none, error) {
			return nil, a.Service.Tag(ctx, m, in.Body.Items, in.Body.Add, in.Body.Remove)
		}))
	add(a, studioOp(http.MethodPost, "/things/star", "star-things", "Star things, or take the star off"), asMember(
		func(ctx context.Context, m studio.Member, in *struct {
			Body struct {
				studio.Selection
				On bool `json:"on"`
			}
		}) (*none, error) {
			return nil, a.Service.Star(ctx, m, in.Body.Selection, in.Body.On)
		}))
	add(a, studioOp(http.MethodPost, "/things/order", "order-things", "Put items in order by hand"), asMember(
		func(ctx context.Context, m studio.Member, in *struct {
			Body struct {
				Items  []string `json:"items" maxItems:"5000"`
				Before string   `json:"before,omitempty" doc:"item before which they go; empty for the end"`
			}
		}) (*none, error) {
			return nil, a.Service.Reorder(ctx, m, in.Body.Items, in.Body.Before)
		}))
	add(a, studioOp(http.MethodPost, "/things/{id}/renditions", "join-things", "Show other items as formats of this one"), asMember(
		func(ctx context.Context, m studio.Member, in *struct {
			ByID
			Body struct {
				Items []string `json:"items" maxItems:"100"`
			}
		}) (*body[wholeView], error) {
			if err := a.Service.Join(ctx, m, in.ID, in.Body.Items); err != nil {
				return nil, err
			}
			return a.thing(ctx, m, in.ID)
		}))
	add(a, studioOp(http.MethodPost, "/things/{id}/part", "part-thing", "Make a rendition a thing of its own again"), asMember(
		func(ctx context.Context, m studio.Member, in *ByID) (*none, error) {
			return nil, a.Service.Part(ctx, m, in.ID)
		}))
}

func (a *API) thing(ctx context.Context, m studio.Member, id string) (*body[wholeView], error) {
	item, err := a.Service.Item(ctx, m, id)
	if err != nil {
		return nil, err
	}
	v := wholeView{ThingView: viewThing(item), Facts: factLines(item), Media: item.Facts, AllVersions: []versionView{}, Formats: []thingView{}, Twins: []thingView{}, Path: []placeView{}}
	versions, err := a.Service.Versions(ctx, m, id)
	if err != nil {
		return nil, err
	}
	for _, one := range versions {
		v.AllVersions = append(v.AllVersions, viewVersion(one, item.VersionID))
	}
	renditions, err := a.Service.Renditions(ctx, id)
	if err != nil {
		return nil, err
	}
	twins, err := a.Service.Twins(ctx, item)
	if err != nil {
		return nil, err
	}
	for _, i := range renditions {
		v.Formats = append(v.Formats, viewThing(i))
	}
	for _, i := range twins {
		v.Twins = append(v.Twins, viewThing(i))
	}
	if item.PlaceID != "" && !item.Binned {
		path, err := a.Service.PathOf(ctx, m, item.PlaceID)
		if err != nil {
			return nil, err
		}
		v.Path = viewPlaces(path)
	}
	if item.Kind == "sheet" {
		v.HTML = markdown(item.Data.Text)
	}
	v.Swatch = viewSwatch(item.Data.Colour)
	return &body[wholeView]{v}, nil
}

func (a *API) versionOperations() {
	add(a, studioOp(http.MethodPut, "/versions/{id}/current", "set-current", "Make a version the one that packages give"), asMember(
		func(ctx context.Context, m studio.Member, in *ByID) (*none, error) {
			return nil, a.Service.SetCurrent(ctx, m, in.ID)
		}))
	add(a, studioOp(http.MethodPatch, "/versions/{id}", "label-version", "Write a few words on a version"), asMember(
		func(ctx context.Context, m studio.Member, in *struct {
			ByID
			Body struct {
				Label string `json:"label" maxLength:"400"`
			}
		}) (*none, error) {
			return nil, a.Service.LabelVersion(ctx, m, in.ID, in.Body.Label)
		}))
	add(a, studioOp(http.MethodDelete, "/versions/{id}", "delete-version", "Delete a version; it can be taken back for thirty days"), asMember(
		func(ctx context.Context, m studio.Member, in *ByID) (*none, error) {
			return nil, a.Service.DeleteVersion(ctx, m, in.ID, false)
		}))
	add(a, studioOp(http.MethodPost, "/versions/{id}/restore", "restore-version", "Take the deletion of a version back"), asMember(
		func(ctx context.Context, m studio.Member, in *ByID) (*none, error) {
			return nil, a.Service.DeleteVersion(ctx, m, in.ID, true)
		}))
	add(a, studioOp(http.MethodPost, "/versions/{id}/media", "remake-media", "Make the previews of a version anew, or stop making them"), asMember(
		func(ctx context.Context, m studio.Member, in *struct {
			ByID
			Body struct {
				Stop bool `json:"stop,omitempty"`
			}
		}) (*none, error) {
			return nil, a.Service.RemakeMedia(ctx, m, in.ID, in.Body.Stop)
		}))
	add(a, studioOp(http.MethodGet, "/versions/{id}/entries", "entries", "What is in an archive, without unpacking it"), asMember(
		func(ctx context.Context, m studio.Member, in *ByID) (*body[entriesView], error) {
			v, err := a.Service.Version(ctx, in.ID)
			if err == nil && v.StudioID != m.StudioID {
				err = &studio.Error{Kind: studio.NotFound, Code: "not_found", Say: "There is no such version."}
			}
			if err != nil {
				return nil, err
			}
			return a.entries(ctx, v.BlobID, v.Size, "/api/v1/entry/"+v.ID+"/", true)
		}))
}

type selected struct{ Body studio.Selection }

type placed struct {
	Body struct {
		studio.Selection
		To string `json:"to" doc:"id of a place"`
	}
}

func (a *API) selectionOperations() {
	add(a, studioOp(http.MethodPost, "/things/move", "move-things", "Put things into a place"), asMember(
		func(ctx context.Context, m studio.Member, in *placed) (*none, error) {
			return nil, a.Service.Move(ctx, m, in.Body.Selection, in.Body.To)
		}))
	add(a, studioOp(http.MethodPost, "/things/copy", "copy-things", "Put copies of things into a place; bytes are not copied"), asMember(
		func(ctx context.Context, m studio.Member, in *placed) (*none, error) {
			return nil, a.Service.Copy(ctx, m, in.Body.Selection, in.Body.To)
		}))
	add(a, studioOp(http.MethodPost, "/things/delete", "delete-things", "Put things in the bin"), asMember(
		func(ctx context.Context, m studio.Member, in *selected) (*body[studio.Deletion], error) {
			d, err := a.Service.Delete(ctx, m, in.Body)
			return &body[studio.Deletion]{d}, err
		}))
	add(a, studioOp(http.MethodPost, "/things/preflight", "preflight", "What looks wrong with things"), asMember(
		func(ctx context.Context, m studio.Member, in *selected) (*body[[]preflight.Finding], error) {
			found, err := a.Service.Preflight(ctx, m, in.Body)
			return &body[[]preflight.Finding]{found}, err
		}))
	add(a, studioOp(http.MethodGet, "/packages/{id}/preflight", "preflight-package", "What looks wrong with what is in a package"), asMember(
		func(ctx context.Context, m studio.Member, in *ByID) (*body[[]preflight.Finding], error) {
			found, err := a.Service.PreflightPackage(ctx, m, in.ID)
			return &body[[]preflight.Finding]{found}, err
		}))
	add(a, studioOp(http.MethodPost, "/things/select", "select-things", "Get the address under which things are taken as one ZIP"), asMember(
		func(ctx context.Context, m studio.Member, in *selected) (*body[addressView], error) {
			id, name, err := a.Service.Select(ctx, m, in.Body)
			return &body[addressView]{addressView{"/api/v1/zip/" + id + "/" + url.PathEscape(name), name}}, err
		}))
	add(a, studioOp(http.MethodPost, "/things/pack", "pack-things", "Put things into a package, or into a new one"), asMember(
		func(ctx context.Context, m studio.Member, in *struct {
			Body struct {
				studio.Selection
				Package string `json:"package,omitempty" doc:"empty for a new one"`
			}
		}) (*body[packageView], error) {
			p, err := a.Service.Pack(ctx, m, in.Body.Package, in.Body.Selection)
			if err != nil {
				return nil, err
			}
			return a.packageOf(ctx, m, p.ID)
		}))
}

type addressView struct {
	Address string `json:"address" doc:"path of the ZIP; good for a week"`
	Name    string `json:"name"`
}

// trimmed is a media type without its parameters.
func trimmed(mime string) string {
	mime, _, _ = strings.Cut(mime, ";")
	return mime
}
