package main

import (
	"context"
	"crypto/tls"
	"fmt"
	"net"
	"strings"
	"sync"
	"sync/atomic"
	"time"
)

const (
	crowdSize  = 5000
	crowdReads = 512 // bytes a second that each of them takes
	lists      = 200 // of which the 95th percentile is taken
)

// A reader takes a file very slowly, until it is cut.
type reader struct {
	conn net.Conn
	cut  atomic.Int64 // when, in Unix nanoseconds; 0: not yet
}

// crowd lets very many take slowly at once, and then stops their package: over a plain
// connection, and over TLS that we end ourselves.
func (b *benchmark) crowd(ctx context.Context) ([]figure, error) {
	plain := listener{address: strings.TrimPrefix(b.base, "http://"), pid: b.server.Process.Pid}
	figures, err := b.crowded(ctx, plain, "slow downloads")
	if err != nil {
		return nil, err
	}
	secure, err := b.overTLS()
	if err != nil {
		return nil, err
	}
	more, err := b.crowded(ctx, secure, "slow downloads over our own TLS")
	return append(figures, more...), err
}

func (b *benchmark) crowded(ctx context.Context, at listener, what string) ([]figure, error) {
	idle, err := b.listed(ctx)
	if err != nil {
		return nil, err
	}
	before, err := memory(at.pid)
	if err != nil {
		return nil, err
	}
	hurry := make(chan struct{}) // closed when they should see at once that they are cut
	var gone sync.WaitGroup
	readers := make([]*reader, 0, crowdSize)
	defer func() {
		for _, r := range readers {
			_ = r.conn.Close() // they may be cut already
		}
		gone.Wait()
	}()
	for range crowdSize {
		r, err := b.slow(ctx, at)
		if err != nil {
			return nil, fmt.Errorf("reader %d: %w", len(readers)+1, err)
		}
		readers = append(readers, r)
		gone.Go(func() { r.read(hurry) })
	}
	time.Sleep(5 * time.Second) // several receipts of each
	after, err := memory(at.pid)
	if err != nil {
		return nil, err
	}
	busy, err := b.listed(ctx)
	if err != nil {
		return nil, err
	}
	close(hurry)
	began := time.Now()
	if err := b.owner.Do(ctx, "POST", "/api/v1/packages/"+b.large.id+"/stop", nil, nil); err != nil {
		return nil, err
	}
	gone.Wait()
	var last time.Duration
	for _, r := range readers {
		last = max(last, time.Unix(0, r.cut.Load()).Sub(began))
	}
	if err := b.owner.Do(ctx, "POST", "/api/v1/packages/"+b.large.id+"/extend", map[string]any{"kind": "after_days", "days": 7,
		"zone": "Europe/London"}, nil); err != nil {
		return nil, err
	}
	each := float64(after-before) / crowdSize / 1024
	slower := p95(busy) / p95(idle)
	return []figure{
		{fmt.Sprintf("memory for each of %d %s", crowdSize, what), "–", "≤ 64 KiB", fmt.Sprintf("%.1f KiB", each), "–", "–", verdict(each <= 64)},
		{"the list of packages meanwhile, 95th percentile", "while nobody takes anything", "≤ 3", fmt.Sprintf("%.1f ms", p95(busy)),
			fmt.Sprintf("%.1f ms", p95(idle)), fmt.Sprintf("%.2f", slower), verdict(slower <= 3)},
		{"all of them cut after a stop", "–", "≤ 2 s", fmt.Sprintf("%.2f s", last.Seconds()), "–", "–", verdict(last <= 2*time.Second)},
	}, nil
}

// listed asks for the list of packages again and again, and returns how long each
// took in milliseconds.
func (b *benchmark) listed(ctx context.Context) (took []float64, err error) {
	for range lists {
		began := time.Now()
		if err := b.owner.Do(ctx, "GET", "/api/v1/packages", nil, nil); err != nil {
			return nil, err
		}
		took = append(took, float64(time.Since(began).Microseconds())/1000)
	}
	return took, nil
}

// slow asks for the large file over a connection that holds little.
func (b *benchmark) slow(ctx context.Context, at listener) (*reader, error) {
	conn, err := (&net.Dialer{Timeout: 30 * time.Second}).DialContext(ctx, "tcp", at.address)
	if err != nil {
		return nil, err
	}
	if err := conn.(*net.TCPConn).SetReadBuffer(4096); err != nil {
		return nil, err
	}
	if at.secure {
		conn = tls.Client(conn, &tls.Config{InsecureSkipVerify: true}) // a certificate of this very run
	}
	_, err = fmt.Fprintf(conn, "GET %s HTTP/1.1\r\nHost: %s\r\n\r\n", b.large.take, at.address)
	return &reader{conn: conn}, err
}

// read takes little a second until hurry is closed, then waits for the cut.
func (r *reader) read(hurry <-chan struct{}) {
	buffer := make([]byte, crowdReads)
	tick := time.NewTicker(time.Second)
	defer tick.Stop()
	for {
		if _, err := r.conn.Read(buffer); err != nil {
			r.cut.Store(time.Now().UnixNano())
			return
		}
		select {
		case <-tick.C:
		case <-hurry:
		}
	}
}
