package db_test

import (
	"context"
	"encoding/json"
	"errors"
	"testing"
	"time"

	"aftergust/core/file/coverage"
	"aftergust/core/record/event"
	"aftergust/core/words/letter"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/files/keep"
	"aftergust/internal/ground"
	"aftergust/internal/ground/db"
	"aftergust/internal/out/letters"
	"aftergust/internal/parts/changes"
	"aftergust/internal/parts/follow"
	"aftergust/internal/parts/gather"
	"aftergust/internal/parts/happen"
	"aftergust/internal/parts/hooks"
	"aftergust/internal/parts/letterheads"
	"aftergust/internal/parts/notices"
	"aftergust/internal/parts/pack"
	"aftergust/internal/parts/people"
	"aftergust/internal/parts/proofs"
	"aftergust/internal/parts/receive"
	"aftergust/internal/parts/remind"
	"aftergust/internal/parts/review"
	"aftergust/internal/parts/seen"
	"aftergust/internal/parts/show"
	"aftergust/internal/parts/tally"
	"aftergust/internal/parts/ways"
	"aftergust/internal/who/account"
	"aftergust/internal/who/tries"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A watch keeps the queries that ran.
type watch struct {
	on   bool
	seen []pgx.TraceQueryStartData
}

func (w *watch) TraceQueryStart(ctx context.Context, _ *pgx.Conn, data pgx.TraceQueryStartData) context.Context {
	if w.on {
		w.seen = append(w.seen, data)
	}
	return ctx
}

func (w *watch) TraceQueryEnd(context.Context, *pgx.Conn, pgx.TraceQueryEndData) {}

// A step is a node of a plan, with those below it.
type step struct {
	Kind  string `json:"Node Type"`
	Table string `json:"Relation Name"`
	Plans []step `json:"Plans"`
}

// scanned are the tables that a plan reads from end to end.
func (s step) scanned() (out []string) {
	if s.Kind == "Seq Scan" {
		out = append(out, s.Table)
	}
	for _, below := range s.Plans {
		out = append(out, below.scanned()...)
	}
	return out
}

// A studio with two thousand packages, twenty thousand items and a hundred thousand
// events, and another as large: a query of a request reads no such table from end to end.
func TestNoRequestReadsATableFromEndToEnd(t *testing.T) {
	t.Parallel()
	w := &watch{}
	store, err := db.Watched(t.Context(), apptest.Migrated(t, pg), w)
	require.NoError(t, err)
	t.Cleanup(store.Close)
	large := apptest.Bulk{Packages: 2000, Out: 200, Items: 20_000, Each: 20, Lines: 2, Events: 100_000}
	for _, x := range []string{"a", "b"} {
		require.NoError(t, account.Rows{DB: store}.CreateStudio(t.Context(), x, "Low Tide", "Europe/London"))
		_, err = store.Pool().Exec(t.Context(), `insert into card (studio_id, name) values ($1, 'Mara')`, x)
		require.NoError(t, err)
		_, err = store.Pool().Exec(t.Context(), `insert into member (id, studio_id, name, email, password_hash, role, card_id)
			select $1 || 'm', $1, 'Mara', $1 || '@low.example', '', 'owner', min(id) from card`, x)
		require.NoError(t, err)
		require.NoError(t, large.Write(t.Context(), store.Pool(), x, x+"m", x))
		_, err = store.Pool().Exec(t.Context(), `
			with h as (insert into showing (id, studio_id, title, layout, link_nonce, link_hash, created_by)
				select $1 || 's' || n, $1, 'Films', 'scroll', '', decode(md5($1 || n), 'hex'), $1 || 'm' from generate_series(1, 2000) n returning id)
			insert into shown (id, showing_id, item_id, position) select h.id || '-' || n, h.id, $1 || 'i' || n, n from h, generate_series(1, 5) n`, x)
		require.NoError(t, err)
	}
	// Every second package has its chain, the others wait for theirs.
	_, err = store.Pool().Exec(t.Context(), `
		insert into chain (parcel_id) select id from parcel where right(id, 1)::int % 2 = 0;
		insert into link (parcel_id, seq, event_id, at, sum)
			select parcel_id, row_number() over (partition by parcel_id order by at, id), id, at, ''
			from event where right(parcel_id, 1)::int % 2 = 0;
		delete from unlinked;
		insert into unlinked (event_id, parcel_id, at) select id, parcel_id, at from event where right(parcel_id, 1)::int % 2 = 1`)
	require.NoError(t, err)
	require.NoError(t, apptest.Analyze(t.Context(), store.Pool()))
	small := map[string]bool{} // tables that may be read whole
	rows, err := store.Pool().Query(t.Context(), "select relname from pg_class where relkind in ('r', 'p') and reltuples < 1000")
	require.NoError(t, err)
	names, err := pgx.CollectRows(rows, pgx.RowTo[string])
	require.NoError(t, err)
	for _, name := range names {
		small[name] = true
	}
	now, back := time.Now(), errors.New("take it back")
	page := []string{"ap1990", "ap1991", "ap1992"}
	to := receive.Delivery{Studio: "a", Parcel: "ap7", Line: "al13", Version: "av142", Size: 1000}
	limits := []tries.Limit{{Key: "door:al13", Most: 10}, {Key: "host", Most: 30}}
	for what, ask := range map[string]func(ctx context.Context) error{
		"contents": func(ctx context.Context) error {
			_, err := (pack.ContentRows{DB: store}).Contents(ctx, "ap7", pack.Place{}, 200)
			return err
		},
		"contents, later": func(ctx context.Context) error {
			_, err := (pack.ContentRows{DB: store}).Contents(ctx, "ap7", pack.Place{Position: 9, ID: "x"}, 200)
			return err
		},
		"one of them": func(ctx context.Context) error {
			_, _, err := (pack.ContentRows{DB: store}).ContentByID(ctx, "ac7-3")
			return err
		},
		"entries": func(ctx context.Context) error {
			_, _, err := (receive.GivenRows{DB: store}).Entries(ctx, "ap7", nil)
			return err
		},
		"entries, chosen": func(ctx context.Context) error {
			_, _, err := (receive.GivenRows{DB: store}).Entries(ctx, "ap7", []string{"ac7-3"})
			return err
		},
		"story": func(ctx context.Context) error {
			_, err := (follow.Rows{DB: store}).Events(ctx, "ap7", follow.Moment{}, 50)
			return err
		},
		"story, later": func(ctx context.Context) error {
			_, err := (follow.Rows{DB: store}).Events(ctx, "ap7", follow.Moment{At: now, ID: 7}, 50)
			return err
		},
		"what needs you": func(ctx context.Context) error {
			_, err := (follow.Rows{DB: store}).NeedsYou(ctx, "a", "m", now.AddDate(0, 0, -14))
			return err
		},
		"overview": func(ctx context.Context) error {
			_, err := (gather.PlaceRows{DB: store}).PlaceSums(ctx, "a", "", now, 12)
			return err
		},
		"packages": func(ctx context.Context) error {
			_, err := (follow.Rows{DB: store}).ParcelTable(ctx, "a", follow.Query{Filter: follow.AllOf, Order: follow.Newest}, now, 50)
			return err
		},
		"packages that are out": func(ctx context.Context) error {
			_, err := (follow.Rows{DB: store}).ParcelTable(ctx, "a", follow.Query{Filter: follow.Open, Order: follow.Newest}, now, 200)
			return err
		},
		"strands": func(ctx context.Context) error {
			_, err := (follow.Rows{DB: store}).Strands(ctx, page, false)
			return err
		},
		"open notes": func(ctx context.Context) error {
			_, err := (follow.Rows{DB: store}).OpenNoteCounts(ctx, page)
			return err
		},
		"waiting letters": func(ctx context.Context) error {
			_, err := (follow.Rows{DB: store}).WaitingLetters(ctx, page)
			return err
		},
		"clients": func(ctx context.Context) error { _, err := (follow.Rows{DB: store}).ClientsOf(ctx, page); return err },
		"usage":   func(ctx context.Context) error { _, _, err := (keep.Rows{DB: store}).Usage(ctx, "a"); return err },
		"covers": func(ctx context.Context) error {
			_, err := (receive.CoverRows{DB: store}).Covers(ctx, "ap7", []string{"av142"})
			return err
		},
		"hooks": func(ctx context.Context) error { _, err := (hooks.Rows{DB: store}).Hooks(ctx, "as1"); return err },
		"messages": func(ctx context.Context) error {
			_, err := (hooks.Rows{DB: store}).Deliveries(ctx, "h7", hooks.Cursor{At: time.Now(), ID: "x"}, 50)
			return err
		},
		"told event": func(ctx context.Context) error {
			_, _, err := (hooks.Rows{DB: store}).EventOf(ctx, "ap7", time.Now(), 7)
			return err
		},
		"viewings": func(ctx context.Context) error {
			_, err := (seen.Rows{DB: store}).Viewings(ctx, "ap7", "av142")
			return err
		},
		"who is here": func(ctx context.Context) error {
			_, err := (seen.Rows{DB: store}).PresentIn(ctx, "as1", "ap7", time.Now(), 100)
			return err
		},
		"covers of one": func(ctx context.Context) error {
			_, err := (receive.CoverRows{DB: store}).CoversOf(ctx, "al13", []string{"av142"})
			return err
		},
		"lines": func(ctx context.Context) error { _, err := (pack.LineRows{DB: store}).Lines(ctx, "ap7"); return err },
		"line by link": func(ctx context.Context) error {
			_, _, err := (receive.Rows{DB: store}).LineByLink(ctx, ground.Hash("aw13"))
			return err
		},
		"visit": func(ctx context.Context) error {
			_, _, err := (receive.Rows{DB: store}).VisitOf(ctx, "al13", ground.Hash("a13"))
			return err
		},
		"person by mail": func(ctx context.Context) error {
			_, _, err := (people.Rows{DB: store}).PersonByEmail(ctx, "a", "A7@kelpwick.example")
			return err
		},
		"member by mail": func(ctx context.Context) error {
			_, _, err := (account.Rows{DB: store}).MemberByEmail(ctx, "a@low.example")
			return err
		},
		"letters": func(ctx context.Context) error { _, err := (letters.Rows{DB: store}).Letters(ctx, "ap7"); return err },
		"heard": func(ctx context.Context) error {
			_, err := (letters.Rows{DB: store}).Heard(ctx, "ap7", letter.Reminder)
			return err
		},
		"missing": func(ctx context.Context) error {
			_, err := (tally.Rows{DB: store}).Missing(ctx, "al13", 4)
			return err
		},
		"looks": func(ctx context.Context) error { _, err := (remind.Rows{DB: store}).Looks(ctx, now, 100); return err },
		"whole": func(ctx context.Context) error {
			_, err := (receive.Rows{DB: store}).HaveAll(ctx, []string{"al13"})
			return err
		},
		"desk of": func(ctx context.Context) error {
			_, err := (notices.Rows{DB: store}).DeskOf(ctx, "ap7", "", now)
			return err
		},
		"due members": func(ctx context.Context) error {
			_, err := (notices.Rows{DB: store}).DueMembers(ctx, now, 50)
			return err
		},
		"a batch": func(ctx context.Context) error {
			_, err := (notices.Rows{DB: store}).Batch(ctx, "am0", "b", now, 100)
			return err
		},
		"notices of one": func(ctx context.Context) error {
			_, err := (notices.Rows{DB: store}).NoticePage(ctx, "a", "am0", notices.Cursor{}, 50)
			return err
		},
		"notices of all": func(ctx context.Context) error {
			_, err := (notices.Rows{DB: store}).NoticePage(ctx, "a", "", notices.Cursor{}, 50)
			return err
		},
		"unseen": func(ctx context.Context) error {
			_, err := (notices.Rows{DB: store}).CountUnseen(ctx, "am0", 100)
			return err
		},
		"seen":    func(ctx context.Context) error { return (notices.Rows{DB: store}).SeeNotices(ctx, "am0", 5, now) },
		"told":    func(ctx context.Context) error { _, err := (review.TalkRows{DB: store}).Told(ctx, "b1"); return err },
		"choices": func(ctx context.Context) error { _, err := (notices.Rows{DB: store}).Choices(ctx, "a"); return err },
		"uploads": func(ctx context.Context) error {
			_, err := (gather.UploadRows{DB: store}).UploadsOf(ctx, "ap7")
			return err
		},
		"notes": func(ctx context.Context) error { _, err := (review.Rows{DB: store}).Notes(ctx, "ap7", ""); return err },
		"notes of one": func(ctx context.Context) error {
			_, err := (review.Rows{DB: store}).Notes(ctx, "ap7", "ac7-3")
			return err
		},
		"given versions": func(ctx context.Context) error {
			_, err := (review.RoomRows{DB: store}).GivenVersions(ctx, "ac7-3", false)
			return err
		},
		"at a version": func(ctx context.Context) error {
			_, _, err := (review.RoomRows{DB: store}).ContentAt(ctx, "ac7-3", "av142", false)
			return err
		},
		"who takes part": func(ctx context.Context) error {
			_, err := (review.RoomRows{DB: store}).TakePart(ctx, "ap7")
			return err
		},
		"ratings": func(ctx context.Context) error {
			_, err := (review.RoomRows{DB: store}).Ratings(ctx, "ap7", "av142")
			return err
		},
		"former words": func(ctx context.Context) error {
			_, err := (review.Rows{DB: store}).FormerWords(ctx, "an1")
			return err
		},
		"pieces of one": func(ctx context.Context) error {
			_, err := (review.RoomRows{DB: store}).PiecesOf(ctx, "ac7-3")
			return err
		},
		"laid by hand": func(ctx context.Context) error {
			_, err := (review.RoomRows{DB: store}).LaidByHand(ctx, "ap7", "av142")
			return err
		},
		"unaligned": func(ctx context.Context) error {
			_, err := (changes.Rows{DB: store}).Unaligned(ctx, "av142")
			return err
		},
		"alignments": func(ctx context.Context) error {
			_, err := (changes.Rows{DB: store}).Alignments(ctx, "ai142")
			return err
		},
		"sign-offs": func(ctx context.Context) error {
			_, err := (review.RoundRows{DB: store}).SignOffs(ctx, "ap7", "")
			return err
		},
		"sign-offs of one": func(ctx context.Context) error {
			_, err := (review.RoundRows{DB: store}).SignOffs(ctx, "ap7", "ac7-3")
			return err
		},
		"rounds": func(ctx context.Context) error {
			_, err := (review.RoundRows{DB: store}).RoundsOf(ctx, "ap7")
			return err
		},
		"a project's rounds": func(ctx context.Context) error {
			_, _, _, err := (review.RoundRows{DB: store}).ProjectOf(ctx, "ap7")
			return err
		},
		"an attachment": func(ctx context.Context) error {
			_, _, err := (review.AttachmentRows{DB: store}).AttachmentByID(ctx, "at1")
			return err
		},
		"readers": func(ctx context.Context) error {
			_, err := (happen.Rows{DB: store}).Readers(ctx, "ap7", "")
			return err
		},
		"gates": func(ctx context.Context) error {
			_, err := (receive.Rows{DB: store}).Gates(ctx, page, []string{"al13"})
			return err
		},
		"giving packages": func(ctx context.Context) error {
			_, err := (gather.ThingRows{DB: store}).Given(ctx, []string{"ai142"}, true)
			return err
		},
		"a receipt": func(ctx context.Context) error {
			came := []receive.Receipts{{Delivery: to, Bytes: coverage.Of(coverage.Range{End: 1000})}}
			_, err := (receive.CoverRows{DB: store}).AddCoverage(ctx, came, now)
			return err
		},
		"happenings": func(ctx context.Context) error {
			_, err := (happen.Rows{DB: store}).InsertEvents(ctx, []happen.Happening{{Kind: event.Looked, StudioID: "a", ParcelID: "ap7", LineID: "al13", Version: "av142"}})
			return err
		},
		"a try": func(ctx context.Context) error {
			_, _, err := (tries.Rows{DB: store}).SpendAttempt(ctx, limits, now, now)
			return err
		},
		"a try forgiven": func(ctx context.Context) error { return (tries.Rows{DB: store}).ForgiveAttempt(ctx, limits) },
		"putting in": func(ctx context.Context) error {
			_, err := (pack.ContentRows{DB: store}).PutItems(ctx, "ap7", []pack.Put{{ItemID: "ai1"}, {ItemID: "ai2"}}, nil)
			return err
		},
		"a link by its name": func(ctx context.Context) error {
			_, _, err := (receive.Rows{DB: store}).LineByName(ctx, "lifeboat")
			return err
		},
		"names of links": func(ctx context.Context) error {
			_, err := (pack.MemoryRows{DB: store}).LinkNames(ctx, "ap7")
			return err
		},
		"a code used": func(ctx context.Context) error {
			_, _, err := (ways.Rows{DB: store}).UsePickup(ctx, []byte{1}, now)
			return err
		},
		"showings": func(ctx context.Context) error { _, err := (show.Rows{DB: store}).Showings(ctx, "a"); return err },
		"pieces":   func(ctx context.Context) error { _, err := (show.Rows{DB: store}).Pieces(ctx, "as1"); return err },
		"a piece": func(ctx context.Context) error {
			_, _, err := (show.Rows{DB: store}).PieceByID(ctx, "as1-1")
			return err
		},
		"what is shown": func(ctx context.Context) error {
			_, err := (show.Rows{DB: store}).StillShown(ctx, []string{"as1-1", "as2-1"})
			return err
		},
		"a showing": func(ctx context.Context) error {
			_, _, err := (show.Rows{DB: store}).ShowingByName(ctx, "films")
			return err
		},
		"chaining": func(ctx context.Context) error { _, _, err := (proofs.Rows{DB: store}).Link(ctx, "ap7"); return err },
		"a chain": func(ctx context.Context) error {
			_, err := (proofs.Rows{DB: store}).Chained(ctx, "ap8", 3, 100)
			return err
		},
		"what has no link": func(ctx context.Context) error {
			_, err := (proofs.Rows{DB: store}).Unlinked(ctx, "ap7", 50)
			return err
		},
		"all chains": func(ctx context.Context) error { _, err := (proofs.Rows{DB: store}).Chains(ctx, "ap7", 50); return err },
		"ticks": func(ctx context.Context) error {
			_, err := (review.RoomRows{DB: store}).TicksOf(ctx, "ap7", "")
			return err
		},
		"a confirmation": func(ctx context.Context) error {
			_, _, err := (account.TeamRows{DB: store}).SpendConfirmCode(ctx, "am", 5, now)
			return err
		},
		"text messages": func(ctx context.Context) error { _, err := (ways.Rows{DB: store}).TextsOf(ctx, "al13"); return err },
		"guests of a link": func(ctx context.Context) error {
			_, err := (pack.LineRows{DB: store}).CountGuests(ctx, "al13")
			return err
		},
		"who asked": func(ctx context.Context) error {
			_, _, err := (receive.Rows{DB: store}).LastKnock(ctx, "al13", ground.Hash("a13"))
			return err
		},
		"other devices": func(ctx context.Context) error {
			_, err := (receive.Rows{DB: store}).Elsewhere(ctx, "al13", ground.Hash("a13"))
			return err
		},
		"the rest": func(ctx context.Context) error {
			_, err := (receive.GivenRows{DB: store}).RestOf(ctx, "ap7", "al13")
			return err
		},
		"a letterhead": func(ctx context.Context) error {
			_, _, err := (letterheads.Rows{DB: store}).LetterheadFor(ctx, "ap7")
			return err
		},
		"drafts that go":     func(ctx context.Context) error { _, err := (pack.DraftRows{DB: store}).Going(ctx, now, 50); return err },
		"what a draft knows": func(ctx context.Context) error { _, err := (pack.MemoryRows{DB: store}).Pasts(ctx, "ap7"); return err },
		"what was added": func(ctx context.Context) error {
			_, _, err := (pack.MemoryRows{DB: store}).AddedSince(ctx, "ap7", now)
			return err
		},
		"an item given up": func(ctx context.Context) error { return (pack.ContentRows{DB: store}).RemoveItem(ctx, "ap7", "ac7-3") },
		"an item withdrawn": func(ctx context.Context) error {
			return (pack.ContentRows{DB: store}).WithdrawItem(ctx, "ap7", "ac7-3", now)
		},
	} {
		w.seen, w.on = nil, true
		err := store.Tx(t.Context(), func(ctx context.Context) error {
			require.NoError(t, ask(ctx), what)
			return back
		})
		w.on = false
		require.ErrorIs(t, err, back)
		asked := w.seen
		require.Greater(t, len(asked), 2, "%s: begin, at least one query, and rollback", what)
		for _, q := range asked {
			if len(q.Args) == 0 { // begin and rollback
				continue
			}
			var plan []byte
			require.NoError(t, store.Pool().QueryRow(t.Context(), "explain (format json) "+q.SQL, q.Args...).Scan(&plan), what)
			var plans []struct{ Plan step }
			require.NoError(t, json.Unmarshal(plan, &plans))
			for _, table := range plans[0].Plan.scanned() {
				assert.True(t, small[table], "%s reads %s from end to end:\n%s", what, table, q.SQL)
			}
		}
	}
}
