package e2e

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"testing"

	"readymargin/core/access"
	"readymargin/core/mark"
	"readymargin/core/points"
	"readymargin/core/submission"
	"readymargin/core/worksheet"
	"readymargin/demo"
	"readymargin/e2e/browser"
	"readymargin/school/assign"
	"readymargin/school/feedback"
	"readymargin/school/intake"
	"readymargin/sound"
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
	// In words, what is expected stands beside each answer.
	steps(t, func() error { return p.Click(`[data-do="words"]`) },
		is("what is expected is there", `[...document.querySelectorAll(".wants:not([hidden])")].map((w) => w.innerText).join("|") === "expected 4.5 m ± 0.1: as expected|expected spring: as expected"`))
	axeFinds(t, p, "what is expected, in words")
	steps(t, func() error { return p.Click(`[data-do="words"]`) },
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

// What was said once on a copy is kept and said on another; a student hears it
// once that copy was returned.
func TestASpokenRemarkIsUsedAgain(t *testing.T) {
	t.Parallel()
	ctx, s := context.Background(), home.School
	sc, assignment, copies, questions := scored(t, "spoken")
	teacher := personOf(t, "spoken.teacher")
	wav, err := sound.Speak(ctx, "Read the question twice.", "en-gb", 150)
	if err != nil {
		t.Fatal(err)
	}
	voice, err := s.Attachments.AddVoice(ctx, teacher, copies[0], submission.Feedback(1), intake.Recorded{Data: wav})
	if err != nil {
		t.Fatal(err)
	}
	note := mark.Mark{ID: "spoken-once", Page: 1, Body: &mark.Note{At: [2]float64{300, 120}, Voice: &voice}}
	if _, err := s.Saving.Save(ctx, teacher, copies[0], submission.Feedback(1), []submission.Op{{ID: "op-spoken-once", On: note.ID, Mark: &note}}); err != nil {
		t.Fatal(err)
	}
	p := tab(t, 1280, 800)
	is := func(what, script string) func() error { return func() error { return p.Until(what, script) } }
	open := func(i int) func() error {
		return func() error { return p.Go(fmt.Sprintf("/assignments/%d/marking?copy=%d", assignment, copies[i])) }
	}
	steps(t,
		func() error { return p.SignIn("spoken.teacher", scenePassword) }, open(0), p.Ready,
		func() error { return p.Click("[data-keep-voice]") },
		func() error { return p.Click(".ready-form .button") },
		is("it needs words", `document.querySelector(".toast").innerText.startsWith("A remark that is kept")`),
		func() error { return p.Fill(".ready-form textarea", "Read the question twice.") },
		func() error { return p.Fill(`.ready-form [placeholder="Short key"]`, "twice") },
		func() error { return p.Fill(`.ready-form [placeholder="Points"]`, "0.5") },
	)
	axeFinds(t, p, "keeping a voice note")
	steps(t,
		func() error { return p.Click(".ready-form .button") }, is("it is kept", `document.querySelector(".toast").innerText === "It is ready to be used again."`),
		open(1), p.Ready,
		func() error { return p.Click("#remark") }, is("it is no overall remark", `document.activeElement.id === "remark" && !document.querySelector(".ready-one")`),
		func() error { return p.Click(`.place [aria-label="Note"]`) },
		func() error { return p.Press(browser.Place{Page: 1, X: 300, Y: 340}) },
		func() error { return p.Presses("twice") },
		func() error { return p.Click(".ready-one") },
		is("it stands there, spoken and in words", `document.querySelectorAll("[data-note] .clip").length === 1 && document.querySelector("[data-note]").innerText.includes("Read the question twice.") && !document.querySelector("[data-draft]")`),
		is("with its points", fmt.Sprintf(`document.querySelector('[data-question=%q]').value === "0.5"`, questions[2])),
		is("it is saved", `await new Promise((ok) => setTimeout(ok, 900)), document.querySelector("[data-saved]").dataset.state === "saved"`),
	)
	hear := func(who string, copyID uint64) int {
		code, _ := sc.page(t, who, fmt.Sprintf("/copies/%d/sounds/%s", copyID, voice.Sound))
		return code
	}
	if code := hear("teacher", copies[1]); code != http.StatusOK {
		t.Errorf("the teacher hears it on the other copy: %d", code)
	}
	if code := hear("classmate", copies[1]); code != http.StatusNotFound {
		t.Errorf("before Return the student hears it: %d", code)
	}
	if err := s.Marking.Return(ctx, teacher, copies[1], 1); err != nil {
		t.Fatal(err)
	}
	for who, want := range map[string]int{"classmate": http.StatusOK, "student": http.StatusNotFound} {
		if code := hear(who, copies[1]); code != want {
			t.Errorf("%s hears the classmate's: %d, want %d", who, code, want)
		}
	}
	// Nobody else's, and nowhere else.
	all, err := s.Ready.Choices(ctx, teacher, sc.course.ID)
	if err != nil || len(all) != 1 || all[0].Sound != voice.Sound || all[0].Gives != "0.5" {
		t.Fatalf("ready are %+v, %v", all, err)
	}
	stranger := personOf(t, "spoken.stranger")
	for name, err := range map[string]error{
		"a stranger's":       errOf(s.Ready.Speak(ctx, stranger, sc.course.ID, all[0].ID, copies[1], submission.Feedback(1))),
		"an assistant's own": errOf(s.Ready.Speak(ctx, personOf(t, "spoken.assistant"), sc.course.ID, all[0].ID, copies[1], submission.Feedback(1))),
		"in the work":        errOf(s.Ready.Speak(ctx, teacher, sc.course.ID, all[0].ID, copies[1], submission.Work)),
		"keeping a sound that is not there": func() error {
			_, err := s.Ready.Keep(ctx, teacher, sc.course.ID, feedback.Kept{Text: "x", Copy: copies[1], Sound: strings.Repeat("0", 64)})
			return err
		}(),
	} {
		if !errors.Is(err, access.ErrHidden) && !errors.Is(err, access.ErrDenied) {
			t.Errorf("%s: %v", name, err)
		}
	}
	// Kept no longer, what was said with it stays.
	if err := s.Ready.Drop(ctx, teacher, sc.course.ID, all[0].ID); err != nil {
		t.Fatal(err)
	}
	if code := hear("classmate", copies[1]); code != http.StatusOK {
		t.Errorf("afterwards: %d", code)
	}
}
