package app_test

import (
	"net"
	"strings"
	"testing"

	"aftergust/internal/app"
	"aftergust/internal/dev/apptest"
	"aftergust/internal/dev/standin"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Source: RFC 2033 by another's client (go-smtp), RFC 3464 as the stand-in writes it.
func TestALetterThatDidNotArriveIsSaidAndRemembered(t *testing.T) {
	t.Parallel()
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	returns := listener.Addr().String()
	require.NoError(t, listener.Close())
	s := apptest.Start(t, pg, func(c *app.Config) { c.LMTP = returns })
	s.Tray.Returns(returns)
	people := map[string][]string{"nobody@kelpwick.example": {"see", "take"}, "hanne@kelpwick.example": {"see", "take"}}
	p := s.Send(t, s.Pack(t, []string{apptest.File(t, "a.bin", 1000)}, people))
	apptest.Eventually(t, "it came back", func() bool {
		letters := s.Package(t, p.ID).Letters
		return len(letters) == 1 && letters[0].State == "bounced"
	})
	assert.Contains(t, s.Package(t, p.ID).Letters[0].Problem, "there is no such address")
	next := s.Pack(t, []string{apptest.File(t, "b.bin", 1000)}, people)
	var codes []string
	for _, w := range next.Warnings {
		codes = append(codes, w.Code)
	}
	assert.Contains(t, codes, "bounced", "the next package warns of it")

	// Nobody but the mail server of a letter can say that it came back.
	for _, to := range []string{"hello@lowtide.example", "return+06h1jm7eb6ksi5uks6ul7sdh@lowtide.example",
		"return+06h1jm7eb6ksi5uks6ul7sdh.00000000000000000000@lowtide.example"} {
		err := standin.HandLMTP(returns, to, "Subject: x\r\n\r\nx")
		require.Error(t, err, to)
		assert.True(t, strings.Contains(err.Error(), "nobody here"), err.Error())
	}
}
