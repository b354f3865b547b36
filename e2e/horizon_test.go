package e2e_test

import (
	"testing"
	"time"

	"aftergust/e2e"
	"aftergust/internal/dev/apptest"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"
)

// The end of a package is dragged on the Horizon and taken back, time is moved and
// zoomed, and it is stopped: by a real mouse and by keys.
func TestTheHorizonByMouseAndByKeys(t *testing.T) {
	s := studio(t)
	p := s.Send(t, s.Pack(t, []string{apptest.File(t, "a.bin", 1000)}, map[string][]string{"hanne@kelpwick.example": {"see", "take"}}))
	ends := func() time.Time {
		var whole struct {
			EndsAt time.Time `json:"ends_at"`
		}
		s.Do(t, "GET", "/packages/"+p.ID, nil, &whole)
		return whole.EndsAt
	}
	before := ends()
	marit := somebody(t, 1280, 800, false)
	marit.does(e2e.SignIn(s.Base, apptest.Email, apptest.Password))
	marit.sees("0 of 1 have it")
	marit.isAccessible("Horizon")
	place := func(selector string) (x, y float64) {
		at := asks[[]float64](marit, `(r => [r.x + r.width / 2, r.y + r.height / 2])(document.querySelector('`+selector+`').getBoundingClientRect())`)
		return at[0], at[1]
	}
	drag := func(from, to, y float64) {
		for _, step := range []e2e.Action{
			chromedp.MouseEvent(chromedp.MouseMoved, from, y),
			chromedp.MouseEvent(chromedp.MousePressed, from, y, chromedp.ButtonLeft, chromedp.ClickCount(1)),
			chromedp.MouseEvent(chromedp.MouseMoved, (from+to)/2, y, chromedp.ButtonLeft),
			chromedp.MouseEvent(chromedp.MouseMoved, to, y, chromedp.ButtonLeft),
			chromedp.MouseEvent(chromedp.MouseReleased, to, y, chromedp.ButtonLeft, chromedp.ClickCount(1)),
		} {
			marit.does(step)
		}
	}
	x, y := place("span.end")
	drag(x, x-200, y)
	marit.sees("ends ")
	apptest.Eventually(t, "the end is nearer", func() bool { return ends().Before(before.Add(-24 * time.Hour)) })
	require.Zero(t, ends().Minute(), "it stands on the hour")
	marit.press("Undo")
	apptest.Eventually(t, "the end of before", func() bool {
		shown := asks[int64](marit, "Number(document.querySelector('span.end').getAttribute('aria-valuenow'))")
		return time.Unix(shown, 0).Sub(before).Abs() < time.Minute && ends().Sub(before).Abs() < time.Minute
	})

	// Time is moved by the mouse, and by keys; then all of it is shown again.
	now, _ := place("line.now")
	_, y = place("span.end") // the page may have been scrolled since
	drag(300, 240, y+18)
	near := func(to float64) func() bool {
		return func() bool { at, _ := place("line.now"); return at-to < 3 && to-at < 3 }
	}
	apptest.Eventually(t, "the sheet follows the hand", near(now-60))
	asks[bool](marit, "document.querySelector('.title').focus(), true")
	marit.does(marit.keys("0"))
	apptest.Eventually(t, "all of it", near(now))
	marit.does(marit.keys("e"))
	marit.key("ArrowRight", 39, 8)
	marit.sees("left")
	marit.isAccessible("an end that is moved")
	marit.does(marit.keys("\r"))
	apptest.Eventually(t, "a day more", func() bool { return ends().After(before.Add(23 * time.Hour)) })
	asks[bool](marit, "document.querySelector('.title').focus(), true")
	marit.does(marit.keys("s"))
	marit.sees("Every link goes dead at once")
	marit.press("Stop it now")
	marit.sees("Nothing is out")
}
