// Package page knows page space: the coordinates in which everything that is
// put on a worksheet page is kept.
//
// Page space is measured in points (1/72 inch). Its origin is the top left
// corner of the page as a reader sees it, that is, of the crop box after
// /Rotate and /UserUnit have been applied (ISO 32000-2, 7.7.3.3); x grows to
// the right and y grows downwards. Zoom, screen and device do not matter.
//
// The package does not know what a mark is.
package page

import "math"

// A Point is a place on a page, in points.
type Point struct{ X, Y float64 }

// Pt is shorthand for Point{x, y}.
func Pt(x, y float64) Point { return Point{x, y} }

// Add returns the vector sum p+q.
func (p Point) Add(q Point) Point { return Point{p.X + q.X, p.Y + q.Y} }

// Sub returns the vector p-q.
func (p Point) Sub(q Point) Point { return Point{p.X - q.X, p.Y - q.Y} }

// Mul returns p scaled by k.
func (p Point) Mul(k float64) Point { return Point{p.X * k, p.Y * k} }

// Dot returns the scalar product of p and q.
func (p Point) Dot(q Point) float64 { return p.X*q.X + p.Y*q.Y }

// Len returns the distance of p from the origin.
func (p Point) Len() float64 { return math.Hypot(p.X, p.Y) }

// Unit returns p at length 1; the zero vector stays as it is.
func (p Point) Unit() Point {
	if l := p.Len(); l > 0 {
		return p.Mul(1 / l)
	}
	return p
}

// Dist returns the distance between p and q in points.
func (p Point) Dist(q Point) float64 { return p.Sub(q).Len() }

// ToSegment returns the distance between p and the straight way from a to b,
// which may be one place.
func (p Point) ToSegment(a, b Point) float64 {
	along := b.Sub(a)
	n := along.Dot(along)
	if n == 0 {
		return p.Dist(a)
	}
	return p.Dist(a.Add(along.Mul(min(max(p.Sub(a).Dot(along)/n, 0), 1))))
}

// Turned returns p turned about c by an angle in degrees, clockwise as the
// reader sees it.
func (p Point) Turned(c Point, degrees float64) Point {
	if degrees == 0 {
		return p
	}
	sin, cos := math.Sincos(degrees * math.Pi / 180)
	d := p.Sub(c)
	return c.Add(Point{d.X*cos - d.Y*sin, d.X*sin + d.Y*cos})
}

// Round returns p on the grid of a hundredth of a point, the precision in
// which marks are stored.
func (p Point) Round() Point { return Point{Round(p.X), Round(p.Y)} }

// Round rounds a length to a hundredth of a point.
func Round(v float64) float64 { return math.Round(v*100) / 100 }

// A Rect holds the points with Min.X <= x < Max.X and Min.Y <= y < Max.Y.
// The zero Rect is empty.
type Rect struct{ Min, Max Point }

// R returns the rectangle between two opposite corners, in any order.
func R(x0, y0, x1, y1 float64) Rect {
	return Rect{Point{min(x0, x1), min(y0, y1)}, Point{max(x0, x1), max(y0, y1)}}
}

// W returns the width of r.
func (r Rect) W() float64 { return r.Max.X - r.Min.X }

// H returns the height of r.
func (r Rect) H() float64 { return r.Max.Y - r.Min.Y }

// Center returns the middle of r.
func (r Rect) Center() Point { return r.Min.Add(r.Max).Mul(0.5) }

// Empty reports whether r holds no point.
func (r Rect) Empty() bool { return r.Min.X >= r.Max.X || r.Min.Y >= r.Max.Y }

// Contains reports whether p lies in r.
func (r Rect) Contains(p Point) bool {
	return p.X >= r.Min.X && p.X < r.Max.X && p.Y >= r.Min.Y && p.Y < r.Max.Y
}

// Distance returns how far p is from r, 0 inside it.
func (r Rect) Distance(p Point) float64 {
	return math.Hypot(max(r.Min.X-p.X, p.X-r.Max.X, 0), max(r.Min.Y-p.Y, p.Y-r.Max.Y, 0))
}

// Add returns r moved by d.
func (r Rect) Add(d Point) Rect { return Rect{r.Min.Add(d), r.Max.Add(d)} }

// Grow returns r widened by d on every side.
func (r Rect) Grow(d float64) Rect {
	return Rect{Point{r.Min.X - d, r.Min.Y - d}, Point{r.Max.X + d, r.Max.Y + d}}
}

// Union returns the smallest rectangle that holds both r and s; an empty one
// adds nothing.
func (r Rect) Union(s Rect) Rect {
	switch {
	case r.Empty():
		return s
	case s.Empty():
		return r
	}
	return R(min(r.Min.X, s.Min.X), min(r.Min.Y, s.Min.Y), max(r.Max.X, s.Max.X), max(r.Max.Y, s.Max.Y))
}

// Intersect returns what r and s have in common, or an empty rectangle.
func (r Rect) Intersect(s Rect) Rect {
	t := Rect{Point{max(r.Min.X, s.Min.X), max(r.Min.Y, s.Min.Y)}, Point{min(r.Max.X, s.Max.X), min(r.Max.Y, s.Max.Y)}}
	if t.Empty() {
		return Rect{}
	}
	return t
}

// Fit returns the map that takes r to s. A side of r without length is moved,
// not stretched.
func (r Rect) Fit(s Rect) func(Point) Point {
	kx, ky := share(s.W(), r.W()), share(s.H(), r.H())
	return func(p Point) Point {
		return Point{s.Min.X + (p.X-r.Min.X)*kx, s.Min.Y + (p.Y-r.Min.Y)*ky}
	}
}

func share(a, b float64) float64 {
	if b == 0 {
		return 1
	}
	return a / b
}

// Bounds returns the smallest rectangle around the given points; it is empty
// in one direction when all of them lie on one line.
func Bounds(ps ...Point) Rect {
	if len(ps) == 0 {
		return Rect{}
	}
	r := Rect{ps[0], ps[0]}
	for _, p := range ps[1:] {
		r.Min = Point{min(r.Min.X, p.X), min(r.Min.Y, p.Y)}
		r.Max = Point{max(r.Max.X, p.X), max(r.Max.Y, p.Y)}
	}
	return r
}

// A Quad is a four-cornered region in the order top left, top right, bottom
// right, bottom left as the reader sees it.
type Quad [4]Point

// QuadOf returns the corners of r.
func QuadOf(r Rect) Quad {
	return Quad{r.Min, {r.Max.X, r.Min.Y}, r.Max, {r.Min.X, r.Max.Y}}
}

// Bounds returns the smallest rectangle around q.
func (q Quad) Bounds() Rect { return Bounds(q[:]...) }

// Add returns q moved by d.
func (q Quad) Add(d Point) Quad {
	for i := range q {
		q[i] = q[i].Add(d)
	}
	return q
}

// Turned returns q turned about c by an angle in degrees, clockwise.
func (q Quad) Turned(c Point, degrees float64) Quad {
	for i := range q {
		q[i] = q[i].Turned(c, degrees)
	}
	return q
}

// Contains reports whether p lies inside q, which must be convex.
func (q Quad) Contains(p Point) bool {
	var pos, neg bool
	for i := range q {
		a, b := q[i], q[(i+1)%4]
		c := (b.X-a.X)*(p.Y-a.Y) - (b.Y-a.Y)*(p.X-a.X)
		pos, neg = pos || c > 0, neg || c < 0
	}
	return !(pos && neg)
}

// A Matrix maps (x, y) to (A·x+C·y+E, B·x+D·y+F): the six numbers of a PDF
// transformation matrix, in its order (ISO 32000-2, 8.3.3).
type Matrix struct{ A, B, C, D, E, F float64 }

// Apply returns p transformed by m.
func (m Matrix) Apply(p Point) Point {
	return Point{m.A*p.X + m.C*p.Y + m.E, m.B*p.X + m.D*p.Y + m.F}
}

// Scale returns how much longer lengths are where the matrix leads, given that it
// stretches all ways alike.
func (m Matrix) Scale() float64 { return math.Hypot(m.A, m.B) }

// Then returns the matrix that applies m first and n after it.
func (m Matrix) Then(n Matrix) Matrix {
	return Matrix{
		n.A*m.A + n.C*m.B, n.B*m.A + n.D*m.B,
		n.A*m.C + n.C*m.D, n.B*m.C + n.D*m.D,
		n.A*m.E + n.C*m.F + n.E, n.B*m.E + n.D*m.F + n.F,
	}
}

// Inverse returns the matrix that undoes m, which must not be singular.
func (m Matrix) Inverse() Matrix {
	det := m.A*m.D - m.B*m.C
	return Matrix{
		m.D / det, -m.B / det, -m.C / det, m.A / det,
		(m.C*m.F - m.D*m.E) / det, (m.B*m.E - m.A*m.F) / det,
	}
}

// Box says how a PDF page shows itself: its crop box in PDF user space, its
// clockwise turn in degrees (a multiple of 90) and the size of its unit in
// points (ISO 32000-2, table 31: CropBox, Rotate, UserUnit).
type Box struct {
	Crop   Rect    `json:"crop"`
	Rotate int     `json:"rotate"`
	Unit   float64 `json:"unit"`
}

// Size returns the width and height of the page in page space, in points.
func (b Box) Size() (w, h float64) {
	w, h = b.Crop.W()*b.unit(), b.Crop.H()*b.unit()
	if b.Quarter()%2 == 1 {
		w, h = h, w
	}
	return w, h
}

// Quarter returns the turn in quarter turns clockwise, 0 to 3.
func (b Box) Quarter() int { return ((b.Rotate/90)%4 + 4) % 4 }

func (b Box) unit() float64 {
	if b.Unit <= 0 {
		return 1
	}
	return b.Unit
}

// FromUser returns the matrix from PDF user space to page space.
func (b Box) FromUser() Matrix {
	u, c := b.unit(), b.Crop
	switch b.Quarter() {
	case 1:
		return Matrix{0, u, u, 0, -u * c.Min.Y, -u * c.Min.X}
	case 2:
		return Matrix{-u, 0, 0, u, u * c.Max.X, -u * c.Min.Y}
	case 3:
		return Matrix{0, -u, -u, 0, u * c.Max.Y, u * c.Max.X}
	}
	return Matrix{u, 0, 0, -u, -u * c.Min.X, u * c.Max.Y}
}

// ToUser returns the matrix from page space to PDF user space.
func (b Box) ToUser() Matrix { return b.FromUser().Inverse() }

// Inside reports whether p lies in the loop through the given places, by the
// even-odd rule.
func Inside(loop []Point, p Point) bool {
	in := false
	for i, a := range loop {
		b := loop[(i+1)%len(loop)]
		if (a.Y > p.Y) != (b.Y > p.Y) && p.X < (b.X-a.X)*(p.Y-a.Y)/(b.Y-a.Y)+a.X {
			in = !in
		}
	}
	return in
}
