// Package optical knows what is read in a picture of a page: words, with where they
// stand and how sure each of them is. It does not know how they are read.
package optical

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"unicode"
	"unicode/utf8"

	"readymargin/core/page"
	"readymargin/core/words"
)

// A Reader reads the words of a picture (PNG) of a page that stands upright, of so many
// pixels a point. Places are in points from its upper left corner, words in the order in
// which they are read; none where nothing stands on the page. The language is BCP 47, ""
// for whichever it is. What is no picture is ErrUnreadable, that the program is not there
// ErrAway, and that it broke or took too long over a page ErrFailed. opticaltest.Conform is what every one of them keeps.
type Reader interface {
	Read(ctx context.Context, picture []byte, scale float64, language string) ([]words.Word, error)
}

// What can be wrong.
var (
	ErrUnreadable = errors.New("optical: cannot be read as a picture")
	ErrAway       = errors.New("optical: the reader is not there")
	ErrFailed     = errors.New("optical: the reader failed over the page")
)

// Scale is how many pixels a point a page is read at: 300 to the inch, for which readers
// of print are made (common practice, no source).
const Scale = 300.0 / 72

// Unsure is below which a word that was read is to be looked at.
const Unsure = 0.7

// most bounds what is read on one page.
const most = 20_000

// Check says what is wrong with the words of a page of a size in points, or nil: what a
// reader answers is believed no more than any stranger.
func Check(ws []words.Word, size page.Point) error {
	if len(ws) > most {
		return fmt.Errorf("optical: %d words", len(ws))
	}
	line := 0
	within := func(v, most float64) bool { return v >= -1 && v <= most+1 }
	for i, w := range ws {
		switch {
		case w.Text == "" || utf8.RuneCountInString(w.Text) > 200 || strings.ContainsFunc(w.Text, func(r rune) bool { return unicode.IsSpace(r) || unicode.IsControl(r) }):
			return fmt.Errorf("optical: word %d is %q", i, w.Text)
		case !(w.Box[0] < w.Box[2] && w.Box[1] < w.Box[3]) || !within(w.Box[0], size.X) || !within(w.Box[2], size.X) || !within(w.Box[1], size.Y) || !within(w.Box[3], size.Y):
			return fmt.Errorf("optical: word %d stands at %v", i, w.Box)
		case len(w.Edges) != 2 && len(w.Edges) != utf8.RuneCountInString(w.Text)+1:
			return fmt.Errorf("optical: word %d has %d edges", i, len(w.Edges))
		case w.Line < line:
			return fmt.Errorf("optical: word %d is on line %d after line %d", i, w.Line, line)
		case !(w.Sure > 0 && w.Sure < 1): // 1 is what people put right
			return fmt.Errorf("optical: word %d is sure by %v", i, w.Sure)
		}
		line = w.Line
		for k := range w.Edges[1:] {
			if w.Edges[k+1] < w.Edges[k] {
				return fmt.Errorf("optical: the edges of word %d are %v", i, w.Edges)
			}
		}
	}
	return nil
}
