package e2e

import (
	"bytes"
	"context"
	"fmt"
	"testing"

	"codeberg.org/go-pdf/fpdf"

	"readymargin/core/blank"
	"readymargin/core/worksheet"
	"readymargin/e2e/browser"
)

// marksToMake is a sheet of questions that are answered by marks.
func marksToMake(t *testing.T) []byte {
	t.Helper()
	f := fpdf.New("P", "pt", "A4", "")
	f.SetFont("Helvetica", "", 12)
	f.AddPage()
	f.Text(60, 100, "1. Underline the three verbs in the text.")
	f.Text(60, 130, "The keeper climbs the stairs, lights the lamp and watches the sea.")
	f.Text(60, 200, "2. Draw a line from each word to its meaning.")
	for i, words := range [][2]string{{"ebb", "the water goes"}, {"flood", "the water comes"}} {
		f.Text(60, 230+24*float64(i), words[0])
		f.Text(300, 230+24*float64(i), words[1])
	}
	f.Text(60, 320, "3. Draw a lighthouse on its rock in the middle of the sea.")
	f.Text(60, 500, "4. Why does the lamp burn at night? Write it down.")
	f.Line(60, 540, 500, 540)
	f.Text(60, 780, "Lamps and lights, page 1")
	var b bytes.Buffer
	if err := f.Output(&b); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// Questions that are answered by marks are known by their words, counted while
// they are worked on and named before submitting when nothing is there; what
// the words do not say is set on the bench.
func TestQuestionsThatAreAnsweredByMarks(t *testing.T) {
	t.Parallel()
	login, id := copyOf(t, "tasks", marksToMake(t), 1)
	p := tab(t, 1280, 800)
	is := func(what, script string) func() error { return func() error { return p.Until(what, script) } }
	place := func(x, y float64) browser.Place { return browser.Place{Page: 1, X: x, Y: y} }
	const counts = `[...document.querySelectorAll("[data-tasks] li")].map(l=>l.innerText.replace(/\s+/g," ")).join("; ")`
	const still = `[...document.querySelectorAll("[data-still] h3")].map(h=>h.innerText+": "+[...h.nextElementSibling.querySelectorAll("button")].map(b=>b.innerText).join("; ")).join(" | ")`
	steps(t,
		func() error { return p.SignIn(login, scenePassword) },
		func() error { return p.Go(fmt.Sprintf("/copies/%d", id)) }, p.Ready,
		is("what is asked for is said", counts+` === "Question 1 0 of 3 marked"`),
		func() error { return fromPopover(p, "mark", "Underline") },
		func() error { return p.Drag("mouse", 0.5, place(118, 127), place(130, 127), place(150, 127)) },
		is("it is counted", counts+` === "Question 1 1 of 3 marked"`),
		func() error { return p.Click(`[data-do="main"]`) },
		is("what is not done is listed", `document.querySelector("[data-still] h3")`),
		func() error {
			const want = "2 blanks are still empty: 3. Draw a lighthouse on its rock in the middle of the sea.; 4. Why does the lamp burn at night? Write it down. | Nothing is marked here yet: 2. Draw a line from each word to its meaning."
			got, err := browser.Eval[string](p, "return "+still)
			if err == nil && got != want {
				err = fmt.Errorf("still to be done: %q, not %q", got, want)
			}
			return err
		},
		func() error { return p.Click(`[data-dialog="submit"] [value="no"]`) },
	)
	// The bench has them, and says otherwise what the teacher means otherwise.
	c, err := home.Store.CopyInCourse(context.Background(), id, 0)
	if err != nil {
		t.Fatal(err)
	}
	sheet := c.Revision.WorksheetID
	q := tab(t, 1366, 768)
	steps(t,
		func() error { return q.SignIn("tasks.teacher", scenePassword) },
		func() error { return q.Go(fmt.Sprintf("/worksheets/%d", sheet)) },
		func() error { return q.Click(`[data-place="points"] .take`) },
		func() error {
			return q.Until("they are named", `document.querySelector(".ask-list")?.innerText.includes("joining pairs")`)
		},
		func() error { return q.Click(`.ask-list li:nth-of-type(2) .ask`) },
		func() error {
			return q.Until("it is in hand", `document.querySelector("#ask-task")?.value === "pairs"`)
		},
		func() error { return q.Fill("#ask-count", "2") },
		func() error { return q.Click(`.ask-list li:nth-of-type(4) .ask`) },
		func() error {
			_, err := browser.Eval[int](q, `const s=document.querySelector("#ask-task"); s.value="options"; s.dispatchEvent(new Event("change",{bubbles:true})); await new Promise(r=>setTimeout(r,100)); document.querySelector(".ask-list [type=checkbox]").click(); return 1`)
			return err
		},
		func() error {
			return q.Until("it is kept", `document.querySelector("[data-saved]").dataset.state === "saved"`)
		},
	)
	w, err := home.Store.Worksheet(context.Background(), sheet)
	if err != nil {
		t.Fatal(err)
	}
	plan, err := worksheet.Parse(w.Plan)
	if err != nil {
		t.Fatal(err)
	}
	want := []*worksheet.Task{{Kind: blank.Words, Count: 3}, {Kind: blank.Pairs, Count: 2}, {Kind: blank.Draw}, {Kind: blank.Options, Drop: true}}
	if plan[0].Questions == nil || len(*plan[0].Questions) != len(want) {
		t.Fatalf("the plan's questions: %v", plan[0].Questions)
	}
	for i, ask := range *plan[0].Questions {
		if ask.Task == nil || *ask.Task != *want[i] {
			t.Errorf("question %s is answered by %+v, not by %+v", ask.Number, ask.Task, want[i])
		}
	}
}
