package e2e

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"readymargin/core/access"
	"readymargin/core/flow"
	"readymargin/core/submission"
	"readymargin/core/worksheet"
	"readymargin/demo"
	"readymargin/e2e/browser"
	"readymargin/school"
	"readymargin/school/assign"
	"readymargin/school/enrol"
)

// giveAs assigns the scene's worksheet in a way.
func (sc *scene) giveAs(t *testing.T, teacher school.Person, terms assign.Terms) school.Assignment {
	t.Helper()
	a, err := home.School.Assignments.Assign(context.Background(), teacher, assign.NewAssignment{Course: sc.course.ID, Worksheet: sc.sheet.ID, Terms: terms})
	if err != nil {
		t.Fatal(err)
	}
	return a
}

// A handy is a student's page and how things on it are pressed: by the mouse on a
// laptop, or by a finger on a tablet.
type handy struct {
	*browser.Tab
	by string
}

func handyBy(t *testing.T, by string) handy {
	t.Helper()
	if by == "mouse" {
		return handy{tab(t, 1280, 800), by}
	}
	p := tab(t, 820, 1180)
	steps(t, func() error { return p.Resize(820, 1180, true) })
	return handy{p, by}
}

func (h handy) on(selector string) func() error {
	return func() error {
		if h.by == "mouse" {
			return h.Click(selector)
		}
		return h.TapOn(selector)
	}
}

func (h handy) at(p browser.Place) error {
	if h.by == "mouse" {
		return h.Press(p)
	}
	return h.TapAt(p)
}

// margin opens the margin where it lies beneath the page.
func (h handy) margin() error {
	if h.by == "mouse" {
		return nil
	}
	return h.TapOn(`[data-do="margin"]`)
}

func (h handy) over(through ...browser.Place) error {
	if h.by == "mouse" {
		return h.Drag("mouse", 0.5, through...)
	}
	return h.Slide(through...)
}

// A sheet to keep is marked up by a key of one's own, which counts and shows alone
// what it means; nobody else sees it until its student shows it, and it is nowhere to
// be done, marked or counted.
func TestASheetToKeep(t *testing.T) {
	for _, by := range []string{"mouse", "touch"} {
		t.Run(by, func(t *testing.T) { toKeep(t, by) })
	}
}

func toKeep(t *testing.T, by string) {
	t.Parallel()
	sc := setSceneNamed(t, "Keeping"+by)
	ctx, s := context.Background(), home.School
	teacher, student := personOf(t, "keeping"+by+".teacher"), personOf(t, "keeping"+by+".student")
	a := sc.giveAs(t, teacher, assign.Terms{Title: "For the shelf", Mode: flow.ToKeep, Points: "5"})
	if _, todo := sc.words(t, "student", "/to-do"); !strings.Contains(todo, "For the shelf") || strings.Contains(todo, "Yours to keep") {
		t.Errorf("before it is opened: %s", todo)
	}
	p := handyBy(t, by)
	const counted = `document.querySelector("[data-key-count]").innerText.replace(/\s+/g," ").trim()`
	mark := func(y float64) func() error {
		return func() error {
			return p.over(browser.Place{Page: 1, X: 90, Y: y}, browser.Place{Page: 1, X: 130, Y: y}, browser.Place{Page: 1, X: 200, Y: y})
		}
	}
	saved := func() error {
		return p.Until("it is saved", `document.querySelector("[data-saved]").dataset.state==="saved"`)
	}
	steps(t,
		func() error { return p.SignIn("keeping"+by+".student", scenePassword) }, func() error { return p.Go(fmt.Sprintf("/assignments/%d", a.ID)) }, p.Ready,
		p.margin, p.on(`[data-do="own-key"]`), func() error { return p.Fill(`[data-own-key] input`, "doubtful") },
		p.on(`[data-more]`), func() error { return p.Fill(`[data-own-key] > :nth-child(2) input`, "to learn") },
		p.on(`[data-dialog="own-key"] [data-yes]`),
		func() error {
			return p.Until("the screen is laid anew", `document.querySelectorAll("[data-key-count] li").length===2`)
		}, p.Ready, p.margin,
		func() error { return p.Until("the key is there", counted+`==="doubtful (D) 0 to learn (T) 0"`) },
		p.on(`[data-place="mark"] .take`), mark(176), saved, mark(192), saved, p.margin,
		func() error { return p.Until("two are counted", counted+`==="doubtful (D) 2 to learn (T) 0"`) },
		p.on(`[data-key-count] li:nth-child(2) .only`),
		func() error {
			return p.Until("only those of the other meaning are shown", `document.querySelectorAll(".marks .unshown").length===2`)
		},
		p.on(`[data-key-count] li:nth-child(2) .only`),
		func() error {
			return p.Until("all are shown again", `document.querySelectorAll(".marks .unshown").length===0`)
		},
	)
	axeFinds(t, p.Tab, "a sheet to keep")
	mine, err := home.Store.CopyOf(ctx, a.ID, student.ID)
	if err != nil {
		t.Fatal(err)
	}
	watched := func() error { _, err := s.Screens.OpenToWatch(ctx, teacher, mine.ID); return err }
	if err := watched(); !errors.Is(err, access.ErrDenied) {
		t.Errorf("the teacher looks at what is the student's own: %v", err)
	}
	steps(t, p.on(`[data-do="show"]`), func() error { return p.Until("it is shown", `document.querySelector('[data-do="hide"]')`) })
	if err := watched(); err != nil {
		t.Errorf("the teacher does not see what is shown: %v", err)
	}
	if _, roll := sc.page(t, "teacher", fmt.Sprintf("/assignments/%d/marking", a.ID)); !strings.Contains(roll, fmt.Sprintf(`data-copy="%d"`, mine.ID)) {
		t.Error("the teacher does not find what is shown")
	}
	if err := s.Keeping.Show(ctx, student, mine.ID, false); err != nil || watched() == nil {
		t.Errorf("what is shown no longer is still seen (%v)", err)
	}
	for what, err := range map[string]error{
		"submitting":         errOf(s.Submitting.Submit(ctx, student, mine.ID, "", 9)),
		"the teacher's key":  s.Keeping.SetKey(ctx, teacher, mine.ID, nil),
		"a classmate shows":  s.Keeping.Show(ctx, personOf(t, "keeping"+by+".classmate"), mine.ID, true),
		"a key without name": s.Keeping.SetKey(ctx, student, mine.ID, []worksheet.Meaning{{Color: "#f3c246", Sign: "A"}}),
		"a key on a copy":    s.Keeping.SetKey(ctx, student, sc.copies[flow.InProgress].ID, nil),
	} {
		if !errors.Is(err, access.ErrDenied) && !errors.Is(err, access.ErrHidden) && !school.IsProblem(err, "colour key") {
			t.Errorf("%s: %v", what, err)
		}
	}
	if _, todo := sc.words(t, "student", "/to-do"); !strings.Contains(todo, "Yours to keep For the shelf") {
		t.Errorf("once opened: %s", todo)
	}
	book, err := s.Books.Book(ctx, teacher, sc.course.ID)
	if err != nil {
		t.Fatal(err)
	}
	for _, col := range book.Columns {
		if col.ID == a.ID {
			t.Error("a sheet to keep has a column of the mark book")
		}
	}
	// The course is put away: it stays the student's, and is written on.
	if err := s.Courses.Archive(ctx, teacher, sc.course.ID); err != nil {
		t.Fatal(err)
	}
	if v, err := s.Screens.Open(ctx, student, mine.ID); err != nil || v.Edit != submission.Work {
		t.Errorf("in a course that is put away: layer %q (%v)", v.Edit, err)
	}
}

// On a sheet to read one marks for oneself: nobody else is told.
func TestMarksForOneselfOnASheetToRead(t *testing.T) {
	t.Parallel()
	sc := setSceneNamed(t, "Reading")
	ctx, s := context.Background(), home.School
	teacher, student := personOf(t, "reading.teacher"), personOf(t, "reading.student")
	a := sc.giveAs(t, teacher, assign.Terms{Title: "A page to read", Mode: flow.ToRead})
	p := tab(t, 1280, 800)
	steps(t, func() error { return p.SignIn("reading.student", scenePassword) }, func() error { return p.Go(fmt.Sprintf("/assignments/%d", a.ID)) }, p.Ready,
		func() error { return p.Click(`[data-place="write"] .take`) }, func() error { return p.Press(browser.Place{Page: 1, X: 320, Y: 500}) },
		func() error { return p.Type("for me") }, func() error { return p.Key("\x1b") },
		func() error {
			return p.Until("it is saved", `document.querySelector("[data-saved]").dataset.state==="saved"`)
		},
		func() error { return p.Go(fmt.Sprintf("/assignments/%d", a.ID)) }, p.Ready,
		func() error {
			return p.Until("it is there again", `document.querySelector(".marks").textContent.includes("for me")`)
		})
	mine, err := home.Store.CopyOf(ctx, a.ID, student.ID)
	if err != nil {
		t.Fatal(err)
	}
	for who, do := range map[string]error{
		"the teacher":  errOf(s.Screens.OpenToWatch(ctx, teacher, mine.ID)),
		"a classmate":  errOf(s.Screens.Open(ctx, personOf(t, "reading.classmate"), mine.ID)),
		"as work":      errOf(s.Saving.Save(ctx, student, mine.ID, submission.Work, []submission.Op{typedMark(1, "x")})),
		"their answer": errOf(s.Saving.Save(ctx, teacher, mine.ID, submission.Own, []submission.Op{typedMark(2, "x")})),
	} {
		if do == nil {
			t.Errorf("%s: it is allowed", who)
		}
	}
}

// Pages of one's own: a PDF is brought, worked on, submitted, marked and
// returned as any copy; the pages are laid before anything is written, and stay after
// they were submitted.
func TestPagesOfOnesOwn(t *testing.T) {
	for _, by := range []string{"mouse", "touch"} {
		t.Run(by, func(t *testing.T) { ownPages(t, by) })
	}
}

func ownPages(t *testing.T, by string) {
	t.Parallel()
	sc := setSceneNamed(t, "Bringing"+by)
	ctx, s := context.Background(), home.School
	teacher, student := personOf(t, "bringing"+by+".teacher"), personOf(t, "bringing"+by+".student")
	essay := file(t, "Passage.pdf", demo.PassagePlan)
	large := filepath.Join(t.TempDir(), "no.pdf")
	if err := os.WriteFile(large, []byte("this is no PDF"), 0o644); err != nil {
		t.Fatal(err)
	}
	teach := tab(t, 1280, 800)
	steps(t, func() error { return teach.SignIn("bringing"+by+".teacher", scenePassword) }, func() error { return teach.Go(fmt.Sprintf("/courses/%d", sc.course.ID)) },
		func() error { return teach.Click(`a[href^="/assignments/own"]`) }, func() error { return teach.Fill("#title", "My passage") }, func() error { return teach.Fill("#points", "8") },
		func() error { return teach.Click(`form[action="/assignments"] .next`) },
		func() error {
			return teach.Until("it is assigned", `document.querySelector("main").innerText.includes("Assigned: My passage")`)
		})
	given, err := home.Store.AssignmentsOf(ctx, sc.course.ID)
	if err != nil {
		t.Fatal(err)
	}
	a := given[slices.IndexFunc(given, func(a school.Assignment) bool { return a.Title == "My passage" })]

	p := handyBy(t, by)
	steps(t, func() error { return p.SignIn("bringing"+by+".student", scenePassword) },
		func() error { return p.Go(fmt.Sprintf("/assignments/%d", a.ID)) }, p.Ready)
	steps(t,
		choosing(p.Tab, p.on(`[data-bring]`), large),
		func() error {
			return p.Until("it says what is wrong", `document.body.innerText.includes("neither a PDF")`)
		},
		func() error {
			return p.Until("it has been read", `!document.body.innerText.includes("neither a PDF")`)
		},
		choosing(p.Tab, p.on(`[data-bring]`), essay),
		func() error {
			return p.Until("the pages are there", `document.querySelector(".sheet")?.innerText.includes("Passage plan")||document.querySelector('.words,.print')?.textContent.includes("Passage")`)
		},
		p.Ready,
	)
	mine, err := home.Store.CopyOf(ctx, a.ID, student.ID)
	if err != nil || mine.State != flow.InProgress || mine.RevisionID == a.Handouts[0].RevisionID {
		t.Fatalf("the copy is %s, of revision %d (%v)", mine.State, mine.RevisionID, err)
	}
	// Teachers see the pages once they are submitted, classmates never.
	path := fmt.Sprintf("/sheets/%d/pages/1/25", mine.RevisionID)
	if status, _ := sc.page(t, "classmate", path); status != http.StatusNotFound {
		t.Errorf("a classmate gets the pages: %d", status)
	}
	steps(t, func() error { return p.at(browser.Place{Page: 1, X: 200, Y: 700}) }, func() error { return p.Presses("by the safe water mark") },
		func() error {
			return p.Until("it is saved", `document.querySelector("[data-saved]").dataset.state==="saved"`)
		})
	post := func(who, path, name string, b []byte) int { return sc.upload(t, who, path, name, b) }
	pdf, err := os.ReadFile(essay)
	if err != nil {
		t.Fatal(err)
	}
	if status := post("student", fmt.Sprintf("/copies/%d/bring", mine.ID), "again.pdf", pdf); status != http.StatusUnprocessableEntity {
		t.Errorf("pages under what is written: %d", status)
	}
	for _, who := range []string{"classmate", "teacher", "outsider", "nobody"} {
		if status := post(who, fmt.Sprintf("/copies/%d/bring", mine.ID), "theirs.pdf", pdf); status < 300 || status == 422 {
			t.Errorf("%s brings pages: %d", who, status)
		}
	}
	if status := post("student", fmt.Sprintf("/copies/%d/bring", sc.copies[flow.InProgress].ID), "a.pdf", pdf); status == http.StatusSeeOther || status == http.StatusUnprocessableEntity {
		t.Errorf("pages of one's own on a sheet: %d", status)
	}
	steps(t, p.on(`[data-do="main"]`), p.on(`[data-dialog="submit"] [data-yes]`),
		func() error { return p.Until("it is in", `document.querySelector('[data-dialog="receipt"]').open`) })
	if status := post("student", fmt.Sprintf("/copies/%d/bring", mine.ID), "late.pdf", pdf); status != http.StatusConflict && status != http.StatusUnprocessableEntity && status != http.StatusForbidden {
		t.Errorf("pages after Submit: %d", status)
	}
	if status, _ := sc.page(t, "teacher", path); status != http.StatusOK {
		t.Errorf("the teacher gets the pages: %d", status)
	}
	if _, err := s.Marking.GivePoints(ctx, teacher, mine.ID, 1, "7", "", "Good", false); err != nil {
		t.Fatal(err)
	}
	if err := s.Marking.Return(ctx, teacher, mine.ID, 1); err != nil {
		t.Fatal(err)
	}
	if _, own := sc.words(t, "student", fmt.Sprintf("/courses/%d/own", sc.course.ID)); !strings.Contains(own, "My passage") {
		t.Errorf("the student's page: %s", own)
	}
	// It is on nobody's shelf, and goes with the copy.
	if all, err := home.Store.WorksheetsOf(ctx, student.ID, nil); err != nil || len(all) != 0 {
		t.Errorf("%d worksheets lie on the student's shelf (%v)", len(all), err)
	}
	if err := home.Store.DeletePerson(ctx, student.ID); err != nil {
		t.Fatal(err)
	}
	if _, err := home.Store.Revision(ctx, mine.RevisionID); !errors.Is(err, school.ErrNotFound) {
		t.Errorf("the pages are still there: %v", err)
	}
}

// A practice student goes the whole way in a teacher's hands, and is in no count,
// figure, grid or file.
func TestAPracticeStudentCountsNowhere(t *testing.T) {
	t.Parallel()
	sc := setSceneNamed(t, "Rehearsal")
	ctx, s := context.Background(), home.School
	teacher := personOf(t, "rehearsal.teacher")
	a := sc.giveAs(t, teacher, assign.Terms{Title: "Rehearsed", Points: "10"})
	told := func() map[string]string {
		out := map[string]string{}
		for _, path := range []string{"/", fmt.Sprintf("/courses/%d/book", sc.course.ID), fmt.Sprintf("/courses/%d/book/points.csv", sc.course.ID), fmt.Sprintf("/assignments/%d/marking", a.ID), fmt.Sprintf("/assignments/%d/roll", a.ID),
			fmt.Sprintf("/assignments/%d/across", a.ID), fmt.Sprintf("/assignments/%d/change", a.ID), fmt.Sprintf("/courses/%d/list", sc.course.ID), fmt.Sprintf("/courses/%d/end", sc.course.ID), "/worksheets", "/to-do"} {
			for _, who := range []string{"teacher", "assistant"} {
				_, out[who+path] = sc.words(t, who, path)
			}
		}
		_, out["course"] = sc.words(t, "assistant", fmt.Sprintf("/courses/%d", sc.course.ID))
		_, out["classmate"] = sc.words(t, "classmate", fmt.Sprintf("/courses/%d/own", sc.course.ID))
		o, err := s.Office.Overview(ctx, personOf(t, "rehearsal.admin"))
		if err != nil {
			t.Fatal(err)
		}
		for _, c := range o.Courses {
			if c.ID == sc.course.ID {
				out["office"] = fmt.Sprint(c.Students, c.Given)
			}
		}
		out["file"] = strings.Join(slices.Sorted(func(yield func(string) bool) {
			for name := range packed(t, sc.bytes(t, "teacher", fmt.Sprintf("/courses/%d/everything.zip", sc.course.ID))) {
				if !yield(name) {
					return
				}
			}
		}), "\n")
		return out
	}
	before := told()
	p := tab(t, 1280, 800)
	saved := func() error {
		return p.Until("it is saved", `document.querySelector("[data-saved]").dataset.state==="saved"`)
	}
	steps(t, func() error { return p.SignIn("rehearsal.teacher", scenePassword) }, func() error { return p.Go(fmt.Sprintf("/courses/%d", sc.course.ID)) },
		func() error { return p.Click(`form[action$="/practice"] button`) },
		func() error {
			return p.Until("the teacher is a student", `document.body.innerText.includes("practice student")`)
		},
		func() error { return p.Go(fmt.Sprintf("/assignments/%d", a.ID)) }, p.Ready,
		func() error { return p.Click(`[data-place="write"] .take`) }, func() error { return p.Press(browser.Place{Page: 1, X: 320, Y: 500}) },
		func() error { return p.Type("tried") }, func() error { return p.Key("\x1b") }, saved,
		func() error { return p.Click(`[data-do="main"]`) }, func() error { return p.Click(`[data-dialog="submit"] [data-yes]`) },
		func() error { return p.Until("it is in", `document.querySelector('[data-dialog="receipt"]').open`) },
		func() error { return p.Go("/to-do") }, func() error { return p.Click(`form[action="/practice/end"] button`) },
		func() error {
			return p.Until("the teacher is back", `document.body.innerText.includes("Rehearsal Teacher")`)
		},
		func() error { return p.Go(fmt.Sprintf("/courses/%d", sc.course.ID)) },
		func() error {
			return p.Until("what was tried can be marked", `[...document.querySelectorAll("aside a")].some(a=>a.innerText.includes("Rehearsed, attempt 1"))`)
		},
	)
	after := told()
	for where, was := range before {
		// Times go on, and say nothing.
		if plainer(after[where]) != plainer(was) {
			t.Errorf("%s has changed:\n%s\n%s", where, was, after[where])
		}
	}
	steps(t, func() error {
		_, err := browser.Eval[int](p, `[...document.querySelectorAll("aside a")].find(a=>a.innerText.includes("Rehearsed, attempt 1")).click(); return 1`)
		return err
	}, p.Ready, func() error { return p.Fill("#points", "9") }, func() error { return p.Key("\t") }, func() error { return p.Click(`[data-do="main"]`) },
		func() error {
			return p.Until("it goes back", `document.querySelector("[data-top]").innerText.match(/Goes back|Returned/)`)
		})
	// Nobody else's practice student is anybody's: not to become, nor to let in.
	for _, who := range []string{"assistant", "student", "outsider", "admin", "other teacher"} {
		res, err := sc.people[who].PostForm(fmt.Sprintf("%s/courses/%d/practice", home.Base, sc.course.ID), url.Values{})
		if err != nil {
			t.Fatal(err)
		}
		res.Body.Close()
		if res.StatusCode == http.StatusSeeOther {
			t.Errorf("%s becomes a practice student of the course", who)
		}
	}
	practice, err := home.Store.PersonByLogin(ctx, fmt.Sprint("practice.", teacher.ID))
	if err != nil {
		t.Fatal(err)
	}
	if err := s.Roster.Admit(ctx, teacher, sc.course.ID, practice.ID, true); !errors.Is(err, access.ErrHidden) {
		t.Errorf("the practice student is made a student: %v", err)
	}
	if _, err := s.Courses.Join(ctx, practice, sc.course.JoinCode, enrol.Device{}); !errors.Is(err, access.ErrDenied) {
		t.Errorf("the practice student joins a course, where it would count: %v", err)
	}
	if _, err := s.Office.Profile(ctx, personOf(t, "rehearsal.admin"), practice.ID); !errors.Is(err, access.ErrHidden) {
		t.Errorf("an administrator has the practice student in hand: %v", err)
	}
	if found, _, err := s.Office.Find(ctx, personOf(t, "rehearsal.admin"), "practice"); err != nil || slices.ContainsFunc(found, func(p school.Person) bool { return p.ID == practice.ID }) {
		t.Errorf("the practice student is found among people (%v)", err)
	}
}

// timed are the words of a page that go on with the clock.
var timed = regexp.MustCompile(`(a moment|\d+ minutes)|\d\d:\d\d`)

// plainer leaves out of a page's words how long ago something was.
func plainer(words string) string { return timed.ReplaceAllString(words, "") }
