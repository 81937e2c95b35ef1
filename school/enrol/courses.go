package enrol

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"readymargin/core/access"
	"readymargin/core/flow"
	"readymargin/core/points"
	"readymargin/school"
)

// Courses are classes: making them, running them, joining and leaving them.
type Courses struct {
	store    CourseStore
	gate     *school.Gate
	accounts *Accounts
	now      school.Clock
}

// NewCourses returns the courses of a store.
func NewCourses(store CourseStore, gate *school.Gate, accounts *Accounts, now school.Clock) *Courses {
	return &Courses{store, gate, accounts, now}
}

// MakeCourse makes a course of which the person is the teacher.
func (s *Courses) MakeCourse(ctx context.Context, who school.Person, name, zone string) (school.Course, error) {
	if err := access.May(access.Person{SignedIn: who.ID != 0, Admin: who.Admin, Owner: who.Staff}, access.MakeCourse, access.Thing{}); err != nil {
		return school.Course{}, err
	}
	name, zone, err := named(name, zone)
	if err != nil {
		return school.Course{}, err
	}
	c := school.Course{Name: name, Zone: zone, JoinOpen: true, VoiceSeconds: 15 * 60, Counts: school.Best, CreatedAt: s.now()}
	for range 5 {
		c.JoinCode = school.NewCode(6)
		if err := s.store.AddCourse(ctx, &c, who.ID); !errors.Is(err, school.ErrTaken) {
			return c, err
		}
	}
	return c, school.ErrTaken
}

// named returns a course's name and time zone as they are kept.
func named(name, zone string) (string, string, error) {
	name, ok := school.OneLine(name, 100)
	if !ok || name == "" {
		return "", "", school.Refuse("course name", "name", name)
	}
	zone = strings.TrimSpace(zone)
	if _, err := time.LoadLocation(zone); err != nil || zone == "" || zone == "Local" {
		return "", "", school.Refuse("time zone", "zone", zone)
	}
	return name, zone, nil
}

// Rename gives a course another name, and another time zone. What is due at a time
// stays due at that moment, which another clock calls otherwise.
func (s *Courses) Rename(ctx context.Context, who school.Person, course uint64, name, zone string) (school.Course, error) {
	return s.changeCourse(ctx, who, course, func(c *school.Course) (err error) {
		c.Name, c.Zone, err = named(name, zone)
		return err
	})
}

// changeCourse changes a course of the teacher's. Two who change it in the same
// moment come one after the other, and neither change is lost.
func (s *Courses) changeCourse(ctx context.Context, who school.Person, id uint64, change func(*school.Course) error) (school.Course, error) {
	if c, err := s.Runs(ctx, who, id); err != nil {
		return c, err
	}
	return s.store.ChangeCourse(ctx, id, change)
}

// Archive puts a course away: nobody joins it and nothing in it takes work, it lies
// on no pile and among nothing to do, and everybody in it reads what they did.
func (s *Courses) Archive(ctx context.Context, who school.Person, course uint64) error {
	now := s.now()
	return s.archive(ctx, who, course, &now)
}

// BringBack brings back a course that was put away, as it was.
func (s *Courses) BringBack(ctx context.Context, who school.Person, course uint64) error {
	return s.archive(ctx, who, course, nil)
}

func (s *Courses) archive(ctx context.Context, who school.Person, course uint64, at *time.Time) error {
	if _, err := s.Runs(ctx, who, course); err != nil {
		return err
	}
	return s.store.ArchiveCourse(ctx, course, at)
}

// Delete deletes a course of the teacher's with its assignments and all work of all
// students, who has typed its name to say so.
func (s *Courses) Delete(ctx context.Context, who school.Person, course uint64, typed string) error {
	c, err := s.Runs(ctx, who, course)
	if err != nil {
		return err
	}
	if !strings.EqualFold(strings.Join(strings.Fields(typed), " "), c.Name) {
		return school.Refuse("not the name", "name", typed)
	}
	return s.store.DeleteCourse(ctx, course)
}

// RenewCode gives the course another join code; the old one no longer works.
func (s *Courses) RenewCode(ctx context.Context, who school.Person, course uint64) (school.Course, error) {
	return s.changeCourse(ctx, who, course, func(c *school.Course) error { c.JoinCode, c.JoinOpen = school.NewCode(6), true; return nil })
}

// SetMail says whether the students of a course may have mail sent.
func (s *Courses) SetMail(ctx context.Context, who school.Person, course uint64, may bool) (school.Course, error) {
	return s.changeCourse(ctx, who, course, func(c *school.Course) error { c.Mail = may; return nil })
}

// OpenCode opens or closes joining.
func (s *Courses) OpenCode(ctx context.Context, who school.Person, course uint64, open bool) (school.Course, error) {
	return s.changeCourse(ctx, who, course, func(c *school.Course) error { c.JoinOpen = open; return nil })
}

// SetVoice sets the longest voice note of a course, 1 to 20 minutes.
func (s *Courses) SetVoice(ctx context.Context, who school.Person, course uint64, minutes int) (school.Course, error) {
	return s.changeCourse(ctx, who, course, func(c *school.Course) error {
		if minutes < 1 || minutes > 20 {
			return school.Refuse("voice minutes", "minutes", "")
		}
		c.VoiceSeconds = 60 * minutes
		return nil
	})
}

// SetMarking sets in which steps points are given in a course (a quarter, a half
// or a whole one), which attempt counts, and whether who marks may look at work
// before it is submitted. What was given stays.
func (s *Courses) SetMarking(ctx context.Context, who school.Person, course uint64, step string, counts school.Counts, watch bool) (school.Course, error) {
	return s.changeCourse(ctx, who, course, func(c *school.Course) error {
		p, err := points.Parse(step)
		if err != nil || p != points.One && p != points.One/2 && p != points.One/4 || counts != school.Best && counts != school.Last {
			return school.Refuse("wrong form", "step", step)
		}
		c.PointStep, c.Counts, c.Watch = p, counts, watch
		return nil
	})
}

// CourseByCode returns the course that a join code opens, or the Problems
// "join code", "join closed" and "too many tries".
func (s *Courses) CourseByCode(ctx context.Context, who school.Person, typed string, from Device) (school.Course, error) {
	if err := s.accounts.guess(ctx, who, from); err != nil {
		return school.Course{}, err
	}
	c, err := s.store.CourseByCode(ctx, school.PlainCode(typed))
	switch {
	case errors.Is(err, school.ErrNotFound):
		return c, school.Refuse("join code", "code", typed)
	case err != nil:
		return c, err
	case !c.JoinOpen || c.ArchivedAt != nil:
		return c, school.Refuse("join closed", "code", typed)
	}
	return c, s.accounts.guessed(ctx, who, from)
}

// SignUp makes a student's account and lets it into the course of the code.
func (s *Courses) SignUp(ctx context.Context, typedCode, name, password string, from Device) (school.Person, school.Course, error) {
	c, err := s.CourseByCode(ctx, school.Person{}, typedCode, from)
	if err != nil {
		return school.Person{}, c, err
	}
	for subject, p := range map[string]school.Pace{"newcomers from " + from.Address: paceNewcomer, fmt.Sprint("newcomers in ", c.ID): paceCourse} {
		if err := s.accounts.try(ctx, subject, p); err != nil {
			return school.Person{}, c, err
		}
	}
	p, err := s.accounts.AddPerson(ctx, name, password, false, false)
	if err != nil {
		return p, c, err
	}
	return p, c, s.store.SetMembership(ctx, school.Membership{CourseID: c.ID, PersonID: p.ID, Role: newcomer(c), JoinedAt: s.now()})
}

// newcomer returns what somebody who joins the course is at first.
func newcomer(c school.Course) access.Role {
	if c.Vet {
		return access.Waiting
	}
	return access.Student
}

// Join lets a person who has an account into the course of the code, or back
// in: what somebody did before leaving is still there. Who was refused stays
// out; a teacher of the course stays a teacher.
func (s *Courses) Join(ctx context.Context, who school.Person, typedCode string, from Device) (school.Course, error) {
	switch {
	case who.ID == 0:
		return school.Course{}, access.ErrSignIn
	case who.PracticeOf != 0: // elsewhere it would count
		return school.Course{}, access.ErrDenied
	}
	c, err := s.CourseByCode(ctx, who, typedCode, from)
	if err != nil {
		return c, err
	}
	m, err := s.store.Membership(ctx, c.ID, who.ID)
	switch {
	case err != nil:
		return c, err
	case m.Role == access.None && !m.JoinedAt.IsZero():
		return c, school.Refuse("join refused", "code", typedCode)
	case m.Role != access.None && m.Role != access.Left:
		return c, nil
	}
	m.Role, m.Seen, m.JoinedAt = newcomer(c), false, s.now()
	return c, s.store.SetMembership(ctx, m)
}

// CoursesOf returns the courses of a person.
func (s *Courses) CoursesOf(ctx context.Context, who school.Person) ([]school.CourseRole, error) {
	return s.store.CoursesOf(ctx, who.ID)
}

// Runs returns a course to a teacher of it.
func (s *Courses) Runs(ctx context.Context, who school.Person, course uint64) (school.Course, error) {
	c, _, err := s.gate.Course(ctx, who, course, access.RunCourse)
	return c, err
}

// Leave takes the person out of a course. The work stays, and is there when
// the person comes back.
func (s *Courses) Leave(ctx context.Context, who school.Person, course uint64) error {
	if who.ID == 0 {
		return access.ErrSignIn
	}
	m, err := s.store.Membership(ctx, course, who.ID)
	if err != nil {
		return err
	}
	if m.Role != access.Student && m.Role != access.Waiting {
		return access.ErrHidden
	}
	m.Role = access.Left
	return s.store.SetMembership(ctx, m)
}

// SetVet says whether newcomers wait for a teacher's yes. Those who wait when
// it ends are let in by hand.
func (s *Courses) SetVet(ctx context.Context, who school.Person, course uint64, vet bool) error {
	_, err := s.changeCourse(ctx, who, course, func(c *school.Course) error { c.Vet = vet; return nil })
	return err
}

// maxLessons bounds the lessons of a week.
const maxLessons = 14

// SetLessons says when the course meets every week.
func (s *Courses) SetLessons(ctx context.Context, who school.Person, course uint64, lessons []flow.Lesson) error {
	_, err := s.changeCourse(ctx, who, course, func(c *school.Course) error {
		for _, l := range lessons {
			if l.Check() != nil || len(lessons) > maxLessons {
				return school.Refuse("lesson", "clock", l.Clock)
			}
		}
		c.Lessons = lessons
		return nil
	})
	return err
}
