package annotation

import (
	"cmp"
	"encoding/json"
	"math"
	"strings"

	"readymargin/core/ink"
	"readymargin/core/mark"
	"readymargin/core/page"
	"readymargin/core/typeset"
)

// Taken is what becomes of an annotation that is brought in.
type Taken struct {
	Mark  *mark.Mark // nil where there is no mark for it
	Note  *mark.Mark // what is said about it, where it is no note itself
	Frame *mark.Mark // the border around text, which is a mark of its own here
	// Ours says that it was taken away from here and is as it was: Mark has the ID
	// that it had. Moved says that it has only been moved since.
	Ours, Moved bool
}

// Take returns the mark that an annotation becomes: the one that it was taken
// away as, where it was taken away from here and nobody changed it since; else
// one of its kind, or of the nearest kind that there is. Names for new marks
// come from name. Marks that are returned are valid.
func (a Annotation) Take(name func() string) (t Taken) {
	if a.Hidden {
		return Taken{}
	}
	if own := a.own(); own.Mark != nil {
		for _, d := range []page.Point{{}, a.shift(*own.Mark)} {
			m := *own.Mark
			if d != (page.Point{}) {
				m.Body = m.Body.Moved(d)
			}
			if was, ok := Of(m); ok && m.Valid() == nil && a.same(was) {
				t = Taken{Mark: &m, Ours: true, Moved: d != page.Point{}}
				if n, ok := own.note(); ok && spaced(n.Text) == spaced(a.Contents) {
					t.Note = own.Note
				} else {
					t.Note = a.note(m, was.Contents, name)
				}
				return t
			}
		}
	}
	m := mark.Mark{ID: name(), Page: a.Page, Body: a.body()}
	if m.Body == nil || m.Valid() != nil {
		return Taken{}
	}
	t = Taken{Mark: &m}
	if a.Subtype != FreeText && a.Subtype != Text && a.Subtype != Caret {
		t.Note = a.note(m, "", name)
	}
	if a.Subtype == FreeText {
		t.Frame = a.around(name)
	}
	return t
}

// around returns the border that text has about it, in the colour of its letters (common
// practice, no source); nil where none is asked for.
func (a Annotation) around(name func() string) *mark.Mark {
	if a.Width <= 0 || a.Inner.Empty() && a.Rect.Empty() {
		return nil
	}
	r := a.Inner
	if r.Empty() {
		r = a.Rect
	}
	r = r.Grow(-a.Width / 2)
	color := a.Letters
	if !color.Good() {
		color = "#000000"
	}
	m := mark.Mark{ID: name(), Page: a.Page, Body: &mark.Square{Shape: mark.Shape{Color: color, Width: page.Round(a.Width), Opacity: a.strength()},
		Rect: [4]float64{page.Round(r.Min.X), page.Round(r.Min.Y), page.Round(r.Max.X), page.Round(r.Max.Y)}}}
	if m.Valid() != nil {
		return nil
	}
	return &m
}

// own returns the mark that the annotation was taken away as. What was filled
// into fields, and what is said in answer, is never one.
func (a Annotation) own() (k kept) {
	if a.Own == "" || len(a.Own) > 4<<20 || json.Unmarshal([]byte(a.Own), &k) != nil || k.Mark == nil {
		return kept{}
	}
	k.Mark.Page = a.Page
	if k.Note != nil {
		k.Note.Page = a.Page
	}
	return k
}

func (k kept) note() (*mark.Note, bool) {
	if k.Note == nil {
		return nil, false
	}
	n, ok := k.Note.Body.(*mark.Note)
	return n, ok
}

// note returns what is said about a mark as a note beside it, unless it is only
// what readers are told of every such mark.
func (a Annotation) note(m mark.Mark, usual string, name func() string) *mark.Mark {
	text := strings.TrimSpace(a.Contents)
	if text == "" || text == usual || a.ReplyTo != "" && a.Group {
		return nil
	}
	switch a.Subtype {
	case FreeText, Text, Caret, Stamp:
		return nil
	}
	if quoted, ok := m.Body.(*mark.Highlight); ok && strings.EqualFold(text, quoted.Text) {
		return nil
	}
	b := m.Body.Bounds()
	at := page.Pt(b.Max.X, b.Min.Y).Round()
	n := mark.Mark{ID: name(), Page: m.Page, Body: &mark.Note{
		At: [2]float64{at.X, at.Y}, On: m.ID, From: &[2]float64{page.Round(b.Min.X), page.Round(b.Min.Y)}, Text: text}}
	if n.Valid() != nil {
		return nil
	}
	return &n
}

// near is how far what is read back may be from what was written, in points:
// numbers in files have a few digits.
const near = 0.03

// same reports whether an annotation still says what was written: its geometry and
// its looks. Who wrote it when, and what is said about it, may be otherwise.
func (a Annotation) same(was Annotation) bool {
	if a.Subtype != was.Subtype || a.Color != was.Color || a.Interior != was.Interior || a.Icon != was.Icon || a.Align != was.Align {
		return false
	}
	if a.Subtype == FreeText || a.Subtype == Text {
		if spaced(a.Contents) != spaced(was.Contents) || a.Letters != was.Letters || math.Abs(a.Size-was.Size) > near {
			return false
		}
	}
	if math.Abs(cmp.Or(a.Opacity, 1)-cmp.Or(was.Opacity, 1)) > 0.006 || math.Abs(a.Width-was.Width) > near && was.Width != 0 || a.Endings != was.Endings {
		return false
	}
	if len(a.InkList) != len(was.InkList) || len(a.Quads) != len(was.Quads) {
		return false
	}
	for i := range a.InkList {
		if !together(a.InkList[i], was.InkList[i]) {
			return false
		}
	}
	for i := range a.Quads {
		if !together(a.Quads[i][:], was.Quads[i][:]) {
			return false
		}
	}
	return together(a.Vertices, was.Vertices) && together([]page.Point{a.Rect.Min, a.Rect.Max}, []page.Point{was.Rect.Min, was.Rect.Max})
}

func spaced(s string) string { return strings.Join(strings.Fields(s), " ") }

func together(a, b []page.Point) bool {
	if len(a) != len(b) {
		return false
	}
	for i := range a {
		if math.Abs(a[i].X-b[i].X) > near || math.Abs(a[i].Y-b[i].Y) > near {
			return false
		}
	}
	return true
}

// shift returns how far the annotation is from where it was.
func (a Annotation) shift(own mark.Mark) page.Point {
	was, ok := Of(own)
	if !ok {
		return page.Point{}
	}
	return a.Rect.Min.Sub(was.Rect.Min).Round()
}

// body returns a mark's body for an annotation that was made elsewhere, nil where
// there is none.
func (a Annotation) body() mark.Body {
	switch a.Subtype {
	case Highlight:
		if q := a.quads(); q != nil {
			return &mark.Highlight{Color: a.wash(), QuadPoints: mark.QuadPoints(q)}
		}
	case Underline, Squiggly:
		if q := a.quads(); q != nil {
			return &mark.Underline{Markup: mark.Markup{Color: a.ink("#000000"), QuadPoints: mark.QuadPoints(q)}}
		}
	case StrikeOut:
		if q := a.quads(); q != nil {
			return &mark.StrikeOut{Markup: mark.Markup{Color: a.ink("#c22f20"), QuadPoints: mark.QuadPoints(q)}}
		}
	case Ink:
		return a.drawing()
	case Line:
		if len(a.Vertices) >= 2 {
			from, to := a.Vertices[0].Round(), a.Vertices[1].Round()
			return &mark.Line{Shape: a.shape(), L: [4]float64{from.X, from.Y, to.X, to.Y}, LineEnding: a.endings()}
		}
	case PolyLine, Polygon:
		vs := a.Vertices
		if len(vs) >= 3 && a.Subtype == Polygon {
			vs = append(vs[:len(vs):len(vs)], vs[0])
		}
		if len(vs) >= 2 {
			l := &mark.PolyLine{Shape: a.shape(), LineEnding: a.endings()}
			for _, p := range vs {
				p = p.Round()
				l.Vertices = append(l.Vertices, [2]float64{p.X, p.Y})
			}
			return l
		}
	case Square:
		return &mark.Square{Shape: a.shape(), Rect: a.frame()}
	case Circle:
		return &mark.Circle{Shape: a.shape(), Rect: a.frame()}
	case FreeText:
		return a.text()
	case Text, Caret:
		if a.State != "" || strings.TrimSpace(a.Contents) == "" {
			return nil
		}
		at := a.Rect.Center().Round()
		n := &mark.Note{At: [2]float64{at.X, at.Y}, Text: strings.TrimSpace(a.Contents)}
		if a.Color.Good() && a.Color != "#ffffff" {
			n.Color = a.Color
		}
		return n
	}
	return nil
}

// ink returns the annotation's colour, or another where it has none.
func (a Annotation) ink(or mark.Color) mark.Color {
	if a.Color.Good() {
		return a.Color
	}
	return or
}

// wash returns the colour that a highlight has on white paper, given how strongly
// it is laid on.
func (a Annotation) wash() mark.Color {
	return a.ink("#ffe14a").Thinned(cmp.Or(a.Opacity, 1))
}

func (a Annotation) shape() mark.Shape {
	w := a.Width
	if w == 0 {
		w = 1
	}
	fill := a.Interior
	if !fill.Good() || a.Subtype == Line {
		fill = "" // of a line's endings
	}
	return mark.Shape{Fill: fill, Color: a.ink("#000000"), Width: min(max(page.Round(w), 0.25), 60), Opacity: a.strength()}
}

func (a Annotation) strength() float64 {
	return min(max(page.Round(cmp.Or(a.Opacity, 1)), 0.05), 1)
}

func (a Annotation) endings() (out [2]string) {
	for i, e := range a.Endings {
		if strings.HasSuffix(e, "Arrow") && !strings.HasPrefix(e, "R") { // reversed ones point backwards
			out[i] = "OpenArrow"
		}
	}
	return out
}

// frame returns the rectangle whose outline is in the middle of the border.
func (a Annotation) frame() [4]float64 {
	r := a.Inner
	if r.Empty() {
		r = a.Rect
	}
	if in := r.Grow(-max(a.Width, 0) / 2); in.W() >= 2 && in.H() >= 2 {
		r = in // the border is drawn inside of it
	}
	return [4]float64{page.Round(r.Min.X), page.Round(r.Min.Y), page.Round(r.Max.X), page.Round(r.Max.Y)}
}

// quads returns the regions of words, at most as many as a mark can have. An
// annotation without any is of all its rectangle.
func (a Annotation) quads() []page.Quad {
	var out []page.Quad
	for _, q := range a.Quads {
		if b := q.Bounds(); b.W() > 0.5 && b.H() > 0.5 && len(out) < mark.MaxQuads {
			out = append(out, q)
		}
	}
	if len(out) == 0 && len(a.Quads) == 0 && !a.Rect.Empty() {
		return []page.Quad{page.QuadOf(a.Rect)}
	}
	return out
}

// drawing returns ink that goes straight from place to place.
func (a Annotation) drawing() mark.Body {
	i := &mark.Ink{Color: a.ink("#000000"), Opacity: a.strength(), Width: a.shape().Width}
	const most = mark.MaxPoints/3 - 1 // places that one stroke can go through
	for _, ps := range a.InkList {
		for first := 0; first < max(len(ps)-1, 1); first += most - 1 {
			if s, ok := ink.Through(ps[first:min(first+most, len(ps))]); ok {
				i.InkList = append(i.InkList, s)
			}
		}
	}
	if len(i.InkList) == 0 {
		return nil
	}
	return i
}

// pad is between the edge of a text's rectangle and its letters, in points: what
// most programs leave.
const pad = 2

// Set returns the annotation's words as typed text in its rectangle, false where it
// has none.
func (a Annotation) Set() (*mark.FreeText, bool) {
	t, ok := a.text().(*mark.FreeText)
	return t, ok
}

// text returns typed text set in the annotation's rectangle.
func (a Annotation) text() mark.Body {
	look := mark.Run{Size: a.Size, Color: a.Letters, Font: fontOf(a.Font)}
	if !(look.Size >= 4 && look.Size <= 200) {
		look.Size = 12
	}
	if !look.Color.Good() {
		look.Color = "#000000"
	}
	paragraphs := plainRuns(a.Rich, look)
	if spaced(textOf(paragraphs)) != spaced(a.Contents) && strings.TrimSpace(a.Contents) != "" {
		paragraphs = nil // what readers are told counts
		for _, p := range strings.FieldsFunc(strings.ReplaceAll(a.Contents, "\r\n", "\n"), func(r rune) bool { return r == '\n' || r == '\r' }) {
			one := look
			one.Text = p
			paragraphs = append(paragraphs, []mark.Run{one})
		}
	}
	if strings.TrimSpace(textOf(paragraphs)) == "" {
		return nil
	}
	in := a.Inner
	if in.Empty() {
		in = a.Rect
	}
	room := max(in.W()-2*pad, 4)
	t := &mark.FreeText{Align: []string{"", "center", "right"}[min(max(a.Align, 0), 2)], Fill: a.Color}
	for _, p := range paragraphs {
		lines := typeset.WrapRuns(p, room+0.5)
		for i, l := range lines {
			t.Lines = append(t.Lines, mark.TextLine{Runs: l, Hard: i == len(lines)-1})
		}
	}
	for i := range t.Lines {
		w := 0.0
		for k := range t.Lines[i].Runs {
			r := &t.Lines[i].Runs[k]
			r.Width = page.Round(r.Width)
			w += r.Width
		}
		t.Width = max(t.Width, page.Round(w))
		switch t.Align {
		case "center":
			t.Lines[i].X = page.Round(max(room-w, 0) / 2)
		case "right":
			t.Lines[i].X = page.Round(max(room-w, 0))
		}
	}
	if t.Align != "" || len(t.Lines) > len(paragraphs) {
		t.Box = page.Round(room)
	}
	t.X, t.Y = page.Round(in.Min.X+pad), page.Round(in.Min.Y+pad+0.95*t.Size())
	return t
}

func textOf(paragraphs [][]mark.Run) string {
	var b strings.Builder
	for _, p := range paragraphs {
		for _, r := range p {
			b.WriteString(r.Text)
		}
		b.WriteByte('\n')
	}
	return b.String()
}
