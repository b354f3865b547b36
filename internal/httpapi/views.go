package httpapi

import (
	"fmt"
	"slices"
	"time"

	"aftergust/core/access"
	"aftergust/core/coverage"
	"aftergust/core/expiry"
	"aftergust/core/ledger"
	"aftergust/core/review"
	"aftergust/core/sentence"
	"aftergust/core/transfer"
	"aftergust/internal/studio"
)

// Views are the shapes in which things go out. They carry what a screen shows,
// worded where a rule words it, so that no rule is written twice.

type memberView struct {
	ID     string `json:"id"`
	Name   string `json:"name"`
	Email  string `json:"email"`
	Studio string `json:"studio" doc:"name of the studio"`
	Zone   string `json:"zone" doc:"IANA time zone of the studio"`
}

func viewMember(m studio.Member) memberView {
	return memberView{ID: m.ID, Name: m.Name, Email: m.Email, Studio: m.StudioName, Zone: m.Zone}
}

// ItemView is exported so that its fields are seen where it is embedded.
type ItemView struct {
	ID         string       `json:"id" doc:"of the item in this package"`
	Name       string       `json:"name"`
	Folder     string       `json:"folder"`
	Size       int64        `json:"size" doc:"bytes"`
	Weight     string       `json:"weight" doc:"size in words"`
	Kind       string       `json:"kind" enum:"still,artwork,film,sound,document,archive,other,link,swatch,sheet"`
	Mime       string       `json:"mime"`
	Version    string       `json:"version" doc:"id of the version that the package gives now"`
	Number     int          `json:"number" doc:"of the version, from 1"`
	MediaState string       `json:"media_state" enum:"waiting,working,ready,failed,none,cancelled" doc:"previews: waiting, in work, made, impossible, not foreseen, or stopped"`
	MediaError string       `json:"media_error" doc:"why no preview could be made; the original is whole"`
	Facts      studio.Facts `json:"facts"`
	About      string       `json:"about" doc:"facts in words, as 1 h 02 min, 1920 × 1080, 25 fps"`
	Look       string       `json:"look" doc:"path under which poster, proxy and page-N lie"`
	Poster     bool         `json:"poster"`
	Proxy      bool         `json:"proxy"`
	Small      bool         `json:"small" doc:"whether there is also a small proxy, proxy-small"`
	Text       bool         `json:"text" doc:"whether its beginning can be read at text"`
	Strip      bool         `json:"strip" doc:"whether there is a filmstrip, strip with strip-index"`
	Pages      int          `json:"pages" doc:"previews of pages, page-1 to page-N"`
	Title      string       `json:"title" doc:"differs from name for links, swatches and sheets"`
	Data       studio.Data  `json:"data" doc:"what a link, swatch or sheet says"`
	HTML       string       `json:"html" doc:"a sheet, safe to show"`
	Swatch     *swatchView  `json:"swatch,omitempty"`
	Lead       string       `json:"lead" doc:"the item in this package of which it is another format; empty for most"`
}

func viewItem(c studio.Content, look string) ItemView {
	has := func(purpose string) bool { return slices.Contains(c.Made, purpose) }
	v := ItemView{ID: c.ID, Name: c.FileName, Folder: c.Folder, Size: c.Size, Weight: transfer.Size(c.Size), Kind: c.Kind, Mime: c.Mime, Version: c.VersionID,
		Number: c.Number, MediaState: c.MediaState, MediaError: c.MediaError, Facts: c.Facts, About: aboutFacts(c.Kind, c.Facts), Look: look, Poster: has("poster"), Proxy: has("proxy"),
		Small: has("proxy-small"), Text: has("text"), Strip: has("strip"), Pages: c.Pages, Title: c.Title, Data: c.Data, Swatch: viewSwatch(c.Data.Colour), Lead: c.Lead}
	if c.Kind == "sheet" {
		v.HTML = markdown(c.Data.Text)
	}
	return v
}

// aboutFacts is the facts of an item in words.
func aboutFacts(kind string, f studio.Facts) string {
	out := kind
	if f.LengthUS > 0 {
		out += ", " + clock(f.LengthUS)
	}
	if s := shape(f); s != "" {
		out += ", " + s
	}
	if r := rate(f); r != "" {
		out += ", " + r
	}
	return out
}

// clock is a length such as 0:30, 18:20 or 1:02:11.
func clock(us int64) string {
	s := (us + 500_000) / 1_000_000
	if s >= 3600 {
		return fmt.Sprintf("%d:%02d:%02d", s/3600, s/60%60, s%60)
	}
	return fmt.Sprintf("%d:%02d", s/60, s%60)
}

type recipientView struct {
	ID     string        `json:"id"`
	Name   string        `json:"name"`
	Email  string        `json:"email" doc:"empty for the link that anyone may use"`
	Anyone bool          `json:"anyone"`
	Rights access.Rights `json:"rights"`
	Zone   string        `json:"zone"`
	Link   string        `json:"link" doc:"personal link; a secret"`
	Letter string        `json:"letter" enum:",waiting,sent,refused" doc:"state of the letter that brought the link"`
	Ends   string        `json:"ends" doc:"the end on this person's clock, where it is known"`
}

type letterView struct {
	To      string `json:"to"`
	Kind    string `json:"kind"`
	State   string `json:"state" enum:"waiting,sent,refused"`
	Problem string `json:"problem"`
}

type packageView struct {
	ID            string             `json:"id"`
	Title         string             `json:"title"`
	CoverLetter   string             `json:"cover_letter"`
	Door          access.Door        `json:"door" enum:"open,passphrase,guest_book,named"`
	HasPassphrase bool               `json:"has_passphrase"`
	EndRule       expiry.Rule        `json:"end_rule"`
	State         expiry.State       `json:"state" enum:"draft,out,closing,closed,cleared"`
	Stopped       bool               `json:"stopped" doc:"closed by hand"`
	CreatedAt     time.Time          `json:"created_at"`
	SentAt        *time.Time         `json:"sent_at"`
	EndsAt        *time.Time         `json:"ends_at" doc:"for a draft: where its rule leads if it is sent now"`
	Ends          string             `json:"ends" doc:"the end in words, in the zone of its rule"`
	Left          string             `json:"left" doc:"time left, in words"`
	Size          int64              `json:"size" doc:"bytes"`
	Weight        string             `json:"weight"`
	Items         []ItemView         `json:"items"`
	Recipients    []recipientView    `json:"recipients"`
	Uploads       []studio.Upload    `json:"uploads" doc:"files that are still arriving"`
	Letters       []letterView       `json:"letters"`
	Sentence      []sentence.Part    `json:"sentence"`
	Warnings      []sentence.Warning `json:"warnings"`
}

func (a *API) viewPackage(p studio.Packed) packageView {
	now := a.Service.Now()
	parcel := p.Parcel
	v := packageView{
		ID: parcel.ID, Title: parcel.Title, CoverLetter: parcel.CoverLetter, Door: parcel.Door, HasPassphrase: parcel.PassphraseHash != "",
		EndRule: parcel.EndRule, State: p.State, Stopped: parcel.Stopped(), CreatedAt: parcel.CreatedAt, SentAt: parcel.SentAt, EndsAt: parcel.EndsAt,
		Items: []ItemView{}, Recipients: []recipientView{}, Uploads: orEmpty(p.Uploads), Letters: []letterView{}, Sentence: p.Sentence, Warnings: orEmpty(p.Warnings),
	}
	if v.EndsAt == nil && !p.WouldEnd.IsZero() {
		v.EndsAt = &p.WouldEnd
	}
	if v.EndsAt != nil {
		v.Ends, v.Left = endsIn(*v.EndsAt, parcel.EndRule.Zone), expiry.Left(now, *v.EndsAt)
	}
	for _, c := range p.Contents {
		if c.WithdrawnAt == nil {
			v.Items = append(v.Items, viewItem(c, "/api/v1/versions/"+c.VersionID+"/"))
			v.Size += c.Size
		}
	}
	v.Weight = transfer.Size(v.Size)
	letters := map[string]string{}
	for _, l := range p.Letters {
		if l.Kind == studio.LetterDelivery {
			letters[l.RecipientID] = l.State
		}
		if l.State != "sent" {
			v.Letters = append(v.Letters, letterView{To: l.ToName, Kind: l.Kind, State: l.State, Problem: l.LastError})
		}
	}
	for _, r := range p.Recipients {
		if r.RemovedAt == nil {
			line := a.viewRecipient(r)
			line.Letter = letters[r.ID]
			if v.EndsAt != nil && r.Zone != "" {
				line.Ends = endsIn(*v.EndsAt, r.Zone)
			}
			v.Recipients = append(v.Recipients, line)
		}
	}
	return v
}

// endsIn is an end on the clock of a zone, as "London, Fri 4 Dec, 18:00".
func endsIn(at time.Time, zoneName string) string {
	zone, err := expiry.LoadZone(zoneName)
	if err != nil {
		zone = time.UTC
	}
	return expiry.City(zone) + ", " + expiry.Short(at, zone)
}

func (a *API) viewRecipient(r studio.Recipient) recipientView {
	return recipientView{ID: r.ID, Name: r.Name, Email: r.Email, Anyone: r.Anyone(), Rights: orEmpty(r.Rights), Zone: r.Zone, Link: a.Service.LinkURL(r)}
}

func orEmpty[S ~[]E, E any](s S) S {
	if s == nil {
		return S{}
	}
	return s
}

// StrandView is exported so that its fields are seen where it is embedded.
type StrandView struct {
	ID          string        `json:"id" doc:"of the recipient"`
	Name        string        `json:"name"`
	Status      ledger.Status `json:"status" enum:"not_opened,opened,looked,partly,everything"`
	Saying      string        `json:"saying"`
	Outstanding bool          `json:"outstanding"`
	Completed   *time.Time    `json:"completed_at" doc:"when they had everything"`
	Opened      *time.Time    `json:"opened_at"`
	Delivered   int64         `json:"delivered" doc:"bytes"`
	Owed        int64         `json:"owed" doc:"bytes"`
	Anyone      bool          `json:"anyone"`
}

type rowView struct {
	ID        string       `json:"id"`
	Title     string       `json:"title"`
	State     expiry.State `json:"state" enum:"draft,out,closing,closed,cleared"`
	Stopped   bool         `json:"stopped"`
	CreatedAt time.Time    `json:"created_at"`
	SentAt    *time.Time   `json:"sent_at"`
	EndsAt    *time.Time   `json:"ends_at"`
	Left      string       `json:"left"`
	Items     int          `json:"items"`
	Weight    string       `json:"weight"`
	OpenNotes int          `json:"open_notes"`
	Waiting   int          `json:"waiting_letters"`
	Strands   []StrandView `json:"strands"`
	Share     string       `json:"share" doc:"how many have it, in words"`
}

func (a *API) viewRow(row studio.OutRow) rowView {
	v := rowView{ID: row.Parcel.ID, Title: row.Parcel.Title, State: row.State, Stopped: row.Parcel.Stopped(), CreatedAt: row.Parcel.CreatedAt,
		SentAt: row.Parcel.SentAt, EndsAt: row.Parcel.EndsAt, Items: row.Items, Weight: transfer.Size(row.Weight), OpenNotes: row.OpenNotes,
		Waiting: row.Waiting, Strands: []StrandView{}}
	if v.EndsAt != nil {
		v.Left = expiry.Left(a.Service.Now(), *v.EndsAt)
	}
	have, may := 0, 0
	for _, s := range row.Recipients {
		v.Strands = append(v.Strands, viewStrand(s.Recipient, s.Row))
		if s.Recipient.Rights.Has(access.Take) {
			may++
			if s.Row.Status == ledger.Everything {
				have++
			}
		}
	}
	switch {
	case may == 0:
		v.Share = "only to look at"
	case have == may:
		v.Share = "everyone has it"
	default:
		v.Share = fmt.Sprintf("%d of %d have it", have, may)
	}
	return v
}

func viewStrand(r studio.Recipient, row ledger.Row) StrandView {
	return StrandView{ID: r.ID, Name: r.Name, Status: row.Status, Saying: row.Saying, Outstanding: row.Outstanding, Completed: pointer(row.Completed),
		Opened: pointer(row.FirstOpened), Delivered: row.Delivered, Owed: row.Owed, Anyone: r.Anyone()}
}

func pointer(t time.Time) *time.Time {
	if t.IsZero() {
		return nil
	}
	return &t
}

type deskView struct {
	Now         time.Time         `json:"now"`
	Out         []rowView         `json:"out"`
	Needs       []needView        `json:"needs"`
	Outstanding []outstandingView `json:"outstanding"`
	Used        int64             `json:"used" doc:"bytes"`
	Quota       int64             `json:"quota" doc:"bytes"`
	UsedSaying  string            `json:"used_saying"`
	Freed       []freedView       `json:"freed" doc:"what comes back, and when, if nothing is extended"`
}

type needView struct {
	Kind    string    `json:"kind" enum:"notes,asked,blocked,letters"`
	Package string    `json:"package"`
	Title   string    `json:"title"`
	Saying  string    `json:"saying"`
	At      time.Time `json:"at"`
}

type outstandingView struct {
	Recipient string       `json:"recipient" doc:"id"`
	Name      string       `json:"name"`
	Package   string       `json:"package"`
	Title     string       `json:"title"`
	Saying    string       `json:"saying"`
	Delivered int64        `json:"delivered" doc:"bytes"`
	Left      string       `json:"left"`
	State     expiry.State `json:"state" enum:"out,closing"`
	Anyone    bool         `json:"anyone"`
}

type freedView struct {
	At     time.Time `json:"at"`
	Bytes  int64     `json:"bytes"`
	Saying string    `json:"saying"`
}

func viewNeed(n studio.Need) needView {
	saying := ""
	switch n.Kind {
	case "notes":
		saying = plural(n.Count, "open note", "open notes")
	case "asked":
		saying = n.Recipient + " asks to be let in"
	case "blocked":
		saying = "Many wrong passphrases, link of " + n.Recipient
	case "letters":
		saying = plural(n.Count, "letter waits", "letters wait") + " for the mail server"
	}
	return needView{Kind: n.Kind, Package: n.ParcelID, Title: n.Title, Saying: saying, At: n.At}
}

func plural(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}

type cellView struct {
	Item      string           `json:"item"`
	Bytes     []coverage.Range `json:"bytes" doc:"ranges that were delivered"`
	Delivered int64            `json:"delivered" doc:"bytes"`
	Complete  bool             `json:"complete" doc:"every byte of the current version was delivered"`
	Completed *time.Time       `json:"completed_at"`
	Played    []coverage.Range `json:"played" doc:"milliseconds that played"`
	Looked    *time.Time       `json:"looked_at"`
	Behind    bool             `json:"behind" doc:"holds an older version"`
	Saying    string           `json:"saying" doc:"the cell in words"`
}

type ledgerRowView struct {
	StrandView
	Email  string        `json:"email"`
	Rights access.Rights `json:"rights"`
	Gone   bool          `json:"removed"`
	Seen   *time.Time    `json:"last_seen_at"`
	Cells  []cellView    `json:"cells"`
}

type ledgerView struct {
	Items []ItemView      `json:"items"`
	Rows  []ledgerRowView `json:"rows"`
}

func viewLedger(l studio.Ledger) ledgerView {
	v := ledgerView{Items: []ItemView{}, Rows: []ledgerRowView{}}
	for _, c := range l.Contents {
		v.Items = append(v.Items, viewItem(c, "/api/v1/versions/"+c.VersionID+"/"))
	}
	for i, row := range l.Rows {
		r := l.Recipients[i]
		line := ledgerRowView{StrandView: viewStrand(r, row), Email: r.Email, Rights: orEmpty(r.Rights), Gone: r.RemovedAt != nil, Seen: pointer(row.LastSeen), Cells: []cellView{}}
		for j, c := range row.Cells {
			line.Cells = append(line.Cells, viewCell(c, l.Contents[j]))
		}
		v.Rows = append(v.Rows, line)
	}
	return v
}

func viewCell(c ledger.Cell, item studio.Content) cellView {
	v := cellView{Item: c.Item, Bytes: orEmpty(c.Bytes.Ranges()), Delivered: c.Bytes.Len(), Complete: c.Complete, Completed: pointer(c.Completed),
		Played: orEmpty(c.Played.Ranges()), Looked: pointer(c.Looked), Behind: c.Behind}
	switch {
	case c.Complete:
		v.Saying = "took it, " + transfer.Size(item.Size)
	case !c.Bytes.Empty():
		v.Saying = fmt.Sprintf("%s of %s, %s", transfer.Size(c.Bytes.Len()), transfer.Size(item.Size), plural(len(c.Bytes.Gaps(coverage.Range{End: item.Size})), "gap", "gaps"))
	case c.Behind:
		v.Saying = "has an older version"
	}
	if !c.Played.Empty() {
		if v.Saying != "" {
			v.Saying += "; "
		}
		v.Saying += fmt.Sprintf("played %s of %s", clock(c.Played.Len()*1000), clock(item.Facts.LengthUS))
	} else if !c.Looked.IsZero() && v.Saying == "" {
		v.Saying = "looked at it"
	}
	if v.Saying == "" {
		v.Saying = "nothing yet"
	}
	return v
}

type noteView struct {
	ID      string        `json:"id"`
	Item    string        `json:"item" doc:"id of the item in the package"`
	Version string        `json:"version"`
	Author  string        `json:"author"`
	Studio  bool          `json:"studio" doc:"written by a member of the studio"`
	Mine    bool          `json:"mine"`
	Anchor  review.Anchor `json:"anchor"`
	Place   review.Place  `json:"place"`
	Body    string        `json:"body"`
	At      time.Time     `json:"at"`
	Done    bool          `json:"done"`
	Answers []noteView    `json:"answers"`
}

// viewNotes puts answers under their notes. mine is the id of the reader.
func viewNotes(notes []studio.Note, mine string) []noteView {
	answers := map[string][]noteView{}
	out := []noteView{}
	for _, n := range notes {
		if n.ParentID != "" {
			answers[n.ParentID] = append(answers[n.ParentID], viewNote(n, mine))
		}
	}
	for _, n := range notes {
		if n.ParentID == "" {
			v := viewNote(n, mine)
			v.Answers = orEmpty(answers[n.ID])
			out = append(out, v)
		}
	}
	return out
}

func viewNote(n studio.Note, mine string) noteView {
	return noteView{ID: n.ID, Item: n.ContentID, Version: n.VersionID, Author: n.Author, Studio: n.MemberID != "", Anchor: n.Anchor, Place: n.Place,
		Mine: mine != "" && (n.MemberID == mine || n.RecipientID == mine), Body: n.Body, At: n.CreatedAt, Done: n.DoneAt != nil, Answers: []noteView{}}
}

type eventView struct {
	ID        int64     `json:"id"`
	Kind      string    `json:"kind"`
	Recipient string    `json:"recipient"`
	Member    string    `json:"member"`
	Version   string    `json:"version"`
	At        time.Time `json:"at"`
}
