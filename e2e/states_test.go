package e2e

import (
	"strings"
	"testing"

	"readymargin/core/mark"
	"readymargin/e2e/browser"
)

// What stands on a copy is kept under a name; marks that are changed or gone
// since come back from it, one by one or together, and that can be undone.
func TestAStateIsKeptAndTakenBack(t *testing.T) {
	t.Parallel()
	p, id := desk(t, "States", 1280, 800)
	is := func(what, script string) func() error { return func() error { return p.Until(what, script) } }
	place := func(x, y float64) browser.Place { return browser.Place{Page: 1, X: x, Y: y} }
	written := func() string {
		var all []string
		for _, m := range kept(t, p, id) {
			switch b := m.Body.(type) {
			case *mark.FreeText:
				all = append(all, b.String())
			case *mark.Ink:
				all = append(all, "a line")
			}
		}
		return strings.Join(all, ", ")
	}
	steps(t,
		is("the blanks are there", `document.querySelectorAll(".hints rect").length > 8`),
		func() error { return p.Press(place(250, 345)) }, func() error { return p.Type("4.5") }, func() error { return p.Key("\u001b") },
		func() error { return fromPopover(p, "draw", "Pen") },
		func() error { return p.Drag("mouse", 0.5, place(200, 420), place(260, 440), place(320, 420)) },
		func() error { return p.Click(`[data-do="list"]`) },
		func() error { return p.Click(".states summary") },
		func() error { return p.Fill(`.states input`, "first try") },
		func() error { return p.Click(`.states form button`) },
		is("it is kept", `document.querySelector(".states .line b")?.innerText === "first try"`),
	)
	axeFinds(t, p, "what is kept")
	steps(t,
		func() error { return p.Click(`.panel [aria-label="Close"]`) },
		func() error { return fromPopover(p, "mend", "Whole marks") },
		func() error { return p.Drag("mouse", 0.5, place(258, 420), place(260, 440), place(262, 450)) },
		is("the line is gone", `!document.querySelector('section.sheet[data-page="1"] .marks path')`),
		func() error { return p.Click(`[data-place="write"] .take`) },
		func() error { return p.Press(place(250, 345)) }, func() error { return p.Type("0") }, func() error { return p.Key("\u001b") },
	)
	if got := written(); got != "4.50" {
		t.Fatalf("after changing it: %q", got)
	}
	steps(t,
		func() error { return p.Click(`[data-do="list"]`) },
		func() error { return p.Click(".states summary") }, is("it is listed", `document.querySelector(".states .line")`), func() error { return p.Click(".states .line") },
		is("what is changed is named", `[...document.querySelectorAll(".state-page .line")].map(l=>l.innerText).sort().join("; ") === "Bring back drawing; Bring back text “4.5”"`),
	)
	axeFinds(t, p, "a state that was kept")
	steps(t,
		func() error { return p.Click(`.panel .body > .button:not(.quiet)`) },
		is("all of it stands again", `document.querySelector(".panel").innerText.includes("All of this still stands") && !document.querySelector(".state-page .line")`),
	)
	if got := written(); got != "4.5, a line" && got != "a line, 4.5" {
		t.Errorf("taken back: %q", got)
	}
	steps(t, func() error { return p.Click(`.panel [aria-label="Close"]`) }, func() error { return p.Click(`[data-step="undo"]`) }, is("undone", `!document.querySelector('section.sheet[data-page="1"] .marks path')`))
	if got := written(); got != "4.50" {
		t.Errorf("undone: %q", got)
	}
}
