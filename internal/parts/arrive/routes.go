package arrive

import (
	"context"
	"io"
	"net/http"

	"aftergust/internal/parts/gather"
	"aftergust/internal/web"
	"aftergust/internal/who/account"

	"github.com/go-chi/chi/v5"
)

// Routes are uploads over HTTP.
type Routes struct {
	Web      *web.Web
	Arriving *Handler
	Uploads  *Service
}

// Mount registers all routes of this part.
func (a Routes) Mount(r chi.Router) {
	r.With(a.Web.NeedMember).HandleFunc(Base+"*", a.upload)
	a.arrivingOperations()
}

// arrivingOperations are uploads that are under way.
func (a Routes) arrivingOperations() {
	web.Add(a.Web, web.StudioOp(http.MethodGet, "/arriving", "arriving", "Uploads that are not whole yet, of all browsers"), web.AsMember(
		func(ctx context.Context, m account.Member, _ *web.None) (*web.Body[[]gather.Upload], error) {
			u, err := a.Uploads.Uploads(ctx, m)
			return &web.Body[[]gather.Upload]{Body: u}, err
		}))
}

// upload speaks tus with a member, while they are one.
func (a Routes) upload(w http.ResponseWriter, r *http.Request) {
	t := a.Web.OfMember(a.Web.Adding, w, r)
	defer t.End()
	r.Body = &cuttable{r.Body, t}
	a.Arriving.ServeHTTP(w, r)
}

// A cuttable is the body of a request that may be cut.
type cuttable struct {
	io.ReadCloser
	ticket *web.Ticket
}

func (c *cuttable) Read(p []byte) (int, error) {
	if err := c.ticket.Over(); err != nil {
		return 0, err
	}
	return c.ReadCloser.Read(p)
}
