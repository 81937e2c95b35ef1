package takeaway

import (
	"context"

	"readymargin/core/document"
	"readymargin/core/scan"
	"readymargin/school"
)

// A Printer is the part of the PDF engine that is needed here.
type Printer interface {
	Print(ctx context.Context, file []byte, what document.Export) ([]byte, error)
	// Plain returns a page as a PNG picture.
	Plain(ctx context.Context, file []byte, page int, scale float64) (document.Picture, error)
	// Ink maps where a page has ink.
	Ink(ctx context.Context, file []byte, page int) (scan.Ink, error)
	Assemble(ctx context.Context, files [][]byte, leaves []document.PageRef) ([]byte, error)
}

// Sounds turns what was recorded into what every player takes; sound.Ffmpeg is one.
type Sounds interface {
	M4A(ctx context.Context, kept []byte) ([]byte, error)
}

// An ExportStore keeps what is taken away.
type ExportStore interface {
	Revision(ctx context.Context, id uint64) (school.Revision, error)
	// CopyFor returns the student's copy, making it of a revision when there is none.
	CopyFor(ctx context.Context, assignment, student, revision uint64) (school.Copy, error)
	Members(ctx context.Context, courses ...uint64) ([]school.Member, error)
	Assignment(ctx context.Context, id uint64) (school.Assignment, error)
	AssignmentsOf(ctx context.Context, courses ...uint64) ([]school.Assignment, error)
	// HandedIn returns the copies of assignments and their attempts, of each copy
	// in their order.
	HandedIn(ctx context.Context, assignments ...uint64) ([]school.Copy, []school.Attempt, error)
	CoursesOf(ctx context.Context, person uint64) ([]school.CourseRole, error)
	// Mailbox returns where somebody has mail sent.
	Mailbox(ctx context.Context, person uint64) (m school.Mailbox, may bool, err error)
	DevicesOf(ctx context.Context, person uint64) ([]school.Device, error)
	WorksheetsOf(ctx context.Context, person uint64, words []string) ([]school.Shelved, error)
	Sources(ctx context.Context, worksheet uint64) ([]school.Source, error)
	// ReadyRemarks returns somebody's own and those that are shared in a course.
	ReadyRemarks(ctx context.Context, owner, course uint64) ([]school.ReadyRemark, error)
	// Blob returns the bytes of that name, ErrNotFound, or ErrDamaged.
	Blob(ctx context.Context, hash string) ([]byte, error)
}
