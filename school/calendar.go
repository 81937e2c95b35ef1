package school

import (
	"context"
	"errors"
	"slices"
	"time"

	"readymargin/core/access"
)

// A Due is an assignment with the time at which it is due.
type Due struct {
	Assignment Assignment
	Course     Course
}

// NewCalendar gives the person's calendar an address of its own; an earlier
// one no longer works.
func (s *School) NewCalendar(ctx context.Context, who Person) (token string, err error) {
	if who.ID == 0 {
		return "", access.ErrSignIn
	}
	token = code(24)
	return token, s.Store.SetCalendar(ctx, who.ID, tokenHash(token))
}

// Calendar returns what is due in the courses of the person whose address it
// is: to students what they have been given, to teachers all of it.
func (s *School) Calendar(ctx context.Context, token string) (out []Due, err error) {
	who, err := s.Store.CalendarOwner(ctx, tokenHash(token))
	if errors.Is(err, ErrNotFound) {
		return nil, access.ErrHidden
	}
	if err != nil {
		return nil, err
	}
	courses, err := s.given(ctx, who, access.Teacher, access.Assistant, access.Student)
	if err != nil {
		return nil, err
	}
	own, err := s.ownCopies(ctx, who)
	if err != nil {
		return nil, err
	}
	for _, c := range courses {
		for _, a := range c.given {
			mine := own[a.ID]
			if a.RemovedAt != nil || a.Draft || s.maySee(who, c.CourseRole, a, mine, access.OpenCopy) != nil && c.Role == access.Student {
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
