// Package administer is what an administrator does with a school as a whole: its
// people and courses, what it stores, what is done behind the requests. What anybody
// wrote is nobody's to see here.
package administer

import (
	"context"
	"errors"
	"strings"
	"time"

	"readymargin/core/access"
	"readymargin/school"
)

// An Office is the administrators'.
type Office struct {
	store Store
	now   school.Clock
}

// New returns the office of a store.
func New(store Store, now school.Clock) *Office { return &Office{store, now} }

func (o *Office) may(who school.Person) error {
	return access.May(access.Person{SignedIn: who.ID != 0, Admin: who.Admin}, access.RunSchool, access.Thing{})
}

// An Overview is how a school stands.
type Overview struct {
	Counts  Counts
	Storage []Stored
	Courses []CourseLine
	Jobs    []school.Job // what is to be done behind the requests, the oldest first
	SignIns []SignIn     // the newest first
}

// Counts are how many there are in a school.
type Counts struct{ Students, Teachers, Admins, Closed, Courses, Archived, Worksheets, Attempts int }

// Stored is how much there is of one kind of file.
type Stored struct {
	Kind  string // "worksheets", "pictures", "sounds and pictures", "attempts", "other"
	Files int
	Bytes int64
}

// A CourseLine is a course as an administrator sees one.
type CourseLine struct {
	ID         uint64
	Name       string
	Teachers   string // in words, "" for none
	Students   int
	Given      int
	ArchivedAt *time.Time
}

// A SignIn is somebody's last signing in on a device.
type SignIn struct {
	PersonID uint64
	Name     string
	Device   string
	At       time.Time
}

// Overview returns how the school stands.
func (o *Office) Overview(ctx context.Context, who school.Person) (out Overview, err error) {
	if err := o.may(who); err != nil {
		return out, err
	}
	if out.Counts, err = o.store.Counts(ctx); err != nil {
		return out, err
	}
	if out.Storage, err = o.store.Storage(ctx); err != nil {
		return out, err
	}
	if out.Courses, err = o.store.CourseLines(ctx); err != nil {
		return out, err
	}
	if out.Jobs, err = o.store.Jobs(ctx); err != nil {
		return out, err
	}
	out.SignIns, err = o.store.SignIns(ctx, 50)
	return out, err
}

// MostFound is how many people are found at once.
const MostFound = 100

// Find returns people whose name or sign-in name has all words of a query, by family
// name, at most MostFound; and how many there are in all.
func (o *Office) Find(ctx context.Context, who school.Person, query string) (found []school.Person, of int, err error) {
	if err := o.may(who); err != nil {
		return nil, 0, err
	}
	return o.store.FindPeople(ctx, strings.Fields(query), MostFound)
}

// A Profile is somebody as an administrator sees them.
type Profile struct {
	Person  school.Person
	Courses []school.CourseRole
	Devices []school.Device
}

// Profile returns somebody's profile.
func (o *Office) Profile(ctx context.Context, who school.Person, id uint64) (out Profile, err error) {
	if err := o.may(who); err != nil {
		return out, err
	}
	out.Person, err = o.store.Person(ctx, id)
	if errors.Is(err, school.ErrNotFound) || out.Person.PracticeOf != 0 {
		return out, access.ErrHidden
	}
	if err != nil {
		return out, err
	}
	if out.Courses, err = o.store.CoursesOf(ctx, id); err != nil {
		return out, err
	}
	out.Devices, err = o.store.DevicesOf(ctx, id)
	return out, err
}

// A Rank is what an account is.
type Rank string

// The ranks of accounts, and what they may.
const (
	Pupil Rank = "student" // joins courses
	Staff Rank = "teacher" // makes courses too
	Admin Rank = "admin"   // runs the school too
)

// SetRank makes somebody's account a student's, a teacher's or an administrator's.
// A school keeps an administrator.
func (o *Office) SetRank(ctx context.Context, who school.Person, id uint64, r Rank) error {
	return o.change(ctx, who, id, func(p *school.Person) error {
		switch r {
		case Pupil, Staff, Admin:
		default:
			return school.Refuse("wrong form", "rank", string(r))
		}
		p.Admin, p.Staff = r == Admin, r != Pupil
		return nil
	})
}

// Rename puts right what somebody is called.
func (o *Office) Rename(ctx context.Context, who school.Person, id uint64, given, family string) error {
	return o.change(ctx, who, id, func(p *school.Person) error {
		n, err := school.Called(given, family)
		if err != nil {
			return err
		}
		p.Name, p.Given, p.Family = n.Whole, n.Given, n.Family
		return nil
	})
}

// Close keeps somebody from signing in, and ends their sessions; what they did stays.
func (o *Office) Close(ctx context.Context, who school.Person, id uint64) error {
	now := o.now()
	err := o.change(ctx, who, id, func(p *school.Person) error { p.ClosedAt = &now; return nil })
	if err != nil {
		return err
	}
	return o.store.EndSessions(ctx, id, "")
}

// Reopen lets somebody sign in again.
func (o *Office) Reopen(ctx context.Context, who school.Person, id uint64) error {
	return o.change(ctx, who, id, func(p *school.Person) error { p.ClosedAt = nil; return nil })
}

// change changes an account so that the school keeps an administrator.
func (o *Office) change(ctx context.Context, who school.Person, id uint64, change func(*school.Person) error) error {
	if err := o.may(who); err != nil {
		return err
	}
	err := o.store.ChangePerson(ctx, id, change)
	switch {
	case errors.Is(err, school.ErrNotFound):
		return access.ErrHidden
	case errors.Is(err, ErrLastAdmin):
		return school.Refuse("last admin", "", "")
	}
	return err
}

// ErrLastAdmin says that a school would have no administrator who can sign in.
var ErrLastAdmin = errors.New("administer: nobody would run the school")

// Erase deletes somebody with all that is theirs, by whoever has typed their sign-in
// name to say so. A teacher's worksheets that are assigned go to somebody else first,
// which is the Problem "worksheets in use".
func (o *Office) Erase(ctx context.Context, who school.Person, id uint64, typed string) error {
	p, err := o.Profile(ctx, who, id)
	switch {
	case err != nil:
		return err
	case p.Person.ID == who.ID:
		return school.Refuse("erase oneself", "", "")
	case !strings.EqualFold(strings.TrimSpace(typed), p.Person.Login):
		return school.Refuse("not the sign-in name", "login", typed)
	}
	err = o.store.DeletePerson(ctx, id)
	if errors.Is(err, school.ErrInUse) {
		return school.Refuse("worksheets in use", "", "")
	}
	return err
}

// HandOver gives all worksheets of somebody to another teacher.
func (o *Office) HandOver(ctx context.Context, who school.Person, id uint64, login string) error {
	if _, err := o.Profile(ctx, who, id); err != nil {
		return err
	}
	to, err := o.teacher(ctx, login)
	if err != nil {
		return err
	}
	return o.store.HandOver(ctx, id, to.ID)
}

// AddTeacher makes somebody who has a teacher's account a teacher of a course, such as
// one whose teacher has left.
func (o *Office) AddTeacher(ctx context.Context, who school.Person, course uint64, login string) error {
	if err := o.may(who); err != nil {
		return err
	}
	to, err := o.teacher(ctx, login)
	if err != nil {
		return err
	}
	if _, err := o.store.CourseFor(ctx, course, to.ID); errors.Is(err, school.ErrNotFound) {
		return access.ErrHidden
	} else if err != nil {
		return err
	}
	m, err := o.store.Membership(ctx, course, to.ID)
	if err != nil {
		return err
	}
	if m.Role == access.Student {
		return school.Refuse("learns here", "login", login)
	}
	if m.JoinedAt.IsZero() {
		m.JoinedAt = o.now()
	}
	m.Role, m.Seen = access.Teacher, true
	return o.store.SetMembership(ctx, m)
}

// teacher returns whose sign-in name it is, who must have a teacher's account.
func (o *Office) teacher(ctx context.Context, login string) (school.Person, error) {
	p, err := o.store.PersonByLogin(ctx, strings.ToLower(strings.TrimSpace(login)))
	switch {
	case errors.Is(err, school.ErrNotFound):
		return p, school.Refuse("no account", "login", login)
	case err == nil && !p.Staff && !p.Admin:
		return p, school.Refuse("no teacher", "login", login)
	}
	return p, err
}
