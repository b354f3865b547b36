package studio

import (
	"context"
	"encoding/hex"
	"fmt"
	"path"
	"slices"
	"strings"

	"aftergust/core/naming"
	"aftergust/core/preflight"
	"aftergust/core/ziplayout"
)

// A Chosen is an item of a selection with the folder in which it lies, seen from
// what was chosen.
type Chosen struct {
	Item
	Folder string
}

// Path is the name with the folders.
func (c Chosen) Path() string { return path.Join(c.Folder, c.Name) }

// chosen are all items of a selection: those named, in their order, and those
// in the places, each once. Renditions come after the item that stands for them.
func (s *Service) chosen(ctx context.Context, r Records, m Member, sel Selection) ([]Chosen, error) {
	items, places, err := s.mine(ctx, r, m, sel)
	if err != nil {
		return nil, err
	}
	byID := map[string]Item{}
	for _, i := range items {
		byID[i.ID] = i
	}
	var out []Chosen
	for _, id := range sel.Items {
		out = append(out, Chosen{Item: byID[id]})
	}
	if len(places) > 0 {
		inside, err := s.inPlaces(ctx, r, places)
		if err != nil {
			return nil, err
		}
		out = append(out, inside...)
	}
	if out, err = s.withRenditions(ctx, r, out); err != nil {
		return nil, err
	}
	return out, nil
}

func (s *Service) inPlaces(ctx context.Context, r Records, places []Place) ([]Chosen, error) {
	roots, all := map[string]bool{}, map[string]Place{}
	var ids, paths []string
	for _, p := range places {
		roots[p.ID] = true
		ids, paths = append(ids, p.ID), append(paths, p.Path)
	}
	below, err := r.Subplaces(ctx, paths)
	if err != nil {
		return nil, err
	}
	for _, p := range below {
		all[p.ID] = p
	}
	items, err := r.ItemsUnder(ctx, ids)
	if err != nil {
		return nil, err
	}
	var out []Chosen
	for _, i := range items {
		out = append(out, Chosen{i, relative(all, roots, i.PlaceID)})
	}
	slices.SortStableFunc(out, func(a, b Chosen) int { return strings.Compare(a.Folder, b.Folder) })
	return out, nil
}

func (s *Service) withRenditions(ctx context.Context, r Records, all []Chosen) ([]Chosen, error) {
	var leads []string
	for _, c := range all {
		if c.Renditions > 0 {
			leads = append(leads, c.ID)
		}
	}
	renditions := map[string][]Item{}
	if len(leads) > 0 {
		found, err := r.RenditionsOf(ctx, leads)
		if err != nil {
			return nil, err
		}
		for _, i := range found {
			renditions[i.RenditionOf] = append(renditions[i.RenditionOf], i)
		}
	}
	seen := map[string]bool{}
	var out []Chosen
	add := func(c Chosen) {
		if !seen[c.ID] {
			seen[c.ID] = true
			out = append(out, c)
		}
	}
	for _, c := range all {
		add(c)
		for _, i := range renditions[c.ID] {
			add(Chosen{i, c.Folder})
		}
	}
	return out, nil
}

// maxPacked is how many items one package holds.
const maxPacked = 100_000

// Pack puts things into a draft, or into a new one where parcel is empty, with
// their folders. What is in it already stays.
func (s *Service) Pack(ctx context.Context, m Member, parcel string, sel Selection) (Parcel, error) {
	if parcel == "" {
		made, err := s.NewPackage(ctx, m)
		if err != nil {
			return Parcel{}, err
		}
		parcel = made.ID
	}
	p, err := s.parcelOf(ctx, m, parcel)
	if err != nil {
		return Parcel{}, err
	}
	if p.State(s.now()) == stateCleared {
		return Parcel{}, conflict("cleared", "This package is cleared. Make a new one.")
	}
	err = s.records.Tx(ctx, func(r Records) error {
		chosen, err := s.chosen(ctx, r, m, sel)
		if err != nil {
			return err
		}
		if len(chosen) == 0 {
			return conflict("nothing_chosen", "There is nothing in what you chose. Nothing was packed.")
		}
		there, err := r.Contents(ctx, parcel)
		if err != nil {
			return err
		}
		if len(there)+len(chosen) > maxPacked {
			return conflict("too_many", fmt.Sprintf("One package holds up to %d items. Nothing was packed; make two.", maxPacked))
		}
		has, last := map[string]bool{}, 0
		for _, c := range there {
			has[c.ItemID], last = true, max(last, c.Position)
		}
		if err := s.titleFromContents(ctx, r, parcel, chosen[0].Folder, chosen[0].Name); err != nil {
			return err
		}
		for _, c := range chosen {
			if has[c.ID] {
				continue
			}
			last++
			if err := r.InsertParcelItem(ctx, ParcelItem{ID: NewID(), ParcelID: parcel, ItemID: c.ID, Folder: c.Folder, Position: last}); err != nil {
				return err
			}
		}
		return s.contentsChanged(ctx, r, m.StudioID, parcel)
	})
	if err != nil {
		return Parcel{}, err
	}
	return s.parcelOf(ctx, m, parcel)
}

// Preflight says what looks wrong with what was chosen.
func (s *Service) Preflight(ctx context.Context, m Member, sel Selection) ([]preflight.Finding, error) {
	chosen, err := s.chosen(ctx, s.records, m, sel)
	if err != nil {
		return nil, err
	}
	files := make([]preflight.File, 0, len(chosen))
	for _, c := range chosen {
		files = append(files, preflightFile(c.ID, c.Path(), c.What, c.Size, c.XXH3, c.MediaState, c.MediaError, c.Facts))
	}
	return orEmptyFindings(preflight.Look(files)), nil
}

// PreflightPackage says what looks wrong with what is in a package.
func (s *Service) PreflightPackage(ctx context.Context, m Member, id string) ([]preflight.Finding, error) {
	parcel, err := s.parcelOf(ctx, m, id)
	if err != nil {
		return nil, err
	}
	contents, err := s.records.Contents(ctx, parcel.ID)
	if err != nil {
		return nil, err
	}
	var files []preflight.File
	for _, c := range present(contents) {
		files = append(files, preflightFile(c.ID, c.Path(), c.Kind, c.Size, c.XXH3, c.MediaState, c.MediaError, c.Facts))
	}
	return orEmptyFindings(preflight.Look(files)), nil
}

func orEmptyFindings(all []preflight.Finding) []preflight.Finding {
	if all == nil {
		return []preflight.Finding{}
	}
	return all
}

func preflightFile(id, name, kind string, size int64, digest []byte, state, problem string, f Facts) preflight.File {
	file := preflight.File{ID: id, Path: name, Size: size, Digest: hex.EncodeToString(digest), Kind: kind, LengthUS: f.LengthUS, Rate: f.Timeline().Rate, Variable: f.Variable,
		HasSound: f.SoundCodec != "", SampleRate: f.SampleRate, BitDepth: f.BitDepth, Channels: f.Channels, Measured: f.Measured, LUFS: f.LUFS, PeakDBTP: f.PeakDBTP}
	if state == "failed" {
		file.Broken = problem
	}
	return file
}

// Select keeps a selection under an id, so that it can be taken as one ZIP.
func (s *Service) Select(ctx context.Context, m Member, sel Selection) (id, name string, err error) {
	chosen, err := s.chosen(ctx, s.records, m, sel)
	if err != nil {
		return "", "", err
	}
	if len(chosen) == 0 {
		return "", "", conflict("nothing_chosen", "There is nothing in what you chose.")
	}
	name = strings.TrimSuffix(chosen[0].Name, path.Ext(chosen[0].Name))
	if chosen[0].Folder != "" {
		name, _, _ = strings.Cut(chosen[0].Folder, "/")
	}
	id = NewID()
	return id, naming.Portable(name) + ".zip", s.records.KeepSelection(ctx, id, m.StudioID, sel)
}

// SelectedArchive plans the ZIP of a selection that was kept.
func (s *Service) SelectedArchive(ctx context.Context, m Member, id string) (Archive, error) {
	studio, sel, ok, err := s.records.SelectionByID(ctx, id)
	if err != nil {
		return Archive{}, err
	}
	if !ok || studio != m.StudioID {
		return Archive{}, notFound("selection")
	}
	chosen, err := s.chosen(ctx, s.records, m, sel)
	if err != nil {
		return Archive{}, err
	}
	contents := make([]Content, len(chosen))
	for i, c := range chosen {
		contents[i] = Content{ID: c.ID, ItemID: c.ID, Folder: c.Folder, FileName: c.deliveredAs(), VersionID: c.VersionID, Size: c.Size, CRC32: c.CRC32, BlobID: c.BlobID, AddedAt: c.VersionAt}
	}
	return planArchive(contents, "selection.zip")
}

// deliveredAs is the name of the file that is delivered: a link, swatch or sheet
// goes as the file that was written for it.
func (i Item) deliveredAs() string {
	if i.Kind == "file" {
		return i.Name
	}
	return i.FileName
}

// planArchive lays out a ZIP of contents.
func planArchive(contents []Content, name string) (Archive, error) {
	entries := make([]ziplayout.Entry, len(contents))
	var names naming.Namer
	for i, c := range contents {
		entries[i] = ziplayout.Entry{Name: names.Give(c.Path()), Size: c.Size, CRC32: c.CRC32, Modified: c.AddedAt}
	}
	layout, err := ziplayout.New(entries)
	if err != nil {
		return Archive{}, fmt.Errorf("plan the ZIP %d entries: %w", len(entries), err)
	}
	return Archive{Layout: layout, Contents: contents, Name: name}, nil
}

// Storage is what takes the studio's space, in bytes.
type Storage struct {
	Used     int64     `json:"used" doc:"bytes held or arriving"`
	Quota    int64     `json:"quota"`
	Current  int64     `json:"current" doc:"files of clients, their current versions"`
	Older    int64     `json:"older" doc:"their earlier versions"`
	Packages int64     `json:"packages" doc:"files that lie only in packages"`
	Bin      int64     `json:"bin" doc:"what is in the bin"`
	Made     int64     `json:"made" doc:"posters, proxies and other previews"`
	Arriving int64     `json:"arriving" doc:"uploads that are not whole"`
	Places   []Counted `json:"places" doc:"clients by what they take, the largest first"`
}

// Storage tells what takes the space, and what is freed when packages end.
func (s *Service) Storage(ctx context.Context, m Member) (Storage, error) {
	storage, err := s.records.StorageOf(ctx, m.StudioID)
	if err != nil {
		return storage, err
	}
	storage.Used, storage.Quota, err = s.records.Usage(ctx, m.StudioID)
	return storage, err
}
