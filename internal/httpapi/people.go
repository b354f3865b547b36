package httpapi

import (
	"context"
	"net/http"
	"strings"
	"time"

	"aftergust/core/state"
	"aftergust/core/transfer"
	"aftergust/internal/parts/people"
	"aftergust/internal/who/account"
)

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

func viewPerson(p people.Listed) personView {
	v := personView{ID: p.ID, Name: p.Name, Email: p.Email, Zone: p.Zone, Language: p.Language, Client: p.ClientID, Called: p.Client,
		Groups: orEmpty(p.Groups), Packages: p.Packages, Bounced: p.Bounced}
	if p.Rate > 0 {
		v.Rate = transfer.Rate(p.Rate)
	}
	return v
}

// A pastView is a package that went to somebody.
type pastView struct {
	Package string      `json:"package" doc:"id"`
	Title   string      `json:"title"`
	State   state.State `json:"state"`
	Stopped bool        `json:"stopped"`
	SentAt  *time.Time  `json:"sent_at"`
	Rights  []string    `json:"rights"`
	Saying  string      `json:"saying" doc:"what they have of it, in words"`
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

func (a *API) peopleOperations() {
	add(a, studioOp(http.MethodGet, "/people", "people", "The contact book, by name, a page at a time"), asMember(a.listPeople))
	add(a, studioOp(http.MethodPost, "/people", "add-person", "Enter somebody in the contact book"), asMember(
		func(ctx context.Context, m account.Member, in *struct {
			Body struct {
				Address string `json:"address" maxLength:"400" doc:"hanne@kelpwick.example or Hanne Orrick <hanne@kelpwick.example>"`
				Name    string `json:"name,omitempty" maxLength:"200"`
			}
		}) (*body[personView], error) {
			p, err := a.Book.Add(ctx, m.StudioID, in.Body.Address, in.Body.Name)
			return &body[personView]{viewPerson(people.Listed{Person: p})}, err
		}))
	add(a, studioOp(http.MethodPost, "/people/read", "read-people", "Read a pasted list; enters nobody"), asMember(
		func(ctx context.Context, m account.Member, in *struct {
			Body struct {
				Text string `json:"text" maxLength:"400000"`
			}
		}) (*body[[]readingView], error) {
			found, err := a.Book.Read(ctx, m.StudioID, in.Body.Text)
			out := make([]readingView, len(found))
			for i, r := range found {
				out[i] = readingView(r)
			}
			return &body[[]readingView]{out}, err
		}))
	add(a, studioOp(http.MethodGet, "/people/{id}/packages", "person-packages", "What went to somebody last, and what they took of it"), asMember(
		func(ctx context.Context, m account.Member, in *ByID) (*body[[]pastView], error) {
			if _, err := a.Book.Of(ctx, m.StudioID, in.ID); err != nil {
				return nil, err
			}
			last, err := a.Follow.LastTo(ctx, m, in.ID)
			out := []pastView{}
			for _, row := range last {
				v := pastView{Package: row.Parcel.ID, Title: row.Parcel.Title, State: row.State, Stopped: row.Parcel.Stopped(),
					SentAt: row.Parcel.SentAt, Saying: row.Strands[0].Sum().Saying, Rights: []string{}}
				for _, r := range row.Strands[0].Line.Rights {
					v.Rights = append(v.Rights, string(r))
				}
				out = append(out, v)
			}
			return &body[[]pastView]{out}, err
		}))
	add(a, studioOp(http.MethodPatch, "/people/{id}", "change-person", "Change somebody in the contact book"), asMember(
		func(ctx context.Context, m account.Member, in *struct {
			ByID
			Body struct {
				Name     *string   `json:"name,omitempty" maxLength:"200"`
				Zone     *string   `json:"zone,omitempty" maxLength:"64"`
				Language *string   `json:"language,omitempty" maxLength:"35"`
				Client   *string   `json:"client,omitempty" doc:"id; empty for none"`
				Groups   *[]string `json:"groups,omitempty" maxItems:"200"`
			}
		}) (*none, error) {
			_, err := a.Book.Change(ctx, m.StudioID, in.ID, people.Edit(in.Body))
			return nil, err
		}))
	add(a, studioOp(http.MethodDelete, "/people/{id}", "forget-person", "Take somebody out of the contact book"), asMember(
		func(ctx context.Context, m account.Member, in *ByID) (*none, error) {
			return nil, a.Book.Forget(ctx, m.StudioID, in.ID, true)
		}))
	add(a, studioOp(http.MethodPost, "/people/{id}/back", "recall-person", "Take somebody back into the contact book"), asMember(
		func(ctx context.Context, m account.Member, in *ByID) (*none, error) {
			return nil, a.Book.Forget(ctx, m.StudioID, in.ID, false)
		}))
	a.groupOperations()
}

func (a *API) groupOperations() {
	add(a, studioOp(http.MethodGet, "/groups", "groups", "Groups of people"), asMember(
		func(ctx context.Context, m account.Member, _ *none) (*body[[]groupView], error) {
			all, err := a.Book.Groups(ctx, m.StudioID)
			out := make([]groupView, len(all))
			for i, g := range all {
				out[i] = groupView{g.ID, g.Name, g.People}
			}
			return &body[[]groupView]{out}, err
		}))
	add(a, studioOp(http.MethodPost, "/groups", "new-group", "Make a group of people"), asMember(
		func(ctx context.Context, m account.Member, in *struct {
			Body struct {
				Name string `json:"name" maxLength:"200"`
			}
		}) (*body[groupView], error) {
			g, err := a.Book.NewGroup(ctx, m.StudioID, in.Body.Name)
			return &body[groupView]{groupView{g.ID, g.Name, g.People}}, err
		}))
	add(a, studioOp(http.MethodDelete, "/groups/{id}", "drop-group", "Delete a group; its people stay"), asMember(
		func(ctx context.Context, m account.Member, in *ByID) (*none, error) {
			return nil, a.Book.DropGroup(ctx, m.StudioID, in.ID)
		}))
}

type peoplePage struct {
	Body struct {
		People []personView `json:"people"`
		Next   string       `json:"next" doc:"pass as after for the next page; empty at the end"`
	}
}

func (a *API) listPeople(ctx context.Context, m account.Member, in *struct {
	Text   string `query:"text" maxLength:"200" doc:"a part of a name or address"`
	Client string `query:"client" doc:"id of a client"`
	Group  string `query:"group" doc:"id of a group"`
	After  string `query:"after" doc:"next of the page before"`
}) (*peoplePage, error) {
	q := people.Query{Text: in.Text, Client: in.Client, Group: in.Group}
	if in.After != "" {
		id, name, ok := strings.Cut(in.After, "_")
		if !ok {
			return nil, errNoPlace
		}
		q.After = people.Cursor{Name: name, ID: id}
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
	if len(found) == people.PageSize {
		last := found[len(found)-1]
		out.Body.Next = last.ID + "_" + strings.ToLower(last.Name)
	}
	return out, nil
}
