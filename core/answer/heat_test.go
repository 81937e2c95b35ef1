package answer_test

import (
	"fmt"
	"strings"
	"testing"

	"readymargin/core/answer"
	"readymargin/core/mark"
	"readymargin/core/page"
	"readymargin/core/words"
	"readymargin/core/worksheet"
)

// What a class marks is counted once for each copy: expected runs as they are,
// everything else on that part of the page word by word.
func TestWhatAClassMarks(t *testing.T) {
	var print words.Page
	for i, w := range []string{"The", "white", "tower", "leads", "in"} {
		x := 50 * float64(i)
		print.Words = append(print.Words, words.Word{Text: w, Box: [4]float64{x, 100, x + 40, 112}, Baseline: 110})
	}
	quads := func(from, to float64) [][8]float64 {
		return mark.QuadPoints([]page.Quad{page.QuadOf(page.R(50*from, 99, 50*to+40, 113))})
	}
	wash := func(from, to float64) mark.Mark {
		return mark.Mark{ID: "mark-wash", Page: 1, Body: &mark.Highlight{QuadPoints: quads(from, to), Meaning: "sea mark"}}
	}
	under := mark.Mark{ID: "mark-under", Page: 1, Body: &mark.Underline{Markup: mark.Markup{QuadPoints: quads(3, 3), Meaning: "danger"}}}
	elsewhere := wash(1, 2)
	elsewhere.Page = 2
	ask := worksheet.Question{Words: []worksheet.Run{{Text: "white tower", QuadPoints: quads(1, 2)}, {Text: "in", QuadPoints: quads(4, 4)}}}
	copies := [][]mark.Mark{{wash(1, 2), wash(1, 2)}, {wash(0, 4)}, {under, elsewhere}, {}}
	for part, want := range map[page.Rect]string{
		page.R(0, 0, 500, 500):    "white tower 2, in 1, The 1 in excess, leads 2 in excess",
		page.R(140, 0, 500, 500):  "white tower 2, in 1, leads 2 in excess",
		page.R(0, 200, 500, 500):  "white tower 2, in 1",
		page.R(0, 0, 1000, 1e4):   "white tower 2, in 1, The 1 in excess, leads 2 in excess",
		page.R(-100, 0, 100, 500): "white tower 2, in 1, The 1 in excess",
	} {
		var got []string
		for _, w := range answer.Heat(ask, 1, part, print, copies) {
			one := fmt.Sprint(w.Text, " ", w.Copies)
			if !w.Expected {
				one += " in excess"
			}
			got = append(got, one)
		}
		if s := strings.Join(got, ", "); s != want {
			t.Errorf("on %v: %s, want %s", part, s, want)
		}
	}
	key := []worksheet.Meaning{{Name: "danger"}, {Name: "sea mark"}, {Name: "depth"}}
	if got := answer.Meanings(key, append(copies[0], copies[2]...)); fmt.Sprint(got) != "[1 3 0]" {
		t.Errorf("by the key: %v", got)
	}
}
