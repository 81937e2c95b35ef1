package pdf

import (
	"context"
	"encoding/xml"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"unicode/utf8"

	"readymargin/core/page"
	"readymargin/core/typeset"
	"readymargin/office"
)

// boxed is what pdftotext -bbox-layout says of a file.
type boxed struct {
	Pages []struct {
		Lines []struct {
			Words []struct {
				Left   float64 `xml:"xMin,attr"`
				Top    float64 `xml:"yMin,attr"`
				Right  float64 `xml:"xMax,attr"`
				Bottom float64 `xml:"yMax,attr"`
				Text   string  `xml:",chardata"`
			} `xml:"word"`
		} `xml:"flow>block>line"`
	} `xml:"body>doc>page"`
}

// snapped counts on a file how often a gesture over what poppler takes for a
// word, or for a line, takes the same letters.
func snapped(t *testing.T, file string, most int) (words, sameWords, lines, sameLines int) {
	t.Helper()
	b, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	pages, err := pool.Inspect(context.Background(), b)
	if err != nil {
		t.Fatal(err)
	}
	var theirs boxed
	out := tool(t, "pdftotext", "-bbox-layout", "-cropbox", "-l", "6", file, "-")
	if err := xml.Unmarshal([]byte(out[strings.Index(out, "<html"):]), &theirs); err != nil {
		t.Fatal(err)
	}
	plain := func(s string) string { return strings.Join(strings.Fields(s), "") }
	// Poppler gives letters from left to right, whichever way they are read.
	read := func(s string) string {
		if s = plain(s); typeset.RightToLeft(s) {
			letters := []rune(s)
			slices.Reverse(letters)
			return string(letters)
		}
		return s
	}
	for i, p := range theirs.Pages {
		if i >= most || i >= len(pages) {
			break
		}
		print := pages[i].Print
		for _, l := range p.Lines {
			all := ""
			for _, w := range l.Words {
				all += w.Text
				if utf8.RuneCountInString(w.Text) < 3 {
					continue
				}
				y := (w.Top + w.Bottom) / 2
				words++
				if run, ok := print.Between(page.Pt(w.Left+0.8, y), page.Pt(w.Right-0.8, y), false); ok && plain(run.Text) == read(w.Text) {
					sameWords++
				}
			}
			if len(l.Words) < 2 {
				continue
			}
			a, z := l.Words[0], l.Words[len(l.Words)-1]
			lines++
			if run, ok := print.Between(page.Pt((a.Left+a.Right)/2, (a.Top+a.Bottom)/2), page.Pt((z.Left+z.Right)/2, (z.Top+z.Bottom)/2), false); ok && plain(run.Text) == read(all) {
				sameLines++
			}
		}
	}
	return words, sameWords, lines, sameLines
}

// On pages that other people's programs made, a gesture over a word or a line
// takes the letters that pdftotext -bbox-layout has there: a book, a paper in
// two columns, notices, slides; these with their content turned in every way
// and the page turned back; and a page from right to left that LibreOffice
// typeset. Words are cut otherwise here and there, as at formulas.
func TestGesturesTakeTheWordsThatPopplerSees(t *testing.T) {
	dir := strings.TrimSpace(tool(t, "go", "list", "-m", "-f", "{{.Dir}}", "github.com/pdfcpu/pdfcpu"))
	files := map[string]string{"from right to left": hebrew(t)}
	for _, name := range []string{"Walden.pdf", "schmager_plateau10.pdf", "adobe_errata.pdf", "pike-stanford.pdf", "go.pdf", "adobe_supplement_iso32000_1.pdf"} {
		files[name] = filepath.Join(dir, "pkg", "testdata", name)
	}
	for name, whole := range files {
		for turn, back := range map[string]string{"": "", "+90": "-90", "+180": "+180", "+270": "+90"} {
			file := whole
			if turn != "" {
				dir := t.TempDir()
				aside := filepath.Join(dir, "aside.pdf")
				file = filepath.Join(dir, "turned.pdf")
				tool(t, "qpdf", whole, "--rotate="+turn, "--flatten-rotation", aside)
				tool(t, "qpdf", aside, "--rotate="+back, file)
			}
			words, same, lines, sameLines := snapped(t, file, 4)
			t.Logf("%s turned by %s: %d of %d words, %d of %d lines", name, turn, same, words, sameLines, lines)
			if words < 15 || same*100 < words*96 || sameLines*100 < lines*80 {
				t.Errorf("%s turned by %q: %d of %d words, %d of %d lines", name, turn, same, words, sameLines, lines)
			}
		}
	}
}

// hebrew is a page of the Universal Declaration of Human Rights, article 1, in
// Hebrew (from memory), as LibreOffice sets it.
func hebrew(t *testing.T) string {
	t.Helper()
	rtf := `{\rtf1\ansi\deff0{\fonttbl{\f0 DejaVu Sans;}}`
	for range 4 {
		rtf += `\pard\rtlpar\qr\rtlch\af0\f0\fs28 `
		for _, r := range "כל בני האדם נולדו בני חורין ושווים בערכם ובזכויותיהם. כולם חוננו בתבונה ובמצפון, לפיכך חובה עליהם לנהוג איש ברעהו ברוח של אחווה." {
			rtf += fmt.Sprintf(`\u%d?`, r)
		}
		rtf += `\par `
	}
	d, err := (&office.LibreOffice{}).PDF(context.Background(), []byte(rtf+"}"))
	if err != nil {
		t.Fatalf("%v (%s)", err, office.Install)
	}
	return written(t, d.PDF)
}
