// Package standin simulates the outside world for the demo and the tests: a
// mail server that takes every letter and shows it in a tray. It delivers nothing.
package standin

import (
	"bytes"
	"cmp"
	"embed"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"html/template"
	"io"
	"mime"
	"mime/multipart"
	"mime/quotedprintable"
	"net"
	"net/http"
	"net/mail"
	"net/textproto"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/emersion/go-smtp"
)

//go:embed tray.html
var trayFile embed.FS

var trayPage = template.Must(template.New("tray.html").Funcs(template.FuncMap{
	"clock": func(t time.Time) string { return t.Local().Format("2 Jan 15:04") },
}).ParseFS(trayFile, "tray.html"))

// A Letter is a mail as it arrived.
type Letter struct {
	ID      string    `json:"id"`
	From    string    `json:"from"`
	To      string    `json:"to"`
	Subject string    `json:"subject"`
	Text    string    `json:"text"`
	HTML    string    `json:"html"`
	Links   []string  `json:"links"`
	At      time.Time `json:"at"`

	pictures map[string]string // that lie in the letter, as data URLs (RFC 2397) by Content-ID
}

// A Tray is an SMTP server on loopback and the letters that it took, newest first.
type Tray struct {
	dir      string
	server   *smtp.Server
	listener net.Listener
	mu       sync.Mutex
	letters  []Letter
	returns  string // LMTP server that gets back what is for nobody
}

const maxMessage = 30 << 20 // bytes

// Open listens on address (port 0: a free one) and keeps letters in dir, so that
// they are still there at the next start.
func Open(address, dir string) (*Tray, error) {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, err
	}
	t := &Tray{dir: dir}
	kept, err := filepath.Glob(filepath.Join(dir, "*.eml"))
	if err != nil {
		return nil, err
	}
	slices.Sort(kept)
	for _, file := range kept {
		raw, err := os.ReadFile(file)
		if err != nil {
			return nil, err
		}
		if letter, err := read(strings.TrimSuffix(filepath.Base(file), ".eml"), raw); err == nil {
			t.letters = append(t.letters, letter)
		}
	}
	t.listener, err = net.Listen("tcp", address)
	if err != nil {
		return nil, fmt.Errorf("mail tray: %w", err)
	}
	t.server = smtp.NewServer(smtp.BackendFunc(func(*smtp.Conn) (smtp.Session, error) { return &session{tray: t}, nil }))
	t.server.Domain = "tray.example"
	t.server.MaxMessageBytes = maxMessage
	t.server.MaxRecipients = 100
	t.server.ReadTimeout, t.server.WriteTimeout = time.Minute, time.Minute
	go func() {
		_ = t.server.Serve(t.listener) // ends when Close closes it
	}()
	return t, nil
}

// URL is the address to hand letters to.
func (t *Tray) URL() string { return "smtp://" + t.listener.Addr().String() }

// Close stops taking letters.
func (t *Tray) Close() error { return t.server.Close() }

// Letters lists what arrived, newest first; to limits it to one address unless empty.
func (t *Tray) Letters(to string) []Letter {
	t.mu.Lock()
	defer t.mu.Unlock()
	out := []Letter{}
	for _, l := range slices.Backward(t.letters) {
		if to == "" || strings.EqualFold(l.To, to) {
			out = append(out, l)
		}
	}
	return out
}

type session struct {
	tray     *Tray
	from, to string
}

// Returns lets letters to addresses that begin with nobody come back to a server that
// speaks LMTP.
func (t *Tray) Returns(address string) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.returns = address
}

func (s *session) Mail(from string, _ *smtp.MailOptions) error {
	s.from = from
	return nil
}
func (s *session) Rcpt(to string, _ *smtp.RcptOptions) error {
	s.to = to
	return nil
}
func (s *session) Reset()        {}
func (s *session) Logout() error { return nil }

func (s *session) Data(r io.Reader) error {
	raw, err := io.ReadAll(r)
	if err != nil {
		return err
	}
	if err := s.tray.keep(raw); err != nil {
		return err
	}
	s.tray.mu.Lock()
	returns := s.tray.returns
	s.tray.mu.Unlock()
	if returns != "" && strings.HasPrefix(s.to, "nobody") {
		go giveBack(returns, s.from, s.to, raw)
	}
	return nil
}

func (t *Tray) keep(raw []byte) error {
	t.mu.Lock()
	defer t.mu.Unlock()
	id := time.Now().UTC().Format("20060102-150405.000000000")
	letter, err := read(id, raw)
	if err != nil {
		return &smtp.SMTPError{Code: 554, EnhancedCode: smtp.EnhancedCode{5, 6, 0}, Message: "not a message"}
	}
	if err := os.WriteFile(filepath.Join(t.dir, id+".eml"), raw, 0o600); err != nil {
		return err
	}
	t.letters = append(t.letters, letter)
	return nil
}

var linkPattern = regexp.MustCompile(`https?://[^\s<>"]+`)

func read(id string, raw []byte) (Letter, error) {
	m, err := mail.ReadMessage(bytes.NewReader(raw))
	if err != nil {
		return Letter{}, err
	}
	var words mime.WordDecoder
	header := func(name string) string {
		value := m.Header.Get(name)
		if decoded, err := words.DecodeHeader(value); err == nil {
			return decoded
		}
		return value
	}
	letter := Letter{ID: id, From: header("From"), To: header("To"), Subject: header("Subject")}
	if to, err := m.Header.AddressList("To"); err == nil && len(to) > 0 {
		letter.To = to[0].Address
	}
	if at, err := time.Parse("20060102-150405.000000000", id); err == nil {
		letter.At = at
	}
	if err := letter.readBody(textproto.MIMEHeader(m.Header), m.Body); err != nil {
		return Letter{}, err
	}
	letter.Links = linkPattern.FindAllString(letter.Text, -1)
	return letter, nil
}

func (l *Letter) readBody(header textproto.MIMEHeader, body io.Reader) error {
	kind, params, err := mime.ParseMediaType(cmp.Or(header.Get("Content-Type"), "text/plain"))
	if err != nil {
		return err
	}
	if strings.HasPrefix(kind, "multipart/") {
		parts := multipart.NewReader(body, params["boundary"])
		for {
			part, err := parts.NextRawPart()
			if errors.Is(err, io.EOF) {
				return nil
			}
			if err != nil {
				return err
			}
			if err := l.readBody(part.Header, part); err != nil {
				return err
			}
		}
	}
	switch strings.ToLower(header.Get("Content-Transfer-Encoding")) {
	case "quoted-printable":
		body = quotedprintable.NewReader(body)
	case "base64":
		body = base64.NewDecoder(base64.StdEncoding, body)
	}
	text, err := io.ReadAll(body)
	if err != nil {
		return err
	}
	switch kind {
	case "text/plain":
		l.Text = strings.ReplaceAll(string(text), "\r\n", "\n")
	case "text/html":
		l.HTML = string(text)
	case "image/jpeg", "image/png":
		if l.pictures == nil {
			l.pictures = map[string]string{}
		}
		l.pictures[strings.Trim(header.Get("Content-Id"), "<>")] = "data:" + kind + ";base64," + base64.StdEncoding.EncodeToString(text)
	}
	return nil
}

// shown is the HTML of a letter with the pictures that lie in it where it names them (RFC 2392).
func (l Letter) shown() string {
	html := l.HTML
	for id, picture := range l.pictures {
		html = strings.ReplaceAll(html, `"cid:`+id+`"`, `"`+picture+`"`)
	}
	return html
}

// ServeHTTP shows the tray: / lists, /?letter=ID opens one, /letters.json is for
// scripts (with ?to=ADDRESS), /html?letter=ID is the letter's own page, which may run nothing.
func (t *Tray) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	w.Header().Set("X-Content-Type-Options", "nosniff")
	w.Header().Set("Referrer-Policy", "no-referrer")
	w.Header().Set("Cache-Control", "no-store")
	switch r.URL.Path {
	case "/letters.json":
		w.Header().Set("Content-Type", "application/json")
		_ = json.NewEncoder(w).Encode(t.Letters(r.URL.Query().Get("to"))) // the reader has gone
	case "/html":
		letter, ok := t.find(r.URL.Query().Get("letter"))
		if !ok {
			http.NotFound(w, r)
			return
		}
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		w.Header().Set("Content-Security-Policy",
			"sandbox allow-popups allow-popups-to-escape-sandbox allow-top-navigation-by-user-activation; default-src 'none'; "+
				"style-src 'unsafe-inline'; img-src data: http://localhost:* http://127.0.0.1:*")
		// A letter opens its links in the whole window, not inside the tray.
		_, _ = io.WriteString(w, `<base target="_top">`+letter.shown())
	case "/":
		letters := t.Letters("")
		open, ok := t.find(r.URL.Query().Get("letter"))
		if !ok && len(letters) > 0 {
			open = letters[0]
		}
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		w.Header().Set("Content-Security-Policy", "default-src 'none'; style-src 'unsafe-inline'; frame-src 'self'")
		_ = trayPage.Execute(w, struct {
			Letters []Letter
			Open    Letter
		}{letters, open})
	default:
		http.NotFound(w, r)
	}
}

func (t *Tray) find(id string) (Letter, bool) {
	for _, l := range t.Letters("") {
		if l.ID == id {
			return l, true
		}
	}
	return Letter{}, false
}
