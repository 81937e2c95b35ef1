package pdf

import (
	"bytes"
	"fmt"
	"math"

	"readymargin/core/document"
	"readymargin/core/page"

	"github.com/pdfcpu/pdfcpu/pkg/pdfcpu/types"
)

// What a marker chooses instead of an element's number.
const (
	artifact = -1 // nothing that is read
	byItself = -2 // what is marked within itself
)

// A marker writes a content stream anew with all that it paints marked (ISO 32000-2, 14.6):
// as a piece of an element, by its number, or as an artifact. Nothing else is changed, but
// for marks of others that would be taken for these.
type marker struct {
	content []byte
	out     bytes.Buffer
	copied  int
	open    int        // the element, artifact or byItself
	deep    int        // of marked content of the stream itself
	line    page.Point // where text began last
	runs    []run
	next    *int // the number of the next piece
	choose  func(painting, page.Matrix) (element int, instead string, err error)
	err     error
}

// lineApart is how far one line is from the next at least, in points.
const lineApart = 3

// mostRuns is how many pieces of marked content of its own a page gets.
const mostRuns = 30_000

// marked returns a stream with its marks, and its pieces, whose numbers (MCID) go on from
// next. choose says whose piece a painting is, and may write it otherwise.
func marked(content []byte, ctm page.Matrix, next *int, choose func(painting, page.Matrix) (int, string, error)) ([]byte, []run, error) {
	m := &marker{content: content, open: byItself, next: next, choose: choose}
	if err := follow(content, ctm, m); err != nil {
		return nil, nil, err
	}
	if m.close(len(content)); m.err == nil && m.deep != 0 {
		m.err = errContent
	}
	m.out.Write(content[m.copied:])
	return m.out.Bytes(), m.runs, m.err
}

// put writes something into the stream in place of what stands from one byte to another.
func (m *marker) put(from, to int, what string) {
	m.out.Write(m.content[m.copied:from])
	m.out.WriteString(what)
	m.copied = to
}

func (m *marker) close(at int) {
	if m.open != byItself {
		m.put(at, at, "\nEMC\n")
		m.open = byItself
	}
}

func (m *marker) paints(p painting, ctm page.Matrix) {
	if m.err != nil {
		return
	}
	element, instead, err := m.choose(p, ctm)
	if m.err = err; err != nil {
		return
	}
	// A line is a piece of its own: some readers put no space between two that are one.
	below := false
	if p.kind == paintsText && !p.goesOn {
		below, m.line = math.Abs(p.start.Y-m.line.Y) > lineApart, p.start
	}
	if element != m.open || below {
		m.close(p.from)
		switch {
		case element >= 0:
			if *m.next >= mostRuns {
				m.err = errContent
			}
			m.put(p.from, p.from, fmt.Sprintf("\n/Span <</MCID %d>> BDC\n", *m.next))
			m.runs = append(m.runs, run{*m.next, element})
			*m.next++
		case element == artifact:
			m.put(p.from, p.from, "\n/Artifact BMC\n")
		}
		m.open = element
	}
	if instead != "" {
		m.put(p.from, p.to, instead)
	}
}

func (m *marker) bounds(operator string, operands [][]byte, from, to int) error {
	m.close(from)
	switch operator {
	case "BMC", "BDC":
		m.deep++
		// An artifact within what is read, and a number that another structure gave.
		if len(operands) > 0 && string(operands[0]) == "/Artifact" || len(operands) > 1 && bytes.Contains(operands[1], []byte("/MCID")) {
			m.put(from, to, "/Span BMC\n")
		}
	case "EMC":
		if m.deep--; m.deep < 0 {
			return errContent
		}
	}
	return m.err
}

// A finder knows which element of a page stands where.
type finder struct {
	words   []foundWord
	figures []foundFigure
	last    int          // the element of the text before
	labels  map[int]int  // the first words of items, by their labels
	seen    map[int]bool // elements that have text
}

type foundWord struct {
	box     page.Rect
	element int
}

type foundFigure foundWord

func newFinder(t document.Tagged) *finder {
	f := &finder{last: artifact, labels: map[int]int{}, seen: map[int]bool{}}
	label := -1
	t.Each(func(n int, e *document.Element) {
		if label >= 0 && len(e.Print) > 0 {
			f.labels[label], label = n, -1
		}
		if e.Role == document.RoleLabel {
			label = n
		}
		for _, w := range e.Print {
			if w.Sure == 0 {
				f.words = append(f.words, foundWord{w.Rect(), n})
			}
		}
		if e.Role == document.RoleFigure && e.Laid == "" {
			f.figures = append(f.figures, foundFigure{e.Box.Grow(figureEdge), n})
		}
	})
	for _, r := range t.Unread {
		f.words = append(f.words, foundWord{r, artifact})
	}
	return f
}

// How far from a word its text may begin, and from a figure what it is drawn with, in
// points.
const (
	wordReach  = 8
	figureEdge = 3
)

// text returns the element whose word begins at a place.
func (f *finder) text(at page.Point, goesOn bool) int {
	if goesOn {
		return f.last
	}
	best, near := artifact, math.Inf(1)
	for _, w := range f.words {
		if math.Abs(w.box.Center().Y-at.Y) > w.box.H()/2+wordReach {
			continue
		}
		d := w.box.Distance(at)
		if d < wordReach {
			d += 0.01 * w.box.Center().Dist(page.Pt(w.box.Center().X, at.Y)) // lines overlap: the nearer middle
			if d < near {
				best, near = w.element, d
			}
		}
	}
	f.last, f.seen[best] = best, true
	return best
}

// drawn returns the figure to which something that is drawn belongs.
func (f *finder) drawn(box page.Rect) int {
	box = box.Grow(0.25) // a line has a breadth
	for _, g := range f.figures {
		if in := g.box.Intersect(box); !in.Empty() && in.W()*in.H() > 0.5*box.W()*box.H() {
			return g.element
		}
	}
	return artifact
}

// within returns the element of which a box holds words, artifact for none.
func (f *finder) within(box page.Rect) int {
	for _, w := range f.words {
		if w.element >= 0 && box.Contains(w.box.Center()) {
			return w.element
		}
	}
	return f.drawn(box)
}

// A content is a stream with the resources that it names.
type content struct {
	*printer
	page      int
	finder    *finder
	pieces    *int // how many pieces the page has
	resources types.Dict
	objects   types.Dict // what is put among its XObjects
	deep      int
}

// Bounds of what is marked: larger streams, and forms deeper in others, are taken whole.
const (
	mostContent = 16 << 20
	mostDeep    = 5
)

// choose says whose piece a painting is.
func (c *content) choose(p painting, ctm page.Matrix) (element int, instead string, err error) {
	switch p.kind {
	case paintsText:
		return c.finder.text(p.start, p.goesOn), "", nil
	case paintsPath, paintsInline:
		return c.finder.drawn(p.box), "", nil
	case paintsObject:
		return c.object(p.name, ctm)
	}
	return artifact, "", nil
}

// object says whose piece a picture or a form is. A form that shows text is marked within
// itself, as one that is used here alone.
func (c *content) object(name string, ctm page.Matrix) (element int, instead string, err error) {
	objects, err := c.ctx.DereferenceDict(c.resources["XObject"])
	if err != nil {
		return artifact, "", nil
	}
	key := name
	if decoded, err := types.DecodeName(name); err == nil {
		key = decoded
	}
	ref, ok := objects[key].(types.IndirectRef)
	if !ok {
		return artifact, "", nil
	}
	sd, _, err := c.ctx.DereferenceStreamDict(ref)
	if err != nil || sd == nil {
		return artifact, "", nil
	}
	if !isForm(sd) {
		return c.finder.drawn(unitSquare(ctm)), "", nil
	}
	inner := ctm
	if m, err := c.ctx.DereferenceArray(sd.Dict["Matrix"]); err == nil && len(m) == 6 {
		var n [6]float64
		for i := range n {
			n[i], _ = c.ctx.DereferenceNumber(m[i])
		}
		inner = matrixOf(n[:]).Then(ctm)
	}
	box, _ := rectIn(c.ctx, sd.Dict["BBox"])
	seen := page.QuadOf(box)
	bounds := page.Bounds(inner.Apply(seen[0]), inner.Apply(seen[1]), inner.Apply(seen[2]), inner.Apply(seen[3]))
	if c.deep >= mostDeep || c.tags.used[ref] {
		return c.finder.within(bounds), "", nil
	}
	c.tags.used[ref] = true
	stream, err := contentOf(sd)
	if err != nil || len(stream) > mostContent || !bytes.Contains(stream, []byte("BT")) && !bytes.Contains(stream, []byte("Do")) {
		return c.finder.within(bounds), "", nil
	}
	own := &content{printer: c.printer, page: c.page, finder: c.finder, pieces: c.pieces, resources: c.resources, objects: types.Dict{}, deep: c.deep + 1}
	if r, err := c.ctx.DereferenceDict(sd.Dict["Resources"]); err == nil && r != nil {
		own.resources = r
	}
	out, runs, err := marked(stream, inner, c.pieces, own.choose)
	if err != nil {
		return c.finder.within(bounds), "", nil
	}
	d := sd.Dict.Clone().(types.Dict)
	for _, k := range []string{"Filter", "DecodeParms", "Length", "StructParent"} {
		delete(d, k)
	}
	if len(own.objects) > 0 {
		if d["Resources"], err = c.with(own.resources, "XObject", own.objects); err != nil {
			return artifact, "", err
		}
	}
	again, err := c.markedStream(c.page, pack(out), d, runs)
	if err != nil {
		return artifact, "", err
	}
	key = fmt.Sprintf("ReadyMarginTagged%d", again.ObjectNumber)
	c.objects[key] = again
	return byItself, "/" + key + " Do\n", nil
}
