// Package dictate has written down what people say to the sheet that they work on.
package dictate

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"strings"
	"time"

	"readymargin/core/access"
	"readymargin/core/aloud"
	"readymargin/core/dictation"
	"readymargin/core/mark"
	"readymargin/core/recording"
	"readymargin/core/speech"
	"readymargin/core/submission"
	"readymargin/core/words"
	"readymargin/core/worksheet"
	"readymargin/school"
	"readymargin/school/shelf"
	"readymargin/school/work"
)

// A Store keeps what is printed on sheets, and what was heard in recordings.
type Store interface {
	school.BlobReader
	CopyInCourse(ctx context.Context, id, asker uint64) (school.CopyInCourse, error)
	// AskTranscript returns what is heard in a recording, and has it written down where
	// nobody asked for that yet.
	AskTranscript(ctx context.Context, copyID uint64, sound string, now time.Time) (school.Transcript, error)
	Transcript(ctx context.Context, id uint64) (school.Transcript, error)
	SetTranscript(ctx context.Context, id uint64, text, problem string) error
	DropTranscript(ctx context.Context, id uint64) error
	TextLayers(ctx context.Context, file string) ([]string, error) // of each page, as JSON of words.Page
}

// A Dictation has words written down.
type Dictation struct {
	store       Store
	gate        *school.Gate
	revisions   *shelf.Revisions
	attachments *work.Attachments
	recogniser  speech.Recogniser // nil for none
	now         school.Clock
	wake        func() // whoever writes down what is asked for
}

// New returns one; without a recogniser nothing is written down.
func New(store Store, gate *school.Gate, revisions *shelf.Revisions, attachments *work.Attachments, recogniser speech.Recogniser, now school.Clock, wake func()) *Dictation {
	return &Dictation{store, gate, revisions, attachments, recogniser, now, wake}
}

// Longest is how long somebody dictates at a time.
const Longest = 2 * time.Minute

// patience is how long somebody waits for what they have dictated.
const patience = 2 * time.Minute

// ErrLong says that a passage is longer than Longest.
var ErrLong = errors.New("dictate: too long")

// Write writes down what somebody says while they work in a layer of a copy. The sound is
// kept nowhere.
func (d *Dictation) Write(ctx context.Context, who school.Person, id uint64, layer submission.Layer, sound []byte, mediaType string) ([]dictation.Piece, error) {
	c, err := d.gate.Copy(ctx, who, id, access.WriteLayer, layer)
	if err != nil {
		return nil, err
	}
	limited, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	out, err := d.write(limited, c.Revision, speech.Sound{Data: sound, Type: mediaType}, Longest)
	if ctx.Err() == nil && limited.Err() != nil {
		err = speech.ErrAway
	}
	return out, err
}

// Words returns what is said in a recording of a copy, to be looked over by who keeps it:
// what is not certain stands in brackets. It is written down behind the request; until
// that is done it says so, and is to be asked again. Without a recogniser there is none.
func (d *Dictation) Words(ctx context.Context, who school.Person, id uint64, hash string) (text string, done bool, err error) {
	if d.recogniser == nil {
		return "", false, access.ErrHidden
	}
	e, err := d.attachments.Attachment(ctx, who, id, hash)
	if err != nil {
		return "", false, err
	}
	if e.Close(); e.Type != recording.MediaType {
		return "", false, access.ErrHidden
	}
	t, err := d.store.AskTranscript(ctx, id, strings.ToLower(hash), d.now())
	if err != nil {
		return "", false, err
	}
	if !t.Done {
		d.wake()
		return "", false, nil
	}
	if t.Problem == "" {
		return t.Text, true, nil
	}
	if err := d.store.DropTranscript(ctx, t.ID); err != nil { // who asks again has it tried again
		return "", false, err
	}
	return "", false, problems[t.Problem]
}

// problems are what a recording that was not written down is kept with.
var problems = map[string]error{"unreadable": speech.ErrUnreadable, "language": speech.ErrLanguage, "away": speech.ErrAway, "long": ErrLong}

// Transcribe writes down what is said in a recording that somebody asked for.
func (d *Dictation) Transcribe(ctx context.Context, ref uint64) error {
	t, err := d.store.Transcript(ctx, ref)
	if err != nil || t.Done {
		return err
	}
	c, err := d.store.CopyInCourse(ctx, t.CopyID, 0)
	if err != nil {
		return err
	}
	sound, err := d.store.Blob(ctx, t.Sound)
	if err != nil {
		return err
	}
	pieces, err := d.write(ctx, c.Revision, speech.Sound{Data: sound, Type: recording.MediaType}, mark.MaxVoice*time.Millisecond)
	if err == nil {
		return d.store.SetTranscript(ctx, ref, dictation.Marked(pieces), "")
	}
	for name, e := range problems {
		if errors.Is(err, e) {
			slog.Warn("a recording is not written down", "copy", t.CopyID, "error", err)
			return d.store.SetTranscript(ctx, ref, "", name)
		}
	}
	return err
}

// write writes down what is said about a sheet, in no more than some time.
func (d *Dictation) write(ctx context.Context, r school.Revised, sound speech.Sound, most time.Duration) ([]dictation.Piece, error) {
	if d.recogniser == nil {
		return nil, speech.ErrAway
	}
	issued, err := d.revisions.Revised(ctx, r)
	if err != nil {
		return nil, err
	}
	layers, err := d.store.TextLayers(ctx, r.FileHash)
	if err != nil {
		return nil, err
	}
	sound.Language, sound.Answers = worksheet.Language(issued.Guides), expected(issued.Guides)
	for _, l := range layers {
		var p words.Page
		if l == "" {
			continue
		}
		if err := json.Unmarshal([]byte(l), &p); err != nil {
			return nil, err
		}
		sound.Printed = append(sound.Printed, Passages(p)...)
	}
	heard, err := d.recogniser.Recognise(ctx, sound)
	if err != nil {
		return nil, err
	}
	if n := len(heard); n > 0 && heard[n-1].To > int(most.Milliseconds()) {
		return nil, ErrLong
	}
	if err := speech.Check(heard, most); err != nil {
		return nil, fmt.Errorf("%w: %v", speech.ErrAway, err)
	}
	if short, _, _ := strings.Cut(sound.Language, "-"); short != "" && short != "en" {
		return plain(heard), nil // how numbers are said there is not known
	}
	return dictation.NewWriter(sound.Printed).Write(heard), nil
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
