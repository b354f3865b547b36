package demo

import (
	"bytes"
	"context"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/cookiejar"
	"os"
	"path/filepath"
	"strconv"
	"strings"
)

// A Client speaks the API as a script or a browser would. With a Token it is a
// member of the studio; without one it is a recipient with a cookie of their own.
type Client struct {
	Base  string
	Token string
	HTTP  *http.Client
}

// NewClient makes a client with a cookie jar of its own.
func NewClient(base, token string) *Client {
	jar, _ := cookiejar.New(nil) // without options it never fails
	return &Client{Base: base, Token: token, HTTP: &http.Client{Jar: jar}}
}

// Do sends in as JSON, unless nil, and reads the answer into out, unless nil. An
// answer outside 2xx is an error with its text.
func (c *Client) Do(ctx context.Context, method, path string, in, out any) error {
	var send io.Reader
	if in != nil {
		encoded, err := json.Marshal(in)
		if err != nil {
			return err
		}
		send = bytes.NewReader(encoded)
	}
	request, err := c.request(ctx, method, path, send)
	if err != nil {
		return err
	}
	if in != nil {
		request.Header.Set("Content-Type", "application/json")
	}
	answer, err := c.HTTP.Do(request)
	if err != nil {
		return err
	}
	defer answer.Body.Close()
	text, err := io.ReadAll(answer.Body)
	if err != nil {
		return err
	}
	if answer.StatusCode/100 != 2 {
		return fmt.Errorf("%s %s: %s: %s", method, path, answer.Status, text)
	}
	if out == nil {
		return nil
	}
	return json.Unmarshal(text, out)
}

// Send sends bytes as they are.
func (c *Client) Send(ctx context.Context, method, path string, body io.Reader) error {
	request, err := c.request(ctx, method, path, body)
	if err != nil {
		return err
	}
	answer, err := c.HTTP.Do(request)
	if err != nil {
		return err
	}
	defer func() { _ = answer.Body.Close() }() // it was read
	text, err := io.ReadAll(answer.Body)
	if err == nil && answer.StatusCode/100 != 2 {
		err = fmt.Errorf("%s %s: %s: %s", method, path, answer.Status, text)
	}
	return err
}

func (c *Client) request(ctx context.Context, method, path string, body io.Reader) (*http.Request, error) {
	if !strings.HasPrefix(path, "http") {
		path = c.Base + path
	}
	request, err := http.NewRequestWithContext(ctx, method, path, body)
	if err == nil && c.Token != "" {
		request.Header.Set("Authorization", "Bearer "+c.Token)
	}
	return request, err
}

// Upload sends a file into a package and returns the id of its item.
func (c *Client) Upload(ctx context.Context, parcel, file, folder string) (string, error) {
	return c.UploadAs(ctx, file, map[string]string{"package": parcel, "filename": filepath.Base(file), "folder": folder})
}

// UploadAs sends a file by tus in one request, with the metadata that say where
// it goes, and returns the id of its item.
func (c *Client) UploadAs(ctx context.Context, file string, meta map[string]string) (string, error) {
	f, err := os.Open(file)
	if err != nil {
		return "", err
	}
	defer f.Close()
	info, err := f.Stat()
	if err != nil {
		return "", err
	}
	location, item, err := c.begin(ctx, meta, info.Size())
	if err != nil || info.Size() == 0 { // an empty file is whole from the start
		return item, err
	}
	patch, err := c.request(ctx, http.MethodPatch, location, f)
	if err != nil {
		return "", err
	}
	patch.ContentLength = info.Size()
	patch.Header.Set("Tus-Resumable", "1.0.0")
	patch.Header.Set("Upload-Offset", "0")
	patch.Header.Set("Content-Type", "application/offset+octet-stream")
	answer, err := c.HTTP.Do(patch)
	if err != nil {
		return "", err
	}
	defer answer.Body.Close()
	if answer.StatusCode != http.StatusNoContent {
		text, _ := io.ReadAll(answer.Body)
		return "", fmt.Errorf("upload of %s: %s: %s", filepath.Base(file), answer.Status, text)
	}
	return answer.Header.Get("Aftergust-Item"), nil
}

// BeginUpload makes a tus upload and returns its address.
func (c *Client) BeginUpload(ctx context.Context, meta map[string]string, size int64) (string, error) {
	location, _, err := c.begin(ctx, meta, size)
	return location, err
}

func (c *Client) begin(ctx context.Context, meta map[string]string, size int64) (location, item string, err error) {
	create, err := c.request(ctx, http.MethodPost, "/api/v1/uploads/", nil)
	if err != nil {
		return "", "", err
	}
	var pairs []string
	for key, value := range meta {
		pairs = append(pairs, key+" "+base64.StdEncoding.EncodeToString([]byte(value)))
	}
	create.Header.Set("Tus-Resumable", "1.0.0")
	create.Header.Set("Upload-Length", strconv.FormatInt(size, 10))
	create.Header.Set("Upload-Metadata", strings.Join(pairs, ","))
	answer, err := c.HTTP.Do(create)
	if err != nil {
		return "", "", err
	}
	defer answer.Body.Close()
	if answer.StatusCode != http.StatusCreated {
		text, _ := io.ReadAll(answer.Body)
		return "", "", fmt.Errorf("begin upload: %s: %s", answer.Status, text)
	}
	at, err := answer.Location() // it may be a path alone
	if err != nil {
		return "", "", err
	}
	return at.String(), answer.Header.Get("Aftergust-Item"), nil
}

// Fetch gets a path, or a range of it such as "bytes=0-499" unless empty, and
// throws the bytes away.
func (c *Client) Fetch(ctx context.Context, path, byteRange string) (n int64, err error) {
	return c.fetch(ctx, path, byteRange, io.Discard)
}

// Bytes is Fetch, with the bytes, or with what was said instead.
func (c *Client) Bytes(ctx context.Context, path, byteRange string) ([]byte, error) {
	var b bytes.Buffer
	_, err := c.fetch(ctx, path, byteRange, &b)
	return b.Bytes(), err
}

func (c *Client) fetch(ctx context.Context, path, byteRange string, to io.Writer) (int64, error) {
	request, err := c.request(ctx, http.MethodGet, path, nil)
	if err != nil {
		return 0, err
	}
	if byteRange != "" {
		request.Header.Set("Range", byteRange)
	}
	answer, err := c.HTTP.Do(request)
	if err != nil {
		return 0, err
	}
	defer answer.Body.Close()
	if answer.StatusCode/100 != 2 {
		return 0, fmt.Errorf("GET %s: %s", path, answer.Status)
	}
	return io.Copy(to, answer.Body)
}

// Place finds the id of a place by the names down to it; empty where there is none.
func (c *Client) Place(ctx context.Context) func(names ...string) string {
	return func(names ...string) string {
		parent := ""
		for _, name := range names {
			var list []struct{ ID, Name string }
			if c.Do(ctx, "GET", "/api/v1/places?parent="+parent, nil, &list) != nil {
				return ""
			}
			for _, p := range list {
				if p.Name == name {
					parent = p.ID
				}
			}
		}
		return parent
	}
}

// An Item is one that a package gives.
type Item struct{ ID, Name, What string }

// Items are those of a package, in its order.
func (c *Client) Items(ctx context.Context, parcel string) ([]Item, error) {
	var whole struct{ Items []Item }
	err := c.Do(ctx, "GET", "/api/v1/packages/"+parcel, nil, &whole)
	return whole.Items, err
}

// Room is the address of the Room of an item.
func Room(parcel, item string) string { return "/packages/" + parcel + "/room?item=" + item }

// Rooms are the addresses of one Room for each kind of item that a package gives.
func (c *Client) Rooms(ctx context.Context) (map[string]string, error) {
	var list struct{ Packages []struct{ ID string } }
	if err := c.Do(ctx, "GET", "/api/v1/packages", nil, &list); err != nil {
		return nil, err
	}
	rooms := map[string]string{}
	for _, p := range list.Packages {
		items, err := c.Items(ctx, p.ID)
		if err != nil {
			return nil, err
		}
		for _, i := range items {
			if rooms[i.What] == "" {
				rooms[i.What] = Room(p.ID, i.ID)
			}
		}
	}
	return rooms, nil
}

// Named is the id of the item of a name; empty where there is none.
func Named(items []Item, name string) string {
	for _, i := range items {
		if i.Name == name {
			return i.ID
		}
	}
	return ""
}
