package school

import (
	"cmp"
	"context"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"readymargin/core/access"
	"readymargin/core/flow"
	"readymargin/core/points"
)

// NewAssignment is what a teacher fills in. Due is a wall clock time in the
// course's zone, as 2006-01-02T15:04, or empty.
type NewAssignment struct {
	Course       uint64
	Worksheet    uint64
	Title        string
	Instructions string
	Points       string
	Due          string
	Anyway       bool // though likely answer pages are undecided
}

// Assign gives a worksheet to a whole course, a copy each.
func (s *School) Assign(ctx context.Context, who Person, n NewAssignment) (Assignment, error) {
	c, _, err := s.course(ctx, who, n.Course, access.RunCourse)
	if err != nil {
		return Assignment{}, err
	}
	w, err := s.worksheet(ctx, who, n.Worksheet)
	if err != nil {
		return Assignment{}, err
	}
	r, err := s.revise(ctx, w, n.Anyway)
	if err != nil {
		return Assignment{}, err
	}
	a := Assignment{
		CourseID: c.ID, WorksheetID: w.ID, RevisionID: r.ID, Title: strings.TrimSpace(n.Title),
		Instructions: strings.TrimSpace(n.Instructions), CreatedAt: s.Now(),
	}
	if a.Title == "" {
		a.Title = w.Title
	}
	if utf8.RuneCountInString(a.Title) > 100 {
		return a, problem("title", "title", n.Title)
	}
	if utf8.RuneCountInString(a.Instructions) > 5000 {
		return a, problem("instructions", "instructions", "")
	}
	if n.Points != "" {
		if a.Points, err = points.Parse(n.Points); err != nil {
			return a, problem("points", "points", n.Points)
		}
	}
	if n.Due != "" {
		due, err := time.ParseInLocation("2006-01-02T15:04", n.Due, c.Location())
		if err != nil {
			return a, problem("due time", "due", n.Due)
		}
		due = due.UTC()
		a.DueAt = &due
	}
	return a, s.Store.AddAssignment(ctx, &a)
}

// Assigned is an assignment as a student sees it on the start page.
type Assigned struct {
	Assignment Assignment
	Course     Course
	Copy       Copy
	Latest     Attempt // the newest attempt, if any
	Returned   Attempt // the newest returned attempt, if any
}

// ToDo returns everything that was given to a student, in the order of what
// is due.
func (s *School) ToDo(ctx context.Context, who Person) ([]Assigned, error) {
	courses, err := s.Store.CoursesOf(ctx, who.ID)
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
		if c.Role != access.Student {
			continue
		}
		given, err := s.Store.AssignmentsOf(ctx, c.ID)
		if err != nil {
			return nil, err
		}
		for _, a := range given {
			one, err := s.assigned(ctx, a, c.Course, mine[a.ID])
			if err != nil {
				return nil, err
			}
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

// OpenOwn returns the student's copy of an assignment, making it at the first
// opening.
func (s *School) OpenOwn(ctx context.Context, who Person, assignment uint64) (Copy, error) {
	if who.ID == 0 {
		return Copy{}, access.ErrSignIn
	}
	a, err := s.Store.Assignment(ctx, assignment)
	if err != nil {
		return Copy{}, access.ErrHidden
	}
	role, err := s.Store.Role(ctx, a.CourseID, who.ID)
	if err != nil {
		return Copy{}, err
	}
	if role != access.Student {
		return Copy{}, access.ErrHidden
	}
	return s.Store.CopyFor(ctx, assignment, who.ID)
}

// sortByDue puts what is due first first; what is never due comes last.
func sortByDue(all []Assigned) {
	slices.SortStableFunc(all, func(a, b Assigned) int {
		x, y := a.Assignment.DueAt, b.Assignment.DueAt
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
