package e2e

import (
	"bytes"
	"context"
	"fmt"
	"strings"
	"testing"

	"codeberg.org/go-pdf/fpdf"
	"github.com/pdfcpu/pdfcpu/pkg/api"
	"github.com/pdfcpu/pdfcpu/pkg/pdfcpu"

	"readymargin/core/worksheet"
	"readymargin/e2e/browser"
	"readymargin/school/assign"
	"readymargin/school/intake"
)

// longFile is a file of five pages with a contents list, and a first page on
// which words lead to pages 2 and 4.
func longFile(t *testing.T) []byte {
	t.Helper()
	f := fpdf.New("P", "pt", "A4", "")
	f.SetFont("Helvetica", "", 12)
	answers, range4 := f.AddLink(), f.AddLink()
	for n := 1; n <= 5; n++ {
		f.AddPage()
		f.Text(60, 100, fmt.Sprintf("This is page %d of the tide tables.", n))
		if n == 1 {
			f.Text(60, 200, "See the answers, or the range.")
			f.Link(85, 190, 45, 14, answers)
			f.Link(170, 190, 45, 14, range4)
		}
	}
	f.SetLink(answers, 0, 2)
	f.SetLink(range4, 60, 4)
	var plain, out bytes.Buffer
	if err := f.Output(&plain); err != nil {
		t.Fatal(err)
	}
	api.DisableConfigDir()
	list := []pdfcpu.Bookmark{{Title: "How to use the tables", PageFrom: 1}, {Title: "Secret answers", PageFrom: 2}, {Title: "Heights", PageFrom: 3, Kids: []pdfcpu.Bookmark{{Title: "The range", PageFrom: 4}}}}
	if err := api.AddBookmarks(bytes.NewReader(plain.Bytes()), &out, list, true, nil); err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}

// A long file is gone through by its own contents list and its links; what
// belongs to a page that is held back is in neither.
func TestTheContentsOfALongFile(t *testing.T) {
	t.Parallel()
	ctx, sc := context.Background(), setSceneNamed(t, "Contents")
	teacher := personOf(t, "contents.teacher")
	w, err := home.School.Shelf.BringIn(ctx, teacher, intake.Upload{Name: "tables.pdf", Data: longFile(t)})
	if err != nil {
		t.Fatal(err)
	}
	plan := worksheet.Plan{}
	for n := 1; n <= 5; n++ {
		use := worksheet.Sheet
		if n == 2 {
			use = worksheet.Held
		}
		plan = append(plan, worksheet.PageRef{Page: n, Use: use, Decided: true})
	}
	if err := home.School.Shelf.Arrange(ctx, teacher, w.ID, 1, plan, worksheet.Kit{}); err != nil {
		t.Fatal(err)
	}
	a, err := home.School.Assignments.Assign(ctx, teacher, assign.NewAssignment{Course: sc.course.ID, Worksheet: w.ID, Terms: assign.Terms{Title: "Tide tables"}})
	if err != nil {
		t.Fatal(err)
	}
	c, err := home.School.Saving.OpenOwn(ctx, personOf(t, "contents.student"), a.ID)
	if err != nil {
		t.Fatal(err)
	}
	p := tab(t, 1280, 800)
	is := func(what, script string) func() error { return func() error { return p.Until(what, script) } }
	const at = `document.querySelector("[data-at]").value`
	steps(t,
		func() error { return p.SignIn("contents.student", scenePassword) }, func() error { return p.Go(fmt.Sprintf("/copies/%d", c.ID)) }, p.Ready,
		is("there is a contents list", `!document.querySelector('[data-do="contents"]').hidden`),
		func() error { return p.Click(`[data-do="contents"]`) },
		is("it has what is handed out", `[...document.querySelectorAll(".panel .line")].map(l=>l.innerText.replace(/\s+/g," ")).join("; ") === "How to use the tables 1; Heights 2; The range 3"`),
	)
	axeFinds(t, p, "the contents list")
	steps(t,
		func() error { return p.Click(".panel .line:nth-child(3)") }, is("it leads there", at+` === "3"`),
		func() error { return p.Fill("[data-at]", "1") }, func() error { return p.Enter() }, is("back", at+` === "1"`),
		is("one link is left", `document.querySelectorAll(".leads-to").length === 1`),
		is("the page stands still", `(()=>{ const y=document.querySelector("[data-desk]").scrollTop, was=window.stood; window.stood=y; return y===was })()`),
		func() error { return p.Press(browser.Place{Page: 1, X: 190, Y: 197}) }, is("it leads on", at+` === "3"`),
	)
	guide, err := browser.Eval[string](p, fmt.Sprintf(`return await (await fetch("/sheets/"+%d+"/guide")).text()`, c.RevisionID))
	if err != nil || strings.Contains(guide, "Secret") || !strings.Contains(guide, "The range") {
		t.Errorf("what is sent: %v %s", err, guide)
	}
}
