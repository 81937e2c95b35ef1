// Package child is what the program does that says texts: it reads a request, has a
// library say the text, and answers with the sound.
package child

import (
	"encoding/json"
	"errors"
	"io"

	"readymargin/core/aloud"
	"readymargin/voice/espeak"
	"readymargin/voice/flite"
)

// A Request is what is to be said: one JSON document on standard input.
type Request struct {
	Text   string `json:"text"`
	Voice  string `json:"voice"`            // of espeak-ng, as "en-gb"
	Better bool   `json:"better,omitempty"` // it is English, which flite says better where it can
}

// An Answer comes back on standard output, followed by the sound as WAV; an Error has
// none.
type Answer struct {
	Words []aloud.Moment `json:"words"`
	Bytes int            `json:"bytes"` // of the sound
	Error string         `json:"error,omitempty"`
	Voice bool           `json:"voice,omitempty"` // the error is that there is no such voice
}

// Serve says what is asked on in, and answers on out.
func Serve(in io.Reader, out io.Writer) error {
	var r Request
	if err := json.NewDecoder(in).Decode(&r); err != nil {
		return err
	}
	words, wav, err := say(r)
	a := Answer{Words: words, Bytes: len(wav)}
	if err != nil {
		a = Answer{Error: err.Error(), Voice: errors.Is(err, espeak.ErrVoice)}
	}
	if err := json.NewEncoder(out).Encode(a); err != nil {
		return err
	}
	_, err = out.Write(wav)
	return err
}

func say(r Request) (words []aloud.Moment, wav []byte, err error) {
	if r.Better {
		if words, wav, err = flite.Say(r.Text); err == nil {
			return words, wav, nil
		}
	}
	return espeak.Say(r.Text, r.Voice)
}
