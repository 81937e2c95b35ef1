package school_test

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"math"
	"strings"
	"testing"

	"github.com/xuri/excelize/v2"

	"readymargin/core/access"
	"readymargin/core/flow"
	"readymargin/core/points"
	"readymargin/school"
	"readymargin/school/markbook"
)

// The mark book has what counts of every student, what it comes to by the
// chapters' weights, and the figures of each column; it goes out as tables that
// come back as they went.
func TestMarkBook(t *testing.T) {
	h := handIn(t, "book", 4)
	db, err := h.store.DB()
	h.must(err)
	exec := func(q string, args ...any) {
		t.Helper()
		_, err := db.ExecContext(h.ctx, q, args...)
		h.must(err)
	}
	b, m, course, first := h.school.Books, h.school.Marking, h.Course.ID, h.Assignments[0].ID
	second := &school.Assignment{CourseID: course, Title: "=SUM(A1)", Chapter: "Tides", Points: 10 * points.One, Mode: flow.CopyEach, CreatedAt: h.now, Handouts: h.Assignments[0].Handouts}
	read := &school.Assignment{CourseID: course, Title: "To read", Points: 10 * points.One, Mode: flow.ToRead, CreatedAt: h.now, Handouts: h.Assignments[0].Handouts}
	h.must(h.store.AddAssignments(h.ctx, []*school.Assignment{second, read}))
	exec("UPDATE assignments SET points = ? WHERE id = ?", 4*points.One, first)
	exec("UPDATE people SET name = 'Ana, the \"first\"' WHERE id = ?", h.Students[0].ID)
	give := func(student, attempt int, p string) {
		t.Helper()
		_, err := m.GivePoints(h.ctx, h.Teacher, h.copies[student], attempt, p, "", "Kept", false)
		h.must(err)
	}
	give(0, 1, "3")
	give(1, 1, "2")
	give(2, 1, "1")
	// The first one tries again, and does worse.
	h.must(m.Return(h.ctx, h.Teacher, h.copies[0], 1))
	h.must(h.school.Submitting.Improve(h.ctx, h.Students[0], h.copies[0]))
	h.submit(0)
	give(0, 2, "2.5")
	// The second assignment: one student has all of it.
	other := h.copy(h.Students[1], second)
	_, err = h.school.Submitting.Submit(h.ctx, h.Students[1], other, "", 99)
	h.must(err)
	_, err = m.GivePoints(h.ctx, h.Teacher, other, 1, "10", "", "", false)
	h.must(err)
	says := func() string {
		t.Helper()
		book, err := b.Book(h.ctx, h.Teacher, course)
		h.must(err)
		var out strings.Builder
		for _, r := range book.Rows {
			for _, c := range r.Cells {
				switch {
				case c.Excused:
					out.WriteString("excused ")
				case c.Points == nil:
					out.WriteString("- ")
				default:
					fmt.Fprintf(&out, "%s#%d ", c.Points, c.Attempt)
				}
			}
			if !math.IsNaN(r.Share) {
				fmt.Fprintf(&out, "%.3f", r.Share)
			}
			out.WriteString("; ")
		}
		fmt.Fprintf(&out, "median %v of %d", book.Columns[0].Spread.Median, len(book.Columns))
		return out.String()
	}
	expect := func(when, want string) {
		t.Helper()
		if got := says(); got != want {
			t.Errorf("%s: %s\nwant %s", when, got, want)
		}
	}
	expect("the best counts", "3#1 - 0.750; 2#1 10#1 0.857; 1#1 - 0.250; - - ; median 2 of 2")
	_, err = h.school.Courses.SetMarking(h.ctx, h.Teacher, course, "0.25", school.Last, false)
	h.must(err)
	expect("the last counts", "2.5#2 - 0.625; 2#1 10#1 0.857; 1#1 - 0.250; - - ; median 2 of 2")
	h.must(b.SetWeights(h.ctx, h.Teacher, course, map[string]float64{"": 3, "Tides": 1}))
	expect("by weights", "2.5#2 - 0.625; 2#1 10#1 0.625; 1#1 - 0.250; - - ; median 2 of 2")
	h.must(b.Excuse(h.ctx, h.Teacher, first, h.Students[2].ID, true))
	h.must(b.Excuse(h.ctx, h.Teacher, second.ID, h.Students[3].ID, true))
	expect("with two excused", "2.5#2 - 0.625; 2#1 10#1 0.625; excused - ; - excused ; median 2.25 of 2")
	h.must(b.Excuse(h.ctx, h.Teacher, first, h.Students[2].ID, false))
	if err := b.SetWeights(h.ctx, h.Teacher, course, map[string]float64{"": -1}); !school.IsProblem(err, "weight") {
		t.Errorf("a weight below nothing: %v", err)
	}
	for _, p := range []school.Person{h.Students[0], h.person("Stranger")} {
		_, err := b.Book(h.ctx, p, course)
		_, readErr := b.ReadPoints(h.ctx, p, course, []byte("Name\n"))
		_, askErr := b.Questions(h.ctx, p, first)
		for _, err := range []error{err, readErr, askErr, b.Excuse(h.ctx, p, first, h.Students[0].ID, true), b.SetWeights(h.ctx, p, course, nil)} {
			if !errors.Is(err, access.ErrHidden) && !errors.Is(err, access.ErrDenied) {
				t.Errorf("%s: %v", p.Name, err)
			}
		}
	}

	// A student has what came back, as it came back, and nobody else's.
	returned := func(who school.Person) (out []markbook.Attempt) {
		_, own, err := b.Own(h.ctx, who, course)
		h.must(err)
		for _, sheet := range own {
			for _, a := range sheet.Attempts {
				switch {
				case sheet.Copy.StudentID != who.ID:
					t.Errorf("%s has the copy of %d", who.Name, sheet.Copy.StudentID)
				case a.ReturnedAt != nil:
					out = append(out, a)
				case a.Points != nil || a.Remark != "":
					t.Errorf("what is being marked is shown: %+v", a)
				}
			}
		}
		return out
	}
	if got := returned(h.Students[0]); len(got) != 1 || got[0].Number != 1 || got[0].Points != nil || got[0].Remark != "" || !got[0].Fresh { // it may still be withdrawn
		t.Errorf("before opening it, a student's own are %+v", got)
	}
	_, err = h.school.Screens.OpenAttempt(h.ctx, h.Students[0], h.copies[0], 1)
	h.must(err)
	if got := returned(h.Students[0]); len(got) != 1 || got[0].Points == nil || got[0].Points.String() != "3" || got[0].Remark != "Kept" || got[0].Share() != 0.75 || got[0].Fresh {
		t.Errorf("a student's own are %+v", got)
	}
	if got := returned(h.Students[1]); len(got) != 0 {
		t.Errorf("with nothing returned: %+v", got)
	}
	for _, p := range []school.Person{h.Teacher, h.person("Another stranger")} {
		if _, _, err := b.Own(h.ctx, p, course); !errors.Is(err, access.ErrHidden) && !errors.Is(err, access.ErrDenied) {
			t.Errorf("%s has own points (%v)", p.Name, err)
		}
	}

	book, err := b.Book(h.ctx, h.Teacher, course)
	h.must(err)
	out, err := book.CSV()
	h.must(err)
	rows, err := csv.NewReader(bytes.NewReader(out)).ReadAll()
	h.must(err)
	if len(rows) != 5 || rows[1][0] != `Ana, the "first"` || rows[1][3] != "2.5" || rows[0][4] != "'=SUM(A1) (of 10)" || rows[4][4] != "excused" || rows[4][5] != "" {
		t.Errorf("as CSV: %q", rows)
	}
	sheet, err := book.XLSX()
	h.must(err)
	f, err := excelize.OpenReader(bytes.NewReader(sheet))
	h.must(err)
	defer f.Close()
	value, _ := f.GetCellValue("Points", "D2")
	kind, _ := f.GetCellType("Points", "E1")
	formula, _ := f.GetCellFormula("Points", "E1")
	if value != "2.5" || formula != "" || kind == excelize.CellTypeFormula {
		t.Errorf("in the workbook: %q, %v, %q", value, kind, formula)
	}

	// What went out comes back as nothing new; what was changed in it is shown,
	// and then taken.
	same, err := b.ReadPoints(h.ctx, h.Teacher, course, out)
	h.must(err)
	if len(same.Changes) != 0 || len(same.Strange) != 0 || same.Same != 4 {
		t.Errorf("what went out reads as %+v", same)
	}
	file := []byte("sign-in name;BOOK0;Height;So far, %\r\n" + h.Students[1].Login + ";3,5;1;\r\n" + h.Students[2].Login + ";9;;\r\n" + h.Students[3].Login + ";0;;\r\nnobody;1;;\r\n" + h.Students[0].Login + ";2.3;;\r\n")
	reading, err := b.ReadPoints(h.ctx, h.Teacher, course, file)
	h.must(err)
	if got := reading.Taken(); len(got) != 2 || got[0].Now != "3.5" || got[0].Was != "2" || got[1].Now != "0" || got[1].Was != "" || len(reading.Changes) != 4 || len(reading.Strange) != 2 {
		t.Errorf("a file reads as %+v", reading)
	}
	if n, err := b.TakePoints(h.ctx, h.Teacher, course, file); n != 2 || err != nil {
		t.Errorf("%d were taken (%v)", n, err)
	}
	expect("with what came in", "2.5#2 - 0.625; 3.5#1 10#1 0.906; 1#1 - 0.250; 0#1 excused 0.000; median 1.75 of 2")
	kept, err := h.store.Attempts(h.ctx, h.copies[1])
	h.must(err)
	if kept[0].Remark != "Kept" {
		t.Errorf("the remark became %q", kept[0].Remark)
	}
	for _, bad := range []string{"", "Name\nAna\n", "What;Else\n1;2\n", "\x00\x01\x02"} {
		if _, err := b.ReadPoints(h.ctx, h.Teacher, course, []byte(bad)); !school.IsProblem(err, "points file") {
			t.Errorf("%q reads as a table of points (%v)", bad, err)
		}
	}
}
