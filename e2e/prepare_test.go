package e2e

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"image"
	"image/jpeg"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"readymargin/core/flow"
	"readymargin/core/worksheet"
	"readymargin/demo"
	"readymargin/e2e/browser"
	"readymargin/school"
	"readymargin/school/assign"
	"readymargin/school/intake"
	"readymargin/school/shelf"
	"readymargin/school/takeaway"
)

// file writes a demo worksheet to be chosen in a browser.
func file(t *testing.T, name string, draw func() ([]byte, error)) string {
	t.Helper()
	b, err := draw()
	path := filepath.Join(t.TempDir(), name)
	if err == nil {
		err = os.WriteFile(path, b, 0o644)
	}
	if err != nil {
		t.Fatal(err)
	}
	return path
}

func personOf(t *testing.T, login string) school.Person {
	t.Helper()
	p, err := home.Store.PersonByLogin(context.Background(), login)
	if err != nil {
		t.Fatal(err)
	}
	return p
}

// uses says what becomes of the pages, in their order: s, h or d for sheet,
// held and dropped, with the page's number and how far it is turned.
func uses(t *testing.T, sheetID uint64) string {
	t.Helper()
	w, err := home.Store.Worksheet(context.Background(), sheetID)
	if err != nil {
		t.Fatal(err)
	}
	p, err := worksheet.Parse(w.Plan)
	if err != nil {
		t.Fatal(err)
	}
	var out []string
	for _, l := range p {
		out = append(out, fmt.Sprintf("%c%d.%d/%d", l.Use[0], l.Source, l.Page, l.Turn))
	}
	return strings.Join(out, " ")
}

// A teacher brings in a worksheet with its answers, arranges its pages by
// mouse and keys, is asked about the answers, and hands out a sheet that has none.
func TestAnswersStayOnTheBench(t *testing.T) {
	t.Parallel()
	sc := setSceneNamed(t, "Bench")
	p := tab(t, 1280, 800)
	steps(t,
		func() error { return p.SignIn("bench.teacher", scenePassword) },
		func() error { return p.Go("/worksheets") },
		func() error { return p.Choose("#file", file(t, "Tide heights 3.pdf", demo.TideHeightsWithAnswers)) },
		func() error {
			return p.Until("the proposal", `document.body.innerText.includes("it says “Tide heights 3: answers”")`)
		},
	)
	path, err := browser.Eval[string](p, `return location.pathname`)
	if err != nil {
		t.Fatal(err)
	}
	var id uint64
	fmt.Sscanf(path, "/worksheets/%d", &id)
	press := func(name string) func() error {
		return func() error {
			_, err := browser.Eval[int](p, fmt.Sprintf(`[...document.querySelectorAll("aside button")].find(b=>b.innerText.trim()===%q).click(); return 1`, name))
			return err
		}
	}
	settled := func() error {
		return p.Until("it is saved", `document.querySelector("[data-saved]").dataset.state==="saved"`)
	}
	is := func(want string) func() error {
		return func() error {
			if err := settled(); err != nil {
				return err
			}
			if got := uses(t, id); got != want {
				return fmt.Errorf("pages %s, want %s", got, want)
			}
			return nil
		}
	}
	focus := func(at int) func() error {
		return func() error { return p.Click(fmt.Sprintf(`.leaf[data-at="%d"]`, at)) }
	}
	key := func(script string) func() error {
		return func() error {
			_, err := browser.Eval[int](p, `document.activeElement.dispatchEvent(new KeyboardEvent("keydown",{bubbles:true,cancelable:true,`+script+`})); return 1`)
			return err
		}
	}
	steps(t,
		// Undecided, it is asked about before it is assigned.
		func() error { return p.Click(`a[href$="/assign"]`) },
		func() error { return p.Click(`form[action="/assignments"] button.next`) },
		func() error {
			return p.Until("it asks", `document.body.innerText.includes("look as if they held the answers (1")`)
		},
		func() error { return p.Go(path) },
		press("Hold it back"), is("s0.1/0 s0.2/0 h0.3/0"),
		focus(1), press("Turn right"), is("s0.1/0 s0.2/90 h0.3/0"),
		press("Earlier"), is("s0.2/90 s0.1/0 h0.3/0"),
		focus(1), key(`key:"ArrowUp",altKey:true`), is("s0.1/0 s0.2/90 h0.3/0"),
		key(`key:"z",ctrlKey:true`), is("s0.2/90 s0.1/0 h0.3/0"),
		key(`key:"y",ctrlKey:true`), is("s0.1/0 s0.2/90 h0.3/0"),
		focus(1), press("Leave it out"), is("s0.1/0 d0.2/90 h0.3/0"),
		press("Take it in"), press("Turn left"), is("s0.1/0 s0.2/0 h0.3/0"),
		focus(0), func() error { return p.Choose("#more", file(t, "Tide heights 2.pdf", demo.TideHeights)) },
		func() error { return p.Until("more pages", `document.querySelectorAll(".leaf").length===5`) },
		is("s0.1/0 s1.1/0 s1.2/0 s0.2/0 h0.3/0"),
		focus(1), press("Leave it out"), focus(2), press("Leave it out"), is("s0.1/0 d1.1/0 d1.2/0 s0.2/0 h0.3/0"),
		// As the student will see it: the student's own screen, and nothing is kept.
		func() error { return p.Click(`a[href$="/try"]`) }, p.Ready,
		func() error {
			return p.Until("nothing is kept", `document.querySelector("[data-saved]").innerText.includes("nothing is kept") && document.querySelectorAll(".sheet").length===2`)
		},
		func() error { return p.Go(path + "/assign") },
		func() error { return p.Click(`form[action="/assignments"] button.next`) },
		func() error {
			return p.Until("it is assigned", `document.body.innerText.includes("Every student has a copy now")`)
		},
	)
	// What a student can get says nothing of it: the page, its pictures and
	// words, and the file.
	given, err := home.Store.AssignmentsOf(context.Background(), sc.course.ID)
	if err != nil {
		t.Fatal(err)
	}
	var a school.Assignment
	for _, g := range given {
		if g.Handouts[0].WorksheetID == id {
			a = g
		}
	}
	student := sc.people["student"]
	body := func(path string) (int, string) {
		t.Helper()
		res, err := student.Get(home.Base + path)
		if err != nil {
			t.Fatal(err)
		}
		defer res.Body.Close()
		b, _ := io.ReadAll(res.Body)
		return res.StatusCode, string(b)
	}
	res, err := student.Get(home.Base + fmt.Sprintf("/assignments/%d", a.ID))
	if err != nil {
		t.Fatal(err)
	}
	res.Body.Close()
	screen := res.Header.Get("Location")
	for _, path := range []string{screen, screen + "/view", fmt.Sprintf("/sheets/%d/print/1", a.Handouts[0].RevisionID), fmt.Sprintf("/sheets/%d/print/2", a.Handouts[0].RevisionID)} {
		if code, text := body(path); code != http.StatusOK || regexp.MustCompile(`twelfths of the range|answers|"held":[1-9]`).MatchString(text) {
			t.Errorf("%s: %d, with a trace of the answers", path, code)
		}
	}
	for _, path := range []string{fmt.Sprintf("/sheets/%d/print/3", a.Handouts[0].RevisionID), fmt.Sprintf("/sheets/%d/pages/3/25", a.Handouts[0].RevisionID), fmt.Sprintf("/sheets/%d/held/1/25", a.Handouts[0].RevisionID), fmt.Sprintf("/worksheets/%d/sources/0/pages/3/25", id)} {
		if code, _ := body(path); code != http.StatusNotFound {
			t.Errorf("%s: %d", path, code)
		}
	}
	copied, err := home.School.Saving.OpenOwn(context.Background(), personOf(t, "bench.student"), a.ID)
	if err != nil {
		t.Fatal(err)
	}
	printed, err := home.School.Exports.TakeCopy(context.Background(), personOf(t, "bench.student"), copied.ID, takeaway.Choice{})
	if err != nil {
		t.Fatal(err)
	}
	name := filepath.Join(t.TempDir(), "copy.pdf")
	if err := os.WriteFile(name, bytesOf(t, printed), 0o644); err != nil {
		t.Fatal(err)
	}
	text, err := exec.Command("pdftotext", name, "-").Output()
	if err != nil {
		t.Fatalf("pdftotext (apt-get install poppler-utils): %v", err)
	}
	if text := string(text); strings.Contains(text, "twelfths of the range") || !strings.Contains(text, "Circle the mark") {
		t.Errorf("the file says %q", text)
	}
}

// An assignment that opens later, closes, and may be submitted once: students
// see nothing of it before, hear of changes, and cannot go on after.
func TestWhenAnAssignmentTakesWork(t *testing.T) {
	t.Parallel()
	sc := setSceneNamed(t, "Times")
	ctx, teacher, student := context.Background(), personOf(t, "times.teacher"), personOf(t, "times.student")
	wall := func(d time.Duration) string {
		place, err := time.LoadLocation("Europe/London")
		if err != nil {
			t.Fatal(err)
		}
		return time.Now().In(place).Add(d).Format(flow.Wall)
	}
	p := tab(t, 1280, 800)
	set := func(field, value string) func() error {
		return func() error {
			_, err := browser.Eval[int](p, fmt.Sprintf(`const f=document.getElementById(%q); f.closest("details")?.setAttribute("open",""); f.value=%q; return 1`, field, value))
			return err
		}
	}
	says := func(text string) func() error {
		return func() error { return p.Until(text, fmt.Sprintf(`document.body.innerText.includes(%q)`, text)) }
	}
	form := fmt.Sprintf("/worksheets/%d/assign", sc.sheet.ID)
	steps(t,
		func() error { return p.SignIn("times.teacher", scenePassword) },
		func() error { return p.Go(form) },
		set("title", "Opens later"), set("opens", wall(48*time.Hour)), set("due", wall(24*time.Hour)),
		func() error { return p.Click(`form[action="/assignments"] button.next`) }, says("It must open before it is due"),
		// What was typed is still there; only the wrong time is changed.
		set("due", wall(72*time.Hour)), set("attempts", "1"), set("chapter", "Tides"),
		func() error { return p.Click(`form[action="/assignments"] button.next`) }, says("Students see it when it opens"), says("Tides"), says("1 attempt"),
	)
	given, err := home.Store.AssignmentsOf(ctx, sc.course.ID)
	if err != nil {
		t.Fatal(err)
	}
	a := given[slices.IndexFunc(given, func(a school.Assignment) bool { return a.Title == "Opens later" })]
	todo := func() string {
		t.Helper()
		all, err := home.School.Agenda.ToDo(ctx, student)
		if err != nil {
			t.Fatal(err)
		}
		for _, one := range all {
			if one.Assignment.ID == a.ID {
				return "seen " + one.Assignment.Changed
			}
		}
		return "hidden"
	}
	if _, err := home.School.Saving.OpenOwn(ctx, student, a.ID); err == nil || todo() != "hidden" {
		t.Errorf("before it opens: %s, %v", todo(), err)
	}
	change := fmt.Sprintf("/assignments/%d/change", a.ID)
	steps(t,
		func() error { return p.Go(change) }, set("opens", ""), set("due", wall(96*time.Hour)),
		func() error { return p.Click(`form[action$="/change"] .button.next`) }, says("Changed: Opens later"),
	)
	if got := todo(); got != "seen due time" {
		t.Errorf("after it was opened and moved: %q", got)
	}
	c, err := home.School.Saving.OpenOwn(ctx, student, a.ID)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := home.School.Submitting.Submit(ctx, student, c.ID, "", 0); err != nil {
		t.Fatal(err)
	}
	if err := home.School.Marking.Return(ctx, teacher, c.ID, 1); err != nil {
		t.Fatal(err)
	}
	if err := home.School.Submitting.Improve(ctx, student, c.ID); !school.IsProblem(err, "attempts used") {
		t.Errorf("a second attempt of one: %v", err)
	}
	steps(t,
		func() error { return p.Go(change) }, set("attempts", ""),
		func() error { return p.Click(`form[action$="/change"] .button.next`) }, says("Changed: Opens later"),
		func() error { return p.Go(change) },
		func() error { return p.Click(`button[value="close"]`) }, says("closed"),
	)
	if err := home.School.Submitting.Improve(ctx, student, c.ID); !errors.Is(err, flow.ErrClosed) {
		t.Errorf("improving after it was closed: %v", err)
	}
	steps(t, func() error { return p.Go(change) }, func() error { return p.Click(`button[value="reopen"]`) }, says("Changed: Opens later"))
	if err := home.School.Submitting.Improve(ctx, student, c.ID); err != nil {
		t.Errorf("improving after it was opened again: %v", err)
	}
}

// A long file can be seen before its words are read; what looks like answers is
// named a moment later, and nothing is handed out before that.
func TestALongFileIsSeenAtOnce(t *testing.T) {
	sc := setSceneNamed(t, "Long")
	ctx, teacher := context.Background(), personOf(t, "long.teacher")
	part := file(t, "part.pdf", demo.TideHeightsWithAnswers)
	out := filepath.Join(t.TempDir(), "long.pdf")
	args := append([]string{"--empty", "--pages"}, slices.Repeat([]string{part}, 20)...)
	if b, err := exec.Command("qpdf", append(args, "--", out)...).CombinedOutput(); err != nil {
		t.Fatalf("qpdf (apt-get install qpdf): %v %s", err, b)
	}
	data, err := os.ReadFile(out)
	if err != nil {
		t.Fatal(err)
	}
	w, err := home.School.Shelf.BringIn(ctx, teacher, intake.Upload{Name: "long.pdf", Data: data})
	if err != nil || !w.Reading {
		t.Fatalf("reading %v (%v)", w.Reading, err)
	}
	// Assigning waits for the reading, and then asks about the answers.
	if _, err := home.School.Assignments.Assign(ctx, teacher, assign.NewAssignment{Course: sc.course.ID, Worksheet: w.ID}); !school.IsProblem(err, "undecided") {
		t.Errorf("assigned at once: %v", err)
	}
	p := tab(t, 1280, 800)
	steps(t,
		func() error { return p.SignIn("long.teacher", scenePassword) },
		func() error { return p.Go("/worksheets") }, func() error { return p.Choose("#file", out) },
		func() error { return p.Until("the bench", `document.querySelectorAll(".leaf").length===60`) },
		func() error { return p.Until("the answers", `document.querySelectorAll(".proposal").length===20`) },
		// What was joined is undone by leaving it out.
		func() error { return p.Choose("#more", file(t, "Tide heights 2.pdf", demo.TideHeights)) },
		func() error { return p.Until("more pages", `document.querySelectorAll(".leaf").length===62`) },
		func() error { return p.Click(`[data-step="undo"]`) },
		func() error {
			return p.Until("they are left out", `document.querySelectorAll('.leaf[data-use="dropped"]').length===2 && document.querySelector("[data-saved]").dataset.state==="saved"`)
		},
	)
	if e := p.Errors(); len(e) > 0 {
		t.Errorf("errors on the bench: %v", e)
	}
}

// One worksheet goes to two courses at once, at the same hour of each one's own
// clock; with a course that is not the teacher's, to none.
func TestOneWorksheetForSeveralCourses(t *testing.T) {
	t.Parallel()
	sc := setSceneNamed(t, "Several")
	ctx, teacher := context.Background(), personOf(t, "several.teacher")
	far, err := home.School.Courses.MakeCourse(ctx, teacher, "Far away", "Pacific/Auckland")
	if err != nil {
		t.Fatal(err)
	}
	p := tab(t, 1280, 800)
	steps(t,
		func() error { return p.SignIn("several.teacher", scenePassword) },
		func() error { return p.Go(fmt.Sprintf("/worksheets/%d/assign", sc.sheet.ID)) },
		func() error { return p.Click(`form[action="/assignments"] button.next`) },
		func() error {
			return p.Until("none is chosen", `document.body.innerText.includes("Choose at least one course")`)
		},
		func() error {
			_, err := browser.Eval[int](p, `for (const c of document.querySelectorAll("[name=course]")) c.checked = true; document.getElementById("due").value = "2027-06-30T18:00"; document.getElementById("title").value = "For both"; return 1`)
			return err
		},
		func() error { return p.Click(`form[action="/assignments"] button.next`) },
		func() error {
			return p.Until("it is assigned", `document.body.innerText.includes("Assigned: For both")`)
		},
	)
	count := func(course uint64) (n int, due string) {
		t.Helper()
		all, err := home.Store.AssignmentsOf(ctx, course)
		if err != nil {
			t.Fatal(err)
		}
		for _, a := range all {
			if a.Title == "For both" {
				n, due = n+1, a.DueAt.Format(time.RFC3339)
			}
		}
		return n, due
	}
	if n, due := count(sc.course.ID); n != 1 || due != "2027-06-30T17:00:00Z" {
		t.Errorf("London: %d, due %s", n, due)
	}
	if n, due := count(far.ID); n != 1 || due != "2027-06-30T06:00:00Z" {
		t.Errorf("Auckland: %d, due %s", n, due)
	}
	other, err := home.School.Courses.MakeCourse(ctx, personOf(t, "several.stranger"), "Not theirs", "UTC")
	if err != nil {
		t.Fatal(err)
	}
	_, err = home.School.Assignments.AssignTo(ctx, teacher, assign.NewAssignment{Worksheet: sc.sheet.ID, Terms: assign.Terms{Title: "For both"}}, []uint64{far.ID, other.ID})
	if n, _ := count(far.ID); n != 1 || err == nil {
		t.Errorf("with a stranger's course: %d (%v)", n, err)
	}
}

// A PDF and a photograph chosen together become one worksheet; a file that is
// broken, or is something else, leaves nothing behind.
func TestFilesOfSeveralKindsBecomeOneWorksheet(t *testing.T) {
	t.Parallel()
	setSceneNamed(t, "Kinds")
	teacher := personOf(t, "kinds.teacher")
	photo := filepath.Join(t.TempDir(), "photo.jpg")
	m := image.NewGray(image.Rect(0, 0, 300, 200))
	var b bytes.Buffer
	if err := jpeg.Encode(&b, m, nil); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(photo, b.Bytes(), 0o644); err != nil {
		t.Fatal(err)
	}
	lying := func() []school.Shelved {
		t.Helper()
		all, err := home.School.Shelf.Worksheets(context.Background(), teacher, shelf.Look{})
		if err != nil {
			t.Fatal(err)
		}
		return all.Own
	}
	p := tab(t, 1280, 800)
	document := file(t, "Bearings.rtf", func() ([]byte, error) {
		return []byte(`{\rtf1\ansi{\fonttbl{\f0\fswiss Skerry Hand;}}\f0\fs28 1. The bearing of the light is ________________ degrees.\par}`), nil
	})
	steps(t,
		func() error { return p.SignIn("kinds.teacher", scenePassword) },
		func() error { return p.Go("/worksheets") },
		func() error {
			return p.Choose("#file", file(t, "Tide heights 2.pdf", demo.TideHeights), photo, document)
		},
		oneWorksheet(p),
		func() error { return p.Until("the bench", `document.querySelectorAll(".leaf").length===4`) },
		// The font that had to be replaced is named, and the blank is found.
		func() error {
			return p.Until("the font", `/Skerry Hand is not here; .+ stands in its place on page 1/.test(document.querySelector("aside").innerText)`)
		},
		func() error { return p.Click(`[data-place="blanks"] .take`) }, func() error { return p.Click(`.leaf[data-at="3"]`) },
		func() error {
			return p.Until("the blank", `document.querySelector(".blank-list").innerText.includes("The bearing of the light is")`)
		},
	)
	all := lying()
	if got := uses(t, all[0].ID); got != "s0.1/0 s0.2/0 s1.1/0 s2.1/0" || all[0].Title != "Tide heights 2" {
		t.Errorf("%s: %s", all[0].Title, got)
	}
	for name, c := range map[string]struct {
		data []byte
		says string
	}{
		"half a photograph": {b.Bytes()[:len(b.Bytes())/2], "This picture is damaged"},
		"half a document":   {[]byte("PK\x03\x04 and no more"), "neither a PDF, a picture"},
		"a text":            {[]byte("Dear colleague"), "neither a PDF, a picture"},
		"a vector drawing":  {[]byte("<svg xmlns='http://www.w3.org/2000/svg'><script>alert(1)</script></svg>"), "neither a PDF, a picture"},
	} {
		bad := filepath.Join(t.TempDir(), "bad.jpg")
		if err := os.WriteFile(bad, c.data, 0o644); err != nil {
			t.Fatal(err)
		}
		steps(t,
			func() error { return p.Go("/worksheets") },
			func() error { return p.Choose("#file", photo, bad) }, oneWorksheet(p),
			func() error { return p.Until(name, fmt.Sprintf(`document.body.innerText.includes(%q)`, c.says)) },
		)
	}
	if len(lying()) != len(all) {
		t.Error("a refused file left a worksheet behind")
	}
}

// What is due stands in the calendar that a private address gives, and a
// renewed address ends the old one. Line ends, folding and escaping are those
// of RFC 5545, 3.1 and 3.3.11; times are UTC (3.3.5, form 2).
func TestTheCalendarOfWhatIsDue(t *testing.T) {
	t.Parallel()
	sc := setSceneNamed(t, "Calendar")
	ctx, teacher := context.Background(), personOf(t, "calendar.teacher")
	long := "Tides, currents; and \\ all that is to be known of the waters between Skerrymouth and the outer banks"
	give := func(terms assign.Terms) {
		t.Helper()
		if _, err := home.School.Assignments.Assign(ctx, teacher, assign.NewAssignment{Course: sc.course.ID, Worksheet: sc.sheet.ID, Terms: terms}); err != nil {
			t.Fatal(err)
		}
	}
	give(assign.Terms{Title: long, Due: "2027-07-01T18:00"})
	give(assign.Terms{Title: "Not yet", Opens: "2027-08-01T08:00", Due: "2027-08-02T18:00"})
	address := func() string {
		t.Helper()
		token, err := home.School.Agenda.NewCalendar(ctx, personOf(t, "calendar.student"))
		if err != nil {
			t.Fatal(err)
		}
		return home.Base + "/calendar/" + token + ".ics"
	}
	get := func(at string) (int, string) {
		t.Helper()
		res, err := http.Get(at)
		if err != nil {
			t.Fatal(err)
		}
		defer res.Body.Close()
		b, _ := io.ReadAll(res.Body)
		return res.StatusCode, string(b)
	}
	first := address()
	code, text := get(first)
	if code != http.StatusOK || strings.Contains(text, "Not yet") {
		t.Errorf("%d: %s", code, text)
	}
	for _, line := range strings.Split(strings.TrimSuffix(text, "\r\n"), "\r\n") {
		if len(line) > 75 || strings.Contains(line, "\n") {
			t.Errorf("a line of %d octets: %q", len(line), line)
		}
	}
	unfolded := strings.ReplaceAll(text, "\r\n ", "")
	for _, want := range []string{
		"BEGIN:VCALENDAR\r\nVERSION:2.0\r\n", "SUMMARY:Due: Tides\\, currents\\; and \\\\ all that is to be known of the waters between Skerrymouth and the outer banks\r\n",
		"DTSTART:20270701T170000Z\r\n", "UID:assignment-",
	} {
		if !strings.Contains(unfolded, want) {
			t.Errorf("%q is not in %s", want, unfolded)
		}
	}
	second := address()
	if code, _ := get(first); code != http.StatusNotFound {
		t.Errorf("the old address: %d", code)
	}
	if code, _ := get(second); code != http.StatusOK {
		t.Errorf("the new address: %d", code)
	}
}

// The shelf is searched by titles and by what is printed; a copy is another
// worksheet with the same pages.
func TestTheShelf(t *testing.T) {
	t.Parallel()
	sc := setSceneNamed(t, "Shelf")
	p := tab(t, 1280, 800)
	found := func(query, want string) func() error {
		return func() error {
			if _, err := browser.Eval[int](p, fmt.Sprintf(`const q=document.querySelector("#q"); q.value=%q; q.dispatchEvent(new Event("input",{bubbles:true})); return 1`, query)); err != nil {
				return err
			}
			return p.Until(query+" finds "+want, fmt.Sprintf(`new URLSearchParams(location.search).get("q")===%q && [...document.querySelectorAll("#shelf .font-title")].map(e=>e.innerText).join("|")===%q`, query, want))
		}
	}
	steps(t,
		func() error { return p.SignIn("shelf.teacher", scenePassword) },
		func() error { return p.Go("/worksheets") },
		func() error { return p.Until("where it is used", `document.body.innerText.includes("Used in Access")`) },
		found("overfalls carrick", "access"), found("Acc", "access"), found("zeppelin", ""), found("'; DROP TABLE \"", ""), found("rock", "access"),
		func() error { return p.Click(`.lies summary`) }, func() error { return p.Click(`form[action$="/copy"] button`) }, p.Ready,
		func() error {
			return p.Until("the copy", `document.querySelector("[data-title]").value==="access, copy" && document.querySelectorAll(".leaf").length===2`)
		},
	)
	if w, err := home.Store.Worksheet(context.Background(), sc.sheet.ID); err != nil || w.Title != "access" {
		t.Errorf("the worksheet itself: %+v (%v)", w, err)
	}
}

// A worksheet that is changed after it was assigned: copies that are begun
// stay as they are, the others get the new pages.
func TestAChangeReachesCopiesThatAreNotBegun(t *testing.T) {
	t.Parallel()
	sc := setSceneNamed(t, "Reissue")
	ctx, teacher := context.Background(), personOf(t, "reissue.teacher")
	was := sc.given.Handouts[0].RevisionID
	if err := home.School.Shelf.Arrange(ctx, teacher, sc.sheet.ID, 1, worksheet.Plan{{Page: 1, Use: worksheet.Sheet}, {Page: 2, Use: worksheet.Sheet}}, worksheet.Kit{}); err != school.ErrStale {
		t.Errorf("a change on an old version: %v", err)
	}
	if err := home.School.Shelf.Arrange(ctx, teacher, sc.sheet.ID, 2, worksheet.Plan{{Page: 2, Use: worksheet.Sheet}, {Page: 1, Use: worksheet.Sheet}}, worksheet.Kit{}); err != nil {
		t.Fatal(err)
	}
	begun, err := home.School.Publishing.Reissue(ctx, teacher, sc.sheet.ID, false)
	if err != nil || begun != 4 {
		t.Errorf("%d copies stay (%v), want the 4 that are begun", begun, err)
	}
	for state, c := range sc.copies {
		now, err := home.Store.CopyInCourse(ctx, c.ID, 0)
		if err != nil {
			t.Fatal(err)
		}
		if moved := now.RevisionID != was; moved != (state == "not started") {
			t.Errorf("a copy that is %s: moved %v", state, moved)
		}
	}
}
