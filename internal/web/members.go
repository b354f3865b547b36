package web

import (
	"context"
	"net/http"
	"time"

	"aftergust/core/link/access"
	"aftergust/core/link/right"
	"aftergust/internal/ground/wire"
	"aftergust/internal/who/account"
)

// OfMember registers what is being sent to a member, or by one, so that it is cut when they
// are removed or the browser they use is signed out; nil where nobody is signed in. The
// member stands for the package, their sign-in for its item.
func (a *Web) OfMember(in *running, w http.ResponseWriter, r *http.Request) *Ticket {
	who := From(r.Context())
	if who.Member == nil {
		return nil
	}
	var signIn []string
	if who.SignIn != "" { // a token has none
		signIn = []string{who.SignIn}
	}
	return in.Begin(w, r, wire.Running{Parcel: who.Member.ID, Verb: right.See, Items: signIn})
}

// memberOpener looks whether members are still in, with the browsers they use.
type memberOpener struct{ account *account.Service }

func (o memberOpener) StillOpen(ctx context.Context, all []wire.Running) ([]access.Reason, []time.Time, error) {
	var members, signIns []string
	for _, r := range all {
		members, signIns = append(members, r.Parcel), append(signIns, r.Items...)
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
		if !in[r.Parcel] || len(r.Items) > 0 && !in[r.Items[0]] {
			reasons[i] = access.RemovedPerson
		}
	}
	return reasons, make([]time.Time, len(all)), nil
}
