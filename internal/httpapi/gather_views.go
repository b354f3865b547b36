package httpapi

import (
	"bytes"
	"encoding/hex"
	"fmt"
	"strconv"
	"strings"
	"time"

	"aftergust/core/palette"
	"aftergust/core/transfer"
	"aftergust/internal/studio"

	"github.com/yuin/goldmark"
	"github.com/yuin/goldmark/extension"
)

// placeView is a place as it goes out; the name Place is taken by that of notes.
type placeView studio.Place

func viewPlaces(places []studio.Place) []placeView {
	out := make([]placeView, len(places))
	for i, p := range places {
		out[i] = placeView(p)
	}
	return out
}

// ThingView is exported so that its fields are seen where it is embedded.
type ThingView struct {
	ID         string      `json:"id"`
	Place      string      `json:"place" doc:"id of the place; empty for what lies only in packages"`
	Kind       string      `json:"kind" enum:"file,link,swatch,sheet"`
	What       string      `json:"what" enum:"still,artwork,film,sound,document,archive,other,link,swatch,sheet"`
	Name       string      `json:"name"`
	Tags       []string    `json:"tags"`
	Starred    bool        `json:"starred"`
	Size       int64       `json:"size" doc:"bytes"`
	Weight     string      `json:"weight" doc:"size in words"`
	Length     string      `json:"length" doc:"as 0:30 or 1:02:11; empty where nothing plays"`
	LengthUS   int64       `json:"length_us" doc:"microseconds"`
	Shape      string      `json:"shape" doc:"pixel size, or channels of a sound, or pages"`
	Rate       string      `json:"rate" doc:"frame rate or sample rate"`
	Format     string      `json:"format" doc:"of the file, by its extension: MOV, WAV"`
	Mime       string      `json:"mime"`
	AddedAt    time.Time   `json:"added_at"`
	ChangedAt  time.Time   `json:"changed_at"`
	Version    string      `json:"version" doc:"id of the current version"`
	Number     int         `json:"number" doc:"of the current version"`
	Versions   int         `json:"versions" doc:"how many there are"`
	Renditions int         `json:"renditions" doc:"other formats that it stands for"`
	Lead       string      `json:"lead" doc:"item that stands for this one; empty for most"`
	MediaState string      `json:"media_state" enum:"waiting,working,ready,failed,none,cancelled"`
	MediaError string      `json:"media_error"`
	MediaShare float64     `json:"media_share" doc:"how much of the media work is done, 0 to 1"`
	Look       string      `json:"look" doc:"path under which what was made of it lies"`
	Made       []string    `json:"made" doc:"what was made: poster, proxy, proxy-small, page, strip, strip-index, peaks, text"`
	Pages      int         `json:"pages" doc:"previews of pages, page-1 to page-N"`
	Width      int         `json:"width" doc:"pixels"`
	Height     int         `json:"height" doc:"pixels"`
	Peaks      []int       `json:"peaks" doc:"for a small waveform"`
	Entries    int         `json:"entries" doc:"files in an archive that can be listed"`
	Data       studio.Data `json:"data"`
}

type thingView = ThingView

// viewThing is an item as lists show it.
func viewThing(i studio.Item) thingView {
	f := i.Facts
	v := thingView{ID: i.ID, Place: i.PlaceID, Kind: i.Kind, What: i.What, Name: i.Name, Tags: orNone(i.Tags), Starred: i.StarredAt != nil, Size: i.Size, Weight: transfer.Size(i.Size),
		LengthUS: f.LengthUS, Format: format(i.Kind, i.Name), Mime: i.Mime, AddedAt: i.CreatedAt, ChangedAt: i.ChangedAt, Version: i.VersionID, Number: i.Number, Versions: i.Versions,
		Renditions: i.Renditions, Lead: i.RenditionOf, MediaState: i.MediaState, MediaError: i.MediaError, MediaShare: i.MediaShare, Look: "/api/v1/versions/" + i.VersionID + "/",
		Made: i.Made, Pages: i.Pages, Width: f.Width, Height: f.Height, Peaks: f.Peaks, Entries: f.Entries, Data: i.Data}
	v.Shape, v.Rate = shape(f), rate(f)
	if v.Peaks == nil {
		v.Peaks = []int{}
	}
	if f.LengthUS > 0 {
		v.Length = clock(f.LengthUS)
	}
	if i.Kind == "swatch" {
		v.Shape = i.Data.Colour
	}
	return v
}

func orNone(list []string) []string {
	if list == nil {
		return []string{}
	}
	return list
}

func format(kind, name string) string {
	if kind != "file" {
		return kind
	}
	if dot := strings.LastIndexByte(name, '.'); dot > 0 && len(name)-dot <= 6 {
		return strings.ToUpper(name[dot+1:])
	}
	return ""
}

func shape(f studio.Facts) string {
	switch {
	case f.Width > 0:
		return fmt.Sprintf("%d × %d", f.Width, f.Height)
	case f.Pages == 1:
		return "1 page"
	case f.Pages > 0:
		return fmt.Sprintf("%d pages", f.Pages)
	case f.Entries == 1:
		return "1 file"
	case f.Entries > 0:
		return fmt.Sprintf("%d files", f.Entries)
	default:
		return channels(f.Channels)
	}
}

func channels(n int) string {
	switch n {
	case 0:
		return ""
	case 1:
		return "mono"
	case 2:
		return "stereo"
	case 6:
		return "5.1"
	default:
		return fmt.Sprintf("%d channels", n)
	}
}

func rate(f studio.Facts) string {
	if line := f.Timeline(); line.Rate.Num > 0 {
		return line.Rate.String() + " fps"
	}
	if f.SampleRate > 0 {
		return kilohertz(f.SampleRate)
	}
	return ""
}

func kilohertz(hz int) string {
	return strconv.FormatFloat(float64(hz)/1000, 'f', -1, 64) + " kHz"
}

// A factLine is one fact with its label, in the order in which it is read.
type factLine struct {
	Label string `json:"label"`
	Value string `json:"value"`
}

// factLines are all facts of an item that are known.
func factLines(i studio.Item) []factLine {
	f := i.Facts
	out := []factLine{}
	add := func(label, format string, args ...any) {
		if value := fmt.Sprintf(format, args...); value != "" {
			out = append(out, factLine{label, value})
		}
	}
	add("Kind", "%s", i.What)
	if i.Kind == "file" {
		add("Size", "%s (%s bytes)", transfer.Size(i.Size), thousands(i.Size))
		add("Type", "%s", trimmed(i.Mime))
	}
	if f.LengthUS > 0 {
		add("Length", "%s", exactly(f.LengthUS))
	}
	if f.Width > 0 {
		add("Pixels", "%d × %d", f.Width, f.Height)
	}
	if line := f.Timeline(); line.Rate.Num > 0 {
		add("Frame rate", "%s fps%s", line.Rate.String(), map[bool]string{true: ", varies: timecode follows the average"}[f.Variable])
		add("Frames", "%s", thousands(f.Frames))
		if f.StartLabel != "" {
			add("Starts at", "%s", f.StartLabel)
		}
	}
	add("Picture", "%s", strings.Join(known(f.Codec, f.Colour, bits(f.BitDepth, f.Codec == "" && f.Width > 0)), ", "))
	if f.SoundCodec != "" {
		add("Sound", "%s", strings.Join(known(f.SoundCodec, kilohertz(f.SampleRate), bits(f.BitDepth, true), channels(f.Channels)), ", "))
	} else if f.Codec != "" {
		add("Sound", "none")
	}
	if f.Measured {
		add("Loudness", "%s", map[bool]string{true: "silent", false: fmt.Sprintf("%.1f LUFS integrated", f.LUFS)}[f.LUFS <= -70])
		add("True peak", "%.1f dBTP", f.PeakDBTP)
	}
	if f.BitRate > 0 {
		add("Bit rate", "%s", bitRate(f.BitRate))
	}
	if f.Layers {
		add("Layers", "shown flattened")
	}
	add("Font", "%s", f.Family)
	if f.Pages > 0 {
		add("Pages", "%d", f.Pages)
	}
	if f.Entries > 0 {
		add("Inside", "%d files, %s unpacked%s", f.Entries, transfer.Size(f.Unpacked), map[bool]string{true: ", some need a password"}[f.Locked])
	}
	if i.Kind == "file" {
		if len(i.SHA256) > 0 {
			add("SHA-256", "%s", hex.EncodeToString(i.SHA256))
		} else {
			add("CRC-32", "%08x; SHA-256 is being computed", i.CRC32)
		}
	}
	add("Added by", "%s", i.Adder)
	return out
}

func known(values ...string) (out []string) {
	for _, v := range values {
		if v != "" {
			out = append(out, v)
		}
	}
	return out
}

func bits(n int, tell bool) string {
	if n == 0 || !tell {
		return ""
	}
	return fmt.Sprintf("%d bit", n)
}

func bitRate(n int64) string {
	if n < 10_000_000 {
		return fmt.Sprintf("%d kbit/s", (n+500)/1000)
	}
	return fmt.Sprintf("%.1f Mbit/s", float64(n)/1e6)
}

// exactly is a length with hundredths of a second.
func exactly(us int64) string {
	cs := (us + 5000) / 10_000
	return fmt.Sprintf("%d:%02d:%02d.%02d", cs/360_000, cs/6000%60, cs/100%60, cs%100)
}

// thousands groups the figures of a number: 1 234 567.
func thousands(n int64) string {
	text := strconv.FormatInt(n, 10)
	for at := len(text) - 3; at > 0; at -= 3 {
		text = text[:at] + "\u2009" + text[at:]
	}
	return text
}

type versionView struct {
	ID         string     `json:"id"`
	Number     int        `json:"number"`
	Label      string     `json:"label"`
	Name       string     `json:"name" doc:"of its file"`
	Weight     string     `json:"weight"`
	About      string     `json:"about"`
	Who        string     `json:"who"`
	AddedAt    time.Time  `json:"added_at"`
	Current    bool       `json:"current"`
	DeletedAt  *time.Time `json:"deleted_at"`
	Kind       string     `json:"kind"`
	Look       string     `json:"look"`
	Made       []string   `json:"made"`
	Pages      int        `json:"pages"`
	MediaState string     `json:"media_state"`
	MediaError string     `json:"media_error"`
}

func viewVersion(v studio.Version, current string) versionView {
	return versionView{ID: v.ID, Number: v.Number, Label: v.Label, Name: v.FileName, Weight: transfer.Size(v.Size), About: aboutFacts(v.Kind, v.Facts), Who: v.Adder,
		AddedAt: v.CreatedAt, Current: v.ID == current, DeletedAt: v.DeletedAt, Kind: v.Kind, Look: "/api/v1/versions/" + v.ID + "/", Made: v.Made, Pages: v.Pages,
		MediaState: v.MediaState, MediaError: v.MediaError}
}

type swatchView struct {
	Hex     string `json:"hex"`
	RGB     string `json:"rgb"`
	HSL     string `json:"hsl"`
	OKLCH   string `json:"oklch"`
	OnBlack string `json:"on_black" doc:"contrast with black, in words"`
	OnWhite string `json:"on_white" doc:"contrast with white, in words"`
	Ink     string `json:"ink" enum:"black,white" doc:"which of them reads better on it"`
}

// viewSwatch is a colour in the forms that people copy; nil where there is none.
func viewSwatch(hex string) *swatchView {
	c, err := palette.Parse(hex)
	if err != nil {
		return nil
	}
	black, white := palette.Contrast(c, palette.Black), palette.Contrast(c, palette.White)
	v := &swatchView{Hex: c.Hex(), RGB: c.RGB(), HSL: c.HSL(), OKLCH: c.OKLCH(), OnBlack: palette.Saying(black), OnWhite: palette.Saying(white), Ink: "black"}
	if white > black {
		v.Ink = "white"
	}
	return v
}

type wholeView struct {
	ThingView
	Facts       []factLine    `json:"facts"`
	Media       studio.Facts  `json:"media" doc:"the same as numbers, for a player"`
	AllVersions []versionView `json:"all_versions" doc:"the newest first"`
	Formats     []thingView   `json:"formats" doc:"other formats of the same thing"`
	Twins       []thingView   `json:"twins" doc:"items beside it that look like other formats of it"`
	Path        []placeView   `json:"path"`
	HTML        string        `json:"html" doc:"a sheet, safe to show"`
	Swatch      *swatchView   `json:"swatch,omitempty"`
}

// sheets renders Markdown with lists to tick. Raw HTML and addresses that run
// scripts are left out, which is the library's default.
var sheets = goldmark.New(goldmark.WithExtensions(extension.TaskList, extension.Strikethrough, extension.Linkify, extension.Table))

// markdown is a sheet as HTML that is safe to show.
func markdown(text string) string {
	var out bytes.Buffer
	if err := sheets.Convert([]byte(text), &out); err != nil {
		return ""
	}
	// Links lead out of the studio; pictures would tell others who reads a sheet, so there are none.
	return pictures.ReplaceAllString(named.Replace(out.String()), "")
}

// named names the boxes of a list to tick, for whoever does not see them, and
// lets links open beside the page.
var named = strings.NewReplacer("<a href=", `<a target="_blank" rel="noopener noreferrer" href=`,
	`<input checked="" disabled="" type="checkbox">`, `<input checked="" disabled="" type="checkbox" aria-label="done">`,
	`<input disabled="" type="checkbox">`, `<input disabled="" type="checkbox" aria-label="to do">`)
