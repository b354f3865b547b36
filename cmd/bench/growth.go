package main

import (
	"context"
	"fmt"
	"hash/crc32"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"

	"aftergust/internal/dev/apptest"
	"aftergust/internal/dev/demo"
	"aftergust/internal/files/blob"
	"aftergust/internal/ground/db"
	"aftergust/internal/who/account"
)

// What lies in the two studios that are compared. As many packages are out in both,
// and both fill one page of the list, so that as much is shown.
var (
	oldStudio = apptest.Bulk{Packages: 2000, Out: 20, Items: 300_000, Each: 10, Lines: 2, Events: 1_000_000}
	newStudio = apptest.Bulk{Packages: 50, Out: 20, Items: 200, Each: 10, Lines: 2, Events: 10_000}
)

const (
	chosenItems = 20_000
	zipEntries  = 70_000
)

// grown is a studio that holds much, with its records at hand.
type grown struct {
	studio
	store *db.DB
	own   account.Member
}

func (b *benchmark) grow(ctx context.Context, name string, much ...prefixed) (g grown, err error) {
	if g.studio, err = b.serve(ctx, name); err != nil {
		return g, err
	}
	if g.store, err = db.Open(ctx, b.pg.URL(name)); err != nil {
		return g, err
	}
	b.ends = append(b.ends, g.store.Close)
	if g.own, _, err = (account.Rows{DB: g.store}).MemberByEmail(ctx, ownerEmail); err != nil {
		return g, err
	}
	for _, m := range much {
		if err := m.Write(ctx, g.store.Pool(), g.own.StudioID, g.own.ID, m.prefix); err != nil {
			return g, err
		}
	}
	if _, err := g.store.Pool().Exec(ctx, "update studio set quota_bytes = $1", int64(10e12)); err != nil {
		return g, err
	}
	return g, apptest.Analyze(ctx, g.store.Pool())
}

type prefixed struct {
	apptest.Bulk
	prefix string
}

// growth compares what a studio that has been at work for years waits for with what
// a new one does.
func (b *benchmark) growth(ctx context.Context) ([]figure, error) {
	large, err := b.grow(ctx, "large", prefixed{oldStudio, "a"}, prefixed{apptest.Bulk{Packages: 1, Items: 100_000, Each: 100_000, Lines: 1}, "h"},
		prefixed{apptest.Bulk{Packages: 1, Items: 100, Each: 100, Lines: 1}, "k"})
	if err != nil {
		return nil, fmt.Errorf("a large studio: %w", err)
	}
	small, err := b.grow(ctx, "small", prefixed{newStudio, "a"})
	if err != nil {
		return nil, fmt.Errorf("a small studio: %w", err)
	}
	var figures []figure
	for _, c := range []struct {
		what, against string
		reach         float64
		ours, theirs  func() (float64, error)
	}{
		{"the Desk of 2 000 packages, 1 000 000 events", "of 50 packages, 10 000 events", 1.5, large.get(ctx, "/desk"), small.get(ctx, "/desk")},
		{"the list of these packages, its first page", "the same", 1.5, large.get(ctx, "/packages"), small.get(ctx, "/packages")},
		{"begin of an upload where 300 000 files lie", "where 200 lie", 1.25, large.begin(ctx, oldStudio), small.begin(ctx, newStudio)},
		{"first page of a package of 100 000 items", "of 100 items", 1.5, large.get(ctx, "/packages/hp1"), large.get(ctx, "/packages/kp1")},
		{"a page of its ledger", "of 100 items", 1.5, large.get(ctx, "/packages/hp1/ledger"), large.get(ctx, "/packages/kp1/ledger")},
	} {
		x, y, err := pair(c.ours, c.theirs)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", c.what, err)
		}
		ratio := median(x) / median(y)
		figures = append(figures, figure{c.what, c.against, fmt.Sprintf("≤ %.2f", c.reach), spread(x, "ms"), spread(y, "ms"),
			fmt.Sprintf("%.2f", ratio), verdict(ratio <= c.reach)})
	}
	many, err := large.many(ctx)
	if err != nil {
		return nil, err
	}
	zip, err := b.entries(ctx, large)
	return append(append(figures, many...), zip), err
}

// get is how long one request takes, in milliseconds, of ten.
func (g grown) get(ctx context.Context, path string) func() (float64, error) {
	return timed(func() error { return g.owner.Do(ctx, "GET", "/api/v1"+path, nil, nil) })
}

// begin is how long the begin of an upload into its newest package takes.
func (g grown) begin(ctx context.Context, much apptest.Bulk) func() (float64, error) {
	return timed(func() error {
		_, err := g.owner.BeginUpload(ctx, map[string]string{"filename": "take.mov", "package": fmt.Sprint("ap", much.Packages)}, 1000)
		return err
	})
}

func timed(do func() error) func() (float64, error) {
	return func() (float64, error) {
		began := time.Now()
		for range 10 {
			if err := do(); err != nil {
				return 0, err
			}
		}
		return float64(time.Since(began).Microseconds()) / 10_000, nil
	}
}

// many tags and packs as many things as can be chosen.
func (g grown) many(ctx context.Context) ([]figure, error) {
	ids := make([]string, chosenItems)
	for i := range ids {
		ids[i] = fmt.Sprintf("hi%d", i+1)
	}
	var figures []figure
	for _, act := range []struct {
		what, path string
		in         func(run int) any
	}{
		{"tag 20 000 things", "/things/tag", func(run int) any { return map[string]any{"items": ids, "add": []string{fmt.Sprint("night ", run)}} }},
		{"pack 20 000 chosen things into a new package", "/things/pack", func(int) any { return map[string]any{"items": ids, "places": []string{}} }},
	} {
		var took []float64
		for run := range runs {
			began := time.Now()
			if err := g.owner.Do(ctx, "POST", "/api/v1"+act.path, act.in(run), nil); err != nil {
				return nil, fmt.Errorf("%s: %w", act.what, err)
			}
			took = append(took, time.Since(began).Seconds())
		}
		figures = append(figures, figure{act.what, "–", "≤ 5 s", spread(took, "s"), "–", "–", verdict(median(took) <= 5)})
	}
	return figures, nil
}

// entries takes a package of very many files as one ZIP, as a recipient does, and
// lets another program test what came.
func (b *benchmark) entries(ctx context.Context, g grown) (figure, error) {
	content := []byte(strings.Repeat("frame ", 170))
	disk, err := blob.OpenDisk(g.blobs)
	if err != nil {
		return figure{}, err
	}
	frames := prefixed{apptest.Bulk{Packages: 1, Out: 1, Items: zipEntries, Each: zipEntries, Lines: 1}, "z"}
	if err := frames.Write(ctx, g.store.Pool(), g.own.StudioID, g.own.ID, "z"); err != nil {
		return figure{}, err
	}
	if _, _, _, err := disk.Put(ctx, "zb1", strings.NewReader(string(content))); err != nil {
		return figure{}, err
	}
	// All entries are of the same bytes, each in an order and under a name of its own.
	for _, statement := range []string{
		fmt.Sprintf("update blob set size = %d, crc32 = %d where id = 'zb1'", len(content), crc32.ChecksumIEEE(content)),
		"update version set blob_id = 'zb1', file_name = id || '.txt' where id like 'zv%'",
		"update item set name = id || '.txt' where id like 'zi%'",
	} {
		if _, err := g.store.Pool().Exec(ctx, statement); err != nil {
			return figure{}, err
		}
	}
	var line struct{ Link string }
	if err := g.owner.Do(ctx, "POST", "/api/v1/packages/zp1/recipients", map[string]any{"address": "hanne@kelpwick.example",
		"rights": []string{"see", "take"}}, &line); err != nil {
		return figure{}, err
	}
	var page struct{ Archive string }
	if err := demo.NewClient(g.base, "").Do(ctx, "GET", "/api/v1/r/"+line.Link[strings.LastIndex(line.Link, "/")+1:], nil, &page); err != nil {
		return figure{}, err
	}
	whole := filepath.Join(b.dir, "entries.zip")
	defer os.Remove(whole)
	before, err := memory(g.process.Process.Pid)
	if err != nil {
		return figure{}, err
	}
	var took []float64
	for range runs {
		began := time.Now()
		if out, err := exec.CommandContext(ctx, "curl", "-sS", "--fail", "-o", whole, g.base+page.Archive).CombinedOutput(); err != nil {
			return figure{}, fmt.Errorf("curl: %w %s", err, out)
		}
		took = append(took, time.Since(began).Seconds())
	}
	after, err := memory(g.process.Process.Pid)
	if err != nil {
		return figure{}, err
	}
	out, err := exec.CommandContext(ctx, "unzip", "-tq", whole).CombinedOutput()
	if err != nil {
		return figure{}, fmt.Errorf("unzip: %w %s", err, out)
	}
	return figure{fmt.Sprintf("a ZIP of %d entries over HTTP, tested whole by unzip", zipEntries), "–", "–", spread(took, "s"),
		fmt.Sprintf("the process grew by %d MiB, its plan kept", (after-before)>>20), "–", ""}, nil
}
