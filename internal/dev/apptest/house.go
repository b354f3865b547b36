package apptest

import (
	"bytes"
	"context"
	"log/slog"
	"strings"
	"sync"
	"testing"
	"time"

	"aftergust/core/file/thing"
	"aftergust/core/link/right"
	"aftergust/core/media/preview"
	"aftergust/internal/app"
	"aftergust/internal/dev/pgserver"
	"aftergust/internal/files/blob"
	"aftergust/internal/files/keep"
	"aftergust/internal/ground"
	"aftergust/internal/ground/db"
	"aftergust/internal/parts/gather"
	"aftergust/internal/parts/pack"
	"aftergust/internal/parts/receive"
	"aftergust/internal/who/account"
	"aftergust/internal/who/hashing"

	"github.com/stretchr/testify/require"
)

// A House is all parts of the work on a database of their own, without a server
// and without workers, on a clock that the test sets. Two studios are in it, so
// that what belongs to one can be asked for by the other.
type House struct {
	app.Parts
	Store *db.DB
	Bytes *blob.Disk
	Mara  account.Member // of Low Tide Pictures
	Odd   account.Member // of Kelpwick Sound, which must never see any of it
	Host  app.Config

	t   testing.TB
	mu  sync.Mutex
	now time.Time
}

// Build makes one on a fresh database of pg.
func Build(t testing.TB, pg *pgserver.Server) *House {
	t.Helper()
	h := &House{t: t, now: time.Now().UTC().Truncate(time.Millisecond)}
	h.Host = app.Config{
		DatabaseURL: Migrated(t, pg),
		Blobs:       t.TempDir(),
		BaseURL:     "http://studio.example",
		Secrets:     Secrets("house-"),
		TextURL:     "http://127.0.0.1:9/texts",
	}
	var err error
	h.Store, err = db.Open(t.Context(), h.Host.DatabaseURL)
	require.NoError(t, err)
	t.Cleanup(h.Store.Close)
	h.Bytes, err = blob.OpenDisk(h.Host.Blobs)
	require.NoError(t, err)
	h.Parts = app.Assemble(h.Host, h.Store, h.Bytes, h.Now, slog.New(slog.DiscardHandler))
	h.Mara = h.Studio("Low Tide Pictures", "Mara Quill")
	h.Odd = h.Studio("Kelpwick Sound", "Odd Strand")
	return h
}

// Now is the moment on the house's clock.
func (h *House) Now() time.Time {
	h.mu.Lock()
	defer h.mu.Unlock()
	return h.now
}

// Wait lets d pass.
func (h *House) Wait(d time.Duration) {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.now = h.now.Add(d)
}

// What is tested with a house is not how dear a guess is; package hashing tests that.
func init() { hashing.Fast() }

// Studio makes a studio with one member, whose password is Password.
func (h *House) Studio(studio, name string) account.Member {
	h.t.Helper()
	email := strings.ToLower(strings.ReplaceAll(name, " ", ".")) + "@" + strings.ToLower(strings.Fields(studio)[0]) + ".example"
	m := account.Member{ID: ground.NewID(), StudioID: ground.NewID(), StudioName: studio, Zone: "Europe/London", Name: name, Email: email,
		Role: "owner", PasswordHash: hashed()}
	require.NoError(h.t, account.Rows{DB: h.Store}.CreateStudio(h.t.Context(), m.StudioID, studio, m.Zone))
	require.NoError(h.t, account.Rows{DB: h.Store}.CreateMember(h.t.Context(), m))
	return m
}

// Member makes a further member of somebody's studio.
func (h *House) Member(of account.Member, name string) account.Member {
	h.t.Helper()
	of.ID, of.Name, of.Role = ground.NewID(), name, "member"
	of.Email = strings.ToLower(strings.ReplaceAll(name, " ", ".")) + "@low.example"
	require.NoError(h.t, account.Rows{DB: h.Store}.CreateMember(h.t.Context(), of))
	return of
}

// hashed is Password as it is kept; hashing takes its time on purpose.
var hashed = sync.OnceValue(func() string {
	hash, err := hashing.Hash(context.Background(), Password)
	if err != nil {
		panic(err)
	}
	return hash
})

// Migrated is the address of a new database with everything in it but rows.
func Migrated(t testing.TB, pg *pgserver.Server) string {
	t.Helper()
	return pg.Like(t, "migrated", db.Migrate)
}

// Project makes a client with a project.
func (h *House) Project(m account.Member, client, name string) gather.Place {
	h.t.Helper()
	top, err := h.Places.NewPlace(h.t.Context(), m, "", client)
	require.NoError(h.t, err)
	made, err := h.Places.NewPlace(h.t.Context(), m, top.ID, name)
	require.NoError(h.t, err)
	return made
}

// File makes an item of a file with content; place may be empty.
func (h *House) File(m account.Member, place, name, content string) gather.Item {
	h.t.Helper()
	i := gather.Item{ID: ground.NewID(), StudioID: m.StudioID, PlaceID: place, Kind: thing.File, Name: name, CreatedBy: m.ID}
	require.NoError(h.t, h.Store.Tx(h.t.Context(), func(ctx context.Context) error {
		if err := (gather.ThingRows{DB: h.Store}).InsertItem(ctx, i); err != nil {
			return err
		}
		return h.version(ctx, m, i.ID, 1, name, content)
	}))
	return h.item(m, i.ID)
}

// Again gives an item a further version.
func (h *House) Again(m account.Member, item, name, content string) gather.Item {
	h.t.Helper()
	require.NoError(h.t, h.Store.Tx(h.t.Context(), func(ctx context.Context) error {
		v := gather.Version{ItemID: item, Piece: gather.Piece{FileName: name}}
		if err := h.Things.Next(ctx, &v); err != nil {
			return err
		}
		return h.version(ctx, m, item, v.Number, name, content)
	}))
	return h.item(m, item)
}

func (h *House) version(ctx context.Context, m account.Member, item string, number int, name, content string) error {
	id := ground.NewID()
	size, crc, sum, err := h.Bytes.Put(ctx, id, bytes.NewReader([]byte(content)))
	if err != nil {
		return err
	}
	if err := (keep.Rows{DB: h.Store}).InsertBlob(ctx, keep.Blob{ID: id, StudioID: m.StudioID, Size: size, CRC32: crc,
		XXH3: sum[:]}); err != nil {
		return err
	}
	if err := h.Things.Put(ctx, gather.Version{ItemID: item, AddedBy: m.ID, Piece: gather.Piece{VersionID: ground.NewID(), Number: number,
		FileName: name, BlobID: id, What: thing.Film, Mime: "video/mp4", MediaState: preview.None}}); err != nil {
		return err
	}
	return h.Things.Changed(ctx, m.StudioID, true, item)
}

func (h *House) item(m account.Member, id string) gather.Item {
	h.t.Helper()
	i, err := h.Things.Item(h.t.Context(), m, id)
	require.NoError(h.t, err)
	return i
}

// Draft packs items, and puts people on the waybill who may see, note and take.
// An empty address is a link for anyone.
func (h *House) Draft(m account.Member, items []string, addresses ...string) (pack.Parcel, []pack.Line) {
	h.t.Helper()
	p, err := h.Pack.Pack(h.t.Context(), m, "", gather.Selection{Items: items})
	require.NoError(h.t, err)
	lines := make([]pack.Line, len(addresses))
	for i, address := range addresses {
		lines[i], err = h.Pack.AddLine(h.t.Context(), m, p.ID, pack.Guest{Address: address,
			Rights: right.Rights{right.See, right.Note, right.Take}})
		require.NoError(h.t, err)
	}
	return p, lines
}

// Sent is a Draft that was sent.
func (h *House) Sent(m account.Member, items []string, addresses ...string) (pack.Parcel, []pack.Line) {
	h.t.Helper()
	p, lines := h.Draft(m, items, addresses...)
	require.NoError(h.t, h.Pack.Send(h.t.Context(), m, p.ID))
	p, err := h.Pack.ParcelOf(h.t.Context(), m, p.ID)
	require.NoError(h.t, err)
	return p, lines
}

// Enter comes in by a line's link, on a device.
func (h *House) Enter(l pack.Line, device string) receive.Entrant {
	h.t.Helper()
	link := h.Pack.LinkURL(l)
	e, err := h.Receive.Enter(h.t.Context(), link[strings.LastIndex(link, "/")+1:], device, nil)
	require.NoError(h.t, err)
	return e
}

// Code is the stable name of a mistake, and empty for none; what is no mistake of
// whoever asks fails the test.
func Code(t testing.TB, err error) string {
	t.Helper()
	if err == nil {
		return ""
	}
	var mistake *ground.Error
	require.ErrorAs(t, err, &mistake)
	return mistake.Code
}
