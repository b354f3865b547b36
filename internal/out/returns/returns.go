// Package returns takes mail back that did not arrive, over LMTP (RFC 2033).
package returns

import (
	"context"
	"errors"
	"io"
	"log/slog"
	"net"
	"time"

	"aftergust/core/words/bounce"

	"github.com/emersion/go-smtp"
)

// Letters is what becomes of a letter that came back. letter is its id, by the address
// it came back to; ok is false for an address that is none of ours.
type Letters interface {
	LetterOf(address string) (letter string, ok bool)
	CameBack(ctx context.Context, letter string, why bounce.Report) error
}

// A Server takes mail back. Make it with Open.
type Server struct {
	server   *smtp.Server
	listener net.Listener
}

// maxMessage is how large a notification may be, in bytes; most are a few thousand.
const maxMessage = 1 << 20

// Open listens on an address that only the mail server of the house reaches.
func Open(address string, letters Letters, log *slog.Logger) (*Server, error) {
	listener, err := net.Listen("tcp", address)
	if err != nil {
		return nil, err
	}
	s := &Server{listener: listener}
	s.server = smtp.NewServer(smtp.BackendFunc(func(*smtp.Conn) (smtp.Session, error) { return &session{letters: letters, log: log}, nil }))
	s.server.LMTP, s.server.Domain = true, "aftergust"
	s.server.MaxMessageBytes, s.server.MaxRecipients = maxMessage, 20
	s.server.ReadTimeout, s.server.WriteTimeout = time.Minute, time.Minute
	go func() { _ = s.server.Serve(listener) }() // ends when Close closes it
	return s, nil
}

// Addr is where it listens.
func (s *Server) Addr() string { return s.listener.Addr().String() }

// Close takes no more mail.
func (s *Server) Close() error { return s.server.Close() }

type session struct {
	letters Letters
	log     *slog.Logger
	about   []string
}

func (s *session) Mail(string, *smtp.MailOptions) error { return nil }
func (s *session) Reset()                               { s.about = nil }
func (s *session) Logout() error                        { return nil }

func (s *session) Rcpt(to string, _ *smtp.RcptOptions) error {
	letter, ok := s.letters.LetterOf(to)
	if !ok {
		return &smtp.SMTPError{Code: 550, EnhancedCode: smtp.EnhancedCode{5, 1, 1}, Message: "nobody here takes mail under this address"}
	}
	s.about = append(s.about, letter)
	return nil
}

// waiting is how long the database may take to write a notification down.
const waiting = 30 * time.Second

func (s *session) Data(from io.Reader) error {
	raw, err := io.ReadAll(from)
	if err != nil {
		return err
	}
	report, err := bounce.Read(raw)
	if errors.Is(err, bounce.ErrNoReport) || !report.Failed {
		return nil // somebody is on holiday, or the letter is only late
	}
	ctx, cancel := context.WithTimeout(context.Background(), waiting)
	defer cancel()
	for _, letter := range s.about {
		if err := s.letters.CameBack(ctx, letter, report); err != nil {
			s.log.Warn("what came back could not be written down; the mail server tries again", "error", err)
			return &smtp.SMTPError{Code: 451, EnhancedCode: smtp.EnhancedCode{4, 3, 0}, Message: "not now; try again"}
		}
	}
	return nil
}
