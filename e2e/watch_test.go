package e2e

import (
	"context"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"testing"

	"readymargin/core/flow"
	"readymargin/core/mark"
	"readymargin/core/submission"
	"readymargin/e2e/browser"
	"readymargin/e2e/house"
	"readymargin/school"
	"readymargin/school/assign"
	"readymargin/school/feedback"
)

// Where the course lets them, those who mark look at work as it is being done.
// The student sees who looks, hears what is said at once, and answers.
func TestLookingAtWork(t *testing.T) {
	t.Parallel()
	ctx, s := context.Background(), home.School
	sc := setSceneNamed(t, "Watch")
	c := sc.copies[flow.InProgress]
	teacher, student := personOf(t, "watch.teacher"), account(t, "watch.student")
	get := func(who, path string) int {
		code, _ := sc.page(t, who, path)
		return code
	}
	watch, marking := fmt.Sprintf("/copies/%d/watch", c.ID), fmt.Sprintf("/assignments/%d/marking", c.AssignmentID)
	if code := get("teacher", watch); code != http.StatusForbidden {
		t.Errorf("before the course lets them: %d", code)
	}
	if _, page := sc.page(t, "teacher", marking); strings.Contains(page, "data-watch") {
		t.Error("the roll offers what is not let")
	}
	if _, err := s.Courses.SetMarking(ctx, teacher, sc.course.ID, "0.25", school.Best, true); err != nil {
		t.Fatal(err)
	}
	for who, want := range map[string]int{"teacher": 200, "assistant": 200, "student": 403, "classmate": 404, "other teacher": 404, "outsider": 404, "waiting": 404, "admin": 404} {
		if code := get(who, watch); code != want {
			t.Errorf("%s looks: %d, want %d", who, code, want)
		}
	}
	for state, want := range map[flow.State]int{flow.Submitted: 403, flow.Returned: 403, flow.Reworking: 200} {
		if code := get("teacher", fmt.Sprintf("/copies/%d/watch", sc.copies[state].ID)); code != want {
			t.Errorf("%s: %d, want %d", state, code, want)
		}
	}

	pupil, p := tab(t, 1280, 800), tab(t, 1280, 800)
	is := func(p *browser.Tab, what, script string) func() error {
		return func() error { return p.Until(what, script) }
	}
	shows := func(p *browser.Tab, text string) func() error {
		return is(p, "“"+text+"” is there", fmt.Sprintf(`document.querySelector("[data-screen]").textContent.includes(%q)`, text))
	}
	op := house.Written("watched", "Twelve feet")
	if _, err := s.Saving.Save(ctx, student, c.ID, submission.Work, []submission.Op{op}); err != nil {
		t.Fatal(err)
	}
	steps(t,
		func() error { return pupil.SignIn("watch.student", scenePassword) }, func() error { return pupil.Go(fmt.Sprintf("/copies/%d", c.ID)) }, pupil.Ready,
		is(pupil, "nobody looks", `document.querySelector("[data-looking]").hidden`),
		func() error { return p.SignIn("watch.teacher", scenePassword) }, func() error { return p.Go(marking) },
		func() error { return p.Click(fmt.Sprintf(`[data-watch][data-copy="%d"]`, c.ID)) }, p.Ready,
		shows(p, "You see the work as it is being done"), shows(p, "Twelve feet"),
		is(p, "there is nothing to return", `document.querySelector('[data-do="main"]').hidden && document.querySelector('[data-do="take-away"]').hidden && !document.querySelector("#points")`),
		is(p, "there is only looking and saying", `[...document.querySelectorAll("[data-spine] .take")].map((b) => b.getAttribute("aria-label")).join() === "Pick,Note"`),
		is(pupil, "the student is told", `document.querySelector("[data-looking]").innerText === "Watch Teacher is looking"`),
	)
	axeFinds(t, p, "looking at work")
	axeFinds(t, pupil, "being looked at")
	more := house.Written("watched2", "and a half")
	if _, err := s.Saving.Save(ctx, student, c.ID, submission.Work, []submission.Op{more}); err != nil {
		t.Fatal(err)
	}
	steps(t, shows(p, "and a half"),
		// What is said at once is heard at once, and answered.
		func() error { return p.Click(`.place [aria-label="Note"]`) },
		func() error { return p.Press(browser.Place{Page: 1, X: 300, Y: 420}) },
		func() error { return p.Presses("Look at the datum") }, func() error { return p.Click("[data-draft] .dark") },
		shows(pupil, "Look at the datum"),
		func() error { return pupil.Fill(".answer textarea", "I see") }, func() error { return pupil.Click(".answer .button") },
		shows(p, "I see"),
	)
	if all, err := s.Queue.Pile(ctx, teacher); err != nil || !slices.ContainsFunc(all, func(q feedback.MarkingQueue) bool { return said(q.Asked, "I see") }) {
		t.Errorf("the answer is not on the pile (%v)", err)
	}
	// Who looks does nothing; who is looked at puts no note of theirs in there.
	note := mark.Mark{ID: "watch-note", Page: 1, Body: &mark.Note{At: [2]float64{50, 50}, Text: "mine"}}
	pen := house.Written("watched3", "theirs")
	for name, err := range map[string]error{
		"a teacher writes in the work":             errOf(s.Saving.Save(ctx, teacher, c.ID, submission.Work, []submission.Op{pen})),
		"a teacher writes in what is said at once": errOf(s.Saving.Save(ctx, teacher, c.ID, submission.Replies, []submission.Op{pen})),
		"a student's note is no answer":            errOf(s.Saving.Save(ctx, student, c.ID, submission.Replies, []submission.Op{{ID: "op-watch-note", On: note.ID, Mark: &note}})),
	} {
		if err == nil {
			t.Error(name)
		}
	}
	// Handed in, it is there to be marked.
	if _, err := s.Submitting.Submit(ctx, student, c.ID, "", 1000); err != nil {
		t.Fatal(err)
	}
	steps(t, is(p, "it can be marked", `document.querySelector("#remark") && !document.querySelector('[data-do="main"]').hidden`), shows(p, "Look at the datum"),
		// One note goes at once, the other waits for Return.
		func() error { return p.Click(`.place [aria-label="Note"]`) },
		func() error { return p.Press(browser.Place{Page: 1, X: 300, Y: 500}) },
		func() error { return p.Presses("Kept for later") }, func() error { return p.Click("[data-draft] .dark") }, shows(p, "not returned yet"),
		func() error { return p.Click(`.place [aria-label="Note"]`) },
		func() error { return p.Press(browser.Place{Page: 1, X: 300, Y: 580}) },
		func() error { return p.Presses("Bring a ruler") },
		is(p, "sent now", `(() => { const b = [...document.querySelectorAll("[data-draft] .button")].find((b) => b.innerText === "Send now"); b?.click(); return b; })()`),
		shows(pupil, "Bring a ruler"))
	if _, page := sc.page(t, "student", fmt.Sprintf("/copies/%d", c.ID)); strings.Contains(page, "Kept for later") || !strings.Contains(page, "Bring a ruler") {
		t.Error("the student reads what was kept, or not what was sent")
	}
	// Without names nobody looks before it is submitted.
	nameless, err := s.Assignments.Assign(ctx, teacher, assign.NewAssignment{Course: sc.course.ID, Worksheet: sc.sheet.ID, Terms: assign.Terms{Title: "Watched without names", Points: "10", Nameless: true}})
	if err != nil {
		t.Fatal(err)
	}
	hidden, err := s.Saving.OpenOwn(ctx, student, nameless.ID)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.Saving.Save(ctx, student, hidden.ID, submission.Work, []submission.Op{op}); err != nil {
		t.Fatal(err)
	}
	if code := get("teacher", fmt.Sprintf("/copies/%d/watch", hidden.ID)); code != http.StatusForbidden {
		t.Errorf("without names: %d", code)
	}
}

func said(all []feedback.Asked, text string) bool {
	return slices.ContainsFunc(all, func(a feedback.Asked) bool { return a.Text == text })
}
