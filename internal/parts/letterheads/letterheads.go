// Package letterheads is how a studio shows itself to those who get its packages:
// colours, typeface, logo, a picture over the page, a line at its end.
package letterheads

import (
	"context"
	"errors"
	"io"
	"strings"

	"aftergust/core/file/naming"
	"aftergust/core/media/letterhead"
	"aftergust/core/media/palette"
	"aftergust/internal/files/media"
	"aftergust/internal/ground"
	"aftergust/internal/ground/db"
	"aftergust/internal/who/account"
)

// A Letterhead is one of a studio's.
type Letterhead struct {
	ID        string
	StudioID  string
	Name      string
	ClientID  string // whose packages have it, unless another is chosen; empty for none
	Standard  bool   // for all that have no other
	Main      string // colours, as #14594A
	Ground    string
	Band      string
	Typeface  letterhead.Typeface
	SignOff   string
	HasLogo   bool
	HasBanner bool
	WideX     int // which point of the banner stays in sight, in percent from the left
	WideY     int
	PhoneX    int
	PhoneY    int
	Edition   int // changes with its pictures
}

// Look is all colours of a page with it.
func (l Letterhead) Look() letterhead.Look { return letterhead.Read(l.Main, l.Ground, l.Band).Look() }

// A Picture is which of the two pictures of a letterhead.
type Picture string

// The pictures.
const (
	Logo   Picture = "logo"
	Banner Picture = "banner"
)

// A Service keeps letterheads. Make it with New.
type Service struct {
	rows  Rows
	bench *media.Bench // where pictures are redrawn
}

// atOnce is how many pictures are redrawn at a time.
const atOnce = 2

// New makes a service that works in a folder.
func New(store *db.DB, dir string) *Service {
	return &Service{Rows{store}, media.NewBench(dir, atOnce)}
}

// List is all letterheads of the member's studio.
func (s *Service) List(ctx context.Context, m account.Member) ([]Letterhead, error) {
	return s.rows.Letterheads(ctx, m.StudioID)
}

// Of is a letterhead of the member's studio.
func (s *Service) Of(ctx context.Context, m account.Member, id string) (Letterhead, error) {
	l, ok, err := s.rows.LetterheadByID(ctx, id)
	if err == nil && (!ok || l.StudioID != m.StudioID) {
		err = ground.Missing("letterhead")
	}
	return l, err
}

// Chosen is a letterhead of a studio, or its standard where id is empty or was deleted;
// ok is false where it has none.
func (s *Service) Chosen(ctx context.Context, studio, id string) (l Letterhead, ok bool, err error) {
	all, err := s.rows.Letterheads(ctx, studio)
	for _, one := range all { // the standard one comes first
		if one.Standard || one.ID == id {
			l, ok = one, true
		}
	}
	return l, ok, err
}

// For is the letterhead of a package; ok is false where its studio has none.
func (s *Service) For(ctx context.Context, parcel string) (l Letterhead, ok bool, err error) {
	return s.rows.LetterheadFor(ctx, parcel)
}

func fresh() Letterhead {
	std := letterhead.Standard
	return Letterhead{Main: std.Main.Hex(), Ground: std.Ground.Hex(), Band: std.Band.Hex(), Typeface: letterhead.Bricolage,
		WideX: 50, WideY: 50, PhoneX: 50, PhoneY: 50, Edition: 1}
}

// most is how many letterheads a studio has.
const most = 50

// New makes a letterhead. The first is the studio's standard.
func (s *Service) New(ctx context.Context, m account.Member, name string) (Letterhead, error) {
	l := fresh()
	l.ID, l.StudioID = ground.NewID(), m.StudioID
	all, err := s.List(ctx, m)
	if err != nil {
		return l, err
	}
	if len(all) >= most {
		return l, ground.Clash("too_many", "A studio has at most fifty letterheads. Delete one first.")
	}
	l.Standard = len(all) == 0
	if l.Name, err = named(name); err != nil {
		return l, err
	}
	return l, s.free(s.rows.InsertLetterhead(ctx, l))
}

func (s *Service) free(free bool, err error) error {
	if err == nil && !free {
		err = ground.Wrong("name", "Another letterhead is called so already.")
	}
	return err
}

func named(name string) (string, error) {
	if strings.TrimSpace(name) == "" {
		return "", ground.Wrong("name", "Give it a name; only your studio sees it.")
	}
	return naming.Clip(naming.Display(name), 80), nil
}

// An Edit changes a letterhead. Nil fields stay as they are.
type Edit struct {
	Name, Client, Main, Ground, Band, Typeface, SignOff *string
	Standard                                            *bool
	WideX, WideY, PhoneX, PhoneY                        *int
}

// maxSignOff is how long the line at the end may be, in characters.
const maxSignOff = 200

// Change changes a letterhead. Packages that have it change with it.
func (s *Service) Change(ctx context.Context, m account.Member, id string, e Edit) (Letterhead, error) {
	l, err := s.Of(ctx, m, id)
	if err != nil {
		return l, err
	}
	if err := s.write(ctx, &l, e); err != nil {
		return l, err
	}
	return l, s.free(s.rows.UpdateLetterhead(ctx, l))
}

func (s *Service) write(ctx context.Context, l *Letterhead, e Edit) (err error) {
	if e.Name != nil {
		if l.Name, err = named(*e.Name); err != nil {
			return err
		}
	}
	for _, c := range []struct {
		at   string
		from *string
		to   *string
	}{{"main", e.Main, &l.Main}, {"ground", e.Ground, &l.Ground}, {"band", e.Band, &l.Band}} {
		if c.from == nil {
			continue
		}
		colour, err := palette.Parse(*c.from)
		if err != nil {
			return ground.Wrong(c.at, "%s", ground.InFull(err.Error()))
		}
		*c.to = colour.Hex()
	}
	if e.Typeface != nil {
		if l.Typeface = letterhead.Typeface(*e.Typeface); !letterhead.Typefaces.Has(l.Typeface) {
			return ground.Wrong("typeface", "Choose one of the typefaces that ship with Aftergust.")
		}
	}
	if e.SignOff != nil {
		l.SignOff = naming.Clip(strings.Join(strings.Fields(*e.SignOff), " "), maxSignOff)
	}
	if e.Standard != nil {
		l.Standard = l.Standard || *e.Standard // it ceases to be when another becomes it
	}
	for _, p := range []struct{ from, to *int }{{e.WideX, &l.WideX}, {e.WideY, &l.WideY}, {e.PhoneX, &l.PhoneX}, {e.PhoneY, &l.PhoneY}} {
		if p.from != nil {
			*p.to = min(max(*p.from, 0), 100)
		}
	}
	if e.Client != nil {
		l.ClientID = *e.Client
		if l.ClientID != "" {
			if ok, err := s.rows.ClientIsOf(ctx, l.StudioID, l.ClientID); err != nil {
				return err
			} else if !ok {
				return ground.Missing("client")
			}
		}
	}
	return nil
}

// Delete deletes a letterhead; packages that had it have the standard then.
func (s *Service) Delete(ctx context.Context, m account.Member, id string) error {
	l, err := s.Of(ctx, m, id)
	if err != nil {
		return err
	}
	if l.Standard {
		all, err := s.List(ctx, m)
		if err != nil {
			return err
		}
		if len(all) > 1 {
			return ground.Clash("standard", "This is the one for all that have no other. Make another one the standard first.")
		}
	}
	return s.rows.DeleteLetterhead(ctx, id)
}

// MaxPicture is how large a picture may be that is given for a letterhead, in bytes.
const MaxPicture = 40 << 20

// SetPicture takes a picture for a letterhead, and keeps what is needed of it; a nil
// reader takes the one away that is there.
func (s *Service) SetPicture(ctx context.Context, m account.Member, id string, which Picture, from io.Reader) error {
	l, err := s.Of(ctx, m, id)
	if err != nil {
		return err
	}
	if from == nil {
		return s.rows.SetPicture(ctx, l.ID, which, nil)
	}
	drawn, err := s.redraw(ctx, which, from)
	if err != nil {
		return err
	}
	return s.rows.SetPicture(ctx, l.ID, which, drawn)
}

var errNoPicture = ground.Wrong("picture", "This cannot be read as a picture. Use PNG, JPEG, WebP, TIFF or SVG. Nothing was changed.")

func (s *Service) redraw(ctx context.Context, which Picture, from io.Reader) ([]byte, error) {
	file, dir, done, err := s.bench.Given(ctx, from, MaxPicture)
	if errors.Is(err, media.ErrTooLarge) {
		err = &ground.Error{Kind: ground.TooLarge, Code: "too_large", At: "picture", Say: "A picture for a letterhead has at most 40 MB. Nothing was changed."}
	}
	if err != nil {
		return nil, err
	}
	defer done()
	draw := media.Logo
	if which == Banner {
		draw = media.Banner
	}
	out, err := draw(ctx, file, dir)
	if errors.Is(err, media.ErrUnreadable) {
		return nil, errNoPicture
	}
	return out, err
}

// Picture is a picture of a letterhead, as anybody may see it who knows its id.
func (s *Service) Picture(ctx context.Context, id string, which Picture) ([]byte, bool, error) {
	return s.rows.PictureOf(ctx, id, which)
}
