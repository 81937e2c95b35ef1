package work

import (
	"context"
	"errors"

	"readymargin/core/access"
	"readymargin/core/flow"
	"readymargin/school"
)

// OpenOwn returns the student's copy of an assignment, or the one for all,
// making it at the first opening.
func (s *Saving) OpenOwn(ctx context.Context, who school.Person, assignment uint64) (school.Copy, error) {
	if who.ID == 0 {
		return school.Copy{}, access.ErrSignIn
	}
	a, err := s.store.Assignment(ctx, assignment)
	if err != nil {
		return school.Copy{}, access.ErrHidden
	}
	m, err := s.store.Membership(ctx, a.CourseID, who.ID)
	if err != nil {
		return school.Copy{}, err
	}
	student := who.ID
	if a.Mode == flow.OneForAll {
		student = 0
	}
	mine, err := s.store.CopyOf(ctx, assignment, student)
	if err != nil && !errors.Is(err, school.ErrNotFound) {
		return school.Copy{}, err
	}
	if err := s.gate.Assigned(who, school.CourseRole{Role: m.Role, Section: m.Section}, a, mine, access.OpenCopy); err != nil || mine.ID != 0 {
		return mine, err
	}
	return s.store.CopyFor(ctx, assignment, student, a.For(who.ID, m.Section).RevisionID)
}
