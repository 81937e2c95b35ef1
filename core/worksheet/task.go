package worksheet

import (
	"readymargin/core/blank"
	"readymargin/core/mark"
	"readymargin/core/page"
)

// A Task says that a question is answered by marks on the page and not in
// words. It says how many there are to be, never which are right.
type Task struct {
	Kind  blank.Task `json:"k"`
	Count int        `json:"c,omitempty"` // that the sheet asks for; 0 where it does not say
	Drop  bool       `json:"d,omitempty"` // of options, what is crossed out is dropped and not taken
}

var taskKinds = map[blank.Task]bool{blank.Options: true, blank.Pairs: true, blank.Words: true, blank.Draw: true, blank.Colour: true}

func (t *Task) check() bool {
	return t == nil || taskKinds[t.Kind] && t.Count >= 0 && t.Count <= maxPlaces
}

// Done is how far a question is that is answered by marks.
type Done struct {
	Question int // its number on the page, from 0
	Marks    int // that count
	Touched  bool
	Written  bool // it has places of its own, which tell when they are empty
}

// Tasks returns how far each question of the page is that is answered by marks.
func (g Guide) Tasks(marks []mark.Mark) (out []Done) {
	at := map[int]int{}
	for q, ask := range g.Questions {
		if ask.Task != nil {
			at[q] = len(out)
			out = append(out, Done{Question: q})
		}
	}
	if len(out) == 0 {
		return nil
	}
	for i, q := range g.Of() {
		if n, ok := at[q]; ok && g.Blanks[i].Kind != blank.Room {
			out[n].Written = true
		}
	}
	for _, m := range marks {
		q := g.tasked(m)
		if q < 0 {
			continue
		}
		counts, touches := g.Questions[q].Task.counts(m)
		d := &out[at[q]]
		d.Touched = d.Touched || touches
		if counts {
			d.Marks++
		}
	}
	return out
}

// tasked returns the question that a mark answers: the last one above its
// middle that is answered by marks, unless another one of its rank begins
// between them. -1 for none.
func (g Guide) tasked(m mark.Mark) int {
	at, in := m.Body.Bounds().Center(), -1
	for q, ask := range g.Questions {
		switch {
		case ask.Rect[1] > at.Y || ask.Rect[0] > at.X+20 || in >= 0 && ask.Rect[1] < g.Questions[in].Rect[1]:
		case ask.Task != nil:
			in = q
		case in >= 0 && blank.IsNumeral(ask.Number) == blank.IsNumeral(g.Questions[in].Number):
			in = -1
		}
	}
	return in
}

// counts reports whether a mark is one of those that a task asks for, and
// whether it shows at all that somebody was at work.
func (t Task) counts(m mark.Mark) (counts, touches bool) {
	crossed := false
	switch b := m.Body.(type) {
	case *mark.Note, *mark.Reply:
		return false, false
	case *mark.FreeText:
		return false, t.Kind == blank.Draw
	case *mark.Widget:
		return t.Kind == blank.Options && len(b.Values) > 0, true
	case *mark.Line:
		return t.Kind != blank.Words || b.L[1] == b.L[3], true
	case *mark.StrikeOut:
		crossed = true
	case *mark.Stamp:
		crossed = b.Name == "cross"
	}
	return !(t.Kind == blank.Options && t.Drop && crossed), true
}

// Answering returns the marks that answer a question of the page by being there.
func (g Guide) Answering(q int, marks []mark.Mark) (out []mark.Mark) {
	t := g.Questions[q].Task
	if t == nil {
		return nil
	}
	for _, m := range marks {
		if g.tasked(m) != q {
			continue
		}
		if counts, _ := t.counts(m); counts {
			out = append(out, m)
		}
	}
	return out
}

// Patch returns the part of a page so large on which a question is asked and
// answered: as wide as what is asked on the page, from the question down to the
// next one, or to the end of its places.
func (g Guide) Patch(q int, size page.Point) page.Rect {
	const around, least, open, drawn = 10, 48, 160, 420 // points: beside what is asked; high at least; without places; where it is answered by marks
	ask := g.Questions[q]
	left, right := ask.Rect[0], ask.Rect[2]
	for _, other := range g.Questions {
		left, right = min(left, other.Rect[0]), max(right, other.Rect[2])
	}
	bottom := ask.Rect[3]
	for i, of := range g.Of() {
		left, right = min(left, g.Blanks[i].Rect[0]), max(right, g.Blanks[i].Rect[2])
		if of == q {
			bottom = max(bottom, g.Blanks[i].Rect[3])
		}
	}
	switch {
	case ask.Task != nil:
		bottom += drawn
	case bottom == ask.Rect[3]:
		bottom += open
	}
	bottom = max(bottom+around, ask.Rect[1]+least)
	for _, other := range g.Questions {
		if other.Rect[1] > ask.Rect[1]+1 {
			bottom = min(bottom, max(other.Rect[1]-2, ask.Rect[3]+2))
		}
	}
	return page.R(max(left-around, 0), max(ask.Rect[1]-around/2, 0), min(right+around, size.X), min(bottom, size.Y))
}
