// Package speech knows what a recogniser hears in a sound: words, with their times and
// how certain each is. It does not know how they are found.
package speech

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"
)

// A Word is one that was said.
type Word struct {
	Text      string  `json:"text"`
	From      int     `json:"from"`      // milliseconds from the beginning of the sound
	To        int     `json:"to"`        // the same
	Certainty float64 `json:"certainty"` // from 0, a guess, to 1
	// What may have been said instead, the likeliest first.
	Others []string `json:"others,omitempty"`
}

// A Sound is what somebody said, with what is known of it.
type Sound struct {
	Data     []byte
	Type     string   // media type
	Language string   // BCP 47, "" for whichever it is
	Printed  []string // passages of the sheet that it is about
	Answers  []string // what is expected there
}

// A Recogniser writes down what is said in a sound; words come in the order of their
// times, none where nothing is said. What it cannot read as a sound is ErrUnreadable, a
// language that it does not know ErrLanguage, and that it cannot be reached ErrAway.
// speechtest.Conform is what every one of them keeps.
type Recogniser interface {
	Recognise(ctx context.Context, sound Sound) ([]Word, error)
}

// What can be wrong.
var (
	ErrUnreadable = errors.New("speech: cannot be read as a sound")
	ErrAway       = errors.New("speech: the recogniser cannot be reached")
	ErrLanguage   = errors.New("speech: the recogniser does not know this language")
)

// Unsure is below which certainty a word is to be looked at.
const Unsure = 0.6

// Check says what is wrong with the words of a sound that lasts so long, or nil: what a
// recogniser answers is believed no more than any stranger.
func Check(words []Word, lasts time.Duration) error {
	before := 0
	for i, w := range words {
		switch {
		case w.Text == "" || strings.ContainsFunc(w.Text, func(r rune) bool { return r < ' ' }) || len(w.Text) > 200:
			return fmt.Errorf("speech: word %d is %q", i, w.Text)
		case w.From < before || w.To < w.From || w.To > int(lasts.Milliseconds())+1000:
			return fmt.Errorf("speech: word %d from %d to %d ms", i, w.From, w.To)
		case !(w.Certainty >= 0 && w.Certainty <= 1):
			return fmt.Errorf("speech: word %d is certain by %v", i, w.Certainty)
		case len(w.Others) > 10 || slices.ContainsFunc(w.Others, func(o string) bool { return o == "" || len(o) > 200 }):
			return fmt.Errorf("speech: instead of word %d %q", i, w.Others)
		}
		before = w.From
	}
	return nil
}

// Wrong returns how many words have to be changed, left out or added for what was heard
// to be what was said: the numerator of the word error rate.
func Wrong(said, heard []string) int {
	row := make([]int, len(heard)+1)
	for j := range row {
		row[j] = j
	}
	for i, x := range said {
		corner := row[0]
		row[0] = i + 1
		for j, y := range heard {
			next := corner
			if x != y {
				next = 1 + min(corner, row[j], row[j+1])
			}
			corner, row[j+1] = row[j+1], next
		}
	}
	return row[len(heard)]
}
