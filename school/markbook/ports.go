package markbook

import (
	"context"

	"readymargin/school"
)

// A Store keeps what a mark book is made of.
type Store interface {
	Members(ctx context.Context, courses ...uint64) ([]school.Member, error)
	Membership(ctx context.Context, course, person uint64) (school.Membership, error)
	Assignment(ctx context.Context, id uint64) (school.Assignment, error)
	// AssignmentsOf returns what is assigned in courses by due time.
	AssignmentsOf(ctx context.Context, courses ...uint64) ([]school.Assignment, error)
	CopyFor(ctx context.Context, assignment, student, revision uint64) (school.Copy, error)
	// HandedIn returns the copies of assignments and their attempts, of each copy
	// in their order.
	HandedIn(ctx context.Context, assignments ...uint64) ([]school.Copy, []school.Attempt, error)
	// ScoresOf returns what the newest attempts of all copies of assignments got.
	ScoresOf(ctx context.Context, assignments ...uint64) ([]school.Score, error)
	ChangeCourse(ctx context.Context, id uint64, change func(*school.Course) error) (school.Course, error)
	CopiesOfStudent(ctx context.Context, student uint64) ([]school.Copy, error)
	AttemptsOfStudent(ctx context.Context, student uint64) ([]school.Attempt, error)
	// SmallBlobs returns several blobs at once; those that are not there are left out.
	SmallBlobs(ctx context.Context, hashes ...string) (map[string][]byte, error)
	// InCopy runs fn in one transaction that holds the copy; see feedback.MarkingStore.
	InCopy(ctx context.Context, copyID uint64, fn func(school.CopyTx) error) error
}
