package blank

import (
	"cmp"
	"math"
	"slices"
	"strings"

	"readymargin/core/page"
)

// A Question is what a sheet asks under one number, with the blanks that
// belong to it.
type Question struct {
	Number string    // as it is printed: 1. or b) or (iv)
	Text   string    // its first line
	Rect   page.Rect // of the first line
	Blanks []int     // indexes of its blanks, in reading order
}

// Questions returns the questions of a page by their numbering, each with the
// blanks from its line on to the next question's.
func Questions(p Page, blanks []Blank) []Question {
	rows := textOf(p.Words)
	slices.SortStableFunc(rows, func(a, b row) int {
		if d := a.baseline - b.baseline; math.Abs(d) > 3 {
			return cmp.Compare(d, 0)
		}
		return cmp.Compare(a.box.Min.X, b.box.Min.X)
	})
	var out []Question
	for _, r := range rows {
		if r.asks() {
			first := r.words[0].Text
			text := strings.TrimSpace(strings.TrimPrefix(r.String(), first))
			out = append(out, Question{Number: first, Text: text, Rect: r.box})
		}
	}
	for i, b := range blanks {
		for q := len(out) - 1; q >= 0; q-- {
			if out[q].Rect.Min.Y <= b.Baseline && out[q].Rect.Min.X <= b.Rect.Max.X {
				out[q].Blanks = append(out[q].Blanks, i)
				break
			}
		}
	}
	return out
}
