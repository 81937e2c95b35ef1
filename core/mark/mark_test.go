package mark

import (
	"encoding/json"
	"errors"
	"maps"
	"math"
	"reflect"
	"slices"
	"testing"

	"readymargin/core/ink"
	"readymargin/core/page"
)

func every() []Mark {
	stroke := ink.Fit([]ink.Sample{{X: 10, Y: 10, Pressure: 0.5}, {X: 60, Y: 10, Pressure: 0.5}})
	rub := ink.Rub{Radius: 4, Path: []page.Point{{X: 30, Y: 5}, {X: 30, Y: 15}}}
	line := Shape{Color: "#d9503f", Width: 2, Opacity: 1}
	quads := [][8]float64{{10, 30, 60, 30, 60, 42, 10, 42}}
	rich := []Run{{Text: "Ca", Size: 14, Color: "#1e2a44", Bold: true, Under: true, Width: 19.5}, {Text: "2+", Size: 14, Color: "#d9503f", Font: "serif", Italic: true, Shift: 1, Width: 12}}
	of := map[string]Body{
		"text": &FreeText{X: 100, Y: 200, Width: 60, Lines: []TextLine{
			{Runs: []Run{{Text: "4.5 ", Size: 14, Color: "#1e2a44"}, {Text: "m", Size: 14, Color: "#d9503f"}}}, {Runs: []Run{{Text: "δ", Size: 14, Color: "#1e2a44"}}, Hard: true}}},
		"rich":      &FreeText{X: 100, Y: 300, Width: 32, Box: 80, Align: "center", Fill: "#fffdf8", Turn: 30, Lines: []TextLine{{Runs: rich, X: 24, Hard: true}}},
		"ink":       &Ink{Color: "#d9503f", Width: 2, Opacity: 0.5, InkList: []ink.Stroke{stroke}, Rubbed: []ink.Rub{rub}},
		"highlight": &Highlight{Color: "#ffdd55", QuadPoints: QuadPoints([]page.Quad{page.QuadOf(page.R(10, 10, 50, 22)), page.QuadOf(page.R(10, 30, 20, 42))}), Text: "Carrick rocks"},
		"stamp":     &Stamp{Name: "tick", Color: "#d9503f", Rect: [4]float64{10, 10, 26, 26}},
		"picture":   &Picture{Hash: hash, Name: "a buoy", Rect: [4]float64{100, 100, 180, 140}, Turn: 45, Words: "0.9 m"},
		"line":      &Line{line, [4]float64{50, 100, 200, 100}, [2]string{"", "OpenArrow"}},
		"polyline":  &PolyLine{line, [][2]float64{{50, 100}, {120, 160}, {200, 100}}, [2]string{"OpenArrow", ""}},
		"square":    &Square{line, [4]float64{100, 100, 200, 180}, 0},
		"circle":    &Circle{Shape{Color: "#d9503f", Width: 2, Opacity: 1, Meaning: "danger", Sign: "D"}, [4]float64{100, 100, 200, 180}, 0},
		"underline": &Underline{Markup{Color: "#d9503f", QuadPoints: quads, Text: "rocks"}},
		"strikeout": &StrikeOut{Markup{Color: "#d9503f", QuadPoints: quads}},
		"note":      &Note{At: [2]float64{40, 50}, On: "mark-text", Text: "Why?", Color: "#2d7a3a", Help: "Grandfather", Voice: &Voice{Sound: hash, Milliseconds: 1200, Peaks: []int{3, 90}}},
		"widget":    &Widget{Field: "tide.height", Values: []string{"4.5"}, Rect: [4]float64{10, 10, 60, 26}, Text: &FreeText{X: 12, Y: 22, Width: 20, Lines: []TextLine{{Runs: []Run{{Text: "4.5", Size: 11, Color: "#1e2a44"}}}}}},
		"reply":     &Reply{To: "mark-note", Text: "Because."},
	}
	var out []Mark
	for _, name := range slices.Sorted(maps.Keys(of)) {
		out = append(out, Mark{ID: "mark-" + name, Page: 1, Body: of[name]})
	}
	out[0].Rank, out[0].Helper = 3, "Mum"
	return out
}

// the returns the mark of that name among every.
func the(name string) Mark {
	for _, m := range every() {
		if m.ID == "mark-"+name {
			return m
		}
	}
	panic(name)
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

// What is moved, stretched or turned and then brought back is what it was;
// what it was made from stays as it is. What stands where the sheet has it, or
// has no place, does not move.
func TestThereAndBack(t *testing.T) {
	wide := page.R(0, 0, 300, 400)
	for _, m := range every() {
		before, _ := json.Marshal(m)
		b := m.Body.Bounds()
		moved := m.Body.Moved(page.Pt(30, -7.25))
		if d := moved.Bounds().Min.Sub(b.Min); d.Dist(page.Pt(30, -7.25)) > 0.03 && m.ID != "mark-widget" && m.ID != "mark-reply" {
			t.Errorf("%s moved by %v", m.ID, d)
		}
		c := page.Pt(150, 120)
		for what, back := range map[string]Body{
			"moving":     moved.Moved(page.Pt(-30, 7.25)),
			"stretching": m.Body.Fitted(wide, page.R(20, 20, 620, 820)).Fitted(page.R(20, 20, 620, 820), wide),
			"turning":    m.Body.Turned(c, 50).Turned(c, -50),
		} {
			if got := back.Bounds(); got.Min.Dist(b.Min) > 0.15 || got.Max.Dist(b.Max) > 0.15 {
				t.Errorf("%s: after %s there and back it is at %v, was %v", m.ID, what, got, b)
			}
			if err := (Mark{ID: m.ID, Page: 1, Body: back}).Valid(); err != nil {
				t.Errorf("%s: after %s: %v", m.ID, what, err)
			}
		}
		if still, _ := json.Marshal(m); string(still) != string(before) {
			t.Errorf("the original was changed: %s", still)
		}
	}
}

// Every place of what is turned by a quarter is a quarter round, as is its box.
func TestAQuarterTurn(t *testing.T) {
	c := page.Pt(100, 100)
	for _, m := range every() {
		if m.ID == "mark-widget" || m.ID == "mark-reply" || m.ID == "mark-note" {
			continue
		}
		b := m.Body.Bounds()
		got := m.Body.Turned(c, 90).Bounds()
		want := page.QuadOf(b).Turned(c, 90).Bounds()
		if got.Min.Dist(want.Min) > 0.1 || got.Max.Dist(want.Max) > 0.1 {
			t.Errorf("%s: %v, want %v", m.ID, got, want)
		}
		p := page.Pt(b.Min.X+3, b.Min.Y+5)
		if was, is := m.Body.Distance(p), m.Body.Turned(c, 90).Distance(p.Turned(c, 90)); math.Abs(was-is) > 0.1 {
			t.Errorf("%s: %v away, after turning %v", m.ID, was, is)
		}
	}
}

func TestStretchingDoublesTheBox(t *testing.T) {
	for _, name := range []string{"square", "circle", "highlight"} {
		m := the(name)
		r := m.Body.Bounds()
		big := page.R(r.Min.X, r.Min.Y, r.Min.X+2*r.W(), r.Min.Y+2*r.H())
		got := m.Body.Fitted(r, big).Bounds()
		if math.Abs(got.W()-big.W()) > 4 || math.Abs(got.H()-big.H()) > 4 { // lines stay as wide
			t.Errorf("%s: %v, want about %v", name, got, big)
		}
	}
	text := the("text").Body.(*FreeText)
	if twice := text.Fitted(page.R(0, 0, 10, 10), page.R(0, 0, 20, 20)).(*FreeText); twice.Size() != 28 || twice.Width != 120 {
		t.Errorf("text became %v points, %v wide", twice.Size(), twice.Width)
	}
}

// One side of a turned box is dragged: the corners of the other side stay.
func TestReframingKeepsTheOtherSide(t *testing.T) {
	for _, name := range []string{"picture", "rich", "square", "text", "stamp"} {
		m := the(name)
		for _, degrees := range []float64{0, 30, -100} {
			b := m.Body.Turned(page.Pt(120, 120), degrees)
			from, pivot, turned := Frame(b)
			to := page.R(from.Min.X, from.Min.Y, from.Max.X+2*from.W(), from.Max.Y+2*from.H())
			got := Reframed(b, to)
			now, pivotNow, _ := Frame(got)
			was := from.Min.Turned(pivot, turned)
			if is := now.Min.Turned(pivotNow, turned); is.Dist(was) > 0.1 {
				t.Errorf("%s turned by %v: the corner went from %v to %v", name, turned, was, is)
			}
		}
	}
}

func TestShapesThatAreRefused(t *testing.T) {
	for _, bad := range []string{
		`{"id":"mark-0001","page":1,"kind":"line","body":{"color":"#d9503f","width":2,"opacity":1,"l":[1,1,1,1]}}`,
		`{"id":"mark-0001","page":1,"kind":"line","body":{"color":"#d9503f","width":2,"opacity":1,"l":[1,1,9,9],"lineEnding":["Skull",""]}}`,
		`{"id":"mark-0001","page":1,"kind":"line","body":{"color":"#d9503f","width":2,"opacity":1,"l":[1,1,9,9],"heads":9}}`,
		`{"id":"mark-0001","page":1,"kind":"polyline","body":{"color":"#d9503f","width":2,"opacity":1,"vertices":[[1,1]]}}`,
		`{"id":"mark-0001","page":1,"kind":"square","body":{"color":"#d9503f","width":0,"opacity":1,"rect":[1,1,9,9]}}`,
		`{"id":"mark-0001","page":1,"kind":"circle","body":{"color":"#d9503f","width":2,"opacity":1,"rect":[1,1,1,9]}}`,
		`{"id":"mark-0001","page":1,"kind":"underline","body":{"color":"#d9503f","quadPoints":[]}}`,
		`{"id":"mark-0001","page":1,"rank":5000,"kind":"note","body":{"at":[1,1],"text":"a"}}`,
		`{"id":"mark-0001","page":1,"kind":"widget","body":{"field":"","values":["a"],"rect":[1,1,9,9]}}`,
		`{"id":"mark-0001","page":1,"kind":"widget","body":{"field":"a","values":[],"rect":[1,1,9,9]}}`,
		`{"id":"mark-0001","page":1,"kind":"freetext","body":{"x":1,"y":1,"width":9,"lines":[{"runs":[{"text":"a","size":9,"font":"wingdings","color":"#d9503f"}]}]}}`,
		`{"id":"mark-0001","page":1,"kind":"ink","body":{"color":"#d9503f","width":2,"opacity":1,"inkList":[{"path":[1,1,2,2,3,3,4,4],"width":[1,1]}],"rubbed":[{"radius":-1,"path":[1,1]}]}}`,
	} {
		var m Mark
		if err := json.Unmarshal([]byte(bad), &m); !errors.Is(err, ErrInvalid) {
			t.Errorf("%s: %v", bad, err)
		}
	}
}

func TestHits(t *testing.T) {
	for _, c := range []struct {
		m    Mark
		p    page.Point
		want float64
	}{
		{the("text"), page.Pt(130, 195), 0},
		{the("text"), page.Pt(170, 195), 10},
		{the("ink"), page.Pt(50, 10.9), 0},
		{the("ink"), page.Pt(30, 10.9), math.Inf(1)}, // rubbed out
		{the("ink"), page.Pt(50, 14), 3},
		{the("picture"), page.Pt(140, 145), 0}, // turned by 45 degrees
		{the("rich"), page.Pt(100, 300).Turned(page.Pt(100, 300), 30), 0},
		{the("highlight"), page.Pt(15, 35), 0},
		{the("highlight"), page.Pt(40, 36), 14}, // between the two lines: the nearer is 14 above
		{the("stamp"), page.Pt(18, 29), 3},
		{the("note"), page.Pt(40, 60), 3},
		{the("reply"), page.Pt(40, 60), math.Inf(1)},
		{the("line"), page.Pt(100, 110), 9},
		{the("line"), page.Pt(220, 100), 19},
		{the("square"), page.Pt(100, 140), 0},
		{the("square"), page.Pt(150, 140), 39}, // the middle is free
		{the("circle"), page.Pt(200, 140), 0},
		{the("circle"), page.Pt(150, 140), 39},
		{the("circle"), page.Pt(150, 190), 9},
		{the("underline"), page.Pt(20, 36), 0},
	} {
		if got := c.m.Body.Distance(c.p); math.Abs(got-c.want) > 0.05 && got != c.want {
			t.Errorf("%s at %v: %v, want %v", c.m.ID, c.p, got, c.want)
		}
	}
}

func TestRecolouring(t *testing.T) {
	for _, m := range every() {
		if m.ID == "mark-picture" || m.ID == "mark-widget" || m.ID == "mark-reply" {
			continue // their colours are not the person's
		}
		b, _ := json.Marshal(Mark{ID: m.ID, Page: m.Page, Body: m.Body.Restyled(Style{Color: "#00aa00"})})
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

// Every kind is made with an instrument that can be left out, or with none on
// purpose.
func TestInstrumentsOfEveryKind(t *testing.T) {
	used := map[string]bool{}
	for kind := range kinds() {
		with, ok := madeWith[kind]
		if !ok {
			t.Errorf("%s is made with nothing known", kind)
		}
		for _, i := range with {
			used[i] = true
		}
	}
	for _, i := range Instruments {
		if !used[i] && i != "look-up" { // which makes no mark
			t.Errorf("nothing is made with %s", i)
		}
	}
	for _, c := range []struct {
		kind    string
		offered []string
		want    bool
	}{
		{"ink", nil, true}, {"ink", []string{"type"}, false}, {"ink", []string{"type", "pen"}, true}, {"note", []string{"type"}, true}, {"stamp", []string{"type"}, true}, {"line", []string{"pen"}, true}, {"picture", []string{"pen"}, false},
	} {
		if got := (Mark{Body: kinds()[c.kind]}).Offered(c.offered); got != c.want {
			t.Errorf("%s with %v: %v", c.kind, c.offered, got)
		}
	}
}

func TestChineseCharactersAreSetForALanguage(t *testing.T) {
	for s, lang := range map[string]string{"漢字": "", "かんじ漢字": "ja", "カタカナ": "ja", "한자 漢字": "ko", "abc": ""} {
		if Han(s) != lang {
			t.Errorf("%q is set for %q, want %q", s, Han(s), lang)
		}
	}
}
