package e2e

import (
	"context"
	"fmt"
	"strings"
	"testing"
	"time"

	"readymargin/core/flow"
	"readymargin/core/mark"
	"readymargin/core/submission"
	"readymargin/e2e/browser"
)

// A newcomer does things for the first time, and every press is counted. What
// is pressed has to be in the window, to which a page is scrolled, and under
// nothing else at that moment.
type newcomer struct {
	*browser.Tab
	finger  bool
	presses int
}

// on presses what a selector finds, or the one of several that says so.
func (n *newcomer) on(selector, words string) func() error {
	return func() error {
		at := fmt.Sprintf(`[...document.querySelectorAll(%q)].find(e => e.offsetParent && (!%q || (e.innerText.trim() || e.getAttribute("aria-label")) === %q || e.getAttribute("aria-label") === %q))`, selector, words, words, words)
		if err := n.Until(strings.TrimSpace(words+" "+selector)+" is in view and free", fmt.Sprintf(`(e => { if (!e) return false; if (document.documentElement.scrollHeight > innerHeight) e.scrollIntoView({block: "center"}); const r = e.getBoundingClientRect(), x = r.left + r.width/2, y = r.top + r.height/2;
			return x > 0 && y > 0 && x < innerWidth && y < innerHeight && e.contains(document.elementFromPoint(x, y)) })(%s)`, at)); err != nil {
			return err
		}
		place, err := browser.Eval[[2]float64](n.Tab, fmt.Sprintf(`const r = (%s).getBoundingClientRect(); return [r.left + r.width/2, r.top + r.height/2]`, at))
		if err != nil {
			return err
		}
		return n.press(place[0], place[1])
	}
}

// at presses a place of the sheet.
func (n *newcomer) at(x, y float64) func() error {
	return func() error {
		px, py, err := n.At(browser.Place{Page: 1, X: x, Y: y})
		if err != nil {
			return err
		}
		return n.press(px, py)
	}
}

func (n *newcomer) press(x, y float64) error {
	n.presses++
	if n.finger {
		defer time.Sleep(380 * time.Millisecond) // the mouse events that follow a tap have come
		return n.Tap(x, y)
	}
	return n.Mouse(x, y)
}

// draws goes over the sheet, which counts as one press.
func (n *newcomer) draws(through ...browser.Place) func() error {
	return func() error {
		n.presses++
		if n.finger {
			return n.Slide(through...)
		}
		return n.Drag("mouse", 0.5, through...)
	}
}

// stray names what has a role, is seen, and lies outside the window without
// anything that scrolls it in.
const stray = `const out=[]; for (const e of document.querySelectorAll("button, a, input, select, textarea, [role]")) {
	if (!e.getClientRects().length || e.closest(".sr-only, .sheet, [aria-hidden=true], [data-pagenav], .screen:not(.in-words) > .inwords") || getComputedStyle(e).visibility === "hidden" || e.classList.contains("sr-only")) continue;
	const r = e.getBoundingClientRect(); let inside = r.left >= -1 && r.right <= innerWidth + 1 && (document.documentElement.scrollHeight > innerHeight || r.top >= -1 && r.bottom <= innerHeight + 1);
	for (let p = e.parentElement; !inside && p; p = p.parentElement) { const o = getComputedStyle(p); if (/auto|scroll/.test(o.overflowY + o.overflowX) && p !== document.body && (p.getBoundingClientRect().top < innerHeight || document.documentElement.scrollHeight > innerHeight)) inside = true; if (getComputedStyle(p).transform !== "none" && p.matches(".margin")) inside = true; }
	if (!inside) out.push((e.getAttribute("aria-label") || e.innerText || e.outerHTML).slice(0, 50)); } return out`

// A newcomer fills ten places, writes a long answer on five rules, circles a
// picture, puts a stamp, leaves a voice note, deletes a thing, submits, and
// reads what comes back: by touch on a tablet and a telephone, by mouse on a
// small laptop. No way takes more presses than docs/contributing.md lists.
func TestANewcomerFindsTheWay(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	long := strings.Repeat("Three twelfths of the range come in the third hour. ", 6)
	for _, size := range []struct {
		wide, high int
		finger     bool
	}{{820, 1180, true}, {390, 844, true}, {1366, 620, false}} {
		name := fmt.Sprint("Newcomer", size.wide)
		sc := setSceneNamed(t, name)
		id := sc.copies[flow.NotStarted].ID
		n := &newcomer{Tab: tab(t, size.wide, size.high), finger: size.finger}
		is := func(what, script string) func() error { return func() error { return n.Until(what, script) } }
		write := func(text string) func() error { return func() error { return n.Type(text) } }
		on := n.on
		onward := func() error { return n.Enter() } // the key of the keyboard that goes on
		var ten []func() error
		ten = append(ten, n.at(450, 70))
		for i := range 9 {
			ten = append(ten, is(fmt.Sprintf("place %d is open", i+1), `document.activeElement.classList.contains("typing") || document.activeElement.classList.contains("ProseMirror")`), write(fmt.Sprint(i)), onward)
		}
		ten = append(ten, write("9"))
		most := map[string]int{"fill ten places": 1, "write on five rules": 1, "circle a picture": 2, "put a stamp": 3, "leave a voice note": 5, "delete a thing": 2, "submit": 3, "read feedback": 3}
		steps(t, func() error { return n.SignIn(strings.ToLower(name)+".student", scenePassword) },
			func() error { return n.Resize(size.wide, size.high, size.finger) },
			func() error { return n.Go(fmt.Sprintf("/copies/%d", id)) }, n.Ready,
			is("the places are there", `document.querySelectorAll(".hints rect").length > 8`))
		do := func(what string, all ...func() error) {
			t.Helper()
			before := n.presses
			for i, f := range all {
				if err := f(); err != nil {
					t.Fatalf("%d: %s, step %d: %v", size.wide, what, i+1, err)
				}
				if out, err := browser.Eval[[]string](n.Tab, stray); err != nil || len(out) > 0 {
					t.Errorf("%d: %s, step %d: outside the window: %q (%v)", size.wide, what, i+1, out, err)
				}
			}
			if took := n.presses - before; took > most[what] {
				t.Errorf("%d: to %s took %d presses, at most %d", size.wide, what, took, most[what])
			}
			t.Logf("%d: to %s took %d presses", size.wide, what, n.presses-before)
		}
		do("fill ten places", ten...)
		do("write on five rules", n.at(300, 640), write(long))
		do("circle a picture", on(`[data-place="draw"] .take`, ""), n.draws(round(1, 110, 446, 26)...), is("it is drawn", `document.querySelector(".marks path")`))
		do("put a stamp", on(`[data-place="draw"] .take`, ""), on(".popover button", "Stamp"), n.at(480, 510), is("it is there", `document.querySelectorAll(".marks path").length > 1`))
		do("leave a voice note", on(`[data-place="say"] .take`, ""), on(".popover button", "Voice note"), n.at(300, 520), on(`[data-draft] [aria-label="Record"]`, ""),
			is("it records", `document.querySelector(".clip.live time")?.textContent >= "0:01"`), on("[data-draft] .dark", ""),
			is("it is kept", `document.querySelector("[data-note] .clip")`))
		do("delete a thing", on(`[data-place="mend"] .take`, ""), n.at(480, 510))
		want := 13 // ten places, the long answer, the circle, the voice note
		if got := kept(t, n.Tab, id); len(got) != want {
			t.Errorf("%d: %d marks are kept (%s), want %d", size.wide, len(got), kinds(got), want)
		}
		do("submit", on(`[data-do="main"]`, ""), on(`[data-dialog="submit"] [data-yes]`, ""), is("it is in", `document.querySelector('[data-dialog="receipt"]').open`), on(`[data-dialog="receipt"] button`, "Good"))

		teacher := personOf(t, name+".teacher")
		m := mark.Mark{ID: "note-feedback", Page: 1, Body: &mark.Note{At: [2]float64{470, 340}, Text: "Well found."}}
		if _, err := home.School.Saving.Save(ctx, teacher, id, submission.Feedback(1), []submission.Op{{ID: "op-note-feedback", On: m.ID, Mark: &m}}); err != nil {
			t.Fatal(err)
		}
		if err := home.School.Marking.Return(ctx, teacher, id, 1); err != nil {
			t.Fatal(err)
		}
		time.Sleep(2500 * time.Millisecond) // the news of it loads the page anew
		steps(t, n.Ready, is("nothing waits to be sent", `document.querySelector("[data-saved]").dataset.state === "saved"`))
		do("read feedback", on(".head .leave", ""), on(fmt.Sprintf(`a[href="/assignments/%d"]`, sc.copies[flow.NotStarted].AssignmentID), ""), n.Ready, is("its point stands beside the words", `document.querySelector(".marker.teacher") && document.querySelector(".print text")`),
			func() error { time.Sleep(300 * time.Millisecond); return nil }, on(".marker.teacher", ""),
			is("it is read", `[...document.querySelectorAll(".said-note p")].some(p => { const r = p.getBoundingClientRect(); return p.textContent === "Well found." && r.top > 0 && r.bottom < innerHeight && r.left >= 0 && r.right <= innerWidth })`))
	}
}
