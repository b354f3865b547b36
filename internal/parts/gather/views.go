package gather

import (
	"encoding/hex"
	"fmt"
	"strings"
	"time"

	"aftergust/core/file/damage"
	"aftergust/core/file/thing"
	"aftergust/core/file/transfer"
	"aftergust/core/media/palette"
	"aftergust/core/media/piece"
	"aftergust/core/media/preview"
	"aftergust/internal/files/sheets"
	"aftergust/internal/ground"
)

// PieceView is the content of one version: in Gather, in a package, in the list
// of versions. It is exported so that its fields are seen where it is embedded.
type PieceView struct {
	Version    string            `json:"version" doc:"id of the version"`
	Number     int               `json:"number" doc:"of the version, from 1"`
	What       thing.What        `json:"what" doc:"what its content is"`
	Mime       string            `json:"mime"`
	Size       int64             `json:"size" doc:"bytes"`
	Weight     string            `json:"weight" doc:"size in words"`
	About      string            `json:"about" doc:"facts in words, as 1 h 02 min, 1920 × 1080, 25 fps"`
	MediaState preview.State     `json:"media_state" doc:"previews: waiting, in work, made, impossible, not foreseen, or stopped"`
	MediaError string            `json:"media_error" doc:"why no preview could be made; the original is whole"`
	Damage     damage.Damage     `json:"damage" doc:"what is wrong with the bytes that are kept; empty for nothing that is known"`
	MediaShare float64           `json:"media_share" doc:"how much of the media work is done, 0 to 1"`
	Look       string            `json:"look" doc:"path under which what was made of it lies: poster, proxy, page-1"`
	Made       []preview.Purpose `json:"made" doc:"what was made of it"`
	Pages      int               `json:"pages" doc:"previews of pages, page-1 to page-N"`
	Facts      piece.Facts       `json:"facts"`
	Data       piece.Data        `json:"data" doc:"what a link, swatch or sheet says"`
	HTML       string            `json:"html" doc:"a sheet, safe to show"`
	Tasks      []taskView        `json:"tasks,omitempty" doc:"what can be ticked in a sheet"`
	Swatch     *swatchView       `json:"swatch,omitempty"`
}

type taskView struct {
	Key  string `json:"key"`
	Text string `json:"text"`
}

// ViewPiece is what is known of a version; look is the path under which what was made of it lies.
func ViewPiece(p Piece, look string) PieceView {
	v := PieceView{Version: p.VersionID, Number: p.Number, What: p.What, Mime: p.Mime, Size: p.Size,
		Damage: p.Damage, Weight: transfer.Size(p.Size),
		About:      p.Facts.About(p.What),
		MediaState: p.MediaState, MediaError: p.MediaError, MediaShare: p.MediaShare, Look: look, Made: ground.OrEmpty(p.Made), Pages: p.Pages,
		Facts: p.Facts, Data: p.Data}
	switch p.What {
	case thing.ASheet:
		v.HTML = sheets.HTML(p.Data.Text)
		for _, t := range sheets.Tasks(p.Data.Text) {
			v.Tasks = append(v.Tasks, taskView{t.Key, t.Text})
		}
	case thing.ASwatch:
		v.Swatch = viewSwatch(p.Data.Colour)
	}
	return v
}

// MemberLook is the path under which members find what was made of a version.
func MemberLook(version string) string { return "/api/v1/versions/" + version + "/" }

// ThingView is a thing in Gather. It is exported so that its fields are seen where
// it is embedded.
type ThingView struct {
	ID         string     `json:"id"`
	Place      string     `json:"place" doc:"id of the place; empty for what lies only in packages"`
	Kind       thing.Kind `json:"kind"`
	Name       string     `json:"name"`
	About      string     `json:"about" doc:"what it is, in a line"`
	Tags       []string   `json:"tags"`
	AtHand     bool       `json:"at_hand"`
	Length     string     `json:"length" doc:"as 0:30 or 1:02:11; empty where nothing plays"`
	Shape      string     `json:"shape" doc:"pixel size, or channels of a sound, or pages"`
	Rate       string     `json:"rate" doc:"frame rate or sample rate"`
	Format     string     `json:"format" doc:"of the file, by its extension: MOV, WAV"`
	AddedAt    time.Time  `json:"added_at"`
	ChangedAt  time.Time  `json:"changed_at"`
	Versions   int        `json:"versions" doc:"how many there are"`
	Renditions int        `json:"renditions" doc:"other formats that it stands for"`
	Lead       string     `json:"lead" doc:"item that stands for this one; empty for most"`
	PieceView
}

type thingView = ThingView

// viewThing is an item as lists show it.
func viewThing(i Item) thingView {
	v := thingView{ID: i.ID, Place: i.PlaceID, Kind: i.Kind, Name: i.Name, About: i.About, Tags: ground.OrEmpty(i.Tags),
		AtHand: i.AtHandSince != nil,
		Shape:  i.Facts.Shape(), Rate: i.Facts.Pace(), Format: format(i.Kind, i.Name), AddedAt: i.CreatedAt, ChangedAt: i.ChangedAt,
		Versions:   i.Versions,
		Renditions: i.Renditions, Lead: i.RenditionOf, PieceView: ViewPiece(i.Piece, MemberLook(i.VersionID))}
	if i.Facts.LengthUS > 0 {
		v.Length = piece.Clock(i.Facts.LengthUS)
	}
	if i.Kind == thing.Swatch {
		v.Shape = i.Data.Colour
	}
	return v
}

func viewThings(items []Item) []thingView {
	out := make([]thingView, len(items))
	for i, item := range items {
		out[i] = viewThing(item)
	}
	return out
}

// format is the format of a file by the end of its name.
func format(kind thing.Kind, name string) string {
	if kind != thing.File {
		return string(kind)
	}
	if dot := strings.LastIndexByte(name, '.'); dot > 0 && len(name)-dot <= 6 {
		return strings.ToUpper(name[dot+1:])
	}
	return ""
}

type versionView struct {
	Label     string     `json:"label"`
	Name      string     `json:"name" doc:"of its file"`
	Who       string     `json:"who"`
	AddedAt   time.Time  `json:"added_at"`
	Current   bool       `json:"current"`
	DeletedAt *time.Time `json:"deleted_at"`
	PieceView
}

func viewVersion(v Version, current string) versionView {
	return versionView{Label: v.Label, Name: v.FileName, Who: v.Adder, AddedAt: v.VersionAt, Current: v.VersionID == current,
		DeletedAt: v.DeletedAt,
		PieceView: ViewPiece(v.Piece, MemberLook(v.VersionID))}
}

type wholeView struct {
	ThingView
	FactLines   []piece.Line  `json:"fact_lines" doc:"all that is known of it, in words"`
	AllVersions []versionView `json:"all_versions" doc:"the newest first"`
	Formats     []thingView   `json:"formats" doc:"other formats of the same thing"`
	Twins       []thingView   `json:"twins" doc:"items beside it that look like other formats of it"`
	Path        []placeView   `json:"path"`
}

// factLines are all facts of an item that are known.
func factLines(i Item) []piece.Line {
	out := []piece.Line{{Label: "Kind", Value: thing.Whats.Get(i.What).Word}}
	if i.Kind == thing.File {
		mime, _, _ := strings.Cut(i.Mime, ";")
		out = append(out, piece.Line{Label: "Size", Value: transfer.Size(i.Size) + " (" + piece.Thousands(i.Size) + " bytes)"},
			piece.Line{Label: "Type", Value: mime})
	}
	out = append(out, i.Facts.Lines()...)
	switch {
	case i.Kind != thing.File:
	case len(i.SHA256) > 0:
		out = append(out, piece.Line{Label: "SHA-256", Value: hex.EncodeToString(i.SHA256)})
	default:
		out = append(out, piece.Line{Label: "CRC-32", Value: fmt.Sprintf("%08x; SHA-256 is being computed", i.CRC32)})
	}
	if i.Adder != "" {
		out = append(out, piece.Line{Label: "Added by", Value: i.Adder})
	}
	return out
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
	v := &swatchView{Hex: c.Hex(), RGB: c.RGB(), HSL: c.HSL(), OKLCH: c.OKLCH(), OnBlack: palette.Saying(black),
		OnWhite: palette.Saying(white), Ink: "black"}
	if white > black {
		v.Ink = "white"
	}
	return v
}
