package practice

import (
	"fmt"
	"testing"

	"readymargin/core/ink"
	"readymargin/core/mark"
)

// At first nothing is done; each step is done by its own mark alone, and a
// mark elsewhere does nothing.
func TestEachStepIsDoneByItsOwnMark(t *testing.T) {
	first := Laid()
	for i, done := range Done(first) {
		if done {
			t.Errorf("%s is done before anything was", Steps[i].Instrument)
		}
	}
	text := func(s string) *mark.FreeText {
		return &mark.FreeText{X: 0, Y: 0, Width: 20, Lines: []mark.TextLine{{Runs: []mark.Run{{Text: s, Size: 12, Color: "#000000"}}}}}
	}
	quad := [][8]float64{{0, 0, 40, 0, 40, 10, 0, 10}}
	bodies := map[string]mark.Body{
		"Type": text("Ines"), "Signs": text("35°"), "Highlighter": &mark.Highlight{Color: "#ffe27a", QuadPoints: quad}, "Underline": &mark.Underline{Markup: mark.Markup{Color: "#1f4fa3", QuadPoints: quad}},
		"Cross out": &mark.StrikeOut{Markup: mark.Markup{Color: "#c22f20", QuadPoints: quad}}, "Pen": &mark.Ink{Color: "#000000", Width: 2, Opacity: 1, InkList: []ink.Stroke{ink.Fit([]ink.Sample{{X: 0, Y: 0, Pressure: 0.5}, {X: 30, Y: 10, Pressure: 0.5}})}},
		"Shapes": &mark.Square{Shape: mark.Shape{Color: "#000000", Width: 2, Opacity: 1}, Rect: [4]float64{0, 0, 30, 20}}, "Stamp": &mark.Stamp{Name: "tick", Color: "#000000", Rect: [4]float64{0, 0, 18, 18}}, "Note": &mark.Note{Text: "hello"},
	}
	for i, s := range Steps {
		body := bodies[s.Instrument]
		if body == nil {
			continue
		}
		for _, at := range []struct {
			y    float64
			want bool
		}{{(s.Rect[1] + s.Rect[3]) / 2, true}, {780, false}} {
			from := body.Bounds().Center()
			m := mark.Mark{ID: fmt.Sprint("tried-", i), Page: 1, Body: body.Moved(center(s, at.y).Sub(from))}
			for k, done := range Done(append(Laid(), m)) {
				if done != (k == i && at.want) {
					t.Errorf("%s at height %.0f: step %s done: %v", s.Instrument, at.y, Steps[k].Instrument, done)
				}
			}
		}
	}
	// What lies there is moved, rubbed and erased.
	for name, change := range map[string]func(mark.Mark) (mark.Mark, bool){
		"Pick": func(m mark.Mark) (mark.Mark, bool) {
			if m.ID == Star {
				m.Body = m.Body.Moved(center(Steps[8], 470).Sub(m.Body.Bounds().Center()))
			}
			return m, true
		},
		"Eraser: parts": func(m mark.Mark) (mark.Mark, bool) {
			if line, ok := m.Body.(*mark.Ink); ok && m.ID == Loose {
				c := line.Bounds().Center()
				m.Body = line.Rubbing(ink.Rubbing([]ink.Sample{{X: c.X, Y: c.Y - 20}, {X: c.X, Y: c.Y + 20}}, 6))
			}
			return m, true
		},
		"Eraser: whole marks": func(m mark.Mark) (mark.Mark, bool) { return m, m.ID != Spill },
	} {
		var now []mark.Mark
		for _, m := range Laid() {
			if m, keep := change(m); keep {
				now = append(now, m)
			}
		}
		for i, done := range Done(now) {
			if done != (Steps[i].Instrument == name) {
				t.Errorf("%s: step %s done: %v", name, Steps[i].Instrument, done)
			}
		}
	}
}
