package e2e_test

import (
	"fmt"
	"os/exec"
	"path/filepath"
	"testing"
	"time"

	"aftergust/e2e"
	"aftergust/internal/dev/apptest"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// scene is a short film with movement of its own, cut as a filter says.
func scene(t *testing.T, name, filter string) string {
	t.Helper()
	file := filepath.Join(t.TempDir(), name)
	out, err := exec.Command("ffmpeg", "-v", "error", "-nostdin", "-f", "lavfi", "-i", "testsrc2=size=480x270:rate=25,"+filter, "-f", "lavfi", "-i",
		"sine=f=220:sample_rate=48000", "-t", "8", "-timecode", "10:00:00:00", "-c:v", "libx264", "-preset", "ultrafast", "-pix_fmt", "yuv420p", "-c:a", "aac", file).CombinedOutput()
	require.NoError(t, err, "%s", out)
	return file
}

// drag moves the mouse over what a selector finds, between shares of it, with the button down.
func (p *person) pull(selector string, fromX, fromY, toX, toY float64) {
	p.t.Helper()
	box := asks[struct{ X, Y, W, H float64 }](p, fmt.Sprintf(`(b => ({x: b.left, y: b.top, w: b.width, h: b.height}))(document.querySelector(%q).getBoundingClientRect())`, selector))
	p.does(func(ctx ctxT, _ *chromedp.Target) (chromedp.Void, error) {
		const steps = 6
		for i := range steps + 3 {
			kind, share := input.DispatchMouseEventTypeMouseMoved, float64(min(i, steps))/steps
			if i == 0 {
				kind = input.DispatchMouseEventTypeMousePressed
			} else if i == steps+2 {
				kind = input.DispatchMouseEventTypeMouseReleased
			}
			if _, err := chromedp.Call(ctx, input.DispatchMouseEvent, input.DispatchMouseEventParams{Type: kind, Button: input.MouseButtonLeft,
				Buttons: 1, ClickCount: 1, X: box.X + box.W*(fromX+(toX-fromX)*share), Y: box.Y + box.H*(fromY+(toY-fromY)*share)}); err != nil {
				return chromedp.Void{}, err
			}
		}
		return chromedp.Void{}, nil
	})
}

type roomNote struct {
	ID, Body, Says string
	Done, Private  bool
	Anchor         struct {
		When, Where string
		Strokes     []struct{ Tool string }
	}
	Attached []struct{ Kind string }
	Answers  []struct{ Body string }
	Signs    []struct{ Sign string }
	Carried  *struct {
		How   string
		Place struct{ Frame int }
	}
}

func roomOf(t *testing.T, s *apptest.Studio, item string) map[string]roomNote {
	t.Helper()
	var r struct{ Notes []roomNote }
	s.Do(t, "GET", "/items/"+item+"/room", nil, &r)
	out := map[string]roomNote{}
	for _, n := range r.Notes {
		out[n.Says] = n
	}
	return out
}

// A producer, a client before a wide screen and one with a phone go through a review: notes of all kinds, answers, a new
// version that carries them, a look at what changed, the sign-off, and notes out and in again.
func TestAReviewOfThreePeople(t *testing.T) {
	s := studio(t)
	p := s.Pack(t, []string{scene(t, "cut.mov", "null"), still(t)}, map[string][]string{"hanne@kelpwick.example": {"see", "note", "sign_off"},
		"anstey@kelpwick.example": {"see", "note"}})
	p = s.Send(t, p)
	ready := func() {
		apptest.Eventually(t, "previews are made", func() bool {
			p = s.Package(t, p.ID)
			return p.Items[0].MediaState == "ready" && p.Items[1].MediaState == "ready"
		})
	}
	ready()
	film, picture := p.Items[0].ID, p.Items[1].ID
	link := map[string]string{}
	for _, r := range p.Recipients {
		link[r.Email] = s.Base + "/r/" + r.Token()
	}
	marit, hanne, anstey := somebody(t, 1280, 800, false), somebody(t, 1280, 800, false), somebody(t, 390, 844, true)
	anstey.hasFingers()
	marit.does(e2e.SignIn(s.Base, apptest.Email, apptest.Password), chromedp.Navigate(s.Base+"/packages/"+p.ID+"/room?item="+film))
	marit.sees("No notes yet")

	// Hanne: at a frame, over a span with a sketch, with her voice.
	hanne.does(chromedp.Navigate(link["hanne@kelpwick.example"]))
	hanne.press("Look at it large, note and sign off")
	hanne.sees("Stop where something should change")
	hanne.key("m", 77, 0)
	hanne.does(hanne.keys("The flag, please.\r"))
	hanne.sees("1 of 1 open")
	marit.sees("The flag, please.") // live, without reloading
	hanne.key("t", 84, 0)
	hanne.does(hanne.keys("f 60\r"))
	hanne.key("i", 73, 0)
	hanne.key("t", 84, 0)
	hanne.does(hanne.keys("f 110\r"))
	hanne.key("o", 79, 0)
	hanne.key("s", 83, 0)
	hanne.press("Ellipse")
	hanne.pull(".overlay svg", 0.3, 0.3, 0.6, 0.7)
	hanne.press("Arrow")
	hanne.pull(".overlay svg", 0.9, 0.2, 0.65, 0.4)
	hanne.isAccessible("a sketch")
	hanne.press("Finished drawing")
	hanne.key("m", 77, 0)
	hanne.does(hanne.keys("All through this.\r"))
	hanne.sees("2 of 2 open")
	hanne.key("v", 86, 0)
	hanne.sees("0:01")
	hanne.press("That is it")
	hanne.sees("0:0")
	apptest.Eventually(t, "the voice is kept", func() bool { return asks[bool](hanne, `!!document.querySelector('.attached .said')`) })
	hanne.key("m", 77, 0)
	hanne.does(hanne.keys("\r"))
	hanne.sees("3 of 3 open")
	hanne.isAccessible("the Room")

	// P. Anstey, by thumb: a spot on the still, an answer, a sign.
	anstey.does(chromedp.Navigate(link["anstey@kelpwick.example"] + "/room?item=" + picture))
	anstey.sees("Press the spot where something should change")
	anstey.taps(`document.querySelector('.overlay svg')`)
	apptest.Eventually(t, "a spot", func() bool {
		return asks[bool](anstey, `[...document.querySelectorAll('.what')].some(e => e.innerText.startsWith('spot'))`)
	})
	anstey.does(anstey.keys("Warmer here.\r"))
	anstey.sees("1 of 1 open")
	anstey.does(chromedp.Navigate(link["anstey@kelpwick.example"] + "/room?item=" + film))
	anstey.sees("3 of 3 open")
	anstey.taps(buttonNamed("Yes"))
	anstey.does(chromedp.SendKeys(css(`[aria-label="Answer"]`), "I think so too.\r"))
	anstey.sees("I think so too.")
	anstey.isAccessible("the Room on a phone")
	notes := roomOf(t, s, film)
	assert.Equal(t, "moment", notes["The flag, please."].Anchor.When)
	assert.Equal(t, "I think so too.", notes["The flag, please."].Answers[0].Body)
	assert.Len(t, notes["The flag, please."].Signs, 1)
	drawn := notes["All through this."]
	assert.Equal(t, "span", drawn.Anchor.When)
	require.Len(t, drawn.Anchor.Strokes, 2)
	assert.Equal(t, []string{"ellipse", "arrow"}, []string{drawn.Anchor.Strokes[0].Tool, drawn.Anchor.Strokes[1].Tool})
	assert.Equal(t, "voice", notes["Said as a voice note."].Attached[0].Kind)
	assert.Equal(t, "spot", roomOf(t, s, picture)["Warmer here."].Anchor.Where)

	// Marit sees all of it where she is, and ticks one off.
	marit.sees("I think so too.")
	marit.key("e", 69, 0)
	marit.sees("2 of 3 open")
	hanne.sees("2 of 3 open")

	// The next version begins a second later; the open notes go along with their picture.
	var item string
	require.NoError(t, s.App.Store.Pool().QueryRow(t.Context(), "select item_id from parcel_item where id = $1", film).Scan(&item))
	_, err := s.Owner.UploadAs(t.Context(), scene(t, "cut2.mov", "trim=start_frame=25,setpts=PTS-STARTPTS"), map[string]string{"package": p.ID, "item": item,
		"filename": "cut2.mov"})
	require.NoError(t, err)
	apptest.Eventually(t, "what changed is known", func() bool {
		n := roomOf(t, s, film)["All through this."]
		return n.Carried != nil && n.Carried.How == "followed"
	})
	carried := roomOf(t, s, film)["All through this."].Carried
	assert.Equal(t, 60-25, carried.Place.Frame)
	ready()
	for _, one := range []*person{marit, hanne} {
		one.does(chromedp.Reload())
		one.sees("From version 1")
	}
	marit.press("Compare with v1")
	marit.sees("What changed")
	marit.sees("1.0 s gone")
	marit.isAccessible("comparing")
	marit.press("Difference")
	marit.press("Leave comparing")

	// Marit asks for the sign-off; Hanne gives it, of this very version.
	marit.press("Ask for sign-off")
	marit.sees("Hanne")
	marit.press("Begin the round")
	hanne.sees("Round 1")
	hanne.press("Sign off …")
	hanne.isAccessible("deciding")
	hanne.press("Changes wanted")
	marit.sees("Changes wanted")
	hanne.press("Changes wanted")
	hanne.press("Signed off")
	marit.sees("Signed off ✓")
	hanne.sees("Signed off ✓")
	hanne.press("Signed off ✓")
	hanne.press("All 2 of the round")
	hanne.sees("harbour.jpg, version 1")
	hanne.isAccessible("deciding of the whole round")
	hanne.press("Sign all 2 off")

	// Out in each format, and in again with nothing changed.
	before := roomOf(t, s, film)
	for _, format := range []string{"otio", "csv", "annotations", "edl", "vtt"} {
		got := asks[struct {
			Type string
			Text string
		}](marit, fmt.Sprintf(`fetch('/api/v1/items/%s/out/%s').then(async r => ({type: r.headers.get('content-type'), text: await r.text()}))`, film, format))
		assert.Contains(t, got.Text, "All through this.", format)
		if format == "edl" || format == "vtt" {
			continue
		}
		report := asks[struct{ New, Same, Differs, Done int }](marit, fmt.Sprintf(`fetch('/api/v1/items/%s/out/%s').then(r => r.blob()).then(b =>
			fetch('/api/v1/items/%s/in/%s?do=yes', {method: 'POST', body: b})).then(r => r.json())`, film, format, film, format))
		assert.Zero(t, report.New+report.Differs+report.Done, "%s: %+v", format, report)
		assert.NotZero(t, report.Same, format)
	}
	assert.Equal(t, before, roomOf(t, s, film))
	// Reference program: Chromium's own reader of WebVTT.
	cues := asks[[]string](marit, fmt.Sprintf(`new Promise(done => { const v = document.createElement('video'), k = document.createElement('track');
		k.src = '/api/v1/items/%s/out/vtt'; k.default = true; k.track.mode = 'hidden'; v.append(k); document.body.append(v);
		k.onload = () => done([...k.track.cues].map(c => c.text)); k.onerror = () => done(['refused']) })`, film))
	assert.Contains(t, cues, "<v Hanne>All through this.")
	marit.press("Out and in")
	marit.sees("Printable list")
	marit.isAccessible("notes out and in")

	// The package says who decided what.
	marit.does(chromedp.Navigate(s.Base + "/packages/" + p.ID + "?show=rounds"))
	apptest.Eventually(t, "both are signed off by Hanne", func() bool {
		return asks[int](marit, `document.querySelectorAll('table .signed_off').length`) == 2
	})
	marit.isAccessible("the rounds of a package")
}

func TestASoundGoesOnWhileOneLooksElsewhere(t *testing.T) {
	s := studio(t)
	sound := filepath.Join(t.TempDir(), "theme.wav")
	out, err := exec.Command("ffmpeg", "-v", "error", "-nostdin", "-f", "lavfi", "-i", "sine=f=220:d=60", sound).CombinedOutput()
	require.NoError(t, err, "%s", out)
	p := s.Send(t, s.Pack(t, []string{sound, still(t)}, map[string][]string{"hanne@kelpwick.example": {"see", "note"}}))
	apptest.Eventually(t, "previews are made", func() bool {
		p = s.Package(t, p.ID)
		return p.Items[0].MediaState == "ready" && p.Items[1].MediaState == "ready"
	})
	link := s.Base + "/r/" + p.Recipients[0].Token()
	hanne := somebody(t, 390, 844, true)
	at := func() float64 {
		return asks[float64](hanne, `(a => a && !a.paused ? a.currentTime : -1)(document.querySelector('body > audio'))`)
	}
	hanne.does(chromedp.Navigate(link + "/room?item=" + p.Items[0].ID))
	hanne.press("Play")
	apptest.Eventually(t, "it plays", func() bool { return asks[float64](hanne, `document.querySelector('.room audio').currentTime`) > 0.5 })
	// Another item, then the page of the package: it goes on, and on.
	hanne.press("Next piece")
	apptest.Eventually(t, "it goes on while a still is looked at", func() bool { return at() > 1 })
	hanne.isAccessible("a sound that goes on")
	hanne.press("‹")
	before := at()
	apptest.Eventually(t, "it goes on", func() bool { return at() > before+1 })
	hanne.taps(`document.querySelector('.elsewhere a')`)
	apptest.Eventually(t, "it goes on where it is looked at again", func() bool {
		return asks[float64](hanne, `(a => a && !a.paused ? a.currentTime : 0)(document.querySelector('.room audio'))`) > before+1
	})
	assert.Equal(t, -1.0, at(), "and nowhere else")
	// What is stopped plays nowhere.
	hanne.press("Next piece")
	apptest.Eventually(t, "it goes on", func() bool { return at() > 0 })
	s.Do(t, "POST", "/packages/"+p.ID+"/stop", nil, nil)
	apptest.Eventually(t, "it is cut", func() bool { return at() == -1 })
}

func still(t *testing.T) string {
	t.Helper()
	file := filepath.Join(t.TempDir(), "harbour.jpg")
	out, err := exec.Command("ffmpeg", "-v", "error", "-nostdin", "-f", "lavfi", "-i", "testsrc2=size=900x600", "-frames:v", "1", file).CombinedOutput()
	require.NoError(t, err, "%s", out)
	return file
}

// slow gives all that a page asks and hears so many milliseconds of delay, each way.
func (p *person) slow(ms int) {
	p.t.Helper()
	p.does(func(ctx ctxT, _ *chromedp.Target) (chromedp.Void, error) {
		_, err := chromedp.Call(ctx, page.AddScriptToEvaluateOnNewDocument, page.AddScriptToEvaluateOnNewDocumentParams{Source: fmt.Sprintf(`{
			const rest = () => new Promise(r => setTimeout(r, %d)), ask = window.fetch;
			window.fetch = async (...a) => { await rest(); const r = await ask(...a); await rest(); return r };
			const hear = Object.getOwnPropertyDescriptor(EventSource.prototype, 'onmessage');
			Object.defineProperty(EventSource.prototype, 'onmessage', {set(f) { hear.set.call(this, async e => { await rest(); f(e) }) }});
		}`, ms)})
		return chromedp.Void{}, err
	})
}

// apart is how far two players that run are from each other at most, in seconds, by the clock that both browsers have.
func apart(one, other *person) (worst float64) {
	at := `(v => ({at: v.currentTime, now: performance.timeOrigin + performance.now(), rests: v.paused}))(document.querySelector('.picture video'))`
	type place struct {
		At, Now float64
		Rests   bool
	}
	for range 12 {
		a, b := asks[place](one, at), asks[place](other, at)
		d := (b.At - a.At) - (b.Now-a.Now)/1000
		if a.Rests || b.Rests {
			d = 1 // the film is over
		}
		worst = max(worst, d, -d)
		time.Sleep(120 * time.Millisecond)
	}
	return worst
}

// One leads, the other's player follows: play, pause and place, and no further apart than two frames with 100 ms of delay
// on the line. Anybody steps out and in again.
func TestSittingTogether(t *testing.T) {
	s := studio(t)
	p := s.Send(t, s.Pack(t, []string{numbered(t, "numbered.mov", "25", "10:00:00:00")}, map[string][]string{"hanne@kelpwick.example": {"see", "note"}}))
	apptest.Eventually(t, "a proxy", func() bool { p = s.Package(t, p.ID); return p.Items[0].MediaState == "ready" })
	marit, hanne := somebody(t, 1280, 800, false), somebody(t, 1280, 800, false)
	marit.does(e2e.SignIn(s.Base, apptest.Email, apptest.Password), chromedp.Navigate(s.Base+"/packages/"+p.ID+"/room"))
	marit.sees("No notes yet")
	hanne.slow(100)
	hanne.does(chromedp.Navigate(s.Base + "/r/" + p.Recipients[0].Token() + "/room"))
	marit.sees("Hanne is here")
	hanne.sees("Marit Oyelaran is here")
	marit.key("g", 71, 0)
	hanne.sees("Marit Oyelaran leads")
	hanne.key("g", 71, 0)
	hanne.sees("Marit Oyelaran leads you")
	// A machine that is busy elsewhere draws nothing for a while: of five times that they play, one counts.
	worst := 1.0
	for try := 0; try < 5 && worst > 2.0/25; try++ {
		marit.key("k", 75, 0)
		marit.key("t", 84, 0)
		marit.does(marit.keys("f 100\r"))
		apptest.Eventually(t, "the same frame", func() bool { return asks[int](hanne, readNumber) == 100 })
		marit.key(" ", 32, 0)
		apptest.Eventually(t, "both play", func() bool { return asks[bool](hanne, `!document.querySelector('.picture video').paused`) })
		time.Sleep(1500 * time.Millisecond)
		worst = apart(marit, hanne)
		t.Logf("at most %.0f ms apart", worst*1000)
	}
	assert.LessOrEqual(t, worst, 2.0/25, "seconds")
	marit.key("k", 75, 0)
	apptest.Eventually(t, "both rest at one frame", func() bool {
		n := asks[int](marit, readNumber)
		return n > 100 && n == asks[int](hanne, readNumber)
	})
	hanne.key("g", 71, 0) // steps out
	marit.key("t", 84, 0)
	marit.does(marit.keys("f 10\r"))
	time.Sleep(800 * time.Millisecond)
	assert.Greater(t, asks[int](hanne, readNumber), 100)
	hanne.key("g", 71, 0) // and in again
	apptest.Eventually(t, "together again", func() bool { return asks[int](hanne, readNumber) == 10 })
	hanne.isAccessible("sitting together")
	marit.key("g", 71, 0)
	hanne.sees("Marit Oyelaran is here")
}
