package ink

import (
	"math"
	"math/rand/v2"
	"testing"

	"readymargin/core/page"
)

// along returns samples of a hand that goes from place to place, with noise.
func along(noise float64, seed uint64, ps ...page.Point) []Sample {
	random := rand.New(rand.NewPCG(seed, 3))
	var out []Sample
	for i := 1; i < len(ps); i++ {
		n := max(int(ps[i].Dist(ps[i-1])/2), 2)
		for k := range n {
			p := ps[i-1].Add(ps[i].Sub(ps[i-1]).Mul(float64(k) / float64(n-1)))
			out = append(out, Sample{p.X + (random.Float64()-0.5)*noise, p.Y + (random.Float64()-0.5)*noise, 0.5})
		}
	}
	return out
}

// oval returns the places of a hand that goes round an ellipse, with a slow
// wobble, and a little too far or not far enough.
func oval(rx, ry, wobble, turns float64) []page.Point {
	var out []page.Point
	for i := range 61 {
		a := turns * 2 * math.Pi * float64(i) / 60
		k := 1 + wobble*math.Sin(3*a+1)
		sin, cos := math.Sincos(a - 2)
		out = append(out, page.Pt(200+rx*k*cos, 200+ry*k*sin))
	}
	return out
}

// The drawn samples are invented; each is drawn with thirty kinds of noise.
func TestResembles(t *testing.T) {
	pts := func(xy ...float64) (out []page.Point) {
		for i := 0; i+1 < len(xy); i += 2 {
			out = append(out, page.Pt(xy[i], xy[i+1]))
		}
		return out
	}
	for _, c := range []struct {
		name   string
		way    []page.Point
		before []page.Point
		kind   string
		rect   page.Rect // of a closed shape, or of the line's ends in their order
	}{
		{"a circle", oval(50, 50, 0.04, 1), nil, "circle", page.R(150, 150, 250, 250)},
		{"a flat ellipse, not quite closed", oval(80, 25, 0.05, 0.95), nil, "circle", page.R(120, 175, 280, 225)},
		{"a circle, a little too far", oval(30, 34, 0.05, 1.08), nil, "circle", page.R(170, 166, 230, 234)},
		{"a box", pts(100, 100, 220, 103, 218, 180, 101, 178, 99, 101), nil, "square", page.R(100, 101, 219, 179)},
		{"a square from the middle of a side", pts(150, 100, 200, 100, 200, 200, 100, 200, 101, 100, 148, 101), nil, "square", page.R(100, 100, 200, 200)},
		{"a line", pts(50, 50, 150, 56, 250, 58), nil, "line", page.Rect{Min: page.Pt(50, 50), Max: page.Pt(250, 58)}},
		{"a short line upwards", pts(50, 80, 52, 50), nil, "line", page.Rect{Min: page.Pt(50, 80), Max: page.Pt(52, 50)}},
		{"an arrow in one stroke", pts(50, 50, 200, 60, 180, 45, 200, 60, 178, 74), nil, "arrow", page.Rect{Min: page.Pt(50, 50), Max: page.Pt(200, 60)}},
		{"an arrow with half a head", pts(50, 200, 50, 80, 62, 100), nil, "arrow", page.Rect{Min: page.Pt(50, 200), Max: page.Pt(50, 80)}},
		{"an arrow's head on a line", pts(180, 45, 201, 59, 181, 76), pts(50, 50, 200, 60), "arrow", page.Rect{Min: page.Pt(50, 50), Max: page.Pt(200, 60)}},
		{"an arrow's head at a line's beginning", pts(70, 35, 50, 50, 71, 68), pts(50, 50, 200, 60), "arrow", page.Rect{Min: page.Pt(200, 60), Max: page.Pt(50, 50)}},
		{"a letter S", pts(120, 60, 100, 55, 90, 70, 105, 85, 118, 100, 105, 118, 88, 110), nil, "", page.Rect{}},
		{"a zigzag", pts(50, 50, 80, 90, 110, 50, 140, 90, 170, 50), nil, "", page.Rect{}},
		{"a triangle", pts(100, 200, 150, 100, 200, 200, 100, 200), nil, "", page.Rect{}},
		{"a figure of eight", pts(100, 100, 150, 150, 100, 200, 50, 150, 100, 100, 150, 50, 100, 0, 50, 50, 100, 100), nil, "", page.Rect{}},
		{"a small letter o", oval(3, 3, 0, 1), nil, "", page.Rect{}},
		{"a tick", pts(100, 100, 108, 112, 130, 70), nil, "", page.Rect{}},
	} {
		wrong := 0
		for seed := range uint64(30) {
			s := Fit(along(1.6, seed, c.way...))
			var before *Stroke
			if c.before != nil {
				b := Fit(along(1.6, seed+100, c.before...))
				before = &b
			}
			got, ok := Resembles(s, before)
			if ok != (c.kind != "") || got.Kind != c.kind {
				wrong++
				t.Logf("%s, noise %d: %q", c.name, seed, got.Kind)
				continue
			}
			r := got.Rect
			if got.Kind == "line" || got.Kind == "arrow" {
				r = page.Rect{Min: got.From, Max: got.To}
			}
			if near := 0.05*math.Hypot(c.rect.W(), c.rect.H()) + 2; ok && (r.Min.Dist(c.rect.Min) > near || r.Max.Dist(c.rect.Max) > near) {
				t.Errorf("%s: %v, want %v", c.name, r, c.rect)
			}
		}
		if wrong > 1 {
			t.Errorf("%s: taken wrong %d times of 30", c.name, wrong)
		}
	}
}

// What is left is the stroke without what was under the rubber: at every place
// of a fine grid, but for those within a twentieth of a point of an edge.
func TestRubbingOut(t *testing.T) {
	random := rand.New(rand.NewPCG(11, 5))
	for round := range 24 {
		width := 0.5 + 9*random.Float64()
		var samples []Sample
		x, y, a := 60.0, 60.0, random.Float64()*6
		for range 60 {
			a += (random.Float64() - 0.5) * 0.7
			x, y = x+2.5*math.Cos(a), y+2.5*math.Sin(a)
			pressure := 0.5
			if round%2 == 0 {
				pressure = 0.3 + 0.5*random.Float64()
			}
			samples = append(samples, Sample{x, y, pressure})
		}
		s := Fit(samples)
		rubs, left := []Rub{}, []Stroke{s}
		for range 3 {
			at := samples[random.IntN(len(samples))].point().Add(page.Pt(random.Float64()*8-4, random.Float64()*8-4))
			way := along(0.5, uint64(round), at, at.Add(page.Pt(random.Float64()*30-15, random.Float64()*30-15)))
			rubs = append(rubs, Rubbing(way, 1+7*random.Float64()))
			var now []Stroke
			for _, piece := range left {
				kept, _ := piece.Rubbed(rubs, width)
				now = append(now, kept...)
			}
			left = now
		}
		for range 2500 {
			p := page.Pt(random.Float64()*260-70, random.Float64()*260-70)
			edge, under := s.Distance(p, width), false
			for _, r := range rubs {
				under = under || r.Covers(p)
			}
			had := edge == 0 && s.Distance(p, width-0.1) == 0
			has := false
			for _, piece := range left {
				has = has || piece.Distance(p, width) == 0
			}
			if had && !under && !has {
				t.Fatalf("round %d: ink at %v is gone, and no rubber was there", round, p)
			}
			if edge > 0.05 && has {
				t.Fatalf("round %d: ink at %v, where there was none", round, p)
			}
		}
	}
}

func TestARubberThatMeetsNothingOrEverything(t *testing.T) {
	s := Fit(along(0, 1, page.Pt(10, 10), page.Pt(60, 10)))
	if kept, met := s.Rubbed([]Rub{{3, []page.Point{{X: 30, Y: 40}}}}, 2); met || len(kept) != 1 {
		t.Errorf("a rubber far away: %d pieces, met %v", len(kept), met)
	}
	if kept, met := s.Rubbed([]Rub{{6, []page.Point{{X: 0, Y: 10}, {X: 80, Y: 10}}}}, 2); !met || len(kept) != 0 {
		t.Errorf("a rubber over all of it leaves %d pieces", len(kept))
	}
	if kept, _ := s.Rubbed([]Rub{{3, []page.Point{{X: 35, Y: 10}}}}, 2); len(kept) != 2 {
		t.Errorf("a rubber in the middle leaves %d pieces", len(kept))
	}
}
