package app_test

import (
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"regexp"
	"strings"
	"testing"

	"aftergust/core/link/door"
	"aftergust/internal/app"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/dev/demo"
	"aftergust/internal/dev/standin"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A way out brings somebody the secret part of their link.
type wayOut func(t *testing.T, s *apptest.Studio, phones *standin.Phones, p apptest.Package, to apptest.Person, guest *demo.Client) string

var waysOut = map[string]wayOut{
	"letter": func(t *testing.T, s *apptest.Studio, _ *standin.Phones, p apptest.Package, to apptest.Person, _ *demo.Client) string {
		return last(s.Letter(t, to.Email, p.Title).Links[0])
	},
	"picture": func(t *testing.T, s *apptest.Studio, _ *standin.Phones, _ apptest.Package, to apptest.Person, _ *demo.Client) string {
		_, svg := file(t, s, "/recipients/"+to.ID+"/qr.svg")
		require.NoError(t, exec.CommandContext(t.Context(), "vips", "copy", svg, svg+".png").Run())
		text, err := exec.CommandContext(t.Context(), "zbarimg", "--quiet", "--raw", svg+".png").Output()
		require.NoError(t, err)
		return last(strings.TrimSpace(string(text)))
	},
	"text message": func(t *testing.T, s *apptest.Studio, phones *standin.Phones, _ apptest.Package, to apptest.Person, _ *demo.Client) string {
		number := "+4477009001" + to.ID[len(to.ID)-1:] + "1"
		number = regexp.MustCompile(`[^+0-9]`).ReplaceAllString(number, "7")
		before := len(phones.Texts(number))
		s.Do(t, "POST", "/recipients/"+to.ID+"/text", map[string]any{"number": number}, nil)
		apptest.Eventually(t, "the message is there", func() bool { return len(phones.Texts(number)) > before })
		return last(regexp.MustCompile(`http\S+`).FindString(phones.Texts(number)[0].Text))
	},
	"pickup code": func(t *testing.T, s *apptest.Studio, _ *standin.Phones, _ apptest.Package, to apptest.Person, guest *demo.Client) string {
		var made struct{ Code string }
		s.Do(t, "POST", "/recipients/"+to.ID+"/pickup", nil, &made)
		var in struct{ Link string }
		require.NoError(t, guest.Do(t.Context(), "POST", "/api/v1/pickup", map[string]any{"code": made.Code}, &in))
		return in.Link
	},
	"own letter": func(t *testing.T, s *apptest.Studio, _ *standin.Phones, _ apptest.Package, to apptest.Person, _ *demo.Client) string {
		_, eml := file(t, s, "/recipients/"+to.ID+"/letter.eml")
		raw, err := os.ReadFile(eml)
		require.NoError(t, err)
		return last(regexp.MustCompile(`http://\S+/r/\S+`).FindString(string(raw)))
	},
	"a name of its own": func(t *testing.T, s *apptest.Studio, _ *standin.Phones, _ apptest.Package, to apptest.Person, _ *demo.Client) string {
		var w struct {
			Name string `json:"link_name"`
		}
		s.Do(t, "PUT", "/recipients/"+to.ID+"/link-name", map[string]any{"name": "for " + to.ID}, &w)
		return w.Name
	},
}

func last(link string) string { return link[strings.LastIndexByte(link, '/')+1:] }

// Source: the five rights and four doors as our words define them; each way out is read as whoever gets it reads it.
func TestFivePeopleWithFiveRightsThroughAllDoorsAndWaysOutMayExactlyTheirs(t *testing.T) {
	t.Parallel()
	phones, err := standin.OpenPhones(t.TempDir())
	require.NoError(t, err)
	gateway := httptest.NewServer(phones)
	t.Cleanup(gateway.Close)
	s := apptest.Start(t, pg, func(c *app.Config) { c.TextURL = gateway.URL })
	people := map[string][]string{"a@kelpwick.example": {"see"}, "b@kelpwick.example": {"see", "note"}, "c@kelpwick.example": {"see", "note", "take"},
		"d@kelpwick.example": {"take"}, "e@kelpwick.example": {"note"}}
	names := []string{"letter", "picture", "text message", "pickup code", "own letter", "a name of its own"}
	const phrase = "slow glaze harbour lamp"
	turn := 0
	for _, d := range door.All.Names() {
		p := s.Pack(t, []string{apptest.File(t, "a.bin", 5000), apptest.File(t, "b.bin", 5000)}, people)
		s.Do(t, "PATCH", "/packages/"+p.ID, map[string]any{"title": "Behind " + string(d), "door": d, "passphrase": phrase}, nil)
		p = s.Send(t, p)
		for _, to := range p.Recipients {
			way := names[turn%len(names)]
			if turn++; to.Email == "e@kelpwick.example" {
				way = "picture" // nobody is written to of what they may not look at
			}
			t.Run(string(d)+", "+way+", "+to.Email[:1], func(t *testing.T) {
				guest := demo.NewClient(s.Base, "")
				link := waysOut[way](t, s, phones, p, to, guest)
				api := "/api/v1/r/" + link
				var page struct {
					Standing string
					Items    []struct{ ID, Take string }
					Archive  string
				}
				_ = guest.Do(t.Context(), "GET", api, nil, &page) // what stands there is looked at again, once they are in
				switch page.Standing {
				case "need_passphrase":
					require.NoError(t, guest.Do(t.Context(), "POST", api+"/enter", map[string]any{"answer": phrase}, nil))
				case "need_code":
					require.NoError(t, guest.Do(t.Context(), "POST", api+"/code", nil, nil))
					code := regexp.MustCompile(`\b\d{6}\b`).FindString(s.Letter(t, to.Email, "code for Behind").Text)
					require.NoError(t, guest.Do(t.Context(), "POST", api+"/enter", map[string]any{"answer": code}, nil))
				}
				has := map[string]bool{}
				for _, verb := range people[to.Email] {
					has[verb] = true
				}
				err := guest.Do(t.Context(), "GET", api, nil, &page)
				if !has["see"] && !has["take"] {
					require.ErrorContains(t, err, "no_right", "there is nothing for them to look at")
				} else {
					require.NoError(t, err)
					require.Len(t, page.Items, 2)
				}
				item := p.Items[0].ID
				may := func(verb, what string, err error) {
					t.Helper()
					if has[verb] {
						assert.NoError(t, err, what)
					} else {
						assert.Error(t, err, what)
					}
				}
				may("see", "look", guest.Do(t.Context(), "POST", api+"/items/"+item+"/look", map[string]any{}, nil))
				may("see", "notes", guest.Do(t.Context(), "GET", api+"/notes", nil, nil))
				may("note", "a note", guest.Do(t.Context(), "POST", api+"/items/"+item+"/notes", map[string]any{"anchor": map[string]any{}, "text": "x"}, nil))
				_, err = guest.Bytes(t.Context(), "/r/"+link+"/take/"+item+"/a.bin", "")
				may("take", "an original", err)
				_, err = guest.Bytes(t.Context(), "/r/"+link+"/zip/all.zip", "")
				may("take", "the ZIP", err)
				_, err = guest.Bytes(t.Context(), "/r/"+link+"/sums.txt", "")
				may("take", "sums", err)
				may("take", "lines", guest.Do(t.Context(), "GET", api+"/terminal", nil, nil))
				may("take", "a choice", guest.Do(t.Context(), "POST", api+"/choose", map[string]any{"items": []string{item}}, nil))
				answer, err := http.Get(s.Base + "/api/v1/packages/" + p.ID) //nolint:noctx // a stranger does no more
				require.NoError(t, err)
				require.NoError(t, answer.Body.Close())
				assert.Equal(t, http.StatusUnauthorized, answer.StatusCode, "and nothing of the studio")
			})
		}
	}
}
