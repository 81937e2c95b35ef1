package pdf

import (
	"math"
	"slices"
	"strings"
	"unicode"

	"github.com/klippa-app/go-pdfium"
	"github.com/klippa-app/go-pdfium/enums"
	"github.com/klippa-app/go-pdfium/references"
	"github.com/klippa-app/go-pdfium/requests"

	"readymargin/core/page"
	"readymargin/core/words"
)

// A reader finds what is printed on one page.
type reader struct {
	pdf    pdfium.Pdfium
	page   references.FPDF_PAGE
	toPage page.Matrix
	bounds page.Rect
}

// Bounds of what is kept of a page; a page beyond them is still shown.
const (
	maxLetters = 60_000
	maxObjects = 4_000
	maxRules   = 1_500
	maxDepth   = 4
)

func (r reader) read() (out words.Page, err error) {
	if out.Words, err = r.words(); err != nil {
		return out, err
	}
	objects := 0
	n, err := r.pdf.FPDFPage_CountObjects(&requests.FPDFPage_CountObjects{Page: r.ref()})
	if err != nil {
		return out, nil // words without rules are still of use
	}
	for i := range n.Count {
		o, err := r.pdf.FPDFPage_GetObject(&requests.FPDFPage_GetObject{Page: r.ref(), Index: i})
		if err != nil || objects > maxObjects {
			break
		}
		r.rules(o.PageObject, r.toPage, 0, &objects, &out.Rules)
	}
	return out, nil
}

func (r reader) ref() requests.Page { return requests.Page{ByReference: &r.page} }

// words returns the words in the order in which the file has them, which for
// typeset text is the reading order, and gives words of one line one number.
func (r reader) words() ([]words.Word, error) {
	text, err := r.pdf.FPDFText_LoadPage(&requests.FPDFText_LoadPage{Page: r.ref()})
	if err != nil {
		return nil, err
	}
	defer r.pdf.FPDFText_ClosePage(&requests.FPDFText_ClosePage{TextPage: text.TextPage})
	count, err := r.pdf.FPDFText_CountChars(&requests.FPDFText_CountChars{TextPage: text.TextPage})
	if err != nil {
		return nil, err
	}
	var c collector
	for i := range min(count.Count, maxLetters) {
		u, err := r.pdf.FPDFText_GetUnicode(&requests.FPDFText_GetUnicode{TextPage: text.TextPage, Index: i})
		if err != nil {
			return nil, err
		}
		letter := rune(u.Unicode)
		if letter == 0 || unicode.IsSpace(letter) || unicode.IsControl(letter) {
			c.endWord()
			continue
		}
		box, err1 := r.pdf.FPDFText_GetLooseCharBox(&requests.FPDFText_GetLooseCharBox{TextPage: text.TextPage, Index: i})
		origin, err2 := r.pdf.FPDFText_GetCharOrigin(&requests.FPDFText_GetCharOrigin{TextPage: text.TextPage, Index: i})
		if err1 != nil || err2 != nil {
			continue
		}
		rect := page.Bounds(
			r.toPage.Apply(page.Pt(float64(box.Rect.Left), float64(box.Rect.Top))),
			r.toPage.Apply(page.Pt(float64(box.Rect.Right), float64(box.Rect.Bottom))))
		base := r.toPage.Apply(page.Pt(origin.X, origin.Y))
		if r.bounds.Intersect(rect).Empty() {
			c.endWord()
			continue // outside the crop box: not on the page that people see
		}
		c.letter(letter, rect, base.Y)
	}
	c.endWord()
	return c.out, nil
}

// A collector makes words of letters.
type collector struct {
	out  []words.Word
	text strings.Builder
	box  page.Rect
	last page.Rect // of the newest letter
	base float64
	edge []float64
}

func (c *collector) letter(r rune, box page.Rect, baseline float64) {
	if c.text.Len() > 0 && apart(c.last, box) > 0.6*em(box) {
		c.endWord() // a jump without a space between
	}
	if c.text.Len() == 0 {
		c.base, c.box = baseline, box
	}
	c.text.WriteRune(r)
	c.box, c.last = c.box.Union(box), box
	c.edge = append(c.edge, page.Round(box.Min.X))
}

// em is the height of a letter's line, whichever way the line runs.
func em(box page.Rect) float64 { return max(box.W(), box.H()) }

// apart returns the free room between two rectangles.
func apart(a, b page.Rect) float64 {
	return math.Hypot(max(b.Min.X-a.Max.X, a.Min.X-b.Max.X, 0), max(b.Min.Y-a.Max.Y, a.Min.Y-b.Max.Y, 0))
}

func (c *collector) endWord() {
	if c.text.Len() == 0 {
		return
	}
	w := words.Word{
		Text: c.text.String(), Baseline: page.Round(c.base), Edges: append(c.edge, page.Round(c.box.Max.X)),
		Box: [4]float64{page.Round(c.box.Min.X), page.Round(c.box.Min.Y), page.Round(c.box.Max.X), page.Round(c.box.Max.Y)},
	}
	if !slices.IsSorted(w.Edges) || len(c.edge) > 1 && c.edge[0] == c.edge[len(c.edge)-1] {
		w.Edges = []float64{w.Box[0], w.Box[2]} // the line runs up, down or back: a word is taken whole
	}
	if n := len(c.out); n > 0 {
		w.Line = c.out[n-1].Line
		if !sameLine(c.out[n-1], w) {
			w.Line++
		}
	}
	c.out = append(c.out, w)
	c.text.Reset()
	c.edge = nil
}

// sameLine reports whether w goes on in the line of the word before it: at the
// same height and not a column away, or, where lines run up or down, in the
// same column.
func sameLine(before, w words.Word) bool {
	a, b := before.Rect(), w.Rect()
	if w.Baseline == before.Baseline || within(a.Min.Y, a.Max.Y, b.Min.Y, b.Max.Y) > 0.5 {
		gap := b.Min.X - a.Max.X
		return gap > -0.3*b.H() && gap < 3*b.H()
	}
	return a.H() > a.W() && b.H() > b.W() && within(a.Min.X, a.Max.X, b.Min.X, b.Max.X) > 0.5 && apart(a, b) < 3*b.W()
}

// within returns how much of the shorter of two stretches lies in the other.
func within(a0, a1, b0, b1 float64) float64 {
	return (min(a1, b1) - max(a0, b0)) / max(min(a1-a0, b1-b0), 0.01)
}

// rules collects horizontal lines and the lower edges of boxes from an object
// and, if it is a form, from what is in it.
func (r reader) rules(o references.FPDF_PAGEOBJECT, toPage page.Matrix, depth int, seen *int, out *[]words.Rule) {
	if *seen++; *seen > maxObjects || len(*out) >= maxRules {
		return
	}
	kind, err := r.pdf.FPDFPageObj_GetType(&requests.FPDFPageObj_GetType{PageObject: o})
	if err != nil {
		return
	}
	switch kind.Type {
	case enums.FPDF_PAGEOBJ_FORM:
		if depth < maxDepth {
			r.form(o, toPage, depth, seen, out)
		}
	case enums.FPDF_PAGEOBJ_PATH:
		b, err := r.pdf.FPDFPageObj_GetBounds(&requests.FPDFPageObj_GetBounds{PageObject: o})
		if err != nil {
			return
		}
		box := page.Bounds(toPage.Apply(page.Pt(float64(b.Left), float64(b.Top))), toPage.Apply(page.Pt(float64(b.Right), float64(b.Bottom))))
		y := box.Max.Y
		if box.H() < 3 {
			y = box.Center().Y
		} else if n, err := r.pdf.FPDFPath_CountSegments(&requests.FPDFPath_CountSegments{PageObject: o}); err != nil || n.Count > 6 {
			return // a drawing, not a box
		}
		if box.W() >= 18 {
			*out = append(*out, words.Rule{X0: page.Round(box.Min.X), X1: page.Round(box.Max.X), Y: page.Round(y)})
		}
	}
}

func (r reader) form(o references.FPDF_PAGEOBJECT, toPage page.Matrix, depth int, seen *int, out *[]words.Rule) {
	m, err := r.pdf.FPDFPageObj_GetMatrix(&requests.FPDFPageObj_GetMatrix{PageObject: o})
	n, err2 := r.pdf.FPDFFormObj_CountObjects(&requests.FPDFFormObj_CountObjects{PageObject: o})
	if err != nil || err2 != nil {
		return
	}
	f := m.Matrix
	inner := page.Matrix{A: float64(f.A), B: float64(f.B), C: float64(f.C), D: float64(f.D), E: float64(f.E), F: float64(f.F)}.Then(toPage)
	for i := range n.Count {
		child, err := r.pdf.FPDFFormObj_GetObject(&requests.FPDFFormObj_GetObject{PageObject: o, Index: uint64(i)})
		if err != nil {
			return
		}
		r.rules(child.PageObject, inner, depth+1, seen, out)
	}
}
