package standin_test

import (
	"net/http"
	"net/http/httptest"
	"net/smtp"
	"net/url"
	"strings"
	"testing"

	"aftergust/internal/dev/standin"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Source: RFC 2392, section 2, for cid: addresses; RFC 2045, section 6.8, for base64 in lines.
func TestALetterIsShownWithThePicturesThatLieInIt(t *testing.T) {
	tray, err := standin.Open("127.0.0.1:0", t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { _ = tray.Close() })
	at, err := url.Parse(tray.URL())
	require.NoError(t, err)
	letter := strings.ReplaceAll(`From: hello@lowtide.example
To: marit@lowtide.example
Subject: A frame
Content-Type: multipart/related; boundary=b

--b
Content-Type: text/html; charset=utf-8
Content-Transfer-Encoding: quoted-printable

<p>Here:</p><img src=3D"cid:frame-1.jpg"><img src=3D"https://elsewhere.example/x.jpg">
--b
Content-Type: image/jpeg
Content-ID: <frame-1.jpg>
Content-Transfer-Encoding: base64

/9j/
4AAQ
--b--
`, "\n", "\r\n")
	require.NoError(t, smtp.SendMail(at.Host, nil, "hello@lowtide.example", []string{"marit@lowtide.example"}, []byte(letter)))
	letters := tray.Letters("marit@lowtide.example")
	require.Len(t, letters, 1)
	assert.Contains(t, letters[0].HTML, "cid:frame-1.jpg", "the letter itself is as it came")

	answer := httptest.NewRecorder()
	tray.ServeHTTP(answer, httptest.NewRequest(http.MethodGet, "/html?letter="+letters[0].ID, nil))
	assert.Contains(t, answer.Body.String(), `<img src="data:image/jpeg;base64,/9j/4AAQ">`)
	policy := strings.Split(answer.Header().Get("Content-Security-Policy"), "; ")
	assert.Contains(t, policy, "img-src data: http://localhost:* http://127.0.0.1:*", "nothing is fetched from beyond this machine")
	assert.Contains(t, policy, "default-src 'none'")
}
