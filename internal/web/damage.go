package web

import (
	"context"
	"errors"
	"strconv"

	"aftergust/core/file/damage"
	"aftergust/core/words/count"
	"aftergust/internal/files/archive"
	"aftergust/internal/files/keep"
	"aftergust/internal/ground"

	"github.com/prometheus/client_golang/prometheus"
)

// lookedAtMost is up to how many files of a ZIP are looked at before its first byte goes out.
// In larger ones only what is known to be damaged is found; the rest is found on the way.
const lookedAtMost = 200

// namedMost is how many damaged files a refusal names.
const namedMost = 3

// undamaged refuses to send files that are missing, have the wrong length or are known to be
// altered, before anything is sent: a download that breaks off looks like a bad connection,
// and is tried again and again.
func (a *Web) undamaged(ctx context.Context, given []archive.Entry) error {
	var ids []string
	if n, err := a.Keep.Damaged(ctx); err != nil {
		return err
	} else if n > 0 {
		for _, e := range given {
			ids = append(ids, e.Blob)
		}
	}
	known := map[string]damage.Damage{}
	if ids != nil {
		var err error
		if known, err = a.Keep.DamagedOf(ctx, ids); err != nil {
			return err
		}
	}
	var names []string
	for _, e := range given {
		found := known[e.Blob]
		if found == damage.None && e.Blob != "" && len(given) <= lookedAtMost {
			var err error
			if found, err = a.Keep.Whole(ctx, e.Blob, e.Size); err != nil {
				return err
			}
		}
		if found != damage.None {
			names = append(names, e.Path)
		}
	}
	return refuseDamaged(names, len(given))
}

// refuseDamaged is the error for damaged files among so many; nil for none.
func refuseDamaged(names []string, of int) error {
	if len(names) == 0 {
		return nil
	}
	list := strconv.Quote(names[0])
	for _, name := range names[1:min(len(names), namedMost)] {
		list += ", " + strconv.Quote(name)
	}
	if more := len(names) - namedMost; more > 0 {
		list += " and " + count.Of(more, "other", "others")
	}
	verb, safe := " is", "The studio can see this on its Desk and upload the file again; until then nothing can be downloaded here."
	if len(names) > 1 {
		verb = " are"
	}
	if of > len(names) {
		safe = "The studio can see this on its Desk; everything else can be downloaded on its own."
	}
	return ground.Clash("damaged", list+verb+" damaged on the server. "+safe)
}

// An entryError is a failure to read one entry of a content.
type entryError struct {
	entry int
	err   error
}

func (e *entryError) Error() string { return "entry " + strconv.Itoa(e.entry) + ": " + e.err.Error() }
func (e *entryError) Unwrap() error { return e.err }

// inspect looks at the entry of a content at which a download broke off, so that the next one
// who asks is told which file it is.
func (a *Web) inspect(ctx context.Context, c *Content, err error) {
	var broken *entryError
	if !errors.As(err, &broken) || broken.entry >= len(c.Given) {
		return
	}
	e := c.Given[broken.entry]
	found, err := a.Keep.Whole(context.WithoutCancel(ctx), e.Blob, e.Size)
	if found != damage.None || err != nil {
		a.Log.Error("a file is damaged", "blob", e.Blob, "damage", string(found), "error", err)
	}
}

// meterQueue shows how many wait to have a password, passphrase or code compared.
func meterQueue(waiting func() int, registry *prometheus.Registry) {
	registry.MustRegister(prometheus.NewGaugeFunc(prometheus.GaugeOpts{Name: "aftergust_tries_waiting",
		Help: "People who wait to have a password, passphrase or code compared."}, func() float64 { return float64(waiting()) }))
}

// meterDamage shows how many stored files are damaged to whoever watches.
func meterDamage(keeping *keep.Service, registry *prometheus.Registry) {
	registry.MustRegister(prometheus.NewGaugeFunc(prometheus.GaugeOpts{Name: "aftergust_damaged_files",
		Help: "Stored files that are missing, have the wrong length or are altered."}, func() float64 {
		n, err := keeping.Damaged(context.Background())
		if err != nil {
			return -1
		}
		return float64(n)
	}))
}
