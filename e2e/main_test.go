package e2e_test

import (
	"context"
	"fmt"
	"os"
	"strings"
	"testing"
	"time"

	"aftergust/e2e"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/dev/pgserver"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"
)

var pg *pgserver.Server

func TestMain(m *testing.M) {
	pgserver.Main(m, func(s *pgserver.Server) { pg = s })
}

// A person is a browser with a profile of its own.
type person struct {
	t   *testing.T
	ctx context.Context
}

func somebody(t *testing.T, width, height int64, phone bool) *person {
	t.Helper()
	ctx, end, err := e2e.NewBrowser(context.Background())
	require.NoError(t, err)
	t.Cleanup(end)
	p := &person{t, ctx}
	t.Cleanup(p.testifies)
	p.does(e2e.Screen(width, height, phone))
	return p
}

// testifies tells of a journey that failed what was on the screen, and keeps a picture.
func (p *person) testifies() {
	if !p.t.Failed() {
		return
	}
	p.t.Logf("the page says: %.800s", p.text())
	ctx, cancel := context.WithTimeout(p.ctx, time.Minute)
	defer cancel()
	picture, err := chromedp.Run(ctx, chromedp.CaptureScreenshot())
	if err != nil {
		return
	}
	if f, err := os.CreateTemp("", strings.ReplaceAll(p.t.Name(), "/", "-")+"-*.png"); err == nil {
		_, _ = f.Write(picture)
		p.t.Log("picture:", f.Name())
		_ = f.Close()
	}
}

// does runs steps.
func (p *person) does(steps ...e2e.Action) {
	p.t.Helper()
	for i, step := range steps {
		ctx, cancel := context.WithTimeout(p.ctx, apptest.Patience)
		_, err := chromedp.Run(ctx, step)
		cancel()
		require.NoError(p.t, err, "step %d", i)
	}
}

// sees waits until the page shows text.
func (p *person) sees(text string) {
	p.t.Helper()
	deadline := time.Now().Add(apptest.Patience)
	for !strings.Contains(p.text(), text) {
		if time.Now().After(deadline) {
			p.t.Fatalf("%q does not show", text)
		}
		time.Sleep(100 * time.Millisecond)
	}
}

// shows waits until the page has what a selector finds, such as a film whose preview is made meanwhile.
func (p *person) shows(selector string) {
	p.t.Helper()
	for deadline := time.Now().Add(apptest.Patience); !asks[bool](p, fmt.Sprintf("!!document.querySelector(%q)", selector)); {
		if time.Now().After(deadline) {
			p.t.Fatalf("nothing is %q", selector)
		}
		time.Sleep(100 * time.Millisecond)
	}
}

func (p *person) text() string {
	ctx, cancel := context.WithTimeout(p.ctx, time.Minute)
	defer cancel()
	text, _ := chromedp.Run(ctx, chromedp.Evaluate[string]("document.body.innerText")) // while a page loads there is none
	return text
}

func asks[T any](p *person, script string) T {
	p.t.Helper()
	ctx, cancel := context.WithTimeout(p.ctx, apptest.Patience)
	defer cancel()
	value, err := chromedp.Run(ctx, chromedp.Evaluate[T](script, chromedp.EvalAwaitPromise))
	require.NoError(p.t, err, script)
	return value
}

func css(selector string) chromedp.CSS { return chromedp.CSS(selector) }

// press clicks a button or link by its words.
func (p *person) press(words string) {
	p.t.Helper()
	// Found and pressed in one: a list that is read anew in between would have put another one there.
	// Whoever bears just these words goes before those who begin with them.
	find := fmt.Sprintf(`((words, saying) => {
		const there = [...document.querySelectorAll('button, a, [role=tab], label.segment')].filter(e => !e.disabled && e.offsetParent)
		const e = there.find(e => saying(e) === words) ?? there.find(e => saying(e).startsWith(words))
		e?.scrollIntoView({block: 'center'})
		e?.click()
		return !!e
	})(%q, e => (e.getAttribute('aria-label') ?? e.innerText).trim())`, words)
	apptest.Eventually(p.t, "a button "+words, func() bool { return asks[bool](p, find) })
}

func (p *person) keys(keys string) e2e.Action { return chromedp.KeyEvent(keys) }

// isAccessible runs axe-core on the page as it is. Source: axe-core, rules of WCAG 2.2 A and AA.
func (p *person) isAccessible(where string) {
	p.t.Helper()
	axe, err := os.ReadFile("../ui/node_modules/axe-core/axe.min.js")
	require.NoError(p.t, err)
	asks[bool](p, string(axe)+";true")
	// What still fades in has not its colours yet. Endless movements (a progress bar) are no fading.
	asks[bool](p, `new Promise(done => { const look = () => { const moving = document.getAnimations().filter(a => a.playState === 'running' && a.effect?.getComputedTiming().endTime < 5000)
		moving.length ? setTimeout(look, 50) : done(true) }; setTimeout(look, 50) })`)
	found := asks[[]string](p, `axe.run(document, {runOnly: ['wcag2a','wcag2aa','wcag21a','wcag21aa','wcag22aa']}).then(r => r.violations.map(v => v.id + ': ' + v.nodes.map(n => n.html.slice(0, 160) + ' ' + (n.any[0]?.message ?? n.failureSummary)).join(' | ')))`)
	require.Empty(p.t, found, where)
}
