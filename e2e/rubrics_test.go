package e2e

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"readymargin/core/access"
	"readymargin/core/mark"
	"readymargin/core/points"
	"readymargin/core/submission"
	"readymargin/core/worksheet"
	"readymargin/school"
	"readymargin/school/assign"
	"readymargin/school/feedback"
)

// reasons judges an explanation: its reason by 2, 1 or 0 points, its words by 1 or 0.5.
func reasons(shown bool) *worksheet.Rubric {
	level := func(id, text string, p points.Points) worksheet.Level {
		return worksheet.Level{ID: id, Text: text, Points: p}
	}
	return &worksheet.Rubric{Shown: shown, Criteria: []worksheet.Criterion{
		{ID: "criterion-reason", Text: "Gives a reason", Levels: []worksheet.Level{level("level-why", "says why", 2*points.One), level("level-how", "says how", points.One), level("level-none", "says neither", 0)}},
		{ID: "criterion-words", Text: "Finds the words", Levels: []worksheet.Level{level("level-clear", "clear", points.One), level("level-vague", "vague", points.One/2)}},
	}}
}

// Criteria are made on the bench, kept, and used for another question.
func TestRubricsAreMadeOnce(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	_, assignment, _, _ := scored(t, "judges")
	teacher := personOf(t, "judges.teacher")
	a, err := home.Store.Assignment(ctx, assignment)
	if err != nil {
		t.Fatal(err)
	}
	p := tab(t, 1280, 800)
	is := func(what, script string) func() error { return func() error { return p.Until(what, script) } }
	click := func(selector string) func() error { return func() error { return p.Click(selector) } }
	press := func(words string) func() error {
		return is(words, fmt.Sprintf(`(() => { const b = [...document.querySelectorAll(".bench-margin .judging .button")].find((b) => b.innerText.trim() === %q); b?.click(); return b; })()`, words))
	}
	rubric := func(n int) *worksheet.Rubric {
		w, err := home.Store.Worksheet(ctx, a.Handouts[0].WorksheetID)
		if err != nil {
			t.Fatal(err)
		}
		plan, err := worksheet.Parse(w.Plan)
		if err != nil {
			t.Fatal(err)
		}
		return (*plan[0].Questions)[n].Rubric
	}
	saved := is("it is saved", `await new Promise((ok) => setTimeout(ok, 900)), document.querySelector("[data-saved]").dataset.state === "saved"`)
	steps(t,
		func() error { return p.SignIn("judges.teacher", scenePassword) },
		func() error { return p.Go(fmt.Sprintf("/worksheets/%d", a.Handouts[0].WorksheetID)) },
		click(`[data-place="points"] .take`), click(`.ask-list li:has(input[aria-label*="question 1."]) .ask`),
		click(".bench-margin .judging > summary"), press("Add a criterion"),
		func() error { return p.Fill(`[aria-label="Criterion 1"]`, "Gives a reason") },
		func() error { return p.Fill(`[aria-label="Points of level 1 of criterion 1"]`, "2,5") },
		func() error { return p.Fill(`[aria-label="Level 3 of criterion 1"]`, "says neither") },
		is("the question is worth that", `document.querySelector('input[aria-label*="question 1."]').value === "2.5" && document.querySelector('input[aria-label*="question 1."]').readOnly`),
		func() error { return p.Fill(`[aria-label="Points of level 2 of criterion 1"]`, "1.1") },
		is("no such points", `document.querySelector('[aria-label="Points of level 2 of criterion 1"]').getAttribute("aria-invalid") === "true"`),
		func() error { return p.Fill(`[aria-label="Points of level 2 of criterion 1"]`, "1") },
		click(".bench-margin .judging label input"), saved,
	)
	axeFinds(t, p, "criteria on the bench")
	if r := rubric(0); r == nil || !r.Shown || len(r.Criteria) != 1 || r.Criteria[0].Text != "Gives a reason" || r.Criteria[0].Levels[0].Points != 10 || r.Criteria[0].Levels[2].Text != "says neither" {
		t.Fatalf("question 1 has %+v", r)
	}
	steps(t,
		press("Keep it for other questions"), click(`[data-dialog="rubric"] [data-yes]`),
		is("it needs a name", `document.querySelector('[data-dialog="rubric"] [data-wrong]').innerText !== ""`),
		func() error { return p.Fill("#rubric-name", "Reasons") }, click(`[data-dialog="rubric"] [data-yes]`),
		is("it is kept", `!document.querySelector('[data-dialog="rubric"]').open`),
		click(`.ask-list li:has(input[aria-label*="question 2."]) .ask`), click(".bench-margin .judging > summary"),
		func() error { return set(p, "#rubric-kept", fmt.Sprint(keptRubric(t, teacher).ID))() },
		is("question 2 has it too", `document.querySelector('input[aria-label*="question 2."]').value === "2.5"`), saved,
	)
	if one, two := rubric(0), rubric(1); two == nil || two.Criteria[0].Text != "Gives a reason" || two.Criteria[0].ID == one.Criteria[0].ID {
		t.Errorf("question 2 has %+v, as question 1 %+v", two, one)
	}
	// It is nobody else's, and there is one of a name.
	stranger := personOf(t, "judges.stranger")
	if all, err := home.School.Rubrics.Own(ctx, stranger); err != nil || len(all) != 0 {
		t.Errorf("another teacher has %+v, %v", all, err)
	}
	kept := keptRubric(t, teacher)
	if err := home.School.Rubrics.Drop(ctx, stranger, kept.ID); err != access.ErrHidden {
		t.Errorf("another teacher takes it away: %v", err)
	}
	if _, err := home.School.Rubrics.Keep(ctx, teacher, "Reasons", *reasons(false)); !school.IsProblem(err, "rubric title") {
		t.Errorf("two of a name: %v", err)
	}
	if _, err := home.School.Rubrics.Keep(ctx, teacher, "Nothing", worksheet.Rubric{}); !school.IsProblem(err, "rubric") {
		t.Errorf("without criteria: %v", err)
	}
	if err := home.School.Rubrics.Drop(ctx, teacher, kept.ID); err != nil {
		t.Error(err)
	}
	if r := rubric(1); r == nil {
		t.Error("a question loses its criteria with what was kept")
	}
}

func keptRubric(t *testing.T, who school.Person) school.Rubric {
	t.Helper()
	all, err := home.School.Rubrics.Own(context.Background(), who)
	if err != nil || len(all) != 1 {
		t.Fatalf("kept: %+v, %v", all, err)
	}
	return all[0]
}

// Levels are pressed, with the keyboard and on the page by a finger; a question
// has points once all its criteria have one. The student reads them after Return.
func TestQuestionsAreJudged(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	sc, assignment, copies, questions := scoredBy(t, "judged", reasons(true), assign.Terms{Title: "Judged", Points: "7"})
	teacher := personOf(t, "judged.teacher")
	p := tab(t, 1280, 800)
	is := func(what, script string) func() error { return func() error { return p.Until(what, script) } }
	box := `document.querySelectorAll("[data-question]")[2]`
	total := func(what string) func() error {
		return is("the tally says "+what, fmt.Sprintf(`document.querySelector("[data-tally]").innerText === %q`, what))
	}
	open := func(i int) func() error {
		return func() error { return p.Go(fmt.Sprintf("/assignments/%d/marking?copy=%d", assignment, copies[i])) }
	}
	score := func(i int) (sc school.Score) {
		all, err := home.Store.Scores(ctx, copies[i], 1)
		if err != nil {
			t.Fatal(err)
		}
		for _, one := range all {
			if one.QuestionID == questions[2] {
				sc = one
			}
		}
		return sc
	}
	steps(t,
		func() error { return p.SignIn("judged.teacher", scenePassword) }, open(0), p.Ready,
		is("its points are in hand", box+`.focus(), document.querySelector("[data-judging]").open`),
		func() error { return p.Click(`[value="level-how"]`) }, total("3 questions without points"),
		// What is begun stays, and comes back after leaving.
		is("it is kept here", `await new Promise((ok) => setTimeout(ok, 400)), true`), open(0), p.Ready,
		is("it is there again", `document.querySelector('[value="level-how"]').checked && `+box+`.value === ""`),
		is("its points are in hand again", box+`.focus(), document.querySelector("[data-judging]").open`),
		func() error { return p.Click(`[value="level-vague"]`) },
		is("both give points", box+`.value === "1.5"`), total("2 questions without points"),
	)
	axeFinds(t, p, "judging by criteria")
	if got := score(0); got.Points.String() != "1.5" || got.Levels["criterion-reason"] != "level-how" || got.Levels["criterion-words"] != "level-vague" {
		t.Errorf("question 3 has %+v", got)
	}
	// Points that are typed are no levels.
	steps(t, func() error { return p.Fill(`.scores li:nth-child(3) [data-question]`, "2") }, total("2 questions without points"),
		is("no level is chosen", `!document.querySelector("[data-judging] :checked")`),
		is("it is taken", box+`.dataset.was === "2"`))
	if got := score(0); got.Points.String() != "2" || got.Levels != nil {
		t.Errorf("typed: %+v", got)
	}
	// By a finger, on the page.
	if err := p.Resize(820, 1180, true); err != nil {
		t.Fatal(err)
	}
	steps(t, open(1), p.Ready,
		func() error { return p.TapOn(fmt.Sprintf(`[data-tag-of=%q]`, questions[2])) },
		func() error { return p.TapWords(".tag-strip .levels button", "2 says why") },
		is("one is open yet", `document.querySelectorAll(".tag-strip [aria-pressed=true]").length === 1`),
		func() error { return p.TapWords(".tag-strip .levels button", "1 clear") },
		is("it has points", fmt.Sprintf(`document.querySelector('[data-tag-of=%q]').innerText === "3 of 3"`, questions[2])),
		is("they are taken", box+`.dataset.was === "3"`))

	// The server takes whole judgements only, of levels that there are.
	for name, levels := range map[string]map[string]string{
		"one is open": {"criterion-reason": "level-why"}, "of another": {"criterion-reason": "level-clear", "criterion-words": "level-clear"},
		"one more": {"criterion-reason": "level-why", "criterion-words": "level-clear", "criterion-else": "level-why"}, "none": {},
	} {
		if _, err := home.School.Marking.Judge(ctx, teacher, copies[0], 1, questions[2], levels, "2"); !school.IsProblem(err, "judged") {
			t.Errorf("%s: %v", name, err)
		}
	}
	if _, err := home.School.Marking.Judge(ctx, teacher, copies[0], 1, questions[0], map[string]string{}, ""); !school.IsProblem(err, "judged") {
		t.Errorf("a question without criteria: %v", err)
	}
	whole := map[string]string{"criterion-reason": "level-how", "criterion-words": "level-clear"}
	if _, err := home.School.Marking.Judge(ctx, teacher, copies[0], 1, questions[2], whole, ""); !school.IsProblem(err, "scored") {
		t.Errorf("over points unseen: %v", err)
	}
	if _, err := home.School.Marking.Judge(ctx, personOf(t, "judged.student"), copies[0], 1, questions[2], whole, "2"); err == nil {
		t.Error("a student judges")
	}
	// The same points by other levels are another judgement.
	for _, levels := range []map[string]string{whole, {"criterion-reason": "level-why", "criterion-words": "level-vague"}} {
		if _, err := home.School.Marking.Judge(ctx, teacher, copies[0], 1, questions[2], levels, "2"); err != nil && !school.IsProblem(err, "scored") {
			t.Error(err)
		}
	}
	_, before := sc.words(t, "student", fmt.Sprintf("/copies/%d", copies[0]))
	if err := home.School.Marking.Return(ctx, teacher, copies[0], 1); err != nil {
		t.Fatal(err)
	}
	if _, after := sc.words(t, "student", fmt.Sprintf("/copies/%d", copies[0])); strings.Contains(before, "says how") || !strings.Contains(after, "Gives a reason: says why") || !strings.Contains(after, "Finds the words: vague") {
		t.Errorf("before Return: %s\nafter: %s", before, after)
	}
}

// What students are told with the task are the criteria that are meant for them.
func TestCriteriaWithTheTask(t *testing.T) {
	t.Parallel()
	for name, shown := range map[string]bool{"told": true, "untold": false} {
		sc, assignment, _, _ := scoredBy(t, name, reasons(shown), assign.Terms{Title: "Judged", Points: "7", Instructions: "Do it."})
		a, err := home.Store.Assignment(context.Background(), assignment)
		if err != nil {
			t.Fatal(err)
		}
		_, guide := sc.page(t, "classmate", fmt.Sprintf("/sheets/%d/guide", a.Handouts[0].RevisionID))
		_, page := sc.page(t, "teacher", fmt.Sprintf("/worksheets/%d/try", a.Handouts[0].WorksheetID))
		if strings.Contains(guide, "says neither") != shown || strings.Contains(page, "says neither") != shown {
			t.Errorf("%s: in the guide %v, beside the sheet %v", name, strings.Contains(guide, "says neither"), strings.Contains(page, "says neither"))
		}
	}
}

// The sum of the questions is brought to the assignment's points where it is to
// be, and what is given as a whole says why.
func TestTotalsAreScaled(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	sc, assignment, copies, questions := scoredBy(t, "scales", nil, assign.Terms{Title: "Scaled", Points: "10", Scaled: true})
	teacher := personOf(t, "scales.teacher")
	give := func(n int, text, was, total string) {
		t.Helper()
		a, err := home.School.Marking.Score(ctx, teacher, copies[0], 1, questions[n], text, was)
		if err != nil || a.Points == nil || a.Points.String() != total || a.Whole {
			t.Errorf("question %d gets %s: %+v, %v; want %s", n+1, text, a, err, total)
		}
	}
	give(0, "2.5", "", "4.25") // of 6 to 10: 4.1666…
	give(1, "1", "", "5.75")   // 5.8333…
	give(2, "2", "", "9.25")   // 9.1666…
	give(0, "3", "2.5", "10")
	assigned := func() school.Assignment { return must[school.Assignment](t)(home.Store.Assignment(ctx, assignment)) }
	attempt := func() school.Attempt { return must[[]school.Attempt](t)(home.Store.Attempts(ctx, copies[0]))[0] }
	terms := assign.TermsOf(assigned(), sc.course.Location())
	for name, change := range map[string]func(*assign.Terms){"no longer": func(t *assign.Terms) { t.Scaled = false }, "to others": func(t *assign.Terms) { t.Points = "12" }} {
		other := terms
		change(&other)
		if _, err := home.School.Assignments.ChangeTerms(ctx, teacher, assignment, assigned().Version, other); !school.IsProblem(err, "scaled") {
			t.Errorf("scaled %s: %v", name, err)
		}
	}
	p := tab(t, 1280, 800)
	is := func(what, script string) func() error { return func() error { return p.Until(what, script) } }
	says := func(what string) func() error {
		return is(what, fmt.Sprintf(`document.querySelector("[data-tally]").innerText === %q`, what))
	}
	reason := func(shown bool) func() error {
		return is(fmt.Sprint("a reason is asked for: ", shown), fmt.Sprintf(`!document.querySelector(".because").hidden === %v`, shown))
	}
	steps(t, func() error { return p.SignIn("scales.teacher", scenePassword) },
		func() error { return p.Go(fmt.Sprintf("/assignments/%d/marking?copy=%d", assignment, copies[0])) }, p.Ready,
		says("added up, scaled to 10"), reason(false),
		func() error { return p.Fill("#points", "8") }, says("given as a whole"), reason(true),
		func() error { return p.Fill("#reason", "Two days late") },
		is("it is taken", `await new Promise((ok) => setTimeout(ok, 900)), document.querySelector("[data-saved]").dataset.state === "saved"`))
	if a := attempt(); a.Points.String() != "8" || a.Reason != "Two days late" {
		t.Errorf("the attempt has %v because %q", a.Points, a.Reason)
	}
	if err := home.School.Marking.Return(ctx, teacher, copies[0], 1); err != nil {
		t.Fatal(err)
	}
	if _, page := sc.words(t, "student", fmt.Sprintf("/copies/%d", copies[0])); !strings.Contains(page, "8 and not what the questions add up to: Two days late") {
		t.Errorf("the student reads %s", page)
	}
	steps(t, func() error { return p.Go(fmt.Sprintf("/assignments/%d/marking?copy=%d", assignment, copies[0])) }, p.Ready,
		reason(true), func() error { return p.Fill("#points", "") }, says("added up, scaled to 10"), reason(false),
		is("the reason is gone", `document.querySelector("#reason").value === ""`))
}

// Across the class levels are given to a whole group, and a ready remark says each
// student's own name and brings its points; one press takes each back.
func TestJudgingAcrossTheClass(t *testing.T) {
	t.Parallel()
	ctx, s := context.Background(), home.School
	sc, assignment, copies, questions := scoredBy(t, "wide", reasons(false), assign.Terms{Title: "Wide", Points: "7"})
	teacher := personOf(t, "wide.teacher")
	if _, err := s.Ready.Keep(ctx, teacher, sc.course.ID, feedback.Kept{Text: "Well put, {first name}: see {question}.", Short: "wp", Points: "1"}); err != nil {
		t.Fatal(err)
	}
	p := tab(t, 1280, 800)
	is := func(what, script string) func() error { return func() error { return p.Until(what, script) } }
	click := func(selector string) func() error { return func() error { return p.Click(selector) } }
	got := func(want string) func() error {
		return is("they have "+want, fmt.Sprintf(`[...document.querySelectorAll(".patch .got")].map((g) => g.innerText).join() === %q`, want))
	}
	open := func(n int) func() error {
		return func() error { return p.Go(fmt.Sprintf("/assignments/%d/across?question=%s", assignment, questions[n])) }
	}
	notes := func() (out []string) {
		for _, id := range copies {
			heads, err := home.Store.Heads(ctx, id, submission.Feedback(1))
			if err != nil {
				t.Fatal(err)
			}
			for _, h := range heads {
				if h.Mark != nil {
					out = append(out, h.Mark.Body.(*mark.Note).Text)
				}
			}
		}
		return out
	}
	steps(t, func() error { return p.SignIn("wide.teacher", scenePassword) }, open(2), got(","),
		is("to be judged", `(() => { const b = [...document.querySelectorAll(".group header .button")].find((b) => b.innerText === "Judge"); b?.click(); return b; })()`),
		click(`[data-dialog="judge"] [value="level-why"]`), is("one is open", `document.querySelector('[data-dialog="judge"] [data-yes]').disabled`))
	axeFinds(t, p, "judging across the class")
	steps(t, click(`[data-dialog="judge"] [value="level-vague"]`), click(`[data-dialog="judge"] [data-yes]`), got("2.5 of 3,2.5 of 3"))
	for _, id := range copies {
		if all, err := home.Store.Scores(ctx, id, 1); err != nil || len(all) != 1 || all[0].Levels["criterion-words"] != "level-vague" {
			t.Errorf("copy %d has %+v, %v", id, all, err)
		}
	}
	steps(t, click(`[data-do="undo"]`), got(","), open(1), got(","),
		click("[data-remark]"), func() error { return p.Fill("#remark-text", "wp") }, click(".ready-one"))
	axeFinds(t, p, "a ready remark across the class")
	steps(t, click(`[data-dialog="remark"] [data-yes]`), got("1 of 1,1 of 1"))
	if all := notes(); len(all) != 2 || all[0] != "Well put, wide: see 2." {
		t.Errorf("the remarks are %q", all)
	}
	steps(t, click(`[data-do="undo"]`), got(","))
	if all := notes(); len(all) != 0 {
		t.Errorf("taken back, the remarks are %q", all)
	}
}
