package e2e_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"aftergust/e2e"
	"aftergust/internal/dev/apptest"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// hasFingers gives the browser a touch screen.
func (p *person) hasFingers() {
	p.t.Helper()
	p.does(func(ctx ctxT, _ *chromedp.Target) (chromedp.Void, error) {
		_, err := chromedp.Call(ctx, emulation.SetTouchEmulationEnabled, emulation.SetTouchEmulationEnabledParams{Enabled: true})
		return chromedp.Void{}, err
	})
}

// taps puts a finger on the middle of what a script finds. What lies elsewhere, or under something, is not hit.
func (p *person) taps(find string) {
	p.t.Helper()
	apptest.Eventually(p.t, "something to tap: "+find, func() bool {
		return asks[bool](p, fmt.Sprintf(`(e => { if (!e) return false; e.scrollIntoView({block: 'center'}); const b = e.getBoundingClientRect(), hit = document.elementFromPoint(b.left + b.width / 2, b.top + b.height / 2); return e === hit || e.contains(hit) })(%s)`, find))
	})
	at := asks[struct{ X, Y float64 }](p, fmt.Sprintf("(b => ({x: b.left + b.width / 2, y: b.top + b.height / 2}))((%s).getBoundingClientRect())", find))
	p.does(func(ctx ctxT, _ *chromedp.Target) (chromedp.Void, error) {
		_, err := chromedp.Call(ctx, input.DispatchTouchEvent, input.DispatchTouchEventParams{Type: input.DispatchTouchEventTypeTouchStart,
			TouchPoints: []*input.TouchPoint{{X: at.X, Y: at.Y}}})
		if err == nil {
			_, err = chromedp.Call(ctx, input.DispatchTouchEvent, input.DispatchTouchEventParams{Type: input.DispatchTouchEventTypeTouchEnd,
				TouchPoints: []*input.TouchPoint{}})
		}
		return chromedp.Void{}, err
	})
	time.Sleep(350 * time.Millisecond) // two taps in a hurry are a double tap
}

func buttonNamed(words string) string {
	return fmt.Sprintf(`[...document.querySelectorAll('button, a, label.segment')].find(e => (e.getAttribute('aria-label') ?? e.innerText).trim().startsWith(%q) && e.offsetParent)`, words)
}

func TestGatherUnderAFinger(t *testing.T) {
	s := studio(t)
	client := newPlace(t, s, "", "Kelpwick Harbour Museum")
	films := newPlace(t, s, client, "Lifeboat films")
	for _, name := range []string{"cut.txt", "guide.txt", "script.txt"} {
		upload(t, s, films, name, "content of "+name)
	}
	marit := somebody(t, 390, 844, true)
	marit.hasFingers()
	marit.does(e2e.SignIn(s.Base, apptest.Email, apptest.Password))
	fits := func(where string) {
		t.Helper()
		assert.LessOrEqual(t, asks[int](marit, "document.documentElement.scrollWidth"), 390, "%s is no wider than the phone", where)
		marit.isAccessible(where + " on a phone")
	}
	fits("Desk")

	// One tap opens: the client, the project, a file; the arrows go on from there.
	marit.taps(buttonNamed("Gather"))
	for _, name := range []string{"Kelpwick Harbour Museum", "Lifeboat films"} {
		marit.eventually(name)
		marit.taps(placeHead(name))
	}
	marit.eventually("cut.txt", "guide.txt", "script.txt")
	fits("rows")
	marit.taps(rowNamed("guide.txt"))
	marit.sees("content of guide.txt")
	fits("a preview")
	marit.taps(buttonNamed("Next"))
	marit.sees("content of script.txt")
	marit.taps(buttonNamed("Back to the list"))
	marit.eventually("cut.txt", "guide.txt", "script.txt")

	// The mark at the end of a row chooses; what can be done stands below.
	marit.taps(buttonNamed("Choose nothing"))
	for _, name := range []string{"cut.txt", "guide.txt"} {
		marit.taps(rowNamed(name) + ".querySelector('.pick')")
	}
	marit.sees("2 things chosen")
	fits("two chosen")
	marit.taps(buttonNamed("Tag"))
	marit.does(chromedp.WaitVisible(css("#new-tags")), chromedp.SendKeys(css("#new-tags"), "night\r"))
	apptest.Eventually(t, "both are tagged", func() bool {
		var tags []struct{ Count int }
		s.Do(t, "GET", "/tags", nil, &tags)
		return len(tags) == 1 && tags[0].Count == 2
	})

	// Filters are folded until they are wanted; the account and the uploads are within reach.
	marit.taps(buttonNamed("Filter"))
	marit.taps(buttonNamed("Pictures"))
	fits("pictures with filters")
	marit.taps(`document.querySelector('header .tray')`)
	marit.sees("Nothing is on its way")
	fits("uploads")
	marit.taps(buttonNamed("Close"))
	marit.taps(`document.querySelector('header .me')`)
	marit.taps(buttonNamed("Sign out"))
	apptest.Eventually(t, "signed out", func() bool { return strings.Contains(asks[string](marit, "location.pathname"), "sign-in") })
	require.NotContains(t, marit.text(), "Lifeboat films")
}
