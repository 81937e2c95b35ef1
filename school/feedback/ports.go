package feedback

import (
	"context"
	"time"

	"readymargin/core/answer"
	"readymargin/school"
)

// A MarkingStore keeps points and what is returned.
type MarkingStore interface {
	// View notes that a person has a copy open, and returns the others who
	// did so since the given time.
	View(ctx context.Context, copyID, person uint64, watching bool, now, since time.Time) (others []string, err error)
	CopyInCourse(ctx context.Context, id, asker uint64) (school.CopyInCourse, error)
	Return(ctx context.Context, id uint64) (school.Return, error)
	// PendingReturns are those of all copies of an assignment that are not done yet.
	PendingReturns(ctx context.Context, assignment uint64) ([]school.Return, error)
	// FeedbackMarks counts what the teachers have set on copies, by copy and
	// attempt; FeedbackHeads returns it, by copy.
	FeedbackMarks(ctx context.Context, copies ...uint64) (map[uint64]map[int]int, error)
	FeedbackHeads(ctx context.Context, copies ...uint64) (map[uint64][]school.SavedHead, error)
	FilePage(ctx context.Context, file string, number int) (school.FilePage, error)
	// AnswersOf returns what the newest attempts of all copies of an assignment
	// answer, by copy.
	AnswersOf(ctx context.Context, assignment uint64) (map[uint64][]answer.Answer, error)
	// SmallBlobs returns several blobs at once; those that are not there are left out.
	SmallBlobs(ctx context.Context, hashes ...string) (map[string][]byte, error)
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

// A ReadyStore keeps ready remarks.
type ReadyStore interface {
	// ReadyRemarks returns somebody's own and those that are shared in a course.
	ReadyRemarks(ctx context.Context, owner, course uint64) ([]school.ReadyRemark, error)
	ReadyRemark(ctx context.Context, id uint64) (school.ReadyRemark, error)
	// KeepReadyRemark adds the remark that keep makes when it sees somebody's own,
	// or returns it when it is one of these. Nobody else changes them meanwhile.
	KeepReadyRemark(ctx context.Context, owner uint64, keep func(own []school.ReadyRemark) (school.ReadyRemark, error)) (school.ReadyRemark, error)
	DropReadyRemark(ctx context.Context, id uint64) error
	// AddCopyAttachment notes that marks of a copy may show a sound; CopyAttachments
	// returns what they may show.
	AddCopyAttachment(ctx context.Context, e school.CopyAttachment) error
	CopyAttachments(ctx context.Context, copyID uint64) ([]school.CopyAttachment, error)
	UseReadyRemark(ctx context.Context, id, person uint64, question string, at time.Time) error
	// ReadyUses returns when somebody has last used remarks, by remark and question.
	ReadyUses(ctx context.Context, person uint64) (map[uint64]map[string]time.Time, error)
}

// A ListeningStore keeps to where feedback was heard.
type ListeningStore interface {
	school.BlobReader
	Attempts(ctx context.Context, copyID uint64) ([]school.Attempt, error)
	InCopy(ctx context.Context, copyID uint64, fn func(school.CopyTx) error) error
}

// A QueueStore keeps what waits to be marked.
type QueueStore interface {
	// AssignmentsOf returns those of courses by due time; what is never due comes last.
	AssignmentsOf(ctx context.Context, courses ...uint64) ([]school.Assignment, error)
	Members(ctx context.Context, courses ...uint64) ([]school.Member, error)
	// AssignmentBare returns an assignment without its handouts.
	AssignmentBare(ctx context.Context, id uint64) (school.Assignment, error)
	// HandedIn returns the copies of assignments and their attempts, of each copy
	// in their order.
	HandedIn(ctx context.Context, assignments ...uint64) ([]school.Copy, []school.Attempt, error)
	// ScoresOf returns what the newest attempts of all copies of assignments got.
	ScoresOf(ctx context.Context, assignments ...uint64) ([]school.Score, error)
	// Unanswered returns, by copy, the replies to feedback that came after the
	// copy was last returned.
	Unanswered(ctx context.Context, assignments ...uint64) (map[uint64][]school.SavedHead, error)
	// Waiting returns what waits for somebody's answer, the oldest first: what they
	// were asked themselves, and what students ask about assignments.
	Waiting(ctx context.Context, person uint64, assignments ...uint64) ([]school.Question, error)
}
