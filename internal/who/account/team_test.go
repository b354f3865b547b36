package account_test

import (
	"strings"
	"testing"
	"time"

	"aftergust/core/link/access"
	"aftergust/core/link/role"
	"aftergust/core/link/throttle"
	"aftergust/core/words/letter"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/ground"
	"aftergust/internal/out/letters"
	"aftergust/internal/who/account"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sync/errgroup"
)

const here = "10.0.0.1"

// invite asks somebody and returns the secret of their link.
func invite(t *testing.T, h *apptest.House, address string, r role.Role) string {
	t.Helper()
	i, err := h.Team.Invite(t.Context(), h.Mara, address, r, here)
	require.NoError(t, err)
	return ground.NewKeys(h.Host.Secrets, h.Host.BaseURL).JoinToken(i.ID)
}

func names(t *testing.T, h *apptest.House, m account.Member) (out []string) {
	t.Helper()
	all, err := h.Team.Members(t.Context(), m)
	require.NoError(t, err)
	for _, one := range all {
		out = append(out, one.Name+" "+string(one.Role))
	}
	return out
}

func TestSomebodyJoinsByTheirInvitationOnce(t *testing.T) {
	h := apptest.Build(t, pg)
	token := invite(t, h, "Tove <tove@kelpwick.example>", role.Member)
	var posted string
	require.NoError(t, h.Store.Pool().QueryRow(t.Context(), "select to_email from letter where kind = $1", letter.Invitation).Scan(&posted))
	assert.Equal(t, "tove@kelpwick.example", posted)
	said, err := h.Team.Invited(t.Context(), token, here)
	require.NoError(t, err)
	assert.Equal(t, [3]string{"Low Tide Pictures", "Mara Quill", "tove@kelpwick.example"}, [3]string{said.StudioName, said.Inviter, said.Email})
	_, err = h.Team.Join(t.Context(), token, " ", "slow glaze harbour lamp", here)
	assert.Equal(t, "invalid", apptest.Code(t, err))
	_, err = h.Team.Join(t.Context(), token, "Tove Ashlund", "short", here)
	assert.Equal(t, "invalid", apptest.Code(t, err), "nothing is used up by a mistake")
	tove, err := h.Team.Join(t.Context(), token, "Tove Ashlund", "slow glaze harbour lamp", here)
	require.NoError(t, err)
	assert.Equal(t, []string{"Mara Quill owner", "Tove Ashlund member"}, names(t, h, h.Mara))
	assert.Equal(t, []string{"Odd Strand owner"}, names(t, h, h.Odd), "in no other studio")
	assert.False(t, access.MayAct(tove.Role, access.Run))
	_, err = h.Account.SignIn(t.Context(), "tove@kelpwick.example", "slow glaze harbour lamp", here, "")
	require.NoError(t, err)
	for what, token := range map[string]string{"used": token, "of nobody": strings.Repeat("x", 22), "empty": ""} {
		_, err = h.Team.Join(t.Context(), token, "Odd One", "slow glaze harbour lamp", here)
		assert.Equal(t, "invitation_gone", apptest.Code(t, err), what)
	}
	record, err := h.Account.Record(t.Context(), h.Mara, 0)
	require.NoError(t, err)
	assert.Equal(t, "Tove Ashlund joined, invited by Mara Quill.", record[0].Say())
	assert.Equal(t, "Mara Quill invited tove@kelpwick.example.", record[1].Say())
}

func TestAnInvitationIsGoodForAWeekAndOnlyTheLastOneOfAnAddress(t *testing.T) {
	h := apptest.Build(t, pg)
	first, second := invite(t, h, "tove@kelpwick.example", role.Member), invite(t, h, "TOVE@kelpwick.example", role.Owner)
	look := func(token string) string {
		_, err := h.Team.Invited(t.Context(), token, here)
		return apptest.Code(t, err)
	}
	assert.Equal(t, "invitation_gone", look(first))
	assert.Empty(t, look(second))
	h.Wait(7*24*time.Hour - time.Millisecond)
	assert.Empty(t, look(second))
	h.Wait(time.Millisecond)
	assert.Equal(t, "invitation_gone", look(second))

	third := invite(t, h, "piet@kelpwick.example", role.Member)
	require.NoError(t, h.Team.Decline(t.Context(), third, here))
	assert.Equal(t, "invitation_gone", look(third))
	fourth := invite(t, h, "piet@kelpwick.example", role.Member)
	waiting, err := h.Team.Invitations(t.Context(), h.Mara)
	require.NoError(t, err)
	require.Len(t, waiting, 2, "the one that is over is shown until it is taken back")
	assert.Equal(t, "not_found", apptest.Code(t, h.Team.Withdraw(t.Context(), h.Odd, waiting[0].ID, here)), "another studio's")
	require.NoError(t, h.Team.Withdraw(t.Context(), h.Mara, waiting[0].ID, here))
	assert.Equal(t, "invitation_gone", look(fourth))
	for address, want := range map[string]string{h.Mara.Email: "member_already", "nowhere": "invalid", "": "invalid"} {
		_, err := h.Team.Invite(t.Context(), h.Mara, address, role.Member, here)
		assert.Equal(t, want, apptest.Code(t, err), address)
	}
	_, err = h.Team.Invite(t.Context(), h.Mara, "x@kelpwick.example", "king", here)
	assert.Equal(t, "invalid", apptest.Code(t, err))
	// Whoever works in another studio is told so themselves; who invites them is not.
	odd := invite(t, h, h.Odd.Email, role.Member)
	_, err = h.Team.Join(t.Context(), odd, "Odd Strand", "slow glaze harbour lamp", here)
	assert.Equal(t, "address_taken", apptest.Code(t, err))
}

func TestAStudioSendsTwentyInvitationsInAQuarterOfAnHour(t *testing.T) {
	h := apptest.Build(t, pg)
	for i := range 20 {
		invite(t, h, string(rune('a'+i))+"@kelpwick.example", role.Member)
	}
	_, err := h.Team.Invite(t.Context(), h.Mara, "z@kelpwick.example", role.Member, here)
	assert.Equal(t, "too_many_tries", apptest.Code(t, err))
}

func TestWhoeverIsRemovedIsOutAtOnce(t *testing.T) {
	h := apptest.Build(t, pg)
	tove, err := h.Team.Join(t.Context(), invite(t, h, "tove@kelpwick.example", role.Member), "Tove Ashlund", "slow glaze harbour lamp", here)
	require.NoError(t, err)
	session, err := h.Account.Begin(t.Context(), tove, "Mozilla/5.0", here, "")
	require.NoError(t, err)
	token, err := h.Account.NewToken(t.Context(), tove.Email, "renders")
	require.NoError(t, err)
	assert.Equal(t, "not_found", apptest.Code(t, h.Team.Remove(t.Context(), h.Odd, tove.ID, here)), "by another studio")
	require.NoError(t, h.Team.Remove(t.Context(), h.Mara, tove.ID, here))
	_, in, err := h.Account.StillIn(t.Context(), session, here)
	require.NoError(t, err)
	assert.False(t, in)
	_, _, in, err = h.Account.MemberByToken(t.Context(), token)
	require.NoError(t, err)
	assert.False(t, in)
	_, err = h.Account.SignIn(t.Context(), tove.Email, "slow glaze harbour lamp", here, "")
	assert.Equal(t, "wrong_sign_in", apptest.Code(t, err))
	_, err = h.Team.Join(t.Context(), invite(t, h, "tove@kelpwick.example", role.Member), "Tove Ashlund", "slow glaze harbour lamp", here)
	require.NoError(t, err, "and may come back")
}

// Two owners who remove each other at the same time leave one.
func TestAStudioKeepsAnOwner(t *testing.T) {
	h := apptest.Build(t, pg)
	assert.Equal(t, "last_owner", apptest.Code(t, h.Team.Remove(t.Context(), h.Mara, h.Mara.ID, here)))
	assert.Equal(t, "last_owner", apptest.Code(t, h.Team.SetRole(t.Context(), h.Mara, h.Mara.ID, role.Member, here)))
	require.NoError(t, h.Team.SetRole(t.Context(), h.Mara, h.Mara.ID, role.Owner, here))
	tove, err := h.Team.Join(t.Context(), invite(t, h, "tove@kelpwick.example", role.Member), "Tove Ashlund", "slow glaze harbour lamp", here)
	require.NoError(t, err)
	assert.Equal(t, "last_owner", apptest.Code(t, h.Team.Remove(t.Context(), h.Mara, h.Mara.ID, here)), "a member is no owner")
	require.NoError(t, h.Team.SetRole(t.Context(), h.Mara, tove.ID, role.Owner, here))
	var both errgroup.Group
	both.Go(func() error { return h.Team.Remove(t.Context(), h.Mara, tove.ID, here) })
	both.Go(func() error { return h.Team.Remove(t.Context(), tove, h.Mara.ID, here) })
	assert.Contains(t, []string{"last_owner", "not_found"}, apptest.Code(t, both.Wait()))
	var owners int
	require.NoError(t, h.Store.Pool().QueryRow(t.Context(), "select count(*) from member where studio_id = $1 and removed_at is null",
		h.Mara.StudioID).Scan(&owners))
	assert.Equal(t, 1, owners)
}

func TestAStudioIsNamedAnewForLettersAndPages(t *testing.T) {
	h := apptest.Build(t, pg)
	for _, c := range [][3]string{{" ", "Europe/London", "studio"}, {"Ebb", "Mars/Olympus", "zone"}, {"Ebb", "", "zone"}} {
		err := h.Team.Rename(t.Context(), h.Mara, c[0], c[1], here)
		var mistake *ground.Error
		require.ErrorAs(t, err, &mistake)
		assert.Equal(t, c[2], mistake.At)
	}
	require.NoError(t, h.Team.Rename(t.Context(), h.Mara, "Ebb Pictures", "Europe/Oslo", here))
	m, _, err := h.Account.MemberByID(t.Context(), h.Mara.ID)
	require.NoError(t, err)
	assert.Equal(t, [2]string{"Ebb Pictures", "Europe/Oslo"}, [2]string{m.StudioName, m.Zone})
	m, _, err = h.Account.MemberByID(t.Context(), h.Odd.ID)
	require.NoError(t, err)
	assert.Equal(t, "Kelpwick Sound", m.StudioName)
}

func TestTheFirstStudioIsFoundedByTheCodeFromTheLogAndOnce(t *testing.T) {
	h := apptest.Build(t, pg)
	found := func(code string) string {
		_, err := h.Team.FoundFirst(t.Context(), code, "Low Tide", "Europe/London", account.Member{Name: "Mara Quill", Email: "new@low.example"},
			"slow glaze harbour lamp", here)
		return apptest.Code(t, err)
	}
	code := h.Team.FoundingCode()
	assert.Regexp(t, `^[A-Z2-7]{4}(-[A-Z2-7]{4}){3}$`, code)
	assert.Equal(t, "founded", found(code), "there is one")
	_, err := h.Store.Pool().Exec(t.Context(), "truncate studio cascade")
	require.NoError(t, err)
	unfounded, err := h.Team.Unfounded(t.Context())
	require.NoError(t, err)
	assert.True(t, unfounded)
	assert.Equal(t, "wrong_code", found("AAAA-AAAA-AAAA-AAAA"))
	var both errgroup.Group
	for range 3 {
		both.Go(func() error {
			if code := found(strings.ToLower(code)); code != "" && code != "founded" {
				t.Error(code)
			}
			return nil
		})
	}
	require.NoError(t, both.Wait())
	var studios int
	require.NoError(t, h.Store.Pool().QueryRow(t.Context(), "select count(*) from studio").Scan(&studios))
	assert.Equal(t, 1, studios, "of three at once")
	for range 10 {
		found("AAAA-AAAA-AAAA-AAAA")
	}
	assert.Equal(t, "too_many_tries", found(code))
}

// founded is a studio that was founded in a browser, and its owner.
func founded(t *testing.T, h *apptest.House) account.Member {
	t.Helper()
	_, err := h.Store.Pool().Exec(t.Context(), "truncate studio cascade")
	require.NoError(t, err)
	m, err := h.Team.FoundFirst(t.Context(), h.Team.FoundingCode(), "Low Tide", "Europe/London", account.Member{Name: "Mara Quill", Email: "mara@lowtide.example"},
		"slow glaze harbour lamp", here)
	require.NoError(t, err)
	return m
}

// mailed is the newest code that went to an address.
func mailed(t *testing.T, h *apptest.House, email string) string {
	t.Helper()
	var id string
	require.NoError(t, h.Store.Pool().QueryRow(t.Context(),
		"select id from letter where kind = $1 and to_email = $2 order by created_at desc limit 1", letter.Confirm, email).Scan(&id))
	_, c, ok, err := h.Letters.Compose(t.Context(), id)
	require.NoError(t, err)
	require.True(t, ok)
	return c.Code
}

func TestWhoeverFoundsAStudioConfirmsTheirAddressBeforeTheySendOrInvite(t *testing.T) {
	h := apptest.Build(t, pg)
	m := founded(t, h)
	assert.True(t, m.Unconfirmed)
	_, err := h.Team.Invite(t.Context(), m, "tove@lowtide.example", role.Member, here)
	assert.Equal(t, "unconfirmed", apptest.Code(t, err))
	p, _ := h.Draft(m, []string{h.File(m, "", "a.mov", "a").ID}, "hanne@kelpwick.example")
	view, err := h.Pack.Package(t.Context(), m, p.ID)
	require.NoError(t, err)
	assert.Equal(t, "unconfirmed", view.Warnings[0].Code)
	assert.Contains(t, view.Warnings[0].Text, "mara@lowtide.example")
	assert.Equal(t, "unconfirmed", apptest.Code(t, h.Pack.Send(t.Context(), m, p.ID)))
	assert.Equal(t, "unconfirmed", apptest.Code(t, h.Drafts.SendAt(t.Context(), m, p.ID, h.Now().Add(time.Hour), false)))

	confirm := func(code string) string { return apptest.Code(t, h.Team.Confirm(t.Context(), m, code, here)) }
	code := mailed(t, h, m.Email)
	require.Regexp(t, `^\d{6}$`, code)
	for range throttle.CodeTries {
		assert.Equal(t, "wrong_code", confirm("000 000"))
	}
	assert.Equal(t, "wrong_code", confirm(code), "of one code there are five tries")
	require.NoError(t, h.Team.AskConfirm(t.Context(), m, "", here))
	code = mailed(t, h, m.Email)
	h.Wait(throttle.CodeLife + time.Second)
	assert.Equal(t, "wrong_code", confirm(code), "and it lives ten minutes")

	require.NoError(t, h.Team.AskConfirm(t.Context(), m, "", here))
	fresh := mailed(t, h, m.Email)
	assert.Equal(t, "", confirm(fresh[:3]+" "+fresh[3:]))
	m, _, err = h.Account.MemberByID(t.Context(), m.ID)
	require.NoError(t, err)
	assert.False(t, m.Unconfirmed)
	assert.Equal(t, "confirmed", apptest.Code(t, h.Team.Confirm(t.Context(), m, fresh, here)))
	assert.Equal(t, "confirmed", apptest.Code(t, h.Team.AskConfirm(t.Context(), m, "", here)))
	require.NoError(t, h.Pack.Send(t.Context(), m, p.ID))
	tove, err := h.Team.Invite(t.Context(), m, "tove@lowtide.example", role.Member, here)
	require.NoError(t, err)
	joined, err := h.Team.Join(t.Context(), ground.NewKeys(h.Host.Secrets, h.Host.BaseURL).JoinToken(tove.ID), "Tove", "slow glaze harbour lamp", here)
	require.NoError(t, err)
	assert.False(t, joined.Unconfirmed, "the invitation went to their address")
}

// "A code went to …" stood there while no letter could go.
func TestWhoeverWaitsForACodeIsToldWhyItDoesNotCome(t *testing.T) {
	h := apptest.Build(t, pg)
	m := founded(t, h)
	rows, err := h.Store.Pool().Query(t.Context(), "select id from letter where kind = 'confirm' and to_email = $1", m.Email)
	require.NoError(t, err)
	ids, err := pgx.CollectRows(rows, pgx.RowTo[string])
	require.NoError(t, err)
	require.Len(t, ids, 1)
	says := func(of account.Member) string {
		state, problem, err := h.Team.ConfirmLetter(t.Context(), of)
		require.NoError(t, err)
		return string(state) + ": " + problem
	}
	assert.Equal(t, "waiting: ", says(m))
	require.NoError(t, h.Letters.Waits(t.Context(), letters.Letter{ID: ids[0], StudioID: m.StudioID}))
	assert.Equal(t, "waiting: The mail server did not take it. It is tried again by itself.", says(m))
	assert.Equal(t, ": ", says(h.Mara), "who has nothing to confirm")
	require.NoError(t, h.Team.AskConfirm(t.Context(), m, "", here))
	assert.Equal(t, "waiting: ", says(m), "of the last one")
}

func TestACodeForOneAddressDoesNotConfirmAnother(t *testing.T) {
	h := apptest.Build(t, pg)
	m := founded(t, h)
	before := mailed(t, h, m.Email)
	require.NoError(t, h.Team.AskConfirm(t.Context(), m, " Marit <marit@lowtide.example> ", here))
	assert.Equal(t, "wrong_code", apptest.Code(t, h.Team.Confirm(t.Context(), m, before, here)), "it went to the address with the mistake")
	now, _, err := h.Account.MemberByID(t.Context(), m.ID)
	require.NoError(t, err)
	assert.Equal(t, "marit@lowtide.example", now.Email)
	after := mailed(t, h, now.Email)
	assert.Equal(t, "wrong_code", apptest.Code(t, h.Team.Confirm(t.Context(), m, after, here)), "asked by somebody who is known by the old one as yet")
	assert.Equal(t, "invalid", apptest.Code(t, h.Team.AskConfirm(t.Context(), now, "nowhere", here)))
	for range throttle.CodesPerLink - 1 {
		require.NoError(t, h.Team.AskConfirm(t.Context(), now, "", here))
	}
	assert.Equal(t, "too_many_tries", apptest.Code(t, h.Team.AskConfirm(t.Context(), now, "", here)))
	require.NoError(t, h.Team.Vouch(t.Context(), now.Email), "whoever runs the server may do it")
	require.Error(t, h.Team.Vouch(t.Context(), "nobody@lowtide.example"))
	now, _, err = h.Account.MemberByID(t.Context(), m.ID)
	require.NoError(t, err)
	assert.False(t, now.Unconfirmed)
}
