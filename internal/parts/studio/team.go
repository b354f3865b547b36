package studio

import (
	"context"
	"net/http"
	"time"

	"aftergust/core/file/transfer"
	"aftergust/core/link/access"
	"aftergust/core/link/role"
	"aftergust/core/words/letter"
	"aftergust/internal/web"
	"aftergust/internal/who/account"

	"github.com/danielgtaylor/huma/v2"
)

type colleagueView struct {
	ID    string    `json:"id"`
	Name  string    `json:"name"`
	Email string    `json:"email"`
	Role  role.Role `json:"role"`
	You   bool      `json:"you"`
}

type invitationView struct {
	ID        string    `json:"id"`
	Email     string    `json:"email"`
	Role      role.Role `json:"role"`
	Inviter   string    `json:"inviter"`
	CreatedAt time.Time `json:"created_at"`
	ExpiresAt time.Time `json:"expires_at"`
	Over      bool      `json:"over" doc:"it was not answered in time"`
}

func (a Routes) viewInvitation(i account.Invitation) invitationView {
	return invitationView{i.ID, i.Email, i.Role, i.Inviter, i.CreatedAt, i.ExpiresAt, !a.Pack.Now().Before(i.ExpiresAt)}
}

type studioView struct {
	Name        string           `json:"name"`
	Zone        string           `json:"zone" doc:"IANA time zone"`
	Members     []colleagueView  `json:"members"`
	Invitations []invitationView `json:"invitations" doc:"that wait for an answer"`
	Used        int64            `json:"used" doc:"bytes"`
	Quota       int64            `json:"quota" doc:"bytes"`
	UsedSaying  string           `json:"used_saying"`
}

func (a Routes) studio(ctx context.Context, m account.Member, _ *web.None) (*web.Body[studioView], error) {
	v := studioView{Name: m.StudioName, Zone: m.Zone, Members: []colleagueView{}, Invitations: []invitationView{}}
	members, err := a.Team.Members(ctx, m)
	if err != nil {
		return nil, err
	}
	for _, one := range members {
		v.Members = append(v.Members, colleagueView{one.ID, one.Name, one.Email, one.Role, one.ID == m.ID})
	}
	invited, err := a.Team.Invitations(ctx, m)
	if err != nil {
		return nil, err
	}
	for _, i := range invited {
		v.Invitations = append(v.Invitations, a.viewInvitation(i))
	}
	space, err := a.Web.Keep.Space(ctx, m)
	v.Used, v.Quota, v.UsedSaying = space.Used, space.Quota, transfer.Size(space.Used)+" of "+transfer.Size(space.Quota)
	return &web.Body[studioView]{Body: v}, err
}

type studioInput struct {
	Body struct {
		Name string `json:"name" maxLength:"200"`
		Zone string `json:"zone" maxLength:"64" doc:"IANA time zone"`
	}
}

type inviteInput struct {
	Body struct {
		Email string    `json:"email" maxLength:"254"`
		Role  role.Role `json:"role"`
	}
}

type roleInput struct {
	web.ByID
	Body struct {
		Role role.Role `json:"role"`
	}
}

// teamOperations are about who works in the studio, and what it is called.
func (a Routes) teamOperations() {
	a.joinOperations()
	a.foundOperations()
	a.confirmOperations()
	web.Add(a.Web, web.StudioOp(http.MethodGet, "/studio", "studio", "The studio: its name, who works there, what it holds"), web.AsMember(a.studio))
	web.Add(a.Web, web.StudioOp(http.MethodPatch, "/studio", "rename-studio", "Say what the studio is called, and on which clock it works"),
		web.AsMay(access.Run, func(ctx context.Context, m account.Member, in *studioInput) (*web.None, error) {
			return nil, a.Team.Rename(ctx, m, in.Body.Name, in.Body.Zone, web.From(ctx).Host)
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/studio/invitations", "invite", "Invite somebody by mail to work in the studio"),
		web.AsMay(access.Run, web.Proven(a.Web, func(ctx context.Context, m account.Member, in *inviteInput) (*web.Body[invitationView], error) {
			i, err := a.Team.Invite(ctx, m, in.Body.Email, in.Body.Role, web.From(ctx).Host)
			return &web.Body[invitationView]{Body: a.viewInvitation(i)}, err
		})))
	web.Add(a.Web, web.StudioOp(http.MethodDelete, "/studio/invitations/{id}", "withdraw-invitation", "Take an invitation back"),
		web.AsMay(access.Run, func(ctx context.Context, m account.Member, in *web.ByID) (*web.None, error) {
			return nil, a.Team.Withdraw(ctx, m, in.ID, web.From(ctx).Host)
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPatch, "/studio/members/{id}", "change-role", "Make somebody an owner, or a member"),
		web.AsMay(access.Run, web.Proven(a.Web, func(ctx context.Context, m account.Member, in *roleInput) (*web.None, error) {
			return nil, a.Team.SetRole(ctx, m, in.ID, in.Body.Role, web.From(ctx).Host)
		})))
	web.Add(a.Web, web.StudioOp(http.MethodDelete, "/studio/members/{id}", "remove-member", "Take somebody out of the studio; what they made stays"),
		web.AsMay(access.Run, web.Proven(a.Web, func(ctx context.Context, m account.Member, in *web.ByID) (*web.None, error) {
			return nil, a.Team.Remove(ctx, m, in.ID, web.From(ctx).Host)
		})))
}

type invitedView struct {
	Studio  string `json:"studio"`
	Inviter string `json:"inviter"`
	Email   string `json:"email"`
}

type joinInput struct {
	Body struct {
		Token    string `json:"token" maxLength:"100"`
		Name     string `json:"name" maxLength:"200"`
		Password string `json:"password" maxLength:"500"`
	}
}

// joinOperations are for whoever got an invitation.
func (a Routes) joinOperations() {
	op := func(method, path, id, summary string) huma.Operation {
		return huma.Operation{Method: method, Path: "/api/v1/join" + path, OperationID: id, Summary: summary, Tags: []string{"Studio"}}
	}
	web.Add(a.Web, op(http.MethodPost, "/look", "invited", "What an invitation says"), func(ctx context.Context, in *struct {
		Body struct {
			Token string `json:"token" maxLength:"100"`
		}
	}) (*web.Body[invitedView], error) {
		i, err := a.Team.Invited(ctx, in.Body.Token, web.From(ctx).Host)
		return &web.Body[invitedView]{Body: invitedView{i.StudioName, i.Inviter, i.Email}}, err
	})
	web.Add(a.Web, op(http.MethodPost, "", "join", "Accept an invitation, and be signed in"), func(ctx context.Context, in *joinInput) (*signedIn, error) {
		m, err := a.Team.Join(ctx, in.Body.Token, in.Body.Name, in.Body.Password, web.From(ctx).Host)
		if err != nil {
			return nil, err
		}
		return a.begin(ctx, m)
	})
	web.Add(a.Web, op(http.MethodPost, "/decline", "decline", "Answer an invitation with no"), func(ctx context.Context, in *struct {
		Body struct {
			Token string `json:"token" maxLength:"100"`
		}
	}) (*web.None, error) {
		return nil, a.Team.Decline(ctx, in.Body.Token, web.From(ctx).Host)
	})
}

type foundingView struct {
	Open bool `json:"open" doc:"there is no studio yet, and one can be founded with the code from the log"`
}

type foundInput struct {
	Body struct {
		Code     string `json:"code" maxLength:"100" doc:"from the log of the server"`
		Studio   string `json:"studio" maxLength:"200"`
		Zone     string `json:"zone" maxLength:"64" doc:"IANA time zone"`
		Name     string `json:"name" maxLength:"200" doc:"of the owner"`
		Email    string `json:"email" maxLength:"254"`
		Password string `json:"password" maxLength:"500"`
	}
}

type confirmLetterView struct {
	State   letter.State `json:"state" doc:"empty where there was none"`
	Problem string       `json:"problem" doc:"why it has not gone; empty where nothing speaks against it"`
}

// confirmOperations show that the mail address of whoever founded a studio is theirs.
func (a Routes) confirmOperations() {
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/account/address/code", "send-confirm-code", "Ask for a code to confirm one's mail address, or a better one"),
		web.AsMember(func(ctx context.Context, m account.Member, in *struct {
			Body struct {
				Email string `json:"email,omitempty" maxLength:"254" doc:"a better address, where the first had a mistake in it"`
			}
		}) (*web.None, error) {
			return nil, a.Team.AskConfirm(ctx, m, in.Body.Email, web.From(ctx).Host)
		}))
	web.Add(a.Web, web.StudioOp(http.MethodGet, "/account/address", "confirm-letter", "What became of the letter with the last code to confirm one's mail address"), web.AsMember(
		func(ctx context.Context, m account.Member, _ *web.None) (*web.Body[confirmLetterView], error) {
			state, problem, err := a.Team.ConfirmLetter(ctx, m)
			return &web.Body[confirmLetterView]{Body: confirmLetterView{state, problem}}, err
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/account/address/confirm", "confirm-address", "Confirm one's mail address by the code that went there"), web.AsMember(
		func(ctx context.Context, m account.Member, in *struct {
			Body struct {
				Code string `json:"code" maxLength:"40"`
			}
		}) (*web.None, error) {
			return nil, a.Team.Confirm(ctx, m, in.Body.Code, web.From(ctx).Host)
		}))
}

// foundOperations found the first studio.
func (a Routes) foundOperations() {
	op := func(method, id, summary string) huma.Operation {
		return huma.Operation{Method: method, Path: "/api/v1/found", OperationID: id, Summary: summary, Tags: []string{"Studio"}}
	}
	web.Add(a.Web, op(http.MethodGet, "founding", "Whether a studio is still to be founded"),
		func(ctx context.Context, _ *web.None) (*web.Body[foundingView], error) {
			open, err := a.Team.Unfounded(ctx)
			return &web.Body[foundingView]{Body: foundingView{open}}, err
		})
	web.Add(a.Web, op(http.MethodPost, "found", "Found the first studio, and be signed in"), func(ctx context.Context, in *foundInput) (*signedIn, error) {
		b := in.Body
		m, err := a.Team.FoundFirst(ctx, b.Code, b.Studio, b.Zone, account.Member{Name: b.Name, Email: b.Email}, b.Password, web.From(ctx).Host)
		if err != nil {
			return nil, err
		}
		return a.begin(ctx, m)
	})
}
