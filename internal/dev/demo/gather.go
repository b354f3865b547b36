package demo

import (
	"archive/zip"
	"context"
	"fmt"
	"io"
	"os"
	"path/filepath"
)

// extras makes the things that are no films, sounds or photographs.
func (m *maker) extras() {
	// A phone's picture of a still, as another format of it.
	m.once("harbour_01.heic", func(file string) error {
		return m.run("vips", "copy", m.path("Stills/harbour_01.jpg"), file)
	})
	m.layer("layers/label", document(1600, 1000,
		`<rect width="1600" height="1000" fill="#f5f2ea"/><circle cx="800" cy="430" r="260" fill="#9c3325"/><path d="M540 470 q130 -60 260 0 t260 0 v230 h-520z" fill="#35618e"/><rect x="300" y="780" width="1000" height="6" fill="#1d2b2f"/><rect x="300" y="820" width="640" height="60" fill="#1d2b2f"/>`))
	m.once("Glaze label.psd", func(file string) error {
		return m.run("vips", "magicksave", m.path("layers/label.png"), file, "--format", "PSD")
	})
	m.text("Wheel mark.svg", document(600, 600,
		`<circle cx="300" cy="300" r="240" fill="none" stroke="#14594a" stroke-width="42"/><path d="M300 70 v460 M70 300 h460 M137 137 l326 326 M463 137 l-326 326" stroke="#14594a" stroke-width="16"/><circle cx="300" cy="300" r="46" fill="#14594a"/>`))
	m.once("Label Mono.ttf", func(file string) error { return copyFile(timecodeFont, file) })
	m.text("Script, English.md", script)
	m.once("Everything for print.zip", m.pack)
}

const script = `# Audio guide, stop 1

You stand where the lifeboat was launched for sixty-one years. Listen: the
slipway is still wet.

- [ ] read aloud by the translator
- [x] names checked with the museum
`

func copyFile(from, to string) error {
	in, err := os.Open(from)
	if err != nil {
		return err
	}
	defer in.Close()
	out, err := os.Create(to)
	if err != nil {
		return err
	}
	if _, err := io.Copy(out, in); err != nil {
		_ = out.Close()
		return err
	}
	return out.Close()
}

// pack makes an archive as people send them: folders, pictures, a text.
func (m *maker) pack(file string) error {
	out, err := os.Create(file)
	if err != nil {
		return err
	}
	defer out.Close()
	z := zip.NewWriter(out)
	for name, from := range map[string]string{
		"Print/Stills/harbour_01.jpg": "Stills/harbour_01.jpg", "Print/Stills/harbour_04.jpg": "Stills/harbour_04.jpg",
		"Print/Poster, quay.jpg": "Poster, quay.jpg", "Print/Read me.md": "Script, English.md", "Print/Credits.pdf": "Credits.pdf",
	} {
		w, err := z.Create(name)
		if err != nil {
			return err
		}
		content, err := os.ReadFile(m.path(from))
		if err != nil {
			return err
		}
		if _, err := w.Write(content); err != nil {
			return err
		}
	}
	return z.Close()
}

// A shelf is a project or folder of the sample studio with what lies in it.
type shelf struct {
	client, project, folder string
	files                   []string // paths in the folder of media
	tags                    []string
}

func shelves() []shelf {
	stills := []string{"Stills/harbour_01.jpg", "Stills/harbour_02.jpg", "Stills/harbour_03.jpg", "Stills/harbour_04.jpg",
		"Stills/harbour_05.jpg", "Stills/harbour_06.jpg", "harbour_01.heic"}
	return []shelf{
		{"Kelpwick Harbour Museum", "Lifeboat films", "", []string{"Lifeboat, cut 2.mov", "Teaser 0_30.mov", "Credits.pdf"}, nil},
		{"Kelpwick Harbour Museum", "Lifeboat films", "Stills", stills, []string{"exhibition"}},
		{"Kelpwick Harbour Museum", "Lifeboat films", "Sound, not mixed", nil, nil},
		{"Kelpwick Harbour Museum", "Audio guide", "", []string{"guide_en.wav", "guide_cy.wav", "guide_fr.wav", "Script, English.md"},
			[]string{"audio guide"}},
		{"Brindlefen Ceramics", "Glaze, product film", "", []string{"Glaze, product film.mov", "Glaze, 0_15.mov", "Glaze label.psd",
			"Label Mono.ttf", "Everything for print.zip"}, nil},
		{"Brindlefen Ceramics", "Glaze, product film", "Stems", []string{"stem_drums.wav", "stem_bass.wav", "stem_keys.wav", "stem_voice.wav"},
			[]string{"stems"}},
		{"Northmoor Cycle Week", "Teaser and posters", "", []string{"Teaser, vertical.mov", "Poster, quay.jpg", "Poster, hill.jpg",
			"Wheel mark.svg"}, nil},
	}
}

// A sampleThing is a link, swatch or sheet of the sample studio.
type sampleThing struct {
	place, kind, name string
	data              map[string]string
}

func sampleThings() []sampleThing {
	return []sampleThing{
		{"Lifeboat films", "link", "Replay of the launch", map[string]string{"url": "https://replay.kelpwick.example/launch"}},
		{"Lifeboat films", "sheet", "Hand-off, cut 4",
			map[string]string{"text": "# Hand-off, cut 4\n\nThe flag is mirrored, the music sits under the voice.\n\n- [x] picture lock\n- [x] captions, English and Welsh\n- [ ] sign-off by the museum\n- [ ] master to the archive\n"}},
		{"Glaze, product film", "sheet", "Read this first",
			map[string]string{"text": "# What goes where\n\n| thing | for |\n|---|---|\n| Glaze label | print, four colours |\n| Label Mono | captions only |\n\n- [ ] check the red on paper\n- [ ] send the proof back by Friday\n"}},
		{"Glaze, product film", "swatch", "Lantern red", map[string]string{"colour": "#9C3325"}},
		{"Glaze, product film", "swatch", "Harbour slate", map[string]string{"colour": "#35618E"}},
	}
}

// gather fills the places of the sample studio through its API and returns the
// items by their names.
func gather(ctx context.Context, owner *Client, media string) (map[string]string, error) {
	places, items := map[string]string{}, map[string]string{}
	place := func(parent, name string) (string, error) {
		key := parent + "/" + name
		if places[key] != "" {
			return places[key], nil
		}
		var made struct{ ID string }
		err := owner.Do(ctx, "POST", "/api/v1/places", map[string]any{"parent": parent, "name": name}, &made)
		places[key] = made.ID
		return made.ID, err
	}
	projects := map[string]string{}
	for _, s := range shelves() {
		client, err := place("", s.client)
		if err != nil {
			return nil, err
		}
		at, err := place(client, s.project)
		if err != nil {
			return nil, err
		}
		projects[s.project] = at
		if s.folder != "" {
			if at, err = place(at, s.folder); err != nil {
				return nil, err
			}
		}
		for _, file := range s.files {
			meta := map[string]string{"place": at, "filename": filepath.Base(file)}
			if len(s.tags) > 0 {
				meta["tags"] = s.tags[0]
			}
			if items[filepath.Base(file)], err = owner.UploadAs(ctx, filepath.Join(media, file), meta); err != nil {
				return nil, err
			}
		}
	}
	// Cut 3 is the next version of cut 2, and takes its place.
	cut := items["Lifeboat, cut 2.mov"]
	if _, err := owner.UploadAs(ctx, filepath.Join(media, "Lifeboat, cut 3.mov"), map[string]string{"item": cut,
		"filename": "Lifeboat, cut 3.mov"}); err != nil {
		return nil, err
	}
	items["Lifeboat, cut 3.mov"] = cut
	for _, t := range sampleThings() {
		var made struct{ ID string }
		if err := owner.Do(ctx, "POST", "/api/v1/places/"+projects[t.place]+"/things", map[string]any{"kind": t.kind, "name": t.name,
			"data": t.data}, &made); err != nil {
			return nil, err
		}
		items[t.name] = made.ID
	}
	// A bare link has no picture, so it is given one.
	if _, err := owner.UploadAs(ctx, filepath.Join(media, "Stills/harbour_05.jpg"), map[string]string{"item": items["Replay of the launch"],
		"picture": "yes", "filename": "launch.jpg"}); err != nil {
		return nil, err
	}
	if err := describe(ctx, owner, places, projects, cut); err != nil {
		return nil, err
	}
	for _, act := range []struct {
		path string
		body map[string]any
	}{
		{"/api/v1/things/" + items["harbour_01.jpg"] + "/renditions", map[string]any{"items": []string{items["harbour_01.heic"]}}},
		{"/api/v1/things/tag", map[string]any{"items": []string{cut, items["Teaser 0_30.mov"]}, "add": []string{"for review"}}},
		{"/api/v1/things/at-hand", map[string]any{"items": []string{cut, items["guide_en.wav"]}, "places": []string{projects["Lifeboat films"]},
			"on": true}},
	} {
		if err := owner.Do(ctx, "POST", act.path, act.body, nil); err != nil {
			return nil, err
		}
	}
	return items, nil
}

// describe says in a line each what some places and a film are.
func describe(ctx context.Context, owner *Client, clients, projects map[string]string, cut string) error {
	for address, about := range map[string]string{
		"places/" + clients["/Kelpwick Harbour Museum"]: "A lifeboat restored: films, audio guide, exhibition",
		"places/" + clients["/Brindlefen Ceramics"]:     "Product film and what is cut from it",
		"places/" + clients["/Northmoor Cycle Week"]:    "Teaser and posters for the week in June",
		"places/" + projects["Lifeboat films"]:          "Seven short films, one a month",
		"places/" + projects["Audio guide"]:             "English, Welsh, French",
		"things/" + cut:                                 "For the trustees; their names are still missing",
	} {
		if err := owner.Do(ctx, "PATCH", "/api/v1/"+address, map[string]any{"about": about}, nil); err != nil {
			return fmt.Errorf("describe %s: %w", address, err)
		}
	}
	return nil
}
