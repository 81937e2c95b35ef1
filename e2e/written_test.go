package e2e

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"readymargin/core/access"
	"readymargin/core/flow"
	"readymargin/core/mark"
	"readymargin/core/submission"
	"readymargin/core/worksheet"
	"readymargin/demo"
	"readymargin/e2e/browser"
	"readymargin/school"
	"readymargin/school/screen"
	"readymargin/school/takeaway"
)

// A teacher writes and draws on the sheet itself: copies that are begun have it too,
// nobody who has one changes it, an attempt keeps what stood there when it was
// submitted, and it is printed in the file.
func TestTheTeacherWritesOnTheSheetItself(t *testing.T) {
	t.Parallel()
	sc := setSceneNamed(t, "Sheetwise")
	ctx, s := context.Background(), home.School
	teacher, student := personOf(t, "sheetwise.teacher"), personOf(t, "sheetwise.student")
	p := tab(t, 1280, 800)
	saved := func() error {
		return p.Until("it is saved", `document.querySelector("[data-saved]").dataset.state==="saved"&&document.querySelector("[data-saved-words]").innerText==="Saved"`)
	}
	steps(t, func() error { return p.SignIn("sheetwise.teacher", scenePassword) }, func() error { return p.Go(fmt.Sprintf("/worksheets/%d", sc.sheet.ID)) },
		func() error { return p.Click(`a[href$="/write"]`) }, p.Ready,
		func() error { return p.Click(`[data-place="write"] .take`) }, func() error { return p.Press(browser.Place{Page: 1, X: 320, Y: 500}) },
		func() error { return p.Type("As in the lesson") }, func() error { return p.Key("\x1b") }, saved,
		func() error { return p.Click(`[data-place="draw"] .take`) }, func() error { return p.Drag("mouse", 0.5, round(1, 110, 446, 32)...) }, saved,
		func() error { return p.Go(fmt.Sprintf("/worksheets/%d/write", sc.sheet.ID)) }, p.Ready,
		func() error {
			return p.Until("it is there again", `document.querySelectorAll(".marks [data-layer=sheet]").length===2`)
		},
		func() error { return p.Go(fmt.Sprintf("/worksheets/%d", sc.sheet.ID)) }, p.Ready, func() error { return p.Click(`[data-place="directions"] .take`) },
		func() error {
			return p.Until("the bench shows it", `document.querySelector(".leaf-over")?.textContent.includes("As in the lesson")`)
		})
	written := func(state flow.State) (out []mark.Mark) {
		v, err := s.Screens.Open(ctx, student, sc.copies[state].ID)
		if err != nil {
			t.Fatal(err)
		}
		for _, m := range v.Marks {
			if m.Layer == submission.Sheet {
				out = append(out, m.Mark)
			}
		}
		return out
	}
	for state, want := range map[flow.State]int{flow.NotStarted: 2, flow.InProgress: 2, flow.Reworking: 2, flow.Submitted: 0, flow.Returned: 0} {
		if got := written(state); len(got) != want {
			t.Errorf("a copy %s has %d of it, want %d", state, len(got), want)
		}
	}
	m := written(flow.InProgress)[0]
	if _, err := s.Saving.Save(ctx, student, sc.copies[flow.InProgress].ID, submission.Sheet, []submission.Op{{ID: "op-on-the-sheet", On: m.ID, Mark: &m}}); !errors.Is(err, access.ErrDenied) {
		t.Errorf("a student writes on the sheet: %v", err)
	}
	if _, err := s.Submitting.Submit(ctx, student, sc.copies[flow.InProgress].ID, "", 1); err != nil {
		t.Fatal(err)
	}
	w, err := s.Shelf.Prepare(ctx, teacher, sc.sheet.ID)
	if err != nil {
		t.Fatal(err)
	}
	// Two who write at once are told, and what cannot be is refused whole.
	version, err := s.Shelf.Write(ctx, teacher, sc.sheet.ID, w.Worksheet.Version, []mark.Mark{m})
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.Shelf.Write(ctx, teacher, sc.sheet.ID, w.Worksheet.Version, nil); !errors.Is(err, school.ErrStale) {
		t.Errorf("written on an earlier one: %v", err)
	}
	reply := mark.Mark{ID: "reply-on-sheet", Page: 1, Body: &mark.Reply{To: "note-access", Text: "x"}}
	far := m
	far.Page = 9
	for name, all := range map[string][]mark.Mark{"an answer": {reply}, "beyond the last page": {far}, "a picture that is not there": {{ID: "picture-nowhere", Page: 1, Body: &mark.Picture{Hash: strings.Repeat("a", 64), Name: "x", Rect: [4]float64{0, 0, 9, 9}}}}} {
		if _, err := s.Shelf.Write(ctx, teacher, sc.sheet.ID, version, all); err == nil {
			t.Errorf("%s is taken", name)
		}
	}
	if v, err := s.Screens.OpenToMark(ctx, teacher, sc.copies[flow.InProgress].ID, 1); err != nil || countLayer(v.Marks, submission.Sheet) != 2 {
		t.Errorf("the attempt does not have what stood there when it was submitted (%v)", err)
	}
	file, err := s.Exports.TakeCopy(ctx, student, sc.copies[flow.InProgress].ID, takeaway.Choice{Attempt: 1})
	if err != nil {
		t.Fatal(err)
	}
	if text := textIn(t, bytesOf(t, file)); !strings.Contains(text, "As in the lesson") {
		t.Error("poppler does not read it in the file")
	}
}

// On the bench: several pages at once, one point each and down the column, what is no
// number said in words, a meaning of the colour key that has a name before it is one.
func TestQuickHandsOnTheBench(t *testing.T) {
	t.Parallel()
	setSceneNamed(t, "Quick")
	ctx, s := context.Background(), home.School
	teacher := personOf(t, "quick.teacher")
	p := tab(t, 1280, 800)
	steps(t, func() error { return p.SignIn("quick.teacher", scenePassword) }, func() error { return p.Go("/worksheets") },
		func() error {
			return p.Choose("#file", file(t, "one.pdf", demo.TideHeightsWithAnswers), file(t, "two.pdf", demo.PassagePlan))
		},
		oneWorksheet(p),
		func() error { return p.Until("the bench", `/^\/worksheets\/\d+$/.test(location.pathname)`) }, p.Ready,
		func() error { return p.Click(`[data-heading]`) })
	id, err := browser.Eval[uint64](p, `return +location.pathname.split("/")[2]`)
	if err != nil {
		t.Fatal(err)
	}
	now := func() (w school.Worksheet, plan worksheet.Plan, kit worksheet.Kit) {
		b, err := s.Shelf.Prepare(ctx, teacher, id)
		if err != nil {
			t.Fatal(err)
		}
		return b.Worksheet, b.Plan, b.Kit
	}
	kept := func() error {
		return p.Until("it is kept", `document.querySelector("[data-saved]").dataset.state==="saved"`)
	}
	several := func(which, button string) []func() error {
		return []func() error{
			func() error { return p.Fill("#several", which) },
			func() error {
				_, err := browser.Eval[int](p, fmt.Sprintf(`[...document.querySelectorAll(".several button")].find(b=>b.innerText.trim()===%q).click(); return 1`, button))
				return err
			},
		}
	}
	steps(t, func() error {
		_, err := browser.Eval[int](p, `document.querySelector(".several").open=true; return 1`)
		return err
	})
	steps(t, several("2-99", "Keep only these")...)
	steps(t, func() error {
		return p.Until("it says which there are", `document.querySelector(".several .wrong").innerText.includes("Nothing was changed")`)
	})
	steps(t, several("1, 3", "Keep only these")...)
	steps(t, kept)
	steps(t, several("3", "Turn them right")...)
	steps(t, func() error {
		return p.Until("the head is kept", `document.querySelector("[data-title]").value==="Tide heights 3"`)
	}, kept)
	w, plan, _ := now()
	var uses []string
	for _, l := range plan {
		uses = append(uses, fmt.Sprint(l.Use, " ", l.Turn))
	}
	if got := strings.Join(uses, ", "); got != "sheet 0, dropped 0, sheet 90, dropped 0" || w.Title != "Tide heights 3" {
		t.Errorf("of %q there are %s", w.Title, got)
	}
	steps(t, func() error { return p.Click(`[data-place="points"] .take`) }, func() error { return p.Until("the questions", `document.querySelectorAll(".ask-list > li").length>2`) },
		func() error {
			_, err := browser.Eval[int](p, `[...document.querySelectorAll("button")].find(b=>b.innerText.trim()==="1 each").click(); return 1`)
			return err
		},
		func() error {
			return p.Until("each has one", `[...document.querySelectorAll(".ask-list > li > input")].every(i=>i.value==="1")`)
		},
		func() error {
			_, err := browser.Eval[int](p, `const i=document.querySelector(".ask-list > li > input"); i.focus(); i.select(); return 1`)
			return err
		},
		func() error { return p.Type("two") }, func() error {
			return p.Until("it says what is wrong", `/“two?” is no number of points/.test(document.body.innerText)`)
		},
		func() error {
			_, err := browser.Eval[int](p, `document.activeElement.select(); return 1`)
			return err
		},
		func() error { return p.Type("2.5") }, p.Enter, func() error { return p.Type("3") }, kept)
	if _, plan, _ := now(); plan.Points().String() != fmt.Sprint(2.5+3+float64(questionsOf(plan)-2)) {
		t.Errorf("the questions give %s points", plan.Points())
	}
	steps(t, func() error { return p.Click(`[data-place="key"] .take`) },
		func() error {
			_, err := browser.Eval[int](p, `[...document.querySelectorAll("button")].find(b=>b.innerText.trim()==="Add a meaning").click(); return 1`)
			return err
		},
		func() error { return p.Until("an empty field", `document.activeElement.id==="meaning-new"`) })
	if _, _, kit := now(); len(kit.Key) != 0 {
		t.Errorf("without a name there is %+v", kit.Key)
	}
	steps(t, func() error { return p.Type("danger") }, p.Enter, func() error { return p.Until("it is there", `document.querySelector("#meaning-0")?.value==="danger"`) }, kept)
	if _, _, kit := now(); len(kit.Key) != 1 || kit.Key[0].Name != "danger" || kit.Key[0].Sign != "D" {
		t.Errorf("the key is %+v", kit.Key)
	}
}

// countLayer counts the marks of a layer.
func countLayer(all []screen.Mark, layer submission.Layer) (n int) {
	for _, m := range all {
		if m.Layer == layer {
			n++
		}
	}
	return n
}

// oneWorksheet says that several files are one worksheet.
func oneWorksheet(p *browser.Tab) func() error {
	return func() error {
		if err := p.Until("it asks what they are", `document.body.innerText.includes("worksheets, or one?")`); err != nil {
			return err
		}
		_, err := browser.Eval[int](p, `[...document.querySelectorAll("[x-show=asking] button")].find(b=>b.innerText.includes("One worksheet")).click(); return 1`)
		return err
	}
}

func questionsOf(p worksheet.Plan) (n int) {
	for _, l := range p.Of(worksheet.Sheet) {
		if l.Questions != nil {
			n += len(*l.Questions)
		}
	}
	return n
}

// Instructions are written with the looks that they have; what is kept is the
// CommonMark that it was, and what had been kept comes back as it was.
func TestInstructionsNeedNoSigns(t *testing.T) {
	t.Parallel()
	sc := setSceneNamed(t, "Prose")
	p := tab(t, 1280, 800)
	press := func(name string) func() error {
		return func() error { return p.Click(fmt.Sprintf(`.prose-tools [aria-label=%q]`, name)) }
	}
	steps(t, func() error { return p.SignIn("prose.teacher", scenePassword) }, func() error { return p.Go(fmt.Sprintf("/worksheets/%d/assign", sc.sheet.ID)) },
		func() error { return p.Until("the editor", `document.querySelector(".prose")`) },
		func() error {
			_, err := browser.Eval[int](p, `document.querySelector(".prose").focus(); return 1`)
			return err
		},
		func() error { return p.Type("Use *your* <b> &amp; ") }, press("Bold"), func() error { return p.Type("ruler") }, press("Bold"), func() error { return p.Type(".") }, p.Enter,
		press("List"), func() error { return p.Type("first this") }, p.Enter, press("Slanted"), func() error { return p.Type("then that") })
	got, err := browser.Eval[string](p, `return document.querySelector("#instructions").value`)
	if want := "Use \\*your\\* \\<b> \\&amp; **ruler**.\n\n* first this\n* *then that*"; err != nil || got != want {
		t.Errorf("kept is %q, want %q (%v)", got, want, err)
	}
	// What was kept before is shown, and stays when it is not touched.
	for _, text := range []string{"Plain words", "**One** and *two*\nthree", "1. a\n2. b\n\nand [more](https://example.org/a_b)", "a < b & \"c\"", "# no heading, `no code`"} {
		shown, err := browser.Eval[[]string](p, fmt.Sprintf(`const f=document.querySelector("#instructions"), b=document.querySelector(".prose"); f.value=%q; f.dispatchEvent(new Event("refilled")); return [f.value, b.innerText.replace(/\s+/g," ").trim(), String(b.querySelectorAll("strong,em,li,a").length)]`, text))
		if err != nil || shown[0] != text || strings.ContainsAny(shown[1], "*[") {
			t.Errorf("%q is shown as %q (%v)", text, shown, err)
		}
	}
	axeFinds(t, p, "writing instructions")
}

// Notes, answers and directions are written in the same way. Words without a form stay
// words, whatever signs are in them; what has one is shown and printed with it.
func TestNotesHaveAForm(t *testing.T) {
	t.Parallel()
	p, id := desk(t, "Formed", 1280, 800)
	is := func(what, script string) func() error { return func() error { return p.Until(what, script) } }
	press := func(selector string) func() error { return func() error { return p.Click(selector) } }
	tool := func(name string) func() error { return press(fmt.Sprintf(`.prose-tools [aria-label=%q]`, name)) }
	typed := func(words string) func() error { return func() error { return p.Type(words) } }
	begun := func(y float64) []func() error {
		return []func() error{press(`.place [aria-label="Note"]`), func() error { return p.Press(browser.Place{Page: 1, X: 300, Y: y}) },
			is("the card takes the keys", `document.activeElement?.matches("[data-draft] textarea")`),
			press("[data-draft] .formal"), is("the editor does", `document.activeElement?.matches("[data-draft] .prose")`)}
	}
	notes := func() (out []mark.Note) {
		for _, m := range kept(t, p, id) {
			if n, ok := m.Body.(*mark.Note); ok {
				out = append(out, *n)
			}
		}
		return out
	}
	steps(t, begun(460)...)
	steps(t, typed("2 * 3 * 4 = "), tool("Bold"), typed("24"), tool("Bold"), p.Enter, tool("List"), typed("one"), p.Enter, tool("Slanted"), typed("two"))
	axeFinds(t, p, "writing a note with a form")
	// It is there again after leaving in its middle.
	steps(t, func() error { time.Sleep(350 * time.Millisecond); return nil }, func() error { return p.Go(fmt.Sprintf("/copies/%d", id)) }, p.Ready,
		is("it is there again with its form", `document.querySelector("[data-draft] .prose strong")?.textContent === "24" && document.querySelectorAll("[data-draft] .prose li").length === 2`),
		press("[data-draft] .prose"), func() error { return p.Click("[data-draft] .dark") },
		is("it is shown so", `document.querySelector("[data-note] .formed strong")?.textContent === "24" && document.querySelector("[data-note] .formed li em")?.textContent === "two" && !document.querySelector("[data-note] .formed").textContent.startsWith("2 \\")`))
	if n := notes(); len(n) != 1 || !n[0].Rich || n[0].Text != "2 \\* 3 \\* 4 = **24**\n\n* one\n* *two*" {
		t.Errorf("kept is %+v", n)
	}
	// A link, and a change of what has a form already.
	steps(t, press("[data-note] .tools .button"), is("the editor is there", `document.querySelector("[data-note] .prose li")`),
		press("[data-note] .prose p"), press(`[data-note] .prose-tools .button:last-child`),
		is("it asks where", `document.activeElement?.matches(".prose-link input")`), typed("example.org/tides"), p.Enter,
		is("the link stands there", `document.querySelector("[data-note] .prose a")?.getAttribute("href") === "https://example.org/tides"`),
		press("[data-note] > div > .tools .button"), is("it is shown", `document.querySelector('[data-note] .formed a[target="_blank"]')`))
	// Words alone stay words.
	steps(t, begun(560)...)
	steps(t, typed("5 * 6 * 7, 1. [no](link) _"), press("[data-draft] .dark"), is("both are there", `document.querySelectorAll("[data-note]").length === 2`))
	if n := notes(); len(n) != 2 || n[1].Rich || n[1].Text != "5 * 6 * 7, 1. [no](link) _" {
		t.Errorf("kept is %+v", n)
	}
	file, err := home.School.Exports.TakeCopy(context.Background(), personOf(t, "formed.student"), id, takeaway.Choice{})
	if err != nil {
		t.Fatal(err)
	}
	words := strings.Join(strings.Fields(textIn(t, bytesOf(t, file))), " ")
	for _, want := range []string{"2 * 3 * 4 = 24example.org/tides (https://example.org/tides)", "• one", "• two", "5 * 6 * 7, 1. [no](link) _"} {
		if !strings.Contains(words, want) {
			t.Errorf("the file has no %q: %s", want, words)
		}
	}
	if strings.Contains(words, "**") || strings.Contains(words, "\\") {
		t.Errorf("the file has signs: %s", words)
	}
	// The overall remark has one too, on the screens of both and in the file.
	ctx, student := context.Background(), personOf(t, "formed.student")
	if _, err := home.School.Submitting.Submit(ctx, student, id, "", 1e6); err != nil {
		t.Fatal(err)
	}
	c, err := home.Store.CopyInCourse(ctx, id, student.ID)
	if err != nil {
		t.Fatal(err)
	}
	q := tab(t, 1280, 800)
	marking := fmt.Sprintf("/assignments/%d/marking?copy=%d", c.Copy.AssignmentID, id)
	shows := func(what, script string) func() error { return func() error { return q.Until(what, script) } }
	steps(t, func() error { return q.SignIn("formed.teacher", scenePassword) }, func() error { return q.Go(marking) }, q.Ready,
		func() error { return q.Click("[data-top] .formal") }, shows("the editor", `document.activeElement?.matches("[data-top] .prose")`),
		func() error { return q.Type("Work on ") }, func() error { return q.Click(`[data-top] [aria-label="Slanted"]`) }, func() error { return q.Type("units") },
		func() error { time.Sleep(350 * time.Millisecond); return nil }, func() error { return q.Go(marking) }, q.Ready,
		shows("it is there again", `document.querySelector("[data-top] .prose em")?.textContent === "units"`),
		func() error { return q.Click(`[data-do="main"]`) }, func() error { return q.Click(`[data-dialog="returning"] [data-yes]`) },
		func() error {
			return p.Until("it is announced", `document.querySelector("[data-news]")?.textContent.includes("has returned this copy")`)
		},
		func() error { return p.Click("[data-news] .button") },
		func() error {
			return p.Until("it is back, with its form", `document.querySelector("[data-top] .formed em")?.textContent === "units"`)
		})
	if file, err = home.School.Exports.TakeCopy(ctx, student, id, takeaway.Choice{Attempt: 1}); err != nil {
		t.Fatal(err)
	}
	if words := textIn(t, bytesOf(t, file)); !strings.Contains(words, "Work on units") {
		t.Errorf("the file has no remark: %s", words)
	}
}
