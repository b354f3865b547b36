package e2e_test

import (
	"strings"
	"testing"

	"aftergust/e2e"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/dev/demo"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestAnAccountIsLookedAfter(t *testing.T) {
	s := studio(t)
	marit, phone := somebody(t, 1280, 800, false), somebody(t, 390, 844, true)
	marit.does(e2e.SignIn(s.Base, apptest.Email, apptest.Password))
	phone.does(e2e.SignIn(s.Base, apptest.Email, apptest.Password))
	marit.press("Marit Oyelaran")
	marit.sees("This browser")
	marit.sees("On a computer") // which the emulated phone calls itself too
	marit.isAccessible("account")

	// A token is made, shown once, does no more than it may, and is revoked.
	marit.press("Make a token")
	marit.does(chromedp.WaitVisible(css("dialog .field")), chromedp.SendKeys(css("dialog .field"), "overnight renders"))
	marit.isAccessible("make a token")
	marit.press("Make it")
	marit.sees("It is shown this once")
	secret := asks[string](marit, "document.querySelector('dialog .secret').innerText")
	require.True(t, strings.HasPrefix(secret, "agt_"))
	marit.press("Close")
	marit.sees("overnight renders")
	program := demo.NewClient(s.Base, secret)
	require.NoError(t, program.Do(t.Context(), "GET", "/api/v1/desk", nil, nil))
	assert.ErrorContains(t, program.Do(t.Context(), "POST", "/api/v1/packages", nil, nil), "token_reach")
	assert.ErrorContains(t, program.Do(t.Context(), "GET", "/api/v1/account/tokens", nil, nil), "token_reach")
	marit.press("Revoke overnight renders")
	apptest.Eventually(t, "it is gone", func() bool { return !strings.Contains(marit.text(), "overnight renders") })
	marit.press("Studio")
	marit.sees("revoked a token: overnight renders")
	marit.sees("Marit Oyelaran signed in with a computer.")
	marit.press("Marit Oyelaran")
	marit.sees("This browser")
	assert.ErrorContains(t, program.Do(t.Context(), "GET", "/api/v1/desk", nil, nil), "401")

	// Another password; the phone is out, and comes back with the new one.
	marit.does(chromedp.SendKeys(css("[autocomplete=current-password]"), apptest.Password), chromedp.SendKeys(css("[autocomplete=new-password]"),
		"passwordpassword"))
	marit.press("Change the password")
	marit.sees("one of those that are tried first")
	marit.does(chromedp.SendKeys(css("[autocomplete=new-password]"), " slow glaze harbour lamp"))
	marit.press("Change the password")
	marit.sees("Your password is changed.")
	marit.sees("You are signed in nowhere else.")
	phone.does(chromedp.Navigate(s.Base + "/account"))
	phone.sees("Sign in to your studio")
	phone.does(chromedp.Navigate(s.Base + "/sign-in?to=/%5Cbrindlefen.example/")) // a way out that looks like a way in
	phone.sees("Sign in to your studio")
	phone.does(chromedp.SendKeys(css("#email"), apptest.Email), chromedp.SendKeys(css("#password"), "passwordpassword slow glaze harbour lamp\r"))
	phone.sees("Nothing is out")
	phone.does(chromedp.Navigate(s.Base + "/account"))
	phone.sees("This browser")
	phone.isAccessible("account on a phone")
	phone.press("Sign out the browser on a computer")
	phone.sees("You are signed in nowhere else.")
}

func TestALostPasswordIsSetAnewByMail(t *testing.T) {
	s := studio(t)
	marit := somebody(t, 390, 844, true)
	marit.does(chromedp.Navigate(s.Base + "/sign-in"))
	marit.press("I do not know my password any more")
	marit.sees("A new password")
	marit.isAccessible("asking for a new password")
	marit.does(chromedp.SendKeys(css("[autocomplete=username]"), apptest.Email+"\r"))
	marit.sees("Look into your mail")
	letter := s.Letter(t, apptest.Email, "A new password")
	marit.does(chromedp.Navigate(letter.Links[0]), chromedp.SendKeys(css("[autocomplete=new-password]"), "short\r"))
	marit.sees("A password has at least 12 characters")
	marit.does(chromedp.SendKeys(css("[autocomplete=new-password]"), " glaze harbour lamp\r"))
	marit.sees("Your password is set")
	marit.isAccessible("a new password")
	marit.does(e2e.SignIn(s.Base, apptest.Email, "short glaze harbour lamp"))
	marit.sees("Nothing is out")
	marit.does(chromedp.Navigate(letter.Links[0]), chromedp.SendKeys(css("[autocomplete=new-password]"), "another four words\r"))
	marit.sees("This link has been used")
}
