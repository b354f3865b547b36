package markers

import (
	"bufio"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"time"

	"aftergust/core/time/timecode"
)

// The schemas of OpenTimelineIO that are written and read (its documentation, "File
// format specification" and "Serialized schema"; from memory, not looked up).
type otioTime struct {
	Schema string  `json:"OTIO_SCHEMA"`
	Rate   float64 `json:"rate"`
	Value  float64 `json:"value"`
}

type otioRange struct {
	Schema   string   `json:"OTIO_SCHEMA"`
	Start    otioTime `json:"start_time"`
	Duration otioTime `json:"duration"`
}

type otioNote struct {
	ID      string     `json:"id,omitempty"`
	Author  string     `json:"author,omitempty"`
	Text    string     `json:"text,omitempty"`
	Done    bool       `json:"done,omitempty"`
	Written string     `json:"written,omitempty"`
	Answers []otioNote `json:"answers,omitempty"`
	Place   []int      `json:"place,omitempty"` // x, y, w, h in ten-thousandths
}

type otioMarker struct {
	Schema   string    `json:"OTIO_SCHEMA"`
	Name     string    `json:"name"`
	Comment  string    `json:"comment"`
	Colour   string    `json:"color"`
	Range    otioRange `json:"marked_range"`
	Metadata struct {
		Ours *otioNote `json:"aftergust,omitempty"`
	} `json:"metadata"`
}

// longestName is how much of a note names its marker, in characters.
const longestName = 60

func at(rate float64, frame timecode.Frame) otioTime {
	return otioTime{"RationalTime.1", rate, float64(frame)}
}

// floatRate is a rate as OpenTimelineIO writes it.
func floatRate(r timecode.Rate) float64 { return float64(r.Num) / float64(r.Den) }

// writeOTIO writes a timeline with one clip, which bears the markers. Its frames count
// from the start of the media, as the timecode of the piece does.
func writeOTIO(w io.Writer, s Sheet, markers []Marker) error {
	if !s.counted() {
		s = s.inMillis()
	}
	rate := floatRate(s.Timeline.Rate)
	start, err := s.Timeline.Rate.Frame(s.Timeline.Start)
	if err != nil {
		start = 0
	}
	length := s.Frames
	if length == 0 {
		length = s.Timeline.Rate.NearestFrame(s.Length)
	}
	whole := otioRange{"TimeRange.1", at(rate, start), at(rate, length)}
	name, address := raw(s.Name), raw(s.Address)
	out := bufio.NewWriter(w)
	fmt.Fprintf(out, `{"OTIO_SCHEMA":"Timeline.1","name":%s,"global_start_time":%s,"metadata":{},"tracks":{"OTIO_SCHEMA":"Stack.1","name":"tracks",`+
		`"source_range":null,"effects":[],"markers":[],"enabled":true,"metadata":{},"children":[{"OTIO_SCHEMA":"Track.1","name":"V1","kind":"Video",`+
		`"source_range":null,"effects":[],"markers":[],"enabled":true,"metadata":{},"children":[{"OTIO_SCHEMA":"Clip.1","name":%s,"source_range":%s,`+
		`"effects":[],"enabled":true,"metadata":{},"media_reference":{"OTIO_SCHEMA":"ExternalReference.1","name":%s,"available_range":%s,`+
		`"target_url":%s,"metadata":{}},"markers":[`, name, raw(at(rate, start)), name, raw(whole), name, raw(whole), address)
	for i, m := range byTime(markers) {
		text, err := json.Marshal(s.otio(m, rate, start))
		if err != nil {
			return err
		}
		if i > 0 {
			_ = out.WriteByte(',') // Flush tells what went wrong
		}
		if _, err := out.Write(append([]byte("\n"), text...)); err != nil {
			return err
		}
	}
	_, _ = out.WriteString("\n]}]}]}}\n") // likewise
	return out.Flush()
}

// inMillis counts a sound in thousandths of a second, since it has no frames.
func (s Sheet) inMillis() Sheet {
	s.Timeline = timecode.Timeline{Rate: timecode.Rate{Num: 1000, Den: 1}}
	return s
}

func (s Sheet) otio(m Marker, rate float64, start timecode.Frame) otioMarker {
	first, last := s.frames(m)
	out := otioMarker{Schema: "Marker.2", Name: clip(m.Author + ": " + oneLine(m.Text)), Comment: m.Text, Colour: "ORANGE",
		Range: otioRange{"TimeRange.1", at(rate, start+first), at(rate, last-first+1)}}
	if m.Done {
		out.Colour = "GREEN"
	}
	ours := &otioNote{ID: m.ID, Author: m.Author, Text: m.Text, Done: m.Done, Written: stamp(m.Created)}
	if m.Placed {
		ours.Place = []int{m.X, m.Y, m.W, m.H}
	}
	for _, a := range m.Answers {
		ours.Answers = append(ours.Answers, otioNote{Author: a.Author, Text: a.Text, Written: stamp(a.Created)})
	}
	out.Metadata.Ours = ours
	return out
}

func clip(text string) string {
	if r := []rune(text); len(r) > longestName {
		return string(r[:longestName-1]) + "…"
	}
	return text
}

// otioNode is as much of a timeline as is read: whatever holds markers, wherever it lies.
type otioNode struct {
	Schema   string          `json:"OTIO_SCHEMA"`
	Markers  []otioMarker    `json:"markers"`
	Children []otioNode      `json:"children"`
	Tracks   *otioNode       `json:"tracks"`
	Source   json.RawMessage `json:"source_range"`
	Media    struct {
		Range *otioRange `json:"available_range"`
	} `json:"media_reference"`
}

// largestOTIO bounds a timeline that is read, in bytes: it is held in memory as a tree.
const largestOTIO = 64 << 20

func readOTIO(r io.Reader, c *collector) error {
	text, err := io.ReadAll(io.LimitReader(r, largestOTIO+1))
	if err != nil {
		return err
	}
	if len(text) > largestOTIO {
		return fmt.Errorf("%w: it has more than %d bytes", ErrFormat, largestOTIO)
	}
	var top otioNode
	if err := json.Unmarshal(text, &top); err != nil || top.Schema == "" {
		return fmt.Errorf("%w as OpenTimelineIO", ErrFormat)
	}
	return c.node(top)
}

func (c *collector) node(n otioNode) error {
	for _, m := range n.Markers {
		if err := c.next(); err != nil {
			return err
		}
		c.otio(m, n)
	}
	if n.Tracks != nil {
		if err := c.node(*n.Tracks); err != nil {
			return err
		}
	}
	for _, child := range n.Children {
		if err := c.node(child); err != nil {
			return err
		}
	}
	return nil
}

// otio takes a marker of a clip. Its time counts from where the media of the clip begins;
// without that, from the start of the piece. Another rate is reckoned to seconds.
func (c *collector) otio(in otioMarker, n otioNode) {
	m := Marker{Text: in.Comment, Author: "", Timed: true}
	if m.Text == "" {
		m.Text = in.Name
	}
	if o := in.Metadata.Ours; o != nil {
		m.ID, m.Author, m.Done = o.ID, o.Author, o.Done
		if o.Text != "" {
			m.Text = o.Text
		}
		m.Created, _ = time.Parse(time.RFC3339, o.Written) // zero where it does not say
		if len(o.Place) == 4 && c.shares(o.Place) {
			m.Placed, m.X, m.Y, m.W, m.H = true, o.Place[0], o.Place[1], o.Place[2], o.Place[3]
		}
		for _, a := range o.Answers {
			answer := Marker{Author: a.Author, Text: a.Text}
			answer.Created, _ = time.Parse(time.RFC3339, a.Written) // likewise
			m.Answers = append(m.Answers, answer)
		}
	}
	s := c.sheet
	if !s.counted() {
		s = s.inMillis()
	}
	begin, ok := in.Range.Start.seconds()
	length, okLength := in.Range.Duration.seconds()
	if !ok || !okLength {
		c.problem("its time cannot be read")
		return
	}
	own := floatRate(s.Timeline.Rate)
	offset := 0.0
	if f, err := s.Timeline.Rate.Frame(s.Timeline.Start); err == nil {
		offset = float64(f) / own
	}
	if n.Media.Range != nil {
		if from, ok := n.Media.Range.Start.seconds(); ok {
			offset = from
		}
	}
	first := timecode.Frame(math.Round((begin - offset) * own))
	count := timecode.Frame(math.Round(length * own))
	if first < 0 || s.Frames > 0 && first >= s.Frames {
		c.problem("lies outside of the piece")
		return
	}
	s.from(&m, first, first+max(0, count-1))
	c.add(m)
}

func (c *collector) shares(place []int) bool {
	for _, v := range place {
		if v < 0 || v > 10_000 {
			return false
		}
	}
	return true
}

// seconds are none where a time names no rate.
func (t otioTime) seconds() (float64, bool) {
	v := t.Value / t.Rate
	return v, t.Rate > 0 && !math.IsNaN(v) && math.Abs(v) < 1e6
}
