package page

import (
	"math"
	"math/rand/v2"
	"testing"
)

// The expected places are worked by hand from ISO 32000-2, 7.7.3.3: Rotate
// turns the page clockwise, the crop box is what is shown, and one user unit
// is UserUnit points.
func TestBoxPutsUserSpaceWhereTheReaderSeesIt(t *testing.T) {
	crop := R(100, 50, 300, 450) // 200 wide, 400 high
	for _, c := range []struct {
		name       string
		box        Box
		w, h       float64
		user, want Point
	}{
		{"upright, top left", Box{crop, 0, 1}, 200, 400, Pt(100, 450), Pt(0, 0)},
		{"upright, inside", Box{crop, 0, 0}, 200, 400, Pt(150, 400), Pt(50, 50)},
		{"quarter turn, lower left goes to the top left", Box{crop, 90, 1}, 400, 200, Pt(100, 50), Pt(0, 0)},
		{"quarter turn, top left goes to the top right", Box{crop, 90, 1}, 400, 200, Pt(100, 450), Pt(400, 0)},
		{"half turn, lower right goes to the top left", Box{crop, 180, 1}, 200, 400, Pt(300, 50), Pt(0, 0)},
		{"three quarters, top right goes to the top left", Box{crop, 270, 1}, 400, 200, Pt(300, 450), Pt(0, 0)},
		{"minus a quarter is three quarters", Box{crop, -90, 1}, 400, 200, Pt(100, 450), Pt(0, 200)},
		{"a unit of two points", Box{crop, 0, 2}, 400, 800, Pt(150, 400), Pt(100, 100)},
	} {
		if w, h := c.box.Size(); w != c.w || h != c.h {
			t.Errorf("%s: size %v x %v, want %v x %v", c.name, w, h, c.w, c.h)
		}
		if got := c.box.FromUser().Apply(c.user); got.Dist(c.want) > 1e-9 {
			t.Errorf("%s: %v, want %v", c.name, got, c.want)
		}
		if back := c.box.ToUser().Apply(c.want); back.Dist(c.user) > 1e-9 {
			t.Errorf("%s: back at %v, want %v", c.name, back, c.user)
		}
	}
}

func TestMatrixProperties(t *testing.T) {
	random := rand.New(rand.NewPCG(1, 2))
	number := func() float64 { return random.Float64()*20 - 10 }
	for range 500 {
		m := Matrix{number(), number(), number(), number(), number(), number()}
		n := Matrix{number(), number(), number(), number(), number(), number()}
		p := Pt(number(), number())
		if got, want := m.Then(n).Apply(p), n.Apply(m.Apply(p)); got.Dist(want) > 1e-8 {
			t.Fatalf("%v then %v puts %v at %v, want %v", m, n, p, got, want)
		}
		if det := m.A*m.D - m.B*m.C; math.Abs(det) < 0.1 {
			continue
		}
		if back := m.Inverse().Apply(m.Apply(p)); back.Dist(p) > 1e-8 {
			t.Fatalf("%v does not come back: %v, want %v", m, back, p)
		}
	}
}

func TestRects(t *testing.T) {
	a, b := R(10, 10, 0, 0), R(5, 5, 20, 8)
	if got, want := a.Union(b), R(0, 0, 20, 10); got != want {
		t.Errorf("union %v, want %v", got, want)
	}
	if got, want := a.Intersect(b), R(5, 5, 10, 8); got != want {
		t.Errorf("intersection %v, want %v", got, want)
	}
	if !a.Intersect(R(10, 0, 20, 10)).Empty() {
		t.Error("rectangles that only touch have something in common")
	}
	if got := (Rect{}).Union(b); got != b {
		t.Errorf("the empty rectangle added something: %v", got)
	}
	q := QuadOf(a)
	if !q.Contains(Pt(5, 5)) || q.Contains(Pt(11, 5)) {
		t.Error("the quad of a rectangle does not hold what the rectangle holds")
	}
}
