package timecode

import (
	"errors"
	"fmt"
	"strconv"
	"strings"
)

// A Timecode is one label HH:MM:SS:FF. Which frame it names depends on a Rate.
type Timecode struct {
	Hours, Minutes, Seconds, Frames int64
}

// ErrTimecode is returned for text or labels that name no frame.
var ErrTimecode = errors.New("not a timecode")

const (
	minutesPerDay  = 24 * 60
	dropFreeMinute = 10 // each tenth minute drops no label
)

// dropped is how many labels each dropping minute skips: 2 at 29.97, 4 at 59.94.
func (r Rate) dropped() int64 {
	if !r.Drop {
		return 0
	}
	return r.Nominal() / 15
}

// FramesPerDay is the number of frames that 24 hours of timecode label.
func (r Rate) FramesPerDay() Frame {
	return Frame(minutesPerDay*60*r.Nominal() - r.dropped()*(minutesPerDay-minutesPerDay/dropFreeMinute))
}

// Timecode is the label of frame f. Labels wrap after 24 hours, in both directions.
func (r Rate) Timecode(f Frame) Timecode {
	day := r.FramesPerDay()
	n := int64((f%day + day) % day)
	if drop := r.dropped(); drop > 0 {
		// Put back the labels that were skipped before frame n.
		perMinute := 60*r.Nominal() - drop
		perTen := dropFreeMinute*60*r.Nominal() - (dropFreeMinute-1)*drop
		tens, rest := n/perTen, n%perTen
		n += tens * (dropFreeMinute - 1) * drop
		if rest >= 60*r.Nominal() {
			n += drop * (1 + (rest-60*r.Nominal())/perMinute)
		}
	}
	nominal := r.Nominal()
	return Timecode{
		Hours:   n / (3600 * nominal),
		Minutes: n / (60 * nominal) % 60,
		Seconds: n / nominal % 60,
		Frames:  n % nominal,
	}
}

// Frame is the frame that tc labels, counted from 00:00:00:00. It returns
// ErrTimecode where a field is out of range or the label is one that
// drop-frame counting skips.
func (r Rate) Frame(tc Timecode) (Frame, error) {
	nominal := r.Nominal()
	switch {
	case tc.Hours < 0 || tc.Hours > 23:
		return 0, fmt.Errorf("%w: hours run from 0 to 23, not %d", ErrTimecode, tc.Hours)
	case tc.Minutes < 0 || tc.Minutes > 59:
		return 0, fmt.Errorf("%w: minutes run from 0 to 59, not %d", ErrTimecode, tc.Minutes)
	case tc.Seconds < 0 || tc.Seconds > 59:
		return 0, fmt.Errorf("%w: seconds run from 0 to 59, not %d", ErrTimecode, tc.Seconds)
	case tc.Frames < 0 || tc.Frames >= nominal:
		return 0, fmt.Errorf("%w: at %s frames run from 0 to %d, not %d", ErrTimecode, r, nominal-1, tc.Frames)
	}
	minutes := tc.Hours*60 + tc.Minutes
	if drop := r.dropped(); drop > 0 && tc.Seconds == 0 && tc.Frames < drop && tc.Minutes%dropFreeMinute != 0 {
		return 0, fmt.Errorf("%w: %s is a label that drop-frame skips; the next is %s",
			ErrTimecode, r.Format(tc), r.Format(Timecode{tc.Hours, tc.Minutes, 0, drop}))
	}
	labels := (minutes*60+tc.Seconds)*nominal + tc.Frames
	return Frame(labels - r.dropped()*(minutes-minutes/dropFreeMinute)), nil
}

// Format writes tc as HH:MM:SS:FF, with a semicolon before the frames where
// the rate counts drop-frame (common practice), and as many digits for the
// frames as the rate needs, at least two.
func (r Rate) Format(tc Timecode) string {
	sep := ":"
	if r.Drop {
		sep = ";"
	}
	width := max(2, len(strconv.FormatInt(r.Nominal()-1, 10)))
	return fmt.Sprintf("%02d:%02d:%02d%s%0*d", tc.Hours, tc.Minutes, tc.Seconds, sep, width, tc.Frames)
}

// Parse reads HH:MM:SS:FF. The fields may be parted by colons, semicolons or
// full stops. A semicolon before the frames says drop-frame and is refused at
// a rate that does not drop; a colon there is taken at either.
func (r Rate) Parse(s string) (Timecode, error) {
	text := strings.TrimSpace(s)
	fields := strings.FieldsFunc(text, func(c rune) bool { return c == ':' || c == ';' || c == '.' })
	separators := strings.Count(text, ":") + strings.Count(text, ";") + strings.Count(text, ".")
	if len(fields) != 4 || separators != 3 {
		return Timecode{}, fmt.Errorf("%w: %q needs hours, minutes, seconds and frames, such as %s",
			ErrTimecode, s, r.Format(Timecode{1, 2, 3, 4}))
	}
	if strings.Contains(text, ";") && !r.Drop {
		return Timecode{}, fmt.Errorf("%w: %q is written as drop-frame, but the piece runs at %s without it", ErrTimecode, s, r)
	}
	var n [4]int64
	for i, field := range fields {
		value, err := strconv.ParseUint(field, 10, 31)
		if err != nil || field[0] == '+' {
			return Timecode{}, fmt.Errorf("%w: %q has %q where a number belongs", ErrTimecode, s, field)
		}
		n[i] = int64(value)
	}
	tc := Timecode{n[0], n[1], n[2], n[3]}
	_, err := r.Frame(tc)
	return tc, err
}

// A Timeline is how one piece is counted: its rate and the label of its first frame.
type Timeline struct {
	Rate  Rate
	Start Timecode
}

// Label is the formatted timecode of the piece's frame f.
func (l Timeline) Label(f Frame) string {
	start, err := l.Rate.Frame(l.Start)
	if err != nil {
		start = 0
	}
	return l.Rate.Format(l.Rate.Timecode(start + f))
}

// Find is the piece's frame that bears the label s. A label earlier than the
// start is taken to lie after midnight.
func (l Timeline) Find(s string) (Frame, error) {
	tc, err := l.Rate.Parse(s)
	if err != nil {
		return 0, err
	}
	at, err := l.Rate.Frame(tc)
	if err != nil {
		return 0, err
	}
	start, err := l.Rate.Frame(l.Start)
	if err != nil {
		return 0, fmt.Errorf("start of the piece: %w", err)
	}
	day := l.Rate.FramesPerDay()
	return (at - start + day) % day, nil
}
