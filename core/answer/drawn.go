package answer

import (
	"fmt"
	"slices"
	"strings"

	"readymargin/core/blank"
	"readymargin/core/mark"
	"readymargin/core/page"
	"readymargin/core/words"
	"readymargin/core/worksheet"
)

const (
	// reach is how far from a word a line may begin or end, and how far apart two
	// marks around the same picture may have their middles, in points.
	reach = 24
	// flat is how high a line drawn under words may be, in points.
	flat = 8
	// above is how far below a word's baseline a line under it may be, in points.
	above = 9
)

// Areas are places without words that the marks of a class point at: what two
// marks have within reach of each other is one. The zero value has none.
type Areas struct{ at []page.Point }

// name returns the name of the area at a place.
func (a *Areas) name(p page.Point) string {
	for i, q := range a.at {
		if p.Dist(q) <= reach {
			return fmt.Sprint("place ", i+1)
		}
	}
	a.at = append(a.at, p)
	return fmt.Sprint("place ", len(a.at))
}

// Drawn returns what the marks of a question that is answered by marks point at,
// in an order that does not depend on theirs: printed words, or places where
// there are none. For pairs it returns what is connected. For what is drawn or
// coloured there is nothing to compare: "drawn", or "" for nothing.
func Drawn(task worksheet.Task, marks []mark.Mark, print words.Page, areas *Areas) string {
	var out []string
	for _, m := range marks {
		switch task.Kind {
		case blank.Draw, blank.Colour:
			return "drawn"
		case blank.Pairs:
			if from, to, ok := ends(m); ok {
				pair := []string{near(from, print, areas), near(to, print, areas)}
				slices.Sort(pair)
				out = append(out, strings.Join(pair, " – "))
			}
		default:
			out = append(out, under(m, print, areas)...)
		}
	}
	slices.Sort(out)
	return strings.Join(slices.Compact(out), ", ")
}

// ends returns where a line begins and where it ends.
func ends(m mark.Mark) (from, to page.Point, ok bool) {
	switch b := m.Body.(type) {
	case *mark.Line:
		from, to = b.Ends()
		return from, to, true
	case *mark.PolyLine:
		n := len(b.Vertices)
		return page.Pt(b.Vertices[0][0], b.Vertices[0][1]), page.Pt(b.Vertices[n-1][0], b.Vertices[n-1][1]), true
	case *mark.Ink:
		first, last := b.InkList[0].Path, b.InkList[len(b.InkList)-1].Path
		return first[0], last[len(last)-1], true
	}
	return from, to, false
}

// near is the word within reach of a place, with what follows it closely, or
// the place's own name.
func near(p page.Point, print words.Page, areas *Areas) string {
	best, at := float64(reach), -1
	for i, w := range print.Words {
		if d := w.Rect().Distance(p); d < best {
			best, at = d, i
		}
	}
	if at < 0 {
		return areas.name(p)
	}
	return phrase(print.Words, at)
}

// phrase is a word with those that stand with it on its line, no further apart
// than the line is high.
func phrase(all []words.Word, at int) string {
	close := func(a, b words.Word) bool {
		return a.Line == b.Line && b.Box[0]-a.Box[2] < (a.Box[3]-a.Box[1])*0.6
	}
	from, to := at, at
	for from > 0 && close(all[from-1], all[from]) {
		from--
	}
	for to+1 < len(all) && close(all[to], all[to+1]) {
		to++
	}
	var out []string
	for _, w := range all[from : to+1] {
		out = append(out, w.Text)
	}
	return fold.String(strings.Join(out, " "))
}

// under returns the words that a mark is on or around, or the name of its place.
func under(m mark.Mark, print words.Page, areas *Areas) (out []string) {
	if h, ok := m.Body.(*mark.Highlight); ok && h.Text != "" {
		return spoken(strings.Fields(h.Text))
	}
	b := m.Body.Bounds()
	if b.H() < flat && b.W() > b.H() { // drawn under the words, or through them
		b.Min.Y -= above
	}
	for _, w := range print.Words {
		if b.Contains(w.Rect().Center()) || b.H() < 3*flat && b.Contains(page.Pt(w.Rect().Center().X, w.Baseline)) {
			out = append(out, w.Text)
		}
	}
	if len(out) == 0 {
		return []string{areas.name(m.Body.Bounds().Center())}
	}
	return spoken(out)
}

// spoken are words without the signs around them, and without case.
func spoken(all []string) []string {
	for i, w := range all {
		all[i] = fold.String(strings.Trim(w, ".,;:!?()\"'“”„«»"))
	}
	return all
}
