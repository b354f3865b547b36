package gather

import (
	"time"

	"aftergust/core/file/transfer"
	"aftergust/internal/ground"
)

type overviewView struct {
	Place
	LyingView
	Pictures []thingView  `json:"pictures" doc:"the newest things that have a picture"`
	Inside   []insideView `json:"inside" doc:"what places lie directly in it"`
}

type insideView struct {
	Place
	LyingView
}

// LyingView is what lies in a place and below it. It is exported so that its fields are seen where it is
// embedded.
type LyingView struct {
	Things int        `json:"things"`
	Weight string     `json:"weight"`
	Last   string     `json:"last" doc:"name of what changed last; empty where nothing lies"`
	LastAt *time.Time `json:"last_at,omitempty"`
	Out    []OutFrom  `json:"out" doc:"packages that are out and give something from there, the next to end first"`
}

func viewLying(s PlaceSum) LyingView {
	v := LyingView{Things: s.Things, Weight: transfer.Size(s.Bytes), Last: s.Last, Out: ground.OrEmpty(s.Out)}
	if s.Last != "" {
		v.LastAt = &s.LastAt
	}
	return v
}

func viewOverview(looks []Look) []overviewView {
	out := make([]overviewView, len(looks))
	for i, l := range looks {
		out[i] = overviewView{Place: l.Place, LyingView: viewLying(l.PlaceSum), Pictures: viewThings(l.Pictures), Inside: []insideView{}}
		for _, in := range l.Inside {
			out[i].Inside = append(out[i].Inside, insideView{in.Place, viewLying(in.PlaceSum)})
		}
	}
	return out
}
