package scan

import (
	"slices"

	"readymargin/core/page"
)

// Limits of what is taken for a printed line of a grid.
const (
	fainter  = 9   // of 255: how much darker than the paper it is at least
	unbroken = 0.8 // of the window that it runs through
	broad    = 6   // pixels that it is wide at most
)

// Crossing returns where, in the pixels of a small window of a page, the lines
// of a printed grid cross that are nearest to a place; ok is false where no
// line runs through the window both ways. Lines may be faint; they may lean by
// a pixel or two.
func Crossing(g Gray, at page.Point) (p page.Point, ok bool) {
	if g.W < 8 || g.H < 8 || len(g.Pix) < g.W*g.H {
		return p, false
	}
	paper := slices.Clone(g.Pix[:g.W*g.H])
	slices.Sort(paper)
	white := int(paper[len(paper)*3/4])
	dark := func(x, y int) bool { return int(g.Pix[y*g.W+x]) <= white-fainter }
	x, okX := lineNear(g.W, at.X, func(i int) float64 {
		return share(g.H, func(k int) bool { return dark(i, k) || i > 0 && dark(i-1, k) })
	})
	y, okY := lineNear(g.H, at.Y, func(i int) float64 {
		return share(g.W, func(k int) bool { return dark(k, i) || i > 0 && dark(k, i-1) })
	})
	return page.Pt(x, y), okX && okY
}

// share returns which part of n places is dark.
func share(n int, dark func(int) bool) float64 {
	count := 0
	for k := range n {
		if dark(k) {
			count++
		}
	}
	return float64(count) / float64(n)
}

// lineNear returns the middle of the line nearest to a place among rows or
// columns, of which dark tells how dark each is.
func lineNear(n int, at float64, dark func(int) float64) (middle float64, ok bool) {
	best := float64(n)
	for i := 0; i < n; i++ {
		if dark(i) < unbroken {
			continue
		}
		from := i
		for i+1 < n && dark(i+1) >= unbroken {
			i++
		}
		if i-from+1 > broad {
			continue // an area, not a line
		}
		m := float64(from+i) / 2 // a line between two pixels darkens the one behind, too
		if d := max(m-at, at-m); d < best {
			best, middle, ok = d, m, true
		}
	}
	return middle, ok
}
