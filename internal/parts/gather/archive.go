package gather

import (
	"context"
	"path"
	"strings"

	"aftergust/core/file/naming"
	"aftergust/core/file/thing"
	"aftergust/internal/files/archive"
	"aftergust/internal/ground"
	"aftergust/internal/who/account"
)

// Select keeps a selection under an id, so that it can be taken as one ZIP.
func (s *Selections) Select(ctx context.Context, m account.Member, sel Selection) (id, name string, err error) {
	chosen, err := s.Chosen(ctx, m, sel)
	if err != nil {
		return "", "", err
	}
	if len(chosen) == 0 {
		return "", "", ground.Clash("nothing_chosen", "There is nothing in what you chose.")
	}
	name = strings.TrimSuffix(chosen[0].Name, path.Ext(chosen[0].Name))
	if chosen[0].Folder != "" {
		name, _, _ = strings.Cut(chosen[0].Folder, "/")
	}
	id = ground.NewID()
	return id, naming.Portable(name) + ".zip", s.selectionRows.KeepSelection(ctx, id, m.StudioID, sel)
}

// SelectedArchive plans the ZIP of a selection that was kept.
func (s *Selections) SelectedArchive(ctx context.Context, m account.Member, id string) (*archive.Plan, error) {
	studio, sel, ok, err := s.selectionRows.SelectionByID(ctx, id)
	if err != nil {
		return nil, err
	}
	if !ok || studio != m.StudioID {
		return nil, ground.Missing("selection")
	}
	entries, had, err := s.archiveRows.KeptZIP(ctx, id)
	if err != nil {
		return nil, err
	}
	if had == 0 { // the first who asks says what it holds, so that it can be finished as it was begun
		chosen, err := s.Chosen(ctx, m, sel)
		if err != nil {
			return nil, err
		}
		entries = make([]archive.Entry, len(chosen))
		for i, c := range chosen {
			entries[i] = archive.Entry{ID: c.ID, Version: c.VersionID, Path: path.Join(c.Folder, c.deliveredAs())}
		}
		folders, err := s.EmptyFolders(ctx, m, sel, chosen)
		if err != nil {
			return nil, err
		}
		for _, folder := range folders {
			entries = append(entries, archive.Folder(folder))
		}
		if err := s.archiveRows.KeepZIP(ctx, id, "", entries); err != nil {
			return nil, err
		}
		if entries, had, err = s.archiveRows.KeptZIP(ctx, id); err != nil { // of two who asked at once, one said it
			return nil, err
		}
	}
	if len(entries) < had {
		return nil, ground.Clash("zip_gone", "Some of what you chose is not kept any more. Choose anew; what you have downloaded is safe.")
	}
	return archive.New(entries, "selection.zip", nil)
}

// deliveredAs is the name of the file that is delivered: a link, swatch or sheet
// goes as the file that was written for it.
func (i Item) deliveredAs() string {
	if i.Kind == thing.File {
		return i.Name
	}
	return i.FileName
}
