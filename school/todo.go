package school

import (
	"cmp"
	"context"
	"errors"
	"maps"
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
	at := map[uint64]int{}
	for _, c := range courses {
		if slices.Contains(roles, c.Role) {
			at[c.ID] = len(out)
			out = append(out, courseGiven{CourseRole: c})
		}
	}
	all, err := s.Store.AssignmentsOf(ctx, slices.Collect(maps.Keys(at))...)
	for _, a := range all {
		c := &out[at[a.CourseID]]
		c.given = append(c.given, a)
	}
	return out, err
}

// ToDo returns everything that was given to a student, in the order of what
// is due.
func (s *School) ToDo(ctx context.Context, who Person) ([]Assigned, error) {
	courses, err := s.given(ctx, who, access.Student)
	if err != nil {
		return nil, err
	}
	mine, err := s.ownCopies(ctx, who)
	if err != nil {
		return nil, err
	}
	attempts, err := s.Store.AttemptsOfStudent(ctx, who.ID)
	if err != nil {
		return nil, err
	}
	latest, returned := newest(attempts)
	var out []Assigned
	for _, c := range courses {
		for _, a := range c.given {
			if s.maySee(who, c.CourseRole, a, mine[a.ID], access.SeeAssignment) != nil {
				continue
			}
			one := Assigned{Assignment: a, Course: c.Course, Copy: mine[a.ID]}
			if one.Copy.ID == 0 {
				one.Copy.State = flow.NotStarted
			}
			one.Latest, one.Returned = latest[one.Copy.ID], returned[one.Copy.ID]
			one.Gone = a.RemovedAt != nil || !a.Audience.Includes(who.ID, c.Section)
			out = append(out, one)
		}
	}
	sortByDue(out)
	return out, nil
}

// ownCopies returns a person's copies by assignment.
func (s *School) ownCopies(ctx context.Context, who Person) (map[uint64]Copy, error) {
	copies, err := s.Store.CopiesOfStudent(ctx, who.ID)
	own := map[uint64]Copy{}
	for _, c := range copies {
		own[c.AssignmentID] = c
	}
	return own, err
}

// newest returns, by copy, the newest attempt, and the newest that was returned.
func newest(attempts []Attempt) (latest, returned map[uint64]Attempt) {
	latest, returned = map[uint64]Attempt{}, map[uint64]Attempt{}
	for _, t := range attempts {
		latest[t.CopyID] = t
		if t.ReturnedAt != nil {
			returned[t.CopyID] = t
		}
	}
	return latest, returned
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
