package scan

import (
	"math"
	"math/rand/v2"
	"testing"

	"readymargin/core/page"
)

// window is a piece of squared paper: lines every so many pixels, beginning at
// an offset, of a grey on paper with grain; some of it written over.
func window(r *rand.Rand, step, ox, oy float64, width int, grey, grain int, lines bool) Gray {
	const side = 60
	g := Gray{W: side, H: side, Pix: make([]uint8, side*side), Scale: 2}
	on := func(v, o float64) bool {
		d := math.Mod(v-o+100*step, step)
		return min(d, step-d) <= float64(width)/2
	}
	for y := range side {
		for x := range side {
			v := 250
			if lines && (on(float64(x), ox) || on(float64(y), oy)) {
				v = grey
			}
			if y > 40 && y < 44 && x > 10 && x < 22 {
				v = 40 // writing
			}
			g.Pix[y*side+x] = uint8(min(255, max(0, v+r.IntN(2*grain+1)-grain)))
		}
	}
	return g
}

func TestCrossingsOfPrintedGrids(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 1))
	for round := range 300 {
		step, ox, oy := 14+10*r.Float64(), 14*r.Float64(), 14*r.Float64()
		width, grey, grain := 1+r.IntN(3), 120+r.IntN(95), r.IntN(6)
		at := page.Pt(20+20*r.Float64(), 20+20*r.Float64())
		got, ok := Crossing(window(r, step, ox, oy, width, grey, grain, true), at)
		near := func(v, o float64) float64 { return o + step*math.Round((v-o)/step) }
		want := page.Pt(near(at.X, ox), near(at.Y, oy))
		tie := math.Abs(math.Abs(at.X-want.X)-step/2) < 1.5 || math.Abs(math.Abs(at.Y-want.Y)-step/2) < 1.5
		if !ok || !tie && (math.Abs(got.X-want.X) > 1.5 || math.Abs(got.Y-want.Y) > 1.5) {
			t.Errorf("round %d: %v %v, want %v (width %d, grey %d, grain %d)", round, got, ok, want, width, grey, grain)
		}
		if got, ok := Crossing(window(r, step, ox, oy, width, grey, grain, false), at); ok {
			t.Errorf("round %d: %v on plain paper", round, got)
		}
	}
}
