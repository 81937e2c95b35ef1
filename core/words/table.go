package words

import (
	"slices"

	"readymargin/core/page"
)

// A Table is one that is ruled: where its columns and its rows end, in points, with
// the beginnings of the first ones.
type Table struct {
	X []float64 `json:"x"`
	Y []float64 `json:"y"`
}

// Rect returns where it stands.
func (t Table) Rect() page.Rect {
	return page.R(t.X[0], t.Y[0], t.X[len(t.X)-1], t.Y[len(t.Y)-1])
}

// Cell returns the row and the column, from 0, that a place is in; false for beside it.
func (t Table) Cell(p page.Point) (row, column int, ok bool) {
	if !t.Rect().Contains(p) {
		return 0, 0, false
	}
	in := func(edges []float64, v float64) int {
		i, _ := slices.BinarySearch(edges, v)
		return min(max(i-1, 0), len(edges)-2)
	}
	return in(t.Y, p.Y), in(t.X, p.X), true
}
