// Command aftergust sends large media as expiring packages, collects review
// notes at the exact moment, and knows who has taken what.
package main

import (
	"context"
	"crypto/rand"
	"errors"
	"flag"
	"fmt"
	"io"
	"io/fs"
	"os"
	"os/signal"
	"syscall"
	"time"

	"aftergust/core/file/damage"
	"aftergust/core/file/transfer"
	"aftergust/internal/app"
	"aftergust/internal/dev/demo"
	"aftergust/internal/files/keep"
	"aftergust/internal/ground"
	"aftergust/internal/parts/follow"
	"aftergust/internal/parts/proofs"
	"aftergust/internal/who/account"
	"aftergust/ui"
)

var version = "dev" // set by the build

const usage = `aftergust serve      serve, and run the jobs
aftergust worker     run jobs only
aftergust migrate    bring the database up to date
aftergust found      make a studio with its owner
aftergust password   give a member another password
aftergust confirm    confirm the mail address of a member who gets no mail
aftergust second     take the second factor off a member who lost it
aftergust token      make a bearer token for scripts
aftergust secret     print AFTERGUST_SECRET with a new secret; the old ones go on for what was made with them
aftergust verify     rebuild what is counted from what it is made of, and name any difference
aftergust verify-proof [-key KEY] FILE   check a proof of delivery, without a network
aftergust demo       start with a sample studio, database and mail tray included
aftergust openapi    print the description of the API
aftergust routes     print the table of all routes, as docs/routes.md
aftergust kinds      print the words of doors, rights and states for the interface
aftergust licences   print what ships with Aftergust, and under which licences
aftergust version    print the version

aftergust COMMAND -h says more.
`

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	if err := run(ctx, os.Args[1:], os.Getenv, os.Stdout); err != nil && !errors.Is(err, flag.ErrHelp) {
		fmt.Fprintln(os.Stderr, "aftergust:", err)
		os.Exit(1)
	}
}

func run(ctx context.Context, args []string, getenv func(string) string, out io.Writer) error {
	if len(args) == 0 {
		fmt.Fprint(out, usage)
		return nil
	}
	flags := flag.NewFlagSet("aftergust "+args[0], flag.ContinueOnError)
	flags.SetOutput(out)
	commands := map[string]func() error{
		"serve":        func() error { return serve(ctx, flags, args[1:], getenv) },
		"worker":       func() error { return worker(ctx, flags, args[1:], getenv) },
		"migrate":      func() error { return migrate(ctx, flags, args[1:], getenv) },
		"found":        func() error { return found(ctx, flags, args[1:], getenv, out) },
		"password":     func() error { return password(ctx, flags, args[1:], getenv, out) },
		"confirm":      func() error { return confirm(ctx, flags, args[1:], getenv, out) },
		"second":       func() error { return second(ctx, flags, args[1:], getenv, out) },
		"token":        func() error { return token(ctx, flags, args[1:], getenv, out) },
		"secret":       func() error { return secret(getenv, out) },
		"demo":         func() error { return demo.Command(ctx, flags, args[1:], getenv, out) },
		"verify":       func() error { return verify(ctx, flags, args[1:], getenv, out) },
		"verify-proof": func() error { return verifyProof(flags, args[1:], out) },
		"openapi":      func() error { return openapi(out) },
		"routes":       func() error { return routes(out) },
		"kinds":        func() error { _, err := out.Write(app.Choices()); return err },
		"licences":     func() error { return licences(out) },
		"version":      func() error { fmt.Fprintln(out, version); return nil },
	}
	command, ok := commands[args[0]]
	if !ok {
		fmt.Fprint(out, usage)
		return fmt.Errorf("there is no command %q", args[0])
	}
	return command()
}

// settings parses flags and reads the environment.
func settings(flags *flag.FlagSet, args []string, getenv func(string) string) (app.Config, error) {
	flags.Usage = func() {
		fmt.Fprintf(flags.Output(), "%s\n\n", flags.Name())
		flags.PrintDefaults()
		app.Help(flags.Output())
	}
	if err := flags.Parse(args); err != nil {
		return app.Config{}, err
	}
	return app.Read(getenv)
}

func serve(ctx context.Context, flags *flag.FlagSet, args []string, getenv func(string) string) error {
	c, err := settings(flags, args, getenv)
	if err != nil {
		return err
	}
	a, err := app.Start(ctx, c)
	if err != nil {
		return err
	}
	fmt.Fprintln(os.Stderr, "aftergust listens on", a.Addr)
	<-ctx.Done()
	return a.Stop(context.WithoutCancel(ctx))
}

func worker(ctx context.Context, flags *flag.FlagSet, args []string, getenv func(string) string) error {
	c, err := settings(flags, args, getenv)
	if err != nil {
		return err
	}
	return app.Work(ctx, c)
}

func migrate(ctx context.Context, flags *flag.FlagSet, args []string, getenv func(string) string) error {
	c, err := settings(flags, args, getenv)
	if err != nil {
		return err
	}
	return app.Migrate(ctx, c.DatabaseURL)
}

func found(ctx context.Context, flags *flag.FlagSet, args []string, getenv func(string) string, out io.Writer) error {
	name := flags.String("studio", "", "name of the studio")
	zone := flags.String("zone", "Europe/London", "IANA time zone of the studio")
	owner := flags.String("owner", "", "name of the owner")
	email := flags.String("email", "", "mail address of the owner")
	c, err := settings(flags, args, getenv)
	if err != nil {
		return err
	}
	password := getenv("AFTERGUST_PASSWORD")
	if *name == "" || *owner == "" || *email == "" || len(password) < 10 {
		return errors.New("found needs -studio, -owner, -email, and AFTERGUST_PASSWORD with at least 10 characters")
	}
	return app.With(ctx, c, func(p app.Parts) error {
		_, err := p.Account.Found(ctx, *name, *zone, account.Member{Name: *owner, Email: *email}, password)
		if err == nil {
			fmt.Fprintf(out, "%s is founded. Sign in as %s.\n", *name, *email)
		}
		return err
	})
}

func token(ctx context.Context, flags *flag.FlagSet, args []string, getenv func(string) string, out io.Writer) error {
	email := flags.String("email", "", "mail address of the member")
	label := flags.String("label", "script", "what the token is for")
	c, err := settings(flags, args, getenv)
	if err != nil {
		return err
	}
	return app.With(ctx, c, func(p app.Parts) error {
		made, err := p.Account.NewToken(ctx, *email, *label)
		if err == nil {
			fmt.Fprintln(out, made)
		}
		return err
	})
}

func password(ctx context.Context, flags *flag.FlagSet, args []string, getenv func(string) string, out io.Writer) error {
	email := flags.String("email", "", "mail address of the member; the password is read from AFTERGUST_PASSWORD")
	c, err := settings(flags, args, getenv)
	if err != nil {
		return err
	}
	return app.With(ctx, c, func(p app.Parts) error {
		err := p.Account.SetPassword(ctx, *email, getenv("AFTERGUST_PASSWORD"))
		if err == nil {
			fmt.Fprintf(out, "%s has another password, and is signed out everywhere.\n", *email)
		}
		return err
	})
}

func second(ctx context.Context, flags *flag.FlagSet, args []string, getenv func(string) string, out io.Writer) error {
	email := flags.String("email", "", "mail address of the member")
	c, err := settings(flags, args, getenv)
	if err != nil {
		return err
	}
	return app.With(ctx, c, func(p app.Parts) error {
		err := p.Second.Clear(ctx, *email)
		if err == nil {
			fmt.Fprintf(out, "%s signs in with the password alone.\n", *email)
		}
		return err
	})
}

func confirm(ctx context.Context, flags *flag.FlagSet, args []string, getenv func(string) string, out io.Writer) error {
	email := flags.String("email", "", "mail address of the member")
	c, err := settings(flags, args, getenv)
	if err != nil {
		return err
	}
	return app.With(ctx, c, func(p app.Parts) error {
		err := p.Team.Vouch(ctx, *email)
		if err == nil {
			fmt.Fprintf(out, "%s may send.\n", *email)
		}
		return err
	})
}

// secret prints the setting with a new secret in it: for the first one, or in place of one that is known to others.
func secret(getenv func(string) string, out io.Writer) error {
	before := getenv("AFTERGUST_SECRET")
	if before == "" {
		_, err := fmt.Fprintln(out, "AFTERGUST_SECRET="+rand.Text()+rand.Text())
		return err
	}
	rotated, err := ground.Rotated(before)
	if err != nil {
		return err
	}
	_, err = fmt.Fprintln(out, "AFTERGUST_SECRET="+rotated)
	return err
}

func licences(out io.Writer) error {
	text, err := fs.ReadFile(ui.Files(), "licences.txt")
	if err == nil {
		_, err = out.Write(text)
	}
	return err
}

// verifyProof checks the file of a proof. What it needs lies in the file; whose key
// signed it is for the reader to compare.
func verifyProof(flags *flag.FlagSet, args []string, out io.Writer) error {
	expected := flags.String("key", "", "the key that must have signed it, in base64, as /.well-known/aftergust-keys.json on the studio's server lists it")
	if err := flags.Parse(args); err != nil {
		return err
	}
	if flags.NArg() != 1 {
		return errors.New("verify-proof needs the name of one file, a PDF or what lies in it")
	}
	file, err := os.ReadFile(flags.Arg(0))
	if err != nil {
		return err
	}
	v := proofs.CheckFile(file)
	if v.Problem != "" {
		return errors.New(v.Problem)
	}
	if *expected != "" && *expected != v.Key {
		return fmt.Errorf("it is signed with another key than the one you expect: %s", v.Key)
	}
	d := v.Document
	fmt.Fprintf(out, "Whole: %s, from %s, %d events, made %s.\nSigned with the key %s\n", d.Package.Title, d.Studio, len(d.Events), d.MadeAt, v.Key)
	if *expected == "" {
		fmt.Fprintf(out, "Anybody can sign with a key of their own: compare it with the key of %s, or give it with -key.\n", d.Studio)
	}
	return nil
}

func routes(out io.Writer) error {
	table, err := app.RouteTable()
	if err != nil {
		return err
	}
	_, err = out.Write(table)
	return err
}

func openapi(out io.Writer) error {
	document, err := app.OpenAPI()
	if err != nil {
		return err
	}
	_, err = fmt.Fprintf(out, "%s\n", document)
	return err
}

func verify(ctx context.Context, flags *flag.FlagSet, args []string, getenv func(string) string, out io.Writer) error {
	mend := flags.Bool("mend", false, "set what is kept to what it should be")
	read := flags.Bool("bytes", false, "read all files as well and compare their checksums; what was broken off goes on where it stopped")
	rate := flags.Int64("rate", 0, "with -bytes: read at most so many MB a second (0: as fast as it goes)")
	since := flags.Duration("since", 24*time.Hour, "with -bytes: leave out what was read within this time")
	c, err := settings(flags, args, getenv)
	if err != nil {
		return err
	}
	return app.With(ctx, c, func(p app.Parts) error {
		differences := 0
		packages, err := p.Verifier.Verify(ctx, *mend, func(d follow.Difference) {
			differences++
			fmt.Fprintln(out, d)
		})
		if err != nil {
			return err
		}
		broken := 0
		events, err := p.Proofs.VerifyChains(ctx, func(parcel string, seq int64) {
			broken++
			fmt.Fprintf(out, "package %s: what happened does not hold together after event %d\n", parcel, seq)
		})
		if err != nil {
			return err
		}
		fmt.Fprintf(out, "%d events looked at, %d chains broken.\n", events, broken)
		fmt.Fprintf(out, "%d packages looked at, %d differences.\n", packages, differences)
		damaged, err := verifyFiles(ctx, p.Keep, out, *read, *rate*1_000_000, *since)
		if err != nil {
			return err
		}
		if damaged > 0 {
			return errors.New("files are damaged: upload the same files again, which mends them, or bring them back from a backup")
		}
		if broken > 0 {
			return errors.New("an event was changed, moved or taken out of the records; compare with a backup from before")
		}
		if differences > 0 && !*mend {
			return errors.New("what is kept differs from what it is made of; aftergust verify -mend sets it right")
		}
		return nil
	})
}

// verifyFiles looks at all files that are kept, and reads them if read is set. It returns how
// many are damaged.
func verifyFiles(ctx context.Context, keeping *keep.Service, out io.Writer, read bool, rate int64, since time.Duration) (int, error) {
	damaged := map[string]bool{}
	found := func(f keep.Finding) {
		fmt.Fprintln(out, f)
		if f.Damage != damage.None {
			damaged[f.Blob] = true
		}
	}
	seen, err := keeping.LookAll(ctx, found)
	if err != nil {
		return 0, err
	}
	fmt.Fprintf(out, "%d files looked at", seen)
	if read {
		n, bytes, err := keeping.ReadAll(ctx, time.Now().Add(-since), rate, 0, found)
		fmt.Fprintf(out, ", %d read (%s)", n, transfer.Size(bytes))
		if err != nil {
			fmt.Fprintln(out, ". Start it again and it goes on from here.")
			return 0, err
		}
	}
	fmt.Fprintf(out, ", %d damaged.\n", len(damaged))
	return len(damaged), nil
}
