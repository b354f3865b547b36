package app_test

import (
	"encoding/json"
	"fmt"
	"image"
	"image/png"
	"io"
	"net/http"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"aftergust/core/link/access"
	"aftergust/core/link/right"
	"aftergust/core/link/role"
	"aftergust/core/link/scope"
	"aftergust/internal/app"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/dev/demo"
	"aftergust/internal/who/account"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What each route under a link asks of whoever comes by it: a right, or one of
// these. A route that is in none of the tables fails the walk.
const (
	aLink   = "a link"            // any that leads somewhere, whatever its standing
	anEntry = "to be in"          // past the door of a package that is open
	aClosed = "a closed package"  // to ask to be let in again
	aDoor   = "a door to be shut" // to answer it
	aCode   = "a door with codes" // to ask for one
	aBook   = "a guest book"      // to sign it
)

var underLinks = map[string]string{
	"GET /api/v1/r/{link}":                             aLink,
	"POST /api/v1/r/{link}/visit":                      aLink,
	"GET /api/v1/r/{link}/outside":                     aLink,
	"POST /api/v1/r/{link}/quiet":                      aLink,
	"POST /r/{link}/quiet":                             aLink,
	"GET /api/v1/r/{link}/items":                       anEntry,
	"GET /api/v1/r/{link}/live":                        anEntry,
	"POST /api/v1/r/{link}/here":                       anEntry,
	"POST /api/v1/r/{link}/ask":                        aClosed,
	"POST /api/v1/r/{link}/code":                       aCode,
	"POST /api/v1/r/{link}/enter":                      aDoor,
	"POST /api/v1/r/{link}/sign":                       aBook,
	"GET /api/v1/r/{link}/notes":                       "see",
	"GET /api/v1/r/{link}/items/{item}/entries":        "see",
	"POST /api/v1/r/{link}/items/{item}/look":          "see",
	"POST /api/v1/r/{link}/items/{item}/viewing":       "see",
	"POST /api/v1/r/{link}/items/{item}/whole":         "take",
	"GET /api/v1/r/{link}/items/{item}/ticks":          "see",
	"PUT /api/v1/r/{link}/items/{item}/ticks":          "see",
	"GET /r/{link}/look/{item}/{what}":                 "see",
	"HEAD /r/{link}/look/{item}/{what}":                "see",
	"GET /r/{link}/look/{item}/{version}/{what}":       "see",
	"HEAD /r/{link}/look/{item}/{version}/{what}":      "see",
	"GET /api/v1/r/{link}/items/{id}/room":             "see",
	"GET /api/v1/r/{link}/notes/{id}/former":           "see",
	"GET /api/v1/r/{link}/attached/{id}":               "see",
	"HEAD /api/v1/r/{link}/attached/{id}":              "see",
	"POST /api/v1/r/{link}/items/{id}/attached/{kind}": "note",
	"POST /api/v1/r/{link}/items/{id}/in/{format}":     "note",
	"GET /api/v1/r/{link}/items/{id}/out/{format}":     "see",
	"HEAD /api/v1/r/{link}/items/{id}/out/{format}":    "see",
	"GET /api/v1/r/{link}/notes/{id}/frame.jpg":        "see",
	"HEAD /api/v1/r/{link}/notes/{id}/frame.jpg":       "see",
	"POST /api/v1/r/{link}/items/{id}/notes":           "note",
	"POST /api/v1/r/{link}/notes/{id}/answers":         "note",
	"PATCH /api/v1/r/{link}/notes/{id}":                "note",
	"DELETE /api/v1/r/{link}/notes/{id}":               "note",
	"PUT /api/v1/r/{link}/notes/{id}/done":             "note",
	"PUT /api/v1/r/{link}/notes/{id}/place":            "note",
	"POST /api/v1/r/{link}/items/{item}/verdict":       "sign_off",
	"POST /api/v1/r/{link}/verdict":                    "sign_off",
	"GET /api/v1/r/{link}/items/{id}/sit":              "see",
	"PUT /api/v1/r/{link}/items/{id}/sit":              "see",
	"DELETE /api/v1/r/{link}/items/{id}/sit":           "see",
	"PUT /api/v1/r/{link}/notes/{id}/sign":             "note",
	"PUT /api/v1/r/{link}/items/{id}/stars":            "note",
	"POST /api/v1/r/{link}/choose":                     "take",
	"POST /api/v1/r/{link}/keep":                       "take",
	"GET /r/{link}/take/{item}/{name}":                 "take",
	"GET /r/{link}/sums.txt":                           "take",
	"GET /r/{link}/ends.ics":                           anEntry,
	"HEAD /r/{link}/ends.ics":                          anEntry,
	"HEAD /r/{link}/sums.txt":                          "take",
	"GET /r/{link}/package.meta4":                      "take",
	"HEAD /r/{link}/package.meta4":                     "take",
	"GET /api/v1/r/{link}/terminal":                    "take",
	"GET /api/v1/r/{link}/sums":                        "take",
	"HEAD /r/{link}/take/{item}/{name}":                "take",
	"GET /r/{link}/zip/{name}":                         "take",
	"HEAD /r/{link}/zip/{name}":                        "take",
	"GET /r/{link}/entry/{item}/{index}/{name}":        "take",
	"HEAD /r/{link}/entry/{item}/{index}/{name}":       "take",
}

// What answers everybody: what it says is no secret, or it asks for a password itself.
var forAll = []string{"GET /calendar/{key}", "HEAD /calendar/{key}", "GET /r/{link}/quiet", "GET /r/{link}/room", "GET /r/{link}/room/print", "GET /letterheads/{id}/{which}", "GET /s/{link}", "HEAD /s/{link}", "GET /s/{link}/look/{item}/{what}",
	"HEAD /s/{link}/look/{item}/{what}", "GET /api/v1/s/{link}", "POST /api/v1/s/{link}/opened", "GET /api/v1/oembed", "POST /api/v1/proofs/check", "GET /r/{link}", "HEAD /r/{link}", "POST /r/{link}/plain", "GET /healthz", "GET /readyz", "GET /.well-known/aftergust-keys.json", "* /metrics", "GET /docs/api", "POST /api/v1/session", "DELETE /api/v1/session", "POST /api/v1/reset", "PUT /api/v1/reset",
	"POST /api/v1/pickup", "POST /api/v1/session/passkey", "PUT /api/v1/session/passkey", "POST /api/v1/join", "POST /api/v1/join/look", "POST /api/v1/join/decline", "GET /api/v1/found", "POST /api/v1/found",
	"GET /openapi.json", "GET /openapi.yaml", "GET /openapi-3.0.json", "GET /openapi-3.0.yaml", "GET /schemas/{schema}", "GET /api/v1/moments"}

// What only an owner may do; a member is refused, whatever they name.
var forOwners = []string{"PATCH /api/v1/studio", "POST /api/v1/studio/invitations", "DELETE /api/v1/studio/invitations/{id}",
	"PATCH /api/v1/studio/members/{id}", "DELETE /api/v1/studio/members/{id}", "GET /api/v1/hooks", "POST /api/v1/hooks", "PUT /api/v1/hooks/{id}",
	"DELETE /api/v1/hooks/{id}", "POST /api/v1/hooks/{id}/secret", "POST /api/v1/hooks/{id}/trial", "GET /api/v1/hooks/{id}/messages",
	"POST /api/v1/hooks/messages/{id}/again"}

// marker is in every name of the studio that is walked, so that it shows where it should not.
const marker = "kestrel"

// What is read of the description of the API.
type described struct {
	Components struct{ Schemas map[string]any }
	Paths      map[string]map[string]struct {
		RequestBody struct {
			Content map[string]struct{ Schema map[string]any }
		} `json:"requestBody"`
	}
}

// A walked studio has one of everything.
type walked struct {
	*apptest.Studio
	doc                                                            described
	place, thing, second, version, item, note, line, parcel, letGo string
	link                                                           string // of line
	showing, piece                                                 string
	session, token, member, invitation                             string // ids
	person, group, preset, knock, head, hook, message, attached    string // ids
}

func TestEveryRouteLetsInWhoeverItIsForAndNobodyElse(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	w := furnish(t, s)
	routes, err := s.App.API.Routes()
	require.NoError(t, err)
	var ofStudio []string
	for _, route := range routes {
		method, path, _ := strings.Cut(route, " ")
		switch {
		case underLinks[route] != "" || slices.Contains(forAll, route) || slices.Contains(forAll, "* "+path):
		case strings.HasPrefix(path, "/api/v1/") && !strings.Contains(path, "{link}"):
			if !strings.Contains("CONNECT TRACE OPTIONS", method) {
				ofStudio = append(ofStudio, route)
			}
		default:
			assert.Fail(t, "a route that is in no table", route)
		}
	}
	for route := range underLinks {
		assert.Contains(t, routes, route)
	}
	t.Run("studio", func(t *testing.T) { w.walkStudio(t, ofStudio) })
	t.Run("links", func(t *testing.T) { w.walkLinks(t) })
}

// furnish makes one of everything that can be asked for by an id.
func furnish(t *testing.T, s *apptest.Studio) *walked {
	t.Helper()
	w := &walked{Studio: s}
	raw, err := app.OpenAPI()
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(raw, &w.doc))
	var made struct{ ID string }
	s.Do(t, "POST", "/places", map[string]any{"name": marker + " client"}, &made)
	s.Do(t, "POST", "/places", map[string]any{"name": marker + " project", "parent": made.ID}, &made)
	w.place = made.ID
	p := s.Send(t, s.Pack(t, []string{apptest.File(t, marker+".bin", 5000)}, map[string][]string{marker + "@kelpwick.example": lookNoteTake}))
	w.parcel, w.item, w.version, w.line, w.link = p.ID, p.Items[0].ID, p.Items[0].Version, p.Recipients[0].ID, p.Recipients[0].Token()
	s.Do(t, "POST", "/items/"+w.item+"/notes", map[string]any{"anchor": map[string]any{}, "text": marker + " note"}, &made)
	w.note = made.ID
	attached := w.short(t, "POST", "/api/v1/items/"+w.item+"/attached/picture", onePixel(t), "Authorization: Bearer "+s.Owner.Token)
	require.Equal(t, http.StatusOK, attached.StatusCode, "%s", attached.Body)
	require.NoError(t, json.Unmarshal(attached.Body, &made))
	w.attached = made.ID
	s.Do(t, "POST", "/notes/"+w.note+"/answers", map[string]any{"text": "", "attached": []string{w.attached}}, &made)
	s.Do(t, "POST", "/places/"+w.place+"/things", map[string]any{"kind": "sheet", "name": marker + " gone", "data": map[string]any{"text": marker}}, &made)
	s.Do(t, "POST", "/things/delete", map[string]any{"items": []string{made.ID}, "places": []string{}}, &made)
	w.letGo = made.ID
	s.Do(t, "POST", "/places/"+w.place+"/things", map[string]any{"kind": "sheet", "name": marker + " sheet", "data": map[string]any{"text": marker}}, &made)
	w.thing = made.ID
	s.Do(t, "POST", "/places/"+w.place+"/things", map[string]any{"kind": "sheet", "name": marker + " another", "data": map[string]any{"text": marker}}, &made)
	w.second = made.ID
	s.Do(t, "POST", "/account/tokens", map[string]any{"label": marker, "scope": "read", "days": 3}, &made)
	w.token = made.ID
	require.Equal(t, http.StatusOK, signIn(t, s, browser(t), apptest.Password).StatusCode)
	var sessions []struct{ ID string }
	s.Do(t, "GET", "/account/sessions", nil, &sessions)
	w.session = sessions[0].ID
	s.Do(t, "POST", "/studio/invitations", map[string]any{"email": marker + "@low.example", "role": "member"}, &made)
	w.invitation = made.ID
	s.Do(t, "POST", "/groups", map[string]any{"name": marker + " crew"}, &made)
	w.group = made.ID
	s.Do(t, "POST", "/people", map[string]any{"address": marker + " " + marker + " <" + marker + "@gethin.example>"}, &made)
	w.person = made.ID
	s.Do(t, "PATCH", "/people/"+w.person, map[string]any{"groups": []string{w.group}}, nil)
	var presets []struct{ ID string }
	s.Do(t, "POST", "/packages/"+p.ID+"/presets", map[string]any{"name": marker + " preset"}, &presets)
	w.preset = presets[0].ID
	shut := s.Pack(t, []string{apptest.File(t, marker+"2.bin", 50)}, map[string][]string{marker + "2@kelpwick.example": lookNoteTake})
	s.Do(t, "PATCH", "/packages/"+shut.ID, map[string]any{"door": "passphrase", "passphrase": "slow glaze harbour lamp"}, nil)
	shut = s.Send(t, shut)
	require.NoError(t, demo.NewClient(s.Base, "").Do(t.Context(), "POST", shut.Recipients[0].API()+"/ask", map[string]any{"message": marker}, nil))
	var desk struct{ Needs []struct{ Knock string } }
	s.Do(t, "GET", "/desk", nil, &desk)
	for _, n := range desk.Needs {
		w.knock = max(w.knock, n.Knock)
	}
	require.NotEmpty(t, w.knock)
	s.Do(t, "POST", "/letterheads", map[string]any{"name": marker + " head"}, &made)
	w.head = made.ID
	var shown struct {
		ID    string
		Items []struct{ ID string }
	}
	s.Do(t, "POST", "/showings", map[string]any{"title": marker + " showing", "items": []string{w.thing}}, &shown)
	w.showing, w.piece = shown.ID, shown.Items[0].ID
	s.Do(t, "POST", "/hooks", map[string]any{"address": "https://hooks.kelpwick.example/" + marker, "kinds": []string{"has_all"}}, &made)
	w.hook = made.ID
	require.NoError(t, s.App.Store.Pool().QueryRow(t.Context(), `insert into hook_delivery (id, hook_id, kind, at, state)
		values ($1 || 'd', $1, 'trial', now(), 'taken') returning id`, w.hook).Scan(&w.message))
	var studio struct{ Members []struct{ ID string } }
	s.Do(t, "GET", "/studio", nil, &studio)
	w.member = studio.Members[0].ID
	return w
}

// onePixel is the smallest picture.
func onePixel(t *testing.T) string {
	t.Helper()
	var out strings.Builder
	require.NoError(t, png.Encode(&out, image.NewGray(image.Rect(0, 0, 1, 1))))
	return out.String()
}

// fill puts the ids of the studio into a pattern.
func (w *walked) fill(route string) (method, path string) {
	method, path, _ = strings.Cut(route, " ")
	if method == "*" {
		method = http.MethodGet
	}
	of := map[string]string{"packages": w.parcel, "items": w.item, "notes": w.note, "recipients": w.line, "places": w.place, "things": w.thing,
		"versions": w.version, "let-go": w.letGo, "sessions": w.session, "tokens": w.token, "members": w.member, "invitations": w.invitation,
		"passkeys": "none", "people": w.person, "groups": w.group, "presets": w.preset, "knocks": w.knock, "letterheads": w.head, "showings": w.showing,
		"hooks": w.hook, "messages": w.message, "attached": w.attached}
	parts := strings.Split(path, "/")
	for i, part := range parts {
		switch part {
		case "{id}":
			parts[i] = of[parts[i-1]]
		case "{version}":
			parts[i] = w.version
		case "{item}":
			parts[i] = w.item
		case "{piece}":
			parts[i] = w.piece
		case "{note}":
			parts[i] = w.note
		case "{format}":
			parts[i] = "csv"
		case "{kind}":
			parts[i] = "picture"
		case "{which}":
			parts[i] = "logo"
		case "{what}":
			parts[i] = "original"
		case "{index}":
			parts[i] = "0"
		case "{name}":
			parts[i] = "name.zip"
		case "{selection}", "*":
			parts[i] = "none"
		}
	}
	return method, strings.Join(parts, "/")
}

// body is the least that an operation takes, with the ids of the studio where it takes ids.
func (w *walked) body(method, pattern string) string {
	schema := w.doc.Paths[pattern][strings.ToLower(method)].RequestBody.Content["application/json"].Schema
	if schema == nil {
		return ""
	}
	out, _ := json.Marshal(w.least("", schema)) // plain values
	return string(out)
}

func (w *walked) least(name string, schema map[string]any) any {
	if ref, ok := schema["$ref"].(string); ok {
		return w.least(name, w.doc.Components.Schemas[ref[strings.LastIndex(ref, "/")+1:]].(map[string]any))
	}
	known := map[string]any{"items": []string{w.thing, w.second}, "places": []string{w.place}, "place": w.place, "item": w.thing, "address": "guest@brindlefen.example",
		"rights": []string{"see"}, "anchor": map[string]any{}, "zone": "Europe/London", "days": 3, "ranges": []any{}, "text": "a word",
		"email": "x@low.example", "answer": "a guess", "door": "open", "viewing": "a-viewing"}
	if v, ok := known[name]; ok {
		return v
	}
	switch {
	case schema["enum"] != nil:
		return schema["enum"].([]any)[0]
	case schema["type"] == "string":
		return "a word"
	case schema["type"] == "integer" || schema["type"] == "number":
		return 1
	case schema["type"] == "boolean":
		return true
	case schema["type"] == "array":
		return []any{}
	}
	out := map[string]any{}
	required, _ := schema["required"].([]any)
	for field, of := range schema["properties"].(map[string]any) {
		_, id := known[field]
		if slices.Contains(required, any(field)) || id && field != "days" {
			out[field] = w.least(field, of.(map[string]any))
		}
	}
	return out
}

// strange puts ids that nobody has in the place of the studio's.
func (w *walked) strange(text string) string {
	for i, id := range []string{w.parcel, w.item, w.note, w.line, w.place, w.thing, w.second, w.version, w.letGo,
		w.session, w.token, w.member, w.invitation,
		w.person, w.group, w.preset, w.knock, w.head, w.showing, w.piece, w.hook, w.message, w.attached} {
		text = strings.ReplaceAll(text, id, fmt.Sprintf("%0*d", len(id), i))
	}
	return text
}

// records is all that the studio has, in one line for each row.
func (w *walked) records(t *testing.T, studio string) string {
	t.Helper()
	var all string
	err := w.App.Store.Pool().QueryRow(t.Context(), `
		select string_agg(row, E'\n' order by row) from (
			select 'place' || p::text as row from place p where studio_id = $1
			union all select 'item' || i::text from item i where studio_id = $1
			union all select 'version' || v::text from version v join item i on i.id = v.item_id where i.studio_id = $1
			union all select 'parcel' || p::text from parcel p where studio_id = $1
			union all select 'holds' || pi::text from parcel_item pi join parcel p on p.id = pi.parcel_id where p.studio_id = $1
			union all select 'line' || l::text from line l join parcel p on p.id = l.parcel_id where p.studio_id = $1
			union all select 'way' || w::text from way_in w join line l on l.id = w.line_id join parcel p on p.id = l.parcel_id
				where p.studio_id = $1
			union all select 'tick' || t::text from tick t join line l on l.id = t.line_id join parcel p on p.id = l.parcel_id
				where p.studio_id = $1
			union all select 'viewing' || v::text from viewing v join parcel p on p.id = v.parcel_id where p.studio_id = $1
			union all select 'note' || n::text from note n join parcel p on p.id = n.parcel_id where p.studio_id = $1
			union all select 'attached' || a::text from attachment a join parcel p on p.id = a.parcel_id where p.studio_id = $1
			union all select 'round' || r::text from round r join parcel p on p.id = r.parcel_id where p.studio_id = $1
			union all select 'sign off' || s::text from sign_off s join parcel p on p.id = s.parcel_id where p.studio_id = $1
			union all select 'reaction' || r::text from reaction r join parcel p on p.id = r.parcel_id where p.studio_id = $1
			union all select 'showing' || h::text from showing h where studio_id = $1
			union all select 'shown' || w::text from shown w join showing h on h.id = w.showing_id where h.studio_id = $1
			union all select 'person' || p::text from person p where studio_id = $1
			union all select 'hook' || h::text from hook h where studio_id = $1
			union all select 'group' || g::text from people_group g where studio_id = $1
			union all select 'in group' || m::text from group_person m join people_group g on g.id = m.group_id where g.studio_id = $1
			union all select 'preset' || p::text from preset p where studio_id = $1
			union all select 'let go' || l::text from let_go l where studio_id = $1
			union all select 'token' || t.id || t.label || coalesce(t.revoked_at::text, '') from token t join member m on m.id = t.member_id
				where m.studio_id = $1
			union all select 'sign in' || s.id || coalesce(s.ended_at::text, '') from sign_in s join member m on m.id = s.member_id
				where m.studio_id = $1
			union all select 'member' || m::text from member m where studio_id = $1
			union all select 'invitation' || i::text from invitation i where studio_id = $1
			union all select 'studio' || s.name || s.zone from studio s where id = $1
			union all select 'event' || e::text from event e where studio_id = $1
		) rows`, studio).Scan(&all)
	require.NoError(t, err)
	return all
}

// walkStudio asks for everything of a studio as nobody, as the holder of a link, and as a member of another studio.
func (w *walked) walkStudio(t *testing.T, routes []string) {
	foreign, err := w.App.Account.Found(t.Context(), "Brindlefen", "Europe/London", account.Member{Name: "Odd One", Email: "odd@brindlefen.example"},
		"another long password")
	require.NoError(t, err)
	token, err := w.App.Account.NewToken(t.Context(), foreign.Email, "walk")
	require.NoError(t, err)
	marit, _, _, err := w.App.Account.MemberByToken(t.Context(), w.Owner.Token)
	require.NoError(t, err)
	apptest.Eventually(t, "what was begun is done", func() bool {
		var running int
		err := w.App.Store.Pool().QueryRow(t.Context(), "select count(*) from river_job where state in ('available', 'running', 'retryable')").Scan(&running)
		return err == nil && running == 0
	})
	plain := marit
	plain.ID, plain.Name, plain.Email, plain.Role = "plain", "Plain One", "plain@low.example", role.Member
	require.NoError(t, account.Rows{DB: w.App.Store}.CreateMember(t.Context(), plain))
	theirs, err := w.App.Account.NewToken(t.Context(), plain.Email, "walk")
	require.NoError(t, err)
	for _, route := range forOwners {
		require.Contains(t, routes, route)
	}
	var secret struct{ Secret string }
	w.Do(t, "POST", "/account/tokens", map[string]any{"label": "reads", "scope": scope.Read, "days": 3}, &secret)
	reading := secret.Secret
	require.NoError(t, w.App.Remind.Due(t.Context())) // when packages are looked at next is set by a job; not while we look
	before := w.records(t, marit.StudioID)
	for _, route := range routes {
		method, path := w.fill(route)
		_, pattern, _ := strings.Cut(route, " ")
		ask := func(headers ...string) apptest.Answer {
			return w.short(t, method, path, w.body(method, pattern), append(headers, "Content-Type: application/json")...)
		}
		if !strings.HasPrefix(path, "/api/v1/versions/") || strings.Contains(pattern, "{id}") {
			nobody := ask()
			assert.Equal(t, http.StatusUnauthorized, nobody.StatusCode, "%s %s as nobody: %s", method, path, nobody.Body)
			holder := ask("Authorization: Bearer " + w.link)
			assert.Equal(t, http.StatusUnauthorized, holder.StatusCode, "%s %s with a link for a token: %s", method, path, holder.Body)
		} else {
			assert.GreaterOrEqual(t, ask().StatusCode, 400, "%s %s as nobody", method, path)
		}
		if slices.Contains(forOwners, route) {
			member := ask("Authorization: Bearer " + theirs)
			assert.Equal(t, "owner_only", member.Problem(), "%s %s as a member who is no owner", method, path)
		} else if method == http.MethodGet {
			member := ask("Authorization: Bearer " + theirs)
			assert.NotEqual(t, "owner_only", member.Problem(), "%s %s as a member who is no owner", method, path)
		}
		other := ask("Authorization: Bearer " + token)
		assert.NotContains(t, string(other.Body), marker, "%s %s as a member of another studio", method, path)
		assert.Less(t, other.StatusCode, 500, "%s %s: %s", method, path, other.Body)
		if method == http.MethodGet {
			reader := ask("Authorization: Bearer " + reading)
			assert.NotRegexp(t, `/[rs]/[\w-]{22}`, string(reader.Body), "%s tells a token that only reads a link, which does more and lasts longer", path)
		}
		if strings.Contains(pattern, "{id}") || strings.Contains(pattern, "{version}") {
			unknown := w.short(t, method, w.strange(path), w.strange(w.body(method, pattern)), "Authorization: Bearer "+token, "Content-Type: application/json")
			assert.Equal(t, unknown.StatusCode, other.StatusCode, "%s %s: what is another's, and what is nobody's", method, path)
			assert.Equal(t, string(unknown.Body), w.strange(string(other.Body)), "%s %s: what is another's, and what is nobody's", method, path)
			if other.Problem() == "selection_changed" {
				continue // what was chosen is not there, which is said of what never was too
			}
			assert.Contains(t, []int{http.StatusNotFound, http.StatusMethodNotAllowed}, other.StatusCode,
				"%s %s as a member of another studio: %s", method, path, other.Body)
		}
	}
	assert.Equal(t, before, w.records(t, marit.StudioID), "nobody changed anything")
}

// short is a request whose answer, if it is a stream, is not waited for.
func (w *walked) short(t *testing.T, method, path, body string, headers ...string) apptest.Answer {
	t.Helper()
	request, err := http.NewRequestWithContext(t.Context(), method, w.Base+path, strings.NewReader(body))
	require.NoError(t, err)
	for _, h := range headers {
		name, value, _ := strings.Cut(h, ": ")
		request.Header.Set(name, value)
	}
	response, err := http.DefaultClient.Do(request)
	require.NoError(t, err)
	defer response.Body.Close()
	if strings.HasPrefix(response.Header.Get("Content-Type"), "text/event-stream") {
		return apptest.Answer{Response: response}
	}
	read, err := io.ReadAll(response.Body)
	require.NoError(t, err)
	return apptest.Answer{Response: response, Body: read}
}

// A holder comes by a link, and should stand there for standing.
type holder struct {
	name     string
	client   *http.Client
	link     string
	item     string
	rights   []string
	standing access.Reason
	other    bool // the item is of another package
}

// walkLinks asks for everything under a link as every kind of holder.
func (w *walked) walkLinks(t *testing.T) {
	for _, h := range w.holders(t) {
		for route, needs := range underLinks {
			named := strings.NewReplacer("/items/{id}", "/items/{item}", "/notes/{id}", "/notes/{note}", "/attached/{id}", "/attached/{note}").Replace(route)
			method, path := w.fill(strings.ReplaceAll(strings.ReplaceAll(named, "{link}", h.link), "{item}", h.item))
			path = strings.Replace(path, "/look/"+h.item+"/original", "/look/"+h.item+"/poster", 1)
			_, pattern, _ := strings.Cut(route, " ")
			request, err := http.NewRequestWithContext(t.Context(), method, w.Base+path, strings.NewReader(w.body(method, pattern)))
			require.NoError(t, err)
			request.Header.Set("Content-Type", "application/json")
			response, err := h.client.Do(request)
			require.NoError(t, err)
			code := ""
			if !strings.HasPrefix(response.Header.Get("Content-Type"), "text/event-stream") && response.StatusCode >= 400 {
				var p struct{ Code string }
				_ = json.NewDecoder(response.Body).Decode(&p) // a HEAD has none
				code = p.Code
			}
			_ = response.Body.Close()
			want := h.wants(needs, strings.Contains(named, "{item}"))
			if want == access.Allowed && strings.Contains(named, "{note}") {
				want = "not_found" // the note is of another package for all of them
			}
			switch {
			case want == access.Allowed:
				refused := append(access.Reasons()[1:], "not_found", "sign_in")
				assert.NotContains(t, refused, access.Reason(code), "%s may %s (%d)", h.name, route, response.StatusCode)
				assert.NotEqual(t, http.StatusForbidden, response.StatusCode, "%s may %s", h.name, route)
			case method == http.MethodHead:
				assert.GreaterOrEqual(t, response.StatusCode, 400, "%s may not %s: %s", h.name, route, want)
			default:
				assert.Equal(t, want, access.Reason(code), "%s may not %s (%d)", h.name, route, response.StatusCode)
			}
		}
	}
}

// wants is what the rule says. Source: the rights and doors as our words define them.
func (h holder) wants(needs string, item bool) access.Reason {
	switch needs {
	case aLink:
		if h.standing == access.UnknownLink {
			return access.UnknownLink
		}
		return access.Allowed
	case aClosed:
		switch h.standing {
		case access.Ended, access.Stopped, access.RemovedPerson, access.NeedPassphrase, access.NeedCode:
			return access.Allowed
		case access.UnknownLink:
			return access.UnknownLink
		}
		return "nothing_to_ask"
	case aDoor:
		if h.standing == access.NeedPassphrase {
			return "wrong_passphrase" // they guess
		}
		return h.standing
	case aBook:
		if h.standing == access.NeedAddress {
			return "invalid" // they give none
		}
		return h.standing
	case aCode:
		if h.standing == access.Allowed {
			return "no_code_needed"
		}
		return h.standing
	case anEntry:
		return h.standing
	}
	switch {
	case h.standing != access.Allowed:
		return h.standing
	case item && h.other:
		return "not_found"
	case !slices.Contains(h.rights, needs):
		return access.NoRight
	}
	return access.Allowed
}

func (w *walked) holders(t *testing.T) []holder {
	t.Helper()
	var out []holder
	type step func(p apptest.Package, client *http.Client)
	make := func(name string, rights []string, before, after step, standing access.Reason) apptest.Package {
		p := w.Pack(t, []string{apptest.File(t, "walk "+name+".bin", 2000)}, map[string][]string{"ines@lowtide.example": rights})
		client := browser(t)
		before(p, client)
		if standing != access.NotSent {
			p = w.Send(t, p)
		}
		after(p, client)
		link := p.Recipients[0].Token()
		out = append(out, holder{name: name, client: client, link: link, item: p.Items[0].ID, rights: rights, standing: standing})
		return p
	}
	nothing := func(apptest.Package, *http.Client) {}
	shut := func(p apptest.Package, _ *http.Client) {
		w.Do(t, "PATCH", "/packages/"+p.ID, map[string]any{"door": "passphrase", "passphrase": "slow glaze harbour lamp"}, nil)
	}
	enter := func(p apptest.Package, client *http.Client) {
		answer := w.Request(t, client, http.MethodPost, p.Recipients[0].API()+"/enter", strings.NewReader(`{"answer":"slow glaze harbour lamp"}`),
			"Content-Type: application/json")
		require.Equal(t, http.StatusNoContent, answer.StatusCode)
	}
	all := lookNoteTake
	full := make("who may all", all, nothing, nothing, access.Allowed)
	make("who may only look", []string{string(right.See)}, nothing, nothing, access.Allowed)
	make("who was removed", all, nothing, func(p apptest.Package, _ *http.Client) {
		w.Do(t, "DELETE", "/recipients/"+p.Recipients[0].ID, nil, nil)
	},
		access.RemovedPerson)
	make("of a stopped package", all, nothing, func(p apptest.Package, _ *http.Client) { w.Do(t, "POST", "/packages/"+p.ID+"/stop", nil, nil) },
		access.Stopped)
	make("of a package that has ended", all, nothing, func(p apptest.Package, _ *http.Client) {
		_, err := w.App.Store.Pool().Exec(t.Context(), "update parcel set ends_at = now() - interval '1 minute' where id = $1", p.ID)
		require.NoError(t, err)
	}, access.Ended)
	make("of a draft", all, nothing, nothing, access.NotSent)
	make("before a shut door", all, shut, nothing, access.NeedPassphrase)
	make("past a door", all, shut, enter, access.Allowed)
	make("past a door that has changed", all, shut, func(p apptest.Package, client *http.Client) {
		enter(p, client)
		time.Sleep(2 * time.Millisecond) // the door changes later than they came
		w.Do(t, "PATCH", "/packages/"+p.ID, map[string]any{"passphrase": "another four words here"}, nil)
	}, access.NeedPassphrase)
	past := out[len(out)-2]
	out = append(out, holder{name: "on another device", client: browser(t), link: past.link, item: past.item, rights: all,
		standing: access.NeedPassphrase})
	out = append(out, holder{name: "of another package", client: browser(t), link: full.Recipients[0].Token(), item: w.item, rights: all, other: true})
	out = append(out, holder{name: "of no link", client: browser(t), link: strings.Repeat("x", 22), item: w.item, standing: access.UnknownLink})
	return out
}

// A token that may send could add webhooks, erase people for good and replace the calendar's
// address; one that may read got an address that outlived it.
func TestATokenReachesNoFurtherThanItsScope(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	clients := map[scope.Scope]*demo.Client{}
	for _, reach := range scope.Scopes.Names() {
		var made struct{ Secret string }
		s.Do(t, "POST", "/account/tokens", map[string]any{"label": string(reach), "scope": reach, "days": 30}, &made)
		clients[reach] = demo.NewClient(s.Base, made.Secret)
	}
	routes, err := s.App.API.Routes()
	require.NoError(t, err)
	refused := map[scope.Scope]int{}
	for _, route := range routes {
		method, path, _ := strings.Cut(route, " ")
		if !strings.HasPrefix(path, "/api/v1/") || strings.HasPrefix(path, "/api/v1/r/") || strings.HasPrefix(path, "/api/v1/s/") ||
			strings.HasSuffix(path, "*") || strings.HasSuffix(path, "/live") {
			continue
		}
		answers := map[scope.Scope]bool{}
		for reach, client := range clients {
			if reach == scope.All {
				continue // it would do all this; that it may is seen in every other test
			}
			err := client.Do(t.Context(), method, regexp.MustCompile(`\{[^}]*\}`).ReplaceAllString(path, "x"), nil, nil)
			answers[reach] = err != nil && strings.Contains(err.Error(), "token_reach")
			if answers[reach] {
				refused[reach]++
			}
		}
		assert.False(t, answers[scope.Send] && !answers[scope.Read], "%s: who may only read may less than who may send", route)
		if method != "GET" && method != "HEAD" {
			assert.True(t, answers[scope.Read], "%s changes something", route)
		}
		for _, harm := range []string{"/hooks", "/calendar", "/account", "/studio", "/erase", "/file", "/password", "DELETE /api/v1/let-go"} {
			if strings.Contains(route, harm) {
				assert.True(t, answers[scope.Send], "%s is for a token of all", route)
			}
		}
	}
	assert.Greater(t, refused[scope.Read], refused[scope.Send])
	assert.Greater(t, refused[scope.Send], 30)

	var document struct {
		Paths map[string]map[string]struct {
			Description string
			Tags        []string
			Security    []map[string][]string
		}
	}
	raw, err := app.OpenAPI()
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(raw, &document))
	assert.Equal(t, []string{"send"}, document.Paths["/api/v1/packages/{id}/send"]["post"].Security[0]["token"])
	assert.Equal(t, "Scope of a token: All.", document.Paths["/api/v1/hooks"]["post"].Description)
}
