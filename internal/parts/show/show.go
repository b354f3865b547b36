// Package show is pages for finished work: a studio puts pieces on one, whoever has
// its link looks at them, and sites that are named may have it within their own. No
// original and no note leaves by it.
package show

import (
	"context"
	"errors"
	"path"
	"strings"
	"time"

	"aftergust/core/file/naming"
	"aftergust/core/file/thing"
	"aftergust/core/link/access"
	"aftergust/core/link/linkname"
	"aftergust/core/link/right"
	"aftergust/core/link/showing"
	"aftergust/core/link/throttle"
	"aftergust/core/media/letterhead"
	"aftergust/core/media/palette"
	"aftergust/internal/ground"
	"aftergust/internal/ground/db"
	"aftergust/internal/parts/gather"
	"aftergust/internal/parts/letterheads"
	"aftergust/internal/who/account"
	"aftergust/internal/who/tries"
)

// A Showing is one such page.
type Showing struct {
	ID           string
	StudioID     string
	StudioName   string
	Title        string
	Words        string // below the title
	Layout       showing.Layout
	Ground       string // colour of its own, as #14594A; empty for that of its letterhead
	Accent       string
	LetterheadID string   // empty for the studio's standard
	Sites        []string // that may have it within them (showing.Sites)
	LinkNonce    []byte
	Name         string     // of its link; empty where that is a secret
	OpenSince    *time.Time // nil while only the studio sees it
	Opened       int64      // how often somebody opened it
	OpenedAt     *time.Time // when somebody did last
	CreatedBy    string
	CreatedAt    time.Time
	Pieces       int
	Cover        string // version of its first piece of which there is a picture; empty for none
}

// Open reports whether whoever has the link sees it.
func (s Showing) Open() bool { return s.OpenSince != nil }

// A Piece is one thing on a showing, in its current version.
type Piece struct {
	ID        string // on this showing
	ShowingID string
	ItemID    string
	Title     string // of its own; empty for the name of the item
	Name      string // of the item
	gather.Piece
}

// Called is what a piece is called on the page: as somebody titled it, or as in Gather,
// a file without the end of its name.
func (p Piece) Called() string {
	if p.Title != "" {
		return p.Title
	}
	if thing.KindOf(p.What) != thing.File {
		return p.Name
	}
	return strings.TrimSuffix(p.Name, path.Ext(p.Name))
}

// A Service keeps showings. Make it with New.
type Service struct {
	rows   Rows
	chosen *gather.Selections
	heads  *letterheads.Service
	tries  *tries.Guard
	keys   *ground.Keys
	now    func() time.Time
}

// New makes a service.
func New(store *db.DB, chosen *gather.Selections, heads *letterheads.Service, guard *tries.Guard, keys *ground.Keys,
	now func() time.Time) *Service {
	return &Service{Rows{store}, chosen, heads, guard, keys, now}
}

// URL is the address of a showing.
func (s *Service) URL(sh Showing) string { return s.keys.ShowingURL(sh.LinkNonce, sh.Name) }

// List is all showings of the member's studio, the newest first.
func (s *Service) List(ctx context.Context, m account.Member) ([]Showing, error) {
	return s.rows.Showings(ctx, m.StudioID)
}

// Of is a showing of the member's studio, with what is on it.
func (s *Service) Of(ctx context.Context, m account.Member, id string) (Showing, []Piece, error) {
	sh, err := s.mine(ctx, m, id)
	if err != nil {
		return sh, nil, err
	}
	pieces, err := s.rows.Pieces(ctx, id)
	return sh, pieces, err
}

func (s *Service) mine(ctx context.Context, m account.Member, id string) (Showing, error) {
	sh, ok, err := s.rows.ShowingByID(ctx, id)
	if err == nil && (!ok || sh.StudioID != m.StudioID) {
		err = ground.Missing("showing")
	}
	return sh, err
}

// most is how many showings a studio has.
const most = 500

// New makes a showing of what somebody chose in Gather. Nobody else sees it yet.
func (s *Service) New(ctx context.Context, m account.Member, title string, sel gather.Selection) (sh Showing, err error) {
	err = s.rows.Tx(ctx, func(ctx context.Context) error {
		all, err := s.rows.Showings(ctx, m.StudioID)
		if err != nil {
			return err
		}
		if len(all) >= most {
			return ground.Clash("too_many", "A studio has at most five hundred showings. Delete one first.")
		}
		nonce := s.keys.NewNonce()
		sh = Showing{ID: ground.NewID(), StudioID: m.StudioID, StudioName: m.StudioName, Title: "Finished work", Layout: showing.Scroll, LinkNonce: nonce, Sites: []string{},
			CreatedBy: m.ID, CreatedAt: s.now()}
		if strings.TrimSpace(title) != "" {
			sh.Title = naming.Title(title)
		}
		if err := s.rows.InsertShowing(ctx, sh, ground.Hash(s.keys.LinkToken(nonce))); err != nil {
			return err
		}
		return s.add(ctx, m, sh, sel)
	})
	return sh, err
}

// Add puts what somebody chose behind what is on a showing.
func (s *Service) Add(ctx context.Context, m account.Member, id string, sel gather.Selection) error {
	return s.change(ctx, m, id, func(ctx context.Context, sh Showing) error { return s.add(ctx, m, sh, sel) })
}

// change does something to what is on a showing, one after the other.
func (s *Service) change(ctx context.Context, m account.Member, id string, do func(ctx context.Context, sh Showing) error) error {
	return s.rows.Tx(ctx, func(ctx context.Context) error {
		if err := s.rows.LockShowing(ctx, id); err != nil {
			return err
		}
		sh, err := s.mine(ctx, m, id)
		if err != nil {
			return err
		}
		return do(ctx, sh)
	})
}

func (s *Service) add(ctx context.Context, m account.Member, sh Showing, sel gather.Selection) error {
	if len(sel.Items)+len(sel.Places) == 0 {
		return nil
	}
	chosen, err := s.chosen.Chosen(ctx, m, sel)
	if err != nil {
		return err
	}
	var ids, items []string
	for _, c := range chosen {
		if c.RenditionOf == "" || len(chosen) == 1 { // other formats of a thing are not another piece
			ids, items = append(ids, ground.NewID()), append(items, c.ID)
		}
	}
	if sh.Pieces+len(items) > showing.MostPieces {
		return ground.Clash("too_many", "A showing has at most two hundred pieces. Nothing was added.")
	}
	if err := s.rows.AddPieces(ctx, sh.ID, ids, items); err != nil {
		return err
	}
	return s.changed(ctx, sh, nil)
}

func (s *Service) changed(ctx context.Context, sh Showing, cut *ground.Cut) error {
	return s.rows.Announce(ctx, ground.Change{Studio: sh.StudioID, Parcel: sh.ID, What: ground.ShowingChanged, Cut: cut})
}

// Arrange gives the pieces of a showing the order of ids.
func (s *Service) Arrange(ctx context.Context, m account.Member, id string, ids []string) error {
	return s.change(ctx, m, id, func(ctx context.Context, sh Showing) error {
		if err := s.rows.ArrangePieces(ctx, id, ids); err != nil {
			return err
		}
		return s.changed(ctx, sh, nil)
	})
}

// Title gives a piece of a showing a title of its own; none lets it be called as in Gather.
func (s *Service) Title(ctx context.Context, m account.Member, id, piece, title string) error {
	if title = strings.TrimSpace(title); title != "" {
		title = naming.Clip(naming.Display(title), maxTitle)
	}
	return s.change(ctx, m, id, func(ctx context.Context, sh Showing) error {
		ok, err := s.rows.TitlePiece(ctx, id, piece, title)
		if err == nil && !ok {
			err = ground.Missing("piece")
		}
		if err != nil {
			return err
		}
		return s.changed(ctx, sh, nil)
	})
}

// maxTitle is how long the title of a piece may be, in characters.
const maxTitle = 160

// Remove takes a piece off a showing; whoever plays it is cut.
func (s *Service) Remove(ctx context.Context, m account.Member, id, piece string) error {
	return s.change(ctx, m, id, func(ctx context.Context, sh Showing) error {
		if err := s.rows.RemovePiece(ctx, id, piece); err != nil {
			return err
		}
		return s.changed(ctx, sh, &ground.Cut{Items: []string{piece}})
	})
}

// An Edit changes a showing. Nil fields stay as they are.
type Edit struct {
	Title, Words, Layout, Ground, Accent, Letterhead, Sites, Name *string
	Open                                                          *bool
}

// maxWords is how long the words below the title may be, in characters.
const maxWords = 2000

// Change changes a showing. Where it is closed, whoever plays something of it is cut.
func (s *Service) Change(ctx context.Context, m account.Member, id string, e Edit) (Showing, error) {
	err := s.change(ctx, m, id, func(ctx context.Context, sh Showing) error {
		was := sh.Open()
		if err := s.write(ctx, m, &sh, e); err != nil {
			return err
		}
		if free, err := s.rows.UpdateShowing(ctx, sh); err != nil {
			return err
		} else if !free {
			return ground.Wrong("name", "Another showing is called so already. Take another name.")
		}
		var cut *ground.Cut
		if was && !sh.Open() {
			cut = &ground.Cut{}
		}
		return s.changed(ctx, sh, cut)
	})
	if err != nil {
		return Showing{}, err
	}
	return s.mine(ctx, m, id)
}

func (s *Service) write(ctx context.Context, m account.Member, sh *Showing, e Edit) error {
	if e.Title != nil {
		if strings.TrimSpace(*e.Title) == "" {
			return ground.Wrong("title", "Say what it shows.")
		}
		sh.Title = naming.Title(*e.Title)
	}
	if e.Words != nil {
		sh.Words = naming.Clip(strings.TrimSpace(strings.ToValidUTF8(*e.Words, "")), maxWords)
	}
	if e.Layout != nil {
		if sh.Layout = showing.Layout(*e.Layout); !showing.Layouts.Has(sh.Layout) {
			return ground.Wrong("layout", "Pieces stand one below another, or one large.")
		}
	}
	for _, c := range []struct {
		at       string
		from, to *string
	}{{"ground", e.Ground, &sh.Ground}, {"accent", e.Accent, &sh.Accent}} {
		if c.from == nil {
			continue
		}
		if *c.to = ""; *c.from == "" {
			continue
		}
		colour, err := palette.Parse(*c.from)
		if err != nil {
			return ground.Wrong(c.at, "%s", ground.InFull(err.Error()))
		}
		*c.to = colour.Hex()
	}
	if e.Letterhead != nil {
		if sh.LetterheadID = *e.Letterhead; sh.LetterheadID != "" {
			if _, err := s.heads.Of(ctx, m, sh.LetterheadID); err != nil {
				return err
			}
		}
	}
	if e.Sites != nil {
		sites, err := showing.Sites(*e.Sites)
		if err != nil {
			return ground.Wrong("sites", "%s", ground.InFull(err.Error()))
		}
		sh.Sites = sites
	}
	if e.Name != nil {
		name, err := nameFor(*e.Name)
		if err != nil {
			return err
		}
		sh.Name = name
	}
	if e.Open != nil && *e.Open != sh.Open() {
		sh.OpenSince = nil
		if *e.Open {
			if sh.Pieces == 0 {
				return ground.Clash("nothing_shown", "There is nothing on this page yet. Choose pieces in Gather first.")
			}
			now := s.now()
			sh.OpenSince = &now
		}
	}
	return nil
}

// nameFor reads the name of a link. It may be guessed: what it leads to is for all who
// come by.
func nameFor(typed string) (string, error) {
	if strings.TrimSpace(typed) == "" {
		return "", nil
	}
	name, err := linkname.Read(typed)
	if err != nil {
		return "", ground.Wrong("name", "%s", ground.InFull(err.Error()))
	}
	if len(name) == ground.LinkLength {
		return "", ground.Wrong("name", "A name of %d letters looks like a secret link. Make it longer or shorter.", ground.LinkLength)
	}
	return name, nil
}

// Delete deletes a showing; its link leads nowhere from then on. The pieces stay in Gather.
func (s *Service) Delete(ctx context.Context, m account.Member, id string) error {
	return s.change(ctx, m, id, func(ctx context.Context, sh Showing) error {
		if err := s.rows.DeleteShowing(ctx, id); err != nil {
			return err
		}
		return s.changed(ctx, sh, &ground.Cut{})
	})
}

// A Visitor came by the link of a showing.
type Visitor struct {
	Showing Showing
	Member  bool // of its studio
}

// Enter finds the showing of a link, which is its secret or its name, for whoever may
// see it now. member is who is signed in, or nil.
func (s *Service) Enter(ctx context.Context, link string, member *account.Member) (v Visitor, err error) {
	ok := false
	if len(link) == ground.LinkLength {
		v.Showing, ok, err = s.rows.ShowingByLink(ctx, ground.Hash(link))
	} else if name, wrong := linkname.Read(link); wrong == nil {
		v.Showing, ok, err = s.rows.ShowingByName(ctx, name)
	}
	if err == nil && !ok {
		err = &ground.Error{Kind: ground.NotFound, Code: string(access.UnknownLink), Say: "This link leads nowhere. Check that it was copied whole."}
	}
	if err != nil {
		return Visitor{}, err
	}
	v.Member = member != nil && member.StudioID == v.Showing.StudioID
	if reason := access.DecideShowing(v.Showing.Open(), v.Member, right.See); reason != access.Allowed {
		return Visitor{}, &ground.Error{Kind: ground.Gone, Code: string(reason), Say: reason.Say()}
	}
	return v, nil
}

// Pieces are what a visitor sees, in order.
func (s *Service) Pieces(ctx context.Context, v Visitor) ([]Piece, error) {
	return s.rows.Pieces(ctx, v.Showing.ID)
}

// Piece is one piece of the page that a visitor sees.
func (s *Service) Piece(ctx context.Context, v Visitor, id string) (Piece, error) {
	p, ok, err := s.rows.PieceByID(ctx, id)
	if err == nil && (!ok || p.ShowingID != v.Showing.ID) {
		err = ground.Missing("piece")
	}
	return p, err
}

// Opened counts that somebody opened a showing. More than a few from one source
// count no further.
func (s *Service) Opened(ctx context.Context, v Visitor, host string) error {
	if v.Member {
		return nil
	}
	limit := tries.Limit{Key: "shown:" + v.Showing.ID + "|" + host, Most: throttle.OpeningsPerHost}
	return s.rows.Tx(ctx, func(ctx context.Context) error {
		if _, err := s.tries.Spend(ctx, limit); err != nil {
			if known := (*ground.Error)(nil); errors.As(err, &known) && known.Kind == ground.TooMany {
				return nil
			}
			return err
		}
		return s.rows.CountOpening(ctx, v.Showing.ID, s.now())
	})
}

// Look is all colours of a showing, and its letterhead; ok is false where the studio
// has none.
func (s *Service) Look(ctx context.Context, sh Showing) (look letterhead.Look, head letterheads.Letterhead, ok bool, err error) {
	if head, ok, err = s.heads.Chosen(ctx, sh.StudioID, sh.LetterheadID); err != nil {
		return look, head, ok, err
	}
	main, under, band := head.Main, head.Ground, head.Band
	if sh.Accent != "" {
		main = sh.Accent
	}
	if sh.Ground != "" {
		under = sh.Ground
	}
	return letterhead.Read(main, under, band).Look(), head, ok, nil
}

// StillShown are those of some pieces that whoever has the link may see now.
func (s *Service) StillShown(ctx context.Context, pieces []string) ([]string, error) {
	return s.rows.StillShown(ctx, pieces)
}
