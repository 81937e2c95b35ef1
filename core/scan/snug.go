package scan

import (
	"math"

	"readymargin/core/page"
	"readymargin/core/words"
)

// wordGap is how wide the gap between two words is at the least, as a share of the height
// of their letters.
const wordGap = 0.16

// Snug moves the left and right ends of words that were read in the picture of an upright
// page to the ink that they are: readers know where the letters of a line stand better
// than where its words end.
func (g Gray) Snug(ws []words.Word) []words.Word {
	m := threshold(g)
	out := make([]words.Word, 0, len(ws))
	for _, line := range words.Lines(ws) {
		inked := m.inked(line, g.Scale)
		ends := make([][2]float64, len(line))
		for i := range ends {
			ends[i] = [2]float64{math.Inf(1), math.Inf(-1)}
		}
		for _, at := range inked {
			best, most := -1, 0.0
			for i, w := range line {
				if o := min(at[1], w.Box[2]) - max(at[0], w.Box[0]); o > most {
					best, most = i, o
				}
			}
			if best >= 0 {
				ends[best] = [2]float64{min(ends[best][0], at[0]), max(ends[best][1], at[1])}
			}
		}
		for i, w := range line {
			const far = 8 // points; what is farther is another word, or a drawing
			if e := ends[i]; e[0] < e[1] && math.Abs(e[0]-w.Box[0]) < far && math.Abs(e[1]-w.Box[2]) < far {
				w = stretched(w, e[0], e[1])
			}
			out = append(out, w)
		}
	}
	return out
}

// inked returns where along a line there is ink, from and to in points, cut where words
// are wordGap. It is looked for above the line that letters stand on, where no rule runs.
func (m mask) inked(line []words.Word, scale float64) (out [][2]float64) {
	first, last := line[0], line[len(line)-1]
	size := first.Box[3] - first.Box[1]
	lo, hi := max(int((first.Box[0]-10)*scale), 0), min(int((last.Box[2]+10)*scale), m.w)
	blank := math.Inf(1)
	for x := lo; x < hi; x++ {
		// The baseline may lean a little.
		at := float64(x) / scale
		share := min(max((at-first.Box[0])/max(last.Box[2]-first.Box[0], 1), 0), 1)
		base := first.Baseline + share*(last.Baseline-first.Baseline)
		ink := false
		for y := max(int((base-0.75*size)*scale), 0); y < min(int((base-1)*scale), m.h) && !ink; y++ {
			ink = m.ink[y*m.w+x]
		}
		switch {
		case !ink:
			blank++
		case blank/scale >= wordGap*size:
			out, blank = append(out, [2]float64{at, at + 1/scale}), 0
		default:
			out[len(out)-1][1], blank = at+1/scale, 0
		}
	}
	return out
}

// stretched returns a word with other ends, its letters between them.
func stretched(w words.Word, left, right float64) words.Word {
	k := (right - left) / (w.Box[2] - w.Box[0])
	edges := make([]float64, len(w.Edges))
	for i, x := range w.Edges {
		edges[i] = page.Round(left + (x-w.Box[0])*k)
	}
	w.Edges, w.Box[0], w.Box[2] = edges, page.Round(left), page.Round(right)
	return w
}
