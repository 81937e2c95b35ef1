package words

import (
	"strings"
	"testing"

	"readymargin/core/page"
)

// set lays words out as a typesetter would: letters 5 points wide, a space of
// 5, lines 14 points apart with the baseline 10 below the top.
func set(x, y float64, line int, text string) []Word {
	var out []Word
	for _, t := range strings.Fields(text) {
		w := Word{Text: t, Line: line, Baseline: y + 10}
		for i := range len(t) + 1 {
			w.Edges = append(w.Edges, x+5*float64(i))
		}
		end := w.Edges[len(t)]
		w.Box = [4]float64{x, y, end, y + 12}
		out, x = append(out, w), end+5
	}
	return out
}

func lines(texts ...string) (p Page) {
	for i, t := range texts {
		p.Words = append(p.Words, set(50, 100+14*float64(i), i, t)...)
	}
	return p
}

func TestARunFollowsTheWords(t *testing.T) {
	one := lines("keep clear of the Carrick rocks", "which dry one metre", "and of the overfalls")
	columns := Page{Words: append(append(set(50, 100, 0, "left top"), set(50, 114, 1, "left end")...), set(300, 100, 2, "right top")...)}
	apart := Page{Words: append(set(50, 100, 0, "first line here"), set(50, 128, 1, "second one")...)}
	// Two lines that run up the page, the second to the right of the first.
	var up Page
	for i, t := range []string{"one", "two", "three", "four"} {
		x, y := 200+14*float64(i/2), 400-40*float64(i%2)
		up.Words = append(up.Words, Word{Text: t, Line: i / 2, Baseline: y, Box: [4]float64{x, y - 30, x + 12, y}, Edges: []float64{x, x + 12}})
	}
	for _, c := range []struct {
		name     string
		page     Page
		from, to page.Point
		letters  bool
		text     string
		quads    int
	}{
		{"inside one word", one, page.Pt(52, 106), page.Pt(58, 106), false, "keep", 1},
		{"two words, dragged backwards", one, page.Pt(85, 106), page.Pt(51, 107), false, "keep clear", 1},
		{"over the end of a line", one, page.Pt(182, 106), page.Pt(60, 120), false, "rocks which", 2},
		{"three lines", one, page.Pt(52, 106), page.Pt(60, 134), false, "keep clear of the Carrick rocks which dry one metre and", 3},
		{"ending beside the print", one, page.Pt(52, 106), page.Pt(400, 107), false, "keep clear of the Carrick rocks", 1},
		{"begun a little before the first word", one, page.Pt(42, 106), page.Pt(60, 106), false, "keep", 1},
		{"begun between two lines", apart, page.Pt(60, 117), page.Pt(120, 106), false, "first line here", 1},
		{"begun far before a line, dragged over it", one, page.Pt(10, 106), page.Pt(85, 107), false, "keep clear", 1},
		{"begun behind a line's end, dragged back", one, page.Pt(260, 106), page.Pt(155, 106), false, "Carrick rocks", 1},
		{"two lines of sideways text", up, page.Pt(205, 390), page.Pt(219, 345), false, "one two three four", 2},
		{"one line of sideways text", up, page.Pt(205, 390), page.Pt(206, 350), false, "one two", 1},
		{"sideways, dragged backwards", up, page.Pt(219, 345), page.Pt(205, 390), false, "one two three four", 2},
		{"letters", one, page.Pt(56, 106), page.Pt(62, 106), true, "ee", 1},
		{"letters across words", one, page.Pt(61, 106), page.Pt(82, 106), true, "ep cl", 1},
		{"the left column does not reach into the right one", columns, page.Pt(52, 106), page.Pt(60, 120), false, "left top left", 2},
		{"from column to column in reading order", columns, page.Pt(52, 120), page.Pt(305, 106), false, "left end right", 2},
	} {
		run, ok := c.page.Between(c.from, c.to, c.letters)
		if !ok || run.Text != c.text || len(run.Quads) != c.quads {
			t.Errorf("%s: %q in %d quads (%v), want %q in %d", c.name, run.Text, len(run.Quads), ok, c.text, c.quads)
		}
	}
	for _, drag := range [][2]page.Point{{page.Pt(500, 500), page.Pt(52, 106)}, {page.Pt(20, 80), page.Pt(120, 130)}, {page.Pt(300, 106), page.Pt(400, 180)}} {
		if run, ok := one.Between(drag[0], drag[1], false); ok {
			t.Errorf("a gesture over the paper, %v, took words: %q", drag, run.Text)
		}
	}
	run, _ := one.Between(page.Pt(56, 106), page.Pt(62, 106), true)
	if b, want := run.Quads[0].Bounds(), page.R(55, 100, 65, 112); b != want {
		t.Errorf("two letters cover %v, want %v", b, want)
	}
}

// A disc that would cover words goes to the nearest place where it covers none.
func TestADiscKeepsClearOfWords(t *testing.T) {
	p := lines("keep clear of the Carrick rocks") // from 50 to 205 across, 100 to 112 down
	for name, c := range map[string]struct {
		at    page.Point
		moves float64
	}{"on a word": {page.Pt(100, 106), 17}, "at the end of the line": {page.Pt(204, 106), 12}, "on free paper": {page.Pt(100, 300), 0}, "with no room in reach": {page.Pt(100, 106), 0}} {
		reach := 40.0
		if name == "with no room in reach" {
			reach = 10
		}
		got := p.Clear(c.at, 10, reach)
		if d := got.Dist(c.at); d > c.moves || c.moves > 0 && (d == 0 || p.Distance(got, page.Rect{}) < 9.99) {
			t.Errorf("%s: it goes from %v to %v", name, c.at, got)
		}
	}
}

func TestTextSettlesOnThePrintedLine(t *testing.T) {
	p := lines("The range of the tide is")
	p.Rules = []Rule{{X0: 200, X1: 300, Y: 112}, {X0: 60, X1: 300, Y: 300}}
	for _, c := range []struct {
		name string
		at   page.Point
		want float64
	}{
		{"on a rule", page.Pt(250, 294), 300 - OnRule},
		{"just above a rule", page.Pt(100, 290), 300 - OnRule},
		{"beside printed words", page.Pt(180, 107), 110},
		{"on free paper", page.Pt(100, 500), 500 + 0.35*14},
		{"past the end of a rule", page.Pt(400, 290), 290 + 0.35*14},
	} {
		if got := p.Settle(c.at, 14); got != page.Round(c.want) {
			t.Errorf("%s: baseline %v, want %v", c.name, got, page.Round(c.want))
		}
	}
}
