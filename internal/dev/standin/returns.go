package standin

import (
	"bytes"
	"fmt"
	"net"
	"strings"
	"time"

	"github.com/emersion/go-smtp"
)

// notification is what a mail server writes about a letter that did not arrive (RFC 3464).
const notification = `From: Mail Delivery <postmaster@tray.example>
To: <%s>
Subject: Undelivered Mail Returned to Sender
Date: %s
MIME-Version: 1.0
Auto-Submitted: auto-replied
Content-Type: multipart/report; report-type=delivery-status; boundary="tray"

--tray
Content-Type: text/plain

Your letter to %s did not arrive.

--tray
Content-Type: message/delivery-status

Reporting-MTA: dns; tray.example

Final-Recipient: rfc822; %s
Action: failed
Status: 5.1.1
Diagnostic-Code: smtp; 550 5.1.1 %s: nobody here is called so

--tray
Content-Type: text/rfc822-headers

%s
--tray--
`

// giveBack hands a letter back to where it came from, over LMTP (RFC 2033).
func giveBack(address, from, to string, letter []byte) {
	head, _, _ := bytes.Cut(letter, []byte("\r\n\r\n"))
	text := fmt.Sprintf(notification, from, time.Now().Format(time.RFC1123Z), to, to, to, strings.ReplaceAll(string(head), "\r\n", "\n"))
	const tries, pause = 40, 500 * time.Millisecond // a real mail server tries for days
	for range tries {
		if HandLMTP(address, from, strings.ReplaceAll(text, "\n", "\r\n")) == nil {
			return
		}
		time.Sleep(pause)
	}
}

// HandLMTP hands a mail over LMTP to one address.
func HandLMTP(server, to, mail string) error {
	conn, err := net.DialTimeout("tcp", server, 10*time.Second)
	if err != nil {
		return err
	}
	client := smtp.NewClientLMTP(conn)
	defer client.Close()
	if err := client.Mail("", nil); err != nil {
		return err
	}
	if err := client.Rcpt(to, nil); err != nil {
		return err
	}
	w, err := client.Data()
	if err != nil {
		return err
	}
	if _, err := w.Write([]byte(mail)); err != nil {
		return err
	}
	return w.Close()
}
