package shelf

import (
	"context"
	"time"

	"readymargin/core/document"
	"readymargin/core/worksheet"
	"readymargin/school"
)

// An Assembler is the part of the PDF engine that is needed here.
type Assembler interface {
	Inspect(ctx context.Context, file []byte) ([]document.Page, error)
	Assemble(ctx context.Context, files [][]byte, leaves []document.PageRef) ([]byte, error)
	// Leads returns what leads from page to page of a file that Assemble made.
	Leads(ctx context.Context, file []byte) (document.Leads, error)
}

// A PublishingStore keeps revisions as they are made.
type PublishingStore interface {
	Worksheet(ctx context.Context, id uint64) (school.Worksheet, error)
	Sources(ctx context.Context, worksheet uint64) ([]school.Source, error)
	AddRevision(ctx context.Context, r *school.Revision) error // ErrTaken where the worksheet has one of that number
	LatestRevision(ctx context.Context, worksheet uint64) (school.Revision, error)
	Revision(ctx context.Context, id uint64) (school.Revision, error)
	// SetRevisionFile gives a revision another file with the same pages.
	SetRevisionFile(ctx context.Context, revision uint64, hash string) error
	// Reissue lets the worksheet's assignments go on with a revision: copies
	// that are not started move to it, and begun is how many stay.
	Reissue(ctx context.Context, worksheet, revision uint64) (begun int, err error)
	// Blob returns the bytes of that name, ErrNotFound, or ErrDamaged.
	Blob(ctx context.Context, hash string) ([]byte, error)
}

// A Painter is the part of the PDF engine that is needed here.
type Painter interface {
	Picture(ctx context.Context, file []byte, page int, scale float64) (document.Picture, error)
	// Light is Picture for slow lines.
	Light(ctx context.Context, file []byte, page int, scale float64) (document.Picture, error)
}

// A RevisionStore keeps what students get of worksheets.
type RevisionStore interface {
	school.BlobOpener
	// RevisionGuides returns what each page of a revision has to be worked on.
	RevisionGuides(ctx context.Context, revision uint64) ([]worksheet.Guide, error)
	FileGuides(ctx context.Context, file string) ([]string, error) // of each page
	TextLayers(ctx context.Context, file string) ([]string, error) // of each page, as JSON of words.Page
	// RevisedIn returns revisions with their worksheets as they are now.
	RevisedIn(ctx context.Context, ids ...uint64) ([]school.Revised, error)
	Worksheet(ctx context.Context, id uint64) (school.Worksheet, error)
	WorksheetAttachments(ctx context.Context, worksheet uint64) ([]school.WorksheetAttachment, error)
	Sources(ctx context.Context, worksheet uint64) ([]school.Source, error)
	FilePages(ctx context.Context, file string) ([]school.FilePage, error) // without Print, Text and Guide
	FilePage(ctx context.Context, file string, number int) (school.FilePage, error)
	// Picture returns the blob of a rendered page, or ErrNotFound.
	Picture(ctx context.Context, file string, page, scale int, light bool) (hash, mediaType string, err error)
	SetPicture(ctx context.Context, file string, page, scale int, light bool, hash, mediaType string) error
	PutBlob(ctx context.Context, b []byte) (hash string, err error)
	// Blob returns the bytes of that name, ErrNotFound, or ErrDamaged.
	Blob(ctx context.Context, hash string) ([]byte, error)
	// DropBlob forgets what can be made again.
	DropBlob(ctx context.Context, hash string) error
}

// A Reader is the part of the PDF engine that is needed here.
type Reader interface {
	Limits() document.Limits
	Inspect(ctx context.Context, file []byte) ([]document.Page, error)
	Sizes(ctx context.Context, file []byte) ([]document.Page, error)
	// Upright returns a page that leans clockwise by an angle (radians) as a grey PNG in
	// which it stands upright, at so many pixels a point.
	Upright(ctx context.Context, file []byte, page int, lean, scale float64) ([]byte, error)
	Assemble(ctx context.Context, files [][]byte, leaves []document.PageRef) ([]byte, error)
	// Leads returns what leads from page to page of a file that Assemble made.
	Leads(ctx context.Context, file []byte) (document.Leads, error)
}

// A ShelfStore keeps worksheets as teachers prepare them.
type ShelfStore interface {
	AddWorksheet(ctx context.Context, w *school.Worksheet, sources []school.Source, extras []school.WorksheetAttachment) error
	Worksheet(ctx context.Context, id uint64) (school.Worksheet, error)
	// WorksheetsOf returns a person's worksheets and those that are shared with
	// them, newest first: all, or those whose title or print has every one of the
	// words, or words that begin so.
	WorksheetsOf(ctx context.Context, owner uint64, words []string) ([]school.Shelved, error)
	// DropWorksheet deletes a worksheet of which nothing is assigned and no copy is
	// there, or notes since when it is to be deleted.
	DropWorksheet(ctx context.Context, id uint64, at time.Time) error
	LetGo(ctx context.Context, id uint64, at time.Time) error // there only for what has it
	SetShares(ctx context.Context, worksheet uint64, shares []school.Share) error
	Shares(ctx context.Context, worksheet uint64) ([]school.Share, error)
	SetTitle(ctx context.Context, worksheet uint64, title string) error
	// ChangeWorksheet lets change have a worksheet that nobody else changes
	// meanwhile, keeps what it made of it, and adds a source if there is one.
	ChangeWorksheet(ctx context.Context, id uint64, change func(*school.Worksheet) error, add *school.Source) error
	AddWorksheetAttachment(ctx context.Context, e school.WorksheetAttachment) error
	WorksheetAttachments(ctx context.Context, worksheet uint64) ([]school.WorksheetAttachment, error)
	Sources(ctx context.Context, worksheet uint64) ([]school.Source, error)
	LatestRevision(ctx context.Context, worksheet uint64) (school.Revision, error)
	// Uses returns where a worksheet is assigned, newest first.
	Uses(ctx context.Context, worksheet uint64) ([]school.Use, error)
	AddFilePages(ctx context.Context, pages []school.FilePage) error       // those that are there stay
	SetFilePages(ctx context.Context, pages []school.FilePage) error       // in place of those that are there
	FilePages(ctx context.Context, file string) ([]school.FilePage, error) // without Print, Text and Guide
	FilePage(ctx context.Context, file string, number int) (school.FilePage, error)
	// Wordless returns a file with a page that is a picture without words, ErrNotFound
	// when there is none; those that were brought in come first.
	Wordless(ctx context.Context) (hash string, err error)
	SetPageWords(ctx context.Context, p school.FilePage) error // which is wordless no more
	// ReadAnew lets words wait on pages of a file once more; what is known of them stays
	// until then.
	ReadAnew(ctx context.Context, file string, pages []int) error
	// KitsWith returns the kits of the worksheets that a file belongs to, the newest first.
	KitsWith(ctx context.Context, file string) ([]string, error)
	RevisionsWith(ctx context.Context, file string) ([]school.Revision, error)
	RevisionsOf(ctx context.Context, worksheet uint64) ([]school.Revision, error)
	RevisionGuides(ctx context.Context, revision uint64) ([]worksheet.Guide, error)
	// Reread gives a revision whose words have come, or were put right, its guides anew.
	Reread(ctx context.Context, revision uint64, guides []worksheet.Guide) error
	PutBlob(ctx context.Context, b []byte) (hash string, err error)
	// Blob returns the bytes of that name, ErrNotFound, or ErrDamaged.
	Blob(ctx context.Context, hash string) ([]byte, error)
}
