// Package answer knows what a student answered in which blank, and when two
// answers say the same. It does not know where a blank lies.
package answer

import (
	"regexp"
	"slices"
	"strings"

	"golang.org/x/text/cases"
	"golang.org/x/text/unicode/norm"

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
				if text, ok := words(m); ok {
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

// words returns what a mark says in words: what was typed, chosen or ticked.
func words(m mark.Mark) (string, bool) {
	switch b := m.Body.(type) {
	case *mark.FreeText:
		return strings.TrimSpace(b.String()), true
	case *mark.Widget:
		return strings.Join(b.Values, "\n"), true
	case *mark.Stamp:
		return b.Name, true
	}
	return "", false
}

var (
	number = regexp.MustCompile(`^([-+]?)(\d+)(?:[.,](\d+))?\s*(.*)$`)
	spaces = regexp.MustCompile(`\s+`)
	fold   = cases.Fold()
)

// Normal returns the form in which answers that say the same are equal: in
// compatibility form (Unicode Standard Annex 15, NFKC) and without case, with
// single spaces, and with numbers written one way, whatever sign their
// language has before the decimals, before a unit or not.
func Normal(text string) string {
	s := strings.TrimSpace(spaces.ReplaceAllString(fold.String(norm.NFKC.String(text)), " "))
	s = strings.Map(func(r rune) rune {
		switch r {
		case '−', '–':
			return '-'
		case '’', '‘':
			return '\''
		}
		return r
	}, s)
	m := number.FindStringSubmatch(s)
	if m == nil || strings.ContainsAny(m[4], "0123456789") {
		return s // a date, a sum, a list of numbers
	}
	sign, whole, decimals, unit := strings.TrimPrefix(m[1], "+"), strings.TrimLeft(m[2], "0"), strings.TrimRight(m[3], "0"), m[4]
	if whole == "" {
		whole = "0"
	}
	if decimals != "" {
		whole += "." + decimals
	}
	if whole == "0" {
		sign = ""
	}
	return strings.TrimSpace(sign + whole + " " + unit)
}
