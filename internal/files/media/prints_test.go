package media_test

import (
	"context"
	"fmt"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"aftergust/core/media/align"
	"aftergust/core/time/timecode"
	. "aftergust/internal/files/media"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Scenes with movement of their own, each 120 frames of 25 a second.
var shots = []string{
	"testsrc2=size=480x270:rate=25", "mandelbrot=size=480x270:rate=25:end_scale=0.02", "life=size=480x270:rate=25:mold=20:ratio=0.2:seed=7",
	"gradients=size=480x270:rate=25:seed=3:speed=0.04:nb_colors=3:c0=navy:c1=orange:c2=white:x0=20:y0=30:x1=400:y1=200", "cellauto=size=480x270:rate=25:seed=9:rule=110", "gradients=size=480x270:rate=25:seed=11:speed=0.06:type=radial:nb_colors=3:c0=green:c1=black:c2=pink:x0=100:y0=60:x1=300:y1=250",
	"mandelbrot=size=480x270:rate=25:start_x=-0.2:start_y=-0.8:end_scale=0.03", "sierpinski=size=480x270:rate=25:type=carpet:seed=5",
}

const shotFrames = 120

// scenes are the shots as files, made once: some generators draw anew each time.
func scenes(t *testing.T) (files []string) {
	t.Helper()
	dir := t.TempDir()
	for i, shot := range shots {
		file := filepath.Join(dir, fmt.Sprint(i, ".mkv"))
		out, err := exec.Command("ffmpeg", "-v", "error", "-nostdin", "-f", "lavfi", "-i", shot, "-frames:v", fmt.Sprint(shotFrames), "-pix_fmt", "yuv420p",
			"-c:v", "ffv1", file).CombinedOutput()
		require.NoError(t, err, "%s", out)
		files = append(files, file)
	}
	return files
}

// cut makes a film of parts [shot, first frame, frames, filter], by the sound each has of its own; encoded as said.
type part struct {
	shot, from, frames int
	filter             string
}

func cut(t *testing.T, scenes []string, size, crf string, parts ...part) string {
	t.Helper()
	var graph strings.Builder
	args := []string{"-v", "error", "-nostdin", "-y"}
	for i, p := range parts {
		args = append(args, "-i", scenes[p.shot], "-f", "lavfi", "-t", fmt.Sprint(float64(shotFrames)/25), "-i",
			fmt.Sprintf("aevalsrc='0.3*sin(%d*t)*abs(sin(%d*t))':s=48000", 1400+p.shot*300, 3+p.shot))
		filter := p.filter
		if filter == "" {
			filter = "null"
		}
		fmt.Fprintf(&graph, "[%d:v]trim=start_frame=%d:end_frame=%d,setpts=PTS-STARTPTS,%s,format=yuv420p[v%d];", 2*i, p.from, p.from+p.frames, filter, i)
		fmt.Fprintf(&graph, "[%d:a]atrim=start=%g:end=%g,asetpts=PTS-STARTPTS[a%d];", 2*i+1, float64(p.from)/25, float64(p.from+p.frames)/25, i)
	}
	for i := range parts {
		fmt.Fprintf(&graph, "[v%d][a%d]", i, i)
	}
	fmt.Fprintf(&graph, "concat=n=%d:v=1:a=1[v][a];[v]scale=%s[w]", len(parts), size)
	file := filepath.Join(t.TempDir(), "cut.mp4")
	args = append(args, "-filter_complex", graph.String(), "-map", "[w]", "-map", "[a]", "-c:v", "libx264", "-preset", "veryfast", "-crf", crf, "-c:a", "aac", file)
	out, err := exec.Command("ffmpeg", args...).CombinedOutput()
	require.NoError(t, err, "%s", out)
	return file
}

func prints(t *testing.T, file string) align.Film {
	t.Helper()
	facts, err := Probe(context.Background(), file)
	require.NoError(t, err)
	film, err := Prints(t.Context(), file, t.TempDir(), facts)
	require.NoError(t, err)
	if facts.Frames > 0 {
		require.EqualValues(t, facts.Frames, len(film.Prints))
	}
	back, err := align.Decode(film.Encode())
	require.NoError(t, err)
	assert.Equal(t, film, back)
	return film
}

// The answer is the list of edits that ffmpeg was told to make: cuts, a move, an insert, a longer shot, a grade, another
// size and rate of bits.
func TestKnownEditsAreFound(t *testing.T) {
	t.Parallel()
	before := []part{{0, 0, 100, ""}, {1, 0, 100, ""}, {2, 0, 110, ""}, {3, 0, 90, ""}, {4, 0, 100, ""}, {5, 0, 100, ""}}
	grade := "eq=brightness=0.06:saturation=1.4:gamma=1.1"
	after := []part{
		{0, 12, 88, ""},    // its beginning is gone
		{6, 0, 70, ""},     // new
		{1, 0, 100, grade}, // graded
		{2, 0, 60, ""},     // its middle is gone
		{2, 85, 25, ""},
		{5, 0, 100, ""}, // moved before what it came after
		{3, 0, 115, ""}, // longer by a second
		{4, 0, 100, ""},
	}
	shot := scenes(t)
	m := align.Compare(prints(t, cut(t, shot, "480:270", "20", before...)), prints(t, cut(t, shot, "400:224", "30", after...)))

	// Where each new frame comes from, by the list.
	starts, at := map[int]int{}, 0
	for _, p := range before {
		starts[p.shot] = at
		at += p.frames
	}
	lengths := map[int]int{}
	for _, p := range before {
		lengths[p.shot] = p.frames
	}
	type truth struct {
		old  int
		kind align.Kind
	}
	var list []truth
	for i, p := range after {
		for f := p.from; f < p.from+p.frames; f++ {
			start, there := starts[p.shot]
			switch {
			case !there || f >= lengths[p.shot]:
				list = append(list, truth{-1, align.New})
			case i == 2:
				list = append(list, truth{start + f, align.Altered})
			case p.shot == 5:
				list = append(list, truth{start + f, align.Moved})
			default:
				list = append(list, truth{start + f, align.Same})
			}
		}
	}
	right, kinds := 0, 0
	wrong := 0 // the longest run of frames whose place is false
	run := 0
	for i, want := range list {
		old, kept := m.Before(timecode.Frame(i))
		ok := kept == (want.old >= 0) && (want.old < 0 || old-timecode.Frame(want.old) <= 1 && timecode.Frame(want.old)-old <= 1)
		if ok {
			right, run = right+1, 0
		} else {
			run++
			wrong = max(wrong, run)
		}
		for _, s := range m.Stretches {
			if s.From <= timecode.Frame(i) && timecode.Frame(i) < s.To && s.Kind == want.kind {
				kinds++
			}
		}
	}
	t.Logf("%d of %d frames right (%.2f %%), %d of the right kind; longest false run %d", right, len(list), 100*float64(right)/float64(len(list)), kinds, wrong)
	assert.GreaterOrEqual(t, float64(right), 0.95*float64(len(list)))
	assert.GreaterOrEqual(t, float64(kinds), 0.93*float64(len(list)))
	assert.LessOrEqual(t, wrong, 25, "no false stretch is longer than a second")
	gone := m.Sums()[align.Gone]
	assert.InDelta(t, 12+25, int(gone), 6, "%v", m.Stretches)
}

// A mix that is only louder is altered where it is heard, and nowhere else.
func TestASoundThatWasMixedAnewIsFound(t *testing.T) {
	t.Parallel()
	make := func(expr string) string {
		file := filepath.Join(t.TempDir(), "mix.wav")
		out, err := exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i", "anoisesrc=d=24:c=pink:seed=5:a=0.3,volume='0.2+0.8*abs(sin(1.7*t)*sin(0.63*t))':eval=frame"+expr, file).CombinedOutput()
		require.NoError(t, err, "%s", out)
		return file
	}
	old, louder := prints(t, make("")), prints(t, make(",volume=enable='between(t,8,14)':volume=2.2"))
	m := align.Compare(old, louder)
	heard := timecode.Frame(0)
	for _, s := range m.Stretches {
		if s.Kind == align.Altered {
			assert.True(t, s.Sound)
			assert.InDelta(t, 8*50, int(s.From), 50)
			heard += s.Len()
		}
	}
	assert.InDelta(t, 6*50, int(heard), 75, "%v", m.Stretches)
	shorter := prints(t, make(",atrim=start=5"))
	m = align.Compare(old, shorter)
	now, s := m.Find(10 * 50)
	assert.InDelta(t, 5*50, int(now), 2)
	assert.Equal(t, align.Same, s.Kind, "%v", m.Stretches)
}
