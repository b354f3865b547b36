package e2e_test

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"aftergust/core/file/coverage"
	"aftergust/e2e"
	"aftergust/internal/app"
	"aftergust/internal/dev/apptest"

	"github.com/chromedp/cdproto/browser"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// studio starts an Aftergust that browsers can reach under its own address. Two journeys
// go at once, since each mostly waits for its own people.
func studio(t *testing.T) *apptest.Studio {
	t.Parallel()
	return apptest.Start(t, pg, func(c *app.Config) {
		c.Addr = freeAddress(t)
		c.BaseURL = "http://" + c.Addr
	})
}

// makeFilm makes a film of 29.97 frames a second, drop-frame, with its timecode burnt in.
func makeFilm(t *testing.T, name string, seconds int, size string) string {
	t.Helper()
	file := filepath.Join(t.TempDir(), name)
	out, err := exec.Command("ffmpeg", "-v", "error", "-nostdin", "-y", "-f", "lavfi", "-i", "testsrc2=rate=30000/1001:size="+size, "-f",
		"lavfi", "-i", "sine=frequency=330:sample_rate=48000",
		"-t", fmt.Sprint(seconds), "-vf", `drawtext=fontfile=/usr/share/fonts/truetype/dejavu/DejaVuSansMono.ttf:timecode='00\:00\:55\;00':rate=30000/1001:fontsize=48:fontcolor=white:box=1:boxcolor=black:x=20:y=20`,
		"-timecode", "00:00:55;00", "-c:v", "mjpeg", "-q:v", "2", "-c:a", "pcm_s16le", file).CombinedOutput()
	require.NoError(t, err, "%s", out)
	return file
}

func TestTheWholePathWithTwoPeople(t *testing.T) {
	s := studio(t)
	film := makeFilm(t, "lifeboat_cut_3.mov", 24, "1280x720")
	sheet := apptest.File(t, "credits.bin", 250_000)
	filmSize := sizeOf(t, film)
	require.Greater(t, filmSize, int64(50_000_000), "a film of a real weight")

	marit := somebody(t, 1280, 800, false)
	marit.does(e2e.SignIn(s.Base, apptest.Email, apptest.Password))
	marit.sees("Nothing is out")
	marit.isAccessible("empty Desk")

	// New package, by key. Files are chosen; they upload while the rest is filled in.
	marit.does(marit.keys("n"), chromedp.WaitReady(css("input[data-choose=files]")), chromedp.SetUploadFiles(css("input[data-choose=files]"),
		[]string{film, sheet}))
	marit.does(chromedp.SendKeys(css(".letter"), "Third cut. Please look at the launch."))
	marit.does(chromedp.SendKeys(css("form .field"), "Hanne Orrick <hanne@kelpwick.example>\r"))
	marit.sees("hanne@kelpwick.example")
	marit.does(chromedp.SendKeys(css("form .field"), "not an address\r"))
	marit.sees("has no mail address in it")
	marit.press("Leave out")
	marit.press("3 days")
	marit.sees("2 items")
	marit.sees("Send 2 items")
	marit.sees("Hanne Orrick may look, note and download.")
	assert.Equal(t, "lifeboat cut 3", asks[string](marit, "document.querySelector('.title').value"), "the title fills itself in")
	marit.isAccessible("composing")
	marit.press("Send")
	marit.sees("Out")
	marit.sees("has not opened it")
	marit.isAccessible("ledger, before")

	// The letter arrives; its link opens in another browser, without an account, on a phone.
	letter := s.Letter(t, "hanne@kelpwick.example", "lifeboat cut 3")
	hanne := somebody(t, 390, 844, true)
	hanne.does(chromedp.Navigate(letter.Links[0]))
	hanne.sees("From Marit Oyelaran, for you, Hanne Orrick")
	hanne.sees("Third cut. Please look at the launch.")
	hanne.sees("on your clock in London")
	marit.sees("opened it, has taken nothing") // live, without a reload
	hanne.shows("video")                       // once it is made
	hanne.isAccessible("recipient page on a phone")

	// They play some seconds, pause, and leave a note at the moment.
	apptest.Eventually(t, "the film can play", func() bool { return asks[bool](hanne, "document.querySelector('video').readyState >= 3") })
	hanne.press("Play")
	apptest.Eventually(t, "three seconds have played", func() bool {
		return asks[float64](hanne, "document.querySelector('video').currentTime") > 3
	})
	marit.sees("plays lifeboat_cut_3.mov at 0:") // at this moment, without a reload
	hanne.press("Pause")
	playedMS := int64(asks[float64](hanne, "document.querySelector('video').played.end(0) * 1000"))
	asks[bool](hanne, "(document.querySelector('video').currentTime = 5.005 + 0.018, true)") // inside frame 150
	apptest.Eventually(t, "the player shows the frame", func() bool {
		return asks[string](hanne, "document.querySelector('[data-timecode]').innerText") == "00:01:00;02"
	})
	hanne.does(chromedp.SendKeys(css(".write .field"), "The flag is on the wrong side.\r"))
	hanne.sees("The flag is on the wrong side.")
	// Value: frame 150 after 00:00:55;00 is the first of the next minute, labelled ;02 (SMPTE ST 12-1, from memory).
	marit.sees("1 open")
	marit.press("Notes")
	marit.sees("00:01:00;02")
	marit.isAccessible("notes")

	// They download one file, then everything as one ZIP; the ledger counts the bytes that left.
	downloads := t.TempDir()
	hanne.does(func(ctx ctxT, target *chromedp.Target) (chromedp.Void, error) {
		_, err := chromedp.CallBrowser(ctx, browser.SetDownloadBehavior, browser.SetDownloadBehaviorParams{Behavior: "allow",
			DownloadPath: downloads})
		return chromedp.Void{}, err
	})
	hanne.press("Download credits.bin")
	taken := filepath.Join(downloads, "credits.bin")
	apptest.Eventually(t, "the file is there", func() bool { return sizeIs(taken, 250_000) })
	want, err := os.ReadFile(sheet)
	require.NoError(t, err)
	got, err := os.ReadFile(taken)
	require.NoError(t, err)
	assert.Equal(t, want, got)
	p := s.Package(t, onlyPackage(t, s))
	r := s.Ledger(t, p.ID)[0]
	assert.Equal(t, "partly", r.Status)
	assert.EqualValues(t, 250_000, delivered(r, p, "credits.bin"))
	assert.EqualValues(t, 0, delivered(r, p, "lifeboat_cut_3.mov"), "playing the proxy takes no byte of the original")
	hanne.press("Download everything")
	apptest.Eventually(t, "everything is there", func() bool { return len(globOf(t, downloads, "*.zip")) == 1 })
	archive := globOf(t, downloads, "*.zip")[0]
	out, err := exec.Command("unzip", "-tqq", archive).CombinedOutput()
	require.NoError(t, err, "%s", out)
	assert.Equal(t, "lifeboat cut 3.zip", filepath.Base(archive))
	apptest.Eventually(t, "the ledger has everything", func() bool { return s.Ledger(t, p.ID)[0].Status == "everything" })
	r = s.Ledger(t, p.ID)[0]
	assert.Equal(t, filmSize, delivered(r, p, "lifeboat_cut_3.mov"))
	assert.Equal(t, 2, s.Events(t, p.ID, "took"))
	for i, item := range p.Items {
		if item.Name == "lifeboat_cut_3.mov" {
			played := coverage.Of(r.Cells[i].Played...).Len()
			assert.InDelta(t, playedMS, played, 400, "seconds played, by the player's own account")
			assert.GreaterOrEqual(t, played, int64(2800))
		}
	}
	marit.press("Ledger")
	marit.sees("has everything")
	hanne.sees("you have it")
	asks[bool](marit, `document.querySelector('button[title="What they saw of lifeboat_cut_3.mov"]').click(), true`)
	marit.sees("saw 0:0")
	marit.sees("1 of 1 person looked")
	marit.isAccessible("what they saw")
	marit.press("Close")

	// A click takes the producer's player to the frame; she answers and ticks it off.
	marit.press("Notes")
	marit.press("00:01:00;02")
	marit.does(chromedp.WaitReady(css(".room video")))
	apptest.Eventually(t, "the player stands on the frame", func() bool {
		return asks[string](marit, "document.querySelector('[data-timecode]').innerText") == "00:01:00;02"
	})
	marit.isAccessible("Room")
	marit.does(chromedp.SendKeys(css(".note .field"), "Mirrored in cut 4.\r"))
	marit.sees("Mirrored in cut 4.")
	hanne.sees("Mirrored in cut 4.")
	marit.press("Done")
	hanne.sees("done")
	marit.does(marit.keys("\u001b"), marit.keys("\u001b")) // out of the answer, out of the Room
	marit.sees("Waybill")

	// Rights, extend, stop.
	marit.press("Waybill")
	marit.press("take")
	apptest.Eventually(t, "the right is gone", func() bool {
		return asks[bool](hanne, "!document.body.innerText.includes('Download everything')")
	})
	marit.press("take")
	hanne.sees("Download everything")
	marit.press("Extend")
	marit.press("30 days")
	marit.press("Set the new end")
	marit.sees("29 days")
	marit.press("Stop")
	marit.sees("Every link goes dead at once")
	marit.isAccessible("stop dialog")
	marit.press("Stop it now")
	marit.sees("Closed (stopped)")
	hanne.sees("The sender has stopped this package.") // without a reload
	hanne.isAccessible("closed page")
	assert.Equal(t, 410, s.Get(t, p.Recipients[0].Path(p.Items[0])).StatusCode)
}

func TestAnUploadSurvivesAReloadAndALostLine(t *testing.T) {
	s := studio(t)
	file := apptest.File(t, "rushes.bin", 60_000_000)
	marit := somebody(t, 1280, 800, false)
	marit.does(e2e.SignIn(s.Base, apptest.Email, apptest.Password), marit.keys("n"), chromedp.WaitReady(css("input[data-choose=files]")))
	slow(t, marit, 3_000_000)
	marit.does(chromedp.SetUploadFiles(css("input[data-choose=files]"), []string{file}))
	marit.sees("%")
	apptest.Eventually(t, "some of it is there", func() bool { return incoming(t, s) > 4_000_000 })
	marit.press("Pause rushes.bin")
	marit.sees("paused at")
	marit.press("Go on with rushes.bin")
	offline(t, marit)
	marit.sees("goes on by itself")
	slow(t, marit, 3_000_000)
	before := incoming(t, s)
	apptest.Eventually(t, "it goes on by itself", func() bool { return incoming(t, s) > before+1_000_000 })

	// The page is loaded anew in the middle; the same file chosen again goes on.
	marit.leavesAnyway()
	marit.does(chromedp.Reload())
	marit.sees("Choose the same file again")
	kept := incoming(t, s)
	fast(t, marit)
	marit.does(chromedp.WaitReady(css("input[data-choose=files]")), chromedp.SetUploadFiles(css("input[data-choose=files]"), []string{file}))
	p := s.Package(t, onlyPackage(t, s))
	apptest.Eventually(t, "the file arrives", func() bool { p = s.Package(t, p.ID); return len(p.Items) == 1 })
	assert.Greater(t, kept, int64(4_000_000))
	assert.EqualValues(t, 60_000_000, p.Items[0].Size)
	assert.Equal(t, sumOf(t, file), sumOf(t, original(t, s, p.Items[0].Version)))
	var uploads int
	require.NoError(t, s.App.Store.Pool().QueryRow(t.Context(), "select count(*) from upload").Scan(&uploads))
	assert.Equal(t, 1, uploads, "it was one upload all along")

	marit.does(chromedp.SetUploadFiles(css("input[data-choose=files]"), []string{apptest.File(t, "other.bin", 60_000_001)}))
	marit.press("Cancel other.bin")
	apptest.Eventually(t, "a cancelled upload is let go", func() bool { return incoming(t, s) == 0 })
}

func TestADoorWithAPassphraseByKeyboardAlone(t *testing.T) {
	s := studio(t)
	p := s.Pack(t, []string{apptest.File(t, "a.bin", 1000)}, map[string][]string{"hanne@kelpwick.example": {"see", "take"}})
	s.Do(t, "PATCH", "/packages/"+p.ID, map[string]any{"door": "passphrase", "passphrase": "slow glaze harbour lamp",
		"title": "Product film"}, nil)
	p = s.Send(t, p)
	hanne := somebody(t, 1280, 800, false)
	hanne.does(chromedp.Navigate(p.Recipients[0].Link))
	hanne.sees("Marit Oyelaran sent you something")
	assert.NotContains(t, hanne.text(), "Product film")
	hanne.isAccessible("door")
	hanne.does(hanne.keys("\t"), hanne.keys("wrong"), hanne.keys("\r"))
	hanne.sees("This is not the passphrase")
	asks[bool](hanne, "(document.querySelector('#answer').select(), document.querySelector('#answer').focus(), true)")
	hanne.does(hanne.keys("slow glaze harbour lamp"), hanne.keys("\r"))
	hanne.sees("Product film")
	hanne.sees("Download everything")
	hanne.does(chromedp.Reload())
	hanne.sees("Download everything")
}

func TestAMadeUpLinkLeadsNowhereAndSaysSo(t *testing.T) {
	s := studio(t)
	hanne := somebody(t, 390, 844, true)
	hanne.does(chromedp.Navigate(s.Base + "/r/abcdefghijklmnopqrstuv"))
	hanne.sees("This link leads nowhere")
	hanne.isAccessible("unknown link")
}

// The page, script, style and fonts of a recipient come to 120 kB at most, compressed, those of the Desk to 300 kB.
func TestPagesAreLight(t *testing.T) {
	s := studio(t)
	p := s.Send(t, s.Pack(t, []string{apptest.File(t, "a.bin", 1000)}, map[string][]string{"hanne@kelpwick.example": {"see", "take"}}))
	weight := func(who *person, page string) float64 {
		t.Helper()
		// Scripts that are fetched ahead, and fonts that come late, count as well.
		bytes := asks[float64](who, `(async () => {
			await document.fonts.ready
			for (let n = -1, list; (list = performance.getEntriesByType('resource')).length !== n; n = list.length)
				await new Promise(r => setTimeout(r, 1500))
			return performance.getEntriesByType('resource').concat(performance.getEntriesByType('navigation')).filter(e => !e.name.includes('/api/'))
				.reduce((n, e) => n + e.encodedBodySize, 0) })()`)
		t.Logf("%s: %.0f kB", page, bytes/1000)
		return bytes
	}
	hanne := somebody(t, 390, 844, true)
	hanne.does(chromedp.Navigate(p.Recipients[0].Link))
	hanne.sees("Download everything")
	assert.Less(t, weight(hanne, "recipient page"), 120_000.0)
	marit := somebody(t, 1280, 800, false)
	marit.does(e2e.SignIn(s.Base, apptest.Email, apptest.Password), chromedp.Navigate(s.Base+"/"))
	marit.sees("One package out")
	assert.Less(t, weight(marit, "Desk"), 300_000.0)
}
