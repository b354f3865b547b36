package e2e_test

import (
	"strings"
	"testing"
	"time"

	"aftergust/internal/dev/apptest"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// focused describes what has the focus: its name, whether any part of it is in
// sight, and whether it is marked.
// Source: WCAG 2.2, 2.4.11 (focus not obscured: not entirely hidden) and 2.4.7 (focus visible).
const focused = `(async () => {
	await new Promise(r => requestAnimationFrame(() => requestAnimationFrame(r)))
	const e = document.activeElement
	if (!e || e === document.body) return ['', '', '']
	const label = e.labels?.[0] ?? e.closest('label')
	const name = (e.getAttribute('aria-label') ?? (label ?? e).innerText ?? '').trim() || e.placeholder || e.title || e.tagName
	const seen = x => { const b = x.getBoundingClientRect()
		for (const dx of [.1, .3, .5, .7, .9]) for (const dy of [.2, .5, .8]) {
			const hit = document.elementFromPoint(b.left + b.width * dx, b.top + b.height * dy)
			if (hit && (x.contains(hit) || hit.contains(x) && !hit.matches('main, body, html'))) return true
		}
		return false }
	const marked = x => { const s = getComputedStyle(x)
		return s.outlineStyle !== 'none' && parseFloat(s.outlineWidth) > 0 || s.boxShadow !== 'none' }
	const all = [e, label, e.parentElement, e.nextElementSibling].filter(Boolean)
	return [name.replace(/\s+/g, ' ').slice(0, 80), all.some(seen) ? '' : 'hidden', all.some(marked) || e.matches('input, textarea') ? '' : 'unmarked'] })()`

// goesTo presses Tab until the focus is on what is called name, and looks at
// every stop on the way.
func (p *person) goesTo(name string) { p.t.Helper(); p.tabs(name, 0) }

// goesBackTo is goesTo, the other way round.
func (p *person) goesBackTo(name string) { p.t.Helper(); p.tabs(name, 8) }

func (p *person) tabs(name string, modifiers int64) {
	p.t.Helper()
	var stops []string
	for range 150 {
		p.key("Tab", 9, modifiers)
		at := asks[[]string](p, focused)
		if at[1]+at[2] != "" {
			require.Fail(p.t, "a stop that cannot be seen", "%q is %s%s; before it %q", at[0], at[1], at[2], stops)
		}
		if strings.HasPrefix(at[0], name) {
			return
		}
		stops = append(stops, at[0])
	}
	require.Fail(p.t, "no way there by Tab", "%s; the stops were %q", name, stops)
}

func (p *person) enter()            { p.does(p.keys("\r")) }
func (p *person) space()            { p.does(p.keys(" ")) }
func (p *person) types(text string) { p.does(p.keys(text)) }

// focusIs waits until the focus is on what is called name.
func (p *person) focusIs(name string) {
	p.t.Helper()
	apptest.Eventually(p.t, "the focus on "+name, func() bool { return strings.HasPrefix(asks[[]string](p, focused)[0], name) })
}

// closed waits until no dialog is in the way any more.
func (p *person) closed() {
	p.t.Helper()
	apptest.Eventually(p.t, "the dialog is gone", func() bool { return asks[bool](p, "!document.querySelector('dialog')") })
}

func TestFromGatherToTheAnswerByKeyboardAlone(t *testing.T) {
	s := studio(t)
	museum := newPlace(t, s, "", "Kelpwick Harbour Museum")
	films := newPlace(t, s, museum, "Lifeboat films")
	upload(t, s, films, "cut 4.txt", strings.Repeat("launch ", 200))
	upload(t, s, films, "credits.txt", "Hanne Orrick")

	// Signed in, and into the project.
	marit := somebody(t, 1280, 800, false)
	marit.does(chromedp.Navigate(s.Base+"/sign-in"), chromedp.WaitVisible(css("#email")))
	marit.goesTo("Mail")
	marit.types(apptest.Email)
	marit.goesTo("Password")
	marit.types(apptest.Password)
	marit.enter()
	marit.sees("Nothing is out")
	marit.types("g")
	marit.sees("Kelpwick Harbour Museum")
	marit.goesTo("Kelpwick Harbour Museum")
	marit.enter()
	marit.sees("Lifeboat films")
	marit.goesTo("Lifeboat films")
	marit.enter()
	marit.eventually("credits.txt", "cut 4.txt")

	// All of it is packed; the draft is written, its rights, its end and its door are chosen.
	marit.list()
	marit.key("a", 65, 2)
	marit.key("Enter", 13, 2)
	marit.focusIs("Into a new package")
	marit.enter()
	marit.sees("Send 2 items")
	marit.goesTo("Title")
	marit.key("a", 65, 2)
	marit.types("Lifeboat, cut 4")
	marit.goesTo("Cover letter")
	marit.types("The launch is new.")
	marit.goesTo("Add a name or a mail address")
	marit.types("Hanne Orrick <hanne@kelpwick.example>")
	marit.enter()
	marit.sees("Hanne Orrick may look, note and download.")
	marit.types("Ivo Brandreth <ivo@northmoor.example>")
	marit.enter()
	marit.sees("ivo@northmoor.example")
	marit.goesBackTo("take")
	marit.space()
	marit.sees("Ivo Brandreth may look and note.")
	marit.goesTo("7 days")
	marit.key("ArrowRight", 39, 0)
	marit.sees("If it went now: " + time.Now().AddDate(0, 0, 14).Format("Mon 2 Jan 2006"))
	marit.goesTo("Open")
	marit.key("ArrowRight", 39, 0)
	marit.sees("and none is set")
	marit.goesTo("Passphrase")
	marit.types("slow glaze harbour lamp")
	marit.enter()
	apptest.Eventually(t, "the passphrase is set", func() bool { return !strings.Contains(marit.text(), "and none is set") })
	marit.key("Enter", 13, 2)
	marit.sees("has not opened it")

	// Hanne opens the door, takes everything and leaves a note.
	letter := s.Letter(t, "hanne@kelpwick.example", "Lifeboat, cut 4")
	hanne := somebody(t, 1280, 800, false)
	hanne.does(chromedp.Navigate(letter.Links[0]))
	hanne.sees("Marit Oyelaran sent you something")
	hanne.goesTo("Passphrase")
	hanne.types("slow glaze harbour lamp")
	hanne.enter()
	hanne.sees("The launch is new.")
	hanne.goesTo("Download everything")
	hanne.enter()
	hanne.goesTo("Note")
	hanne.types("The rope is gone.")
	hanne.enter()
	hanne.sees("1 note, 1 open")
	hanne.goesTo("1 note")
	hanne.sees("The rope is gone.")

	// The package: its parts by arrow keys, a row opened, the note answered and ticked off, extended, stopped.
	p := s.Package(t, onlyPackage(t, s))
	apptest.Eventually(t, "the ledger has everything", func() bool { return s.Ledger(t, p.ID)[0].Status == "everything" })
	marit.goesTo("Hanne Orrick")
	marit.enter()
	marit.sees("cut 4.txt: ")
	marit.goesTo("Ledger")
	for range 2 {
		marit.key("ArrowRight", 39, 0)
	}
	marit.sees("The rope is gone.")
	marit.goesTo("Answer")
	marit.types("Back in cut 5.")
	marit.enter()
	hanne.sees("Back in cut 5.")
	marit.goesTo("Done")
	marit.enter()
	hanne.sees("all done")
	marit.goesTo("Extend")
	marit.enter()
	marit.sees("Everyone on the waybill can go on")
	marit.goesTo("7 days")
	marit.key("ArrowRight", 39, 0)
	marit.key("ArrowRight", 39, 0)
	marit.goesTo("Set the new end")
	marit.enter()
	marit.closed()
	marit.focusIs("Extend")
	marit.goesTo("Stop")
	marit.enter()
	marit.sees("Every link goes dead at once")
	marit.focusIs("Stop it now")
	marit.key("Escape", 27, 0)
	marit.closed()
	marit.focusIs("Stop")
	marit.enter()
	marit.sees("Every link goes dead at once")
	marit.goesTo("Stop it now")
	marit.enter()
	marit.sees("Closed (stopped)")
	hanne.sees("The sender has stopped this package.")
	assert.Equal(t, "closed", s.Package(t, p.ID).State)
}
