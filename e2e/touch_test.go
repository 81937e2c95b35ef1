package e2e

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"readymargin/core/mark"
	"readymargin/e2e/browser"
)

// textsOf returns what is written on the page, in the order of the marks.
func textsOf(ms []mark.Mark) (out []string) {
	for _, m := range ms {
		if f, ok := m.Body.(*mark.FreeText); ok {
			var s strings.Builder
			for _, l := range f.Lines {
				for _, r := range l.Runs {
					s.WriteString(r.Text)
				}
			}
			out = append(out, s.String())
		}
	}
	return out
}

// Everything that a finger does, on a tablet and on a telephone: the browser
// sends its own mouse events after every tap, and none of them may take the
// focus out of what the tap has opened. Letters that go astray would be
// shortcuts.
func TestByTouchAlone(t *testing.T) {
	t.Parallel()
	for _, size := range [][2]int{{820, 1180}, {390, 844}} {
		name := fmt.Sprint("Touch", size[0])
		p, id := desk(t, name, size[0], size[1])
		place := func(x, y float64) browser.Place { return browser.Place{Page: 1, X: x, Y: y} }
		tap := func(selector string) func() error { return func() error { return p.TapOn(selector) } }
		presses := func(text string) func() error { return func() error { return p.Presses(text) } }
		settled := func() error { time.Sleep(450 * time.Millisecond); return nil } // the mouse events that follow a tap have come
		// take brings an instrument of a place to the hand.
		take := func(place, instrument string) func() error {
			return func() error {
				if err := p.TapOn(fmt.Sprintf(`[data-place=%q] .take`, place)); err != nil {
					return err
				}
				pressed := fmt.Sprintf(`document.querySelector('[data-place=%q] .take[aria-pressed=true]')`, place)
				if err := p.Until(place+" is taken", pressed); err != nil {
					return err
				}
				inHand := func() (string, error) {
					return browser.Eval[string](p, fmt.Sprintf(`return document.querySelector('[data-place=%q] .take[aria-pressed=true]')?.getAttribute("aria-label") ?? ""`, place))
				}
				if name, err := inHand(); err != nil || name == instrument {
					return err
				}
				if err := p.TapWords(".popover button", instrument); err != nil {
					return err
				}
				return p.Until(instrument+" is in the hand", pressed+fmt.Sprintf(`?.getAttribute("aria-label") === %q`, instrument))
			}
		}
		is := func(what, script string) func() error { return func() error { return p.Until(what, script) } }
		steps(t,
			func() error { return p.Resize(size[0], size[1], true) },
			func() error { return p.Go(fmt.Sprintf("/copies/%d", id)) }, p.Ready,
			// A blank, by keys of a keyboard, digits and letters that are shortcuts elsewhere.
			take("write", "Type"),
			func() error { return p.TapAt(place(240, 343)) }, settled,
			is("the blank has the focus", `document.activeElement?.classList.contains("typing")`),
			presses("4.5"),
			is("it is written", `document.querySelector(".typing")?.innerText === "4.5"`),
			// The next one, by the strip above the screen's keyboard, which leaves
			// the place in hand to be seen however little it leaves; free text beside.
			is("the strip counts", `document.querySelector(".strip span")?.innerText === "8 of 11"`),
			func() error { return p.Resize(size[0], size[1]*5/9, true) },
			tap(`.strip [aria-label="On to the next place"]`), settled,
			is("it is the next", `document.querySelector(".strip span")?.innerText === "9 of 11" && document.activeElement?.classList.contains("typing")`),
			is("it is seen", `(r => r.top > 48 && r.bottom < document.querySelector(".strip").getBoundingClientRect().top && r.left >= 0 && r.right <= innerWidth)(document.querySelector(".typing").getBoundingClientRect())`),
			presses("2 neap"),
			func() error { return p.Resize(size[0], size[1], true) }, settled,
			func() error { return p.TapAt(place(300, 745)) }, settled,
			presses("3rd hour"),
			is("all three are there", `document.querySelectorAll(".marks text, .typing").length >= 3`),
		)
		if got := strings.Join(textsOf(kept(t, p, id)), "|"); got != "4.5|2 neap|3rd hour" {
			t.Errorf("%s: written by touch: %q", name, got)
		}
		// What is written is opened again and gone on with.
		steps(t, func() error { return p.TapAt(place(215, 344)) }, settled,
			presses("2"))
		if got := strings.Join(textsOf(kept(t, p, id)), "|"); !strings.Contains(got, "4.52") {
			t.Errorf("%s: gone on with: %q", name, got)
		}
		steps(t,
			// A note: its card, its words, Keep.
			take("say", "Note"),
			func() error { return p.TapAt(place(300, 440)) }, settled,
			is("the card has the focus", `document.activeElement?.matches("[data-notes] textarea")`),
			presses("1 why"),
			is("the words are in it", `document.activeElement.value === "1 why"`),
			tap(`[data-notes] .next, [data-notes] .dark`),
			is("the note is kept", `document.querySelectorAll(".marker").length === 1 && !document.querySelector("[data-notes] .draft textarea")`),
			// Pen, highlighter, eraser.
			take("draw", "Pen"),
			func() error { return p.Slide(round(1, 120, 446, 16)...) }, is("the stroke is there", `document.querySelectorAll(".marks path").length > 0`),
			take("mark", "Highlighter"),
			func() error { return p.Slide(place(60, 157), place(160, 157), place(300, 157)) },
		)
		if got := kinds(kept(t, p, id)); got != "freetext freetext freetext note ink highlight" {
			t.Errorf("%s: %s", name, got)
		}
		steps(t, take("mend", "Eraser"), func() error { return p.Slide(place(120, 420), place(120, 446), place(120, 470)) }, is("it is gone", `document.querySelectorAll(".marks path").length === 0`))
		if got := kinds(kept(t, p, id)); got != "freetext freetext freetext note highlight" {
			t.Errorf("%s, after the eraser: %s", name, got)
		}
		// Undo, by a finger; the page does not turn into a keyboard's.
		steps(t, tap(`[data-step="undo"]`), is("it is back", `document.querySelectorAll(".marks path").length > 0`))
		if got := kinds(kept(t, p, id)); got != "freetext freetext freetext note ink highlight" {
			t.Errorf("%s, after undo: %s", name, got)
		}
		// Two fingers zoom.
		width := func() float64 {
			w, err := browser.Eval[float64](p, `await new Promise(r=>setTimeout(r,400)); return document.querySelector('.sheet').getBoundingClientRect().width`)
			if err != nil {
				t.Fatal(err)
			}
			return w
		}
		before := width()
		steps(t, func() error { return p.Pinch(float64(size[0])/2-20, float64(size[1])/2, 100, 200) })
		if after := width(); after < 1.5*before {
			t.Errorf("%s: two fingers made the page %.0f pixels wide from %.0f", name, after, before)
		}
		// Submit, with a line to the teacher.
		steps(t, tap(`[data-do="main"]`), is("the dialog is open", `document.querySelector('[data-dialog="submit"]').open`),
			tap("#line"), settled, presses("1st try"),
			is("the line is typed", `document.querySelector("#line").value === "1st try"`),
			tap(`[data-dialog="submit"] [data-yes]`),
			is("it is in", `document.querySelector('[data-dialog="receipt"]').open`),
			tap(`[data-dialog="receipt"] [value="ok"]`),
			is("it is closed", `!document.querySelector('[data-dialog="receipt"]').open`))
	}
}
