// Package worksheet knows which pages make a worksheet: in which order, turned how,
// what becomes of those that students do not get, and what stands on each for
// the work: blanks, questions, directions. Nothing is taken out of what the
// teacher brought in; a page that is left out only says so.
package worksheet

import (
	"encoding/json"
	"errors"

	"readymargin/core/heldback"
	"readymargin/core/mark"
)

// A Use is what becomes of a page.
type Use string

const (
	Sheet   Use = "sheet"   // students get it
	Held    Use = "held"    // held back: the teachers see it beside the student's page
	Dropped Use = "dropped" // not needed
)

// A PageRef is a page of one of the files that the teacher brought in.
type PageRef struct {
	Source   int              `json:"source"` // the file, from 0
	Page     int              `json:"page"`   // in it, from 1
	Turn     int              `json:"turn"`   // clockwise, degrees: 0, 90, 180 or 270
	Use      Use              `json:"use"`
	Proposal *heldback.Reason `json:"proposal,omitempty"` // why it is likely to hold answers
	Decided  bool             `json:"decided,omitempty"`  // the teacher has answered the proposal
	Taken    bool             `json:"taken,omitempty"`    // a photograph as it was taken, of which the page before it in the file is the sheet alone

	Blanks    *[]Blank    `json:"places,omitempty"`    // as the teacher wants them; nil for as they are found
	Questions *[]Question `json:"questions,omitempty"` // the same
	Figures   []Figure    `json:"figures,omitempty"`   // what the teacher says of pictures and drawings
	Order     []Region    `json:"order,omitempty"`     // in which the page is read in words, where the teacher has put it right
	Said      []mark.Mark `json:"said,omitempty"`      // what the teacher says, writes and draws on the sheet: marks, whose page numbers do not count
}

// A Plan is the leaves of a worksheet in their order: every page of every
// file, once.
type Plan []PageRef

// Problems of a plan.
var (
	ErrPages = errors.New("worksheet: not every page of every file, once")
	ErrLeaf  = errors.New("worksheet: a leaf that cannot be")
)

// Join returns the plan with the pages of one more file before the leaf at
// index at. Reasons are what is proposed to be held back among them.
func (p Plan) Join(source, pages, at int, reasons map[int]heldback.Reason) Plan {
	at = min(max(at, 0), len(p))
	out := append(Plan{}, p[:at]...)
	for n := 1; n <= pages; n++ {
		l := PageRef{Source: source, Page: n, Use: Sheet}
		if r, ok := reasons[n]; ok {
			l.Proposal = &r
		}
		out = append(out, l)
	}
	return append(out, p[at:]...)
}

// AsTaken returns the plan with the second page of a file left out: the photograph of
// a sheet, as it was taken, behind the sheet as it was straightened.
func (p Plan) AsTaken(source int) Plan {
	out := append(Plan{}, p...)
	for i, l := range out {
		if l.Source == source && l.Page == 2 {
			out[i].Use, out[i].Decided, out[i].Taken = Dropped, true, true
		}
	}
	return out
}

// Noticed returns the plan with what was noticed later: by source, the reasons
// why pages are likely to hold answers.
func (p Plan) Noticed(by []map[int]heldback.Reason) Plan {
	out := append(Plan{}, p...)
	for i, l := range out {
		if l.Source >= len(by) || l.Proposal != nil {
			continue
		}
		if r, ok := by[l.Source][l.Page]; ok {
			out[i].Proposal = &r
		}
	}
	return out
}

// Changed returns the plan that a teacher wants in place of p: the same pages
// in another order, turned and used otherwise. What was proposed stays.
func (p Plan) Changed(want Plan) (Plan, error) {
	type page struct{ source, page int }
	was := map[page]PageRef{}
	for _, l := range p {
		was[page{l.Source, l.Page}] = l
	}
	out := make(Plan, len(want))
	for i, l := range want {
		at := page{l.Source, l.Page}
		old, ok := was[at]
		if !ok {
			return nil, ErrPages
		}
		delete(was, at)
		if l.Turn%90 != 0 || l.Turn < 0 || l.Turn > 270 || l.Use != Sheet && l.Use != Held && l.Use != Dropped {
			return nil, ErrLeaf
		}
		if err := l.checkGuide(); err != nil {
			return nil, err
		}
		l.Proposal, l.Taken = old.Proposal, old.Taken
		out[i] = l
	}
	if len(was) > 0 {
		return nil, ErrPages
	}
	return out.Named(), nil
}

// Of returns the leaves with one use, in order.
func (p Plan) Of(u Use) (out []PageRef) {
	for _, l := range p {
		if l.Use == u {
			out = append(out, l)
		}
	}
	return out
}

// Undecided returns the leaves whose proposal the teacher has not answered.
func (p Plan) Undecided() (out []PageRef) {
	for _, l := range p {
		if l.Proposal != nil && !l.Decided {
			out = append(out, l)
		}
	}
	return out
}

// SameSheet reports whether students get the same from both plans.
func (p Plan) SameSheet(q Plan) bool {
	a, b := p.Of(Sheet), q.Of(Sheet)
	if len(a) != len(b) {
		return false
	}
	for i := range a {
		if a[i].Source != b[i].Source || a[i].Page != b[i].Page || a[i].Turn != b[i].Turn {
			return false
		}
	}
	return true
}

// Parse reads a plan as String wrote it.
func Parse(s string) (p Plan, err error) {
	err = json.Unmarshal([]byte(s), &p)
	return p, err
}

// String returns the plan as JSON.
func (p Plan) String() string {
	b, err := json.Marshal(p)
	if err != nil {
		return "[]" // numbers and words always marshal
	}
	return string(b)
}
