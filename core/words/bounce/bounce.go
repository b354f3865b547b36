// Package bounce reads what mail servers send back about letters that did not arrive
// (delivery status notifications, RFC 3464).
package bounce

import (
	"bufio"
	"bytes"
	"errors"
	"io"
	"mime"
	"mime/multipart"
	"net/mail"
	"net/textproto"
	"strings"

	"aftergust/core/file/naming"
)

// A Report is what a notification says of one letter.
type Report struct {
	Failed bool   // for good; else it is only late, or has arrived
	Status string // as 5.1.1 (RFC 3463); empty where it is not said
	Reason string // in the words of the mail server, on one line
}

// ErrNoReport is what Read says of a mail that is no such notification.
var ErrNoReport = errors.New("no delivery status notification")

// maxReason is how long a reason is kept, in characters.
const maxReason = 200

// maxParts is how many parts of a notification are looked at.
const maxParts = 20

// Read reads a notification. Of one that is about several letters, the worst counts.
func Read(raw []byte) (Report, error) {
	m, err := mail.ReadMessage(bytes.NewReader(raw))
	if err != nil {
		return Report{}, ErrNoReport
	}
	kind, params, err := mime.ParseMediaType(m.Header.Get("Content-Type"))
	if err != nil || kind != "multipart/report" || !strings.EqualFold(params["report-type"], "delivery-status") {
		return Report{}, ErrNoReport
	}
	parts := multipart.NewReader(m.Body, params["boundary"])
	for range maxParts {
		part, err := parts.NextPart()
		if err != nil {
			break
		}
		if kind, _, _ := mime.ParseMediaType(part.Header.Get("Content-Type")); kind == "message/delivery-status" {
			return status(part)
		}
	}
	return Report{}, ErrNoReport
}

// status reads the fields of a notification: first those of the whole mail, then a
// group for each recipient (RFC 3464, section 2).
func status(from io.Reader) (worst Report, err error) {
	reader := textproto.NewReader(bufio.NewReader(from))
	found := false
	for range maxParts {
		fields, err := reader.ReadMIMEHeader()
		if action := strings.ToLower(strings.TrimSpace(fields.Get("Action"))); action != "" {
			r := Report{Failed: action == "failed", Status: word(fields.Get("Status")), Reason: reason(fields.Get("Diagnostic-Code"))}
			if !found || r.Failed && !worst.Failed {
				worst = r
			}
			found = true
		}
		if err != nil {
			break
		}
	}
	if !found {
		return Report{}, ErrNoReport
	}
	return worst, nil
}

// word is the first word of a field, without what stands in brackets.
func word(field string) string {
	field, _, _ = strings.Cut(strings.TrimSpace(field), " ")
	return naming.Clip(field, 12)
}

// reason is what a server says, without the kind of its words: "smtp; 550 no such user".
func reason(field string) string {
	if _, words, ok := strings.Cut(field, ";"); ok {
		field = words
	}
	return naming.Clip(naming.Display(strings.Join(strings.Fields(field), " ")), maxReason)
}

// Say is why a letter did not arrive, in words. Source of the classes: RFC 3463, section 3.
func (r Report) Say() string {
	says := "the other side did not take it"
	switch {
	case strings.HasPrefix(r.Status, "5.1."):
		says = "there is no such address"
	case strings.HasPrefix(r.Status, "5.2.2"):
		says = "their mailbox is full"
	case strings.HasPrefix(r.Status, "5.2."):
		says = "their mailbox takes no mail"
	case strings.HasPrefix(r.Status, "5.4.") || strings.HasPrefix(r.Status, "4.4."):
		says = "their mail server was not reached"
	case strings.HasPrefix(r.Status, "5.7."):
		says = "their mail server does not want it"
	}
	if r.Reason != "" {
		says += " (“" + r.Reason + "”)"
	}
	return says
}
