package postgres

import (
	"cmp"
	"context"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/jackc/pgx/v5"
)

// wordShares keeps how common words are, as the database's statistics know it.
// They only decide how a search goes, never what it finds.
type wordShares struct {
	mu     sync.Mutex
	read   time.Time
	things float64     // how many there are
	shares []wordShare // by word
}

type wordShare struct {
	word  string
	share float64 // of all things
}

const (
	// commonWord is the share of things from which on a word is common.
	commonWord = 0.02
	// sharesGood is for how long the statistics are used before they are read again.
	sharesGood = 10 * time.Minute
)

// A plan is how a search for words goes.
type plan struct {
	rare   []string // for the index of words; never empty
	common []string // to be looked at row by row, since the index would gather all that have them
	walk   int      // rows of the order's index to look at first; 0: none
}

// Walks, in rows: of words of which nothing is known, of such that are so short
// that many things will have them, and the least for common ones.
const (
	walkUnknown = 2500
	walkShort   = 12_000
	walkCommon  = 5000
	shortWord   = 3 // bytes
)

// plan decides how a search for words goes, by how many things have one that
// begins so. Words that many things have fill a page on the way along the order;
// the walk is at most as long as what the index of words would gather, so that it
// never costs more than twice the better way.
func (w *wordShares) plan(ctx context.Context, db db, words []string) (p plan, err error) {
	w.mu.Lock()
	defer w.mu.Unlock()
	if time.Since(w.read) > sharesGood {
		rows, err := db.Query(ctx, `
			select e.lexeme, e.share::float8 from pg_stats, unnest(most_common_elems::text::text[], most_common_elem_freqs) as e (lexeme, share)
			where tablename = 'item' and attname = 'found' and schemaname = current_schema() and e.lexeme is not null`)
		if err != nil {
			return p, err
		}
		shares, err := pgx.CollectRows(rows, func(row pgx.CollectableRow) (s wordShare, err error) { return s, row.Scan(&s.word, &s.share) })
		if err != nil {
			return p, err
		}
		slices.SortFunc(shares, func(a, b wordShare) int { return strings.Compare(a.word, b.word) })
		if err := db.QueryRow(ctx, "select greatest(reltuples, 0)::float8 from pg_class where oid = 'item'::regclass").Scan(&w.things); err != nil {
			return p, err
		}
		w.shares, w.read = shares, time.Now()
	}
	type measured struct {
		word  string
		share float64
		exact bool
	}
	all := make([]measured, len(words))
	short := true
	for i, word := range words {
		share, exact := w.of(word)
		all[i] = measured{word, share, exact}
		short = short && len(word) <= shortWord
	}
	// Those whose share is known come first, the rarest of them before the others.
	slices.SortStableFunc(all, func(a, b measured) int {
		if a.exact != b.exact {
			return map[bool]int{true: -1, false: 1}[a.exact]
		}
		return cmp.Compare(a.share, b.share)
	})
	first := all[0]
	switch {
	case first.share >= commonWord:
		p.walk = max(walkCommon, int(first.share*w.things))
	case first.exact:
	case short:
		p.walk = walkShort
	default:
		p.walk = walkUnknown
	}
	p.rare = []string{first.word}
	for _, m := range all[1:] {
		if m.share < commonWord && (m.exact || !first.exact) {
			p.rare = append(p.rare, m.word)
		} else {
			p.common = append(p.common, m.word)
		}
	}
	return p, nil
}

// of is the share of things that have a word that begins so, at most 1. It is
// exact where the word itself is known; else it is only the part of which the
// statistics have heard.
func (w *wordShares) of(beginning string) (share float64, exact bool) {
	from, _ := slices.BinarySearchFunc(w.shares, beginning, func(s wordShare, b string) int { return strings.Compare(s.word, b) })
	for _, s := range w.shares[from:] {
		if !strings.HasPrefix(s.word, beginning) {
			break
		}
		share, exact = share+s.share, exact || s.word == beginning
	}
	return min(share, 1), exact
}
