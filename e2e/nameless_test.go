package e2e

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strings"
	"testing"

	"readymargin/core/blank"
	"readymargin/core/mark"
	"readymargin/core/submission"
	"readymargin/core/worksheet"
	"readymargin/demo"
	"readymargin/school"
	"readymargin/school/assign"
	"readymargin/school/intake"
)

// Marked without names: nothing that is sent to who marks says whose a copy is,
// by its name, by what stands in the places for it, or by when it came, until it
// is returned; and a student is not told otherwise than before.
func TestMarkedWithoutNames(t *testing.T) {
	t.Parallel()
	ctx, sc := context.Background(), setSceneNamed(t, "Quillon")
	teacher, student := personOf(t, "quillon.teacher"), personOf(t, "quillon.student")
	must := func(err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	pdf, err := demo.TideHeights()
	must(err)
	w, err := home.School.Shelf.BringIn(ctx, teacher, intake.Upload{Name: "tides.pdf", Data: pdf})
	must(err)
	found, err := home.School.Shelf.Found(ctx, teacher, w.ID)
	must(err)
	at := slices.IndexFunc(found[0].Blanks, func(b worksheet.Blank) bool { return b.Holds == blank.Name })
	answer := slices.IndexFunc(found[0].Blanks, func(b worksheet.Blank) bool { return b.Holds == "" })
	if at < 0 || answer < 0 {
		t.Fatal("the sheet has no place for a name")
	}
	a, err := home.School.Assignments.Assign(ctx, teacher, assign.NewAssignment{Course: sc.course.ID, Worksheet: w.ID, Terms: assign.Terms{Title: "Without names", Points: "10", Nameless: true}})
	must(err)
	c, err := home.School.Saving.OpenOwn(ctx, student, a.ID)
	must(err)
	text := func(name string, b worksheet.Blank, s string) submission.Op {
		m := mark.Mark{ID: "nameless-" + name, Page: 1, Blank: b.ID, Body: &mark.FreeText{X: b.Rect[0] + 2, Y: b.Baseline, Width: 40, Lines: []mark.TextLine{{Runs: []mark.Run{{Text: s, Size: 12, Color: "#1e2a44"}}}}}}
		return submission.Op{ID: "op-" + m.ID, On: m.ID, Mark: &m}
	}
	note := mark.Mark{ID: "nameless-note", Page: 1, Body: &mark.Note{At: [2]float64{300, 300}, Says: "ask", Text: "Is it right?"}}
	saved, err := home.School.Saving.Save(ctx, student, c.ID, submission.Work, []submission.Op{text("name", found[0].Blanks[at], "Zenobia Prattle"), text("answer", found[0].Blanks[answer], "4.5 m"), {ID: "op-nameless-note", On: note.ID, Mark: &note}})
	must(err)
	_, err = home.School.Submitting.Submit(ctx, student, c.ID, "A line", saved.Seq)
	must(err)

	seen := func() map[string]string {
		t.Helper()
		out := map[string]string{}
		for path, json := range map[string]bool{
			fmt.Sprintf("/assignments/%d/marking?copy=%d", a.ID, c.ID): false, fmt.Sprintf("/assignments/%d/roll", a.ID): false, fmt.Sprintf("/assignments/%d/returning", a.ID): false,
			fmt.Sprintf("/assignments/%d/across", a.ID): false, fmt.Sprintf("/assignments/%d/across?json", a.ID): true, fmt.Sprintf("/copies/%d/marking", c.ID): true,
			fmt.Sprintf("/copies/%d/print", c.ID): false, "/": false,
		} {
			req, err := http.NewRequest("GET", home.Base+path, nil)
			must(err)
			if json {
				req.Header.Set("Accept", "application/json")
			}
			res, err := sc.people["teacher"].Do(req)
			must(err)
			body, err := io.ReadAll(res.Body)
			must(err)
			res.Body.Close()
			if res.StatusCode != http.StatusOK {
				t.Errorf("%s: %d", path, res.StatusCode)
			}
			said := fmt.Sprint(res.Header) + string(body)
			if strings.HasSuffix(path, "/print") {
				said += textIn(t, body)
			}
			out[path] = said
		}
		return out
	}
	attempt := func() school.Attempt {
		t.Helper()
		all, err := home.Store.Attempts(ctx, c.ID)
		must(err)
		return all[0]
	}
	sum := attempt().SnapshotHash
	secrets := []string{student.Name, student.Login, "Quillon Stu", "Zenobia", "Prattle", "nameless-", "Quillon Classmate", sum, attempt().SubmittedAt.Format("2006-01-02T15:04:05")}
	label := c.Label()
	for path, said := range seen() {
		for _, secret := range secrets {
			if strings.Contains(said, secret) {
				i := strings.Index(said, secret)
				t.Errorf("%s says %q: …%s…", path, secret, said[max(i-80, 0):min(i+80, len(said))])
			}
		}
		if path != "/" && !strings.Contains(said, label) && !strings.Contains(said, strings.ReplaceAll(label, " ", "%20")) {
			t.Errorf("%s does not say %q", path, label)
		}
	}
	// What stands elsewhere is there, and the student has all of it.
	if said := seen()[fmt.Sprintf("/copies/%d/marking", c.ID)]; !strings.Contains(said, "4.5 m") || !strings.Contains(said, "Is it right?") || !strings.Contains(said, "A line") {
		t.Error("what was answered and asked is not there")
	}
	v, err := home.School.Screens.Open(ctx, student, c.ID)
	must(err)
	if v.Receipt == nil || v.Receipt.Fingerprint != sum || v.Student != student.Name {
		t.Errorf("the student's receipt is %+v", v.Receipt)
	}
	// A note hangs on a mark by the name that was told, and is kept by the one that it has.
	v, err = home.School.Screens.OpenToMark(ctx, teacher, c.ID, 1)
	must(err)
	told := map[string]string{}
	for _, m := range v.Marks {
		if m.Layer == submission.Work {
			told[m.Mark.Body.Kind()] = m.Mark.ID
		}
	}
	on, to := mark.Mark{ID: "hangs-there", Page: 1, Body: &mark.Note{At: [2]float64{200, 200}, On: told["freetext"], Text: "Here"}}, mark.Mark{ID: "answers-it", Page: 1, Body: &mark.Reply{To: told["note"], Text: "It is"}}
	_, err = home.School.Saving.Save(ctx, teacher, c.ID, submission.Feedback(1), []submission.Op{{ID: "op-hangs-there", On: on.ID, Mark: &on}, {ID: "op-answers-it", On: to.ID, Mark: &to}})
	must(err)
	heads, err := home.Store.Heads(ctx, c.ID, submission.Feedback(1))
	must(err)
	for _, h := range heads {
		switch b := h.Mark.Body.(type) {
		case *mark.Note:
			if b.On != "nameless-answer" {
				t.Errorf("the note hangs on %q", b.On)
			}
		case *mark.Reply:
			if b.To != "nameless-note" {
				t.Errorf("the answer is to %q", b.To)
			}
		}
	}
	for path, said := range seen() {
		if strings.Contains(said, "nameless-") {
			t.Errorf("after that %s tells the names of marks", path)
		}
	}
	v, err = home.School.Screens.OpenToMark(ctx, teacher, c.ID, 1)
	must(err)
	if threads, _ := v.Threads(); len(threads) != 2 || threads[0].Gone || threads[1].Gone || len(threads[0].Remarks)+len(threads[1].Remarks) != 3 {
		t.Errorf("the conversations are %+v", threads)
	}
	// The mark book does not lead from the name to the copy, nor tell who is missing.
	_, err = home.School.Marking.GivePoints(ctx, teacher, c.ID, 1, "7", "", "", false)
	must(err)
	book, err := home.School.Books.Book(ctx, teacher, sc.course.ID)
	must(err)
	for _, r := range book.Rows {
		for i, cell := range r.Cells {
			if book.Columns[i].ID == a.ID && r.Member.PersonID == student.ID && (cell.Copy != 0 || cell.Points != nil || !cell.Hidden || cell.State != "") {
				t.Errorf("in the mark book stands %+v", cell)
			}
		}
	}
	if r, err := home.School.Books.ReadPoints(ctx, teacher, sc.course.ID, []byte("Sign-in name,Without names\n"+student.Login+",3\n")); err != nil || len(r.Taken()) != 0 {
		t.Errorf("points come in by names: %+v (%v)", r, err)
	}
	// Once returned it has a name.
	must(home.School.Marking.Return(ctx, teacher, c.ID, 1))
	for path, said := range seen() {
		if strings.Contains(path, "/marking") && !strings.Contains(said, student.Name) {
			t.Errorf("after Return %s does not say whose it is", path)
		}
	}
}
