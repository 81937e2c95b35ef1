package answer

import (
	"slices"

	"readymargin/core/mark"
	"readymargin/core/page"
	"readymargin/core/words"
	"readymargin/core/worksheet"
)

// Marked are printed words and on how many copies of a class they were marked.
type Marked struct {
	Text     string          `json:"text"`
	Rects    []worksheet.Box `json:"rects"` // one a line
	Copies   int             `json:"copies"`
	Expected bool            `json:"expected"`
}

// Heat returns the words of a page that a question expects to be marked, run by
// run, and the other printed words within part that were marked, word by word,
// with how many copies mark each. What is marked has a middle that is washed over
// or underlined.
func Heat(ask worksheet.Question, number int, part page.Rect, print words.Page, copies [][]mark.Mark) (out []Marked) {
	washes := make([][]page.Quad, len(copies))
	for i, marks := range copies {
		for _, m := range marks {
			if m.Page == number {
				washes[i] = append(washes[i], washed(m)...)
			}
		}
	}
	add := func(one Marked, quads []page.Rect) {
		for _, all := range washes {
			if slices.ContainsFunc(quads, func(r page.Rect) bool {
				return slices.ContainsFunc(all, func(q page.Quad) bool { return q.Bounds().Contains(r.Center()) })
			}) {
				one.Copies++
			}
		}
		for _, r := range quads {
			one.Rects = append(one.Rects, worksheet.BoxOf(r))
		}
		if one.Expected || one.Copies > 0 {
			out = append(out, one)
		}
	}
	var expected []page.Rect
	for _, w := range ask.Words {
		var run []page.Rect
		for _, q := range (&mark.Highlight{QuadPoints: w.QuadPoints}).Quads() {
			run = append(run, q.Bounds())
		}
		expected = append(expected, run...)
		add(Marked{Text: w.Text, Expected: true}, run)
	}
	for _, w := range print.Words {
		middle := w.Rect().Center()
		if part.Contains(middle) && !slices.ContainsFunc(expected, func(r page.Rect) bool { return r.Contains(middle) }) {
			add(Marked{Text: w.Text}, []page.Rect{w.Rect()})
		}
	}
	return out
}

// washed returns what a mark washes over or underlines.
func washed(m mark.Mark) []page.Quad {
	switch b := m.Body.(type) {
	case *mark.Highlight:
		return b.Quads()
	case *mark.Underline:
		return b.Quads()
	}
	return nil
}

// Meanings counts marks by the meaning of the colour key that they carry, of a
// key's meanings in their order.
func Meanings(key []worksheet.Meaning, marks []mark.Mark) []int {
	out := make([]int, len(key))
	for _, m := range marks {
		if i := slices.IndexFunc(key, func(k worksheet.Meaning) bool { return k.Name == m.Means() }); i >= 0 {
			out[i]++
		}
	}
	return out
}
