package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"time"

	"aftergust/core/file/find"
	"aftergust/core/file/naming"
	"aftergust/internal/files/media"
	"aftergust/internal/ground"
	"aftergust/internal/ground/db"
	"aftergust/internal/parts/gather"
	"aftergust/internal/who/account"

	"github.com/jackc/pgx/v5"
)

// How much lies in Gather for the scale figures.
const (
	largeProject = 50_000
	smallProject = 200
	allItems     = 200_000
	pageOf       = 120
)

// scale measures lists and search over a studio of many items.
func (b *benchmark) scale(ctx context.Context) ([]figure, error) {
	store, err := db.Open(ctx, b.pg.URL("bench"))
	if err != nil {
		return nil, err
	}
	defer store.Close()
	owner, _, err := account.Rows{DB: store}.MemberByEmail(ctx, ownerEmail)
	if err != nil {
		return nil, err
	}
	places, err := fillGather(ctx, store, owner)
	if err != nil {
		return nil, fmt.Errorf("fill Gather: %w", err)
	}
	pages, err := b.firstPages(ctx, places)
	if err != nil {
		return nil, err
	}
	var path string
	if err := store.Pool().QueryRow(ctx, "select path from place where id = $1", places[0]).Scan(&path); err != nil {
		return nil, err
	}
	everywhere, err := searches(ctx, store, gather.ItemQuery{Studio: owner.StudioID}, fmt.Sprintf("over %d items", allItems))
	if err != nil {
		return nil, err
	}
	within, err := searches(ctx, store, gather.ItemQuery{Studio: owner.StudioID, Under: path}, fmt.Sprintf("in a project of %d of them",
		largeProject))
	return append(pages, everywhere, within), err
}

// fillGather makes a project of largeProject items, one of smallProject, and
// others up to allItems, all in one transaction.
func fillGather(ctx context.Context, store *db.DB, owner account.Member) (places [2]string, err error) {
	err = pgx.BeginFunc(ctx, store.Pool(), func(tx pgx.Tx) error {
		client := ground.NewID()
		if _, err := tx.Exec(ctx, "insert into place (id, studio_id, kind, name, path) values ($1, $2, 'client', 'Scale', '/' || $1 || '/')",
			client, owner.StudioID); err != nil {
			return err
		}
		made := 0
		for i := 0; made < allItems; i++ {
			count := min(10_000, allItems-made)
			if i < 2 {
				count = []int{largeProject, smallProject}[i]
			}
			project := ground.NewID()
			if i < 2 {
				places[i] = project
			}
			if _, err := tx.Exec(ctx, `insert into place (id, studio_id, parent_id, kind, name, path) values ($1, $2, $3, 'project', $4,
				'/' || $3 || '/' || $1 || '/')`,
				project, owner.StudioID, client, fmt.Sprintf("Project %d", i)); err != nil {
				return err
			}
			if _, err := tx.Exec(ctx, `insert into blob (id, studio_id, size, crc32, created_at) select 'b' || $1::text || n, $2, 1000 + n, n,
				now() from generate_series(1, $3::int) n`,
				project, owner.StudioID, count); err != nil {
				return err
			}
			if err := copyItems(ctx, tx, owner, project, count); err != nil {
				return err
			}
			if _, err := tx.Exec(ctx, `
				insert into version (id, item_id, number, file_name, blob_id, kind, mime, media_state, facts, media_recipe)
				select current_version_id, id, 1, name, 'b' || substr(id, 2), 'film', 'video/quicktime', 'none', '{"width": 1280, "height": 720}', 99
				    from item where place_id = $1`, project); err != nil {
				return err
			}
			made += count
		}
		return nil
	})
	if err != nil {
		return places, err
	}
	return places, settle(ctx, store)
}

// settle brings the tables into the state in which a database at rest keeps them.
// What is vacuumed while an older snapshot is still held, as by an automatic
// analysis that began during the filling, stays unsettled, and is taken again.
func settle(ctx context.Context, store *db.DB) error {
	for range 20 {
		if _, err := store.Pool().Exec(ctx, "vacuum analyze item, version, blob, place, derived"); err != nil {
			return err
		}
		var settled bool
		if err := store.Pool().QueryRow(ctx, `select relallvisible >= 0.99 * relpages from pg_class
			where oid = 'item'::regclass`).Scan(&settled); err != nil || settled {
			return err
		}
		time.Sleep(time.Second)
	}
	return errors.New("the database does not come to rest")
}

// copyItems puts count items into a project.
func copyItems(ctx context.Context, tx pgx.Tx, owner account.Member, project string, count int) error {
	columns := []string{"id", "studio_id", "place_id", "kind", "name", "name_key", "created_by", "what", "size", "length_us", "search",
		"current_version_id"}
	_, err := tx.CopyFrom(ctx, pgx.Identifier{"item"}, columns, pgx.CopyFromSlice(count, func(i int) ([]any, error) {
		n := i + 1
		name := fmt.Sprintf("harbour_%d_take%d.mov", n%977, n)
		words := fmt.Sprintf("harbour %d take%d take mov film video h264 1280x720 720p 25fps word%d scene%d", n%977, n, n%5000, n%40)
		id := project + strconv.Itoa(n)
		return []any{"i" + id, owner.StudioID, project, "file", name, naming.OrderKey(name), owner.ID, "film", 1000 + n, n % 600 * 1_000_000,
			words, "v" + id}, nil
	}))
	return err
}

// firstPages compares the first page of a large project with that of a small one, over HTTP.
func (b *benchmark) firstPages(ctx context.Context, places [2]string) ([]figure, error) {
	var figures []figure
	for _, order := range []string{"name", "size", "hand"} {
		open := func(place string) func() (float64, error) {
			return func() (float64, error) {
				began := time.Now()
				for range 10 {
					if err := b.owner.Do(ctx, "GET", fmt.Sprintf("/api/v1/gather?place=%s&order=%s&limit=%d", place, order, pageOf), nil,
						nil); err != nil {
						return 0, err
					}
				}
				return float64(time.Since(began).Microseconds()) / 10_000, nil
			}
		}
		x, y, err := pair(open(places[0]), open(places[1]))
		if err != nil {
			return nil, err
		}
		ratio := median(x) / median(y)
		figures = append(figures, figure{fmt.Sprintf("first page of a project of %d files, by %s", largeProject, order),
			fmt.Sprintf("a project of %d files", smallProject), "≤ 1.25",
			spread(x, "ms"), spread(y, "ms"), fmt.Sprintf("%.2f", ratio), verdict(ratio <= 1.25)})
	}
	return figures, nil
}

// What people type, from the rare to the very common, as they type it.
var typed = []string{"take1234", "take12", "harb", "h", "harbour 17", "mov 25fps", "word17", "word4321", "wo", "scene3 harbour",
	"scene39 word", "film 720p",
	"harbour longer than 9 min", "take4 longer than 2 min", "word99 shorter than 30 s", "1280x720 scene7 take77", "video", "take199999",
	"harbour 976 take", "scene12"}

// searches compares searches somewhere with fetching the same rows by their keys.
func searches(ctx context.Context, store *db.DB, query gather.ItemQuery, where string) (figure, error) {
	query.Order, query.Limit = gather.ByName, pageOf
	var ours, theirs []float64
	for round := range runs + 1 {
		for _, text := range typed {
			began := time.Now()
			query.Find = find.Parse(text)
			found, err := gather.NewListRows(store).Items(ctx, query)
			took := time.Since(began)
			if err != nil {
				return figure{}, err
			}
			ids := make([]string, len(found))
			for i, item := range found {
				ids[i] = item.ID
			}
			began = time.Now()
			if _, err := (gather.ThingRows{DB: store}).ItemsByID(ctx, ids); err != nil {
				return figure{}, err
			}
			if round > 0 {
				ours, theirs = append(ours, float64(took.Microseconds())/1000), append(theirs, float64(time.Since(began).Microseconds())/1000)
			}
		}
	}
	ratio := p95(ours) / p95(theirs)
	return figure{fmt.Sprintf("search %s, 95th percentile of %d queries", where, len(ours)), "the same rows by their keys", "≤ 3",
		fmt.Sprintf("%.1f ms (median %.1f)", p95(ours), median(ours)), fmt.Sprintf("%.1f ms (median %.1f)", p95(theirs), median(theirs)),
		fmt.Sprintf("%.2f", ratio), verdict(ratio <= 3)}, nil
}

// sound compares peaks, loudness and true peak of an hour, in one pass, with a
// bare decode of it.
func (b *benchmark) sound(ctx context.Context) ([]figure, error) {
	file := filepath.Join(b.dir, "hour.wav")
	// Two tones that breathe and a little noise, as a mix does.
	source := "aevalsrc='0.4*sin(2*PI*220*t)*(0.55+0.45*sin(2*PI*0.26*t))+0.05*(random(0)-0.5)|0.3*sin(2*PI*440*t)*(0.6+0.4*sin(2*PI*0.11*t))+0.05*(random(1)-0.5)':s=48000:d=3600"
	if out, err := exec.CommandContext(ctx, "ffmpeg", "-v", "error", "-nostdin", "-y", "-f", "lavfi", "-i", source, "-c:a", "pcm_s16le",
		file).CombinedOutput(); err != nil {
		return nil, fmt.Errorf("make an hour of sound: %w %s", err, out)
	}
	defer os.Remove(file)
	facts, err := media.Probe(ctx, file)
	if err != nil {
		return nil, err
	}
	x, y, err := pair(func() (float64, error) {
		began := time.Now()
		measured := facts
		_, err := media.Listen(ctx, file, b.dir, &measured)
		return time.Since(began).Seconds(), err
	}, func() (float64, error) {
		began := time.Now()
		// As niced as ours is.
		out, err := exec.CommandContext(ctx, "nice", "-n", "10", "ffmpeg", "-v", "error", "-nostdin", "-i", file, "-f", "null",
			"-").CombinedOutput()
		if err != nil {
			err = errors.Join(err, errors.New(string(out)))
		}
		return time.Since(began).Seconds(), err
	})
	if err != nil {
		return nil, err
	}
	ratio := median(x) / median(y)
	return []figure{{"peaks, loudness and true peak of an hour, 48 kHz stereo WAV, one pass", "bare ffmpeg decode", "≤ 1.30", spread(x, "s"),
		spread(y, "s"), fmt.Sprintf("%.2f", ratio), verdict(ratio <= 1.3)}}, nil
}
