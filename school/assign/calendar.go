package assign

import (
	"context"
	"errors"
	"slices"
	"time"

	"readymargin/core/access"
	"readymargin/school"
)

// A Due is an assignment with the time at which it is due.
type Due struct {
	Assignment school.Assignment
	Course     school.Course
}

// NewCalendar gives the person's calendar an address of its own; an earlier
// one no longer works.
func (s *Agenda) NewCalendar(ctx context.Context, who school.Person) (token string, err error) {
	if who.ID == 0 {
		return "", access.ErrSignIn
	}
	token = school.NewCode(24)
	return token, s.store.SetCalendar(ctx, who.ID, school.CodeHash(token))
}

// Calendar returns what is due in the courses of the person whose address it
// is: to students what they have been given, to teachers all of it.
func (s *Agenda) Calendar(ctx context.Context, token string) (out []Due, err error) {
	who, err := s.store.CalendarOwner(ctx, school.CodeHash(token))
	if errors.Is(err, school.ErrNotFound) {
		return nil, access.ErrHidden
	}
	if err != nil {
		return nil, err
	}
	courses, err := s.Given(ctx, who, access.Teacher, access.Assistant, access.Student, access.Practice)
	if err != nil {
		return nil, err
	}
	own, err := s.ownCopies(ctx, who)
	if err != nil {
		return nil, err
	}
	for _, c := range courses {
		for _, a := range c.Given {
			mine := own[a.ID]
			if a.Over() || a.Draft || s.gate.Assigned(who, c.CourseRole, a, mine, access.OpenCopy) != nil && c.Role.Learns() {
				continue
			}
			if mine.DueAt != nil {
				a.DueAt = mine.DueAt // extra time
			}
			out = append(out, Due{a, c.Course})
		}
	}
	return slices.DeleteFunc(out, func(d Due) bool { return d.Assignment.DueAt == nil }), nil
}

// Changed returns when the entry last changed.
func (d Due) Changed() time.Time {
	if d.Assignment.ChangedAt != nil {
		return *d.Assignment.ChangedAt
	}
	return d.Assignment.CreatedAt
}
