package assign

import (
	"context"

	"readymargin/core/mark"
	"readymargin/school"
)

// An AgendaStore keeps what somebody has to do, and when.
type AgendaStore interface {
	// SetCalendar gives a person's calendar another address; CalendarOwner
	// returns whose an address is.
	SetCalendar(ctx context.Context, person uint64, tokenHash string) error
	CalendarOwner(ctx context.Context, tokenHash string) (school.Person, error)
	CoursesOf(ctx context.Context, person uint64) ([]school.CourseRole, error)
	// AssignmentsOf returns those of courses by due time; what is never due comes last.
	AssignmentsOf(ctx context.Context, courses ...uint64) ([]school.Assignment, error)
	CopiesOfStudent(ctx context.Context, student uint64) ([]school.Copy, error)
	AttemptsOfStudent(ctx context.Context, student uint64) ([]school.Attempt, error)
	// WrittenIn returns what is written, ticked or stamped in the work on copies.
	WrittenIn(ctx context.Context, copies ...uint64) (map[uint64][]mark.Mark, error)
}

// An AssignmentStore keeps assignments and whom they are given to.
type AssignmentStore interface {
	// Membership returns what a person is in a course; in none, with access.None.
	Membership(ctx context.Context, course, person uint64) (school.Membership, error)
	Members(ctx context.Context, courses ...uint64) ([]school.Member, error)
	// AddCourseWith adds a course with its teacher, what is assigned in it and the
	// ready remarks that are shared in another one, all
	// or none; ErrTaken says that the join code is.
	AddCourseWith(ctx context.Context, c *school.Course, teacher, like uint64, given []*school.Assignment) error
	AddAssignments(ctx context.Context, all []*school.Assignment) error // all or none
	Assignment(ctx context.Context, id uint64) (school.Assignment, error)
	// ChangeAssignment lets change have an assignment with its handouts that
	// nobody else changes meanwhile, keeps what it made of it, and moves copies
	// that are not started to the revision that their students get now. Nothing
	// else of the store is reachable inside.
	ChangeAssignment(ctx context.Context, id uint64, change func(*school.Assignment) error) (school.Assignment, error)
	// AssignmentsOf returns those of courses by due time; what is never due comes last.
	AssignmentsOf(ctx context.Context, courses ...uint64) ([]school.Assignment, error)
	// CopyFor returns the student's copy, making it of a revision when there is
	// none. Student 0 is everybody: the copy that is one for all.
	CopyFor(ctx context.Context, assignment, student, revision uint64) (school.Copy, error)
	CopiesOf(ctx context.Context, assignments ...uint64) ([]school.Copy, error)
	// ScoresOf returns what the newest attempts of all copies of assignments got.
	ScoresOf(ctx context.Context, assignments ...uint64) ([]school.Score, error)
	// InCopy runs fn in one transaction that holds the copy. Changes of one
	// copy come one after another, and wait for their turn before they take a
	// connection.
	//
	// Inside fn only tx is reachable: whoever asks the Store for anything else
	// there waits for a connection that others hold who wait in the same way.
	// The first error of the database ends the transaction, whatever fn returns
	// afterwards. fn may run more than once when the database asks for it, each
	// time with everything undone that it did in the store, and must begin anew
	// with what it keeps outside.
	InCopy(ctx context.Context, copyID uint64, fn func(school.CopyTx) error) error
}
