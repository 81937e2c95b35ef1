// Package tagged lays out a page with all that is on it as readers aloud come to it (ISO
// 32000-2, 14.8): the printed words as headings, paragraphs, lists and tables, the
// pictures with what they show, the fields by name, and what was written and drawn where
// it stands among them.
package tagged

import (
	"cmp"
	"math"
	"slices"

	"readymargin/core/annotation"
	"readymargin/core/document"
	"readymargin/core/inwords"
	"readymargin/core/mark"
	"readymargin/core/page"
	"readymargin/core/words"
	"readymargin/core/worksheet"
)

// A Page is what there is to be laid out: the print with what is known of it, and what
// was laid on it. Of a page that was added there is only the latter.
type Page struct {
	Pieces []inwords.Piece
	Print  words.Page
	Guide  worksheet.Guide
	Laid   []Laid
}

// Sheet returns the pages of a file with nothing laid on them.
func Sheet(pages []document.Page) []Page {
	out := make([]Page, len(pages))
	for i, p := range pages {
		out[i] = Worded(p.TextLayer(), p.Guide(), page.Pt(p.Width, p.Height))
	}
	return out
}

// Worded returns a page in words, of a size in points, with nothing laid on it.
func Worded(print words.Page, guide worksheet.Guide, size page.Point) Page {
	return Page{Pieces: inwords.Of(print, guide, size), Print: print, Guide: guide}
}

// A Laid thing is a mark, or the sign of a note or a code, by its name.
type Laid struct {
	Name string
	At   page.Rect
	Mark *mark.Mark    // nil for a sign
	Role document.Role // RoleParagraph for a text, which is read as it stands, else RoleFigure or RoleAnnot; or "H1"
	Says string        // a figure that says nothing is not read
}

// Says returns a mark in words, and by whom it is: "Tick, by Simon Okonjo-Bell".
func Says(m mark.Mark, by string) string {
	a, ok := annotation.Of(m)
	if !ok || a.Contents == "" {
		return ""
	}
	says := a.Contents
	if meaning := m.Means(); meaning != "" {
		says = meaning + ", " + says
	}
	if by != "" {
		says += ", by " + by
	}
	return says
}

// unknown is said of pictures of which nobody has said what they show.
const unknown = "A picture without a description"

// Of lays pages out, one after the other.
func Of(pages []Page) []document.Tagged {
	out := make([]document.Tagged, len(pages))
	level := 0
	for i, p := range pages {
		out[i] = p.tagged(&level)
	}
	return out
}

// An arranger lays one page out.
type arranger struct {
	Page
	places map[int][]Laid // what stands in them, by their numbers
	level  *int           // of the heading before, 0 for none
	out    []document.Element
	ends   []int // of each piece, how many elements of the page there are behind it
}

func (p Page) tagged(level *int) document.Tagged {
	a := arranger{Page: p, places: map[int][]Laid{}, level: level}
	loose := a.answers()
	said := make([]bool, len(p.Print.Words))
	for _, piece := range p.Pieces {
		for _, b := range bits(piece) {
			for w := b.From; w < b.To; w++ {
				said[w] = true
			}
		}
		a.piece(piece)
		a.ends = append(a.ends, len(a.out))
	}
	a.beside(loose)
	out := document.Tagged{Elements: a.out}
	for i, w := range p.Print.Words {
		if !said[i] {
			out.Unread = append(out.Unread, w.Rect())
		}
	}
	return out
}

// answers finds what stands in places, and returns the rest from the top down.
func (a *arranger) answers() (loose []Laid) {
	laid := slices.Clone(a.Laid)
	slices.SortStableFunc(laid, func(x, y Laid) int {
		return cmp.Or(cmp.Compare(math.Floor(x.At.Min.Y), math.Floor(y.At.Min.Y)), cmp.Compare(x.At.Min.X, y.At.Min.X))
	})
	for _, l := range laid {
		if l.Role == document.RoleFigure && l.Says == "" {
			continue
		}
		if l.Mark != nil {
			if in := a.Guide.Answered(*l.Mark); len(in) > 0 {
				a.places[in[0]] = append(a.places[in[0]], l)
				continue
			}
		}
		loose = append(loose, l)
	}
	return loose
}

func bits(p inwords.Piece) (out []inwords.Bit) {
	out = p.Bits
	for _, row := range p.Rows {
		for _, cell := range row {
			out = slices.Concat(out, cell)
		}
	}
	return out
}

// piece adds a piece.
func (a *arranger) piece(p inwords.Piece) {
	switch p.Kind {
	case inwords.Heading:
		if len(p.Bits) > 0 { // what is not printed can't be tagged
			a.out = append(a.out, document.Element{Role: a.heading(p.Level), Kids: a.bits(p.Bits)})
		}
	case inwords.Item:
		body := a.bits(p.Bits)
		var label []document.Element
		if len(body) > 0 && len(body[0].Print) > 0 {
			first := &body[0]
			label = []document.Element{{Role: document.RoleLabel, Print: first.Print[:1]}}
			if first.Print = first.Print[1:]; len(first.Print) == 0 {
				body = body[1:]
			}
		}
		item := document.Element{Role: document.RoleItem, Kids: append(label, document.Element{Role: document.RoleBody, Kids: body})}
		if n := len(a.out); n > 0 && a.out[n-1].Role == document.RoleList {
			a.out[n-1].Kids = append(a.out[n-1].Kids, item)
			return
		}
		a.out = append(a.out, document.Element{Role: document.RoleList, Kids: []document.Element{item}})
	case inwords.Table:
		t := document.Element{Role: document.RoleTable}
		for y, row := range p.Rows {
			r := document.Element{Role: document.RoleRow}
			for _, cell := range row {
				role := document.RoleCell
				if y == 0 && p.Heads {
					role = document.RoleHead
				}
				r.Kids = append(r.Kids, document.Element{Role: role, Kids: a.bits(cell)})
			}
			t.Kids = append(t.Kids, r)
		}
		a.out = append(a.out, t)
	case inwords.Picture:
		a.out = append(a.out, document.Element{Role: document.RoleFigure, Box: p.Box.Rect(), Says: cmp.Or(p.Shows, unknown)})
	default:
		a.out = append(a.out, document.Element{Role: document.RoleParagraph, Kids: a.bits(p.Bits)})
	}
}

// heading is one no more than a level below the one before (ISO 14289-1, 7.4.2).
func (a *arranger) heading(level int) document.Role {
	*a.level = min(max(level, 1), *a.level+1, 6)
	return document.Role("H" + string(rune('0'+*a.level)))
}

// bits returns printed words, and places with what is in them.
func (a *arranger) bits(all []inwords.Bit) (out []document.Element) {
	for _, b := range all {
		if b.Place == 0 {
			e := document.Element{Role: document.RoleSpan}
			for _, w := range a.Print.Words[b.From:b.To] {
				w.Edges = nil
				if w.Text = inwords.Spoken(w.Text); w.Text != "" {
					e.Print = append(e.Print, w)
				}
			}
			out = append(out, e)
			continue
		}
		place := a.Guide.Blanks[b.Place-1]
		if place.Field != "" {
			out = append(out, document.Element{Role: document.RoleForm, Box: place.Rect.Rect(), Says: b.Name})
		}
		in := a.places[b.Place-1]
		slices.SortStableFunc(in, func(x, y Laid) int { return x.behind() - y.behind() })
		for _, l := range in {
			if l.Role == document.RoleParagraph {
				l.Role = document.RoleSpan
			}
			out = append(out, l.element())
		}
	}
	return out
}

// behind is 0 for what was answered in words, which is read before what stands at it.
func (l Laid) behind() int {
	if l.Role == document.RoleParagraph {
		return 0
	}
	return 1
}

func (l Laid) element() document.Element {
	return document.Element{Role: l.Role, Laid: l.Name, Says: l.Says, Box: l.At}
}

// beside puts what stands in no place behind the piece that it is nearest to.
func (a *arranger) beside(loose []Laid) {
	behind := make([][]document.Element, len(a.Pieces)+1) // by pieces, from 1
	for _, l := range loose {
		e := l.element()
		if l.Role == "H1" {
			e.Role = a.heading(1)
		}
		at := l.At.Center()
		best, near := 0, math.Inf(1)
		for i, p := range a.Pieces {
			if d := far(p.Box.Rect(), at); d < near {
				best, near = i+1, d
			}
		}
		if best > 0 && a.Pieces[best-1].Kind == inwords.Table && a.inCell(best-1, at, e) {
			continue
		}
		behind[best] = append(behind[best], e)
	}
	var out []document.Element
	from := 0
	for i, more := range behind {
		to := 0
		if i > 0 {
			to = a.ends[i-1]
		}
		out = append(append(out, a.out[from:to]...), more...)
		from = to
	}
	a.out = out
}

// far is how far a point is from a piece: one on the same lines is nearer than one
// beneath.
func far(r page.Rect, at page.Point) float64 {
	x, y := max(r.Min.X-at.X, at.X-r.Max.X, 0), max(r.Min.Y-at.Y, at.Y-r.Max.Y, 0)
	return x + 4*y + 0.001*(r.W()+r.H())
}

// inCell puts an element into the cell of a table in which it stands.
func (a *arranger) inCell(piece int, at page.Point, e document.Element) bool {
	table := &a.out[a.ends[piece]-1]
	for _, t := range a.Print.Tables {
		y, x, in := t.Cell(at)
		if in && worksheet.BoxOf(t.Rect()) == a.Pieces[piece].Box && y < len(table.Kids) && x < len(table.Kids[y].Kids) {
			cell := &table.Kids[y].Kids[x]
			cell.Kids = append(cell.Kids, e)
			return true
		}
	}
	return false
}
