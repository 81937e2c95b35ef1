package e2e

import (
	"archive/zip"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"maps"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"testing"
	"time"

	"readymargin/core/access"
	"readymargin/core/flow"
	"readymargin/core/submission"
	"readymargin/e2e/browser"
	"readymargin/school"
	"readymargin/school/assign"
	"readymargin/school/enrol"
	"readymargin/school/feedback"
	"readymargin/school/shelf"
)

// bytes returns the bytes that somebody of the scene is given.
func (sc *scene) bytes(t *testing.T, who, path string) []byte {
	t.Helper()
	res, err := sc.people[who].Get(home.Base + path)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	b, err := io.ReadAll(res.Body)
	if err != nil || res.StatusCode != http.StatusOK {
		t.Fatalf("%s as %s: %d (%v)", path, who, res.StatusCode, err)
	}
	return b
}

// packed returns the files of a ZIP.
func packed(t *testing.T, file []byte) map[string][]byte {
	t.Helper()
	z, err := zip.NewReader(bytes.NewReader(file), int64(len(file)))
	if err != nil {
		t.Fatal(err)
	}
	out := map[string][]byte{}
	for _, f := range z.File {
		r, err := f.Open()
		if err != nil {
			t.Fatal(err)
		}
		if out[f.Name], err = io.ReadAll(r); err != nil {
			t.Fatal(err)
		}
		r.Close()
	}
	return out
}

// A year's change, driven as it is done: everything is taken away, the course is used
// again with its times moved, last year's is put away and still read, a student is
// erased, and all else is as it was.
func TestAYearsChange(t *testing.T) {
	t.Parallel()
	sc := setSceneNamed(t, "Year")
	ctx, s := context.Background(), home.School
	teacher, student, classmate, admin := personOf(t, "year.teacher"), personOf(t, "year.student"), personOf(t, "year.classmate"), personOf(t, "year.admin")
	// Due at six in the evening before the clocks go back, and for one by name.
	if _, err := s.Assignments.Assign(ctx, teacher, assign.NewAssignment{Course: sc.course.ID, Worksheet: sc.sheet.ID, Audiences: map[uint64]access.Audience{sc.course.ID: {People: []uint64{student.ID}}},
		Terms: assign.Terms{Title: "For one", Opens: "2026-10-20T18:00", Due: "2026-10-27T18:00"}}); err != nil {
		t.Fatal(err)
	}
	before, err := home.Store.AssignmentsOf(ctx, sc.course.ID)
	if err != nil {
		t.Fatal(err)
	}

	for _, k := range []feedback.Kept{{Text: "Give the unit", Short: "u", Points: "1", Shared: true}, {Text: "For myself"}} {
		if _, err := s.Ready.Keep(ctx, teacher, sc.course.ID, k); err != nil {
			t.Fatal(err)
		}
	}

	files := packed(t, sc.bytes(t, "teacher", fmt.Sprintf("/courses/%d/everything.zip", sc.course.ID)))
	pdfs := 0
	for name, b := range files {
		if strings.HasSuffix(name, ".pdf") && strings.Contains(name, "Student, Year, attempt 1") && bytes.HasPrefix(b, []byte("%PDF-")) {
			pdfs++
		}
	}
	if pdfs != 3 || len(files) != 6 || !strings.Contains(string(files["class list.csv"]), "Year,Classmate,year.classmate") || !strings.Contains(string(files["points.csv"]), "Year Student") {
		t.Errorf("the course as a file has %d attempts in %d files: %v", pdfs, len(files), slices.Sorted(maps.Keys(files)))
	}
	own := packed(t, sc.bytes(t, "student", "/account/everything.zip"))
	if me := string(own["about me.json"]); len(own) != 2 || !strings.Contains(me, "was not opened yet") || !strings.Contains(me, `"signsInAs": "year.student"`) || strings.Contains(me, "Classmate") {
		t.Errorf("everything about a student: %d files, %s", len(own), me)
	}

	p := tab(t, 1280, 800)
	at := fmt.Sprintf("/courses/%d", sc.course.ID)
	says := func(words string) func() error {
		return func() error {
			return p.Until("it says "+words, fmt.Sprintf(`document.querySelector("main")?.innerText.includes(%q)`, words))
		}
	}
	steps(t,
		func() error { return p.SignIn("year.teacher", scenePassword) }, func() error { return p.Go(at + "/end") },
		func() error { return p.Fill(`form[action$="/again"] [name=name]`, "Next year") },
		func() error {
			_, err := browser.Eval[int](p, `document.querySelector("[name=day]").value="2027-10-19"; return 1`)
			return err
		},
		func() error { return p.Click(`form[action$="/again"] button`) }, says("Here is the new course"), says("For one"),
	)
	fresh, err := browser.Eval[uint64](p, `return +location.pathname.split("/")[2]`)
	if err != nil {
		t.Fatal(err)
	}
	given, err := home.Store.AssignmentsOf(ctx, fresh)
	if err != nil || len(given) != len(before) {
		t.Fatalf("%d assignments of %d are in the new course (%v)", len(given), len(before), err)
	}
	ready, err := s.Ready.Choices(ctx, teacher, fresh)
	if err != nil || len(ready) != 2 || ready[0].Text != "For myself" || ready[1].Text != "Give the unit" || ready[1].CourseID != fresh || ready[1].Gives != "1" {
		t.Errorf("ready in the new course are %+v (%v)", ready, err)
	}
	london, err := time.LoadLocation("Europe/London")
	if err != nil {
		t.Fatal(err)
	}
	for _, a := range given {
		if a.Title != "For one" {
			continue
		}
		if opens, due := a.OpensAt.In(london).Format(flow.Wall), a.DueAt.In(london).Format(flow.Wall); opens != "2027-10-19T18:00" || due != "2027-10-26T18:00" || !a.Draft || !a.Audience.Everybody() {
			t.Errorf("moved, it opens %s, is due %s, draft %v, for %+v", opens, due, a.Draft, a.Audience)
		}
	}
	if _, members, err := s.Roster.Members(ctx, teacher, fresh); err != nil || len(members) != 1 {
		t.Errorf("%d people are in the new course (%v)", len(members), err)
	}

	// Put away: nothing to do, nothing on the pile, nobody joins, nothing is written;
	// what was done is read.
	steps(t, func() error { return p.Go(at + "/end") }, func() error { return p.Click(`button[value="archive"]`) }, says("Put away today"))
	working := sc.copies[flow.InProgress]
	if _, err := s.Courses.Join(ctx, personOf(t, "year.outsider"), sc.course.JoinCode, enrol.Device{}); !school.IsProblem(err, "join closed") {
		t.Errorf("joining what is put away: %v", err)
	}
	if _, todo := sc.words(t, "student", "/to-do"); strings.Contains(todo, "Access 1") || !strings.Contains(todo, "Past courses") {
		t.Errorf("a student has to do: %s", todo)
	}
	if _, over := sc.words(t, "student", at+"/own"); !strings.Contains(over, "This course is over") || !strings.Contains(over, "Attempt 1") {
		t.Errorf("the student's page says %s", over)
	}
	if pile, err := s.Queue.Pile(ctx, teacher); err != nil || slices.ContainsFunc(pile, func(h feedback.MarkingQueue) bool { return h.Course.ID == sc.course.ID }) {
		t.Errorf("what is put away lies on the pile (%v)", err)
	}
	if v, err := s.Screens.Open(ctx, student, working.ID); err != nil || v.Edit != "" || len(v.Marks) == 0 {
		t.Errorf("work that is put away: layer %q, %d marks (%v)", v.Edit, len(v.Marks), err)
	}
	if _, err := s.Submitting.Submit(ctx, student, working.ID, "", 1); !errors.Is(err, flow.ErrClosed) {
		t.Errorf("submitting what is put away: %v", err)
	}
	if _, err := s.Assignments.Assign(ctx, teacher, assign.NewAssignment{Course: sc.course.ID, Worksheet: sc.sheet.ID}); !school.IsProblem(err, "archived") {
		t.Errorf("assigning to what is put away: %v", err)
	}
	steps(t, func() error { return p.Go(at + "/end") }, func() error { return p.Click(`button[value="back"]`) }, says("The course is back"))
	if v, err := s.Screens.Open(ctx, student, working.ID); err != nil || v.Edit != submission.Work {
		t.Errorf("brought back: layer %q (%v)", v.Edit, err)
	}

	// An administrator erases the student, after a slip of the hand.
	a := tab(t, 1280, 800)
	erase := func(typed string) []func() error {
		return []func() error{func() error { return a.Fill(`[name=sure]`, typed) }, func() error { return a.Click(`button[value="erase"]`) }}
	}
	heard := func(words string) func() error {
		return func() error {
			return a.Until("it says "+words, fmt.Sprintf(`document.querySelector("main")?.innerText.includes(%q)`, words))
		}
	}
	steps(t, func() error { return a.SignIn("year.admin", scenePassword) }, func() error { return a.Go("/school/people?q=year.stud") },
		func() error { return a.Click(`#found a`) }, heard("Year Student"))
	steps(t, erase("somebody")...)
	steps(t, heard("Nothing was erased"))
	steps(t, erase("year.student")...)
	steps(t, heard("The person is erased"))
	if _, err := s.Accounts.Person(ctx, student.ID); !errors.Is(err, school.ErrNotFound) {
		t.Errorf("the student is still there: %v", err)
	}
	kept, err := home.Store.CopiesOf(ctx, assignmentsOf(before)...)
	if err != nil || len(kept) != 5 || slices.ContainsFunc(kept, func(k school.Copy) bool { return k.StudentID != classmate.ID }) {
		t.Errorf("of the classmate there are %d copies (%v)", len(kept), err)
	}
	if err := s.Office.Erase(ctx, admin, admin.ID, "year.admin"); !school.IsProblem(err, "erase oneself") {
		t.Errorf("an administrator erases themselves: %v", err)
	}
	if err := s.Office.Erase(ctx, admin, teacher.ID, "year.teacher"); !school.IsProblem(err, "worksheets in use") {
		t.Errorf("a teacher whose worksheet is assigned is erased: %v", err)
	}

	// Deleting the course asks for its name; the new one stays.
	steps(t, func() error { return p.Go(at + "/end") }, func() error { return p.Fill(`form:last-of-type [name=name]`, "Acess") }, func() error { return p.Click(`button[value="delete"]`) }, says("Nothing was deleted"),
		func() error { return p.Fill(`form:last-of-type [name=name]`, "access") }, func() error { return p.Click(`button[value="delete"]`) }, says("is deleted, with all work"))
	if gone, err := home.Store.AssignmentsOf(ctx, sc.course.ID); err != nil || len(gone) != 0 {
		t.Errorf("%d assignments of the course are left (%v)", len(gone), err)
	}
	if still, err := home.Store.AssignmentsOf(ctx, fresh); err != nil || len(still) != len(before) {
		t.Errorf("the new course has %d assignments (%v)", len(still), err)
	}
}

func assignmentsOf(all []school.Assignment) (ids []uint64) {
	for _, a := range all {
		ids = append(ids, a.ID)
	}
	return ids
}

// A worksheet is put into a folder, put away, shared and deleted; colleagues do with it
// what they may, and what is assigned of it stays.
func TestAWorksheetOnTheShelf(t *testing.T) {
	t.Parallel()
	sc := setSceneNamed(t, "Lying")
	ctx, s := context.Background(), home.School
	teacher, stranger := personOf(t, "lying.teacher"), personOf(t, "lying.stranger")
	form := func(who string, v url.Values) int {
		res, err := sc.people[who].PostForm(fmt.Sprintf("%s/worksheets/%d/manage", home.Base, sc.sheet.ID), v)
		if err != nil {
			t.Fatal(err)
		}
		res.Body.Close()
		return res.StatusCode
	}
	lying := func(who school.Person, look shelf.Look) (own, shared int) {
		all, err := s.Shelf.Worksheets(ctx, who, look)
		if err != nil {
			t.Fatal(err)
		}
		for _, w := range slices.Concat(all.Own, all.Shared) {
			if w.ID == sc.sheet.ID && w.OwnerID == who.ID {
				own++
			} else if w.ID == sc.sheet.ID {
				shared++
			}
		}
		return own, shared
	}
	for _, c := range []struct {
		do   url.Values
		look shelf.Look
		want int
	}{
		{url.Values{"do": {"folder"}, "folder": {" Tides  and\ttime "}}, shelf.Look{Folder: "Tides and time"}, 1},
		{url.Values{"do": {"title"}, "title": {"Heights"}}, shelf.Look{Query: "heights", Folder: "elsewhere"}, 1},
		{url.Values{"do": {"away"}}, shelf.Look{}, 0},
		{url.Values{"do": {"folder"}, "folder": {""}}, shelf.Look{Archived: true}, 1},
		{url.Values{"do": {"back"}}, shelf.Look{}, 1},
	} {
		if status := form("teacher", c.do); status != http.StatusSeeOther {
			t.Errorf("%v: %d", c.do, status)
		}
		if own, _ := lying(teacher, c.look); own != c.want {
			t.Errorf("after %v there are %d of it in %+v", c.do, own, c.look)
		}
	}
	// Who is given it to copy copies it, and does nothing else; who changes it with
	// others assigns it too; neither decides about it.
	may := func(who school.Person) (out []string) {
		for what, do := range map[string]func() error{
			"open": func() error { _, err := s.Shelf.Prepare(ctx, who, sc.sheet.ID); return err },
			"copy": func() error { _, err := s.Shelf.Duplicate(ctx, who, sc.sheet.ID); return err },
			"look": func() error {
				m, err := s.Shelf.SourcePicture(ctx, who, sc.sheet.ID, 0, shelf.PageAt{Number: 1, Scale: 25})
				if err == nil {
					m.Close()
				}
				return err
			},
			"share": func() error { _, err := s.Shelf.Shares(ctx, who, sc.sheet.ID); return err },
		} {
			if do() == nil {
				out = append(out, what)
			}
		}
		slices.Sort(out)
		return out
	}
	if got := may(stranger); len(got) != 0 {
		t.Errorf("a stranger may %v", got)
	}
	if status := form("teacher", url.Values{"do": {"share"}, "with": {"0"}}); status != http.StatusSeeOther {
		t.Errorf("sharing: %d", status)
	}
	if got := strings.Join(may(stranger), " "); got != "copy look" {
		t.Errorf("who may copy may %s", got)
	}
	if got := may(personOf(t, "lying.student")); len(got) != 0 {
		t.Errorf("a student may %v of what teachers share", got)
	}
	if _, shared := lying(stranger, shelf.Look{}); shared != 1 {
		t.Errorf("a colleague finds %d of it", shared)
	}
	form("teacher", url.Values{"do": {"share"}, "with": {fmt.Sprint(sc.course.ID)}, "change": {"1"}})
	if got := may(stranger); len(got) != 0 {
		t.Errorf("shared in a course, others may %v", got)
	}
	if err := s.Roster.AddStaff(ctx, teacher, sc.course.ID, stranger.Login, access.Teacher); err != nil {
		t.Fatal(err)
	}
	if got := strings.Join(may(stranger), " "); got != "copy look open" {
		t.Errorf("who changes it together may %s", got)
	}
	// Off the shelf, and still in the hands of those who have it.
	if status := form("teacher", url.Values{"do": {"delete"}}); status != http.StatusSeeOther {
		t.Errorf("deleting: %d", status)
	}
	if own, _ := lying(teacher, shelf.Look{}); own != 0 || len(may(teacher)) != 0 || len(may(stranger)) != 0 {
		t.Error("it is deleted and still there")
	}
	for _, state := range []flow.State{flow.NotStarted, flow.InProgress, flow.Returned} {
		if v, err := s.Screens.Open(ctx, personOf(t, "lying.student"), sc.copies[state].ID); err != nil || len(v.Pages) != 1 {
			t.Errorf("a copy %s: %v", state, err)
		}
	}
}

// An administrator puts accounts right, closes and opens them, gives worksheets to
// another teacher and a course another teacher; each with what a hand can slip on.
func TestAnAdministratorPutsThingsRight(t *testing.T) {
	t.Parallel()
	sc := setSceneNamed(t, "Office")
	ctx, s := context.Background(), home.School
	student, teacher, stranger := personOf(t, "office.student"), personOf(t, "office.teacher"), personOf(t, "office.stranger")
	post := func(path string, form url.Values) (int, string) {
		return visit{t, sc.people["admin"]}.post(path, form)
	}
	at := fmt.Sprintf("/school/people/%d", student.ID)
	for _, c := range []struct {
		form   url.Values
		status int
		says   string
	}{
		{url.Values{"do": {"name"}, "given": {"Ana María"}, "family": {"de la Cruz"}}, 303, ""},
		{url.Values{"do": {"name"}, "given": {" "}, "family": {""}}, 422, "type a name"},
		{url.Values{"do": {"rank"}, "rank": {"king"}}, 422, "not understood"},
		{url.Values{"do": {"rank"}, "rank": {"teacher"}}, 303, ""},
		{url.Values{"do": {"rank"}, "rank": {"student"}}, 303, ""},
		{url.Values{"do": {"close"}}, 303, ""},
		{url.Values{"do": {"fly"}}, 422, "not understood"},
	} {
		if status, page := post(at, c.form); status != c.status || !strings.Contains(page, c.says) {
			t.Errorf("%v: %d, want %d and %q", c.form, status, c.status, c.says)
		}
	}
	now, err := s.Accounts.Person(ctx, student.ID)
	if err != nil || now.Name != "Ana María de la Cruz" || now.Family != "de la Cruz" || now.Login != "office.student" || now.Staff {
		t.Errorf("the student is %+v (%v)", now, err)
	}
	// A closed account: whoever is signed in with it is out, a slip does not open it, and
	// only who knows the password is told.
	if status, _ := sc.page(t, "student", "/to-do"); status != http.StatusSeeOther {
		t.Errorf("a closed account reads on: %d", status)
	}
	if _, err := s.Accounts.SignIn(ctx, "office.student", scenePassword, enrol.Device{Address: "127.0.0.60"}); !school.IsProblem(err, "account closed") {
		t.Errorf("signing in to a closed account: %v", err)
	}
	if _, err := s.Accounts.SignIn(ctx, "office.student", "guessed-password", enrol.Device{Address: "127.0.0.60"}); !school.IsProblem(err, "sign-in wrong") {
		t.Errorf("guessing at a closed account: %v", err)
	}
	_, card, err := s.Accounts.NewCard(ctx, teacher, sc.course.ID, student.ID)
	if err != nil {
		t.Fatal(err)
	}
	if status, page := (visit{t, client(t)}).post("/slip", url.Values{"code": {card}}); status != 422 || !strings.Contains(page, "closed") {
		t.Errorf("a card of a closed account: %d", status)
	}
	if status, _ := post(at, url.Values{"do": {"open"}}); status != 303 {
		t.Errorf("opening: %d", status)
	}
	// The card signs in again and again, until it is ended; it sets no password.
	for range 2 {
		child := visit{t, client(t)}
		if status, _ := child.post("/slip", url.Values{"code": {card}}); status != http.StatusSeeOther {
			t.Errorf("a card signs in: %d", status)
		}
		if status, page := child.get("/to-do"); status != http.StatusOK || !strings.Contains(page, "Ana María") {
			t.Errorf("with the card: %d", status)
		}
	}
	if status, _ := (visit{t, client(t)}).post("/slip", url.Values{"do": {"begin"}, "code": {card}, "password": {"somebody's new one"}}); status != 422 {
		t.Errorf("a card sets a password: %d", status)
	}
	if err := s.Accounts.EndCard(ctx, teacher, sc.course.ID, student.ID); err != nil {
		t.Fatal(err)
	}
	if status, _ := (visit{t, client(t)}).post("/slip", url.Values{"code": {card}}); status != 422 {
		t.Errorf("a card that was ended: %d", status)
	}
	if _, _, err := s.Accounts.NewCard(ctx, teacher, sc.course.ID, teacher.ID); !errors.Is(err, access.ErrHidden) {
		t.Errorf("a card of a teacher's account: %v", err)
	}
	if status, _ := post(fmt.Sprintf("/school/people/%d", teacher.ID), url.Values{"do": {"hand over"}, "login": {"office.student"}}); status != 422 {
		t.Errorf("worksheets to a student: %d", status)
	}
	if status, _ := post(fmt.Sprintf("/school/people/%d", teacher.ID), url.Values{"do": {"hand over"}, "login": {" Office.Stranger "}}); status != 303 {
		t.Errorf("worksheets to a colleague: %d", status)
	}
	if w, err := home.Store.Worksheet(ctx, sc.sheet.ID); err != nil || w.OwnerID != stranger.ID {
		t.Errorf("the worksheet is of %d (%v)", w.OwnerID, err)
	}
	if status, _ := post(fmt.Sprintf("/school/courses/%d", sc.course.ID), url.Values{"login": {"office.stranger"}}); status != 303 {
		t.Errorf("another teacher: %d", status)
	}
	if _, err := s.Courses.Runs(ctx, stranger, sc.course.ID); err != nil {
		t.Errorf("who was made a teacher does not run the course: %v", err)
	}
	if status, _ := post("/school/courses/999999", url.Values{"login": {"office.stranger"}}); status != 404 {
		t.Errorf("a course that is not there: %d", status)
	}
}
