package e2e

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"readymargin/core/access"
	"readymargin/core/mark"
	"readymargin/core/page"
	"readymargin/core/points"
	"readymargin/core/submission"
	"readymargin/core/words"
	"readymargin/core/worksheet"
	"readymargin/e2e/browser"
	"readymargin/school"
	"readymargin/school/assign"
	"readymargin/school/intake"
)

// The class side by side: points to a group by the keyboard, to some by touch, a
// remark to all, each taken back by one press; nothing of it reaches a student
// before Return.
func TestTheClassSideBySide(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	_, assignment, copies, questions := scored(t, "across")
	p := tab(t, 1280, 800)
	is := func(what, script string) func() error { return func() error { return p.Until(what, script) } }
	given := func(question int) string {
		out := ""
		for _, id := range copies {
			all, err := home.Store.Scores(ctx, id, 1)
			if err != nil {
				t.Fatal(err)
			}
			got := "-"
			for _, sc := range all {
				if sc.QuestionID == questions[question] {
					got = sc.Points.String()
				}
			}
			out += got + " "
		}
		return strings.TrimSpace(out)
	}
	stands := func(question int, want string) {
		t.Helper()
		if got := given(question); got != want {
			t.Errorf("question %d has %s, want %s", question+1, got, want)
		}
	}
	notes := func() (n int) {
		for _, id := range copies {
			heads, err := home.Store.Heads(ctx, id, submission.Feedback(1))
			if err != nil {
				t.Fatal(err)
			}
			for _, h := range heads {
				if h.Mark != nil {
					if note, ok := h.Mark.Body.(*mark.Note); ok && note.Text == "Look at the verbs again." {
						n++
					}
				}
			}
		}
		return n
	}
	steps(t,
		func() error { return p.SignIn("across.teacher", scenePassword) },
		func() error { return p.Go(fmt.Sprintf("/assignments/%d/marking", assignment)) }, p.Ready,
		func() error { return p.Click(fmt.Sprintf(`a[href="/assignments/%d/across"]`, assignment)) },
		is("both copies lie there at the first question", `document.querySelectorAll(".patch").length === 2 && document.querySelector("[data-question-words]").innerText === "Question 1 · 3 points"`),
		is("the sheet is seen on each", `[...document.querySelectorAll(".patch img")].every((i) => i.complete && i.naturalWidth > 0)`),
	)
	axeFinds(t, p, "across the class")
	wide, err := browser.Eval[[]float64](p, `return [...document.querySelectorAll(".paper")].map((e) => e.getBoundingClientRect().width)`)
	if err != nil || len(wide) != 2 || wide[0] != wide[1] || wide[0] < 200 {
		t.Errorf("the patches are %v wide (%v)", wide, err)
	}
	groups, err := browser.Eval[int](p, `return document.querySelectorAll(".group").length`)
	if err != nil || groups != 1 {
		t.Fatalf("%d groups (%v)", groups, err)
	}
	steps(t,
		func() error { return p.Click("[data-give]") }, func() error { return p.Type("2.5") }, func() error { return p.Enter() },
		is("it is given to all", `[...document.querySelectorAll(".patch .got")].every((g) => g.innerText === "2.5 of 3") && document.querySelector("[data-asked] .got").innerText === "2 of 2"`),
	)
	stands(0, "2.5 2.5")
	steps(t, func() error { return p.Click(`[data-do="undo"]`) },
		is("it is taken back", `[...document.querySelectorAll(".patch .got")].every((g) => g.innerText === "")`))
	stands(0, "- -")
	steps(t,
		// One alone.
		func() error { return p.Click(".take") }, is("one is chosen", `document.querySelector("[data-remark]").innerText === "Remark to 1"`),
		func() error { return p.Click("[data-give]") }, func() error { return p.Key(" ") },
		is("one has all of them", `document.querySelectorAll(".patch .got")[0].innerText === "3 of 3" && document.querySelectorAll(".patch .got")[1].innerText === ""`),
	)
	if got := given(0); got != "3 -" && got != "- 3" {
		t.Errorf("one alone has %s", got)
	}
	steps(t,
		func() error { return p.Click(".take") }, is("all are chosen", `document.querySelector("[data-remark]").innerText === "Remark to all"`),
		func() error { return p.Click("[data-remark]") }, func() error { return p.Fill("#remark-text", "Look at the verbs again.") }, func() error { return p.Click(`[data-dialog="remark"] [data-yes]`) },
		is("it is said", `document.querySelector(".toast").innerText.startsWith("Beside the question on 2 copies")`),
	)
	if n := notes(); n != 2 {
		t.Errorf("the remark is on %d copies", n)
	}
	steps(t,
		func() error {
			return chromedp.Do(p.Ctx, chromedp.KeyEvent(kb.Escape), chromedp.KeyEvent("]"))
		},
		is("the next question", `document.querySelector("[data-question-words]").innerText === "Question 2 · 1 point" && document.activeElement.matches("[data-give]")`),
		func() error { return p.Key(" ") },
		is("the button that goes on is in hand", `document.activeElement.matches('[data-do="next"]')`),
	)
	stands(1, "1 1")
	steps(t, func() error { return p.Click(`[data-do="undo"]`) }, is("the points are taken back", `document.querySelectorAll(".patch .got")[0].innerText === ""`),
		func() error { return p.Click(`[data-do="undo"]`) },
		func() error {
			for range 200 {
				if notes() == 0 {
					return nil
				}
				time.Sleep(20 * time.Millisecond)
			}
			return errors.New("the remark stays")
		})
	stands(1, "- -")

	// By touch on a tablet, and what a student is sent meanwhile.
	if err := p.Resize(820, 1180, true); err != nil {
		t.Fatal(err)
	}
	steps(t,
		func() error { return p.Go(fmt.Sprintf("/assignments/%d/across?question=%s", assignment, questions[2])) },
		is("the third question", `document.querySelector("[data-question-words]").textContent.startsWith("Question 3")`),
		func() error { return p.TapOn(".take") }, is("one is chosen by touch", `document.querySelector(".take").getAttribute("aria-pressed") === "true"`),
		func() error { return p.TapOn("[data-give]") }, func() error { return p.Type("1.75") }, func() error { return p.Enter() },
		is("it has them", `document.querySelector(".patch .got").innerText === "1.75 of 2"`),
	)
	axeFinds(t, p, "across the class on a tablet")
	q := tab(t, 1280, 800)
	steps(t, func() error { return q.SignIn("across.student", scenePassword) }, func() error { return q.Go(fmt.Sprintf("/copies/%d", copies[0])) }, q.Ready)
	sent, err := browser.Eval[string](q, `return document.documentElement.outerHTML + await (await fetch(location.pathname + "/view", { headers: { Accept: "application/json" } })).text()`)
	if err != nil {
		t.Fatal(err)
	}
	for _, secret := range []string{"1.75", "verbs again", `"scores"`, "feedback"} {
		if strings.Contains(sent, secret) {
			t.Errorf("before Return the student is sent %q", secret)
		}
	}
}

// Words that are to be marked are counted over the printed text, the colour key's
// meanings by student, and worksheets that differ stand under their titles.
func TestWhatTheClassMarks(t *testing.T) {
	t.Parallel()
	ctx, s := context.Background(), home.School
	sc := setSceneNamed(t, "Marked")
	teacher := personOf(t, "marked.teacher")
	bring := func(title string) (school.Worksheet, []worksheet.Question, words.Page) {
		w, err := s.Shelf.BringIn(ctx, teacher, intake.Upload{Name: title + ".pdf", Data: marksToMake(t)})
		if err != nil {
			t.Fatal(err)
		}
		found, err := s.Shelf.Found(ctx, teacher, w.ID)
		if err != nil {
			t.Fatal(err)
		}
		plan, err := worksheet.Parse(w.Plan)
		if err != nil {
			t.Fatal(err)
		}
		layer, err := s.Shelf.LeafPrint(ctx, teacher, w.ID, plan[0])
		if err != nil {
			t.Fatal(err)
		}
		var print words.Page
		if err := json.Unmarshal([]byte(layer), &print); err != nil {
			t.Fatal(err)
		}
		return w, found[0].Questions, print
	}
	verbs, asks, print := bring("Verbs")
	at := func(text string) worksheet.Run {
		for _, w := range print.Words {
			if w.Text == text {
				return worksheet.Run{Text: text, QuadPoints: mark.QuadPoints([]page.Quad{page.QuadOf(w.Rect())})}
			}
		}
		t.Fatalf("%q is not printed", text)
		return worksheet.Run{}
	}
	asks[0].Points, asks[0].Words = points.One, []worksheet.Run{at("climbs"), at("lights")}
	key := worksheet.Kit{Key: []worksheet.Meaning{{Name: "verb", Color: "#ffc38a", Sign: "V"}, {Name: "noun", Color: "#bfe3c0", Sign: "N"}}}
	if err := s.Shelf.Arrange(ctx, teacher, verbs.ID, 1, worksheet.Plan{{Page: 1, Use: worksheet.Sheet, Decided: true, Questions: &asks}}, key); err != nil {
		t.Fatal(err)
	}
	easier, _, _ := bring("Easier")
	a, err := s.Assignments.Assign(ctx, teacher, assign.NewAssignment{Course: sc.course.ID, Worksheet: verbs.ID, Terms: assign.Terms{Title: "Words"}})
	if err != nil {
		t.Fatal(err)
	}
	mate := personOf(t, "marked.classmate")
	if a, err = s.Assignments.AddHandout(ctx, teacher, a.ID, easier.ID, access.Audience{People: []uint64{mate.ID}}, true); err != nil {
		t.Fatal(err)
	}
	hand := func(who school.Person, runs ...worksheet.Run) {
		c, err := s.Saving.OpenOwn(ctx, who, a.ID)
		if err != nil {
			t.Fatal(err)
		}
		var ops []submission.Op
		for i, r := range runs {
			m := mark.Mark{ID: fmt.Sprint("marked-", who.ID, "-", i), Page: 1, Body: &mark.Highlight{Color: "#ffc38a", QuadPoints: r.QuadPoints, Text: r.Text, Meaning: key.Key[i%2].Name, Sign: key.Key[i%2].Sign}}
			ops = append(ops, submission.Op{ID: "op-" + m.ID, On: m.ID, Mark: &m})
		}
		if _, err := s.Saving.Save(ctx, who, c.ID, submission.Work, ops); err != nil {
			t.Fatal(err)
		}
		if _, err := s.Submitting.Submit(ctx, who, c.ID, "", 1000); err != nil {
			t.Fatal(err)
		}
	}
	hand(personOf(t, "marked.student"), at("climbs"), at("stairs,"), at("sea."))
	hand(mate, at("climbs"))

	p := tab(t, 1280, 800)
	is := func(what, script string) func() error { return func() error { return p.Until(what, script) } }
	steps(t,
		func() error { return p.SignIn("marked.teacher", scenePassword) },
		func() error {
			return p.Go(fmt.Sprintf("/assignments/%d/across?question=%d/%s", a.ID, verbs.ID, asks[0].ID))
		},
		is("both worksheets are named", `[...document.querySelectorAll(".of-sheet")].map((h) => h.innerText).join() === "Easier,Verbs"`),
		is("the other worksheet's copy is not among them, though its question is printed alike", `document.querySelectorAll(".patch").length === 1`),
		is("expected and in excess are counted", `document.querySelector(".warm").innerText.includes("Expected: “climbs” 1, “lights” 0") && document.querySelector(".warm").innerText.includes("In excess: “stairs” 1, “sea” 1")`),
		is("they lie over the print", `document.querySelectorAll(".heat rect.hit").length === 2 && document.querySelectorAll(".heat rect.excess").length === 2`),
		is("it is gathered by them", `document.querySelector(".group h2").innerText === "climbs, stairs, sea" && document.querySelector(".patch").innerText.includes("1 hit, 1 missed, 2 in excess")`),
	)
	axeFinds(t, p, "what the class marks")
	steps(t, func() error { return p.Click(`[data-asked="colour-key"]`) },
		is("meanings are counted by student", `document.querySelector(".keyed").innerText.replace(/\s+/g, " ") === "Student verb (V) noun (N) Marked Student 2 1 Marked Classmate 1 0 On average 1.5 0.5"`))
	axeFinds(t, p, "the colour key across the class")
}

// Points that are given while there is no line wait on the device, outlive the
// page, and arrive by themselves.
func TestPointsAcrossWithoutALine(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	_, assignment, copies, questions := scored(t, "lineless")
	p := tab(t, 1280, 800)
	is := func(what, script string) func() error { return func() error { return p.Until(what, script) } }
	at := fmt.Sprintf("/assignments/%d/across?question=%s", assignment, questions[1])
	given := func() (n int) {
		for _, id := range copies {
			all, err := home.Store.Scores(ctx, id, 1)
			if err != nil {
				t.Fatal(err)
			}
			n += len(all)
		}
		return n
	}
	steps(t,
		func() error { return p.SignIn("lineless.assistant", scenePassword) }, func() error { return p.Go(at) },
		is("the line goes", `(() => { const on = window.fetch; window.fetch = (to, how) => how?.method === "POST" ? Promise.reject(new TypeError("away")) : on(to, how); return true; })()`),
		func() error { return p.Click("[data-give]") }, func() error { return p.Type("1") }, func() error { return p.Enter() },
		is("they wait", `document.querySelector("[data-saved-words]").textContent === "On this device only, 1 change waiting"`),
		is("what was typed stays", `await new Promise((ok) => setTimeout(ok, 400)), document.querySelector("[data-give]").value === "1"`),
	)
	if n := given(); n != 0 {
		t.Fatalf("%d scores are there", n)
	}
	steps(t, func() error { return p.Go(at) }, is("they have arrived", `[...document.querySelectorAll(".patch .got")].every((g) => g.innerText === "1 of 1")`),
		is("and it says so", `document.querySelector("[data-saved]").dataset.state === "saved"`))
	if n := given(); n != len(copies) {
		t.Errorf("%d scores are there", n)
	}
	steps(t, func() error { return p.Go(at) }, is("nothing is sent again", `await new Promise((ok) => setTimeout(ok, 1200)), document.querySelector("[data-saved]").dataset.state !== "waiting"`))
}
