package review

import (
	"aftergust/core/notes/markers"
	"aftergust/core/time/timecode"
)

// A Known note is one that is there when notes come in.
type Known struct {
	ID     string
	Source string // id in the program that it came from before; empty for one of ours
	Author string
	Text   string
	At     timecode.Micros
	Done   bool
}

// A Plan is what notes that come in will do, as places in the list of them.
type Plan struct {
	New     []int          // are added
	Same    []int          // are here already, word for word
	Differs []int          // are here with other words, which stay
	Done    map[int]string // are done there and open here, and will be ticked: the id here
}

// Merge plans how notes come in: what is here already is recognised by its id, or by who
// says what where; nothing that is here is changed but that an open note may be ticked.
func Merge(known []Known, coming []markers.Marker) Plan {
	type saying struct {
		author, text string
		at           timecode.Micros
	}
	byID, bySaying := map[string]Known{}, map[saying]Known{}
	for _, k := range known {
		byID[k.ID] = k
		if k.Source != "" {
			byID[k.Source] = k
		}
		bySaying[saying{k.Author, k.Text, k.At}] = k
	}
	p := Plan{Done: map[int]string{}}
	for i, m := range coming {
		k, ok := byID[m.ID]
		if !ok {
			k, ok = bySaying[saying{m.Author, m.Text, m.At}]
		}
		switch {
		case !ok:
			p.New = append(p.New, i)
			k = Known{Author: m.Author, Text: m.Text, At: m.At, Done: true} // the same once more is the same
			bySaying[saying{m.Author, m.Text, m.At}] = k
			continue
		case k.Text != m.Text:
			p.Differs = append(p.Differs, i)
		default:
			p.Same = append(p.Same, i)
		}
		if m.Done && !k.Done && k.ID != "" {
			p.Done[i] = k.ID
		}
	}
	return p
}
