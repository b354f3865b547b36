// Package hooks tells other programs of a studio what happens to what it sent: signed
// messages to an address of theirs (Standard Webhooks), tried again while they do not
// take them, with a log of what became of each.
package hooks

import (
	"context"
	"crypto/rand"
	"encoding/base64"
	"slices"
	"time"

	"aftergust/core/record/event"
	"aftergust/core/words/notice"
	"aftergust/core/words/webhook"
	"aftergust/internal/ground"
	"aftergust/internal/ground/db"
	"aftergust/internal/parts/notices"
	"aftergust/internal/who/account"
)

// A Hook is one address that is told.
type Hook struct {
	ID, StudioID string
	Address      string
	Kinds        []string // of notices (core/words/notice)
	Secret       []byte   // sealed
	Before       []byte   // sealed; the secret before, while both are good
	BothUntil    *time.Time
	MadeAt       time.Time
	OffAt        *time.Time
	WhyOff       string
	FailedAt     *time.Time
	TookAt       *time.Time
}

// A State is what became of a message.
type State string

// The states.
const (
	Waiting State = "waiting"
	Taken   State = "taken"
	GivenUp State = "given_up"
)

// Names are all states.
func (State) Names() []State { return []State{Waiting, Taken, GivenUp} }

// A Delivery is one message to one hook.
type Delivery struct {
	ID       string
	HookID   string
	Kind     string
	ParcelID string // empty for a trial
	EventID  int64
	At       time.Time
	State    State
	Tries    int
	NextAt   *time.Time
	TriedAt  *time.Time
	Status   int // of the last answer; 0: there was none
	TookMS   int
	Says     string // what the other side said, or why it was not reached
	Title    string // of the package, as it is now
}

// A Cursor is where a page of the log begins: after this one.
type Cursor struct {
	At time.Time
	ID string
}

// An Event is what a message is made of.
type Event struct {
	Kind        event.Kind
	At          time.Time
	ParcelID    string
	LineID      string
	Email       string
	VersionID   string
	Who         event.Who
	Facts       event.Facts
	ParcelTitle string
}

// A Service tells. Make it with New.
type Service struct {
	rows Rows
	keys *ground.Keys
	post *Poster
	now  func() time.Time
}

// New makes a service that sends by poster.
func New(store *db.DB, keys *ground.Keys, poster *Poster, now func() time.Time) *Service {
	return &Service{Rows{store}, keys, poster, now}
}

const sealing = "hook"

// Tell makes messages of what happened, in the transaction that wrote it.
func (s *Service) Tell(ctx context.Context, all []notices.Happened) error {
	concerning := slices.DeleteFunc(slices.Clone(all), func(h notices.Happened) bool { return !h.Concerns() })
	if len(concerning) == 0 {
		return nil
	}
	ids, err := s.rows.InsertDeliveries(ctx, concerning)
	if err != nil || len(ids) == 0 {
		return err
	}
	jobs := make([]ground.Job, len(ids))
	for i, id := range ids {
		jobs[i] = ground.HookJob{DeliveryID: id}
	}
	return s.rows.Enqueue(ctx, jobs...)
}

// mostHooks is how many hooks a studio has at most.
const mostHooks = 20

// Hooks are those of a studio.
func (s *Service) Hooks(ctx context.Context, m account.Member) ([]Hook, error) {
	return s.rows.Hooks(ctx, m.StudioID)
}

// checked is where a hook goes and what it wants, if that can be.
func (s *Service) checked(address string, kinds []string) (string, []string, error) {
	address, err := webhook.Address(address, len(s.post.allowed) > 0)
	if err != nil {
		return "", nil, ground.Wrong("address", "The address %s.", err)
	}
	for _, k := range kinds {
		if k := notice.Kind(k); !notice.All.Has(k) || !notice.All.Get(k).Comes() {
			return "", nil, ground.Wrong("kinds", "There is no kind %q.", k)
		}
	}
	if len(kinds) == 0 {
		return "", nil, ground.Wrong("kinds", "Choose what it is told of.")
	}
	kinds = slices.Clone(kinds)
	slices.Sort(kinds)
	return address, slices.Compact(kinds), nil
}

// Add makes a hook, and returns its secret, which is shown once.
func (s *Service) Add(ctx context.Context, m account.Member, address string, kinds []string) (h Hook, secret string, err error) {
	if address, kinds, err = s.checked(address, kinds); err != nil {
		return h, "", err
	}
	secret = newSecret()
	h = Hook{ID: ground.NewID(), StudioID: m.StudioID, Address: address, Kinds: kinds, Secret: s.keys.Seal(sealing, secret),
		MadeAt: s.now()}
	err = s.rows.Tx(ctx, func(ctx context.Context) error {
		have, err := s.rows.Hooks(ctx, m.StudioID)
		if err == nil && len(have) >= mostHooks {
			err = ground.Clash("hooks", "A studio has at most twenty webhooks. Delete one first.")
		}
		if err != nil {
			return err
		}
		return s.rows.InsertHook(ctx, h)
	})
	return h, secret, err
}

// newSecret is 32 random bytes in the form of Standard Webhooks.
func newSecret() string {
	raw := make([]byte, 32)
	_, _ = rand.Read(raw) // it never fails
	return "whsec_" + base64.StdEncoding.EncodeToString(raw)
}

// change changes a hook of the member's studio.
func (s *Service) change(ctx context.Context, m account.Member, id string, do func(ctx context.Context, h *Hook) error) (h Hook,
	err error) {
	err = s.rows.Tx(ctx, func(ctx context.Context) error {
		var ok bool
		if h, ok, err = s.rows.HookByID(ctx, id, true); err != nil {
			return err
		}
		if !ok || h.StudioID != m.StudioID {
			return ground.Missing("webhook")
		}
		if err := do(ctx, &h); err != nil {
			return err
		}
		return s.rows.UpdateHook(ctx, h)
	})
	return h, err
}

// Change gives a hook another address and other kinds, and turns it off or on.
func (s *Service) Change(ctx context.Context, m account.Member, id, address string, kinds []string, on bool) (Hook, error) {
	return s.change(ctx, m, id, func(_ context.Context, h *Hook) (err error) {
		if h.Address, h.Kinds, err = s.checked(address, kinds); err != nil {
			return err
		}
		if on {
			h.OffAt, h.WhyOff, h.FailedAt = nil, "", nil
		} else if h.OffAt == nil {
			now := s.now()
			h.OffAt, h.WhyOff = &now, "turned off by hand"
		}
		return nil
	})
}

// bothGood is how long after a secret was renewed the one before is good too.
const bothGood = 24 * time.Hour

// Renew gives a hook another secret, which is shown once. For a day messages are
// signed with both.
func (s *Service) Renew(ctx context.Context, m account.Member, id string) (secret string, err error) {
	secret = newSecret()
	_, err = s.change(ctx, m, id, func(_ context.Context, h *Hook) error {
		until := s.now().Add(bothGood)
		h.Before, h.BothUntil, h.Secret = h.Secret, &until, s.keys.Seal(sealing, secret)
		return nil
	})
	return secret, err
}

// Remove deletes a hook with its log.
func (s *Service) Remove(ctx context.Context, m account.Member, id string) error {
	_, err := s.change(ctx, m, id, func(ctx context.Context, h *Hook) error { return s.rows.DeleteHook(ctx, h.ID) })
	return err
}

// Try sends a hook a message that says only that it is one.
func (s *Service) Try(ctx context.Context, m account.Member, id string) (Delivery, error) {
	d := Delivery{ID: ground.NewID(), HookID: id, Kind: trial, At: s.now(), State: Waiting}
	_, err := s.change(ctx, m, id, func(ctx context.Context, _ *Hook) error {
		if err := s.rows.InsertTrial(ctx, d); err != nil {
			return err
		}
		return s.rows.Enqueue(ctx, ground.HookJob{DeliveryID: d.ID, ByHand: true})
	})
	return d, err
}

// trial is the type of a message that somebody tries a hook with.
const trial = "trial"

// LogPage is how many messages a page of the log has.
const LogPage = 50

// Log is a page of what became of the messages to a hook, the newest first.
func (s *Service) Log(ctx context.Context, m account.Member, id string, after Cursor) ([]Delivery, error) {
	h, ok, err := s.rows.HookByID(ctx, id, false)
	if err != nil {
		return nil, err
	}
	if !ok || h.StudioID != m.StudioID {
		return nil, ground.Missing("webhook")
	}
	return s.rows.Deliveries(ctx, id, after, LogPage)
}

// Again sends a message once more, also one that was taken.
func (s *Service) Again(ctx context.Context, m account.Member, id string) error {
	d, ok, err := s.rows.DeliveryByID(ctx, id)
	if err != nil {
		return err
	}
	if !ok {
		return ground.Missing("message")
	}
	_, err = s.change(ctx, m, d.HookID, func(ctx context.Context, _ *Hook) error {
		return s.rows.Enqueue(ctx, ground.HookJob{DeliveryID: id, ByHand: true})
	})
	return ground.MissingIn(err, "message")
}
