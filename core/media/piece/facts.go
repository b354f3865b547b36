package piece

import (
	"aftergust/core/time/timecode"
)

// Facts are what is known of a version's content, from reading it.
type Facts struct {
	LengthUS   int64             `json:"length_us,omitempty" doc:"microseconds"`
	Frames     int64             `json:"frames,omitempty" doc:"number of pictures in a film"`
	RateNum    int64             `json:"rate_num,omitempty" doc:"frames a second, numerator"`
	RateDen    int64             `json:"rate_den,omitempty" doc:"frames a second, denominator"`
	Drop       bool              `json:"drop,omitempty" doc:"whether timecode counts drop-frame"`
	Start      timecode.Timecode `json:"start,omitzero" doc:"timecode of the first frame"`
	StartLabel string            `json:"start_label,omitempty"`
	Variable   bool              `json:"variable,omitempty" doc:"whether the frame rate varies; timecode then follows the average"`
	Width      int               `json:"width,omitempty" doc:"pixels"`
	Height     int               `json:"height,omitempty" doc:"pixels"`
	Codec      string            `json:"codec,omitempty"`
	SoundCodec string            `json:"sound_codec,omitempty"`
	SampleRate int               `json:"sample_rate,omitempty" doc:"hertz"`
	Channels   int               `json:"channels,omitempty"`
	BitDepth   int               `json:"bit_depth,omitempty" doc:"bits of a sample of sound, or of one channel of a picture"`
	BitRate    int64             `json:"bit_rate,omitempty" doc:"bits a second, of everything in the file"`
	Colour     string            `json:"colour,omitempty" doc:"colour space, as the file says"`
	Measured   bool              `json:"measured,omitempty" doc:"whether loudness and true peak are known"`
	LUFS       float64           `json:"lufs,omitempty" doc:"integrated loudness, EBU R 128; -70 for silence"`
	PeakDBTP   float64           `json:"peak_dbtp,omitempty" doc:"true peak, ITU-R BS.1770; -144 for silence"`
	Layers     bool              `json:"layers,omitempty" doc:"whether the preview is a flattened picture of layers"`
	Family     string            `json:"family,omitempty" doc:"of a font, with its style"`
	Entries    int               `json:"entries,omitempty" doc:"files in an archive"`
	Unpacked   int64             `json:"unpacked,omitempty" doc:"bytes of an archive's files when unpacked"`
	Locked     bool              `json:"locked,omitempty" doc:"whether an archive holds entries that need a password"`
	Pages      int               `json:"pages,omitempty"`
	Peaks      []int             `json:"peaks,omitempty" doc:"loudest sample of each of up to 240 equal parts, 0 to 255"`
}

// Timeline is how a film's frames are labelled; its Rate is zero for anything else.
func (f Facts) Timeline() timecode.Timeline {
	rate := timecode.Rate{Num: f.RateNum, Den: f.RateDen, Drop: f.Drop}
	if rate.Validate() != nil {
		return timecode.Timeline{}
	}
	return timecode.Timeline{Rate: rate, Start: f.Start}
}
