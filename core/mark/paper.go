package mark

import (
	"math"
	"slices"
	"unicode/utf8"

	"readymargin/core/page"
)

// Paper is a page that a student added to the copy, behind those of the sheet.
// The mark's Page is the number of the page itself.
type Paper struct {
	Ruling   string   `json:"ruling,omitempty"`   // one of Rulings
	Question string   `json:"question,omitempty"` // the ID of the question that it is for, if any
	Title    string   `json:"title,omitempty"`    // what stands at its head
	GoesOn   []GoesOn `json:"goesOn,omitempty"`   // what goes on here from full places, from the top
}

// GoesOn is the part of a ruled page on which a place goes on that was full.
type GoesOn struct {
	Blank string `json:"blank"` // the ID of the place
	Title string `json:"title"` // what stands over it: the question's number, and where it comes from
}

// Rulings are the kinds of paper there are.
var Rulings = []string{"", "ruled", "squared"}

// Measures of a page that was added, in points: A4 (ISO 216), ruled from Top
// on in rows of a Step, squared in squares of five millimetres.
const (
	PaperWidth, PaperHeight = 595.28, 841.89
	PaperLeft, PaperRight   = 56, 540
	PaperTop, PaperStep     = 84, 26
	PaperRows               = 27
	PaperSquare             = 5 / 25.4 * 72

	// RowsGoingOn is the number of rows that a place gets which goes on here:
	// one for what stands over it, the others ruled.
	RowsGoingOn = 9
	// MostGoingOn is how many places go on on one page.
	MostGoingOn = PaperRows / RowsGoingOn
	// MostPapers is how many pages can be added to a copy.
	MostPapers = 40
)

// Rule returns the height of a row's rule, counted from 0.
func (*Paper) Rule(row int) float64 { return PaperTop + PaperStep*float64(row) }

func (*Paper) Kind() string               { return "paper" }
func (p *Paper) accept(m Mark, v Visitor) { v.Paper(m, p) }

// Bounds are those of the page.
func (*Paper) Bounds() page.Rect { return page.R(0, 0, PaperWidth, PaperHeight) }

// A page stays what it is: it is never moved, stretched, turned or restyled.
func (p *Paper) Moved(page.Point) Body           { return p }
func (p *Paper) Fitted(from, to page.Rect) Body  { return p }
func (p *Paper) Turned(page.Point, float64) Body { return p }
func (p *Paper) Restyled(Style) Body             { return p }

// Distance is that of what is never meant by a press.
func (*Paper) Distance(page.Point) float64 { return math.Inf(1) }

func (p *Paper) check() error {
	switch {
	case !slices.Contains(Rulings, p.Ruling):
		return invalid("paper %q", p.Ruling)
	case p.Question != "" && !ValidID(p.Question):
		return invalid("a page for question %q", p.Question)
	case utf8.RuneCountInString(p.Title) > 100:
		return invalid("a title of %d letters", utf8.RuneCountInString(p.Title))
	case len(p.GoesOn) > MostGoingOn:
		return invalid("%d places that go on", len(p.GoesOn))
	}
	for _, g := range p.GoesOn {
		if !ValidID(g.Blank) || utf8.RuneCountInString(g.Title) > 100 || textOK(g.Title) != nil {
			return invalid("place %q, %q, goes on", g.Blank, g.Title)
		}
	}
	return textOK(p.Title)
}
