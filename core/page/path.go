package page

import (
	"math"
	"strconv"
)

// A Path is a sequence of subpaths, as it is drawn on the screen (SVG 2,
// 9.3) and in a PDF (ISO 32000-2, 8.5.2). The zero Path is empty.
type Path struct {
	ops []byte  // 'M', 'L', 'C', 'Z'
	pts []Point // one for M and L, three for C, none for Z
}

// MoveTo begins a subpath at p.
func (a *Path) MoveTo(p Point) { a.add('M', p) }

// LineTo goes on in a straight line to p.
func (a *Path) LineTo(p Point) { a.add('L', p) }

// CubeTo goes on in a cubic Bézier curve to p with the control points c1, c2.
func (a *Path) CubeTo(c1, c2, p Point) { a.add('C', c1, c2, p) }

// Close ends the subpath at its beginning.
func (a *Path) Close() { a.add('Z') }

func (a *Path) add(op byte, ps ...Point) {
	a.ops = append(a.ops, op)
	a.pts = append(a.pts, ps...)
}

// kappa is the length of the control arms of the cubic that stands for a
// quarter of the unit circle, off by less than 0.03 %.
const kappa = 0.5522847498

// Circle adds a circle of radius r around c, running clockwise as the reader
// sees it.
func (a *Path) Circle(c Point, r float64) { a.Ellipse(Rect{c, c}.Grow(r)) }

// Ellipse adds the ellipse in r, running clockwise as the reader sees it.
func (a *Path) Ellipse(r Rect) {
	c, rx, ry := r.Center(), r.W()/2, r.H()/2
	kx, ky := kappa*rx, kappa*ry
	a.MoveTo(Point{c.X + rx, c.Y})
	a.CubeTo(Point{c.X + rx, c.Y + ky}, Point{c.X + kx, c.Y + ry}, Point{c.X, c.Y + ry})
	a.CubeTo(Point{c.X - kx, c.Y + ry}, Point{c.X - rx, c.Y + ky}, Point{c.X - rx, c.Y})
	a.CubeTo(Point{c.X - rx, c.Y - ky}, Point{c.X - kx, c.Y - ry}, Point{c.X, c.Y - ry})
	a.CubeTo(Point{c.X + kx, c.Y - ry}, Point{c.X + rx, c.Y - ky}, Point{c.X + rx, c.Y})
	a.Close()
}

// Capsule adds the outline of all that is within r of the straight way from
// a to b, which must not be the same place.
func (a *Path) Capsule(from, to Point, r float64) {
	along := to.Sub(from).Unit().Mul(r)
	side := Point{-along.Y, along.X}
	// half goes half around c, from c+s to c-s by way of c+u.
	half := func(c, s, u Point) {
		ks, ku := s.Mul(kappa), u.Mul(kappa)
		a.CubeTo(c.Add(s).Add(ku), c.Add(u).Add(ks), c.Add(u))
		a.CubeTo(c.Add(u).Sub(ks), c.Sub(s).Add(ku), c.Sub(s))
	}
	a.MoveTo(from.Add(side))
	a.LineTo(to.Add(side))
	half(to, side, along)
	a.LineTo(from.Sub(side))
	half(from, side.Mul(-1), along.Mul(-1))
	a.Close()
}

// Quad adds the outline of q.
func (a *Path) Quad(q Quad) {
	a.MoveTo(q[0])
	for _, p := range q[1:] {
		a.LineTo(p)
	}
	a.Close()
}

// Turned returns the path turned about c by an angle in degrees, clockwise.
func (a Path) Turned(c Point, degrees float64) Path {
	out := Path{ops: a.ops, pts: make([]Point, len(a.pts))}
	for i, p := range a.pts {
		out.pts[i] = p.Turned(c, degrees).Round()
	}
	return out
}

// Bounds returns the smallest rectangle around the path's points, within
// which the path lies.
func (a Path) Bounds() Rect { return Bounds(a.pts...) }

// Empty reports whether nothing was drawn.
func (a Path) Empty() bool { return len(a.ops) == 0 }

// SVG returns the path as the value of a d attribute (SVG 2, 9.3.2).
func (a Path) SVG() string { return a.write(svgOps, true) }

// PDF returns the path as path construction operators (ISO 32000-2, table 58).
func (a Path) PDF() string { return a.write(pdfOps, false) }

var (
	svgOps = map[byte]string{'M': "M", 'L': "L", 'C': "C", 'Z': "Z"}
	pdfOps = map[byte]string{'M': " m\n", 'L': " l\n", 'C': " c\n", 'Z': "h\n"}
)

func (a Path) write(names map[byte]string, before bool) string {
	out := make([]byte, 0, 16*len(a.pts))
	next := 0
	for _, op := range a.ops {
		n := map[byte]int{'M': 1, 'L': 1, 'C': 3}[op]
		if before {
			out = append(out, names[op]...)
		}
		for i, p := range a.pts[next : next+n] {
			if i > 0 {
				out = append(out, ' ')
			}
			out = AppendNumber(out, p.X)
			out = append(out, ' ')
			out = AppendNumber(out, p.Y)
		}
		next += n
		if !before {
			out = append(out, names[op]...)
		}
	}
	return string(out)
}

// AppendNumber appends v with at most two decimals, as SVG and PDF both read it.
// Pages have tens of thousands of numbers, so it goes by hundredths in whole
// numbers, where a float has them all.
func AppendNumber(b []byte, v float64) []byte {
	hundredths := math.Round(v * 100)
	if !(math.Abs(hundredths) < 1<<53) {
		return strconv.AppendFloat(b, Round(v), 'f', -1, 64)
	}
	n := int64(hundredths)
	if n < 0 {
		b, n = append(b, '-'), -n
	}
	b = strconv.AppendInt(b, n/100, 10)
	switch rest := n % 100; {
	case rest == 0:
		return b
	case rest%10 == 0:
		return append(b, '.', byte('0'+rest/10))
	default:
		return append(b, '.', byte('0'+rest/10), byte('0'+rest%10))
	}
}
