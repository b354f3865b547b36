package mail_test

import (
	"bytes"
	"io"
	"mime"
	"net/mail"
	"strings"
	"testing"

	"aftergust/core/letter"
	"aftergust/internal/letters"
	. "aftergust/internal/mail"
	"aftergust/internal/standin"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var sample = letters.Composed{
	Kind: letter.Delivery, ToName: "Ærik Üstad, “printer”", ToEmail: "print@kelpwick.example", StudioName: "Low Tide Pictures",
	SenderName:  "Marit Oyelaran",
	SenderEmail: "marit@lowtide.example", Title: "Übersee — cut 3 <b>", CoverLetter: "Hello & <script>alert(1)</script>",
	Link: "https://files.example/r/abc", Items: 2,
	Weight: "4.2 GB", Ends: "Friday 4 December 2026, 18:00 (Europe/London)", Left: "9 days", MayTake: true, MessageID: "m1",
}

func open(t *testing.T, address string) *Post {
	t.Helper()
	p, err := Open(address, "hello@lowtide.example")
	require.NoError(t, err)
	return p
}

// Reference: Go's net/mail and mime (RFC 5322, RFC 2047) read what was written.
func TestLettersAreWellFormedInEveryKind(t *testing.T) {
	p := open(t, "smtp://127.0.0.1:25")
	for _, kind := range letter.All.Names() {
		c := sample
		c.Kind, c.Code, c.GuestName = kind, "123456", "Hanne Orrick"
		m, err := p.Write(c)
		require.NoError(t, err, kind)
		var raw bytes.Buffer
		_, err = m.WriteTo(&raw)
		require.NoError(t, err)
		read, err := mail.ReadMessage(bytes.NewReader(raw.Bytes()))
		require.NoError(t, err, kind)
		to, err := read.Header.AddressList("To")
		require.NoError(t, err)
		assert.Equal(t, []*mail.Address{{Name: c.ToName, Address: c.ToEmail}}, to)
		subject, err := new(mime.WordDecoder).DecodeHeader(read.Header.Get("Subject"))
		require.NoError(t, err)
		assert.Contains(t, subject, c.Title)
		assert.NotContains(t, subject, c.Code, "a code shows on no locked screen")
		assert.Equal(t, "<m1@lowtide.example>", read.Header.Get("Message-Id"))
		_, err = read.Header.Date()
		assert.NoError(t, err)
		content, err := io.ReadAll(read.Body)
		require.NoError(t, err)
		_, page, both := strings.Cut(string(content), "text/html")
		require.True(t, both, "as text and as a page")
		assert.NotContains(t, page, "<script>", "what people write is text, not markup")
		for line := range strings.Lines(raw.String()) {
			assert.LessOrEqual(t, len(line), 1000, "RFC 5322, section 2.1.1")
		}
	}
}

func TestTheStandInTakesALetterAndShowsIt(t *testing.T) {
	dir := t.TempDir()
	tray, err := standin.Open("127.0.0.1:0", dir)
	require.NoError(t, err)
	require.NoError(t, open(t, tray.URL()).Send(t.Context(), sample))
	require.NoError(t, tray.Close())
	again, err := standin.Open("127.0.0.1:0", dir)
	require.NoError(t, err)
	defer again.Close()
	letters := again.Letters("print@kelpwick.example")
	require.Len(t, letters, 1, "letters outlive a restart")
	assert.Equal(t, "Übersee — cut 3 <b>, from Marit Oyelaran", letters[0].Subject)
	assert.Equal(t, []string{"https://files.example/r/abc"}, letters[0].Links)
	assert.Contains(t, letters[0].Text, "2 items, 4.2 GB")
	assert.Contains(t, letters[0].HTML, "Look and download")
	assert.Contains(t, letters[0].HTML, "background:#f5f2ea;color:#1d2b2f", "the look of the screens, by ui/src/lib/ui/tokens.css")
	assert.Error(t, open(t, tray.URL()).Send(t.Context(), sample), "a server that is not there takes nothing")
}

func TestBadAddressesOfServersAreNamed(t *testing.T) {
	for _, address := range []string{"", "mail.example", "http://mail.example", "smtp://"} {
		_, err := Open(address, "a@b.example")
		assert.ErrorContains(t, err, "smtp://host:port", address)
	}
}
