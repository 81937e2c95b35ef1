package enrol

import (
	"context"
	"encoding/json"
	"errors"
	"strings"

	"readymargin/core/access"
	"readymargin/school"
)

// A Roster is who is in a course, and as what.
type Roster struct {
	store   RosterStore
	gate    *school.Gate
	courses *Courses
	now     school.Clock
}

// NewRoster returns the roster of every course.
func NewRoster(store RosterStore, gate *school.Gate, courses *Courses, now school.Clock) *Roster {
	return &Roster{store, gate, courses, now}
}

// Members returns the people of a course to those who teach or mark in it.
func (s *Roster) Members(ctx context.Context, who school.Person, course uint64) (school.Course, []school.Member, error) {
	c, _, err := s.gate.Course(ctx, who, course, access.SeeRoll)
	if err != nil {
		return c, nil, err
	}
	m, err := s.store.Members(ctx, course)
	return c, m, err
}

// member returns somebody in a course of the teacher's, a student if not staff.
func (s *Roster) member(ctx context.Context, who school.Person, course, person uint64) (school.Course, school.Membership, error) {
	c, err := s.courses.Runs(ctx, who, course)
	if err != nil {
		return c, school.Membership{}, err
	}
	m, err := s.store.Membership(ctx, course, person)
	if err == nil && m.JoinedAt.IsZero() {
		err = access.ErrHidden
	}
	return c, m, err
}

// Admit says that the teacher knows a newcomer, or lets in who waits, or
// refuses the person. What a refused student has done is kept.
func (s *Roster) Admit(ctx context.Context, who school.Person, course, person uint64, welcome bool) error {
	_, m, err := s.member(ctx, who, course, person)
	if err != nil {
		return err
	}
	if m.Role == access.Teacher || m.Role == access.Assistant || m.Role == access.Practice {
		return access.ErrHidden
	}
	m.Seen, m.Role = true, access.Student
	if !welcome {
		m.Role = access.None
	}
	return s.store.SetMembership(ctx, m)
}

// AdmitAll lets everybody in who waits, and knows every newcomer.
func (s *Roster) AdmitAll(ctx context.Context, who school.Person, course uint64) error {
	if _, err := s.courses.Runs(ctx, who, course); err != nil {
		return err
	}
	members, err := s.store.Members(ctx, course)
	if err != nil {
		return err
	}
	for _, m := range members {
		if m.Role == access.Waiting || m.Role == access.Student && !m.Seen {
			m.Membership.Role, m.Membership.Seen = access.Student, true
			if err := s.store.SetMembership(ctx, m.Membership); err != nil {
				return err
			}
		}
	}
	return nil
}

// SetSection puts a student into a section of the course; "" takes out.
func (s *Roster) SetSection(ctx context.Context, who school.Person, course, person uint64, section string) error {
	_, m, err := s.member(ctx, who, course, person)
	if err != nil {
		return err
	}
	var ok bool
	if m.Section, ok = school.OneLine(section, 60); !ok || m.Section == access.Anywhere || m.Role == access.Practice {
		return school.Refuse("section", "section", section)
	}
	return s.store.SetMembership(ctx, m)
}

// AddStaff makes somebody who has an account a teacher or an assistant of the
// course. Teachers must have a teacher's account.
func (s *Roster) AddStaff(ctx context.Context, who school.Person, course uint64, login string, role access.Role) error {
	if _, err := s.courses.Runs(ctx, who, course); err != nil {
		return err
	}
	if role != access.Teacher && role != access.Assistant {
		return school.Refuse("wrong form", "role", string(role))
	}
	p, err := s.store.PersonByLogin(ctx, strings.ToLower(strings.TrimSpace(login)))
	switch {
	case errors.Is(err, school.ErrNotFound):
		return school.Refuse("no account", "login", login)
	case err != nil:
		return err
	case role == access.Teacher && !p.Staff && !p.Admin:
		return school.Refuse("no teacher", "login", login)
	}
	m, err := s.store.Membership(ctx, course, p.ID)
	if err != nil {
		return err
	}
	if m.Role == access.Student {
		return school.Refuse("learns here", "login", login)
	}
	if m.JoinedAt.IsZero() {
		m.JoinedAt = s.now()
	}
	m.Role, m.Seen = role, true
	return s.keepTaught(ctx, course, m)
}

// RemoveStaff takes a teacher or an assistant out of the course. A course
// keeps at least one teacher.
func (s *Roster) RemoveStaff(ctx context.Context, who school.Person, course, person uint64) error {
	_, m, err := s.member(ctx, who, course, person)
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
func (s *Roster) keepTaught(ctx context.Context, course uint64, m school.Membership) error {
	members, err := s.store.Members(ctx, course)
	if err != nil {
		return err
	}
	for _, o := range members {
		if o.Role == access.Teacher && o.PersonID != m.PersonID || m.Role == access.Teacher {
			return s.store.SetMembership(ctx, m)
		}
	}
	return school.Refuse("last teacher", "", "")
}

// Help is how the screen is kept for a person who needs it so.
type Help struct {
	Left  bool `json:"left"`  // writes with the left hand
	Plain bool `json:"plain"` // sees the sheet and little else
	Ruler bool `json:"ruler"` // reads through a window over the line
	View  View `json:"view"`  // in which sheets open
}

// A View is one of the two that there are of a sheet; "" until somebody has chosen.
type View string

// InWords is the view of a sheet as headings, paragraphs and fields in one column.
const InWords View = "words"

// HelpOf returns how the screen is kept for a member of the teacher's course.
func (s *Roster) HelpOf(ctx context.Context, who school.Person, course, person uint64) (school.Course, school.Person, school.Membership, Help, error) {
	var h Help
	c, m, err := s.member(ctx, who, course, person)
	if err != nil {
		return c, school.Person{}, m, h, err
	}
	p, err := s.store.Person(ctx, person)
	if err == nil {
		h, err = HelpIn(p)
	}
	return c, p, m, h, err
}

// SetHelp keeps the screen so for a student of the teacher's; the student can
// change it again.
func (s *Roster) SetHelp(ctx context.Context, who school.Person, course, person uint64, h Help) error {
	_, p, m, _, err := s.HelpOf(ctx, who, course, person)
	if err != nil {
		return err
	}
	if m.Role != access.Student {
		return access.ErrHidden
	}
	return setHelp(ctx, s.store, p, h)
}

// SetOwnHelp keeps somebody's own screen so.
func (s *Accounts) SetOwnHelp(ctx context.Context, who school.Person, h Help) error {
	if who.ID == 0 {
		return access.ErrSignIn
	}
	return setHelp(ctx, s.store, who, h)
}

// HelpIn returns how the screen is kept for somebody.
func HelpIn(p school.Person) (h Help, err error) {
	err = json.Unmarshal([]byte(p.Settings), &h)
	return h, err
}

// setHelp writes how the screen is kept beside somebody's other settings.
func setHelp(ctx context.Context, store interface {
	SetSettings(ctx context.Context, id uint64, settings string) error
}, p school.Person, h Help) error {
	all := map[string]any{}
	if err := json.Unmarshal([]byte(p.Settings), &all); err != nil {
		return err
	}
	all["left"], all["plain"], all["ruler"], all["view"] = h.Left, h.Plain, h.Ruler, h.View
	b, err := json.Marshal(all)
	if err != nil {
		return err
	}
	return store.SetSettings(ctx, p.ID, string(b))
}
