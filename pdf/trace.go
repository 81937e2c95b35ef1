package pdf

import (
	"math"

	"github.com/klippa-app/go-pdfium/enums"
	"github.com/klippa-app/go-pdfium/references"
	"github.com/klippa-app/go-pdfium/requests"

	"readymargin/core/blank"
	"readymargin/core/page"
	"readymargin/core/words"
)

// A tracer walks the objects of a page and follows what is drawn with straight
// lines.
type tracer struct {
	reader
	objects, segments int
	rules             []words.Rule
	strokes           []blank.Stroke
	art               []blank.Art
}

// object looks at one object and, if it is a form, at what is in it. toPage
// leads from the space that the object stands in to page space.
func (t *tracer) object(o references.FPDF_PAGEOBJECT, toPage page.Matrix, depth int) {
	if t.objects++; t.objects > maxObjects {
		return
	}
	kind, err := t.pdf.FPDFPageObj_GetType(&requests.FPDFPageObj_GetType{PageObject: o})
	if err != nil {
		return
	}
	switch kind.Type {
	case enums.FPDF_PAGEOBJ_FORM:
		if depth < maxDepth {
			t.form(o, toPage, depth)
		}
	case enums.FPDF_PAGEOBJ_PATH:
		t.path(o, toPage)
	case enums.FPDF_PAGEOBJ_IMAGE:
		if m, ok := t.matrix(o); ok {
			t.draws(unitSquare(m.Then(toPage)), true)
		}
	}
}

func (t *tracer) form(o references.FPDF_PAGEOBJECT, toPage page.Matrix, depth int) {
	m, ok := t.matrix(o)
	n, err := t.pdf.FPDFFormObj_CountObjects(&requests.FPDFFormObj_CountObjects{PageObject: o})
	if !ok || err != nil {
		return
	}
	for i := range n.Count {
		child, err := t.pdf.FPDFFormObj_GetObject(&requests.FPDFFormObj_GetObject{PageObject: o, Index: uint64(i)})
		if err != nil {
			return
		}
		t.object(child.PageObject, m.Then(toPage), depth+1)
	}
}

func (t *tracer) matrix(o references.FPDF_PAGEOBJECT) (page.Matrix, bool) {
	m, err := t.pdf.FPDFPageObj_GetMatrix(&requests.FPDFPageObj_GetMatrix{PageObject: o})
	if err != nil {
		return page.Matrix{}, false
	}
	f := m.Matrix
	return page.Matrix{A: float64(f.A), B: float64(f.B), C: float64(f.C), D: float64(f.D), E: float64(f.E), F: float64(f.F)}, true
}

// path takes the rule that a path is, if it is one, and its strokes.
func (t *tracer) path(o references.FPDF_PAGEOBJECT, toPage page.Matrix) {
	b, err := t.pdf.FPDFPageObj_GetBounds(&requests.FPDFPageObj_GetBounds{PageObject: o})
	if err != nil {
		return
	}
	box := page.Bounds(toPage.Apply(page.Pt(float64(b.Left), float64(b.Top))), toPage.Apply(page.Pt(float64(b.Right), float64(b.Bottom))))
	n, err := t.pdf.FPDFPath_CountSegments(&requests.FPDFPath_CountSegments{PageObject: o})
	mode, err2 := t.pdf.FPDFPath_GetDrawMode(&requests.FPDFPath_GetDrawMode{PageObject: o})
	if err != nil || err2 != nil {
		return
	}
	y := box.Max.Y
	if box.H() < 3 {
		y = box.Center().Y
	}
	if (box.H() < 3 || n.Count <= 6) && box.W() >= 18 && len(t.rules) < maxRules {
		t.rules = append(t.rules, words.Rule{X0: page.Round(box.Min.X), X1: page.Round(box.Max.X), Y: page.Round(y)})
	}
	switch {
	case t.bounds.Intersect(box.Grow(1)).Empty():
		// beside the page
	case mode.Stroke:
		if t.outline(o, n.Count, toPage) {
			t.draws(box, false)
		}
	case mode.FillMode == enums.FPDF_FILLMODE_NONE:
		// a path that only clips
	case box.H() < 3:
		t.stroke(page.Pt(box.Min.X, box.Center().Y), page.Pt(box.Max.X, box.Center().Y))
	case box.W() < 3:
		t.stroke(page.Pt(box.Center().X, box.Min.Y), page.Pt(box.Center().X, box.Max.Y))
	}
}

// draws keeps what is no line to write on.
func (t *tracer) draws(r page.Rect, picture bool) {
	if r = r.Intersect(t.bounds); !r.Empty() && len(t.art) < maxArt {
		t.art = append(t.art, blank.Art{Rect: page.Rect{Min: r.Min.Round(), Max: r.Max.Round()}, Picture: picture})
	}
}

// outline takes the straight pieces of a stroked path, and reports whether it
// has others.
func (t *tracer) outline(o references.FPDF_PAGEOBJECT, count int, toPage page.Matrix) (others bool) {
	m, ok := t.matrix(o)
	if !ok || t.segments+count > maxSegments {
		return false
	}
	t.segments += count
	m = m.Then(toPage)
	var at, start page.Point
	for i := range count {
		s, err := t.pdf.FPDFPath_GetPathSegment(&requests.FPDFPath_GetPathSegment{PageObject: o, Index: i})
		if err != nil {
			return others
		}
		xy, err1 := t.pdf.FPDFPathSegment_GetPoint(&requests.FPDFPathSegment_GetPoint{PathSegment: s.PathSegment})
		kind, err2 := t.pdf.FPDFPathSegment_GetType(&requests.FPDFPathSegment_GetType{PathSegment: s.PathSegment})
		shut, err3 := t.pdf.FPDFPathSegment_GetClose(&requests.FPDFPathSegment_GetClose{PathSegment: s.PathSegment})
		if err1 != nil || err2 != nil || err3 != nil {
			return others
		}
		p := m.Apply(page.Pt(float64(xy.X), float64(xy.Y)))
		switch kind.Type {
		case enums.FPDF_SEGMENT_MOVETO:
			start = p
		case enums.FPDF_SEGMENT_LINETO:
			t.stroke(at, p)
			others = others || min(math.Abs(at.X-p.X), math.Abs(at.Y-p.Y)) > 1.5
		case enums.FPDF_SEGMENT_BEZIERTO:
			others = true
		}
		if at = p; shut.IsClose {
			t.stroke(at, start)
			at = start
		}
	}
	return others
}

// stroke keeps a line that runs along or across the page.
func (t *tracer) stroke(a, b page.Point) {
	w, h := math.Abs(a.X-b.X), math.Abs(a.Y-b.Y)
	if min(w, h) > 1.5 || max(w, h) < 0.3 || len(t.strokes) >= maxStrokes {
		return
	}
	t.strokes = append(t.strokes, blank.Stroke{X0: page.Round(a.X), Y0: page.Round(a.Y), X1: page.Round(b.X), Y1: page.Round(b.Y)})
}
