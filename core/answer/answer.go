// Package answer knows what a student answered in which blank, and when two
// answers say the same. It does not know where a blank lies.
package answer

import (
	"slices"
	"strings"

	"readymargin/core/mark"
	"readymargin/core/worksheet"
)

// An Answer is what stands in one blank.
type Answer struct {
	Blank    string // its ID
	Question string // the ID of the question that it belongs to, "" for none
	Text     string // as it was written; a line each for several marks
	Normal   string // Normal of that
	Drawn    bool   // something was drawn there, which has no words
}

// Of returns the answers that marks give on the pages of a sheet, in the order
// of the blanks. Blanks in which nothing stands have none.
func Of(pages []worksheet.Guide, marks []mark.Mark) (out []Answer) {
	for n, g := range pages {
		of, in := g.Of(), make([][]mark.Mark, len(g.Blanks))
		for _, m := range marks {
			if m.Page != n+1 {
				continue
			}
			for _, i := range g.Answered(m) {
				in[i] = append(in[i], m)
			}
		}
		for i := range in {
			slices.SortStableFunc(in[i], func(a, b mark.Mark) int {
				return int(a.Body.Bounds().Min.Y - b.Body.Bounds().Min.Y)
			})
			if slices.ContainsFunc(in[i], whole) {
				continue // a field's value is all of it
			}
			in[i] = append(in[i], goingOn(g.Blanks[i].ID, len(pages), marks)...)
		}
		for i, lines := range in {
			if g.Blanks[i].Holds != "" {
				continue // who wrote, not what
			}
			a := Answer{Blank: g.Blanks[i].ID}
			if of[i] >= 0 {
				a.Question = g.Questions[of[i]].ID
			}
			var texts []string
			for _, m := range lines {
				if text, ok := says(m); ok {
					texts = append(texts, text)
				} else {
					a.Drawn = true
				}
			}
			if a.Text = strings.Join(texts, "\n"); a.Text == "" && !a.Drawn {
				continue
			}
			a.Normal = Normal(a.Text)
			out = append(out, a)
		}
	}
	return out
}

// whole reports whether a mark says all that stands in a blank.
func whole(m mark.Mark) bool {
	_, field := m.Body.(*mark.Widget)
	return field
}

// goingOn returns what stands of an answer on pages that were added.
func goingOn(blank string, pages int, marks []mark.Mark) (out []mark.Mark) {
	for _, m := range marks {
		if m.Page > pages && m.Blank == blank && blank != "" {
			out = append(out, m)
		}
	}
	slices.SortStableFunc(out, func(a, b mark.Mark) int { return a.Page - b.Page })
	return out
}

// says returns what a mark says in words: what was typed, chosen or ticked.
func says(m mark.Mark) (string, bool) {
	switch b := m.Body.(type) {
	case *mark.FreeText:
		return strings.TrimSpace(written(b)), true
	case *mark.Widget:
		return strings.Join(b.Values, "\n"), true
	case *mark.Stamp:
		return b.Name, true
	case *mark.Picture:
		return b.Words, b.Words != ""
	}
	return "", false
}

// written is a text with what is raised or lowered in it written as such: 10 to
// the second is not one hundred and two.
func written(t *mark.FreeText) string {
	plain := *t
	plain.Lines = make([]mark.TextLine, len(t.Lines))
	for i, l := range t.Lines {
		plain.Lines[i] = l
		plain.Lines[i].Runs = make([]mark.Run, len(l.Runs))
		for k, r := range l.Runs {
			switch {
			case r.Shift > 0:
				r.Text = "^" + r.Text
			case r.Shift < 0:
				r.Text = "_" + r.Text
			}
			plain.Lines[i].Runs[k] = r
		}
	}
	return plain.String()
}
