package markers

import (
	"bufio"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"aftergust/core/time/timecode"
)

// columns are those of the table. The first line names them; a table that comes in may
// have them in any order, and others besides.
var columns = []string{"id", "in", "out", "frame in", "frame out", "seconds", "page", "x", "y", "w", "h", "author", "note", "done", "written", "answers"}

// formulas are what begins a formula in a spreadsheet (OWASP, CSV injection; from memory), the
// full-width forms among them, which some turn into the others.
const formulas = "=+-@\t\r＝＋－＠"

// ByteOrder begins every CSV file that is written: without it common spreadsheets read UTF-8 as
// a legacy code page, and names with accents are spoilt (common practice).
const ByteOrder = "\ufeff"

// Plain keeps a text from being taken for a formula: an apostrophe goes before it, as
// spreadsheets write it themselves. One that begins with an apostrophe gets one too, so
// that it comes back as it was.
func Plain(text string) string {
	if begins(text) {
		return "'" + text
	}
	return text
}

func begins(text string) bool {
	first, _ := utf8.DecodeRuneInString(text)
	return text != "" && strings.ContainsRune(formulas+"'", first)
}

func unplain(text string) string {
	if rest, ok := strings.CutPrefix(text, "'"); ok && begins(rest) {
		return rest
	}
	return text
}

// writeCSV writes a table (RFC 4180), lines ended by CR LF.
func writeCSV(w io.Writer, s Sheet, markers []Marker) error {
	if _, err := io.WriteString(w, ByteOrder); err != nil {
		return err
	}
	out := csv.NewWriter(w)
	out.UseCRLF = true
	if err := out.Write(columns); err != nil {
		return err
	}
	for _, m := range markers {
		if err := out.Write(s.row(m)); err != nil {
			return err
		}
	}
	out.Flush()
	return out.Error()
}

func (s Sheet) row(m Marker) []string {
	row := map[string]string{"id": Plain(m.ID), "author": Plain(m.Author), "note": Plain(m.Text), "done": map[bool]string{true: "done"}[m.Done]}
	if m.Timed {
		row["seconds"] = seconds(m.At)
		if s.counted() {
			first, last := s.frames(m)
			row["in"], row["out"] = s.Timeline.Label(first), s.Timeline.Label(last)
			row["frame in"], row["frame out"] = strconv.FormatInt(int64(first), 10), strconv.FormatInt(int64(last), 10)
		} else {
			row["in"], row["out"] = clock(m.At), clock(m.Until)
		}
	}
	if m.Page > 0 {
		row["page"] = strconv.Itoa(m.Page)
	}
	if m.Placed {
		for name, v := range map[string]int{"x": m.X, "y": m.Y, "w": m.W, "h": m.H} {
			row[name] = strconv.FormatFloat(float64(v)/100, 'f', -1, 64)
		}
	}
	if !m.Created.IsZero() {
		row["written"] = m.Created.UTC().Format(time.RFC3339)
	}
	var answers []string
	for _, a := range m.Answers {
		answers = append(answers, a.Author+": "+a.Text)
	}
	row["answers"] = Plain(strings.Join(answers, "\n"))
	out := make([]string, len(columns))
	for i, name := range columns {
		out[i] = row[name]
	}
	return out
}

func seconds(at timecode.Micros) string {
	return strconv.FormatFloat(float64(at)/1e6, 'f', 6, 64)
}

// clock is a moment as HH:MM:SS.mmm.
func clock(at timecode.Micros) string {
	ms := int64(at) / 1000
	return fmt.Sprintf("%02d:%02d:%02d.%03d", ms/3_600_000, ms/60_000%60, ms/1000%60, ms%1000)
}

func readCSV(r io.Reader, c *collector) error {
	in := csv.NewReader(bufio.NewReader(r))
	in.FieldsPerRecord, in.ReuseRecord, in.LazyQuotes = -1, true, false
	head, err := in.Read()
	if err != nil {
		return fmt.Errorf("%w as a table: %w", ErrFormat, err)
	}
	at := map[string]int{}
	for i, name := range head {
		at[strings.ToLower(strings.TrimSpace(strings.TrimPrefix(name, "\ufeff")))] = i
	}
	if _, ok := at["note"]; !ok {
		return fmt.Errorf("%w: its first line names no column “note”", ErrFormat)
	}
	for {
		record, err := in.Read()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return fmt.Errorf("%w as a table: %w", ErrFormat, err)
		}
		if err := c.next(); err != nil {
			return err
		}
		c.row(func(name string) string {
			if i, ok := at[name]; ok && i < len(record) {
				return strings.TrimSpace(record[i])
			}
			return ""
		})
	}
}

func (c *collector) row(field func(string) string) {
	m := Marker{ID: unplain(field("id")), Author: unplain(field("author")), Text: unplain(field("note")), Done: field("done") != ""}
	m.Page, _ = strconv.Atoi(field("page"))                   // no page where it names none
	m.Created, _ = time.Parse(time.RFC3339, field("written")) // now, where it does not say
	if field("x") != "" {
		m.Placed = true
		for name, v := range map[string]*int{"x": &m.X, "y": &m.Y, "w": &m.W, "h": &m.H} {
			share, err := strconv.ParseFloat(field(name), 64)
			if field(name) != "" && (err != nil || share < 0 || share > 100) {
				c.problem("%s is no share of the picture: %q", name, field(name))
				return
			}
			*v = int(share*100 + 0.5)
		}
	}
	if err := c.when(&m, field); err != nil {
		c.problem("%v", err)
		return
	}
	c.add(m)
}

// when reads the time of a line: by frames, by timecode, by seconds, whatever is there.
func (c *collector) when(m *Marker, field func(string) string) error {
	s := c.sheet
	number := func(name string) (timecode.Frame, bool, error) {
		if field(name) == "" {
			return 0, false, nil
		}
		n, err := strconv.ParseInt(field(name), 10, 64)
		if err != nil || n < 0 {
			return 0, false, fmt.Errorf("%s is no number of a frame: %q", name, field(name))
		}
		return timecode.Frame(n), true, nil
	}
	label := func(name string) (timecode.Frame, bool, error) {
		if field(name) == "" {
			return 0, false, nil
		}
		f, err := s.Timeline.Find(field(name))
		return f, err == nil, err
	}
	if s.counted() {
		for _, by := range []struct {
			read     func(string) (timecode.Frame, bool, error)
			in, upTo string
		}{{number, "frame in", "frame out"}, {label, "in", "out"}} {
			first, ok, err := by.read(by.in)
			if err != nil {
				return err
			}
			if !ok {
				continue
			}
			last, ok, err := by.read(by.upTo)
			if err != nil || !ok {
				last = first
			}
			s.from(m, first, last)
			return err
		}
	}
	if text := field("seconds"); text != "" {
		sec, err := strconv.ParseFloat(text, 64)
		if err != nil || sec < 0 || sec > 1e6 {
			return fmt.Errorf("seconds are no time: %q", text)
		}
		m.Timed, m.At = true, timecode.Micros(sec*1e6+0.5)
		m.Until = m.At
		if out, ok := parseClock(field("out")); ok && !s.counted() {
			m.Until = out
		}
	}
	return nil
}

func parseClock(text string) (timecode.Micros, bool) {
	var h, m int64
	var sec float64
	if n, err := fmt.Sscanf(text, "%d:%d:%f", &h, &m, &sec); err != nil || n != 3 || h < 0 || m < 0 || sec < 0 {
		return 0, false
	}
	return timecode.Micros(h*3600_000_000+m*60_000_000) + timecode.Micros(sec*1e6+0.5), true
}

// cueText makes a text safe within a cue (WebVTT, section 3.4): no markup, no line that
// could end it or be taken for its times.
var cueText = strings.NewReplacer("&", "&amp;", "<", "&lt;", ">", "&gt;", "\r\n", "\n", "\r", "\n", "\x00", "\ufffd")

// leastCue is how long a moment stays on screen, in microseconds.
const leastCue = 2_000_000

// writeVTT writes cues, each with the voice of its author, in the order of their time, as
// the format asks for.
func writeVTT(w io.Writer, s Sheet, markers []Marker) error {
	out := bufio.NewWriter(w)
	fmt.Fprintf(out, "WEBVTT %s\n", oneLine(cueText.Replace(s.Name)))
	n := 0
	for _, m := range byTime(markers) {
		n++
		until := m.Until
		if s.counted() && m.Span() {
			_, last := s.frames(m)
			until = s.Timeline.Rate.Begin(last + 1) // the last frame belongs to it
		}
		fmt.Fprintf(out, "\n%d\n%s --> %s\n", n, clock(m.At), clock(max(until, m.At+leastCue)))
		fmt.Fprintf(out, "<v %s>%s\n", voice(m.Author), paragraph(m.Text))
		for _, a := range m.Answers {
			fmt.Fprintf(out, "<v %s>%s\n", voice(a.Author), paragraph(a.Text))
		}
	}
	return out.Flush()
}

func voice(name string) string { return oneLine(cueText.Replace(name)) }

// paragraph is a text without empty lines, which would end its cue.
func paragraph(text string) string {
	var lines []string
	for line := range strings.SplitSeq(cueText.Replace(text), "\n") {
		if line = strings.TrimRight(line, " \t"); line != "" {
			lines = append(lines, line)
		}
	}
	return strings.Join(lines, "\n")
}

func oneLine(text string) string { return strings.Join(strings.Fields(text), " ") }

// writeEDL writes one event for each marker, with its words as comments (CMX 3600; common
// practice). Every line is one of the file, whatever a note says.
func writeEDL(w io.Writer, s Sheet, markers []Marker) error {
	if !s.counted() {
		return fmt.Errorf("%w: an EDL counts frames, and this piece has none", ErrFormat)
	}
	out := bufio.NewWriter(w)
	count := "NON-DROP FRAME"
	if s.Timeline.Rate.Drop {
		count = "DROP FRAME"
	}
	fmt.Fprintf(out, "TITLE: %s\r\nFCM: %s\r\n", ascii(oneLine(s.Name)), count)
	for i, m := range byTime(markers) {
		first, last := s.frames(m)
		in, upTo := s.Timeline.Label(first), s.Timeline.Label(last+1)
		fmt.Fprintf(out, "\r\n%03d  AX       V     C        %s %s %s %s\r\n", i+1, in, upTo, in, upTo)
		fmt.Fprintf(out, "* FROM CLIP NAME: %s\r\n", ascii(oneLine(s.Name)))
		comment(out, m.Author, m.Text, m.Done)
		for _, a := range m.Answers {
			comment(out, a.Author, a.Text, false)
		}
	}
	return out.Flush()
}

// longestComment is how many characters a line of comment has; more go on in the next.
const longestComment = 200

func comment(out io.Writer, author, text string, done bool) {
	words := ascii(oneLine(author + ": " + text))
	if done {
		words += " (done)"
	}
	for len(words) > longestComment {
		cut := strings.LastIndexByte(words[:longestComment], ' ')
		if cut <= 0 {
			cut = longestComment
		}
		fmt.Fprintf(out, "* COMMENT: %s\r\n", words[:cut]) // Flush tells what went wrong
		words = strings.TrimSpace(words[cut:])
	}
	fmt.Fprintf(out, "* COMMENT: %s\r\n", words)
}

// ascii writes letters with marks without them and everything else that is not ASCII as a
// question mark: readers of EDLs know no other characters (common practice).
func ascii(text string) string {
	return strings.Map(func(r rune) rune {
		if r < 0x20 || r > 0x7e {
			if base, ok := bases[r]; ok {
				return base
			}
			return '?'
		}
		return r
	}, folds.Replace(text))
}

var folds = strings.NewReplacer("ß", "ss", "æ", "ae", "Æ", "AE", "œ", "oe", "Œ", "OE", "…", "...", "–", "-", "—", "-", "’", "'", "‘", "'",
	"“", "\"", "”", "\"")

var bases = func() map[rune]rune {
	out := map[rune]rune{}
	for base, marked := range map[rune]string{'a': "àáâãäåāă", 'e': "èéêëēě", 'i': "ìíîïī", 'o': "òóôõöøō", 'u': "ùúûüūů", 'c': "çćč",
		'n': "ñńň", 'y': "ýÿŷ", 's': "śšş", 'z': "źžż", 'w': "ŵ", 'l': "ł", 'd': "ďđ", 't': "ťţ", 'r': "řŕ", 'A': "ÀÁÂÃÄÅĀ", 'E': "ÈÉÊËĒ",
		'I': "ÌÍÎÏĪ", 'O': "ÒÓÔÕÖØŌ", 'U': "ÙÚÛÜŪ", 'C': "ÇĆČ", 'N': "ÑŃŇ", 'S': "ŚŠŞ", 'Z': "ŹŽŻ", 'L': "Ł", 'Y': "ÝŸŶ", 'W': "Ŵ"} {
		for _, r := range marked {
			out[r] = base
		}
	}
	return out
}()
