package e2e

import (
	"context"
	"fmt"
	"testing"

	"readymargin/core/mark"
	"readymargin/core/submission"
)

// On a second attempt the teacher sees what was changed, on the page, as a list
// and side by side; the points of the first one are proposed.
func TestTheSecondAttempt(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	_, assignment, copies, questions := scored(t, "since")
	teacher, student, id := personOf(t, "since.teacher"), personOf(t, "since.student"), copies[0]
	must := func(err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	text := func(name, s string, y float64) *mark.Mark {
		return &mark.Mark{ID: "since-" + name, Page: 1, Body: &mark.FreeText{X: 90, Y: y, Width: 60, Lines: []mark.TextLine{{Runs: []mark.Run{{Text: s, Size: 12, Color: "#1e2a44"}}}}}}
	}
	save := func(ops ...submission.Op) {
		t.Helper()
		saved, err := home.School.Saving.Save(ctx, student, id, submission.Work, ops)
		must(err)
		_, err = home.School.Submitting.Submit(ctx, student, id, "", saved.Seq)
		must(err)
	}
	must(home.School.Submitting.TakeBack(ctx, student, id))
	save(submission.Op{ID: "op-since-kept", On: "since-kept", Mark: text("kept", "stays", 500)}, submission.Op{ID: "op-since-better", On: "since-better", Mark: text("better", "neap", 540)},
		submission.Op{ID: "op-since-gone", On: "since-gone", Mark: text("gone", "wrong", 580)})
	for i, q := range questions {
		_, err := home.School.Marking.Score(ctx, teacher, id, 1, q, []string{"3", "0", "1.5"}[i], "")
		must(err)
	}
	must(home.School.Marking.Return(ctx, teacher, id, 1))
	must(home.School.Submitting.Improve(ctx, student, id))
	save(submission.Op{ID: "op-since-better2", On: "since-better", Base: "op-since-better", Mark: text("better", "spring", 540)},
		submission.Op{ID: "op-since-gone2", On: "since-gone", Base: "op-since-gone"}, submission.Op{ID: "op-since-new", On: "since-new", Mark: text("new", "added", 620)})

	p := tab(t, 1366, 768)
	is := func(what, script string) func() error { return func() error { return p.Until(what, script) } }
	steps(t,
		func() error { return p.SignIn("since.teacher", scenePassword) },
		func() error { return p.Go(fmt.Sprintf("/assignments/%d/marking?copy=%d", assignment, id)) }, p.Ready,
		is("it says how much", `document.querySelector("[data-since]").innerText.includes("1 new, 1 changed, 1 gone")`),
		func() error { return p.Click("[data-since]") },
		is("it is seen on the page", `document.querySelector('.fresh[data-mark="since-new"]') && document.querySelector('.altered[data-mark="since-better"]') && document.querySelector('svg.gone [data-mark="since-gone"]') && !document.querySelector('.fresh[data-mark="since-kept"], .altered[data-mark="since-kept"]')`),
		is("and listed", `[...document.querySelectorAll("[data-since-list] li")].map((l) => l.innerText).join() === "New text “added”,Changed text “spring”,Gone text “wrong”"`),
	)
	axeFinds(t, p, "what was changed")
	steps(t,
		func() error { return p.Click("[data-beside]") },
		is("the attempt before lies beside it", `document.querySelector('.before [data-mark="since-gone"]') && !document.querySelector('.before [data-mark="since-new"]') && document.querySelector(".before .sheet").getBoundingClientRect().right <= document.querySelector(".before").getBoundingClientRect().right`),
	)
	axeFinds(t, p, "side by side")
	steps(t,
		func() error { return p.Click("[data-beside]") }, is("it is put away", `document.querySelector(".before").hidden && !document.querySelector("[data-screen]").classList.contains("with-held")`),
		func() error { return p.Click("[data-since]") }, is("nothing is lit", `!document.querySelector(".fresh, .altered, svg.gone")`),
		// What one got before is proposed, and taken by a key each.
		is("it is proposed", `[...document.querySelectorAll("[data-proposal]")].map((b) => b.innerText).join() === "3?,0?,1.5?"`),
		func() error { return p.Key("p") }, func() error { return p.Stroke("=") }, func() error { return p.Stroke("=") }, func() error { return p.Type("2") }, func() error { return p.Enter() },
		is("the next copy is open", fmt.Sprintf(`location.search.includes("copy=%d")`, copies[1])),
		is("which has no attempt before", `!document.querySelector("[data-since]")`),
	)
	all, err := home.Store.Attempts(ctx, id)
	must(err)
	if len(all) != 2 || all[0].Points.String() != "4.5" || all[1].Points == nil || all[1].Points.String() != "5" {
		t.Errorf("the attempts have %v and %v", all[0].Points, all[1].Points)
	}
}
