package pdf

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"image"
	_ "image/jpeg"
	"image/png"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"time"
	"unicode/utf8"

	"readymargin/core/document"
	"readymargin/core/ink"
	"readymargin/core/mark"
	"readymargin/core/page"
)

var pool *Pool

// TestMain lets the test program be its own worker.
func TestMain(m *testing.M) {
	if len(os.Args) > 1 && os.Args[1] == "pdf-worker" {
		WorkerMain()
		return
	}
	cache := filepath.Join("..", "var", "test", "pdfium")
	cache, err := filepath.Abs(cache)
	if err == nil {
		err = os.MkdirAll(cache, 0o700)
	}
	if err == nil {
		pool, err = NewPool(Config{Cache: cache})
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	code := m.Run()
	pool.Close()
	os.Exit(code)
}

func tool(t *testing.T, name string, args ...string) string {
	t.Helper()
	out, err := exec.Command(name, args...).Output()
	var missing *exec.Error
	if errors.As(err, &missing) {
		t.Fatalf("%s is missing: apt-get install poppler-utils qpdf mupdf-tools", name)
	}
	if err != nil {
		t.Fatalf("%s %v: %v: %s", name, args, err, out)
	}
	return string(out)
}

func written(t *testing.T, b []byte) string {
	t.Helper()
	f := filepath.Join(t.TempDir(), "file.pdf")
	if err := os.WriteFile(f, b, 0o644); err != nil {
		t.Fatal(err)
	}
	return f
}

// made writes a PDF by hand: each page has the given entries and says "Hello
// margin" at (120, 200) of its user space.
func made(pages ...string) []byte {
	var kids, all []string
	for i, p := range pages {
		kids = append(kids, fmt.Sprintf("%d 0 R", 5+i))
		all = append(all, fmt.Sprintf("<</Type/Page/Parent 2 0 R/Contents 4 0 R/Resources<</Font<</F1 3 0 R>>>>%s>>", p))
	}
	return raw("", append([]string{
		"<</Type/Catalog/Pages 2 0 R>>",
		fmt.Sprintf("<</Type/Pages/Count %d/Kids[%s]/MediaBox[0 0 612 792]>>", len(pages), strings.Join(kids, " ")),
		"<</Type/Font/Subtype/Type1/BaseFont/Helvetica>>",
		stream("", "BT /F1 18 Tf 120 200 Td (Hello margin) Tj ET"),
	}, all...)...)
}

// turned are pages that show themselves in every way (ISO 32000-2, table 31).
var turned = made("", "/Rotate 90", "/Rotate 180", "/Rotate 270", "/CropBox[100 150 400 550]", "/CropBox[100 150 400 550]/Rotate 90", "/UserUnit 2", "/MediaBox[-50 -20 350 480]/Rotate 270")

var infoLine = regexp.MustCompile(`(?m)^Page +(\d+) (?:size: +([\d.]+) x ([\d.]+) pts|rot: +(\d+))`)

// Sizes and turns are what pdfinfo says (poppler 22.12). UserUnit, which
// pdfinfo leaves out, is applied on top.
func TestPagesAreAsPdfinfoSays(t *testing.T) {
	pages, err := pool.Inspect(context.Background(), turned)
	if err != nil {
		t.Fatal(err)
	}
	out := tool(t, "pdfinfo", "-f", "1", "-l", "99", written(t, turned))
	for _, m := range infoLine.FindAllStringSubmatch(out, -1) {
		n, _ := strconv.Atoi(m[1])
		b := pages[n-1].Box
		if m[4] != "" {
			if rot, _ := strconv.Atoi(m[4]); rot != b.Rotate {
				t.Errorf("page %d is turned by %d, pdfinfo says %d", n, b.Rotate, rot)
			}
			continue
		}
		w, _ := strconv.ParseFloat(m[2], 64)
		h, _ := strconv.ParseFloat(m[3], 64)
		if math.Abs(b.Crop.W()-w) > 0.02 || math.Abs(b.Crop.H()-h) > 0.02 {
			t.Errorf("page %d is %v x %v, pdfinfo says %v x %v", n, b.Crop.W(), b.Crop.H(), w, h)
		}
	}
	if p := pages[6]; p.Width != 1224 || p.Height != 1584 {
		t.Errorf("a page with UserUnit 2 is %v x %v points, want 1224 x 1584", p.Width, p.Height)
	}
	if p := pages[5]; p.Width != 400 || p.Height != 300 {
		t.Errorf("a cropped, turned page is %v x %v points, want 400 x 300", p.Width, p.Height)
	}
}

var bboxWord = regexp.MustCompile(`<word xMin="([-\d.]+)" yMin="([-\d.]+)" xMax="([-\d.]+)" yMax="([-\d.]+)">([^<]*)</word>`)

// The words and their places are what pdftotext -bbox says, for pages turned
// in every way; UserUnit scales them.
func TestWordsAreAsPdftotextSays(t *testing.T) {
	pages, err := pool.Inspect(context.Background(), turned)
	if err != nil {
		t.Fatal(err)
	}
	for i, p := range pages {
		out := tool(t, "pdftotext", "-bbox", "-cropbox", "-f", strconv.Itoa(i+1), "-l", strconv.Itoa(i+1), written(t, turned), "-")
		theirs := bboxWord.FindAllStringSubmatch(out, -1)
		if len(theirs) != len(p.Print.Words) {
			t.Errorf("page %d: %d words, pdftotext finds %d", i+1, len(p.Print.Words), len(theirs))
			continue
		}
		for k, m := range theirs {
			unit := max(p.Box.Unit, 1)
			got := p.Print.Words[k].Rect()
			var v [4]float64
			for j := range v {
				v[j], _ = strconv.ParseFloat(m[j+1], 64)
			}
			want := page.R(v[0]*unit, v[1]*unit, v[2]*unit, v[3]*unit)
			// The two use different heights for a line, so the middle counts.
			if got.Center().Dist(want.Center()) > 6*unit || p.Print.Words[k].Text != m[5] {
				t.Errorf("page %d: %q at %v, pdftotext has %q at %v", i+1, p.Print.Words[k].Text, got, m[5], want)
			}
		}
	}
}

// What is set smaller and higher or lower is written as such, also by moving the line;
// the number of a footnote, and lines that run upwards, stay what they are.
func TestPowersAndIndices(t *testing.T) {
	set := func(parts ...string) (content string) { // each a text with its size and rise
		for i := 0; i < len(parts); i += 3 {
			content += fmt.Sprintf("/F1 %s Tf %s Ts (%s) Tj ", parts[i+1], parts[i+2], parts[i])
		}
		return content
	}
	for name, c := range map[string]struct{ content, want string }{
		"a square":             {"BT 40 100 Td " + set("3 m", "12", "0", "2", "7", "5", " wide", "12", "0") + "ET", "3 m² wide"},
		"a negative power":     {"BT 40 100 Td " + set("10", "12", "0", "-3", "7", "5", " s", "12", "0") + "ET", "10⁻³ s"},
		"a formula":            {"BT 40 100 Td " + set("Ca(OH)", "12", "0", "2", "7", "-3", " in H", "12", "0", "2", "7", "-3", "O", "12", "0") + "ET", "Ca(OH)₂ in H₂O"},
		"an ion":               {"BT 40 100 Td " + set("SO", "12", "0", "4", "7", "-3", "2-", "7", "5") + "ET", "SO₄²⁻"},
		"a function":           {"BT 40 100 Td " + set("sin", "12", "0", "2", "7", "5", "x", "12", "0") + "ET", "sin²x"},
		"a footnote":           {"BT 40 100 Td " + set("harbour", "12", "0", "1", "7", "5") + "ET", "harbour1"},
		"on a line of its own": {"BT /F1 12 Tf 40 100 Td (x) Tj /F1 7 Tf 1 0 0 1 46.5 105 Tm (2) Tj ET", "x²"},
		"upwards":              {"BT /F1 12 Tf 0 1 -1 0 40 40 Tm (W12) Tj ET", "W12"},
	} {
		file := raw("", "<</Type/Catalog/Pages 2 0 R>>", "<</Type/Pages/Count 1/Kids[3 0 R]/MediaBox[0 0 300 200]>>", "<</Type/Page/Parent 2 0 R/Contents 4 0 R/Resources<</Font<</F1 5 0 R>>>>>>", stream("", c.content), "<</Type/Font/Subtype/Type1/BaseFont/Helvetica>>")
		pages, err := pool.Inspect(context.Background(), file)
		if err != nil {
			t.Fatal(err)
		}
		var got []string
		for _, w := range pages[0].Print.Words {
			if len(w.Edges) != utf8.RuneCountInString(w.Text)+1 && name != "upwards" {
				t.Errorf("%s: %q has %d edges", name, w.Text, len(w.Edges))
			}
			got = append(got, w.Text)
		}
		if strings.Join(got, " ") != c.want {
			t.Errorf("%s: %q, want %q", name, got, c.want)
		}
	}
}

// others returns PDF files that other people's programs made: those that
// come with the Go modules used here.
func others(t *testing.T) (files []string) {
	for _, m := range []string{"codeberg.org/go-pdf/fpdf", "github.com/pdfcpu/pdfcpu"} {
		dir := strings.TrimSpace(tool(t, "go", "list", "-m", "-f", "{{.Dir}}", m))
		filepath.WalkDir(dir, func(p string, d os.DirEntry, err error) error {
			if info, err := d.Info(); err == nil && strings.HasSuffix(p, ".pdf") && info.Size() < 3<<20 {
				files = append(files, p)
			}
			return nil
		})
	}
	return files
}

func TestFilesThatOthersMade(t *testing.T) {
	opened, words, found, agree := 0, 0, 0, 0
	files := others(t)
	for i, f := range files {
		if i%8 != 0 {
			continue // a cross-section; all of them take minutes
		}
		b, err := os.ReadFile(f)
		if err != nil {
			t.Fatal(err)
		}
		info, err := exec.Command("pdfinfo", f).Output()
		pages, ours := pool.Inspect(context.Background(), b)
		if err != nil || ours != nil {
			if err == nil && !errors.Is(ours, document.ErrPages) && !errors.Is(ours, document.ErrEncrypted) && !errors.Is(ours, document.ErrSide) {
				t.Errorf("%s: pdfinfo opens it, we say %v", filepath.Base(f), ours)
			}
			continue
		}
		opened++
		if n := regexp.MustCompile(`(?m)^Pages: +(\d+)`).FindSubmatch(info); string(n[1]) != strconv.Itoa(len(pages)) {
			t.Errorf("%s: %d pages, pdfinfo says %s", filepath.Base(f), len(pages), n[1])
		}
		theirs := map[string]int{}
		text, _ := exec.Command("pdftotext", "-l", "1", f, "-").Output()
		for _, w := range strings.Fields(string(text)) {
			theirs[w]++
		}
		w0, f0 := words, found
		defer func() {
			if w := words - w0; w > 0 && found-f0 < w*9/10 {
				fmt.Println(f, found-f0, w)
			}
		}()
		for _, w := range pages[0].Print.Words {
			words++
			if theirs[w.Text] > 0 {
				theirs[w.Text]--
				found++
			}
		}
		if w := words - w0; found-f0 < w*9/10 {
			t.Logf("%s: %d of %d words", filepath.Base(f), found-f0, w)
		} else {
			agree++
		}
	}
	t.Logf("%d of %d files, %d of %d words as pdftotext has them", opened, len(files), found, words)
	// Pages that print columns over one another, or set lines in a circle, have
	// no words that two programs would agree on.
	if opened < 20 || agree < opened*9/10 {
		t.Errorf("%d files opened; in %d the words are as pdftotext has them", opened, agree)
	}
}

func TestBadFilesAreNamedAndLeaveTheWorkersAlive(t *testing.T) {
	small, err := NewPool(Config{Cache: pool.cfg.Cache, Workers: 1, Limits: document.Limits{Bytes: 1 << 20, Pages: 3, Side: 1000, Time: 4 * time.Second, Memory: 96 << 20}})
	if err != nil {
		t.Fatal(err)
	}
	defer small.Close()
	locked := filepath.Join(t.TempDir(), "locked.pdf")
	tool(t, "qpdf", "--encrypt", "secret", "secret", "256", "--", written(t, made("")), locked)
	encrypted, err := os.ReadFile(locked)
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		name string
		file []byte
		want error
	}{
		{"a text", []byte("Dear teacher, here is my worksheet."), document.ErrNotPDF},
		{"nothing", nil, document.ErrNotPDF},
		{"cut off", made("")[:300], document.ErrDamaged},
		{"garbage behind the header", append([]byte("%PDF-1.7\n"), bytes.Repeat([]byte{7, 200, 13}, 900)...), document.ErrDamaged},
		{"with a password", encrypted, document.ErrEncrypted},
		{"too many pages", made("", "", "", ""), document.ErrPages},
		{"too many bytes", append(made(""), make([]byte, 1<<20)...), document.ErrTooLarge},
		{"a page of ten metres", made("/MediaBox[0 0 28000 300]"), document.ErrSide},
		{"no pages", made(), document.ErrEmpty},
	} {
		if _, err := small.Inspect(context.Background(), c.file); !errors.Is(err, c.want) && !(c.want == document.ErrEmpty && errors.Is(err, document.ErrDamaged)) {
			t.Errorf("%s: %v, want %v", c.name, err, c.want)
		}
	}
	// A page of blended fills that takes minutes is given up.
	slow := bomb()
	if _, err := small.Inspect(context.Background(), slow); err != nil {
		t.Fatalf("opening the slow page: %v", err)
	}
	if _, err := small.Picture(context.Background(), slow, 1, 4); !errors.Is(err, document.ErrTime) && !errors.Is(err, document.ErrMemory) {
		t.Errorf("the slow page: %v, want it given up", err)
	}
	if _, err := small.Inspect(context.Background(), made("")); err != nil {
		t.Errorf("after all that a good file gives %v", err)
	}
}

// bomb is a page of many large transparent fills.
func bomb() []byte {
	b := made("/Resources<</ExtGState<</G<</BM/Luminosity/ca .3>>>>>>")
	fill := strings.Repeat("0 0 612 792 re f ", 20_000)
	content := fmt.Sprintf("<</Length %d>>\nstream\n/G gs %s\nendstream", len(fill)+6, fill)
	return regexp.MustCompile(`(?s)<</Length \d+>>\nstream\nBT.*?endstream`).ReplaceAllLiteral(b, []byte(content))
}

func marks(n int) []mark.Mark {
	stroke := ink.Fit([]ink.Sample{{X: 60, Y: 60, Pressure: 0.5}, {X: 120, Y: 60, Pressure: 0.5}, {X: 180, Y: 60, Pressure: 0.5}})
	return []mark.Mark{
		{ID: "mark-text", Page: n, Body: &mark.FreeText{X: 50, Y: 120, Width: 150, Lines: []mark.TextLine{
			{Runs: []mark.Run{{Text: "Ebbe Ж Ω √2 ", Size: 14, Color: "#1e2a44"}}}, {Runs: []mark.Run{{Text: "zweite Zeile", Size: 14, Color: "#1e2a44"}}}}}},
		{ID: "mark-ink1", Page: n, Body: &mark.Ink{Color: "#ff0000", Width: 6, Opacity: 1, InkList: []ink.Stroke{stroke}}},
	}
}

// Marks are printed where they were drawn, however the page is turned: two
// other programs render the file and the red line is where it should be; the
// typed words are found by a third way.
func TestPrintedMarksStandWhereTheyWereDrawn(t *testing.T) {
	ctx := context.Background()
	pages, err := pool.Inspect(ctx, turned)
	if err != nil {
		t.Fatal(err)
	}
	p := document.Export{Extra: 1}
	for i, pg := range pages {
		p.Boxes = append(p.Boxes, pg.Box)
		p.Marks = append(p.Marks, marks(i+1)...)
	}
	p.Marks = append(p.Marks, marks(len(pages)+1)...)
	p.Notes = []document.NoteMarker{{Page: 1, At: page.Pt(300, 300), Number: 7, Color: "#0000ff"}}
	b, err := pool.Print(ctx, turned, p)
	if err != nil {
		t.Fatal(err)
	}
	if !bytes.HasPrefix(b, turned) {
		t.Error("the original's bytes are not as they were")
	}
	file := written(t, b)
	tool(t, "qpdf", "--check", file)
	for n := 1; n <= len(pages)+1; n++ {
		at := strconv.Itoa(n)
		text := tool(t, "pdftotext", "-f", at, "-l", at, file, "-")
		for _, want := range []string{"Ebbe Ж Ω √2", "zweite Zeile"} {
			if !strings.Contains(text, want) {
				t.Errorf("page %d: pdftotext does not find %q in %q", n, want, text)
			}
		}
		unit := 1.0
		if n <= len(pages) {
			unit = max(pages[n-1].Box.Unit, 1)
			if !strings.Contains(text, "Hello margin") && n != 5 && n != 6 {
				t.Errorf("page %d lost its own words: %q", n, text)
			}
		}
		base := filepath.Join(t.TempDir(), "page")
		tool(t, "pdftoppm", "-r", "72", "-f", at, "-l", at, "-cropbox", "-singlefile", "-png", file, base)
		red(t, fmt.Sprint("pdftoppm, page ", n), base+".png", unit)
		tool(t, "mutool", "draw", "-q", "-r", "72", "-o", base+"-mu.png", file, at)
		red(t, fmt.Sprint("mutool, page ", n), base+"-mu.png", unitOf(base+"-mu.png", pages, n))
	}
}

// unitOf tells by its size whether a rendering applied UserUnit (mutool does).
func unitOf(file string, pages []document.Page, n int) float64 {
	if n > len(pages) {
		return 1
	}
	m := picture(file)
	if m != nil && math.Abs(float64(m.Bounds().Dx())-pages[n-1].Width) < 2 {
		return 1
	}
	return max(pages[n-1].Box.Unit, 1)
}

func picture(file string) image.Image {
	b, err := os.ReadFile(file)
	if err != nil {
		return nil
	}
	m, _ := png.Decode(bytes.NewReader(b))
	return m
}

// red checks that the pixels of the red line lie in 57..183 by 57..63 points.
func red(t *testing.T, what, file string, unit float64) {
	t.Helper()
	m := picture(file)
	if m == nil {
		t.Errorf("%s: no picture", what)
		return
	}
	var box image.Rectangle
	for y := m.Bounds().Min.Y; y < m.Bounds().Max.Y; y++ {
		for x := m.Bounds().Min.X; x < m.Bounds().Max.X; x++ {
			r, g, b, _ := m.At(x, y).RGBA()
			if r>>8 > 240 && g>>8 < 60 && b>>8 < 60 {
				box = box.Union(image.Rect(x, y, x+1, y+1))
			}
		}
	}
	want := image.Rect(int(57/unit), int(57/unit), int(183/unit), int(63/unit))
	off := func(a, b int) bool { return a-b > 2 || b-a > 2 }
	if off(box.Min.X, want.Min.X) || off(box.Min.Y, want.Min.Y) || off(box.Max.X, want.Max.X) || off(box.Max.Y, want.Max.Y) {
		t.Errorf("%s: the red line is in %v, want %v", what, box, want)
	}
}

func TestPicturesHaveTheSizeOfThePage(t *testing.T) {
	pages, err := pool.Inspect(context.Background(), turned)
	if err != nil {
		t.Fatal(err)
	}
	for i, p := range pages {
		pic, err := pool.Picture(context.Background(), turned, i+1, 0.5)
		if err != nil {
			t.Fatal(err)
		}
		m, _, err := image.DecodeConfig(bytes.NewReader(pic.Data))
		unit := max(p.Box.Unit, 1)
		if err != nil || math.Abs(float64(m.Width)*unit-p.Width/2) > 2*unit || math.Abs(float64(m.Height)*unit-p.Height/2) > 2*unit {
			t.Errorf("page %d: %d x %d pixels for %v x %v points (%v)", i+1, m.Width, m.Height, p.Width, p.Height, err)
		}
	}
	if _, err := pool.Picture(context.Background(), turned, 99, 1); !errors.Is(err, document.ErrNoPage) {
		t.Errorf("a page that is not there: %v", err)
	}
}

func number(t *testing.T, s string) float64 {
	t.Helper()
	v, err := strconv.ParseFloat(s, 64)
	if err != nil {
		t.Fatal(err)
	}
	return v
}
