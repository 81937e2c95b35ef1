package ink

import (
	"encoding/json"
	"math"

	"readymargin/core/page"
)

// A Rub is the way of a round rubber over the page. What it covered of a
// drawing is not painted: the rubber is kept with the drawing, so that exactly
// what was under it is gone, also where it took only one side of a broad line.
type Rub struct {
	Radius float64 // points
	Path   []page.Point
}

// capsules calls f for each part of the way: the discs of the rubber between
// two places, which are one place at the beginning of a way of one place.
func (r Rub) capsules(f func(a, b page.Point) bool) {
	if len(r.Path) == 1 {
		f(r.Path[0], r.Path[0])
		return
	}
	for i := 1; i < len(r.Path); i++ {
		if !f(r.Path[i-1], r.Path[i]) {
			return
		}
	}
}

// Covers reports whether the rubber was on p.
func (r Rub) Covers(p page.Point) (covered bool) {
	r.capsules(func(a, b page.Point) bool {
		covered = p.ToSegment(a, b) <= r.Radius
		return !covered
	})
	return covered
}

// Meets reports whether the rubber touched the ink of s, drawn by a pen of
// the given width.
func (r Rub) Meets(s Stroke, width float64) (met bool) {
	nodes := s.flatten(width)
	r.capsules(func(a, b page.Point) bool {
		for _, n := range nodes {
			if n.Point.ToSegment(a, b) <= r.Radius+n.r {
				met = true
				return false
			}
		}
		return true
	})
	return met
}

// Capsules returns the outlines of the parts of the way that reach into area,
// each of which holds all between its two ends.
func (r Rub) Capsules(area page.Rect) (out []page.Path) {
	r.capsules(func(a, b page.Point) bool {
		if page.Bounds(a, b).Grow(r.Radius + 0.01).Intersect(area).Empty() {
			return true
		}
		var p page.Path
		if a.Dist(b) < 1e-6 {
			p.Circle(a, r.Radius)
		} else {
			p.Capsule(a, b, r.Radius)
		}
		out = append(out, p)
		return true
	})
	return out
}

// Line returns the way as a path, to be stroked twice as wide as the radius.
func (r Rub) Line() (p page.Path) {
	p.MoveTo(r.Path[0])
	for _, q := range r.Path[1:] {
		p.LineTo(q)
	}
	if len(r.Path) == 1 {
		p.LineTo(r.Path[0])
	}
	return p
}

// Map returns the way with every place where f has it, of a rubber k times as wide.
func (r Rub) Map(f func(page.Point) page.Point, k float64) Rub {
	out := Rub{Radius: page.Round(r.Radius * k), Path: make([]page.Point, len(r.Path))}
	for i, p := range r.Path {
		out.Path[i] = f(p).Round()
	}
	return out
}

// Valid reports whether the numbers belong together.
func (r Rub) Valid() bool {
	if !(r.Radius > 0 && r.Radius <= 200) || len(r.Path) == 0 {
		return false
	}
	for _, p := range r.Path {
		if !(math.Abs(p.X) < 20_000 && math.Abs(p.Y) < 20_000) {
			return false
		}
	}
	return true
}

// Rubbing returns the way of a rubber through samples of a pointer, without
// those that say nothing new.
func Rubbing(samples []Sample, radius float64) Rub {
	out := Rub{Radius: page.Round(radius)}
	for i, s := range samples {
		p := s.point().Round()
		if n := len(out.Path); n == 0 || out.Path[n-1].Dist(p) >= min(radius/4, 1) || i == len(samples)-1 && out.Path[n-1] != p {
			out.Path = append(out.Path, p)
		}
	}
	return out
}

// Rubbed returns the pieces of s, drawn by a pen of the given width, that are
// not wholly under the rubbers, and whether the last of them touched s. What
// is only partly under a rubber stays whole here, for the rubber to be kept
// with it; pieces end under a rubber, so that their round ends are not seen.
func (s Stroke) Rubbed(rubs []Rub, width float64) (kept []Stroke, met bool) {
	last := rubs[len(rubs)-1]
	if !last.Meets(s, width) {
		return []Stroke{s}, false
	}
	curves := len(s.Width) - 1
	type cut struct {
		k int
		t float64
	}
	gone := func(c cut) bool {
		at := bezier([4]page.Point(s.Path[3*c.k:3*c.k+4]), c.t)
		r := (s.Width[c.k] + (s.Width[c.k+1]-s.Width[c.k])*c.t) * width / 2
		return under(rubs, at, r)
	}
	from, open := cut{}, false
	previous := cut{}
	for k := range curves {
		c := [4]page.Point(s.Path[3*k : 3*k+4])
		n := max(int((c[0].Dist(c[1])+c[1].Dist(c[2])+c[2].Dist(c[3]))/0.5), 4)
		for i := range n + 1 {
			here := cut{k, float64(i) / float64(n)}
			switch g := gone(here); {
			case g && open:
				kept, open = append(kept, s.between(from.k, from.t, here.k, here.t)), false
			case !g && !open:
				from, open = previous, true
				if k == 0 && i == 0 {
					from = here
				}
			}
			previous = here
		}
	}
	if open {
		kept = append(kept, s.between(from.k, from.t, curves-1, 1))
	}
	return kept, true
}

// under reports whether the disc of radius r at p is wholly under the rubbers.
func under(rubs []Rub, p page.Point, r float64) bool {
	covered := func(q page.Point) bool {
		for _, rub := range rubs {
			if rub.Covers(q) {
				return true
			}
		}
		return false
	}
	if !covered(p) {
		return false
	}
	for i := range 16 {
		sin, cos := math.Sincos(float64(i) * math.Pi / 8)
		out := page.Pt(cos, sin)
		if !covered(p.Add(out.Mul(1.03*r+0.05))) || !covered(p.Add(out.Mul(r/2))) {
			return false
		}
	}
	return true
}

// between returns the part of s from the share t0 of curve k0 to the share t1
// of curve k1.
func (s Stroke) between(k0 int, t0 float64, k1 int, t1 float64) Stroke {
	var out Stroke
	for k := k0; k <= k1; k++ {
		a, b := 0.0, 1.0
		if k == k0 {
			a = t0
		}
		if k == k1 {
			b = t1
		}
		c := part([4]page.Point(s.Path[3*k:3*k+4]), a, b)
		w := func(t float64) float64 {
			if s.Width[k] == s.Width[k+1] {
				return s.Width[k]
			}
			return page.Round(s.Width[k] + (s.Width[k+1]-s.Width[k])*t)
		}
		if k == k0 {
			out.Path, out.Width = append(out.Path, c[0].Round()), append(out.Width, w(a))
		}
		out.Path = append(out.Path, c[1].Round(), c[2].Round(), c[3].Round())
		out.Width = append(out.Width, w(b))
	}
	return out
}

// part returns the piece of a curve between two shares, by de Casteljau.
func part(c [4]page.Point, t0, t1 float64) [4]page.Point {
	if t0 > 0 {
		_, c = halves(c, t0)
		t1 = (t1 - t0) / (1 - t0)
	}
	if t1 < 1 {
		c, _ = halves(c, t1)
	}
	return c
}

func halves(c [4]page.Point, t float64) (a, b [4]page.Point) {
	mix := func(p, q page.Point) page.Point { return p.Add(q.Sub(p).Mul(t)) }
	p01, p12, p23 := mix(c[0], c[1]), mix(c[1], c[2]), mix(c[2], c[3])
	p012, p123 := mix(p01, p12), mix(p12, p23)
	m := mix(p012, p123)
	return [4]page.Point{c[0], p01, p012, m}, [4]page.Point{m, p123, p23, c[3]}
}

type rubWire struct {
	Radius float64   `json:"radius"`
	Path   []float64 `json:"path"`
}

// MarshalJSON writes the places as a flat list of x, y.
func (r Rub) MarshalJSON() ([]byte, error) {
	w := rubWire{Radius: r.Radius, Path: make([]float64, 0, 2*len(r.Path))}
	for _, p := range r.Path {
		w.Path = append(w.Path, p.X, p.Y)
	}
	return json.Marshal(w)
}

// UnmarshalJSON reads what MarshalJSON writes.
func (r *Rub) UnmarshalJSON(b []byte) error {
	var w rubWire
	if err := json.Unmarshal(b, &w); err != nil {
		return err
	}
	*r = Rub{Radius: w.Radius, Path: make([]page.Point, len(w.Path)/2)}
	for i := range r.Path {
		r.Path[i] = page.Pt(w.Path[2*i], w.Path[2*i+1])
	}
	return nil
}
