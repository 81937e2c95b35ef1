package mark

import (
	"errors"
	"math"
	"slices"
	"unicode/utf8"

	"readymargin/core/ink"
	"readymargin/core/page"
)

// Ink

func (*Ink) Kind() string               { return "ink" }
func (i *Ink) accept(m Mark, v Visitor) { v.Ink(m, i) }

func (i *Ink) Bounds() (r page.Rect) {
	for _, s := range i.InkList {
		r = r.Union(s.Bounds(i.Width))
	}
	return r
}

func (i *Ink) Moved(d page.Point) Body {
	return i.mapped(by(d), 1)
}

func (i *Ink) Fitted(from, to page.Rect) Body {
	// What was rubbed out is a disc, and stays one: it grows as the area does.
	k := math.Sqrt(max(from.Fit(to)(page.Pt(1, 0)).X-from.Fit(to)(page.Point{}).X, 0.01) * max(from.Fit(to)(page.Pt(0, 1)).Y-from.Fit(to)(page.Point{}).Y, 0.01))
	return i.mapped(from.Fit(to), k)
}

func (i *Ink) Turned(about page.Point, degrees float64) Body {
	return i.mapped(around(about, degrees), 1)
}

// mapped returns a copy with every point where f has it, and what was rubbed
// out k times as wide.
func (i *Ink) mapped(f func(page.Point) page.Point, k float64) Body {
	c := *i
	c.InkList = make([]ink.Stroke, len(i.InkList))
	for n, s := range i.InkList {
		c.InkList[n] = s.Map(f)
	}
	c.Rubbed = nil
	for _, r := range i.Rubbed {
		c.Rubbed = append(c.Rubbed, r.Map(f, k))
	}
	return &c
}

func (i *Ink) Restyled(s Style) Body {
	c := *i
	s.apply(nil, &c.Width, &c.Opacity)
	s.mean(&c.Color, &c.Meaning, &c.Sign)
	return &c
}

func (i *Ink) Distance(p page.Point) float64 {
	for _, r := range i.Rubbed {
		if r.Covers(p) {
			return math.Inf(1)
		}
	}
	d := math.Inf(1)
	for _, s := range i.InkList {
		d = min(d, s.Distance(p, i.Width))
	}
	return d
}

// Rubbing returns what a rubber that goes along r leaves of the drawing: nil
// for nothing, and i itself where it touches no ink.
func (i *Ink) Rubbing(r ink.Rub) *Ink {
	touched := false
	left := []ink.Stroke{}
	for _, s := range i.InkList {
		kept, met := s.Rubbed(append(slices.Clone(i.Rubbed), r), i.Width)
		touched = touched || met
		left = append(left, kept...)
	}
	switch {
	case !touched:
		return i
	case len(left) == 0:
		return nil
	}
	c := *i
	c.InkList, c.Rubbed = left, nil
	for _, old := range append(slices.Clone(i.Rubbed), r) {
		for _, s := range left {
			if old.Meets(s, i.Width) {
				c.Rubbed = append(c.Rubbed, old)
				break
			}
		}
	}
	return &c
}

func (i *Ink) check() error {
	if !(i.Width >= 0.25 && i.Width <= 60) || !(i.Opacity >= 0.05 && i.Opacity <= 1) {
		return invalid("pen of width %v and strength %v", i.Width, i.Opacity)
	}
	if err := meaningOK(i.Meaning, i.Sign); err != nil {
		return err
	}
	n := 0
	for _, s := range i.InkList {
		if err := s.Valid(); err != nil {
			return invalid("%v", err)
		}
		// The curve lies between its control points.
		if err := onPaper(page.Bounds(s.Path...)); err != nil {
			return err
		}
		n += len(s.Path)
	}
	for _, r := range i.Rubbed {
		if !r.Valid() {
			return invalid("a rubber %v wide over %d points", 2*r.Radius, len(r.Path))
		}
		n += len(r.Path)
	}
	if n == 0 || n > MaxPoints {
		return invalid("strokes with %d points", n)
	}
	return i.Color.check()
}

// Highlight

func (*Highlight) Kind() string               { return "highlight" }
func (h *Highlight) accept(m Mark, v Visitor) { v.Highlight(m, h) }

func (h *Highlight) Bounds() (r page.Rect) {
	for _, q := range h.Quads() {
		r = r.Union(q.Bounds())
	}
	return r
}

func (h *Highlight) Moved(d page.Point) Body {
	return h.mapped(by(d))
}
func (h *Highlight) Fitted(from, to page.Rect) Body { return h.mapped(from.Fit(to)) }
func (h *Highlight) Turned(about page.Point, degrees float64) Body {
	return h.mapped(around(about, degrees))
}

func (h *Highlight) mapped(f func(page.Point) page.Point) Body {
	c := *h
	c.QuadPoints = mapped(h.Quads(), f)
	return &c
}

// mapped returns quads as numbers, with every corner where f has it.
func mapped(qs []page.Quad, f func(page.Point) page.Point) [][8]float64 {
	for i := range qs {
		for k := range qs[i] {
			qs[i][k] = f(qs[i][k])
		}
	}
	return QuadPoints(qs)
}

// Restyled returns the highlight in another colour, with the meaning that
// goes with it, or none.
func (h *Highlight) Restyled(s Style) Body {
	c := *h
	s.mean(&c.Color, &c.Meaning, &c.Sign)
	return &c
}

func (h *Highlight) Distance(p page.Point) float64 {
	d := math.Inf(1)
	for _, q := range h.Quads() {
		if q.Contains(p) {
			return 0
		}
		d = min(d, q.Bounds().Distance(p))
	}
	return d
}

func (h *Highlight) check() error {
	if len(h.QuadPoints) == 0 || len(h.QuadPoints) > MaxQuads {
		return invalid("a highlight of %d parts", len(h.QuadPoints))
	}
	if err := errors.Join(textOK(h.Text), meaningOK(h.Meaning, h.Sign), onPaper(h.Bounds())); err != nil {
		return err
	}
	return h.Color.check()
}

// Stamp

func (*Stamp) Kind() string               { return "stamp" }
func (s *Stamp) accept(m Mark, v Visitor) { v.Stamp(m, s) }

func (s *Stamp) frame() framed { return framed{s.Rect, s.Turn} }
func (s *Stamp) with(f framed) Body {
	c := *s
	c.Rect, c.Turn = f.rect, f.turn
	return &c
}
func (s *Stamp) Bounds() page.Rect              { return s.frame().bounds() }
func (s *Stamp) Moved(d page.Point) Body        { return s.with(s.frame().moved(d)) }
func (s *Stamp) Fitted(from, to page.Rect) Body { return s.with(s.frame().fitted(from, to)) }
func (s *Stamp) Turned(about page.Point, degrees float64) Body {
	return s.with(s.frame().turned(about, degrees))
}

func (s *Stamp) Restyled(style Style) Body {
	c := *s
	style.apply(&c.Color, nil, nil)
	return &c
}

func (s *Stamp) Distance(p page.Point) float64 { return s.frame().distance(p) }

func (s *Stamp) check() error {
	if !slices.Contains(StampNames, s.Name) {
		return invalid("stamp %q", s.Name)
	}
	return errors.Join(s.frame().check(4), s.Color.check())
}

// strokes of the signs, in a square of side 1, drawn for Ready Margin
var signs = map[string][][]page.Point{
	"tick":  {{{X: 0.1, Y: 0.56}, {X: 0.38, Y: 0.88}, {X: 0.92, Y: 0.1}}},
	"cross": {{{X: 0.14, Y: 0.14}, {X: 0.86, Y: 0.86}}, {{X: 0.86, Y: 0.14}, {X: 0.14, Y: 0.86}}},
	"question": {
		{{X: 0.26, Y: 0.32}, {X: 0.3, Y: 0.16}, {X: 0.42, Y: 0.08}, {X: 0.58, Y: 0.08}, {X: 0.71, Y: 0.18}, {X: 0.72, Y: 0.34}, {X: 0.62, Y: 0.47}, {X: 0.51, Y: 0.54}, {X: 0.5, Y: 0.68}},
		{{X: 0.5, Y: 0.9}, {X: 0.5, Y: 0.91}},
	},
	"star": {{{X: 0.5, Y: 0.06}, {X: 0.63, Y: 0.37}, {X: 0.95, Y: 0.39}, {X: 0.7, Y: 0.6}, {X: 0.78, Y: 0.92}, {X: 0.5, Y: 0.75}, {X: 0.22, Y: 0.92}, {X: 0.3, Y: 0.6}, {X: 0.05, Y: 0.39}, {X: 0.37, Y: 0.37}, {X: 0.5, Y: 0.06}}},
	"smile": {
		ring(0.5, 0.5, 0.43), {{X: 0.36, Y: 0.37}, {X: 0.36, Y: 0.4}}, {{X: 0.64, Y: 0.37}, {X: 0.64, Y: 0.4}},
		{{X: 0.27, Y: 0.6}, {X: 0.35, Y: 0.7}, {X: 0.45, Y: 0.75}, {X: 0.55, Y: 0.75}, {X: 0.65, Y: 0.7}, {X: 0.73, Y: 0.6}},
	},
	"up":   {{{X: 0.5, Y: 0.94}, {X: 0.5, Y: 0.08}}, {{X: 0.24, Y: 0.36}, {X: 0.5, Y: 0.08}, {X: 0.76, Y: 0.36}}},
	"down": {{{X: 0.5, Y: 0.06}, {X: 0.5, Y: 0.92}}, {{X: 0.24, Y: 0.64}, {X: 0.5, Y: 0.92}, {X: 0.76, Y: 0.64}}},
}

func ring(x, y, r float64) (out []page.Point) {
	for i := range 25 {
		sin, cos := math.Sincos(float64(i) * math.Pi / 12)
		out = append(out, page.Pt(x+r*cos, y+r*sin))
	}
	return out
}

// Path returns the lines of the sign and the width they are drawn with.
func (s *Stamp) Path() (p page.Path, width float64) {
	b := rectOf(s.Rect)
	for _, line := range signs[s.Name] {
		for i, q := range line {
			at := page.Pt(b.Min.X+q.X*b.W(), b.Min.Y+q.Y*b.H())
			if i == 0 {
				p.MoveTo(at)
			} else {
				p.LineTo(at)
			}
		}
	}
	return p.Turned(b.Center(), s.Turn), thick(s.Name) * min(b.W(), b.H())
}

// thick is how broad a sign's lines are, as a share of its side.
func thick(name string) float64 {
	if name == "tick" || name == "cross" {
		return 0.13
	}
	return 0.09
}

// Picture

func (*Picture) Kind() string               { return "picture" }
func (p *Picture) accept(m Mark, v Visitor) { v.Picture(m, p) }

func (p *Picture) frame() framed { return framed{p.Rect, p.Turn} }
func (p *Picture) with(f framed) Body {
	c := *p
	c.Rect, c.Turn = f.rect, f.turn
	return &c
}
func (p *Picture) Bounds() page.Rect              { return p.frame().bounds() }
func (p *Picture) Moved(d page.Point) Body        { return p.with(p.frame().moved(d)) }
func (p *Picture) Fitted(from, to page.Rect) Body { return p.with(p.frame().fitted(from, to)) }
func (p *Picture) Turned(about page.Point, degrees float64) Body {
	return p.with(p.frame().turned(about, degrees))
}

// Restyled returns the picture: its colours are its own.
func (p *Picture) Restyled(Style) Body { return p }

func (p *Picture) Distance(q page.Point) float64 { return p.frame().distance(q) }

func (p *Picture) check() error {
	if !isHash(p.Hash) || utf8.RuneCountInString(p.Name) > 200 {
		return invalid("picture %q, called %q", p.Hash, p.Name)
	}
	if len(p.Words) > MaxPictureWords {
		return invalid("a picture with %d bytes of words", len(p.Words))
	}
	return errors.Join(textOK(p.Name), textOK(p.Words), p.frame().check(4))
}

// isHash reports whether s is a SHA-256 in hexadecimal.
func isHash(s string) bool { return len(s) == 64 && consistsOf(s, hex) }

// Note

// NoteRadius is the size of a note's point on the page.
const NoteRadius = 7

func (*Note) Kind() string               { return "note" }
func (n *Note) accept(m Mark, v Visitor) { v.Note(m, n) }

// Place returns where the note's point was set.
func (n *Note) Place() page.Point { return page.Pt(n.At[0], n.At[1]) }

// PlaceOn returns where the note's point stands beside the mark that it speaks
// about, as that mark is now.
func (n *Note) PlaceOn(about Body) page.Point {
	if n.From == nil {
		return n.Place()
	}
	return n.Place().Add(about.Bounds().Min.Sub(page.Pt(n.From[0], n.From[1]))).Round()
}

func (n *Note) Bounds() page.Rect {
	return page.Rect{Min: n.Place(), Max: n.Place()}.Grow(NoteRadius)
}

func (n *Note) Moved(d page.Point) Body {
	c := *n
	p := n.Place().Add(d).Round()
	c.At = [2]float64{p.X, p.Y}
	return &c
}

// Fitted and Turned move the note's point; it stays as large and upright.
func (n *Note) Fitted(from, to page.Rect) Body {
	return n.Moved(from.Fit(to)(n.Place()).Sub(n.Place()))
}
func (n *Note) Turned(about page.Point, degrees float64) Body {
	return n.Moved(n.Place().Turned(about, degrees).Sub(n.Place()))
}

func (n *Note) Restyled(s Style) Body {
	c := *n
	s.mean(&c.Color, &c.Meaning, &c.Sign)
	return &c
}

func (n *Note) Distance(p page.Point) float64 { return max(p.Dist(n.Place())-NoteRadius, 0) }

func (n *Note) check() error {
	if n.On != "" && !ValidID(n.On) {
		return invalid("on %q", n.On)
	}
	if n.Color != "" && n.Color.check() != nil {
		return n.Color.check()
	}
	switch {
	case utf8.RuneCountInString(n.Help) > 60:
		return invalid("help by %q", n.Help)
	case !slices.Contains(Says, n.Says):
		return invalid("a note that says %q", n.Says)
	case utf8.RuneCountInString(n.Quote) > 400:
		return invalid("a quotation of %d letters", utf8.RuneCountInString(n.Quote))
	case n.From != nil && !(math.Abs(n.From[0]) < far && math.Abs(n.From[1]) < far):
		return invalid("a mark that began at %v", *n.From)
	}
	if err := errors.Join(textOK(n.Quote), meaningOK(n.Meaning, n.Sign), onPaper(n.Bounds())); err != nil {
		return err
	}
	return said(n.Text, n.Voice)
}

// Reply

func (*Reply) Kind() string                      { return "reply" }
func (r *Reply) accept(m Mark, v Visitor)        { v.Reply(m, r) }
func (r *Reply) Bounds() page.Rect               { return page.Rect{} }
func (r *Reply) Moved(page.Point) Body           { return r }
func (r *Reply) Fitted(_, _ page.Rect) Body      { return r }
func (r *Reply) Turned(page.Point, float64) Body { return r }
func (r *Reply) Restyled(Style) Body             { return r }

// Distance is infinite: a reply is not on the page.
func (r *Reply) Distance(page.Point) float64 { return math.Inf(1) }

func (r *Reply) check() error {
	if !ValidID(r.To) {
		return invalid("reply to %q", r.To)
	}
	if (r.Done || r.Asks != 0) && r.Text == "" && r.Voice == nil {
		return nil
	}
	return said(r.Text, r.Voice)
}

// Bounds of a spoken remark.
const (
	MaxVoice = 20 * 60 * 1000 // milliseconds
	MaxPeaks = 256
)

// can reports whether there can be such a recording: it lasts, and its peaks
// are hundredths of full scale.
func (v *Voice) can() bool {
	for _, p := range v.Peaks {
		if p < 0 || p > 100 {
			return false
		}
	}
	if v.Times < 0 || v.Times > MostTimes || textOK(v.Words) != nil {
		return false
	}
	return isHash(v.Sound) && (v.Trail == "" || isHash(v.Trail)) && v.Milliseconds > 0 && v.Milliseconds <= MaxVoice && len(v.Peaks) <= MaxPeaks
}

// said checks that something was said: some text, a voice, or both.
func said(text string, v *Voice) error {
	if text == "" && v == nil {
		return invalid("nothing said")
	}
	if v != nil && !v.can() {
		return invalid("voice %q of %d ms with %d peaks", v.Sound, v.Milliseconds, len(v.Peaks))
	}
	return textOK(text)
}
