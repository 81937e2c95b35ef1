package e2e

import (
	"context"
	"fmt"
	"slices"
	"testing"

	"readymargin/core/blank"
	"readymargin/core/worksheet"
	"readymargin/e2e/browser"
)

// The bench takes a ruling apart and puts lines together, says what a place
// holds, and sets the letters of a young child's sheet in one press; students
// get all of it, with the instrument that fits where something is to be shaded.
func TestPlacesAreMadeWhatTheyAreMeant(t *testing.T) {
	t.Parallel()
	sc := setSceneNamed(t, "Meant")
	p := tab(t, 1366, 768)
	places := func() []worksheet.Blank {
		w, err := home.Store.Worksheet(context.Background(), sc.sheet.ID)
		if err != nil {
			t.Fatal(err)
		}
		plan, err := worksheet.Parse(w.Plan)
		if err != nil {
			t.Fatal(err)
		}
		if plan[0].Blanks == nil {
			return nil
		}
		return *plan[0].Blanks
	}
	press := func(words string) func() error {
		return func() error {
			if err := p.Until(words+" is there", fmt.Sprintf(`[...document.querySelectorAll("aside button")].some((b) => b.innerText.trim() === %q)`, words)); err != nil {
				return err
			}
			_, err := browser.Eval[int](p, fmt.Sprintf(`[...document.querySelectorAll("aside button")].find((b) => b.innerText.trim() === %q).click(); return 1`, words))
			return err
		}
	}
	pick := func(kind string) func() error {
		return func() error {
			_, err := browser.Eval[int](p, fmt.Sprintf(`[...document.querySelectorAll(".blank-list button")].find((b) => b.innerText.includes(%q)).click(); return 1`, kind))
			return err
		}
	}
	choose := func(field, value string) func() error {
		return func() error {
			_, err := browser.Eval[int](p, fmt.Sprintf(`const s = document.querySelector(%q); s.value = %q; s.dispatchEvent(new Event("change", { bubbles: true })); return 1`, field, value))
			return err
		}
	}
	saved := func() error {
		return p.Until("it is kept", `document.querySelector("[data-saved]").dataset.state === "saved"`)
	}
	kinds := func() (lines, rulings int) {
		for _, b := range places() {
			switch {
			case b.Kind == blank.Line && b.Rect[1] > 560:
				lines++
			case b.Kind == blank.Lines:
				rulings++
			}
		}
		return lines, rulings
	}
	steps(t,
		func() error { return p.SignIn("meant.teacher", scenePassword) },
		func() error { return p.Go(fmt.Sprintf("/worksheets/%d", sc.sheet.ID)) },
		func() error { return p.Click(`[data-place="blanks"] .take`) },
		func() error {
			return p.Until("the blanks are listed", `document.querySelectorAll(".blank-list button").length > 8`)
		},
		pick("Several lines"), press("Each line an answer"), saved)
	if lines, rulings := kinds(); lines != 5 || rulings != 0 {
		t.Fatalf("taken apart: %d lines and %d rulings", lines, rulings)
	}
	steps(t, press("One answer with the next line"), press("One answer with the next line"), saved)
	if lines, rulings := kinds(); lines != 2 || rulings != 1 {
		t.Errorf("put together: %d lines and %d rulings", lines, rulings)
	}
	steps(t, press("24"), saved)
	if all := places(); slices.ContainsFunc(all, func(b worksheet.Blank) bool { return b.Kind != blank.Tick && b.Kind != blank.Choice && b.Size != 24 }) {
		t.Errorf("letters of 24 points: %+v", all)
	}
	steps(t, press("As printed"), pick("Cell of a table"), choose("#blank-holds", "date"), saved)
	if all := places(); !slices.ContainsFunc(all, func(b worksheet.Blank) bool { return b.Holds == blank.Date }) || slices.ContainsFunc(all, func(b worksheet.Blank) bool { return b.Size == 24 }) {
		t.Errorf("as printed, with a date: %+v", all)
	}
	steps(t, pick("Cell of a table"), choose("#blank-kind", "shade"), saved)
	i := slices.IndexFunc(places(), func(b worksheet.Blank) bool { return b.Kind == blank.Shade })
	if i < 0 {
		t.Fatalf("nothing is to be shaded: %+v", places())
	}
	r := places()[i].Rect.Rect().Center()
	steps(t,
		func() error { return p.Go(fmt.Sprintf("/worksheets/%d/try", sc.sheet.ID)) }, p.Ready,
		func() error {
			return p.Until("the places are there", `document.querySelectorAll(".hints rect").length > 8`)
		},
		func() error { return p.Press(browser.Place{Page: 1, X: r.X, Y: r.Y}) },
		func() error {
			return p.Until("the pen is offered", `[...document.querySelectorAll(".fits button")].map((b) => b.innerText).join("; ") === "Shade with the pen; Write here; Neither"`)
		},
		func() error { return p.Click(".fits button") },
		func() error {
			return p.Until("the pen is in hand", `document.querySelector("[data-desk]").dataset.hand === "pen"`)
		},
	)
}

// On a telephone what has no room in the head is behind one button.
func TestTheViewOnATelephone(t *testing.T) {
	t.Parallel()
	p, _ := desk(t, "View", 390, 844)
	zoom := func() float64 {
		v, err := browser.Eval[float64](p, `return document.querySelector("section.sheet").getBoundingClientRect().width`)
		if err != nil {
			t.Fatal(err)
		}
		return v
	}
	choose := func(words string) {
		steps(t,
			func() error { return p.Click(`[data-do="view"]`) },
			func() error {
				_, err := browser.Eval[int](p, fmt.Sprintf(`await new Promise((ok) => setTimeout(ok, 100)); [...document.querySelectorAll(".popover button")].find((b) => b.innerText.trim() === %q).click(); await new Promise((ok) => setTimeout(ok, 400)); return 1`, words))
				return err
			})
	}
	before := zoom()
	choose("Larger")
	if larger := zoom(); larger <= before {
		t.Errorf("larger: %v, was %v", larger, before)
	}
	choose("Whole page")
	if seen, err := browser.Eval[bool](p, `const r = document.querySelector("section.sheet").getBoundingClientRect(); return r.height <= innerHeight && r.width <= innerWidth`); err != nil || !seen {
		t.Errorf("the whole page is not seen: %v", err)
	}
	choose("Everything on this copy")
	steps(t, func() error {
		return p.Until("the list is open", `!document.querySelector(".panel").hidden`)
	})
}
