// Package ink turns the samples of a pointer into a smooth stroke and knows
// the stroke's shape.
//
// A stroke is a chain of cubic Bézier curves with a width at each joint. What
// is stored is the stroke, never the samples, so that it looks the same on
// every screen, after every reload and in a PDF. The package does not know
// the screen.
package ink

import (
	"encoding/json"
	"errors"
	"math"

	"readymargin/core/page"
)

// A Sample is one report of a pointer: a place in page space and a pressure
// from 0 to 1. A device without pressure reports 0.5 (Pointer Events Level 3,
// 4.1), which gives the pen's own width.
type Sample struct{ X, Y, Pressure float64 }

func (s Sample) point() page.Point { return page.Pt(s.X, s.Y) }

// widthOf gives the share of the pen's width that a pressure asks for: 1 at
// 0.5, from 0.35 for a breath to 1.65 at full weight.
func widthOf(pressure float64) float64 {
	return 0.35 + 1.3*min(max(pressure, 0), 1)
}

// A Stroke is a chain of cubic Bézier curves: Path holds its first joint and
// then, for each curve, two control points and the next joint; Width holds a
// factor of the pen's width for each joint.
type Stroke struct {
	Path  []page.Point
	Width []float64
}

const (
	// tolerance is how far, in points, a stroke may run beside its samples.
	tolerance = 0.3
	// widthTolerance is how far a width between two joints may be off, as a
	// factor of the pen's width.
	widthTolerance = 0.12
	// near is the distance, in points, under which a further sample says nothing new.
	near = 0.35
)

// Fit returns the stroke that best follows the samples, by P. J. Schneider,
// "An Algorithm for Automatically Fitting Digitized Curves", Graphics Gems
// (1990). A single sample becomes a dot. No samples give the zero Stroke.
func Fit(samples []Sample) Stroke {
	s := smooth(thin(samples))
	if len(s) == 0 {
		return Stroke{}
	}
	first := s[0].point().Round()
	out := Stroke{Path: []page.Point{first}, Width: []float64{factor(s[0])}}
	if len(s) == 1 {
		out.append(first, first, s[0])
		return out
	}
	f := fitter{samples: s, out: &out}
	f.fit(0, len(s)-1, f.tangent(0, 1), f.tangent(len(s)-1, -1))
	return out
}

func factor(s Sample) float64 { return page.Round(widthOf(s.Pressure)) }

func (s *Stroke) append(c1, c2 page.Point, end Sample) {
	s.Path = append(s.Path, c1.Round(), c2.Round(), end.point().Round())
	s.Width = append(s.Width, factor(end))
}

// thin drops samples that stand on their predecessor, but never the last one.
func thin(in []Sample) []Sample {
	var out []Sample
	for i, s := range in {
		if math.IsNaN(s.X+s.Y) || math.IsInf(s.X+s.Y, 0) {
			continue
		}
		if len(out) > 0 && out[len(out)-1].point().Dist(s.point()) < near {
			if i == len(in)-1 && len(out) > 1 {
				out[len(out)-1] = s
			}
			continue
		}
		out = append(out, s)
	}
	return out
}

// smooth takes the trembling of a trackpad out of the samples; the ends stay.
func smooth(in []Sample) []Sample {
	if len(in) < 5 {
		return in
	}
	out := append([]Sample(nil), in...)
	for i := 1; i < len(in)-1; i++ {
		a, b, c := in[i-1], in[i], in[i+1]
		out[i] = Sample{(a.X + 2*b.X + c.X) / 4, (a.Y + 2*b.Y + c.Y) / 4, (a.Pressure + 2*b.Pressure + c.Pressure) / 4}
	}
	return out
}

type fitter struct {
	samples []Sample
	out     *Stroke
}

func (f fitter) at(i int) page.Point { return f.samples[i].point() }

// tangent returns the direction in which the samples leave i towards dir,
// looked at over a few points so that one jump of a pixel does not decide.
func (f fitter) tangent(i, dir int) page.Point {
	from := f.at(i)
	for j := i + dir; j >= 0 && j < len(f.samples); j += dir {
		if from.Dist(f.at(j)) > 1.5 || j == 0 || j == len(f.samples)-1 {
			return f.at(j).Sub(from).Unit()
		}
	}
	return page.Point{}
}

// fit appends curves for the samples from first to last, leaving first along
// t1 and arriving at last against t2.
func (f fitter) fit(first, last int, t1, t2 page.Point) {
	if last-first == 1 {
		arm := f.at(first).Dist(f.at(last)) / 3
		f.out.append(f.at(first).Add(t1.Mul(arm)), f.at(last).Add(t2.Mul(arm)), f.samples[last])
		return
	}
	u := f.lengths(first, last)
	for range 4 {
		c1, c2 := f.arms(first, last, u, t1, t2)
		curve := [4]page.Point{f.at(first), c1, c2, f.at(last)}
		split, off := f.worst(first, last, u, curve)
		if off <= 1 {
			f.out.append(c1, c2, f.samples[last])
			return
		}
		if off > 6 || split == first || split == last {
			break
		}
		f.reparameterize(first, u, curve)
	}
	split := f.split(first, last)
	mid := f.through(split)
	f.fit(first, split, t1, mid.Mul(-1))
	f.fit(split, last, mid, t2)
}

// split chooses where to cut: at the sample farthest from the chord, which
// for a corner is the corner itself.
func (f fitter) split(first, last int) int {
	a, b := f.at(first), f.at(last)
	best, far := (first+last)/2, 0.0
	for i := first + 1; i < last; i++ {
		if d := f.at(i).ToSegment(a, b); d > far {
			best, far = i, d
		}
	}
	if far < tolerance {
		return (first + last) / 2
	}
	return best
}

// through returns the direction of travel at a sample inside the stroke.
func (f fitter) through(i int) page.Point {
	d := f.tangent(i, 1).Sub(f.tangent(i, -1)).Unit()
	if d == (page.Point{}) {
		return f.at(i + 1).Sub(f.at(i - 1)).Unit()
	}
	return d
}

// lengths returns the share of the way at each sample.
func (f fitter) lengths(first, last int) []float64 {
	u := make([]float64, last-first+1)
	for i := 1; i < len(u); i++ {
		u[i] = u[i-1] + f.at(first+i).Dist(f.at(first+i-1))
	}
	for i := range u {
		u[i] /= u[len(u)-1]
	}
	return u
}

// arms returns the control points that fit best in the sense of least squares.
func (f fitter) arms(first, last int, u []float64, t1, t2 page.Point) (c1, c2 page.Point) {
	p0, p3 := f.at(first), f.at(last)
	var c00, c01, c11, x0, x1 float64
	for i, t := range u {
		s := 1 - t
		b1, b2 := 3*s*s*t, 3*s*t*t
		a1, a2 := t1.Mul(b1), t2.Mul(b2)
		c00 += a1.Dot(a1)
		c01 += a1.Dot(a2)
		c11 += a2.Dot(a2)
		rest := f.at(first + i).Sub(p0.Mul(s*s*s + b1)).Sub(p3.Mul(t*t*t + b2))
		x0 += a1.Dot(rest)
		x1 += a2.Dot(rest)
	}
	chord := p0.Dist(p3)
	l1, l2 := chord/3, chord/3
	if det := c00*c11 - c01*c01; math.Abs(det) > 1e-9 {
		if a, b := (x0*c11-x1*c01)/det, (c00*x1-c01*x0)/det; a > chord*1e-3 && b > chord*1e-3 && a < 3*chord+1 && b < 3*chord+1 {
			l1, l2 = a, b
		}
	}
	return p0.Add(t1.Mul(l1)), p3.Add(t2.Mul(l2))
}

// worst returns the sample that the curve misses most and by how much, where
// 1 is just allowed.
func (f fitter) worst(first, last int, u []float64, c [4]page.Point) (at int, off float64) {
	w0, w1 := widthOf(f.samples[first].Pressure), widthOf(f.samples[last].Pressure)
	for i, t := range u {
		d := bezier(c, t).Dist(f.at(first+i)) / tolerance
		w := math.Abs(w0+(w1-w0)*t-widthOf(f.samples[first+i].Pressure)) / widthTolerance
		if e := max(d, w); e > off {
			at, off = first+i, e
		}
	}
	return at, off
}

// reparameterize moves each share of the way to the curve's nearest place by
// one step of Newton's method.
func (f fitter) reparameterize(first int, u []float64, c [4]page.Point) {
	for i, t := range u {
		d := bezier(c, t).Sub(f.at(first + i))
		v, a := derivatives(c, t)
		if den := v.Dot(v) + d.Dot(a); math.Abs(den) > 1e-9 {
			u[i] = min(max(t-d.Dot(v)/den, 0), 1)
		}
	}
}

func bezier(c [4]page.Point, t float64) page.Point {
	s := 1 - t
	return c[0].Mul(s * s * s).Add(c[1].Mul(3 * s * s * t)).Add(c[2].Mul(3 * s * t * t)).Add(c[3].Mul(t * t * t))
}

func derivatives(c [4]page.Point, t float64) (v, a page.Point) {
	s := 1 - t
	d0, d1, d2 := c[1].Sub(c[0]), c[2].Sub(c[1]), c[3].Sub(c[2])
	v = d0.Mul(3 * s * s).Add(d1.Mul(6 * s * t)).Add(d2.Mul(3 * t * t))
	a = d1.Sub(d0).Mul(6 * s).Add(d2.Sub(d1).Mul(6 * t))
	return v, a
}

// ErrStroke says that a stroke's numbers do not belong together.
var ErrStroke = errors.New("ink: a stroke needs three further points and a width for each curve")

// Valid reports whether the parts of s belong together.
func (s Stroke) Valid() error {
	if len(s.Width) < 2 || len(s.Path) != 3*len(s.Width)-2 {
		return ErrStroke
	}
	for _, w := range s.Width {
		if !(w > 0 && w <= 4) {
			return ErrStroke
		}
	}
	return nil
}

// Map returns s with every point where f has it.
func (s Stroke) Map(f func(page.Point) page.Point) Stroke {
	out := Stroke{Path: make([]page.Point, len(s.Path)), Width: s.Width}
	for i, p := range s.Path {
		out.Path[i] = f(p).Round()
	}
	return out
}

type wire struct {
	Path  []float64 `json:"path"`
	Width []float64 `json:"width"`
}

// MarshalJSON writes the points as a flat list of x, y. Strokes are most of
// what is ever sent, so it is written without reflection.
func (s Stroke) MarshalJSON() ([]byte, error) {
	out := make([]byte, 0, 14*len(s.Path)+6*len(s.Width)+24)
	out = append(out, `{"path":[`...)
	for i, p := range s.Path {
		if i > 0 {
			out = append(out, ',')
		}
		out = page.AppendNumber(out, p.X)
		out = append(out, ',')
		out = page.AppendNumber(out, p.Y)
	}
	out = append(out, `],"width":[`...)
	for i, w := range s.Width {
		if i > 0 {
			out = append(out, ',')
		}
		out = page.AppendNumber(out, w)
	}
	return append(out, "]}"...), nil
}

// UnmarshalJSON reads what MarshalJSON writes.
func (s *Stroke) UnmarshalJSON(b []byte) error {
	var w wire
	if err := json.Unmarshal(b, &w); err != nil {
		return err
	}
	if len(w.Path)%2 != 0 {
		return ErrStroke
	}
	*s = Stroke{Path: make([]page.Point, len(w.Path)/2), Width: w.Width}
	for i := range s.Path {
		s.Path[i] = page.Pt(w.Path[2*i], w.Path[2*i+1])
	}
	return nil
}
