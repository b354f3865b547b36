// Package gateway hands text messages to a gateway over HTTP.
package gateway

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strings"
	"time"
)

// A Gateway takes text messages: a POST of {"id", "to", "text"} as JSON. It answers
// 2xx when it has the message, also when it had it before; 4xx when it never will.
type Gateway struct {
	address string
	token   string
	client  *http.Client
}

// patience is how long a gateway may take for one message.
const patience = 20 * time.Second

// Open reads an address such as https://token@texts.example/send. The token, if
// there is one, is sent as a bearer token.
func Open(address string) (*Gateway, error) {
	u, err := url.Parse(address)
	if err != nil || (u.Scheme != "https" && u.Scheme != "http") || u.Host == "" {
		return nil, errors.New("is not an address such as https://token@texts.example/send")
	}
	g := &Gateway{client: &http.Client{Timeout: patience,
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}} // a link goes nowhere else
	if u.User != nil {
		g.token = u.User.Username()
		u.User = nil
	}
	g.address = u.String()
	return g, nil
}

// A Refused is a gateway's word that it will not take a message.
type Refused struct{ Words string }

func (r *Refused) Error() string { return "refused for good: " + r.Words }

// Text hands one message over. An error that is a *Refused is for good.
func (g *Gateway) Text(ctx context.Context, id, number, text string) error {
	body, err := json.Marshal(map[string]string{"id": id, "to": number, "text": text})
	if err != nil {
		return err
	}
	request, err := http.NewRequestWithContext(ctx, http.MethodPost, g.address, bytes.NewReader(body))
	if err != nil {
		return err
	}
	request.Header.Set("Content-Type", "application/json")
	if g.token != "" {
		request.Header.Set("Authorization", "Bearer "+g.token)
	}
	answer, err := g.client.Do(request)
	if err != nil {
		return err
	}
	defer answer.Body.Close()
	words, _ := io.ReadAll(io.LimitReader(answer.Body, 300)) // what it says is for people; without it the number says enough
	switch said := strings.TrimSpace(string(words)); {
	case answer.StatusCode/100 == 2:
		return nil
	case answer.StatusCode/100 == 4 && answer.StatusCode != http.StatusTooManyRequests && answer.StatusCode != http.StatusRequestTimeout:
		return &Refused{Words: strings.TrimSpace(fmt.Sprintf("%d %s", answer.StatusCode, said))}
	default:
		return fmt.Errorf("gateway: %s", answer.Status)
	}
}
