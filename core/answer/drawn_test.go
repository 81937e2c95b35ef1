package answer_test

import (
	"testing"

	"readymargin/core/answer"
	"readymargin/core/blank"
	"readymargin/core/ink"
	"readymargin/core/mark"
	"readymargin/core/page"
	"readymargin/core/words"
	"readymargin/core/worksheet"
)

// Marks are gathered by what they point at, however they were drawn.
func TestDrawnMarksAreGatheredByWhatTheyPointAt(t *testing.T) {
	var print words.Page
	for i, line := range []struct {
		y    float64
		x    float64
		text []string
	}{
		{100, 50, []string{"The", "keeper", "climbs,", "and", "lights"}},
		{200, 50, []string{"ebb"}}, {200, 300, []string{"it", "falls"}}, {240, 50, []string{"flood"}}, {240, 300, []string{"it", "rises"}},
	} {
		x := line.x
		for _, w := range line.text {
			print.Words = append(print.Words, words.Word{Text: w, Box: [4]float64{x, line.y - 10, x + 8*float64(len(w)), line.y + 2}, Baseline: line.y, Line: i})
			x += 8*float64(len(w)) + 4
		}
	}
	shape := mark.Shape{Color: "#1f4fa3", Width: 1, Opacity: 1}
	pen := func(at ...float64) mark.Mark {
		var samples []ink.Sample
		for i := 0; i < len(at); i += 2 {
			samples = append(samples, ink.Sample{X: at[i], Y: at[i+1], Pressure: 0.5})
		}
		return mark.Mark{ID: "mark-pen", Page: 1, Body: &mark.Ink{Color: "#1f4fa3", Width: 1, Opacity: 1, InkList: []ink.Stroke{ink.Fit(samples)}}}
	}
	circle := func(l, t, r, b float64) mark.Mark {
		return mark.Mark{ID: "mark-circle", Page: 1, Body: &mark.Circle{Shape: shape, Rect: [4]float64{l, t, r, b}}}
	}
	line := func(x0, y0, x1, y1 float64) mark.Mark {
		return mark.Mark{ID: "mark-line", Page: 1, Body: &mark.Line{Shape: shape, L: [4]float64{x0, y0, x1, y1}}}
	}
	wash := mark.Mark{ID: "mark-wash", Page: 1, Body: &mark.Highlight{Color: "#ffcc00", QuadPoints: mark.QuadPoints([]page.Quad{page.QuadOf(page.R(130, 90, 186, 102))}), Text: "climbs,"}}
	areas := &answer.Areas{}
	for _, c := range []struct {
		name  string
		kind  blank.Task
		marks []mark.Mark
		want  string
	}{
		{"a wash", blank.Words, []mark.Mark{wash}, "climbs"},
		{"a ring", blank.Words, []mark.Mark{circle(130, 86, 192, 106)}, "climbs"},
		{"a line under it", blank.Words, []mark.Mark{line(132, 103, 186, 103)}, "climbs"},
		{"a pen under it", blank.Words, []mark.Mark{pen(132, 103, 160, 104, 186, 103)}, "climbs"},
		{"two, the other way round", blank.Words, []mark.Mark{circle(222, 86, 280, 106), wash}, "climbs, lights"},
		{"the same twice", blank.Words, []mark.Mark{wash, circle(130, 86, 192, 106)}, "climbs"},
		{"a pair", blank.Pairs, []mark.Mark{line(76, 196, 298, 236)}, "ebb – it rises"},
		{"a pair from the other end", blank.Pairs, []mark.Mark{pen(296, 237, 200, 220, 78, 195)}, "ebb – it rises"},
		{"two pairs", blank.Pairs, []mark.Mark{line(92, 236, 298, 236), line(76, 196, 298, 196)}, "ebb – it falls, flood – it rises"},
		{"a picture", blank.Options, []mark.Mark{circle(300, 400, 360, 460)}, "place 1"},
		{"the same picture", blank.Options, []mark.Mark{circle(306, 396, 350, 470)}, "place 1"},
		{"another picture", blank.Options, []mark.Mark{circle(400, 400, 460, 460)}, "place 2"},
		{"a drawing", blank.Draw, []mark.Mark{pen(1, 1, 50, 50, 90, 20)}, "drawn"},
		{"nothing", blank.Words, nil, ""},
	} {
		if got := answer.Drawn(worksheet.Task{Kind: c.kind}, c.marks, print, areas); got != c.want {
			t.Errorf("%s points at %q, want %q", c.name, got, c.want)
		}
	}
}
