package app_test

import (
	"archive/zip"
	"bytes"
	"fmt"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"aftergust/internal/dev/apptest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

type thing struct {
	ID, Name, What, Kind, Version, Lead, Shape, Rate, Length string
	Tags                                                     []string
	Size                                                     int64
	Number, Versions, Renditions                             int
	AtHand                                                   bool
	MediaState                                               string `json:"media_state"`
	MediaError                                               string `json:"media_error"`
	Made                                                     []string
	HTML                                                     string
	Swatch                                                   *struct{ Hex, OKLCH string }
	All                                                      []version `json:"all_versions"`
	Formats, Twins                                           []thing
	FactLines                                                []struct{ Label, Value string } `json:"fact_lines"`
}

type version struct {
	Version, Name, Label string
	Number               int
	Current              bool
	DeletedAt            *time.Time `json:"deleted_at"`
}

type place struct{ ID, Name, Kind, Parent string }

type gathered struct {
	Path, Places []place
	Things       []thing
	Next         string
}

func (g gathered) names() (out []string) {
	for _, p := range g.Places {
		out = append(out, p.Name+"/")
	}
	for _, t := range g.Things {
		out = append(out, t.Name)
	}
	return out
}

func gather(t *testing.T, s *apptest.Studio, query string) (g gathered) {
	t.Helper()
	s.Do(t, "GET", "/gather?"+query, nil, &g)
	return g
}

func in(id string) string { return "place=" + id }

func newPlace(t *testing.T, s *apptest.Studio, parent, name string) string {
	t.Helper()
	var made place
	s.Do(t, "POST", "/places", map[string]any{"parent": parent, "name": name}, &made)
	return made.ID
}

// project is a project of a client.
func project(t *testing.T, s *apptest.Studio) (client, project string) {
	t.Helper()
	client = newPlace(t, s, "", "Kelpwick Harbour Museum")
	return client, newPlace(t, s, client, "Lifeboat films")
}

// put uploads text as a file and returns its item.
func put(t *testing.T, s *apptest.Studio, place, name, content string, meta ...string) string {
	t.Helper()
	file := filepath.Join(t.TempDir(), "content")
	require.NoError(t, os.WriteFile(file, []byte(content), 0o600))
	all := map[string]string{"place": place, "filename": name}
	for i := 0; i+1 < len(meta); i += 2 {
		all[meta[i]] = meta[i+1]
	}
	item, err := s.Owner.UploadAs(t.Context(), file, all)
	require.NoError(t, err)
	return item
}

func look(t *testing.T, s *apptest.Studio, id string) (x thing) {
	t.Helper()
	s.Do(t, "GET", "/things/"+id, nil, &x)
	return x
}

func selection(items ...string) map[string]any {
	if items == nil {
		items = []string{}
	}
	return map[string]any{"items": items, "places": []string{}}
}

func refused(t *testing.T, s *apptest.Studio, method, path string, in any, code string) {
	t.Helper()
	err := s.Owner.Do(t.Context(), method, "/api/v1"+path, in, nil)
	require.Error(t, err, "%s %s", method, path)
	assert.Contains(t, err.Error(), `"code":"`+code+`"`)
}

func TestClientsProjectsAndFoldersAreAPath(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	client, films := project(t, s)
	folder := newPlace(t, s, films, "Stills")
	g := gather(t, s, in(folder))
	assert.Equal(t, []string{"client", "project", "folder"}, []string{g.Path[0].Kind, g.Path[1].Kind, g.Path[2].Kind})
	assert.Equal(t, []string{"Kelpwick Harbour Museum/"}, gather(t, s, "").names())

	refused(t, s, "POST", "/places", map[string]any{"parent": films, "name": "STILLS"}, "name_taken")
	refused(t, s, "POST", "/places", map[string]any{"parent": films, "name": "  "}, "invalid")
	refused(t, s, "POST", "/places", map[string]any{"parent": films, "name": "a/b"}, "invalid")
	refused(t, s, "POST", "/things/move", map[string]any{"items": []string{}, "places": []string{films}, "to": folder}, "into_itself")
	refused(t, s, "POST", "/things/move", map[string]any{"items": []string{}, "places": []string{client}, "to": folder}, "client_stays")
	_, err := s.Owner.BeginUpload(t.Context(), map[string]string{"place": client, "filename": "a.txt"}, 3)
	assert.ErrorContains(t, err, "needs_project", "a client holds projects, not files")

	// Moving takes along all that lies below; a taken name gets a number.
	other := newPlace(t, s, client, "Audio guide")
	newPlace(t, s, other, "Stills")
	item := put(t, s, folder, "a.txt", "one")
	s.Do(t, "POST", "/things/move", map[string]any{"items": []string{}, "places": []string{folder}, "to": other}, nil)
	assert.Equal(t, []string{"Stills/", "Stills 2/"}, gather(t, s, in(other)).names())
	assert.Equal(t, []string{"a.txt"}, gather(t, s, in(other)+"&view=below").names())
	s.Do(t, "POST", "/things/move", map[string]any{"items": []string{item}, "places": []string{}, "to": films}, nil)
	assert.Equal(t, []string{"a.txt"}, gather(t, s, in(films)).names())
	s.Do(t, "PATCH", "/places/"+films, map[string]any{"name": "Films"}, nil)
	assert.Equal(t, "Films", gather(t, s, in(films)).Path[1].Name)
}

func TestTreesAreUploadedWithTheirEmptyFolders(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	_, films := project(t, s)
	s.Do(t, "POST", "/places/"+films+"/folders", map[string]any{"paths": []string{"Rushes", "Rushes/Day 1", "Rushes/Empty", "../../escape"}},
		nil)
	put(t, s, films, "a.txt", "x", "folder", "Rushes/Day 1")
	put(t, s, films, "b.txt", "y", "folder", "rushes/Day 2")
	assert.Equal(t, []string{"escape/", "Rushes/"}, gather(t, s, in(films)).names())
	rushes := gather(t, s, in(films)).Places[1].ID
	assert.Equal(t, []string{"Day 1/", "Day 2/", "Empty/"}, gather(t, s, in(rushes)).names())
}

// Source of the order: UTS #35, collation with numeric ordering: 2 before 10.
func TestListsAreInEachOrderAPageAtATime(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	_, films := project(t, s)
	for i, name := range []string{"shot 10.txt", "shot 2.txt", "Shot 1.txt", "étude.txt", "zebra.txt"} {
		put(t, s, films, name, strings.Repeat("x", 10-i))
	}
	want := map[string][]string{
		"order=name":           {"étude.txt", "Shot 1.txt", "shot 2.txt", "shot 10.txt", "zebra.txt"},
		"order=name&down=true": {"zebra.txt", "shot 10.txt", "shot 2.txt", "Shot 1.txt", "étude.txt"},
		"order=size":           {"zebra.txt", "étude.txt", "Shot 1.txt", "shot 2.txt", "shot 10.txt"},
		"order=added":          {"shot 10.txt", "shot 2.txt", "Shot 1.txt", "étude.txt", "zebra.txt"},
		"order=hand":           {"shot 10.txt", "shot 2.txt", "Shot 1.txt", "étude.txt", "zebra.txt"},
	}
	for order, names := range want {
		assert.Equal(t, names, gather(t, s, in(films)+"&"+order).names(), order)
		var paged []string
		next := ""
		for range 4 {
			page := gather(t, s, in(films)+"&limit=2&"+order+"&after="+next)
			paged = append(paged, page.names()...)
			if next = page.Next; next == "" {
				break
			}
		}
		assert.Equal(t, names, paged, "%s, by pages of two", order)
	}
	refused(t, s, "GET", "/gather?"+in(films)+"&after=nonsense", nil, "invalid")

	ids := map[string]string{}
	for _, x := range gather(t, s, in(films)).Things {
		ids[x.Name] = x.ID
	}
	s.Do(t, "POST", "/things/order", map[string]any{"items": []string{ids["zebra.txt"], ids["Shot 1.txt"]}, "before": ids["shot 2.txt"]}, nil)
	assert.Equal(t, []string{"shot 10.txt", "zebra.txt", "Shot 1.txt", "shot 2.txt", "étude.txt"},
		gather(t, s, in(films)+"&order=hand").names())
	s.Do(t, "POST", "/things/order", map[string]any{"items": []string{ids["shot 10.txt"]}}, nil)
	assert.Equal(t, []string{"zebra.txt", "Shot 1.txt", "shot 2.txt", "étude.txt", "shot 10.txt"},
		gather(t, s, in(films)+"&order=hand").names())
}

func TestThingsAreFoundByNameTagTextAndFacts(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	client, films := project(t, s)
	wav := filepath.Join(t.TempDir(), "Ménai_take03.wav")
	tool(t, "sox", "-n", "-r", "48000", "-b", "24", "-c", "2", wav, "synth", "130", "sine", "220", "vol", "0.1")
	_, err := s.Owner.UploadAs(t.Context(), wav, map[string]string{"place": films, "filename": filepath.Base(wav), "tags": "night\nmix"})
	require.NoError(t, err)
	put(t, s, films, "notes.md", "The lantern was already lit when we came ashore.")
	put(t, s, films, "harbour_02.txt", "plain")
	var sheet thing
	s.Do(t, "POST", "/places/"+films+"/things", map[string]any{"kind": "sheet", "name": "Hand-off",
		"data": map[string]string{"text": "- [ ] deliver the stems to Aberwick"}}, &sheet)
	apptest.Eventually(t, "all is read", func() bool {
		for _, x := range gather(t, s, in(films)).Things {
			if x.MediaState == "waiting" {
				return false
			}
		}
		return true
	})
	find := func(query string) []string { return gather(t, s, "view=below&find="+url.QueryEscape(query)).names() }
	for query, want := range map[string][]string{
		"menai": {"Ménai_take03.wav"}, "MÉN tak": {"Ménai_take03.wav"}, "wav 48k": {"Ménai_take03.wav"}, "take 3": {"Ménai_take03.wav"},
		"24bit stereo":      {"Ménai_take03.wav"},
		"longer than 2 min": {"Ménai_take03.wav"}, "longer than 3 min": nil, "shorter than 3 min": {"Ménai_take03.wav"},
		"over 1 MB": {"Ménai_take03.wav"},
		"night":     {"Ménai_take03.wav"}, "lantern ashore": {"notes.md"}, "aberw": {"Hand-off"}, "harb": {"Kelpwick Harbour Museum/",
			"harbour_02.txt"}, "harbour 2": {"harbour_02.txt"}, "nothing": nil,
		"'; drop table item; --": nil, "'lantern' | 'nothing'": nil,
	} {
		assert.Equal(t, want, find(query), query)
	}
	assert.Equal(t, []string{"Ménai_take03.wav"}, gather(t, s, in(client)+"&what=sound").names())
	assert.Equal(t, []string{"Ménai_take03.wav"}, gather(t, s, "view=below&tag=mix").names())
	assert.Len(t, gather(t, s, "view=below&since="+time.Now().Add(-time.Hour).UTC().Format(time.RFC3339)).Things, 4)
	assert.Empty(t, gather(t, s, "view=below&since="+time.Now().Add(time.Hour).UTC().Format(time.RFC3339)).Things)
	facts := map[string]string{}
	for _, f := range look(t, s, gather(t, s, "view=below&find=menai").Things[0].ID).FactLines {
		facts[f.Label] = f.Value
	}
	assert.Equal(t, "0:02:10.00", facts["Length"])
	assert.Equal(t, "pcm_s24le, 48 kHz, 24 bit, stereo", facts["Sound"])
	assert.Equal(t, "-20.0 dBTP", facts["True peak"], "a tenth of full scale")
}

// However a search goes, along an order, by the index of words, or through a small
// place, it finds the same.
func TestASearchFindsTheSameWhicheverWayItGoes(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	client, films := project(t, s)
	other := newPlace(t, s, client, "Guide")
	rough := map[string]bool{}
	for i := range 24 {
		name, at := fmt.Sprintf("take_%02d.txt", i), films
		if i%3 == 0 {
			at = other
		}
		if i%4 == 0 {
			name = fmt.Sprintf("take_%02d rough.txt", i)
		}
		rough[name] = i%4 == 0
		put(t, s, at, name, strings.Repeat("x", i+1))
	}
	all := func(query string) (names []string) {
		for after := ""; ; {
			page := gather(t, s, query+"&limit=2&after="+url.QueryEscape(after))
			names = append(names, page.names()...)
			if after = page.Next; after == "" {
				return names
			}
			require.Less(t, len(names), 100, "pages end")
		}
	}
	for _, order := range []string{"name", "changed", "size"} {
		for _, down := range []string{"", "&down=true"} {
			found := all("view=below&find=take&order=" + order + down)
			assert.Len(t, found, 24, order+down)
			assert.Len(t, slices.Compact(slices.Sorted(slices.Values(found))), 24, "%s: each once", order+down)
			var want []string
			for _, name := range found {
				if rough[name] {
					want = append(want, name)
				}
			}
			assert.Equal(t, want, all("view=below&find=rough+take&order="+order+down), "%s: in the same order", order+down)
		}
	}
	assert.Len(t, all(in(other)+"&find=take"), 8)
	assert.Len(t, all(in(other)+"&find=rough"), 2, "0 and 12")
	assert.Len(t, all(in(client)+"&find=rough&order=changed"), 6)
}

func TestANewFileBecomesTheNextVersionAndLinksStay(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	_, films := project(t, s)
	item := put(t, s, films, "cut_v01.txt", "first cut")
	var p apptest.Package
	s.Do(t, "POST", "/things/pack", selection(item), &p)
	assert.Equal(t, "cut v01", p.Title)
	var line apptest.Person
	s.Do(t, "POST", "/packages/"+p.ID+"/recipients", map[string]any{"address": "hanne@kelpwick.example", "rights": []string{"see", "take"}},
		&line)
	p = s.Send(t, p)
	take := func() string {
		return string(s.Get(t, line.Path(s.Package(t, p.ID).Items[0])).Body)
	}
	assert.Equal(t, "first cut", take())

	// Offered by its name, never forced.
	var offers []struct {
		Index              int
		Kind, Item, Beside string
	}
	s.Do(t, "POST", "/places/"+films+"/offers", map[string]any{"files": []map[string]any{
		{"name": "cut_v02.txt", "size": 5}, {"name": "cut_v01.txt", "size": 9}, {"name": "cut_v01.txt", "size": 8}, {"name": "cut_v01.mov",
			"size": 3}, {"name": "other.txt", "size": 3}}}, &offers)
	require.Len(t, offers, 4)
	assert.Equal(t, []string{"version", "same", "twin", "rendition"}, []string{offers[0].Kind, offers[1].Kind, offers[2].Kind, offers[3].Kind})
	assert.Len(t, gather(t, s, in(films)).Things, 1)

	put(t, s, "", "cut_v02.txt", "second cut", "item", item)
	x := look(t, s, item)
	assert.Equal(t, "cut_v02.txt", x.Name, "an item that nobody renamed follows its file")
	assert.Equal(t, 2, x.Number)
	require.Len(t, x.All, 2)
	assert.Equal(t, "second cut", take(), "the link gives the new version")

	s.Do(t, "PUT", "/versions/"+x.All[1].Version+"/current", nil, nil)
	assert.Equal(t, "first cut", take())
	s.Do(t, "PATCH", "/versions/"+x.All[0].Version, map[string]any{"label": "with the new opening"}, nil)
	assert.Equal(t, "with the new opening", look(t, s, item).All[0].Label)
	s.Do(t, "DELETE", "/versions/"+x.All[1].Version, nil, nil)
	assert.Equal(t, "second cut", take(), "what is deleted is not given any more")
	refused(t, s, "DELETE", "/versions/"+x.All[0].Version, nil, "only_version")
	s.Do(t, "POST", "/versions/"+x.All[1].Version+"/restore", nil, nil)
	assert.Nil(t, look(t, s, item).All[1].DeletedAt)

	s.Do(t, "PATCH", "/things/"+item, map[string]any{"name": "Lifeboat.txt"}, nil)
	put(t, s, "", "cut_v03.txt", "third cut", "item", item)
	assert.Equal(t, "Lifeboat.txt", look(t, s, item).Name, "a name given by hand stays")
	assert.Equal(t, "Lifeboat.txt", s.Package(t, p.ID).Items[0].Name)
	assert.Equal(t, "third cut", take())
}

func TestFormatsOfOneThingAreShownAndTakenAsOne(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	_, films := project(t, s)
	jpg, heic := put(t, s, films, "shot.jpg", "not really"), put(t, s, films, "Shot.heic", "neither")
	other := put(t, s, films, "other.txt", "x")
	require.Len(t, look(t, s, jpg).Twins, 1, "names match, so it is offered")
	s.Do(t, "POST", "/things/"+jpg+"/renditions", map[string]any{"items": []string{heic}}, nil)
	assert.Equal(t, []string{"other.txt", "shot.jpg"}, gather(t, s, in(films)).names())
	x := look(t, s, jpg)
	assert.Equal(t, 1, x.Renditions)
	assert.Equal(t, "Shot.heic", x.Formats[0].Name)
	assert.Empty(t, x.Twins)
	var p apptest.Package
	s.Do(t, "POST", "/things/pack", selection(jpg), &p)
	assert.Len(t, p.Items, 2, "packed together")
	assert.ElementsMatch(t, []string{"shot.jpg", "Shot.heic"}, takeZip(t, s, selection(jpg)))
	refused(t, s, "POST", "/things/"+heic+"/renditions", map[string]any{"items": []string{other}}, "is_rendition")
	s.Do(t, "POST", "/things/"+heic+"/part", nil, nil)
	assert.Len(t, gather(t, s, in(films)).Things, 3)
}

func TestARecipientSeesFormatsAsOneThing(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	_, films := project(t, s)
	jpg, heic := put(t, s, films, "shot.jpg", "not really"), put(t, s, films, "Shot.heic", "neither")
	other := put(t, s, films, "other.txt", "x")
	s.Do(t, "POST", "/things/"+jpg+"/renditions", map[string]any{"items": []string{heic}}, nil)
	var p apptest.Package
	s.Do(t, "POST", "/things/pack", selection(jpg, other), &p)
	s.Do(t, "POST", "/packages/"+p.ID+"/recipients", map[string]any{"address": "hanne@kelpwick.example", "rights": []string{"see", "take"}},
		nil)
	p = s.Send(t, p)
	hanne := p.Recipients[0]
	type page struct {
		Archive string
		Items   []struct{ ID, Name, Lead string }
	}
	open := func() (v page) {
		require.NoError(t, s.Guest().Do(t.Context(), "GET", hanne.API(), nil, &v))
		return v
	}
	before := open()
	leads := map[string]string{}
	for _, i := range before.Items {
		leads[i.Name] = i.Lead
	}
	lead := before.Items[0].ID
	assert.Equal(t, map[string]string{"shot.jpg": "", "Shot.heic": lead, "other.txt": ""}, leads)
	assert.ElementsMatch(t, []string{"shot.jpg", "Shot.heic"}, zipNames(t, s.Get(t, before.Archive+"&only="+lead+","+before.Items[1].ID)),
		"taken together")

	s.Do(t, "DELETE", "/items/"+lead, nil, nil)
	for _, i := range open().Items {
		assert.Empty(t, i.Lead, "%s stands for itself once what stood for it is withdrawn", i.Name)
	}
}

// takeZip takes a selection as one ZIP and returns its names.
func takeZip(t *testing.T, s *apptest.Studio, sel map[string]any) []string {
	t.Helper()
	var made struct{ Address, Name string }
	s.Do(t, "POST", "/things/select", sel, &made)
	return zipNames(t, s.Get(t, made.Address, "Authorization: Bearer "+s.Owner.Token))
}

// zipNames reads an answer as a ZIP, every sum in it too, and returns its names.
func zipNames(t *testing.T, answer apptest.Answer) (names []string) {
	t.Helper()
	require.Equal(t, http.StatusOK, answer.StatusCode)
	z, err := zip.NewReader(bytes.NewReader(answer.Body), int64(len(answer.Body)))
	require.NoError(t, err)
	for _, f := range z.File {
		r, err := f.Open()
		require.NoError(t, err)
		_, err = new(bytes.Buffer).ReadFrom(r) // checks the sum
		require.NoError(t, err)
		names = append(names, f.Name)
	}
	return names
}

func TestLinksSwatchesAndSheetsAreDeliveredToo(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	_, films := project(t, s)
	made := map[string]string{}
	for kind, data := range map[string]map[string]string{
		"link": {"url": "replay.kelpwick.example/launch"}, "swatch": {"colour": "rgb(102 51 153)"},
		"sheet": {"text": "# Hi <script>alert(1)</script>\n\n- [x] done\n- [ ] [go](javascript:alert(1))\n\n![p](https://spy.example/p.png)"},
	} {
		var x thing
		s.Do(t, "POST", "/places/"+films+"/things", map[string]any{"kind": kind, "name": "A " + kind, "data": data}, &x)
		made[kind] = x.ID
	}
	assert.Equal(t, "#663399", look(t, s, made["swatch"]).Swatch.Hex)
	html := look(t, s, made["sheet"]).HTML
	assert.Contains(t, html, `<input checked="" disabled="" type="checkbox" data-task="`)
	for _, bad := range []string{"<script", "javascript:", "<img", "spy.example"} {
		assert.NotContains(t, html, bad)
	}
	refused(t, s, "PATCH", "/things/"+made["link"], map[string]any{"data": map[string]string{"url": "javascript:alert(1)"}}, "invalid")
	refused(t, s, "PATCH", "/things/"+made["swatch"], map[string]any{"data": map[string]string{"colour": "puce"}}, "invalid")

	// A picture of one's own on a link stays when its address changes; what it said before is a version.
	picture := filepath.Join(t.TempDir(), "p.png")
	tool(t, "vips", "black", picture, "600", "400", "--bands", "3")
	_, err := s.Owner.UploadAs(t.Context(), picture, map[string]string{"item": made["link"], "picture": "yes", "filename": "p.png"})
	require.NoError(t, err)
	apptest.Eventually(t, "the link has its picture", func() bool { return slices.Contains(look(t, s, made["link"]).Made, "poster") })
	s.Do(t, "PATCH", "/things/"+made["link"], map[string]any{"data": map[string]string{"url": "https://replay.kelpwick.example/second"}}, nil)
	link := look(t, s, made["link"])
	assert.Len(t, link.All, 2)
	assert.Contains(t, link.Made, "poster")

	var p apptest.Package
	s.Do(t, "POST", "/things/pack", selection(made["link"], made["swatch"], made["sheet"]), &p)
	var line apptest.Person
	s.Do(t, "POST", "/packages/"+p.ID+"/recipients", map[string]any{"address": "hanne@kelpwick.example", "rights": []string{"see", "take"}},
		&line)
	s.Send(t, p)
	var page struct {
		Archive string
		Items   []struct {
			Name, Title, Kind, HTML string
			Data                    struct{ URL string }
			Swatch                  *struct{ Hex string }
		}
	}
	require.NoError(t, s.Guest().Do(t.Context(), "GET", line.API(), nil, &page))
	require.Len(t, page.Items, 3)
	assert.Equal(t, "https://replay.kelpwick.example/second", page.Items[0].Data.URL)
	assert.Equal(t, "#663399", page.Items[1].Swatch.Hex)
	assert.Contains(t, page.Items[2].HTML, "checkbox")
	zipped := s.Get(t, page.Archive)
	z, err := zip.NewReader(bytes.NewReader(zipped.Body), int64(len(zipped.Body)))
	require.NoError(t, err)
	assert.Equal(t, []string{"A link.url", "A swatch.txt", "A sheet.md"}, []string{z.File[0].Name, z.File[1].Name, z.File[2].Name})
}

func TestWhatIsDeletedComesBackWhereItWas(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	client, films := project(t, s)
	stills := newPlace(t, s, films, "Stills")
	a, b := put(t, s, stills, "a.txt", "a"), put(t, s, films, "b.txt", "b")
	var first, second struct{ ID, Name string }
	s.Do(t, "POST", "/things/delete", selection(a), &first)
	s.Do(t, "POST", "/things/delete", map[string]any{"items": []string{b}, "places": []string{stills}}, &second)
	assert.Equal(t, "Stills and 1 more", second.Name)
	assert.Empty(t, gather(t, s, in(films)).names())
	assert.Empty(t, gather(t, s, "view=below&find=txt").names())
	refused(t, s, "POST", "/let-go/"+first.ID+"/restore", nil, "parent_let_go")
	refused(t, s, "POST", "/things/pack", selection(b), "selection_changed")
	newPlace(t, s, films, "Stills") // the name is given away meanwhile
	s.Do(t, "POST", "/let-go/"+second.ID+"/restore", nil, nil)
	names := gather(t, s, in(films)).names()
	require.Len(t, names, 3)
	assert.Equal(t, "b.txt", names[2])
	s.Do(t, "POST", "/let-go/"+first.ID+"/restore", nil, nil)
	assert.Equal(t, []string{"a.txt"}, gather(t, s, in(stills)).names())

	var whole struct{ ID string }
	s.Do(t, "POST", "/things/delete", map[string]any{"items": []string{}, "places": []string{client}}, &whole)
	assert.Empty(t, gather(t, s, "").names())
	s.Do(t, "DELETE", "/let-go/"+whole.ID, nil, nil)
	refused(t, s, "POST", "/let-go/"+whole.ID+"/restore", nil, "not_found")
}

func TestTheBinSaysWhatLiesInItAndLetsItGo(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	_, films := project(t, s)
	a, b := put(t, s, films, "a.txt", "one"), put(t, s, films, "b.txt", "three")
	type deletion struct {
		ID, Name, Who string
		Items         int
		Size          int64
		At, Until     time.Time
	}
	letGo := func() (list []deletion) {
		s.Do(t, "GET", "/let-go", nil, &list)
		return list
	}
	s.Do(t, "POST", "/things/delete", selection(a, b), nil)
	list := letGo()
	require.Len(t, list, 1, "what was deleted together lies together")
	assert.Equal(t, "Marit Oyelaran", list[0].Who)
	assert.Equal(t, 2, list[0].Items)
	assert.EqualValues(t, 8, list[0].Size)
	assert.InDelta(t, 30*24, list[0].Until.Sub(list[0].At).Hours(), 0.1)
	refused(t, s, "POST", "/let-go/nothing/restore", nil, "not_found")
	s.Do(t, "DELETE", "/let-go/"+list[0].ID, nil, nil)
	assert.Empty(t, letGo())
	refused(t, s, "POST", "/let-go/"+list[0].ID+"/restore", nil, "not_found")
}

func TestThirtyDaysInTheBinAreTheEndUnlessAPackageHoldsTheBytes(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	_, films := project(t, s)
	held, gone, deleted := put(t, s, films, "held.txt", "held by a package"), put(t, s, films, "gone.txt", "held by nothing"),
		put(t, s, films, "young.txt", "deleted today")
	var p apptest.Package
	s.Do(t, "POST", "/things/pack", selection(held), &p)
	var old struct{ ID string }
	s.Do(t, "POST", "/things/delete", selection(held, gone), &old)
	s.Do(t, "POST", "/things/delete", selection(deleted), nil)
	pool := s.App.Store.Pool()
	exec := func(sql string, args ...any) {
		_, err := pool.Exec(t.Context(), sql, args...)
		require.NoError(t, err)
	}
	exec("update let_go set at = now() - interval '31 days' where id = $1", old.ID)
	for range 2 { // marked, then deleted
		exec("update blob set created_at = created_at - interval '2 hours', marked_at = marked_at - interval '2 hours'")
		require.NoError(t, s.App.Keep.Clear(t.Context()))
	}
	kept := map[string]bool{}
	rows, err := pool.Query(t.Context(), "select v.file_name, b.deleted_at is null from version v join blob b on b.id = v.blob_id")
	require.NoError(t, err)
	for rows.Next() {
		var name string
		var there bool
		require.NoError(t, rows.Scan(&name, &there))
		kept[name] = there
	}
	require.NoError(t, rows.Err())
	assert.Equal(t, map[string]bool{"held.txt": true, "gone.txt": false, "young.txt": true}, kept)
}

func TestTheSameBytesAreKeptOnce(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	_, films := project(t, s)
	content := strings.Repeat("the very same bytes ", 5000)
	a, b := put(t, s, films, "a.txt", content), put(t, s, films, "b.txt", content)
	c := put(t, s, films, "c.txt", content[1:])
	blobs := func() (n int) {
		require.NoError(t, s.App.Store.Pool().QueryRow(t.Context(), "select count(distinct blob_id) from version where item_id = any($1)",
			[]string{a, b, c}).Scan(&n))
		return n
	}
	apptest.Eventually(t, "two things share one blob", func() bool { return blobs() == 2 })
	for _, id := range []string{a, b} {
		answer := s.Get(t, "/api/v1/versions/"+look(t, s, id).Version+"/original", "Authorization: Bearer "+s.Owner.Token)
		assert.Equal(t, content, string(answer.Body))
	}
}

func TestCopiesReferToTheSameBytes(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	client, films := project(t, s)
	stills := newPlace(t, s, films, "Stills")
	newPlace(t, s, stills, "Raw")
	item := put(t, s, stills, "a.txt", "one", "tags", "x")
	target := newPlace(t, s, client, "Exhibition")
	s.Do(t, "POST", "/things/copy", map[string]any{"items": []string{item}, "places": []string{stills}, "to": target}, nil)
	assert.Equal(t, []string{"Stills/", "a.txt"}, gather(t, s, in(target)).names())
	assert.Equal(t, []string{"Raw/", "a.txt"}, gather(t, s, in(gather(t, s, in(target)).Places[0].ID)).names())
	s.Do(t, "POST", "/things/copy", map[string]any{"items": []string{item}, "places": []string{}, "to": stills}, nil)
	assert.Equal(t, []string{"Raw/", "a 2.txt", "a.txt"}, gather(t, s, in(stills)).names())
	assert.Equal(t, []string{"x"}, gather(t, s, in(target)).Things[0].Tags)
	var n int
	require.NoError(t, s.App.Store.Pool().QueryRow(t.Context(), "select count(distinct blob_id) from version").Scan(&n))
	assert.Equal(t, 1, n)
}

func TestTheFirstOfASeriesMayHaveNoNumber(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	_, films := project(t, s)
	teaser := put(t, s, films, "teaser.txt", "first")
	var offers []struct{ Kind, Item string }
	s.Do(t, "POST", "/places/"+films+"/offers", map[string]any{"files": []map[string]any{
		{"name": "Teaser_v02.txt", "size": 5}, {"name": "teaser_v01.txt", "size": 5}}}, &offers)
	require.Len(t, offers, 1, "a first version is no later one")
	assert.Equal(t, "version", offers[0].Kind)
	assert.Equal(t, teaser, offers[0].Item)
}

func TestBulkTagsStarsAndFoldersInAZip(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	_, films := project(t, s)
	stills := newPlace(t, s, films, "Stills")
	a, b := put(t, s, stills, "a.txt", "a"), put(t, s, films, "b.txt", "b")
	s.Do(t, "POST", "/things/tag", map[string]any{"items": []string{a, b}, "add": []string{" night ", "mix, final", "night"}}, nil)
	assert.Equal(t, []string{"night", "mix final"}, look(t, s, a).Tags)
	s.Do(t, "POST", "/things/tag", map[string]any{"items": []string{a}, "remove": []string{"night"}}, nil)
	var tags []struct {
		Name  string
		Count int
	}
	s.Do(t, "GET", "/tags", nil, &tags)
	assert.Equal(t, "mix final", tags[0].Name)
	assert.Equal(t, 2, tags[0].Count)
	s.Do(t, "POST", "/things/at-hand", map[string]any{"items": []string{b}, "places": []string{stills}, "on": true}, nil)
	assert.Equal(t, []string{"Stills/", "b.txt"}, gather(t, s, "view=at_hand").names())
	other := newPlace(t, s, "", "Sirius Radio")
	assert.Empty(t, gather(t, s, "view=at_hand&place="+other).names(), "narrowed to one client")
	assert.Equal(t, []string{"b.txt"}, gather(t, s, "view=at_hand&place="+films).names()[1:])
	assert.ElementsMatch(t, []string{"b.txt", "Stills/a.txt"}, takeZip(t, s, map[string]any{"items": []string{b}, "places": []string{stills}}))
	var p apptest.Package
	s.Do(t, "POST", "/things/pack", map[string]any{"items": []string{}, "places": []string{stills}}, &p)
	assert.Equal(t, "Stills", p.Title)
	s.Do(t, "POST", "/things/pack", map[string]any{"items": []string{a, b}, "places": []string{}, "package": p.ID}, &p)
	assert.Len(t, p.Items, 2, "what is in it already is not put in twice")
}

func TestPreflightLooksAtASelectionAndAtAPackage(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	_, films := project(t, s)
	a, b := put(t, s, films, "aux.txt", "same"), put(t, s, films, "b.txt", "same")
	empty := put(t, s, films, "c.txt", "")
	var found []struct{ Code, Why, Do string }
	s.Do(t, "POST", "/things/preflight", selection(a, b, empty), &found)
	var got []string
	for _, f := range found {
		got = append(got, f.Code)
	}
	assert.ElementsMatch(t, []string{"name", "doubled", "empty"}, got)
	var p apptest.Package
	s.Do(t, "POST", "/things/pack", selection(empty), &p)
	s.Do(t, "GET", "/packages/"+p.ID+"/preflight", nil, &found)
	require.Len(t, found, 1)
	assert.Equal(t, "empty", found[0].Code)
}

func TestStorageTellsWhatTakesIt(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	_, films := project(t, s)
	item := put(t, s, films, "a.bin", strings.Repeat("\x00\x01", 500))
	put(t, s, "", "a2.bin", strings.Repeat("\x02\x03", 700), "item", item)
	s.Pack(t, []string{apptest.File(t, "loose.bin", 3000)}, nil)
	gone := put(t, s, films, "b.bin", strings.Repeat("\x04\x05", 1000))
	s.Do(t, "POST", "/things/delete", selection(gone), nil)
	var space struct {
		Used, Quota, Current, Older, Packages int64
		LetGo                                 int64 `json:"let_go"`
		Places                                []struct {
			Name  string
			Count int64
		}
	}
	s.Do(t, "GET", "/space", nil, &space)
	assert.Equal(t, []int64{1400, 1000, 3000, 2000}, []int64{space.Current, space.Older, space.Packages, space.LetGo})
	assert.Equal(t, "Kelpwick Harbour Museum", space.Places[0].Name)
	_, err := s.App.Store.Pool().Exec(t.Context(), "update studio set quota_bytes = $1", space.Used+100)
	require.NoError(t, err)
	_, err = s.Owner.BeginUpload(t.Context(), map[string]string{"place": films, "filename": "big.bin"}, 101)
	assert.ErrorContains(t, err, "no_space", "refused before it starts")
	_, err = s.Owner.BeginUpload(t.Context(), map[string]string{"place": films, "filename": "small.bin"}, 99)
	assert.NoError(t, err)
}

// zipFile makes an archive; a name that ends in a slash is a folder.
func zipFile(t *testing.T, entries map[string]string) []byte {
	t.Helper()
	var out bytes.Buffer
	z := zip.NewWriter(&out)
	names := make([]string, 0, len(entries))
	for name := range entries {
		names = append(names, name)
	}
	slices.Sort(names)
	for _, name := range names {
		w, err := z.Create(name)
		require.NoError(t, err)
		_, err = w.Write([]byte(entries[name]))
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	return out.Bytes()
}

func TestAnArchiveShowsItsContentsAndGivesSingleEntries(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	_, films := project(t, s)
	text := strings.Repeat("the gust had passed\n", 4000)
	raw := zipFile(t, map[string]string{"Print/": "", "Print/read me.txt": text, "Print/page.html": "<script>alert(1)</script>",
		"../../outside.txt": "strays", "empty.txt": ""})
	item := put(t, s, films, "all.zip", string(raw))
	apptest.Eventually(t, "it is counted", func() bool { return look(t, s, item).Shape == "4 files" })
	type listing struct {
		Entries []struct {
			Index            int
			Path, Take, Show string
			Folder, Strays   bool
			Size             int64
		}
		Problem string
	}
	var list listing
	s.Do(t, "GET", "/versions/"+look(t, s, item).Version+"/entries", nil, &list)
	require.Len(t, list.Entries, 4)
	byPath := map[string]int{}
	for i, e := range list.Entries {
		byPath[e.Path] = i
	}
	assert.True(t, list.Entries[byPath["outside.txt"]].Strays, "its name leads nowhere")
	entry := list.Entries[byPath["Print/read me.txt"]]
	answer := s.Get(t, entry.Take, "Authorization: Bearer "+s.Owner.Token)
	assert.Equal(t, text, string(answer.Body))
	assert.Contains(t, answer.Header.Get("Content-Disposition"), "attachment")
	page := s.Get(t, list.Entries[byPath["Print/page.html"]].Take+"?show", "Authorization: Bearer "+s.Owner.Token)
	assert.Equal(t, "text/plain; charset=utf-8", page.Header.Get("Content-Type"), "never as a page of ours")
	assert.Contains(t, page.Header.Get("Content-Security-Policy"), "sandbox")

	// In a package: who may see gets the list, who may take gets entries, and their packed bytes count.
	var p apptest.Package
	s.Do(t, "POST", "/things/pack", selection(item), &p)
	people := map[string]apptest.Person{}
	for name, rights := range map[string][]string{"hanne": {"see", "take"}, "tomos": {"see"}} {
		var line apptest.Person
		s.Do(t, "POST", "/packages/"+p.ID+"/recipients", map[string]any{"address": name + "@kelpwick.example", "rights": rights}, &line)
		people[name] = line
	}
	p = s.Send(t, p)
	require.NoError(t, s.Guest().Do(t.Context(), "GET", people["tomos"].API()+"/items/"+p.Items[0].ID+"/entries", nil, &list))
	assert.Empty(t, list.Entries[byPath["Print/read me.txt"]].Take)
	require.NoError(t, s.Guest().Do(t.Context(), "GET", people["hanne"].API()+"/items/"+p.Items[0].ID+"/entries", nil, &list))
	taken := list.Entries[byPath["Print/read me.txt"]].Take
	assert.Equal(t, text, string(s.Get(t, taken).Body))
	stolen := strings.Replace(taken, people["hanne"].Token(), people["tomos"].Token(), 1)
	assert.NotEqual(t, http.StatusOK, s.Get(t, stolen).StatusCode)
	for _, row := range s.Ledger(t, p.ID) {
		if row.ID == people["tomos"].ID {
			assert.Zero(t, row.Cells0())
		} else {
			assert.Positive(t, row.Cells0())
			assert.Less(t, row.Cells0(), int64(len(raw)), "the packed bytes of one entry, not more")
		}
	}
}

func TestALargeArchiveIsListedFolderByFolder(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	_, films := project(t, s)
	entries := map[string]string{"read me.txt": "x"}
	for i := range 1200 {
		entries[fmt.Sprintf("Stills/%04d.txt", i)] = "x"
	}
	item := put(t, s, films, "all.zip", string(zipFile(t, entries)))
	address := "/versions/" + look(t, s, item).Version + "/entries"
	type listing struct {
		Files, Here, Next int
		Whole             bool
		Folders           []struct{ Path string }
		Entries           []struct{ Path string }
	}
	var top listing
	s.Do(t, "GET", address, nil, &top)
	assert.Equal(t, listing{Files: 1201, Here: 1, Folders: []struct{ Path string }{{"Stills"}}, Entries: []struct{ Path string }{{"read me.txt"}}}, top)
	for after, want := range map[int]int{0: 500, 500: 500, 1000: 200} {
		var page listing
		s.Do(t, "GET", fmt.Sprintf("%s?folder=Stills&after=%d", address, after), nil, &page)
		require.Len(t, page.Entries, want)
		assert.Equal(t, fmt.Sprintf("Stills/%04d.txt", after), page.Entries[0].Path)
		assert.Equal(t, 1200, page.Here)
		assert.Equal(t, after+500 < 1200, page.Next == after+500)
	}
	answer := s.Get(t, "/api/v1"+address+"?folder=nowhere", "Authorization: Bearer "+s.Owner.Token)
	assert.Equal(t, http.StatusNotFound, answer.StatusCode)
}

func TestBadFilesHaveAClearStateAndAreDelivered(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	_, films := project(t, s)
	items := map[string]string{}
	for name, content := range map[string]string{
		"empty.mov": "", "one byte.wav": "R", "torn.mov": "\x00\x00\x00\x14ftypqt  \x20\x05\x03\x00qt  \x00\x00\x00\x08wide",
		"torn.jpg": "\xff\xd8\xff\xe0\x00\x10JFIF", "torn.zip": "PK\x03\x04\x14\x00\x00\x00",
		"torn.pdf": "%PDF-1.4\nnothing", "torn.ttf": "\x00\x01\x00\x00\x00",
		"bomb.svg": `<svg xmlns="http://www.w3.org/2000/svg" width="1e9" height="1e9"><rect width="1e9" height="1e9"/></svg>`,
	} {
		items[name] = put(t, s, films, name, content)
	}
	for name, id := range items {
		apptest.Eventually(t, name+" has a state", func() bool {
			x := look(t, s, id)
			return x.MediaState != "waiting" && x.MediaState != "working"
		})
		x := look(t, s, id)
		if x.MediaState == "failed" {
			assert.NotEmpty(t, x.MediaError, name)
			assert.NotContains(t, x.MediaError, s.Blobs, "no path of this machine is told")
		}
		answer := s.Get(t, "/api/v1/versions/"+x.Version+"/original", "Authorization: Bearer "+s.Owner.Token)
		assert.Equal(t, http.StatusOK, answer.StatusCode, name)
		assert.EqualValues(t, x.Size, len(answer.Body), name)
	}
	assert.Equal(t, "failed", look(t, s, items["torn.jpg"]).MediaState)
	s.Do(t, "POST", "/versions/"+look(t, s, items["torn.jpg"]).Version+"/media", map[string]any{}, nil) // tried again by hand
	apptest.Eventually(t, "tried again", func() bool { return look(t, s, items["torn.jpg"]).MediaState == "failed" })
}

func TestAStudioSeesNothingOfAnother(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg)
	_, films := project(t, s)
	item := put(t, s, films, "a.txt", "a")
	for _, path := range []string{"/gather?" + in(films), "/things/" + item, "/api/none"} {
		answer := s.Get(t, "/api/v1"+path)
		assert.NotEqual(t, http.StatusOK, answer.StatusCode, fmt.Sprint("without signing in: ", path))
	}
	foreign := strings.Repeat("0", 24)
	refused(t, s, "GET", "/things/"+foreign, nil, "not_found")
	refused(t, s, "GET", "/gather?"+in(foreign), nil, "not_found")
	refused(t, s, "POST", "/things/tag", map[string]any{"items": []string{foreign}, "add": []string{"x"}}, "selection_changed")
	assert.Equal(t, http.StatusNotFound, s.Get(t, "/api/v1/zip/"+foreign+"/x.zip", "Authorization: Bearer "+s.Owner.Token).StatusCode)
}

func tool(t *testing.T, name string, args ...string) {
	t.Helper()
	out, err := exec.Command(name, args...).CombinedOutput()
	require.NoError(t, err, "%s: %s", name, out)
}
