// Package storetest is the conformance test of every port that a store fills,
// and makes the records that tests need.
package storetest

import (
	"context"
	"errors"
	"fmt"
	"time"

	"readymargin/core/access"
	"readymargin/core/flow"
	"readymargin/core/mark"
	"readymargin/core/submission"
	"readymargin/core/worksheet"
	"readymargin/school"
	"readymargin/school/services"
)

// A Store is what is tested: the use cases' store, with deleting.
type Store interface {
	services.Store
	DeletePerson(ctx context.Context, id uint64) error
	DeleteCourse(ctx context.Context, id uint64) error
}

// A Class is a course with a teacher, students, and a worksheet of one page
// that is assigned in it.
type Class struct {
	Teacher     school.Person
	Course      school.Course
	Worksheet   school.Worksheet
	Revision    school.Revision
	Assignments []*school.Assignment
	Students    []school.Person
}

// NewClass makes a class; names begin with its own.
func NewClass(ctx context.Context, s Store, name string, students, assignments int) (c Class, err error) {
	now := time.Now().UTC().Truncate(time.Microsecond)
	person := func(name string, staff bool) school.Person {
		p := school.Person{Name: name, Login: name, Staff: staff, Settings: "{}", CreatedAt: now}
		err = errors.Join(err, s.AddPerson(ctx, &p))
		return p
	}
	c.Teacher = person(name+" Teacher", true)
	c.Course = school.Course{Name: name, Zone: "UTC", JoinCode: name, VoiceSeconds: 60, Counts: school.Best, CreatedAt: now}
	if err := errors.Join(err, s.AddCourse(ctx, &c.Course, c.Teacher.ID)); err != nil {
		return c, err
	}
	file, err := s.PutBlob(ctx, []byte("the file of "+name))
	if err != nil {
		return c, err
	}
	c.Worksheet = school.Worksheet{OwnerID: c.Teacher.ID, Title: name + " sheet", Plan: worksheet.Plan{{Page: 1, Use: worksheet.Sheet}}.String(), Version: 1, CreatedAt: now}
	pages := []school.FilePage{{FileHash: file, Number: 1, Width: 595, Height: 842, Box: "{}", TextLayer: "{}", Text: name + " words", Guide: "{}"}}
	if err := errors.Join(s.AddWorksheet(ctx, &c.Worksheet, []school.Source{{FileHash: file, PageCount: 1}}, nil), s.AddFilePages(ctx, pages)); err != nil {
		return c, err
	}
	c.Revision = school.Revision{WorksheetID: c.Worksheet.ID, Number: 1, FileHash: file, PageCount: 1, Plan: c.Worksheet.Plan, CreatedAt: now,
		Guides: []worksheet.Guide{{Blanks: []worksheet.Blank{{ID: "blank-" + name, Kind: "line", Rect: worksheet.Box{1, 2, 30, 14}}}, Questions: []worksheet.Question{}}}}
	if err := s.AddRevision(ctx, &c.Revision); err != nil {
		return c, err
	}
	for i := range assignments {
		c.Assignments = append(c.Assignments, &school.Assignment{CourseID: c.Course.ID, Title: fmt.Sprint(name, i), Mode: flow.CopyEach, CreatedAt: now,
			Handouts: []school.Handout{{WorksheetID: c.Worksheet.ID, RevisionID: c.Revision.ID}}})
	}
	if err := s.AddAssignments(ctx, c.Assignments); err != nil {
		return c, err
	}
	for i := range students {
		p := person(fmt.Sprintf("%s Student %d", name, i), false)
		err = errors.Join(err, s.SetMembership(ctx, school.Membership{CourseID: c.Course.ID, PersonID: p.ID, Role: access.Student, Seen: true, JoinedAt: now}))
		c.Students = append(c.Students, p)
	}
	return c, err
}

// Copy returns the copy of a student; -1 is the one for all.
func (c Class) Copy(ctx context.Context, s Store, assignment, student int) (school.Copy, error) {
	id := uint64(0)
	if student >= 0 {
		id = c.Students[student].ID
	}
	return s.CopyFor(ctx, c.Assignments[assignment].ID, id, c.Revision.ID)
}

// Text is an operation that puts some words on page 1.
func Text(id, words string) submission.Op {
	m := mark.Mark{ID: id, Page: 1, Body: &mark.FreeText{X: 10, Y: 20, Width: 20, Lines: []mark.TextLine{{Runs: []mark.Run{{Text: words, Size: 14, Color: "#1e2a44"}}}}}}
	return submission.Op{ID: "op-" + id, On: id, Mark: &m}
}

// Fix submits a copy as attempt number, with a snapshot of nothing.
func Fix(ctx context.Context, s Store, id uint64, number int) error {
	return s.InCopy(ctx, id, func(tx school.CopyTx) error {
		c, err := tx.Copy()
		if err != nil {
			return err
		}
		now := time.Now().UTC().Truncate(time.Microsecond)
		a := school.Attempt{CopyID: id, Number: number, SubmittedAt: now}
		if a.SnapshotHash, err = tx.PutBlob(fmt.Appendf(nil, `{"attempt":%d,"of":%d,"enclosed":[]}`, number, id)); err != nil {
			return err
		}
		c.State, c.Attempts, c.StartedAt = flow.Submitted, number, &now
		return errors.Join(tx.PutAttempt(a), tx.SetCopy(c))
	})
}
