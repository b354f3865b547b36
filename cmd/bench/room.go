package main

import (
	"context"
	"errors"
	"fmt"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"aftergust/core/media/align"
	"aftergust/core/time/timecode"
	"aftergust/e2e"
	"aftergust/internal/dev/demo"
	"aftergust/internal/files/media"

	"github.com/chromedp/chromedp"
)

// A reviewed film is in a package of its own.
type reviewed struct {
	film, link, pack string
}

// The film that is measured is a part of an hour.
const (
	seconds = 300
	parts   = 3600 / seconds
)

// manyNotes is how many notes lie on the film of the Room that is measured.
const manyNotes = 2000

// room measures the review screen with many notes, and how long two cuts take to be compared.
func (b *benchmark) room(ctx context.Context) ([]figure, error) {
	g, err := b.serve(ctx, "room", "AFTERGUST_WORK=true")
	if err != nil {
		return nil, err
	}
	film, err := b.film(ctx, seconds)
	if err != nil {
		return nil, err
	}
	r, err := reviewedFilm(ctx, g.owner, film)
	if err != nil {
		return nil, err
	}
	figures, err := inTheRoom(ctx, g.base, r)
	if err != nil {
		return nil, err
	}
	compared, err := b.compared(ctx, film)
	return append(figures, compared), err
}

// film makes a film of so many seconds, of 25 frames each.
func (b *benchmark) film(ctx context.Context, length int) (string, error) {
	file := filepath.Join(b.dir, "long.mp4")
	out, err := exec.CommandContext(ctx, "ffmpeg", "-v", "error", "-nostdin", "-y", "-f", "lavfi", "-i", "testsrc2=size=1280x720:rate=25", "-f", "lavfi", "-i",
		"sine=f=220:sample_rate=48000", "-t", fmt.Sprint(length), "-c:v", "libx264", "-preset", "ultrafast", "-pix_fmt", "yuv420p", "-c:a", "aac", file).CombinedOutput()
	if err != nil {
		err = fmt.Errorf("make a film: %w %s", err, out)
	}
	return file, err
}

func reviewedFilm(ctx context.Context, owner *demo.Client, film string) (r reviewed, err error) {
	var p struct {
		ID    string
		Items []struct {
			ID         string
			MediaState string `json:"media_state"`
		}
	}
	if err = owner.Do(ctx, "POST", "/api/v1/packages", nil, &p); err != nil {
		return r, err
	}
	r.pack = p.ID
	path := "/api/v1/packages/" + p.ID
	if _, err = owner.Upload(ctx, p.ID, film, ""); err != nil {
		return r, err
	}
	var line struct{ Link string }
	for _, step := range []func() error{
		func() error { return owner.Do(ctx, "PATCH", path, map[string]any{"title": "A long film"}, nil) },
		func() error {
			return owner.Do(ctx, "POST", path+"/recipients", map[string]any{"address": "Hanne Orrick <hanne@kelpwick.example>", "rights": []string{"see", "note"}}, &line)
		},
		func() error { return owner.Do(ctx, "POST", path+"/send", nil, nil) },
	} {
		if err = step(); err != nil {
			return r, err
		}
	}
	r.link = line.Link
	for {
		if err = owner.Do(ctx, "GET", path, nil, &p); err != nil {
			return r, err
		}
		switch p.Items[0].MediaState {
		case "ready":
		case "failed", "none", "cancelled":
			return r, fmt.Errorf("the film cannot be reviewed: its media work is %s", p.Items[0].MediaState)
		default:
			time.Sleep(time.Second)
			continue
		}
		break
	}
	r.film = p.Items[0].ID
	var notes strings.Builder
	notes.WriteString("id,note,author,frame in,frame out\r\n")
	for i := range manyNotes {
		fmt.Fprintf(&notes, "n%d,The grade of this shot wants to be a little warmer (%d),%s,%d,%d\r\n", i, i, []string{"Hanne Orrick", "P. Anstey", "Tomos Gethin"}[i%3],
			i*3, i*3+i%3*20)
	}
	return r, owner.Send(ctx, "POST", "/api/v1/items/"+r.film+"/in/csv?do=yes", strings.NewReader(notes.String()))
}

func inTheRoom(ctx context.Context, base string, r reviewed) ([]figure, error) {
	marit, endMarit, err := e2e.NewBrowser(ctx)
	if err != nil {
		return nil, err
	}
	defer endMarit()
	hanne, endHanne, err := e2e.NewBrowser(ctx)
	if err != nil {
		return nil, err
	}
	defer endHanne()
	room := base + "/packages/" + r.pack + "/room"
	usable := `[...document.querySelectorAll('.score .lane button')].length > 20 && (document.querySelector('video')?.readyState ?? 0) >= 1`
	if err := errors.Join(chromedp.Do(marit, e2e.Screen(1280, 800, false), e2e.SignIn(base, ownerEmail, ownerPassword),
		chromedp.Navigate(room)),
		until(marit, usable)); err != nil {
		return nil, err
	}
	var opened []float64
	for range runs {
		began := time.Now()
		if err := errors.Join(chromedp.Do(marit, chromedp.Navigate(room)), until(marit, usable)); err != nil {
			return nil, fmt.Errorf("the Room: %w", err)
		}
		opened = append(opened, time.Since(began).Seconds())
	}
	frames, bare, err := scrubbed(marit)
	if err != nil {
		return nil, fmt.Errorf("scrub: %w", err)
	}
	if err := errors.Join(chromedp.Do(marit, chromedp.Navigate(room)), until(marit, usable)); err != nil {
		return nil, err
	}
	if err := errors.Join(chromedp.Do(hanne, e2e.Screen(1280, 800, false), chromedp.Navigate(r.link+"/room")), until(hanne, usable)); err != nil {
		return nil, fmt.Errorf("the Room of the client: %w", err)
	}
	var appears []float64
	for i := range runs {
		words := fmt.Sprintf("Just said %d.", i)
		began := time.Now()
		if err := chromedp.Do(hanne, e2e.Script(fmt.Sprintf(`fetch(location.pathname.replace('/r/', '/api/v1/r/').replace('/room', '/items/%s/notes'), {method: 'POST',
			headers: {'Content-Type': 'application/json'}, body: JSON.stringify({anchor: {when: 'moment', at_us: 0}, text: %q})})`, r.film, words))); err != nil {
			return nil, err
		}
		if err := until(marit, fmt.Sprintf("document.querySelector('.which .count').innerText.includes('of %d open')", manyNotes+1+i)); err != nil {
			return nil, fmt.Errorf("a note of somebody else: %w", err)
		}
		appears = append(appears, time.Since(began).Seconds()*1000)
	}
	return []figure{
		{fmt.Sprintf("the Room with %d notes, until it can be worked with", manyNotes), "–", "≤ 1.5 s", spread(opened, "s"), "–", "–", verdict(median(opened) <= 1.5)},
		{"frames while one scrubs in it, 95th percentile", "the same film alone in the browser, sought as often", "≤ 17 ms",
			fmt.Sprintf("%.1f ms (median %.1f)", p95(frames), median(frames)), fmt.Sprintf("%.1f ms (median %.1f)", p95(bare), median(bare)),
			fmt.Sprintf("%.2f", median(frames)/median(bare)), verdict(p95(frames) <= refresh)},
		{"a note, until the other one sees it", "–", "≤ 500 ms", spread(appears, "ms"), "–", "–", verdict(median(appears) <= 500)},
	}, nil
}

// scrubbed is how long each frame takes while somebody pulls along the score of the Room, a few
// times, and while the same film is sought in a page that holds nothing else. It leaves the Room.
func scrubbed(ctx context.Context) (room, bare []float64, err error) {
	each := fmt.Sprintf(`const took = []
		let last = await new Promise(requestAnimationFrame)
		for (let turn = 0; turn < %d; turn++) for (let n = 0; n < 240; n++) {
			move(n)
			const now = await new Promise(requestAnimationFrame)
			took.push(now - last)
			last = now
		}
		return took`, runs)
	room, err = chromedp.Run(ctx, chromedp.Evaluate[[]float64](`(async () => {
		const track = document.querySelector('.score .time'), box = track.getBoundingClientRect()
		const at = (n, type) => track.dispatchEvent(new PointerEvent(type, {bubbles: true, pointerId: 1, button: 0,
			clientX: box.left + box.width * (0.1 + 0.8 * n / 240), clientY: box.top + 20}))
		at(0, 'pointerdown')
		const move = n => at(n, 'pointermove')
		`+each+` })()`, chromedp.EvalAwaitPromise))
	if err != nil {
		return nil, nil, err
	}
	err = until(ctx, `(() => {
		const film = document.body.querySelector(':scope > video') ?? Object.assign(document.createElement('video'),
			{src: document.querySelector('video').src, muted: true, width: 640})
		if (!film.isConnected) document.body.replaceChildren(film)
		return film.readyState >= 2 })()`)
	if err != nil {
		return nil, nil, err
	}
	bare, err = chromedp.Run(ctx, chromedp.Evaluate[[]float64](`(async () => {
		const film = document.querySelector('video')
		const move = n => film.currentTime = film.duration * (0.1 + 0.8 * n / 240)
		`+each+` })()`, chromedp.EvalAwaitPromise))
	return room, bare, err
}

// until waits for what a script says of the page.
func until(ctx context.Context, script string) error {
	_, err := chromedp.Run(ctx, chromedp.Evaluate[bool](fmt.Sprintf(`new Promise((done, fail) => { const end = Date.now() + 60000
		const look = () => { let is = false; try { is = (%s) } catch {}; is ? done(true) : Date.now() > end ? fail('it does not come') : setTimeout(look, 8) }; look() })`, script),
		chromedp.EvalAwaitPromise))
	return err
}

// compared is how long two one-hour cuts take to be compared, against decoding one of them
// once; the signatures of the new one are made while it is decoded for them.
func (b *benchmark) compared(ctx context.Context, film string) (figure, error) {
	facts, err := media.Probe(ctx, film)
	if err != nil {
		return figure{}, err
	}
	part, err := media.Prints(ctx, film, b.dir, facts)
	if err != nil {
		return figure{}, err
	}
	hour := align.Film{Rate: timecode.Rate25}
	for i := range parts {
		for _, p := range part.Prints {
			p.Across ^= uint64(i) * 0x9e3779b97f4a7c15 // each part looks different
			hour.Prints = append(hour.Prints, p)
		}
	}
	cut := align.Film{Rate: hour.Rate, Prints: slices.Concat(hour.Prints[:40_000], hour.Prints[41_500:])}
	x, y, err := pair(func() (float64, error) {
		began := time.Now()
		align.Compare(hour, cut)
		return time.Since(began).Seconds(), nil
	}, func() (float64, error) {
		began := time.Now()
		out, err := exec.CommandContext(ctx, "nice", "-n", "10", "ffmpeg", "-v", "error", "-nostdin", "-i", film, "-f", "null", "-").CombinedOutput()
		if err != nil {
			err = errors.Join(err, errors.New(string(out)))
		}
		return parts * time.Since(began).Seconds(), err
	})
	if err != nil {
		return figure{}, err
	}
	return figure{"two one-hour cuts of 720p compared, once their frames are printed", "decoding one of them once (twelve times five minutes)", "< 1", spread(x, "s"), spread(y, "s"),
		fmt.Sprintf("%.3f", median(x)/median(y)), verdict(median(x) < median(y))}, nil
}
