package e2e_test

import (
	"net/url"
	"strings"
	"testing"
	"time"

	"aftergust/core/link/totp"
	"aftergust/e2e"
	"aftergust/internal/app"
	"aftergust/internal/dev/apptest"

	"github.com/chromedp/cdproto/webauthn"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// named gives a server an address with a name, which passkeys need.
func named(t *testing.T) func(*app.Config) {
	return func(c *app.Config) {
		c.Addr = freeAddress(t)
		c.BaseURL = "http://localhost" + c.Addr[strings.LastIndex(c.Addr, ":"):]
	}
}

// fill types into a field, in place of what is in it.
func (p *person) fill(label, text string) {
	p.t.Helper()
	find := `[...document.querySelectorAll('label')].find(l => l.innerText.trim() === '` + label + `' && l.offsetParent)?.control`
	// A dialog that opens takes the focus for itself in its own time.
	apptest.Eventually(p.t, "a field "+label+" that keeps the focus", func() bool {
		return asks[bool](p, "(async e => { if (!e) return false; e.focus(); e.select(); await new Promise(r => setTimeout(r, 150)); return document.activeElement === e })("+
			find+")")
	})
	p.does(p.keys(text))
}

func TestASecondFactorIsTurnedOnAndAskedFor(t *testing.T) {
	t.Parallel()
	s := apptest.Start(t, pg, named(t))
	base := s.Config.BaseURL
	marit := somebody(t, 1280, 800, false)
	// Reference: the authenticator of Chromium itself, by its WebAuthn domain.
	marit.does(func(ctx ctxT, target *chromedp.Target) (chromedp.Void, error) {
		if _, err := chromedp.Call(ctx, webauthn.Enable, webauthn.EnableParams{}); err != nil {
			return chromedp.Void{}, err
		}
		_, err := chromedp.Call(ctx, webauthn.AddVirtualAuthenticator, webauthn.AddVirtualAuthenticatorParams{
			Options: &webauthn.VirtualAuthenticatorOptions{Protocol: webauthn.AuthenticatorProtocolCtap2,
				Transport: webauthn.AuthenticatorTransportInternal, HasResidentKey: true,
				HasUserVerification: true, IsUserVerified: true, AutomaticPresenceSimulation: true}})
		return chromedp.Void{}, err
	})
	marit.does(e2e.SignIn(base, apptest.Email, apptest.Password))
	marit.press("Marit Oyelaran")
	marit.press("Use codes of an app")
	marit.sees("Let the app read this picture")
	marit.isAccessible("codes of an app")
	secret := strings.ReplaceAll(asks[string](marit, "document.querySelector('dialog .secret').innerText"), " ", "")
	marit.fill("Code that it shows now", "000000")
	marit.press("Turn codes on")
	marit.sees("This is not the code that the app shows now")
	marit.fill("Code that it shows now", totp.Code(secret, time.Now()))
	marit.press("Turn codes on")
	marit.sees("Your recovery codes")
	marit.isAccessible("recovery codes")
	codes := asks[[]string](marit, "[...document.querySelectorAll('dialog .codes li')].map(l => l.innerText)")
	require.Len(t, codes, 10)
	marit.press("I have kept them")
	marit.sees("10 codes left")

	// The password is half of it now; the code that turned it on is used up.
	signIn := func(code string) {
		marit.press("Sign out")
		marit.sees("Sign in to your studio")
		marit.does(chromedp.SendKeys(css("#email"), apptest.Email), chromedp.SendKeys(css("#password"), apptest.Password+"\r"))
		marit.sees("The password is right")
		marit.does(chromedp.WaitVisible(css("#code")), chromedp.SendKeys(css("#code"), code+"\r"))
	}
	signIn(codes[0])
	marit.sees("Nothing is out")
	signIn(codes[0])
	marit.sees("each code is good once")
	marit.isAccessible("the second step")
	marit.fill("Code", totp.Code(secret, time.Now().Add(totp.Step))) // the next one, as of a clock that is a little fast
	marit.press("Sign in")
	marit.sees("Nothing is out")

	// A passkey is both factors in one.
	marit.press("Marit Oyelaran")
	marit.sees("9 codes left")
	marit.press("Make a passkey")
	marit.sees("The device keeps it")
	marit.isAccessible("make a passkey")
	marit.fill("Which device it is on", "the edit suite")
	marit.press("Make it")
	marit.sees("Passkey: the edit suite")
	marit.press("Sign out")
	marit.sees("Sign in to your studio")
	marit.press("Use a passkey")
	marit.sees("Nothing is out")

	// What somebody else at this desk could do harm with asks again who it is.
	_, err := s.App.Store.Pool().Exec(t.Context(), "update sign_in set proved_at = now() - interval '11 minutes'")
	require.NoError(t, err)
	marit.press("Marit Oyelaran")
	marit.press("Remove: passkey the edit suite")
	marit.sees("Is it you?")
	marit.isAccessible("asked again")
	marit.fill("Password", "a guess")
	marit.press("Go on")
	marit.sees("This is not your password")
	marit.press("Close")
	marit.sees("Show that it is you")
	assert.Contains(t, marit.text(), "Passkey: the edit suite", "nothing was done")
	marit.press("Remove: passkey the edit suite")
	marit.fill("Password", apptest.Password)
	marit.press("Go on")
	apptest.Eventually(t, "it goes on by itself", func() bool { return !strings.Contains(marit.text(), "Passkey: the edit suite") })
	marit.sees("asked for after the password")
	marit.press("Turn off: codes of an app")
	marit.sees("Whoever learns your password gets in with it")
	marit.isAccessible("account without a second factor")
}

func TestAStudioIsRunByItsOwnersAndJoinedByInvitation(t *testing.T) {
	s := studio(t)
	marit, tove := somebody(t, 1280, 800, false), somebody(t, 390, 844, true)
	marit.does(e2e.SignIn(s.Base, apptest.Email, apptest.Password))
	marit.press("Studio")
	marit.sees("One person works here")
	marit.isAccessible("studio")
	marit.press("Invite somebody")
	marit.sees("A letter with a link goes to them")
	marit.fill("Mail address", "tove@lowtide.example")
	marit.isAccessible("invite")
	marit.press("Send the invitation")
	marit.sees("invited by Marit Oyelaran")
	letter := s.Letter(t, "tove@lowtide.example", "Low Tide Pictures")
	assert.Equal(t, "Marit Oyelaran invites you to Low Tide Pictures", letter.Subject)

	tove.does(chromedp.Navigate(letter.Links[0]))
	tove.sees("Work with Low Tide Pictures")
	tove.isAccessible("an invitation on a phone")
	tove.fill("What you are called", "Tove Ashlund")
	tove.fill("Password", "short")
	tove.press("Join the studio")
	tove.sees("A password has at least 12 characters")
	tove.fill("Password", "slow glaze harbour lamp")
	tove.press("Join the studio")
	tove.sees("Nothing is out")
	tove.does(chromedp.Navigate(s.Base + "/studio"))
	tove.sees("2 people work here")
	tove.sees("Tove Ashlund joined, invited by Marit Oyelaran.")
	assert.NotContains(t, tove.text(), "Invite somebody", "who is no owner is not offered what they may not do")
	tove.isAccessible("studio on a phone")

	marit.does(chromedp.Reload())
	marit.sees("Tove Ashlund")
	marit.fill("What the studio is called", "Ebb Pictures")
	marit.press("Keep")
	marit.sees("named the studio Ebb Pictures")
	marit.press("Make owner: Tove Ashlund")
	marit.sees("changed the role of Tove Ashlund, now owner")
	marit.press("Remove Tove Ashlund")
	marit.sees("is signed out at once")
	marit.isAccessible("remove a member")
	marit.press("Remove from the studio")
	marit.sees("took Tove Ashlund out of the studio")
	tove.does(chromedp.Reload())
	tove.sees("Sign in to your studio")
	tove.does(chromedp.Navigate(letter.Links[0]))
	tove.sees("This invitation leads nowhere")
}

func TestTheFirstStudioIsFoundedInTheBrowser(t *testing.T) {
	t.Parallel()
	s := apptest.Unfounded(t, pg, named(t))
	marit := somebody(t, 1280, 800, false)
	marit.does(chromedp.Navigate(s.Base))
	marit.sees("Found your studio")
	marit.isAccessible("founding")
	for label, text := range map[string]string{"Code from the log": "AAAA-AAAA-AAAA-AAAA", "What the studio is called": "Low Tide Pictures",
		"What you are called": "Marit Oyelaran", "Your mail address": apptest.Email, "Password": apptest.Password} {
		marit.fill(label, text)
	}
	marit.press("Found it")
	marit.sees("This is not the code")
	marit.fill("Code from the log", s.App.Team.FoundingCode())
	marit.press("Found it")
	marit.sees("Nothing is out")
	at, err := url.Parse(asks[string](marit, "location.href"))
	require.NoError(t, err)
	assert.Equal(t, "/", at.Path)
	marit.press("Sign out")
	marit.sees("Sign in to your studio")
}
