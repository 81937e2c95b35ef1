package ink

import (
	"encoding/json"
	"math"
	"math/rand/v2"
	"testing"

	"readymargin/core/page"
)

// drawn returns samples along a curve, with the noise of a hand of the given size in points.
func drawn(n int, noise float64, at func(t float64) (x, y, pressure float64)) []Sample {
	random := rand.New(rand.NewPCG(7, 7))
	out := make([]Sample, n)
	for i := range out {
		x, y, p := at(float64(i) / float64(n-1))
		out[i] = Sample{x + (random.Float64()-0.5)*noise, y + (random.Float64()-0.5)*noise, p}
	}
	return out
}

func circle(t float64) (x, y, p float64) {
	return 100 + 40*math.Cos(2*math.Pi*t), 100 + 40*math.Sin(2*math.Pi*t), 0.5
}

func TestFitFollowsTheHand(t *testing.T) {
	corner := func(t float64) (x, y, p float64) {
		if t < 0.5 {
			return 200 * t, 0, 0.5
		}
		return 100, 200 * (t - 0.5), 0.5
	}
	wave := func(t float64) (x, y, p float64) { return 300 * t, 20 * math.Sin(12*t), 0.2 + 0.6*t }
	for _, c := range []struct {
		name    string
		samples []Sample
		curves  int     // at most
		off     float64 // at most, in points
	}{
		{"circle", drawn(120, 0, circle), 10, 0.5},
		{"circle by a trembling hand", drawn(120, 0.5, circle), 45, 0.9},
		{"right angle", drawn(80, 0, corner), 8, 0.8},
		{"wave with growing pressure", drawn(200, 0, wave), 30, 0.5},
		{"two samples", []Sample{{0, 0, 0.5}, {50, 0, 0.5}}, 1, 0.01},
		{"a tap", []Sample{{5, 5, 0.5}}, 1, 0.01},
		{"a tap that was reported twice", []Sample{{5, 5, 0.5}, {5.1, 5, 0.5}}, 1, 0.2},
	} {
		s := Fit(c.samples)
		if err := s.Valid(); err != nil {
			t.Fatalf("%s: %v", c.name, err)
		}
		if n := len(s.Width) - 1; n > c.curves {
			t.Errorf("%s: %d curves, want at most %d", c.name, n, c.curves)
		}
		for _, p := range c.samples {
			if d := s.Distance(p.point(), 0); d > c.off {
				t.Errorf("%s: the stroke passes %v at %.2f points", c.name, p, d)
				break
			}
		}
	}
	if s := Fit(nil); s.Valid() == nil {
		t.Error("no samples gave a stroke")
	}
}

// The bounds of a circle of radius 40 drawn with a pen of 2 points are 40+1
// points around its middle.
func TestOutlineHasTheWidthOfThePen(t *testing.T) {
	pressed := func(p float64) []Sample {
		return drawn(120, 0, func(t float64) (float64, float64, float64) {
			x, y, _ := circle(t)
			return x, y, p
		})
	}
	for _, c := range []struct {
		pressure, half float64
	}{{0.5, 1}, {1, 1.65}, {0, 0.35}} {
		b := Fit(pressed(c.pressure)).Bounds(2)
		for _, off := range []float64{b.W()/2 - 40 - c.half, b.H()/2 - 40 - c.half, b.Center().Dist(page.Pt(100, 100))} {
			if math.Abs(off) > 0.3 {
				t.Errorf("pressure %v: bounds %v, want %v around (100,100)", c.pressure, b, 40+c.half)
			}
		}
	}
	rising := Fit(drawn(50, 0, func(t float64) (float64, float64, float64) { return 100 * t, 0, t }))
	if rising.Even() {
		t.Error("a stroke of rising pressure is equally wide")
	}
	if rising.Outline(10).Empty() {
		t.Error("no outline")
	}
	for _, c := range []struct {
		p    page.Point
		want float64
	}{{page.Pt(50, 4.9), 0}, {page.Pt(50, 15), 10}, {page.Pt(0, 8), 6.25}} {
		if d := rising.Distance(c.p, 10); math.Abs(d-c.want) > 0.35 {
			t.Errorf("distance of %v is %.2f, want %.2f", c.p, d, c.want)
		}
	}
}

func TestStrokeReadsBackAsWritten(t *testing.T) {
	want := Fit(drawn(60, 0.4, circle))
	b, err := json.Marshal(want)
	if err != nil {
		t.Fatal(err)
	}
	var got Stroke
	if err := json.Unmarshal(b, &got); err != nil {
		t.Fatal(err)
	}
	for i, p := range want.Path {
		if got.Path[i] != p {
			t.Fatalf("point %d: %v, want %v", i, got.Path[i], p)
		}
	}
	for _, bad := range []string{`{"path":[1,2,3],"width":[1]}`, `{"path":"x"}`} {
		if json.Unmarshal([]byte(bad), &got) == nil && got.Valid() == nil {
			t.Errorf("%s was taken", bad)
		}
	}
}

func FuzzFit(f *testing.F) {
	f.Add([]byte{1, 2, 3, 4, 5, 6, 7, 8, 9, 10})
	f.Fuzz(func(t *testing.T, b []byte) {
		var s []Sample
		for i := 0; i+2 < len(b); i += 3 {
			s = append(s, Sample{float64(b[i]), float64(b[i+1]), float64(b[i+2]) / 255})
		}
		got := Fit(s)
		if len(s) > 0 && got.Valid() != nil {
			t.Fatalf("%v gave %v", s, got)
		}
		if len(s) > 0 {
			got.Outline(3)
		}
	})
}
