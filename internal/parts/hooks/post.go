package hooks

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"strconv"
	"strings"
	"syscall"
	"time"

	"aftergust/core/record/event"
	"aftergust/core/words/webhook"

	standardwebhooks "github.com/standard-webhooks/standard-webhooks/libraries/go"
)

// Bounds of one try.
const (
	patience  = 15 * time.Second
	mostHeard = 300 // bytes of an answer that are kept for people
)

// A Poster carries messages to other programs. It reaches public addresses only, and
// those that were allowed: it is asked at the moment of connecting, for the address
// that is connected to, so that neither a name that changes its meaning nor a
// redirect leads into somebody's own house.
type Poster struct {
	client  *http.Client
	allowed []netip.Prefix
}

var errPrivate = errors.New("that is an address of a private network, to which this server sends nothing")

// NewPoster makes one that may also send to some private networks.
func NewPoster(allowed []netip.Prefix) *Poster {
	dialer := &net.Dialer{Timeout: 10 * time.Second, Control: func(_, address string, _ syscall.RawConn) error {
		at, err := netip.ParseAddrPort(address)
		if err != nil || !webhook.Public(at.Addr(), allowed) {
			return errPrivate
		}
		return nil
	}}
	return &Poster{allowed: allowed, client: &http.Client{Timeout: patience,
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
		Transport: &http.Transport{DialContext: dialer.DialContext, Proxy: nil, TLSHandshakeTimeout: 10 * time.Second, ForceAttemptHTTP2: true,
			MaxResponseHeaderBytes: 64 << 10, MaxIdleConnsPerHost: 2, IdleConnTimeout: 30 * time.Second, DisableCompression: true}}}
}

// post sends a body with signatures by all secrets that are good, and returns the
// status of the answer and its words; 0 where there was none.
func (p *Poster) post(ctx context.Context, address, id string, at time.Time, body []byte, secrets ...string) (status int, says string) {
	request, err := http.NewRequestWithContext(ctx, http.MethodPost, address, bytes.NewReader(body))
	if err != nil {
		return 0, "the address is none"
	}
	var signatures []string
	for _, secret := range secrets {
		signer, err := standardwebhooks.NewWebhook(secret)
		if err != nil {
			return 0, "the secret cannot be read"
		}
		signature, err := signer.Sign(id, at, body)
		if err != nil {
			return 0, "it could not be signed"
		}
		signatures = append(signatures, signature)
	}
	for name, value := range map[string]string{"Content-Type": "application/json", "User-Agent": "Aftergust",
		standardwebhooks.HeaderWebhookID: id, standardwebhooks.HeaderWebhookTimestamp: strconv.FormatInt(at.Unix(), 10),
		standardwebhooks.HeaderWebhookSignature: strings.Join(signatures, " ")} {
		request.Header.Set(name, value)
	}
	answer, err := p.client.Do(request)
	if err != nil {
		return 0, tidy(inWords(err))
	}
	defer answer.Body.Close()
	heard, _ := io.ReadAll(io.LimitReader(answer.Body, mostHeard)) // for people; without it the number says enough
	says = string(heard)
	if answer.StatusCode/100 == 3 {
		says = "it redirects to " + answer.Header.Get("Location") + ", which is not followed; give the address that it leads to"
	}
	return answer.StatusCode, tidy(says)
}

// tidy makes what another server sent fit to be kept: valid UTF-8, without NUL, and not long.
// What cannot be kept would be posted again for ever.
func tidy(says string) string {
	says = strings.TrimSpace(strings.ToValidUTF8(strings.ReplaceAll(says, "\x00", ""), "�"))
	for len(says) > mostHeard {
		says = strings.ToValidUTF8(says[:mostHeard], "")
	}
	return says
}

// inWords says why nobody was reached, without what only we know.
func inWords(err error) string {
	var name *net.DNSError
	var timeout net.Error
	switch {
	case errors.Is(err, errPrivate):
		return errPrivate.Error()
	case errors.As(err, &name):
		return "there is no such host: " + name.Name
	case errors.As(err, &timeout) && timeout.Timeout():
		return "it did not answer within " + patience.String()
	}
	var wrapped *url.Error
	if errors.As(err, &wrapped) {
		err = wrapped.Err
	}
	return "it was not reached: " + err.Error()
}

// A message is what is sent.
type message struct {
	Type      string    `json:"type"`
	Timestamp time.Time `json:"timestamp"`
	Data      any       `json:"data"`
}

type data struct {
	Says      string     `json:"says"`
	Package   reference  `json:"package"`
	Recipient *reference `json:"recipient,omitempty"`
	Item      *item      `json:"item,omitempty"`
	Place     string     `json:"place,omitempty"` // of a note, as its timeline labels it; or the task that was ticked
	Count     int        `json:"count,omitempty"` // how many people it is about
}

type reference struct {
	ID      string `json:"id"`
	Name    string `json:"name"`
	Email   string `json:"email,omitempty"`
	Address string `json:"address,omitempty"`
}

type item struct {
	Version string `json:"version_id"`
	Name    string `json:"name"`
	Number  int    `json:"number"`
	Size    int64  `json:"size"`
	SHA256  string `json:"sha256,omitempty"`
}

// body is a message made of its event, as it is known by now: who was erased since is not named.
// ok is false where the event is not kept any more.
func (s *Service) body(ctx context.Context, d Delivery) (body []byte, ok bool, err error) {
	m := message{Type: d.Kind, Timestamp: d.At.UTC(), Data: map[string]string{"says": "This is a trial. Nothing has happened."}}
	if d.ParcelID != "" {
		e, ok, err := s.rows.EventOf(ctx, d.ParcelID, d.At, d.EventID)
		if err != nil || !ok {
			return nil, false, err
		}
		about := data{Says: event.Say(e.Kind, e.Who, e.Facts),
			Package: reference{ID: e.ParcelID, Name: e.ParcelTitle, Address: s.keys.PackageURL(e.ParcelID)}, Place: e.Facts.At, Count: e.Facts.Count}
		if e.LineID != "" {
			about.Recipient = &reference{ID: e.LineID, Name: e.Who.Line, Email: e.Email}
		}
		if e.VersionID != "" {
			about.Item = &item{e.VersionID, e.Facts.Name, e.Facts.Number, e.Facts.Size, e.Facts.SHA256}
		}
		m.Data = about
	}
	body, err = json.Marshal(m)
	return body, true, err
}

// rest is how long a hook that has just failed is left in peace by messages that were
// not tried yet, so that one address which hangs does not hold up the others.
const rest = time.Minute

// Send makes one try of a message. wait is when to come again; 0 for never.
func (s *Service) Send(ctx context.Context, id string, byHand bool) (wait time.Duration, err error) {
	d, ok, err := s.rows.DeliveryByID(ctx, id)
	if err != nil || !ok {
		return 0, err // it was deleted meanwhile
	}
	h, ok, err := s.rows.HookByID(ctx, d.HookID, false)
	if err != nil || !ok {
		return 0, err
	}
	now := s.now()
	if !byHand {
		if d.State != Waiting {
			return 0, nil
		}
		if h.OffAt != nil {
			return 0, s.rows.GiveUp(ctx, d.ID, "the webhook was off when it was to go")
		}
		if h.FailedAt != nil && d.Tries == 0 && now.Before(h.FailedAt.Add(rest)) {
			return h.FailedAt.Add(rest).Sub(now), nil
		}
	}
	body, ok, err := s.body(ctx, d)
	if err == nil && !ok {
		return 0, s.rows.GiveUp(ctx, d.ID, "what it is about is not kept any more")
	}
	if err != nil {
		return 0, err
	}
	secrets, ok := s.secrets(h, now)
	if !ok {
		return 0, s.rows.GiveUp(ctx, d.ID, "its secret cannot be read here any more; give it another one")
	}
	began := time.Now()
	d.Status, d.Says = s.post.post(ctx, h.Address, d.ID, now, body, secrets...)
	if d.Status == 0 && ctx.Err() == context.Canceled { // we stop: nobody has refused anything
		return 0, ctx.Err()
	}
	d.TookMS, d.TriedAt = int(time.Since(began).Milliseconds()), &now
	d.Tries++
	switch outcome := webhook.OutcomeOf(d.Status); {
	case outcome == webhook.Took:
		d.State, d.NextAt = Taken, nil
	case outcome == webhook.Closed, d.Kind == trial, !byHand && d.Tries >= webhook.Tries: // a trial is tried once
		d.State, d.NextAt = GivenUp, nil
	case byHand: // what waits goes on waiting for its own next try, and what was taken stays so
	default:
		wait = webhook.Wait(d.Tries, rand.Float64()) //nolint:gosec // nobody gains by guessing it
		next := now.Add(wait)
		d.NextAt = &next
	}
	return wait, s.tried(context.WithoutCancel(ctx), d, h)
}

// tried writes a try down, and turns a hook off that wants no more.
func (s *Service) tried(ctx context.Context, d Delivery, h Hook) error {
	return s.rows.Tx(ctx, func(ctx context.Context) error {
		if err := s.rows.Tried(ctx, d); err != nil {
			return err
		}
		why := ""
		switch {
		case webhook.OutcomeOf(d.Status) == webhook.Closed:
			why = "it answered 410: nobody wants anything there any more"
		case d.State == GivenUp && d.Tries >= webhook.Tries && (h.TookAt == nil || h.TookAt.Before(d.At)):
			why = fmt.Sprintf("for three days it took nothing; the last answer: %s", said(d))
		}
		if why == "" {
			return nil
		}
		now, ok, err := s.rows.HookByID(ctx, h.ID, true)
		if err != nil || !ok || now.OffAt != nil {
			return err
		}
		now.OffAt, now.WhyOff = d.TriedAt, why
		return s.rows.UpdateHook(ctx, now)
	})
}

func said(d Delivery) string {
	if d.Status == 0 {
		return d.Says
	}
	return strings.TrimSpace(fmt.Sprintf("%d %s", d.Status, d.Says))
}

// secrets are those by which a message is signed; ok is false where one was sealed with a
// secret of this server that is gone.
func (s *Service) secrets(h Hook, now time.Time) (out []string, ok bool) {
	sealed := [][]byte{h.Secret}
	if h.Before != nil && h.BothUntil != nil && now.Before(*h.BothUntil) {
		sealed = append(sealed, h.Before)
	}
	for _, one := range sealed {
		secret, ok := s.keys.Unseal(sealing, one)
		if !ok {
			return nil, false
		}
		out = append(out, secret)
	}
	return out, true
}
