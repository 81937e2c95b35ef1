package e2e

import (
	"context"
	"database/sql"
	"fmt"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/input"

	"readymargin/core/flow"
	"readymargin/core/mark"
	"readymargin/demo"
	"readymargin/e2e/browser"
	"readymargin/school/takeaway"
)

// Writing lands where it is meant: a press beside a blank goes into it, a long
// answer flows from rule to rule and stands on them, what is typed is as large
// as the print beside it, and Enter goes on. The sheet has rules at 349 and,
// for one answer, at 596, 622, 648, 674 and 700 points; its print is 12 points.
func TestWritingWhereOneMeansIt(t *testing.T) {
	t.Parallel()
	p, id := desk(t, "Writing", 1366, 620)
	beside := func(x, y, px float64) func() error { // px CSS pixels above a place
		return func() error {
			at, top, err := p.At(browser.Place{Page: 1, X: x, Y: y})
			if err != nil {
				return err
			}
			for _, kind := range []input.DispatchMouseEventType{input.DispatchMouseEventTypeMousePressed, input.DispatchMouseEventTypeMouseReleased} {
				if err := p.Pointer(kind, "mouse", at, top-px, 0.5); err != nil {
					return err
				}
			}
			return nil
		}
	}
	named := func(want string) func() error {
		return func() error {
			return p.Until("the blank is "+want, fmt.Sprintf(`document.activeElement.getAttribute("aria-label")===%q`, want))
		}
	}
	write := func(text string) func() error { return func() error { return p.Type(text) } }
	long := "By the rule of twelfths three twelfths of the range come in the third hour, but only one in the first, and so the depth over the sill changes fastest in the middle of the tide."
	steps(t,
		func() error {
			return p.Until("the blanks are there", `document.querySelectorAll(".hints rect").length > 8`)
		},
		beside(250, 334, 8), named("2. The range of the tide is"), write("4.5"),
		p.Enter, named("so this is a"), write("spring"),
		func() error { return p.Press(browser.Place{Page: 1, X: 300, Y: 640}) }, // the second rule
		named("5. Explain in your own words why the depth changes fastest in the third hour."),
		write(long), p.Enter, write("Twice as fast."),
		func() error { return p.Key("\u001b") },
	)
	var flowing *mark.FreeText
	for _, m := range kept(t, p, id) {
		f := m.Body.(*mark.FreeText)
		if size := f.Lines[0].Runs[0].Size; math.Abs(size-12) > 0.05 {
			t.Errorf("%q is %v points large, the print beside it 12", f, size)
		}
		if strings.HasPrefix(f.String(), "By the") {
			flowing = f
		} else if math.Abs(f.Y-349) > 0.75 {
			t.Errorf("%q stands at %v, the rule is at 349", f, f.Y)
		}
	}
	if flowing == nil || flowing.String() != long+"\nTwice as fast." || len(flowing.Lines) < 3 {
		t.Fatalf("the long answer is %+v", flowing)
	}
	for i := range flowing.Lines {
		if rule := 596 + 26*float64(i); math.Abs(flowing.Baseline(i)-rule) > 0.75 {
			t.Errorf("line %d stands at %v, its rule is at %v", i+1, flowing.Baseline(i), rule)
		}
	}
}

// A note belongs to what it speaks about: it quotes the words, goes where its
// mark goes, lights it, and says so when it is gone; what it is and who reads
// it is said while it is written, and it can be put elsewhere with its colour.
func TestANoteBelongsToWhatItSpeaksAbout(t *testing.T) {
	t.Parallel()
	p, id := desk(t, "About", 1280, 800)
	at := func(x, y float64) browser.Place { return browser.Place{Page: 1, X: x, Y: y} }
	is := func(what, script string) func() error { return func() error { return p.Until(what, script) } }
	chosen := func(want string) func() error {
		return is("the note is "+want, fmt.Sprintf(`document.querySelector('.says [aria-checked="true"]')?.innerText === %q`, want))
	}
	note := func(n int) *mark.Note {
		t.Helper()
		var all []*mark.Note
		for _, m := range kept(t, p, id) {
			if n, ok := m.Body.(*mark.Note); ok {
				all = append(all, n)
			}
		}
		if len(all) <= n {
			t.Fatalf("%d notes are kept", len(all))
		}
		return all[n]
	}
	stands := func() float64 {
		y, err := browser.Eval[float64](p, `await new Promise(r=>setTimeout(r,150)); return document.querySelector(".marker").offsetTop`)
		if err != nil {
			t.Fatal(err)
		}
		return y
	}
	steps(t,
		func() error { return fromPopover(p, "draw", "Shapes") }, func() error { return fromPopover(p, "draw", "Box") },
		func() error { return p.Drag("mouse", 0.5, at(200, 420), at(230, 440), at(260, 460)) },
		func() error { return p.Click(`[data-place="pick"] .take`) }, func() error { return p.Press(at(200, 440)) },
		func() error { return fromPopover(p, "pick", "Note about it") },
		is("it says who reads it", `document.querySelector(".readers").innerText === "Your teacher will read it."`),
		func() error { return p.Type("This is the second mark") }, chosen("Part of my work"),
		func() error { return p.Type(", isn't it?") }, chosen("I ask"),
		func() error { return p.Click("[data-draft] .dark") },
		is("its card asks", `document.querySelector(".said-note .by")?.innerText.includes("asks")`),
	)
	if n := note(0); n.On == "" || n.From == nil || n.Says != "ask" {
		t.Errorf("kept %+v", n)
	}
	before := stands()
	steps(t,
		func() error { return p.Press(at(200, 440)) }, is("the box is in hand", `document.querySelector(".frame")`),
		func() error { return arrow(p, "ArrowDown", true) }, func() error { return arrow(p, "ArrowDown", true) },
	)
	if after := stands(); after-before < 15 {
		t.Errorf("the box went down by 20 points, its note from %v to %v pixels", before, after)
	}
	steps(t, saved(p), // which lays the markers anew
		func() error { return p.Click(".marker") },
		is("its mark is lit", `document.querySelector(".spoken-of")`),
		func() error { return p.Press(at(200, 460)) }, func() error { return arrow(p, "Delete", false) },
		is("the card says that it is gone", `document.querySelector(".said-note").innerText.includes("not there any more")`),
		// Put elsewhere, and in another colour.
		func() error {
			_, err := browser.Eval[int](p, `[...document.querySelectorAll(".said-note .button")].find(b=>b.innerText==="Move").click(); return 1`)
			return err
		},
		func() error { return p.Press(at(480, 136)) },
		is("it has moved", `document.querySelector(".marker").offsetTop < 300`),
		func() error {
			_, err := browser.Eval[int](p, `[...document.querySelectorAll(".said-note .button")].find(b=>b.innerText==="Change").click(); document.querySelector('.said-note [aria-label="green"]').click(); return 1`)
			return err
		},
		// Words that were selected are quoted.
		func() error {
			_, err := browser.Eval[int](p, `const x=document.querySelectorAll(".print text")[4], r=document.createRange(); r.selectNodeContents(x); getSelection().removeAllRanges(); getSelection().addRange(r); return 1`)
			return err
		},
		is("what can be done is at the rule", `[...document.querySelectorAll(".popover .button")].some(b=>b.innerText.trim()==="Note")`),
		func() error {
			_, err := browser.Eval[int](p, `[...document.querySelectorAll(".popover .button")].find(b=>b.innerText.trim()==="Note").click(); return 1`)
			return err
		},
		is("they are quoted", `document.querySelector("[data-draft] blockquote")?.innerText.length > 10`),
		func() error { return p.Type("Which?") }, func() error { return p.Click("[data-draft] .dark") },
	)
	if n := note(0); math.Abs(n.At[0]-480) > 2 || n.On != "" || n.Color != "#2d7a3a" {
		t.Errorf("the note that was moved and coloured: %+v", n)
	}
	if n := note(1); n.Quote == "" || n.Says != "ask" {
		t.Errorf("the note on words: %+v", n)
	}
	axeFinds(t, p, "notes with quotations")
}

// What does not fit is set smaller, then waits, and goes on on a page that is
// added to the copy: tied to its place, in the answer, in the file, on the
// teacher's screen, and gone with its last word. Nothing runs over the print.
func TestAFullPlaceGoesOnOnANewPage(t *testing.T) {
	t.Parallel()
	sc := setSceneNamed(t, "Flowing")
	p, id := tab(t, 1280, 800), sc.copies[flow.NotStarted].ID
	is := func(what, script string) func() error { return func() error { return p.Until(what, script) } }
	write := func(text string) func() error { return func() error { return p.Type(text) } }
	sentence := "By the rule of twelfths three twelfths of the range come in the third hour. "
	texts := func() map[int]*mark.FreeText {
		out := map[int]*mark.FreeText{}
		for _, m := range kept(t, p, id) {
			if f, ok := m.Body.(*mark.FreeText); ok {
				out[m.Page] = f
			}
		}
		return out
	}
	steps(t,
		func() error { return p.SignIn("flowing.student", scenePassword) }, func() error { return p.Go(fmt.Sprintf("/copies/%d", id)) }, p.Ready,
		is("the blanks are there", `document.querySelectorAll(".hints rect").length > 8`),
		func() error { return p.Press(browser.Place{Page: 1, X: 300, Y: 640}) },
		write(strings.Repeat(sentence, 8)),
		is("it is full", `document.querySelector(".full-place")`),
		write("And here it ends."),
	)
	if f := texts()[1]; f == nil || len(f.Lines) != 5 || f.Baseline(4) > 701 || f.Lines[0].Runs[0].Size > 10 {
		t.Fatalf("in the place: %+v", f)
	}
	// What waits outlives the page.
	steps(t, func() error { return p.Go(fmt.Sprintf("/copies/%d", id)) }, p.Ready,
		is("the blanks are there", `document.querySelectorAll(".hints rect").length > 8`),
		func() error { return p.Press(browser.Place{Page: 1, X: 300, Y: 640}) },
		is("it still waits", `document.querySelector(".full-place q")?.innerText.endsWith("And here it ends.")`),
		func() error { return p.Click(".full-place .next") },
		is("there is a second page", `document.querySelectorAll("section.sheet").length === 2`),
		is("it is written on there", `document.querySelector('section.sheet[data-page="2"] .typing')?.innerText.endsWith("And here it ends.")`),
		write(" Truly."), func() error { return p.Key("\u001b") },
		is("it is led to", `document.querySelector('section.sheet[data-page="1"] .leads')?.innerText === "→ page 2" && document.querySelector('section.sheet[data-page="2"] .leads:not(.paper-out)')?.innerText === "← page 1"`),
	)
	axeFinds(t, p, "a page that was added")
	all := texts()
	whole := strings.Join(strings.Fields(all[1].String()+" "+all[2].String()), " ")
	if want := strings.TrimSpace(strings.Repeat(sentence, 8)) + " And here it ends. Truly."; whole != want {
		t.Errorf("written:\n%s\nwant\n%s", whole, want)
	}
	// A page of one's own, for a question, drawn on.
	steps(t,
		func() error {
			_, err := browser.Eval[int](p, `const s=document.querySelector(".another select"); s.selectedIndex=3; [...document.querySelectorAll(".another .button")].find(b=>b.innerText.trim()==="Squared").click(); return 1`)
			return err
		},
		is("there is a third page", `document.querySelectorAll("section.sheet").length === 3`),
		func() error { return p.Click(`[data-place="draw"] .take`) },
		func() error { return stroke(p, 3, 3) },
	)
	if got := kinds(kept(t, p, id)); got != "freetext paper freetext paper ink" {
		t.Errorf("kept %s", got)
	}
	ctx, student := context.Background(), personOf(t, "flowing.student")
	file, err := home.School.Exports.TakeCopy(ctx, student, id, takeaway.Choice{})
	if err != nil {
		t.Fatal(err)
	}
	name := filepath.Join(t.TempDir(), "full.pdf")
	if err := os.WriteFile(name, bytesOf(t, file), 0o644); err != nil {
		t.Fatal(err)
	}
	second, err := exec.Command("pdftotext", "-f", "2", "-l", "2", name, "-").Output()
	if err != nil || !strings.Contains(string(second), "And here it ends. Truly.") || !strings.Contains(string(second), "5. Explain") {
		t.Errorf("the second page of the file says %q (%v)", second, err)
	}
	// Submitted, it is one answer, and the teacher has all pages.
	steps(t, func() error { return p.Click(`[data-do="main"]`) }, func() error { return p.Click(`[data-dialog="submit"] [data-yes]`) },
		is("it is in", `document.querySelector('[data-dialog="receipt"]').open`))
	db, err := sql.Open("mysql", home.DSN())
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	answers := strings.Join(table(ctx, t, db, fmt.Sprintf("SELECT normal FROM answers WHERE copy_id = %d", id)), "|")
	if !strings.Contains(answers, "by the rule of twelfths") || !strings.Contains(answers, "and here it ends. truly") || strings.Contains(answers, "|") {
		t.Errorf("the answers are %q", answers)
	}
	teacher := tab(t, 1280, 800)
	steps(t, func() error { return teacher.SignIn("flowing.teacher", scenePassword) },
		func() error {
			return teacher.Go(fmt.Sprintf("/assignments/%d/marking?copy=%d", sc.copies[flow.NotStarted].AssignmentID, id))
		}, teacher.Ready,
		func() error {
			return teacher.Until("all three pages are there", `document.querySelectorAll("section.sheet").length === 3 && document.querySelector(".leads")`)
		})
}

// A field of a form that scrolls keeps one value: it shows and prints what fits,
// and the rest goes on on a page that is added. One that does not scroll stops
// at its room and says so. Poppler finds nothing of either outside its frame.
func TestAFieldKeepsOneValue(t *testing.T) {
	t.Parallel()
	plan, err := demo.PassagePlan()
	if err != nil {
		t.Fatal(err)
	}
	login, id := copyOf(t, "fields", plan, 1)
	p := tab(t, 1280, 800)
	is := func(what, script string) func() error { return func() error { return p.Until(what, script) } }
	press := func(x, y float64) func() error {
		return func() error { return p.Press(browser.Place{Page: 1, X: x, Y: y}) }
	}
	write := func(text string) func() error { return func() error { return p.Type(text) } }
	sentence := "Steer 124 degrees to the bar buoy, then keep the white tower open of the point. "
	steps(t, func() error { return p.SignIn(login, scenePassword) }, func() error { return p.Go(fmt.Sprintf("/copies/%d", id)) }, p.Ready,
		is("the places are there", `document.querySelectorAll(".hints rect").length > 8`),
		press(240, 160), write("The very long name of a very small boat that no frame of this width can hold"),
		is("it says so", `document.querySelector(".toast")?.textContent.includes("room for no more")`), func() error { return p.Key("\u001b") },
		press(200, 560), write(strings.Repeat(sentence, 26)), is("it is full", `document.querySelector(".full-place")`),
		func() error { return p.Click(".full-place .next") }, is("it goes on", `document.querySelector('section.sheet[data-page="2"] .typing')`),
		write("And home."), func() error { return p.Key("\u001b") },
	)
	values := map[string]string{}
	for _, m := range kept(t, p, id) {
		w, ok := m.Body.(*mark.Widget)
		if !ok {
			continue
		}
		values[w.Field] = w.Values[0]
		if foot := w.Text.Bounds().Max.Y; foot > w.Rect[3]+1 {
			t.Errorf("%s: its text reaches to %v, the field to %v", w.Field, foot, w.Rect[3])
		}
	}
	if got, want := strings.Join(strings.Fields(values["way"]), " "), strings.TrimSpace(strings.Repeat(sentence, 26))+" And home."; got != want {
		t.Errorf("the long field's value has %d letters, want %d: %q", len(got), len(want), got)
	}
	if name := values["boat"]; len(name) < 10 || len(name) > 40 {
		t.Errorf("the field that does not scroll holds %q", name)
	}
	file, err := home.School.Exports.TakeCopy(context.Background(), personOf(t, login), id, takeaway.Choice{})
	if err != nil {
		t.Fatal(err)
	}
	pdf := bytesOf(t, file)
	before, after := painted(t, plan), painted(t, pdf)
	bounds := after.Bounds()
	for y := 0; y < bounds.Dy(); y++ {
		for x := 0; x < bounds.Dx(); x++ {
			if y > 146 && y < 174 && x > 176 && x < 310 || y > 518 && y < 642 && x > 72 && x < 542 {
				continue // in the fields
			}
			if r0, _, _, _ := before.At(x, y).RGBA(); r0>>8 > 200 {
				if r1, _, _, _ := after.At(x, y).RGBA(); r1>>8 < 150 {
					if y > 628 && y < 645 && x > 540 {
						continue // what leads to the page that was added
					}
					t.Fatalf("there is ink at %d, %d outside the fields", x, y)
				}
			}
		}
	}
	name := filepath.Join(t.TempDir(), "fields.pdf")
	if err := os.WriteFile(name, pdf, 0o644); err != nil {
		t.Fatal(err)
	}
	if text, err := exec.Command("pdftotext", "-f", "2", "-l", "2", name, "-").Output(); err != nil || !strings.Contains(string(text), "And home.") {
		t.Errorf("the second page says %q (%v)", text, err)
	}
}
