package ink

import (
	"math"

	"readymargin/core/page"
)

// Even reports whether the stroke is equally wide everywhere, as one drawn
// without pressure is; then it is painted as a line along Center.
func (s Stroke) Even() bool {
	for _, w := range s.Width {
		if w != s.Width[0] {
			return false
		}
	}
	return true
}

// Center returns the path that the pen's middle took.
func (s Stroke) Center() page.Path {
	var p page.Path
	p.MoveTo(s.Path[0])
	for i := 1; i+2 < len(s.Path); i += 3 {
		p.CubeTo(s.Path[i], s.Path[i+1], s.Path[i+2])
	}
	return p
}

// A node is a place on the flattened stroke with half the width there.
type node struct {
	page.Point
	r float64
}

// flatten returns the stroke as a chain of short straight pieces for a pen of
// the given width.
func (s Stroke) flatten(width float64) []node {
	out := []node{{s.Path[0], s.Width[0] * width / 2}}
	for k := 0; 3*k+3 < len(s.Path); k++ {
		c := [4]page.Point(s.Path[3*k : 3*k+4])
		way := c[0].Dist(c[1]) + c[1].Dist(c[2]) + c[2].Dist(c[3])
		n := min(max(int(way/1.5), 3), 40)
		for i := 1; i <= n; i++ {
			t := float64(i) / float64(n)
			w := s.Width[k] + (s.Width[k+1]-s.Width[k])*t
			out = append(out, node{bezier(c, t), w * width / 2})
		}
	}
	return out
}

// Middle returns places along the middle of the stroke, close enough together that
// straight lines between them are the stroke.
func (s Stroke) Middle() []page.Point {
	nodes := distinct(s.flatten(1))
	out := make([]page.Point, len(nodes))
	for i, n := range nodes {
		out[i] = n.Point.Round()
	}
	return out
}

// Through returns the stroke that goes straight from place to place, as broad as
// its pen; false where there is no place to go to.
func Through(ps []page.Point) (Stroke, bool) {
	if len(ps) == 0 {
		return Stroke{}, false
	}
	if len(ps) == 1 {
		ps = []page.Point{ps[0], ps[0]}
	}
	out := Stroke{Path: []page.Point{ps[0].Round()}, Width: []float64{1}}
	for i := 1; i < len(ps); i++ {
		a, b := ps[i-1], ps[i]
		step := b.Sub(a).Mul(1.0 / 3)
		out.append(a.Add(step), b.Sub(step), Sample{b.X, b.Y, 0.5})
	}
	return out, out.Valid() == nil
}

// Outline returns the edge of a stroke of changing width, to be filled by the
// non-zero rule: one ribbon with round ends, and a disc at every sharp turn.
// All parts run the same way round, so that crossings stay filled and a
// transparent stroke does not darken itself.
func (s Stroke) Outline(width float64) page.Path {
	var out page.Path
	ns := distinct(s.flatten(width))
	if len(ns) == 1 {
		out.Circle(ns[0].Point, ns[0].r)
		return out
	}
	left, right := make([]page.Point, len(ns)), make([]page.Point, len(ns))
	for i, n := range ns {
		d := ns[min(i+1, len(ns)-1)].Sub(ns[max(i-1, 0)].Point).Unit()
		side := page.Pt(d.Y, -d.X).Mul(n.r)
		left[i], right[i] = n.Add(side), n.Sub(side)
	}
	out.MoveTo(left[0])
	for _, p := range left[1:] {
		out.LineTo(p)
	}
	last := len(ns) - 1
	halfTurn(&out, ns[last], left[last])
	for i := last; i >= 0; i-- {
		out.LineTo(right[i])
	}
	halfTurn(&out, ns[0], right[0])
	out.Close()
	for i := 1; i < last; i++ {
		in, on := ns[i].Sub(ns[i-1].Point).Unit(), ns[i+1].Sub(ns[i].Point).Unit()
		if in.Dot(on) < 0.8 {
			out.Circle(ns[i].Point, ns[i].r)
		}
	}
	return out
}

// halfTurn goes round the end n of a ribbon, clockwise from the edge point from.
func halfTurn(out *page.Path, n node, from page.Point) {
	start := math.Atan2(from.Y-n.Y, from.X-n.X)
	for i := 1; i < 8; i++ {
		a := start + math.Pi*float64(i)/8
		out.LineTo(n.Add(page.Pt(math.Cos(a), math.Sin(a)).Mul(n.r)))
	}
}

func distinct(in []node) []node {
	out := in[:1]
	for _, n := range in[1:] {
		if n.Dist(out[len(out)-1].Point) > 1e-6 {
			out = append(out, n)
		}
	}
	return out
}

// Bounds returns the smallest rectangle around the stroke of a pen of the
// given width.
func (s Stroke) Bounds(width float64) page.Rect {
	var r page.Rect
	for _, n := range s.flatten(width) {
		r = r.Union(page.Rect{Min: n.Point, Max: n.Point}.Grow(n.r))
	}
	return r
}

// Distance returns how far p is from the ink of a pen of the given width: 0
// when it is on it.
func (s Stroke) Distance(p page.Point, width float64) float64 {
	ns := s.flatten(width)
	best := p.Dist(ns[0].Point) - ns[0].r
	for i := 1; i < len(ns); i++ {
		best = min(best, p.ToSegment(ns[i-1].Point, ns[i].Point)-max(ns[i-1].r, ns[i].r))
	}
	return max(best, 0)
}
