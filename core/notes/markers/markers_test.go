package markers_test

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	. "aftergust/core/notes/markers"
	"aftergust/core/time/timecode"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func sheet(rate timecode.Rate, start timecode.Timecode, frames timecode.Frame) Sheet {
	return Sheet{Title: "Lifeboat", Name: "Lifeboat, cut 3.mov", Address: "http://studio.example/items/i1",
		Timeline: timecode.Timeline{Rate: rate, Start: start}, Frames: frames, Length: rate.Begin(frames)}
}

var (
	film  = sheet(timecode.Rate2997DF, timecode.Timecode{Minutes: 59, Seconds: 55}, 4000)
	sound = Sheet{Name: "guide.wav", Address: "http://studio.example/items/i2", Length: 90_000_000}
	paper = Sheet{Name: "credits.pdf", Address: "http://studio.example/items/i3"}
	when  = time.Date(2026, 11, 24, 9, 41, 0, 0, time.UTC)
)

func moment(s Sheet, id, text string, frame timecode.Frame) Marker {
	at := s.Timeline.Rate.Begin(frame)
	return Marker{ID: id, Author: "Hanne Orrick", Text: text, Created: when, Timed: true, At: at, Until: at}
}

func write(t require.TestingT, f Format, s Sheet, markers ...Marker) string {
	var out bytes.Buffer
	require.NoError(t, Write(&out, f, s, markers))
	return out.String()
}

func read(t require.TestingT, f Format, s Sheet, text string) ([]Marker, []Problem) {
	markers, problems, err := Read(strings.NewReader(text), f, s)
	require.NoError(t, err)
	return markers, problems
}

// nasty are texts that mean something in one format or another.
var nasty = []string{"=HYPERLINK(\"http://x\")", "+1", "-2", "@SUM(A1)", "'quoted", "''", "a,b;\"c\"", "two\nlines\n\nthree", "<script>alert(1)</script>",
	"a --> b", "&amp; <v Mallory>", "00:00:01.000 --> 00:00:02.000", "001  AX       V     C", "NOTE x", "\u2028 strange", "Ünïcödé 🎬", "]}},{", "\x00nul"}

// All that goes out and comes in is what it was.
func TestWhatGoesOutComesBackAsItWas(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		rate := rapid.SampledFrom([]timecode.Rate{timecode.Rate23976, timecode.Rate25, timecode.Rate2997DF, timecode.Rate50, timecode.Rate5994DF}).Draw(t, "rate")
		s := sheet(rate, timecode.Timecode{Hours: rapid.Int64Range(0, 23).Draw(t, "hour"), Minutes: 59, Seconds: 58}, 20_000)
		f := rapid.SampledFrom([]Format{Annotation, CSV, OTIO}).Draw(t, "format")
		var markers []Marker
		for i := range rapid.IntRange(0, 12).Draw(t, "n") {
			m := moment(s, fmt.Sprintf("n%d", i), "", timecode.Frame(rapid.Int64Range(0, 19_999).Draw(t, "frame")))
			m.Text = strings.TrimSpace(rapid.OneOf(rapid.SampledFrom(nasty), rapid.StringMatching(`[a-zé =+@'"<>&,;-]{1,30}`)).Draw(t, "text"))
			if m.Text == "" || strings.Contains(m.Text, "\x00") && f == CSV {
				m.Text = "x"
			}
			m.Done = rapid.Bool().Draw(t, "done")
			if rapid.Bool().Draw(t, "span") {
				m.Until = rate.Begin(min(19_999, rate.NearestFrame(m.At)+timecode.Frame(rapid.Int64Range(2, 500).Draw(t, "long"))))
			}
			if rapid.Bool().Draw(t, "placed") {
				m.Placed, m.X, m.Y = true, rapid.IntRange(0, 10_000).Draw(t, "x"), rapid.IntRange(0, 10_000).Draw(t, "y")
			}
			markers = append(markers, m)
		}
		back, problems := read(t, f, s, write(t, f, s, markers...))
		require.Empty(t, problems)
		if f == OTIO { // in the order of time
			byID := map[string]Marker{}
			for _, m := range back {
				byID[m.ID] = m
			}
			back = nil
			for _, m := range markers {
				back = append(back, byID[m.ID])
			}
		}
		require.Equal(t, len(markers), len(back))
		for i := range markers {
			require.Equal(t, markers[i], back[i])
		}
	})
}

func TestAnswersAndPagesGoAlong(t *testing.T) {
	note := moment(film, "n1", "Mirror it.", 152)
	note.Answers = []Marker{{Author: "Marit", Text: "Done in cut 4.", Created: when}}
	for _, f := range []Format{Annotation, OTIO} {
		back, problems := read(t, f, film, write(t, f, film, note))
		assert.Empty(t, problems, f)
		assert.Equal(t, []Marker{note}, back, f)
	}
	onPage := Marker{ID: "p", Author: "Hanne", Text: "Spelt wrong.", Created: when, Page: 3, Placed: true, X: 1250, Y: 5000, W: 100, H: 200}
	for _, f := range []Format{Annotation, CSV} {
		back, problems := read(t, f, paper, write(t, f, paper, onPage))
		assert.Empty(t, problems, f)
		assert.Equal(t, []Marker{onPage}, back, f)
	}
	spoken := Marker{ID: "s", Author: "Hanne", Text: "Slower.", Created: when, Timed: true, At: 22_000_000, Until: 24_500_000}
	for _, f := range []Format{Annotation, CSV, OTIO} {
		back, problems := read(t, f, sound, write(t, f, sound, spoken))
		assert.Empty(t, problems, f)
		assert.Equal(t, []Marker{spoken}, back, f)
	}
}

// Source: W3C Web Annotation Data Model, examples 4 and 20 and 21, and Media Fragments 1.0, 4.2 (from memory, not looked up).
func TestAnnotationsOfOthersAreRead(t *testing.T) {
	text := `{"@context":"http://www.w3.org/ns/anno.jsonld","type":"AnnotationPage","items":[
	{"id":"http://example.org/anno1","type":"Annotation","bodyValue":"as a plain value","target":"http://example.org/film.mp4#t=10.01,12"},
	{"id":"http://example.org/anno2","type":"Annotation","creator":{"type":"Person","name":"My Pseudonym"},
	 "body":{"type":"TextualBody","value":"with a body","format":"text/plain"},
	 "target":{"source":"http://example.org/film.mp4","selector":{"type":"FragmentSelector","conformsTo":"http://www.w3.org/TR/media-frags/","value":"t=npt:0:00:30&xywh=percent:25,25,50,50"}}},
	{"id":"http://example.org/anno3","type":"Annotation","body":"http://example.org/a-page","creator":"Somebody","target":{"source":"x","selector":{"type":"FragmentSelector","value":"xywh=50,50,640,480"}}},
	{"id":"http://example.org/anno4","type":"Annotation","bodyValue":"far behind the end","target":"http://example.org/film.mp4#t=9999"}]}`
	back, problems := read(t, Annotation, film, text)
	require.Len(t, back, 2)
	assert.Equal(t, []any{"as a plain value", timecode.Micros(10_010_000), timecode.Micros(12_000_000)}, []any{back[0].Text, back[0].At, back[0].Until})
	assert.Equal(t, []any{"My Pseudonym", timecode.Micros(30_000_000), 2500, 5000}, []any{back[1].Author, back[1].At, back[1].X, back[1].W})
	assert.Equal(t, []Problem{{3, `its place cannot be read: "xywh=50,50,640,480"`}, {4, "lies behind the end of the piece"}}, problems)
	for _, broken := range []string{"", "null", "{}", `{"items":3}`, `{"items":[1]}`, `{"items":[{"target":`, "WEBVTT"} {
		_, _, err := Read(strings.NewReader(broken), Annotation, film)
		assert.ErrorIs(t, err, ErrFormat, broken)
	}
}

// Source: W3C Web Annotation Data Model: the members that each annotation has, and Media Fragments 4.2.1: npt in seconds.
func TestAnAnnotationHasItsForm(t *testing.T) {
	var out struct {
		Context string `json:"@context"`
		Type    string
		Total   int
		First   struct {
			Type  string
			Items []struct {
				ID, Type, Motivation, Created string
				Creator                       struct{ Type, Name string }
				Target                        struct {
					Source   string
					Selector struct{ Type, ConformsTo, Value string }
				}
			}
		}
	}
	require.NoError(t, json.Unmarshal([]byte(write(t, Annotation, film, moment(film, "n1", "Mirror it.", 150))), &out))
	assert.Equal(t, []any{"http://www.w3.org/ns/anno.jsonld", "AnnotationCollection", 1, "AnnotationPage"}, []any{out.Context, out.Type, out.Total, out.First.Type})
	one := out.First.Items[0]
	assert.Equal(t, []string{"Annotation", "commenting", "2026-11-24T09:41:00Z", "Person", "Hanne Orrick", "http://studio.example/items/i1", "FragmentSelector",
		"http://www.w3.org/TR/media-frags/", "t=5.005,5.038367"},
		[]string{one.Type, one.Motivation, one.Created, one.Creator.Type, one.Creator.Name, one.Target.Source, one.Target.Selector.Type,
			one.Target.Selector.ConformsTo, one.Target.Selector.Value})
}

// Reference program: Python's csv module, an implementation of RFC 4180 of its own. Source for what is no formula: OWASP,
// CSV injection (from memory).
func TestATableIsReadByAnotherReaderAndHoldsNoFormula(t *testing.T) {
	var markers []Marker
	for i, text := range nasty {
		if strings.Contains(text, "\x00") {
			continue
		}
		markers = append(markers, moment(film, fmt.Sprintf("n%d", i), text, timecode.Frame(i)))
	}
	text := write(t, CSV, film, markers...)
	assert.True(t, strings.HasPrefix(text, ByteOrder+"id,in,out,frame in,frame out,seconds,page,x,y,w,h,author,note,done,written,answers\r\n"))
	file := filepath.Join(t.TempDir(), "notes.csv")
	require.NoError(t, os.WriteFile(file, []byte(text), 0o600))
	out, err := exec.Command("python3", "-c", `import csv,json,sys;print(json.dumps(list(csv.DictReader(open(sys.argv[1],newline='',encoding='utf-8-sig'),strict=True))))`, file).Output()
	require.NoError(t, err)
	var rows []map[string]string
	require.NoError(t, json.Unmarshal(out, &rows))
	require.Len(t, rows, len(markers))
	for _, formula := range []string{"=1+1", "＝1+1", "＋1", "－1", "＠SUM(1)", "\t=1"} {
		assert.Equal(t, "'"+formula, Plain(formula))
	}
	for i, row := range rows {
		assert.NotContains(t, "=+-@", row["note"][:1])
		assert.Equal(t, markers[i].Text, strings.TrimPrefix(strings.ReplaceAll(row["note"], "\r\n", "\n"), map[bool]string{true: "'"}[strings.ContainsAny(markers[i].Text[:1], "=+-@'")]))
	}
	assert.Equal(t, "00:59:55;00", rows[0]["in"])
}

func TestATableOfSomebodyElseIsReadByTheColumnsThatItHas(t *testing.T) {
	text := "\ufeffNote,IN,extra\r\nLouder,00:59:57;03,x\r\nWrong label,01:01:00;00,\r\nBehind,05:00:00;00,\r\n,00:59:57;03,says nothing\r\nNo time,,\r\n"
	back, problems := read(t, CSV, film, text)
	require.Len(t, back, 2)
	assert.Equal(t, timecode.Rate2997DF.Begin(63), back[0].At)
	assert.False(t, back[1].Timed)
	said := []string{}
	for _, p := range problems {
		said = append(said, fmt.Sprint(p.Entry, " ", p.Say))
	}
	require.Len(t, said, 3)
	assert.Contains(t, said[1], "3 lies behind the end")
	assert.Contains(t, said[2], "4 says nothing")
	back, problems = read(t, CSV, film, "id,note,frame in\r\na,one,5\r\na,two,6\r\nb,three,minus\r\nc,four,99999999\r\n")
	assert.Len(t, back, 1)
	assert.Equal(t, []Problem{{2, "has the id of entry 1; the first one counts"}, {3, `frame in is no number of a frame: "minus"`},
		{4, "lies behind the end of the piece"}}, problems)
	for _, broken := range []string{"", "a,b\r\n1,2\r\n", "note\r\n\"open"} {
		_, _, err := Read(strings.NewReader(broken), CSV, film)
		assert.ErrorIs(t, err, ErrFormat, broken)
	}
}

func TestFiftyThousandLinesComeInAndMoreThanTwiceThatDoNot(t *testing.T) {
	lines := func(n int) string { return "note,frame in\r\n" + strings.Repeat("Again,7\r\n", n) }
	back, _ := read(t, CSV, film, lines(50_000))
	assert.Len(t, back, 50_000)
	_, _, err := Read(strings.NewReader(lines(100_001)), CSV, film)
	assert.ErrorContains(t, err, "more than 100000 entries")
}

// Reference program: webvtt-py of Debian. Source: WebVTT, section 3.4: no cue text holds an arrow or an empty line.
func TestSubtitlesAreReadByAnotherReader(t *testing.T) {
	var markers []Marker
	for i, text := range nasty {
		markers = append(markers, moment(film, fmt.Sprintf("n%d", i), text, timecode.Frame(len(nasty)-i)*30))
	}
	span := moment(film, "span", "All of it.", 900)
	span.Until = film.Timeline.Rate.Begin(1199)
	span.Answers = []Marker{{Author: "Marit <studio>", Text: "Yes."}}
	text := write(t, WebVTT, film, append(markers, span, Marker{Text: "at no time"})...)
	file := filepath.Join(t.TempDir(), "notes.vtt")
	require.NoError(t, os.WriteFile(file, []byte(text), 0o600))
	out, err := exec.Command("/usr/bin/python3", "-c", `import webvtt,json,sys;print(json.dumps([[c.start,c.end,c.raw_text] for c in webvtt.read(sys.argv[1])]))`, file).Output()
	require.NoError(t, err, text)
	var cues [][3]string
	require.NoError(t, json.Unmarshal(out, &cues))
	require.Len(t, cues, len(nasty)+1)
	last := cues[len(cues)-1]
	assert.Equal(t, [3]string{"00:00:30.030", "00:00:40.040", "<v Hanne Orrick>All of it.\n<v Marit &lt;studio&gt;>Yes."}, last)
	for _, c := range cues {
		assert.NotContains(t, c[2], "-->")
		assert.NotContains(t, c[2], "\n\n")
		assert.NotContains(t, c[2], "<script")
	}
}

// Source: CMX 3600 event lines and FCM, common practice.
func TestAnEDLHasOneEventForEachMarkerAndNothingElse(t *testing.T) {
	var markers []Marker
	for i, text := range nasty {
		markers = append(markers, moment(film, fmt.Sprintf("n%d", i), text, timecode.Frame(140+i)))
	}
	long := moment(film, "long", strings.Repeat("very long ", 60), 400)
	text := write(t, EDL, film, append(markers, long)...)
	lines := strings.Split(strings.TrimSuffix(text, "\r\n"), "\r\n")
	assert.Equal(t, []string{"TITLE: Lifeboat, cut 3.mov", "FCM: DROP FRAME"}, lines[:2])
	event := regexp.MustCompile(`^(\d{3})  AX       V     C        (\d\d:\d\d:\d\d;\d\d) (\d\d:\d\d:\d\d;\d\d) (\d\d:\d\d:\d\d;\d\d) (\d\d:\d\d:\d\d;\d\d)$`)
	events := 0
	for _, line := range lines[2:] {
		assert.LessOrEqual(t, len(line), 220)
		if m := event.FindStringSubmatch(line); m != nil {
			events++
			assert.Equal(t, fmt.Sprintf("%03d", events), m[1])
		} else if line != "" {
			assert.Regexp(t, `^\* (FROM CLIP NAME|COMMENT): [ -~]*$`, line)
		}
	}
	assert.Equal(t, len(nasty)+1, events)
	assert.Contains(t, text, "01:00:00;00", "frame 150 after 00:59:55;00 at 29.97 DF; SMPTE ST 12-1, from memory: a tenth minute drops no label")
	assert.Contains(t, text, "Unicode ?")
	assert.ErrorIs(t, Write(&bytes.Buffer{}, EDL, sound, nil), ErrFormat)
}

// Source: OpenTimelineIO serialized schema (from memory): a clip with an external reference, markers in the time of its media.
func TestMarkersOfAnotherRateAreTakenByTheirTime(t *testing.T) {
	text := `{"OTIO_SCHEMA":"Timeline.1","tracks":{"OTIO_SCHEMA":"Stack.1","children":[{"OTIO_SCHEMA":"Track.1","children":[{"OTIO_SCHEMA":"Clip.2","markers":[
	{"OTIO_SCHEMA":"Marker.2","name":"Flag","comment":"","marked_range":{"start_time":{"rate":24,"value":86520},"duration":{"rate":24,"value":0}},"metadata":{"other":{"x":1}}},
	{"OTIO_SCHEMA":"Marker.2","name":"Before it all","marked_range":{"start_time":{"rate":24,"value":10},"duration":{"rate":24,"value":1}}},
	{"OTIO_SCHEMA":"Marker.2","name":"No rate","marked_range":{"start_time":{"rate":0,"value":10},"duration":{"rate":24,"value":1}}}],
	"media_reference":{"OTIO_SCHEMA":"ExternalReference.1","available_range":{"start_time":{"rate":24,"value":86400},"duration":{"rate":24,"value":2400}}}}]}]}}`
	s := sheet(timecode.Rate25, timecode.Timecode{Hours: 10}, 2500)
	back, problems := read(t, OTIO, s, text)
	require.Len(t, back, 1)
	assert.Equal(t, []any{"Flag", timecode.Micros(5_000_000), timecode.Micros(5_000_000)}, []any{back[0].Text, back[0].At, back[0].Until})
	assert.Equal(t, []Problem{{2, "lies outside of the piece"}, {3, "its time cannot be read"}}, problems)
	for _, broken := range []string{"", "{}", "[]", `{"tracks":{}}`, "WEBVTT"} {
		_, _, err := Read(strings.NewReader(broken), OTIO, s)
		assert.ErrorIs(t, err, ErrFormat, broken)
	}
}

func TestWhatIsWrittenStreams(t *testing.T) {
	markers := make([]Marker, 20_000)
	for i := range markers {
		markers[i] = moment(film, fmt.Sprint(i), "Again and again.", timecode.Frame(i%4000))
	}
	for _, f := range Formats.Names() {
		counted := &counter{}
		require.NoError(t, Write(counted, f, film, markers))
		assert.Greater(t, counted.writes, 10, "%s comes in pieces", f)
		assert.Less(t, counted.most, 64<<10, f)
		assert.ErrorIs(t, Write(&counter{full: true}, f, film, markers), os.ErrClosed, f)
	}
}

type counter struct {
	writes, most int
	full         bool
}

func (c *counter) Write(p []byte) (int, error) {
	c.writes++
	c.most = max(c.most, len(p))
	if c.full {
		return 0, os.ErrClosed
	}
	return len(p), nil
}

func FuzzReadNeverFailsBadly(f *testing.F) {
	f.Add(`{"items":[{"id":"a","target":"x#t=1"}]}`)
	f.Add("note,in\r\nx,00:00:00;00")
	f.Fuzz(func(t *testing.T, text string) {
		for _, format := range []Format{Annotation, CSV, OTIO} {
			markers, _, err := Read(strings.NewReader(text), format, film)
			if err != nil {
				require.ErrorIs(t, err, ErrFormat)
				continue
			}
			for _, m := range markers {
				require.NotEmpty(t, m.Text)
				require.GreaterOrEqual(t, m.Until, m.At)
				require.LessOrEqual(t, m.Until, film.Length)
			}
			_ = csv.ErrQuote
		}
	})
}
