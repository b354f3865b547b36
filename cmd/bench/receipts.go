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

// running is at how many downloads at once receipts are weighed.
const running = 1000

// receipts weighs what it costs to record who took which bytes: many take parts of a file as
// recipients, and as members of the studio, whose taking is delivered by the same code and not recorded.
// Long parts show what running downloads cost. Short ones also show what their beginning costs a
// recipient and not a member: the door is weighed, and that they took is written down.
func (b *benchmark) receipts(ctx context.Context) (figures []figure, err error) {
	var whole struct{ Items []struct{ Version string } }
	if err := b.owner.Do(ctx, "GET", "/api/v1/packages/"+b.large.id, nil, &whole); err != nil {
		return nil, err
	}
	original := "/api/v1/versions/" + whole.Items[0].Version + "/original"
	for _, part := range []int64{b.size / 100, b.size / running} {
		var cpuRecorded, cpuBare []float64
		taken := func(cpu *[]float64, path, header string) func() (float64, error) {
			return metered(b.server.Process.Pid, part*running, cpu, func() (float64, error) {
				rate, err := b.allTake(ctx, path, header, part)
				time.Sleep(2 * time.Second) // the last receipts are written
				return rate, err
			})
		}
		x, y, err := pair(taken(&cpuRecorded, b.large.take, ""), taken(&cpuBare, original, "Authorization: Bearer "+b.owner.Token+"\r\n"))
		if err != nil {
			return nil, err
		}
		what := fmt.Sprintf("%d downloads at once, of %.0f MB each, receipts recorded", running, float64(part)/1e6)
		rate, cpu := median(x)/median(y), median(cpuRecorded[1:])/median(cpuBare[1:])
		f := []figure{{what, "the same, delivered to the studio and not recorded", "≥ 0.95", spread(x, "GB/s"), spread(y, "GB/s"),
			fmt.Sprintf("%.2f", rate), verdict(rate >= 0.95)},
			{"processor time of the server for each GB of it", "the same", "≤ 1.05", spread(cpuRecorded[1:], "s"), spread(cpuBare[1:], "s"),
				fmt.Sprintf("%.2f", cpu), verdict(cpu <= 1.05)}}
		if part == b.size/running {
			for i := range f {
				f[i].reach, f[i].verdict = "with their beginning", "told only"
			}
		}
		figures = append(figures, f...)
	}
	return figures, nil
}

// allTake lets everybody take a part of the large file, and returns GB a second.
func (b *benchmark) allTake(ctx context.Context, path, header string, part int64) (float64, error) {
	began := time.Now()
	var all sync.WaitGroup
	problems := make(chan error, running)
	for n := range int64(running) {
		all.Go(func() {
			if err := b.partTaken(ctx, path, header, n*(b.size-part)/running, part); err != nil {
				problems <- err
			}
		})
	}
	all.Wait()
	took := time.Since(began).Seconds()
	close(problems)
	return float64(part*running) / 1e9 / took, <-problems
}

func (b *benchmark) partTaken(ctx context.Context, path, header string, from, part int64) error {
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
	n, err := io.Copy(io.Discard, response.Body)
	if err = errors.Join(err, response.Body.Close()); err != nil {
		return err
	}
	if response.StatusCode != http.StatusPartialContent || n != part {
		return fmt.Errorf("%s: %s with %d bytes", path, response.Status, n)
	}
	return nil
}
