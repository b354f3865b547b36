package e2e_test

import (
	"testing"

	"aftergust/e2e"
	"aftergust/internal/dev/apptest"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"
)

// tab opens another tab in the browser of somebody.
func (p *person) tab() *person {
	p.t.Helper()
	ctx, end := chromedp.NewContext(p.ctx)
	p.t.Cleanup(end)
	require.NoError(p.t, chromedp.Do(ctx)) // the tab lives as long as the context that it begins with
	other := &person{p.t, ctx}
	other.does(e2e.Screen(1280, 800, false))
	return other
}

// With a stream for each, six tabs took all the connections that a browser opens to a server over
// HTTP/1.1, and the sixth showed nothing.
func TestTwelveTabsOfAStudioAreAllAlive(t *testing.T) {
	s := studio(t)
	first := somebody(t, 1280, 800, false)
	first.does(e2e.SignIn(s.Base, apptest.Email, apptest.Password))
	tabs := []*person{first}
	for len(tabs) < 12 {
		tabs = append(tabs, first.tab())
	}
	for _, tab := range tabs {
		tab.does(chromedp.Navigate(s.Base + "/packages"))
		tab.sees("Packages")
	}
	say := func(title string, who []*person) {
		p := s.Pack(t, nil, nil)
		s.Do(t, "PATCH", "/packages/"+p.ID, map[string]any{"title": title}, nil)
		for _, tab := range who {
			tab.sees(title)
		}
	}
	say("Lifeboat, cut 4", tabs)
	// The tab that came first goes; the others go on.
	first.does(chromedp.Navigate("about:blank"))
	say("Audio guide", tabs[1:])
}

func TestTwelveTabsOfAGuestAreAllAlive(t *testing.T) {
	s := studio(t)
	p := s.Send(t, s.Pack(t, []string{apptest.File(t, "cut.bin", 1000)}, map[string][]string{"hanne@kelpwick.example": {"see", "take"}}))
	hanne := somebody(t, 1280, 800, false)
	tabs := []*person{hanne}
	for len(tabs) < 12 {
		tabs = append(tabs, hanne.tab())
	}
	for _, tab := range tabs {
		tab.does(chromedp.Navigate(s.Base + "/r/" + p.Recipients[0].Token()))
		tab.sees("cut.bin")
	}
	s.Do(t, "POST", "/packages/"+p.ID+"/stop", nil, nil)
	for _, tab := range tabs {
		tab.sees("stopped")
	}
}
