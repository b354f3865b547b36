package bounce_test

import (
	"strings"
	"testing"

	. "aftergust/core/words/bounce"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

// Source: RFC 3464, appendix E.1, from memory, shortened.
const example = `Date: Thu, 7 Jul 1994 17:16:05 -0400
From: Mail Delivery Subsystem <MAILER-DAEMON@CS.UTK.EDU>
Subject: Returned mail: Cannot send message for 5 days
To: <owner-info-mime@cs.utk.edu>
MIME-Version: 1.0
Content-Type: multipart/report; report-type=delivery-status;
	boundary="RAA14128.773615765/CS.UTK.EDU"

--RAA14128.773615765/CS.UTK.EDU

The original message was received at Sat, 2 Jul 1994 17:10:28 -0400

--RAA14128.773615765/CS.UTK.EDU
Content-Type: message/delivery-status

Reporting-MTA: dns; cs.utk.edu

Original-Recipient: rfc822;louisl@larry.slip.umd.edu
Final-Recipient: rfc822;louisl@larry.slip.umd.edu
Action: failed
Status: 4.0.0
Diagnostic-Code: smtp; 426 connection timed out
Last-Attempt-Date: Thu, 7 Jul 1994 17:15:49 -0400

--RAA14128.773615765/CS.UTK.EDU
Content-Type: message/rfc822

From: owner-info-mime@cs.utk.edu

--RAA14128.773615765/CS.UTK.EDU--
`

func crlf(s string) []byte { return []byte(strings.ReplaceAll(s, "\n", "\r\n")) }

func TestANotificationIsRead(t *testing.T) {
	r, err := Read(crlf(example))
	assert.NoError(t, err)
	assert.Equal(t, Report{Failed: true, Status: "4.0.0", Reason: "426 connection timed out"}, r)
	for status, want := range map[string]string{"5.1.1": "there is no such address", "5.2.2": "their mailbox is full", "5.2.1": "their mailbox takes no mail",
		"5.4.4": "their mail server was not reached", "5.7.1": "their mail server does not want it", "5.0.0": "the other side did not take it"} {
		assert.Equal(t, want, Report{Status: status}.Say(), status)
	}
	assert.Equal(t, "there is no such address (“550 unknown”)", Report{Status: "5.1.1", Reason: "550 unknown"}.Say())
}

func TestWhatIsOnlyLateIsNoFailure(t *testing.T) {
	r, err := Read(crlf(strings.Replace(example, "Action: failed", "Action: delayed", 1)))
	assert.NoError(t, err)
	assert.False(t, r.Failed)
}

func TestWhatIsNoNotificationIsNotRead(t *testing.T) {
	for name, mail := range map[string]string{
		"nothing": "", "a letter": "Subject: hello\n\nI am on holiday.\n", "another report": strings.Replace(example, "delivery-status;", "disposition-notification;", 1),
		"without fields": strings.Replace(example, "Action: failed", "Nothing: here", 1),
	} {
		_, err := Read(crlf(mail))
		assert.ErrorIs(t, err, ErrNoReport, name)
	}
	rapid.Check(t, func(t *rapid.T) {
		raw := []byte(example)
		for range rapid.IntRange(1, 8).Draw(t, "changes") {
			raw[rapid.IntRange(0, len(raw)-1).Draw(t, "at")] = rapid.Byte().Draw(t, "to")
		}
		r, _ := Read(crlf(string(raw)))
		assert.NotContains(t, r.Reason, "\n")
		assert.LessOrEqual(t, len([]rune(r.Reason)), 200)
	})
}
