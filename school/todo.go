package school

import (
	"cmp"
	"context"
	"errors"
	"slices"
	"time"

	"readymargin/core/access"
	"readymargin/core/flow"
)

// Assigned is an assignment as a student sees it on the start page.
type Assigned struct {
	Assignment Assignment
	Course     Course
	Copy       Copy
	Latest     Attempt // the newest attempt, if any
	Returned   Attempt // the newest returned attempt, if any
	Gone       bool    // no longer given; the work is kept
}

// Due returns when it is due for this student, nil for never.
func (a Assigned) Due() *time.Time {
	if t := a.Assignment.TimesFor(a.Copy); !t.Due.IsZero() {
		return &t.Due
	}
	return nil
}

// A courseGiven is a course of a person with what is assigned in it.
type courseGiven struct {
	CourseRole
	given []Assignment
}

// given returns the courses in which the person has one of the roles.
func (s *School) given(ctx context.Context, who Person, roles ...access.Role) (out []courseGiven, err error) {
	courses, err := s.Store.CoursesOf(ctx, who.ID)
	if err != nil {
		return nil, err
	}
	for _, c := range courses {
		if !slices.Contains(roles, c.Role) {
			continue
		}
		given, err := s.Store.AssignmentsOf(ctx, c.ID)
		if err != nil {
			return nil, err
		}
		out = append(out, courseGiven{c, given})
	}
	return out, nil
}

// ToDo returns everything that was given to a student, in the order of what
// is due.
func (s *School) ToDo(ctx context.Context, who Person) ([]Assigned, error) {
	courses, err := s.given(ctx, who, access.Student)
	if err != nil {
		return nil, err
	}
	copies, err := s.Store.CopiesOfStudent(ctx, who.ID)
	if err != nil {
		return nil, err
	}
	mine := map[uint64]Copy{}
	for _, c := range copies {
		mine[c.AssignmentID] = c
	}
	var out []Assigned
	for _, c := range courses {
		for _, a := range c.given {
			if s.maySee(who, c.CourseRole, a, mine[a.ID], access.SeeAssignment) != nil {
				continue
			}
			one, err := s.assigned(ctx, a, c.Course, mine[a.ID])
			if err != nil {
				return nil, err
			}
			one.Gone = a.RemovedAt != nil || !a.Audience.Includes(who.ID, c.Section)
			out = append(out, one)
		}
	}
	sortByDue(out)
	return out, nil
}

func (s *School) assigned(ctx context.Context, a Assignment, c Course, mine Copy) (Assigned, error) {
	out := Assigned{Assignment: a, Course: c, Copy: mine}
	if mine.ID == 0 {
		out.Copy.State = flow.NotStarted
		return out, nil
	}
	attempts, err := s.Store.Attempts(ctx, mine.ID)
	for _, t := range attempts {
		out.Latest = t
		if t.ReturnedAt != nil {
			out.Returned = t
		}
	}
	return out, err
}

// OpenOwn returns the student's copy of an assignment, or the one for all,
// making it at the first opening.
func (s *School) OpenOwn(ctx context.Context, who Person, assignment uint64) (Copy, error) {
	if who.ID == 0 {
		return Copy{}, access.ErrSignIn
	}
	a, err := s.Store.Assignment(ctx, assignment)
	if err != nil {
		return Copy{}, access.ErrHidden
	}
	m, err := s.Store.Membership(ctx, a.CourseID, who.ID)
	if err != nil {
		return Copy{}, err
	}
	student := who.ID
	if a.Way == flow.OneForAll {
		student = 0
	}
	mine, err := s.Store.CopyOf(ctx, assignment, student)
	if err != nil && !errors.Is(err, ErrNotFound) {
		return Copy{}, err
	}
	if err := s.maySee(who, CourseRole{Role: m.Role, Section: m.Section}, a, mine, access.OpenCopy); err != nil || mine.ID != 0 {
		return mine, err
	}
	return s.Store.CopyFor(ctx, assignment, student, a.For(who.ID, m.Section).RevisionID)
}

// maySee asks core/access about an assignment and somebody's copy of it, if
// there is one.
func (s *School) maySee(who Person, in CourseRole, a Assignment, mine Copy, what access.Action) error {
	p, t := s.stands(who, in.Role, in.Section, a, mine, "")
	return access.May(p, what, t)
}

// sortByDue puts what is due first first; what is never due comes last.
func sortByDue(all []Assigned) {
	slices.SortStableFunc(all, func(a, b Assigned) int {
		x, y := a.Due(), b.Due()
		switch {
		case x == nil && y == nil:
			return cmp.Compare(a.Assignment.ID, b.Assignment.ID)
		case x == nil:
			return 1
		case y == nil:
			return -1
		}
		return x.Compare(*y)
	})
}
