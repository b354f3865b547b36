package studio

import (
	"context"
	"net/url"
	"strings"
	"unicode/utf8"

	"aftergust/core/naming"
	"aftergust/core/palette"
)

const maxSheet = 20_000

// content is the name and bytes with which a link, swatch or sheet is delivered
// in a ZIP, after what it says has been checked.
func (d *Data) content(kind, name string) (file, mime string, bytes []byte, err error) {
	switch kind {
	case "link":
		d.URL = strings.TrimSpace(d.URL)
		if d.URL != "" && !strings.Contains(d.URL, "://") {
			d.URL = "https://" + d.URL
		}
		u, err := url.Parse(d.URL)
		if err != nil || (u.Scheme != "https" && u.Scheme != "http") || u.Host == "" || len(d.URL) > 2000 || u.User != nil {
			return "", "", nil, invalid("url", "A link begins with https:// or http:// and names a host, as https://lowtide.example/replay.")
		}
		d.URL, d.Colour, d.Text = u.String(), "", ""
		return name + ".url", "text/plain", []byte("[InternetShortcut]\r\nURL=" + d.URL + "\r\n"), nil
	case "swatch":
		colour, err := palette.Parse(d.Colour)
		if err != nil {
			return "", "", nil, invalid("colour", "%s.", strings.ToUpper(err.Error()[:1])+err.Error()[1:])
		}
		d.Colour, d.URL, d.Text = colour.Hex(), "", ""
		lines := []string{name, colour.Hex(), colour.RGB(), colour.HSL(), colour.OKLCH()}
		return name + ".txt", "text/plain", []byte(strings.Join(lines, "\n") + "\n"), nil
	default:
		d.Text = strings.ReplaceAll(strings.ToValidUTF8(d.Text, ""), "\r\n", "\n")
		if utf8.RuneCountInString(d.Text) > maxSheet {
			return "", "", nil, invalid("text", "A sheet may have up to %d characters.", maxSheet)
		}
		d.URL, d.Colour = "", ""
		return name + ".md", "text/markdown", []byte(d.Text), nil
	}
}

// NewThing makes a link, a swatch or a sheet in a place.
func (s *Service) NewThing(ctx context.Context, m Member, place, kind, name string, d Data) (Item, error) {
	p, err := s.placeOf(ctx, m, place)
	if err != nil {
		return Item{}, err
	}
	if p.Kind == "client" {
		return Item{}, conflict("needs_project", "Things lie in projects. Open or make a project of this client first.")
	}
	if strings.TrimSpace(name) == "" {
		return Item{}, invalid("name", "Give it a name.")
	}
	item := Item{ID: NewID(), StudioID: m.StudioID, PlaceID: place, Kind: kind, Name: clip(naming.Display(name), 200), Tags: []string{}, CreatedBy: m.ID}
	return s.write(ctx, m, item, d, true)
}

// EditThing changes what a link, swatch or sheet says. What it said before stays
// as an earlier version.
func (s *Service) EditThing(ctx context.Context, m Member, id string, d Data) (Item, error) {
	item, err := s.itemOf(ctx, m, id)
	if err != nil {
		return Item{}, err
	}
	if item.Kind == "file" {
		return Item{}, conflict("is_a_file", "A file is changed by uploading a new version of it.")
	}
	return s.write(ctx, m, item, d, false)
}

func (s *Service) write(ctx context.Context, m Member, item Item, d Data, fresh bool) (Item, error) {
	file, mime, bytes, err := d.content(item.Kind, item.Name)
	if err != nil {
		return Item{}, err
	}
	if !fresh && d == item.Data {
		return item, nil
	}
	if err := s.room(ctx, m, item.Name, int64(len(bytes))); err != nil {
		return Item{}, err
	}
	blob := Blob{ID: NewID(), StudioID: m.StudioID}
	if blob.Size, blob.CRC32, blob.XXH3, err = s.bytes.Put(ctx, blob.ID, bytes); err != nil {
		return Item{}, err
	}
	v := Version{ID: NewID(), ItemID: item.ID, Number: 1, FileName: file, BlobID: blob.ID, Kind: item.Kind, Mime: mime, MediaState: "none", Data: d, AddedBy: m.ID}
	return s.changeItem(ctx, m, item.ID, true, func(r Records) error {
		if err := r.InsertBlob(ctx, blob); err != nil {
			return err
		}
		if fresh {
			if err := r.InsertItem(ctx, item); err != nil {
				return err
			}
		} else if err := s.nextVersion(ctx, r, &v); err != nil {
			return err
		}
		if err := s.putVersion(ctx, r, v); err != nil {
			return err
		}
		if fresh || item.Kind != "link" {
			return nil
		}
		return r.CopyDerived(ctx, item.VersionID, v.ID) // the picture of a link stays when its address changes
	})
}
