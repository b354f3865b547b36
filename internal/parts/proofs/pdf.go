package proofs

import (
	"bytes"
	"compress/zlib"
	"crypto/ed25519"
	"crypto/x509"
	"encoding/base64"
	"encoding/json"
	"encoding/pem"
	"fmt"
	"io"
	"time"

	"aftergust/core/file/transfer"
	"aftergust/core/link/door"
	"aftergust/core/link/state"
	"aftergust/core/media/piece"
	"aftergust/core/record/proof"
	"aftergust/core/time/expiry"
	"aftergust/core/words/count"

	"codeberg.org/go-pdf/fpdf"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/gomono"
	"golang.org/x/image/font/gofont/goregular"
)

// The attachments of a PDF: what is signed, byte for byte; the signature; the key; and
// the three of them as one file.
const (
	attachedDocument  = "document.json"
	attachedSignature = "document.sig"
	attachedKey       = "studio.pem"
	attachedSealed    = "proof.json"
)

// A sheet is an A4 page that is being written, measures in millimetres.
type sheet struct {
	*fpdf.Fpdf
	zone *time.Location
}

const (
	margin = 18
	width  = 210 - 2*margin
	line   = 4.6
)

// PDF is a proof to print and to keep: what it says in words, on the clock of zone, with
// the signed document attached.
func (p Proof) PDF(zone *time.Location) ([]byte, error) {
	pdf := fpdf.New("P", "mm", "A4", "")
	pdf.AddUTF8FontFromBytes("go", "", goregular.TTF)
	pdf.AddUTF8FontFromBytes("go", "B", gobold.TTF)
	pdf.AddUTF8FontFromBytes("mono", "", gomono.TTF)
	pdf.SetMargins(margin, margin, margin)
	pdf.SetAutoPageBreak(true, margin+6)
	pdf.SetTitle("Proof of delivery: "+p.Package.Title, true)
	pdf.SetAuthor(p.Studio, true)
	pdf.SetCreator("Aftergust", true)
	made, err := time.Parse("2006-01-02T15:04:05.000000Z", p.MadeAt)
	if err != nil {
		return nil, err
	}
	pdf.SetCreationDate(made)
	pdf.SetModificationDate(made)
	if err := attach(pdf, p.Sealed); err != nil {
		return nil, err
	}
	s := sheet{pdf, zone}
	pdf.SetFooterFunc(func() {
		pdf.SetY(-margin)
		s.font("go", "", 7.5, 110)
		pdf.CellFormat(width/2, line, "Last event "+p.Head[:min(16, len(p.Head))], "", 0, "L", false, 0, "")
		pdf.CellFormat(width/2, line, fmt.Sprintf("Page %d of {nb}", pdf.PageNo()), "", 0, "R", false, 0, "")
	})
	pdf.AliasNbPages("{nb}")
	pdf.AddPage()
	s.head(p)
	s.people(p)
	s.items(p)
	s.story(p)
	var out bytes.Buffer
	err = pdf.Output(&out)
	return out.Bytes(), err
}

func attach(pdf *fpdf.Fpdf, sealed proof.Sealed) error {
	whole, err := json.Marshal(sealed)
	if err != nil {
		return err
	}
	signature, err := base64.StdEncoding.DecodeString(sealed.Signature)
	if err != nil {
		return err
	}
	public, err := base64.StdEncoding.DecodeString(sealed.Key)
	if err != nil {
		return err
	}
	key, err := x509.MarshalPKIXPublicKey(ed25519.PublicKey(public))
	if err != nil {
		return err
	}
	pdf.SetAttachments([]fpdf.Attachment{
		{Content: whole, Filename: attachedSealed, Description: "The signed document, its signature and key; for aftergust verify-proof"},
		{Content: []byte(sealed.Document), Filename: attachedDocument, Description: "What is signed, byte for byte"},
		{Content: signature, Filename: attachedSignature, Description: "Ed25519 signature of it (RFC 8032)"},
		{Content: pem.EncodeToMemory(&pem.Block{Type: "PUBLIC KEY", Bytes: key}), Filename: attachedKey, Description: "Public key of the studio"},
	})
	return nil
}

func (s sheet) font(family, style string, size float64, grey int) {
	s.SetFont(family, style, size)
	s.SetTextColor(grey, grey, grey)
}

// title begins a part, on the next page where there would be nothing of it on this one.
func (s sheet) title(text string) {
	if s.GetY() > 297-margin-40 {
		s.AddPage()
	}
	s.Ln(5)
	s.font("go", "B", 11.5, 20)
	s.CellFormat(width, 7, text, "B", 1, "L", false, 0, "")
	s.Ln(1.5)
}

// at is a moment of the document on the clock of the sheet.
func (s sheet) at(moment string) string {
	at, err := time.Parse("2006-01-02T15:04:05.000000Z", moment)
	if err != nil {
		return "–"
	}
	return expiry.Short(at, s.zone) + at.In(s.zone).Format(":05")
}

func (s sheet) head(p Proof) {
	s.font("go", "", 9, 110)
	s.CellFormat(width, line, p.Studio, "", 1, "L", false, 0, "")
	s.font("go", "B", 19, 20)
	s.MultiCell(width, 8.5, "Proof of delivery", "", "L", false)
	s.font("go", "B", 13, 20)
	s.MultiCell(width, 6.5, p.Package.Title, "", "L", false)
	s.Ln(2)
	rows := [][2]string{{"From", p.Package.Sender + ", " + p.Studio}, {"Sent", s.at(p.Package.SentAt)}, {"Ends", s.at(p.Package.EndsAt)},
		{"State", state.All.Get(state.State(p.Package.State)).Word}, {"Door", door.All.Get(door.Door(p.Package.Door)).Word},
		{"Weight", transfer.Size(p.Package.Size) + ", " + count.Of(len(p.Items), "item", "items")},
		{"Made", s.at(p.MadeAt) + ", by " + p.MadeBy + "; all times are those of " + expiry.City(s.zone)}}
	for _, r := range rows {
		s.font("go", "", 8.5, 110)
		s.CellFormat(22, line, r[0], "", 0, "L", false, 0, "")
		s.font("go", "", 9, 20)
		s.MultiCell(width-22, line, r[1], "", "L", false)
	}
	s.Ln(2)
	s.font("go", "", 8, 80)
	s.MultiCell(width, 4, "“Everything” means that every byte was delivered: counted over pauses, resumed and parallel downloads, never a byte that was not "+
		"acknowledged. What happened is chained by hash, so that nothing can be left out or changed. The whole is signed with the Ed25519 key of the studio, and "+
		"attached to this file; aftergust verify-proof, or the page /verify of the server that made it, checks it.", "", "L", false)
}

func (s sheet) people(p Proof) {
	s.title("Who has what")
	names := map[string]string{}
	for _, i := range p.Items {
		names[i.ID] = i.Name
	}
	for _, r := range p.People {
		has := "nothing yet"
		whole, bytes := 0, int64(0)
		for _, c := range r.Cells {
			bytes += c.Bytes
			if c.Complete {
				whole++
			}
		}
		switch {
		case r.Complete:
			has = "everything"
		case bytes > 0:
			has = fmt.Sprintf("%d of %d items whole, %s", whole, len(p.Items), transfer.Size(bytes))
		case r.OpenedAt != "":
			has = "opened " + s.at(r.OpenedAt)
		}
		s.font("go", "B", 9, 20)
		s.CellFormat(width*0.62, line+0.6, clip(s, r.Name+"  "+r.Email, width*0.6), "", 0, "L", false, 0, "")
		s.font("go", "", 9, 20)
		s.CellFormat(width*0.38, line+0.6, has, "", 1, "R", false, 0, "")
		for _, c := range r.Cells {
			says := transfer.Size(c.Bytes)
			switch {
			case c.Complete && c.KeptAt != "":
				says = "whole on their disk " + s.at(c.KeptAt)
			case c.Complete && c.ByProxy:
				says = "taken by the proxy " + s.at(c.CompletedAt)
			case c.Complete:
				says = "whole " + s.at(c.CompletedAt)
			case c.Older:
				says = "an older version"
			case c.Bytes == 0 && c.Played > 0:
				says = "played " + piece.Clock(c.Played*1000)
			}
			s.font("go", "", 8, 80)
			s.CellFormat(4, 4, "", "", 0, "L", false, 0, "")
			s.CellFormat(width*0.62-4, 4, clip(s, names[c.Item], width*0.58), "", 0, "L", false, 0, "")
			s.CellFormat(width*0.38, 4, says, "", 1, "R", false, 0, "")
		}
		s.Ln(1)
	}
}

func (s sheet) items(p Proof) {
	s.title("What was sent")
	for _, i := range p.Items {
		s.font("go", "", 9, 20)
		s.CellFormat(width*0.72, line, clip(s, i.Name, width*0.7), "", 0, "L", false, 0, "")
		s.CellFormat(width*0.28, line, fmt.Sprintf("version %d, %s", i.Number, transfer.Size(i.Size)), "", 1, "R", false, 0, "")
		sum := "SHA-256 " + i.SHA256
		if i.SHA256 == "" {
			sum = "XXH3-128 " + i.XXH128
		}
		s.font("mono", "", 6.6, 80)
		s.CellFormat(width, 3.6, sum, "", 1, "L", false, 0, "")
		s.Ln(0.8)
	}
}

func (s sheet) story(p Proof) {
	s.title("What happened")
	for _, e := range p.Events {
		s.font("mono", "", 7, 80)
		s.CellFormat(9, 4, fmt.Sprint(e.Seq), "", 0, "R", false, 0, "")
		s.font("go", "", 8, 80)
		s.CellFormat(36, 4, "  "+s.at(e.At), "", 0, "L", false, 0, "")
		s.font("go", "", 8.5, 20)
		s.MultiCell(width-45, 4, e.Says, "", "L", false)
	}
}

// clip shortens a text to what fits into a width.
func clip(s sheet, text string, most float64) string {
	if s.GetStringWidth(text) <= most {
		return text
	}
	runes := []rune(text)
	for len(runes) > 1 && s.GetStringWidth(string(runes)+"…") > most {
		runes = runes[:len(runes)-1]
	}
	return string(runes) + "…"
}

// attachment is the signed document that lies in a PDF of ours: the first embedded file,
// whose stream is compressed (ISO 32000-1, 7.11.4). ok is false for what is no PDF.
func attachment(file []byte) (text []byte, ok bool) {
	if !bytes.HasPrefix(file, []byte("%PDF-")) {
		return nil, false
	}
	for rest := file; ; {
		at := bytes.Index(rest, []byte("/EmbeddedFile"))
		if at < 0 {
			return nil, false
		}
		rest = rest[at:]
		begin := bytes.Index(rest, []byte("stream\n"))
		if begin < 0 {
			return nil, false
		}
		if text, ok := unpacked(rest[begin+len("stream\n"):]); ok {
			return text, true
		}
		rest = rest[begin:]
	}
}

// unpacked is a compressed stream that begins as a signed document does. Of any other no
// more than that is unpacked, however many a file made for it may hold.
func unpacked(stream []byte) (text []byte, ok bool) {
	z, err := zlib.NewReader(bytes.NewReader(stream))
	if err != nil {
		return nil, false
	}
	begins := make([]byte, len(sealedBegins))
	if _, err := io.ReadFull(z, begins); err != nil || string(begins) != sealedBegins {
		return nil, false
	}
	rest, err := io.ReadAll(io.LimitReader(z, MostFile))
	return append(begins, rest...), err == nil
}

// sealedBegins is what the JSON of a proof.Sealed begins with.
const sealedBegins = `{"format":"aftergust-proof"`
