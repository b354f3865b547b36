package letters

import (
	"context"
	"strconv"
	"time"

	"aftergust/core/file/transfer"
	"aftergust/core/link/door"
	"aftergust/core/link/right"
	"aftergust/core/media/letterhead"
	"aftergust/core/time/expiry"
	"aftergust/core/words/count"
	"aftergust/core/words/letter"
	"aftergust/internal/ground"
)

// A Subject is the package and the line that a letter is about.
type Subject struct {
	StudioName  string
	SenderName  string
	SenderEmail string
	Title       string
	CoverLetter string
	Door        door.Door
	Rule        expiry.Rule
	Moments     expiry.Moments
	Items       int
	Weight      int64 // bytes
	LineName    string
	LineZone    string
	Rights      right.Rights
	Removed     bool
	LinkNonce   []byte // of the line's way in
	Head        Head
}

// A Head is the letterhead of a package as far as letters show it. Its fields are
// empty where the studio has none.
type Head struct {
	Main, Ground, Band string // colours as they were chosen
	SignOff            string
	Logo               string // path
}

// look is the colours of a letter by the names of tokens; nil for those of Aftergust.
func (h Head) look() map[string]string {
	if h.Main == "" {
		return nil
	}
	return letterhead.Read(h.Main, h.Ground, h.Band).Look().Tokens()
}

// A Composed letter is all that the mail package needs to write it.
type Composed struct {
	Kind        letter.Kind
	ToName      string
	ToEmail     string
	StudioName  string
	SenderName  string
	SenderEmail string
	Title       string
	CoverLetter string
	Link        string
	Items       int
	Weight      string
	Ends        string // on the recipient's clock where it is known
	Left        string
	EndsWhen    string // what the end waits for; empty for nothing
	MayTake     bool
	Passphrase  bool   // the door asks for one; it is not in the letter
	Code        string // for letter.Code
	GuestName   string // whom a letter to the producer is about
	Message     string
	Said        []Said  // for letter.Talk
	Round       string  // for letter.Round: which one, and when it is due
	Missing     string  // for letter.Reminder: what they have not, in words
	Told        []About // for letter.Notices: what has happened, by package
	Quiet       string  // where a reminder is the last one; empty for other letters
	MessageID   string
	Look        map[string]string // colours by the names of tokens; nil for those of Aftergust
	Return      string            // beginning of the address that it comes back to
	Logo        string            // address; empty for none
	SignOff     string            // of the letterhead
}

// An About is what has happened to one package.
type About struct {
	Title, Link string
	Says        []Sentence
}

// A Sentence says one thing that has happened, with what was said where that is a note.
type Sentence struct {
	Text string
	Said *Said
}

// Notes are the notes that a letter shows, in its order.
func (c *Composed) Notes() (all []*Said) {
	for i := range c.Said {
		all = append(all, &c.Said[i])
	}
	for _, about := range c.Told {
		for _, s := range about.Says {
			if s.Said != nil {
				all = append(all, s.Said)
			}
		}
	}
	return all
}

// frame names the notes of a letter by their place in it, and gives each a link that opens
// at its frame (Media Fragments 1.0, section 4.2.1) under the address of its package.
func (s *Said) frame(n int, of string) {
	s.Link = of + "/room?item=" + s.Content + "&note=" + s.Note + "#t=" + strconv.FormatFloat(s.Seconds, 'f', -1, 64)
	s.Name = "frame-" + strconv.Itoa(n+1) + ".jpg"
}

// named is how many items a reminder names.
const named = 4

// Say puts what somebody has not into words: "Lifeboat_cut.mov, Stills.zip and 3 more; 2.1 GB,
// about 12 min at the 24 Mbit/s that your line reached".
func (m Missing) Say() string {
	if m.Items == 0 {
		return ""
	}
	names := m.Names
	if more := m.Items - len(names); more > 0 {
		names = append(names[:len(names):len(names)], strconv.Itoa(more)+" more")
	}
	said := count.List(names) + "; " + transfer.Size(m.Bytes)
	if m.Rate > 0 && m.Bytes > 0 {
		said += ", about " + transfer.Span(transfer.Duration(m.Bytes, m.Rate)) + " at the " + transfer.Rate(m.Rate) + " that your line reached"
	}
	return said
}

// tell is a letter of notices.
func (s *Service) tell(ctx context.Context, l Letter) (c Composed, ok bool, err error) {
	told, err := s.from.Told(ctx, l.Data["batch"])
	if err != nil {
		return c, false, err
	}
	if len(told) == 0 {
		return c, false, s.store.LetterTried(ctx, l.ID, letter.Refused, "There was nothing left to tell.")
	}
	c = Composed{Kind: l.Kind, ToName: l.ToName, ToEmail: l.ToEmail, StudioName: l.Data["studio"], MessageID: l.ID, Link: s.keys.NoticesURL()}
	by, notes := map[string]int{}, 0
	for _, t := range told {
		at, ok := by[t.ParcelID]
		if !ok {
			at = len(c.Told)
			by[t.ParcelID] = at
			c.Told = append(c.Told, About{Title: t.Title, Link: s.keys.PackageURL(t.ParcelID)})
		}
		if t.Said != nil {
			t.Said.frame(notes, c.Told[at].Link)
			notes++
		}
		c.Told[at].Says = append(c.Told[at].Says, Sentence{t.Says, t.Said})
	}
	first, many := told[0], strconv.Itoa(len(told))+" notices"
	switch others := len(c.Told) - 1; {
	case others > 0:
		c.Title = many + " of " + first.Title + " and " + count.Of(others, "other package", "other packages")
	case len(told) > 1:
		c.Title = first.Title + ": " + many
	default:
		c.Title = first.Title + ": " + first.Says
	}
	return c, true, nil
}

// Compose gathers what a letter says. ok is false where it should not go any
// more: it went already, or what it is about has ended meanwhile.
func (s *Service) Compose(ctx context.Context, id string) (l Letter, c Composed, ok bool, err error) {
	l, found, err := s.store.LetterByID(ctx, id)
	if err != nil || !found || l.State != letter.Waiting {
		return l, c, false, err
	}
	if l.Kind == letter.Notices {
		c, ok, err := s.tell(ctx, l)
		return l, c, ok, err
	}
	if letter.All.Get(l.Kind).To == letter.Member {
		link := s.keys.ResetURL(l.Data["reset_id"])
		switch l.Kind {
		case letter.Invitation:
			link = s.keys.JoinURL(l.Data["invitation_id"])
		case letter.Lock:
			link = s.keys.AccountURL()
		}
		code := ""
		if l.Kind == letter.Confirm {
			link, code = s.keys.AccountURL(), s.keys.DoorCode(l.Data["code_id"])
		}
		return l, Composed{Kind: l.Kind, Code: code, ToName: l.ToName, ToEmail: l.ToEmail, StudioName: l.Data["studio"], SenderName: l.Data["inviter"],
			Message: l.Data["says"], MessageID: l.ID, Link: link}, true, nil
	}
	about, found, err := s.store.Subject(ctx, l)
	if err != nil || !found {
		return l, c, false, err
	}
	now, kind := s.now(), letter.All.Get(l.Kind)
	if kind.Open && (!about.Moments.At(now).Open() || about.Removed) {
		return l, c, false, s.store.LetterTried(ctx, id, letter.Refused, "The package had ended before this letter could go.")
	}
	if c = s.compose(l, about, now); c.Link == "" {
		return l, c, false, s.store.LetterTried(ctx, id, letter.Refused, linkless)
	}
	if l.Kind == letter.Talk {
		return s.talk(ctx, l, c)
	}
	if l.Kind != letter.Reminder {
		return l, c, true, nil
	}
	missing, err := s.from.Missing(ctx, l.LineID, named)
	if err != nil {
		return l, c, false, err
	}
	if c.Missing = missing.Say(); c.Missing == "" && about.Rights.Has(right.Take) {
		return l, c, false, s.store.LetterTried(ctx, id, letter.Refused, "They had everything before this reminder could go.")
	}
	return l, c, true, nil
}

// saidMost is how many notes a letter tells of.
const saidMost = 20

// talk adds to a letter what was said.
func (s *Service) talk(ctx context.Context, l Letter, c Composed) (Letter, Composed, bool, error) {
	since, err := time.Parse(time.RFC3339Nano, l.Data["since"])
	if err != nil {
		since = l.CreatedAt
	}
	if c.Said, err = s.from.Talk(ctx, l, since, saidMost); err != nil {
		return l, c, false, err
	}
	if len(c.Said) == 0 {
		return l, c, false, s.store.LetterTried(ctx, l.ID, letter.Refused, "What it was to tell of was taken back.")
	}
	for i := range c.Said {
		c.Said[i].frame(i, c.Link)
	}
	return l, c, true, nil
}

// Delivery is what the letter says that brings a line its link, as it would go now.
// It is not posted.
func (s *Service) Delivery(ctx context.Context, parcel, line, name, email string) (c Composed, ok bool, err error) {
	l := Letter{ID: ground.NewID(), ParcelID: parcel, LineID: line, Kind: letter.Delivery, ToName: name, ToEmail: email}
	about, ok, err := s.store.Subject(ctx, l)
	if err != nil || !ok {
		return c, false, err
	}
	c = s.compose(l, about, s.now())
	return c, c.Link != "", nil
}

func (s *Service) compose(l Letter, about Subject, now time.Time) Composed {
	c := Composed{
		Kind: l.Kind, ToName: l.ToName, ToEmail: l.ToEmail, StudioName: about.StudioName, SenderName: about.SenderName,
		SenderEmail: about.SenderEmail,
		Title:       about.Title, CoverLetter: about.CoverLetter, Items: about.Items, Weight: transfer.Size(about.Weight),
		MayTake:    about.Rights.Has(right.Take),
		Return:     returning + s.keys.ReturnTag(l.ID),
		Passphrase: about.Door.Needs() == door.APassphrase, GuestName: about.LineName, Message: l.Data["message"], MessageID: l.ID,
	}
	c.Look, c.SignOff = about.Head.look(), about.Head.SignOff
	if about.Head.Logo != "" {
		c.Logo = s.keys.BaseURL() + about.Head.Logo
	}
	if letter.All.Get(l.Kind).To == letter.Producer {
		c.Link = s.keys.PackageURL(l.ParcelID)
		if l.Kind == letter.Asked && l.Data["about"] != "" {
			c.Link = s.keys.KnockURL(l.Data["about"])
		}
		return c
	}
	if c.Link = s.keys.LinkURL(about.LinkNonce); l.Kind == letter.Reminder {
		c.Quiet = c.Link + "/quiet"
	}
	if l.Kind == letter.Round {
		c.Round = l.Data["about"]
	}
	if code := l.Data["code_id"]; code != "" {
		c.Code = s.keys.DoorCode(code)
	}
	c.EndsWhen = about.Rule.When()
	zoneName := about.LineZone
	if zoneName == "" {
		zoneName = about.Rule.Zone
	}
	if zone, err := expiry.LoadZone(zoneName); err == nil && !about.Moments.Ends.IsZero() {
		c.Ends, c.Left = expiry.Long(about.Moments.Ends, zone), expiry.Left(now, about.Moments.Ends)
	}
	return c
}
