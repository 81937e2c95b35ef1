package blank

import (
	"math"
	"slices"

	"readymargin/core/page"
	"readymargin/core/words"
)

// Drawn returns the tables of a page that are ruled, and where its figures stand.
func Drawn(p Page) (tables []words.Table, figures [][4]float64) {
	f := &finder{page: p, text: textOf(p.Words)}
	f.across, f.down = straighten(p.Strokes)
	cells := f.closed()
	squared := f.squared(cells)
	tables = f.tables(cells, squared)
	return tables, f.figures(cells, squared, tables)
}

// tables returns those that are ruled: at least two by two cells that touch, with print
// in some of them.
func (f *finder) tables(all []cell, squared map[int]bool) (out []words.Table) {
	of := make([]int, len(all)) // which group each belongs to
	for i := range of {
		of[i] = i
	}
	for i, a := range all {
		for j, b := range all[:i] {
			if of[i] != of[j] && !squared[i] && !squared[j] && touches(a.Rect, b.Rect) {
				from, to := of[i], of[j]
				for k := range of {
					if of[k] == from {
						of[k] = to
					}
				}
			}
		}
	}
	for g := range all {
		var x, y []float64
		cells := 0
		for i, c := range all {
			if of[i] == g && !squared[i] && c.W() >= 14 && c.H() >= 8 {
				x, y = append(x, c.Min.X, c.Max.X), append(y, c.Min.Y, c.Max.Y)
				cells++
			}
		}
		if x, y = apart(x), apart(y); cells < 4 || len(x) < 3 || len(y) < 3 || len(x) > 40 || len(y) > 120 {
			continue
		}
		t, printed := words.Table{X: x, Y: y}, map[[2]int]bool{}
		for _, w := range f.page.Words {
			if row, column, in := t.Cell(w.Rect().Center()); in && !IsRun(w.Text) {
				printed[[2]int{row, column}] = true
			}
		}
		if len(printed) >= 2 {
			out = append(out, t)
		}
	}
	return out
}

// apart returns values in order, those that are nearly equal once.
func apart(v []float64) []float64 {
	slices.Sort(v)
	return slices.CompactFunc(v, func(a, b float64) bool { return math.Abs(a-b) < 4 })
}

// figures returns where the pictures and drawings of a page stand that are large
// enough to say something, those that touch as one.
func (f *finder) figures(cells []cell, squared map[int]bool, tables []words.Table) (out [][4]float64) {
	const least, part, whole = 14, 120, 0.85 // points along, the same of what may be part of a drawing, of the page's area
	p := f.page
	var all []page.Rect
	for _, a := range p.Art {
		r := a.Rect.Intersect(page.R(0, 0, p.Width, p.Height))
		if !r.Empty() && (a.Picture || r.W() > 5 && r.H() > 5) && r.W()*r.H() < whole*p.Width*p.Height {
			all = append(all, r)
		}
	}
	for i, c := range cells {
		if squared[i] || c.empty && max(c.W(), c.H()) < part && f.attached(c.Rect) { // squared paper, and a box that is part of a drawing
			all = append(all, c.Rect)
		}
	}
	lines := f.short(part, tables) // which may go on from a drawing
	for joined := true; joined; {
		joined = false
		for i := 0; i < len(all); i++ {
			for j := i + 1; j < len(all); j++ {
				if !all[i].Grow(3).Intersect(all[j]).Empty() {
					all[i], joined = all[i].Union(all[j]), true
					all = slices.Delete(all, j, j+1)
					j--
				}
			}
		}
	}
	for grown := true; grown; {
		grown = false
		for i, r := range all {
			for k, l := range lines {
				if !r.Grow(3).Intersect(l).Empty() {
					all[i], grown = r.Union(l), true
					lines = slices.Delete(lines, k, k+1)
					break
				}
			}
		}
	}
	for _, r := range all {
		r = page.Rect{Min: r.Min.Round(), Max: r.Max.Round()}
		inTable := slices.ContainsFunc(tables, func(t words.Table) bool { return t.Rect().Contains(r.Center()) })
		if r.W() >= least && r.H() >= least && !inTable && r.W()*r.H() < whole*p.Width*p.Height {
			out = append(out, [4]float64{r.Min.X, r.Min.Y, r.Max.X, r.Max.Y})
		}
	}
	return out
}

// short returns the lines across and down that are no longer than that, but for those
// of tables.
func (f *finder) short(most float64, tables []words.Table) (out []page.Rect) {
	const thin = 0.5
	add := func(r page.Rect, long float64) {
		in := slices.ContainsFunc(tables, func(t words.Table) bool { return t.Rect().Grow(2).Contains(r.Center()) })
		if long < most && !in {
			out = append(out, r)
		}
	}
	for _, s := range f.across {
		add(page.R(s.lo, s.at-thin, s.hi, s.at+thin), s.length())
	}
	for _, s := range f.down {
		add(page.R(s.at-thin, s.lo, s.at+thin, s.hi), s.length())
	}
	return out
}
