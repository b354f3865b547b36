package mail_test

import (
	"bufio"
	"bytes"
	"errors"
	"fmt"
	"io"
	"mime"
	"net"
	"net/mail"
	"strings"
	"testing"

	"aftergust/core/words/letter"
	"aftergust/internal/dev/standin"
	"aftergust/internal/out/letters"
	. "aftergust/internal/out/mail"

	"github.com/emersion/go-smtp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var sample = letters.Composed{
	Kind: letter.Delivery, ToName: "Ærik Üstad, “printer”", ToEmail: "print@kelpwick.example", StudioName: "Low Tide Pictures",
	SenderName:  "Marit Oyelaran",
	SenderEmail: "marit@lowtide.example", Title: "Übersee — cut 3 <b>", CoverLetter: "Hello & <script>alert(1)</script>",
	Link: "https://files.example/r/abc", Quiet: "https://files.example/r/abc/quiet", Items: 2,
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
		c.Said = []letters.Said{{Author: "P. <Anstey>", Text: "Louder & <b>", Place: "00:01:00;02", Link: c.Link + "#t=5.005", Picture: []byte("jpeg"), Name: "frame-1.jpg"}}
		if kind == letter.Notices {
			c.Told = []letters.About{{Title: c.Title, Link: c.Link, Says: []letters.Sentence{{Text: "P. <Anstey> left a note.", Said: &c.Said[0]}}}}
			c.Said = nil
		}
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
		if letter.All.Get(kind).To != letter.Member { // which is about no package
			assert.Contains(t, subject, c.Title)
		}
		if kind == letter.Talk || kind == letter.Notices {
			parts := m.GetParts()
			html, err := parts[len(parts)-1].GetContent()
			require.NoError(t, err)
			assert.Contains(t, string(html), `src="cid:frame-1.jpg"`, "%s shows the frame of a note", kind)
			assert.Contains(t, string(html), "Louder &amp; &lt;b&gt;", kind)
			assert.Len(t, m.GetEmbeds(), 1, kind)
		}
		if kind != letter.Code { // which is typed, not followed
			for _, part := range m.GetParts() {
				text, err := part.GetContent()
				require.NoError(t, err)
				assert.Contains(t, string(text), c.Link, "%s, in every form", kind)
			}
		}
		assert.NotContains(t, subject, c.Code, "a code shows on no locked screen")
		assert.Equal(t, "<m1@lowtide.example>", read.Header.Get("Message-Id"))
		if kind == letter.Reminder { // Source: RFC 2369, RFC 8058
			assert.Equal(t, "<"+c.Quiet+">", read.Header.Get("List-Unsubscribe"))
			assert.Equal(t, "List-Unsubscribe=One-Click", read.Header.Get("List-Unsubscribe-Post"))
		} else {
			assert.Empty(t, read.Header.Get("List-Unsubscribe"), kind)
		}
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
	require.NoError(t, open(t, tray.URL()).Send(t.Context(), sample, begun))
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
	assert.Error(t, open(t, tray.URL()).Send(t.Context(), sample, begun), "a server that is not there takes nothing")
}

func TestBadAddressesOfServersAreNamed(t *testing.T) {
	for _, address := range []string{"", "mail.example", "http://mail.example", "smtp://"} {
		_, err := Open(address, "a@b.example")
		assert.ErrorContains(t, err, "smtp://host:port", address)
	}
}

func begun() error { return nil }

// A fussy server answers every recipient with one reply.
type fussy struct{ reply *smtp.SMTPError }

func (f fussy) NewSession(*smtp.Conn) (smtp.Session, error) { return fussySession(f), nil }

type fussySession fussy

func (fussySession) Mail(string, *smtp.MailOptions) error { return nil }
func (s fussySession) Rcpt(string, *smtp.RcptOptions) error {
	if s.reply == nil {
		return nil
	}
	return s.reply
}
func (fussySession) Data(r io.Reader) error { _, err := io.Copy(io.Discard, r); return err }
func (fussySession) Reset()                 {}
func (fussySession) Logout() error          { return nil }

// Source: RFC 5321, section 4.2.1: 4yz may be tried again, 5yz not in the same form.
func TestARefusalForGoodIsToldFromOneForNow(t *testing.T) {
	send := func(reply *smtp.SMTPError) (begun bool, err error) {
		listener, err := net.Listen("tcp", "127.0.0.1:0")
		require.NoError(t, err)
		server := smtp.NewServer(fussy{reply})
		go func() { _ = server.Serve(listener) }() // ends with the test
		defer server.Close()
		err = open(t, "smtp://"+listener.Addr().String()).Send(t.Context(), sample, func() error { begun = true; return nil })
		return begun, err
	}
	began, err := send(nil)
	require.NoError(t, err)
	assert.True(t, began)
	_, err = send(&smtp.SMTPError{Code: 550, EnhancedCode: smtp.EnhancedCode{5, 1, 1}, Message: "no such person here"})
	var refusal *letters.Refusal
	require.ErrorAs(t, err, &refusal)
	assert.Contains(t, refusal.Words, "no such person here")
	assert.NotContains(t, refusal.Words, sample.ToEmail)
	_, err = send(&smtp.SMTPError{Code: 451, EnhancedCode: smtp.EnhancedCode{4, 3, 0}, Message: "not now"})
	require.Error(t, err)
	assert.False(t, errors.As(err, &refusal))
	_, err = net.Dial("tcp", "127.0.0.1:9")
	require.Error(t, err)
	called := false
	require.Error(t, open(t, "smtp://127.0.0.1:9").Send(t.Context(), sample, func() error { called = true; return nil }))
	assert.False(t, called, "what never reached the server is not on its way")
}

// hangsUp takes a letter to its end and closes the connection without an answer.
func hangsUp(t *testing.T) (address string) {
	t.Helper()
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { _ = listener.Close() })
	go func() {
		for {
			conn, err := listener.Accept()
			if err != nil {
				return
			}
			in := bufio.NewScanner(conn)
			_, _ = fmt.Fprint(conn, "220 here\r\n")
			for data := false; in.Scan() && (!data || in.Text() != "."); {
				switch command, _, _ := strings.Cut(in.Text(), " "); {
				case data:
				case command == "DATA":
					data = true
					_, _ = fmt.Fprint(conn, "354 go on\r\n")
				default:
					_, _ = fmt.Fprint(conn, "250 yes\r\n")
				}
			}
			_ = conn.Close()
		}
	}()
	return listener.Addr().String()
}

// A letter went up to four times, and nobody was told that it may have gone twice.
func TestAConnectionThatBreaksAfterTheLetterLeavesItUncertain(t *testing.T) {
	err := open(t, "smtp://"+hangsUp(t)).Send(t.Context(), sample, func() error { return nil })
	require.ErrorIs(t, err, letters.ErrUncertain)
}

func TestWithoutTLSNothingGoesFarUnlessThatIsSaid(t *testing.T) {
	_, err := Open("smtp://mail.example?tls=never", "hello@lowtide.example")
	require.Error(t, err)
	far := ""
	addresses, err := net.InterfaceAddrs()
	require.NoError(t, err)
	for _, a := range addresses {
		if ip, ok := a.(*net.IPNet); ok && !ip.IP.IsLoopback() && ip.IP.To4() != nil {
			far = ip.IP.String()
		}
	}
	if far == "" {
		t.Skip("this machine has no address but the one that only it sees")
	}
	listener, err := net.Listen("tcp", far+":0")
	require.NoError(t, err)
	server := smtp.NewServer(fussy{})
	go func() { _ = server.Serve(listener) }() // ends with the test
	defer server.Close()
	require.ErrorContains(t, open(t, "smtp://"+listener.Addr().String()).Send(t.Context(), sample, begun), "STARTTLS")
	require.NoError(t, open(t, "smtp://"+listener.Addr().String()+"?tls=optional").Send(t.Context(), sample, begun))
}

// Source: RFC 5322, section 3.4, and RFC 2047, as Go's net/mail reads them.
func TestNamesOfAnyLettersArriveAsTheyAre(t *testing.T) {
	p := open(t, "smtp://127.0.0.1:25")
	for _, name := range []string{`Hanne "Hal" Orrick`, `back\`, `a\b`, `x <y@kelpwick.example>`, `Łukasz "Ł" Ż`, "comma, name", "名前", "(paren)", `a"`, `\`,
		"=?utf-8?q?evil?="} {
		m, err := p.Write(letters.Composed{Kind: letter.Delivery, ToName: name, ToEmail: "hanne@kelpwick.example", StudioName: name, SenderName: name,
			SenderEmail: "marit@lowtide.example", Title: "T", MessageID: "m1"})
		require.NoError(t, err, name)
		var raw bytes.Buffer
		_, err = m.WriteTo(&raw)
		require.NoError(t, err)
		read, err := mail.ReadMessage(&raw)
		require.NoError(t, err, name)
		for field, address := range map[string]string{"To": "hanne@kelpwick.example", "From": "hello@lowtide.example", "Reply-To": "marit@lowtide.example"} {
			list, err := read.Header.AddressList(field)
			require.NoError(t, err, name)
			assert.Equal(t, []*mail.Address{{Name: name, Address: address}}, list, field)
		}
	}
}
