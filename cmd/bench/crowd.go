package main

import (
	"bytes"
	"cmp"
	"context"
	"crypto/tls"
	"fmt"
	"net"
	"slices"
	"strings"
	"sync"
	"time"

	"golang.org/x/net/http2"
	"golang.org/x/net/http2/hpack"
	"golang.org/x/sys/unix"
)

const (
	crowdSize  = 5000
	crowdReads = 512 // bytes a second that each of them takes
	lists      = 200 // of which the 95th percentile is taken
)

// cutLimit is how long a cut is waited for.
const cutLimit = time.Minute

// A reader takes a file very slowly.
type reader struct {
	conn net.Conn
	tcp  *net.TCPConn // below TLS
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
	for _, framed := range []bool{false, true} {
		what := "slow downloads over our own TLS"
		if secure.framed = framed; framed {
			what += ", HTTP/2"
		}
		more, err := b.crowded(ctx, secure, what)
		if err != nil {
			return nil, err
		}
		if framed { // a connection of HTTP/2 is meant to carry many; nobody set a figure for one
			more[0].reach, more[0].verdict = "–", "told only"
		}
		figures = append(figures, more...)
	}
	return figures, nil
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
		gone.Go(r.read)
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
	began := time.Now()
	if err := b.owner.Do(ctx, "POST", "/api/v1/packages/"+b.large.id+"/stop", nil, nil); err != nil {
		return nil, err
	}
	if err := cut(readers, began.Add(cutLimit)); err != nil {
		return nil, err
	}
	last := time.Since(began)
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
	tcp := conn.(*net.TCPConn)
	if err := tcp.SetReadBuffer(4096); err != nil {
		return nil, err
	}
	if at.secure {
		config := &tls.Config{InsecureSkipVerify: true} // a certificate of this very run
		if at.framed {
			config.NextProtos = []string{"h2"}
		}
		conn = tls.Client(conn, config)
	}
	if at.framed {
		return &reader{conn, tcp}, framed(conn, at.address, b.large.take)
	}
	_, err = fmt.Fprintf(conn, "GET %s HTTP/1.1\r\nHost: %s\r\n\r\n", b.large.take, at.address)
	return &reader{conn, tcp}, err
}

// framed asks over HTTP/2, for as many bytes as a stream may have unasked (RFC 9113, section 6.9.1).
func framed(conn net.Conn, host, path string) error {
	const most, begun = 1<<31 - 1, 65535
	out := bytes.NewBufferString(http2.ClientPreface)
	framer := http2.NewFramer(out, nil)
	err := framer.WriteSettings(http2.Setting{ID: http2.SettingInitialWindowSize, Val: most})
	err = cmp.Or(err, framer.WriteWindowUpdate(0, most-begun))
	var head bytes.Buffer
	fields := hpack.NewEncoder(&head)
	for _, f := range []hpack.HeaderField{{Name: ":method", Value: "GET"}, {Name: ":scheme", Value: "https"}, {Name: ":authority", Value: host},
		{Name: ":path", Value: path}} {
		err = cmp.Or(err, fields.WriteField(f))
	}
	err = cmp.Or(err, framer.WriteHeaders(http2.HeadersFrameParam{StreamID: 1, BlockFragment: head.Bytes(), EndStream: true,
		EndHeaders: true}))
	if err == nil {
		_, err = conn.Write(out.Bytes())
	}
	return err
}

// read takes little a second, as long as something comes.
func (r *reader) read() {
	buffer := make([]byte, crowdReads)
	for {
		if _, err := r.conn.Read(buffer); err != nil {
			return
		}
		time.Sleep(time.Second)
	}
}

// cut waits until all connections are reset. The kernel is asked: a slow reader sees it only
// once they have read what came before.
func cut(all []*reader, until time.Time) error {
	for left := slices.Clone(all); len(left) > 0; time.Sleep(5 * time.Millisecond) {
		if time.Now().After(until) {
			return fmt.Errorf("%d of %d are not cut", len(left), len(all))
		}
		left = slices.DeleteFunc(left, (*reader).reset)
	}
	return nil
}

// reset reports whether the other side has thrown the connection away.
func (r *reader) reset() bool {
	raw, err := r.tcp.SyscallConn()
	if err != nil {
		return false
	}
	var info *unix.TCPInfo
	errControl := raw.Control(func(fd uintptr) { info, err = unix.GetsockoptTCPInfo(int(fd), unix.IPPROTO_TCP, unix.TCP_INFO) })
	return errControl == nil && err == nil && info.State == tcpClose
}

const tcpClose = 7 // TCP_CLOSE of include/net/tcp_states.h, Linux
