package gather

import (
	"bytes"
	"context"
	"fmt"
	"math"
	"slices"
	"strings"
	"sync"
	"time"

	"aftergust/core/file/find"
	"aftergust/core/file/naming"
	"aftergust/core/file/thing"
	"aftergust/internal/ground/db"

	"github.com/jackc/pgx/v5"
)

// A sample of all things says how common words are, alone and together. It only
// decides how a search goes, never what it finds.
type sample struct {
	db      *db.DB
	mu      sync.Mutex
	read    time.Time
	reading bool
	things  float64   // how many there are in all
	some    []sampled // by name
}

// sampled is what a thing is found by.
type sampled struct {
	NameKey  []byte
	PlaceID  string
	What     thing.What
	Words    string // each with a space before it
	LengthUS int64
	Size     int64
}

const (
	// sampleSize is how many things are in the sample, about; one of them then
	// stands for a four-thousandth of all.
	sampleSize = 4000
	// sampleText is how many letters of what a thing is found by are kept.
	sampleText = 2000
	// sampleGood is for how long the sample is used before another is taken.
	sampleGood = 10 * time.Minute
	// commonWord is the share of things from which on a word is better looked for
	// row by row, when there is a rarer one beside it.
	commonWord = 0.02
	// What a row on the way costs against one that is gathered: in an index that holds
	// the words, and where each must be read whole, with a margin for a way in vain.
	briefCost, wholeCost = 0.25, 2
	// manyPlaces is from how many places on their names are not looked through one by one.
	manyPlaces = 64
)

// A plan is how a search goes.
type plan struct {
	rare   []string // for the index of words; never empty
	common []string // to be looked at row by row, since the index would gather all that have them
	walk   int      // rows of the order's index to look at first, at most; 0: none
	until  []byte   // the name key at which such a look by name ends; nil: the last
	places bool     // to look along the names of each place, as far as need be
}

// plan decides how a search for a page goes. Things that are common fill the page
// on the way along the order; others are gathered by the index of words and
// sorted. A walk ends where the page is almost certainly full, since the sample may
// not know better. Where it lies below a place, below are the places there.
func (s *sample) plan(ctx context.Context, query ItemQuery, below map[string]bool) (plan, error) {
	things, some, err := s.get(ctx)
	if err != nil {
		return plan{}, err
	}
	type shared struct {
		word string
		n    int
	}
	words := make([]shared, len(query.Find.Words))
	for i, word := range query.Find.Words {
		words[i].word = " " + word
	}
	each := things / float64(max(1, len(some))) // things that one of the sample stands for
	need, ahead := float64(query.Limit)/each, ahead(query)
	sure := need + 4*math.Sqrt(need) + 2 // beyond chance: a walk in vain costs more than a long one
	byName := query.Order == ByName
	places := byName && len(below) > 0 && len(below) <= manyPlaces && query.Tag == "" && query.Since.IsZero() && !query.AtHand
	way, first, far, found, passed, until := 0, 0, 0, 0, 0, []byte(nil)
	for i := range some {
		one := &some[i]
		if query.Down {
			one = &some[len(some)-1-i]
		}
		fits := true
		for j := range words {
			if strings.Contains(one.Words, words[j].word) {
				words[j].n++
			} else {
				fits = false
			}
		}
		inside := below == nil || below[one.PlaceID]
		if !ahead(one) || places && !inside {
			continue
		}
		passed++
		if float64(found) < need {
			way = passed
		}
		if float64(found) < sure {
			far, until = passed, one.NameKey
		}
		if fits && inside && within(query, one) {
			if found == 0 {
				first = passed
			}
			found++
		}
	}
	if float64(found) >= sure { // more things than a page are the better measure of how densely they lie
		way = first + int(float64(far-first)*max(0, need-1)/(math.Ceil(sure)-1))
	}
	// The rarest first. Of words that nobody in the sample has, the longest is.
	slices.SortStableFunc(words, func(a, b shared) int {
		if a.n != b.n {
			return a.n - b.n
		}
		return len(b.word) - len(a.word)
	})
	p := plan{rare: []string{words[0].word[1:]}}
	for _, w := range words[1:] {
		if float64(w.n) < commonWord*float64(len(some)) {
			p.rare = append(p.rare, w.word[1:])
		} else {
			p.common = append(p.common, w.word[1:])
		}
	}
	rarest := float64(words[0].n)
	switch {
	case places && (len(query.What) == 0 || float64(found) >= need): // in each of them as far as in all together, or to its end
		p.places = float64(min(way*len(below), passed))*briefCost < rarest
	case !places && float64(found) >= need && float64(way)*rowCost(byName) < rarest:
		p.walk = int(each*float64(far)) + query.Limit
		if float64(found) >= sure {
			p.until = until
		}
	}
	return p, nil
}

// rowCost is what a row on the way costs against one that is gathered.
func rowCost(byName bool) float64 {
	if byName {
		return briefCost
	}
	return wholeCost
}

// ahead is a test of whether a thing lies after the place from where a list goes
// on. Orders other than by name are taken to be independent of words.
func ahead(query ItemQuery) func(*sampled) bool {
	if query.After == nil || query.Order != ByName {
		return func(*sampled) bool { return true }
	}
	after := naming.OrderKey(query.After.Value)
	return func(one *sampled) bool { return bytes.Compare(one.NameKey, after) > 0 != query.Down }
}

// within reports whether a thing meets a query's kinds and bounds.
func within(query ItemQuery, one *sampled) bool {
	q := query.Find
	return (len(query.What) == 0 || slices.Contains(query.What, one.What)) &&
		(q.MinLength == 0 || one.LengthUS >= q.MinLength) && (q.MaxLength == 0 || one.LengthUS > 0 && one.LengthUS <= q.MaxLength) &&
		(q.MinSize == 0 || one.Size >= q.MinSize) && (q.MaxSize == 0 || one.Size <= q.MaxSize)
}

// get is the sample. The first is waited for; later ones are taken while the last
// is still used.
func (s *sample) get(ctx context.Context) (things float64, some []sampled, err error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	switch {
	case s.read.IsZero():
		if s.things, s.some, err = s.take(ctx); err != nil {
			return 0, nil, err
		}
		s.read = time.Now()
	case time.Since(s.read) > sampleGood && !s.reading:
		s.reading = true
		go s.renew(context.WithoutCancel(ctx))
	}
	return s.things, s.some, nil
}

func (s *sample) renew(ctx context.Context) {
	ctx, cancel := context.WithTimeout(ctx, time.Minute)
	defer cancel()
	things, some, err := s.take(ctx)
	s.mu.Lock()
	defer s.mu.Unlock()
	s.reading, s.read = false, time.Now()
	if err == nil { // otherwise the last one serves on
		s.things, s.some = things, some
	}
}

// take reads a new sample, all of a small studio.
func (s *sample) take(ctx context.Context) (things float64, some []sampled, err error) {
	if err := s.db.Pool().QueryRow(ctx, `select greatest(reltuples, 0)::float8 from pg_class
		where oid = 'item'::regclass`).Scan(&things); err != nil {
		return 0, nil, err
	}
	percent := min(100, 100*sampleSize/max(things, 1))
	rows, err := s.db.Pool().Query(ctx, `
		select * from (select name_key, coalesce(place_id, ''), what, ' ' || left(search, $2), length_us, size
		    from item tablesample bernoulli ($1) where let_go_id is null limit $3) part order by name_key`, percent, sampleText, 2*sampleSize)
	if err != nil {
		return 0, nil, err
	}
	some, err = pgx.CollectRows(rows, pgx.RowToStructByPos[sampled])
	return max(things, float64(len(some))), some, err
}

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
