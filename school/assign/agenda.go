package assign

import (
	"cmp"
	"context"
	"maps"
	"slices"
	"time"

	"readymargin/core/access"
	"readymargin/core/flow"
	"readymargin/core/mark"
	"readymargin/school"
	"readymargin/school/shelf"
)

// An Agenda is what somebody was given, and when it is due.
type Agenda struct {
	store     AgendaStore
	gate      *school.Gate
	revisions *shelf.Revisions
}

// NewAgenda returns everybody's agenda.
func NewAgenda(store AgendaStore, gate *school.Gate, revisions *shelf.Revisions) *Agenda {
	return &Agenda{store, gate, revisions}
}

// Assigned is an assignment as a student sees it on the start page.
type Assigned struct {
	Assignment school.Assignment
	Course     school.Course
	Copy       school.Copy
	Latest     school.Attempt // the newest attempt, if any
	Returned   school.Attempt // the newest returned attempt, if any
	Gone       bool           // no longer given; the work is kept
	Sheet      uint64         // the revision that the copy is of, or will be
	Filled     int            // places that have something, of Places, in what is being worked on
	Places     int
}

// Due returns when it is due for this student, nil for never.
func (a Assigned) Due() *time.Time { return a.Assignment.DueFor(a.Copy) }

// A CourseGiven is a course of a person with what is assigned in it.
type CourseGiven struct {
	school.CourseRole
	Given []school.Assignment
}

// Given returns the courses in which the person has one of the roles, without those
// that are put away.
func (s *Agenda) Given(ctx context.Context, who school.Person, roles ...access.Role) (out []CourseGiven, err error) {
	courses, err := s.store.CoursesOf(ctx, who.ID)
	if err != nil {
		return nil, err
	}
	at := map[uint64]int{}
	for _, c := range courses {
		if c.ArchivedAt == nil && slices.Contains(roles, c.Role) {
			at[c.ID] = len(out)
			out = append(out, CourseGiven{CourseRole: c})
		}
	}
	all, err := s.store.AssignmentsOf(ctx, slices.Collect(maps.Keys(at))...)
	for _, a := range all {
		c := &out[at[a.CourseID]]
		c.Given = append(c.Given, a)
	}
	return out, err
}

// ToDo returns everything that was given to a student, in the order of what
// is due.
func (s *Agenda) ToDo(ctx context.Context, who school.Person) ([]Assigned, error) {
	courses, err := s.Given(ctx, who, access.Student, access.Practice)
	if err != nil {
		return nil, err
	}
	mine, err := s.ownCopies(ctx, who)
	if err != nil {
		return nil, err
	}
	attempts, err := s.store.AttemptsOfStudent(ctx, who.ID)
	if err != nil {
		return nil, err
	}
	latest, returned := school.Newest(attempts)
	var out []Assigned
	for _, c := range courses {
		for _, a := range c.Given {
			if s.gate.Assigned(who, c.CourseRole, a, mine[a.ID], access.SeeAssignment) != nil {
				continue
			}
			one := Assigned{Assignment: a, Course: c.Course, Copy: mine[a.ID]}
			if one.Copy.ID == 0 {
				one.Copy.State = flow.NotStarted
			}
			one.Latest, one.Returned = latest[one.Copy.ID], returned[one.Copy.ID]
			one.Sheet = cmp.Or(one.Copy.RevisionID, a.For(who.ID, c.Section).RevisionID)
			one.Gone = a.Over() || !a.Audience.Includes(who.ID, c.Section)
			out = append(out, one)
		}
	}
	sortByDue(out)
	return out, s.countFilled(ctx, out)
}

// Works reports whether the copy is being worked on.
func (a Assigned) Works() bool {
	return !a.Gone && (a.Assignment.Mode.HandedIn() || a.Assignment.Mode == flow.ToKeep) && (a.Copy.State == flow.InProgress || a.Copy.State == flow.Reworking)
}

// countFilled counts the places of the copies that are being worked on.
func (s *Agenda) countFilled(ctx context.Context, all []Assigned) error {
	var copies, sheets []uint64
	for _, a := range all {
		if a.Works() {
			copies, sheets = append(copies, a.Copy.ID), append(sheets, a.Sheet)
		}
	}
	if len(copies) == 0 {
		return nil
	}
	written, err := s.store.WrittenIn(ctx, copies...)
	if err != nil {
		return err
	}
	handed, err := s.revisions.HandedIn(ctx, sheets...)
	if err != nil {
		return err
	}
	for i, a := range all {
		if !a.Works() {
			continue
		}
		for n, g := range handed[a.Sheet].Now.Guides {
			var here []mark.Mark
			for _, m := range written[a.Copy.ID] {
				if m.Page == n+1 {
					here = append(here, m)
				}
			}
			filled, of := g.Filled(here)
			all[i].Filled, all[i].Places = all[i].Filled+filled, all[i].Places+of
		}
	}
	return nil
}

// ownCopies returns a person's copies by assignment.
func (s *Agenda) ownCopies(ctx context.Context, who school.Person) (map[uint64]school.Copy, error) {
	copies, err := s.store.CopiesOfStudent(ctx, who.ID)
	own := map[uint64]school.Copy{}
	for _, c := range copies {
		own[c.AssignmentID] = c
	}
	return own, err
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
