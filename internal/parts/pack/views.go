package pack

import (
	"context"
	"strconv"
	"strings"
	"time"

	"aftergust/core/file/transfer"
	"aftergust/core/link/door"
	"aftergust/core/link/right"
	"aftergust/core/link/state"
	"aftergust/core/time/expiry"
	"aftergust/core/words/letter"
	"aftergust/core/words/sentence"
	"aftergust/internal/ground"
	"aftergust/internal/parts/gather"
	"aftergust/internal/web"
)

// ItemView is an item of a package. It is exported so that its fields are seen
// where it is embedded.
type ItemView struct {
	ID      string `json:"id" doc:"of the item in this package"`
	Name    string `json:"name"`
	Folder  string `json:"folder"`
	Title   string `json:"title" doc:"differs from name for links, swatches and sheets"`
	Lead    string `json:"lead" doc:"the item in this package of which it is another format; empty for most"`
	Heading string `json:"heading" doc:"over it and those that follow it; empty for most"`
	gather.PieceView
}

// ViewItem is an item of a package as it is shown; look is the path under which what was made of it lies.
func ViewItem(c Content, look string) ItemView {
	return ItemView{ID: c.ID, Name: c.FileName, Folder: c.Folder, Title: c.Title, Lead: c.Lead, Heading: c.Heading,
		PieceView: gather.ViewPiece(c.Piece, look)}
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

func (a Routes) viewPackage(ctx context.Context, p Packed) packageView {
	now := a.Pack.Now()
	parcel := p.Parcel
	v := packageView{
		ID: parcel.ID, Title: parcel.Title, CoverLetter: parcel.CoverLetter, Door: parcel.Door, HasPassphrase: parcel.PassphraseHash != "",
		EndRule: parcel.EndRule, State: p.State, Stopped: parcel.Stopped(), CreatedAt: parcel.CreatedAt, SentAt: parcel.SentAt,
		EndsAt: parcel.EndsAt,
		Items:  []ItemView{}, Recipients: []recipientView{}, Uploads: ground.OrEmpty(p.Uploads), Letters: []letterView{}, Sentence: p.Sentence,
		Warnings: ground.OrEmpty(p.Warnings), EndsWhen: parcel.EndsWhen(), DefaultRights: ground.OrEmpty(parcel.DefaultRights), Pins: parcel.Pins,
		Letterhead: parcel.LetterheadID,
		GoingAt:    parcel.GoingAt, GoingWaits: parcel.GoingWaits, GoingProblem: parcel.GoingProblem, Sender: parcel.SenderName,
		NewsAt: parcel.NewsAt, Reminders: ground.OrEmpty(parcel.Reminders), Reminded: parcel.Reminders.Say(),
	}
	if v.EndsAt == nil && !p.WouldEnd.IsZero() {
		v.EndsAt = &p.WouldEnd
	}
	if v.EndsAt != nil {
		v.Ends, v.Left = endsIn(*v.EndsAt, parcel.EndRule.Zone), expiry.Left(now, *v.EndsAt)
	}
	v.Count, v.Size, v.Weight = parcel.Items, parcel.Weight, transfer.Size(parcel.Weight)
	v.Items, v.Next = ViewItems(p.Contents)
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

// ViewItems are a page of items as members see them, and where the next begins.
func ViewItems(contents []Content) (items []ItemView, next string) {
	items = make([]ItemView, len(contents))
	for i, c := range contents {
		items[i] = ViewItem(c, gather.MemberLook(c.VersionID))
	}
	return items, NextPlace(contents)
}

// NextPlace is where a list of contents goes on, empty at its end.
func NextPlace(contents []Content) string {
	if len(contents) < ContentsPage {
		return ""
	}
	at := contents[len(contents)-1].Place()
	return strconv.Itoa(at.Position) + "_" + at.ID
}

// ReadPlace reads what nextPlace wrote.
func ReadPlace(after string) (Place, error) {
	if after == "" {
		return Place{}, nil
	}
	position, id, ok := strings.Cut(after, "_")
	n, err := strconv.ParseInt(position, 10, 32)
	if !ok || err != nil || id == "" {
		return Place{}, web.ErrNoPlace
	}
	return Place{Position: int(n), ID: id}, nil
}

func (a Routes) viewRecipient(ctx context.Context, r Line) recipientView {
	return recipientView{ID: r.ID, Name: r.Name, Email: r.Email, Anyone: r.Anyone(), Rights: ground.OrEmpty(r.Rights), Zone: r.Zone,
		Link: web.From(ctx).Link(a.Pack.LinkURL(r)), PassOn: r.MayPassOn, Guest: r.GuestOf != "", Person: r.PersonID}
}
