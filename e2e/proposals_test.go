package e2e

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"

	"readymargin/core/mark"
	"readymargin/core/points"
	"readymargin/core/submission"
	"readymargin/core/worksheet"
	"readymargin/demo"
	"readymargin/e2e/browser"
	"readymargin/school/assign"
	"readymargin/school/intake"
)

// What the teacher expects is compared with what stands there and proposed, never
// given by itself, and never told to a student; a remark that was kept is found
// by a few letters on the next copy.
func TestProposalsAndReadyRemarks(t *testing.T) {
	t.Parallel()
	ctx, sc := context.Background(), setSceneNamed(t, "Proposals")
	teacher := personOf(t, "proposals.teacher")
	pdf, err := demo.TideHeights()
	if err != nil {
		t.Fatal(err)
	}
	w, err := home.School.Shelf.BringIn(ctx, teacher, intake.Upload{Name: "tides.pdf", Data: pdf})
	if err != nil {
		t.Fatal(err)
	}
	found, err := home.School.Shelf.Found(ctx, teacher, w.ID)
	if err != nil {
		t.Fatal(err)
	}
	plan := worksheet.Plan{}
	var places []worksheet.Blank // of question 2
	var question string
	for n := range found {
		asks, blanks := slices.Clone(found[n].Questions), slices.Clone(found[n].Blanks)
		for i, of := range found[n].Of() {
			if of < 0 || asks[of].Number != "2." {
				continue
			}
			asks[of].Points, question = 2*points.One, asks[of].ID
			blanks[i].Expected = []*worksheet.Expected{{Number: "4.5", Tolerance: "0.1", Unit: "m"}, {Words: []string{"spring"}}}[min(len(places), 1)]
			places = append(places, blanks[i])
		}
		plan = append(plan, worksheet.PageRef{Page: n + 1, Use: worksheet.Sheet, Decided: true, Questions: &asks, Blanks: &blanks})
	}
	if len(places) != 2 {
		t.Fatalf("question 2 has %d places", len(places))
	}
	if err := home.School.Shelf.Arrange(ctx, teacher, w.ID, 1, plan, worksheet.Kit{}); err != nil {
		t.Fatal(err)
	}
	a, err := home.School.Assignments.Assign(ctx, teacher, assign.NewAssignment{Course: sc.course.ID, Worksheet: w.ID, Terms: assign.Terms{Title: "Proposed", Points: "2"}})
	if err != nil {
		t.Fatal(err)
	}
	var copies []uint64
	for _, theirs := range [][3]string{{"student", "450 cm", "Spring"}, {"classmate", "4.5", "neap"}} {
		who, texts := theirs[0], theirs[1:]
		p := personOf(t, "proposals."+who)
		c, err := home.School.Saving.OpenOwn(ctx, p, a.ID)
		if err != nil {
			t.Fatal(err)
		}
		var ops []submission.Op
		for i, b := range places {
			m := mark.Mark{ID: fmt.Sprintf("answer-%s-%d", who, i), Page: 1, Blank: b.ID, Body: &mark.FreeText{X: b.Rect[0] + 2, Y: b.Baseline, Width: 40, Lines: []mark.TextLine{{Runs: []mark.Run{{Text: texts[i], Size: 12, Color: "#1e2a44"}}}}}}
			ops = append(ops, submission.Op{ID: "op-" + m.ID, On: m.ID, Mark: &m})
		}
		saved, err := home.School.Saving.Save(ctx, p, c.ID, submission.Work, ops)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := home.School.Submitting.Submit(ctx, p, c.ID, "", saved.Seq); err != nil {
			t.Fatal(err)
		}
		copies = append(copies, c.ID)
	}
	p := tab(t, 1280, 800)
	is := func(what, script string) func() error { return func() error { return p.Until(what, script) } }
	verdicts := func(want string) func() error {
		return is("the places are judged "+want, fmt.Sprintf(`[...document.querySelectorAll(".verdict")].map((v) => v.dataset.is).join() === %q`, want))
	}
	open := func(id uint64) func() error {
		return func() error { return p.Go(fmt.Sprintf("/assignments/%d/marking?copy=%d", a.ID, id)) }
	}
	steps(t,
		func() error { return p.SignIn("proposals.teacher", scenePassword) }, open(copies[0]), p.Ready,
		verdicts("agrees,agrees"), is("all points are proposed", `document.querySelector("[data-proposal]").innerText === "2?"`),
		is("and not given", `document.querySelector("#points").value === "" && document.querySelector("[data-question]").value === ""`),
	)
	axeFinds(t, p, "a proposal")
	steps(t,
		func() error { return p.Key("p") }, func() error { return p.Stroke("=") },
		is("it is taken, and the next copy is open", fmt.Sprintf(`location.search.includes("copy=%d")`, copies[1])),
		verdicts("agrees,differs"), is("half of them are proposed", `document.querySelector("[data-proposal]").innerText === "1?"`),
		func() error { return p.Click("[data-proposal]") },
		is("it is taken by a press", `document.querySelector("[data-question]").dataset.was === "1" && document.querySelector(".tag").innerText === "1 of 2"`),
	)
	for i, want := range []string{"2", "1"} {
		all, err := home.Store.Scores(ctx, copies[i], 1)
		if err != nil || len(all) != 1 || all[0].Points.String() != want || all[0].QuestionID != question {
			t.Errorf("copy %d has %+v (%v)", i, all, err)
		}
	}

	// The remark is kept here and found on the other copy, with its places filled in.
	student := personOf(t, "proposals.student").Name
	first, _, _ := strings.Cut(student, " ")
	steps(t,
		func() error { return p.Fill("#remark", "Well read, {first name}.") },
		func() error { return p.Click(".ready-keep") }, func() error { return p.Fill(".ready-form .field", "wr") }, func() error { return p.Click(".ready-form .button") },
		is("it is kept", `document.querySelector(".toast").innerText === "It is ready to be used again."`),
		open(copies[0]), p.Ready,
		func() error { return p.Click("#remark") },
		is("it is offered", fmt.Sprintf(`document.querySelector(".ready-one")?.innerText.includes("Well read, %s.")`, first)),
	)
	axeFinds(t, p, "ready remarks")
	steps(t,
		func() error { return p.Type("wr") },
		is("its short key finds it", `document.querySelectorAll(".ready-one").length === 1`),
		func() error { return p.Click(".ready-one") },
		is("it is taken", fmt.Sprintf(`document.querySelector("#remark").value === "Well read, %s."`, first)),
		is("and kept with the copy", `document.querySelector("[data-saved]").dataset.state === "saved"`),
	)
	// Nothing of what is expected, found or ready is sent to a student.
	q := tab(t, 1280, 800)
	steps(t, func() error { return q.SignIn("proposals.student", scenePassword) }, func() error { return q.Go(fmt.Sprintf("/copies/%d", copies[0])) }, q.Ready)
	sent, err := browser.Eval[string](q, `const json = { headers: { Accept: "application/json" } }; return document.documentElement.outerHTML + await (await fetch(location.pathname + "/view", json)).text() + await (await fetch("/sheets/" + JSON.parse(document.querySelector("#view").textContent).sheet + "/guide", json)).text()`)
	if err != nil {
		t.Fatal(err)
	}
	for _, secret := range []string{`"found"`, "agrees", "Well read", `"e":{`, "Tolerance", `"tolerance"`} {
		if strings.Contains(sent, secret) {
			t.Errorf("the student is sent %q", secret)
		}
	}
}
