package mark

import (
	"cmp"
	"errors"
	"math"

	"readymargin/core/page"
)

// Shape is how a line, a box or an ellipse is drawn.
type Shape struct {
	Color   Color   `json:"color"`
	Width   float64 `json:"width"`   // points
	Opacity float64 `json:"opacity"` // 0 to 1
	Meaning string  `json:"meaning,omitempty"`
	Sign    string  `json:"sign,omitempty"`
	Heads   float64 `json:"heads,omitempty"` // size of arrows' heads, as a factor; 0 for 1
	Fill    Color   `json:"fill,omitempty"`  // inside; none when empty
}

func (s Shape) check(around page.Rect) error {
	if s.Heads != 0 && !(s.Heads >= 0.5 && s.Heads <= 3) {
		return invalid("heads of %v", s.Heads)
	}
	if !(s.Width >= 0.25 && s.Width <= 60) || !(s.Opacity >= 0.05 && s.Opacity <= 1) {
		return invalid("a line of width %v and strength %v", s.Width, s.Opacity)
	}
	if s.Fill != "" && s.Fill.check() != nil {
		return s.Fill.check()
	}
	return errors.Join(s.Color.check(), meaningOK(s.Meaning, s.Sign), onPaper(around))
}

func (s Shape) restyled(style Style) Shape {
	style.mean(&s.Color, &s.Meaning, &s.Sign)
	style.apply(nil, &s.Width, &s.Opacity)
	return s
}

// A Line is a straight line (the Line of ISO 32000-2), with an arrow's head at either end or none.
type Line struct {
	Shape
	L          [4]float64 `json:"l"`                    // from x, y to x, y
	LineEnding [2]string  `json:"lineEnding,omitempty"` // OpenArrow, or "" for none
}

// PolyLine is a line through several places.
type PolyLine struct {
	Shape
	Vertices   [][2]float64 `json:"vertices"`
	LineEnding [2]string    `json:"lineEnding,omitempty"`
}

// Square is a box, and Circle an ellipse; both may be turned.
type Square struct {
	Shape
	Rect [4]float64 `json:"rect"`           // left, top, right, bottom
	Turn float64    `json:"turn,omitempty"` // degrees clockwise about its middle
}

// Circle is an ellipse in a rectangle.
type Circle struct {
	Shape
	Rect [4]float64 `json:"rect"`           // left, top, right, bottom
	Turn float64    `json:"turn,omitempty"` // degrees clockwise about its middle
}

// Ends returns where the line begins and ends.
func (l *Line) Ends() (from, to page.Point) {
	return page.Pt(l.L[0], l.L[1]), page.Pt(l.L[2], l.L[3])
}

// Head is the length of an arrow's head, in points.
func (s Shape) Head() float64 { return (4 + 3*s.Width) * cmp.Or(s.Heads, 1) }

// reach is how far a line with such endings is painted beyond its middle.
func (s Shape) reach(endings [2]string) float64 {
	if endings == [2]string{} {
		return s.Width / 2
	}
	return s.Width/2 + 0.5*s.Head()
}

func (*Line) Kind() string               { return "line" }
func (l *Line) accept(m Mark, v Visitor) { v.Line(m, l) }

func (l *Line) Bounds() page.Rect {
	return rectOf(l.L).Grow(l.reach(l.LineEnding))
}

func (l *Line) Moved(d page.Point) Body {
	return l.mapped(by(d))
}
func (l *Line) Fitted(from, to page.Rect) Body { return l.mapped(from.Fit(to)) }
func (l *Line) Turned(about page.Point, degrees float64) Body {
	return l.mapped(around(about, degrees))
}

func (l *Line) mapped(f func(page.Point) page.Point) Body {
	from, to := l.Ends()
	from, to = f(from).Round(), f(to).Round()
	return &Line{l.Shape, [4]float64{from.X, from.Y, to.X, to.Y}, l.LineEnding}
}

func (l *Line) Restyled(s Style) Body { return &Line{l.restyled(s), l.L, l.LineEnding} }

func (l *Line) Distance(p page.Point) float64 {
	a, b := l.Ends()
	return max(p.ToSegment(a, b)-l.Width/2, 0)
}

func (l *Line) check() error {
	if a, b := l.Ends(); !(a.Dist(b) >= 1) {
		return invalid("a line of %v", a.Dist(b))
	}
	return errors.Join(endings(l.LineEnding), l.Shape.check(l.Bounds()))
}

func endings(of [2]string) error {
	for _, e := range of {
		if e != "" && e != "OpenArrow" {
			return invalid("line ending %q", e)
		}
	}
	return nil
}

// Polyline

func (*PolyLine) Kind() string               { return "polyline" }
func (l *PolyLine) accept(m Mark, v Visitor) { v.PolyLine(m, l) }

// Points returns the places that the line goes through.
func (l *PolyLine) Points() []page.Point {
	out := make([]page.Point, len(l.Vertices))
	for i, v := range l.Vertices {
		out[i] = page.Pt(v[0], v[1])
	}
	return out
}

func (l *PolyLine) Bounds() page.Rect {
	return page.Bounds(l.Points()...).Grow(l.reach(l.LineEnding))
}

func (l *PolyLine) Moved(d page.Point) Body {
	return l.mapped(by(d))
}
func (l *PolyLine) Fitted(from, to page.Rect) Body { return l.mapped(from.Fit(to)) }
func (l *PolyLine) Turned(about page.Point, degrees float64) Body {
	return l.mapped(around(about, degrees))
}

func (l *PolyLine) mapped(f func(page.Point) page.Point) Body {
	c := *l
	c.Vertices = make([][2]float64, len(l.Vertices))
	for i, p := range l.Points() {
		p = f(p).Round()
		c.Vertices[i] = [2]float64{p.X, p.Y}
	}
	return &c
}

func (l *PolyLine) Restyled(s Style) Body {
	return &PolyLine{l.restyled(s), l.Vertices, l.LineEnding}
}

func (l *PolyLine) Distance(p page.Point) float64 {
	d, ps := math.Inf(1), l.Points()
	for i := 1; i < len(ps); i++ {
		d = min(d, p.ToSegment(ps[i-1], ps[i]))
	}
	return max(d-l.Width/2, 0)
}

func (l *PolyLine) check() error {
	if len(l.Vertices) < 2 || len(l.Vertices) > 500 {
		return invalid("a line through %d places", len(l.Vertices))
	}
	return errors.Join(endings(l.LineEnding), l.Shape.check(l.Bounds()))
}

// by and around are the maps of page space that move and turn marks.
func by(d page.Point) func(page.Point) page.Point {
	return func(p page.Point) page.Point { return p.Add(d) }
}
func around(c page.Point, degrees float64) func(page.Point) page.Point {
	return func(p page.Point) page.Point { return p.Turned(c, degrees) }
}

func rectOf(r [4]float64) page.Rect { return page.R(r[0], r[1], r[2], r[3]) }

// framed is a rectangle turned about its middle.
type framed struct {
	rect [4]float64
	turn float64
}

func (f framed) quad() page.Quad {
	r := rectOf(f.rect)
	return page.QuadOf(r).Turned(r.Center(), f.turn)
}

func (f framed) bounds() page.Rect { return f.quad().Bounds() }

// own returns p as the rectangle would see it if it were not turned.
func (f framed) own(p page.Point) page.Point { return p.Turned(rectOf(f.rect).Center(), -f.turn) }

func (f framed) distance(p page.Point) float64 { return rectOf(f.rect).Distance(f.own(p)) }

// fitted puts the middle where the map has it and stretches along the
// rectangle's own sides.
func (f framed) fitted(from, to page.Rect) framed {
	r, fit := rectOf(f.rect), from.Fit(to)
	a, b := fit(r.Min), fit(r.Max)
	s := page.R(a.X, a.Y, b.X, b.Y)
	return framed{[4]float64{page.Round(s.Min.X), page.Round(s.Min.Y), page.Round(s.Max.X), page.Round(s.Max.Y)}, f.turn}
}

func (f framed) moved(d page.Point) framed {
	r := f.rect
	return framed{[4]float64{page.Round(r[0] + d.X), page.Round(r[1] + d.Y), page.Round(r[2] + d.X), page.Round(r[3] + d.Y)}, f.turn}
}

func (f framed) turned(about page.Point, degrees float64) framed {
	c := rectOf(f.rect).Center()
	f = f.moved(c.Turned(about, degrees).Sub(c))
	return framed{f.rect, turn(f.turn + degrees)}
}

func (f framed) check(least float64) error {
	r := rectOf(f.rect)
	if !(r.W() >= least && r.H() >= least) || !(f.turn >= -360 && f.turn <= 360) {
		return invalid("%v x %v, turned by %v", r.W(), r.H(), f.turn)
	}
	return onPaper(f.bounds())
}

func (*Square) Kind() string               { return "square" }
func (s *Square) accept(m Mark, v Visitor) { v.Square(m, s) }
func (s *Square) frame() framed            { return framed{s.Rect, s.Turn} }
func (s *Square) with(f framed) Body       { return &Square{s.Shape, f.rect, f.turn} }
func (s *Square) Bounds() page.Rect        { return s.frame().bounds().Grow(s.Width / 2) }
func (s *Square) Moved(d page.Point) Body  { return s.with(s.frame().moved(d)) }
func (s *Square) Restyled(t Style) Body    { return &Square{s.restyled(t), s.Rect, s.Turn} }
func (s *Square) check() error             { return errors.Join(s.frame().check(2), s.Shape.check(s.Bounds())) }
func (s *Square) Fitted(from, to page.Rect) Body {
	return s.with(s.frame().fitted(from, to))
}
func (s *Square) Turned(about page.Point, degrees float64) Body {
	return s.with(s.frame().turned(about, degrees))
}

// Distance is that to the box's lines: what is in it is free to be met.
func (s *Square) Distance(p page.Point) float64 {
	r, p := rectOf(s.Rect), s.frame().own(p)
	d := r.Distance(p)
	if r.Contains(p) {
		d = min(p.X-r.Min.X, r.Max.X-p.X, p.Y-r.Min.Y, r.Max.Y-p.Y)
	}
	return max(d-s.Width/2, 0)
}

func (*Circle) Kind() string               { return "circle" }
func (c *Circle) accept(m Mark, v Visitor) { v.Circle(m, c) }
func (c *Circle) frame() framed            { return framed{c.Rect, c.Turn} }
func (c *Circle) with(f framed) Body       { return &Circle{c.Shape, f.rect, f.turn} }
func (c *Circle) Moved(d page.Point) Body  { return c.with(c.frame().moved(d)) }
func (c *Circle) Restyled(t Style) Body    { return &Circle{c.restyled(t), c.Rect, c.Turn} }
func (c *Circle) check() error             { return errors.Join(c.frame().check(2), c.Shape.check(c.Bounds())) }
func (c *Circle) Fitted(from, to page.Rect) Body {
	return c.with(c.frame().fitted(from, to))
}
func (c *Circle) Turned(about page.Point, degrees float64) Body {
	return c.with(c.frame().turned(about, degrees))
}

// Bounds of a turned ellipse are tighter than those of its turned box.
func (c *Circle) Bounds() page.Rect {
	r := rectOf(c.Rect)
	sin, cos := math.Sincos(c.Turn * math.Pi / 180)
	w, h := math.Hypot(r.W()/2*cos, r.H()/2*sin), math.Hypot(r.W()/2*sin, r.H()/2*cos)
	m := r.Center()
	return page.R(m.X-w, m.Y-h, m.X+w, m.Y+h).Grow(c.Width / 2)
}

// Distance is that to the ellipse's line, along the ray from its centre.
func (c *Circle) Distance(p page.Point) float64 {
	r := rectOf(c.Rect)
	d := c.frame().own(p).Sub(r.Center())
	share := math.Hypot(d.X/(r.W()/2), d.Y/(r.H()/2)) // 1 on the line
	if share == 0 {
		return max(min(r.W(), r.H())/2-c.Width/2, 0)
	}
	return max(math.Abs(d.Len()-d.Len()/share)-c.Width/2, 0)
}

// Frame returns the rectangle that b fills before it is turned, the place
// about which it is turned and by how many degrees, clockwise.
func Frame(b Body) (r page.Rect, pivot page.Point, degrees float64) {
	switch b := b.(type) {
	case *FreeText:
		return b.Frame(), b.Anchor(), b.Turn
	case interface{ frame() framed }:
		f := b.frame()
		r = rectOf(f.rect)
		return r, r.Center(), f.turn
	}
	r = b.Bounds()
	return r, r.Center(), 0
}

// Reframed returns b with to in place of its frame. Sides that the two have in
// common keep their place on the page, also when b is turned.
func Reframed(b Body, to page.Rect) Body {
	from, pivot, degrees := Frame(b)
	now := from.Fit(to)(pivot)
	return b.Fitted(from, to).Moved(now.Turned(pivot, degrees).Sub(now))
}
