package enrol

import (
	"context"
	"time"

	"readymargin/core/roster"
	"readymargin/school"
)

// An AccountStore keeps accounts, tokens and tries.
type AccountStore interface {
	// AddPerson adds p; a login in use gets a number behind it, and ErrTaken
	// says that none was free.
	AddPerson(ctx context.Context, p *school.Person) error
	Person(ctx context.Context, id uint64) (school.Person, error)
	PersonByLogin(ctx context.Context, login string) (school.Person, error)
	// NewPassword gives a person another password, ends all their sessions but
	// one ("" for all), forgets their devices and voids their slips.
	NewPassword(ctx context.Context, person uint64, hash, session string, now time.Time) error
	// EndSessions ends all of a person's sessions but one and forgets their devices.
	EndSessions(ctx context.Context, person uint64, session string) error
	SetSettings(ctx context.Context, id uint64, settings string) error
	AddSignInToken(ctx context.Context, s school.SignInToken) error
	// NewCard ends a person's cards, and adds another one unless it is nil.
	NewCard(ctx context.Context, person uint64, card *school.SignInToken) error
	// PracticeStudent makes p of the one whose practice of somebody it is, adding it
	// when there is none.
	PracticeStudent(ctx context.Context, p *school.Person) error
	SetMembership(ctx context.Context, m school.Membership) error
	SetName(ctx context.Context, id uint64, n roster.Name) error
	// UseSlip returns an unused slip that has not expired, and marks it used.
	UseSignInToken(ctx context.Context, tokenHash string, now time.Time) (school.SignInToken, error)
	// PeekSlip is UseSlip without using it.
	PeekSignInToken(ctx context.Context, tokenHash string, now time.Time) (school.SignInToken, error)
	// Allow takes a try of a subject when its pace permits one; otherwise it
	// takes none and returns after how long it would.
	Allow(ctx context.Context, subject string, p school.Pace, now time.Time) (wait time.Duration, err error)
	// GiveBack undoes one Allow.
	GiveBack(ctx context.Context, subject string, p school.Pace) error
	// KnownDevice says whether a person has signed in on a device before.
	KnownDevice(ctx context.Context, tokenHash string, person uint64) (bool, error)
	AddDevice(ctx context.Context, tokenHash string, person uint64, label string, now time.Time) error
	// DevicesOf returns a person's devices, the one last used first.
	DevicesOf(ctx context.Context, person uint64) ([]school.Device, error)
	// Membership returns what a person is in a course; in none, with access.None.
	Membership(ctx context.Context, course, person uint64) (school.Membership, error)
}

// A CourseStore keeps courses and who joins them.
type CourseStore interface {
	AddCourse(ctx context.Context, c *school.Course, teacher uint64) error
	CourseByCode(ctx context.Context, code string) (school.Course, error)
	// ChangeCourse lets change have a course that nobody else changes meanwhile,
	// and keeps what it made of it. Nothing else of the store is reachable inside.
	ChangeCourse(ctx context.Context, id uint64, change func(*school.Course) error) (school.Course, error)
	// ArchiveCourse says of a course and all its assignments since when they are put
	// away, nil for not.
	ArchiveCourse(ctx context.Context, id uint64, at *time.Time) error
	// DeleteCourse deletes a course with its assignments and all copies of them.
	DeleteCourse(ctx context.Context, id uint64) error
	SetMembership(ctx context.Context, m school.Membership) error
	// Membership returns what a person is in a course; in none, with access.None.
	Membership(ctx context.Context, course, person uint64) (school.Membership, error)
	CoursesOf(ctx context.Context, person uint64) ([]school.CourseRole, error)
}

// A ListStore keeps what class lists and directories bring.
type ListStore interface {
	// Logins returns which of these are in use.
	Logins(ctx context.Context, logins []string) (map[string]bool, error)
	// AddStudents adds people to a course, with a slip each, and writes
	// memberships that change, all or none. A login in use gets a number behind it.
	AddStudents(ctx context.Context, course uint64, at time.Time, coming []school.Coming, changed []school.Membership) error
	// CoursesBySource and PeopleBySource return those of a school's directory
	// that are there, by the names they have in it.
	CoursesBySource(ctx context.Context, sources []string) (map[string]school.Course, error)
	PeopleBySource(ctx context.Context, sources []string) (map[string]school.Person, error)
	// AddDirectory writes what a directory brings, all or none. Logins in use
	// get a number behind them.
	AddDirectory(ctx context.Context, change school.DirectoryChange, at time.Time) error
	Members(ctx context.Context, courses ...uint64) ([]school.Member, error)
}

// A RosterStore keeps the members of courses.
type RosterStore interface {
	Person(ctx context.Context, id uint64) (school.Person, error)
	PersonByLogin(ctx context.Context, login string) (school.Person, error)
	SetSettings(ctx context.Context, id uint64, settings string) error
	SetMembership(ctx context.Context, m school.Membership) error
	// Membership returns what a person is in a course; in none, with access.None.
	Membership(ctx context.Context, course, person uint64) (school.Membership, error)
	Members(ctx context.Context, courses ...uint64) ([]school.Member, error)
}
