package follow

import (
	"time"

	"aftergust/core/file/coverage"
	"aftergust/core/file/transfer"
	"aftergust/core/link/right"
	"aftergust/core/link/state"
	"aftergust/core/media/piece"
	"aftergust/core/record/event"
	"aftergust/core/record/ledger"
	"aftergust/core/time/expiry"
	"aftergust/core/words/count"
	"aftergust/internal/ground"
	"aftergust/internal/parts/pack"
	"aftergust/internal/web"
)

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

func (a Routes) viewRow(row OutRow) rowView {
	v := rowView{ID: row.Parcel.ID, Title: row.Parcel.Title, State: row.State, Stopped: row.Parcel.Stopped(), CreatedAt: row.Parcel.CreatedAt,
		SentAt: row.Parcel.SentAt, EndsAt: row.Parcel.EndsAt, Items: row.Parcel.Items, Weight: transfer.Size(row.Parcel.Weight),
		OpenNotes: row.OpenNotes,
		Waiting:   row.Waiting, Strands: []StrandView{}, EndsWhen: row.Parcel.EndsWhen(), GoingAt: row.Parcel.GoingAt,
		Client: row.Client, Reminders: ground.OrEmpty([]int(row.Parcel.Reminders)), Zone: row.Parcel.EndRule.Zone}
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
		Completed: web.Pointer(row.Completed),
		Opened:    web.Pointer(row.FirstOpened), Delivered: row.Delivered, Owed: row.Owed, Anyone: r.Anyone(), Zone: r.Zone}
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
	Kind    NeedKind  `json:"kind"`
	Package string    `json:"package" doc:"empty where it is about no package"`
	Title   string    `json:"title"`
	Saying  string    `json:"saying"`
	Knock   string    `json:"knock" doc:"id of what is asked, for its answer; empty for most"`
	At      time.Time `json:"at"`
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

func viewNeed(n Need) needView {
	saying := ""
	switch n.Kind {
	case NeedNotes:
		saying = count.Of(n.Count, "open note", "open notes")
	case NeedAsked:
		saying = n.Line + " asks to be let in"
	case NeedBlocked:
		saying = "Many wrong passphrases, link of " + n.Line
	case NeedChanges:
		saying = "Changes wanted by " + n.Line
	case NeedRound:
		saying = "A round waits for " + n.Line
	case NeedHanded:
		saying = n.Line + " handed you this draft"
	case NeedStays:
		saying = "It did not go by itself"
	case NeedGoes:
		saying = "Goes by itself"
		if n.Count > 0 {
			saying += " once " + count.Of(n.Count, "upload is", "uploads are") + " done"
		}
	case NeedLetters:
		saying = count.Of(n.Count, "letter waits", "letters wait") + " for the mail server"
	case NeedDamaged:
		saying, n.Title = "1 stored file is damaged: upload it again", n.Line
		if n.Count > 1 {
			saying = count.Of(n.Count, "stored file is", "stored files are") + " damaged: upload them again"
			n.Title += " and " + count.Of(n.Count-1, "other", "others")
		}
	case NeedRoom:
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
	Items []pack.ItemView `json:"items" doc:"a page of them"`
	Rows  []ledgerRowView `json:"rows" doc:"all people; what a row says as a whole is about all items, its cells are those of the page"`
	Next  string          `json:"next" doc:"pass as after for the next page of items; empty at the end"`
}

func viewLedger(l Ledger) ledgerView {
	v := ledgerView{Rows: []ledgerRowView{}}
	v.Items, v.Next = pack.ViewItems(l.Contents)
	for i, row := range l.Rows {
		r := l.Strands[i].Line
		line := ledgerRowView{StrandView: viewStrand(r, row.Summary), Email: r.Email, Rights: ground.OrEmpty(r.Rights), Gone: r.RemovedAt != nil,
			Seen: web.Pointer(row.LastSeen), Cells: []cellView{}}
		for j, c := range row.Cells {
			line.Cells = append(line.Cells, viewCell(c, l.Contents[j]))
		}
		v.Rows = append(v.Rows, line)
	}
	return v
}

func viewCell(c ledger.Cell, item pack.Content) cellView {
	return cellView{Item: c.Item, Bytes: ground.OrEmpty(c.Bytes.Ranges()), Delivered: c.Bytes.Len(), Complete: c.Complete,
		Completed: web.Pointer(c.Completed),
		Played:    ground.OrEmpty(c.Played.Ranges()), Looked: web.Pointer(c.Looked), Behind: c.Behind, Brief: c.Brief(item.Size),
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
