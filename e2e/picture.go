package e2e

import (
	"context"
	"errors"
	"time"

	"github.com/chromedp/chromedp"
)

// Drawn waits until pictures are there and films stand where they were sent.
func Drawn(ctx context.Context, t *chromedp.Target) (chromedp.Void, error) {
	const there = `[...document.querySelectorAll('video')].every((v) => !v.currentTime || (v.readyState >= 2 && !v.seeking)) &&
		[...document.images].every((i) => i.complete || !i.getClientRects().length || i.getBoundingClientRect().top > innerHeight)`
	for deadline := time.Now().Add(15 * time.Second); ; time.Sleep(100 * time.Millisecond) {
		ok, err := chromedp.Evaluate[bool](there)(ctx, t)
		if err != nil || ok {
			return chromedp.Void{}, err
		}
		if time.Now().After(deadline) {
			return chromedp.Void{}, errors.New("its pictures do not come")
		}
	}
}

// Script runs what has no value.
func Script(text string) Action {
	return func(ctx context.Context, t *chromedp.Target) (chromedp.Void, error) {
		_, err := chromedp.Evaluate[bool]("("+text+", true)")(ctx, t)
		return chromedp.Void{}, err
	}
}

// PressNamed presses the button or link of that name, or the first whose name begins so.
func PressNamed(name string) Action {
	return Script(`((all, says) => (all.find(e => says(e) === ` + quoted(name) + `) ?? all.find(e => says(e).startsWith(` + quoted(name) + `))).click())(
		[...document.querySelectorAll('button, a, [role=tab], label.segment')].filter(e => e.getClientRects().length),
		e => (e.getAttribute('aria-label') ?? e.innerText).trim())`)
}

func quoted(text string) string { return "`" + text + "`" }
