package media

import (
	"context"
	"encoding/json"
	"fmt"
	"math/big"
	"slices"
	"strconv"
	"strings"
	"time"

	"aftergust/core/media/piece"
	"aftergust/core/time/timecode"
)

// Demuxers that may be tried on a file from outside. Playlists, which could
// name other files of this machine, are not among them.
const demuxers = "mov,mp4,m4a,3gp,3g2,mj2,matroska,webm,avi,mpegts,mpeg,mpegvideo,mxf,gxf,asf,flv,wav,w64,aiff,flac,mp3,aac,ogg,caf,gif,image2,png_pipe,jpeg_pipe,webp_pipe"

var readSafely = []string{"-protocol_whitelist", "file,pipe", "-format_whitelist", demuxers}

type probed struct {
	Streams []struct {
		Type        string            `json:"codec_type"`
		Codec       string            `json:"codec_name"`
		Width       int               `json:"width"`
		Height      int               `json:"height"`
		Rate        string            `json:"r_frame_rate"`
		Average     string            `json:"avg_frame_rate"`
		Frames      string            `json:"nb_frames"`
		Packets     string            `json:"nb_read_packets"`
		Duration    string            `json:"duration"`
		SampleRate  string            `json:"sample_rate"`
		Channels    int               `json:"channels"`
		Bits        int               `json:"bits_per_sample"`
		RawBits     string            `json:"bits_per_raw_sample"`
		Pixels      string            `json:"pix_fmt"`
		ColourSpace string            `json:"color_space"`
		Primaries   string            `json:"color_primaries"`
		Tags        map[string]string `json:"tags"`
		Disposition struct {
			Picture int `json:"attached_pic"`
		} `json:"disposition"`
		SideData []struct {
			Rotation float64 `json:"rotation"`
		} `json:"side_data_list"`
	} `json:"streams"`
	Format struct {
		Duration string            `json:"duration"`
		BitRate  string            `json:"bit_rate"`
		Tags     map[string]string `json:"tags"`
	} `json:"format"`
}

// Probe reads the facts of a film or sound.
func Probe(ctx context.Context, file string) (piece.Facts, error) {
	args := append([]string{"-v", "error"}, readSafely...)
	args = append(args, "-show_streams", "-show_format", "-count_packets", "-of", "json", file)
	out, err := run(ctx, task{in: file, limit: 10 * time.Minute}, "ffprobe", args...)
	if err != nil {
		return piece.Facts{}, err
	}
	var p probed
	if err := json.Unmarshal(out, &p); err != nil {
		return piece.Facts{}, fmt.Errorf("ffprobe's answer: %w", err)
	}
	facts := piece.Facts{LengthUS: micros(p.Format.Duration), BitRate: number(p.Format.BitRate)}
	label := p.Format.Tags["timecode"]
	for _, s := range p.Streams {
		if tc := s.Tags["timecode"]; tc != "" {
			label = tc
		}
		switch {
		case s.Type == "video" && s.Disposition.Picture == 0 && facts.Codec == "":
			facts.Codec, facts.Width, facts.Height = s.Codec, s.Width, s.Height
			facts.Colour = colour(s.Pixels, s.Primaries, s.ColourSpace)
			for _, side := range s.SideData {
				if int(side.Rotation)%180 != 0 {
					facts.Width, facts.Height = s.Height, s.Width
				}
			}
			facts.Frames = number(s.Packets)
			if facts.Frames == 0 {
				facts.Frames = number(s.Frames)
			}
			rate, err := timecode.ParseRate(s.Rate)
			average, errAverage := timecode.ParseRate(s.Average)
			if errAverage == nil && (err != nil || differ(rate, average)) {
				rate, facts.Variable, err = average, true, nil
			}
			if err == nil {
				facts.RateNum, facts.RateDen = rate.Num, rate.Den
			}
			if d := micros(s.Duration); d > 0 {
				facts.LengthUS = d
			}
		case s.Type == "audio" && facts.SoundCodec == "":
			facts.SoundCodec, facts.Channels, facts.SampleRate = s.Codec, s.Channels, int(number(s.SampleRate))
			if facts.BitDepth = s.Bits; facts.BitDepth == 0 {
				facts.BitDepth = int(number(s.RawBits))
			}
		}
	}
	if facts.Codec == "" && facts.SoundCodec == "" {
		return facts, fmt.Errorf("it holds neither picture nor sound: %w", ErrUnreadable)
	}
	startAt(&facts, label)
	return facts, nil
}

// startAt sets the start timecode; one that does not fit the rate is left out.
func startAt(facts *piece.Facts, label string) {
	if label == "" || facts.RateNum == 0 {
		return
	}
	rate := timecode.Rate{Num: facts.RateNum, Den: facts.RateDen, Drop: strings.Contains(label, ";")}
	if rate.Validate() != nil {
		return
	}
	start, err := rate.Parse(label)
	if err != nil {
		return
	}
	facts.Drop, facts.Start, facts.StartLabel = rate.Drop, start, rate.Format(start)
}

// differ reports whether two rates lie more than one part in a thousand apart.
func differ(a, b timecode.Rate) bool {
	x, y := a.Num*b.Den, b.Num*a.Den
	return max(x, y)-min(x, y) > x/1000
}

func micros(seconds string) int64 {
	value, ok := new(big.Rat).SetString(seconds)
	if !ok {
		return 0
	}
	value.Mul(value, big.NewRat(1_000_000, 1))
	return new(big.Int).Quo(value.Num(), value.Denom()).Int64()
}

func number(s string) int64 {
	n, _ := strconv.ParseInt(s, 10, 64) // "N/A" is 0
	return n
}

// colour words how a film's colours are coded: "yuv420p bt709".
func colour(parts ...string) string {
	var known []string
	for _, p := range parts {
		if p != "" && p != "unknown" && !slices.Contains(known, p) {
			known = append(known, p)
		}
	}
	return strings.Join(known, " ")
}
