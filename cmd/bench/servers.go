package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strconv"
	"strings"
	"time"

	"aftergust/core/file/find"
	"aftergust/core/file/thing"
	"aftergust/core/media/preview"
	"aftergust/internal/dev/demo"
	"aftergust/internal/dev/pgserver"
	"aftergust/internal/files/blob"
	"aftergust/internal/files/keep"
	"aftergust/internal/ground"
	"aftergust/internal/ground/db"
	"aftergust/internal/parts/gather"
	"aftergust/internal/parts/pack"
	"aftergust/internal/who/account"

	"github.com/tus/tusd/v2/pkg/filestore"
	"github.com/tus/tusd/v2/pkg/handler"
	xslog "golang.org/x/exp/slog"
)

const (
	ownerEmail    = "marit@lowtide.example"
	ownerPassword = "low-tide-at-noon"
)

// parcel is where a package of the bench can be fetched.
type parcel struct {
	id      string
	take    string // its first item
	archive string
	size    int64 // of the archive
}

type benchmark struct {
	size    int64
	dir     string
	source  string // the large file
	pg      *pgserver.Server
	server  *exec.Cmd
	tls     listener // of its own TLS; started when it is asked for
	base    string
	owner   *demo.Client
	nginx   nginx
	tusd    string
	tusdDir string
	large   parcel
	many    parcel
	huge    parcel
	ends    []func()
}

type nginx struct {
	url string
	pid int
}

func (b *benchmark) url(path string) string { return b.base + path }

func (b *benchmark) close() {
	for i := len(b.ends) - 1; i >= 0; i-- {
		b.ends[i]()
	}
}

func freeAddress() (string, error) {
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return "", err
	}
	defer listener.Close()
	return listener.Addr().String(), nil
}

// child starts a program that ends with the bench, once its address answers.
func (b *benchmark) child(address string, env []string, name string, args ...string) (*exec.Cmd, error) {
	cmd := exec.Command(name, args...)
	cmd.Env, cmd.Stderr = append(os.Environ(), env...), os.Stderr
	if err := cmd.Start(); err != nil {
		return nil, err
	}
	b.ends = append(b.ends, func() {
		_ = cmd.Process.Signal(os.Interrupt)
		_ = cmd.Wait() // it was told to end
	})
	for range 200 {
		if conn, err := net.Dial("tcp", address); err == nil {
			return cmd, conn.Close()
		}
		time.Sleep(50 * time.Millisecond)
	}
	return nil, fmt.Errorf("%s does not answer at %s", name, address)
}

func newBench(ctx context.Context, size int64) (_ *benchmark, err error) {
	b := &benchmark{size: size}
	defer func() {
		if err != nil {
			b.close()
		}
	}()
	if b.dir, err = os.MkdirTemp("/var/tmp", "aftergust-bench-"); err != nil {
		return nil, err
	}
	b.ends = append(b.ends, func() { _ = os.RemoveAll(b.dir) })
	if err = os.Chmod(b.dir, 0o755); err != nil {
		return nil, err
	}
	if b.pg, err = pgserver.Start(ctx, filepath.Join(b.dir, "pg"), true); err != nil {
		return nil, err
	}
	b.ends = append(b.ends, b.pg.Stop)
	first, err := b.serve(ctx, "bench")
	if err != nil {
		return nil, err
	}
	b.server, b.base, b.owner = first.process, first.base, first.owner
	if err = b.fill(ctx); err != nil {
		return nil, err
	}
	if err = b.startNginx(); err != nil {
		return nil, err
	}
	return b, b.startTusd()
}

const program = "bin/aftergust"

// A studio is a server with a database and a folder of its own.
type studio struct {
	process *exec.Cmd
	base    string
	blobs   string
	owner   *demo.Client
}

// serve starts a server on a new database. More of its environment may be given, which wins.
func (b *benchmark) serve(ctx context.Context, database string, more ...string) (s studio, err error) {
	if err := b.pg.Create(ctx, database); err != nil {
		return s, err
	}
	address, err := freeAddress()
	if err != nil {
		return s, err
	}
	s.base, s.blobs = "http://"+address, filepath.Join(b.dir, "blobs")
	if database != "bench" {
		s.blobs += "-" + database
	}
	env := []string{"AFTERGUST_ADDR=" + address, "AFTERGUST_DATABASE_URL=" + b.pg.URL(database), "AFTERGUST_BLOBS=" + s.blobs,
		"AFTERGUST_SMTP_URL=smtp://127.0.0.1:9",
		"AFTERGUST_MAIL_FROM=bench@lowtide.example", "AFTERGUST_SECRET=" + strings.Repeat("b", 40), "AFTERGUST_LOG=error",
		"AFTERGUST_PASSWORD=" + ownerPassword,
		"AFTERGUST_WORK=false"} // no media work beside the measurement
	if s.process, err = b.child(address, append(env, more...), program, "serve"); err != nil {
		return s, err
	}
	run := func(args ...string) (string, error) {
		cmd := exec.Command(program, args...)
		cmd.Env = append(os.Environ(), env...)
		out, err := cmd.CombinedOutput()
		if err != nil {
			return "", fmt.Errorf("%v: %w: %s", args, err, out)
		}
		return strings.TrimSpace(string(out)), nil
	}
	if _, err := run("found", "-studio", "Low Tide Pictures", "-owner", "Marit Oyelaran", "-email", ownerEmail); err != nil {
		return s, err
	}
	token, err := run("token", "-email", ownerEmail)
	s.owner = demo.NewClient(s.base, token)
	return s, err
}

// file writes bytes that do not compress, so that nothing is won by that.
func file(path string, size int64) error {
	random, err := os.Open("/dev/urandom")
	if err != nil {
		return err
	}
	defer random.Close()
	f, err := os.Create(path)
	if err != nil {
		return err
	}
	_, err = io.CopyN(f, random, size)
	return errors.Join(err, f.Close())
}

func (b *benchmark) fill(ctx context.Context) error {
	b.source = filepath.Join(b.dir, "large")
	if err := file(b.source, b.size); err != nil {
		return err
	}
	var err error
	if b.large, err = b.send(ctx, func(id string) error {
		_, err := b.owner.Upload(ctx, id, b.source, "")
		return err
	}); err != nil {
		return err
	}
	small := filepath.Join(b.dir, "small")
	if err := file(small, b.size/200); err != nil {
		return err
	}
	if b.many, err = b.send(ctx, func(id string) error {
		for range 200 {
			if _, err := b.owner.Upload(ctx, id, small, ""); err != nil {
				return err
			}
		}
		return nil
	}); err != nil {
		return err
	}
	b.huge, err = b.send(ctx, func(id string) error { return b.sparse(ctx, id) })
	return err
}

// sparse puts 10 000 items of 110 MB into a package, all holes on disk.
func (b *benchmark) sparse(ctx context.Context, id string) error {
	const count, size = 10_000, 110_000_000
	hole := filepath.Join(b.dir, "hole")
	if err := errors.Join(os.WriteFile(hole, nil, 0o600), os.Truncate(hole, size)); err != nil {
		return err
	}
	disk, err := blob.OpenDisk(filepath.Join(b.dir, "blobs"))
	if err != nil {
		return err
	}
	store, err := db.Open(ctx, b.pg.URL("bench"))
	if err != nil {
		return err
	}
	defer store.Close()
	owner, _, err := account.Rows{DB: store}.MemberByEmail(ctx, ownerEmail)
	if err != nil {
		return err
	}
	// A terabyte of holes is more than a studio may have by default.
	if _, err := store.Pool().Exec(ctx, "update studio set quota_bytes = $1", int64(10e12)); err != nil {
		return err
	}
	return store.Tx(ctx, func(ctx context.Context) error {
		ids, words, puts := make([]string, count), make([]string, count), make([]pack.Put, count)
		for i := range count {
			item, bytes, name := ground.NewID(), ground.NewID(), fmt.Sprintf("frame_%05d.exr", i)
			ids[i], words[i], puts[i] = item, strings.Join(find.Words(name), " "), pack.Put{ItemID: item}
			if err := errors.Join(disk.Adopt(ctx, blob.File{ID: bytes, Path: hole}),
				(keep.Rows{DB: store}).InsertBlob(ctx, keep.Blob{ID: bytes, StudioID: owner.StudioID, Size: size}),
				(gather.ThingRows{DB: store}).InsertItem(ctx, gather.Item{ID: item, StudioID: owner.StudioID, Kind: thing.File,
					Name: name, CreatedBy: owner.ID}),
				(gather.ThingRows{DB: store}).InsertVersion(ctx, gather.Version{ItemID: item,
					Piece: gather.Piece{VersionID: ground.NewID(), Number: 1, FileName: name,
						BlobID: bytes,
						What:   thing.Other, Mime: "image/x-exr", MediaState: preview.None}})); err != nil {
				return err
			}
		}
		if err := (gather.ThingRows{DB: store}).Refresh(ctx, ids, words); err != nil {
			return err
		}
		_, err := pack.ContentRows{DB: store}.PutItems(ctx, id, puts, nil)
		return err
	})
}

func (b *benchmark) send(ctx context.Context, fill func(id string) error) (parcel, error) {
	var made struct{ ID string }
	if err := b.owner.Do(ctx, "POST", "/api/v1/packages", nil, &made); err != nil {
		return parcel{}, err
	}
	if err := fill(made.ID); err != nil {
		return parcel{}, err
	}
	var line struct{ Link string }
	if err := b.owner.Do(ctx, "POST", "/api/v1/packages/"+made.ID+"/recipients", map[string]any{"address": "hanne@kelpwick.example",
		"rights": []string{"see", "take"}}, &line); err != nil {
		return parcel{}, err
	}
	if err := b.owner.Do(ctx, "POST", "/api/v1/packages/"+made.ID+"/send", nil, nil); err != nil {
		return parcel{}, err
	}
	var page struct {
		Archive     string
		ArchiveSize int64 `json:"archive_size"`
		Items       []struct{ Take string }
	}
	err := demo.NewClient(b.base, "").Do(ctx, "GET", "/api/v1/r/"+line.Link[strings.LastIndex(line.Link, "/")+1:], nil, &page)
	if err != nil {
		return parcel{}, err
	}
	return parcel{made.ID, page.Items[0].Take, page.Archive, page.ArchiveSize}, nil
}

func (b *benchmark) startNginx() error {
	address, err := freeAddress()
	if err != nil {
		return err
	}
	config := filepath.Join(b.dir, "nginx.conf")
	text := fmt.Sprintf(`daemon off; master_process off; pid %[1]s/nginx.pid; error_log stderr error;
events { worker_connections 1024; }
http { access_log off; sendfile on; sendfile_max_chunk 4m; tcp_nopush on;
  client_body_temp_path %[1]s/n1; proxy_temp_path %[1]s/n2; fastcgi_temp_path %[1]s/n3; uwsgi_temp_path %[1]s/n4; scgi_temp_path %[1]s/n5;
  server { listen %[2]s; root %[1]s; } }`, b.dir, address)
	if os.Getuid() == 0 {
		text = "user root;\n" + text
	}
	if err := os.WriteFile(config, []byte(text), 0o600); err != nil {
		return err
	}
	cmd, err := b.child(address, nil, "/usr/sbin/nginx", "-c", config, "-e", "stderr")
	if err != nil {
		return err
	}
	b.nginx = nginx{"http://" + address, cmd.Process.Pid}
	return nil
}

func (b *benchmark) startTusd() (err error) {
	if b.tusd, err = freeAddress(); err != nil {
		return err
	}
	b.tusdDir = filepath.Join(b.dir, "tusd")
	if err := os.Mkdir(b.tusdDir, 0o700); err != nil {
		return err
	}
	self, err := os.Executable()
	if err != nil {
		return err
	}
	_, err = b.child(b.tusd, nil, self, "-tusd", b.tusdDir, "-addr", b.tusd)
	return err
}

// serveTusd is tusd with its file store and nothing else.
func serveTusd(address, dir string) error {
	composer := handler.NewStoreComposer()
	filestore.New(dir).UseIn(composer)
	const base = "/api/v1/uploads/"
	tus, err := handler.NewHandler(
		handler.Config{StoreComposer: composer, BasePath: base, Logger: xslog.New(xslog.NewTextHandler(io.Discard,
			nil))},
	)
	if err != nil {
		return err
	}
	server := &http.Server{Addr: address, Handler: http.StripPrefix(base, tus), ReadHeaderTimeout: time.Minute,
		ErrorLog: slog.NewLogLogger(slog.DiscardHandler, slog.LevelError)}
	return server.ListenAndServe()
}

const ticksPerSecond = 100 // USER_HZ, as proc(5) reports times on Linux

// cpuSeconds is the processor time that a process has used (proc(5), stat).
func cpuSeconds(pid int) (float64, error) {
	raw, err := os.ReadFile(fmt.Sprintf("/proc/%d/stat", pid))
	if err != nil {
		return 0, err
	}
	fields := strings.Fields(string(raw[strings.LastIndexByte(string(raw), ')')+1:]))
	user, errU := strconv.ParseFloat(fields[11], 64)
	system, errS := strconv.ParseFloat(fields[12], 64)
	return (user + system) / ticksPerSecond, errors.Join(errU, errS)
}

// memory is the resident memory of a process that is not mapped files, in bytes (proc(5), status).
func memory(pid int) (int64, error) {
	raw, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", pid))
	if err != nil {
		return 0, err
	}
	for line := range strings.Lines(string(raw)) {
		if value, ok := strings.CutPrefix(line, "RssAnon:"); ok {
			kib, err := strconv.ParseInt(strings.Fields(value)[0], 10, 64)
			return kib << 10, err
		}
	}
	return 0, errors.New("no RssAnon in status")
}

func machine() string {
	model := "unknown processor"
	if raw, err := os.ReadFile("/proc/cpuinfo"); err == nil {
		for line := range strings.Lines(string(raw)) {
			if value, ok := strings.CutPrefix(line, "model name"); ok {
				model = strings.TrimSpace(strings.TrimLeft(value, "\t: "))
				break
			}
		}
	}
	return fmt.Sprintf("%d cores (%s), %s, %s.", runtime.NumCPU(), model, runtime.GOOS, runtime.Version())
}
