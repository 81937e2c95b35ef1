package e2e

import (
	"fmt"
	"testing"

	"readymargin/core/practice"
	"readymargin/e2e/browser"
)

// The practice sheet is done from the first step to the last with the
// instruments it names, and says so as one goes.
func TestThePracticeSheet(t *testing.T) {
	t.Parallel()
	setSceneNamed(t, "Practice")
	p := tab(t, 1280, 800)
	at := func(x, y float64) browser.Place { return browser.Place{Page: 1, X: x, Y: y} }
	tried := func(n int) func() error {
		return func() error {
			want := fmt.Sprintf("%d of %d tried", n, len(practice.Steps))
			if n == len(practice.Steps) {
				want = "You have tried everything"
			}
			return p.Until(want, fmt.Sprintf(`document.querySelector("[data-top] strong").textContent === %q`, want))
		}
	}
	take := func(place, name string) func() error { return func() error { return fromPopover(p, place, name) } }
	drag := func(places ...browser.Place) func() error {
		return func() error { return p.Drag("mouse", 0.5, places...) }
	}
	middle := func(i int) (x, y float64) {
		r := practice.Steps[i].Rect
		return (r[0] + r[2]) / 2, (r[1] + r[3]) / 2
	}
	in := func(i int, dx, dy float64) browser.Place {
		x, y := middle(i)
		return at(x+dx, y+dy)
	}
	words := func(i int) browser.Place { return at(practice.Steps[i].Rect[0]+100, practice.Steps[i].Rect[3]-8) }
	further := func(p browser.Place) browser.Place { return browser.Place{Page: 1, X: p.X + 60, Y: p.Y} }
	steps(t,
		func() error { return p.SignIn("practice.student", scenePassword) },
		func() error { return p.Go("/practice") }, p.Ready, tried(0),
		take("write", "Type"), func() error { return p.Press(in(0, -60, 4)) }, func() error { return p.Type("Ines") }, tried(1),
		take("write", "Signs"), func() error { return p.Press(in(1, -40, 4)) }, func() error { return p.Type("35") }, take("write", "Signs"), take("write", "°"), tried(2),
		take("mark", "Highlighter"), drag(words(2), further(words(2))), tried(3),
		take("mark", "Underline"), drag(words(3), further(words(3))), tried(4),
		take("mark", "Cross out"), drag(words(4), further(words(4))), tried(5),
		take("draw", "Pen"), drag(in(5, -60, 0), in(5, -20, -12), in(5, 20, 12), in(5, 60, 0)), tried(6),
		take("draw", "Shapes"), take("draw", "Box"), drag(in(6, -50, -20), in(6, 0, 0), in(6, 50, 20)), tried(7),
		take("draw", "Stamp"), func() error { return p.Press(in(7, 0, 0)) }, tried(8),
		take("pick", "Pick"), drag(at(545, 418), at(480, 450), in(8, 0, -7)), tried(9),
		take("mend", "Parts of lines"), drag(in(9, 0, -30), in(9, 0, 0), in(9, 0, 30)), tried(10),
		take("mend", "Whole marks"), drag(in(10, -24, 0), in(10, 0, 0), in(10, 24, 0)), tried(11),
		take("say", "Note"), func() error { return p.Press(in(11, 0, 0)) }, func() error { return p.Type("Done!") }, func() error { return p.Click("[data-draft] .dark") }, tried(12),
	)
}
