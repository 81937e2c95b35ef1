package blank

import (
	"cmp"
	"math"
	"slices"
	"strings"

	"readymargin/core/page"
)

// A cell is a rectangle that lines close.
type cell struct {
	page.Rect
	empty bool
}

// cells finds the smallest closed rectangles. Empty ones are to be written
// in: combs and ticks by their size, cells where they have neighbours, boxes
// where they stand alone.
func (f *finder) cells() {
	all := f.closed()
	squared := f.squared(all)
	for _, c := range all {
		f.taken = append(f.taken, span{at: c.Min.Y, lo: c.Min.X, hi: c.Max.X}, span{at: c.Max.Y, lo: c.Min.X, hi: c.Max.X})
	}
	done := map[int]bool{}
	for i, c := range all {
		if done[i] || squared[i] || !c.empty {
			continue
		}
		if row := combAt(all, i); len(row) >= 3 {
			r := c.Rect
			for _, j := range row {
				done[j] = true
				r = r.Union(all[j].Rect)
			}
			f.add(Blank{Rect: r, Baseline: r.Max.Y - 0.25*r.H(), Size: min(max(0.6*r.H(), 9), 18), Kind: Comb, Confidence: 0.85})
			continue
		}
		f.cell(all, c)
	}
	for i, c := range all {
		if !c.empty && !squared[i] && !labels(all, c) && !spans(all, c) {
			f.rest(c, f.full(all, c))
		}
	}
}

// labels reports whether a cell's print is the label of the empty cell beside
// it, to its right: then nobody writes in the label's own cell.
func labels(all []cell, c cell) bool {
	return slices.ContainsFunc(all, func(o cell) bool {
		return o.empty && math.Abs(o.Min.X-c.Max.X) < 3 && math.Abs(o.Min.Y-c.Min.Y) < 3 && math.Abs(o.Max.Y-c.Max.Y) < 3
	})
}

// spans reports whether a cell stands beside several rows at once: then its
// print is the head of these, and what is free in it is no room to write.
func spans(all []cell, c cell) bool {
	right, left := 0, 0
	for _, o := range all {
		if o.Min.Y < c.Min.Y-3 || o.Max.Y > c.Max.Y+3 || o.H() > 0.8*c.H() {
			continue
		}
		if math.Abs(o.Min.X-c.Max.X) < 3 {
			right++
		}
		if math.Abs(o.Max.X-c.Min.X) < 3 {
			left++
		}
	}
	if right >= 2 || left >= 2 {
		return true
	}
	// Or on rows of print that are lower than it, as the head of a table does.
	return slices.ContainsFunc(all, func(o cell) bool {
		return !o.empty && math.Abs(o.Min.X-c.Min.X) < 3 && math.Abs(o.Max.X-c.Max.X) < 3 && math.Abs(o.Min.Y-c.Max.Y) < 3 && o.H() < 0.75*c.H()
	})
}

// cell adds an empty cell as what it is.
func (f *finder) cell(all []cell, c cell) {
	w, h := c.W(), c.H()
	b := Blank{Rect: c.Rect, Kind: Cell, Confidence: 0.85, Size: min(max(0.6*h, 9), 14)}
	b.Baseline = c.Max.Y - max(3, 0.25*h)
	if h > 40 {
		b.Baseline = c.Min.Y + 1.3*b.Size + 2
	}
	alone := !slices.ContainsFunc(all, func(o cell) bool { return o != c && touches(c.Rect, o.Rect) })
	switch {
	case w <= 20 && h <= 20 && w/h < 1.6 && h/w < 1.6 && w >= 5 && h >= 5:
		if f.attached(c.Rect) {
			return // a part of a drawing
		}
		b.Kind, b.Baseline, b.Size = Tick, c.Max.Y-0.15*h, max(h, 8)
	case w < 14 || h < 8:
		return // a gap between rules, not room to write
	case c.Min.X < 8 || c.Min.Y < 8 || c.Max.X > f.page.Width-8 || c.Max.Y > f.page.Height-8 || h > 0.9*f.page.Height || alone && w > 0.8*f.page.Width && h > 0.6*f.page.Height:
		return // a frame around the page, or its edge
	case alone:
		b.Kind = Box
	}
	f.add(b)
}

// attached reports whether a line goes on from a side of r, away from it.
func (f *finder) attached(r page.Rect) bool {
	on := func(v, a, b float64) bool { return v > a+2 && v < b-2 }
	for _, d := range f.down {
		if on(d.at, r.Min.X, r.Max.X) && (math.Abs(d.lo-r.Max.Y) < 2 || math.Abs(d.hi-r.Min.Y) < 2) {
			return true
		}
	}
	for _, a := range f.across {
		if on(a.at, r.Min.Y, r.Max.Y) && (math.Abs(a.lo-r.Max.X) < 2 || math.Abs(a.hi-r.Min.X) < 2) {
			return true
		}
	}
	return false
}

// full reports whether a cell's height is that of the print in another cell of
// its row: then what is free beneath its own print is no room to write.
func (f *finder) full(all []cell, c cell) bool {
	for _, o := range all {
		if o == c || o.empty || math.Abs(o.Min.Y-c.Min.Y) > 3 || math.Abs(o.Max.Y-c.Max.Y) > 3 {
			continue
		}
		for _, w := range f.page.Words {
			if o.Contains(w.Rect().Center()) && o.Max.Y-w.Box[3] < 13 {
				return true
			}
		}
	}
	return false
}

// rest adds the free part of a cell whose print leaves most of it free: a
// form's label with the room beneath or behind it.
func (f *finder) rest(c cell, full bool) {
	var text page.Rect
	count, label := 0, []string{}
	for _, w := range f.page.Words {
		if !c.Contains(w.Rect().Center()) {
			continue
		}
		if IsRun(w.Text) {
			return
		}
		if count == 0 {
			text = w.Rect()
		}
		text, count = text.Union(w.Rect()), count+1
		label = append(label, w.Text)
	}
	if count == 0 || count > 12 || text.Min.X > c.Min.X+0.25*c.W() || text.Min.Y > c.Min.Y+0.5*c.H() && c.H() > 24 {
		return
	}
	below, behind := c.Max.Y-text.Max.Y, c.Max.X-text.Max.X
	says := strings.Join(label, " ")
	asks := strings.HasSuffix(says, ":") || strings.HasSuffix(says, "?") || strings.HasSuffix(says, "$") || strings.HasSuffix(says, "£") || strings.HasSuffix(says, "€")
	// Small print at the top of a cell is the form's label of what goes under it.
	small := text.H() <= 11 && text.Min.Y-c.Min.Y < 5 && below >= 9
	switch {
	case (below >= 13 && !full || small) && c.W() >= 40 && c.H() < 160:
		r := page.R(c.Min.X, text.Max.Y, c.Max.X, c.Max.Y)
		f.add(Blank{Rect: r, Baseline: min(r.Max.Y-3, r.Min.Y+20), Size: min(max(0.6*r.H(), 9), 14), Kind: Cell, Label: says, Confidence: 0.6})
	case asks && behind >= 50 && text.H() < 20 && c.H() < 60:
		r := page.R(text.Max.X+3, c.Min.Y, c.Max.X, c.Max.Y)
		f.add(Blank{Rect: r, Baseline: text.Max.Y - 0.2*text.H(), Size: min(max(0.6*text.H(), 9), 14), Kind: Cell, Label: says, Confidence: 0.6})
	}
}

// closed returns the smallest rectangles that four lines close, from every
// crossing that can be their upper left corner.
func (f *finder) closed() (out []cell) {
	sides := slices.Clone(f.down)
	sides = append(sides, f.assumed()...)
	slices.SortFunc(sides, func(a, b span) int { return cmp.Compare(a.at, b.at) })
	const most = 2500
	for _, top := range f.across {
		for i, left := range sides {
			if left.at < top.lo-slack || left.at > top.hi+slack || left.lo > top.at+slack || left.hi < top.at+4 {
				continue
			}
			if r, ok := f.smallest(top, left, sides[i+1:]); ok && len(out) < most {
				out = append(out, cell{r, f.empty(r)})
			}
		}
	}
	slices.SortFunc(out, func(a, b cell) int { return cmp.Or(cmp.Compare(a.Min.Y, b.Min.Y), cmp.Compare(a.Min.X, b.Min.X)) })
	return slices.CompactFunc(out, func(a, b cell) bool {
		return math.Abs(a.Min.X-b.Min.X)+math.Abs(a.Min.Y-b.Min.Y)+math.Abs(a.Max.X-b.Max.X)+math.Abs(a.Max.Y-b.Max.Y) < 3
	})
}

// smallest returns the smallest rectangle with its upper left corner where
// top and left meet.
func (f *finder) smallest(top, left span, rights []span) (page.Rect, bool) {
	for _, bottom := range f.across {
		if bottom.at < top.at+4 || bottom.at > left.hi+slack || bottom.lo > left.at+slack || bottom.hi < left.at+4 {
			continue
		}
		for _, right := range rights {
			if right.at < left.at+4 || right.lo > top.at+slack || right.hi < bottom.at-slack {
				continue
			}
			if right.at > min(top.hi, bottom.hi)+slack {
				break
			}
			return page.R(left.at, top.at, right.at, bottom.at), true
		}
	}
	return page.Rect{}, false
}

// assumed returns the side walls of rows that have none: where three or more
// lines across begin, or end, together.
func (f *finder) assumed() (out []span) {
	if len(f.down) == 0 {
		return nil // nothing here is a table
	}
	for _, end := range []func(span) float64{func(s span) float64 { return s.lo }, func(s span) float64 { return s.hi }} {
		sorted := slices.Clone(f.across)
		slices.SortFunc(sorted, func(a, b span) int {
			return cmp.Or(cmp.Compare(math.Round(end(a)), math.Round(end(b))), cmp.Compare(a.at, b.at))
		})
		for i := 0; i < len(sorted); {
			j := i + 1
			for j < len(sorted) && math.Abs(end(sorted[j])-end(sorted[i])) < 1.5 && sorted[j].at-sorted[j-1].at < 60 {
				j++
			}
			out = append(out, f.wall(end(sorted[i]), sorted[i:j])...)
			i = j
		}
	}
	return out
}

// wall returns the wall at x of lines that begin, or end, there: from the first
// row of a table to its last. Lines to write on may stand over it, and under it.
func (f *finder) wall(x float64, lines []span) (out []span) {
	for len(lines) > 1 && !f.parted(lines[0], lines[1]) {
		lines = lines[1:]
	}
	for len(lines) > 1 && !f.parted(lines[len(lines)-2], lines[len(lines)-1]) {
		lines = lines[:len(lines)-1]
	}
	lo, hi := lines[0].at, lines[len(lines)-1].at
	walled := slices.ContainsFunc(f.down, func(d span) bool { return math.Abs(d.at-x) < slack && d.covers(lo, hi) })
	if len(lines) >= 3 && !walled {
		out = append(out, span{at: x, lo: lo, hi: hi})
	}
	return out
}

// parted reports whether a line goes down from one line to the next, and so
// parts cells of a row.
func (f *finder) parted(upper, lower span) bool {
	return slices.ContainsFunc(f.down, func(d span) bool { return d.covers(upper.at, lower.at) && d.at > upper.lo && d.at < upper.hi })
}

func touches(a, b page.Rect) bool {
	dx := max(a.Min.X-b.Max.X, b.Min.X-a.Max.X)
	dy := max(a.Min.Y-b.Max.Y, b.Min.Y-a.Max.Y)
	return dx < 2 && dy < 2 && (dx > -2 || dy > -2)
}

// combAt returns the cells of a comb that begins with the i-th: equal small
// ones in a row that have no like ones above or below.
func combAt(all []cell, i int) (row []int) {
	first := all[i]
	if first.W() > 32 || first.W() < 7 || first.H() > 36 || first.H() < 9 {
		return nil
	}
	like := func(c cell) bool { return math.Abs(c.W()-first.W()) < 1.5 && math.Abs(c.H()-first.H()) < 1.5 }
	row, last := []int{i}, first
	for j := i + 1; j < len(all); j++ {
		c := all[j]
		if !like(c) || math.Abs(c.Min.Y-first.Min.Y) > 2 {
			continue
		}
		if d := c.Min.X - last.Max.X; d < -2 || d > 2 || !c.empty {
			break
		}
		row, last = append(row, j), c
	}
	for _, c := range all {
		if like(c) && math.Abs(c.Min.X-first.Min.X) < 2 && (math.Abs(c.Max.Y-first.Min.Y) < 2 || math.Abs(c.Min.Y-first.Max.Y) < 2) {
			return nil // its columns go on: squared paper or a table
		}
	}
	return row
}

// squared returns which cells are the squares of squared paper or of a chart:
// at least four by four equal ones.
func (f *finder) squared(all []cell) map[int]bool {
	var groups [][]int
	for i, c := range all {
		if !c.empty || c.W() >= 45 || c.H() >= 45 {
			continue
		}
		g := slices.IndexFunc(groups, func(g []int) bool {
			return math.Abs(all[g[0]].W()-c.W()) < 1.2 && math.Abs(all[g[0]].H()-c.H()) < 1.2
		})
		if g < 0 {
			g, groups = len(groups), append(groups, nil)
		}
		groups[g] = append(groups[g], i)
	}
	out := map[int]bool{}
	for _, g := range groups {
		columns, rows := map[int]bool{}, map[int]bool{}
		for _, i := range g {
			columns[int(all[i].Min.X)] = true
			rows[int(all[i].Min.Y)] = true
		}
		if len(columns) >= 4 && len(rows) >= 4 && len(g) >= len(columns)*len(rows)/2 {
			for _, i := range g {
				out[i] = true
			}
		}
	}
	return out
}
