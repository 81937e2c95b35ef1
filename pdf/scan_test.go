package pdf

import (
	"context"
	"fmt"
	"image"
	"image/color"
	"maps"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"readymargin/core/blank/blanktest"
	"readymargin/core/document"
	"readymargin/core/heldback"
	"readymargin/core/page"
	"readymargin/core/scan"
	"readymargin/office"
	"readymargin/pdf/pdftest"
)

// Scans of sheets whose places are known: those typeset by LibreOffice, and
// those drawn here, but for the ways that only words can tell.
func TestBlanksOnScans(t *testing.T) {
	rnd := rand.New(rand.NewPCG(5, 5))
	type sheet struct {
		name   string
		file   []byte
		page   int
		places []blanktest.Place
	}
	var sheets []sheet
	names := slices.Sorted(maps.Keys(ways))
	for seed := range uint64(len(faces)) {
		d, err := (&office.LibreOffice{}).PDF(context.Background(), typesetSheet(seed, ways))
		if err != nil {
			t.Fatalf("%v (%s)", err, office.Install)
		}
		pages := must(pool.Inspect(context.Background(), d.PDF))
		for i, places := range truth(t, d.PDF, pages) {
			if (i+int(seed))%2 == 1 {
				continue // every way in three of the fonts
			}
			sheets = append(sheets, sheet{fmt.Sprintf("%s, %s: %s", faces[seed].name, strings.TrimSuffix(faces[seed].of, "-latin"), names[i]), d.PDF, i + 1, places})
		}
	}
	for _, name := range slices.Sorted(maps.Keys(designs)) {
		if name == "room under questions" || name == "- contents" {
			continue // nothing but words tells where these are
		}
		file, places := drawSheet(name, 100)
		sheets = append(sheets, sheet{"drawn: " + name, file, 1, places})
	}
	var all blanktest.Score
	perFont := map[string]blanktest.Score{}
	quiet, others := 0, 0
	for _, s := range sheets {
		angle := (rnd.Float64() - 0.5) * 0.024 // up to 0.7 degrees
		book := pdftest.BookOf(t, pdftest.Scanned(t, s.file, s.page, angle, nil, rnd))
		got := must(pool.Inspect(context.Background(), book))[0]
		turn := scan.Turn(angle, page.Pt(got.Width/2, got.Height/2))
		for i := range s.places {
			r := &s.places[i].Rect
			c := r.Center()
			*r = r.Add(turn.Apply(c).Sub(c))
		}
		for i := range s.places {
			s.places[i].Rect.Max.X = min(s.places[i].Rect.Max.X, got.Width-5) // some are drawn over the edge
		}
		found := got.Blanks()
		one, _ := blanktest.Judge(s.places, found)
		t.Logf("%-46s leaning %5.2f°, seen %5.2f°: %v", s.name, angle*57.3, got.Scan.Tilt*57.3, one)
		all.Add(one)
		font, _, _ := strings.Cut(s.name, ": ")
		sum := perFont[font]
		sum.Add(one)
		perFont[font] = sum
		if strings.Contains(s.name, ": -") {
			others++
			if len(found) == 0 {
				quiet++
			}
		}
	}
	for _, font := range slices.Sorted(maps.Keys(perFont)) {
		t.Logf("%-46s %v", font, perFont[font])
	}
	t.Logf("all %v; nothing claimed on %d of %d other pages", all, quiet, others)
	if loose, wrong := float64(all.Loose)/float64(all.Places), float64(all.False)/float64(all.Claimed); loose < 0.92 || wrong > 0.08 || quiet < others-2 {
		t.Errorf("loose %.3f, false %.3f, quiet on %d of %d", loose, wrong, quiet, others)
	}
}

// A scan of a sheet and a scan of it filled in: the second is noticed; two
// scans of different sheets, and the same scanned twice, are not.
func TestAnswersOnScans(t *testing.T) {
	rnd := rand.New(rand.NewPCG(6, 6))
	table, _ := drawSheet("a table", 100)
	lines, _ := drawSheet("ruled answers", 100)
	write := func(m *image.Gray) { // wavy writing over half the page
		for k := range 9 {
			for x := 180; x < 700; x++ {
				y := 330 + 70*k + (x*(k+3)/7%23+x*x/97%11)/2
				for d := range 4 {
					m.SetGray(x, y+d, color.Gray{60})
				}
			}
		}
	}
	book := pdftest.BookOf(t,
		pdftest.Scanned(t, table, 1, 0, nil, rnd), pdftest.Scanned(t, lines, 1, 0, nil, rnd), pdftest.Scanned(t, table, 1, 0.002, nil, rnd),
		pdftest.Scanned(t, lines, 1, 0.001, write, rnd), pdftest.Scanned(t, table, 1, 0.001, write, rnd))
	got := heldback.Propose(document.Printed(must(pool.Inspect(context.Background(), book))))
	want := map[int]heldback.Reason{4: {Kind: heldback.Written, Of: 2}, 5: {Kind: heldback.Written, Of: 1}}
	if !maps.Equal(got, want) {
		t.Errorf("proposed %v, want %v", got, want)
	}
}

// For slow lines a scan comes lighter, with print where it was and as dark as it was;
// a photograph in it stays one, and a typeset page is the same to the last pixel.
func TestAScanIsLighterForSlowLines(t *testing.T) {
	ctx, rnd := context.Background(), rand.New(rand.NewPCG(12, 4))
	table, _ := drawSheet("- prose", 100)
	picture := func(m *image.Gray) { // a photograph glued on: soft shapes in the middle tones
		for y := 400; y < 800; y++ {
			for x := 200; x < 900; x++ {
				m.Pix[y*m.Stride+x] = uint8(100 + 60*math.Sin(float64(x)/60)*math.Cos(float64(y)/45))
			}
		}
	}
	for _, c := range []struct {
		name  string
		file  []byte
		most  float64 // of the usual picture's bytes
		photo bool
	}{
		{"a scan", pdftest.BookOf(t, pdftest.Scanned(t, table, 1, 0.004, nil, rnd)), 0.5, false},
		{"a scan with a photograph", pdftest.BookOf(t, pdftest.Scanned(t, table, 1, 0, picture, rnd)), 0.6, true},
		{"typeset", table, 1, false},
	} {
		usual, light := must(pool.Picture(ctx, c.file, 1, 1.5)), must(pool.Light(ctx, c.file, 1, 1.5))
		t.Logf("%s: %d bytes, lighter %d", c.name, len(usual.Data), len(light.Data))
		if got := float64(len(light.Data)) / float64(len(usual.Data)); got > c.most {
			t.Errorf("%s: lighter is %.2f of the usual, at most %.2f", c.name, got, c.most)
		}
		was, is := decoded(t, usual), decoded(t, light)
		if was.Bounds() != is.Bounds() {
			t.Fatalf("%s: %v, was %v", c.name, is.Bounds(), was.Bounds())
		}
		if c.photo {
			apart := 0
			for y := 300; y < 560; y++ {
				for x := 160; x < 630; x++ {
					apart += max(int(gray(was, x, y))-int(gray(is, x, y)), int(gray(is, x, y))-int(gray(was, x, y)))
				}
			}
			if mean := float64(apart) / (260 * 470); mean > 25 {
				t.Errorf("%s: the photograph is %.0f of 255 apart", c.name, mean)
			}
		}
		dark, lost, wrong := 0, 0, 0
		for y := 2; y < was.Bounds().Dy()-2; y++ {
			for x := 2; x < was.Bounds().Dx()-2; x++ {
				a, b := gray(was, x, y), gray(is, x, y)
				if a < 90 {
					dark++
					if b > 150 {
						lost++
					}
				} else if a > 200 && b < 150 {
					wrong++
				}
			}
		}
		if dark < 1000 || lost*200 > dark || wrong*200 > dark {
			t.Errorf("%s: of %d dark pixels %d are lost, %d came", c.name, dark, lost, wrong)
		}
	}
}

func gray(m image.Image, x, y int) uint8 { return color.GrayModel.Convert(m.At(x, y)).(color.Gray).Y }
