package worksheet

import (
	"cmp"
	"strconv"
	"strings"

	"readymargin/core/blank"
	"readymargin/core/mark"
	"readymargin/core/page"
)

// Empty returns those of the places in which nothing stands, by their numbers:
// none of the marks on the page begins there or has its middle there. Of tick
// boxes that belong together the first is named, where none of them is ticked.
// Mere room is never empty, and a wash or a note is no answer.
func (g Guide) Empty(marks []mark.Mark) (empty []int) {
	of := g.Of()
	group := func(i int) string {
		p := g.Blanks[i]
		if p.Kind != blank.Tick {
			return ""
		}
		if p.One {
			return "field " + p.Field
		}
		return "question " + strconv.Itoa(of[i])
	}
	ticked := map[string]bool{}
	answered := make([]bool, len(g.Blanks))
	for i := range g.Blanks {
		for _, m := range marks {
			if g.Answers(m, i) {
				answered[i] = true
				ticked[group(i)] = true
			}
		}
	}
	named := map[string]bool{}
	for i, p := range g.Blanks {
		if answered[i] || p.Kind == blank.Room || p.Kind == blank.Choice && p.Field == "" {
			continue
		}
		if k := group(i); k != "" {
			if ticked[k] || named[k] {
				continue
			}
			named[k] = true
		}
		empty = append(empty, i)
	}
	return empty
}

// Answers reports whether a mark answers the blank with number i: it was
// written in it, or, where it names no blank that is still there, it stands in
// it or begins there.
func (g Guide) Answers(m mark.Mark, i int) bool {
	for k, b := range g.Blanks {
		if m.Blank != "" && b.ID == m.Blank {
			return k == i
		}
	}
	return g.Blanks[i].holds(m)
}

// BlankOf returns the ID of the blank that a mark stands in, the smallest of
// several; "" when it stands in none.
func (g Guide) BlankOf(m mark.Mark) string {
	var in *Blank
	for i := range g.Blanks {
		b := &g.Blanks[i]
		if b.holds(m) && (in == nil || area(b.Rect) < area(in.Rect)) {
			in = b
		}
	}
	if in == nil {
		return ""
	}
	return in.ID
}

// holds reports whether a mark stands in the blank, or begins there.
func (p Blank) holds(m mark.Mark) bool {
	in := p.Rect.Rect().Grow(5)
	switch b := m.Body.(type) {
	case *mark.Note, *mark.Reply, *mark.Highlight, *mark.Underline, *mark.StrikeOut:
		return false
	case *mark.FreeText:
		return in.Contains(page.Pt(b.X+1, b.Y-2)) || in.Contains(b.Bounds().Center())
	case *mark.Widget:
		return Box(b.Rect).Rect().Center().Dist(p.Rect.Rect().Center()) < 3
	}
	return in.Contains(m.Body.Bounds().Center())
}

// Asked returns what a place is called when somebody is to be led to it: its
// question's number, or "", and its label, which does not say the number again.
func (g Guide) Asked(i int) (question, label string) {
	p := g.Blanks[i]
	if q := g.Of()[i]; q >= 0 {
		question, label = g.Questions[q].Number, g.Questions[q].Text
	}
	label = cmp.Or(p.Label, label)
	return question, strings.TrimSpace(strings.TrimPrefix(label, question))
}
