package account

import (
	"context"
	"strings"

	"aftergust/core/link/guard"
	"aftergust/core/link/throttle"
	"aftergust/core/words/letter"
	"aftergust/internal/ground"
	"aftergust/internal/out/letters"
	"aftergust/internal/who/tries"
)

var errConfirmed = ground.Clash("confirmed", "Your mail address is confirmed already. Reload the page.")

// AskConfirm mails a member who founded a studio a code, to the address that they gave
// then or to a better one.
func (t *Team) AskConfirm(ctx context.Context, m Member, address, source string) error {
	if !m.Unconfirmed {
		return errConfirmed
	}
	if address = strings.TrimSpace(address); address != "" {
		_, email, err := letters.Address(address)
		if err != nil {
			return err
		}
		address = email
	}
	return t.rows.Tx(ctx, func(ctx context.Context) error {
		if _, err := t.account.tries.Spend(ctx, tries.Limit{Key: "confirm:" + m.ID, Most: throttle.CodesPerLink}); err != nil {
			return err
		}
		if address != "" && !strings.EqualFold(address, m.Email) {
			if ok, err := t.rows.MoveMember(ctx, m.ID, address); err != nil {
				return err
			} else if !ok {
				return ground.Wrong("email", "Somebody works here with this address already.")
			}
			if err := t.account.record(ctx, m, guard.AddressChanged, address, source); err != nil {
				return err
			}
			m.Email = address
		}
		return t.sendConfirm(ctx, m)
	})
}

// sendConfirm posts a letter with a code, in the transaction of ctx.
func (t *Team) sendConfirm(ctx context.Context, m Member) error {
	id := ground.NewID()
	if err := t.rows.InsertConfirmCode(ctx, id, m.ID, t.account.now().Add(throttle.CodeLife)); err != nil {
		return err
	}
	return t.account.letters.Post(ctx, letters.Letter{StudioID: m.StudioID, Kind: letter.Confirm, ToName: m.Name, ToEmail: m.Email,
		Data: map[string]string{"code_id": id, "studio": m.StudioName}})
}

// ConfirmLetter is what became of the last letter with a code that went to a member's address.
func (t *Team) ConfirmLetter(ctx context.Context, m Member) (state letter.State, problem string, err error) {
	return t.rows.ConfirmLetter(ctx, m.StudioID, m.Email)
}

// Confirm takes the code that went to a member's address: they may send from now on.
func (t *Team) Confirm(ctx context.Context, m Member, code, source string) error {
	if !m.Unconfirmed {
		return errConfirmed
	}
	// Counted before it is compared, so that tries at once have no more than one after the other.
	id, ok, err := t.rows.SpendConfirmCode(ctx, m.ID, throttle.CodeTries, t.account.now())
	if err != nil {
		return err
	}
	if !ok || !ground.Same(strings.Join(strings.Fields(code), ""), t.account.keys.DoorCode(id)) {
		return errWrongCode
	}
	return t.confirm(ctx, m, source)
}

var errWrongCode = &ground.Error{Kind: ground.Refused, Code: "wrong_code", At: "code",
	Say: "This is not the code, or it is too old. Look at the newest letter, or ask for another code."}

// confirm confirms the address by which m is known.
func (t *Team) confirm(ctx context.Context, m Member, source string) error {
	return t.rows.Tx(ctx, func(ctx context.Context) error {
		if ok, err := t.rows.ConfirmMember(ctx, m.ID, m.Email, t.account.now()); err != nil {
			return err
		} else if !ok {
			return errWrongCode // it was given up for another meanwhile
		}
		// What is open says whether it can be sent: it is loaded again.
		if err := t.rows.Announce(ctx, ground.Change{Studio: m.StudioID, What: ground.Resync}); err != nil {
			return err
		}
		return t.account.record(ctx, m, guard.AddressConfirmed, m.Email, source)
	})
}

// Vouch confirms the address of a member who cannot get mail: for whoever runs the server.
func (t *Team) Vouch(ctx context.Context, email string) error {
	m, ok, err := t.account.rows.MemberByEmail(ctx, email)
	if err == nil && !ok {
		err = ground.Missing("member")
	}
	if err != nil || !m.Unconfirmed {
		return err
	}
	return t.confirm(ctx, m, "the command line")
}
