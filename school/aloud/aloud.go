// Package aloud reads to people what is printed and what was said to them in writing.
package aloud

import (
	"context"
	"errors"
	"io"
	"strings"
	"unicode/utf8"

	"readymargin/core/access"
	"readymargin/core/aloud"
	"readymargin/school"
)

// A Voice says texts, and keeps what was said; voice.Shelf is one.
type Voice interface {
	// Say has a text said, or finds that it was; key opens the sound.
	Say(ctx context.Context, text, language string) (key string, words []aloud.Moment, err error)
	// Open returns a sound that was said: Opus in WebM.
	Open(key string) (io.ReadSeekCloser, error)
}

// An Aloud reads to people.
type Aloud struct{ voice Voice }

// New returns one; without a voice it says nothing.
func New(v Voice) *Aloud { return &Aloud{voice: v} }

// Asked is a passage, and which of its sentences is to be said.
type Asked struct {
	Tokens   []aloud.Token `json:"tokens"`
	Language string        `json:"lang"` // BCP 47; "" where it is not known, and is guessed
	Sentence int           `json:"sentence"`
	Token    int           `json:"token"` // not 0: the sentence that this one is in is meant
	Own      bool          `json:"own"`   // the device says it, with a voice of its own
}

// Said is a sentence that can be heard.
type Said struct {
	Sentence  int      `json:"sentence"`
	Sentences [][2]int `json:"sentences"` // of the passage: the first token of each, and the one behind its last
	Language  string   `json:"lang"`
	Sound     string   `json:"sound,omitempty"` // its key
	Times     [][2]int `json:"times,omitempty"` // of each of the sentence's tokens, milliseconds; -1 where nothing is said of it
	Text      string   `json:"text,omitempty"`  // where the device says it: as it is said,
	At        []int    `json:"at,omitempty"`    // and the letter of it where each token begins; -1 where nothing is said of it
}

// mostTokens is how long a passage may be.
const mostTokens = 2000

var (
	// ErrSilent says that nothing in a passage can be said.
	ErrSilent = errors.New("aloud: there is nothing to say")
	// ErrPassage says that a passage is too long, or no passage.
	ErrPassage = errors.New("aloud: no passage that can be said")
)

// Say says one sentence of a passage to somebody who is signed in.
func (a *Aloud) Say(ctx context.Context, who school.Person, q Asked) (Said, error) {
	switch {
	case who.ID == 0:
		return Said{}, access.ErrSignIn
	case a.voice == nil && !q.Own:
		return Said{}, aloud.ErrAway
	case len(q.Tokens) > mostTokens || q.Sentence < 0 || q.Token < 0 || len(q.Language) > 40:
		return Said{}, ErrPassage
	}
	for _, t := range q.Tokens {
		if !utf8.ValidString(t.Text) || strings.ContainsRune(t.Text, 0) || len(t.Text) > 4000 {
			return Said{}, ErrPassage
		}
	}
	out := Said{Language: q.Language}
	if out.Language == "" {
		out.Language = aloud.LanguageOf(q.Tokens)
	}
	sentences := aloud.Sentences(q.Tokens, out.Language)
	if len(sentences) == 0 {
		return Said{}, ErrSilent
	}
	for i, s := range sentences {
		if q.Token > 0 && s.From <= q.Token {
			q.Sentence = i
		}
	}
	if q.Sentence >= len(sentences) || utf8.RuneCountInString(sentences[q.Sentence].Text) > aloud.Most {
		return Said{}, ErrPassage
	}
	for _, s := range sentences {
		out.Sentences = append(out.Sentences, [2]int{s.From, s.To})
	}
	s := sentences[q.Sentence]
	out.Sentence = q.Sentence
	if q.Own {
		out.Text, out.At = s.Text, s.At
		return out, nil
	}
	key, words, err := a.voice.Say(ctx, s.Text, out.Language)
	if err != nil {
		return Said{}, err
	}
	out.Sound, out.Times = key, s.Times(words)
	return out, nil
}

// Sound opens what was said.
func (a *Aloud) Sound(_ context.Context, who school.Person, key string) (io.ReadSeekCloser, error) {
	if who.ID == 0 {
		return nil, access.ErrSignIn
	}
	if a.voice == nil {
		return nil, access.ErrHidden
	}
	f, err := a.voice.Open(key)
	if err != nil {
		return nil, access.ErrHidden
	}
	return f, nil
}
