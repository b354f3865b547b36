package httpapi

import (
	"context"
	"net/http"
	"strconv"
	"strings"
	"time"

	"aftergust/core/access"
	"aftergust/core/door"
	"aftergust/core/expiry"
	"aftergust/core/password"
	"aftergust/core/reminder"
	"aftergust/core/right"
	"aftergust/core/scope"
	"aftergust/core/transfer"
	"aftergust/internal/ground"
	"aftergust/internal/parts/follow"
	"aftergust/internal/parts/pack"
	"aftergust/internal/who/account"

	"github.com/danielgtaylor/huma/v2"
)

// add registers an operation; errors become problems in one place.
func add[I, O any](a *API, op huma.Operation, do func(context.Context, *I) (*O, error)) {
	huma.Register(a.openapi, op, func(ctx context.Context, in *I) (*O, error) {
		out, err := do(ctx, in)
		if err != nil {
			return nil, a.problemOf(err)
		}
		return out, nil
	})
}

// studioOp is an operation for members of a studio.
func studioOp(method, path, id, summary string) huma.Operation {
	need := reachOf(method, "/api/v1"+path)
	return huma.Operation{Method: method, Path: "/api/v1" + path, OperationID: id, Summary: summary, Tags: []string{"Studio"},
		Description: "Scope of a token: " + scope.Scopes.Get(need).Word + ".",
		Security:    []map[string][]string{{"token": {string(need)}}, {"session": {}}}}
}

// guestOp is an operation for whoever holds a link.
func guestOp(method, path, id, summary string) huma.Operation {
	return huma.Operation{Method: method, Path: "/api/v1/r/{link}" + path, OperationID: id, Summary: summary, Tags: []string{"Recipient"}}
}

// asMember passes the member who asks to do, who may work in their studio.
func asMember[I, O any](do func(context.Context, account.Member, *I) (*O, error)) func(context.Context, *I) (*O, error) {
	return asMay(access.Work, do)
}

// asMay passes the member who asks to do, if their role lets them.
func asMay[I, O any](act access.Act, do func(context.Context, account.Member, *I) (*O, error)) func(context.Context, *I) (*O, error) {
	return func(ctx context.Context, in *I) (*O, error) {
		m, err := member(ctx)
		if err == nil && !access.MayAct(m.Role, act) {
			err = errOwner
		}
		if err != nil {
			return nil, err
		}
		return do(ctx, m, in)
	}
}

// proven lets do come only after whoever asks with a browser showed not long ago who
// they are. A token is a proof.
func proven[I, O any](a *API, do func(context.Context, account.Member, *I) (*O, error)) func(context.Context, account.Member,
	*I) (*O, error) {
	return func(ctx context.Context, m account.Member, in *I) (*O, error) {
		if signIn := from(ctx).signIn; signIn != "" {
			if err := a.Account.Proven(ctx, signIn); err != nil {
				return nil, err
			}
		}
		return do(ctx, m, in)
	}
}

var errOwner = &ground.Error{Kind: ground.Refused, Code: "owner_only", Say: "Only an owner of the studio may do this. Ask one of them."}

type body[T any] struct{ Body T }

type none struct{}

// ByID is a path that names one thing. It is exported so that its field is seen when it is embedded.
type ByID struct {
	ID string `path:"id"`
}

// itemsPage asks for a page of the items of a package.
type itemsPage struct {
	ByID
	After string `query:"after" doc:"next of the page before; empty for the first"`
}

// itemsAnswer is a page of items.
type itemsAnswer[T any] struct {
	Body struct {
		Items []T    `json:"items"`
		Next  string `json:"next" doc:"pass as after for the next page; empty at the end"`
	}
}

// studioOperations are what members do with packages, from the sign-in to the notes.
func (a *API) studioOperations() {
	a.accountOperations()
	a.lockOperations()
	a.teamOperations()
	a.packOperations()
	a.sendingOperations()
	a.waybillOperations()
	a.peopleOperations()
	a.followOperations()
	a.remindOperations()
	a.seenOperations()
	a.tellOperations()
	a.hookOperations()
	a.calendarOperations()
	a.noticeOperations()
	a.privacyOperations()
}

func (a *API) accountOperations() {
	add(a, huma.Operation{Method: http.MethodPost, Path: "/api/v1/session", OperationID: "sign-in", Summary: "Sign in with a browser",
		Tags: []string{"Studio"}}, a.signIn)
	add(a, studioOp(http.MethodDelete, "/session", "sign-out", "Sign out"), a.signOut)
	add(a, studioOp(http.MethodGet, "/me", "me", "Who is signed in"), asMember(
		func(_ context.Context, m account.Member, _ *none) (*body[memberView], error) {
			return &body[memberView]{viewMember(m)}, nil
		}))
}

func (a *API) packOperations() {
	add(a, studioOp(http.MethodPost, "/packages", "new-package", "Begin a package"), asMember(
		func(ctx context.Context, m account.Member, _ *none) (*body[packageView], error) {
			parcel, err := a.Pack.NewPackage(ctx, m)
			if err != nil {
				return nil, err
			}
			return a.packageOf(ctx, m, parcel.ID)
		}))
	add(a, studioOp(http.MethodGet, "/packages/{id}", "package", "A package with its items, recipients and Sentence"), asMember(
		func(ctx context.Context, m account.Member, in *ByID) (*body[packageView], error) {
			return a.packageOf(ctx, m, in.ID)
		}))
	add(a, studioOp(http.MethodPatch, "/packages/{id}", "edit-package", "Change what is written on a package"), asMember(a.editPackage))
	add(a, studioOp(http.MethodPost, "/packages/{id}/passphrase", "weigh-passphrase", "Say how long a passphrase would stand at its door; it is not kept"),
		asMember(a.weighPassphrase))
	add(a, studioOp(http.MethodDelete, "/packages/{id}", "discard-package", "Throw away a draft"), asMember(
		func(ctx context.Context, m account.Member, in *ByID) (*none, error) {
			return nil, a.Drafts.Discard(ctx, m, in.ID)
		}))
	add(a, studioOp(http.MethodPost, "/packages/{id}/send", "send-package", "Send it: its links open, letters go"), asMember(
		a.changing(func(ctx context.Context, m account.Member, id string) error { return a.Pack.Send(ctx, m, id) })))
	add(a, studioOp(http.MethodPost, "/packages/{id}/stop", "stop-package", "Stop it at once; downloads that run are cut"), asMember(
		a.changing(func(ctx context.Context, m account.Member, id string) error { return a.Pack.Stop(ctx, m, id) })))
	add(a, studioOp(http.MethodPost, "/packages/{id}/extend", "extend-package", "Set a new end; also opens it again"), asMember(
		func(ctx context.Context, m account.Member, in *struct {
			ByID
			Body expiry.Rule
		}) (*body[packageView], error) {
			if err := a.Pack.Extend(ctx, m, in.ID, in.Body); err != nil {
				return nil, err
			}
			return a.packageOf(ctx, m, in.ID)
		}))
	add(a, studioOp(http.MethodDelete, "/items/{id}", "remove-item", "Take an item out of its package, at once"), asMember(
		func(ctx context.Context, m account.Member, in *ByID) (*none, error) {
			return nil, a.Pack.RemoveItem(ctx, m, in.ID)
		}))
}

func (a *API) waybillOperations() {
	add(a, studioOp(http.MethodPost, "/packages/{id}/recipients", "add-recipient", "Put somebody, or a link for anyone, on the waybill"),
		asMember(a.addRecipient))
	add(a, studioOp(http.MethodPatch, "/recipients/{id}", "change-recipient", "Change rights, name or zone"), asMember(a.changeRecipient))
	add(a, studioOp(http.MethodDelete, "/recipients/{id}", "remove-recipient", "Take somebody off the waybill, at once"), asMember(
		func(ctx context.Context, m account.Member, in *ByID) (*none, error) {
			return nil, a.Pack.RemoveLine(ctx, m, in.ID)
		}))
}

func (a *API) followOperations() {
	add(a, studioOp(http.MethodGet, "/desk", "desk", "What is out, what needs an answer, what ends soon"), asMember(a.desk))
	add(a, studioOp(http.MethodGet, "/packages", "list-packages", "All packages: filtered, found, in an order"), asMember(a.listPackages))
	add(a, studioOp(http.MethodPost, "/packages/acts", "act-on-packages", "Do one thing to several packages; each is done or refused by itself"),
		asMember(a.actOnPackages))
	add(a, studioOp(http.MethodGet, "/packages/{id}/ledger", "ledger", "Who has seen, played and taken what"), asMember(
		func(ctx context.Context, m account.Member, in *itemsPage) (*body[ledgerView], error) {
			after, err := readPlace(in.After)
			if err != nil {
				return nil, err
			}
			l, err := a.Follow.Ledger(ctx, m, in.ID, after)
			return &body[ledgerView]{viewLedger(l)}, err
		}))
	add(a, studioOp(http.MethodGet, "/packages/{id}/items", "package-items", "The items of a package, a page at a time"), asMember(
		func(ctx context.Context, m account.Member, in *itemsPage) (*itemsAnswer[ItemView], error) {
			after, err := readPlace(in.After)
			if err != nil {
				return nil, err
			}
			contents, err := a.Pack.Contents(ctx, m, in.ID, after)
			if err != nil {
				return nil, err
			}
			out := &itemsAnswer[ItemView]{}
			out.Body.Items, out.Body.Next = viewItems(contents)
			return out, nil
		}))
	add(a, studioOp(http.MethodGet, "/packages/{id}/story", "story", "What happened, newest first"), asMember(a.story))
}

func (a *API) packageOf(ctx context.Context, m account.Member, id string) (*body[packageView], error) {
	p, err := a.Pack.Package(ctx, m, id)
	if err != nil {
		return nil, err
	}
	return &body[packageView]{a.viewPackage(ctx, p)}, nil
}

// changing is an operation that does something with a package and answers with it.
func (a *API) changing(do func(context.Context, account.Member, string) error) func(context.Context, account.Member,
	*ByID) (*body[packageView], error) {
	return func(ctx context.Context, m account.Member, in *ByID) (*body[packageView], error) {
		if err := do(ctx, m, in.ID); err != nil {
			return nil, err
		}
		return a.packageOf(ctx, m, in.ID)
	}
}

type signedIn struct {
	SetCookie []http.Cookie `header:"Set-Cookie"`
	Body      memberView
}

func (a *API) signIn(ctx context.Context, in *struct {
	Body struct {
		Email    string `json:"email" maxLength:"254"`
		Password string `json:"password" maxLength:"500"`
		Code     string `json:"code,omitempty" maxLength:"40" doc:"of the app, or a recovery code, where second_needed asks for it"`
	}
}) (*signedIn, error) {
	m, err := a.Account.SignIn(ctx, in.Body.Email, in.Body.Password, from(ctx).host, from(ctx).device)
	if err == nil {
		err = a.Second.Check(ctx, m, in.Body.Code, from(ctx).host)
	}
	if err != nil {
		return nil, err
	}
	return a.begin(ctx, m)
}

// begin signs a member in with the browser that asks.
func (a *API) begin(ctx context.Context, m account.Member) (*signedIn, error) {
	ctx, err := a.sessions.Load(ctx, "")
	if err != nil {
		return nil, err
	}
	signIn, err := a.Account.Begin(ctx, m, from(ctx).agent, from(ctx).host, from(ctx).device)
	if err != nil {
		return nil, err
	}
	a.sessions.Put(ctx, signInKey, signIn)
	token, expires, err := a.sessions.Commit(ctx)
	if err != nil {
		return nil, err
	}
	return &signedIn{SetCookie: []http.Cookie{a.cookie(sessionCookie, token, expires), a.withDevice(ctx).SetCookie}, Body: viewMember(m)}, nil
}

type signedOut struct {
	SetCookie http.Cookie `header:"Set-Cookie"`
}

func (a *API) signOut(ctx context.Context, _ *none) (*signedOut, error) {
	if session := from(ctx).session; session != "" {
		loaded, err := a.sessions.Load(ctx, session)
		if err != nil {
			return nil, err
		}
		if err := a.sessions.Destroy(loaded); err != nil {
			return nil, err
		}
		if found := from(ctx); found.member != nil && found.signIn != "" {
			if err := a.Account.SignOut(ctx, *found.member, found.signIn, found.signIn, found.host); err != nil {
				return nil, err
			}
		}
	}
	return &signedOut{a.cookie(sessionCookie, "", time.Unix(1, 0))}, nil
}

func (a *API) desk(ctx context.Context, m account.Member, _ *none) (*body[deskView], error) {
	d, err := a.Follow.Desk(ctx, m)
	if err != nil {
		return nil, err
	}
	v := deskView{Now: d.Now, Out: []rowView{}, Needs: []needView{}, Outstanding: []outstandingView{}, Used: d.Used, Quota: d.Quota,
		Freed:      []freedView{},
		UsedSaying: transfer.Size(d.Used) + " of " + transfer.Size(d.Quota)}
	for _, row := range d.Out {
		line := a.viewRow(row)
		v.Out = append(v.Out, line)
		for _, s := range line.Strands {
			if s.Outstanding {
				v.Outstanding = append(v.Outstanding, outstandingView{Recipient: s.ID, Name: s.Name, Package: line.ID, Title: line.Title,
					Saying: s.Saying, Brief: s.Brief, Delivered: s.Delivered,
					Left: line.Left, State: line.State, Anyone: s.Anyone})
			}
		}
	}
	for _, n := range d.Needs {
		v.Needs = append(v.Needs, viewNeed(n))
	}
	for _, f := range d.Freed {
		v.Freed = append(v.Freed, freedView{At: f.At, Bytes: f.Bytes, Saying: transfer.Size(f.Bytes)})
	}
	return &body[deskView]{v}, nil
}

type page struct {
	Body struct {
		Packages []rowView `json:"packages"`
		Next     string    `json:"next" doc:"pass as after for the next page; empty at the end"`
	}
}

const pageSize = 50

func (a *API) listPackages(ctx context.Context, m account.Member, in *struct {
	After  string        `query:"after" doc:"next of the page before; empty for the first"`
	Filter follow.Filter `query:"filter" default:"all"`
	Order  follow.Order  `query:"order" default:"newest"`
	Find   string        `query:"find" maxLength:"200" doc:"words that are in the title, or in a name or address on the waybill"`
}) (*page, error) {
	q := follow.Query{Filter: in.Filter, Order: in.Order, Words: strings.Fields(in.Find), After: in.After}
	rows, err := a.Follow.Table(ctx, m, q, pageSize)
	if err != nil {
		return nil, err
	}
	out := &page{}
	out.Body.Packages = []rowView{}
	for _, row := range rows {
		out.Body.Packages = append(out.Body.Packages, a.viewRow(row))
	}
	if len(rows) == pageSize {
		out.Body.Next = rows[len(rows)-1].Parcel.ID
	}
	return out, nil
}

func (a *API) editPackage(ctx context.Context, m account.Member, in *struct {
	ByID
	Body struct {
		Title       *string       `json:"title,omitempty"`
		CoverLetter *string       `json:"cover_letter,omitempty"`
		Door        *door.Door    `json:"door,omitempty" `
		Passphrase  *string       `json:"passphrase,omitempty"`
		Letterhead  *string       `json:"letterhead,omitempty" doc:"id; empty for that of the client, or the studio's"`
		KeepIn      bool          `json:"keep_in,omitempty" doc:"whoever is in stays in when the door or its passphrase of a package that is out changes"`
		EndRule     *expiry.Rule  `json:"end_rule,omitempty"`
		Rights      *right.Rights `json:"rights,omitempty" doc:"of whoever is put on the waybill next"`
		Pins        *bool         `json:"pins,omitempty" doc:"it gives the versions that it is sent with, not the current ones"`
		Reminders   *[]int        `json:"reminders,omitempty" maxItems:"6" doc:"hours before the end at which those are reminded who have not everything"`
	}
}) (*body[packageView], error) {
	_, err := a.Pack.EditPackage(ctx, m, in.ID, pack.Edit{Title: in.Body.Title, CoverLetter: in.Body.CoverLetter, Door: in.Body.Door,
		Passphrase: in.Body.Passphrase, EndRule: in.Body.EndRule, KeepIn: in.Body.KeepIn, Rights: in.Body.Rights, Letterhead: in.Body.Letterhead,
		Pins: in.Body.Pins, Reminders: (*reminder.Ladder)(in.Body.Reminders)})
	if err != nil {
		return nil, err
	}
	return a.packageOf(ctx, m, in.ID)
}

type strengthView struct {
	Grade password.Grade `json:"grade" enum:"refused,thin,sound,strong"`
	Says  string         `json:"says" doc:"in words, with how long somebody would try"`
}

func (a *API) weighPassphrase(ctx context.Context, m account.Member, in *struct {
	ByID
	Body struct {
		Passphrase string `json:"passphrase" maxLength:"4000"`
	}
}) (*body[strengthView], error) {
	grade, says, err := a.Drafts.WeighPassphrase(ctx, m, in.ID, in.Body.Passphrase)
	return &body[strengthView]{strengthView{grade, says}}, err
}

func (a *API) addRecipient(ctx context.Context, m account.Member, in *struct {
	ByID
	Body struct {
		Address string       `json:"address,omitempty" doc:"hanne@kelpwick.example or Hanne Orrick <hanne@kelpwick.example>; empty for a link for anyone" maxLength:"400"`
		Name    string       `json:"name,omitempty" maxLength:"200"`
		Rights  right.Rights `json:"rights,omitempty" doc:"left out: the default of the package"`
		Zone    string       `json:"zone,omitempty"`
	}
}) (*body[recipientView], error) {
	r, err := a.Pack.AddLine(ctx, m, in.ID, pack.Guest{Address: in.Body.Address, Name: in.Body.Name, Rights: in.Body.Rights,
		Zone: in.Body.Zone})
	if err != nil {
		return nil, err
	}
	return &body[recipientView]{a.viewRecipient(ctx, r)}, nil
}

func (a *API) changeRecipient(ctx context.Context, m account.Member, in *struct {
	ByID
	Body struct {
		Rights *right.Rights `json:"rights,omitempty"`
		Name   *string       `json:"name,omitempty"`
		Zone   *string       `json:"zone,omitempty"`
		PassOn *bool         `json:"may_pass_on,omitempty"`
	}
}) (*body[recipientView], error) {
	r, err := a.Pack.ChangeLine(ctx, m, in.ID,
		pack.LineEdit{Rights: in.Body.Rights, Name: in.Body.Name, Zone: in.Body.Zone, PassOn: in.Body.PassOn})
	if err != nil {
		return nil, err
	}
	return &body[recipientView]{a.viewRecipient(ctx, r)}, nil
}

func (a *API) story(ctx context.Context, m account.Member, in *struct {
	ByID
	Before string `query:"before" doc:"cursor of the oldest event seen so far"`
}) (*body[[]eventView], error) {
	before, err := readMoment(in.Before)
	if err != nil {
		return nil, err
	}
	events, err := a.Follow.Story(ctx, m, in.ID, before, storyPage)
	if err != nil {
		return nil, err
	}
	out := []eventView{}
	for _, e := range events {
		out = append(out, eventView{ID: e.ID, Kind: e.Kind, Saying: e.Say(), Recipient: e.LineID, Member: e.MemberID, Version: e.VersionID,
			At:     e.At,
			Cursor: writeMoment(e.At, e.ID)})
	}
	return &body[[]eventView]{out}, nil
}

// A moment in what happened, as the cursor of a page.
func writeMoment(at time.Time, id int64) string {
	return at.UTC().Format(time.RFC3339Nano) + "_" + strconv.FormatInt(id, 10)
}

func readMoment(text string) (m follow.Moment, err error) {
	if text == "" {
		return m, nil
	}
	at, id, ok := strings.Cut(text, "_")
	var errAt, errID error
	m.At, errAt = time.Parse(time.RFC3339Nano, at)
	m.ID, errID = strconv.ParseInt(id, 10, 64)
	if !ok || errAt != nil || errID != nil {
		return m, errNoPlace
	}
	return m, nil
}

// storyPage is how many events are told at once.
const storyPage = 200
