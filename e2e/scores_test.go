package e2e

import (
	"context"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/chromedp/chromedp/kb"

	"readymargin/core/mark"
	"readymargin/core/points"
	"readymargin/core/submission"
	"readymargin/core/worksheet"
	"readymargin/e2e/browser"
	"readymargin/e2e/house"
	"readymargin/school"
	"readymargin/school/assign"
	"readymargin/school/intake"
	"readymargin/school/takeaway"
)

// scored is a worksheet of which questions 1, 2 and 3 are worth 3, 1 and 2
// points, submitted by two students; it returns their copies.
func scored(t *testing.T, name string) (sc *scene, assignment uint64, copies []uint64, questions []string) {
	return scoredBy(t, name, nil, assign.Terms{Title: "Scored", Points: "6"})
}

// scoredBy is scored with terms of one's own, and with question 3 judged by a rubric.
func scoredBy(t *testing.T, name string, rubric *worksheet.Rubric, terms assign.Terms) (sc *scene, assignment uint64, copies []uint64, questions []string) {
	t.Helper()
	ctx := context.Background()
	sc = setSceneNamed(t, name)
	teacher := personOf(t, name+".teacher")
	w, err := home.School.Shelf.BringIn(ctx, teacher, intake.Upload{Name: "sheet.pdf", Data: marksToMake(t)})
	if err != nil {
		t.Fatal(err)
	}
	found, err := home.School.Shelf.Found(ctx, teacher, w.ID)
	if err != nil {
		t.Fatal(err)
	}
	asks := slices.Clone(found[0].Questions)
	for i, worth := range []points.Points{3 * points.One, points.One, 2 * points.One} {
		asks[i].Points = worth
		questions = append(questions, asks[i].ID)
	}
	if rubric != nil {
		asks[2].Rubric, asks[2].Points = rubric, rubric.Points()
	}
	plan := worksheet.Plan{{Page: 1, Use: worksheet.Sheet, Decided: true, Questions: &asks}}
	if err := home.School.Shelf.Arrange(ctx, teacher, w.ID, 1, plan, worksheet.Kit{}); err != nil {
		t.Fatal(err)
	}
	a, err := home.School.Assignments.Assign(ctx, teacher, assign.NewAssignment{Course: sc.course.ID, Worksheet: w.ID, Terms: terms})
	if err != nil {
		t.Fatal(err)
	}
	for _, who := range []string{".student", ".classmate"} {
		p := personOf(t, name+who)
		c, err := home.School.Saving.OpenOwn(ctx, p, a.ID)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := home.School.Saving.Save(ctx, p, c.ID, submission.Work, []submission.Op{house.Written("w"+who[1:], "done")}); err != nil {
			t.Fatal(err)
		}
		if _, err := home.School.Submitting.Submit(ctx, p, c.ID, "", 1); err != nil {
			t.Fatal(err)
		}
		copies = append(copies, c.ID)
	}
	return sc, a.ID, copies, questions
}

// Points are given question by question by the keyboard alone and add up; a
// total that is given as a whole stands until it is taken away.
func TestPointsAddUp(t *testing.T) {
	t.Parallel()
	_, assignment, copies, _ := scored(t, "scores")
	p := tab(t, 1366, 768)
	is := func(what, script string) func() error { return func() error { return p.Until(what, script) } }
	stands := func(total, says string) func() error {
		return is(total+", "+says, fmt.Sprintf(`document.querySelector("#points").value === %q && document.querySelector("[data-tally]").innerText === %q`, total, says))
	}
	in := func(n int) func() error {
		return is(fmt.Sprint("question ", n, " is in hand"), fmt.Sprintf(`document.activeElement === document.querySelectorAll("[data-question]")[%d]`, n-1))
	}
	write := func(text string) func() error { return func() error { return p.Type(text) } }
	attempt := func(id uint64) school.Attempt {
		all, err := home.Store.Attempts(context.Background(), id)
		if err != nil {
			t.Fatal(err)
		}
		return all[0]
	}
	steps(t,
		func() error { return p.SignIn("scores.teacher", scenePassword) },
		func() error { return p.Go(fmt.Sprintf("/assignments/%d/marking?copy=%d", assignment, copies[0])) }, p.Ready,
		stands("", "3 questions without points"),
		func() error { return p.Key("p") }, in(1), func() error { return p.Fill("[data-question]", "2.5") }, func() error { return p.Enter() },
		in(2), write("1"), func() error { return p.Enter() },
		in(3), stands("3.5", "1 question without points"),
		write("2"), func() error { return p.Key(kb.Tab) }, stands("5.5", "added up"),
	)
	axeFinds(t, p, "points by question")
	if a := attempt(copies[0]); a.Points == nil || a.Points.String() != "5.5" {
		t.Errorf("the attempt has %v", a.Points)
	}
	steps(t,
		func() error { return p.Fill("#points", "4") }, func() error { return p.Enter() }, stands("4", "given as a whole"),
		func() error { return p.Fill("[data-question]", "3") }, is("it is kept", `document.querySelector("[data-question]").dataset.was === "3"`), stands("4", "given as a whole"),
		func() error { return p.Fill("#points", "") }, func() error { return p.Enter() }, stands("6", "added up"),
		func() error { return p.Fill("[data-question]", "9") }, is("too many", `document.querySelector("[data-question]").getAttribute("aria-invalid") === "true" && document.querySelector(".toast").innerText.includes("from 0 to 3")`),
		func() error { return p.Fill("[data-question]", "3") }, is("it is right again", `!document.querySelector("[data-question]").hasAttribute("aria-invalid")`),
		// After the last question comes the next copy's first.
		func() error { return p.Fill(`.scores li:last-child [data-question]`, "1.5") }, func() error { return p.Enter() },
		is("the other copy is open", fmt.Sprintf(`location.search.includes("copy=%d")`, copies[1])), in(1),
		stands("", "3 questions without points"),
	)
	before := attempt(copies[0])
	if before.Points == nil || before.Points.String() != "5.5" {
		t.Errorf("the first attempt has %v in the end", before.Points)
	}
	// Looking at it again changes nothing.
	steps(t,
		func() error { return p.Go(fmt.Sprintf("/assignments/%d/marking?copy=%d", assignment, copies[0])) }, p.Ready,
		stands("5.5", "added up"),
		is("nothing is on its way", `await new Promise((ok) => setTimeout(ok, 1500)), document.querySelector("[data-saved]").dataset.state === "saved"`),
		is("the points are there", `[...document.querySelectorAll("[data-question]")].map((b) => b.value).join(" ") === "3 1 1.5"`),
	)
	if after := attempt(copies[0]); after.Points == nil || *after.Points != *before.Points || !after.MarkedAt.Equal(*before.MarkedAt) {
		t.Errorf("after looking at it: %v, touched %v, was %v", after.Points, after.MarkedAt, before.MarkedAt)
	}
	if untouched := attempt(copies[1]); untouched.MarkedAt != nil {
		t.Errorf("a copy that was only looked at was touched %v", untouched.MarkedAt)
	}
}

// Students see the points of each question once the copy was returned, and as
// they were then.
func TestPointsByQuestionAreReturned(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	sc, _, copies, questions := scored(t, "counted")
	teacher := personOf(t, "counted.teacher")
	give := func(n int, text, was string) {
		t.Helper()
		if _, err := home.School.Marking.Score(ctx, teacher, copies[0], 1, questions[n], text, was); err != nil {
			t.Fatal(err)
		}
	}
	seen := func() string {
		t.Helper()
		_, page := sc.page(t, "student", fmt.Sprintf("/copies/%d", copies[0]))
		list := regexp.MustCompile(`(?s)<ul class="scores".*?</ul>`).FindString(page)
		return strings.Join(strings.Fields(regexp.MustCompile(`<[^>]*>`).ReplaceAllString(list, " ")), " ")
	}
	give(0, "2.5", "")
	give(1, "1", "")
	if got := seen(); got != "" {
		t.Errorf("before it is returned: %q", got)
	}
	if err := home.School.Marking.Return(ctx, teacher, copies[0], 1); err != nil {
		t.Fatal(err)
	}
	give(0, "3", "2.5") // waits for the next return
	if got := seen(); got != "1. 2.5 of 3 2. 1 of 1 3. – of 2" {
		t.Errorf("returned: %q", got)
	}
}

// What somebody else gave meanwhile is not written over unseen, and who does
// not mark gives nothing.
func TestTwoGivePointsAtOnce(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	_, _, copies, questions := scored(t, "both")
	teacher, assistant := personOf(t, "both.teacher"), personOf(t, "both.assistant")
	give := func(who school.Person, question, text, was string) error {
		_, err := home.School.Marking.Score(ctx, who, copies[0], 1, question, text, was)
		return err
	}
	if err := give(teacher, questions[0], "2", ""); err != nil {
		t.Fatal(err)
	}
	if err := give(assistant, questions[0], "1", ""); !school.IsProblem(err, "scored") {
		t.Errorf("the other's points are written over: %v", err)
	}
	if err := give(assistant, questions[0], "2,0", ""); err != nil {
		t.Errorf("the same points once more: %v", err)
	}
	if err := give(assistant, questions[0], "1", "2"); err != nil {
		t.Errorf("having seen them: %v", err)
	}
	for name, err := range map[string]error{
		"a student":             give(personOf(t, "both.student"), questions[0], "3", "1"),
		"a teacher elsewhere":   give(personOf(t, "both.stranger"), questions[0], "3", "1"),
		"a question of nothing": give(teacher, "nothing", "1", ""),
		"too many":              give(teacher, questions[1], "2", ""),
		"below nothing":         give(teacher, questions[1], "-1", ""),
		"a third":               give(teacher, questions[1], "0.33", ""),
	} {
		if err == nil {
			t.Errorf("%s: points were given", name)
		}
	}
	scores, err := home.Store.Scores(ctx, copies[0], 1)
	if err != nil || len(scores) != 1 || scores[0].Points != points.One || scores[0].PersonID != assistant.ID {
		t.Errorf("%+v, %v", scores, err)
	}
	if err := give(teacher, questions[0], "", "1"); err != nil {
		t.Fatal(err)
	}
	if all, err := home.Store.Attempts(ctx, copies[0]); err != nil || all[0].Points != nil {
		t.Errorf("without points the attempt has %v (%v)", all[0].Points, err)
	}
}

// Points are given on the page too, by touch alone: from question to question
// and on to the next copy. They are printed there, and a course says in which
// steps they come.
func TestPointsOnThePage(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	sc, assignment, copies, _ := scored(t, "tags")
	teacher, student := personOf(t, "tags.teacher"), personOf(t, "tags.student")
	p := tab(t, 820, 1180)
	if err := p.Resize(820, 1180, true); err != nil {
		t.Fatal(err)
	}
	is := func(what, script string) func() error { return func() error { return p.Until(what, script) } }
	tap := func(selector string) func() error { return func() error { return p.TapOn(selector) } }
	offered := func(n int, values string) func() error {
		return is(fmt.Sprint("question ", n, " is offered ", values), fmt.Sprintf(`document.querySelector(".tag-strip")?.getAttribute("aria-label") === "Points for question %d." && [...document.querySelectorAll(".tag-strip button")].map((b) => b.innerText).join() === %q`, n, values))
	}
	steps(t,
		func() error { return p.SignIn("tags.teacher", scenePassword) },
		func() error { return p.Go(fmt.Sprintf("/assignments/%d/marking?copy=%d", assignment, copies[0])) }, p.Ready,
		is("each question has its sign", `[...document.querySelectorAll(".tag")].map((t) => t.innerText).join() === "of 3,of 1,of 2"`),
		tap(".tag"), offered(1, "0,0.25,0.5,0.75,1,1.25,1.5,1.75,2,2.25,2.5,2.75,3"),
	)
	axeFinds(t, p, "points on the page")
	steps(t,
		tap(`.tag-strip button:nth-child(11)`), offered(2, "0,0.25,0.5,0.75,1"), is("it stands there", `document.querySelector(".tag").innerText === "2.5 of 3"`),
		tap(`.tag-strip button:last-child`), offered(3, "0,0.25,0.5,0.75,1,1.25,1.5,1.75,2"),
		tap(`.tag-strip button:first-child`), is("the next copy is open", fmt.Sprintf(`location.search.includes("copy=%d")`, copies[1])),
		is("and its first question offered", `document.querySelector(".tag-strip")?.getAttribute("aria-label") === "Points for question 1."`),
		is("nothing was drawn", `document.querySelectorAll(".marks path").length === 0`),
	)
	if a, err := home.Store.Attempts(ctx, copies[0]); err != nil || a[0].Points == nil || a[0].Points.String() != "3.5" {
		t.Errorf("the attempt has %v (%v)", a[0].Points, err)
	}
	// A course of whole points.
	if _, err := home.School.Courses.SetMarking(ctx, teacher, sc.course.ID, "1", school.Last, false); err != nil {
		t.Fatal(err)
	}
	steps(t,
		func() error { return p.Go(fmt.Sprintf("/assignments/%d/marking?copy=%d", assignment, copies[1])) }, p.Ready,
		tap(".tag"), offered(1, "0,1,2,3"),
		func() error { return p.Key(kb.Escape) }, is("it is closed", `!document.querySelector(".tag-strip")`),
		func() error { return p.Fill("[data-question]", "2.5") },
		is("no half ones", `document.querySelector(".toast").innerText === "Points are given in steps of 1 in this course."`),
		func() error { return p.Fill("[data-question]", "") },
		// All of them by one key each.
		func() error { return p.Key(" ") }, func() error { return p.Key(" ") }, func() error { return p.Key(" ") },
		is("all were given", `[...document.querySelectorAll(".tag")].map((t) => t.innerText).join() === "3 of 3,1 of 1,2 of 2" && document.querySelector("#points").value === "6"`),
	)
	// The student sees them, on the screen and in the file, once they are returned.
	printed := func() string {
		f, err := home.School.Exports.TakeCopy(ctx, student, copies[0], takeaway.Choice{Attempt: 1})
		if err != nil {
			t.Fatal(err)
		}
		return textIn(t, bytesOf(t, f))
	}
	if before := printed(); strings.Contains(before, "2.5 of 3") {
		t.Errorf("printed before Return: %s", before)
	}
	if err := home.School.Marking.Return(ctx, teacher, copies[0], 1); err != nil {
		t.Fatal(err)
	}
	after := printed()
	for _, want := range []string{"2.5 of 3", "1 of 1", "0 of 2"} {
		if !strings.Contains(after, want) {
			t.Errorf("%q is not printed: %s", want, after)
		}
	}
	q := tab(t, 1280, 800)
	steps(t, func() error { return q.SignIn("tags.student", scenePassword) }, func() error { return q.Go(fmt.Sprintf("/copies/%d", copies[0])) }, q.Ready,
		func() error {
			return q.Until("the points stand on the page", `[...document.querySelectorAll("p.tag")].map((t) => t.innerText).join() === "2.5 of 3,1 of 1,0 of 2"`)
		})
}

// What a student has written is washed over, crossed out and spoken about as it
// stands, in the feedback: the student's own mark stays as it was.
func TestMarkingWhatWasWritten(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	_, assignment, copies, _ := scored(t, "written")
	p := tab(t, 1280, 800)
	at := func(x, y float64) browser.Place { return browser.Place{Page: 1, X: x, Y: y} }
	own := house.Written("wstudent", "done").Mark.Body.Bounds()
	y := own.Center().Y
	is := func(what, script string) func() error { return func() error { return p.Until(what, script) } }
	drag := func() error {
		return p.Drag("mouse", 0.5, at(own.Min.X+1, y), at(own.Center().X, y), at(own.Max.X-1, y))
	}
	steps(t,
		func() error { return p.SignIn("written.teacher", scenePassword) },
		func() error { return p.Go(fmt.Sprintf("/assignments/%d/marking?copy=%d", assignment, copies[0])) }, p.Ready,
		func() error { return p.Key("3") }, drag,
		is("it is washed over", `document.querySelectorAll(".washes > *").length > 0`),
		func() error { return p.Key("3") }, func() error { return p.Key("3") },
		is("cross out is in hand", `document.querySelector('[data-place="mark"] .name').textContent === "Cross out"`),
		drag,
		func() error { return p.Key("5") }, func() error { return p.Press(at(own.Center().X, y)) }, func() error { return p.Presses("Is it?") }, func() error { return p.Click("[data-draft] .dark") },
		is("the note quotes it", `document.querySelector("[data-note] blockquote").innerText === "done"`),
		is("it is saved", `await new Promise((ok) => setTimeout(ok, 900)), document.querySelector("[data-saved]").dataset.state === "saved"`))
	heads, err := home.Store.Heads(ctx, copies[0], submission.Feedback(1))
	if err != nil {
		t.Fatal(err)
	}
	kinds := map[string]int{}
	for _, h := range heads {
		kinds[h.Mark.Body.Kind()]++
		switch b := h.Mark.Body.(type) {
		case *mark.Note:
			if b.On != "wstudent-mark" {
				t.Errorf("the note hangs on %q", b.On)
			}
		default:
			if r := b.Bounds(); !own.Grow(6).Contains(r.Min) || !own.Grow(6).Contains(r.Max) {
				t.Errorf("%s lies at %v, the words at %v", b.Kind(), r, own)
			}
		}
	}
	if fmt.Sprint(kinds) != "map[highlight:1 note:1 strikeout:1]" {
		t.Errorf("the feedback has %v", kinds)
	}
	work, err := home.Store.Heads(ctx, copies[0], submission.Work)
	if err != nil || len(work) != 1 || work[0].Mark == nil || work[0].Mark.Body.Bounds() != own {
		t.Errorf("the student's own is %+v, %v", work, err)
	}
}
