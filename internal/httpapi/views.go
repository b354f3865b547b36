package httpapi

import (
	"context"
	"net/http"
	"strconv"
	"strings"
	"time"

	"aftergust/core/access"
	"aftergust/core/count"
	"aftergust/core/coverage"
	"aftergust/core/door"
	"aftergust/core/event"
	"aftergust/core/expiry"
	"aftergust/core/ledger"
	"aftergust/core/letter"
	"aftergust/core/piece"
	"aftergust/core/right"
	"aftergust/core/role"
	"aftergust/core/sentence"
	"aftergust/core/state"
	"aftergust/core/transfer"
	"aftergust/internal/ground"
	"aftergust/internal/parts/follow"
	"aftergust/internal/parts/gather"
	"aftergust/internal/parts/pack"
	"aftergust/internal/who/account"
)

// Views are the shapes in which things go out. They carry what a screen shows,
// worded where a rule words it, so that no rule is written twice.

type memberView struct {
	ID      string    `json:"id"`
	Name    string    `json:"name"`
	Email   string    `json:"email"`
	Studio  string    `json:"studio" doc:"name of the studio"`
	Zone    string    `json:"zone" doc:"IANA time zone of the studio"`
	Role    role.Role `json:"role"`
	Confirm bool      `json:"confirm" doc:"their mail address is to be confirmed by a code before they send anything"`
	Runs    bool      `json:"runs" doc:"may change who works in the studio, and what it is called"`
}

func viewMember(m account.Member) memberView {
	return memberView{ID: m.ID, Name: m.Name, Email: m.Email, Studio: m.StudioName, Zone: m.Zone, Role: m.Role, Confirm: m.Unconfirmed,
		Runs: access.MayAct(m.Role, access.Run)}
}

type recipientView struct {
	ID     string       `json:"id"`
	Name   string       `json:"name"`
	Email  string       `json:"email" doc:"empty for the link that anyone may use"`
	Anyone bool         `json:"anyone"`
	Rights right.Rights `json:"rights"`
	Zone   string       `json:"zone"`
	Link   string       `json:"link" doc:"personal link; a secret, which a token with the scope read is not told"`
	Letter letter.State `json:"letter,omitempty" doc:"state of the letter that brought the link; left out where there is none"`
	Ends   string       `json:"ends" doc:"the end on this person's clock, where it is known"`
	PassOn bool         `json:"may_pass_on"`
	Guest  bool         `json:"guest" doc:"left their address in the guest book"`
	Person string       `json:"person" doc:"id in the contact book; empty for links and guests"`
	Last   string       `json:"last" doc:"the last package to them, in words; empty where there was none, or once this one is sent"`
}

type letterView struct {
	To      string       `json:"to"`
	Kind    letter.Kind  `json:"kind"`
	State   letter.State `json:"state"`
	Problem string       `json:"problem"`
}

type packageView struct {
	ID            string             `json:"id"`
	Title         string             `json:"title"`
	CoverLetter   string             `json:"cover_letter"`
	Door          door.Door          `json:"door"`
	HasPassphrase bool               `json:"has_passphrase"`
	EndRule       expiry.Rule        `json:"end_rule"`
	State         state.State        `json:"state"`
	Stopped       bool               `json:"stopped" doc:"closed by hand"`
	CreatedAt     time.Time          `json:"created_at"`
	SentAt        *time.Time         `json:"sent_at"`
	EndsAt        *time.Time         `json:"ends_at" doc:"for a draft: where its rule leads if it is sent now"`
	Ends          string             `json:"ends" doc:"the end in words, in the zone of its rule"`
	Left          string             `json:"left" doc:"time left, in words"`
	Size          int64              `json:"size" doc:"bytes"`
	Weight        string             `json:"weight"`
	Count         int                `json:"count" doc:"items"`
	Items         []ItemView         `json:"items" doc:"the first page of them"`
	Next          string             `json:"next" doc:"pass as after for the next page of items; empty at the end"`
	Recipients    []recipientView    `json:"recipients"`
	Uploads       []gather.Upload    `json:"uploads" doc:"files that are still arriving"`
	Letters       []letterView       `json:"letters"`
	EndsWhen      string             `json:"ends_when" doc:"what its end waits for, in words; empty for nothing, or once that has happened"`
	DefaultRights right.Rights       `json:"default_rights" doc:"of whoever is put on the waybill next"`
	Letterhead    string             `json:"letterhead" doc:"id; empty for that of the client, or the studio's"`
	Pins          bool               `json:"pins" doc:"it gives the versions that it is sent with, not the current ones"`
	GoingAt       *time.Time         `json:"going_at" doc:"when the draft goes by itself; null where it waits for somebody"`
	GoingWaits    bool               `json:"going_waits" doc:"it waits for files of a browser that no upload was begun for"`
	GoingProblem  string             `json:"going_problem" doc:"why it did not go by itself"`
	Sender        string             `json:"sender" doc:"in whose name it goes"`
	Reminders     []int              `json:"reminders" doc:"hours before the end at which those are reminded who have not everything"`
	Reminded      string             `json:"reminded" doc:"the same in words, after: reminded"`
	NewsAt        *time.Time         `json:"news_at" doc:"when people are told of what was added since it went"`
	Sentence      []sentence.Part    `json:"sentence"`
	Warnings      []sentence.Warning `json:"warnings"`
}

func (a *API) viewPackage(ctx context.Context, p pack.Packed) packageView {
	now := a.Pack.Now()
	parcel := p.Parcel
	v := packageView{
		ID: parcel.ID, Title: parcel.Title, CoverLetter: parcel.CoverLetter, Door: parcel.Door, HasPassphrase: parcel.PassphraseHash != "",
		EndRule: parcel.EndRule, State: p.State, Stopped: parcel.Stopped(), CreatedAt: parcel.CreatedAt, SentAt: parcel.SentAt,
		EndsAt: parcel.EndsAt,
		Items:  []ItemView{}, Recipients: []recipientView{}, Uploads: orEmpty(p.Uploads), Letters: []letterView{}, Sentence: p.Sentence,
		Warnings: orEmpty(p.Warnings), EndsWhen: parcel.EndsWhen(), DefaultRights: orEmpty(parcel.DefaultRights), Pins: parcel.Pins,
		Letterhead: parcel.LetterheadID,
		GoingAt:    parcel.GoingAt, GoingWaits: parcel.GoingWaits, GoingProblem: parcel.GoingProblem, Sender: parcel.SenderName,
		NewsAt: parcel.NewsAt, Reminders: orEmpty(parcel.Reminders), Reminded: parcel.Reminders.Say(),
	}
	if v.EndsAt == nil && !p.WouldEnd.IsZero() {
		v.EndsAt = &p.WouldEnd
	}
	if v.EndsAt != nil {
		v.Ends, v.Left = endsIn(*v.EndsAt, parcel.EndRule.Zone), expiry.Left(now, *v.EndsAt)
	}
	v.Count, v.Size, v.Weight = parcel.Items, parcel.Weight, transfer.Size(parcel.Weight)
	v.Items, v.Next = viewItems(p.Contents)
	brought := map[string]letter.State{}
	for _, l := range p.Letters {
		if l.Kind == letter.Delivery {
			brought[l.LineID] = l.State
		}
		if l.State != letter.Sent || l.LastError != "" { // the rest needs no word
			v.Letters = append(v.Letters, letterView{To: l.ToName, Kind: l.Kind, State: l.State, Problem: l.LastError})
		}
	}
	for _, r := range p.Lines {
		if r.RemovedAt == nil {
			line := a.viewRecipient(ctx, r)
			line.Letter, line.Last = brought[r.ID], p.Last(r.ID)
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
	zone := expiry.ZoneOr(zoneName)
	return expiry.City(zone) + ", " + expiry.Short(at, zone)
}

// viewItems are a page of items as members see them, and where the next begins.
func viewItems(contents []pack.Content) (items []ItemView, next string) {
	items = make([]ItemView, len(contents))
	for i, c := range contents {
		items[i] = viewItem(c, memberLook(c.VersionID))
	}
	return items, nextPlace(contents)
}

// nextPlace is where a list of contents goes on, empty at its end.
func nextPlace(contents []pack.Content) string {
	if len(contents) < pack.ContentsPage {
		return ""
	}
	at := contents[len(contents)-1].Place()
	return strconv.Itoa(at.Position) + "_" + at.ID
}

// readPlace reads what nextPlace wrote.
func readPlace(after string) (pack.Place, error) {
	if after == "" {
		return pack.Place{}, nil
	}
	position, id, ok := strings.Cut(after, "_")
	n, err := strconv.ParseInt(position, 10, 32)
	if !ok || err != nil || id == "" {
		return pack.Place{}, errNoPlace
	}
	return pack.Place{Position: int(n), ID: id}, nil
}

var errNoPlace = newProblem(http.StatusUnprocessableEntity, "invalid", "This is not a place in the list. Begin again without it.")

func (a *API) viewRecipient(ctx context.Context, r pack.Line) recipientView {
	return recipientView{ID: r.ID, Name: r.Name, Email: r.Email, Anyone: r.Anyone(), Rights: orEmpty(r.Rights), Zone: r.Zone,
		Link: from(ctx).link(a.Pack.LinkURL(r)), PassOn: r.MayPassOn, Guest: r.GuestOf != "", Person: r.PersonID}
}

func orEmpty[S ~[]E, E any](s S) S { return ground.OrEmpty(s) }

// StrandView is exported so that its fields are seen where it is embedded.
type StrandView struct {
	ID          string        `json:"id" doc:"of the recipient"`
	Name        string        `json:"name"`
	Status      ledger.Status `json:"status"`
	Saying      string        `json:"saying"`
	Brief       string        `json:"brief" doc:"how much of how much they have; empty for nothing and for all"`
	Outstanding bool          `json:"outstanding"`
	Completed   *time.Time    `json:"completed_at" doc:"when they had everything"`
	Opened      *time.Time    `json:"opened_at"`
	Delivered   int64         `json:"delivered" doc:"bytes"`
	Owed        int64         `json:"owed" doc:"bytes"`
	Anyone      bool          `json:"anyone"`
	Zone        string        `json:"zone" doc:"IANA name; empty where it is not known"`
}

type rowView struct {
	ID        string       `json:"id"`
	Title     string       `json:"title"`
	State     state.State  `json:"state"`
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
	EndsWhen  string       `json:"ends_when" doc:"what its end waits for, in words"`
	GoingAt   *time.Time   `json:"going_at" doc:"when the draft goes by itself"`
	Opened    int          `json:"opened" doc:"how many have opened it"`
	SeenAt    *time.Time   `json:"seen_at" doc:"the last sign of life of anybody; null for none"`
	Client    string       `json:"client" doc:"empty where it is for none"`
	Reminders []int        `json:"reminders" doc:"hours before the end at which those are reminded who have not everything"`
	Zone      string       `json:"zone" doc:"in which its end was said, an IANA name"`
}

func (a *API) viewRow(row follow.OutRow) rowView {
	v := rowView{ID: row.Parcel.ID, Title: row.Parcel.Title, State: row.State, Stopped: row.Parcel.Stopped(), CreatedAt: row.Parcel.CreatedAt,
		SentAt: row.Parcel.SentAt, EndsAt: row.Parcel.EndsAt, Items: row.Parcel.Items, Weight: transfer.Size(row.Parcel.Weight),
		OpenNotes: row.OpenNotes,
		Waiting:   row.Waiting, Strands: []StrandView{}, EndsWhen: row.Parcel.EndsWhen(), GoingAt: row.Parcel.GoingAt,
		Client: row.Client, Reminders: orEmpty([]int(row.Parcel.Reminders)), Zone: row.Parcel.EndRule.Zone}
	if v.EndsAt != nil {
		v.Left = expiry.Left(a.Pack.Now(), *v.EndsAt)
	}
	v.Share = row.Share()
	for _, s := range row.Strands {
		sum := s.Sum()
		if !sum.FirstOpened.IsZero() {
			v.Opened++
		}
		if at := sum.LastSeen; !at.IsZero() && (v.SeenAt == nil || at.After(*v.SeenAt)) {
			v.SeenAt = &at
		}
		v.Strands = append(v.Strands, viewStrand(s.Line, sum))
	}
	return v
}

func viewStrand(r pack.Line, row ledger.Summary) StrandView {
	return StrandView{ID: r.ID, Name: r.Name, Status: row.Status, Saying: row.Saying, Brief: row.Brief, Outstanding: row.Outstanding,
		Completed: pointer(row.Completed),
		Opened:    pointer(row.FirstOpened), Delivered: row.Delivered, Owed: row.Owed, Anyone: r.Anyone(), Zone: r.Zone}
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
	Kind    follow.NeedKind `json:"kind"`
	Package string          `json:"package" doc:"empty where it is about no package"`
	Title   string          `json:"title"`
	Saying  string          `json:"saying"`
	Knock   string          `json:"knock" doc:"id of what is asked, for its answer; empty for most"`
	At      time.Time       `json:"at"`
}

type outstandingView struct {
	Recipient string      `json:"recipient" doc:"id"`
	Name      string      `json:"name"`
	Package   string      `json:"package"`
	Title     string      `json:"title"`
	Saying    string      `json:"saying"`
	Brief     string      `json:"brief" doc:"how much of how much; empty where nothing was taken"`
	Delivered int64       `json:"delivered" doc:"bytes"`
	Left      string      `json:"left"`
	State     state.State `json:"state"`
	Anyone    bool        `json:"anyone"`
}

type freedView struct {
	At     time.Time `json:"at"`
	Bytes  int64     `json:"bytes"`
	Saying string    `json:"saying"`
}

func viewNeed(n follow.Need) needView {
	saying := ""
	switch n.Kind {
	case follow.NeedNotes:
		saying = count.Of(n.Count, "open note", "open notes")
	case follow.NeedAsked:
		saying = n.Line + " asks to be let in"
	case follow.NeedBlocked:
		saying = "Many wrong passphrases, link of " + n.Line
	case follow.NeedChanges:
		saying = "Changes wanted by " + n.Line
	case follow.NeedRound:
		saying = "A round waits for " + n.Line
	case follow.NeedHanded:
		saying = n.Line + " handed you this draft"
	case follow.NeedStays:
		saying = "It did not go by itself"
	case follow.NeedGoes:
		saying = "Goes by itself"
		if n.Count > 0 {
			saying += " once " + count.Of(n.Count, "upload is", "uploads are") + " done"
		}
	case follow.NeedLetters:
		saying = count.Of(n.Count, "letter waits", "letters wait") + " for the mail server"
	case follow.NeedDamaged:
		saying, n.Title = "1 stored file is damaged: upload it again", n.Line
		if n.Count > 1 {
			saying = count.Of(n.Count, "stored file is", "stored files are") + " damaged: upload them again"
			n.Title += " and " + count.Of(n.Count-1, "other", "others")
		}
	case follow.NeedRoom:
		saying, n.Title = count.Of(n.Count, "preview waits", "previews wait")+" for room on the disk", "What was uploaded is whole and can be sent."
	}
	return needView{Kind: n.Kind, Package: n.ParcelID, Title: n.Title, Saying: saying, Knock: n.Knock, At: n.At}
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
	Brief     string           `json:"brief" doc:"the same in a word or two; empty where nothing happened"`
}

type ledgerRowView struct {
	StrandView
	Email  string       `json:"email"`
	Rights right.Rights `json:"rights"`
	Gone   bool         `json:"removed"`
	Seen   *time.Time   `json:"last_seen_at"`
	Cells  []cellView   `json:"cells"`
}

type ledgerView struct {
	Items []ItemView      `json:"items" doc:"a page of them"`
	Rows  []ledgerRowView `json:"rows" doc:"all people; what a row says as a whole is about all items, its cells are those of the page"`
	Next  string          `json:"next" doc:"pass as after for the next page of items; empty at the end"`
}

func viewLedger(l follow.Ledger) ledgerView {
	v := ledgerView{Rows: []ledgerRowView{}}
	v.Items, v.Next = viewItems(l.Contents)
	for i, row := range l.Rows {
		r := l.Strands[i].Line
		line := ledgerRowView{StrandView: viewStrand(r, row.Summary), Email: r.Email, Rights: orEmpty(r.Rights), Gone: r.RemovedAt != nil,
			Seen: pointer(row.LastSeen), Cells: []cellView{}}
		for j, c := range row.Cells {
			line.Cells = append(line.Cells, viewCell(c, l.Contents[j]))
		}
		v.Rows = append(v.Rows, line)
	}
	return v
}

func viewCell(c ledger.Cell, item pack.Content) cellView {
	return cellView{Item: c.Item, Bytes: orEmpty(c.Bytes.Ranges()), Delivered: c.Bytes.Len(), Complete: c.Complete,
		Completed: pointer(c.Completed),
		Played:    orEmpty(c.Played.Ranges()), Looked: pointer(c.Looked), Behind: c.Behind, Brief: c.Brief(item.Size),
		Saying: c.Say(item.Size, item.Facts.LengthUS/1000, piece.Clock)}
}

type eventView struct {
	ID        int64      `json:"id"`
	Kind      event.Kind `json:"kind"`
	Saying    string     `json:"saying" doc:"what happened, in a sentence, with names as they were"`
	Recipient string     `json:"recipient"`
	Member    string     `json:"member"`
	Version   string     `json:"version"`
	At        time.Time  `json:"at"`
	Cursor    string     `json:"cursor" doc:"pass as before for what happened before it"`
}
