package e2e

import (
	"context"
	"fmt"
	"testing"

	"github.com/chromedp/chromedp/kb"

	"readymargin/e2e/browser"
	"readymargin/school"
)

// A copy goes back: looked over, counted down, stopped, done, withdrawn; from
// each copy the next one is a press away, and the roll stays as it was.
func TestGoingBack(t *testing.T) {
	t.Parallel()
	_, assignment, copies, questions := scored(t, "returning")
	ctx, teacher := context.Background(), personOf(t, "returning.teacher")
	p, student := tab(t, 1280, 800), tab(t, 820, 1180)
	is := func(what, script string) func() error { return func() error { return p.Until(what, script) } }
	sees := func(what, script string) func() error { return func() error { return student.Until(what, script) } }
	press := func(selector string) func() error { return func() error { return p.Click(selector) } }
	returned := func() bool {
		all, err := home.Store.Attempts(ctx, copies[0])
		if err != nil {
			t.Fatal(err)
		}
		return all[0].ReturnedAt != nil
	}
	const dialog = `document.querySelector('[data-dialog="returning"]')`
	steps(t,
		func() error { return student.SignIn("returning.student", scenePassword) },
		func() error { return student.Go(fmt.Sprintf("/copies/%d", copies[0])) }, student.Ready,
		func() error { return p.SignIn("returning.teacher", scenePassword) },
		func() error { return p.Go(fmt.Sprintf("/assignments/%d/marking?copy=%d", assignment, copies[0])) }, p.Ready,
		// Nothing is on it yet; a press on what is missing leads there.
		press(`[data-do="main"]`), is("it is looked over", dialog+`.open && `+dialog+`.innerText.includes("Nothing was said on it yet")`),
	)
	axeFinds(t, p, "the look before returning")
	steps(t,
		press(`[data-dialog="returning"] .jump`), is("the points are in hand", `!`+dialog+`.open && document.activeElement.dataset.question !== undefined || document.activeElement.id === "points"`),
		func() error { return p.Fill(`[data-question]`, "3") }, func() error { return p.Enter() },
		press(`[data-do="main"]`), is("two are missing", dialog+`.open && `+dialog+`.querySelectorAll(".jump").length === 2`),
		press(`[data-dialog="returning"] [data-to-score="`+questions[2]+`"]`), is("the third is in hand", fmt.Sprintf(`document.activeElement.dataset.question === %q`, questions[2])),
		func() error { return p.Type("1") }, func() error { return p.Key(kb.Tab) },
		is("it is kept", `document.querySelectorAll("[data-question]")[2].dataset.was === "1"`),
		is("it is pressed twice at once", `document.querySelector('[data-do="main"]').click(), document.querySelector('[data-do="main"]').click(), true`),
		is("both looks are there", dialog+`.open && (await new Promise((ok) => setTimeout(ok, 1000)), `+dialog+`.querySelector("[data-yes]").textContent === "Return it")`), is("one is missing", dialog+`.open && `+dialog+`.querySelectorAll(".jump").length === 1`),
		press(`[data-dialog="returning"] [data-yes]`), is("it counts down", `document.querySelector("[data-top] [data-pending]")?.innerText.startsWith("Goes back in")`),
		is("the next copy is offered", `document.querySelector('[data-do="next"]').classList.contains("next") && document.querySelector('[data-do="main"]').hidden`),
		press(`[data-stop]`), is("it is stopped", `!document.querySelector("[data-top] [data-pending]") && !document.querySelector('[data-do="main"]').hidden`),
		is("its time passes", `await new Promise((ok) => setTimeout(ok, 9000)), true`),
	)
	if returned() {
		t.Fatal("what was stopped was returned")
	}
	order := `[...document.querySelectorAll("[data-roll] .who")].map((w) => w.firstChild.textContent).join()`
	stood, err := browser.Eval[string](p, "return "+order)
	if err != nil {
		t.Fatal(err)
	}
	steps(t,
		press(`[data-do="main"]`), is("it is looked over again", dialog+`.open`), press(`[data-dialog="returning"] [data-yes]`),
		is("it counts down again", `document.querySelector("[data-top] [data-pending]")`),
		press(`[data-do="next"]`), is("the next copy is open", fmt.Sprintf(`location.search.includes("copy=%d")`, copies[1])),
		is("the other counts on, on the roll", fmt.Sprintf(`document.querySelector('[data-copy="%d"] [data-pending]')`, copies[0])),
		is("and is not said of this one", `!document.querySelector("[data-top] [data-pending]")`),
		is("it is returned", fmt.Sprintf(`document.querySelector('[data-copy="%d"] .how').innerText.startsWith("returned")`, copies[0])),
		is("the roll is as it was", fmt.Sprintf(`%s === %q`, order, stood)),
		shows(student, "Your teacher has returned this copy."), named(student, "See the feedback"), sees("the student has it", `document.querySelector("[data-top]").textContent.includes("4 of 6")`),
		// The last one leads to another pile, or to where the piles are.
		func() error { return p.Fill(`#points`, "5") }, func() error { return p.Enter() },
		is("its total stands", `document.querySelector("[data-tally]").innerText === "given as a whole"`),
		press(`[data-do="main"]`), is("it goes back without more ado", `document.querySelector("[data-top] [data-pending]")`),
		is("another pile is offered", `/^(Next: |To the pile)/.test(document.querySelector('[data-do="next"]').innerText)`),
		is("and it is withdrawn as long as nobody has opened it", `document.querySelector("[data-withdraw]")`), press(`[data-withdraw]`),
		is("it is the teacher's again", `!document.querySelector("[data-withdraw]") && document.querySelector('[data-do="main"]').innerText === "Return"`),
	)
	axeFinds(t, p, "after withdrawing")

	// The roll is sifted, and several go back at once, at a time of the course.
	steps(t,
		set(p, `[data-sieve]`, "mark"),
		is("only what is to be marked is there", fmt.Sprintf(`document.querySelector('[data-copy="%d"]').hidden && !document.querySelector('[data-copy="%d"]').hidden`, copies[0], copies[1])),
		press(`[data-return-all]`), is("it is looked over", dialog+`.open && `+dialog+`.querySelectorAll('[name="copy"]:checked').length === 1`),
		set(p, `[data-dialog="returning"] [name="at"]`, "2001-01-01T08:00"), press(`[data-dialog="returning"] [data-yes]`),
		is("that is no time", dialog+`.querySelector("[data-wrong]").innerText.includes("later than now")`),
		set(p, `[data-dialog="returning"] [name="at"]`, home.School.Now().AddDate(0, 0, 2).Format("2006-01-02T15:04")), press(`[data-dialog="returning"] [data-yes]`),
		is("it says when", `/^Goes back \w+ \d+ \w+, /.test(document.querySelector("[data-top] [data-pending]")?.innerText)`),
	)
	pending, err := home.Store.PendingReturns(ctx, assignment)
	if err != nil || len(pending) != 1 || pending[0].CopyID != copies[1] {
		t.Errorf("planned are %+v (%v)", pending, err)
	}
	// The student's own screen is told when it may go on.
	steps(t,
		func() error { return p.Go(fmt.Sprintf("/assignments/%d/marking?copy=%d", assignment, copies[0])) }, p.Ready,
		press(`.reopen summary`), press(`.reopen .button`),
		shows(student, "This copy can be improved now."), named(student, "Go on with it"), sees("the student may go on", `document.querySelector("[data-top]").textContent.includes("You are improving it")`),
	)
	if err := home.School.Marking.Withdraw(ctx, teacher, copies[0], 1); !school.IsProblem(err, "opened") {
		t.Errorf("withdrawn under the student's hands: %v", err)
	}
}

// set gives a field a value that the browser's own picker would give it.
func set(p *browser.Tab, selector, value string) func() error {
	return func() error {
		_, err := browser.Eval[int](p, fmt.Sprintf(`const f = document.querySelector(%q); f.value = %q; for (const kind of ["input", "change"]) f.dispatchEvent(new Event(kind, { bubbles: true })); return 1`, selector, value))
		return err
	}
}
