package gather

import (
	"aftergust/core/find"
	"aftergust/core/thing"
	"fmt"
	"strings"
)

// words are the words under which an item is found.
func (s Searched) words() []string {
	f := s.Facts
	facts := []string{string(s.Kind), thing.Whats.Get(s.Kind).Called, s.Mime, f.Codec, f.SoundCodec, f.Colour, f.Family, s.Data.URL,
		s.Data.Colour, s.Label}
	add := func(ok bool, format string, args ...any) {
		if ok {
			facts = append(facts, fmt.Sprintf(format, args...))
		}
	}
	add(f.SampleRate > 0, "%gk %gkhz %d", float64(f.SampleRate)/1000, float64(f.SampleRate)/1000, f.SampleRate)
	add(f.BitDepth > 0, "%dbit", f.BitDepth)
	add(f.Width > 0, "%dx%d %dp", f.Width, f.Height, f.Height)
	add(f.Channels == 1, "mono")
	add(f.Channels == 2, "stereo")
	add(f.Channels == 6, "surround")
	if rate := f.Timeline().Rate; rate.Num > 0 {
		facts = append(facts, strings.ReplaceAll(rate.String(), " ", "")+"fps", rate.String())
	}
	return find.Words(s.Name, s.About, strings.Join(s.Tags, " "), strings.Join(facts, " "), s.Data.Text, s.Body)
}
