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
	Task   Task      // how it is answered by marks, "" for in words
	Count  int       // how many of these it asks for, 0 where it does not say
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
	var begins []int // rows
	for i, r := range rows {
		if r.asks() {
			first := r.words[0].Text
			text := strings.TrimSpace(strings.TrimPrefix(r.String(), first))
			out, begins = append(out, Question{Number: first, Text: text, Rect: r.box}), append(begins, i)
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
	for q := range out {
		if !slices.ContainsFunc(out[q].Blanks, func(i int) bool { return blanks[i].Kind != Room && blanks[i].Kind != Drawing }) {
			out[q].task(rows[begins[q]:], out[q+1:])
		}
	}
	return out
}

// task tells how the question is answered by marks; rows are the page's from
// its first one on, behind are the questions that follow.
func (q *Question) task(rows []row, behind []Question) {
	said, own := q.Text, 1
	for _, r := range rows[1:] {
		if own == 3 || r.asks() || r.baseline-rows[own-1].baseline > 1.6*r.size || strings.ContainsAny(said[max(0, len(said)-1):], ".:!?") {
			break
		}
		said, own = said+" "+r.String(), own+1
	}
	var each bool
	if q.Task, q.Count, each = TaskOf(said); !each {
		return
	}
	// For every line of what follows: its parts, or else its rows of print.
	lines, parts := 0, 0
	end := math.Inf(1)
	for _, o := range behind {
		if IsNumeral(o.Number) == IsNumeral(q.Number) {
			end = o.Rect.Min.Y
			break
		}
		parts++
	}
	last := q.Rect.Max.Y
	for _, r := range rows[own:] {
		if r.baseline > last+4 && r.baseline < end && r.baseline-last < 60 {
			lines, last = lines+1, r.baseline
		}
	}
	if parts > 1 {
		lines = parts
	}
	q.Count = lines * max(q.Count, 1)
}

// IsNumeral reports whether a question's number is one of a whole question's;
// letters number the parts.
func IsNumeral(number string) bool { return strings.ContainsAny(number, "0123456789") }
