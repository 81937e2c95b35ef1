package e2e

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"regexp"
	"strings"
	"testing"
	"time"

	"readymargin/core/access"
	"readymargin/core/blank"
	"readymargin/core/flow"
	"readymargin/core/mark"
	"readymargin/core/submission"
	"readymargin/core/worksheet"
	"readymargin/demo"
	"readymargin/e2e/browser"
	"readymargin/school"
	"readymargin/school/assign"
	"readymargin/school/enrol"
	"readymargin/school/intake"
	"readymargin/school/takeaway"
)

// page returns what somebody of the scene gets.
func (sc *scene) page(t *testing.T, who, path string) (int, string) {
	t.Helper()
	res, err := sc.people[who].Get(home.Base + path)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	b, _ := io.ReadAll(res.Body)
	return res.StatusCode, string(b)
}

// words is page without its tags.
func (sc *scene) words(t *testing.T, who, path string) (int, string) {
	t.Helper()
	status, page := sc.page(t, who, path)
	return status, strings.Join(strings.Fields(regexp.MustCompile(`<[^>]*>`).ReplaceAllString(page, " ")), " ")
}

func typedMark(n int, text string) submission.Op {
	m := mark.Mark{ID: fmt.Sprintf("shared-mark-%d", n), Page: 1, Body: &mark.FreeText{X: 100, Y: 100 + 20*float64(n), Width: 60, Lines: []mark.TextLine{{Runs: []mark.Run{{Text: text, Size: 14, Color: "#1e2a44"}}}}}}
	return submission.Op{ID: fmt.Sprintf("shared-op-%d", n), On: m.ID, Mark: &m}
}

// A teacher keeps a draft, gives a harder worksheet to a section, hands it out,
// gives one more time, and takes it all away again; through the real pages.
func TestWhomAnAssignmentIsFor(t *testing.T) {
	t.Parallel()
	sc := setSceneNamed(t, "Whom")
	ctx := context.Background()
	teacher, student, classmate := personOf(t, "whom.teacher"), personOf(t, "whom.student"), personOf(t, "whom.classmate")
	file, err := demo.TideHeights()
	if err != nil {
		t.Fatal(err)
	}
	harder, err := home.School.Shelf.BringIn(ctx, teacher, intake.Upload{Name: "Harder tides.pdf", Data: file})
	if err != nil {
		t.Fatal(err)
	}
	p := tab(t, 1280, 800)
	says := func(text string) func() error {
		return func() error { return p.Until(text, fmt.Sprintf(`document.body.innerText.includes(%q)`, text)) }
	}
	do := func(script string) func() error {
		return func() error { _, err := browser.Eval[int](p, script+`; return 1`); return err }
	}
	steps(t,
		func() error { return p.SignIn("whom.teacher", scenePassword) },
		func() error { return p.Go(fmt.Sprintf("/courses/%d", sc.course.ID)) },
		do(`const f=document.querySelector('[aria-label="Section of Whom Classmate"]'); f.value="harder"; f.dispatchEvent(new Event("change",{bubbles:true}))`),
		func() error {
			return p.Until("the section is kept", `document.querySelector("#sections option[value=harder]")`)
		},
		do(`document.querySelector('[name=day]').value="2"; document.querySelector('[name=clock]').value="18:30"; document.querySelector('[name=clock]').form.requestSubmit()`), says("Tuesday 18:30"),
		func() error { return p.Go(fmt.Sprintf("/worksheets/%d/assign", sc.sheet.ID)) },
		// Due at the next lesson, unless the teacher says otherwise.
		func() error {
			return p.Until("the next lesson", `document.querySelector("#due").value.endsWith("T18:30")`)
		},
		do(`document.querySelectorAll("details").forEach(d=>d.open=true); document.querySelector("#title").value="For some"; document.querySelector("#instructions").value="Read **twice**. [Tables](https://tides.example/a) [Bad](javascript:alert(1))\n\n<script>alert(2)</script><img src=x onerror=alert(3)>";
			document.querySelectorAll("[value=pen],[value=shape],[value=picture]").forEach(b=>b.checked=false); document.querySelector("[name=keephere]").checked=true`),
		func() error { return p.Click(`button[value="draft"]`) }, says("Kept as a draft: For some"),
	)
	path, err := browser.Eval[string](p, `return location.pathname`)
	if err != nil {
		t.Fatal(err)
	}
	var id uint64
	fmt.Sscanf(path, "/assignments/%d", &id)
	if _, todo := sc.page(t, "student", "/to-do"); strings.Contains(todo, "For some") {
		t.Error("a student sees a draft")
	}
	if _, err := home.School.Saving.OpenOwn(ctx, student, id); !errors.Is(err, access.ErrHidden) {
		t.Errorf("a student opens a draft: %v", err)
	}
	steps(t,
		do(fmt.Sprintf(`document.querySelectorAll("details").forEach(d=>d.open=true); document.querySelector("#other").value="%d"; const f=document.querySelector("#other").form; f.querySelector("[name=section]").checked=true; f.querySelector("button").click()`, harder.ID)),
		func() error {
			return p.Until("it is given", `[...document.querySelectorAll("#whom strong")].some(s=>s.innerText==="Harder tides")`)
		},
		func() error { return p.Click(`button[value="publish"]`) }, says("Assigned: For some"), says("2 worksheets"),
	)
	mine, err := home.School.Saving.OpenOwn(ctx, student, id)
	if err != nil {
		t.Fatal(err)
	}
	theirs, err := home.School.Saving.OpenOwn(ctx, classmate, id)
	if err != nil {
		t.Fatal(err)
	}
	if mine.RevisionID == theirs.RevisionID {
		t.Error("both have the same worksheet")
	}
	for who, other := range map[string]uint64{"student": theirs.RevisionID, "classmate": mine.RevisionID} {
		if code, _ := sc.page(t, who, fmt.Sprintf("/sheets/%d/pages/1/25", other)); who == "student" && code != http.StatusNotFound {
			t.Errorf("%s gets the other worksheet: %d", who, code)
		}
		if _, todo := sc.page(t, who, "/to-do"); strings.Contains(todo, "Harder tides") || strings.Contains(todo, "2 worksheets") {
			t.Errorf("%s learns that there are others", who)
		}
	}
	// The instructions are formatted, and can do no harm.
	_, todo := sc.page(t, "student", "/to-do")
	if !strings.Contains(todo, "<strong>twice</strong>") || !strings.Contains(todo, `href="https://tides.example/a"`) || strings.Contains(todo, "javascript:alert") || strings.Contains(todo, "alert(2)") || strings.Contains(todo, "onerror") {
		t.Errorf("the instructions: %s", todo[strings.Index(todo, "For some"):])
	}
	// Only the instruments offered, and no file to take away.
	s := tab(t, 1280, 800)
	steps(t, func() error { return s.SignIn("whom.student", scenePassword) }, func() error { return s.Go(fmt.Sprintf("/copies/%d", mine.ID)) }, s.Ready,
		func() error {
			return s.Until("no pen, no taking away", `!document.querySelector('[data-place="draw"]') && document.querySelector('[data-place="write"]') && document.querySelector('[data-do="take-away"]').hidden`)
		})
	if _, err := home.School.Exports.TakeCopy(ctx, student, mine.ID, takeaway.Choice{}); !errors.Is(err, access.ErrKept) {
		t.Errorf("taken away: %v", err)
	}
	// More time for one, whom nobody else hears of.
	place := sc.course.Location()
	given, err := home.Store.Assignment(ctx, id)
	if err != nil {
		t.Fatal(err)
	}
	until := given.DueAt.In(place).Add(48 * time.Hour).Format(flow.Wall)
	steps(t, func() error { return p.Go(fmt.Sprintf("/assignments/%d/change", id)) },
		do(fmt.Sprintf(`document.querySelector("#student").value="%d"; document.querySelector("#until").value=%q; document.querySelector("#until").form.querySelector("button").click()`, student.ID, until)),
		func() error {
			return p.Until("more time", `[...document.querySelectorAll("#whom strong")].some(s=>s.innerText==="Whom Student")`)
		})
	due := func(who school.Person, c school.Copy) time.Duration {
		v, err := home.School.Screens.Open(ctx, who, c.ID)
		if err != nil {
			t.Fatal(err)
		}
		return v.Due.Sub(*given.DueAt)
	}
	if a, b := due(student, mine), due(classmate, theirs); a != 48*time.Hour || b != 0 {
		t.Errorf("due later by %v and %v", a, b)
	}
	// Unassigned: the work is kept, to be read and not to be changed.
	if _, err := home.School.Saving.Save(ctx, student, mine.ID, submission.Work, []submission.Op{typedMark(1, "kept work")}); err != nil {
		t.Fatal(err)
	}
	steps(t, func() error { return p.Go(fmt.Sprintf("/assignments/%d/change", id)) }, func() error { return p.Click(`button[value="unassign"]`) }, says("No longer assigned; all work is kept: For some"))
	if _, todo := sc.page(t, "student", "/to-do"); !strings.Contains(todo, "No longer assigned") || !strings.Contains(todo, "For some") {
		t.Error("the student is not told that the work is kept")
	}
	if _, todo := sc.page(t, "classmate", "/to-do"); strings.Contains(todo, "For some") {
		t.Error("who had not begun still sees it")
	}
	v, err := home.School.Screens.Open(ctx, student, mine.ID)
	if err != nil || v.Edit != "" || len(v.Marks) != 1 {
		t.Errorf("what was unassigned: %d marks to be read, layer %q (%v)", len(v.Marks), v.Edit, err)
	}
	if _, err := home.School.Assignments.AssignAgain(ctx, teacher, id); err != nil {
		t.Fatal(err)
	}
	if v, err := home.School.Screens.Open(ctx, student, mine.ID); err != nil || v.Edit != submission.Work {
		t.Errorf("assigned again: layer %q (%v)", v.Edit, err)
	}
	// For one person only: the other, who has not begun, has it no longer.
	if _, err := home.School.Assignments.SetAudience(ctx, teacher, id, access.Audience{People: []uint64{student.ID}}); err != nil {
		t.Fatal(err)
	}
	if _, err := home.School.Saving.OpenOwn(ctx, classmate, id); !errors.Is(err, access.ErrHidden) {
		t.Errorf("who is not among them opens it: %v", err)
	}
	if err := home.Store.SetMembership(ctx, school.Membership{CourseID: sc.course.ID, PersonID: student.ID, Role: access.Student, Section: "easier", Seen: true, JoinedAt: time.Now()}); err != nil {
		t.Fatal(err)
	}
	if _, err := home.School.Assignments.SetAudience(ctx, teacher, id, access.Audience{Sections: []string{"nowhere"}}); !school.IsProblem(err, "audience") {
		t.Errorf("a section that is not there: %v", err)
	}
}

// To read, everybody writes for oneself alone; on one for all everybody does, each under the own
// name, and nobody on what another made.
func TestToReadAndOneForAll(t *testing.T) {
	t.Parallel()
	sc := setSceneNamed(t, "Ways")
	ctx := context.Background()
	teacher, student, classmate := personOf(t, "ways.teacher"), personOf(t, "ways.student"), personOf(t, "ways.classmate")
	give := func(way flow.Mode) school.Assignment {
		a, err := home.School.Assignments.Assign(ctx, teacher, assign.NewAssignment{Course: sc.course.ID, Worksheet: sc.sheet.ID, Terms: assign.Terms{Title: string(way), Mode: way}})
		if err != nil {
			t.Fatal(err)
		}
		return a
	}
	open := func(who school.Person, a school.Assignment) school.Copy {
		c, err := home.School.Saving.OpenOwn(ctx, who, a.ID)
		if err != nil {
			t.Fatal(err)
		}
		return c
	}
	read := give(flow.ToRead)
	c := open(student, read)
	if v, err := home.School.Screens.Open(ctx, student, c.ID); err != nil || v.Edit != submission.Own {
		t.Errorf("to read: layer %q (%v)", v.Edit, err)
	}
	if _, err := home.School.Saving.Save(ctx, student, c.ID, submission.Work, []submission.Op{typedMark(1, "x")}); !errors.Is(err, access.ErrDenied) {
		t.Errorf("writing on what is to read: %v", err)
	}
	if _, err := home.School.Submitting.Submit(ctx, student, c.ID, "", 0); !errors.Is(err, access.ErrDenied) {
		t.Errorf("submitting what is to read: %v", err)
	}
	if _, roll := sc.page(t, "teacher", fmt.Sprintf("/assignments/%d/marking", read.ID)); !strings.Contains(roll, "opened today") || !strings.Contains(roll, "not opened") {
		t.Error("the teacher does not see who has opened it")
	}

	all := give(flow.OneForAll)
	shared := open(student, all)
	if open(classmate, all).ID != shared.ID || open(teacher, all).ID != shared.ID {
		t.Fatal("not the same copy for all")
	}
	one, two := tab(t, 1280, 800), tab(t, 1280, 800)
	write := func(p *browser.Tab, who string, y float64, text string) []func() error {
		return []func() error{
			func() error { return p.SignIn("ways."+who, scenePassword) }, func() error { return p.Go(fmt.Sprintf("/copies/%d", shared.ID)) }, p.Ready,
			func() error { return p.Click(`[data-place="write"] .take`) },
			func() error { return p.Press(browser.Place{Page: 1, X: 320, Y: y}) }, func() error { return p.Type(text) }, func() error { return p.Key("\x1b") },
			func() error {
				return p.Until("saved", `document.querySelector("[data-saved]").dataset.state==="saved"`)
			},
		}
	}
	steps(t, write(one, "student", 500, "Elena was here")...)
	steps(t, write(two, "classmate", 540, "So was Rhys")...)
	// The other's words arrive, with the name, and cannot be changed.
	steps(t,
		func() error {
			return one.Until("the other's words", `document.querySelector(".marks").textContent.includes("So was Rhys")`)
		},
		func() error { return one.Click(`[data-place="pick"] .take`) }, func() error { return one.Press(browser.Place{Page: 1, X: 330, Y: 538}) },
		func() error {
			return one.Until("whose it is", `document.querySelector("[data-popover]").innerText.includes("Ways Classmate made this")`)
		},
		func() error {
			return one.Until("no deleting", `!document.querySelector("[data-popover]").innerText.includes("Delete")`)
		},
	)
	heads, err := home.Store.Heads(ctx, shared.ID, submission.Work)
	if err != nil || len(heads) != 2 {
		t.Fatalf("%d marks (%v)", len(heads), err)
	}
	for _, h := range heads {
		if h.AuthorID != classmate.ID {
			continue
		}
		if _, err := home.School.Saving.Save(ctx, student, shared.ID, submission.Work, []submission.Op{{ID: "shared-op-99", On: h.On, Base: h.Op}}); !school.IsProblem(err, "not yours") {
			t.Errorf("taking away what another made: %v", err)
		}
		if _, err := home.School.Saving.Save(ctx, teacher, shared.ID, submission.Work, []submission.Op{{ID: "shared-op-98", On: h.On, Base: h.Op}}); err != nil {
			t.Errorf("the teacher takes it away: %v", err)
		}
	}
	steps(t, func() error {
		return one.Until("what was taken away is gone", `!document.querySelector(".marks").textContent.includes("So was Rhys") && document.querySelector(".marks").textContent.includes("Elena was here")`)
	}, func() error {
		return one.Until("what others did was fetched alone", `performance.getEntriesByType("resource").some((e) => e.name.includes("/changes?")) && !performance.getEntriesByType("resource").some((e) => e.name.endsWith("/view"))`)
	})
	if _, err := home.School.Submitting.Submit(ctx, student, shared.ID, "", 9); !errors.Is(err, access.ErrDenied) {
		t.Errorf("submitting one for all: %v", err)
	}
	if code, _ := sc.page(t, "outsider", fmt.Sprintf("/copies/%d", shared.ID)); code != http.StatusNotFound {
		t.Errorf("an outsider opens it: %d", code)
	}
}

// Newcomers wait for the teacher's yes where the course says so; who leaves and
// comes back finds the work; an assistant marks and does not run the course;
// a course keeps a teacher.
func TestWhoIsInACourse(t *testing.T) {
	t.Parallel()
	sc := setSceneNamed(t, "Staff")
	ctx := context.Background()
	teacher, waiting, student := personOf(t, "staff.teacher"), personOf(t, "staff.waiting"), personOf(t, "staff.student")
	if _, courses := sc.page(t, "waiting", "/courses"); !strings.Contains(courses, "waiting for the teacher") {
		t.Error("who waits is not told so")
	}
	if _, err := home.School.Saving.OpenOwn(ctx, waiting, sc.given.ID); !errors.Is(err, access.ErrHidden) {
		t.Errorf("who waits opens a copy: %v", err)
	}
	res, err := sc.people["teacher"].PostForm(fmt.Sprintf("%s/courses/%d/welcome", home.Base, sc.course.ID), nil)
	if err != nil {
		t.Fatal(err)
	}
	res.Body.Close()
	if _, err := home.School.Saving.OpenOwn(ctx, waiting, sc.given.ID); err != nil {
		t.Errorf("after the yes: %v", err)
	}
	c := sc.copies[flow.InProgress]
	if err := home.School.Courses.Leave(ctx, student, sc.course.ID); err != nil {
		t.Fatal(err)
	}
	if _, err := home.School.Screens.Open(ctx, student, c.ID); err == nil {
		t.Error("who has left still opens the copy")
	}
	if _, err := home.School.Courses.Join(ctx, student, sc.course.JoinCode, enrol.Device{}); err != nil {
		t.Fatal(err)
	}
	if v, err := home.School.Screens.Open(ctx, student, c.ID); err != nil || len(v.Marks) == 0 {
		t.Errorf("back again: %d marks (%v)", len(v.Marks), err)
	}
	if code, page := sc.page(t, "assistant", fmt.Sprintf("/courses/%d", sc.course.ID)); code != http.StatusOK || strings.Contains(page, "Join code") || strings.Contains(page, "/change") {
		t.Errorf("the course as an assistant sees it: %d", code)
	}
	if err := home.School.Roster.RemoveStaff(ctx, teacher, sc.course.ID, teacher.ID); !school.IsProblem(err, "last teacher") {
		t.Errorf("the last teacher goes: %v", err)
	}
	for login, code := range map[string]string{"nobody.at.all": "no account", "staff.outsider": "no teacher", "staff.student": "learns here"} {
		if err := home.School.Roster.AddStaff(ctx, teacher, sc.course.ID, login, access.Teacher); !school.IsProblem(err, code) && !(code == "learns here" && school.IsProblem(err, "no teacher")) {
			t.Errorf("%s as a teacher: %v, want %s", login, err, code)
		}
	}
	// The teacher sets how the sheet is shown for a student.
	if err := home.School.Roster.SetHelp(ctx, teacher, sc.course.ID, student.ID, enrol.Help{Left: true, Ruler: true, View: enrol.InWords}); err != nil {
		t.Fatal(err)
	}
	p := tab(t, 1280, 800)
	steps(t, func() error { return p.SignIn("staff.student", scenePassword) }, func() error { return p.Go(fmt.Sprintf("/copies/%d", c.ID)) }, p.Ready,
		func() error {
			return p.Until("left-handed, in words, with the reading window", `document.querySelector(".screen.left.reading.in-words .reading-window")`)
		})
}

// A student's start page has three lists, in agreement with their numbers: what is
// to do, with how far one is, what is handed in, what is back.
func TestThreeListsOfAStudent(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	sc := setSceneNamed(t, "Lists")
	student := personOf(t, "lists.student")
	blankOf := func() worksheet.Blank {
		c := sc.copies[flow.InProgress]
		full, err := home.Store.CopyInCourse(ctx, c.ID, student.ID)
		if err != nil {
			t.Fatal(err)
		}
		is, err := home.School.Revisions.Revised(ctx, full.Revision)
		if err != nil {
			t.Fatal(err)
		}
		for _, b := range is.Guides[0].Blanks {
			if b.Kind == blank.Cell {
				return b
			}
		}
		t.Fatal("the sheet has no cells")
		return worksheet.Blank{}
	}
	b := blankOf()
	m := mark.Mark{ID: "lists-cell", Page: 1, Blank: b.ID, Body: &mark.FreeText{X: b.Rect[0] + 2, Y: b.Baseline, Width: 20, Lines: []mark.TextLine{{Runs: []mark.Run{{Text: "0.9", Size: 12, Color: "#1e2a44"}}}}}}
	if _, err := home.School.Saving.Save(ctx, student, sc.copies[flow.InProgress].ID, submission.Work, []submission.Op{{ID: "op-lists-cell", On: m.ID, Mark: &m}}); err != nil {
		t.Fatal(err)
	}
	p := tab(t, 1280, 800)
	is := func(what, script string) func() error { return func() error { return p.Until(what, script) } }
	rows := func(words string, n int) func() error {
		return is(fmt.Sprint(n, " say ", words), fmt.Sprintf(`[...document.querySelectorAll(".heap .button")].filter((b) => b.innerText === %q).length === %d`, words, n))
	}
	steps(t, func() error { return p.SignIn("lists.student", scenePassword) }, func() error { return p.Go("/to-do") },
		is("the numbers", `document.querySelector("main h1").innerText === "3 sheets to do" && document.querySelector("main h1 + p").innerText === "1 handed in · 1 back with feedback"`),
		rows("Begin", 1), rows("Go on", 2), rows("Look at it", 1), rows("See the feedback", 1),
		is("how far", `[...document.querySelectorAll("[data-filled]")].some((e) => /^1 of \d+ places filled$/.test(e.innerText))`),
		is("each has its picture", `[...document.querySelectorAll("img.leaf")].length === 5 && [...document.querySelectorAll("img.leaf")].every((i) => (i.loading = "eager") && i.complete && i.naturalWidth > 0)`),
		is("what is back comes first", `document.querySelector(".heap .button").innerText === "See the feedback" && document.querySelectorAll(".button.next").length === 1`))
	axeFinds(t, p, "three lists")
	steps(t, func() error { return p.Click(".button.next") }, p.Ready, func() error { return p.Go("/to-do") },
		rows("Read it again", 1), rows("See the feedback", 0))
	if err := p.Resize(390, 844, true); err != nil {
		t.Fatal(err)
	}
	steps(t, func() error { return p.Go("/to-do") }, is("nothing is wider than the telephone", `document.documentElement.scrollWidth <= 390`))
}
