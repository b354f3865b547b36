package e2e_test

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"aftergust/e2e"
	"aftergust/internal/dev/apptest"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

type gathered struct {
	Places []struct{ ID, Name string }
	Things []struct {
		ID, Name, Version, Place string
		Size                     int64
	}
	Next string
}

// below is everything that lies below a place.
func below(t *testing.T, s *apptest.Studio, place string) (all gathered) {
	t.Helper()
	for next := ""; ; {
		var page gathered
		s.Do(t, "GET", "/gather?view=below&limit=500&place="+place+"&after="+next, nil, &page)
		all.Things = append(all.Things, page.Things...)
		if next = page.Next; next == "" {
			return all
		}
	}
}

func newPlace(t *testing.T, s *apptest.Studio, parent, name string) string {
	t.Helper()
	var made struct{ ID string }
	s.Do(t, "POST", "/places", map[string]any{"parent": parent, "name": name}, &made)
	return made.ID
}

// upload puts a file into a place over the API.
func upload(t *testing.T, s *apptest.Studio, place, name, content string) string {
	t.Helper()
	file := filepath.Join(t.TempDir(), "content")
	require.NoError(t, os.WriteFile(file, []byte(content), 0o600))
	item, err := s.Owner.UploadAs(t.Context(), file, map[string]string{"place": place, "filename": name})
	require.NoError(t, err)
	return item
}

// key presses a key with modifiers: 1 Alt, 2 Ctrl, 8 Shift.
func (p *person) key(name string, code int64, modifiers int64) {
	p.t.Helper()
	p.does(func(ctx ctxT, _ *chromedp.Target) (chromedp.Void, error) {
		for _, kind := range []input.DispatchKeyEventType{input.DispatchKeyEventTypeRawKeyDown, input.DispatchKeyEventTypeKeyUp} {
			if _, err := chromedp.Call(ctx, input.DispatchKeyEvent, input.DispatchKeyEventParams{Type: kind, Key: name, Code: name,
				WindowsVirtualKeyCode: code, Modifiers: modifiers}); err != nil {
				return chromedp.Void{}, err
			}
		}
		return chromedp.Void{}, nil
	})
}

// list puts the focus on the list, once no dialog is in the way any more.
func (p *person) list() {
	p.t.Helper()
	apptest.Eventually(p.t, "the list has the focus", func() bool {
		return asks[bool](
			p,
			"(document.querySelector('.list')?.focus(), document.activeElement?.className.includes('list') && !document.querySelector('dialog[open]'))",
		)
	})
}

func (p *person) rows() []string {
	return asks[[]string](p, `[...document.querySelectorAll('.row .name strong, .row h2 a.place')].map(e => e.innerText)`)
}

// pick clicks a row, with modifier keys if any.
func (p *person) pick(name, modifiers string) {
	p.t.Helper()
	find := fmt.Sprintf(`[...document.querySelectorAll('.row')].find(r => r.querySelector('strong').innerText === %q)`, name)
	apptest.Eventually(p.t, "a row "+name, func() bool { return asks[bool](p, "!!"+find) })
	asks[bool](p, fmt.Sprintf("(%s.dispatchEvent(new MouseEvent('click', {bubbles: true, %s})), true)", find, modifiers))
}

// drag drags a row onto another, or onto a link of the path, with the events that a browser sends.
func (p *person) drag(name, selector string, low bool) {
	p.t.Helper()
	asks[bool](p, fmt.Sprintf(`(() => {
		const from = [...document.querySelectorAll('.row')].find(r => r.querySelector('strong').innerText === %q)
		const to = %s, box = to.getBoundingClientRect(), data = new DataTransfer()
		const at = {bubbles: true, cancelable: true, dataTransfer: data, clientX: box.left + 9, clientY: %v ? box.bottom - 2 : box.top + 2}
		from.dispatchEvent(new DragEvent('dragstart', at)); to.dispatchEvent(new DragEvent('dragover', at)); to.dispatchEvent(new DragEvent('drop', at)); return true })()`, name, selector, low))
}

func placeHead(name string) string {
	return fmt.Sprintf(`[...document.querySelectorAll('.row h2 a.place')].find(a => a.innerText === %q)`, name)
}

// goesInto opens a client or a project by keyboard.
func (p *person) goesInto(name string) {
	p.t.Helper()
	apptest.Eventually(p.t, "the focus on "+name, func() bool {
		return asks[bool](p, fmt.Sprintf("!document.querySelector('dialog[open]') && (%[1]s?.focus(), document.activeElement === %[1]s)", placeHead(name)))
	})
	p.does(p.keys("\r"))
}

func rowNamed(name string) string {
	return fmt.Sprintf(`[...document.querySelectorAll('.row')].find(r => r.querySelector('strong').innerText === %q)`, name)
}

func (p *person) eventually(names ...string) {
	p.t.Helper()
	var got []string
	deadline := time.Now().Add(apptest.Patience)
	for {
		if got = p.rows(); fmt.Sprint(got) == fmt.Sprint(names) {
			return
		}
		if time.Now().After(deadline) {
			require.Equal(p.t, names, got)
		}
		time.Sleep(80 * time.Millisecond)
	}
}

func TestGatherByMouseAndByKeyboard(t *testing.T) {
	s := studio(t)
	marit := somebody(t, 1280, 800, false)
	marit.does(e2e.SignIn(s.Base, apptest.Email, apptest.Password))
	marit.does(marit.keys("g"))
	marit.sees("This is where work is collected before it is sent")
	marit.isAccessible("empty Gather")

	// Client and project, from nothing.
	marit.press("Make the first client")
	marit.does(chromedp.WaitVisible(css("#make-name")), chromedp.SendKeys(css("#make-name"), "Kelpwick Harbour Museum\r"))
	marit.eventually("Kelpwick Harbour Museum")
	marit.isAccessible("one client")
	marit.goesInto("Kelpwick Harbour Museum")
	marit.sees("has no project yet")
	marit.press("Make the first project")
	marit.does(chromedp.WaitVisible(css("#make-name")), chromedp.SendKeys(css("#make-name"), "Lifeboat films\r"))
	marit.eventually("Lifeboat films")
	marit.goesInto("Lifeboat films")
	marit.sees("Drop files or whole folders")

	// Files: named and tagged before they go, then there.
	dir := t.TempDir()
	var files []string
	for _, name := range []string{"cut_v01.txt", "shot 10.txt", "shot 2.txt", "aux.txt"} {
		file := filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(file, []byte("content of "+name), 0o600))
		files = append(files, file)
	}
	marit.does(chromedp.SetUploadFiles(css("input[data-choose=files]"), files))
	marit.sees("4 files")
	marit.sees("This name does not work on every system.")
	marit.does(chromedp.SendKeys(css("#before-tags"), "for review"))
	asks[bool](
		marit,
		`(() => { const f = document.querySelector('input[aria-label="Name of aux.txt"]'); f.value = 'auxiliary.txt'; f.dispatchEvent(new Event('input', {bubbles: true})); return true })()`,
	)
	marit.isAccessible("before the upload")
	marit.press("Upload 4 files")
	marit.eventually("auxiliary.txt", "cut_v01.txt", "shot 2.txt", "shot 10.txt")
	marit.sees("4 of 4 there")
	marit.isAccessible("uploads tray")
	marit.press("Close")
	films := asks[string](marit, "new URLSearchParams(location.search).get('in')")

	// A next version is offered by its name and not forced.
	next := filepath.Join(dir, "cut_v02.txt")
	require.NoError(t, os.WriteFile(next, []byte("second cut"), 0o600))
	marit.does(chromedp.SetUploadFiles(css("input[data-choose=files]"), []string{next}))
	marit.sees("It looks like the next version of cut_v01.txt")
	marit.press("Make it that")
	marit.press("Upload it")
	marit.eventually("auxiliary.txt", "cut_v02.txt", "shot 2.txt", "shot 10.txt")
	marit.sees("v2 of 2")
	marit.does(marit.keys("u")) // the tray closes again

	// A link, a swatch and a sheet.
	for kind, value := range map[string]string{"link": "https://replay.kelpwick.example", "swatch": "#35618E",
		"sheet": "# Hand-off\n\n- [ ] master"} {
		marit.press("New")
		asks[bool](marit, fmt.Sprintf("([...document.querySelectorAll('.slip button')].find(b => b.innerText === %q).click(), true)", kind))
		marit.does(chromedp.WaitVisible(css("#make-value")))
		asks[bool](
			marit,
			fmt.Sprintf(
				"(() => { for (const [id, v] of [['make-value', %q], ['make-name', %q]]) { const f = document.getElementById(id); f.value = v; f.dispatchEvent(new Event('input', {bubbles: true})) } return true })()",
				value,
				"A "+kind,
			),
		)
		marit.press("Make it")
		marit.sees("A " + kind)
		apptest.Eventually(t, "the dialog is closed", func() bool { return !asks[bool](marit, "!!document.querySelector('#make-value')") })
	}
	marit.eventually("A link", "A sheet", "A swatch", "auxiliary.txt", "cut_v02.txt", "shot 2.txt", "shot 10.txt")
	marit.isAccessible("rows with the stub of one thing")

	// By keyboard: down, extend, tag, keep at hand, rename, delete, undo.
	marit.list()
	marit.key("Home", 36, 0)
	marit.key("ArrowDown", 40, 0)
	marit.key("ArrowDown", 40, 8)
	marit.sees("2 things chosen")
	marit.key("t", 84, 0)
	marit.does(chromedp.WaitVisible(css("#new-tags")), chromedp.SendKeys(css("#new-tags"), "hand-off\r"))
	marit.sees("Tagged 2 things hand-off.")
	marit.list()
	marit.key("h", 72, 0)
	apptest.Eventually(t, "both are at hand", func() bool { return strings.Count(marit.text(), ", at hand") == 2 })
	marit.press("Group by tag")
	marit.eventually("auxiliary.txt", "cut_v02.txt", "shot 2.txt", "shot 10.txt", "A sheet", "A swatch", "A link")
	marit.sees("hand-off 2")
	marit.sees("no tag")
	marit.isAccessible("grouped by tag")
	marit.press("Group by tag")
	marit.eventually("A link", "A sheet", "A swatch", "auxiliary.txt", "cut_v02.txt", "shot 2.txt", "shot 10.txt")
	marit.pick("shot 10.txt", "")
	marit.key("F2", 113, 0)
	marit.does(chromedp.WaitVisible(css("#rename")))
	asks[bool](
		marit,
		"(() => { const f = document.getElementById('rename'); f.value = 'shot 1.txt'; f.dispatchEvent(new Event('input', {bubbles: true})); return true })()",
	)
	marit.does(chromedp.SendKeys(css("#rename"), "\r"))
	marit.eventually("A link", "A sheet", "A swatch", "auxiliary.txt", "cut_v02.txt", "shot 1.txt", "shot 2.txt")
	marit.key("z", 90, 2)
	marit.eventually("A link", "A sheet", "A swatch", "auxiliary.txt", "cut_v02.txt", "shot 2.txt", "shot 10.txt")
	marit.list()
	marit.key("a", 65, 2)
	marit.sees("7 things chosen")
	marit.key("Delete", 46, 0)
	marit.sees("Drop files or whole folders")
	marit.does(chromedp.Navigate(s.Base + "/gather?view=let_go"))
	marit.sees("and 6 more")
	marit.isAccessible("let go")
	marit.press("Take back")
	marit.sees("Nothing was let go")
	marit.does(chromedp.Navigate(s.Base + "/gather?in=" + films))
	marit.eventually("A link", "A sheet", "A swatch", "auxiliary.txt", "cut_v02.txt", "shot 2.txt", "shot 10.txt")

	// Order by hand, by key and by mouse.
	asks[bool](
		marit,
		`(() => { const o = document.querySelector('select[aria-label=Order]'); o.value = 'hand'; o.dispatchEvent(new Event('change', {bubbles: true})); return true })()`,
	)
	apptest.Eventually(t, "the order is by hand", func() bool { return len(marit.rows()) == 7 && marit.rows()[6] != "shot 10.txt" })
	ordered := marit.rows()
	marit.pick(ordered[2], "")
	marit.list()
	marit.key("ArrowUp", 38, 1)
	ordered[1], ordered[2] = ordered[2], ordered[1]
	marit.eventually(ordered...)
	marit.key("ArrowDown", 40, 1)
	ordered[1], ordered[2] = ordered[2], ordered[1]
	marit.eventually(ordered...)
	marit.drag(ordered[6], rowNamed(ordered[0]), false)
	ordered = append([]string{ordered[6]}, ordered[:6]...)
	marit.eventually(ordered...)

	// A folder; things dragged into it, and back out onto the path.
	stills := newPlace(t, s, films, "Stills")
	marit.sees("Stills")
	marit.drag("shot 2.txt", rowNamed("Stills"), false)
	marit.sees("1 thing moved to Stills.")
	marit.does(chromedp.Navigate(s.Base + "/gather?in=" + stills))
	marit.eventually("shot 2.txt")
	marit.drag("shot 2.txt", `[...document.querySelectorAll('.path a')].find(a => a.innerText === 'Lifeboat films')`, false)
	marit.sees("Drop files or whole folders")
	marit.press("Undo")
	marit.eventually("shot 2.txt")
	// And by key, through the dialog.
	marit.pick("shot 2.txt", "")
	marit.key("m", 77, 0)
	marit.sees("Move 1 thing")
	asks[bool](
		marit,
		`([...document.querySelectorAll('[aria-label="Place to choose"] button')].find(b => b.innerText === 'Lifeboat films').click(), true)`,
	)
	marit.isAccessible("choosing a place")
	marit.press("Move to Lifeboat films")
	marit.sees("1 thing moved to Lifeboat films.")

	// Find as one types; pictures are remembered.
	marit.does(chromedp.Navigate(s.Base+"/gather"), chromedp.WaitVisible(css(".row")))
	marit.key("/", 191, 0)
	marit.does(chromedp.SendKeys(css(".find input"), "shot 10"))
	marit.eventually("shot 10.txt")
	marit.press("Pictures")
	marit.isAccessible("pictures")
	marit.does(chromedp.Reload(), chromedp.WaitVisible(css(".list.pictures .row")))
	marit.press("Rows")

	// Packed, preflighted, sent along: the package holds them.
	marit.does(chromedp.Navigate(s.Base + "/gather?in=" + films))
	marit.sees("cut_v02.txt")
	marit.pick("cut_v02.txt", "")
	marit.pick("A sheet", "ctrlKey: true")
	marit.sees("2 things chosen")
	marit.key("i", 73, 0)
	marit.sees("Nothing looks wrong")
	marit.isAccessible("preflight")
	marit.press("Pack them")
	marit.press("Into a new package")
	marit.does(chromedp.WaitVisible(css(".compose")))
	marit.sees("Send 2 items")
	marit.isAccessible("a package with a sheet")
}

func TestThingsAreLookedAtInPlace(t *testing.T) {
	s := studio(t)
	client := newPlace(t, s, "", "Kelpwick Harbour Museum")
	films := newPlace(t, s, client, "Lifeboat films")
	film := makeFilm(t, "lifeboat.mov", 6, "640x360")
	_, err := s.Owner.UploadAs(t.Context(), film, map[string]string{"place": films, "filename": "a lifeboat.mov"})
	require.NoError(t, err)
	text := upload(t, s, films, "b script.md", "# Stop 1\nYou stand where the lifeboat was launched.")
	other := upload(t, s, films, "b script.txt", "the same, plain")
	var sheet struct{ ID string }
	s.Do(
		t,
		"POST",
		"/places/"+films+"/things",
		map[string]any{"kind": "swatch", "name": "c red", "data": map[string]string{"colour": "#9C3325"}},
		&sheet,
	)
	s.Do(
		t,
		"POST",
		"/places/"+films+"/things",
		map[string]any{"kind": "sheet", "name": "d sheet", "data": map[string]string{"text": "- [x] captions"}},
		&sheet,
	)
	apptest.Eventually(t, "previews are made", func() bool {
		var list struct {
			Things []struct {
				MediaState string `json:"media_state"`
			}
		}
		s.Do(t, "GET", "/gather?place="+films, nil, &list)
		for _, x := range list.Things {
			if x.MediaState == "waiting" || x.MediaState == "working" {
				return false
			}
		}
		return true
	})

	marit := somebody(t, 1280, 800, false)
	marit.does(e2e.SignIn(s.Base, apptest.Email, apptest.Password), chromedp.Navigate(s.Base+"/gather?in="+films))
	marit.eventually("a lifeboat.mov", "b script.md", "b script.txt", "c red", "d sheet")
	marit.pick("a lifeboat.mov", "")
	marit.list()
	marit.enter()
	marit.shows(".stage video")
	marit.sees("00:00:55;00")
	marit.sees("LUFS integrated")
	marit.isAccessible("a film in place")
	asks[bool](
		marit,
		`(() => { const s = document.querySelector('.seek'); s.dispatchEvent(new PointerEvent('pointermove', {bubbles: true, clientX: s.getBoundingClientRect().left + s.clientWidth / 2, clientY: s.getBoundingClientRect().top + 4})); return true })()`,
	)
	marit.does(chromedp.WaitReady(css(".line .cell")))
	marit.key("ArrowRight", 39, 0)
	marit.sees("You stand where the lifeboat was launched.")
	marit.isAccessible("a text in place")

	// Another format of it is offered, joined, and parted again.
	marit.sees("looks like the same thing in another format")
	marit.press("Show as one")
	marit.sees("2 formats shown as one thing.")
	marit.press("Part TXT from it")
	marit.sees("looks like the same thing in another format")
	var whole struct {
		Renditions int
	}
	s.Do(t, "GET", "/things/"+text, nil, &whole)
	assert.Zero(t, whole.Renditions)
	s.Do(t, "GET", "/things/"+other, nil, &whole)

	// The next version by the stub; the older one looked at, made current, deleted, taken back.
	second := filepath.Join(t.TempDir(), "b script v2.md")
	require.NoError(t, os.WriteFile(second, []byte("# Stop 1, again\nThe slipway is still wet."), 0o600))
	marit.does(chromedp.SetUploadFiles(css("input[data-choose=version]"), []string{second}))
	marit.sees("The slipway is still wet.")
	marit.press("Look at version 1")
	marit.sees("You look at version 1, not the current one.")
	marit.sees("You stand where the lifeboat was launched.")
	marit.press("Make current, version 1")
	marit.sees("Version 1 is the current one")
	marit.press("Delete version 2")
	marit.sees("Version 2 is deleted")
	marit.press("Undo")
	marit.press("Label version 2")
	marit.does(chromedp.SendKeys(css(`input[aria-label="Label of version 2"]`), "wetter\r"))
	marit.sees("wetter")
	marit.isAccessible("versions")
	marit.does(marit.keys("u"))
	marit.key("ArrowRight", 39, 0)
	marit.key("ArrowRight", 39, 0)
	marit.sees("oklch(0.4738")
	marit.isAccessible("a swatch in place")
	marit.key("ArrowRight", 39, 0)
	marit.does(chromedp.WaitReady(css(".sheet input[type=checkbox]")))
	marit.isAccessible("a sheet in place")
	marit.key("Escape", 27, 0)
	marit.eventually("a lifeboat.mov", "b script.md", "b script.txt", "c red", "d sheet")
	marit.does(chromedp.Navigate(s.Base + "/gather?view=space"))
	marit.sees("What takes it")
	marit.isAccessible("space")
}

// tree makes 300 files in folders and one film of more than a gigabyte, and returns their sums by path.
func tree(t *testing.T, root string) map[string]string {
	t.Helper()
	sums := map[string]string{}
	for i := range 299 {
		folder := filepath.Join(root, fmt.Sprintf("Reel %d", i%7), fmt.Sprintf("Day %d", i%3))
		require.NoError(t, os.MkdirAll(folder, 0o755))
		content := []byte(strings.Repeat(fmt.Sprintf("frame %d of the launch, ", i), 20+i*40))
		name := fmt.Sprintf("still_%03d.txt", i)
		require.NoError(t, os.WriteFile(filepath.Join(folder, name), content, 0o600))
		sum := sha256.Sum256(content)
		sums[name] = hex.EncodeToString(sum[:])
	}
	film := filepath.Join(root, "launch.mov")
	made, err := exec.Command("ffmpeg", "-v", "error", "-nostdin", "-y", "-f", "lavfi", "-i", "smptebars=size=1280x720:rate=25", "-f", "lavfi",
		"-i", "sine=frequency=330:sample_rate=48000", "-t", "23.2", "-c:v", "rawvideo", "-pix_fmt", "uyvy422", "-c:a", "pcm_s16le", film).CombinedOutput()
	require.NoError(t, err, "%s", made)
	require.Greater(t, sizeOf(t, film), int64(1_000_000_000))
	in, err := os.Open(film)
	require.NoError(t, err)
	defer in.Close()
	sum := sha256.New()
	_, err = io.Copy(sum, in)
	require.NoError(t, err)
	sums["launch.mov"] = hex.EncodeToString(sum.Sum(nil))
	return sums
}

func TestAFolderOfThreeHundredFilesSurvivesAReloadAndAStopOfTheServer(t *testing.T) {
	s := studio(t)
	client := newPlace(t, s, "", "Kelpwick Harbour Museum")
	films := newPlace(t, s, client, "Lifeboat films")
	root := filepath.Join(t.TempDir(), "Rushes")
	began := time.Now()
	step := func(what string) { t.Logf("%5.1f s %s", time.Since(began).Seconds(), what) }
	sums := tree(t, root)
	step("the tree is made")
	marit := somebody(t, 1280, 800, false)
	marit.leavesAnyway()
	marit.does(e2e.SignIn(s.Base, apptest.Email, apptest.Password), chromedp.Navigate(s.Base+"/gather?in="+films))
	marit.sees("Drop files or whole folders")
	begin := func() {
		t.Helper()
		marit.does(chromedp.SetUploadFiles(css("input[data-choose=folder]"), []string{root}))
		marit.sees("Tags for all of them")
		apptest.Eventually(t, "what is there is known", func() bool {
			return asks[bool](marit, `![...document.querySelectorAll('dialog button')].find(b => b.innerText.startsWith('Upload '))?.disabled`)
		})
		time.Sleep(time.Second)
		marit.press("Upload ")
	}
	slow(t, marit, 40_000_000)
	begin()
	arrived := func() int { return len(below(t, s, films).Things) }
	apptest.Eventually(t, "a good part is there", func() bool { return arrived() > 60 })

	step("a good part is there")
	// Reloaded in the middle: the same folder, chosen again, goes on; what is there is left out.
	marit.does(chromedp.Reload(), chromedp.WaitVisible(css(".row")))
	before := arrived()
	marit.does(marit.keys("u"))
	marit.sees("began before")
	marit.does(marit.keys("u"))
	begin()
	apptest.Eventually(t, "it goes on", func() bool { return arrived() > before+20 })

	step("it goes on after the reload")
	// The server is lost once and comes back.
	s.Halt(t)
	apptest.Eventually(t, "the tray says so", func() bool { return strings.Contains(marit.text(), "it goes on by itself") })
	s.Resume(t)
	fast(t, marit)
	step("the server is back")
	for there := arrived(); there < len(sums); there = arrived() {
		apptest.Eventually(t, fmt.Sprintf("more than %d of %d; the tray says: %.800s", there, len(sums), marit.text()), func() bool {
			return arrived() > there
		})
		time.Sleep(300 * time.Millisecond)
	}
	step("everything is there")
	things := below(t, s, films).Things
	require.Len(t, things, len(sums), "nothing twice")
	// Every checksum is right: those that the server computed, and the bytes themselves.
	for _, x := range things {
		var facts struct {
			FactLines []struct{ Label, Value string } `json:"fact_lines"`
		}
		apptest.Eventually(t, "the sum of "+x.Name, func() bool {
			s.Do(t, "GET", "/things/"+x.ID, nil, &facts)
			for _, f := range facts.FactLines {
				if f.Label == "SHA-256" {
					return f.Value == sums[x.Name]
				}
			}
			return false
		})
	}
	marit.sees(" there")
}
