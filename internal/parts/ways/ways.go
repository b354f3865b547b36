// Package ways is how somebody gets their link where a letter of ours is not the way:
// by a code to read out, by a text message, from one's own mail program, under a
// name of one's own.
package ways

import (
	"context"
	"crypto/rand"
	"encoding/binary"
	"errors"
	"time"

	"aftergust/core/link/access"
	"aftergust/core/link/door"
	"aftergust/core/link/linkname"
	"aftergust/core/link/pickup"
	"aftergust/core/link/throttle"
	"aftergust/core/record/event"
	"aftergust/core/words/texting"
	"aftergust/internal/ground"
	"aftergust/internal/ground/db"
	"aftergust/internal/out/gateway"
	"aftergust/internal/out/letters"
	"aftergust/internal/parts/happen"
	"aftergust/internal/parts/pack"
	"aftergust/internal/parts/receive"
	"aftergust/internal/who/account"
	"aftergust/internal/who/tries"
)

// A Pickup is a code to read out, by its mark.
type Pickup struct {
	ID        string
	LineID    string
	Mark      []byte
	MadeBy    string
	ExpiresAt time.Time
}

// A Text is a text message to somebody.
type Text struct {
	ID        string
	StudioID  string
	LineID    string
	Number    string // as +447700900123
	State     string // waiting, sent, refused
	Problem   string
	CreatedAt time.Time
	SentAt    *time.Time
}

// A Gateway hands text messages over. An error that is a *gateway.Refused is for good.
type Gateway interface {
	Text(ctx context.Context, id, number, text string) error
}

// A Service knows the ways. Make it with New.
type Service struct {
	rows        Rows
	lineRows    pack.LineRows
	memoryRows  pack.MemoryRows
	packRows    pack.Rows
	receiveRows receive.Rows
	pack        *pack.Service
	letters     *letters.Service
	events      *happen.Log
	tries       *tries.Guard
	keys        *ground.Keys
	now         func() time.Time
	texts       bool
}

// New makes a service. texts tells whether there is a gateway for text messages.
func New(store *db.DB, packing *pack.Service, post *letters.Service, events *happen.Log, guard *tries.Guard, keys *ground.Keys, texts bool,
	now func() time.Time) *Service {
	return &Service{
		Rows{store}, pack.LineRows{DB: store}, pack.MemoryRows{DB: store}, pack.Rows{DB: store},
		receive.Rows{DB: store},
		packing, post, events, guard, keys, now, texts,
	}
}

// Ways are all ways to somebody.
type Ways struct {
	Line      pack.Line
	Parcel    pack.Parcel
	Link      string
	Name      string // of one's own; empty for none
	NamedLink string
	Delivery  letters.Composed // what the letter says, to be sent from one's own program
	Message   string           // to paste into a chat
	Text      string           // of a text message
	Parts     int              // in which the text message travels
	Texts     []Text           // that went or will go
	MayText   bool             // there is a gateway
}

// Of are all ways to somebody on a waybill.
func (s *Service) Of(ctx context.Context, m account.Member, line string) (w Ways, err error) {
	if w.Line, w.Parcel, err = s.pack.LineOf(ctx, m, line); err != nil {
		return w, err
	}
	if w.Name, err = s.rows.NameOf(ctx, line); err != nil {
		return w, err
	}
	w.Link, w.MayText = s.pack.LinkURL(w.Line), s.texts
	if w.Name != "" {
		w.NamedLink = s.keys.NamedURL(w.Name)
	}
	var ok bool
	if w.Delivery, ok, err = s.letters.Delivery(ctx, w.Parcel.ID, line, w.Line.Name, w.Line.Email); err != nil || !ok {
		return w, err
	}
	s.name(&w.Delivery, w.Name)
	w.Message, w.Text = message(w.Delivery), texting.Plain(short(w.Delivery))
	w.Parts = texting.Parts(w.Text)
	w.Texts, err = s.rows.TextsOf(ctx, line)
	return w, err
}

// name puts the named link into what is said, where there is one.
func (s *Service) name(c *letters.Composed, name string) {
	if name != "" {
		c.Link = s.keys.NamedURL(name)
	}
}

// message is what one pastes into a chat.
func message(c letters.Composed) string {
	out := c.Title + ", from " + c.SenderName + "\n" + c.Link
	if c.Ends != "" {
		out += "\nHere until " + c.Ends
	}
	if c.Passphrase {
		out += "\nIt opens with a passphrase; I tell you separately."
	}
	return out
}

// short is what a text message says.
func short(c letters.Composed) string {
	return c.SenderName + " sent you “" + c.Title + "”: " + c.Link
}

// open is a line of a package that is out, to which ways can lead.
func (s *Service) open(ctx context.Context, m account.Member, id string) (pack.Line, pack.Parcel, error) {
	line, parcel, err := s.pack.LineOf(ctx, m, id)
	if err != nil {
		return line, parcel, err
	}
	if !parcel.State(s.now()).Open() {
		return line, parcel, ground.Clash("not_out", "This package is not out, so no way leads into it. Send or extend it first.")
	}
	if !access.LetsIn(line.Rights) {
		return line, parcel, ground.Clash("no_rights", line.Name+" may neither look nor download, so no way leads anywhere.")
	}
	return line, parcel, nil
}

// Pickup makes a code for somebody, in the place of the one they had. It works once,
// within ten minutes.
func (s *Service) Pickup(ctx context.Context, m account.Member, line string) (code string, until time.Time, err error) {
	until = s.now().Add(throttle.PickupLife)
	err = s.rows.Tx(ctx, func(ctx context.Context) error {
		l, parcel, err := s.open(ctx, m, line)
		if err != nil {
			return err
		}
		code = pickup.Make(random())
		kept := Pickup{ID: ground.NewID(), LineID: l.ID, Mark: s.keys.PickupMark(code), MadeBy: m.ID, ExpiresAt: until}
		ok, err := s.rows.KeepPickup(ctx, kept, throttle.PickupsLive, s.now())
		if err != nil {
			return err
		}
		if !ok {
			return ground.Clash("too_many_codes", "Too many codes wait to be used just now. Try again in a few minutes, or send the link.")
		}
		return s.events.Record(ctx, happen.Happening{Kind: event.Pickup, StudioID: parcel.StudioID, ParcelID: parcel.ID, LineID: l.ID,
			MemberID: m.ID})
	})
	return code, until, err
}

func random() uint64 {
	var b [8]byte
	_, _ = rand.Read(b[:]) // documented never to fail
	return binary.LittleEndian.Uint64(b[:])
}

// PickUp lets a device in that somebody typed a code into: it gets a link of its own,
// good for a day, and is through the door.
func (s *Service) PickUp(ctx context.Context, typed, host, device string) (link string, err error) {
	code, ok := pickup.Read(typed)
	if !ok {
		return "", ground.Wrong("code", "A pickup code has ten letters and digits, such as 4TKM-7R9-2XD.")
	}
	wrong := &ground.Error{Kind: ground.Refused, Code: "wrong_code", At: "code",
		Say: "This code opens nothing: it is mistyped, was used, or is older than ten minutes. Ask for another."}
	limits := []tries.Limit{{Key: "pickup|" + host, Most: throttle.PerLink}, {Key: "pickup", Most: throttle.PickupGuesses}}
	right, _, err := s.tries.Compare(ctx, limits, func() (bool, error) {
		err := s.rows.Tx(ctx, func(ctx context.Context) error {
			link, err = s.use(ctx, code, device)
			return err
		})
		return link != "", err
	})
	if err == nil && !right {
		err = wrong
	}
	return link, err
}

// use makes a way in of a code; the link is empty where the code opens nothing.
func (s *Service) use(ctx context.Context, code, device string) (link string, err error) {
	id, ok, err := s.rows.UsePickup(ctx, s.keys.PickupMark(code), s.now())
	if err != nil || !ok {
		return "", err
	}
	line, ok, err := s.lineRows.LineByID(ctx, id)
	if err != nil || !ok || line.RemovedAt != nil {
		return "", err
	}
	until := s.now().Add(throttle.PickupStay)
	way := pack.Way{WayID: ground.NewID(), WayKind: pack.ByCode, LinkNonce: s.keys.NewNonce(), Since: s.now(), Until: &until}
	way.LinkHash = ground.Hash(s.keys.LinkToken(way.LinkNonce))
	if err := s.rows.InsertWay(ctx, line.ID, way); err != nil {
		return "", err
	}
	if device != "" {
		visit := receive.Visit{ID: ground.NewID(), LineID: line.ID, WayID: way.WayID}
		if err := s.receiveRows.PassVisit(ctx, visit, ground.Hash(device), s.now()); err != nil {
			return "", err
		}
	}
	return s.keys.LinkToken(way.LinkNonce), nil
}

// Name gives somebody's link a name of one's own; where the door is open it ends in
// random letters. An empty name takes it away.
func (s *Service) Name(ctx context.Context, m account.Member, id, typed string) error {
	return s.rows.Tx(ctx, func(ctx context.Context) error {
		line, parcel, err := s.pack.LineOf(ctx, m, id)
		if err != nil {
			return err
		}
		name := ""
		if typed != "" {
			if name, err = nameFor(parcel, typed); err != nil {
				return err
			}
		}
		ok, err := s.memoryRows.SetName(ctx, line.ID, name)
		if err == nil && !ok {
			err = ground.Wrong("name", "Another link is called %q already. Take another name.", name)
		}
		return err
	})
}

func nameFor(p pack.Parcel, typed string) (string, error) {
	name, err := linkname.Read(typed)
	if err != nil {
		return "", ground.Wrong("name", "%s", ground.InFull(err.Error()))
	}
	if len(name) == ground.LinkLength {
		return "", ground.Wrong("name", "A name of %d letters looks like a secret link. Make it longer or shorter.", ground.LinkLength)
	}
	if p.Door.Needs() == door.Nothing && linkname.Guessable(name) {
		name = ground.WithTail(name)

	}
	return name, nil
}

// SendText sends somebody their link as a text message.
func (s *Service) SendText(ctx context.Context, m account.Member, id, typed string) error {
	return s.rows.Tx(ctx, func(ctx context.Context) error {
		line, parcel, err := s.open(ctx, m, id)
		if err != nil {
			return err
		}
		if !s.texts {
			return ground.Clash("no_gateway", "There is no gateway for text messages. Whoever runs this server sets AFTERGUST_TEXT_URL.")
		}
		number, err := texting.Number(typed)
		if err != nil {
			return ground.Wrong("number", "%s.", err)
		}
		if _, err := s.tries.Spend(ctx, tries.Limit{Key: "text:" + line.ID, Most: throttle.TextsPerLine}); err != nil {
			return err
		}
		text := Text{ID: ground.NewID(), StudioID: parcel.StudioID, LineID: line.ID, Number: number, State: waiting, CreatedAt: s.now()}
		if err := s.rows.InsertText(ctx, text); err != nil {
			return err
		}
		if err := s.events.Record(ctx, happen.Happening{Kind: event.Texted, StudioID: parcel.StudioID, ParcelID: parcel.ID, LineID: line.ID,
			MemberID: m.ID}); err != nil {
			return err
		}
		return s.rows.Enqueue(ctx, ground.TextJob{TextID: text.ID})
	})
}

// The states of a text message.
const (
	waiting = "waiting"
	sent    = "sent"
	refused = "refused"
)

// Hand hands a text message to the gateway, which knows by its id whether it has it
// already.
func (s *Service) Hand(ctx context.Context, to Gateway, id string, last bool) error {
	text, ok, err := s.rows.TextByID(ctx, id)
	if err != nil || !ok || text.State != waiting {
		return err
	}
	line, ok, err := s.lineRows.LineByID(ctx, text.LineID)
	if err != nil || !ok {
		return err
	}
	parcel, ok, err := s.packRows.ParcelByID(ctx, line.ParcelID)
	if err != nil {
		return err
	}
	if !ok || line.RemovedAt != nil || !parcel.State(s.now()).Open() {
		return s.tried(ctx, text, parcel, refused, "The package had ended before this message could go.")
	}
	c, ok, err := s.letters.Delivery(ctx, parcel.ID, line.ID, line.Name, line.Email)
	if err != nil || !ok {
		return err
	}
	name, err := s.rows.NameOf(ctx, line.ID)
	if err != nil {
		return err
	}
	s.name(&c, name) // as it was shown to whoever sent it
	err = to.Text(ctx, text.ID, text.Number, texting.Plain(short(c)))
	var no *gateway.Refused
	switch {
	case err == nil:
		return s.tried(ctx, text, parcel, sent, "")
	case errors.As(err, &no):
		return s.tried(ctx, text, parcel, refused, "The gateway did not take it: "+no.Words)
	case last:
		return s.tried(ctx, text, parcel, refused, "The gateway did not answer, time and again. Try once more, or send the link by another way.")
	}
	return errors.Join(err, s.tried(ctx, text, parcel, waiting, "The gateway does not answer; it is tried again by itself."))
}

func (s *Service) tried(ctx context.Context, t Text, p pack.Parcel, state, problem string) error {
	return s.rows.Tx(ctx, func(ctx context.Context) error {
		if err := s.rows.TextTried(ctx, t.ID, state, problem, s.now()); err != nil {
			return err
		}
		return s.rows.Announce(ctx, ground.Change{Studio: t.StudioID, Parcel: p.ID, What: ground.WaybillChanged})
	})
}
