package markers

import (
	"bufio"
	"cmp"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"aftergust/core/time/timecode"
)

// byTime are the markers at a time, in its order.
func byTime(markers []Marker) []Marker {
	timed := slices.DeleteFunc(slices.Clone(markers), func(m Marker) bool { return !m.Timed })
	slices.SortStableFunc(timed, func(a, b Marker) int { return cmp.Compare(a.At, b.At) })
	return timed
}

// The vocabulary of Web Annotation (W3C Recommendation of 23 February 2017) and Media
// Fragments (W3C Recommendation of 25 September 2012).
const (
	annoContext   = "http://www.w3.org/ns/anno.jsonld"
	mediaFragment = "http://www.w3.org/TR/media-frags/"
	pdfFragment   = "http://tools.ietf.org/rfc/rfc3778"
	purposeState  = "tagging"
	doneTag       = "done"
)

type anno struct {
	Context    string          `json:"@context,omitempty"`
	ID         string          `json:"id,omitempty"`
	Type       string          `json:"type"`
	Motivation string          `json:"motivation,omitempty"`
	Created    string          `json:"created,omitempty"`
	Creator    json.RawMessage `json:"creator,omitempty"`
	Body       json.RawMessage `json:"body,omitempty"`
	BodyValue  string          `json:"bodyValue,omitempty"`
	Target     json.RawMessage `json:"target"`
}

type annoPerson struct {
	Type string `json:"type"`
	Name string `json:"name"`
}

type annoBody struct {
	Type    string `json:"type"`
	Value   string `json:"value"`
	Format  string `json:"format,omitempty"`
	Purpose string `json:"purpose,omitempty"`
}

type annoTarget struct {
	Source   string        `json:"source"`
	Selector *annoSelector `json:"selector,omitempty"`
}

type annoSelector struct {
	Type       string        `json:"type"`
	ConformsTo string        `json:"conformsTo,omitempty"`
	Value      string        `json:"value"`
	RefinedBy  *annoSelector `json:"refinedBy,omitempty"`
}

// writeAnnotations writes one page of a collection, one annotation after another.
func writeAnnotations(w io.Writer, s Sheet, markers []Marker) error {
	out := bufio.NewWriter(w)
	count := len(markers)
	for _, m := range markers {
		count += len(m.Answers)
	}
	label, err := json.Marshal(s.Name)
	if err != nil {
		return err
	}
	fmt.Fprintf(out, `{"@context":%q,"id":%q,"type":"AnnotationCollection","label":%s,"total":%d,"first":{"id":%q,"type":"AnnotationPage","items":[`,
		annoContext, s.Address+"#notes", label, count, s.Address+"#notes-1")
	first := true
	put := func(a anno) error {
		raw, err := json.Marshal(a)
		if err != nil {
			return err
		}
		if !first {
			_ = out.WriteByte(',') // Flush tells what went wrong
		}
		first = false
		_, err = out.Write(append([]byte("\n"), raw...))
		return err
	}
	for _, m := range markers {
		if err := put(s.annotation(m)); err != nil {
			return err
		}
		for i, a := range m.Answers {
			if err := put(reply(m, a, i)); err != nil {
				return err
			}
		}
	}
	_, _ = out.WriteString("\n]}}\n") // likewise
	return out.Flush()
}

// idPrefix makes an IRI of an id (RFC 8141 has no namespace for it; "urn:x-" is one for trials).
const idPrefix = "urn:x-aftergust:note:"

func raw(v any) json.RawMessage {
	text, _ := json.Marshal(v) // strings and structs of strings always can be written
	return text
}

func (s Sheet) annotation(m Marker) anno {
	body := []annoBody{{Type: "TextualBody", Value: m.Text, Format: "text/plain"}}
	if m.Done {
		body = append(body, annoBody{Type: "TextualBody", Value: doneTag, Purpose: purposeState})
	}
	return anno{ID: idPrefix + m.ID, Type: "Annotation", Motivation: "commenting", Created: stamp(m.Created),
		Creator: raw(annoPerson{"Person", m.Author}), Body: raw(body), Target: raw(annoTarget{Source: s.Address, Selector: s.selector(m)})}
}

func reply(m, a Marker, i int) anno {
	return anno{ID: fmt.Sprintf("%s%s:%d", idPrefix, m.ID, i+1), Type: "Annotation", Motivation: "replying", Created: stamp(a.Created),
		Creator: raw(annoPerson{"Person", a.Author}), Body: raw([]annoBody{{Type: "TextualBody", Value: a.Text, Format: "text/plain"}}),
		Target: raw(idPrefix + m.ID)}
}

func stamp(t time.Time) string {
	if t.IsZero() {
		return ""
	}
	return t.UTC().Format(time.RFC3339)
}

// selector is where a marker lies: a time and a place by Media Fragments (4.2.1, 4.2.2), a
// page by RFC 3778.
func (s Sheet) selector(m Marker) *annoSelector {
	var parts []string
	if m.Timed {
		t := "t=" + npt(m.At)
		if m.Span() {
			t += "," + npt(m.Until)
		} else if s.counted() {
			t += "," + npt(s.Timeline.Rate.Begin(s.frame(m.At)+1)) // one frame long
		}
		parts = append(parts, t)
	}
	if m.Placed {
		share := func(v int) string { return strconv.FormatFloat(float64(v)/100, 'f', -1, 64) }
		parts = append(parts, "xywh=percent:"+share(m.X)+","+share(m.Y)+","+share(m.W)+","+share(m.H))
	}
	var at *annoSelector
	if len(parts) > 0 {
		at = &annoSelector{Type: "FragmentSelector", ConformsTo: mediaFragment, Value: strings.Join(parts, "&")}
	}
	if m.Page > 0 {
		return &annoSelector{Type: "FragmentSelector", ConformsTo: pdfFragment, Value: "page=" + strconv.Itoa(m.Page), RefinedBy: at}
	}
	return at
}

// npt is a moment in seconds (normal play time), without zeros at its end.
func npt(at timecode.Micros) string {
	return strconv.FormatFloat(float64(at)/1e6, 'f', -1, 64)
}

// readAnnotations reads a collection, a page of one, or a list, as it streams by: every
// object with a target below a list called items is taken for an annotation.
func readAnnotations(r io.Reader, c *collector) error {
	in := json.NewDecoder(bufio.NewReader(r))
	depth := 0
	listed := func() error {
		for in.More() {
			if err := c.next(); err != nil {
				return err
			}
			var a anno
			if err := in.Decode(&a); err != nil {
				return fmt.Errorf("%w as Web Annotation: %w", ErrFormat, err)
			}
			c.annotation(a)
		}
		return nil
	}
	found := false
	for {
		token, err := in.Token()
		if err == io.EOF && found {
			return nil
		}
		if err != nil {
			return fmt.Errorf("%w as Web Annotation: it holds no list of annotations", ErrFormat)
		}
		key, isKey := token.(string)
		if token == json.Delim('{') {
			depth++
		}
		if token == json.Delim('[') && depth == 0 || isKey && key == "items" {
			if isKey {
				if next, err := in.Token(); err != nil || next != json.Delim('[') {
					return fmt.Errorf("%w as Web Annotation: its items are no list", ErrFormat)
				}
			}
			found = true
			if err := listed(); err != nil {
				return err
			}
		}
	}
}

func (c *collector) annotation(a anno) {
	m := Marker{ID: strings.TrimPrefix(a.ID, idPrefix), Author: personName(a.Creator)}
	m.Created, _ = time.Parse(time.RFC3339, a.Created) // zero where it does not say
	m.Text, m.Done = bodyText(a)
	var to string
	if json.Unmarshal(a.Target, &to) == nil {
		if a.Motivation == "replying" || strings.HasPrefix(to, idPrefix) {
			c.answer(strings.TrimPrefix(to, idPrefix), m)
			return
		}
		_, fragment, _ := strings.Cut(to, "#") // the fragment may be in the address itself
		c.placed(m, &annoSelector{ConformsTo: mediaFragment, Value: fragment})
		return
	}
	var target annoTarget
	if err := json.Unmarshal(a.Target, &target); err != nil {
		c.problem("its target cannot be read")
		return
	}
	c.placed(m, target.Selector)
}

func (c *collector) placed(m Marker, at *annoSelector) {
	for ; at != nil; at = at.RefinedBy {
		for part := range strings.SplitSeq(at.Value, "&") {
			name, value, _ := strings.Cut(part, "=")
			var err error
			switch name {
			case "t":
				err = c.time(&m, value)
			case "xywh":
				err = m.place(value)
			case "page":
				m.Page, err = strconv.Atoi(value)
			}
			if err != nil {
				c.problem("its place cannot be read: %q", part)
				return
			}
		}
	}
	c.add(m)
}

// time reads t=from,to in seconds or as a clock (Media Fragments, 4.2.1).
func (c *collector) time(m *Marker, value string) error {
	from, to, _ := strings.Cut(strings.TrimPrefix(value, "npt:"), ",")
	var err error
	m.Timed = true
	if m.At, err = parseNPT(cmp.Or(from, "0")); err != nil {
		return err
	}
	m.Until = m.At
	if to == "" {
		return nil
	}
	if m.Until, err = parseNPT(to); err != nil {
		return err
	}
	// One frame long is a moment.
	if s := c.sheet; s.counted() && s.Timeline.Rate.NearestFrame(m.Until)-s.Timeline.Rate.NearestFrame(m.At) <= 1 &&
		m.Until-m.At <= s.Timeline.Rate.Begin(1)+1 {
		m.Until = m.At
	}
	return nil
}

func parseNPT(text string) (timecode.Micros, error) {
	parts := strings.Split(strings.TrimSuffix(text, "s"), ":")
	sum := 0.0
	for _, p := range parts {
		n, err := strconv.ParseFloat(p, 64)
		if err != nil || n < 0 || len(parts) > 3 {
			return 0, fmt.Errorf("%w: %q is no time", ErrFormat, text)
		}
		sum = sum*60 + n
	}
	if math.IsNaN(sum) || sum > 1e6 {
		return 0, fmt.Errorf("%w: %q is no time", ErrFormat, text)
	}
	return timecode.Micros(math.Round(sum * 1e6)), nil
}

func (m *Marker) place(value string) error {
	shares, ok := strings.CutPrefix(value, "percent:")
	fields := strings.Split(shares, ",")
	if !ok || len(fields) != 4 {
		return fmt.Errorf("%w: %q is no part of a picture in percent", ErrFormat, value)
	}
	m.Placed = true
	for i, to := range []*int{&m.X, &m.Y, &m.W, &m.H} {
		share, err := strconv.ParseFloat(fields[i], 64)
		if err != nil || share < 0 || share > 100 {
			return fmt.Errorf("%w: %q is no share", ErrFormat, fields[i])
		}
		*to = int(math.Round(share * 100))
	}
	return nil
}

func personName(raw json.RawMessage) string {
	var name string
	if json.Unmarshal(raw, &name) == nil {
		return name
	}
	var one annoPerson
	var many []annoPerson
	if json.Unmarshal(raw, &many) == nil && len(many) > 0 {
		return many[0].Name
	}
	_ = json.Unmarshal(raw, &one) // nobody, where it is none
	return one.Name
}

func bodyText(a anno) (text string, done bool) {
	var bodies []annoBody
	if json.Unmarshal(a.Body, &bodies) != nil {
		var one annoBody
		if json.Unmarshal(a.Body, &one) != nil {
			_ = json.Unmarshal(a.Body, &one.Value) // a plain string, or nothing
		}
		bodies = []annoBody{one}
	}
	text = a.BodyValue
	for _, b := range bodies {
		switch {
		case b.Purpose == purposeState:
			done = done || b.Value == doneTag
		case text == "":
			text = b.Value
		}
	}
	return strings.TrimSpace(text), done
}
