package app

import (
	"cmp"
	"encoding/json"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"aftergust/core/link/scope"
	"aftergust/internal/web"

	"github.com/go-chi/chi/v5"
)

// A row is one route in the table of all of them.
type row struct{ method, path, part string }

// RouteTable is docs/routes.md: each route, who may use it, and the part that answers.
func RouteTable() ([]byte, error) {
	part := map[string]string{}
	note := func(name string, all chi.Routes) error {
		return chi.Walk(all, func(method, path string, _ http.Handler, _ ...func(http.Handler) http.Handler) error {
			if key := method + " " + path; part[key] == "" {
				part[key] = name
			}
			return nil
		})
	}
	var failed error
	w, err := described(func(name string, all chi.Routes) {
		failed = cmp.Or(failed, note(strings.TrimPrefix(name, "aftergust/internal/"), all))
	})
	if err = cmp.Or(err, failed); err != nil {
		return nil, err
	}
	all, err := w.Routes()
	if err != nil {
		return nil, err
	}
	operations, err := operationsOf(w)
	if err != nil {
		return nil, err
	}
	var rows []row
	for _, route := range all {
		method, path, _ := strings.Cut(route, " ")
		rows = append(rows, row{method, path, cmp.Or(part[route], "app")})
	}
	slices.SortFunc(rows, func(a, b row) int { return cmp.Or(cmp.Compare(a.path, b.path), cmp.Compare(a.method, b.method)) })
	var b strings.Builder
	b.WriteString(tableHead)
	for _, r := range rows {
		limit, kind := "", operations[r.method+" "+r.path]
		if kind != "" {
			limit = fmt.Sprintf("%d a minute", web.RequestsPerMinute)
		}
		fmt.Fprintf(&b, "| %s | `%s` | %s | %s | %s |\n", r.method, r.path, who(r, kind), limit, r.part)
	}
	return []byte(b.String()), nil
}

// operationsOf are the operations with JSON bodies, by method and path: "member" where they need one.
func operationsOf(w *web.Web) (map[string]string, error) {
	text, err := w.OpenAPI()
	if err != nil {
		return nil, err
	}
	var doc struct {
		Paths map[string]map[string]struct {
			Security []any `json:"security"`
		} `json:"paths"`
	}
	if err := json.Unmarshal(text, &doc); err != nil {
		return nil, err
	}
	out := map[string]string{}
	for path, methods := range doc.Paths {
		for method, op := range methods {
			kind := "open"
			if len(op.Security) > 0 {
				kind = "member"
			}
			out[strings.ToUpper(method)+" "+path] = kind
		}
	}
	return out, nil
}

// who says who may use a route.
func who(r row, kind string) string {
	switch {
	case strings.Contains(r.path, "{link}"):
		return "holder of the link"
	case strings.Contains(r.path, "{key}"):
		return "holder of the key"
	case kind == "open" || !strings.HasPrefix(r.path, "/api/v1/") && !strings.HasPrefix(r.path, "/letterheads/") || r.path == "/api/v1/proofs/check":
		return "everybody"
	case r.path == "/letterheads/{id}/{which}":
		return "everybody" // letters show it
	}
	return "member: " + scope.Scopes.Get(web.ReachOf(r.method, r.path)).Word
}

const tableHead = `# All routes

Made by ` + "`make openapi`" + ` from what the parts mount; do not edit. A member needs a session or a token with the scope that is named; what a holder of a link may is decided by ` + "`core/link/access`" + `, what a role may by ` + "`access.MayAct`" + `. The limit is for one address; tries of passwords, codes and passphrases have limits of their own (` + "`core/link/throttle`" + `). ` + "`internal/app/walk_test.go`" + ` asks each route with no rights, lapsed rights and those of another studio.

| method | path | who | limit | part |
|---|---|---|---|---|
`
