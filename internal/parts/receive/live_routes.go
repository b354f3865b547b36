package receive

import (
	"net/http"

	"aftergust/core/link/access"
	"aftergust/internal/ground"
	"aftergust/internal/web"
)

// guestLive is the stream of one package for whoever may see it now; it ends when
// they may not any more.
func (a Routes) guestLive(w http.ResponseWriter, r *http.Request) {
	e, err := a.Enter(r)
	if err != nil {
		a.Web.Refuse(w, err)
		return
	}
	if reason := e.Standing(a.Pack.Now()); reason != access.Allowed {
		a.Web.Refuse(w, Refusal(reason))
		return
	}
	ends := e.Parcel.EndsAt
	a.Web.Stream(w, r, web.Viewer{In: web.Room{Parcel: e.Parcel.ID}, Whose: "line " + e.Line.ID,
		Wants: func(c ground.Change) bool {
			return c.What == ground.WaybillChanged || c.What == ground.ContentsChanged || c.What == ground.NotesChanged ||
				c.What == ground.Sitting || c.Line == e.Line.ID
		},
		Still: func() bool {
			now, err := a.Enter(r)
			if err != nil {
				return false
			}
			ends = now.Parcel.EndsAt
			return now.Standing(a.Pack.Now()) == access.Allowed
		},
		Due: func() bool { return ends != nil && !a.Pack.Now().Before(*ends) },
	})
}

// guestWaits is the stream for whoever stands outside of a package, at its door or after its
// end. It says nothing but that this is over: they were let in, the door changed, or they
// stand outside for another reason.
func (a Routes) guestWaits(w http.ResponseWriter, r *http.Request) {
	e, err := a.Enter(r)
	if err != nil {
		a.Web.Refuse(w, err)
		return
	}
	reason := e.Standing(a.Pack.Now())
	a.Web.Stream(w, r, web.Viewer{In: web.Room{Parcel: e.Parcel.ID}, Whose: "line " + e.Line.ID, Quiet: true,
		Wants: func(c ground.Change) bool { return c.What == ground.WaybillChanged },
		Still: func() bool {
			now, err := a.Enter(r)
			return err == nil && now.Standing(a.Pack.Now()) == reason && reason != access.Allowed
		},
		Due: func() bool { return true },
	})
}
