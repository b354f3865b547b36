package gather

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"aftergust/internal/ground/db"

	"github.com/jackc/pgx/v5"
)

// ListRows are things in an order, found by words.
type ListRows struct {
	*db.DB
	words *sample
}

// NewListRows reads lists of d; it keeps a sample of words, so that one is enough for a process.
func NewListRows(d *db.DB) ListRows { return ListRows{d, &sample{db: d}} }

// orders are the columns by which a list can be ordered, each with an index in its
// place, the type of a cursor's value, and whether an index goes across all places.
var orders = map[string]struct {
	column, kind string
	across       bool
}{
	ByName:    {"i.name_key", "bytea", true},
	ByHand:    {"i.position", "float8", false},
	BySize:    {"i.size", "bigint", true},
	ByLength:  {"i.length_us", "bigint", true},
	ByAdded:   {"i.created_at", "timestamptz", true},
	ByChanged: {"i.changed_at", "timestamptz", true},
}

// Items is one page of a list. Which rows are on it is found by one index; only
// those rows are then joined with what is shown of them.
func (q ListRows) Items(ctx context.Context, query ItemQuery) ([]Item, error) {
	by, ok := orders[query.Order]
	if !ok {
		return nil, fmt.Errorf("list items by %q: no such order", query.Order)
	}
	p := pageOf(query)
	var below map[string]bool
	if query.Under != "" {
		places, small, err := q.below(ctx, query.Under)
		if err != nil {
			return nil, err
		}
		if small { // every row there costs less than any other way
			return q.fenced(ctx, &p, p.all(), p.found(query.Find.Words))
		}
		below = places
	}
	if len(query.Find.Words) == 0 {
		return q.page(ctx, p.ids(strings.Join(p.all(), " and ")), &p)
	}
	plan, err := q.words.plan(ctx, query, below)
	if err != nil {
		return nil, err
	}
	if plan.places {
		return q.walkPlaces(ctx, query, slices.Collect(maps.Keys(below)))
	}
	if plan.walk > 0 && (query.Place != "" || by.across) {
		walk := q.walk
		if query.Order == ByName {
			walk = q.walkNames
		}
		found, err := walk(ctx, pageOf(query), query, plan)
		if err != nil || len(found) == query.Limit {
			return found, err
		}
	}
	return q.gather(ctx, query, plan, below)
}

// gather is a page of what the index of words gives.
func (q ListRows) gather(ctx context.Context, query ItemQuery, plan plan, below map[string]bool) ([]Item, error) {
	query.Under = "" // the planner would take the index of a place, which may hold more than have the word
	p := pageOf(query)
	narrow, fits := append(p.all(), p.found(plan.rare)), p.found(plan.common)
	if below != nil {
		fits += " and i.place_id = any(" + p.arg(slices.Collect(maps.Keys(below))) + ")"
	}
	return q.fenced(ctx, &p, narrow, fits)
}

// walk is a page of what is found on the way along the order, as far as planned.
func (q ListRows) walk(ctx context.Context, p page, query ItemQuery, plan plan) ([]Item, error) {
	fits := append(slices.Concat(p.filters, p.bounds), p.found(query.Find.Words))
	return q.page(ctx, fmt.Sprintf("select i.id from (select * from item i where %s order by %s limit %s) i where %s limit %s",
		strings.Join(p.base, " and "), p.order(), p.arg(plan.walk), strings.Join(fits, " and "), p.arg(p.limit)), &p)
}

// walkNames is walk in the order of names, whose index holds the words of most
// items.
func (q ListRows) walkNames(ctx context.Context, p page, query ItemQuery, plan plan) ([]Item, error) {
	if plan.until != nil {
		end := "<="
		if query.Down {
			end = ">="
		}
		p.base = append(p.base, "i.name_key "+end+" "+p.arg(plan.until))
	}
	return q.page(ctx, "select i.id from ("+p.names(query.Find.Words)+") i", &p)
}

// walkPlaces is a page of what is found on the way along the names of each of some
// places, which is all that is in them.
func (q ListRows) walkPlaces(ctx context.Context, query ItemQuery, places []string) ([]Item, error) {
	query.Under = ""
	p := pageOf(query)
	p.base[0], p.args[0] = "i.place_id = at.place", places // instead of the studio
	names := p.names(query.Find.Words)
	return q.page(ctx, fmt.Sprintf("select i.id from unnest($1::text[]) at(place) cross join lateral (%s) i order by %s limit %s",
		names, p.order(), p.arg(p.limit)), &p)
}

// sums makes sums of columns, so that the planner does not take the index of one.
var sums = strings.NewReplacer("i.length_us", "(i.length_us + 0)", "i.size", "(i.size + 0)")

// names is a query for the first rows by name that fit, with their keys. The index
// by name alone is read, but for items of many words, and for what else is asked of
// those that are found.
func (p *page) names(words []string) string {
	has := make([]string, len(words))
	for i, word := range words {
		has[i] = "strpos(i.brief, " + p.arg(" "+word) + ") > 0"
	}
	open := "i.brief is null"
	if len(p.filters) > 0 {
		open = "true"
	}
	near := slices.Clone(p.base)
	for _, bound := range p.bounds {
		near = append(near, sums.Replace(bound))
	}
	near = append(near, "(i.brief is null or "+strings.Join(has, " and ")+")")
	fits := append(slices.Clone(p.filters), p.found(words))
	return fmt.Sprintf(`
		select w.id, w.name_key from (select i.id, i.name_key, %s as open from item i where %s order by %s offset 0) w
		left join lateral (select true as fits from item i where w.open and i.id = w.id and %s offset 0) whole on true
		where not w.open or whole.fits limit %s`,
		open, strings.Join(near, " and "), p.order(), strings.Join(fits, " and "), p.arg(p.limit))
}

// fenced is a page of the rows that meet where and fit. The fence keeps the
// planner, which cannot know how many words begin so, from walking the whole order.
func (q ListRows) fenced(ctx context.Context, p *page, where []string, fits string) ([]Item, error) {
	return q.page(ctx, "select i.id from (select * from item i where "+strings.Join(where,
		" and ")+" offset 0) i where "+fits+" order by "+p.order()+" limit "+p.arg(p.limit), p)
}

// few is how many rows cost less to look at than the index of words.
const few = 2500

// below are the places below a path, with itself, and whether few items lie in
// them. The order in the count keeps the planner from reading the whole table.
func (q ListRows) below(ctx context.Context, under string) (places map[string]bool, small bool, err error) {
	var ids []string
	err = q.Conn(ctx).QueryRow(ctx, `
		with below as materialized (select id from place where path like $1 || '%')
		select array(select id from below), (select count(*) < $2 from (
			select from below cross join lateral (
				select from item i where i.place_id = below.id and i.let_go_id is null and i.rendition_of is null order by i.name_key, i.id limit $2) i
				    limit $2) i)`,
		under, few).Scan(&ids, &small)
	places = make(map[string]bool, len(ids))
	for _, id := range ids {
		places[id] = true
	}
	return places, small, err
}

// prefixes is the query for things of which some word begins with each of words.
// Words are letters and digits only (core/file/find), so quoting them is all that is
// needed.
func prefixes(words []string) string { return "'" + strings.Join(words, "':* & '") + "':*" }

// A page is a list's query in the making.
type page struct {
	by, kind string
	down     bool
	limit    int
	base     []string // conditions that the order's index meets; the first is where the page lies
	bounds   []string // those on length and size, which the indexes by name hold too
	filters  []string // all others
	args     []any
}

func pageOf(query ItemQuery) page {
	by := orders[query.Order]
	p := page{by: by.column, kind: by.kind, down: query.Down, limit: query.Limit}
	p.within(query)
	p.filter(query)
	return p
}

// all are the conditions together.
func (p *page) all() []string { return slices.Concat(p.base, p.bounds, p.filters) }

func (p *page) arg(value any) string {
	p.args = append(p.args, value)
	return fmt.Sprintf("$%d", len(p.args))
}

// found is the condition that something is found by words, if there are any.
func (p *page) found(words []string) string {
	if len(words) == 0 {
		return "true"
	}
	return "(i.found @@ " + p.arg(prefixes(words)) + "::tsquery)"
}

// order is the order of the list, with the identifier last.
func (p *page) order() string {
	if p.down {
		return p.by + " desc, i.id desc"
	}
	return p.by + ", i.id"
}

// ids are the identifiers of the rows on the page.
func (p *page) ids(where string) string {
	return "select i.id from item i where " + where + " order by " + p.order() + " limit " + p.arg(p.limit)
}

// within is where the page lies: in which place, and after which row.
func (p *page) within(query ItemQuery) {
	if query.Place != "" {
		p.base = []string{"i.place_id = " + p.arg(query.Place)}
	} else {
		p.base = []string{"i.studio_id = " + p.arg(query.Studio)}
	}
	p.base = append(p.base, "i.let_go_id is null", "i.rendition_of is null")
	if query.After != nil {
		beyond := ">"
		if query.Down {
			beyond = "<"
		}
		value := query.After.Value
		if query.Order == ByName {
			value = keyText(value)
		}
		p.base = append(p.base, fmt.Sprintf("(%s, i.id) %s (%s::text::%s, %s)", p.by, beyond, p.arg(value), p.kind, p.arg(query.After.ID)))
	}
}

// and adds a condition with one argument, which stands where the ? is.
func (p *page) and(to *[]string, asked bool, condition string, arg any) {
	if asked {
		*to = append(*to, strings.ReplaceAll(condition, "?", p.arg(arg)))
	}
}

// filter is what else is asked of the rows.
func (p *page) filter(query ItemQuery) {
	p.and(&p.filters, query.Under != "", "i.place_id in (select p.id from place p where p.path like ? || '%')", query.Under)
	if query.Loose {
		p.filters = append(p.filters, "i.place_id is null")
	}
	if query.AtHand {
		p.filters = append(p.filters, "i.at_hand_since is not null")
	}
	if len(query.What) == 1 { // as an index in order of names knows it
		p.and(&p.filters, true, "i.what = ?", query.What[0])
	} else {
		p.and(&p.filters, len(query.What) > 0, "i.what = any(?)", query.What)
	}
	p.and(&p.filters, query.Tag != "", "i.tags @> array[?::text]", query.Tag)
	p.and(&p.filters, !query.Since.IsZero(), "i.created_at >= ?", query.Since)
	f := query.Find
	p.and(&p.bounds, f.MinLength > 0, "i.length_us >= ?", f.MinLength)
	p.and(&p.bounds, f.MaxLength > 0, "i.length_us between 1 and ?", f.MaxLength)
	p.and(&p.bounds, f.MinSize > 0, "i.size >= ?", f.MinSize)
	p.and(&p.bounds, f.MaxSize > 0, "i.size <= ?", f.MaxSize)
}

// page are the rows whose identifiers a query gives, with what is shown of them.
// Two queries, since to plan the second anew each time takes longer than to run it.
func (q ListRows) page(ctx context.Context, ids string, p *page) ([]Item, error) {
	rows, err := q.Conn(ctx).Query(ctx, ids, p.args...)
	if err != nil {
		return nil, err
	}
	found, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err != nil || len(found) == 0 {
		return nil, err
	}
	return ThingRows{q.DB}.items(ctx, "where i.id = any($1) order by "+p.order(), found)
}
