package photograph

import (
	"image"
	"math"

	"readymargin/core/page"
)

// A projective map takes places of one plane to those of another: a matrix of three
// rows, which acts on x, y, 1.
type projective [9]float64

func (p projective) apply(at page.Point) page.Point {
	z := p[6]*at.X + p[7]*at.Y + p[8]
	return page.Pt((p[0]*at.X+p[1]*at.Y+p[2])/z, (p[3]*at.X+p[4]*at.Y+p[5])/z)
}

// after returns the map that does q first and p then.
func (p projective) after(q projective) (out projective) {
	for r := range 3 {
		for c := range 3 {
			for k := range 3 {
				out[3*r+c] += p[3*r+k] * q[3*k+c]
			}
		}
	}
	return out
}

// inverse is the adjugate, which is as good: a projective map has no scale.
func (p projective) inverse() projective {
	return projective{
		p[4]*p[8] - p[5]*p[7], p[2]*p[7] - p[1]*p[8], p[1]*p[5] - p[2]*p[4],
		p[5]*p[6] - p[3]*p[8], p[0]*p[8] - p[2]*p[6], p[2]*p[3] - p[0]*p[5],
		p[3]*p[7] - p[4]*p[6], p[1]*p[6] - p[0]*p[7], p[0]*p[4] - p[1]*p[3],
	}
}

// ofUnit maps the unit square to a quad (P. Heckbert, Fundamentals of Texture Mapping
// and Image Warping, 1989, section 2.2.3).
func ofUnit(q Quad) projective {
	s := page.Pt(q[0].X-q[1].X+q[2].X-q[3].X, q[0].Y-q[1].Y+q[2].Y-q[3].Y)
	d1, d2 := q[1].Sub(q[2]), q[3].Sub(q[2])
	den := d1.X*d2.Y - d2.X*d1.Y
	g := (s.X*d2.Y - d2.X*s.Y) / den
	k := (d1.X*s.Y - s.X*d1.Y) / den
	return projective{
		q[1].X - q[0].X + g*q[1].X, q[3].X - q[0].X + k*q[3].X, q[0].X,
		q[1].Y - q[0].Y + g*q[1].Y, q[3].Y - q[0].Y + k*q[3].Y, q[0].Y,
		g, k, 1,
	}
}

// A Tie is a place that is known in a picture, in pixels, and on the page that the
// picture shows, in points.
type Tie struct{ Seen, Is page.Point }

// How far what is known of the page may be off the outline of the paper, before that is
// taken for the outline of something else: in points, and as a turn or a scale.
const (
	offPaper = 40
	offShape = 0.08
	farApart = 150 // points between ties, from which on they tell turn and scale
)

// Laid paints a page of a size in points, as a picture shows it, at most so many
// pixels long. What is tied, two places at least, says how the page lies in it; the outline of the paper,
// where that is seen and agrees, how it is seen aslant.
func Laid(m *image.RGBA, ties []Tie, outline *Quad, size page.Point, longest int) *image.RGBA {
	onto, ok := projective{}, false // from the page to the picture
	if outline != nil {
		onto, ok = outlined(ties, *outline, size)
	}
	if !ok {
		seen, is := make([]page.Point, len(ties)), make([]page.Point, len(ties))
		for i, t := range ties {
			seen[i], is[i] = t.Seen, t.Is
		}
		onto = similar(is, seen)
	}
	scale := float64(longest) / max(size.X, size.Y)
	w, h := max(1, int(size.X*scale)), max(1, int(size.Y*scale))
	return seen(m, onto.after(projective{1 / scale, 0, 0, 0, 1 / scale, 0, 0, 0, 1}), w, h)
}

// outlined returns how a page lies in a picture by the outline of its paper, whichever
// corner comes first, brought in line with what is tied; false where they disagree.
func outlined(ties []Tie, q Quad, size page.Point) (projective, bool) {
	best, off := projective{}, math.Inf(1)
	for first := range q {
		turned := Quad{q[first], q[(first+1)%4], q[(first+2)%4], q[(first+3)%4]}
		p := ofUnit(turned).after(projective{1 / size.X, 0, 0, 0, 1 / size.Y, 0, 0, 0, 1})
		sum := 0.0
		for _, t := range ties {
			sum += p.inverse().apply(t.Seen).Dist(t.Is)
		}
		if sum /= float64(len(ties)); sum < off {
			best, off = p, sum
		}
	}
	if off > offPaper {
		return best, false
	}
	seen, is := make([]page.Point, len(ties)), make([]page.Point, len(ties))
	for i, t := range ties {
		seen[i], is[i] = best.inverse().apply(t.Seen), t.Is
	}
	all := page.Bounds(is...)
	if math.Hypot(all.W(), all.H()) < farApart { // they tell where, and little more
		var d page.Point
		for i := range is {
			d = d.Add(seen[i].Sub(is[i]).Mul(1 / float64(len(is))))
		}
		return best.after(projective{1, 0, d.X, 0, 1, d.Y, 0, 0, 1}), true
	}
	s := similar(is, seen)
	if math.Abs(s[0]-1) > offShape || math.Abs(s[1]) > offShape {
		return best, false
	}
	return best.after(s), true
}

// similar returns the turn, scale and shift that brings some places nearest to others
// (least squares).
func similar(from, to []page.Point) projective {
	var a, b page.Point
	n := 1 / float64(len(from))
	for i := range from {
		a, b = a.Add(from[i].Mul(n)), b.Add(to[i].Mul(n))
	}
	var dot, cross, all float64
	for i := range from {
		u, v := from[i].Sub(a), to[i].Sub(b)
		dot += u.Dot(v)
		cross += u.X*v.Y - u.Y*v.X
		all += u.Dot(u)
	}
	c, s := dot/all, cross/all
	return projective{c, -s, b.X - c*a.X + s*a.Y, s, c, b.Y - s*a.X - c*a.Y, 0, 0, 1}
}

// seen paints so many pixels of what a map takes to places of a picture; what lies
// outside of it is as white as paper.
func seen(m *image.RGBA, onto projective, w, h int) *image.RGBA {
	out := image.NewRGBA(image.Rect(0, 0, w, h))
	b := m.Bounds()
	for y := range h {
		for x := range w {
			at, to := onto.apply(page.Pt(float64(x)+0.5, float64(y)+0.5)), out.Pix[out.PixOffset(x, y):]
			if at.X < float64(b.Min.X)-1 || at.Y < float64(b.Min.Y)-1 || at.X > float64(b.Max.X)+1 || at.Y > float64(b.Max.Y)+1 {
				to[0], to[1], to[2], to[3] = 255, 255, 255, 255
				continue
			}
			blend(to, m, at.X-0.5, at.Y-0.5)
		}
	}
	return out
}
