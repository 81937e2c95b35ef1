package assign

import (
	"context"
	"errors"
	"time"

	"readymargin/core/access"
	"readymargin/core/flow"
	"readymargin/school"
)

// CopyCourse makes a course like another of the teacher's, with what is assigned in
// it, the ready remarks that are shared there, and nobody in it but the teacher. The first of all times comes to lie on the day
// given ("" for the same days), and the others as many days later as they did, at the
// same time of the day. The worksheets are as they are now, where they are the
// teacher's own. What was given to some by name is a draft until it is said to whom.
func (s *Assignments) CopyCourse(ctx context.Context, who school.Person, course uint64, name, day string) (school.Course, error) {
	was, _, err := s.gate.Course(ctx, who, course, access.RunCourse)
	if err != nil {
		return was, err
	}
	c := was
	var ok bool
	if c.Name, ok = school.OneLine(name, 100); !ok || c.Name == "" {
		return was, school.Refuse("course name", "name", name)
	}
	c.JoinOpen, c.ArchivedAt, c.SourceID, c.CreatedAt = true, nil, "", s.now()
	given, err := s.store.AssignmentsOf(ctx, course)
	if err != nil {
		return was, err
	}
	days, err := moved(given, day, was.Location())
	if err != nil {
		return was, err
	}
	var all []*school.Assignment
	for _, a := range given {
		if a.RemovedAt != nil {
			continue
		}
		for i := range a.Handouts {
			if err := s.renew(ctx, who, &a.Handouts[i]); err != nil {
				return was, err
			}
			a.Handouts[i].Audience.People = nil
		}
		if len(a.Audience.People) > 0 {
			a.Draft, a.Audience.People = true, nil
		}
		a.ChangedAt, a.Changed, a.ArchivedAt, a.CreatedAt = nil, "", nil, s.now()
		for _, at := range []**time.Time{&a.OpensAt, &a.DueAt, &a.ClosesAt} {
			if *at != nil {
				later := flow.Later(**at, days, was.Location())
				*at = &later
			}
		}
		all = append(all, &a)
	}
	for range 5 {
		c.JoinCode = school.NewCode(6)
		if err = s.store.AddCourseWith(ctx, &c, who.ID, course, all); !errors.Is(err, school.ErrTaken) {
			break
		}
	}
	return c, err
}

// moved returns by how many days everything moves when the first of all times comes
// to lie on a day.
func moved(given []school.Assignment, day string, place *time.Location) (int, error) {
	if day == "" {
		return 0, nil
	}
	to, err := time.Parse(time.DateOnly, day)
	if err != nil {
		return 0, school.Refuse("day", "day", day)
	}
	first := Earliest(given)
	if first == nil {
		return 0, nil
	}
	return flow.DaysTo(*first, to, place), nil
}

// Earliest returns the first of all times of what is assigned, nil where there is none.
func Earliest(given []school.Assignment) (first *time.Time) {
	for _, a := range given {
		for _, at := range []*time.Time{a.OpensAt, a.DueAt, a.ClosesAt} {
			if a.RemovedAt == nil && at != nil && (first == nil || at.Before(*first)) {
				first = at
			}
		}
	}
	return first
}

// renew gives a handout the worksheet as it is now, where that is the person's own;
// a colleague's stays as it was given.
func (s *Assignments) renew(ctx context.Context, who school.Person, h *school.Handout) error {
	w, err := s.gate.Worksheet(ctx, who, h.WorksheetID, access.UseWorksheet)
	if errors.Is(err, access.ErrHidden) || errors.Is(err, access.ErrDenied) {
		return nil
	}
	if err != nil {
		return err
	}
	r, err := s.publishing.Revise(ctx, w, true)
	if err == nil {
		h.RevisionID = r.ID
	}
	return err
}
