package e2e

import (
	"bytes"
	"context"
	"fmt"
	"net/http"
	"os/exec"
	"strings"
	"testing"
	"time"

	"readymargin/core/flow"
	"readymargin/core/mark"
	"readymargin/e2e/browser"
	"readymargin/school"
	"readymargin/school/takeaway"
)

// What is being typed and not kept yet is there again after leaving, closing
// and on another device: a note, also in plain view, a reply, the line to the
// teacher, points and remark, a form. The words of an answer are saved by
// themselves.
func TestWhatIsBeingTypedComesBack(t *testing.T) {
	t.Parallel()
	p, id := desk(t, "Typing", 1280, 800)
	copyAt := fmt.Sprintf("/copies/%d", id)
	at := func(x, y float64) func() error {
		return func() error { return p.Press(browser.Place{Page: 1, X: x, Y: y}) }
	}
	again := func() error {
		if err := p.Go(copyAt); err != nil {
			return err
		}
		return p.Ready()
	}
	hand := func(name string) func() error {
		return func() error { return p.Click(fmt.Sprintf(`.place [aria-label=%q]`, name)) }
	}
	is := func(what, script string) func() error { return func() error { return p.Until(what, script) } }
	note := `document.querySelector('[data-draft] textarea')?.value`
	pause := func() error { time.Sleep(350 * time.Millisecond); return nil }

	// An answer: what was typed 300 ms ago survives a reload in the middle of a word.
	steps(t, hand("Type"), at(240, 343), is("the blank is open", `document.querySelector(".typing")`),
		func() error { return p.Presses("4.5 metr") },
		pause, again)
	if got := strings.Join(textsOf(kept(t, p, id)), "|"); got != "4.5 metr" {
		t.Errorf("after a reload the answer is %q", got)
	}

	// A note, left at once, in plain view too, where its card has room and takes the keys.
	for i, plain := range []bool{false, true} {
		if plain {
			steps(t, func() error { return p.Click(`[data-do="plain"]`) }, is("plain view", `document.querySelector(".screen.plain")`))
		}
		steps(t, hand("Note"), at(300, 460+45*float64(i)),
			is("the card takes the keys", `document.activeElement?.matches("[data-draft] textarea") && document.activeElement.getBoundingClientRect().width > 150`),
			func() error { return p.Presses("why 3 times") }, pause,
			again, is("the note is there again", note+` === "why 3 times"`))
		// Going on with it and keeping it, it is a note.
		steps(t, func() error { return p.Click(`[data-draft] textarea`) }, func() error { return p.Type("?") },
			func() error { return p.Click(`[data-draft] .dark`) })
		var notes []string
		for _, m := range kept(t, p, id) {
			if n, ok := m.Body.(*mark.Note); ok {
				notes = append(notes, n.Text)
			}
		}
		if len(notes) == 0 || notes[len(notes)-1] != "why 3 times?" {
			t.Errorf("plain %v: the notes are %q", plain, notes)
		}
		steps(t, again, is("nothing is being written any more", `!document.querySelector("[data-draft]")`))
	}
	// In plain view, which has stayed, a note's point shows the note.
	steps(t, is("plain view has stayed", `document.querySelector(".screen.plain")`), func() error { return p.Click(".marker") },
		is("its card is seen", `(()=>{const r=document.querySelector("[data-note]").getBoundingClientRect();return r.width>150&&r.left>0&&r.right<=innerWidth})()`),
		func() error { return p.Click(`[data-do="plain"]`) })

	// What was dropped does not come back from the server, when that hears of it late.
	steps(t, hand("Note"), at(200, 640), func() error { return p.Presses("not this") },
		is("the server has it", `await new Promise((ok) => setTimeout(ok, 400)), !document.querySelector("[data-saved]").matches("[data-state=saving]")`), pause,
		is("drafts do not arrive", `(() => { const on = window.fetch; window.fetch = (to, how) => String(to).includes("/drafts/") ? new Promise(() => {}) : on(to, how); return true; })()`),
		func() error { return p.Click(`[data-draft] .quiet`) }, pause,
		again, is("it stays dropped", `!document.querySelector("[data-draft]")`))

	// On another device.
	steps(t, hand("Note"), at(200, 700), func() error { return p.Presses("from here") },
		is("the server has it", `(await (await fetch(location.pathname)).text()).includes("from here")`))
	other := tab(t, 820, 1180)
	steps(t, func() error { return other.SignIn("typing.student", scenePassword) }, func() error { return other.Go(copyAt) }, other.Ready,
		func() error { return other.Until("the note is there too", note+` === "from here"`) },
		func() error { return other.Click(`[data-draft] .quiet`) }) // dropped there
	time.Sleep(600 * time.Millisecond)

	// The line to the teacher, through leaving, submitting and taking back.
	steps(t, again, func() error { return p.Click(`[data-do="main"]`) }, func() error { return p.Click("#line") }, func() error { return p.Presses("Was away") }, pause,
		again, func() error { return p.Click(`[data-do="main"]`) }, is("the line is there", `document.querySelector("#line").value === "Was away"`),
		func() error { return p.Click(`[data-dialog="submit"] [data-yes]`) }, func() error { return p.Click(`[data-dialog="receipt"] .next`) },
		is("it is submitted", `document.querySelector("[data-top]").innerText.includes("Was away")`),
		p.Ready,
		func() error { return p.Click(`[data-do="take-back"]`) }, func() error { return p.Click(`[data-dialog="ask"] [data-ask-yes]`) },
		is("it is back", `document.querySelector("[data-top]").innerText.includes("In progress")`), p.Ready,
		func() error { return p.Click(`[data-do="main"]`) }, is("the line is there again", `document.querySelector("#line").value === "Was away"`),
		func() error { return p.Click(`[data-dialog="submit"] [data-yes]`) }, func() error { return p.Click(`[data-dialog="receipt"] .next`) },
		is("it is submitted again", `document.querySelector("[data-top]").innerText.includes("Was away")`))
}

// Points and a remark that are not taken yet, or cannot be, stay with the
// attempt that they were typed for, whatever is pressed. A copy without points
// is not returned without a question, and each attempt keeps its own.
func TestPointsStayWithTheirAttempt(t *testing.T) {
	t.Parallel()
	ctx, s := context.Background(), home.School
	sc := setSceneNamed(t, "Given")
	teacher, student, mate := account(t, "given.teacher"), account(t, "given.student"), account(t, "given.classmate")
	c := sc.copies[flow.Submitted]
	theirs, err := s.Saving.OpenOwn(ctx, mate, c.AssignmentID)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.Submitting.Submit(ctx, mate, theirs.ID, "", 0); err != nil {
		t.Fatal(err)
	}
	p := tab(t, 1280, 800)
	is := func(what, script string) func() error { return func() error { return p.Until(what, script) } }
	to := func(id string) func() error {
		return func() error { return p.Click(fmt.Sprintf(`[data-roll] [data-copy="%s"]`, id)) }
	}
	mine, other := fmt.Sprint(c.ID), fmt.Sprint(theirs.ID)
	steps(t, func() error { return p.SignIn("given.teacher", scenePassword) },
		func() error { return p.Go(fmt.Sprintf("/assignments/%d/marking?copy=%s", c.AssignmentID, mine)) }, p.Ready,
		func() error { return p.Fill("#points", "7") }, func() error { return p.Fill("#remark", "First") },
		// Straight on to the other copy, and something there that cannot be taken.
		to(other),
		is("the other copy", fmt.Sprintf(`new URLSearchParams(location.search).get("copy") === %q && document.querySelector("#remark").value === ""`, other)),
		func() error { return p.Fill("#points", "seven") },
		is("it is said", `document.querySelector("#points").getAttribute("aria-invalid") === "true"`),
		to(mine),
		is("both are there", `document.querySelector("#points").value === "7" && document.querySelector("#remark").value === "First"`),
		to(other),
		is("what could not be taken too", `document.querySelector("#points").value === "seven"`),
		// Leaving in the same moment as typing.
		func() error { return p.Fill("#points", "8") }, func() error { return p.Go("/") },
		func() error { return p.Go(fmt.Sprintf("/assignments/%d/marking?copy=%s", c.AssignmentID, other)) }, p.Ready,
		is("it was taken", `document.querySelector("#points").value === "8"`),
		// Without points it is not returned at once.
		func() error { return p.Fill("#points", "") },
		is("they are taken away", `document.querySelector("[data-saved]").dataset.state === "saved"`),
		func() error { return p.Click(`[data-do="main"]`) },
		is("it asks", `document.querySelector('[data-dialog="returning"]').open && document.querySelector("[data-returning]").innerText.includes("No points yet")`),
		func() error { return p.Click(`[data-dialog="returning"] [value="no"]`) })
	if a, err := home.Store.Attempts(ctx, theirs.ID); err != nil || a[0].ReturnedAt != nil {
		t.Errorf("it was returned without an answer (%v)", err)
	}
	// Attempt 1 goes back with 7; attempt 2 has nothing of it.
	steps(t, func() error { return s.Marking.Return(ctx, teacher, c.ID, 1) }, func() error { return s.Submitting.Improve(ctx, student, c.ID) },
		func() error { _, err := s.Submitting.Submit(ctx, student, c.ID, "", 99); return err })
	v, err := s.Screens.Open(ctx, student, c.ID)
	if err != nil || v.Given != nil || v.Remark != "" || v.Attempt != 2 {
		t.Errorf("attempt %d shows the points %v and %q (%v)", v.Attempt, v.Given, v.Remark, err)
	}
	for attempt, want := range map[int]string{1: "7 of 10", 2: ""} {
		f, err := s.Exports.TakeCopy(ctx, student, c.ID, takeaway.Choice{Attempt: attempt})
		if err != nil {
			t.Fatal(err)
		}
		if got := textIn(t, bytesOf(t, f)); strings.Contains(got, "7 of 10") != (want != "") || strings.Contains(got, "First") != (want != "") {
			t.Errorf("attempt %d is printed with %q", attempt, got)
		}
	}
	q := tab(t, 1280, 800)
	steps(t, func() error { return q.SignIn("given.student", scenePassword) }, func() error { return q.Go(fmt.Sprintf("/copies/%d", c.ID)) }, q.Ready,
		func() error { return q.Click(`[aria-label="Attempts"] a:first-child`) }, q.Ready,
		func() error {
			return q.Until("attempt 1 with its feedback", `document.querySelector("[data-top]").innerText.includes("7 of 10") && document.querySelector("[data-top]").innerText.includes("First") && document.querySelector(".marker")`)
		})
	if code, _ := sc.page(t, "student", fmt.Sprintf("/copies/%d?attempt=3", c.ID)); code != http.StatusNotFound {
		t.Errorf("an attempt that is not there: %d", code)
	}
}

// Drafts belong to who typed them, are bounded, and of two devices the later wins.
func TestDraftsAreTheirOwn(t *testing.T) {
	t.Parallel()
	ctx, s := context.Background(), home.School
	sc := setSceneNamed(t, "Drafted")
	teacher, student := account(t, "drafted.teacher"), account(t, "drafted.student")
	id := sc.copies[flow.InProgress].ID
	now := time.Now()
	keep := func(who school.Person, of school.Drafted, id uint64, all ...school.Draft) error {
		return s.Drafts.KeepDrafts(ctx, who, of, id, all)
	}
	d := func(place, body string, at time.Duration) school.Draft {
		return school.Draft{Place: place, Body: body, At: now.Add(at)}
	}
	steps(t, func() error { return keep(student, school.OfCopy, id, d("line", `"later"`, 0), d("note/1", `"x"`, 0)) },
		func() error { return keep(student, school.OfCopy, id, d("line", `"earlier"`, -time.Minute)) },
		func() error {
			return keep(student, school.OfCopy, id, d("line", "", -time.Minute), d("note/1", "", time.Second))
		},
		func() error { return keep(teacher, school.OfCopy, id, d("line", `"the teacher's"`, 0)) },
		func() error { return keep(teacher, school.OfWorksheet, sc.sheet.ID, d("assign/title", `"T"`, 0)) },
		func() error { return keep(teacher, school.OfAssignment, sc.given.ID, d("change/title", `"T"`, 0)) })
	if all, err := s.Drafts.Drafts(ctx, student, school.OfCopy, id); err != nil || len(all) != 1 || all[0].Body != `"later"` {
		t.Errorf("the student's drafts: %v (%v)", all, err)
	}
	for name, err := range map[string]error{
		"a worksheet of somebody else's": keep(student, school.OfWorksheet, sc.sheet.ID, d("a", `"x"`, 0)),
		"an assignment as a student":     keep(student, school.OfAssignment, sc.given.ID, d("a", `"x"`, 0)),
		"something unheard of":           keep(teacher, "person", teacher.ID, d("a", `"x"`, 0)),
		"no value":                       keep(student, school.OfCopy, id, d("a", `x`, 0)),
		"far too much":                   keep(student, school.OfCopy, id, d("a", `"`+strings.Repeat("x", 100_000)+`"`, 0)),
		"a place of no name":             keep(student, school.OfCopy, id, d("a b", `"x"`, 0)),
	} {
		if err == nil {
			t.Errorf("%s was kept", name)
		}
	}
	for i := range 100 {
		steps(t, func() error {
			return keep(student, school.OfCopy, id, d(fmt.Sprint("many/", i), `"x"`, time.Duration(i)*time.Millisecond))
		})
	}
	if all, err := s.Drafts.Drafts(ctx, student, school.OfCopy, id); err != nil || len(all) != 60 || all[len(all)-1].Place != "many/99" {
		t.Errorf("%d drafts are kept (%v)", len(all), err)
	}
}

// account returns who signs in under a name.
func account(t *testing.T, login string) school.Person {
	t.Helper()
	p, err := home.Store.PersonByLogin(context.Background(), login)
	if err != nil {
		t.Fatal(err)
	}
	return p
}

// textIn returns the words of a PDF as poppler reads them.
func textIn(t *testing.T, file []byte) string {
	t.Helper()
	cmd := exec.Command("pdftotext", "-layout", "-", "-")
	cmd.Stdin = bytes.NewReader(file)
	out, err := cmd.Output()
	if err != nil {
		t.Fatal(err)
	}
	return string(out)
}
