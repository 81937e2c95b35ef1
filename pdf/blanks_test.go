package pdf

import (
	"bytes"
	"context"
	"fmt"
	"maps"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"codeberg.org/go-pdf/fpdf"

	"readymargin/core/blank"
	"readymargin/core/blank/blanktest"
	"readymargin/core/page"
)

// A drawn sheet is a page whose places are known because they were drawn here.
type drawn struct {
	*fpdf.Fpdf
	rnd    *rand.Rand
	places []blanktest.Place
	y      float64
	size   float64
	font   string
}

var said = strings.Fields("the tide rises and falls twice a day because water follows moon sun while harbour depth changes with height of land under keel near rocks buoy light tower channel wind stream bar")

func (d *drawn) words(n int) string {
	out := make([]string, n)
	for i := range out {
		out[i] = said[d.rnd.IntN(len(said))]
	}
	return strings.ToUpper(out[0][:1]) + strings.Join(out, " ")[1:]
}

// text sets words and returns where they end.
func (d *drawn) text(x, y float64, s string) float64 {
	d.Text(x, y, s)
	return x + d.GetStringWidth(s)
}

func (d *drawn) at(k blank.Kind, x0, y0, x1, y1 float64) {
	d.places = append(d.places, blanktest.Place{Kind: k, Rect: page.R(x0, y0, x1, y1)})
}

// on draws a line to write on and notes its place.
func (d *drawn) on(x0, x1, y float64) {
	d.Line(x0, y, x1, y)
	d.at(blank.Line, x0, y-d.size, x1, y)
}

// designs are ways in which worksheets ask; each fills a page.
var designs = map[string]func(*drawn){
	"underscores in sentences": func(d *drawn) {
		for n := range 14 {
			x := d.text(56, d.y, fmt.Sprintf("%d. %s ", n+1, d.words(3+d.rnd.IntN(3))))
			run := strings.Repeat("_", 8+d.rnd.IntN(14))
			end := d.text(x, d.y, run)
			d.at(blank.Line, x, d.y-d.size, end, d.y)
			d.text(end+3, d.y, strings.ToLower(d.words(2+d.rnd.IntN(3)))+".")
			d.y += 2.2 * d.size
		}
	},
	"dots to write on": func(d *drawn) {
		for n := range 12 {
			x := d.text(56, d.y, fmt.Sprintf("%c) %s: ", 'a'+n, d.words(2+d.rnd.IntN(4))))
			end := d.text(x, d.y, strings.Repeat(".", 40+d.rnd.IntN(30)))
			d.at(blank.Line, x, d.y-d.size, end, d.y)
			d.y += 2.4 * d.size
		}
	},
	"lines after labels": func(d *drawn) {
		for range 12 {
			x := d.text(56, d.y, d.words(1+d.rnd.IntN(2))+":") + 6
			mid := x + 90 + float64(d.rnd.IntN(90))
			d.on(x, mid, d.y+2)
			x = d.text(mid+14, d.y, d.words(1)) + 6
			d.on(x, min(x+80+float64(d.rnd.IntN(60)), 545), d.y+2)
			d.y += 2.6 * d.size
		}
	},
	"ruled answers": func(d *drawn) {
		for n := range 4 {
			d.text(56, d.y, fmt.Sprintf("%d  %s?", n+1, d.words(7)))
			step, lines := 20+float64(d.rnd.IntN(10)), 3+d.rnd.IntN(3)
			top := d.y + 6
			d.y += step + 8
			for i := range lines {
				d.Line(56, d.y+step*float64(i), 540, d.y+step*float64(i))
			}
			d.y += step * float64(lines-1)
			d.at(blank.Lines, 56, top, 540, d.y)
			d.y += 34
		}
	},
	"a table": func(d *drawn) {
		d.text(56, d.y, d.words(6)+".")
		d.y += 14
		columns, rows := 3+d.rnd.IntN(2), 5+d.rnd.IntN(4)
		w, h := 480/float64(columns), 22+float64(d.rnd.IntN(12))
		for r := range rows {
			for c := range columns {
				x, y := 56+w*float64(c), d.y+h*float64(r)
				d.Rect(x, y, w, h, "D")
				if r == 0 || c == 0 {
					d.text(x+5, y+0.7*h, d.words(1))
				} else {
					d.at(blank.Cell, x, y, x+w, y+h)
				}
			}
		}
	},
	"boxes": func(d *drawn) {
		for n := range 5 {
			d.text(56, d.y, fmt.Sprintf("(%d) %s", n+1, d.words(5)))
			d.y += 8
			h := 30 + float64(d.rnd.IntN(60))
			w := 200 + float64(d.rnd.IntN(250))
			d.Rect(56, d.y, w, h, "D")
			d.at(blank.Box, 56, d.y, 56+w, d.y+h)
			d.y += h + 26
		}
	},
	"ticks": func(d *drawn) {
		for n := range 4 {
			d.text(56, d.y, fmt.Sprintf("%d. %s?", n+1, d.words(6)))
			d.y += 1.8 * d.size
			side := 8 + float64(d.rnd.IntN(6))
			for range 3 {
				d.Rect(74, d.y-side, side, side, "D")
				d.at(blank.Tick, 74, d.y-side, 74+side, d.y)
				d.text(74+side+8, d.y, d.words(3))
				d.y += 1.9 * d.size
			}
			d.y += d.size
		}
	},
	"combs": func(d *drawn) {
		for range 7 {
			d.text(56, d.y, d.words(1))
			side, n := 15+float64(d.rnd.IntN(6)), 5+d.rnd.IntN(8)
			for i := range n {
				d.Rect(200+side*float64(i), d.y-side+4, side, side, "D")
			}
			d.at(blank.Comb, 200, d.y-side+4, 200+side*float64(n), d.y+4)
			d.y += 44
		}
	},
	"room under questions": func(d *drawn) {
		for n := range 4 {
			d.text(56, d.y, fmt.Sprintf("%d. %s.", n+1, d.words(9)))
			d.at(blank.Room, 56, d.y+8, 540, d.y+100)
			d.y += 130 + float64(d.rnd.IntN(30))
		}
	},
	"a form with labels in its cells": func(d *drawn) {
		for range 6 {
			x, h := 56.0, 32+float64(d.rnd.IntN(8))
			for x < 500 {
				w := min(100+float64(d.rnd.IntN(160)), 540-x)
				if 540-x-w < 60 {
					w = 540 - x
				}
				d.Rect(x, d.y, w, h, "D")
				d.SetFontSize(7)
				d.text(x+3, d.y+9, d.words(2))
				d.SetFontSize(d.size)
				d.at(blank.Cell, x, d.y+11, x+w, d.y+h)
				x += w
			}
			d.y += h
		}
	},
	// Pages on which there is nothing to write.
	"- prose": func(d *drawn) {
		for range 4 {
			d.SetFontSize(1.4 * d.size)
			end := d.text(56, d.y, d.words(3))
			d.Line(56, d.y+3, end, d.y+3)
			d.SetFontSize(d.size)
			d.y += 24
			for range 7 {
				d.text(56, d.y, d.words(12))
				d.y += 1.35 * d.size
			}
			d.y += 18
		}
		d.Line(56, 790, 540, 790)
		d.text(280, 804, "3")
		d.Line(56, 40, 540, 40)
		d.text(56, 36, "Coastal Navigation")
		d.Line(56, 740, 200, 740)
		d.SetFontSize(8)
		d.text(56, 750, "1 "+d.words(8))
	},
	"- contents": func(d *drawn) {
		for n := range 18 {
			x := d.text(56, d.y, d.words(2+d.rnd.IntN(3))+" ")
			for d.GetStringWidth(".") > 0 && x < 510 {
				x = d.text(x, d.y, "....")
			}
			d.text(524, d.y, fmt.Sprint(n*7+3))
			d.y += 1.8 * d.size
		}
	},
	"- a full table and a chart": func(d *drawn) {
		for range 6 {
			for c := range 4 {
				d.Rect(56+110*float64(c), d.y, 110, 22, "D")
				d.text(60+110*float64(c), d.y+15, d.words(1))
			}
			d.y += 22
		}
		d.y += 40
		for i := range 12 {
			d.Line(80, d.y+20*float64(i), 500, d.y+20*float64(i))
		}
		for i := range 15 {
			d.Line(80+30*float64(i), d.y, 80+30*float64(i), d.y+220)
		}
	},
}

// drawSheet draws a page of one design; the seed varies its font, sizes and texts.
func drawSheet(name string, seed uint64) ([]byte, []blanktest.Place) {
	d := &drawn{Fpdf: fpdf.New("P", "pt", "A4", ""), rnd: rand.New(rand.NewPCG(seed, 7)), y: 110}
	d.font = []string{"Helvetica", "Times", "Courier"}[d.rnd.IntN(3)]
	d.size = 9.5 + float64(d.rnd.IntN(4))
	d.SetAutoPageBreak(false, 0)
	d.AddPage()
	d.SetFont(d.font, "B", 18)
	d.Text(56, 70, "Worksheet")
	d.SetFont(d.font, "", d.size)
	d.SetLineWidth(0.4 + d.rnd.Float64())
	designs[name](d)
	var b bytes.Buffer
	if err := d.Output(&b); err != nil {
		panic(err)
	}
	return b.Bytes(), d.places
}

func blanksOf(t *testing.T, file []byte, n int) []blank.Blank {
	t.Helper()
	return must(pool.Inspect(context.Background(), file))[n-1].Blanks()
}

// Fifty pages drawn here, ten ways of asking five times, and fifteen on which
// there is nothing to write. The seeds are those the rules were not made with.
func TestBlanksOnDrawnSheets(t *testing.T) {
	var all blanktest.Score
	kinds := map[blank.Kind]blanktest.Score{}
	quiet, pages := 0, 0
	for _, name := range slices.Sorted(maps.Keys(designs)) {
		var one blanktest.Score
		for seed := uint64(100); seed < 105; seed++ {
			file, places := drawSheet(name, seed)
			found := blanksOf(t, file, 1)
			s, k := blanktest.Judge(places, found)
			one.Add(s)
			for kind, v := range k {
				sum := kinds[kind]
				sum.Add(v)
				kinds[kind] = sum
			}
			if strings.HasPrefix(name, "-") {
				pages++
				if len(found) == 0 {
					quiet++
				}
			}
		}
		t.Logf("%-34s %v", name, one)
		all.Add(one)
	}
	for _, k := range slices.Sorted(maps.Keys(kinds)) {
		t.Logf("%-34s %v", k, kinds[k])
	}
	t.Logf("%-34s %v; nothing claimed on %d of %d other pages", "all", all, quiet, pages)
	if loose := float64(all.Loose) / float64(all.Places); loose < 0.95 {
		t.Errorf("loose %.3f", loose)
	}
	if wrong := float64(all.False) / float64(all.Claimed); wrong > 0.04 {
		t.Errorf("false %.3f", wrong)
	}
	if quiet*10 < pages*9 {
		t.Errorf("quiet on %d of %d", quiet, pages)
	}
}

// A tax form with its fields taken off: the fields are the truth. It comes
// with the sources of pdfcpu (Apache 2.0) and is the U.S. Internal Revenue
// Service's W-4 of 2023, in the public domain.
func TestBlanksOfAForm(t *testing.T) {
	dir, err := exec.Command("go", "list", "-m", "-f", "{{.Dir}}", "github.com/pdfcpu/pdfcpu").Output()
	if err != nil {
		t.Fatal(err)
	}
	file := must(os.ReadFile(filepath.Join(strings.TrimSpace(string(dir)), "pkg/samples/signatures/adbe.pkcs7.detached/usageRights.pdf")))
	var all blanktest.Score
	for i, p := range must(pool.Inspect(context.Background(), file)) {
		var places []blanktest.Place
		for _, f := range p.Fields {
			kind := blank.Line
			if f.Type == "Btn" {
				kind = blank.Tick
			}
			places = append(places, blanktest.Place{Kind: kind, Rect: f.Rect})
		}
		s, _ := blanktest.Judge(places, blanksOf(t, file, i+1))
		all.Add(s)
	}
	t.Log(all)
	if all.Places != 29 || float64(all.Loose) < 0.85*float64(all.Places) || all.False > 1 {
		t.Errorf("worse than it was: %v", all)
	}
}
