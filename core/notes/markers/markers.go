// Package markers writes notes in the formats that other programs read, and reads those
// back that can come in: W3C Web Annotation with Media Fragments, WebVTT, CSV,
// OpenTimelineIO, CMX 3600 EDL. Writers stream; nothing that comes from a note can break
// the form of a file.
package markers

import (
	"errors"
	"fmt"
	"io"
	"time"

	"aftergust/core/form/kind"
	"aftergust/core/time/timecode"
)

// A Format is one of the formats.
type Format string

// The formats.
const (
	Annotation Format = "annotations"
	WebVTT     Format = "vtt"
	CSV        Format = "csv"
	OTIO       Format = "otio"
	EDL        Format = "edl"
)

// A Descriptor is what is known of one format.
type Descriptor struct {
	Format Format
	kind.Words
	Suffix string
	Mime   string
	Timed  bool // only notes at a time of a piece can be in it
	Reads  bool // it can come in, too
}

// Formats are all formats, in the order in which they are offered.
var Formats = kind.Of(func(d Descriptor) Format { return d.Format },
	Descriptor{OTIO, kind.Words{Word: "OpenTimelineIO", Means: "Markers on a clip, for an editing program.", Offered: true}, ".otio",
		"application/json", true, true},
	Descriptor{EDL, kind.Words{Word: "EDL", Means: "CMX 3600 with comments, for an editing program.", Offered: true}, ".edl",
		"text/plain; charset=utf-8", true, false},
	Descriptor{CSV, kind.Words{Word: "CSV", Means: "A table, one line for each note.", Offered: true}, ".csv", "text/csv; charset=utf-8", false, true},
	Descriptor{Annotation, kind.Words{Word: "Web Annotation", Means: "JSON-LD of the W3C, with everything that a note has.", Offered: true}, ".jsonld",
		"application/ld+json", false, true},
	Descriptor{WebVTT, kind.Words{Word: "WebVTT", Means: "Subtitles that a browser shows over the film.", Offered: true}, ".vtt",
		"text/vtt; charset=utf-8", true, false},
)

// A Marker is a note on its way out or in.
type Marker struct {
	ID      string
	Author  string
	Text    string
	Created time.Time // zero where it is not known
	Done    bool
	Timed   bool            // it lies at a time
	At      timecode.Micros // from the first frame
	Until   timecode.Micros // of a span; equal to At for a moment
	Page    int             // from 1; 0 for none
	Placed  bool            // it lies on a spot or area
	X, Y    int             // ten-thousandths of the width and height
	W, H    int             // 0 for a spot
	Answers []Marker        // with author, text and when alone
}

// Span reports whether it lies over more than one moment.
func (m Marker) Span() bool { return m.Timed && m.Until > m.At }

// A Sheet is the piece that markers lie on.
type Sheet struct {
	Title    string // of the package
	Name     string // of the file
	Address  string // of the piece, as an IRI
	Timeline timecode.Timeline
	Frames   timecode.Frame  // 0 where it is not counted in frames
	Length   timecode.Micros // 0 where it does not play
}

// counted reports whether the piece is counted in frames.
func (s Sheet) counted() bool { return s.Timeline.Rate.Num > 0 }

// frame is the frame at a moment, within the piece.
func (s Sheet) frame(at timecode.Micros) timecode.Frame {
	f := s.Timeline.Rate.NearestFrame(at)
	if s.Frames > 0 {
		f = min(f, s.Frames-1)
	}
	return f
}

// frames are the first and the last frame of a marker.
func (s Sheet) frames(m Marker) (first, last timecode.Frame) {
	first = s.frame(m.At)
	return first, max(first, s.frame(m.Until))
}

// from sets the marker to frames of the piece.
func (s Sheet) from(m *Marker, first, last timecode.Frame) {
	m.Timed = true
	m.At, m.Until = s.Timeline.Rate.Begin(first), s.Timeline.Rate.Begin(max(first, last))
}

// ErrFormat is returned for what cannot be read as the format at all.
var ErrFormat = errors.New("it cannot be read")

// A Problem is what is wrong with one line or entry; it is left out, the others are read.
type Problem struct {
	Entry int    `json:"entry" doc:"from 1"`
	Say   string `json:"say"`
}

// maxEntries bounds what one file may bring.
const maxEntries = 100_000

// Write writes markers in a format. A format that knows only times leaves out what is at none.
func Write(w io.Writer, f Format, s Sheet, markers []Marker) error {
	switch f {
	case Annotation:
		return writeAnnotations(w, s, markers)
	case WebVTT:
		return writeVTT(w, s, markers)
	case CSV:
		return writeCSV(w, s, markers)
	case OTIO:
		return writeOTIO(w, s, markers)
	case EDL:
		return writeEDL(w, s, markers)
	}
	return fmt.Errorf("%w: there is no format %q", ErrFormat, f)
}

// Read reads markers from a format that comes in. Entries that cannot be placed on the
// piece are problems; only a file that is none of the format is an error.
func Read(r io.Reader, f Format, s Sheet) ([]Marker, []Problem, error) {
	c := &collector{sheet: s}
	var err error
	switch f {
	case Annotation:
		err = readAnnotations(r, c)
	case CSV:
		err = readCSV(r, c)
	case OTIO:
		err = readOTIO(r, c)
	default:
		err = fmt.Errorf("%w: %q does not come in", ErrFormat, f)
	}
	return c.done(), c.problems, err
}

// A collector takes what readers find, and looks whether it fits the piece.
type collector struct {
	sheet    Sheet
	markers  []Marker
	ids      map[string]int
	answers  map[string][]Marker // to which id
	problems []Problem
	entries  int
}

func (c *collector) problem(say string, args ...any) {
	const most = 1000
	if len(c.problems) < most {
		c.problems = append(c.problems, Problem{c.entries, fmt.Sprintf(say, args...)})
	}
}

// next counts an entry; false where there are too many.
func (c *collector) next() error {
	if c.entries++; c.entries > maxEntries {
		return fmt.Errorf("%w: it holds more than %d entries", ErrFormat, maxEntries)
	}
	return nil
}

func (c *collector) add(m Marker) {
	if c.ids == nil {
		c.ids = map[string]int{}
	}
	switch {
	case m.Text == "":
		c.problem("says nothing")
		return
	case m.Timed && c.sheet.Length == 0:
		c.problem("is at a time, but this piece does not play")
		return
	case m.Timed && (m.At < 0 || m.At > c.sheet.Length):
		c.problem("lies behind the end of the piece")
		return
	case m.ID != "" && c.ids[m.ID] > 0:
		c.problem("has the id of entry %d; the first one counts", c.ids[m.ID])
		return
	}
	m.Until = min(max(m.Until, m.At), max(m.At, c.sheet.Length))
	if m.ID != "" {
		c.ids[m.ID] = c.entries
	}
	c.markers = append(c.markers, m)
}

func (c *collector) answer(to string, m Marker) {
	if c.answers == nil {
		c.answers = map[string][]Marker{}
	}
	m.ID = "" // an answer is known by what it answers
	c.answers[to] = append(c.answers[to], m)
}

// done puts answers to what they answer.
func (c *collector) done() []Marker {
	for i := range c.markers {
		m := &c.markers[i]
		if m.ID != "" {
			m.Answers = append(m.Answers, c.answers[m.ID]...)
		}
	}
	return c.markers
}
