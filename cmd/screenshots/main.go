// Command screenshots takes the pictures in docs/screenshots from a running demo.
package main

import (
	"bytes"
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"image"
	"image/draw"
	"image/png"
	"os"
	"path/filepath"
	"strings"
	"time"

	"aftergust/e2e"
	"aftergust/internal/dev/demo"

	"github.com/chromedp/chromedp"
)

type shot struct {
	name   string
	path   string
	phone  bool
	guest  bool   // in the other browser, which is not signed in
	ready  string // selector that must be there
	before []e2e.Action
}

func main() {
	card := flag.String("demo", ".data/demo.json", "what the demo wrote about itself")
	out := flag.String("out", "docs/screenshots", "folder for the pictures")
	only := flag.String("only", "", "names of pictures, parted by commas; empty: all")
	flag.Parse()
	if err := run(*card, *out, *only); err != nil {
		fmt.Fprintln(os.Stderr, "screenshots:", err)
		os.Exit(1)
	}
}

func run(cardFile, out, only string) error {
	raw, err := os.ReadFile(cardFile)
	if err != nil {
		return fmt.Errorf("%w; start make demo first", err)
	}
	var card demo.Card
	if err := json.Unmarshal(raw, &card); err != nil {
		return err
	}
	ctx, cancel := context.WithTimeout(context.Background(), 5*time.Minute)
	defer cancel()
	owner, endOwner, err := e2e.NewBrowser(ctx)
	if err != nil {
		return err
	}
	defer endOwner()
	guest, endGuest, err := e2e.NewBrowser(ctx)
	if err != nil {
		return err
	}
	defer endGuest()
	if err := chromedp.Do(owner, e2e.Screen(1280, 800, false), e2e.SignIn(card.BaseURL, card.Owner.Email, card.Owner.Password)); err != nil {
		return fmt.Errorf("sign in: %w", err)
	}
	if err := os.MkdirAll(out, 0o755); err != nil {
		return err
	}
	client := demo.NewClient(card.BaseURL, card.Owner.Token)
	made := map[string][]byte{} // two of one name stand side by side in one picture
	for _, s := range shots(card, client.Place(ctx), func(parcel, item string) string {
		items, _ := client.Items(ctx, parcel) // without them its picture says so
		return card.BaseURL + demo.Room(parcel, demo.Named(items, item))
	}) {
		if only != "" && !strings.Contains(","+only+",", ","+s.name+",") {
			continue
		}
		browser, width, height := owner, int64(1280), int64(800)
		if s.guest {
			browser = guest
		}
		if s.phone {
			width, height = 390, 844
		}
		actions := append([]e2e.Action{e2e.Screen(width, height, s.phone), chromedp.Navigate(s.path),
			chromedp.WaitVisible(chromedp.CSS(s.ready))}, s.before...)
		actions = append(actions, e2e.Drawn, chromedp.Sleep(900*time.Millisecond))
		if err := chromedp.Do(browser, actions...); err != nil {
			return fmt.Errorf("%s: %w", s.name, err)
		}
		picture, err := chromedp.Run(browser, chromedp.CaptureScreenshot())
		if err != nil {
			return fmt.Errorf("%s: %w", s.name, err)
		}
		if left := made[s.name]; left != nil {
			if picture, err = beside(left, picture); err != nil {
				return fmt.Errorf("%s: %w", s.name, err)
			}
		}
		made[s.name] = picture
		if err := os.WriteFile(filepath.Join(out, s.name+".png"), picture, 0o644); err != nil {
			return err
		}
		fmt.Println(filepath.Join(out, s.name+".png"))
	}
	return nil
}

// beside lays two pictures side by side.
func beside(left, right []byte) ([]byte, error) {
	a, err := png.Decode(bytes.NewReader(left))
	if err != nil {
		return nil, err
	}
	b, err := png.Decode(bytes.NewReader(right))
	if err != nil {
		return nil, err
	}
	const gap = 24 // pixels
	at := a.Bounds().Dx() + gap
	both := image.NewRGBA(image.Rect(0, 0, at+b.Bounds().Dx(), max(a.Bounds().Dy(), b.Bounds().Dy())))
	draw.Draw(both, a.Bounds(), a, image.Point{}, draw.Src)
	draw.Draw(both, b.Bounds().Add(image.Pt(at, 0)), b, image.Point{}, draw.Src)
	var out bytes.Buffer
	err = png.Encode(&out, both)
	return out.Bytes(), err
}

func shots(card demo.Card, where func(names ...string) string, room func(parcel, item string) string) []shot {
	find := func(title string) demo.PackageCard {
		for _, p := range card.Packages {
			if p.Title == title {
				return p
			}
		}
		return demo.PackageCard{}
	}
	lifeboat, product := find("Lifeboat, cut 3"), find("Product film and cut-down")
	page := func(p demo.PackageCard) string { return card.BaseURL + "/packages/" + p.ID }
	gather := func(query string) string { return card.BaseURL + "/gather?" + query }
	// How a list was liked last is remembered by the browser.
	liking := func(how string) e2e.Action {
		return chromedp.Steps(e2e.Script(fmt.Sprintf("localStorage.setItem('aftergust.gather', %q)", how)), chromedp.Reload(),
			chromedp.WaitVisible(chromedp.CSS(".row")))
	}
	choose := func(name string) e2e.Action {
		return e2e.Script(fmt.Sprintf("[...document.querySelectorAll('.row')].find(r => r.innerText.startsWith(%q)).click()", name))
	}
	films := where("Kelpwick Harbour Museum", "Lifeboat films")
	return []shot{
		{name: "desk", path: card.BaseURL + "/", ready: ".horizon"},
		{name: "compose", path: page(find("Lifeboat, cut 4")), ready: ".compose .sentence"},
		{name: "ledger", path: page(lifeboat), ready: ".ledger"},
		{name: "gather", path: card.BaseURL + "/gather", ready: ".row dl"},
		{name: "proof", path: page(lifeboat) + "/proof", ready: "article h1"},
		{name: "gather-rows", path: gather("in=" + films), ready: ".row", before: []e2e.Action{liking(`{"order":"name"}`),
			choose("Lifeboat, cut 3.mov"), chromedp.WaitVisible(chromedp.CSS(".stub dl"))}},
		{name: "packages", path: card.BaseURL + "/packages", ready: "table", before: []e2e.Action{e2e.Script(
			"document.querySelectorAll('tbody input').forEach((box, i) => [1, 3].includes(i) && box.click())"), chromedp.Sleep(300 * time.Millisecond)}},
		{name: "notices", path: card.BaseURL + "/notices", ready: ".row"},
		{name: "room", path: page(lifeboat) + "/room", ready: "video", before: []e2e.Action{chromedp.Sleep(time.Second),
			chromedp.Click(chromedp.CSS(`.lane button[aria-label*="pennant"]`)), chromedp.Sleep(700 * time.Millisecond)}},
		{name: "room-compare", path: page(lifeboat) + "/room", ready: "video", before: []e2e.Action{chromedp.Sleep(time.Second),
			e2e.PressNamed("Compare with v1"), chromedp.WaitVisible(chromedp.CSS("[aria-label='What changed'] svg")),
			e2e.Script("document.querySelector('[aria-label=\"What changed\"] ol button').click()"), chromedp.Sleep(1500 * time.Millisecond)}},
		{name: "room-sound", path: room(lifeboat.ID, "guide_en.wav"), ready: ".stage", before: []e2e.Action{chromedp.Sleep(time.Second),
			chromedp.KeyEvent("n"), chromedp.Sleep(500 * time.Millisecond)}},
		{name: "room-still", path: room(lifeboat.ID, "harbour_02.jpg"), ready: ".overlay", before: []e2e.Action{chromedp.Sleep(time.Second)}},
		{name: "recipient", path: lifeboat.Recipients[1].Link, guest: true, ready: "video"},
		{name: "recipient-phone", path: lifeboat.Recipients[1].Link, guest: true, phone: true, ready: "video"},
		{name: "recipient-phone", path: lifeboat.Recipients[0].Link + "/room", guest: true, phone: true, ready: "video",
			before: []e2e.Action{chromedp.Sleep(time.Second), chromedp.KeyEvent("n"), chromedp.Sleep(500 * time.Millisecond)}},
		{name: "seen", path: page(lifeboat), ready: ".ledger", before: []e2e.Action{e2e.Script(
			"document.querySelector('.head button[title^=\"What they saw\"]').click()"), chromedp.Sleep(1500 * time.Millisecond)}},
		{name: "people", path: card.BaseURL + "/people", ready: "li button", before: []e2e.Action{
			e2e.Script("[...document.querySelectorAll('li button')].find(b => b.innerText.startsWith('Hanne')).click()"),
			chromedp.WaitVisible(chromedp.CSS("aside"))}},
		{name: "letterheads", path: card.BaseURL + "/letterheads", ready: ".sheet", before: []e2e.Action{
			e2e.Script("[...document.querySelectorAll('label')].find(b => b.innerText.startsWith('Harbour')).click()"), chromedp.Sleep(time.Second)}},
		{name: "door", path: product.Recipients[1].Link, guest: true, ready: "#answer"},
		{name: "showing", path: card.BaseURL + "/s/low-tide-films", guest: true, ready: "video"},
	}
}
