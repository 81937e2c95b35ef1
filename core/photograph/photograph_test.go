package photograph

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/draw"
	"image/png"
	"math"
	"math/rand/v2"
	"os/exec"
	"testing"

	"readymargin/core/page"
)

// A sheet with a frame and a few lines of "print", 620 by 877 pixels: A4.
func sheet() *image.RGBA {
	m := image.NewRGBA(image.Rect(0, 0, 620, 877))
	draw.Draw(m, m.Bounds(), image.NewUniform(color.RGBA{235, 233, 228, 255}), image.Point{}, draw.Src)
	ink := image.NewUniform(color.RGBA{40, 42, 50, 255})
	for i := range 12 {
		draw.Draw(m, image.Rect(70, 90+60*i, 70+40*(i+2), 98+60*i), ink, image.Point{}, draw.Src)
	}
	draw.Draw(m, image.Rect(400, 500, 560, 700), ink, image.Point{}, draw.Src)
	return m
}

// photographed lets ffmpeg's perspective filter, which knows nothing of this
// package, lay the sheet on a desk with its corners where they are wanted.
func photographed(t *testing.T, on color.RGBA, corners Quad) *image.RGBA {
	t.Helper()
	const w, h = 1000, 1400
	var in bytes.Buffer
	if err := png.Encode(&in, sheet()); err != nil {
		t.Fatal(err)
	}
	c := corners
	filter := fmt.Sprintf("scale=%d:%d,format=rgba,pad=%d:%d:1:1:color=black@0,perspective=%v:%v:%v:%v:%v:%v:%v:%v:sense=destination:interpolation=cubic", w-2, h-2, w, h,
		c[0].X, c[0].Y, c[1].X, c[1].Y, c[3].X, c[3].Y, c[2].X, c[2].Y)
	cmd := exec.Command("ffmpeg", "-loglevel", "error", "-f", "image2pipe", "-i", "-", "-vf", filter, "-f", "image2pipe", "-c:v", "png", "-")
	cmd.Stdin = &in
	var errs bytes.Buffer
	cmd.Stderr = &errs
	out, err := cmd.Output()
	if err != nil {
		t.Fatalf("ffmpeg (apt-get install ffmpeg): %v: %s", err, &errs)
	}
	laid, err := png.Decode(bytes.NewReader(out))
	if err != nil {
		t.Fatal(err)
	}
	m := image.NewRGBA(image.Rect(0, 0, w, h))
	for y := range h { // a desk with a grain, lit from the left
		for x := range w {
			light := 1.1 - 0.25*float64(x)/w + 0.04*math.Sin(float64(y)/3)
			m.SetRGBA(x, y, color.RGBA{uint8(float64(on.R) * light), uint8(float64(on.G) * light), uint8(float64(on.B) * light), 255})
		}
	}
	draw.Draw(m, m.Bounds(), laid, image.Point{}, draw.Over)
	return m
}

func TestASheetIsSeenFromAbove(t *testing.T) {
	wood, slate, cloth := color.RGBA{120, 80, 50, 255}, color.RGBA{60, 64, 70, 255}, color.RGBA{30, 60, 120, 255}
	for name, c := range map[string]struct {
		on      color.RGBA
		corners Quad
	}{
		"nearly straight": {wood, Quad{page.Pt(90, 100), page.Pt(905, 112), page.Pt(898, 1290), page.Pt(84, 1280)}},
		"leaning":         {slate, Quad{page.Pt(230, 80), page.Pt(930, 210), page.Pt(760, 1280), page.Pt(60, 1120)}},
		"from below":      {cloth, Quad{page.Pt(260, 220), page.Pt(760, 225), page.Pt(930, 1270), page.Pt(80, 1260)}},
		"from the side":   {wood, Quad{page.Pt(120, 120), page.Pt(860, 260), page.Pt(860, 1120), page.Pt(120, 1290)}},
	} {
		m := photographed(t, c.on, c.corners)
		q, ok := Sheet(m)
		if !ok {
			t.Errorf("%s: no sheet is seen", name)
			continue
		}
		for i := range q {
			if d := q[i].Dist(c.corners[i]); d > 6 { // of 1,400 pixels
				t.Errorf("%s: corner %d is %.1f pixels off: %v, not %v", name, i, d, q[i], c.corners[i])
			}
		}
		flat := Above(m, q, 877)
		if b := flat.Bounds(); math.Abs(float64(b.Dy())/float64(b.Dx())-math.Sqrt2) > 0.01 {
			t.Errorf("%s: it is painted %v large, which is no A4", name, b)
		}
		want := sheet()
		apart, n := 0.0, 0
		for y := 10; y < 860; y += 3 {
			for x := 10; x < 610; x += 3 {
				got := flat.RGBAAt(x*flat.Bounds().Dx()/620, y*flat.Bounds().Dy()/877)
				apart += math.Abs(float64(got.G) - float64(want.RGBAAt(x, y).G))
				n++
			}
		}
		mean := apart / float64(n)
		if mean > 4 {
			t.Errorf("%s: the sheet differs from what was photographed by %.1f of 255", name, mean)
		}
	}
}

// In the shadow of a hand and with a camera's noise the sheet is found as well, and
// cleaned its paper is white and its print where it was.
func TestASheetInAShadowIsCleaned(t *testing.T) {
	corners := Quad{page.Pt(230, 80), page.Pt(930, 210), page.Pt(760, 1280), page.Pt(60, 1120)}
	m := photographed(t, color.RGBA{90, 70, 50, 255}, corners)
	noise := rand.New(rand.NewPCG(1, 2))
	for y := range m.Bounds().Dy() {
		for x := range m.Bounds().Dx() {
			shade := 1 - 0.3/(1+math.Exp((float64(x)+0.6*float64(y)-900)/40)) // soft, over the upper left
			c := m.RGBAAt(x, y)
			dim := func(v uint8, lamp float64) uint8 {
				return uint8(min(max(float64(v)*shade*lamp+6*noise.NormFloat64(), 0), 255))
			}
			m.SetRGBA(x, y, color.RGBA{dim(c.R, 1), dim(c.G, 0.97), dim(c.B, 0.85), 255}) // under a warm lamp
		}
	}
	q, ok := Sheet(m)
	if !ok {
		t.Fatal("no sheet is seen")
	}
	for i := range q {
		if d := q[i].Dist(corners[i]); d > 7 { // a hundredth of its width of 712 pixels
			t.Errorf("corner %d is %.1f pixels off", i, d)
		}
	}
	clean, want := Cleaned(Above(m, q, 877)), sheet()
	paper, dull, print, lost := 0, 0, 0, 0
	for y := 12; y < 865; y++ {
		for x := 12; x < 608; x++ {
			near := want.RGBAAt(x-3, y).G < 100 != (want.RGBAAt(x+3, y).G < 100) || want.RGBAAt(x, y-3).G < 100 != (want.RGBAAt(x, y+3).G < 100)
			if near { // the edges of print
				continue
			}
			got := clean.RGBAAt(x*clean.Bounds().Dx()/620, y*clean.Bounds().Dy()/877)
			least, most := min(got.R, got.G, got.B), max(got.R, got.G, got.B)
			if want.RGBAAt(x, y).G < 100 {
				if print++; most > 130 {
					lost++
				}
			} else if paper++; least < 240 {
				dull++
			}
		}
	}
	if dull*50 > paper || lost*50 > print {
		t.Errorf("of %d points of paper %d are not white, of %d of print %d are not dark", paper, dull, print, lost)
	}
}

func TestWhatIsNoSheetStaysAsItIs(t *testing.T) {
	fill := func(f func(x, y int) color.RGBA) *image.RGBA {
		m := image.NewRGBA(image.Rect(0, 0, 800, 600))
		for y := range 600 {
			for x := range 800 {
				m.SetRGBA(x, y, f(x, y))
			}
		}
		return m
	}
	grey := func(v int) color.RGBA { return color.RGBA{uint8(v), uint8(v), uint8(v), 255} }
	for name, m := range map[string]image.Image{
		"a scan that fills the picture": sheet(),
		"one colour":                    fill(func(int, int) color.RGBA { return grey(200) }),
		"a face": fill(func(x, y int) color.RGBA {
			return grey(map[bool]int{true: 210, false: 60}[math.Hypot(float64(x-400), float64(y-300)) < 220])
		}),
		"half a page, cut off": fill(func(x, y int) color.RGBA { return grey(map[bool]int{true: 230, false: 60}[x+y/2 < 500]) }),
		"a few specks":         fill(func(x, y int) color.RGBA { return grey(map[bool]int{true: 230, false: 60}[x%50 < 6 && y%50 < 6]) }),
		"a very small picture": image.NewRGBA(image.Rect(0, 0, 20, 20)),
		"nothing":              image.NewRGBA(image.Rectangle{}),
	} {
		if q, ok := Sheet(m); ok {
			t.Errorf("%s: a sheet at %v", name, q)
		}
	}
}
