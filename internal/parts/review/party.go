package review

import (
	"context"
	"time"

	"aftergust/core/link/access"
	"aftergust/core/link/right"
	"aftergust/internal/ground"
	"aftergust/internal/parts/pack"
	"aftergust/internal/parts/receive"
	"aftergust/internal/who/account"
)

// A Party is who takes part in a review: a member of the studio, or whoever came by a
// link. Both do the same things; what they may is said in core/link/access.
type Party struct {
	member account.Member
	guest  receive.Entrant
}

// Studio is a member of the studio.
func Studio(m account.Member) Party { return Party{member: m} }

// Guest is whoever came by a link.
func Guest(e receive.Entrant) Party { return Party{guest: e} }

// InStudio reports whether they are of the studio.
func (p Party) InStudio() bool { return p.member.ID != "" }

// ID is that of the member, or of the line.
func (p Party) ID() string {
	if p.InStudio() {
		return p.member.ID
	}
	return p.guest.Line.ID
}

// Name is what they are called.
func (p Party) Name() string {
	if p.InStudio() {
		return p.member.Name
	}
	return p.guest.Line.Name
}

// wrote reports whether they wrote a note.
func (p Party) wrote(n Note) bool {
	if p.InStudio() {
		return n.MemberID == p.member.ID
	}
	return n.LineID == p.guest.Line.ID
}

// by names them as the author of something.
func (p Party) by() (line, way, member string) {
	if p.InStudio() {
		return "", "", p.member.ID
	}
	return p.guest.Line.ID, p.guest.Line.WayID, ""
}

// decide is access.DecideNote for them. gate is the package.
func (p Party) decide(act access.NoteAct, n Note, gate access.Parcel, now time.Time) access.Reason {
	about := access.Note{Private: n.Private, Mine: p.wrote(n), Withdrawn: n.Withdrawn}
	if p.InStudio() {
		return access.DecideNote(gate, access.Person{Studio: true}, act, about)
	}
	return p.guest.DecideNote(act, about, now)
}

// writes refuses who only looks at a package as somebody else does.
func (p Party) writes() error {
	if !p.InStudio() && p.guest.Studio {
		return ground.Clash("only_looking", "You look at this as "+p.guest.Line.Name+" does. Write in the Room, under your own name.")
	}
	return nil
}

// content is an item of a package that they may use by verb.
func (s *Service) content(ctx context.Context, p Party, id string, verb right.Right) (pack.Content, pack.Parcel, error) {
	if p.InStudio() {
		return s.pack.ContentOf(ctx, p.member, id)
	}
	c, err := s.receive.Reach(ctx, p.guest, id, verb)
	return c, p.guest.Parcel, err
}

// note finds a note with which they may do act, and its package.
func (s *Service) note(ctx context.Context, p Party, id string, act access.NoteAct) (Note, pack.Parcel, error) {
	if !p.InStudio() {
		// What they may not do at all is said first, so that ids cannot be probed.
		if err := receive.Refusal(p.guest.DecideNote(act, access.Note{Mine: true}, s.now())); err != nil {
			return Note{}, p.guest.Parcel, err
		}
	}
	n, ok, err := s.rows.NoteByID(ctx, id)
	if err == nil && (!ok || !p.InStudio() && n.ParcelID != p.guest.Parcel.ID) {
		err = ground.Missing("note")
	}
	parcel := p.guest.Parcel
	if err == nil && p.InStudio() {
		parcel, err = s.pack.ParcelOf(ctx, p.member, n.ParcelID)
		err = ground.MissingIn(err, "note")
	}
	if err != nil {
		return Note{}, parcel, err
	}
	reason := p.decide(act, n, parcel.Gate(s.now()), s.now())
	if reason == access.Allowed && act != access.ReadNote {
		err = p.writes()
	}
	if reason != access.Allowed {
		err = receive.Refusal(reason)
		if reason == access.UnknownNote {
			err = ground.Missing("note")
		}
	}
	return n, parcel, err
}

// Rights are what they may do with the package.
func (p Party) Rights() right.Rights {
	if p.InStudio() {
		return right.All.Names()
	}
	return append(right.Rights{}, p.guest.Line.Rights...)
}

// zone is the clock by which they read.
func (p Party) zone() string {
	if p.InStudio() {
		return p.member.Zone
	}
	return p.guest.Line.Zone
}
