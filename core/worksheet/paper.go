package worksheet

import (
	"fmt"
	"slices"

	"readymargin/core/blank"
	"readymargin/core/mark"
	"readymargin/core/page"
	"readymargin/core/words"
)

// Papers returns the pages that were added to a copy, in their order. Of
// several with one number, as two devices may add them without a line, the
// first is the page, and what stands on either stands on it.
func Papers(ms []mark.Mark) (out []mark.Mark) {
	for _, m := range ms {
		if _, ok := m.Body.(*mark.Paper); ok {
			out = append(out, m)
		}
	}
	slices.SortFunc(out, func(a, b mark.Mark) int {
		if a.Page != b.Page {
			return a.Page - b.Page
		}
		if a.ID < b.ID {
			return -1
		}
		return 1
	})
	return slices.CompactFunc(out, func(a, b mark.Mark) bool { return a.Page == b.Page })
}

// onPaper is how large the letters of what is written on ruled paper are.
const onPaper = 13

// PaperGuide returns what a page that was added has to be worked on: where it
// is ruled, one place for each that goes on there, or else one from the first
// rule to the last.
func PaperGuide(m mark.Mark) Guide {
	g := Guide{Blanks: []Blank{}, Questions: []Question{}}
	p, ok := m.Body.(*mark.Paper)
	if !ok || p.Ruling != "ruled" {
		return g
	}
	lines := func(id, label string, from, to int) {
		g.Blanks = append(g.Blanks, Blank{ID: id, Kind: blank.Lines, Label: label, Size: onPaper, Step: mark.PaperStep,
			Rect:     Box{mark.PaperLeft, p.Rule(from) - mark.PaperStep, mark.PaperRight, p.Rule(to) + 2},
			Baseline: p.Rule(from) - words.OnRule})
	}
	for i, on := range p.GoesOn {
		lines(on.Blank, on.Title, i*mark.RowsGoingOn+1, (i+1)*mark.RowsGoingOn-1)
	}
	if len(p.GoesOn) == 0 {
		lines(m.ID, p.Title, 0, mark.PaperRows-1)
	}
	return g
}

// A Sign leads from a page to another: from a place that was full to where it
// goes on and back, and from a question to a page that was added for it.
type Sign struct {
	Page int        `json:"page"`
	At   [2]float64 `json:"at"` // of its first letter, on the baseline
	Text string     `json:"text"`
	To   int        `json:"to"` // the number of the page that it leads to
}

// Mark returns the sign as it is printed.
func (s Sign) Mark(id string) mark.Mark {
	return mark.Mark{ID: id, Page: s.Page, Body: &mark.FreeText{X: s.At[0], Y: s.At[1], Width: 36,
		Lines: []mark.TextLine{{Runs: []mark.Run{{Text: s.Text, Size: 8, Color: "#2f6f9f"}}}}}}
}

// Signs returns the signs that lead to the pages which were added and back.
// Pages has what is to be worked on on the pages of the sheet.
func Signs(pages []Guide, ms []mark.Mark) (out []Sign) {
	both := func(at page.Point, from, to int, back page.Point, called int) {
		out = append(out, Sign{from, [2]float64{page.Round(at.X), page.Round(at.Y)}, fmt.Sprintf("→ page %d", called), to},
			Sign{to, [2]float64{page.Round(back.X), page.Round(back.Y)}, fmt.Sprintf("← page %d", from), from})
	}
	const wide = 38 // points that a sign takes
	for i, m := range Papers(ms) {
		p, called := m.Body.(*mark.Paper), len(pages)+i+1
		for n, g := range pages {
			for _, q := range g.Questions {
				if p.Question != "" && q.ID == p.Question {
					both(page.Pt(max(q.Rect[0]-wide, 4), q.Rect[1]+10), n+1, m.Page, page.Pt(mark.PaperRight-wide, 56), called)
				}
			}
			for _, b := range g.Blanks {
				for k, on := range p.GoesOn {
					if on.Blank != b.ID {
						continue
					}
					at := page.Pt(b.Rect[2]+3, b.Rect[3]-2)
					if b.Rect[2] > mark.PaperWidth-wide {
						at = page.Pt(b.Rect[2]-wide, b.Rect[3]+7)
					}
					both(at, n+1, m.Page, page.Pt(mark.PaperRight-wide, p.Rule(k*mark.RowsGoingOn)-6), called)
				}
			}
		}
	}
	return out
}
