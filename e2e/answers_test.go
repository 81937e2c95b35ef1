package e2e

import (
	"context"
	"fmt"
	"testing"

	"github.com/chromedp/chromedp/kb"

	"readymargin/core/mark"
	"readymargin/core/worksheet"
	"readymargin/demo"
	"readymargin/e2e/browser"
)

// What is written in a blank names it. It stays with it when the teacher moves
// the blank, and when the text is changed or coloured afterwards; what is
// dragged into another blank belongs to that one. At Submit the answers are
// laid down by blank.
func TestWhatIsWrittenNamesItsBlank(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	file, err := demo.TideHeights()
	if err != nil {
		t.Fatal(err)
	}
	login, id := copyOf(t, "answers", file, 2)
	c, err := home.Store.CopyInCourse(ctx, id, 0)
	if err != nil {
		t.Fatal(err)
	}
	blanks := func() []worksheet.Blank {
		t.Helper()
		issued, err := home.School.Revisions.Revised(ctx, c.Revision)
		if err != nil {
			t.Fatal(err)
		}
		return issued.Guides[0].Blanks
	}
	var first, second worksheet.Blank
	for _, b := range blanks() {
		if b.Kind == "line" && first.ID == "" {
			first = b
		} else if b.Kind == "line" && second.ID == "" && b.Baseline > first.Baseline+20 {
			second = b
		}
	}
	p := tab(t, 1280, 800)
	in := func(b worksheet.Blank) browser.Place {
		return browser.Place{Page: 1, X: b.Rect[0] + 12, Y: b.Baseline - 4}
	}
	press := func(b worksheet.Blank) func() error { return func() error { return p.Press(in(b)) } }
	open := func() error { return p.Go(fmt.Sprintf("/copies/%d", id)) }
	typed := func(words string) func() error { return func() error { return p.Type(words) } }
	escape := func() error { return p.Key(kb.Escape) }
	only := func() mark.Mark {
		t.Helper()
		all := kept(t, p, id)
		if len(all) != 1 {
			t.Fatalf("there are %d marks", len(all))
		}
		return all[0]
	}
	steps(t, func() error { return p.SignIn(login, scenePassword) }, open, p.Ready,
		func() error {
			return p.Until("its blanks are known", `document.querySelectorAll(".hints rect").length > 3`)
		},
		press(first), typed("4.5 m"), escape)
	if m := only(); m.Blank != first.ID {
		t.Fatalf("what was written names %q, want %q", m.Blank, first.ID)
	}

	// The teacher moves the blank to where nobody wrote.
	teacher := personOf(t, "answers.teacher")
	w, err := home.Store.Worksheet(ctx, c.Revision.WorksheetID)
	if err != nil {
		t.Fatal(err)
	}
	plan, err := worksheet.Parse(w.Plan)
	if err != nil {
		t.Fatal(err)
	}
	moved := blanks()
	own := append([]worksheet.Blank{}, moved...)
	for i := range own {
		if own[i].ID == first.ID {
			own[i].Rect, own[i].Baseline = worksheet.Box{20, 700, 200, 716}, 713
		}
	}
	plan[0].Blanks = &own
	if err := home.School.Shelf.Arrange(ctx, teacher, w.ID, w.Version, plan, worksheet.Kit{}); err != nil {
		t.Fatal(err)
	}
	steps(t, open, p.Ready, func() error { return p.Until("the core is there", `document.querySelector(".hints rect")`) },
		press(first), typed("!"), escape)
	if m := only(); m.Blank != first.ID || m.Body.(*mark.FreeText).String() != "4.5 m!" {
		t.Errorf("changed after its blank was moved it is %q and names %q", m.Body.(*mark.FreeText).String(), m.Blank)
	}

	// Dragged into another blank it belongs to that one.
	to := in(second)
	steps(t, func() error { return fromPopover(p, "pick", "Pick") }, press(first),
		func() error {
			return p.Drag("mouse", 0.5, in(first), browser.Place{Page: 1, X: to.X, Y: (in(first).Y + to.Y) / 2}, to)
		})
	if m := only(); m.Blank != second.ID {
		t.Errorf("dragged into another blank it names %q, want %q", m.Blank, second.ID)
	}
	seq, err := home.Store.LayerSeq(ctx, id, "work")
	if err != nil {
		t.Fatal(err)
	}
	if _, err := home.School.Submitting.Submit(ctx, personOf(t, login), id, "", seq); err != nil {
		t.Fatal(err)
	}
	db, err := home.Store.DB()
	if err != nil {
		t.Fatal(err)
	}
	var blank, text string
	if err := db.QueryRowContext(ctx, "SELECT blank_id, text FROM answers WHERE copy_id = ?", id).Scan(&blank, &text); err != nil || blank != second.ID || text != "4.5 m!" {
		t.Errorf("laid down is %q in %q (%v)", text, blank, err)
	}
}
