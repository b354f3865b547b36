package standin

import (
	"embed"
	"encoding/json"
	"html/template"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"
)

//go:embed texts.html style.html
var textsFile embed.FS

var textsPage = template.Must(template.New("texts.html").Funcs(template.FuncMap{
	"clock": func(t time.Time) string { return t.Local().Format("2 Jan 15:04") },
	"link":  func(s string) string { return linkPattern.FindString(s) },
}).ParseFS(textsFile, "texts.html", "style.html"))

// A Text is a text message as it arrived.
type Text struct {
	ID   string    `json:"id"`
	To   string    `json:"to"`
	Text string    `json:"text"`
	At   time.Time `json:"at"`
}

// Phones is a gateway for text messages that keeps what it takes, newest first.
// Numbers that end in 0000 reach nobody.
type Phones struct {
	dir   string
	mu    sync.Mutex
	texts []Text
}

// OpenPhones keeps messages in dir, so that they are still there at the next start.
func OpenPhones(dir string) (*Phones, error) {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, err
	}
	p := &Phones{dir: dir}
	kept, err := filepath.Glob(filepath.Join(dir, "*.json"))
	if err != nil {
		return nil, err
	}
	for _, file := range kept {
		var t Text
		if raw, err := os.ReadFile(file); err != nil || json.Unmarshal(raw, &t) != nil {
			continue // not one of ours
		}
		p.texts = append(p.texts, t)
	}
	slices.SortFunc(p.texts, func(a, b Text) int { return b.At.Compare(a.At) })
	return p, nil
}

// Texts lists what arrived, newest first; to limits it to one number unless empty.
func (p *Phones) Texts(to string) []Text {
	p.mu.Lock()
	defer p.mu.Unlock()
	out := []Text{}
	for _, t := range p.texts {
		if to == "" || t.To == to {
			out = append(out, t)
		}
	}
	return out
}

// nowhere is how a number ends that reaches nobody.
const nowhere = "0000"

// ServeHTTP takes messages by POST, and shows them: as a page, and at …/texts.json.
func (p *Phones) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	w.Header().Set("Cache-Control", "no-store")
	w.Header().Set("X-Content-Type-Options", "nosniff")
	switch {
	case r.Method == http.MethodPost:
		p.take(w, r)
	case strings.HasSuffix(r.URL.Path, ".json"):
		w.Header().Set("Content-Type", "application/json")
		_ = json.NewEncoder(w).Encode(p.Texts(r.URL.Query().Get("to"))) // the reader has gone
	default:
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		w.Header().Set("Content-Security-Policy", "default-src 'none'; style-src 'unsafe-inline'")
		_ = textsPage.Execute(w, p.Texts("")) // likewise
	}
}

func (p *Phones) take(w http.ResponseWriter, r *http.Request) {
	t := Text{At: time.Now()}
	if err := json.NewDecoder(http.MaxBytesReader(w, r.Body, 64<<10)).Decode(&t); err != nil || t.ID == "" || t.Text == "" {
		http.Error(w, "not a message", http.StatusBadRequest)
		return
	}
	if strings.HasSuffix(t.To, nowhere) {
		http.Error(w, "nobody has this number", http.StatusUnprocessableEntity)
		return
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	if slices.ContainsFunc(p.texts, func(have Text) bool { return have.ID == t.ID }) {
		return // it came before
	}
	raw, err := json.Marshal(t)
	if err == nil {
		err = os.WriteFile(filepath.Join(p.dir, filepath.Base(t.ID)+".json"), raw, 0o600)
	}
	if err != nil {
		http.Error(w, "cannot be kept", http.StatusInternalServerError)
		return
	}
	p.texts = slices.Insert(p.texts, 0, t)
}
