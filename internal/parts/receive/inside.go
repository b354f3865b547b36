package receive

import (
	"context"
	"crypto/sha256"
	"encoding/base64"
	"fmt"
	"slices"
	"strings"

	"aftergust/core/file/naming"
	"aftergust/core/link/access"
	"aftergust/core/link/right"
	"aftergust/internal/files/archive"
	"aftergust/internal/ground"
	"aftergust/internal/parts/pack"
)

// Inside is what a recipient sees once they are through the door, a page at a time.
type Inside struct {
	Contents []pack.Content
	Covers   map[string]Cover // by version, also the older ones: what they have of what is on the page
}

// Inside lists what an entrant may see or take, after a place in the list.
func (s *Service) Inside(ctx context.Context, e Entrant, after pack.Place) (Inside, error) {
	see, take := e.Decide(right.See, false, s.now()), e.Decide(right.Take, false, s.now())
	if see != access.Allowed && take != access.Allowed {
		return Inside{}, Refusal(see)
	}
	contents, err := s.contentRows.Contents(ctx, e.Parcel.ID, after, pack.ContentsPage)
	if err != nil {
		return Inside{}, err
	}
	versions := make([]string, 0, len(contents))
	for _, c := range contents {
		versions = append(append(versions, c.VersionID), c.Older...)
	}
	covers, err := s.coverRows.CoversOf(ctx, e.Line.ID, versions)
	return Inside{Contents: contents, Covers: covers}, err
}

// Reach is an item of the entrant's package that they may use by verb.
func (s *Service) Reach(ctx context.Context, e Entrant, id string, verb right.Right) (pack.Content, error) {
	content, ok, err := s.contentRows.ContentByID(ctx, id)
	if err != nil {
		return pack.Content{}, err
	}
	if !ok || content.ParcelID != e.Parcel.ID {
		// Through the door or not is said first, so that ids cannot be probed.
		if err := Refusal(e.Standing(s.now())); err != nil {
			return pack.Content{}, err
		}
		return pack.Content{}, ground.Missing("item")
	}
	return content, Refusal(e.Decide(verb, content.WithdrawnAt != nil, s.now()))
}

var errVersionGone = &ground.Error{Kind: ground.Gone, Code: "version_gone",
	Say: "This version is not kept any more, or was never given to you. Open the package and download what is there now; what you have is safe."}

// AsBegun is an item in an older version, which the package gave before: whoever
// began it can finish it for as long as it is held.
func (s *Service) AsBegun(ctx context.Context, c pack.Content, version string) (pack.Content, error) {
	if version == c.VersionID {
		return c, nil
	}
	older, ok, err := s.givenRows.GaveBefore(ctx, c.ID, version)
	if err == nil && !ok {
		err = errVersionGone
	}
	c.VersionID, c.BlobID, c.Size, c.FileName, c.VersionAt = older.Version, older.Blob, older.Size, older.Path, older.Modified
	return c, err
}

// Choose keeps which items of the package an entrant wants as one ZIP, and
// returns the id under which it is taken: the same choice has the same id.
func (s *Service) Choose(ctx context.Context, e Entrant, items []string) (string, error) {
	if err := Refusal(e.Decide(right.Take, false, s.now())); err != nil {
		return "", err
	}
	items = slices.Clone(items)
	slices.Sort(items)
	items = slices.Compact(items)
	if len(items) == 0 {
		return "", ground.Wrong("items", "Choose what to take.")
	}
	// What is kept is a choice of what is there, not whatever somebody makes up.
	if given, err := s.givenRows.GivesAll(ctx, e.Parcel.ID, items); err != nil {
		return "", err
	} else if !given {
		return "", ground.Clash("not_here", "Some of what you chose is not in this package any more. Reload the page and choose again; what you have is safe.")
	}
	sum := sha256.Sum256([]byte(e.Parcel.ID + "\n" + strings.Join(items, "\n")))
	id := base64.RawURLEncoding.EncodeToString(sum[:18])
	return id, s.givenRows.KeepChoice(ctx, id, e.Parcel.ID, items)
}

// zipKey names the state of a package's ZIP.
func (e Entrant) zipKey(w Wanted) string {
	key := fmt.Sprintf("%s/%d/%s", e.Parcel.ID, w.Rev, w.Chosen)
	if w.With != 0 {
		key += "+" + w.With.String()
	}
	return key
}

// planned is under which name a plan lies in memory; a plan knows what the ZIP is called.
func (e Entrant) planned(key string) string { return key + "/" + e.Parcel.Title }

// ArchiveReady is the plan of the whole package's ZIP if it is made already.
func (s *Service) ArchiveReady(e Entrant) *archive.Plan {
	zip, _ := s.plans.Peek(e.planned(e.zipKey(Wanted{Rev: e.Parcel.ContentsRev})))
	return zip
}

// ErrZIPChanged says that a ZIP was never begun as it was then, and is another now.
var ErrZIPChanged = &ground.Error{Kind: ground.Gone, Code: "zip_changed",
	Say: "What is in this package has changed since. Open the package and download anew; what you have is safe."}

var errZIPGone = &ground.Error{Kind: ground.Gone, Code: "zip_gone",
	Say: "Some of what this ZIP held was withdrawn or is not kept any more. Open the package and download anew; what you have is safe."}

// A Wanted ZIP is what somebody asks for.
type Wanted struct {
	Chosen string // what was chosen by Choose under this id; empty: everything
	Rev    int64  // revision of the contents; 0: as they are now
	With   With   // what goes along
}

// Archive plans the ZIP of what an entrant may take. One that was begun (see Begin)
// can be had as it was for as long as nothing in it was withdrawn and its versions
// are held; one that was not is ErrZIPChanged.
func (s *Service) Archive(ctx context.Context, e Entrant, w Wanted) (*archive.Plan, error) {
	if err := Refusal(e.Decide(right.Take, false, s.now())); err != nil {
		return nil, err
	}
	if w.Rev != 0 && w.Rev != e.Parcel.ContentsRev {
		return s.begun(ctx, e, w)
	}
	w.Rev = e.Parcel.ContentsRev
	key := e.zipKey(w)
	return s.plans.Get(ctx, e.planned(key), func(ctx context.Context) (*archive.Plan, error) {
		var items []string
		if w.Chosen != "" {
			kept, ok, err := s.givenRows.ChoiceByID(ctx, w.Chosen, e.Parcel.ID)
			if err != nil {
				return nil, err
			}
			if !ok {
				return nil, &ground.Error{Kind: ground.Gone, Code: "choice_gone",
					Say: "This choice is older than a week. Open the package and choose again; what you have downloaded is safe."}
			}
			items = kept
		}
		entries, rev, err := s.givenRows.Entries(ctx, e.Parcel.ID, items)
		if err != nil {
			return nil, err
		}
		if len(entries) < len(items) {
			return nil, ground.Missing("item in this package")
		}
		if len(entries) == 0 {
			return nil, ground.Clash("nothing_to_take", "There is nothing to download in this package.")
		}
		if rev != e.Parcel.ContentsRev { // it changed in this moment
			return nil, ErrZIPChanged
		}
		return s.plan(e, entries, key, w.With)
	})
}

func (s *Service) plan(e Entrant, entries []archive.Entry, key string, with With) (*archive.Plan, error) {
	docs, err := s.docs(e, entries, with)
	if err != nil {
		return nil, err
	}
	zip, err := archive.New(entries, naming.Portable(e.Parcel.Title)+".zip", docs)
	if err == nil {
		zip.Key = key
	}
	return zip, err
}

// begun is a ZIP as a recipient began it. It is laid out from what was written down
// then, never from a plan that lies in memory for another reason: a member may have
// looked at a draft, with what was never sent.
func (s *Service) begun(ctx context.Context, e Entrant, w Wanted) (*archive.Plan, error) {
	key := e.zipKey(w)
	zip, err := s.plans.Get(ctx, e.planned("begun "+key), func(ctx context.Context) (*archive.Plan, error) {
		entries, had, err := s.archiveRows.KeptZIP(ctx, key)
		switch {
		case err != nil:
			return nil, err
		case had == 0:
			return nil, ErrZIPChanged
		case len(entries) < had:
			return nil, errZIPGone
		}
		for i := range entries {
			if entries[i].Text != "" {
				entries[i].Modified = ground.When(e.Parcel.SentAt) // as it was written first
			}
		}
		begun, err := s.plan(e, entries, key, 0) // what goes along was written down with the rest
		if err == nil {
			begun.Kept.Store(true)
		}
		return begun, err
	})
	if err != nil {
		return nil, err
	}
	given, err := s.givenRows.GivesAll(ctx, e.Parcel.ID, zip.IDs)
	if err == nil && !given {
		err = errZIPGone
	}
	return zip, err
}

// Begin writes down what a ZIP holds, before its first byte goes out to a recipient.
func (s *Service) Begin(ctx context.Context, e Entrant, zip *archive.Plan) error {
	if e.Studio || zip.Kept.Load() {
		return nil
	}
	err := s.archiveRows.KeepZIP(ctx, zip.Key, e.Parcel.ID, zip.Entries)
	if err == nil {
		zip.Kept.Store(true)
	}
	return err
}
