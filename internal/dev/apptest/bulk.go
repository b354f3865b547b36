package apptest

import (
	"context"
	"fmt"
	"strconv"
	"strings"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
)

// Bulk is how much a studio has that has been at work for years. It is written as
// rows only, without bytes.
type Bulk struct {
	Packages int // all sent, and cleared two weeks after their end
	Out      int // of them, the newest: still out
	Items    int // in the studio
	Each     int // items in a package
	Lines    int // in a package
	Events   int // in all packages together
}

// Write writes it for a studio's member. It is fast because it skips triggers: what
// they would count is written as well. prefix keeps what is written twice apart.
func (b Bulk) Write(ctx context.Context, pool *pgxpool.Pool, studio, member, prefix string) error {
	numbers := strings.NewReplacer("@packages", strconv.Itoa(b.Packages), "@items", strconv.Itoa(b.Items), "@each", strconv.Itoa(b.Each),
		"@out", strconv.Itoa(b.Out), "@lines", strconv.Itoa(b.Lines), "@events", strconv.Itoa(b.Events))
	return pgx.BeginFunc(ctx, pool, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "set local session_replication_role = replica"); err != nil {
			return err
		}
		for i, statement := range bulk {
			_, err := tx.Exec(ctx, numbers.Replace(statement), pgx.NamedArgs{"studio": studio, "member": member, "x": prefix})
			if err != nil {
				return fmt.Errorf("bulk %d: %w", i, err)
			}
		}
		return nil
	})
}

// Analyze lets the database learn what lies in it.
func Analyze(ctx context.Context, pool *pgxpool.Pool) error {
	_, err := pool.Exec(ctx, "vacuum analyze")
	return err
}

var bulk = []string{
	`insert into blob (id, studio_id, size, crc32, sha256)
	 select @x || 'b' || n, @studio, 1000, n, sha256((@x || n)::bytea) from generate_series(1, @items) n`,
	`insert into item (id, studio_id, kind, name, current_version_id, created_by, name_key, what, size)
	 select @x || 'i' || n, @studio, 'file', 'take ' || n || '.mov', @x || 'v' || n, @member,
	        convert_to(lpad(n::text, 9, '0'), 'UTF8'), 'film', 1000
	 from generate_series(1, @items) n`,
	`insert into version (id, item_id, number, file_name, blob_id, kind, mime, media_state, media_recipe)
	 select @x || 'v' || n, @x || 'i' || n, 1, 'take ' || n || '.mov', @x || 'b' || n, 'film', 'video/mp4', 'ready', 1000000
	 from generate_series(1, @items) n`,
	`insert into parcel (id, studio_id, title, door, end_rule, created_by, created_at, sent_at, ends_at, cleared_at, items, weight, loose)
	 select @x || 'p' || n, @studio, 'Package ' || n, 'open', '{"kind": "after_days", "days": 7, "zone": "Europe/London"}', @member, at, at,
	        case when n > @packages - @out then now() + interval '7 days' else least(at + interval '7 days', now() - interval '1 day') end,
	        case when n <= @packages - @out and at < now() - interval '21 days' then at + interval '21 days' end, @each, 1000 * @each, 1000 * @each
	 from (select n, now() - interval '300 days' * (@packages - n + 1) / @packages as at from generate_series(1, @packages::int) n) n`,
	`insert into parcel_item (id, parcel_id, item_id, position, counted, weight, loose)
	 select @x || 'c' || p || '-' || n, @x || 'p' || p, @x || 'i' || (p * @each::bigint + n) % @items + 1, n, true, 1000, true
	 from generate_series(1, @packages) p, generate_series(1, @each) n`,
	`insert into person (id, studio_id, name, email)
	 select @x || 'h' || n, @studio, 'Person ' || n, @x || n || '@kelpwick.example' from generate_series(1, @packages * @lines) n`,
	`insert into card (studio_id, name, email)
	 select @studio, 'Person ' || n, @x || n || '@kelpwick.example' from generate_series(1, @packages * @lines) n`,
	`insert into line (id, parcel_id, person_id, card_id, rights, created_at)
	 select @x || 'l' || n, @x || 'p' || (n - 1) / @lines + 1, @x || 'h' || n,
	        (select min(id) from card where email = @x || '1@kelpwick.example') + n - 1,
	        '{see,note,take}', now() - interval '300 days' from generate_series(1, @packages * @lines) n`,
	`insert into way_in (id, line_id, kind, nonce, hash, since)
	 select @x || 'w' || n, @x || 'l' || n, 'personal', (@x || n)::bytea, sha256((@x || 'w' || n)::bytea), now() - interval '300 days'
	 from generate_series(1, @packages * @lines) n`,
	`insert into standing (line_id, parcel_id) select @x || 'l' || n, @x || 'p' || (n - 1) / @lines + 1
	 from generate_series(1, @packages * @lines) n`,
	`insert into visit (id, line_id, device_hash, way_in_id)
	 select @x || 's' || n, @x || 'l' || n, sha256((@x || n)::bytea), @x || 'w' || n from generate_series(1, @packages * @lines) n`,
	`insert into coverage (line_id, version_id, parcel_id, bytes, delivered, gaps, role)
	 select @x || 'l' || n, @x || 'v' || (((n - 1) / @lines + 1) * @each::bigint + k) % @items + 1,
	        @x || 'p' || (n - 1) / @lines + 1, '{[0,500)}', 500, 1, 1
	 from generate_series(1, @packages * @lines) n, generate_series(1, least(@each, 20)) k on conflict do nothing`,
	`select event_month(now() - make_interval(months => m)) from generate_series(0, 11) m`,
	`insert into event (at, studio_id, parcel_id, line_id, version_id, line_card, kind, facts)
	 select p.sent_at + interval '7 days' * ((n / @packages::int) / (@events::float8 / @packages + 1)), @studio, p.id,
	        @x || 'l' || (k * @lines + 1),
	        @x || 'v' || n % @items + 1, (select min(id) from card where email = @x || '1@kelpwick.example') + k * @lines,
	        (array['opened', 'looked', 'took'])[n % 3 + 1], '{"name": "take.mov", "number": 1, "size": 1000}'
	 from (select n, n % @packages as k from generate_series(1, @events::int) n) n join parcel p on p.id = @x || 'p' || (k + 1)`,
	`insert into notice (studio_id, member_id, parcel_id, kind, event_id, at, seen_at)
	 select studio_id, @member, parcel_id, 'has_all', id, at, at from event where studio_id = @studio and kind = 'took' and line_id like @x || '%'`,
	`insert into letter (id, studio_id, parcel_id, line_id, kind, to_name, to_email, state, tries, created_at, sent_at)
	 select @x || 'm' || n, @studio, @x || 'p' || (n - 1) / @lines + 1, @x || 'l' || n, 'delivery', 'Person', 'p@kelpwick.example', 'sent', 1,
	        now() - interval '200 days', now() - interval '200 days' from generate_series(1, @packages * @lines) n`,
	`insert into note (id, parcel_id, version_id, line_id, anchor, place, body, created_at, done_at)
	 select @x || 'n' || n, @x || 'p' || n, @x || 'v' || n % @items + 1, @x || 'l' || (n - 1) * @lines + 1, '{}', '{}', 'Louder.', now(), now()
	 from generate_series(1, @packages) n`,
	`insert into upload (id, studio_id, member_id, parcel_id, name, size, position, state, item_id)
	 select @x || 'u' || n, @studio, @member, @x || 'p' || n, 'take.mov', 1000, 1, 'arrived', @x || 'i' || n % @items + 1
	 from generate_series(1, @packages) n`,
	`update studio set held_bytes = held_bytes + 1000 * @items where id = @studio`,
}
