package main

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"strings"
	"sync"
	"time"
)

// many is at how many downloads at once receipts are weighed.
const many = 1000

// receipts weighs what it costs to record who took which bytes: many take parts of a file as
// recipients, and as members of the studio, whose taking is delivered by the same code and not recorded.
// Of long parts what counts begins when all of them are running. Short ones are told with their
// beginning, which costs a recipient more than a member: the door is weighed, and that they took is written down.
func (b *benchmark) receipts(ctx context.Context) (figures []figure, err error) {
	var whole struct{ Items []struct{ Version string } }
	if err := b.owner.Do(ctx, "GET", "/api/v1/packages/"+b.large.id, nil, &whole); err != nil {
		return nil, err
	}
	original := "/api/v1/versions/" + whole.Items[0].Version + "/original"
	bearer := "Authorization: Bearer " + b.owner.Token + "\r\n"
	for _, c := range []struct {
		what string
		crowd
	}{{"", crowd{part: b.size / 64, running: true}}, {", with their beginning", crowd{part: b.size / many}}} {
		var cpuRecorded, cpuBare []float64
		x, y, err := pair(b.taken(ctx, c.crowd, &cpuRecorded, b.large.take, ""), b.taken(ctx, c.crowd, &cpuBare, original, bearer))
		if err != nil {
			return nil, err
		}
		rate, cpu := median(x)/median(y), median(cpuRecorded[1:])/median(cpuBare[1:])
		f := []figure{{fmt.Sprintf("%d downloads at once, of %.0f MB each, receipts recorded%s", many, float64(c.part)/1e6, c.what),
			"the same, delivered to the studio and not recorded", "≥ 0.95", spread(x, "GB/s"), spread(y, "GB/s"),
			fmt.Sprintf("%.2f", rate), verdict(rate >= 0.95)},
			{"processor time of the server for each GB of it", "the same", "≤ 1.05", spread(cpuRecorded[1:], "s"), spread(cpuBare[1:], "s"),
				fmt.Sprintf("%.2f", cpu), verdict(cpu <= 1.05)}}
		if !c.running {
			for i := range f {
				f[i].reach, f[i].verdict = "–", "told only"
			}
		}
		figures = append(figures, f...)
	}
	return figures, nil
}

// A crowd is many who take a part of a file each.
type crowd struct {
	part    int64 // bytes
	running bool  // what is measured begins when all answers have begun
}

// taken lets a crowd take its parts, keeps the processor time of the server for each GB and returns GB a second.
func (b *benchmark) taken(ctx context.Context, c crowd, cpu *[]float64, path, header string) func() (float64, error) {
	return func() (float64, error) {
		var began time.Time
		var before float64
		begin := func() (err error) {
			began = time.Now()
			before, err = cpuSeconds(b.server.Process.Pid)
			return err
		}
		if err := b.allTake(ctx, c, path, header, begin); err != nil {
			return 0, err
		}
		took, gigabytes := time.Since(began).Seconds(), float64(c.part*many)/1e9
		time.Sleep(2 * time.Second) // the last receipts are written
		after, err := cpuSeconds(b.server.Process.Pid)
		*cpu = append(*cpu, (after-before)/gigabytes)
		return gigabytes / took, err
	}
}

// allTake lets everybody of a crowd take their part of the large file, and calls begin where
// what is measured begins.
func (b *benchmark) allTake(ctx context.Context, c crowd, path, header string, begin func() error) error {
	var all, answered sync.WaitGroup
	answered.Add(many)
	gate := make(chan struct{})
	problems := make(chan error, many)
	if !c.running {
		if err := begin(); err != nil {
			return err
		}
		close(gate)
	}
	for n := range int64(many) {
		all.Go(func() {
			once := sync.OnceFunc(answered.Done)
			defer once()
			err := b.partTaken(ctx, path, header, n*(b.size-c.part)/many, c.part, func() { once(); <-gate })
			if err != nil {
				problems <- err
			}
		})
	}
	if c.running {
		answered.Wait()
		err := begin()
		close(gate)
		if err != nil {
			return err
		}
	}
	all.Wait()
	close(problems)
	return <-problems
}

// partTaken takes a part of a file; answered is called between the header of the answer and its bytes.
func (b *benchmark) partTaken(ctx context.Context, path, header string, from, part int64, answered func()) error {
	host := strings.TrimPrefix(b.base, "http://")
	conn, err := (&net.Dialer{Timeout: time.Minute}).DialContext(ctx, "tcp", host)
	if err != nil {
		return err
	}
	defer conn.Close()
	if _, err := fmt.Fprintf(conn, "GET %s HTTP/1.1\r\nHost: %s\r\n%sRange: bytes=%d-%d\r\n\r\n", path, host, header, from, from+part-1); err != nil {
		return err
	}
	response, err := http.ReadResponse(bufio.NewReader(conn), nil)
	if err != nil {
		return err
	}
	answered()
	n, err := io.Copy(io.Discard, response.Body)
	if err = errors.Join(err, response.Body.Close()); err != nil {
		return err
	}
	if response.StatusCode != http.StatusPartialContent || n != part {
		return fmt.Errorf("%s: %s with %d bytes", path, response.Status, n)
	}
	return nil
}
