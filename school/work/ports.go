package work

import (
	"context"

	"readymargin/core/document"
	"readymargin/core/elsewhere"
	"readymargin/core/page"
	"readymargin/core/photograph"
	"readymargin/core/scan"
	"readymargin/core/submission"
	"readymargin/core/worksheet"
	"readymargin/school"
)

// A DraftStore keeps what people are typing.
type DraftStore interface {
	// Drafts returns a person's drafts about a thing, the oldest first.
	Drafts(ctx context.Context, person uint64, of school.Drafted, id uint64) ([]school.Draft, error)
	// PutDrafts writes drafts of one person about one thing over older ones,
	// takes those away that are empty, and of all keeps the newest most.
	PutDrafts(ctx context.Context, all []school.Draft, most int) error
}

// A StateStore keeps states of copies under a name.
type StateStore interface {
	// States returns the states of a layer that were kept, the oldest first.
	States(ctx context.Context, copyID uint64, layer submission.Layer) ([]school.State, error)
	// InCopy runs fn in one transaction that holds the copy; see SavingStore.
	InCopy(ctx context.Context, copyID uint64, fn func(school.CopyTx) error) error
	// OpsAfter returns the operations of a layer with a sequence number above after.
	OpsAfter(ctx context.Context, copyID uint64, layer submission.Layer, after int64) ([]school.SavedOp, error)
}

// A Comparer is the part of the PDF engine that is needed here.
type Comparer interface {
	Inspect(ctx context.Context, file []byte) ([]document.Page, error)
	Ink(ctx context.Context, file []byte, page int) (scan.Ink, error)
	PictureInk(ctx context.Context, picture []byte, size page.Point) (scan.Ink, error)
	// Codes returns the codes that are seen on a page of a scan, or in a picture, of which
	// it is page 1, and how many pages there are.
	Codes(ctx context.Context, file []byte, page int) ([]document.Code, int, error)
	// Laid returns that page as the page of a size in points that it shows, as JPEG.
	Laid(ctx context.Context, file []byte, page int, ties []photograph.Tie, size page.Point) ([]byte, error)
	// Bare returns a file without what taking a copy away had added to it, and
	// the number of that copy; nil and 0 where there is nothing of the kind.
	Bare(ctx context.Context, file []byte) ([]byte, uint64, error)
	Differ(ctx context.Context, sheet []byte, number int, file []byte, page int) ([]document.Part, error)
	Repaint(ctx context.Context, picture []byte, how document.Painting) ([]byte, error)
	Annotations(ctx context.Context, file []byte, boxes []page.Box) (document.Annotated, error)
	// Turned returns a file with its pages turned by so many degrees clockwise.
	Turned(ctx context.Context, file []byte, turns []int) ([]byte, error)
	Without(ctx context.Context, file []byte, gone []elsewhere.Place) ([]byte, error)
	Print(ctx context.Context, file []byte, what document.Export) ([]byte, error)
}

// An ElsewhereStore keeps what a file done elsewhere is compared with.
type ElsewhereStore interface {
	Assignment(ctx context.Context, id uint64) (school.Assignment, error)
	Members(ctx context.Context, courses ...uint64) ([]school.Member, error)
	// Membership returns what a person is in a course; in none, with access.None.
	Membership(ctx context.Context, course, person uint64) (school.Membership, error)
	// CopyFor returns the student's copy, making it of a revision when there is none.
	CopyFor(ctx context.Context, assignment, student, revision uint64) (school.Copy, error)
	// HandedIn returns the copies of assignments and their attempts, of each copy in their
	// order.
	HandedIn(ctx context.Context, assignments ...uint64) ([]school.Copy, []school.Attempt, error)
	FilePage(ctx context.Context, file string, number int) (school.FilePage, error)
	PutBlob(ctx context.Context, b []byte) (hash string, err error)
	// Heads returns what is present in a layer of a copy.
	Heads(ctx context.Context, copyID uint64, layer submission.Layer) ([]school.SavedHead, error)
	Attempts(ctx context.Context, copyID uint64) ([]school.Attempt, error)
	// Blob returns the bytes of that name, ErrNotFound, or ErrDamaged.
	Blob(ctx context.Context, hash string) ([]byte, error)
}

// An AttachmentStore keeps sounds and pictures on copies.
type AttachmentStore interface {
	school.BlobOpener
	Attempts(ctx context.Context, copyID uint64) ([]school.Attempt, error)
	AddCopyAttachment(ctx context.Context, e school.CopyAttachment) error
	CopyAttachments(ctx context.Context, copyID uint64) ([]school.CopyAttachment, error)
	// QuestionsOf returns what was asked on a copy, answered or not.
	QuestionsOf(ctx context.Context, copyID uint64) ([]school.Question, error)
	// Blob returns the bytes of that name, ErrNotFound, or ErrDamaged.
	Blob(ctx context.Context, hash string) ([]byte, error)
}

// A SavingStore keeps the work on copies.
type SavingStore interface {
	// Membership returns what a person is in a course; in none, with access.None.
	Membership(ctx context.Context, course, person uint64) (school.Membership, error)
	Assignment(ctx context.Context, id uint64) (school.Assignment, error)
	// CopyFor returns the student's copy, making it of a revision when there is
	// none. Student 0 is everybody: the copy that is one for all.
	CopyFor(ctx context.Context, assignment, student, revision uint64) (school.Copy, error)
	// CopyOf returns the student's copy if there is one.
	CopyOf(ctx context.Context, assignment, student uint64) (school.Copy, error)
	school.BlobReader
	Attempts(ctx context.Context, copyID uint64) ([]school.Attempt, error)
	// HeadsAmong returns those of some operations that are present.
	HeadsAmong(ctx context.Context, copyID uint64, layer submission.Layer, ops []string) ([]school.SavedHead, error)
	// OpsAfter returns the operations of a layer with a sequence number above after.
	OpsAfter(ctx context.Context, copyID uint64, layer submission.Layer, after int64) ([]school.SavedOp, error)
	LayerSeq(ctx context.Context, copyID uint64, layer submission.Layer) (int64, error)
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

// A KeepingStore keeps what students decide about copies of their own.
type KeepingStore interface {
	SetShown(ctx context.Context, copyID uint64, shown bool) error
	SetOwnKey(ctx context.Context, copyID uint64, key []worksheet.Meaning) error
	// InCopy runs fn in one transaction that holds the copy; see SavingStore.
	InCopy(ctx context.Context, copyID uint64, fn func(school.CopyTx) error) error
}

// A SubmittingStore keeps attempts.
type SubmittingStore interface {
	// CopyInCourse returns a copy with its surroundings as the asker stands to it.
	CopyInCourse(ctx context.Context, id, asker uint64) (school.CopyInCourse, error)
	Attempts(ctx context.Context, copyID uint64) ([]school.Attempt, error)
	Blob(ctx context.Context, hash string) ([]byte, error)
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
