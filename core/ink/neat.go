package ink

import (
	"math"

	"readymargin/core/page"
)

// A Neat shape is what a wobbly stroke was meant to be.
type Neat struct {
	Kind     string     // line, arrow, square or circle
	From, To page.Point // of a line or an arrow, whose head is at To
	Rect     page.Rect  // of a box or an ellipse
}

// How far a stroke may be off what it is taken for, as shares of its size.
const (
	crooked = 0.07 // a line's samples, of its length
	uneven  = 0.16 // an ellipse's samples, on average, of its radius
	ragged  = 0.06 // a box's samples, on average, of its mean side
	leastOf = 12.0 // points: what is smaller is handwriting
)

// Resembles says what shape s resembles most; before, if there is one, is the
// stroke made just before, which may be the shaft of which s is the head. It
// reports false when s resembles none.
func Resembles(s Stroke, before *Stroke) (Neat, bool) {
	ps := evenly(s, 64)
	if before != nil {
		if n, ok := headed(evenly(*before, 64), ps); ok {
			return n, true
		}
	}
	if b := page.Bounds(ps...); math.Hypot(b.W(), b.H()) < leastOf {
		return Neat{}, false
	}
	if isStraight(ps) {
		return Neat{Kind: "line", From: ps[0].Round(), To: ps[len(ps)-1].Round()}, true
	}
	if n, ok := closed(ps); ok {
		return n, true
	}
	return arrow(ps)
}

// evenly returns n places at equal distances along the stroke's middle.
func evenly(s Stroke, n int) []page.Point {
	nodes := s.flatten(1)
	long := 0.0
	for i := 1; i < len(nodes); i++ {
		long += nodes[i].Dist(nodes[i-1].Point)
	}
	out := []page.Point{nodes[0].Point}
	gone, next := 0.0, long/float64(n-1)
	for i := 1; i < len(nodes) && len(out) < n; i++ {
		a, b := nodes[i-1].Point, nodes[i].Point
		d := a.Dist(b)
		for d > 0 && gone+d >= next-1e-9 && len(out) < n {
			out = append(out, a.Add(b.Sub(a).Mul(min((next-gone)/d, 1))))
			next += long / float64(n-1)
		}
		gone += d
	}
	for len(out) < n {
		out = append(out, nodes[len(nodes)-1].Point)
	}
	return out
}

func length(ps []page.Point) (l float64) {
	for i := 1; i < len(ps); i++ {
		l += ps[i].Dist(ps[i-1])
	}
	return l
}

// isStraight reports whether the places run from the first to the last
// without leaving the way or turning back.
func isStraight(ps []page.Point) bool {
	a, b := ps[0], ps[len(ps)-1]
	chord := a.Dist(b)
	if chord < leastOf || length(ps) > 1.15*chord {
		return false
	}
	for _, p := range ps {
		if p.ToSegment(a, b) > crooked*chord {
			return false
		}
	}
	return true
}

// closed takes a stroke that comes back to its beginning for an ellipse or a box.
func closed(ps []page.Point) (Neat, bool) {
	if ps[0].Dist(ps[len(ps)-1]) > 0.2*length(ps) {
		return Neat{}, false
	}
	b := page.Bounds(ps...)
	if b.W() < leastOf/2 || b.H() < leastOf/2 {
		return Neat{}, false
	}
	round, off := ellipse(ps, b)
	square, far := box(ps, b)
	switch {
	case far <= ragged && far/ragged < off/uneven*1.25:
		return Neat{Kind: "square", Rect: tidy(square)}, true
	case off <= uneven:
		return Neat{Kind: "circle", Rect: tidy(round)}, true
	}
	return Neat{}, false
}

func tidy(r page.Rect) page.Rect { return page.Rect{Min: r.Min.Round(), Max: r.Max.Round()} }

// ellipse returns the ellipse that lies among the places, and how far they are
// off it on average, as a share of its radius.
func ellipse(ps []page.Point, b page.Rect) (page.Rect, float64) {
	c, rx, ry := b.Center(), b.W()/2, b.H()/2
	share := func(p page.Point) float64 { return math.Hypot((p.X-c.X)/rx, (p.Y-c.Y)/ry) }
	mean := 0.0
	for _, p := range ps {
		mean += share(p) / float64(len(ps))
	}
	off := 0.0
	for _, p := range ps {
		off += math.Abs(share(p)/mean-1) / float64(len(ps))
	}
	return page.R(c.X-rx*mean, c.Y-ry*mean, c.X+rx*mean, c.Y+ry*mean), off
}

// box returns the box whose sides lie among the places, and how far they are
// off its sides on average, as a share of its mean side.
func box(ps []page.Point, b page.Rect) (page.Rect, float64) {
	r := b
	for range 3 {
		var sum, n [4]float64
		for _, p := range ps {
			d := [4]float64{math.Abs(p.X - r.Min.X), math.Abs(p.Y - r.Min.Y), math.Abs(p.X - r.Max.X), math.Abs(p.Y - r.Max.Y)}
			k := 0
			for i := range d {
				if d[i] < d[k] {
					k = i
				}
			}
			sum[k] += [4]float64{p.X, p.Y, p.X, p.Y}[k]
			n[k]++
		}
		for _, count := range n {
			if count < float64(len(ps))/32 {
				return b, math.Inf(1) // a box has four sides
			}
		}
		r = page.R(sum[0]/n[0], sum[1]/n[1], sum[2]/n[2], sum[3]/n[3])
	}
	off := 0.0
	for _, p := range ps {
		off += min(math.Abs(p.X-r.Min.X), math.Abs(p.Y-r.Min.Y), math.Abs(p.X-r.Max.X), math.Abs(p.Y-r.Max.Y)) / float64(len(ps))
	}
	return r, off / ((r.W() + r.H()) / 2)
}

// arrow takes a straight way to a tip, from which it turns back a little, for
// an arrow in one stroke.
func arrow(ps []page.Point) (Neat, bool) {
	tip := farthest(ps)
	shaft := ps[0].Dist(ps[tip])
	if tip < len(ps)/3 || tip > len(ps)-4 || !isStraight(ps[:tip+1]) {
		return Neat{}, false
	}
	head := ps[tip:]
	if l := length(head); l < 0.08*shaft || l > 1.6*shaft {
		return Neat{}, false
	}
	reach := 0.0
	for _, p := range head {
		reach = max(reach, p.Dist(ps[tip]))
	}
	if reach > 0.5*shaft {
		return Neat{}, false
	}
	return Neat{Kind: "arrow", From: ps[0].Round(), To: ps[tip].Round()}, true
}

// farthest returns the first place far from the beginning from which the way
// turns back: the head of an arrow may come to its tip twice.
func farthest(ps []page.Point) int {
	far := 0.0
	for _, p := range ps {
		far = max(far, p.Dist(ps[0]))
	}
	for i := 1; i < len(ps); i++ {
		d := ps[i].Dist(ps[0])
		turns := true
		for _, p := range ps[max(i-3, 0):min(i+4, len(ps))] {
			turns = turns && p.Dist(ps[0]) <= d
		}
		if turns && d > 0.9*far {
			return i
		}
	}
	return len(ps) - 1
}

// headed takes a straight shaft and a bent stroke whose bend is at one of its
// ends for an arrow in two strokes.
func headed(shaft, head []page.Point) (Neat, bool) {
	if !isStraight(shaft) {
		return Neat{}, false
	}
	a, b := shaft[0], shaft[len(shaft)-1]
	chord := a.Dist(b)
	if l := length(head); l < 0.1*chord || l > 1.3*chord || isStraight(head) {
		return Neat{}, false
	}
	if a.Dist(nearest(head, a)) < b.Dist(nearest(head, b)) {
		a, b = b, a
	}
	// The bend stands at the tip, and both barbs lie back along the shaft.
	first, last := head[0], head[len(head)-1]
	bend := head[0]
	for _, p := range head {
		if p.ToSegment(first, last) > bend.ToSegment(first, last) {
			bend = p
		}
	}
	back := a.Sub(b).Unit()
	if bend.Dist(b) > 0.2*chord || first.Sub(bend).Dot(back) <= 0 || last.Sub(bend).Dot(back) <= 0 || max(first.Dist(bend), last.Dist(bend)) > 0.55*chord {
		return Neat{}, false
	}
	return Neat{Kind: "arrow", From: a.Round(), To: b.Round()}, true
}

func nearest(ps []page.Point, to page.Point) page.Point {
	best := ps[0]
	for _, p := range ps {
		if p.Dist(to) < best.Dist(to) {
			best = p
		}
	}
	return best
}
