// Package dictate has written down what people say to the sheet that they work on.
package dictate

import (
	"context"
	"encoding/json"
	"errors"
	"strings"
	"time"

	"readymargin/core/access"
	"readymargin/core/aloud"
	"readymargin/core/dictation"
	"readymargin/core/speech"
	"readymargin/core/submission"
	"readymargin/core/words"
	"readymargin/core/worksheet"
	"readymargin/school"
	"readymargin/school/shelf"
)

// A Store keeps what is printed on sheets.
type Store interface {
	TextLayers(ctx context.Context, file string) ([]string, error) // of each page, as JSON of words.Page
}

// A Dictation has words written down.
type Dictation struct {
	store      Store
	gate       *school.Gate
	revisions  *shelf.Revisions
	recogniser speech.Recogniser // nil for none
}

// New returns one; without a recogniser nothing is written down.
func New(store Store, gate *school.Gate, revisions *shelf.Revisions, recogniser speech.Recogniser) *Dictation {
	return &Dictation{store, gate, revisions, recogniser}
}

// Longest is how long somebody dictates at a time.
const Longest = 2 * time.Minute

// ErrLong says that a passage is longer than Longest.
var ErrLong = errors.New("dictate: too long")

// Write writes down what somebody says while they work in a layer of a copy. The sound is
// kept nowhere.
func (d *Dictation) Write(ctx context.Context, who school.Person, id uint64, layer submission.Layer, sound []byte, mediaType string) ([]dictation.Piece, error) {
	c, err := d.gate.Copy(ctx, who, id, access.WriteLayer, layer)
	if err != nil {
		return nil, err
	}
	if d.recogniser == nil {
		return nil, speech.ErrAway
	}
	issued, err := d.revisions.Revised(ctx, c.Revision)
	if err != nil {
		return nil, err
	}
	layers, err := d.store.TextLayers(ctx, c.Revision.FileHash)
	if err != nil {
		return nil, err
	}
	asked := speech.Sound{Data: sound, Type: mediaType, Language: worksheet.Language(issued.Guides), Answers: expected(issued.Guides)}
	for _, l := range layers {
		var p words.Page
		if l == "" {
			continue
		}
		if err := json.Unmarshal([]byte(l), &p); err != nil {
			return nil, err
		}
		asked.Printed = append(asked.Printed, Passages(p)...)
	}
	heard, err := d.recogniser.Recognise(ctx, asked)
	if err == nil {
		err = speech.Check(heard, Longest)
	}
	if err != nil {
		return nil, err
	}
	if n := len(heard); n > 0 && heard[n-1].To > int(Longest.Milliseconds()) {
		return nil, ErrLong
	}
	if short, _, _ := strings.Cut(asked.Language, "-"); short != "" && short != "en" {
		return plain(heard), nil // how numbers are said there is not known
	}
	return dictation.NewWriter(asked.Printed).Write(heard), nil
}

// plain writes words as they were heard.
func plain(heard []speech.Word) (out []dictation.Piece) {
	for _, w := range heard {
		out = append(out, dictation.Piece{Text: w.Text, Unsure: w.Certainty < speech.Unsure, Others: w.Others})
	}
	return out
}

// Passages returns what is printed on a page, sentence by sentence.
func Passages(p words.Page) (out []string) {
	var tokens []aloud.Token
	for _, w := range p.Words {
		tokens = append(tokens, aloud.Token{Text: w.Text})
	}
	for _, s := range aloud.Sentences(tokens, "en") {
		var all []string
		for _, t := range tokens[s.From:s.To] {
			all = append(all, t.Text)
		}
		out = append(out, strings.Join(all, " "))
	}
	return out
}

// expected returns what the teacher expects in blanks.
func expected(guides []worksheet.Guide) (out []string) {
	for _, g := range guides {
		for _, b := range g.Blanks {
			if e := b.Expected; e != nil {
				out = append(out, e.Words...)
				if e.Number != "" {
					out = append(out, strings.TrimSpace(e.Number+" "+e.Unit))
				}
			}
		}
	}
	return out
}
