// Package preflight looks at what is about to be sent and says what looks wrong:
// which file, why, and what to do. It only knows facts; it opens nothing.
//
// Limits of systems: 255 bytes or 255 UTF-16 units for a name and 260 characters
// for a path on Windows without long paths (Microsoft's naming conventions);
// what is usual between people who work together is marked common practice.
package preflight

import (
	"cmp"
	"fmt"
	"path"
	"slices"
	"strings"
	"unicode/utf16"

	"aftergust/core/file/naming"
	"aftergust/core/file/thing"
	"aftergust/core/file/transfer"
	"aftergust/core/time/timecode"
	"aftergust/core/words/count"
)

// A File is what is known of one file. Fields that do not apply are zero.
type File struct {
	ID         string
	Path       string     // slash-separated, with folders
	Size       int64      // bytes
	Digest     string     // the same for the same content; empty while not known
	Kind       thing.What // still, artwork, film, sound, document, archive, other
	Arriving   bool       // not whole yet
	Broken     string     // why it could not be read; empty if it could
	LengthUS   int64
	Rate       timecode.Rate // of pictures
	Variable   bool          // whether the rate of pictures varies
	HasSound   bool
	SampleRate int // hertz
	BitDepth   int
	Channels   int
	Measured   bool    // whether loudness and peak are known
	LUFS       float64 // integrated
	PeakDBTP   float64
}

// A Severity says how much a finding matters.
type Severity string

// The severities, the worst first.
const (
	Stops Severity = "stops" // it will not work at the other end
	Warns Severity = "warns" // it looks like a mistake
	Tells Severity = "tells" // good to know
)

// A Finding is one thing that looks wrong.
type Finding struct {
	Severity Severity `json:"severity" enum:"stops,warns,tells"`
	Code     string   `json:"code" doc:"stable name of the kind of finding"`
	Files    []string `json:"files" doc:"ids of the items that it is about"`
	Names    []string `json:"names"`
	Why      string   `json:"why"`
	Do       string   `json:"do" doc:"what to do about it"`
}

// Limits that are common practice.
const (
	pathLimit   = 260     // UTF-16 units, with drive and closing zero
	pathRoom    = 40      // for the folder into which a package is unpacked
	stemSlackUS = 20_000  // stems of one piece are equally long within a fiftieth of a second
	clipDBTP    = 0.0     // above full scale
	silentDBTP  = -90.0   // quieter than the noise of 16 bits
	mailAttach  = "25 MB" // what most mail servers take at most
)

// Look gives all findings, the worst first, in the order of the files.
func Look(files []File) []Finding {
	var out []Finding
	for _, check := range []func([]File) []Finding{arriving, broken, empty, names, twins, paths, doubled, silentFilms, peaks, stems, rates,
		variable, sizes} {
		out = append(out, check(files)...)
	}
	order := map[Severity]int{Stops: 0, Warns: 1, Tells: 2}
	slices.SortStableFunc(out, func(a, b Finding) int { return cmp.Compare(order[a.Severity], order[b.Severity]) })
	return out
}

func finding(s Severity, code, why, do string, files ...File) Finding {
	f := Finding{Severity: s, Code: code, Why: why, Do: do, Files: []string{}, Names: []string{}}
	for _, file := range files {
		f.Files = append(f.Files, file.ID)
		f.Names = append(f.Names, file.Path)
	}
	return f
}

// each makes a finding for every file for which what gives a reason.
func each(files []File, s Severity, code, do string, what func(File) string) (out []Finding) {
	for _, f := range files {
		if why := what(f); why != "" {
			out = append(out, finding(s, code, why, do, f))
		}
	}
	return out
}

func arriving(files []File) []Finding {
	return each(files, Stops, "arriving", "Wait for it, or leave it out.", func(f File) string {
		if f.Arriving {
			return "It is still uploading."
		}
		return ""
	})
}

func broken(files []File) []Finding {
	return each(files, Warns, "unreadable", "Open it in the program that made it. If it is whole there, it can be sent as it is.",
		func(f File) string {
			if f.Broken != "" {
				return "It could not be read: " + f.Broken + "."
			}
			return ""
		})
}

func empty(files []File) []Finding {
	return each(files, Warns, "empty", "Export it again, or leave it out.", func(f File) string {
		if f.Size == 0 && !f.Arriving {
			return "It is empty, 0 bytes."
		}
		return ""
	})
}

func names(files []File) (out []Finding) {
	for _, f := range files {
		for element := range strings.SplitSeq(f.Path, "/") {
			if portable := naming.Portable(element); portable != naming.Display(element) {
				out = append(out, finding(Warns, "name",
					fmt.Sprintf("%q cannot be a name on every system.", element),
					fmt.Sprintf("Rename it. In the ZIP it will be %q.", portable), f))
				break
			}
		}
	}
	return out
}

func twins(files []File) (out []Finding) {
	for _, group := range grouped(files, func(f File) string { return naming.TwinKey(f.Path) }) {
		out = append(out, finding(Warns, "twins",
			"These names are the same to a system that ignores capitals or the form of accents.",
			"Rename all but one. In the ZIP the others get a number.", group...))
	}
	return out
}

func paths(files []File) []Finding {
	return each(files, Warns, "path", "Shorten the folders' names.", func(f File) string {
		if n := len(utf16.Encode([]rune(f.Path))); n > pathLimit-pathRoom {
			return fmt.Sprintf("With its folders the name has %d characters; Windows stops at %d, the folder it is unpacked into included.", n,
				pathLimit)
		}
		return ""
	})
}

func doubled(files []File) (out []Finding) {
	same := grouped(files, func(f File) string {
		if f.Digest == "" || f.Size == 0 {
			return ""
		}
		return f.Digest
	})
	for _, group := range same {
		out = append(out, finding(Warns, "doubled", fmt.Sprintf("The same bytes %d times, %s each.", len(group), transfer.Size(group[0].Size)),
			"Leave all but one out, unless the other side expects both.", group...))
	}
	return out
}

// grouped are the groups of more than one file with the same key, in the order
// of their first; files without a key are left out.
func grouped(files []File, key func(File) string) (out [][]File) {
	groups := map[string][]File{}
	var order []string
	for _, f := range files {
		k := key(f)
		if k == "" {
			continue
		}
		if groups[k] == nil {
			order = append(order, k)
		}
		groups[k] = append(groups[k], f)
	}
	for _, k := range order {
		if len(groups[k]) > 1 {
			out = append(out, groups[k])
		}
	}
	return out
}

func silentFilms(files []File) []Finding {
	return each(files, Warns, "no_sound", "If it should have sound, export it again with its sound.", func(f File) string {
		if f.Kind == thing.Film && !f.HasSound && f.LengthUS > 0 {
			return "The film has no sound."
		}
		return ""
	})
}

func peaks(files []File) (out []Finding) {
	for _, f := range files {
		switch {
		case !f.Measured:
		case f.PeakDBTP <= silentDBTP:
			out = append(out, finding(Warns, "silent", "Its sound is silent from beginning to end.", "Check which tracks were exported.", f))
		case f.PeakDBTP > clipDBTP:
			out = append(out, finding(Warns, "clipped", fmt.Sprintf("Its true peak is %+.1f dBTP, above full scale; it will distort somewhere.",
				f.PeakDBTP),
				"Lower it and export it again; −1 dBTP is a usual ceiling.", f))
		}
	}
	return out
}

// Stems are the findings about stems alone, as the Sentence tells them.
func Stems(files []File) []Finding { return stems(files) }

// stems looks at sounds that lie together in one folder and share the beginning
// of their names, as stems of one piece do (common practice).
func stems(files []File) (out []Finding) {
	for _, group := range grouped(files, stemKey) {
		first := group[0]
		if odd := odds(group, func(a, b File) bool {
			return max(a.LengthUS, b.LengthUS)-min(a.LengthUS,
				b.LengthUS) > stemSlackUS
		}); len(odd) > 0 {
			out = append(out, finding(Warns, "stem_length", fmt.Sprintf("Of %d stems that belong together, not all are equally long: %s.",
				len(group), lengths(group)),
				"Export all from the same start to the same end, so that they line up.", odd...))
		}
		if odd := odds(group, func(a, b File) bool { return a.SampleRate != b.SampleRate }); len(odd) > 0 {
			out = append(out, finding(Warns, "stem_rate", fmt.Sprintf("Stems that belong together have different sample rates: %d Hz and others.",
				first.SampleRate),
				"Export all at one sample rate.", odd...))
		}
		if odd := odds(group, func(a, b File) bool { return a.BitDepth > 0 && b.BitDepth > 0 && a.BitDepth != b.BitDepth }); len(odd) > 0 {
			out = append(out, finding(Warns, "stem_depth", fmt.Sprintf("Stems that belong together have different bit depths: %d bits and others.",
				first.BitDepth),
				"Export all at one bit depth.", odd...))
		}
	}
	return out
}

func stemKey(f File) string {
	if f.Kind != thing.Sound || f.LengthUS == 0 {
		return ""
	}
	words := strings.FieldsFunc(strings.ToLower(path.Base(f.Path)), func(r rune) bool { return strings.ContainsRune(" _-.,", r) })
	dir := path.Dir(f.Path)
	if strings.Contains(strings.ToLower(path.Base(dir)), "stem") {
		return dir
	}
	if len(words) > 0 && strings.HasPrefix(words[0], "stem") {
		return dir + "/stem"
	}
	return ""
}

// odds are the files that differ from what most of them have; which is most is
// decided by how many others each agrees with.
func odds(group []File, differ func(a, b File) bool) (out []File) {
	best, most := 0, -1
	for i, a := range group {
		agree := 0
		for _, b := range group {
			if !differ(a, b) {
				agree++
			}
		}
		if agree > most {
			best, most = i, agree
		}
	}
	for _, f := range group {
		if differ(group[best], f) {
			out = append(out, f)
		}
	}
	return out
}

func lengths(group []File) string {
	var out []string
	for _, f := range group {
		out = append(out, fmt.Sprintf("%s %.2f s", path.Base(f.Path), float64(f.LengthUS)/1e6))
		if len(out) == 6 && len(group) > 6 {
			out = append(out, "…")
			break
		}
	}
	return strings.Join(out, ", ")
}

func rates(files []File) []Finding {
	byRate := map[timecode.Rate][]File{}
	var order []timecode.Rate
	for _, f := range files {
		if f.Kind != thing.Film || f.Rate.Num == 0 || f.Variable {
			continue
		}
		rate := timecode.Rate{Num: f.Rate.Num, Den: f.Rate.Den}
		if byRate[rate] == nil {
			order = append(order, rate)
		}
		byRate[rate] = append(byRate[rate], f)
	}
	if len(order) < 2 {
		return nil
	}
	slices.SortStableFunc(order, func(a, b timecode.Rate) int { return len(byRate[b]) - len(byRate[a]) })
	var words []string
	var odd []File
	for i, r := range order {
		words = append(words, fmt.Sprintf("%d at %s", len(byRate[r]), r))
		if i > 0 {
			odd = append(odd, byRate[r]...)
		}
	}
	return []Finding{finding(Tells, "frame_rates", "The films have different frame rates: "+strings.Join(words, ", ")+" fps.",
		"If they belong to one programme, conform them to one rate.", odd...)}
}

func variable(files []File) []Finding {
	return each(files, Warns, "variable_rate", "Convert it to a constant frame rate before it is edited or its timecode is relied on.",
		func(f File) string {
			if f.Kind == thing.Film && f.Variable {
				return "Its frame rate varies, as phones record; timecode is only approximate."
			}
			return ""
		})
}

func sizes(files []File) []Finding {
	var heavy []File
	for _, f := range files {
		if !f.Arriving && !transfer.FitsMail(f.Size) {
			heavy = append(heavy, f)
		}
	}
	if len(heavy) == 0 {
		return nil
	}
	return []Finding{finding(Tells, "mail", fmt.Sprintf("%s too large to be mailed (%s with encoding is where most mail servers stop).", count.Some(len(heavy), len(files), "It", "is", "are"), mailAttach),
		"Nothing: a package is a link, so it is not in the way.", heavy...)}
}
