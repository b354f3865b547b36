package httpapi

import (
	"context"
	"io"
	"net/http"
	"time"

	"aftergust/core/access"
	"aftergust/core/right"
	"aftergust/internal/parts/pack"
	"aftergust/internal/parts/receive"
	"aftergust/internal/who/account"
)

// ofMember registers what is being sent to a member, or by one, so that it is cut when they
// are removed or the browser they use is signed out; nil where nobody is signed in. The
// member stands for the package, their sign-in for its item.
func (a *API) ofMember(in *running, w http.ResponseWriter, r *http.Request) *ticket {
	who := from(r.Context())
	if who.member == nil {
		return nil
	}
	var signIn []string
	if who.signIn != "" { // a token has none
		signIn = []string{who.signIn}
	}
	return in.begin(w, r, receive.Entrant{Parcel: pack.Parcel{ID: who.member.ID}}, right.See, signIn)
}

// upload speaks tus with a member, while they are one.
func (a *API) upload(w http.ResponseWriter, r *http.Request) {
	t := a.ofMember(a.adding, w, r)
	defer t.end()
	r.Body = &cuttable{r.Body, t}
	a.arriving.ServeHTTP(w, r)
}

// A cuttable is the body of a request that may be cut.
type cuttable struct {
	io.ReadCloser
	ticket *ticket
}

func (c *cuttable) Read(p []byte) (int, error) {
	if err := c.ticket.over(); err != nil {
		return 0, err
	}
	return c.ReadCloser.Read(p)
}

// memberOpener looks whether members are still in, with the browsers they use.
type memberOpener struct{ account *account.Service }

func (o memberOpener) StillOpen(ctx context.Context, all []receive.Running) ([]access.Reason, []time.Time, error) {
	var members, signIns []string
	for _, r := range all {
		members, signIns = append(members, r.Entrant.Parcel.ID), append(signIns, r.Items...)
	}
	lasting, err := o.account.Lasting(ctx, members, signIns)
	if err != nil {
		return nil, nil, err
	}
	in := map[string]bool{}
	for _, id := range lasting {
		in[id] = true
	}
	reasons := make([]access.Reason, len(all))
	for i, r := range all {
		if !in[r.Entrant.Parcel.ID] || len(r.Items) > 0 && !in[r.Items[0]] {
			reasons[i] = access.RemovedPerson
		}
	}
	return reasons, make([]time.Time, len(all)), nil
}
