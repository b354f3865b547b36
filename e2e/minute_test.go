package e2e_test

import (
	"os"
	"path/filepath"
	"testing"
	"time"

	"aftergust/e2e"
	"aftergust/internal/dev/apptest"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A hand counts what somebody does, and reckons how long a practised one takes.
// Source: the keystroke-level model (Card, Moran and Newell 1980), from memory: a key
// 0.28 s, to point and press 1.2 s, to think of the next step 1.35 s.
type hand struct{ keys, clicks, steps int }

func (h hand) takes() time.Duration {
	return time.Duration(280*h.keys+1200*h.clicks+1350*h.steps) * time.Millisecond
}

// grace is how long it can be taken back.
const grace = 10 * time.Second

// A folder is dropped and is sent within a minute: with what the machine takes, with
// the ten seconds in which it can be taken back, and with what a hand takes.
func TestFromADroppedFolderToSentInUnderAMinute(t *testing.T) {
	s := studio(t)
	s.Do(t, "POST", "/people", map[string]any{"address": "Hanne Orrick <hanne@kelpwick.example>"}, nil)
	folder := filepath.Join(t.TempDir(), "Lifeboat, cut 4")
	require.NoError(t, os.MkdirAll(filepath.Join(folder, "Stills"), 0o755))
	for name, size := range map[string]int{"cut 4.mov": 30_000_000, "Stills/one.bin": 400_000, "Stills/two.bin": 400_000} {
		raw, err := os.ReadFile(apptest.File(t, filepath.Base(name), size))
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(filepath.Join(folder, name), raw, 0o600))
	}
	marit := somebody(t, 1280, 800, false)
	marit.does(e2e.SignIn(s.Base, apptest.Email, apptest.Password))
	measure := func(t *testing.T, how string, work func(h *hand)) {
		t.Helper()
		marit.does(chromedp.Navigate(s.Base + "/"))
		marit.sees("New package")
		var h hand
		began := time.Now()
		work(&h)
		marit.sees("has not opened it")
		machine := time.Since(began)
		t.Logf("by %s: %d keys, %d clicks, %d steps: %.1f s of a hand, %.1f s of the machine", how, h.keys, h.clicks, h.steps,
			h.takes().Seconds(), machine.Seconds())
		assert.Less(t, h.takes()+grace, time.Minute) // what the machine takes is printed; a busy one is no reason to fail
		s.Letter(t, "hanne@kelpwick.example", "Lifeboat, cut 4")
	}
	measure(t, "mouse", func(h *hand) {
		marit.press("New package")
		marit.does(chromedp.WaitVisible(css(".dropzone")))
		marit.throws("document.querySelector('main')", folder)
		marit.sees("3 items")
		asks[bool](marit, "(document.querySelector('form .field').focus(), true)")
		marit.types("han")
		marit.sees("hanne@kelpwick.example")
		marit.press("Hanne Orrick")
		marit.sees("Hanne Orrick may look, note and download.")
		marit.press("Send")
		h.keys, h.clicks, h.steps = 3, 5, 5 // new, drag and drop, field, person, send
	})
	measure(t, "keyboard", func(h *hand) {
		press := func(name string, code, modifiers int64) { h.keys++; marit.key(name, code, modifiers) }
		marit.types("n")
		h.keys++
		marit.does(chromedp.WaitReady(css("input[data-choose=folder]")), chromedp.SetUploadFiles(css("input[data-choose=folder]"), []string{folder}))
		h.keys += 4 // to the button, and through the window of the system, which no script reaches
		marit.sees("3 items")
		for at := ""; at != "Add a name or a mail address, or paste a list"; at = asks[string](marit, "document.activeElement.getAttribute('aria-label') ?? ''") {
			press("Tab", 9, 0)
			require.Less(t, h.keys, 60, "the field is out of reach")
		}
		marit.types("han")
		h.keys += 3
		marit.sees("Hanne Orrick")
		press("ArrowDown", 40, 0)
		marit.enter()
		h.keys++
		marit.sees("Hanne Orrick may look, note and download.")
		press("Enter", 13, 2)
		h.steps = 4
	})
}
