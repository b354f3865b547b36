package demo

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"
)

// talk lets people say what is not said by a plain note: over a span and drawn, with the
// voice, on a spot of a still, among the studio, with a sign, with stars.
func talk(ctx context.Context, owner *Client, s *sample, media string) error {
	hanne := NewClient(owner.Base, "")
	api := "/api/v1/r/" + s.guests[0].link[strings.LastIndex(s.guests[0].link, "/")+1:]
	var page guestAnswer
	if err := hanne.Do(ctx, "GET", api, nil, &page); err != nil {
		return err
	}
	film, still := page.named(s.files[0]), page.named("harbour_02.jpg")
	voice, err := spoken(ctx, hanne, api, film, media)
	if err != nil {
		return err
	}
	span := func(from, to int64) map[string]any {
		return map[string]any{"when": "span", "at_us": from * 40_000, "until_us": to * 40_000} // frames at 25
	}
	drawn := span(15*25, 20*25)
	drawn["strokes"] = []map[string]any{
		{"tool": "ellipse", "colour": 0, "points": [][2]int{{1800, 2900}, {3350, 4850}}},
		{"tool": "arrow", "colour": 0, "points": [][2]int{{4900, 1800}, {3450, 3050}}},
	}
	for _, n := range []struct {
		client *Client
		path   string
		body   map[string]any
	}{
		{hanne, api + "/items/" + film + "/notes", map[string]any{"anchor": drawn, "text": "The pennant should fly the other way all through this shot."}},
		{hanne, api + "/items/" + film + "/notes", map[string]any{"anchor": span(60*25, 66*25), "text": "", "attached": []string{voice}}},
		{owner, "/api/v1/items/" + film + "/notes", map[string]any{"anchor": span(33*25, 37*25+12), "text": "New voice take goes here."}},
		{owner, "/api/v1/items/" + film + "/notes", map[string]any{"anchor": map[string]any{"when": "moment", "at_us": 6_000_000},
			"text": "Temporary grade, ignore the green.", "private": true}},
		{hanne, api + "/items/" + still + "/notes", map[string]any{"anchor": map[string]any{"where": "area", "x": 7300, "y": 2350, "w": 860, "h": 800},
			"text": "Can the lamp be a little warmer, as on the postcard?"}},
		{hanne, api + "/items/" + still + "/notes", map[string]any{"anchor": map[string]any{"where": "spot", "x": 7100, "y": 7600},
			"text": "The waves end too hard here."}},
	} {
		if err := n.client.Do(ctx, "POST", n.path, n.body, nil); err != nil {
			return fmt.Errorf("a note of the sample studio: %w", err)
		}
	}
	tove := NewClient(owner.Base, "")
	if err := tove.Do(ctx, "POST", "/api/v1/session", map[string]any{"email": colleague, "password": ownerPassword}, nil); err != nil {
		return fmt.Errorf("a colleague of the sample studio: %w", err)
	}
	if err := tove.Do(ctx, "POST", "/api/v1/items/"+film+"/notes", map[string]any{"anchor": map[string]any{"when": "moment", "at_us": 62_000_000},
		"text": "@Marit, it is the fade that she means. Shall I take it?", "private": true}, nil); err != nil {
		return err
	}
	if err := hanne.Do(ctx, "PUT", api+"/items/"+film+"/stars", map[string]any{"stars": 4}, nil); err != nil {
		return err
	}
	return askForSignOff(ctx, owner, s)
}

// askForSignOff begins the second round of three.
func askForSignOff(ctx context.Context, owner *Client, s *sample) error {
	project := owner.Place(ctx)("Kelpwick Harbour Museum", "Lifeboat films")
	if err := owner.Do(ctx, "PUT", "/api/v1/places/"+project+"/rounds", map[string]any{"agreed": 3}, nil); err != nil {
		return err
	}
	path := "/api/v1/packages/" + s.id + "/rounds"
	lines := []string{s.guests[0].id, s.guests[1].id}
	if err := owner.Do(ctx, "POST", path, map[string]any{"lines": lines[:1]}, nil); err != nil {
		return err
	}
	return owner.Do(ctx, "POST", path, map[string]any{"lines": lines, "due": time.Now().Add(2 * day).Truncate(time.Hour),
		"message": "The opening is new; the rest should be as you wanted it."}, nil)
}

// spoken is the id of some words of a guide, attached as a voice.
func spoken(ctx context.Context, who *Client, api, item, media string) (string, error) {
	file := filepath.Join(media, "voice.webm")
	if _, err := os.Stat(file); err != nil {
		out, err := exec.CommandContext(ctx, "ffmpeg", "-v", "error", "-nostdin", "-y", "-ss", "3", "-i", filepath.Join(media, "guide_en.wav"),
			"-t", "7", "-c:a", "libopus", file).CombinedOutput()
		if err != nil {
			return "", fmt.Errorf("a voice of the sample studio: %w: %s", err, out)
		}
	}
	content, err := os.Open(file)
	if err != nil {
		return "", err
	}
	defer func() { _ = content.Close() }() // it was only read
	request, err := who.request(ctx, "POST", api+"/items/"+item+"/attached/voice", content)
	if err != nil {
		return "", err
	}
	response, err := who.HTTP.Do(request)
	if err != nil {
		return "", err
	}
	defer func() { _ = response.Body.Close() }()
	var made struct{ ID string }
	err = json.NewDecoder(response.Body).Decode(&made)
	return made.ID, err
}
