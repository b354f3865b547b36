package app

import (
	"context"
	"log/slog"
	"os"
	"time"

	"aftergust/internal/files/blob"
	"aftergust/internal/files/keep"
	"aftergust/internal/ground"
	"aftergust/internal/ground/db"
	"aftergust/internal/ground/jobs"
	"aftergust/internal/out/gateway"
	"aftergust/internal/out/letters"
	"aftergust/internal/parts/arrive"
	"aftergust/internal/parts/changes"
	"aftergust/internal/parts/copies"
	"aftergust/internal/parts/follow"
	"aftergust/internal/parts/gather"
	"aftergust/internal/parts/happen"
	"aftergust/internal/parts/hooks"
	"aftergust/internal/parts/letterheads"
	"aftergust/internal/parts/notices"
	"aftergust/internal/parts/pack"
	"aftergust/internal/parts/people"
	"aftergust/internal/parts/previews"
	"aftergust/internal/parts/privacy"
	"aftergust/internal/parts/proofs"
	"aftergust/internal/parts/receive"
	"aftergust/internal/parts/remind"
	"aftergust/internal/parts/review"
	"aftergust/internal/parts/seen"
	"aftergust/internal/parts/show"
	"aftergust/internal/parts/tally"
	"aftergust/internal/parts/ways"
	"aftergust/internal/who/account"
	"aftergust/internal/who/tries"
)

// Parts are the parts of the work, each made of what it needs. Here one sees who
// stands on whom.
type Parts struct {
	Team     *account.Team
	Second   *account.Second
	Book     *people.Book
	Places   *gather.Places
	Things   *gather.Things
	Chosen   *gather.Selections
	Uploads  *arrive.Service
	Previews *previews.Service
	Pack     *pack.Service
	Drafts   *pack.Drafts
	Receive  *receive.Service
	Follow   *follow.Service
	Seen     *seen.Service
	Rounds   *review.Rounds
	Sittings *review.Sittings
	Review   *review.Service
	Ways     *ways.Service
	Heads    *letterheads.Service
	Shows    *show.Service
	Copies   *copies.Service
	Proofs   *proofs.Service
	Remind   *remind.Service
	Notices  *notices.Service
	Privacy  *privacy.Service
	Hooks    *hooks.Service
	Letters  *letters.Service
	Verifier *follow.Verifier
	Changes  *changes.Service
	Guard    *tries.Guard
	Account  *account.Service
	Keep     *keep.Service
}

// Assemble makes the parts, on the clock now. store may be nil where nothing is asked of them, as
// for the description of the API.
func Assemble(c Config, store *db.DB, bytes blob.Store, now func() time.Time, log *slog.Logger) Parts {
	keys := ground.NewKeys(c.Secrets, c.BaseURL)
	guard, book := tries.New(tries.Rows{DB: store}, now), people.NewBook(people.Rows{DB: store}, now)
	talks := review.TalkRows{DB: store}
	sources := letters.Sources{Talk: talks.TalkOf, Told: talks.Told, Missing: tally.Rows{DB: store}.Missing}
	post := letters.New(letters.Rows{DB: store}, sources, keys, now)
	telling := notices.NewService(notices.Rows{DB: store}, post, now)
	programs := hooks.New(store, keys, hooks.NewPoster(c.HookNetworks), now)
	events := happen.New(happen.Rows{DB: store}, post, telling, programs)

	keeping := keep.New(store, bytes, now)
	places := gather.NewPlaces(store, now)
	things := gather.NewThings(store, places, keeping, bytes, now)
	chosen := gather.NewSelections(store, places, things, now)
	packing := pack.New(store, chosen, book, events, keys, now)
	accounts := account.New(store, guard, post, keys, now)
	leading := ways.New(store, packing, post, events, guard, keys, c.TextURL != "", now)
	changing := changes.New(store, bytes, os.TempDir(), now)
	heads, following := letterheads.New(store, os.TempDir()), follow.New(store, packing, keys, now)
	receiving := receive.New(store, book, events, post, guard, keys, packing, now, log)
	reviewing := review.New(store, bytes, os.TempDir(), packing, receiving, changing, events, now)
	return Parts{
		Team: account.NewTeam(store, accounts),
		Book: book, Second: account.NewSecond(store, accounts, c.BaseURL), Places: places, Things: things, Chosen: chosen,
		Uploads:  arrive.NewService(store, places, things, packing, keeping, bytes, now, log),
		Previews: previews.New(store, things), Pack: packing,
		Drafts: pack.NewDrafts(store, packing), Receive: receiving,
		Seen:   seen.New(store, receiving, packing, now),
		Follow: following, Review: reviewing, Rounds: review.NewRounds(store, reviewing, events, now),
		Sittings: review.NewSittings(store, reviewing, now),
		Ways:     leading, Heads: heads, Proofs: proofs.New(store, packing, following, keys, os.TempDir(), now),
		Copies: copies.New(store, bytes, receiving, places, things, keeping, events, now),
		Shows:  show.New(store, chosen, heads, guard, keys, now),
		Remind: remind.New(store, packing, events, now), Notices: telling, Privacy: privacy.New(store, now),
		Hooks:   programs,
		Letters: post, Verifier: follow.NewVerifier(store), Changes: changing, Guard: guard, Account: accounts, Keep: keeping,
	}
}

// texts is where text messages go; nil where nobody takes them.
func texts(c Config) ways.Gateway {
	if c.TextURL == "" {
		return nil
	}
	g, _ := gateway.Open(c.TextURL) // it was read once, with the settings
	return g
}

// book is what a process works beside requests.
func (p Parts) book(bytes blob.Store, disk *blob.Disk, post letters.Post, gateway ways.Gateway, log *slog.Logger) *jobs.Book {
	b := jobs.NewBook()
	p.Previews.Jobs(b, bytes, disk)
	p.Changes.Jobs(b)
	p.Keep.Jobs(b, log)
	p.Uploads.Jobs(b, disk)
	p.Drafts.Jobs(b, p.Keep)
	p.Receive.Jobs(b)
	p.Proofs.Jobs(b)
	p.Remind.Jobs(b)
	p.Review.Jobs(b, p.Notices, p.Letters)
	p.Hooks.Jobs(b)
	p.Ways.Jobs(b, gateway)
	p.Letters.Jobs(b, letters.Outgoing{Post: post, Picture: p.Review.Picture, Log: log})
	return b
}

// With opens the database for one command, without listening or working.
func With(ctx context.Context, c Config, do func(Parts) error) error {
	store, err := db.Open(ctx, c.DatabaseURL)
	if err != nil {
		return err
	}
	defer store.Close()
	if err := store.Known(ctx); err != nil {
		return err
	}
	disk, err := blob.OpenDisk(c.Blobs)
	if err != nil {
		return err
	}
	return do(Assemble(c, store, disk, time.Now, slog.New(slog.DiscardHandler)))
}
