package proofs

import (
	"context"
	"encoding/csv"
	"encoding/json"
	"io"
	"net/http"
	"strconv"
	"strings"
	"time"

	"aftergust/core/file/naming"
	"aftergust/core/notes/markers"
	"aftergust/core/record/event"
	"aftergust/core/record/proof"
	"aftergust/core/time/expiry"
	"aftergust/internal/ground"
	"aftergust/internal/parts/follow"
	"aftergust/internal/parts/pack"
	"aftergust/internal/web"
	"aftergust/internal/who/account"

	"github.com/go-chi/chi/v5"
)

// Routes are proofs of delivery and exports over HTTP.
type Routes struct {
	Web    *web.Web
	Follow *follow.Service
	Pack   *pack.Service
	Proofs *Service
}

// Mount registers all routes of this part.
func (a Routes) Mount(r chi.Router) {
	r.With(a.Web.Limited(web.ChecksPerMinute)).Post("/api/v1/proofs/check", a.checkProof) // for everybody
	for _, method := range []string{http.MethodGet, http.MethodHead} {
		for _, file := range []string{"proof.pdf", "proof.json"} {
			r.MethodFunc(method, "/api/v1/packages/{id}/"+file, a.proofFile)
		}
		for _, suffix := range []string{".csv", ".jsonl"} {
			r.MethodFunc(method, "/api/v1/packages/{id}/events"+suffix, a.exportEvents)
			r.MethodFunc(method, "/api/v1/packages/{id}/ledger"+suffix, a.exportLedger)
		}
	}
}

// proofFile sends the proof of delivery of a package: GET /api/v1/packages/{id}/proof.pdf
// for people, and proof.json, which is what is signed.
func (a Routes) proofFile(w http.ResponseWriter, r *http.Request) {
	m, err := web.Member(r.Context())
	var p Proof
	if err == nil {
		p, err = a.Proofs.Make(r.Context(), m, chi.URLParam(r, "id"))
	}
	var file []byte
	mime, suffix := "application/json", ".json"
	if err == nil && strings.HasSuffix(r.URL.Path, ".pdf") {
		mime, suffix = "application/pdf", ".pdf"
		file, err = p.PDF(expiry.ZoneOr(m.Zone))
	} else if err == nil {
		file, err = json.Marshal(p.Sealed)
	}
	if err != nil {
		a.Web.Refuse(w, err)
		return
	}
	web.Guarded(w)
	w.Header().Set("Content-Type", mime)
	w.Header().Set("Content-Disposition", naming.Attachment("Proof of delivery, "+naming.Portable(p.Package.Title)+suffix))
	w.Header().Set("Cache-Control", "no-store")
	_, _ = w.Write(file) // the reader has gone
}

// A verdictView is what can be said of a proof that somebody was shown.
type verdictView struct {
	Problem  string         `json:"problem"` // empty: it is whole
	Studio   string         `json:"studio"`  // of this server whose key signed it; empty where none did
	Key      string         `json:"key"`
	Document proof.Document `json:"document"`
}

// checkTime is how long the file of a proof may take to arrive. Anybody may send one, and as
// many as one address may begin in that time leave places for others.
const checkTime = 30 * time.Second

// checkProof checks the file of a proof, for everybody: POST /api/v1/proofs/check.
func (a Routes) checkProof(w http.ResponseWriter, r *http.Request) {
	v, err := a.Proofs.Check(r.Context(), web.GivenWithin(w, r, MostFile, checkTime))
	if err != nil {
		a.Web.Refuse(w, err)
		return
	}
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Cache-Control", "no-store")
	_ = json.NewEncoder(w).Encode(verdictView{v.Problem, v.Studio, v.Key, v.Document}) // the reader has gone
}

// A table is written row by row, as CSV (RFC 4180) or as a line of JSON each.
type table struct {
	columns []string
	csv     *csv.Writer
	lines   *json.Encoder
}

// export begins the file of a table, by the end of the address.
func export(w http.ResponseWriter, r *http.Request, name string, columns ...string) *table {
	suffix := r.URL.Path[strings.LastIndexByte(r.URL.Path, '.'):]
	web.Guarded(w)
	w.Header().Set("Content-Disposition", naming.Attachment(naming.Portable(name)+suffix))
	w.Header().Set("Cache-Control", "no-store")
	t := &table{columns: columns}
	if suffix == ".csv" {
		w.Header().Set("Content-Type", "text/csv; charset=utf-8")
		_, _ = io.WriteString(w, markers.ByteOrder) // likewise
		t.csv = csv.NewWriter(w)
		t.csv.UseCRLF = true
		_ = t.csv.Write(columns) // what goes wrong is seen with the next row
		return t
	}
	w.Header().Set("Content-Type", "application/jsonl")
	t.lines = json.NewEncoder(w)
	return t
}

// row writes a row; it fails where the reader has gone.
func (t *table) row(values ...any) error {
	if t.csv == nil {
		line := map[string]any{}
		for i, v := range values {
			line[t.columns[i]] = v
		}
		return t.lines.Encode(line)
	}
	cells := make([]string, len(values))
	for i, v := range values {
		switch v := v.(type) {
		case string:
			cells[i] = markers.Plain(v)
		case int64:
			cells[i] = strconv.FormatInt(v, 10)
		case int:
			cells[i] = strconv.Itoa(v)
		case bool:
			cells[i] = strconv.FormatBool(v)
		}
	}
	if err := t.csv.Write(cells); err != nil {
		return err
	}
	t.csv.Flush()
	return t.csv.Error()
}

func stamp(at time.Time) string {
	if at.IsZero() {
		return ""
	}
	return at.UTC().Format(time.RFC3339Nano)
}

// exportEvents sends all that happened to a package: GET /api/v1/packages/{id}/events.csv and .jsonl.
func (a Routes) exportEvents(w http.ResponseWriter, r *http.Request) {
	p, _, err := a.exported(r)
	if err != nil {
		a.Web.Refuse(w, err)
		return
	}
	t := export(w, r, "Story of "+p.Title, "number", "at", "kind", "person", "member", "says", "item", "version", "size", "sha256", "sum")
	err = a.Proofs.Each(r.Context(), p.ID, func(c Chained) error {
		who := event.Who{Line: c.Line.Name, Member: c.By.Name}
		return t.row(c.Link.Seq, stamp(c.Link.At), c.Link.Kind, who.Line, who.Member, event.Say(event.Kind(c.Link.Kind), who, c.Facts),
			c.Facts.Name, c.Facts.Number, c.Facts.Size, c.Facts.SHA256, c.Sum.String())
	})
	a.whole(err)
}

// exported is the package of a request for a file of its records.
func (a Routes) exported(r *http.Request) (p pack.Parcel, m account.Member, err error) {
	if m, err = web.Member(r.Context()); err != nil {
		return p, m, err
	}
	p, err = a.Pack.ParcelOf(r.Context(), m, chi.URLParam(r, "id"))
	return p, m, err
}

// whole ends a file that was begun. Where it is not whole the line is cut, so that nobody
// takes a part of it for all.
func (a Routes) whole(err error) {
	if err != nil {
		a.Web.Log.Info("an export ended early", "err", err)
		panic(http.ErrAbortHandler)
	}
}

// exportLedger sends who has what of a package: GET /api/v1/packages/{id}/ledger.csv and .jsonl.
func (a Routes) exportLedger(w http.ResponseWriter, r *http.Request) {
	p, m, err := a.exported(r)
	if err != nil {
		a.Web.Refuse(w, err)
		return
	}
	t := export(w, r, "Ledger of "+p.Title, "person", "mail", "item", "version", "size", "delivered", "complete", "completed_at", "older_version",
		"played_ms", "looked_at")
	a.whole(a.eachCell(r.Context(), m, p.ID, t))
}

func (a Routes) eachCell(ctx context.Context, m account.Member, id string, t *table) error {
	for after := (pack.Place{}); ; {
		l, err := a.Follow.Ledger(ctx, m, id, after)
		if err != nil {
			return err
		}
		for i, row := range l.Rows {
			line := l.Strands[i].Line
			for n, c := range row.Cells {
				item := l.Contents[n]
				if err := t.row(line.Name, line.Email, item.Path(), item.Number, item.Size, c.Bytes.Len(), c.Complete, stamp(c.Completed), c.Behind,
					c.Played.Len(), stamp(c.Looked)); err != nil {
					return err
				}
			}
		}
		if len(l.Contents) < pack.ContentsPage {
			return nil
		}
		after = l.Contents[len(l.Contents)-1].Place()
	}
}

// StudioKeys lists the keys with which studios here sign proofs, for everybody:
// GET /.well-known/aftergust-keys.json (RFC 8615).
func (a Routes) StudioKeys(w http.ResponseWriter, r *http.Request) {
	keys, err := a.Proofs.StudioKeys(r.Context())
	if err != nil {
		a.Web.Refuse(w, err)
		return
	}
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Cache-Control", "public, max-age=300")
	_ = json.NewEncoder(w).Encode(map[string]any{"keys": ground.OrEmpty(keys)}) // the reader has gone
}
