package e2e

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"image"
	"image/png"
	"math"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	cdpage "github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"

	"readymargin/core/ink"
	"readymargin/core/mark"
	"readymargin/core/page"
	"readymargin/core/submission"
	"readymargin/core/typeset"
	"readymargin/e2e/browser"
	"readymargin/school/takeaway"
)

const (
	samePages = 10 // 20 texts and 20 strokes on each
	sameScale = 4  // pixels a point
)

// emptyPages returns a file of empty pages of A4.
func emptyPages(t *testing.T, n int) []byte {
	t.Helper()
	return pagesOf(t, n, 595.28, 841.89)
}

var sameColors = []mark.Color{"#1e2a44", "#1f4fa3", "#2d7a3a", "#c22f20", "#7a3fa0", "#111111"}

// randomStroke winds inside a cell, even or by pressure.
func randomStroke(r *rand.Rand, n int) mark.Mark {
	x0, y0 := 40+130*float64(n%4), 40+70*float64(n/4)
	x, y, a, even := x0+50, y0+25, r.Float64()*6, r.IntN(2) == 0
	var samples []ink.Sample
	for range 20 + r.IntN(50) {
		a += (r.Float64() - 0.5) * 1.1
		nx, ny := x+2.2*math.Cos(a), y+2.2*math.Sin(a)
		if nx < x0 || nx > x0+110 || ny < y0 || ny > y0+50 {
			a += math.Pi / 2
			continue
		}
		x, y = nx, ny
		p := 0.5
		if !even {
			p = 0.2 + 0.7*r.Float64()
		}
		samples = append(samples, ink.Sample{X: x, Y: y, Pressure: p})
	}
	return mark.Mark{Body: &mark.Ink{Color: sameColors[r.IntN(len(sameColors))], Width: 1 + 6*r.Float64(), Opacity: 0.4 + 0.6*r.Float64(), InkList: []ink.Stroke{ink.Fit(samples)}}}
}

// randomText has words of several looks, as letters of its fonts.
func randomText(r *rand.Rand, n int) mark.Mark {
	const letters = "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789äöüßéèñçłżőřå.,;:!?()%&+=/“”’–°×"
	pool := []rune(letters)
	text := &mark.FreeText{X: 40 + 270*float64(n%2), Y: 430 + 38*float64(n/2), Width: 1}
	size := 8 + math.Round(4*r.Float64())
	var runs []mark.Run
	for range 1 + r.IntN(4) {
		run := mark.Run{Size: size, Color: sameColors[r.IntN(len(sameColors))], Font: mark.Fonts[r.IntN(4)], Bold: r.IntN(3) == 0, Italic: r.IntN(4) == 0, Under: r.IntN(5) == 0}
		if r.IntN(6) == 0 {
			run.Shift = 1 - 2*r.IntN(2)
		}
		for range 1 + r.IntN(3) {
			for range 1 + r.IntN(8) {
				run.Text += string(pool[r.IntN(len(pool))])
			}
			run.Text += " "
		}
		if len(typeset.Of(typeset.Look{Font: run.Font, Bold: run.Bold, Italic: run.Italic}).Unfit(run.Text, map[rune]bool{})) == 0 {
			runs = append(runs, run)
		}
	}
	if len(runs) == 0 {
		runs = []mark.Run{{Text: "tide", Size: size, Color: sameColors[0]}}
	}
	text.Lines, text.Box = []mark.TextLine{{Runs: runs}}, 120+100*r.Float64()
	return mark.Mark{Body: text}
}

// everyOtherKind has marks of all kinds but notes, on a grid of cells.
func everyOtherKind() (out []mark.Mark) {
	const wide, high = 86.0, 70.0
	cell := func() (x, y float64) { n := len(out); return 30 + wide*float64(n%6), 30 + high*float64(n/6) }
	add := func(b mark.Body) {
		out = append(out, mark.Mark{ID: fmt.Sprintf("other-%02d", len(out)), Page: samePages + 1, Body: b})
	}
	rect := func(w, h float64) [4]float64 { x, y := cell(); return [4]float64{x, y, x + w, y + h} }
	for _, name := range mark.StampNames {
		add(&mark.Stamp{Name: name, Color: "#c22f20", Rect: rect(30, 30)})
	}
	for _, sign := range []string{"check", "cross", "dot"} {
		add(&mark.Widget{Field: "f" + sign, Values: []string{"Yes"}, Rect: rect(18, 18), Sign: sign})
	}
	x, y := cell()
	word := []mark.TextLine{{Runs: []mark.Run{{Text: "ebb 2006", Size: 12, Color: "#1e2a44"}}}}
	add(&mark.Widget{Field: "said", Values: []string{"ebb 2006"}, Rect: rect(70, 18), Text: &mark.FreeText{X: x + 2, Y: y + 13, Width: 50, Lines: word}})
	x, y = cell()
	add(&mark.FreeText{X: x, Y: y + 14, Width: 60, Step: 20, Lines: append(word, word...), Fill: "#fff3c4"})
	// A line half of which was rubbed out along its side, one cut through, and
	// one whose breadth the pencil set.
	for i, rub := range []ink.Rub{{Radius: 5}, {Radius: 4}, {Radius: 3}} {
		x, y := cell()
		var samples []ink.Sample
		for k := range 40 {
			samples = append(samples, ink.Sample{X: x + 1.8*float64(k), Y: y + 20 + 8*math.Sin(float64(k)/6), Pressure: 0.5 + 0.01*float64(i*k)})
		}
		rub.Path = [][]page.Point{{page.Pt(x+10, y+33), page.Pt(x+45, y+26)}, {page.Pt(x+36, y), page.Pt(x+36, y+50)}, {page.Pt(x+20, y+20), page.Pt(x+50, y+20), page.Pt(x+50, y+8)}}[i]
		drawn := (&mark.Ink{Color: "#1f4fa3", Width: 9, Opacity: 1, InkList: []ink.Stroke{ink.Fit(samples)}}).Rubbing(rub)
		add(drawn)
	}
	x, y = cell()
	add(&mark.Ink{Color: "#ffc38a", Width: 14, Opacity: 1, Wash: true, InkList: []ink.Stroke{ink.Fit([]ink.Sample{{X: x, Y: y + 20, Pressure: 0.5}, {X: x + 30, Y: y + 24, Pressure: 0.5}, {X: x + 60, Y: y + 18, Pressure: 0.5}})}})
	even := mark.Shape{Color: "#7a3fa0", Width: 2, Opacity: 1}
	for _, ends := range [][2]string{{"", ""}, {"", "OpenArrow"}, {"OpenArrow", "OpenArrow"}} {
		r := rect(60, 40)
		add(&mark.Line{Shape: even, L: r, LineEnding: ends})
	}
	x, y = cell()
	add(&mark.PolyLine{Shape: even, Vertices: [][2]float64{{x, y}, {x + 30, y + 40}, {x + 60, y + 5}}, LineEnding: [2]string{"", "OpenArrow"}})
	for _, turn := range []float64{0, 24} {
		add(&mark.Square{Shape: even, Rect: rect(50, 30), Turn: turn})
		add(&mark.Circle{Shape: even, Rect: rect(50, 30), Turn: turn})
	}
	quads := func() [][8]float64 {
		r := rect(60, 14)
		return [][8]float64{{r[0], r[1], r[2], r[1], r[2], r[3], r[0], r[3]}}
	}
	add(&mark.Highlight{Color: "#ffd84d", QuadPoints: quads()})
	add(&mark.Highlight{Color: "#ffb070", QuadPoints: quads(), Meaning: "danger", Sign: "D"})
	add(&mark.Underline{Markup: mark.Markup{Color: "#c22f20", QuadPoints: quads()}})
	add(&mark.StrikeOut{Markup: mark.Markup{Color: "#c22f20", QuadPoints: quads()}})
	return out
}

// Of 200 random texts and 200 random strokes, and of marks of every other
// kind, the browser's picture and poppler's of the exported file have their
// ink in the same places: text within half a point, all else within three
// quarters, by Hausdorff distance, to which a pixel is added for how each
// rounds.
func TestTheScreenAndTheFileShowTheSame(t *testing.T) {
	t.Parallel()
	ctx, r := context.Background(), rand.New(rand.NewPCG(11, 26))
	login, id := copyOf(t, "same", emptyPages(t, samePages+1), samePages+1)
	student := personOf(t, login)
	var texts []mark.Mark
	for n := range samePages {
		var ops []submission.Op
		for i := range 20 {
			stroke, text := randomStroke(r, i), randomText(r, i)
			stroke.ID, stroke.Page = fmt.Sprintf("stroke-%02d-%02d", n, i), n+1
			ops = append(ops, submission.Op{ID: "op-" + stroke.ID, On: stroke.ID, Mark: &stroke})
			text.ID, text.Page = fmt.Sprintf("text-%02d-%02d", n, i), n+1
			texts = append(texts, text)
		}
		if _, err := home.School.Saving.Save(ctx, student, id, submission.Work, ops); err != nil {
			t.Fatal(err)
		}
	}
	var ops []submission.Op
	for _, m := range everyOtherKind() {
		ops = append(ops, submission.Op{ID: "op-" + m.ID, On: m.ID, Mark: &m})
	}
	if _, err := home.School.Saving.Save(ctx, student, id, submission.Work, ops); err != nil {
		t.Fatal(err)
	}
	p := tab(t, 1000, 800)
	given, err := json.Marshal(texts)
	if err != nil {
		t.Fatal(err)
	}
	steps(t,
		func() error { return p.SignIn(login, scenePassword) },
		func() error { return p.Go(fmt.Sprintf("/copies/%d", id)) }, p.Ready,
		func() error { return p.Fill("[data-zoom-at]", "100") },
		func() error {
			_, err := browser.Eval[int](p, `await document.fonts.ready; document.querySelector("[data-zoom-at]").dispatchEvent(new Event("change"));
				const {desk: {again, add, surface}} = await import(document.querySelector("script[data-core]").src);
				for (const f of ["RM Clear","RM Serif","RM School","RM Mono"]) for (const s of ["400","700","italic 400","italic 700"]) await document.fonts.load(s+" 14px '"+f+"'", "aä°×");
				for (const m of `+string(given)+`) add("freetext", m.page, again(surface.sheets[m.page-1], m.body, {box: m.body.box}));
				return 1`)
			return err
		},
	)
	ms := kept(t, p, id)
	if got := kinds(ms); strings.Count(got, "freetext") != 20*samePages+1 || strings.Count(got, "ink") != 20*samePages+4 {
		t.Fatalf("kept %s", got)
	}
	file, err := home.School.Exports.TakeCopy(ctx, student, id, takeaway.Choice{})
	if err != nil {
		t.Fatal(err)
	}
	dir := t.TempDir()
	if err := os.WriteFile(filepath.Join(dir, "all.pdf"), bytesOf(t, file), 0o644); err != nil {
		t.Fatal(err)
	}
	if out, err := exec.Command("pdftoppm", "-r", fmt.Sprint(72*sameScale), "-png", filepath.Join(dir, "all.pdf"), filepath.Join(dir, "page")).CombinedOutput(); err != nil {
		t.Fatalf("pdftoppm (apt-get install poppler-utils): %v %s", err, out)
	}
	worst := map[string]float64{}
	for n := range samePages + 1 {
		screen := sheetPicture(t, p, n+1)
		f, err := os.Open(filepath.Join(dir, fmt.Sprintf("page-%02d.png", n+1)))
		if err != nil {
			t.Fatal(err)
		}
		printed, err := png.Decode(f)
		f.Close()
		if err != nil {
			t.Fatal(err)
		}
		for _, m := range ms {
			if m.Page != n+1 {
				continue
			}
			most := 0.75
			if m.Body.Kind() == "freetext" {
				most = 0.5
			}
			b := m.Body.Bounds().Grow(3)
			box := image.Rect(int(b.Min.X*sameScale), int(b.Min.Y*sameScale), int(b.Max.X*sameScale), int(b.Max.Y*sameScale))
			for where, picture := range map[string]image.Image{"the screen": screen, "the file": printed} {
				if inkless(picture, box) {
					t.Errorf("%s is not seen in %s", m.ID, where)
				}
			}
			if stroke, ok := m.Body.(*mark.Ink); ok && stroke.Width > 3 && stroke.Rubbed == nil && !stroke.Wash {
				for where, picture := range map[string]image.Image{"the screen": screen, "the file": printed} {
					if off := colorOff(picture, box, stroke); off > 2 {
						t.Errorf("%s in %s: its colour is off by %d of 255", m.ID, where, off)
					}
				}
			}
			d := max(apartBy(screen, printed, box), apartBy(printed, screen, box)) / sameScale
			worst[m.Body.Kind()] = max(worst[m.Body.Kind()], d)
			if d > most+1.0/sameScale {
				t.Errorf("%s: %.2f points apart, want %.2f", m.ID, d, most)
			}
		}
	}
	t.Logf("apart at most: %v points", worst)
}

// sheetPicture is a page as the browser paints it, sameScale pixels a point.
func sheetPicture(t *testing.T, p *browser.Tab, n int) image.Image {
	t.Helper()
	r, err := browser.Eval[[4]float64](p, fmt.Sprintf(`document.querySelectorAll(".sheet > .hints, .typing").forEach(x=>x.remove()); const s=document.querySelectorAll("section.sheet")[%d], d=document.querySelector("[data-desk]"); Object.assign(d.style,{overflow:"visible",position:"static"}); document.body.style.overflow="visible"; const r=s.getBoundingClientRect(); return [r.left+scrollX,r.top+scrollY,r.width,r.height]`, n-1))
	if err != nil {
		t.Fatal(err)
	}
	scale, beyond := 841.89*sameScale/r[3], true
	raw, err := chromedp.Call(p.Ctx, cdpage.CaptureScreenshot, cdpage.CaptureScreenshotParams{Format: cdpage.CaptureScreenshotFormatPng, CaptureBeyondViewport: &beyond, Clip: &cdpage.Viewport{X: r[0], Y: r[1], Width: r[2], Height: r[3], Scale: scale}})
	if err != nil {
		t.Fatal(err)
	}
	m, err := png.Decode(bytes.NewReader(raw.Data))
	if err != nil {
		t.Fatal(err)
	}
	return m
}

func inkless(m image.Image, box image.Rectangle) bool {
	n := 0
	for y := box.Min.Y; y < box.Max.Y; y++ {
		for x := box.Min.X; x < box.Max.X; x++ {
			if r, g, b, _ := m.At(x, y).RGBA(); min(r, g, b)>>8 < 200 {
				n++
			}
		}
	}
	return n < 40
}

// colorOff returns by how much the darkest place of a stroke differs from its
// colour laid once on white: a stroke that crosses itself is no darker there.
func colorOff(m image.Image, box image.Rectangle, stroke *mark.Ink) int {
	least := [3]int{255, 255, 255}
	for y := box.Min.Y; y < box.Max.Y; y++ {
		for x := box.Min.X; x < box.Max.X; x++ {
			r, g, b, _ := m.At(x, y).RGBA()
			least[0], least[1], least[2] = min(least[0], int(r>>8)), min(least[1], int(g>>8)), min(least[2], int(b>>8))
		}
	}
	r, g, b := stroke.Color.RGB()
	off := 0
	for i, c := range []float64{r, g, b} {
		off = max(off, int(math.Abs(float64(least[i])-255*(1-stroke.Opacity*(1-c)))))
	}
	return off
}

// apartBy returns how far the ink of a in a box lies from b's, in pixels: the
// one-sided Hausdorff distance.
func apartBy(a, b image.Image, box image.Rectangle) float64 {
	inked := func(m image.Image, x, y int, most uint32) bool {
		r, g, b, _ := m.At(x, y).RGBA()
		return min(r, g, b)>>8 < most
	}
	worst := 0
	for y := box.Min.Y; y < box.Max.Y; y++ {
		for x := box.Min.X; x < box.Max.X; x++ {
			if !inked(a, x, y, 170) || inked(b, x, y, 225) {
				continue
			}
			d := 400
			for dy := -12; dy <= 12; dy++ {
				for dx := -12; dx <= 12; dx++ {
					if k := dx*dx + dy*dy; k < d && inked(b, x+dx, y+dy, 225) {
						d = k
					}
				}
			}
			worst = max(worst, d)
		}
	}
	return math.Sqrt(float64(worst))
}
