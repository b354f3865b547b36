package e2e_test

import (
	"testing"
	"time"

	"aftergust/e2e"
	"aftergust/internal/dev/apptest"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
)

// A package is put in order, taken back while it goes, sent again, and asked for at
// its door: by hand, in a real browser, with axe-core on each screen.
func TestPackingTakingBackAndAskingAtTheDoor(t *testing.T) {
	s := studio(t)
	p := s.Pack(t, []string{apptest.File(t, "a.bin", 1000), apptest.File(t, "b.bin", 2000)},
		map[string][]string{"hanne@kelpwick.example": {"see", "note", "take"}, "anyone": {"see", "take"}})
	marit := somebody(t, 1280, 800, false)
	marit.does(e2e.SignIn(s.Base, apptest.Email, apptest.Password), chromedp.Navigate(s.Base+"/packages/"+p.ID))
	marit.sees("Whoever gets hold of the open link can download everything.")
	marit.press("More about b.bin")
	marit.press("To the beginning")
	apptest.Eventually(t, "b.bin leads and its menu has folded", func() bool { // what is fixed has no offsetParent
		return asks[bool](marit, `document.querySelector('[data-thing]').innerText.includes('b.bin') &&
			![...document.querySelectorAll('.slip')].some(e => e.getClientRects().length)`)
	})
	marit.press("More about a.bin")
	marit.press("A heading above it")
	heading := css(`input[aria-label="Heading above a.bin"]`)
	marit.does(chromedp.SendKeys(heading, "Sec"))
	// A teammate puts the things in another order meanwhile: the line moves, and half a word stays with the cursor.
	items := s.Package(t, p.ID).Items
	apptest.Eventually(t, "b.bin at the beginning", func() bool { items = s.Package(t, p.ID).Items; return items[0].Name == "b.bin" })
	s.Do(t, "PUT", "/packages/"+p.ID+"/order", map[string]any{"moved": []string{items[1].ID}, "after": ""}, nil)
	apptest.Eventually(t, "the line moved", func() bool {
		return asks[bool](marit, `document.querySelector('[data-thing]').dataset.thing === '`+items[1].ID+`'`)
	})
	// What others do is announced to the page in its own time: she types on once it rests.
	held := `document.activeElement?.value === 'Sec' && document.activeElement.getAttribute('aria-label') === 'Heading above a.bin'`
	apptest.Eventually(t, "the cursor and half a word stay", func() bool {
		for range 5 {
			if !asks[bool](marit, held) {
				return false
			}
			time.Sleep(200 * time.Millisecond)
		}
		return true
	})
	marit.does(chromedp.KeyEvent("ond\r"))
	marit.sees("Second")
	marit.press("Guest book")
	marit.sees("Whoever leaves a name and a mail address gets in.")
	marit.press("Once…")
	marit.sees("It waits until")
	marit.isAccessible("composing, with an end that waits")
	marit.press("14 days")
	marit.press("Set as before")
	marit.press("Keep how this one is set")
	marit.fill("Name", "To the museum")
	marit.press("Keep")
	marit.sees("Kept as “To the museum”.")

	// Before it goes one sees it as they do.
	marit.press("See it as they do")
	marit.sees("sees it")
	marit.isAccessible("as they see it")
	marit.does(chromedp.Navigate(s.Base + "/packages/" + p.ID))
	marit.sees("Send 2 items")
	marit.press("Send")
	marit.sees("Goes in")
	marit.press("Undo")
	marit.sees("At an hour")
	assert.Empty(t, s.Package(t, p.ID).Letters)
	marit.press("At an hour")
	marit.sees("It goes by itself then")
	marit.isAccessible("choosing an hour")
	marit.press("Let it go then")
	marit.sees("on your clock, by itself")
	marit.press("Keep it as a draft")
	marit.press("Send")
	marit.sees("has not opened it")

	// A stranger with the link leaves their name; another asks once it is stopped, and is let in.
	link := ""
	for _, r := range s.Package(t, p.ID).Recipients {
		if r.Email == "" {
			link = r.Link
		}
	}
	tove := somebody(t, 390, 844, true)
	tove.does(chromedp.Navigate(link))
	tove.sees("Leave your mail address")
	tove.isAccessible("guest book")
	tove.fill("Your name", "Tove Lind")
	tove.fill("Your mail address", "tove@northmoor.example")
	tove.press("Open")
	tove.sees("for you, Tove Lind")
	tove.press("Other ways")
	tove.sees("Is it whole?")
	tove.press("Show the lines")
	tove.sees("curl")
	tove.isAccessible("other ways to take it")
	s.Do(t, "POST", "/packages/"+p.ID+"/stop", nil, nil)
	tove.sees("The sender has stopped this package.")
	tove.press("Ask to be let in")
	tove.sees("has been told")
	tove.isAccessible("asked")
	letter := s.Letter(t, apptest.Email, "Tove Lind asks for")
	marit.does(chromedp.Navigate(letter.Links[0])) // one click in the letter
	marit.sees("Tove Lind is let in.")
	marit.isAccessible("let in")
	tove.sees("Download everything") // by itself

	// All ways to somebody; the book; the letterheads; a code read out.
	marit.does(chromedp.Navigate(s.Base + "/packages/" + p.ID + "?show=people"))
	marit.press("More about Hanne")
	marit.press("Ways to them")
	marit.sees("To paste into any chat")
	marit.isAccessible("ways to somebody")
	marit.press("On the phone")
	marit.press("Make a code")
	marit.sees("good for")
	code := asks[string](marit, "document.querySelector('.code').innerText")
	hanne := somebody(t, 390, 844, true)
	hanne.does(chromedp.Navigate(s.Base + "/pickup"))
	hanne.sees("Pick something up")
	hanne.isAccessible("pickup")
	hanne.fill("Pickup code", code)
	hanne.press("Open")
	hanne.sees("for you, Hanne")
	marit.does(chromedp.Navigate(s.Base + "/people"))
	marit.sees("hanne@kelpwick.example")
	marit.press("Hanne")
	marit.sees("What went to them last")
	marit.isAccessible("contact book")
	marit.does(chromedp.Navigate(s.Base + "/letterheads"))
	marit.sees("A logo, three colours")
	marit.does(chromedp.SendKeys(css(`input[aria-label="Name of a new letterhead"]`), "By day\r"))
	marit.sees("What one presses")
	marit.isAccessible("letterheads")
}
