package e2e_test

import (
	"fmt"
	"math/rand/v2"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"aftergust/internal/dev/apptest"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const (
	numberedFrames = 260
	bits           = 10
)

// numbered is a film that bears the number of each frame in its picture: ten squares,
// white for a bit that is set. Source: ffmpeg's own count of frames.
func numbered(t *testing.T, name, rate, timecode string) string {
	t.Helper()
	file := filepath.Join(t.TempDir(), name)
	var boxes strings.Builder
	for bit := range bits {
		fmt.Fprintf(&boxes, ",drawbox=x=%d:y=130:w=28:h=40:color=white:t=fill:enable='gte(mod(n,%d),%d)'", 10+bit*30, 2<<bit, 1<<bit)
	}
	out, err := exec.Command("ffmpeg", "-v", "error", "-nostdin", "-f", "lavfi", "-i", "color=c=black:size=320x180:rate="+rate+boxes.String(), "-f", "lavfi",
		"-i", "sine=sample_rate=48000", "-frames:v", fmt.Sprint(numberedFrames), "-shortest", "-timecode", timecode, "-c:v", "libx264", "-preset", "ultrafast",
		"-pix_fmt", "yuv420p", "-c:a", "aac", file).CombinedOutput()
	require.NoError(t, err, "%s", out)
	return file
}

// readNumber is the number of the frame that the video shows, read back from its pixels; −1 while it moves.
const readNumber = `(() => {
	const v = document.querySelector('.picture video');
	if (!v || v.seeking || v.readyState < 2) return -1;
	const c = document.createElement('canvas');
	c.width = 320; c.height = 180;
	const g = c.getContext('2d');
	g.drawImage(v, 0, 0, 320, 180);
	let n = 0;
	for (let bit = 0; bit < 10; bit++) if (g.getImageData(24 + bit * 30, 150, 1, 1).data[0] > 128) n += 1 << bit;
	return n;
})()`

// The promise of the Room: the frame that shows, the one that the player names and the one
// that a note stores are one, at every rate, wherever one goes and however one gets there.
func TestTheFrameThatShowsIsTheFrameThatANoteStores(t *testing.T) {
	s := studio(t)
	rates := []struct{ name, rate, timecode string }{
		{"23.976.mov", "24000/1001", "10:00:00:00"}, {"25.mov", "25", "10:00:00:00"}, {"29.97.mov", "30000/1001", "00:59:58;00"},
		{"50.mov", "50", "01:00:00:00"}, {"59.94.mov", "60000/1001", "00:00:59;00"},
	}
	var files []string
	for _, r := range rates {
		files = append(files, numbered(t, r.name, r.rate, r.timecode))
	}
	p := s.Send(t, s.Pack(t, files, map[string][]string{"hanne@kelpwick.example": {"see", "note"}}))
	apptest.Eventually(t, "proxies are made", func() bool {
		p = s.Package(t, p.ID)
		for _, item := range p.Items {
			if item.MediaState != "ready" {
				return false
			}
		}
		return true
	})
	hanne := somebody(t, 1280, 800, false)
	random := rand.New(rand.NewPCG(11, 29))
	for _, item := range p.Items {
		hanne.does(chromedp.Navigate(s.Base + "/r/" + p.Recipients[0].Token() + "/room?item=" + item.ID))
		hanne.sees("Stop where something should change")
		hanne.shows("video")
		hanne.key("y", 89, 0)
		shows := func(what string) (number int) {
			apptest.Eventually(t, "the picture rests", func() bool {
				before := asks[int](hanne, readNumber)
				time.Sleep(120 * time.Millisecond)
				number = asks[int](hanne, readNumber)
				return number >= 0 && number == before
			})
			named := 0
			_, err := fmt.Sscanf(asks[string](hanne, `document.querySelector('[data-timecode]').innerText`), "f %d", &named)
			require.NoError(t, err)
			assert.Equal(t, number, named, "%s: %s", item.Name, what)
			return number
		}
		shows("at the beginning")
		for range 6 {
			to := random.IntN(numberedFrames)
			hanne.key("t", 84, 0) // without a character, which would go into the field that opens
			hanne.does(hanne.keys(fmt.Sprintf("f %d\r", to)))
			assert.Equal(t, to, shows("where one typed to go"), item.Name)
			hanne.key("ArrowRight", 39, 0) // where it is the last frame it stays
			assert.Equal(t, min(to+1, numberedFrames-1), shows("one frame on"), item.Name)
			hanne.key("ArrowLeft", 37, 0)
			hanne.key("ArrowLeft", 37, 0)
			assert.Equal(t, max(min(to+1, numberedFrames-1)-2, 0), shows("two frames back"), item.Name)
		}
		hanne.key("t", 84, 0)
		hanne.does(hanne.keys("f 20\r"))
		hanne.key(" ", 32, 0)
		time.Sleep(600 * time.Millisecond)
		hanne.key("k", 75, 0)
		stopped := shows("where it was stopped")
		assert.Greater(t, stopped, 20, item.Name)
		hanne.key("m", 77, 0)
		hanne.does(hanne.keys("Here, please.\r"))
		hanne.sees("1 of 1 open")
		var notes []struct {
			Item  string
			Place struct{ Frame int }
		}
		s.Do(t, "GET", "/packages/"+p.ID+"/notes", nil, &notes)
		for _, n := range notes {
			if n.Item == item.ID {
				assert.Equal(t, stopped, n.Place.Frame, item.Name)
			}
		}
		// A link to the note opens at its frame.
		hanne.does(chromedp.Navigate(s.Base + "/r/" + p.Recipients[0].Token() + "/room?item=" + item.ID + "#t=1.5"))
		hanne.sees("Here, please.")
	}
}
