package pdf

import (
	"math"
	"regexp"
	"slices"
	"strings"
	"unicode"

	"github.com/klippa-app/go-pdfium"
	"github.com/klippa-app/go-pdfium/references"
	"github.com/klippa-app/go-pdfium/requests"

	"readymargin/core/blank"
	"readymargin/core/page"
	"readymargin/core/typeset"
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
	maxLetters  = 60_000
	maxObjects  = 4_000
	maxRules    = 1_500
	maxStrokes  = 3_000
	maxArt      = 500
	maxSegments = 12_000
	maxDepth    = 4
)

// read returns what is printed on the page: its words and rules, and every
// straight stroke, and where pictures and drawings stand.
func (r reader) read() (out words.Page, strokes []blank.Stroke, art []blank.Art, err error) {
	if out.Words, err = r.words(); err != nil {
		return out, nil, nil, err
	}
	t := tracer{reader: r}
	n, err := r.pdf.FPDFPage_CountObjects(&requests.FPDFPage_CountObjects{Page: r.ref()})
	if err != nil {
		return out, nil, nil, nil // words without rules are still of use
	}
	for i := range n.Count {
		o, err := r.pdf.FPDFPage_GetObject(&requests.FPDFPage_GetObject{Page: r.ref(), Index: i})
		if err != nil || t.objects > maxObjects {
			break
		}
		t.object(o.PageObject, r.toPage, 0)
	}
	out.Rules = t.rules
	return out, t.strokes, t.art, nil
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
		if (letter == ' ' || letter == '\r' || letter == '\n') && r.supposed(text.TextPage, i) {
			c.supposed = true
			continue
		}
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
		if c.letter(letter, rect, base.Y) {
			c.size = r.size(text.TextPage, i)
		}
	}
	c.endWord()
	return c.out, nil
}

// supposed reports whether a space, or the end of a line, is not in the file:
// PDFium puts them in where it thinks that letters stand apart, and errs about
// fonts whose letters are drawings (ISO 32000-2, 9.6.4), which browsers print.
func (r reader) supposed(text references.FPDF_TEXTPAGE, i int) bool {
	made, err := r.pdf.FPDFText_IsGenerated(&requests.FPDFText_IsGenerated{TextPage: text, Index: i})
	return err == nil && made.IsGenerated
}

// size returns how large a letter is set on the page, in points; 0 where it
// can't be told.
func (r reader) size(text references.FPDF_TEXTPAGE, i int) float64 {
	font, err1 := r.pdf.FPDFText_GetFontSize(&requests.FPDFText_GetFontSize{TextPage: text, Index: i})
	m, err2 := r.pdf.FPDFText_GetMatrix(&requests.FPDFText_GetMatrix{TextPage: text, Index: i})
	if err1 != nil || err2 != nil {
		return 0
	}
	return page.Round(font.FontSize * math.Hypot(float64(m.Matrix.C), float64(m.Matrix.D)))
}

// A collector makes words of letters.
type collector struct {
	out   []words.Word
	text  strings.Builder
	box   page.Rect
	last  page.Rect // of the newest letter
	first page.Rect // of the word's first letter
	base  float64
	size  float64 // of the letters of the word that has begun
	edge  []float64

	supposed bool // a space, or the line's end, was supposed behind the newest letter
}

// letter adds a letter and tells whether a word begins with it.
func (c *collector) letter(r rune, box page.Rect, baseline float64) (begins bool) {
	gap := apart(c.last, box)
	jumps := gap > 0.6*em(box) // without a space between
	if c.supposed {
		off := math.Abs(baseline-c.base) > 0.1*em(box) && (c.text.Len() == 0 || c.shifted(r, box, baseline) == r)
		jumps, c.supposed = gap > 0.1*em(box) || off, false
	}
	if c.text.Len() > 0 && jumps {
		c.endWord()
	}
	if begins = c.text.Len() == 0; begins {
		c.base, c.box, c.first = baseline, box, box
	} else {
		r = c.shifted(r, box, baseline)
	}
	c.text.WriteRune(r)
	c.box, c.last = c.box.Union(box), box
	c.edge = append(c.edge, page.Round(box.Min.X))
	return begins
}

// What is written for digits and signs that are raised, and for digits that are lowered.
var (
	raisedSigns = map[rune]rune{'0': '⁰', '1': '¹', '2': '²', '3': '³', '4': '⁴', '5': '⁵', '6': '⁶', '7': '⁷', '8': '⁸', '9': '⁹', '+': '⁺', '-': '⁻', '−': '⁻', '–': '⁻'}
	lowered     = map[rune]rune{'0': '₀', '1': '₁', '2': '₂', '3': '₃', '4': '₄', '5': '₅', '6': '₆', '7': '₇', '8': '₈', '9': '₉'}
	// aboutPowers matches what a power or an index stands behind: a number, a bracket, a
	// short name or unit, the symbol of an element. Behind a longer word it is a footnote's.
	aboutPowers = regexp.MustCompile(`(?:^|[^\pL])(?:\pL{1,2}|mol|sin|cos|tan|log)$|[\d)\]⁰¹²³⁴⁵⁶⁷⁸⁹⁻⁺₀₁₂₃₄₅₆₇₈₉]$|(?:\p{Lu}\p{Ll}?)+$`)
)

// shifted writes a digit that is set smaller, and higher or lower than the word it is in,
// as what it is: the square of m², the two atoms of H₂O.
func (c *collector) shifted(r rune, box page.Rect, baseline float64) rune {
	h := c.first.H()
	if box.H() > 0.8*h || box.Min.X < c.last.Max.X-1 || !aboutPowers.MatchString(c.text.String()) {
		return r
	}
	to, ok := rune(0), false
	switch {
	case baseline < c.base-0.15*h:
		to, ok = raisedSigns[r]
	case baseline > c.base+0.08*h:
		to, ok = lowered[r]
	}
	if !ok {
		return r
	}
	return to
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
		Text: c.text.String(), Baseline: page.Round(c.base), Size: c.size, Edges: append(c.edge, page.Round(c.box.Max.X)),
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
		if typeset.RightToLeft(w.Text) {
			gap = a.Min.X - b.Max.X
		}
		return gap > -0.3*b.H() && gap < 3*b.H()
	}
	return a.H() > a.W() && b.H() > b.W() && within(a.Min.X, a.Max.X, b.Min.X, b.Max.X) > 0.5 && apart(a, b) < 3*b.W()
}

// within returns how much of the shorter of two stretches lies in the other.
func within(a0, a1, b0, b1 float64) float64 {
	return (min(a1, b1) - max(a0, b0)) / max(min(a1-a0, b1-b0), 0.01)
}
