package web

import (
	"context"
	"strconv"
	"strings"
	"time"

	"aftergust/core/link/access"
	"aftergust/core/link/scope"
	"aftergust/internal/ground"
	"aftergust/internal/who/account"

	"github.com/danielgtaylor/huma/v2"
)

// Add registers an operation; errors become problems in one place.
func Add[I, O any](a *Web, op huma.Operation, do func(context.Context, *I) (*O, error)) {
	huma.Register(a.openapi, op, func(ctx context.Context, in *I) (*O, error) {
		out, err := do(ctx, in)
		if err != nil {
			return nil, a.problemOf(err)
		}
		return out, nil
	})
}

// StudioOp is an operation for members of a studio.
func StudioOp(method, path, id, summary string) huma.Operation {
	need := ReachOf(method, "/api/v1"+path)
	return huma.Operation{Method: method, Path: "/api/v1" + path, OperationID: id, Summary: summary, Tags: []string{"Studio"},
		Description: "Scope of a token: " + scope.Scopes.Get(need).Word + ".",
		Security:    []map[string][]string{{"token": {string(need)}}, {"session": {}}}}
}

// GuestOp is an operation for whoever holds a link.
func GuestOp(method, path, id, summary string) huma.Operation {
	return huma.Operation{Method: method, Path: "/api/v1/r/{link}" + path, OperationID: id, Summary: summary, Tags: []string{"Recipient"}}
}

// AsMember passes the member who asks to do, who may work in their studio.
func AsMember[I, O any](do func(context.Context, account.Member, *I) (*O, error)) func(context.Context, *I) (*O, error) {
	return AsMay(access.Work, do)
}

// AsMay passes the member who asks to do, if their role lets them.
func AsMay[I, O any](act access.Act, do func(context.Context, account.Member, *I) (*O, error)) func(context.Context, *I) (*O, error) {
	return func(ctx context.Context, in *I) (*O, error) {
		m, err := Member(ctx)
		if err == nil && !access.MayAct(m.Role, act) {
			err = errOwner
		}
		if err != nil {
			return nil, err
		}
		return do(ctx, m, in)
	}
}

// Proven lets do come only after whoever asks with a browser showed not long ago who
// they are. A token is a proof.
func Proven[I, O any](a *Web, do func(context.Context, account.Member, *I) (*O, error)) func(context.Context, account.Member,
	*I) (*O, error) {
	return func(ctx context.Context, m account.Member, in *I) (*O, error) {
		if signIn := From(ctx).SignIn; signIn != "" {
			if err := a.Account.Proven(ctx, signIn); err != nil {
				return nil, err
			}
		}
		return do(ctx, m, in)
	}
}

var errOwner = &ground.Error{Kind: ground.Refused, Code: "owner_only", Say: "Only an owner of the studio may do this. Ask one of them."}

// A Body is an answer or a request with a body of JSON.
type Body[T any] struct{ Body T }

// None is a request or an answer without anything in it.
type None struct{}

// ByID is a path that names one thing. It is exported so that its field is seen when it is embedded.
type ByID struct {
	ID string `path:"id"`
}

// ItemsPage asks for a page of the items of a package.
type ItemsPage struct {
	ByID
	After string `query:"after" doc:"next of the page before; empty for the first"`
}

// ItemsAnswer is a page of items.
type ItemsAnswer[T any] struct {
	Body struct {
		Items []T    `json:"items"`
		Next  string `json:"next" doc:"pass as after for the next page; empty at the end"`
	}
}

// WriteMoment is a moment in what happened, as the cursor of a page.
func WriteMoment(at time.Time, id int64) string {
	return at.UTC().Format(time.RFC3339Nano) + "_" + strconv.FormatInt(id, 10)
}

// ReadMoment reads what WriteMoment wrote; empty text is the zero moment.
func ReadMoment(text string) (at time.Time, id int64, err error) {
	if text == "" {
		return at, 0, nil
	}
	before, after, ok := strings.Cut(text, "_")
	at, errAt := time.Parse(time.RFC3339Nano, before)
	id, errID := strconv.ParseInt(after, 10, 64)
	if !ok || errAt != nil || errID != nil {
		return time.Time{}, 0, ErrNoPlace
	}
	return at, id, nil
}
