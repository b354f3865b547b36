package postgres

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"aftergust/core/find"
	"aftergust/internal/studio"

	"github.com/jackc/pgx/v5"
)

// orders are the columns by which a list can be ordered, each with an index in its
// place, the type of a cursor's value, and whether an index goes across all places.
var orders = map[string]struct {
	column, kind string
	across       bool
}{
	studio.ByName:    {"i.name_key", "bytea", true},
	studio.ByHand:    {"i.position", "float8", false},
	studio.BySize:    {"i.size", "bigint", false},
	studio.ByLength:  {"i.length_us", "bigint", false},
	studio.ByAdded:   {"i.created_at", "timestamptz", false},
	studio.ByChanged: {"i.changed_at", "timestamptz", true},
}

// Items is one page of a list. Which rows are on it is found by one index; only
// those rows are then joined with what is shown of them.
func (q *queries) Items(ctx context.Context, query studio.ItemQuery) ([]studio.Item, error) {
	by, ok := orders[query.Order]
	if !ok {
		return nil, fmt.Errorf("list items by %q: no such order", query.Order)
	}
	p := page{by: by.column, kind: by.kind, down: query.Down, limit: query.Limit}
	p.within(query)
	p.filter(query)
	if len(query.Find.Words) == 0 {
		return q.page(ctx, p.ids(strings.Join(append(slices.Clone(p.base), p.filters...), " and ")), &p)
	}
	if query.Under != "" {
		small, err := q.small(ctx, query.Under)
		if err != nil {
			return nil, err
		}
		if small { // every row there costs less than the index of all words
			return q.fenced(ctx, &p, append(slices.Clone(p.base), p.filters...), "(i.found @@ "+p.arg(prefixes(query.Find.Words))+"::tsquery)")
		}
	}
	byName := query.Order == studio.ByName
	plan, err := q.words.plan(ctx, query, byName)
	if err != nil {
		return nil, err
	}
	if plan.walk > 0 && (query.Place != "" || by.across) {
		walk := q.walk
		if byName {
			walk = q.walkNames
		}
		found, err := walk(ctx, p, query, plan)
		if err != nil || len(found) == query.Limit {
			return found, err
		}
	}
	narrow := append(slices.Clone(p.base), p.filters...)
	narrow = append(narrow, "i.found @@ "+p.arg(prefixes(plan.rare))+"::tsquery")
	fits := "true"
	if len(plan.common) > 0 {
		fits = "(i.found @@ " + p.arg(prefixes(plan.common)) + "::tsquery)"
	}
	return q.fenced(ctx, &p, narrow, fits)
}

// walk is a page of what is found on the way along the order, as far as planned.
func (q *queries) walk(ctx context.Context, p page, query studio.ItemQuery, plan plan) ([]studio.Item, error) {
	p.args = slices.Clone(p.args)
	fits := strings.Join(append(slices.Clone(p.filters), "i.found @@ "+p.arg(prefixes(query.Find.Words))+"::tsquery"), " and ")
	return q.page(ctx, fmt.Sprintf("select i.id from (select * from item i where %s order by %s limit %s) i where %s limit %s",
		strings.Join(p.base, " and "), p.order(), p.arg(plan.walk), fits, p.arg(p.limit)), &p)
}

// walkNames is walk in the order of names, whose index holds the words of most
// items: it alone is read, but for items of many words, and for what else is asked
// of those that are found.
func (q *queries) walkNames(ctx context.Context, p page, query studio.ItemQuery, plan plan) ([]studio.Item, error) {
	p.args = slices.Clone(p.args)
	fits := strings.Join(append(slices.Clone(p.filters), "i.found @@ "+p.arg(prefixes(query.Find.Words))+"::tsquery"), " and ")
	has := make([]string, len(query.Find.Words))
	for i, word := range query.Find.Words {
		has[i] = "strpos(i.brief, " + p.arg(" "+word) + ") > 0"
	}
	open := "i.brief is null"
	if len(p.filters) > 0 {
		open = "true"
	}
	p.filters = append(slices.Clone(p.base), "(i.brief is null or "+strings.Join(has, " and ")+")")
	p.bounds("i", query.Find)
	if plan.until != nil {
		end := "<="
		if query.Down {
			end = ">="
		}
		p.filters = append(p.filters, "i.name_key "+end+" "+p.arg(plan.until))
	}
	return q.page(ctx, fmt.Sprintf(`
		select w.id from (select i.id, %s as open from item i where %s order by %s offset 0) w
		left join lateral (select true as fits from item i where w.open and i.id = w.id and %s offset 0) whole on true
		where not w.open or whole.fits limit %s`,
		open, strings.Join(p.filters, " and "), p.order(), fits, p.arg(p.limit)), &p)
}

// fenced is a page of the rows that meet where and fit. The fence keeps the
// planner, which cannot know how many words begin so, from walking the whole order.
func (q *queries) fenced(ctx context.Context, p *page, where []string, fits string) ([]studio.Item, error) {
	return q.page(ctx, "select i.id from (select * from item i where "+strings.Join(where, " and ")+" offset 0) i where "+fits+" order by "+p.order()+" limit "+p.arg(p.limit), p)
}

// few is how many rows cost less to look at than the index of words.
const few = 2500

// small reports whether few items lie below a path.
func (q *queries) small(ctx context.Context, under string) (is bool, err error) {
	err = q.db.QueryRow(ctx, `select count(*) < $2 from (select from item where place_id in (select id from place where path like $1 || '%') limit $2) i`, under, few).Scan(&is)
	return is, err
}

// prefixes is the query for things of which some word begins with each of words.
// Words are letters and digits only (core/find), so quoting them is all that is
// needed.
func prefixes(words []string) string { return "'" + strings.Join(words, "':* & '") + "':*" }

// A page is a list's query in the making.
type page struct {
	by, kind      string
	down          bool
	limit         int
	base, filters []string // conditions that the order's index meets; all others
	args          []any
}

func (p *page) arg(value any) string {
	p.args = append(p.args, value)
	return fmt.Sprintf("$%d", len(p.args))
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
func (p *page) within(query studio.ItemQuery) {
	p.base = []string{"i.bin_id is null", "i.rendition_of is null"}
	if query.Place != "" {
		p.base = append(p.base, "i.place_id = "+p.arg(query.Place))
	} else {
		p.base = append(p.base, "i.studio_id = "+p.arg(query.Studio))
	}
	if query.After != nil {
		beyond := ">"
		if query.Down {
			beyond = "<"
		}
		value := query.After.Value
		if query.Order == studio.ByName {
			value = keyText(value)
		}
		p.base = append(p.base, fmt.Sprintf("(%s, i.id) %s (%s::text::%s, %s)", p.by, beyond, p.arg(value), p.kind, p.arg(query.After.ID)))
	}
}

// and adds a filter with one argument, which stands where the ? is.
func (p *page) and(asked bool, condition string, arg any) {
	if asked {
		p.filters = append(p.filters, strings.ReplaceAll(condition, "?", p.arg(arg)))
	}
}

// filter is what else is asked of the rows.
func (p *page) filter(query studio.ItemQuery) {
	p.and(query.Under != "", "i.place_id in (select p.id from place p where p.path like ? || '%')", query.Under)
	if query.Loose {
		p.filters = append(p.filters, "i.place_id is null")
	}
	if query.Starred {
		p.filters = append(p.filters, "i.starred_at is not null")
	}
	p.bounds("i", query.Find)
	p.and(len(query.What) > 0, "i.what = any(?)", query.What)
	p.and(query.Tag != "", "i.tags @> array[?::text]", query.Tag)
	p.and(!query.Since.IsZero(), "i.created_at >= ?", query.Since)
}

// bounds are those on length and size of the rows of an alias.
func (p *page) bounds(alias string, f find.Query) {
	p.and(f.MinLength > 0, alias+".length_us >= ?", f.MinLength)
	p.and(f.MaxLength > 0, alias+".length_us between 1 and ?", f.MaxLength)
	p.and(f.MinSize > 0, alias+".size >= ?", f.MinSize)
	p.and(f.MaxSize > 0, alias+".size <= ?", f.MaxSize)
}

// page are the rows whose identifiers a query gives, with what is shown of them.
// Two queries, since to plan the second anew each time takes longer than to run it.
func (q *queries) page(ctx context.Context, ids string, p *page) ([]studio.Item, error) {
	rows, err := q.db.Query(ctx, ids, p.args...)
	if err != nil {
		return nil, err
	}
	found, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err != nil || len(found) == 0 {
		return nil, err
	}
	return q.items(ctx, "where i.id = any($1) order by "+p.order(), found)
}
