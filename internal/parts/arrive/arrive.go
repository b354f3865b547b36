package arrive

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"aftergust/core/time/expiry"
	"aftergust/internal/files/media"
	"aftergust/internal/ground"
	"aftergust/internal/ground/db"
	"aftergust/internal/parts/gather"
	"aftergust/internal/who/account"

	"github.com/tus/tusd/v2/pkg/handler"
	xslog "golang.org/x/exp/slog"
)

// A Handler takes uploads. It expects to be mounted behind Base, with the
// member who uploads in the request's context.
type Handler struct {
	service *Service
	store   *store
	tus     *handler.UnroutedHandler
	member  func(context.Context) (account.Member, bool)
	problem Problem
	owed    chan struct{}
	log     *slog.Logger
}

// Owed tells of uploads that are whole and could not be made items of: Settle does
// that as soon as it can be done.
func (h *Handler) Owed() <-chan struct{} { return h.owed }

// Base is the path under which uploads live.
const Base = "/api/v1/uploads/"

// Problem writes an error of the studio as the body of a response.
type Problem func(err error) (status int, body []byte)

// New makes a handler that lets files grow in dir, which all processes share, and
// locks them by locks. member finds who asks.
func New(service *Service, locks *db.Locks, dir string, member func(context.Context) (account.Member, bool), problem Problem,
	log *slog.Logger) (*Handler, error) {
	h := &Handler{service: service, store: newStore(dir), member: member, problem: problem, owed: make(chan struct{}, 1), log: log}
	composer := handler.NewStoreComposer()
	h.store.useIn(composer)
	composer.UseLocker(newLocker(locks))
	refuse := func(err error) error {
		status, body := problem(err)
		return handler.Error{ErrorCode: "ERR_REFUSED", Message: err.Error(), HTTPResponse: handler.HTTPResponse{
			StatusCode: status, Body: string(body), Header: handler.HTTPHeader{"Content-Type": "application/problem+json"}}}
	}
	var err error
	h.tus, err = handler.NewUnroutedHandler(handler.Config{
		StoreComposer: composer, BasePath: Base, DisableDownload: true, MaxSize: MaxFile,
		Cors: &handler.CorsConfig{Disable: true}, Logger: xslog.New(xslog.NewTextHandler(discard{}, nil)),
		NetworkTimeout: 90 * time.Second,
		PreUploadCreateCallback: func(e handler.HookEvent) (handler.HTTPResponse, handler.FileInfoChanges, error) {
			changes, err := h.begin(e)
			if err != nil {
				return handler.HTTPResponse{}, changes, refuse(err)
			}
			return handler.HTTPResponse{}, changes, nil
		},
		PreFinishResponseCallback: func(e handler.HookEvent) (handler.HTTPResponse, error) {
			if e.Upload.IsPartial {
				return handler.HTTPResponse{}, nil
			}
			u, err := h.finish(e.Context, e.Upload)
			if err != nil {
				select {
				case h.owed <- struct{}{}:
				default: // told already
				}
				return handler.HTTPResponse{}, refuse(err)
			}
			return handler.HTTPResponse{Header: handler.HTTPHeader{"Aftergust-Item": u.ItemID}}, nil
		},
	})
	return h, err
}

type discard struct{}

func (discard) Write(p []byte) (int, error) { return len(p), nil }

func (h *Handler) begin(e handler.HookEvent) (handler.FileInfoChanges, error) {
	member, ok := h.member(e.Context)
	if !ok {
		return handler.FileInfoChanges{}, &ground.Error{Kind: ground.Refused, Code: "sign_in", Say: "Sign in to upload."}
	}
	meta := e.Upload.MetaData
	u, err := h.service.BeginUpload(e.Context, member, Arrival{
		ParcelID: meta["package"], PlaceID: meta["place"], Name: meta["filename"], Folder: meta["folder"], Size: e.Upload.Size,
		ItemID:  meta["item"],
		Picture: meta["picture"] != "", Tags: strings.Split(meta["tags"], "\n"), Part: e.Upload.IsPartial,
	})
	if err != nil {
		return handler.FileInfoChanges{}, err
	}
	for _, part := range e.Upload.PartialUploads {
		if _, err := h.service.MayUpload(e.Context, member, part); err != nil {
			return handler.FileInfoChanges{}, err
		}
	}
	u.ID, u.State = ground.NewID(), gather.Arriving
	if e.Upload.IsPartial {
		u.State = gather.Part
	}
	return handler.FileInfoChanges{ID: u.ID}, h.service.UploadBegun(e.Context, u)
}

func (h *Handler) finish(ctx context.Context, info handler.FileInfo) (gather.Upload, error) {
	path := filepath.Join(h.store.Path, info.ID)
	sum, err := h.store.whole(info.ID, path, info.Size)
	if err != nil {
		return gather.Upload{}, fmt.Errorf("sum upload %s: %w", info.ID, err)
	}
	f, err := os.Open(path)
	if err != nil {
		return gather.Upload{}, fmt.Errorf("open upload %s: %w", info.ID, err)
	}
	what, mime := media.Kind(f, info.MetaData["filename"])
	_ = f.Close() // only read
	u, err := h.service.FinishUpload(ctx, Finished{
		UploadID: info.ID, Path: path, Size: sum.at, CRC32: sum.crc.Sum32(), XXH3: sum.xxh.Sum128().Bytes(), What: what, Mime: mime,
	})
	if err != nil {
		return u, err
	}
	// The blob has its own name for the bytes now; the upload's name and notes go.
	for _, id := range append([]string{info.ID}, info.PartialUploads...) {
		h.remove(id)
		if id != info.ID {
			if err := h.service.FailUpload(ctx, id, gather.Cancelled, ""); err != nil {
				h.log.Warn("part of an upload stays recorded", "upload", id, "error", err)
			}
		}
	}
	return u, nil
}

func (h *Handler) remove(id string) {
	h.store.forget(id)
	for _, name := range []string{id, id + ".info"} {
		if err := os.Remove(filepath.Join(h.store.Path, name)); err != nil && !errors.Is(err, os.ErrNotExist) {
			h.log.Warn("remainder of an upload stays", "upload", id, "error", err)
		}
	}
}

// ServeHTTP speaks tus.
func (h *Handler) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	id := strings.TrimPrefix(r.URL.Path, Base)
	if id != "" {
		// Only an upload of the member's own studio, so that no other path is ever looked at.
		member, _ := h.member(r.Context())
		u, err := h.service.MayUpload(r.Context(), member, id)
		if err == nil && r.Method == http.MethodHead {
			u, err = h.whole(r.Context(), member, u)
		}
		if err != nil {
			status, body := h.problem(err)
			w.Header().Set("Content-Type", "application/problem+json")
			w.WriteHeader(status)
			_, _ = w.Write(body) // the reader may have gone
			return
		}
		if u.State == gather.Arrived && r.Method == http.MethodHead {
			said(w.Header(), u)
			return
		}
	}
	answer := &placed{ResponseWriter: w}
	http.StripPrefix(Base, h.tus.Middleware(http.HandlerFunc(h.speak))).ServeHTTP(answer, r)
	if answer.fault {
		status, body := h.problem(errors.New(string(answer.said)))
		w.Header().Set("Content-Type", "application/problem+json")
		w.Header().Del("Content-Length")
		w.WriteHeader(status)
		_, _ = w.Write(body) // the reader may have gone
	}
}

// whole makes an item of an upload whose bytes are all there and that is none yet,
// since whoever asks how far it is takes that for an answer that it has arrived.
func (h *Handler) whole(ctx context.Context, m account.Member, u gather.Upload) (gather.Upload, error) {
	info, err := os.Stat(filepath.Join(h.store.Path, u.ID))
	if u.State != gather.Arriving || err != nil || info.Size() != u.Size {
		return u, nil
	}
	failed := h.settle(ctx, u)
	if u, err = h.service.MayUpload(ctx, m, u.ID); err != nil || u.State == gather.Arrived {
		return u, err // by us, or by somebody who was at it already
	}
	return u, failed
}

// said answers a HEAD of an upload that has arrived and whose file is gone.
func said(h http.Header, u gather.Upload) {
	size := strconv.FormatInt(u.Size, 10)
	h.Set("Tus-Resumable", "1.0.0")
	h.Set("Upload-Offset", size)
	h.Set("Upload-Length", size)
	h.Set("Cache-Control", "no-store")
	h.Set("Aftergust-Item", u.ItemID)
}

func (h *Handler) speak(w http.ResponseWriter, r *http.Request) {
	switch r.Method {
	case http.MethodPost:
		h.tus.PostFile(w, r)
	case http.MethodHead:
		h.tus.HeadFile(w, r)
	case http.MethodPatch:
		h.tus.PatchFile(w, r)
	case http.MethodDelete:
		h.tus.DelFile(w, r)
		if err := h.service.FailUpload(context.WithoutCancel(r.Context()), r.URL.Path, gather.Cancelled, ""); err != nil {
			h.log.Warn("cancelled upload stays recorded", "upload", r.URL.Path, "error", err)
		}
	default:
		w.Header().Set("Allow", "POST, HEAD, PATCH, DELETE, OPTIONS")
		w.WriteHeader(http.StatusMethodNotAllowed)
	}
}

// settledAtOnce is how many uploads are looked at with one query.
const settledAtOnce = 500

// Settle looks after uploads that a stop of the server left behind: those that
// are whole become items, those that nobody has gone on with for a week are let go.
func (h *Handler) Settle(ctx context.Context) error {
	var failed error
	for after := ""; ; {
		uploads, err := h.service.UploadsArriving(ctx, after, settledAtOnce)
		if err != nil {
			return err
		}
		for _, u := range uploads {
			if err := h.settle(ctx, u); err != nil { // the others are looked after all the same
				failed = errors.Join(failed, fmt.Errorf("settle upload %s: %w", u.ID, err))
			}
			after = u.ID
		}
		if len(uploads) < settledAtOnce {
			return failed
		}
	}
}

// beginning is how long an upload may be recorded before its file is there.
const beginning = time.Minute

func (h *Handler) settle(ctx context.Context, u gather.Upload) error {
	path := filepath.Join(h.store.Path, u.ID)
	info, err := os.Stat(path)
	switch {
	case errors.Is(err, os.ErrNotExist) && time.Since(u.CreatedAt) < beginning:
		return nil
	case errors.Is(err, os.ErrNotExist):
		return h.service.FailUpload(ctx, u.ID, gather.Failed, "The file did not arrive. Choose it again.")
	case err != nil:
		return err
	case info.Size() == u.Size:
		return h.settleWhole(ctx, u, path)
	case time.Since(info.ModTime()) > expiry.AbandonedUpload:
		h.remove(u.ID)
		return h.service.FailUpload(ctx, u.ID, gather.Cancelled, "Nobody went on with it for a week.")
	}
	return nil
}

func (h *Handler) settleWhole(ctx context.Context, u gather.Upload, path string) error {
	raw, err := os.ReadFile(path + ".info")
	if err != nil {
		return err
	}
	var info handler.FileInfo
	var torn *json.SyntaxError
	if err := json.Unmarshal(raw, &info); errors.As(err, &torn) { // by a loss of power, before anything was acknowledged
		h.remove(u.ID)
		return h.service.FailUpload(ctx, u.ID, gather.Cancelled, "A loss of power interrupted it.")
	} else if err != nil {
		return err
	}
	_, err = h.finish(ctx, info)
	var mistake *ground.Error
	if errors.As(err, &mistake) && mistake.Kind != ground.Away { // where it was to go is gone meanwhile
		return h.service.FailUpload(ctx, u.ID, gather.Failed, mistake.Say)
	}
	return err
}

// placed says where an upload is by its path alone (RFC 9110, 10.2.2): how people reach
// us, by which scheme and port, a proxy in front or our own listener knows better. What tusd
// says of a fault is kept back: paths of this machine stand in it.
type placed struct {
	http.ResponseWriter
	fault bool
	said  []byte // of it
}

func (w *placed) WriteHeader(status int) {
	if status == http.StatusInternalServerError && !strings.HasPrefix(w.Header().Get("Content-Type"), "application/problem") {
		w.fault = true
		return
	}
	if at, err := url.Parse(w.Header().Get("Location")); err == nil && at.Host != "" {
		w.Header().Set("Location", at.RequestURI())
	}
	w.ResponseWriter.WriteHeader(status)
}

func (w *placed) Write(p []byte) (int, error) {
	if w.fault {
		w.said = append(w.said, p...)
		return len(p), nil
	}
	return w.ResponseWriter.Write(p)
}

// Unwrap lets http.ResponseController reach what it needs.
func (w *placed) Unwrap() http.ResponseWriter { return w.ResponseWriter }
