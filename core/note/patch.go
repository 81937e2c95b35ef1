package note

import (
	"readymargin/core/mark"
	"readymargin/core/page"
)

// Around is how much of a page, above and below its place and over the whole width,
// goes to the teachers with a question that is asked before the copy is submitted;
// in points.
const Around = 110

// Patch returns what of a student's work stands on the patch of a page around a
// place: all that reaches into it, the page itself where the student has added it,
// and no other note.
func Patch(work []mark.Mark, number int, at page.Point) (out []mark.Mark) {
	for _, m := range work {
		if m.Page != number {
			continue
		}
		switch m.Body.(type) {
		case *mark.Note, *mark.Reply:
			continue
		case *mark.Paper:
			out = append(out, m)
			continue
		}
		if b := m.Body.Bounds(); b.Max.Y >= at.Y-Around && b.Min.Y <= at.Y+Around {
			out = append(out, m)
		}
	}
	return out
}
