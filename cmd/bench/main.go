// Command bench measures Aftergust against nginx, tusd, ffmpeg and PostgreSQL itself on this machine, in
// alternating runs, and writes docs/bench.md. Only ratios of one run count:
// machines are shared and noisy.
package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"os/signal"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"aftergust/internal/dev/demo"
)

const runs = 5

func main() {
	out := flag.String("out", "docs/bench.md", "file for the table")
	size := flag.Int64("size", 2<<30, "bytes of the large file")
	only := flag.String("only", "", "names of measurements, parted by commas: downloads, receipts, zip, first-byte, uploads, scale, sound, growth, crowd, secure, screens, room; empty: all")
	tusd := flag.String("tusd", "", "serve bare tusd on this folder (used by the bench itself)")
	address := flag.String("addr", "", "address of bare tusd")
	flag.Parse()
	var err error
	if *tusd != "" {
		err = serveTusd(*address, *tusd)
	} else {
		ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt)
		defer stop()
		err = bench(ctx, *out, *size, *only)
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, "bench:", err)
		os.Exit(1)
	}
}

// A figure is one row of the table.
type figure struct {
	what, against, reach, ours, theirs, ratio, verdict string
}

func median(values []float64) float64 {
	sorted := slices.Sorted(slices.Values(values))
	return sorted[len(sorted)/2]
}

// p95 is the 95th percentile.
func p95(values []float64) float64 {
	v := slices.Sorted(slices.Values(values))
	return v[len(v)*95/100]
}

func spread(values []float64, unit string) string {
	return fmt.Sprintf("%.2f %s (%.2f–%.2f)", median(values), unit, slices.Min(values), slices.Max(values))
}

func verdict(ok bool) string {
	if ok {
		return "reached"
	}
	return "**missed**"
}

func bench(ctx context.Context, out string, size int64, only string) error {
	b, err := newBench(ctx, size)
	if err != nil {
		return err
	}
	defer b.close()
	var figures []figure
	for _, measure := range []struct {
		name string
		run  func(context.Context) ([]figure, error)
	}{{"downloads", b.downloads}, {"receipts", b.receipts}, {"zip", b.zip}, {"first-byte", b.firstByte}, {"uploads", b.uploads}, {"scale", b.scale},
		{"sound", b.sound}, {"growth", b.growth}, {"crowd", b.crowd}, {"secure", b.secure}, {"screens", b.screens}, {"room", b.room}} {
		if only != "" && !strings.Contains(","+only+",", ","+measure.name+",") {
			continue
		}
		some, err := measure.run(ctx)
		if err != nil {
			return err
		}
		for _, f := range some {
			fmt.Printf("%-58s %-28s %-28s %-8s %s\n", f.what, f.ours, f.theirs, f.ratio, f.verdict)
		}
		figures = append(figures, some...)
		if err := write(out, figures); err != nil { // what is measured is kept, whatever comes of the rest
			return err
		}
	}
	return nil
}

// pair runs two measurements in turn, after one of each that does not count.
func pair(ours, theirs func() (float64, error)) (a, b []float64, err error) {
	for i := range runs + 1 {
		x, errX := ours()
		y, errY := theirs()
		if err := errors.Join(errX, errY); err != nil {
			return nil, nil, err
		}
		if i > 0 {
			a, b = append(a, x), append(b, y)
		}
	}
	return a, b, nil
}

// fetch gets a URL by curl over n connections, each its own range, and returns GB a second.
func fetch(url string, size int64, n int64) (float64, error) {
	began := time.Now()
	var wait sync.WaitGroup
	problems := make(chan error, n)
	for i := range n {
		args := []string{"-sS", "--fail", "-o", "/dev/null"}
		if n > 1 {
			args = append(args, "-r", fmt.Sprintf("%d-%d", i*size/n, (i+1)*size/n-1))
		}
		wait.Go(func() {
			if out, err := exec.Command("curl", append(args, url)...).CombinedOutput(); err != nil {
				problems <- fmt.Errorf("curl: %w %s", err, out)
			}
		})
	}
	wait.Wait()
	took := time.Since(began).Seconds()
	close(problems)
	return float64(size) / 1e9 / took, <-problems
}

// metered also keeps the processor time that a process took for each GB of the bytes that do delivers.
func metered(pid int, bytes int64, cpu *[]float64, do func() (float64, error)) func() (float64, error) {
	return func() (float64, error) {
		before, err := cpuSeconds(pid)
		if err != nil {
			return 0, err
		}
		rate, errDo := do()
		after, err := cpuSeconds(pid)
		*cpu = append(*cpu, (after-before)/(float64(bytes)/1e9))
		return rate, errors.Join(err, errDo)
	}
}

func (b *benchmark) downloads(ctx context.Context) ([]figure, error) {
	var figures []figure
	ours, theirs := b.url(b.large.take), b.nginx.url+"/large"
	for _, c := range []struct {
		n     int64
		reach float64
	}{{1, 0.95}, {16, 0.90}} {
		var cpuOurs, cpuTheirs []float64
		down := func(url string) func() (float64, error) {
			return func() (float64, error) { return fetch(url, b.size, c.n) }
		}
		x, y, err := pair(metered(b.server.Process.Pid, b.size, &cpuOurs, down(ours)), metered(b.nginx.pid, b.size, &cpuTheirs, down(theirs)))
		if err != nil {
			return nil, err
		}
		ratio := median(x) / median(y)
		figures = append(figures, figure{fmt.Sprintf("%d MiB down, %d connection(s), receipts recorded", b.size>>20, c.n), "nginx, sendfile",
			fmt.Sprintf("≥ %.2f", c.reach),
			spread(x, "GB/s"), spread(y, "GB/s"), fmt.Sprintf("%.2f", ratio), verdict(ratio >= c.reach)})
		if c.n == 1 {
			cpu := median(cpuOurs[1:]) / median(cpuTheirs[1:])
			figures = append(figures, figure{"processor time for each GB of it", "nginx, sendfile", "≤ 1.20", spread(cpuOurs[1:], "s"),
				spread(cpuTheirs[1:], "s"), fmt.Sprintf("%.2f", cpu), verdict(cpu <= 1.2)})
		}
	}
	return figures, nil
}

func (b *benchmark) zip(ctx context.Context) ([]figure, error) {
	before, err := memory(b.server.Process.Pid)
	if err != nil {
		return nil, err
	}
	peak := before
	x, y, err := pair(func() (float64, error) {
		rate, err := fetch(b.url(b.many.archive), b.many.size, 1)
		now, errMemory := memory(b.server.Process.Pid)
		peak = max(peak, now)
		return rate, errors.Join(err, errMemory)
	}, func() (float64, error) { return fetch(b.nginx.url+"/large", b.size, 1) })
	if err != nil {
		return nil, err
	}
	ratio, grown := median(x)/median(y), float64(peak-before)/(1<<20)
	return []figure{
		{"whole package as ZIP, 200 files", "nginx, one file of that size", "≥ 0.85", spread(x, "GB/s"), spread(y, "GB/s"),
			fmt.Sprintf("%.2f", ratio), verdict(ratio >= 0.85)},
		{"growth of the process meanwhile", "–", "< 16 MiB", fmt.Sprintf("%.1f MiB", grown), "–", "–", verdict(grown < 16)},
	}, nil
}

// answer is how long the first bytes of a range take to come, in milliseconds.
func answer(ctx context.Context, url, byteRange string) (float64, error) {
	request, err := http.NewRequestWithContext(ctx, http.MethodGet, url, nil)
	if err != nil {
		return 0, err
	}
	request.Header.Set("Range", byteRange)
	began := time.Now()
	response, err := http.DefaultClient.Do(request)
	if err != nil {
		return 0, err
	}
	defer response.Body.Close()
	if said, err := io.ReadAll(response.Body); err != nil || response.StatusCode != http.StatusPartialContent {
		return 0, fmt.Errorf("%s of %s: %s, %v: %.300s", byteRange, url, response.Status, err, said)
	}
	return float64(time.Since(began).Microseconds()) / 1000, nil
}

func (b *benchmark) firstByte(ctx context.Context) ([]figure, error) {
	var one, start, middle []float64
	// Another title makes another plan, so that the first request finds none in memory.
	if err := b.owner.Do(ctx, "PATCH", "/api/v1/packages/"+b.huge.id, map[string]any{"title": "Frames"}, nil); err != nil {
		return nil, err
	}
	b.huge.archive, _, _ = strings.Cut(b.huge.archive, "?") // the address of what there is now
	cold, err := answer(ctx, b.url(b.huge.archive), "bytes=0-99")
	if err != nil {
		return nil, err
	}
	for range 4 * runs {
		for _, m := range []struct {
			url, at string
			to      *[]float64
		}{{b.url(b.huge.take), "bytes=0-99", &one}, {b.url(b.huge.archive), "bytes=0-99", &start},
			{b.url(b.huge.archive), fmt.Sprintf("bytes=%d-%d", b.huge.size/2, b.huge.size/2+99), &middle}} {
			took, err := answer(ctx, m.url, m.at)
			if err != nil {
				return nil, err
			}
			*m.to = append(*m.to, took)
		}
	}
	over := median(start) - median(one)
	ratio := median(middle) / median(start)
	return []figure{
		{"first bytes of a ZIP of 10 000 files, 1.1 TB (sparse)", "the same request for one file", "≤ 20 ms over", spread(start, "ms"),
			spread(one, "ms"), fmt.Sprintf("%+.1f ms", over), verdict(over <= 20)},
		{"the same, the first time, before its plan is cached", "", "", fmt.Sprintf("%.0f ms", cold), "", "", ""},
		{"a range in its middle", "a range at its start", "as fast", spread(middle, "ms"), spread(start, "ms"), fmt.Sprintf("%.2f", ratio),
			verdict(ratio <= 1.25)},
	}, nil
}

func (b *benchmark) uploads(ctx context.Context) ([]figure, error) {
	bare := demo.NewClient("http://"+b.tusd, "")
	send := func(c *demo.Client, parcel string) (float64, error) {
		began := time.Now()
		_, err := c.Upload(ctx, parcel, b.source, "")
		return float64(b.size) / 1e9 / time.Since(began).Seconds(), err
	}
	x, y, err := pair(func() (float64, error) {
		var p struct{ ID string }
		if err := b.owner.Do(ctx, "POST", "/api/v1/packages", nil, &p); err != nil {
			return 0, err
		}
		return send(b.owner, p.ID)
	}, func() (float64, error) {
		rate, err := send(bare, "")
		return rate, errors.Join(err, emptyFolder(b.tusdDir))
	})
	if err != nil {
		return nil, err
	}
	ratio := median(x) / median(y)
	return []figure{{fmt.Sprintf("%d MiB up by tus, until usable in a package", b.size>>20), "bare tusd, file store", "≥ 0.90",
		spread(x, "GB/s"), spread(y, "GB/s"), fmt.Sprintf("%.2f", ratio), verdict(ratio >= 0.9)}}, nil
}

func emptyFolder(dir string) error {
	found, err := filepath.Glob(filepath.Join(dir, "*"))
	for _, file := range found {
		err = errors.Join(err, os.Remove(file))
	}
	return err
}

func write(out string, figures []figure) error {
	var b strings.Builder
	fmt.Fprintf(&b, "# Speed and memory\n\nWritten by `make bench` on %s. %s\n\nEach figure is the median of %d alternating runs, with the smallest and the largest; only the ratios count, since the machine is shared. "+
		"Readers are curl, servers and readers share the machine.\n\n| what | against | to reach | Aftergust | the other | ratio | |\n|---|---|---|---|---|---|---|\n", time.Now().Format("2 January 2006"), machine(), runs)
	for _, f := range figures {
		fmt.Fprintf(&b, "| %s | %s | %s | %s | %s | %s | %s |\n", f.what, f.against, f.reach, f.ours, f.theirs, f.ratio, f.verdict)
	}
	return os.WriteFile(out, []byte(b.String()), 0o644)
}
