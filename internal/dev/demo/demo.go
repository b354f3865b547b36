// Package demo starts Aftergust with a sample studio: database, mail tray and
// generated media included. It fills the studio through the API.
package demo

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"path"
	"path/filepath"
	"strings"
	"time"

	"aftergust/core/link/role"
	"aftergust/core/words/notice"
	"aftergust/internal/app"
	"aftergust/internal/dev/pgserver"
	"aftergust/internal/dev/standin"
	"aftergust/internal/parts/follow"
	"aftergust/internal/who/account"
)

// The owner of the sample studio. Her password is no secret: the demo listens
// on loopback only.
const (
	ownerName     = "Marit Oyelaran"
	ownerEmail    = "marit@lowtide.example"
	ownerPassword = "low-tide-at-noon"
	studioName    = "Low Tide Pictures"
)

// A Card is what the demo tells people and scripts about itself; it lies in demo.json.
type Card struct {
	BaseURL     string        `json:"base_url"`
	Owner       OwnerCard     `json:"owner"`
	MailTrayURL string        `json:"mail_tray_url"`
	OpenAPIURL  string        `json:"openapi_url"`
	HookSecret  string        `json:"hook_secret"` // by which messages to the program that stands in are signed
	Packages    []PackageCard `json:"packages"`
}

// An OwnerCard is how to sign in.
type OwnerCard struct {
	Email    string `json:"email"`
	Password string `json:"password"`
	Token    string `json:"token"`
}

// A PackageCard is one sample package.
type PackageCard struct {
	ID         string          `json:"id"`
	Title      string          `json:"title"`
	Recipients []RecipientCard `json:"recipients"`
}

// A RecipientCard is one recipient and their personal link.
type RecipientCard struct {
	Name  string `json:"name"`
	Email string `json:"email"`
	Link  string `json:"link"`
}

// Command runs the demo until ctx ends.
func Command(ctx context.Context, flags *flag.FlagSet, args []string, getenv func(string) string, out io.Writer) error {
	dir := flags.String("dir", ".data", "folder for everything that the demo keeps")
	reset := flags.Bool("reset", false, "throw the sample studio away and make it anew; generated media is kept")
	tray := flags.String("tray", "127.0.0.1:8485", "address of the mail tray")
	if err := flags.Parse(args); err != nil {
		return err
	}
	if *reset {
		for _, path := range []string{pgserver.Dir(filepath.Join(*dir, "pg")), filepath.Join(*dir, "blobs"), filepath.Join(*dir, "mail"),
			filepath.Join(*dir, "demo.json")} {
			if err := os.RemoveAll(path); err != nil {
				return err
			}
		}
	}
	d := &demo{dir: *dir, out: out}
	err := d.start(ctx, getenv, *tray)
	if err == nil {
		d.tell()
		<-ctx.Done()
	}
	d.stop()
	return err
}

type demo struct {
	dir     string
	out     io.Writer
	pg      *pgserver.Server
	tray    *standin.Tray
	returns string // where mail that did not arrive is handed back
	program *standin.Program
	hooks   string // address of the program that listens to webhooks
	texts   string // address of the gateway for text messages
	page    *http.Server
	app     *app.App
	card    Card
}

func (d *demo) stop() {
	ctx := context.Background()
	if d.app != nil {
		if err := d.app.Stop(ctx); err != nil {
			fmt.Fprintln(d.out, "stop:", err)
		}
	}
	if d.page != nil {
		_ = d.page.Close() // nothing of it must be kept
	}
	if d.tray != nil {
		_ = d.tray.Close() // likewise
	}
	if d.pg != nil {
		d.pg.Stop()
	}
}

func (d *demo) start(ctx context.Context, getenv func(string) string, trayAddress string) error {
	if err := os.MkdirAll(d.dir, 0o755); err != nil {
		return err
	}
	var err error
	if d.pg, err = pgserver.Start(ctx, filepath.Join(d.dir, "pg"), true); err != nil {
		return err
	}
	if err := d.pg.Create(ctx, "aftergust"); err != nil {
		return err
	}
	if d.tray, err = standin.Open("127.0.0.1:0", filepath.Join(d.dir, "mail")); err != nil {
		return err
	}
	phones, err := standin.OpenPhones(filepath.Join(d.dir, "texts"))
	if err != nil {
		return err
	}
	outside := http.NewServeMux()
	outside.Handle("/", d.tray)
	outside.Handle("/texts", phones)
	outside.Handle("/texts.json", phones)
	d.program = &standin.Program{}
	outside.Handle("/hooks", d.program)
	outside.Handle("/hooks.json", d.program)
	d.hooks = "http://" + trayAddress + "/hooks"
	if d.returns, err = free(); err != nil {
		return err
	}
	d.tray.Returns(d.returns)
	d.texts = "http://" + trayAddress + "/texts"
	d.page = &http.Server{Addr: trayAddress, Handler: outside, ReadHeaderTimeout: 10 * time.Second}
	go func() {
		if err := d.page.ListenAndServe(); err != nil && err != http.ErrServerClosed {
			fmt.Fprintln(d.out, "mail tray page:", err)
		}
	}()
	config, err := app.Read(d.environment(getenv))
	if err != nil {
		return err
	}
	if d.app, err = app.Start(ctx, config); err != nil {
		return err
	}
	return d.fill(ctx, config.BaseURL, "http://"+trayAddress)
}

// environment is the process's own, with what the demo brings where it says nothing.
// Its address has a name, since passkeys need one.
func (d *demo) environment(getenv func(string) string) func(string) string {
	port := "8484"
	if _, own, err := net.SplitHostPort(getenv("AFTERGUST_ADDR")); err == nil {
		port = own
	}
	brought := map[string]string{
		"AFTERGUST_DATABASE_URL": d.pg.URL("aftergust"), "AFTERGUST_BLOBS": filepath.Join(d.dir, "blobs"), "AFTERGUST_SMTP_URL": d.tray.URL(),
		"AFTERGUST_TEXT_URL": d.texts, "AFTERGUST_LMTP": d.returns, "AFTERGUST_MAIL_FROM": "hello@lowtide.example", "AFTERGUST_SECRET": d.secret(), "AFTERGUST_LOG": "warn",
		"AFTERGUST_BASE_URL": "http://localhost:" + port, "AFTERGUST_HOOK_NETWORKS": "127.0.0.1/32",
	}
	return func(name string) string {
		if own := getenv(name); own != "" {
			return own
		}
		return brought[name]
	}
}

// secret is made once and kept, so that links outlive a restart.
func (d *demo) secret() string {
	file := filepath.Join(d.dir, "secret")
	if kept, err := os.ReadFile(file); err == nil {
		return strings.TrimSpace(string(kept))
	}
	fresh := rand.Text() + rand.Text()
	if err := os.WriteFile(file, []byte(fresh+"\n"), 0o600); err != nil {
		fmt.Fprintln(d.out, "the secret could not be kept; links will not outlive this run:", err)
	}
	return fresh
}

// fill makes the sample studio unless it is there.
func (d *demo) fill(ctx context.Context, base, tray string) error {
	file := filepath.Join(d.dir, "demo.json")
	if kept, err := os.ReadFile(file); err == nil && json.Unmarshal(kept, &d.card) == nil && d.card.BaseURL == base {
		d.program.Expect(d.card.HookSecret)
		return nil
	}
	if _, there, err := (account.Rows{DB: d.app.Store}).MemberByEmail(ctx, ownerEmail); err != nil || there {
		if err == nil {
			err = fmt.Errorf("the sample studio in %s is only half made, or was made for another address; run make demo-reset", d.dir)
		}
		return err
	}
	fmt.Fprintln(d.out, "Making films, sounds and pictures for the sample studio. This takes about a minute, once.")
	media := filepath.Join(d.dir, "media")
	if err := makeMedia(ctx, media); err != nil {
		return err
	}
	fmt.Fprintln(d.out, "Filling the sample studio.")
	owner, err := d.app.Account.Found(ctx, studioName, "Europe/London", account.Member{Name: ownerName, Email: ownerEmail}, ownerPassword)
	if err != nil {
		return err
	}
	if err := d.invite(ctx, owner); err != nil {
		return err
	}
	secret, err := d.listen(ctx, owner)
	if err != nil {
		return err
	}
	token, err := d.app.Account.NewToken(ctx, ownerEmail, "demo")
	if err != nil {
		return err
	}
	filled, err := seed(ctx, NewClient("http://"+d.app.Addr, token), d.app.Store.Pool(), media)
	if err != nil {
		return err
	}
	// Standings follow the moments that were set back.
	if _, err := d.app.Verifier.Verify(ctx, true, func(follow.Difference) {}); err != nil {
		return err
	}
	d.card = Card{BaseURL: base, Owner: OwnerCard{ownerEmail, ownerPassword, token}, MailTrayURL: tray, OpenAPIURL: base + "/openapi.json",
		HookSecret: secret}
	for _, s := range filled {
		card := PackageCard{ID: s.id, Title: s.title}
		for _, g := range s.guests {
			card.Recipients = append(card.Recipients, RecipientCard{g.name, g.email, g.link})
		}
		d.card.Packages = append(d.card.Packages, card)
	}
	written, err := json.MarshalIndent(d.card, "", "  ")
	if err != nil {
		return err
	}
	return os.WriteFile(file, append(written, '\n'), 0o600)
}

// listen lets the program that stands in hear of everything.
func (d *demo) listen(ctx context.Context, owner account.Member) (secret string, err error) {
	var kinds []string
	for _, k := range notice.All.Names() {
		if notice.All.Get(k).Comes() {
			kinds = append(kinds, string(k))
		}
	}
	_, secret, err = d.app.Hooks.Add(ctx, owner, d.hooks, kinds)
	d.program.Expect(secret)
	return secret, err
}

// colleague works in the sample studio too.
const colleague = "tove@lowtide.example"

// invite asks two people to work in the sample studio; one of them has said yes.
func (d *demo) invite(ctx context.Context, owner account.Member) error {
	const asked, source = "jonas@lowtide.example", "127.0.0.1"
	for _, address := range []string{colleague, asked} {
		if _, err := d.app.Team.Invite(ctx, owner, address, role.Member, source); err != nil {
			return err
		}
	}
	for until := time.Now().Add(time.Minute); ; time.Sleep(100 * time.Millisecond) {
		for _, letter := range d.tray.Letters(colleague) {
			for _, link := range letter.Links {
				_, err := d.app.Team.Join(ctx, path.Base(link), "Tove Ashlund", ownerPassword, source)
				return err
			}
		}
		if time.Now().After(until) {
			return errors.New("the invitation of the sample studio does not arrive in the mail tray")
		}
	}
}

func (d *demo) tell() {
	link := ""
	for _, p := range d.card.Packages {
		if p.Title == "Lifeboat, cut 3" {
			link = p.Recipients[0].Link
		}
	}
	fmt.Fprintf(d.out, `
Aftergust is running.

  Studio      %s
  Sign in     %s
  Password    %s
  A client    %s
  Mail tray   %s
  Webhooks    %s
  API         %s

The same as JSON: %s. Ctrl-C stops everything.
`, d.card.BaseURL, d.card.Owner.Email, d.card.Owner.Password, link, d.card.MailTrayURL, d.hooks, d.card.BaseURL+"/docs/api", filepath.Join(d.dir, "demo.json"))
}

// free is an address on loopback that nobody listens on.
func free() (string, error) {
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return "", err
	}
	return listener.Addr().String(), listener.Close()
}
