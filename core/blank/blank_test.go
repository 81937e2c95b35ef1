package blank

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"readymargin/core/page"
	"readymargin/core/words"
)

// printed sets words in one line, six points a letter, letter edges included.
func printed(line int, x, y float64, texts ...string) (out []words.Word) {
	for _, t := range texts {
		w := words.Word{Text: t, Line: line, Baseline: y}
		for i := range len([]rune(t)) + 1 {
			w.Edges = append(w.Edges, x+6*float64(i))
		}
		w.Box = [4]float64{x, y - 10, w.Edges[len(w.Edges)-1], y + 3}
		out, x = append(out, w), w.Box[2]+6
	}
	return out
}

func frame(r page.Rect) []Stroke {
	return []Stroke{{r.Min.X, r.Min.Y, r.Max.X, r.Min.Y}, {r.Min.X, r.Max.Y, r.Max.X, r.Max.Y}, {r.Min.X, r.Min.Y, r.Min.X, r.Max.Y}, {r.Max.X, r.Min.Y, r.Max.X, r.Max.Y}}
}

func line(x0, x1, y float64) Stroke { return Stroke{x0, y, x1, y} }

// dotted is a line of dots.
func dotted(x0, x1, y float64) (out []Stroke) {
	for x := x0; x < x1; x += 3 {
		out = append(out, Stroke{x, y, x + 1, y})
	}
	out[len(out)-1].X1 = x1
	return out
}

// small makes words as low as the small print of forms.
func small(ws []words.Word) []words.Word {
	for i := range ws {
		ws[i].Box[1], ws[i].Box[3] = ws[i].Baseline-6, ws[i].Baseline+2
	}
	return ws
}

// What a page has, and the blanks that a person would write into. Worked out
// by hand; what people write into is common practice, no source.
func TestWhatIsABlank(t *testing.T) {
	question := printed(0, 60, 100, "1.", "What", "is", "the", "range", "of", "the", "tide?")
	for name, c := range map[string]struct {
		words   []words.Word
		strokes []Stroke
		want    string
	}{
		"a label and a line":                  {printed(0, 60, 100, "Name:"), []Stroke{line(100, 240, 102)}, "line 100-240 y101 Name:"},
		"a line made of dashes":               {printed(0, 60, 100, "Name:"), []Stroke{line(100, 140, 102), line(142, 190, 102), line(192, 240, 102)}, "line 100-240 y101 Name:"},
		"a dot leader":                        {printed(0, 60, 100, "Tides", "..........", "12"), nil, ""},
		"dots to write on":                    {printed(0, 60, 100, "Height:", "..........", "m"), nil, "line 108-168 y100 Height:"},
		"underscores inside a word":           {printed(0, 60, 100, "x=______cm"), nil, "line 72-108 y100 "},
		"an underlined heading":               {printed(0, 60, 100, "Rule", "of", "twelfths"), []Stroke{line(60, 150, 103)}, ""},
		"a choice":                            {printed(0, 60, 100, "It", "(rises", "/", "falls)", "now"), nil, "choice 78-168 y100 It"},
		"and/or":                              {printed(0, 60, 100, "rocks", "(and/or", "wrecks)"), nil, ""},
		"a tick that is a letter":             {printed(0, 60, 100, "☐", "spring", "tide"), nil, "tick 60-66 y100 spring tide"},
		"a part of a drawing":                 {question, append(frame(page.R(100, 140, 118, 158)), Stroke{109, 158, 109, 190}), ""},
		"writing lines under a question":      {question, []Stroke{line(60, 500, 130), line(60, 500, 154), line(60, 500, 178)}, "lines 60-500 y129 1. What is the range of the tide?"},
		"a table":                             {append(printed(0, 64, 115, "Time"), printed(1, 64, 139, "05:12")...), append(append(frame(page.R(60, 100, 120, 124)), frame(page.R(120, 100, 200, 124))...), append(frame(page.R(60, 124, 120, 148)), frame(page.R(120, 124, 200, 148))...)...), "cell 120-200 y115 Time|cell 120-200 y139 05:12"},
		"the middle line for young children":  {question, append([]Stroke{line(60, 500, 120), line(60, 500, 144), line(60, 500, 168)}, append(dotted(60, 500, 132), dotted(60, 500, 156)...)...), "lines 60-500 y119 1. What is the range of the tide?"},
		"a line before each item":             {append(printed(0, 90, 100, "slack", "water"), printed(1, 90, 124, "ebb", "tide")...), []Stroke{line(60, 84, 102), line(60, 84, 126)}, "line 60-84 y101 slack water|line 60-84 y125 ebb tide"},
		"boxes across the page":               {append(append(printed(0, 80, 110, "yes"), printed(0, 180, 110, "no")...), printed(0, 280, 110, "never")...), append(append(frame(page.R(64, 100, 75, 111)), frame(page.R(164, 100, 175, 111))...), frame(page.R(264, 100, 275, 111))...), "tick 64-75 y109 yes|tick 164-175 y109 no|tick 264-275 y109 never"},
		"the end of what was said before":     {append(printed(0, 60, 100, "The", "range", "is:"), printed(0, 260, 100, "m,", "so", "this", "is")...), []Stroke{line(140, 256, 102), line(360, 460, 102)}, "line 140-256 y101 The range is:|line 360-460 y101 so this is"},
		"a form's cell with its label at top": {small(append(printed(0, 64, 108, "Surname"), printed(1, 204, 108, "Town")...)), append(frame(page.R(60, 100, 200, 121)), frame(page.R(200, 100, 340, 121))...), "cell 60-200 y118 Surname|cell 200-340 y118 Town"},
		"writing lines over a table":          {append(append([]words.Word{}, question...), append(printed(1, 64, 225, "Time"), printed(2, 64, 249, "05:12")...)...), append([]Stroke{line(60, 500, 130), line(60, 500, 154), line(60, 500, 178)}, append(append(frame(page.R(60, 210, 120, 234)), frame(page.R(120, 210, 500, 234))...), append(frame(page.R(60, 234, 120, 258)), frame(page.R(120, 234, 500, 258))...)...)...), "lines 60-500 y129 1. What is the range of the tide?|cell 120-500 y225 Time, the range of the tide?|cell 120-500 y249 05:12, the range of the tide?"},
		"writing lines in two columns":        {append(printed(0, 60, 100, "1.", "When", "is", "it", "high?"), printed(1, 320, 102, "2.", "When", "is", "it", "low?")...), []Stroke{line(60, 280, 130), line(320, 540, 132), line(60, 280, 154), line(320, 540, 156)}, "lines 60-280 y129 1. When is it high?|lines 320-540 y131 2. When is it low?"},
		"a line of numbers":                   {append(append(printed(0, 60, 100, "Mark", "the", "tide:"), printed(1, 58, 154, "0")...), printed(2, 396, 154, "9")...), []Stroke{line(60, 400, 130), {60, 126, 60, 134}, {230, 126, 230, 134}, {400, 126, 400, 134}}, ""},
		"a long line for a signature":         {append(append(printed(2, 60, 700, "For", "the", "harbour", "office", "only,", "please", "leave", "this", "part", "of", "the", "sheet", "as", "it", "is."), printed(1, 60, 80, "I", "have", "read", "the", "rules.")...), small(printed(0, 60, 140, "Signature"))...), []Stroke{line(60, 380, 130)}, "line 60-380 y129 I have read the rules."},
		"squared paper in pieces":             {question, []Stroke{line(60, 160, 130), line(180, 420, 144), {74, 120, 74, 150}, {102, 134, 102, 170}, {144, 128, 144, 149}, {200, 150, 200, 190}, {256, 110, 256, 130}, {312, 146, 312, 180}}, ""},
		"leaders that are drawn":              {append(append(printed(0, 60, 100, "Tides"), printed(0, 520, 100, "3")...), append(printed(1, 60, 124, "Winds"), printed(1, 520, 124, "8")...)...), append(dotted(94, 516, 101), dotted(94, 516, 125)...), ""},
		"a dotted line before a number":       {append(printed(0, 60, 100, "Tides:"), printed(0, 320, 100, "of", "9")...), dotted(100, 316, 101), "line 100-316 y100 Tides:"},
		"a frame around the page":             {question, frame(page.R(20, 20, 575, 822)), ""},
	} {
		got := ""
		for i, b := range Find(Page{Width: 595, Height: 842, Words: c.words, Strokes: c.strokes}) {
			if i > 0 {
				got += "|"
			}
			got += fmt.Sprintf("%s %.0f-%.0f y%.0f %s", b.Kind, b.Rect.Min.X, b.Rect.Max.X, math.Trunc(b.Baseline), b.Label)
		}
		if got != c.want {
			t.Errorf("%s: %q, want %q", name, got, c.want)
		}
	}
}

// Small circles of one size with words beside them are ticked or filled; one
// alone, larger ones, and those without words are drawings.
func TestCirclesToTick(t *testing.T) {
	at := func(x, y, d float64) Art { return Art{Rect: page.R(x, y, x+d, y+d)} }
	words := append(append(printed(0, 80, 110, "rising"), printed(1, 80, 134, "falling")...), printed(1, 180, 134, "slack")...)
	for name, c := range map[string]struct {
		art  []Art
		want int
	}{
		"an empty table": {[]Art{at(300, 301, 10), at(340, 301, 10), at(380, 301, 10), at(300, 325, 10), at(340, 325, 10), at(380, 325, 10)}, 6},
		"a column":       {[]Art{at(62, 101, 10), at(62, 125, 10)}, 2},
		"a row":          {[]Art{at(62, 125, 10), at(162, 125, 10)}, 2},
		"one alone":      {[]Art{at(62, 101, 10)}, 0},
		"too large":      {[]Art{at(52, 95, 24), at(52, 125, 24)}, 0},
		"without words":  {[]Art{at(300, 301, 10), at(300, 325, 10)}, 0},
		"of two sizes":   {[]Art{at(62, 101, 10), at(62, 125, 16)}, 0},
	} {
		n := 0
		for _, b := range Find(Page{Width: 595, Height: 842, Words: words, Art: c.art}) {
			if b.Kind == Tick {
				n++
			}
		}
		if n != c.want {
			t.Errorf("%s: %d circles to tick, want %d", name, n, c.want)
		}
	}
}

// A framed picture is no box to write in; a frame with round corners is.
func TestWhatIsInABox(t *testing.T) {
	frame := []Stroke{{60, 100, 260, 100}, {60, 180, 260, 180}, {60, 100, 60, 180}, {260, 100, 260, 180}}
	for name, c := range map[string]struct {
		art  []Art
		want int
	}{
		"nothing":                {nil, 1},
		"a picture":              {[]Art{{page.R(60, 100, 260, 180), true}}, 0},
		"a small drawing":        {[]Art{{page.R(120, 110, 180, 170), false}}, 0},
		"round corners":          {[]Art{{page.R(60, 100, 260, 180), false}}, 1},
		"a picture of the whole": {[]Art{{page.R(0, 0, 595, 842), true}}, 1},
	} {
		if got := Find(Page{Width: 595, Height: 842, Strokes: frame, Art: c.art}); len(got) != c.want {
			t.Errorf("%s: %d blanks, want %d", name, len(got), c.want)
		}
	}
}

func TestQuestionsGatherTheirBlanks(t *testing.T) {
	var ws []words.Word
	for i, q := range []string{"1.", "a)", "(ii)", "2)"} {
		ws = append(ws, printed(i, 60, 100+40*float64(i), q, "Say", "what", "it", "is:", "______")...)
	}
	p := Page{Width: 595, Height: 842, Words: ws}
	found := Find(p)
	all := Questions(p, found)
	if len(found) != 4 || len(all) != 4 {
		t.Fatalf("%d blanks, %d questions", len(found), len(all))
	}
	for i, q := range all {
		if len(q.Blanks) != 1 || q.Blanks[0] != i || q.Text != "Say what it is: ______" {
			t.Errorf("question %s: %+v", q.Number, q)
		}
	}
}

// Whatever lines and words there are, what is found lies on the page, is in
// reading order, overlaps little, and is the same every time.
func TestFindHoldsOnAnyPage(t *testing.T) {
	rnd := rand.New(rand.NewPCG(3, 9))
	for range 300 {
		p := Page{Width: 595, Height: 842}
		for range rnd.IntN(120) {
			x, y, l := 20+500*rnd.Float64(), 20+780*rnd.Float64(), 5+200*rnd.Float64()
			if rnd.IntN(2) == 0 {
				p.Strokes = append(p.Strokes, Stroke{x, y, min(x+l, 580), y})
			} else {
				p.Strokes = append(p.Strokes, Stroke{x, y, x, min(y+l, 830)})
			}
		}
		for i := range rnd.IntN(40) {
			p.Words = append(p.Words, printed(i, 20+400*rnd.Float64(), 40+760*rnd.Float64(), []string{"1.", "tide:", "____", "(a", "/", "b)", "☐", "....", "?"}[rnd.IntN(9)], "word")...)
		}
		found, again := Find(p), Find(p)
		if fmt.Sprint(found) != fmt.Sprint(again) {
			t.Fatal("twice the same page, two answers")
		}
		for i, b := range found {
			if b.Rect.Empty() || b.Rect.Min.X < -1 || b.Rect.Min.Y < -30 || b.Rect.Max.X > 620 || b.Rect.Max.Y > 850 || b.Size < 5 || b.Confidence <= 0 || b.Confidence > 1 {
				t.Fatalf("%+v", b)
			}
			for _, o := range found[i+1:] {
				both := b.Rect.Intersect(o.Rect)
				if !both.Empty() && both.W()*both.H() > 0.51*min(b.Rect.W()*b.Rect.H(), o.Rect.W()*o.Rect.H()) {
					t.Fatalf("%+v lies on %+v", b, o)
				}
			}
		}
	}
}

// What is written in a place is as large as the print that it goes on from, as
// far as the place has room, and stands on its rules.
func TestLettersAreAsLargeAsThePrint(t *testing.T) {
	sized := func(ws []words.Word, size float64) []words.Word {
		for i := range ws {
			ws[i].Size = size
		}
		return ws
	}
	for name, c := range map[string]struct {
		words   []words.Word
		strokes []Stroke
		size    float64
		step    float64
		on      float64
	}{
		"small print":             {sized(printed(0, 60, 100, "Name:"), 9), []Stroke{line(100, 240, 102)}, 9, 0, 101.3},
		"a young child's sheet":   {sized(printed(0, 60, 100, "Name:"), 18), []Stroke{line(100, 240, 102)}, 18, 0, 101.3},
		"a heading is no measure": {sized(printed(0, 60, 100, "Name:"), 40), []Stroke{line(100, 240, 102)}, 24, 0, 101.3},
		"rules for one answer":    {sized(printed(0, 60, 100, "1.", "What", "is", "it?"), 11), []Stroke{line(60, 500, 130), line(60, 500, 154), line(60, 500, 178)}, 11, 24, 129.3},
		"narrow rules":            {sized(printed(0, 60, 100, "1.", "What", "is", "it?"), 14), []Stroke{line(60, 500, 130), line(60, 500, 142), line(60, 500, 154)}, 9, 12, 129.3},
		"no size in the file":     {printed(0, 60, 100, "Name:"), []Stroke{line(100, 240, 102)}, 10.4, 0, 101.3},
	} {
		all := Find(Page{Width: 595, Height: 842, Words: c.words, Strokes: c.strokes})
		if len(all) != 1 {
			t.Fatalf("%s: %d blanks", name, len(all))
		}
		if b := all[0]; math.Abs(b.Size-c.size) > 0.01 || b.Step != c.step || b.Baseline != c.on {
			t.Errorf("%s: %v points, lines %v apart, on %v; want %v, %v, %v", name, b.Size, b.Step, b.Baseline, c.size, c.step, c.on)
		}
	}
}

// Common practice, no source.
func TestPlacesForWhoWrites(t *testing.T) {
	for label, want := range map[string]Personal{
		"Name:": Name, "  NAME ": Name, "Nom et prénom :": Name, "Name of the boat": "", "Klasse": Class, "Class: ": Class, "Datum:": Date, "Date of the battle": "", "m, so this is a": "", "": "",
	} {
		if got := Holds(label, 0.1); got != want {
			t.Errorf("%q holds %q, want %q", label, got, want)
		}
		if got := Holds(label, 0.5); got != "" {
			t.Errorf("%q in the middle of the page holds %q", label, got)
		}
	}
}

// Rules beside the slides of a handout are for notes; beside one picture, or
// under a question, they are for an answer.
func TestRulesBesideSlides(t *testing.T) {
	slide := func(y float64) Art { return Art{Rect: page.R(60, y, 260, y+150), Picture: true} }
	rules := func(y float64) (out []Blank) {
		return []Blank{{Kind: Lines, Rect: page.R(290, y, 540, y+150)}}
	}
	for name, c := range map[string]struct {
		page   Page
		blanks []Blank
		want   string
	}{
		"a handout":             {Page{Art: []Art{slide(100), slide(300), slide(500)}}, slices.Concat(rules(100), rules(300), rules(500)), "[0 1 2]"},
		"one picture":           {Page{Art: []Art{slide(100)}}, rules(100), "[]"},
		"rules under questions": {Page{Art: []Art{slide(100), slide(300)}, Words: append(printed(0, 290, 95, "What", "is", "this?"), printed(1, 290, 295, "And", "this?")...)}, slices.Concat(rules(100), rules(300)), "[]"},
		"far from the pictures": {Page{Art: []Art{slide(100), slide(300)}}, slices.Concat(rules(600), rules(760)), "[]"},
	} {
		if got := fmt.Sprint(c.page.Notes(c.blanks)); got != c.want {
			t.Errorf("%s: %s, not %s", name, got, c.want)
		}
	}
}
