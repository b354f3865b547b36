package timecode_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"strings"
	"testing"

	"aftergust/core/time/timecode"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

var tradeRates = []timecode.Rate{
	timecode.Rate23976, timecode.Rate24, timecode.Rate25, timecode.Rate2997, timecode.Rate2997DF, timecode.Rate30,
	timecode.Rate48, timecode.Rate50, timecode.Rate5994, timecode.Rate5994DF, timecode.Rate60,
}

// Values: SMPTE ST 12-1 drop-frame counting, from memory, not looked up.
func TestDropFrameCountsAsTheStandardSays(t *testing.T) {
	for _, c := range []struct {
		rate  timecode.Rate
		frame timecode.Frame
		label string
	}{
		{timecode.Rate2997DF, 0, "00:00:00;00"},
		{timecode.Rate2997DF, 1799, "00:00:59;29"},
		{timecode.Rate2997DF, 1800, "00:01:00;02"},
		{timecode.Rate2997DF, 17982, "00:10:00;00"},
		{timecode.Rate2997DF, 107892, "01:00:00;00"},
		{timecode.Rate5994DF, 35964, "00:10:00;00"},
		{timecode.Rate5994DF, 3600, "00:01:00;04"},
		{timecode.Rate2997, 1800, "00:01:00:00"},
		{timecode.Rate25, 25 * 3600, "01:00:00:00"},
	} {
		assert.Equal(t, c.label, c.rate.Format(c.rate.Timecode(c.frame)))
		parsed, err := c.rate.Parse(c.label)
		require.NoError(t, err)
		back, err := c.rate.Frame(parsed)
		require.NoError(t, err)
		assert.Equal(t, c.frame, back)
	}
	assert.EqualValues(t, 2_589_408, timecode.Rate2997DF.FramesPerDay())
}

// Source: SMPTE ST 12-1, from memory: an hour of 23.976 timecode lasts 3603.6 s.
func TestAnHourOf23976TimecodeLasts3603Point6Seconds(t *testing.T) {
	frame, err := timecode.Rate23976.Frame(timecode.Timecode{Hours: 1})
	require.NoError(t, err)
	num, den := timecode.Rate23976.Seconds(frame)
	assert.Equal(t, []int64{18018, 5}, []int64{num, den})
	assert.EqualValues(t, 3_603_600_000, timecode.Rate23976.Begin(frame))
}

func TestLabelsWrapAfterADay(t *testing.T) {
	for _, rate := range tradeRates {
		assert.Equal(t, timecode.Timecode{}, rate.Timecode(rate.FramesPerDay()))
		last := rate.Timecode(-1)
		assert.Equal(t, timecode.Timecode{Hours: 23, Minutes: 59, Seconds: 59, Frames: rate.Nominal() - 1}, last)
	}
	line := timecode.Timeline{Rate: timecode.Rate25, Start: timecode.Timecode{Hours: 23, Minutes: 59, Seconds: 59}}
	assert.Equal(t, "00:00:00:00", line.Label(25))
	frame, err := line.Find("00:00:01:00")
	require.NoError(t, err)
	assert.EqualValues(t, 50, frame)
}

func TestParseRefusesWhatNamesNoFrame(t *testing.T) {
	for text, want := range map[string]string{
		"00:01:00;00":         "label that drop-frame skips; the next is 00:01:00;02",
		"24:00:00;00":         "hours run from 0 to 23",
		"00:60:00;00":         "minutes run from 0 to 59, not 60",
		"00:00:60;00":         "seconds run from 0 to 59, not 60",
		"00:00:4294967296;00": "where a number belongs",
		"00:00:00;30":         "at 29.97 DF frames run from 0 to 29",
		"00:00:00":            "needs hours, minutes, seconds and frames",
		"00:00:00:00:00":      "needs hours",
		"00:00:-1:00":         "where a number belongs",
		"aa:00:00:00":         "where a number belongs",
		"::1:2:3:4":           "needs hours",
		"":                    "needs hours",
	} {
		_, err := timecode.Rate2997DF.Parse(text)
		require.ErrorIs(t, err, timecode.ErrTimecode, text)
		assert.ErrorContains(t, err, want)
	}
	_, err := timecode.Rate25.Parse("00:00:00;10")
	assert.ErrorContains(t, err, "written as drop-frame")
	for _, form := range []string{"01;02;03;04", "01:02:03.04", "01:02:03:04", " 01:02:03;04 "} {
		tc, err := timecode.Rate2997DF.Parse(form)
		require.NoError(t, err)
		assert.Equal(t, timecode.Timecode{Hours: 1, Minutes: 2, Seconds: 3, Frames: 4}, tc)
	}
}

func TestRatesAreReadInTheirCustomaryForms(t *testing.T) {
	for text, want := range map[string]timecode.Rate{
		"29.97 DF": timecode.Rate2997DF, "30000/1001": timecode.Rate2997, "25": timecode.Rate25, "50/2": timecode.Rate25,
		"59.94DF": timecode.Rate5994DF, "23.98": timecode.Rate23976, "120": {Num: 120, Den: 1}, "29.97 NDF": timecode.Rate2997,
	} {
		got, err := timecode.ParseRate(text)
		require.NoError(t, err, text)
		assert.Equal(t, want, got)
	}
	for _, text := range []string{"", "0", "-25", "25 DF", "0/0", "30/0", "fast", "2000", "24000/1001 DF"} {
		_, err := timecode.ParseRate(text)
		assert.ErrorIs(t, err, timecode.ErrRate, text)
	}
}

func TestEveryFrameComesBackFromItsLabelAndItsTime(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		rate := rapid.SampledFrom(tradeRates).Draw(t, "rate")
		frame := timecode.Frame(rapid.Int64Range(0, int64(rate.FramesPerDay())-1).Draw(t, "frame"))
		tc, err := rate.Parse(rate.Format(rate.Timecode(frame)))
		require.NoError(t, err)
		back, err := rate.Frame(tc)
		require.NoError(t, err)
		require.Equal(t, frame, back)
		require.Equal(t, frame, rate.FrameAt(rate.Begin(frame)))
		require.Equal(t, frame, rate.NearestFrame(rate.Begin(frame)))
		require.Equal(t, frame, rate.NearestFrame(rate.Begin(frame)-1), "a presentation time rounded down names the same frame")
		start := rate.Timecode(timecode.Frame(rapid.Int64Range(0, int64(rate.FramesPerDay())-1).Draw(t, "start")))
		line := timecode.Timeline{Rate: rate, Start: start}
		found, err := line.Find(line.Label(frame))
		require.NoError(t, err)
		require.Equal(t, frame, found)
	})
}

func TestNeighbouringFramesHaveNeighbouringLabels(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		rate := rapid.SampledFrom(tradeRates).Draw(t, "rate")
		frame := timecode.Frame(rapid.Int64Range(0, int64(rate.FramesPerDay())-2).Draw(t, "frame"))
		require.Less(t, rate.Format(rate.Timecode(frame)), rate.Format(rate.Timecode(frame+1)))
	})
}

// Source: npm package smpte-timecode, run in node; it serves here as an independent count.
func TestLabelsAgreeWithSMPTETimecodeFromNPM(t *testing.T) {
	if _, err := os.Stat("../../../ui/node_modules/smpte-timecode"); err != nil {
		t.Fatalf("run make setup first: %v", err)
	}
	type sample struct {
		Frame int64   `json:"f"`
		Rate  float64 `json:"r"`
		Drop  bool    `json:"d"`
		label string
	}
	decimal := map[timecode.Rate]float64{
		timecode.Rate23976: 23.976, timecode.Rate24: 24, timecode.Rate25: 25, timecode.Rate2997: 29.97, timecode.Rate2997DF: 29.97,
		timecode.Rate30: 30, timecode.Rate48: 48, timecode.Rate50: 50, timecode.Rate5994: 59.94, timecode.Rate5994DF: 59.94, timecode.Rate60: 60,
	}
	var samples []sample
	for rate, value := range decimal {
		for _, f := range []timecode.Frame{0, 1, 1799, 1800, 1801, 3599, 3600, 17981, 17982, 17983, 35963, 35964, 107892, 1234567,
			rate.FramesPerDay() - 1} {
			samples = append(samples, sample{int64(f), value, rate.Drop, rate.Format(rate.Timecode(f))})
		}
	}
	input, err := json.Marshal(samples)
	require.NoError(t, err)
	script := `const T=require('smpte-timecode');const s=JSON.parse(require('fs').readFileSync(0,'utf8'));
console.log(s.map(x=>new T(x.f,x.r,x.d).toString()).join('\n'))`
	cmd := exec.Command("node", "-e", script)
	cmd.Dir = "../../../ui"
	cmd.Stdin = bytes.NewReader(input)
	out, err := cmd.Output()
	require.NoError(t, err)
	lines := strings.Split(strings.TrimSpace(string(out)), "\n")
	require.Len(t, lines, len(samples))
	for i, s := range samples {
		assert.Equal(t, lines[i], s.label, fmt.Sprintf("frame %d at %v", s.Frame, s.Rate))
	}
}

// The display code of the browser is held to these same labels (ui/src/lib/timecode.test.ts).
func TestTheVectorsForTheBrowserAreCurrent(t *testing.T) {
	type vector struct {
		Num   int64  `json:"num"`
		Den   int64  `json:"den"`
		Drop  bool   `json:"drop"`
		Start string `json:"start"`
		Frame int64  `json:"frame"`
		Label string `json:"label"`
	}
	var vectors []vector
	for _, rate := range tradeRates {
		line := timecode.Timeline{Rate: rate, Start: timecode.Timecode{Hours: 9, Minutes: 58, Seconds: 30}}
		for _, f := range []timecode.Frame{0, 899, 900, 1799, 1800, 17982, 107892, rate.FramesPerDay() - 1} {
			vectors = append(vectors, vector{rate.Num, rate.Den, rate.Drop, rate.Format(line.Start), int64(f), line.Label(f)})
		}
	}
	want, err := json.MarshalIndent(vectors, "", "  ")
	require.NoError(t, err)
	const file = "testdata/vectors.json"
	if os.Getenv("UPDATE") != "" {
		require.NoError(t, os.MkdirAll("testdata", 0o755))
		require.NoError(t, os.WriteFile(file, append(want, '\n'), 0o644))
	}
	got, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.JSONEq(t, string(want), string(got), "run UPDATE=1 go test ./core/time/timecode")
}

func TestALabelIsNamedOnlyWithinItsFields(t *testing.T) {
	for _, last := range []timecode.Timecode{{Hours: 23}, {Minutes: 59}, {Seconds: 59}, {Frames: 24}, {}} {
		_, err := timecode.Rate25.Frame(last)
		require.NoError(t, err, last)
	}
	for _, beyond := range []timecode.Timecode{{Hours: 24}, {Minutes: 60}, {Seconds: 60}, {Frames: 25},
		{Hours: -1}, {Minutes: -1}, {Seconds: -1}, {Frames: -1}} {
		_, err := timecode.Rate25.Frame(beyond)
		require.ErrorIs(t, err, timecode.ErrTimecode, beyond)
	}
	broken := timecode.Timeline{Rate: timecode.Rate25, Start: timecode.Timecode{Hours: 24}}
	assert.Equal(t, "00:00:00:07", broken.Label(7), "a start that names no frame counts as none")
	_, err := broken.Find("00:00:00:07")
	assert.ErrorContains(t, err, "start of the piece")
}
