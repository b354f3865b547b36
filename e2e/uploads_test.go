package e2e_test

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"aftergust/e2e"
	"aftergust/internal/dev/apptest"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// throws drops files from outside on the middle of what a script finds, as the system does.
func (p *person) throws(onto string, files ...string) {
	p.t.Helper()
	apptest.Eventually(p.t, "nothing is in the way", func() bool { return !asks[bool](p, "!!document.querySelector('dialog[open]')") })
	at := asks[struct{ X, Y float64 }](p, fmt.Sprintf("(b => ({x: b.left + b.width / 2, y: b.top + b.height / 2}))((%s).getBoundingClientRect())", onto))
	p.does(func(ctx ctxT, _ *chromedp.Target) (chromedp.Void, error) {
		for _, step := range []input.DispatchDragEventType{input.DispatchDragEventTypeDragEnter, input.DispatchDragEventTypeDragOver,
			input.DispatchDragEventTypeDrop} {
			_, err := chromedp.Call(ctx, input.DispatchDragEvent, input.DispatchDragEventParams{Type: step, X: at.X, Y: at.Y,
				Data: &input.DragData{Items: []*input.DragDataItem{}, Files: files, DragOperationsMask: 1}})
			if err != nil {
				return chromedp.Void{}, err
			}
		}
		return chromedp.Void{}, nil
	})
}

func TestFilesFromTheDesktopGoWhereTheyAreDropped(t *testing.T) {
	s := studio(t)
	client := newPlace(t, s, "", "Kelpwick Harbour Museum")
	films := newPlace(t, s, client, "Lifeboat films")
	stills := newPlace(t, s, films, "Stills")
	upload(t, s, films, "film.txt", "the first cut")
	var link struct{ ID string }
	s.Do(t, "POST", "/places/"+films+"/things", map[string]any{"kind": "link", "name": "Replay",
		"data": map[string]any{"url": "https://replay.kelpwick.example"}}, &link)
	dir := t.TempDir()
	file := func(name, content string) string {
		path := filepath.Join(dir, name)
		require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
		require.NoError(t, os.WriteFile(path, []byte(content), 0o600))
		return path
	}
	marit := somebody(t, 1280, 800, false)
	marit.does(e2e.SignIn(s.Base, apptest.Email, apptest.Password), chromedp.Navigate(s.Base+"/gather?in="+films))
	marit.eventually("Stills", "film.txt", "Replay")

	// On a thing: its next version, whatever the file is called; on a link: its picture; on a folder: into it.
	marit.throws(rowNamed("film.txt"), file("export final.txt", "the second cut"))
	marit.sees("Add to film.txt")
	marit.isAccessible("before a next version")
	marit.press("Upload it")
	marit.sees("v2 of 2")
	picture := filepath.Join(dir, "screen.png")
	require.NoError(t, exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i", "color=teal:s=320x200", "-frames:v", "1", picture).Run())
	marit.throws(rowNamed("Replay"), picture)
	marit.sees("Add to Replay")
	marit.press("Upload it")
	apptest.Eventually(t, "the link has a picture", func() bool {
		var thing struct{ Made []string }
		s.Do(t, "GET", "/things/"+link.ID, nil, &thing)
		return strings.Contains(fmt.Sprint(thing.Made), "poster")
	})
	marit.throws(rowNamed("Stills"), file("a.txt", "a"), file("b.txt", "b"))
	marit.sees("Add to Stills")
	marit.press("Upload 2 files")
	apptest.Eventually(t, "both lie in the folder", func() bool { return len(below(t, s, stills).Things) == 2 })

	// Several on one thing go nowhere; beside it, a tree goes in with its empty folders.
	marit.throws(rowNamed("Replay"), file("a.txt", "a"), file("b.txt", "b"))
	marit.sees("One file goes onto Replay")
	file("Rushes/day 1/c.txt", "c")
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "Rushes", "day 2"), 0o755))
	marit.throws("document.querySelector('h1')", filepath.Join(dir, "Rushes"))
	marit.sees("Add to Lifeboat films")
	marit.press("Upload it")
	marit.eventually("Rushes", "Stills", "film.txt", "Replay")
	apptest.Eventually(t, "the tree is there", func() bool {
		var inside gathered
		for _, p := range below(t, s, films).Things {
			if p.Name == "c.txt" {
				s.Do(t, "GET", "/gather?place="+placeNamed(t, s, films, "Rushes"), nil, &inside)
			}
		}
		return fmt.Sprint(names(inside)) == "[day 1 day 2]"
	})
}

func names(list gathered) (all []string) {
	for _, p := range list.Places {
		all = append(all, p.Name)
	}
	return all
}

func placeNamed(t *testing.T, s *apptest.Studio, parent, name string) string {
	t.Helper()
	var list gathered
	s.Do(t, "GET", "/gather?place="+parent, nil, &list)
	for _, p := range list.Places {
		if p.Name == name {
			return p.ID
		}
	}
	t.Fatalf("no place %s", name)
	return ""
}

// A file that the browser lets the page read again goes on after a reload without being chosen again. The
// browser's own store of files stands for the disk, since nobody is there to answer its question.
func TestAnUploadGoesOnByItselfAfterAReload(t *testing.T) {
	s := studio(t)
	file := apptest.File(t, "night.mov", 24_000_000)
	marit := somebody(t, 1280, 800, false)
	marit.leavesAnyway()
	marit.does(e2e.SignIn(s.Base, apptest.Email, apptest.Password), marit.keys("n"), chromedp.WaitReady(css("input[data-choose=files]")))
	asks[bool](marit, `(document.body.insertAdjacentHTML('beforeend', '<input type=file id=disk>'), true)`)
	marit.does(chromedp.SetUploadFiles(css("#disk"), []string{file}))
	asks[bool](marit, `(void (async () => {
		const disk = await navigator.storage.getDirectory(), handle = await disk.getFileHandle('night.mov', {create: true})
		const out = await handle.createWritable()
		await out.write(document.getElementById('disk').files[0])
		await out.close()
		window.showOpenFilePicker = async () => [handle]
	})(), true)`)
	apptest.Eventually(t, "the file is on the disk", func() bool {
		return asks[bool](marit, "window.showOpenFilePicker.toString().startsWith('async')")
	})
	slow(t, marit, 2_000_000)
	marit.press("Choose files")
	apptest.Eventually(t, "a part is there", func() bool { return incoming(t, s) > 3_000_000 })

	marit.does(chromedp.Reload())
	marit.sees("Pause all") // the tray shows that it goes on
	kept := incoming(t, s)
	assert.Greater(t, kept, int64(3_000_000))
	fast(t, marit)
	var p apptest.Package
	apptest.Eventually(t, "the file arrives", func() bool { p = s.Package(t, onlyPackage(t, s)); return len(p.Items) == 1 })
	assert.Equal(t, sumOf(t, file), sumOf(t, original(t, s, p.Items[0].Version)))
	var uploads int
	require.NoError(t, s.App.Store.Pool().QueryRow(t.Context(), "select count(*) from upload").Scan(&uploads))
	assert.Equal(t, 1, uploads, "it was one upload all along")

	// A file of the real disk: this browser wants to be asked first, and the tray says so.
	slow(t, marit, 2_000_000)
	marit.does(marit.keys("u"))
	marit.throws("document.querySelector('.compose .what')", apptest.File(t, "day.mov", 24_000_000))
	apptest.Eventually(t, "a part is there", func() bool { return incoming(t, s) > 1_000_000 })
	marit.does(chromedp.Reload())
	marit.sees("1 file waits since this page was left: day.mov")
	marit.isAccessible("an upload that waits")
	marit.press("Let go of it")
	marit.sees("began before")
}
