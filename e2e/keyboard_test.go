package e2e

import (
	"fmt"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"readymargin/core/flow"
	"readymargin/core/mark"
	"readymargin/demo"
	"readymargin/e2e/browser"
)

// A whole worksheet is done by keyboard alone, from signing in to the receipt:
// every field filled, words highlighted, a line drawn, rubbed out and undone, a
// note left, and the copy submitted. No script and no pointer does any of it.
func TestAWorksheetByKeyboardAlone(t *testing.T) {
	t.Parallel()
	file, err := demo.PassagePlan()
	if err != nil {
		t.Fatal(err)
	}
	login, id := copyOf(t, "keyboard", file, 1)
	p := tab(t, 1280, 800)
	key := func(keys ...string) func() error {
		return func() error {
			for _, k := range keys {
				if err := p.Key(k); err != nil {
					return err
				}
			}
			return nil
		}
	}
	times := func(n int, k string) func() error {
		return func() error {
			for range n {
				if err := p.Key(k); err != nil {
					return err
				}
			}
			return nil
		}
	}
	chord := func(k string, mods ...chromedp.KeyOption) func() error {
		return func() error { return chromedp.Do(p.Ctx, chromedp.KeyEvent(k, mods...)) }
	}
	focused := func(what, script string) func() error {
		return func() error { return p.Until("the focus is on "+what, script) }
	}
	// tabTo presses Tab until something has the focus.
	tabTo := func(what, script string) func() error {
		return func() error {
			for range 60 {
				if on, err := browser.Eval[bool](p, "return !!("+script+")"); err != nil || on {
					return err
				}
				if err := p.Key(kb.Tab); err != nil {
					return err
				}
			}
			return fmt.Errorf("Tab does not lead to %s", what)
		}
	}
	onDesk := `document.activeElement===document.querySelector("[data-desk]")`
	steps(t,
		func() error { return p.Go("/sign-in") },
		tabTo("the sign-in name", `document.activeElement.id==="login"`), func() error { return p.Type(login) }, key(kb.Tab), func() error { return p.Type(scenePassword) }, key(kb.Enter),
		func() error { return p.Until("the start page", `document.querySelector("form[action='/sign-out']")`) },
		func() error { return p.Go(fmt.Sprintf("/copies/%d", id)) }, p.Ready,
		func() error {
			return p.Until("the places are there", `document.querySelectorAll(".hints rect").length > 8`)
		},
		// The fields, in their order.
		tabTo("the page", onDesk), key(kb.Tab),
		focused("the name, which is a line beside the form", `document.activeElement.getAttribute("aria-label")==="Name"`), key(kb.Tab),
		focused("the boat", `document.activeElement.getAttribute("aria-label")==="Name of the boat"`), func() error { return p.Type("Kittiwake") }, key(kb.Tab),
		func() error { return p.Type("MQVR5") }, key(kb.Tab),
		focused("the flood", `document.activeElement.getAttribute("aria-label")==="on the flood"`), key(kb.Tab), focused("the ebb", `document.activeElement.getAttribute("aria-label")==="on the ebb"`), key(" "), key(kb.Tab),
		focused("the port", `document.activeElement.nodeName==="SELECT"`), key("C"), key(kb.Tab),
		focused("lifejackets", `document.activeElement.getAttribute("aria-label")==="lifejackets"`), key(" ", kb.Tab, kb.Tab, kb.Tab, kb.Tab),
		focused("the sea marks", `document.activeElement.closest(".choices")`), key(" ", kb.Tab, kb.Tab, " ", kb.Tab, kb.Tab),
		focused("the way", `document.activeElement.getAttribute("aria-label")==="The way to the safe water mark"`), func() error { return p.Type("Steer 124° to the bar buoy.") }, key(kb.Escape),
		// Words, by the cross: from the middle of the page up to the second question.
		key("3"), tabTo("the page", onDesk), key(kb.Enter), times(13, kb.ArrowUp), times(20, kb.ArrowLeft),
		func() error {
			return p.Until("the cross is there", `document.querySelector(".over .pointing")`)
		},
		// to the words of question 3, wherever the cross began
		func() error {
			for range 60 {
				y, err := browser.Eval[float64](p, `return +document.querySelector(".over .pointing").getAttribute("transform").match(/ ([\d.]+)\)/)[1]`)
				if err != nil || (y > 252 && y < 262) {
					return err
				}
				k, mods := kb.ArrowUp, []chromedp.KeyOption{}
				if y < 252 {
					k = kb.ArrowDown
				}
				if y > 244 && y < 270 {
					mods = append(mods, chromedp.KeyModifiers(8))
				}
				if err := chord(k, mods...)(); err != nil {
					return err
				}
			}
			return fmt.Errorf("the cross does not come to the words")
		},
		key(kb.Enter), times(12, kb.ArrowRight), key(kb.Enter, kb.Escape),
		// A line, a piece of it rubbed out, and that undone.
		key("4"), key(kb.Enter), times(15, kb.ArrowDown), times(15, kb.ArrowDown), key(kb.Enter), times(12, kb.ArrowRight), times(2, kb.ArrowDown), key(kb.Enter, kb.Escape),
		key("6"), key(kb.Enter), times(30, kb.ArrowDown), times(6, kb.ArrowRight), key(kb.Enter), key(kb.ArrowDown, kb.ArrowUp), times(2, kb.ArrowDown), key(kb.Enter, kb.Escape),
		chord("z", chromedp.KeyModifiers(2)),
		key("5"), key(kb.Enter), times(20, kb.ArrowDown), key(kb.Enter), func() error { return p.Type("Is this right?") }, chord(kb.Enter, chromedp.KeyModifiers(2)),
		func() error {
			return p.Until("the note stands in the margin", `document.querySelector("[data-note] p")?.textContent === "Is this right?"`)
		},
	)
	var values []string
	have := map[string]int{}
	for _, m := range kept(t, p, id) {
		have[m.Body.Kind()]++
		if w, ok := m.Body.(*mark.Widget); ok {
			values = append(values, w.Field+"="+strings.Join(w.Values, "+"))
		}
	}
	for _, want := range []string{"boat=Kittiwake", "call sign=MQVR5", "tide=ebb", "port=Carrick", "lifejackets=Yes", "marks=the white tower+the bar buoy", "way=Steer 124° to the bar buoy."} {
		if !strings.Contains(strings.Join(values, "\n"), want) {
			t.Errorf("%s is not filled in: %q", want, values)
		}
	}
	if have["highlight"] != 1 || have["ink"] != 1 || have["note"] != 1 {
		t.Errorf("made by keyboard: %v, want a highlight, a line and a note", have)
	}
	steps(t,
		tabTo("Submit", `document.activeElement===document.querySelector('[data-do="main"]')`), key(kb.Enter),
		tabTo("Submit in the dialog", `document.activeElement===document.querySelector('[data-dialog="submit"] [data-yes]')`), key(kb.Enter),
		func() error {
			return p.Until("the receipt is there", `document.querySelector('[data-dialog="receipt"]').open`)
		},
		key(kb.Enter),
		func() error {
			return p.Until("it is submitted", fmt.Sprintf(`document.querySelector("[data-top]")?.innerText.includes("Submitted") && %q`, flow.Submitted))
		},
	)
}
