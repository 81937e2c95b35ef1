// Package recogniser has what was said written down by a program of the school's own,
// which is asked by HTTP: a POST of the sound, with its media type and the language
// wanted (Accept-Language), answered by JSON {"words": [{"text", "from", "to",
// "certainty"}]}, times in milliseconds; 422 says that it is no sound.
package recogniser

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/url"

	"readymargin/core/speech"
)

// A Client asks one program.
type Client struct {
	at   string
	http http.Client
}

var _ speech.Recogniser = (*Client)(nil)

// New returns what asks a program at an address, as http://127.0.0.1:9100/.
func New(address string) (*Client, error) {
	u, err := url.Parse(address)
	if err != nil || u.Host == "" || u.Scheme != "http" && u.Scheme != "https" {
		return nil, errors.New("recogniser: it is given as http://host:port/")
	}
	return &Client{at: address, http: http.Client{Timeout: patience}}, nil
}

// maxAnswer bounds what is read of an answer, in bytes.
const maxAnswer = 4 << 20

// Recognise asks the program what is said.
func (c *Client) Recognise(ctx context.Context, sound speech.Sound) ([]speech.Word, error) {
	if len(sound.Data) == 0 {
		return nil, speech.ErrUnreadable
	}
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, c.at, bytes.NewReader(sound.Data))
	if err != nil {
		return nil, err
	}
	req.Header.Set("Content-Type", sound.Type)
	if sound.Language != "" {
		req.Header.Set("Accept-Language", sound.Language)
	}
	res, err := c.http.Do(req)
	if err != nil {
		return nil, fmt.Errorf("%w: %v", speech.ErrAway, err)
	}
	defer res.Body.Close()
	switch {
	case res.StatusCode == http.StatusUnprocessableEntity:
		return nil, speech.ErrUnreadable
	case res.StatusCode != http.StatusOK:
		return nil, fmt.Errorf("%w: it answers %s", speech.ErrAway, res.Status)
	}
	return answer(res.Body)
}
