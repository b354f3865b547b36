package demo

import (
	"context"
	"fmt"
	"strings"
	"time"

	"aftergust/core/time/timecode"

	"github.com/jackc/pgx/v5/pgxpool"
)

// A person on a waybill of the demo, and what they have done so far.
type guest struct {
	name, email, zone string
	rights            []string
	opened            time.Duration // before now; 0: not yet
	took              string        // "", all, some (part of the first item), first
	tookAt            time.Duration // before now
	played            [][2]int64    // seconds of the first item, in the order in which they did
	link              string
	id                string
}

type sample struct {
	title, letter string
	files         []string
	door, phrase  string
	sent          time.Duration // before now; 0: a draft
	ends          time.Duration // after now
	stopped       bool
	guests        []guest
	notes         []note
	id            string
	headings      map[string]string // over items, by their names
}

type note struct {
	guest  int // index into guests
	item   int
	second int64
	frame  timecode.Frame // added to the second
	rate   timecode.Rate
	text   string
	answer string
	done   bool
}

const (
	hour = time.Hour
	day  = 24 * hour
)

var (
	lookNote     = []string{"see", "note"}
	lookNoteTake = []string{"see", "note", "take"}
	decides      = []string{"see", "note", "take", "sign_off"}
	lookTake     = []string{"see", "take"}
)

func samples() []sample {
	hanne := guest{name: "Hanne Orrick", email: "hanne@kelpwick.example", zone: "Europe/London", rights: decides}
	anstey := guest{name: "P. Anstey", email: "anstey@kelpwick.example", zone: "Europe/London", rights: decides}
	tomos := guest{name: "Tomos Gethin", email: "tomos@gethin.example", zone: "America/New_York", rights: lookNote}
	ines := guest{name: "Ines Corvo", email: "ines@corvo.example", zone: "Europe/Lisbon", rights: lookTake}
	bram := guest{name: "Bram Ledwick", email: "bram@brindlefen.example", zone: "Europe/London", rights: lookNoteTake}
	oda := guest{name: "Oda Ferris", email: "oda@northmoor.example", zone: "Europe/London", rights: lookNoteTake}
	did := func(g guest, opened time.Duration, took string, at time.Duration, played ...[2]int64) guest {
		g.opened, g.took, g.tookAt, g.played = opened, took, at, played
		return g
	}
	stills := []string{"harbour_01.jpg", "harbour_02.jpg", "harbour_03.jpg", "harbour_04.jpg", "harbour_05.jpg", "harbour_06.jpg"}
	return []sample{
		{title: "Lifeboat, cut 4", letter: "Fourth cut: the flag is on the right side now, and the music sits under the voice.", door: "named",
			files:    []string{"Lifeboat, cut 3.mov", "Teaser, vertical.mov", "harbour_04.jpg", "guide_cy.wav", "Credits.pdf"},
			headings: map[string]string{"Lifeboat, cut 3.mov": "Films", "harbour_04.jpg": "Stills, sound and papers"},
			guests:   []guest{hanne, anstey, tomos}},
		{title: "Poster set", letter: "Two directions for the poster. The quay at night is my favourite.", files: []string{"Poster, quay.jpg",
			"Poster, hill.jpg"},
			door: "named", sent: 18 * hour, ends: 13*day + 14*hour, guests: []guest{did(oda, 0, "", 0),
				{name: "Wil Sandry", email: "wil@northmoor.example", zone: "Europe/London", rights: lookNote}}},
		{title: "Teaser, all ratios", letter: "Final teaser, wide and vertical.", files: []string{"Teaser 0_30.mov", "Teaser, vertical.mov"},
			door: "open", sent: 4*day + 7*hour, ends: 9*day + 16*hour, guests: []guest{did(oda, 4*day, "all", 3*day+15*hour, [2]int64{0, 30}),
				{name: "Wil Sandry", email: "wil@northmoor.example", zone: "Europe/London", rights: lookNoteTake, opened: 3*day + 11*hour, took: "all",
					tookAt: 3*day + 8*hour, played: [][2]int64{{0, 12}}}}},
		{title: "Stems for the mix", letter: "Four stems, 48 kHz, 24 bit. The voice is two seconds shorter on purpose.",
			files: []string{"stem_drums.wav", "stem_bass.wav", "stem_keys.wav", "stem_voice.wav"},
			door:  "open", sent: 8*day + 19*hour, ends: 14*hour + 20*time.Minute, guests: []guest{did(ines, 0, "", 0)}},
		{title: "Product film and cut-down", letter: "The long one and the fifteen seconds. Passphrase as on the phone.",
			files: []string{"Glaze, product film.mov", "Glaze, 0_15.mov"},
			door:  "passphrase", phrase: "slow glaze harbour lamp", sent: 41 * hour, ends: 5*day + 6*hour,
			guests: []guest{did(bram, 30*hour, "all", 17*hour, [2]int64{0, 40}), {name: "Ayla Moran", email: "ayla@brindlefen.example",
				zone: "Europe/Berlin", rights: lookNote}}},
		{title: "Exhibition stills", letter: "Six stills at full size, for print.", files: stills, door: "open", sent: 8 * day, ends: 12 * day,
			guests: []guest{did(hanne, 7*day+20*hour, "all", 7*day+15*hour), did(anstey, 7*day+9*hour, "all", 7*day+6*hour),
				{name: "Museum print room", email: "print@kelpwick.example", zone: "Europe/London", rights: lookTake, opened: 4 * day, took: "all",
					tookAt: 3*day + 12*hour},
				{name: "Nell Tarrow", email: "nell@kelpwick.example", zone: "Europe/London", rights: lookTake},
				did(guest{name: "Board room", email: "board@kelpwick.example", zone: "Europe/London", rights: lookTake}, 2*day, "", 0)}},
		{title: "Audio guide, three languages", letter: "English, Welsh and French, each as one file.", files: []string{"guide_en.wav",
			"guide_cy.wav", "guide_fr.wav"}, door: "open",
			sent: 3 * day, ends: 8*day + 18*hour, guests: []guest{did(hanne, 2*day+14*hour, "all", 2*day+12*hour, [2]int64{0, 60}),
				did(tomos, 30*hour, "", 0, [2]int64{0, 95})}},
		{title: "Lifeboat, cut 3", letter: "Third cut with the new opening. Please look at the launch sequence from 40 seconds; sound is still temporary. Leave notes right on the picture.",
			files: []string{"Lifeboat, cut 3.mov", "Teaser 0_30.mov", "harbour_01.jpg", "harbour_02.jpg", "harbour_03.jpg", "guide_en.wav",
				"guide_cy.wav", "Credits.pdf"},
			door: "open", sent: 5*day + 14*hour, ends: 31*hour + 4*time.Minute,
			guests: []guest{did(hanne, 5*day+8*hour, "all", 5*day+6*hour, [2]int64{0, 52}, [2]int64{38, 47}, [2]int64{39, 75}, [2]int64{10, 18}),
				did(anstey, 4*day+12*hour, "some", 3*hour, [2]int64{0, 21}, [2]int64{12, 26}),
				did(tomos, 26*hour, "", 0, [2]int64{0, 30}, [2]int64{52, 61}, [2]int64{36, 48})},
			notes: []note{
				{0, 0, 14, 7, timecode.Rate25, "The flag is on the wrong side here, it should be starboard.",
					"Right, mirrored in the edit. Fixed in cut 4.", false},
				{0, 0, 41, 12, timecode.Rate25, "Music too loud under the voice.", "", false},
				{1, 0, 52, 0, timecode.Rate25, "Could it stay two seconds longer?", "", false},
				{2, 5, 22, 0, timecode.Rate{}, "The name of the harbour is said too fast.", "", true},
				{0, 1, 9, 29, timecode.Rate2997DF, "Lovely. Keep this one.", "", true},
			}},
		{title: "Brand kit", letter: "Colours, lettering and the label as layers. The sheet says what goes where.",
			files: []string{"Read this first", "Lantern red", "Harbour slate", "Glaze label.psd", "Label Mono.ttf", "Everything for print.zip",
				"Replay of the launch"},
			door: "open", sent: 26 * hour, ends: 20 * day, guests: []guest{did(bram, 20*hour, "", 0)}},
		{title: "Rushes, day 2", letter: "Everything from the slipway.", files: []string{"Teaser, vertical.mov"}, door: "open", sent: 6 * day,
			ends: 3 * day, stopped: true,
			guests: []guest{did(hanne, 5*day, "all", 5*day)}},
		{title: "Lifeboat, cut 2", letter: "Second cut.", files: []string{"Glaze, 0_15.mov"}, door: "open", sent: 12 * day, ends: -2 * day,
			guests: []guest{did(hanne, 11*day, "all", 11*day), did(anstey, 0, "", 0)}},
	}
}

type packageAnswer struct {
	ID    string `json:"id"`
	Items []struct {
		ID         string `json:"id"`
		Name       string `json:"name"`
		MediaState string `json:"media_state"`
		MediaError string `json:"media_error"`
	} `json:"items"`
}

type guestAnswer struct {
	Archive string `json:"archive"`
	Items   []struct {
		ID   string `json:"id"`
		Name string `json:"name"`
		Take string `json:"take"`
		Size int64  `json:"size"`
	} `json:"items"`
}

// named is the id of the item with a name. Other formats of a thing come along
// with it, so places in the list do not say which is which.
func (g guestAnswer) named(name string) string {
	for _, i := range g.Items {
		if i.Name == name {
			return i.ID
		}
	}
	return ""
}

// seed fills the studio through its own API, as a producer and her clients
// would; only the calendar is then set back, so that there is a past to look at.
func seed(ctx context.Context, owner *Client, pool *pgxpool.Pool, media string) ([]sample, error) {
	all := samples()
	items, err := gather(ctx, owner, media)
	if err != nil {
		return nil, fmt.Errorf("gather the sample files: %w", err)
	}
	if err := dress(ctx, owner, media); err != nil {
		return nil, fmt.Errorf("letterheads of the sample studio: %w", err)
	}
	if err := exhibit(ctx, owner, items); err != nil {
		return nil, fmt.Errorf("showings of the sample studio: %w", err)
	}
	for i := range all {
		if err := pack(ctx, owner, &all[i], items); err != nil {
			return nil, fmt.Errorf("sample package %s: %w", all[i].title, err)
		}
	}
	if err := introduce(ctx, owner); err != nil {
		return nil, fmt.Errorf("contact book of the sample studio: %w", err)
	}
	for i := range all {
		if err := waitForMedia(ctx, owner, all[i].id); err != nil {
			return nil, err
		}
	}
	for i := range all {
		if err := receive(ctx, owner, &all[i]); err != nil {
			return nil, fmt.Errorf("recipients of %s: %w", all[i].title, err)
		}
		if all[i].title == "Lifeboat, cut 3" {
			if err := talk(ctx, owner, &all[i], media); err != nil {
				return nil, err
			}
		}
	}
	time.Sleep(1500 * time.Millisecond) // receipts are written about once a second
	for i := range all {
		if all[i].sent == 0 {
			continue
		}
		if err := setBack(ctx, pool, all[i]); err != nil {
			return nil, fmt.Errorf("calendar of %s: %w", all[i].title, err)
		}
		if all[i].stopped {
			if err := owner.Do(ctx, "POST", "/api/v1/packages/"+all[i].id+"/stop", nil, nil); err != nil {
				return nil, err
			}
		}
	}
	return all, nil
}

func pack(ctx context.Context, owner *Client, s *sample, items map[string]string) error {
	var chosen []string
	for _, file := range s.files {
		if items[file] == "" {
			return fmt.Errorf("there is no %s", file)
		}
		chosen = append(chosen, items[file])
	}
	var made packageAnswer
	if err := owner.Do(ctx, "POST", "/api/v1/things/pack", map[string]any{"items": chosen, "places": []string{}}, &made); err != nil {
		return err
	}
	s.id = made.ID
	edit := map[string]any{"title": s.title, "cover_letter": s.letter, "door": s.door, "end_rule": map[string]any{"kind": "after_days",
		"days": 14, "zone": "Europe/London"}}
	if s.phrase != "" {
		edit["passphrase"] = s.phrase
	}
	path := "/api/v1/packages/" + s.id
	if err := owner.Do(ctx, "PATCH", path, edit, nil); err != nil {
		return err
	}
	for i, g := range s.guests {
		var line struct{ ID, Link string }
		if err := owner.Do(ctx, "POST", path+"/recipients", map[string]any{"address": g.email, "name": g.name, "rights": g.rights,
			"zone": g.zone}, &line); err != nil {
			return err
		}
		s.guests[i].id, s.guests[i].link = line.ID, line.Link
	}
	if err := head(ctx, owner, s); err != nil {
		return err
	}
	if s.sent == 0 {
		return nil
	}
	return owner.Do(ctx, "POST", path+"/send", nil, nil)
}

// head writes headings over some of what is in a package.
func head(ctx context.Context, owner *Client, s *sample) error {
	if len(s.headings) == 0 {
		return nil
	}
	var p packageAnswer
	if err := owner.Do(ctx, "GET", "/api/v1/packages/"+s.id, nil, &p); err != nil {
		return err
	}
	for _, i := range p.Items {
		if h := s.headings[i.Name]; h != "" {
			if err := owner.Do(ctx, "PUT", "/api/v1/items/"+i.ID+"/heading", map[string]any{"heading": h}, nil); err != nil {
				return err
			}
		}
	}
	return nil
}

func waitForMedia(ctx context.Context, owner *Client, id string) error {
	for {
		var p packageAnswer
		if err := owner.Do(ctx, "GET", "/api/v1/packages/"+id, nil, &p); err != nil {
			return err
		}
		waiting := false
		for _, item := range p.Items {
			if item.MediaState == "failed" {
				return fmt.Errorf("a preview of the demo failed: %s", item.MediaError)
			}
			waiting = waiting || item.MediaState == "waiting" || item.MediaState == "working"
		}
		if !waiting {
			return nil
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(200 * time.Millisecond):
		}
	}
}

func receive(ctx context.Context, owner *Client, s *sample) error {
	for i, g := range s.guests {
		if g.opened == 0 {
			continue
		}
		client := NewClient(owner.Base, "")
		api := "/api/v1/r/" + g.link[strings.LastIndex(g.link, "/")+1:]
		// The first call gives the browser its cookie, the door knows it from then on.
		if s.phrase != "" {
			if err := client.Do(ctx, "POST", api+"/enter", map[string]any{"answer": s.phrase}, nil); err != nil {
				return err
			}
		}
		if err := client.Do(ctx, "POST", api+"/visit", map[string]any{"zone": g.zone}, nil); err != nil {
			return err
		}
		var page guestAnswer
		if err := client.Do(ctx, "GET", api, nil, &page); err != nil {
			return err
		}
		if err := act(ctx, client, api, page, g); err != nil {
			return err
		}
		for _, n := range s.notes {
			if n.guest != i {
				continue
			}
			if err := leave(ctx, client, owner, api, page.named(s.files[n.item]), n); err != nil {
				return err
			}
		}
	}
	return nil
}

func act(ctx context.Context, client *Client, api string, page guestAnswer, g guest) error {
	first := page.Items[0]
	if len(g.played) > 0 {
		if err := client.Do(ctx, "POST", api+"/items/"+first.ID+"/look", map[string]any{}, nil); err != nil {
			return err
		}
	}
	switch g.took {
	case "all":
		_, err := client.Fetch(ctx, page.Archive, "")
		return err
	case "some":
		// Broke off twice: the first third, a stretch in the middle, and one other item whole.
		for _, r := range []string{fmt.Sprintf("bytes=0-%d", first.Size/3), fmt.Sprintf("bytes=%d-%d", first.Size*5/12, first.Size*8/12)} {
			if _, err := client.Fetch(ctx, first.Take, r); err != nil {
				return err
			}
		}
		_, err := client.Fetch(ctx, page.Items[1].Take, "")
		return err
	}
	return nil
}

func leave(ctx context.Context, client, owner *Client, api, item string, n note) error {
	at := timecode.Micros(n.second * 1_000_000)
	if n.rate.Num > 0 {
		at = n.rate.Begin(n.rate.FrameAt(at) + n.frame)
	}
	var made struct{ ID string }
	if err := client.Do(ctx, "POST", api+"/items/"+item+"/notes", map[string]any{"anchor": map[string]any{"when": "moment", "at_us": at},
		"text": n.text}, &made); err != nil {
		return err
	}
	if n.answer != "" {
		if err := owner.Do(ctx, "POST", "/api/v1/notes/"+made.ID+"/answers", map[string]any{"text": n.answer}, nil); err != nil {
			return err
		}
	}
	if n.done {
		return owner.Do(ctx, "PUT", "/api/v1/notes/"+made.ID+"/done", map[string]any{"done": true}, nil)
	}
	return nil
}
