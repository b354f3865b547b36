package main

import (
	"context"
	"fmt"
	"time"

	"aftergust/e2e"
	"aftergust/internal/dev/apptest"

	"github.com/chromedp/chromedp"
)

// refresh is the time between two frames of a screen that draws sixty in a second,
// in milliseconds, with what a clock in a page is off by.
const refresh = 1000.0/60 + 0.4

// screens measures in a browser what has to stay fluid.
func (b *benchmark) screens(ctx context.Context) ([]figure, error) {
	g, err := b.grow(ctx, "wide", prefixed{apptest.Bulk{Packages: 1, Out: 1, Items: 200, Each: 200, Lines: 200, Events: 40_000}, "w"})
	if err != nil {
		return nil, err
	}
	browser, end, err := e2e.NewBrowser(ctx)
	if err != nil {
		return nil, err
	}
	defer end()
	began := time.Now()
	if err := chromedp.Do(browser, e2e.Screen(1280, 800, false), e2e.SignIn(g.base, ownerEmail, ownerPassword),
		chromedp.Navigate(g.base+"/packages/wp1"), chromedp.WaitVisible(chromedp.CSS(".ledger .row .cell"))); err != nil {
		return nil, fmt.Errorf("the ledger: %w", err)
	}
	usable := time.Since(began)
	// Every page of its columns, as somebody asks for them.
	for {
		more, err := chromedp.Run(browser, chromedp.Evaluate[bool](`(async () => {
			const more = [...document.querySelectorAll('button')].find(b => b.innerText.startsWith('Show more') && b.offsetParent)
			more?.click(); await new Promise(r => setTimeout(r, 500)); return !!more })()`, chromedp.EvalAwaitPromise))
		if err != nil {
			return nil, err
		}
		if !more {
			break
		}
	}
	var frames []float64
	for _, way := range []string{"box.scrollLeft += 37", "window.scrollBy(0, 41)", "box.scrollLeft -= 37"} {
		some, err := chromedp.Run(browser, chromedp.Evaluate[[]float64](`(async () => {
			const box = document.querySelector('.ledger .scroll'), took = []
			let last = await new Promise(requestAnimationFrame)
			for (let n = 0; n < 240; n++) {
				`+way+`
				const now = await new Promise(requestAnimationFrame)
				took.push(now - last)
				last = now
			}
			return took })()`, chromedp.EvalAwaitPromise))
		if err != nil {
			return nil, fmt.Errorf("scroll the ledger: %w", err)
		}
		frames = append(frames, some...)
	}
	columns, err := chromedp.Run(browser, chromedp.Evaluate[string](`document.querySelector('.ledger .scroll').ariaColCount + ' × ' + document.querySelector('.ledger .scroll').ariaRowCount`))
	if err != nil {
		return nil, err
	}
	return []figure{{"frames of a ledger of 200 × 200 while it is scrolled, 95th percentile", "one refresh at 60 Hz", "≤ 17 ms",
		fmt.Sprintf("%.1f ms (median %.1f; %s drawn, usable after %.1f s)", p95(frames), median(frames), columns, usable.Seconds()), "16.7 ms", "–",
		verdict(p95(frames) <= refresh)}}, nil
}
