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
// Mere room is never empty, nor is a place for one's name; a wash or a note is
// no answer.
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
	for _, m := range marks {
		for _, i := range g.Answered(m) {
			answered[i] = true
			ticked[group(i)] = true
		}
	}
	named := map[string]bool{}
	for i, p := range g.Blanks {
		if answered[i] || p.Holds != "" || p.Kind == blank.Room || p.Kind == blank.Choice && p.Field == "" {
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

// Filled returns how many of the places of the page that are written in or ticked
// have something, and how many there are; see Empty.
func (g Guide) Filled(marks []mark.Mark) (filled, of int) {
	written := func(empty []int) (n int) {
		for _, i := range empty {
			switch g.Blanks[i].Kind {
			case blank.Drawing, blank.Shade, blank.Choice:
			default:
				n++
			}
		}
		return n
	}
	of = written(g.Empty(nil))
	return of - written(g.Empty(marks)), of
}

// Nameless returns the marks on pages without those that say who somebody is: what
// stands in places for a name or a class.
func Nameless(pages []Guide, marks []mark.Mark) (out []mark.Mark) {
	for _, m := range marks {
		says := false
		for n, g := range pages {
			for _, i := range g.Answered(m) {
				held := g.Blanks[i].Holds == blank.Name || g.Blanks[i].Holds == blank.Class
				says = says || held && (m.Page == n+1 || m.Blank != "" && m.Blank == g.Blanks[i].ID)
			}
		}
		if !says {
			out = append(out, m)
		}
	}
	return out
}

// Answered returns the numbers of the blanks that a mark answers: the one that
// it was written in, or, where it names none that is still there, those in
// which it stands or begins. A wash or a note answers none.
func (g Guide) Answered(m mark.Mark) (all []int) {
	for i, b := range g.Blanks {
		if m.Blank != "" && b.ID == m.Blank {
			return []int{i}
		}
	}
	var at []page.Point
	switch b := m.Body.(type) {
	case *mark.Note, *mark.Reply, *mark.Highlight, *mark.Underline, *mark.StrikeOut:
		return nil
	case *mark.FreeText:
		at = []page.Point{page.Pt(b.X+1, b.Y-2), b.Bounds().Center()}
	case *mark.Widget:
		at = []page.Point{Box(b.Rect).Rect().Center()}
	default:
		at = []page.Point{m.Body.Bounds().Center()}
	}
	_, field := m.Body.(*mark.Widget)
	for i, b := range g.Blanks {
		in := b.Rect.Rect()
		for _, p := range at {
			if field && p.Dist(in.Center()) < 3 || !field && in.Grow(5).Contains(p) {
				all = append(all, i)
				break
			}
		}
	}
	return all
}

// Near returns the number of the blank that is meant by a press at p: the
// smallest that p is in, or else the nearest within reach unless something
// else is nearer; -1 for none. Other tells how far the nearest of what is no
// blank is, what lies in a given place left out. Mere room is meant only from
// within, and what is not written into is never meant.
func (g Guide) Near(p page.Point, reach float64, other func(but page.Rect) float64) int {
	in, near := -1, -1
	for i, b := range g.Blanks {
		r := b.Rect.Rect()
		switch d := r.Distance(p); {
		case b.Kind == blank.Drawing || b.Kind == blank.Shade || b.Kind == blank.Choice && b.Field == "":
		case r.Contains(p):
			if in < 0 || area(b.Rect) < area(g.Blanks[in].Rect) {
				in = i
			}
		case b.Kind != blank.Room && d < reach && d <= other(r):
			near, reach = i, d
		}
	}
	if in < 0 || near >= 0 && g.Blanks[in].Kind == blank.Room {
		return near
	}
	return in
}

// BlankOf returns the ID of the blank that a mark stands in, the smallest of
// several; "" when it stands in none.
func (g Guide) BlankOf(m mark.Mark) string {
	m.Blank = ""
	var in *Blank
	for _, i := range g.Answered(m) {
		if b := &g.Blanks[i]; in == nil || area(b.Rect) < area(in.Rect) {
			in = b
		}
	}
	if in == nil {
		return ""
	}
	return in.ID
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
