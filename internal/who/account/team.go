package account

import (
	"context"
	"strings"
	"time"

	"aftergust/core/file/naming"
	"aftergust/core/link/guard"
	"aftergust/core/link/role"
	"aftergust/core/link/throttle"
	"aftergust/core/time/expiry"
	"aftergust/core/words/letter"
	"aftergust/internal/ground"
	"aftergust/internal/ground/db"
	"aftergust/internal/out/letters"
	"aftergust/internal/who/tries"
)

// An Invitation asks somebody to work in a studio.
type Invitation struct {
	ID         string
	StudioID   string
	StudioName string
	Email      string
	Role       role.Role
	InvitedBy  string // id of the member
	Inviter    string // their name
	CreatedAt  time.Time
	ExpiresAt  time.Time
}

// How an invitation was answered.
const (
	accepted  = "accepted"
	declined  = "declined"
	withdrawn = "withdrawn"
)

// A Team is who works in a studio, and what it is called. Whether a member may
// change that is for access.MayAct to say before it is called.
type Team struct {
	rows    TeamRows
	account *Service
}

// NewTeam makes a team.
func NewTeam(crew *db.DB, account *Service) *Team { return &Team{TeamRows{crew}, account} }

// Members are those of a studio, the owners first.
func (t *Team) Members(ctx context.Context, m Member) ([]Member, error) {
	return t.rows.Members(ctx, m.StudioID)
}

// Invitations are those that wait for an answer.
func (t *Team) Invitations(ctx context.Context, m Member) ([]Invitation, error) {
	return t.rows.Invitations(ctx, m.StudioID)
}

// Invite mails somebody an invitation. One that they have already is replaced by it.
func (t *Team) Invite(ctx context.Context, m Member, address string, r role.Role, source string) (Invitation, error) {
	_, email, err := letters.Address(address)
	if err != nil {
		return Invitation{}, err
	}
	if !role.All.Has(r) {
		return Invitation{}, ground.Wrong("role", "Somebody is an owner or a member.")
	}
	if m.Unconfirmed {
		return Invitation{}, ground.Clash("unconfirmed", "Confirm your own mail address first; a code went to "+m.Email+".")
	}
	now := t.account.now()
	i := Invitation{ID: ground.NewID(), StudioID: m.StudioID, StudioName: m.StudioName, Email: email, Role: r, InvitedBy: m.ID,
		Inviter: m.Name, CreatedAt: now, ExpiresAt: now.Add(throttle.InvitationLife)}
	err = t.rows.Tx(ctx, func(ctx context.Context) error {
		if err := t.rows.LockStudio(ctx, m.StudioID); err != nil {
			return err
		}
		if _, err := t.account.tries.Spend(ctx, tries.Limit{Key: "invite:" + m.StudioID, Most: throttle.InvitationsPerStudio}); err != nil {
			return err
		}
		all, err := t.rows.Members(ctx, m.StudioID)
		if err != nil {
			return err
		}
		for _, one := range all {
			if strings.EqualFold(one.Email, email) {
				return ground.Clash("member_already", one.Name+" works here already.")
			}
		}
		before, err := t.rows.Invitations(ctx, m.StudioID)
		if err != nil {
			return err
		}
		for _, old := range before {
			if strings.EqualFold(old.Email, email) {
				if _, err := t.rows.AnswerInvitation(ctx, old.ID, withdrawn, now); err != nil {
					return err
				}
			}
		}
		if err := t.rows.InsertInvitation(ctx, i, ground.Hash(t.account.keys.JoinToken(i.ID))); err != nil {
			return err
		}
		if err := t.account.letters.Post(ctx, letters.Letter{StudioID: m.StudioID, Kind: letter.Invitation, ToEmail: email,
			Data: map[string]string{"invitation_id": i.ID, "studio": m.StudioName, "inviter": m.Name}}); err != nil {
			return err
		}
		return t.account.record(ctx, m, guard.Invited, email, source)
	})
	return i, err
}

// Withdraw takes an invitation back; its link leads nowhere from then on.
func (t *Team) Withdraw(ctx context.Context, m Member, id, source string) error {
	return t.rows.Tx(ctx, func(ctx context.Context) error {
		all, err := t.rows.Invitations(ctx, m.StudioID)
		if err != nil {
			return err
		}
		for _, i := range all {
			if i.ID != id {
				continue
			}
			if _, err := t.rows.AnswerInvitation(ctx, id, withdrawn, t.account.now()); err != nil {
				return err
			}
			return t.account.record(ctx, m, guard.InvitationWithdrawn, i.Email, source)
		}
		return ground.Missing("invitation")
	})
}

// errNoOwner is for what would leave a studio without anybody who runs it.
var errNoOwner = ground.Clash("last_owner", "A studio needs an owner. Make somebody else one first.")

// SetRole makes a member of the studio an owner, or a member.
func (t *Team) SetRole(ctx context.Context, m Member, id string, r role.Role, source string) error {
	if !role.All.Has(r) {
		return ground.Wrong("role", "Somebody is an owner or a member.")
	}
	return t.change(ctx, m, id, r == role.Owner, func(ctx context.Context, whom Member) error {
		if whom.Role == r {
			return nil
		}
		if err := t.rows.SetRole(ctx, id, r); err != nil {
			return err
		}
		return t.account.record(ctx, m, guard.RoleChanged, whom.Name+", now "+string(r), source)
	})
}

// Remove takes a member out of the studio: they are signed out, their tokens end and what is
// being sent to them is cut, at once. What they made stays.
func (t *Team) Remove(ctx context.Context, m Member, id, source string) error {
	return t.change(ctx, m, id, false, func(ctx context.Context, whom Member) error {
		if err := t.rows.RemoveMember(ctx, id, t.account.now()); err != nil {
			return err
		}
		if _, err := t.account.rows.EndSignIns(ctx, id, "", "", t.account.now()); err != nil {
			return err
		}
		if err := t.rows.Announce(ctx, ground.Change{Studio: m.StudioID, Parcel: id, What: ground.SignedOut, Cut: &ground.Cut{}}); err != nil {
			return err
		}
		return t.account.record(ctx, m, guard.MemberRemoved, whom.Name, source)
	})
}

// change does something about a member of m's studio, which keeps an owner; stays
// says that whoever it is about is one afterwards.
func (t *Team) change(ctx context.Context, m Member, id string, stays bool, do func(ctx context.Context, whom Member) error) error {
	return t.rows.Tx(ctx, func(ctx context.Context) error {
		if err := t.rows.LockStudio(ctx, m.StudioID); err != nil {
			return err
		}
		all, err := t.rows.Members(ctx, m.StudioID)
		if err != nil {
			return err
		}
		owners, whom := 0, Member{}
		for _, one := range all {
			if one.ID == id {
				whom = one
			} else if one.Role == role.Owner {
				owners++
			}
		}
		switch {
		case whom.ID == "":
			return ground.Missing("member")
		case whom.Role == role.Owner && owners == 0 && !stays:
			return errNoOwner
		}
		return do(ctx, whom)
	})
}

// Rename says what the studio is called and on which clock it works.
func (t *Team) Rename(ctx context.Context, m Member, name, zone, source string) error {
	name, err := studioName(name, zone)
	if err != nil {
		return err
	}
	return t.rows.Tx(ctx, func(ctx context.Context) error {
		if err := t.rows.RenameStudio(ctx, m.StudioID, name, zone); err != nil {
			return err
		}
		return t.account.record(ctx, m, guard.StudioRenamed, name+", on the clock of "+zone, source)
	})
}

// maxName is how long the name of a studio or a person may be, in characters.
const maxName = 80

// called is what somebody or something may be called; at and say are for where it is nothing.
func called(name, at, say string) (string, error) {
	if strings.TrimSpace(name) == "" {
		return "", ground.Wrong(at, "%s", say)
	}
	return naming.Clip(naming.Display(name), maxName), nil
}

// studioName is a name that a studio may have.
func studioName(name, zone string) (string, error) {
	name, err := called(name, "studio", "Say what the studio is called.")
	if err != nil {
		return "", err
	}
	if _, err := expiry.LoadZone(zone); err != nil {
		return "", ground.Wrong("zone", "There is no such time zone. Choose one such as Europe/London.")
	}
	return name, nil
}

var errNoInvitation = &ground.Error{Kind: ground.Gone, Code: "invitation_gone",
	Say: "This invitation has been answered or withdrawn, or is older than a week. Ask for another."}

// invitation finds the invitation of a link. host is the source that asks.
func (t *Team) invitation(ctx context.Context, token, host string) (Invitation, error) {
	var i Invitation
	limits := []tries.Limit{{Key: "join-host:" + host, Most: throttle.PerHost}}
	found, _, err := t.account.tries.Compare(ctx, limits, func() (ok bool, err error) {
		i, ok, err = t.rows.InvitationByHash(ctx, ground.Hash(token), t.account.now())
		return ok, err
	})
	if err == nil && !found {
		err = errNoInvitation
	}
	return i, err
}

// Invited is what an invitation says, for whoever came by its link.
func (t *Team) Invited(ctx context.Context, token, host string) (Invitation, error) {
	return t.invitation(ctx, token, host)
}

// Join accepts an invitation: whoever came by its link is a member from then on.
func (t *Team) Join(ctx context.Context, token, name, password, host string) (Member, error) {
	i, err := t.invitation(ctx, token, host)
	if err != nil {
		return Member{}, err
	}
	if name, err = called(name, "name", "Say what you are called."); err != nil {
		return Member{}, err
	}
	m := Member{ID: ground.NewID(), StudioID: i.StudioID, StudioName: i.StudioName, Name: name, Email: i.Email, Role: i.Role}
	if m.PasswordHash, err = t.account.acceptable(ctx, m, password); err != nil {
		return Member{}, err
	}
	err = t.rows.Tx(ctx, func(ctx context.Context) error {
		if err := t.rows.LockStudio(ctx, i.StudioID); err != nil {
			return err
		}
		if ok, err := t.rows.AnswerInvitation(ctx, i.ID, accepted, t.account.now()); err != nil {
			return err
		} else if !ok {
			return errNoInvitation
		}
		if _, there, err := t.account.rows.MemberByEmail(ctx, i.Email); err != nil {
			return err
		} else if there {
			return ground.Clash("address_taken", "With this address you work in a studio here already. Ask for an invitation to another address.")
		}
		if err := t.account.rows.CreateMember(ctx, m); err != nil {
			return err
		}
		return t.account.record(ctx, m, guard.Joined, i.Inviter, host)
	})
	if err != nil {
		return Member{}, err
	}
	m, _, err = t.account.rows.MemberByID(ctx, m.ID)
	return m, err
}

// Decline answers an invitation with no.
func (t *Team) Decline(ctx context.Context, token, host string) error {
	i, err := t.invitation(ctx, token, host)
	if err != nil {
		return err
	}
	return t.rows.Tx(ctx, func(ctx context.Context) error {
		if ok, err := t.rows.AnswerInvitation(ctx, i.ID, declined, t.account.now()); err != nil || !ok {
			return err
		}
		return t.account.record(ctx, Member{StudioID: i.StudioID, Name: i.Email}, guard.InvitationDeclined, i.Inviter, host)
	})
}

// Unfounded reports whether there is no studio yet.
func (t *Team) Unfounded(ctx context.Context) (bool, error) {
	any, err := t.rows.AnyStudio(ctx)
	return !any, err
}

// FoundingCode is what whoever runs the server reads in its log and types in to found
// the first studio. It is of use until there is one.
func (t *Team) FoundingCode() string { return t.account.keys.FoundingCode() }

// FoundFirst founds the first studio of this server, and mails its owner a code (Confirm).
func (t *Team) FoundFirst(ctx context.Context, code, studio, zone string, owner Member, password, host string) (Member, error) {
	if _, err := t.account.tries.Spend(ctx, tries.Limit{Key: "found", Most: throttle.Everywhere},
		tries.Limit{Key: "found-host:" + host, Most: throttle.PerLink}); err != nil {
		return Member{}, err
	}
	if !ground.Same(strings.ToUpper(strings.Join(strings.FieldsFunc(code, func(r rune) bool { return r == '-' || r == ' ' }), "")),
		strings.ReplaceAll(t.FoundingCode(), "-", "")) {
		return Member{}, &ground.Error{Kind: ground.Refused, Code: "wrong_code", At: "code",
			Say: "This is not the code. It stands in the log of the server, in the line about founding."}
	}
	studio, err := studioName(studio, zone)
	if err != nil {
		return Member{}, err
	}
	_, email, err := letters.Address(owner.Email)
	if err != nil {
		return Member{}, err
	}
	owner.Email = email
	if owner.Name, err = called(owner.Name, "name", "Say what you are called."); err != nil {
		return Member{}, err
	}
	err = t.rows.Tx(ctx, func(ctx context.Context) error {
		if any, err := t.rows.AnyStudio(ctx); err != nil {
			return err
		} else if any {
			return ground.Clash("founded", "There is a studio here already. Sign in, or ask its owner for an invitation.")
		}
		owner.Unconfirmed = true
		if owner, err = t.account.Found(ctx, studio, zone, owner, password); err != nil {
			return err
		}
		return t.sendConfirm(ctx, owner)
	})
	return owner, err
}
