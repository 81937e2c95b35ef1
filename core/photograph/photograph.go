// Package photograph finds the sheet of paper in a photograph of it and paints
// it as seen from straight above.
//
// It does not know what is on the sheet, nor in which format a picture came.
package photograph

import (
	"cmp"
	"image"
	"math"
	"slices"

	"readymargin/core/page"
)

// A Quad is the four corners of a sheet, in pixels of its photograph: upper
// left, upper right, lower right, lower left.
type Quad [4]page.Point

// look is the longest side of the picture in which the sheet is looked for, in
// pixels: fine enough for half a millimetre of a sheet of A4.
const look = 640

// Sheet returns the corners of the sheet of paper that is lighter than what it
// lies on. It reports false where there is none to be seen: where the paper
// fills the picture, is cut off, or is no sheet at all.
func Sheet(m image.Image) (Quad, bool) {
	b := m.Bounds()
	step := max(1, (max(b.Dx(), b.Dy())+look-1)/look)
	w, h := b.Dx()/step, b.Dy()/step
	if w < 40 || h < 40 {
		return Quad{}, false
	}
	light := lightness(m, step, w, h)
	paper := largest(light, w, h, threshold(light))
	around := hull(paper, w)
	outline := area(around)
	corners := fourOf(around)
	if len(corners) != 4 {
		return Quad{}, false
	}
	q := ordered(corners)
	if whole := area(q[:]); float64(len(paper)) < 0.5*whole || outline < 0.95*whole || !q.plausible(float64(w), float64(h)) {
		return Quad{}, false
	}
	for i := range q {
		q[i] = page.Pt(float64(b.Min.X)+(q[i].X+0.5)*float64(step), float64(b.Min.Y)+(q[i].Y+0.5)*float64(step))
	}
	return q, true
}

// lightness averages squares of pixels, from 0 to 255.
func lightness(m image.Image, step, w, h int) []uint8 {
	b, out := m.Bounds(), make([]uint8, w*h)
	rgba, _ := m.(*image.RGBA)
	for y := range h {
		for x := range w {
			sum, n := 0, 0
			for dy := 0; dy < step; dy += max(1, step/3) {
				for dx := 0; dx < step; dx += max(1, step/3) {
					px, py := b.Min.X+x*step+dx, b.Min.Y+y*step+dy
					if rgba != nil {
						p := rgba.Pix[rgba.PixOffset(px, py):]
						sum += (299*int(p[0]) + 587*int(p[1]) + 114*int(p[2])) / 1000
					} else {
						r, g, bl, _ := m.At(px, py).RGBA()
						sum += int(299*r+587*g+114*bl) / 1000 >> 8
					}
					n++
				}
			}
			out[y*w+x] = uint8(sum / n)
		}
	}
	return out
}

// threshold is where light parts from dark, so that both are as even as can be
// (N. Otsu, A Threshold Selection Method from Gray-Level Histograms, IEEE
// Transactions on Systems, Man, and Cybernetics 9, 1979).
func threshold(light []uint8) uint8 {
	var histogram [256]float64
	total := 0.0
	for _, v := range light {
		histogram[v]++
		total += float64(v)
	}
	best, at := -1.0, 0
	dark, sum := 0.0, 0.0
	for v, n := range histogram {
		dark += n
		sum += float64(v) * n
		rest := float64(len(light)) - dark
		if dark == 0 || rest == 0 {
			continue
		}
		d := sum/dark - (total-sum)/rest
		if between := dark * rest * d * d; between > best {
			best, at = between, v
		}
	}
	return uint8(at)
}

// largest returns the pixels of the largest connected part that is lighter.
func largest(light []uint8, w, h int, than uint8) (best []int) {
	seen := make([]bool, len(light))
	var stack []int
	for i := range light {
		if seen[i] || light[i] <= than {
			continue
		}
		seen[i], stack = true, append(stack[:0], i)
		var part []int
		for len(stack) > 0 {
			j := stack[len(stack)-1]
			stack, part = stack[:len(stack)-1], append(part, j)
			x, y := j%w, j/w
			for _, k := range [4]int{j - 1, j + 1, j - w, j + w} {
				if k < 0 || k >= len(light) || x == 0 && k == j-1 || x == w-1 && k == j+1 || y == h-1 && k == j+w || seen[k] || light[k] <= than {
					continue
				}
				seen[k], stack = true, append(stack, k)
			}
		}
		if len(part) > len(best) {
			best = part
		}
	}
	return best
}

// hull is the convex hull (A. M. Andrew, Another efficient algorithm for convex
// hulls in two dimensions, Information Processing Letters 9, 1979).
func hull(pixels []int, w int) []page.Point {
	if len(pixels) < 3 {
		return nil
	}
	pts := make([]page.Point, len(pixels))
	for i, p := range pixels {
		pts[i] = page.Pt(float64(p%w), float64(p/w))
	}
	slices.SortFunc(pts, func(a, b page.Point) int { return cmp.Or(cmp.Compare(a.X, b.X), cmp.Compare(a.Y, b.Y)) })
	var out []page.Point
	half := func() {
		from := len(out)
		for _, p := range pts {
			for len(out) >= from+2 && cross(out[len(out)-2], out[len(out)-1], p) <= 0 {
				out = out[:len(out)-1]
			}
			out = append(out, p)
		}
		out = out[:len(out)-1] // it begins the other half
	}
	half()
	slices.Reverse(pts)
	half()
	return out
}

// cross is twice the area of the triangle a, b, c.
func cross(a, b, c page.Point) float64 {
	return (b.X-a.X)*(c.Y-a.Y) - (b.Y-a.Y)*(c.X-a.X)
}

// fourOf takes sides away from a convex polygon until four are left: each time
// the one whose neighbours, made longer until they meet, add the least.
func fourOf(p []page.Point) []page.Point {
	for len(p) > 4 {
		best, side := math.Inf(1), -1
		var at page.Point
		for i := range p {
			a, b, c, d := p[(i+len(p)-1)%len(p)], p[i], p[(i+1)%len(p)], p[(i+2)%len(p)]
			meet, ok := meeting(a, b, d, c)
			if !ok {
				continue
			}
			if adds := math.Abs(cross(b, meet, c)); adds < best {
				best, side, at = adds, i, meet
			}
		}
		if side < 0 {
			return nil
		}
		p[side] = at
		p = slices.Delete(p, (side+1)%len(p), (side+1)%len(p)+1)
	}
	return p
}

// meeting returns where the lines from a through b and from c through d meet,
// behind both b and d.
func meeting(a, b, c, d page.Point) (page.Point, bool) {
	u, v := b.Sub(a), d.Sub(c)
	den := u.X*v.Y - u.Y*v.X
	if math.Abs(den) < 1e-9 {
		return page.Point{}, false
	}
	s := ((c.X-a.X)*v.Y - (c.Y-a.Y)*v.X) / den
	t := ((c.X-a.X)*u.Y - (c.Y-a.Y)*u.X) / den
	return page.Pt(a.X+s*u.X, a.Y+s*u.Y), s >= 1-1e-9 && t >= 1-1e-9
}

// ordered begins with the upper left corner and goes clockwise on the screen.
func ordered(c []page.Point) (q Quad) {
	middle := page.Pt((c[0].X+c[1].X+c[2].X+c[3].X)/4, (c[0].Y+c[1].Y+c[2].Y+c[3].Y)/4)
	slices.SortFunc(c, func(a, b page.Point) int {
		return cmp.Compare(math.Atan2(a.Y-middle.Y, a.X-middle.X), math.Atan2(b.Y-middle.Y, b.X-middle.X))
	})
	first := 0
	for i, p := range c {
		if p.X+p.Y < c[first].X+c[first].Y {
			first = i
		}
	}
	for i := range q {
		q[i] = c[(first+i)%4]
	}
	return q
}

// area is that of a polygon that goes round clockwise on the screen.
func area(p []page.Point) (sum float64) {
	for i, a := range p {
		b := p[(i+1)%len(p)]
		sum += (a.X*b.Y - b.X*a.Y) / 2
	}
	return sum
}

// plausible reports whether q can be a sheet in a picture so large: of some
// size, with corners of some 90 degrees, and whole.
func (q Quad) plausible(w, h float64) bool {
	for i, a := range q {
		u, v := q[(i+1)%4].Sub(a), q[(i+3)%4].Sub(a)
		if u.Len() > 3*v.Len() || v.Len() > 3*u.Len() || math.Abs(u.Unit().Dot(v.Unit())) > 0.5 { // 60 to 120 degrees
			return false
		}
		if a.X < -0.02*w || a.Y < -0.02*h || a.X > 1.02*w || a.Y > 1.02*h {
			return false
		}
	}
	size := area(q[:])
	return size > 0.2*w*h && size < 0.97*w*h
}

// a4 is how much longer a sheet of the A series is than wide (ISO 216).
const a4 = math.Sqrt2

// Seen returns q with its corners in the order in which they come when the
// picture is turned, or mirrored, by a matrix.
func (q Quad) Seen(turned page.Matrix) Quad {
	at := map[page.Point]page.Point{}
	seen := make([]page.Point, len(q))
	for i, c := range q {
		seen[i] = turned.Apply(c)
		at[seen[i]] = c
	}
	for i, c := range ordered(seen) {
		q[i] = at[c]
	}
	return q
}

// size returns how large the sheet is painted, in pixels: as large as its
// longer sides, and in the ratio of A4 where it is near that.
func (q Quad) size() (w, h int) {
	wide := max(q[0].Dist(q[1]), q[3].Dist(q[2]))
	high := max(q[0].Dist(q[3]), q[1].Dist(q[2]))
	switch r := high / wide; {
	case r > a4/1.15 && r < a4*1.15:
		high = wide * a4
	case 1/r > a4/1.15 && 1/r < a4*1.15:
		wide = high * a4
	}
	return int(math.Round(wide)), int(math.Round(high))
}

// Above paints what is in q as seen from straight above, its longest side at
// most so many pixels long.
func Above(m *image.RGBA, q Quad, longest int) *image.RGBA {
	w, h := q.size()
	scale := min(1, float64(longest)/float64(max(w, h)))
	w, h = max(1, int(float64(w)*scale)), max(1, int(float64(h)*scale))
	return seen(m, ofUnit(q).after(projective{1 / float64(w), 0, 0, 0, 1 / float64(h), 0, 0, 0, 1}), w, h)
}

// blend takes the colour between the four pixels about a place.
func blend(to []uint8, m *image.RGBA, x, y float64) {
	b := m.Bounds()
	x = min(max(x, float64(b.Min.X)), float64(b.Max.X-1))
	y = min(max(y, float64(b.Min.Y)), float64(b.Max.Y-1))
	x0, y0 := int(x), int(y)
	x1, y1 := min(x0+1, b.Max.X-1), min(y0+1, b.Max.Y-1)
	fx, fy := x-float64(x0), y-float64(y0)
	p00, p10, p01, p11 := m.Pix[m.PixOffset(x0, y0):], m.Pix[m.PixOffset(x1, y0):], m.Pix[m.PixOffset(x0, y1):], m.Pix[m.PixOffset(x1, y1):]
	for i := range 4 {
		top := float64(p00[i])*(1-fx) + float64(p10[i])*fx
		low := float64(p01[i])*(1-fx) + float64(p11[i])*fx
		to[i] = uint8(top*(1-fy) + low*fy + 0.5)
	}
}
