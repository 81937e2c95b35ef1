package takeaway

import (
	"bytes"
	"context"
	"encoding/csv"
	"errors"
	"io"

	"readymargin/core/access"
	"readymargin/school"
	"readymargin/school/markbook"
)

// CourseName returns what the file of a whole course is called, to a teacher of it.
func (s *Exports) CourseName(ctx context.Context, who school.Person, course uint64) (string, error) {
	c, _, err := s.gate.Course(ctx, who, course, access.RunCourse)
	return school.FileName(c.Name) + ".zip", err
}

// WriteCourse writes a ZIP with everything of a course of the teacher's: the class
// list, the points, every attempt as a PDF with the marks printed, what was spoken, and
// a page that lists them. It is written as it is made. What could not be made is named
// in a file of its own, and the rest is there.
func (s *Exports) WriteCourse(ctx context.Context, who school.Person, course uint64, to io.Writer) error {
	book, err := s.books.Book(ctx, who, course)
	if err != nil {
		return err
	}
	members, err := s.store.Members(ctx, course)
	if err != nil {
		return err
	}
	given, err := s.store.AssignmentsOf(ctx, course)
	if err != nil {
		return err
	}
	z := s.archive(to, book.Course.Name)
	points, err := book.CSV()
	if err != nil {
		return err
	}
	list, err := classList(members)
	if err != nil {
		return err
	}
	if err := errors.Join(z.put("class list.csv", list), z.put("points.csv", points)); err != nil {
		return err
	}
	for _, a := range given {
		if err := z.assignment(ctx, who, Printed, a, members); err != nil {
			return err
		}
	}
	return z.close()
}

// classList writes who is in a course as separated values (RFC 4180) that can be
// brought in again.
func classList(members []school.Member) ([]byte, error) {
	var out bytes.Buffer
	w := csv.NewWriter(&out)
	w.UseCRLF = true
	rows := [][]string{{"Given name", "Family name", "Username", "Class", "Role"}}
	for _, m := range members {
		if m.Role == access.Student {
			rows = append(rows, []string{markbook.NoFormula(m.Given), markbook.NoFormula(m.Family), m.Login, markbook.NoFormula(m.Section), string(m.Role)})
		}
	}
	err := w.WriteAll(rows)
	return out.Bytes(), err
}
