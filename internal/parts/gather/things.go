package gather

import (
	"context"
	"net/url"
	"regexp"
	"strings"
	"unicode/utf8"

	"aftergust/core/file/naming"
	"aftergust/core/file/place"
	"aftergust/core/file/thing"
	"aftergust/core/media/palette"
	"aftergust/core/media/piece"
	"aftergust/core/media/preview"
	"aftergust/internal/files/keep"
	"aftergust/internal/ground"
	"aftergust/internal/who/account"
)

const maxSheet = 20_000

// schemed is an address that begins with a scheme (RFC 3986, section 3.1). What comes before the
// colon of a host with a port has a dot in it, or is localhost.
var schemed = regexp.MustCompile(`(?i)^(?:[a-z][a-z0-9+.-]*:/|[a-z][a-z0-9+-]*:(?:[^0-9]|$)|(?:tel|sms|callto|fax):)`)

// content is the name and bytes with which a link, swatch or sheet is delivered
// in a ZIP, after what it says, d, has been checked and tidied.
func content(d *piece.Data, kind thing.Kind, name string) (file, mime, text string, err error) {
	switch kind {
	case thing.Link:
		d.URL = strings.TrimSpace(d.URL)
		if d.URL != "" && !schemed.MatchString(d.URL) {
			d.URL = "https://" + d.URL
		}
		u, err := url.Parse(d.URL)
		if err != nil || (u.Scheme != "https" && u.Scheme != "http") || u.Host == "" || len(d.URL) > 2000 || u.User != nil {
			return "", "", "", ground.Wrong("url", "A link begins with https:// or http:// and names a host, as https://lowtide.example/replay.")
		}
		d.URL, d.Colour, d.Text = u.String(), "", ""
		return name + ".url", "text/plain", "[InternetShortcut]\r\nURL=" + d.URL + "\r\n", nil
	case thing.Swatch:
		colour, err := palette.Parse(d.Colour)
		if err != nil {
			return "", "", "", ground.Wrong("colour", "%s.", strings.ToUpper(err.Error()[:1])+err.Error()[1:])
		}
		d.Colour, d.URL, d.Text = colour.Hex(), "", ""
		lines := []string{name, colour.Hex(), colour.RGB(), colour.HSL(), colour.OKLCH()}
		return name + ".txt", "text/plain", strings.Join(lines, "\n") + "\n", nil
	default:
		d.Text = strings.ReplaceAll(strings.ToValidUTF8(d.Text, ""), "\r\n", "\n")
		if utf8.RuneCountInString(d.Text) > maxSheet {
			return "", "", "", ground.Wrong("text", "A sheet may have up to %d characters.", maxSheet)
		}
		d.URL, d.Colour = "", ""
		return name + ".md", "text/markdown", d.Text, nil
	}
}

// NewThing makes a link, a swatch or a sheet in a place.
func (s *Things) NewThing(ctx context.Context, m account.Member, where string, kind thing.Kind, name string, d piece.Data) (Item, error) {
	p, err := s.places.PlaceOf(ctx, m, where)
	if err != nil {
		return Item{}, err
	}
	if !place.All.Get(p.Kind).Holds {
		return Item{}, ground.Clash("needs_project", "Things lie in projects. Open or make a project of this client first.")
	}
	if strings.TrimSpace(name) == "" {
		return Item{}, ground.Wrong("name", "Give it a name.")
	}
	item := Item{ID: ground.NewID(), StudioID: m.StudioID, PlaceID: where, Kind: kind, Name: naming.Clip(naming.Display(name), 200),
		Tags: []string{}, CreatedBy: m.ID}
	return s.write(ctx, m, item, d, true)
}

// EditThing changes what a link, swatch or sheet says. What it said before stays
// as an earlier version.
func (s *Things) EditThing(ctx context.Context, m account.Member, id string, d piece.Data) (Item, error) {
	item, err := s.Item(ctx, m, id)
	if err != nil {
		return Item{}, err
	}
	if item.Kind == thing.File {
		return Item{}, ground.Clash("is_a_file", "A file is changed by uploading a new version of it.")
	}
	return s.write(ctx, m, item, d, false)
}

func (s *Things) write(ctx context.Context, m account.Member, item Item, d piece.Data, fresh bool) (Item, error) {
	file, mime, text, err := content(&d, item.Kind, item.Name)
	if err != nil {
		return Item{}, err
	}
	if !fresh && d == item.Data {
		return item, nil
	}
	if err := s.keep.Room(ctx, m, item.Name, int64(len(text))); err != nil {
		return Item{}, err
	}
	blob := keep.Blob{ID: ground.NewID(), StudioID: m.StudioID}
	var digest [16]byte
	if blob.Size, blob.CRC32, digest, err = s.bytes.Put(ctx, blob.ID, strings.NewReader(text)); err != nil {
		return Item{}, err
	}
	blob.XXH3 = digest[:]
	v := Version{ItemID: item.ID, AddedBy: m.ID, Piece: Piece{VersionID: ground.NewID(), Number: 1, FileName: file, BlobID: blob.ID,
		What: thing.All.Get(item.Kind).What, Mime: mime, MediaState: preview.None, Data: d}}
	return s.changeItem(ctx, m, item.ID, true, func(ctx context.Context) error {
		if err := s.keepRows.InsertBlob(ctx, blob); err != nil {
			return err
		}
		if fresh {
			if err := s.thingRows.InsertItem(ctx, item); err != nil {
				return err
			}
		} else if err := s.Next(ctx, &v); err != nil {
			return err
		}
		if err := s.Put(ctx, v); err != nil {
			return err
		}
		if fresh || item.Kind != thing.Link {
			return nil
		}
		return s.thingRows.CopyDerived(ctx, item.VersionID, v.VersionID) // the picture of a link stays when its address changes
	})
}
