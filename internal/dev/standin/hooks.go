package standin

import (
	"embed"
	"encoding/json"
	"html/template"
	"io"
	"net/http"
	"slices"
	"strings"
	"sync"
	"time"

	standardwebhooks "github.com/standard-webhooks/standard-webhooks/libraries/go"
)

//go:embed hooks.html style.html
var hooksFile embed.FS

var hooksPage = template.Must(template.New("hooks.html").Funcs(template.FuncMap{
	"clock": func(t time.Time) string { return t.Local().Format("2 Jan 15:04:05") },
}).ParseFS(hooksFile, "hooks.html", "style.html"))

// A Told is a message to another program, as it arrived.
type Told struct {
	ID     string    `json:"id"`
	At     time.Time `json:"at"`
	Body   string    `json:"body"`
	Good   bool      `json:"good"`   // signed by the secret, and not long ago
	Before bool      `json:"before"` // a message with this id had come already
	// Signatures is how many it bears: two while its secret is renewed.
	Signatures int `json:"signatures"`
}

// A Program is one that listens to webhooks, and keeps what it was told in memory,
// newest first. It refuses what is not signed as it should be.
type Program struct {
	mu     sync.Mutex
	secret string
	answer int // instead of 204; 0 for none
	told   []Told
}

// mostTold is how many messages are kept.
const mostTold = 200

// Expect sets the secret by which messages are signed.
func (p *Program) Expect(secret string) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.secret = secret
}

// Answer makes it answer with a status from now on; 0 for its own.
func (p *Program) Answer(status int) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.answer = status
}

// Told lists what came, newest first.
func (p *Program) Told() []Told {
	p.mu.Lock()
	defer p.mu.Unlock()
	return slices.Clone(p.told)
}

// ServeHTTP takes messages by POST, and shows them: as a page, and at …/hooks.json.
func (p *Program) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	w.Header().Set("Cache-Control", "no-store")
	switch {
	case r.Method == http.MethodPost:
		body, err := io.ReadAll(io.LimitReader(r.Body, 1<<20))
		if err != nil {
			return
		}
		w.WriteHeader(p.take(r.Header, body))
	case r.URL.Path == "/hooks.json":
		w.Header().Set("Content-Type", "application/json")
		_ = json.NewEncoder(w).Encode(p.Told()) // whoever has gone does not read it
	default:
		_ = hooksPage.Execute(w, p.Told()) // likewise
	}
}

// take keeps a message, and says which status to answer.
func (p *Program) take(headers http.Header, body []byte) int {
	p.mu.Lock()
	defer p.mu.Unlock()
	t := Told{ID: headers.Get(standardwebhooks.HeaderWebhookID), At: time.Now(), Body: string(body),
		Signatures: len(strings.Fields(headers.Get(standardwebhooks.HeaderWebhookSignature)))}
	if check, err := standardwebhooks.NewWebhook(p.secret); err == nil && p.secret != "" {
		t.Good = check.Verify(body, headers) == nil
	}
	t.Before = slices.ContainsFunc(p.told, func(had Told) bool { return had.ID == t.ID && had.Good })
	p.told = append([]Told{t}, p.told[:min(len(p.told), mostTold-1)]...)
	switch {
	case p.answer != 0:
		return p.answer
	case !t.Good:
		return http.StatusUnauthorized
	}
	return http.StatusNoContent
}
