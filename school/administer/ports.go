package administer

import (
	"context"

	"readymargin/school"
)

// A Store keeps what an administrator sees and changes.
type Store interface {
	Counts(ctx context.Context) (Counts, error)
	Storage(ctx context.Context) ([]Stored, error)
	CourseLines(ctx context.Context) ([]CourseLine, error) // by name
	Jobs(ctx context.Context) ([]school.Job, error)
	SignIns(ctx context.Context, most int) ([]SignIn, error)
	// FindPeople returns those whose name or sign-in name has all words.
	FindPeople(ctx context.Context, words []string, most int) (found []school.Person, of int, err error)
	Person(ctx context.Context, id uint64) (school.Person, error)
	PersonByLogin(ctx context.Context, login string) (school.Person, error)
	CoursesOf(ctx context.Context, person uint64) ([]school.CourseRole, error)
	DevicesOf(ctx context.Context, person uint64) ([]school.Device, error)
	// ChangePerson lets change have an account that nobody else changes meanwhile, and
	// keeps what it made of it, or is ErrLastAdmin.
	ChangePerson(ctx context.Context, id uint64, change func(*school.Person) error) error
	EndSessions(ctx context.Context, person uint64, session string) error
	// DeletePerson deletes somebody with all that is theirs; school.ErrInUse says that
	// worksheets of theirs are with others.
	DeletePerson(ctx context.Context, id uint64) error
	// HandOver gives all worksheets of somebody to somebody else.
	HandOver(ctx context.Context, from, to uint64) error
	CourseFor(ctx context.Context, id, person uint64) (school.CourseRole, error)
	Membership(ctx context.Context, course, person uint64) (school.Membership, error)
	SetMembership(ctx context.Context, m school.Membership) error
}
