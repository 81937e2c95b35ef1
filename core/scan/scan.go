// Package scan looks at a page that is only a picture, as scanners and
// telephones make them: where straight lines run, where something that could
// be words stands, how far the page leans. It reads nothing: what a word says
// stays unknown.
package scan

import (
	"cmp"
	"image"
	"math"
	"slices"
	"strings"

	"readymargin/core/blank"
	"readymargin/core/page"
	"readymargin/core/words"
)

// A Gray is a picture of a page; 0 is black.
type Gray struct {
	W, H  int
	Pix   []uint8 // row by row
	Scale float64 // pixels a point
}

// GrayOf returns a page's picture in grey, by the weights of Rec. ITU-R BT.601.
func GrayOf(m image.Image, scale float64) Gray {
	b := m.Bounds()
	g := Gray{W: b.Dx(), H: b.Dy(), Pix: make([]uint8, b.Dx()*b.Dy()), Scale: scale}
	grey := func(r, g, b int) uint8 { return uint8((299*r + 587*g + 114*b) / 1000) }
	rgba, quick := m.(*image.RGBA)
	for y := range g.H {
		for x := range g.W {
			if quick {
				p := rgba.Pix[y*rgba.Stride+4*x:]
				g.Pix[y*g.W+x] = grey(int(p[0]), int(p[1]), int(p[2]))
				continue
			}
			r, gr, bl, _ := m.At(b.Min.X+x, b.Min.Y+y).RGBA()
			g.Pix[y*g.W+x] = grey(int(r>>8), int(gr>>8), int(bl>>8))
		}
	}
	return g
}

// Scale is the number of pixels a point at which pages are looked at.
const Scale = 2

// Seen is what stands on a page, in points, set upright.
type Seen struct {
	Strokes []blank.Stroke
	Words   []words.Word // their letters are not known and are written as x
	Rings   []page.Rect  `json:",omitempty"` // small empty circles that stand apart
	Tilt    float64      // radians by which the page leans, clockwise
}

// A flat is a small flat piece of ink: a dot, a dash, a part of a row of such.
type flat struct {
	box page.Rect
	c   *component // where it is long enough to be a line of its own
}

// Look finds what stands on the page.
func Look(g Gray) Seen {
	m := threshold(g)
	l := looker{scale: g.Scale, w: float64(g.W) / g.Scale, h: float64(g.H) / g.Scale}
	var letters, frames, rings []page.Rect
	var flats []flat
	for _, c := range components(m) {
		box := c.box(g.Scale)
		w, h := box.W(), box.H()
		switch {
		case h <= 2.4 && w <= 14:
			flats = append(flats, flat{box, nil})
		case h <= 2.4+0.02*w && w <= 150: // perhaps dots that have run together
			flats = append(flats, flat{box, &c})
		case c.frame(m, g.Scale):
			frames = append(frames, box)
		case c.ring(g.Scale):
			rings = append(rings, box)
		case w >= 14 && h <= 4+0.06*w, w >= 14 && h >= 14 && c.sparse():
			l.lines(c)
		case h >= 14 && w <= 4+0.06*h:
			l.lines(c)
		case h <= 60 && w <= 260:
			letters = append(letters, box)
		}
	}
	// First the page is set upright, and then it is looked at by rows: on a
	// page that leans, two rows stand on one height.
	l.tilt = l.lean(letters, flats)
	for i, r := range letters {
		letters[i] = l.upright(r)
	}
	for i, f := range flats {
		flats[i].box = l.upright(f.box)
	}
	letters, rings = l.ringsAmong(letters, rings)
	for _, r := range frames {
		l.frame(l.upright(r))
	}
	for _, f := range l.chains(flats, letters) {
		if f.c != nil {
			l.lines(*f.c)
		} else {
			letters = append(letters, f.box)
		}
	}
	l.words = append(l.words, wordsOf(letters)...)
	slices.SortStableFunc(l.words, func(a, b words.Word) int { return cmp.Compare(a.Line, b.Line) })
	return Seen{append(l.uprightStrokes(), l.rows...), l.words, rings, l.tilt}
}

// ringsAmong returns the rings that stand apart from letters; the others are an O.
func (l *looker) ringsAmong(letters, rings []page.Rect) (all, out []page.Rect) {
	const gap = 3.5 // points, more than between two letters of a word
	all = letters
	for _, r := range rings {
		r = l.upright(r)
		if slices.ContainsFunc(letters, func(o page.Rect) bool {
			return o.Min.X < r.Max.X+gap && o.Max.X > r.Min.X-gap && o.Min.Y < r.Max.Y && o.Max.Y > r.Min.Y
		}) {
			all = append(all, r)
		} else {
			out = append(out, r)
		}
	}
	return all, out
}

// threshold tells ink from paper: what is clearly darker than the paper around
// it, so that shadows do no harm.
func threshold(g Gray) mask {
	m := mask{g.W, g.H, make([]bool, g.W*g.H)}
	sum := make([]uint32, (g.W+1)*(g.H+1))
	for y := range g.H {
		row := uint32(0)
		for x := range g.W {
			row += uint32(g.Pix[y*g.W+x])
			sum[(y+1)*(g.W+1)+x+1] = sum[y*(g.W+1)+x+1] + row
		}
	}
	r := int(16 * g.Scale)
	for y := range g.H {
		y0, y1 := max(y-r, 0), min(y+r+1, g.H)
		for x := range g.W {
			x0, x1 := max(x-r, 0), min(x+r+1, g.W)
			mean := float64(sum[y1*(g.W+1)+x1]-sum[y0*(g.W+1)+x1]-sum[y1*(g.W+1)+x0]+sum[y0*(g.W+1)+x0]) / float64((y1-y0)*(x1-x0))
			v := float64(g.Pix[y*g.W+x])
			m.ink[y*g.W+x] = v < 0.88*mean-5 && v < 215
		}
	}
	return m
}

type mask struct {
	w, h int
	ink  []bool
}

// A component is ink that hangs together: its pixels, row by row.
type component struct {
	x0, y0, x1, y1 int // x1 and y1 are beyond the last
	runs           []run
	area           int
}

type run struct{ y, x0, x1 int }

func (c component) box(scale float64) page.Rect {
	return page.R(float64(c.x0)/scale, float64(c.y0)/scale, float64(c.x1)/scale, float64(c.y1)/scale)
}

// sparse reports whether most of the component's box is free, as it is within
// frames and tables, and not within letters.
func (c component) sparse() bool { return c.area*10 < (c.x1-c.x0)*(c.y1-c.y0)*4 }

// components finds the ink that hangs together, by runs.
func components(m mask) []component {
	var runs []run
	var parent []int
	find := func(i int) int {
		for parent[i] != i {
			parent[i] = parent[parent[i]]
			i = parent[i]
		}
		return i
	}
	above, from := 0, 0 // runs of the row above begin at above and end at from
	for y := range m.h {
		row := m.ink[y*m.w : (y+1)*m.w]
		begin := len(runs)
		for x := 0; x < m.w; {
			if !row[x] {
				x++
				continue
			}
			s := x
			for x < m.w && row[x] {
				x++
			}
			runs, parent = append(runs, run{y, s, x}), append(parent, len(parent))
		}
		for i, k := begin, above; i < len(runs); i++ {
			for k < from && runs[k].x1 < runs[i].x0 {
				k++
			}
			for j := k; j < from && runs[j].x0 <= runs[i].x1; j++ { // corners touch too
				if a, b := find(j), find(i); a != b {
					parent[max(a, b)] = min(a, b)
				}
			}
		}
		above, from = begin, len(runs)
	}
	at := map[int]int{}
	var out []component
	for i, r := range runs {
		root := find(i)
		k, known := at[root]
		if !known {
			k = len(out)
			at[root] = k
			out = append(out, component{x0: r.x0, y0: r.y, x1: r.x1, y1: r.y + 1})
		}
		c := &out[k]
		c.x0, c.x1, c.y1 = min(c.x0, r.x0), max(c.x1, r.x1), r.y+1
		c.runs, c.area = append(c.runs, r), c.area+r.x1-r.x0
	}
	return out
}

// ring reports whether the component is a small empty circle: all its ink is
// near its edge, on all sides.
func (c component) ring(scale float64) bool {
	w, h := float64(c.x1-c.x0), float64(c.y1-c.y0)
	if d := w / scale; d < 7 || d > 20 || w > 1.15*h || h > 1.15*w {
		return false
	}
	edge := max(2.2*scale, 2.5)
	cx, cy, radius := float64(c.x0+c.x1)/2, float64(c.y0+c.y1)/2, (w+h)/4
	var sides [16]bool
	for _, r := range c.runs {
		for x := r.x0; x < r.x1; x++ {
			dx, dy := float64(x)+0.5-cx, float64(r.y)+0.5-cy
			if d := math.Hypot(dx, dy); d < radius-edge || d > radius+1.5 {
				return false
			}
			sides[int((math.Atan2(dy, dx)/math.Pi+1)*8)%16] = true
		}
	}
	return !slices.Contains(sides[:], false)
}

// frame reports whether the component is a small empty square, to be ticked.
func (c component) frame(m mask, scale float64) bool {
	w, h := c.x1-c.x0, c.y1-c.y0
	if pw, ph := float64(w)/scale, float64(h)/scale; pw < 6.5 || ph < 6.5 || pw > 22 || ph > 22 || pw > 1.4*ph || ph > 1.4*pw {
		return false
	}
	edge := max(int(1.8*scale), 2)
	near := func(x, y, dx, dy int) bool { // ink within an edge's width, inwards
		for i := range edge {
			if m.ink[(y+i*dy)*m.w+x+i*dx] {
				return true
			}
		}
		return false
	}
	for _, k := range [][4]int{{c.x0, c.y0, 1, 1}, {c.x1 - 1, c.y0, -1, 1}, {c.x0, c.y1 - 1, 1, -1}, {c.x1 - 1, c.y1 - 1, -1, -1}} {
		if !near(k[0], k[1], k[2], k[3]) {
			return false // round, as letters are
		}
	}
	on := 0
	for x := c.x0; x < c.x1; x++ {
		for _, hit := range []bool{near(x, c.y0, 0, 1), near(x, c.y1-1, 0, -1)} {
			if hit {
				on++
			}
		}
	}
	for y := c.y0; y < c.y1; y++ {
		for _, hit := range []bool{near(c.x0, y, 1, 0), near(c.x1-1, y, -1, 0)} {
			if hit {
				on++
			}
		}
	}
	inside, all := 0, 0
	for y := c.y0 + edge + 1; y < c.y1-edge-1; y++ {
		for x := c.x0 + edge + 1; x < c.x1-edge-1; x++ {
			all++
			if m.ink[y*m.w+x] {
				inside++
			}
		}
	}
	return on*100 >= 2*(w+h)*94 && all > 0 && inside*12 < all
}

type looker struct {
	scale, w, h, tilt float64
	strokes           []blank.Stroke // as they lean
	rows              []blank.Stroke // of dashes, set upright
	words             []words.Word   // set upright
}

// frame adds a small square as the sign that it would be in print.
func (l *looker) frame(r page.Rect) {
	l.words = append(l.words, words.Word{Text: "☐", Box: [4]float64{r.Min.X, r.Min.Y, r.Max.X, r.Max.Y}, Baseline: r.Max.Y, Line: lineAt(r.Max.Y)})
}

// lines adds the straight lines of a component, along and across the page.
func (l *looker) lines(c component) {
	for _, s := range l.straight(c.runs) {
		l.strokes = append(l.strokes, blank.Stroke{X0: s[0], Y0: s[1], X1: s[2], Y1: s[3]})
	}
	for _, s := range l.straight(turned(c)) {
		l.strokes = append(l.strokes, blank.Stroke{X0: s[1], Y0: s[0], X1: s[3], Y1: s[2]})
	}
}

// turned returns the runs of a component column by column, as if x were y.
func turned(c component) []run {
	open := map[int]int{} // by column: the index of the run that goes on
	var out []run
	for _, r := range c.runs {
		for x := r.x0; x < r.x1; x++ {
			if i, ok := open[x]; ok && out[i].x1 == r.y {
				out[i].x1++
				continue
			}
			open[x] = len(out)
			out = append(out, run{x, r.y, r.y + 1})
		}
	}
	slices.SortFunc(out, func(a, b run) int { return cmp.Or(cmp.Compare(a.y, b.y), cmp.Compare(a.x0, b.x0)) })
	return out
}

// straight finds thin straight lines along the rows among runs sorted by row,
// which may lean by up to a twentieth, as [from x, y, to x, y] in points.
func (l *looker) straight(runs []run) (out [][4]float64) {
	least := int(4 * l.scale)
	type line struct{ runs []run }
	var open []*line
	var all []*line
	for _, r := range runs {
		if r.x1-r.x0 < least {
			continue
		}
		var into *line
		open = slices.DeleteFunc(open, func(o *line) bool { return o.runs[len(o.runs)-1].y < r.y-1 })
		for _, o := range open {
			last := o.runs[len(o.runs)-1]
			if last.x0 <= r.x1+2 && r.x0 <= last.x1+2 {
				into = o
				break
			}
		}
		if into == nil {
			into = &line{}
			open, all = append(open, into), append(all, into)
		}
		into.runs = append(into.runs, r)
	}
	for _, o := range all {
		x0, x1 := o.runs[0].x0, o.runs[0].x1
		for _, r := range o.runs {
			x0, x1 = min(x0, r.x0), max(x1, r.x1)
		}
		y0, y1 := o.runs[0].y, o.runs[len(o.runs)-1].y+1
		if long := float64(x1-x0) / l.scale; long < 7 || float64(y1-y0)/l.scale > 3.4+0.05*long {
			continue
		}
		// Where the line is at its ends: the middle of the runs that reach there.
		end := func(x int) float64 {
			sum, n := 0.0, 0
			for _, r := range o.runs {
				if x >= r.x0-2 && x <= r.x1+2 {
					sum, n = sum+float64(r.y)+0.5, n+1
				}
			}
			if n == 0 {
				return float64(y0+y1) / 2
			}
			return sum / float64(n)
		}
		out = append(out, [4]float64{float64(x0) / l.scale, end(x0) / l.scale, float64(x1) / l.scale, end(x1) / l.scale})
	}
	return out
}

// A chain is a row of dots or dashes.
type chain struct {
	box  page.Rect
	dots int // of its pieces that are no longer than a dot
	n    int
	last page.Rect
}

// chains finds rows of dots and dashes among small flat pieces, and returns
// the pieces that are in none.
func (l *looker) chains(flats []flat, letters []page.Rect) (rest []flat) {
	slices.SortFunc(flats, func(a, b flat) int { return cmp.Compare(a.box.Min.X, b.box.Min.X) })
	used := make([]bool, len(flats))
	var all []chain
	for i := range flats {
		if used[i] {
			continue
		}
		c, in := chain{flats[i].box, dot(flats[i].box), 1, flats[i].box}, []int{i}
		for j := i + 1; j < len(flats) && flats[j].box.Min.X-c.last.Max.X < 9; j++ {
			if r := flats[j].box; !used[j] && math.Abs(r.Center().Y-c.last.Center().Y) < 1.1 && r.Min.X > c.last.Min.X+0.5 {
				in = append(in, j)
				c = chain{c.box.Union(r), c.dots + dot(r), c.n + 1, r}
			}
		}
		if c.n < 5 {
			continue
		}
		for _, j := range in {
			used[j] = true
		}
		all = append(all, c)
	}
	for _, c := range mended(all, letters) {
		if c.n < 8 {
			continue
		}
		y := c.box.Center().Y
		if 2*c.dots < c.n {
			l.rows = append(l.rows, blank.Stroke{X0: c.box.Min.X, Y0: y, X1: c.box.Max.X, Y1: y})
			continue
		}
		l.words = append(l.words, words.Word{Text: strings.Repeat(".", max(c.n, int(c.box.W()/4))), Box: [4]float64{c.box.Min.X, y - 8, c.box.Max.X, y + 3}, Baseline: y + 1, Line: lineAt(y + 1)})
	}
	for i, f := range flats {
		if !used[i] {
			rest = append(rest, f)
		}
	}
	return rest
}

// dot is 1 for a piece no longer than a dot.
func dot(r page.Rect) int {
	if r.W() <= 2.6 {
		return 1
	}
	return 0
}

// mended joins the parts of rows of which a scanner has lost some dots: those
// on one height between which no letter stands.
func mended(all []chain, letters []page.Rect) (out []chain) {
	slices.SortFunc(all, func(a, b chain) int { return cmp.Compare(a.box.Min.X, b.box.Min.X) })
	for _, c := range all {
		i := slices.IndexFunc(out, func(o chain) bool {
			gap := c.box.Min.X - o.box.Max.X
			y := o.last.Center().Y
			return gap < 130 && math.Abs(c.box.Center().Y-y) < 1.8 && !slices.ContainsFunc(letters, func(r page.Rect) bool {
				return r.Min.X > o.box.Max.X-1 && r.Max.X < c.box.Min.X+1 && r.Max.Y > y-2 && r.Min.Y < y+1
			})
		})
		if i < 0 {
			out = append(out, c)
			continue
		}
		out[i] = chain{out[i].box.Union(c.box), out[i].dots + c.dots, out[i].n + c.n, c.last}
	}
	return out
}

// lineAt numbers printed lines by where they stand, so that what stands on one
// baseline is one line.
func lineAt(baseline float64) int { return int(baseline / 6) }

// wordsOf gathers letters into words, line by line.
func wordsOf(letters []page.Rect) (out []words.Word) {
	slices.SortFunc(letters, func(a, b page.Rect) int { return cmp.Compare(a.Center().Y, b.Center().Y) })
	type textLine struct {
		letters  []page.Rect
		y, h     float64
		baseline float64
	}
	var lines []*textLine
	for _, r := range letters {
		if r.H() < 3 {
			continue // points, accents and hyphens make no line of their own
		}
		var into *textLine
		for _, t := range lines[max(0, len(lines)-8):] {
			if math.Abs(t.y-r.Center().Y) < 0.55*max(t.h, r.H()) {
				into = t
			}
		}
		if into == nil {
			into = &textLine{y: r.Center().Y, h: r.H()}
			lines = append(lines, into)
		}
		n := float64(len(into.letters))
		into.letters = append(into.letters, r)
		into.y, into.h = (into.y*n+r.Center().Y)/(n+1), (into.h*n+r.H())/(n+1)
	}
	for _, t := range lines {
		feet := make([]float64, len(t.letters))
		for i, r := range t.letters {
			feet[i] = r.Max.Y
		}
		slices.Sort(feet)
		t.baseline = feet[len(feet)/2]
		slices.SortFunc(t.letters, func(a, b page.Rect) int { return cmp.Compare(a.Min.X, b.Min.X) })
		word := t.letters[0]
		flush := func() {
			n := max(int(word.W()/(0.6*t.h)+0.5), 1)
			text := make([]byte, n)
			for i := range text {
				text[i] = 'x'
			}
			out = append(out, words.Word{Text: string(text), Box: [4]float64{word.Min.X, min(word.Min.Y, t.baseline-t.h), word.Max.X, max(word.Max.Y, t.baseline+0.25*t.h)}, Baseline: t.baseline, Line: lineAt(t.baseline)})
		}
		for _, r := range t.letters[1:] {
			if r.Min.X-word.Max.X > max(0.45*t.h, 2.2) {
				flush()
				word = r
				continue
			}
			word = word.Union(r)
		}
		flush()
	}
	return out
}

// lean measures how far the page leans: by its long lines, or, where it has
// few, by the feet of what is printed.
func (l *looker) lean(letters []page.Rect, flats []flat) float64 {
	type leaning struct{ angle, weight float64 }
	var all []leaning
	total := 0.0
	for _, s := range l.strokes {
		w, h := s.X1-s.X0, s.Y1-s.Y0
		switch {
		case math.Abs(w) >= 60 && math.Abs(h) < 0.06*math.Abs(w):
			all = append(all, leaning{math.Atan2(h, w), math.Abs(w)})
		case math.Abs(h) >= 60 && math.Abs(w) < 0.06*math.Abs(h):
			all = append(all, leaning{math.Atan2(-w, h), math.Abs(h)})
		default:
			continue
		}
		total += all[len(all)-1].weight
	}
	if total < linesTell {
		return l.leanOfFeet(letters, flats)
	}
	slices.SortFunc(all, func(a, b leaning) int { return cmp.Compare(a.angle, b.angle) })
	tilt := 0.0
	for sum, i := 0.0, 0; i < len(all); i++ {
		if sum += all[i].weight; sum >= total/2 {
			tilt = all[i].angle
			break
		}
	}
	return plumb(tilt)
}

// linesTell is how long lines are, in all, that tell how far a page leans.
const linesTell = 240

// plumb takes for upright what leans less than can be measured.
func plumb(tilt float64) float64 {
	if math.Abs(tilt) < 0.0008 {
		return 0
	}
	return tilt
}

// Bounds of what leanOfFeet tries, in radians: two and a half degrees to each
// side, first by a tenth of a degree and then finer.
const (
	leansMost   = 0.0436
	leansCoarse = 0.00175
	leansFine   = 0.00025
)

// leanOfFeet finds the angle at which the feet of letters, dots and
// underscores gather on the fewest heights: along the baselines (a projection
// profile, as in Baird, "The skew angle of printed documents", 1987, from
// memory).
func (l *looker) leanOfFeet(letters []page.Rect, flats []flat) float64 {
	var feet []page.Point
	for _, r := range letters {
		if r.H() >= 3 {
			feet = append(feet, page.Pt(r.Center().X, r.Max.Y))
		}
	}
	for _, f := range flats {
		for x := f.box.Min.X; x <= f.box.Max.X; x += 6 { // what is long counts as much as letters would
			feet = append(feet, page.Pt(x, f.box.Max.Y))
		}
	}
	if len(feet) < 20 {
		return 0
	}
	best := l.sharpest(feet, 0, leansMost, leansCoarse)
	return plumb(l.sharpest(feet, best, leansCoarse, leansFine))
}

// sharpest returns the angle around another one at which the profile is the
// sharpest.
func (l *looker) sharpest(feet []page.Point, around, most, step float64) float64 {
	const bin = 0.75 // points
	best, sharp := around, -1.0
	heights := make([]float64, int(l.h/bin)+int(2*leansMost*l.w/bin)+8)
	for a := around - most; a <= around+most+step/2; a += step {
		clear(heights)
		slope := math.Tan(a)
		for _, f := range feet {
			at := (f.Y-(f.X-l.w/2)*slope)/bin + float64(len(heights))/2 - l.h/2/bin
			i := int(at)
			if i < 0 || i+1 >= len(heights) {
				continue
			}
			part := at - float64(i)
			heights[i] += 1 - part
			heights[i+1] += part
		}
		sum := 0.0
		for _, n := range heights {
			sum += n * n
		}
		if sum > sharp || sum == sharp && math.Abs(a) < math.Abs(best) {
			best, sharp = a, sum
		}
	}
	return best
}

// upright returns where something stands when the page is set upright.
func (l *looker) upright(r page.Rect) page.Rect {
	c := r.Center()
	return r.Add(l.turn().Apply(c).Sub(c))
}

func (l *looker) turn() page.Matrix { return Turn(-l.tilt, page.Pt(l.w/2, l.h/2)) }

// uprightStrokes returns the lines as they run when the page is set upright.
func (l *looker) uprightStrokes() []blank.Stroke {
	turn, out := l.turn(), make([]blank.Stroke, len(l.strokes))
	for i, s := range l.strokes {
		a, b := turn.Apply(page.Pt(s.X0, s.Y0)), turn.Apply(page.Pt(s.X1, s.Y1))
		if math.Abs(b.X-a.X) > math.Abs(b.Y-a.Y) { // what is nearly along is along
			a.Y = (a.Y + b.Y) / 2
			b.Y = a.Y
		} else {
			a.X = (a.X + b.X) / 2
			b.X = a.X
		}
		out[i] = blank.Stroke{X0: a.X, Y0: a.Y, X1: b.X, Y1: b.Y}
	}
	return out
}

// Turn returns the turning by an angle, clockwise on the page, around a place.
func Turn(angle float64, around page.Point) page.Matrix {
	sin, cos := math.Sincos(angle)
	return page.Matrix{A: cos, B: sin, C: -sin, D: cos,
		E: around.X - cos*around.X + sin*around.Y, F: around.Y - sin*around.X - cos*around.Y}
}
