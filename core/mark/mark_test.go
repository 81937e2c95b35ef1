package mark

import (
	"encoding/json"
	"errors"
	"math"
	"reflect"
	"testing"

	"readymargin/core/ink"
	"readymargin/core/page"
)

func every() []Mark {
	stroke := ink.Fit([]ink.Sample{{X: 10, Y: 10, Pressure: 0.5}, {X: 60, Y: 10, Pressure: 0.5}})
	return []Mark{
		{"mark-text", 1, &FreeText{X: 100, Y: 200, Width: 60, Lines: []Line{
			{Runs: []Run{{"4.5 ", 14, "#1e2a44"}, {"m", 14, "#d9503f"}}}, {Runs: []Run{{"δ", 14, "#1e2a44"}}, Hard: true}}}},
		{"mark-ink0", 1, &Ink{Color: "#d9503f", Width: 2, Opacity: 0.5, InkList: []ink.Stroke{stroke}}},
		{"mark-high", 2, &Highlight{Color: "#ffdd55", QuadPoints: QuadPoints([]page.Quad{page.QuadOf(page.R(10, 10, 50, 22)), page.QuadOf(page.R(10, 30, 20, 42))}), Text: "Carrick rocks"}},
		{"mark-tick", 1, &Stamp{Name: "tick", Color: "#d9503f", Rect: [4]float64{10, 10, 26, 26}}},
		{"mark-note", 1, &Note{At: [2]float64{40, 50}, On: "mark-text", Text: "Why?", Voice: &Voice{Sound: hash, Milliseconds: 1200, Peaks: []int{3, 90}}}},
		{"mark-repl", 1, &Reply{To: "mark-note", Text: "Because."}},
	}
}

const hash = "0123456789abcdef0123456789abcdef0123456789abcdef0123456789abcdef"

func TestEveryKindReadsBackAsWritten(t *testing.T) {
	for _, m := range every() {
		b, err := json.Marshal(m)
		if err != nil {
			t.Fatal(err)
		}
		var got Mark
		if err := json.Unmarshal(b, &got); err != nil {
			t.Fatalf("%s: %v", b, err)
		}
		if !reflect.DeepEqual(got, m) {
			t.Errorf("%s: %+v, want %+v", m.ID, got.Body, m.Body)
		}
	}
}

func TestMovingMovesEverythingAndChangesNothingElse(t *testing.T) {
	d := page.Pt(30, -7.25)
	for _, m := range every()[:5] {
		before, _ := json.Marshal(m)
		moved := m.Body.Moved(d)
		want, got := m.Body.Bounds().Add(d), moved.Bounds()
		if got.Min.Dist(want.Min) > 0.02 || got.Max.Dist(want.Max) > 0.02 {
			t.Errorf("%s moved to %v, want %v", m.ID, got, want)
		}
		again, _ := json.Marshal(Mark{m.ID, m.Page, moved.Moved(d.Mul(-1))})
		if string(again) != string(before) {
			t.Errorf("there and back: %s, was %s", again, before)
		}
		if still, _ := json.Marshal(m); string(still) != string(before) {
			t.Errorf("moving changed the original: %s", still)
		}
	}
}

// shapes are a line, a box, an ellipse, an underline and a strike-out.
var shapes = []Mark{
	{"mark-line", 1, &Straight{Shape{Color: "#d9503f", Width: 2, Opacity: 1}, [4]float64{50, 100, 200, 100}, [2]string{"", "OpenArrow"}}},
	{"mark-square", 1, &Square{Shape{Color: "#d9503f", Width: 2, Opacity: 1}, [4]float64{100, 100, 200, 180}}},
	{"mark-circle", 1, &Circle{Shape{Color: "#d9503f", Width: 2, Opacity: 1, Meaning: "danger", Sign: "D"}, [4]float64{100, 100, 200, 180}}},
	{"mark-under", 1, &Underline{Markup{Color: "#d9503f", QuadPoints: [][8]float64{{10, 30, 60, 30, 60, 42, 10, 42}}, Text: "rocks"}}},
	{"mark-strike", 1, &StrikeOut{Markup{Color: "#d9503f", QuadPoints: [][8]float64{{10, 30, 60, 30, 60, 42, 10, 42}}}}},
}

// What moves by (3, 4) and back is what it was, also as it is written and read.
func TestShapes(t *testing.T) {
	for _, m := range shapes {
		moved := Mark{m.ID, m.Page, m.Body.Moved(page.Pt(3, 4))}
		if d := moved.Body.Bounds().Min.Sub(m.Body.Bounds().Min); math.Abs(d.X-3)+math.Abs(d.Y-4) > 0.03 {
			t.Errorf("%s moved by %v", m.ID, d)
		}
		was, _ := json.Marshal(m)
		back, err := json.Marshal(Mark{m.ID, m.Page, moved.Body.Moved(page.Pt(-3, -4))})
		if err != nil || string(back) != string(was) {
			t.Errorf("%s there and back: %s (%v)", was, back, err)
		}
		var again Mark
		if err := json.Unmarshal(was, &again); err != nil {
			t.Errorf("%s: %v", was, err)
		}
	}
	for _, bad := range []string{
		`{"id":"mark-0001","page":1,"kind":"line","body":{"color":"#d9503f","width":2,"opacity":1,"l":[1,1,1,1]}}`,
		`{"id":"mark-0001","page":1,"kind":"line","body":{"color":"#d9503f","width":2,"opacity":1,"l":[1,1,9,9],"lineEnding":["Skull",""]}}`,
		`{"id":"mark-0001","page":1,"kind":"square","body":{"color":"#d9503f","width":0,"opacity":1,"rect":[1,1,9,9]}}`,
		`{"id":"mark-0001","page":1,"kind":"circle","body":{"color":"#d9503f","width":2,"opacity":1,"rect":[1,1,1,9]}}`,
		`{"id":"mark-0001","page":1,"kind":"underline","body":{"color":"#d9503f","quadPoints":[]}}`,
	} {
		var m Mark
		if err := json.Unmarshal([]byte(bad), &m); !errors.Is(err, ErrInvalid) {
			t.Errorf("%s: %v", bad, err)
		}
	}
}

func TestHits(t *testing.T) {
	ms := every()
	for _, c := range []struct {
		m    Mark
		p    page.Point
		want float64
	}{
		{ms[0], page.Pt(130, 195), 0},
		{ms[0], page.Pt(170, 195), 10},
		{ms[1], page.Pt(30, 10.9), 0},
		{ms[1], page.Pt(30, 14), 3},
		{ms[2], page.Pt(15, 35), 0},
		{ms[2], page.Pt(40, 36), 14}, // between the two lines: the nearer is 14 above
		{ms[3], page.Pt(18, 29), 3},
		{ms[4], page.Pt(40, 60), 3},
		{ms[5], page.Pt(40, 60), math.Inf(1)},
		{shapes[0], page.Pt(100, 110), 9},
		{shapes[0], page.Pt(220, 100), 19},
		{shapes[1], page.Pt(100, 140), 0},
		{shapes[1], page.Pt(150, 140), 39}, // the middle is free
		{shapes[2], page.Pt(200, 140), 0},
		{shapes[2], page.Pt(150, 140), 39},
		{shapes[2], page.Pt(150, 190), 9},
		{shapes[3], page.Pt(20, 36), 0},
	} {
		if got := c.m.Body.Distance(c.p); math.Abs(got-c.want) > 0.05 && got != c.want {
			t.Errorf("%s at %v: %v, want %v", c.m.ID, c.p, got, c.want)
		}
	}
}

func TestRecolouring(t *testing.T) {
	for _, m := range append(every()[:4], shapes...) {
		b, _ := json.Marshal(Mark{m.ID, m.Page, m.Body.Recoloured("#00aa00")})
		var colours []string
		var walk func(any)
		walk = func(v any) {
			switch v := v.(type) {
			case map[string]any:
				for k, x := range v {
					if k == "color" {
						colours = append(colours, x.(string))
					}
					walk(x)
				}
			case []any:
				for _, x := range v {
					walk(x)
				}
			}
		}
		var tree any
		json.Unmarshal(b, &tree)
		walk(tree)
		for _, c := range colours {
			if c != "#00aa00" {
				t.Errorf("%s kept %s", m.ID, c)
			}
		}
		if len(colours) == 0 {
			t.Errorf("%s has no colour", m.ID)
		}
	}
}

func TestBadMarksAreRefused(t *testing.T) {
	for _, s := range []string{
		``, `{}`, `{"id":"mark-0001","page":1,"kind":"sound","body":{}}`,
		`{"id":"x","page":1,"kind":"note","body":{"at":[1,1],"text":"a"}}`,
		`{"id":"mark-0001","page":0,"kind":"note","body":{"at":[1,1],"text":"a"}}`,
		`{"id":"mark-0001","page":1,"kind":"note","body":{"at":[1,1]}}`,
		`{"id":"mark-0001","page":1,"kind":"note","body":{"at":[1e9,1],"text":"a"}}`,
		`{"id":"mark-0001","page":1,"kind":"note","body":{"at":[1,1],"voice":{"sound":"../x","ms":1}}}`,
		`{"id":"mark-0001","page":1,"kind":"stamp","body":{"name":"skull","color":"#d9503f","rect":[0,0,9,9]}}`,
		`{"id":"mark-0001","page":1,"kind":"stamp","body":{"name":"tick","color":"red","rect":[0,0,9,9]}}`,
		`{"id":"mark-0001","page":1,"kind":"ink","body":{"color":"#d9503f","width":2,"opacity":1,"inkList":[]}}`,
		`{"id":"mark-0001","page":1,"kind":"ink","body":{"color":"#d9503f","width":2,"opacity":1,"inkList":[{"path":[1,1],"width":[1]}]}}`,
		`{"id":"mark-0001","page":1,"kind":"highlight","body":{"color":"#d9503f","quadPoints":[]}}`,
		`{"id":"mark-0001","page":1,"kind":"freetext","body":{"x":1,"y":1,"width":9,"lines":[{"runs":[{"text":"a","size":9000,"color":"#d9503f"}]}]}}`,
		`{"id":"mark-0001","page":1,"kind":"reply","body":{"to":"","text":"a"}}`,
	} {
		var m Mark
		if err := json.Unmarshal([]byte(s), &m); err == nil || (len(s) > 2 && !errors.Is(err, ErrInvalid)) {
			t.Errorf("%s: %v", s, err)
		}
	}
}

func FuzzReadingMarks(f *testing.F) {
	for _, m := range every() {
		b, _ := json.Marshal(m)
		f.Add(b)
	}
	f.Fuzz(func(t *testing.T, b []byte) {
		var m Mark
		if json.Unmarshal(b, &m) != nil {
			return
		}
		again, err := json.Marshal(m)
		if err != nil {
			t.Fatal(err)
		}
		var back Mark
		if err := json.Unmarshal(again, &back); err != nil {
			t.Fatalf("%s was valid, %s is not: %v", b, again, err)
		}
		m.Body.Moved(page.Pt(1, 1)).Bounds()
	})
}
