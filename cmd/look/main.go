// Command look takes a picture of every screen, dialog, menu, empty, busy and failed state of a running
// demo, wide and on a phone, runs axe-core on each, and lays the pictures on contact sheets of six. A
// designer looks at the sheets; nothing of it lies in git.
package main

import (
	"context"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"html"
	"os"
	"path/filepath"
	"strings"
	"time"

	"aftergust/e2e"
	"aftergust/internal/dev/demo"

	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
)

// A state is a screen as it can be met.
type state struct {
	name   string
	path   string
	guest  bool   // in the other browser, which is not signed in
	ready  string // selector that must be there
	before []e2e.Action
	net    string // how the line behaves, as a script that stands before the page's own
	width  string // "wide" or "phone"; empty: both
}

func main() {
	card := flag.String("demo", ".data/demo.json", "what the demo wrote about itself")
	out := flag.String("out", filepath.Join(os.TempDir(), "aftergust-look"), "folder for the pictures and sheets")
	only := flag.String("only", "", "beginnings of names of states, parted by commas; empty: all")
	screen := flag.String("screen", "wide,phone", "which screens, parted by commas")
	flag.Parse()
	found, err := run(*card, *out, *only, strings.Split(*screen, ","))
	if err != nil {
		fmt.Fprintln(os.Stderr, "look:", err)
		os.Exit(1)
	}
	for _, f := range found {
		fmt.Println(f)
	}
	fmt.Printf("%d findings of axe; the sheets lie in %s\n", len(found), *out)
	if len(found) > 0 {
		os.Exit(2)
	}
}

func run(cardFile, out, only string, screens []string) (found []string, err error) {
	raw, err := os.ReadFile(cardFile)
	if err != nil {
		return nil, fmt.Errorf("%w; start make demo first", err)
	}
	var card demo.Card
	if err := json.Unmarshal(raw, &card); err != nil {
		return nil, err
	}
	axe, err := os.ReadFile("ui/node_modules/axe-core/axe.min.js")
	if err != nil {
		return nil, err
	}
	ctx, cancel := context.WithTimeout(context.Background(), 30*time.Minute)
	defer cancel()
	browsers, end, err := open(ctx, card)
	if err != nil {
		return nil, err
	}
	defer end()
	if err := os.MkdirAll(out, 0o755); err != nil {
		return nil, err
	}
	l := looker{card: card, out: out, axe: string(axe), browsers: browsers}
	all, err := states(ctx, card)
	if err != nil {
		return nil, err
	}
	for _, screen := range screens {
		var taken []string
		for _, s := range all {
			if s.width != "" && s.width != screen || !wanted(only, s.name) {
				continue
			}
			if err := l.take(s, screen); err != nil {
				l.found = append(l.found, fmt.Sprintf("%s (%s): %v", s.name, screen, err))
				continue
			}
			taken = append(taken, s.name)
		}
		if err := l.sheets(taken, screen); err != nil {
			return nil, err
		}
	}
	return l.found, nil
}

func wanted(only, name string) bool {
	if only == "" {
		return true
	}
	for begin := range strings.SplitSeq(only, ",") {
		if strings.HasPrefix(name, begin) {
			return true
		}
	}
	return false
}

// open starts a browser that is signed in and one that is not.
func open(ctx context.Context, card demo.Card) (browsers map[bool]context.Context, end func(), err error) {
	owner, endOwner, err := e2e.NewBrowser(ctx)
	if err != nil {
		return nil, nil, err
	}
	guest, endGuest, err := e2e.NewBrowser(ctx)
	if err != nil {
		endOwner()
		return nil, nil, err
	}
	end = func() { endOwner(); endGuest() }
	if err := chromedp.Do(owner, e2e.Screen(1280, 800, false), e2e.SignIn(card.BaseURL, card.Owner.Email, card.Owner.Password)); err != nil {
		end()
		return nil, nil, fmt.Errorf("sign in: %w", err)
	}
	return map[bool]context.Context{false: owner, true: guest}, end, nil
}

type looker struct {
	card     demo.Card
	out, axe string
	browsers map[bool]context.Context
	found    []string
}

// take takes one picture, and asks axe.
func (l *looker) take(s state, screen string) error {
	browser, width, height := l.browsers[s.guest], int64(1280), int64(800)
	if screen == "phone" {
		width, height = 390, 844
	}
	ctx, cancel := context.WithTimeout(browser, 15*time.Second)
	defer cancel()
	undo := func() {}
	if s.net != "" {
		id, err := chromedp.Call(ctx, page.AddScriptToEvaluateOnNewDocument, page.AddScriptToEvaluateOnNewDocumentParams{Source: s.net})
		if err != nil {
			return err
		}
		undo = func() {
			_, _ = chromedp.Call(browser, page.RemoveScriptToEvaluateOnNewDocument,
				page.RemoveScriptToEvaluateOnNewDocumentParams(id)) // the next page tells
		}
	}
	defer undo()
	// What another state chose does not reach into this one.
	const forget = "location.protocol.startsWith('http') && (sessionStorage.clear(), Object.keys(localStorage).filter(k => k.startsWith('tus::')).forEach(k => localStorage.removeItem(k)))"
	actions := []e2e.Action{e2e.Screen(width, height, screen == "phone"), e2e.Script(forget), chromedp.Navigate("about:blank"),
		chromedp.Navigate(l.card.BaseURL + s.path), chromedp.WaitVisible(chromedp.CSS(s.ready))}
	actions = append(actions, s.before...)
	if err := chromedp.Do(ctx, append(actions, e2e.Drawn, chromedp.Sleep(500*time.Millisecond))...); err != nil {
		return errors.Join(err, l.where(browser, s.name, screen))
	}
	picture, err := chromedp.Run(ctx, chromedp.CaptureScreenshot())
	if err != nil {
		return err
	}
	if err := os.WriteFile(l.file(s.name, screen), picture, 0o644); err != nil {
		return err
	}
	return l.ask(ctx, s.name+" ("+screen+")")
}

// where keeps what is on screen when a state did not come.
func (l *looker) where(browser context.Context, name, screen string) error {
	picture, err := chromedp.Run(browser, chromedp.CaptureScreenshot())
	if err != nil {
		return err
	}
	return os.WriteFile(l.file("failed "+name, screen), picture, 0o644)
}

func (l *looker) file(name, screen string) string {
	return filepath.Join(l.out, strings.ReplaceAll(name, " ", "-")+"."+screen+".png")
}

// ask runs axe-core on the page as it is. Source: axe-core, rules of WCAG 2.0 to 2.2, A and AA. A page
// that is wider than its screen is a finding too (WCAG 1.4.10).
func (l *looker) ask(ctx context.Context, name string) error {
	if _, err := chromedp.Run(ctx, chromedp.Evaluate[bool](l.axe+";true")); err != nil {
		return err
	}
	found, err := chromedp.Run(ctx, chromedp.Evaluate[[]string](`axe.run(document, {runOnly: ['wcag2a','wcag2aa','wcag21a','wcag21aa','wcag22aa']})
		.then(r => r.violations.flatMap(v => v.nodes.slice(0, 3).map(n => v.id + ': ' + n.html.slice(0, 140) + ' ' +
			(n.any[0]?.message ?? n.failureSummary ?? '')))
		.concat(document.documentElement.scrollWidth > innerWidth + 1 ? ['wider than the screen: ' + document.documentElement.scrollWidth] : []))`, chromedp.EvalAwaitPromise))
	if err != nil {
		return err
	}
	for _, f := range found {
		l.found = append(l.found, name+": "+f)
	}
	return nil
}

// sheets lays pictures on sheets of six.
func (l *looker) sheets(names []string, screen string) error {
	columns, width, height := 3, int64(1890), int64(930)
	if screen == "phone" {
		columns, width, height = 6, 1890, 760
	}
	for n := 0; n*6 < len(names); n++ {
		var b strings.Builder
		fmt.Fprintf(&b, "<body style='margin:12px;background:#888;font:600 15px sans-serif;display:grid;gap:12px;grid-template-columns:repeat(%d,1fr)'>", columns)
		for _, name := range names[n*6 : min(n*6+6, len(names))] {
			fmt.Fprintf(&b, "<figure style='margin:0'><figcaption>%s</figcaption><img style='width:100%%;display:block' src='file://%s'></figure>",
				html.EscapeString(name), l.file(name, screen))
		}
		sheet := filepath.Join(l.out, fmt.Sprintf("sheet-%s-%02d", screen, n+1))
		if err := os.WriteFile(sheet+".html", []byte(b.String()), 0o644); err != nil {
			return err
		}
		ctx := l.browsers[true]
		if err := chromedp.Do(ctx, e2e.Screen(width, height, false), chromedp.Navigate("file://"+sheet+".html"), e2e.Drawn); err != nil {
			return err
		}
		picture, err := chromedp.Run(ctx, chromedp.CaptureScreenshot())
		if err != nil {
			return err
		}
		if err := errors.Join(os.WriteFile(sheet+".png", picture, 0o644), os.Remove(sheet+".html")); err != nil {
			return err
		}
	}
	return nil
}
