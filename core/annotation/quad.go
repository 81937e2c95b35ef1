package annotation

import "readymargin/core/page"

// QuadFrom returns the region of four corners in whatever order a file has them:
// the standard goes round about, most programs go row by row, and some begin at
// another corner. Corners that are given row by row, or round about from the first
// letter's top, keep their direction of writing.
func QuadFrom(c [4]page.Point) page.Quad {
	if crosses(c[0], c[1], c[2], c[3]) || crosses(c[1], c[2], c[3], c[0]) {
		c[2], c[3] = c[3], c[2] // they were given row by row
	}
	if crosses(c[0], c[1], c[2], c[3]) || crosses(c[1], c[2], c[3], c[0]) {
		b := page.Bounds(c[:]...)
		return page.QuadOf(b)
	}
	if turns(c[0], c[1], c[2]) < 0 { // the other way round: the first row is the foot
		c = [4]page.Point{c[3], c[2], c[1], c[0]}
	}
	if along := c[1].Sub(c[0]); along.X < 0 && abs(along.X) > abs(along.Y) && c[0].Y > c[3].Y {
		c = [4]page.Point{c[2], c[3], c[0], c[1]} // it begins at the last corner
	}
	return c
}

// turns is above 0 where the way from a over b to c turns clockwise, as y goes down.
func turns(a, b, c page.Point) float64 {
	u, v := b.Sub(a), c.Sub(b)
	return u.X*v.Y - u.Y*v.X
}

// crosses reports whether the sides a to b and c to d cross.
func crosses(a, b, c, d page.Point) bool {
	return turns(a, b, c)*turns(a, b, d) < 0 && turns(c, d, a)*turns(c, d, b) < 0
}

func abs(v float64) float64 { return max(v, -v) }
