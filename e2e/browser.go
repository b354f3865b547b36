// Package e2e drives Aftergust in a real browser: the journeys that people make,
// and the pictures of its screens.
package e2e

import (
	"context"
	"os"
	"time"

	"github.com/chromedp/chromedp"
)

// An Action is a step of a journey that gives nothing back.
type Action = chromedp.Action[chromedp.Void]

// NewBrowser starts a Chromium with a profile of its own, as one person has one.
// end closes it and removes the profile.
func NewBrowser(ctx context.Context) (_ context.Context, end func(), err error) {
	profile, err := os.MkdirTemp("", "aftergust-browser-")
	if err != nil {
		return nil, nil, err
	}
	options := append(chromedp.DefaultExecAllocatorOptions[:],
		chromedp.ExecPath("/usr/bin/chromium"), chromedp.UserDataDir(profile), chromedp.NoSandbox, chromedp.DisableGPU,
		chromedp.Flag("disable-quic", true), chromedp.Flag("disable-component-update", true), chromedp.Flag("autoplay-policy",
			"no-user-gesture-required"),
		chromedp.Flag("use-fake-device-for-media-stream", true), chromedp.Flag("use-fake-ui-for-media-stream", true), // a microphone that beeps
		chromedp.Flag("mute-audio", true), chromedp.Flag("hide-scrollbars", true), chromedp.Flag("lang", "en-GB"),
		chromedp.Env("TZ=Europe/London", "LANG=en_GB.UTF-8"), chromedp.WSURLReadTimeout(60*time.Second))
	allocator, cancelAllocator := chromedp.NewExecAllocator(ctx, options...)
	browser, cancel := chromedp.NewContext(allocator)
	end = func() {
		cancel()
		cancelAllocator()
		_ = os.RemoveAll(profile)
	}
	if err := chromedp.Do(browser); err != nil {
		end()
		return nil, nil, err
	}
	return browser, end, nil
}

// Screen sets the size of the page, in CSS pixels.
func Screen(width, height int64, phone bool) Action {
	if phone {
		return chromedp.EmulateViewport(width, height, chromedp.EmulateMobile)
	}
	return chromedp.EmulateViewport(width, height)
}

// SignIn signs a member in.
func SignIn(base, email, password string) Action {
	return chromedp.Steps(
		chromedp.Navigate(base+"/sign-in"),
		chromedp.WaitVisible(chromedp.CSS("#email")),
		chromedp.SendKeys(chromedp.CSS("#email"), email),
		chromedp.SendKeys(chromedp.CSS("#password"), password+"\r"),
		chromedp.WaitVisible(chromedp.CSS("header .brand")),
	)
}
