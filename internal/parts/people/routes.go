package people

import (
	"context"
	"net/http"
	"strings"

	"aftergust/core/file/transfer"
	"aftergust/internal/ground"
	"aftergust/internal/web"
	"aftergust/internal/who/account"

	"github.com/go-chi/chi/v5"
)

// Routes are the contact book over HTTP.
type Routes struct {
	Web  *web.Web
	Book *Book
}

// Mount registers all routes of this part.
func (a Routes) Mount(_ chi.Router) {
	a.peopleOperations()
}

type personView struct {
	ID       string   `json:"id"`
	Name     string   `json:"name"`
	Email    string   `json:"email"`
	Zone     string   `json:"zone" doc:"IANA time zone; empty while not known"`
	Language string   `json:"language" doc:"BCP 47; empty while not known"`
	Client   string   `json:"client" doc:"id; empty for none"`
	Called   string   `json:"client_name"`
	Groups   []string `json:"groups" doc:"ids"`
	Packages int      `json:"packages" doc:"that went to them"`
	Bounced  string   `json:"bounced" doc:"why the last letter to them did not arrive; empty if it did"`
	Rate     string   `json:"rate" doc:"at which they were seen to download; empty while not known"`
}

func viewPerson(p Listed) personView {
	v := personView{ID: p.ID, Name: p.Name, Email: p.Email, Zone: p.Zone, Language: p.Language, Client: p.ClientID, Called: p.Client,
		Groups: ground.OrEmpty(p.Groups), Packages: p.Packages, Bounced: p.Bounced}
	if p.Rate > 0 {
		v.Rate = transfer.Rate(p.Rate)
	}
	return v
}

type groupView struct {
	ID     string `json:"id"`
	Name   string `json:"name"`
	People int    `json:"people"`
}

type readingView struct {
	Text    string `json:"text" doc:"as it was written"`
	Name    string `json:"name"`
	Email   string `json:"email" doc:"empty where nobody was found"`
	Person  string `json:"person" doc:"id of the one in the contact book; empty for somebody new"`
	Problem string `json:"problem" doc:"why they cannot be taken; empty where they can"`
	Twice   bool   `json:"twice" doc:"they stand further up already"`
	Meant   string `json:"meant" doc:"the address that was probably meant; empty where nothing looks mistyped"`
}

func (a Routes) peopleOperations() {
	web.Add(a.Web, web.StudioOp(http.MethodGet, "/people", "people", "The contact book, by name, a page at a time"), web.AsMember(a.listPeople))
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/people", "add-person", "Enter somebody in the contact book"), web.AsMember(
		func(ctx context.Context, m account.Member, in *struct {
			Body struct {
				Address string `json:"address" maxLength:"400" doc:"hanne@kelpwick.example or Hanne Orrick <hanne@kelpwick.example>"`
				Name    string `json:"name,omitempty" maxLength:"200"`
			}
		}) (*web.Body[personView], error) {
			p, err := a.Book.Add(ctx, m.StudioID, in.Body.Address, in.Body.Name)
			return &web.Body[personView]{Body: viewPerson(Listed{Person: p})}, err
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/people/read", "read-people", "Read a pasted list; enters nobody"), web.AsMember(
		func(ctx context.Context, m account.Member, in *struct {
			Body struct {
				Text string `json:"text" maxLength:"400000"`
			}
		}) (*web.Body[[]readingView], error) {
			found, err := a.Book.Read(ctx, m.StudioID, in.Body.Text)
			out := make([]readingView, len(found))
			for i, r := range found {
				out[i] = readingView(r)
			}
			return &web.Body[[]readingView]{Body: out}, err
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPatch, "/people/{id}", "change-person", "Change somebody in the contact book"), web.AsMember(
		func(ctx context.Context, m account.Member, in *struct {
			web.ByID
			Body struct {
				Name     *string   `json:"name,omitempty" maxLength:"200"`
				Zone     *string   `json:"zone,omitempty" maxLength:"64"`
				Language *string   `json:"language,omitempty" maxLength:"35"`
				Client   *string   `json:"client,omitempty" doc:"id; empty for none"`
				Groups   *[]string `json:"groups,omitempty" maxItems:"200"`
			}
		}) (*web.None, error) {
			_, err := a.Book.Change(ctx, m.StudioID, in.ID, Edit(in.Body))
			return nil, err
		}))
	web.Add(a.Web, web.StudioOp(http.MethodDelete, "/people/{id}", "forget-person", "Take somebody out of the contact book"), web.AsMember(
		func(ctx context.Context, m account.Member, in *web.ByID) (*web.None, error) {
			return nil, a.Book.Forget(ctx, m.StudioID, in.ID, true)
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/people/{id}/back", "recall-person", "Take somebody back into the contact book"), web.AsMember(
		func(ctx context.Context, m account.Member, in *web.ByID) (*web.None, error) {
			return nil, a.Book.Forget(ctx, m.StudioID, in.ID, false)
		}))
	a.groupOperations()
}

func (a Routes) groupOperations() {
	web.Add(a.Web, web.StudioOp(http.MethodGet, "/groups", "groups", "Groups of people"), web.AsMember(
		func(ctx context.Context, m account.Member, _ *web.None) (*web.Body[[]groupView], error) {
			all, err := a.Book.Groups(ctx, m.StudioID)
			out := make([]groupView, len(all))
			for i, g := range all {
				out[i] = groupView{g.ID, g.Name, g.People}
			}
			return &web.Body[[]groupView]{Body: out}, err
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/groups", "new-group", "Make a group of people"), web.AsMember(
		func(ctx context.Context, m account.Member, in *struct {
			Body struct {
				Name string `json:"name" maxLength:"200"`
			}
		}) (*web.Body[groupView], error) {
			g, err := a.Book.NewGroup(ctx, m.StudioID, in.Body.Name)
			return &web.Body[groupView]{Body: groupView{g.ID, g.Name, g.People}}, err
		}))
	web.Add(a.Web, web.StudioOp(http.MethodDelete, "/groups/{id}", "drop-group", "Delete a group; its people stay"), web.AsMember(
		func(ctx context.Context, m account.Member, in *web.ByID) (*web.None, error) {
			return nil, a.Book.DropGroup(ctx, m.StudioID, in.ID)
		}))
}

type peoplePage struct {
	Body struct {
		People []personView `json:"people"`
		Next   string       `json:"next" doc:"pass as after for the next page; empty at the end"`
	}
}

func (a Routes) listPeople(ctx context.Context, m account.Member, in *struct {
	Text   string `query:"text" maxLength:"200" doc:"a part of a name or address"`
	Client string `query:"client" doc:"id of a client"`
	Group  string `query:"group" doc:"id of a group"`
	After  string `query:"after" doc:"next of the page before"`
}) (*peoplePage, error) {
	q := Query{Text: in.Text, Client: in.Client, Group: in.Group}
	if in.After != "" {
		id, name, ok := strings.Cut(in.After, "_")
		if !ok {
			return nil, web.ErrNoPlace
		}
		q.After = Cursor{Name: name, ID: id}
	}
	found, err := a.Book.List(ctx, m.StudioID, q)
	if err != nil {
		return nil, err
	}
	out := &peoplePage{}
	out.Body.People = make([]personView, len(found))
	for i, p := range found {
		out.Body.People[i] = viewPerson(p)
	}
	if len(found) == PageSize {
		last := found[len(found)-1]
		out.Body.Next = last.ID + "_" + strings.ToLower(last.Name)
	}
	return out, nil
}
