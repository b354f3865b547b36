package demo

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"strings"
)

// dress makes the letterheads of the sample studio: its own, and one for the museum.
func dress(ctx context.Context, owner *Client, media string) error {
	museum := owner.Place(ctx)("Kelpwick Harbour Museum")
	for _, l := range []struct {
		name  string
		looks map[string]any
		files map[string]string
	}{
		{"Low Tide", map[string]any{"sign_off": "Low Tide Pictures, Kelpwick. Films that keep their feet dry."}, nil},
		{"Harbour Museum", map[string]any{"client": museum, "main": "#B4472E", "ground": "#EAF0F2", "band": "#12343B", "typeface": "hanken",
			"sign_off": "Made for Kelpwick Harbour Museum by Low Tide Pictures.", "wide_y": 46, "phone_x": 30},
			map[string]string{"banner": "Stills/harbour_02.jpg", "logo": "Wheel mark.svg"}},
	} {
		var made struct{ ID string }
		if err := owner.Do(ctx, "POST", "/api/v1/letterheads", map[string]any{"name": l.name}, &made); err != nil {
			return err
		}
		if err := owner.Do(ctx, "PATCH", "/api/v1/letterheads/"+made.ID, l.looks, nil); err != nil {
			return err
		}
		for which, file := range l.files {
			if err := owner.give(ctx, "/api/v1/letterheads/"+made.ID+"/"+which, filepath.Join(media, file)); err != nil {
				return err
			}
		}
	}
	return nil
}

// exhibit makes a page for finished work of what is in Gather under these names.
func exhibit(ctx context.Context, owner *Client, items map[string]string) error {
	titles := map[string]string{"Lifeboat, cut 3.mov": "The lifeboat", "guide_en.wav": "A voice through the museum", "harbour_02.jpg": "The harbour on its best day",
		"Glaze, 0_15.mov": "The same in fifteen seconds", "Teaser, vertical.mov": "For telephones", "Glaze, product film.mov": "Glaze"}
	for _, s := range []struct {
		title  string
		pieces []string
		looks  map[string]any
	}{
		{"Films that keep their feet dry", []string{"Lifeboat, cut 3.mov", "guide_en.wav", "harbour_02.jpg", "Credits.pdf"}, map[string]any{
			"words": "A lifeboat that floats again, a voice that leads through the museum, and the harbour on its best day.",
			"name":  "low-tide-films", "sites": "kelpwick.example *.northmoor.example", "open": true}},
		{"Brindlefen, turning", []string{"Glaze, product film.mov", "Glaze, 0_15.mov", "Teaser, vertical.mov"}, map[string]any{"layout": "stage", "ground": "#1E1B18", "accent": "#E2A04A",
			"words": "Clay, glaze and light.", "sites": "brindlefen.example", "open": true}},
	} {
		var ids []string
		for _, name := range s.pieces {
			if items[name] == "" {
				return fmt.Errorf("there is no %s to show", name)
			}
			ids = append(ids, items[name])
		}
		var made struct {
			ID    string
			Items []struct{ ID string }
		}
		if err := owner.Do(ctx, "POST", "/api/v1/showings", map[string]any{"title": s.title, "items": ids}, &made); err != nil {
			return err
		}
		if err := owner.Do(ctx, "PATCH", "/api/v1/showings/"+made.ID, s.looks, nil); err != nil {
			return err
		}
		for i, name := range s.pieces {
			if titles[name] == "" {
				continue
			}
			if err := owner.Do(ctx, "PATCH", "/api/v1/showings/"+made.ID+"/pieces/"+made.Items[i].ID, map[string]any{"title": titles[name]}, nil); err != nil {
				return err
			}
		}
	}
	return nil
}

// give sends a file as the body of a PUT.
func (c *Client) give(ctx context.Context, path, file string) error {
	raw, err := os.ReadFile(file)
	if err != nil {
		return err
	}
	request, err := c.request(ctx, http.MethodPut, path, bytes.NewReader(raw))
	if err != nil {
		return err
	}
	answer, err := c.HTTP.Do(request)
	if err != nil {
		return err
	}
	defer answer.Body.Close()
	if answer.StatusCode/100 != 2 {
		said, _ := io.ReadAll(answer.Body) // the number says enough without it
		return fmt.Errorf("PUT %s: %s: %s", path, answer.Status, said)
	}
	return nil
}

// introduce says of everybody in the contact book whose they are, and makes a group.
func introduce(ctx context.Context, owner *Client) error {
	var book struct {
		People []struct{ ID, Email string }
	}
	if err := owner.Do(ctx, "GET", "/api/v1/people", nil, &book); err != nil {
		return err
	}
	var group struct{ ID string }
	if err := owner.Do(ctx, "POST", "/api/v1/groups", map[string]any{"name": "Museum, for sign-off"}, &group); err != nil {
		return err
	}
	place := owner.Place(ctx)
	clients := map[string]string{"kelpwick.example": place("Kelpwick Harbour Museum"), "brindlefen.example": place("Brindlefen Ceramics"),
		"northmoor.example": place("Northmoor Cycle Week")}
	for _, p := range book.People {
		name, domain, _ := strings.Cut(p.Email, "@")
		if clients[domain] == "" {
			continue
		}
		change := map[string]any{"client": clients[domain]}
		if name == "hanne" || name == "anstey" {
			change["groups"] = []string{group.ID}
		}
		if err := owner.Do(ctx, "PATCH", "/api/v1/people/"+p.ID, change, nil); err != nil {
			return err
		}
	}
	return nil
}
