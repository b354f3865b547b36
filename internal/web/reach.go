package web

import (
	"net/http"
	"strings"

	"aftergust/core/link/scope"
	"aftergust/internal/ground"

	"github.com/go-chi/chi/v5"
)

// reaches is the least scope that a token needs for each route, by method and pattern. What
// stands in neither list takes a token that reaches everything: what changes who may come in,
// what outlives the token, and what is lost for good.
var reaches = func() map[string]scope.Scope {
	all := map[string]scope.Scope{}
	for _, route := range strings.Fields(`
		/desk /now /me /moments /arriving /live /notices /notices/unseen /reminders /tags /space /presets /groups
		/gather /places /places/overview /let-go /things/{id} /versions/{id}/entries /versions/{version}/{what}
		/entry/{version}/{index}/{name} /zip/{selection}/{name}
		/packages /packages/{id} /packages/{id}/items /packages/{id}/ledger /packages/{id}/notes /packages/{id}/preflight /packages/{id}/remind
		/packages/{id}/rounds /packages/{id}/story /packages/{id}/ticks /packages/{id}/proof.pdf /packages/{id}/proof.json
		/packages/{id}/events.csv /packages/{id}/events.jsonl /packages/{id}/ledger.csv /packages/{id}/ledger.jsonl
		/items/{id}/room /items/{id}/seen /items/{id}/sit /items/{id}/out/{format} /notes/{id}/former /notes/{id}/frame.jpg
		/attached/{id} /people /people/{id}/packages /knocks/{id} /letterheads /showings /showings/{id}`) {
		all["GET /api/v1"+route] = scope.Read
	}
	for _, route := range strings.Fields(`
		POST:/uploads PATCH:/uploads DELETE:/uploads
		POST:/places PATCH:/places/{id} POST:/places/{id}/folders POST:/places/{id}/offers PUT:/places/{id}/rounds POST:/places/{id}/things
		PATCH:/things/{id} POST:/things/{id}/part POST:/things/{id}/renditions POST:/things/at-hand POST:/things/copy
		POST:/things/delete POST:/things/move POST:/things/order POST:/things/pack POST:/things/preflight POST:/things/select
		POST:/things/tag POST:/let-go/{id}/restore
		PATCH:/versions/{id} PUT:/versions/{id}/current POST:/versions/{id}/media POST:/versions/{id}/restore DELETE:/versions/{id}
		POST:/packages POST:/packages/acts PATCH:/packages/{id} DELETE:/packages/{id} POST:/packages/{id}/again
		POST:/packages/{id}/extend PUT:/packages/{id}/going DELETE:/packages/{id}/going POST:/packages/{id}/hand
		POST:/packages/{id}/mend PUT:/packages/{id}/order POST:/packages/{id}/passphrase PUT:/packages/{id}/preset
		POST:/packages/{id}/presets DELETE:/presets/{id} POST:/packages/{id}/recipients POST:/packages/{id}/remind
		POST:/packages/{id}/rounds DELETE:/packages/{id}/rounds POST:/packages/{id}/send POST:/packages/{id}/stop
		POST:/packages/{id}/tell
		PATCH:/recipients/{id} DELETE:/recipients/{id} PUT:/recipients/{id}/link-name POST:/recipients/{id}/pickup
		POST:/recipients/{id}/remind POST:/recipients/{id}/text GET:/recipients/{id}/ways GET:/recipients/{id}/qr.svg
		GET:/recipients/{id}/letter.eml POST:/knocks/{id}/answer
		DELETE:/items/{id} PUT:/items/{id}/heading POST:/items/{id}/notes PUT:/items/{id}/sit DELETE:/items/{id}/sit
		PUT:/items/{id}/stars POST:/items/{id}/attached/{kind} POST:/items/{id}/in/{format}
		DELETE:/notes/{id} PATCH:/notes/{id} POST:/notes/{id}/answers PUT:/notes/{id}/assigned PUT:/notes/{id}/done
		PUT:/notes/{id}/place PUT:/notes/{id}/private PUT:/notes/{id}/sign POST:/notices/seen
		POST:/people POST:/people/read PATCH:/people/{id} DELETE:/people/{id} POST:/people/{id}/back POST:/groups DELETE:/groups/{id}
		POST:/showings PATCH:/showings/{id} DELETE:/showings/{id} POST:/showings/{id}/pieces PUT:/showings/{id}/pieces
		DELETE:/showings/{id}/pieces/{piece} PATCH:/showings/{id}/pieces/{piece} POST:/r/{link}/keep`) {
		method, path, _ := strings.Cut(route, ":")
		all[method+" /api/v1"+path] = scope.Send
	}
	return all
}()

// ReachOf is the least scope for a route.
func ReachOf(method, pattern string) scope.Scope {
	if method == http.MethodHead {
		method = http.MethodGet
	}
	if strings.HasPrefix(pattern, "/api/v1/uploads/") { // tus speaks by several methods below one path
		pattern = "/api/v1/uploads"
		if method == http.MethodGet || method == http.MethodOptions {
			method = http.MethodPatch
		}
	}
	if need, ok := reaches[method+" "+pattern]; ok {
		return need
	}
	return scope.All
}

// forGuests reports whether a route is one that nobody need be known for: a token that does
// not reach so far is of no use there, and does no harm.
func forGuests(pattern string) bool {
	for _, prefix := range []string{"/r/", "/s/", "/api/v1/r/", "/api/v1/s/"} {
		if strings.HasPrefix(pattern, prefix) {
			return true
		}
	}
	return !strings.HasPrefix(pattern, "/api/")
}

// inReach reports whether a token of a scope speaks for its member in a request. Where it does
// not the request is refused, or, at what is for everybody, goes on without a member.
func (a *Web) inReach(r *http.Request, has scope.Scope) (bool, error) {
	routes, ok := a.handler.(chi.Routes)
	if !ok || has == scope.All {
		return has == scope.All, nil
	}
	pattern := routes.Find(chi.NewRouteContext(), r.Method, r.URL.Path)
	if has.Covers(ReachOf(r.Method, pattern)) {
		return true, nil
	}
	if forGuests(pattern) {
		return r.Method == http.MethodGet || r.Method == http.MethodHead, nil
	}
	return false, &ground.Error{Kind: ground.Refused, Code: "token_reach",
		Say: "This token's scope does not include this. Use a token with a wider scope; the API document says which one each operation needs."}
}
