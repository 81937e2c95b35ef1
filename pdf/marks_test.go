package pdf

import (
	"context"
	"image"
	"math"
	"math/rand/v2"
	"path/filepath"
	"strings"
	"testing"

	"readymargin/core/document"
	"readymargin/core/ink"
	"readymargin/core/mark"
	"readymargin/core/page"
)

// printed returns a page with marks as poppler paints it, at 144 dots an inch.
func printed(t *testing.T, marks ...mark.Mark) (image.Image, string) {
	t.Helper()
	blank := raw("", "<</Type/Catalog/Pages 2 0 R>>", "<</Type/Pages/Count 1/Kids[3 0 R]/MediaBox[0 0 300 300]>>", "<</Type/Page/Parent 2 0 R/Contents 4 0 R>>", stream("", ""))
	pages, err := pool.Inspect(context.Background(), blank)
	if err != nil {
		t.Fatal(err)
	}
	b, err := pool.Print(context.Background(), blank, document.Export{Boxes: []page.Box{pages[0].Box}, Marks: marks})
	if err != nil {
		t.Fatal(err)
	}
	file := written(t, b)
	base := filepath.Join(t.TempDir(), "page")
	tool(t, "pdftoppm", "-r", "144", "-singlefile", "-png", file, base)
	return picture(base + ".png"), file
}

func dark(m image.Image, x, y int) float64 {
	r, g, b, _ := m.At(x, y).RGBA()
	return 1 - float64(r+g+b)/(3*0xffff)
}

// What a rubber leaves is what poppler shows when the same stroke is drawn
// whole and then painted over by a round white line along the rubber's way.
func TestRubbedOutIsAsIfPaintedOver(t *testing.T) {
	random := rand.New(rand.NewPCG(3, 9))
	for round := range 8 {
		var samples []ink.Sample
		x, y, a := 100.0, 150.0, random.Float64()*6
		for range 70 {
			a += (random.Float64() - 0.5) * 0.6
			x, y = x+2.5*math.Cos(a), y+2.5*math.Sin(a)
			samples = append(samples, ink.Sample{X: x, Y: y, Pressure: 0.2 + 0.6*random.Float64()*float64(round%2) + 0.3*float64(1-round%2)})
		}
		body := &mark.Ink{Color: "#000000", Width: 3 + 6*random.Float64(), Opacity: 1, InkList: []ink.Stroke{ink.Fit(samples)}}
		at := samples[10+random.IntN(50)]
		var way []ink.Sample
		for i := range 20 {
			way = append(way, ink.Sample{X: at.X + float64(i) - 8, Y: at.Y + 6*math.Sin(float64(i)/3), Pressure: 0.5})
		}
		rub := ink.Rubbing(way, 2+5*random.Float64())
		left := body.Rubbing(rub)
		if left == nil || left == body {
			t.Fatalf("round %d: the rubber met nothing, or all", round)
		}
		over := &mark.PolyLine{Shape: mark.Shape{Color: "#ffffff", Width: 2 * rub.Radius, Opacity: 1}}
		for _, p := range rub.Path {
			over.Vertices = append(over.Vertices, [2]float64{p.X, p.Y})
		}
		got, _ := printed(t, mark.Mark{ID: "mark-left", Page: 1, Body: left})
		want, _ := printed(t, mark.Mark{ID: "mark-whole", Page: 1, Body: body}, mark.Mark{ID: "mark-over", Page: 1, Body: over})
		off, ink := 0.0, 0.0
		for y := range got.Bounds().Dy() {
			for x := range got.Bounds().Dx() {
				d := math.Abs(dark(got, x, y) - dark(want, x, y))
				off += d
				ink += dark(want, x, y)
				if d > 0.75 && dark(want, x, y) > 0.99 && dark(want, x-1, y) > 0.99 && dark(want, x+1, y) > 0.99 && dark(want, x, y-1) > 0.99 && dark(want, x, y+1) > 0.99 {
					t.Fatalf("round %d: ink is missing at pixel %d, %d", round, x, y)
				}
			}
		}
		if off > 0.02*ink {
			t.Errorf("round %d: %.1f of %.0f pixels differ", round, off, ink)
		}
	}
}

// Fonts, slants, raised letters and turned boxes are found by poppler: the
// names of the fonts by pdffonts, the places of words by pdftotext -bbox.
func TestRichTextInAFile(t *testing.T) {
	run := func(text, font string, bold, italic bool, shift int) mark.Run {
		return mark.Run{Text: text, Size: 14, Color: "#1e2a44", Font: font, Bold: bold, Italic: italic, Shift: shift}
	}
	lines := []mark.TextLine{
		{Runs: []mark.Run{run("plain ", "", false, false, 0), run("broad ", "", true, false, 0), run("slanted", "", false, true, 0)}, Hard: true},
		{Runs: []mark.Run{run("serif ", "serif", false, false, 0), run("school ", "school", false, false, 0), run("equal", "mono", false, false, 0)}, Hard: true},
		{Runs: []mark.Run{run("H", "", false, false, 0), run("2", "", false, false, -1), run("O", "", false, false, 0)}, Hard: true},
	}
	upright := mark.Mark{ID: "mark-upright", Page: 1, Body: &mark.FreeText{X: 40, Y: 60, Width: 150, Lines: lines}}
	down := mark.Mark{ID: "mark-down", Page: 1, Body: &mark.FreeText{X: 250, Y: 60, Width: 60, Turn: 90, Lines: []mark.TextLine{{Runs: []mark.Run{run("downwards", "", false, false, 0)}}}}}
	_, file := printed(t, upright, down)
	fonts := tool(t, "pdffonts", file)
	for _, want := range []string{"clear-400-normal-latin", "clear-700-normal-latin", "clear-400-italic-latin", "serif-400-normal-latin", "school-400-normal-latin", "mono-400-normal-latin"} {
		if !strings.Contains(fonts, want) {
			t.Errorf("pdffonts does not find %s in\n%s", want, fonts)
		}
	}
	boxes := map[string][4]float64{}
	for _, m := range bboxWord.FindAllStringSubmatch(tool(t, "pdftotext", "-bbox", file, "-"), -1) {
		var v [4]float64
		for i := range v {
			v[i] = number(t, m[i+1])
		}
		boxes[m[5]] = v
	}
	if b, ok := boxes["plain"]; !ok || math.Abs(b[0]-40) > 0.5 {
		t.Errorf("plain is at %v", b)
	}
	if h, two := boxes["H"], boxes["2"]; two[3] < h[3]+0.3 || two[3]-two[1] > 0.8*(h[3]-h[1]) {
		t.Errorf("the lowered 2 is at %v, H at %v", two, h)
	}
	if b, ok := boxes["downwards"]; !ok || b[3]-b[1] < 3*(b[2]-b[0]) || math.Abs(b[1]-60) > 1 {
		t.Errorf("what runs downwards is at %v", b)
	}
}
