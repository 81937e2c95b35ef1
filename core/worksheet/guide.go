package worksheet

import (
	"errors"
	"slices"
	"strings"
	"unicode/utf8"

	"readymargin/core/blank"
	"readymargin/core/mark"
	"readymargin/core/page"
	"readymargin/core/points"
)

// A Box is left, top, right and bottom, in points of page space.
type Box [4]float64

// BoxOf writes a rectangle as a Box.
func BoxOf(r page.Rect) Box { return Box{r.Min.X, r.Min.Y, r.Max.X, r.Max.Y} }

// Rect returns b as a rectangle.
func (b Box) Rect() page.Rect { return page.R(b[0], b[1], b[2], b[3]) }

// A Blank is a blank as it is kept: found on the page, taken from a form
// field, or set by the teacher. Its names in JSON are short because every
// sheet screen is sent all of them.
type Blank struct {
	ID       string         `json:"i,omitempty"` // which no edit changes
	Rect     Box            `json:"r"`
	Baseline float64        `json:"y"`
	Size     float64        `json:"s"`
	Step     float64        `json:"d,omitempty"` // from baseline to baseline, of several ruled lines
	Kind     blank.Kind     `json:"k"`
	Label    string         `json:"l"`
	Field    string         `json:"f,omitempty"` // the name of the form field, if it is one
	Options  []string       `json:"o,omitempty"` // to choose from
	Many     bool           `json:"n,omitempty"` // several options may be chosen
	Free     bool           `json:"w,omitempty"` // words of one's own may be written instead of an option
	On       string         `json:"v,omitempty"` // what a tick box says when it is on
	One      bool           `json:"x,omitempty"` // on excludes all others of the same field
	MaxLen   int            `json:"m,omitempty"` // most characters; 0 for any number
	Fixed    bool           `json:"z,omitempty"` // takes no more than has room in it
	Holds    blank.Personal `json:"h,omitempty"` // "" for an answer
	Expected *Expected      `json:"e,omitempty"`
}

// Expected is what a teacher expects in a blank. It helps the teacher while
// marking; no student ever gets it.
type Expected struct {
	Words     []string `json:"words,omitempty"`  // spellings that are right
	Number    string   `json:"number,omitempty"` // as it is written
	Tolerance string   `json:"tolerance,omitempty"`
	Unit      string   `json:"unit,omitempty"`
}

// String returns what is expected as people read it: "spring or springs", "4.5 m ± 0.1".
func (e Expected) String() string {
	all := slices.Clone(e.Words)
	if e.Number != "" {
		number := strings.TrimSpace(e.Number + " " + e.Unit)
		if e.Tolerance != "" {
			number += " ± " + e.Tolerance
		}
		all = append(all, number)
	}
	return strings.Join(all, " or ")
}

// A Question is what the sheet asks under one number, and what it is worth.
type Question struct {
	ID     string        `json:"i,omitempty"` // which no edit changes
	Number string        `json:"n"`
	Text   string        `json:"t"`
	Rect   Box           `json:"r"`
	Points points.Points `json:"p,omitempty"`
	Task   *Task         `json:"m,omitempty"` // nil where it is answered in words
	Words  []Run         `json:"w,omitempty"` // expected to be marked; no student ever gets them
	Rubric *Rubric       `json:"b,omitempty"` // what it is judged by, if it is
}

// A Run is some printed words.
type Run struct {
	Text       string       `json:"text"`
	QuadPoints [][8]float64 `json:"quadPoints"`
}

// A Guide is what a page has to be worked on.
type Guide struct {
	Blanks    []Blank    `json:"places"`
	Questions []Question `json:"questions"`
	Heads     []Head     `json:"heads,omitempty"` // of the file's contents list, which lead here
	Links     []Link     `json:"links,omitempty"` // from here to other pages
	Han       string     `json:"han,omitempty"`   // see words.Page.Han
	Figures   []Figure   `json:"figures,omitempty"`
	Order     []Region   `json:"order,omitempty"` // see PageRef
	Lang      string     `json:"lang,omitempty"`  // of the page, BCP 47; "" where it is not known
}

// A Region is a piece of a page in words, where the teacher wants it read.
type Region struct {
	Rect Box    `json:"r"`           // where it stands
	Kind string `json:"k,omitempty"` // "heading", "text", or "plain" for what need not be read; "" for as it is found
}

// Regions lists the kinds that a teacher may say.
var Regions = []string{"", "heading", "text", "plain"}

// A Figure is a picture or a drawing on a page, as the teacher describes it for those
// who do not see it.
type Figure struct {
	Rect  Box    `json:"r"`
	Says  string `json:"t,omitempty"`
	Plain bool   `json:"n,omitempty"` // it is decoration: nothing is lost without it
}

// Described returns what is said of a figure that was found on the page.
func (g Guide) Described(found Box) (f Figure, ok bool) {
	at := found.Rect().Center()
	for _, f := range g.Figures {
		if f.Rect.Rect().Center().Dist(at) < 6 {
			return f, true
		}
	}
	return Figure{}, false
}

// A Head is an entry of the contents list of a file, and where on the page it
// leads.
type Head struct {
	Title string  `json:"t"`
	Depth int     `json:"d,omitempty"` // 0 at the top
	Y     float64 `json:"y"`
}

// A Link is a part of a page that leads to a place on a page of the sheet.
type Link struct {
	Rect Box     `json:"r"`
	Page int     `json:"p"` // from 1
	Y    float64 `json:"y"`
}

// ForStudents returns the guide without what only teachers see.
func (g Guide) ForStudents() Guide {
	out := g
	out.Blanks, out.Questions = make([]Blank, len(g.Blanks)), make([]Question, len(g.Questions))
	for i, p := range g.Blanks {
		p.Expected = nil
		out.Blanks[i] = p
	}
	for i, q := range g.Questions {
		q.Words = nil
		if q.Rubric != nil && !q.Rubric.Shown {
			q.Rubric = nil
		}
		out.Questions[i] = q
	}
	return out
}

// Language returns that of most pages, "" where none is known.
func Language(pages []Guide) (best string) {
	count := map[string]int{}
	for _, g := range pages {
		count[g.Lang]++
		if g.Lang != "" && (best == "" || count[g.Lang] > count[best]) {
			best = g.Lang
		}
	}
	return best
}

// Worth returns the questions that points are given for, page by page.
func Worth(pages []Guide) (all []Question) {
	for _, g := range pages {
		for _, q := range g.Questions {
			if q.Points > 0 {
				all = append(all, q)
			}
		}
	}
	return all
}

// A Tally is what the points for questions add up to.
type Tally struct {
	Points  *points.Points // nil where no question has any yet
	Missing int            // questions without points
}

// Add adds up what was given for questions, by their IDs.
func Add(asked []Question, given map[string]points.Points) (t Tally) {
	sum := points.Points(0)
	for _, q := range asked {
		if p, ok := given[q.ID]; ok {
			sum += p
		} else {
			t.Missing++
		}
	}
	if t.Missing < len(asked) {
		t.Points = &sum
	}
	return t
}

// Whole reports whether points were given as a whole: they are not what the
// questions add up to.
func (t Tally) Whole(given *points.Points) bool {
	return given != nil && (t.Points == nil || *t.Points != *given)
}

// Of returns which question each place belongs to, -1 for none: the last one
// that begins above the place and not to its right.
func (g Guide) Of() []int {
	out := make([]int, len(g.Blanks))
	for i, p := range g.Blanks {
		out[i] = -1
		for q, ask := range g.Questions {
			if ask.Rect[1] <= p.Baseline && ask.Rect[0] <= p.Rect[2] && (out[i] < 0 || ask.Rect[1] >= g.Questions[out[i]].Rect[1]) {
				out[i] = q
			}
		}
	}
	return out
}

// Guided returns what the page has in place of what was found on it, with an
// ID for everything.
func (l PageRef) Guided(found Guide) Guide { return l.guided(found, map[string]bool{}) }

func (l PageRef) guided(found Guide, seen map[string]bool) Guide {
	if l.Blanks != nil {
		found.Blanks = *l.Blanks
	}
	if l.Questions != nil {
		found.Questions = *l.Questions
	}
	found.Figures, found.Order = l.Figures, l.Order
	return l.named(found, seen)
}

// Points returns the sum of the points of the questions on the leaves that
// students get.
func (p Plan) Points() (sum points.Points) {
	for _, l := range p.Of(Sheet) {
		if l.Questions == nil {
			continue
		}
		for _, q := range *l.Questions {
			sum += q.Points
		}
	}
	return sum
}

// Limits of a leaf's guide.
const (
	maxPlaces = 600
	maxSaid   = 400
	maxWords  = 200 // characters of a label
	maxText   = 500
)

// ErrGuide says that a leaf's places, questions or directions cannot be.
var ErrGuide = errors.New("worksheet: a place, a question or a direction that cannot be")

var kinds = map[blank.Kind]bool{blank.Line: true, blank.Lines: true, blank.Box: true, blank.Cell: true, blank.Tick: true, blank.Comb: true,
	blank.Choice: true, blank.Room: true, blank.Number: true, blank.Drawing: true, blank.Shade: true}

var holds = map[blank.Personal]bool{"": true, blank.Name: true, blank.Class: true, blank.Date: true, blank.Notes: true}

func (b Box) check() bool {
	const far = 20_000
	return b[0] < b[2] && b[1] < b[3] && b[0] > -far && b[1] > -far && b[2] < far && b[3] < far
}

func short(most int, all ...string) bool {
	for _, s := range all {
		if !utf8.ValidString(s) || utf8.RuneCountInString(s) > most {
			return false
		}
	}
	return true
}

func (p Blank) check() bool {
	ok := named(p.ID) && p.Rect.check() && kinds[p.Kind] && holds[p.Holds] && p.Size > 0 && p.Size < 200 && p.Step >= 0 && p.Step < 400 && p.Baseline > -1000 && p.Baseline < 20_000 &&
		short(maxText, p.Label, p.Field, p.On) && short(maxWords, p.Options...) && len(p.Options) <= maxPlaces && p.MaxLen >= 0
	if e := p.Expected; e != nil {
		ok = ok && len(e.Words) <= 50 && short(maxWords, e.Words...) && short(40, e.Number, e.Tolerance, e.Unit)
	}
	return ok
}

func (q Question) check() bool {
	ok := named(q.ID) && q.Rect.check() && short(20, q.Number) && short(maxText, q.Text) && q.Points >= 0 && q.Points <= 1000*points.One && q.Task.check() && len(q.Words) <= maxPlaces &&
		(q.Rubric == nil || q.Rubric.Valid() && q.Rubric.Points() == q.Points)
	for _, w := range q.Words {
		h := mark.Mark{ID: "expected", Page: 1, Body: &mark.Highlight{Color: "#000000", QuadPoints: w.QuadPoints, Text: w.Text}}
		ok = ok && h.Valid() == nil
	}
	return ok
}

// checkGuide says whether what the leaf has to be worked on can be.
func (l PageRef) checkGuide() error {
	if l.Blanks != nil {
		for _, p := range *l.Blanks {
			if !p.check() || len(*l.Blanks) > maxPlaces {
				return ErrGuide
			}
		}
	}
	if l.Questions != nil {
		for _, q := range *l.Questions {
			if !q.check() || len(*l.Questions) > maxPlaces {
				return ErrGuide
			}
		}
	}
	if len(l.Said) > maxSaid || len(l.Figures) > maxPlaces || len(l.Order) > maxPlaces {
		return ErrGuide
	}
	for _, r := range l.Order {
		if !r.Rect.check() || !slices.Contains(Regions, r.Kind) {
			return ErrGuide
		}
	}
	for _, f := range l.Figures {
		if !f.Rect.check() || !short(maxText, f.Says) {
			return ErrGuide
		}
	}
	for _, m := range l.Said {
		switch m.Body.(type) {
		case *mark.Reply, *mark.Paper, *mark.Widget:
			return ErrGuide
		}
		if m.Valid() != nil {
			return ErrGuide
		}
	}
	return nil
}

// Turned returns the leaf turned by a quarter clockwise, with all that stands
// on it. Height is that of the page before.
func (l PageRef) Turned(height float64) PageRef {
	l.Turn = (l.Turn + 90) % 360
	at := func(x, y float64) (float64, float64) { return page.Round(height - y), page.Round(x) }
	box := func(b Box) Box {
		x0, y0 := at(b[0], b[1])
		x1, y1 := at(b[2], b[3])
		return BoxOf(page.R(x0, y0, x1, y1))
	}
	quads := func(qs [][8]float64) [][8]float64 {
		out := make([][8]float64, len(qs))
		for i, q := range qs {
			for k := range 4 {
				out[i][2*k], out[i][2*k+1] = at(q[2*k], q[2*k+1])
			}
		}
		return out
	}
	if l.Blanks != nil {
		ps := make([]Blank, len(*l.Blanks))
		for i, p := range *l.Blanks {
			p.Rect = box(p.Rect)
			p.Baseline = p.Rect[3] - 3
			ps[i] = p
		}
		l.Blanks = &ps
	}
	if l.Questions != nil {
		asks := make([]Question, len(*l.Questions))
		for i, q := range *l.Questions {
			q.Rect = box(q.Rect)
			words := make([]Run, len(q.Words))
			for k, w := range q.Words {
				words[k] = Run{w.Text, quads(w.QuadPoints)}
			}
			q.Words = words
			asks[i] = q
		}
		l.Questions = &asks
	}
	figures := make([]Figure, len(l.Figures))
	for i, f := range l.Figures {
		f.Rect = box(f.Rect)
		figures[i] = f
	}
	if len(figures) > 0 {
		l.Figures = figures
	}
	order := make([]Region, len(l.Order))
	for i, r := range l.Order {
		r.Rect = box(r.Rect)
		order[i] = r
	}
	if len(order) > 0 {
		l.Order = order
	}
	said := make([]mark.Mark, len(l.Said))
	for i, m := range l.Said {
		switch b := m.Body.(type) {
		case *mark.Note:
			n := *b
			n.At[0], n.At[1] = at(b.At[0], b.At[1])
			m.Body = &n
		case *mark.Highlight:
			h := *b
			h.QuadPoints = quads(b.QuadPoints)
			m.Body = &h
		default:
			m.Body = b.Turned(page.Pt(0, 0), 90).Moved(page.Pt(height, 0))
		}
		said[i] = m
	}
	l.Said = said
	return l
}

// Speaks reports whether the teacher says anything on the sheet.
func (p Plan) Speaks() bool {
	for _, l := range p {
		if len(l.Said) > 0 {
			return true
		}
	}
	return false
}

// Directions returns what the teacher says on the sheet to those who have it
// as another plan of the same files said, on the pages of that plan.
func (p Plan) Directions(on Plan, sizes []page.Point) []mark.Mark {
	var out []mark.Mark
	for i, old := range on.Of(Sheet) {
		l, ok := p.find(old)
		if !ok {
			continue
		}
		l = l.turnedTo(old.Turn, sizes[i])
		for _, m := range l.Said {
			m.Page = i + 1
			out = append(out, m)
		}
	}
	return out
}

// Guides returns what each page of another plan of the same files has to be
// worked on; found is what was found on these pages.
func (p Plan) Guides(on Plan, found []Guide, sizes []page.Point) []Guide {
	out := make([]Guide, len(found))
	sheet := on.Of(Sheet)
	for i, f := range found {
		out[i] = f
		if i >= len(sheet) {
			continue
		}
		if l, ok := p.find(sheet[i]); ok {
			out[i] = l.turnedTo(sheet[i].Turn, sizes[i]).Guided(f)
		}
	}
	return out
}

func (p Plan) find(old PageRef) (PageRef, bool) {
	for _, l := range p {
		if l.Source == old.Source && l.Page == old.Page {
			return l, true
		}
	}
	return PageRef{}, false
}

// turnedTo returns the leaf as it is when it is turned otherwise; size is
// that of the page turned so.
func (l PageRef) turnedTo(turn int, size page.Point) PageRef {
	for n := (turn - l.Turn + 360) % 360; n > 0; n -= 90 {
		height := size.Y
		if n%180 == 90 {
			height = size.X
		}
		l = l.Turned(height)
	}
	return l
}
