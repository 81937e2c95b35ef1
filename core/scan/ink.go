package scan

import (
	"math/bits"

	"readymargin/core/page"
)

// Ink is a coarse map of where a page has ink: squares of two points, row by
// row, a bit each.
type Ink struct {
	W    int    `json:"w"` // squares in a row
	Bits []byte `json:"bits"`
}

// square is the side of a square of Ink, in points.
const square = 2

// InkOf maps the ink of a page.
func InkOf(g Gray) Ink {
	m := threshold(g)
	w, h := int(float64(g.W)/g.Scale/square)+1, int(float64(g.H)/g.Scale/square)+1
	w += (8 - w%8) % 8
	out := Ink{W: w, Bits: make([]byte, w/8*h)}
	for y := range g.H {
		for x := range g.W {
			if m.ink[y*g.W+x] {
				i := int(float64(y)/g.Scale/square)*w + int(float64(x)/g.Scale/square)
				out.Bits[i/8] |= 1 << (i % 8)
			}
		}
	}
	return out
}

func (k Ink) height() int {
	if k.W == 0 {
		return 0
	}
	return len(k.Bits) * 8 / k.W
}

func (k Ink) at(x, y int) bool {
	if x < 0 || y < 0 || x >= k.W || y >= k.height() {
		return false
	}
	i := y*k.W + x
	return k.Bits[i/8]&(1<<(i%8)) != 0
}

func (k Ink) count() (n int) {
	for _, b := range k.Bits {
		n += bits.OnesCount8(b)
	}
	return n
}

// grown returns k with every square's neighbours.
func (k Ink) grown() Ink {
	out := Ink{k.W, make([]byte, len(k.Bits))}
	for y := range k.height() {
		for x := range k.W {
			if !k.at(x, y) {
				continue
			}
			for dy := -1; dy <= 1; dy++ {
				for dx := -1; dx <= 1; dx++ {
					if u, v := x+dx, y+dy; u >= 0 && v >= 0 && u < k.W && v < k.height() {
						i := v*k.W + u
						out.Bits[i/8] |= 1 << (i % 8)
					}
				}
			}
		}
	}
	return out
}

// within returns how many of k's squares, moved by (dx, dy), lie on o.
func (k Ink) within(o Ink, dx, dy int) (n int) {
	for y := range k.height() {
		for b, v := range k.Bits[y*k.W/8 : (y+1)*k.W/8] {
			for ; v != 0; v &= v - 1 {
				if o.at(b*8+bits.TrailingZeros8(v)+dx, y+dy) {
					n++
				}
			}
		}
	}
	return n
}

// apart is by how much two scans of one sheet may be moved against each other,
// in squares each way.
const apart = 5

// laidOn returns how many of k's squares lie on o or beside it, where k is moved
// so that most do, and how far it is moved.
func (k Ink) laidOn(o Ink) (best, x, y int) {
	wide := o.grown()
	for dy := -apart; dy <= apart; dy++ {
		for dx := -apart; dx <= apart; dx++ {
			if n := k.within(wide, dx, dy); n > best {
				best, x, y = n, dx, dy
			}
		}
	}
	return best, x, y
}

// Adds reports whether k has what o has, and more written on it. Two scans of
// one sheet may lie a little differently.
func (k Ink) Adds(o Ink) bool {
	was, now := o.count(), k.count()
	if was < 60 || now < was+was/50+25 || now > 4*was {
		return false
	}
	best, bx, by := o.laidOn(k)
	if best*100 < was*95 {
		return false
	}
	more := now - k.within(o.grown(), -bx, -by)
	return more >= 25 && more*50 >= was
}

// In returns which part of k's ink o has too, from 0 to 1. The two may lie a
// little differently.
func (k Ink) In(o Ink) float64 {
	all := k.count()
	if all == 0 {
		return 0
	}
	best, _, _ := k.laidOn(o)
	return float64(best) / float64(all)
}

// Free reports whether there is no ink in a part of the page, in points.
func (k Ink) Free(r page.Rect) bool {
	for y := int(r.Min.Y / square); float64(y*square) < r.Max.Y; y++ {
		for x := int(r.Min.X / square); float64(x*square) < r.Max.X; x++ {
			if k.at(x, y) {
				return false
			}
		}
	}
	return true
}
