package demo

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
)

// All media of the demo is drawn and played here: seascapes as SVG, films moved
// by ffmpeg with their timecode burnt in, sounds from noise and tones, a PDF
// written by hand. It is kept in a folder and made only once.

type scene struct {
	sky, low, sun, sea, deep string
	sunX, sunY, sunR         int
	lighthouse, boat         bool
}

var scenes = map[string]scene{
	"dusk":  {"#27404f", "#3a5a66", "#e8b872", "#1f3a46", "#17303b", 430, 330, 120, false, true},
	"noon":  {"#8fb2b6", "#b9cdc9", "#f3ead7", "#5f8f97", "#3c6a74", 300, 260, 80, true, false},
	"sand":  {"#d9c6a1", "#e8dcc0", "#f6efe0", "#8d7a63", "#66584a", 820, 280, 90, false, true},
	"night": {"#2b3357", "#3c4a6e", "#e8c8c0", "#26304f", "#1b2440", 900, 220, 60, true, false},
	"moss":  {"#6f9463", "#93b083", "#f4ecd0", "#4c7148", "#345534", 380, 250, 70, true, true},
	"clay":  {"#c98a66", "#dda883", "#f8e6cf", "#8a4f3a", "#5f3426", 640, 300, 110, false, false},
	"slate": {"#516173", "#748596", "#dfe6ea", "#3a4a5c", "#283646", 520, 240, 70, true, true},
}

const (
	lighthouseSVG = `<g><path d="M930 560 L955 250 h70 l25 310z" fill="#f7efe0"/><path d="M947 350h86l6 70h-98z" fill="#b5563c"/><rect x="945" y="215" width="90" height="38" rx="4" fill="#8c5a72"/><rect x="965" y="185" width="50" height="32" fill="#f0c878"/><path d="M720 600 q150 -70 300 -50 t360 40 v60 h-660z" fill="#22313f"/></g>`
	boatSVG       = `<g transform="translate(%d %d) scale(%s)"><rect x="170" y="-190" width="8" height="190" fill="#14303a"/><path d="M178 -186 l110 34 l-110 34z" fill="#e8b466"/><path d="M110 -100 h150 l28 118 h-178z" fill="#f7efe0"/><rect x="132" y="-76" width="52" height="46" fill="#1b3a45"/><path d="M-60 18 h520 l-16 26 h-490z" fill="#f7efe0"/><path d="M-46 44 h486 l-70 110 h-340z" fill="#c96f49"/><path d="M-8 96 h420 l-42 58 h-340z" fill="#7c4a3d"/></g>`
	wave          = `<path d="M-80 %d q60 -22 120 0 t120 0 t120 0 t120 0 t120 0 t120 0 t120 0 t120 0 t120 0 t120 0 t120 0 t120 0 v400 h-1600z" fill="%s"/>`
)

func (s scene) background() string {
	land := ""
	if s.lighthouse {
		land = lighthouseSVG
	}
	return fmt.Sprintf(`<defs><linearGradient id="s" x1="0" y1="0" x2="0" y2="1"><stop offset="0" stop-color="%s"/><stop offset="1" stop-color="%s"/></linearGradient></defs><rect width="1280" height="720" fill="url(#s)"/>`, s.sky, s.low) +
		fmt.Sprintf(`<circle cx="%d" cy="%d" r="%d" fill="%s"/>`, s.sunX, s.sunY, s.sunR, s.sun) + land +
		fmt.Sprintf(`<rect y="460" width="1280" height="260" fill="%s" fill-opacity=".88"/>`, s.sea)
}

func document(width, height int, body string) string {
	return fmt.Sprintf(`<svg xmlns="http://www.w3.org/2000/svg" width="%d" height="%d" viewBox="0 0 %d %d">%s</svg>`, width, height, width,
		height, body)
}

// still is the whole scene as one picture.
func (s scene) still(shift int) string {
	body := s.background()
	if s.boat {
		body += fmt.Sprintf(boatSVG, 420+shift, 430, "1")
	}
	return document(1280, 720, body+fmt.Sprintf(wave, 590, s.deep))
}

// A maker makes files in one folder, each only if it is not there yet.
type maker struct {
	ctx context.Context
	dir string
	err error
}

func (m *maker) path(name string) string { return filepath.Join(m.dir, name) }

// once runs make for a file that is not there. The file appears only when it is whole.
func (m *maker) once(name string, make func(unfinished string) error) {
	if m.err != nil {
		return
	}
	final := m.path(name)
	if _, err := os.Stat(final); err == nil {
		return
	}
	unfinished := filepath.Join(filepath.Dir(final), "unfinished-"+filepath.Base(final))
	if m.err = os.MkdirAll(filepath.Dir(final), 0o755); m.err != nil {
		return
	}
	if err := make(unfinished); err != nil {
		m.err = fmt.Errorf("make %s: %w", name, err)
		return
	}
	m.err = os.Rename(unfinished, final)
}

func (m *maker) run(name string, args ...string) error {
	out, err := exec.CommandContext(m.ctx, name, args...).CombinedOutput()
	if err != nil {
		return fmt.Errorf("%s: %w\n%s", name, err, out)
	}
	return nil
}

func (m *maker) ffmpeg(args ...string) error {
	return m.run("ffmpeg", append([]string{"-v", "error", "-nostdin", "-y"}, args...)...)
}

func (m *maker) text(name, content string) {
	m.once(name, func(file string) error { return os.WriteFile(file, []byte(content), 0o644) })
}

// layer draws an SVG as a PNG with transparency.
func (m *maker) layer(name, svg string) {
	m.text(name+".svg", svg)
	m.once(name+".png", func(file string) error { return m.run("vips", "copy", m.path(name+".svg"), file) })
}

// photo draws a scene as a JPEG of the given width.
func (m *maker) photo(name, which string, shift, width int) {
	m.text("layers/"+filepath.Base(name)+".svg", scenes[which].still(shift))
	m.once(name, func(file string) error {
		return m.run("vipsthumbnail", m.path("layers/"+filepath.Base(name)+".svg"), "--size", fmt.Sprint(width), "--output", file+"[Q=93]")
	})
}

const timecodeFont = "/usr/share/fonts/truetype/dejavu/DejaVuSansMono.ttf"

// A filmPlan is a film of one scene: the sun goes down, the boat goes by.
type filmPlan struct {
	name, scene    string
	rate, timecode string // as ffmpeg takes them
	seconds        int
	width, height  int
	codec          []string
	tone           string // ffmpeg's aevalsrc expression
	cut            []take // what of it is shown, one after another; all of it where there is none
}

// A take is a stretch of a scene, in seconds, with what was done to its picture.
type take struct {
	from, to int
	look     string // of ffmpeg; empty for nothing
}

// edited is the part of a graph that cuts [b] and the sound of input 3, and where both come out.
func edited(cut []take) (graph, picture, sound string) {
	if len(cut) == 0 {
		return "", "[b]", "3:a"
	}
	n := len(cut)
	var ends, parts, all strings.Builder
	for i, c := range cut {
		look := c.look
		if look == "" {
			look = "null"
		}
		fmt.Fprintf(&ends, "[b%d]", i)
		fmt.Fprintf(&parts, "[b%d]trim=%d:%d,setpts=PTS-STARTPTS,%s[c%d];[s%d]atrim=%d:%d,asetpts=PTS-STARTPTS[t%d];", i, c.from, c.to, look, i, i, c.from, c.to, i)
		fmt.Fprintf(&all, "[c%d][t%d]", i, i)
	}
	return fmt.Sprintf("[b]split=%d%s;[3:a]asplit=%d%s;%s%sconcat=n=%d:v=1:a=1[cut][heard];", n, ends.String(), n,
		strings.ReplaceAll(ends.String(), "[b", "[s"), parts.String(), all.String(), n), "[cut]", "[heard]"
}

func (m *maker) film(p filmPlan) {
	s := scenes[p.scene]
	base := "layers/" + p.scene
	m.layer(base+"-back", document(1280, 720, s.background()))
	m.layer(base+"-boat", document(560, 380, fmt.Sprintf(boatSVG, 70, 210, "1")))
	m.layer(base+"-water", document(1440, 180, fmt.Sprintf(wave, 30, s.deep)))
	m.once(p.name, func(file string) error {
		args := []string{}
		for _, layer := range []string{"back", "boat", "water"} {
			args = append(args, "-framerate", p.rate, "-i", m.path(base+"-"+layer+".png"))
		}
		args = append(args, "-f", "lavfi", "-i", fmt.Sprintf("aevalsrc='%s':s=48000:c=stereo", p.tone))
		travel := "1400"
		if s.boat {
			travel = fmt.Sprintf("-200+1160*t/%d", p.seconds)
		}
		burnt := strings.NewReplacer(":", `\:`, ";", `\;`).Replace(p.timecode)
		cuts, picture, sound := edited(p.cut)
		seconds := p.seconds
		if len(p.cut) > 0 {
			seconds = 0
		}
		for _, c := range p.cut {
			seconds += c.to - c.from
		}
		// Each layer is decoded once, then repeated for every frame.
		graph := "[0]format=yuv420p,loop=loop=-1:size=1:start=0[back];[1]format=yuva420p,loop=loop=-1:size=1:start=0[boat];[2]format=yuva420p,loop=loop=-1:size=1:start=0[water];" +
			fmt.Sprintf("[back][boat]overlay=x='%s':y='220+8*sin(t*1.7)'[a];[a][water]overlay=x='-80+60*sin(t*0.9)':y='560+6*sin(t*1.3)'[b];"+
				"%s%sdrawtext=fontfile=%s:timecode='%s':rate=%s:fontsize=34:fontcolor=white:box=1:boxcolor=black@0.55:boxborderw=10:x=(w-tw)/2:y=h-64[c];[c]%s,format=yuv420p[v]",
				travel, cuts, picture, timecodeFont, burnt, p.rate, crop(p.width, p.height))
		args = append(args, "-filter_complex", graph, "-map", "[v]", "-map", sound, "-t", fmt.Sprint(seconds), "-r", p.rate, "-timecode",
			p.timecode)
		args = append(args, p.codec...)
		return m.ffmpeg(append(args, "-f", "mov", file)...)
	})
}

// crop takes the middle of the scene in another shape.
func crop(width, height int) string {
	if width >= height {
		return fmt.Sprintf("scale=%d:%d", width, height)
	}
	return fmt.Sprintf("crop=ih*%d/%d:ih,scale=%d:%d", width, height, width, height)
}

// voice is a sound like speech in another room: noise in the band of a voice,
// opened and closed by the rhythm of a language.
func (m *maker) voice(name string, seconds int, syllables float64, seed int) {
	m.once(name, func(file string) error {
		return m.ffmpeg("-f", "lavfi", "-i", fmt.Sprintf("anoisesrc=color=pink:seed=%d:amplitude=0.9:sample_rate=48000:duration=%d", seed,
			seconds),
			"-af", fmt.Sprintf("highpass=f=140,lowpass=f=3400,tremolo=f=%.2f:d=0.95,tremolo=f=0.31:d=0.8,tremolo=f=0.13:d=0.7", syllables),
			"-c:a", "pcm_s24le", "-f", "wav", file)
	})
}

func (m *maker) stem(name string, seconds int, hertz float64, beat float64) {
	m.once(name, func(file string) error {
		return m.ffmpeg("-f", "lavfi", "-i", fmt.Sprintf("aevalsrc='0.4*sin(2*PI*%.2f*t)*(0.55+0.45*sin(2*PI*%.3f*t))|0.4*sin(2*PI*%.2f*t)*(0.55+0.45*cos(2*PI*%.3f*t))':s=48000:d=%d",
			hertz, beat, hertz*1.004, beat, seconds), "-c:a", "pcm_s24le", "-f", "wav", file)
	})
}

// makeMedia makes everything that the demo sends and returns the folder.
func makeMedia(ctx context.Context, dir string) error {
	dir, err := filepath.Abs(dir) // vipsthumbnail takes a relative path from the folder of its input
	if err != nil {
		return err
	}
	m := &maker{ctx: ctx, dir: dir}
	master := []string{"-c:v", "mjpeg", "-q:v", "3", "-pix_fmt", "yuvj420p", "-c:a", "pcm_s16le"}
	small := []string{"-c:v", "libx264", "-preset", "veryfast", "-crf", "19", "-c:a", "aac", "-b:a", "192k"}
	sea := "0.16*sin(2*PI*110*t)*(0.5+0.5*sin(2*PI*0.11*t))+0.1*sin(2*PI*164.8*t)*(0.5+0.5*sin(2*PI*0.17*t))+0.05*(random(0)-0.5)*(0.5+0.5*sin(2*PI*0.23*t))"
	m.film(filmPlan{"Lifeboat, cut 3.mov", "dusk", "25", "10:00:00:00", 75, 1280, 720, master, sea, nil})
	m.film(filmPlan{"Teaser 0_30.mov", "noon", "30000/1001", "00:59:50;00", 30, 1280, 720, small, sea, nil})
	m.film(filmPlan{"Teaser, vertical.mov", "moss", "30000/1001", "01:00:00;00", 20, 720, 1280, small, sea, nil})
	m.film(filmPlan{"Glaze, product film.mov", "clay", "24000/1001", "01:00:00:00", 40, 1280, 720, small, sea, nil})
	m.film(filmPlan{"Glaze, 0_15.mov", "clay", "24000/1001", "01:00:00:00", 15, 1280, 720, small, sea, nil})
	m.voice("guide_en.wav", 95, 4.1, 11)
	m.voice("guide_cy.wav", 119, 4.9, 23)
	m.voice("guide_fr.wav", 108, 5.6, 37)
	m.stem("stem_drums.wav", 60, 82.4, 2.1)
	m.stem("stem_bass.wav", 60, 55, 0.52)
	m.stem("stem_keys.wav", 60, 220, 0.26)
	m.stem("stem_voice.wav", 58, 330, 0.17)
	for i, which := range []string{"sand", "slate", "dusk", "noon", "night", "moss"} {
		m.photo(fmt.Sprintf("Stills/harbour_%02d.jpg", i+1), which, i*30-60, 3600)
	}
	m.photo("Poster, quay.jpg", "night", 0, 2400)
	m.photo("Poster, hill.jpg", "moss", 0, 2400)
	m.film(filmPlan{"Lifeboat, cut 2.mov", "dusk", "25", "10:00:00:00", 75, 640, 360, small, sea,
		[]take{{6, 30, ""}, {50, 55, "hflip"}, {36, 41, ""}, {41, 49, "eq=brightness=-0.07:saturation=0.5"}, {49, 75, ""}}})
	m.text("Credits.pdf", creditsPDF())
	m.extras()
	return m.err
}
