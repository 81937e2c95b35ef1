package inwords

import (
	"fmt"
	"strings"
	"testing"

	"readymargin/core/blank"
	"readymargin/core/page"
	"readymargin/core/words"
	"readymargin/core/worksheet"
)

// A sheet is laid line by line: each is "x y size words", the words seven points a
// letter at size 12.
func laid(lines ...string) (p words.Page) {
	for n, line := range lines {
		var x, y, size float64
		fmt.Sscanf(line, "%f %f %f", &x, &y, &size)
		for _, text := range strings.Fields(line)[3:] {
			wide := float64(len([]rune(text))) * size * 0.55
			p.Words = append(p.Words, words.Word{Text: text, Box: [4]float64{x, y - 0.8*size, x + wide, y + 0.2*size}, Baseline: y, Line: n, Size: size, Edges: []float64{x, x + wide}})
			x += wide + size*0.3
		}
	}
	return p
}

func place(kind blank.Kind, l, t, r, b float64, label string) worksheet.Blank {
	return worksheet.Blank{ID: label, Rect: worksheet.Box{l, t, r, b}, Baseline: b - 2, Size: 12, Kind: kind, Label: label}
}

// outline writes pieces as lines: kind, then words, places as [their names].
func outline(pieces []Piece) string {
	var b strings.Builder
	bits := func(all []Bit) string {
		var out []string
		for _, x := range all {
			if x.Place > 0 {
				out = append(out, "["+x.Name+"]")
			} else {
				out = append(out, x.Text)
			}
		}
		return strings.Join(out, " ")
	}
	for _, p := range pieces {
		switch p.Kind {
		case Heading:
			fmt.Fprintf(&b, "h%d %s%s\n", p.Level, p.Said, bits(p.Bits))
		case Table:
			for _, row := range p.Rows {
				var cells []string
				for _, c := range row {
					cells = append(cells, bits(c))
				}
				fmt.Fprintf(&b, "| %s\n", strings.Join(cells, " | "))
			}
		default:
			fmt.Fprintf(&b, "%s %s%s\n", p.Kind, p.Shows, bits(p.Bits))
		}
	}
	return b.String()
}

func TestPieces(t *testing.T) {
	ask := func(number string, x, y float64, text string) worksheet.Question {
		return worksheet.Question{ID: "q" + number, Number: number, Text: text, Rect: worksheet.Box{x, y - 10, x + 300, y + 2}}
	}
	for _, c := range []struct {
		name  string
		print words.Page
		guide worksheet.Guide
		want  string
	}{
		{"a gap in a sentence", laid("72 80 20 Tides", "72 120 12 1. The range is", "230 120 12 m today."),
			worksheet.Guide{Blanks: []worksheet.Blank{place(blank.Line, 180, 108, 225, 122, "x")}, Questions: []worksheet.Question{ask("1.", 72, 120, "The range is")}},
			"h1 Tides\nh2 1.\nparagraph The range is [1: The range is … m today.] m today.\n"},
		{"what is made to be written over", laid("72 100 12 Name: ________ Class ....... 4b"),
			worksheet.Guide{Blanks: []worksheet.Blank{place(blank.Line, 115, 90, 170, 102, "Name")}},
			"paragraph Name: [blank 1 of 1: Name: … Class 4b] Class 4b\n"},
		{"lines under a question", laid("72 100 12 2. Why is that so?", "72 300 12 3. And now?"),
			worksheet.Guide{Blanks: []worksheet.Blank{place(blank.Lines, 72, 115, 500, 200, "Why is that so?")}, Questions: []worksheet.Question{ask("2.", 72, 100, "Why is that so?"), ask("3.", 72, 300, "And now?")}},
			"h2 2. Why is that so?\nparagraph [2: Why is that so?]\nh2 3. And now?\n"},
		{"parts of a question, and boxes to tick", laid("72 100 12 4. Tick what is true.", "90 120 12 a) rain", "90 140 12 b) snow"),
			worksheet.Guide{Blanks: []worksheet.Blank{place(blank.Tick, 76, 110, 86, 120, "rain"), place(blank.Tick, 76, 130, 86, 140, "snow")}, Questions: []worksheet.Question{ask("4.", 72, 100, "Tick what is true.")}},
			"h2 4. Tick what is true.\nitem [4, box 1 of 2: a) rain] a) rain\nitem [4, box 2 of 2: b) snow] b) snow\n"},
		{"two columns", laid("72 100 12 left one", "72 114 12 left two", "320 100 12 right one", "320 114 12 right two"), worksheet.Guide{}, "paragraph left one left two\nparagraph right one right two\n"},
		{"paragraphs and a list", laid("72 100 12 A text that goes on", "72 114 12 here.", "72 128 12 Another begins.", "72 160 12 • first", "72 174 12 • second"), worksheet.Guide{},
			"paragraph A text that goes on here.\nparagraph Another begins.\nitem • first\nitem • second\n"},
		{"a question that is not printed", laid("72 300 12 print"), worksheet.Guide{Questions: []worksheet.Question{ask("9", 72, 100, "said by the teacher")}}, "h2 9 said by the teacher\nparagraph print\n"},
		{"a picture of a page", words.Page{}, worksheet.Guide{Blanks: []worksheet.Blank{place(blank.Line, 72, 90, 200, 102, "")}}, "picture \nparagraph [blank 1 of 1]\n"},
	} {
		if got := outline(Of(c.print, c.guide, page.Pt(595, 842))); got != c.want {
			t.Errorf("%s:\n%swant\n%s", c.name, got, c.want)
		}
	}
}

// The teacher says in which order a page is read, and what its pieces are; what is found
// anew stays behind what it stood behind, and no place is lost.
func TestTheOrderOfReadingIsPutRight(t *testing.T) {
	p := laid("72 80 20 Tides", "72 120 12 A box at the side.", "72 200 12 The text begins.", "72 300 12 Page 3", "72 400 12 Write: ____")
	g := worksheet.Guide{Blanks: []worksheet.Blank{place(blank.Line, 115, 390, 170, 402, "Write")}}
	found := Of(p, g, page.Pt(595, 842))
	if len(found) != 5 {
		t.Fatalf("%d pieces: %s", len(found), outline(found))
	}
	at := func(i int, kind string) worksheet.Region { return worksheet.Region{Rect: found[i].Box, Kind: kind} }
	for name, c := range map[string]struct {
		order []worksheet.Region
		want  string
	}{
		"the text first":  {[]worksheet.Region{at(0, ""), at(2, ""), at(1, ""), at(3, ""), at(4, "")}, "h1 Tides\nparagraph The text begins.\nparagraph A box at the side.\nparagraph Page 3\nparagraph Write: [blank 1 of 1: Write: …]\n"},
		"other kinds":     {[]worksheet.Region{at(0, "text"), at(1, "heading"), at(2, ""), at(3, "plain"), at(4, "plain")}, "paragraph Tides\nh2 A box at the side.\nparagraph The text begins.\nparagraph Write: [blank 1 of 1: Write: …]\n"},
		"some of them":    {[]worksheet.Region{at(2, ""), at(0, "")}, "paragraph The text begins.\nparagraph Page 3\nparagraph Write: [blank 1 of 1: Write: …]\nh1 Tides\nparagraph A box at the side.\n"},
		"of another page": {[]worksheet.Region{{Rect: worksheet.Box{1, 2, 3, 4}, Kind: "plain"}}, outline(found)},
	} {
		g.Order = c.order
		if got := outline(Of(p, g, page.Pt(595, 842))); got != c.want {
			t.Errorf("%s:\n%swant\n%s", name, got, c.want)
		}
	}
}

// Of pictures behind a question that wants some taken each can be; a single one, or those
// of another question, cannot.
func TestPicturesThatAreTaken(t *testing.T) {
	for text, want := range map[string]bool{"Circle the mark that you leave to port.": true, "Kreise das Seezeichen ein.": true, "Describe the marks.": false} {
		p := laid("72 100 12 3. " + text)
		p.Figures = [][4]float64{{72, 120, 120, 160}, {140, 120, 190, 160}}
		g := worksheet.Guide{Questions: []worksheet.Question{{ID: "q", Number: "3.", Text: text, Rect: worksheet.Box{72, 90, 400, 102}}}}
		for _, n := range []int{2, 1} {
			p.Figures = p.Figures[:n]
			for _, piece := range Of(p, g, page.Pt(595, 842)) {
				if piece.Kind == Picture && piece.Taken != (want && n > 1) {
					t.Errorf("%q with %d pictures: taken %v", text, n, piece.Taken)
				}
			}
		}
	}
}

// What stands in a table is named by the heads of its row and its column.
func TestATableInWords(t *testing.T) {
	p := laid("80 114 12 Time", "180 114 12 Height", "80 144 12 05:12", "80 174 12 08:20")
	p.Tables = []words.Table{{X: []float64{72, 170, 300}, Y: []float64{100, 130, 160, 190}}}
	p.Figures = [][4]float64{{320, 100, 400, 190}, {420, 100, 500, 190}}
	g := worksheet.Guide{Blanks: []worksheet.Blank{place(blank.Cell, 171, 131, 299, 159, ""), place(blank.Cell, 171, 161, 299, 189, "")}}
	g.Figures = []worksheet.Figure{{Rect: worksheet.Box{321, 101, 399, 189}, Says: "A gauge at low water"}, {Rect: worksheet.Box{420, 100, 500, 190}, Plain: true}}
	pieces := Of(p, g, page.Pt(595, 842))
	const want = "| Time | Height\n| 05:12 | [blank 1 of 2: 05:12, Height]\n| 08:20 | [blank 2 of 2: 08:20, Height]\npicture A gauge at low water\n"
	if got := outline(pieces); got != want || !pieces[0].Heads {
		t.Errorf("%swant\n%s", got, want)
	}
}
