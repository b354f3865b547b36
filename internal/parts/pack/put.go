package pack

import (
	"context"
	"fmt"
	"path"
	"strings"
	"time"

	"aftergust/core/file/naming"
	"aftergust/core/link/state"
	"aftergust/internal/ground"
	"aftergust/internal/parts/gather"
	"aftergust/internal/who/account"
)

// MaxItems is how many items one package holds.
const MaxItems = 100_000

// A Put is an item on its way into a package.
type Put struct {
	ItemID   string
	Folder   string
	Position int // in the package; 0 for behind all others
}

// Pack puts things into a draft, or into a new one where parcel is empty, with
// their folders. What is in it already stays.
func (s *Service) Pack(ctx context.Context, m account.Member, parcel string, sel gather.Selection) (Parcel, error) {
	err := s.rows.Tx(ctx, func(ctx context.Context) error {
		if parcel == "" {
			made, err := s.NewPackage(ctx, m)
			if err != nil {
				return err
			}
			parcel = made.ID
		}
		p, err := s.Lock(ctx, m, parcel)
		if err != nil {
			return err
		}
		if p.State(s.now()) == state.Cleared {
			return ground.Clash("cleared", "This package is cleared. Make a new one.")
		}
		chosen, err := s.chosen.Chosen(ctx, m, sel)
		if err != nil {
			return err
		}
		if len(chosen) == 0 {
			return ground.Clash("nothing_chosen", "There is nothing in what you chose. Nothing was packed.")
		}
		if p.Items+len(chosen) > MaxItems {
			return ground.Clash("too_many", fmt.Sprintf("One package holds up to %d items. Nothing was packed; make two.", MaxItems))
		}
		if err := s.TitleFromContents(ctx, parcel, chosen[0].Folder, chosen[0].Name); err != nil {
			return err
		}
		items := make([]Put, len(chosen))
		for i, c := range chosen {
			items[i] = Put{ItemID: c.ID, Folder: c.Folder}
		}
		folders, err := s.chosen.EmptyFolders(ctx, m, sel, chosen)
		if err != nil {
			return err
		}
		return s.put(ctx, p, items, folders)
	})
	if err != nil {
		return Parcel{}, err
	}
	return s.ParcelOf(ctx, m, parcel)
}

// Put adds items to a package, in the transaction of ctx.
func (s *Service) Put(ctx context.Context, p Parcel, items []Put) error {
	return s.put(ctx, p, items, nil)
}

func (s *Service) put(ctx context.Context, p Parcel, items []Put, folders []string) error {
	added, err := s.contentRows.PutItems(ctx, p.ID, items, folders)
	if err != nil {
		return err
	}
	if added > 0 {
		if err := s.added(ctx, p); err != nil {
			return err
		}
	}
	if p.SentAt == nil && p.GoingAt != nil { // perhaps this was the last that it waited for
		if err := s.rows.Enqueue(ctx, ground.GoJob{At: *p.GoingAt}); err != nil {
			return err
		}
	}
	return s.rows.Announce(ctx, ground.Change{Studio: p.StudioID, Parcel: p.ID, What: ground.ContentsChanged})
}

// TitleFromContents names a package after what was put in it, until somebody
// has named it by hand.
func (s *Service) TitleFromContents(ctx context.Context, id, folder, name string) error {
	title, _, _ := strings.Cut(folder, "/")
	if title == "" {
		title = strings.TrimSuffix(name, path.Ext(name))
	}
	return s.rows.TitleParcel(ctx, id, Untitled, naming.Title(title))
}

// newsAfter is how long what is added to a package that is out is gathered before
// people are told of it, in one letter.
const newsAfter = 10 * time.Minute

// added is what follows from items that were put into a package that is out.
func (s *Service) added(ctx context.Context, p Parcel) error {
	now := s.now()
	if p.SentAt == nil || !p.State(now).Open() {
		return nil
	}
	locked, ok, err := s.rows.LockParcel(ctx, p.ID)
	if err != nil || !ok {
		return err
	}
	if locked.Pins {
		if err := s.memoryRows.PinItems(ctx, p.ID); err != nil {
			return err
		}
	}
	if locked.NewsAt != nil {
		return nil
	}
	at := now.Add(newsAfter)
	locked.NewsAt = &at
	if err := s.rows.UpdateParcel(ctx, locked); err != nil {
		return err
	}
	return s.rows.Enqueue(ctx, ground.GoJob{At: at})
}
