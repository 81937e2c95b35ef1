package takeaway

import (
	"context"

	"readymargin/core/document"
	"readymargin/school"
)

// A Printer is the part of the PDF engine that is needed here.
type Printer interface {
	Print(ctx context.Context, file []byte, what document.Export) ([]byte, error)
}

// An ExportStore keeps what is taken away.
type ExportStore interface {
	Revision(ctx context.Context, id uint64) (school.Revision, error)
	Members(ctx context.Context, courses ...uint64) ([]school.Member, error)
	AssignmentsOf(ctx context.Context, courses ...uint64) ([]school.Assignment, error)
	// HandedIn returns the copies of assignments and their attempts, of each copy
	// in their order.
	HandedIn(ctx context.Context, assignments ...uint64) ([]school.Copy, []school.Attempt, error)
	// Blob returns the bytes of that name, ErrNotFound, or ErrDamaged.
	Blob(ctx context.Context, hash string) ([]byte, error)
}
