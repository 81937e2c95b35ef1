package main

import (
	"cmp"
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"readymargin/demo"
	"readymargin/pdf"
	"readymargin/school/takeaway"
)

// TestMain lets the test program be the worker that reads files.
func TestMain(m *testing.M) {
	if len(os.Args) > 1 && os.Args[1] == "pdf-worker" {
		pdf.WorkerMain()
		return
	}
	os.Exit(m.Run())
}

func aPress(t *testing.T) *pdf.Pool {
	t.Helper()
	cache, err := filepath.Abs(filepath.Join("..", "..", "var", "test", "pdfium"))
	if err == nil {
		err = os.MkdirAll(cache, 0o700)
	}
	if err != nil {
		t.Fatal(err)
	}
	press, err := pdf.NewPool(pdf.Config{Cache: cache})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(press.Close)
	return press
}

// aSheet writes the demo's sheet and returns its name.
func aSheet(t *testing.T) string {
	t.Helper()
	b, err := demo.TideHeights()
	if err != nil {
		t.Fatal(err)
	}
	name := filepath.Join(t.TempDir(), "sheet.pdf")
	if err := os.WriteFile(name, b, 0o644); err != nil {
		t.Fatal(err)
	}
	return name
}

// What mupdf annotates becomes marks of the same kinds, where they were put; words in
// a blank's place, the border about text, a stamp as it looks, and what is said about a mark
// as a note.
func TestWhatMupdfAnnotatesBecomesMarks(t *testing.T) {
	sheet := aSheet(t)
	done := strings.Replace(sheet, "sheet", "done", 1)
	if out, err := exec.Command("mutool", "run", "testdata/annotate.js", sheet, done).CombinedOutput(); err != nil {
		t.Fatalf("mutool (apt-get install mupdf-tools): %v: %s", err, out)
	}
	press := aPress(t)
	got, err := compared(context.Background(), press, sheet, done)
	if err != nil {
		t.Fatal(err)
	}
	var kinds []string
	for _, m := range got.Taken {
		kinds = append(kinds, fmt.Sprintf("%s from %s at %.0f,%.0f %s", m.Kind, cmp.Or(m.Was, m.From), m.X, m.Y, m.Words))
	}
	want := []string{
		"highlight from Highlight at 100,100 ", "note from Highlight at 293,93 dangers", "underline from Underline at 100,130 ", "strikeout from StrikeOut at 100,160 ", "underline from Squiggly at 320,160 ",
		"ink from Ink at 99,379 ", "line from Line at 94,444 ", "square from Square at 100,500 ", "circle from Circle at 220,500 ", "polyline from Polygon at 339,499 ", "polyline from PolyLine at 439,499 ",
		"freetext from FreeText at 102,602 The range is 4,5 m.", "square from FreeText at 100,600 ", "note from Text at 403,103 Why is this so?",
	}
	if len(kinds) != len(want)+1 || !slices.Equal(kinds[:len(want)], want) || got.Taken[len(want)].Kind != "picture" {
		t.Errorf("taken over is\n%s", strings.Join(kinds, "\n"))
	}
	// Made a part of the page, it is pictures, which have their words.
	flat := strings.Replace(sheet, "sheet", "flat", 1)
	if out, err := exec.Command("qpdf", "--flatten-annotations=all", done, flat).CombinedOutput(); err != nil {
		t.Fatalf("qpdf (apt-get install qpdf): %v: %s", err, out)
	}
	var words []string
	flattened, err := compared(context.Background(), press, sheet, flat)
	for _, m := range flattened.Taken {
		if m.Kind != "picture" {
			t.Errorf("flattened, a %s came of it", m.Kind)
		}
		words = append(words, m.Words)
	}
	if err != nil || !strings.Contains(strings.Join(words, "\n"), "The range is 4,5 m.") {
		t.Errorf("flattened, its words are %q: %v", words, err)
	}
	// The sheet itself has nothing to take.
	if got, err = compared(context.Background(), press, sheet, sheet); err != nil || len(got.Taken) != 0 || len(got.Pages) != 2 {
		t.Errorf("of the sheet itself: %+v %v", got, err)
	}
}

// Pages come in another order, turned, with some missing and with others between: what
// was done on them is the same, at the same places.
func TestPagesOfAFileAreFoundAgain(t *testing.T) {
	sheet := aSheet(t)
	dir := filepath.Dir(sheet)
	tool := func(name string, args ...string) {
		t.Helper()
		if out, err := exec.Command(name, args...).CombinedOutput(); err != nil {
			t.Fatalf("%s (apt-get install mupdf-tools qpdf poppler-utils): %v: %s", name, err, out)
		}
	}
	other, err := demo.PassagePlan()
	if err != nil {
		t.Fatal(err)
	}
	strange, done, scan := filepath.Join(dir, "strange.pdf"), filepath.Join(dir, "done.pdf"), filepath.Join(dir, "scan.pdf")
	if err := os.WriteFile(strange, other, 0o644); err != nil {
		t.Fatal(err)
	}
	tool("mutool", "run", "testdata/annotate.js", sheet, done)
	// A scan: both pages as pictures, without words.
	tool("pdftoppm", "-r", "100", "-png", sheet, filepath.Join(dir, "page"))
	tool("mutool", "convert", "-o", scan, filepath.Join(dir, "page-1.png"), filepath.Join(dir, "page-2.png"))
	press := aPress(t)
	kinds := func(c comparison) (out []string) {
		for _, m := range c.Taken {
			if m.From != "picture" {
				out = append(out, fmt.Sprintf("%s on %d at %.0f,%.0f", m.Kind, m.Page, m.X, m.Y))
			}
		}
		slices.Sort(out)
		return out
	}
	whole, err := compared(context.Background(), press, sheet, done)
	if err != nil {
		t.Fatal(err)
	}
	for name, c := range map[string]struct {
		sheet, file string
		qpdf        []string
		pages       []int
	}{
		"in another order":    {sheet, done, []string{"--pages", done, "2,1", "--"}, []int{2, 1}},
		"turned":              {sheet, done, []string{"--rotate=+90:1", "--rotate=+180:2"}, []int{1, 2}},
		"turned the other":    {sheet, done, []string{"--rotate=+270:1", "--rotate=+90:2"}, []int{1, 2}},
		"with a page missing": {sheet, done, []string{"--pages", done, "1", "--"}, []int{1}},
		"with one too many":   {sheet, done, []string{"--pages", done, "1", strange, "1", done, "2", "--"}, []int{1, 0, 2}},
		"twice":               {sheet, done, []string{"--pages", done, "1", done, "1", "--"}, []int{1, 0}},
		"a scan, turned":      {scan, scan, []string{"--rotate=+90:1", "--rotate=+180:2"}, []int{1, 2}},
	} {
		file := filepath.Join(dir, "mixed.pdf")
		tool("qpdf", append([]string{c.file}, append(c.qpdf, file)...)...)
		got, err := compared(context.Background(), press, c.sheet, file)
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		var pages []int
		for _, p := range got.Pages {
			pages = append(pages, p.Sheet)
		}
		if !slices.Equal(pages, c.pages) {
			t.Errorf("%s: the pages are %v of the sheet, want %v", name, pages, c.pages)
		}
		if c.sheet == sheet && !slices.Equal(kinds(got), kinds(whole)) {
			t.Errorf("%s:\n%v, want\n%v", name, kinds(got), kinds(whole))
		}
	}
	if _, err := compared(context.Background(), press, sheet, strange); err == nil || !strings.Contains(err.Error(), "no page of") {
		t.Errorf("another sheet: %v", err)
	}
}

// Marks of an XFDF file are laid on a sheet in three ways, and what is laid on as
// annotations comes back as it was.
func TestMarksAreStampedOnASheet(t *testing.T) {
	press, sheet := aPress(t), aSheet(t)
	dir := filepath.Dir(sheet)
	for form, want := range map[takeaway.Form]struct{ text, not string }{
		takeaway.Printed: {"Why is this so?", ""}, takeaway.Margin: {"Why is this so?", ""}, takeaway.Movable: {"The range is 4,5 m.", "Why is this so?"},
	} {
		out, left, err := stamped(context.Background(), press, sheet, "testdata/marks.xfdf", form)
		if err != nil || len(left) != 1 || left[0] != "Stamp" {
			t.Fatalf("%s: %v, left out are %v", form, err, left)
		}
		name := filepath.Join(dir, string(form)+".pdf")
		if err := os.WriteFile(name, out, 0o644); err != nil {
			t.Fatal(err)
		}
		if b, err := exec.Command("qpdf", "--check", name).CombinedOutput(); err != nil {
			t.Errorf("%s: qpdf (apt-get install qpdf): %v: %s", form, err, b)
		}
		text, err := exec.Command("pdftotext", "-layout", name, "-").Output()
		if err != nil {
			t.Fatalf("pdftotext (apt-get install poppler-utils): %v", err)
		}
		if !strings.Contains(string(text), want.text) || want.not != "" && strings.Contains(string(text), want.not) {
			t.Errorf("%s says %s", form, text)
		}
		if form != takeaway.Movable {
			continue
		}
		got, err := compared(context.Background(), press, sheet, name)
		if err != nil {
			t.Fatal(err)
		}
		var kinds []string
		for _, m := range got.Taken {
			kinds = append(kinds, m.Kind)
		}
		if slices.Sort(kinds); !slices.Equal(kinds, []string{"freetext", "ink", "note", "square"}) {
			t.Errorf("of what was laid on %v came back", kinds)
		}
	}
	if _, _, err := stamped(context.Background(), press, sheet, sheet, takeaway.Printed); err == nil {
		t.Error("a PDF was taken for marks")
	}
}
