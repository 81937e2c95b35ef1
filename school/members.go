package school

import (
	"context"
	"encoding/json"
	"errors"
	"strings"

	"readymargin/core/access"
	"readymargin/core/flow"
)

// Members returns the people of a course to those who teach or mark in it.
func (s *School) Members(ctx context.Context, who Person, course uint64) (Course, []Member, error) {
	c, _, err := s.course(ctx, who, course, access.SeeRoll)
	if err != nil {
		return c, nil, err
	}
	m, err := s.Store.Members(ctx, course)
	return c, m, err
}

// Runs returns a course to a teacher of it.
func (s *School) Runs(ctx context.Context, who Person, course uint64) (Course, error) {
	c, _, err := s.course(ctx, who, course, access.RunCourse)
	return c, err
}

// member returns somebody in a course of the teacher's, a student if not staff.
func (s *School) member(ctx context.Context, who Person, course, person uint64) (Membership, error) {
	if _, err := s.Runs(ctx, who, course); err != nil {
		return Membership{}, err
	}
	m, err := s.Store.Membership(ctx, course, person)
	if err == nil && m.JoinedAt.IsZero() {
		err = access.ErrHidden
	}
	return m, err
}

// Admit says that the teacher knows a newcomer, or lets in who waits, or
// refuses the person. What a refused student has done is kept.
func (s *School) Admit(ctx context.Context, who Person, course, person uint64, welcome bool) error {
	m, err := s.member(ctx, who, course, person)
	if err != nil {
		return err
	}
	if m.Role == access.Teacher || m.Role == access.Assistant {
		return access.ErrHidden
	}
	m.Seen, m.Role = true, access.Student
	if !welcome {
		m.Role = access.None
	}
	return s.Store.SetMembership(ctx, m)
}

// AdmitAll lets everybody in who waits, and knows every newcomer.
func (s *School) AdmitAll(ctx context.Context, who Person, course uint64) error {
	if _, err := s.Runs(ctx, who, course); err != nil {
		return err
	}
	members, err := s.Store.Members(ctx, course)
	if err != nil {
		return err
	}
	for _, m := range members {
		if m.Role == access.Waiting || m.Role == access.Student && !m.Seen {
			m.Membership.Role, m.Membership.Seen = access.Student, true
			if err := s.Store.SetMembership(ctx, m.Membership); err != nil {
				return err
			}
		}
	}
	return nil
}

// SetSection puts a student into a section of the course; "" takes out.
func (s *School) SetSection(ctx context.Context, who Person, course, person uint64, section string) error {
	m, err := s.member(ctx, who, course, person)
	if err != nil {
		return err
	}
	var ok bool
	if m.Section, ok = oneLine(section, 60); !ok {
		return problem("section", "section", section)
	}
	return s.Store.SetMembership(ctx, m)
}

// Leave takes the person out of a course. The work stays, and is there when
// the person comes back.
func (s *School) Leave(ctx context.Context, who Person, course uint64) error {
	if who.ID == 0 {
		return access.ErrSignIn
	}
	m, err := s.Store.Membership(ctx, course, who.ID)
	if err != nil {
		return err
	}
	if m.Role != access.Student && m.Role != access.Waiting {
		return access.ErrHidden
	}
	m.Role = access.Left
	return s.Store.SetMembership(ctx, m)
}

// AddStaff makes somebody who has an account a teacher or an assistant of the
// course. Teachers must have a teacher's account.
func (s *School) AddStaff(ctx context.Context, who Person, course uint64, login string, role access.Role) error {
	if _, err := s.Runs(ctx, who, course); err != nil {
		return err
	}
	if role != access.Teacher && role != access.Assistant {
		return problem("wrong form", "role", string(role))
	}
	p, err := s.Store.PersonByLogin(ctx, strings.ToLower(strings.TrimSpace(login)))
	switch {
	case errors.Is(err, ErrNotFound):
		return problem("no account", "login", login)
	case err != nil:
		return err
	case role == access.Teacher && !p.Staff && !p.Admin:
		return problem("no teacher", "login", login)
	}
	m, err := s.Store.Membership(ctx, course, p.ID)
	if err != nil {
		return err
	}
	if m.Role == access.Student {
		return problem("learns here", "login", login)
	}
	if m.JoinedAt.IsZero() {
		m.JoinedAt = s.Now()
	}
	m.Role, m.Seen = role, true
	return s.keepTaught(ctx, course, m)
}

// RemoveStaff takes a teacher or an assistant out of the course. A course
// keeps at least one teacher.
func (s *School) RemoveStaff(ctx context.Context, who Person, course, person uint64) error {
	m, err := s.member(ctx, who, course, person)
	if err != nil {
		return err
	}
	if m.Role != access.Teacher && m.Role != access.Assistant {
		return access.ErrHidden
	}
	m.Role = access.Left
	return s.keepTaught(ctx, course, m)
}

// keepTaught sets a membership unless the course would have no teacher then.
func (s *School) keepTaught(ctx context.Context, course uint64, m Membership) error {
	members, err := s.Store.Members(ctx, course)
	if err != nil {
		return err
	}
	for _, o := range members {
		if o.Role == access.Teacher && o.PersonID != m.PersonID || m.Role == access.Teacher {
			return s.Store.SetMembership(ctx, m)
		}
	}
	return problem("last teacher", "", "")
}

// Help is how the screen is kept for a person who needs it so.
type Help struct {
	Left  bool `json:"left"`  // writes with the left hand
	Plain bool `json:"plain"` // sees the sheet and little else
	Ruler bool `json:"ruler"` // reads through a window over the line
}

// HelpOf returns how the screen is kept for a member of the teacher's course.
func (s *School) HelpOf(ctx context.Context, who Person, course, person uint64) (Course, Person, Membership, Help, error) {
	var h Help
	c, err := s.Runs(ctx, who, course)
	if err != nil {
		return c, Person{}, Membership{}, h, err
	}
	m, err := s.member(ctx, who, course, person)
	if err != nil {
		return c, Person{}, m, h, err
	}
	p, err := s.Store.Person(ctx, person)
	if err == nil {
		err = json.Unmarshal([]byte(p.Settings), &h)
	}
	return c, p, m, h, err
}

// SetHelp keeps the screen so for a student of the teacher's; the student can
// change it again.
func (s *School) SetHelp(ctx context.Context, who Person, course, person uint64, h Help) error {
	_, p, m, _, err := s.HelpOf(ctx, who, course, person)
	if err != nil {
		return err
	}
	if m.Role != access.Student {
		return access.ErrHidden
	}
	all := map[string]any{}
	if err := json.Unmarshal([]byte(p.Settings), &all); err != nil {
		return err
	}
	all["left"], all["plain"], all["ruler"] = h.Left, h.Plain, h.Ruler
	b, err := json.Marshal(all)
	if err != nil {
		return err
	}
	return s.Store.SetSettings(ctx, person, string(b))
}

// SetVet says whether newcomers wait for a teacher's yes. Those who wait when
// it ends are let in by hand.
func (s *School) SetVet(ctx context.Context, who Person, course uint64, vet bool) error {
	_, err := s.changeCourse(ctx, who, course, func(c *Course) error { c.Vet = vet; return nil })
	return err
}

// maxLessons bounds the lessons of a week.
const maxLessons = 14

// SetLessons says when the course meets every week.
func (s *School) SetLessons(ctx context.Context, who Person, course uint64, lessons []flow.Lesson) error {
	_, err := s.changeCourse(ctx, who, course, func(c *Course) error {
		for _, l := range lessons {
			if l.Check() != nil || len(lessons) > maxLessons {
				return problem("lesson", "clock", l.Clock)
			}
		}
		c.Lessons = lessons
		return nil
	})
	return err
}
