package gather

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

	"aftergust/core/file/find"
	"aftergust/core/file/thing"
	"aftergust/core/media/piece"
	"aftergust/core/media/preflight"
	"aftergust/internal/files/keep"
	"aftergust/internal/ground"
	"aftergust/internal/web"
	"aftergust/internal/who/account"

	"github.com/go-chi/chi/v5"
)

// Routes are places and things over HTTP.
type Routes struct {
	Web    *web.Web
	Chosen *Selections
	Places *Places
	Things *Things
}

// Mount registers all routes of this part.
func (a Routes) Mount(r chi.Router) {
	for _, method := range []string{http.MethodGet, http.MethodHead} {
		r.MethodFunc(method, "/api/v1/entry/{version}/{index}/{name}", a.entry)
		r.MethodFunc(method, "/api/v1/zip/{selection}/{name}", a.Web.Sends(a.selection))
	}
	a.gatherOperations()
}

// gatherOperations are what members do with what they have, before it is sent.
func (a Routes) gatherOperations() {
	web.Add(a.Web, web.StudioOp(http.MethodGet, "/gather", "gather", "What lies in a place, or is found, a page at a time"), web.AsMember(a.gather))
	web.Add(a.Web, web.StudioOp(http.MethodGet, "/places", "places", "Clients, or what places lie in a place"), web.AsMember(
		func(ctx context.Context, m account.Member, in *struct {
			Parent string `query:"parent"`
		}) (*web.Body[[]placeView], error) {
			places, err := a.Places.PlacesIn(ctx, m, in.Parent)
			return &web.Body[[]placeView]{Body: viewPlaces(places)}, err
		}))
	web.Add(a.Web, web.StudioOp(http.MethodGet, "/places/overview", "overview", "What lies in each client, or in each place of a place: how much, what of it is out, what changed last"), web.AsMember(
		func(ctx context.Context, m account.Member, in *struct {
			Parent string `query:"parent"`
		}) (*web.Body[[]overviewView], error) {
			looks, err := a.Places.Overview(ctx, m, in.Parent)
			return &web.Body[[]overviewView]{Body: viewOverview(looks)}, err
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/places", "new-place", "Make a client, a project in a client, or a folder"), web.AsMember(
		func(ctx context.Context, m account.Member, in *struct {
			Body struct {
				Parent string `json:"parent,omitempty" doc:"empty for a client"`
				Name   string `json:"name" maxLength:"200"`
			}
		}) (*web.Body[placeView], error) {
			p, err := a.Places.NewPlace(ctx, m, in.Body.Parent, in.Body.Name)
			return &web.Body[placeView]{Body: placeView(p)}, err
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPatch, "/places/{id}", "edit-place", "Rename a place, or say anew what it is"), web.AsMember(
		func(ctx context.Context, m account.Member, in *struct {
			web.ByID
			Body struct {
				Name  *string `json:"name,omitempty" maxLength:"200"`
				About *string `json:"about,omitempty" maxLength:"400"`
			}
		}) (*web.Body[placeView], error) {
			p, err := a.Places.EditPlace(ctx, m, in.ID, in.Body.Name, in.Body.About)
			return &web.Body[placeView]{Body: placeView(p)}, err
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/places/{id}/folders", "make-folders", "Make the folders of a tree, also empty ones"), web.AsMember(
		func(ctx context.Context, m account.Member, in *struct {
			web.ByID
			Body struct {
				Paths []string `json:"paths" maxItems:"20000"`
			}
		}) (*web.None, error) {
			return nil, a.Places.MakeFolders(ctx, m, in.ID, in.Body.Paths)
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/places/{id}/offers", "offers",
		"What files that are about to be added seem to be: there already, next versions, other formats"), web.AsMember(
		func(ctx context.Context, m account.Member, in *struct {
			web.ByID
			Body struct {
				Files []Candidate `json:"files" maxItems:"20000"`
			}
		}) (*web.Body[[]Offer], error) {
			offers, err := a.Places.Offers(ctx, m, in.ID, in.Body.Files)
			return &web.Body[[]Offer]{Body: offers}, err
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/places/{id}/things", "new-thing", "Make a link, a swatch or a sheet"), web.AsMember(
		func(ctx context.Context, m account.Member, in *struct {
			web.ByID
			Body struct {
				Kind thing.Kind `json:"kind"`
				Name string     `json:"name" maxLength:"400"`
				Data piece.Data `json:"data"`
			}
		}) (*web.Body[thingView], error) {
			i, err := a.Things.NewThing(ctx, m, in.ID, in.Body.Kind, in.Body.Name, in.Body.Data)
			if err != nil {
				return nil, err
			}
			return &web.Body[thingView]{Body: viewThing(i)}, nil
		}))
	a.thingOperations()
	a.versionOperations()
	a.selectionOperations()
	a.spaceOperations()
}

// spaceOperations are about what there is in all, and what was deleted.
func (a Routes) spaceOperations() {
	web.Add(a.Web, web.StudioOp(http.MethodGet, "/tags", "tags", "All tags, the most used first"), web.AsMember(
		func(ctx context.Context, m account.Member, _ *web.None) (*web.Body[[]ground.Counted], error) {
			tags, err := a.Things.Tags(ctx, m)
			return &web.Body[[]ground.Counted]{Body: tags}, err
		}))
	web.Add(a.Web, web.StudioOp(http.MethodGet, "/let-go", "let-go", "What was deleted in the last thirty days"), web.AsMember(
		func(ctx context.Context, m account.Member, _ *web.None) (*web.Body[[]Deletion], error) {
			list, err := a.Chosen.LetGo(ctx, m)
			return &web.Body[[]Deletion]{Body: list}, err
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/let-go/{id}/restore", "restore", "Take a deletion back"), web.AsMember(
		func(ctx context.Context, m account.Member, in *web.ByID) (*web.None, error) {
			return nil, a.Chosen.Restore(ctx, m, in.ID)
		}))
	web.Add(a.Web, web.StudioOp(http.MethodDelete, "/let-go/{id}", "forget", "Delete for good"), web.AsMember(
		func(ctx context.Context, m account.Member, in *web.ByID) (*web.None, error) {
			return nil, a.Chosen.Forget(ctx, m, in.ID)
		}))
	web.Add(a.Web, web.StudioOp(http.MethodGet, "/space", "space", "What takes the space"), web.AsMember(
		func(ctx context.Context, m account.Member, _ *web.None) (*web.Body[keep.Space], error) {
			s, err := a.Web.Keep.Space(ctx, m)
			return &web.Body[keep.Space]{Body: s}, err
		}))
}

type gatherInput struct {
	Place string       `query:"place" doc:"id of a client, project or folder"`
	View  string       `query:"view" enum:"inside,below,lately,at_hand,only_packed" default:"inside" doc:"what lies directly in the place; anywhere below it; lately changed; at_hand; only in packages"`
	Find  string       `query:"find" maxLength:"300" doc:"words, facts such as wav 48k, bounds such as longer than 2 min; looks anywhere below the place"`
	What  []thing.What `query:"what" doc:"kinds of content"`
	Tag   string       `query:"tag"`
	Since time.Time    `query:"since" doc:"added since"`
	Order string       `query:"order" enum:"name,hand,size,length,added,changed" default:"name"`
	Down  bool         `query:"down" doc:"the largest, longest, newest or last first"`
	After string       `query:"after" doc:"next of the page before"`
	Limit int          `query:"limit" minimum:"1" maximum:"500" default:"120"`
}

type gatherView struct {
	Path   []placeView `json:"path" doc:"from the client down to the place"`
	Places []placeView `json:"places" doc:"only on the first page"`
	Things []thingView `json:"things"`
	Next   string      `json:"next" doc:"pass as after for the next page; empty at the end"`
}

func (a Routes) gather(ctx context.Context, m account.Member, in *gatherInput) (*web.Body[gatherView], error) {
	v := gatherView{Path: []placeView{}, Places: []placeView{}, Things: []thingView{}}
	q := ItemQuery{Find: find.Parse(in.Find), What: in.What, Tag: in.Tag, Since: in.Since, Order: in.Order, Down: in.Down,
		Limit: in.Limit}
	under := ""
	if in.Place != "" {
		path, err := a.Places.PathOf(ctx, m, in.Place)
		if err != nil {
			return nil, err
		}
		v.Path, under = viewPlaces(path), path[len(path)-1].Path
	}
	// Whoever looks for something looks below, not only in the place itself.
	filtered := !q.Find.Empty() || len(q.What) > 0 || q.Tag != "" || !q.Since.IsZero()
	deep := in.View != "inside" || filtered
	switch {
	case in.View == "lately":
		q.Order, q.Down = ByChanged, true
	case in.View == "at_hand":
		q.AtHand = true
	case in.View == "only_packed":
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
		return &web.Body[gatherView]{Body: v}, nil // the top holds clients only
	}
	items, err := a.Things.Items(ctx, m, q)
	if err != nil {
		return nil, err
	}
	v.Things = viewThings(items)
	if len(items) == q.Limit {
		v.Next = writeCursor(items[len(items)-1], q.Order)
	}
	return &web.Body[gatherView]{Body: v}, nil
}

func (a Routes) placesOf(ctx context.Context, m account.Member, in *gatherInput, q ItemQuery, under string,
	filtered bool) ([]placeView, error) {
	var places []Place
	var err error
	switch {
	case filtered && len(q.What) == 0 && q.Tag == "":
		places, err = a.Places.PlacesFound(ctx, m, under, q.Find)
	case filtered:
	case in.View == "inside":
		places, err = a.Places.PlacesIn(ctx, m, in.Place)
	case in.View == "at_hand":
		places, err = a.Places.PlacesAtHand(ctx, m)
		places = slices.DeleteFunc(places, func(p Place) bool { return !strings.HasPrefix(p.Path, under) })
	}
	return viewPlaces(places), err
}

// A cursor is the value by which a list is ordered and the item, as JSON in
// base64url.
func writeCursor(i Item, order string) string {
	value := i.Name
	switch order {
	case ByHand:
		value = strconv.FormatFloat(i.Position, 'g', -1, 64)
	case BySize:
		value = strconv.FormatInt(i.Size, 10)
	case ByLength:
		value = strconv.FormatInt(i.Facts.LengthUS, 10)
	case ByAdded:
		value = i.CreatedAt.UTC().Format(time.RFC3339Nano)
	case ByChanged:
		value = i.ChangedAt.UTC().Format(time.RFC3339Nano)
	}
	encoded, _ := json.Marshal([2]string{value, i.ID}) // strings always marshal
	return base64.RawURLEncoding.EncodeToString(encoded)
}

func readCursor(text string) (*ItemCursor, error) {
	var parts [2]string
	raw, err := base64.RawURLEncoding.DecodeString(text)
	if err == nil {
		err = json.Unmarshal(raw, &parts)
	}
	if err != nil {
		return nil, web.ErrNoPlace
	}
	return &ItemCursor{Value: parts[0], ID: parts[1]}, nil
}

func (a Routes) thingOperations() {
	web.Add(a.Web, web.StudioOp(http.MethodGet, "/things/{id}", "thing", "An item with its versions, renditions and facts"), web.AsMember(
		func(ctx context.Context, m account.Member, in *web.ByID) (*web.Body[wholeView], error) {
			return a.thing(ctx, m, in.ID)
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPatch, "/things/{id}", "edit-thing", "Rename an item, describe it, or change what a link, swatch or sheet says"), web.AsMember(
		func(ctx context.Context, m account.Member, in *struct {
			web.ByID
			Body struct {
				Name  *string     `json:"name,omitempty" maxLength:"400"`
				About *string     `json:"about,omitempty" maxLength:"400"`
				Data  *piece.Data `json:"data,omitempty"`
			}
		}) (*web.Body[wholeView], error) {
			if in.Body.Name != nil {
				if _, err := a.Things.Rename(ctx, m, in.ID, *in.Body.Name); err != nil {
					return nil, err
				}
			}
			if in.Body.About != nil {
				if _, err := a.Things.Describe(ctx, m, in.ID, *in.Body.About); err != nil {
					return nil, err
				}
			}
			if in.Body.Data != nil {
				if _, err := a.Things.EditThing(ctx, m, in.ID, *in.Body.Data); err != nil {
					return nil, err
				}
			}
			return a.thing(ctx, m, in.ID)
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/things/tag", "tag-things", "Put tags on items and take others off"), web.AsMember(
		func(ctx context.Context, m account.Member, in *struct {
			Body struct {
				Items  []string `json:"items" maxItems:"20000"`
				Add    []string `json:"add,omitempty"`
				Remove []string `json:"remove,omitempty"`
			}
		}) (*web.None, error) {
			return nil, a.Chosen.Tag(ctx, m, in.Body.Items, in.Body.Add, in.Body.Remove)
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/things/at-hand", "keep-at-hand", "Keep things at hand, or put them back"), web.AsMember(
		func(ctx context.Context, m account.Member, in *struct {
			Body struct {
				Selection
				On bool `json:"on"`
			}
		}) (*web.None, error) {
			return nil, a.Chosen.KeepAtHand(ctx, m, in.Body.Selection, in.Body.On)
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/things/order", "order-things", "Put items in order by hand"), web.AsMember(
		func(ctx context.Context, m account.Member, in *struct {
			Body struct {
				Items  []string `json:"items" maxItems:"5000"`
				Before string   `json:"before,omitempty" doc:"item before which they go; empty for the end"`
			}
		}) (*web.None, error) {
			return nil, a.Chosen.Reorder(ctx, m, in.Body.Items, in.Body.Before)
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/things/{id}/renditions", "join-things", "Show other items as formats of this one"), web.AsMember(
		func(ctx context.Context, m account.Member, in *struct {
			web.ByID
			Body struct {
				Items []string `json:"items" maxItems:"100"`
			}
		}) (*web.Body[wholeView], error) {
			if err := a.Chosen.Join(ctx, m, in.ID, in.Body.Items); err != nil {
				return nil, err
			}
			return a.thing(ctx, m, in.ID)
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/things/{id}/part", "part-thing", "Make a rendition a thing of its own again"), web.AsMember(
		func(ctx context.Context, m account.Member, in *web.ByID) (*web.None, error) {
			return nil, a.Things.Part(ctx, m, in.ID)
		}))
}

func (a Routes) thing(ctx context.Context, m account.Member, id string) (*web.Body[wholeView], error) {
	item, err := a.Things.Item(ctx, m, id)
	if err != nil {
		return nil, err
	}
	v := wholeView{ThingView: viewThing(item), FactLines: factLines(item), AllVersions: []versionView{}, Path: []placeView{}}
	versions, err := a.Things.Versions(ctx, m, id)
	if err != nil {
		return nil, err
	}
	for _, one := range versions {
		v.AllVersions = append(v.AllVersions, viewVersion(one, item.VersionID))
	}
	renditions, err := a.Things.Renditions(ctx, id)
	if err != nil {
		return nil, err
	}
	twins, err := a.Things.Twins(ctx, item)
	if err != nil {
		return nil, err
	}
	v.Formats, v.Twins = viewThings(renditions), viewThings(twins)
	if item.PlaceID != "" && !item.LetGo {
		path, err := a.Places.PathOf(ctx, m, item.PlaceID)
		if err != nil {
			return nil, err
		}
		v.Path = viewPlaces(path)
	}
	return &web.Body[wholeView]{Body: v}, nil
}

func (a Routes) versionOperations() {
	web.Add(a.Web, web.StudioOp(http.MethodPut, "/versions/{id}/current", "set-current", "Make a version the one that packages give"), web.AsMember(
		func(ctx context.Context, m account.Member, in *web.ByID) (*web.None, error) {
			return nil, a.Things.SetCurrent(ctx, m, in.ID)
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPatch, "/versions/{id}", "label-version", "Write a few words on a version"), web.AsMember(
		func(ctx context.Context, m account.Member, in *struct {
			web.ByID
			Body struct {
				Label string `json:"label" maxLength:"400"`
			}
		}) (*web.None, error) {
			return nil, a.Things.LabelVersion(ctx, m, in.ID, in.Body.Label)
		}))
	web.Add(a.Web, web.StudioOp(http.MethodDelete, "/versions/{id}", "delete-version", "Delete a version; it can be taken back for thirty days"), web.AsMember(
		func(ctx context.Context, m account.Member, in *web.ByID) (*web.None, error) {
			return nil, a.Things.DeleteVersion(ctx, m, in.ID, false)
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/versions/{id}/restore", "restore-version", "Take the deletion of a version back"), web.AsMember(
		func(ctx context.Context, m account.Member, in *web.ByID) (*web.None, error) {
			return nil, a.Things.DeleteVersion(ctx, m, in.ID, true)
		}))
}

type selected struct{ Body Selection }

type placed struct {
	Body struct {
		Selection
		To string `json:"to" doc:"id of a place"`
	}
}

func (a Routes) selectionOperations() {
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/things/move", "move-things", "Put things into a place"), web.AsMember(
		func(ctx context.Context, m account.Member, in *placed) (*web.None, error) {
			return nil, a.Chosen.Move(ctx, m, in.Body.Selection, in.Body.To)
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/things/copy", "copy-things", "Put copies of things into a place; bytes are not copied"), web.AsMember(
		func(ctx context.Context, m account.Member, in *placed) (*web.None, error) {
			return nil, a.Chosen.Copy(ctx, m, in.Body.Selection, in.Body.To)
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/things/delete", "delete-things", "Let things go"), web.AsMember(
		func(ctx context.Context, m account.Member, in *selected) (*web.Body[Deletion], error) {
			d, err := a.Chosen.Delete(ctx, m, in.Body)
			return &web.Body[Deletion]{Body: d}, err
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/things/preflight", "preflight", "What looks wrong with things"), web.AsMember(
		func(ctx context.Context, m account.Member, in *selected) (*web.Body[[]preflight.Finding], error) {
			found, err := a.Chosen.Preflight(ctx, m, in.Body)
			return &web.Body[[]preflight.Finding]{Body: found}, err
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/things/select", "select-things", "Get the address under which things are taken as one ZIP"), web.AsMember(
		func(ctx context.Context, m account.Member, in *selected) (*web.Body[AddressView], error) {
			id, name, err := a.Chosen.Select(ctx, m, in.Body)
			return &web.Body[AddressView]{Body: AddressView{"/api/v1/zip/" + id + "/" + url.PathEscape(name), name}}, err
		}))
}

// An AddressView is where a ZIP is fetched.
type AddressView struct {
	Address string `json:"address" doc:"path of the ZIP; good for a week"`
	Name    string `json:"name"`
}

// placeView is a place as it goes out; the name Place is taken by that of notes.
type placeView Place

func viewPlaces(places []Place) []placeView {
	out := make([]placeView, len(places))
	for i, p := range places {
		out[i] = placeView(p)
	}
	return out
}
