package mark

import (
	"errors"
	"math"
	"unicode/utf8"

	"readymargin/core/page"
)

// Markup is a mark over words: one quad a line.
type Markup struct {
	Color      Color        `json:"color"`
	QuadPoints [][8]float64 `json:"quadPoints"` // corners in the order of page.Quad
	Text       string       `json:"text,omitempty"`
	Meaning    string       `json:"meaning,omitempty"` // of the colour key, if chosen by it
	Sign       string       `json:"sign,omitempty"`    // of that meaning, painted beside it
}

// Underline is a line under words.
type Underline struct{ Markup }

// StrikeOut is a line through words.
type StrikeOut struct{ Markup }

// Quads returns the regions of the words.
func (m Markup) Quads() []page.Quad { return (&Highlight{QuadPoints: m.QuadPoints}).Quads() }

func (m Markup) Bounds() page.Rect { return (&Highlight{QuadPoints: m.QuadPoints}).Bounds() }

func (m Markup) moved(d page.Point) Markup {
	qs := m.Quads()
	for i := range qs {
		qs[i] = qs[i].Add(d)
	}
	m.QuadPoints = QuadPoints(qs)
	return m
}

func (m Markup) recoloured(c Color) Markup {
	m.Color, m.Meaning, m.Sign = c, "", ""
	return m
}

// Distance is that to the words: a line under them is too thin to be met.
func (m Markup) Distance(p page.Point) float64 {
	return (&Highlight{QuadPoints: m.QuadPoints}).Distance(p)
}

func (m Markup) check() error {
	return (&Highlight{Color: m.Color, QuadPoints: m.QuadPoints, Text: m.Text, Meaning: m.Meaning, Sign: m.Sign}).check()
}

func (*Underline) Kind() string               { return "underline" }
func (u *Underline) accept(m Mark, v Visitor) { v.Underline(m, u) }
func (u *Underline) Moved(d page.Point) Body  { return &Underline{u.moved(d)} }
func (u *Underline) Recoloured(c Color) Body  { return &Underline{u.recoloured(c)} }
func (*StrikeOut) Kind() string               { return "strikeout" }
func (s *StrikeOut) accept(m Mark, v Visitor) { v.StrikeOut(m, s) }
func (s *StrikeOut) Moved(d page.Point) Body  { return &StrikeOut{s.moved(d)} }
func (s *StrikeOut) Recoloured(c Color) Body  { return &StrikeOut{s.recoloured(c)} }

// Shape is how a line, a box or an ellipse is drawn.
type Shape struct {
	Color   Color   `json:"color"`
	Width   float64 `json:"width"`   // points
	Opacity float64 `json:"opacity"` // 0 to 1
	Meaning string  `json:"meaning,omitempty"`
	Sign    string  `json:"sign,omitempty"`
}

func (s Shape) check(around page.Rect) error {
	switch {
	case !(s.Width >= 0.25 && s.Width <= 60) || !(s.Opacity >= 0.05 && s.Opacity <= 1):
		return invalid("a line of width %v and strength %v", s.Width, s.Opacity)
	case utf8.RuneCountInString(s.Meaning) > 40 || utf8.RuneCountInString(s.Sign) > 3:
		return invalid("meaning %q with the sign %q", s.Meaning, s.Sign)
	}
	return errors.Join(s.Color.check(), textOK(s.Meaning+s.Sign), onPaper(around))
}

func (s Shape) recoloured(c Color) Shape {
	s.Color, s.Meaning, s.Sign = c, "", ""
	return s
}

// Straight is a straight line (the Line of ISO 32000-2), with an arrow's head at either end or none.
type Straight struct {
	Shape
	L          [4]float64 `json:"l"`                    // from x, y to x, y
	LineEnding [2]string  `json:"lineEnding,omitempty"` // OpenArrow, or "" for none
}

// Square is a box, and Circle an ellipse, along the page's edges.
type Square struct {
	Shape
	Rect [4]float64 `json:"rect"` // left, top, right, bottom
}

// Circle is an ellipse in a rectangle.
type Circle struct {
	Shape
	Rect [4]float64 `json:"rect"` // left, top, right, bottom
}

// Ends returns where the line begins and ends.
func (l *Straight) Ends() (from, to page.Point) {
	return page.Pt(l.L[0], l.L[1]), page.Pt(l.L[2], l.L[3])
}

// Head is the length of an arrow's head, in points.
func (s Shape) Head() float64 { return 4 + 3*s.Width }

func (*Straight) Kind() string               { return "line" }
func (l *Straight) accept(m Mark, v Visitor) { v.Straight(m, l) }

func (l *Straight) Bounds() page.Rect {
	grow := l.Width / 2
	if l.LineEnding != [2]string{} {
		grow += 0.5 * l.Head()
	}
	return page.R(l.L[0], l.L[1], l.L[2], l.L[3]).Grow(grow)
}

func (l *Straight) Moved(d page.Point) Body {
	c := *l
	for i := range c.L {
		c.L[i] = page.Round(c.L[i] + []float64{d.X, d.Y}[i%2])
	}
	return &c
}

func (l *Straight) Recoloured(c Color) Body { return &Straight{l.recoloured(c), l.L, l.LineEnding} }

func (l *Straight) Distance(p page.Point) float64 {
	a, b := l.Ends()
	along := b.Sub(a)
	t := 0.0
	if n := along.Dot(along); n > 0 {
		t = min(max(p.Sub(a).Dot(along)/n, 0), 1)
	}
	return max(p.Dist(a.Add(along.Mul(t)))-l.Width/2, 0)
}

func (l *Straight) check() error {
	for _, e := range l.LineEnding {
		if e != "" && e != "OpenArrow" {
			return invalid("line ending %q", e)
		}
	}
	if a, b := l.Ends(); a.Dist(b) < 1 {
		return invalid("a line of %v", a.Dist(b))
	}
	return l.Shape.check(l.Bounds())
}

func rectOf(r [4]float64) page.Rect { return page.R(r[0], r[1], r[2], r[3]) }

func movedRect(r [4]float64, d page.Point) [4]float64 {
	return [4]float64{page.Round(r[0] + d.X), page.Round(r[1] + d.Y), page.Round(r[2] + d.X), page.Round(r[3] + d.Y)}
}

func sides(r [4]float64) error {
	if b := rectOf(r); !(b.W() >= 2 && b.H() >= 2) {
		return invalid("a shape of %v x %v", b.W(), b.H())
	}
	return nil
}

func (*Square) Kind() string               { return "square" }
func (s *Square) accept(m Mark, v Visitor) { v.Square(m, s) }
func (s *Square) Bounds() page.Rect        { return rectOf(s.Rect).Grow(s.Width / 2) }
func (s *Square) Moved(d page.Point) Body  { return &Square{s.Shape, movedRect(s.Rect, d)} }
func (s *Square) Recoloured(c Color) Body  { return &Square{s.recoloured(c), s.Rect} }
func (s *Square) check() error             { return errors.Join(sides(s.Rect), s.Shape.check(s.Bounds())) }

// Distance is that to the box's lines: what is in it is free to be met.
func (s *Square) Distance(p page.Point) float64 {
	r := rectOf(s.Rect)
	d := fromRect(p, r)
	if r.Contains(p) {
		d = min(p.X-r.Min.X, r.Max.X-p.X, p.Y-r.Min.Y, r.Max.Y-p.Y)
	}
	return max(d-s.Width/2, 0)
}

func (*Circle) Kind() string               { return "circle" }
func (c *Circle) accept(m Mark, v Visitor) { v.Circle(m, c) }
func (c *Circle) Bounds() page.Rect        { return rectOf(c.Rect).Grow(c.Width / 2) }
func (c *Circle) Moved(d page.Point) Body  { return &Circle{c.Shape, movedRect(c.Rect, d)} }
func (c *Circle) Recoloured(k Color) Body  { return &Circle{c.recoloured(k), c.Rect} }
func (c *Circle) check() error             { return errors.Join(sides(c.Rect), c.Shape.check(c.Bounds())) }

// Distance is that to the ellipse's line, along the ray from its centre.
func (c *Circle) Distance(p page.Point) float64 {
	r := rectOf(c.Rect)
	d := p.Sub(r.Center())
	share := math.Hypot(d.X/(r.W()/2), d.Y/(r.H()/2)) // 1 on the line
	if share == 0 {
		return max(min(r.W(), r.H())/2-c.Width/2, 0)
	}
	return max(math.Abs(d.Len()-d.Len()/share)-c.Width/2, 0)
}
