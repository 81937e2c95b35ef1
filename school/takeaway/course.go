package takeaway

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"strings"
	"time"

	"readymargin/core/access"
	"readymargin/school"
	"readymargin/school/markbook"
)

// CourseName returns what the file of a whole course is called, to a teacher of it.
func (s *Exports) CourseName(ctx context.Context, who school.Person, course uint64) (string, error) {
	c, _, err := s.gate.Course(ctx, who, course, access.RunCourse)
	return clean(c.Name) + ".zip", err
}

// WriteCourse writes a ZIP with everything of a course of the teacher's: the class
// list, the points, and every attempt as a PDF with the marks printed. It is written
// as it is made. What could not be made is named in a file of its own, and the rest
// is there.
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
	z := zip.NewWriter(to)
	put := func(name string, data []byte) error {
		f, err := z.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Deflate, Modified: time.Now()})
		if err == nil {
			_, err = f.Write(data)
		}
		return err
	}
	points, err := book.CSV()
	if err != nil {
		return err
	}
	list, err := classList(members)
	if err != nil {
		return err
	}
	if err := errors.Join(put("class list.csv", list), put("points.csv", points)); err != nil {
		return err
	}
	names, practises := map[uint64]string{}, map[uint64]bool{}
	for _, m := range members {
		names[m.PersonID], practises[m.PersonID] = m.Name, m.Role == access.Practice
	}
	var missing []string
	taken := map[string]bool{}
	for _, a := range given {
		copies, attempts, err := s.store.HandedIn(ctx, a.ID)
		if err != nil {
			return err
		}
		of := map[uint64]school.Copy{}
		for _, k := range copies {
			of[k.ID] = k
		}
		for _, t := range attempts {
			k := of[t.CopyID]
			if practises[k.StudentID] {
				continue
			}
			owner := names[k.StudentID]
			if a.Hides(k) {
				owner = k.Label()
			}
			name := fmt.Sprintf("%s/%s, attempt %d.pdf", clean(a.Title), clean(owner), t.Number)
			for n := 2; taken[name]; n++ { // two of one name, or two sheets
				name = fmt.Sprintf("%s/%s (%d), attempt %d.pdf", clean(a.Title), clean(owner), n, t.Number)
			}
			taken[name] = true
			if err := s.put(ctx, who, z, name, k.ID, t); err != nil {
				if ctx.Err() != nil {
					return err
				}
				missing = append(missing, name)
			}
		}
	}
	if len(missing) > 0 {
		if err := put("could not be made.txt", []byte(strings.Join(missing, "\r\n")+"\r\n")); err != nil {
			return err
		}
	}
	return z.Close()
}

// put prints an attempt into an archive.
func (s *Exports) put(ctx context.Context, who school.Person, z *zip.Writer, name string, id uint64, t school.Attempt) error {
	f, err := s.TakeCopy(ctx, who, id, Choice{Attempt: t.Number, Anyway: true})
	if err != nil {
		return err
	}
	defer f.Close()
	to, err := z.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Store, Modified: t.SubmittedAt}) // a PDF is packed already
	if err == nil {
		_, err = io.Copy(to, f)
	}
	return err
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
