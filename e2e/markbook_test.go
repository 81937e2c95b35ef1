package e2e

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"readymargin/e2e/browser"
)

// A teacher looks into the mark book, excuses somebody, takes it away, and
// brings points in: shown first, then taken.
func TestTheMarkBook(t *testing.T) {
	t.Parallel()
	sc, assignment, copies, questions := scored(t, "book")
	p := tab(t, 1280, 800)
	is := func(what, script string) func() error { return func() error { return p.Until(what, script) } }
	book := fmt.Sprintf("/courses/%d/book", sc.course.ID)
	row := func(name string) string {
		return fmt.Sprintf(`[...document.querySelectorAll("tbody tr")].find((r) => r.querySelector("th")?.innerText === %q).innerText.replace(/\s+/g, " ")`, name)
	}
	for i, q := range questions {
		if _, err := home.School.Marking.Score(t.Context(), personOf(t, "book.teacher"), copies[0], 1, q, []string{"2", "1", "0.5"}[i], ""); err != nil {
			t.Fatal(err)
		}
	}
	steps(t,
		func() error { return p.SignIn("book.teacher", scenePassword) },
		func() error { return p.Go(fmt.Sprintf("/courses/%d", sc.course.ID)) },
		func() error { return p.Click(fmt.Sprintf(`a[href="%s"]`, book)) },
		is("the points are there", row("book Student")+`.includes("3.5 not returned")`),
		is("and what each question did", `[...document.querySelectorAll(".item p span")].map((s) => s.innerText).join() === "67 %,100 %,25 %"`),
		is("and the spread", `document.querySelectorAll(".spread circle").length === 1`),
	)
	axeFinds(t, p, "the mark book")
	for _, file := range []struct{ name, begins string }{{"points.csv", "Name,Sign-in name,Section,"}, {"points.xlsx", "PK"}} {
		got, err := browser.Eval[string](p, fmt.Sprintf(`const r = await fetch("%s/%s"); return r.headers.get("Content-Disposition") + "\n" + await r.text()`, book, file.name))
		if head, body, _ := strings.Cut(got, "\n"); err != nil || !strings.HasPrefix(head, "attachment;") || !strings.HasPrefix(body, file.begins) {
			t.Errorf("%s begins %.80q (%v)", file.name, got, err)
		}
	}
	table := filepath.Join(t.TempDir(), "points.csv")
	if err := os.WriteFile(table, []byte("Sign-in name,Scored (of 6)\r\nbook.classmate,4.5\r\nbook.student,99\r\nstranger,1\r\n"), 0o644); err != nil {
		t.Fatal(err)
	}
	steps(t,
		func() error { return p.Choose("#points-file", table) }, func() error { return p.Click(`form[action$="/read"] .button`) },
		is("it is shown first", `document.querySelector("#read")?.innerText.includes("1 entry would change") && document.querySelector("#read").innerText.includes("is no number from 0 to 6: passed over") && document.querySelector("#read").innerText.includes("line 4: stranger")`),
	)
	axeFinds(t, p, "points that are brought in")
	steps(t,
		is("nothing is taken yet", `!`+row("book Classmate")+`.includes("4.5")`),
		func() error { return p.Click(`#read .button.next`) },
		is("it is taken", row("book Classmate")+`.includes("4.5 not returned")`),
		is("and said", `document.querySelector("main, .mark-book").innerText.includes("1 entry was taken over")`),
		set(p, "#excused-student", fmt.Sprint(personOf(t, "book.classmate").ID)), set(p, "#excused-assignment", fmt.Sprint(assignment)),
		func() error { return p.Click(`[name="do"][value="excuse"]`) },
		is("one is excused", row("book Classmate")+`.includes("excused")`),
		is("and counts nowhere", `document.querySelectorAll(".spread circle").length === 1`),
		func() error { return p.Resize(390, 844, true) },
		is("on a telephone the names stay", `document.documentElement.scrollWidth <= innerWidth`),
	)
	axeFinds(t, p, "the mark book on a telephone")
}
